//! Modes from operation alone: structures whose modes are known, shaken by noise that nobody measured.

use crate::common::{cosine, cut, noise};
use echo_signal::modal::mac::mac;
use echo_signal::modal::operation::{CorrelationProcessor, Correlations, bell};
use echo_signal::modal::poles::{Pole, PoleSettings, stabilisation};
use echo_signal::modal::refine::refined;
use echo_signal::modal::shapes::{ShapeScale, shapes};
use realfft::num_complex::Complex64;
use std::f64::consts::{PI, TAU};

const RATE: f64 = 1024.0;

/// A mode: frequency in Hz, damping ratio, shape.
const KNOWN: [(f64, f64, [f64; 5]); 4] = [
    (30.0, 0.012, [0.5, 0.4, 0.3, 0.2, 0.1]),
    (100.0, 0.008, [0.4, -0.1, -0.5, 0.1, 0.4]),
    (104.0, 0.011, [0.2, 0.5, 0.1, -0.5, 0.3]),
    (290.0, 0.009, [-0.3, 0.5, -0.3, 0.4, -0.4]),
];

/// What five sensors feel for so many samples, every point pushed by noise of its own, with `hum` of 60 Hz on it.
fn felt(samples: usize, hum: f64) -> Vec<Vec<f64>> {
    let pushes: Vec<Vec<f64>> = (0..5).map(|k| noise(40 + k, samples)).collect();
    let turn = KNOWN.map(|(hz, zeta, _)| {
        let own = TAU * hz;
        (Complex64::new(-zeta * own, own * (1.0 - zeta * zeta).sqrt()) / RATE).exp()
    });
    let mut state = [Complex64::new(0.0, 0.0); 4];
    let mut out = vec![Vec::new(); 5];
    for n in 0..samples {
        for ((s, z), (_, _, shape)) in state.iter_mut().zip(&turn).zip(&KNOWN) {
            let force: f64 = shape.iter().zip(&pushes).map(|(p, w)| p * w[n]).sum();
            *s = *s * z + force;
        }
        let tone = hum * (TAU * 60.0 * n as f64 / RATE).sin();
        for (o, to) in out.iter_mut().enumerate() {
            to.push(tone + state.iter().zip(&KNOWN).map(|(s, (_, _, shape))| shape[o] * s.re).sum::<f64>());
        }
    }
    out
}

fn correlated(channels: &[Vec<f64>], lags: usize, references: &[usize]) -> Correlations {
    let mut processor = CorrelationProcessor::new(RATE, lags, channels.len(), references).unwrap();
    processor.push(&channels.iter().map(|c| &c[..]).collect::<Vec<_>>()).unwrap();
    processor.finish().unwrap()
}

#[test]
fn a_correlation_is_the_mean_of_products_so_far_apart() {
    // Whole periods in every block, the second channel a quarter period late and twice as large.
    let (x, y) = (cosine(64.0, 1.0, 0.0, RATE, 4096), cosine(64.0, 2.0, -PI / 2.0, RATE, 4096));
    let found = correlated(&[x, y], 64, &[0]);
    for lag in -63..64isize {
        let angle = TAU * 64.0 * lag as f64 / RATE;
        assert!((found.at(0, 0, lag) - 0.5 * angle.cos()).abs() < 1e-12, "{lag}");
        assert!((found.at(1, 0, lag) - (angle - PI / 2.0).cos()).abs() < 1e-12, "{lag}");
    }
    // Noise against its own past: what is measured is the delay, and the power at no lag.
    let n = noise(3, 50_000);
    let late: Vec<f64> = (0..n.len()).map(|k| if k < 5 { 0.0 } else { 3.0 * n[k - 5] }).collect();
    let power = n.iter().map(|v| v * v).sum::<f64>() / n.len() as f64;
    let found = correlated(&[n, late], 32, &[0]);
    assert!((found.at(1, 0, 5) / (3.0 * power) - 1.0).abs() < 0.01);
    assert!((-31..32).filter(|l| *l != 5).all(|l| found.at(1, 0, l).abs() < 0.1 * power));
}

#[test]
fn correlations_do_not_depend_on_how_samples_come() {
    let channels: Vec<Vec<f64>> = (0..3).map(|k| noise(7 + k, 5000)).collect();
    let whole = correlated(&channels, 100, &[0, 2]);
    let mut processor = CorrelationProcessor::new(RATE, 100, 3, &[0, 2]).unwrap();
    for part in cut(5000, &[1, 399, 400, 401, 1777]) {
        processor.push(&channels.iter().map(|c| &c[part.clone()]).collect::<Vec<_>>()).unwrap();
    }
    assert_eq!(processor.finish().unwrap(), whole);
    // After a break only what follows it counts, and 399 samples hold no block.
    processor.interrupt();
    processor.push(&channels.iter().map(|c| &c[..399]).collect::<Vec<_>>()).unwrap();
    assert_eq!(processor.finish().unwrap(), whole);
}

