//! The signal reached past the range.

use super::Rule;
use crate::caution::{Caution, Facts, found};
use crate::rig::{Cell, Column};

pub(super) const RULE: Rule = Rule { name: "clipped", looks_for: "a signal that reached past its range", look };

fn look(facts: &Facts) -> Vec<Caution> {
    let clipped = facts.active().filter(|c| facts.level(c.input).is_some_and(|l| l.over));
    clipped
        .map(|c| {
            let says = format!("Input {} is over its range", facts.label(c.input));
            let why = format!("The signal reaches past {} V; what is recorded is cut off.", c.range_v);
            let mut caution = found(RULE.name, c, says, why);
            caution.grave = true;
            let wider = facts.offer(c.input).and_then(|o| o.ranges_v.iter().copied().find(|r| *r > c.range_v));
            match wider {
                Some(v) => {
                    caution.with_fix(format!("Set {v} V"), vec![Cell::new(c.input, Column::RangeV, format!("{v} V"))])
                }
                None => caution,
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
    fn tells_only_the_input_that_was_over() {
        let r = rig(3);
        let level = |over| LevelSeen { peak_share: 0.5, held_share: 1.0, over };
        let found = look(&Facts::of(&r).heard([(1, level(false)), (2, level(true))]));
        assert_eq!(found.len(), 1);
        assert!(found[0].grave && found[0].input == Some(2) && found[0].fix.is_empty(), "no offer, no guess");
    }
}
