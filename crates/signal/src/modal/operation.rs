//! Modes from operation alone: correlation functions between outputs whose forces nobody measured, and what they
//! have in common with responses.
//!
//! Where the forces are like white noise over the band, the correlation of two outputs rings down like the
//! structure itself; its positive half has the same poles and shapes as a response to a force, but no scale.
//! Correlations are means of all products of samples so many apart, without the triangle of a transform's block.
//!
//! Source: James, Carne & Lauffer, "The natural excitation technique (NExT)", 1995; Peeters & Van der Auweraer,
//! "PolyMAX: a revolution in operational modal analysis", IOMAC 2005 (half spectra); Brincker, Ventura & Andersen,
//! "Damping estimation by frequency domain decomposition", IMAC 2001 (the bell), with a filter of the shapes as in
//! Zhang, Wang & Tamura, "A frequency–spatial domain decomposition (FSDD) method", MSSP 2010; Antoni, "The spectral kurtosis: a
//! useful tool for characterising non-stationary signals", MSSP 2006.

use super::frf::FrfMatrix;
use crate::error::{Result, SignalError, argument, check_finite};
use crate::response::Motion;
use nalgebra::{DMatrix, DVector};
use realfft::num_complex::Complex64;
use realfft::{RealFftPlanner, RealToComplex};
use rustfft::FftPlanner;
use std::f64::consts::TAU;
use std::sync::Arc;

/// Most lags of a correlation function.
pub const MOST_LAGS: usize = 1 << 20;

/// What is left of a correlation at its longest lag after the window: its decay is known and taken off again.
const LEFT: f64 = 0.01;

/// Lines belong to a bell down to this share of its peak.
const OF_THE_BELL: f64 = 0.1;

/// Correlation functions of all outputs with some of them, block by block.
///
/// Gives the same for any division of the same samples into calls of [`Self::push`].
pub struct CorrelationProcessor {
    sample_rate_hz: f64,
    lags: usize,
    references: Vec<usize>,
    fft: Arc<dyn RealToComplex<f64>>,
    scratch: Vec<Complex64>,
    pending: Vec<Vec<f64>>,
    block: Vec<f64>,
    whole: Vec<Vec<Complex64>>,
    middle: Vec<Vec<Complex64>>,
    /// `[output][reference][line]`.
    cross: Vec<Vec<Complex64>>,
    /// Second and fourth powers of each output's lines.
    powers: Vec<Vec<[f64; 2]>>,
    blocks: usize,
}

impl CorrelationProcessor {
    /// For lags of up to `lags` samples either way, between `outputs` channels and those of them at `references`,
    /// from 0.
    ///
    /// # Errors
    /// A rate that is none; fewer than 16 or more than [`MOST_LAGS`] lags; no output; no reference, one that is no
    /// output or named twice.
    pub fn new(sample_rate_hz: f64, lags: usize, outputs: usize, references: &[usize]) -> Result<Self> {
        if !(sample_rate_hz.is_finite() && sample_rate_hz > 0.0) {
            return Err(argument("sample_rate_hz", sample_rate_hz, "above 0"));
        }
        if !(16..=MOST_LAGS).contains(&lags) {
            return Err(argument("lags", lags, format!("16 to {MOST_LAGS} samples")));
        }
        let twice = references.iter().enumerate().any(|(k, r)| references[..k].contains(r));
        if references.is_empty() || twice || references.iter().any(|r| *r >= outputs) {
            let allowed = format!("one or more of the outputs 0 to {}, each once", outputs.saturating_sub(1));
            return Err(argument("references", format!("{references:?}"), allowed));
        }
        let fft = RealFftPlanner::<f64>::new().plan_fft_forward(4 * lags);
        let lines = 2 * lags + 1;
        let zero = Complex64::new(0.0, 0.0);
        Ok(CorrelationProcessor {
            sample_rate_hz,
            lags,
            references: references.to_vec(),
            scratch: fft.make_scratch_vec(),
            pending: vec![Vec::new(); outputs],
            block: vec![0.0; 4 * lags],
            whole: vec![fft.make_output_vec(); outputs],
            middle: vec![fft.make_output_vec(); references.len()],
            cross: vec![vec![zero; lines]; outputs * references.len()],
            powers: vec![vec![[0.0; 2]; lines]; outputs],
            fft,
            blocks: 0,
        })
    }

