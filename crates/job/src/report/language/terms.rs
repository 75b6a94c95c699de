//! What a report says itself, in every language.

use super::Language;

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
    /// What was put right, of which channel.
    OfChannel,
    /// What was put right, and when.
    PutRight,
    /// What it is now, by whom and why.
    SetBy,
    /// What it is now, what it was, by whom and why.
    InsteadOf,
}

impl Language {
    /// A word of the report with these in place of its braces, in their order.
    pub fn filled(self, term: Term, parts: &[&str]) -> String {
        let mut parts = parts.iter();
        let mut out = String::new();
        for (k, fixed) in self.says(term).split("{}").enumerate() {
            if k > 0 {
                out += parts.next().copied().unwrap_or_default();
            }
            out += fixed;
        }
        out
    }

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
            Term::Rest => ["Bias, V", "Bias, V"],
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
            Term::OfChannel => ["{} of channel {}", "{} von Kanal {}"],
            Term::PutRight => ["{} put right {}", "{} berichtigt am {}"],
            Term::SetBy => ["{}, by {}: {}", "{}, durch {}: {}"],
            Term::InsteadOf => ["{} instead of {}, by {}: {}", "{} statt {}, durch {}: {}"],
        };
        match self {
            Language::English => english,
            Language::German => german,
        }
    }
}
