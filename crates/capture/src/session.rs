//! From arming to the end: triggers watched, takes cut, every recorder served.

use crate::lane::Lane;
use crate::whole_takes::Teller;
use echo_job::Refusal;
use echo_job::plan::{Keeps, Plan, RecorderPlan};
use echo_job::rig::Rig;
use echo_job::trigger::{Detector, Fired, Take, Takes};

/// A recorder in a session.
pub struct Track {
    /// The recorder's plan.
    pub plan: RecorderPlan,
    /// Its way through.
    pub lane: Lane,
}

/// What goes on between arming and the end. Samples count from the first one it got.
pub struct Session {
    tracks: Vec<Track>,
    /// Tells takes with their samples.
    teller: Option<Teller>,
    detector: Option<Detector>,
    /// Place and scale to SI of the detector's inputs among the columns.
    watched: Vec<(usize, f64)>,
    scratch: Vec<Vec<f64>>,
    takes: Takes,
    /// Number of the first sample by the link's count.
    origin: Option<u64>,
    next: u64,
    next_sequence: u64,
    current: Option<Take>,
    /// Waits for triggers even when nothing is kept.
    armed: bool,
    by_hand: bool,
    /// Samples kept from before a trigger.
    pre: u64,
    /// Blocks lost so far.
    pub lost_blocks: u64,
    locked: bool,
    fired: Vec<Fired>,
}

impl Session {
    /// A session of these recorders, before its first sample. `columns` are the inputs in the order
    /// blocks bring them.
    ///
    /// # Errors
    /// A trigger that does not fit the rig.
    pub fn new(rig: &Rig, plan: &Plan, columns: &[u16], tracks: Vec<Track>, armed: bool) -> Result<Session, Refusal> {
        let rate = plan.sample_rate_hz;
        let by_hand = plan.start.by_hand();
        let detector = match by_hand {
            true => None,
            false => Some(Detector::new(&plan.start, &plan.tachos, rig, rate)?),
        };
        let watched = detector
            .iter()
            .flat_map(|d| d.inputs())
            .map(|input| {
                let place = columns.iter().position(|c| c == input).unwrap_or(0);
                let scale = rig.channel(*input).map_or(f64::NAN, |c| c.full_scale_si());
                (place, scale / f64::from(echo_link::FULL_SCALE))
            })
            .collect::<Vec<_>>();
        let samples = |s: f64| (s * rate).round() as u64;
        let most = if by_hand { Some(1) } else { plan.start.takes };
        let mut session = Session {
            scratch: vec![Vec::new(); watched.len()],
            takes: Takes::new(samples(plan.start.pre_s), plan.samples(), samples(plan.start.hold_off_s), most),
            tracks,
            teller: None,
            detector,
            watched,
            origin: None,
            next: 0,
            next_sequence: 0,
            current: None,
            armed,
            by_hand,
            pre: samples(plan.start.pre_s),
            lost_blocks: 0,
            locked: true,
            fired: Vec::new(),
        };
        for t in session.tracks.iter_mut().filter(|t| t.plan.keeps == Keeps::Everything) {
            t.lane.open(0, None);
        }
        Ok(session)
    }

    /// Has its takes told with their samples.
    #[must_use]
    pub(crate) fn telling(mut self, teller: Teller) -> Session {
        self.teller = Some(teller);
        self
    }

    /// Its recorders.
    pub fn tracks(&self) -> &[Track] {
        &self.tracks
    }

    /// Samples so far.
    pub fn samples(&self) -> u64 {
        self.next
    }

    /// Samples held from before a trigger that may come.
    pub fn pre_filled(&self) -> u64 {
        self.pre.min(self.next)
    }

    /// Takes made, the last of them first sample to last.
    pub fn takes(&self) -> (u32, Option<&Take>) {
        (self.takes.made(), self.current.as_ref())
    }

    /// Whether a take is going, or a recorder that was started by hand.
    pub fn recording(&self) -> bool {
        let take = self.current.as_ref().is_some_and(|t| t.to.is_none_or(|to| to > self.next));
        take || self.tracks.iter().any(|t| t.plan.keeps != Keeps::Everything && t.lane.busy())
    }

    /// Begins a take now, as if a trigger had come.
    pub fn fire(&mut self, says: &str) {
        let fired = Fired { sample: self.next, condition: 0, says: says.into() };
        self.begin(&fired);
    }

