//! `fleet-echo doctor`: what is wrong with an installation, in plain sentences.

use crate::Failure;
use crate::backup::program;
use chrono::Utc;
use clap::Args;
use echo_application::free_space;
use echo_capture::discover::{Discovery, Reach};
use echo_store::Store;
use serde::Serialize;
use std::path::{Path, PathBuf};
use std::time::Duration;
use tokio::net::{TcpListener, TcpStream};

/// Arguments of `doctor`.
#[derive(Args)]
#[command(
    after_help = "Examples:\n  fleet-echo doctor --config /etc/fleet-echo.toml\n  fleet-echo doctor --json | jq '.[] | select(.is != \"good\")'\nExit status: 0 nothing is wrong, 1 something is, 2 refused."
)]
pub struct Doctor {
    /// File with the options of `serve`.
    #[arg(id = "config", long = "config")]
    _config: Option<PathBuf>,
    /// PostgreSQL of the server.
    #[arg(long, env = "DATABASE_URL", hide_env_values = true)]
    database_url: Option<String>,
    /// Address the server is to listen on.
    #[arg(long, default_value = "127.0.0.1:7400")]
    listen: String,
    /// Front ends, host:port with commas between.
    #[arg(long)]
    front_end: Option<String>,
    /// As JSON.
    #[arg(long)]
    json: bool,
}

/// How something is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
enum Is {
    Good,
    Caution,
    Wrong,
}

/// One thing that was looked at.
#[derive(Debug, Clone, Serialize)]
struct Finding {
    about: &'static str,
    is: Is,
    says: String,
}

fn good(about: &'static str, says: impl Into<String>) -> Finding {
    Finding { about, is: Is::Good, says: says.into() }
}

fn caution(about: &'static str, says: impl Into<String>) -> Finding {
    Finding { about, is: Is::Caution, says: says.into() }
}

fn wrong(about: &'static str, says: impl Into<String>) -> Finding {
    Finding { about, is: Is::Wrong, says: says.into() }
}

/// Free room below which a recording is soon over, and below which none is begun, bytes.
const LITTLE: u64 = 20_000_000_000;
const NONE: u64 = 1_000_000_000;
/// Clocks that differ by more, s, confuse whoever reads the times.
const APART_S: f64 = 2.0;
/// How long a front end may take to answer, and how long the network is listened to.
const PATIENCE: Duration = Duration::from_secs(2);

/// What free room means.
fn room(bytes: u64, of: &str) -> Finding {
    let gb = bytes as f64 / 1e9;
    match bytes {
        0..NONE => wrong("room", format!("{of} has {gb:.1} GB left: nothing can be recorded. Make room there.")),
        NONE..LITTLE => caution("room", format!("{of} has {gb:.1} GB left: a long recording will end early.")),
        _ => good("room", format!("{of} has {gb:.0} GB left.")),
    }
}

/// What the difference of two clocks means.
fn clocks(apart_s: f64) -> Finding {
    if apart_s.abs() > APART_S {
        let says =
            format!("The database's clock is {apart_s:.1} s off this machine's. Set both by one time server (NTP).");
        caution("clock", says)
    } else {
        good("clock", "The database's clock and this machine's agree.")
    }
}

impl Doctor {
    async fn database(&self) -> Vec<Finding> {
        let Some(url) = &self.database_url else {
            return vec![wrong("database", "No database is named: set database_url in the file, or DATABASE_URL.")];
        };
        let store = match Store::lazy(url) {
            Ok(store) => store,
            Err(e) => return vec![wrong("database", e.to_string())],
        };
        let (time, kind) = match store.clock_and_kind().await {
            Ok(told) => told,
            Err(e) => {
                let says = format!("PostgreSQL does not answer: {e}. Is it started, and is the address right?");
                return vec![wrong("database", says)];
            }
        };
        let mut all = vec![clocks((time - Utc::now()).as_seconds_f64())];
        let empty = store.is_empty().await.unwrap_or(false);
        all.push(match store.fits().await {
            Ok(()) => good("database", format!("PostgreSQL {kind} answers, its tables are of this version.")),
            Err(_) if empty => {
                good("database", format!("PostgreSQL {kind} answers and is empty: the server will lay its tables."))
            }
            Err(e) => caution("database", format!("{e}. The server brings older tables up to date when it starts.")),
        });
        all.push(match store.owner().await {
            Ok(Some(who)) => good("owner", format!("{who} works with the database.")),
            Ok(None) => caution("owner", "No server works with the database now."),
            Err(e) => wrong("owner", e.to_string()),
        });
        if let Some(folder) = store.data_directory().await
            && let Some(bytes) = free_space(Path::new(&folder))
        {
            all.push(room(bytes, "The database's disk"));
        }
        all
    }

