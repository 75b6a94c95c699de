//! A sensitivity that does not fit its sensor: entered in another unit, or with a slipped point.

use super::Rule;
use crate::caution::{Caution, Facts, found};
use crate::entry::number::plain;
use crate::rig::{Cell, Channel, Column};
use crate::sensitivity::Sensitivity;
use crate::sensor::family;
use crate::unit::{Quantity, STANDARD_GRAVITY};

pub(super) const RULE: Rule =
    Rule { name: "sensitivity_off", looks_for: "a sensitivity off by 9.81, 1 000 or anything else", look };

/// How far the sensitivities of one type usually spread.
const SPREAD: f64 = 0.12;

/// What is known of the sensitivity a row should have, V, C or V/V over SI: from the register, or from the
/// others of the same type.
fn usual(c: &Channel, facts: &Facts) -> Option<(f64, String)> {
    let alike = |s: &Sensitivity| s.output() == c.sensitivity.output();
    if let Some(s) = facts.sensor(c).filter(|s| s.quantity == c.quantity && alike(&s.sensitivity)) {
        return Some((
            s.sensitivity.output_per_si().ok()?,
            format!("the register's {} {}", plain(s.sensitivity.value), s.sensitivity.unit),
        ));
    }
    if family(c).is_empty() {
        return None;
    }
    let mut others: Vec<f64> = facts
        .active()
        .filter(|o| o.input != c.input && o.quantity == c.quantity && family(o) == family(c) && alike(&o.sensitivity))
        .filter_map(|o| o.sensitivity.output_per_si().ok())
        .collect();
    if others.len() < 2 {
        return None;
    }
    others.sort_by(f64::total_cmp);
    Some((others[others.len() / 2], format!("the same type elsewhere ({} others)", others.len())))
}

fn look(facts: &Facts) -> Vec<Caution> {
    facts.active().filter_map(|c| one(c, facts)).collect()
}

fn one(c: &Channel, facts: &Facts) -> Option<Caution> {
    let (usual, whose) = usual(c, facts)?;
    let ratio = c.sensitivity.output_per_si().ok()? / usual;
    let near = |factor: f64| (ratio / factor - 1.0).abs() < SPREAD;
    if near(1.0) || !ratio.is_finite() {
        return None;
    }
    let label = facts.label(c.input);
    let gravity = c.quantity == Quantity::Acceleration;
    let (factor, guess) = if gravity && near(STANDARD_GRAVITY) {
        (STANDARD_GRAVITY, format!("Input {label} reads like mV/g, entered as {}", c.sensitivity.unit))
    } else if gravity && near(1.0 / STANDARD_GRAVITY) {
        (1.0 / STANDARD_GRAVITY, format!("Input {label} reads like mV/(m/s²), entered as {}", c.sensitivity.unit))
    } else if near(1e3) {
        (1e3, format!("Input {label} reads as if entered in mV instead of V"))
    } else if near(1e-3) {
        (1e-3, format!("Input {label} reads as if entered in V instead of mV"))
    } else if near(10.0) || near(0.1) {
        (if ratio > 1.0 { 10.0 } else { 0.1 }, format!("Input {label} reads as if its decimal point slipped"))
    } else {
        (ratio, format!("Input {label} has {:.2} times the usual sensitivity", ratio))
    };
    let right = plain(crate::entry::number::rounded(c.sensitivity.value / factor, 4));
    let wrongly = if ratio > 1.0 {
        format!("{} times too small", plain(crate::entry::number::rounded(ratio, 3)))
    } else {
        format!("{} times too large", plain(crate::entry::number::rounded(1.0 / ratio, 3)))
    };
    let why = format!(
        "{} times {whose}; every level would be read {wrongly}.",
        plain(crate::entry::number::rounded(ratio, 3))
    );
    let caution = found(RULE.name, c, guess, why);
    Some(
        caution.with_fix(
            format!("Set {right} {}", c.sensitivity.unit),
            vec![Cell::new(c.input, Column::Sensitivity, right)],
        ),
    )
}

#[cfg(test)]
mod tests {
    use super::super::bench::{day, rig, sensor};
    use super::*;

    fn told(value: f64, unit: &str) -> Vec<Caution> {
        let mut r = rig(5);
        r.channels[2].sensitivity.value = value;
        r.channels[2].sensitivity.unit = unit.into();
        look(&Facts::of(&r))
    }

    #[test]
    fn guesses_what_was_entered() {
        for (value, unit, guess, right) in [
            (100.2, "mV/(m/s²)", "reads like mV/g", "10.22"),
            (10.2, "mV/g", "reads like mV/(m/s²)", "100"),
            (0.01022, "mV/(m/s²)", "V instead of mV", "10.22"),
            (10.2, "V/(m/s²)", "mV instead of V", "0.0102"),
            (102.0, "mV/(m/s²)", "", "10.4"),
            (1.02, "mV/(m/s²)", "", "10"),
            (15.0, "mV/(m/s²)", "1.49 times the usual", "10.0"),
        ] {
            let found = told(value, unit);
            assert_eq!(found.len(), 1, "{value} {unit}");
            assert!(found[0].says.contains(guess), "{value} {unit}: {}", found[0].says);
            assert!(
                found[0].fix[0].text.starts_with(&right[..right.len().min(4)]),
                "{value} {unit}: {:?}",
                found[0].fix
            );
        }
        assert!(told(10.9, "mV/(m/s²)").is_empty(), "sensors of a type differ a little");
        assert!(told(100.0, "mV/g").is_empty(), "the same in another unit");
    }

    #[test]
    fn the_register_knows_better_than_the_neighbours() {
        let mut r = rig(5);
        r.channels[0].sensitivity.value = 100.0;
        let mut own = sensor(20401);
        own.sensitivity.value = 99.0;
        let register = [own];
        assert!(look(&Facts::of(&r).registered(&register, day(2026, 5, 1))).is_empty());
    }
}
