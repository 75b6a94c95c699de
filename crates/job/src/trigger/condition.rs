//! Conditions: what must happen on a channel.

use crate::Refusal;
use crate::entry::number::plain;
use crate::rig::{Channel, Rig};
use crate::tacho::Tachometer;
use crate::unit::{Quantity, find_for};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Which way a level is crossed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Edge {
    /// Upwards.
    #[default]
    Rising,
    /// Downwards.
    Falling,
    /// Either way.
    Either,
}

/// Into a band or out of it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Way {
    /// Out of it.
    #[default]
    Leaving,
    /// Into it.
    Entering,
}

/// A limit of one axis.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct AxisLimit {
    /// Input.
    pub input: u16,
    /// Magnitude that is reached.
    pub level: f64,
    /// Its unit.
    pub unit: String,
}

/// What must happen.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "when", rename_all = "snake_case", deny_unknown_fields)]
pub enum Condition {
    /// A level is crossed.
    Level {
        /// Input.
        input: u16,
        /// Level.
        level: f64,
        /// How far back it must have been before it counts again.
        #[serde(default)]
        hysteresis: f64,
        /// Unit of both.
        unit: String,
        /// Which way.
        #[serde(default)]
        edge: Edge,
    },
    /// A band is left or entered.
    Band {
        /// Input.
        input: u16,
        /// Lower end.
        low: f64,
        /// Upper end.
        high: f64,
        /// Unit of both.
        unit: String,
        /// Out or in.
        #[serde(default)]
        way: Way,
    },
    /// A logic signal changes: low is below 0.8 V, high above 2 V.
    Digital {
        /// Input, measured as voltage.
        input: u16,
        /// Which way.
        #[serde(default)]
        edge: Edge,
    },
    /// A pulse of a tachometer comes.
    Pulse {
        /// The tachometer's input.
        tacho: u16,
        /// Every which one.
        #[serde(default = "one")]
        every: u32,
    },
    /// The speed is in a window; at its entry, or at every so many rpm inside it.
    Speed {
        /// The tachometer's input.
        tacho: u16,
        /// Lower end, rpm.
        from_rpm: f64,
        /// Upper end, rpm.
        to_rpm: f64,
        /// Step, rpm; without it only the entry counts.
        #[serde(default)]
        every_rpm: Option<f64>,
    },
    /// A magnitude is reached while the shaft is in a window of its turn.
    Angle {
        /// The tachometer's input.
        tacho: u16,
        /// Start of the window, degrees after the mark.
        from_deg: f64,
        /// End of the window, degrees; smaller than the start when it lies across the mark.
        to_deg: f64,
        /// Input whose magnitude counts.
        input: u16,
        /// Magnitude.
        level: f64,
        /// Its unit.
        unit: String,
    },
    /// One of several axes reaches its own limit.
    Axes {
        /// Limits, one an input.
        of: Vec<AxisLimit>,
    },
}

fn one() -> u32 {
    1
}

fn channel(rig: &Rig, input: u16) -> Result<&Channel, Refusal> {
    let wrong = |why: &str| Refusal::new("conditions", format!("a condition watches input {input}, which {why}"));
    let c = rig.channel(input).ok_or_else(|| wrong("the rig does not have"))?;
    if c.on { Ok(c) } else { Err(wrong("is off; switch it on in the rig")) }
}

fn unit(rig: &Rig, input: u16, unit: &str) -> Result<f64, Refusal> {
    let c = channel(rig, input)?;
    find_for(unit, c.quantity)
        .map(|u| u.to_si)
        .map_err(|e| Refusal::new("conditions", format!("the condition on {}: {}", c.name, e.says)))
}

