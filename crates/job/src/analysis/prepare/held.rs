//! What a recipe holds at once.

use super::feed::MOST_PIECE;
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
    let held = if whole {
        3 * samples * (channels + 1)
    } else if !recipe.prepare.is_empty() || recipe.unit.is_some() {
        3 * samples * channels.min(rayon::current_num_threads() as u64)
    } else {
        0
    };
    8 * (pieces + held)
}
