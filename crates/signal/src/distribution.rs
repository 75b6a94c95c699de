//! How often a signal is where: histogram, time at level, level crossings.
//!
//! Classes are half-open, `[lo, hi)`. Source: ASTM E1049-85, 5.1 (level crossing); Köhler, Jenne,
//! Pötter & Zenner, "Load Assumption for Fatigue Design", ch. 3.

use crate::error::{Result, argument, check_finite};

/// Classes between ascending edges.
#[derive(Debug, Clone, PartialEq)]
pub struct Classes {
    edges: Vec<f64>,
    /// Classes a unit, where they are all of one width.
    even: Option<f64>,
}

/// Most classes accepted.
pub const MOST_CLASSES: usize = 100_000;

impl Classes {
    /// Classes with these edges, one fewer than edges.
    ///
    /// # Errors
    /// Fewer than 2 or too many edges, edges that are not finite or do not ascend.
    pub fn new(edges: Vec<f64>) -> Result<Classes> {
        if edges.len() < 2 || edges.len() > MOST_CLASSES + 1 {
            return Err(argument("edges", format!("{} numbers", edges.len()), format!("2 to {}", MOST_CLASSES + 1)));
        }
        if let Some(i) = edges.windows(2).position(|w| !(w[0] < w[1] && w[0].is_finite() && w[1].is_finite())) {
            return Err(argument(
                "edges",
                format!("{} followed by {}", edges[i], edges[i + 1]),
                "finite numbers in ascending order",
            ));
        }
        let count = (edges.len() - 1) as f64;
        let width = (edges[edges.len() - 1] - edges[0]) / count;
        let is_even = width.is_finite()
            && edges.iter().enumerate().all(|(i, e)| (e - edges[0] - i as f64 * width).abs() < 1e-3 * width);
        Ok(Classes { even: is_even.then_some(1.0 / width), edges })
    }

    /// `count` classes of one width from `from` to `to`.
    ///
    /// # Errors
    /// As [`Classes::new`].
    pub fn even(from: f64, to: f64, count: usize) -> Result<Classes> {
        if count == 0 || count > MOST_CLASSES {
            return Err(argument("classes", count, format!("1 to {MOST_CLASSES}")));
        }
        let step = (to - from) / count as f64;
        Classes::new((0..=count).map(|i| if i == count { to } else { from + i as f64 * step }).collect())
    }

    /// The edges.
    pub fn edges(&self) -> &[f64] {
        &self.edges
    }

    /// Number of classes.
    pub fn count(&self) -> usize {
        self.edges.len() - 1
    }

    /// Middles of the classes.
    pub fn middles(&self) -> Vec<f64> {
        self.edges.windows(2).map(|w| 0.5 * (w[0] + w[1])).collect()
    }

    /// Class a value is in: 0 for below the first edge, 1 to `count` for a class, `count + 1` for
    /// at or above the last edge.
    #[inline]
    pub fn place(&self, x: f64) -> usize {
        let n = self.edges.len();
        match self.even {
            Some(per_unit) => {
                // A guess by division, put right by the edges themselves.
                let guess = ((x - self.edges[0]) * per_unit).clamp(-1.0, n as f64) as isize;
                let mut place = (guess + 1).clamp(0, n as isize) as usize;
                while place < n && x >= self.edges[place] {
                    place += 1;
                }
                while place > 0 && x < self.edges[place - 1] {
                    place -= 1;
                }
                place
            }
            None => self.edges.partition_point(|e| *e <= x),
        }
    }
}

/// Counts of samples in classes.
///
/// Divide by the sample rate for the time at each level. Takes samples in any division.
#[derive(Debug, Clone)]
pub struct Histogram {
    classes: Classes,
    counts: Vec<u64>,
}

impl Histogram {
    /// Empty counts.
    pub fn new(classes: Classes) -> Histogram {
        let counts = vec![0; classes.count() + 2];
        Histogram { classes, counts }
    }

    /// Adds samples.
    ///
    /// # Errors
    /// A sample that is not finite; nothing of that call is added.
    pub fn push(&mut self, samples: &[f64]) -> Result<()> {
        check_finite(samples)?;
        for x in samples {
            self.counts[self.classes.place(*x)] += 1;
        }
        Ok(())
    }

    /// The classes.
    pub fn classes(&self) -> &Classes {
        &self.classes
    }

    /// Counts a class; samples outside the edges are in [`Self::below`] and [`Self::above`].
    pub fn counts(&self) -> &[u64] {
        &self.counts[1..=self.classes.count()]
    }

    /// Samples below the first edge.
    pub fn below(&self) -> u64 {
        self.counts[0]
    }

    /// Samples at or above the last edge.
    pub fn above(&self) -> u64 {
        self.counts[self.classes.count() + 1]
    }

    /// All samples.
    pub fn total(&self) -> u64 {
        self.counts.iter().sum()
    }
}

/// Counts of upward crossings of levels: from below a level to at or above it.
///
/// Takes samples in any division.
#[derive(Debug, Clone)]
pub struct LevelCrossings {
    levels: Classes,
    /// Change of the count from one level to the next.
    steps: Vec<i64>,
    last: Option<usize>,
}

impl LevelCrossings {
    /// Nothing counted yet; the levels are the edges of `levels`.
    pub fn new(levels: Classes) -> LevelCrossings {
        let steps = vec![0; levels.edges.len() + 1];
        LevelCrossings { levels, steps, last: None }
    }

    /// Adds samples, in order.
    ///
    /// # Errors
    /// A sample that is not finite; nothing of that call is added.
    pub fn push(&mut self, samples: &[f64]) -> Result<()> {
        check_finite(samples)?;
        for x in samples {
            let place = self.levels.place(*x);
            if let Some(last) = self.last
                && place > last
            {
                // Levels last … place − 1 were crossed.
                self.steps[last] += 1;
                self.steps[place] -= 1;
            }
            self.last = Some(place);
        }
        Ok(())
    }

    /// Says that the next samples do not follow the last ones.
    pub fn interrupt(&mut self) {
        self.last = None;
    }

    /// Levels in ascending order.
    pub fn levels(&self) -> &[f64] {
        self.levels.edges()
    }

    /// Crossings of each level.
    pub fn counts(&self) -> Vec<u64> {
        self.steps[..self.levels.edges.len()]
            .iter()
            .scan(0i64, |sum, s| {
                *sum += s;
                Some(*sum as u64)
            })
            .collect()
    }
}
