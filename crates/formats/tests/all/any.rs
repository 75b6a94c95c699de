//! What must hold for any table and any memory.

use echo_formats::sheet::{Sheet, read, write_csv, write_xlsx};
use echo_formats::smart::{self, Told};
use echo_job::rig::Coupling;
use echo_job::sensitivity::Sensitivity;
use echo_job::sensor::Sensor;
use echo_job::unit::Quantity;
use proptest::prelude::*;

fn any_sheet() -> impl Strategy<Value = Sheet> {
    let cell = prop_oneof!["[a-zA-Z0-9 ;,.\"'µ²√/()-]{0,12}", "-?[0-9]{1,6}(\\.[0-9]{1,4})?"];
    (2usize..6).prop_flat_map(move |columns| {
        let row = prop::collection::vec(cell.clone(), columns);
        (prop::collection::vec("[A-Z][a-z]{2,8}", columns), prop::collection::vec(row, 0..12))
            .prop_map(|(heads, rows)| Sheet { name: "Any".into(), heads, rows })
    })
}

fn any_sensor() -> impl Strategy<Value = Sensor> {
    let days = (10_000i64..20_000, 1i64..4_000);
    (0u32..1 << 15, 0u32..1 << 24, any::<bool>(), 0.01f64..1e4, prop::option::of(1.0f64..2_000.0), days).prop_map(
        |(model, serial, force, value, reference_hz, (day, period))| {
            let start = chrono::NaiveDate::from_ymd_opt(1998, 1, 1).unwrap();
            let on = start + chrono::Days::new(day as u64);
            Sensor {
                model: format!("BI-{model}"),
                serial: serial.to_string(),
                maker: "Brindle Instruments".into(),
                quantity: if force { Quantity::Force } else { Quantity::Acceleration },
                sensitivity: Sensitivity { value, unit: if force { "mV/N" } else { "mV/(m/s²)" }.into() },
                reference_hz,
                coupling: Coupling::Iepe,
                measures_to: None,
                resonance_hz: None,
                bias_v: None,
                calibrated_on: Some(on),
                due_on: Some(on + chrono::Days::new(period as u64)),
                uncertainty_percent: None,
            }
        },
    )
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn tables_come_back(sheet in any_sheet()) {
        // Spreadsheets know no difference between an empty row at the end and none.
        let mut wanted = vec![sheet.heads.clone()];
        wanted.extend(sheet.rows.clone());
        let csv = read(&write_csv(&sheet).unwrap()).unwrap();
        let full = |rows: &[Vec<String>]| rows.iter().filter(|r| r.iter().any(|c| !c.is_empty())).cloned().collect::<Vec<_>>();
        prop_assert_eq!(full(&csv), full(&wanted));
        let xlsx = read(&write_xlsx(std::slice::from_ref(&sheet)).unwrap()).unwrap();
        prop_assert_eq!(full(&xlsx), full(&wanted));
    }

    #[test]
    fn any_bytes_for_a_table_get_an_answer(bytes in prop::collection::vec(any::<u8>(), 0..300)) {
        let _ = read(&bytes);
        let mut zip = b"PK\x03\x04".to_vec();
        zip.extend(&bytes);
        prop_assert!(read(&zip).is_err());
    }

    #[test]
    fn sensors_come_back_from_their_memories(sensor in any_sensor()) {
        let memory = smart::write(&sensor, 128).unwrap();
        let Told::Sensor { sensor: back } = smart::read(&memory) else { panic!("{:?}", smart::read(&memory)) };
        prop_assert_eq!(back.label(), sensor.label());
        prop_assert_eq!(back.quantity, sensor.quantity);
        prop_assert_eq!((back.calibrated_on, back.due_on), (sensor.calibrated_on, sensor.due_on));
        // The scale has 65 534 steps of 0.03 % from half a microvolt.
        prop_assert!((back.sensitivity.value / sensor.sensitivity.value - 1.0).abs() < 2.5e-4, "{} {}", back.sensitivity.value, sensor.sensitivity.value);
        match (back.reference_hz, sensor.reference_hz) {
            (Some(a), Some(b)) => prop_assert!((a / b - 1.0).abs() < 0.025, "{a} {b}"),
            (a, b) => prop_assert_eq!(a.is_some(), b.is_some()),
        }
    }

    #[test]
    fn one_wrong_bit_is_never_believed(sensor in any_sensor(), bit in 0usize..1024) {
        let mut memory = smart::write(&sensor, 128).unwrap();
        memory[bit / 8] ^= 1 << (bit % 8);
        let damaged = matches!(smart::read(&memory), Told::Damaged { .. });
        prop_assert!(damaged, "bit {}", bit);
    }

    #[test]
    fn any_memory_gets_an_answer(mut memory in prop::collection::vec(any::<u8>(), 0..160), mend in any::<bool>()) {
        if mend {
            // With checksums put right the entries themselves are read, whatever they are.
            for page in memory.chunks_mut(32) {
                page[0] = 0;
                page[0] = 0u8.wrapping_sub(page.iter().fold(0, |s: u8, b| s.wrapping_add(*b)));
            }
        }
        if let Told::Sensor { sensor } = smart::read(&memory) {
            prop_assert!(sensor.sensitivity.value >= 0.0 && !sensor.serial.is_empty());
        }
    }
}
