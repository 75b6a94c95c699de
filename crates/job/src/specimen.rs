//! The thing under test: what it is, and its geometry.

use crate::Refusal;
use crate::geometry::Geometry;
use crate::geometry::edit::LengthUnit;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Longest line, and longest remarks, characters.
const LONGEST_LINE: usize = 200;
const LONGEST_REMARKS: usize = 20_000;

/// What is known of a specimen; its name is the campaign's.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Specimen {
    /// What kind of thing it is: “steel bracket”.
    #[serde(default)]
    pub kind: String,
    /// Its serial number.
    #[serde(default)]
    pub serial: String,
    /// Anything else.
    #[serde(default)]
    pub remarks: String,
    /// What its tables show lengths in.
    #[serde(default)]
    pub unit: LengthUnit,
    /// Its points, lines and faces.
    #[serde(default)]
    pub geometry: Geometry,
}

impl Specimen {
    /// Checks it.
    ///
    /// # Errors
    /// The first entry that is not allowed, with what is.
    pub fn check(&self) -> Result<(), Refusal> {
        for (field, what, text) in [("kind", "the kind", &self.kind), ("serial", "the serial number", &self.serial)] {
            if text.chars().count() > LONGEST_LINE || text.chars().any(char::is_control) {
                let says = format!("{what} must be one line of up to {LONGEST_LINE} characters");
                return Err(Refusal::new(field, says));
            }
        }
        if self.remarks.chars().count() > LONGEST_REMARKS {
            return Err(Refusal::new("remarks", format!("remarks must be up to {LONGEST_REMARKS} characters long")));
        }
        self.geometry.check()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_written_before_there_was_a_geometry_is_an_empty_specimen() {
        assert_eq!(serde_json::from_str::<Specimen>("{}").unwrap(), Specimen::default());
    }

    #[test]
    fn lines_stay_lines() {
        let says = |change: &dyn Fn(&mut Specimen)| {
            let mut s = Specimen::default();
            change(&mut s);
            s.check().unwrap_err().says
        };
        assert!(says(&|s| s.serial = "12\n13".into()).contains("one line"));
        assert!(says(&|s| s.kind = "x".repeat(201)).contains("200 characters"));
        assert!(says(&|s| s.remarks = "x".repeat(20_001)).contains("20000 characters"));
        assert!(says(&|s| s.geometry.lines.push(vec!["1".into()])).contains("two or more"));
    }
}
