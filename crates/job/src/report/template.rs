//! Templates: reports without runs, that a campaign's report begins with.

use super::block::Report;
use crate::Refusal;
use serde_json::Value;

/// Those that come along: name and form.
const SHIPPED: [(&str, &str); 3] = [
    ("Machine acceptance", include_str!("templates/machine-acceptance.json")),
    ("Impact test and modes", include_str!("templates/impact-test.json")),
    ("Shock and durability", include_str!("templates/shock-durability.json")),
];

/// Letters of a template's name at most.
const LONGEST: usize = 80;

/// Templates that come along, with their names.
pub fn shipped() -> Vec<(&'static str, Report)> {
    SHIPPED.iter().filter_map(|(name, form)| Some((*name, serde_json::from_str(form).ok()?))).collect()
}

/// The name of a template.
///
/// # Errors
/// Empty, too long, or that of one that comes along.
pub fn named(name: &str) -> Result<&str, Refusal> {
    let name = name.trim();
    let letters = name.chars().count();
    if letters == 0 || letters > LONGEST || name.chars().any(char::is_control) {
        return Err(Refusal::new(
            "name",
            format!("the name has {letters} characters; allowed: 1 to {LONGEST} in one line"),
        ));
    }
    if SHIPPED.iter().any(|(own, _)| own.eq_ignore_ascii_case(name)) {
        let says = format!("“{name}” comes along with the program; allowed: a name of its own");
        return Err(Refusal::new("name", says));
    }
    Ok(name)
}

impl Report {
    /// A template from what somebody wrote or sent: also a whole report, whose runs are left out.
    ///
    /// # Errors
    /// It is no report, or one that cannot be kept.
    pub fn template(value: Value) -> Result<Report, Refusal> {
        let told = |e: serde_json::Error| Refusal::new("body", format!("this is no report: {e}"));
        if !value["blocks"].is_array() {
            return Err(Refusal::new("body", "this is no report: it has no list of blocks"));
        }
        let mut report = Report::stored(value).map_err(told)?;
        let texts: Vec<_> = report.blocks.iter().map(|b| b.show.clone()).collect();
        report = report.begun_again();
        // What was written stays: in a template it is what every report says.
        for (b, before) in report.blocks.iter_mut().zip(texts) {
            if let (super::block::Show::Text { text }, super::block::Show::Text { text: was }) = (&mut b.show, before) {
                *text = was;
            }
        }
        report.check()?;
        Ok(report)
    }

    /// The same report with a template's blocks: its title, language and run stay. Kept results that the template leaves
    /// open become `kept`, where there is one.
    #[must_use]
    pub fn from_template(self, template: Report, kept: Option<i64>) -> Report {
        let open = |id: i64| if id == 0 { kept } else { Some(id) };
        let Report { title, run_id, .. } = self;
        Report { title, run_id, ..template.called(&Some, &open) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn those_that_come_along_can_be_kept_as_they_are() {
        let all = shipped();
        assert_eq!(all.len(), 3, "each is read");
        for (name, report) in all {
            report.check().unwrap_or_else(|e| panic!("{name}: {e:?}"));
            assert!(named(&name.to_uppercase()).unwrap_err().says.contains("comes along"));
        }
        assert_eq!(named(" Acceptance, yard 2 ").unwrap(), "Acceptance, yard 2");
        assert!(named(" ").is_err() && named(&"x".repeat(81)).is_err() && named("a\nb").is_err());
    }

    #[test]
    fn a_template_has_no_runs_and_a_report_keeps_its_own() {
        let blocks = json!([
            { "id": 1, "title": "Said", "show": { "what": "text", "text": "of {run}" } },
            { "id": 2, "show": { "what": "figure", "recipe": { "lens": "spectrum" }, "run_id": 31 } },
            { "id": 3, "show": { "what": "figure", "kept": 8, "part": "mac" } },
        ]);
        let sent = json!({ "title": "Of spring", "language": "german", "run_id": 31, "blocks": blocks });
        let template = Report::template(sent).unwrap();
        let told = serde_json::to_string(&template).unwrap();
        assert!(!told.contains("31") && !told.contains("\"kept\":8") && told.contains("of {run}"), "{told}");
        let own = Report { run_id: Some(40), ..Report::usual("Autumn") };
        let made = own.clone().from_template(template.clone(), Some(12));
        assert_eq!((made.title.as_str(), made.run_id, made.language), ("Autumn", Some(40), template.language));
        assert_eq!(made.blocks[2].show.kept(), Some(12), "the newest modes");
        assert_eq!(own.from_template(template, None).blocks[2].show.kept(), Some(0), "there are none yet");
        assert!(Report::template(json!({ "title": "x", "blocks": [] })).is_err());
        assert!(Report::template(json!([1])).unwrap_err().says.contains("no report"));
    }
}
