//! What a person types for a quantity: `200 ms` where seconds are meant, `1,5`, `2 to 4 kHz`, `none`.
//! Read once, here, for the page, the channel table, files and the command line.
//!
//! A number without a unit is in the unit that is asked for. One with a unit is converted, or refused where it
//! measures something else. What can be read in two ways is refused with both.

pub mod number;
pub mod units;

use crate::Refusal;
use number::{Fault, cleaned, leading, plain, rounded};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Longest entry, in characters.
const LONGEST: usize = 400;
/// Most numbers of a list.
const MOST: usize = 1000;
/// Digits that survive a conversion.
const DIGITS: usize = 15;

/// How many numbers an entry is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Shape {
    /// One.
    #[default]
    One,
    /// Two, the lower first: `10 to 1000 Hz`.
    Range,
    /// One or more: `1, 2, 3.5`.
    List,
}

/// What is asked for.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Asked {
    /// What it is, as a sentence names it, such as “the hold-off”.
    pub what: String,
    /// Its unit; empty for a plain number.
    #[serde(default)]
    pub unit: String,
    /// How many numbers.
    #[serde(default)]
    pub shape: Shape,
    /// Smallest value.
    #[serde(default)]
    pub low: Option<f64>,
    /// The value must be above this one.
    #[serde(default)]
    pub above: Option<f64>,
    /// Largest value.
    #[serde(default)]
    pub high: Option<f64>,
    /// Whether only whole numbers will do.
    #[serde(default)]
    pub whole: bool,
    /// Words that may stand instead of a number, such as “none”.
    #[serde(default)]
    pub words: Vec<String>,
}

/// What was typed.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Entry {
    /// The numbers, in the unit that was asked for.
    pub values: Vec<f64>,
    /// The word instead of them.
    pub word: Option<String>,
}

impl Asked {
    /// A number that must lie between two others.
    pub fn between(what: &str, unit: &str, low: f64, high: f64) -> Asked {
        Asked { what: what.into(), unit: unit.into(), low: Some(low), high: Some(high), ..Asked::default() }
    }

    /// A number above zero.
    pub fn positive(what: &str, unit: &str) -> Asked {
        Asked { what: what.into(), unit: unit.into(), above: Some(0.0), ..Asked::default() }
    }

    /// Reads one number.
    ///
    /// # Errors
    /// As [`read`]; a word is no number.
    pub fn number(&self, text: &str) -> Result<f64, Refusal> {
        let entry = read(text, self)?;
        entry.values.first().copied().ok_or_else(|| self.refuse(&format!("{} is a number", self.what)))
    }

    fn refuse(&self, says: &str) -> Refusal {
        Refusal::new("text", says)
    }

    /// What is allowed, as the end of “must be …”.
    fn allowed(&self) -> String {
        let unit = if self.unit.is_empty() { String::new() } else { format!(" {}", self.unit) };
        let number = |x: f64| plain(x).replace('-', "\u{2212}");
        let bounds = match (self.low, self.above, self.high) {
            (Some(l), _, Some(h)) => format!("{} to {}{unit}", number(l), number(h)),
            (Some(l), _, None) => format!("{}{unit} or more", number(l)),
            (None, Some(a), Some(h)) => format!("above {} and up to {}{unit}", number(a), number(h)),
            (None, Some(a), None) => format!("above {}{unit}", number(a)),
            (None, None, Some(h)) => format!("{}{unit} or less", number(h)),
            (None, None, None) => String::new(),
        };
        let kind = match (self.whole, self.unit.is_empty()) {
            (true, _) => "a whole number",
            (false, true) => "a number",
            (false, false) => "",
        };
        let range = match (kind, bounds.is_empty()) {
            ("", true) => format!("a number in {}", self.unit),
            ("", false) => bounds,
            (kind, true) => kind.to_string(),
            (kind, false) if bounds.starts_with("above") => format!("{kind} {bounds}"),
            (kind, false) => format!("{kind}, {bounds}"),
        };
        let words: String = self.words.iter().map(|w| format!(", or “{w}”")).collect();
        match self.shape {
            Shape::One => format!("{range}{words}"),
            Shape::Range => format!("two numbers, the lower first, {range}{words}"),
            Shape::List => format!("numbers with commas between, each {range}{words}"),
        }
    }

    fn must(&self, typed: &str) -> Refusal {
        self.refuse(&format!("{} must be {}, not “{}”", self.what, self.allowed(), shown(typed)))
    }

