//! A series that is recorded: each take is judged as soon as its last sample has come.

use super::circuits::unsound;
use super::made;
use super::samples::{HeldHit, of_run, of_take};
use super::series::{SeriesBody, read};
use crate::{App, Error, Result};
use echo_capture::{CaptureState, Lent, Setup, WholeTake};
use echo_job::impact::{Flaw, Hit, HitState, HitVerdict, ImpactPlan, ImpactSession};
use echo_job::rig::Rig;
use std::sync::Arc;
use std::time::Duration;
use tokio::sync::broadcast;
use tokio::sync::broadcast::error::RecvError;

/// The series that is recorded.
#[derive(Debug, Clone)]
pub struct Going {
    /// The series.
    pub series: i64,
    /// Its campaign.
    pub campaign: i64,
    /// The run that is recorded.
    pub run: i64,
    rig: Arc<Rig>,
    plan: Arc<ImpactPlan>,
}

/// How often a hit is tried to be written while the database is away; what is not written then is found when the
/// recording has ended.
const TRIES: usize = 50;
const BETWEEN: Duration = Duration::from_millis(200);

/// Ends what is told of a series that is recorded, however its recording ends.
struct Told(App);

impl Drop for Told {
    fn drop(&mut self) {
        let mut inner = self.0.taps.inner();
        inner.going = None;
        // From the store they follow what is put right later.
        inner.held.clear();
    }
}

/// Waits for hits of a series, in a run of its own, until somebody stops it.
///
/// # Errors
/// Another campaign is measured, the series does not fit the rig, it cannot be recorded now.
pub async fn go(app: &App, id: i64, who: &str) -> Result<SeriesBody> {
    let series = app.store.series(id).await?;
    let setup = app.setup().filter(|s| s.campaign == series.campaign);
    let setup = setup.ok_or_else(|| Error::conflict("nothing of this campaign is measured now; choose it first"))?;
    let plan = series.session.plan();
    plan.check_with(&setup.rig, &setup.plan)?;
    caught_up(app, id).await?;
    let takes = app.capture.whole_takes();
    let rig = Arc::new(setup.rig.clone());
    let lent = Setup { plan: plan.capture(&setup.rig, &setup.plan), ..setup };
    let lent = app.capture.by(who).lend(lent).await?;
    let run = match &app.capture.status().borrow().capture {
        CaptureState::Armed(p) | CaptureState::Recording(p) => p.run_id,
        _ => return Err(Error::conflict("the series did not begin; try again")),
    };
    app.store.add_series_run(id, run).await?;
    let plan = Arc::new(series.session.plan().clone());
    let going = Going { series: id, campaign: series.campaign, run, rig, plan };
    app.taps.inner().going = Some(going.clone());
    tokio::spawn(follow(Told(app.clone()), going, takes, lent));
    read(app, id, None).await
}

async fn follow(told: Told, going: Going, mut takes: broadcast::Receiver<Arc<WholeTake>>, lent: Lent) {
    let app = told.0.clone();
    let mut status = app.capture.status();
    // Hits are told in their order or not at all: after one that was missed, all others are read when the recording
    // has ended.
    let mut behind = false;
    loop {
        tokio::select! {
            biased;
            take = takes.recv() => match take {
                Ok(take) if take.run == going.run && !behind => behind = !heard(&app, &going, &take).await,
                Ok(_) => {}
                Err(RecvError::Lagged(_)) => behind = true,
                Err(RecvError::Closed) => break,
            },
            () = async { drop(status.wait_for(|s| s.capture == CaptureState::Idle).await) } => break,
        }
    }
    drop(lent);
    drop(told);
    if let Err(e) = caught_up(&app, going.series).await {
        tracing::warn!("hits of series {} could not all be read: {e}", going.series);
    }
}

/// Tells a hit; whether that was done.
async fn heard(app: &App, going: &Going, take: &WholeTake) -> bool {
    for _ in 0..TRIES {
        match hit(app, going, take).await {
            Ok(()) => return true,
            Err(e) if e.passes() => tokio::time::sleep(BETWEEN).await,
            Err(e) => {
                tracing::warn!("take {} of run {}: {e}", take.number, take.run);
                return true;
            }
        }
    }
    false
}

