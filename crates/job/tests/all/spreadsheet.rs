//! What must hold for any rig and any numbers: a table that goes out and comes back, series,
//! cautions that always answer, fits that find what was put in.

use echo_job::caution::{Facts, LevelSeen, check};
use echo_job::entry::number::{plain, rounded};
use echo_job::entry::{typed_number, typed_signed};
use echo_job::reference::{Pair, fit, tone};
use echo_job::rig::edit::counted_on;
use echo_job::rig::paste::{self, Place, grid};
use echo_job::rig::{Channel, Column, Rig, RowChange, differences};
use echo_job::sensitivity::{Sensitivity, allowed};
use echo_job::unit::Quantity;
use proptest::prelude::*;
use std::f64::consts::TAU;

fn any_channel() -> impl Strategy<Value = Channel> {
    let words = "[a-zA-ZæøåÄÖ][a-zA-Z0-9 ,./æøå-]{0,20}[a-z0-9]";
    let what = (0usize..7, 0usize..4, 1e-3f64..1e4, any::<bool>(), 0usize..3, 0usize..5);
    (what, words, words, words).prop_map(|((quantity, unit, value, on, coupling, range), sensor, point, direction)| {
        let quantity = Quantity::ALL[quantity];
        let units: Vec<_> = quantity.units().collect();
        let per = allowed(quantity);
        Channel {
            on,
            sensor,
            quantity,
            unit: units[unit % units.len()].symbol.into(),
            sensitivity: Sensitivity { value: rounded(value, 6), unit: per[unit % per.len()].clone() },
            coupling: echo_job::rig::Coupling::ALL[coupling],
            range_v: [0.1, 0.5, 1.0, 5.0, 10.0][range],
            point,
            direction,
            ..Channel::free(1)
        }
    })
}

fn any_rig() -> impl Strategy<Value = Rig> {
    prop::collection::vec(any_channel(), 1..12).prop_map(|mut channels| {
        for (k, c) in channels.iter_mut().enumerate() {
            c.input = k as u16 + 1;
            c.name = format!("channel {}", k + 1);
        }
        Rig { name: "any".into(), channels }
    })
}

/// The table as it is copied with its headings.
fn copied(rig: &Rig) -> String {
    let heads = std::iter::once("Input".to_string()).chain(Column::SHEET.iter().map(|c| c.head().to_string()));
    let mut text = heads.collect::<Vec<_>>().join("\t");
    for c in &rig.channels {
        let cells = std::iter::once(c.input.to_string()).chain(Column::SHEET.iter().map(|k| k.text(c)));
        text += "\n";
        text += &cells.collect::<Vec<_>>().join("\t");
    }
    text
}

fn place(rig: &Rig) -> Place {
    Place { inputs: rig.channels.iter().map(|c| c.input).collect(), columns: Column::SHEET.to_vec() }
}

