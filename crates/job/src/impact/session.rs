//! A series going on: the point that is hit now, what it has, what comes next.

use super::judge::HitVerdict;
use super::plan::{Accepting, ImpactPlan};
use crate::Refusal;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use utoipa::ToSchema;

/// What became of a hit.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
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
    /// The run.
    pub run: i64,
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
    /// Left out.
    Skipped,
}

/// What is to be heard at what just happened; each is a sound of its own.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum HitHeard {
    /// A good hit, decided or not.
    Good,
    /// A hit with a flaw, or one taken back.
    Bad,
    /// The point has all its hits; go on.
    PointDone,
    /// Every point has all its hits.
    AllDone,
}

/// What somebody does about hits and points.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "act", rename_all = "snake_case", deny_unknown_fields)]
pub enum Act {
    /// Takes the hit that waits, or the newest one that was not taken.
    Accept,
    /// Takes the newest hit back; its point is hit again.
    TakeBack,
    /// Goes to a point; what it has stays.
    GoTo {
        /// Place in the list, from 0.
        point: usize,
    },
    /// Leaves a point out and goes on.
    Skip,
    /// Begins a point anew; its hits so far count no more.
    Repeat {
        /// Place in the list, from 0.
        point: usize,
    },
    /// Says of any hit whether it counts, at any time; no other point has its turn for that.
    Decide {
        /// Which hit, from 0 in their order.
        hit: usize,
        /// Whether it counts.
        counts: bool,
    },
}

/// A series going on.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct ImpactSession {
    plan: ImpactPlan,
    at: usize,
    skipped: BTreeSet<usize>,
    hits: Vec<Hit>,
}

impl ImpactSession {
    /// At the first point.
    ///
    /// # Errors
    /// A plan that cannot be.
    pub fn new(plan: ImpactPlan) -> Result<ImpactSession, Refusal> {
        ImpactSession::resumed(plan, 0, BTreeSet::new(), Vec::new())
    }

    /// Where it was left.
    ///
    /// # Errors
    /// A plan that cannot be; hits of points that it does not have.
    pub fn resumed(plan: ImpactPlan, at: usize, skipped: BTreeSet<usize>, hits: Vec<Hit>) -> Result<Self, Refusal> {
        plan.check()?;
        let points = plan.points.len();
        if let Some(h) = hits.iter().find(|h| h.point >= points) {
            let says = format!("point {} has hits and must stay in the list of {points} points", h.point + 1);
            return Err(Refusal::new("points", says));
        }
        let skipped = skipped.into_iter().filter(|p| *p < points).collect();
        Ok(ImpactSession { at: at.min(points - 1), skipped, hits, plan })
    }

    /// The plan.
    pub fn plan(&self) -> &ImpactPlan {
        &self.plan
    }

    /// Place of the point that has its turn.
    pub fn at(&self) -> usize {
        self.at
    }

    /// Points that are left out.
    pub fn skipped(&self) -> &BTreeSet<usize> {
        &self.skipped
    }

    /// Every hit so far, in their order.
    pub fn hits(&self) -> &[Hit] {
        &self.hits
    }

    /// Hits that count for a point, in their order.
    pub fn counting(&self, point: usize) -> impl Iterator<Item = &Hit> {
        self.hits.iter().filter(move |h| h.point == point && h.state == HitState::Accepted)
    }

    /// Hits that count for a point or will unless somebody objects.
    pub fn standing(&self, point: usize) -> impl Iterator<Item = &Hit> {
        let stands = |h: &Hit| h.state == HitState::Accepted || h.state == HitState::Waiting && h.verdict.is_good();
        self.hits.iter().filter(move |h| h.point == point && stands(h))
    }

    /// How far a point is.
    pub fn state_of(&self, point: usize) -> PointState {
        match self.counting(point).count() {
            n if n >= self.plan.hits as usize => PointState::Done,
            _ if self.skipped.contains(&point) => PointState::Skipped,
            0 => PointState::Open,
            _ => PointState::Begun,
        }
    }

    /// Points that have all their hits.
    pub fn done(&self) -> usize {
        (0..self.plan.points.len()).filter(|p| self.state_of(*p) == PointState::Done).count()
    }

    /// Where the next hit belongs: the point that has its turn, or the one after it where the hit that waits makes
    /// it full and is accepted by the next one.
    pub fn upcoming(&self) -> usize {
        let full = self.plan.accept == Accepting::NextHit && self.standing(self.at).count() >= self.plan.hits as usize;
        if full && self.state_of(self.at) != PointState::Done {
            self.next_open(self.at).unwrap_or(self.at)
        } else {
            self.at
        }
    }

