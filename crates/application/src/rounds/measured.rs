//! What a round gives: its measures, and a picture of its waveform.

use crate::runs::source::{Calibrated, calibrated};
use crate::{App, Result};
use echo_formats::plot::spark;
use echo_job::entry::number::{plain, rounded};
use echo_job::measure::{Measure, Measuring};
use echo_signal::statistics::Moments;
use echo_store::run::Run;
use echo_store::schedule::Schedule;

/// Samples that are read at once.
const BLOCK: i64 = 1 << 20;
/// Width and height of a round's picture, px.
const PICTURE: (usize, f64) = (600, 60.0);

/// The schedule's measures of a run, and its picture: the first measured channel, or the first.
pub(super) async fn measured(app: &App, s: &Schedule, run: i64) -> Result<(Vec<Option<f64>>, String)> {
    let run = app.store.run(run).await?;
    let channels = calibrated(&app.store, run.id).await?;
    let measures = &s.rounds.measures;
    let mut values = vec![None; measures.len()];
    let gaps: i64 = app.store.gaps(run.id).await?.iter().map(|g| g.samples).sum();
    let samples = (run.samples - gaps).max(0) as usize;
    for c in &channels {
        let of = |m: &Measure| m.input == c.recorded.row.input;
        let own: Vec<(usize, Measure)> = measures.iter().cloned().enumerate().filter(|(_, m)| of(m)).collect();
        if !own.is_empty() {
            for (i, value) in told(app, &run, c, (own, samples)).await? {
                values[i] = Some(value).filter(|v| v.is_finite());
            }
        }
    }
    let first = measures.first().map(|m| m.input);
    let shown = channels.iter().find(|c| Some(c.recorded.row.input) == first).or(channels.first());
    let picture = match shown {
        Some(c) => {
            let points = app.store.overview(run.id, &[c.channel], 0, run.samples.max(1), PICTURE.0).await?;
            let points = points.first().map_or(&[][..], Vec::as_slice);
            let most = points.iter().flatten().map(|p| p.0.unsigned_abs().max(p.1.unsigned_abs())).max().unwrap_or(0);
            let most = plain(rounded(f64::from(most) * c.factor.abs(), 3));
            spark(points, PICTURE, &format!("{}, up to {most} {}", c.recorded.row.name, c.recorded.row.unit))
        }
        None => String::new(),
    };
    Ok((values, picture))
}

/// Measures of one channel, block by block, so that a long round needs no more memory than a short one.
async fn told(
    app: &App,
    run: &Run,
    c: &Calibrated,
    (own, samples): (Vec<(usize, Measure)>, usize),
) -> Result<Vec<(usize, f64)>> {
    let mut mean = 0.0;
    if own.iter().any(|(_, m)| m.needs_mean()) {
        let moments = each(app, run, c, Moments::default(), |moments, samples| drop(moments.push(samples))).await?;
        mean = moments.finish().map_or(f64::NAN, |s| s.mean);
    }
    let rate = run.sample_rate_hz;
    let new =
        |(i, m): (usize, Measure)| (i, Measuring::new(&m, samples, rate, if m.needs_mean() { mean } else { 0.0 }));
    let all: Vec<(usize, Measuring)> = own.into_iter().map(new).collect();
    let all = each(app, run, c, all, |all, samples| all.iter_mut().for_each(|(_, m)| m.push(samples))).await?;
    Ok(all.into_iter().map(|(i, m)| (i, m.value(&c.recorded.row))).collect())
}

/// Hands the samples of a channel to something, block by block and away from the threads that answer requests;
/// what was not recorded is left out.
async fn each<T: Send + 'static>(
    app: &App,
    run: &Run,
    c: &Calibrated,
    mut to: T,
    push: impl Fn(&mut T, &[f64]) + Send + Copy + 'static,
) -> Result<T> {
    let mut at = 0;
    while at < run.samples {
        let count = BLOCK.min(run.samples - at);
        let counts = app.store.counts(run.id, c.channel, at, count as usize).await?;
        let factor = c.factor;
        to = tokio::task::spawn_blocking(move || {
            let samples: Vec<f64> = counts.into_iter().flatten().map(|x| f64::from(x) * factor).collect();
            push(&mut to, &samples);
            to
        })
        .await?;
        at += count;
    }
    Ok(to)
}
