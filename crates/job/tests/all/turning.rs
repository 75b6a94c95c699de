//! Speed, orders and orbits of a shaft whose angle is known.

use crate::common::*;
use echo_job::analysis::Memory;
use std::f64::consts::TAU;

#[test]
fn orders_and_speed_are_followed() {
    let mut s = machine();
    let tacho = r#""tacho": {"channel": 2, "pulses_per_rev": 4}"#;
    let a = made(&format!(r#"{{"lens": "speed", {tacho}, "interval_s": 0.5}}"#), &mut s);
    for (t, rpm) in a.axes[0].values.iter().zip(a.traces[0].real()) {
        assert!((rpm / (60.0 * (8.0 + 3.0 * t)) - 1.0).abs() < 5e-3, "{t}: {rpm}");
    }
    assert!(number(&a, "highest") > 2500.0);
    let a = made(&format!(r#"{{"lens": "order_track", {tacho}, "orders": [1, 3]}}"#), &mut s);
    assert_eq!(
        a.traces.iter().map(|t| t.name.as_str()).collect::<Vec<_>>(),
        ["order 1, bearing, vertical", "order 3, bearing, vertical"]
    );
    // Angle zero is at the first counted pulse, the second tooth's edge: a quarter turn on.
    for (t, (amplitude, phase, order)) in a.traces.iter().zip([(2.0, 0.6, 1.0), (0.5, -1.0, 3.0)]) {
        for (re, im) in t.complex().unwrap().iter().map(|z| (z.re, z.im)) {
            assert!((re.hypot(im) / amplitude - 1.0).abs() < 0.02);
            let off = (im.atan2(re) - phase - TAU * order / 4.0).rem_euclid(TAU);
            assert!(off.min(TAU - off) < 0.05, "{off}");
        }
    }
    let calm = made(&format!(r#"{{"lens": "order_track", {tacho}, "slow_roll_rpm": [500, 3000]}}"#), &mut s);
    assert!(calm.traces[0].complex().unwrap().iter().all(|z| z.re.abs() < 0.1));
    let a = made(&format!(r#"{{"lens": "order_map", {tacho}, "max_order": 5, "step_rpm": 100}}"#), &mut s);
    assert_eq!(a.axes.iter().map(|x| x.name.word()).collect::<Vec<_>>(), ["speed", "order"]);
    let width = a.axes[1].values.len();
    assert!(a.traces[0].real().chunks(width).all(|row| (row[10] - 2.0).abs() < 0.05 && (row[30] - 0.5).abs() < 0.03));
    let close = made(&format!(r#"{{"lens": "order_track", {tacho}, "orders": [1, 1.1]}}"#), &mut s);
    let rules: Vec<&str> = close.cautions.iter().map(|c| c.rule.word()).collect();
    assert!(rules.contains(&"close orders"), "{rules:?}");
    // The speed changes within a block; a resolution that is told to be enough ends it (a shorter block
    // reaches lower speeds, which want a shorter one still).
    let mut resolution = 0.1;
    let blunt = |r: f64, s: &mut Memory| {
        let cut = made(&format!(r#"{{"lens": "order_track", {tacho}, "resolution": {r}}}"#), s);
        let found = cut.cautions.into_iter().find(|c| c.rule.word() == "resonance blunted")?;
        found.says.split("a resolution of ").nth(1)?.split(' ').next()?.parse::<f64>().ok()
    };
    assert!(blunt(resolution, &mut s).is_some_and(|wanted| wanted > 0.2));
    for _ in 0..4 {
        resolution = blunt(resolution, &mut s).unwrap_or(resolution);
    }
    assert_eq!(blunt(resolution, &mut s), None, "{resolution}");
    for (recipe, field) in [
        (r#"{"lens": "order_track"}"#, "tacho"),
        (r#"{"lens": "order_track", "tacho": {"channel": 9}}"#, "tacho.channel"),
        (r#"{"lens": "order_track", "tacho": {"channel": 2, "threshold": 40}}"#, "tacho.threshold"),
        (r#"{"lens": "order_track", "tacho": {"channel": 2, "pulses_per_rev": 0}}"#, "tacho.pulses_per_rev"),
        (r#"{"lens": "order_track", "tacho": {"channel": 2}, "orders": []}"#, "orders"),
        (r#"{"lens": "order_track", "tacho": {"channel": 2}, "orders": [-1]}"#, "orders"),
        (r#"{"lens": "order_track", "tacho": {"channel": 2}, "step_rpm": 0}"#, "step_rpm"),
        (r#"{"lens": "order_track", "tacho": {"channel": 2}, "method": "guess"}"#, "method"),
        (r#"{"lens": "order_map", "tacho": {"channel": 2}, "resolution": 0}"#, "resolution"),
        (r#"{"lens": "order_map", "tacho": {"channel": 2}, "channels": [3]}"#, "channels"),
        (r#"{"lens": "speed", "tacho": {"channel": 2}, "interval_s": 1e9}"#, "interval_s"),
        (r#"{"lens": "speed", "tacho": {"channel": 2, "smooth_s": -1}}"#, "tacho.smooth_s"),
    ] {
        assert_eq!(refusal(recipe, &mut s).0, field, "{recipe}");
    }
}

#[test]
fn orders_are_followed_together_with_their_uncertainty() {
    let mut s = machine();
    let lens = r#"{"lens": "order_track", "method": "vold_kalman", "tacho": {"channel": 2, "pulses_per_rev": 4}"#;
    for how in [r#""resolution": 0.2"#, r#""resolution": 0.2, "poles": 1"#, r#""bandwidth_hz": 2"#] {
        let a = made(&format!(r#"{lens}, "orders": [1, 3], {how}}}"#), &mut s);
        for (t, (amplitude, phase, order)) in a.traces.iter().zip([(2.0, 0.6, 1.0), (0.5, -1.0, 3.0)]) {
            let within = t.within.as_ref().unwrap();
            assert_eq!(within.len(), t.len());
            for (re, im) in t.complex().unwrap().iter().map(|z| (z.re, z.im)) {
                assert!((re.hypot(im) / amplitude - 1.0).abs() < 0.02, "{how}");
                let off = (im.atan2(re) - phase - TAU * order / 4.0).rem_euclid(TAU);
                assert!(off.min(TAU - off) < 0.05, "{how} {off}");
            }
            assert!(within.iter().all(|w| *w > 0.0 && *w < 0.1 * amplitude), "{how}");
        }
        let told: Vec<&str> = a.numbers.iter().map(|n| n.name.as_str()).collect();
        assert_eq!(told, ["width (−3 dB)", "rise (10 to 90 %)"]);
        assert_eq!(a.numbers[0].unit == "Hz", how.contains("hz"));
    }
    // A narrow filter blunts as well; the width that is told to be enough ends it.
    let narrow = |width: f64, s: &mut Memory| {
        let cut = made(&format!(r#"{lens}, "resolution": {width}}}"#), s);
        let found = cut.cautions.into_iter().find(|c| c.rule.word() == "resonance blunted")?;
        found.says.split("a width of ").nth(1)?.split(' ').next()?.parse::<f64>().ok()
    };
    let mut width = 0.05;
    assert!(narrow(width, &mut s).is_some_and(|wanted| wanted > 0.06));
    for _ in 0..4 {
        width = narrow(width, &mut s).unwrap_or(width);
    }
    assert_eq!(narrow(width, &mut s), None, "{width}");
    let close = made(&format!(r#"{lens}, "orders": [1, 1.05]}}"#), &mut s);
    assert!(close.cautions.iter().any(|c| c.rule.word() == "close orders"), "{:?}", close.cautions);
    for (more, field) in [
        (r#""poles": 3"#, "poles"),
        (r#""bandwidth_hz": 0"#, "bandwidth_hz"),
        (r#""orders": [1, 2, 1]"#, "orders"),
        (r#""method": "resample", "bandwidth_hz": 2"#, "bandwidth_hz"),
    ] {
        let recipe =
            if more.contains("method") { lens.replace(r#""method": "vold_kalman", "#, "") } else { lens.into() };
        assert_eq!(refusal(&format!("{recipe}, {more}}}"), &mut s).0, field, "{more}");
    }
    let many: Vec<String> = (1..=21).map(|k| k.to_string()).collect();
    assert_eq!(refusal(&format!(r#"{lens}, "orders": [{}]}}"#, many.join(", ")), &mut s).0, "orders");
}

#[test]
fn a_missed_pulse_is_told() {
    let mut s = machine();
    let (x, mut tacho) = {
        let a = made(r#"{"lens": "waveform"}"#, &mut s);
        (a.traces[0].real().to_vec(), a.traces[1].real().to_vec())
    };
    // The pulse around the fifth second is not there.
    let from = (5.0 * RATE) as usize;
    let rise = (from..).find(|&i| tacho[i] < 1.0 && tacho[i + 1] > 1.0).unwrap();
    let fall = (rise + 1..).find(|&i| tacho[i] > 1.0 && tacho[i + 1] < 1.0).unwrap();
    tacho[rise..=fall].fill(0.1);
    let mut s = memory(&[("bearing", "m/s²", x), ("tacho", "V", tacho)]);
    let a = made(r#"{"lens": "speed", "tacho": {"channel": 2, "pulses_per_rev": 4}}"#, &mut s);
    assert_eq!(a.cautions[0].rule.word(), "tacho missed");
    assert!(a.cautions[0].says.starts_with("1 of ") && a.cautions[0].channel == Some(2), "{:?}", a.cautions);
    let worst = a.axes[0]
        .values
        .iter()
        .zip(a.traces[0].real())
        .map(|(t, rpm)| (rpm / (60.0 * (8.0 + 3.0 * t)) - 1.0).abs())
        .fold(0.0, f64::max);
    assert!(worst < 0.01, "the angle goes on: {worst}");
}

#[test]
fn trimmed_orders_are_those_of_the_shorter_stretch() {
    let mut s = machine();
    let of = |stretch: &str, prepare: &str, s: &mut Memory| {
        let recipe = format!(
            r#"{{"lens": "order_track", "channels": [1], "orders": [1], "step_rpm": 100, "stretch": {stretch},
                "tacho": {{"channel": 2, "pulses_per_rev": 4, "threshold": 2.5, "hysteresis": 1, "smooth_s": 0}}, "prepare": {prepare}}}"#
        );
        made(&recipe, s)
    };
    let trimmed = of(r#"{"from_s": 1, "to_s": 11}"#, r#"[{"do": "trim", "start_s": 1, "end_s": 1}]"#, &mut s);
    let short = of(r#"{"from_s": 2, "to_s": 10}"#, "[]", &mut s);
    assert_eq!((&trimmed.axes, &trimmed.traces[0].points), (&short.axes, &short.traces[0].points));
}

#[test]
fn an_orbit_is_the_mean_turn_of_two_probes() {
    let n = (6.0 * RATE) as usize;
    let (mut x, mut y, mut tacho) = (vec![0.0; n], vec![0.0; n], vec![0.0; n]);
    let (ripple, other) = (noise(3, n), noise(4, n));
    for i in 0..n {
        let turns = 20.3 * i as f64 / RATE + 0.17;
        // The ellipse turns with the shaft and has its highest place a sixth of a turn after the pulse.
        x[i] = 30.0 * (TAU * (turns - 1.0 / 6.0)).cos() + 4.0 * (TAU * 2.0 * turns).cos() + ripple[i];
        y[i] = 20.0 * (TAU * (turns - 1.0 / 6.0)).sin() + other[i];
        tacho[i] = if turns.fract() < 0.3 { 5.0 } else { 0.0 };
    }
    let mut s = memory(&[("shaft, x", "µm", x), ("shaft, y", "µm", y), ("tacho", "V", tacho)]);
    let a = made(r#"{"lens": "orbit", "channels": [1, 2], "tacho": {"channel": 3}}"#, &mut s);
    let (of_x, of_y) = (a.traces[0].real(), a.traces[1].real());
    assert_eq!((a.axes[0].values.len(), a.axes[0].values[360]), (361, 360.0));
    assert!((of_x[0] - of_x[360]).abs() < 1e-12, "a turn closes");
    assert!((of_x[60] - (30.0 + 4.0 * (TAU / 3.0).cos())).abs() < 0.5, "{}", of_x[60]);
    assert!(of_y[60].abs() < 0.5, "{}", of_y[60]);
    assert!((number(&a, "major half-axis") - 30.0).abs() < 0.3 && (number(&a, "minor half-axis") - 20.0).abs() < 0.3);
    assert!(number(&a, "forward") == 1.0 && (number(&a, "speed") - 60.0 * 20.3).abs() < 1.0);
    // Order 1 alone has neither the second order nor the noise.
    let one = made(r#"{"lens": "orbit", "channels": [1, 2], "tacho": {"channel": 3}, "orders": [1]}"#, &mut s);
    assert!((one.traces[0].real()[60] - 30.0).abs() < 0.1 && (one.traces[1].real()[150] - 20.0).abs() < 0.1);
    let (field, says) = refusal(r#"{"lens": "orbit", "channels": [1], "tacho": {"channel": 3}}"#, &mut s);
    assert!(field == "channels" && says.contains("two channels"), "{says}");
}

#[test]
fn a_map_and_a_cut_run_along_time_as_well() {
    let mut s = machine();
    let tacho = r#""tacho": {"channel": 2, "pulses_per_rev": 4}, "along": "time""#;
    let map = made(&format!(r#"{{"lens": "order_map", {tacho}, "max_order": 5, "interval_s": 0.5}}"#), &mut s);
    assert_eq!(map.axes.iter().map(|x| x.name.word()).collect::<Vec<_>>(), ["time", "order"]);
    assert!(map.axes[0].values.windows(2).all(|w| (w[1] - w[0] - 0.5).abs() < 1e-9));
    let width = map.axes[1].values.len();
    assert!(map.traces[0].real().chunks(width).all(|row| (row[10] - 2.0).abs() < 0.05 && (row[30] - 0.5).abs() < 0.03));
    // Where no interval is given, about two hundred places; a stretch keeps the record's own time.
    let stretch = r#""stretch": {"from_s": 4, "to_s": 10}"#;
    let cut = made(&format!(r#"{{"lens": "order_track", {tacho}, {stretch}}}"#), &mut s);
    let times = &cut.axes[0].values;
    assert!(cut.axes[0].unit == "s" && (150..=200).contains(&times.len()), "{}", times.len());
    assert!(times[0] > 4.0 && times[times.len() - 1] < 10.0);
    let amplitudes = cut.traces[0].complex().unwrap().iter().map(|z| z.norm());
    assert!(amplitudes.into_iter().all(|a| (a / 2.0 - 1.0).abs() < 0.02));
    // The speeds of the slow roll are those at the times.
    let calm = format!(r#"{{"lens": "order_track", {tacho}, {stretch}, "slow_roll_rpm": [500, 3000]}}"#);
    assert!(made(&calm, &mut s).traces[0].complex().unwrap().iter().all(|z| z.re.abs() < 0.1));
    let wrong = format!(r#"{{"lens": "order_map", {tacho}, "interval_s": 0}}"#);
    assert_eq!(refusal(&wrong, &mut s).0, "interval_s");
    assert_eq!(refusal(&wrong.replace(": 0}", ": 1e-9}"), &mut s).0, "interval_s");
    assert_eq!(refusal(&wrong.replace("\"time\"", "\"angle\""), &mut s).0, "along");
}

#[test]
fn spectra_along_speed_show_order_and_resonance_apart() {
    // Order 2 of a run-up, and a steady tone that no order follows.
    let n = (12.0 * RATE) as usize;
    let turned = |t: f64| 8.0 * t + 1.5 * t * t;
    let (mut x, mut tacho) = (vec![0.0; n], vec![0.0; n]);
    for i in 0..n {
        let t = i as f64 / RATE;
        x[i] = 2.0 * (TAU * 2.0 * turned(t)).cos() + 0.5 * (TAU * 512.0 * t).cos();
        tacho[i] = if turned(t).fract() < 0.3 { 5.0 } else { 0.0 };
    }
    let mut s = memory(&[("bearing", "m/s²", x), ("tacho", "V", tacho)]);
    let recipe = r#"{"lens": "spectrogram", "along": "speed", "tacho": {"channel": 2}, "step_rpm": 60, "block": 1024}"#;
    let a = made(recipe, &mut s);
    assert_eq!(a.axes.iter().map(|x| x.name.word()).collect::<Vec<_>>(), ["speed", "frequency"]);
    let (speeds, lines) = (&a.axes[0].values, a.axes[1].values.len());
    assert!(speeds.len() > 20 && speeds.iter().all(|rpm| rpm.rem_euclid(60.0) == 0.0), "{speeds:?}");
    for (rpm, row) in speeds.iter().zip(a.traces[0].real().chunks(lines)) {
        assert!((row[64] - 0.5).abs() < 0.02, "the tone stays at {rpm} rpm: {}", row[64]);
        let top = row.iter().enumerate().max_by(|a, b| a.1.total_cmp(b.1)).unwrap().0;
        assert!((top as f64 * 8.0 - rpm / 30.0).abs() <= 8.0, "{rpm} rpm: line {top}");
    }
    // The same block as time gives there.
    let rows = a.traces[0].real().chunks(lines);
    let at = speeds.iter().position(|rpm| *rpm == 1200.0).unwrap();
    let t = (1200.0 / 60.0 - 8.0) / 3.0;
    let stretch = format!(r#"{{"from_s": {}, "to_s": {}}}"#, t - 0.0625, t + 0.0625);
    let one = made(&format!(r#"{{"lens": "spectrum", "channels": [1], "block": 1024, "stretch": {stretch}}}"#), &mut s);
    let (row, one) = (rows.into_iter().nth(at).unwrap(), one.traces[0].real());
    assert!(row.iter().zip(one).all(|(a, b)| (a - b).abs() < 0.02), "at 1200 rpm");
    for (recipe, field) in [
        (recipe.replace(r#""tacho": {"channel": 2}, "#, ""), "tacho"),
        (recipe.replace(r#"{"channel": 2}"#, r#"{"channel": 7}"#), "tacho.channel"),
        (recipe.replace("60,", "0,"), "step_rpm"),
        (recipe.replace("60,", "1e-6,"), "step_rpm"),
        (recipe.replace("1024}", r#"1024, "prepare": [{"do": "resample", "rate_hz": 500}]}"#), "prepare"),
        (recipe.replace("1024", "1048576"), "stretch"),
    ] {
        assert_eq!(refusal(&recipe, &mut s).0, field, "{recipe}");
    }
}
