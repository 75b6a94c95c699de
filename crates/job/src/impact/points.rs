//! Points with directions, and lists of them that count on by themselves.

use crate::Refusal;
use crate::rig::edit::last_number;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A point and the direction in which it is hit or heard.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct PointDirection {
    /// Name of the point.
    pub point: String,
    /// Direction, such as `+Z`.
    pub direction: String,
}

impl std::fmt::Display for PointDirection {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(format!("{} {}", self.point, self.direction).trim_end())
    }
}

/// The most points of one test.
pub const MOST_POINTS: usize = 2000;

/// So many points, the first as given, each other one with the last number in its name counted on by
/// `step`; a name without a number gets one. Leading zeros stay.
///
/// # Errors
/// No point or more than 2000; a step of 0; numbers that would go below 0.
pub fn point_list(first: &PointDirection, count: usize, step: i64) -> Result<Vec<PointDirection>, Refusal> {
    if !(1..=MOST_POINTS).contains(&count) {
        return Err(Refusal::new("points", format!("the list has {count} points; allowed: 1 to {MOST_POINTS}")));
    }
    if step == 0 && count > 1 {
        return Err(Refusal::new("points", "the increment is 0; allowed: a whole number other than 0".to_string()));
    }
    let name = &first.point;
    let place = last_number(name);
    let from: i64 = place.clone().map_or(1, |p| name[p].parse().unwrap_or(i64::MAX));
    (0..count)
        .map(|k| {
            let told = i64::try_from(k).ok().and_then(|k| step.checked_mul(k)).and_then(|by| from.checked_add(by));
            let number = told.filter(|n| *n >= 0).ok_or_else(|| {
                let says =
                    format!("counting on from “{name}” by {step} leaves whole numbers from 0 at point {}", k + 1);
                Refusal::new("points", says)
            })?;
            let point = match &place {
                _ if k == 0 => name.clone(),
                None => format!("{name} {number}"),
                Some(p) => format!("{}{number:0width$}{}", &name[..p.start], &name[p.end..], width = p.len()),
            };
            Ok(PointDirection { point, direction: first.direction.clone() })
        })
        .collect()
}
