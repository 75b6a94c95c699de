//! Two directions of a shaft against each other.

use super::head::{Head, packed};
use super::stage::Stage;

/// Points that a page can draw.
const POINTS: usize = 3000;

/// The last stretch of two inputs, with the places of the tachometer's pulses.
pub(super) fn orbit(stage: &Stage<'_>, pane: u32, (x, y): (u16, u16), seconds: f64) -> Option<Vec<u8>> {
    let most = ((seconds.clamp(0.01, 2.0) * stage.rate) as usize).max(2);
    let chosen = stage.chosen(&[x, y], 2);
    let [cx, cy] = chosen.as_slice() else { return None };
    let (a, b) = (stage.last(cx, most), stage.last(cy, most));
    // As many points as a page can draw; marks fall on the next of them.
    let step = a.len().div_ceil(POINTS).max(1);
    let marks = stage.marks(most).into_iter().map(|m| m / step).collect();
    let thin = |v: &[f64]| v.iter().step_by(step).copied().collect::<Vec<f64>>();
    let (a, b) = (thin(&a), thin(&b));
    let head = Head::Orbit { pane, points: a.len(), marks, unit: cx.unit().to_string() };
    Some(packed(&head, a.into_iter().chain(b)))
}
