//! Findings of the rule check: each says what, why it matters and what would put it right.
//!
//! A rule is one small file in [`rules`], with its tests; [`rules::ALL`] lists them.

pub mod rules;

use crate::entry::number::{plain, rounded};
use crate::front_end::{FrontEnd, USUAL_CLEAN_SHARE};
use crate::geometry::Geometry;
use crate::geometry::places::Places;
use crate::plan::Plan;
use crate::rig::{Cell, Channel, Rig};
use crate::sensor::Sensor;
use chrono::{DateTime, NaiveDate, Utc};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use utoipa::ToSchema;

/// Where what was found is put right.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Station {
    /// In the rig.
    Rig,
    /// In the plan.
    Plan,
}

/// One finding.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Caution {
    /// Name of the rule.
    pub rule: &'static str,
    /// Where it is put right.
    pub station: Station,
    /// Input it is about, if one.
    pub input: Option<u16>,
    /// Whether a limit is passed, so that data is lost now.
    pub grave: bool,
    /// What was found.
    pub says: String,
    /// Why it matters.
    pub why: String,
    /// Cells that put it right, if that is known.
    pub fix: Vec<Cell>,
    /// The plan that puts it right, if that is known.
    pub fix_plan: Option<Plan>,
    /// What the fix does, in words.
    pub fix_says: Option<String>,
    /// Why it is let pass, if somebody decided so.
    pub waived: Option<Waiver>,
}

/// A finding that is let pass.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Waiver {
    /// The rule.
    pub rule: String,
    /// The input.
    pub input: Option<u16>,
    /// The finding's words: another finding of the same rule is not let pass with it.
    pub says: String,
    /// Why.
    pub reason: String,
    /// By whom.
    pub who: String,
    /// When.
    pub at: DateTime<Utc>,
}

/// Level of an input over the last moments, as shares of its range.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct LevelSeen {
    /// Largest magnitude in the last half second.
    pub peak_share: f64,
    /// Largest magnitude since the last reset.
    pub held_share: f64,
    /// Whether the converter was at its end since the last reset.
    pub over: bool,
}

/// Everything the rules look at.
#[derive(Debug, Clone, Default)]
pub struct Facts<'a> {
    rig: Option<&'a Rig>,
    levels: HashMap<u16, LevelSeen>,
    register: HashMap<String, &'a Sensor>,
    plugged: HashMap<u16, String>,
    front_end: Option<&'a FrontEnd>,
    today: NaiveDate,
    plan: Option<&'a Plan>,
    free_bytes: Option<u64>,
    pulses_hz: HashMap<u16, f64>,
    geometry: Option<&'a Geometry>,
}

impl<'a> Facts<'a> {
    /// The rig alone.
    pub fn of(rig: &'a Rig) -> Self {
        Facts { rig: Some(rig), ..Facts::default() }
    }

    /// With what is heard on the inputs.
    pub fn heard(mut self, levels: impl IntoIterator<Item = (u16, LevelSeen)>) -> Self {
        self.levels = levels.into_iter().collect();
        self
    }

    /// With the register, and the day it is.
    pub fn registered(mut self, sensors: &'a [Sensor], today: NaiveDate) -> Self {
        self.register = sensors.iter().map(|s| (s.label(), s)).collect();
        self.today = today;
        self
    }

    /// With the labels of smart sensors that told who they are.
    pub fn plugged(mut self, labels: impl IntoIterator<Item = (u16, String)>) -> Self {
        self.plugged = labels.into_iter().collect();
        self
    }

    /// With the front end.
    pub fn on(mut self, front_end: Option<&'a FrontEnd>) -> Self {
        self.front_end = front_end;
        self
    }

    /// With the plan, and the free space of the store.
    pub fn planned(mut self, plan: &'a Plan, free_bytes: Option<u64>) -> Self {
        (self.plan, self.free_bytes) = (Some(plan), free_bytes);
        self
    }

    /// With the pulses a second the tachometers give now, Hz.
    pub fn turning(mut self, pulses_hz: impl IntoIterator<Item = (u16, f64)>) -> Self {
        self.pulses_hz = pulses_hz.into_iter().collect();
        self
    }

    /// With the specimen's geometry.
    pub fn upon(mut self, geometry: &'a Geometry) -> Self {
        self.geometry = Some(geometry).filter(|g| !g.is_empty());
        self
    }

