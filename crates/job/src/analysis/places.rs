//! Where channels measure on a structure, for what looks at several of them together.

use super::prepare::Chosen;
use crate::Refusal;
use crate::dof::Dof;

/// A unit as it is written into a result: what has none is in engineering units.
pub fn shown(unit: &str) -> &str {
    if unit.is_empty() { "EU" } else { unit }
}

/// Where each channel measures, along its direction, with the sign of its sensor. A channel without a place is a
/// point by its own number.
///
/// # Errors
/// Two channels at one place, or in different units.
pub fn places(channels: &[Chosen]) -> Result<Vec<(Dof, f64)>, Refusal> {
    let mut all: Vec<(Dof, f64)> = Vec::with_capacity(channels.len());
    let first = &channels[0];
    for c in channels {
        if c.unit != first.unit {
            let says = format!(
                "{} is in {}, {} in {}; allowed: channels of one unit",
                first.name,
                shown(&first.unit),
                c.name,
                shown(&c.unit)
            );
            return Err(Refusal::new("channels", says));
        }
        let dof = c.dof.clone().or_else(|| Dof::read(&c.number.to_string(), ""));
        let dof = dof.ok_or_else(|| Refusal::new("channels", "a channel has no place"))?;
        if let Some(twice) = all.iter().position(|(d, _)| *d == dof.along()) {
            let says = format!(
                "{} and {} both measure {}; allowed: one channel for each point and direction",
                channels[twice].name,
                c.name,
                dof.along()
            );
            return Err(Refusal::new("channels", says));
        }
        all.push((dof.along(), dof.factor()));
    }
    Ok(all)
}
