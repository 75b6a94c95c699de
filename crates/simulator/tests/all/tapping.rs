//! The bracket at the end of the chain: a hammer and sensors in volts, moved and hit by hand and by a script.

use echo_link::{Coupling, FULL_SCALE, InputSetting, Settings};
use echo_signal::cross::cross_spectra;
use echo_signal::modal::frf::FrfMatrix;
use echo_signal::modal::mac::mac;
use echo_signal::modal::poles::{Pole, PoleSettings, stabilisation};
use echo_signal::modal::refine::refined;
use echo_signal::modal::shapes::shapes;
use echo_signal::response::{Estimator, Motion, Response, response};
use echo_signal::spectrum::{Averaging, Complex64, SpectrumSettings};
use echo_signal::window::Window;
use echo_simulator::device::tapping::{Deed, ScriptStep};
use echo_simulator::device::{Lantern, Plays, Truth};
use echo_simulator::physics::bracket::Hit;
use echo_simulator::physics::hammer::{Manner, Tip};

const RATE: f64 = 12_800.0;
/// Sensitivities as they are written on the hammer and on the sensor of input 5.
const HAMMER: f64 = 2.27e-3;
const SENSOR: f64 = 10.20e-3;

fn device() -> Lantern {
    let mut device = Lantern::playing("LT-0431", Plays::Bracket);
    let setting =
        |number| InputSetting { number, range_v: 5.0, coupling: Coupling::Iepe, high_pass_hz: 0.0, supply_v: 0.0 };
    device.apply(Settings { rate_hz: RATE, inputs: (1..=5).map(setting).collect() }, false).unwrap();
    device.restart();
    device
}

/// Volts of inputs 1 to 5 over some seconds.
fn volts(device: &mut Lantern, seconds: f64) -> Vec<Vec<f64>> {
    let mut all = vec![Vec::new(); 5];
    for _ in 0..(seconds * 20.0) as usize {
        let block = device.next_block();
        for (i, to) in all.iter_mut().enumerate() {
            let mut counts = Vec::new();
            block.counts_into(i, &mut counts);
            to.extend(counts.iter().map(|c| f64::from(*c) * 5.0 / f64::from(FULL_SCALE)));
        }
    }
    all
}

fn peak(x: &[f64]) -> f64 {
    x.iter().fold(0.0f64, |p, v| p.max(v.abs()))
}

fn hit(point: usize, direction: &str, newtons: f64) -> Deed {
    Deed::Hit(Hit { point, direction: direction.into(), newtons, tip: Tip::Nylon, manner: Manner::Clean })
}

#[test]
fn a_hit_is_seen_by_the_hammer_and_by_the_sensors_where_they_hang() {
    let mut device = device();
    let quiet = volts(&mut device, 0.5);
    assert!(quiet.iter().all(|x| peak(x) < 1e-3), "nothing moves before it is hit");
    device.does(hit(14, "-z", 300.0)).unwrap();
    let x = volts(&mut device, 1.0);
    assert!((peak(&x[0]) / HAMMER / 300.0 - 1.0).abs() < 0.15, "{} N", peak(&x[0]) / HAMMER);
    assert!(peak(&x[4]) / SENSOR > 5.0, "the plate under the hammer: {} m/s²", peak(&x[4]) / SENSOR);
    // Turned over, the same sensor tells the opposite.
    let one = |direction: &str| {
        let mut device = self::device();
        device.does(Deed::Hang { input: 5, point: 12, direction: direction.into() }).unwrap();
        device.does(hit(14, "-z", 300.0)).unwrap();
        volts(&mut device, 0.2).swap_remove(4)
    };
    let (up, down) = (one("z"), one("-z"));
    let off = up.iter().zip(&down).fold(0.0f64, |p, (a, b)| p.max((a + b).abs()));
    assert!(off < 0.01 * peak(&up), "{off} of {}", peak(&up));
}

