//! Which channel in which unit: conversions, and what preparation makes of a unit.

use crate::Refusal;
use crate::analysis::source::SourceInfo;
use crate::dof::Dof;
use crate::recipe::{Recipe, Step};
use crate::unit::{find, grouped};

/// A chosen channel with its conversion.
#[derive(Debug, Clone)]
pub struct Chosen {
    /// Number from 1.
    pub number: u32,
    /// Index in the source.
    pub index: usize,
    /// Name.
    pub name: String,
    /// Where and which way it measures.
    pub dof: Option<Dof>,
    /// Unit of the samples the lens gets.
    pub unit: String,
    /// Unit of the lens's result.
    pub result_unit: String,
    /// Samples are multiplied by this.
    pub factor: f64,
    /// Integrations of the samples before the lens; negative for differentiations.
    pub motion: i32,
    /// The result is divided by jω to this power (multiplied where negative) and multiplied by
    /// `result_factor`.
    pub integrations: i32,
    /// From the samples' unit to the result's, after integration.
    pub result_factor: f64,
}

/// Resolves a channel's unit and factor against what the recipe asks for.
///
/// # Errors
/// Units that do not fit, in a sentence.
pub fn chosen(number: u32, recipe: &Recipe, info: &SourceInfo, spectral: bool) -> Result<Chosen, Refusal> {
    let index = number as usize - 1;
    let channel = &info.channels[index];
    let (mut unit, mut factor) = (channel.unit.clone(), 1.0);
    if let Some(s) = recipe.sensitivities.iter().find(|s| s.channel == number) {
        if !info.full_scale {
            return Err(Refusal::new(
                "sensitivities",
                "sensitivities are for integer WAV only; this input is in engineering units already",
            ));
        }
        unit = s.unit.clone();
        factor = 1.0 / s.value;
    }
    if let Some(named) = &recipe.input_unit {
        if !unit.is_empty() && unit != *named {
            let says = format!("input_unit is {named}; channel {number} is in {unit}, and its own unit stands");
            return Err(Refusal::new("input_unit", says));
        }
        unit = find(named).map_or_else(|_| named.clone(), |u| u.symbol.to_string());
    }
    (unit, factor) = after_steps(&recipe.prepare, &unit, factor)?;
    let mut c = Chosen {
        number,
        index,
        name: channel.name.clone(),
        dof: channel.dof.clone(),
        result_unit: unit.clone(),
        unit,
        factor,
        motion: 0,
        integrations: 0,
        result_factor: 1.0,
    };
    let Some(wanted) = recipe.unit.as_deref().filter(|w| *w != c.unit) else {
        return Ok(c);
    };
    if c.unit.is_empty() {
        // The source does not say; the recipe does.
        c.unit = wanted.to_string();
        c.result_unit = wanted.to_string();
        return Ok(c);
    }
    let to = find(wanted)?;
    let from = find(&c.unit).map_err(|_| {
        Refusal::new(
            "unit",
            format!("unit is {wanted}; channel {number} is in “{}”, which is no unit Fleet Echo converts", c.unit),
        )
    })?;
    c.result_unit = to.symbol.to_string();
    if from.quantity == to.quantity {
        c.factor *= from.to_si / to.to_si;
        c.unit = to.symbol.to_string();
        return Ok(c);
    }
    match (from.quantity.motion_order(), to.quantity.motion_order()) {
        (Some(a), Some(b)) => {
            if spectral {
                c.integrations = a - b;
            } else {
                c.motion = a - b;
                c.unit.clone_from(&c.result_unit);
            }
            c.result_factor = from.to_si / to.to_si;
            Ok(c)
        }
        _ => {
            let fitting: Vec<&str> = from.quantity.units().map(|u| u.symbol).collect();
            Err(Refusal::new(
                "unit",
                format!("unit is {wanted}; channel {number} is in {}, allowed here are {}", c.unit, fitting.join(", ")),
            ))
        }
    }
}

/// Unit and factor of a channel once its steps have integrated or differentiated it: motions go to
/// the SI unit of the next one, other units are multiplied or divided by seconds.
fn after_steps(steps: &[Step], unit: &str, factor: f64) -> Result<(String, f64), Refusal> {
    let times: i32 = steps
        .iter()
        .map(|s| match s {
            Step::Integrate { times, .. } => *times,
            Step::Differentiate { times } => -times,
            _ => 0,
        })
        .sum();
    if times == 0 || unit.is_empty() {
        return Ok((unit.to_string(), factor));
    }
    if let Ok(known) = find(unit)
        && let Some(order) = known.quantity.motion_order()
    {
        let symbol = match order - times {
            0 => "m",
            1 => "m/s",
            2 => "m/s²",
            _ => {
                let says = format!(
                    "prepare makes of {unit} what is no displacement, velocity or acceleration; allowed: steps that stay among these"
                );
                return Err(Refusal::new("prepare", says));
            }
        };
        return Ok((symbol.to_string(), factor * known.to_si));
    }
    let seconds =
        if times.abs() == 1 { "s".to_string() } else { format!("s{}", if times.abs() == 2 { '²' } else { '³' }) };
    Ok((
        if times > 0 { format!("{}·{seconds}", grouped(unit)) } else { format!("{}/{seconds}", grouped(unit)) },
        factor,
    ))
}
