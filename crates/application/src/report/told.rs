//! What a report tells of the run it is about, and of all its results together.

use super::making::{BlockResult, Making};
use super::words::{About, told_run, with};
use crate::Result;
use crate::bring::curves::LENS;
use chrono::{DateTime, Utc};
use echo_job::report::block::Block;
use echo_job::report::language::Term;
use echo_job::report::recipe::in_words;
use echo_store::run::Run;

impl Making<'_> {
    pub(super) async fn facts(&self, run: &Run) -> Result<Vec<(String, String)>> {
        let l = self.report.language;
        let channels = self.desk.store.run_channels(run.id).await?.len();
        let row = |term: Term, says: String| (l.says(term).to_string(), says);
        let rows = vec![
            row(Term::Specimen, self.campaign.specimen.clone()),
            row(Term::Run, format!("{} {}", run.number, run.kind)),
            row(Term::Recorded, moment(l.day(run.started_at), run.started_at)),
            row(Term::Length, with(l.short(About::length_s(run), 7), "s")),
            row(Term::Rate, with(l.short(run.sample_rate_hz, 9), "Hz")),
            row(Term::Channels, channels.to_string()),
            row(Term::FrontEnd, run.front_end.clone()),
            row(Term::RecordedBy, run.who.clone()),
            row(Term::Ended, run.ended_because.as_deref().map(|why| l.sentence(why)).unwrap_or_default()),
        ];
        Ok(rows.into_iter().filter(|r| !r.1.is_empty()).collect())
    }

    /// What is to be kept in mind of all results, in their order, each said once.
    pub(super) fn cautions(&self) -> Vec<(String, String)> {
        let l = self.report.language;
        let mut all: Vec<(String, String)> = Vec::new();
        let mut say = |rule: &str, says: String| {
            let told = (rule.to_string(), says);
            if !all.contains(&told) {
                all.push(told);
            }
        };
        for (_, made) in self.all_made() {
            self.say_over_range(made, &mut say);
            for c in &made.analysis.cautions {
                say(&l.word(c.rule.word()), l.sentence(&c.says));
            }
            if let Some(kept) = made.kept.as_ref().filter(|k| k.stale) {
                let says =
                    format!("“{}” was kept before something of its runs was put right, or one is gone", kept.name);
                say(&l.word("older than its runs"), l.sentence(&says));
            }
        }
        all
    }

    /// Says which channels of a result went over range, where and how long.
    fn say_over_range(&self, made: &BlockResult, say: &mut dyn FnMut(&str, String)) {
        let l = self.report.language;
        let Some(run) = made.numbered_as().and_then(|_| self.run_of_result(made)) else { return };
        for n in made.analysis.made.channels.iter().filter_map(|n| u32::try_from(*n).ok()) {
            let Some(marks) = self.over.get(&(run.id, n)).filter(|_| self.went_over(made, n)) else { continue };
            let together: f64 = marks.iter().map(|m| m.length_s).sum();
            let says = l.filled(Term::OverRangeAt, &[&l.short(together, 4), &l.short(marks[0].from_s, 4)]);
            let name = self.channel(made, n).unwrap_or_default();
            say(l.says(Term::OverRange), format!("{name}, {}: {says}", told_run(l, run)));
        }
    }

    /// How each result was made, in words.
    pub(super) fn recipes(&self) -> Vec<(String, String)> {
        let l = self.report.language;
        let one = |(block, made): (&Block, &BlockResult)| {
            // As the rig calls it: by its input.
            let named = |n: u32| {
                let row = &self.channels.get(&made.numbered_as()?)?.get(&n)?.recorded.row;
                Some(format!("{} {}", row.input, row.name))
            };
            let recipe = made.recipe()?;
            let of = match (&made.kept, self.run_of_result(made)) {
                (Some(kept), _) => format!("“{}”, {}", kept.name, l.day(kept.made_at)),
                (None, run) => told_run(l, run?),
            };
            // What came with a file was made by no recipe of ours.
            let text =
                if recipe["lens"] == LENS { made.analysis.made.input.clone() } else { in_words(&recipe, l, &named) };
            Some((format!("{}: {of}", self.name_of(block, made)), text))
        };
        self.all_made().filter_map(one).collect()
    }
}

pub(super) fn moment(day: String, at: DateTime<Utc>) -> String {
    format!("{day}, {}", at.format("%H:%M:%S UTC"))
}
