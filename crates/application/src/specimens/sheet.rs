//! The sheet of a specimen: what it is, and its points, lines and faces.

use super::files::surface;
use crate::{Desk, Error, Result};
use echo_job::Refusal;
use echo_job::geometry::edit::GeometryChange;
use echo_job::rig::Channel;
use echo_job::specimen::Specimen;
use serde::Serialize;
use serde_json::{Value, json};
use std::collections::{BTreeMap, HashMap};
use std::sync::{Arc, Mutex, PoisonError};
use utoipa::ToSchema;

/// Specimens that are kept at hand at most.
const AT_HAND: usize = 8;

/// Specimens read lately, with their versions: the rules ask for them every few seconds, and one may have thousands of
/// points.
#[derive(Clone, Default)]
pub(crate) struct Specimens(Arc<Mutex<BTreeMap<i64, OfVersion>>>);

/// A version, and what it is.
type OfVersion = (i64, Arc<Specimen>);

/// A specimen's sheet with its version.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct SpecimenBody {
    /// Counts up with every change.
    pub version: i64,
    /// The sheet.
    #[schema(value_type = Specimen)]
    pub specimen: Arc<Specimen>,
}

/// The sheet of a campaign's specimen.
///
/// # Errors
/// There is no such campaign, or the database is away.
pub async fn read(desk: &Desk, id: i64) -> Result<SpecimenBody> {
    let at_hand = |version| {
        let all = desk.specimens.0.lock().unwrap_or_else(PoisonError::into_inner);
        all.get(&id).filter(|(of, _)| *of == version).map(|(_, s)| s.clone())
    };
    let version = desk.store.specimen_version(id).await?;
    if let Some(specimen) = at_hand(version) {
        return Ok(SpecimenBody { version, specimen });
    }
    let (sheet, version) = desk.store.specimen(id).await?;
    let specimen: Arc<Specimen> = Arc::new(serde_json::from_value(sheet)?);
    let mut all = desk.specimens.0.lock().unwrap_or_else(PoisonError::into_inner);
    all.insert(id, (version, specimen.clone()));
    while all.len() > AT_HAND {
        all.pop_first();
    }
    Ok(SpecimenBody { version, specimen })
}

/// A channel that is measured, on the specimen.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct PlacedSensor {
    /// Its input.
    pub input: u16,
    /// Its name.
    pub name: String,
    /// Row of its point, from 0.
    pub row: usize,
    /// Its direction, as it is entered.
    pub direction: String,
    /// Which way it shows, of length one; none where the direction is not known.
    #[schema(value_type = Option<Vec<f64>>)]
    pub way: Option<[f64; 3]>,
}

/// Where the channels of the rig are on the specimen; those at points it does not have are left out.
///
/// # Errors
/// There is no such campaign, or the database is away.
pub async fn sensors(desk: &Desk, id: i64) -> Result<Vec<PlacedSensor>> {
    let (specimen, rig) = (read(desk, id).await?.specimen, desk.store.rig(id).await?.rig);
    let places = specimen.geometry.places();
    let rows: HashMap<&str, usize> =
        specimen.geometry.points.iter().enumerate().map(|(i, p)| (p.name.as_str(), i)).collect();
    let placed = |c: &Channel| {
        let dof = c.dof()?;
        let row = *rows.get(dof.point.as_str())?;
        let way = places.way(&dof);
        Some(PlacedSensor { input: c.input, name: c.name.clone(), row, direction: c.direction.clone(), way })
    };
    Ok(rig.active().filter_map(placed).collect())
}

/// What became of a specimen, in numbers: a geometry of thousands of points is not written down at each change.
fn told(from: &Specimen, to: &Specimen) -> Value {
    let mut was = BTreeMap::new();
    let mut is = BTreeMap::new();
    let mut note = |what: &'static str, a: Value, b: Value| {
        if a != b {
            was.insert(what, a);
            is.insert(what, b);
        }
    };
    note("kind", json!(from.kind), json!(to.kind));
    note("serial", json!(from.serial), json!(to.serial));
    note("remarks", json!(from.remarks), json!(to.remarks));
    note("directions", json!(from.geometry.directions()), json!(to.geometry.directions()));
    let (a, b) = (&from.geometry, &to.geometry);
    note("points", json!(a.points.len()), json!(b.points.len()));
    note("lines", json!(a.lines.len()), json!(b.lines.len()));
    note("faces", json!(a.faces.len()), json!(b.faces.len()));
    if is.is_empty() && a.points != b.points {
        let moved = a.points.iter().zip(&b.points).filter(|(a, b)| a != b).count();
        is.insert("points changed", json!(moved));
    }
    json!({ "from": was, "to": is })
}

