//! The specimens of the demo's campaigns, with the points their rigs measure at.

use anyhow::Context;
use echo_job::geometry::edit::LengthUnit;
use echo_job::geometry::{Geometry, Point};
use echo_job::specimen::Specimen;
use echo_store::Store;

/// Between frames, and between lines of the deck, m.
const FRAME_M: f64 = 0.6;
const LINE_M: f64 = 1.4;

/// The port thruster.
pub fn thruster() -> anyhow::Result<Specimen> {
    serde_json::from_str(include_str!("../../demo/merrow-thruster-specimen.json")).context("the demo thruster")
}

/// Hull frame 14 with its neighbours.
pub fn frame_14() -> anyhow::Result<Specimen> {
    serde_json::from_str(include_str!("../../demo/skerry-lass-frame-14.json")).context("the demo hull")
}

/// Name of a place on the deck.
pub fn place(frame: u16, line: u16) -> String {
    format!("frame {frame:02}, line {line}")
}

/// The car deck: a point where each line crosses each frame.
pub fn deck(frames: u16, lines: u16) -> Specimen {
    let point = |frame: u16, line: u16| {
        let (x, y) = (f64::from(frame - 1) * FRAME_M, (f64::from(line) - f64::from(lines + 1) / 2.0) * LINE_M);
        Point::new(place(frame, line), x, y, 0.0)
    };
    let across = (1..=frames).map(|f| (1..=lines).map(|l| place(f, l)).collect());
    let along = (1..=lines).map(|l| (1..=frames).map(|f| place(f, l)).collect());
    let cells = (1..frames).flat_map(|f| (1..lines).map(move |l| (f, l)));
    let geometry = Geometry {
        called: ["along", "athwart", "vertical"].map(String::from),
        points: (1..=frames).flat_map(|f| (1..=lines).map(move |l| (f, l))).map(|(f, l)| point(f, l)).collect(),
        lines: across.chain(along).collect(),
        faces: cells.map(|(f, l)| vec![place(f, l), place(f + 1, l), place(f + 1, l + 1), place(f, l + 1)]).collect(),
    };
    Specimen { kind: "car deck, 32 frames".into(), unit: LengthUnit::Metre, geometry, ..Specimen::default() }
}

/// Lays a specimen into a campaign.
pub async fn lay(store: &Store, campaign: i64, specimen: &Specimen) -> anyhow::Result<()> {
    specimen.check()?;
    let detail = serde_json::json!({ "to": { "points": specimen.geometry.points.len() } });
    store.save_specimen(campaign, None, &serde_json::to_value(specimen)?, ("engineer", &detail)).await?;
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::demo::{berthing_rig, deck_rig, thruster_rig};
    use echo_job::caution::{Facts, check};
    use echo_job::rig::Rig;

    #[test]
    fn every_sensor_of_the_demo_sits_on_its_specimen() {
        let about = ["point_not_there", "direction_not_there", "against_axis", "two_on_one_place"];
        let lost = |rig: Rig, specimen: Specimen| {
            assert_eq!(specimen.check(), Ok(()));
            let found = check(&Facts::of(&rig).upon(&specimen.geometry), &[]);
            found.into_iter().filter(|c| about.contains(&c.rule)).map(|c| c.says).collect::<Vec<_>>()
        };
        assert!(lost(thruster_rig().unwrap(), thruster().unwrap()).is_empty());
        assert!(lost(berthing_rig(), frame_14().unwrap()).is_empty());
        assert!(lost(deck_rig(256), deck(32, 8)).is_empty());
    }
}
