//! Work that outlives a request: lists of results, exports, reports. What is asked for stands in the database;
//! a worker takes it, this server's own or one on another machine, and when one dies another goes on.
//!
//! | file | what it holds |
//! | --- | --- |
//! | [`lists`] | lists of results over many runs |
//! | `called` | what names of files are filled in from |
//! | [`files`] | exports and reports as jobs, and the files they give |
//! | [`worker`] | taking parts from the queue, with progress and a stop |
//! | [`making`] | what each kind of part makes |

pub(crate) mod called;
pub mod files;
pub mod lists;
mod making;
pub mod worker;

use crate::bring::reading::FileReading;
use crate::taps::functions::OfSet;
use crate::taps::kept::KeepResponses;
use crate::{Error, Result};
use echo_job::export::RunExport;
use echo_job::recipe::Recipe;
use echo_job::report::form::ReportForm;
use echo_store::Store;
use echo_store::job::JobPart;
use echo_store::state::PartState;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// What a part of a job makes.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[serde(tag = "make", rename_all = "snake_case")]
pub enum Wish {
    /// A result that is kept.
    Result {
        /// The run.
        run_id: i64,
        /// Name the result is kept under.
        name: String,
        /// The recipe.
        recipe: Box<Recipe>,
        /// The run whose channels the recipe names, where that is another one.
        numbered_as: Option<i64>,
    },
    /// Modes of responses, which are kept.
    Modes {
        /// The responses.
        set: OfSet,
        /// Name they are kept under.
        name: String,
        /// The recipe.
        recipe: serde_json::Value,
        /// The kept result in whose place they stand in the report from then on: of other hits they have another key.
        #[serde(default)]
        instead: Option<i64>,
    },
    /// Responses of a set, which are kept.
    Curves {
        /// Which, and their name.
        #[serde(flatten)]
        keep: KeepResponses,
        /// As with modes.
        #[serde(default)]
        instead: Option<i64>,
    },
    /// The responses of a tap series as a universal file.
    Responses {
        /// The series.
        series_id: i64,
        /// Whether its numbers are binary.
        binary: bool,
    },
    /// A run as a file.
    Export {
        /// The run.
        run_id: i64,
        /// What of it is written, and how.
        #[serde(flatten)]
        export: RunExport,
    },
    /// The campaign's report.
    Report {
        /// As what.
        #[serde(default)]
        form: ReportForm,
        /// By this template; as it stands without.
        #[serde(default)]
        template: Option<String>,
        /// Of this run, where its blocks name none; of the run it is about without.
        #[serde(default)]
        run_id: Option<i64>,
    },
    /// The whole campaign as one file.
    HandOver,
    /// A campaign from such a file.
    TakeIn {
        /// The file that was sent.
        upload_id: i64,
        /// Its name, as it was sent.
        file: String,
    },
    /// A run from a file of another program.
    BringIn {
        /// The file that was sent.
        upload_id: i64,
        /// Its name, as it was sent.
        file: String,
        /// How it is to be read.
        reading: Box<FileReading>,
    },
}

/// Where a part of a job stands.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(tag = "state", rename_all = "snake_case")]
pub enum Stands {
    /// Its turn has not come.
    Waiting,
    /// It is being made.
    Going {
        /// Share done, 0 to 1.
        share: f64,
        /// Who makes it.
        worker: String,
    },
    /// It is made.
    Done {
        /// Key of the kept result that was made.
        result: Option<i64>,
        /// Key of the run that was made.
        #[serde(skip_serializing_if = "Option::is_none")]
        run: Option<i64>,
        /// Key of the campaign that was made.
        #[serde(skip_serializing_if = "Option::is_none")]
        campaign: Option<i64>,
    },
    /// It could not be made.
    Refused {
        /// Why, and what is allowed.
        says: String,
    },
    /// The job was stopped before.
    Stopped {
        /// Share done by then, 0 to 1.
        share: f64,
    },
}

/// A part of a job.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct PartBody {
    /// The run; none for a report.
    pub run_id: Option<i64>,
    /// Name of what is made.
    pub name: String,
    /// Where it stands.
    #[serde(flatten)]
    pub stands: Stands,
}

/// A job that was begun.
#[derive(Debug, Serialize, ToSchema)]
pub struct JobKey {
    /// Its key.
    pub id: i64,
}

impl Wish {
    fn run(&self) -> Option<i64> {
        match self {
            Wish::Result { run_id, .. } | Wish::Export { run_id, .. } => Some(*run_id),
            _ => None,
        }
    }

    /// Whose turn comes first: somebody waits at a report, and hardly at a list.
    pub(crate) fn turn(&self) -> i16 {
        match self {
            Wish::Report { .. } => 0,
            Wish::Export { .. }
            | Wish::Responses { .. }
            | Wish::HandOver
            | Wish::TakeIn { .. }
            | Wish::BringIn { .. } => 1,
            Wish::Result { .. } | Wish::Modes { .. } | Wish::Curves { .. } => 2,
        }
    }

    fn name(&self) -> String {
        match self {
            Wish::Result { name, .. } | Wish::Modes { name, .. } => name.clone(),
            Wish::Curves { keep, .. } => keep.name.clone(),
            Wish::Responses { .. } => "responses".into(),
            Wish::Export { export, .. } => export.format.name().into(),
            Wish::Report { .. } => "report".into(),
            Wish::HandOver => "campaign file".into(),
            Wish::TakeIn { file, .. } | Wish::BringIn { file, .. } => file.clone(),
        }
    }
}

