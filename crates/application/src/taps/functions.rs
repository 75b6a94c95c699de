//! The table of responses: of tap series and of files.

use crate::specimens::exchange::with_geometry;
use crate::specimens::sheet;
use crate::{Desk, Error, Result};
use chrono::{DateTime, Utc};
use echo_formats::uff::{self, Style};
use echo_job::analysis::Analysis;
use echo_job::analysis::result::{Axis, Made, Points, Trace};
use echo_job::analysis::words::{Along, Shown};
use echo_job::dof::Dof;
use echo_job::impact::Quality;
use echo_job::recipe::{Lens, ModesRecipe, Recipe};
use echo_job::specimen::Specimen;
use echo_signal::spectrum::Complex64;
use echo_store::function::{Function, FunctionHead};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::fmt::Write;
use std::sync::Arc;
use utoipa::{IntoParams, ToSchema};

/// A set of responses that belong together.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct FunctionSet {
    /// The series, where it is of one.
    pub series: Option<i64>,
    /// Number of the series in the campaign.
    pub number: Option<i32>,
    /// The file, where it was brought in; empty for a series.
    pub source: String,
    /// What it is called.
    pub says: String,
    /// How many responses it has.
    pub count: usize,
    /// How many of them are taken out.
    pub taken_out: usize,
    /// References, where it was hit.
    pub references: Vec<String>,
}

/// A response without its values.
#[derive(Serialize, ToSchema)]
pub struct FunctionBody {
    /// Key.
    pub id: i64,
    /// The series it is of.
    pub series: Option<i64>,
    /// The file it came with; empty for a series.
    pub source: String,
    /// Where it answers.
    pub response: String,
    /// Where it is hit.
    pub reference: String,
    /// Its unit.
    pub unit: String,
    /// Whether both ends stay from point to point.
    pub stays: bool,
    /// First and last frequency, Hz.
    pub from_hz: f64,
    /// See `from_hz`.
    pub to_hz: f64,
    /// Lines.
    pub lines: i32,
    /// How good it is.
    pub quality: Quality,
    /// Hits it was made of, as run and take.
    pub hits: Vec<[i64; 2]>,
    /// What a window added to the decay, 1/s.
    pub added_decay: f64,
    /// Whether it is left out of what is made of responses.
    pub taken_out: bool,
    /// When it was made.
    pub made_at: DateTime<Utc>,
}

/// All responses of a campaign.
#[derive(Serialize, ToSchema)]
pub struct FunctionsBody {
    /// Sets that belong together.
    pub sets: Vec<FunctionSet>,
    /// Each response.
    pub functions: Vec<FunctionBody>,
}

/// Which set.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, IntoParams, ToSchema)]
#[into_params(parameter_in = Query)]
pub struct OfSet {
    /// The series.
    pub series: Option<i64>,
    /// The file that was brought in.
    pub source: Option<String>,
    /// A run in operation, whose samples are read as if they were responses; for modes alone.
    pub run: Option<i64>,
}

/// Which responses are taken out, or in again.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct TakeOut {
    /// Their keys.
    pub functions: Vec<i64>,
    /// Whether out.
    pub out: bool,
}

fn body(f: FunctionHead) -> FunctionBody {
    FunctionBody {
        id: f.id,
        series: f.series,
        response: f.response.to_string(),
        reference: f.reference.to_string(),
        unit: f.unit,
        stays: f.stays,
        from_hz: f.first_hz,
        to_hz: f.first_hz + f.step_hz * f64::from((f.lines - 1).max(0)),
        lines: f.lines,
        quality: f.quality,
        hits: f.hits.iter().map(|h| [h.run, i64::from(h.take)]).collect(),
        added_decay: f.added_decay,
        taken_out: f.taken_out,
        source: f.source,
        made_at: f.made_at,
    }
}

