//! Channels computed from others by a formula, with their units checked.
//!
//! ```text
//! deck_fwd - deck_aft            the difference of two channels, in the first one's unit
//! hypot(frame_long, frame_athw)  the length of a vector
//! rms(c7, 0.1 s)                 moving rms of channel 7 over the last 0.1 s
//! derivative(c3) * 2             twice the slope of channel 3
//! c1 + 2.5 m/s²                  numbers that are added carry a unit
//! ```
//!
//! A channel is named by its name, written small with `_` for whatever is no letter or digit, or by
//! its number as `c7`. Operators are `+ - * / ^` (a whole power) and brackets; functions are `abs`,
//! `sqrt`, `min`, `max`, `hypot`, `derivative`, and over the last stretch of time `rms`, `mean`,
//! `peak`. What is added or compared must have units that go into each other; products are in SI.
//! Every function looks back a fixed time only, so a formula gives the same live, on any stretch
//! and in pieces of any size.
//!
//! | file | what it holds |
//! | --- | --- |
//! | `dimension` | units: what may be added, what products are called |
//! | `parse` | the text of a formula and its checks |
//! | `source` | a source of samples with formulas as further channels |

mod dimension;
mod parse;
mod source;

pub use source::MathSource;

use crate::Refusal;
use dimension::Of;
use echo_signal::moving::{Moving, SLOPE_REACH, moving, slope};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A channel made by a formula.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct MathChannel {
    /// Its name.
    pub name: String,
    /// The formula.
    pub is: String,
}

/// A channel a formula may name: its name, and the unit of its samples.
#[derive(Debug, Clone, PartialEq)]
pub struct Known {
    /// Its name.
    pub name: String,
    /// Its unit.
    pub unit: String,
}

/// Longest stretch a function may look back over, s.
pub const LONGEST_S: f64 = 60.0;

#[derive(Debug, Clone, Copy, PartialEq)]
enum Function {
    Abs,
    Sqrt,
    Min,
    Max,
    Hypot,
}

/// A part of a formula. Values are in the part's own unit; factors bring them to what is wanted.
#[derive(Debug, Clone, PartialEq)]
enum Node {
    /// A channel, by its place among the formula's inputs.
    Channel(usize),
    Number(f64),
    /// The first times its factor and the second times its own, added.
    Sum(Box<Node>, f64, Box<Node>, f64),
    /// Both multiplied, and by a factor.
    Product(Box<Node>, Box<Node>, f64),
    /// The first by the second, times a factor.
    Quotient(Box<Node>, Box<Node>, f64),
    Power(Box<Node>, i32, f64),
    Of(Function, Vec<Node>, Vec<f64>),
    Moving(Moving, Box<Node>, f64),
    Slope(Box<Node>, f64),
}

/// A formula that was read and checked.
#[derive(Debug, Clone, PartialEq)]
pub struct Formula {
    root: Node,
    of: Of,
    inputs: Vec<usize>,
}

impl Formula {
    /// Reads a formula over channels.
    ///
    /// # Errors
    /// A sentence that says where it is wrong and what is allowed.
    pub fn read(text: &str, known: &[Known]) -> Result<Formula, Refusal> {
        parse::read(text, known)
    }

    /// Unit of its values; empty for a plain number.
    pub fn unit(&self) -> &str {
        &self.of.symbol
    }

    /// Channels it is made of, by their places among those known.
    pub fn inputs(&self) -> &[usize] {
        &self.inputs
    }

    /// Samples before and after a stretch that its values there depend on.
    pub fn reach(&self, rate_hz: f64) -> (usize, usize) {
        reach(&self.root, rate_hz)
    }

    /// Its values for samples of its inputs, one slice an input and all of equal length.
    ///
    /// # Errors
    /// A rate that is not above 0, or slices that are too few or unequal.
    pub fn values(&self, inputs: &[&[f64]], rate_hz: f64) -> Result<Vec<f64>, Refusal> {
        let n = inputs.first().map_or(0, |x| x.len());
        if inputs.len() != self.inputs.len() || inputs.iter().any(|x| x.len() != n) {
            let says = format!("the formula takes {} channels of equal length", self.inputs.len());
            return Err(Refusal::new("math", says));
        }
        value(&self.root, inputs, n, rate_hz)
    }
}

/// Formulas over channels, each of which may name the ones before it.
///
/// # Errors
/// The first formula that is wrong, by its name; a name that is empty or used twice.
pub fn formulas(known: &[Known], math: &[MathChannel]) -> Result<Vec<Formula>, Refusal> {
    let mut all = known.to_vec();
    let mut out: Vec<Formula> = Vec::with_capacity(math.len());
    for m in math {
        let name = m.name.trim();
        if name.is_empty() || name.chars().count() > 80 {
            return Err(Refusal::new("math", "a computed channel needs a name of 1 to 80 characters"));
        }
        if let Some(other) = all.iter().find(|k| parse::spelled(&k.name) == parse::spelled(name)) {
            let says = format!("the name “{name}” is read as that of “{}”; allowed: one not used yet", other.name);
            return Err(Refusal::new("math", says));
        }
        let read = Formula::read(&m.is, &all).map_err(|e| Refusal::new("math", format!("{name}: {}", e.says)))?;
        let formula = inlined(read, known.len(), &out);
        all.push(Known { name: name.into(), unit: formula.unit().into() });
        out.push(formula);
    }
    Ok(out)
}

