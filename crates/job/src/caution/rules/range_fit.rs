//! A range the held level does not fit: nearly clipped, or lost in noise.

use super::Rule;
use crate::caution::{Caution, Facts, found};
use crate::rig::ranging::suggested;
use crate::rig::{Cell, Channel, Column, Coupling};

pub(super) const RULE: Rule =
    Rule { name: "range_fit", looks_for: "a range too small or far too large for what is heard", look };

/// Above this share there is no room for what comes next.
const CLOSE: f64 = 0.8;
/// Below this share five bits of the converter are given away.
const LOST: f64 = 0.03;

fn look(facts: &Facts) -> Vec<Caution> {
    facts.active().filter_map(|c| one(c, facts)).collect()
}

fn one(c: &Channel, facts: &Facts) -> Option<Caution> {
    let level = facts.level(c.input).filter(|l| !l.over)?;
    let label = facts.label(c.input);
    let ranges = &facts.offer(c.input)?.ranges_v;
    let share = level.held_share;
    let (says, why, to) = if share > CLOSE {
        let wider = ranges.iter().copied().find(|r| *r > c.range_v)?;
        (
            format!("Input {label} reaches {:.0} % of its range", share * 100.0),
            "A little more and it is cut off.".to_string(),
            wider,
        )
    } else if share > 2e-5 && share < LOST && c.coupling != Coupling::Dc {
        let fitting = suggested(ranges, share * c.range_v, 4.0)?;
        if fitting >= c.range_v {
            return None;
        }
        (
            format!(
                "Input {label} uses {} % of its range",
                crate::entry::number::plain(crate::entry::number::rounded(share * 100.0, 2))
            ),
            format!("A range of {fitting} V leaves four times the room it needs and less noise."),
            fitting,
        )
    } else {
        return None;
    };
    Some(found(RULE.name, c, says, why).with_fix(format!("Set {to} V"), set(c, to)))
}

fn set(c: &Channel, volts: f64) -> Vec<Cell> {
    vec![Cell::new(c.input, Column::RangeV, format!("{volts} V"))]
}

#[cfg(test)]
mod tests {
    use super::super::bench::{front_end, rig};
    use super::*;
    use crate::caution::LevelSeen;

    #[test]
    fn room_is_neither_scarce_nor_given_away() {
        let r = rig(4);
        let front_end = front_end(4);
        let level = |share| LevelSeen { peak_share: share, held_share: share, over: false };
        let heard = [(1, level(0.9)), (2, level(0.5)), (3, level(0.01)), (4, level(1e-6))];
        let found = look(&Facts::of(&r).heard(heard).on(Some(&front_end)));
        let fixes: Vec<(Option<u16>, &str)> = found.iter().map(|c| (c.input, c.fix[0].text.as_str())).collect();
        assert_eq!(fixes, [(Some(1), "10 V"), (Some(3), "0.5 V")], "the silent one is another rule's");
        assert_eq!(suggested(&[0.1, 1.0], 5.0, 2.0), Some(1.0));
    }
}
