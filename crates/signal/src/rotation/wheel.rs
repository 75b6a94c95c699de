//! From pulses to angle: wheels with missing teeth, tape with uneven stripes, pulses that are
//! missing or too many.
//!
//! Each pulse is matched to its place on the wheel over the whole record, so that a pulse that is
//! missing or too many turns no later angle, and a gap at the wrong count is a fault, not a mark.
//! Nothing is taken out silently: every pulse stays in the list, with what was thought of it.
//! Source: Janssens et al., "Zebra tape butt joint algorithm for torsional vibrations", Mech. Syst.
//! Signal Process. 25 (2011) for uneven tape.

use super::anchor::Anchor;
use super::curve::AngleCurve;
use super::places::Places;
pub use super::places::Wheel;
use super::track::{Fate, Noise, Tracker};
use crate::error::{Result, SignalError, argument};

/// What is thought of a pulse.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PulseVerdict {
    /// It came when it should.
    Good,
    /// It came after this many places without their pulse, the wheel's own gap not counted.
    AfterMissed(u32),
    /// One too many; the angle passes over it.
    Extra,
    /// It came more than 15 % of an interval early or late.
    Jitter,
}

/// A pulse with its place.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Pulse {
    /// Time, s.
    pub time_s: f64,
    /// Angle in revolutions from the first pulse (with missing teeth: from the first tooth after
    /// a gap, so that earlier ones are negative).
    pub angle_rev: f64,
    /// What is thought of it.
    pub verdict: PulseVerdict,
}

/// A stretch whose angle may be another: a different count of places explains the pulses nearly as
/// well.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct AngleDoubt {
    /// Where it begins, s.
    pub from_s: f64,
    /// Where it ends, s.
    pub to_s: f64,
    /// What the other count would add to the angle, revolutions.
    pub by_rev: f64,
}

/// Pulses of a stretch.
#[derive(Debug, Clone, PartialEq)]
pub struct PulseTrain {
    /// All pulses in order of time.
    pub pulses: Vec<Pulse>,
    /// Where the count may be another.
    pub doubts: Vec<AngleDoubt>,
}

/// Share of an interval by which a pulse may be early or late.
const JITTER: f64 = 0.15;

/// Share of a sample by which a pulse is read wrong at worst, about its mean.
const READ: f64 = 0.6;

/// Rounds in which the places of uneven teeth are learned.
const ROUNDS: usize = 2;

impl PulseTrain {
    /// Gives every pulse its angle. `times_s` ascend; `resolution_s` is the time from sample to
    /// sample of what they were read from, 0 where they are exact: a pulse is not called early or late
    /// for what lies between two samples.
    ///
    /// # Errors
    /// A wheel that cannot be; fewer than 4 pulses, or fewer than three revolutions for uneven
    /// teeth; times that do not ascend.
    pub fn new(times_s: &[f64], wheel: Wheel, resolution_s: f64) -> Result<PulseTrain> {
        wheel.check()?;
        if !(resolution_s.is_finite() && resolution_s >= 0.0) {
            return Err(argument("resolution_s", resolution_s, "0 s or more"));
        }
        if let Some(i) = times_s.windows(2).position(|w| !(w[1] > w[0] && w[0].is_finite() && w[1].is_finite())) {
            return Err(argument("pulse times", format!("{} then {}", times_s[i], times_s[i + 1]), "ascending times"));
        }
        let need = if wheel.uneven { 3 * wheel.teeth() + 1 } else { 4 };
        if times_s.len() < need {
            return Err(SignalError::TooShort { what: "speed from pulses, in pulses,", have: times_s.len(), need });
        }
        let (found, places, _) = matched(times_s, &wheel, resolution_s)?;
        Ok(found.train(times_s, &wheel, &places, resolution_s))
    }

