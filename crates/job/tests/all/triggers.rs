//! Triggers over streams: the same for any blocks, at the samples where they must be.

use echo_job::caution::{Facts, check};
use echo_job::plan::{Keeps, Length, Plan, RecorderPlan, Rounds, sums::folded};
use echo_job::recipe::SlopeName;
use echo_job::rig::{Channel, Coupling, Rig};
use echo_job::tacho::Tachometer;
use echo_job::trigger::{AxisLimit, Condition, Detector, Edge, Fired, Join, Trigger, Way};
use echo_job::unit::Quantity;
use proptest::prelude::*;
use std::f64::consts::TAU;

const RATE: f64 = 2000.0;

/// Three axes in g, a logic signal and a tachometer.
fn rig() -> Rig {
    let channel = |input: u16| {
        let mut c = Channel { on: true, name: format!("axis {input}"), unit: "g".into(), ..Channel::free(input) };
        if input > 3 {
            (c.quantity, c.unit, c.coupling) = (Quantity::Voltage, "V".into(), Coupling::Dc);
            c.sensitivity.unit = "mV/V".into();
            c.name = if input == 4 { "gate".into() } else { "mark".into() };
        }
        c
    };
    Rig { name: "frame 14".into(), channels: (1..=5).map(channel).collect() }
}

fn tacho() -> Tachometer {
    Tachometer {
        input: 5,
        threshold: 2.0,
        hysteresis: 0.5,
        unit: "V".into(),
        slope: SlopeName::Rising,
        pulses_per_rev: 1.0,
        missing_teeth: 0,
        uneven: false,
        supply_v: 0.0,
    }
}

/// Four seconds: a shaft from 300 to 1500 rpm, vibration that follows it, a gate that opens at 1.5 s.
fn signals() -> Vec<Vec<f64>> {
    let n = (4.0 * RATE) as usize;
    let turns = |t: f64| 5.0 * t + 2.5 * t * t;
    let at = |f: &dyn Fn(f64) -> f64| (0..n).map(|i| f(i as f64 / RATE)).collect::<Vec<f64>>();
    vec![
        at(&|t| 9.80665 * 2.0 * (TAU * turns(t)).sin() * t),
        at(&|t| 30.0 * (TAU * 3.7 * t).sin()),
        at(&|t| 50.0 * (TAU * 0.4 * t).sin() * (TAU * 41.0 * t).sin()),
        at(&|t| if (1.5..2.5).contains(&t) { 5.0 } else { 0.1 }),
        at(&|t| if turns(t).fract() < 0.1 { 4.0 } else { 0.2 }),
    ]
}

fn fired(trigger: &Trigger, blocks: &[usize]) -> Vec<Fired> {
    let mut d = Detector::new(trigger, &[tacho()], &rig(), RATE).unwrap();
    let all = signals();
    let inputs: Vec<usize> = d.inputs().iter().map(|i| usize::from(*i) - 1).collect();
    let (mut out, mut at, n) = (Vec::new(), 0, all[0].len());
    for size in blocks.iter().cycle() {
        let end = (at + size).min(n);
        let pieces: Vec<&[f64]> = inputs.iter().map(|i| &all[*i][at..end]).collect();
        d.push(&pieces, &mut out);
        at = end;
        if at == n {
            break;
        }
    }
    out
}

fn of(condition: Condition) -> Trigger {
    Trigger { conditions: vec![condition], ..Trigger::default() }
}

fn level(input: u16, level: f64, edge: Edge) -> Condition {
    Condition::Level { input, level, hysteresis: 0.2, unit: "g".into(), edge }
}

fn every_kind() -> Vec<Condition> {
    vec![
        level(1, 1.5, Edge::Rising),
        level(2, -1.0, Edge::Either),
        Condition::Band { input: 3, low: -2.0, high: 2.0, unit: "g".into(), way: Way::Leaving },
        Condition::Digital { input: 4, edge: Edge::Either },
        Condition::Pulse { tacho: 5, every: 3 },
        Condition::Speed { tacho: 5, from_rpm: 500.0, to_rpm: 1200.0, every_rpm: Some(100.0) },
        Condition::Angle { tacho: 5, from_deg: 300.0, to_deg: 100.0, input: 1, level: 3.0, unit: "g".into() },
        Condition::Axes {
            of: vec![
                AxisLimit { input: 1, level: 6.0, unit: "g".into() },
                AxisLimit { input: 3, level: 30.0, unit: "m/s²".into() },
            ],
        },
    ]
}

