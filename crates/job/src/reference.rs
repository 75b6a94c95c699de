//! A sensor checked against a known excitation: pairs of reference and reading, fit, new sensitivity.
//!
//! Sources: ISO 16063-21 (comparison with a reference transducer; deviations relative to the
//! reference value), ordinary least squares for gain and offset.

use crate::Refusal;
use crate::sensitivity::Sensitivity;
use echo_signal::peak::{highest, interpolate};
use echo_signal::spectrum::{Averaging, Scaling, SpectrumSettings, spectrum};
use echo_signal::window::Window;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A level read from samples.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, ToSchema)]
pub struct Reading {
    /// Level, rms, in the unit of the samples.
    pub rms: f64,
    /// Frequency of the tone, Hz.
    pub hz: f64,
    /// Spread of the level between fifths of the reading, as a share of it: how steady it was.
    pub spread: f64,
}

/// Share of the wished frequency within which the tone is looked for.
const SEARCH: f64 = 0.15;

/// Reads the tone near `hz` from samples.
///
/// # Errors
/// Too few samples for the frequency, or no tone that stands out there.
pub fn tone(samples: &[f64], sample_rate_hz: f64, hz: f64) -> Result<Reading, Refusal> {
    let refuse = |says: String| Refusal::new("reading", says);
    if !(hz > 0.0 && hz < 0.4 * sample_rate_hz) {
        return Err(refuse(format!(
            "a tone of {hz} Hz cannot be read at {sample_rate_hz} samples a second; allowed: up to {} Hz",
            0.4 * sample_rate_hz
        )));
    }
    let periods = samples.len() as f64 / sample_rate_hz * hz;
    if periods < 50.0 {
        return Err(refuse(format!(
            "{periods:.0} periods of {hz} Hz were read; allowed: 50 or more: read for {:.1} s",
            50.0 / hz
        )));
    }
    let read = |part: &[f64]| -> Option<(f64, f64)> {
        let block = part.len();
        let settings = SpectrumSettings {
            sample_rate_hz,
            block,
            overlap: 0.0,
            window: Window::Hann,
            averaging: Averaging::Linear,
        };
        let found = spectrum(part, settings).ok()?;
        let values = found.values(Scaling::Rms);
        let line_hz = found.line_spacing_hz();
        let (lo, hi) = (((1.0 - SEARCH) * hz / line_hz) as usize, ((1.0 + SEARCH) * hz / line_hz).ceil() as usize + 2);
        let lo = lo.saturating_sub(1);
        let near = values.get(lo..hi.min(values.len()))?;
        let top = *highest(near, 1, 1).first()? + lo;
        let peak = interpolate(&values, top, Window::Hann, block);
        Some((peak.amplitude, peak.line * line_hz))
    };
    let nothing = || refuse(format!("no tone stands out near {hz} Hz; is the excitation on, and the sensor on it?"));
    let (rms, found_hz) = read(samples).ok_or_else(nothing)?;
    let mean = samples.iter().sum::<f64>() / samples.len() as f64;
    let all = (samples.iter().map(|x| (x - mean).powi(2)).sum::<f64>() / samples.len() as f64).sqrt();
    // A tone that is less than a third of what is heard is noise.
    if !(rms > 0.0 && rms > all / 3.0) {
        return Err(nothing());
    }
    let fifths: Vec<f64> = samples.chunks_exact(samples.len() / 5).filter_map(|part| read(part).map(|r| r.0)).collect();
    let middle = fifths.iter().sum::<f64>() / fifths.len().max(1) as f64;
    let spread = (fifths.iter().map(|x| (x - middle).powi(2)).sum::<f64>() / fifths.len().max(1) as f64).sqrt() / rms;
    Ok(Reading { rms, hz: found_hz, spread })
}

/// A reference value and what was read for it, both rms in the same unit.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Pair {
    /// The known value.
    pub reference: f64,
    /// What the channel read.
    pub reading: f64,
}

/// What follows from pairs.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Fit {
    /// Reading a unit of reference.
    pub gain: f64,
    /// Reading without excitation, in the pairs' unit; 0 where one level was used.
    pub offset: f64,
    /// Largest distance from the straight line, as a share of the largest reference; none for fewer
    /// than three levels.
    pub linearity: Option<f64>,
    /// Largest deviation of a reading from its reference, as a share of that.
    pub worst: f64,
    /// Deviation of each reading from its reference, as a share of that.
    pub deviations: Vec<f64>,
    /// The sensitivity with which the readings would have been right.
    pub sensitivity: Sensitivity,
}

/// Levels that differ by less than this share are one.
const SAME: f64 = 0.02;

