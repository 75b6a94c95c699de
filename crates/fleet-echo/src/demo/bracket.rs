//! The campaign on the radar mast bracket: its rig, its specimen, and a tap series that a hammer plays by itself.

use super::{Demo, plan, specimens, wait};
use anyhow::Context;
use echo_application::runs::budget::Budget;
use echo_application::taps::{going, series};
use echo_application::{App, Desk};
use echo_capture::discover::Discovery;
use echo_capture::{Capture, LinkState, Options, Setup};
use echo_job::geometry::edit::LengthUnit;
use echo_job::geometry::{Geometry, Point};
use echo_job::impact::{Accepting, Act, HitLimits, ImpactPlan, PointDirection, Roving};
use echo_job::plan::Plan;
use echo_job::rig::{Channel, Rig};
use echo_job::sensitivity::Sensitivity;
use echo_job::specimen::Specimen;
use echo_job::unit::Quantity;
use echo_store::Store;
use serde_json::json;
use std::time::Duration;

/// Name of the campaign.
pub const NAME: &str = "Merrow: radar mast bracket";

/// Where the points are, m.
const PLACES: [[f64; 3]; 18] = [
    [0.00, -0.14, 0.00],
    [0.00, 0.14, 0.00],
    [0.00, -0.14, 0.20],
    [0.00, 0.14, 0.20],
    [0.00, -0.14, 0.40],
    [0.00, 0.14, 0.40],
    [0.00, -0.14, 0.60],
    [0.00, 0.14, 0.60],
    [0.18, -0.14, 0.60],
    [0.18, 0.14, 0.60],
    [0.36, -0.14, 0.60],
    [0.36, 0.14, 0.60],
    [0.54, -0.14, 0.60],
    [0.54, 0.14, 0.60],
    [0.18, -0.14, 0.22],
    [0.18, 0.14, 0.22],
    [0.36, -0.14, 0.41],
    [0.36, 0.14, 0.41],
];
const LINES: [&[u8]; 19] = [
    &[1, 3, 5, 7],
    &[2, 4, 6, 8],
    &[7, 9, 11, 13],
    &[8, 10, 12, 14],
    &[1, 15, 17, 13],
    &[2, 16, 18, 14],
    &[1, 2],
    &[3, 4],
    &[5, 6],
    &[7, 8],
    &[9, 10],
    &[11, 12],
    &[13, 14],
    &[15, 9],
    &[17, 11],
    &[16, 10],
    &[18, 12],
    &[3, 15],
    &[4, 16],
];
const FACES: [&[u8]; 13] = [
    &[7, 9, 10, 8],
    &[9, 11, 12, 10],
    &[11, 13, 14, 12],
    &[1, 3, 15],
    &[3, 5, 15],
    &[5, 7, 9, 15],
    &[15, 9, 11, 17],
    &[17, 11, 13],
    &[2, 4, 16],
    &[4, 6, 16],
    &[6, 8, 10, 16],
    &[16, 10, 12, 18],
    &[18, 12, 14],
];

/// The specimen.
pub fn specimen() -> Specimen {
    let named = |all: &[&[u8]]| all.iter().map(|l| l.iter().map(u8::to_string).collect()).collect();
    let point = |(k, [x, y, z]): (usize, &[f64; 3])| Point::new((k + 1).to_string(), *x, *y, *z);
    let geometry = Geometry {
        points: PLACES.iter().enumerate().map(point).collect(),
        lines: named(&LINES),
        faces: named(&FACES),
        ..Geometry::default()
    };
    Specimen { kind: "steel bracket, 18 points".into(), unit: LengthUnit::Metre, geometry, ..Specimen::default() }
}

/// Where the sensors hang that are switched on for the wind alone: input, point, direction.
const IN_THE_WIND: [(u16, &str, &str); 8] = [
    (6, "13", "z"),
    (7, "13", "y"),
    (8, "11", "z"),
    (9, "9", "y"),
    (10, "6", "x"),
    (11, "7", "y"),
    (12, "16", "y"),
    (13, "18", "x"),
];

