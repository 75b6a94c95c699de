//! Smart sensors that are plugged in.

use crate::App;
use echo_formats::smart::Told;
use serde::Serialize;
use utoipa::ToSchema;

/// A smart sensor on an input.
#[derive(Serialize, ToSchema)]
pub struct SmartSensor {
    /// The input.
    pub input: u16,
    /// What its memory says.
    #[serde(flatten)]
    pub told: Told,
}

/// What the memories of the plugged-in smart sensors say.
pub fn smart_sensors(app: &App) -> Vec<SmartSensor> {
    let all = app.capture.memories().into_iter();
    all.map(|(input, memory)| {
        let bytes = echo_formats::smart::unhex(&memory).unwrap_or_default();
        SmartSensor { input, told: echo_formats::smart::read(&bytes) }
    })
    .collect()
}

/// The label of a smart sensor that told who it is.
pub fn label_of(told: &Told) -> Option<String> {
    match told {
        Told::Sensor { sensor } => Some(sensor.label()),
        Told::Unknown { label, .. } => Some(label.clone()),
        Told::Blank | Told::Damaged { .. } => None,
    }
}