    /// The places of the specimen, where it has a geometry.
    pub fn places(&self) -> Option<Places<'a>> {
        self.geometry.map(Geometry::places)
    }

    /// The plan with the rig it is of.
    pub fn plan(&self) -> Option<(&'a Plan, &'a Rig)> {
        self.plan.zip(self.rig)
    }

    /// Share of the sample rate up to which spectra are free of aliases.
    pub fn clean_share(&self) -> f64 {
        self.front_end.map_or(USUAL_CLEAN_SHARE, |f| f.clean_share)
    }

    /// Rates the front end offers, Hz, ascending.
    pub fn rates_hz(&self) -> Vec<f64> {
        let mut all = self.front_end.map_or_else(Vec::new, |f| f.rates_hz.clone());
        all.sort_by(f64::total_cmp);
        all
    }

    /// Free space of the store, bytes.
    pub fn free_bytes(&self) -> Option<u64> {
        self.free_bytes
    }

    /// Pulses a second of a tachometer now, Hz.
    pub fn pulses_hz(&self, input: u16) -> Option<f64> {
        self.pulses_hz.get(&input).copied()
    }

    /// The measured rows.
    pub fn active(&self) -> impl Iterator<Item = &'a Channel> {
        self.rig.into_iter().flat_map(Rig::active)
    }

    /// What is heard on an input.
    pub fn level(&self, input: u16) -> Option<LevelSeen> {
        self.levels.get(&input).copied()
    }

    /// What the register knows of a row's sensor.
    pub fn sensor(&self, c: &Channel) -> Option<&'a Sensor> {
        self.register.get(&c.sensor).copied()
    }

    /// The smart sensor that hangs on an input.
    pub fn plugged_on(&self, input: u16) -> Option<&str> {
        self.plugged.get(&input).map(String::as_str)
    }

    /// Inputs that tell of another sensor than their row, with that row.
    pub fn misplaced(&self) -> impl Iterator<Item = (&'a Channel, &str)> {
        self.active().filter_map(|c| {
            let told = self.plugged_on(c.input)?;
            (!c.sensor.is_empty() && told != c.sensor).then_some((c, told))
        })
    }

    /// The day it is.
    pub fn today(&self) -> NaiveDate {
        self.today
    }

    /// The offer of an input.
    pub fn offer(&self, input: u16) -> Option<&'a crate::front_end::InputOffer> {
        self.front_end?.input(input)
    }

    /// How an input is called on the screen.
    pub fn label(&self, input: u16) -> String {
        self.front_end.map_or_else(|| input.to_string(), |f| f.label(input))
    }
}

/// A finding about one input, without a fix.
pub(crate) fn found(rule: &'static str, c: &Channel, says: String, why: impl Into<String>) -> Caution {
    Caution { station: Station::Rig, ..found_in_plan(rule, Some(c), says, why) }
}

/// A finding about the plan, or about an input as it is planned, without a fix.
pub(crate) fn found_in_plan(rule: &'static str, c: Option<&Channel>, says: String, why: impl Into<String>) -> Caution {
    Caution {
        rule,
        station: Station::Plan,
        input: c.map(|c| c.input),
        grave: false,
        says,
        why: why.into(),
        fix: Vec::new(),
        fix_plan: None,
        fix_says: None,
        waived: None,
    }
}

impl Caution {
    /// With the plan at another rate as its fix, where one would do.
    pub(crate) fn with_rate(self, rate_hz: Option<f64>, plan: &Plan) -> Self {
        let Some(sample_rate_hz) = rate_hz else { return self };
        let says = format!("Sample at {} kHz", plain(rounded(sample_rate_hz / 1000.0, 5)));
        self.with_plan(says, Plan { sample_rate_hz, ..plan.clone() })
    }

    pub(crate) fn with_plan(mut self, says: impl Into<String>, plan: Plan) -> Self {
        self.fix_plan = Some(plan);
        self.fix_says = Some(says.into());
        self
    }

    pub(crate) fn with_fix(mut self, says: impl Into<String>, cells: Vec<Cell>) -> Self {
        self.fix = cells;
        self.fix_says = Some(says.into());
        self
    }
}

/// Runs every rule; findings that are let pass carry their waiver and come last.
pub fn check(facts: &Facts, waivers: &[Waiver]) -> Vec<Caution> {
    let mut all: Vec<Caution> = rules::ALL.iter().flat_map(|r| (r.look)(facts)).collect();
    for c in &mut all {
        c.waived = waivers.iter().rfind(|w| w.rule == c.rule && w.input == c.input && w.says == c.says).cloned();
    }
    all.sort_by_key(|c| (c.waived.is_some(), !c.grave, c.input));
    all
}
