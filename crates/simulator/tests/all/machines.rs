//! What the stand-ins can be made to do: bumps, an encoder, a pulse output, a machine that is run up and down,
//! clocks that drift, cables that are pulled.

use echo_link::{Coupling, FULL_SCALE, InputSetting, Settings, Wave};
use echo_simulator::device::plug::Motion;
use echo_simulator::device::{Lantern, Plays};

fn set(device: &mut Lantern, rate_hz: f64, inputs: &[u16], range_v: f64) {
    let setting =
        |&number: &u16| InputSetting { number, range_v, coupling: Coupling::Dc, high_pass_hz: 0.0, supply_v: 0.0 };
    device.apply(Settings { rate_hz, inputs: inputs.iter().map(setting).collect() }, false).unwrap();
    device.restart();
}

/// Volts of every input over some blocks.
fn volts(device: &mut Lantern, blocks: usize, range_v: f64) -> Vec<Vec<f64>> {
    let mut all: Vec<Vec<f64>> = Vec::new();
    for _ in 0..blocks {
        let block = device.next_block();
        all.resize(block.head().inputs.len(), Vec::new());
        for (i, to) in all.iter_mut().enumerate() {
            let mut counts = Vec::new();
            block.counts_into(i, &mut counts);
            to.extend(counts.iter().map(|c| f64::from(*c) * range_v / f64::from(FULL_SCALE)));
        }
    }
    all
}

fn rises(x: &[f64], through: f64) -> Vec<usize> {
    (1..x.len()).filter(|i| x[i - 1] < through && x[*i] >= through).collect()
}

#[test]
fn a_sensor_that_needs_a_supply_is_silent_without_it() {
    let mut device = Lantern::new("T", 2690.0);
    let offers = device.identity().inputs;
    assert_eq!((offers[0].supplies_v.len(), offers[20].supplies_v.as_slice()), (0, &[5.0, 12.0, 24.0][..]));
    device.plug_in(21, "optical, LT-OP5 (12 V)").unwrap();
    let fed =
        |supply_v| InputSetting { number: 21, range_v: 10.0, coupling: Coupling::Dc, high_pass_hz: 0.0, supply_v };
    for (supply_v, pulses) in [(0.0, false), (5.0, false), (12.0, true), (24.0, true)] {
        device.apply(Settings { rate_hz: 5120.0, inputs: vec![fed(supply_v)] }, false).unwrap();
        device.restart();
        let v = volts(&mut device, 10, 10.0).remove(0);
        assert_eq!(v.iter().any(|x| *x > 3.0), pulses, "{supply_v} V");
    }
    for (number, supply_v) in [(21, 9.0), (1, 12.0)] {
        let wrong = Settings { rate_hz: 5120.0, inputs: vec![InputSetting { number, ..fed(supply_v) }] };
        assert!(device.apply(wrong, false).unwrap_err().contains("does not feed"));
    }
}

#[test]
fn bumps_arrive_in_volts_at_three_sensors() {
    let mut hull = Lantern::playing("LT-0424", Plays::Berth);
    assert_eq!(hull.model(), "Lantern 24");
    set(&mut hull, 5120.0, &[1, 2, 3, 4], 1.0);
    let felt = volts(&mut hull, 200, 1.0);
    let bumps = hull.bench().bumps;
    assert!((3..=6).contains(&bumps.len()), "{bumps:?}");
    for b in bumps.iter().filter(|b| b.start_s + b.length_s < 9.9) {
        let middle = ((b.start_s + b.length_s / 2.0) * 5120.0) as usize;
        for axis in 0..3 {
            let told = felt[axis][middle - 4..middle + 4].iter().sum::<f64>() / 8.0 / 10.2e-3;
            assert!((told - b.peak[axis]).abs() < 0.6, "axis {axis}: {told} for {b:?}");
        }
    }
    assert!(felt[3].iter().all(|v| v.abs() < 1e-3), "nothing hangs on input 4");
    // Begun anew, the same bumps come at the same times.
    hull.restart();
    let again = volts(&mut hull, 200, 1.0);
    assert_eq!(rises(&again[0], 0.1), rises(&felt[0], 0.1));
    assert!(hull.bring_to(1000.0, 100.0).is_err() && hull.hold().is_err(), "a hull has no shaft");
}

