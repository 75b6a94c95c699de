//! A damped oscillator of unit mass, stepped exactly for a force that is straight between samples.

use std::f64::consts::TAU;

/// One mode: q'' + 2ζωq' + ω²q = f.
#[derive(Debug, Clone)]
pub struct Resonator {
    omega: f64,
    zeta: f64,
    /// State transition over one step.
    a: [[f64; 2]; 2],
    /// Effect of the force at the start and at the end of the step.
    b: [[f64; 2]; 2],
    state: [f64; 2],
    last: f64,
}

impl Resonator {
    /// A mode at `frequency_hz` with damping ratio `zeta`, stepped at `rate_hz`.
    pub fn new(frequency_hz: f64, zeta: f64, rate_hz: f64) -> Self {
        let (omega, dt) = (TAU * frequency_hz, 1.0 / rate_hz);
        // d/dτ of (q, q', f, Δf) over one step of length 1, with f running linearly.
        let m = [
            [0.0, dt, 0.0, 0.0],
            [-omega * omega * dt, -2.0 * zeta * omega * dt, dt, 0.0],
            [0.0, 0.0, 0.0, 1.0],
            [0.0; 4],
        ];
        let e = exponential(m);
        Resonator {
            omega,
            zeta,
            a: [[e[0][0], e[0][1]], [e[1][0], e[1][1]]],
            b: [[e[0][2] - e[0][3], e[1][2] - e[1][3]], [e[0][3], e[1][3]]],
            state: [0.0; 2],
            last: 0.0,
        }
    }

    /// Steps to the next sample, where the force is `force`.
    pub fn step(&mut self, force: f64) {
        let [q, v] = self.state;
        let [b0, b1] = self.b;
        self.state = [
            self.a[0][0] * q + self.a[0][1] * v + b0[0] * self.last + b1[0] * force,
            self.a[1][0] * q + self.a[1][1] * v + b0[1] * self.last + b1[1] * force,
        ];
        self.last = force;
    }

    /// Adds a sudden change of velocity.
    pub fn kick(&mut self, velocity: f64) {
        self.state[1] += velocity;
    }

    /// Displacement now.
    pub fn displacement(&self) -> f64 {
        self.state[0]
    }

    /// Velocity now.
    pub fn velocity(&self) -> f64 {
        self.state[1]
    }

    /// Comes to rest where it all but is: numbers too small for the processor's usual ways are slow.
    pub fn rest(&mut self) {
        if self.state.iter().all(|x| x.abs() < 1e-40) {
            self.state = [0.0; 2];
        }
    }

    /// Acceleration now.
    pub fn acceleration(&self) -> f64 {
        self.last - 2.0 * self.zeta * self.omega * self.state[1] - self.omega * self.omega * self.state[0]
    }

    /// Displacement a unit force at `omega` (rad/s) makes, as (real, imaginary): closed form.
    pub fn receptance(&self, omega: f64) -> (f64, f64) {
        let re = self.omega * self.omega - omega * omega;
        let im = 2.0 * self.zeta * self.omega * omega;
        let d = re * re + im * im;
        (re / d, -im / d)
    }
}

/// Exponential of a small matrix by its series, halved until the series is short.
fn exponential(m: [[f64; 4]; 4]) -> [[f64; 4]; 4] {
    let halvings = 12;
    let scale = f64::from(1 << halvings);
    let small = m.map(|row| row.map(|x| x / scale));
    let mut sum = identity();
    let mut term = identity();
    for k in 1..12 {
        term = product(&term, &small).map(|row| row.map(|x| x / f64::from(k)));
        for (s, t) in sum.iter_mut().flatten().zip(term.iter().flatten()) {
            *s += t;
        }
    }
    for _ in 0..halvings {
        sum = product(&sum, &sum);
    }
    sum
}

fn identity() -> [[f64; 4]; 4] {
    std::array::from_fn(|i| std::array::from_fn(|j| if i == j { 1.0 } else { 0.0 }))
}

fn product(a: &[[f64; 4]; 4], b: &[[f64; 4]; 4]) -> [[f64; 4]; 4] {
    std::array::from_fn(|i| std::array::from_fn(|j| (0..4).map(|k| a[i][k] * b[k][j]).sum()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_driven_mode_follows_the_closed_form() {
        let rate = 102_400.0;
        for (frequency, drive) in [(18.4, 44.83), (41.3, 41.3), (4200.0, 582.0)] {
            let mut r = Resonator::new(frequency, 0.02, rate);
            let omega = TAU * drive;
            let n = (12.0 / (0.02 * TAU * frequency) * rate) as usize;
            let (mut s, mut c) = (0.0, 0.0);
            let turns = (drive * 0.5).ceil();
            let window = (turns / drive * rate).round() as usize;
            for i in 0..n + window {
                let t = (i + 1) as f64 / rate;
                r.step((omega * t).cos());
                if i >= n {
                    c += r.displacement() * (omega * t).cos();
                    s -= r.displacement() * (omega * t).sin();
                }
            }
            let (re, im) = r.receptance(omega);
            let got = (2.0 * c / window as f64).hypot(2.0 * s / window as f64);
            assert!((got / re.hypot(im) - 1.0).abs() < 3e-3, "{frequency} Hz: {got}");
        }
    }
}
