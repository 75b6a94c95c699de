//! The hands at the stand-in: what is plugged, broken, moved and driven shows in what it measures,
//! and the deck moves as it was built.

use echo_link::{Circuit, Coupling, FULL_SCALE, InputSetting, Notice, Settings, Wave};
use echo_signal::peak::{highest, interpolate};
use echo_signal::spectrum::{Averaging, Scaling, SpectrumSettings, spectrum};
use echo_signal::window::Window;
use echo_simulator::device::plug::{CLIPPED, DEAD, Motion, SHAKER_GAIN, SWAPPED};
use echo_simulator::device::{Lantern, Plays};
use echo_simulator::electronics::Fault;
use echo_simulator::memory::{blank, hex, unhex};
use echo_simulator::physics::deck::{ENGINE_HZ, MODES};

const RATE: f64 = 1024.0;

fn set(device: &mut Lantern, inputs: &[u16], range_v: f64) {
    let one =
        |&number: &u16| InputSetting { number, range_v, coupling: Coupling::Iepe, high_pass_hz: 0.0, supply_v: 0.0 };
    device.apply(Settings { rate_hz: RATE, inputs: inputs.iter().map(one).collect() }, false).unwrap();
    device.restart();
}

/// Volts of each chosen input over some seconds.
fn volts(device: &mut Lantern, seconds: f64, range_v: f64) -> Vec<Vec<f64>> {
    let mut all: Vec<Vec<i32>> = Vec::new();
    for _ in 0..(seconds * 20.0) as usize {
        let block = device.next_block();
        all.resize_with(block.head().inputs.len(), Vec::new);
        for (i, x) in all.iter_mut().enumerate() {
            block.counts_into(i, x);
        }
    }
    let scale = range_v / f64::from(FULL_SCALE);
    all.into_iter().map(|x| x.into_iter().map(|c| f64::from(c) * scale).collect()).collect()
}

fn rms(x: &[f64]) -> f64 {
    let mean = x.iter().sum::<f64>() / x.len() as f64;
    (x.iter().map(|v| (v - mean).powi(2)).sum::<f64>() / x.len() as f64).sqrt()
}

/// Lines that stand out, Hz, highest first.
fn lines(x: &[f64], block: usize, most: usize) -> Vec<f64> {
    let settings = SpectrumSettings {
        sample_rate_hz: RATE,
        block,
        overlap: 0.5,
        window: Window::Hann,
        averaging: Averaging::Linear,
    };
    let found = spectrum(x, settings).unwrap();
    let values = found.values(Scaling::Rms);
    let tops = highest(&values, 6, most);
    tops.into_iter().map(|i| interpolate(&values, i, Window::Hann, block).line * found.line_spacing_hz()).collect()
}

#[test]
fn the_deck_rings_in_its_modes_and_hums_with_its_engines() {
    let mut device = Lantern::playing("LT-1", Plays::Deck(64));
    // A place away from the nodes of the first modes.
    set(&mut device, &[11, 29], 0.5);
    let x = volts(&mut device, 120.0, 0.5);
    let found = lines(&x[0], 4096, 14);
    let near = |hz: f64| found.iter().any(|f| (f / hz - 1.0).abs() < 0.015);
    assert!(near(ENGINE_HZ), "{found:?}");
    let rung = MODES.iter().filter(|m| near(m.0)).count();
    assert!(rung >= 5, "{rung} of {} modes stand out: {found:?}", MODES.len());
    assert!(rms(&x[0]) > 1e-3 && rms(&x[0]) < 0.05, "{}", rms(&x[0]));
}

