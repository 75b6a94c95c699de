//! Arming, recording, ending.

use super::handle::{CaptureError, OrderTo, refuse};
use super::{Engine, Kept, Recording, Writing};
use crate::lane::{FINER, Lane};
use crate::recorder::Recorder;
use crate::session::{Session, Track};
use crate::state::{CaptureState, Ended, LinkState, Progress, RecorderProgress};
use crate::system::Together;
use crate::whole_takes::Teller;
use chrono::Utc;
use echo_link::FULL_SCALE;
use echo_signal::resample::PASS_SHARE;
use echo_store::run::NewRun;
use std::sync::atomic::Ordering;
use std::time::Duration;
use tokio::time::Instant;

/// How often the room on the disk is looked at.
const ROOM: Duration = Duration::from_secs(1);

/// How long the first word of a recording to the store may take.
const NOTED: Duration = Duration::from_millis(500);

impl Engine {
    async fn ready(&mut self) -> Result<(), CaptureError> {
        if self.recording.is_some() {
            return refuse("a run is armed or recorded already");
        }
        if self.lent.is_some() {
            return refuse("a dry run or a round has the front end; wait until it has ended");
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
        let (rig, plan) = (&setup.rig, &setup.plan);
        rig.check(Some(link.front_end())).map_err(|e| CaptureError(e.says))?;
        plan.check(Some(link.front_end())).map_err(|e| CaptureError(e.says))?;
        plan.check_with(rig).map_err(|e| CaptureError(e.says))?;
        if let Some(free) = self.options.room.as_ref().and_then(|r| r()) {
            let usable = free.saturating_sub(self.options.keep_free_bytes);
            let sums = plan.sums(rig, link.front_end().clean_share, Some(usable));
            if usable == 0 || sums.size_bytes.is_some_and(|s| s > usable as f64) {
                return refuse(format!(
                    "the disk has room for {:.1} GB and this takes {:.1} GB; make room, or plan less",
                    usable as f64 / 1e9,
                    sums.size_bytes.unwrap_or(0.0) / 1e9
                ));
            }
        }
        self.apply().await?;
        self.store.ping().await.map_err(|e| CaptureError(format!("{e}; recording cannot start, nothing would be kept")))
    }

    pub(super) async fn arm(&mut self) -> Result<(), CaptureError> {
        self.begin(true).await
    }

    pub(super) async fn record(&mut self) -> Result<(), CaptureError> {
        if self.recording.is_none() {
            self.begin(false).await?;
        } else if !matches!(self.status.borrow().capture, CaptureState::Armed(_)) {
            return refuse("a run is being recorded already");
        }
        if let Some(r) = &mut self.recording {
            r.session.fire("Record");
            // From here on a crash leaves a row that says so; a store that is away is told of it later.
            for k in &r.kept {
                let _ = tokio::time::timeout(NOTED, self.store.begin_run(k.run)).await;
            }
        }
        self.tell();
        Ok(())
    }

    /// Starts or stops one recorder; the first start begins a session.
    pub(super) async fn one_recorder(&mut self, name: &str, to: OrderTo) -> Result<(), CaptureError> {
        let known = self.setup.iter().flat_map(|s| s.plan.recorders()).map(|r| r.name).collect::<Vec<_>>();
        if !known.iter().any(|k| k == name) {
            return refuse(format!("there is no recorder “{name}”; there are {}", known.join(", ")));
        }
        if to == OrderTo::Start && self.recording.is_none() {
            self.begin(false).await?;
        }
        let Some(r) = &mut self.recording else { return refuse(format!("recorder {name} is not going")) };
        let going = r.session.tracks().iter().any(|t| t.plan.name == name && t.lane.busy());
        match (to, going) {
            (OrderTo::Start, false) => r.session.start(name),
            (OrderTo::Stop, true) => r.session.stop(name),
            (OrderTo::Start, true) => return refuse(format!("recorder {name} is going already")),
            (OrderTo::Stop, false) => return refuse(format!("recorder {name} is not going")),
        };
        self.tell();
        Ok(())
    }

    pub(super) fn mark(&mut self, says: &str, who: &str) -> Result<(), CaptureError> {
        let Some(r) = &self.recording else { return refuse("nothing is armed or recorded; a mark needs a run") };
        r.session.mark(says, who);
        Ok(())
    }

    async fn begin(&mut self, armed: bool) -> Result<(), CaptureError> {
        self.ready().await?;
        let (Some(setup), Some(link)) = (&self.setup, &self.link) else { return refuse("no front end is connected") };
        let (rig, plan) = (&setup.rig, &setup.plan);
        let columns: Vec<u16> = rig.active().map(|c| c.input).collect();
        let pre = (plan.start.pre_s * plan.sample_rate_hz).round() as u64;
        let recorders = plan.recorders();
        let (mut tracks, mut kept): (Vec<Track>, Vec<Kept>) = (Vec::new(), Vec::new());
        for r in &recorders {
            let rows: Vec<_> = r.channels(rig).cloned().collect();
            let rate = plan.sample_rate_hz / f64::from(r.divide);
            let finer = if r.divide == 1 { 1.0 } else { f64::from(FINER) };
            let named = recorders.len() > 1;
            let new = NewRun {
                campaign: setup.campaign,
                kind: match named {
                    true => [plan.run_kind.as_str(), r.name.as_str()].join(" ").trim().to_string(),
                    false => plan.run_kind.clone(),
                },
                sample_rate_hz: rate,
                clean_share: if r.divide == 1 { link.front_end().clean_share } else { PASS_SHARE / 2.0 },
                front_end: format!("{}, serial {}", link.front_end().model, link.front_end().serial),
                rig: rig.clone(),
                plan: plan.clone(),
                recorder: if named { r.name.clone() } else { String::new() },
                together: kept.first().map(|k: &Kept| k.run),
                divide: r.divide,
                who: self.who.clone(),
                brought: None,
                channels: rows.iter().map(|c| (c.clone(), c.range_output() / f64::from(FULL_SCALE) / finer)).collect(),
            };
            let opened = self.store.open_run(&new).await;
            let run = match opened {
                Ok(run) => run,
                Err(e) => {
                    for k in &kept {
                        let _ = self.store.delete_run(k.run).await;
                    }
                    return Err(CaptureError(format!("{e}; recording cannot start")));
                }
            };
            let places = rows.iter().filter_map(|c| columns.iter().position(|i| *i == c.input)).collect();
            let (recorder, held, done) = Recorder::start(self.store.clone(), run.id, rows.len(), rate);
            let segment = r.segment_s.map(|s| ((s * rate).round() as u64).max(1));
            tracks.push(Track { plan: r.clone(), lane: Lane::new(places, r.divide, pre, segment, recorder) });
            kept.push(Kept { run: run.id, number: run.number, held, done });
        }
        let session = Session::new(rig, plan, &columns, tracks, armed).map_err(|e| CaptureError(e.says))?;
        let teller =
            kept.first().map(|k| Teller::new(self.takes.clone(), k.run, plan.sample_rate_hz, columns.clone(), pre));
        let session = match teller {
            Some(teller) => session.telling(teller),
            None => session,
        };
        self.recording = Some(Recording {
            who: self.who.clone(),
            session,
            kept,
            since: Utc::now(),
            waits_for: plan.start.says(rig),
            rate_hz: plan.sample_rate_hz,
            channels: columns.len(),
            planned: plan.samples().map(|n| n + if armed { pre } else { 0 }),
            pre_s: plan.start.pre_s,
            takes_planned: if plan.start.by_hand() { Some(1) } else { plan.start.takes },
            next_room: Instant::now() + ROOM,
            own_store: None,
        });
        self.live.keep_whole(true);
        self.status.send_modify(|s| s.ended = None);
        self.tell();
        Ok(())
    }

    /// Shows how far the recording is.
    pub(super) fn tell(&mut self) {
        let Some(r) = &self.recording else { return };
        let progress = r.progress();
        let state = match r.session.recording() {
            true => CaptureState::Recording(progress),
            false => CaptureState::Armed(progress),
        };
        self.status.send_modify(|s| s.capture = state);
    }

    pub(super) fn take(&mut self, block: &Together) {
        block.counts_into(&mut self.counts);
        self.live.push((&block.over, &block.circuits), &self.counts);
        let rate = self.applied.as_ref().map_or(f64::INFINITY, |a| a.rate_hz);
        // Half a sample is where blocks would no longer belong together.
        let locked = block.clock_locked && block.apart_ns as f64 * rate / 1e9 < 0.5;
        self.status.send_if_modified(|s| match &mut s.link {
            LinkState::Connected { clock_locked, .. } if *clock_locked != locked => {
                *clock_locked = locked;
                true
            }
            _ => false,
        });
        self.next_block = Some(block.sequence + 1);
        let Some(r) = &mut self.recording else { return };
        r.moved_over(self.counts.first().map_or(0, Vec::len));
        let ended = r.session.push(block.sequence, block.first_sample, &self.counts, &block.over, locked);
        let held: u64 = r.kept.iter().map(|k| k.held.bytes.load(Ordering::Relaxed)).sum();
        let full = r.kept.iter().any(|k| k.held.full.load(Ordering::Relaxed));
        let broken = r.kept.iter().find_map(|k| k.held.broken.get().cloned());
        let mut crowded = false;
        if r.next_room <= Instant::now() {
            r.next_room = Instant::now() + ROOM;
            let free = self.options.room.as_ref().and_then(|room| room());
            crowded = free.is_some_and(|f| f < self.options.keep_free_bytes);
        }
        self.tell();
        if let Some(because) = ended {
            self.end_recording(true, because);
        } else if let Some(says) = broken {
            self.end_recording(false, &format!("{says}; everything up to there is kept"));
        } else if full || crowded {
            self.end_recording(false, "the disk is full; everything up to here is kept");
        } else if held > self.options.hold_bytes {
            self.end_recording(false, "the database was away longer than memory could hold samples");
        }
    }

    pub(super) fn end_recording(&mut self, whole: bool, because: &str) {
        let Some(r) = self.recording.take() else { return };
        self.away = None;
        self.live.keep_whole(false);
        let progress = r.progress();
        let ended = Ended {
            run_id: progress.run_id,
            number: progress.number,
            whole,
            because: because.into(),
            lost_blocks: progress.lost_blocks,
            takes: progress.takes,
            at: Utc::now(),
        };
        let only_waited = r.session.only_waited();
        r.session.end(whole, because);
        let done = r.kept.into_iter().map(|k| k.done).collect();
        self.writing = Some(Writing { done });
        self.status.send_modify(|s| {
            s.ended = (!only_waited).then_some(ended);
            s.capture = CaptureState::Writing(progress);
        });
    }
}

impl Recording {
    fn progress(&self) -> Progress {
        let (takes, current) = self.session.takes();
        let first = self.kept.first();
        let sum = |of: fn(&Kept) -> u64| self.kept.iter().map(of).sum::<u64>();
        let now = self.session.samples();
        let samples = match current {
            Some(t) => now.min(t.to.unwrap_or(u64::MAX)).saturating_sub(t.from),
            None => now,
        };
        Progress {
            who: self.who.clone(),
            run_id: first.map_or(0, |k| k.run),
            number: first.map_or(0, |k| k.number),
            since: self.since,
            sample_rate_hz: self.rate_hz,
            channels: self.channels,
            samples,
            elapsed_samples: now,
            planned: self.planned,
            waits_for: self.waits_for.clone(),
            pre_s: self.pre_s,
            pre_filled_s: self.session.pre_filled() as f64 / self.rate_hz,
            takes,
            takes_planned: self.takes_planned,
            last_trigger: current.map(|t| t.says.clone()),
            lost_blocks: self.session.lost_blocks,
            held_bytes: sum(|k| k.held.bytes.load(Ordering::Relaxed)),
            store_away: self.kept.iter().any(|k| k.held.away.load(Ordering::Relaxed)),
            own_store: self.own_store.clone(),
            packing_s: sum(|k| k.held.packing_ns.load(Ordering::Relaxed)) as f64 / 1e9,
            writing_s: sum(|k| k.held.writing_ns.load(Ordering::Relaxed)) as f64 / 1e9,
            written_bytes: sum(|k| k.held.written.load(Ordering::Relaxed)),
            recorders: self
                .session
                .tracks()
                .iter()
                .zip(&self.kept)
                .map(|(t, k)| RecorderProgress {
                    name: t.plan.name.clone(),
                    run_id: k.run,
                    number: k.number,
                    sample_rate_hz: self.rate_hz / f64::from(t.plan.divide),
                    samples: t.lane.recorder().kept(),
                    going: t.lane.busy(),
                })
                .collect(),
        }
    }
}
