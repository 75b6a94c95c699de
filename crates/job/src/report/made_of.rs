//! What a report was made of, as it goes with the report, and whether its results come out the same again.
//!
//! Counts of a channel are told by the SHA-256 of its recorded samples, each four bytes, the lowest first: the bytes that
//! a campaign file holds of it. Values of a result are told by the SHA-256 of them as eight bytes each.

use crate::analysis::Analysis;
use crate::analysis::result::{Number, PeakFound, Points, Trace, holed};
use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use sha2::{Digest, Sha256};
use utoipa::ToSchema;

/// Version of the form.
pub const FORM: u32 = 1;
/// How far apart, relatively, values are that another processor makes of the same: the order of sums differs there.
const NEAR: f64 = 1e-9;
/// Differences of a result that are told at most.
const MOST_TOLD: usize = 4;

/// Everything that a report was made of.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct MadeOf {
    /// Version of this form.
    pub form: u32,
    /// Program and version.
    pub by: String,
    /// When.
    pub made_at: DateTime<Utc>,
    /// Name of the campaign.
    pub campaign: String,
    /// What was tested.
    pub specimen: String,
    /// The report as it was written.
    pub report: Value,
    /// Runs that its results are of.
    pub runs: Vec<OfRun>,
    /// Its results, in the order of their blocks.
    pub results: Vec<OfResult>,
}

/// A run that a result is of.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct OfRun {
    /// Its number in the campaign.
    pub number: i32,
    /// Kind of run.
    pub kind: String,
    /// When it began.
    pub started_at: DateTime<Utc>,
    /// Samples a channel.
    pub samples: i64,
    /// Samples a second.
    pub sample_rate_hz: f64,
    /// Its channels.
    pub channels: Vec<OfChannel>,
    /// What was put right of it: what, and from what to what by whom and why.
    pub corrections: Vec<(String, String)>,
}

/// A channel of a run.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct OfChannel {
    /// Its number in the run, from 1.
    pub channel: i16,
    /// The row of the rig.
    pub row: Value,
    /// The sensitivity in force.
    pub sensitivity: Value,
    /// One count in the channel's unit.
    #[serde(deserialize_with = "holed")]
    pub unit_per_count: f64,
    /// Its counts; none where no result was made of them.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub counts: Option<OfCounts>,
}

/// Counts of a channel.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct OfCounts {
    /// SHA-256 of the recorded counts in hex.
    pub sha256: String,
    /// Recorded stretches, as first sample and number of samples.
    pub stretches: Vec<(i64, i64)>,
}

/// A result of a report.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct OfResult {
    /// Key of the block that shows it.
    pub block: u32,
    /// What the block is called.
    pub title: String,
    /// Number of the run it was made of; none where a kept result is of none, or of many.
    pub run: Option<i32>,
    /// Name of the kept result that was shown.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub kept: Option<String>,
    /// The recipe as it was carried out.
    pub recipe: Value,
    /// Channels of the run that were read for it.
    pub channels: Vec<i16>,
    /// What came out.
    pub came_out: CameOut,
}

/// What a result is, told so briefly that it can be held against another one.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct CameOut {
    /// Axes.
    pub axes: Vec<Print>,
    /// Curves and maps.
    pub traces: Vec<Print>,
    /// Single numbers.
    pub numbers: Vec<Number>,
    /// Peaks.
    pub peaks: Vec<PeakFound>,
}

/// Many values, told by their fingerprint.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Print {
    /// What they are of.
    pub name: String,
    /// How many.
    pub values: usize,
    /// SHA-256 of them in hex.
    pub sha256: String,
    /// Root of the mean square of those that are numbers.
    #[serde(deserialize_with = "holed")]
    pub rms: f64,
}

/// Whether a result comes out as it stands in the report.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Holds {
    /// To the last bit.
    Same,
    /// But for what another processor rounds otherwise.
    Near,
    /// It does not.
    Differs,
    /// It could not be made again.
    NotMade,
}

impl Print {
    fn of<'a>(name: String, values: impl Iterator<Item = &'a f64>) -> Print {
        let (mut hash, mut n, mut there, mut squares) = (Sha256::new(), 0, 0, 0.0);
        for x in values {
            // One of the many that are no number is as good as another.
            let x = if x.is_nan() { f64::NAN } else { *x };
            hash.update(x.to_le_bytes());
            n += 1;
            if x.is_finite() {
                there += 1;
                squares += x * x;
            }
        }
        Print { name, values: n, sha256: hex::encode(hash.finalize()), rms: (squares / f64::from(there.max(1))).sqrt() }
    }

    fn of_trace(t: &Trace) -> Print {
        let mode = t.mode.map(|m| format!(", mode {m}")).unwrap_or_default();
        let name = format!("{} of {}{mode}", t.quantity, if t.name.is_empty() { "all" } else { &t.name });
        match &t.points {
            Points::Real(x) => Print::of(name, x.iter()),
            Points::Complex(z) => Print::of(name, z.iter().flat_map(|z| [&z.re, &z.im])),
        }
    }
}

/// Digests counts as they come.
#[derive(Clone, Default)]
pub struct CountsDigest {
    hash: Sha256,
    stretches: Vec<(i64, i64)>,
}

impl CountsDigest {
    /// Counts from a sample on.
    pub fn push(&mut self, first: i64, counts: &[i32]) {
        for c in counts {
            self.hash.update(c.to_le_bytes());
        }
        let n = counts.len() as i64;
        match self.stretches.last_mut() {
            Some((from, all)) if *from + *all == first => *all += n,
            _ => self.stretches.push((first, n)),
        }
    }

    /// What they are told by.
    pub fn finish(self) -> OfCounts {
        OfCounts { sha256: hex::encode(self.hash.finalize()), stretches: self.stretches }
    }
}

