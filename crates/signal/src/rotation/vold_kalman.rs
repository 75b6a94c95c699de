//! Orders followed sample by sample, several at once: the second-generation Vold–Kalman filter.
//!
//! A record is taken to be the sum of `Re(aₖ·e^(2πj·φₖ))` over the components, each of a known phase φₖ
//! and an amplitude aₖ that changes smoothly, and of a rest. What minimises
//! `∫rest² + Λ·Σ∫|aₖ⁽ᵖ⁾|²` is found for all components together, so that those that come close or
//! cross are told apart as well as the record allows, and a resonance that is passed fast is not
//! averaged over a block. `p` is the number of poles. An amplitude that swings at frequency `f` (in
//! swings a unit of place) is kept by the share 1/(1 + (√2 − 1)·(2f/bandwidth)²ᵖ).
//!
//! The amplitudes are cubic splines on a grid that is fine against the bandwidth, so that narrow
//! bandwidths are as well conditioned as wide ones. Source: Vold & Leuridan, "High resolution order
//! tracking at extreme slew rates, using Kalman tracking filters", SAE 931288 (1993); Tůma, "Setting
//! the passband width in the Vold-Kalman order tracking filter", ICSV 12 (2005); Eilers & Marx,
//! "Flexible smoothing with B-splines and penalties", Statistical Science 11 (1996).

use crate::banded::Banded;
use crate::error::{Result, argument, check_finite};
use realfft::num_complex::Complex64;
use std::f64::consts::{PI, TAU};

/// Grid steps of the amplitudes a bandwidth.
const STEPS: f64 = 16.0;
/// Side of the order on which the rest is looked at, bandwidths.
const BESIDE: f64 = 1.5;
/// Largest number of values in the equations.
const MOST_VALUES: usize = 60_000_000;
/// Most components that are followed together.
pub const MOST_TOGETHER: usize = 20;

/// How steeply the filter falls.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Poles {
    /// 12 dB an octave; rises without overshoot.
    One,
    /// 24 dB an octave, flatter in its band; overshoots by 4 %.
    Two,
}

impl Poles {
    fn power(self) -> i32 {
        match self {
            Poles::One => 2,
            Poles::Two => 4,
        }
    }
}

/// Width and steepness of the filter, which are the same all along.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct OrderFilter {
    /// Width between its −3 dB points, in swings a unit of place: orders where places are
    /// revolutions, Hz where they are seconds.
    pub bandwidth: f64,
    /// How steeply it falls.
    pub poles: Poles,
}

impl OrderFilter {
    /// Share of an amplitude's swing of this frequency that is kept.
    pub fn kept(&self, frequency: f64) -> f64 {
        1.0 / (1.0 + (2f64.sqrt() - 1.0) * (2.0 * frequency / self.bandwidth).powi(self.poles.power()))
    }

    /// Angular frequency at which half is kept, rad a unit of place.
    fn half(&self) -> f64 {
        PI * self.bandwidth * (2f64.sqrt() - 1.0).powf(-1.0 / f64::from(self.poles.power()))
    }

    /// Weight of what lies at a distance, a unit of place.
    pub fn weight(&self, distance: f64) -> f64 {
        let w = self.half();
        let x = w * distance.abs();
        match self.poles {
            Poles::One => 0.5 * w * (-x).exp(),
            Poles::Two => {
                let y = x / 2f64.sqrt();
                w / (2.0 * 2f64.sqrt()) * (-y).exp() * (y.cos() + y.sin())
            }
        }
    }

    /// Distance over which a sudden change of the amplitude goes from 10 to 90 %.
    pub fn rise(&self) -> f64 {
        // Share passed at a distance after the middle; it ascends up to 0.9.
        let passed = |x: f64| match self.poles {
            Poles::One => 1.0 - 0.5 * (-x).exp(),
            Poles::Two => 1.0 - 0.5 * (-x / 2f64.sqrt()).exp() * (x / 2f64.sqrt()).cos(),
        };
        let (mut low, mut high) = (0.0, 2.2);
        for _ in 0..50 {
            let middle = 0.5 * (low + high);
            if passed(middle) < 0.9 { low = middle } else { high = middle }
        }
        2.0 * low / self.half()
    }

