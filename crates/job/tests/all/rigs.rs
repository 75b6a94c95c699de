//! The channel table against what a front end offers, units and sensitivities of every quantity,
//! plans that cannot be, and each caution at its border.

use echo_job::caution::{Facts, LevelSeen, check};
use echo_job::front_end::{FrontEnd, InputOffer};
use echo_job::plan::{LONGEST_S, Length, Plan};
use echo_job::rig::{Channel, Column, Coupling, Rig, RowChange};
use echo_job::sensitivity::{Sensitivity, allowed};
use echo_job::unit::{Quantity, UNITS, find, find_for, grouped};
use proptest::prelude::*;

fn channel(input: u16) -> Channel {
    Channel { name: format!("hull frame {input}"), ..crate::common::channel(input) }
}

fn rig(n: u16) -> Rig {
    Rig { name: "hull".into(), channels: (1..=n).map(channel).collect() }
}

fn lantern(inputs: u16) -> FrontEnd {
    FrontEnd {
        model: "Lantern 24".into(),
        serial: "1".into(),
        firmware: "1".into(),
        rates_hz: vec![1024.0, 25_600.0, 51_200.0],
        clean_share: 0.4,
        converter_bits: 24,
        keeps_bytes: 0,
        inputs: (1..=inputs)
            .map(|number| InputOffer {
                number,
                unit: 0,
                connector: number,
                high_pass_hz: vec![0.0, 10.0],
                supplies_v: vec![],
                module: "A".into(),
                ranges_v: vec![0.1, 1.0, 5.0, 10.0],
                couplings: if number == 2 {
                    vec![Coupling::Dc, Coupling::Ac]
                } else {
                    vec![Coupling::Dc, Coupling::Ac, Coupling::Iepe]
                },
            })
            .collect(),
    }
}

#[test]
fn every_unit_converts_to_si_and_back_and_has_its_sensitivity() {
    for unit in UNITS {
        let found = find(unit.symbol).unwrap();
        assert_eq!((found.symbol, found.to_si), (unit.symbol, unit.to_si));
        assert!(find_for(unit.symbol, unit.quantity).is_ok());
        let other = Quantity::ALL.into_iter().find(|q| *q != unit.quantity).unwrap();
        let refused = find_for(unit.symbol, other).unwrap_err();
        assert!(
            refused.says.contains(other.name()) && refused.says.contains(other.usual_unit().symbol),
            "{}",
            refused.says
        );
        for (output, scale) in [("mV", 1e-3), ("V", 1.0), ("pC", 1e-12), ("mV/V", 1e-3)] {
            let s = Sensitivity::new(2.0, &format!("{output}/{}", grouped(unit.symbol)), unit.quantity).unwrap();
            assert!((s.output_per_si().unwrap() * unit.to_si / scale - 2.0).abs() < 1e-12, "{s:?}");
        }
    }
    for quantity in Quantity::ALL {
        assert_eq!(allowed(quantity).len(), 4 * quantity.units().count());
        for unit in allowed(quantity) {
            assert!(Sensitivity::new(1.0, &unit, quantity).is_ok(), "{unit}");
        }
    }
    for (typed, meant) in [("m/s^2", "m/s²"), ("m/s2", "m/s²"), ("um", "µm"), (" g ", "g"), ("\u{3bc}m", "µm")] {
        assert_eq!(find(typed).unwrap().symbol, meant, "{typed}");
    }
    for wrong in ["", "furlong", "m/s³", "G", "mv"] {
        assert!(find(wrong).unwrap_err().says.contains("m/s²"), "{wrong}");
    }
    assert_eq!((grouped("m/s²"), grouped("N")), ("(m/s²)".to_string(), "N".to_string()));
}

#[test]
fn what_an_input_does_not_offer_is_refused_with_what_it_does() {
    let (r, f) = (rig(3), lantern(3));
    for (input, change, says) in [
        (1, RowChange::of(Column::RangeV, "3"), "0.1, 1, 5, 10 V"),
        (1, RowChange::of(Column::RangeV, "500 mV"), "0.1, 1, 5, 10 V"),
        (1, RowChange::of(Column::RangeV, "5 A"), "is a current, the range is a voltage; use V, mV, µV or kV"),
        (2, RowChange::of(Column::Coupling, "iepe"), "it offers DC, AC"),
    ] {
        let refused = r.changed(input, &change, Some(&f)).unwrap_err();
        assert!(refused.says.contains(says), "{change:?}: {}", refused.says);
    }
    // Without a front end nothing is known of its offer, and nothing is refused for it.
    assert!(r.changed(1, &RowChange::of(Column::RangeV, "3"), None).is_ok());
    let milli = r.changed(1, &RowChange::of(Column::RangeV, "100 mV"), Some(&f)).unwrap();
    assert!((milli.channels[0].range_v - 0.1).abs() < 1e-12);
    assert!(rig(1).check(Some(&f)).is_ok(), "input 2 alone lacks the supply current");
    assert!(rig(3).check(Some(&f)).is_err());
}

