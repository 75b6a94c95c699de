//! A sensor that is entered as looking against its direction.

use super::Rule;
use crate::caution::{Caution, Facts, found};
use crate::dof::Sign;
use crate::rig::{Cell, Column};

pub(super) const RULE: Rule =
    Rule { name: "against_axis", looks_for: "a sensor that looks against its direction", look };

fn look(facts: &Facts) -> Vec<Caution> {
    let Some(places) = facts.places() else { return Vec::new() };
    facts
        .active()
        .filter_map(|c| {
            let dof = c.dof().filter(|d| d.sign == Sign::Minus)?;
            places.way(&dof)?;
            let says = format!("Input {} looks against {} of {}", facts.label(c.input), dof.direction, dof.point);
            let why = "Its sign is turned in shapes and files. Right for a sensor that hangs upside down: let it pass then, with a word on that.";
            let fix = vec![Cell::new(c.input, Column::Direction, &dof.direction)];
            Some(found(RULE.name, c, says, why).with_fix(format!("Set {}", dof.direction), fix))
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::super::bench::{rig, specimen};
    use super::*;

    #[test]
    fn a_minus_is_asked_about_where_the_axis_is_known() {
        let mut r = rig(3);
        r.channels[0].direction = "-z".into();
        r.channels[1].direction = "−radial".into();
        assert!(look(&Facts::of(&r)).is_empty());
        let g = specimen(3);
        let found = look(&Facts::of(&r).upon(&g));
        assert_eq!(found.iter().map(|c| c.says.as_str()).collect::<Vec<_>>(), ["Input 1 looks against z of point 1"]);
        let mended = r.edited(&found[0].fix, None).rig;
        assert_eq!(mended.channels[0].direction, "z");
    }
}
