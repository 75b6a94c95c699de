//! A run-up of the machine, analysed by code that knows nothing of it: orders, modes and runout
//! come out as they were built in.

use echo_signal::resample::Resampler;
use echo_signal::rotation::angle::{AngleSampler, samples_for};
use echo_signal::rotation::curve::{AngleCurve, speed_smoothing_rev};
use echo_signal::rotation::order::{OrderBlock, order_cut};
use echo_signal::rotation::pulses::{PulseSettings, Slope, pulses};
use echo_signal::rotation::steps::{SpeedStep, Sweep, speed_steps};
use echo_signal::rotation::vibration::{resonance, slow_roll_vector, subtract_slow_roll};
use echo_signal::rotation::wheel::{PulseTrain, PulseVerdict, Wheel};
use echo_signal::spectrum::Complex64;
use echo_signal::window::Window;
use echo_simulator::physics::thruster::{ATHWART_MODE, InputTruth, PINION_TEETH, Thruster};

const RATE: f64 = 102_400.0;
const DOWN: u64 = 4;

/// Inputs of the record: gearbox top athwart and vertical, shaft mark, probe x.
const INPUTS: [usize; 4] = [8, 7, 22, 23];

fn record(from_rpm: f64, to_rpm: f64, rpm_per_s: f64) -> Vec<Vec<f64>> {
    let mut machine = Thruster::steady(from_rpm, RATE, 3);
    machine.bring_to(to_rpm, rpm_per_s);
    let n = ((to_rpm - from_rpm) / rpm_per_s * RATE) as usize;
    let mut now = vec![0.0; machine.inputs()];
    let mut resamplers = vec![Resampler::new(1, DOWN).unwrap(); INPUTS.len()];
    let (mut pieces, mut out) = (vec![Vec::new(); INPUTS.len()], vec![Vec::new(); INPUTS.len()]);
    for i in 0..n {
        machine.step(&mut now);
        for (piece, input) in pieces.iter_mut().zip(INPUTS) {
            piece.push(now[input - 1]);
        }
        if i % 65_536 == 0 || i + 1 == n {
            for ((r, piece), out) in resamplers.iter_mut().zip(&mut pieces).zip(&mut out) {
                r.push(piece, out).unwrap();
                piece.clear();
            }
        }
    }
    assert!((machine.rpm() - to_rpm).abs() < 0.01);
    resamplers.iter_mut().zip(&mut out).for_each(|(r, out)| r.finish(out));
    out
}

struct Tracked {
    rpm: Vec<f64>,
    steps: Vec<SpeedStep>,
    /// `[input][order][step]`
    cuts: Vec<Vec<Vec<Complex64>>>,
}

fn track(record: &[Vec<f64>], orders: &[f64], step_rpm: f64) -> Tracked {
    let rate = RATE / DOWN as f64;
    let mark = &record[2];
    let found = pulses(mark, PulseSettings::automatic(mark, Slope::Rising).unwrap()).unwrap();
    let times: Vec<f64> = found.iter().map(|p| p / rate).collect();
    let train = PulseTrain::new(&times, Wheel::even(1.0), 0.0).unwrap();
    assert!(train.pulses.iter().all(|p| p.verdict == PulseVerdict::Good));
    let (times, angles) = train.carrying();
    let curve = AngleCurve::by_turns(&times, &angles, speed_smoothing_rev(1.0)).unwrap();
    let highest = orders.iter().copied().fold(0.0, f64::max);
    let sampler = AngleSampler::new(&curve, samples_for(highest), rate, mark.len()).unwrap();
    let block = OrderBlock { revolutions: 20.0, window: Window::Hann };
    let steps = speed_steps(&sampler, &curve, step_rpm, block.revolutions, Sweep::Up).unwrap();
    let channels = [&record[0][..], &record[1][..], &record[3][..]];
    let cuts = sampler
        .resample(&channels)
        .unwrap()
        .iter()
        .map(|x| order_cut(x, &sampler, &steps, orders, block).unwrap())
        .collect();
    Tracked { rpm: steps.iter().map(|s| s.rpm).collect(), steps, cuts }
}

fn truth(rpm: f64, input: u16) -> InputTruth {
    Thruster::steady(rpm, 1000.0, 1).truth().into_iter().find(|t| t.input == input).unwrap()
}

#[test]
fn the_mesh_follows_its_truth_over_the_whole_run_up() {
    let t = track(&record(600.0, 3300.0, 150.0), &[1.0, PINION_TEETH], 100.0);
    assert!(t.rpm.len() > 20 && t.rpm[0] <= 900.0);
    // Quasi-steady: the run-up starts at rest, so its truth is that of the speed of the moment.
    for (k, step) in t.steps.iter().enumerate() {
        for (row, input) in [(0, 8), (1, 7)] {
            let wanted = truth(step.rpm, input).components.iter().find(|c| c.what == "mesh").unwrap().amplitude;
            let got = t.cuts[row][1][k].norm();
            assert!((got / wanted - 1.0).abs() < 0.02, "input {input} at {} rpm: {got} for {wanted}", step.rpm);
        }
    }
}

#[test]
fn the_first_mode_and_the_runout_are_found() {
    let t = track(&record(740.0, 1330.0, 6.0), &[1.0], 4.0);
    // Slow enough for the mode to follow: its peak comes some 2 rpm late at 6 rpm a second.
    let athwart = resonance(&t.rpm, &t.cuts[0][0], 1.0, 900.0, 1300.0).unwrap();
    let (hz, zeta) = ATHWART_MODE;
    assert!((athwart.frequency_hz / hz - 1.0).abs() < 0.01, "{athwart:?}");
    assert!((athwart.amplification * 2.0 * zeta - 1.0).abs() < 0.15, "{athwart:?}");
    // Far below the mode the probe sees its runout of 6.5 µm and little else; the mark gives both
    // records the same zero of angle, so that what is found at 300 rpm can be taken off here.
    let calm = track(&record(300.0, 360.0, 6.0), &[1.0], 4.0);
    let slow = slow_roll_vector(&calm.rpm, &calm.cuts[2][0], 300.0, 360.0).unwrap();
    assert!((slow.norm() - 6.5e-6).abs() < 1.5e-6, "{}", slow.norm());
    let probe = &t.cuts[2][0];
    let clean = subtract_slow_roll(probe, slow);
    let by_probe = resonance(&t.rpm, &clean, 1.0, 900.0, 1300.0).unwrap();
    assert!((by_probe.frequency_hz / hz - 1.0).abs() < 0.01, "{by_probe:?}");
}
