//! A sensor whose calibration has run out, or was never made.

use super::Rule;
use crate::caution::{Caution, Facts, found};

pub(super) const RULE: Rule =
    Rule { name: "calibration_overdue", looks_for: "a sensor whose calibration has run out", look };

fn look(facts: &Facts) -> Vec<Caution> {
    facts
        .active()
        .filter_map(|c| {
            let due = facts.sensor(c)?.due_on?;
            let days = (facts.today() - due).num_days();
            (days > 0).then(|| {
                let says = format!("Input {}: calibration of {} ran out {}", facts.label(c.input), c.sensor, ago(days));
                found(
                    RULE.name,
                    c,
                    says,
                    format!("It was due on {due}; check it against a reference, or take another sensor."),
                )
            })
        })
        .collect()
}

fn ago(days: i64) -> String {
    match days {
        1 => "yesterday".into(),
        d => format!("{d} days ago"),
    }
}

#[cfg(test)]
mod tests {
    use super::super::bench::{day, rig, sensor};
    use super::*;

    #[test]
    fn counts_from_the_day_after() {
        let r = rig(1);
        let register = [sensor(20401)];
        let on = |d| look(&Facts::of(&r).registered(&register, d));
        assert!(on(day(2027, 2, 12)).is_empty(), "good on the day itself");
        assert!(on(day(2027, 2, 13))[0].says.ends_with("yesterday"));
        assert!(on(day(2027, 3, 1))[0].says.ends_with("17 days ago"));
    }
}
