//! Incremental encoders: quadrature signals, wrapping counters, index.
//!
//! Source: IEC 60469 for edges; the state table of two tracks a quarter period apart.

use crate::error::{Result, argument};

/// Edges counted a period of a track.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Multiple {
    /// Rising edges of the first track.
    X1,
    /// Both edges of the first track.
    X2,
    /// All edges of both tracks.
    X4,
}

impl Multiple {
    /// Counts a period.
    pub fn counts(self) -> u32 {
        match self {
            Multiple::X1 => 1,
            Multiple::X2 => 2,
            Multiple::X4 => 4,
        }
    }
}

/// Decodes two tracks; the same counts for any division of the input into calls.
#[derive(Debug, Clone)]
pub struct Quadrature {
    multiple: Multiple,
    reset_at_index: bool,
    /// Last state of both tracks and the index.
    last: Option<(bool, bool, bool)>,
    /// Position in quarters of a period.
    quarters: i64,
    count: i64,
    errors: u64,
}

impl Quadrature {
    /// A decoder at 0. With `reset_at_index` each rising edge of the index sets the count to 0.
    pub fn new(multiple: Multiple, reset_at_index: bool) -> Quadrature {
        Quadrature { multiple, reset_at_index, last: None, quarters: 0, count: 0, errors: 0 }
    }

    /// Takes the state of both tracks and the index at the next sample; gives the count. The first
    /// track leading counts up.
    pub fn step(&mut self, a: bool, b: bool, index: bool) -> i64 {
        if let Some((was_a, was_b, was_index)) = self.last {
            // Gray code in the order of a forward turn: 00 → 10 → 11 → 01.
            let place = |a: bool, b: bool| match (a, b) {
                (false, false) => 0i64,
                (true, false) => 1,
                (true, true) => 2,
                (false, true) => 3,
            };
            let moved = (place(a, b) - place(was_a, was_b)).rem_euclid(4);
            let step = match moved {
                1 => 1,
                3 => -1,
                0 => 0,
                // Both tracks changed at once: the direction cannot be known.
                _ => {
                    self.errors += 1;
                    0
                }
            };
            self.quarters += step;
            self.count += match self.multiple {
                Multiple::X4 => step,
                Multiple::X2 if a != was_a => step,
                Multiple::X1 if a != was_a && a == (step > 0) && step != 0 && !b => step,
                _ => 0,
            };
            if self.reset_at_index && index && !was_index {
                (self.count, self.quarters) = (0, 0);
            }
        }
        self.last = Some((a, b, index));
        self.count
    }

    /// Count now.
    pub fn count(&self) -> i64 {
        self.count
    }

    /// Samples at which both tracks changed at once: too fast for the sample rate, or a fault.
    pub fn errors(&self) -> u64 {
        self.errors
    }
}

/// Degrees of a count; `wrap` brings it into 0 to below 360.
pub fn degrees(count: i64, counts_per_rev: u32, wrap: bool) -> f64 {
    let per_rev = i64::from(counts_per_rev.max(1));
    let count = if wrap { count.rem_euclid(per_rev) } else { count };
    count as f64 * 360.0 / per_rev as f64
}

/// Undoes the wrap of an unsigned counter of `bits` bits.
#[derive(Debug, Clone)]
pub struct Unwrapper {
    modulus: u128,
    last: Option<u64>,
    total: i64,
}

impl Unwrapper {
    /// An unwrapper before the first reading.
    ///
    /// # Errors
    /// `bits` outside 1 to 64.
    pub fn new(bits: u32) -> Result<Unwrapper> {
        if !(1..=64).contains(&bits) {
            return Err(argument("counter bits", bits, "1 to 64"));
        }
        Ok(Unwrapper { modulus: 1u128 << bits, last: None, total: 0 })
    }

    /// Takes a reading and gives the count from the first one on, which is 0. Between two readings
    /// the counter must have moved by less than half its range.
    ///
    /// # Errors
    /// A reading that does not fit the bits.
    pub fn push(&mut self, reading: u64) -> Result<i64> {
        if u128::from(reading) >= self.modulus {
            return Err(argument("counter reading", reading, format!("below {}", self.modulus)));
        }
        if let Some(last) = self.last {
            let forward = (u128::from(reading) + self.modulus - u128::from(last)) % self.modulus;
            let moved =
                if forward * 2 < self.modulus { forward as i128 } else { forward as i128 - self.modulus as i128 };
            self.total = self.total.wrapping_add(moved as i64);
        }
        self.last = Some(reading);
        Ok(self.total)
    }
}
