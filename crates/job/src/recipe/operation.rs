//! Settings of the lenses that see how a structure moves in operation, its forces not measured.

use super::check::{band, channel, refuse};
use super::modal::{ModesRecipe, Pick, PickBy};
use super::rotation::Tacho;
use super::window::WindowName;
use crate::Refusal;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Settings of the deflection lens: how points move together, at a frequency, in a band or at an order.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields, default)]
pub struct DeflectionRecipe {
    /// Channel whose motion the others are seen against, from 1; at an order the shaft's angle where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub reference: Option<u32>,
    /// At this frequency, Hz: the line nearest to it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub frequency_hz: Option<f64>,
    /// In this band, Hz.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub band_hz: Option<[f64; 2]>,
    /// At this order of the shaft.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub order: Option<f64>,
    /// The speed sensor, for an order.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub tacho: Option<Tacho>,
    /// Distance of the lines, orders; a block is as many revolutions as its inverse.
    pub resolution: f64,
    /// Samples in a block.
    pub block: usize,
    /// Weighting of a block.
    pub window: WindowName,
    /// Share of a block the next one repeats.
    pub overlap: f64,
}

impl Default for DeflectionRecipe {
    fn default() -> Self {
        DeflectionRecipe {
            reference: None,
            frequency_hz: None,
            band_hz: None,
            order: None,
            tacho: None,
            resolution: 0.1,
            block: 4096,
            window: WindowName::Hann,
            overlap: 0.5,
        }
    }
}

impl DeflectionRecipe {
    pub(super) fn check(&self) -> Result<(), Refusal> {
        let given = [self.frequency_hz.is_some(), self.band_hz.is_some(), self.order.is_some()];
        if given.iter().filter(|g| **g).count() != 1 {
            let got = if given.contains(&true) { "several of them" } else { "none of them" };
            return refuse("frequency_hz", got, "one of frequency_hz, band_hz and order");
        }
        if let Some(f) = self.frequency_hz.filter(|f| !(*f > 0.0 && f.is_finite())) {
            return refuse("frequency_hz", f, "above 0 Hz");
        }
        if let Some(edges) = self.band_hz {
            band("band_hz", edges)?;
        }
        if let Some(reference) = self.reference {
            channel("reference", reference)?;
        }
        match (self.order, &self.tacho) {
            (Some(order), _) if !(order > 0.0 && order <= 1000.0) => refuse("order", order, "above 0 and up to 1000"),
            (Some(_), Some(tacho)) => channel("tacho.channel", tacho.channel),
            (Some(_), None) => {
                Err(Refusal::new("tacho", "tacho is missing; an order needs the channel with the shaft's pulses"))
            }
            (None, Some(_)) => refuse("tacho", "given", "left out where no order is asked for"),
            (None, None) if self.reference.is_none() => Err(Refusal::new(
                "reference",
                "reference is missing; allowed: the channel that the others are seen against",
            )),
            (None, None) => Ok(()),
        }
    }
}

/// Settings of the lens that finds modes in operation, from samples alone.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields, default)]
pub struct OperationalModesRecipe {
    /// Channels that all the others are correlated with, from 1; the three that move most where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub references: Option<Vec<u32>>,
    /// Longest lag of the correlations, s.
    pub longest_lag_s: f64,
    /// Band, Hz; from 1 % to 80 % of what the sample rate holds where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub band_hz: Option<[f64; 2]>,
    /// Highest order of the polynomials.
    pub max_order: usize,
    /// Which poles become modes.
    pub pick: Pick,
    /// Orders in a row over which a pole must hold.
    pub lasts: usize,
    /// Largest relative change of its frequency from one order to the next.
    pub frequency_change: f64,
    /// Largest relative change of its damping: what is random scatters more than what was hit.
    pub damping_change: f64,
    /// Least MAC of its participation.
    pub mac: f64,
    /// Whether shapes are turned real.
    pub real: bool,
}

impl Default for OperationalModesRecipe {
    fn default() -> Self {
        OperationalModesRecipe {
            references: None,
            longest_lag_s: 1.0,
            band_hz: None,
            max_order: 40,
            pick: Pick::By(PickBy::Stable),
            lasts: 8,
            frequency_change: 0.01,
            damping_change: 0.2,
            mac: 0.95,
            real: false,
        }
    }
}

impl OperationalModesRecipe {
    /// The same wishes to poles and modes as the lens of measured responses has.
    pub fn of_poles(&self) -> ModesRecipe {
        // Correlations scatter otherwise than measured responses: least squares of them would follow what is random.
        ModesRecipe {
            band_hz: self.band_hz,
            max_order: self.max_order,
            references: None,
            pick: self.pick.clone(),
            lasts: self.lasts,
            frequency_change: self.frequency_change,
            damping_change: self.damping_change,
            mac: self.mac,
            refined: false,
            real: self.real,
            added_decay: None,
        }
    }

    pub(super) fn check(&self) -> Result<(), Refusal> {
        if let Some(references) = &self.references {
            super::check::references("references", references)?;
        }
        self.of_poles().check()
    }
}
