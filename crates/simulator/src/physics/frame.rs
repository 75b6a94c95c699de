//! The radar mast bracket of the Merrow as masses and springs: eighteen points of a welded frame, bars between them
//! that stretch, edges that bend, and four bolts to the mast that give a little.
//!
//! Its modes follow from these alone, by Jacobi's rotations of the stiffness over the masses.

use serde::Serialize;
use std::f64::consts::TAU;

/// Points of the frame.
pub const POINTS: usize = 18;
/// Ways a point can go: outwards, to port, up.
pub const AXES: usize = 3;
const SIZE: usize = POINTS * AXES;

/// Where the points are, m: two posts at the mast, the plate under the radar, the lower edges of the cheeks.
pub const PLACES: [[f64; AXES]; POINTS] = [
    [0.00, -0.14, 0.00],
    [0.00, 0.14, 0.00],
    [0.00, -0.14, 0.20],
    [0.00, 0.14, 0.20],
    [0.00, -0.14, 0.40],
    [0.00, 0.14, 0.40],
    [0.00, -0.14, 0.60],
    [0.00, 0.14, 0.60],
    [0.18, -0.14, 0.60],
    [0.18, 0.14, 0.60],
    [0.36, -0.14, 0.60],
    [0.36, 0.14, 0.60],
    [0.54, -0.14, 0.60],
    [0.54, 0.14, 0.60],
    [0.18, -0.14, 0.22],
    [0.18, 0.14, 0.22],
    [0.36, -0.14, 0.41],
    [0.36, 0.14, 0.41],
];

