//! A run, or part of it, as a file.

mod handed;

pub(crate) use handed::Handed;

use self::handed::{Grows, Pieces, grown};
use super::going::Watched;
use super::source::RunSource;
use crate::{Desk, Error, Result};
use echo_formats::csv::CsvOut;
use echo_formats::parquet::ParquetOut;
use echo_formats::uff::{Style, of_samples, write as universal};
use echo_formats::wav::WavOut;
use echo_formats::xlsx_run::XlsxOut;
use echo_job::analysis::{Source, SourceChannel};
use echo_job::export::{ExportFormat, RunExport};
use echo_job::specimen::Specimen;
use echo_signal::resample::{Resampler, ratio};
use echo_store::chunk::chunk_samples;
use echo_store::job::Mark;
use std::fs::File;
use std::io::{BufWriter, Seek, SeekFrom, Write, sink};
use std::sync::Arc;
use std::sync::mpsc::sync_channel;
use tokio::sync::mpsc::{Receiver, channel};
use tokio::task::JoinHandle;

/// Samples a channel that are read at once, at least: row groups of fewer would be more foot than file.
const BLOCK: u64 = 1 << 14;
/// Blocks that are read, and pieces that are made, before they are asked for.
const AHEAD: usize = 2;

/// A channel's samples at a lower rate, made as they come.
struct Slower {
    resampler: Resampler,
    up: u64,
    down: u64,
    /// Samples read and written so far, and the last one that was there.
    read: u64,
    written: u64,
    last: f64,
    /// Samples that are missing, by their place; those behind what was written already are forgotten.
    missing: Vec<u64>,
}

impl Slower {
    fn new(from_hz: f64, to_hz: f64) -> Result<Slower> {
        let told = |e: echo_signal::SignalError| Error::conflict(e.to_string());
        let (up, down) = ratio(from_hz, to_hz).map_err(told)?;
        let resampler = Resampler::new(up, down).map_err(told)?;
        Ok(Slower { resampler, up, down, read: 0, written: 0, last: 0.0, missing: Vec::new() })
    }

    /// What can be made of more samples, or of the last ones where there are none. What a missing one reaches into
    /// is missing too.
    fn made(&mut self, samples: Option<&[f64]>) -> Result<Vec<f64>> {
        let mut out = Vec::new();
        match samples {
            Some(x) => {
                let mut held = Vec::with_capacity(x.len());
                for (i, x) in x.iter().enumerate() {
                    if x.is_finite() {
                        self.last = *x;
                    } else {
                        self.missing.push(self.read + i as u64);
                    }
                    held.push(self.last);
                }
                self.read += x.len() as u64;
                self.resampler.push(&held, &mut out).map_err(|e| Error::fault(e.to_string()))?;
            }
            None => self.resampler.finish(&mut out),
        }
        let reach = self.resampler.lag() as u64;
        for x in &mut out {
            let at = self.written * self.down / self.up;
            let first = self.missing.partition_point(|m| m + reach < at);
            self.missing.drain(..first);
            if self.missing.first().is_some_and(|m| *m <= at + reach) {
                *x = f64::NAN;
            }
            self.written += 1;
        }
        Ok(out)
    }
}

/// What is written of a run: some of its channels, a stretch, at its rate or a lower one.
struct Part {
    source: RunSource,
    channels: Vec<usize>,
    from: u64,
    to: u64,
    /// Samples of these that were written before.
    written: u64,
    rate_hz: f64,
    slower: bool,
}

impl Part {
    fn rate(&self) -> f64 {
        self.source.info().sample_rate_hz
    }

    fn heads(&self, counts: bool) -> Vec<(String, String)> {
        let unit = |c: &SourceChannel| if counts { String::new() } else { c.unit.clone() };
        let all = &self.source.info().channels;
        self.channels.iter().map(|i| (all[*i].name.clone(), unit(&all[*i]))).collect()
    }

