//! Tachometer pulses too fast for the sample rate.

use super::Rule;
use crate::caution::{Caution, Facts, found_in_plan};
use crate::entry::number::{plain, rounded};
use crate::plan::Plan;
use crate::tacho::Tachometer;
use crate::trigger::Condition;

pub(super) const RULE: Rule =
    Rule { name: "pulses_fast", looks_for: "more tachometer pulses than the sample rate can tell apart", look };

/// Samples a pulse needs from edge to edge, so that its high and low part have two each.
const SAMPLES_A_PULSE: f64 = 4.0;

/// Pulses a second a tachometer gives at most: as heard now, or at the highest speed a trigger
/// waits for.
fn fastest(facts: &Facts, plan: &Plan, t: &Tachometer) -> f64 {
    let waited = plan.start.conditions.iter().filter_map(|c| match c {
        Condition::Speed { tacho, to_rpm, .. } if *tacho == t.input => Some(to_rpm / 60.0 * t.pulses_per_rev),
        _ => None,
    });
    waited.chain(facts.pulses_hz(t.input)).fold(0.0, f64::max)
}

fn look(facts: &Facts) -> Vec<Caution> {
    let Some((plan, rig)) = facts.plan() else { return Vec::new() };
    let text = |x: f64| plain(rounded(x, 3));
    plan.tachos
        .iter()
        .filter_map(|t| {
            let hz = fastest(facts, plan, t);
            let c = rig.channel(t.input).filter(|_| hz * SAMPLES_A_PULSE > plan.sample_rate_hz)?;
            let says = format!(
                "The tachometer on input {} gives {} pulses a second, sampled {} times a second",
                facts.label(c.input),
                text(hz),
                text(plan.sample_rate_hz)
            );
            let why = format!(
                "A pulse needs {SAMPLES_A_PULSE} samples to be told from the next; the speed would come out too low."
            );
            let enough = facts.rates_hz().into_iter().find(|rate| *rate >= hz * SAMPLES_A_PULSE);
            Some(found_in_plan(RULE.name, Some(c), says, why).with_rate(enough, plan))
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::super::bench::{front_end, rig};
    use super::*;

    #[test]
    fn teeth_want_samples() {
        let (r, f) = (rig(2), front_end(2));
        let plan = |rate: f64| {
            let mut plan = Plan { sample_rate_hz: rate, ..Plan::default() };
            let tacho = r#"{"input": 2, "threshold": 2, "hysteresis": 0.5, "unit": "V", "pulses_per_rev": 60}"#;
            plan.tachos = vec![serde_json::from_str(tacho).unwrap()];
            plan
        };
        let seen = |p: &Plan, hz: f64| look(&Facts::of(&r).on(Some(&f)).planned(p, None).turning([(2, hz)]));
        assert!(seen(&plan(12_800.0), 3000.0).is_empty());
        let found = seen(&plan(5120.0), 3000.0);
        assert!(found[0].says.contains("3000 pulses a second, sampled 5120 times"), "{}", found[0].says);
        assert_eq!(found[0].fix_plan.as_ref().unwrap().sample_rate_hz, 12_800.0);
        assert!(seen(&plan(5120.0), 20_000.0)[0].fix_plan.is_none());
        // The speed a trigger waits for is reckoned with before it is heard: 2690 rpm of 60 teeth.
        let mut waits = plan(5120.0);
        waits.start.conditions = vec![Condition::Speed { tacho: 2, from_rpm: 2600.0, to_rpm: 2690.0, every_rpm: None }];
        assert_eq!(look(&Facts::of(&r).on(Some(&f)).planned(&waits, None)).len(), 1);
    }
}
