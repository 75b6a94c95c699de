//! What each kind of part makes.

use super::Wish;
use crate::bring::carry::brought;
use crate::handover::pack::packed;
use crate::handover::unpack::taken_in;
use crate::report::content::{For, Wanted, collected};
use crate::report::{seal_key, show_instead};
use crate::runs::export::{Handed, Written, written};
use crate::runs::going::Watched;
use crate::runs::results::{make, numbered};
use crate::taps::functions::{OfSet, universal_file};
use crate::taps::kept::keep as kept_responses;
use crate::taps::modes::{self, KeepModes};
use crate::{Desk, Error, Result};
use echo_job::analysis::thin::thinned;
use echo_job::export::RunExport;
use echo_job::recipe::Recipe;
use echo_job::report::form::ReportForm;
use echo_store::job::{Made, PIECE, PartKey};
use echo_store::result::{Input, NewResult};
use std::io::Read;
use std::sync::Arc;

/// Points an axis that a kept result has at most.
const KEPT_POINTS: usize = 8000;
/// The same for maps.
const KEPT_MAP: usize = 500;
/// Share of the work after which a report's results are made.
const MADE: f64 = 0.6;
/// Share of the work after which a file is written to the database.
const WRITTEN: f64 = 0.8;

/// Makes a part; gives what it made, where that is not a file.
pub(super) async fn made(
    desk: &Desk,
    (campaign, key): (Option<i64>, PartKey),
    wish: Wish,
    watched: &Arc<Watched>,
    who: &str,
) -> Result<Made> {
    let own = || campaign.ok_or_else(|| Error::missing("the campaign of this job"));
    match wish {
        Wish::Result { run_id, name, recipe, numbered_as } => {
            let result = kept(desk, run_id, &name, (*recipe, numbered_as), watched, who).await?;
            Ok(Made { result: Some(result), ..Made::default() })
        }
        Wish::Modes { set, name, recipe, instead } => {
            let result = modes::keep(desk, own()?, KeepModes { name, set, recipe }, who).await?;
            shown_instead(desk, own()?, instead, result).await
        }
        Wish::Curves { keep, instead } => {
            let result = kept_responses(desk, own()?, &keep, who).await?;
            shown_instead(desk, own()?, instead, result).await
        }
        Wish::Responses { series_id, binary } => {
            let set = OfSet { series: Some(series_id), ..OfSet::default() };
            let bytes = universal_file(desk, own()?, &set, binary).await?;
            stored(desk, key, std::io::Cursor::new(bytes), watched).await?;
            Ok(Made::default())
        }
        Wish::Export { run_id, export } => {
            exported(desk, key, (run_id, export), watched).await?;
            Ok(Made::default())
        }
        Wish::HandOver => {
            let file = packed(desk, own()?, watched.clone(), WRITTEN).await?;
            stored(desk, key, file, watched).await?;
            Ok(Made::default())
        }
        Wish::TakeIn { upload_id, .. } => {
            Ok(Made { campaign: Some(taken_in(desk, upload_id, watched).await?), ..Made::default() })
        }
        Wish::BringIn { upload_id, reading, .. } => brought(desk, (own()?, upload_id), *reading, watched, who).await,
        Wish::Report { form, template, run_id } => {
            let wanted = Wanted { template, run_id };
            let bytes = printed(desk, own()?, (form, wanted), watched).await?;
            if !watched.tell(WRITTEN) {
                return Err(Error::Stopped);
            }
            stored(desk, key, std::io::Cursor::new(bytes), watched).await?;
            Ok(Made::default())
        }
    }
}