/// Bars of one kind: their stiffness at a length of 0.2 m, N/m, and which points they join.
struct Bars(f64, &'static [(usize, usize)]);

const BARS: [Bars; 9] = [
    // Posts, and the rungs and diagonals of the back.
    Bars(POST, &[(1, 3), (3, 5), (5, 7), (2, 4), (4, 6), (6, 8)]),
    Bars(RUNG, &[(1, 2), (3, 4), (5, 6), (7, 8)]),
    Bars(POST_DIAGONAL, &[(1, 4), (2, 3), (3, 6), (4, 5), (5, 8), (6, 7)]),
    // The plate under the radar: its edges, and what holds it square.
    Bars(EDGE, &[(7, 9), (9, 11), (11, 13), (8, 10), (10, 12), (12, 14)]),
    Bars(PLATE, &[(9, 10), (11, 12), (13, 14)]),
    Bars(PLATE_DIAGONAL, &[(7, 10), (8, 9), (9, 12), (10, 11), (11, 14), (12, 13)]),
    // The cheeks: lower edges, uprights, diagonals.
    Bars(GUSSET, &[(1, 15), (15, 17), (17, 13), (2, 16), (16, 18), (18, 14)]),
    Bars(CHEEK, &[(15, 9), (17, 11), (16, 10), (18, 12), (3, 15), (4, 16), (5, 15), (6, 16)]),
    Bars(CHEEK_DIAGONAL, &[(15, 7), (16, 8), (17, 9), (18, 10), (15, 11), (16, 12)]),
];

/// Three points in a row that resist bending, with their stiffness against it, N/m.
struct Bends(f64, &'static [[usize; 3]]);

const BENDS: [Bends; 3] = [
    Bends(EDGE_BENDS, &[[7, 9, 11], [9, 11, 13], [8, 10, 12], [10, 12, 14]]),
    Bends(GUSSET_BENDS, &[[1, 15, 17], [15, 17, 13], [2, 16, 18], [16, 18, 14]]),
    Bends(POST_BENDS, &[[1, 3, 5], [3, 5, 7], [2, 4, 6], [4, 6, 8]]),
];

// Chosen so that the bracket is what it is said to be: six modes below 700 Hz, the third and the fourth close together.
const POST: f64 = 9.014673e+07;
const RUNG: f64 = 1.000000e+04;
const POST_DIAGONAL: f64 = 5.011872e+09;
const EDGE: f64 = 8.344494e+06;
const PLATE: f64 = 5.011872e+09;
const PLATE_DIAGONAL: f64 = 5.011872e+09;
const GUSSET: f64 = 1.669053e+08;
const CHEEK: f64 = 1.306412e+09;
const CHEEK_DIAGONAL: f64 = 4.520224e+09;
const EDGE_BENDS: f64 = 5.996116e+05;
const GUSSET_BENDS: f64 = 3.263849e+07;
const POST_BENDS: f64 = 1.000000e+02;
/// What the bolts give, outwards, to port and up, N/m.
const BOLT: [f64; AXES] = [2.988202e+08, 4.036361e+07, 6.216129e+06];
/// Mass of the radar on each outer point, and of the cable box beside it, kg.
const RADAR: f64 = 5.527;
const CABLE_BOX: f64 = 2.826;

/// Points that are bolted to the mast.
const BOLTED: [usize; 4] = [1, 2, 7, 8];

/// Damping ratios of the lowest modes; welded steel above them.
const DAMPING: [f64; 6] = [0.018, 0.011, 0.0062, 0.0074, 0.0045, 0.0040];
const DAMPING_ABOVE: f64 = 0.008;

/// A mode of the frame.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Mode {
    /// Its natural frequency, Hz.
    pub frequency_hz: f64,
    /// Its damping ratio.
    pub damping_ratio: f64,
    /// How far each point goes along each axis, for a modal mass of 1 kg.
    pub shape: [[f64; AXES]; POINTS],
}

type Matrix = Vec<[f64; SIZE]>;

fn between(a: usize, b: usize) -> ([f64; AXES], f64) {
    let d: [f64; AXES] = std::array::from_fn(|i| PLACES[b][i] - PLACES[a][i]);
    let length = d.iter().map(|x| x * x).sum::<f64>().sqrt();
    (d.map(|x| x / length), length)
}

fn stiffness() -> Matrix {
    let mut k = vec![[0.0; SIZE]; SIZE];
    for Bars(stiff, all) in &BARS {
        for &(a, b) in *all {
            let (a, b) = (a - 1, b - 1);
            let (n, length) = between(a, b);
            for (p, q, sign) in [(a, a, 1.0), (b, b, 1.0), (a, b, -1.0), (b, a, -1.0)] {
                for i in 0..AXES {
                    for j in 0..AXES {
                        k[AXES * p + i][AXES * q + j] += sign * stiff * 0.2 / length * n[i] * n[j];
                    }
                }
            }
        }
    }
    for Bends(stiff, all) in &BENDS {
        for three in *all {
            let (n, _) = between(three[0] - 1, three[2] - 1);
            let weighed = three.iter().zip([1.0, -2.0, 1.0]);
            for (p, wp) in weighed.clone() {
                for (q, wq) in weighed.clone() {
                    for i in 0..AXES {
                        for j in 0..AXES {
                            let across = f64::from(u8::from(i == j)) - n[i] * n[j];
                            k[AXES * (p - 1) + i][AXES * (q - 1) + j] += stiff * wp * wq * across;
                        }
                    }
                }
            }
        }
    }
    for point in BOLTED {
        for (i, stiff) in BOLT.iter().enumerate() {
            let at = AXES * (point - 1) + i;
            k[at][at] += stiff;
        }
    }
    k
}

/// Mass at a point from 0, kg: the radar stands on the outer plate, its cable box on one side.
fn mass(point: usize) -> f64 {
    match point + 1 {
        9..=12 => 0.8,
        13 => RADAR,
        14 => RADAR + CABLE_BOX,
        _ => 0.55,
    }
}

/// Values and vectors of a symmetric matrix: each rotation makes one element beside the diagonal zero, until all are.
fn turned(mut a: Matrix) -> (Vec<f64>, Matrix) {
    let mut vectors = vec![[0.0; SIZE]; SIZE];
    for (i, row) in vectors.iter_mut().enumerate() {
        row[i] = 1.0;
    }
    let beside = |a: &Matrix| (0..SIZE).flat_map(|i| (0..i).map(move |j| (i, j))).map(|(i, j)| a[i][j].powi(2)).sum();
    let whole: f64 = a.iter().flatten().map(|x| x * x).sum();
    for _ in 0..100 {
        let rest: f64 = beside(&a);
        if rest <= 1e-28 * whole {
            break;
        }
        for p in 0..SIZE {
            for q in p + 1..SIZE {
                if a[p][q] == 0.0 {
                    continue;
                }
                let theta = (a[q][q] - a[p][p]) / (2.0 * a[p][q]);
                let t = theta.signum() / (theta.abs() + theta.hypot(1.0));
                let c = 1.0 / t.hypot(1.0);
                let s = t * c;
                for row in a.iter_mut().chain(vectors.iter_mut()) {
                    (row[p], row[q]) = (c * row[p] - s * row[q], s * row[p] + c * row[q]);
                }
                for j in 0..SIZE {
                    (a[p][j], a[q][j]) = (c * a[p][j] - s * a[q][j], s * a[p][j] + c * a[q][j]);
                }
            }
        }
    }
    ((0..SIZE).map(|i| a[i][i]).collect(), vectors)
}

/// All modes, the lowest first.
pub fn modes() -> Vec<Mode> {
    let root: Vec<f64> = (0..SIZE).map(|i| mass(i / AXES).sqrt()).collect();
    let mut k = stiffness();
    for i in 0..SIZE {
        for j in 0..SIZE {
            k[i][j] /= root[i] * root[j];
        }
    }
    let (values, vectors) = turned(k);
    let mut order: Vec<usize> = (0..SIZE).collect();
    order.sort_by(|a, b| values[*a].total_cmp(&values[*b]));
    let mode = |(nth, of): (usize, usize)| Mode {
        frequency_hz: values[of].max(0.0).sqrt() / TAU,
        damping_ratio: DAMPING.get(nth).copied().unwrap_or(DAMPING_ABOVE),
        shape: std::array::from_fn(|p| std::array::from_fn(|i| vectors[AXES * p + i][of] / root[AXES * p + i])),
    };
    order.into_iter().enumerate().map(mode).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_bracket_has_six_modes_below_seven_hundred_hertz() {
        let all = modes();
        let below: Vec<f64> = all.iter().map(|m| m.frequency_hz).filter(|f| *f < 700.0).collect();
        assert_eq!(below.len(), 6, "{below:?}");
        assert!(below[0] > 40.0 && all[6].frequency_hz > 760.0, "{below:?} {}", all[6].frequency_hz);
        assert!((below[3] / below[2] - 1.04).abs() < 0.002, "two are 4 % apart: {below:?}");
    }

    #[test]
    fn modes_solve_what_they_were_made_of() {
        let (k, all) = (stiffness(), modes());
        let at = |m: &Mode, i: usize| m.shape[i / AXES][i % AXES];
        for (a, mode) in all.iter().enumerate().take(12) {
            // K φ = ω² M φ, at every point and axis.
            let omega2 = (TAU * mode.frequency_hz).powi(2);
            for i in 0..SIZE {
                let force: f64 = (0..SIZE).map(|j| k[i][j] * at(mode, j)).sum();
                let inertia = omega2 * mass(i / AXES) * at(mode, i);
                assert!((force - inertia).abs() < 1e-6 * omega2, "mode {a}: {force} {inertia}");
            }
            for (b, other) in all.iter().enumerate().take(12) {
                let product: f64 = (0..SIZE).map(|i| mass(i / AXES) * at(mode, i) * at(other, i)).sum();
                assert!((product - f64::from(u8::from(a == b))).abs() < 1e-9, "{a} {b}: {product}");
            }
        }
    }
}
