//! Units of formulas: what may be added, and what a product is called.

use crate::Refusal;
use crate::unit::{Quantity, UNITS, find};

/// Powers of m, kg, s and A.
pub type Dimension = [i32; 4];

const NONE: Dimension = [0; 4];
const BASE: [&str; 4] = ["m", "kg", "s", "A"];

/// A unit as formulas know it.
#[derive(Debug, Clone, PartialEq)]
pub struct Of {
    /// Its dimension.
    pub dimension: Dimension,
    /// One of it in SI.
    pub si: f64,
    /// As it is written; empty for a plain number.
    pub symbol: String,
}

fn dimension_of(quantity: Quantity) -> Dimension {
    match quantity {
        Quantity::Acceleration => [1, 0, -2, 0],
        Quantity::Velocity => [1, 0, -1, 0],
        Quantity::Displacement => [1, 0, 0, 0],
        Quantity::Force => [1, 1, -2, 0],
        Quantity::Pressure => [-1, 1, -2, 0],
        Quantity::Strain => NONE,
        Quantity::Voltage => [2, 1, -3, -1],
    }
}

/// Units of time and frequency that a number in a formula may carry.
const TIMES: [(&str, i32, f64); 5] =
    [("s", 1, 1.0), ("ms", 1, 1e-3), ("min", 1, 60.0), ("Hz", -1, 1.0), ("kHz", -1, 1e3)];

impl Of {
    /// A plain number.
    pub fn number() -> Of {
        Of { dimension: NONE, si: 1.0, symbol: String::new() }
    }

    /// A unit by its symbol: those of channels, and times.
    pub fn named(symbol: &str) -> Option<Of> {
        if symbol.is_empty() {
            return Some(Of::number());
        }
        if let Some((s, power, si)) = TIMES.iter().find(|(s, ..)| *s == symbol) {
            return Some(Of { dimension: [0, 0, *power, 0], si: *si, symbol: (*s).into() });
        }
        let unit = find(symbol).ok()?;
        Some(Of { dimension: dimension_of(unit.quantity), si: unit.to_si, symbol: unit.symbol.into() })
    }

    /// All symbols a number may carry, the longest first.
    pub fn symbols() -> Vec<&'static str> {
        let mut all: Vec<&str> = UNITS.iter().map(|u| u.symbol).chain(TIMES.iter().map(|t| t.0)).collect();
        all.sort_by_key(|s| std::cmp::Reverse(s.len()));
        all
    }

    /// Whether this is a number without a unit.
    pub fn is_number(&self) -> bool {
        self.symbol.is_empty() && self.dimension == NONE && self.si == 1.0
    }

    /// The SI unit of a dimension.
    pub fn si(dimension: Dimension) -> Of {
        Of { dimension, si: 1.0, symbol: si_symbol(dimension) }
    }

    /// Whether values of both can be added.
    pub fn fits(&self, other: &Of) -> bool {
        self.dimension == other.dimension
    }

    /// Dimension to a power.
    pub fn raised(&self, power: i32) -> Dimension {
        self.dimension.map(|d| d * power)
    }

    /// Dimension of the square root.
    ///
    /// # Errors
    /// An odd power.
    pub fn root(&self) -> Result<Dimension, Refusal> {
        if self.dimension.iter().any(|d| d % 2 != 0) {
            let says = format!("the root of {} has no unit; allowed: the root of a square", self.said());
            return Err(Refusal::new("math", says));
        }
        Ok(self.dimension.map(|d| d / 2))
    }

    /// For a sentence.
    pub fn said(&self) -> &str {
        if self.symbol.is_empty() { "a number without a unit" } else { &self.symbol }
    }
}

/// Sum of two dimensions; `sign` −1 for a quotient.
pub fn joined(a: &Of, b: &Of, sign: i32) -> Dimension {
    std::array::from_fn(|i| a.dimension[i] + sign * b.dimension[i])
}

fn raised_symbol(base: &str, power: i32) -> String {
    const DIGITS: [char; 10] = ['⁰', '¹', '²', '³', '⁴', '⁵', '⁶', '⁷', '⁸', '⁹'];
    if power == 1 {
        return base.into();
    }
    let digits: String = power.to_string().bytes().map(|b| DIGITS[usize::from(b - b'0')]).collect();
    format!("{base}{digits}")
}

/// The name of an SI unit: that of a quantity, the square of one, or powers of the base units.
fn si_symbol(d: Dimension) -> String {
    if d == NONE {
        return String::new();
    }
    let known = |wanted: Dimension| {
        UNITS.iter().find(|u| u.to_si == 1.0 && u.quantity != Quantity::Strain && dimension_of(u.quantity) == wanted)
    };
    if let Some(u) = known(d) {
        return u.symbol.into();
    }
    if d.iter().all(|p| p % 2 == 0)
        && let Some(u) = known(d.map(|p| p / 2))
    {
        return format!("{}²", crate::unit::grouped(u.symbol));
    }
    if d == [0, 0, -1, 0] {
        return "Hz".into();
    }
    let powers = |sign: i32| -> Vec<String> {
        let some = d.iter().zip(BASE).filter(|(p, _)| **p * sign > 0);
        some.map(|(p, base)| raised_symbol(base, p.abs())).collect()
    };
    let (above, below) = (powers(1), powers(-1));
    let above = if above.is_empty() { "1".into() } else { above.join("·") };
    match below.len() {
        0 => above,
        1 => format!("{above}/{}", below[0]),
        _ => format!("{above}/({})", below.join("·")),
    }
}
