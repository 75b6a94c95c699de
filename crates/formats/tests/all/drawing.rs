//! Plots as lines and labels, as pictures and tables; what CSV refuses.

use echo_formats::csv::read;
use echo_formats::plot::draw::TRACES;
use echo_formats::plot::scale::{tick_text, ticks};
use echo_formats::plot::{Axis, Curve, Level, Map, Note, Pane, Plot, Shades, draw, out};
use echo_formats::sheet::{Sheet, write_tsv};
use proptest::prelude::*;

fn axis(values: &[f64]) -> Axis {
    Axis { label: "frequency, Hz".into(), values: values.to_vec(), ..Axis::default() }
}

fn curve(name: &str, values: &[f64], low: Option<&[f64]>) -> Curve {
    Curve { name: name.into(), values: values.to_vec(), low: low.map(<[f64]>::to_vec), ..Curve::default() }
}

fn plot(x: &[f64], curves: Vec<Curve>, log: bool) -> Plot {
    let pane = Pane { label: "peak, m/s²".into(), log, curves, ..Pane::default() };
    Plot { x: axis(x), panes: vec![pane], ..Plot::default() }
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
    let d = draw(&plot(&x, vec![curve("deck, forward", &y, None), curve("deck, aft", &y, Some(&low))], false));
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
    let d = draw(&plot(&x, vec![curve("a", &y, None)], true));
    let says: Vec<&str> = d.labels.iter().map(|l| l.says.as_str()).collect();
    assert!(says.contains(&"0.01") && says.contains(&"1"), "{says:?}");
    assert!(d.labels.iter().all(|l| (-0.01..=1.01).contains(&l.x) && (-0.01..=1.01).contains(&l.y)), "{:?}", d.labels);
    assert!(points(&d.svg).len() > 100);
}

/// What the old drawing of one pane was pinned by: breaks, hanging notes, labels in their order.
#[test]
fn a_plot_draws_what_is_there() {
    let x: Vec<f64> = (0..5).map(f64::from).collect();
    let y = [1.0, 10.0, f64::NAN, 0.0, 100.0];
    let note = |at: f64, says: &str| Note { at, says: says.into() };
    let mut plot = plot(&x, vec![curve("a", &y, None), curve("b", &y, None)], true);
    plot.notes = vec![note(1.0, "shaft"), note(1.05, "and more"), note(9.0, "beyond")];
    let d = draw(&plot);
    // Zero and what is missing break a curve on a scale of decades: two strokes each.
    let strokes: Vec<usize> =
        d.svg.split("<path").filter(|p| p.contains("linejoin")).map(|p| p.matches('M').count()).collect();
    assert_eq!(strokes, [2, 2]);
    // The second note hangs under the first; one beyond the axis is left out.
    assert_eq!(d.svg.matches("#a01c6b").count(), 2);
    let at = |says: &str| d.labels.iter().find(|l| l.says == says).unwrap();
    assert!(at("and more").y > at("shaft").y && d.labels.iter().all(|l| l.says != "beyond"));
    // The legend stands above the curves, not over them.
    assert!(at("a").y < at("shaft").y && at("b").y < at("shaft").y);
    assert!(d.labels.iter().all(|l| (0.0..=1.0).contains(&l.x) && (0.0..=1.0).contains(&l.y)));
}

#[test]
fn panes_share_their_axis_steps_turn_and_levels_lie_across() {
    let x = [0.0, 1.0, 2.0];
    let amplitude =
        Pane { label: "gain".into(), log: true, curves: vec![curve("p", &[1.0, 10.0, 1.0], None)], ..Pane::default() };
    let steps = Curve { steps: true, ..curve("p", &[0.0, 90.0, 0.0], None) };
    let level = Level { at: 45.0, says: "limit".into() };
    let phase = Pane {
        label: "phase, °".into(),
        curves: vec![steps],
        levels: vec![level],
        share: Some(0.5),
        ..Pane::default()
    };
    let d = draw(&Plot { title: "Response".into(), x: axis(&x), panes: vec![amplitude, phase], ..Plot::default() });
    let says: Vec<&str> = d.labels.iter().map(|l| l.says.as_str()).collect();
    assert_eq!(says.iter().filter(|s| **s == "frequency, Hz").count(), 1, "{says:?}");
    for wanted in ["gain", "phase, °", "limit", "Response"] {
        assert!(says.contains(&wanted), "{wanted} in {says:?}");
    }
    let stepped = d.svg.split("<path").filter(|p| p.contains("linejoin")).last().unwrap();
    // Across before up, at every step: four corners after the first point.
    assert_eq!(stepped.split('\'').nth(1).unwrap().matches('L').count(), 4, "{stepped}");
}

fn map() -> Plot {
    let values = vec![1.0, 2.0, 3.0, 4.0, f64::NAN, 60.0];
    let map = Map { rows: vec![10.0, 20.0], values, label: "g".into(), decades: Some(3.0), shades: Shades::Tide };
    let pane = Pane { label: "speed, rpm".into(), map: Some(map), ..Pane::default() };
    Plot { x: axis(&[0.0, 1.0, 2.0]), panes: vec![pane], ..Plot::default() }
}