async fn hit(app: &App, going: &Going, take: &WholeTake) -> Result<()> {
    let _turn = app.taps.turn.lock().await;
    let series = app.store.series(going.series).await?;
    let held = Arc::new(of_take(take, &going.rig, series.session.plan())?);
    let mut verdict = held.verdict(series.session.plan())?;
    let broken = unsound(app);
    let inputs = std::iter::once(going.plan.force).chain(going.plan.responses(&going.rig).map(|c| c.input));
    let silent = inputs.enumerate().filter(|(_, input)| broken.iter().any(|(b, _)| b == input));
    verdict.flaws.extend(silent.map(|(channel, _)| Flaw::Unheard { channel }));
    let key = (take.run, take.number);
    if app.taps.held(key).is_none() {
        app.taps.hold(key, held);
    }
    tell(app, series, key, verdict).await
}

/// Writes a hit into its series, and makes the responses anew that it changes.
async fn tell(app: &App, series: echo_store::tap::Series, (run, take): (i64, u32), verdict: HitVerdict) -> Result<()> {
    let mut session = series.session.clone();
    if session.hits().iter().any(|h| (h.run, h.take) == (run, take)) {
        return Ok(());
    }
    let heard = session.hit(run, take, verdict)?;
    app.store.write_series(series.id, series.version, &session).await?;
    app.taps.hear(series.id, heard);
    made::after(app, (&series, &session)).await
}

/// Takes of a series' runs that are no hits yet: the server was stopped, or the database was away.
///
/// # Errors
/// The database is away.
pub async fn caught_up(app: &App, id: i64) -> Result<()> {
    let _turn = app.taps.turn.lock().await;
    let series = app.store.series(id).await?;
    let known = |session: &ImpactSession, run: i64, n: u32| session.hits().iter().any(|h| h.run == run && h.take == n);
    for run in series.runs.clone() {
        if app.taps.going().is_some_and(|g| g.run == run) {
            continue;
        }
        lost(app, id, run).await?;
        // A run that was deleted since has nothing to tell.
        let Ok(new) = of_run(app, run, series.session.plan(), |n| !known(&series.session, run, n)).await else {
            continue;
        };
        for (take, held) in new {
            let held: &HeldHit = &held;
            let series = app.store.series(id).await?;
            let verdict = held.verdict(series.session.plan())?;
            tell(app, series, (run, take), verdict).await?;
        }
    }
    made::mended(app, &app.store.series(id).await?).await
}

/// Hits whose samples were not stored before the server was killed count no more; their point is hit again.
async fn lost(app: &App, id: i64, run: i64) -> Result<()> {
    let Ok(stored) = app.store.run(run).await else { return Ok(()) };
    let takes = app.store.takes(run).await?;
    let whole = |take: u32| {
        takes.iter().any(|t| t.number as u32 == take && t.samples.is_some_and(|n| t.first_sample + n <= stored.samples))
    };
    let series = app.store.series(id).await?;
    let mut hits = series.session.hits().to_vec();
    let mut again = None;
    let stands = |h: &&mut Hit| matches!(h.state, HitState::Accepted | HitState::Waiting);
    for h in hits.iter_mut().filter(|h| h.run == run && !whole(h.take)).filter(stands) {
        h.state = HitState::Rejected;
        h.verdict.flaws = vec![Flaw::Missing];
        again.get_or_insert(h.point);
    }
    let Some(at) = again else { return Ok(()) };
    let (plan, skipped) = (series.session.plan().clone(), series.session.skipped().clone());
    let session = ImpactSession::resumed(plan, at, skipped, hits)?;
    app.store.write_series(id, series.version, &session).await?;
    Ok(())
}

/// Makes all responses of a series anew, as after a sensitivity was put right, and takes up what was recorded while
/// the server was stopped.
///
/// # Errors
/// The database is away.
pub async fn make_anew(app: &App, id: i64) -> Result<SeriesBody> {
    caught_up(app, id).await?;
    {
        let _turn = app.taps.turn.lock().await;
        let series = app.store.series(id).await?;
        let points: Vec<usize> = (0..series.session.plan().points.len()).collect();
        made::points(app, (&series, &series.session), &points).await?;
    }
    read(app, id, None).await
}
