//! Numbers the way engineers type them.

use crate::Refusal;

/// Reads a number above zero the way it is typed: decimal comma, thin spaces, real minus sign, and a
/// unit behind it.
///
/// # Errors
/// A sentence naming `field`.
pub fn typed_number(field: &str, text: &str) -> Result<(f64, String), Refusal> {
    let (number, unit) = typed_signed(field, text)?;
    if number <= 0.0 {
        return Err(refuse(field, &format!("is {}", text.trim())));
    }
    Ok((number, unit))
}

/// As [`typed_number`], with zero and negative numbers allowed.
///
/// # Errors
/// A sentence naming `field`.
pub fn typed_signed(field: &str, text: &str) -> Result<(f64, String), Refusal> {
    let clean: String =
        text.trim().replace(['\u{2009}', '\u{202f}', '\u{a0}'], " ").replace('\u{2212}', "-").replace(',', ".");
    if clean.is_empty() {
        return Err(refuse(field, "is empty"));
    }
    // The longest front part that reads as a number; what follows is the unit.
    let cut = (1..=clean.len())
        .rev()
        .filter(|&i| clean.is_char_boundary(i))
        .find(|&i| {
            let head = clean[..i].trim_end();
            !head.ends_with(|c: char| c.is_alphabetic()) && head.replace(' ', "").parse::<f64>().is_ok()
        })
        .ok_or_else(|| refuse(field, &format!("is “{}”, not a number", text.trim())))?;
    let number: f64 = clean[..cut].replace(' ', "").parse().map_err(|_| refuse(field, "is not a number"))?;
    if !number.is_finite() {
        return Err(refuse(field, &format!("is {}", text.trim())));
    }
    Ok((number, clean[cut..].trim().to_string()))
}

fn refuse(field: &str, why: &str) -> Refusal {
    Refusal::new(field, format!("{field} {why}; allowed is a number above 0, such as 10.2"))
}

/// A number as it is shown and typed again: no more digits than it has.
pub fn plain(x: f64) -> String {
    let rounded: f64 = format!("{x:.11e}").parse().unwrap_or(x);
    rounded.to_string()
}

/// A number with so many significant digits.
pub fn rounded(x: f64, digits: usize) -> f64 {
    format!("{x:.*e}", digits.saturating_sub(1)).parse().unwrap_or(x)
}
