//! What of a run is written to a file, how, and under which name.
//!
//! | file | what it holds |
//! | --- | --- |
//! | `mod` | channels, stretch, rate, kind of file |
//! | [`pattern`] | names by a pattern |

pub mod pattern;

use crate::Refusal;
use pattern::{Known, filled, fits};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Kinds of files a run is written to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum ExportFormat {
    /// WAV: 32-bit floats in the channels' units, or counts.
    Wav,
    /// Time, then a column a channel.
    Csv,
    /// The same by columns.
    Parquet,
    /// A universal file: a time response a channel, its values in binary.
    Universal,
    /// A spreadsheet: time, then a column a channel, numbers as numbers.
    Xlsx,
}

impl ExportFormat {
    /// As it is called.
    pub fn name(self) -> &'static str {
        match self {
            ExportFormat::Wav => "WAV",
            ExportFormat::Csv => "CSV",
            ExportFormat::Parquet => "Parquet",
            ExportFormat::Universal => "universal file",
            ExportFormat::Xlsx => "XLSX",
        }
    }

    /// Ending of the file's name, and its media type.
    pub fn told(self) -> (&'static str, &'static str) {
        match self {
            ExportFormat::Wav => ("wav", "audio/wav"),
            ExportFormat::Csv => ("csv", "text/csv; charset=utf-8"),
            ExportFormat::Parquet => ("parquet", "application/vnd.apache.parquet"),
            ExportFormat::Universal => ("uff", "application/octet-stream"),
            ExportFormat::Xlsx => ("xlsx", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"),
        }
    }
}

/// As what a result is saved.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum ResultForm {
    /// A table: its axis, then a column a curve.
    Csv,
    /// A workbook: curves, numbers and peaks on sheets of their own.
    Xlsx,
    /// The table by columns, with its recipe.
    Parquet,
    /// Its curves, or its shapes, as a universal file.
    Universal,
    /// Everything, as the program has it.
    Json,
}

impl ResultForm {
    /// Ending of the file's name, and its media type.
    pub fn told(self) -> (&'static str, &'static str) {
        match self {
            ResultForm::Csv => ExportFormat::Csv.told(),
            ResultForm::Xlsx => ExportFormat::Xlsx.told(),
            ResultForm::Parquet => ExportFormat::Parquet.told(),
            ResultForm::Universal => ExportFormat::Universal.told(),
            ResultForm::Json => ("json", "application/json"),
        }
    }
}

/// Most samples of a channel in a universal file, which holds a channel as a whole.
const MOST_UNIVERSAL: u64 = 1 << 25;
/// Most samples and channels of a spreadsheet: its rows, without the one of headings, and its columns.
const MOST_ROWS: u64 = (1 << 20) - 1;
const MOST_COLUMNS: usize = (1 << 14) - 1;
/// Most channels of a WAV file.
const MOST_WAV: usize = u16::MAX as usize / 4;

/// What stands between the cells of a CSV file.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Separator {
    /// A comma.
    #[default]
    Comma,
    /// A semicolon.
    Semicolon,
    /// A tab.
    Tab,
}

impl Separator {
    /// The letter.
    pub fn letter(self) -> char {
        match self {
            Separator::Comma => ',',
            Separator::Semicolon => ';',
            Separator::Tab => '\t',
        }
    }
}

/// What of a run is written, and how; everything as it is where nothing else is said.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct RunExport {
    /// Kind of file.
    pub format: ExportFormat,
    /// Its channels, from 1; all of them where empty.
    #[serde(default)]
    pub channels: Vec<i16>,
    /// Beginning of the stretch, s.
    #[serde(default)]
    pub from_s: Option<f64>,
    /// End of the stretch, s.
    #[serde(default)]
    pub to_s: Option<f64>,
    /// A lower rate, samples a second.
    #[serde(default)]
    pub rate_hz: Option<f64>,
    /// Counts of the converter instead of engineering units.
    #[serde(default)]
    pub counts: bool,
    /// Instead of numbers, names of channels by patterns with commas between them: `gearbox*, bearing ?`.
    #[serde(default)]
    pub named: String,
    /// What stands between the cells of a CSV file.
    #[serde(default)]
    pub separator: Separator,
    /// Whether a CSV file has a comma for the decimal point.
    #[serde(default)]
    pub decimal_comma: bool,
    /// Name of the file without its ending, with words in braces: {campaign}, {specimen}, {run}, {kind}, {date}, {time},
    /// {channels}. Empty for “run-{run}”.
    #[serde(default)]
    pub name: String,
}

impl RunExport {
    /// Everything of a run as a kind of file.
    pub fn whole(format: ExportFormat) -> RunExport {
        RunExport {
            format,
            channels: Vec::new(),
            from_s: None,
            to_s: None,
            rate_hz: None,
            counts: false,
            named: String::new(),
            separator: Separator::Comma,
            decimal_comma: false,
            name: String::new(),
        }
    }

