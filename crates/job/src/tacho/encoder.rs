//! A quadrature encoder: its settings, and what its tracks tell over a stretch.

use crate::Refusal;
use echo_signal::rotation::encoder::{Multiple, Quadrature, degrees};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Most lines a turn.
pub const MOST_LINES: u32 = 100_000;

/// An encoder: two tracks a quarter of a line apart, and one pulse a turn if it has that.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Encoder {
    /// Input of track A.
    pub a: u16,
    /// Input of track B.
    pub b: u16,
    /// Input of the index; it sets the count to zero.
    #[serde(default)]
    pub index: Option<u16>,
    /// Lines a turn.
    pub lines: u32,
    /// Edges counted a line: 1, 2 or 4.
    pub multiple: u32,
    /// Whether degrees begin anew at 360.
    #[serde(default)]
    pub wrap: bool,
    /// Voltage between low and high.
    pub threshold_v: f64,
}

/// What an encoder tells over a stretch.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
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

impl Encoder {
    /// Edges that are counted.
    ///
    /// # Errors
    /// Another number than 1, 2 or 4.
    fn multiple(&self) -> Result<Multiple, Refusal> {
        match self.multiple {
            1 => Ok(Multiple::X1),
            2 => Ok(Multiple::X2),
            4 => Ok(Multiple::X4),
            m => Err(Refusal::new("multiple", format!("{m} edges a line; allowed: 1, 2 and 4"))),
        }
    }

    /// Checks the settings.
    ///
    /// # Errors
    /// The first that is not allowed, with what is.
    pub fn check(&self) -> Result<(), Refusal> {
        self.multiple()?;
        if !(1..=MOST_LINES).contains(&self.lines) {
            return Err(Refusal::new("lines", format!("{} lines a turn; allowed: 1 to {MOST_LINES}", self.lines)));
        }
        if !self.threshold_v.is_finite() {
            return Err(Refusal::new(
                "threshold_v",
                format!("the threshold must be a number, not {}", self.threshold_v),
            ));
        }
        if self.a == self.b || self.index.is_some_and(|i| i == self.a || i == self.b) {
            return Err(Refusal::new("b", "tracks and index must be on inputs of their own"));
        }
        Ok(())
    }

    /// Reads the tracks, V; of tracks that are not of one length the ends belong together.
    ///
    /// # Errors
    /// Settings that are not allowed.
    pub fn read(&self, a: &[f64], b: &[f64], index: Option<&[f64]>, rate_hz: f64) -> Result<EncoderBody, Refusal> {
        self.check()?;
        let multiple = self.multiple()?;
        let per_rev = self.lines * multiple.counts();
        let n = a.len().min(b.len()).min(index.map_or(usize::MAX, <[f64]>::len));
        let high = |x: &[f64], i: usize| x[x.len() - n + i] > self.threshold_v;
        let mut told = Quadrature::new(multiple, index.is_some());
        let mut all = Quadrature::new(multiple, false);
        let (mut indices, mut was) = (0, true);
        for i in 0..n {
            let at_index = index.is_some_and(|x| high(x, i));
            indices += usize::from(at_index && !was);
            was = at_index;
            told.step(high(a, i), high(b, i), at_index);
            all.step(high(a, i), high(b, i), false);
        }
        let turned = all.count();
        Ok(EncoderBody {
            count: told.count(),
            degrees: degrees(told.count(), per_rev, self.wrap),
            rpm: turned as f64 / f64::from(per_rev) / (n.max(1) as f64 / rate_hz) * 60.0,
            direction: turned.signum() as i8,
            indices,
            errors: all.errors(),
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn encoder() -> Encoder {
        Encoder { a: 1, b: 2, index: Some(3), lines: 10, multiple: 4, wrap: true, threshold_v: 2.5 }
    }

    #[test]
    fn a_turn_and_a_half_is_told_whichever_track_leads() {
        // 1.5 turns of 10 lines in a second at 1000 samples a second; the index stands at each whole turn.
        let at = |i: usize, late: f64| if (i as f64 * 0.015 - late).rem_euclid(1.0) < 0.5 { 5.0 } else { 0.0 };
        let track = |late: f64| (0..1000).map(|i| at(i, late)).collect::<Vec<_>>();
        let (a, b) = (track(0.1), track(0.35));
        let index: Vec<f64> = (0..1000).map(|i| if (660..680).contains(&i) { 5.0 } else { 0.0 }).collect();
        let e = encoder();
        let ahead = e.read(&a, &b, None, 1000.0).unwrap();
        assert!((ahead.rpm - 90.0).abs() < 2.0 && ahead.direction == 1 && ahead.errors == 0, "{ahead:?}");
        let back = e.read(&b, &a, None, 1000.0).unwrap();
        assert!((back.rpm + 90.0).abs() < 2.0 && back.direction == -1, "{back:?}");
        let zeroed = e.read(&a, &b, Some(&index), 1000.0).unwrap();
        assert!(zeroed.indices == 1 && zeroed.count.abs_diff(19) <= 2, "{zeroed:?}");
    }

    #[test]
    fn what_no_encoder_has_is_refused_with_what_is_allowed() {
        for (wrong, says) in [
            (Encoder { multiple: 3, ..encoder() }, "1, 2 and 4"),
            (Encoder { lines: 0, ..encoder() }, "1 to 100000"),
            (Encoder { b: 1, ..encoder() }, "of their own"),
            (Encoder { index: Some(2), ..encoder() }, "of their own"),
            (Encoder { threshold_v: f64::NAN, ..encoder() }, "must be a number"),
        ] {
            assert!(wrong.check().unwrap_err().says.contains(says), "{wrong:?}");
        }
        encoder().check().unwrap();
    }
}
