//! Integration and differentiation: acceleration to velocity to displacement and back.
//!
//! Over a whole stretch in frequency, where a division by jω is exact; live by a short recursion.
//! What integration would turn into drift is taken off by a high-pass that has to be stated.
//! Source: ISO 18431-1; ISO 20816-1 for the bands of machinery; the four-point rule is the
//! Adams–Moulton family's centred member (Hamming, "Numerical Methods for Scientists and
//! Engineers").

use crate::error::{Result, SignalError, argument, check_finite, check_rate};
use crate::filter::{Band, Filter};
use realfft::RealFftPlanner;
use realfft::num_complex::Complex64;
use std::f64::consts::{PI, TAU};

/// Most integrations or differentiations in a row.
pub const MOST_TIMES: i32 = 3;

/// The next length whose transform is quick: 2, 3 and 5 its only factors.
fn quick_length(at_least: usize) -> usize {
    let fits = |n: usize| {
        let mut n = n;
        for f in [2, 3, 5] {
            while n.is_multiple_of(f) {
                n /= f;
            }
        }
        n == 1
    };
    (at_least.max(1)..).find(|n| fits(*n)).expect("powers of two do not end")
}

/// Integrates a stretch `times` (1 to 3) in frequency; the unit gains `times` factors of a second.
///
/// The mean is taken off, and lines below `above_hz` fade to nothing at three quarters of it. Both
/// ends are extended by their mirror image with the sign turned, whose integral goes on evenly, and
/// which fades out over three periods of that edge. Near an end the result depends on what the signal
/// did outside: for as long as [`untrusted_s`] tells.
///
/// # Errors
/// Fewer than 2 samples, a sample that is not finite, `times` out of range, an edge that is not
/// above zero and below Nyquist.
pub fn integrate(samples: &[f64], sample_rate_hz: f64, times: i32, above_hz: f64) -> Result<Vec<f64>> {
    check(samples, sample_rate_hz, times)?;
    if !(above_hz > 0.0 && above_hz < sample_rate_hz / 2.0) {
        return Err(argument(
            "integrate_above_hz",
            above_hz,
            format!("above 0 and below the Nyquist frequency, {} Hz", sample_rate_hz / 2.0),
        ));
    }
    let reach = (3.0 * sample_rate_hz / above_hz).ceil().min(1e7) as usize;
    // One after the other: what to put before the start of a velocity is known only then.
    let mut motion = samples.to_vec();
    for _ in 0..times {
        let mean = motion.iter().sum::<f64>() / motion.len() as f64;
        motion = in_frequency(&motion, mean, sample_rate_hz, (reach, 0.0), |f| {
            let pass = (4.0 * f / above_hz - 3.0).clamp(0.0, 1.0);
            if pass == 0.0 {
                return Complex64::new(0.0, 0.0);
            }
            0.5 * (1.0 - (PI * pass).cos()) / Complex64::new(0.0, TAU * f)
        });
    }
    Ok(motion)
}

/// How long either end of an integral is not to be trusted, s.
///
/// As measured with noise whose integral is known: beyond four periods of the edge (one integration)
/// and five and a half (two) the error is within 2 % of the integral's rms; two periods from the end it
/// is 6 and 11 %, at the end itself 50 and 70 %.
pub fn untrusted_s(times: i32, above_hz: f64) -> f64 {
    (2.5 + 1.5 * f64::from(times)) / above_hz
}

/// Differentiates a stretch `times` (1 to 3) in frequency; the unit is divided by `times` seconds.
///
/// # Errors
/// Fewer than 2 samples, a sample that is not finite, `times` out of range.
pub fn differentiate(samples: &[f64], sample_rate_hz: f64, times: i32) -> Result<Vec<f64>> {
    check(samples, sample_rate_hz, times)?;
    // The straight line between the ends is differentiated by itself: it has no period.
    let n = samples.len();
    let slope = (samples[n - 1] - samples[0]) / (n - 1) as f64;
    let flat: Vec<f64> = samples.iter().enumerate().map(|(i, x)| x - samples[0] - slope * i as f64).collect();
    let mut out = in_frequency(&flat, 0.0, sample_rate_hz, (1024, 1.0), |f| Complex64::new(0.0, TAU * f).powi(times));
    if times == 1 {
        out.iter_mut().for_each(|y| *y += slope * sample_rate_hz);
    }
    Ok(out)
}

fn check(samples: &[f64], sample_rate_hz: f64, times: i32) -> Result<()> {
    check_rate(sample_rate_hz)?;
    check_finite(samples)?;
    if !(1..=MOST_TIMES).contains(&times) {
        return Err(argument("times", times, format!("1 to {MOST_TIMES}")));
    }
    if samples.len() < 2 {
        return Err(SignalError::TooShort { what: "integration and differentiation", have: samples.len(), need: 2 });
    }
    Ok(())
}

