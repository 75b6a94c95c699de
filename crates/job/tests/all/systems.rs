//! Front ends brought together, sensors checked, findings let pass, ranges from listening.

use chrono::{DateTime, NaiveDate};
use echo_job::caution::rules::ALL;
use echo_job::caution::{Facts, LevelSeen, Waiver, check};
use echo_job::front_end::{FrontEnd, InputOffer};
use echo_job::rig::ranging::{ranged, suggested};
use echo_job::rig::{Cell, Channel, Column, Coupling, Rig};
use echo_job::sensor::Sensor;

fn lantern(model: &str, serial: &str, inputs: u16) -> FrontEnd {
    let offer = |number| InputOffer {
        number,
        unit: 0,
        connector: number,
        module: format!("M{}", (number - 1) / 8 + 1),
        ranges_v: vec![0.1, 0.5, 1.0, 5.0, 10.0],
        couplings: Coupling::ALL.to_vec(),
        high_pass_hz: vec![0.0, 1.0, 10.0],
        supplies_v: vec![],
    };
    FrontEnd {
        model: model.into(),
        serial: serial.into(),
        firmware: "1.5".into(),
        rates_hz: vec![1024.0, 25_600.0, 51_200.0],
        clean_share: 0.4,
        converter_bits: 24,
        keeps_bytes: 0,
        inputs: (1..=inputs).map(offer).collect(),
    }
}

fn rig(n: u16) -> Rig {
    let channel = |input: u16| Channel {
        on: true,
        name: format!("place {input}"),
        sensor: format!("QA-31, {input}"),
        range_v: 1.0,
        point: format!("place {input}"),
        direction: "vertical".into(),
        ..Channel::free(input)
    };
    Rig { name: "deck".into(), channels: (1..=n).map(channel).collect() }
}

#[test]
fn several_front_ends_count_their_inputs_through() {
    let mut slow = lantern("Lantern 24", "c", 24);
    slow.rates_hz = vec![1024.0, 51_200.0];
    slow.clean_share = 0.38;
    let all = [lantern("Lantern 64", "a", 64), lantern("Lantern 64", "b", 64), slow];
    let s = FrontEnd::system(&all).unwrap();
    assert_eq!((s.inputs.len(), s.model.as_str(), s.serial.as_str()), (152, "3 × Lantern 64, Lantern 24", "a, b, c"));
    assert_eq!(s.rates_hz, [1024.0, 51_200.0], "only rates that all of them have");
    assert_eq!(s.clean_share, 0.38);
    for (number, label, unit, connector) in [(1, "A1", 0, 1), (64, "A64", 0, 64), (65, "B1", 1, 1), (152, "C24", 2, 24)]
    {
        let i = s.input(number).unwrap();
        assert_eq!((s.label(number).as_str(), i.unit, i.connector), (label, unit, connector));
    }
    assert!(s.input(0).is_none() && s.input(153).is_none() && s.label(153) == "153");
    let alone = FrontEnd::system(&all[..1]).unwrap();
    assert_eq!((alone.model.as_str(), alone.label(7).as_str()), ("Lantern 64", "7"), "one alone needs no letter");
    assert!(FrontEnd::system(&[]).is_none());
}

#[test]
fn a_rig_covers_what_is_connected_and_says_what_is_not() {
    let f = lantern("Lantern 64", "a", 64);
    let covered = rig(3).covering(Some(&f));
    assert_eq!(covered.channels.len(), 64);
    assert!(!covered.channels[63].on && covered.channels[2].on && covered.active().count() == 3);
    assert!(covered.check(Some(&f)).is_ok());
    assert_eq!(rig(3).covering(None), rig(3));
    let beyond = rig(70).check(Some(&f)).unwrap_err();
    assert!(beyond.says.contains("input 65 is on") && beyond.says.contains("64 inputs"), "{}", beyond.says);
    let mut filtered = rig(1);
    filtered.channels[0].high_pass_hz = 3.0;
    assert_eq!(filtered.check(Some(&f)).unwrap_err().field, "high_pass_hz");
    let set = |text: &str| rig(1).edited(&[Cell::new(1, Column::HighPassHz, text)], Some(&f));
    for (text, hz) in [("10 Hz", 10.0), ("1", 1.0), ("off", 0.0), ("0", 0.0), ("", 0.0)] {
        assert_eq!(set(text).rig.channels[0].high_pass_hz, hz, "{text}");
    }
    for (text, word) in
        [("3 Hz", "it offers off, 1, 10 Hz"), ("10 V", "is a voltage"), ("-1", "must be 0 Hz or more, or “off”")]
    {
        assert!(set(text).refused[0].says.contains(word), "{text}: {:?}", set(text).refused);
    }
}

