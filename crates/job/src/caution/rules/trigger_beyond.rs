//! A trigger level the input cannot reach.

use super::Rule;
use crate::caution::{Caution, Facts, found_in_plan};
use crate::rig::{Cell, Channel, Column};
use crate::trigger::Condition;
use crate::unit::find;

pub(super) const RULE: Rule =
    Rule { name: "trigger_beyond", looks_for: "a trigger level above the range of its input", look };

/// Inputs and the largest magnitudes a condition waits for, with the unit.
fn levels(c: &Condition) -> Vec<(u16, f64, &str)> {
    match c {
        Condition::Level { input, level, unit, .. } => vec![(*input, level.abs(), unit)],
        // To be left, one end of a band must lie in the range; to be entered, as well.
        Condition::Band { input, low, high, unit, .. } => vec![(*input, low.abs().min(high.abs()), unit)],
        Condition::Angle { input, level, unit, .. } => vec![(*input, *level, unit)],
        Condition::Axes { of } => of.iter().map(|a| (a.input, a.level, a.unit.as_str())).collect(),
        Condition::Digital { .. } | Condition::Pulse { .. } | Condition::Speed { .. } => Vec::new(),
    }
}

fn look(facts: &Facts) -> Vec<Caution> {
    let Some((plan, rig)) = facts.plan() else { return Vec::new() };
    let all = plan.start.conditions.iter().flat_map(levels);
    all.filter_map(|(input, level, unit)| one(rig.channel(input)?, level, unit, facts)).collect()
}

fn one(c: &Channel, level: f64, unit: &str, facts: &Facts) -> Option<Caution> {
    let to_si = find(unit).ok()?.to_si;
    let (si, full) = (level * to_si, c.full_scale_si());
    if si < full || full.is_nan() {
        return None;
    }
    let says = format!("The trigger waits for {level} {unit} on input {}, which it cannot show", facts.label(c.input));
    let most = full / to_si;
    let why = format!("Its range ends at {most:.4} {unit}: the take would never begin.");
    let found = found_in_plan(RULE.name, Some(c), says, why);
    // What the ranges are, only a front end tells; the finding stands without.
    let mut ranges = facts.offer(c.input).into_iter().flat_map(|o| o.ranges_v.iter().copied());
    let wide = ranges.find(|r| full * r / c.range_v > 1.25 * si);
    Some(match wide {
        Some(v) => found.with_fix(format!("Set {v} V"), vec![Cell::new(c.input, Column::RangeV, format!("{v} V"))]),
        None => found,
    })
}

#[cfg(test)]
mod tests {
    use super::super::bench::{front_end, rig};
    use super::*;
    use crate::plan::Plan;
    use crate::trigger::{AxisLimit, Edge, Trigger, Way};

    #[test]
    fn a_level_must_lie_in_the_range() {
        // 10.01 mV/(m/s²) at 5 V: the range ends near 499.5 m/s².
        let (r, f) = (rig(2), front_end(2));
        let seen = |condition: Condition| {
            let plan = Plan { start: Trigger { conditions: vec![condition], ..Trigger::default() }, ..Plan::default() };
            look(&Facts::of(&r).on(Some(&f)).planned(&plan, None))
        };
        let level = |level: f64, unit: &str| Condition::Level {
            input: 1,
            level,
            hysteresis: 1.0,
            unit: unit.into(),
            edge: Edge::Rising,
        };
        assert!(seen(level(490.0, "m/s²")).is_empty() && seen(level(-490.0, "m/s²")).is_empty());
        let found = seen(level(600.0, "m/s²"));
        assert!(found[0].why.contains("ends at 499.5"), "{}", found[0].why);
        assert_eq!(found[0].fix[0].text, "10 V");
        let alone = Plan {
            start: Trigger { conditions: vec![level(600.0, "m/s²")], ..Trigger::default() },
            ..Plan::default()
        };
        assert_eq!(look(&Facts::of(&r).planned(&alone, None)).len(), 1, "without a front end as well");
        assert_eq!(seen(level(60.0, "g")).len(), 1, "60 g are 588 m/s²");
        assert!(seen(level(2000.0, "m/s²"))[0].fix.is_empty(), "no range is wide enough");
        let band = |low, high| Condition::Band { input: 1, low, high, unit: "m/s²".into(), way: Way::Leaving };
        assert!(seen(band(-900.0, 100.0)).is_empty(), "the upper end can be passed");
        assert_eq!(seen(band(-900.0, 800.0)).len(), 1);
        let axes = Condition::Axes {
            of: vec![
                AxisLimit { input: 1, level: 100.0, unit: "m/s²".into() },
                AxisLimit { input: 2, level: 700.0, unit: "m/s²".into() },
            ],
        };
        assert_eq!(seen(axes)[0].input, Some(2));
    }
}
