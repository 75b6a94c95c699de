//! What follows from a plan: samples, sizes, times, what becomes of a frequency.

use super::{Keeps, Length, Plan};
use crate::entry::number::{plain, rounded};
use crate::rig::Rig;
use echo_signal::resample::PASS_SHARE;
use serde::Serialize;
use utoipa::ToSchema;

/// Stored bytes a sample that sums reckon with: 24-bit noise packs to about 15 bits, plus overview.
pub const STORED_BYTES_PER_SAMPLE: f64 = 2.1;

/// What follows from a plan.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct PlanSums {
    /// Channels recorded, by whichever recorder.
    pub channels: usize,
    /// Samples a channel of one take at the full rate, what is kept from before included, where
    /// the length is known.
    pub samples: Option<u64>,
    /// Distance between spectrum lines for the plan's block, Hz.
    pub line_spacing_hz: f64,
    /// Time one block takes, s.
    pub block_s: f64,
    /// Half the sample rate, Hz.
    pub nyquist_hz: f64,
    /// Spectra are free of aliases up to here, Hz.
    pub clean_to_hz: f64,
    /// Each recorder.
    pub recorders: Vec<RecorderSums>,
    /// Stored size of all takes, bytes (an estimate: noise packs worse than silence).
    pub size_bytes: Option<f64>,
    /// Stored size of an hour of recording with all recorders, bytes.
    pub size_per_hour_bytes: f64,
    /// Time until the disk is full, s.
    pub room_s: Option<f64>,
    /// Takes that fit on the disk.
    pub takes_that_fit: Option<u64>,
    /// Memory that keeps what is before a trigger, bytes.
    pub pre_bytes: f64,
    /// Rounds from first to last, s.
    pub rounds_s: Option<f64>,
    /// Stored size of all rounds, bytes.
    pub rounds_bytes: Option<f64>,
    /// That takes may overlap, and what keeps them apart, in words; none where they cannot.
    pub overlap: Option<String>,
    /// What the plan does, in sentences.
    pub says: Vec<String>,
    /// What stands against it, in sentences.
    pub against: Vec<String>,
}

/// What follows for a recorder.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct RecorderSums {
    /// Its name.
    pub name: String,
    /// Channels it stores.
    pub channels: usize,
    /// Its rate, Hz.
    pub sample_rate_hz: f64,
    /// Free of aliases up to here, Hz.
    pub clean_to_hz: f64,
    /// Stored size of one take, bytes; none for one that keeps everything or an open length.
    pub take_bytes: Option<f64>,
    /// Stored size of an hour, bytes.
    pub per_hour_bytes: f64,
    /// What becomes of the named frequency, in words.
    pub named: Option<String>,
    /// Whether it is measured as it is; none where no frequency is named.
    pub named_clean: Option<bool>,
}

/// Where a frequency appears when sampled without a filter, Hz.
pub fn folded(hz: f64, sample_rate_hz: f64) -> f64 {
    let rest = hz.rem_euclid(sample_rate_hz);
    rest.min(sample_rate_hz - rest)
}

fn becomes(hz: f64, rate: f64, clean_to: f64) -> String {
    let hz_text = |x: f64| format!("{} Hz", plain(rounded(x, 5)));
    if hz <= clean_to {
        return format!("{} is measured as it is", hz_text(hz));
    }
    let at = hz_text(folded(hz, rate));
    if hz < rate / 2.0 {
        format!("{} lies above the clean range: it is weakened, and others fold onto it", hz_text(hz))
    } else {
        format!("{} is taken out by the filter; without one it would show at {at}", hz_text(hz))
    }
}

impl Plan {
    /// What follows, for the rig, the front end's clean share and the free space of the store.
    pub fn sums(&self, rig: &Rig, clean_share: f64, free_bytes: Option<u64>) -> PlanSums {
        let rate = self.sample_rate_hz;
        let take_s = match self.length {
            Length::After { duration_s } => Some(duration_s + self.start.pre_s),
            Length::WhenStopped => None,
        };
        let mut stored: Vec<u16> = Vec::new();
        let plans = self.recorders();
        let recorders: Vec<RecorderSums> = plans
            .iter()
            .map(|r| {
                let inputs: Vec<u16> = r.channels(rig).map(|c| c.input).collect();
                stored.extend(&inputs);
                let own = rate / f64::from(r.divide);
                let clean_to_hz = if r.divide == 1 { own * clean_share } else { own * PASS_SHARE / 2.0 };
                let per_second = own * inputs.len() as f64 * STORED_BYTES_PER_SAMPLE;
                RecorderSums {
                    name: r.name.clone(),
                    channels: inputs.len(),
                    sample_rate_hz: own,
                    clean_to_hz,
                    take_bytes: take_s.filter(|_| r.keeps == Keeps::Takes).map(|s| s * per_second),
                    per_hour_bytes: per_second * 3600.0,
                    named: self.named_hz.map(|hz| becomes(hz, own, clean_to_hz)),
                    named_clean: self.named_hz.map(|hz| hz <= clean_to_hz),
                }
            })
            .collect();
        stored.sort_unstable();
        stored.dedup();
        let per_second: f64 = recorders.iter().map(|r| r.per_hour_bytes / 3600.0).sum();
        let takes = if self.start.by_hand() { Some(1) } else { self.start.takes };
        let of_takes = plans.iter().zip(&recorders).filter(|(p, _)| p.keeps == Keeps::Takes);
        let take_bytes = of_takes.map(|(_, r)| r.take_bytes).sum::<Option<f64>>();
        let free = free_bytes.map(|b| b as f64).filter(|_| per_second > 0.0);
        let rounds_bytes = self.rounds.as_ref().map(|r| {
            let kept = r.keep_newest.unwrap_or(r.count).min(r.count);
            r.length_s * per_second * f64::from(kept)
        });
        let mut sums = PlanSums {
            channels: stored.len(),
            samples: take_s.map(|s| (s * rate).round() as u64),
            line_spacing_hz: rate / f64::from(self.block),
            block_s: f64::from(self.block) / rate,
            nyquist_hz: rate / 2.0,
            clean_to_hz: rate * clean_share,
            size_bytes: take_bytes.zip(takes).map(|(b, n)| b * f64::from(n)),
            size_per_hour_bytes: per_second * 3600.0,
            room_s: free.map(|b| b / per_second),
            takes_that_fit: free.zip(take_bytes.filter(|t| *t > 0.0)).map(|(f, t)| (f / t) as u64),
            pre_bytes: self.start.pre_s * rate * stored.len() as f64 * 4.0,
            rounds_s: self.rounds.as_ref().map(super::Rounds::total_s),
            rounds_bytes,
            recorders,
            overlap: self.overlap(),
            says: Vec::new(),
            against: Vec::new(),
        };
        sums.says = self.sentences(rig, &sums);
        sums.against = self.objections(&sums);
        sums
    }

