//! What is done by itself when a recording, a round, all rounds or a tap series ends.

use crate::Refusal;
use crate::export::RunExport;
use crate::export::pattern::{check, check_folder};
use crate::recipe::Recipe;
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
    /// A tap series: each of its points has its hits, or is left out.
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
        if !self.when.has_run() && !matches!(self.what, Deed::Report { .. }) {
            let says = format!("when {} ended there is no single run; allowed: a report", self.when);
            return Err(Refusal::new("when", says));
        }
        match &self.what {
            Deed::Keep { name, recipe, channels } => {
                let letters = name.trim().chars().count();
                if letters == 0 || letters > LONGEST || name.chars().any(char::is_control) {
                    let says = format!("a result is kept under a name; allowed: 1 to {LONGEST} characters in one line");
                    return Err(Refusal::new("name", says));
                }
                // Whether each of its numbers has a name is told now, not when the run has ended.
                recipe.for_channels(channels, channels).map(drop)
            }
            Deed::File { export, folder } => export.check_alone().and_then(|()| check_folder("folder", folder)),
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
        assert!(told.contains("when a tap series ended there is no single run; allowed: a report"), "{told}");
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
