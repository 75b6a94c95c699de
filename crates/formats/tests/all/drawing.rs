//! Plots as lines and labels, and what CSV refuses.

use echo_formats::csv::read;
use echo_formats::plot::{Curve, Plot, TRACES, draw, tick_text, ticks};
use proptest::prelude::*;

fn plot<'a>(x: &'a [f64], curves: Vec<Curve<'a>>, log_y: bool) -> Plot<'a> {
    Plot { x, x_label: "frequency, Hz", y_label: "peak, m/s²", log_y, curves, notes: Vec::new() }
}

/// Points of every path of a drawing.
fn points(svg: &str) -> Vec<(f64, f64)> {
    svg.split(" d='")
        .skip(1)
        .flat_map(|part| {
            let path = part.split('\'').next().unwrap_or("");
            path.split(['M', 'L', 'Z'])
                .filter_map(|p| {
                    let mut numbers = p.trim().split([' ', ',']).filter_map(|n| n.parse::<f64>().ok());
                    Some((numbers.next()?, numbers.next()?))
                })
                .collect::<Vec<_>>()
        })
        .collect()
}

#[test]
fn a_drawing_has_its_curves_axes_and_names() {
    let x: Vec<f64> = (0..200).map(f64::from).collect();
    let y: Vec<f64> = x.iter().map(|x| 3.0 + (x / 10.0).sin()).collect();
    let low: Vec<f64> = y.iter().map(|y| y - 1.0).collect();
    let d = draw(&plot(
        &x,
        vec![
            Curve { name: "deck, forward", values: &y, low: None },
            Curve { name: "deck, aft", values: &y, low: Some(&low) },
        ],
        false,
    ));
    assert!(d.svg.starts_with("<svg") && d.svg.ends_with("</svg>"));
    for (hue, _) in &TRACES[..2] {
        assert!(d.svg.contains(hue), "{hue}");
    }
    let says: Vec<&str> = d.labels.iter().map(|l| l.says.as_str()).collect();
    for wanted in ["frequency, Hz", "peak, m/s²", "deck, forward", "deck, aft", "50", "150"] {
        assert!(says.contains(&wanted), "{wanted} in {says:?}");
    }
}

#[test]
fn decades_are_marked_and_nothing_leaves_the_frame() {
    let x: Vec<f64> = (1..500).map(f64::from).collect();
    let y: Vec<f64> = x.iter().map(|x| 1e-2 * (1.0 + (x - 200.0).powi(-2)).min(1e4)).collect();
    let d = draw(&plot(&x, vec![Curve { name: "a", values: &y, low: None }], true));
    let says: Vec<&str> = d.labels.iter().map(|l| l.says.as_str()).collect();
    assert!(says.contains(&"0.01") && says.contains(&"1"), "{says:?}");
    assert!(d.labels.iter().all(|l| (-0.01..=1.01).contains(&l.x) && (-0.01..=1.01).contains(&l.y)), "{:?}", d.labels);
    assert!(points(&d.svg).len() > 100);
}

#[test]
fn text_of_ticks_is_short_and_true() {
    for (x, wanted) in [
        (0.0, "0"),
        (1.5, "1.5"),
        (-20.0, "\u{2212}20"),
        (0.1 + 0.2, "0.3"),
        (12_345.0, "12345"),
        (1e6, "1e6"),
        (2e-5, "2e\u{2212}5"),
    ] {
        assert_eq!(tick_text(x), wanted);
    }
}

#[test]
fn csv_that_cannot_be_is_told_with_its_line() {
    for (text, says) in [
        ("", "fewer than two columns"),
        ("time [s]\n0\n1\n", "fewer than two columns"),
        ("time [s],a [g]\n0,1\n", "1 lines of data"),
        ("time [s],a [g]\n0,1\n0.1,x\n", "line 3, column 2"),
        ("time [s],a [g]\n0,1\n0.1,inf\n", "line 3, column 2"),
        ("time [s],a [g]\n0,1\n0.1,2,3\n", "line 3"),
        ("time [s],a [g]\n0,1\n0.1,2\n0.15,3\n", "even steps"),
        ("time [s],a [g]\n1,1\n0.5,2\n0,3\n", "even steps"),
        ("time [s],a [g]\n0,1\n0,2\n", "even steps"),
    ] {
        let refused = read("a.csv", text.as_bytes()).err().map(|e| e.to_string());
        assert!(refused.as_ref().is_some_and(|r| r.contains(says) && r.contains("a.csv")), "{text:?}: {refused:?}");
    }
}

proptest! {
    #[test]
    fn ticks_are_even_round_and_inside(lo in -1e6f64..1e6, span in 1e-6f64..1e6, wanted in 1usize..12) {
        let hi = lo + span;
        let found = ticks(lo, hi, wanted);
        prop_assert!(found.len() <= wanted + 1, "{found:?}");
        prop_assert!(found.iter().all(|t| *t >= lo - 1e-9 * span && *t <= hi + 1e-9 * span), "{found:?}");
        if let [a, b, ..] = found[..] {
            let step = b - a;
            let mantissa = step / 10f64.powf(step.log10().floor());
            prop_assert!([1.0, 2.0, 5.0, 10.0].iter().any(|m| (mantissa - m).abs() < 1e-2), "{step}");
        }
    }

    #[test]
    fn any_numbers_are_drawn(
        values in prop::collection::vec(prop_oneof![Just(f64::NAN), Just(f64::INFINITY), Just(0.0), -1e300f64..1e300], 0..80),
        log_y in any::<bool>(),
    ) {
        let x: Vec<f64> = (0..values.len()).map(|i| i as f64).collect();
        let d = draw(&plot(&x, vec![Curve { name: "a <b> & \"c\"", values: &values, low: None }], log_y));
        prop_assert!(!d.svg.contains("NaN") && !d.svg.contains("inf"), "{}", d.svg);
    }
}
