//! Plans as they travel, and what must hold for any trigger, value and schedule.

use echo_job::measure::{Measure, What};
use echo_job::plan::{Keeps, Length, Plan, RecorderPlan, Rounds};
use echo_job::rig::{Channel, Coupling, Rig};
use echo_job::trigger::{Condition, Edge, Fired, Takes, Trigger, Way};
use echo_job::watch::{Guard, Watched, Zone};
use proptest::prelude::*;
use serde_json::json;

fn channel(input: u16) -> Channel {
    Channel { on: true, name: format!("axis {input}"), ..Channel::free(input) }
}

#[test]
fn plans_travel_as_they_are_described() {
    let written = json!({
        "sample_rate_hz": 5120.0,
        "length": { "ends": "after", "duration_s": 0.5 },
        "run_kind": "alongside",
        "start": {
            "conditions": [
                { "when": "level", "input": 1, "level": 10.0, "unit": "m/s²", "edge": "either" },
                { "when": "band", "input": 2, "low": -1.0, "high": 1.0, "unit": "g", "way": "entering" },
                { "when": "speed", "tacho": 5, "from_rpm": 300.0, "to_rpm": 900.0, "every_rpm": 25.0 },
                { "when": "axes", "of": [{ "input": 1, "level": 5.0, "unit": "g" }] },
            ],
            "join": "all", "within_s": 0.2, "pre_s": 0.1, "takes": 7,
        },
        "recorders": [{ "name": "A" }, { "name": "C", "inputs": [1, 2], "divide": 16, "keeps": "everything", "segment_s": 60.0 }],
        "tachos": [{ "input": 5, "threshold": 2.0, "hysteresis": 0.5, "unit": "V", "pulses_per_rev": 4.0 }],
        "rounds": { "every_s": 900.0, "length_s": 5.0, "count": 32, "begin_at": "2026-11-24T13:00:00Z",
            "measures": [{ "input": 1, "of": { "what": "time_outside", "low": -3.0, "high": 3.0 } }] },
        "watch": [{ "measure": { "input": 1, "of": { "what": "band_rms", "from_hz": 10.0, "to_hz": 1000.0, "velocity": true } },
            "caution": 4.5, "limit": 7.1 }],
    });
    let plan: Plan = serde_json::from_value(written).unwrap();
    assert_eq!(plan.block, 32_768, "what is left out has its usual value");
    assert_eq!((plan.start.hold_off_s, plan.start.takes), (0.0, Some(7)));
    assert!(matches!(plan.start.conditions[0], Condition::Level { hysteresis: 0.0, edge: Edge::Either, .. }));
    assert!(matches!(plan.start.conditions[1], Condition::Band { way: Way::Entering, .. }));
    assert_eq!((plan.recorders[0].divide, plan.recorders[0].keeps), (1, Keeps::Takes));
    assert_eq!((plan.recorders[1].keeps, plan.recorders[1].segment_s), (Keeps::Everything, Some(60.0)));
    assert_eq!((plan.watch[0].hysteresis, plan.watch[0].delay_s), (0.05, 0.0));
    let again: Plan = serde_json::from_value(serde_json::to_value(&plan).unwrap()).unwrap();
    assert_eq!(again, plan);
    // A plan of an older kind has none of it.
    let old: Plan =
        serde_json::from_value(json!({ "sample_rate_hz": 51200.0, "length": { "ends": "when_stopped" } })).unwrap();
    assert!(old.start.by_hand() && old.recorders() == [RecorderPlan::whole()] && old.rounds.is_none());
    for wrong in [
        json!({ "sample_rate_hz": 1.0, "length": { "ends": "when_stopped" }, "start": { "conditions": [{ "when": "thunder" }] } }),
        json!({ "sample_rate_hz": 1.0, "length": { "ends": "when_stopped" }, "start": { "shade": 1 } }),
        json!({ "sample_rate_hz": 1.0, "length": { "ends": "when_stopped" }, "recorders": [{ "name": "A", "keeps": "some" }] }),
        json!({ "sample_rate_hz": 1.0, "length": { "ends": "when_stopped" }, "watch": [{ "measure": { "input": 1, "of": { "what": "glow" } } }] }),
    ] {
        assert!(serde_json::from_value::<Plan>(wrong.clone()).is_err(), "{wrong}");
    }
}

#[test]
fn a_round_is_recorded_by_hand_and_for_its_own_length() {
    let rounds = Rounds {
        every_s: 900.0,
        length_s: 5.0,
        count: 32,
        begin_at: None,
        end_at: None,
        keep_newest: None,
        measures: vec![],
    };
    let bump = Condition::Level { input: 1, level: 1.0, hysteresis: 0.0, unit: "g".into(), edge: Edge::Rising };
    let plan = Plan {
        start: Trigger { conditions: vec![bump], ..Trigger::default() },
        rounds: Some(rounds.clone()),
        length: Length::WhenStopped,
        ..Plan::default()
    };
    let one = plan.of_round(&rounds);
    assert_eq!(one.length, Length::After { duration_s: 5.0 });
    assert!(one.start.by_hand() && one.rounds.is_none());
    assert_eq!(one.sample_rate_hz, plan.sample_rate_hz);
}

