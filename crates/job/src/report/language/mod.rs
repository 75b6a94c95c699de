//! A report's languages: words, sentences, numbers and days as each writes them.
//!
//! | file | what it holds |
//! | --- | --- |
//! | `terms` | what a report says itself |
//! | `german` | words of the trade in German |
//! | `sentences` | what is said of results and runs, in German |

mod german;
mod sentences;
mod terms;

pub use terms::Term;

use chrono::{DateTime, Datelike, Utc};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// The language of a report.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Language {
    /// English: decimal point.
    #[default]
    English,
    /// German: decimal comma.
    German,
}

const MONTHS: [[&str; 12]; 2] = [
    [
        "January",
        "February",
        "March",
        "April",
        "May",
        "June",
        "July",
        "August",
        "September",
        "October",
        "November",
        "December",
    ],
    [
        "Januar",
        "Februar",
        "März",
        "April",
        "Mai",
        "Juni",
        "Juli",
        "August",
        "September",
        "Oktober",
        "November",
        "Dezember",
    ],
];

/// A narrow space that keeps thousands and units with their number.
const THIN: char = '\u{202f}';

impl Language {
    /// A word of a result, a recipe or a record, `crest_factor` say, as it is said in this language; as it is where there
    /// is no other word for it.
    pub fn word(self, word: &str) -> String {
        let plain = word.replace('_', " ");
        match self {
            Language::English => plain,
            Language::German => german::word(&plain).map_or(plain, str::to_string),
        }
    }

    /// A sentence of a result or a run as it is said in this language; as it is where there is no other for it.
    pub fn sentence(self, english: &str) -> String {
        match self {
            Language::English => english.into(),
            Language::German => sentences::german(english).unwrap_or_else(|| english.into()),
        }
    }

    /// The two letters by which a document tells its language.
    pub fn code(self) -> &'static str {
        match self {
            Language::English => "en",
            Language::German => "de",
        }
    }

    /// A number with so many significant digits, up to 15; with an exponent where zeros would have to be counted.
    /// What is no number is a dash.
    pub fn number(self, x: f64, digits: usize) -> String {
        let digits = digits.clamp(1, 15);
        if !x.is_finite() {
            return "–".into();
        }
        if x == 0.0 {
            return "0".into();
        }
        // Rounded first: 999.96 in four digits is 1000, which has other decimals.
        let rounded: f64 = format!("{x:.*e}", digits - 1).parse().unwrap_or(x);
        let exponent = rounded.abs().log10().floor() as i32;
        if !(-4..7).contains(&exponent) {
            let scientific = format!("{rounded:.*e}", digits - 1);
            let (mantissa, power) = scientific.split_once('e').unwrap_or((&scientific, "0"));
            return format!("{}·10{}", self.written(mantissa), raised(power));
        }
        let decimals = (digits as i32 - 1 - exponent).max(0) as usize;
        self.written(&format!("{x:.decimals$}"))
    }

    /// A number in at most so many digits, without zeros at its end: what was set, not what was measured.
    pub fn short(self, x: f64, digits: usize) -> String {
        let number = self.number(x, digits);
        let sign = if self == Language::German { ',' } else { '.' };
        if !number.contains(sign) || number.contains('·') {
            return number;
        }
        number.trim_end_matches('0').trim_end_matches(sign).into()
    }

    /// A number with its unit.
    pub fn quantity(self, x: f64, digits: usize, unit: &str) -> String {
        let number = self.number(x, digits);
        if unit.is_empty() { number } else { format!("{number}{THIN}{unit}") }
    }

    /// A value with its expanded uncertainty in the same digits: the uncertainty in two, the value as far as those go.
    pub fn uncertain(self, x: f64, uncertainty: f64, unit: &str) -> String {
        let told = uncertainty.is_finite() && uncertainty > 0.0 && x.is_finite();
        if !told {
            return self.quantity(x, 4, unit);
        }
        let rounded: f64 = format!("{uncertainty:.1e}").parse().unwrap_or(uncertainty);
        let decimals = (1 - rounded.log10().floor() as i32).max(0) as usize;
        let tens = 10f64.powi((rounded.log10().floor() as i32 - 1).max(0));
        // Tens are left out where no decimals are shown: 12 300 ± 1 200.
        let whole = |v: f64| if decimals == 0 { (v / tens).round() * tens } else { v };
        let at = |v: f64| self.written(&format!("{:.decimals$}", whole(v)));
        let both = format!("({} ± {})", at(x), at(rounded));
        if unit.is_empty() { both } else { format!("{both}{THIN}{unit}") }
    }

    /// A day in words.
    pub fn day(self, at: DateTime<Utc>) -> String {
        let month = MONTHS[self as usize][at.month0() as usize];
        match self {
            Language::English => format!("{} {month} {}", at.day(), at.year()),
            Language::German => format!("{}. {month} {}", at.day(), at.year()),
        }
    }

    /// Digits with this language's decimal sign, a true minus, and thousands apart from five digits on.
    fn written(self, plain: &str) -> String {
        let (sign, digits) = plain.strip_prefix('-').map_or(("", plain), |rest| ("\u{2212}", rest));
        let (whole, part) = digits.split_once('.').map_or((digits, None), |(w, p)| (w, Some(p)));
        let mut out = String::from(sign);
        for (k, digit) in whole.chars().enumerate() {
            let left = whole.len() - k;
            if k > 0 && left.is_multiple_of(3) && whole.len() > 4 {
                out.push(THIN);
            }
            out.push(digit);
        }
        if let Some(part) = part {
            out.push(if self == Language::German { ',' } else { '.' });
            out += part;
        }
        out
    }
}

fn raised(power: &str) -> String {
    const RAISED: [char; 10] = ['⁰', '¹', '²', '³', '⁴', '⁵', '⁶', '⁷', '⁸', '⁹'];
    power
        .chars()
        .filter_map(|c| if c == '-' { Some('⁻') } else { c.to_digit(10).map(|d| RAISED[d as usize]) })
        .collect()
}
