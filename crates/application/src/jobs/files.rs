//! Exports and reports as jobs, and the files they give.

use super::called::{Called, numbered_names};
use super::{JobKey, Stands, Wish, begin, known};
use crate::{Error, Result};
use echo_job::export::RunExport;
use echo_job::report::form::ReportForm;
use echo_store::Store;
use echo_store::job::{JobPart, PIECE, PartKey};
use echo_store::state::PartState;
use std::time::Duration;

/// How often a file that is waited for is looked at.
const LOOK: Duration = Duration::from_millis(150);

/// A file that a job made.
pub struct JobFile {
    store: Store,
    key: PartKey,
    piece: i32,
    /// Bytes of the next piece that were sent before.
    skip: usize,
    /// Bytes that are still to come.
    left: u64,
    /// All of its bytes.
    pub bytes: u64,
    /// Its name.
    pub name: String,
    /// Its media type.
    pub kind: &'static str,
}

impl JobFile {
    /// The next piece; nothing after the last.
    ///
    /// # Errors
    /// The database is away.
    pub async fn next(&mut self) -> Result<Option<Vec<u8>>> {
        if self.left == 0 {
            return Ok(None);
        }
        let Some(mut piece) = self.store.piece(self.key, self.piece).await? else { return Ok(None) };
        piece.drain(..self.skip.min(piece.len()));
        piece.truncate(self.left.min(PIECE as u64) as usize);
        self.piece += 1;
        self.skip = 0;
        self.left -= piece.len() as u64;
        Ok(Some(piece))
    }

    /// Gives only the bytes from one to another, both of them included: a transfer that broke off goes on there.
    pub fn only(&mut self, from: u64, to: u64) {
        // All pieces but the last are of one size.
        self.piece = (from / PIECE as u64) as i32;
        self.skip = (from % PIECE as u64) as usize;
        self.left = to + 1 - from;
    }
}

/// Begins to write a run to a file.
///
/// # Errors
/// There is no such run, it holds no samples, what is wished does not fit it, or the database is away.
pub async fn export(store: &Store, run: i64, export: RunExport, who: &str) -> Result<JobKey> {
    let run = store.run(run).await?;
    if run.samples == 0 {
        return Err(Error::conflict(format!("run {} holds no samples", run.number)));
    }
    let there = numbered_names(store, run.id).await?;
    export.check(run.sample_rate_hz, run.samples as u64, &there)?;
    begin(store, run.campaign_id, &[Wish::Export { run_id: run.id, export }], who).await
}

/// Begins to make a campaign's report.
///
/// # Errors
/// There is no such campaign, or the database is away.
pub async fn report(store: &Store, campaign: i64, form: ReportForm, who: &str) -> Result<JobKey> {
    store.campaign(campaign).await?;
    begin(store, campaign, &[Wish::Report { form, template: None, run_id: None }], who).await
}

/// The file that a job made.
///
/// # Errors
/// There is none of that key, it is not made yet, or the database is away.
pub async fn file(store: &Store, job: i64) -> Result<JobFile> {
    made(store, job, store.job_parts(job).await?.swap_remove(0)).await
}

/// The file of the only part of a job.
async fn made(store: &Store, job: i64, part: JobPart) -> Result<JobFile> {
    let key = PartKey { job, place: part.place };
    let (wish, stands) = known(part)?;
    let (name, kind) = match wish {
        Wish::Export { run_id, export } => {
            let (ending, kind) = export.format.told();
            let run = store.run(run_id).await?;
            let started_at = run.started_at;
            let called = Called::of(store, run.campaign_id, Some(run)).await?;
            let known = called.known(Some(&export), ("", started_at));
            (format!("{}.{ending}", file_name(&export.called(&known))), kind)
        }
        Wish::Report { form, .. } => {
            let (ending, kind) = form.told();
            (format!("report.{ending}"), kind)
        }
        Wish::Responses { .. } => ("responses.uff".into(), "application/octet-stream"),
        Wish::HandOver => {
            let campaign = store.job_campaign(job).await?.ok_or_else(|| Error::missing("the campaign of this job"))?;
            let name = store.campaign(campaign).await?.name;
            (format!("{}.echo.zip", file_name(&name)), "application/zip")
        }
        Wish::Result { .. } | Wish::Modes { .. } | Wish::Curves { .. } | Wish::TakeIn { .. } | Wish::BringIn { .. } => {
            return Err(Error::missing(&format!("a file of job {job}")));
        }
    };
    match stands {
        Stands::Done { .. } => {
            let bytes = store.file_bytes(key).await? as u64;
            Ok(JobFile { store: store.clone(), key, piece: 0, skip: 0, left: bytes, bytes, name, kind })
        }
        Stands::Refused { says } => Err(Error::conflict(says)),
        Stands::Stopped { .. } => Err(Error::Stopped),
        Stands::Waiting | Stands::Going { .. } => Err(Error::conflict(format!("job {job} is not done yet"))),
    }
}

/// A name that every file system takes, and no header is broken by.
pub(crate) fn file_name(name: &str) -> String {
    let plain = |c: char| if c.is_alphanumeric() || matches!(c, ' ' | '-' | '_' | '.' | ',') { c } else { '-' };
    let text: String = name.chars().map(plain).take(80).collect();
    let text = text.trim_matches([' ', '.', '-']);
    if text.is_empty() { "campaign".into() } else { text.into() }
}

/// Stops a job whose file nobody waits for any more.
struct Unless(Option<(Store, i64)>);

impl Drop for Unless {
    fn drop(&mut self) {
        if let Some((store, job)) = self.0.take() {
            tokio::spawn(async move { store.stop_job(job).await });
        }
    }
}

/// Waits for the file of a job; going away stops it.
///
/// # Errors
/// As [`file`], where it cannot be made.
pub async fn awaited(store: &Store, job: JobKey) -> Result<JobFile> {
    let mut unless = Unless(Some((store.clone(), job.id)));
    loop {
        let part = store.job_parts(job.id).await?.swap_remove(0);
        if !matches!(part.state, PartState::Waiting | PartState::Going) {
            unless.0 = None;
            return made(store, job.id, part).await;
        }
        tokio::time::sleep(LOOK).await;
    }
}
