//! Lengths as they are typed: a time, a number of samples, or turns at a speed.

use super::LONGEST_S;
use crate::Refusal;
use crate::entry::{Asked, typed_number};

/// Seconds of a typed length: `30 s`, `5 min`, `65536 samples`, `200 rev` (at `rpm`) or
/// `200 rev at 1500 rpm`.
///
/// # Errors
/// What is allowed, also when turns are given and no speed is known.
pub fn typed_length(text: &str, sample_rate_hz: f64, rpm: Option<f64>) -> Result<f64, Refusal> {
    let wrong = |why: &str| {
        Refusal::new(
            "duration_s",
            format!(
                "the length must be a time such as 30 s, 5 min or 1.5 h, samples such as 65536 samples, or turns such as 200 rev at 1500 rpm, not “{}”{why}",
                text.trim()
            ),
        )
    };
    let (length, speed) = match text.split_once(" at ") {
        Some((l, s)) => (l, Some(s)),
        None => (text, None),
    };
    let (value, unit) = typed_number("duration_s", length).map_err(|_| wrong(""))?;
    let rpm = match speed {
        None => rpm.filter(|r| *r > 0.0),
        Some(s) => Some(Asked::positive("the speed", "rpm").number(s).map_err(|e| e.of("duration_s"))?),
    };
    let seconds = match unit.to_lowercase().as_str() {
        "samples" | "sample" => value / sample_rate_hz,
        "rev" | "revs" | "turns" | "turn" => value * 60.0 / rpm.ok_or_else(|| wrong(" and no speed is known"))?,
        _ => Asked::positive("the length", "s").number(length).map_err(|_| wrong(""))?,
    };
    if seconds > 0.0 && seconds <= LONGEST_S { Ok(seconds) } else { Err(wrong(", which is no time up to a week")) }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn times_samples_and_turns_are_understood() {
        for (text, rpm, seconds) in [
            ("30", None, 30.0),
            ("250 ms", None, 0.25),
            ("1,5 h", None, 5400.0),
            ("65536 samples", None, 64.0),
            ("200 rev", Some(1500.0), 8.0),
            ("200 rev at 3000 rpm", Some(1500.0), 4.0),
            ("1 turn at 60", None, 1.0),
        ] {
            assert!((typed_length(text, 1024.0, rpm).unwrap() - seconds).abs() < 1e-12, "{text}");
        }
        for (text, word) in [
            ("soon", "must be"),
            ("200 rev", "no speed"),
            ("-3 s", "must be"),
            ("0", "must be"),
            ("9 d", "week"),
            ("3 rev at 5 m/s", "rpm"),
            ("3 fortnights", "must be"),
        ] {
            let says = typed_length(text, 1024.0, None).unwrap_err().says;
            assert!(says.contains(word), "{text}: {says}");
        }
    }
}