    /// Power of noise that passes, as bandwidth on both sides of the order together.
    fn noise_width(&self) -> f64 {
        // ∫dx/(1 + x²)² and ∫dx/(1 + x⁴)² over all x.
        let whole = match self.poles {
            Poles::One => 0.5 * PI,
            Poles::Two => 0.75 * PI / 2f64.sqrt(),
        };
        self.half() / TAU * whole
    }

    /// Share of the noise beside the order that is left in the rest, where it is looked at.
    fn left_beside(&self) -> f64 {
        // A Hann window of one bandwidth's inverse.
        let seen = |x: f64| {
            let sinc = |x: f64| if x.abs() < 1e-9 { 1.0 } else { (PI * x).sin() / (PI * x) };
            (sinc(x) + 0.5 * sinc(x - 1.0) + 0.5 * sinc(x + 1.0)).powi(2)
        };
        let (mut left, mut all) = (0.0, 0.0);
        for k in -200..=200 {
            let x = f64::from(k) * 0.02;
            let off = 1.0 - self.kept((BESIDE + x) * self.bandwidth);
            left += seen(x) * off * off;
            all += seen(x);
        }
        left / all
    }
}

/// Amplitudes of the components of one channel.
#[derive(Debug, Clone)]
pub struct Followed {
    from: f64,
    step: f64,
    /// Coefficients of the splines, one component after the other.
    amplitudes: Vec<Vec<Complex64>>,
    /// Standard uncertainty at each grid step.
    uncertainty: Vec<Vec<f64>>,
}

impl Followed {
    /// Complex peak amplitude of a component at a place: `A·e^(jφ)` of `A·cos(2π·φₖ + φ)`.
    pub fn at(&self, component: usize, place: f64) -> Complex64 {
        let a = &self.amplitudes[component];
        let (cell, basis) = cell((place - self.from) / self.step, a.len() - 3);
        basis.iter().zip(&a[cell..]).map(|(b, c)| c * b).sum()
    }

    /// Standard uncertainty of the size of a component's amplitude there, from what is left of the
    /// record beside the component.
    pub fn uncertainty(&self, component: usize, place: f64) -> f64 {
        let u = &self.uncertainty[component];
        u[(((place - self.from) / self.step).max(0.0) as usize).min(u.len() - 1)]
    }
}

/// Cell of a uniform grid a place lies in, and the four cubic B-splines there.
fn cell(x: f64, cells: usize) -> (usize, [f64; 4]) {
    let cell = (x.max(0.0) as usize).min(cells - 1);
    let t = x - cell as f64;
    let s = 1.0 - t;
    let (t2, t3) = (t * t, t * t * t);
    (cell, [s * s * s / 6.0, (3.0 * t3 - 6.0 * t2 + 4.0) / 6.0, (-3.0 * t3 + 3.0 * t2 + 3.0 * t + 1.0) / 6.0, t3 / 6.0])
}

/// Samples of a record, their places and the phases of what is followed.
struct Record<'a> {
    places: &'a [f64],
    /// Share of the places each sample stands for.
    shares: Vec<f64>,
    phases: &'a [Vec<f64>],
    from: f64,
    step: f64,
    cells: usize,
}

