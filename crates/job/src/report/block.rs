//! What a report is made of: blocks one under the other.

pub use super::drawn::{Drawn, Height, Part};
use super::language::Language;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use utoipa::ToSchema;

/// Blocks of one report at most: with a figure each, a hundred pages.
pub const MOST_BLOCKS: usize = 200;
/// Characters of a title at most, of the report's or of a block's.
pub const LONGEST_TITLE: usize = 300;

/// A report as it is written.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
#[schema(as = ReportBody)]
pub struct Report {
    /// Title; not empty.
    pub title: String,
    /// Its language, which also says how numbers are written.
    #[serde(default)]
    pub language: Language,
    /// What it is set on.
    #[serde(default)]
    pub paper: Paper,
    /// The run that blocks without one of their own are about; the newest with samples where left out.
    #[serde(default)]
    pub run_id: Option<i64>,
    /// From top to bottom.
    pub blocks: Vec<Block>,
}

/// What a report is set on.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
#[schema(as = ReportPaper)]
pub enum Paper {
    /// 210 by 297 mm.
    #[default]
    A4,
    /// US Letter, 8.5 by 11 inches.
    Letter,
}

/// A part of a report.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
#[schema(as = ReportBlock)]
pub struct Block {
    /// What it is called by, for as long as it is there; from 1, no two of a report alike.
    pub id: u32,
    /// Above it; nothing where empty.
    #[serde(default)]
    pub title: String,
    /// What it shows.
    pub show: Show,
    /// Over what it is repeated; once where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub each: Option<Each>,
    /// Which of the channels or points it is repeated over.
    #[serde(default, skip_serializing_if = "Only::is_all")]
    pub only: Only,
    /// Whether it is folded away: it stays in the list and stands on no page.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub folded: bool,
}

/// Over what a figure or a table is repeated.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
#[schema(as = ReportEach)]
pub enum Each {
    /// Each channel of its result.
    Channel,
    /// Each point of the rig that its channels are at.
    Point,
    /// Each run of the campaign that holds samples.
    Run,
    /// Each take of its run.
    Take,
}

/// Which channels or points a block is repeated over, by the limits of the report.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
#[schema(as = ReportOnly)]
pub enum Only {
    /// All of them.
    #[default]
    All,
    /// Those that a block of limits says something of.
    Limited,
    /// Those of which it does not say that they are within.
    Exceeded,
}

impl Only {
    fn is_all(&self) -> bool {
        *self == Only::All
    }
}

/// A level that a number is held against.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
#[schema(as = ReportLimit)]
pub struct Limit {
    /// Channels it is for; all others where empty.
    #[serde(default)]
    pub channels: Vec<u32>,
    /// The largest that is allowed, in the unit of the number.
    pub at_most: f64,
}

/// What a block shows.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "what", rename_all = "snake_case", deny_unknown_fields)]
#[schema(as = ReportShow)]
pub enum Show {
    /// The campaign's purpose, the report's title, run and day.
    Head,
    /// The engineer's words, with small formatting and words in braces.
    Text {
        /// The words.
        #[serde(default)]
        text: String,
    },
    /// What was measured: specimen, run, length, rate, front end.
    Facts {
        /// The run; the report's where left out.
        #[serde(default)]
        run_id: Option<i64>,
    },
    /// A result of a run as curves or maps.
    Figure(Drawn),
    /// A result of a run as a table.
    Table {
        /// The run; the report's where left out.
        #[serde(default)]
        run_id: Option<i64>,
        /// What it is made by; needed where no kept result is shown.
        #[serde(default, skip_serializing_if = "Value::is_null")]
        #[schema(value_type = Option<Object>)]
        recipe: Value,
        /// Key of a kept result that is shown instead.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        kept: Option<i64>,
        /// What of it.
        #[serde(default)]
        of: Rows,
        /// Places along the axis whose values are told, in its unit; for rows of values.
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        at: Vec<f64>,
        /// Speeds between which resonances are read, rpm; for rows of resonances.
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        #[schema(value_type = Vec<Vec<f64>>)]
        ranges: Vec<[f64; 2]>,
        /// Under it, with words in braces.
        #[serde(default)]
        caption: String,
    },
    /// A number of each channel held against what is allowed.
    Limits {
        /// The run; the report's where left out.
        #[serde(default)]
        run_id: Option<i64>,
        /// What the numbers are made by.
        #[schema(value_type = Object)]
        recipe: Value,
        /// Name of the number, such as `rms`.
        number: String,
        /// What is allowed.
        limits: Vec<Limit>,
        /// Under it, with words in braces.
        #[serde(default)]
        caption: String,
    },
    /// Channels, sensors and calibrations of a run.
    Rig {
        /// The run; the report's where left out.
        #[serde(default)]
        run_id: Option<i64>,
    },
    /// What was recorded besides samples.
    Records {
        /// The run, where it is of one; the report's where left out.
        #[serde(default)]
        run_id: Option<i64>,
        /// Of which kind.
        of: Records,
        /// Axes of events, by their channels; the first three that measure the same where empty.
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        channels: Vec<i16>,
    },
    /// What was tested: its sheet, its lines, its pictures.
    Specimen {
        /// Whether its lines are drawn.
        #[serde(default = "yes")]
        drawn: bool,
        /// Whether its pictures are shown.
        #[serde(default = "yes")]
        pictures: bool,
        /// How many stand beside each other, 1 to 4.
        #[serde(default = "two")]
        beside: u8,
    },
    /// What is to be kept in mind of all that stands in the report.
    Cautions,
    /// What was put right of a run afterwards, by whom and why.
    Corrections {
        /// The run; the report's where left out.
        #[serde(default)]
        run_id: Option<i64>,
    },
    /// How each number was made: the recipes of all figures and tables.
    Made,
    /// Lines on which somebody signs.
    Signature {
        /// Under each line.
        names: Vec<String>,
    },
    /// What follows begins on the next page.
    NextPage,
}