    /// Gives the samples of some of its channels block by block, and tells the share that is done. The next ones are
    /// read while these are written.
    fn each(
        &mut self,
        channels: &[usize],
        told: &mut dyn FnMut(f64) -> bool,
        sink: &mut dyn FnMut(&[Vec<f64>]) -> Result<()>,
    ) -> Result<()> {
        let (from, to, whole) = (self.from, self.to, (self.to - self.from) as f64);
        let begin = from + self.written;
        // Whole chunks, so that each is unpacked once.
        let block = (chunk_samples(self.rate()) as u64).max(BLOCK);
        let mut slower = Vec::new();
        if self.slower {
            for _ in channels {
                slower.push(Slower::new(self.rate(), self.rate_hz)?);
            }
        }
        let source = &mut self.source;
        std::thread::scope(|threads| {
            let (blocks, read) = sync_channel::<Result<(u64, Vec<Vec<f64>>)>>(AHEAD);
            threads.spawn(move || {
                let mut at = begin;
                while at < to {
                    let n = (block - at % block).min(to - at) as usize;
                    let mut buffers = vec![Vec::new(); channels.len()];
                    let block = source.read(channels, at, n, &mut buffers).map_err(Error::from);
                    at += n as u64;
                    let over = block.is_err();
                    // Whoever writes may have ended: stopped, or out of room.
                    if blocks.send(block.map(|()| (at, buffers))).is_err() || over {
                        break;
                    }
                }
            });
            for block in read {
                let (at, buffers) = block?;
                if slower.is_empty() {
                    sink(&buffers)?;
                } else {
                    let made = slower.iter_mut().zip(&buffers).map(|(s, x)| s.made(Some(x)));
                    sink(&made.collect::<Result<Vec<_>>>()?)?;
                }
                if !told((at - from) as f64 / whole) {
                    return Err(Error::Stopped);
                }
            }
            if !slower.is_empty() {
                sink(&slower.iter_mut().map(|s| s.made(None)).collect::<Result<Vec<_>>>()?)?;
            }
            Ok(())
        })
    }

    /// Writes all of its channels beside each other. At a lower rate a file cannot be gone on with: what a sample is made
    /// of reaches into the ones before.
    fn grows(&mut self, told: &mut dyn FnMut(f64) -> bool, out: &mut impl Grows) -> Result<()> {
        let channels = self.channels.clone();
        if self.slower {
            return self.each(&channels, told, &mut |x| out.add(x));
        }
        grown(out, |sink| self.each(&channels, told, sink))
    }
}

/// Writes what can be written from its beginning to its end, or on from a mark; the others go by [`filed`].
fn streamed(
    part: &mut Part,
    wish: &RunExport,
    words: &[(&str, String)],
    told: &mut dyn FnMut(f64) -> bool,
    (mut to, mark): (Pieces, Option<Mark>),
) -> Result<()> {
    let (rate, heads, channels) = (part.rate_hz, part.heads(wish.counts), part.channels.clone());
    match wish.format {
        ExportFormat::Csv => {
            let style = (wish.separator, wish.decimal_comma);
            let mut out = match &mark {
                Some(mark) => CsvOut::new(sink(), rate, &heads, wish.counts, style)?.on(to, mark.done),
                None => CsvOut::new(to, rate, &heads, wish.counts, style)?,
            };
            part.grows(told, &mut out)?;
        }
        ExportFormat::Parquet => {
            let mut out = match &mark {
                Some(mark) => {
                    let begun = ParquetOut::new(sink(), rate, &heads, wish.counts, words)?;
                    begun.on(to, (mark.done, mark.bytes), &mark.foot)?
                }
                None => ParquetOut::new(to, rate, &heads, wish.counts, words)?,
            };
            part.grows(told, &mut out)?;
            out.finish()?;
        }
        ExportFormat::Universal => {
            let from_s = part.from as f64 / part.rate();
            let before = mark.map_or(0, |m| m.done as usize);
            for (k, index) in channels.iter().enumerate().skip(before) {
                let mut samples = Vec::new();
                let share = |done: f64| (k as f64 + done) / channels.len() as f64;
                let ended = part.each(&[*index], &mut |done| told(share(done)), &mut |x| {
                    samples.extend_from_slice(&x[0]);
                    Ok(())
                });
                if matches!(ended, Err(Error::Stopped)) {
                    to.mark(k as u64, Vec::new())?;
                }
                ended?;
                let channel = part.source.info().channels[*index].clone();
                if samples.iter().any(|x| !x.is_finite()) {
                    let says = format!(
                        "{} has gaps, which a universal file cannot tell; choose a bracket without",
                        channel.name
                    );
                    return Err(Error::conflict(says));
                }
                let dataset = of_samples(&channel, *index as u32 + 1, (from_s, rate), samples);
                to.write_all(&universal(&[dataset], Style::Binary))?;
                if to.due() {
                    to.mark(k as u64 + 1, Vec::new())?;
                }
            }
        }
        ExportFormat::Wav | ExportFormat::Xlsx => return Err(Error::fault("this one is written to a file first")),
    }
    Ok(())
}