/// Fits a straight line through pairs that were read with `was` as sensitivity.
///
/// # Errors
/// No pair, or a value that is not above zero.
pub fn fit(pairs: &[Pair], was: &Sensitivity) -> Result<Fit, Refusal> {
    if pairs.is_empty() {
        return Err(Refusal::new("pairs", "no pair was read yet; allowed: one or more"));
    }
    if let Some(p) = pairs
        .iter()
        .find(|p| !(p.reference > 0.0 && p.reading > 0.0 && p.reference.is_finite() && p.reading.is_finite()))
    {
        return Err(Refusal::new(
            "pairs",
            format!("both numbers of a pair must be above 0, not {} and {}", p.reference, p.reading),
        ));
    }
    let mut levels: Vec<f64> = pairs.iter().map(|p| p.reference).collect();
    levels.sort_by(f64::total_cmp);
    levels.dedup_by(|a, b| (*a / *b - 1.0).abs() < SAME);
    let n = pairs.len() as f64;
    let (mx, my) =
        (pairs.iter().map(|p| p.reference).sum::<f64>() / n, pairs.iter().map(|p| p.reading).sum::<f64>() / n);
    let (gain, offset) = if levels.len() < 2 {
        (my / mx, 0.0)
    } else {
        let sxy: f64 = pairs.iter().map(|p| (p.reference - mx) * (p.reading - my)).sum();
        let sxx: f64 = pairs.iter().map(|p| (p.reference - mx).powi(2)).sum();
        (sxy / sxx, my - sxy / sxx * mx)
    };
    if gain <= 0.0 {
        return Err(Refusal::new(
            "pairs",
            "the readings fall while the reference rises; are both on the same excitation?",
        ));
    }
    let most = levels.last().copied().unwrap_or(mx);
    let off = |p: &Pair| (p.reading - offset - gain * p.reference).abs() / most;
    let deviations: Vec<f64> = pairs.iter().map(|p| p.reading / p.reference - 1.0).collect();
    Ok(Fit {
        gain,
        offset,
        linearity: (levels.len() > 2).then(|| pairs.iter().map(off).fold(0.0, f64::max)),
        worst: deviations.iter().copied().fold(0.0, |w: f64, d| if d.abs() > w.abs() { d } else { w }),
        deviations,
        sensitivity: Sensitivity { value: crate::entry::number::rounded(was.value * gain, 5), unit: was.unit.clone() },
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::f64::consts::TAU;

    fn sine(hz: f64, rms: f64, n: usize) -> Vec<f64> {
        (0..n).map(|i| rms * 2f64.sqrt() * (TAU * hz * i as f64 / 10_240.0).sin() + 0.3).collect()
    }

    #[test]
    fn a_tone_between_the_lines_is_read_exactly() {
        for hz in [159.155, 80.0, 1000.7] {
            let r = tone(&sine(hz, 9.7, 20_480), 10_240.0, hz * 1.02).unwrap();
            assert!(
                (r.rms / 9.7 - 1.0).abs() < 1e-4 && (r.hz / hz - 1.0).abs() < 1e-5 && r.spread < 1e-3,
                "{hz}: {r:?}"
            );
        }
    }

    #[test]
    fn what_is_no_tone_is_refused() {
        let says = |x: &[f64], hz| tone(x, 10_240.0, hz).unwrap_err().says;
        assert!(says(&sine(159.155, 1.0, 2000), 159.155).contains("periods"));
        assert!(says(&sine(400.0, 1.0, 20_480), 159.155).contains("no tone"));
        assert!(says(&[0.0; 20_480], 159.155).contains("no tone"));
        assert!(says(&sine(400.0, 1.0, 20_480), 8000.0).contains("up to 4096"));
    }

    fn was() -> Sensitivity {
        Sensitivity { value: 10.2, unit: "mV/(m/s²)".into() }
    }

    #[test]
    fn one_level_gives_a_gain_and_several_a_line() {
        let one =
            fit(&[Pair { reference: 10.0, reading: 9.7 }, Pair { reference: 10.0, reading: 9.72 }], &was()).unwrap();
        assert!((one.gain - 0.971).abs() < 1e-9 && one.offset == 0.0 && one.linearity.is_none());
        assert!((one.sensitivity.value - 9.9042).abs() < 1e-9);
        assert!((one.worst + 0.03).abs() < 1e-12);
        let steps = [1.0, 2.0, 5.0, 10.0].map(|x| Pair { reference: x, reading: 0.05 + 0.98 * x });
        let line = fit(&steps, &was()).unwrap();
        assert!((line.gain - 0.98).abs() < 1e-12 && (line.offset - 0.05).abs() < 1e-12 && line.linearity < Some(1e-12));
        let mut bent = steps;
        bent[3].reading -= 0.4;
        assert!(fit(&bent, &was()).unwrap().linearity > Some(0.01));
    }

    #[test]
    fn pairs_that_mean_nothing_are_refused() {
        assert!(fit(&[], &was()).is_err());
        assert!(fit(&[Pair { reference: 0.0, reading: 1.0 }], &was()).is_err());
        let falling = [Pair { reference: 1.0, reading: 2.0 }, Pair { reference: 2.0, reading: 1.0 }];
        assert!(fit(&falling, &was()).unwrap_err().says.contains("fall"));
    }
}
