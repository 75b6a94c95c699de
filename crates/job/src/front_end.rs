//! What acquisition hardware offers and how it does, as far as the rules need to know.

use crate::Refusal;
use crate::coupling::Coupling;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Share of the sample rate that is clean, where no front end tells its own.
pub const USUAL_CLEAN_SHARE: f64 = 0.4;

/// Identity and abilities of a front end, or of several that sample together as one.
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
    /// Bytes of newest samples it keeps itself, which can be moved over after the link was away.
    #[serde(default)]
    pub keeps_bytes: u64,
    /// Its inputs, in the order of their numbers.
    pub inputs: Vec<InputOffer>,
}

/// What one input can be set to.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct InputOffer {
    /// Number in the rig, from 1; in a system of several front ends they are counted through.
    pub number: u16,
    /// Which front end carries it, from 0.
    #[serde(default)]
    pub unit: u16,
    /// Number on that front end's connector, from 1.
    #[serde(default)]
    pub connector: u16,
    /// Name of the module that carries it.
    pub module: String,
    /// Largest voltages it can be set to, V peak, ascending.
    pub ranges_v: Vec<f64>,
    /// Couplings it has.
    pub couplings: Vec<Coupling>,
    /// Corners of its high-pass filter, Hz; 0 is off.
    #[serde(default)]
    pub high_pass_hz: Vec<f64>,
    /// Voltages it can feed a sensor with, V.
    #[serde(default)]
    pub supplies_v: Vec<f64>,
}

impl InputOffer {
    /// The sentence for a range it does not have.
    pub fn refused_range(&self, input: u16, volts: f64) -> String {
        let all: Vec<String> = self.ranges_v.iter().map(|r| r.to_string()).collect();
        format!("input {input} does not offer a range of {volts} V; it offers {} V", all.join(", "))
    }

    /// The sentence for a filter it does not have.
    pub fn refused_high_pass(&self, input: u16, hz: f64) -> String {
        let all: Vec<String> = self.high_pass_hz.iter().filter(|h| **h > 0.0).map(|r| r.to_string()).collect();
        if all.is_empty() {
            return format!("input {input} has no high-pass filter; allowed: off");
        }
        format!("input {input} does not offer a high-pass at {hz} Hz; it offers off, {} Hz", all.join(", "))
    }
}

impl FrontEnd {
    /// Several front ends as one: inputs counted through, rates that all of them offer, the
    /// narrowest of what differs. None for an empty list.
    pub fn system(units: &[FrontEnd]) -> Option<FrontEnd> {
        let first = units.first()?;
        let mut inputs: Vec<InputOffer> = Vec::new();
        for (u, f) in units.iter().enumerate() {
            for i in &f.inputs {
                let number = inputs.len() as u16 + 1;
                inputs.push(InputOffer { number, unit: u as u16, connector: i.number, ..i.clone() });
            }
        }
        let rates = first.rates_hz.iter().copied().filter(|r| units.iter().all(|u| u.rates_hz.contains(r)));
        let told = |of: fn(&FrontEnd) -> &str| {
            let mut all: Vec<&str> = units.iter().map(of).collect();
            all.dedup();
            all.join(", ")
        };
        let model = told(|u| &u.model);
        Some(FrontEnd {
            model: if units.len() == 1 { model } else { format!("{} × {model}", units.len()) },
            serial: told(|u| &u.serial),
            firmware: told(|u| &u.firmware),
            rates_hz: rates.collect(),
            clean_share: units.iter().map(|u| u.clean_share).fold(f64::INFINITY, f64::min),
            converter_bits: units.iter().map(|u| u.converter_bits).min().unwrap_or(24),
            keeps_bytes: units.iter().map(|u| u.keeps_bytes).min().unwrap_or(0) * units.len() as u64,
            inputs,
        })
    }

    /// How long it keeps what it samples itself at a rate, s; 0 if it keeps nothing.
    pub fn keeps_s(&self, rate_hz: f64, channels: usize) -> f64 {
        // Samples are three bytes on the link.
        self.keeps_bytes as f64 / (rate_hz * channels.max(1) as f64 * 3.0)
    }

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
        // Counted from 1 without holes where the hardware does so; searched otherwise.
        let at = usize::from(number).checked_sub(1)?;
        self.inputs.get(at).filter(|i| i.number == number).or_else(|| self.inputs.iter().find(|i| i.number == number))
    }

    /// How an input is called: its number, or the front end's letter and the connector.
    pub fn label(&self, number: u16) -> String {
        match self.input(number) {
            Some(i) if self.inputs.last().is_some_and(|l| l.unit > 0) => {
                let letter = char::from(b'A' + (i.unit % 26) as u8);
                format!("{letter}{}", i.connector)
            }
            _ => number.to_string(),
        }
    }
}