    fn overlap(&self) -> Option<String> {
        let (start, Length::After { duration_s }) = (&self.start, self.length) else { return None };
        let take_s = duration_s + start.pre_s;
        if start.by_hand() || start.takes == Some(1) || start.hold_off_s >= take_s {
            return None;
        }
        let s = |x: f64| format!("{} s", plain(rounded(x, 6)));
        Some(format!(
            "Takes may overlap: one is {} long, and the next trigger counts {} after the last. A hold-off of {} keeps \
             them apart.",
            s(take_s),
            s(start.hold_off_s),
            s(take_s)
        ))
    }

    fn sentences(&self, rig: &Rig, sums: &PlanSums) -> Vec<String> {
        let s = |x: f64| format!("{} s", plain(rounded(x, 6)));
        let mut says = Vec::new();
        let start = &self.start;
        let ends = match self.length {
            Length::After { duration_s } => format!("for {}", s(duration_s)),
            Length::WhenStopped => "until somebody stops it".into(),
        };
        let before =
            if start.pre_s > 0.0 { format!(" and keeps the {} before", s(start.pre_s)) } else { String::new() };
        says.push(if start.by_hand() {
            format!("A take begins when Record is pressed, lasts {ends}{before}.")
        } else {
            format!("Armed, it waits until {}. A take lasts {ends}{before}.", start.says(rig))
        });
        if !start.by_hand() && matches!(self.length, Length::After { .. }) {
            let again = if start.hold_off_s > 0.0 {
                format!("the next trigger counts {} after one", s(start.hold_off_s))
            } else {
                "every trigger counts, also during a take".into()
            };
            says.push(match start.takes {
                Some(1) => "It makes one take and ends.".into(),
                Some(n) => format!("It makes {n} takes and ends; {again}."),
                None => format!("It makes takes until somebody stops it; {again}."),
            });
        }
        if let Some(r) = &self.rounds {
            let begin = r.begin_at.map_or("when started".into(), |t| t.format("on %-d %B %Y at %H:%M UTC").to_string());
            says.push(format!(
                "{} rounds of {} come every {}, the first {begin}; that takes {}.",
                r.count,
                s(r.length_s),
                s(r.every_s),
                spoken(sums.rounds_s.unwrap_or(0.0))
            ));
        }
        says
    }

    fn objections(&self, sums: &PlanSums) -> Vec<String> {
        let mut against = Vec::new();
        if sums.channels == 0 {
            against.push("No channel is on: nothing is recorded.".into());
        }
        if sums.pre_bytes > 2e9 {
            against.push(format!(
                "Keeping {} s before a trigger takes {:.1} GB of memory.",
                plain(self.start.pre_s),
                sums.pre_bytes / 1e9
            ));
        }
        if let Length::After { duration_s } = self.length
            && sums.block_s > duration_s + self.start.pre_s
        {
            against.push("A block is longer than a take: no spectrum of this resolution can be made from it.".into());
        }
        if let Some(r) = &self.rounds
            && let Some(end) = r.end_at
            && let Some(begin) = r.begin_at
            && (end - begin).num_milliseconds() as f64 / 1e3 < r.total_s()
        {
            against.push("The session ends before the last round; those after its end are left out.".into());
        }
        against
    }
}

/// A time the way it is spoken of.
fn spoken(s: f64) -> String {
    let part = |x: f64| plain(rounded(x, 3));
    match s {
        s if s < 120.0 => format!("{} s", part(s)),
        s if s < 7200.0 => format!("{} min", part(s / 60.0)),
        s if s < 172_800.0 => format!("{} h", part(s / 3600.0)),
        s => format!("{} days", part(s / 86_400.0)),
    }
}
