//! Quantities measured of a stretch of one channel: for rounds, tables and watched values.

use crate::Refusal;
use crate::entry::number::plain;
use crate::rig::{Channel, Rig};
use crate::unit::{Quantity, find};
use echo_signal::peak::interpolate;
use echo_signal::spectrum::{Averaging, Scaling, SpectrumProcessor, SpectrumSettings};
use echo_signal::statistics::Moments;
use echo_signal::window::Window;
use serde::{Deserialize, Serialize};
use std::f64::consts::TAU;
use utoipa::ToSchema;

/// What is measured.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "what", rename_all = "snake_case", deny_unknown_fields)]
pub enum What {
    /// Root mean square, mean included.
    Rms,
    /// Root mean square in a band, from its power spectrum (Hann).
    BandRms {
        /// Lower edge, Hz.
        from_hz: f64,
        /// Upper edge, Hz.
        to_hz: f64,
        /// An acceleration is told as velocity, mm/s.
        #[serde(default)]
        velocity: bool,
    },
    /// Largest magnitude.
    Peak,
    /// From the smallest to the largest value.
    PeakToPeak,
    /// Peak over rms.
    Crest,
    /// Mean.
    Mean,
    /// Frequency of the largest line, read between the lines, Hz.
    Frequency,
    /// Amplitude of the largest line, read between the lines, peak.
    Amplitude,
    /// Time below `low` or above `high`, s.
    TimeOutside {
        /// Lower level, in the channel's unit.
        low: f64,
        /// Upper level, in the channel's unit.
        high: f64,
    },
}

/// A quantity of a channel.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Measure {
    /// Input.
    pub input: u16,
    /// What is measured.
    pub of: What,
}

/// Longest block of a measured spectrum, samples.
const LONGEST_BLOCK: usize = 1 << 16;

fn settings(samples: usize, sample_rate_hz: f64) -> SpectrumSettings {
    let block = 1usize << samples.clamp(64, LONGEST_BLOCK).ilog2();
    SpectrumSettings { sample_rate_hz, block, overlap: 0.5, window: Window::Hann, averaging: Averaging::Linear }
}

impl Measure {
    /// Checks numbers and input.
    ///
    /// # Errors
    /// The first entry that is not allowed, with what is.
    pub fn check(&self, rig: Option<&Rig>) -> Result<(), Refusal> {
        let wrong = |says: String| Err(Refusal::new("measures", says));
        if let What::BandRms { from_hz, to_hz, .. } = self.of
            && !(from_hz > 0.0 && from_hz < to_hz && to_hz.is_finite())
        {
            return wrong(format!("the band must be above 0 Hz, the lower edge first, not {from_hz} to {to_hz} Hz"));
        }
        if let What::TimeOutside { low, high } = self.of
            && !(low < high && low.is_finite() && high.is_finite())
        {
            return wrong(format!("the lower level must be below the upper one, not {low} and {high}"));
        }
        let Some(rig) = rig else { return Ok(()) };
        let Some(c) = rig.channel(self.input).filter(|c| c.on) else {
            return wrong(format!("input {} is measured and is off; switch it on in the rig", self.input));
        };
        if let What::BandRms { velocity: true, .. } = self.of
            && c.quantity != Quantity::Acceleration
        {
            return wrong(format!("{} measures {}; only acceleration is told as velocity", c.name, c.quantity.name()));
        }
        Ok(())
    }

    /// Unit of the value, for a channel's row.
    pub fn unit(&self, row: &Channel) -> String {
        match self.of {
            What::BandRms { velocity: true, .. } => "mm/s".into(),
            What::Crest => String::new(),
            What::Frequency => "Hz".into(),
            What::TimeOutside { .. } => "s".into(),
            _ => row.unit.clone(),
        }
    }

    /// What it is, in words, without the channel.
    pub fn says(&self) -> String {
        match self.of {
            What::Rms => "rms".into(),
            What::BandRms { from_hz, to_hz, velocity } => {
                let of = if velocity { "velocity rms" } else { "rms" };
                format!("{of} {}–{} Hz", plain(from_hz), plain(to_hz))
            }
            What::Peak => "peak".into(),
            What::PeakToPeak => "peak to peak".into(),
            What::Crest => "crest factor".into(),
            What::Mean => "mean".into(),
            What::Frequency => "frequency".into(),
            What::Amplitude => "amplitude at it".into(),
            What::TimeOutside { low, high } => format!("time outside {} to {}", plain(low), plain(high)),
        }
    }