    /// Adds samples: one slice an output, all of the same length.
    ///
    /// # Errors
    /// A wrong number of slices, slices of different lengths, a sample that is not finite; nothing of that call is
    /// added.
    pub fn push(&mut self, channels: &[&[f64]]) -> Result<()> {
        if channels.len() != self.pending.len() {
            return Err(argument("channels", channels.len(), format!("{} slices", self.pending.len())));
        }
        if channels.iter().any(|c| c.len() != channels[0].len()) {
            return Err(argument("channels", "slices of different lengths", "slices of one length"));
        }
        for c in channels {
            check_finite(c)?;
        }
        for (held, c) in self.pending.iter_mut().zip(channels) {
            held.extend_from_slice(c);
        }
        let (size, hop) = (4 * self.lags, 2 * self.lags);
        let mut at = 0;
        while self.pending[0].len() - at >= size {
            self.add_block(at);
            at += hop;
        }
        for held in &mut self.pending {
            held.drain(..at);
        }
        Ok(())
    }

    /// The middle half of each reference against all of each output: every product up to the longest lag is there,
    /// and none comes around the end of the transform.
    fn add_block(&mut self, at: usize) {
        let (size, quarter) = (4 * self.lags, self.lags);
        let mut transformed = |block: &mut Vec<f64>, lines: &mut Vec<Complex64>| {
            self.fft.process_with_scratch(block, lines, &mut self.scratch).expect("buffers come from the same plan");
        };
        for (held, lines) in self.pending.iter().zip(&mut self.whole) {
            self.block.copy_from_slice(&held[at..at + size]);
            let mean = self.block.iter().sum::<f64>() / size as f64;
            self.block.iter_mut().for_each(|x| *x -= mean);
            transformed(&mut self.block, lines);
        }
        for (r, lines) in self.references.iter().zip(&mut self.middle) {
            let held = &self.pending[*r][at..at + size];
            let mean = held.iter().sum::<f64>() / size as f64;
            self.block.fill(0.0);
            let inside = quarter..3 * quarter;
            self.block[inside.clone()].iter_mut().zip(&held[inside]).for_each(|(x, h)| *x = h - mean);
            transformed(&mut self.block, lines);
        }
        for (k, sums) in self.cross.iter_mut().enumerate() {
            let (y, x) = (&self.whole[k / self.references.len()], &self.middle[k % self.references.len()]);
            for ((sum, y), x) in sums.iter_mut().zip(y).zip(x) {
                *sum += y * x.conj();
            }
        }
        for (sums, y) in self.powers.iter_mut().zip(&self.whole) {
            let last = y.len() - 1;
            for (k, sum) in sums.iter_mut().enumerate().take(last).skip(1) {
                // A Hann window over the block, put on its lines.
                let power = (y[k] * 0.5 - (y[k - 1] + y[k + 1]) * 0.25).norm_sqr();
                sum[0] += power;
                sum[1] += power * power;
            }
        }
        self.blocks += 1;
    }

    /// Says that the next samples do not follow the last ones: no product reaches over the break.
    pub fn interrupt(&mut self) {
        self.pending.iter_mut().for_each(Vec::clear);
    }

    /// The correlation functions so far.
    ///
    /// # Errors
    /// [`SignalError::TooShort`] before four times the longest lag.
    pub fn finish(&self) -> Result<Correlations> {
        if self.blocks == 0 {
            let have = self.pending.first().map_or(0, Vec::len);
            return Err(SignalError::TooShort { what: "a correlation", have, need: 4 * self.lags });
        }
        let size = 4 * self.lags;
        let back = RealFftPlanner::<f64>::new().plan_fft_inverse(size);
        let (mut lines, mut values) = (back.make_input_vec(), back.make_output_vec());
        let products = (2 * self.lags * self.blocks) as f64;
        let lags = self.lags as isize;
        let mut one = |sums: &Vec<Complex64>| -> Vec<f64> {
            lines.copy_from_slice(sums);
            // Ends of a real sequence's transform are real but for rounding.
            lines[0].im = 0.0;
            lines[size / 2].im = 0.0;
            back.process(&mut lines, &mut values).expect("buffers come from the same plan");
            let scale = 1.0 / (size as f64 * products);
            (1 - lags..lags).map(|lag| values[lag.rem_euclid(size as isize) as usize] * scale).collect()
        };
        Ok(Correlations {
            sample_rate_hz: self.sample_rate_hz,
            lags: self.lags,
            outputs: self.pending.len(),
            references: self.references.clone(),
            values: self.cross.iter().map(&mut one).collect(),
            powers: self.powers.clone(),
            blocks: self.blocks,
        })
    }
}

