//! Changing cells of the channel table: typed, pasted, filled, taken back.

use super::view::{RigBody, body};
use crate::app::Turn;
use crate::sensors::register;
use crate::{App, Result};
use echo_capture::Setup;
use echo_job::rig::edit::filled_down;
use echo_job::rig::paste::{self, Place};
use echo_job::rig::{Cell, CellChanged, CellRefused, Column, Edit, Rig, RowChange, differences};
use echo_job::sensor::{Sensor, followed};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use utoipa::ToSchema;

/// A block of spreadsheet text and where it goes.
#[derive(Debug, Clone, Deserialize, ToSchema)]
pub struct Pasted {
    /// Tab-separated text.
    pub text: String,
    /// Where.
    pub place: Place,
}

/// A first row to be carried down over others.
#[derive(Debug, Clone, Deserialize, ToSchema)]
pub struct Filled {
    /// Rows, the one that is carried first.
    pub inputs: Vec<u16>,
    /// Columns.
    pub columns: Vec<Column>,
    /// Whether the last number in a text counts up from row to row.
    pub counting: bool,
}

/// A change of many cells.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct EditRequest {
    /// Version of the rig the change was made on.
    pub made_on: i64,
    /// Cells.
    #[serde(default)]
    pub cells: Vec<Cell>,
    /// More cells, as a block of text.
    #[serde(default)]
    pub paste: Option<Pasted>,
    /// More cells, carried down.
    #[serde(default)]
    pub fill: Option<Filled>,
    /// Only tell what would become of it.
    #[serde(default)]
    pub try_only: bool,
    /// Write over cells that somebody else changed since `made_on`.
    #[serde(default)]
    pub over_others: bool,
    /// What is done, in words, for the list of versions.
    #[serde(default)]
    pub what: Option<String>,
}

/// A cell that somebody else changed meanwhile.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Clash {
    /// The row.
    pub input: u16,
    /// The column.
    pub column: Column,
    /// What it showed when this change was begun.
    pub before: String,
    /// What it shows now.
    pub theirs: String,
    /// What this change wants.
    pub mine: String,
    /// Who changed the rig last.
    pub who: String,
}

/// What became of a change.
#[derive(Serialize, ToSchema)]
pub struct EditAnswer {
    /// The cells that were asked for, from wherever they came.
    pub cells: Vec<Cell>,
    /// Cells that change.
    pub changed: Vec<CellChanged>,
    /// Cells that were refused; they stay as they were.
    pub refused: Vec<CellRefused>,
    /// Cells that somebody else changed meanwhile: nothing is written while there are any.
    pub clashes: Vec<Clash>,
    /// The rig as it is now; none if nothing was written.
    pub rig: Option<RigBody>,
}

/// Changes one row of the channel table; cells not named stay.
///
/// # Errors
/// What is asked is not allowed, it cannot be done now, or the database is away.
pub async fn change_channel(app: &App, id: i64, input: u16, who: &str, change: RowChange) -> Result<RigBody> {
    let cells = change.cells(input);
    let turn = app.turn().await;
    let written = write(app, turn, id, who, &format!("input {input}"), |rig, front_end, register| {
        let edit = rig.edited(&followed(cells.clone(), register), front_end);
        match edit.refused.first() {
            Some(r) => Err(echo_job::Refusal::new(r.field.clone(), r.says.clone()).into()),
            None => Ok(edit),
        }
    })
    .await?;
    Ok(written.0)
}