/// Writes a run as a file, on from where it was stopped or its worker died.
async fn exported(desk: &Desk, key: PartKey, (run, export): (i64, RunExport), watched: &Arc<Watched>) -> Result<()> {
    // Counted before the run is read: what is put right while it is written counts as later.
    let corrected = desk.store.corrected(run).await?;
    let mark = desk.store.gone_on_from(key, corrected).await?;
    let mut piece = mark.as_ref().map_or(0, |m| (m.bytes / PIECE as u64) as i32);
    match written(desk, run, (export, mark), watched.clone(), WRITTEN).await? {
        Written::File(file) => stored(desk, key, file, watched).await,
        Written::Pieces(mut pieces, whole) => {
            while let Some(part) = pieces.recv().await {
                match part {
                    Handed::Piece(bytes) => {
                        desk.store.write_piece(key, piece, &bytes).await?;
                        piece += 1;
                    }
                    Handed::Mark(mark) => desk.store.write_mark(key, &mark, corrected).await?,
                }
            }
            whole.await?
        }
    }
}

/// What was kept; what the report showed of the one before it shows of this one.
async fn shown_instead(desk: &Desk, campaign: i64, before: Option<i64>, now: i64) -> Result<Made> {
    if let Some(before) = before.filter(|before| *before != now) {
        show_instead(&desk.store, campaign, before, now).await?;
    }
    Ok(Made { result: Some(now), ..Made::default() })
}

/// A report in a form.
async fn printed(
    desk: &Desk,
    campaign: i64,
    (form, wanted): (ReportForm, Wanted),
    watched: &Arc<Watched>,
) -> Result<Vec<u8>> {
    // What a report was made of goes with the form that is handed over.
    let what_for = if form == ReportForm::Pdf { For::Keeps } else { For::Sight };
    let report = collected(desk, campaign, &wanted, watched, (what_for, MADE)).await?.document;
    let seal = seal_key(desk).await?;
    let set = tokio::task::spawn_blocking(move || match form {
        ReportForm::Pdf => echo_report::pdf(&report, Some(&seal)),
        ReportForm::Html => Ok(echo_report::html(&report).into_bytes()),
        ReportForm::Docx => echo_report::docx(&report),
        ReportForm::Xlsx => echo_report::workbook(&report),
        ReportForm::Figures => echo_report::folder(&report),
    });
    // What has nothing to show in this form says so.
    set.await?.map_err(|e| Error::conflict(e.to_string()))
}

/// Makes a result and keeps it.
async fn kept(
    desk: &Desk,
    run: i64,
    name: &str,
    (recipe, numbered_as): (Recipe, Option<i64>),
    watched: &Arc<Watched>,
    who: &str,
) -> Result<i64> {
    let run = desk.store.run(run).await?;
    let recipe = numbered(desk, recipe, numbered_as, run.id).await?;
    // Counted before: what is put right while it is made counts as later.
    let corrected = desk.store.corrected(run.id).await?;
    let result = make(desk, &run, recipe, watched).await?;
    let most = if result.axes.len() == 2 { KEPT_MAP } else { KEPT_POINTS };
    let stretch_s = result.recipe.stretch.map(|s| (s.from_s, s.to_s));
    let takes = result.recipe.takes.iter().flatten().map(|n| *n as i32).collect();
    let inputs = [Input { stretch_s, takes, ..Input::run(run.id, corrected) }];
    let (recipe, body) = (serde_json::to_value(&result.recipe)?, serde_json::to_value(thinned(&result, most))?);
    let new = NewResult { campaign: run.campaign_id, name, recipe: &recipe, body: &body, inputs: &inputs, who };
    Ok(desk.store.keep_result(&new).await?)
}

/// Writes a file to the database, from where any machine sends it.
async fn stored(desk: &Desk, key: PartKey, mut file: impl Read + Send + 'static, watched: &Watched) -> Result<()> {
    let mut piece = 0;
    loop {
        let (bytes, read) = tokio::task::spawn_blocking(move || {
            let mut bytes = Vec::with_capacity(PIECE);
            file.by_ref().take(PIECE as u64).read_to_end(&mut bytes).map(|_| (bytes, file))
        })
        .await??;
        file = read;
        if bytes.is_empty() && piece > 0 {
            return Ok(());
        }
        if watched.stopped() {
            return Err(Error::Stopped);
        }
        desk.store.write_piece(key, piece, &bytes).await?;
        piece += 1;
    }
}