/// All responses of a campaign, and the sets they belong to.
///
/// # Errors
/// The database is away.
pub async fn list(desk: &Desk, campaign: i64) -> Result<FunctionsBody> {
    let heads = desk.store.function_heads(campaign).await?;
    let numbers: BTreeMap<i64, i32> =
        desk.store.all_series(campaign).await?.into_iter().map(|s| (s.id, s.number)).collect();
    let mut sets: Vec<FunctionSet> = Vec::new();
    for f in &heads {
        let at = sets.iter().position(|s| s.series == f.series && s.source == f.source).unwrap_or_else(|| {
            let number = f.series.and_then(|s| numbers.get(&s).copied());
            let says = number.map_or_else(|| f.source.clone(), |n| format!("tap series {n}"));
            let source = f.source.clone();
            let (count, taken_out, references) = (0, 0, Vec::new());
            sets.push(FunctionSet { series: f.series, number, source, says, count, taken_out, references });
            sets.len() - 1
        });
        let set = &mut sets[at];
        set.count += 1;
        set.taken_out += usize::from(f.taken_out);
        let reference = f.reference.to_string();
        if !set.references.contains(&reference) {
            set.references.push(reference);
        }
    }
    Ok(FunctionsBody { sets, functions: heads.into_iter().map(body).collect() })
}

/// Takes responses out of what is made of them, or in again.
///
/// # Errors
/// The database is away.
pub async fn take_out(desk: &Desk, campaign: i64, take: &TakeOut) -> Result<()> {
    desk.store.take_functions(campaign, &take.functions, take.out).await?;
    Ok(())
}

/// Deletes responses that were brought in.
///
/// # Errors
/// One of them is of a series, or the database is away.
pub async fn delete(desk: &Desk, campaign: i64, keys: &[i64]) -> Result<()> {
    Ok(desk.store.delete_functions(campaign, keys).await?)
}

/// Responses of a set, ready to be read together.
#[derive(Debug, Clone)]
pub(super) struct Read {
    /// What they are, in a word that changes with them.
    pub fingerprint: String,
    /// What they are called.
    pub says: String,
    /// Frequencies, Hz.
    pub frequencies_hz: Vec<f64>,
    /// Complex responses.
    pub traces: Vec<Trace>,
    /// Their coherences, where known.
    pub coherences: Vec<Option<Vec<f64>>>,
    /// What windows added to the decay, 1/s.
    pub added_decay: f64,
    /// Hits they were made of.
    pub hits: usize,
}

/// Heads of a set that are used: what is not taken out, each pair once.
pub(super) async fn chosen(desk: &Desk, campaign: i64, of: &OfSet) -> Result<Vec<FunctionHead>> {
    let source = of.source.clone().unwrap_or_default();
    let own = |f: &FunctionHead| f.series == of.series && f.source == source && !f.taken_out;
    let mut heads: Vec<FunctionHead> =
        desk.store.function_heads(campaign).await?.into_iter().filter(|f| own(f)).collect();
    // What was measured for a point comes before what stays and was measured again with every point.
    heads.sort_by_key(|f| f.stays);
    let mut seen: Vec<(Dof, Dof)> = Vec::new();
    heads.retain(|f| {
        let pair = (f.response.along(), f.reference.along());
        let new = !seen.contains(&pair);
        if new {
            seen.push(pair);
        }
        new
    });
    Ok(heads)
}

/// Directions that the specimen knows by names of their own, as letters.
pub(super) struct Lettered {
    specimen: Arc<Specimen>,
    version: i64,
}

impl Lettered {
    pub(super) async fn of(desk: &Desk, campaign: i64) -> Result<Lettered> {
        let sheet = sheet::read(desk, campaign).await?;
        Ok(Lettered { specimen: sheet.specimen, version: sheet.version })
    }

    fn dof(&self, d: &Dof) -> Dof {
        match self.specimen.geometry.axis_of(&d.direction) {
            Some(axis) => Dof { direction: ["x", "y", "z"][axis].into(), ..d.clone() },
            None => d.clone(),
        }
    }