/// Correlation functions, and what was seen of the lines of each block.
#[derive(Debug, Clone, PartialEq)]
pub struct Correlations {
    sample_rate_hz: f64,
    lags: usize,
    outputs: usize,
    references: Vec<usize>,
    /// `[output · references + reference][lag]`, from the longest lag before to the longest one after, unit².
    values: Vec<Vec<f64>>,
    powers: Vec<Vec<[f64; 2]>>,
    blocks: usize,
}

impl Correlations {
    /// Blocks that went into them, each twice the longest lag further than the one before.
    pub fn blocks(&self) -> usize {
        self.blocks
    }

    /// Mean of an output's samples times a reference's so many samples before, unit².
    ///
    /// # Panics
    /// A pair or a lag there is not.
    pub fn at(&self, output: usize, reference: usize, lag: isize) -> f64 {
        self.values[output * self.references.len() + reference][(lag + self.lags as isize - 1) as usize]
    }

    /// What the window over the lags adds to the decay of every mode, 1/s.
    pub fn added_decay(&self) -> f64 {
        -LEFT.ln() * self.sample_rate_hz / self.lags as f64
    }

    fn weight(&self, lag: usize) -> f64 {
        (-self.added_decay() * lag as f64 / self.sample_rate_hz).exp()
    }

    /// Half spectra: the transform of the lags from 0 on, unit²/Hz. Their poles are the structure's, but for
    /// [`Self::added_decay`].
    ///
    /// # Errors
    /// Values that are not finite.
    pub fn half_spectra(&self) -> Result<FrfMatrix> {
        let zero = self.lags - 1;
        let fft = RealFftPlanner::<f64>::new().plan_fft_forward(self.lags);
        let (mut block, mut lines) = (fft.make_input_vec(), fft.make_output_vec());
        let pairs = self.values.len();
        let mut values = vec![Complex64::new(0.0, 0.0); lines.len() * pairs];
        for (pair, correlation) in self.values.iter().enumerate() {
            for (lag, to) in block.iter_mut().enumerate() {
                *to = correlation[zero + lag] * self.weight(lag);
            }
            block[0] *= 0.5;
            fft.process(&mut block, &mut lines).map_err(|e| argument("lags", e, "lags that can be transformed"))?;
            for (line, z) in lines.iter().enumerate() {
                values[line * pairs + pair] = z / self.sample_rate_hz;
            }
        }
        let spacing = self.sample_rate_hz / self.lags as f64;
        let frequencies = (0..lines.len()).map(|k| k as f64 * spacing).collect();
        FrfMatrix::new(frequencies, self.outputs, self.references.len(), Motion::Receptance, values)
    }

    /// How steady what is heard near a frequency is: 0 for noise as it rings through a mode, −1 for something that
    /// turns. It is the spectral kurtosis of the strongest line there, each output by its power; it scatters by
    /// about 2/√[`Self::blocks`]. None with fewer than eight blocks, or where nothing is heard.
    pub fn steadiness(&self, frequency_hz: f64) -> Option<f64> {
        let blocks = self.blocks as f64;
        if self.blocks < 8 {
            return None;
        }
        let middle = (frequency_hz * 4.0 * self.lags as f64 / self.sample_rate_hz).round() as usize;
        let last = self.powers.first()?.len().checked_sub(2)?;
        let all = |line: usize| self.powers.iter().map(move |p| p[line]);
        let strongest = (middle.saturating_sub(2).max(1)..=(middle + 2).min(last))
            .max_by(|a, b| all(*a).map(|p| p[0]).sum::<f64>().total_cmp(&all(*b).map(|p| p[0]).sum()))?;
        let weight: f64 = all(strongest).map(|p| p[0]).sum();
        let kurtosis = |p: [f64; 2]| blocks / (blocks - 1.0) * ((blocks + 1.0) * p[1] / (p[0] * p[0]) - 2.0);
        let heard = all(strongest).filter(|p| p[0] > 0.0);
        (weight > 0.0).then(|| heard.map(|p| p[0] * kurtosis(p)).sum::<f64>() / weight)
    }
}

/// A mode as the bell of lines around its peak tells it, apart from all fitting.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Bell {
    /// Its frequency, Hz.
    pub frequency_hz: f64,
    /// Share of critical damping; can come out below 0 where noise is all there is.
    pub damping_ratio: f64,
    /// Lines that belong to it.
    pub lines: usize,
}

