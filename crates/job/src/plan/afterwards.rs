//! What is done by itself when a recording, a round, all rounds or a tap series ends.

use crate::Refusal;
use crate::export::RunExport;
use crate::export::pattern::{check, check_folder};
use crate::recipe::{Lens, Recipe};
use crate::report::form::ReportForm;
use serde::{Deserialize, Serialize};
use std::fmt;
use utoipa::ToSchema;

/// Most of what is done by itself.
const MOST: usize = 50;
/// Letters of a name at most.
const LONGEST: usize = 80;

/// What ends.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Ending {
    /// A recording, but not one of a round or a tap series.
    Run,
    /// A round.
    Round,
    /// The last of the rounds, or they were stopped.
    Rounds,
    /// A tap series: each of its points has its hits, or is left out, and nothing is recorded for it any more.
    Series,
}

impl Ending {
    /// The word it is stored with.
    pub fn word(self) -> &'static str {
        match self {
            Ending::Run => "run",
            Ending::Round => "round",
            Ending::Rounds => "rounds",
            Ending::Series => "series",
        }
    }

    /// Whether there is one run that it is about.
    fn has_run(self) -> bool {
        matches!(self, Ending::Run | Ending::Round)
    }

    /// What can be done when it has ended.
    fn allows(self, what: &Deed) -> bool {
        match what {
            Deed::Keep { .. } | Deed::File { .. } => self.has_run(),
            Deed::Modes { .. } | Deed::Responses { .. } => self == Ending::Series,
            Deed::Report { .. } => true,
        }
    }

    /// The same in words.
    fn allowed(self) -> &'static str {
        match self {
            Ending::Run | Ending::Round => "a result kept, the run as a file, a report",
            Ending::Rounds => "a report; there is no single run",
            Ending::Series => "its modes kept, its responses as a file, a report; there is no single run",
        }
    }
}

impl fmt::Display for Ending {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Ending::Run => "a recording",
            Ending::Round => "a round",
            Ending::Rounds => "all rounds",
            Ending::Series => "a tap series",
        })
    }
}

/// What is done.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "do", rename_all = "snake_case", deny_unknown_fields)]
pub enum Deed {
    /// A result of the run is made and kept.
    Keep {
        /// Name it is kept under.
        name: String,
        /// Its recipe.
        recipe: Box<Recipe>,
        /// Names of the channels that the recipe has by number, from number 1 on; in the run they are found by them.
        channels: Vec<String>,
    },
    /// The run is written to a file.
    File {
        /// What of it, and how.
        export: RunExport,
        /// Folder below the one for files, with words in braces.
        #[serde(default)]
        folder: String,
    },
    /// The modes of a tap series are found, the poles that hold picked, and kept.
    Modes {
        /// Name they are kept under.
        name: String,
        /// Its recipe, of the lens modes.
        recipe: Box<Recipe>,
    },
    /// The responses of a tap series are written as a universal file, with the geometry they are on.
    Responses {
        /// Whether its numbers are binary.
        #[serde(default)]
        binary: bool,
        /// Folder below the one for files, with words in braces.
        #[serde(default)]
        folder: String,
        /// Name of the file without its ending, with words in braces; empty for one with the series' number.
        #[serde(default)]
        name: String,
    },
    /// The report is made.
    Report {
        /// As what.
        #[serde(default)]
        form: ReportForm,
        /// By this template; the report as it stands without.
        #[serde(default)]
        template: Option<String>,
        /// Folder below the one for files, with words in braces.
        #[serde(default)]
        folder: String,
        /// Name of the file without its ending, with words in braces; empty for “report {run}”.
        #[serde(default)]
        name: String,
    },
}

/// One thing that is done by itself.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Afterwards {
    /// When this ends.
    pub when: Ending,
    /// This is done.
    pub what: Deed,
}

impl Afterwards {
    fn check(&self) -> Result<(), Refusal> {
        if !self.when.allows(&self.what) {
            let says = format!("this cannot follow {}; allowed: {}", self.when, self.when.allowed());
            return Err(Refusal::new("when", says));
        }
        match &self.what {
            Deed::Keep { name, recipe, channels } => {
                named(name)?;
                // Whether each of its numbers has a name is told now, not when the run has ended.
                recipe.for_channels(channels, channels).map(drop)
            }
            Deed::File { export, folder } => export.check_alone().and_then(|()| check_folder("folder", folder)),
            Deed::Modes { name, recipe } => match recipe.lens {
                Lens::Modes(_) => named(name),
                _ => {
                    let says = format!("{} finds no modes of responses; allowed: the lens modes", recipe.lens.name());
                    Err(Refusal::new("recipe", says))
                }
            },
            Deed::Responses { folder, name, .. } => check("name", name).and_then(|()| check_folder("folder", folder)),
            Deed::Report { folder, name, template, .. } => {
                if template.as_ref().is_some_and(|t| t.trim().is_empty() || t.chars().count() > LONGEST) {
                    return Err(Refusal::new(
                        "template",
                        "a template has a name; leave it out for the report as it stands",
                    ));
                }
                check("name", name).and_then(|()| check_folder("folder", folder))
            }
        }
    }
}