    fn fault(&self, fault: &Fault, typed: &str) -> Refusal {
        let typed = shown(typed);
        match fault {
            Fault::Empty => self.refuse(&format!("{} is empty; it must be {}", self.what, self.allowed())),
            Fault::None => self.must(&typed),
            Fault::Ambiguous(a, b) => {
                let (a, b) = (plain(*a), plain(*b));
                self.refuse(&format!("“{typed}” may be {a} or {b}; type it without the comma, or with a decimal point"))
            }
            Fault::Groups => {
                self.refuse(&format!("“{typed}” is not one number: digits stand together or in groups of three"))
            }
            Fault::Range => self.refuse(&format!("“{typed}” is beyond any number that can be stored")),
            Fault::OverZero => self.refuse(&format!("“{typed}” divides by zero")),
        }
    }

    /// A number in the unit it was typed in, in the unit that is asked for.
    fn converted(&self, value: f64, unit: &str, typed: &str) -> Result<f64, Refusal> {
        // Units first: `MHz` and `mHz` are one word and two units.
        let known = units::find(unit).is_some() && units::find(&self.unit).is_some();
        if unit.is_empty() || unit == self.unit || (!known && same_word(unit, &self.unit)) {
            return Ok(value);
        }
        let no_unit = |why: String| {
            let here = match units::find(&self.unit).map(|u| u.kind.units()) {
                Some(all) if !all.is_empty() && !self.unit.is_empty() => format!("use {}", listed(&all)),
                _ if self.unit.is_empty() => "it is a number without a unit".into(),
                _ => format!("use {}", self.unit),
            };
            self.refuse(&format!("{why}; {here}"))
        };
        let Some(from) = units::find(unit) else {
            return Err(no_unit(format!("“{}” is no unit of {}", shown(unit), self.what)));
        };
        let Some(to) = units::find(&self.unit) else {
            return Err(no_unit(format!("{} is not in {unit}", self.what)));
        };
        if from.kind != to.kind {
            return Err(no_unit(format!(
                "“{}” is {}, {} is {}",
                shown(typed),
                from.kind.name(),
                self.what,
                to.kind.name()
            )));
        }
        if from.base == to.base {
            return Ok(value);
        }
        Ok(rounded(value * from.base / to.base, DIGITS))
    }

    fn within(&self, value: f64, typed: &str) -> Result<f64, Refusal> {
        let fits = self.low.is_none_or(|l| value >= l)
            && self.above.is_none_or(|a| value > a)
            && self.high.is_none_or(|h| value <= h)
            && (!self.whole || value.fract() == 0.0);
        if fits && value.is_finite() { Ok(value) } else { Err(self.must(typed)) }
    }

    /// A number with the unit behind it; times may have several: `1 h 30 min`.
    fn one(&self, text: &str, typed: &str) -> Result<(f64, String), Refusal> {
        let fault = |f| self.fault(&f, typed);
        let (value, rest) = leading(text).map_err(fault)?;
        let Some(next) = rest.find(|c: char| c.is_ascii_digit()) else { return Ok((value, rest.into())) };
        let (unit, more) = rest.split_at(next);
        match units::find(unit) {
            Some(u) if u.kind == units::TIME => {
                let (seconds, unit) = self.one(more, typed)?;
                let more = units::find(&unit).filter(|u| u.kind == units::TIME).ok_or_else(|| self.must(typed))?;
                Ok((rounded(value * u.base + seconds * more.base, DIGITS), "s".into()))
            }
            _ => Ok((value, rest.into())),
        }
    }
}

/// Reads a number above zero and the text of the unit behind it, for units that entries do not convert.
///
/// # Errors
/// A sentence naming `field`.
pub fn typed_number(field: &str, text: &str) -> Result<(f64, String), Refusal> {
    let asked = Asked::positive(field, "");
    let (number, unit) = typed_signed(field, text)?;
    Ok((asked.within(number, text).map_err(|e| Refusal::new(field, e.says))?, unit))
}

/// As [`typed_number`], with zero and negative numbers allowed.
///
/// # Errors
/// A sentence naming `field`.
pub fn typed_signed(field: &str, text: &str) -> Result<(f64, String), Refusal> {
    let asked = Asked { what: field.into(), ..Asked::default() };
    let clean = cleaned(text);
    let (number, unit) = leading(&clean).map_err(|f| Refusal::new(field, asked.fault(&f, text).says))?;
    Ok((number, unit.to_string()))
}

/// A word with and without its plural.
fn same_word(a: &str, b: &str) -> bool {
    let single = |t: &str| t.to_lowercase().split(' ').map(|w| w.trim_end_matches('s').to_string()).collect::<Vec<_>>();
    !b.is_empty() && a.chars().count() > 2 && single(a) == single(b)
}