/// Multiplies the transform of the extended stretch, less `offset`, by a function of frequency.
///
/// The extension is so many samples long, and odd about this share of the end's own value.
fn in_frequency(
    samples: &[f64],
    offset: f64,
    rate: f64,
    (reach, about): (usize, f64),
    gain: impl Fn(f64) -> Complex64,
) -> Vec<f64> {
    let n = samples.len();
    let reach = reach.min(n - 1);
    let size = quick_length(n + 2 * reach);
    let mut long = vec![0.0; size];
    let (first, last) = (samples[0] - offset, samples[n - 1] - offset);
    for i in 1..=reach {
        let fade = 0.5 * (1.0 + (PI * i as f64 / (reach + 1) as f64).cos());
        let (left, right) = (samples[i] - offset, samples[n - 1 - i] - offset);
        long[reach - i] = fade * (2.0 * about * first - left);
        long[reach + n - 1 + i] = fade * (2.0 * about * last - right);
    }
    for (to, x) in long[reach..].iter_mut().zip(samples) {
        *to = x - offset;
    }
    let mut planner = RealFftPlanner::<f64>::new();
    let (forward, back) = (planner.plan_fft_forward(size), planner.plan_fft_inverse(size));
    let mut lines = forward.make_output_vec();
    forward.process(&mut long, &mut lines).expect("buffers come from the same plan");
    let df = rate / size as f64;
    for (k, z) in lines.iter_mut().enumerate() {
        *z *= gain(k as f64 * df);
    }
    // The inverse of a real signal takes these as real.
    lines[0].im = 0.0;
    if size.is_multiple_of(2)
        && let Some(nyquist) = lines.last_mut()
    {
        nyquist.im = 0.0;
    }
    back.process(&mut lines, &mut long).expect("buffers come from the same plan");
    long[reach..reach + n].iter().map(|x| x / size as f64).collect()
}

/// Live integration: a centred four-point rule behind a second-order Butterworth high-pass.
///
/// Output lags by [`Integrator::LAG`] samples. The rule is within 0.3 % up to a tenth of the sample
/// rate and 4 % at a fifth; the high-pass turns the phase near its edge.
#[derive(Debug, Clone)]
pub struct Integrator {
    step_s: f64,
    highpass: Filter,
    past: [f64; 3],
    sum: f64,
}

impl Integrator {
    /// Samples by which the output lags.
    pub const LAG: usize = 1;

    /// An integrator at rest; frequencies below `above_hz` are taken off.
    ///
    /// # Errors
    /// An edge that is not above zero and below Nyquist.
    pub fn new(sample_rate_hz: f64, above_hz: f64) -> Result<Integrator> {
        let highpass = Filter::butterworth(Band::Highpass(above_hz), 2, sample_rate_hz)?;
        Ok(Integrator { step_s: 1.0 / sample_rate_hz, highpass, past: [0.0; 3], sum: 0.0 })
    }

    /// Integrates in place, continuing from the last call.
    pub fn run(&mut self, samples: &mut [f64]) {
        // First what is constant, so that the sum cannot run away.
        self.highpass.run(samples);
        for x in samples.iter_mut() {
            let [c, b, a] = self.past;
            // Area between the two middle points of the cubic through four.
            self.sum += self.step_s / 24.0 * (13.0 * (a + b) - *x - c);
            self.past = [b, a, *x];
            *x = self.sum;
        }
    }
}

/// Live differentiation by a linear-phase filter, exact within 0.1 % up to 0.35 of the sample rate.
#[derive(Debug, Clone)]
pub struct Differentiator {
    taps: Vec<f64>,
    past: Vec<f64>,
}

impl Differentiator {
    /// Samples by which the output lags.
    pub const LAG: usize = 24;

    /// A differentiator that takes the signal to have been zero before.
    ///
    /// # Errors
    /// A rate that is not above 0.
    pub fn new(sample_rate_hz: f64) -> Result<Differentiator> {
        check_rate(sample_rate_hz)?;
        let half = Self::LAG as f64 + 1.0;
        let top = crate::window::bessel_i0(10.0);
        let mut taps: Vec<f64> = (0..=2 * Self::LAG)
            .map(|i| {
                let d = i as f64 - Self::LAG as f64;
                if d == 0.0 {
                    return 0.0;
                }
                let w = crate::window::bessel_i0(10.0 * (1.0 - (d / half).powi(2)).sqrt()) / top;
                // Ideal differentiator: (−1)ᵈ/d, weighted.
                let sign = if (d as i64) % 2 == 0 { 1.0 } else { -1.0 };
                sign / d * w
            })
            .collect();
        // A straight line has its slope exactly.
        let slope: f64 = taps.iter().enumerate().map(|(i, t)| t * (Self::LAG as f64 - i as f64)).sum();
        taps.iter_mut().for_each(|t| *t *= sample_rate_hz / slope);
        Ok(Differentiator { taps, past: vec![0.0; 2 * Self::LAG] })
    }

    /// Differentiates in place, continuing from the last call.
    pub fn run(&mut self, samples: &mut [f64]) {
        let before = self.past.len();
        self.past.extend_from_slice(samples);
        for (i, y) in samples.iter_mut().enumerate() {
            let x = &self.past[i..i + self.taps.len()];
            *y = x.iter().rev().zip(&self.taps).map(|(x, t)| x * t).sum();
        }
        self.past.drain(..self.past.len() - before);
    }
}