#[test]
fn names_are_there_once_and_not_endless() {
    let r = rig(3);
    let named = |name: &str| r.changed(2, &RowChange::of(Column::Name, name), None);
    assert_eq!(named("deck").unwrap().channels[1].name, "deck");
    for wrong in ["", "  ", "hull frame 3", &"x".repeat(81)] {
        assert_eq!(named(wrong).unwrap_err().field, "name", "{wrong}");
    }
    assert!(named(&"å".repeat(80)).is_ok(), "eighty characters, whatever their bytes");
    // A channel that is off keeps its name: it is found again when it is switched on.
    let off = r.changed(3, &RowChange::of(Column::On, "off"), None).unwrap();
    let shared = off.changed(2, &RowChange::of(Column::Name, "hull frame 3"), None);
    assert_eq!(shared.unwrap_err().field, "name");
    assert!(off.changed(3, &RowChange::of(Column::On, "on"), None).is_ok());
}

#[test]
fn a_quantity_takes_its_units_along_and_a_typed_unit_stays() {
    let r = rig(2);
    for quantity in Quantity::ALL {
        let c = r.changed(1, &RowChange::of(Column::Quantity, quantity.name()), None).unwrap().channels[0].clone();
        assert_eq!(c.quantity, quantity);
        assert!(find_for(&c.unit, quantity).is_ok(), "{c:?}");
        assert!(c.sensitivity.check(quantity).is_ok(), "{c:?}");
    }
    let g = RowChange::of(Column::Unit, "g");
    let c = r.changed(1, &g, None).unwrap().channels[0].clone();
    assert!((c.full_scale() * 9.80665 - 5.0 / 0.0102).abs() < 1e-6, "the same voltage, told in g");
    let typed = RowChange::of(Column::Sensitivity, "100 mV/g");
    let c = r.changed(1, &typed, None).unwrap().channels[0].clone();
    assert_eq!((c.sensitivity.value, c.sensitivity.unit.as_str()), (100.0, "mV/g"));
    let only_number = RowChange::of(Column::Sensitivity, "10,4");
    let c = r.changed(1, &only_number, None).unwrap().channels[0].clone();
    assert_eq!((c.sensitivity.value, c.sensitivity.unit.as_str()), (10.4, "mV/(m/s²)"));
    for (change, field) in [
        (RowChange::of(Column::Sensitivity, "10 mV/N"), "sensitivity_unit"),
        (RowChange::of(Column::Sensitivity, "1e400"), "sensitivity"),
        (RowChange::of(Column::Unit, "N"), "unit"),
    ] {
        assert_eq!(r.changed(1, &change, None).unwrap_err().field, field, "{change:?}");
    }
}