fn shown(text: &str) -> String {
    let text = text.trim();
    match text.char_indices().nth(40) {
        Some((cut, _)) => format!("{}…", &text[..cut]),
        None => text.into(),
    }
}

fn listed(all: &[&str]) -> String {
    match all {
        [] => String::new(),
        [one] => (*one).into(),
        [front @ .., last] => format!("{} or {last}", front.join(", ")),
    }
}

/// Reads an entry.
///
/// # Errors
/// What is wrong and what is allowed; nothing is guessed.
pub fn read(text: &str, asked: &Asked) -> Result<Entry, Refusal> {
    let length = text.chars().count();
    if length > LONGEST {
        let says = format!("{length} characters are no entry; {} must be {}", asked.what, asked.allowed());
        return Err(asked.refuse(&says));
    }
    let clean = cleaned(text);
    if let Some(word) = asked.words.iter().find(|w| w.to_lowercase() == clean.to_lowercase()) {
        return Ok(Entry { values: Vec::new(), word: Some(word.clone()) });
    }
    let typed = match asked.shape {
        Shape::One => vec![asked.one(&clean, text)?],
        Shape::Range => range(&clean, asked, text)?,
        Shape::List => list(&clean, asked, text)?,
    };
    // “2 to 4 kHz”: a unit told once is meant for all.
    let told: Vec<&String> = typed.iter().map(|t| &t.1).filter(|u| !u.is_empty()).collect();
    let shared = if told.len() == 1 { told[0].clone() } else { String::new() };
    let mut values = Vec::with_capacity(typed.len());
    for (value, unit) in &typed {
        let unit = if unit.is_empty() { &shared } else { unit };
        values.push(asked.within(asked.converted(*value, unit, text)?, text)?);
    }
    if asked.shape == Shape::Range && values[0] >= values[1] {
        return Err(asked.must(text));
    }
    Ok(Entry { values, word: None })
}

/// Both ends of a range with their units.
fn range(text: &str, asked: &Asked, typed: &str) -> Result<Vec<(f64, String)>, Refusal> {
    // Two numbers side by side are the ends.
    if let [low, high] = &spaced(text)[..]
        && let (Ok(low), Ok(high)) = (leading(low), leading(high))
        && units::find(low.1).is_some()
    {
        return Ok(vec![(low.0, low.1.to_string()), (high.0, high.1.to_string())]);
    }
    let (low, rest) = leading(text).map_err(|f| asked.fault(&f, typed))?;
    for parted in [" to ", "…", "...", "..", "-", " and "] {
        // The unit of the lower end may stand before the word.
        let padded = format!(" {rest}");
        let Some((unit, high)) = padded.split_once(parted) else { continue };
        let Ok((high, high_unit)) = leading(high.trim()) else { continue };
        return Ok(vec![(low, unit.trim().to_string()), (high, high_unit.to_string())]);
    }
    Err(asked.must(typed))
}

/// The numbers of a list with their units.
fn list(text: &str, asked: &Asked, typed: &str) -> Result<Vec<(f64, String)>, Refusal> {
    let commas = text.matches(',').count();
    let parts: Vec<String> = if text.contains(';') {
        text.split(';').map(str::to_string).collect()
    } else if text.contains(", ") {
        text.split(", ").map(|p| p.trim_end_matches(',').to_string()).collect()
    } else if commas >= 2 || (commas == 1 && text.contains('.')) {
        text.split(',').map(str::to_string).collect()
    } else if commas == 1 {
        let (one, two) = text.split_once(',').unwrap_or((text, ""));
        let says = format!("“{}” may be one number or two; type {one}.{two} or {one}; {two}", shown(typed));
        return Err(asked.refuse(&says));
    } else {
        spaced(text)
    };
    let parts: Vec<&str> = parts.iter().map(|p| p.trim()).filter(|p| !p.is_empty()).collect();
    if parts.is_empty() || parts.len() > MOST {
        return Err(asked.must(typed));
    }
    parts.iter().map(|p| asked.one(p, typed)).collect()
}

/// Parts with spaces between; a unit goes with the number before it.
fn spaced(text: &str) -> Vec<String> {
    let mut parts: Vec<String> = Vec::new();
    for word in text.split(' ').filter(|w| !w.is_empty()) {
        match parts.last_mut() {
            Some(last) if !word.starts_with(|c: char| c.is_ascii_digit() || "+-.".contains(c)) => {
                last.push(' ');
                last.push_str(word);
            }
            _ => parts.push(word.into()),
        }
    }
    parts
}