    fn begin(&mut self, fired: &Fired) {
        let Some(take) = self.takes.fired(fired, 0) else { return };
        for t in self.tracks.iter_mut().filter(|t| t.plan.keeps == Keeps::Takes) {
            t.lane.open(take.from, take.to);
            // A run that is one take needs no list of them.
            if !self.by_hand || (self.pre > 0 && t.plan.segment_s.is_none()) {
                t.lane.take(take.number, take.trigger, take.from, take.to, &take.says);
            }
        }
        if let Some(t) = &mut self.teller {
            t.begin(&take);
        }
        self.current = Some(take);
    }

    /// Starts one recorder by hand.
    pub fn start(&mut self, name: &str) -> bool {
        let now = self.next;
        let found = self.tracks.iter_mut().find(|t| t.plan.name == name);
        found.map(|t| t.lane.open(now, None)).is_some()
    }

    /// Stops one recorder by hand.
    pub fn stop(&mut self, name: &str) -> bool {
        let now = self.next;
        let found = self.tracks.iter_mut().find(|t| t.plan.name == name);
        found.map(|t| t.lane.close(now)).is_some()
    }

    /// Sets a mark now, in every recorder's run.
    pub fn mark(&self, says: &str, who: &str) {
        for t in &self.tracks {
            t.lane.recorder().mark(t.lane.sample(self.next), says, who);
        }
    }

    /// Takes a block: its sequence, its first sample by the link's count, counts and over-range
    /// flags. Tells why the session has ended, if it has.
    pub fn push(
        &mut self,
        sequence: u64,
        first_sample: u64,
        counts: &[Vec<i32>],
        over: &[bool],
        locked: bool,
    ) -> Option<&'static str> {
        let origin = *self.origin.get_or_insert_with(|| {
            self.next_sequence = sequence;
            first_sample
        });
        let at = first_sample.saturating_sub(origin);
        if at > self.next {
            self.lost_blocks += sequence.saturating_sub(self.next_sequence).max(1);
            for t in &mut self.tracks {
                t.lane.lose(at);
            }
            if let Some(d) = &mut self.detector {
                d.interrupt(at);
            }
            self.next = at;
        }
        self.next_sequence = sequence + 1;
        if locked != self.locked {
            self.locked = locked;
            self.mark(if locked { "clocks together again" } else { "clocks not together from here" }, "front end");
        }
        if let Some(d) = &mut self.detector {
            for ((place, scale), to) in self.watched.iter().zip(&mut self.scratch) {
                to.clear();
                to.extend(counts[*place].iter().map(|c| f64::from(*c) * scale));
            }
            let columns: Vec<&[f64]> = self.scratch.iter().map(Vec::as_slice).collect();
            let mut fired = std::mem::take(&mut self.fired);
            d.push(&columns, &mut fired);
            for f in fired.drain(..) {
                self.begin(&f);
            }
            self.fired = fired;
        }
        for t in &mut self.tracks {
            t.lane.push(at, counts, over);
        }
        if let Some(t) = &mut self.teller {
            t.push(at, counts, over);
        }
        self.next = at + counts.first().map_or(0, Vec::len) as u64;
        self.ended()
    }

    fn ended(&self) -> Option<&'static str> {
        let kept = |t: &Track| t.plan.keeps == Keeps::Everything || !t.lane.busy();
        let over = self.current.as_ref().is_some_and(|t| t.to.is_some_and(|to| to <= self.next));
        if self.takes.full() && over && self.tracks.iter().all(kept) {
            let one = self.by_hand;
            return Some(if one { "the planned length was reached" } else { "all planned takes are made" });
        }
        let nothing = self.by_hand && !self.armed && self.current.is_none();
        (nothing && self.next > 0 && self.tracks.iter().all(kept)).then_some("every recorder was stopped")
    }

    /// Ends all runs.
    pub fn end(mut self, whole: bool, because: &str) {
        for mut t in std::mem::take(&mut self.tracks) {
            t.lane.close(self.next);
            t.lane.sort_out();
            let drop_empty = self.may_be_empty(&t);
            t.lane.end(whole, because, drop_empty);
        }
    }

    /// Whether a run of this recorder that kept nothing is no run: it only waited.
    fn may_be_empty(&self, t: &Track) -> bool {
        self.armed || t.plan.keeps != Keeps::Takes || !self.by_hand || self.current.is_none()
    }

    /// Whether it has only waited so far: ended now, it leaves nothing.
    pub fn only_waited(&self) -> bool {
        !self.recording() && self.tracks.iter().all(|t| t.lane.recorder().kept() == 0 && self.may_be_empty(t))
    }
}
