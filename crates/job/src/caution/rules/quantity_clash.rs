//! A row that measures something else than its sensor.

use super::Rule;
use crate::caution::{Caution, Facts, found};

pub(super) const RULE: Rule =
    Rule { name: "quantity_clash", looks_for: "a row that measures something else than its sensor", look };

fn look(facts: &Facts) -> Vec<Caution> {
    let clashing = facts.active().filter_map(|c| facts.sensor(c).filter(|s| s.quantity != c.quantity).map(|s| (c, s)));
    clashing
        .map(|(c, s)| {
            let says = format!(
                "Input {} is set to {}, its sensor measures {}",
                facts.label(c.input),
                c.quantity.name(),
                s.quantity.name()
            );
            let why = format!("The register has {} with {} {}.", s.label(), s.sensitivity.value, s.sensitivity.unit);
            found(RULE.name, c, says, why).with_fix("Take the register's settings", s.cells(c.input))
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::super::bench::{day, rig, sensor};
    use super::*;
    use crate::unit::Quantity;

    #[test]
    fn the_register_settles_it() {
        let mut r = rig(2);
        r.channels[1] =
            r.edited(&[crate::rig::Cell::new(2, crate::rig::Column::Quantity, "force")], None).rig.channels[1].clone();
        let register = [sensor(20401), sensor(20402)];
        let found = look(&Facts::of(&r).registered(&register, day(2026, 5, 1)));
        assert_eq!(found.len(), 1);
        let mended = r.edited(&found[0].fix, None).rig;
        assert_eq!(mended.channels[1].quantity, Quantity::Acceleration);
        assert_eq!(mended.channels[1].sensitivity.value, 10.2);
    }
}
