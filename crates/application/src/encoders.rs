//! Encoders as they are heard now.

use crate::tachos::last;
use crate::{App, Result};
use echo_job::Refusal;
use echo_signal::rotation::encoder::{Multiple, Quadrature, degrees};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// An encoder that is to be read: two tracks a quarter apart, and one pulse a turn if it has that.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct EncoderRead {
    /// Input of track A.
    pub a: u16,
    /// Input of track B.
    pub b: u16,
    /// Input of the index.
    pub index: Option<u16>,
    /// Lines a turn.
    pub lines: u32,
    /// Edges counted a line: 1, 2 or 4.
    pub multiple: u32,
    /// Whether the index sets the count to zero.
    #[serde(default)]
    pub reset_at_index: bool,
    /// Whether degrees begin anew at 360.
    #[serde(default)]
    pub wrap: bool,
    /// Voltage between low and high.
    pub threshold_v: f64,
    /// How much of the last samples, s, 0.05 to 8.
    pub seconds: f64,
}

/// What an encoder tells over the stretch.
#[derive(Serialize, ToSchema)]
pub struct EncoderBody {
    /// Counts from the stretch's start, or from the last index.
    pub count: i64,
    /// Degrees of it.
    pub degrees: f64,
    /// Speed over the stretch, rpm; negative when B leads.
    pub rpm: f64,
    /// 1 when A leads, −1 when B does, 0 at rest.
    pub direction: i8,
    /// Index pulses seen.
    pub indices: usize,
    /// Steps both tracks made at once: dirt, or a speed beyond the sample rate.
    pub errors: u64,
}

/// Reads an encoder.
///
/// # Errors
/// What is asked is not allowed, it cannot be done now, or the database is away.
pub fn encoder(app: &App, r: EncoderRead) -> Result<EncoderBody> {
    let multiple = match r.multiple {
        1 => Multiple::X1,
        2 => Multiple::X2,
        4 => Multiple::X4,
        m => return Err(Refusal::new("multiple", format!("{m} edges a line; allowed: 1, 2 and 4")).into()),
    };
    if !(1..=100_000).contains(&r.lines) {
        return Err(Refusal::new("lines", format!("{} lines a turn; allowed: 1 to 100000", r.lines)).into());
    }
    if !(0.05..=8.0).contains(&r.seconds) {
        return Err(Refusal::new("seconds", format!("{} s are read; allowed: 0.05 to 8 s", r.seconds)).into());
    }
    let (a, rate) = last(app, r.a, r.seconds)?;
    let (b, _) = last(app, r.b, r.seconds)?;
    let index = r.index.map(|i| last(app, i, r.seconds)).transpose()?.map(|i| i.0);
    let per_rev = r.lines * multiple.counts();
    let n = a.len().min(b.len()).min(index.as_ref().map_or(usize::MAX, Vec::len));
    let high = |x: &[f64], i: usize| x[x.len() - n + i] > r.threshold_v;
    let mut told = Quadrature::new(multiple, r.reset_at_index && index.is_some());
    let mut all = Quadrature::new(multiple, false);
    let (mut indices, mut was) = (0, true);
    for i in 0..n {
        let at_index = index.as_ref().is_some_and(|x| high(x, i));
        indices += usize::from(at_index && !was);
        was = at_index;
        told.step(high(&a, i), high(&b, i), at_index);
        all.step(high(&a, i), high(&b, i), false);
    }
    let turned = all.count();
    Ok(EncoderBody {
        count: told.count(),
        degrees: degrees(told.count(), per_rev, r.wrap),
        rpm: turned as f64 / f64::from(per_rev) / (n.max(1) as f64 / rate) * 60.0,
        direction: turned.signum() as i8,
        indices,
        errors: all.errors(),
    })
}