    /// Whether the mean has to be known before: a spectrum's largest line is looked for without it.
    pub fn needs_mean(&self) -> bool {
        matches!(self.of, What::Frequency | What::Amplitude)
    }

    /// The value of samples in the channel's shown unit; NaN where it cannot be told, such as a
    /// spectrum of fewer than 64 samples.
    pub fn of(&self, row: &Channel, samples: &[f64], sample_rate_hz: f64) -> f64 {
        let mean = if self.needs_mean() { samples.iter().sum::<f64>() / samples.len() as f64 } else { 0.0 };
        let mut measuring = Measuring::new(self, samples.len(), sample_rate_hz, mean);
        measuring.push(samples);
        measuring.value(row)
    }

    /// Its key in the history: what is measured where, whatever the channel is called.
    pub fn key(&self) -> String {
        format!("input {}: {}", self.input, self.says())
    }
}

/// A quantity measured of samples as they come.
pub struct Measuring {
    of: What,
    sample_rate_hz: f64,
    mean: f64,
    moments: Moments,
    outside: u64,
    settings: SpectrumSettings,
    spectrum: Option<SpectrumProcessor>,
}

impl Measuring {
    /// Prepares for so many samples; `mean` is theirs where [`Measure::needs_mean`].
    pub fn new(measure: &Measure, samples: usize, sample_rate_hz: f64, mean: f64) -> Measuring {
        let of = measure.of;
        let settings = settings(samples, sample_rate_hz);
        let lines = matches!(of, What::BandRms { .. } | What::Frequency | What::Amplitude);
        let spectrum = lines.then(|| SpectrumProcessor::new(settings).ok()).flatten();
        Measuring { of, sample_rate_hz, mean, moments: Moments::default(), outside: 0, settings, spectrum }
    }

    /// Takes the next samples, in the channel's unit.
    pub fn push(&mut self, samples: &[f64]) {
        match (self.of, &mut self.spectrum) {
            (What::TimeOutside { low, high }, _) => {
                self.outside += samples.iter().filter(|x| **x < low || **x > high).count() as u64;
            }
            (What::BandRms { .. } | What::Frequency | What::Amplitude, None) => {}
            (_, Some(spectrum)) => {
                let centred: Vec<f64> = samples.iter().map(|x| x - self.mean).collect();
                if spectrum.push(&centred).is_err() {
                    self.spectrum = None;
                }
            }
            // What is no number makes none.
            _ => drop(self.moments.push(samples)),
        }
    }

    /// The value so far, told for a channel's row.
    pub fn value(&self, row: &Channel) -> f64 {
        self.told(row).unwrap_or(f64::NAN)
    }

    fn told(&self, row: &Channel) -> Option<f64> {
        Some(match self.of {
            What::Rms => self.moments.finish().ok()?.rms,
            What::Peak => self.moments.finish().ok()?.peak,
            What::PeakToPeak => self.moments.finish().ok()?.peak_to_peak,
            What::Crest => self.moments.finish().ok()?.crest_factor,
            What::Mean => self.moments.finish().ok()?.mean,
            What::Frequency => self.largest()?.0,
            What::Amplitude => self.largest()?.1,
            What::TimeOutside { .. } => self.outside as f64 / self.sample_rate_hz,
            What::BandRms { from_hz, to_hz, velocity } => {
                let line = self.settings.line_spacing_hz();
                let density = self.spectrum.as_ref()?.finish().ok()?.values(Scaling::Psd);
                let squares: f64 = density
                    .iter()
                    .enumerate()
                    .map(|(i, d)| (i as f64 * line, d * line))
                    .filter(|(hz, _)| (from_hz..=to_hz).contains(hz))
                    .map(|(hz, square)| if velocity { square / (TAU * hz).powi(2) } else { square })
                    .sum();
                let to = if velocity { find(&row.unit).ok()?.to_si * 1e3 } else { 1.0 };
                squares.sqrt() * to
            }
        })
    }

