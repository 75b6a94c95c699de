//! What the two sides say to each other, as JSON in request, answer and notice frames.

use serde::{Deserialize, Serialize};

/// A question or order, numbered so that its answer can be told from others.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Request {
    /// Number chosen by the asker; the answer repeats it.
    pub id: u64,
    /// What is asked.
    #[serde(flatten)]
    pub body: RequestBody,
}

/// Questions and orders.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "ask", rename_all = "snake_case")]
pub enum RequestBody {
    /// Who are you and what do you offer.
    Identify,
    /// What are you set to.
    Settings,
    /// Set these; the rate only while stopped.
    Apply {
        /// The settings.
        settings: Settings,
    },
    /// Begin to send blocks.
    Start,
    /// Stop sending blocks.
    Stop,
}

/// The answer to a request.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Answer {
    /// Number of the request.
    pub id: u64,
    /// Why it was refused, in a sentence; nothing was changed then.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub refused: Option<String>,
    /// Answer to `identify`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub identity: Option<Identity>,
    /// Answer to `settings` and `apply`: what is set now.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub settings: Option<Settings>,
}

/// Who a front end is and what it offers.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Identity {
    /// Model name.
    pub model: String,
    /// Serial number.
    pub serial: String,
    /// Version of its own software.
    pub firmware: String,
    /// Sample rates, Hz, ascending.
    pub rates_hz: Vec<f64>,
    /// Share of the rate up to which there are no aliases.
    pub clean_share: f64,
    /// Bits of the converter, at most 24.
    pub converter_bits: u32,
    /// Its inputs.
    pub inputs: Vec<InputOffer>,
}

/// What an input can be set to.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct InputOffer {
    /// Number on the connector, from 1.
    pub number: u16,
    /// Module that carries it.
    pub module: String,
    /// Ranges, V peak.
    pub ranges_v: Vec<f64>,
    /// Couplings.
    pub couplings: Vec<Coupling>,
}

/// How an input is connected to its converter.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub enum Coupling {
    /// Direct.
    #[serde(rename = "DC")]
    Dc,
    /// Mean removed.
    #[serde(rename = "AC")]
    Ac,
    /// Constant-current supply, bias removed.
    #[serde(rename = "IEPE")]
    Iepe,
}

/// How a front end is set.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Settings {
    /// Samples a second, Hz.
    pub rate_hz: f64,
    /// Inputs that are sent, in the order they appear in blocks.
    pub inputs: Vec<InputSetting>,
}

/// How an input is set.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct InputSetting {
    /// Number on the connector.
    pub number: u16,
    /// Full scale, V peak.
    pub range_v: f64,
    /// Coupling.
    pub coupling: Coupling,
}

/// Something the front end says unasked.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "notice", rename_all = "snake_case")]
pub enum Notice {
    /// It has to stop; the sentence says why.
    Stopping {
        /// Why.
        says: String,
    },
    /// Blocks were dropped on its side because the link was too slow.
    Dropped {
        /// How many since the start.
        blocks: u64,
    },
}
