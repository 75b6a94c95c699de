//! The modes lens: poles, shapes and how far they can be trusted, from responses between points.
//!
//! | file | what it holds |
//! | --- | --- |
//! | [`compare`] | shapes of two sets held against each other |
//! | [`halves`] | how much modes scatter over halves of the hits |
//! | [`operation`] | modes of samples in operation |
//! | [`table`] | responses gathered into the FRF matrix |

pub mod compare;
pub mod halves;
pub mod operation;
pub mod table;

use super::prepare::View;
use super::result::{Analysis, Axis, Held, HeldPole, Made, Number, Points, ResultCaution, Trace};
use super::source::Source;
use super::words::{Along, CautionRule, Shown};
use super::{AnalysisError, Provenance, cautions_of, with_math};
use crate::Refusal;
use crate::recipe::modal::{ModesRecipe, Pick};
use crate::recipe::{Lens, Recipe};
pub use compare::{Compared, ShapeSet};
use echo_signal::modal::band::Band;
use echo_signal::modal::indicator::{cmif, mmif};
use echo_signal::modal::mac::{mac, mpc, turned_real};
use echo_signal::modal::poles::{Lasting, PoleSettings, Stabilisation, Stability, stabilisation};
use echo_signal::modal::refine::refined;
use echo_signal::modal::shapes::{Mode, Modes, ShapeScale, shapes};
use echo_signal::spectrum::Complex64;
use operation::Heard;
use std::sync::{Arc, Mutex, PoisonError};
pub use table::Table;

/// How far from a wished frequency a pole may be, as a share of it.
const NEAR: f64 = 0.03;
/// Below this a shape is no standing wave any more.
const COMPLEX: f64 = 0.1;

/// Finds the modes in responses over one axis. `progress` gets the share done, and returns false to stop.
///
/// # Errors
/// A recipe of another lens, or with what belongs to samples; responses that do not fit together; a band without
/// enough lines, or without a pole that holds.
pub fn modes(
    recipe: &Recipe,
    (frequencies_hz, traces): (&[f64], &[Trace]),
    provenance: Provenance,
    progress: &mut dyn FnMut(f64) -> bool,
) -> Result<Analysis, AnalysisError> {
    let seen = look(recipe, (frequencies_hz, traces))?;
    if !progress(0.6) {
        return Err(AnalysisError::Stopped);
    }
    modes_of(&seen, recipe, provenance, progress)
}

/// Responses that were looked at: whatever is picked of them, this stays.
#[derive(Debug, Clone)]
pub struct Seen {
    /// The responses.
    pub table: Table,
    band: Band,
    diagram: Stabilisation,
    indicators: Vec<Trace>,
    /// What was heard in operation, where that is what was looked at.
    heard: Option<Heard>,
    /// What is to be kept in mind whatever is picked.
    cautions: Vec<ResultCaution>,
    last: Last,
}

/// What was found for what was picked last: whoever looks at one response after the other waits once.
type Last = Arc<Mutex<Option<(ModesRecipe, Arc<(Vec<Lasting>, Modes)>)>>>;

fn told(e: echo_signal::SignalError) -> AnalysisError {
    Refusal::new("modes", e.to_string()).into()
}

fn settings_of(recipe: &Recipe) -> Result<ModesRecipe, AnalysisError> {
    match &recipe.lens {
        Lens::Modes(settings) => Ok(settings.clone()),
        Lens::OperationalModes(settings) => Ok(settings.of_poles()),
        lens => Err(Refusal::new("lens", format!("{} is made of samples, not of responses", lens.name())).into()),
    }
}

/// Looks for the poles of every order.
///
/// # Errors
/// As [`modes`].
pub fn look(recipe: &Recipe, (frequencies_hz, traces): (&[f64], &[Trace])) -> Result<Seen, AnalysisError> {
    let settings = settings_of(recipe)?;
    for (key, given) in [
        ("channels", recipe.channels.is_some()),
        ("stretch", recipe.stretch.is_some()),
        ("takes", recipe.takes.is_some()),
        ("prepare", !recipe.prepare.is_empty()),
        ("math", !recipe.math.is_empty()),
    ] {
        if given {
            return Err(Refusal::new(key, format!("{key} belongs to samples; allowed: left out for modes")).into());
        }
    }
    let table = Table::new(frequencies_hz, traces, settings.references.as_deref())?;
    let [low, high] = band(&settings, frequencies_hz)?;
    let band = table.functions.band((low, high)).map_err(told)?;
    let diagram = diagram_of(&band, &settings)?;
    let indicators = indicators(&table);
    Ok(Seen { table, band, diagram, indicators, heard: None, cautions: Vec::new(), last: Last::default() })
}

