//! Poles of rising order and which of them stay: the stabilisation diagram.
//!
//! The responses of a band are described by a right matrix fraction whose polynomials live on the
//! half circle that the band is laid around; numerators are eliminated, so that only small matrices
//! are left however many outputs there are. Of a polynomial the lowest coefficient is held at one:
//! poles that describe noise then come out unstable and drop away.
//!
//! Source: Guillaume, Verboven, Vanlanduit, Van der Auweraer & Peeters, "A poly-reference
//! implementation of the least-squares complex frequency-domain estimator", IMAC 2003; Cauberghe,
//! Guillaume, Verboven, Vanlanduit & Parloo, "On the influence of the parameter constraint on the
//! stability of the poles and the discrimination capabilities of the stabilisation diagrams", MSSP 2005.

use super::band::Band;
use super::mac::mac;
use super::normal::{positive, reduced};
use crate::error::{Result, argument};
use nalgebra::{DMatrix, DVector};
use realfft::num_complex::Complex64;
use std::f64::consts::TAU;

/// What poles are looked for and when one counts as the same as that of the order before.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct PoleSettings {
    /// Highest order of the polynomials; orders from 2 are tried. Each adds as many poles as there are references.
    pub max_order: usize,
    /// Largest relative change of the frequency.
    pub frequency_change: f64,
    /// Largest relative change of the damping.
    pub damping_change: f64,
    /// Least MAC of the participation.
    pub mac: f64,
}

impl Default for PoleSettings {
    /// Order 40; one in a hundred of frequency, one in twenty of damping, 0.98 of MAC.
    fn default() -> PoleSettings {
        PoleSettings { max_order: 40, frequency_change: 0.01, damping_change: 0.05, mac: 0.98 }
    }
}

impl PoleSettings {
    fn check(&self) -> Result<()> {
        if !(2..=200).contains(&self.max_order) {
            return Err(argument("max_order", self.max_order, "2 to 200"));
        }
        for (name, value) in
            [("frequency_change", self.frequency_change), ("damping_change", self.damping_change), ("mac", self.mac)]
        {
            if !(value > 0.0 && value <= 1.0) {
                return Err(argument(name, value, "above 0, up to 1"));
            }
        }
        Ok(())
    }
}

/// A pole with what each reference takes part in it.
#[derive(Debug, Clone, PartialEq)]
pub struct Pole {
    /// Pole, rad/s: decay (negative) and damped angular frequency.
    pub lambda: Complex64,
    /// Participation of each reference, of length one.
    pub participation: Vec<Complex64>,
}

impl Pole {
    /// Undamped natural frequency, Hz.
    pub fn frequency_hz(&self) -> f64 {
        self.lambda.norm() / TAU
    }

    /// Share of critical damping.
    pub fn damping_ratio(&self) -> f64 {
        -self.lambda.re / self.lambda.norm()
    }

    /// The pole without the decay that an exponential window of `added_per_s` (1/s) added.
    #[must_use]
    pub fn without_window(mut self, added_per_s: f64) -> Pole {
        self.lambda.re += added_per_s;
        self
    }
}

/// In how much a pole is the same as one of the order before.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Stability {
    /// Not there before.
    New,
    /// Its frequency stays.
    Frequency,
    /// Frequency and damping stay.
    Damping,
    /// Frequency, damping and participation stay.
    Whole,
}

/// A pole of some order in the diagram.
#[derive(Debug, Clone, PartialEq)]
pub struct StablePole {
    /// The pole.
    pub pole: Pole,
    /// How stable it is.
    pub stability: Stability,
    /// Which one of the order before it continues, where it does.
    before: Option<usize>,
}

/// The stabilisation diagram: stable poles of every order within the band.
#[derive(Debug, Clone, PartialEq)]
pub struct Stabilisation {
    /// Poles `[order − 2]`, by rising frequency.
    pub orders: Vec<Vec<StablePole>>,
    settings: PoleSettings,
}

/// Poles of all orders up to the highest.
///
/// # Errors
/// Settings outside what they allow; a band with fewer lines than unknowns of the highest order.
pub fn stabilisation(band: &Band, settings: PoleSettings) -> Result<Stabilisation> {
    settings.check()?;
    let references = band.references();
    band.holds((settings.max_order + 1) * (references + 1))?;
    let reduced = reduced(band, settings.max_order);
    let mut orders: Vec<Vec<StablePole>> = Vec::new();
    for order in 2..=settings.max_order {
        let poles = poles_of(&reduced, order, references, band.band_hz());
        let found = poles.into_iter().map(|pole| compared(pole, orders.last(), &settings)).collect();
        orders.push(found);
    }
    Ok(Stabilisation { orders, settings })
}

/// Stable poles of one order within the band, by rising frequency.
fn poles_of(reduced: &DMatrix<f64>, order: usize, inputs: usize, band_hz: (f64, f64)) -> Vec<Pole> {
    let unknown = order * inputs;
    let solver = positive(reduced.view((inputs, inputs), (unknown, unknown)).into_owned());
    let alpha = -solver.solve(&reduced.view((inputs, 0), (unknown, inputs)).into_owned());
    // With the lowest coefficient one, the inverse of each pole is an eigenvalue of the companion.
    let mut companion = DMatrix::<f64>::zeros(unknown, unknown);
    for i in 0..unknown - inputs {
        companion[(i, i + inputs)] = 1.0;
    }
    for k in 0..order {
        let block = alpha.view((k * inputs, 0), (inputs, inputs));
        companion.view_mut((unknown - inputs, (order - 1 - k) * inputs), (inputs, inputs)).copy_from(&(-block));
    }
    let Some(inverses) = eigenvalues(companion) else { return Vec::new() };
    let (low, high) = band_hz;
    let mut poles: Vec<Pole> = inverses
        .iter()
        .filter_map(|w| {
            let z = w.inv();
            if !z.is_finite() || z.im <= 0.0 {
                return None;
            }
            let lambda = z.ln() * 2.0 * (high - low) + Complex64::new(0.0, TAU * low);
            if lambda.re >= 0.0 {
                return None;
            }
            let mut sum = DMatrix::<Complex64>::identity(inputs, inputs);
            for k in 0..order {
                let power = z.powi(k as i32 + 1);
                sum += alpha.view((k * inputs, 0), (inputs, inputs)).map(|a| power * a);
            }
            Some(Pole { lambda, participation: left_null(sum)? })
        })
        .collect();
    poles.sort_by(|a, b| a.lambda.im.total_cmp(&b.lambda.im));
    poles
}

