//! A test going on: the point that is hit now, what it has, what comes next.

use super::judge::{HitLimits, HitVerdict};
use super::points::{MOST_POINTS, PointDirection};
use crate::Refusal;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// What goes from point to point.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Roving {
    /// The hammer; sensors stay.
    Hammer,
    /// The sensor; the hammer hits one place.
    Response,
}

/// What is to be hit, and how often.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ImpactPlan {
    /// What goes from point to point.
    pub roving: Roving,
    /// Points in the order they are gone through.
    pub points: Vec<PointDirection>,
    /// Good hits a point needs.
    pub hits: u32,
    /// What a hit must be.
    #[serde(default)]
    pub limits: HitLimits,
    /// A good hit is accepted, a bad one rejected, without a key.
    #[serde(default)]
    pub by_itself: bool,
}

impl ImpactPlan {
    /// Checks the plan.
    ///
    /// # Errors
    /// No point or too many; a point without name or twice in the list; a number of hits that cannot be.
    pub fn check(&self) -> Result<(), Refusal> {
        if !(1..=MOST_POINTS).contains(&self.points.len()) {
            let says = format!("the list has {} points; allowed: 1 to {MOST_POINTS}", self.points.len());
            return Err(Refusal::new("points", says));
        }
        let mut seen = std::collections::HashSet::new();
        for (k, p) in self.points.iter().enumerate() {
            if p.point.trim().is_empty() {
                return Err(Refusal::new("points", format!("point {} has no name", k + 1)));
            }
            if !seen.insert((p.point.trim(), p.direction.trim())) {
                return Err(Refusal::new("points", format!("“{p}” stands in the list twice")));
            }
        }
        if !(1..=100).contains(&self.hits) {
            return Err(Refusal::new("hits", format!("hits must be 1 to 100, not {}", self.hits)));
        }
        self.limits.check()
    }
}

/// What became of a hit.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum HitState {
    /// Nobody has decided.
    Waiting,
    /// It counts.
    Accepted,
    /// It does not count.
    Rejected,
    /// It counted until its point was made anew.
    Replaced,
}

/// A hit.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Hit {
    /// Place of its point in the list.
    pub point: usize,
    /// Its take in the run, from 1.
    pub take: u32,
    /// What it was.
    pub verdict: HitVerdict,
    /// What became of it.
    pub state: HitState,
}

/// How far a point is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum PointState {
    /// Not hit yet.
    Open,
    /// Some of its hits are there.
    Begun,
    /// All its hits are there.
    Done,
}

/// What is to be heard at what just happened; each is a sound of its own.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum HitHeard {
    /// A good hit, decided or not.
    Good,
    /// A hit with a flaw.
    Bad,
    /// The point has all its hits; go on.
    PointDone,
    /// Every point has all its hits.
    AllDone,
}

/// A test going on.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct ImpactSession {
    plan: ImpactPlan,
    at: usize,
    hits: Vec<Hit>,
}

impl ImpactSession {
    /// At the first point.
    ///
    /// # Errors
    /// A plan that cannot be.
    pub fn new(plan: ImpactPlan) -> Result<ImpactSession, Refusal> {
        plan.check()?;
        Ok(ImpactSession { plan, at: 0, hits: Vec::new() })
    }

    /// The plan.
    pub fn plan(&self) -> &ImpactPlan {
        &self.plan
    }

    /// Place of the point that is hit now.
    pub fn at(&self) -> usize {
        self.at
    }

    /// Every hit so far, in their order.
    pub fn hits(&self) -> &[Hit] {
        &self.hits
    }

    /// Takes whose hits count for a point, from 1.
    pub fn takes_of(&self, point: usize) -> Vec<u32> {
        let counts = |h: &&Hit| h.point == point && h.state == HitState::Accepted;
        self.hits.iter().filter(counts).map(|h| h.take).collect()
    }

    /// How far a point is.
    pub fn state_of(&self, point: usize) -> PointState {
        match self.takes_of(point).len() {
            0 => PointState::Open,
            n if n < self.plan.hits as usize => PointState::Begun,
            _ => PointState::Done,
        }
    }

