//! A sensitivity in pC on an input that takes volts, and the like.

use super::Rule;
use crate::caution::{Caution, Facts, found};
use crate::rig::{Cell, Channel, Column, Coupling};
use crate::sensitivity::Output;

pub(super) const RULE: Rule = Rule {
    name: "coupling_fit",
    looks_for: "a sensitivity in volts, charge or mV/V that the input's coupling does not take",
    look,
};

fn look(facts: &Facts) -> Vec<Caution> {
    facts.active().filter_map(|c| one(c, facts)).collect()
}

fn one(c: &Channel, facts: &Facts) -> Option<Caution> {
    let gives = c.sensitivity.output().ok().filter(|o| *o != c.coupling.takes())?;
    let says = format!(
        "Input {} is coupled {} for a sensor in {}",
        facts.label(c.input),
        c.coupling.name(),
        c.sensitivity.unit
    );
    let offered = |to: &Coupling| facts.offer(c.input).is_none_or(|o| o.couplings.contains(to));
    let registered = facts.sensor(c).map(|s| s.coupling).filter(|to| to.takes() == gives);
    let usual = match gives {
        Output::Voltage => Coupling::Iepe,
        Output::Charge => Coupling::Charge,
        Output::Ratio => Coupling::BridgeFull,
    };
    let to = registered.unwrap_or(usual);
    if !offered(&to) {
        let why = format!("This input has no {}; no value can be told. Use an input that has.", to.name());
        return Some(found(RULE.name, c, says, why));
    }
    let why = format!("That takes {}; until then no value can be told.", gives.couplings());
    let fix = vec![Cell::new(c.input, Column::Coupling, to.name())];
    Some(found(RULE.name, c, says, why).with_fix(format!("Set {}", to.name()), fix))
}

#[cfg(test)]
mod tests {
    use super::super::bench::rig;
    use super::*;

    #[test]
    fn what_a_sensor_gives_must_be_what_its_input_takes() {
        let mut r = rig(4);
        r.channels[0].sensitivity.unit = "pC/(m/s²)".into();
        r.channels[1].sensitivity.unit = "mV/V/(m/s²)".into();
        r.channels[2].coupling = Coupling::BridgeHalf;
        let found = look(&Facts::of(&r));
        let fixes: Vec<(Option<u16>, &str)> = found.iter().map(|c| (c.input, c.fix[0].text.as_str())).collect();
        assert_eq!(fixes, [(Some(1), "Charge"), (Some(2), "Bridge full"), (Some(3), "IEPE")]);
        assert!(r.channels[0].full_scale().is_nan(), "no value is shown meanwhile");
    }
}
