//! Responses of a point, made of its hits; what is shown of the newest one.

use super::samples::of_hits;
use crate::{App, Error, Result};
use chrono::Utc;
use echo_job::analysis::result::Trace;
use echo_job::analysis::thin::cropped;
use echo_job::analysis::words::Shown;
use echo_job::analysis::{Analysis, Provenance};
use echo_job::impact::{Hit, HitPicture, HitSamples, ImpactSession, Roving, functions, hit_picture, quality};
use echo_job::rig::Rig;
use echo_store::function::{Function, FunctionHead, HitOf};
use echo_store::tap::Series;
use serde::Serialize;
use std::sync::Arc;
use utoipa::ToSchema;

/// Makes the responses anew of points that have others than of their hits that count: the server was stopped between
/// a hit and what is made of it.
pub(super) async fn mended(app: &App, series: &Series) -> Result<()> {
    let heads = app.store.function_heads(series.campaign).await?;
    let lags = |p: &usize| {
        let made_of: Option<&Vec<HitOf>> =
            heads.iter().find(|f| f.series == Some(series.id) && f.point == *p as i32).map(|f| &f.hits);
        let counting: Vec<HitOf> = series.session.counting(*p).map(hit_of).collect();
        made_of.map_or(!counting.is_empty(), |made| *made != counting)
    };
    let lagging: Vec<usize> = (0..series.session.plan().points.len()).filter(lags).collect();
    points(app, (series, &series.session), &lagging).await
}

fn hit_of(h: &Hit) -> HitOf {
    HitOf { run: h.run, take: h.take }
}

/// Makes the responses anew of every point whose hits that count changed.
pub(super) async fn after(app: &App, (before, now): (&Series, &ImpactSession)) -> Result<()> {
    let counting =
        |s: &ImpactSession, p: usize| -> Vec<(i64, u32)> { s.counting(p).map(|h| (h.run, h.take)).collect() };
    let changed: Vec<usize> =
        (0..now.plan().points.len()).filter(|p| counting(&before.session, *p) != counting(now, *p)).collect();
    points(app, (before, now), &changed).await
}

/// Makes the responses of points anew.
pub(super) async fn points(app: &App, (series, now): (&Series, &ImpactSession), points: &[usize]) -> Result<()> {
    for point in points {
        let hits: Vec<&Hit> = now.counting(*point).collect();
        let all = match made(app, (series, now), *point, &hits).await? {
            Some((analysis, rig, used)) => of_analysis((series, now), *point, used, (&analysis, &rig)),
            None => Vec::new(),
        };
        app.store.keep_functions(series.campaign, series.id, *point as i32, &all).await?;
    }
    Ok(())
}

/// The responses of a point by the response lens; none without a hit whose samples are there.
pub(super) async fn made(
    app: &App,
    (series, now): (&Series, &ImpactSession),
    point: usize,
    hits: &[&Hit],
) -> Result<Option<(Analysis, Arc<Rig>, Vec<HitOf>)>> {
    let (used, held): (Vec<&Hit>, Vec<_>) = of_hits(app, now.plan(), hits).await?.into_iter().unzip();
    let Some(first) = held.first() else { return Ok(None) };
    let (rig, rate_hz) = (first.rig.clone(), first.rate_hz);
    let used: Vec<HitOf> = used.into_iter().map(hit_of).collect();
    let takes: Vec<String> = used.iter().map(|h| format!("{}/{}", h.run, h.take)).collect();
    let at = &now.plan().points[point];
    let provenance = Provenance {
        at: Utc::now().to_rfc3339(),
        input: format!("tap series {}, {at}, hits {}", series.number, takes.join(" ")),
        fingerprint: None,
    };
    let plan = now.plan().clone();
    let of = rig.clone();
    let made = tokio::task::spawn_blocking(move || {
        let samples: Vec<&HitSamples> = held.iter().map(|h| &h.of).collect();
        functions(&plan, &of, (point, rate_hz), &samples, provenance)
    });
    Ok(Some((made.await??, rig, used)))
}

