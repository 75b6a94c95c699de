//! Functions and shapes of universal files as results.

use echo_formats::uff::{
    Abscissa, Axis, AxisKind, Dataset, Direction, Function, FunctionKind, Kept, NodeDof, Ordinates, Shape, ShapeOf,
    Style, curves, of_result, write,
};
use echo_job::analysis::result::Points;
use echo_job::analysis::words::{Along, Shown};
use echo_job::analysis::{Memory, Provenance, analyze};
use echo_job::recipe::Recipe;
use echo_signal::spectrum::Complex64;
use std::f64::consts::TAU;

fn of_bytes(bytes: &[u8]) -> Result<Kept, String> {
    let file = tempfile::NamedTempFile::new().unwrap();
    std::fs::write(file.path(), bytes).unwrap();
    curves(file.path()).map_err(|e| e.to_string())
}

fn kept(datasets: &[Dataset]) -> Kept {
    of_bytes(&write(datasets, Style::Text)).unwrap()
}

fn dof(node: u32, direction: i64) -> NodeDof {
    NodeDof { entity: String::new(), node, direction: Direction::new(direction).unwrap() }
}

fn axis(kind: AxisKind, unit: &str) -> Axis {
    Axis { kind, label: String::new(), unit: unit.into() }
}

/// A function of three values between two places.
fn function(kind: FunctionKind, response: NodeDof, values: Ordinates) -> Dataset {
    Dataset::Function(Box::new(Function {
        kind,
        lines: std::array::from_fn(|_| "bracket".to_string()),
        response,
        reference: dof(1, -3),
        abscissa_axis: axis(AxisKind::Frequency, "Hz"),
        ordinate: axis(if kind == FunctionKind::Coherence { AxisKind::Unknown } else { AxisKind::Acceleration }, ""),
        denominator: axis(
            if kind == FunctionKind::Coherence { AxisKind::Unknown } else { AxisKind::ExcitationForce },
            "",
        ),
        abscissa: Abscissa::Even { from: 10.0, step: 0.5 },
        values,
    }))
}

fn complex(k: f64) -> Ordinates {
    Ordinates::Complex((0..3).map(|i| Complex64::new(k + f64::from(i), -k)).collect())
}

#[test]
fn responses_and_their_coherences_are_one_result() {
    let found = kept(&[
        function(FunctionKind::FrequencyResponse, dof(7, 3), complex(1.0)),
        function(FunctionKind::Coherence, dof(7, 3), Ordinates::Real(vec![0.5, 1.0, 0.25])),
        function(FunctionKind::FrequencyResponse, dof(1, -3), complex(2.0)),
        function(FunctionKind::PowerSpectralDensity, dof(7, 3), Ordinates::Real(vec![1.0, 2.0, 3.0])),
    ]);
    let [responses, psd] = &found.results[..] else { panic!("{:?}", found.results) };
    assert_eq!((responses.name.as_str(), psd.name.as_str()), ("response", "PSD"));
    assert_eq!((responses.axis.name, &responses.axis.values[..]), (Along::Frequency, &[10.0, 10.5, 11.0][..]));
    let told: Vec<_> = responses.traces.iter().map(|t| (t.name.as_str(), t.quantity, t.channel, t.reference)).collect();
    // Their first line tells them not apart, so their places do; the driving point is both.
    assert_eq!(
        told,
        [
            ("7 Z / 1 −Z", Shown::Response, 1, Some(2)),
            ("7 Z / 1 −Z", Shown::Coherence, 1, Some(2)),
            ("1 −Z / 1 −Z", Shown::Response, 2, Some(2)),
        ]
    );
    assert_eq!(responses.traces[0].unit, "(m/s²)/N", "of the SI where the file tells none");
    assert!(responses.notes[0].contains("tells no units"), "{:?}", responses.notes);
    assert_eq!(
        responses.traces[2].points,
        Points::Complex(vec![Complex64::new(2.0, -2.0), Complex64::new(3.0, -2.0), Complex64::new(4.0, -2.0),])
    );
}

