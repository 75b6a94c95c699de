//! What is wrong with a run along its time.

use super::going::Watched;
use super::results::make;
use super::source::{Calibrated, calibrated};
use super::takes::each;
use super::turning::tacho_of;
use crate::{Desk, Result};
use echo_job::analysis::Analysis;
use echo_job::analysis::words::CautionRule;
use echo_job::recipe::Recipe;
use echo_job::unit::Quantity;
use echo_signal::impact::{SECOND_HIT_APART_S, SECOND_HIT_SHARE, double_hit};
use echo_store::Store;
use echo_store::run::Run;
use serde::Serialize;
use std::sync::Arc;
use utoipa::ToSchema;

/// Kinds of marks.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
pub enum MarkKind {
    /// The range was exceeded.
    #[serde(rename = "clipped")]
    Clipped,
    /// More than one hit in a take.
    #[serde(rename = "double hit")]
    DoubleHit,
    /// A pulse of the tachometer is missing.
    #[serde(rename = "tacho missed")]
    TachoMissed,
    /// A pulse too many.
    #[serde(rename = "tacho extra")]
    TachoExtra,
    /// A pulse early or late.
    #[serde(rename = "tacho jitter")]
    TachoJitter,
}

impl MarkKind {
    /// The kind of a caution about single pulses, and its words.
    fn of(rule: CautionRule) -> Option<(MarkKind, &'static str)> {
        match rule {
            CautionRule::TachoMissed => Some((MarkKind::TachoMissed, "a pulse is missing before")),
            CautionRule::TachoExtra => Some((MarkKind::TachoExtra, "a pulse too many")),
            CautionRule::TachoJitter => Some((MarkKind::TachoJitter, "a pulse more than 15 % early or late")),
            _ => None,
        }
    }
}

/// Something wrong at a stretch of a run.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct QualityMark {
    /// What it is.
    pub kind: MarkKind,
    /// Channel it is about.
    pub channel: i16,
    /// Start, s.
    pub from_s: f64,
    /// Length, s; 0 for a moment.
    pub length_s: f64,
    /// In words.
    pub says: String,
}

/// Marks of a run.
#[derive(Serialize, ToSchema)]
pub struct QualityBody {
    /// What is wrong, in the order of time.
    pub marks: Vec<QualityMark>,
    /// What could not be looked through, in words.
    pub unseen: Option<String>,
}

/// Most stretches of one kind that are told.
const MOST: usize = 500;
/// Runs up to here are looked through for faults of the tachometer, s.
const TACHO_UP_TO_S: f64 = 900.0;

/// Looks through a run for what is wrong with it: clipped stretches, faults of the tachometer, double hits.
///
/// # Errors
/// There is none of that key, or the database is away.
pub async fn read(desk: &Desk, id: i64) -> Result<QualityBody> {
    let run = desk.store.run(id).await?;
    let mut marks = clipped(&desk.store, &run).await?;
    marks.extend(double_hits(desk, &run).await?);
    let mut unseen = None;
    if let Some(tacho) = tacho_of(desk, &run).await?.filter(|_| run.samples > 0) {
        if run.samples as f64 / run.sample_rate_hz > TACHO_UP_TO_S {
            unseen = Some("the tachometer of a run of more than 15 minutes is not looked through by itself: bracket a stretch and add Speed".into());
        } else {
            let recipe = Recipe::from_value(serde_json::json!({ "lens": "speed", "tacho": tacho }))?;
            match make(desk, &run, recipe, &Arc::new(Watched::default())).await {
                Ok(speed) => marks.extend(tacho_faults(&speed)),
                Err(e) => unseen = Some(e.says()),
            }
        }
    }
    marks.sort_by(|a, b| a.from_s.total_cmp(&b.from_s));
    Ok(QualityBody { marks, unseen })
}

