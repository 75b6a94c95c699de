//! Words in braces of a report's texts, filled in.

use crate::{Error, Result};
use echo_job::analysis::Analysis;
use echo_job::report::language::{Language, Term};
use echo_job::report::text::read;
use echo_report::document::Set;
use echo_store::campaign::Campaign;
use echo_store::run::Run;

/// Words that every text knows.
const OF_RUN: [&str; 10] = ["campaign", "specimen", "purpose", "title", "run", "kind", "day", "time", "length", "rate"];
/// Words that texts under a result know as well.
const OF_RESULT: [&str; 6] = ["lens", "channels", "stretch", "averages", "spacing", "unit"];

/// What words are filled in from.
pub(super) struct About<'a> {
    pub(super) language: Language,
    pub(super) title: &'a str,
    pub(super) campaign: &'a Campaign,
    pub(super) run: Option<&'a Run>,
    pub(super) result: Option<&'a Analysis>,
    /// What the result is kept as, where it is.
    pub(super) kept: Option<&'a str>,
}

impl About<'_> {
    /// A text as it is set.
    ///
    /// # Errors
    /// A word in braces that is not known or has nothing to say here.
    pub(super) fn set(&self, text: &str) -> Result<Vec<Set>> {
        let mut known = OF_RUN.to_vec();
        if self.result.is_some() {
            known.extend(OF_RESULT);
        }
        let paragraphs = read(text, &known, &|word| self.word(word)).map_err(Error::from)?;
        Ok(paragraphs.iter().map(Set::from).collect())
    }

    /// A run's length in seconds.
    pub(super) fn length_s(run: &Run) -> f64 {
        run.samples as f64 / run.sample_rate_hz
    }

    fn word(&self, word: &str) -> Option<String> {
        let l = self.language;
        match word {
            "campaign" => Some(self.campaign.name.clone()),
            "specimen" => Some(self.campaign.specimen.clone()),
            "purpose" => Some(self.campaign.purpose.clone()),
            "title" => Some(self.title.into()),
            _ => self
                .run
                .and_then(|run| match word {
                    "run" => Some(told_run(l, run)),
                    "kind" => Some(run.kind.clone()),
                    "day" => Some(l.day(run.started_at)),
                    "time" => Some(run.started_at.format("%H:%M UTC").to_string()),
                    "length" => Some(with(l.short(Self::length_s(run), 7), "s")),
                    "rate" => Some(with(l.short(run.sample_rate_hz, 9), "Hz")),
                    _ => None,
                })
                .or_else(|| self.of_result(word)),
        }
    }

    fn of_result(&self, word: &str) -> Option<String> {
        let (l, a) = (self.language, self.result?);
        match word {
            "lens" => Some(l.word(a.recipe.lens.name())),
            "channels" => {
                let mut names: Vec<&str> = Vec::new();
                for t in &a.traces {
                    if !names.contains(&t.name.as_str()) {
                        names.push(&t.name);
                    }
                }
                Some(names.join("; ")).filter(|n| !n.is_empty())
            }
            "stretch" => {
                let s = a.recipe.stretch.as_ref()?;
                Some(format!("{}–{}", l.short(s.from_s, 7), with(l.short(s.to_s, 7), "s")))
            }
            "averages" => a.averages.map(|n| l.short(n as f64, 15)),
            "spacing" => {
                let along = a.axes.last()?;
                Some(with(l.short(along.values.get(1)? - along.values.first()?, 5), &along.unit))
            }
            "unit" => a.traces.first().map(|t| t.unit.clone()),
            _ => None,
        }
    }

    /// What stands under a figure that nobody wrote anything under.
    pub(super) fn usual_caption(&self) -> String {
        let Some(a) = self.result else { return String::new() };
        let l = self.language;
        // Of modes, what runs over frequency is no channel.
        let channels = self.of_result("channels").filter(|_| a.axes.len() < 3);
        let kept = self.kept.map(|name| format!("“{name}”"));
        let take = match a.recipe.takes.as_deref() {
            Some([n]) => Some(format!("{} {n}", l.says(Term::Take))),
            _ => None,
        };
        let own = [kept, channels, self.word("run"), take, self.of_result("stretch")];
        let mut parts: Vec<String> = own.into_iter().flatten().collect();
        if let Some(n) = a.averages {
            parts.push(format!("{} {}", l.short(n as f64, 15), l.says(Term::Averages)));
            parts.extend(self.of_result("spacing").map(|s| format!("{} {s}", l.says(Term::LinesApart))));
        }
        parts.join(", ") + "."
    }
}

/// A number with its unit, a narrow space between.
pub(super) fn with(number: String, unit: &str) -> String {
    if unit.is_empty() { number } else { format!("{number}\u{202f}{unit}") }
}

/// A run by its number, within a sentence.
pub(super) fn told_run(l: Language, run: &Run) -> String {
    let word = match l {
        Language::English => l.says(Term::Run).to_lowercase(),
        // Nouns keep their capital.
        Language::German => l.says(Term::Run).to_string(),
    };
    format!("{word} {}", run.number)
}

/// What stands along an axis, or over a column.
pub(super) fn headed(name: &str, unit: &str) -> String {
    if unit.is_empty() { name.into() } else { format!("{name}, {unit}") }
}
