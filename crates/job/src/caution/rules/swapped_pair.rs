//! Two smart sensors that hang on each other's inputs.

use super::Rule;
use crate::caution::{Caution, Facts, found};
use crate::rig::Channel;

pub(super) const RULE: Rule =
    Rule { name: "swapped_pair", looks_for: "two sensors plugged into each other's inputs", look };

/// Pairs whose sensors are each in the other's input, the lower input first.
pub(super) fn pairs<'a>(facts: &Facts<'a>) -> Vec<(&'a Channel, &'a Channel)> {
    let wrong: Vec<(&Channel, &str)> = facts.misplaced().collect();
    let mut pairs = Vec::new();
    for (a, told) in &wrong {
        let other = wrong.iter().find(|(b, back)| b.input > a.input && b.sensor == *told && *back == a.sensor);
        pairs.extend(other.map(|(b, _)| (*a, *b)));
    }
    pairs
}

fn look(facts: &Facts) -> Vec<Caution> {
    pairs(facts)
        .into_iter()
        .map(|(a, b)| {
            let says =
                format!("Inputs {} and {} are swapped", facts.label(a.input), facts.label(b.input));
            let why = format!(
                "{} is plugged where {} belongs and the other way round; {} and {} would be recorded under each other's names.",
                a.sensor, b.sensor, a.name, b.name
            );
            // The cables stay: each row follows its sensor, with name and place.
            let mut cells = b.carried_to(a.input);
            cells.extend(a.carried_to(b.input));
            found(RULE.name, a, says, why).with_fix("Swap the two rows", cells)
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::super::bench::rig;
    use super::*;

    #[test]
    fn the_fix_brings_each_row_to_its_sensor() {
        let r = rig(4);
        let told = [(2, "QA-31, 20403"), (3, "QA-31, 20402"), (4, "QA-31, 20404")];
        let told = told.map(|(i, l)| (i, l.to_string()));
        let found = look(&Facts::of(&r).plugged(told.clone()));
        assert_eq!(found.len(), 1);
        assert_eq!(found[0].says, "Inputs 2 and 3 are swapped");
        let mended = r.edited(&found[0].fix, None);
        assert!(mended.refused.is_empty(), "{:?}", mended.refused);
        assert_eq!(mended.rig.channels[1].name, "channel 3");
        assert_eq!(mended.rig.channels[2].point, "point 2");
        assert!(look(&Facts::of(&mended.rig).plugged(told)).is_empty());
    }
}
