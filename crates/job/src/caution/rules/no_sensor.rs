//! A measured row that names no sensor.

use super::Rule;
use crate::caution::{Caution, Facts, found};

pub(super) const RULE: Rule = Rule { name: "no_sensor", looks_for: "a measured row that names no sensor", look };

fn look(facts: &Facts) -> Vec<Caution> {
    let bare = facts.active().filter(|c| c.sensor.is_empty());
    bare.map(|c| {
        let says = format!("Input {} names no sensor", facts.label(c.input));
        let caution = found(RULE.name, c, says, "Nobody will know next month what its sensitivity belongs to.");
        match facts.plugged_on(c.input) {
            Some(told) => caution.with_fix(
                format!("Take {told}"),
                vec![crate::rig::Cell::new(c.input, crate::rig::Column::Sensor, told)],
            ),
            None => caution,
        }
    })
    .collect()
}

#[cfg(test)]
mod tests {
    use super::super::bench::rig;
    use super::*;

    #[test]
    fn a_smart_sensor_names_itself() {
        let mut r = rig(3);
        r.channels[0].sensor.clear();
        r.channels[1].sensor.clear();
        let found = look(&Facts::of(&r).plugged([(2, "QA-31, 9".to_string())]));
        assert_eq!(found.len(), 2);
        assert!(found[0].fix.is_empty() && found[1].fix[0].text == "QA-31, 9");
    }
}
