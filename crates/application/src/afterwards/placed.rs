//! A file in its folder, under a name that is free.

use crate::jobs::called::Called;
use crate::jobs::files::{file, file_name};
use crate::{App, Error, Result};
use echo_job::export::pattern::filled;
use echo_job::plan::afterwards::Deed;
use echo_store::deed::StoredDeed;
use std::io;
use std::path::{Path, PathBuf};
use tokio::io::AsyncWriteExt;

/// Most tries for a name that is free.
const MOST: u32 = 10_000;

/// Refuses a file that could be laid nowhere, before anything is made.
pub(super) async fn possible(app: &App, then: &Deed) -> Result<()> {
    if matches!(then, Deed::Keep { .. } | Deed::Modes { .. }) {
        return Ok(());
    }
    let root = root(app)?;
    tokio::fs::create_dir_all(root).await.map_err(|e| not_there(root, &e))
}

fn root(app: &App) -> Result<&Path> {
    let says = "this server has no folder for files; start it with --files-to and a folder";
    app.files_to.as_deref().ok_or_else(|| Error::conflict(says))
}

fn not_there(path: &Path, e: &io::Error) -> Error {
    let says = format!(
        "{} cannot be written: {e}; see that the folder is there and the server may write to it",
        path.display()
    );
    Error::conflict(says)
}

/// Lays the file of a job where it belongs; a result has none.
pub(super) async fn laid(app: &App, deed: &StoredDeed, then: &Deed, job: i64) -> Result<()> {
    let Some((folder, name)) = wanted(app, deed, then).await? else { return Ok(()) };
    let root = root(app)?;
    // What was begun before a crash is written again, under the name it had.
    let path = if deed.path.is_empty() {
        let free = free(root, &folder, &name).await?;
        app.store.place_deed(deed.id, &free.to_string_lossy()).await?;
        free
    } else {
        PathBuf::from(&deed.path)
    };
    let to = root.join(&path);
    written(app, job, &to).await
}

/// Folder and name as the pattern has them; none for what has no file.
async fn wanted(app: &App, deed: &StoredDeed, then: &Deed) -> Result<Option<(PathBuf, (String, &'static str))>> {
    let run = match deed.run_id {
        Some(id) => app.store.run(id).await.ok(),
        None => None,
    };
    let called = Called::of(&app.store, deed.campaign_id, run).await?;
    let of = |export| called.known(export, (&deed.ending, deed.begun_at));
    let mut known = of(None);
    let (folder, name) = match then {
        Deed::Keep { .. } | Deed::Modes { .. } => return Ok(None),
        Deed::File { export, folder } => {
            known = of(Some(export));
            (folder, (export.called(&known), export.format.told().0))
        }
        Deed::Responses { folder, name, .. } => {
            let usual = || format!("responses of tap series {}", deed.number);
            (folder, (if name.trim().is_empty() { usual() } else { filled(name.trim(), &known) }, "uff"))
        }
        Deed::Report { form, folder, name, .. } => {
            let usual = if known.run.is_some() { "report {run}" } else { "report {date} {time}" };
            let name = if name.trim().is_empty() { usual } else { name.trim() };
            (folder, (filled(name, &known), form.told().0))
        }
    };
    let parts = folder.split(['/', '\\']).map(|p| filled(p.trim(), &known)).filter(|p| !p.trim().is_empty());
    // Each part by itself: a stroke or a dot in a campaign's name makes no folder.
    Ok(Some((parts.map(|p| file_name(&p)).collect(), (file_name(&name.0), name.1))))
}

/// The name, or the first with a number that nobody has.
async fn free(root: &Path, folder: &Path, (name, ending): &(String, &str)) -> Result<PathBuf> {
    let dir = root.join(folder);
    tokio::fs::create_dir_all(&dir).await.map_err(|e| not_there(&dir, &e))?;
    for n in 1..MOST {
        let numbered = if n == 1 { format!("{name}.{ending}") } else { format!("{name} ({n}).{ending}") };
        let path = folder.join(numbered);
        // Taken at once, so that nobody else takes it.
        match tokio::fs::OpenOptions::new().write(true).create_new(true).open(root.join(&path)).await {
            Ok(_) => return Ok(path),
            Err(e) if e.kind() == io::ErrorKind::AlreadyExists => {}
            Err(e) => return Err(not_there(&root.join(&path), &e)),
        }
    }
    Err(Error::conflict(format!("{} has {MOST} files of that name already; choose another name", dir.display())))
}

/// Writes the whole file beside its place and moves it there: who sees it sees all of it.
async fn written(app: &App, job: i64, to: &Path) -> Result<()> {
    let mut pieces = file(&app.store, job).await?;
    let part = to.with_file_name(format!(".{}.part", to.file_name().unwrap_or_default().to_string_lossy()));
    let wrong = |e: io::Error| not_there(to, &e);
    let writing = async {
        let mut out = tokio::fs::File::create(&part).await.map_err(wrong)?;
        while let Some(piece) = pieces.next().await? {
            out.write_all(&piece).await.map_err(wrong)?;
        }
        out.sync_all().await.map_err(wrong)?;
        tokio::fs::rename(&part, to).await.map_err(wrong)
    };
    let done = writing.await;
    if let Err(e) = &done
        && !e.passes()
    {
        // Neither half a file nor an empty one stays where a whole one was promised.
        let _ = tokio::fs::remove_file(&part).await;
        let _ = tokio::fs::remove_file(to).await;
    }
    done
}
