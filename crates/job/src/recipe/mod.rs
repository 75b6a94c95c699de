//! A recipe: a lens with all its settings, in one JSON form for page, API and command line.
//!
//! Unknown keys and values are errors that name the key and what is allowed. Whatever is left out
//! gets its default, and the default is written into the result.

mod check;
pub mod limits;
pub mod modal;
pub mod operation;
mod renumber;
pub mod rotation;
pub mod spectral;
pub mod steps;
pub mod time;
mod window;

pub use modal::ModesRecipe;
pub use operation::{DeflectionRecipe, OperationalModesRecipe};
pub use rotation::{
    AlongName, OrbitRecipe, OrderMapRecipe, OrderTrackRecipe, SlopeName, SpeedRecipe, SweepName, Tacho, TrackMethod,
};
pub use spectral::{
    AveragingName, Blocks, CepstrumRecipe, CrossRecipe, EnvelopeOutput, EnvelopeRecipe, EstimatorName, FormName,
    OctaveAveraging, OctaveRecipe, References, ResponseRecipe, ScalingName, SpectrogramRecipe, SpectrumRecipe,
    TakeBlocks, Zoom,
};
pub use steps::{Design, Step};
pub use time::{
    ArrivalsSettings, CountsAs, DetectorName, DistributionKind, DistributionSettings, LevelSettings, PickName,
    RainflowSettings, Reduce, ResidueName, ShockRecipe, ShockSide, StatisticsSettings, WaveformSettings,
};
pub use window::WindowName;

use crate::Refusal;
use crate::math::MathChannel;
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
    /// Unit of the input, for files that name none.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub input_unit: Option<String>,
    /// Computed channels; they are numbered on from those of the input.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub math: Vec<MathChannel>,
    /// Stretch of time; everything when left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub stretch: Option<Stretch>,
    /// Takes whose samples alone are looked at, by their numbers; everything when left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub takes: Option<Vec<u32>>,
    /// What is done to the samples first, in order.
    pub prepare: Vec<Step>,
    /// Where a unit asks for integration: what is below this is left out, Hz.
    pub integrate_above_hz: f64,
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
    /// Complex cross spectrum and coherence with a reference.
    Cross(CrossRecipe),
    /// Frequency response to references, with coherence.
    Response(ResponseRecipe),
    /// Envelope of a band, or its spectrum.
    Envelope(EnvelopeRecipe),
    /// Families of evenly spaced lines as single peaks.
    Cepstrum(CepstrumRecipe),
    /// Levels in fractional-octave bands.
    Octave(OctaveRecipe),
    /// Spectra against time.
    Spectrogram(SpectrogramRecipe),
    /// Overall level in a band against time.
    Level(LevelSettings),
    /// How often the signal is where.
    Distribution(DistributionSettings),
    /// Cycles by range and mean.
    Rainflow(RainflowSettings),
    /// Shock response spectrum.
    Shock(ShockRecipe),
    /// Speed against time.
    Speed(SpeedRecipe),
    /// Amplitude against speed and order.
    OrderMap(OrderMapRecipe),
    /// Amplitude and phase of orders against speed.
    OrderTrack(OrderTrackRecipe),
    /// The way of a shaft over a mean turn.
    Orbit(OrbitRecipe),
    /// First arrival of a burst.
    Arrivals(ArrivalsSettings),
    /// Modes of a structure, from its responses.
    Modes(ModesRecipe),
    /// How points move together in operation.
    Deflection(DeflectionRecipe),
    /// Modes of a structure in operation, from samples alone.
    OperationalModes(OperationalModesRecipe),
}

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

