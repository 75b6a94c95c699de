//! `fleet-echo serve`: database, capture and page in one process.

use crate::Failure;
use anyhow::Context;
use clap::{Args, ValueEnum};
use echo_capture::discover::{Discovery, Reach};
use echo_capture::{Capture, Options, Room};
use echo_server::{App, Config, free_space};
use echo_store::Store;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

/// Arguments of `serve`.
#[derive(Args)]
pub struct Serve {
    /// PostgreSQL to work with.
    #[arg(long, env = "DATABASE_URL")]
    database_url: String,
    /// Address to listen on; port 0 takes a free one.
    #[arg(long, default_value = "127.0.0.1:7400")]
    listen: String,
    /// Front end to connect to at start, host:port.
    #[arg(long)]
    front_end: Option<String>,
    /// Where to look for front ends by DNS-SD.
    #[arg(long, value_enum, default_value_t = Discover::Off)]
    discover: Discover,
    /// Folder of the built page.
    #[arg(long, default_value = "web/dist")]
    page: PathBuf,
    /// Megabytes of samples held in memory while the database is away.
    #[arg(long, default_value_t = 1024)]
    hold_mb: u64,
}

#[derive(Clone, Copy, PartialEq, ValueEnum)]
enum Discover {
    Off,
    Loopback,
    All,
}

/// Connects, waiting a little for a database that is just starting, and closes runs a crash left open.
pub async fn open_store(url: &str) -> anyhow::Result<Store> {
    let store = Store::lazy(url)?;
    let mut tries = 0;
    while let Err(e) = store.migrate().await {
        tries += 1;
        if tries == 20 {
            return Err(e).context("the database does not answer; start it, or set DATABASE_URL");
        }
        tokio::time::sleep(Duration::from_millis(500)).await;
    }
    let recovered = store.recover().await?;
    if !recovered.is_empty() {
        tracing::warn!("{} runs were open; closed at their last whole chunk", recovered.len());
    }
    Ok(store)
}

impl Serve {
    /// Serves until Ctrl+C or SIGTERM; a recording that is going is ended and written first.
    pub async fn run(&self) -> Result<(), Failure> {
        let store = open_store(&self.database_url).await?;
        let room: Option<Room> = match store.data_directory().await {
            Some(folder) => Some(Arc::new(move || free_space(Path::new(&folder)))),
            None => None,
        };
        let options = Options { hold_bytes: self.hold_mb << 20, room, ..Options::default() };
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
        let app = App::new(store.clone(), capture.clone(), Config { page: self.page.clone(), discovery });
        tokio::spawn(echo_server::follow(app.clone()));
        tokio::spawn(echo_server::keep_rounds(app.clone()));
        tokio::spawn(echo_server::watch::watch(app.clone()));
        if let Some(first) = store.campaigns().await?.first() {
            // What the command line says stands above what was remembered, and is remembered.
            if let Some(address) = &self.front_end {
                store.remember_front_end(first.id, Some(address)).await?;
            }
            let _ = app.choose(first.id).await;
        }
        if self.front_end.is_some() {
            capture.connect(self.front_end.clone()).await;
        }
        let listener = tokio::net::TcpListener::bind(&self.listen)
            .await
            .with_context(|| format!("{} is taken; choose another with --listen", self.listen))?;
        println!("http://{}", listener.local_addr()?);
        let until = async {
            let mut terminate = tokio::signal::unix::signal(tokio::signal::unix::SignalKind::terminate()).ok();
            tokio::select! {
                _ = tokio::signal::ctrl_c() => {}
                _ = async { match &mut terminate { Some(t) => { t.recv().await; } None => std::future::pending().await } } => {}
            }
        };
        tokio::select! {
            r = axum::serve(listener, echo_server::router(app)) => r?,
            () = until => {}
        }
        if capture.stop().await.is_ok() {
            let mut status = capture.status();
            let idle = status.wait_for(|s| s.capture == echo_capture::CaptureState::Idle);
            let _ = tokio::time::timeout(Duration::from_secs(10), idle).await;
        }
        Ok(())
    }
}
