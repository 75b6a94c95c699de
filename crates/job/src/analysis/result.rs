//! What an analysis gives: the same JSON for page, API and file.

use super::words::{Along, CautionRule, Shown};
use crate::dof::Dof;
use crate::recipe::Recipe;
use echo_signal::confidence::Scatter;
use echo_signal::spectrum::Complex64;
use serde::{Deserialize, Deserializer, Serialize, Serializer};
use utoipa::ToSchema;

/// A result with everything needed to make it again.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Analysis {
    /// The recipe, defaults filled in.
    pub recipe: Recipe,
    /// Who made it of what.
    pub made: Made,
    /// What to keep in mind.
    pub cautions: Vec<ResultCaution>,
    /// Blocks averaged, where there are any.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub averages: Option<usize>,
    /// Normalised random error of averaged power, where blocks are averaged.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub random_error: Option<f64>,
    /// Between which factors of the power shown the true one lies, for a Gaussian signal.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub interval: Option<PowerInterval>,
    /// Axes, slowest first; one for curves, two for maps.
    pub axes: Vec<Axis>,
    /// Times at which the speeds of the first axis were reached, s of the run; none where it is no speed.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub reached_s: Vec<f64>,
    /// Curves over the axes.
    #[schema(value_type = Vec<TraceJson<'static>>)]
    pub traces: Vec<Trace>,
    /// Single numbers.
    pub numbers: Vec<Number>,
    /// Highest peaks of each amplitude spectrum, read between the lines.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub peaks: Vec<PeakFound>,
    /// Poles of every order, where modes were looked for.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub stabilisation: Vec<HeldPole>,
}

/// In how much a pole is the same as one of the order before.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Held {
    /// It was not there.
    New,
    /// Its frequency holds.
    Frequency,
    /// And its damping.
    Damping,
    /// And its shape, by the participation of the references.
    Shape,
}

/// A pole of the stabilisation diagram.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct HeldPole {
    /// Order of the polynomials.
    pub order: usize,
    /// Natural frequency, Hz.
    pub frequency_hz: f64,
    /// Damping ratio.
    pub damping_ratio: f64,
    /// What of it holds.
    pub stable: Held,
}

/// Where a true power lies beside an averaged one.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct PowerInterval {
    /// With what probability.
    pub confidence: f64,
    /// Smallest factor.
    pub low: f64,
    /// Largest factor.
    pub high: f64,
    /// Both as levels, dB.
    pub low_db: f64,
    /// See `low_db`.
    pub high_db: f64,
}

impl PowerInterval {
    /// The interval of what scatters; none where nothing was averaged.
    pub fn of(scatter: &Scatter, confidence: f64) -> Option<PowerInterval> {
        let (low, high) = scatter.interval(confidence).ok()?;
        Some(PowerInterval { confidence, low, high, low_db: 10.0 * low.log10(), high_db: 10.0 * high.log10() })
    }
}

/// A peak of a trace, interpolated to fit the window.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct PeakFound {
    /// Channel, from 1.
    pub channel: u32,
    /// Frequency, Hz.
    pub frequency_hz: f64,
    /// Amplitude in the trace's unit.
    #[serde(deserialize_with = "holed")]
    pub value: f64,
}

/// Who made a result of what.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
pub struct Made {
    /// Program and version.
    pub by: String,
    /// When, RFC 3339.
    pub at: String,
    /// Name of the input.
    pub input: String,
    /// Fingerprint of the input file: `blake3:` and its BLAKE3 hash in hex.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub fingerprint: Option<String>,
    /// Channels of a run that were read for it, from 1.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[schema(required = false)]
    pub channels: Vec<i16>,
}

/// Something to keep in mind when reading the result.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct ResultCaution {
    /// The rule.
    pub rule: CautionRule,
    /// Channel, from 1, where it is about one.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub channel: Option<u32>,
    /// What it is.
    pub says: String,
    /// Where, s from the start of the data, where it is about moments.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[schema(required)]
    pub places_s: Vec<f64>,
}

/// Values along a direction.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Axis {
    /// What it runs along.
    pub name: Along,
    /// Its unit.
    pub unit: String,
    /// Ascending values.
    pub values: Vec<f64>,
    /// What each value stands for, along degrees of freedom.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub dofs: Vec<Dof>,
}

/// Values of a curve, or of a map.
#[derive(Debug, Clone, PartialEq)]
pub enum Points {
    /// One value an axis point, or for a map one a pair of them, the last axis fastest; NaN where there is none.
    Real(Vec<f64>),
    /// The same with an angle.
    Complex(Vec<Complex64>),
}

