//! What a report is made of: blocks one under the other.

use super::language::Language;
use super::text::MOST_CHARACTERS;
use crate::Refusal;
use crate::recipe::Recipe;
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use std::collections::BTreeSet;
use utoipa::ToSchema;

/// Blocks of one report at most: with a figure each, a hundred pages.
pub const MOST_BLOCKS: usize = 200;
/// Characters of a title at most, of the report's or of a block's.
pub const LONGEST_TITLE: usize = 300;
/// Characters of all texts of a report at most.
const MOST_TOGETHER: usize = 500_000;
/// Lines of all texts of a report at most: some hundred pages.
const MOST_LINES: usize = 10_000;
/// Names under which somebody signs at most.
const MOST_NAMES: usize = 12;

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
    /// The run that blocks without one of their own are about; the newest with samples where left out.
    #[serde(default)]
    pub run_id: Option<i64>,
    /// From top to bottom.
    pub blocks: Vec<Block>,
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

/// A figure.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
#[schema(as = ReportFigure)]
pub struct Drawn {
    /// The run; the report's where left out.
    #[serde(default)]
    pub run_id: Option<i64>,
    /// What it is made by; needed where no kept result is shown.
    #[serde(default, skip_serializing_if = "Value::is_null")]
    #[schema(value_type = Option<Object>)]
    pub recipe: Value,
    /// Key of a kept result that is shown instead.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub kept: Option<i64>,
    /// What of a result with modes is drawn.
    #[serde(default)]
    pub part: Part,
    /// What is drawn of the horizontal axis, in its unit; all of it where left out.
    #[serde(default)]
    pub shown: Option<[f64; 2]>,
    /// Whether the vertical axis has decades; by the lens where left out.
    #[serde(default)]
    pub decades: Option<bool>,
    /// How high it is.
    #[serde(default)]
    pub height: Height,
    /// Whether the engineer's notes stand in it.
    #[serde(default = "yes")]
    pub notes: bool,
    /// Under it, with words in braces; what it was made of where empty.
    #[serde(default)]
    pub caption: String,
}

fn yes() -> bool {
    true
}

/// What of a result is drawn, where it has more than curves.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
#[schema(as = ReportPart)]
pub enum Part {
    /// Its curves or maps; of modes what tells them.
    #[default]
    Curves,
    /// Poles of every order over frequency.
    Poles,
    /// How alike the shapes are.
    Mac,
    /// Each shape on the specimen.
    Shapes,
}

/// How high a figure is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
#[schema(as = ReportHeight)]
pub enum Height {
    /// Two thirds of the usual.
    Low,
    /// Three or four on a page.
    #[default]
    Usual,
    /// Two on a page.
    Half,
    /// One on a page.
    Page,
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
}

impl Show {
    /// The run of its own, where it has one.
    pub fn run_id(&self) -> Option<i64> {
        match self {
            Show::Figure(f) => f.run_id,
            Show::Facts { run_id } | Show::Rig { run_id } | Show::Corrections { run_id } => *run_id,
            Show::Table { run_id, .. } => *run_id,
            _ => None,
        }
    }

    fn run_id_mut(&mut self) -> Option<&mut Option<i64>> {
        match self {
            Show::Figure(f) => Some(&mut f.run_id),
            Show::Facts { run_id } | Show::Rig { run_id } | Show::Corrections { run_id } => Some(run_id),
            Show::Table { run_id, .. } => Some(run_id),
            _ => None,
        }
    }

