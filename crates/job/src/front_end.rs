//! What acquisition hardware offers, as far as the rules need to know.

use crate::Refusal;
use crate::rig::Coupling;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Identity and abilities of a front end.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct FrontEnd {
    /// Model name.
    pub model: String,
    /// Serial number.
    pub serial: String,
    /// Version of its own software.
    pub firmware: String,
    /// Sample rates it can run at, Hz, ascending.
    pub rates_hz: Vec<f64>,
    /// Share of the sample rate up to which spectra are free of aliases.
    pub clean_share: f64,
    /// Bits of the converter.
    pub converter_bits: u32,
    /// Its inputs, in the order of their numbers.
    pub inputs: Vec<InputOffer>,
}

/// What one input can be set to.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct InputOffer {
    /// Number on the connector, from 1.
    pub number: u16,
    /// Name of the module that carries it.
    pub module: String,
    /// Largest voltages it can be set to, V peak, ascending.
    pub ranges_v: Vec<f64>,
    /// Couplings it has.
    pub couplings: Vec<Coupling>,
}

impl FrontEnd {
    /// Checks a sample rate against the offer.
    ///
    /// # Errors
    /// A sentence with the rates there are.
    pub fn check_rate(&self, rate_hz: f64) -> Result<(), Refusal> {
        if self.rates_hz.contains(&rate_hz) {
            return Ok(());
        }
        let all: Vec<String> = self.rates_hz.iter().map(|r| r.to_string()).collect();
        Err(Refusal::new(
            "sample_rate_hz",
            format!("{} does not offer {rate_hz} Hz; it offers {} Hz", self.model, all.join(", ")),
        ))
    }

    /// The offer of an input.
    pub fn input(&self, number: u16) -> Option<&InputOffer> {
        self.inputs.iter().find(|i| i.number == number)
    }
}
