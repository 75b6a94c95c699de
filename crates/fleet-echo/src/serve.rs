//! `fleet-echo serve`: database, capture and page in one process.

use crate::Failure;
use anyhow::Context;
use clap::{Args, ValueEnum};
use echo_application::afterwards::tend;
use echo_application::bring::folder;
use echo_application::health::{self, watched};
use echo_application::jobs::{prepare, worker};
use echo_application::people::unguessable;
use echo_application::rigs::follow::follow;
use echo_application::rounds::keeper::keep_rounds;
use echo_application::runs::budget::Budget;
use echo_application::{App, Desk, free_space, news, outputs, shelf, watch};
use echo_capture::discover::{Discovery, Reach};
use echo_capture::{Capture, CaptureState, Options, Room};
use echo_server::page::Page;
use echo_server::people::Door;
use echo_server::{Site, router};
use echo_store::Store;
use std::net::SocketAddr;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

/// Arguments of `serve`.
#[derive(Args)]
pub struct Serve {
    /// File with these options, such as /etc/fleet-echo.toml: a key is an option without its dashes, with _ for -.
    #[arg(id = "config", long = "config")]
    _config: Option<PathBuf>,
    /// PostgreSQL to work with.
    #[arg(long, env = "DATABASE_URL")]
    database_url: String,
    /// Address to listen on; port 0 takes a free one.
    #[arg(long, default_value = "127.0.0.1:7400")]
    listen: String,
    /// Front end to connect to at start, host:port, unless the campaign measured last remembers its own.
    #[arg(long)]
    front_end: Option<String>,
    /// Where to look for front ends by DNS-SD.
    #[arg(long, value_enum, default_value_t = Discover::Off)]
    discover: Discover,
    /// Folder of a built page, to be served instead of the one that is part of the program.
    #[arg(long)]
    page: Option<PathBuf>,
    /// Megabytes of samples held in memory while the database is away.
    #[arg(long, default_value_t = 1024)]
    hold_mb: u64,
    /// Megabytes that analyses may hold at once; more wait for their turn.
    #[arg(long, default_value_t = 4096)]
    analysis_mb: u32,
    /// Live pictures that a page gets a second, 1 to 20: fewer spare a slow machine or network.
    #[arg(long, default_value_t = 20, value_parser = clap::value_parser!(u32).range(1..=20))]
    live_per_s: u32,
    /// Jobs that the server works on at once; with 0 they are left to workers.
    #[arg(long, default_value_t = 2)]
    jobs: usize,
    /// Folder that files are laid into by themselves when a recording has ended, as its plan says.
    #[arg(long)]
    files_to: Option<PathBuf>,
    /// Folder whose files are brought in by themselves: each folder in it is for the campaign of that name.
    #[arg(long)]
    files_from: Option<PathBuf>,
    /// Name under which this machine may be reached, besides its addresses and localhost; may be given
    /// several times.
    #[arg(long = "name")]
    names: Vec<String>,
    /// People sign in though only this machine can reach the server; where others can, they always do.
    #[arg(long)]
    sign_in: bool,
}

#[derive(Clone, Copy, PartialEq, ValueEnum)]
enum Discover {
    Off,
    Loopback,
    All,
}

/// How long the end of a recording may take to be written before the server ends without it.
const LAST_WRITES: Duration = Duration::from_secs(10);
/// How long jobs may take to go back into the queue.
const HANDED_BACK: Duration = Duration::from_secs(3);

/// Connects as the command `name`, waiting a little for a database that is just starting, makes this
/// process its owner, and closes runs a crash left open.
pub async fn open_store(url: &str, name: &str) -> anyhow::Result<Store> {
    let store = Store::lazy(url)?;
    let who = format!("fleet-echo {name} (process {})", std::process::id());
    let mut tries = 0;
    while let Err(e) = store.own(&who).await {
        tries += 1;
        if !e.passes() {
            return Err(e.into());
        }
        if tries == 20 {
            return Err(e).context("the database does not answer; start it, or set DATABASE_URL");
        }
        tokio::time::sleep(Duration::from_millis(500)).await;
    }
    store.migrate().await?;
    prepare(&store).await?;
    let recovered = store.recover().await?;
    if !recovered.is_empty() {
        tracing::warn!("{} runs were open; closed at their last whole chunk", recovered.len());
    }
    Ok(store)
}

/// Tells the room on the database's disk, where that may be known: recording ends before it is full.
pub async fn room(store: &Store) -> Option<Room> {
    let folder = store.data_directory().await?;
    Some(Arc::new(move || free_space(Path::new(&folder))))
}

/// Ends with Ctrl+C or SIGTERM.
pub async fn told_to_end() {
    let mut terminate = tokio::signal::unix::signal(tokio::signal::unix::SignalKind::terminate()).ok();
    let terminated = async {
        match &mut terminate {
            Some(t) => drop(t.recv().await),
            None => std::future::pending().await,
        }
    };
    tokio::select! {
        _ = tokio::signal::ctrl_c() => {}
        () = terminated => {}
    }
}

