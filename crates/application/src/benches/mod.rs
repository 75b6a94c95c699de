//! Benches: displays of Run, placed and sized by whoever works with them, kept under a name; those of Study are
//! in [`study`].

pub mod study;

use crate::{App, Result};
use echo_job::Refusal;
use echo_store::state::Station;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// What a display shows.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Display {
    /// The newest stretch.
    Waveform,
    /// The recording so far, or a long moving window.
    Strip,
    /// A spectrum.
    Spectrum,
    /// Levels as shares of range.
    Bars,
    /// A few values in large figures.
    Numbers,
    /// All values as a table.
    Table,
    /// Speed with its pulse train.
    Speed,
    /// Two directions of a shaft against each other.
    Orbit,
    /// Spectra one above the other.
    Waterfall,
    /// Watched quantities with their limits.
    Limits,
    /// What capture does.
    Now,
}

/// A display on a bench: place and size in twelfths of the width and rows of the height.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Pane {
    /// What it shows.
    pub display: Display,
    /// Column of its left edge, 0 to 11.
    pub x: u16,
    /// Row of its upper edge.
    pub y: u16,
    /// Columns it is wide, 1 to 12.
    pub w: u16,
    /// Rows it is high.
    pub h: u16,
    /// Inputs it shows.
    #[serde(default)]
    pub inputs: Vec<u16>,
    /// Length shown, s; the whole recording when left out of a strip.
    #[serde(default)]
    pub seconds: Option<f64>,
    /// Block of a spectrum, samples.
    #[serde(default)]
    pub block: Option<u32>,
    /// Highest frequency shown, Hz.
    #[serde(default)]
    pub to_hz: Option<f64>,
    /// Blocks a spectrum averages.
    #[serde(default)]
    pub averages: Option<u32>,
    /// Unit of a spectrum; the channel's when left out.
    #[serde(default)]
    pub unit: Option<String>,
    /// Band whose envelope a spectrum is of, Hz.
    #[serde(default)]
    pub envelope_hz: Option<(f64, f64)>,
    /// The largest value so far is shown too.
    #[serde(default)]
    pub hold: bool,
}

/// A bench.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Bench {
    /// Its displays.
    pub panes: Vec<Pane>,
}

/// A bench under its name.
#[derive(Serialize, ToSchema)]
pub struct KeptBench {
    /// Its name.
    pub name: String,
    /// The bench.
    pub bench: Bench,
}

/// Columns of a bench.
const COLUMNS: u16 = 12;
/// Most displays of a bench.
const MOST: usize = 24;

/// Whether something of this place, width and height has room on a bench.
fn fits([x, y, w, h]: [u16; 4]) -> bool {
    (1..=COLUMNS).contains(&w) && x <= COLUMNS - w && (1..=60).contains(&h) && y <= 600
}

impl Bench {
    fn check(&self) -> std::result::Result<(), Refusal> {
        let wrong = |says: String| Err(Refusal::new("panes", says));
        if self.panes.len() > MOST {
            return wrong(format!("the bench has {} displays; allowed: up to {MOST}", self.panes.len()));
        }
        for p in &self.panes {
            if !fits([p.x, p.y, p.w, p.h]) {
                return wrong(format!(
                    "a display of {} × {} at {}, {} does not fit a bench of {COLUMNS} columns",
                    p.w, p.h, p.x, p.y
                ));
            }
            if p.seconds.is_some_and(|s| !(s > 0.0 && s <= 86_400.0)) {
                return wrong("a display shows above 0 s and up to a day".into());
            }
            if p.block.is_some_and(|b| !(64..=1 << 17).contains(&b)) {
                return wrong("a block has 64 to 131072 samples".into());
            }
        }
        Ok(())
    }
}

/// A bench's name, trimmed.
///
/// # Errors
/// None, or too long.
fn named(name: &str) -> std::result::Result<&str, Refusal> {
    let name = name.trim();
    if name.is_empty() || name.chars().count() > 40 {
        return Err(Refusal::new("name", format!("the bench is called “{name}”; allowed: 1 to 40 characters")));
    }
    Ok(name)
}

/// Benches of the Run station.
///
/// # Errors
/// The database is away.
pub async fn list(app: &App, id: i64) -> Result<Vec<KeptBench>> {
    let all = app.store.benches(id, Station::Run).await?;
    let read = |(name, body)| Some(KeptBench { name, bench: serde_json::from_value(body).ok()? });
    Ok(all.into_iter().filter_map(read).collect())
}

/// Keeps a bench under a name; one of that name is replaced.
///
/// # Errors
/// What is asked is not allowed, or the database is away.
pub async fn keep(app: &App, id: i64, name: String, bench: Bench) -> Result<()> {
    let name = named(&name)?;
    bench.check()?;
    let body = serde_json::to_value(&bench)?;
    app.store.keep_bench(id, Station::Run, name, &body).await?;
    Ok(())
}

/// Lets a bench go.
///
/// # Errors
/// There is none of that key, or the database is away.
pub async fn drop(app: &App, id: i64, name: String) -> Result<()> {
    app.store.drop_bench(id, Station::Run, &name).await?;
    Ok(())
}