/// The bell of one of several shapes near a frequency, in half spectra: what belongs to the others is taken out by a
/// filter of their shapes, the lines around the peak are taken back into time, and decay and turns are read there.
/// `added_decay` is what the window over the lags added. None where fewer than five lines belong to it, or nothing of
/// it rings long enough.
///
/// # Panics
/// `which` is none of the shapes, or they are of another number of outputs.
pub fn bell(
    half: &FrfMatrix,
    (shapes, which): (&[&[Complex64]], usize),
    near_hz: f64,
    added_decay: f64,
) -> Option<Bell> {
    let hz = half.frequencies_hz();
    let spacing = hz.get(1)? - hz.first()?;
    // Each shape of length one, so that a small one is not taken for nothing.
    let columns = shapes.iter().map(|s| {
        let v = DVector::from_column_slice(s);
        let length = v.norm().max(f64::MIN_POSITIVE);
        v / Complex64::from(length)
    });
    let matrix = DMatrix::from_columns(&columns.collect::<Vec<_>>());
    let filter: Vec<Complex64> = matrix.pseudo_inverse(1e-2).ok()?.row(which).iter().copied().collect();
    let references = half.references();
    let filtered = |line: usize| -> Vec<Complex64> {
        (0..references).map(|r| filter.iter().enumerate().map(|(o, f)| f * half.at(line, o, r)).sum()).collect()
    };
    let all: Vec<Vec<Complex64>> = (0..hz.len()).map(filtered).collect();
    let square = |k: usize| all[k].iter().map(Complex64::norm_sqr).sum::<f64>();
    let near = |k: &usize| (hz[*k] - near_hz).abs() <= (0.02 * near_hz).max(spacing);
    let peak = (1..hz.len()).filter(near).max_by(|a, b| square(*a).total_cmp(&square(*b)))?;
    let value = |k: usize| all[k].iter().zip(&all[peak]).map(|(z, at)| at.conj() * z).sum::<Complex64>();
    let least = OF_THE_BELL * value(peak).norm();
    let wide = |k: &usize| value(*k).norm() > least;
    let below = (1..peak).rev().take_while(wide).count();
    let above = (peak + 1..hz.len()).take_while(wide).count();
    let reach = below.min(above);
    if 2 * reach + 1 < 5 || !value(peak).is_finite() {
        return None;
    }
    // Zeros between the lines' places in time, so that slopes are read of many; tapered, so that no edge rings.
    let size = (8 * (2 * reach + 1)).next_power_of_two();
    let mut ring = vec![Complex64::new(0.0, 0.0); size];
    for k in 0..=2 * reach {
        let taper = 0.5 - 0.5 * (TAU * (k + 1) as f64 / (2 * reach + 2) as f64).cos();
        ring[k] = value(peak - reach + k) * taper;
    }
    FftPlanner::new().plan_fft_inverse(size).process(&mut ring);
    let dt = 1.0 / (spacing * size as f64);
    let width = spacing * (2 * reach + 2) as f64;
    // The taper rounds off what comes first; what comes last is noise.
    let from = (2.0 / (width * dt)).ceil() as usize;
    let begin = ring.get(from)?.norm();
    let length = ring[from..size / 2].iter().position(|z| z.norm() < 0.25 * begin)?;
    let part = &ring[from..from + length];
    if part.len() < 8 {
        return None;
    }
    let decay = -slope(&part.iter().map(|z| z.norm().ln()).collect::<Vec<_>>()) / dt;
    let turns: Vec<f64> = part
        .windows(2)
        .scan(0.0, |angle, w| {
            *angle += (w[1] * w[0].conj()).arg();
            Some(*angle)
        })
        .collect();
    let damped = TAU * hz[peak - reach] + slope(&turns) / dt;
    let own = decay - added_decay;
    let natural = own.hypot(damped);
    Some(Bell { frequency_hz: natural / TAU, damping_ratio: own / natural, lines: 2 * reach + 1 })
}

/// Slope of values that are one apart, by least squares.
fn slope(values: &[f64]) -> f64 {
    let middle = (values.len() as f64 - 1.0) / 2.0;
    let (up, across) = values.iter().enumerate().fold((0.0, 0.0), |(up, across), (k, v)| {
        let x = k as f64 - middle;
        (up + x * v, across + x * x)
    });
    up / across
}
