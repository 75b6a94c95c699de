//! A folder whose files are brought in by themselves: each folder in it is one for the campaign of that name.
//!
//! What was brought in is put into `brought in`, what could not be into `refused`, with the reason in a text beside it:
//! nothing is deleted, and what lies there is still to be done.

use crate::jobs::files::file_name;
use crate::jobs::{self, Stands};
use crate::uploads::Receiving;
use crate::{App, Error, Result};
use echo_store::StoreError;
use echo_store::job::PIECE;
use std::collections::BTreeMap;
use std::io;
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};
use tokio::io::AsyncReadExt;

/// How often the folder is looked at: a file that did not change from one look to the next is whole.
const LOOK: Duration = Duration::from_secs(2);
/// How often the job of a file is looked at.
const WAIT: Duration = Duration::from_millis(300);
/// In whose name files are brought in.
const WHO: &str = "folder";
/// Folders for what is done with.
const BROUGHT: &str = "brought in";
const REFUSED: &str = "refused";
/// Endings of files that somebody is still writing.
const UNFINISHED: [&str; 4] = ["part", "tmp", "partial", "filepart"];

/// Size and time of a file.
type State = (u64, Option<SystemTime>);

/// What was seen with the last look.
#[derive(Default)]
struct Seen {
    files: BTreeMap<PathBuf, State>,
    /// What could not be put away, and is not brought in again for that.
    stuck: BTreeMap<PathBuf, State>,
}

/// Looks at the folder for as long as the server lives.
pub async fn watch(app: App) {
    let Some(root) = app.files_from.clone() else { return std::future::pending().await };
    let mut seen = Seen::default();
    loop {
        if let Err(e) = look(&app, &root, &mut seen).await {
            tracing::warn!("{}: {}", root.display(), e.says());
        }
        tokio::time::sleep(LOOK).await;
    }
}

/// Files below the folder, one folder deep, each with the name of the folder it lies in; none for the folder itself.
fn listed(root: &Path) -> io::Result<Vec<(PathBuf, Option<String>)>> {
    std::fs::create_dir_all(root)?;
    let name = |p: &Path| p.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
    let mut all = Vec::new();
    let mut add = |folder: &Path, campaign: Option<&str>| -> io::Result<Vec<PathBuf>> {
        let mut folders = Vec::new();
        for entry in std::fs::read_dir(folder)? {
            let (path, kind) = entry.and_then(|e| Ok((e.path(), e.file_type()?)))?;
            let ending = path.extension().map(|e| e.to_string_lossy().to_lowercase()).unwrap_or_default();
            if kind.is_dir() && ![BROUGHT, REFUSED].contains(&name(&path).as_str()) {
                folders.push(path);
            } else if kind.is_file() && !name(&path).starts_with('.') && !UNFINISHED.contains(&ending.as_str()) {
                all.push((path, campaign.map(String::from)));
            }
        }
        folders.sort();
        Ok(folders)
    };
    for folder in add(root, None)? {
        add(&folder, Some(&name(&folder)))?;
    }
    all.sort();
    Ok(all)
}

async fn look(app: &App, root: &Path, seen: &mut Seen) -> Result<()> {
    let of = root.to_path_buf();
    let files = tokio::task::spawn_blocking(move || listed(&of)).await??;
    let mut now = BTreeMap::new();
    for (path, campaign) in files {
        let Ok(told) = tokio::fs::metadata(&path).await else { continue };
        let state = (told.len(), told.modified().ok());
        if seen.stuck.get(&path) == Some(&state) {
            continue;
        }
        if seen.files.get(&path) != Some(&state) {
            now.insert(path, state);
            continue;
        }
        let put = match brought(app, (&path, state), campaign.as_deref()).await {
            Ok(()) => put(&path, BROUGHT, None).await,
            // The database is away, say: it lies there until it is back.
            Err(e) if e.passes() => return Err(e),
            Err(e) => put(&path, REFUSED, Some(&e.says())).await,
        };
        if let Err(e) = put {
            tracing::warn!("{} cannot be put away and is let lie: {e}", path.display());
            seen.stuck.insert(path, state);
        }
    }
    seen.files = now;
    Ok(())
}

