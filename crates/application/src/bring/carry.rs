//! A file becoming a run, and its functions results: samples are read twice, for the counts that fit them and then for the counts themselves.

use super::curves::{found, keep};
use super::laying::Laying;
use super::reading::FileReading;
use super::taken::{Taken, taken};
use crate::runs::going::Watched;
use crate::uploads::{forget, local};
use crate::{Desk, Error, Result};
use echo_formats::FormatError;
use echo_formats::file::{Kind, open_with};
use echo_job::analysis::{Source, SourceInfo};
use echo_job::plan::{Length, Plan};
use echo_job::rig::Rig;
use echo_store::Store;
use echo_store::job::Made;
use echo_store::run::{Brought, Gap, NewRun};
use echo_store::upload::Upload;
use std::collections::BTreeSet;
use std::path::Path;
use std::sync::Arc;
use tempfile::NamedTempFile;
use tokio::runtime::Handle;

/// Numbers of all channels that are read at once.
const AT_ONCE: u64 = 1 << 21;
/// Largest count of a channel that holds no counts: 180 dB below it lies its last step.
const FULL: f64 = (1u32 << 29) as f64;
/// Steps that counts of converters and files have, in powers of two below one.
const STEPS: [i32; 4] = [0, 7, 15, 23];
/// Share of the work that is done when the samples were read once.
const READ: f64 = 0.35;
/// Stretches without numbers that a channel may have.
const MOST_HOLES: usize = 10_000;

/// What was found of a channel's numbers.
#[derive(Debug, Clone, Copy)]
struct Seen {
    largest: f64,
    /// Which of the steps all of its numbers are whole multiples of.
    whole: [bool; STEPS.len()],
    /// Numbers that are none.
    holes: u64,
}

impl Seen {
    const NOTHING: Seen = Seen { largest: 0.0, whole: [true; STEPS.len()], holes: 0 };

    fn look(&mut self, x: f64) {
        if !x.is_finite() {
            self.holes += 1;
            return;
        }
        self.largest = self.largest.max(x.abs());
        for (whole, step) in self.whole.iter_mut().zip(STEPS) {
            *whole = *whole && (x * 2f64.powi(step)).fract() == 0.0;
        }
    }

    /// What one count is: a step that all numbers are multiples of, so that none is changed, or else a very fine one.
    fn count(&self) -> f64 {
        let fits = |step: &i32| self.largest * 2f64.powi(*step) <= f64::from(i32::MAX);
        let exact = STEPS.iter().zip(self.whole).find(|(step, whole)| *whole && fits(step));
        match exact {
            Some((step, _)) => 2f64.powi(-*step),
            None => self.largest.max(f64::MIN_POSITIVE * FULL) / FULL,
        }
    }
}

/// Reads all samples of the taken channels block by block.
fn blocks(
    source: &mut dyn Source,
    taken: &[Taken],
    mut told: impl FnMut(f64) -> bool,
    mut sink: impl FnMut(u64, &[Vec<f64>]) -> Result<()>,
) -> Result<()> {
    let samples = source.info().samples;
    let channels: Vec<usize> = taken.iter().map(|t| t.source).collect();
    let step = (AT_ONCE / channels.len() as u64).clamp(256, 1 << 17);
    let mut out = vec![Vec::new(); channels.len()];
    let mut at = 0;
    while at < samples {
        let n = step.min(samples - at);
        source.read(&channels, at, n as usize, &mut out)?;
        sink(at, &out)?;
        at += n;
        if !told(at as f64 / samples as f64) {
            return Err(Error::Stopped);
        }
    }
    Ok(())
}