impl Record<'_> {
    /// Calls for every sample with its cell, the splines there and `cos`, `−sin` of each component.
    fn each(&self, mut f: impl FnMut(usize, usize, &[f64; 4], &[f64])) {
        let mut turns = vec![0.0; 2 * self.phases.len()];
        for (n, place) in self.places.iter().enumerate() {
            for (turn, phase) in turns.chunks_exact_mut(2).zip(self.phases) {
                let (sin, cos) = (TAU * phase[n].fract()).sin_cos();
                turn[0] = cos;
                turn[1] = -sin;
            }
            let (cell, basis) = cell((place - self.from) / self.step, self.cells);
            f(n, cell, &basis, &turns);
        }
    }

    /// The normal equations, split into their factors; the same for all channels.
    fn equations(&self, filter: &OrderFilter) -> Result<Banded> {
        let (own, knots) = (2 * self.phases.len(), self.cells + 3);
        let mut band = Banded::zeros(own * knots, 4 * own - 1);
        let mut row = vec![0.0; 4 * own];
        self.each(|n, cell, basis, turns| {
            for (part, b) in row.chunks_exact_mut(own).zip(basis) {
                part.iter_mut().zip(turns).for_each(|(r, t)| *r = b * t);
            }
            for (i, r) in row.iter().enumerate() {
                band.add_row(cell * own + i, cell * own, &row[..=i], r * self.shares[n]);
            }
        });
        // Λ·|Δᵖ|² of the coefficients, with Λ so that 0.71 is kept at the edge of the band.
        let edge = PI * filter.bandwidth * self.step;
        let half = 0.5 * edge;
        // What the splines make of a swing at the edge: taken in, overlapping each other, given out.
        let taken = (half.sin() / half).powi(4);
        let overlap = (2416.0 + 2382.0 * edge.cos() + 240.0 * (2.0 * edge).cos() + 2.0 * (3.0 * edge).cos()) / 5040.0;
        let given = (2.0 + edge.cos()) / 3.0;
        let wanted = 2f64.sqrt() * taken * given - overlap;
        let stiff = 0.5 * self.step * wanted / (2.0 * half.sin()).powi(filter.poles.power());
        let differences: &[f64] = match filter.poles {
            Poles::One => &[1.0, -1.0],
            Poles::Two => &[1.0, -2.0, 1.0],
        };
        for knot in 0..=knots - differences.len() {
            for part in 0..own {
                for (i, a) in differences.iter().enumerate() {
                    for (j, b) in differences[..=i].iter().enumerate() {
                        band.add((knot + i) * own + part, (knot + j) * own + part, stiff * a * b);
                    }
                }
            }
        }
        // A component the record says nothing of (a gap of samples) is left at rest.
        (0..own * knots).for_each(|i| band.add(i, i, 1e-12 * self.step));
        band.factored().ok_or_else(|| {
            argument("orders", "two that are one and the same", "orders that differ from each other in the stretch")
        })
    }

    fn follow(&self, samples: &[f64], equations: &Banded, filter: &OrderFilter) -> Followed {
        let (own, knots) = (2 * self.phases.len(), self.cells + 3);
        let mut x = vec![0.0; own * knots];
        self.each(|n, cell, basis, turns| {
            let y = samples[n] * self.shares[n];
            for (part, b) in x[cell * own..].chunks_exact_mut(own).zip(basis) {
                part.iter_mut().zip(turns).for_each(|(x, t)| *x += y * b * t);
            }
        });
        equations.solve(&mut x);
        let rest = self.beside(samples, &x, filter);
        let amplitudes = (0..self.phases.len())
            .map(|k| (0..knots).map(|i| Complex64::new(x[i * own + 2 * k], x[i * own + 2 * k + 1])).collect())
            .collect();
        Followed { from: self.from, step: self.step, amplitudes, uncertainty: rest }
    }

    /// Standard uncertainty of each component at each cell, from the rest on both sides of it.
    fn beside(&self, samples: &[f64], x: &[f64], filter: &OrderFilter) -> Vec<Vec<f64>> {
        let own = 2 * self.phases.len();
        // The rest, turned back by the component's phase and by 1/2, 3/2 and 5/2 widths on either side:
        // those in the middle, and what makes a Hann window of them.
        let mut sums = vec![[[Complex64::default(); 3]; 2]; self.phases.len() * self.cells];
        let mut weights = vec![0.0; self.cells];
        let width = 1.0 / (STEPS * self.step);
        self.each(|n, cell, basis, turns| {
            let model: f64 = x[cell * own..]
                .chunks_exact(own)
                .zip(basis)
                .map(|(part, b)| b * part.iter().zip(turns).map(|(x, t)| x * t).sum::<f64>())
                .sum();
            let rest = 2.0 * self.shares[n] * (samples[n] - model);
            let once = Complex64::from_polar(1.0, -PI * (width * (self.places[n] - self.from)).rem_euclid(2.0));
            let twice = once * once;
            let aside = [once, once * twice, once * twice * twice];
            for (turn, sums) in turns.chunks_exact(2).zip(sums.chunks_exact_mut(self.cells)) {
                let turned = rest * Complex64::new(turn[0], turn[1]);
                for (m, a) in aside.iter().enumerate() {
                    sums[cell][0][m] += turned * a;
                    sums[cell][1][m] += turned * a.conj();
                }
            }
            weights[cell] += self.shares[n];
        });
        let passes = filter.noise_width() / (1.5 * filter.bandwidth * filter.left_beside());
        let window = STEPS as usize;
        let hann = |i: usize, sums: &[[[Complex64; 3]; 2]]| -> f64 {
            let weight = 0.5 * weights[i..i + window].iter().sum::<f64>();
            let turn = Complex64::from_polar(0.25, TAU * i as f64 / STEPS);
            let side = |s: usize, turn: Complex64| {
                let of = |m: usize| -> Complex64 { sums[i..i + window].iter().map(|c| c[s][m]).sum() };
                (0.5 * of(1) - turn.conj() * of(0) - turn * of(2)).norm_sqr()
            };
            0.5 * (side(0, turn) + side(1, turn.conj())) / (weight * weight).max(f64::MIN_POSITIVE)
        };
        sums.chunks_exact(self.cells)
            .map(|sums| {
                let seen: Vec<f64> = (0..=self.cells - window).map(|i| hann(i, sums)).collect();
                // Around each cell, over two of the window's lengths on either side.
                let reach = 2 * window;
                (0..self.cells)
                    .map(|i| {
                        let middle = i.saturating_sub(window / 2).min(seen.len() - 1);
                        let around = &seen[middle.saturating_sub(reach)..(middle + reach + 1).min(seen.len())];
                        let power = around.iter().sum::<f64>() / around.len() as f64;
                        // Half of the noise lies along the amplitude, half across.
                        (0.5 * power * passes).sqrt()
                    })
                    .collect()
            })
            .collect()
    }
}

