//! `fleet-echo`: serve · worker · demo · analyze · campaigns · import · export · report · verify · afterwards ·
//! people · backup · restore · doctor · soak · openapi.

mod analyze;
mod backup;
mod demo;
mod doctor;
mod people;
mod remote;
mod serve;
mod settings;
mod soak;
mod worker;

use clap::{CommandFactory, FromArgMatches, Parser, Subcommand};
use std::process::ExitCode;

/// Rig, plan, run, study and report vibration tests.
#[derive(Parser)]
#[command(version)]
struct Options {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Serve the page and the API.
    Serve(serve::Serve),
    /// Work on the jobs of a server from another machine.
    Worker(worker::Worker),
    /// Lay the demo campaign and record its runs from a front end.
    Demo(demo::Demo),
    /// Carry out a recipe on a WAV or CSV file.
    Analyze(analyze::Analyze),
    /// List the campaigns of a server.
    Campaigns(remote::Campaigns),
    /// Take a campaign file in, or bring recordings into a campaign.
    Import(remote::files::Import),
    /// Write a campaign, or one of its runs, to a file.
    Export(remote::files::Export),
    /// Make a campaign's report as PDF.
    Report(remote::reports::Report),
    /// Make every number of a report's PDF again and say which hold.
    Verify(remote::reports::Verify),
    /// List what is done by itself in a campaign, and where it stands.
    Afterwards(remote::by_itself::Afterwards),
    /// Say who may work on a server, and make tokens.
    People(people::People),
    /// Write the whole database to a file.
    Backup(backup::Backup),
    /// Restore a backup into an empty database.
    Restore(backup::Restore),
    /// Say what is wrong with an installation, and what to do.
    Doctor(doctor::Doctor),
    /// Record at full rate and measure what the path carries.
    Soak(soak::Soak),
    /// Print the description of the API.
    Openapi,
}

/// How a command failed: 2 for a wrong recipe or input, 1 for anything else.
pub enum Failure {
    /// Wrong recipe or input, in one sentence.
    Refused(String),
    /// Anything else.
    Other(anyhow::Error),
}

impl<E: Into<anyhow::Error>> From<E> for Failure {
    fn from(e: E) -> Self {
        Failure::Other(e.into())
    }
}

fn main() -> ExitCode {
    tracing_subscriber::fmt()
        .with_writer(std::io::stderr)
        .with_env_filter(
            tracing_subscriber::EnvFilter::try_from_default_env()
                .unwrap_or_else(|_| "info,sqlx=warn,mdns_sd=warn".into()),
        )
        .init();
    let words = match settings::with_file(std::env::args_os().collect(), &Options::command()) {
        Ok(words) => words,
        Err(says) => {
            eprintln!("{says}");
            return ExitCode::from(2);
        }
    };
    let options = Options::from_arg_matches(&Options::command().get_matches_from(words)).unwrap_or_else(|e| e.exit());
    let result = match options.command {
        Command::Analyze(a) => a.run(),
        Command::Serve(s) => block_on(s.run()),
        Command::Worker(w) => block_on(w.run()),
        Command::Demo(d) => block_on(d.run()),
        Command::Campaigns(c) => block_on(c.run()),
        Command::Import(i) => block_on(i.run()),
        Command::Export(e) => block_on(e.run()),
        Command::Report(r) => block_on(r.run()),
        Command::Verify(v) => block_on(v.run()),
        Command::Afterwards(a) => block_on(a.run()),
        Command::People(p) => block_on(p.run()),
        Command::Backup(b) => block_on(b.run()),
        Command::Restore(r) => block_on(r.run()),
        Command::Doctor(d) => block_on(d.run()),
        Command::Soak(s) => block_on(s.run()),
        Command::Openapi => openapi(),
    };
    match result {
        Ok(()) => ExitCode::SUCCESS,
        Err(Failure::Refused(says)) => {
            eprintln!("{says}");
            ExitCode::from(2)
        }
        Err(Failure::Other(e)) => {
            eprintln!("{e:#}");
            ExitCode::from(1)
        }
    }
}

fn block_on(work: impl Future<Output = Result<(), Failure>>) -> Result<(), Failure> {
    tokio::runtime::Runtime::new()?.block_on(work)
}

fn openapi() -> Result<(), Failure> {
    println!("{}", serde_json::to_string_pretty(&echo_server::api::description())?);
    Ok(())
}
