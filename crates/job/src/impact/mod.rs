//! Impact testing: which points are hit, what each hit was worth, and what comes next.
//!
//! Every take of a run is a hit. A [`ImpactSession`] follows them point by point: it judges nothing by
//! itself ([`judge()`] does) and reads nothing; it knows what is still missing and says what happened
//! as a sound that can be told apart without looking.

mod judge;
mod points;
mod session;

pub use judge::{Flaw, HitLimits, HitVerdict, judge};
pub use points::{PointDirection, point_list};
pub use session::{Hit, HitHeard, HitState, ImpactPlan, ImpactSession, PointState, Roving};
