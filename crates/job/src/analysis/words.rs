//! Words of a result that programs go by: what a curve shows, along what, and what to keep in mind. Each is the
//! same word in JSON, in files and where it is read.

use serde::{Deserialize, Serialize};
use std::fmt;
use utoipa::ToSchema;

/// An enum of words.
macro_rules! words {
    ($(#[$doc:meta])* $name:ident { $($(#[$of:meta])* $one:ident => $word:tt),+ $(,)? }) => {
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize, ToSchema)]
        pub enum $name {
            $($(#[$of])* #[serde(rename = $word)] $one,)+
        }

        impl $name {
            /// The one of a word.
            pub fn of(word: &str) -> Option<$name> {
                match word {
                    $($word => Some($name::$one),)+
                    _ => None,
                }
            }

            /// Its word.
            pub fn word(self) -> &'static str {
                match self {
                    $($name::$one => $word,)+
                }
            }
        }

        impl fmt::Display for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str(self.word())
            }
        }
    };
}

words! {
    /// What a curve shows.
    Shown {
        /// “value”.
        Value => "value",
        /// “min”.
        Min => "min",
        /// “max”.
        Max => "max",
        /// “peak”.
        Peak => "peak",
        /// “peak to peak”.
        PeakToPeak => "peak to peak",
        /// “rms”.
        Rms => "rms",
        /// “highest rms”.
        HighestRms => "highest rms",
        /// “power”.
        Power => "power",
        /// “PSD”.
        Psd => "PSD",
        /// “ESD”.
        Esd => "ESD",
        /// “cross PSD”.
        CrossPsd => "cross PSD",
        /// “coherence”.
        Coherence => "coherence",
        /// “response”.
        Response => "response",
        /// “receptance”.
        Receptance => "receptance",
        /// “mobility”.
        Mobility => "mobility",
        /// “accelerance”.
        Accelerance => "accelerance",
        /// “order”.
        Order => "order",
        /// “orbit”.
        Orbit => "orbit",
        /// “speed”.
        Speed => "speed",
        /// “cepstrum”.
        Cepstrum => "cepstrum",
        /// “envelope”.
        Envelope => "envelope",
        /// “count”.
        Count => "count",
        /// “count by mean”.
        CountByMean => "count by mean",
        /// “share”.
        Share => "share",
        /// “time”.
        Time => "time",
        /// “maximax”.
        Maximax => "maximax",
        /// “positive”.
        Positive => "positive",
        /// “negative”.
        Negative => "negative",
        /// “mean”.
        Mean => "mean",
        /// “peak_to_peak”.
        PeakToPeakOf => "peak_to_peak",
        /// “crest_factor”.
        CrestFactor => "crest_factor",
        /// “skewness”.
        Skewness => "skewness",
        /// “kurtosis”.
        Kurtosis => "kurtosis",
        /// “std”.
        Std => "std",
        /// “shape”.
        Shape => "shape",
        /// “indicator”.
        Indicator => "indicator",
        /// “mac”.
        Mac => "mac",
        /// “participation”: how much the force at each reference moves a mode, their squares adding up to 1.
        Participation => "participation",
        /// “missed”: share of a response's energy that modes do not explain.
        Missed => "missed",
    }
}

words! {
    /// What an axis runs along.
    Along {
        /// “time”.
        Time => "time",
        /// “frequency”.
        Frequency => "frequency",
        /// “natural frequency”.
        NaturalFrequency => "natural frequency",
        /// “quefrency”.
        Quefrency => "quefrency",
        /// “angle”.
        Angle => "angle",
        /// “level”.
        Level => "level",
        /// “class”.
        Class => "class",
        /// “range”.
        Range => "range",
        /// “mean”.
        Mean => "mean",
        /// “speed”.
        Speed => "speed",
        /// “order”.
        Order => "order",
        /// “dof”: the degrees of freedom that the axis names.
        Dof => "dof",
        /// “mode”.
        Mode => "mode",
    }
}

words! {
    /// What a result is to be read with in mind.
    CautionRule {
        /// Samples are missing inside the stretch.
        Gap => "gap",
        /// Something of the input was taken for granted.
        InputAssumed => "input assumed",
        /// Both ends of an integral are not to be trusted.
        EndsOfIntegral => "ends of an integral",
        /// Too few averages for a coherence.
        Coherence => "coherence",
        /// A window adds to the decay.
        ExponentialWindow => "exponential window",
        /// More than one hit in a block.
        DoubleHit => "double hit",
        /// A pulse is missing.
        TachoMissed => "tacho missed",
        /// A pulse too many.
        TachoExtra => "tacho extra",
        /// A pulse early or late.
        TachoJitter => "tacho jitter",
        /// Another count of pulses explains a stretch nearly as well.
        TachoCount => "tacho count",
        /// The angle is not known between pulses.
        TachoCoarse => "tacho coarse",
        /// The speed changes more than the reading allows.
        SpeedNotSteady => "speed not steady",
        /// A resonance is passed faster than the reading resolves.
        ResonanceBlunted => "resonance blunted",
        /// Orders are nearer to each other than the filter is wide.
        CloseOrders => "close orders",
        /// No burst was found.
        NoArrival => "no arrival",
        /// An order lies above what was recorded.
        OrderBeyond => "order beyond the record",
        /// Points of a mode do not move in phase.
        ComplexMode => "complex mode",
        /// A response is not explained by the modes.
        ModesMiss => "modes miss a response",
        /// Points that move otherwise than the reference.
        Incoherent => "not with the reference",
        /// What turns, and is no mode.
        Steady => "steady",
        /// Shapes of which nobody knows the force.
        NoScale => "no scale",
        /// Places that are hit are read as places that answer.
        Reciprocity => "reciprocity",
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_word_is_the_same_wherever_it_stands() {
        for shown in [Shown::Psd, Shown::PeakToPeak, Shown::PeakToPeakOf, Shown::CountByMean] {
            assert_eq!(serde_json::to_value(shown).unwrap(), shown.word());
        }
        let along: Along = serde_json::from_str("\"natural frequency\"").unwrap();
        assert_eq!((along, along.to_string().as_str()), (Along::NaturalFrequency, "natural frequency"));
        assert_eq!(CautionRule::TachoExtra.word(), "tacho extra");
        assert_eq!((Shown::of("cross PSD"), Shown::of("anything")), (Some(Shown::CrossPsd), None));
    }
}