    /// A response with its values, real and imaginary parts in turn, as a trace.
    pub(super) fn trace(&self, f: &FunctionHead, parts: &[f64]) -> Trace {
        Trace {
            name: format!("{} over {}", f.response, f.reference),
            channel: 1,
            reference: None,
            mode: None,
            axes: None,
            dof: Some(self.dof(&f.response)),
            reference_dof: Some(self.dof(&f.reference)),
            quantity: Shown::Response,
            unit: f.unit.clone(),
            points: Points::Complex(parts.as_chunks::<2>().0.iter().map(|p| Complex64::new(p[0], p[1])).collect()),
            within: None,
        }
    }
}

/// Reads a set with its values. Directions that the specimen knows by names of their own become letters.
pub(super) async fn read(desk: &Desk, campaign: i64, of: &OfSet) -> Result<Arc<Read>> {
    let heads = chosen(desk, campaign, of).await?;
    let lettered = Lettered::of(desk, campaign).await?;
    let mut fingerprint = format!("{campaign} {} ", lettered.version);
    for f in &heads {
        let _ = write!(fingerprint, "{}@{} ", f.id, f.made_at.timestamp_micros());
    }
    let known = desk.responses.of().read.clone();
    if let Some((_, read)) = known.filter(|(was, _)| *was == fingerprint) {
        return Ok(read);
    }
    let refuse = |says: String| Err(Error::from(echo_job::Refusal::new("set", says)));
    let Some(first) = heads.first() else {
        return refuse("this set has no responses; measure a tap series, or bring a universal file in".into());
    };
    if let Some(other) =
        heads.iter().find(|f| (f.lines, f.first_hz, f.step_hz) != (first.lines, first.first_hz, first.step_hz))
    {
        return refuse(format!(
            "{} over {} has lines {} Hz apart, {} over {} {} Hz; allowed: all over the same lines, so take one out or make it anew",
            first.response, first.reference, first.step_hz, other.response, other.reference, other.step_hz
        ));
    }
    if let Some(other) = heads.iter().find(|f| (f.added_decay - first.added_decay).abs() > 1e-9) {
        return refuse(format!(
            "{} over {} was made with another exponential window than {} over {}",
            other.response, other.reference, first.response, first.reference
        ));
    }
    let mut values: BTreeMap<i64, (Vec<f64>, Option<Vec<f64>>)> = BTreeMap::new();
    let keys: Vec<i64> = heads.iter().map(|f| f.id).collect();
    for some in keys.chunks(64) {
        for (id, parts, coherence) in desk.store.function_values(some).await? {
            values.insert(id, (parts, coherence));
        }
    }
    let (mut traces, mut coherences) = (Vec::new(), Vec::new());
    for (k, f) in heads.iter().enumerate() {
        let (parts, coherence) = values.remove(&f.id).unwrap_or_default();
        coherences.push(coherence);
        traces.push(Trace { channel: k as u32 + 1, ..lettered.trace(f, &parts) });
    }
    let says = match of.series {
        Some(id) => format!("tap series {}", desk.store.series(id).await?.number),
        None => first.source.clone(),
    };
    let read = Arc::new(Read {
        fingerprint: fingerprint.clone(),
        says,
        frequencies_hz: (0..first.lines).map(|k| first.first_hz + f64::from(k) * first.step_hz).collect(),
        traces,
        coherences,
        added_decay: first.added_decay,
        hits: heads.iter().map(|f| f.hits.len()).sum(),
    });
    desk.responses.of().read = Some((fingerprint, read.clone()));
    Ok(read)
}

