//! A recording goes on in the front end while the link is away, and is moved over when it is back.
//!
//! Blocks come again from the first one missed, in their order, so that triggers, takes, recorders
//! and pictures need not know that there was a break.

use super::{Engine, Recording};
use crate::link_client::ClientError;
use crate::state::{LinkState, OwnStore};
use chrono::{TimeDelta, Utc};
use echo_link::Settings;
use std::time::Duration;
use tokio::time::Instant;

/// How long a link is waited for at most, however much the front end can keep.
const LONGEST: f64 = 600.0;

/// What is needed to go on.
pub(super) struct Away {
    starts: Vec<u64>,
    from: u64,
    settings: Settings,
    until: Instant,
    says: String,
}

impl Recording {
    /// Notes that a block of so many samples came; what the front end kept is moved over once it is level.
    pub(super) fn moved_over(&mut self, samples: usize) {
        let Some(own) = &mut self.own_store else { return };
        own.moved += 1;
        own.moved_s += samples as f64 / self.rate_hz;
        if own.of.is_some_and(|of| own.moved >= of) {
            let says = format!("the link broke; {:.1} s before here were moved over from the front end", own.moved_s);
            tracing::info!("{says}");
            self.session.mark(&says, "front end");
            self.own_store = None;
        }
    }
}

impl Engine {
    /// Whether the recording goes on without the link.
    pub(super) fn goes_on_away(&mut self, because: &str) -> bool {
        let starts = self.link.as_ref().and_then(|l| l.starts());
        let (Some(r), Some(system), Some(settings)) = (&mut self.recording, &self.link, &self.applied) else {
            return false;
        };
        let (Some(starts), Some(from)) = (starts, self.next_block) else { return false };
        let keeps_s = system.front_end().keeps_s(settings.rate_hz, settings.inputs.len()).min(LONGEST);
        let says = format!(
            "the link broke ({because}); {} goes on by itself for up to {keeps_s:.0} s, which is moved over when the link is back",
            system.front_end().model
        );
        let until = Utc::now() + TimeDelta::milliseconds((keeps_s * 1000.0) as i64);
        r.own_store = Some(OwnStore { says, until, moved: 0, moved_s: 0.0, of: None });
        self.away = Some(Away {
            starts,
            from,
            settings: settings.clone(),
            until: Instant::now() + Duration::from_secs_f64(keeps_s),
            says: because.into(),
        });
        self.tell();
        true
    }

    /// Goes on where the link broke, if something is going on. Whether it does.
    pub(super) async fn resumed(&mut self) -> bool {
        let (Some(away), Some(system)) = (self.away.take(), &mut self.link) else { return false };
        match system.resume(&away.settings, &away.starts, away.from).await {
            Ok(come_to) => {
                let numbers: Vec<u16> = away.settings.inputs.iter().map(|i| i.number).collect();
                let rate = away.settings.rate_hz;
                self.live.restart(rate, &numbers);
                self.live.keep_whole(true);
                self.applied = Some(away.settings);
                if let Some(own) = self.recording.as_mut().and_then(|r| r.own_store.as_mut()) {
                    own.says = "the link is back; what the front end stored by itself is moved over".into();
                    own.of = Some((come_to - away.from).max(1));
                }
                self.status.send_modify(|s| {
                    if let LinkState::Connected { sample_rate_hz, .. } = &mut s.link {
                        *sample_rate_hz = rate;
                    }
                });
                self.tell();
                true
            }
            Err(ClientError::Refused(says)) => {
                self.broken_off(&format!("the link to the front end broke: {}; {says}", away.says));
                false
            }
            Err(e) => {
                self.away = Some(away);
                self.link = None;
                self.next_try = Instant::now() + Duration::from_millis(500);
                let address = self.address.clone().unwrap_or_default();
                self.status.send_modify(|s| s.link = LinkState::Connecting { address, says: e.to_string() });
                self.still_away();
                true
            }
        }
    }

    /// Gives up once the front end cannot keep any more.
    pub(super) fn still_away(&mut self) {
        if let Some(away) = self.away.take_if(|a| a.until < Instant::now()) {
            self.broken_off(&format!("the link to the front end broke and did not come back in time: {}", away.says));
        }
    }
}
