//! Lines of a universal file, and numbers that stand in columns.

use crate::FormatError;

/// The file line by line, with the way to raw bytes for binary values.
pub(super) struct Lines<'a> {
    name: &'a str,
    bytes: &'a [u8],
    at: usize,
    line: usize,
}

impl<'a> Lines<'a> {
    pub fn new(name: &'a str, bytes: &'a [u8]) -> Self {
        Lines { name, bytes, at: 0, line: 0 }
    }

    /// An error at the line read last.
    pub fn wrong(&self, says: impl std::fmt::Display) -> FormatError {
        FormatError::not_that(self.name, format!("line {}: {says}", self.line))
    }

    fn raw(&mut self) -> Option<String> {
        let rest = self.bytes.get(self.at..).filter(|r| !r.is_empty())?;
        let end = rest.iter().position(|b| *b == b'\n').unwrap_or(rest.len());
        self.at += (end + 1).min(rest.len());
        self.line += 1;
        Some(String::from_utf8_lossy(&rest[..end]).trim_end_matches('\r').to_string())
    }

    /// The head of the next dataset; none at the end of the file.
    pub fn dataset(&mut self) -> Result<Option<String>, FormatError> {
        while let Some(line) = self.raw() {
            match line.trim() {
                "" => {}
                "-1" => return self.raw().map(Some).ok_or_else(|| self.wrong("a dataset without a number")),
                other => {
                    let says =
                        format!("“{}” stands outside of a dataset; it begins with -1 alone on a line", short(other));
                    return Err(self.wrong(says));
                }
            }
        }
        Ok(None)
    }

    /// The next line of this dataset; none at its end, which stays to be read.
    pub fn next(&mut self) -> Option<String> {
        let before = (self.at, self.line);
        let line = self.raw()?;
        if line.trim() == "-1" {
            (self.at, self.line) = before;
            return None;
        }
        Some(line)
    }

    /// The next line, which must be there.
    pub fn need(&mut self, what: &str) -> Result<String, FormatError> {
        self.next().ok_or_else(|| self.wrong(format!("the dataset ends where {what} should follow")))
    }

    /// Passes over what is left of a dataset and its last line.
    pub fn end(&mut self) -> Result<(), FormatError> {
        while let Some(line) = self.raw() {
            if line.trim() == "-1" {
                return Ok(());
            }
        }
        Err(self.wrong("the file ends within a dataset; it should end with -1 alone on a line"))
    }

    /// So many bytes as they are, and the end of the line behind them.
    pub fn take(&mut self, count: usize) -> Result<&'a [u8], FormatError> {
        let Some(taken) = self.bytes.get(self.at..self.at.saturating_add(count)) else {
            let left = self.bytes.len() - self.at;
            return Err(self.wrong(format!("{count} bytes of values should follow; the file has {left} more")));
        };
        self.at += count;
        while matches!(self.bytes.get(self.at), Some(b'\r' | b'\n')) {
            self.at += 1;
        }
        Ok(taken)
    }

    /// Whole numbers in columns of `width`, as many as there are.
    pub fn whole(&self, line: &str, width: usize) -> Result<Vec<i64>, FormatError> {
        self.cells(line, width, |t| t.parse().ok(), "a whole number")
    }

    /// Numbers in columns of `width`, as many as there are; exponents may be told by E or D.
    pub fn numbers(&self, line: &str, width: usize) -> Result<Vec<f64>, FormatError> {
        self.cells(line, width, number, "a finite number")
    }

    /// In columns, or else between spaces, as some programs write them.
    fn cells<T>(
        &self,
        line: &str,
        width: usize,
        read: impl Fn(&str) -> Option<T>,
        what: &str,
    ) -> Result<Vec<T>, FormatError> {
        let chars: Vec<char> = line.trim_end().chars().collect();
        let columns: Vec<String> = chars.chunks(width).map(|c| c.iter().collect::<String>().trim().into()).collect();
        let all = |cells: &mut dyn Iterator<Item = &str>| cells.map(&read).collect::<Option<Vec<T>>>();
        let found = all(&mut columns.iter().map(String::as_str)).or_else(|| all(&mut line.split_whitespace()));
        found.ok_or_else(|| {
            let bad = |t: &&str| read(t).is_none();
            let in_columns = columns.iter().map(String::as_str).find(bad).filter(|c| !c.contains(' '));
            let cell = in_columns.or_else(|| line.split_whitespace().find(bad)).unwrap_or("");
            self.wrong(format!("“{}” is not {what}", short(cell)))
        })
    }
}

/// A number as Fortran writes it: `1.0D+00`, `1.0E+00`, also `1.0+100` without a letter.
pub(super) fn number(text: &str) -> Option<f64> {
    let plain = text.replace(['D', 'd'], "E");
    let read: Option<f64> = plain.parse().ok().or_else(|| {
        let at = plain.rfind(['+', '-']).filter(|at| *at > 0)?;
        format!("{}E{}", &plain[..at], &plain[at..]).parse().ok()
    });
    read.filter(|x| x.is_finite())
}

/// `x` as `E{width}.{digits}`: one digit before the point, the exponent with its sign and two digits or three.
pub(super) fn exponent(x: f64, width: usize, digits: usize) -> String {
    let text = format!("{x:.digits$e}");
    let (mantissa, power) = text.split_once('e').unwrap_or((&text, "0"));
    let power: i32 = power.parse().unwrap_or(0);
    let sign = if power < 0 { '-' } else { '+' };
    let told = format!("{mantissa}E{sign}{:02}", power.abs());
    // Three digits of an exponent leave one less for the rest.
    if told.len() > width { exponent(x, width, digits - 1) } else { format!("{told:>width$}") }
}

/// `x` in 13 columns: six digits, or up to eight where it needs them to come back as it was.
pub(super) fn place(x: f64) -> String {
    let told = |digits: usize| exponent(x, 13, digits);
    [5, 6].into_iter().map(told).find(|t| number(t.trim()) == Some(x)).unwrap_or_else(|| told(7))
}

/// Numbers in lines of so many columns.
pub(super) fn columns(values: impl IntoIterator<Item = String>, a_line: usize) -> String {
    let mut out = String::new();
    let mut count = 0;
    for v in values {
        out += &v;
        count += 1;
        if count % a_line == 0 {
            out.push('\n');
        }
    }
    if count % a_line != 0 {
        out.push('\n');
    }
    out
}

/// Text of a line of 80, never empty and without line ends.
pub(super) fn words(text: &str) -> String {
    let line: String = text.chars().map(|c| if c.is_control() { ' ' } else { c }).take(80).collect();
    if line.trim().is_empty() { "NONE\n".into() } else { format!("{}\n", line.trim_end()) }
}

/// A line of words as it is meant: `NONE` is nothing.
pub(super) fn meant(line: &str) -> String {
    if line.trim() == "NONE" { String::new() } else { line.trim().to_string() }
}

/// The beginning of what is too long to be told whole.
fn short(text: &str) -> String {
    text.chars().take(24).collect()
}
