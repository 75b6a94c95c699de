//! Channels computed by formulas, as a run or a rig has them.

use super::source::calibrated;
use crate::{Desk, Result};
use echo_job::math::{Known, MathChannel, formulas};
use echo_store::run::Run;
use serde::Serialize;
use utoipa::ToSchema;

/// A computed channel as a run has it.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct RunMath {
    /// Its number in recipes for this run; none where it cannot be computed.
    pub channel: Option<u32>,
    /// Name and formula.
    #[serde(flatten)]
    pub math: MathChannel,
    /// Unit of its values.
    pub unit: String,
    /// Why it cannot be computed.
    pub refused: Option<String>,
}

/// Computed channels over given ones: those that can be computed are numbered on.
pub fn computed(known: &[Known], math: Vec<MathChannel>) -> Vec<RunMath> {
    let mut taken: Vec<MathChannel> = Vec::new();
    math.into_iter()
        .map(|m| {
            let mut with = taken.clone();
            with.push(m.clone());
            match formulas(known, &with) {
                Ok(all) => {
                    taken = with;
                    let unit = all.last().map_or_else(String::new, |f| f.unit().to_string());
                    RunMath { channel: Some((known.len() + taken.len()) as u32), math: m, unit, refused: None }
                }
                Err(e) => RunMath { channel: None, math: m, unit: String::new(), refused: Some(e.says) },
            }
        })
        .collect()
}

/// Computed channels as a run has them.
///
/// # Errors
/// The database is away.
pub async fn math_of(desk: &Desk, run: &Run) -> Result<Vec<RunMath>> {
    let math = desk.store.math(run.campaign_id).await?;
    if math.is_empty() {
        return Ok(Vec::new());
    }
    let all = calibrated(&desk.store, run.id).await?;
    let known: Vec<Known> =
        all.into_iter().map(|c| Known { name: c.recorded.row.name, unit: c.recorded.row.unit }).collect();
    Ok(computed(&known, math))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_cannot_be_computed_takes_no_number() {
        let known: Vec<Known> =
            [("top", "m/s²"), ("tacho", "V")].map(|(n, u)| Known { name: n.into(), unit: u.into() }).to_vec();
        let math = |all: &[(&str, &str)]| -> Vec<MathChannel> {
            all.iter().map(|(n, is)| MathChannel { name: (*n).into(), is: (*is).into() }).collect()
        };
        let all = computed(
            &known,
            math(&[
                ("twice", "2 * top"),
                ("lost", "bilge - top"),
                ("more", "lost + top"),
                ("slope", "derivative(twice)"),
            ]),
        );
        let numbers: Vec<Option<u32>> = all.iter().map(|m| m.channel).collect();
        assert_eq!(numbers, [Some(3), None, None, Some(4)], "what names a lost one is lost, too");
        assert_eq!((all[0].unit.as_str(), all[3].unit.as_str()), ("m/s²", "m/s³"));
        assert!(all[1].refused.as_deref().is_some_and(|s| s.contains("bilge is no channel")));
        assert!(computed(&[], math(&[("a", "c1")]))[0].refused.is_some());
    }
}
