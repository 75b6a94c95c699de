//! Speed of the computations that are used most, on input made on the spot.

use criterion::{BenchmarkId, Criterion, Throughput, criterion_group, criterion_main};
use echo_signal::filter::{Band, Filter};
use echo_signal::modal::frf::FrfMatrix;
use echo_signal::modal::poles::{Pole, PoleSettings, stabilisation};
use echo_signal::modal::refine::refined;
use echo_signal::modal::shapes::shapes;
use echo_signal::octave::{LevelDetector, OctaveBank, bands};
use echo_signal::rainflow::{Rainflow, Residue};
use echo_signal::resample::Resampler;
use echo_signal::response::Motion;
use echo_signal::rotation::angle::{AngleSampler, samples_for};
use echo_signal::rotation::curve::AngleCurve;
use echo_signal::rotation::order::{OrderBlock, order_cut};
use echo_signal::rotation::steps::{Sweep, speed_steps};
use echo_signal::rotation::vold_kalman::{Follower, OrderFilter, Poles};
use echo_signal::shock::{ShockSettings, shock_response};
use echo_signal::spectrum::{Averaging, Complex64, Scaling, SpectrumSettings, spectrum};
use echo_signal::window::Window;
use rayon::prelude::*;
use std::f64::consts::TAU;
use std::hint::black_box;

const RATE: f64 = 51_200.0;

fn noise(n: usize) -> Vec<f64> {
    let mut state = 0x2545_f491_4f6c_dd1du64;
    (0..n)
        .map(|_| {
            state ^= state << 13;
            state ^= state >> 7;
            state ^= state << 17;
            (state >> 11) as f64 / (1u64 << 52) as f64 - 1.0
        })
        .collect()
}

fn settings() -> SpectrumSettings {
    SpectrumSettings {
        sample_rate_hz: RATE,
        block: 4096,
        overlap: 0.5,
        window: Window::Hann,
        averaging: Averaging::Linear,
    }
}

fn psd(c: &mut Criterion) {
    let x = noise(1 << 20);
    let mut group = c.benchmark_group("psd");
    group.throughput(Throughput::Elements(x.len() as u64));
    group.bench_function("block 4096, Hann, 50 %, one core", |b| {
        b.iter(|| spectrum(black_box(&x), settings()).map(|s| s.values(Scaling::Psd)));
    });
    // 256 channels of 10 s, each its own stretch of one noise so that they fit into memory.
    let x = noise(1_000_000);
    let stretches: Vec<&[f64]> = (0..256).map(|k| &x[k * 1800..k * 1800 + 512_000]).collect();
    group.sample_size(10);
    group.throughput(Throughput::Elements(256 * 512_000));
    group.bench_function("256 channels of 10 s at 51.2 kHz, all cores", |b| {
        b.iter(|| {
            stretches
                .par_iter()
                .map(|x| spectrum(black_box(x), settings()).map(|s| s.values(Scaling::Psd)))
                .collect::<Result<Vec<_>, _>>()
        });
    });
    group.finish();
}

fn durability(c: &mut Criterion) {
    let x = noise(1 << 20);
    let mut group = c.benchmark_group("durability");
    group.throughput(Throughput::Elements(x.len() as u64));
    group.bench_function("rainflow of noise", |b| {
        b.iter(|| {
            let mut counter = Rainflow::new(0.0).expect("0 is allowed");
            let mut sum = 0.0;
            counter.push(black_box(&x), &mut |c| sum += c.range * c.count).expect("finite");
            counter.finish(Residue::Half, &mut |c| sum += c.range * c.count);
            sum
        });
    });
    let second = &x[..51_200];
    group.throughput(Throughput::Elements(second.len() as u64));
    let shock = ShockSettings { sample_rate_hz: RATE, q: 10.0, from_hz: 1.0, to_hz: 8192.0, per_octave: 12 };
    group.bench_function("shock response, 12 per octave over 13 octaves of 1 s", |b| {
        b.iter(|| shock_response(black_box(second), shock));
    });
    group.finish();
}

