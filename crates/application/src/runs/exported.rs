//! What of a run is written to a file, and how.

use chrono::{DateTime, Utc};
use echo_job::Refusal;
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
}

impl ExportFormat {
    /// As it is called.
    pub fn name(self) -> &'static str {
        match self {
            ExportFormat::Wav => "WAV",
            ExportFormat::Csv => "CSV",
            ExportFormat::Parquet => "Parquet",
            ExportFormat::Universal => "universal file",
        }
    }

    /// Ending of the file's name, and its media type.
    pub fn told(self) -> (&'static str, &'static str) {
        match self {
            ExportFormat::Wav => ("wav", "audio/wav"),
            ExportFormat::Csv => ("csv", "text/csv; charset=utf-8"),
            ExportFormat::Parquet => ("parquet", "application/vnd.apache.parquet"),
            ExportFormat::Universal => ("uff", "application/octet-stream"),
        }
    }
}

/// Most samples of a channel in a universal file, which holds a channel as a whole.
const MOST_UNIVERSAL: u64 = 1 << 25;
/// Longest pattern of a name, characters.
const LONGEST_NAME: usize = 200;
/// What a name may be made of.
const WORDS: [&str; 7] = ["campaign", "specimen", "run", "kind", "date", "time", "channels"];

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
    /// Name of the file without its ending, with words in braces: {campaign}, {specimen}, {run}, {kind}, {date}, {time},
    /// {channels}. Empty for “run-{run}”.
    #[serde(default)]
    pub name: String,
}

