//! Universal files: what is written comes back, what others write is read, what is broken is told with its line.

use echo_formats::uff::{
    Abscissa, Axis, AxisKind, Dataset, Direction, Face, Function, FunctionKind, Node, NodeDof, Ordinates, Shape,
    ShapeOf, Style, System, TraceLine, of_result, read, waveforms, write,
};
use echo_job::analysis::result::Points;
use echo_job::analysis::{Analysis, Memory, Provenance, Source, analyze};
use echo_job::dof::Dof;
use echo_job::recipe::Recipe;
use echo_signal::spectrum::Complex64;
use proptest::prelude::*;

fn dof(node: u32, direction: i64) -> NodeDof {
    NodeDof { entity: String::new(), node, direction: Direction::new(direction).unwrap() }
}

fn axis(kind: AxisKind, label: &str, unit: &str) -> Axis {
    Axis { kind, label: label.into(), unit: unit.into() }
}

fn function(abscissa: Abscissa, values: Ordinates) -> Function {
    Function {
        kind: FunctionKind::FrequencyResponse,
        lines: ["mast bracket".into(), String::new(), "14-JUN-26 09:12:00".into(), "H1".into(), String::new()],
        response: NodeDof { entity: "bracket".into(), ..dof(12, 3) },
        reference: dof(1, -3),
        abscissa_axis: axis(AxisKind::Frequency, "frequency", "Hz"),
        ordinate: axis(AxisKind::Acceleration, "acceleration", "m/s²"),
        denominator: axis(AxisKind::ExcitationForce, "force", "N"),
        abscissa,
        values,
    }
}

fn complex(n: usize) -> Ordinates {
    Ordinates::Complex((0..n).map(|k| Complex64::new(k as f64 / 7.0, -1.0 / (1.0 + k as f64))).collect())
}

/// The difference that twelve digits behind the point make.
fn near(a: f64, b: f64) -> bool {
    (a - b).abs() <= 1e-12 * a.abs().max(b.abs())
}

#[track_caller]
fn assert_alike(a: &Function, b: &Function) {
    let parts = |v: &Ordinates| match v {
        Ordinates::Real(v) => v.clone(),
        Ordinates::Complex(v) => v.iter().flat_map(|z| [z.re, z.im]).collect(),
    };
    let (x, y) = (parts(&a.values), parts(&b.values));
    assert!(x.len() == y.len() && x.iter().zip(&y).all(|(x, y)| near(*x, *y)), "{x:?}\n{y:?}");
    let same = Function { values: b.values.clone(), ..a.clone() };
    assert_eq!(same, *b);
}

