//! Position of a source from arrival times at known places.
//!
//! Least squares on arrival times with an unknown moment of emission for every set (one knock, one
//! placement of the sensors), robust against single bad picks, started from many places. Source:
//! Tarantola, "Inverse Problem Theory", ch. 7; Huber, "Robust Statistics"; Geiger 1912 for the
//! method.

use crate::error::{Result, SignalError, argument};
use nalgebra::{DMatrix, DVector, SymmetricEigen};

/// One arrival at a place.
#[derive(Debug, Clone, PartialEq)]
pub struct Observation {
    /// Place of the sensor, m; two or three coordinates, the same number everywhere.
    pub place_m: Vec<f64>,
    /// Arrival, s.
    pub time_s: f64,
    /// Standard uncertainty of the pick, s, above 0.
    pub uncertainty_s: f64,
}

/// Arrivals of one knock.
pub type Set = Vec<Observation>;

/// A located source.
#[derive(Debug, Clone, PartialEq)]
pub struct Located {
    /// Place, m.
    pub place_m: Vec<f64>,
    /// Moment of emission of each set, s.
    pub emitted_s: Vec<f64>,
    /// Half axes of the 95 % confidence ellipse or ellipsoid with their directions, longest first,
    /// m.
    pub axes_m: Vec<(f64, Vec<f64>)>,
    /// Weighted root mean square of what is left, in units of the picks' uncertainty.
    pub misfit: f64,
    /// Arrivals that were weighed down as outliers: set and position in it.
    pub outliers: Vec<(usize, usize)>,
}

/// Quantiles of χ² at 95 % for 2 and 3 degrees of freedom.
const CHI_SQUARE_95: [f64; 2] = [5.991, 7.815];

/// Residual, in uncertainties, from which an arrival weighs less.
const HUBER: f64 = 1.5;

/// Finds the place that explains all sets best.
///
/// # Errors
/// A speed or uncertainty that is not above 0, times or places that are not finite, coordinates
/// that are not two or three everywhere; too few arrivals; sensors whose places leave a direction
/// open (on one line, or in one plane for three coordinates).
pub fn locate(sets: &[Set], wave_speed_m_s: f64) -> Result<Located> {
    if !(wave_speed_m_s.is_finite() && wave_speed_m_s > 0.0) {
        return Err(argument("wave_speed_m_s", wave_speed_m_s, "above 0"));
    }
    let dimensions = sets.first().and_then(|s| s.first()).map_or(0, |o| o.place_m.len());
    if !(2..=3).contains(&dimensions) {
        return Err(argument("place_m", format!("{dimensions} coordinates"), "two or three"));
    }
    for o in sets.iter().flatten() {
        if o.place_m.len() != dimensions || o.place_m.iter().any(|x| !x.is_finite()) {
            return Err(argument("place_m", format!("{:?}", o.place_m), format!("{dimensions} finite coordinates")));
        }
        if !o.time_s.is_finite() {
            return Err(argument("time_s", o.time_s, "a finite number"));
        }
        if !(o.uncertainty_s.is_finite() && o.uncertainty_s > 0.0) {
            return Err(argument("uncertainty_s", o.uncertainty_s, "above 0"));
        }
    }
    let sets: Vec<&Set> = sets.iter().filter(|s| s.len() >= 2).collect();
    let differences: usize = sets.iter().map(|s| s.len() - 1).sum();
    if differences < dimensions {
        return Err(SignalError::TooShort {
            what: "a position, in arrival differences,",
            have: differences,
            need: dimensions,
        });
    }
    check_geometry(&sets, dimensions)?;
    let problem = Problem { sets, speed: wave_speed_m_s, dimensions };
    problem.solve()
}