#[test]
fn a_block_of_three_axes_moves_as_one_and_a_cable_takes_its_sensor_along() {
    let mut device = device();
    device.does(Deed::Hang { input: 2, point: 9, direction: "z".into() }).unwrap();
    let hangs = |device: &Lantern| -> Vec<(u16, usize, String)> {
        let hangs = device.bench().bracket.unwrap().hangs;
        hangs.into_iter().map(|h| (h.input, h.point, h.direction)).collect()
    };
    let told = |all: &[(u16, usize, &str)]| all.iter().map(|(i, p, d)| (*i, *p, d.to_string())).collect::<Vec<_>>();
    let all = hangs(&device);
    assert_eq!(all[..4], told(&[(2, 9, "x"), (3, 9, "y"), (4, 9, "z"), (5, 14, "z")]));
    // Eight more stay for what the wind does, each at a place of its own.
    let places: std::collections::BTreeSet<_> = all[3..].iter().map(|h| (h.1, h.2.clone())).collect();
    assert_eq!((all.len(), places.len()), (12, 9));
    device.swap(1, 5).unwrap();
    assert_eq!(hangs(&device)[3], (4, 9, "z".to_string()));
    assert_eq!(hangs(&device)[0], (1, 14, "z".to_string()), "the sensor stays where it is screwed on");
    device.does(hit(14, "-z", 300.0)).unwrap();
    let x = volts(&mut device, 0.5);
    assert!((peak(&x[4]) / HAMMER / 300.0 - 1.0).abs() < 0.15, "the hammer is on input 5 now");
}

#[test]
fn a_script_does_by_itself_what_hands_would_do() {
    let mut device = device();
    let step = |after_s, deed| ScriptStep { after_s, deed };
    let steps = vec![
        step(0.1, Deed::Hang { input: 5, point: 3, direction: "y".into() }),
        step(0.2, hit(14, "-z", 200.0)),
        step(1.0, hit(14, "-z", 400.0)),
        step(50.0, hit(14, "-z", 400.0)),
    ];
    device.follows(steps).unwrap();
    volts(&mut device, 2.0);
    let bench = device.bench().bracket.unwrap();
    assert_eq!((bench.struck.len(), bench.to_come), (2, 1));
    assert!((bench.struck[0].at_s - 0.3).abs() < 0.06 && (bench.struck[1].at_s - 1.3).abs() < 0.06);
    assert!(bench.struck[1].peak_n > 1.7 * bench.struck[0].peak_n, "{:?}", bench.struck);
    assert_eq!(bench.hangs[3].point, 3);
    device.follows(Vec::new()).unwrap();
    assert_eq!(device.bench().bracket.unwrap().to_come, 0);
}

#[test]
fn the_truth_has_six_modes_in_the_band_and_what_cannot_be_done_is_told() {
    let mut device = device();
    let Truth::Modes(modes) = device.truth() else { panic!("a structure has modes") };
    let below: Vec<_> = modes.iter().filter(|m| m.frequency_hz < 700.0).collect();
    assert_eq!(below.len(), 6);
    assert!(below.iter().all(|m| (0.004..=0.018).contains(&m.damping_ratio)));
    let refused = |device: &mut Lantern, deed| device.does(deed).unwrap_err();
    assert!(refused(&mut device, Deed::Hang { input: 20, point: 1, direction: "x".into() }).contains("input 20"));
    assert!(refused(&mut device, Deed::Hang { input: 5, point: 40, direction: "x".into() }).contains("1 to 18"));
    let late = ScriptStep { after_s: f64::NAN, deed: hit(1, "y", 100.0) };
    assert!(device.follows(vec![late]).unwrap_err().contains("0 to 3600 s"));
    let mut other = Lantern::new("T", 2690.0);
    assert!(other.does(hit(1, "y", 100.0)).unwrap_err().contains("not on the bracket"));
    assert!(other.bench().bracket.is_none());
}

/// Samples of a hit: all of its ringing.
const BLOCK: usize = 16_384;
/// Direction of the sensor at each point.
const DIRECTIONS: [&str; 18] =
    ["y", "y", "y", "y", "y", "y", "y", "y", "z", "z", "z", "z", "z", "z", "x", "x", "x", "x"];