#[test]
fn what_is_written_comes_back() {
    let node = |label, x| Node { label, at_m: [x, -0.5, 1.0 / 3.0], system: if label == 2 { 7 } else { 1 } };
    let all = vec![
        Dataset::Nodes(vec![node(1, 0.0), node(2, 0.125), node(4_000_000, 1e-9)]),
        Dataset::Systems(vec![System {
            label: 7,
            name: "turned by a quarter".into(),
            axes: [[0.0, 1.0, 0.0], [-1.0, 0.0, 0.0], [0.0, 0.0, 1.0]],
            at_m: [0.0; 3],
        }]),
        Dataset::Line(TraceLine { label: 3, name: "edge, port".into(), nodes: (1..=9).chain([0, 2, 1]).collect() }),
        Dataset::Faces(vec![
            Face { label: 1, nodes: vec![1, 2] },
            Face { label: 2, nodes: vec![1, 2, 3] },
            Face { label: 3, nodes: vec![1, 2, 3, 4] },
        ]),
        Dataset::Shape(Shape {
            lines: ["bending".into(), String::new(), String::new(), String::new(), String::new()],
            of: ShapeOf::ComplexMode {
                number: 2,
                pole: Complex64::new(-12.5, 625.25),
                modal_a: Complex64::new(1.0, 0.0),
            },
            points: vec![(1, [Complex64::new(0.5, -0.25), Complex64::default(), Complex64::new(1.0, 0.0)])],
        }),
        Dataset::Shape(Shape {
            lines: [const { String::new() }; 5],
            of: ShapeOf::NormalMode { number: 1, frequency_hz: 62.5, mass: 1.0, damping_ratio: 0.0125 },
            points: vec![(7, [0.5.into(), (-0.25).into(), 0.0.into()]), (8, [1.0.into(), 0.0.into(), 0.0.into()])],
        }),
        Dataset::Shape(Shape {
            lines: [const { String::new() }; 5],
            of: ShapeOf::Operating { number: 4, frequency_hz: 88.5 },
            points: vec![(1, [Complex64::new(0.5, 2.0); 3])],
        }),
    ];
    assert_eq!(read("f", &write(&all, Style::Text)).unwrap(), all);
    let steps = [(0.0, 0.5), (20.0, 1.0 / 51_200.0), (-3.25, 0.001)];
    for (from, step) in steps {
        for values in [complex(11), Ordinates::Real(vec![1.0, -2.5, 3e-300, 4e200, 0.0])] {
            let f = function(Abscissa::Even { from, step }, values);
            for style in [Style::Text, Style::Binary] {
                let back = read("f", &write(&[Dataset::Function(Box::new(f.clone()))], style)).unwrap();
                let [Dataset::Function(back)] = &back[..] else { panic!("{back:?}") };
                assert_alike(&f, back);
                assert!(style == Style::Text || f.values == back.values, "bit by bit");
            }
        }
    }
    for values in [complex(3), Ordinates::Real(vec![1.0, 2.0, 4.0])] {
        let f = function(Abscissa::Uneven(vec![1.0, 2.5, 1e6]), values);
        let back = read("f", &write(&[Dataset::Function(Box::new(f.clone()))], Style::Binary)).unwrap();
        let [Dataset::Function(back)] = &back[..] else { panic!("{back:?}") };
        assert_alike(&f, back);
    }
}

/// As other programs write it: points in mm, single precision, D for E, no spaces between numbers.
const THEIRS: &str = "    -1
   164
         5mm (milli-newton)          2
 1.0000000000000000D+03 1.0000000000000000D+03 1.0000000000000000D+00
 2.7314999999999998D+02
    -1
    -1
   999
whatever
    -1
    -1
    15
         1         1         1        11  1.00000E+03 -2.50000E+02  0.00000E+00
        22 0 0 0 500. 0. 1.5D2
    -1

    -1
    82
         1         3         7
NONE
         1         0        22
    -1
    -1
    58
NONE
second line
NONE
NONE
NONE
    4         0    1         0 NONE              12   3 NONE               1  -3
         5         3         0  0.00000E+00  0.00000E+00  0.00000E+00
        18    0    0    0 Frequency            Hz
        12    0    0    0 NONE                 NONE
        13    0    0    0 NONE                 NONE
         0    0    0    0 NONE                 NONE
  1.00000E+00-1.000000E+00  2.00000E+00  2.00000E+00-3.000000E-01  4.00000E+00
  4.00000E+00-5.000000-101  6.00000E+00
    -1
";

#[test]
fn what_others_write_is_read() {
    let all = read("theirs", THEIRS.replace('\n', "\r\n").as_bytes()).unwrap();
    assert_eq!(all[0], Dataset::Other(999));
    let wanted =
        [Node { label: 1, at_m: [1.0, -0.25, 0.0], system: 1 }, Node { label: 22, at_m: [0.5, 0.0, 0.15], system: 0 }];
    assert_eq!(all[1], Dataset::Nodes(wanted.to_vec()));
    let Dataset::Line(line) = &all[2] else { panic!() };
    assert_eq!((&line.nodes[..], line.name.as_str()), (&[1, 0, 22][..], ""));
    let Dataset::Function(f) = &all[3] else { panic!() };
    assert_eq!((f.kind, &f.lines[1]), (FunctionKind::FrequencyResponse, &"second line".to_string()));
    assert_eq!((&f.response, &f.reference), (&dof(12, 3), &dof(1, -3)));
    assert_eq!((f.response.direction.to_string(), f.reference.direction.to_string()), ("+Z".into(), "-Z".into()));
    assert_eq!(f.abscissa, Abscissa::Uneven(vec![1.0, 2.0, 4.0]));
    let z = [Complex64::new(-1.0, 2.0), Complex64::new(-0.3, 4.0), Complex64::new(-5e-101, 6.0)];
    assert_eq!(f.values, Ordinates::Complex(z.to_vec()));
}

