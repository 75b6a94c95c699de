//! Where in a record a wheel is best begun to be followed: the stretch in which its pulses are most
//! regular. From there it is followed to both ends, so that a start from rest is met with a speed and
//! an acceleration that are known.

use super::places::{Places, Wheel};
use super::track::{Noise, Tracker};

/// Pulses by which noise is chosen.
const TRIAL: usize = 600;
/// Places up to which every phase of a wheel with a gap is tried.
const ALL_PHASES: usize = 256;

/// A beginning: a pulse, the places it may stand at, and the wheel as far as it is known.
#[derive(Debug, Clone)]
pub(super) struct Anchor {
    pub places: Places,
    /// Number of the pulse.
    pub at: usize,
    /// Places it may stand at.
    pub starts: Vec<i64>,
    /// Places a second there.
    pub speed: f64,
}

/// First of the `width` intervals whose ratio to the one `lag` later varies least.
fn quietest(times: &[f64], lag: usize, width: usize) -> usize {
    let intervals = times.len() - 1;
    if intervals < lag + 2 {
        return 0;
    }
    let ratio = |i: usize| ((times[i + lag + 1] - times[i + lag]) / (times[i + 1] - times[i])).ln();
    let ratios: Vec<f64> = (0..intervals - lag).map(ratio).collect();
    let width = width.clamp(1, ratios.len());
    let spread = |from: usize| {
        let part = &ratios[from..from + width];
        let (low, high) = part.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), x| (a.min(*x), b.max(*x)));
        // A smooth change of speed is allowed for, but a ratio of one is best.
        high - low + 0.5 * (high.abs().max(low.abs()))
    };
    let step = (width / 8).max(1);
    let found = (0..=ratios.len() - width).step_by(step).map(|k| (k, spread(k)));
    found.min_by(|a, b| a.1.total_cmp(&b.1)).map_or(0, |b| b.0)
}

/// Angles of the pulses of a turn from its first, revolutions, as two turns of `teeth` pulses tell
/// them; even where there are not as many.
fn turn(times: &[f64], teeth: usize) -> Vec<f64> {
    if times.len() <= 2 * teeth {
        return (0..teeth).map(|j| j as f64 / teeth as f64).collect();
    }
    // The parabola on which the first tooth's own three pulses lie.
    let (t0, t1, t2) = (times[0], times[teeth], times[2 * teeth]);
    let (first, second) = (1.0 / (t1 - t0), 1.0 / (t2 - t1));
    let bend = (second - first) / (t2 - t0);
    let angle = |t: f64| (t - t0) * (first + (t - t1) * bend);
    (0..teeth).map(|j| 0.5 * (angle(times[j]) + angle(times[j + teeth]) - 1.0)).collect()
}

impl Anchor {
    /// The best beginning in ascending times, of which there are four or more.
    pub fn new(times: &[f64], wheel: &Wheel) -> Anchor {
        let even = wheel.missing_teeth == 0 && !wheel.uneven;
        if even {
            let at = quietest(times, 1, 6);
            let end = (at + 7).min(times.len() - 1);
            let speed = (end - at) as f64 / (times[end] - times[at]);
            return Anchor { places: Places { shift: vec![0.0], mirrored: false }, at, starts: vec![0], speed };
        }
        let count = wheel.pulses_per_rev as usize;
        let teeth = count - wheel.missing_teeth as usize;
        let at = quietest(times, teeth, teeth.max(4)).min(times.len() - 2);
        let end = (at + teeth).min(times.len() - 1);
        let share = (end - at) as f64 / teeth as f64;
        let speed = share * count as f64 / (times[end] - times[at]);
        let mut shift = vec![f64::NAN; count];
        if !wheel.uneven {
            shift[..teeth].fill(0.0);
            let starts = phases(&times[at..], teeth, count);
            return Anchor { places: Places { shift, mirrored: false }, at, starts, speed };
        }
        let angles = turn(&times[at..], teeth);
        // The widest interval is the gap; without one, the first pulse is as good as any.
        let interval = |j: usize| angles.get(j + 1).unwrap_or(&1.0) - angles[j];
        let widest = (0..teeth).max_by(|a, b| interval(*a).total_cmp(&interval(*b))).unwrap_or(0);
        let first = if wheel.missing_teeth == 0 { 0 } else { (widest + 1) % teeth };
        for place in 0..teeth {
            let angle = (angles[(first + place) % teeth] - angles[first]).rem_euclid(1.0);
            shift[place] = angle * count as f64 - place as f64;
        }
        let starts = vec![((teeth - first) % teeth) as i64];
        Anchor { places: Places { shift, mirrored: false }, at, starts, speed }
    }

    /// How smoothly the wheel turns and how well its pulses are timed, by what explains them best.
    pub fn noise(&self, times: &[f64], resolution_s: f64) -> Noise {
        // Towards the end of the record that has more pulses.
        let (stretch, places, sign): (Vec<f64>, _, i64) = if times.len() - self.at > self.at + 1 {
            (times[self.at..].iter().take(TRIAL).copied().collect(), self.places.clone(), 1)
        } else {
            let back = times[..=self.at].iter().rev().take(TRIAL).map(|t| -t).collect();
            (back, Places { mirrored: true, ..self.places.clone() }, -1)
        };
        let starts: Vec<i64> = self.starts.iter().map(|k| sign * k).collect();
        let speed = self.speed;
        let mut best = (f64::INFINITY, Noise { unrest: 0.05, speed, scatter: 0.02, resolution_s });
        for unrest in [0.003, 0.02, 0.1, 0.4] {
            for scatter in [0.001, 0.006, 0.03, 0.09] {
                let noise = Noise { unrest, speed, scatter, resolution_s };
                let mut t = Tracker::new(places.clone(), noise, stretch[0], &starts, self.speed);
                stretch[1..].iter().for_each(|s| t.push(*s));
                if t.total() < best.0 {
                    best = (t.total(), noise);
                }
            }
        }
        best.1
    }
}

/// Places at which the first of some pulses may stand on a wheel with a gap after `teeth` of `count`
/// places.
fn phases(times: &[f64], teeth: usize, count: usize) -> Vec<i64> {
    if count <= ALL_PHASES {
        return (0..teeth as i64).collect();
    }
    let intervals: Vec<f64> = times.windows(2).take(teeth + 1).map(|w| w[1] - w[0]).collect();
    let mut sorted = intervals.clone();
    sorted.sort_by(f64::total_cmp);
    let wide = 1.5 * sorted[sorted.len() / 2];
    // The pulse after a wide interval is the first tooth.
    let found: Vec<i64> = (0..intervals.len())
        .filter(|j| intervals[*j] > wide)
        .map(|j| (teeth as i64 - 1 - j as i64).rem_euclid(teeth as i64))
        .take(ALL_PHASES)
        .collect();
    if found.is_empty() { vec![0] } else { found }
}
