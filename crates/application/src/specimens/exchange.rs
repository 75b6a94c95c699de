//! The geometry in files of other programs: read to be looked at, written.

use super::sheet::read;
use crate::{Desk, Result};
use echo_formats::geometry::{read as read_file, sheet, universal};
use echo_formats::uff::{self, Dataset, Style};
use echo_job::Refusal;
use echo_job::geometry::Geometry;
use serde::Serialize;
use utoipa::ToSchema;

/// A geometry that was read of a file.
#[derive(Debug, Serialize, ToSchema)]
pub struct GeometryFound {
    /// Its points, lines and faces.
    pub geometry: Geometry,
    /// What had to be assumed or left out.
    pub notes: Vec<String>,
}

/// What is in a file; nothing is written.
///
/// # Errors
/// It is no universal file and no CSV, or what it holds does not hold together.
pub async fn look(name: String, bytes: Vec<u8>) -> Result<GeometryFound> {
    let found = tokio::task::spawn_blocking(move || read_file(&name, &bytes)).await?;
    let found = found.map_err(|e| Refusal::new("file", e.to_string()))?;
    Ok(GeometryFound { geometry: found.geometry, notes: found.notes })
}

/// The geometry as a universal file.
///
/// # Errors
/// There is no such campaign, or the database is away.
pub async fn universal_file(desk: &Desk, id: i64) -> Result<Vec<u8>> {
    Ok(universal::write(&read(desk, id).await?.specimen.geometry))
}

/// Datasets as a universal file, with the geometry they are on before them where there is one.
///
/// # Errors
/// There is no such campaign, or the database is away.
pub async fn with_geometry(desk: &Desk, id: i64, datasets: &[Dataset], style: Style) -> Result<Vec<u8>> {
    let geometry = &read(desk, id).await?.specimen.geometry;
    let mut bytes = if geometry.is_empty() { Vec::new() } else { universal::write(geometry) };
    bytes.extend(uff::write(datasets, style));
    Ok(bytes)
}

/// The geometry as CSV.
///
/// # Errors
/// There is no such campaign, or the database is away.
pub async fn csv(desk: &Desk, id: i64) -> Result<Vec<u8>> {
    Ok(sheet::write(&read(desk, id).await?.specimen.geometry)?)
}
