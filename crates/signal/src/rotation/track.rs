//! Pulses matched to the places of a wheel, one after the other.
//!
//! A handful of readings is followed at once. In each, the angle goes on with an acceleration that
//! hardly changes (a Kalman filter over angle, speed and acceleration), and every pulse either
//! stands at one of the next places, perhaps after places without their pulse, or is one too many.
//! A reading costs what its pulses are improbable, so that a pulse that fits badly now may be
//! explained by what comes later; the cheapest reading is the answer, and where the next best one
//! counts otherwise and is nearly as cheap, the count is in doubt. Source: Bar-Shalom, Li & Kirubarajan,
//! "Estimation with Applications to Tracking and Navigation" (2001), ch. 5 and 6 (filter, noise);
//! Forney, "The Viterbi algorithm", Proc. IEEE 61 (1973).

use super::places::Places;
use std::f64::consts::TAU;

/// Cost (−2 ln of the probability) of a place without its pulse; more in a row are one event.
const MISSED: f64 = 10.6;
const MISSED_MORE: f64 = 4.0;
const MISSED_MOST: f64 = 40.0;
/// Cost of a pulse too many, against the density of one that is due.
const EXTRA: f64 = 10.6;
/// Cost and variance, squared places, of a pulse that came early or late.
const OFF: f64 = 9.2;
const OFF_VARIANCE: f64 = 0.0225;
/// Unrest of a place on which the acceleration changes at once; it costs as much as [`OFF`].
const JERK: f64 = 0.3;
/// Readings this much dearer than the cheapest are given up.
const HOPELESS: f64 = 40.0;
/// Share of the speed a place's acceleration makes up that may come or go with it.
const STARTING: f64 = 0.5;
/// Unrest that a slow wheel is allowed at most.
const SLOWEST_UNREST: f64 = 0.5;
/// Steps of readings that are kept before what they agree on is put down.
const FULL: usize = 1 << 14;
/// Readings followed at once.
const BEAM: usize = 24;
/// Readings cheaper than this above the best put the count in doubt: odds of a hundred to one.
const DOUBTFUL: f64 = 9.2;

/// How smoothly the wheel turns and how well its pulses are timed.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Noise {
    /// Change of acceleration from place to place, as share of speed² (in places), at `speed`.
    pub unrest: f64,
    /// Speed that was found at, places a second. What swings with time, not with angle, changes more
    /// from place to place where the wheel is slower.
    pub speed: f64,
    /// Standard deviation of a pulse from its place, places.
    pub scatter: f64,
    /// Time from sample to sample, s; 0 where times are exact.
    pub resolution_s: f64,
}

/// What became of a pulse.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Fate {
    /// It stands at a place after this many that came without a pulse. `off` is how far from where it
    /// was due, in places, beyond what is not known of where that is.
    At { place: i64, missed: u32, off: f64 },
    /// It is one too many.
    Extra,
}

#[derive(Debug, Clone, Copy)]
struct Node {
    parent: u32,
    fate: Fate,
}

const NONE: u32 = u32::MAX;

/// One reading of the pulses so far.
#[derive(Debug, Clone)]
struct Reading {
    cost: f64,
    place: i64,
    /// Number and time of the pulse that stands there.
    carried: u64,
    at: f64,
    /// Angle, speed, acceleration, in places and seconds.
    x: [f64; 3],
    /// Their covariance: 00, 01, 02, 11, 12, 22.
    p: [f64; 6],
    node: u32,
}

impl Reading {
    /// State and covariance at a later time, with an unrest of `least` or more.
    fn later(&self, t: f64, noise: &Noise, least: f64) -> State {
        let d = t - self.at;
        let h = 0.5 * d * d;
        let [a, v, w] = self.x;
        let [p00, p01, p02, p11, p12, p22] = self.p;
        // Rows of F·P, then ·Fᵀ.
        let (r00, r01, r02) = (p00 + d * p01 + h * p02, p01 + d * p11 + h * p12, p02 + d * p12 + h * p22);
        let (r11, r12) = (p11 + d * p12, p12 + d * p22);
        // The time scale in which the motion may change: that of a place, or of starting from rest.
        let pace = v.abs().max(w.abs().sqrt()).max(0.2 / d.max(1e-300));
        // Near rest the acceleration itself begins and ends.
        let starting = if w == 0.0 { 0.0 } else { (STARTING * w.abs() / (v * v)).min(1.0) };
        let slower = (noise.speed / pace).max(1.0);
        let unrest = (noise.unrest * slower * slower.sqrt()).min(SLOWEST_UNREST.max(noise.unrest));
        let q = (unrest + starting).max(least).powi(2) * pace.powi(5);
        let d2 = d * d;
        let d3 = d2 * d;
        (
            [a + d * v + h * w, v + d * w, w],
            [
                r00 + d * r01 + h * r02 + q * d3 * d2 / 20.0,
                r01 + d * r02 + q * d2 * d2 / 8.0,
                r02 + q * d3 / 6.0,
                r11 + d * r12 + q * d3 / 3.0,
                r12 + q * d2 / 2.0,
                p22 + q * d,
            ],
        )
    }
}

