//! Where a stretch of one run lies in another: runs are laid over each other by time, trigger or
//! speed.

use crate::Refusal;

/// The time in `other` at which the speed passes what it is in `this` at `at_s`, in the same
/// direction where it changes; the nearest to `at_s` where there are several.
///
/// Both curves are speeds in rpm over ascending times in s.
///
/// # Errors
/// A time outside the curve; a speed the other run does not reach.
pub fn same_speed(this: (&[f64], &[f64]), at_s: f64, other: (&[f64], &[f64])) -> Result<f64, Refusal> {
    let (times, rpm) = this;
    let refuse = |says: String| Err(Refusal::new("by", says));
    let (Some(first), Some(last)) = (times.first(), times.last()) else {
        return refuse("the run has no speed curve".into());
    };
    if !(at_s >= first - 1.0 && at_s <= last + 1.0) {
        return refuse(format!("{at_s} s has no speed; allowed: {first:.3} to {last:.3} s"));
    }
    let i = times.partition_point(|t| *t < at_s).min(times.len() - 1);
    let wanted = rpm[i];
    // What changes by less than a hundredth of a percent a step is steady: either direction will do.
    let step = rpm[(i + 1).min(rpm.len() - 1)] - rpm[i.saturating_sub(1)];
    let steady = step.abs() < 1e-4 * wanted.abs();
    let (other_s, other_rpm) = other;
    let mut found: Option<f64> = None;
    for k in 1..other_rpm.len() {
        let (a, b) = (other_rpm[k - 1], other_rpm[k]);
        if (a - wanted) * (b - wanted) > 0.0 || !(steady || a == b || (b - a) * step > 0.0) {
            continue;
        }
        let share = if a == b { 0.0 } else { (wanted - a) / (b - a) };
        let t = other_s[k - 1] + share * (other_s[k] - other_s[k - 1]);
        if found.is_none_or(|f| (t - at_s).abs() < (f - at_s).abs()) {
            found = Some(t);
        }
    }
    match found {
        Some(t) => Ok(t),
        // A steady machine never runs at exactly the same speed twice: within half a percent it is the same.
        None if steady && other_rpm.iter().any(|r| (r / wanted - 1.0).abs() < 0.005) => Ok(at_s),
        None => {
            let (low, high) = other_rpm.iter().fold((f64::INFINITY, 0.0f64), |(a, b), r| (a.min(*r), b.max(*r)));
            refuse(format!(
                "the other run does not pass {wanted:.0} rpm that way; it runs at {low:.0} to {high:.0} rpm"
            ))
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_speed_is_found_again_in_its_direction() {
        let t: Vec<f64> = (0..=100).map(f64::from).collect();
        let up_down: Vec<f64> =
            t.iter().map(|t| if *t < 50.0 { 1000.0 + 20.0 * t } else { 3000.0 - 20.0 * t }).collect();
        let down: Vec<f64> = t.iter().map(|t| 2500.0 - 20.0 * t).collect();
        // Falling through 1 500 rpm at 75 s here is at 50 s there.
        let found = same_speed((&t, &up_down), 75.0, (&t, &down)).unwrap();
        assert!((found - 50.0).abs() < 0.1, "{found}");
        // Rising through it is not in the other run at all.
        let says = same_speed((&t, &up_down), 25.0, (&t, &down)).unwrap_err().says;
        assert!(says.contains("does not pass 1500 rpm that way") && says.contains("500 to 2500"), "{says}");
        let back = same_speed((&t, &down), 50.0, (&t, &up_down)).unwrap();
        assert!((back - 75.0).abs() < 0.1, "{back}");
    }

    #[test]
    fn a_steady_machine_is_laid_over_by_time() {
        let t: Vec<f64> = (0..=10).map(f64::from).collect();
        let (a, b) = (vec![2690.0; 11], vec![2695.0; 11]);
        assert_eq!(same_speed((&t, &a), 4.0, (&t, &b)).unwrap(), 4.0);
        assert!(same_speed((&t, &a), 4.0, (&t, &[1000.0; 11])).is_err());
        assert!(same_speed((&t, &a), 40.0, (&t, &b)).is_err() && same_speed((&[], &[]), 0.0, (&t, &b)).is_err());
    }
}