/// Where the job of a file is noted: a server that is stopped before the file is put away asks what became of it.
fn noted(path: &Path) -> PathBuf {
    path.with_file_name(format!(".{}.job", path.file_name().unwrap_or_default().to_string_lossy()))
}

/// What is noted of a file: a job, and the file as it was then.
fn note(job: i64, (bytes, changed): State) -> String {
    let since = changed.and_then(|t| t.duration_since(SystemTime::UNIX_EPOCH).ok());
    format!("job {job} of {bytes} bytes changed at {}\n", since.map_or(0, |t| t.as_nanos()))
}

/// The job that a file has already, if it is the one that the note tells of.
async fn begun(path: &Path, state: State) -> Option<i64> {
    let told = tokio::fs::read_to_string(noted(path)).await.ok()?;
    let job = told.split(' ').nth(1)?.parse().ok()?;
    (told == note(job, state)).then_some(job)
}

/// Brings a file in, to its end.
async fn brought(app: &App, (path, state): (&Path, State), folder: Option<&str>) -> Result<()> {
    if let Some(job) = begun(path, state).await {
        match awaited(app, job).await {
            // The job was let go long ago.
            Err(Error::Missing(_) | Error::Store(StoreError::Missing(_))) => {}
            came => return came,
        }
    }
    let name = path.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
    let whole = name.to_lowercase().ends_with(".echo.zip");
    let campaign = match folder {
        _ if whole => None,
        Some(folder) => Some(campaign_of(app, folder).await?),
        None => {
            let says = format!("{name} lies in no campaign's folder; {}", allowed(app).await?);
            return Err(Error::conflict(says));
        }
    };
    let mut taking = Receiving::begin(&app.desk, &name, WHO).await?;
    let mut file = tokio::fs::File::open(path).await?;
    let mut piece = vec![0; PIECE];
    loop {
        let n = file.read(&mut piece).await?;
        if n == 0 {
            break;
        }
        taking.push(&piece[..n]).await?;
    }
    let sent = taking.end().await?;
    let job = match campaign {
        None => crate::handover::take_in(&app.desk, sent.id, WHO).await?,
        Some(campaign) => {
            // The server was stopped between the run and the folder.
            let same = |r: &echo_store::run::Run| {
                r.brought.as_ref().is_some_and(|b| b.sha256 == sent.sha256 && b.file == sent.file)
            };
            if app.store.runs(campaign).await?.iter().any(same) {
                return crate::uploads::forget(&app.desk, sent.id).await;
            }
            super::begin(&app.desk, campaign, sent.id, super::FileReading::default(), WHO).await?
        }
    };
    if let Err(e) = tokio::fs::write(noted(path), note(job.id, state)).await {
        tracing::debug!("{} is not noted: {e}", path.display());
    }
    awaited(app, job.id).await
}

/// Waits for the end of a file's job.
async fn awaited(app: &App, job: i64) -> Result<()> {
    loop {
        match jobs::read(&app.store, job).await?.swap_remove(0).stands {
            Stands::Waiting | Stands::Going { .. } => tokio::time::sleep(WAIT).await,
            Stands::Done { .. } => return Ok(()),
            Stands::Refused { says } => return Err(Error::conflict(says)),
            Stands::Stopped { .. } => return Err(Error::conflict("somebody stopped it")),
        }
    }
}

/// The campaign that a folder is for: its name, or what a folder makes of it.
async fn campaign_of(app: &App, folder: &str) -> Result<i64> {
    let all = app.store.campaigns().await?;
    let named = |name: &str| name == folder || file_name(name).eq_ignore_ascii_case(folder);
    match all.iter().rfind(|c| named(&c.name)) {
        Some(c) => Ok(c.id),
        None => {
            let says = format!("there is no campaign “{folder}”; {}", allowed(app).await?);
            Err(Error::conflict(says))
        }
    }
}