fn two() -> u8 {
    2
}

fn yes() -> bool {
    true
}

/// What a campaign records besides samples.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
#[schema(as = ReportRecords)]
pub enum Records {
    /// Words at places of a run.
    Marks,
    /// Takes of a run, with what brought them about.
    Takes,
    /// The newest rounds, with what was measured of each.
    Rounds,
    /// Watched quantities that left their limits.
    Alarms,
    /// Points of the newest tap series, with their hits.
    Taps,
    /// Findings of the rig that were let pass, and why.
    Waivers,
    /// Who changed what, and when.
    Changes,
    /// The plan a run was recorded by.
    Plan,
    /// What the front end found of each input when it was tested last.
    SelfTest,
    /// The machine's elements, with the lines they have at the run's mean speed.
    Elements,
    /// Takes of a run read as events: peaks, duration, change of velocity.
    Events,
    /// The points of the newest tap series on the specimen: hit, left out, still to come.
    TapMap,
}

/// Rows of a table.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
#[schema(as = ReportRows)]
pub enum Rows {
    /// Single numbers, a row a channel or mode.
    #[default]
    Numbers,
    /// The highest peaks of each spectrum.
    Peaks,
    /// Values of each curve at places that are named.
    Values,
    /// What was counted in each class.
    Classes,
    /// Resonances that order cuts pass between speeds that are named.
    Resonances,
}

impl Show {
    /// The run of its own, where it has one.
    pub fn run_id(&self) -> Option<i64> {
        match self {
            Show::Figure(f) => f.run_id,
            Show::Facts { run_id } | Show::Rig { run_id } | Show::Corrections { run_id } => *run_id,
            Show::Records { run_id, .. } => *run_id,
            Show::Table { run_id, .. } | Show::Limits { run_id, .. } => *run_id,
            _ => None,
        }
    }

    pub(super) fn run_id_mut(&mut self) -> Option<&mut Option<i64>> {
        match self {
            Show::Figure(f) => Some(&mut f.run_id),
            Show::Facts { run_id } | Show::Rig { run_id } | Show::Corrections { run_id } => Some(run_id),
            Show::Records { run_id, .. } => Some(run_id),
            Show::Table { run_id, .. } | Show::Limits { run_id, .. } => Some(run_id),
            _ => None,
        }
    }

    /// What it is made by, where it is made of samples.
    pub fn recipe(&self) -> Option<&Value> {
        match self {
            Show::Figure(Drawn { recipe, kept: None, .. })
            | Show::Table { recipe, kept: None, .. }
            | Show::Limits { recipe, .. } => Some(recipe),
            _ => None,
        }
    }

    /// The kept result that it shows, where it shows one.
    pub fn kept(&self) -> Option<i64> {
        match self {
            Show::Figure(Drawn { kept, .. }) | Show::Table { kept, .. } => *kept,
            _ => None,
        }
    }

    pub(super) fn kept_mut(&mut self) -> Option<&mut Option<i64>> {
        match self {
            Show::Figure(Drawn { kept, .. }) | Show::Table { kept, .. } => Some(kept),
            _ => None,
        }
    }

    /// The engineer's words in it.
    pub(super) fn words(&self) -> Vec<&str> {
        match self {
            Show::Text { text } => vec![text],
            Show::Figure(Drawn { caption, .. }) | Show::Table { caption, .. } | Show::Limits { caption, .. } => {
                vec![caption]
            }
            Show::Signature { names } => names.iter().map(String::as_str).collect(),
            _ => Vec::new(),
        }
    }
}
