//! The channel table as a spreadsheet: many cells at once, blocks from elsewhere, filling, going back.

use echo_job::rig::edit::{counted_on, filled_down};
use echo_job::rig::paste::{self, Place, grid};
use echo_job::rig::{Cell, Channel, Column, Rig, differences};
use echo_job::sensitivity::Sensitivity;
use echo_job::sensor::{Sensor, followed};
use proptest::prelude::*;

fn rig(n: u16) -> Rig {
    let channel = |input: u16| Channel {
        on: true,
        name: format!("frame {input}"),
        sensor: format!("QA-31, {}", 30_000 + u32::from(input)),
        point: format!("frame {input}"),
        direction: "vertical".into(),
        ..Channel::free(input)
    };
    Rig { name: "deck".into(), channels: (1..=n).map(channel).collect() }
}

fn place(rig: &Rig, from: u16, columns: &[Column]) -> Place {
    Place { inputs: rig.channels.iter().map(|c| c.input).filter(|i| *i >= from).collect(), columns: columns.to_vec() }
}

fn text(rows: &[&[&str]]) -> String {
    rows.iter().map(|r| r.join("\t")).collect::<Vec<_>>().join("\r\n")
}

#[test]
fn what_is_good_is_taken_and_what_is_refused_stays() {
    let r = rig(4);
    let cells = [
        Cell::new(1, Column::Sensitivity, "10.4"),
        Cell::new(2, Column::Sensitivity, "ten"),
        Cell::new(3, Column::Unit, "furlong"),
        Cell::new(4, Column::Quantity, "force"),
        Cell::new(9, Column::Name, "nowhere"),
    ];
    let edit = r.edited(&cells, None);
    let refused: Vec<(u16, &str)> = edit.refused.iter().map(|c| (c.input, c.field.as_str())).collect();
    assert_eq!(refused, [(2, "sensitivity"), (3, "unit"), (9, "input")]);
    assert_eq!(edit.rig.channels[0].sensitivity.value, 10.4);
    assert_eq!(edit.rig.channels[1], r.channels[1]);
    // What follows from a quantity is told with it.
    let of_four: Vec<Column> = edit.changed.iter().filter(|c| c.input == 4).map(|c| c.column).collect();
    assert_eq!(of_four, [Column::Quantity, Column::SensitivityUnit, Column::Unit]);
}

#[test]
fn names_are_judged_when_all_of_them_are_known() {
    let r = rig(4);
    let swap = [Cell::new(1, Column::Name, "frame 2"), Cell::new(2, Column::Name, "frame 1")];
    let edit = r.edited(&swap, None);
    assert!(edit.refused.is_empty() && edit.rig.channels[0].name == "frame 2", "two may change places");
    let clash = [Cell::new(1, Column::Name, "frame 4"), Cell::new(2, Column::Name, "bow")];
    let edit = r.edited(&clash, None);
    assert_eq!(edit.refused.len(), 1);
    assert!(edit.refused[0].input == 1 && edit.refused[0].says.contains("used by input 4"));
    assert_eq!((edit.rig.channels[0].name.as_str(), edit.rig.channels[1].name.as_str()), ("frame 1", "bow"));
    // The same new name on several rows: one gets it.
    let all: Vec<Cell> = (1..=4).map(|i| Cell::new(i, Column::Name, "ramp")).collect();
    let edit = r.edited(&all, None);
    assert_eq!(edit.refused.len(), 3);
    assert_eq!(edit.rig.channels.iter().filter(|c| c.name == "ramp").count(), 1);
    let empty = r.edited(&[Cell::new(2, Column::Name, "")], None);
    assert!(empty.refused[0].says.contains("has no name") && empty.rig == r);
}

#[test]
fn a_block_finds_its_columns_by_heading_or_by_place() {
    let r = rig(5);
    let block = grid(&text(&[&["Sensitivity", "Input", "per"], &["9.9", "3", "mV/(m/s2)"], &["98", "5", "mV/g"]]));
    let cells = paste::cells(&block, &place(&r, 1, &Column::SHEET), &r).unwrap();
    let edit = r.edited(&cells, None);
    assert!(edit.refused.is_empty(), "{:?}", edit.refused);
    assert_eq!(edit.rig.channels[2].sensitivity.value, 9.9);
    assert_eq!(edit.rig.channels[4].sensitivity, Sensitivity { value: 98.0, unit: "mV/g".into() });
    // Without headings: where it was put down.
    let block = grid(&text(&[&["keel", "athwart"], &["stem", "axial"]]));
    let cells = paste::cells(&block, &place(&r, 4, &[Column::Point, Column::Direction, Column::Unit]), &r).unwrap();
    assert_eq!(cells[2], Cell::new(5, Column::Point, "stem"));
    // One cell fills what is selected.
    let one = paste::cells(&grid("axial"), &place(&r, 2, &[Column::Direction]), &r).unwrap();
    assert_eq!(one.len(), 4);
}

