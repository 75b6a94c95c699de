//! A measured row for an input the front end does not have.

use super::Rule;
use crate::caution::{Caution, Facts, found};
use crate::rig::{Cell, Column};

pub(super) const RULE: Rule =
    Rule { name: "input_not_there", looks_for: "a measured row for an input that is not connected", look };

fn look(facts: &Facts) -> Vec<Caution> {
    let Some(f) = facts.front_end else { return Vec::new() };
    let beyond = facts.active().filter(|c| f.input(c.input).is_none());
    beyond
        .map(|c| {
            let says = format!("Input {} is not there", c.input);
            let why = format!(
                "{} has {} inputs; nothing can be recorded until the row is off or its front end connected.",
                f.model,
                f.inputs.len()
            );
            let mut caution = found(RULE.name, c, says, why);
            caution.grave = true;
            caution.with_fix("Switch it off", vec![Cell::new(c.input, Column::On, "off")])
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::super::bench::rig;
    use super::*;
    use crate::front_end::FrontEnd;

    #[test]
    fn without_a_front_end_nothing_is_known() {
        let r = rig(2);
        assert!(look(&Facts::of(&r)).is_empty());
        let none = FrontEnd {
            model: "Lantern 24".into(),
            serial: "1".into(),
            firmware: "1".into(),
            rates_hz: vec![],
            clean_share: 0.4,
            converter_bits: 24,
            keeps_bytes: 0,
            inputs: vec![],
        };
        assert_eq!(look(&Facts::of(&r).on(Some(&none))).len(), 2);
    }
}
