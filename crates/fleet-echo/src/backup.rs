//! `fleet-echo backup` and `restore`: the whole database as one file, by PostgreSQL's own programs.

use crate::Failure;
use anyhow::Context;
use clap::Args;
use echo_store::Store;
use std::path::{Path, PathBuf};
use std::process::Command;

/// Arguments of `backup`.
#[derive(Args)]
#[command(
    after_help = "Example:\n  fleet-echo backup --out 2026-11-29.backup\nThe server may go on meanwhile.\nExit status: 0 done, 2 refused, 1 anything else."
)]
pub struct Backup {
    /// PostgreSQL to back up.
    #[arg(long, env = "DATABASE_URL", hide_env_values = true)]
    database_url: String,
    /// The file; it must not be there yet.
    #[arg(long)]
    out: PathBuf,
    /// Only where the database's tables are not those of this program, as before they are brought up to date.
    #[arg(long)]
    if_older: bool,
}

/// Arguments of `restore`.
#[derive(Args)]
#[command(
    after_help = "Example:\n  fleet-echo restore 2026-11-29.backup --database-url postgres://…/empty\nExit status: 0 done, 2 refused, 1 anything else."
)]
pub struct Restore {
    /// PostgreSQL to restore into; it must be empty.
    #[arg(long, env = "DATABASE_URL", hide_env_values = true)]
    database_url: String,
    /// The file.
    file: PathBuf,
}

/// Where a program of PostgreSQL is: on the path, or where Debian keeps the newest version's.
pub fn program(name: &str) -> PathBuf {
    let mut versions: Vec<PathBuf> = std::fs::read_dir("/usr/lib/postgresql")
        .into_iter()
        .flatten()
        .filter_map(|e| Some(e.ok()?.path().join("bin").join(name)))
        .filter(|p| p.exists())
        .collect();
    versions.sort_by_key(|p| p.to_string_lossy().split('/').find_map(|part| part.parse::<u32>().ok()));
    versions.pop().unwrap_or_else(|| name.into())
}

fn run(name: &str, words: &[&std::ffi::OsStr]) -> Result<(), Failure> {
    let path = program(name);
    let out = Command::new(&path).args(words).output().with_context(|| {
        format!("{} cannot be run; it comes with PostgreSQL (Debian: postgresql-client)", path.display())
    })?;
    if !out.status.success() {
        return Err(anyhow::anyhow!("{name}: {}", String::from_utf8_lossy(&out.stderr).trim()).into());
    }
    Ok(())
}

impl Backup {
    /// Writes the backup.
    pub async fn run(&self) -> Result<(), Failure> {
        if self.if_older {
            let store = Store::lazy(&self.database_url)?;
            if store.is_empty().await? || store.fits().await.is_ok() {
                return Ok(());
            }
        }
        if self.out.exists() {
            return Err(Failure::Refused(format!("{} is there already; name another file", self.out.display())));
        }
        // Counts are packed already: packing them again costs time and gains nothing.
        let url = format!("--dbname={}", self.database_url);
        let file = format!("--file={}", self.out.display());
        let words = ["--format=custom", "--compress=0", "--no-owner", &file, &url];
        run("pg_dump", &words.map(std::ffi::OsStr::new))?;
        println!("{}: {:.1} MB", self.out.display(), size(&self.out) as f64 / 1e6);
        Ok(())
    }
}

fn size(path: &Path) -> u64 {
    std::fs::metadata(path).map_or(0, |m| m.len())
}

impl Restore {
    /// Restores the backup.
    pub async fn run(&self) -> Result<(), Failure> {
        if size(&self.file) == 0 {
            return Err(Failure::Refused(format!("{} is not there, or empty", self.file.display())));
        }
        let store = Store::lazy(&self.database_url)?;
        if !store.is_empty().await? {
            let says = "the database is not empty; give one that is (--database-url), so that nothing is lost";
            return Err(Failure::Refused(says.into()));
        }
        let url = format!("--dbname={}", self.database_url);
        let file = self.file.as_os_str();
        let words = ["--no-owner", "--exit-on-error", "--single-transaction", &url].map(std::ffi::OsStr::new);
        run("pg_restore", &[&words[..], &[file]].concat())?;
        // A backup of an older version is brought up to date at once.
        store.migrate().await?;
        let n = store.campaigns().await?.len();
        println!("{n} campaigns restored");
        Ok(())
    }
}
