//! Rainflow counting of cycles.
//!
//! Source: ASTM E1049-85, 5.4.4; what is left at the end counts as half cycles as the standard has
//! it, is closed by repeating the history (Amzallag et al., Int. J. Fatigue 16 (1994)), or is left
//! out.

use crate::error::{Result, argument, check_finite};

/// A counted cycle.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Cycle {
    /// Highest less lowest value.
    pub range: f64,
    /// Middle between both.
    pub mean: f64,
    /// 1, or 0.5 for half a cycle.
    pub count: f64,
}

/// What becomes of the ranges that never closed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Residue {
    /// Each counts as half a cycle.
    Half,
    /// The residue is followed by itself, as if the history were repeated; what closes counts.
    Repeat,
    /// Nothing is counted.
    Ignore,
}

/// Counts as samples come; the same cycles for any division of the input into calls.
#[derive(Debug, Clone)]
pub struct Rainflow {
    hysteresis: f64,
    /// Turning points not yet paired; ranges grow up to the middle of the list, then shrink.
    stack: Vec<f64>,
    /// Highest or lowest value since the last turning point.
    extreme: f64,
    /// 1 rising, −1 falling, 0 before the first move.
    direction: i8,
    started: bool,
}

impl Rainflow {
    /// A counter that passes over reversals of `hysteresis` or less.
    ///
    /// # Errors
    /// A hysteresis below zero or not finite.
    pub fn new(hysteresis: f64) -> Result<Rainflow> {
        if !(hysteresis.is_finite() && hysteresis >= 0.0) {
            return Err(argument("hysteresis", hysteresis, "0 or more"));
        }
        Ok(Rainflow { hysteresis, stack: Vec::new(), extreme: 0.0, direction: 0, started: false })
    }

    /// Adds samples, in order, and hands cycles that close to `sink`.
    ///
    /// # Errors
    /// A sample that is not finite; nothing of that call is added.
    pub fn push(&mut self, samples: &[f64], sink: &mut impl FnMut(Cycle)) -> Result<()> {
        check_finite(samples)?;
        let mut rest = samples;
        if !self.started
            && let Some((first, more)) = samples.split_first()
        {
            self.stack.push(*first);
            self.extreme = *first;
            self.started = true;
            rest = more;
        }
        for &x in rest {
            match self.direction {
                1 => {
                    if x >= self.extreme {
                        self.extreme = x;
                    } else if self.extreme - x > self.hysteresis {
                        let turn = self.extreme;
                        (self.extreme, self.direction) = (x, -1);
                        self.turn(turn, sink);
                    }
                }
                -1 => {
                    if x <= self.extreme {
                        self.extreme = x;
                    } else if x - self.extreme > self.hysteresis {
                        let turn = self.extreme;
                        (self.extreme, self.direction) = (x, 1);
                        self.turn(turn, sink);
                    }
                }
                _ => {
                    let start = self.stack[0];
                    if (x - start).abs() > self.hysteresis {
                        self.direction = if x > start { 1 } else { -1 };
                        self.extreme = x;
                    }
                }
            }
        }
        Ok(())
    }

    #[inline]
    fn turn(&mut self, point: f64, sink: &mut impl FnMut(Cycle)) {
        self.stack.push(point);
        close(&mut self.stack, sink);
    }

    /// Counts what is left. The counter itself can go on.
    pub fn finish(&self, residue: Residue, sink: &mut impl FnMut(Cycle)) {
        let mut left = self.stack.clone();
        if self.direction != 0 {
            left.push(self.extreme);
            close(&mut left, sink);
        }
        match residue {
            Residue::Ignore => {}
            Residue::Half => left.windows(2).for_each(|w| sink(cycle(w[0], w[1], 0.5))),
            Residue::Repeat => {
                let mut stack: Vec<f64> = Vec::new();
                for &p in left.iter().chain(&left) {
                    match stack[..] {
                        [.., last] if last == p => continue,
                        // Where the two histories meet, a point may be no turn.
                        [.., a, b] if (b - a) * (p - b) > 0.0 => {
                            stack.pop();
                        }
                        _ => {}
                    }
                    stack.push(p);
                    close(&mut stack, sink);
                }
            }
        }
    }
}

fn cycle(a: f64, b: f64, count: f64) -> Cycle {
    Cycle { range: (a - b).abs(), mean: 0.5 * (a + b), count }
}

/// Takes off cycles that are enclosed by both their neighbours.
#[inline]
fn close(stack: &mut Vec<f64>, sink: &mut impl FnMut(Cycle)) {
    while let [.., w, a, b, x] = stack[..] {
        let inner = (b - a).abs();
        if inner > (x - b).abs() || inner > (a - w).abs() {
            return;
        }
        sink(cycle(a, b, 1.0));
        stack.truncate(stack.len() - 3);
        stack.push(x);
    }
}

/// All cycles of a whole history.
///
/// # Errors
/// As [`Rainflow`].
pub fn rainflow(samples: &[f64], hysteresis: f64, residue: Residue) -> Result<Vec<Cycle>> {
    let mut counter = Rainflow::new(hysteresis)?;
    let mut cycles = Vec::new();
    counter.push(samples, &mut |c| cycles.push(c))?;
    counter.finish(residue, &mut |c| cycles.push(c));
    Ok(cycles)
}

/// Sum of counts times ranges to the power `exponent`: damage by Miner's rule but for a constant.
pub fn damage_sum(cycles: &[Cycle], exponent: f64) -> f64 {
    cycles.iter().map(|c| c.count * c.range.powf(exponent)).sum()
}
