//! Lenses of speed and orders.

use super::window::WindowName;
use echo_signal::rotation::vold_kalman::{OrderFilter, Poles};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Which edge of a pulse counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum SlopeName {
    /// From below the threshold to above.
    #[default]
    Rising,
    /// From above to below.
    Falling,
}

/// A speed sensor and how its pulses are read.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Tacho {
    /// Channel with the pulses, from 1.
    pub channel: u32,
    /// Level that is crossed, in the channel's unit; halfway between its extremes where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub threshold: Option<f64>,
    /// Which edge counts.
    #[serde(default)]
    pub slope: SlopeName,
    /// How far the signal must have been on the other side; a fifth of the way between its
    /// extremes where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub hysteresis: Option<f64>,
    /// Pulses a revolution of the shaft that orders are of; missing ones are counted.
    #[serde(default = "one_pulse")]
    pub pulses_per_rev: f64,
    /// How many of them are left out in one gap.
    #[serde(default)]
    pub missing_teeth: u32,
    /// Stripes are unevenly spaced; their places are learned.
    #[serde(default)]
    pub uneven: bool,
    /// Stiffness of angle and speed, s; 0 for none. Where left out, `smooth_rev` holds.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub smooth_s: Option<f64>,
    /// Stiffness of angle and speed, revolutions; where left out, half a revolution for speeds (three
    /// quarters of the way from pulse to pulse or more) and an eighth for angles.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub smooth_rev: Option<f64>,
}

fn one_pulse() -> f64 {
    1.0
}

/// Settings of the speed lens.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SpeedRecipe {
    /// The speed sensor.
    pub tacho: Tacho,
    /// Time from value to value, s.
    #[serde(default = "tenth")]
    pub interval_s: f64,
}

fn tenth() -> f64 {
    0.1
}

/// What a map or a cut runs along.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum AlongName {
    /// Round speeds.
    #[default]
    Speed,
    /// Even times.
    Time,
}

/// Which way the speed is followed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum SweepName {
    /// The way it goes from the start to the end.
    #[default]
    Automatic,
    /// Only while it rises.
    Up,
    /// Only while it falls.
    Down,
}

fn ten() -> f64 {
    10.0
}

fn twenty_five() -> f64 {
    25.0
}

/// Settings of the order map lens.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct OrderMapRecipe {
    /// The speed sensor.
    pub tacho: Tacho,
    /// Highest order.
    #[serde(default = "ten")]
    pub max_order: f64,
    /// Distance of the lines, orders; a block is as many revolutions as its inverse.
    #[serde(default = "tenth")]
    pub resolution: f64,
    /// What it runs along.
    #[serde(default)]
    pub along: AlongName,
    /// Distance of the speeds, rpm.
    #[serde(default = "twenty_five")]
    pub step_rpm: f64,
    /// Distance of the times, s; a two hundredth of the stretch where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub interval_s: Option<f64>,
    /// Which way the speed is followed.
    #[serde(default)]
    pub sweep: SweepName,
    /// Weighting of the block.
    #[serde(default)]
    pub window: WindowName,
}

/// How an order is followed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum TrackMethod {
    /// Samples at even steps of angle, then blocks of revolutions.
    #[default]
    Resample,
    /// All orders together, sample by sample (second-generation Vold–Kalman filter).
    VoldKalman,
}

/// Settings of the order track lens.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct OrderTrackRecipe {
    /// The speed sensor.
    pub tacho: Tacho,
    /// Orders that are followed.
    #[serde(default = "first_order")]
    pub orders: Vec<f64>,
    /// What it runs along.
    #[serde(default)]
    pub along: AlongName,
    /// Distance of the speeds, rpm.
    #[serde(default = "twenty_five")]
    pub step_rpm: f64,
    /// Distance of the times, s; a two hundredth of the stretch where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub interval_s: Option<f64>,
    /// How an order is followed.
    #[serde(default)]
    pub method: TrackMethod,
    /// Width of an order that is told from its neighbours: a block is as many revolutions as its
    /// inverse, a filter is as wide between its −3 dB points.
    #[serde(default = "tenth")]
    pub resolution: f64,
    /// Width of the filter in Hz instead of orders; with `vold_kalman` alone.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub bandwidth_hz: Option<f64>,
    /// Poles of the filter, 1 or 2: how steeply it falls.
    #[serde(default = "two")]
    pub poles: u8,
    /// Which way the speed is followed.
    #[serde(default)]
    pub sweep: SweepName,
    /// Weighting of the block.
    #[serde(default)]
    pub window: WindowName,
    /// Speeds at which the shaft does not vibrate yet, rpm: the mean vector of each order there is
    /// taken off.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub slow_roll_rpm: Option<[f64; 2]>,
}

impl OrderTrackRecipe {
    /// The filter orders are followed with; none where they are read of blocks.
    pub fn filter(&self) -> Option<OrderFilter> {
        let poles = if self.poles == 1 { Poles::One } else { Poles::Two };
        let bandwidth = self.bandwidth_hz.unwrap_or(self.resolution);
        (self.method == TrackMethod::VoldKalman).then_some(OrderFilter { bandwidth, poles })
    }
}

fn two() -> u8 {
    2
}

/// Settings of the orbit lens; its channels are two, across and along.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct OrbitRecipe {
    /// The speed sensor.
    pub tacho: Tacho,
    /// Only these orders; everything that repeats with every turn where there are none.
    #[serde(default)]
    pub orders: Vec<f64>,
}

fn first_order() -> Vec<f64> {
    vec![1.0]
}