#[test]
fn an_encoder_turns_with_the_shaft_wherever_it_is_plugged_in() {
    let mut device = Lantern::new("T", 1500.0);
    for (input, sensor) in
        [(21, "encoder EN-32, track A"), (20, "encoder EN-32, track B"), (19, "encoder EN-32, index")]
    {
        if input != 21 {
            device.unplug(input).unwrap();
        }
        device.plug_in(input, sensor).unwrap();
    }
    set(&mut device, 51_200.0, &[21, 20, 19, 22], 10.0);
    let v = volts(&mut device, 40, 10.0);
    let (a, b, index, mark) = (rises(&v[0], 2.5), rises(&v[1], 2.5), rises(&v[2], 2.5), rises(&v[3], 2.1));
    // Two seconds at 25 turns a second: 32 lines a turn.
    assert!((1599..=1601).contains(&a.len()) && (1599..=1601).contains(&b.len()), "{} {}", a.len(), b.len());
    assert!((49..=51).contains(&index.len()) && (49..=51).contains(&mark.len()));
    // A leads B by a quarter of a line: 16 samples of 64.
    let lead =
        a.iter().filter_map(|x| b.iter().find(|y| *y >= x).map(|y| y - x)).take(500).sum::<usize>() as f64 / 500.0;
    assert!((lead - 16.0).abs() < 1.0, "{lead} samples");
    // Index and mark begin with the turn.
    let apart = index.iter().map(|i| mark.iter().map(|m| m.abs_diff(*i)).min().unwrap()).max().unwrap();
    assert!(apart <= 2 || apart >= 2046, "{apart} samples");
}

#[test]
fn the_output_makes_pulses_and_a_cable_brings_them_back() {
    let mut device = Lantern::new("T", 2690.0);
    device.plug_in(21, "cable from the output").unwrap();
    device.move_to(21, Motion::Output).unwrap();
    device.drive(40.0, 5.0, Wave::Pulse).unwrap();
    set(&mut device, 25_600.0, &[21], 10.0);
    let train = volts(&mut device, 40, 10.0).remove(0);
    assert!((79..=80).contains(&rises(&train, 2.5).len()), "{}", rises(&train, 2.5).len());
    let high = train.iter().filter(|v| **v > 2.5).count() as f64 / train.len() as f64;
    assert!((high - 0.1).abs() < 0.005, "a tenth of the period: {high}");
    device.drive(40.0, 5.0, Wave::Sine).unwrap();
    let sine = volts(&mut device, 20, 10.0).remove(0);
    assert!(sine.iter().any(|v| *v < -4.5), "a sine goes below zero too");
    assert!(device.drive(30_000.0, 1.0, Wave::Pulse).is_err());
}

#[test]
fn the_machine_is_run_up_held_and_coasted_down() {
    let mut device = Lantern::new("T", 1000.0);
    set(&mut device, 51_200.0, &[22], 10.0);
    let rpm = |d: &Lantern| d.bench().rpm.unwrap();
    device.bring_to(2000.0, 500.0).unwrap();
    let up = volts(&mut device, 20, 10.0).remove(0);
    assert!((rpm(&device) - 1500.0).abs() < 1.0, "a second at 500 rpm/s: {}", rpm(&device));
    // From 1000 to 1500 rpm in a second: 20.8 turns.
    assert!((20..=21).contains(&rises(&up, 2.1).len()));
    device.hold().unwrap();
    let held = volts(&mut device, 20, 10.0).remove(0);
    assert!((rpm(&device) - 1500.0).abs() < 1.0);
    assert!((24..=26).contains(&rises(&held, 2.1).len()));
    device.bring_to(600.0, 2000.0).unwrap();
    volts(&mut device, 20, 10.0);
    assert!((rpm(&device) - 600.0).abs() < 1e-6);
    for (rpm, step) in [(100.0, 10.0), (4000.0, 10.0), (1000.0, 0.0), (f64::NAN, 10.0)] {
        let says = device.bring_to(rpm, step).unwrap_err();
        assert!(says.contains("300 to 3600 rpm"), "{says}");
    }
}

#[test]
fn only_the_last_module_takes_charge_and_bridges() {
    let device = Lantern::new("T", 1000.0);
    let offers = device.identity().inputs;
    for o in &offers {
        let all = o.couplings.contains(&Coupling::Charge) && o.couplings.contains(&Coupling::BridgeQuarter);
        assert_eq!(all, o.number > 18, "input {}", o.number);
    }
    let mut device = device;
    let setting = |number, coupling| InputSetting { number, range_v: 1.0, coupling, high_pass_hz: 0.0, supply_v: 0.0 };
    let ask = |d: &mut Lantern, n, c| d.apply(Settings { rate_hz: 51_200.0, inputs: vec![setting(n, c)] }, false);
    assert!(ask(&mut device, 19, Coupling::BridgeHalf).is_ok());
    assert!(ask(&mut device, 3, Coupling::Charge).unwrap_err().contains("input 3 has no coupling"));
    assert_eq!(device.settings().inputs[0].number, 19, "what was refused changed nothing");
}

#[test]
fn a_clock_that_drifts_says_so_only_in_its_times() {
    let mut device = Lantern::playing("LT-1", Plays::Deck(0));
    set(&mut device, 1024.0, &[1], 1.0);
    let (first, second) = (device.next_block(), device.next_block());
    let step = second.head().clock_ns - first.head().clock_ns;
    device.drift(1000.0);
    let third = device.next_block();
    let fourth = device.next_block();
    let drifted = fourth.head().clock_ns - third.head().clock_ns;
    assert!((drifted as f64 / step as f64 - 1.001).abs() < 1e-5, "{drifted} for {step}");
    assert_eq!(fourth.head().first_sample, 3 * second.head().first_sample, "samples are counted on");
}
