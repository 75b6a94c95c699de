//! Two channels that measure the same at one point in one direction.

use super::Rule;
use crate::caution::{Caution, Facts, found};
use std::collections::HashMap;

pub(super) const RULE: Rule =
    Rule { name: "two_on_one_place", looks_for: "two channels on one point and direction", look };

fn look(facts: &Facts) -> Vec<Caution> {
    let mut first: HashMap<(String, String, &str), u16> = HashMap::new();
    let places = facts.places();
    let mut all = Vec::new();
    for (c, dof) in facts.active().filter_map(|c| Some((c, c.dof()?))) {
        // One axis may be called by its letter or by its name; a sensor that looks against it moves along it too.
        let axis = places.as_ref().and_then(|p| p.geometry().axis_of(&dof.direction));
        let direction = axis.map_or(dof.direction, |axis| axis.to_string());
        let place = (dof.point, direction, c.quantity.name());
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
    use super::super::bench::{rig, specimen};
    use super::*;

    #[test]
    fn one_axis_has_several_words() {
        let mut r = rig(3);
        for (c, direction) in r.channels.iter_mut().zip(["vertical", "-z", "-vertical"]) {
            (c.point, c.direction) = ("point 1".into(), direction.into());
        }
        let said = |facts: Facts| look(&facts).into_iter().map(|c| c.says).collect::<Vec<_>>();
        let one_three = "Inputs 1 and 3 share one place and direction".to_string();
        assert_eq!(said(Facts::of(&r)), std::slice::from_ref(&one_three));
        let g = specimen(1);
        assert_eq!(
            said(Facts::of(&r).upon(&g)),
            ["Inputs 1 and 2 share one place and direction".to_string(), one_three]
        );
    }

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
