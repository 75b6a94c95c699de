//! How shapes move the points of a specimen.

use echo_job::analysis::Analysis;
use echo_job::analysis::result::Trace;
use echo_job::analysis::words::{Along, Shown};
use echo_job::dof::Dof;
use echo_job::geometry::Geometry;
use serde::Serialize;
use utoipa::ToSchema;

/// How a mode moves the points of the geometry.
#[derive(Serialize, ToSchema)]
pub struct Motion {
    /// The mode, from 1; 0 where it is none.
    pub mode: u32,
    /// Each point, in the geometry's order: real parts along x, y and z, then imaginary ones; the largest is 1.
    pub moves: Vec<[f64; 6]>,
    /// Whether each point was measured, or lies between measured ones.
    pub measured: Vec<bool>,
}

/// Where a degree of freedom is on a geometry.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, ToSchema)]
pub struct Placed {
    /// Its point, in the geometry's order, from 0.
    pub point: usize,
    /// Which way it moves, along x, y and z.
    pub way: [f64; 3],
}

/// Points between which others are interpolated.
const NEIGHBOURS: usize = 3;

/// What the shapes of a result are on a geometry.
pub struct Moved {
    /// How each shape moves the points.
    pub motions: Vec<Motion>,
    /// Where each degree of freedom is; none for one that the geometry does not have.
    pub places: Vec<Option<Placed>>,
    /// Those that it does not have.
    pub strange: Vec<String>,
}

/// How the shapes of a result move the points of a geometry.
pub fn motions(result: &Analysis, geometry: &Geometry) -> Moved {
    let places = geometry.places();
    let dofs = result.axes.iter().find(|a| a.name == Along::Dof).map_or(&[][..], |a| &a.dofs);
    let placed = |d: &Dof| {
        let point = geometry.points.iter().position(|p| p.name == d.point)?;
        Some(Placed { point, way: places.way(d)? })
    };
    let at: Vec<Option<Placed>> = dofs.iter().map(placed).collect();
    let strange = dofs.iter().zip(&at).filter(|(_, p)| p.is_none()).map(|(d, _)| d.to_string()).collect();
    let one = |t: &Trace| {
        let mut moves = vec![[0.0; 6]; geometry.points.len()];
        let mut measured = vec![false; geometry.points.len()];
        for (at, z) in at.iter().zip(t.complex().unwrap_or(&[])) {
            let Some(Placed { point, way }) = at else { continue };
            measured[*point] = true;
            for axis in 0..3 {
                moves[*point][axis] += way[axis] * z.re;
                moves[*point][axis + 3] += way[axis] * z.im;
            }
        }
        let largest = moves.iter().map(|m| m.iter().map(|x| x * x).sum::<f64>().sqrt()).fold(0.0, f64::max);
        if largest > 0.0 {
            moves.iter_mut().flatten().for_each(|x| *x /= largest);
        }
        between(geometry, &mut moves, &measured);
        Motion { mode: t.mode.unwrap_or(0), moves, measured }
    };
    let motions = result.traces.iter().filter(|t| t.quantity == Shown::Shape).map(one).collect();
    Moved { motions, places: at, strange }
}

/// Points that were not measured move as those around them, nearer ones more.
fn between(geometry: &Geometry, moves: &mut [[f64; 6]], measured: &[bool]) {
    let known: Vec<usize> = (0..moves.len()).filter(|k| measured[*k]).collect();
    if known.is_empty() {
        return;
    }
    let points = &geometry.points;
    let apart = |a: usize, b: usize| {
        let (a, b) = (&points[a], &points[b]);
        (a.x - b.x).powi(2) + (a.y - b.y).powi(2) + (a.z - b.z).powi(2)
    };
    for k in (0..moves.len()).filter(|k| !measured[*k]) {
        let mut near: Vec<(f64, usize)> = known.iter().map(|m| (apart(k, *m), *m)).collect();
        near.sort_by(|a, b| a.0.total_cmp(&b.0));
        near.truncate(NEIGHBOURS);
        let weights: Vec<f64> = near.iter().map(|(d, _)| 1.0 / d.max(1e-12)).collect();
        let sum: f64 = weights.iter().sum();
        moves[k] = std::array::from_fn(|x| near.iter().zip(&weights).map(|((_, m), w)| moves[*m][x] * w / sum).sum());
    }
}
