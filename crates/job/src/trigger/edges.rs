//! The state machine of each condition: sample by sample, with nothing but the past.

use super::condition::{Edge, Way};

/// A level crossed with hysteresis. Needs to have been on the other side first.
#[derive(Debug, Clone)]
pub(super) struct LevelEdge {
    pub level: f64,
    pub hysteresis: f64,
    pub edge: Edge,
    /// Has been far enough below, above.
    armed: (bool, bool),
}

impl LevelEdge {
    pub fn new(level: f64, hysteresis: f64, edge: Edge) -> LevelEdge {
        LevelEdge { level, hysteresis, edge, armed: (false, false) }
    }

    pub fn step(&mut self, x: f64) -> bool {
        let height = x - self.level;
        let mut fires = false;
        if height >= 0.0 {
            fires |= self.armed.0 && self.edge != Edge::Falling;
            self.armed.0 = false;
        }
        if height <= 0.0 {
            fires |= self.armed.1 && self.edge != Edge::Rising;
            self.armed.1 = false;
        }
        self.armed.0 |= height < 0.0 && height <= -self.hysteresis;
        self.armed.1 |= height > 0.0 && height >= self.hysteresis;
        fires
    }

    pub fn forget(&mut self) {
        self.armed = (false, false);
    }
}

/// A band left or entered: fires when the side changes.
#[derive(Debug, Clone)]
pub(super) struct BandEdge {
    pub low: f64,
    pub high: f64,
    pub way: Way,
    inside: Option<bool>,
}

impl BandEdge {
    pub fn new(low: f64, high: f64, way: Way) -> BandEdge {
        BandEdge { low, high, way, inside: None }
    }

    pub fn step(&mut self, x: f64) -> bool {
        let inside = (self.low..=self.high).contains(&x);
        let changed = self.inside.replace(inside).is_some_and(|was| was != inside);
        changed && inside == (self.way == Way::Entering)
    }

    pub fn forget(&mut self) {
        self.inside = None;
    }
}

/// A logic signal; between low and high nothing changes.
#[derive(Debug, Clone)]
pub(super) struct LogicEdge {
    pub edge: Edge,
    high: Option<bool>,
}

impl LogicEdge {
    /// Largest low and smallest high voltage (TTL).
    const LOW_HIGH_V: (f64, f64) = (0.8, 2.0);

    pub fn new(edge: Edge) -> LogicEdge {
        LogicEdge { edge, high: None }
    }

    pub fn step(&mut self, volts: f64) -> bool {
        let now = if volts <= Self::LOW_HIGH_V.0 {
            false
        } else if volts >= Self::LOW_HIGH_V.1 {
            true
        } else {
            return false;
        };
        let changed = self.high.replace(now).is_some_and(|was| was != now);
        changed && (self.edge == Edge::Either || now == (self.edge == Edge::Rising))
    }

    pub fn forget(&mut self) {
        self.high = None;
    }
}

/// Magnitudes that reach a limit; again only after all have fallen back.
#[derive(Debug, Clone, Default)]
pub(super) struct Reached {
    over: bool,
}

impl Reached {
    /// Share of the limit they must fall below before it counts again.
    pub const BACK: f64 = 0.8;

    /// `share`: the largest magnitude as a share of its limit.
    pub fn step(&mut self, share: f64) -> bool {
        if share >= 1.0 {
            !std::mem::replace(&mut self.over, true)
        } else {
            self.over &= share >= Self::BACK;
            false
        }
    }
}

/// A speed window, entered or stepped through.
#[derive(Debug, Clone)]
pub(super) struct SpeedWindow {
    pub from_rpm: f64,
    pub to_rpm: f64,
    pub every_rpm: Option<f64>,
    /// Speed at the last trigger inside.
    last: Option<f64>,
}

impl SpeedWindow {
    pub fn new(from_rpm: f64, to_rpm: f64, every_rpm: Option<f64>) -> SpeedWindow {
        SpeedWindow { from_rpm, to_rpm, every_rpm, last: None }
    }

    pub fn step(&mut self, rpm: f64) -> bool {
        if !(self.from_rpm..=self.to_rpm).contains(&rpm) {
            if self.every_rpm.is_none() {
                self.last = None;
            }
            return false;
        }
        let fires = match (self.last, self.every_rpm) {
            (None, _) => true,
            (Some(last), Some(step)) => (rpm - last).abs() >= step,
            (Some(_), None) => false,
        };
        if fires {
            self.last = Some(rpm);
        }
        fires
    }

    pub fn forget(&mut self) {
        self.last = None;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn fires(mut step: impl FnMut(f64) -> bool, xs: &[f64]) -> Vec<usize> {
        xs.iter().enumerate().filter(|(_, x)| step(**x)).map(|(i, _)| i).collect()
    }

    #[test]
    fn a_level_needs_to_have_been_below() {
        let xs = [5.0, 0.0, 3.0, 2.5, 3.0, 1.0, 4.0, -9.0];
        let of = |h, e| LevelEdge::new(3.0, h, e);
        assert_eq!(fires(|x| of(0.0, Edge::Rising).step(x), &xs), [] as [usize; 0], "each begins anew");
        let mut e = of(1.0, Edge::Rising);
        assert_eq!(fires(|x| e.step(x), &xs), [2, 6], "2.5 is not far enough below");
        let mut e = of(0.0, Edge::Rising);
        assert_eq!(fires(|x| e.step(x), &xs), [2, 4, 6]);
        let mut e = of(1.0, Edge::Falling);
        assert_eq!(fires(|x| e.step(x), &xs), [1, 7], "from 5 and from 4, not from 3");
        let mut e = of(1.0, Edge::Either);
        assert_eq!(fires(|x| e.step(x), &xs), [1, 2, 6, 7]);
        e.forget();
        assert!(!e.step(5.0), "after a gap nothing is known");
    }

    #[test]
    fn bands_logic_and_limits() {
        let xs = [0.0, 2.0, 0.5, -3.0, -2.0];
        let mut out = BandEdge::new(-1.0, 1.0, Way::Leaving);
        assert_eq!(fires(|x| out.step(x), &xs), [1, 3]);
        let mut into = BandEdge::new(-1.0, 1.0, Way::Entering);
        assert_eq!(fires(|x| into.step(x), &xs), [2]);
        let volts = [0.0, 1.5, 2.4, 1.5, 2.4, 0.2, 5.0];
        let mut up = LogicEdge::new(Edge::Rising);
        assert_eq!(fires(|x| up.step(x), &volts), [2, 6], "a dip to 1.5 V is no change");
        let mut both = LogicEdge::new(Edge::Either);
        assert_eq!(fires(|x| both.step(x), &volts), [2, 5, 6]);
        let mut reached = Reached::default();
        assert_eq!(fires(|x| reached.step(x), &[0.5, 1.0, 0.9, 1.2, 0.7, 1.0]), [1, 5]);
    }

    #[test]
    fn speeds_are_stepped_through_both_ways() {
        let rpm = [500.0, 1000.0, 1040.0, 1100.0, 1210.0, 2500.0, 1180.0, 1050.0];
        let mut steps = SpeedWindow::new(1000.0, 2000.0, Some(100.0));
        assert_eq!(fires(|x| steps.step(x), &rpm), [1, 3, 4, 7]);
        let mut entry = SpeedWindow::new(1000.0, 2000.0, None);
        assert_eq!(fires(|x| entry.step(x), &rpm), [1, 6]);
    }
}
