//! What a recipe holds at once.

use super::feed::MOST_PIECE;
use super::steps::rate_after;
use super::stretch::stretch;
use crate::analysis::source::SourceInfo;
use crate::recipe::{Lens, Recipe};

/// About how many bytes a recipe holds at once while it is carried out: what streams passes in pieces,
/// what is prepared or read by a shaft's angle is held whole, with a copy or two on the way.
pub fn held_bytes(recipe: &Recipe, info: &SourceInfo) -> u64 {
    let pieces = 2 * MOST_PIECE as u64;
    let samples = stretch(recipe.stretch, info).map_or(0, |(from, to)| to - from);
    let all = info.channels.len() + recipe.math.len();
    let channels = recipe.channels.as_ref().map_or(all, Vec::len) as u64;
    let whole = recipe.lens.follows_shaft() || matches!(recipe.lens, Lens::Arrivals(_) | Lens::Envelope(_));
    // Where channels are looked at together, all of them are prepared before the first is.
    let together =
        matches!(recipe.lens, Lens::Cross(_) | Lens::Response(_) | Lens::Deflection(_) | Lens::OperationalModes(_));
    let held = if whole {
        3 * samples * (channels + 1)
    } else if recipe.prepare.is_empty() && recipe.unit.is_none() {
        0
    } else if together {
        3 * samples * (channels + 1)
    } else {
        3 * samples * channels.min(rayon::current_num_threads() as u64)
    };
    let sums = match &recipe.lens {
        Lens::OperationalModes(m) => {
            let lags = m.longest_lag_s * rate_after(&recipe.prepare, info.sample_rate_hz);
            let references = m.references.as_ref().map_or(3, Vec::len) as u64;
            8 * lags.clamp(0.0, 1e9) as u64 * channels * (references + 2)
        }
        _ => 0,
    };
    8 * (pieces + held + sums)
}