#[test]
fn every_column_offers_what_it_takes() {
    let f = lantern("Lantern 64", "a", 2);
    let c = rig(1).channels[0].clone();
    for column in Column::ALL {
        assert_eq!(Column::from_head(column.head()), Some(column), "{column:?}");
        assert_eq!(Column::from_head(&column.head().to_uppercase()), Some(column));
        for text in column.options(&c, Some(&f)) {
            let mut changed = c.clone();
            column.set(&mut changed, &text, Some(&f)).unwrap_or_else(|e| panic!("{column:?} {text}: {}", e.says));
            assert_eq!(column.text(&changed), text, "what is offered is shown as it was offered");
        }
        let mut same = c.clone();
        column.set(&mut same, &column.text(&c), Some(&f)).unwrap();
        assert_eq!(same, c, "{column:?} set to what it shows");
    }
    assert_eq!((Column::from_head("Filter"), Column::from_head("slant")), (Some(Column::HighPassHz), None));
}

#[test]
fn ranges_follow_what_was_heard() {
    let f = lantern("Lantern 64", "a", 8);
    let r = rig(6);
    let heard = [(1, 0.3, false), (2, 0.04, false), (3, 1.0, true), (4, 1e-6, false), (5, 0.9, false)];
    let found = ranged(&r, &f, &heard, 2.0).unwrap();
    let told: Vec<(u16, &str, bool)> =
        found.iter().map(|x| (x.cell.input, x.cell.text.as_str(), x.listen_again)).collect();
    // 0.3 V needs 1 V and has it; what was silent or not heard at all keeps its range.
    assert_eq!(told, [(2, "0.1 V", false), (3, "5 V", true), (5, "5 V", false)]);
    assert!((found[0].heard_v - 0.04).abs() < 1e-12);
    for wrong in [0.5, 101.0, f64::NAN] {
        assert_eq!(ranged(&r, &f, &heard, wrong).unwrap_err().field, "headroom");
    }
    assert_eq!((suggested(&[1.0, 5.0], 9.0, 2.0), suggested(&[], 1.0, 1.0)), (Some(5.0), None));
    // Applied, and heard again with the same voltages, nothing is left to change.
    let cells: Vec<Cell> = found.into_iter().map(|x| x.cell).collect();
    let after = r.edited(&cells, Some(&f)).rig;
    let again: Vec<(u16, f64, bool)> = heard
        .iter()
        .filter(|h| !h.2)
        .map(|h| (h.0, h.1 * r.channel(h.0).unwrap().range_v / after.channel(h.0).unwrap().range_v, false))
        .collect();
    assert!(ranged(&after, &f, &again, 2.0).unwrap().is_empty());
}

fn sensor() -> Sensor {
    serde_json::from_str(
        r#"{"model": "QA-31", "serial": "1", "quantity": "acceleration", "coupling": "IEPE",
            "sensitivity": {"value": 10, "unit": "mV/(m/s²)"}, "calibrated_on": "2026-02-12", "due_on": "2027-02-12"}"#,
    )
    .unwrap()
}

