//! How an input is connected to its converter.

use crate::sensitivity::Output;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// How an input is connected to its converter.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub enum Coupling {
    /// Direct: mean and all.
    #[serde(rename = "DC")]
    Dc,
    /// The mean is removed.
    #[serde(rename = "AC")]
    Ac,
    /// Constant-current supply for sensors with built-in electronics; the bias is removed.
    #[serde(rename = "IEPE")]
    Iepe,
    /// A charge amplifier for crystals without electronics.
    Charge,
    /// Four active arms, supplied and sensed.
    #[serde(rename = "Bridge full")]
    BridgeFull,
    /// Two active arms, the others in the front end.
    #[serde(rename = "Bridge half")]
    BridgeHalf,
    /// One active arm, three in the front end.
    #[serde(rename = "Bridge quarter")]
    BridgeQuarter,
}

impl Coupling {
    /// Every coupling, in the order lists show them.
    pub const ALL: [Coupling; 7] = [
        Coupling::Iepe,
        Coupling::Dc,
        Coupling::Ac,
        Coupling::Charge,
        Coupling::BridgeFull,
        Coupling::BridgeHalf,
        Coupling::BridgeQuarter,
    ];

    /// As it is written on the screen and in files.
    pub fn name(self) -> &'static str {
        match self {
            Coupling::Dc => "DC",
            Coupling::Ac => "AC",
            Coupling::Iepe => "IEPE",
            Coupling::Charge => "Charge",
            Coupling::BridgeFull => "Bridge full",
            Coupling::BridgeHalf => "Bridge half",
            Coupling::BridgeQuarter => "Bridge quarter",
        }
    }

    /// What the input takes from the sensor.
    pub fn takes(self) -> Output {
        match self {
            Coupling::Dc | Coupling::Ac | Coupling::Iepe => Output::Voltage,
            Coupling::Charge => Output::Charge,
            Coupling::BridgeFull | Coupling::BridgeHalf | Coupling::BridgeQuarter => Output::Ratio,
        }
    }

    /// Volts at the converter for one V, C or V/V of the sensor, as the front-end link fixes them:
    /// 1 mV/pC for charge, a bridge supply of 5 V.
    pub fn volts_per_output(self) -> f64 {
        match self.takes() {
            Output::Voltage => 1.0,
            Output::Charge => 1e9,
            Output::Ratio => 5.0,
        }
    }
}