/// Checks the name a result is kept under.
fn named(name: &str) -> Result<(), Refusal> {
    let letters = name.trim().chars().count();
    if letters == 0 || letters > LONGEST || name.chars().any(char::is_control) {
        let says = format!("a result is kept under a name; allowed: 1 to {LONGEST} characters in one line");
        return Err(Refusal::new("name", says));
    }
    Ok(())
}

/// Checks all that is done by itself.
///
/// # Errors
/// The first entry that is not allowed, with what is.
pub(super) fn check_all(all: &[Afterwards]) -> Result<(), Refusal> {
    if all.len() > MOST {
        return Err(Refusal::new(
            "afterwards",
            format!("{} things are done by themselves; allowed: {MOST}", all.len()),
        ));
    }
    // The page shows a refusal beside the sentence it is about.
    all.iter().enumerate().try_for_each(|(i, a)| a.check().map_err(|e| e.of(format!("afterwards.{i}"))))
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    fn says(value: serde_json::Value) -> Option<(String, String)> {
        let all: Vec<Afterwards> = serde_json::from_value(json!([value])).unwrap();
        check_all(&all).err().map(|e| (e.field, e.says))
    }

    #[test]
    fn what_cannot_be_done_is_refused_before_the_run() {
        let recipe = json!({ "lens": "spectrum", "channels": [2] });
        let keep = |when: &str, name: &str, channels: &[&str]| json!({ "when": when, "what": { "do": "keep", "name": name, "recipe": recipe, "channels": channels } });
        assert_eq!(says(keep("run", "mesh", &["top", "side"])), None);
        assert_eq!(says(keep("round", "mesh", &["top", "side"])), None);
        let (field, told) = says(keep("series", "mesh", &["top", "side"])).unwrap();
        assert_eq!(field, "afterwards.0");
        assert!(told.contains("cannot follow a tap series; allowed: its modes kept"), "{told}");
        let modes = |when: &str, lens: &str| json!({ "when": when, "what": { "do": "modes", "name": "found", "recipe": { "lens": lens } } });
        assert_eq!(says(modes("series", "modes")), None);
        assert!(says(modes("run", "modes")).unwrap().1.contains("cannot follow a recording; allowed: a result kept"));
        assert!(says(modes("series", "spectrum")).unwrap().1.contains("allowed: the lens modes"));
        let responses = |when: &str, name: &str| json!({ "when": when, "what": { "do": "responses", "name": name } });
        assert_eq!(says(responses("series", "{specimen}")), None);
        assert!(says(responses("rounds", "")).unwrap().1.contains("cannot follow all rounds; allowed: a report"));
        assert!(says(responses("series", "{who}")).unwrap().1.contains("not known"));
        assert!(says(keep("run", "  ", &["top", "side"])).unwrap().1.contains("1 to 80"));
        let report = |folder: &str, name: &str| json!({ "when": "rounds", "what": { "do": "report", "folder": folder, "name": name } });
        assert_eq!(says(report("{campaign}", "night of {date}")), None);
        assert!(says(report("..", "")).unwrap().1.contains("leads out"));
        assert!(says(report("", "{day}")).unwrap().1.contains("not known"));
        let file = |export| says(json!({ "when": "run", "what": { "do": "file", "export": export, "folder": "raw" } }));
        assert_eq!(file(json!({ "format": "parquet", "named": "gearbox*" })), None);
        assert!(file(json!({ "format": "csv", "decimal_comma": true })).unwrap().1.contains("semicolon"));
        assert!(file(json!({ "format": "wav", "from_s": -1.0 })).unwrap().1.contains("-1 s"));
        let many = vec![
            Afterwards {
                when: Ending::Run,
                what: Deed::Report {
                    form: ReportForm::Pdf,
                    template: None,
                    folder: String::new(),
                    name: String::new()
                }
            };
            MOST + 1
        ];
        assert!(check_all(&many).unwrap_err().says.contains("allowed: 50"));
    }
}