#[test]
fn blocks_that_do_not_fit_are_refused_as_a_whole() {
    let r = rig(5);
    let at = |from| place(&r, from, &[Column::Point, Column::Direction]);
    let says = |t: &str, from| paste::cells(&grid(t), &at(from), &r).unwrap_err().says;
    assert!(says("", 1).contains("nothing in it"));
    assert!(says("a\tb\tc", 1).contains("3 columns and there are 2"));
    assert!(says("a\nb\nc", 4).contains("3 rows and there are 2"));
    assert!(says("a\tb\nc", 1).contains("row 2 has 1 cells"));
    assert!(says("Point\tDirection\tSlant\nx\ty\tz", 1).contains("means no column"));
    assert!(says("Input\tPoint\n3\tx\n3\ty", 1).contains("twice"));
    assert!(says("Input\tPoint\n77\tx", 1).contains("inputs 1 to 5"));
    assert!(says("Point\tPoint\nx\ty", 1).contains("there twice"));
    let endless = "x\n".repeat(10_000);
    assert!(says(&endless, 1).contains("10000 rows") && says(&endless, 1).contains("5 inputs"));
}

#[test]
fn quotes_hold_a_cell_together() {
    assert_eq!(grid("a\t\"b\tc\"\r\n\"d \"\"e\"\"\nf\"\tg\n"), [vec!["a", "b\tc"], vec!["d \"e\"\nf", "g"]]);
}

#[test]
fn two_units_for_one_sensitivity_are_not_guessed() {
    let r = rig(2);
    let cells = [Cell::new(1, Column::SensitivityUnit, "mV/(m/s²)"), Cell::new(1, Column::Sensitivity, "100 mV/g")];
    let edit = r.edited(&cells, None);
    assert!(edit.refused[0].says.contains("allowed: one unit"), "{:?}", edit.refused);
    let same = [Cell::new(1, Column::SensitivityUnit, "mV/(m/s^2)"), Cell::new(1, Column::Sensitivity, "10 mV/(m/s²)")];
    assert!(r.edited(&same, None).refused.is_empty());
}

#[test]
fn filling_carries_or_counts_on() {
    for (text, step, wanted) in [
        ("frame 9", 1, "frame 10"),
        ("P007", 5, "P012"),
        ("line 3, port", 2, "line 5, port"),
        ("ramp", 1, "ramp 2"),
        ("999", 1, "1000"),
        ("måling 4 ø", 1, "måling 5 ø"),
        ("frame 9", 0, "frame 9"),
    ] {
        assert_eq!(counted_on(text, step), wanted);
    }
    let r = rig(6);
    let cells = filled_down(&r, &[2, 3, 4], &[Column::Sensor, Column::Direction], true);
    assert_eq!(cells[1], Cell::new(4, Column::Sensor, "QA-31, 30004"));
    assert_eq!(cells[2], Cell::new(3, Column::Direction, "vertical 2"));
    let same = filled_down(&r, &[2, 3, 4], &[Column::Point], false);
    assert!(same.iter().all(|c| c.text == "frame 2") && same.len() == 2);
}

#[test]
fn a_sensor_brings_its_settings_along_unless_told_otherwise() {
    let json = r#"{"model": "BI-8", "serial": "71", "quantity": "displacement", "coupling": "DC",
        "sensitivity": {"value": 7.87, "unit": "mV/µm"}}"#;
    let register: Vec<Sensor> = vec![serde_json::from_str(json).unwrap()];
    let r = rig(2);
    for typed in ["BI-8, 71", "bi-8, 71", "71"] {
        let edit = r.edited(&followed(vec![Cell::new(1, Column::Sensor, typed)], &register), None);
        let c = &edit.rig.channels[0];
        assert_eq!((c.sensor.as_str(), c.sensitivity.value, c.coupling.name()), ("BI-8, 71", 7.87, "DC"), "{typed}");
    }
    let own = vec![Cell::new(1, Column::Sensor, "71"), Cell::new(1, Column::Sensitivity, "8 mV/µm")];
    assert_eq!(r.edited(&followed(own, &register), None).rig.channels[0].sensitivity.value, 8.0);
    let unknown = r.edited(&followed(vec![Cell::new(1, Column::Sensor, "72")], &register), None);
    assert_eq!(unknown.rig.channels[0].sensitivity, r.channels[0].sensitivity);
}

proptest! {
    #[test]
    fn whatever_was_changed_can_be_taken_back(cells in prop::collection::vec((1u16..7, 0usize..12, "[a-z0-9 /.]{0,6}|on|off|force|g|V|mV/g|5 V"), 0..12)) {
        let r = rig(6);
        let cells: Vec<Cell> = cells.into_iter().map(|(i, c, t)| Cell::new(i, Column::ALL[c], t)).collect();
        let edit = r.edited(&cells, None);
        let back: Vec<Cell> = edit.changed.iter().map(|c| Cell::new(c.input, c.column, c.from.clone())).collect();
        let again = edit.rig.edited(&back, None);
        prop_assert_eq!(differences(&r, &again.rig), vec![], "{:?}", again.refused);
    }

    #[test]
    fn no_pasted_text_makes_it_panic(t in "(\\PC|\t|\n|\"){0,200}") {
        let r = rig(3);
        if let Ok(cells) = paste::cells(&grid(&t), &place(&r, 1, &Column::SHEET), &r) {
            let _ = r.edited(&cells, None);
        }
    }
}
