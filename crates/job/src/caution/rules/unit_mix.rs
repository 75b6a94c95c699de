//! Sensors of one type shown in different units.

use super::Rule;
use crate::caution::{Caution, Facts, found};
use crate::rig::{Cell, Column};
use std::collections::HashMap;

pub(super) const RULE: Rule =
    Rule { name: "unit_mix", looks_for: "a few rows shown in another unit than the rest of their quantity", look };

fn look(facts: &Facts) -> Vec<Caution> {
    let mut counts: HashMap<(&str, &str), usize> = HashMap::new();
    for c in facts.active() {
        *counts.entry((c.quantity.name(), c.unit.as_str())).or_default() += 1;
    }
    facts
        .active()
        .filter_map(|c| {
            let own = counts.get(&(c.quantity.name(), c.unit.as_str())).copied().unwrap_or(0);
            let (usual, n) = counts
                .iter()
                .filter(|((q, _), _)| *q == c.quantity.name())
                .max_by_key(|((_, u), n)| (**n, std::cmp::Reverse(*u)))
                .map(|((_, u), n)| (*u, *n))?;
            // A rig that is half and half has its reasons.
            (usual != c.unit && own * 4 < n).then(|| {
                let says = format!("Input {} is shown in {}, {n} others in {usual}", facts.label(c.input), c.unit);
                found(RULE.name, c, says, "Numbers side by side are easily compared without looking at their units.")
                    .with_fix(format!("Show it in {usual}"), vec![Cell::new(c.input, Column::Unit, usual)])
            })
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::super::bench::rig;
    use super::*;

    #[test]
    fn the_odd_one_is_told_and_halves_are_not() {
        let mut r = rig(6);
        r.channels[3].unit = "g".into();
        let found = look(&Facts::of(&r));
        assert_eq!(found.len(), 1);
        assert_eq!(found[0].fix, [Cell::new(4, Column::Unit, "m/s²")]);
        r.channels[4].unit = "g".into();
        assert!(look(&Facts::of(&r)).is_empty());
    }
}
