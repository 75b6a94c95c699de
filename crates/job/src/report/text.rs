//! The engineer's text in a report: small formatting, and words in braces that are filled in.
//!
//! | written | becomes |
//! | --- | --- |
//! | an empty line | the next paragraph |
//! | `# Results`, `## By point` | a heading, a smaller one |
//! | `- hammer` , `1. hammer` | an item of a list, of a numbered one |
//! | `*loud*`, `_quiet_` | strong, slanted |
//! | `m/s^2^`, `x~rms~` | raised, lowered |
//! | `{run}` | the word that is filled in; `{{` and `}}` are the braces themselves |
//! | `\*` | the sign itself, of any of these |

use crate::Refusal;
use std::fmt;

/// Characters of one text at most.
pub const MOST_CHARACTERS: usize = 100_000;

/// Letters of one look.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Span {
    /// The letters.
    pub text: String,
    /// Heavier than what is around.
    pub strong: bool,
    /// Slanted.
    pub slanted: bool,
    /// On the line, above or below it.
    pub place: Place,
}

/// Where letters stand.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Place {
    /// On the line.
    #[default]
    Line,
    /// Raised: m/s².
    Raised,
    /// Lowered, as an index.
    Lowered,
}

/// What a paragraph is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// Text.
    Plain,
    /// A heading, 1 the larger one, 2 the smaller.
    Heading(u8),
    /// An item of a list.
    Item,
    /// An item of a numbered list, with its number.
    Numbered(u32),
}

/// A paragraph.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Paragraph {
    /// What it is.
    pub kind: Kind,
    /// Its letters.
    pub spans: Vec<Span>,
}

impl fmt::Display for Paragraph {
    /// Its letters without their looks.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.spans.iter().try_for_each(|s| f.write_str(&s.text))
    }
}

/// Reads a text. `word` fills words in braces in.
///
/// # Errors
/// Longer than [`MOST_CHARACTERS`]; a word in braces that `word` does not know, with those of `known`; a brace that is
/// not closed.
pub fn read(text: &str, known: &[&str], word: &dyn Fn(&str) -> Option<String>) -> Result<Vec<Paragraph>, Refusal> {
    let length = text.chars().count();
    if length > MOST_CHARACTERS {
        let says = format!("the text has {length} characters; allowed: up to {MOST_CHARACTERS}");
        return Err(Refusal::new("text", says));
    }
    let mut all: Vec<Paragraph> = Vec::new();
    // Whether the next line of text goes on with the last paragraph.
    let mut open = false;
    for line in text.lines() {
        let line: String = line.chars().map(|c| if c == '\t' { ' ' } else { c }).filter(|c| !c.is_control()).collect();
        let line = line.trim();
        if line.is_empty() {
            open = false;
            continue;
        }
        let (kind, rest) = kind(line);
        let spans = Reader { known, word, signs: rest.chars().collect(), at: 0 }.spans()?;
        match all.last_mut() {
            Some(last) if open && kind == Kind::Plain => {
                last.spans.push(Span { text: " ".into(), ..Span::default() });
                last.spans.extend(spans);
                last.spans = joined(std::mem::take(&mut last.spans));
            }
            _ => all.push(Paragraph { kind, spans }),
        }
        open = !matches!(kind, Kind::Heading(_));
    }
    Ok(all)
}

/// What a line begins.
fn kind(line: &str) -> (Kind, &str) {
    for (mark, kind) in [("## ", Kind::Heading(2)), ("# ", Kind::Heading(1)), ("- ", Kind::Item)] {
        if let Some(rest) = line.strip_prefix(mark) {
            return (kind, rest.trim_start());
        }
    }
    let numbered = line.split_once(". ").and_then(|(n, rest)| {
        let number = n.parse().ok().filter(|_| n.len() <= 3 && n.bytes().all(|b| b.is_ascii_digit()))?;
        Some((Kind::Numbered(number), rest.trim_start()))
    });
    numbered.unwrap_or((Kind::Plain, line))
}

/// Neighbours of one look as one.
fn joined(spans: Vec<Span>) -> Vec<Span> {
    let mut out: Vec<Span> = Vec::new();
    for s in spans.into_iter().filter(|s| !s.text.is_empty()) {
        match out.last_mut() {
            Some(l) if (l.strong, l.slanted, l.place) == (s.strong, s.slanted, s.place) => l.text += &s.text,
            _ => out.push(s),
        }
    }
    out
}

struct Reader<'a> {
    known: &'a [&'a str],
    word: &'a dyn Fn(&str) -> Option<String>,
    signs: Vec<char>,
    at: usize,
}

impl Reader<'_> {
    fn spans(mut self) -> Result<Vec<Span>, Refusal> {
        let mut out = Vec::new();
        let mut now = Span::default();
        while let Some(&sign) = self.signs.get(self.at) {
            self.at += 1;
            let next = self.signs.get(self.at).copied();
            match sign {
                '\\' if next.is_some_and(|n| "\\*_^~{}#-".contains(n)) => {
                    now.text.extend(next);
                    self.at += 1;
                }
                '{' | '}' if next == Some(sign) => {
                    now.text.push(sign);
                    self.at += 1;
                }
                '{' => now.text += &self.filled_in()?,
                '*' | '_' | '^' | '~' if self.turns(sign, &now) => {
                    let mut other = Span { text: String::new(), ..now.clone() };
                    match sign {
                        '*' => other.strong ^= true,
                        '_' => other.slanted ^= true,
                        _ => {
                            let place = if sign == '^' { Place::Raised } else { Place::Lowered };
                            other.place = if now.place == place { Place::Line } else { place };
                        }
                    }
                    out.push(std::mem::replace(&mut now, other));
                }
                _ => now.text.push(sign),
            }
        }
        out.push(now);
        Ok(joined(out))
    }

    /// Whether a sign begins a look that is ended in this line, or ends one: “2 * 3” and “a_b” stay as they are.
    fn turns(&self, sign: char, now: &Span) -> bool {
        let before = self.at.checked_sub(2).and_then(|k| self.signs.get(k)).copied();
        let after = self.signs.get(self.at).copied();
        let letter = |c: Option<char>| c.is_some_and(char::is_alphanumeric);
        let touches = |c: Option<char>| c.is_some_and(|c| !c.is_whitespace());
        let (on, inside) = match sign {
            '*' => (now.strong, false),
            '_' => (now.slanted, letter(before) && letter(after)),
            '^' => (now.place == Place::Raised, false),
            _ => (now.place == Place::Lowered, false),
        };
        if inside {
            return false;
        }
        if on {
            return touches(before);
        }
        let rest = &self.signs[self.at..];
        let ends = rest.iter().enumerate().any(|(k, c)| *c == sign && k > 0 && !rest[k - 1].is_whitespace());
        touches(after) && ends
    }

    /// The word in braces that begins here.
    fn filled_in(&mut self) -> Result<String, Refusal> {
        let rest = &self.signs[self.at..];
        let Some(end) = rest.iter().position(|c| *c == '}') else {
            let says = "a brace is not closed; allowed: a word in braces such as {run}, or {{ for the brace itself";
            return Err(Refusal::new("text", says));
        };
        let name: String = rest[..end].iter().collect::<String>().trim().to_lowercase();
        self.at += end + 1;
        (self.word)(&name).ok_or_else(|| {
            let says = format!("“{{{name}}}” is not known; allowed: {{{}}}", self.known.join("}, {"));
            Refusal::new("text", says)
        })
    }
}
