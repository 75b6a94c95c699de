//! Tap series: begun, read as they stand, changed, let go; hits decided.

use super::circuits::unsound;
use super::made;
use crate::{App, Error, Result};
use chrono::{DateTime, Utc};
use echo_job::Refusal;
use echo_job::dof::Dof;
use echo_job::impact::{
    Act, Advice, AdviceRule, Flaw, Hit, HitHeard, HitState, ImpactPlan, ImpactSession, Kept, PointDirection,
    PointState, advice, point_list, unheard,
};
use echo_job::rig::Rig;
use echo_store::function::FunctionHead;
use echo_store::tap::Series;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use utoipa::ToSchema;

/// A series in short.
#[derive(Serialize, ToSchema)]
pub struct SeriesShort {
    /// Key.
    pub id: i64,
    /// Number in the campaign.
    pub number: i32,
    /// Points in its list.
    pub points: i32,
    /// Hits so far.
    pub hits: i64,
    /// Who began it.
    pub who: String,
    /// When.
    pub begun_at: DateTime<Utc>,
}

/// A series as it stands.
#[derive(Serialize, ToSchema)]
pub struct SeriesBody {
    /// Key.
    pub id: i64,
    /// Its campaign.
    pub campaign_id: i64,
    /// Number in the campaign.
    pub number: i32,
    /// Counts up with every change.
    pub version: i64,
    /// What is to be hit, how often, and what a hit must be.
    pub plan: ImpactPlan,
    /// Distance of the lines that follow, Hz.
    pub line_hz: f64,
    /// Place of the point that has its turn, from 0.
    pub at: usize,
    /// Place of the point that the next hit belongs to.
    pub upcoming: usize,
    /// Points that have all their hits.
    pub done: usize,
    /// The run that is recorded for it now.
    pub recording: Option<i64>,
    /// Runs it was recorded in.
    pub runs: Vec<i64>,
    /// Each point, in the order of the list.
    pub points: Vec<PointBody>,
    /// Hits of the point that was asked for, or of the one the newest hit was of.
    pub hits: Vec<HitBody>,
    /// The newest hit.
    pub last: Option<HitBody>,
    /// How many hits were what.
    pub tally: Vec<Tally>,
    /// What is to be heard of what happened last; its number tells whether it was heard before.
    pub heard: Option<Heard>,
    /// What a colleague would say.
    pub advice: Vec<Advice>,
    /// Why it cannot go on with this rig, where it cannot.
    pub unfit: Option<String>,
    /// Who began it.
    pub who: String,
    /// When.
    pub begun_at: DateTime<Utc>,
}

/// What is to be heard.
#[derive(Serialize, ToSchema)]
pub struct Heard {
    /// Counts up with everything that is heard.
    pub count: u64,
    /// What.
    pub heard: HitHeard,
}

/// How many hits were of a kind.
#[derive(Debug, PartialEq, Eq, Serialize, ToSchema)]
pub struct Tally {
    /// “Good”, or what was wrong.
    pub word: String,
    /// How many.
    pub count: usize,
}

/// A point of a series.
#[derive(Serialize, ToSchema)]
pub struct PointBody {
    /// The point.
    pub point: String,
    /// Its direction.
    pub direction: String,
    /// Both, as they are written.
    pub says: String,
    /// How far it is.
    pub state: PointState,
    /// Hits that count.
    pub counting: usize,
    /// Hits that count or will unless somebody objects.
    pub standing: usize,
    /// Mean coherence in the band, the lowest of its responses.
    pub coherence: Option<f64>,
    /// Whether a colleague would measure it again.
    pub doubtful: bool,
}

/// A hit.
#[derive(Serialize, ToSchema)]
pub struct HitBody {
    /// Its place among all hits, from 0.
    pub hit: usize,
    /// Place of its point.
    pub point: usize,
    /// The run.
    pub run: i64,
    /// Its take.
    pub take: u32,
    /// What became of it.
    pub state: HitState,
    /// Peak of its force, N.
    pub peak_n: f64,
    /// Up to where it excites, Hz.
    pub excited_to_hz: f64,
    /// How much the structure answered to its push.
    pub answer: f64,
    /// Whether nothing is wrong with it.
    pub good: bool,
    /// In a word.
    pub word: String,
    /// In a sentence.
    pub says: String,
}