proptest! {
    #[test]
    fn blocks_of_any_length_find_the_same(blocks in prop::collection::vec(1usize..700, 1..6), join in any::<bool>()) {
        for c in every_kind() {
            let whole = fired(&of(c.clone()), &[usize::MAX / 2]);
            prop_assert!(!whole.is_empty(), "{c:?} never fires");
            prop_assert_eq!(&fired(&of(c), &blocks), &whole);
        }
        let join = if join { Join::All } else { Join::Any };
        let all = Trigger { conditions: every_kind(), join, within_s: 3.0, ..Trigger::default() };
        prop_assert_eq!(fired(&all, &blocks), fired(&all, &[usize::MAX / 2]));
    }
}

#[test]
fn conditions_fire_where_they_must() {
    let samples = |c: Condition| fired(&of(c), &[97]).iter().map(|f| f.sample).collect::<Vec<u64>>();
    // 30 m/s² is 3.06 g: every period crosses 1 g upwards once, from the second second on for g.
    let up = samples(level(2, 1.0, Edge::Rising));
    let phase = (9.80665f64 / 30.0).asin() / TAU / 3.7 * RATE;
    for (k, s) in up.iter().enumerate() {
        let due = (phase + k as f64 * RATE / 3.7).ceil();
        assert!((*s as f64 - due).abs() <= 1.0, "crossing {k} at {s}, due {due}");
    }
    assert_eq!(up.len(), 15);
    assert_eq!(samples(Condition::Digital { input: 4, edge: Edge::Rising }), [3000]);
    assert_eq!(samples(Condition::Digital { input: 4, edge: Edge::Falling }), [5000]);
    // 60 turns: 59 marks after the first; every third of them.
    let pulses = samples(Condition::Pulse { tacho: 5, every: 1 });
    assert_eq!(pulses.len(), 59);
    assert_eq!(
        samples(Condition::Pulse { tacho: 5, every: 3 }),
        pulses.iter().copied().skip(2).step_by(3).collect::<Vec<_>>()
    );
    let speeds =
        fired(&of(Condition::Speed { tacho: 5, from_rpm: 500.0, to_rpm: 1200.0, every_rpm: Some(100.0) }), &[64]);
    // The speed told is the mean over the last turn; at a pulse it has been 60·(5 + 5·t).
    let rpm: Vec<f64> = speeds.iter().map(|f| f.says.trim_end_matches(" rpm").parse().unwrap()).collect();
    assert!(rpm.len() >= 6 && (500.0..560.0).contains(&rpm[0]), "{rpm:?}");
    assert!(rpm.windows(2).all(|w| (100.0..160.0).contains(&(w[1] - w[0]))), "{rpm:?}");
    // All of them: the gate and a high level within a tenth of a second.
    let both = Trigger {
        conditions: vec![Condition::Digital { input: 4, edge: Edge::Rising }, level(1, 1.0, Edge::Rising)],
        join: Join::All,
        within_s: 0.1,
        ..Trigger::default()
    };
    let got = fired(&both, &[50]);
    assert_eq!(got.len(), 1, "{got:?}");
    assert!((2800..=3200).contains(&got[0].sample));
    let axes = fired(&of(every_kind().remove(7)), &[50]);
    assert!(axes.iter().any(|f| f.says.starts_with("axis 1")) && axes.iter().any(|f| f.says.starts_with("axis 3")));
}

#[test]
fn a_storm_fires_at_every_edge() {
    let mut d = Detector::new(&of(level(1, 0.0, Edge::Rising)), &[], &rig(), RATE).unwrap();
    let storm: Vec<f64> = (0..10_000).map(|i| if i % 2 == 0 { -9.0 } else { 9.0 }).collect();
    let mut out = Vec::new();
    d.push(&[&storm], &mut out);
    assert_eq!(out.len(), 5000);
    d.interrupt(50_000);
    d.push(&[&[9.0, -9.0, 9.0]], &mut out);
    assert_eq!(out.last().unwrap().sample, 50_002, "after a gap it counts from where the link says");
}

