//! Numbers in any usual form: `200`, `18 000`, `18,000.5`, `1,5`, `−3`, `1e-3`, `1.2×10⁻⁵`, `3/4`; and as they are shown.

/// Why something is no number.
#[derive(Debug, Clone, PartialEq)]
pub enum Fault {
    /// Nothing was typed.
    Empty,
    /// It does not begin with a number.
    None,
    /// A comma before three digits may group them or be the decimal comma; both readings.
    Ambiguous(f64, f64),
    /// Digits stand in groups that are not of three.
    Groups,
    /// It is larger or smaller than a number can be here.
    Range,
    /// A fraction over zero.
    OverZero,
}

/// What is typed, pasted or shown by the page, with one sort of minus sign and of space, and nothing unseen in it.
pub fn cleaned(text: &str) -> String {
    let one = |c: char| match c {
        '\u{2212}' | '\u{2010}' | '\u{2011}' | '\u{2013}' | '\u{fe63}' | '\u{ff0d}' => Some('-'),
        '\u{200b}'..='\u{200f}' | '\u{2060}' | '\u{feff}' | '\u{ad}' => None,
        c if c.is_whitespace() || c.is_control() => Some(' '),
        c => Some(c),
    };
    text.chars().filter_map(one).collect::<String>().trim().to_string()
}

/// The number a cleaned text begins with, and what follows it.
///
/// # Errors
/// Why there is none.
pub fn leading(text: &str) -> Result<(f64, &str), Fault> {
    if text.is_empty() {
        return Err(Fault::Empty);
    }
    let (negative, rest) = signed(text);
    let (mantissa, rest) = body(rest)?;
    let (exponent, rest) = exponent(rest)?;
    let mut value = raised(&mantissa, exponent)?;
    let mut rest = rest;
    if let Some(under) = rest.trim_start().strip_prefix('/')
        && under.trim_start().starts_with(|c: char| c.is_ascii_digit())
    {
        let (digits, after) = body(under.trim_start())?;
        let under = raised(&digits, 0)?;
        if under == 0.0 {
            return Err(Fault::OverZero);
        }
        (value, rest) = (value / under, after);
    }
    if negative {
        value = -value;
    }
    Ok((value, rest.trim()))
}

fn signed(text: &str) -> (bool, &str) {
    match text.strip_prefix('-') {
        Some(rest) => (true, rest.trim_start()),
        None => (false, text.strip_prefix('+').unwrap_or(text).trim_start()),
    }
}

const APOSTROPHES: [char; 2] = ['\'', '\u{2019}'];

fn in_body(c: char) -> bool {
    c.is_ascii_digit() || c == '.' || c == ',' || c == ' ' || APOSTROPHES.contains(&c)
}

/// Digits with their point, as a machine reads them, and what follows.
fn body(text: &str) -> Result<(String, &str), Fault> {
    let mut end = 0;
    let mut chars = text.char_indices().peekable();
    while let Some((at, c)) = chars.next() {
        let next = chars.peek().map(|n| n.1);
        let digit_next = next.is_some_and(|n| n.is_ascii_digit());
        // A space or a comma belongs to the number where a digit follows; a point also ends it.
        let belongs = c.is_ascii_digit() || (in_body(c) && digit_next) || (c == '.' && at > 0 && next != Some('.'));
        if !belongs {
            break;
        }
        end = at + c.len_utf8();
    }
    let (typed, rest) = text.split_at(end);
    if !typed.contains(|c: char| c.is_ascii_digit()) {
        return Err(Fault::None);
    }
    Ok((ungrouped(typed)?, rest))
}

