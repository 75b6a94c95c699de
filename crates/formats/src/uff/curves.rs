//! Functions that are no time responses, and shapes, as results: what belongs over one axis is one of them.

use super::Dataset;
use super::function::{Abscissa, Axis as Words, Function, NodeDof, Ordinates};
use super::kinds::{AxisKind, Direction, FunctionKind};
use super::parts::each;
use super::shape::{Shape, ShapeOf};
use crate::FormatError;
use echo_job::analysis::result::{Axis, Number, Points, Trace};
use echo_job::analysis::words::{Along, Shown};
use echo_job::dof::Dof;
use echo_job::unit::find;
use echo_signal::spectrum::Complex64;
use std::collections::{BTreeMap, BTreeSet};
use std::f64::consts::TAU;
use std::path::Path;

/// Values of all functions and shapes of a file at most.
const MOST_VALUES: usize = 32_000_000;
/// Of them those that are no responses: these become results, which are kept and shown whole.
const MOST_KEPT: usize = 2_000_000;

/// Functions over one axis, or the shapes of a file.
#[derive(Debug, Clone, PartialEq)]
pub struct Curves {
    /// What they are: “responses”, “PSD”, “shapes”.
    pub name: String,
    /// Their axis.
    pub axis: Axis,
    /// A trace each.
    pub traces: Vec<Trace>,
    /// Frequency and damping of each shape.
    pub numbers: Vec<Number>,
    /// What was assumed.
    pub notes: Vec<String>,
}

/// What a file holds beside time responses.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Kept {
    /// The results.
    pub results: Vec<Curves>,
    /// How many time responses there are.
    pub time_responses: usize,
    /// What was left aside, and why.
    pub left: Vec<String>,
}

/// Reads the functions and shapes of a file as results.
///
/// # Errors
/// The file cannot be read, is no universal file, or holds more than fits into results.
pub fn curves(path: &Path) -> Result<Kept, FormatError> {
    let name = path.display().to_string();
    let mut kept = Kept::default();
    let (mut groups, mut shapes, mut values, mut to_keep) = (Vec::new(), Vec::new(), 0, 0);
    each(path, |dataset| {
        match dataset {
            Dataset::Function(f) if f.kind == FunctionKind::TimeResponse => kept.time_responses += 1,
            Dataset::Function(f) => match along(&f) {
                Some(along) => {
                    values += length(&f.values);
                    to_keep += if shown(&f) == Shown::Response { 0 } else { length(&f.values) };
                    Group::of(&mut groups, *f, along);
                }
                None => kept.left.push(format!(
                    "“{}” runs along “{}”; allowed: frequency, time, speed and order",
                    f.lines[0], f.abscissa_axis.label
                )),
            },
            Dataset::Shape(s) => {
                values += 6 * s.points.len();
                to_keep += 6 * s.points.len();
                shapes.push(s);
            }
            _ => {}
        }
        if values > MOST_VALUES || to_keep > MOST_KEPT {
            let says = format!(
                "holds more than {MOST_VALUES} values of functions and shapes, or more than {MOST_KEPT} that are no responses; bring it in in parts"
            );
            return Err(FormatError::not_that(&name, says));
        }
        Ok(())
    })?;
    kept.results = groups.into_iter().map(Group::result).collect();
    if !shapes.is_empty() {
        kept.results.push(of_shapes(&shapes));
    }
    Ok(kept)
}

fn length(values: &Ordinates) -> usize {
    match values {
        Ordinates::Real(v) => v.len(),
        Ordinates::Complex(v) => 2 * v.len(),
    }
}

/// What a function runs along, where that is something results run along.
fn along(f: &Function) -> Option<Along> {
    // Fleet Echo's own files tell the word.
    let told = Along::of(&f.abscissa_axis.label).filter(|a| *a != Along::Dof);
    told.or(match f.abscissa_axis.kind {
        AxisKind::Frequency if f.kind == FunctionKind::ShockResponse => Some(Along::NaturalFrequency),
        AxisKind::Frequency => Some(Along::Frequency),
        AxisKind::Time => Some(Along::Time),
        AxisKind::Rpm => Some(Along::Speed),
        AxisKind::Order => Some(Along::Order),
        _ => None,
    })
}