/// Lowest frequency that is integrated unless a recipe says otherwise, Hz.
pub const INTEGRATE_ABOVE_HZ: f64 = 2.0;

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
        let says = e.into_inner().to_string().replace(", expected", "; allowed:");
        if let Some(missing) = says.strip_prefix("missing field `").and_then(|r| r.strip_suffix('`')) {
            let path = if path == "recipe" { missing.to_string() } else { format!("{path}.{missing}") };
            return Refusal::new(path.clone(), format!("{path} is missing"));
        }
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
            Refusal::new("recipe", format!("recipe is not JSON: {e}; allowed: one object with a “lens”"))
        })?;
        Recipe::from_value(value)
    }

    /// Reads a recipe from a JSON value.
    ///
    /// # Errors
    /// One sentence naming the key and what is allowed.
    pub fn from_value(value: Value) -> Result<Recipe, Refusal> {
        let Value::Object(mut map) = value else {
            return Err(Refusal::new("recipe", "recipe is not an object; allowed: one object with a “lens”"));
        };
        let mut take = |key: &str| map.remove(key).filter(|v| !v.is_null());
        let lens = take("lens")
            .ok_or_else(|| Refusal::new("lens", format!("lens is missing; allowed: {}", LENSES.join(", "))))?;
        let channels = take("channels").map(|v| read::<Vec<u32>>("channels", v)).transpose()?;
        let unit = take("unit").map(|v| read("unit", v)).transpose()?;
        let input_unit = take("input_unit").map(|v| read("input_unit", v)).transpose()?;
        let stretch = take("stretch").map(|v| read("stretch", v)).transpose()?;
        let takes = take("takes").map(|v| read("takes", v)).transpose()?;
        let math = take("math").map(|v| read("math", v)).transpose()?.unwrap_or_default();
        let prepare = take("prepare").map(|v| read("prepare", v)).transpose()?.unwrap_or_default();
        let sensitivities = take("sensitivities").map(|v| read("sensitivities", v)).transpose()?.unwrap_or_default();
        let integrate_above_hz = take("integrate_above_hz")
            .map(|v| read("integrate_above_hz", v))
            .transpose()?
            .unwrap_or(INTEGRATE_ABOVE_HZ);
        if lens == "response" {
            hits(&mut map);
        }
        let lens = Lens::read(&lens, map.clone())?;
        limits::check(lens.name(), &map)?;
        let recipe = Recipe {
            lens,
            channels,
            unit,
            input_unit,
            math,
            stretch,
            takes,
            prepare,
            integrate_above_hz,
            sensitivities,
        };
        recipe.check()?;
        Ok(recipe)
    }

    /// A recipe with defaults for a lens.
    pub fn of(lens: Lens) -> Recipe {
        Recipe {
            lens,
            channels: None,
            unit: None,
            input_unit: None,
            math: Vec::new(),
            stretch: None,
            takes: None,
            prepare: Vec::new(),
            integrate_above_hz: INTEGRATE_ABOVE_HZ,
            sensitivities: Vec::new(),
        }
    }
}

/// The lenses with how their settings are read, in one place for reading, naming and listing.
macro_rules! lenses {
    ($($name:literal => $lens:ident),* $(,)?) => {
        /// Names of all lenses.
        pub const LENSES: &[&str] = &[$($name),*];

        impl Lens {
            fn read(name: &Value, settings: Map<String, Value>) -> Result<Lens, Refusal> {
                match name.as_str() {
                    $(Some($name) => Ok(Lens::$lens(read("", Value::Object(settings))?)),)*
                    _ => Err(Refusal::new("lens", format!("lens must be {}, not {name}", LENSES.join(", ")))),
                }
            }

            /// The lens's name.
            pub fn name(&self) -> &'static str {
                match self {
                    $(Lens::$lens(_) => $name,)*
                }
            }
        }
    };
}

impl Lens {
    /// Whether what it finds are shapes of a structure.
    pub fn gives_shapes(&self) -> bool {
        matches!(self, Lens::Modes(_) | Lens::Deflection(_) | Lens::OperationalModes(_))
    }

    /// Samples of the block of each take that alone counts, where it does.
    pub fn first_block(&self) -> Option<usize> {
        let (of, block) = match self {
            Lens::Spectrum(s) => (s.of_takes, s.block),
            Lens::Cross(s) => (s.of_takes, s.block),
            Lens::Response(s) => (s.of_takes, s.block),
            _ => return None,
        };
        (of == TakeBlocks::First).then_some(block)
    }
}

lenses! {
    "waveform" => Waveform,
    "statistics" => Statistics,
    "spectrum" => Spectrum,
    "cross" => Cross,
    "response" => Response,
    "envelope" => Envelope,
    "cepstrum" => Cepstrum,
    "octave" => Octave,
    "spectrogram" => Spectrogram,
    "level" => Level,
    "distribution" => Distribution,
    "rainflow" => Rainflow,
    "shock" => Shock,
    "speed" => Speed,
    "order_map" => OrderMap,
    "order_track" => OrderTrack,
    "orbit" => Orbit,
    "arrivals" => Arrivals,
    "modes" => Modes,
    "deflection" => Deflection,
    "operational_modes" => OperationalModes,
}

impl<'de> Deserialize<'de> for Recipe {
    fn deserialize<D: serde::Deserializer<'de>>(d: D) -> Result<Self, D::Error> {
        Recipe::from_value(Value::deserialize(d)?).map_err(serde::de::Error::custom)
    }
}

/// Blocks with a hit are not weighted and do not overlap unless the recipe says so.
fn hits(map: &mut Map<String, Value>) {
    if map.contains_key("force_window") || map.contains_key("exponential_window") {
        map.entry("window").or_insert_with(|| "rectangular".into());
        map.entry("overlap").or_insert_with(|| 0.into());
    }
}
