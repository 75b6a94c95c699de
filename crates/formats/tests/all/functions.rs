//! Responses read for the modes lens, and its modes written as shapes.

use echo_formats::functions::read;
use echo_formats::uff::{
    Abscissa, Axis, AxisKind, Dataset, Direction, Function, FunctionKind, NodeDof, Ordinates, ShapeOf, Style,
    of_shapes, write,
};
use echo_job::analysis::modal::modes;
use echo_job::analysis::result::Points;
use echo_job::analysis::{Analysis, Provenance};
use echo_job::dof::Dof;
use echo_job::recipe::Recipe;
use echo_signal::spectrum::Complex64;
use std::f64::consts::TAU;

/// A file of that ending with these bytes.
fn file(ending: &str, bytes: &[u8]) -> tempfile::NamedTempFile {
    let file = tempfile::Builder::new().suffix(ending).tempfile().unwrap();
    std::fs::write(file.path(), bytes).unwrap();
    file
}

/// Accelerance of one mode at 40 Hz, 1 %, of 2 kg.
fn one_mode(hz: f64) -> Complex64 {
    let (s, omega) = (Complex64::new(0.0, TAU * hz), TAU * 40.0);
    s * s / (2.0 * (s * s + 0.02 * omega * s + omega * omega))
}

fn lines() -> impl Iterator<Item = f64> {
    (1..=400).map(|k| f64::from(k) * 0.25)
}

/// A response of a point to the hammer at point 1, whose shape there is `share`.
fn function(node: u32, direction: i64, share: f64, from: f64) -> Dataset {
    let dof = |node, d| NodeDof { entity: String::new(), node, direction: Direction::new(d).unwrap() };
    let axis = |kind, unit: &str| Axis { kind, label: String::new(), unit: unit.into() };
    Dataset::Function(Box::new(Function {
        kind: FunctionKind::FrequencyResponse,
        lines: std::array::from_fn(|_| "bracket".to_string()),
        response: dof(node, direction),
        reference: dof(1, -3),
        abscissa_axis: axis(AxisKind::Frequency, "Hz"),
        ordinate: axis(AxisKind::Acceleration, "m/s²"),
        denominator: axis(AxisKind::ExcitationForce, "N"),
        abscissa: Abscissa::Even { from, step: 0.25 },
        values: Ordinates::Complex(lines().map(|hz| share * one_mode(hz)).collect()),
    }))
}

fn found(path: &std::path::Path, more: &str) -> Analysis {
    let (hz, traces) = read(path).unwrap();
    let recipe = format!(r#"{{ "lens": "modes", "max_order": 8, "lasts": 3{more} }}"#);
    let provenance = Provenance { at: String::new(), input: String::new(), fingerprint: None };
    modes(&Recipe::from_json(&recipe).unwrap(), (&hz, &traces), provenance, &mut |_| true).unwrap()
}

fn says(file: &tempfile::NamedTempFile) -> String {
    read(file.path()).unwrap_err().to_string()
}

#[test]
fn a_universal_file_of_responses_gives_its_modes_and_takes_their_shapes() {
    // The hammer hits against z; at point 1 the sensor looks along it.
    let all = [function(1, 3, -1.0, 0.25), function(7, 2, 0.5, 0.25)];
    let input = file(".unv", &write(&all, Style::Binary));
    let a = found(input.path(), "");
    let of = |a: &Analysis, name: &str| a.numbers.iter().find(|n| n.name == name).unwrap().value;
    assert!((of(&a, "frequency") - 40.0).abs() < 1e-4 && (of(&a, "damping_ratio") - 0.01).abs() < 1e-5);
    let shapes = of_shapes(&a).unwrap();
    let [Dataset::Shape(shape)] = &shapes[..] else { panic!("{shapes:?}") };
    let ShapeOf::ComplexMode { number: 1, pole, modal_a } = shape.of else { panic!("{:?}", shape.of) };
    assert!((pole.norm() / TAU - 40.0).abs() < 1e-4 && (modal_a.im - 2.0 * pole.im).abs() < 1e-9);
    let at = |node: u32, axis: usize| shape.points.iter().find(|p| p.0 == node).unwrap().1[axis].norm();
    // 2 kg at the driving point: 1/√2 for a modal mass of 1 kg, and half of it beside.
    assert!((at(1, 2) - 0.5f64.sqrt()).abs() < 1e-3 && (at(7, 1) - 0.125f64.sqrt()).abs() < 1e-3, "{:?}", shape.points);
    assert_eq!((at(1, 0), at(7, 2)), (0.0, 0.0));
    let real = of_shapes(&found(input.path(), r#", "real": true"#)).unwrap();
    let Dataset::Shape(real) = &real[0] else { panic!() };
    let ShapeOf::NormalMode { mass, damping_ratio, .. } = real.of else { panic!("{:?}", real.of) };
    assert!(mass == 1.0 && (damping_ratio - 0.01).abs() < 1e-5);
}

#[test]
fn a_table_of_responses_is_read_by_its_head() {
    let rows: String = lines()
        .map(|hz| {
            let z = one_mode(hz);
            format!("{hz},{},{},{},{}\n", z.re, z.im, -0.5 * z.re, -0.5 * z.im)
        })
        .collect();
    let head = "frequency [Hz],H3z_14-z_re [m/s²/N],H3z_14-z_im [m/s²/N],H4x_14-z_re [m/s²/N],H4x_14-z_im [m/s²/N]";
    let (hz, traces) = read(file(".csv", format!("{head}\n{rows}").as_bytes()).path()).unwrap();
    assert_eq!((hz.len(), traces.len()), (400, 2));
    assert_eq!((&traces[0].dof, &traces[0].reference_dof), (&Dof::read("3", "z"), &Dof::read("14", "-z")));
    assert_eq!((traces[1].name.as_str(), traces[1].unit.as_str()), ("4 x / 14 −z", "m/s²/N"));
    let Points::Complex(z) = &traces[1].points else { panic!() };
    assert_eq!(z[159], -0.5 * one_mode(40.0));
}

#[test]
fn what_holds_no_responses_is_told() {
    let shifted = write(&[function(1, 3, 1.0, 0.25), function(2, 3, 1.0, 0.5)], Style::Text);
    assert!(says(&file(".uff", &shifted)).contains("over different frequencies"));
    let mut coherence = function(1, 3, 1.0, 0.25);
    let Dataset::Function(f) = &mut coherence else { panic!() };
    (f.kind, f.values) = (FunctionKind::Coherence, Ordinates::Real(vec![1.0; 400]));
    assert!(says(&file(".uff", &write(&[coherence], Style::Text))).contains("no frequency responses"));
    assert!(says(&file(".wav", b"RIFF\x24\0\0\0WAVE")).contains("file of samples, WAV"));
    assert!(says(&file(".xyz", b"hello")).contains("neither WAV nor CSV"));
    assert!(says(&file(".csv", b"hz,H1_1_re,H1_1_im\n1,2\n")).contains("CSV"), "a short line");
}
