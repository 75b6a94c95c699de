//! The channel table as a spreadsheet: out as CSV or XLSX, in again with a preview.

use super::edit::EditAnswer;
use crate::sensors::register;
use crate::{App, Result};
use echo_formats::sheet::{self, Sheet};
use echo_job::Refusal;
use echo_job::rig::paste::{self, Place};
use echo_job::rig::{Column, Rig};
use echo_job::sensor::followed;

fn sheet_of(rig: &Rig) -> Sheet {
    let heads = std::iter::once("Input").chain(Column::SHEET.iter().map(|c| c.head()));
    let row = |c: &echo_job::rig::Channel| {
        std::iter::once(c.input.to_string()).chain(Column::SHEET.iter().map(|k| k.text(c))).collect()
    };
    Sheet {
        name: "Channels".into(),
        heads: heads.map(String::from).collect(),
        rows: rig.channels.iter().map(row).collect(),
    }
}

/// The channel table as a sheet.
///
/// # Errors
/// There is no such campaign, or the database is away.
pub async fn table(app: &App, id: i64) -> Result<Sheet> {
    Ok(sheet_of(&app.store.rig(id).await?.rig.covering(app.capture.front_end().as_ref())))
}

/// Reads a table from a file and tells what would become of it; nothing is written.
///
/// # Errors
/// What is asked is not allowed, or the database is away.
pub async fn file(app: &App, id: i64, bytes: &[u8]) -> Result<EditAnswer> {
    let front_end = app.capture.front_end();
    let rig = app.store.rig(id).await?.rig.covering(front_end.as_ref());
    let block = sheet::read(bytes).map_err(|e| Refusal::new("file", e.to_string()))?;
    let place = Place { inputs: rig.channels.iter().map(|c| c.input).collect(), columns: Column::SHEET.to_vec() };
    let cells = paste::cells(&block, &place, &rig)?;
    let register = register(app).await?;
    let edit = rig.edited(&followed(cells.clone(), &register), front_end.as_ref());
    Ok(EditAnswer { cells, changed: edit.changed, refused: edit.refused, clashes: Vec::new(), rig: None })
}