/// The rig: the hammer at the tip, a block of three axes that goes from point to point, a sensor that stays at the
/// tip; and eight more that stay, for what the wind does.
pub fn rig(wind: bool) -> anyhow::Result<Rig> {
    let rows = [
        (1, "hammer", "HM-2, 118", ("14", "-z"), 2.27, 1.0),
        (2, "block x", "QT-33, 20601", ("1", "x"), 10.12, 5.0),
        (3, "block y", "QT-33, 20601", ("1", "y"), 10.31, 5.0),
        (4, "block z", "QT-33, 20601", ("1", "z"), 9.94, 5.0),
        (5, "tip", "QA-31, 20611", ("14", "z"), 10.20, 5.0),
    ];
    let channel =
        |(input, name, sensor, (point, direction), value, range_v): (u16, &str, &str, (&str, &str), f64, f64)| {
            let (quantity, unit, per) = match input {
                1 => (Quantity::Force, "N", "mV/N"),
                _ => (Quantity::Acceleration, "m/s²", "mV/(m/s²)"),
            };
            Ok(Channel {
                on: true,
                name: name.into(),
                sensor: sensor.into(),
                quantity,
                unit: unit.into(),
                sensitivity: Sensitivity::new(value, per, quantity)?,
                range_v,
                point: point.into(),
                direction: direction.into(),
                ..Channel::free(input)
            })
        };
    let mut channels = rows.into_iter().map(channel).collect::<anyhow::Result<Vec<Channel>>>()?;
    for (input, point, direction) in IN_THE_WIND {
        let (name, sensor) = (format!("{point} {direction}"), format!("QA-31, {}", 20_606 + u32::from(input)));
        let stays = channel((input, &name, &sensor, (point, direction), 10.20, 5.0))?;
        channels.push(Channel { on: wind, ..stays });
    }
    if wind {
        // Nobody hits, and the block hangs where nothing else does.
        channels[0].on = false;
        channels[1..4].iter_mut().for_each(|c| c.point = "12".into());
    }
    let name = if wind { "Bracket in the wind" } else { "Bracket, hammer at the tip" };
    Ok(Rig { name: name.into(), channels })
}

/// The series: the block goes through all points, three hits each.
pub fn tap_plan() -> ImpactPlan {
    let point = |k: usize| PointDirection { point: k.to_string(), direction: String::new() };
    ImpactPlan {
        roving: Roving::Response,
        force: 1,
        moving: vec![2, 3, 4],
        points: (1..=18).map(point).collect(),
        hits: 3,
        limits: HitLimits { least_n: Some(120.0), most_n: Some(430.0), ..HitLimits::default() },
        accept: Accepting::NextHit,
        level_n: 20.0,
        pre_s: 0.005,
        length_s: 0.8,
        band_hz: [40.0, 700.0],
        least_coherence: 0.9,
        estimator: Default::default(),
        force_window: None,
        exponential_window: None,
    }
}

/// What the hands do: at every point the block is hung up and hit three times, at one of them once too often, at
/// another the stud is loose.
pub fn script() -> serde_json::Value {
    let hit = |newtons: f64, manner: &str| json!({ "after_s": 1.1, "do": "hit", "point": 14, "direction": "-z", "newtons": newtons, "manner": manner });
    let mut steps = vec![json!({ "after_s": 0.0, "do": "screw", "point": 7, "tight": false })];
    for k in 1..=18 {
        steps.push(json!({ "after_s": 1.0, "do": "hang", "input": 2, "point": k, "direction": "x" }));
        if k == 5 {
            steps.push(hit(260.0, "double"));
        }
        steps.extend([250.0, 310.0, 280.0].map(|n| hit(n, "clean")));
    }
    json!(steps)
}

impl Demo {
    /// Lays the campaign of the bracket; its series is recorded where there is a front end to record it from.
    pub(super) async fn lay_bracket(&self, store: &Store) -> anyhow::Result<i64> {
        let (rig, plan) = (rig(false)?, Plan { sample_rate_hz: 12_800.0, block: 8192, ..plan("", 10.0) });
        let campaign =
            store.create_campaign(NAME, "Merrow, radar mast bracket", "Why the radar shakes", &rig, &plan).await?;
        store.remember_front_end(campaign, Some(&self.bracket_front_end)).await?;
        specimens::lay(store, campaign, &specimen()).await?;
        if let (Some(front_end), Some(hands)) = (&self.bracket, &self.bracket_hands) {
            self.tap(store, (campaign, rig, plan), (front_end, hands)).await?;
        }
        Ok(campaign)
    }

