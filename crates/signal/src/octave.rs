//! Fractional-octave bands by a bank of filters, for whole stretches and live.
//!
//! Base-ten bands: exact middles `1000·G^(x/b)` for odd and `1000·G^((2x+1)/2b)` for even fractions
//! `b`, edges `G^(±1/2b)` away, `G = 10^0.3`. Fourth-order Butterworth band-passes, each at the
//! lowest of the rates `fs/2ᵏ` that leaves it room, meet the limits of class 1. Source:
//! IEC 61260-1:2014; Antoni, "Orthogonal-like fractional-octave-band filters", JASA 127 (2010).

use crate::error::{Result, SignalError, argument, check_finite, check_rate};
use crate::filter::{Band as Edges, Filter, beside};
use crate::resample::Resampler;

/// Ratio of an octave in base ten.
pub const OCTAVE_RATIO: f64 = 1.995_262_314_968_879_5;

/// Fractions there are.
pub const FRACTIONS: [u32; 5] = [1, 3, 6, 12, 24];

/// Order of each band's prototype; the third falls half a decibel short in the highest octave.
const ORDER: usize = 4;

/// Share of the Nyquist frequency a band may reach up to.
const HIGHEST_SHARE: f64 = 0.9;

/// Rate a band's filter runs at, at least, as a multiple of its upper edge.
const LOWEST_RATE: f64 = 5.0;

/// A band.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct OctaveBand {
    /// Exact middle, Hz.
    pub mid_hz: f64,
    /// Lower edge, Hz.
    pub lower_hz: f64,
    /// Upper edge, Hz.
    pub upper_hz: f64,
}

impl OctaveBand {
    /// The band of number `x` (0 is at 1 kHz) of fraction `b`.
    fn of(x: i32, fraction: u32) -> OctaveBand {
        let b = f64::from(fraction);
        let x = f64::from(x);
        let exponent = if fraction % 2 == 1 { x / b } else { (2.0 * x + 1.0) / (2.0 * b) };
        let mid_hz = 1000.0 * OCTAVE_RATIO.powf(exponent);
        let half = OCTAVE_RATIO.powf(0.5 / b);
        OctaveBand { mid_hz, lower_hz: mid_hz / half, upper_hz: mid_hz * half }
    }
}

/// The bands of a fraction that hold a frequency between `from_hz` and `to_hz`, low to high.
///
/// # Errors
/// A fraction that is not one of [`FRACTIONS`]; frequencies not above 0 or not ascending.
pub fn bands(fraction: u32, from_hz: f64, to_hz: f64) -> Result<Vec<OctaveBand>> {
    if !FRACTIONS.contains(&fraction) {
        return Err(argument("fraction", fraction, "1, 3, 6, 12 or 24"));
    }
    if !(from_hz >= 1e-3 && to_hz >= from_hz && to_hz <= 1e7) {
        return Err(argument("from_hz", format!("{from_hz} to {to_hz}"), "ascending, 0.001 Hz to 10 MHz"));
    }
    let steps = f64::from(fraction) / OCTAVE_RATIO.ln();
    let first = ((from_hz / 1000.0).ln() * steps).floor() as i32 - 1;
    let last = ((to_hz / 1000.0).ln() * steps).ceil() as i32 + 1;
    // An edge shared by two bands belongs to the upper one; a hair of rounding is allowed for.
    let hair = 1.0 + 1e-12;
    Ok((first..=last)
        .map(|x| OctaveBand::of(x, fraction))
        .filter(|b| b.upper_hz > from_hz * hair && b.lower_hz <= to_hz * hair)
        .collect())
}

/// How a band's squared signal is averaged.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum LevelDetector {
    /// Arithmetic mean over everything.
    Linear,
    /// Exponential mean with this time constant, s; 0.125 is “fast”, 1 is “slow”.
    Exponential(f64),
}

/// Level of a band, in the unit of the samples.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct BandLevel {
    /// The band.
    pub band: OctaveBand,
    /// Root mean square: over everything, or of the exponential mean at the end.
    pub rms: f64,
    /// Highest value the exponential mean has had; equal to `rms` for the linear one.
    pub highest: f64,
}

#[derive(Debug, Clone)]
struct Channel {
    band: OctaveBand,
    filter: Filter,
    ear: Ear,
}

/// What has come out of a band.
#[derive(Debug, Clone, Copy)]
struct Ear {
    /// Of the squares: their sum, or their exponential mean.
    sum: f64,
    highest: f64,
    /// Of the newest square in the exponential mean.
    share: f64,
}

/// Bands at one rate.
#[derive(Debug, Clone)]
struct Stage {
    rate_hz: f64,
    /// Halves the rate of what the stage above gives; none for the first.
    halve: Option<Resampler>,
    channels: Vec<Channel>,
    seen: u64,
    buffer: Vec<f64>,
}

/// The bank with its memory. It starts at rest, so the first periods of each band build up.
///
/// Gives the same levels for any division of the same samples into calls of [`Self::push`], to
/// rounding.
#[derive(Debug, Clone)]
pub struct OctaveBank {
    stages: Vec<Stage>,
    detector: LevelDetector,
}

