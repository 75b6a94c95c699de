//! Lenses made of block spectra.

use super::rotation::{AlongName, SweepName, Tacho};
use super::window::WindowName;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

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
    PeakToPeak,
    Rms,
    Power,
    Psd,
    Esd,
}

impl ScalingName {
    /// Whether values are squares of amplitudes.
    pub fn squared(self) -> bool {
        matches!(self, ScalingName::Power | ScalingName::Psd | ScalingName::Esd)
    }
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

/// How blocks are cut, weighted and averaged.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Blocks {
    /// Samples in a block.
    pub block: usize,
    /// Weighting.
    pub window: WindowName,
    /// β of a Kaiser window, tapered share of a Tukey window.
    pub window_shape: Option<f64>,
    /// Share of a block the next one repeats.
    pub overlap: f64,
    /// How blocks are averaged.
    pub averaging: AveragingName,
    /// Time constant of exponential averaging, averages.
    pub averaging_constant: f64,
    /// Probability with which true powers lie in the interval that is told.
    pub confidence: f64,
}

/// Settings of a lens that is made of blocks, with more of its own.
macro_rules! block_lens {
    ($(#[$doc:meta])* $name:ident { $($(#[$more:meta])* $field:ident: $kind:ty = $default:expr,)* }) => {
        $(#[$doc])*
        #[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
        #[serde(default, deny_unknown_fields)]
        pub struct $name {
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
            /// Probability with which the true power lies in the interval that is told, 0.5 to 0.999.
            pub confidence: f64,
            $($(#[$more])* pub $field: $kind,)*
        }

        impl Default for $name {
            fn default() -> Self {
                $name {
                    block: 4096,
                    window: WindowName::Hann,
                    window_shape: None,
                    overlap: 0.5,
                    averaging: AveragingName::Linear,
                    averaging_constant: 8.0,
                    confidence: 0.95,
                    $($field: $default,)*
                }
            }
        }

        impl $name {
            /// How blocks are cut, weighted and averaged.
            pub fn blocks(&self) -> Blocks {
                Blocks {
                    block: self.block,
                    window: self.window,
                    window_shape: self.window_shape,
                    overlap: self.overlap,
                    averaging: self.averaging,
                    averaging_constant: self.averaging_constant,
                    confidence: self.confidence,
                }
            }
        }
    };
}

/// Which blocks of each take count; a take is what lies between two gaps.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum TakeBlocks {
    /// All that fit.
    #[default]
    Every,
    /// The one that begins with it: averaging over triggers.
    First,
}

block_lens! {
    /// Settings of the spectrum lens.
    SpectrumRecipe {
        /// What the values mean.
        scaling: ScalingName = ScalingName::Peak,
        /// Which blocks of each take count.
        of_takes: TakeBlocks = TakeBlocks::Every,
        /// A narrow band with closer lines.
        #[serde(skip_serializing_if = "Option::is_none")]
        zoom: Option<Zoom> = None,
    }
}

block_lens! {
    /// Settings of the spectrogram lens.
    SpectrogramRecipe {
        /// What the values mean.
        scaling: ScalingName = ScalingName::Peak,
        /// Time from column to column, s; one block a column where left out.
        #[serde(skip_serializing_if = "Option::is_none")]
        interval_s: Option<f64> = None,
        /// What it runs along.
        along: AlongName = AlongName::Time,
        /// The speed sensor, where it runs along speed.
        #[serde(skip_serializing_if = "Option::is_none")]
        tacho: Option<Tacho> = None,
        /// Distance of the speeds, rpm.
        step_rpm: f64 = 25.0,
        /// Which way the speed is followed.
        sweep: SweepName = SweepName::Automatic,
    }
}

block_lens! {
    /// Settings of the cepstrum lens.
    CepstrumRecipe {
        /// Quefrencies below this are left out, s: there the shape of the spectrum as a whole stands
        /// high above its families.
        from_s: f64 = 0.001,
    }
}

/// What an envelope is shown as.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum EnvelopeOutput {
    /// Spectrum of the envelope without its mean.
    #[default]
    Spectrum,
    /// The envelope itself.
    Waveform,
}

block_lens! {
    /// Settings of the envelope lens.
    EnvelopeRecipe {
        /// Band whose envelope is taken, Hz. It has to be given.
        #[serde(skip_serializing_if = "Option::is_none")]
        band_hz: Option<[f64; 2]> = None,
        /// Order of the band-pass, a Butterworth run forward and backward.
        order: usize = 3,
        /// What is shown.
        output: EnvelopeOutput = EnvelopeOutput::Spectrum,
        /// What the values of the spectrum mean.
        scaling: ScalingName = ScalingName::Peak,
    }
}

/// One channel or several.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(untagged)]
pub enum References {
    /// One channel, from 1.
    One(u32),
    /// Several channels, from 1.
    Several(Vec<u32>),
}

impl References {
    /// The channels.
    pub fn channels(&self) -> Vec<u32> {
        match self {
            References::One(c) => vec![*c],
            References::Several(all) => all.clone(),
        }
    }
}

block_lens! {
    /// Settings of the cross spectrum lens.
    CrossRecipe {
        /// Channel the others are compared with, from 1.
        reference: References = References::One(1),
        /// Which blocks of each take count.
        of_takes: TakeBlocks = TakeBlocks::Every,
    }
}

/// Which signal is taken to carry the noise.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum EstimatorName {
    /// The response.
    #[default]
    H1,
    /// The reference.
    H2,
    /// Both, in the proportion of their levels.
    Hv,
}

/// Which motion a response to a force is of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum FormName {
    /// As the sensors measure.
    #[default]
    Measured,
    /// Displacement.
    Receptance,
    /// Velocity.
    Mobility,
    /// Acceleration.
    Accelerance,
}