    /// Times and angles of the pulses that carry the angle on.
    pub fn carrying(&self) -> (Vec<f64>, Vec<f64>) {
        self.pulses.iter().filter(|p| p.verdict != PulseVerdict::Extra).map(|p| (p.time_s, p.angle_rev)).unzip()
    }

    /// Pulses with a fault.
    pub fn faults(&self) -> impl Iterator<Item = &Pulse> {
        self.pulses.iter().filter(|p| p.verdict != PulseVerdict::Good)
    }
}

/// Pulses matched to the places of a wheel, with the places as they were learned and the noise they
/// were matched with.
pub(super) fn matched(times: &[f64], wheel: &Wheel, resolution_s: f64) -> Result<(Matched, Places, Noise)> {
    let mut anchor = Anchor::new(times, wheel);
    let mut noise = anchor.noise(times, resolution_s);
    let mut found = Matched::new(times, &anchor, noise);
    if wheel.uneven {
        for _ in 0..ROUNDS {
            found.learn(times, &mut anchor.places)?;
            noise = anchor.noise(times, resolution_s);
            found = Matched::new(times, &anchor, noise);
        }
        found.learn(times, &mut anchor.places)?;
    }
    Ok((found, anchor.places, noise))
}

/// Every pulse with its place, and where places are in doubt.
pub(super) struct Matched {
    /// Place of each pulse and how far it was off, in places; none for one too many.
    pub places: Vec<Option<(i64, f64)>>,
    /// Stretches of pulses and what they would differ by, in places.
    doubts: Vec<(usize, usize, i64)>,
}

impl Matched {
    /// Follows the wheel from its anchor to both ends.
    fn new(times: &[f64], anchor: &Anchor, noise: Noise) -> Matched {
        let at = anchor.at;
        let mut forth = Tracker::new(anchor.places.clone(), noise, times[at], &anchor.starts, anchor.speed);
        times[at + 1..].iter().for_each(|t| forth.push(*t));
        let (fates, doubts) = forth.finish();
        let mut places = vec![None; times.len()];
        let take = |fate: &Fate, sign: i64| match fate {
            Fate::At { place, off, .. } => Some((sign * place, *off)),
            Fate::Extra => None,
        };
        fates.iter().enumerate().for_each(|(i, fate)| places[at + i] = take(fate, 1));
        let last = times.len() - 1;
        let mut found =
            Matched { places, doubts: doubts.iter().map(|d| ((at + d.from).min(last), last, d.places)).collect() };
        // Back from a pulse further on, so that speed and acceleration are known at the anchor.
        let carried: Vec<usize> = (at..=last).filter(|i| found.places[*i].is_some()).take(13).collect();
        let (Some(&first), Some(&from)) = (carried.first(), carried.last()) else { return found };
        let (Some((low, _)), Some((high, _))) = (found.places[first], found.places[from]) else { return found };
        if at == 0 || from == first {
            return found;
        }
        let speed = (anchor.places.angle(high) - anchor.places.angle(low)) / (times[from] - times[first]);
        let mirrored = Places { mirrored: true, ..anchor.places.clone() };
        let mut back = Tracker::new(mirrored, noise, -times[from], &[-high], speed);
        times[..from].iter().rev().for_each(|t| back.push(-t));
        let (fates, doubts) = back.finish();
        for (i, fate) in (0..at).rev().zip(&fates[from - at + 1..]) {
            found.places[i] = take(fate, -1);
        }
        found.doubts.extend(doubts.iter().map(|d| (0, (from.saturating_sub(d.from)).min(at), -d.places)));
        found
    }

