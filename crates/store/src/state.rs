//! Words that stand for where something is, as the database and the page have them.

use echo_job::watch::Zone;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// An enum of words: the same word in the database, in JSON and where it is read.
macro_rules! words {
    ($(#[$doc:meta])* $name:ident { $($(#[$of:meta])* $one:ident => $word:literal),+ $(,)? }) => {
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, sqlx::Type, ToSchema)]
        #[serde(rename_all = "snake_case")]
        #[sqlx(type_name = "text", rename_all = "snake_case")]
        pub enum $name {
            $($(#[$of])* $one,)+
        }

        impl $name {
            /// Its word.
            pub fn word(self) -> &'static str {
                match self {
                    $($name::$one => $word,)+
                }
            }
        }
    };
}

words! {
    /// Where a run is.
    RunState {
        /// Armed or recording.
        Recording => "recording",
        /// Ended as it was meant to.
        Whole => "whole",
        /// Ended before, with what came until then.
        Broken => "broken",
    }
}

words! {
    /// Where a schedule of rounds is.
    ScheduleState {
        /// Its rounds are still to come.
        Going => "going",
        /// All rounds had their turn.
        Done => "done",
        /// Somebody stopped it.
        Stopped => "stopped",
    }
}

words! {
    /// What became of a round.
    RoundState {
        /// It is being recorded.
        Going => "going",
        /// Recorded and measured.
        Done => "done",
        /// It could not begin in time.
        Missed => "missed",
        /// Its recording did not end well.
        Broken => "broken",
    }
}

words! {
    /// Where a part of a job is.
    PartState {
        /// Its turn has not come.
        Waiting => "waiting",
        /// It is being made.
        Going => "going",
        /// It is made.
        Done => "done",
        /// It cannot be made.
        Refused => "refused",
        /// The job was stopped before.
        Stopped => "stopped",
    }
}

words! {
    /// Where a watched quantity went to.
    AlarmZone {
        /// Below all levels.
        Good => "good",
        /// Over the caution.
        Caution => "caution",
        /// Over the limit.
        Limit => "limit",
    }
}

impl From<Zone> for AlarmZone {
    fn from(zone: Zone) -> Self {
        match zone {
            Zone::Good => AlarmZone::Good,
            Zone::Caution => AlarmZone::Caution,
            Zone::Limit => AlarmZone::Limit,
        }
    }
}

words! {
    /// Whose benches.
    Station {
        /// Displays of Run.
        Run => "run",
        /// Lenses of Study.
        Study => "study",
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_word_is_the_same_wherever_it_stands() {
        let all = [
            (serde_json::to_value(RunState::Recording).unwrap(), RunState::Recording.word()),
            (serde_json::to_value(ScheduleState::Stopped).unwrap(), ScheduleState::Stopped.word()),
            (serde_json::to_value(RoundState::Missed).unwrap(), RoundState::Missed.word()),
            (serde_json::to_value(PartState::Refused).unwrap(), PartState::Refused.word()),
            (serde_json::to_value(AlarmZone::Caution).unwrap(), AlarmZone::Caution.word()),
            (serde_json::to_value(Station::Study).unwrap(), Station::Study.word()),
        ];
        for (json, word) in all {
            assert_eq!(json, word);
        }
    }
}
