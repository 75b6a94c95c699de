//! Changing cells of the channel table: typed, pasted, filled, taken back.

use super::{RigBody, body};
use crate::App;
use crate::api::{ApiError, who};
use crate::app::Turn;
use axum::Json;
use axum::extract::{Path, State};
use axum::http::HeaderMap;
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
#[utoipa::path(patch, path = "/api/campaigns/{id}/rig/{input}", params(("id" = i64, Path), ("input" = u16, Path)), request_body = RowChange,
    responses((status = 200, body = RigBody), (status = 422, body = crate::api::ErrorBody), (status = 409, body = crate::api::ErrorBody)))]
pub async fn change_channel(
    State(app): State<App>,
    Path((id, input)): Path<(i64, u16)>,
    headers: HeaderMap,
    Json(change): Json<RowChange>,
) -> Result<Json<RigBody>, ApiError> {
    let cells = change.cells(input);
    let turn = app.turn().await;
    let written = write(&app, turn, id, &who(&headers), &format!("input {input}"), |rig, front_end, register| {
        let edit = rig.edited(&followed(cells.clone(), register), front_end);
        match edit.refused.first() {
            Some(r) => Err(echo_job::Refusal::new(r.field.clone(), r.says.clone()).into()),
            None => Ok(edit),
        }
    })
    .await?;
    Ok(Json(written.0))
}

/// Changes many cells at once. What is good is written, what is refused says why.
#[utoipa::path(post, operation_id = "edit_rig", path = "/api/campaigns/{id}/rig/cells", params(("id" = i64, Path)), request_body = EditRequest,
    responses((status = 200, body = EditAnswer), (status = 422, body = crate::api::ErrorBody), (status = 409, body = crate::api::ErrorBody)))]
pub async fn edit(
    State(app): State<App>,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Json(request): Json<EditRequest>,
) -> Result<Json<EditAnswer>, ApiError> {
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
        clashes(&app, id, request.made_on, &rig, &cells).await?
    };
    if request.try_only || !clashes.is_empty() {
        let register = register(&app).await?;
        let edit = rig.edited(&followed(cells.clone(), &register), front_end.as_ref());
        return Ok(Json(EditAnswer { cells, changed: edit.changed, refused: edit.refused, clashes, rig: None }));
    }
    let what = request.what.unwrap_or_else(|| described(&cells));
    let (body, edit) = write(&app, turn, id, &who(&headers), &what, |rig, front_end, register| {
        Ok(rig.edited(&followed(cells.clone(), register), front_end))
    })
    .await?;
    Ok(Json(EditAnswer { cells, changed: edit.changed, refused: edit.refused, clashes, rig: Some(body) }))
}

fn described(cells: &[Cell]) -> String {
    match cells {
        [] => "nothing".into(),
        [one] => format!("input {}: {} {}", one.input, one.column.head(), one.text),
        many => format!("{} cells", many.len()),
    }
}

/// All sensors of the register.
pub(super) async fn register(app: &App) -> Result<Vec<Sensor>, ApiError> {
    Ok(app.store.sensors().await?.into_iter().map(|r| r.sensor).collect())
}

async fn clashes(app: &App, id: i64, made_on: i64, now: &Rig, cells: &[Cell]) -> Result<Vec<Clash>, ApiError> {
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
    change: impl Fn(&Rig, Option<&echo_job::front_end::FrontEnd>, &[Sensor]) -> Result<Edit, ApiError>,
) -> Result<(RigBody, Edit), ApiError> {
    let offer = app.capture.front_end();
    let register = register(app).await?;
    let v = app.store.rig(id).await?;
    let edit = change(&v.rig.clone().covering(offer.as_ref()), offer.as_ref(), &register)?;
    if edit.changed.is_empty() && edit.rig.name == v.rig.name {
        return Ok((body(app, id, v.version, v.rig).await?, edit));
    }
    let changed = Changed {
        app: app.clone(),
        id,
        before: v.rig,
        version: v.version,
        rig: edit.rig.clone(),
        who: who.into(),
        what: what.into(),
        cells: serde_json::to_value(&edit.changed).map_err(|e| ApiError::fault(e.to_string()))?,
    };
    // To its end even if who asked is gone by then: what is stored is what the front end is set to.
    let done = tokio::spawn(async move {
        let done = changed.carried_out().await;
        drop(turn);
        done
    });
    let version = done.await.map_err(|e| ApiError::fault(e.to_string()))??;
    Ok((body(app, id, version, edit.rig.clone()).await?, edit))
}

/// A change of a rig on its way to the store and the front end.
struct Changed {
    app: App,
    id: i64,
    before: Rig,
    version: i64,
    rig: Rig,
    who: String,
    what: String,
    cells: serde_json::Value,
}

impl Changed {
    async fn carried_out(self) -> Result<i64, ApiError> {
        let app = &self.app;
        let in_use = app.setup().filter(|s| s.campaign == self.id);
        let wanted = in_use.map(|s| Setup { rig: self.rig.clone(), ..s });
        if let Some(setup) = &wanted {
            app.capture.consider(setup.clone()).await?;
        }
        let detail = serde_json::json!({ "what": self.what, "cells": self.cells });
        let version = app.store.save_rig(self.id, self.version, &self.rig, &self.who, &self.what, detail).await?;
        let Some(setup) = wanted else { return Ok(version) };
        let Err(refused) = app.set_up(setup.clone()).await else { return Ok(version) };
        // What the front end does not take is not in use.
        let what = format!("taken back: {refused}");
        let detail = serde_json::json!({ "what": what, "cells": [] });
        app.store.save_rig(self.id, version, &self.before, "Fleet Echo", &what, detail).await?;
        let _ = app.set_up(Setup { rig: self.before.clone(), ..setup }).await;
        Err(refused.into())
    }
}
