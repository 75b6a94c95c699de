//! Two channels that measure the same at one point in one direction.

use super::Rule;
use crate::caution::{Caution, Facts, found};
use std::collections::HashMap;

pub(super) const RULE: Rule =
    Rule { name: "two_on_one_place", looks_for: "two channels on one point and direction", look };

fn look(facts: &Facts) -> Vec<Caution> {
    let mut first: HashMap<(&str, &str, &str), u16> = HashMap::new();
    let mut all = Vec::new();
    for c in facts.active().filter(|c| !c.point.is_empty()) {
        let place = (c.point.as_str(), c.direction.as_str(), c.quantity.name());
        match first.get(&place) {
            Some(other) => {
                let says = format!(
                    "Inputs {} and {} share one place and direction",
                    facts.label(*other),
                    facts.label(c.input)
                );
                let why = format!("Both are at {}, {}; one of them is probably entered wrongly.", c.point, c.direction);
                all.push(found(RULE.name, c, says, why));
            }
            None => {
                first.insert(place, c.input);
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
    fn another_direction_is_another_place() {
        let mut r = rig(3);
        for c in &mut r.channels {
            c.point = "frame 14".into();
        }
        r.channels[1].direction = "athwart".into();
        let found = look(&Facts::of(&r));
        assert_eq!(
            found.iter().map(|c| c.says.as_str()).collect::<Vec<_>>(),
            ["Inputs 1 and 3 share one place and direction"]
        );
    }
}
