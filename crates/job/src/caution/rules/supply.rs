//! Supply current where it does harm, or missing where it is needed.

use super::Rule;
use crate::caution::{Caution, Facts, found};
use crate::rig::{Cell, Channel, Column, Coupling};
use crate::unit::Quantity;

pub(super) const RULE: Rule = Rule {
    name: "supply",
    looks_for: "supply current into a voltage source, or none for a sensor that needs it",
    look,
};

fn look(facts: &Facts) -> Vec<Caution> {
    facts.active().filter_map(|c| one(c, facts)).collect()
}

fn one(c: &Channel, facts: &Facts) -> Option<Caution> {
    let label = facts.label(c.input);
    let known = facts.sensor(c).map(|s| s.coupling);
    let feeds = c.coupling == Coupling::Iepe;
    let voltage = matches!(c.quantity, Quantity::Voltage | Quantity::Displacement);
    let set = |to: Coupling| vec![Cell::new(c.input, Column::Coupling, to.name())];
    match known {
        Some(Coupling::Iepe) if !feeds => {
            let says = format!("Input {label} gives no supply to a sensor that needs it");
            let why = format!("{} has built-in electronics; without IEPE it is silent.", c.sensor);
            Some(found(RULE.name, c, says, why).with_fix("Set IEPE", set(Coupling::Iepe)))
        }
        Some(right) if feeds && right != Coupling::Iepe => {
            Some(harm(c, &label).with_fix(format!("Set {}", right.name()), set(right)))
        }
        None if feeds && voltage => Some(harm(c, &label).with_fix("Set DC", set(Coupling::Dc))),
        _ => None,
    }
}

fn harm(c: &Channel, label: &str) -> Caution {
    let says = format!("Input {label} feeds supply current into a voltage source");
    let why = format!(
        "{} is measured as {}; the constant current shifts it and can harm the source.",
        c.name,
        c.quantity.name()
    );
    found(RULE.name, c, says, why)
}

#[cfg(test)]
mod tests {
    use super::super::bench::{day, rig, sensor};
    use super::*;

    #[test]
    fn both_ways_are_told() {
        let mut r = rig(3);
        r.channels[0].coupling = Coupling::Ac;
        r.channels[1] = r.edited(&[Cell::new(2, Column::Quantity, "voltage")], None).rig.channels[1].clone();
        r.channels[1].sensor.clear();
        let register = [sensor(20401), sensor(20403)];
        let found = look(&Facts::of(&r).registered(&register, day(2026, 5, 1)));
        let fixes: Vec<(Option<u16>, &str)> = found.iter().map(|c| (c.input, c.fix[0].text.as_str())).collect();
        assert_eq!(fixes, [(Some(1), "IEPE"), (Some(2), "DC")]);
    }
}
