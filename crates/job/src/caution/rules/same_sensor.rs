//! One sensor named in two rows.

use super::Rule;
use crate::caution::{Caution, Facts, found};
use std::collections::HashMap;

pub(super) const RULE: Rule = Rule { name: "same_sensor", looks_for: "one sensor named in two rows", look };

fn look(facts: &Facts) -> Vec<Caution> {
    let mut first: HashMap<&str, u16> = HashMap::new();
    let mut all = Vec::new();
    // A type without a serial may well be there several times.
    for c in facts.active().filter(|c| c.sensor.contains(',')) {
        match first.get(c.sensor.as_str()) {
            Some(other) => {
                let says = format!("Inputs {} and {} name the same sensor", facts.label(*other), facts.label(c.input));
                let why = format!(
                    "There is one {}; the other row has the wrong serial, and so perhaps the wrong sensitivity.",
                    c.sensor
                );
                all.push(found(RULE.name, c, says, why));
            }
            None => {
                first.insert(&c.sensor, c.input);
            }
        }
    }
    all
}

#[cfg(test)]
mod tests {
    use super::super::bench::rig;
    use super::*;

    #[test]
    fn a_serial_is_there_once() {
        let mut r = rig(4);
        r.channels[2].sensor = r.channels[0].sensor.clone();
        r.channels[1].sensor = "optical".into();
        r.channels[3].sensor = "optical".into();
        let found = look(&Facts::of(&r));
        assert_eq!(found.iter().map(|c| c.input).collect::<Vec<_>>(), [Some(3)]);
    }
}
