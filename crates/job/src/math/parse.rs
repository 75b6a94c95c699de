//! The text of a formula: words, precedence, and the checks of units on the way.

use super::dimension::{Of, joined};
use super::{Formula, Function, Known, LONGEST_S, Node};
use crate::Refusal;
use echo_signal::moving::Moving;

/// A name as formulas write it: small letters and digits, `_` for everything between.
pub fn spelled(name: &str) -> String {
    let mut out = String::new();
    for c in name.chars() {
        if c.is_alphanumeric() {
            out.extend(c.to_lowercase());
        } else if !out.is_empty() && !out.ends_with('_') {
            out.push('_');
        }
    }
    out.trim_end_matches('_').to_string()
}

const FUNCTIONS: &str = "abs, sqrt, min, max, hypot, derivative, rms, mean, peak";

/// Parts nested in each other at most: deeper is a slip, and would cost the stack.
const DEEPEST: usize = 64;

struct Reader<'a> {
    text: &'a str,
    at: usize,
    depth: usize,
    known: &'a [Known],
    inputs: Vec<usize>,
}

/// Reads a formula.
///
/// # Errors
/// Where it is wrong, and what is allowed there.
pub fn read(text: &str, known: &[Known]) -> Result<Formula, Refusal> {
    if text.trim().is_empty() || text.chars().count() > 1000 {
        return Err(Refusal::new("math", "a formula has 1 to 1000 characters, such as c1 - c2"));
    }
    let mut r = Reader { text, at: 0, depth: 0, known, inputs: Vec::new() };
    let (root, of) = r.sum()?;
    r.space();
    if let Some(c) = r.peek() {
        return r.wrong(format!("“{c}” does not belong there; allowed: + - * / ^ or the end"));
    }
    if r.inputs.is_empty() {
        return r.wrong("it names no channel; allowed: a formula over channels, such as c1 - c2".into());
    }
    Ok(Formula { root, of, inputs: r.inputs })
}