/// A formula with those it names put in their places, so that only channels are left.
fn inlined(formula: Formula, channels: usize, before: &[Formula]) -> Formula {
    if formula.inputs.iter().all(|i| *i < channels) {
        return formula;
    }
    let mut inputs = Vec::new();
    let mut place = |channel: usize| {
        inputs.iter().position(|c| *c == channel).unwrap_or_else(|| {
            inputs.push(channel);
            inputs.len() - 1
        })
    };
    let parts: Vec<Node> = formula
        .inputs
        .iter()
        .map(|&i| match i.checked_sub(channels).map(|k| &before[k]) {
            None => Node::Channel(place(i)),
            Some(f) => {
                let places: Vec<Node> = f.inputs.iter().map(|c| Node::Channel(place(*c))).collect();
                replaced(&f.root, &places)
            }
        })
        .collect();
    let root = replaced(&formula.root, &parts);
    Formula { root, inputs, of: formula.of }
}

fn replaced(node: &Node, by: &[Node]) -> Node {
    let boxed = |n: &Node| Box::new(replaced(n, by));
    match node {
        Node::Channel(i) => by[*i].clone(),
        Node::Number(x) => Node::Number(*x),
        Node::Sum(a, f, b, g) => Node::Sum(boxed(a), *f, boxed(b), *g),
        Node::Product(a, b, f) => Node::Product(boxed(a), boxed(b), *f),
        Node::Quotient(a, b, f) => Node::Quotient(boxed(a), boxed(b), *f),
        Node::Power(a, p, f) => Node::Power(boxed(a), *p, *f),
        Node::Of(which, all, f) => Node::Of(*which, all.iter().map(|n| replaced(n, by)).collect(), f.clone()),
        Node::Moving(which, a, s) => Node::Moving(*which, boxed(a), *s),
        Node::Slope(a, f) => Node::Slope(boxed(a), *f),
    }
}

fn length(seconds: f64, rate_hz: f64) -> usize {
    ((seconds * rate_hz).round() as usize).max(1)
}

fn reach(node: &Node, rate: f64) -> (usize, usize) {
    let most = |a: (usize, usize), b: (usize, usize)| (a.0.max(b.0), a.1.max(b.1));
    match node {
        Node::Channel(_) | Node::Number(_) => (0, 0),
        Node::Sum(a, _, b, _) | Node::Product(a, b, _) | Node::Quotient(a, b, _) => {
            most(reach(a, rate), reach(b, rate))
        }
        Node::Power(a, ..) => reach(a, rate),
        Node::Of(_, all, _) => all.iter().map(|n| reach(n, rate)).fold((0, 0), most),
        Node::Moving(_, a, s) => {
            let (before, after) = reach(a, rate);
            (before + length(*s, rate) - 1, after)
        }
        Node::Slope(a, _) => {
            let (before, after) = reach(a, rate);
            (before + SLOPE_REACH, after + SLOPE_REACH)
        }
    }
}

fn value(node: &Node, inputs: &[&[f64]], n: usize, rate: f64) -> Result<Vec<f64>, Refusal> {
    let of = |a: &Node| value(a, inputs, n, rate);
    let both = |a: &Node, b: &Node, f: &dyn Fn(f64, f64) -> f64| -> Result<Vec<f64>, Refusal> {
        let (mut x, y) = (of(a)?, of(b)?);
        x.iter_mut().zip(y).for_each(|(x, y)| *x = f(*x, y));
        Ok(x)
    };
    let refused = |e: echo_signal::SignalError| Refusal::new("math", e.to_string());
    Ok(match node {
        Node::Channel(i) => inputs[*i].to_vec(),
        Node::Number(x) => vec![*x; n],
        Node::Sum(a, f, b, g) => both(a, b, &|x, y| f * x + g * y)?,
        Node::Product(a, b, f) => both(a, b, &|x, y| f * x * y)?,
        Node::Quotient(a, b, f) => both(a, b, &|x, y| f * x / y)?,
        Node::Power(a, p, f) => of(a)?.into_iter().map(|x| f * x.powi(*p)).collect(),
        Node::Moving(which, a, s) => moving(&of(a)?, length(*s, rate), *which).map_err(refused)?,
        Node::Slope(a, f) => slope(&of(a)?, rate).map_err(refused)?.into_iter().map(|x| f * x).collect(),
        Node::Of(which, all, factors) => {
            let mut parts = all.iter().map(of).collect::<Result<Vec<_>, _>>()?;
            for (part, f) in parts.iter_mut().zip(factors) {
                part.iter_mut().for_each(|x| *x *= f);
            }
            let mut out = parts.remove(0);
            match which {
                Function::Abs => out.iter_mut().for_each(|x| *x = x.abs()),
                Function::Sqrt => out.iter_mut().for_each(|x| *x = x.sqrt()),
                Function::Min | Function::Max | Function::Hypot => {
                    for part in parts {
                        for (x, y) in out.iter_mut().zip(part) {
                            // A missing value stays missing: `min` of floats would pass over it.
                            *x = match which {
                                _ if x.is_nan() || y.is_nan() => f64::NAN,
                                Function::Min => x.min(y),
                                Function::Max => x.max(y),
                                _ => x.hypot(y),
                            };
                        }
                    }
                    if *which == Function::Hypot {
                        out.iter_mut().for_each(|x| *x = x.abs());
                    }
                }
            }
            out
        }
    })
}
