//! Words that a report says itself, numbers and days as a language writes them.

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

/// What a report says itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Term {
    /// Before the number of a figure.
    Figure,
    /// Before the number of a table.
    Table,
    /// Before the number of a page.
    Page,
    /// Between the number of a page and that of all: “page 2 of 7”.
    Of,
    /// What goes with a PDF: what it was made of.
    MadeOf,
    /// What was measured on.
    Specimen,
    /// A run.
    Run,
    /// When it was recorded.
    Recorded,
    /// How long it is.
    Length,
    /// Samples a second.
    Rate,
    /// Its channels, or the head of their names.
    Channels,
    /// What recorded it.
    FrontEnd,
    /// Why it ended.
    Ended,
    /// Head of sensors.
    Sensor,
    /// Head of sensitivities.
    Sensitivity,
    /// Head of days of calibration.
    Calibrated,
    /// Head of coupling and range.
    SetTo,
    /// Head of modes.
    Mode,
    /// Head of peaks' frequencies.
    Frequency,
    /// Head of peaks' values.
    Value,
    /// Averages of a spectrum.
    Averages,
    /// Distance of a spectrum's lines.
    LinesApart,
    /// Head of what is allowed.
    Allowed,
    /// Head of a channel's share of what is allowed.
    Share,
    /// Head of verdicts.
    Verdict,
    /// It is within what is allowed.
    Within,
    /// It is above.
    Exceeded,
    /// The uncertainty reaches over what is allowed.
    Undecided,
    /// All that is held against limits is within them.
    AllWithin,
    /// Head of places in a run.
    AtS,
    /// Head of lengths.
    LengthS,
    /// Head of words.
    Says,
    /// Head of names of people.
    Who,
    /// Head of moments.
    When,
    /// Head of numbers one after the other.
    Number,
    /// Head of watched quantities.
    Watched,
    /// Head of who saw an alarm.
    Seen,
    /// Head of inputs.
    Input,
    /// Head of reasons.
    Reason,
    /// Head of what was changed.
    What,
    /// Head of how.
    Detail,
    /// Head of what became of something.
    State,
    /// Head of points.
    Point,
    /// Head of hits that count.
    Hits,
    /// Head of hits that do not.
    Rejected,
    /// Head of flaws.
    Why,
    /// A point that is not hit.
    LeftOut,
    /// A point that has not all its hits.
    NotYet,
    /// A recording without an end of its own.
    WhenStopped,
    /// When a recording begins.
    Begins,
    /// Before the number of a take.
    Take,
    /// Head of units.
    Unit,
    /// What is said under a table with uncertainties.
    Coverage,
    /// A recording that somebody begins.
    ByHand,
    /// Samples of a block.
    Block,
    /// The recorder of a run.
    Recorder,
    /// What turns.
    Tachometer,
    /// Captures by the clock.
    Rounds,
    /// What kind of thing a specimen is.
    Kind,
    /// Its number.
    Serial,
    /// Head of whether a test was passed.
    Passed,
    /// A channel that went over its range.
    OverRange,
    /// How long it did, and where first, in seconds.
    OverRangeAt,
    /// Who recorded it.
    RecordedBy,
    /// It was not passed.
    NotInOrder,
    /// Head of rest voltages.
    Rest,
    /// Head of means with the input shorted.
    Offset,
    /// Head of noise with the input shorted.
    Noise,
    /// Head of a machine's elements.
    Element,
    /// Head of lines.
    Line,
    /// Head of lines a turn of the shaft with the tachometer.
    PerTurn,
    /// Head of distances of sidebands.
    Sidebands,
    /// Head of places at a speed; the speed follows.
    HzAt,
    /// Where something is shown that is only what exceeds its limit, and nothing does.
    NoneExceeds,
    /// The same for what limits are said for.
    NoneLimited,
    /// A point with all its hits.
    Hit,
    /// Before points that the specimen's drawing does not have.
    NotDrawn,
    /// Head of lengths of vectors.
    Resultant,
    /// Head of axes with the largest peak.
    Dominant,
    /// Head of durations.
    DurationMs,
    /// Head of half sines as long as an event.
    HalfSineMs,
    /// Head of what is left of an event integrated.
    Integral,
    /// Head of damping.
    DampingPercent,
    /// Head of angles.
    PhaseDeg,
    /// Anything else.
    Remarks,
    /// What a report's results are known by, with the digits in place of the braces.
    Code,
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
    /// A word of the report in this language.
    pub fn says(self, term: Term) -> &'static str {
        let [english, german] = match term {
            Term::Figure => ["Figure", "Bild"],
            Term::Table => ["Table", "Tabelle"],
            Term::Page => ["Page", "Seite"],
            Term::Of => ["of", "von"],
            Term::MadeOf => ["What this report was made of", "Woraus dieser Bericht entstand"],
            Term::Specimen => ["Specimen", "Prüfling"],
            Term::Run => ["Run", "Messung"],
            Term::Recorded => ["Recorded", "Aufgenommen"],
            Term::Length => ["Length", "Dauer"],
            Term::Rate => ["Rate", "Abtastrate"],
            Term::Channels => ["Channels", "Kanäle"],
            Term::FrontEnd => ["Front end", "Messgerät"],
            Term::Ended => ["Ended", "Beendet"],
            Term::Sensor => ["Sensor", "Aufnehmer"],
            Term::Sensitivity => ["Sensitivity", "Empfindlichkeit"],
            Term::Calibrated => ["Calibrated", "Kalibriert"],
            Term::SetTo => ["Set to", "Einstellung"],
            Term::Mode => ["Mode", "Eigenform"],
            Term::Frequency => ["Frequency, Hz", "Frequenz, Hz"],
            Term::Value => ["Value", "Wert"],
            Term::Averages => ["averages", "Mittelungen"],
            Term::LinesApart => ["lines apart by", "Linienabstand"],
            Term::Allowed => ["Allowed", "Zulässig"],
            Term::Share => ["Share, %", "Anteil, %"],
            Term::Verdict => ["Verdict", "Urteil"],
            Term::Within => ["within", "eingehalten"],
            Term::Exceeded => ["EXCEEDED", "ÜBERSCHRITTEN"],
            Term::Undecided => ["not decided", "unentschieden"],
            Term::AllWithin => ["Within limits: {} of {}.", "Eingehalten: {} von {}."],
            Term::AtS => ["At, s", "Bei, s"],
            Term::LengthS => ["Length, s", "Dauer, s"],
            Term::Says => ["What", "Was"],
            Term::Who => ["Who", "Wer"],
            Term::When => ["When", "Wann"],
            Term::Number => ["No.", "Nr."],
            Term::Watched => ["Watched", "Überwacht"],
            Term::Seen => ["Seen by", "Gesehen von"],
            Term::Input => ["Input", "Eingang"],
            Term::Reason => ["Why it may pass", "Warum zugelassen"],
            Term::What => ["Changed", "Geändert"],
            Term::Detail => ["How", "Wie"],
            Term::State => ["State", "Stand"],
            Term::Point => ["Point", "Punkt"],
            Term::Hits => ["Hits", "Schläge"],
            Term::Rejected => ["Rejected", "Verworfen"],
            Term::Why => ["Flaws", "Mängel"],
            Term::LeftOut => ["left out", "ausgelassen"],
            Term::NotYet => ["not complete", "unvollständig"],
            Term::WhenStopped => ["until stopped", "bis zum Stopp"],
            Term::Begins => ["Begins", "Beginnt"],
            Term::Take => ["take", "Auslösung"],
            Term::Unit => ["Unit", "Einheit"],
            Term::Coverage => [
                "± is the expanded uncertainty, coverage factor 2.",
                "± ist die erweiterte Unsicherheit, Erweiterungsfaktor 2.",
            ],
            Term::ByHand => ["by hand", "von Hand"],
            Term::Block => ["Block", "Block"],
            Term::Recorder => ["Recorder", "Aufzeichnung"],
            Term::Tachometer => ["Tachometer", "Drehzahlgeber"],
            Term::Rounds => ["Rounds", "Runden"],
            Term::Passed => ["Test", "Prüfung"],
            Term::OverRange => ["over range", "übersteuert"],
            Term::OverRangeAt => [
                "over its range for {} s, first at {} s; its values may be too low",
                "für {} s übersteuert, zuerst bei {} s; die Werte können zu klein sein",
            ],
            Term::RecordedBy => ["Recorded by", "Aufgezeichnet von"],
            Term::NotInOrder => ["NOT IN ORDER", "NICHT IN ORDNUNG"],
            Term::Rest => ["At rest, V", "Ruhespannung, V"],
            Term::Offset => ["Offset, µV", "Nullpunkt, µV"],
            Term::Noise => ["Noise, µV", "Rauschen, µV"],
            Term::Element => ["Element", "Element"],
            Term::Line => ["Line", "Linie"],
            Term::PerTurn => ["A turn", "Je Umdrehung"],
            Term::Sidebands => ["Sidebands", "Seitenbänder"],
            Term::HzAt => ["Hz at {}", "Hz bei {}"],
            Term::NoneExceeds => ["Nothing exceeds its limit.", "Nichts überschreitet seine Grenze."],
            Term::NoneLimited => ["No limit is said for any of it.", "Für nichts davon gilt eine Grenze."],
            Term::Hit => ["hit", "angeschlagen"],
            Term::NotDrawn => ["not on the drawing:", "nicht auf der Zeichnung:"],
            Term::Resultant => ["Resultant", "Resultierende"],
            Term::Dominant => ["Dominant", "Vorherrschend"],
            Term::DurationMs => ["Above 10 %, ms", "Über 10 %, ms"],
            Term::HalfSineMs => ["Half sine, ms", "Halbsinus, ms"],
            Term::Integral => ["Δv", "Δv"],
            Term::DampingPercent => ["Damping, %", "Dämpfung, %"],
            Term::PhaseDeg => ["Phase, °", "Phase, °"],
            Term::Kind => ["Kind", "Art"],
            Term::Serial => ["Serial number", "Seriennummer"],
            Term::Remarks => ["Remarks", "Bemerkungen"],
            Term::Code => ["results {}", "Ergebnisse {}"],
        };
        match self {
            Language::English => english,
            Language::German => german,
        }
    }

    /// A word of a result, a recipe or a record, `crest_factor` say, as it is said in this language; as it is where there
    /// is no other word for it.
    pub fn word(self, word: &str) -> String {
        let plain = word.replace('_', " ");
        match self {
            Language::English => plain,
            Language::German => super::german::word(&plain).map_or(plain, str::to_string),
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