/// What a function shows: the word that stands at its values, or else what its kind means.
fn shown(f: &Function) -> Shown {
    Shown::of(&f.ordinate.label).unwrap_or(match f.kind {
        FunctionKind::FrequencyResponse | FunctionKind::Transmissibility => Shown::Response,
        FunctionKind::Coherence | FunctionKind::PartialCoherence | FunctionKind::MultipleCoherence => Shown::Coherence,
        FunctionKind::AutoSpectrum | FunctionKind::PartialPower => Shown::Power,
        FunctionKind::CrossSpectrum => Shown::CrossPsd,
        FunctionKind::PowerSpectralDensity => Shown::Psd,
        FunctionKind::EnergySpectralDensity => Shown::Esd,
        FunctionKind::Spectrum => Shown::Peak,
        FunctionKind::OrderFunction => Shown::Order,
        FunctionKind::ShockResponse => Shown::Maximax,
        FunctionKind::ModeIndicator | FunctionKind::Eigenvalue => Shown::Indicator,
        _ => Shown::Value,
    })
}

/// The unit of an axis: as it is told, or the SI unit of what it is of.
fn unit(of: &Words, assumed: &mut bool) -> String {
    if !of.unit.is_empty() {
        return find(&of.unit).map_or_else(|_| of.unit.clone(), |u| u.symbol.to_string());
    }
    let si = match of.kind {
        AxisKind::Acceleration => "m/s²",
        AxisKind::Velocity => "m/s",
        AxisKind::Displacement => "m",
        AxisKind::ExcitationForce | AxisKind::ReactionForce => "N",
        AxisKind::Pressure => "Pa",
        _ => return String::new(),
    };
    *assumed = true;
    si.into()
}

/// One unit over another, each in brackets where it is a quotient itself.
fn over(above: &str, below: &str) -> String {
    let whole = |u: &str| if u.contains(['/', '·']) { format!("({u})") } else { u.to_string() };
    match (above, below) {
        (_, "") => above.into(),
        ("", _) => format!("1/{}", whole(below)),
        _ => format!("{}/{}", whole(above), whole(below)),
    }
}

/// Functions that are drawn together: of the same places, and responses with their coherences.
struct Group {
    along: Along,
    shown: Shown,
    abscissa: Abscissa,
    count: usize,
    functions: Vec<Function>,
}

impl Group {
    fn of(groups: &mut Vec<Group>, f: Function, along: Along) {
        let family = match shown(&f) {
            Shown::Coherence | Shown::Receptance | Shown::Mobility | Shown::Accelerance => Shown::Response,
            other => other,
        };
        let count = match &f.values {
            Ordinates::Real(v) => v.len(),
            Ordinates::Complex(v) => v.len(),
        };
        let same =
            |g: &&mut Group| g.along == along && g.shown == family && g.count == count && g.abscissa == f.abscissa;
        match groups.iter_mut().find(same) {
            Some(group) => group.functions.push(f),
            None => {
                let abscissa = f.abscissa.clone();
                groups.push(Group { along, shown: family, abscissa, count, functions: vec![f] });
            }
        }
    }

    fn result(self) -> Curves {
        // Places are numbered as they come, those that answer before those that are only answered to.
        let mut places: Vec<NodeDof> = Vec::new();
        let (responses, references) =
            (self.functions.iter().map(|f| &f.response), self.functions.iter().map(|f| &f.reference));
        for place in responses.chain(references.filter(|r| r.node > 0)) {
            if !places.contains(place) {
                places.push(place.clone());
            }
        }
        let number = |of: &NodeDof| places.iter().position(|p| p == of).map(|at| at as u32 + 1);
        let alone = |line: &str| self.functions.iter().filter(|f| f.lines[0] == line).count() == 1;
        let mut assumed = false;
        let mut trace = |f: &Function| {
            let (dof, reference_dof) = (f.response.dof(), f.reference.dof());
            let told = |d: &Option<Dof>| d.as_ref().map_or_else(|| "no point".into(), Dof::to_string);
            let name = match &reference_dof {
                _ if alone(&f.lines[0]) && !f.lines[0].is_empty() => f.lines[0].clone(),
                Some(_) => format!("{} / {}", told(&dof), told(&reference_dof)),
                None => told(&dof),
            };
            let own = unit(&f.ordinate, &mut assumed);
            let below = unit(&f.denominator, &mut assumed);
            Trace {
                name,
                channel: number(&f.response).unwrap_or(0),
                reference: if f.reference.node > 0 { number(&f.reference) } else { None },
                mode: None,
                axes: None,
                dof,
                reference_dof,
                quantity: shown(f),
                unit: over(&own, &below),
                points: match &f.values {
                    Ordinates::Real(v) => Points::Real(v.clone()),
                    Ordinates::Complex(v) => Points::Complex(v.clone()),
                },
                within: None,
            }
        };
        let traces: Vec<Trace> = self.functions.iter().map(&mut trace).collect();
        let values = match &self.abscissa {
            Abscissa::Even { from, step } => (0..self.count).map(|k| from + k as f64 * step).collect(),
            Abscissa::Uneven(places) => places.clone(),
        };
        let told = self.functions.first().map(|f| f.abscissa_axis.unit.clone()).filter(|u| !u.is_empty());
        let usual = match self.along {
            Along::Frequency | Along::NaturalFrequency => "Hz",
            Along::Time => "s",
            Along::Speed => "rpm",
            _ => "",
        };
        let says = "the file tells no units; those of the SI were taken for what the axes are of";
        Curves {
            name: self.shown.word().into(),
            axis: Axis { name: self.along, unit: told.unwrap_or(usual.into()), values, dofs: Vec::new() },
            traces,
            numbers: Vec::new(),
            notes: if assumed { vec![says.into()] } else { Vec::new() },
        }
    }
}

