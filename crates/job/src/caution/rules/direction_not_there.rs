//! A direction that is none of the specimen's.

use super::Rule;
use crate::caution::{Caution, Facts, found};

pub(super) const RULE: Rule =
    Rule { name: "direction_not_there", looks_for: "a direction that is none of the specimen's", look };

fn look(facts: &Facts) -> Vec<Caution> {
    let Some(places) = facts.places() else { return Vec::new() };
    let allowed = places.geometry().directions();
    facts
        .active()
        .filter(|c| c.quantity.motion_order().is_some())
        .filter_map(|c| {
            let dof = c.dof().filter(|d| !d.direction.is_empty())?;
            let lost = places.point(&dof.point).is_some() && places.geometry().axis_of(&dof.direction).is_none();
            let says = || {
                let label = facts.label(c.input);
                format!("Input {label} measures {}, which is no direction of the specimen", dof.direction)
            };
            let [x, y, z] = allowed;
            let why = format!("Shapes need one of {x}, {y}, {z}. Change it, or name the specimen's directions so.");
            lost.then(|| found(RULE.name, c, says(), why))
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::super::bench::{rig, specimen};
    use super::*;

    #[test]
    fn directions_are_known_by_letter_name_and_sign() {
        let mut r = rig(4);
        for (c, direction) in r.channels.iter_mut().zip(["-Vertical", "x", "radial", ""]) {
            c.direction = direction.into();
        }
        let says = |points| {
            let g = specimen(points);
            look(&Facts::of(&r).upon(&g)).into_iter().map(|c| (c.says, c.why)).collect::<Vec<_>>()
        };
        let found = says(4);
        assert_eq!(found.len(), 1, "{found:?}");
        assert_eq!(found[0].0, "Input 3 measures radial, which is no direction of the specimen");
        assert!(found[0].1.contains("one of x, athwart, vertical"));
        // Where the point is not there, that is what is said.
        assert!(says(2).is_empty());
    }
}
