//! A stretch of a run in points, and the peaks of its takes.

use super::source::{calibrated, one_of};
use super::takes::each;
use crate::{Desk, Result};
use echo_job::Refusal;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};

/// Which channel.
#[derive(Deserialize, IntoParams)]
pub struct OneChannel {
    /// Channel of the run, from 1.
    pub channel: i16,
}

/// The largest magnitude of a take.
#[derive(Serialize, ToSchema)]
pub struct TakePeak {
    /// Number of the take.
    pub number: i32,
    /// Value, in the channel's unit, with its sign.
    pub value: f64,
    /// Where, s from the run's start.
    pub at_s: f64,
}

/// Most takes whose peaks are told.
const MOST_TAKES: usize = 500;

/// The largest magnitude of each take, the first 500 of them.
///
/// # Errors
/// There is none of that key, or the database is away.
pub async fn take_peaks(desk: &Desk, id: i64, q: OneChannel) -> Result<Vec<TakePeak>> {
    let run = desk.store.run(id).await?;
    let all = calibrated(&desk.store, id).await?;
    let channel = one_of(&all, q.channel)?;
    let mut peaks = Vec::new();
    let mut takes = desk.store.takes(id).await?;
    takes.truncate(MOST_TAKES);
    each(desk, &run, &[channel], &takes, |t, samples| {
        let known = samples[0].iter().enumerate().filter(|(_, x)| x.is_finite());
        if let Some((i, value)) = known.max_by(|a, b| a.1.abs().total_cmp(&b.1.abs())) {
            let at_s = (t.first_sample + i as i64) as f64 / run.sample_rate_hz;
            peaks.push(TakePeak { number: t.number, value: *value, at_s });
        }
    })
    .await?;
    Ok(peaks)
}

/// A stretch in points.
#[derive(Deserialize, IntoParams)]
pub struct OverviewQuery {
    /// Channels, separated by commas.
    pub channels: String,
    /// Start, s; 0 when left out.
    pub from_s: Option<f64>,
    /// End, s; the end when left out.
    pub to_s: Option<f64>,
    /// Points, 1 to 10000.
    pub points: Option<usize>,
}

/// Smallest and largest of equal stretches as 32-bit floats, little-endian: for each channel all
/// smallest, then all largest values in its unit; NaN where nothing was recorded.
///
/// # Errors
/// What is asked is not allowed, or the database is away.
pub async fn overview(desk: &Desk, id: i64, q: OverviewQuery) -> Result<Vec<u8>> {
    let run = desk.store.run(id).await?;
    let channels: Vec<i16> =
        q.channels.split(',').map(|c| c.trim().parse()).collect::<std::result::Result<_, _>>().map_err(|_| {
            Refusal::new("channels", format!("channels must be numbers with commas between, not “{}”", q.channels))
        })?;
    let points = q.points.unwrap_or(1000);
    if !(1..=10_000).contains(&points) {
        return Err(Refusal::new("points", format!("points must be 1 to 10000, not {points}")).into());
    }
    let sample = |s: f64| (s * run.sample_rate_hz).round() as i64;
    let from = sample(q.from_s.unwrap_or(0.0)).max(0);
    let to = q.to_s.map_or(run.samples, sample).min(run.samples);
    let rows = desk.store.overview(id, &channels, from, to, points).await?;
    let factors = calibrated(&desk.store, id).await?;
    let mut bytes = Vec::with_capacity(rows.len() * points * 8);
    for (channel, row) in channels.iter().zip(&rows) {
        let f = factors.iter().find(|c| c.channel == *channel).map_or(f64::NAN, |c| c.factor);
        let value = |x: Option<i32>| x.map_or(f32::NAN, |x| (f64::from(x) * f) as f32).to_le_bytes();
        bytes.extend(row.iter().flat_map(|p| value(p.map(|p| p.0))));
        bytes.extend(row.iter().flat_map(|p| value(p.map(|p| p.1))));
    }
    Ok(bytes)
}
