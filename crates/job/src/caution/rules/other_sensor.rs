//! A smart sensor that is not the one its row names.

use super::{Rule, swapped_pair};
use crate::caution::{Caution, Facts, found};
use crate::rig::{Cell, Column};

pub(super) const RULE: Rule =
    Rule { name: "other_sensor", looks_for: "an input whose sensor is not the one its row names", look };

fn look(facts: &Facts) -> Vec<Caution> {
    let swapped: Vec<u16> = swapped_pair::pairs(facts).into_iter().flat_map(|(a, b)| [a.input, b.input]).collect();
    facts
        .misplaced()
        .filter(|(c, _)| !swapped.contains(&c.input))
        .map(|(c, told)| {
            let says = format!("Input {} carries {told}, the row names {}", facts.label(c.input), c.sensor);
            let why = "The sensor told who it is; the row's sensitivity belongs to another one.";
            found(RULE.name, c, says, why)
                .with_fix(format!("Take {told}"), vec![Cell::new(c.input, Column::Sensor, told)])
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::super::bench::rig;
    use super::*;

    #[test]
    fn tells_a_stranger_but_not_a_swapped_pair_again() {
        let r = rig(4);
        let told = [(1, "QA-31, 20401"), (2, "QA-31, 20403"), (3, "QA-31, 20402"), (4, "QA-31, 777")];
        let found = look(&Facts::of(&r).plugged(told.map(|(i, l)| (i, l.to_string()))));
        assert_eq!(found.iter().map(|c| c.input).collect::<Vec<_>>(), [Some(4)]);
    }
}