/// What a part is to make, and where it stands.
fn known(p: JobPart) -> Result<(Wish, Stands)> {
    let stands = match p.state {
        PartState::Waiting => Stands::Waiting,
        PartState::Going => Stands::Going { share: p.share, worker: p.worker },
        PartState::Done => Stands::Done { result: p.made.result, run: p.made.run, campaign: p.made.campaign },
        PartState::Refused => Stands::Refused { says: p.says },
        PartState::Stopped => Stands::Stopped { share: p.share },
    };
    Ok((serde_json::from_value(p.wish)?, stands))
}

fn told(p: JobPart) -> Result<PartBody> {
    let (wish, stands) = known(p)?;
    Ok(PartBody { run_id: wish.run(), name: wish.name(), stands })
}

/// Begins a job.
///
/// # Errors
/// There is no such campaign, or the database is away.
pub(crate) async fn begin(
    store: &Store,
    campaign: impl Into<Option<i64>>,
    wishes: &[Wish],
    who: &str,
) -> Result<JobKey> {
    let turn = wishes.iter().map(Wish::turn).max().unwrap_or(0);
    let wishes = wishes.iter().map(serde_json::to_value).collect::<serde_json::Result<Vec<_>>>()?;
    Ok(JobKey { id: store.begin_job(campaign.into(), (&wishes, turn), who).await? })
}

/// Where the parts of a job stand.
///
/// # Errors
/// There is none of that key, or the database is away.
pub async fn read(store: &Store, job: i64) -> Result<Vec<PartBody>> {
    store.job_parts(job).await?.into_iter().map(told).collect()
}

/// Stops a job; what is made already stays.
///
/// # Errors
/// There is none of that key, or the database is away.
pub async fn stop(store: &Store, job: i64) -> Result<()> {
    Ok(store.stop_job(job).await?)
}

/// Lets a job that was stopped go on: what was not made is made, an export of a run from where it was.
///
/// # Errors
/// There is none of that key, it was not stopped, or the database is away.
pub async fn resume(store: &Store, job: i64) -> Result<()> {
    if resumed(store, job).await? { Ok(()) } else { Err(Error::conflict(format!("job {job} was not stopped"))) }
}

/// The same; false where it was not stopped.
pub(crate) async fn resumed(store: &Store, job: i64) -> Result<bool> {
    let parts = store.job_parts(job).await?.into_iter().map(known).collect::<Result<Vec<_>>>()?;
    let turn = parts.iter().map(|(wish, _)| wish.turn()).max().unwrap_or(0);
    Ok(store.resume_job(job, turn).await? > 0)
}

/// Lays the queue's tables where they are not there yet.
///
/// # Errors
/// The database is away.
pub async fn prepare(store: &Store) -> Result<()> {
    let queue = graphile_worker::WorkerUtils::new(store.queue_pool(), worker::SCHEMA);
    queue.migrate().await.map_err(|e| Error::fault(format!("the queue's tables could not be laid: {e}")))
}

#[cfg(test)]
mod tests {
    use super::*;
    use echo_store::job::Made;
    use serde_json::json;

    fn part(state: PartState) -> PartBody {
        let recipe = json!({ "lens": "waveform" });
        let wish = json!({ "make": "result", "run_id": 3, "name": "mesh", "recipe": recipe, "numbered_as": null });
        let says = "that run has no channel “mast”".to_string();
        let worker = "worker on deck".to_string();
        super::told(JobPart {
            place: 1,
            wish,
            state,
            share: 0.5,
            says,
            made: Made { result: Some(9), ..Made::default() },
            worker,
        })
        .unwrap()
    }

    #[test]
    fn where_a_part_stands_is_told_with_its_words() {
        let told = |state| serde_json::to_value(part(state)).unwrap();
        assert_eq!(told(PartState::Waiting), json!({ "run_id": 3, "name": "mesh", "state": "waiting" }));
        assert_eq!(told(PartState::Going)["share"], 0.5);
        assert_eq!(told(PartState::Going)["worker"], "worker on deck");
        assert_eq!(told(PartState::Done)["result"], 9);
        assert!(told(PartState::Refused)["says"].as_str().is_some_and(|s| s.contains("mast")));
        assert_eq!(told(PartState::Stopped)["state"], "stopped");
    }

    #[test]
    fn what_a_part_makes_is_read_back_as_it_was_written() {
        // A worker of the version before knew one form.
        let before: Wish = serde_json::from_value(json!({ "make": "report" })).unwrap();
        assert!(matches!(before, Wish::Report { form: ReportForm::Pdf, template: None, run_id: None }));
        for wish in [
            Wish::Export { run_id: 7, export: RunExport::whole(echo_job::export::ExportFormat::Csv) },
            Wish::Report { form: ReportForm::Xlsx, template: Some("Acceptance".into()), run_id: None },
            Wish::Responses { series_id: 4, binary: true },
            Wish::Modes {
                set: OfSet { series: Some(4), ..OfSet::default() },
                name: "found".into(),
                recipe: json!({ "lens": "modes" }),
                instead: Some(9),
            },
            Wish::Curves {
                keep: KeepResponses {
                    name: "drive point".into(),
                    set: OfSet { series: Some(4), ..OfSet::default() },
                    pairs: vec![["14 z".into(), "14 z".into()]],
                },
                instead: None,
            },
            Wish::HandOver,
        ] {
            let json = serde_json::to_value(&wish).unwrap();
            let back: Wish = serde_json::from_value(json.clone()).unwrap();
            assert_eq!(serde_json::to_value(&back).unwrap(), json);
            assert_eq!((back.run(), back.name()), (wish.run(), wish.name()));
        }
    }
}