/// Angle, speed and acceleration, and their covariance.
type State = ([f64; 3], [f64; 6]);

/// Takes in that the angle was `x[0] + innovation`.
fn corrected((x, p): State, innovation: f64, variance: f64) -> State {
    let s = p[0] + variance;
    let g = [p[0] / s, p[1] / s, p[2] / s];
    (
        [x[0] + g[0] * innovation, x[1] + g[1] * innovation, x[2] + g[2] * innovation],
        [
            p[0] - g[0] * p[0],
            p[1] - g[0] * p[1],
            p[2] - g[0] * p[2],
            p[3] - g[1] * p[1],
            p[4] - g[1] * p[2],
            p[5] - g[2] * p[2],
        ],
    )
}

/// Where a reading could go with the next pulse.
struct Branch {
    /// The acceleration changed at once on the way.
    jerked: bool,
    cost: f64,
    from: usize,
    fate: Fate,
    innovation: f64,
    variance: f64,
}

/// A count that another reading explains nearly as well.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Doubt {
    /// First pulse that the other reading counts otherwise, from the first one taken.
    pub from: usize,
    /// Places by which it differs at the end.
    pub places: i64,
}

/// Follows a wheel pulse by pulse.
#[derive(Debug, Clone)]
pub(super) struct Tracker {
    places: Places,
    noise: Noise,
    readings: Vec<Reading>,
    nodes: Vec<Node>,
    settled: Vec<Fate>,
    /// Pulses taken.
    count: u64,
    /// Nodes at which what all readings agree on is put down.
    full: usize,
    /// Cost that was taken off all readings.
    base: f64,
}

impl Tracker {
    /// Begins at a pulse that stands at one of `starts`, at about `speed` places a second.
    pub fn new(places: Places, noise: Noise, time_s: f64, starts: &[i64], speed: f64) -> Tracker {
        let mut t = Tracker {
            places,
            noise,
            readings: Vec::new(),
            nodes: Vec::new(),
            settled: Vec::new(),
            count: 1,
            full: FULL,
            base: 0.0,
        };
        for place in starts.iter().copied().filter(|k| t.places.is_tooth(*k)) {
            t.nodes.push(Node { parent: NONE, fate: Fate::At { place, missed: 0, off: 0.0 } });
            let scatter = noise.scatter * noise.scatter;
            t.readings.push(Reading {
                cost: 0.0,
                place,
                carried: 0,
                at: time_s,
                x: [t.places.angle(place), speed, 0.0],
                p: [scatter, 0.0, 0.0, (0.3 * speed).powi(2), 0.0, (0.5 * speed * speed).powi(2)],
                node: t.nodes.len() as u32 - 1,
            });
        }
        t
    }

    /// Takes the next pulse.
    pub fn push(&mut self, time_s: f64) {
        let mut branches: Vec<Branch> = Vec::with_capacity(4 * self.readings.len());
        let states: Vec<[State; 2]> =
            self.readings.iter().map(|r| [0.0, JERK].map(|least| r.later(time_s, &self.noise, least))).collect();
        let mut best = f64::INFINITY;
        for (from, state) in states.iter().enumerate() {
            self.branch(from, *state, &mut best, &mut branches);
        }
        branches.sort_by(|a, b| a.cost.total_cmp(&b.cost));
        let limit = best + HOPELESS;
        let mut next: Vec<Reading> = Vec::with_capacity(BEAM);
        // A wheel whose phase is not known yet begins with as many readings as places.
        let most = if self.count <= 3 * self.places.shift.len() as u64 { BEAM + self.places.shift.len() } else { BEAM };
        for b in branches {
            if b.cost > limit || next.len() == most {
                break;
            }
            let old = &self.readings[b.from];
            let (place, carried) = match b.fate {
                Fate::At { place, .. } => (place, self.count),
                Fate::Extra => (old.place, old.carried),
            };
            // The cheapest reading with the same place for the same pulse is enough.
            if next.iter().any(|r| r.place == place && r.carried == carried) {
                continue;
            }
            self.nodes.push(Node { parent: old.node, fate: b.fate });
            let node = self.nodes.len() as u32 - 1;
            next.push(match b.fate {
                Fate::At { .. } => {
                    let (x, p) = corrected(states[b.from][usize::from(b.jerked)], b.innovation, b.variance);
                    Reading { cost: b.cost, place, carried, at: time_s, x, p, node }
                }
                Fate::Extra => Reading { cost: b.cost, node, ..old.clone() },
            });
        }
        self.count += 1;
        self.readings = next;
        if self.nodes.len() > self.full {
            self.settle();
        }
    }