/// The response of a point to the hammer at 14 z, of three hits of different strength.
fn tapped(device: &mut Lantern, point: usize) -> Response {
    device.does(Deed::Hang { input: 5, point, direction: DIRECTIONS[point - 1].into() }).unwrap();
    let (mut force, mut felt) = (Vec::new(), Vec::new());
    for newtons in [150.0, 300.0, 450.0] {
        device.does(hit(14, "-z", newtons)).unwrap();
        let x = volts(device, 1.3);
        // The hammer pushes down, and z is up.
        force.extend(x[0][..BLOCK].iter().map(|v| -v / HAMMER));
        felt.extend(x[4][..BLOCK].iter().map(|v| v / SENSOR));
    }
    let settings = SpectrumSettings {
        sample_rate_hz: RATE,
        block: BLOCK,
        overlap: 0.0,
        window: Window::Rectangular,
        averaging: Averaging::Linear,
    };
    response(&cross_spectra(&[&force], &[&felt], settings).unwrap(), 0, Estimator::H1).unwrap()
}

fn hz(line: usize) -> f64 {
    line as f64 * RATE / BLOCK as f64
}

/// Mean coherence from 40 to 700 Hz.
fn coherence(of: &Response) -> f64 {
    let inside = (0..of.coherence.len()).filter(|k| (40.0..700.0).contains(&hz(*k)));
    let (sum, n) = inside.fold((0.0, 0.0), |(sum, n), k| (sum + of.coherence[k], n + 1.0));
    sum / n
}

#[test]
fn the_modes_that_are_built_in_are_found_from_hits() {
    let mut device = device();
    let loose = coherence(&tapped(&mut device, 7));
    device.does(Deed::Screw { point: 7, tight: true }).unwrap();
    let all: Vec<Response> = (1..=18).map(|point| tapped(&mut device, point)).collect();
    let tight = all.iter().map(coherence).fold(1.0, f64::min);
    assert!(loose < 0.85 && tight > 0.95, "a loose sensor stands out: {loose} of {tight}");

    let lines = (1000.0 / hz(1)) as usize;
    let values = (0..lines).flat_map(|line| all.iter().map(move |r| r.h[0][line])).collect();
    let functions = FrfMatrix::new((0..lines).map(hz).collect(), 18, 1, Motion::Accelerance, values).unwrap();
    let band = functions.band((40.0, 700.0)).unwrap();
    let found = stabilisation(&band, PoleSettings::default()).unwrap().lasting(5);
    let poles: Vec<Pole> = found.into_iter().map(|l| l.pole).collect();
    let poles = refined(&band, &poles).unwrap();
    let modes = shapes(&band, &poles, &[(13, 0)]).unwrap().modes;
    let Truth::Modes(truth) = device.truth() else { panic!("a structure has modes") };
    assert_eq!(modes.len(), 6, "{:?}", poles.iter().map(Pole::frequency_hz).collect::<Vec<_>>());
    for (mode, truth) in modes.iter().zip(&truth) {
        let (f, d) = (mode.pole.frequency_hz() / truth.frequency_hz, mode.pole.damping_ratio() / truth.damping_ratio);
        assert!((f - 1.0).abs() < 0.003 && (d - 1.0).abs() < 0.08, "{} Hz: {f} {d}", truth.frequency_hz);
        let axis = |point: usize| ["x", "y", "z"].iter().position(|a| *a == DIRECTIONS[point]).unwrap();
        let own: Vec<Complex64> = (0..18).map(|p| Complex64::new(truth.shape[p][axis(p)], 0.0)).collect();
        assert!(mac(&mode.shape, &own) > 0.97, "{} Hz: MAC {}", truth.frequency_hz, mac(&mode.shape, &own));
        // The driving point tells the modal mass, and with it the size of the shape.
        let size = mode.shape[13].norm() / own[13].norm();
        assert!((size - 1.0).abs() < 0.05, "{} Hz: {size}", truth.frequency_hz);
    }
}
