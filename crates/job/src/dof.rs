//! A degree of freedom: a point of a structure, and the way it moves.

use serde::{Deserialize, Serialize};
use std::fmt;
use utoipa::ToSchema;

/// Which way along a direction counts as positive.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default, Serialize, Deserialize, ToSchema)]
pub enum Sign {
    /// With it.
    #[default]
    #[serde(rename = "+")]
    Plus,
    /// Against it: a sensor that hangs upside down.
    #[serde(rename = "-")]
    Minus,
}

/// A point, a direction, and a sign.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize, ToSchema)]
pub struct Dof {
    /// The point, as it is called in the rig; in files it often is a number.
    pub point: String,
    /// The direction: “x”, “vertical”; empty where there is none, as of a pressure.
    pub direction: String,
    /// The sign.
    pub sign: Sign,
}

impl Dof {
    /// From a point and a direction as they are entered, the direction with its sign before it: “-z”.
    /// None without a point.
    pub fn read(point: &str, direction: &str) -> Option<Dof> {
        let (point, direction) = (point.trim(), direction.trim());
        let (sign, direction) = match direction.strip_prefix(['-', '−']) {
            Some(rest) => (Sign::Minus, rest),
            None => (Sign::Plus, direction.strip_prefix('+').unwrap_or(direction)),
        };
        (!point.is_empty()).then(|| Dof { point: point.into(), direction: direction.trim().into(), sign })
    }

    /// Along its direction, whichever way the sensor looked.
    #[must_use]
    pub fn along(&self) -> Dof {
        Dof { sign: Sign::Plus, ..self.clone() }
    }

    /// 1, or −1 where the sensor looked against the direction.
    pub fn factor(&self) -> f64 {
        if self.sign == Sign::Minus { -1.0 } else { 1.0 }
    }

    /// Number of the point, where it is one.
    pub fn number(&self) -> Option<u32> {
        self.point.parse().ok().filter(|n| *n > 0)
    }

    /// Which of x, y and z the direction is, from 1, with its sign; none for another one.
    pub fn axis(&self) -> Option<i8> {
        let place = ["x", "y", "z"].iter().position(|a| self.direction.eq_ignore_ascii_case(a))?;
        let along = place as i8 + 1;
        Some(if self.sign == Sign::Minus { -along } else { along })
    }
}

impl fmt::Display for Dof {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let sign = if self.sign == Sign::Minus { "−" } else { "" };
        if self.direction.is_empty() {
            f.write_str(&self.point)
        } else {
            write!(f, "{} {sign}{}", self.point, self.direction)
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_direction_is_read_with_its_sign() {
        let down = Dof::read(" 14 ", "-z").unwrap();
        assert_eq!((down.number(), down.axis(), down.to_string().as_str()), (Some(14), Some(-3), "14 −z"));
        assert_eq!(Dof::read("14", "−Z").unwrap().axis(), Some(-3));
        let top = Dof::read("gearbox top", "+vertical").unwrap();
        assert_eq!((top.number(), top.axis(), top.to_string().as_str()), (None, None, "gearbox top vertical"));
        assert_eq!(Dof::read("3", "").unwrap().to_string(), "3");
        assert!(Dof::read("  ", "x").is_none());
        let json = serde_json::to_value(&down).unwrap();
        assert_eq!(json, serde_json::json!({ "point": "14", "direction": "z", "sign": "-" }));
    }
}