    /// Puts each place where its pulses are seen, against the smooth angle through the pulses of the
    /// tooth that came most often, which are whole revolutions apart.
    fn learn(&self, times: &[f64], places: &mut Places) -> Result<()> {
        let count = places.shift.len() as i64;
        let mut seen = vec![0usize; count as usize];
        self.places.iter().flatten().for_each(|(k, _)| seen[k.rem_euclid(count) as usize] += 1);
        let own = (0..seen.len()).max_by_key(|k| seen[*k]).unwrap_or(0) as i64;
        let (t, turns): (Vec<f64>, Vec<f64>) = self
            .places
            .iter()
            .zip(times)
            .filter_map(|(p, t)| {
                p.filter(|(k, _)| k.rem_euclid(count) == own).map(|(k, _)| (*t, k.div_euclid(count) as f64))
            })
            .unzip();
        // Turns are counted from the tooth itself: its own place has the angle 0.
        let turns: Vec<f64> = if t.len() < 3 { return Ok(()) } else { turns.iter().map(|n| n - turns[0]).collect() };
        let curve = AngleCurve::new(&t, &turns, 0.0)?;
        let mut distances: Vec<Vec<f64>> = vec![Vec::new(); count as usize];
        let first = self.places.iter().flatten().find(|(k, _)| k.rem_euclid(count) == own).map_or(0, |(k, _)| *k);
        for ((k, _), time) in self.places.iter().zip(times).filter_map(|(p, t)| p.as_ref().map(|p| (p, t))) {
            let after = t.partition_point(|own| own <= time);
            // Only between two of its pulses that are one revolution apart.
            if after == 0 || after >= t.len() || turns[after] - turns[after - 1] > 1.5 {
                continue;
            }
            let due = (k - first) as f64;
            distances[k.rem_euclid(count) as usize].push(curve.angle_at(*time) * count as f64 - due);
        }
        let base = places.shift[own as usize];
        for (shift, seen) in places.shift.iter_mut().zip(&mut distances) {
            if !shift.is_nan() && !seen.is_empty() {
                let middle = seen.len() / 2;
                *shift = base + *seen.select_nth_unstable_by(middle, f64::total_cmp).1;
            }
        }
        Ok(())
    }

    /// Place of the first pulse that stands at one.
    pub fn first(&self) -> i64 {
        self.places.iter().flatten().next().map_or(0, |(k, _)| *k)
    }

    fn train(&self, times: &[f64], wheel: &Wheel, places: &Places, resolution_s: f64) -> PulseTrain {
        let first = self.first();
        let zero = zero(places, wheel, first);
        let mut last: Option<(i64, f64)> = None;
        let pulses = self
            .places
            .iter()
            .zip(times)
            .map(|(place, &time_s)| {
                let Some((k, off)) = *place else {
                    let k = last.map_or(first, |l| l.0);
                    let angle_rev = (places.angle(k) - zero) / wheel.pulses_per_rev;
                    return Pulse { time_s, angle_rev, verdict: PulseVerdict::Extra };
                };
                let missed = last.map_or(0, |(l, _)| places.between(l, k));
                let verdict = match last {
                    _ if missed > 0 => PulseVerdict::AfterMissed(missed),
                    Some((l, t)) if off.abs() > JITTER + READ * resolution_s * (k - l) as f64 / (time_s - t) => {
                        PulseVerdict::Jitter
                    }
                    _ => PulseVerdict::Good,
                };
                last = Some((k, time_s));
                Pulse { time_s, angle_rev: (places.angle(k) - zero) / wheel.pulses_per_rev, verdict }
            })
            .collect();
        let doubts = self
            .doubts
            .iter()
            .map(|(a, b, by)| AngleDoubt {
                from_s: times[*a],
                to_s: times[*b],
                by_rev: *by as f64 / wheel.pulses_per_rev,
            })
            .collect();
        PulseTrain { pulses, doubts }
    }
}

/// Angle from which a wheel is counted, in places: the first tooth after a gap that was passed, or the
/// first pulse.
pub(super) fn zero(places: &Places, wheel: &Wheel, first: i64) -> f64 {
    let count = places.shift.len() as i64;
    places.angle(if wheel.missing_teeth > 0 { (first.div_euclid(count) + 1) * count } else { first })
}