pub(super) fn of_analysis(
    (series, now): (&Series, &ImpactSession),
    point: usize,
    hits: Vec<HitOf>,
    (a, rig): (&Analysis, &Rig),
) -> Vec<Function> {
    let plan = now.plan();
    let answering: Vec<u16> = plan.responses(rig).map(|c| c.input).collect();
    let hz = &a.axes[0].values;
    let added_decay = a.numbers.iter().find(|n| n.name == "added_decay").map_or(0.0, |n| n.value);
    let one = |t: &Trace| {
        let (response, reference, z) = (t.dof.clone()?, t.reference_dof.clone()?, t.complex()?);
        let coherence = a.traces.iter().find(|c| c.quantity == Shown::Coherence && c.channel == t.channel);
        // Where sensors go, what stands between the hammer and another one stays from point to point.
        let input = answering.get((t.channel as usize).checked_sub(2)?)?;
        let stays = plan.roving == Roving::Response && !plan.moving.contains(input);
        Some(Function {
            head: FunctionHead {
                id: 0,
                series: Some(series.id),
                point: point as i32,
                stays,
                source: String::new(),
                response,
                reference,
                unit: t.unit.clone(),
                first_hz: hz.first().copied().unwrap_or(0.0),
                step_hz: hz.get(1).map_or(0.0, |f| f - hz[0]),
                lines: hz.len() as i32,
                quality: quality((hz, t, coherence), plan.band_hz, hits.len() as u32),
                hits: hits.clone(),
                added_decay,
                taken_out: false,
                who: series.who.clone(),
                made_at: Utc::now(),
            },
            parts: z.iter().flat_map(|z| [z.re, z.im]).collect(),
            coherence: coherence.map(|c| c.real().to_vec()),
        })
    };
    a.traces.iter().filter_map(one).collect()
}

/// What is shown of a point: its newest hit, the ones before it paler, and the responses so far.
#[derive(Serialize, ToSchema)]
pub struct PointPicture {
    /// Place of the point.
    pub point: usize,
    /// Hits that count or will unless somebody objects, the newest first, three at most.
    pub hits: Vec<HitPicture>,
    /// Where answers are, and where it is hit: what can be chosen to be shown.
    pub pairs: Vec<String>,
    /// The responses so far of the pair that is shown, with their coherence: of all hits, of one less, of two less.
    pub responses: Vec<Analysis>,
}

/// How many of the newest are shown.
const SHOWN: usize = 3;
/// How much above the band is shown.
const ABOVE: f64 = 1.15;

/// What is shown of a point, with one of its pairs.
///
/// # Errors
/// There is no such series or point, or the database is away.
pub async fn picture(app: &App, id: i64, point: usize, pair: usize) -> Result<PointPicture> {
    let series = app.store.series(id).await?;
    let now = &series.session;
    if point >= now.plan().points.len() {
        return Err(Error::missing(&format!("point {} of this series", point + 1)));
    }
    // Where nothing stands yet, the newest hit is shown though it does not count.
    let standing: Vec<&Hit> = now.standing(point).collect();
    let newest = now.hits().iter().rev().find(|h| h.point == point);
    let mut shown: Vec<&Hit> = newest.into_iter().collect();
    shown.extend(standing.iter().rev().filter(|h| Some(**h) != newest).copied());
    shown.truncate(SHOWN);
    let held = of_hits(app, now.plan(), &shown).await?;
    let to_hz = now.plan().band_hz[1];
    let hits: Vec<HitPicture> = held
        .iter()
        .map(|(_, h)| hit_picture(&h.force_n(now.plan()), h.rate_hz, (2.5 * to_hz).min(h.rate_hz / 2.0)))
        .collect::<std::result::Result<_, _>>()?;
    let mut responses = Vec::new();
    let mut pairs = Vec::new();
    for less in 0..SHOWN.min(standing.len()) {
        let Some((mut a, ..)) = made(app, (&series, now), point, &standing[..standing.len() - less]).await? else {
            break;
        };
        let own: Vec<&Trace> = a.traces.iter().filter(|t| t.complex().is_some()).collect();
        let says = |t: &&Trace| match (&t.dof, &t.reference_dof) {
            (Some(to), Some(of)) => format!("{to} over {of}"),
            _ => t.name.clone(),
        };
        pairs = own.iter().map(says).collect();
        let channel = own.get(pair).or(own.first()).map(|t| t.channel);
        a.traces.retain(|t| Some(t.channel) == channel);
        responses.push(cropped(&a, 0.0, ABOVE * to_hz));
    }
    Ok(PointPicture { point, hits, pairs, responses })
}