impl OctaveBank {
    /// A bank of these bands for samples at `sample_rate_hz`.
    ///
    /// # Errors
    /// No band; a band that reaches beyond 90 % of the Nyquist frequency; a time constant that is
    /// not above 0.
    pub fn new(bands: &[OctaveBand], sample_rate_hz: f64, detector: LevelDetector) -> Result<OctaveBank> {
        check_rate(sample_rate_hz)?;
        let highest = HIGHEST_SHARE * sample_rate_hz / 2.0;
        let fits = |b: &&OctaveBand| b.upper_hz <= highest * (1.0 + 1e-9);
        if let Some(b) = bands.iter().find(|b| !fits(b)) {
            return Err(argument(
                "to_hz",
                format!("{:.4} (band {:.4} to {:.4} Hz)", b.mid_hz, b.lower_hz, b.upper_hz),
                format!("bands that end below {highest:.4} Hz, 90 % of the Nyquist frequency"),
            ));
        }
        if bands.is_empty() {
            return Err(argument("from_hz", "a range with no band", "a range that holds a band"));
        }
        if let LevelDetector::Exponential(tau) = detector
            && !(tau.is_finite() && tau > 0.0)
        {
            return Err(argument("time constant", tau, "above 0 s"));
        }
        let mut stages = vec![Stage::new(sample_rate_hz, None)];
        for band in bands.iter().rev() {
            while stages[stages.len() - 1].rate_hz / 2.0 >= LOWEST_RATE * band.upper_hz {
                let rate = stages[stages.len() - 1].rate_hz / 2.0;
                stages.push(Stage::new(rate, Some(Resampler::new(1, 2)?)));
            }
            let stage = stages.last_mut().expect("one at least");
            let share = match detector {
                LevelDetector::Linear => 0.0,
                LevelDetector::Exponential(tau) => 1.0 - (-1.0 / (tau * stage.rate_hz)).exp(),
            };
            let filter = Filter::butterworth(Edges::Bandpass(band.lower_hz, band.upper_hz), ORDER, stage.rate_hz)?;
            stage.channels.push(Channel { band: *band, filter, ear: Ear { sum: 0.0, highest: 0.0, share } });
        }
        Ok(OctaveBank { stages, detector })
    }

    /// Adds samples, in order.
    ///
    /// # Errors
    /// A sample that is not finite; nothing of that call is added.
    pub fn push(&mut self, samples: &[f64]) -> Result<()> {
        check_finite(samples)?;
        let mut above = samples.to_vec();
        for stage in &mut self.stages {
            let mut buffer = std::mem::take(&mut stage.buffer);
            buffer.clear();
            match &mut stage.halve {
                Some(halve) => halve.push(&above, &mut buffer)?,
                None => buffer.extend_from_slice(&above),
            }
            stage.listen(&buffer, self.detector);
            std::mem::swap(&mut above, &mut buffer);
            stage.buffer = buffer;
        }
        Ok(())
    }

    /// Levels so far, low band to high.
    ///
    /// # Errors
    /// [`SignalError::TooShort`] while the slowest stage has no sample.
    pub fn levels(&self) -> Result<Vec<BandLevel>> {
        let first = &self.stages[0];
        let mut out = Vec::new();
        for stage in self.stages.iter().rev() {
            if stage.seen == 0 {
                let need = (first.rate_hz / stage.rate_hz) as usize * 80;
                return Err(SignalError::TooShort { what: "the lowest band", have: first.seen as usize, need });
            }
            for c in stage.channels.iter().rev() {
                let (rms, highest) = match self.detector {
                    LevelDetector::Linear => {
                        let rms = (c.ear.sum / stage.seen as f64).sqrt();
                        (rms, rms)
                    }
                    LevelDetector::Exponential(_) => (c.ear.sum.sqrt(), c.ear.highest.sqrt()),
                };
                out.push(BandLevel { band: c.band, rms, highest });
            }
        }
        Ok(out)
    }

    /// Attenuation of a band's filter at a frequency, dB, at the rate the filter runs at.
    ///
    /// None where the bank has no such band, or the frequency is beyond that rate's Nyquist.
    pub fn attenuation_db(&self, band: &OctaveBand, frequency_hz: f64) -> Option<f64> {
        self.stages.iter().find_map(|s| {
            let c = s.channels.iter().find(|c| c.band == *band)?;
            let (re, im) = c.filter.response_at(frequency_hz, s.rate_hz);
            (frequency_hz < s.rate_hz / 2.0).then(|| -20.0 * re.hypot(im).log10())
        })
    }
}

impl Stage {
    fn new(rate_hz: f64, halve: Option<Resampler>) -> Stage {
        Stage { rate_hz, halve, channels: Vec::new(), seen: 0, buffer: Vec::new() }
    }

    fn listen(&mut self, samples: &[f64], detector: LevelDetector) {
        self.seen += samples.len() as u64;
        // Bands two by two: while one waits for its last value the other works.
        for pair in self.channels.chunks_mut(2) {
            match pair {
                [a, b] => {
                    let mut ears = [a.ear, b.ear];
                    beside([&mut a.filter, &mut b.filter], samples, |y| {
                        ears.iter_mut().zip(y).for_each(|(ear, y)| ear.hears(y, detector));
                    });
                    [a.ear, b.ear] = ears;
                }
                alone => {
                    for c in alone {
                        beside([&mut c.filter], samples, |[y]| c.ear.hears(y, detector));
                    }
                }
            }
        }
    }
}

impl Ear {
    #[inline(always)]
    fn hears(&mut self, y: f64, detector: LevelDetector) {
        match detector {
            LevelDetector::Linear => self.sum += y * y,
            LevelDetector::Exponential(_) => {
                self.sum += self.share * (y * y - self.sum);
                self.highest = self.highest.max(self.sum);
            }
        }
    }
}
