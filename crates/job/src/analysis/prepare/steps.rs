//! Steps of preparation carried out on a whole piece of a channel.
//!
//! A piece is samples with a rate and with where its first one stands, as trimming and resampling
//! change both.

use crate::analysis::AnalysisError;
use crate::recipe::{Design, Step};
use echo_signal::filter::{Band, Family, Filter};
use echo_signal::{motion, resample, trend};

fn family(design: Design, ripple_db: f64) -> Family {
    match design {
        Design::Butterworth => Family::Butterworth,
        Design::Bessel => Family::Bessel,
        Design::Chebyshev => Family::Chebyshev(ripple_db),
    }
}

/// Samples on their way through the steps.
pub struct Piece {
    /// The samples.
    pub samples: Vec<f64>,
    /// Samples a second, Hz.
    pub rate: f64,
    /// Time of the first one from where the piece began, s.
    pub start_s: f64,
}

/// The rate after all steps, Hz.
pub fn rate_after(steps: &[Step], rate: f64) -> f64 {
    steps.iter().fold(rate, |rate, s| if let Step::Resample { rate_hz } = s { *rate_hz } else { rate })
}

/// What all steps together trim off the start and the end, s.
pub fn trimmed(steps: &[Step]) -> (f64, f64) {
    steps.iter().fold((0.0, 0.0), |(a, b), s| match s {
        Step::Trim { start_s, end_s } => (a + start_s, b + end_s),
        _ => (a, b),
    })
}

/// Takes samples off both ends; nothing may be left.
fn trim(piece: &mut Piece, start_s: f64, end_s: f64) {
    let n = piece.samples.len();
    let first = ((start_s * piece.rate).round() as usize).min(n);
    let last = n - ((end_s * piece.rate).round() as usize).min(n - first);
    piece.samples.truncate(last);
    piece.samples.drain(..first);
    piece.start_s += first as f64 / piece.rate;
}

/// Carries a step out.
///
/// # Errors
/// A setting that the samples' rate or number does not allow.
pub fn apply(step: &Step, piece: &mut Piece) -> Result<(), AnalysisError> {
    let rate = piece.rate;
    let samples = &mut piece.samples;
    let (band, order, one_pass, family) = match *step {
        Step::Detrend {} => return Ok(trend::remove_line(samples)?),
        Step::Zero {} => return Ok(trend::remove_mean(samples)?),
        Step::Integrate { times, above_hz } => {
            *samples = motion::integrate(samples, rate, times, above_hz)?;
            return Ok(());
        }
        Step::Differentiate { times } => {
            *samples = motion::differentiate(samples, rate, times)?;
            return Ok(());
        }
        Step::Trim { start_s, end_s } => {
            trim(piece, start_s, end_s);
            return Ok(());
        }
        Step::Resample { rate_hz } => {
            let (up, down) = resample::ratio(rate, rate_hz)?;
            *samples = resample::resample(samples, up, down)?;
            piece.rate = rate_hz;
            return Ok(());
        }
        Step::Highpass { edge_hz, order, one_pass, design, ripple_db } => {
            (Band::Highpass(edge_hz), order, one_pass, family(design, ripple_db))
        }
        Step::Lowpass { edge_hz, order, one_pass, design, ripple_db } => {
            (Band::Lowpass(edge_hz), order, one_pass, family(design, ripple_db))
        }
        Step::Bandpass { band_hz: [lo, hi], order, one_pass, design, ripple_db } => {
            (Band::Bandpass(lo, hi), order, one_pass, family(design, ripple_db))
        }
        Step::Bandstop { band_hz: [lo, hi], order, one_pass, design, ripple_db } => {
            (Band::Bandstop(lo, hi), order, one_pass, family(design, ripple_db))
        }
    };
    let mut filter = Filter::design(family, band, order, rate)?;
    if one_pass {
        filter.run(samples);
    } else {
        filter.zero_phase(samples)?;
    }
    Ok(())
}