#[test]
fn what_went_out_comes_back_as_it_was() {
    let x: Vec<f64> = (0..4096).map(|i| (f64::from(i) * 0.7).sin() + (f64::from(i * i % 997) / 997.0)).collect();
    let y: Vec<f64> = x.iter().map(|x| 3.0 * x + 0.25).collect();
    let channels = vec![("hammer".into(), "N".into(), x), ("plate, 7".into(), "m/s²".into(), y)];
    for (recipe, name) in [
        (r#"{"lens": "response", "channels": [2], "reference": 1, "block": 512, "averaging": "linear"}"#, "response"),
        (r#"{"lens": "spectrum", "block": 512, "scaling": "rms"}"#, "rms"),
    ] {
        let mut source = Memory::new(1024.0, channels.clone());
        let provenance = Provenance { at: String::new(), input: "a".into(), fingerprint: None };
        let made = analyze(&Recipe::from_json(recipe).unwrap(), &mut source, provenance, &mut |_| true).unwrap();
        let found = kept(&of_result(&made).unwrap());
        let [back] = &found.results[..] else { panic!("{:?}", found.results) };
        assert_eq!((back.name.as_str(), back.axis.values.len()), (name, made.axes[0].values.len()));
        for (was, is) in made.traces.iter().zip(&back.traces) {
            assert_eq!((&was.unit, was.quantity), (&is.unit, is.quantity), "{}", was.name);
            let parts = |p: &Points| match p {
                Points::Real(x) => x.clone(),
                Points::Complex(z) => z.iter().flat_map(|z| [z.re, z.im]).collect(),
            };
            for (a, b) in parts(&was.points).iter().zip(parts(&is.points)) {
                assert!((a - b).abs() <= 1e-11 * a.abs(), "{a} {b}");
            }
        }
    }
}

fn shape(of: ShapeOf, z: [f64; 2]) -> Dataset {
    let along = |z: f64| [Complex64::new(0.0, 0.0), Complex64::new(0.0, 0.0), Complex64::new(z, 0.0)];
    Dataset::Shape(Shape { lines: Default::default(), of, points: vec![(3, along(z[0])), (9, along(z[1]))] })
}

#[test]
fn shapes_are_one_result_with_frequency_and_damping() {
    let pole = Complex64::new(-0.02 * 50.0 * TAU, (1.0f64 - 0.02 * 0.02).sqrt() * 50.0 * TAU);
    let modal_a = Complex64::new(0.0, 1.0);
    let found = kept(&[
        shape(ShapeOf::NormalMode { number: 1, frequency_hz: 41.3, mass: 1.0, damping_ratio: 0.016 }, [1.0, -0.5]),
        shape(ShapeOf::ComplexMode { number: 2, pole, modal_a }, [0.25, 1.0]),
    ]);
    let [shapes] = &found.results[..] else { panic!("{:?}", found.results) };
    assert_eq!(shapes.axis.dofs.iter().map(ToString::to_string).collect::<Vec<_>>(), ["3 Z", "9 Z"]);
    assert!(shapes.notes[0].starts_with("4 directions"), "{:?}", shapes.notes);
    let numbers: Vec<_> = shapes.numbers.iter().map(|n| (n.name.as_str(), n.mode, n.value)).collect();
    assert_eq!(numbers[..2], [("frequency", Some(1), 41.3), ("damping_ratio", Some(1), 0.016)]);
    assert!((numbers[2].2 - 50.0).abs() < 1e-4 && (numbers[3].2 - 0.02).abs() < 1e-6, "{numbers:?}");
    assert_eq!(shapes.traces[0].complex().unwrap()[1].re, -0.5);
}

#[test]
fn what_cannot_be_kept_is_told() {
    let mut odd = function(FunctionKind::General, dof(1, 1), complex(1.0));
    let Dataset::Function(f) = &mut odd else { panic!() };
    f.abscissa_axis = Axis { kind: AxisKind::Temperature, label: "temperature".into(), unit: "K".into() };
    let mut time = function(FunctionKind::TimeResponse, dof(1, 1), Ordinates::Real(vec![0.0; 3]));
    let Dataset::Function(f) = &mut time else { panic!() };
    f.abscissa_axis = axis(AxisKind::Time, "s");
    let found = kept(&[odd, time]);
    assert_eq!((found.results.len(), found.time_responses), (0, 1));
    assert!(found.left[0].contains("temperature") && found.left[0].contains("allowed: frequency"), "{:?}", found.left);
    let many = function(FunctionKind::Coherence, dof(1, 1), Ordinates::Real(vec![1.0; 1_100_000]));
    let says = of_bytes(&write(&[many.clone(), many], Style::Binary)).unwrap_err();
    assert!(says.contains("bring it in in parts"), "{says}");
    let response = |point| {
        let values = vec![Complex64::new(1.0, 0.5); 600_000];
        function(FunctionKind::FrequencyResponse, dof(point, 1), Ordinates::Complex(values))
    };
    let many = of_bytes(&write(&[response(1), response(2)], Style::Binary)).unwrap();
    assert_eq!(many.results[0].traces.len(), 2, "responses go into a table of their own");
    assert!(of_bytes(b"hello").unwrap_err().contains("outside of a dataset"));
}