    /// The channels that are written, by their numbers, of those that are there with their names.
    ///
    /// # Errors
    /// One that is not there or named twice; a pattern that no name fits.
    pub fn chosen(&self, there: &[(i16, String)]) -> Result<Vec<i16>, Refusal> {
        let wrong = |says: String| Err(Refusal::new("channels", says));
        if let Some(c) = self.channels.iter().find(|c| !there.iter().any(|(n, _)| n == *c)) {
            return wrong(format!("the run has no channel {c}; it has {}", there.len()));
        }
        let twice = |(i, c): (usize, &i16)| self.channels[..i].contains(c).then_some(*c);
        if let Some(twice) = self.channels.iter().enumerate().find_map(twice) {
            return wrong(format!("channel {twice} is named twice"));
        }
        if self.named.trim().is_empty() {
            return Ok(if self.channels.is_empty() {
                there.iter().map(|(n, _)| *n).collect()
            } else {
                self.channels.clone()
            });
        }
        if !self.channels.is_empty() {
            return wrong("channels are told by number and by name; allowed: one of both".into());
        }
        let found: Vec<i16> = there.iter().filter(|(_, name)| fits(&self.named, name)).map(|(n, _)| *n).collect();
        if found.is_empty() {
            let all = there.iter().map(|(_, name)| name.as_str()).collect::<Vec<_>>().join(", ");
            return Err(Refusal::new("named", format!("no channel fits “{}”; there are {all}", self.named)));
        }
        Ok(found)
    }

    /// Checks what does not hang on a run.
    ///
    /// # Errors
    /// The first entry that is not allowed, with what is.
    pub fn check_alone(&self) -> Result<(), Refusal> {
        if self.named.chars().count() > pattern::LONGEST || self.named.chars().any(char::is_control) {
            let says = format!("names must be one line of up to {} characters", pattern::LONGEST);
            return Err(Refusal::new("named", says));
        }
        if self.decimal_comma && self.separator == Separator::Comma && self.format == ExportFormat::Csv {
            let says = "a comma cannot stand for the decimal point and between the cells; allowed: a semicolon or a tab between them";
            return Err(Refusal::new("separator", says));
        }
        if self.format == ExportFormat::Universal && self.counts {
            let says = "a universal file holds engineering units; counts go to WAV, CSV, XLSX or Parquet";
            return Err(Refusal::new("counts", says));
        }
        let bad = |x: &f64| !x.is_finite() || *x < 0.0;
        if let Some(s) = self.from_s.iter().chain(&self.to_s).find(|x| bad(x)) {
            return Err(Refusal::new(
                "from_s",
                format!("a stretch lies between 0 and the end of the run, not at {s} s"),
            ));
        }
        if let Some(hz) = self.rate_hz.filter(|x| bad(x) || *x == 0.0) {
            return Err(Refusal::new("rate_hz", format!("the rate must be above 0, not {hz} Hz")));
        }
        pattern::check("name", &self.name)
    }

    /// The stretch as samples, first and one after the last.
    ///
    /// # Errors
    /// It does not lie in the run, or is empty.
    pub fn stretch(&self, rate_hz: f64, samples: u64) -> Result<(u64, u64), Refusal> {
        let long = samples as f64 / rate_hz;
        let (from, to) = (self.from_s.unwrap_or(0.0), self.to_s.unwrap_or(long));
        let at = |s: f64| ((s * rate_hz).round().max(0.0) as u64).min(samples);
        if !(from.is_finite() && to.is_finite()) || from < 0.0 || to > long + 0.5 / rate_hz || at(from) >= at(to) {
            let says = format!("a stretch lies between 0 and {long} s and is not empty, not {from} to {to} s");
            return Err(Refusal::new("from_s", says));
        }
        Ok((at(from), at(to)))
    }

    /// Checks it for a run of that rate, length and those channels with their names.
    ///
    /// # Errors
    /// The first entry that is not allowed, with what is.
    pub fn check(&self, rate_hz: f64, samples: u64, there: &[(i16, String)]) -> Result<(), Refusal> {
        let channels = self.chosen(there)?.len();
        let (from, to) = self.stretch(rate_hz, samples)?;
        self.check_alone()?;
        if let Some(lower) = self.rate_hz {
            if lower > rate_hz {
                let says = format!("the rate must be above 0 and up to the run's {rate_hz} Hz, not {lower} Hz");
                return Err(Refusal::new("rate_hz", says));
            }
            echo_signal::resample::ratio(rate_hz, lower).map_err(|e| Refusal::new("rate_hz", e.to_string()))?;
            if self.counts && lower < rate_hz {
                return Err(Refusal::new("counts", "counts are written at the rate they were recorded at"));
            }
        }
        let (most, wide) = match self.format {
            ExportFormat::Universal => (MOST_UNIVERSAL, usize::MAX),
            ExportFormat::Xlsx => (MOST_ROWS, MOST_COLUMNS),
            ExportFormat::Wav => (u64::MAX, MOST_WAV),
            ExportFormat::Csv | ExportFormat::Parquet => return Ok(()),
        };
        if channels > wide {
            let says = format!("{} holds up to {wide} channels, not {channels}; choose some", self.format.name());
            return Err(Refusal::new("channels", says));
        }
        let rate = self.rate_hz.unwrap_or(rate_hz);
        if (to - from) as f64 * rate / rate_hz > most as f64 {
            let (name, longest) = (self.format.name(), most as f64 / rate);
            let says = format!("{name} holds up to {longest:.0} s at {rate} Hz; choose a shorter stretch, or Parquet");
            return Err(Refusal::new("format", says));
        }
        Ok(())
    }