    /// Points that have all their hits.
    pub fn done(&self) -> usize {
        (0..self.plan.points.len()).filter(|p| self.state_of(*p) == PointState::Done).count()
    }

    /// A hit of the point that is hit now. One that waited is accepted if it was good: who hits again
    /// without a word was content with it, and is not held up; with a flaw it is rejected.
    ///
    /// # Errors
    /// A take that was told already.
    pub fn hit(&mut self, take: u32, verdict: HitVerdict) -> Result<HitHeard, Refusal> {
        if self.hits.iter().any(|h| h.take == take) {
            return Err(Refusal::new("take", format!("take {take} was told already")));
        }
        if let Some(k) = self.waiting() {
            self.decide(k, self.hits[k].verdict.is_good());
        }
        let good = verdict.is_good();
        self.hits.push(Hit { point: self.at, take, verdict, state: HitState::Waiting });
        if self.plan.by_itself {
            return Ok(self.decide(self.hits.len() - 1, good));
        }
        Ok(if good { HitHeard::Good } else { HitHeard::Bad })
    }

    /// Accepts the hit that waits, or takes the newest rejected one of this point after all.
    ///
    /// # Errors
    /// There is none.
    pub fn accept(&mut self) -> Result<HitHeard, Refusal> {
        let rejected = |h: &Hit| h.point == self.at && h.state == HitState::Rejected;
        let which = self.waiting().or_else(|| self.hits.iter().rposition(rejected));
        let which = which.ok_or_else(|| Refusal::new("hit", "there is no hit to accept; hit first".to_string()))?;
        Ok(self.decide(which, true))
    }

    /// Rejects the hit that waits, or takes back the newest accepted one, whose point is hit again.
    ///
    /// # Errors
    /// There is none.
    pub fn reject(&mut self) -> Result<HitHeard, Refusal> {
        let which = self.waiting().or_else(|| self.hits.iter().rposition(|h| h.state == HitState::Accepted));
        let which = which.ok_or_else(|| Refusal::new("hit", "there is no hit to reject; hit first".to_string()))?;
        self.at = self.hits[which].point;
        Ok(self.decide(which, false))
    }

    /// Goes to a point; what it has stays.
    ///
    /// # Errors
    /// A point that is not in the list.
    pub fn go_to(&mut self, point: usize) -> Result<(), Refusal> {
        self.known(point)?;
        self.at = point;
        Ok(())
    }

    /// Begins a point anew; its hits so far count no more, all others stay as they are.
    ///
    /// # Errors
    /// A point that is not in the list.
    pub fn repeat(&mut self, point: usize) -> Result<(), Refusal> {
        self.known(point)?;
        for h in self.hits.iter_mut().filter(|h| h.point == point) {
            h.state = match h.state {
                HitState::Accepted => HitState::Replaced,
                HitState::Waiting => HitState::Rejected,
                other => other,
            };
        }
        self.at = point;
        Ok(())
    }

    fn known(&self, point: usize) -> Result<(), Refusal> {
        if point < self.plan.points.len() {
            return Ok(());
        }
        let says = format!("there is no point {}; allowed: 1 to {}", point + 1, self.plan.points.len());
        Err(Refusal::new("point", says))
    }

    fn waiting(&self) -> Option<usize> {
        self.hits.iter().rposition(|h| h.state == HitState::Waiting)
    }

    /// Decides a hit; a point that has all its hits then goes on to the next one that has not.
    fn decide(&mut self, which: usize, accepted: bool) -> HitHeard {
        self.hits[which].state = if accepted { HitState::Accepted } else { HitState::Rejected };
        let point = self.hits[which].point;
        if !accepted {
            return HitHeard::Bad;
        }
        if self.state_of(point) != PointState::Done {
            return HitHeard::Good;
        }
        let count = self.plan.points.len();
        let next = (1..=count).map(|k| (point + k) % count).find(|p| self.state_of(*p) != PointState::Done);
        match next {
            Some(next) => {
                self.at = next;
                HitHeard::PointDone
            }
            None => HitHeard::AllDone,
        }
    }
}
