//! The specimen in pictures: its sheet, its lines, what was photographed, the points that were hit.

use super::content::escaped;
use super::making::Making;
use super::photos::photo;
use crate::specimens::sheet;
use crate::{Error, Result};
use echo_formats::plot::{Drawing, Label};
use echo_job::geometry::Geometry;
use echo_job::geometry::drawn::{Fitted, path};
use echo_job::impact::{ImpactSession, PointState};
use echo_job::report::language::Term;
use echo_report::document::{Body, Figure};
use echo_store::specimen::SpecimenFile;
use std::collections::BTreeMap;
use std::fmt::Write;

/// Pictures that are shown at most, and the width of one, in the units of a drawing.
const MOST_PICTURES: usize = 12;
const WIDE: f64 = 640.0;
/// Height of the specimen's drawing at most, and what is left free around it.
const HIGH: f64 = 320.0;
const EDGE: f64 = 12.0;
/// Points whose names stand beside them: more would lie on each other.
const MOST_NAMED: usize = 60;
const RADIUS: f64 = 3.2;

impl Making<'_> {
    /// What was tested: its sheet, its drawing and its pictures.
    pub(super) async fn specimen(&self, drawn: bool, pictures: bool, beside: u8) -> Result<Vec<Body>> {
        let (store, l) = (&self.desk.store, self.report.language);
        let sheet = sheet::read(self.desk, self.campaign.id).await?.specimen;
        let row = |term: Term, says: &str| (l.says(term).to_string(), says.to_string());
        let mut rows = vec![row(Term::Specimen, &self.campaign.specimen), row(Term::Kind, &sheet.kind)];
        rows.extend([row(Term::Serial, &sheet.serial), row(Term::Remarks, &sheet.remarks)]);
        rows.retain(|r| !r.1.trim().is_empty());
        let mut all = vec![Body::Facts { rows }];
        let mut figures: Vec<Figure> = Vec::new();
        if drawn && let Some(d) = outline(&sheet.geometry, &[]) {
            let caption = self.about(None, None).set(&format!("{}.", escaped(&self.campaign.specimen)))?;
            figures.push(Figure::of(d, self.campaign.specimen.clone(), caption));
        }
        if pictures {
            let files = store.specimen_files(self.campaign.id).await?;
            for file in files.iter().filter(|f| f.kind == "picture").take(MOST_PICTURES) {
                figures.push(self.picture(file).await?);
            }
        }
        if !figures.is_empty() {
            all.push(Body::Figures { beside, figures });
        }
        Ok(all)
    }

    async fn picture(&self, file: &SpecimenFile) -> Result<Figure> {
        let drawn = photo(self.desk, file.id, WIDE).await?;
        let caption = self.about(None, None).set(&escaped(&file.name))?;
        Ok(Figure::of(Drawing::clone(&drawn), file.name.clone(), caption))
    }

    /// The points of the newest tap series on the specimen, by what became of them; nothing where there is no series.
    pub(super) async fn tap_map(&self) -> Result<Option<Body>> {
        let (store, l) = (&self.desk.store, self.report.language);
        let Some(newest) = store.all_series(self.campaign.id).await?.first().map(|s| s.id) else { return Ok(None) };
        let series = store.series(newest).await?;
        let geometry = sheet::read(self.desk, self.campaign.id).await?.specimen;
        let marks = marks(&geometry.geometry, &series.session);
        let drawn = outline(&geometry.geometry, &marks).ok_or_else(|| {
            Error::conflict(
                "the specimen has no lines to draw the points on; bring its geometry in under Rig, Specimen, or list the points",
            )
        })?;
        let count = |of: Mark| marks.iter().filter(|m| m.1 == of).count();
        let said = [(Mark::Hit, Term::Hit), (Mark::Open, Term::NotYet), (Mark::LeftOut, Term::LeftOut)];
        let said: Vec<String> =
            said.into_iter().filter(|s| count(s.0) > 0).map(|(m, t)| format!("{} {}", count(m), l.says(t))).collect();
        let strange = series.session.plan().points.iter().filter(|p| {
            let there = |q: &echo_job::geometry::Point| q.name == p.point;
            !geometry.geometry.points.iter().any(there)
        });
        let strange: Vec<String> = strange.map(ToString::to_string).collect();
        let mut caption = said.join(", ");
        if !strange.is_empty() {
            let _ = write!(caption, "; {} {}", l.says(Term::NotDrawn), strange.join(", "));
        }
        let caption = self.about(None, None).set(&format!("{}.", escaped(&caption)))?;
        Ok(Some(Body::Figure(Box::new(Figure::of(drawn, self.campaign.specimen.clone(), caption)))))
    }
}

/// What became of a point.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Mark {
    /// All its directions have their hits, or are left out.
    Hit,
    /// All its directions are left out.
    LeftOut,
    /// Some are still to come.
    Open,
}

