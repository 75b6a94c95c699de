//! A run as WAV or CSV in engineering units.

use super::ApiError;
use crate::App;
use crate::run_source::RunSource;
use axum::body::Body;
use axum::extract::{Path, State};
use axum::http::header;
use axum::response::Response;
use echo_formats::csv::CsvOut;
use echo_formats::wav::{WavOut, write_gaps};
use echo_job::analysis::Source;
use echo_store::run::Run;
use std::io::{BufWriter, Seek, SeekFrom};
use tokio_util::io::ReaderStream;

const PIECE: u64 = 1 << 16;

fn pieces(source: &mut RunSource, mut sink: impl FnMut(&[Vec<f64>]) -> Result<(), ApiError>) -> Result<(), ApiError> {
    let (samples, count) = (source.info().samples, source.info().channels.len());
    let all: Vec<usize> = (0..count).collect();
    let mut buffers = vec![Vec::new(); count];
    let mut at = 0;
    while at < samples {
        let n = PIECE.min(samples - at) as usize;
        source.read(&all, at, n, &mut buffers)?;
        sink(&buffers)?;
        at += n as u64;
    }
    Ok(())
}

/// Writes to a temporary file away from the request threads, then streams it.
async fn send(
    app: App,
    id: i64,
    ending: &'static str,
    kind: &'static str,
    write: impl FnOnce(&mut RunSource, &mut std::fs::File) -> Result<(), ApiError> + Send + 'static,
) -> Result<Response, ApiError> {
    let run: Run = app.store.run(id).await?;
    if run.samples == 0 {
        return Err(ApiError::conflict(format!("run {} holds no samples", run.number)));
    }
    let mut source = RunSource::open(&app.store, &run).await?;
    let file = tokio::task::spawn_blocking(move || {
        let mut file = tempfile::tempfile().map_err(|e| ApiError::fault(e.to_string()))?;
        write(&mut source, &mut file)?;
        file.seek(SeekFrom::Start(0)).map_err(|e| ApiError::fault(e.to_string()))?;
        Ok::<_, ApiError>(file)
    })
    .await
    .map_err(|e| ApiError::fault(e.to_string()))??;
    let stream = ReaderStream::with_capacity(tokio::fs::File::from_std(file), 1 << 18);
    Response::builder()
        .header(header::CONTENT_TYPE, kind)
        .header(header::CONTENT_DISPOSITION, format!("attachment; filename=\"run-{}.{ending}\"", run.number))
        .body(Body::from_stream(stream))
        .map_err(|e| ApiError::fault(e.to_string()))
}

/// All channels as 32-bit float WAV in their units.
#[utoipa::path(get, operation_id = "export_wav", path = "/api/runs/{id}/export.wav", params(("id" = i64, Path)), responses((status = 200, content_type = "audio/wav", body = Vec<u8>)))]
pub async fn wav(State(app): State<App>, Path(id): Path<i64>) -> Result<Response, ApiError> {
    send(app, id, "wav", "audio/wav", |source, file| {
        let info = source.info().clone();
        let mut out = WavOut::new(BufWriter::new(&mut *file), info.sample_rate_hz, info.channels.len())?;
        pieces(source, |x| Ok(out.push(x)?))?;
        let gaps = out.finish()?;
        Ok(write_gaps(file, &gaps)?)
    })
    .await
}

/// All channels as CSV: time, then a column a channel.
#[utoipa::path(get, operation_id = "export_csv", path = "/api/runs/{id}/export.csv", params(("id" = i64, Path)), responses((status = 200, content_type = "text/csv", body = String)))]
pub async fn csv(State(app): State<App>, Path(id): Path<i64>) -> Result<Response, ApiError> {
    send(app, id, "csv", "text/csv; charset=utf-8", |source, file| {
        let info = source.info().clone();
        let heads: Vec<(String, String)> = info.channels.iter().map(|c| (c.name.clone(), c.unit.clone())).collect();
        let mut out = CsvOut::new(BufWriter::new(file), info.sample_rate_hz, &heads)?;
        pieces(source, |x| Ok(out.push(x)?))
    })
    .await
}
