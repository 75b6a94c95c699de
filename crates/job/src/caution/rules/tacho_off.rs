//! A tachometer whose input is not measured.

use super::Rule;
use crate::caution::{Caution, Facts, found_in_plan};
use crate::rig::{Cell, Column};

pub(super) const RULE: Rule = Rule { name: "tacho_off", looks_for: "a tachometer whose input is off", look };

fn look(facts: &Facts) -> Vec<Caution> {
    let Some((plan, rig)) = facts.plan() else { return Vec::new() };
    let off = plan.tachos.iter().filter_map(|t| rig.channel(t.input)).filter(|c| !c.on);
    off.map(|c| {
        let says = format!("The tachometer on input {} is off", facts.label(c.input));
        let why = "Its pulses are not recorded: no speed and no orders can be found.";
        found_in_plan(RULE.name, Some(c), says, why)
            .with_fix("Switch the input on", vec![Cell::new(c.input, Column::On, "on")])
    })
    .collect()
}

#[cfg(test)]
mod tests {
    use super::super::bench::rig;
    use super::*;
    use crate::plan::Plan;
    use crate::tacho::Tachometer;

    #[test]
    fn pulses_must_be_recorded() {
        let tacho = r#"{"input": 2, "threshold": 2, "hysteresis": 0.5, "unit": "V"}"#;
        let plan = Plan { tachos: vec![serde_json::from_str::<Tachometer>(tacho).unwrap()], ..Plan::default() };
        let mut r = rig(2);
        assert!(look(&Facts::of(&r).planned(&plan, None)).is_empty());
        r.channels[1].on = false;
        let found = look(&Facts::of(&r).planned(&plan, None));
        assert_eq!(found.len(), 1);
        assert!(r.edited(&found[0].fix, None).rig.channels[1].on, "the fix switches it on");
        assert!(look(&Facts::of(&r)).is_empty(), "without a plan there is no tachometer");
    }
}
