//! What is to be hit, how often, and what a hit must be.

use super::judge::HitLimits;
use super::points::{MOST_POINTS, PointDirection};
use crate::Refusal;
use crate::dof::Dof;
use crate::plan::{Length, Plan};
use crate::recipe::spectral::{EstimatorName, ExponentialWindowSettings, ForceWindowSettings};
use crate::rig::{Channel, Rig};
use crate::trigger::{Condition, Edge, Trigger};
use crate::unit::Quantity;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// What goes from point to point.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Roving {
    /// The hammer; sensors stay.
    Hammer,
    /// Sensors; the hammer hits one place.
    Response,
}

/// What makes a hit count.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Accepting {
    /// Who hits again was content with the one before, where it was good.
    #[default]
    NextHit,
    /// A key.
    Key,
    /// Good ones count by themselves.
    Itself,
}

/// A tap series as it is planned.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ImpactPlan {
    /// What goes from point to point.
    pub roving: Roving,
    /// Input of the hammer.
    pub force: u16,
    /// Inputs of the sensors that go from point to point; none where the hammer does.
    #[serde(default)]
    pub moving: Vec<u16>,
    /// Points in the order they are gone through.
    pub points: Vec<PointDirection>,
    /// Good hits a point needs.
    pub hits: u32,
    /// What a hit must be.
    #[serde(default)]
    pub limits: HitLimits,
    /// What makes a hit count.
    #[serde(default)]
    pub accept: Accepting,
    /// Force from which on something is a hit, N.
    pub level_n: f64,
    /// What a take keeps from before the hit, s.
    pub pre_s: f64,
    /// How long a take is, with what is kept from before, s; lines are its inverse apart.
    pub length_s: f64,
    /// Band that is wanted, Hz.
    pub band_hz: [f64; 2],
    /// Mean coherence in the band below which a point is marked.
    pub least_coherence: f64,
    /// Which signal is taken to carry the noise.
    #[serde(default)]
    pub estimator: EstimatorName,
    /// Keeps the hit and takes off the noise around it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub force_window: Option<ForceWindowSettings>,
    /// Lets a long ring-down end inside the block; its damping is taken out of the modes.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub exponential_window: Option<ExponentialWindowSettings>,
}

/// Longest take, s.
const LONGEST_TAKE_S: f64 = 120.0;

impl ImpactPlan {
    /// Checks the plan by itself.
    ///
    /// # Errors
    /// The first entry that is not allowed, with what is.
    pub fn check(&self) -> Result<(), Refusal> {
        let refuse = |field: &str, says: String| Err(Refusal::new(field, says));
        if !(1..=MOST_POINTS).contains(&self.points.len()) {
            let says = format!("the list has {} points; allowed: 1 to {MOST_POINTS}", self.points.len());
            return refuse("points", says);
        }
        let mut seen = std::collections::HashSet::new();
        for (k, p) in self.points.iter().enumerate() {
            if p.point.trim().is_empty() {
                return refuse("points", format!("point {} has no name", k + 1));
            }
            if !seen.insert((p.point.trim(), p.direction.trim())) {
                return refuse("points", format!("“{p}” stands in the list twice"));
            }
        }
        if !(1..=100).contains(&self.hits) {
            return refuse("hits", format!("hits must be 1 to 100, not {}", self.hits));
        }
        let within = [
            ("level_n", "the force a hit counts from", self.level_n, 1e-3, 1e6, "N"),
            ("pre_s", "the time kept from before a hit", self.pre_s, 0.0, 10.0, "s"),
            ("length_s", "the length of a take", self.length_s, 1e-3, LONGEST_TAKE_S, "s"),
            ("least_coherence", "the least coherence", self.least_coherence, 0.0, 1.0, ""),
        ];
        for (field, what, got, least, most, unit) in within {
            if !(least..=most).contains(&got) {
                return refuse(field, format!("{what} must be {least} to {most} {unit}, not {got}").replace(" ,", ","));
            }
        }
        if self.pre_s >= self.length_s {
            let says = format!("a take of {} s cannot keep {} s from before the hit", self.length_s, self.pre_s);
            return refuse("pre_s", says);
        }
        let [low, high] = self.band_hz;
        if !(low >= 0.0 && high > low && high.is_finite()) {
            return refuse(
                "band_hz",
                format!("the band must be two frequencies, the lower first, not {low} to {high} Hz"),
            );
        }
        match (self.roving, self.moving.is_empty()) {
            (Roving::Response, true) => refuse("moving", "choose the sensor that goes from point to point".into()),
            (Roving::Hammer, false) => refuse("moving", "the hammer goes from point to point; no sensor does".into()),
            _ => Ok(()),
        }?;
        if self.moving.contains(&self.force) {
            return refuse("moving", format!("input {} is the hammer's", self.force));
        }
        self.limits.check()
    }