/// Number, frequency in Hz and share of critical damping of a shape.
fn told(of: ShapeOf) -> (u32, f64, Option<f64>) {
    match of {
        ShapeOf::NormalMode { number, frequency_hz, damping_ratio, .. } => (number, frequency_hz, Some(damping_ratio)),
        ShapeOf::ComplexMode { number, pole, .. } => {
            let size = pole.norm();
            (number, size / TAU, Some(if size > 0.0 { -pole.re / size } else { 0.0 }))
        }
        ShapeOf::Operating { number, frequency_hz } => (number, frequency_hz, None),
    }
}

/// All shapes over the degrees of freedom that move in any of them.
fn of_shapes(shapes: &[Shape]) -> Curves {
    let mut dofs: Vec<(u32, usize)> = Vec::new();
    let mut still = 0;
    let found: Vec<BTreeMap<u32, [Complex64; 3]>> = shapes.iter().map(|s| s.points.iter().copied().collect()).collect();
    let points: BTreeSet<u32> = found.iter().flat_map(|of| of.keys().copied()).filter(|node| *node > 0).collect();
    let at = |of: &BTreeMap<u32, [Complex64; 3]>, (node, axis): (u32, usize)| {
        of.get(&node).map_or(Complex64::new(0.0, 0.0), |p| p[axis])
    };
    for node in points {
        for axis in 0..3 {
            if found.iter().any(|of| at(of, (node, axis)).norm() > 0.0) {
                dofs.push((node, axis));
            } else {
                still += 1;
            }
        }
    }
    let named = |(node, axis): &(u32, usize)| {
        let direction = Direction::new(*axis as i64 + 1).unwrap_or(Direction::SCALAR);
        NodeDof { entity: String::new(), node: *node, direction }.dof()
    };
    let (mut traces, mut numbers) = (Vec::new(), Vec::new());
    for (k, (s, moves)) in shapes.iter().zip(&found).enumerate() {
        let (number, frequency, damping) = told(s.of);
        let mode = if number > 0 { number } else { k as u32 + 1 };
        let one = |name: &str, unit: &str, value| Number {
            name: name.into(),
            channel: 0,
            mode: Some(mode),
            unit: unit.into(),
            value,
        };
        numbers.push(one("frequency", "Hz", frequency));
        numbers.extend(damping.map(|d| one("damping_ratio", "", d)));
        traces.push(Trace {
            name: format!("{} {mode}, {frequency:.2} Hz", if damping.is_some() { "mode" } else { "shape" }),
            channel: 0,
            reference: None,
            mode: Some(mode),
            axes: None,
            dof: None,
            reference_dof: None,
            quantity: Shown::Shape,
            unit: String::new(),
            points: Points::Complex(dofs.iter().map(|d| at(moves, *d)).collect()),
            within: None,
        });
    }
    let says = format!("{still} directions of points stand still in every shape and were left out");
    Curves {
        name: "shapes".into(),
        axis: Axis {
            name: Along::Dof,
            unit: String::new(),
            values: (1..=dofs.len()).map(|n| n as f64).collect(),
            dofs: dofs.iter().filter_map(named).collect(),
        },
        traces,
        numbers,
        notes: if still > 0 { vec![says] } else { Vec::new() },
    }
}
