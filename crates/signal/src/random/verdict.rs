//! Whether what is measured stays within its lines.

use crate::error::{Result, argument};

/// Lines about what is wanted, in dB, and how many may lie beyond.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Limits {
    /// Alarm: below and above, dB (the first negative).
    pub alarm_db: (f64, f64),
    /// Abort: below and above, dB.
    pub abort_db: (f64, f64),
    /// Lines beyond abort that are borne.
    pub abort_lines: usize,
    /// Abort of the rms over the band: below and above, dB.
    pub rms_abort_db: (f64, f64),
}

impl Default for Limits {
    /// Alarm at ±3 dB as IEC 60068-2-64 has it, abort at ±6 dB on more than ten lines or ±3 dB of rms.
    fn default() -> Limits {
        Limits { alarm_db: (-3.0, 3.0), abort_db: (-6.0, 6.0), abort_lines: 10, rms_abort_db: (-3.0, 3.0) }
    }
}

/// What is found.
#[derive(Debug, Clone, PartialEq)]
pub struct LineVerdict {
    /// Lines beyond the alarm.
    pub alarmed: Vec<usize>,
    /// Lines beyond the abort.
    pub beyond: Vec<usize>,
    /// Measured rms over the wanted one, dB.
    pub rms_db: f64,
    /// Largest deviation of a line, dB, with its sign.
    pub worst_db: f64,
    /// Why the run must end, if it must.
    pub abort: Option<Abort>,
}

/// Why a run must end.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Abort {
    /// More lines than are borne lie beyond the abort.
    Lines(usize),
    /// The rms is off by so many dB.
    Rms(f64),
}

/// Measured density against the wanted one, on lines where something is wanted.
///
/// # Errors
/// Different numbers of lines; nothing wanted; limits that do not lie about 0 dB.
pub fn verdict(measured: &[f64], wanted: &[f64], limits: &Limits) -> Result<LineVerdict> {
    if measured.len() != wanted.len() {
        let got = format!("{} lines", measured.len());
        return Err(argument("measured", got, format!("as many lines as are wanted, {}", wanted.len())));
    }
    for (name, (low, high)) in
        [("alarm_db", limits.alarm_db), ("abort_db", limits.abort_db), ("rms_abort_db", limits.rms_abort_db)]
    {
        if !(low < 0.0 && high > 0.0) {
            return Err(argument(name, format!("{low} to {high}"), "below 0 dB to above 0 dB"));
        }
    }
    let lines: Vec<usize> = (0..wanted.len()).filter(|k| wanted[*k] > 0.0).collect();
    if lines.is_empty() {
        return Err(argument("wanted", "0 on every line", "a line above 0"));
    }
    let off = |k: &usize| 10.0 * (measured[*k] / wanted[*k]).log10();
    // What is no number is beyond every line.
    let beyond = |k: &usize, (low, high): (f64, f64)| !(low..=high).contains(&off(k));
    let sum = |of: &[f64]| lines.iter().map(|k| of[*k]).sum::<f64>();
    let rms_db = 10.0 * (sum(measured) / sum(wanted)).log10();
    let worst_db = lines.iter().map(off).fold(0.0, |w: f64, d| if d.abs() > w.abs() { d } else { w });
    let out: Vec<usize> = lines.iter().copied().filter(|k| beyond(k, limits.abort_db)).collect();
    let (low, high) = limits.rms_abort_db;
    let abort = if out.len() > limits.abort_lines {
        Some(Abort::Lines(out.len()))
    } else if !(low..=high).contains(&rms_db) {
        Some(Abort::Rms(rms_db))
    } else {
        None
    };
    let alarmed = lines.into_iter().filter(|k| beyond(k, limits.alarm_db)).collect();
    Ok(LineVerdict { alarmed, beyond: out, rms_db, worst_db, abort })
}