/// Poles of every order.
fn diagram_of(band: &Band, settings: &ModesRecipe) -> Result<Stabilisation, AnalysisError> {
    let limits = PoleSettings {
        max_order: settings.max_order,
        frequency_change: settings.frequency_change,
        damping_change: settings.damping_change,
        mac: settings.mac,
    };
    stabilisation(band, limits).map_err(told)
}

/// Listens to samples in operation; gives what was looked at with the recipe as it was carried out. `progress` gets
/// the share done, and returns false to stop.
///
/// # Errors
/// A recipe of another lens; channels that do not fit together; too few samples.
pub fn listen(
    recipe: &Recipe,
    source: &mut dyn Source,
    progress: &mut dyn FnMut(f64) -> bool,
) -> Result<(Seen, Recipe), AnalysisError> {
    let Lens::OperationalModes(settings) = &recipe.lens else {
        return Err(Refusal::new("lens", format!("{} finds no modes in samples", recipe.lens.name())).into());
    };
    with_math(recipe, source, |source| {
        let mut view = View::new(recipe, source)?;
        let mut seen = operation::heard(settings, &mut view, progress)?;
        seen.cautions = cautions_of(&view);
        Ok((seen, view.filled_in(recipe)))
    })
}

/// The modes of what was picked, with residual terms.
fn found(seen: &Seen, settings: &ModesRecipe) -> Result<Arc<(Vec<Lasting>, Modes)>, AnalysisError> {
    let last = || seen.last.lock().unwrap_or_else(PoisonError::into_inner);
    let known = last().as_ref().filter(|(of, _)| of == settings).map(|(_, found)| found.clone());
    if let Some(known) = known {
        return Ok(known);
    }
    let picked = picked(&seen.diagram, settings)?;
    let poles: Vec<_> = picked.iter().map(|l| l.pole.clone()).collect();
    let poles = if settings.refined { refined(&seen.band, &poles).map_err(told)? } else { poles };
    let modes = shapes(&seen.band, &poles, &seen.table.driving()).map_err(told)?;
    let found = Arc::new((picked, modes));
    *last() = Some((settings.clone(), found.clone()));
    Ok(found)
}

/// A response as it was measured and as the modes make it, over all lines.
#[derive(Debug, Clone, PartialEq)]
pub struct Synthesised {
    /// Frequencies, Hz.
    pub frequencies_hz: Vec<f64>,
    /// Measured, in SI units along the directions.
    pub measured: Vec<Complex64>,
    /// Of the modes.
    pub made: Vec<Complex64>,
    /// Share of its energy in the band that the modes miss.
    pub missed: f64,
}

/// Holds what the modes make against a response, by the places of both ends in the table.
///
/// # Errors
/// As [`modes`]; a response that is not there.
pub fn synthesised(
    seen: &Seen,
    recipe: &Recipe,
    (output, reference): (usize, usize),
) -> Result<Synthesised, AnalysisError> {
    let functions = &seen.table.functions;
    if output >= functions.outputs() || reference >= functions.references() {
        return Err(Refusal::new("response", "there is no such response").into());
    }
    let found = found(seen, &settings_of(recipe)?)?;
    let modes = &found.1;
    let frequencies_hz = functions.frequencies_hz().to_vec();
    Ok(Synthesised {
        measured: (0..functions.lines()).map(|line| functions.at(line, output, reference)).collect(),
        made: frequencies_hz.iter().map(|f| modes.synthesis(*f, output, reference)).collect(),
        missed: modes.misses[output * functions.references() + reference],
        frequencies_hz,
    })
}