#[test]
fn what_is_wrong_with_the_survey_is_where_it_was_built_in() {
    let mut device = Lantern::playing("LT-1", Plays::Deck(0));
    let all: Vec<u16> = (1..=64).collect();
    set(&mut device, &all, 0.1);
    let x = volts(&mut device, 4.0, 0.1);
    for (place, v) in x.iter().enumerate() {
        let silent = rms(v) < 1e-6;
        assert_eq!(silent, DEAD.contains(&place), "place {place}: {}", rms(v));
        let full = v.iter().any(|s| s.abs() > 0.0999);
        assert_eq!(full, place == CLIPPED, "place {place}");
    }
    let bench = device.bench();
    let label = |p: usize| bench.inputs[p].sensor.clone().unwrap();
    assert_eq!(label(SWAPPED.0), format!("QA-31, {}", 30_001 + SWAPPED.1));
    assert_eq!(label(SWAPPED.1), format!("QA-31, {}", 30_001 + SWAPPED.0));
    assert_eq!(label(0), "QA-31, 30001");
}

#[test]
fn a_calibrator_and_a_shaker_give_what_they_are_set_to() {
    let mut device = Lantern::new("LT-2", 2690.0);
    device.move_to(3, Motion::Calibrator { hz: 159.155, rms: 10.0 }).unwrap();
    device.move_to(4, Motion::Shaker).unwrap();
    device.move_to(5, Motion::Still).unwrap();
    set(&mut device, &[3, 4, 5], 1.0);
    let x = volts(&mut device, 2.0, 1.0);
    let steady = |v: &[f64]| rms(&v[512..]);
    assert!((steady(&x[0]) / (10.0 * 10.38e-3) - 1.0).abs() < 1e-3, "10 m/s² by 10.38 mV: {}", steady(&x[0]));
    assert!(steady(&x[1]) < 1e-4 && steady(&x[2]) < 1e-4, "the output is off, the bench is quiet");
    assert!((lines(&x[0], 1024, 1)[0] - 159.155).abs() < 0.05);
    device.drive(80.0, 0.4, Wave::Sine).unwrap();
    let x = volts(&mut device, 2.0, 1.0);
    let wanted = 0.4 * SHAKER_GAIN / 2f64.sqrt() * 10.32e-3;
    assert!((steady(&x[1]) / wanted - 1.0).abs() < 2e-3, "{} for {wanted}", steady(&x[1]));
    for (hz, v) in [(0.0, 1.0), (80.0, -1.0), (80.0, 10.1), (f64::NAN, 1.0), (1e6, 1.0)] {
        assert!(device.drive(hz, v, Wave::Sine).is_err(), "{hz} Hz, {v} V");
    }
    assert!(device.move_to(3, Motion::Calibrator { hz: 0.1, rms: 10.0 }).is_err());
    assert!(device.move_to(25, Motion::Still).unwrap_err().contains("1 to 24"));
}

#[test]
fn a_supply_tells_open_and_shorted_circuits_in_every_block() {
    let mut device = Lantern::new("LT-2", 2690.0);
    set(&mut device, &[19, 20], 1.0);
    let told = |d: &mut Lantern, number: u16| {
        let head = d.next_block().head().clone();
        let at = head.inputs.iter().position(|i| *i == number).unwrap();
        head.circuits[at]
    };
    assert_eq!(told(&mut device, 20), Circuit::InOrder);
    device.break_sensor(20, Fault::Short).unwrap();
    assert_eq!(told(&mut device, 20), Circuit::Short);
    device.break_sensor(20, Fault::Open).unwrap();
    assert_eq!(told(&mut device, 20), Circuit::Open);
    device.break_sensor(20, Fault::None).unwrap();
    device.unplug(20).unwrap();
    assert_eq!((told(&mut device, 20), told(&mut device, 19)), (Circuit::Open, Circuit::InOrder));
}