    async fn port(&self) -> Finding {
        match TcpListener::bind(&self.listen).await {
            Ok(_) => caution("port", format!("{} is free: no server listens there now.", self.listen)),
            Err(e) if e.kind() == std::io::ErrorKind::AddrInUse => {
                let asked = reqwest::Client::builder().timeout(PATIENCE).build();
                let told = match asked {
                    Ok(client) => client.get(format!("http://{}/api/openapi.json", self.listen)).send().await.ok(),
                    Err(_) => None,
                };
                // Without a session it may answer that somebody must sign in, which is an answer too.
                let ours = told.is_some_and(|r| r.status().is_success() || r.status().as_u16() == 401);
                if ours {
                    good("port", format!("A server answers at http://{}.", self.listen))
                } else {
                    wrong("port", format!("{} is taken by another program: say another one with listen.", self.listen))
                }
            }
            Err(e) => wrong("port", format!("{} cannot be listened on: {e}.", self.listen)),
        }
    }

    async fn front_ends(&self) -> Vec<Finding> {
        let mut all = Vec::new();
        for address in self.front_end.iter().flat_map(|a| a.split(',')).map(str::trim).filter(|a| !a.is_empty()) {
            all.push(match tokio::time::timeout(PATIENCE, TcpStream::connect(address)).await {
                Ok(Ok(_)) => good("front end", format!("{address} answers.")),
                Ok(Err(e)) => {
                    wrong("front end", format!("{address} does not answer: {e}. Is it on, and on this network?"))
                }
                Err(_) => wrong("front end", format!("{address} does not answer. Is it on, and on this network?")),
            });
        }
        if let Ok(discovery) = Discovery::start(Reach::All) {
            tokio::time::sleep(PATIENCE).await;
            let found = discovery.found().len();
            all.push(match found {
                0 if all.is_empty() => caution("front end", "None is named, and none announces itself on the network."),
                0 => good("front end", "No other one announces itself on the network."),
                n => good("front end", format!("{n} announce themselves on the network.")),
            });
        }
        all
    }

    /// Looks at everything, and says it.
    pub async fn run(&self) -> Result<(), Failure> {
        let mut all = vec![if echo_page::is_there() {
            good("program", format!("Fleet Echo {} with its page.", env!("CARGO_PKG_VERSION")))
        } else {
            wrong("program", "It was built without its page: only with --page it serves one.")
        }];
        all.extend(self.database().await);
        all.push(self.port().await);
        all.extend(self.front_ends().await);
        all.push(match tempfile::tempfile() {
            Ok(_) => free_space(&std::env::temp_dir()).map_or_else(
                || good("rights", "Temporary files can be written."),
                |bytes| room(bytes, "The folder of temporary files"),
            ),
            Err(e) => wrong("rights", format!("{} cannot be written to: {e}.", std::env::temp_dir().display())),
        });
        let dump = program("pg_dump");
        let found = std::process::Command::new(&dump).arg("--version").output().is_ok_and(|o| o.status.success());
        all.push(if found {
            good("backup", "PostgreSQL's own programs are there: backup and restore work.")
        } else {
            caution("backup", "pg_dump is not there: install postgresql-client, or no backup can be written.")
        });
        let broken = all.iter().any(|f| f.is == Is::Wrong);
        if self.json {
            println!("{}", serde_json::to_string_pretty(&all)?);
        } else {
            for f in &all {
                let mark = match f.is {
                    Is::Good => "  ",
                    Is::Caution => "▲ ",
                    Is::Wrong => "■ ",
                };
                println!("{mark}{:<10} {}", f.about, f.says);
            }
        }
        if broken {
            // What is wrong has been said.
            std::process::exit(1);
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn little_room_is_a_caution_and_none_is_wrong() {
        assert_eq!(
            [room(5, "a").is, room(LITTLE - 1, "a").is, room(LITTLE, "a").is],
            [Is::Wrong, Is::Caution, Is::Good]
        );
        assert_eq!([clocks(0.5).is, clocks(-3.0).is], [Is::Good, Is::Caution]);
    }
}
