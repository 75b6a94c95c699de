//! What somebody may do: each role may do all that the one before it may.

use crate::Refusal;
use serde::{Deserialize, Serialize};
use std::fmt;
use std::str::FromStr;
use utoipa::ToSchema;

/// What somebody may do.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Role {
    /// See everything, change nothing.
    Watch,
    /// Change campaigns: rig, plan, results, reports.
    Work,
    /// Arm, record, drive outputs.
    Measure,
    /// Say who may do what; remove campaigns for good.
    Own,
}

impl Role {
    /// Every role, the one that may least first.
    pub const ALL: [Role; 4] = [Role::Watch, Role::Work, Role::Measure, Role::Own];

    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Role::Watch => "watch",
            Role::Work => "work",
            Role::Measure => "measure",
            Role::Own => "own",
        }
    }
}

impl fmt::Display for Role {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.word())
    }
}

impl FromStr for Role {
    type Err = Refusal;

    fn from_str(text: &str) -> Result<Role, Refusal> {
        let found = Role::ALL.into_iter().find(|r| r.word() == text);
        found.ok_or_else(|| Refusal::new("role", format!("a role is watch, work, measure or own, not “{text}”")))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn roles_ascend_and_are_read_by_their_words() {
        assert!(Role::ALL.windows(2).all(|w| w[0] < w[1]));
        for role in Role::ALL {
            assert_eq!(role.word().parse::<Role>().unwrap(), role);
            assert_eq!(serde_json::to_value(role).unwrap(), role.word());
        }
        assert!("admin".parse::<Role>().unwrap_err().says.contains("watch, work, measure or own"));
    }
}