fn check_geometry(sets: &[&Set], dimensions: usize) -> Result<()> {
    let places: Vec<&Vec<f64>> = sets.iter().flat_map(|s| s.iter().map(|o| &o.place_m)).collect();
    let middle: Vec<f64> =
        (0..dimensions).map(|d| places.iter().map(|p| p[d]).sum::<f64>() / places.len() as f64).collect();
    let mut spread = vec![vec![0.0; dimensions]; dimensions];
    for p in &places {
        for a in 0..dimensions {
            for b in 0..dimensions {
                spread[a][b] += (p[a] - middle[a]) * (p[b] - middle[b]);
            }
        }
    }
    let (values, _) = eigen(&spread);
    if values[dimensions - 1] <= 1e-6 * values[0] {
        let shape = if dimensions == 2 { "on one line" } else { "in one plane" };
        return Err(argument(
            "place_m",
            format!("all sensors {shape}, which leaves two places for the source"),
            format!("sensors not all {shape}"),
        ));
    }
    Ok(())
}

struct Problem<'a> {
    sets: Vec<&'a Set>,
    speed: f64,
    dimensions: usize,
}

/// Normal matrix, gradient, cost and residuals at a place.
struct Step {
    normal: Vec<Vec<f64>>,
    gradient: Vec<f64>,
    cost: f64,
    emitted: Vec<f64>,
    residuals: Vec<Vec<f64>>,
}

impl Problem<'_> {
    fn evaluate(&self, place: &[f64]) -> Step {
        let d = self.dimensions;
        let mut step = Step {
            normal: vec![vec![0.0; d]; d],
            gradient: vec![0.0; d],
            cost: 0.0,
            emitted: Vec::new(),
            residuals: Vec::new(),
        };
        for set in &self.sets {
            let travel: Vec<f64> = set.iter().map(|o| distance(&o.place_m, place) / self.speed).collect();
            let raw: Vec<f64> = set.iter().zip(&travel).map(|(o, t)| o.time_s - t).collect();
            // Moment of emission by repeated weighing, started from the median.
            let mut sorted = raw.clone();
            sorted.sort_by(f64::total_cmp);
            let mut emitted = sorted[sorted.len() / 2];
            let mut weights = vec![0.0; set.len()];
            for _ in 0..8 {
                let (mut top, mut bottom) = (0.0, 0.0);
                for ((o, r), w) in set.iter().zip(&raw).zip(&mut weights) {
                    let size = ((r - emitted) / o.uncertainty_s).abs();
                    *w = if size <= HUBER { 1.0 } else { HUBER / size } / (o.uncertainty_s * o.uncertainty_s);
                    top += *w * r;
                    bottom += *w;
                }
                emitted = top / bottom;
            }
            let slopes: Vec<Vec<f64>> = set
                .iter()
                .map(|o| {
                    let r = distance(&o.place_m, place).max(1e-9);
                    (0..d).map(|k| (place[k] - o.place_m[k]) / (r * self.speed)).collect()
                })
                .collect();
            let total: f64 = weights.iter().sum();
            let mean: Vec<f64> =
                (0..d).map(|k| slopes.iter().zip(&weights).map(|(s, w)| s[k] * w).sum::<f64>() / total).collect();
            let mut residuals = Vec::with_capacity(set.len());
            for (((o, r), w), slope) in set.iter().zip(&raw).zip(&weights).zip(&slopes) {
                let left = r - emitted;
                let size = (left / o.uncertainty_s).abs();
                step.cost += if size <= HUBER { 0.5 * size * size } else { HUBER * (size - 0.5 * HUBER) };
                for a in 0..d {
                    step.gradient[a] += w * (slope[a] - mean[a]) * left;
                    for b in 0..d {
                        step.normal[a][b] += w * (slope[a] - mean[a]) * (slope[b] - mean[b]);
                    }
                }
                residuals.push(left / o.uncertainty_s);
            }
            step.emitted.push(emitted);
            step.residuals.push(residuals);
        }
        step
    }

    /// Levenberg–Marquardt from one place.
    fn descend(&self, start: Vec<f64>) -> (Vec<f64>, Step) {
        let mut place = start;
        let mut now = self.evaluate(&place);
        let mut damping = 1e-3;
        for _ in 0..200 {
            let mut normal = now.normal.clone();
            for (k, row) in normal.iter_mut().enumerate() {
                row[k] *= 1.0 + damping;
                row[k] += f64::MIN_POSITIVE;
            }
            let Some(move_by) = solve(&normal, &now.gradient) else {
                break;
            };
            let next: Vec<f64> = place.iter().zip(&move_by).map(|(p, m)| p + m).collect();
            let then = self.evaluate(&next);
            let length = move_by.iter().map(|m| m * m).sum::<f64>().sqrt();
            if then.cost <= now.cost {
                (place, now) = (next, then);
                damping = (damping / 5.0).max(1e-12);
                if length < 1e-9 {
                    break;
                }
            } else {
                damping *= 4.0;
                if damping > 1e12 {
                    break;
                }
            }
        }
        (place, now)
    }

    fn solve(&self) -> Result<Located> {
        let d = self.dimensions;
        let places: Vec<&Vec<f64>> = self.sets.iter().flat_map(|s| s.iter().map(|o| &o.place_m)).collect();
        let bound = |k: usize, pick: fn(f64, f64) -> f64, from: f64| places.iter().map(|p| p[k]).fold(from, pick);
        let low: Vec<f64> = (0..d).map(|k| bound(k, f64::min, f64::INFINITY)).collect();
        let high: Vec<f64> = (0..d).map(|k| bound(k, f64::max, f64::NEG_INFINITY)).collect();
        // A grid over the sensors' box and half its size around it.
        let steps = if d == 2 { 7 } else { 5 };
        let mut best: Option<(Vec<f64>, Step)> = None;
        for index in 0..usize::pow(steps, d as u32) {
            let mut rest = index;
            let start = (0..d)
                .map(|k| {
                    let share = (rest % steps) as f64 / (steps - 1) as f64 * 2.0 - 0.5;
                    rest /= steps;
                    low[k] + share * (high[k] - low[k]).max(1e-3)
                })
                .collect();
            let found = self.descend(start);
            if best.as_ref().is_none_or(|b| found.1.cost < b.1.cost) {
                best = Some(found);
            }
        }
        let (place_m, step) = best.expect("the grid is not empty");
        let (values, vectors) = eigen(&step.normal);
        if values[d - 1] <= 1e-9 * values[0] {
            return Err(argument(
                "place_m",
                "sensors that all see the source from one side, so that its distance stays open",
                "sensors around the source",
            ));
        }
        let count: usize = step.residuals.iter().map(Vec::len).sum();
        let squares: f64 = step.residuals.iter().flatten().map(|r| r * r).sum();
        let quantile = CHI_SQUARE_95[d - 2];
        let mut axes_m: Vec<(f64, Vec<f64>)> =
            values.iter().zip(vectors).map(|(v, direction)| ((quantile / v).sqrt(), direction)).collect();
        axes_m.reverse();
        let outliers = step
            .residuals
            .iter()
            .enumerate()
            .flat_map(|(s, set)| set.iter().enumerate().filter(|(_, r)| r.abs() > 3.0).map(move |(i, _)| (s, i)))
            .collect();
        Ok(Located { place_m, emitted_s: step.emitted, axes_m, misfit: (squares / count as f64).sqrt(), outliers })
    }
}

