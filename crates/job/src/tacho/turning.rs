//! A tachometer read sample by sample.

use echo_signal::rotation::live::LiveWheel;

/// A tachometer read sample by sample: the same pulses for any division into blocks.
#[derive(Debug, Clone)]
pub struct Turning {
    /// Place of its input among the samples it is given.
    pub at: usize,
    edge: Edge,
    sample_rate_hz: f64,
    armed: bool,
    last: Option<f64>,
    now: f64,
    wheel: LiveWheel,
}

/// What counts as a pulse, in SI units.
#[derive(Debug, Clone, Copy)]
pub(super) struct Edge {
    /// 1 for a rising edge, −1 for a falling one.
    pub(super) sign: f64,
    /// Level that is crossed.
    pub(super) threshold: f64,
    /// How far back the signal must have been before it counts again.
    pub(super) hysteresis: f64,
}

impl Turning {
    /// Before the first sample of the input at that place.
    pub(super) fn new(at: usize, edge: Edge, sample_rate_hz: f64, wheel: LiveWheel) -> Turning {
        Turning { at, edge, sample_rate_hz, armed: false, last: None, now: 0.0, wheel }
    }

    /// Takes a sample; tells whether a pulse came.
    pub fn step(&mut self, x: f64) -> bool {
        let height = self.edge.sign * (x - self.edge.threshold);
        let mut came = false;
        if height >= 0.0 {
            if self.armed
                && let Some(last) = self.last
            {
                self.wheel.push((self.now - height / (height - last)) / self.sample_rate_hz);
                came = true;
            }
            self.armed = false;
        } else if height < -self.edge.hysteresis || self.edge.hysteresis == 0.0 {
            self.armed = true;
        }
        self.last = Some(height);
        self.now += 1.0;
        came
    }

    /// Speed over the last whole turn, rpm; none before there was one.
    pub fn rpm(&self) -> Option<f64> {
        self.wheel.speed().map(|turns| 60.0 * turns)
    }

    /// Angle after the mark (with a gap, the first tooth after it; else the first pulse), degrees from 0 to
    /// below 360, going on at the speed of the last turn; none before there was one, or when pulses have
    /// stayed away for a whole turn.
    pub fn angle_deg(&self) -> Option<f64> {
        let (time, angle) = self.wheel.newest()?;
        // The sample that was taken last stands one before `now`.
        let since = ((self.now - 1.0) / self.sample_rate_hz - time) * self.wheel.speed()?;
        (since < 1.0).then(|| 360.0 * (angle + since).rem_euclid(1.0))
    }

    /// The next sample does not follow the last one.
    pub fn forget(&mut self) {
        self.armed = false;
        self.last = None;
        self.wheel.forget();
    }
}