    async fn tap(
        &self,
        store: &Store,
        (campaign, rig, plan): (i64, Rig, Plan),
        (front_end, hands): (&str, &str),
    ) -> anyhow::Result<()> {
        let budget = Budget::new(1024).map_err(anyhow::Error::msg)?;
        let capture = Capture::start(store.clone(), Options::default());
        let app = App::new(Desk::new(store.clone(), budget), capture.clone(), Discovery::off());
        capture.set_up(Setup { campaign, rig, plan }).await?;
        capture.connect(Some(front_end.into())).await;
        wait(
            &capture,
            "the bracket sends",
            |s| matches!(s.link, LinkState::Connected { sample_rate_hz, .. } if sample_rate_hz > 0.0),
        )
        .await?;
        let begun = series::begin(&app, campaign, &tap_plan(), "engineer").await?;
        going::go(&app, begun.id, "engineer").await?;
        let order = json!({ "do": "script", "steps": script() });
        let client = reqwest::Client::new();
        let answer = client.post(format!("{hands}/front-ends/0")).json(&order).send().await;
        answer.and_then(reqwest::Response::error_for_status).context("the hands at the bracket")?;
        let mut done = begun;
        for _ in 0..3000 {
            done = series::read(&app, done.id, None).await?;
            if done.done == done.points.len() {
                break;
            }
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
        capture.stop().await?;
        wait(&capture, "the hits are stored", |s| s.capture == echo_capture::CaptureState::Idle).await?;
        anyhow::ensure!(done.done == done.points.len(), "only {} of {} points were hit", done.done, done.points.len());
        // Where it was left a colleague says that a point is to be made again.
        series::act(&app, done.id, Act::GoTo { point: 6 }).await?;
        println!("recorded {} hits on the bracket", done.tally.iter().map(|t| t.count).sum::<usize>());
        self.blow(&capture, campaign, hands).await
    }

    /// Two minutes of wind, nobody hitting.
    async fn blow(&self, capture: &Capture, campaign: i64, hands: &str) -> anyhow::Result<()> {
        let client = reqwest::Client::new();
        let told = async |order: serde_json::Value| {
            let answer = client.post(format!("{hands}/front-ends/0")).json(&order).send().await;
            answer.and_then(reqwest::Response::error_for_status).context("the hands at the bracket")
        };
        for order in [
            json!({ "do": "screw", "point": 7, "tight": true }),
            json!({ "do": "hang", "input": 2, "point": 12, "direction": "x" }),
            json!({ "do": "wind", "on": true }),
        ] {
            told(order).await?;
        }
        let plan = Plan { sample_rate_hz: 5120.0, block: 8192, ..plan("in the wind", 120.0) };
        capture.set_up(Setup { campaign, rig: rig(true)?, plan }).await?;
        wait(
            capture,
            "the bracket sends slowly",
            |s| matches!(s.link, LinkState::Connected { sample_rate_hz, .. } if sample_rate_hz == 5120.0),
        )
        .await?;
        let before = capture.status().borrow().ended.as_ref().map(|e| e.number);
        capture.record().await?;
        let idle = |s: &echo_capture::Status| s.capture == echo_capture::CaptureState::Idle;
        wait(capture, "the wind is stored", |s| idle(s) && s.ended.as_ref().map(|e| e.number) != before).await?;
        println!("recorded the bracket in the wind");
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_series_fits_the_rig_and_the_specimen() {
        let (rig, plan) = (rig(false).unwrap(), Plan { sample_rate_hz: 12_800.0, ..Plan::default() });
        rig.check(None).unwrap();
        let wind = super::rig(true).unwrap();
        wind.check(None).unwrap();
        assert_eq!(wind.channels.iter().filter(|c| c.on).count(), 12);
        tap_plan().check_with(&rig, &plan).unwrap();
        let specimen = specimen();
        specimen.check().unwrap();
        let places = specimen.geometry.places();
        assert!(rig.channels.iter().all(|c| places.way(&c.dof().unwrap()).is_some()));
        assert!(tap_plan().points.iter().all(|p| places.point(&p.point).is_some()));
    }
}