/// Writes what is known at its beginning only when it has come to its end, to a temporary file.
fn filed(part: &mut Part, wish: &RunExport, told: &mut dyn FnMut(f64) -> bool) -> Result<File> {
    let mut file = tempfile::tempfile()?;
    let (rate, heads, channels) = (part.rate_hz, part.heads(wish.counts), part.channels.clone());
    let to = BufWriter::new(&mut file);
    if wish.format == ExportFormat::Xlsx {
        let mut out = XlsxOut::new(rate, &heads)?;
        part.each(&channels, told, &mut |x| Ok(out.push(x)?))?;
        out.finish(to)?;
    } else {
        let mut out = WavOut::new(to, rate, channels.len(), wish.counts)?;
        part.each(&channels, told, &mut |x| Ok(out.push(x)?))?;
        out.finish()?;
    }
    file.seek(SeekFrom::Start(0))?;
    Ok(file)
}

/// An export that is being written.
pub(crate) enum Written {
    /// Whole, in a file of its own.
    File(File),
    /// On its way: pieces as they are made, and what came of it, which tells whether they are all of it.
    Pieces(Receiver<Handed>, JoinHandle<Result<()>>),
}

/// Writes a run as it was wished, from its beginning or on from a mark, away from the threads that answer requests; its
/// whole is `share` of what is watched.
///
/// # Errors
/// There is no such run, what is wished does not fit it, it was stopped, there is no room for the file, or the database
/// is away.
pub(crate) async fn written(
    desk: &Desk,
    run: i64,
    (wish, mark): (RunExport, Option<Mark>),
    watched: Arc<Watched>,
    share: f64,
) -> Result<Written> {
    let run = desk.store.run(run).await?;
    let mut source = RunSource::open(&desk.store, &run).await?;
    let names = source.info().channels.iter().map(|c| c.name.clone());
    let there: Vec<(i16, String)> = source.numbers().into_iter().zip(names).collect();
    wish.check(run.sample_rate_hz, run.samples as u64, &there)?;
    if wish.counts {
        source.as_counts();
    }
    // A universal file knows x, y and z; what the specimen calls them is told by its geometry.
    let specimen: Specimen = serde_json::from_value(desk.store.specimen(run.campaign_id).await?.0)?;
    source.with_letters(&specimen.geometry);
    let place = |c: &i16| there.iter().position(|(n, _)| n == c);
    let channels = wish.chosen(&there)?.iter().filter_map(place).collect();
    let (from, to) = wish.stretch(run.sample_rate_hz, run.samples as u64)?;
    let rate_hz = wish.rate_hz.unwrap_or(run.sample_rate_hz);
    // A universal file holds one channel after the other.
    let written = mark.as_ref().filter(|_| wish.format != ExportFormat::Universal).map_or(0, |m| m.done);
    let mut part = Part { source, channels, from, to, written, rate_hz, slower: rate_hz < run.sample_rate_hz };
    let begun = run.started_at + chrono::Duration::nanoseconds((from as f64 / run.sample_rate_hz * 1e9) as i64);
    let words = [("run", run.number.to_string()), ("kind", run.kind.clone()), ("started_at", begun.to_rfc3339())];
    if matches!(wish.format, ExportFormat::Wav | ExportFormat::Xlsx) {
        let made = move || filed(&mut part, &wish, &mut |done| watched.tell(done * share));
        return Ok(Written::File(tokio::task::spawn_blocking(made).await??));
    }
    let (to, pieces) = channel(AHEAD);
    let made = move || {
        let to = Pieces::new(to, mark.as_ref());
        streamed(&mut part, &wish, &words, &mut |done| watched.tell(done * share), (to, mark))
    };
    Ok(Written::Pieces(pieces, tokio::task::spawn_blocking(made)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_slow_sine_stays_what_it_was_and_a_gap_stays_a_gap() {
        let (n, rate) = (8000usize, 1000.0);
        let sine = |t: f64| (std::f64::consts::TAU * 7.0 * t).sin();
        let mut x: Vec<f64> = (0..n).map(|i| sine(i as f64 / rate)).collect();
        x[4000..4010].fill(f64::NAN);
        let mut slower = Slower::new(rate, 250.0).unwrap();
        let mut out = Vec::new();
        for block in x.chunks(700) {
            out.extend(slower.made(Some(block)).unwrap());
        }
        out.extend(slower.made(None).unwrap());
        assert_eq!(out.len(), n / 4);
        let reach = slower.resampler.lag() / 4 + 1;
        for (k, x) in out.iter().enumerate().skip(reach).take(out.len() - 2 * reach) {
            if (1000 - reach..=1003 + reach).contains(&k) {
                assert!(x.is_nan() || !(1000..1003).contains(&k), "{k}");
            } else {
                assert!((x - sine(k as f64 / 250.0)).abs() < 1e-4, "{k}: {x}");
            }
        }
        assert!(out[1001].is_nan());
    }
}