    /// Frequency and amplitude of the largest line.
    fn largest(&self) -> Option<(f64, f64)> {
        let values = self.spectrum.as_ref()?.finish().ok()?.values(Scaling::Peak);
        let at = (1..values.len()).max_by(|a, b| values[*a].total_cmp(&values[*b]))?;
        let peak = interpolate(&values, at, self.settings.window, self.settings.block);
        Some((peak.line * self.settings.line_spacing_hz(), peak.amplitude))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn row() -> Channel {
        Channel { name: "deck".into(), on: true, ..Channel::free(3) }
    }

    #[test]
    fn a_sine_is_measured_as_what_it_is() {
        let rate = 2048.0;
        let samples: Vec<f64> = (0..8192).map(|i| 1.0 + 3.0 * (TAU * 50.3 * f64::from(i) / rate).sin()).collect();
        let told = |of| Measure { input: 3, of }.of(&row(), &samples, rate);
        let near = |of, value: f64, share: f64| {
            let got = told(of);
            assert!((got / value - 1.0).abs() < share, "{of:?}: {got} for {value}");
        };
        near(What::Rms, (1.0f64 + 4.5).sqrt(), 1e-3);
        near(What::Peak, 4.0, 1e-3);
        near(What::PeakToPeak, 6.0, 1e-3);
        near(What::Mean, 1.0, 0.01);
        near(What::Crest, 4.0 / 5.5f64.sqrt(), 2e-3);
        near(What::Frequency, 50.3, 1e-3);
        near(What::Amplitude, 3.0, 5e-3);
        near(What::BandRms { from_hz: 10.0, to_hz: 1000.0, velocity: false }, 3.0 / 2f64.sqrt(), 5e-3);
        let velocity = 3.0 / 2f64.sqrt() / (TAU * 50.3) * 1e3;
        near(What::BandRms { from_hz: 10.0, to_hz: 1000.0, velocity: true }, velocity, 5e-3);
        // A sine of amplitude 3 about 1 is above 2.5 for 1/3 of the time.
        near(What::TimeOutside { low: -9.0, high: 2.5 }, 4.0 / 3.0, 0.01);
        assert!(Measure { input: 3, of: What::Frequency }.of(&row(), &[], rate).is_nan());
    }

    #[test]
    fn what_cannot_be_measured_is_refused() {
        let rig = Rig { name: "r".into(), channels: vec![row(), Channel::free(4)] };
        for (input, of, word) in [
            (4, What::Rms, "is off"),
            (9, What::Rms, "is off"),
            (3, What::BandRms { from_hz: 0.0, to_hz: 10.0, velocity: false }, "band"),
            (3, What::TimeOutside { low: 1.0, high: 1.0 }, "lower level"),
        ] {
            assert!(Measure { input, of }.check(Some(&rig)).unwrap_err().says.contains(word), "{of:?}");
        }
        assert_eq!(Measure { input: 3, of: What::Crest }.unit(&row()), "");
    }

    #[test]
    fn samples_that_come_in_pieces_give_the_same_value() {
        let rate = 2048.0;
        let samples: Vec<f64> = (0..9000).map(|i| 1.5 + (TAU * 61.7 * f64::from(i) / rate).sin()).collect();
        let band = What::BandRms { from_hz: 10.0, to_hz: 900.0, velocity: true };
        let outside = What::TimeOutside { low: 0.0, high: 2.0 };
        for of in [What::Rms, What::PeakToPeak, What::Crest, What::Frequency, What::Amplitude, band, outside] {
            let measure = Measure { input: 3, of };
            let whole = measure.of(&row(), &samples, rate);
            let mean = samples.iter().sum::<f64>() / samples.len() as f64;
            let mut pieces = Measuring::new(&measure, samples.len(), rate, mean);
            samples.chunks(777).for_each(|piece| pieces.push(piece));
            let told = pieces.value(&row());
            assert!((told / whole - 1.0).abs() < 1e-9, "{of:?}: {told} for {whole}");
        }
    }
}