fn hit_body(rig: &Rig, plan: &ImpactPlan, (nth, h): (usize, &Hit)) -> HitBody {
    let mut names: Vec<&str> = rig.channel(plan.force).map(|c| c.name.as_str()).into_iter().collect();
    names.extend(plan.responses(rig).map(|c| c.name.as_str()));
    let flaws: Vec<String> = h.verdict.flaws.iter().map(|f| f.says(&names)).collect();
    HitBody {
        hit: nth,
        point: h.point,
        run: h.run,
        take: h.take,
        state: h.state,
        peak_n: h.verdict.peak_n,
        excited_to_hz: h.verdict.excited_to_hz,
        answer: h.verdict.answer,
        good: h.verdict.is_good(),
        word: h.verdict.flaws.first().map_or("Good", |f| f.word()).into(),
        says: if flaws.is_empty() { "one peak".into() } else { flaws.join("; ") },
    }
}

/// A response of a series in short.
pub(super) fn kept(f: &FunctionHead) -> Kept {
    Kept {
        point: f.point.max(0) as usize,
        response: f.response.clone(),
        reference: f.reference.clone(),
        stays: f.stays,
        unit: f.unit.clone(),
        quality: f.quality.clone(),
    }
}

/// Series of a campaign, the newest first.
///
/// # Errors
/// The database is away.
pub async fn list(app: &App, campaign: i64) -> Result<Vec<SeriesShort>> {
    let all = app.store.all_series(campaign).await?.into_iter().map(|s| SeriesShort {
        id: s.id,
        number: s.number,
        points: s.points,
        hits: s.hits,
        who: s.who,
        begun_at: s.begun_at,
    });
    Ok(all.collect())
}

/// The run that is recorded for a series now.
fn recording(app: &App, id: i64) -> Option<i64> {
    app.taps.going().filter(|g| g.series == id).map(|g| g.run)
}

/// A series as it stands, with the hits of a point.
///
/// # Errors
/// There is none of that key, or the database is away.
pub async fn read(app: &App, id: i64, point: Option<usize>) -> Result<SeriesBody> {
    let series = app.store.series(id).await?;
    let Series { session, .. } = &series;
    let plan = session.plan();
    let rig = app.store.rig(series.campaign).await?.rig;
    let campaign_plan = app.store.plan(series.campaign).await?;
    let heads = app.store.function_heads(series.campaign).await?;
    let kept: Vec<Kept> = heads.iter().filter(|f| f.series == Some(id)).map(kept).collect();
    let mut advice = advice(session, &kept);
    if recording(app, id).is_some() {
        advice.splice(..0, unheard(plan, &rig, &unsound(app)));
    }
    let doubtful = |p: usize| advice.iter().any(|a| a.rule == AdviceRule::PointUncertain && a.point == Some(p));
    let body = |(p, at): (usize, &PointDirection)| PointBody {
        point: at.point.clone(),
        direction: at.direction.clone(),
        says: Dof::read(&at.point, &at.direction).map_or_else(|| at.point.clone(), |d| d.to_string()),
        state: session.state_of(p),
        counting: session.counting(p).count(),
        standing: session.standing(p).count(),
        coherence: kept
            .iter()
            .filter(|k| k.point == p && !k.stays)
            .filter_map(|k| k.quality.coherence)
            .reduce(f64::min),
        doubtful: doubtful(p),
    };
    let mut tally: BTreeMap<&str, usize> = BTreeMap::new();
    for h in session.hits() {
        *tally.entry(h.verdict.flaws.first().map_or("Good", |f| f.word())).or_default() += 1;
    }
    let newest = session.hits().last();
    let shown = point.or(newest.map(|h| h.point)).unwrap_or(session.at());
    let heard = {
        let inner = app.taps.inner();
        let own = inner.heard.filter(|(of, _)| *of == id);
        own.map(|(_, heard)| Heard { count: inner.count, heard })
    };
    Ok(SeriesBody {
        id,
        campaign_id: series.campaign,
        number: series.number,
        version: series.version,
        line_hz: campaign_plan.sample_rate_hz / plan.block(campaign_plan.sample_rate_hz).max(1) as f64,
        at: session.at(),
        upcoming: session.upcoming(),
        done: session.done(),
        recording: recording(app, id),
        runs: series.runs.clone(),
        points: plan.points.iter().enumerate().map(body).collect(),
        hits: session
            .hits()
            .iter()
            .enumerate()
            .filter(|(_, h)| h.point == shown)
            .map(|h| hit_body(&rig, plan, h))
            .collect(),
        last: newest.map(|h| hit_body(&rig, plan, (session.hits().len() - 1, h))),
        tally: tally.into_iter().map(|(word, count)| Tally { word: word.into(), count }).collect(),
        heard,
        advice,
        unfit: plan.check_with(&rig, &campaign_plan).err().map(|e| e.says),
        plan: plan.clone(),
        who: series.who,
        begun_at: series.begun_at,
    })
}