/// Changes many cells at once. What is good is written, what is refused says why.
///
/// # Errors
/// What is asked is not allowed, it cannot be done now, or the database is away.
pub async fn edit(app: &App, id: i64, who: &str, request: EditRequest) -> Result<EditAnswer> {
    let turn = app.turn().await;
    let front_end = app.capture.front_end();
    let newest = app.store.rig(id).await?;
    let rig = newest.rig.covering(front_end.as_ref());
    let mut cells = request.cells;
    if let Some(p) = &request.paste {
        cells.extend(paste::cells(&paste::grid(&p.text), &p.place, &rig)?);
    }
    if let Some(f) = &request.fill {
        cells.extend(filled_down(&rig, &f.inputs, &f.columns, f.counting));
    }
    let clashes = if request.over_others || newest.version == request.made_on {
        Vec::new()
    } else {
        clashes(app, id, request.made_on, &rig, &cells).await?
    };
    if request.try_only || !clashes.is_empty() {
        let register = register(app).await?;
        let edit = rig.edited(&followed(cells.clone(), &register), front_end.as_ref());
        return Ok(EditAnswer { cells, changed: edit.changed, refused: edit.refused, clashes, rig: None });
    }
    let what = request.what.unwrap_or_else(|| described(&cells));
    let (body, edit) = write(app, turn, id, who, &what, |rig, front_end, register| {
        Ok(rig.edited(&followed(cells.clone(), register), front_end))
    })
    .await?;
    Ok(EditAnswer { cells, changed: edit.changed, refused: edit.refused, clashes, rig: Some(body) })
}

fn described(cells: &[Cell]) -> String {
    match cells {
        [] => "nothing".into(),
        [one] => format!("input {}: {} {}", one.input, one.column.head(), one.text),
        many => format!("{} cells", many.len()),
    }
}

async fn clashes(app: &App, id: i64, made_on: i64, now: &Rig, cells: &[Cell]) -> Result<Vec<Clash>> {
    let then = app.store.rig_at(id, made_on).await?;
    let moved: HashMap<(u16, Column), CellChanged> =
        differences(&then, now).into_iter().map(|d| ((d.input, d.column), d)).collect();
    let author = app.store.rig_author(id).await?.unwrap_or_default();
    let clash = |c: &Cell| {
        let d = moved.get(&(c.input, c.column)).filter(|d| d.to != c.text)?;
        Some(Clash {
            input: c.input,
            column: c.column,
            before: d.from.clone(),
            theirs: d.to.clone(),
            mine: c.text.clone(),
            who: author.clone(),
        })
    };
    Ok(cells.iter().filter_map(clash).collect())
}

/// Makes a change on the newest rig, stores it and brings the front end to it, in one turn.
pub(crate) async fn write(
    app: &App,
    turn: Turn,
    id: i64,
    who: &str,
    what: &str,
    change: impl Fn(&Rig, Option<&echo_job::front_end::FrontEnd>, &[Sensor]) -> Result<Edit>,
) -> Result<(RigBody, Edit)> {
    let offer = app.capture.front_end();
    let register = register(app).await?;
    let v = app.store.rig(id).await?;
    let edit = change(&v.rig.clone().covering(offer.as_ref()), offer.as_ref(), &register)?;
    if edit.changed.is_empty() && edit.rig.name == v.rig.name {
        return Ok((body(app, id, v.version, v.rig).await?, edit));
    }
    let detail = serde_json::json!({ "what": what, "cells": edit.changed });
    let (app2, before, rig, version) = (app.clone(), v.rig, edit.rig.clone(), v.version);
    let (who, what) = (who.to_string(), what.to_string());
    // To its end even if who asked is gone by then: what is stored is what the front end is set to.
    let done = tokio::spawn(async move {
        let _turn = turn;
        let store = &app2.store;
        let change = |s| Setup { rig: rig.clone(), ..s };
        let save = async || Ok(store.save_rig(id, version, &rig, &who, &what, detail).await?);
        let take_back = async |version, refused| {
            let what = format!("taken back: {refused}");
            let detail = serde_json::json!({ "what": what, "cells": [] });
            Ok(store.save_rig(id, version, &before, "Fleet Echo", &what, detail).await.map(drop)?)
        };
        app2.in_force(id, change, save, take_back).await
    });
    let version = done.await??;
    Ok((body(app, id, version, edit.rig.clone()).await?, edit))
}