#[test]
fn modes_are_found_without_their_forces() {
    let found = correlated(&felt(300_000, 0.0), 1024, &[0, 1, 4]);
    let half = found.half_spectra().unwrap();
    let within = half.band((10.0, 400.0)).unwrap();
    let diagram = stabilisation(&within, PoleSettings { max_order: 30, ..PoleSettings::default() }).unwrap();
    let poles: Vec<Pole> = diagram.lasting(5).into_iter().map(|l| l.pole).collect();
    // The linear poles are taken as they are: correlations scatter otherwise than measured responses.
    let near: Vec<Pole> = KNOWN
        .iter()
        .map(|(hz, ..)| {
            let off = |p: &&Pole| (p.frequency_hz() - hz).abs();
            poles.iter().min_by(|a, b| off(a).total_cmp(&off(b))).expect("poles hold").clone()
        })
        .collect();
    let better = refined(&within, &near).unwrap();
    let modes = shapes(&within, &better, &[]).unwrap();
    let of: Vec<&[Complex64]> = modes.modes.iter().map(|m| &m.shape[..]).collect();
    for (k, (mode, (hz, zeta, shape))) in modes.modes.iter().zip(KNOWN).enumerate() {
        let pole = mode.pole.clone().without_window(found.added_decay());
        let (f, z) = (pole.frequency_hz(), pole.damping_ratio());
        assert!((f / hz - 1.0).abs() < 0.002 && (z / zeta - 1.0).abs() < 0.15, "{hz} Hz: {f} Hz, {z}");
        let known: Vec<Complex64> = shape.iter().map(|x| Complex64::new(*x, 0.0)).collect();
        assert!(mac(&mode.shape, &known) > 0.98, "{hz} Hz: {}", mac(&mode.shape, &known));
        assert_eq!(mode.scale, ShapeScale::LargestIsOne, "nothing tells the scale");
        let bell = bell(&half, (&of, k), hz, found.added_decay()).expect("a bell");
        let off = (bell.frequency_hz / hz - 1.0, bell.damping_ratio / zeta - 1.0);
        assert!(off.0.abs() < 0.01 && off.1.abs() < 0.2, "{hz} Hz: {bell:?}");
        assert!(found.steadiness(hz).unwrap() > -0.5, "{hz} Hz: {:?}", found.steadiness(hz));
    }
}

#[test]
fn what_turns_is_told_from_what_rings() {
    let found = correlated(&felt(200_000, 3.0), 512, &[0, 4]);
    let (turns, rings) = (found.steadiness(60.0).unwrap(), found.steadiness(290.0).unwrap());
    assert!(turns < -0.8 && rings > -0.5, "{turns} {rings}");
    let short = correlated(&felt(4096, 3.0), 512, &[0]);
    assert_eq!((short.blocks(), short.steadiness(60.0)), (3, None), "three blocks say nothing");
}

#[test]
fn what_cannot_be_correlated_is_refused_by_name() {
    let says = |lags, outputs, references: &[usize]| {
        CorrelationProcessor::new(RATE, lags, outputs, references).err().map_or(String::new(), |e| e.to_string())
    };
    assert!(says(8, 2, &[0]).contains("lags must be 16"));
    assert!(says(64, 2, &[2]).contains("outputs 0 to 1") && says(64, 2, &[]).contains("references"));
    assert!(says(64, 2, &[1, 1]).contains("each once") && says(64, 0, &[0]).contains("references"));
    let mut processor = CorrelationProcessor::new(RATE, 64, 2, &[0]).unwrap();
    assert!(processor.finish().unwrap_err().to_string().contains("needs at least 256"));
    assert!(processor.push(&[&[0.0]]).is_err() && processor.push(&[&[0.0, 1.0], &[0.0]]).is_err());
    assert!(processor.push(&[&[f64::NAN], &[0.0]]).is_err());
    let silence = correlated(&[vec![0.0; 4096], vec![0.0; 4096]], 64, &[0]);
    assert_eq!(silence.steadiness(10.0), None);
    let flat = [Complex64::new(1.0, 0.0), Complex64::new(0.5, 0.0)];
    assert_eq!(bell(&silence.half_spectra().unwrap(), (&[&flat], 0), 100.0, silence.added_decay()), None);
}