/// Digits of a number without its grouping.
fn ungrouped(typed: &str) -> Result<String, Fault> {
    let spaced = typed.contains(|c: char| c == ' ' || APOSTROPHES.contains(&c));
    let typed: String = typed.chars().map(|c| if APOSTROPHES.contains(&c) { ' ' } else { c }).collect();
    let (points, commas) = (typed.matches('.').count(), typed.matches(',').count());
    let (groups, decimal) = match (points, commas) {
        (0, 0) => (' ', None),
        (1, 0) => (' ', Some('.')),
        (0, 1) => (' ', Some(',')),
        (_, 0) => ('.', None),
        (0, _) => (',', None),
        (p, c) => match typed.rfind('.') > typed.rfind(',') {
            true if p == 1 => (',', Some('.')),
            false if c == 1 => ('.', Some(',')),
            _ => return Err(Fault::Groups),
        },
    };
    if spaced && groups != ' ' {
        return Err(Fault::Groups);
    }
    let (whole, part) = match decimal {
        Some(d) => typed.split_once(d).unwrap_or((&typed, "")),
        None => (typed.as_str(), ""),
    };
    let last = part.trim_end();
    if decimal == Some(',')
        && !spaced
        && groups == ' '
        && last.len() == 3
        && (1..=3).contains(&whole.len())
        && !whole.starts_with('0')
    {
        let read = |text: String| text.parse::<f64>().unwrap_or(f64::NAN);
        return Err(Fault::Ambiguous(read(format!("{whole}.{last}")), read(format!("{whole}{last}"))));
    }
    let mut digits = grouped(whole, groups)?;
    if !last.is_empty() {
        let parts: Vec<&str> = last.split(' ').collect();
        if parts.iter().rev().skip(1).any(|p| p.len() != 3)
            || parts.iter().any(|p| p.is_empty() || p.len() > 3 && parts.len() > 1)
        {
            return Err(Fault::Groups);
        }
        digits = format!("{digits}.{}", parts.concat());
    }
    Ok(digits)
}

fn grouped(whole: &str, by: char) -> Result<String, Fault> {
    if whole.is_empty() {
        return Ok("0".into());
    }
    let groups: Vec<&str> = whole.split(by).collect();
    let good = groups.len() == 1 || ((1..=3).contains(&groups[0].len()) && groups[1..].iter().all(|g| g.len() == 3));
    if good { Ok(groups.concat()) } else { Err(Fault::Groups) }
}

const SUPERSCRIPTS: [char; 10] = ['⁰', '¹', '²', '³', '⁴', '⁵', '⁶', '⁷', '⁸', '⁹'];

/// A power of ten behind a number, and what follows.
fn exponent(text: &str) -> Result<(i32, &str), Fault> {
    if let Some(rest) = text.strip_prefix(['e', 'E']) {
        let (negative, digits) = signed(rest);
        let end = digits.find(|c: char| !c.is_ascii_digit()).unwrap_or(digits.len());
        // Behind a bare “e” comes a unit.
        if end > 0 {
            return Ok((power(&digits[..end], negative)?, &digits[end..]));
        }
        return Ok((0, text));
    }
    let times = text.trim_start().strip_prefix(['×', '·', '*', 'x']).map(str::trim_start);
    let Some(rest) = times.and_then(|t| t.strip_prefix("10")) else { return Ok((0, text)) };
    let (raised, rest) = match rest.strip_prefix('^') {
        Some(rest) => {
            let (negative, digits) = signed(rest);
            let end = digits.find(|c: char| !c.is_ascii_digit()).unwrap_or(digits.len());
            (format!("{}{}", if negative { "-" } else { "" }, &digits[..end]), &digits[end..])
        }
        None => {
            let is = |c: char| c == '⁻' || SUPERSCRIPTS.contains(&c);
            let end = rest.find(|c| !is(c)).unwrap_or(rest.len());
            let digit = |c: char| match SUPERSCRIPTS.iter().position(|s| *s == c) {
                Some(d) => char::from(b'0' + d as u8),
                None => '-',
            };
            (rest[..end].chars().map(digit).collect(), &rest[end..])
        }
    };
    match raised.strip_prefix('-') {
        Some(digits) => Ok((power(digits, true)?, rest)),
        None => Ok((power(&raised, false)?, rest)),
    }
}

fn power(digits: &str, negative: bool) -> Result<i32, Fault> {
    if digits.is_empty() || digits.contains('-') {
        return Err(Fault::None);
    }
    let power: i32 = digits.parse().map_err(|_| Fault::Range)?;
    Ok(if negative { -power } else { power })
}

fn raised(digits: &str, exponent: i32) -> Result<f64, Fault> {
    // In one go, so that it is the nearest number to what was typed.
    let value: f64 = format!("{digits}e{exponent}").parse().map_err(|_| Fault::None)?;
    let is_zero = !digits.contains(|c: char| ('1'..='9').contains(&c));
    if value.is_finite() && (value != 0.0 || is_zero) { Ok(value) } else { Err(Fault::Range) }
}

/// A number as it is shown and typed again: no more digits than it has.
pub fn plain(x: f64) -> String {
    let rounded: f64 = format!("{x:.11e}").parse().unwrap_or(x);
    rounded.to_string()
}

/// A number with so many significant digits.
pub fn rounded(x: f64, digits: usize) -> f64 {
    format!("{x:.*e}", digits.saturating_sub(1)).parse().unwrap_or(x)
}