/// Force window around the hit of each block.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ForceWindowSettings {
    /// Length of the flat part, s.
    pub length_s: f64,
    /// Time before the peak that is kept, s.
    #[serde(default)]
    pub before_s: f64,
    /// Length of the cosine taper on either side, s.
    #[serde(default)]
    pub taper_s: f64,
}

/// Exponential window from the hit of each block on.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ExponentialWindowSettings {
    /// Time constant, s.
    pub decay_s: f64,
}

block_lens! {
    /// Settings of the response lens.
    ResponseRecipe {
        /// Channels the responses are to, from 1: one, or a list.
        reference: References = References::One(1),
        /// Which signal is taken to carry the noise.
        estimator: EstimatorName = EstimatorName::H1,
        /// Which motion it is given for; channels that measure another one are converted.
        form: FormName = FormName::Measured,
        /// Which blocks of each take count.
        of_takes: TakeBlocks = TakeBlocks::Every,
        /// For hits: keeps the hit of the reference and takes off the noise around it.
        #[serde(skip_serializing_if = "Option::is_none")]
        force_window: Option<ForceWindowSettings> = None,
        /// For hits: lets a long ring-down end inside the block, on all channels.
        #[serde(skip_serializing_if = "Option::is_none")]
        exponential_window: Option<ExponentialWindowSettings> = None,
    }
}

/// How the square of a band is averaged.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum OctaveAveraging {
    /// Over the whole stretch.
    #[default]
    Linear,
    /// Exponentially with 125 ms.
    Fast,
    /// Exponentially with 1 s.
    Slow,
}

/// Settings of the octave lens.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct OctaveRecipe {
    /// Bands an octave: 1, 3, 6, 12 or 24.
    pub fraction: u32,
    /// How the square of a band is averaged.
    pub averaging: OctaveAveraging,
    /// Lowest frequency a band must hold, Hz.
    pub from_hz: f64,
    /// Highest frequency a band must hold, Hz; 20 kHz, or what the sample rate allows, where left
    /// out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub to_hz: Option<f64>,
}

impl Default for OctaveRecipe {
    fn default() -> Self {
        OctaveRecipe { fraction: 3, averaging: OctaveAveraging::Linear, from_hz: 20.0, to_hz: None }
    }
}
