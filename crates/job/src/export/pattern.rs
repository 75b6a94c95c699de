//! Names by a pattern: words in braces that stand for what is known, and stars that stand for anything.

use crate::Refusal;
use chrono::{DateTime, Utc};

/// Longest pattern, characters.
pub const LONGEST: usize = 200;
/// What a name may be made of.
const WORDS: [&str; 7] = ["campaign", "specimen", "run", "kind", "date", "time", "channels"];

/// What is known where a file is named.
pub struct Known<'a> {
    /// Name of the campaign.
    pub campaign: &'a str,
    /// What was tested.
    pub specimen: &'a str,
    /// Number of the run; none where it is of none.
    pub run: Option<i32>,
    /// What it is called.
    pub kind: &'a str,
    /// When it began.
    pub started_at: DateTime<Utc>,
    /// Channels that are written.
    pub channels: usize,
}

/// Checks a pattern of a name.
///
/// # Errors
/// It is too long, not one line, or has a word that is not known; `field` is what it was typed into.
pub fn check(field: &str, pattern: &str) -> Result<(), Refusal> {
    if pattern.chars().count() > LONGEST || pattern.chars().any(char::is_control) {
        return Err(Refusal::new(field, format!("a name must be one line of up to {LONGEST} characters")));
    }
    let mut rest = pattern;
    while let Some((_, after)) = rest.split_once('{') {
        let (word, after) = after.split_once('}').unwrap_or((after, ""));
        if !WORDS.contains(&word) {
            let allowed = WORDS.map(|w| format!("{{{w}}}")).join(", ");
            return Err(Refusal::new(field, format!("{{{word}}} is not known; allowed: {allowed}")));
        }
        rest = after;
    }
    Ok(())
}

/// Checks a pattern of a folder below the one that files go to: parts with strokes between them.
///
/// # Errors
/// As [`check`]; it leads out of that folder.
pub fn check_folder(field: &str, pattern: &str) -> Result<(), Refusal> {
    check(field, pattern)?;
    let parts = || pattern.split(['/', '\\']);
    if parts().any(|p| matches!(p.trim(), "." | "..")) || pattern.starts_with(['/', '\\']) {
        let says =
            format!("“{pattern}” leads out of the folder for files; allowed: a folder below it, such as {{campaign}}");
        return Err(Refusal::new(field, says));
    }
    Ok(())
}

/// What a pattern comes to.
pub fn filled(pattern: &str, of: &Known) -> String {
    let values = [
        of.campaign.to_string(),
        of.specimen.to_string(),
        of.run.map(|n| n.to_string()).unwrap_or_default(),
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

/// Whether a name is one of those that patterns with commas between them stand for: `*` for any letters, `?` for one.
/// Capitals and blanks around a pattern do not matter.
pub fn fits(patterns: &str, name: &str) -> bool {
    let name: Vec<char> = name.to_lowercase().chars().collect();
    patterns.split(',').map(|p| p.trim().to_lowercase()).filter(|p| !p.is_empty()).any(|p| {
        let p: Vec<char> = p.chars().collect();
        // The last star, and what it stood for so far: a longer try only ever begins there.
        let (mut at, mut of, mut star) = (0, 0, None);
        while of < name.len() {
            match p.get(at) {
                Some('*') => {
                    star = Some((at, of));
                    at += 1;
                }
                Some(c) if *c == '?' || *c == name[of] => (at, of) = (at + 1, of + 1),
                _ => match star {
                    Some((s, from)) => {
                        star = Some((s, from + 1));
                        (at, of) = (s + 1, from + 1);
                    }
                    None => return false,
                },
            }
        }
        p[at..].iter().all(|c| *c == '*')
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn known() -> Known<'static> {
        Known {
            campaign: "Merrow: {run}",
            specimen: "thruster",
            run: Some(7),
            kind: "coast-down",
            started_at: DateTime::from_timestamp(1_790_000_000, 0).unwrap(),
            channels: 3,
        }
    }

    #[test]
    fn names_are_made_of_words_and_those_of_the_run_stay_text() {
        assert_eq!(filled("run-{run}", &known()), "run-7");
        assert_eq!(
            filled("{campaign} {run}, {kind} {date} {time} ({channels})", &known()),
            "Merrow: {run} 7, coast-down 2026-09-21 14-13-20 (3)"
        );
        assert_eq!(filled("rounds{run}", &Known { run: None, ..known() }), "rounds");
        assert!(check("name", "{run}-{when}").unwrap_err().says.contains("{when} is not known; allowed: {campaign}"));
        assert!(check("name", "a\nb").unwrap_err().says.contains("one line"));
    }

    #[test]
    fn a_folder_does_not_lead_out() {
        for inside in ["", "{campaign}", "handed over/{specimen}/run {run}", "..x"] {
            assert!(check_folder("folder", inside).is_ok(), "{inside}");
        }
        for outside in ["..", "a/../..", "/etc", "\\\\server", "a\\..\\b", " .. /x", "."] {
            let says = check_folder("folder", outside).unwrap_err().says;
            assert!(says.contains("leads out"), "{outside}: {says}");
        }
    }

    #[test]
    fn channels_are_found_by_patterns() {
        assert!(fits("gear*", "Gearbox top, vert") && fits("*vert", "gearbox top, vert") && fits("*", ""));
        assert!(fits("bearing ?, motor*", "bearing 2") && fits("bearing ?, motor*", "Motor speed"));
        assert!(
            !fits("bearing ?", "bearing 12") && !fits("gear", "gearbox") && !fits(" , ", "x") && !fits("a*b*c", "abcd")
        );
        assert!(fits("a*b*c", "a-b-b-c") && fits("*b*", "abc") && fits("a**", "a"));
    }
}
