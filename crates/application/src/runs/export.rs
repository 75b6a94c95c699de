//! A run as WAV or CSV in engineering units.

use super::going::Watched;
use super::source::RunSource;
use crate::jobs::ExportFormat;
use crate::{Desk, Error, Result};
use echo_formats::csv::CsvOut;
use echo_formats::wav::{WavOut, write_gaps};
use echo_job::analysis::Source;
use std::fs::File;
use std::io::{BufWriter, Seek, SeekFrom};
use std::sync::Arc;

/// Samples a channel that are written at once.
const BLOCK: u64 = 1 << 16;

fn blocks(
    source: &mut RunSource,
    mut told: impl FnMut(f64) -> bool,
    mut sink: impl FnMut(&[Vec<f64>]) -> Result<()>,
) -> Result<()> {
    let (samples, count) = (source.info().samples, source.info().channels.len());
    let all: Vec<usize> = (0..count).collect();
    let mut buffers = vec![Vec::new(); count];
    let mut at = 0;
    while at < samples {
        let n = BLOCK.min(samples - at) as usize;
        source.read(&all, at, n, &mut buffers)?;
        sink(&buffers)?;
        at += n as u64;
        if !told(at as f64 / samples as f64) {
            return Err(Error::Stopped);
        }
    }
    Ok(())
}

fn write(source: &mut RunSource, format: ExportFormat, told: impl FnMut(f64) -> bool) -> Result<File> {
    let mut file = tempfile::tempfile()?;
    let info = source.info().clone();
    match format {
        ExportFormat::Wav => {
            let mut out = WavOut::new(BufWriter::new(&mut file), info.sample_rate_hz, info.channels.len())?;
            blocks(source, told, |x| Ok(out.push(x)?))?;
            let gaps = out.finish()?;
            write_gaps(&mut file, &gaps)?;
        }
        ExportFormat::Csv => {
            let heads: Vec<(String, String)> = info.channels.iter().map(|c| (c.name.clone(), c.unit.clone())).collect();
            let mut out = CsvOut::new(BufWriter::new(&mut file), info.sample_rate_hz, &heads)?;
            blocks(source, told, |x| Ok(out.push(x)?))?;
        }
    }
    file.seek(SeekFrom::Start(0))?;
    Ok(file)
}

/// Writes all channels of a run to a temporary file, away from the threads that answer requests; its whole is
/// `share` of what is watched.
///
/// # Errors
/// There is no such run, it was stopped, there is no room for the file, or the database is away.
pub(crate) async fn written(
    desk: &Desk,
    run: i64,
    format: ExportFormat,
    watched: Arc<Watched>,
    share: f64,
) -> Result<File> {
    let run = desk.store.run(run).await?;
    let mut source = RunSource::open(&desk.store, &run).await?;
    tokio::task::spawn_blocking(move || write(&mut source, format, |done| watched.tell(done * share))).await?
}