/// Begins a series.
///
/// # Errors
/// The plan does not fit the rig, or the database is away.
pub async fn begin(app: &App, campaign: i64, plan: &ImpactPlan, who: &str) -> Result<SeriesBody> {
    let rig = app.store.rig(campaign).await?.rig;
    plan.check_with(&rig, &app.store.plan(campaign).await?)?;
    let id = app.store.begin_series(campaign, plan, who).await?;
    read(app, id, None).await
}

/// Changes what is to be hit and what a hit must be. Hits stay; responses are made anew of them where that changes
/// them, and each hit is judged anew by the limits.
///
/// # Errors
/// The plan does not fit, points that were hit are missing, somebody else was first, or the database is away.
pub async fn change(app: &App, id: i64, made_on: Option<i64>, plan: ImpactPlan) -> Result<SeriesBody> {
    let _turn = app.taps.turn.lock().await;
    let series = app.store.series(id).await?;
    let rig = app.store.rig(series.campaign).await?.rig;
    plan.check_with(&rig, &app.store.plan(series.campaign).await?)?;
    let before = series.session.plan().clone();
    let moved = |h: &&Hit| plan.points.get(h.point) != before.points.get(h.point);
    if let Some(h) = series.session.hits().iter().find(moved) {
        let says = format!(
            "{} has hits; points that were hit keep their places, others are added behind them",
            before.points[h.point]
        );
        return Err(Refusal::new("points", says).into());
    }
    let recorded = |p: &ImpactPlan| (p.force, p.level_n, p.pre_s, p.length_s);
    if app.taps.going().is_some_and(|g| g.series == id) && recorded(&plan) != recorded(&before) {
        return Err(Error::conflict("hits are being recorded; stop the series before changing what a take is"));
    }
    let mut hits = series.session.hits().to_vec();
    if plan.limits != before.limits {
        let all: Vec<&Hit> = series.session.hits().iter().collect();
        let held = super::samples::of_hits(app, &plan, &all).await?;
        if held.len() == hits.len() {
            for (h, (_, held)) in hits.iter_mut().zip(held) {
                let unheard = |f: &Flaw| matches!(f, Flaw::Unheard { .. });
                let mut verdict = held.verdict(&plan)?;
                // Samples do not tell that a circuit was open.
                verdict.flaws.extend(h.verdict.flaws.iter().filter(|f| unheard(f)).cloned());
                h.verdict = verdict;
            }
        }
    }
    let makes = |p: &ImpactPlan| {
        (p.roving, p.moving.clone(), p.estimator, p.force_window, p.exponential_window, p.band_hz.map(f64::to_bits))
    };
    let anew = makes(&plan) != makes(&before);
    let session = ImpactSession::resumed(plan, series.session.at(), series.session.skipped().clone(), hits)?;
    app.store.write_series(id, made_on.unwrap_or(series.version), &session).await?;
    if anew {
        let points: Vec<usize> = (0..session.plan().points.len()).collect();
        made::points(app, (&series, &session), &points).await?;
    }
    drop(_turn);
    read(app, id, None).await
}

/// Decides a hit, or goes to another point.
///
/// # Errors
/// There is no such hit or point, or the database is away.
pub async fn act(app: &App, id: i64, act: Act) -> Result<SeriesBody> {
    {
        let _turn = app.taps.turn.lock().await;
        let series = app.store.series(id).await?;
        let mut session = series.session.clone();
        let heard = session.act(act)?;
        app.store.write_series(id, series.version, &session).await?;
        if !matches!(act, Act::Decide { .. }) {
            app.taps.hear(id, heard);
        }
        made::after(app, (&series, &session)).await?;
    }
    read(app, id, None).await
}

/// Lets a series go, with its responses; its runs stay.
///
/// # Errors
/// It is recorded now, there is none of that key, or the database is away.
pub async fn delete(app: &App, id: i64) -> Result<()> {
    if app.taps.going().is_some_and(|g| g.series == id) {
        return Err(Error::conflict("hits are being recorded; stop the series first"));
    }
    Ok(app.store.delete_series(id).await?)
}

/// A list of points that counts on by itself.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct PointList {
    /// The first point.
    pub first: PointDirection,
    /// How many.
    pub count: usize,
    /// What the number in the name goes on by.
    pub step: i64,
}

/// The points of a list that counts on.
///
/// # Errors
/// A list that cannot be.
pub fn points(list: &PointList) -> Result<Vec<PointDirection>> {
    Ok(point_list(&list.first, list.count, list.step)?)
}
