//! Settings of the lens that finds modes.

use super::check::refuse;
use crate::Refusal;
use serde::de::Error;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use utoipa::ToSchema;

/// Most poles that are taken by hand.
const MOST_TAKEN: usize = 200;

/// Which poles become modes.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(untagged)]
pub enum Pick {
    /// All that hold.
    By(PickBy),
    /// One near each of these frequencies, Hz.
    Near(Vec<f64>),
}

impl<'de> Deserialize<'de> for Pick {
    fn deserialize<D: serde::Deserializer<'de>>(d: D) -> Result<Self, D::Error> {
        let told = Value::deserialize(d)?;
        let near = told.as_array().and_then(|all| all.iter().map(Value::as_f64).collect());
        match (told.as_str(), near) {
            (Some("stable"), _) => Ok(Pick::By(PickBy::Stable)),
            (_, Some(near)) => Ok(Pick::Near(near)),
            _ => Err(D::Error::custom(format!("{told}; allowed: “stable” or a list of frequencies in Hz"))),
        }
    }
}

/// By what poles are picked.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum PickBy {
    /// All that hold over so many orders.
    Stable,
}

/// Settings of the modes lens, whose input are responses instead of samples.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields, default)]
pub struct ModesRecipe {
    /// Band, Hz; all lines where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub band_hz: Option<[f64; 2]>,
    /// Highest order of the polynomials.
    pub max_order: usize,
    /// References that are used, by point or by point and direction, “14 z”; all where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub references: Option<Vec<String>>,
    /// Which poles become modes.
    pub pick: Pick,
    /// Orders in a row over which a pole must hold.
    pub lasts: usize,
    /// Largest relative change of its frequency from one order to the next.
    pub frequency_change: f64,
    /// Largest relative change of its damping.
    pub damping_change: f64,
    /// Least MAC of its participation.
    pub mac: f64,
    /// Whether the picked poles are moved to where they explain the responses best; else they stay as the diagram has them.
    #[serde(skip_serializing_if = "usual")]
    pub refined: bool,
    /// Whether shapes are turned real.
    pub real: bool,
    /// What an exponential window added to the decay of every mode, 1/s; it is taken off again.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub added_decay: Option<f64>,
}

fn usual(refined: &bool) -> bool {
    *refined
}

impl Default for ModesRecipe {
    fn default() -> Self {
        ModesRecipe {
            band_hz: None,
            max_order: 40,
            references: None,
            pick: Pick::By(PickBy::Stable),
            lasts: 5,
            frequency_change: 0.01,
            damping_change: 0.05,
            mac: 0.98,
            refined: true,
            real: false,
            added_decay: None,
        }
    }
}

impl ModesRecipe {
    pub(super) fn check(&self) -> Result<(), Refusal> {
        if let Some([low, high]) = self.band_hz
            && !(low >= 0.0 && high > low && high.is_finite())
        {
            return refuse("band_hz", format!("{low} to {high}"), "two frequencies from 0 Hz, the lower first");
        }
        if self.references.as_ref().is_some_and(Vec::is_empty) {
            return refuse("references", "none", "one or more, or left out for all");
        }
        if let Some(decay) = self.added_decay.filter(|d| !(*d >= 0.0 && d.is_finite())) {
            return refuse("added_decay", decay, "0 1/s or more, or left out");
        }
        match &self.pick {
            Pick::Near(all) if all.is_empty() || all.len() > MOST_TAKEN => {
                refuse("pick", format!("{} frequencies", all.len()), &format!("“stable” or 1 to {MOST_TAKEN} of them"))
            }
            Pick::Near(all) => match all.iter().find(|f| !(**f > 0.0 && f.is_finite())) {
                Some(f) => refuse("pick", f, "“stable” or frequencies above 0 Hz"),
                None => Ok(()),
            },
            Pick::By(PickBy::Stable) => Ok(()),
        }
    }
}