#[test]
fn sensors_that_cannot_be_are_refused_by_field() {
    assert!(sensor().check().is_ok());
    let wrong = |change: &dyn Fn(&mut Sensor)| {
        let mut s = sensor();
        change(&mut s);
        s.check().unwrap_err().field
    };
    assert_eq!(wrong(&|s| s.model = "QA, 31".into()), "model", "the comma parts type and serial");
    assert_eq!(wrong(&|s| s.serial = " ".into()), "serial");
    assert_eq!(wrong(&|s| s.sensitivity.value = f64::NAN), "sensitivity");
    assert_eq!(wrong(&|s| s.sensitivity.unit = "mV/N".into()), "sensitivity_unit");
    assert_eq!(wrong(&|s| s.measures_to = Some(-1.0)), "measures_to");
    assert_eq!(wrong(&|s| s.reference_hz = Some(f64::INFINITY)), "reference_hz");
    assert_eq!(wrong(&|s| s.due_on = NaiveDate::from_ymd_opt(2026, 1, 1)), "due_on");
    assert!(serde_json::from_str::<Sensor>(r#"{"model": "x", "colour": "red"}"#).is_err());
    let two = [sensor(), Sensor { model: "QB-7".into(), ..sensor() }];
    assert!(Sensor::meant("1", &two).is_none(), "a serial that two have means neither");
    assert_eq!(Sensor::meant("qb-7, 1", &two).map(|s| s.model.as_str()), Some("QB-7"));
    assert!(Sensor::meant("", &two).is_none());
}

#[test]
fn a_waiver_lets_pass_what_it_names_and_nothing_else() {
    let mut r = rig(3);
    r.channels[0].point.clear();
    r.channels[1].point.clear();
    let open = check(&Facts::of(&r), &[]);
    assert_eq!(open.len(), 2);
    let waiver = Waiver {
        rule: "no_place".into(),
        input: Some(1),
        says: open[0].says.clone(),
        reason: "on the bench".into(),
        who: "Ada".into(),
        at: DateTime::UNIX_EPOCH,
    };
    let found = check(&Facts::of(&r), std::slice::from_ref(&waiver));
    assert_eq!(
        found.iter().map(|c| (c.input, c.waived.is_some())).collect::<Vec<_>>(),
        [(Some(2), false), (Some(1), true)]
    );
    r.channels[0].direction.clear();
    let changed = check(&Facts::of(&r), &[waiver]);
    assert!(changed.iter().all(|c| c.waived.is_none()), "another finding of the same rule is open: {changed:?}");
}

#[test]
fn grave_findings_stand_first_and_a_sound_rig_has_none() {
    let r = rig(4);
    let level = |share, over| LevelSeen { peak_share: share, held_share: share, over };
    let f = lantern("Lantern 64", "a", 8);
    let heard = [(1, level(0.5, false)), (2, level(0.5, false)), (3, level(0.5, false)), (4, level(0.5, false))];
    assert!(check(&Facts::of(&r).heard(heard).on(Some(&f)), &[]).is_empty());
    let heard = [(1, level(0.01, false)), (4, level(1.0, true))];
    let found = check(&Facts::of(&r).heard(heard).on(Some(&f)), &[]);
    assert_eq!(found.iter().map(|c| c.rule).collect::<Vec<_>>(), ["clipped", "range_fit"]);
    // Every fix that is offered is one the table takes.
    for c in &found {
        assert!(r.edited(&c.fix, Some(&f)).refused.is_empty(), "{c:?}");
    }
    let methods = include_str!("../../../../docs/methods.md");
    for rule in ALL {
        let row = format!("| {} |", rule.name.replace('_', " "));
        assert!(methods.contains(&row), "docs/methods.md does not explain {}", rule.name);
    }
    let names: std::collections::HashSet<&str> = ALL.iter().map(|r| r.name).collect();
    assert!(names.len() == ALL.len() && ALL.iter().all(|r| !r.looks_for.is_empty()));
}

#[test]
fn a_hundred_mistakes_are_all_found() {
    // 256 rows, every third with something wrong: as many findings as mistakes.
    let mut r = rig(256);
    let mut wrong = 0;
    for (k, c) in r.channels.iter_mut().enumerate() {
        match k % 12 {
            0 => c.sensitivity.value = 98.0665,
            3 => c.sensor.clear(),
            6 => c.point.clear(),
            9 => c.unit = "g".into(),
            _ => continue,
        }
        wrong += 1;
    }
    let found = check(&Facts::of(&r), &[]);
    let inputs: std::collections::HashSet<u16> = found.iter().filter_map(|c| c.input).collect();
    assert_eq!((found.len(), inputs.len()), (wrong, wrong));
    let fixes: Vec<Cell> = found.iter().flat_map(|c| c.fix.clone()).collect();
    let after = r.edited(&fixes, None);
    assert!(after.refused.is_empty());
    let left = check(&Facts::of(&after.rig), &[]);
    assert!(left.iter().all(|c| ["no_sensor", "no_place"].contains(&c.rule)), "what has a fix is mended");
}
