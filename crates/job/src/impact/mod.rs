//! Tap series: which points are hit, what each hit was worth, what comes of them, and what comes next.
//!
//! Every take of its runs is a hit. An [`ImpactSession`] follows them point by point: it judges nothing by
//! itself ([`judge()`] does) and reads nothing; it knows what is still missing and says what happened
//! as a sound that can be told apart without looking. [`functions()`] makes responses of the hits that count, by
//! the response lens; [`advice()`] says what a colleague would.

mod advice;
mod functions;
mod judge;
mod plan;
mod points;
mod session;

pub use advice::{Advice, AdviceRule, Kept, advice, unheard};
pub use functions::{HitPicture, HitSamples, Quality, functions, hit_picture, quality};
pub use judge::{Flaw, HitLimits, HitVerdict, judge};
pub use plan::{Accepting, ImpactPlan, Roving};
pub use points::{PointDirection, point_list};
pub use session::{Act, Hit, HitHeard, HitState, ImpactSession, PointState};
