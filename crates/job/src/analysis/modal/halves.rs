//! How much modes scatter over halves of the hits: what the same series would tell if it were measured again.

use super::{Seen, Table, found, settings_of, told};
use crate::analysis::AnalysisError;
use crate::analysis::result::Trace;
use crate::recipe::Recipe;
use echo_signal::modal::poles::Pole;
use echo_signal::modal::refine::refined;
use serde::Serialize;
use utoipa::ToSchema;

/// How often the hits are halved.
pub const SPLITS: usize = 4;

/// The hits of a point in two halves, by their places; another pair for every split and point. The first half has
/// one less where their number is odd.
pub fn halved(hits: usize, split: usize, point: usize) -> [Vec<usize>; 2] {
    let mut places: Vec<usize> = (0..hits).collect();
    // Any mixing will do that is the same every time.
    let mut state = 0x9e37_79b9_7f4a_7c15_u64 ^ ((split as u64) << 32) ^ point as u64;
    for k in (1..hits).rev() {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        places.swap(k, (state >> 33) as usize % (k + 1));
    }
    let mut second = places.split_off(hits / 2);
    places.sort_unstable();
    second.sort_unstable();
    [places, second]
}

/// Frequency, Hz, and damping ratio of every mode.
pub type HalfModes = Vec<(f64, f64)>;

/// The modes of a set of responses as half of the hits tells them: the same poles, refined to these responses.
///
/// # Errors
/// As [`super::modes`]; responses that are not those of the set.
pub fn of_half(
    seen: &Seen,
    recipe: &Recipe,
    (frequencies_hz, traces): (&[f64], &[Trace]),
) -> Result<HalfModes, AnalysisError> {
    let settings = settings_of(recipe)?;
    let found = found(seen, &settings)?;
    let poles: Vec<Pole> = found.1.modes.iter().map(|m| m.pole.clone()).collect();
    let table = Table::new(frequencies_hz, traces, settings.references.as_deref())?;
    let band = table.functions.band(seen.band.band_hz()).map_err(told)?;
    let added = settings.added_decay.unwrap_or(0.0);
    let poles = refined(&band, &poles).map_err(told)?.into_iter().map(|p| p.without_window(added));
    Ok(poles.map(|p| (p.frequency_hz(), p.damping_ratio())).collect())
}

/// How much a mode scatters: the standard deviation of what all hits together tell.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, ToSchema)]
pub struct HalfScatter {
    /// Its number.
    pub mode: u32,
    /// Of its frequency, Hz.
    pub frequency_hz: f64,
    /// Of its damping ratio.
    pub damping_ratio: f64,
}

/// Scatter over halves: half of the hits scatters with twice the variance of all.
pub fn scatter(halves: &[HalfModes]) -> Vec<HalfScatter> {
    let deviation = |of: &dyn Fn(&HalfModes) -> f64| {
        let n = halves.len() as f64;
        let mean = halves.iter().map(of).sum::<f64>() / n;
        (halves.iter().map(|h| (of(h) - mean).powi(2)).sum::<f64>() / (n - 1.0).max(1.0) / 2.0).sqrt()
    };
    let modes = halves.iter().map(Vec::len).min().unwrap_or(0);
    (0..modes)
        .map(|k| HalfScatter {
            mode: k as u32 + 1,
            frequency_hz: deviation(&|h| h[k].0),
            damping_ratio: deviation(&|h| h[k].1),
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn halves_hold_every_hit_once_and_change_with_the_split() {
        for hits in 2..9 {
            let all: Vec<[Vec<usize>; 2]> = (0..SPLITS).map(|s| halved(hits, s, 3)).collect();
            for [a, b] in &all {
                let mut both = [a.clone(), b.clone()].concat();
                both.sort_unstable();
                assert_eq!(both, (0..hits).collect::<Vec<_>>());
                assert_eq!(a.len(), hits / 2);
            }
            assert_eq!(all[1], halved(hits, 1, 3), "the same every time");
            assert!(hits < 4 || all.iter().any(|h| *h != all[0]), "{hits} hits: {all:?}");
        }
    }

    #[test]
    fn scatter_is_that_of_all_hits() {
        let halves = [vec![(100.0, 0.01)], vec![(102.0, 0.01)]];
        let found = scatter(&halves);
        // Two halves 2 Hz apart: each ±√2, all together ±1.
        assert!((found[0].frequency_hz - 1.0).abs() < 1e-12 && found[0].damping_ratio == 0.0, "{found:?}");
        assert_eq!(found[0].mode, 1);
    }
}