fn distance(a: &[f64], b: &[f64]) -> f64 {
    a.iter().zip(b).map(|(x, y)| (x - y) * (x - y)).sum::<f64>().sqrt()
}

/// A square matrix of its rows.
fn square(rows: &[Vec<f64>]) -> DMatrix<f64> {
    DMatrix::from_fn(rows.len(), rows.len(), |i, j| rows[i][j])
}

/// What the matrix takes to `right`; none where it is singular.
fn solve(matrix: &[Vec<f64>], right: &[f64]) -> Option<Vec<f64>> {
    let found = square(matrix).lu().solve(&DVector::from_column_slice(right))?;
    found.iter().all(|x| x.is_finite()).then(|| found.as_slice().to_vec())
}

/// Eigenvalues, largest first, with unit vectors, of a small symmetric matrix.
fn eigen(matrix: &[Vec<f64>]) -> (Vec<f64>, Vec<Vec<f64>>) {
    let found = SymmetricEigen::new(square(matrix));
    let mut order: Vec<usize> = (0..matrix.len()).collect();
    order.sort_by(|&i, &j| found.eigenvalues[j].total_cmp(&found.eigenvalues[i]));
    let values = order.iter().map(|&i| found.eigenvalues[i]).collect();
    let vectors = order.iter().map(|&i| found.eigenvectors.column(i).iter().copied().collect()).collect();
    (values, vectors)
}
