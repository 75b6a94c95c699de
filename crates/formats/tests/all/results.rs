//! Results as CSV, whatever their shape: curves, complex curves, maps, both, numbers alone.

use echo_formats::csv::write_result;
use echo_formats::result_file;
use echo_job::analysis::result::{Axis, Number, Points, Trace};
use echo_job::analysis::words::{Along, Shown};
use echo_job::analysis::{Analysis, Memory, Provenance, analyze};
use echo_job::export::ResultForm;
use echo_job::recipe::Recipe;
use echo_signal::spectrum::Complex64;

fn blank() -> Analysis {
    let mut source = Memory::new(100.0, vec![("a".into(), "V".into(), vec![1.0, 2.0, 3.0])]);
    let provenance = Provenance { at: String::new(), input: String::new(), fingerprint: None };
    let recipe = Recipe::from_json(r#"{"lens": "statistics"}"#).unwrap();
    let mut a = analyze(&recipe, &mut source, provenance, &mut |_| true).unwrap();
    (a.axes, a.traces, a.numbers) = (Vec::new(), Vec::new(), Vec::new());
    a
}

fn axis(name: Along, unit: &str, values: &[f64]) -> Axis {
    Axis { name, unit: unit.into(), values: values.to_vec(), dofs: Vec::new() }
}

fn trace(name: &str, quantity: Shown, unit: &str, values: &[f64]) -> Trace {
    Trace {
        name: name.into(),
        channel: 1,
        reference: None,
        mode: None,
        axes: None,
        dof: None,
        reference_dof: None,
        quantity,
        unit: unit.into(),
        points: Points::Real(values.to_vec()),
        within: None,
    }
}

fn written(a: &Analysis) -> String {
    let mut out = Vec::new();
    write_result(a, &mut out).unwrap();
    String::from_utf8(out).unwrap()
}

#[test]
fn curves_are_columns_and_what_is_missing_is_empty() {
    let mut a = blank();
    a.axes = vec![axis(Along::Time, "s", &[0.0, 0.5])];
    a.traces =
        vec![trace("deck, fwd", Shown::Rms, "m/s²", &[1.5, f64::NAN]), trace("mark", Shown::Share, "", &[0.0, 1.0])];
    assert_eq!(written(&a), "time [s],\"deck, fwd rms [m/s²]\",mark share\n0,1.5,0\n0.5,,1\n");
}

#[test]
fn complex_curves_are_two_columns() {
    let mut a = blank();
    a.axes = vec![axis(Along::Frequency, "Hz", &[10.0])];
    let mut h = trace("H1 2/1", Shown::Response, "m/N", &[]);
    (h.reference, h.points) = (Some(1), Points::Complex(vec![Complex64::new(0.25, -4.0)]));
    a.traces = vec![h, trace("deck", Shown::Coherence, "", &[1.0])];
    assert_eq!(written(&a), "frequency [Hz],H1 2/1_re [m/N],H1 2/1_im [m/N],deck coherence\n10,0.25,-4,1\n");
}

#[test]
fn maps_are_long_unless_curves_stand_beside_them() {
    let mut a = blank();
    a.axes = vec![axis(Along::Speed, "rpm", &[600.0, 700.0]), axis(Along::Order, "", &[0.0, 0.5, 1.0])];
    a.traces = vec![trace("deck", Shown::Peak, "g", &[1.0, 2.0, 3.0, 4.0, 5.0, 6.0])];
    assert_eq!(
        written(&a),
        "speed [rpm],order,deck peak [g]\n600,0,1\n600,0.5,2\n600,1,3\n700,0,4\n700,0.5,5\n700,1,6\n"
    );
    a.traces.insert(0, trace("deck", Shown::Count, "", &[6.0, 15.0]));
    assert_eq!(
        written(&a),
        "speed [rpm],deck count,\"deck peak, order 0 [g]\",\"deck peak, order 0.5 [g]\",\"deck peak, order 1 [g]\"\n600,6,1,2,3\n700,15,4,5,6\n"
    );
}

#[test]
fn numbers_alone_are_lines() {
    let mut a = blank();
    a.numbers = vec![
        Number { name: "arrival".into(), channel: 2, mode: None, unit: "s".into(), value: 0.00125 },
        Number { name: "crest_factor".into(), channel: 2, mode: None, unit: String::new(), value: f64::NAN },
    ];
    assert_eq!(written(&a), "name,channel,unit,value\narrival,2,s,0.00125\ncrest_factor,2,,\n");
}

#[test]
fn what_is_written_is_read_back_to_the_last_bit() {
    let mut a = blank();
    let values: Vec<f64> = (0..50).map(|i| (f64::from(i) * 0.7).sin() * 10f64.powi(i - 25)).collect();
    a.axes = vec![axis(Along::Time, "s", &(0..50).map(|i| f64::from(i) / 64.0).collect::<Vec<_>>())];
    a.traces = vec![trace("deck", Shown::Value, "m/s²", &values)];
    let text = written(&a);
    for (line, wanted) in text.lines().skip(1).zip(&values) {
        assert_eq!(line.split(',').nth(1).unwrap().parse::<f64>().unwrap(), *wanted);
    }
}

/// A map over frequency and speed, with a number and a peak, and a result that has axes of its own for some curves.
fn several() -> (Analysis, Analysis) {
    let mut map = blank();
    map.axes = vec![axis(Along::Speed, "rpm", &[600.0, 900.0]), axis(Along::Frequency, "Hz", &[1.0, 2.0, 3.0])];
    map.traces = vec![trace("deck", Shown::Rms, "g", &[1.0, 2.0, 3.0, 4.0, 5.0, 6.0])];
    map.numbers = vec![Number { name: "rms".into(), channel: 1, mode: None, unit: "g".into(), value: 0.1 }];
    let mut modes = blank();
    modes.axes = vec![axis(Along::Frequency, "Hz", &[1.0, 2.0]), axis(Along::Mode, "", &[1.0, 2.0, 3.0])];
    let mut shape = trace("mac", Shown::Mac, "", &[1.0, 0.1, 0.2]);
    shape.axes = Some(vec![1]);
    let mut over = trace("indicator", Shown::Indicator, "", &[0.5, 0.9]);
    over.axes = Some(vec![0]);
    modes.traces = vec![over, shape];
    (map, modes)
}

#[test]
fn a_result_is_a_workbook_a_table_by_columns_and_itself() {
    let (map, modes) = several();
    let sheets = |a: &Analysis| result_file::write(a, ResultForm::Xlsx).and_then(|b| echo_formats::sheet::read(&b));
    let rows = sheets(&map).unwrap();
    assert_eq!(rows[0], ["speed [rpm]", "frequency [Hz]", "deck rms [g]"]);
    assert_eq!((rows.len(), rows[4].join(" ")), (7, "900 1 4".to_string()), "the last axis fastest");
    let csv = String::from_utf8(result_file::write(&map, ResultForm::Csv).unwrap()).unwrap();
    assert_eq!(csv.lines().nth(6), Some("900,3,6"));
    let json = result_file::write(&map, ResultForm::Json).unwrap();
    let back = Analysis::kept(serde_json::from_slice(&json).unwrap()).unwrap();
    assert_eq!((back.traces, back.numbers), (map.traces.clone(), map.numbers.clone()));
    // What runs over axes of its own stands on a sheet of its own, and in no single table.
    assert_eq!(sheets(&modes).unwrap(), [["frequency [Hz]", "indicator indicator"], ["1", "0.5"], ["2", "0.9"]]);
    for form in [ResultForm::Csv, ResultForm::Parquet] {
        let says = result_file::write(&modes, form).unwrap_err().to_string();
        assert!(says.contains("curves over different axes") && says.contains("allowed: XLSX or JSON"), "{says}");
    }
    assert!(result_file::write(&map, ResultForm::Universal).unwrap_err().to_string().contains("a map"));
    assert!(result_file::write(&blank(), ResultForm::Xlsx).unwrap_err().to_string().contains("holds nothing"));
}