/// Colour of a pixel of a PNG, at shares of its width and height.
fn pixel(bytes: &[u8], x: f64, y: f64) -> [u8; 3] {
    let mut reader = png::Decoder::new(std::io::Cursor::new(bytes)).read_info().unwrap();
    let mut all = vec![0; reader.output_buffer_size().unwrap()];
    let info = reader.next_frame(&mut all).unwrap();
    let (w, h) = (info.width as usize, info.height as usize);
    let at = ((y * h as f64) as usize * w + (x * w as f64) as usize) * info.line_size / w;
    [all[at], all[at + 1], all[at + 2]]
}

#[test]
fn a_map_has_its_largest_value_darkest_and_a_bar_that_says_how_much() {
    let d = draw(&map());
    let png = out::png(&d, 2.0).unwrap();
    assert!(png.starts_with(b"\x89PNG"));
    // Rows go up, columns to the right: 60 stands above on the right, 1 below on the left.
    assert_eq!(pixel(&png, 0.85, 0.1), Shades::Tide.of(1.0));
    let low = pixel(&png, 0.12, 0.75);
    assert!(
        low.iter().zip(Shades::Tide.of(1.0 + (1.0f64 / 60.0).log10() / 3.0)).all(|(a, b)| a.abs_diff(b) <= 2),
        "{low:?}"
    );
    let says: Vec<&str> = d.labels.iter().map(|l| l.says.as_str()).collect();
    assert!(["0.1", "1", "10", "g"].iter().all(|w| says.contains(w)), "{says:?}");
}

#[test]
fn a_table_has_what_is_shown() {
    let mut p =
        plot(&[0.0, 1.0, 2.0, 3.0], vec![curve("a", &[1.0, 2.0, f64::NAN, 4.0], Some(&[0.0, 1.0, 1.5, 3.0]))], false);
    (p.x.from, p.x.to) = (Some(0.5), Some(2.5));
    let sheet = out::table(&p);
    assert_eq!(sheet.heads, ["frequency, Hz", "a: peak, m/s², smallest", "a: peak, m/s², largest"]);
    assert_eq!(sheet.rows, [["1", "1", "2"], ["2", "1.5", ""]]);
    assert_eq!(write_tsv(&sheet).lines().nth(2), Some("2\t1.5\t"));
    let tabs = Sheet { name: "x".into(), heads: vec!["a\tb".into(), "=1+1".into()], rows: Vec::new() };
    assert_eq!(write_tsv(&tabs), "a b\t'=1+1");
    let sheet = out::table(&map());
    assert_eq!(sheet.rows, [["10", "1", "2", "3"], ["20", "4", "", "60"]]);
    let own = Curve { x: vec![3.0, 1.0], ..curve("orbit", &[5.0, 6.0], None) };
    let sheet = out::table(&Plot { round: true, ..plot(&[], vec![own], false) });
    assert_eq!(sheet.rows, [["3", "5"], ["1", "6"]]);
}

#[test]
fn plots_that_cannot_be_are_refused() {
    let wrong = [
        (Plot { panes: Vec::new(), ..plot(&[0.0], Vec::new(), false) }, "1 to 24 panes"),
        (plot(&[0.0, 1.0], vec![curve("a", &[1.0], None)], false), "“a” has 1 values over 2 places"),
        (plot(&[0.0], vec![curve("a", &[1.0], Some(&[]))], false), "0 values over 1"),
        (Plot { size: Some([1.0, 1e9]), ..plot(&[0.0], Vec::new(), false) }, "200 × 100"),
        (Plot { x: axis(&[2.0, 1.0, 0.0]), ..map() }, "must ascend"),
        (Plot { x: axis(&[0.0, 1.0]), ..map() }, "cannot have 6 values"),
    ];
    for (plot, says) in wrong {
        let refused = plot.check().unwrap_err().says;
        assert!(refused.contains(says), "{refused}");
    }
    assert!(out::png(&draw(&map()), 1000.0).is_err(), "a picture of 10 000 million pixels");
}

#[test]
fn an_svg_of_its_own_is_whole_and_keeps_its_words() {
    let text = out::svg(&draw(&plot(
        &[0.0, 1.0],
        vec![curve("<b> & 'c'", &[1.0, 2.0], None), curve("d", &[2.0, 1.0], None)],
        false,
    )));
    assert!(text.contains("&lt;b&gt; &amp; 'c'") && text.contains(">frequency, Hz</text>"), "{text}");
    assert_eq!((text.matches("<svg").count(), text.matches("</svg>").count()), (1, 1));
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
        let d = draw(&plot(&x, vec![curve("a <b> & \"c\"", &values, None)], log_y));
        prop_assert!(!d.svg.contains("NaN") && !d.svg.contains("inf"), "{}", d.svg);
        prop_assert!(out::png(&d, 1.0).is_ok());
    }
}
