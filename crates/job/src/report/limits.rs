//! Numbers held against what is allowed.

use super::block::Limit;

/// What becomes of a number that is held against what is allowed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Verdict {
    /// It is within, its uncertainty too.
    Within,
    /// It is above, also by what it is sure of.
    Exceeded,
    /// Its uncertainty reaches over the limit: neither can be said (JCGM 106, with a guard band on both sides).
    Undecided,
}

/// Holds a value against the largest that is allowed; `uncertainty` is the expanded one, none where it is not known. A
/// value that is no number is never within.
pub fn verdict(value: f64, uncertainty: Option<f64>, at_most: f64) -> Verdict {
    let half = uncertainty.filter(|u| u.is_finite() && *u > 0.0).unwrap_or(0.0);
    if value + half <= at_most {
        Verdict::Within
    } else if value - half > at_most {
        Verdict::Exceeded
    } else {
        Verdict::Undecided
    }
}

/// What is allowed of a channel: by the limit that names it, or else by the first for all others.
pub fn allowed(limits: &[Limit], channel: u32) -> Option<f64> {
    let own = limits.iter().find(|l| l.channels.contains(&channel));
    own.or_else(|| limits.iter().find(|l| l.channels.is_empty())).map(|l| l.at_most)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_value_at_its_limit_is_within_and_its_uncertainty_can_leave_it_open() {
        assert_eq!(verdict(2.8, None, 2.8), Verdict::Within);
        assert_eq!(verdict(2.81, None, 2.8), Verdict::Exceeded);
        assert_eq!(verdict(2.7, Some(0.2), 2.8), Verdict::Undecided);
        assert_eq!(verdict(2.9, Some(0.2), 2.8), Verdict::Undecided);
        assert_eq!(verdict(2.5, Some(0.2), 2.8), Verdict::Within);
        assert_eq!(verdict(3.1, Some(0.2), 2.8), Verdict::Exceeded);
        assert_eq!(verdict(f64::NAN, None, 2.8), Verdict::Undecided, "nothing is known of it");
        assert_eq!(verdict(2.9, Some(f64::NAN), 2.8), Verdict::Exceeded, "an uncertainty that is none counts for none");
    }

    #[test]
    fn the_limit_that_names_a_channel_goes_before_that_of_all_others() {
        let of = |channels: &[u32], at_most| Limit { channels: channels.to_vec(), at_most };
        let limits = [of(&[], 4.5), of(&[7, 8], 2.8)];
        assert_eq!([1, 7, 8].map(|c| allowed(&limits, c)), [Some(4.5), Some(2.8), Some(2.8)]);
        assert_eq!(allowed(&limits[1..], 1), None, "nothing is said of it");
    }
}