/// Components that are followed through channels which were sampled together: their equations, which are the
/// same for all channels.
pub struct Follower<'a> {
    record: Record<'a>,
    equations: Banded,
    filter: OrderFilter,
}

impl<'a> Follower<'a> {
    /// Sets up the equations.
    ///
    /// `places` are those of the samples, revolutions or seconds, ascending; `phases_rev` for each
    /// component its phase at every sample, revolutions.
    ///
    /// # Errors
    /// A bandwidth that is not above 0; no or too many components; lengths that differ; places that do not
    /// ascend; a stretch shorter than a bandwidth's inverse, or so long that the equations have more than 60
    /// million values; components that are the same all along.
    pub fn new(places: &'a [f64], phases_rev: &'a [Vec<f64>], filter: OrderFilter) -> Result<Follower<'a>> {
        let n = places.len();
        if !(filter.bandwidth.is_finite() && filter.bandwidth > 0.0) {
            return Err(argument("bandwidth", filter.bandwidth, "above 0"));
        }
        if !(1..=MOST_TOGETHER).contains(&phases_rev.len()) {
            return Err(argument("orders", phases_rev.len(), format!("1 to {MOST_TOGETHER} orders followed together")));
        }
        if let Some(other) = phases_rev.iter().map(Vec::len).find(|l| *l != n) {
            return Err(argument("samples", other, format!("{n}, as many as places")));
        }
        if n < 8 || places.windows(2).any(|w| !(w[1] > w[0] && w[0].is_finite() && w[1].is_finite())) {
            return Err(argument("places", n, "8 or more that ascend"));
        }
        phases_rev.iter().try_for_each(|p| check_finite(p))?;
        let span = places[n - 1] - places[0];
        let cells = (STEPS * span * filter.bandwidth).ceil();
        if cells < STEPS {
            return Err(argument("bandwidth", filter.bandwidth, format!("{} or more for this stretch", 1.0 / span)));
        }
        let values = cells * 16.0 * (phases_rev.len() * phases_rev.len()) as f64;
        if values > MOST_VALUES as f64 {
            let most = filter.bandwidth * MOST_VALUES as f64 / values;
            return Err(argument(
                "bandwidth",
                filter.bandwidth,
                format!("up to {most:.3} for these orders and this stretch"),
            ));
        }
        let shares = (0..n).map(|i| 0.5 * (places[(i + 1).min(n - 1)] - places[i.saturating_sub(1)])).collect();
        let cells = cells as usize;
        let record = Record { places, shares, phases: phases_rev, from: places[0], step: span / cells as f64, cells };
        let equations = record.equations(&filter)?;
        Ok(Follower { record, equations, filter })
    }

    /// Follows the components through a channel.
    ///
    /// # Errors
    /// Not as many samples as places; a sample that is not finite.
    pub fn follow(&self, samples: &[f64]) -> Result<Followed> {
        let n = self.record.places.len();
        if samples.len() != n {
            return Err(argument("samples", samples.len(), format!("{n}, as many as places")));
        }
        check_finite(samples)?;
        Ok(self.record.follow(samples, &self.equations, &self.filter))
    }
}
