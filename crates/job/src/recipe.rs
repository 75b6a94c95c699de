//! A recipe: a lens with all its settings, in one JSON form for page, API and command line.
//!
//! Unknown keys and values are errors that name the key and what is allowed. Whatever is left out
//! gets its default, and the default is written into the result.

use crate::Refusal;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use serde_json::{Map, Value};
use utoipa::ToSchema;

/// A lens with its settings, and what it looks at.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Recipe {
    /// The lens and its settings.
    #[serde(flatten)]
    pub lens: Lens,
    /// Channels, counted from 1; all when left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub channels: Option<Vec<u32>>,
    /// Unit of the result; the channel's own when left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub unit: Option<String>,
    /// Stretch of time; everything when left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub stretch: Option<Stretch>,
    /// What is done to the samples first, in order.
    pub prepare: Vec<Step>,
    /// For integer WAV: share of full scale a unit, a channel.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub sensitivities: Vec<FullScaleSensitivity>,
}

/// One way of looking at data.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "lens", rename_all = "snake_case")]
pub enum Lens {
    /// Value against time.
    Waveform(WaveformSettings),
    /// Numbers, or their course over intervals.
    Statistics(StatisticsSettings),
    /// Averaged spectrum.
    Spectrum(SpectrumRecipe),
}

const LENSES: &str = "waveform, statistics, spectrum";

/// A stretch of time from the start of the data.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Stretch {
    /// Start, s.
    pub from_s: f64,
    /// End, s.
    pub to_s: f64,
}

/// Share of full scale one unit makes.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct FullScaleSensitivity {
    /// Channel, from 1.
    pub channel: u32,
    /// Share of full scale a unit.
    pub value: f64,
    /// The unit.
    pub unit: String,
}

fn order_4() -> usize {
    4
}

/// One step of preparation. Filters are Butterworth, run forward and backward unless `one_pass`.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "do", rename_all = "snake_case", deny_unknown_fields)]
pub enum Step {
    /// Takes the least-squares line off.
    Detrend {},
    /// Takes the mean off.
    Zero {},
    /// Keeps what is above the edge.
    Highpass {
        /// Edge at −3 dB, Hz.
        edge_hz: f64,
        /// Order of the filter.
        #[serde(default = "order_4")]
        order: usize,
        /// Causal, with phase.
        #[serde(default)]
        one_pass: bool,
    },
    /// Keeps what is below the edge.
    Lowpass {
        /// Edge at −3 dB, Hz.
        edge_hz: f64,
        /// Order of the filter.
        #[serde(default = "order_4")]
        order: usize,
        /// Causal, with phase.
        #[serde(default)]
        one_pass: bool,
    },
    /// Keeps what is between the edges.
    Bandpass {
        /// Edges at −3 dB, Hz.
        band_hz: [f64; 2],
        /// Order of the prototype.
        #[serde(default = "order_4")]
        order: usize,
        /// Causal, with phase.
        #[serde(default)]
        one_pass: bool,
    },
}

/// How a waveform is reduced.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Reduce {
    /// Every sample.
    #[default]
    None,
    /// Smallest and largest of each of `points` stretches.
    Minmax,
}

/// Settings of the waveform lens.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct WaveformSettings {
    /// How samples are reduced.
    pub reduce: Reduce,
    /// Points after reduction.
    pub points: usize,
}

impl Default for WaveformSettings {
    fn default() -> Self {
        WaveformSettings { reduce: Reduce::None, points: 2000 }
    }
}

/// Settings of the statistics lens.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct StatisticsSettings {
    /// Length of an interval, s; the whole stretch when left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub interval_s: Option<f64>,
}

/// A weighting function by name.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum WindowName {
    #[default]
    Hann,
    Hamming,
    Rectangular,
    FlatTop,
    BlackmanHarris,
    Kaiser,
    Tukey,
}

/// How blocks are averaged.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum AveragingName {
    #[default]
    Linear,
    Exponential,
    PeakHold,
}

/// What the values mean.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum ScalingName {
    #[default]
    Peak,
    Rms,
    Power,
    Psd,
    Esd,
}

/// A narrow band.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Zoom {
    /// Middle, Hz.
    pub center_hz: f64,
    /// Width, Hz.
    pub span_hz: f64,
}

/// Settings of the spectrum lens.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct SpectrumRecipe {
    /// Samples in a block.
    pub block: usize,
    /// Weighting.
    pub window: WindowName,
    /// β of a Kaiser window, tapered share of a Tukey window; unused by the others.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub window_shape: Option<f64>,
    /// Share of a block the next one repeats.
    pub overlap: f64,
    /// How blocks are averaged.
    pub averaging: AveragingName,
    /// Time constant of exponential averaging, averages.
    pub averaging_constant: f64,
    /// What the values mean.
    pub scaling: ScalingName,
    /// Where the unit asks for integration: lines below this are left out, Hz.
    pub integrate_above_hz: f64,
    /// A narrow band with closer lines.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub zoom: Option<Zoom>,
}

impl Default for SpectrumRecipe {
    fn default() -> Self {
        SpectrumRecipe {
            block: 4096,
            window: WindowName::Hann,
            window_shape: None,
            overlap: 0.5,
            averaging: AveragingName::Linear,
            averaging_constant: 8.0,
            scaling: ScalingName::Peak,
            integrate_above_hz: 2.0,
            zoom: None,
        }
    }
}