/// Rows of the specimen's points that a series hits, and what became of each: a point is hit when all its directions are.
fn marks(geometry: &Geometry, session: &ImpactSession) -> Vec<(usize, Mark)> {
    let rows: BTreeMap<&str, usize> = geometry.points.iter().enumerate().map(|(k, p)| (p.name.as_str(), k)).collect();
    let mut all: BTreeMap<usize, Mark> = BTreeMap::new();
    for (k, p) in session.plan().points.iter().enumerate() {
        let Some(row) = rows.get(p.point.as_str()) else { continue };
        let mark = match session.state_of(k) {
            PointState::Done => Mark::Hit,
            PointState::Skipped => Mark::LeftOut,
            PointState::Open | PointState::Begun => Mark::Open,
        };
        let before = all.entry(*row).or_insert(mark);
        *before = match (*before, mark) {
            (Mark::Open, _) | (_, Mark::Open) => Mark::Open,
            (Mark::Hit, _) | (_, Mark::Hit) => Mark::Hit,
            _ => Mark::LeftOut,
        };
    }
    all.into_iter().collect()
}

/// The specimen's lines, seen from front, right and above, with points on them; nothing where it has no lines.
fn outline(geometry: &Geometry, marks: &[(usize, Mark)]) -> Option<Drawing> {
    let (places, strokes) = (geometry.on_paper(), geometry.strokes());
    let drawn = strokes.iter().flatten().chain(marks.iter().map(|m| &m.0)).map(|row| places[*row]);
    let fitted = Fitted::into([WIDE - 2.0 * EDGE, HIGH - 2.0 * EDGE], drawn)?;
    if strokes.is_empty() {
        return None;
    }
    let size = [WIDE, fitted.size()[1] + 2.0 * EDGE];
    let at = |row: usize| {
        let [x, y] = fitted.at(places[row]);
        [x + size[0] / 2.0, y + size[1] / 2.0]
    };
    let mut svg = format!("<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 {} {}'>", size[0], size[1]);
    let _ = write!(
        svg,
        "<path fill='none' stroke='#10263b' stroke-width='0.7' stroke-linejoin='round' d='{}'/>",
        path(&strokes, &at)
    );
    let mut labels = Vec::new();
    for (row, mark) in marks {
        let [x, y] = at(*row);
        // Told apart without colours too: full, open, crossed out.
        let _ = match mark {
            Mark::Hit => write!(svg, "<circle cx='{x:.1}' cy='{y:.1}' r='{RADIUS}' fill='#0b6b6b'/>"),
            Mark::Open => write!(
                svg,
                "<circle cx='{x:.1}' cy='{y:.1}' r='{RADIUS}' fill='#ffffff' stroke='#b06a00' stroke-width='1.2'/>"
            ),
            Mark::LeftOut => write!(
                svg,
                "<path d='M{:.1} {:.1}l6 6m0 -6l-6 6' fill='none' stroke='#52667a' stroke-width='1.2'/>",
                x - 3.0,
                y - 3.0
            ),
        };
        if marks.len() <= MOST_NAMED {
            let says = geometry.points[*row].name.clone();
            labels.push(Label { x: (x + 5.0) / size[0], y: (y - 5.0) / size[1], anchor: "left", says });
        }
    }
    svg += "</svg>";
    Some(Drawing { svg, labels, size })
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn a_specimen_is_drawn_within_its_frame_or_not_at_all() {
        let geometry = |points: serde_json::Value| -> Geometry {
            let points: Vec<serde_json::Value> = points
                .as_array()
                .unwrap()
                .iter()
                .enumerate()
                .map(|(i, p)| json!({ "name": i.to_string(), "x": p[0], "y": p[1], "z": p[2] }))
                .collect();
            let names: Vec<String> = (0..points.len()).map(|i| i.to_string()).collect();
            serde_json::from_value(json!({ "points": points, "lines": [names] })).unwrap()
        };
        let drawn = outline(&geometry(json!([[0, 0, 0], [1, 0, 0], [1, 1, 0.5]])), &[]).unwrap();
        assert!(drawn.size[0] == WIDE && drawn.size[1] <= HIGH + 1e-9);
        let path = drawn.svg.split("d='").nth(1).unwrap().split('\'').next().unwrap();
        let numbers: Vec<f64> = path.split(['M', 'L', ' ']).filter_map(|n| n.parse().ok()).collect();
        assert_eq!(numbers.len(), 6);
        assert!(numbers.chunks(2).all(|p| (0.0..=WIDE).contains(&p[0]) && (0.0..=drawn.size[1]).contains(&p[1])));
        assert!(outline(&geometry(json!([])), &[]).is_none());
        assert!(outline(&geometry(json!([[1, 1, 1], [1, 1, 1]])), &[]).is_none(), "a point has no size");
    }
}