#[test]
fn plans_that_cannot_be_are_refused_with_what_can() {
    let plan = |rate, length, block| Plan { sample_rate_hz: rate, length, block, ..Plan::default() };
    let after = |duration_s| Length::After { duration_s };
    let f = lantern(2);
    assert!(plan(51_200.0, after(10.0), 4096).check(Some(&f)).is_ok());
    assert!(plan(44_100.0, after(10.0), 4096).check(None).is_ok(), "no front end, no offer");
    for (p, field, says) in [
        (plan(44_100.0, after(1.0), 4096), "sample_rate_hz", "1024, 25600, 51200 Hz"),
        (plan(0.0, after(1.0), 4096), "sample_rate_hz", "above 0"),
        (plan(f64::NAN, after(1.0), 4096), "sample_rate_hz", "above 0"),
        (plan(51_200.0, after(0.0), 4096), "duration_s", "above 0"),
        (plan(51_200.0, after(f64::INFINITY), 4096), "duration_s", "a week"),
        (plan(51_200.0, after(LONGEST_S + 1.0), 4096), "duration_s", "a week"),
        (plan(51_200.0, Length::WhenStopped, 8), "block", "16 to"),
        (plan(51_200.0, Length::WhenStopped, 1 << 23), "block", "16 to"),
    ] {
        let refused = p.check(Some(&f)).unwrap_err();
        assert!(refused.field == field && refused.says.contains(says), "{p:?}: {}", refused.says);
    }
    assert!(serde_json::from_str::<Plan>(r#"{"sample_rate_hz": 1, "length": {"ends": "never"}}"#).is_err());
    assert!(
        serde_json::from_str::<Plan>(r#"{"sample_rate_hz": 1, "length": {"ends": "when_stopped"}, "x": 1}"#).is_err()
    );
    let sums = plan(51_200.0, after(60.0), 32_768).sums(&rig(0), 0.4, Some(1000));
    assert_eq!((sums.size_bytes, sums.room_s), (Some(0.0), None), "no channel fills no disk");
}

#[test]
fn cautions_keep_to_their_borders() {
    let rules = |r: &Rig, level: Option<LevelSeen>| -> Vec<(&'static str, Option<u16>)> {
        let heard = r.channels.iter().filter_map(|c| Some((c.input, level?)));
        check(&Facts::of(r).heard(heard), &[]).into_iter().map(|c| (c.rule, c.input)).collect()
    };
    let level = |peak_share, over| Some(LevelSeen { peak_share, held_share: peak_share, over });
    assert!(rules(&rig(4), level(0.5, false)).is_empty());
    assert!(rules(&rig(1), level(1.0, false)).is_empty(), "full is not over");
    assert_eq!(rules(&rig(1), level(0.4, true)), [("clipped", Some(1))]);
    assert_eq!(rules(&rig(1), level(1e-5, false)), [("dead_input", Some(1))]);
    assert!(rules(&rig(1), level(1e-4, false)).is_empty());
    assert!(rules(&rig(1), None).is_empty(), "what is not heard is not judged");
    // 9.81 times the others, and a tenth beside it.
    for (ratio, found) in [
        (9.81, true),
        (9.0, true),
        (10.8, true),
        (0.102, true),
        (1000.0, true),
        (1.3, true),
        (1.0, false),
        (0.9, false),
    ] {
        let mut r = rig(4);
        r.channels[1].sensitivity.value = 10.2 * ratio;
        let has = rules(&r, None).contains(&("sensitivity_off", Some(2)));
        assert_eq!(has, found, "{ratio} times");
    }
    // Two like it are needed to know what is usual, and other types do not count.
    let mut few = rig(2);
    few.channels[1].sensitivity.value = 100.0;
    assert!(rules(&few, None).is_empty());
    let mut mixed = rig(4);
    mixed.channels[1].sensitivity.value = 100.0;
    mixed.channels[1].sensor = "QB-7, 2".into();
    assert!(rules(&mixed, None).is_empty());
    // One place twice, but not in two directions; what is off is not looked at.
    let mut same = rig(3);
    same.channels[2].point = "point 1".into();
    assert_eq!(rules(&same, None), [("two_on_one_place", Some(3))]);
    same.channels[2].direction = "athwart".into();
    assert!(rules(&same, None).is_empty());
    same.channels[2].direction = "vertical".into();
    same.channels[2].on = false;
    assert!(rules(&same, None).is_empty());
    // A fix that is offered puts its own caution right.
    let mut voltage = rig(1);
    voltage.channels[0].quantity = Quantity::Voltage;
    voltage.channels[0].unit = "V".into();
    voltage.channels[0].sensitivity = Sensitivity::new(1.0, "V/V", Quantity::Voltage).unwrap();
    let found = check(&Facts::of(&voltage), &[]);
    assert_eq!(found[0].rule, "supply");
    let mended = voltage.edited(&found[0].fix, None).rig;
    assert!(check(&Facts::of(&mended), &[]).is_empty() && found[0].fix_says.as_deref() == Some("Set DC"));
}

proptest! {
    #[test]
    fn no_typed_cell_makes_the_table_panic(text in "\\PC{0,40}", which in 0usize..12) {
        let change = RowChange::of(Column::ALL[which], text);
        let r = rig(3);
        if let Ok(after) = r.changed(2, &change, Some(&lantern(3))) {
            prop_assert_eq!(&after.channels[0], &r.channels[0]);
            prop_assert_eq!(&after.channels[2], &r.channels[2]);
        }
    }

    #[test]
    fn numbers_read_back_as_they_were_written(value in 1e-6f64..1e6) {
        let change = RowChange::of(Column::Sensitivity, format!("{value} mV/g"));
        let after = rig(1).changed(1, &change, None).unwrap();
        prop_assert_eq!(after.channels[0].sensitivity.value, value);
    }
}
