//! An input that hears less than any sensor's own noise.

use super::Rule;
use crate::caution::{Caution, Facts, found};
use crate::rig::{Cell, Column, Coupling};
use crate::unit::Quantity;

pub(super) const RULE: Rule = Rule { name: "dead_input", looks_for: "an input on which nothing is heard", look };

/// Below this share of the range there is only the converter's own noise.
const SILENT: f64 = 2e-5;

fn look(facts: &Facts) -> Vec<Caution> {
    let silent = facts.active().filter(|c| facts.level(c.input).is_some_and(|l| l.peak_share < SILENT));
    silent
        .map(|c| {
            let says = format!("Input {} hears nothing", facts.label(c.input));
            let unfed = matches!(c.coupling, Coupling::Dc | Coupling::Ac) && c.quantity == Quantity::Acceleration;
            let why = match (c.coupling, unfed) {
                (Coupling::Iepe, _) => "Cable open, sensor unplugged or broken.",
                (_, true) => "A sensor with built-in electronics needs IEPE coupling.",
                (Coupling::Charge, _) => "Cable open, or a sensor with electronics, which gives no charge.",
                (Coupling::BridgeFull | Coupling::BridgeHalf | Coupling::BridgeQuarter, _) => {
                    "Supply line open, or a sensor that is no bridge."
                }
                _ => "Cable open, source without supply, or a range far too large.",
            };
            let caution = found(RULE.name, c, says, why);
            match unfed {
                true => caution.with_fix("Set IEPE", vec![Cell::new(c.input, Column::Coupling, "IEPE")]),
                false => caution,
            }
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::super::bench::rig;
    use super::*;
    use crate::caution::LevelSeen;

    #[test]
    fn an_unfed_accelerometer_gets_its_supply_and_an_open_cable_a_word() {
        let mut r = rig(3);
        r.channels[0].coupling = Coupling::Dc;
        let level = |peak_share| LevelSeen { peak_share, ..LevelSeen::default() };
        let found = look(&Facts::of(&r).heard([(1, level(1e-6)), (2, level(1e-6)), (3, level(1e-3))]));
        assert_eq!(found.iter().map(|c| c.input).collect::<Vec<_>>(), [Some(1), Some(2)]);
        assert_eq!(found[0].fix, [Cell::new(1, Column::Coupling, "IEPE")]);
        assert!(found[1].fix.is_empty() && found[1].why.contains("open"));
    }
}