#[test]
fn a_channel_that_is_switched_off_is_missed_by_the_plan() {
    let mut rig = Rig { name: "r".into(), channels: (1..=2).map(channel).collect() };
    let plan = Plan { recorders: vec![RecorderPlan { inputs: vec![2], ..RecorderPlan::whole() }], ..Plan::default() };
    assert!(plan.check_with(&rig).is_ok());
    rig.channels[1].on = false;
    let refused = plan.check_with(&rig).unwrap_err();
    assert!(refused.field == "recorders" && refused.says.contains("input 2, which is off"), "{}", refused.says);
    let cut = RecorderPlan { segment_s: Some(10.0), ..RecorderPlan::whole() };
    let bump = Condition::Level { input: 1, level: 1.0, hysteresis: 0.0, unit: "g".into(), edge: Edge::Rising };
    let start = Trigger { conditions: vec![bump], ..Trigger::default() };
    let refused = Plan { recorders: vec![cut], start, ..Plan::default() }.check_with(&rig).unwrap_err();
    assert!(refused.says.contains("not cut into segments"), "{}", refused.says);
}

#[test]
fn every_quantity_has_its_unit_and_words() {
    let mut row = channel(1);
    row.unit = "g".into();
    let told = |of| {
        let m = Measure { input: 1, of };
        (m.says(), m.unit(&row))
    };
    for (of, says, unit) in [
        (What::Rms, "rms", "g"),
        (What::BandRms { from_hz: 10.0, to_hz: 1000.0, velocity: false }, "rms 10–1000 Hz", "g"),
        (What::BandRms { from_hz: 10.0, to_hz: 1000.0, velocity: true }, "velocity rms 10–1000 Hz", "mm/s"),
        (What::Peak, "peak", "g"),
        (What::PeakToPeak, "peak to peak", "g"),
        (What::Crest, "crest factor", ""),
        (What::Mean, "mean", "g"),
        (What::Frequency, "frequency", "Hz"),
        (What::Amplitude, "amplitude at it", "g"),
        (What::TimeOutside { low: -1.0, high: 2.5 }, "time outside -1 to 2.5", "s"),
    ] {
        assert_eq!(told(of), (says.to_string(), unit.to_string()));
    }
    row.quantity = echo_job::unit::Quantity::Voltage;
    row.coupling = Coupling::Dc;
    let rig = Rig { name: "r".into(), channels: vec![row] };
    let velocity = Measure { input: 1, of: What::BandRms { from_hz: 1.0, to_hz: 2.0, velocity: true } };
    assert!(velocity.check(Some(&rig)).unwrap_err().says.contains("only acceleration"));
}

proptest! {
    #[test]
    fn takes_are_whole_and_in_order(
        mut at in prop::collection::vec(0u64..100_000, 0..200),
        pre in 0u64..500, length in 1u64..2000, hold_off in 0u64..1000, most in prop::option::of(1u32..50),
    ) {
        at.sort_unstable();
        at.dedup();
        let mut takes = Takes::new(pre, Some(length), hold_off, most);
        let fired = |sample| Fired { sample, condition: 0, says: String::new() };
        let made: Vec<_> = at.iter().filter_map(|s| takes.fired(&fired(*s), 0)).collect();
        for (k, t) in made.iter().enumerate() {
            prop_assert_eq!(t.number as usize, k + 1);
            prop_assert_eq!(t.from, t.trigger.saturating_sub(pre));
            prop_assert_eq!(t.to, Some(t.trigger + length));
        }
        prop_assert!(made.windows(2).all(|w| w[1].trigger >= w[0].trigger + hold_off));
        prop_assert!(most.is_none_or(|m| made.len() <= m as usize));
        // Without a number, every trigger is a take or was held off.
        if most.is_none() {
            prop_assert_eq!(made.len() as u64 + takes.held_off, at.len() as u64);
        }
    }

    #[test]
    fn what_is_measured_obeys_its_bounds(samples in prop::collection::vec(-1e3f64..1e3, 128..600), rate in 100.0f64..1e5) {
        let row = channel(1);
        let of = |of| Measure { input: 1, of }.of(&row, &samples, rate);
        let (rms, peak, range, mean) = (of(What::Rms), of(What::Peak), of(What::PeakToPeak), of(What::Mean));
        prop_assert!(mean.abs() <= rms * (1.0 + 1e-12) && rms <= peak * (1.0 + 1e-12));
        prop_assert!(range <= 2.0 * peak * (1.0 + 1e-12));
        let all = samples.len() as f64 / rate;
        let outside = of(What::TimeOutside { low: -500.0, high: 500.0 });
        prop_assert!((0.0..=all * (1.0 + 1e-12)).contains(&outside));
        prop_assert!((0.0..=rate / 2.0).contains(&of(What::Frequency)));
    }

    #[test]
    fn a_guard_never_stands_where_its_value_has_long_not_been(values in prop::collection::vec(0.0f64..10.0, 1..100), delay_s in 0.0f64..5.0) {
        let w = Watched {
            measure: Measure { input: 1, of: What::Rms },
            caution: Some(4.5),
            limit: Some(7.1),
            hysteresis: 0.1,
            delay_s,
            switches: false,
        };
        let mut guard = Guard::default();
        let mut changes = 0;
        for (i, v) in values.iter().enumerate() {
            let before = guard.zone();
            let change = guard.step(&w, *v, i as f64);
            changes += usize::from(change.is_some());
            prop_assert_eq!(change.is_some(), guard.zone() != before);
            // Below both levels by the hysteresis it is good, whatever was before.
            if *v < 4.5 * 0.9 {
                prop_assert_eq!(guard.zone(), Zone::Good);
            }
            if delay_s == 0.0 && *v >= 7.1 {
                prop_assert_eq!(guard.zone(), Zone::Limit);
            }
        }
        prop_assert!(changes <= values.len());
    }
}