proptest! {
    #[test]
    fn a_table_pasted_onto_itself_changes_nothing(rig in any_rig()) {
        let cells = paste::cells(&grid(&copied(&rig)), &place(&rig), &rig).unwrap();
        let edit = rig.edited(&cells, None);
        prop_assert!(edit.refused.is_empty(), "{:?}", edit.refused);
        prop_assert_eq!(edit.changed, vec![]);
        prop_assert_eq!(edit.rig, rig);
    }

    #[test]
    fn a_table_pasted_onto_another_makes_it_the_same(from in any_rig(), onto in any_rig()) {
        let rows = from.channels.len().min(onto.channels.len());
        let from = Rig { channels: from.channels[..rows].to_vec(), ..from };
        let mut onto = Rig { channels: onto.channels[..rows].to_vec(), ..onto };
        let cells = paste::cells(&grid(&copied(&from)), &place(&onto), &onto).unwrap();
        let edit = onto.edited(&cells, None);
        prop_assert!(edit.refused.is_empty(), "{:?}", edit.refused);
        prop_assert_eq!(differences(&edit.rig, &from), vec![]);
        // And back again, cell by cell, as undo does it.
        let back: Vec<_> = edit.changed.iter().map(|c| echo_job::rig::Cell::new(c.input, c.column, c.from.clone())).collect();
        let again = edit.rig.edited(&back, None);
        prop_assert!(again.refused.is_empty(), "{:?}", again.refused);
        onto.name.clone_from(&again.rig.name);
        prop_assert_eq!(differences(&again.rig, &onto), vec![]);
    }

    #[test]
    fn cautions_always_answer_and_their_fixes_fit(rig in any_rig(), share in 0.0f64..1.0, over in any::<bool>()) {
        let level = LevelSeen { peak_share: share, held_share: share, over };
        let heard = rig.channels.iter().map(|c| (c.input, level));
        for c in check(&Facts::of(&rig).heard(heard), &[]) {
            prop_assert!(!c.says.is_empty() && !c.why.is_empty());
            prop_assert_eq!(c.fix.is_empty(), c.fix_says.is_none());
            let edit = rig.edited(&c.fix, None);
            prop_assert!(edit.refused.is_empty(), "{:?}: {:?}", c, edit.refused);
            prop_assert!(c.fix.is_empty() || !edit.changed.is_empty(), "a fix changes something: {:?}", c);
        }
    }

    #[test]
    fn series_count_evenly(stem in "[a-zæ ]{0,8}", from in 0u64..10_000, width in 1usize..7, step in 0u64..500, tail in "[a-zø ]{0,4}") {
        let text = format!("{stem}{from:0width$}{tail}");
        let on = counted_on(&text, step);
        prop_assert_eq!(&on, &format!("{stem}{:0width$}{tail}", from + step));
        prop_assert_eq!(counted_on(&counted_on(&text, step), 1), counted_on(&text, step + 1));
    }

    #[test]
    fn numbers_are_read_as_they_are_shown(x in prop_oneof![1e-9f64..1e9, -1e6f64..1e6]) {
        let x = rounded(x, 9);
        let (back, unit) = typed_signed("x", &format!("{} mV", plain(x))).unwrap();
        prop_assert_eq!((back, unit.as_str()), (x, "mV"));
        prop_assert_eq!(typed_number("x", &plain(x)).is_ok(), x > 0.0);
    }

    #[test]
    fn a_fit_finds_the_line_that_was_put_in(gain in 0.5f64..2.0, offset in 0.0f64..0.5, levels in prop::collection::vec(0.5f64..50.0, 3..12)) {
        let mut apart = levels.clone();
        apart.sort_by(f64::total_cmp);
        prop_assume!(apart[0] * 1.5 < apart[apart.len() - 1]);
        let pairs: Vec<Pair> = levels.iter().map(|&x| Pair { reference: x, reading: offset + gain * x }).collect();
        let found = fit(&pairs, &Sensitivity { value: 10.0, unit: "mV/g".into() }).unwrap();
        prop_assert!((found.gain / gain - 1.0).abs() < 1e-9 && (found.offset - offset).abs() < 1e-8);
        prop_assert!(found.linearity.is_none_or(|l| l < 1e-9));
        prop_assert!((found.sensitivity.value / (10.0 * gain) - 1.0).abs() < 1e-4);
        prop_assert_eq!(found.deviations.len(), pairs.len());
    }
}

#[test]
fn a_tone_in_noise_is_read_without_the_noise() {
    // A tenth of the tone in white noise: the overall level is half a percent too high, the tone is not.
    let mut state = 12_345u64;
    let mut noise = || {
        let mut sum = 0.0;
        for _ in 0..12 {
            state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
            sum += (state >> 11) as f64 / (1u64 << 53) as f64;
        }
        sum - 6.0
    };
    let rate = 10_240.0;
    for hz in [79.6, 159.155, 1001.3] {
        let x: Vec<f64> =
            (0..20_480).map(|i| 2f64.sqrt() * (TAU * hz * f64::from(i) / rate).sin() + 0.1 * noise()).collect();
        let all = (x.iter().map(|v| v * v).sum::<f64>() / x.len() as f64).sqrt();
        let read = tone(&x, rate, hz).unwrap();
        assert!((read.rms - 1.0).abs() < 3e-3, "{hz}: {read:?}");
        assert!(all > 1.003 && (read.hz / hz - 1.0).abs() < 1e-4 && read.spread < 0.01, "{hz}: {all} {read:?}");
    }
}

#[test]
fn a_row_change_is_read_from_any_kind_of_value() {
    let change: RowChange =
        serde_json::from_str(r#"{"on": false, "range_v": 5, "sensitivity": "10.4 mV/(m/s²)", "high_pass_hz": 0}"#)
            .unwrap();
    let cells = change.cells(7);
    assert_eq!(cells.iter().map(|c| c.text.as_str()).collect::<Vec<_>>(), ["off", "10.4 mV/(m/s²)", "5", "0"]);
    assert!(cells.iter().all(|c| c.input == 7));
    for wrong in [r#"{"colour": "red"}"#, r#"{"on": null}"#, r#"{"on": []}"#, "[]"] {
        assert!(serde_json::from_str::<RowChange>(wrong).is_err(), "{wrong}");
    }
}
