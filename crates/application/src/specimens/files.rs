//! Pictures of a specimen, and the surface its points are put onto.

use crate::{Desk, Error, Result};
use chrono::{DateTime, Utc};
use echo_formats::geometry::surface as format;
use echo_formats::picture::PictureKind;
use echo_job::Refusal;
use echo_job::geometry::mesh::Mesh;
use echo_store::specimen::{NewSpecimenFile, SpecimenFile};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};

/// Largest picture and largest surface, bytes, and most pictures.
pub const LARGEST_PICTURE: usize = 32 << 20;
/// Largest surface, bytes.
pub const LARGEST_SURFACE: usize = 96 << 20;
const MOST_PICTURES: usize = 40;
/// Longest name of a file, characters.
const LONGEST_NAME: usize = 200;

/// What a file of a specimen is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum SpecimenFileKind {
    /// A photograph or a drawing.
    Picture,
    /// A surface that points are put onto.
    Surface,
}

/// A file of a specimen.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct SpecimenFileBody {
    /// Key.
    pub id: i64,
    /// What it is.
    pub kind: SpecimenFileKind,
    /// Its name.
    pub name: String,
    /// Its bytes.
    pub bytes: i64,
    /// Who brought it.
    pub who: String,
    /// When.
    pub at: DateTime<Utc>,
}

/// What is told with a surface.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct SurfaceQuery {
    /// Its name with its ending.
    pub name: String,
    /// How many m its unit is: STL and OBJ do not tell. 0.001 where left out.
    pub to_m: Option<f64>,
}

fn body(f: SpecimenFile) -> SpecimenFileBody {
    let kind = if f.kind == "surface" { SpecimenFileKind::Surface } else { SpecimenFileKind::Picture };
    SpecimenFileBody { id: f.id, kind, name: f.name, bytes: f.size, who: f.who, at: f.at }
}

/// A name that is harmless wherever it is shown or saved.
fn named(name: &str) -> Result<String> {
    let last = name.rsplit(['/', '\\']).next().unwrap_or("").trim();
    let name: String = last.chars().filter(|c| !c.is_control()).take(LONGEST_NAME).collect();
    if name.is_empty() {
        return Err(Refusal::new("name", "the file needs a name").into());
    }
    Ok(name)
}

/// What a photograph is, by its first bytes.
pub(crate) fn media_type(bytes: &[u8]) -> Option<&'static str> {
    PictureKind::of(bytes).filter(|k| *k != PictureKind::Svg).map(PictureKind::media_type)
}

/// Files of a specimen, oldest first.
///
/// # Errors
/// The database is away.
pub async fn list(desk: &Desk, id: i64) -> Result<Vec<SpecimenFileBody>> {
    Ok(desk.store.specimen_files(id).await?.into_iter().map(body).collect())
}

/// Keeps a picture; gives its key.
///
/// # Errors
/// It is no picture, is cut off, too large or one too many; there is no such campaign; the database is away.
pub async fn add_picture(desk: &Desk, id: i64, who: &str, name: &str, bytes: &[u8]) -> Result<i64> {
    let name = named(name)?;
    let refuse = |says: String| Err(Refusal::new("file", says).into());
    let Some(media_type) = media_type(bytes) else {
        return refuse(format!("{name} is no PNG or JPEG, or is cut off; allowed: pictures as PNG or JPEG"));
    };
    if bytes.len() > LARGEST_PICTURE {
        return refuse(format!("{name} has {} MB; allowed: up to {} MB", bytes.len() >> 20, LARGEST_PICTURE >> 20));
    }
    let there = desk.store.specimen_files(id).await?;
    if there.iter().filter(|f| f.kind == "picture").count() >= MOST_PICTURES {
        return refuse(format!("there are {MOST_PICTURES} pictures; remove one first"));
    }
    let file = NewSpecimenFile { kind: "picture", name: &name, media_type, to_m: 1.0, bytes };
    Ok(desk.store.keep_specimen_file(id, &file, who).await?)
}

/// Keeps a surface in place of the one before it; gives its key.
///
/// # Errors
/// It is no surface, or too large; there is no such campaign; the database is away.
pub async fn set_surface(desk: &Desk, id: i64, who: &str, q: SurfaceQuery, bytes: Vec<u8>) -> Result<i64> {
    let name = named(&q.name)?;
    let to_m = q.to_m.unwrap_or(1e-3);
    if !(to_m.is_finite() && to_m > 0.0 && to_m <= 1e4) {
        return Err(Refusal::new("to_m", format!("a unit of length is above 0 and up to 10 km, not {to_m} m")).into());
    }
    let told = name.clone();
    let bytes = tokio::task::spawn_blocking(move || match format::read(&told, &bytes, to_m) {
        Ok(_) => Ok(bytes),
        Err(e) => Err(Error::from(Refusal::new("file", e.to_string()))),
    })
    .await??;
    let media_type = "application/octet-stream";
    let file = NewSpecimenFile { kind: "surface", name: &name, media_type, to_m, bytes: &bytes };
    Ok(desk.store.keep_specimen_file(id, &file, who).await?)
}

/// The surface, if there is one.
///
/// # Errors
/// The database is away.
pub async fn surface(desk: &Desk, id: i64) -> Result<Option<Mesh>> {
    let Some(of) = desk.store.specimen_files(id).await?.into_iter().find(|f| f.kind == "surface") else {
        return Ok(None);
    };
    let (file, bytes) = desk.store.specimen_file(of.id).await?;
    let mesh = tokio::task::spawn_blocking(move || format::read(&file.name, &bytes, file.to_m)).await??;
    Ok(Some(mesh))
}

/// Corners of the surface's triangles as 32-bit floats, little-endian, nine a triangle; nothing where there is none.
///
/// # Errors
/// The database is away.
pub async fn corners(desk: &Desk, id: i64) -> Result<Vec<u8>> {
    let mesh = surface(desk, id).await?.unwrap_or_default();
    Ok(mesh.triangles.iter().flatten().flatten().flat_map(|x| x.to_le_bytes()).collect())
}

/// A picture: its name, what it is, and its bytes.
///
/// # Errors
/// There is none of that key, or the database is away.
pub async fn picture(desk: &Desk, id: i64) -> Result<(String, String, Vec<u8>)> {
    let (file, bytes) = desk.store.specimen_file(id).await?;
    Ok((file.name, file.media_type, bytes))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pictures_are_known_by_both_of_their_ends() {
        let png = [b"\x89PNG\r\n\x1a\n".as_slice(), b"...", b"IEND\xaeB`\x82"].concat();
        assert_eq!(media_type(&png), Some("image/png"));
        assert_eq!(media_type(&png[..png.len() - 4]), None);
        assert_eq!(media_type(b"\xff\xd8\xff\xe0 ... \xff\xd9"), Some("image/jpeg"));
        assert_eq!(media_type(b"\xff\xd8\xff\xe0 ..."), None);
        assert_eq!(media_type(b"<svg onload=alert(1)>"), None);
    }

    #[test]
    fn names_lose_their_folders_and_what_no_line_can_hold() {
        assert_eq!(named("C:\\rig\\bow\nport.png").unwrap(), "bowport.png");
        assert_eq!(named("../../etc/passwd").unwrap(), "passwd");
        assert!(named("../").is_err());
    }
}
