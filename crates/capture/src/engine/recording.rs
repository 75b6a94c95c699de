//! Arming, recording, ending.

use super::handle::{CaptureError, refuse};
use super::{Engine, Recording, Writing};
use crate::recorder::Recorder;
use crate::state::{CaptureState, Ended, LinkState, Progress};
use crate::system::Together;
use chrono::Utc;
use echo_link::FULL_SCALE;
use echo_store::run::NewRun;
use std::sync::atomic::Ordering;

impl Engine {
    pub(super) async fn ready(&mut self) -> Result<(), CaptureError> {
        if self.recording.is_some() {
            return refuse("a run is being recorded already");
        }
        if self.writing.is_some() {
            return refuse("the last run is still being written; wait until it is stored");
        }
        let Some(setup) = &self.setup else { return refuse("no campaign is chosen; choose one first") };
        if setup.rig.active().next().is_none() {
            return refuse("no channel is on; switch one on in the rig");
        }
        let Some(link) = &self.link else {
            return refuse("no front end is connected; check its power and its cable, or set its address");
        };
        setup.rig.check(Some(link.front_end())).map_err(|e| CaptureError(e.says))?;
        setup.plan.check(Some(link.front_end())).map_err(|e| CaptureError(e.says))?;
        self.apply().await?;
        self.store.ping().await.map_err(|e| CaptureError(format!("{e}; recording cannot start, nothing would be kept")))
    }

    pub(super) async fn arm(&mut self) -> Result<(), CaptureError> {
        self.ready().await?;
        self.status.send_modify(|s| s.capture = CaptureState::Armed);
        Ok(())
    }

    pub(super) async fn record(&mut self) -> Result<(), CaptureError> {
        self.ready().await?;
        let (Some(setup), Some(link)) = (&self.setup, &self.link) else { return refuse("no front end is connected") };
        let channels = setup.rig.active().count();
        let new = NewRun {
            campaign: setup.campaign,
            kind: setup.plan.run_kind.clone(),
            sample_rate_hz: setup.plan.sample_rate_hz,
            clean_share: link.front_end().clean_share,
            front_end: format!("{}, serial {}", link.front_end().model, link.front_end().serial),
            rig: setup.rig.clone(),
            plan: setup.plan.clone(),
            volts_per_count: setup.rig.active().map(|c| c.range_v / f64::from(FULL_SCALE)).collect(),
        };
        let planned = setup.plan.samples();
        let run = self.store.open_run(&new).await.map_err(|e| CaptureError(format!("{e}; recording cannot start")))?;
        let (recorder, held, done) = Recorder::start(self.store.clone(), run.id, channels, new.sample_rate_hz, planned);
        let progress = Progress {
            run_id: run.id,
            number: run.number,
            since: Utc::now(),
            sample_rate_hz: new.sample_rate_hz,
            channels,
            samples: 0,
            planned,
            lost_blocks: 0,
            held_bytes: 0,
            store_away: false,
        };
        self.recording = Some(Recording { recorder, held, done, progress: progress.clone() });
        self.status.send_modify(|s| {
            s.ended = None;
            s.capture = CaptureState::Recording(progress);
        });
        Ok(())
    }

    pub(super) fn take(&mut self, block: &Together) {
        block.counts_into(&mut self.counts);
        self.live.push(&block.over, &self.counts);
        self.status.send_if_modified(|s| match &mut s.link {
            LinkState::Connected { clock_locked, .. } if *clock_locked != block.clock_locked => {
                *clock_locked = block.clock_locked;
                true
            }
            _ => false,
        });
        let Some(r) = &mut self.recording else { return };
        let reached = r.recorder.push(block.sequence, block.first_sample, &self.counts, &block.over);
        r.progress.samples = r.recorder.samples();
        r.progress.lost_blocks = r.recorder.lost_blocks;
        r.progress.held_bytes = r.held.bytes.load(Ordering::Relaxed);
        r.progress.store_away = r.held.away.load(Ordering::Relaxed);
        let progress = r.progress.clone();
        let full = progress.held_bytes > self.options.hold_bytes;
        self.status.send_modify(|s| s.capture = CaptureState::Recording(progress));
        if reached {
            self.end_recording(true, "the planned length was reached");
        } else if full {
            self.end_recording(false, "the database was away longer than memory could hold samples");
        }
    }

    pub(super) fn end_recording(&mut self, whole: bool, because: &str) {
        let Some(r) = self.recording.take() else { return };
        let lost_blocks = r.recorder.lost_blocks;
        r.recorder.finish(whole, because);
        let ended = Ended {
            run_id: r.progress.run_id,
            number: r.progress.number,
            whole,
            because: because.into(),
            lost_blocks,
            at: Utc::now(),
        };
        let progress = r.progress;
        self.writing = Some(Writing { done: r.done });
        self.status.send_modify(|s| {
            s.ended = Some(ended);
            s.capture = CaptureState::Writing(progress);
        });
    }
}