    /// Checks what refers to the rig and the campaign's plan.
    ///
    /// # Errors
    /// The first entry that is not allowed, with what is.
    pub fn check_with(&self, rig: &Rig, plan: &Plan) -> Result<(), Refusal> {
        self.check()?;
        let refuse = |field: &str, says: String| Err(Refusal::new(field, says));
        let on = |field: &str, input: u16| {
            let says = || format!("input {input} is not on; switch it on in the rig, or choose another one");
            rig.channel(input).filter(|c| c.on).ok_or_else(|| Refusal::new(field, says()))
        };
        let hammer = on("force", self.force)?;
        if hammer.quantity != Quantity::Force {
            let says = format!("{} measures {}; a hammer measures force", hammer.name, hammer.quantity.name());
            return refuse("force", says);
        }
        if self.roving == Roving::Response && hammer.dof().is_none() {
            return refuse("force", format!("{} has no point; say in the rig where the hammer hits", hammer.name));
        }
        for input in &self.moving {
            let c = on("moving", *input)?;
            if c.quantity.motion_order().is_none() {
                let says =
                    format!("{} measures {}; a sensor of motion goes from point to point", c.name, c.quantity.name());
                return refuse("moving", says);
            }
        }
        let all: Vec<&Channel> = self.responses(rig).collect();
        if all.is_empty() {
            return refuse("responses", "no sensor of motion is on; switch one on in the rig".into());
        }
        if let Some(c) = all.iter().find(|c| !self.moving.contains(&c.input) && c.dof().is_none()) {
            return refuse("responses", format!("{} has no point; say in the rig where it is", c.name));
        }
        let half = plan.sample_rate_hz / 2.0;
        if self.band_hz[1] > half {
            let says = format!("at {} Hz nothing above {half} Hz is measured", plan.sample_rate_hz);
            return refuse("band_hz", says);
        }
        if self.block(plan.sample_rate_hz) < 16 {
            return refuse("length_s", "a take must have 16 samples or more".into());
        }
        self.capture(rig, plan).check_with(rig)
    }

    /// Channels that answer, in the rig's order: what measures motion and is on.
    pub fn responses<'a>(&'a self, rig: &'a Rig) -> impl Iterator<Item = &'a Channel> {
        rig.active().filter(|c| c.input != self.force && c.quantity.motion_order().is_some())
    }

    /// Samples of a take.
    pub fn block(&self, sample_rate_hz: f64) -> usize {
        let samples = |s: f64| (s * sample_rate_hz).round() as usize;
        samples(self.pre_s) + samples(self.length_s - self.pre_s)
    }

    /// Where a channel hits or answers while a point has its turn.
    pub fn dof(&self, channel: &Channel, point: &PointDirection) -> Option<Dof> {
        let goes = match self.roving {
            Roving::Hammer => channel.input == self.force,
            Roving::Response => self.moving.contains(&channel.input),
        };
        match goes {
            // Sensors that go together, as the three of a block, keep their own directions.
            true if self.moving.len() > 1 => Dof::read(&point.point, &channel.direction),
            true => Dof::read(&point.point, &point.direction),
            false => channel.dof(),
        }
    }

    /// The plan that takes hits: a take a hit, until somebody stops it.
    pub fn capture(&self, rig: &Rig, plan: &Plan) -> Plan {
        let unit = rig.channel(self.force).map_or("N".to_string(), |c| c.unit.clone());
        let to_si = crate::unit::find(&unit).map_or(1.0, |u| u.to_si);
        Plan {
            length: Length::After { duration_s: self.length_s - self.pre_s },
            run_kind: "tap series".into(),
            start: Trigger {
                conditions: vec![Condition::Level {
                    input: self.force,
                    level: self.level_n / to_si,
                    hysteresis: self.level_n / to_si / 2.0,
                    unit,
                    edge: Edge::Rising,
                }],
                pre_s: self.pre_s,
                // A second hit inside a block is a double hit, not a take of its own.
                hold_off_s: self.length_s - self.pre_s,
                ..Trigger::default()
            },
            recorders: Vec::new(),
            rounds: None,
            ..plan.clone()
        }
    }
}