#[test]
fn conditions_that_cannot_be_are_refused() {
    let g = || "g".to_string();
    for (c, word) in [
        (level(9, 1.0, Edge::Rising), "does not have"),
        (Condition::Level { input: 1, level: 1.0, hysteresis: -1.0, unit: g(), edge: Edge::Rising }, "hysteresis"),
        (Condition::Level { input: 1, level: 1.0, hysteresis: 0.0, unit: "N".into(), edge: Edge::Rising }, "allowed:"),
        (Condition::Band { input: 1, low: 2.0, high: 1.0, unit: g(), way: Way::Leaving }, "below the upper"),
        (Condition::Digital { input: 1, edge: Edge::Rising }, "is voltage"),
        (Condition::Pulse { tacho: 4, every: 1 }, "no tachometer"),
        (Condition::Pulse { tacho: 5, every: 0 }, "1 or more"),
        (Condition::Speed { tacho: 5, from_rpm: 9.0, to_rpm: 3.0, every_rpm: None }, "the lower speed first"),
        (Condition::Speed { tacho: 5, from_rpm: 3.0, to_rpm: 9.0, every_rpm: Some(0.0) }, "above 0"),
        (Condition::Angle { tacho: 5, from_deg: -3.0, to_deg: 9.0, input: 1, level: 1.0, unit: g() }, "0° to 360°"),
        (Condition::Axes { of: vec![] }, "one or more"),
        (Condition::Axes { of: vec![AxisLimit { input: 1, level: 0.0, unit: g() }] }, "above 0"),
    ] {
        let refused = of(c.clone()).check(&rig(), &[tacho()]).unwrap_err();
        assert!(refused.field == "conditions" && refused.says.contains(word), "{c:?}: {}", refused.says);
    }
    for (t, field) in [
        (Trigger { pre_s: 61.0, ..Trigger::default() }, "pre_s"),
        (Trigger { hold_off_s: f64::NAN, ..Trigger::default() }, "hold_off_s"),
        (Trigger { takes: Some(0), ..Trigger::default() }, "takes"),
        (Trigger { conditions: vec![level(1, 1.0, Edge::Rising); 17], ..Trigger::default() }, "conditions"),
    ] {
        assert_eq!(t.check(&rig(), &[]).unwrap_err().field, field);
    }
    let mut off = rig();
    off.channels[0].on = false;
    assert!(of(level(1, 1.0, Edge::Rising)).check(&off, &[]).unwrap_err().says.contains("is off"));
}

#[test]
fn plans_add_up_and_say_what_they_do() {
    let recorder = |name: &str, inputs: &[u16], divide, keeps| RecorderPlan {
        name: name.into(),
        inputs: inputs.to_vec(),
        divide,
        keeps,
        segment_s: None,
    };
    let plan = Plan {
        sample_rate_hz: 51_200.0,
        length: Length::After { duration_s: 2.0 },
        start: Trigger { pre_s: 0.5, takes: Some(50), hold_off_s: 0.5, ..of(level(1, 2.5, Edge::Rising)) },
        recorders: vec![recorder("A", &[], 1, Keeps::Takes), recorder("C", &[5], 128, Keeps::Everything)],
        rounds: Some(Rounds {
            every_s: 900.0,
            length_s: 5.0,
            count: 32,
            begin_at: None,
            end_at: None,
            keep_newest: Some(4),
            measures: vec![],
        }),
        named_hz: Some(300.0),
        ..Plan::default()
    };
    plan.check(None).unwrap();
    plan.check_with(&rig()).unwrap();
    let s = plan.sums(&rig(), 0.4, Some(1 << 30));
    assert_eq!((s.channels, s.samples), (5, Some(128_000)));
    assert!((s.recorders[0].take_bytes.unwrap() - 128_000.0 * 5.0 * 2.1).abs() < 1.0);
    assert_eq!((s.recorders[1].take_bytes, s.recorders[1].sample_rate_hz), (None, 400.0));
    assert_eq!(s.rounds_s, Some(31.0 * 900.0 + 5.0));
    assert!(s.recorders[0].named.as_ref().unwrap().contains("as it is"));
    assert!(s.recorders[1].named.as_ref().unwrap().contains("show at 100 Hz"), "{:?}", s.recorders[1].named);
    assert!(s.says[0].contains("axis 1 rises through 2.5 g") && s.says[0].contains("keeps the 0.5 s before"));
    assert!(s.says[1].contains("50 takes") && s.says[2].contains("32 rounds"), "{:?}", s.says);
    assert!(s.against.is_empty(), "{:?}", s.against);
    let deck = rig();
    let tight = plan.sums(&rig(), 0.4, Some(1000));
    assert!(tight.against.is_empty() && tight.takes_that_fit == Some(0), "{:?}", tight.against);
    let facts = Facts::of(&deck).planned(&plan, Some(1000));
    let full = check(&facts, &[]).into_iter().filter(|c| c.rule == "disk_full").count();
    assert_eq!(full, 2, "neither the takes nor the rounds fit");
    assert_eq!((folded(700.0, 1000.0), folded(1300.0, 1000.0), folded(400.0, 1000.0)), (300.0, 300.0, 400.0));
}

