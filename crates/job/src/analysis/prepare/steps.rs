//! Steps of preparation carried out on a whole piece of a channel.

use crate::analysis::AnalysisError;
use crate::recipe::{Design, Step};
use echo_signal::filter::{Band, Family, Filter};
use echo_signal::{motion, trend};

fn family(design: Design, ripple_db: f64) -> Family {
    match design {
        Design::Butterworth => Family::Butterworth,
        Design::Bessel => Family::Bessel,
        Design::Chebyshev => Family::Chebyshev(ripple_db),
    }
}

/// Carries a step out.
///
/// # Errors
/// A setting that the samples' rate or number does not allow.
pub fn apply(step: &Step, samples: &mut Vec<f64>, rate: f64) -> Result<(), AnalysisError> {
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