/// Reads one value and names it when it does not fit.
fn read<T: DeserializeOwned>(key: &str, value: Value) -> Result<T, Refusal> {
    serde_path_to_error::deserialize(value).map_err(|e| {
        let inner = e.path().to_string();
        let path = match (key.is_empty(), inner.as_str()) {
            (true, ".") => "recipe".to_string(),
            (false, ".") => key.to_string(),
            (true, _) => inner,
            (false, _) if inner.starts_with('[') => format!("{key}{inner}"),
            (false, _) => format!("{key}.{inner}"),
        };
        let says = e.into_inner().to_string().replace(", expected", "; allowed is");
        Refusal::new(path.clone(), format!("{path}: {says}"))
    })
}

impl Recipe {
    /// Reads a recipe from JSON text.
    ///
    /// # Errors
    /// One sentence naming the key and what is allowed.
    pub fn from_json(text: &str) -> Result<Recipe, Refusal> {
        let value: Value = serde_json::from_str(text).map_err(|e| {
            Refusal::new("recipe", format!("recipe is not JSON: {e}; allowed is one object with a “lens”"))
        })?;
        Recipe::from_value(value)
    }

    /// Reads a recipe from a JSON value.
    ///
    /// # Errors
    /// One sentence naming the key and what is allowed.
    pub fn from_value(value: Value) -> Result<Recipe, Refusal> {
        let Value::Object(mut map) = value else {
            return Err(Refusal::new("recipe", "recipe is not an object; allowed is one object with a “lens”"));
        };
        let mut take = |key: &str| map.remove(key).filter(|v| !v.is_null());
        let lens =
            take("lens").ok_or_else(|| Refusal::new("lens", format!("lens is missing; allowed are {LENSES}")))?;
        let channels = take("channels").map(|v| read::<Vec<u32>>("channels", v)).transpose()?;
        let unit = take("unit").map(|v| read("unit", v)).transpose()?;
        let stretch = take("stretch").map(|v| read("stretch", v)).transpose()?;
        let prepare = take("prepare").map(|v| read("prepare", v)).transpose()?.unwrap_or_default();
        let sensitivities = take("sensitivities").map(|v| read("sensitivities", v)).transpose()?.unwrap_or_default();
        let lens = Lens::read(&lens, map)?;
        let recipe = Recipe { lens, channels, unit, stretch, prepare, sensitivities };
        recipe.check()?;
        Ok(recipe)
    }

    /// A recipe with defaults for a lens.
    pub fn of(lens: Lens) -> Recipe {
        Recipe { lens, channels: None, unit: None, stretch: None, prepare: Vec::new(), sensitivities: Vec::new() }
    }

    fn check(&self) -> Result<(), Refusal> {
        if let Some(c) = &self.channels {
            if c.is_empty() || c.contains(&0) {
                return Err(Refusal::new("channels", "channels: allowed are one or more numbers from 1"));
            }
            let mut seen = c.clone();
            seen.sort_unstable();
            if seen.windows(2).any(|w| w[0] == w[1]) {
                return Err(Refusal::new("channels", "channels: a channel is named twice; allowed is each once"));
            }
        }
        if let Some(s) = self.stretch
            && !(s.from_s >= 0.0 && s.to_s > s.from_s && s.to_s.is_finite())
        {
            return Err(Refusal::new(
                "stretch",
                format!("stretch is {} to {} s; allowed is 0 or more, and an end after the start", s.from_s, s.to_s),
            ));
        }
        for s in &self.sensitivities {
            if !(s.value.is_finite() && s.value > 0.0) {
                return Err(Refusal::new(
                    "sensitivities",
                    format!("sensitivities: {} for channel {}; allowed is a number above 0", s.value, s.channel),
                ));
            }
        }
        match &self.lens {
            Lens::Waveform(w) if w.points == 0 || w.points > 1_000_000 => {
                Err(Refusal::new("points", format!("points is {}; allowed are 1 to 1000000", w.points)))
            }
            Lens::Statistics(StatisticsSettings { interval_s: Some(i) }) if !(i.is_finite() && *i > 0.0) => {
                Err(Refusal::new("interval_s", format!("interval_s is {i}; allowed is above 0")))
            }
            Lens::Spectrum(s) if !(s.integrate_above_hz.is_finite() && s.integrate_above_hz >= 0.0) => {
                Err(Refusal::new(
                    "integrate_above_hz",
                    format!("integrate_above_hz is {}; allowed is 0 or more", s.integrate_above_hz),
                ))
            }
            _ => Ok(()),
        }
    }
}

impl Lens {
    fn read(name: &Value, settings: Map<String, Value>) -> Result<Lens, Refusal> {
        let settings = Value::Object(settings);
        match name.as_str() {
            Some("waveform") => Ok(Lens::Waveform(read("", settings)?)),
            Some("statistics") => Ok(Lens::Statistics(read("", settings)?)),
            Some("spectrum") => Ok(Lens::Spectrum(read("", settings)?)),
            _ => Err(Refusal::new("lens", format!("lens is {name}; allowed are {LENSES}"))),
        }
    }

    /// The lens's name.
    pub fn name(&self) -> &'static str {
        match self {
            Lens::Waveform(_) => "waveform",
            Lens::Statistics(_) => "statistics",
            Lens::Spectrum(_) => "spectrum",
        }
    }
}

impl<'de> Deserialize<'de> for Recipe {
    fn deserialize<D: serde::Deserializer<'de>>(d: D) -> Result<Self, D::Error> {
        Recipe::from_value(Value::deserialize(d)?).map_err(serde::de::Error::custom)
    }
}