#[test]
fn takes_that_may_overlap_are_told_with_what_keeps_them_apart() {
    let plan = |hold_off_s: f64, takes: Option<u32>, length: Length| Plan {
        length,
        start: Trigger { pre_s: 0.5, takes, hold_off_s, ..of(level(1, 2.5, Edge::Rising)) },
        named_hz: Some(300.0),
        ..Plan::default()
    };
    let overlap = |p: &Plan| p.sums(&rig(), 0.4, None).overlap;
    let two = Length::After { duration_s: 2.0 };
    let told = overlap(&plan(0.5, None, two)).unwrap();
    assert!(
        told.contains("one is 2.5 s long")
            && told.contains("counts 0.5 s after")
            && told.contains("A hold-off of 2.5 s"),
        "{told}"
    );
    assert_eq!(
        overlap(&plan(2.5, None, two)),
        None,
        "held off for as long as a take, what is kept from before included"
    );
    assert_eq!(overlap(&plan(0.5, Some(1), two)), None, "one take meets no other");
    assert_eq!(overlap(&plan(0.5, None, Length::WhenStopped)), None, "one that ends by hand is alone");
    assert_eq!(overlap(&Plan { length: two, ..Plan::default() }), None, "by hand");
    assert_eq!(plan(2.5, None, two).sums(&rig(), 0.4, None).recorders[0].named_clean, Some(true));
}

#[test]
fn recorders_and_rounds_that_cannot_be_are_refused() {
    let named = |name: &str| RecorderPlan { name: name.into(), ..RecorderPlan::whole() };
    let with = |recorders| Plan { recorders, ..Plan::default() };
    for (recorders, word) in [
        (vec![named("A"), named("A")], "two recorders"),
        (vec![named(" ")], "1 to 20"),
        (vec![RecorderPlan { divide: 0, ..named("A") }], "1 to 1024"),
        (vec![RecorderPlan { segment_s: Some(0.1), ..named("A") }], "1 s to a week"),
        ((0..9).map(|i| named(&i.to_string())).collect(), "up to 8"),
    ] {
        assert!(with(recorders).check(None).unwrap_err().says.contains(word), "{word}");
    }
    let stray = with(vec![RecorderPlan { inputs: vec![1, 77], ..named("A") }]);
    assert!(stray.check_with(&rig()).unwrap_err().says.contains("input 77"));
    let rounds = Rounds {
        every_s: 10.0,
        length_s: 5.0,
        count: 3,
        begin_at: None,
        end_at: None,
        keep_newest: None,
        measures: vec![],
    };
    for (r, word) in [
        (Rounds { every_s: 5.5, ..rounds.clone() }, "6 s to 30 days"),
        (Rounds { length_s: 0.0, ..rounds.clone() }, "up to a day"),
        (Rounds { count: 0, ..rounds.clone() }, "1 to 100000"),
        (Rounds { keep_newest: Some(0), ..rounds.clone() }, "1 or more"),
    ] {
        assert!(r.check(None).unwrap_err().says.contains(word), "{word}");
    }
    let begun = chrono::DateTime::UNIX_EPOCH;
    assert_eq!((rounds.due(begun, 3) - begun).num_seconds(), 20);
}