#[test]
fn bytes_the_other_way_round_are_read() {
    let f = function(Abscissa::Even { from: 0.0, step: 0.5 }, Ordinates::Real(vec![1.5, -2.25]));
    let mut bytes = write(&[Dataset::Function(Box::new(f.clone()))], Style::Binary);
    let ours: Vec<u8> = [1.5f64, -2.25].iter().flat_map(|x| x.to_le_bytes()).collect();
    let at = bytes.windows(16).position(|w| w == ours).unwrap();
    for (k, x) in [1.5f64, -2.25].iter().enumerate() {
        bytes[at + 8 * k..at + 8 * k + 8].copy_from_slice(&x.to_be_bytes());
    }
    let text = bytes.windows(13).position(|w| w == b"58b     1    ").unwrap();
    bytes[text + 8] = b'2';
    let back = read("f", &bytes).unwrap();
    let [Dataset::Function(back)] = &back[..] else { panic!("{back:?}") };
    assert_eq!(back.values, f.values);
}

#[test]
fn what_is_broken_is_told_with_its_line() {
    let said = |text: &str| read("f.uff", text.as_bytes()).unwrap_err().to_string();
    assert!(said("").contains("f.uff holds no dataset"));
    assert!(said("hello\n").contains("line 1: “hello” stands outside of a dataset"));
    assert!(said("    -1\n").contains("without a number"));
    assert!(said("    -1\nabc\n    -1\n").contains("line 2: “abc” is no number of a dataset"));
    assert!(said("    -1\n    15\n").contains("ends within a dataset"));
    assert!(said("    -1\n  2411\n         1\n    -1\n").contains("the coordinates of a point should follow"));
    assert!(said("    -1\n    15\n one 0 0 0 1 2 3\n    -1\n").contains("line 3: “one” is not a whole number"));
    let broken = |from: &str, to: &str| {
        assert!(THEIRS.contains(from), "{from}");
        said(&THEIRS.replace(from, to))
    };
    assert!(
        broken("         1         3         7", "         1         4         7")
            .contains("4 points are announced and 3")
    );
    assert!(
        broken("         5         3         0", "         7         3         0").contains("7 is no type of values")
    );
    assert!(
        broken("         5         3         0", "         5         4         0")
            .contains("12 numbers are announced and 9")
    );
    assert!(broken("    4         0    1", "   44         0    1").contains("“44” is no kind of function"));
    assert!(broken("12   3 NONE", "12   9 NONE").contains("allowed: -6 to 6"));
    assert!(broken("6.00000E+00", "NaN").contains("“NaN” is not a finite number"));
    let f = function(Abscissa::Even { from: 0.0, step: 0.5 }, complex(4));
    let whole = write(&[Dataset::Function(Box::new(f))], Style::Binary);
    let cut = read("f", &whole[..whole.len() - 30]).unwrap_err().to_string();
    assert!(cut.contains("64 bytes of values should follow"), "{cut}");
}

fn lens(recipe: &str) -> Analysis {
    let n = 2048;
    let wave =
        |hz: f64| (0..n).map(|k| (std::f64::consts::TAU * hz * f64::from(k) / 1024.0).sin()).collect::<Vec<f64>>();
    let channels = vec![("hammer".into(), "N".into(), wave(64.0)), ("deck, aft".into(), "m/s²".into(), wave(64.0))];
    let provenance = Provenance { at: "2026-06-14T09:12:00Z".into(), input: "run 5".into(), fingerprint: None };
    let recipe = Recipe::from_json(recipe).unwrap();
    analyze(&recipe, &mut Memory::new(1024.0, channels), provenance, &mut |_| true).unwrap()
}