impl CameOut {
    /// What a result is told by.
    pub fn of(a: &Analysis) -> CameOut {
        CameOut {
            axes: a.axes.iter().map(|x| Print::of(x.name.to_string(), x.values.iter())).collect(),
            traces: a.traces.iter().map(Print::of_trace).collect(),
            numbers: a.numbers.clone(),
            peaks: a.peaks.clone(),
        }
    }

    /// Whether the same came out now, and what differs.
    pub fn against(&self, now: &CameOut) -> (Holds, Vec<String>) {
        let mut all = Differences::default();
        for (then, now) in [(&self.axes, &now.axes), (&self.traces, &now.traces)] {
            all.counted("curves and axes", then.len(), now.len());
            for (t, n) in then.iter().zip(now) {
                all.printed(t, n);
            }
        }
        all.counted("numbers", self.numbers.len(), now.numbers.len());
        for (t, n) in self.numbers.iter().zip(&now.numbers) {
            let of = match (t.mode, t.channel) {
                (Some(mode), _) => format!("{} of mode {mode}", t.name),
                (None, 0) => t.name.clone(),
                (None, channel) => format!("{} of channel {channel}", t.name),
            };
            all.valued(&of, (t.value, n.value), &t.unit);
        }
        all.counted("peaks", self.peaks.len(), now.peaks.len());
        for (t, n) in self.peaks.iter().zip(&now.peaks) {
            let of = format!("a peak of channel {}", t.channel);
            all.valued(&of, (t.frequency_hz, n.frequency_hz), "Hz");
            all.valued(&format!("{of} at {} Hz", t.frequency_hz), (t.value, n.value), "");
        }
        all.told()
    }
}

/// What differs between two results.
#[derive(Default)]
struct Differences {
    near: bool,
    says: Vec<String>,
}

impl Differences {
    fn counted(&mut self, what: &str, then: usize, now: usize) {
        if then != now {
            self.says.push(format!("{now} {what} instead of {then}"));
        }
    }

    fn printed(&mut self, then: &Print, now: &Print) {
        if (&then.name, then.values) != (&now.name, now.values) {
            self.says
                .push(format!("{} with {} values instead of {} with {}", now.name, now.values, then.name, then.values));
        } else if then.sha256 != now.sha256 {
            if apart(then.rms, now.rms) <= NEAR {
                self.near = true;
            } else {
                self.says.push(format!("{}: rms {} instead of {}", then.name, now.rms, then.rms));
            }
        }
    }

    fn valued(&mut self, of: &str, (then, now): (f64, f64), unit: &str) {
        if same(then, now) {
            return;
        }
        if apart(then, now) <= NEAR {
            self.near = true;
        } else {
            self.says.push(format!("{of}: {now} {unit} instead of {then} {unit}").replace("  ", " ").trim_end().into());
        }
    }

    fn told(mut self) -> (Holds, Vec<String>) {
        let more = self.says.len().saturating_sub(MOST_TOLD);
        self.says.truncate(MOST_TOLD);
        if more > 0 {
            self.says.push(format!("and {more} more"));
        }
        let holds = match (self.says.is_empty(), self.near) {
            (false, _) => Holds::Differs,
            (true, true) => Holds::Near,
            (true, false) => Holds::Same,
        };
        (holds, self.says)
    }
}

/// Whether two values are the same to the last bit; what is no number is the same again.
fn same(a: f64, b: f64) -> bool {
    a.to_bits() == b.to_bits() || (a.is_nan() && b.is_nan())
}

/// How far apart two values are, relatively.
fn apart(a: f64, b: f64) -> f64 {
    if a == b {
        return 0.0;
    }
    let apart = (a - b).abs() / a.abs().max(b.abs());
    if apart.is_nan() { f64::INFINITY } else { apart }
}

impl OfRun {
    /// What differs in this run now, as far as results of these channels hang on it: the samples, and what makes values
    /// of them. Nothing where it is as it was.
    pub fn against(&self, now: &OfRun, channels: &[i16]) -> Vec<String> {
        let mut says = Vec::new();
        if (self.samples, self.sample_rate_hz) != (now.samples, now.sample_rate_hz) {
            says.push(format!(
                "run {} has {} samples at {} Hz instead of {} at {} Hz",
                self.number, now.samples, now.sample_rate_hz, self.samples, self.sample_rate_hz
            ));
        }
        for then in self.channels.iter().filter(|c| channels.contains(&c.channel)) {
            let of = format!("channel {} of run {}", then.channel, self.number);
            let Some(now) = now.channels.iter().find(|c| c.channel == then.channel) else {
                says.push(format!("{of} is not there"));
                continue;
            };
            match (&then.counts, &now.counts) {
                (Some(t), Some(n)) if t.sha256 != n.sha256 => {
                    says.push(format!("the samples of {of} are others: SHA-256 {} instead of {}", short(n), short(t)));
                }
                (Some(t), Some(n)) if t.stretches != n.stretches => {
                    says.push(format!("the samples of {of} lie at other times"));
                }
                (Some(_), None) => says.push(format!("the samples of {of} cannot be read")),
                _ => {}
            }
            if !same(then.unit_per_count, now.unit_per_count) {
                says.push(format!(
                    "the sensitivity of {of} was put right since: {} {} instead of {} {}",
                    now.sensitivity["value"],
                    now.sensitivity["unit"].as_str().unwrap_or_default(),
                    then.sensitivity["value"],
                    then.sensitivity["unit"].as_str().unwrap_or_default(),
                ));
            }
        }
        says
    }
}

fn short(c: &OfCounts) -> &str {
    c.sha256.get(..12).unwrap_or(&c.sha256)
}
