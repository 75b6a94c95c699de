//! A measured row at a point that the specimen's geometry does not have.

use super::Rule;
use crate::caution::{Caution, Facts, found};
use crate::rig::{Cell, Column};

pub(super) const RULE: Rule =
    Rule { name: "point_not_there", looks_for: "a point that the specimen's geometry does not have", look };

fn look(facts: &Facts) -> Vec<Caution> {
    let Some(places) = facts.places() else { return Vec::new() };
    facts
        .active()
        .filter(|c| !c.point.is_empty() && places.point(&c.point).is_none())
        .map(|c| {
            let says = format!("Input {} is at {}, which the geometry does not have", facts.label(c.input), c.point);
            let why = "It will be missing from every shape and drawing. Rename it, or add the point to the specimen.";
            match places.almost(&c.point) {
                Some(p) => {
                    let fix = vec![Cell::new(c.input, Column::Point, &p.name)];
                    found(RULE.name, c, says, why).with_fix(format!("Set {}", p.name), fix)
                }
                None => found(RULE.name, c, says, why),
            }
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::super::bench::{rig, specimen};
    use super::*;
    use crate::geometry::Geometry;

    #[test]
    fn only_a_specimen_with_points_can_lack_one() {
        let r = rig(3);
        assert!(look(&Facts::of(&r)).is_empty());
        assert!(look(&Facts::of(&r).upon(&Geometry::default())).is_empty());
        let found = look(&Facts::of(&r).upon(&specimen(2)));
        assert_eq!(
            found.iter().map(|c| c.says.as_str()).collect::<Vec<_>>(),
            ["Input 3 is at point 3, which the geometry does not have"]
        );
        assert!(found[0].fix.is_empty());
    }

    #[test]
    fn a_point_written_another_way_is_set() {
        let mut r = rig(2);
        r.channels[1].point = "Point  2".into();
        let g = specimen(2);
        let found = look(&Facts::of(&r).upon(&g));
        assert_eq!(found[0].fix_says.as_deref(), Some("Set point 2"));
        let mended = r.edited(&found[0].fix, None).rig;
        assert!(look(&Facts::of(&mended).upon(&g)).is_empty());
    }
}
