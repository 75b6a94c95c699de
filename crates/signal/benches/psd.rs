//! Speed of the averaged spectrum: block 4096, Hann, half overlap.

use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use echo_signal::spectrum::{Averaging, Scaling, SpectrumSettings, spectrum};
use echo_signal::window::Window;
use std::hint::black_box;

fn psd(c: &mut Criterion) {
    let x: Vec<f64> = (0..1 << 20).map(|i| (f64::from(i) * 0.731).sin()).collect();
    let settings = SpectrumSettings {
        sample_rate_hz: 51_200.0,
        block: 4096,
        overlap: 0.5,
        window: Window::Hann,
        averaging: Averaging::Linear,
    };
    let mut group = c.benchmark_group("psd");
    group.throughput(Throughput::Elements(x.len() as u64));
    group.bench_function("block 4096, Hann, 50 %", |b| {
        b.iter(|| spectrum(black_box(&x), settings).map(|s| s.values(Scaling::Psd)));
    });
    group.finish();
}

criterion_group!(benches, psd);
criterion_main!(benches);