/// All eigenvalues, or nothing where they do not converge.
fn eigenvalues(matrix: DMatrix<f64>) -> Option<DVector<Complex64>> {
    nalgebra::Schur::try_new(matrix, f64::EPSILON, 10_000).map(|s| s.complex_eigenvalues())
}

/// Row vector that a matrix singular to rounding takes to zero, of length one.
fn left_null(matrix: DMatrix<Complex64>) -> Option<Vec<Complex64>> {
    let parts = matrix.svd(true, false);
    let least = parts.singular_values.imin();
    Some(parts.u?.column(least).iter().map(Complex64::conj).collect())
}

/// A pole with how it stands to those of the order before.
fn compared(pole: Pole, before: Option<&Vec<StablePole>>, settings: &PoleSettings) -> StablePole {
    let mut best = (Stability::New, None, f64::INFINITY);
    for (k, other) in before.into_iter().flatten().enumerate() {
        let (f, g) = (pole.frequency_hz(), other.pole.frequency_hz());
        let change = (f / g - 1.0).abs();
        if change > settings.frequency_change {
            continue;
        }
        let damping = (pole.damping_ratio() / other.pole.damping_ratio() - 1.0).abs();
        let stability = if damping > settings.damping_change {
            Stability::Frequency
        } else if mac(&pole.participation, &other.pole.participation) < settings.mac {
            Stability::Damping
        } else {
            Stability::Whole
        };
        if (stability, -change) > (best.0, -best.2) {
            best = (stability, Some(k), change);
        }
    }
    StablePole { pole, stability: best.0, before: best.1 }
}

/// A pole that stays over many orders.
#[derive(Debug, Clone, PartialEq)]
pub struct Lasting {
    /// Of those of all orders the one of middle damping.
    pub pole: Pole,
    /// How many orders it stays.
    pub orders: usize,
    /// Standard deviation of its frequency over them, Hz.
    pub frequency_scatter_hz: f64,
    /// The same of its damping ratio.
    pub damping_scatter: f64,
}

/// Standard deviation of numbers.
fn scatter(numbers: impl Iterator<Item = f64> + Clone) -> f64 {
    let n = numbers.clone().count() as f64;
    let mean = numbers.clone().sum::<f64>() / n;
    (numbers.map(|x| (x - mean).powi(2)).sum::<f64>() / (n - 1.0).max(1.0)).sqrt()
}

impl Lasting {
    /// Of a chain with one pole or more.
    fn of(mut chain: Vec<&Pole>) -> Lasting {
        let frequency_scatter_hz = scatter(chain.iter().map(|p| p.frequency_hz()));
        let damping_scatter = scatter(chain.iter().map(|p| p.damping_ratio()));
        chain.sort_by(|a, b| a.damping_ratio().total_cmp(&b.damping_ratio()));
        let pole = chain[chain.len() / 2].clone();
        Lasting { pole, orders: chain.len(), frequency_scatter_hz, damping_scatter }
    }
}

impl Stabilisation {
    /// Poles that stayed wholly stable over `at_least` orders in a row, one for each mode, by rising
    /// frequency. Of chains that are one mode the longest is taken.
    pub fn lasting(&self, at_least: usize) -> Vec<Lasting> {
        let mut chains: Vec<Vec<&Pole>> = Vec::new();
        for (order, all) in self.orders.iter().enumerate() {
            for (k, found) in all.iter().enumerate() {
                let goes_on = self
                    .orders
                    .get(order + 1)
                    .is_some_and(|next| next.iter().any(|f| f.stability == Stability::Whole && f.before == Some(k)));
                if found.stability == Stability::Whole && !goes_on {
                    chains.push(self.chain(order, found));
                }
            }
        }
        chains.retain(|c| c.len() > at_least.max(1));
        chains.sort_by_key(|c| std::cmp::Reverse(c.len()));
        let mut taken: Vec<Lasting> = Vec::new();
        for found in chains.into_iter().map(Lasting::of) {
            if !taken.iter().any(|t| self.same_mode(&t.pole, &found.pole)) {
                taken.push(found);
            }
        }
        taken.sort_by(|a, b| a.pole.lambda.im.total_cmp(&b.pole.lambda.im));
        taken
    }

    /// A pole and those it continues.
    fn chain<'a>(&'a self, mut order: usize, last: &'a StablePole) -> Vec<&'a Pole> {
        let mut chain = vec![&last.pole];
        let mut at = last;
        while let (Stability::Whole, Some(k), true) = (at.stability, at.before, order > 0) {
            order -= 1;
            at = &self.orders[order][k];
            chain.push(&at.pole);
        }
        chain
    }

    fn same_mode(&self, a: &Pole, b: &Pole) -> bool {
        let near = (a.frequency_hz() / b.frequency_hz() - 1.0).abs() < self.settings.frequency_change;
        near && mac(&a.participation, &b.participation) >= self.settings.mac
    }
}