fn orders(c: &mut Criterion) {
    let n = 20 * 51_200;
    let turned = |t: f64| 10.0 * t + 1.25 * t * t;
    let channels: Vec<Vec<f64>> = (0..8)
        .map(|k| (0..n).map(|i| (TAU * (1.0 + f64::from(k)) * turned(i as f64 / RATE)).sin()).collect())
        .collect();
    let times: Vec<f64> = (0..690).map(|k| (-10.0 + (100.0 + 5.0 * f64::from(k)).sqrt()) / 2.5).collect();
    let angles: Vec<f64> = (0..690).map(f64::from).collect();
    let mut group = c.benchmark_group("orders");
    group.sample_size(10);
    group.bench_function("order cut of 20 s, 8 channels, 51.2 kHz", |b| {
        b.iter(|| {
            let curve = AngleCurve::new(&times, &angles, 0.0)?;
            let sampler = AngleSampler::new(&curve, samples_for(10.0), RATE, n)?;
            let resampled = sampler.resample(&channels.iter().map(Vec::as_slice).collect::<Vec<_>>())?;
            let block = OrderBlock { revolutions: 10.0, window: Window::Hann };
            let steps = speed_steps(&sampler, &curve, 25.0, 10.0, Sweep::Automatic)?;
            resampled
                .iter()
                .map(|x| order_cut(x, &sampler, &steps, &[1.0, 2.0, 4.0, 8.0], block))
                .collect::<echo_signal::Result<Vec<_>>>()
        });
    });
    let curve = AngleCurve::new(&times, &angles, 0.0).expect("pulses in order");
    let sampler = AngleSampler::new(&curve, samples_for(10.0), RATE, n).expect("a stretch of turns");
    let even = sampler.resample(&channels.iter().map(Vec::as_slice).collect::<Vec<_>>()).expect("samples");
    let places: Vec<f64> = (0..sampler.len()).map(|k| sampler.angle_rev(k)).collect();
    let phases: Vec<Vec<f64>> = [1.0, 2.0, 4.0, 8.0].iter().map(|o| places.iter().map(|a| o * a).collect()).collect();
    let even: Vec<&[f64]> = even.iter().map(Vec::as_slice).collect();
    group.bench_function("four orders followed together, the same at even angle", |b| {
        b.iter(|| {
            let follower = Follower::new(&places, &phases, OrderFilter { bandwidth: 0.1, poles: Poles::Two })?;
            even.iter().map(|x| follower.follow(x)).collect::<echo_signal::Result<Vec<_>>>()
        });
    });
    group.finish();
}

fn streams(c: &mut Criterion) {
    let x = noise(1 << 20);
    let mut group = c.benchmark_group("streams");
    group.throughput(Throughput::Elements(x.len() as u64));
    group.bench_function("Butterworth band-pass of order 4", |b| {
        let mut f = Filter::butterworth(Band::Bandpass(10.0, 1000.0), 4, RATE).expect("allowed");
        b.iter(|| {
            let mut y = x.clone();
            f.run(black_box(&mut y));
            y
        });
    });
    for down in [2u64, 10, 50] {
        group.bench_with_input(BenchmarkId::new("decimation", down), &down, |b, down| {
            b.iter(|| {
                let (mut r, mut y) = (Resampler::new(1, *down).expect("allowed"), Vec::new());
                r.push(black_box(&x), &mut y).expect("finite");
                y
            });
        });
    }
    let all = bands(3, 20.0, 20_000.0).expect("allowed");
    group.bench_function("third-octave bank, 20 Hz to 20 kHz", |b| {
        b.iter(|| {
            let mut bank = OctaveBank::new(&all, RATE, LevelDetector::Linear).expect("allowed");
            bank.push(black_box(&x)).expect("finite");
            bank.levels()
        });
    });
    group.finish();
}

/// Eight modes of a plate's size up to 800 Hz.
fn plate(outputs: usize, references: usize, lines: u32) -> FrfMatrix {
    let hz: Vec<f64> = (1..=lines).map(|k| 800.0 / f64::from(lines) * f64::from(k)).collect();
    let shape = |mode: usize, point: usize| ((mode + 1) as f64 * (point as f64 + 0.3) * 0.21).cos();
    let mut values = Vec::new();
    for f in &hz {
        for o in 0..outputs {
            for r in 0..references {
                let of = |mode: usize| {
                    let own = 60.0 + 80.0 * mode as f64;
                    shape(mode, o) * shape(mode, 7 * r) / Complex64::new(own * own - f * f, 0.02 * own * f)
                };
                values.push((0..8).map(of).sum());
            }
        }
    }
    FrfMatrix::new(hz, outputs, references, Motion::Receptance, values).unwrap()
}

fn modes(c: &mut Criterion) {
    let band_hz = (20.0, 790.0);
    let band = plate(48, 2, 1600).band(band_hz).unwrap();
    c.bench_function("stabilisation, 96 responses, order 40", |b| {
        b.iter(|| stabilisation(black_box(&band), PoleSettings::default()).unwrap());
    });
    // The size of a large structure: what is looked at once, and what every pick asks for.
    let mut group = c.benchmark_group("256 outputs, 3 references, 4096 lines");
    group.sample_size(10);
    let functions = plate(256, 3, 4096);
    group.bench_function("laying the band out", |b| {
        b.iter(|| black_box(&functions).band(band_hz).unwrap());
    });
    let band = functions.band(band_hz).unwrap();
    let diagram =
        |max_order| stabilisation(black_box(&band), PoleSettings { max_order, ..Default::default() }).unwrap();
    group.bench_function("stabilisation, order 60", |b| b.iter(|| diagram(60)));
    let poles: Vec<Pole> = diagram(20).lasting(5).into_iter().map(|l| l.pole).collect();
    group.bench_function("refinement of the poles", |b| {
        b.iter(|| refined(black_box(&band), &poles).unwrap());
    });
    group.bench_function("shapes and what they miss", |b| {
        b.iter(|| shapes(black_box(&band), &poles, &[]).unwrap());
    });
    group.finish();
}

criterion_group!(benches, psd, durability, orders, streams, modes);
criterion_main!(benches);