    /// A hit of the point that has its turn. One that waited is accepted if it was good: who hits again without a
    /// word was content with it, and is not held up; with a flaw it is rejected.
    ///
    /// # Errors
    /// A take that was told already.
    pub fn hit(&mut self, run: i64, take: u32, verdict: HitVerdict) -> Result<HitHeard, Refusal> {
        if self.hits.iter().any(|h| h.run == run && h.take == take) {
            return Err(Refusal::new("take", format!("take {take} was told already")));
        }
        if let Some(k) = self.waiting() {
            self.decide(k, self.hits[k].verdict.is_good());
        }
        let good: Vec<&HitVerdict> = self.counting(self.at).map(|h| &h.verdict).collect();
        let verdict = verdict.beside(&good);
        let good = verdict.is_good();
        self.skipped.remove(&self.at);
        self.hits.push(Hit { point: self.at, run, take, verdict, state: HitState::Waiting });
        let newest = self.hits.len() - 1;
        if self.plan.accept == Accepting::Itself {
            return Ok(self.decide(newest, good));
        }
        if !good {
            return Ok(HitHeard::Bad);
        }
        let full = self.plan.accept == Accepting::NextHit && self.standing(self.at).count() >= self.plan.hits as usize;
        Ok(match (full, self.next_open(self.at)) {
            (false, _) => HitHeard::Good,
            (true, Some(_)) => HitHeard::PointDone,
            // There is no next hit that could accept the last one.
            (true, None) => self.decide(newest, true),
        })
    }

    /// Does what somebody wants; tells what is to be heard.
    ///
    /// # Errors
    /// There is no hit to take or to take back; a point that is not in the list.
    pub fn act(&mut self, act: Act) -> Result<HitHeard, Refusal> {
        match act {
            Act::Accept => self.accept(),
            Act::TakeBack => self.take_back(),
            Act::GoTo { point } => {
                self.known(point)?;
                self.leave();
                self.at = point;
                Ok(HitHeard::PointDone)
            }
            Act::Skip => {
                self.leave();
                let point = self.at;
                if self.state_of(point) != PointState::Done {
                    self.skipped.insert(point);
                }
                match self.next_open(point) {
                    Some(next) => self.at = next,
                    None => return Ok(HitHeard::AllDone),
                }
                Ok(HitHeard::PointDone)
            }
            Act::Repeat { point } => {
                self.known(point)?;
                for h in self.hits.iter_mut().filter(|h| h.point == point) {
                    h.state = match h.state {
                        HitState::Accepted => HitState::Replaced,
                        HitState::Waiting => HitState::Rejected,
                        other => other,
                    };
                }
                self.leave();
                self.skipped.remove(&point);
                self.at = point;
                Ok(HitHeard::PointDone)
            }
            Act::Decide { hit, counts } => {
                let h = self
                    .hits
                    .get_mut(hit)
                    .ok_or_else(|| Refusal::new("hit", format!("there is no hit {}", hit + 1)))?;
                h.state = if counts { HitState::Accepted } else { HitState::Rejected };
                Ok(if counts { HitHeard::Good } else { HitHeard::Bad })
            }
        }
    }

    fn accept(&mut self) -> Result<HitHeard, Refusal> {
        let rejected = |h: &Hit| h.point == self.at && h.state == HitState::Rejected;
        let which = self.waiting().or_else(|| self.hits.iter().rposition(rejected));
        let which = which.ok_or_else(|| Refusal::new("hit", "there is no hit to accept; hit first".to_string()))?;
        Ok(self.decide(which, true))
    }

    fn take_back(&mut self) -> Result<HitHeard, Refusal> {
        let which = self.waiting().or_else(|| self.hits.iter().rposition(|h| h.state == HitState::Accepted));
        let which = which.ok_or_else(|| Refusal::new("hit", "there is no hit to take back; hit first".to_string()))?;
        self.at = self.hits[which].point;
        Ok(self.decide(which, false))
    }

    /// A hit that waits is decided before another point has its turn: who goes on was content with a good one.
    fn leave(&mut self) {
        if let Some(k) = self.waiting() {
            let at = self.at;
            self.decide(k, self.hits[k].verdict.is_good());
            self.at = at;
        }
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

    /// The next point after one that has not all its hits and is not left out.
    fn next_open(&self, after: usize) -> Option<usize> {
        let count = self.plan.points.len();
        let open = |p: &usize| !matches!(self.state_of(*p), PointState::Done | PointState::Skipped);
        (1..count).map(|k| (after + k) % count).find(open)
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
        match self.next_open(point) {
            Some(next) => {
                self.at = next;
                HitHeard::PointDone
            }
            None => HitHeard::AllDone,
        }
    }
}
