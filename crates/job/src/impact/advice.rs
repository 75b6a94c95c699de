//! What a colleague would say who looks over the shoulder.

use super::functions::Quality;
use super::plan::ImpactPlan;
use super::session::ImpactSession;
use crate::dof::Dof;
use crate::rig::{Channel, Rig};
use serde::Serialize;
use utoipa::ToSchema;

/// What a piece of advice is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum AdviceRule {
    /// The tip does not excite the whole band.
    TipTooSoft,
    /// The coherence is low at one point only.
    PointUncertain,
    /// The coherence is low at all points.
    AllUncertain,
    /// A reference that stays has its peaks elsewhere.
    StructureChanged,
    /// What should be a driving point is none.
    NoDrivingPoint,
    /// The ringing does not end in the block.
    RingsOn,
    /// A place hit from another one answers otherwise than the other way round.
    NotReciprocal,
    /// The circuit of a sensor of the series is open or shorted: nothing is heard of it.
    Unheard,
}

/// A piece of advice.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Advice {
    /// What about.
    pub rule: AdviceRule,
    /// The point, by its place in the list, where it is about one.
    pub point: Option<usize>,
    /// What a colleague would say.
    pub says: String,
    /// Decay of the exponential window that is offered, s, where one is.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub decay_s: Option<f64>,
}

impl Advice {
    fn new(rule: AdviceRule, point: Option<usize>, says: String) -> Advice {
        Advice { rule, point, says, decay_s: None }
    }
}

/// A response of the series in short.
#[derive(Debug, Clone, PartialEq)]
pub struct Kept {
    /// Place of its point in the list.
    pub point: usize,
    /// Where it answers.
    pub response: Dof,
    /// Where it is hit.
    pub reference: Dof,
    /// Whether it is between two places that stay.
    pub stays: bool,
    /// Its unit.
    pub unit: String,
    /// How good it is.
    pub quality: Quality,
}

/// Share by which the highest peaks of two responses may differ that are the same by reciprocity.
const UNLIKE: f64 = 0.15;
/// Relative shift of a peak from which the structure has changed.
const SHIFT: f64 = 0.005;
/// What may be left of the ringing at the end of a block.
const RINGS: f64 = 0.02;

fn median(mut all: Vec<f64>) -> Option<f64> {
    all.sort_by(f64::total_cmp);
    all.get(all.len() / 2).copied()
}

/// Coherence of a point: the lowest of its responses that belong to it.
fn of_point(kept: &[Kept], point: usize) -> Option<f64> {
    let own = |k: &&Kept| k.point == point && !k.stays;
    kept.iter().filter(own).filter_map(|k| k.quality.coherence).reduce(f64::min)
}

/// What there is to say to a series with these responses.
pub fn advice(session: &ImpactSession, kept: &[Kept]) -> Vec<Advice> {
    let plan = session.plan();
    let mut all = Vec::new();
    tip(session, plan, &mut all);
    coherence(plan, kept, &mut all);
    changed(session, kept, &mut all);
    driving(kept, &mut all);
    reciprocal(kept, &mut all);
    let ringing: Vec<f64> = session.hits().iter().filter(|h| h.verdict.is_good()).map(|h| h.verdict.ringing).collect();
    if plan.exponential_window.is_none()
        && let Some(left) = median(ringing).filter(|r| *r > RINGS)
    {
        // So that a hundredth of the ringing is left at the end of the block, in two digits.
        let exact = plan.length_s / (100.0 * left).ln().max(1.0);
        let digit = 10f64.powf(exact.log10().floor() - 1.0);
        let decay_s = (exact / digit).floor() * digit;
        let says = format!(
            "{:.0} % of the ringing is left at the end of the block: a longer take ends it, or an exponential window of {decay_s:.2} s",
            100.0 * left
        );
        all.push(Advice { decay_s: Some(decay_s), ..Advice::new(AdviceRule::RingsOn, None, says) });
    }
    all
}

/// What there is to say of sensors whose supply finds no sound circuit, by their inputs: the hammer's first.
pub fn unheard(plan: &ImpactPlan, rig: &Rig, circuits: &[(u16, &str)]) -> Vec<Advice> {
    let broken = |c: &Channel| circuits.iter().find(|(input, _)| *input == c.input).map(|(_, word)| *word);
    let hammer = rig.channel(plan.force).and_then(|c| {
        let word = broken(c)?;
        Some(format!("{}: its circuit is {word}, so no hit is heard; look at the hammer's plug and cable", c.name))
    });
    let others = plan.responses(rig).filter_map(|c| {
        let word = broken(c)?;
        Some(format!("{}: its circuit is {word}, so hits do not count; look at its plug and cable", c.name))
    });
    hammer.into_iter().chain(others).map(|says| Advice::new(AdviceRule::Unheard, None, says)).collect()
}