/// Lays the counts of all channels.
fn lay(
    source: &mut dyn Source,
    (taken, counts): (&[Taken], &[f64]),
    (store, run, handle): (&Store, i64, &Handle),
    told: impl FnMut(f64) -> bool,
) -> Result<()> {
    let info = source.info().clone();
    let mut lanes: Vec<Laying> = (1..=taken.len())
        .map(|channel| Laying::new(channel as i16, info.sample_rate_hz, BTreeSet::new()).beside(taken.len()))
        .collect();
    let mut holes = vec![0usize; taken.len()];
    let mut whole: Vec<i32> = Vec::new();
    blocks(source, taken, told, |at, block| {
        for (k, (lane, samples)) in lanes.iter_mut().zip(block).enumerate() {
            for stretch in samples.chunk_by(|a, b| a.is_finite() == b.is_finite()) {
                if stretch[0].is_finite() {
                    whole.clear();
                    whole.extend(stretch.iter().map(|x| (x / counts[k]).round() as i32));
                    lane.push(&whole)?;
                } else {
                    holes[k] += 1;
                    lane.skip(lane.next() + stretch.len() as i64)?;
                }
            }
            debug_assert_eq!(lane.next(), (at + samples.len() as u64) as i64);
            if holes[k] > MOST_HOLES + info.gaps.len() {
                let says = format!("channel {} has more than {MOST_HOLES} stretches that are no numbers", k + 1);
                return Err(Error::Input(says));
            }
            lane.write((store, run, handle), false)?;
        }
        Ok(())
    })?;
    lanes.iter_mut().try_for_each(|lane| lane.write((store, run, handle), true))
}

/// What was assumed or done to read a file, for the run.
fn said(info: &SourceInfo, taken: &[Taken], seen: &[Seen]) -> Vec<String> {
    let mut said = info.notes.clone();
    let gaps: u64 = info.gaps.iter().map(|g| g.1).sum();
    for (t, s) in taken.iter().zip(seen).filter(|(_, s)| s.holes > gaps) {
        said.push(format!("{}: {} samples are no finite numbers and were left out", t.row.name, s.holes - gaps));
    }
    if info.full_scale {
        said.push("its samples are shares of full scale; what that is was told by hand, or taken as 1".into());
    }
    said
}

/// A file that is open, with what was found in it.
struct Opened {
    kind: Kind,
    source: Box<dyn Source>,
    taken: Vec<Taken>,
    seen: Vec<Seen>,
}

fn opened(path: &Path, name: &str, reading: &FileReading, watched: &Watched) -> Result<Opened> {
    let (kind, mut source) = open_with(path, &reading.columns()).map_err(|e| as_called(&e, path, name))?;
    let taken = taken(source.info(), reading)?;
    let mut seen = vec![Seen::NOTHING; taken.len()];
    let told = |share: f64| watched.tell(share * READ);
    blocks(source.as_mut(), &taken, told, |_, block| {
        seen.iter_mut().zip(block).for_each(|(s, x)| x.iter().for_each(|x| s.look(*x)));
        Ok(())
    })?;
    Ok(Opened { kind, source, taken, seen })
}

/// Brings a file that was sent into a campaign: its samples as a run, functions and shapes as kept results. What
/// cannot be brought in to its end leaves nothing behind.
///
/// # Errors
/// The file cannot be read, is not what was said of it, it was stopped, or the database is away.
pub(crate) async fn brought(
    desk: &Desk,
    (campaign, upload): (i64, i64),
    reading: FileReading,
    watched: &Arc<Watched>,
    who: &str,
) -> Result<Made> {
    let (sent, file) = local(desk, upload).await?;
    let (path, name) = (file.clone(), sent.name.clone());
    let kept = tokio::task::spawn_blocking(move || found(path.path()).map_err(|e| as_called(&e, path.path(), &name)))
        .await??;
    // A file with nothing at all is told so by whoever looks for samples in it.
    let run = if kept.time_responses > 0 || kept.results.is_empty() {
        Some(run_of(desk, campaign, (&sent, file), reading, watched, who).await?)
    } else {
        None
    };
    let result = match keep(desk, campaign, (&sent, &kept), who).await {
        Ok(result) => result,
        Err(e) => {
            if let Some(run) = run {
                let _ = desk.store.delete_run(run).await;
            }
            return Err(e);
        }
    };
    forget(desk, upload).await?;
    Ok(Made { result, run, ..Made::default() })
}

/// What is wrong with a file, by the name it was sent under.
fn as_called(e: &FormatError, path: &Path, name: &str) -> Error {
    Error::conflict(e.to_string().replace(&path.display().to_string(), name))
}