/// Responses of a set with their coherences as one result.
pub(super) async fn as_result(desk: &Desk, campaign: i64, of: &OfSet) -> Result<Analysis> {
    let all = read(desk, campaign, of).await?;
    let mut traces = Vec::new();
    for (t, coherence) in all.traces.iter().cloned().zip(all.coherences.iter().cloned()) {
        let known = coherence.map(|c| Trace {
            quantity: Shown::Coherence,
            unit: String::new(),
            points: Points::Real(c),
            name: format!("coherence of {}", t.name),
            ..t.clone()
        });
        traces.push(t);
        traces.extend(known);
    }
    Ok(Analysis {
        recipe: Recipe::of(Lens::Modes(ModesRecipe::default())),
        made: Made {
            by: format!("fleet-echo {}", env!("CARGO_PKG_VERSION")),
            at: Utc::now().to_rfc3339(),
            input: all.says.clone(),
            fingerprint: None,
            channels: Vec::new(),
        },
        cautions: Vec::new(),
        averages: None,
        random_error: None,
        interval: None,
        axes: vec![Axis {
            name: Along::Frequency,
            unit: "Hz".into(),
            values: all.frequencies_hz.clone(),
            dofs: Vec::new(),
        }],
        reached_s: Vec::new(),
        traces,
        numbers: Vec::new(),
        peaks: Vec::new(),
        stabilisation: Vec::new(),
    })
}

/// Some responses over each other, whatever set they are of, each with its coherence.
///
/// # Errors
/// None of these keys, different lines, or the database is away.
pub async fn curves(desk: &Desk, campaign: i64, keys: &[i64]) -> Result<Analysis> {
    let heads: Vec<FunctionHead> =
        desk.store.function_heads(campaign).await?.into_iter().filter(|f| keys.contains(&f.id)).collect();
    let first = heads.first().ok_or_else(|| Error::missing("this response"))?;
    let of = OfSet { series: first.series, source: first.series.is_none().then(|| first.source.clone()), run: None };
    let mut result = as_result(desk, campaign, &of).await?;
    let wanted = |t: &Trace| {
        heads.iter().any(|f| {
            let name = format!("{} over {}", f.response, f.reference);
            t.name == name || t.name == format!("coherence of {name}")
        })
    };
    result.traces.retain(wanted);
    Ok(result)
}

/// A set as a universal file: its responses and coherences (58), and the geometry they are on (2411, 2412, 82).
///
/// # Errors
/// The set has no responses, or the database is away.
pub async fn universal_file(desk: &Desk, campaign: i64, of: &OfSet, binary: bool) -> Result<Vec<u8>> {
    let result = as_result(desk, campaign, of).await?;
    let style = if binary { Style::Binary } else { Style::Text };
    with_geometry(desk, campaign, &uff::of_result(&result)?, style).await
}

/// Responses among the curves of a file, as they are kept in the table.
pub(crate) fn of_curves((axis, traces): (&Axis, &[Trace]), source: &str, who: &str) -> Vec<Function> {
    let hz = &axis.values;
    let (Some(first), Some(last)) = (hz.first(), hz.last()) else { return Vec::new() };
    let step = (last - first) / (hz.len().max(2) - 1) as f64;
    let even = hz.iter().enumerate().all(|(k, f)| (f - (first + k as f64 * step)).abs() < 1e-6 * step.max(1e-12));
    if axis.name != Along::Frequency || !even {
        return Vec::new();
    }
    let band = [*first, *last];
    let one = |t: &Trace| {
        let (response, reference, z) = (t.dof.clone()?, t.reference_dof.clone()?, t.complex()?);
        let same = |c: &&Trace| c.quantity == Shown::Coherence && c.dof == t.dof && c.reference_dof == t.reference_dof;
        let coherence = traces.iter().find(same);
        Some(Function {
            head: FunctionHead {
                id: 0,
                series: None,
                point: 0,
                stays: false,
                source: source.into(),
                response,
                reference,
                unit: t.unit.clone(),
                first_hz: *first,
                step_hz: step,
                lines: hz.len() as i32,
                quality: echo_job::impact::quality((hz, t, coherence), band, 0),
                hits: Vec::new(),
                added_decay: 0.0,
                taken_out: false,
                who: who.into(),
                made_at: Utc::now(),
            },
            parts: z.iter().flat_map(|z| [z.re, z.im]).collect(),
            coherence: coherence.map(|c| c.real().to_vec()),
        })
    };
    traces.iter().filter(|t| t.quantity == Shown::Response && t.complex().is_some()).filter_map(one).collect()
}
