//! Circuits of sensors, as the front end tells them in every block.

use crate::App;
use echo_link::Circuit;

/// Inputs whose supply finds an open or shorted circuit now, with the word for it.
pub(super) fn unsound(app: &App) -> Vec<(u16, &'static str)> {
    let word = |c: Circuit| match c {
        Circuit::InOrder => None,
        Circuit::Open => Some("open"),
        Circuit::Short => Some("shorted"),
    };
    app.capture.live().levels().iter().filter_map(|l| Some((l.input, word(l.circuit)?))).collect()
}
