//! Samples of hits: those of a moment ago are at hand, others are read.

use crate::runs::source::{calibrated, factor};
use crate::runs::takes;
use crate::{App, Error, Result};
use echo_capture::WholeTake;
use echo_job::impact::{Hit, HitSamples, HitVerdict, ImpactPlan, judge};
use echo_job::rig::Rig;
use echo_job::unit::find;
use echo_link::FULL_SCALE;
use std::collections::BTreeMap;
use std::sync::Arc;

/// A run and a take of it.
pub(super) type HitKey = (i64, u32);

/// A hit with the rig it was measured with.
#[derive(Debug)]
pub(super) struct HeldHit {
    pub rig: Arc<Rig>,
    pub rate_hz: f64,
    pub of: HitSamples,
}

impl HeldHit {
    pub fn samples(&self) -> usize {
        self.of.force.len() * (1 + self.of.responses.len())
    }

    /// Its force in N.
    pub fn force_n(&self, plan: &ImpactPlan) -> Vec<f64> {
        let unit = self.rig.channel(plan.force).map_or("N", |c| c.unit.as_str());
        let to_si = find(unit).map_or(f64::NAN, |u| u.to_si);
        self.of.force.iter().map(|x| x * to_si).collect()
    }

    /// What it was worth.
    pub fn verdict(&self, plan: &ImpactPlan) -> Result<HitVerdict> {
        let hammer = self.rig.channel(plan.force).ok_or_else(|| Error::missing("the hammer's channel"))?;
        let force = self.force_n(plan);
        let rows: Vec<_> = plan.responses(&self.rig).collect();
        let responses: Vec<(&[f64], f64)> =
            self.of.responses.iter().zip(&rows).map(|(x, c)| (x.as_slice(), c.full_scale())).collect();
        Ok(judge((&force, hammer.full_scale_si()), &responses, self.rate_hz, &plan.limits)?)
    }
}

/// A take that has just come.
pub(super) fn of_take(take: &WholeTake, rig: &Arc<Rig>, plan: &ImpactPlan) -> Result<HeldHit> {
    let column = |input: u16| -> Result<Vec<f64>> {
        let missing = || Error::missing(&format!("input {input} of this take"));
        let at = take.inputs.iter().position(|i| *i == input).ok_or_else(missing)?;
        let c = rig.channel(input).ok_or_else(missing)?;
        let each = factor(c.range_output() / f64::from(FULL_SCALE), &c.sensitivity, &c.unit);
        Ok(take.counts[at].iter().map(|x| f64::from(*x) * each).collect())
    };
    let responses = plan.responses(rig).map(|c| column(c.input)).collect::<Result<Vec<_>>>()?;
    let of = HitSamples { force: column(plan.force)?, responses };
    Ok(HeldHit { rig: rig.clone(), rate_hz: take.sample_rate_hz, of })
}

/// Takes of a run by their numbers, as far as they are stored whole.
pub(super) async fn of_run(
    app: &App,
    run: i64,
    plan: &ImpactPlan,
    wanted: impl Fn(u32) -> bool,
) -> Result<BTreeMap<u32, Arc<HeldHit>>> {
    let stored = app.store.run(run).await?;
    let all = calibrated(&app.store, run).await?;
    let rows =
        all.iter().map(|c| echo_job::rig::Channel { sensitivity: c.sensitivity.clone(), ..c.recorded.row.clone() });
    let rig = Arc::new(Rig { name: String::new(), channels: rows.collect() });
    let of_input = |input: u16| all.iter().find(|c| c.recorded.row.input == input);
    let hammer = of_input(plan.force).ok_or_else(|| Error::missing("the hammer's channel of this run"))?;
    let mut channels = vec![hammer];
    channels.extend(plan.responses(&rig).filter_map(|c| of_input(c.input)));
    let takes: Vec<_> = app
        .store
        .takes(run)
        .await?
        .into_iter()
        .filter(|t| wanted(t.number as u32) && t.samples.is_some_and(|n| t.first_sample + n <= stored.samples))
        .collect();
    let mut found = BTreeMap::new();
    takes::each(&app.desk, &stored, &channels, &takes, |take, mut samples| {
        let responses = samples.split_off(1);
        let of = HitSamples { force: samples.swap_remove(0), responses };
        let held = HeldHit { rig: rig.clone(), rate_hz: stored.sample_rate_hz, of };
        found.insert(take.number as u32, Arc::new(held));
    })
    .await?;
    Ok(found)
}

/// Hits with their samples, in their order; those whose samples are gone are left out.
pub(super) async fn of_hits<'a>(
    app: &App,
    plan: &ImpactPlan,
    hits: &[&'a Hit],
) -> Result<Vec<(&'a Hit, Arc<HeldHit>)>> {
    let mut there: BTreeMap<HitKey, Arc<HeldHit>> = BTreeMap::new();
    let mut missing: BTreeMap<i64, Vec<u32>> = BTreeMap::new();
    for h in hits {
        match app.taps.held((h.run, h.take)) {
            Some(held) => drop(there.insert((h.run, h.take), held)),
            None => missing.entry(h.run).or_default().push(h.take),
        }
    }
    for (run, takes) in missing {
        let read = of_run(app, run, plan, |n| takes.contains(&n)).await?;
        there.extend(read.into_iter().map(|(take, held)| ((run, take), held)));
    }
    Ok(hits.iter().filter_map(|h| Some((*h, there.get(&(h.run, h.take)).cloned()?))).collect())
}
