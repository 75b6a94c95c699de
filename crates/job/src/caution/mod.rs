//! Findings of the rule check: each says what, why it matters and what would put it right.
//!
//! A rule is one small file in [`rules`], with its tests; [`rules::ALL`] lists them.

pub mod rules;

use crate::front_end::FrontEnd;
use crate::rig::{Cell, Channel, Rig};
use crate::sensor::Sensor;
use chrono::{DateTime, NaiveDate, Utc};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use utoipa::ToSchema;

/// One finding.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Caution {
    /// Name of the rule.
    pub rule: &'static str,
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
    Caution {
        rule,
        input: Some(c.input),
        grave: false,
        says,
        why: why.into(),
        fix: Vec::new(),
        fix_says: None,
        waived: None,
    }
}

impl Caution {
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