/// Brings the samples of a file in as a run; gives its key.
async fn run_of(
    desk: &Desk,
    campaign: i64,
    (sent, file): (&Upload, Arc<NamedTempFile>),
    reading: FileReading,
    watched: &Arc<Watched>,
    who: &str,
) -> Result<i64> {
    let (path, name, as_said, seen_by) = (file.clone(), sent.name.clone(), reading.clone(), watched.clone());
    let open = tokio::task::spawn_blocking(move || opened(path.path(), &name, &as_said, &seen_by)).await??;
    let Opened { kind, mut source, taken, seen } = open;
    let info = source.info().clone();
    let counts: Vec<f64> = seen.iter().map(Seen::count).collect();
    let called = if reading.kind.trim().is_empty() { sent.name.clone() } else { reading.kind.trim().to_string() };
    let rig = Rig { name: format!("as in {}", sent.name), channels: taken.iter().map(|t| t.row.clone()).collect() };
    let length = Length::After { duration_s: info.samples as f64 / info.sample_rate_hz };
    let plan = Plan { sample_rate_hz: info.sample_rate_hz, length, run_kind: called.clone(), ..Plan::default() };
    let run = desk
        .store
        .open_run(&NewRun {
            campaign,
            kind: called,
            sample_rate_hz: info.sample_rate_hz,
            clean_share: echo_job::front_end::USUAL_CLEAN_SHARE,
            front_end: format!("brought in from {}", sent.name),
            rig,
            plan,
            recorder: String::new(),
            together: None,
            divide: 1,
            who: who.into(),
            brought: Some(Brought {
                file: sent.name.clone(),
                sha256: sent.sha256.clone(),
                kind: kind.name().into(),
                said: said(&info, &taken, &seen),
            }),
            channels: taken.iter().zip(&counts).map(|(t, count)| (t.row.clone(), count * t.scale)).collect(),
        })
        .await?
        .id;
    let (store, handle, by) = (desk.store.clone(), Handle::current(), watched.clone());
    let laid = tokio::task::spawn_blocking(move || {
        let told = |share: f64| by.tell(READ + (1.0 - READ) * share);
        lay(source.as_mut(), (&taken, &counts), (&store, run, &handle), told)
    })
    .await?;
    let ended = async {
        laid?;
        let gap = |(from, n): &(u64, u64)| Gap {
            first_sample: *from as i64,
            samples: *n as i64,
            why: "not in the file".into(),
        };
        let gaps: Vec<Gap> = info.gaps.iter().map(gap).collect();
        desk.store.append(run, &[], &gaps, false).await?;
        if let Some(at) = reading.started_at {
            desk.store.date_run(run, at).await?;
        }
        desk.store.close_run(run, info.samples as i64, true, "brought in").await?;
        Ok(run)
    };
    let ended: Result<i64> = ended.await;
    if ended.is_err() {
        // Nothing half-made stays; where the database is away it is swept later.
        let _ = desk.store.delete_run(run).await;
    }
    ended
}

#[cfg(test)]
mod tests {
    use super::*;

    fn seen(numbers: &[f64]) -> Seen {
        let mut seen = Seen::NOTHING;
        numbers.iter().for_each(|x| seen.look(*x));
        seen
    }

    #[test]
    fn counts_of_a_converter_are_kept_as_they_are() {
        assert_eq!(seen(&[3.0, -70_000.0]).count(), 1.0, "whole numbers");
        assert_eq!(seen(&[3.0 / 32_768.0, -1.0]).count(), 2f64.powi(-15), "16 bits");
        let fine = [1.0 / 8_388_608.0, -0.5];
        assert_eq!(seen(&fine).count(), 2f64.powi(-23), "24 bits");
        for x in fine {
            let count = (x / seen(&fine).count()).round() as i32;
            assert_eq!(f64::from(count) * seen(&fine).count(), x);
        }
    }

    #[test]
    fn other_numbers_are_kept_to_a_billionth_of_the_largest() {
        let numbers = [0.1, -0.3, 0.299_999_9];
        let count = seen(&numbers).count();
        for x in numbers {
            let back = f64::from((x / count).round() as i32) * count;
            assert!((back - x).abs() < 0.3 * 1e-9, "{x} {back}");
        }
        assert!(seen(&[0.0, 0.0]).count() > 0.0, "silence has a count too");
    }

    #[test]
    fn what_is_no_number_is_counted_as_a_hole() {
        let seen = seen(&[1.0, f64::NAN, f64::INFINITY]);
        assert_eq!((seen.holes, seen.largest), (2, 1.0));
    }
}
