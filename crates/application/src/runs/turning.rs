//! The tachometer of a run.

use super::source::calibrated;
use crate::{Desk, Result};
use echo_job::recipe::Tacho;
use echo_store::run::Run;

/// The run's first tachometer, its channel found among those recorded, or what it was put right to.
///
/// # Errors
/// The database is away.
pub async fn tacho_of(desk: &Desk, run: &Run) -> Result<Option<Tacho>> {
    if let Some(c) = desk.store.corrections(run.id).await?.into_iter().rfind(|c| c.channel.is_none()) {
        return Ok(serde_json::from_value(c.body).ok());
    }
    let plan = desk.store.run_plan(run.id).await?;
    let Some(t) = plan.tachos.first() else { return Ok(None) };
    let all = calibrated(&desk.store, run.id).await?;
    let Some(c) = all.iter().find(|c| c.recorded.row.input == t.input) else { return Ok(None) };
    // A plan's levels are in the unit that was shown then.
    let to = |unit: &str| echo_job::unit::find(unit).map_or(f64::NAN, |u| u.to_si);
    let scale = to(&t.unit) / to(&c.recorded.row.unit);
    Ok(Some(Tacho {
        channel: c.channel as u32,
        threshold: Some(t.threshold * scale).filter(|x| x.is_finite()),
        slope: t.slope,
        hysteresis: Some(t.hysteresis * scale).filter(|x| x.is_finite()),
        pulses_per_rev: t.pulses_per_rev,
        missing_teeth: t.missing_teeth,
        uneven: t.uneven,
        smooth_s: None,
        smooth_rev: None,
    }))
}