impl Reader<'_> {
    fn wrong<T>(&self, says: String) -> Result<T, Refusal> {
        let before: String = self.text[..self.at].chars().rev().take(24).collect();
        let before: String = before.chars().rev().collect();
        let place =
            if before.trim().is_empty() { "at the start".into() } else { format!("after “{}”", before.trim()) };
        Err(Refusal::new("math", format!("{place}: {says}")))
    }

    fn peek(&self) -> Option<char> {
        self.text[self.at..].chars().next()
    }

    fn space(&mut self) {
        while let Some(c) = self.peek().filter(|c| c.is_whitespace()) {
            self.at += c.len_utf8();
        }
    }

    fn take(&mut self, wanted: &[char]) -> Option<char> {
        self.space();
        let c = self.peek().filter(|c| wanted.contains(c))?;
        self.at += c.len_utf8();
        Some(c)
    }

    fn sum(&mut self) -> Result<(Node, Of), Refusal> {
        self.depth += 1;
        if self.depth > DEEPEST {
            return self.wrong(format!("brackets may stand up to {DEEPEST} deep within each other"));
        }
        let mut left = self.product()?;
        while let Some(sign) = self.take(&['+', '-', '−']) {
            let right = self.product()?;
            let factor = self.factor(&left.1, &right.1, if sign == '+' { "added to" } else { "taken off" })?;
            let sign = if sign == '+' { 1.0 } else { -1.0 };
            left = (Node::Sum(Box::new(left.0), 1.0, Box::new(right.0), sign * factor), left.1);
        }
        self.depth -= 1;
        Ok(left)
    }

    /// What brings values of `from` into `to`.
    fn factor(&self, to: &Of, from: &Of, done: &str) -> Result<f64, Refusal> {
        if to.fits(from) {
            return Ok(from.si / to.si);
        }
        self.wrong(format!("{} cannot be {done} {}; allowed: units that go into each other", from.said(), to.said()))
    }

    fn product(&mut self) -> Result<(Node, Of), Refusal> {
        let mut left = self.signed()?;
        while let Some(c) = self.take(&['*', '·', '×', '/']) {
            let right = self.signed()?;
            let divides = c == '/';
            let sign = if divides { -1 } else { 1 };
            // A plain number leaves the unit as it is; anything else is in SI.
            let (of, factor) = if right.1.is_number() {
                (left.1, 1.0)
            } else if left.1.is_number() && !divides {
                (right.1, 1.0)
            } else {
                let factor = if divides { left.1.si / right.1.si } else { left.1.si * right.1.si };
                (Of::si(joined(&left.1, &right.1, sign)), factor)
            };
            let (a, b) = (Box::new(left.0), Box::new(right.0));
            left = (if divides { Node::Quotient(a, b, factor) } else { Node::Product(a, b, factor) }, of);
        }
        Ok(left)
    }

    fn signed(&mut self) -> Result<(Node, Of), Refusal> {
        if self.take(&['-', '−']).is_some() {
            self.depth += 1;
            if self.depth > DEEPEST {
                return self.wrong(format!("signs may stand up to {DEEPEST} deep within each other"));
            }
            let (node, of) = self.signed()?;
            self.depth -= 1;
            return Ok((Node::Product(Box::new(Node::Number(-1.0)), Box::new(node), 1.0), of));
        }
        let (node, of) = self.atom()?;
        if self.take(&['^']).is_none() {
            return Ok((node, of));
        }
        self.space();
        let Some(power) = self.number().filter(|p| p.fract() == 0.0 && (1.0..=8.0).contains(p)) else {
            return self.wrong("a power is a whole number from 1 to 8".into());
        };
        let power = power as i32;
        let raised = if of.is_number() { of.clone() } else { Of::si(of.raised(power)) };
        Ok((Node::Power(Box::new(node), power, of.si.powi(power)), raised))
    }

    fn number(&mut self) -> Option<f64> {
        let rest = &self.text[self.at..];
        let digits = |s: &str| s.bytes().take_while(u8::is_ascii_digit).count();
        let mut end = digits(rest);
        if rest[end..].starts_with('.') {
            end += 1 + digits(&rest[end + 1..]);
        }
        if let Some(e) = rest[end..].strip_prefix(['e', 'E']) {
            let sign = usize::from(e.starts_with(['+', '-']));
            let n = digits(&e[sign..]);
            if n > 0 {
                end += 1 + sign + n;
            }
        }
        let value = rest[..end].parse::<f64>().ok().filter(|v| v.is_finite())?;
        self.at += end;
        Some(value)
    }

    /// A unit behind a number, where there is one.
    fn unit(&mut self) -> Option<Of> {
        let start = self.at;
        self.space();
        let rest = &self.text[self.at..];
        let ends = |s: &str| !s.starts_with(|c: char| c.is_alphanumeric() || c == '_' || c == '(');
        let ascii = [("m/s^2", "m/s²"), ("mm/s^2", "mm/s²"), ("um/m", "µm/m"), ("um", "µm")];
        let all = ascii.iter().map(|(a, b)| (*a, *b)).chain(Of::symbols().into_iter().map(|s| (s, s)));
        for (written, symbol) in all {
            if rest.strip_prefix(written).is_some_and(ends) {
                self.at += written.len();
                return Of::named(symbol);
            }
        }
        self.at = start;
        None
    }

    fn atom(&mut self) -> Result<(Node, Of), Refusal> {
        self.space();
        match self.peek() {
            Some('(') => {
                self.at += 1;
                let inner = self.sum()?;
                match self.take(&[')']) {
                    Some(_) => Ok(inner),
                    None => self.wrong("a bracket is not closed".into()),
                }
            }
            Some(c) if c.is_ascii_digit() || c == '.' => match self.number() {
                Some(x) => {
                    let of = self.unit().unwrap_or_else(Of::number);
                    Ok((Node::Number(x), of))
                }
                None => self.wrong("that is no number".into()),
            },
            Some(c) if c.is_alphabetic() || c == '_' => {
                let rest = &self.text[self.at..];
                let end = rest.find(|c: char| !(c.is_alphanumeric() || c == '_')).unwrap_or(rest.len());
                let word = &rest[..end];
                let start = self.at;
                self.at += end;
                if self.take(&['(']).is_some() {
                    return self.call(word);
                }
                // What is wrong with a name is told from where it begins.
                let after = std::mem::replace(&mut self.at, start);
                let found = self.channel(word)?;
                self.at = after;
                Ok(found)
            }
            Some(c) => self.wrong(format!("“{c}” does not belong there; allowed: channels, numbers and functions")),
            None => self.wrong("the formula ends too early; allowed: channels, numbers and functions".into()),
        }
    }

    fn channel(&mut self, word: &str) -> Result<(Node, Of), Refusal> {
        let wanted = spelled(word);
        let named: Vec<usize> = (0..self.known.len()).filter(|i| spelled(&self.known[*i].name) == wanted).collect();
        let by_number = || {
            let n: usize = wanted.strip_prefix('c')?.parse().ok()?;
            (1..=self.known.len()).contains(&n).then(|| n - 1)
        };
        let found = match named[..] {
            [one] => one,
            [a, b, ..] => {
                let says = format!("{word} may be “{}” or “{}”", self.known[a].name, self.known[b].name);
                return self.wrong(format!("{says}; allowed: their numbers, c{} and c{}", a + 1, b + 1));
            }
            [] => match by_number() {
                Some(i) => i,
                None => {
                    let some: Vec<String> = self.known.iter().take(4).map(|k| spelled(&k.name)).collect();
                    let says = format!("{word} is no channel; allowed: names such as {}", some.join(", "));
                    return self.wrong(format!("{says}, or c1 to c{}", self.known.len()));
                }
            },
        };
        let unit = &self.known[found].unit;
        let Some(of) = Of::named(unit) else {
            return self.wrong(format!("{word} is in “{unit}”, which is no unit formulas know"));
        };
        let place = self.inputs.iter().position(|c| *c == found).unwrap_or_else(|| {
            self.inputs.push(found);
            self.inputs.len() - 1
        });
        Ok((Node::Channel(place), of))
    }

    fn call(&mut self, name: &str) -> Result<(Node, Of), Refusal> {
        let mut all = vec![self.sum()?];
        while self.take(&[',', ';']).is_some() {
            all.push(self.sum()?);
        }
        if self.take(&[')']).is_none() {
            return self.wrong(format!("the bracket of {name} is not closed"));
        }
        let count = all.len();
        let takes = |n: &str| format!("{name} takes {n}");
        let first = all[0].1.clone();
        match name {
            "abs" | "sqrt" | "derivative" if count != 1 => self.wrong(takes("one value")),
            "abs" => Ok((Node::Of(Function::Abs, vec![all.remove(0).0], vec![1.0]), first)),
            "sqrt" => {
                let of = if first.is_number() { first.clone() } else { Of::si(first.root()?) };
                Ok((Node::Of(Function::Sqrt, vec![all.remove(0).0], vec![first.si]), of))
            }
            "derivative" => {
                let second = Of { dimension: [0, 0, 1, 0], si: 1.0, symbol: "s".into() };
                let of = Of::si(joined(&first, &second, -1));
                Ok((Node::Slope(Box::new(all.remove(0).0), first.si), of))
            }
            "min" | "max" | "hypot" => {
                if !(2..=16).contains(&count) {
                    return self.wrong(takes("2 to 16 values"));
                }
                let factors =
                    all.iter().map(|(_, of)| self.factor(&first, of, "compared with")).collect::<Result<_, _>>()?;
                let function = match name {
                    "min" => Function::Min,
                    "max" => Function::Max,
                    _ => Function::Hypot,
                };
                Ok((Node::Of(function, all.into_iter().map(|(n, _)| n).collect(), factors), first))
            }
            "rms" | "mean" | "peak" => {
                let seconds = match &all[..] {
                    [_, (Node::Number(x), of)] if of.dimension == [0, 0, 1, 0] => x * of.si,
                    _ => return self.wrong(takes("a value and a time, as in rms(c1, 0.1 s)")),
                };
                if !(seconds > 0.0 && seconds <= LONGEST_S) {
                    return self.wrong(format!("{seconds} s; allowed: a time above 0 up to {LONGEST_S} s"));
                }
                let which = match name {
                    "rms" => Moving::Rms,
                    "mean" => Moving::Mean,
                    _ => Moving::Peak,
                };
                Ok((Node::Moving(which, Box::new(all.remove(0).0), seconds), first))
            }
            _ => self.wrong(format!("{name} is no function; allowed: {FUNCTIONS}")),
        }
    }
}