impl Serve {
    /// The page that is served.
    fn page(&self) -> Result<Page, Failure> {
        match &self.page {
            Some(folder) if folder.join("index.html").is_file() => Ok(Page::Folder(folder.clone())),
            Some(folder) => Err(Failure::Refused(format!("{} holds no built page", folder.display()))),
            None if echo_page::is_there() => Ok(Page::BuiltIn(echo_page::file)),
            None => Err(Failure::Refused(
                "this program was built without its page; build that first (npm run build in web/), or say --page"
                    .into(),
            )),
        }
    }

    /// Who is let in: everybody where only this machine can reach the server, unless sign-in is asked for; else those
    /// who sign in. While there is nobody, a word on the console lets the first owner in.
    async fn door(&self, store: &Store, address: SocketAddr) -> anyhow::Result<Door> {
        let far = !address.ip().is_loopback();
        if !far && !self.sign_in {
            return Ok(Door::new(false, None));
        }
        if far {
            eprintln!(
                "Passwords and data travel readable from {address}: on a network that others use, let a proxy speak TLS before it (such as nginx or caddy on this machine, to --listen 127.0.0.1:7400 --sign-in --name NAME)."
            );
        }
        let nobody = store.people().await?.is_empty();
        let word = nobody.then(unguessable);
        if let Some(word) = &word {
            eprintln!(
                "There is no owner yet. Open http://{address}/first-owner#{word} to become it, or use: fleet-echo people add NAME --role own"
            );
        }
        Ok(Door::new(true, word))
    }

    /// Serves until Ctrl+C or SIGTERM; a recording that is going is ended and written first, for up to ten
    /// seconds.
    pub async fn run(&self) -> Result<(), Failure> {
        let page = self.page()?;
        let store = open_store(&self.database_url, "serve").await?;
        let options = Options { hold_bytes: self.hold_mb << 20, room: room(&store).await, ..Options::default() };
        let capture = Capture::start(store.clone(), options);
        let discovery = match self.discover {
            Discover::Off => Discovery::off(),
            reach => {
                let reach = if reach == Discover::All { Reach::All } else { Reach::Loopback };
                Discovery::start(reach).unwrap_or_else(|says| {
                    tracing::warn!("{says}");
                    Discovery::off()
                })
            }
        };
        let budget = Budget::new(self.analysis_mb).map_err(anyhow::Error::msg)?;
        let desk = Desk::new(store.clone(), budget);
        let mut app = App::new(desk.clone(), capture.clone(), discovery);
        app.files_to.clone_from(&self.files_to);
        app.files_from.clone_from(&self.files_from);
        app.live_each = Duration::from_secs(1) / self.live_per_s;
        tokio::spawn(watched("the database's pulse", app.clone(), health::beat));
        tokio::spawn(watched("news of the database", app.clone(), news::pass_on));
        tokio::spawn(watched("outputs", app.clone(), outputs::watch));
        tokio::spawn(watched("smart sensors", app.clone(), follow));
        tokio::spawn(watched("rounds", app.clone(), keep_rounds));
        tokio::spawn(watched("the folder of files", app.clone(), folder::watch));
        tokio::spawn(watched("what is done by itself", app.clone(), tend));
        tokio::spawn(watched("watched quantities", app.clone(), watch::watch));
        tokio::spawn(watched("what was deleted", app.clone(), shelf::sweep));
        let (stop, stopped) = tokio::sync::watch::channel(false);
        let jobs =
            (self.jobs > 0).then(|| tokio::spawn(worker::work(desk, worker::named("this server"), self.jobs, stopped)));
        if let Some(last) = store.chosen_last().await? {
            if self.front_end.is_some() && store.front_end(last).await?.is_none() {
                store.remember_front_end(last, self.front_end.as_deref()).await?;
            }
            let _ = app.choose(last).await;
        } else if self.front_end.is_some() {
            capture.connect(self.front_end.clone()).await;
        }
        let listener = tokio::net::TcpListener::bind(&self.listen)
            .await
            .with_context(|| format!("{} is taken; choose another with --listen", self.listen))?;
        let address = listener.local_addr()?;
        let door = self.door(&store, address).await?;
        println!("http://{address}");
        let site = Site { page, names: self.names.clone(), door };
        tokio::select! {
            r = axum::serve(listener, router(app, site)) => r?,
            () = told_to_end() => {}
        }
        let _ = stop.send(true);
        if let Some(jobs) = jobs {
            let _ = tokio::time::timeout(HANDED_BACK, jobs).await;
        }
        if capture.stop().await.is_ok() {
            let mut status = capture.status();
            let idle = status.wait_for(|s| s.capture == CaptureState::Idle);
            if tokio::time::timeout(LAST_WRITES, idle).await.is_err()
                && let CaptureState::Writing(p) = &capture.status().borrow().capture
            {
                eprintln!(
                    "ended after {} s with {:.1} MB of run {} not written, as the database does not answer; they are lost",
                    LAST_WRITES.as_secs(),
                    p.held_bytes as f64 / 1e6,
                    p.number
                );
            }
        }
        Ok(())
    }
}
