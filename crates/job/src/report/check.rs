//! What of a report cannot be kept.

use super::block::{Block, Drawn, Each, LONGEST_TITLE, MOST_BLOCKS, Only, Report, Rows, Show};
use super::text::MOST_CHARACTERS;
use crate::Refusal;
use crate::recipe::Recipe;
use serde_json::Value;
use std::collections::BTreeSet;

/// Characters of all texts of a report at most.
const MOST_TOGETHER: usize = 500_000;
/// Lines of all texts of a report at most: some hundred pages.
const MOST_LINES: usize = 10_000;
/// Figures beside each other at most.
const MOST_BESIDE: u8 = 4;
/// Limits of a block at most.
const MOST_LIMITS: usize = 600;
/// Ranges of speeds at most.
const MOST_RANGES: usize = 20;
/// Places along an axis whose values are told at most.
const MOST_PLACES: usize = 50;
/// Names under which somebody signs at most.
const MOST_NAMES: usize = 12;

impl Report {
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
            b.check_repeated().map_err(of)?;
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

fn is_range([from, to]: &[f64; 2]) -> bool {
    from.is_finite() && to.is_finite() && *from >= 0.0 && from < to
}

impl Block {
    fn check_repeated(&self) -> Result<(), Refusal> {
        if self.each.is_some() && self.show.recipe().is_none() && self.show.kept().is_none() {
            let says = "only what shows a result can be repeated; allowed: figures, tables and limits";
            return Err(Refusal::new("each", says));
        }
        if matches!(self.each, Some(Each::Run | Each::Take)) && self.show.kept().is_some() {
            let says =
                "a kept result is of its own runs; allowed: repeated over channels or points, or a lens on a run";
            return Err(Refusal::new("each", says));
        }
        if self.only != Only::All {
            let says = match (self.each, &self.show) {
                (_, Show::Limits { .. }) => "limits do not go by other limits; allowed: all of them",
                (Some(Each::Channel | Each::Point), _) => return Ok(()),
                _ => "limits are said for channels; allowed: a block that is repeated over channels or points",
            };
            return Err(Refusal::new("only", says));
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
            Show::Figure(Drawn { beside, .. }) | Show::Specimen { beside, .. }
                if !(1..=MOST_BESIDE).contains(beside) =>
            {
                let says = format!("{beside} figures beside each other; allowed: 1 to {MOST_BESIDE}");
                return Err(Refusal::new("beside", says));
            }
            Show::Limits { number, limits, .. } => {
                if number.trim().is_empty() {
                    return Err(Refusal::new(
                        "number",
                        "no number is named; allowed: one that the lens gives, such as rms",
                    ));
                }
                if limits.is_empty() || limits.len() > MOST_LIMITS {
                    let says = format!("{} limits; allowed: 1 to {MOST_LIMITS}", limits.len());
                    return Err(Refusal::new("limits", says));
                }
                if let Some(l) = limits.iter().find(|l| !(l.at_most.is_finite() && l.at_most > 0.0)) {
                    let says = format!("{} is no limit; allowed: a number above 0", l.at_most);
                    return Err(Refusal::new("limits", says));
                }
            }
            Show::Table { of: Rows::Values, at, .. }
                if at.is_empty() || at.len() > MOST_PLACES || at.iter().any(|x| !x.is_finite()) =>
            {
                let says = format!("{} places; allowed: 1 to {MOST_PLACES} numbers along the axis", at.len());
                return Err(Refusal::new("at", says));
            }
            Show::Table { of: Rows::Resonances, ranges, .. }
                if ranges.is_empty() || ranges.len() > MOST_RANGES || !ranges.iter().all(is_range) =>
            {
                let says =
                    format!("{} ranges; allowed: 1 to {MOST_RANGES}, each two speeds, the lower first", ranges.len());
                return Err(Refusal::new("ranges", says));
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