impl Condition {
    /// Checks numbers and inputs.
    ///
    /// # Errors
    /// The first entry that is not allowed, with what is.
    pub fn check(&self, rig: &Rig, tachos: &[Tachometer]) -> Result<(), Refusal> {
        let wrong = |says: String| Err(Refusal::new("conditions", says));
        let tacho = |input: u16| match tachos.iter().any(|t| t.input == input) {
            true => channel(rig, input).map(drop),
            false => Err(Refusal::new("conditions", format!("input {input} is no tachometer; set it up as one first"))),
        };
        let magnitude = |what: &str, level: f64| match level.is_finite() && level > 0.0 {
            true => Ok(()),
            false => Err(Refusal::new("conditions", format!("the level on {what} must be above 0, not {level}"))),
        };
        match self {
            Condition::Level { input, level, hysteresis, unit: u, .. } => {
                unit(rig, *input, u)?;
                if !(level.is_finite() && hysteresis.is_finite() && *hysteresis >= 0.0) {
                    return wrong(format!(
                        "the level must be a number and its hysteresis 0 or more, not {level} and {hysteresis}"
                    ));
                }
            }
            Condition::Band { input, low, high, unit: u, .. } => {
                unit(rig, *input, u)?;
                if !(low.is_finite() && high.is_finite() && low < high) {
                    return wrong(format!(
                        "the lower end of the band must be below the upper one, not {low} to {high}"
                    ));
                }
            }
            Condition::Digital { input, .. } => {
                let c = channel(rig, *input)?;
                if c.quantity != Quantity::Voltage {
                    return wrong(format!("{} measures {}; a logic signal is voltage", c.name, c.quantity.name()));
                }
            }
            Condition::Pulse { tacho: t, every } => {
                tacho(*t)?;
                if *every == 0 {
                    return wrong("every 0th pulse; allowed: 1 or more".into());
                }
            }
            Condition::Speed { tacho: t, from_rpm, to_rpm, every_rpm } => {
                tacho(*t)?;
                if !(*from_rpm >= 0.0 && from_rpm < to_rpm && to_rpm.is_finite()) {
                    return wrong(format!(
                        "the window must be 0 rpm or more, the lower speed first, not {from_rpm} to {to_rpm} rpm"
                    ));
                }
                if let Some(step) = every_rpm.filter(|s| !(s.is_finite() && *s > 0.0)) {
                    return wrong(format!("every {step} rpm; allowed: above 0"));
                }
            }
            Condition::Angle { tacho: t, from_deg, to_deg, input, level, unit: u } => {
                tacho(*t)?;
                unit(rig, *input, u)?;
                magnitude(&rig.name_of(*input), *level)?;
                if !((0.0..=360.0).contains(from_deg) && (0.0..=360.0).contains(to_deg)) {
                    return wrong(format!("the window must be within 0° to 360°, not {from_deg}° to {to_deg}°"));
                }
            }
            Condition::Axes { of } => {
                if of.is_empty() {
                    return wrong("no axis has a limit; allowed: one or more".into());
                }
                for a in of {
                    unit(rig, a.input, &a.unit)?;
                    magnitude(&rig.name_of(a.input), a.level)?;
                }
            }
        }
        Ok(())
    }

    /// What it means, in words.
    pub fn says(&self, rig: &Rig) -> String {
        match self {
            Condition::Level { input, level, unit, edge, .. } => {
                let way = match edge {
                    Edge::Rising => "rises through",
                    Edge::Falling => "falls through",
                    Edge::Either => "crosses",
                };
                format!("{} {way} {} {unit}", rig.name_of(*input), plain(*level))
            }
            Condition::Band { input, low, high, unit, way } => {
                let way = if *way == Way::Leaving { "leaves" } else { "enters" };
                format!("{} {way} {} to {} {unit}", rig.name_of(*input), plain(*low), plain(*high))
            }
            Condition::Digital { input, edge } => {
                let way = match edge {
                    Edge::Rising => "goes high",
                    Edge::Falling => "goes low",
                    Edge::Either => "changes",
                };
                format!("{} {way}", rig.name_of(*input))
            }
            Condition::Pulse { tacho, every: 1 } => format!("a pulse of {}", rig.name_of(*tacho)),
            Condition::Pulse { tacho, every } => format!("every {every} pulses of {}", rig.name_of(*tacho)),
            Condition::Speed { tacho, from_rpm, to_rpm, every_rpm: None } => {
                format!("{} enters {} to {} rpm", rig.name_of(*tacho), plain(*from_rpm), plain(*to_rpm))
            }
            Condition::Speed { tacho, from_rpm, to_rpm, every_rpm: Some(step) } => format!(
                "every {} rpm of {} from {} to {} rpm",
                plain(*step),
                rig.name_of(*tacho),
                plain(*from_rpm),
                plain(*to_rpm)
            ),
            Condition::Angle { from_deg, to_deg, input, level, unit, .. } => format!(
                "{} reaches {} {unit} between {}° and {}°",
                rig.name_of(*input),
                plain(*level),
                plain(*from_deg),
                plain(*to_deg)
            ),
            Condition::Axes { of } => {
                let all: Vec<String> =
                    of.iter().map(|a| format!("{} {} {}", rig.name_of(a.input), plain(a.level), a.unit)).collect();
                format!("one reaches its limit: {}", all.join(", "))
            }
        }
    }
}
