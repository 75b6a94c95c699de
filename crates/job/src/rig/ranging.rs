//! Ranges that fit what was heard over a listening period.

use super::{Cell, Column, Rig};
use crate::Refusal;
use crate::front_end::FrontEnd;
use serde::Serialize;
use utoipa::ToSchema;

/// A range for an input, with its reason.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Ranged {
    /// The cell to set.
    pub cell: Cell,
    /// Range it has, V.
    pub from_v: f64,
    /// Largest voltage that was heard, V peak.
    pub heard_v: f64,
    /// Whether the old range was exceeded, so that this is a guess: listen again.
    pub listen_again: bool,
}

/// The smallest range that holds `peak_v` with `headroom` times its size; the largest there is
/// where none does. None without ranges.
pub fn suggested(ranges_v: &[f64], peak_v: f64, headroom: f64) -> Option<f64> {
    ranges_v.iter().copied().find(|r| *r >= peak_v * headroom).or_else(|| ranges_v.last().copied())
}

/// Inputs whose range should be another, from `heard`: input, held peak as share of the range, and
/// whether that was exceeded. Inputs on which nothing was heard keep theirs: silence tells nothing.
///
/// # Errors
/// A headroom outside 1 to 100.
pub fn ranged(
    rig: &Rig,
    front_end: &FrontEnd,
    heard: &[(u16, f64, bool)],
    headroom: f64,
) -> Result<Vec<Ranged>, Refusal> {
    if !(1.0..=100.0).contains(&headroom) {
        return Err(Refusal::new("headroom", format!("headroom must be 1 to 100 times the peak, not {headroom}")));
    }
    let mut all = Vec::new();
    for c in rig.active() {
        let Some((_, held, over)) = heard.iter().find(|h| h.0 == c.input) else { continue };
        let Some(offer) = front_end.input(c.input) else { continue };
        let heard_v = held * c.range_v;
        let to = if *over {
            offer.ranges_v.iter().copied().find(|r| *r > c.range_v)
        } else if *held > 2e-5 {
            suggested(&offer.ranges_v, heard_v, headroom)
        } else {
            None
        };
        if let Some(to) = to.filter(|to| *to != c.range_v) {
            let cell = Cell::new(c.input, Column::RangeV, format!("{to} V"));
            all.push(Ranged { cell, from_v: c.range_v, heard_v, listen_again: *over });
        }
    }
    Ok(all)
}
