//! What a hit was worth.

use crate::Refusal;
use echo_signal::impact::{
    EXCITES_DOWN_TO, SECOND_HIT_APART_S, SECOND_HIT_SHARE, double_hit, excited_to, hit_spectrum, overload,
    peak_position, still_ringing,
};
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
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
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
    /// The circuit of a sensor was open or shorted.
    Unheard {
        /// Which channel, by its place: 0 is the force, then the responses.
        channel: usize,
    },
    /// The structure answered otherwise to this hit than to the good ones before it, as to one at a slant.
    Unlike {
        /// Its answer as share of the usual one.
        share: f64,
    },
}

impl Flaw {
    /// In a word that is read from three metres.
    pub fn word(&self) -> &'static str {
        match self {
            Flaw::DoubleHit { .. } => "Double hit",
            Flaw::Overload { .. } => "Over range",
            Flaw::Weak { .. } => "Too soft",
            Flaw::Strong { .. } => "Too hard",
            Flaw::Missing => "Samples missing",
            Flaw::Unheard { .. } => "Cable",
            Flaw::Unlike { .. } => "Glancing",
        }
    }

    /// In a sentence; `names` are those of the channels, the force first.
    pub fn says(&self, names: &[&str]) -> String {
        match self {
            Flaw::DoubleHit { after_s, share } => {
                format!("a second hit {:.1} ms away, {:.0} % of the first", after_s * 1e3, share * 100.0)
            }
            Flaw::Overload { channel, samples } => {
                let name = names.get(*channel).copied().unwrap_or("a channel");
                format!("{name} was over its range for {samples} samples")
            }
            Flaw::Weak { least_n } => format!("softer than {least_n} N"),
            Flaw::Strong { most_n } => format!("harder than {most_n} N"),
            Flaw::Missing => "samples of it are missing".into(),
            Flaw::Unheard { channel } => {
                let name = names.get(*channel).copied().unwrap_or("a channel");
                format!("the circuit of {name} was open or shorted")
            }
            Flaw::Unlike { share } => {
                format!(
                    "the structure answers with {:.0} % of what it does to the others: hit at a slant?",
                    share * 100.0
                )
            }
        }
    }
}

/// What a hit was.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct HitVerdict {
    /// Peak of the force, N, with its sign.
    pub peak_n: f64,
    /// When, s from the take's first sample.
    pub peak_s: f64,
    /// Up to where it excites, Hz: its spectrum is 20 dB down there.
    #[serde(default)]
    pub excited_to_hz: f64,
    /// What of the responses' ringing is left at the end of the block, the worst of them, 0 to 1.
    #[serde(default)]
    pub ringing: f64,
    /// How much the structure answers, rms of all responses over the push (the force summed over time).
    #[serde(default)]
    pub answer: f64,
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
        return Ok(HitVerdict { flaws: vec![Flaw::Missing], ..HitVerdict::default() });
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
    let spectrum = hit_spectrum(force.0, rate_hz).map_err(told)?;
    let push = force.0.iter().map(|x| x.abs()).sum::<f64>() / rate_hz;
    let squares: f64 = responses.iter().flat_map(|(x, _)| x.iter()).map(|x| x * x).sum();
    Ok(HitVerdict {
        peak_n,
        peak_s: peak as f64 / rate_hz,
        excited_to_hz: excited_to(&spectrum, rate_hz / force.0.len() as f64, EXCITES_DOWN_TO),
        ringing: responses.iter().map(|(x, _)| still_ringing(x)).fold(0.0, f64::max),
        answer: if push > 0.0 { squares.sqrt() / push } else { 0.0 },
        flaws,
    })
}

/// How far the answer to a hit may be from the usual one.
const UNLIKE: f64 = 0.12;
/// Good hits of a point from which what is usual is known.
const KNOWN_FROM: usize = 2;

impl HitVerdict {
    /// The verdict beside those of the good hits of the same point: one that the structure answers otherwise is
    /// told.
    #[must_use]
    pub fn beside(mut self, good: &[&HitVerdict]) -> HitVerdict {
        let usual = good.iter().map(|v| v.answer).sum::<f64>() / good.len().max(1) as f64;
        let share = self.answer / usual;
        if self.is_good() && good.len() >= KNOWN_FROM && share.is_finite() && (share - 1.0).abs() > UNLIKE {
            self.flaws.push(Flaw::Unlike { share });
        }
        self
    }
}
