//! What a hit was worth.

use crate::Refusal;
use echo_signal::impact::{SECOND_HIT_APART_S, SECOND_HIT_SHARE, double_hit, overload, peak_position};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// What a hit must be.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields, default)]
pub struct HitLimits {
    /// Least force, N.
    pub least_n: Option<f64>,
    /// Most force, N.
    pub most_n: Option<f64>,
    /// Share of the peak from which a second one is a double hit.
    pub double_share: f64,
    /// Time between two hits from which they are two, s.
    pub apart_s: f64,
    /// Share of the range from which a channel counts as overloaded.
    pub over_share: f64,
}

impl Default for HitLimits {
    fn default() -> Self {
        let (double_share, apart_s) = (SECOND_HIT_SHARE, SECOND_HIT_APART_S);
        HitLimits { least_n: None, most_n: None, double_share, apart_s, over_share: 0.98 }
    }
}

impl HitLimits {
    /// Checks every limit.
    ///
    /// # Errors
    /// The first outside what is allowed, by name.
    pub fn check(&self) -> Result<(), Refusal> {
        let no = |field: &'static str, got: f64, allowed: &str| {
            Err(Refusal::new(field, format!("{field} must be {allowed}, not {got}")))
        };
        for (field, force) in [("least_n", self.least_n), ("most_n", self.most_n)] {
            match force {
                Some(n) if !(n.is_finite() && n > 0.0) => return no(field, n, "a force above 0 N, or none"),
                _ => {}
            }
        }
        if let (Some(least), Some(most)) = (self.least_n, self.most_n)
            && most <= least
        {
            return no("most_n", most, "more than the least force");
        }
        for (field, share) in [("double_share", self.double_share), ("over_share", self.over_share)] {
            if !(share > 0.0 && share <= 1.0) {
                return no(field, share, "above 0, up to 1");
            }
        }
        if !(self.apart_s.is_finite() && (0.0..=1.0).contains(&self.apart_s)) {
            return no("apart_s", self.apart_s, "0 to 1 s");
        }
        Ok(())
    }
}

/// What is wrong with a hit.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(tag = "flaw", rename_all = "snake_case")]
pub enum Flaw {
    /// It hit twice.
    DoubleHit {
        /// Time from the first peak to the second, s.
        after_s: f64,
        /// The second peak's share of the first.
        share: f64,
    },
    /// A channel was over its range.
    Overload {
        /// Which one, by its place: 0 is the force, then the responses.
        channel: usize,
        /// Samples at the limit.
        samples: usize,
    },
    /// Too weak, N.
    Weak {
        /// The least that is allowed, N.
        least_n: f64,
    },
    /// Too strong, N.
    Strong {
        /// The most that is allowed, N.
        most_n: f64,
    },
    /// Samples are missing.
    Missing,
}

/// What a hit was.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct HitVerdict {
    /// Peak of the force, N, with its sign.
    pub peak_n: f64,
    /// When, s from the take's first sample.
    pub peak_s: f64,
    /// What is wrong, worst first; nothing for a good hit.
    pub flaws: Vec<Flaw>,
}

impl HitVerdict {
    /// Whether nothing is wrong.
    pub fn is_good(&self) -> bool {
        self.flaws.is_empty()
    }
}

/// Judges a hit by its force in N and its responses; each channel comes with its full scale in its
/// own unit. All channels have the same length.
///
/// # Errors
/// Limits that cannot be; a force of no samples; a full scale that is not above 0.
pub fn judge(
    force: (&[f64], f64),
    responses: &[(&[f64], f64)],
    rate_hz: f64,
    limits: &HitLimits,
) -> Result<HitVerdict, Refusal> {
    limits.check()?;
    if force.0.is_empty() {
        return Err(Refusal::new("force", "the take has no samples of the force".to_string()));
    }
    let channels = || std::iter::once(&force).chain(responses);
    if channels().any(|(x, _)| x.iter().any(|v| !v.is_finite())) {
        return Ok(HitVerdict { peak_n: f64::NAN, peak_s: f64::NAN, flaws: vec![Flaw::Missing] });
    }
    let told = |e: echo_signal::SignalError| Refusal::new("hit", e.to_string());
    let mut flaws = Vec::new();
    for (channel, (samples, full)) in channels().enumerate() {
        let at_limit = overload(samples, full * limits.over_share).map_err(told)?.at_limit;
        if at_limit > 0 {
            flaws.push(Flaw::Overload { channel, samples: at_limit });
        }
    }
    let peak = peak_position(force.0);
    let peak_n = force.0[peak];
    if let Some(second) = double_hit(force.0, rate_hz, limits.double_share, limits.apart_s).map_err(told)? {
        let after_s = (second.at as f64 - peak as f64).abs() / rate_hz;
        flaws.push(Flaw::DoubleHit { after_s, share: second.share });
    }
    if let Some(least_n) = limits.least_n.filter(|n| peak_n.abs() < *n) {
        flaws.push(Flaw::Weak { least_n });
    }
    if let Some(most_n) = limits.most_n.filter(|n| peak_n.abs() > *n) {
        flaws.push(Flaw::Strong { most_n });
    }
    Ok(HitVerdict { peak_n, peak_s: peak as f64 / rate_hz, flaws })
}
