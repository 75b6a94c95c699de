//! Takes of a run with their samples.

use super::source::{Calibrated, length};
use crate::{Desk, Result};
use echo_store::run::Run;
use echo_store::take::StoredTake;

/// Samples, over all channels, that are read at once.
const AT_ONCE: usize = 1 << 22;

/// Hands each take to something with the samples of its channels in their units, NaN where nothing was
/// recorded. Many takes are read at once, but not more than memory is to hold.
///
/// # Errors
/// The database is away.
pub async fn each(
    desk: &Desk,
    run: &Run,
    channels: &[&Calibrated],
    takes: &[StoredTake],
    mut to: impl FnMut(&StoredTake, Vec<Vec<f64>>),
) -> Result<()> {
    let numbers: Vec<i16> = channels.iter().map(|c| c.channel).collect();
    let mut left = takes;
    while !left.is_empty() {
        let mut samples = 0;
        let fits = left.iter().take_while(|t| {
            samples += length(t, run) * channels.len();
            samples <= AT_ONCE
        });
        let (now, later) = left.split_at(fits.count().max(1));
        left = later;
        let stretches: Vec<(i64, usize)> = now.iter().map(|t| (t.first_sample, length(t, run))).collect();
        let read = desk.store.stretches(run.id, &numbers, &stretches).await?;
        for (k, take) in now.iter().enumerate() {
            let of = |(counts, c): (&Vec<Vec<Option<i32>>>, &&Calibrated)| {
                counts[k].iter().map(|x| x.map_or(f64::NAN, |x| f64::from(x) * c.factor)).collect()
            };
            to(take, read.iter().zip(channels).map(of).collect());
        }
    }
    Ok(())
}
