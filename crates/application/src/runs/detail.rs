//! Runs as they are told: channels, gaps, takes, marks, what was put right.

use super::computed::{RunMath, math_of};
use super::marks::MarkBody;
use super::source::{calibrated, length};
use crate::{Desk, Result};
use chrono::{DateTime, Utc};
use echo_job::rig::Channel;
use echo_job::sensitivity::Sensitivity;
use echo_store::correction::Correction;
use echo_store::note::Note;
use echo_store::run::{Brought, Run};
use echo_store::state::RunState;
use serde::Serialize;
use utoipa::ToSchema;

/// A run in short.
#[derive(Serialize, ToSchema)]
pub struct RunBody {
    /// Key.
    pub id: i64,
    /// The campaign it belongs to.
    pub campaign_id: i64,
    /// Number within the campaign.
    pub number: i32,
    /// What it is called.
    pub kind: String,
    /// Where it is.
    pub state: RunState,
    /// Why it ended.
    pub ended_because: Option<String>,
    /// Time of the first sample.
    pub started_at: DateTime<Utc>,
    /// Samples a second, Hz.
    pub sample_rate_hz: f64,
    /// Share of the rate without aliases.
    pub clean_share: f64,
    /// Samples a channel.
    pub samples: i64,
    /// Length, s.
    pub duration_s: f64,
    /// Front end in words.
    pub front_end: String,
    /// The recorder; empty for one that stores all.
    pub recorder: String,
    /// The first run of those that were recorded together: they start at the same sample.
    pub together: Option<i64>,
    /// Who began it.
    pub who: String,
    /// What there is to say of it.
    pub remark: String,
    /// Words it is found by.
    pub tags: Vec<String>,
    /// Bytes it takes, known when it has ended.
    pub bytes: i64,
    /// The file it was brought in from.
    pub brought: Option<Brought>,
}

impl From<Run> for RunBody {
    fn from(r: Run) -> Self {
        RunBody {
            duration_s: r.samples as f64 / r.sample_rate_hz,
            id: r.id,
            campaign_id: r.campaign_id,
            number: r.number,
            kind: r.kind,
            state: r.state,
            ended_because: r.ended_because,
            started_at: r.started_at,
            sample_rate_hz: r.sample_rate_hz,
            clean_share: r.clean_share,
            samples: r.samples,
            front_end: r.front_end,
            recorder: r.recorder,
            together: r.together,
            who: r.who,
            remark: r.remark,
            tags: r.tags,
            bytes: r.bytes,
            brought: r.brought.map(|b| b.0),
        }
    }
}

/// A sensitivity with its history.
#[derive(Serialize, ToSchema)]
pub struct CalibrationBody {
    /// The value.
    pub sensitivity: Sensitivity,
    /// Why it was set.
    pub reason: String,
    /// By whom.
    pub who: String,
    /// When.
    pub at: DateTime<Utc>,
}

/// A channel of a run.
#[derive(Serialize, ToSchema)]
pub struct RunChannelBody {
    /// Number in the run, from 1.
    pub channel: i16,
    /// The row as recorded, and as put right since.
    pub recorded: Channel,
    /// Sensitivity in force.
    pub sensitivity: Sensitivity,
    /// All sensitivities, oldest first.
    pub history: Vec<CalibrationBody>,
    /// Whether the range was exceeded somewhere.
    pub clipped: bool,
}

/// A stretch that is not there.
#[derive(Serialize, ToSchema)]
pub struct GapBody {
    /// Start, s.
    pub from_s: f64,
    /// Length, s.
    pub length_s: f64,
    /// Why.
    pub why: String,
    /// Whether it lies between takes: nobody asked for it, so nothing is missing.
    pub between_takes: bool,
}

/// A run with its channels and gaps.
#[derive(Serialize, ToSchema)]
pub struct RunDetail {
    /// The run.
    #[serde(flatten)]
    pub run: RunBody,
    /// Channels.
    pub channels: Vec<RunChannelBody>,
    /// Gaps.
    pub gaps: Vec<GapBody>,
    /// Takes of triggers, or segments.
    pub takes: Vec<TakeBody>,
    /// Marks.
    pub marks: Vec<MarkBody>,
    /// Notes on its curves.
    pub notes: Vec<Note>,
    /// Computed channels of the campaign as this run has them.
    pub math: Vec<RunMath>,
    /// What was put right beside sensitivities, oldest first.
    pub corrections: Vec<Correction>,
}

/// A capture inside a run.
#[derive(Serialize, ToSchema)]
pub struct TakeBody {
    /// Number, from 1.
    pub number: i32,
    /// Trigger, s.
    pub trigger_s: f64,
    /// First sample kept, s.
    pub from_s: f64,
    /// Length, s, as far as the run goes.
    pub length_s: f64,
    /// What brought it about.
    pub says: String,
}

/// A run with its channels and gaps.
///
/// # Errors
/// There is none of that key, or the database is away.
pub async fn one(desk: &Desk, id: i64) -> Result<RunDetail> {
    let run = desk.store.run(id).await?;
    let clipped = desk.store.clipped(id).await?;
    let history = desk.store.calibrations(id).await?;
    let gaps = desk.store.gaps(id).await?;
    let rate = run.sample_rate_hz;
    let channels = calibrated(&desk.store, id)
        .await?
        .into_iter()
        .map(|c| RunChannelBody {
            channel: c.channel,
            clipped: clipped.contains(&c.channel),
            history: history
                .iter()
                .filter(|h| h.channel == c.channel)
                .map(|h| CalibrationBody {
                    sensitivity: h.sensitivity.clone(),
                    reason: h.reason.clone(),
                    who: h.who.clone(),
                    at: h.at,
                })
                .collect(),
            recorded: c.recorded.row,
            sensitivity: c.sensitivity,
        })
        .collect();
    let gaps = gaps
        .into_iter()
        .map(|g| GapBody {
            from_s: g.first_sample as f64 / rate,
            length_s: g.samples as f64 / rate,
            between_takes: g.between_takes(),
            why: g.why,
        })
        .collect();
    let takes = desk.store.takes(id).await?.into_iter().map(|t| TakeBody {
        number: t.number,
        trigger_s: t.trigger_sample as f64 / rate,
        from_s: t.first_sample as f64 / rate,
        length_s: length(&t, &run) as f64 / rate,
        says: t.says,
    });
    let takes = takes.collect();
    let marks = desk.store.marks(id).await?.into_iter().map(|m| MarkBody {
        id: m.id,
        at_s: m.sample as f64 / rate,
        says: m.says,
        who: m.who,
        at: m.at,
    });
    let marks = marks.collect();
    let notes = desk.store.notes(id).await?;
    let corrections = desk.store.corrections(id).await?;
    let math = math_of(desk, &run).await?;
    Ok(RunDetail { run: run.into(), channels, gaps, takes, marks, notes, math, corrections })
}
