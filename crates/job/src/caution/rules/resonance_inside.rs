//! A sensor whose own resonance the recorded band reaches.

use super::Rule;
use crate::caution::{Caution, Facts, found_in_plan};
use crate::entry::number::{plain, rounded};
use crate::rig::Channel;
use std::collections::BTreeMap;

pub(super) const RULE: Rule =
    Rule { name: "resonance_inside", looks_for: "a sensor whose resonance the recorded band reaches", look };

/// Up to this share of its resonance a sensor reads at most 12 % too high: 1/(1 − r²) − 1.
const TRUE_SHARE: f64 = 1.0 / 3.0;

fn text(x: f64) -> String {
    plain(rounded(x, 3))
}

fn look(facts: &Facts) -> Vec<Caution> {
    // Sensors of one kind are one finding: a rig has dozens of them.
    let mut alike: BTreeMap<u64, Vec<&Channel>> = BTreeMap::new();
    for c in facts.active() {
        if let Some(own) = facts.sensor(c).and_then(|s| s.resonance_hz) {
            alike.entry(own.to_bits()).or_default().push(c);
        }
    }
    alike.into_iter().filter_map(|(own, channels)| one(f64::from_bits(own), &channels, facts)).collect()
}

/// Sensors by their inputs.
fn named(channels: &[&Channel], facts: &Facts) -> String {
    let labels: Vec<String> = channels.iter().take(3).map(|c| facts.label(c.input)).collect();
    match channels.len() {
        1 => format!("The sensor on input {}", labels[0]),
        n if n <= labels.len() => format!("{n} sensors (inputs {})", labels.join(", ")),
        n => format!("{n} sensors (inputs {} and {} more)", labels.join(", "), n - labels.len()),
    }
}

fn one(own: f64, channels: &[&Channel], facts: &Facts) -> Option<Caution> {
    let (plan, _) = facts.plan()?;
    let clean_to = plan.sample_rate_hz * facts.clean_share();
    let sensors = named(channels, facts);
    let only = match channels {
        [c] => Some(*c),
        _ => None,
    };
    let about = |says: String, why: String| found_in_plan(RULE.name, only, says, why);
    if let Some(hz) = plan.named_hz.filter(|hz| *hz > TRUE_SHARE * own && *hz <= clean_to) {
        let says = format!("{sensors}: not true at {} Hz, which matters", text(hz));
        let why = if hz < own {
            let high = 100.0 / (1.0 - (hz / own).powi(2)) - 100.0;
            let (own, high) = (text(own), text(high));
            format!("With a resonance at {own} Hz the reading is about {high} % too high there. Take a stiffer sensor.")
        } else {
            format!("Above a resonance at {} Hz a sensor hardly answers. Take a stiffer one.", text(own))
        };
        return Some(about(says, why));
    }
    if own >= clean_to {
        return None;
    }
    let says = format!("{sensors}: the resonance at {} Hz is recorded with the rest", text(own));
    let why = format!(
        "What is seen there is the sensor, not the machine; it is true up to about {} Hz.",
        text(TRUE_SHARE * own)
    );
    let slower = facts.rates_hz().into_iter().rev().find(|rate| {
        let clean = rate * facts.clean_share();
        clean < own && plan.named_hz.is_none_or(|hz| hz <= clean)
    });
    Some(about(says, why).with_rate(slower, plan))
}

#[cfg(test)]
mod tests {
    use super::super::bench::{day, front_end, rig, sensor};
    use super::*;
    use crate::plan::Plan;

    #[test]
    fn what_the_sensor_adds_is_told() {
        let (r, f) = (rig(2), front_end(2));
        let mut register = [sensor(20401), sensor(20402)];
        register[1].resonance_hz = Some(9000.0);
        let seen = |p: &Plan| look(&Facts::of(&r).registered(&register, day(2026, 5, 1)).on(Some(&f)).planned(p, None));
        // 32 kHz lies above the 20.48 kHz that are clean; 9 kHz does not.
        let found = seen(&Plan::default());
        assert_eq!(found.iter().map(|c| c.input).collect::<Vec<_>>(), [Some(2)]);
        assert!(found[0].why.contains("true up to about 3000 Hz"), "{}", found[0].why);
        assert_eq!(found[0].fix_plan.as_ref().unwrap().sample_rate_hz, 12_800.0);
        // A frequency that matters: what counts is how true the sensors are there.
        let named = |hz: f64| Plan { named_hz: Some(hz), ..Plan::default() };
        let found = seen(&named(4500.0));
        assert!(found.len() == 1 && found[0].why.contains("about 33.3 % too high"), "{found:?}");
        assert!(seen(&named(15_000.0)).len() == 2, "the other one is not true there either");
        assert!(seen(&named(12_000.0)).iter().any(|c| c.why.contains("hardly answers")));
        // Many of one kind are one finding that names the first of them.
        let many = rig(7);
        let alike: Vec<_> = (20401..20408).map(sensor).collect();
        let plan = named(15_000.0);
        let found = look(&Facts::of(&many).registered(&alike, day(2026, 5, 1)).on(Some(&f)).planned(&plan, None));
        let says: Vec<&str> = found.iter().map(|c| c.says.as_str()).collect();
        assert_eq!(says, ["7 sensors (inputs 1, 2, 3 and 4 more): not true at 15000 Hz, which matters"]);
        assert_eq!(found[0].input, None);
        assert!(seen(&Plan { sample_rate_hz: 5120.0, ..Plan::default() }).is_empty());
    }
}
