//! Texts that a spreadsheet would carry out as formulas.
//!
//! A channel called `=HYPERLINK(…)` is only a name here, but a spreadsheet that opens the CSV runs it. An
//! apostrophe in front keeps it a text there, and is taken off when the file is read back.

use std::borrow::Cow;

/// What formulas begin with, and what spreadsheets skip before one.
fn begins_a_formula(text: &str) -> bool {
    text.starts_with(['=', '+', '-', '@', '\t', '\r', '＝', '＋', '－', '＠'])
}

/// A text as it is written: with an apostrophe in front where it would be a formula, or begins with
/// one or more apostrophes before what would be one. Numbers stay numbers.
pub(crate) fn guarded(text: &str) -> Cow<'_, str> {
    let formula = begins_a_formula(text.trim_start_matches('\''));
    if formula && text.parse::<f64>().is_err() { Cow::Owned(format!("'{text}")) } else { Cow::Borrowed(text) }
}

/// The text that was written.
pub(crate) fn unguarded(text: &str) -> &str {
    match text.strip_prefix('\'') {
        Some(rest) if begins_a_formula(rest.trim_start_matches('\'')) => rest,
        _ => text,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn formulas_are_kept_from_running_and_numbers_are_left_alone() {
        for text in ["=cmd|' /C calc'!A0", "+1+1", "@SUM(A1)", "-1+2", "\t=1", "'=1"] {
            assert!(guarded(text).starts_with('\''), "{text}");
        }
        for text in ["-1.5", "+3e-4", "bow, port", "'tween deck", "", "−3"] {
            assert_eq!(guarded(text), text);
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::default() })]
        #[test]
        fn what_was_written_comes_back(text in "['=+@a1-]{0,6}") {
            let written = guarded(&text);
            prop_assert_eq!(unguarded(&written), text.as_str());
        }
    }
}