/// Stretches of a run that went over range, channel by channel.
pub(crate) async fn clipped(store: &Store, run: &Run) -> Result<Vec<QualityMark>> {
    let mut marks: Vec<QualityMark> = Vec::new();
    for (channel, first, samples) in store.clipped_stretches(run.id, 20_000).await? {
        let (from_s, length_s) = (first as f64 / run.sample_rate_hz, f64::from(samples) / run.sample_rate_hz);
        // Chunks that follow each other are one stretch.
        let room = marks.len() < MOST;
        match marks.last_mut() {
            Some(m) if m.channel == channel && (m.from_s + m.length_s - from_s).abs() < 1e-6 => m.length_s += length_s,
            _ if room => marks.push(QualityMark {
                kind: MarkKind::Clipped,
                channel,
                from_s,
                length_s,
                says: "over range".into(),
            }),
            _ => break,
        }
    }
    Ok(marks)
}

fn tacho_faults(speed: &Analysis) -> Vec<QualityMark> {
    let mut marks = Vec::new();
    for c in &speed.cautions {
        let Some((kind, says)) = MarkKind::of(c.rule) else { continue };
        marks.extend(c.places_s.iter().take(MOST).map(|at| QualityMark {
            kind,
            channel: c.channel.unwrap_or_default() as i16,
            from_s: *at,
            length_s: 0.0,
            says: says.into(),
        }));
    }
    marks
}

async fn double_hits(desk: &Desk, run: &Run) -> Result<Vec<QualityMark>> {
    let all = calibrated(&desk.store, run.id).await?;
    let hammers: Vec<&Calibrated> = all.iter().filter(|c| c.recorded.row.quantity == Quantity::Force).collect();
    if hammers.is_empty() {
        return Ok(Vec::new());
    }
    let mut takes = desk.store.takes(run.id).await?;
    takes.truncate(MOST);
    let mut marks = Vec::new();
    each(desk, run, &hammers, &takes, |t, samples| {
        for (c, force) in hammers.iter().zip(samples) {
            let force: Vec<f64> = force.into_iter().filter(|x| x.is_finite()).collect();
            if let Ok(Some(hit)) = double_hit(&force, run.sample_rate_hz, SECOND_HIT_SHARE, SECOND_HIT_APART_S) {
                marks.push(QualityMark {
                    kind: MarkKind::DoubleHit,
                    channel: c.channel,
                    from_s: (t.first_sample + hit.at as i64) as f64 / run.sample_rate_hz,
                    length_s: 0.0,
                    says: format!("take {}: a second hit of {:.0} % of the first", t.number, 100.0 * hit.share),
                });
            }
        }
    })
    .await?;
    Ok(marks)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn faults_are_marked_by_their_kind() {
        let places = |rule: CautionRule, at: &[f64]| echo_job::analysis::result::ResultCaution {
            rule,
            channel: Some(21),
            says: String::new(),
            places_s: at.to_vec(),
        };
        let mut source = echo_job::analysis::Memory::new(10.0, vec![("a".into(), "V".into(), vec![1.0; 20])]);
        let provenance = echo_job::analysis::Provenance { at: String::new(), input: String::new(), fingerprint: None };
        let recipe = Recipe::from_json(r#"{"lens": "waveform"}"#).unwrap();
        let mut speed = echo_job::analysis::analyze(&recipe, &mut source, provenance, &mut |_| true).unwrap();
        speed.cautions = vec![
            places(CautionRule::TachoMissed, &[2.5, 7.0]),
            places(CautionRule::Gap, &[1.0]),
            places(CautionRule::TachoJitter, &[3.0]),
        ];
        let marks = tacho_faults(&speed);
        let told: Vec<(MarkKind, f64, i16)> = marks.iter().map(|m| (m.kind, m.from_s, m.channel)).collect();
        assert_eq!(
            told,
            [(MarkKind::TachoMissed, 2.5, 21), (MarkKind::TachoMissed, 7.0, 21), (MarkKind::TachoJitter, 3.0, 21)]
        );
        assert!(marks[2].says.contains("early or late"));
    }
}