#[test]
fn sensors_are_where_hands_put_them() {
    let mut device = Lantern::new("LT-2", 2690.0);
    let mut news = device.news();
    let on = |d: &Lantern, n: usize| d.bench().inputs[n - 1].sensor.clone();
    device.unplug(19).unwrap();
    assert_eq!(on(&device, 19), None);
    assert!(device.bench().drawer.contains(&"QA-31, 20455".to_string()));
    assert_eq!(news.try_recv().unwrap(), Notice::Unplugged { input: 19 });
    assert!(device.unplug(19).unwrap_err().contains("nothing is plugged"));
    assert!(device.plug_in(1, "QA-31, 20455").unwrap_err().contains("unplug it first"));
    assert!(device.plug_in(19, "XY-1").unwrap_err().contains("no sensor"));
    device.plug_in(21, "QA-31, 20455").unwrap();
    assert!(matches!(news.try_recv().unwrap(), Notice::Plugged(m) if m.input == 21));
    // From another input, which is empty then.
    device.plug_in(19, "QA-31, 20458").unwrap();
    assert_eq!((on(&device, 20), on(&device, 19)), (None, Some("QA-31, 20458".into())));
    assert_eq!(news.try_recv().unwrap(), Notice::Unplugged { input: 20 });
    device.swap(1, 2).unwrap();
    assert_eq!(on(&device, 1), Some("QA-31, 20404".into()));
    assert!(device.swap(1, 99).is_err());
    assert_eq!(on(&device, 1), Some("QA-31, 20404".into()), "a swap that cannot be leaves both");
    assert_eq!(device.memories().iter().map(|m| m.input).collect::<Vec<_>>(), [19, 21]);
}

#[test]
fn a_self_test_tells_what_is_broken_but_not_what_it_cannot_know() {
    let mut device = Lantern::new("LT-2", 2690.0);
    let says = |d: &Lantern, n| d.tested(n);
    assert!(says(&device, 1).passed && says(&device, 1).bias_v.is_some_and(|b| (10.0..13.0).contains(&b)));
    assert!(says(&device, 22).passed && says(&device, 22).bias_v.is_none(), "a voltage source has no supply to test");
    assert!(!says(&device, 21).passed && says(&device, 21).says.contains("nothing is plugged"));
    for (fault, passed, word) in [
        (Fault::Open, false, "open"),
        (Fault::Short, false, "shorted"),
        (Fault::Noisy, false, "noise"),
        (Fault::Offset, false, "rest voltage"),
        (Fault::Dead, true, "in order"),
        (Fault::None, true, "in order"),
    ] {
        device.break_sensor(4, fault).unwrap();
        let t = says(&device, 4);
        assert!(t.passed == passed && t.says.contains(word), "{fault:?}: {t:?}");
    }
    assert!(device.break_sensor(21, Fault::Open).unwrap_err().contains("nothing is plugged"));
    device.power("M1", false).unwrap();
    assert!(says(&device, 6).says.contains("M1 has no power") && says(&device, 7).passed);
    assert!(!device.state().modules[0].powered && device.state().modules[1].powered);
    assert!(device.power("M9", true).is_err());
    set(&mut device, &[6, 7], 1.0);
    let x = volts(&mut device, 1.0, 1.0);
    assert!(rms(&x[0]) < 1e-5 && rms(&x[1]) > 1e-3, "a dark module hears nothing");
    device.power("M1", true).unwrap();
    assert!(says(&device, 6).passed);
}

#[test]
fn a_memory_is_written_whole_or_not_at_all() {
    let mut device = Lantern::new("LT-2", 2690.0);
    device.unplug(19).unwrap();
    device.plug_in(19, "QA-31, 20461").unwrap();
    let held = |d: &Lantern| d.memories().into_iter().find(|m| m.input == 19).unwrap().memory;
    assert_eq!(unhex(&held(&device)), Some(blank()));
    let new = hex(&[7; 128]);
    for (input, memory, word) in [
        (1, new.as_str(), "no smart sensor"),
        (0, &new, "no smart sensor"),
        (99, &new, "no smart sensor"),
        (19, "0707", "128 bytes"),
        (19, "zz", "hexadecimal"),
    ] {
        assert!(device.write_memory(input, memory).unwrap_err().contains(word), "{input}");
    }
    assert_eq!(unhex(&held(&device)), Some(blank()));
    assert_eq!(device.write_memory(19, &new).unwrap().memory, new);
    assert_eq!(held(&device), new);
}
