//! A level the sensor itself cannot give.

use super::Rule;
use crate::caution::{Caution, Facts, found};

pub(super) const RULE: Rule =
    Rule { name: "over_sensor", looks_for: "a level beyond the sensor's measuring range", look };

fn look(facts: &Facts) -> Vec<Caution> {
    facts
        .active()
        .filter_map(|c| {
            let most = facts.sensor(c)?.measures_to?;
            let seen = facts.level(c.input)?.held_share * c.full_scale_si();
            (seen > most).then(|| {
                let share = seen / most * 100.0;
                let says =
                    format!("Input {} reaches {share:.0} % of what its sensor can measure", facts.label(c.input));
                found(
                    RULE.name,
                    c,
                    says,
                    format!(
                        "{} measures up to {most} in SI units; beyond that it distorts. Take a less sensitive one.",
                        c.sensor
                    ),
                )
            })
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::super::bench::{day, rig, sensor};
    use super::*;
    use crate::caution::LevelSeen;

    #[test]
    fn the_sensor_ends_before_the_range_does() {
        let mut r = rig(2);
        r.channels[0].range_v = 10.0;
        let register = [sensor(20401), sensor(20402)];
        let level = LevelSeen { peak_share: 0.1, held_share: 0.6, over: false };
        let found = look(&Facts::of(&r).registered(&register, day(2026, 5, 1)).heard([(1, level), (2, level)]));
        assert_eq!(found.iter().map(|c| c.input).collect::<Vec<_>>(), [Some(1)], "6 V are 599 m/s², 3 V are 299");
    }
}