    /// What it is made by, where it is made of samples.
    pub fn recipe(&self) -> Option<&Value> {
        match self {
            Show::Figure(Drawn { recipe, kept: None, .. }) | Show::Table { recipe, kept: None, .. } => Some(recipe),
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

    fn kept_mut(&mut self) -> Option<&mut Option<i64>> {
        match self {
            Show::Figure(Drawn { kept, .. }) | Show::Table { kept, .. } => Some(kept),
            _ => None,
        }
    }

    /// The engineer's words in it.
    fn words(&self) -> Vec<&str> {
        match self {
            Show::Text { text } => vec![text],
            Show::Figure(Drawn { caption, .. }) | Show::Table { caption, .. } => vec![caption],
            Show::Signature { names } => names.iter().map(String::as_str).collect(),
            _ => Vec::new(),
        }
    }
}

impl Report {
    /// A report that nobody wrote yet, of a campaign of that name.
    pub fn usual(title: &str) -> Report {
        let spectrum = json!({ "lens": "spectrum", "channels": [1] });
        Report::with(title, "", None, &spectrum, None)
    }

    fn with(title: &str, findings: &str, run_id: Option<i64>, spectrum: &Value, shown: Option<[f64; 2]>) -> Report {
        let figure = |recipe: Value, shown, decades| {
            Show::Figure(Drawn {
                run_id: None,
                recipe,
                kept: None,
                part: Part::Curves,
                shown,
                decades,
                height: Height::Usual,
                notes: true,
                caption: String::new(),
            })
        };
        let mut waveform = json!({ "lens": "waveform", "reduce": "minmax", "points": 1200 });
        if let Some(first) = spectrum["channels"].get(0) {
            waveform["channels"] = json!([first]);
        }
        for key in ["stretch", "takes", "math"] {
            if let Some(own) = spectrum.get(key).filter(|v| !v.is_null()) {
                waveform[key] = own.clone();
            }
        }
        let parts = [
            ("", Show::Head),
            ("Findings", Show::Text { text: findings.into() }),
            ("What was measured", Show::Facts { run_id: None }),
            ("Waveform", figure(waveform, None, None)),
            ("Spectrum", figure(spectrum.clone(), shown, None)),
            ("Rig", Show::Rig { run_id: None }),
            ("Cautions", Show::Cautions),
            ("Put right afterwards", Show::Corrections { run_id: None }),
            ("How each number was made", Show::Made),
        ];
        let block = |(k, (title, show)): (usize, (&str, Show))| Block { id: k as u32 + 1, title: title.into(), show };
        Report {
            title: title.into(),
            language: Language::English,
            run_id,
            blocks: parts.into_iter().enumerate().map(block).collect(),
        }
    }

    /// A report as it was stored, also by a version that knew one spectrum and findings only.
    ///
    /// # Errors
    /// Neither of both.
    pub fn stored(value: Value) -> Result<Report, serde_json::Error> {
        if value.get("blocks").is_some() {
            return serde_json::from_value(value);
        }
        let text = |key: &str| value[key].as_str().unwrap_or_default().to_string();
        let spectrum = match &value["recipe"] {
            Value::Null => json!({ "lens": "spectrum", "channels": [1] }),
            told => told.clone(),
        };
        let shown = serde_json::from_value(value["shown_hz"].clone())?;
        Ok(Report::with(&text("title"), &text("findings"), value["run_id"].as_i64(), &spectrum, shown))
    }

    /// The same with its runs and kept results called otherwise, as where a campaign is handed over. One that `run` or
    /// `result` does not know becomes 0, which none is called: the block says that it is gone instead of showing another.
    #[must_use]
    pub fn called(mut self, run: &dyn Fn(i64) -> Option<i64>, result: &dyn Fn(i64) -> Option<i64>) -> Report {
        let told = |key: &mut Option<i64>, of: &dyn Fn(i64) -> Option<i64>| *key = key.map(|k| of(k).unwrap_or(0));
        told(&mut self.run_id, run);
        for b in &mut self.blocks {
            if let Some(key) = b.show.run_id_mut() {
                told(key, run);
            }
            if let Some(key) = b.show.kept_mut() {
                told(key, result);
            }
        }
        self
    }

    /// The same for a campaign that goes on from another one: no runs yet, and nothing found yet.
    #[must_use]
    pub fn begun_again(mut self) -> Report {
        self.run_id = None;
        for b in &mut self.blocks {
            if let Some(run) = b.show.run_id_mut() {
                *run = None;
            }
            if let Some(Some(kept)) = b.show.kept_mut() {
                *kept = 0;
            }
            if let Show::Text { text } = &mut b.show {
                text.clear();
            }
        }
        self
    }

    /// Refuses what cannot be kept. What only cannot be made (a run that is gone, a word in braces that is not known) is
    /// told in its place on the page.
    ///
    /// # Errors
    /// What is not allowed, with what is.
    pub fn check(&self) -> Result<(), Refusal> {
        if self.title.trim().is_empty() {
            return Err(Refusal::new("title", "the title is empty; allowed: any text"));
        }
        let long = |title: &str| {
            let length = title.chars().count();
            let says = format!("the title has {length} characters; allowed: up to {LONGEST_TITLE}");
            if length > LONGEST_TITLE { Err(Refusal::new("title", says)) } else { Ok(()) }
        };
        long(&self.title)?;
        if self.blocks.is_empty() || self.blocks.len() > MOST_BLOCKS {
            let says = format!("the report has {} blocks; allowed: 1 to {MOST_BLOCKS}", self.blocks.len());
            return Err(Refusal::new("blocks", says));
        }
        let mut ids = BTreeSet::new();
        for (k, b) in self.blocks.iter().enumerate() {
            let of = |e: Refusal| {
                let says = format!("block {}: {}", k + 1, e.says);
                Refusal::new(format!("blocks.{}", b.id), says)
            };
            if b.id == 0 || !ids.insert(b.id) {
                let says = format!("the key {} is 0 or that of another block; allowed: one of its own, from 1", b.id);
                return Err(of(Refusal::new("id", says)));
            }
            long(&b.title).map_err(of)?;
            b.show.check().map_err(of)?;
        }
        let words = || self.blocks.iter().flat_map(|b| b.show.words());
        let together: usize = words().map(|w| w.chars().count()).sum();
        let lines: usize = words().map(|w| w.lines().count()).sum();
        if together > MOST_TOGETHER || lines > MOST_LINES {
            let says = format!(
                "the texts have {together} characters in {lines} lines; allowed: up to {MOST_TOGETHER} in {MOST_LINES}"
            );
            return Err(Refusal::new("blocks", says));
        }
        Ok(())
    }
}

impl Show {
    fn check(&self) -> Result<(), Refusal> {
        for words in self.words() {
            let length = words.chars().count();
            if length > MOST_CHARACTERS {
                let says = format!("the text has {length} characters; allowed: up to {MOST_CHARACTERS}");
                return Err(Refusal::new("text", says));
            }
        }
        match self {
            Show::Figure(Drawn { shown: Some([from, to]), .. })
                if !(from.is_finite() && to.is_finite() && from < to) =>
            {
                let says = format!("{from} to {to} is no range; allowed: two numbers, the lower first");
                return Err(Refusal::new("shown", says));
            }
            Show::Signature { names } if names.is_empty() || names.len() > MOST_NAMES => {
                let says = format!("{} names sign; allowed: 1 to {MOST_NAMES}", names.len());
                return Err(Refusal::new("names", says));
            }
            _ => {}
        }
        match self.recipe() {
            Some(Value::Null) => Err(Refusal::new(
                "recipe",
                "nothing is said to be shown; allowed: a recipe, or the key of a kept result",
            )),
            Some(recipe) => Recipe::from_value(recipe.clone()).map(drop),
            None => Ok(()),
        }
    }
}