/// What is known of a run where its file is named.
pub struct Known<'a> {
    /// Name of the campaign.
    pub campaign: &'a str,
    /// What was tested.
    pub specimen: &'a str,
    /// Number of the run.
    pub run: i32,
    /// What it is called.
    pub kind: &'a str,
    /// When it began.
    pub started_at: DateTime<Utc>,
    /// Channels that are written.
    pub channels: usize,
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
            name: String::new(),
        }
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

    /// Checks it for a run of that rate, length and those channels.
    ///
    /// # Errors
    /// The first entry that is not allowed, with what is.
    pub fn check(&self, rate_hz: f64, samples: u64, there: &[i16]) -> Result<(), Refusal> {
        if let Some(c) = self.channels.iter().find(|c| !there.contains(c)) {
            return Err(Refusal::new("channels", format!("the run has no channel {c}; it has {}", there.len())));
        }
        if let Some(twice) =
            self.channels.iter().enumerate().find_map(|(i, c)| self.channels[..i].contains(c).then_some(c))
        {
            return Err(Refusal::new("channels", format!("channel {twice} is named twice")));
        }
        let (from, to) = self.stretch(rate_hz, samples)?;
        if let Some(lower) = self.rate_hz {
            if !(lower.is_finite() && lower > 0.0 && lower <= rate_hz) {
                let says = format!("the rate must be above 0 and up to the run's {rate_hz} Hz, not {lower} Hz");
                return Err(Refusal::new("rate_hz", says));
            }
            echo_signal::resample::ratio(rate_hz, lower).map_err(|e| Refusal::new("rate_hz", e.to_string()))?;
            if self.counts && lower < rate_hz {
                return Err(Refusal::new("counts", "counts are written at the rate they were recorded at"));
            }
        }
        if self.format == ExportFormat::Universal {
            if self.counts {
                return Err(Refusal::new(
                    "counts",
                    "a universal file holds engineering units; counts go to WAV, CSV or Parquet",
                ));
            }
            if to - from > MOST_UNIVERSAL {
                let longest = MOST_UNIVERSAL as f64 / rate_hz;
                let says =
                    format!("a universal file holds up to {longest:.0} s of this run; choose a bracket, or Parquet");
                return Err(Refusal::new("format", says));
            }
        }
        if self.name.chars().count() > LONGEST_NAME || self.name.chars().any(char::is_control) {
            return Err(Refusal::new("name", format!("a name must be one line of up to {LONGEST_NAME} characters")));
        }
        let mut rest = self.name.as_str();
        while let Some((_, after)) = rest.split_once('{') {
            let (word, after) = after.split_once('}').unwrap_or((after, ""));
            if !WORDS.contains(&word) {
                let allowed = WORDS.map(|w| format!("{{{w}}}")).join(", ");
                return Err(Refusal::new("name", format!("{{{word}}} is not known; allowed: {allowed}")));
            }
            rest = after;
        }
        Ok(())
    }

    /// The name of the file without its ending, as it was wished.
    pub fn named(&self, of: &Known) -> String {
        let pattern = if self.name.trim().is_empty() { "run-{run}" } else { self.name.trim() };
        let values = [
            of.campaign.to_string(),
            of.specimen.to_string(),
            of.run.to_string(),
            of.kind.to_string(),
            of.started_at.format("%Y-%m-%d").to_string(),
            of.started_at.format("%H-%M-%S").to_string(),
            of.channels.to_string(),
        ];
        // In one go: what a word stands for is not looked through for words.
        let mut out = String::new();
        let mut rest = pattern;
        while let Some((before, after)) = rest.split_once('{') {
            out.push_str(before);
            let (word, after) = after.split_once('}').unwrap_or((after, ""));
            out.push_str(WORDS.iter().position(|w| *w == word).map_or("", |i| &values[i]));
            rest = after;
        }
        out + rest
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn wish(change: impl FnOnce(&mut RunExport)) -> Result<(), String> {
        let mut e = RunExport::whole(ExportFormat::Wav);
        change(&mut e);
        e.check(1000.0, 4000, &[1, 2, 5]).map_err(|e| e.says)
    }

    #[test]
    fn what_does_not_fit_the_run_is_refused_with_what_does() {
        assert_eq!(wish(|_| ()), Ok(()));
        assert_eq!(wish(|e| (e.channels, e.from_s, e.to_s) = (vec![5, 1], Some(1.0), Some(4.0))), Ok(()));
        let says = |change: fn(&mut RunExport)| wish(change).unwrap_err();
        assert!(says(|e| e.channels = vec![3]).contains("no channel 3; it has 3"));
        assert!(says(|e| e.channels = vec![1, 1]).contains("named twice"));
        assert!(says(|e| e.to_s = Some(5.0)).contains("between 0 and 4 s"));
        assert!(says(|e| (e.from_s, e.to_s) = (Some(2.0), Some(2.0))).contains("not empty"));
        assert!(says(|e| e.from_s = Some(f64::NAN)).contains("between 0 and 4 s"));
        assert!(says(|e| e.rate_hz = Some(2000.0)).contains("up to the run's 1000 Hz"));
        assert!(says(|e| (e.rate_hz, e.counts) = (Some(500.0), true)).contains("rate they were recorded at"));
        assert!(says(|e| (e.format, e.counts) = (ExportFormat::Universal, true)).contains("engineering units"));
        assert!(says(|e| e.name = "{run}-{when}".into()).contains("{when} is not known; allowed: {campaign}"));
        assert!(says(|e| e.name = "a\nb".into()).contains("one line"));
    }

    #[test]
    fn a_universal_file_is_not_begun_that_memory_could_not_hold() {
        let e = RunExport::whole(ExportFormat::Universal);
        assert!(e.check(51_200.0, MOST_UNIVERSAL, &[1]).is_ok());
        let says = e.check(51_200.0, MOST_UNIVERSAL + 1, &[1]).unwrap_err().says;
        assert!(says.contains("up to 655 s of this run"), "{says}");
    }

    #[test]
    fn names_are_made_of_words_and_those_of_the_run_stay_text() {
        let known = Known {
            campaign: "Merrow: {run}",
            specimen: "thruster",
            run: 7,
            kind: "coast-down",
            started_at: DateTime::from_timestamp(1_790_000_000, 0).unwrap(),
            channels: 3,
        };
        let named = |name: &str| RunExport { name: name.into(), ..RunExport::whole(ExportFormat::Csv) }.named(&known);
        assert_eq!(named(""), "run-7");
        assert_eq!(
            named("{campaign} {run}, {kind} {date} {time} ({channels})"),
            "Merrow: {run} 7, coast-down 2026-09-21 14-13-20 (3)"
        );
    }
}