/// A curve.
#[derive(Debug, Clone, PartialEq)]
pub struct Trace {
    /// Name of the channel or pair.
    pub name: String,
    /// Channel, from 1; 0 for what is of many.
    pub channel: u32,
    /// Channel it is seen against, from 1.
    pub reference: Option<u32>,
    /// The mode it is of, from 1.
    pub mode: Option<u32>,
    /// Which of the axes it runs over, from 0; all of them where none is said.
    pub axes: Option<Vec<usize>>,
    /// Where and which way it measures, where that is known.
    pub dof: Option<Dof>,
    /// The same of what it is seen against.
    pub reference_dof: Option<Dof>,
    /// What the values are.
    pub quantity: Shown,
    /// Their unit.
    pub unit: String,
    /// The values.
    pub points: Points,
    /// Twice the standard uncertainty of each amplitude, where it is known.
    pub within: Option<Vec<f64>>,
}

/// A curve.
#[derive(Serialize, ToSchema)]
#[schema(as = Trace)]
struct TraceJson<'a> {
    /// Name of the channel or pair.
    name: &'a str,
    /// Channel, from 1; 0 for what is of many.
    channel: u32,
    /// Channel it is seen against, from 1.
    #[serde(skip_serializing_if = "Option::is_none")]
    reference: Option<u32>,
    /// The mode it is of, from 1.
    #[serde(skip_serializing_if = "Option::is_none")]
    mode: Option<u32>,
    /// Which of the axes it runs over, from 0; all of them where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[schema(value_type = Option<Vec<usize>>)]
    axes: Option<&'a [usize]>,
    /// Where and which way it measures, where that is known.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[schema(value_type = Option<Dof>)]
    dof: Option<&'a Dof>,
    /// The same of what it is seen against.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[schema(value_type = Option<Dof>)]
    reference_dof: Option<&'a Dof>,
    /// What the values are.
    quantity: Shown,
    /// Their unit.
    unit: &'a str,
    /// One value an axis point, or for a map one a pair of them, the last axis fastest; null where
    /// there is none. Left out for complex traces.
    #[serde(skip_serializing_if = "<[f64]>::is_empty")]
    #[schema(required, value_type = Vec<f64>)]
    values: &'a [f64],
    /// Real parts of a complex trace.
    #[serde(skip_serializing_if = "Option::is_none")]
    re: Option<Vec<f64>>,
    /// Imaginary parts of a complex trace.
    #[serde(skip_serializing_if = "Option::is_none")]
    im: Option<Vec<f64>>,
    /// Twice the standard uncertainty of each amplitude, where it is known.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[schema(value_type = Option<Vec<f64>>)]
    within: Option<&'a [f64]>,
}

impl Serialize for Trace {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        let part = |of: fn(&Complex64) -> f64| self.complex().map(|z| z.iter().map(of).collect());
        let json = TraceJson {
            name: &self.name,
            channel: self.channel,
            reference: self.reference,
            mode: self.mode,
            axes: self.axes.as_deref(),
            dof: self.dof.as_ref(),
            reference_dof: self.reference_dof.as_ref(),
            quantity: self.quantity,
            unit: &self.unit,
            values: self.real(),
            re: part(|z| z.re),
            im: part(|z| z.im),
            within: self.within.as_deref(),
        };
        json.serialize(to)
    }
}

impl Trace {
    /// Number of points.
    pub fn len(&self) -> usize {
        match &self.points {
            Points::Real(x) => x.len(),
            Points::Complex(z) => z.len(),
        }
    }

    /// Whether there are no points.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// The values of a real trace; none of a complex one.
    pub fn real(&self) -> &[f64] {
        match &self.points {
            Points::Real(x) => x,
            Points::Complex(_) => &[],
        }
    }

    /// The values of a complex trace.
    pub fn complex(&self) -> Option<&[Complex64]> {
        match &self.points {
            Points::Complex(z) => Some(z),
            Points::Real(_) => None,
        }
    }
}

/// A number of a channel, or of a mode.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Number {
    /// Such as “rms”.
    pub name: String,
    /// Channel, from 1; 0 for what is of many.
    pub channel: u32,
    /// The mode it is of, from 1.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub mode: Option<u32>,
    /// Its unit; empty for a ratio.
    pub unit: String,
    /// The value; null where there is none.
    #[serde(deserialize_with = "holed")]
    pub value: f64,
}

/// A value that JSON has as null where it is none.
pub(crate) fn holed<'de, D: Deserializer<'de>>(from: D) -> Result<f64, D::Error> {
    Ok(Option::<f64>::deserialize(from)?.unwrap_or(f64::NAN))
}