#[test]
fn curves_of_results_go_out_as_functions() {
    let functions = |recipe: &str| -> Vec<Function> {
        let bytes = write(&of_result(&lens(recipe)).unwrap(), Style::Text);
        let one = |d: Dataset| if let Dataset::Function(f) = d { *f } else { panic!("{d:?}") };
        read("result", &bytes).unwrap().into_iter().map(one).collect()
    };
    let found = functions(r#"{"lens": "response", "reference": 1, "channels": [2], "block": 256, "window": "hann"}"#);
    let h = &found[0];
    assert_eq!((h.kind, found[1].kind), (FunctionKind::FrequencyResponse, FunctionKind::Coherence));
    assert_eq!((h.response.node, h.reference.node), (2, 1));
    assert_eq!((h.ordinate.kind, h.denominator.kind), (AxisKind::Acceleration, AxisKind::ExcitationForce));
    assert_eq!((h.ordinate.unit.as_str(), h.denominator.unit.as_str()), ("m/s²", "N"));
    assert_eq!((h.abscissa_axis.kind, &h.abscissa), (AxisKind::Frequency, &Abscissa::Even { from: 0.0, step: 4.0 }));
    let Ordinates::Complex(z) = &h.values else { panic!() };
    assert!((z[16] - 1.0).norm() < 1e-9, "one m/s² a newton at 64 Hz: {}", z[16]);
    assert_eq!(h.lines[3], "run 5");
    let psd = &functions(r#"{"lens": "spectrum", "channels": [2], "block": 256, "scaling": "psd"}"#)[0];
    assert_eq!(
        (psd.kind, psd.denominator.kind, psd.reference.node),
        (FunctionKind::PowerSpectralDensity, AxisKind::Unknown, 0)
    );
    assert_eq!(psd.lines[1], "PSD, (m/s²)²/Hz");
    let time = &functions(r#"{"lens": "waveform", "channels": [1]}"#)[0];
    assert_eq!((time.kind, time.ordinate.kind), (FunctionKind::TimeResponse, AxisKind::ExcitationForce));
    let shock = &functions(r#"{"lens": "shock", "channels": [2], "from_hz": 20, "to_hz": 200}"#)[0];
    assert!(shock.kind == FunctionKind::ShockResponse && matches!(shock.abscissa, Abscissa::Uneven(_)));
    // A place without a value is left out, not made up.
    let mut broken = lens(r#"{"lens": "waveform", "channels": [1]}"#);
    let mut values = broken.traces[0].real().to_vec();
    values[3] = f64::NAN;
    broken.traces[0].points = Points::Real(values);
    let Dataset::Function(f) = &of_result(&broken).unwrap()[0] else { panic!() };
    assert!(matches!(&f.abscissa, Abscissa::Uneven(at) if at.len() == 2047 && at[3] > at[2] * 1.5));
    for (recipe, word) in
        [(r#"{"lens": "statistics"}"#, "numbers only"), (r#"{"lens": "rainflow", "channels": [1]}"#, "a map")]
    {
        assert!(of_result(&lens(recipe)).unwrap_err().to_string().contains(word));
    }
}

#[test]
fn time_responses_come_in_as_channels() {
    let named = |name: &str, n: usize| Function {
        kind: FunctionKind::TimeResponse,
        lines: [name.into(), String::new(), String::new(), String::new(), String::new()],
        abscissa: Abscissa::Even { from: 0.0, step: 1.0 / 51_200.0 },
        values: Ordinates::Real((0..n).map(|k| k as f64).collect()),
        ..function(Abscissa::Even { from: 0.0, step: 1.0 }, complex(1))
    };
    let taken = |all: &[Function]| {
        let datasets: Vec<Dataset> = all.iter().map(|f| Dataset::Function(Box::new(f.clone()))).collect();
        waveforms("f.uff", &read("f.uff", &write(&datasets, Style::Text)).unwrap())
    };
    let frf = function(Abscissa::Even { from: 0.0, step: 1.0 }, complex(4));
    let mut record = taken(&[frf.clone(), named("deck, aft", 40), named("", 40)]).unwrap();
    let info = record.info().clone();
    assert_eq!((info.sample_rate_hz, info.samples), (51_200.0, 40), "rounded in the file, whole again");
    let names: Vec<&str> = info.channels.iter().map(|c| c.name.as_str()).collect();
    assert_eq!((names, info.channels[0].unit.as_str()), (vec!["deck, aft", "point 12 +Z"], "m/s²"));
    let mut read_back = vec![Vec::new()];
    record.read(&[1], 3, 2, &mut read_back).unwrap();
    assert_eq!(read_back[0], [3.0, 4.0]);
    let twice = taken(&[named("a", 4), named("a", 4)]).unwrap();
    assert_eq!(twice.info().channels[0].name, "point 12 +Z", "a name that two have tells neither");
    let says = |all: &[Function]| taken(all).err().map(|e| e.to_string()).unwrap_or_default();
    assert!(says(&[frf]).contains("holds no time response"));
    assert!(says(&[named("a", 4), named("b", 5)]).contains("“a” and “b” differ in rate, beginning or length"));
    assert!(says(&[named("a", 1)]).contains("fewer than two samples"));
    assert!(says(&[Function { values: complex(3), ..named("a", 3) }]).contains("“a” is complex"));
    let uneven = Function { abscissa: Abscissa::Uneven(vec![0.0, 1.0, 3.0]), ..named("a", 3) };
    assert!(says(&[uneven]).contains("“a” is unevenly sampled"));
}

proptest! {
    #[test]
    fn nothing_that_is_read_breaks_the_reader(bytes in proptest::collection::vec(any::<u8>(), 0..400)) {
        let _ = read("f", &bytes);
    }

    #[test]
    fn no_change_of_a_byte_breaks_the_reader(at in 0usize..2000, to in any::<u8>(), binary in any::<bool>()) {
        let f = function(Abscissa::Even { from: 0.0, step: 0.5 }, complex(5));
        let mut bytes = write(&[Dataset::Function(Box::new(f))], if binary { Style::Binary } else { Style::Text });
        bytes.extend(THEIRS.as_bytes());
        let at = at % bytes.len();
        bytes[at] = to;
        let _ = read("f", &bytes);
    }

    #[test]
    fn any_values_come_back(values in proptest::collection::vec((-1e30..1e30f64, -1.0..1.0f64), 1..40), step in 1e-7..1e3f64) {
        let z = values.into_iter().map(|(a, b)| Complex64::new(a, b)).collect();
        let f = function(Abscissa::Even { from: 0.0, step }, Ordinates::Complex(z));
        let back = read("f", &write(&[Dataset::Function(Box::new(f.clone()))], Style::Text)).unwrap();
        let [Dataset::Function(back)] = &back[..] else { panic!() };
        let Abscissa::Even { step: told, .. } = back.abscissa else { panic!() };
        prop_assert!((told / step - 1.0).abs() < 1e-7);
        let (Ordinates::Complex(a), Ordinates::Complex(b)) = (&f.values, &back.values) else { panic!() };
        prop_assert!(a.iter().zip(b).all(|(a, b)| near(a.re, b.re) && near(a.im, b.im)));
    }
}

#[test]
fn points_and_directions_go_out_and_come_back() {
    let wave = |k: u32| (0..256).map(|i| f64::from(i * k % 97)).collect::<Vec<f64>>();
    let channels = vec![("a".into(), "N".into(), wave(3)), ("b".into(), "m/s²".into(), wave(5))];
    let dofs = vec![Dof::read("7", "-z"), Dof::read("gearbox top", "vertical")];
    let provenance = Provenance { at: String::new(), input: "run 5".into(), fingerprint: None };
    let recipe = Recipe::from_json(r#"{"lens": "response", "reference": 1, "block": 64, "window": "hann"}"#).unwrap();
    let mut source = Memory::new(1024.0, channels).with_dofs(dofs.clone());
    let result = analyze(&recipe, &mut source, provenance.clone(), &mut |_| true).unwrap();
    assert_eq!((&result.traces[0].dof, &result.traces[0].reference_dof), (&dofs[1], &dofs[0]));
    let Dataset::Function(f) = &of_result(&result).unwrap()[0] else { panic!() };
    // A point without a number is told by its channel's.
    assert_eq!((f.response.node, f.response.direction), (2, Direction::SCALAR));
    assert_eq!((f.reference.node, f.reference.direction.to_string().as_str()), (7, "-Z"));
    // Read again as a record, the points are known.
    let plain = Recipe::from_json(r#"{"lens": "waveform"}"#).unwrap();
    let curves = analyze(&plain, &mut source, provenance, &mut |_| true).unwrap();
    let bytes = write(&of_result(&curves).unwrap(), Style::Text);
    let back = waveforms("record", &read("record", &bytes).unwrap()).unwrap();
    assert_eq!(back.info().channels[0].dof, Dof::read("7", "-Z"));
}