/// Modes of responses that were looked at.
///
/// # Errors
/// As [`modes`].
pub fn modes_of(
    seen: &Seen,
    recipe: &Recipe,
    provenance: Provenance,
    progress: &mut dyn FnMut(f64) -> bool,
) -> Result<Analysis, AnalysisError> {
    let settings = settings_of(recipe)?;
    let Seen { table, diagram, indicators, .. } = seen;
    let (low, high) = seen.band.band_hz();
    let go = |progress: &mut dyn FnMut(f64) -> bool, share| {
        if progress(share) { Ok(()) } else { Err(AnalysisError::Stopped) }
    };
    let found = found(seen, &settings)?;
    let (picked, found) = (&found.0, &found.1);
    go(progress, 0.95)?;

    let real = settings.real;
    let added_decay = seen.heard.as_ref().map_or(settings.added_decay.unwrap_or(0.0), Heard::added_decay);
    let lens = match &seen.heard {
        Some(heard) => heard.lens(recipe),
        None => Lens::Modes(ModesRecipe { band_hz: Some([low, high]), ..settings }),
    };
    let mut out = Analysis {
        recipe: Recipe { lens, ..recipe.clone() },
        made: Made {
            by: format!("fleet-echo {}", env!("CARGO_PKG_VERSION")),
            at: provenance.at,
            input: provenance.input,
            fingerprint: provenance.fingerprint,
            channels: Vec::new(),
        },
        cautions: seen.cautions.clone(),
        averages: None,
        random_error: None,
        interval: None,
        axes: axes(table, found.modes.len()),
        reached_s: Vec::new(),
        traces: indicators.clone(),
        numbers: Vec::new(),
        peaks: Vec::new(),
        stabilisation: held(diagram),
    };
    let misses = &found.misses;
    for (k, (mode, lasting)) in found.modes.iter().zip(picked).enumerate() {
        told_of(&mut out, k as u32 + 1, mode, lasting, real, added_decay);
    }
    if table.turned {
        let says = "there are more places that are hit than sensors: each hit is read as an answer to a hit at the sensor, which is the same by reciprocity";
        out.cautions.push(caution(CautionRule::Reciprocity, says.into()));
    }
    let all: Vec<&[Complex64]> = found.modes.iter().map(|m| &m.shape[..]).collect();
    let alike = all.iter().flat_map(|a| all.iter().map(|b| mac(a, b))).collect();
    out.traces.push(curve("MAC", Shown::Mac, None, &[MODES, MODES], Points::Real(alike)));
    out.traces.push(curve("missed", Shown::Missed, None, &[DOFS, REFERENCES], Points::Real(misses.clone())));
    if table.references.len() > 1 {
        let shares = found.modes.iter().flat_map(|m| m.pole.participation.iter().map(|l| l.norm())).collect();
        out.traces.push(curve("participation", Shown::Participation, None, &[MODES, REFERENCES], Points::Real(shares)));
    }
    let worst = misses.iter().copied().enumerate().max_by(|a, b| a.1.total_cmp(&b.1));
    out.numbers.push(number("missed", None, "", misses.iter().sum::<f64>() / misses.len() as f64));
    if let Some((at, missed)) = worst.filter(|w| w.1 > 0.5) {
        let (to, of) = (&table.responses[at / table.references.len()], &table.references[at % table.references.len()]);
        let says = format!("{to} over {of} speaks against the modes: they miss {:.0} % of its energy", 100.0 * missed);
        out.cautions.push(caution(CautionRule::ModesMiss, says));
    }
    if let Some(heard) = &seen.heard {
        heard.told(&table.functions, &mut out);
    }
    Ok(out)
}

/// Which axis is which.
const FREQUENCY: usize = 0;
const DOFS: usize = 1;
const MODES: usize = 2;
const REFERENCES: usize = 3;

fn axes(table: &Table, modes: usize) -> Vec<Axis> {
    let count = |n: usize| (1..=n).map(|k| k as f64).collect::<Vec<f64>>();
    let frequencies = table.functions.frequencies_hz().to_vec();
    vec![
        Axis { name: Along::Frequency, unit: "Hz".into(), values: frequencies, dofs: Vec::new() },
        Axis {
            name: Along::Dof,
            unit: String::new(),
            values: count(table.responses.len()),
            dofs: table.responses.clone(),
        },
        Axis { name: Along::Mode, unit: String::new(), values: count(modes), dofs: Vec::new() },
        Axis {
            name: Along::Dof,
            unit: String::new(),
            values: count(table.references.len()),
            dofs: table.references.clone(),
        },
    ]
}

fn curve(name: &str, quantity: Shown, mode: Option<u32>, axes: &[usize], points: Points) -> Trace {
    Trace {
        name: name.into(),
        channel: 0,
        reference: None,
        mode,
        axes: Some(axes.to_vec()),
        dof: None,
        reference_dof: None,
        quantity,
        unit: String::new(),
        points,
        within: None,
    }
}

fn number(name: &str, mode: Option<u32>, unit: &str, value: f64) -> Number {
    Number { name: name.into(), channel: 0, mode, unit: unit.into(), value }
}

fn caution(rule: CautionRule, says: String) -> ResultCaution {
    ResultCaution { rule, channel: None, says, places_s: Vec::new() }
}

/// The band that is looked in: what is wished for, or all lines above 0 Hz.
fn band(settings: &ModesRecipe, frequencies_hz: &[f64]) -> Result<[f64; 2], Refusal> {
    let lowest = frequencies_hz.iter().copied().find(|f| *f > 0.0);
    match (settings.band_hz, lowest, frequencies_hz.last()) {
        (Some(band), ..) => Ok(band),
        (None, Some(low), Some(high)) if *high > low => Ok([low, *high]),
        _ => Err(Refusal::new("input", "the responses have fewer than two lines above 0 Hz")),
    }
}

