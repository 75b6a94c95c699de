//! Findings of the rule check: each says what, why it matters and what would put it right.

use crate::rig::{Channel, ChannelChange, Coupling, Rig};
use crate::unit::{Quantity, STANDARD_GRAVITY};
use serde::Serialize;
use utoipa::ToSchema;

/// One finding.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Caution {
    /// Name of the rule.
    pub rule: &'static str,
    /// Input it is about, if one.
    pub input: Option<u16>,
    /// What was found.
    pub says: String,
    /// Why it matters.
    pub why: String,
    /// A change of the row that puts it right, if one is known.
    pub fix: Option<ChannelChange>,
    /// What the fix does, in words.
    pub fix_says: Option<String>,
}

/// Level of an input over the last moments, as shares of its range.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct LevelSeen {
    /// Largest magnitude.
    pub peak_share: f64,
    /// Whether the converter was at its end.
    pub over: bool,
}

/// Runs every rule over a rig. `levels` gives what is heard on an input, where something is.
pub fn check(rig: &Rig, levels: impl Fn(u16) -> Option<LevelSeen>) -> Vec<Caution> {
    let mut found = Vec::new();
    for c in rig.active() {
        found.extend(supply_on_voltage(c));
        found.extend(reads_like_gravity(c, rig));
        found.extend(same_place(c, rig));
        if let Some(level) = levels(c.input) {
            found.extend(clipped(c, level));
            found.extend(dead(c, level));
        }
    }
    found
}

fn supply_on_voltage(c: &Channel) -> Option<Caution> {
    let mechanical = matches!(c.quantity, Quantity::Voltage | Quantity::Displacement);
    (mechanical && c.coupling == Coupling::Iepe).then(|| Caution {
        rule: "iepe_on_voltage",
        input: Some(c.input),
        says: format!("Input {} feeds supply current into a voltage source", c.input),
        why: format!(
            "{} is measured as {}; the constant current shifts it and can harm the source.",
            c.name,
            c.quantity.name()
        ),
        fix: Some(ChannelChange { coupling: Some(Coupling::Dc), ..Default::default() }),
        fix_says: Some("Set DC".into()),
    })
}

/// A sensitivity 9.81 times that of its like is one in mV/g entered as mV/(m/s²).
fn reads_like_gravity(c: &Channel, rig: &Rig) -> Option<Caution> {
    let own = c.sensitivity.volts_per_si().ok()?;
    let family = |c: &Channel| c.sensor.split(',').next().unwrap_or("").trim().to_string();
    let mut others: Vec<f64> = rig
        .active()
        .filter(|o| o.input != c.input && o.quantity == c.quantity && family(o) == family(c) && !family(c).is_empty())
        .filter_map(|o| o.sensitivity.volts_per_si().ok())
        .collect();
    if c.quantity != Quantity::Acceleration || others.len() < 2 {
        return None;
    }
    others.sort_by(f64::total_cmp);
    let usual = others[others.len() / 2];
    let ratio = own / usual;
    ((ratio / STANDARD_GRAVITY - 1.0).abs() < 0.12).then(|| {
        let right = (c.sensitivity.value / STANDARD_GRAVITY * 1e4).round() / 1e4;
        Caution {
            rule: "sensitivity_like_mv_per_g",
            input: Some(c.input),
            says: format!("Input {} reads like mV/g, entered as {}", c.input, c.sensitivity.unit),
            why: format!("{ratio:.2} times the sensitivity of the same type elsewhere; every level would be read {ratio:.1} times too small."),
            fix: Some(ChannelChange { sensitivity: Some(right.to_string()), ..Default::default() }),
            fix_says: Some(format!("Set {right} {}", c.sensitivity.unit)),
        }
    })
}

fn same_place(c: &Channel, rig: &Rig) -> Option<Caution> {
    let first = rig.active().find(|o| {
        !c.point.is_empty() && o.point == c.point && o.direction == c.direction && o.quantity == c.quantity
    })?;
    (first.input < c.input).then(|| Caution {
        rule: "two_on_one_place",
        input: Some(c.input),
        says: format!("Inputs {} and {} share one place and direction", first.input, c.input),
        why: format!("Both are at {}, {}; one of them is probably entered wrongly.", c.point, c.direction),
        fix: None,
        fix_says: None,
    })
}

fn clipped(c: &Channel, level: LevelSeen) -> Option<Caution> {
    level.over.then(|| Caution {
        rule: "clipped",
        input: Some(c.input),
        says: format!("Input {} is over its range", c.input),
        why: format!("The signal reaches past {} V; what is recorded is cut off.", c.range_v),
        fix: None,
        fix_says: None,
    })
}

fn dead(c: &Channel, level: LevelSeen) -> Option<Caution> {
    (level.peak_share < 2e-5).then(|| Caution {
        rule: "dead_input",
        input: Some(c.input),
        says: format!("Input {} hears nothing", c.input),
        why: match (c.coupling, c.quantity) {
            (Coupling::Iepe, _) => "Cable open, sensor unplugged or broken.".into(),
            (_, Quantity::Acceleration) => "A sensor with built-in electronics needs IEPE coupling.".into(),
            _ => "Cable open, source without supply, or a range far too large.".into(),
        },
        fix: (c.coupling != Coupling::Iepe && c.quantity == Quantity::Acceleration)
            .then(|| ChannelChange { coupling: Some(Coupling::Iepe), ..Default::default() }),
        fix_says: (c.coupling != Coupling::Iepe && c.quantity == Quantity::Acceleration).then(|| "Set IEPE".into()),
    })
}