    /// Where a reading could go, but for what is already hopeless beside the best.
    fn branch(&self, from: usize, [(x, p), (_, loose)]: [State; 2], best: &mut f64, out: &mut Vec<Branch>) {
        let r = &self.readings[from];
        *best = best.min(r.cost + EXTRA);
        out.push(Branch {
            jerked: false,
            cost: r.cost + EXTRA,
            from,
            fate: Fate::Extra,
            innovation: 0.0,
            variance: 0.0,
        });
        let own = self.noise.scatter.powi(2) + (0.29 * self.noise.resolution_s * x[1]).powi(2);
        let spread = (p[0] + own).sqrt();
        let reach = (4.0 * spread + 1.0).min(6.0);
        let first = ((x[0] - reach).ceil() as i64).max(r.place + 1);
        let last = ((x[0] + reach).floor() as i64).max(first);
        let mut taken = 0;
        for k in first.. {
            if taken > 0 && k > last {
                break;
            }
            if !self.places.is_tooth(k) {
                continue;
            }
            taken += 1;
            let innovation = self.places.angle(k) - x[0];
            let missed = self.places.between(r.place, k);
            let gone = if missed == 0 { 0.0 } else { (MISSED + MISSED_MORE * f64::from(missed - 1)).min(MISSED_MOST) };
            // As usual, early or late beyond its scatter, or with another acceleration: whichever is more
            // likely.
            let price = |known: f64, variance: f64| {
                let s = known + variance;
                innovation * innovation / s + (TAU * s).ln()
            };
            let ways = [
                (price(p[0], own), own, false),
                (OFF + price(p[0], own + OFF_VARIANCE), own + OFF_VARIANCE, false),
                (OFF + price(loose[0], own), own, true),
            ];
            let Some((cost, variance, jerked)) = ways.into_iter().min_by(|a, b| a.0.total_cmp(&b.0)) else { continue };
            let cost = r.cost + gone + cost;
            if cost > *best + HOPELESS {
                continue;
            }
            *best = best.min(cost);
            let known = if jerked { loose[0] } else { p[0] };
            let off = (innovation.abs() - 2.0 * known.sqrt()).max(0.0).copysign(innovation);
            let fate = Fate::At { place: k, missed, off };
            out.push(Branch { jerked, cost, from, fate, innovation, variance });
        }
    }

    /// Cost of the best reading from the first pulse on.
    pub fn total(&self) -> f64 {
        self.base + self.readings.first().map_or(f64::INFINITY, |r| r.cost)
    }

    /// What became of the last pulse, in the best reading.
    pub fn newest(&self) -> Option<Fate> {
        self.readings.first().map(|r| self.nodes[r.node as usize].fate)
    }

    /// Angle of a place, in places.
    pub fn angle(&self, place: i64) -> f64 {
        self.places.angle(place)
    }

    fn path(&self, r: &Reading) -> Vec<Fate> {
        let (mut at, mut path) = (r.node, Vec::new());
        while at != NONE {
            path.push(self.nodes[at as usize].fate);
            at = self.nodes[at as usize].parent;
        }
        path.reverse();
        path
    }

    /// Puts down what all readings agree on, and forgets how they came to it.
    fn settle(&mut self) {
        // Costs count from the best, so that they never grow out of their digits.
        let Some(best) = self.readings.first() else { return };
        let base = best.cost;
        let mut paths: Vec<Vec<Fate>> = self.readings.iter().map(|r| self.path(r)).collect();
        let mut shared = paths[0].len() - 1;
        for p in &paths[1..] {
            shared = p.iter().zip(&paths[0]).take(shared).take_while(|(a, b)| same(a, b)).count();
        }
        self.settled.extend(&paths[0][..shared]);
        self.nodes.clear();
        for (r, path) in self.readings.iter_mut().zip(&mut paths) {
            let mut parent = NONE;
            for fate in path.drain(shared..) {
                self.nodes.push(Node { parent, fate });
                parent = self.nodes.len() as u32 - 1;
            }
            r.node = parent;
            r.cost -= base;
        }
        self.base += base;
        self.full = FULL.max(2 * self.nodes.len());
    }

    /// Forgets what is settled: for those who follow live and look only at the newest.
    pub fn forget_settled(&mut self) {
        self.settled.clear();
    }

    /// What became of every pulse, the first one included, and where another count is nearly as likely.
    pub fn finish(mut self) -> (Vec<Fate>, Vec<Doubt>) {
        let Some(best) = self.readings.first() else { return (Vec::new(), Vec::new()) };
        let path = self.path(best);
        let mut doubts: Vec<Doubt> = Vec::new();
        for r in self.readings[1..].iter().filter(|r| r.place != best.place && r.cost < best.cost + DOUBTFUL) {
            let other = self.path(r);
            let from = path.iter().zip(&other).take_while(|(a, b)| same(a, b)).count();
            let doubt = Doubt { from: self.settled.len() + from, places: r.place - best.place };
            if doubts.iter().all(|d| d.places != doubt.places) {
                doubts.push(doubt);
            }
        }
        self.settled.extend(path);
        (self.settled, doubts)
    }
}

/// Whether two readings put a pulse at the same place.
fn same(a: &Fate, b: &Fate) -> bool {
    match (a, b) {
        (Fate::At { place: a, .. }, Fate::At { place: b, .. }) => a == b,
        (Fate::Extra, Fate::Extra) => true,
        _ => false,
    }
}