fn tip(session: &ImpactSession, plan: &ImpactPlan, all: &mut Vec<Advice>) {
    let newest: Vec<f64> =
        session.hits().iter().rev().filter(|h| h.verdict.is_good()).take(10).map(|h| h.verdict.excited_to_hz).collect();
    if let Some(to) = median(newest).filter(|to| *to < plan.band_hz[1]) {
        let says = format!(
            "the tip is too soft for this band: the hits excite up to {to:.0} Hz, and {:.0} Hz is wanted; a harder tip reaches higher",
            plan.band_hz[1]
        );
        all.push(Advice::new(AdviceRule::TipTooSoft, None, says));
    }
}

fn coherence(plan: &ImpactPlan, kept: &[Kept], all: &mut Vec<Advice>) {
    let of: Vec<(usize, f64)> = (0..plan.points.len()).filter_map(|p| of_point(kept, p).map(|c| (p, c))).collect();
    let Some(usual) = median(of.iter().map(|c| c.1).collect()) else { return };
    if of.len() > 1 && usual < plan.least_coherence {
        let says = format!(
            "the coherence is low at all points, {usual:.2} in the middle: look for noise, and whether harder hits answer otherwise than soft ones"
        );
        all.push(Advice::new(AdviceRule::AllUncertain, None, says));
        return;
    }
    for (point, c) in of.iter().filter(|c| c.1 < plan.least_coherence) {
        let at = &plan.points[*point];
        let says = format!(
            "{at}: coherence {c:.2} at this point only, {usual:.2} elsewhere: look whether the sensor sits tight there, and measure the point again"
        );
        all.push(Advice::new(AdviceRule::PointUncertain, Some(*point), says));
    }
}

fn changed(session: &ImpactSession, kept: &[Kept], all: &mut Vec<Advice>) {
    // In the order in which points were hit.
    let mut order: Vec<usize> = Vec::new();
    for h in session.hits() {
        if !order.contains(&h.point) {
            order.push(h.point);
        }
    }
    let fixed = |p: &usize| kept.iter().find(|k| k.point == *p && k.stays && k.quality.peak_hz > 0.0);
    let Some(first) = order.iter().find_map(fixed) else { return };
    for point in &order {
        let Some(k) = fixed(point).filter(|k| (&k.response, &k.reference) == (&first.response, &first.reference))
        else {
            continue;
        };
        if (k.quality.peak_hz / first.quality.peak_hz - 1.0).abs() > SHIFT {
            let says = format!(
                "the structure has changed since {}: the highest peak of {} over {} went from {:.1} to {:.1} Hz",
                session.plan().points[*point],
                k.response,
                k.reference,
                first.quality.peak_hz,
                k.quality.peak_hz
            );
            all.push(Advice::new(AdviceRule::StructureChanged, Some(*point), says));
            return;
        }
    }
}

/// Two places that were each hit and measured at the other: both responses are the same one.
fn reciprocal(kept: &[Kept], all: &mut Vec<Advice>) {
    for (i, a) in kept.iter().enumerate().filter(|(_, k)| k.response.along() != k.reference.along()) {
        let turned = |b: &&Kept| {
            b.response.along() == a.reference.along() && b.reference.along() == a.response.along() && b.unit == a.unit
        };
        let Some(b) = kept[i + 1..].iter().find(turned) else { continue };
        let (one, two) = (&a.quality, &b.quality);
        let size = one.peak.min(two.peak) / one.peak.max(two.peak);
        let shift = (one.peak_hz / two.peak_hz - 1.0).abs();
        if one.peak > 0.0 && two.peak > 0.0 && (size < 1.0 - UNLIKE || shift > SHIFT) {
            let says = format!(
                "{} over {} and {} over {} should be the same and are not: {:.3} at {:.1} Hz against {:.3} at {:.1} Hz; look at both places, their directions and the sensors' sensitivities",
                a.response, a.reference, b.response, b.reference, one.peak, one.peak_hz, two.peak, two.peak_hz
            );
            all.push(Advice::new(AdviceRule::NotReciprocal, Some(b.point), says));
            return;
        }
    }
}

fn driving(kept: &[Kept], all: &mut Vec<Advice>) {
    let wrong = kept.iter().find(|k| k.response.along() == k.reference.along() && k.quality.turns);
    if let Some(k) = wrong {
        let says = format!(
            "{} over {} should be a driving point and is none: its peaks point both ways; look where the hammer hits and which way the sensor shows",
            k.response, k.reference
        );
        all.push(Advice::new(AdviceRule::NoDrivingPoint, Some(k.point), says));
    }
}