/// The poles that become modes.
fn picked(diagram: &Stabilisation, settings: &ModesRecipe) -> Result<Vec<Lasting>, Refusal> {
    let lasting = diagram.lasting(settings.lasts);
    let there = || {
        let all: Vec<String> = lasting.iter().map(|l| format!("{:.2}", l.pole.frequency_hz())).collect();
        if all.is_empty() { "none holds".to_string() } else { format!("those that hold are at {} Hz", all.join(", ")) }
    };
    let Pick::Near(wished) = &settings.pick else {
        if lasting.is_empty() {
            let says = format!(
                "no pole holds over {} orders in this band; allowed: a band with a mode, a lower “lasts” or a higher “max_order”",
                settings.lasts
            );
            return Err(Refusal::new("band_hz", says));
        }
        return Ok(lasting);
    };
    let mut taken: Vec<Lasting> = Vec::new();
    for hz in wished {
        let off = |l: &&Lasting| (l.pole.frequency_hz() / hz - 1.0).abs();
        let nearest = lasting.iter().filter(|l| off(l) < NEAR).min_by(|a, b| off(a).total_cmp(&off(b)));
        let Some(nearest) = nearest else {
            return Err(Refusal::new("pick", format!("pick: no pole holds near {hz} Hz; {}", there())));
        };
        if taken.contains(nearest) {
            let says = format!("pick: two frequencies are near the same pole, {:.2} Hz", nearest.pole.frequency_hz());
            return Err(Refusal::new("pick", says));
        }
        taken.push(nearest.clone());
    }
    taken.sort_by(|a, b| a.pole.frequency_hz().total_cmp(&b.pole.frequency_hz()));
    Ok(taken)
}

/// The diagram, pole by pole.
fn held(diagram: &Stabilisation) -> Vec<HeldPole> {
    let one = |order: usize| {
        move |p: &echo_signal::modal::poles::StablePole| HeldPole {
            order: order + 2,
            frequency_hz: p.pole.frequency_hz(),
            damping_ratio: p.pole.damping_ratio(),
            stable: match p.stability {
                Stability::New => Held::New,
                Stability::Frequency => Held::Frequency,
                Stability::Damping => Held::Damping,
                Stability::Whole => Held::Shape,
            },
        }
    };
    diagram.orders.iter().enumerate().flat_map(|(order, all)| all.iter().map(one(order))).collect()
}

fn indicators(table: &Table) -> Vec<Trace> {
    let named = |word: &str, all: Vec<Vec<f64>>| -> Vec<Trace> {
        let name = |k: usize| format!("{word} {}", k + 1);
        all.into_iter()
            .enumerate()
            .map(|(k, v)| curve(&name(k), Shown::Indicator, None, &[FREQUENCY], Points::Real(v)))
            .collect()
    };
    let mut all = named("complex", cmif(&table.functions));
    all.extend(named("multivariate", mmif(&table.functions)));
    all
}

/// Writes what is known of a mode into the result.
fn told_of(out: &mut Analysis, nth: u32, mode: &Mode, lasting: &Lasting, real: bool, added_decay: f64) {
    let complexity = 1.0 - mpc(&mode.shape);
    let pole = mode.pole.clone().without_window(added_decay);
    let mode_number = |name: &str, unit: &str, value: f64| number(name, Some(nth), unit, value);
    out.numbers.extend([
        mode_number("frequency", "Hz", pole.frequency_hz()),
        mode_number("damping_ratio", "", pole.damping_ratio()),
        mode_number("frequency_scatter", "Hz", lasting.frequency_scatter_hz),
        mode_number("damping_scatter", "", lasting.damping_scatter),
        mode_number("complexity", "", complexity),
    ]);
    let shape = if real {
        turned_real(&mode.shape).into_iter().map(|z| Complex64::new(z.re, 0.0)).collect()
    } else {
        mode.shape.clone()
    };
    let name = format!("mode {nth}, {:.2} Hz", pole.frequency_hz());
    let unit = if matches!(mode.scale, ShapeScale::UnitModalMass { .. }) { "1/√kg" } else { "" };
    let trace = curve(&name, Shown::Shape, Some(nth), &[DOFS], Points::Complex(shape));
    out.traces.push(Trace { unit: unit.into(), ..trace });
    if complexity > COMPLEX {
        let says = format!("mode {nth} is {:.0} % complex: its points do not move in phase", 100.0 * complexity);
        out.cautions.push(caution(CautionRule::ComplexMode, says));
    }
}
