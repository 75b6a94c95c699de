//! Shapes of two sets held against each other: of another day, another campaign, a calculation.

use crate::Refusal;
use crate::analysis::Analysis;
use crate::analysis::words::{Along, Shown};
use crate::dof::Dof;
use echo_signal::modal::mac::mac;
use echo_signal::spectrum::Complex64;
use serde::Serialize;
use serde_json::Value;
use utoipa::ToSchema;

/// Least MAC of two shapes that are the same mode.
const PAIRED: f64 = 0.6;

/// Shapes over the same degrees of freedom.
#[derive(Debug, Clone, PartialEq)]
pub struct ShapeSet {
    dofs: Vec<Dof>,
    shapes: Vec<Vec<Complex64>>,
    frequencies_hz: Vec<Option<f64>>,
}

/// Two sets held against each other.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Compared {
    /// Degrees of freedom that both have.
    pub common: usize,
    /// Frequencies of the first set's modes, Hz.
    pub own_hz: Vec<Option<f64>>,
    /// Frequencies of the other set's modes, Hz.
    pub other_hz: Vec<Option<f64>>,
    /// MAC of each mode of the first set with each of the other.
    pub mac: Vec<Vec<f64>>,
    /// Modes that are the same: each with at most one, the most alike first.
    pub pairs: Vec<ModePair>,
}

/// Two modes that are the same.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct ModePair {
    /// Mode of the first set, from 1.
    pub own: usize,
    /// Mode of the other set, from 1.
    pub other: usize,
    /// How alike.
    pub mac: f64,
    /// Its frequency over the other's, less 1.
    pub shift: Option<f64>,
}

impl ShapeSet {
    /// Shapes of a result.
    ///
    /// # Errors
    /// It has none.
    pub fn of(result: &Analysis) -> Result<ShapeSet, Refusal> {
        let dofs = result.axes.iter().find(|a| a.name == Along::Dof).map(|a| a.dofs.clone()).unwrap_or_default();
        let shown = result.traces.iter().filter(|t| t.quantity == Shown::Shape);
        let (shapes, frequencies_hz) = shown
            .map(|t| {
                let hz = result.numbers.iter().find(|n| n.mode == t.mode && n.name == "frequency").map(|n| n.value);
                (t.complex().map_or_else(|| t.real().iter().map(|x| (*x).into()).collect(), <[_]>::to_vec), hz)
            })
            .unzip();
        ShapeSet { dofs, shapes, frequencies_hz }.checked()
    }

    /// Shapes of a result that was kept.
    ///
    /// # Errors
    /// It has none.
    pub fn kept(result: &Value) -> Result<ShapeSet, Refusal> {
        let list = |v: &Value| v.as_array().cloned().unwrap_or_default();
        let axis = list(&result["axes"]).into_iter().find(|a| a["name"] == Along::Dof.word());
        let dofs = axis.and_then(|a| serde_json::from_value(a["dofs"].clone()).ok()).unwrap_or_default();
        let numbers = list(&result["numbers"]);
        let reals = |v: &Value| list(v).iter().map(|x| x.as_f64().unwrap_or(f64::NAN)).collect::<Vec<f64>>();
        let shown = list(&result["traces"]).into_iter().filter(|t| t["quantity"] == Shown::Shape.word());
        let (shapes, frequencies_hz) = shown
            .map(|t| {
                let of = numbers.iter().find(|n| n["mode"] == t["mode"] && n["name"] == "frequency");
                let shape = match t["re"].is_array() {
                    true => reals(&t["re"])
                        .into_iter()
                        .zip(reals(&t["im"]))
                        .map(|(re, im)| Complex64::new(re, im))
                        .collect(),
                    false => reals(&t["values"]).into_iter().map(Complex64::from).collect(),
                };
                (shape, of.and_then(|n| n["value"].as_f64()))
            })
            .unzip();
        ShapeSet { dofs, shapes, frequencies_hz }.checked()
    }

    fn checked(self) -> Result<ShapeSet, Refusal> {
        if self.shapes.is_empty() || self.shapes.iter().any(|s| s.len() != self.dofs.len()) {
            return Err(Refusal::new("with", "it holds no shapes; allowed: modes, or shapes of a universal file"));
        }
        Ok(self)
    }

    /// Holds this set against another one, over what both have.
    ///
    /// # Errors
    /// Fewer than two degrees of freedom in common.
    pub fn against(&self, other: &ShapeSet) -> Result<Compared, Refusal> {
        let along = |d: &Dof| (d.point.clone(), d.direction.to_lowercase());
        let common: Vec<(usize, usize, f64)> = self
            .dofs
            .iter()
            .enumerate()
            .filter_map(|(i, d)| {
                let j = other.dofs.iter().position(|o| along(o) == along(d))?;
                Some((i, j, d.factor() * other.dofs[j].factor()))
            })
            .collect();
        if common.len() < 2 {
            let says = format!(
                "the two sets have {} places in common; allowed: two or more of the same points and directions",
                common.len()
            );
            return Err(Refusal::new("with", says));
        }
        let own = |s: &Vec<Complex64>| common.iter().map(|(i, _, sign)| s[*i] * *sign).collect::<Vec<_>>();
        let its = |s: &Vec<Complex64>| common.iter().map(|(_, j, _)| s[*j]).collect::<Vec<_>>();
        let (a, b): (Vec<_>, Vec<_>) = (self.shapes.iter().map(own).collect(), other.shapes.iter().map(its).collect());
        let all: Vec<Vec<f64>> = a.iter().map(|a| b.iter().map(|b| mac(a, b)).collect()).collect();
        let mut alike: Vec<(usize, usize)> = (0..a.len())
            .flat_map(|i| (0..b.len()).map(move |j| (i, j)))
            .filter(|(i, j)| all[*i][*j] > PAIRED)
            .collect();
        alike.sort_by(|p, q| all[q.0][q.1].total_cmp(&all[p.0][p.1]));
        let mut pairs: Vec<ModePair> = Vec::new();
        for (i, j) in alike {
            if pairs.iter().any(|p| p.own == i + 1 || p.other == j + 1) {
                continue;
            }
            let shift = self.frequencies_hz[i].zip(other.frequencies_hz[j]).map(|(a, b)| a / b - 1.0);
            pairs.push(ModePair { own: i + 1, other: j + 1, mac: all[i][j], shift });
        }
        Ok(Compared {
            common: common.len(),
            own_hz: self.frequencies_hz.clone(),
            other_hz: other.frequencies_hz.clone(),
            mac: all,
            pairs,
        })
    }
}
