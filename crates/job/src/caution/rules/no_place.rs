//! A measured row without a place on the specimen.

use super::Rule;
use crate::caution::{Caution, Facts, found};

pub(super) const RULE: Rule = Rule { name: "no_place", looks_for: "a measured row without point or direction", look };

fn look(facts: &Facts) -> Vec<Caution> {
    facts
        .active()
        .filter_map(|c| {
            let lacks = match (c.point.is_empty(), c.direction.is_empty() && c.quantity.motion_order().is_some()) {
                (true, true) => "point and direction",
                (true, false) => "point",
                (false, true) => "direction",
                (false, false) => return None,
            };
            let says = format!("Input {} has no {lacks}", facts.label(c.input));
            Some(found(RULE.name, c, says, "Shapes, comparisons and the next test need to know where it was measured."))
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::super::bench::rig;
    use super::*;

    #[test]
    fn a_pressure_needs_no_direction() {
        let mut r = rig(3);
        r.channels[0].direction.clear();
        r.channels[1] =
            r.edited(&[crate::rig::Cell::new(2, crate::rig::Column::Quantity, "pressure")], None).rig.channels[1]
                .clone();
        r.channels[1].direction.clear();
        r.channels[2].point.clear();
        let said: Vec<String> = look(&Facts::of(&r)).into_iter().map(|c| c.says).collect();
        assert_eq!(said, ["Input 1 has no direction", "Input 3 has no point"]);
    }
}