async fn allowed(app: &App) -> Result<String> {
    let names: Vec<String> = app.store.campaigns().await?.iter().map(|c| file_name(&c.name)).collect();
    Ok(format!("put it into a folder of that name: {}", names.join("; ")))
}

/// Puts a file away, into a folder beside it, under a name that is free; the reason in a text of its name.
async fn put(path: &Path, into: &str, says: Option<&str>) -> io::Result<()> {
    let (Some(folder), Some(name)) = (path.parent(), path.file_name()) else { return Ok(()) };
    let (folder, name) = (folder.join(into), name.to_string_lossy().into_owned());
    tokio::fs::create_dir_all(&folder).await?;
    let (base, ending) =
        name.split_once('.').map_or((name.clone(), String::new()), |(b, e)| (b.into(), format!(".{e}")));
    let free = |n: u32| if n == 1 { folder.join(&name) } else { folder.join(format!("{base} ({n}){ending}")) };
    let to = (1..10_000).map(free).find(|p| !p.exists()).unwrap_or_else(|| folder.join(&name));
    tokio::fs::rename(path, &to).await?;
    let _ = tokio::fs::remove_file(noted(path)).await;
    if let Some(says) = says {
        tokio::fs::write(
            to.with_file_name(format!("{}.why.txt", to.file_name().unwrap_or_default().to_string_lossy())),
            says,
        )
        .await?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn a_note_is_of_the_file_as_it_was() {
        let root = tempfile::tempdir().unwrap();
        let path = root.path().join("hull.echo.zip");
        let state = (7, Some(SystemTime::UNIX_EPOCH + Duration::from_secs(3)));
        assert_eq!(begun(&path, state).await, None);
        std::fs::write(noted(&path), note(12, state)).unwrap();
        assert_eq!(begun(&path, state).await, Some(12));
        assert_eq!(begun(&path, (8, state.1)).await, None, "another file by now");
        assert!(listed(root.path()).unwrap().is_empty(), "it is no file to be brought in");
    }

    #[test]
    fn files_are_found_with_their_folder_and_those_being_written_are_left() {
        let root = tempfile::tempdir().unwrap();
        let write = |name: &str| {
            let path = root.path().join(name);
            std::fs::create_dir_all(path.parent().unwrap()).unwrap();
            std::fs::write(path, "x").unwrap();
        };
        for name in [
            "a.wav",
            "Merrow/b.csv",
            "Merrow/c.csv.part",
            "Merrow/.d.csv",
            "Merrow/brought in/e.csv",
            "refused/f.csv",
            "Merrow/deep/g.csv",
        ] {
            write(name);
        }
        let found = listed(root.path()).unwrap();
        let told: Vec<(String, Option<&str>)> = found
            .iter()
            .map(|(p, c)| (p.strip_prefix(root.path()).unwrap().display().to_string(), c.as_deref()))
            .collect();
        assert_eq!(told, [("Merrow/b.csv".to_string(), Some("Merrow")), ("a.wav".into(), None)]);
    }

    #[tokio::test]
    async fn what_is_done_with_is_put_away_and_nothing_is_lost() {
        let root = tempfile::tempdir().unwrap();
        for text in ["first", "second"] {
            let path = root.path().join("a.echo.zip");
            std::fs::write(&path, text).unwrap();
            put(&path, REFUSED, Some("it is none")).await.unwrap();
        }
        let read = |name: &str| std::fs::read_to_string(root.path().join(REFUSED).join(name)).unwrap();
        assert_eq!((read("a.echo.zip").as_str(), read("a (2).echo.zip").as_str()), ("first", "second"));
        assert_eq!(read("a (2).echo.zip.why.txt"), "it is none");
    }
}