/// Writes the sheet that was changed on version `made_on`.
///
/// # Errors
/// It is not allowed, somebody else was faster, or the database is away.
pub async fn save(desk: &Desk, id: i64, made_on: Option<i64>, who: &str, to: Specimen) -> Result<SpecimenBody> {
    to.check()?;
    let from = read(desk, id).await?;
    let detail = told(&from.specimen, &to);
    let sheet = serde_json::to_value(&to)?;
    let version = desk.store.save_specimen(id, made_on, &sheet, (who, &detail)).await?;
    Ok(SpecimenBody { version, specimen: Arc::new(to) })
}

/// Changes the geometry, as it stood in version `made_on`.
///
/// # Errors
/// The first thing that is not allowed; somebody else was faster; the database is away.
pub async fn change(desk: &Desk, id: i64, made_on: i64, who: &str, change: GeometryChange) -> Result<SpecimenBody> {
    let now = at(desk, id, made_on).await?;
    let geometry = now.specimen.geometry.changed(&change, now.specimen.unit)?;
    save(desk, id, Some(made_on), who, Specimen { geometry, ..(*now.specimen).clone() }).await
}

/// The sheet, if it still is of a version.
async fn at(desk: &Desk, id: i64, made_on: i64) -> Result<SpecimenBody> {
    let now = read(desk, id).await?;
    if now.version != made_on {
        return Err(echo_store::StoreError::Stale("specimen", now.version).into());
    }
    Ok(now)
}

/// Puts points onto the nearest place of the surface; all of them where none is named.
///
/// # Errors
/// There is no surface, a row that is not there, somebody else was faster, or the database is away.
pub async fn put_onto_surface(desk: &Desk, id: i64, made_on: i64, who: &str, rows: Vec<usize>) -> Result<SpecimenBody> {
    let now = at(desk, id, made_on).await?;
    let mesh =
        surface(desk, id).await?.ok_or_else(|| Error::conflict("there is no surface; bring one in as STL or OBJ"))?;
    let mut to = (*now.specimen).clone();
    let points = &mut to.geometry.points;
    let rows = if rows.is_empty() { (0..points.len()).collect() } else { rows };
    if let Some(row) = rows.iter().find(|r| **r >= points.len()) {
        return Err(Refusal::new("rows", format!("there is no point in row {}", row + 1)).into());
    }
    let places: Vec<[f64; 3]> = rows.iter().map(|r| [points[*r].x, points[*r].y, points[*r].z]).collect();
    let onto = tokio::task::spawn_blocking(move || mesh.nearest(&places)).await?.unwrap_or_default();
    for (row, [x, y, z]) in rows.into_iter().zip(onto) {
        (points[row].x, points[row].y, points[row].z) = (x, y, z);
    }
    save(desk, id, Some(made_on), who, to).await
}

#[cfg(test)]
mod tests {
    use super::*;
    use echo_job::geometry::Point;

    #[test]
    fn a_change_is_told_in_numbers() {
        let a = Specimen { serial: "12".into(), ..Specimen::default() };
        let mut b = a.clone();
        b.geometry.points = vec![Point::new("1", 0.0, 0.0, 0.0), Point::new("2", 1.0, 0.0, 0.0)];
        b.serial = "13".into();
        let detail = told(&a, &b);
        assert_eq!(detail, json!({ "from": { "points": 0, "serial": "12" }, "to": { "points": 2, "serial": "13" } }));
        let mut c = b.clone();
        c.geometry.points[1].x = 2.0;
        assert_eq!(told(&b, &c), json!({ "from": {}, "to": { "points changed": 1 } }));
    }
}