    /// The name of the file without its ending, as it was wished.
    pub fn called(&self, of: &Known) -> String {
        filled(if self.name.trim().is_empty() { "run-{run}" } else { self.name.trim() }, of)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn there() -> Vec<(i16, String)> {
        [(1, "gearbox top"), (2, "gearbox side"), (5, "motor")].map(|(n, name)| (n, name.to_string())).to_vec()
    }

    fn wish(change: impl FnOnce(&mut RunExport)) -> Result<(), String> {
        let mut e = RunExport::whole(ExportFormat::Wav);
        change(&mut e);
        e.check(1000.0, 4000, &there()).map_err(|e| e.says)
    }

    #[test]
    fn what_does_not_fit_the_run_is_refused_with_what_does() {
        assert_eq!(wish(|_| ()), Ok(()));
        assert_eq!(wish(|e| (e.channels, e.from_s, e.to_s) = (vec![5, 1], Some(1.0), Some(4.0))), Ok(()));
        let says = |change: fn(&mut RunExport)| wish(change).unwrap_err();
        assert!(says(|e| e.channels = vec![3]).contains("no channel 3; it has 3"));
        assert!(says(|e| e.channels = vec![1, 1]).contains("named twice"));
        assert!(says(|e| (e.channels, e.named) = (vec![1], "motor".into())).contains("one of both"));
        assert!(says(|e| e.named = "bearing*".into()).contains("no channel fits “bearing*”; there are gearbox top"));
        assert!(says(|e| e.named = "a\tb".into()).contains("no channel fits"));
        assert!(says(|e| e.to_s = Some(5.0)).contains("between 0 and 4 s"));
        assert!(says(|e| (e.from_s, e.to_s) = (Some(2.0), Some(2.0))).contains("not empty"));
        assert!(says(|e| e.from_s = Some(f64::NAN)).contains("between 0 and 4 s"));
        assert!(says(|e| e.rate_hz = Some(2000.0)).contains("up to the run's 1000 Hz"));
        assert!(says(|e| e.rate_hz = Some(0.0)).contains("above 0"));
        assert!(says(|e| (e.rate_hz, e.counts) = (Some(500.0), true)).contains("rate they were recorded at"));
        assert!(says(|e| (e.format, e.counts) = (ExportFormat::Universal, true)).contains("engineering units"));
        assert!(says(|e| e.name = "{run}-{when}".into()).contains("{when} is not known; allowed: {campaign}"));
        assert!(says(|e| (e.format, e.decimal_comma) = (ExportFormat::Csv, true)).contains("a semicolon or a tab"));
    }

    #[test]
    fn channels_are_chosen_by_number_or_by_name() {
        let chosen = |change: fn(&mut RunExport)| {
            let mut e = RunExport::whole(ExportFormat::Csv);
            change(&mut e);
            e.chosen(&there()).unwrap()
        };
        assert_eq!(chosen(|_| ()), [1, 2, 5]);
        assert_eq!(chosen(|e| e.channels = vec![5, 1]), [5, 1]);
        assert_eq!(chosen(|e| e.named = "GEAR*".into()), [1, 2]);
    }

    #[test]
    fn a_file_is_not_begun_that_could_not_hold_the_run() {
        let held = |format, samples, rate_hz| {
            let e = RunExport { rate_hz, ..RunExport::whole(format) };
            e.check(51_200.0, samples, &there()).map_err(|e| e.says)
        };
        assert!(held(ExportFormat::Universal, MOST_UNIVERSAL, None).is_ok());
        let says = held(ExportFormat::Universal, MOST_UNIVERSAL + 1, None).unwrap_err();
        assert!(says.contains("up to 655 s at 51200 Hz"), "{says}");
        assert!(held(ExportFormat::Xlsx, MOST_ROWS, None).is_ok());
        assert!(held(ExportFormat::Xlsx, MOST_ROWS + 1, None).unwrap_err().contains("up to 20 s"));
        assert!(held(ExportFormat::Xlsx, 10 * MOST_ROWS, Some(5120.0)).is_ok(), "a lower rate makes it fit");
    }
}
