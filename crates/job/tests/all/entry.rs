//! Entries: what is typed for a quantity is taken as it was meant, or refused with the reason.

use echo_job::entry::number::{plain, rounded};
use echo_job::entry::{Asked, Shape, read, units};
use echo_job::unit;
use proptest::prelude::*;

fn asked(unit: &str) -> Asked {
    Asked { what: "the hold-off".into(), unit: unit.into(), ..Asked::default() }
}

#[test]
fn every_usual_form_is_read_in_the_unit_that_is_asked_for() {
    for (text, unit, value) in [
        ("200 ms", "s", 0.2),
        ("200ms", "s", 0.2),
        ("2 kHz", "Hz", 2000.0),
        ("2 KHZ", "Hz", 2000.0),
        ("5 MHz", "mHz", 5e9),
        ("5 mHz", "MHz", 5e-9),
        ("18 000", "Hz", 18_000.0),
        ("18\u{202f}000\u{202f}Hz", "kHz", 18.0),
        ("18,000.5", "", 18_000.5),
        ("1.000,5", "", 1000.5),
        ("1'234'567", "", 1_234_567.0),
        ("1,234,567", "", 1_234_567.0),
        ("1.234.567", "", 1_234_567.0),
        ("1,5", "s", 1.5),
        ("0,125", "", 0.125),
        ("1 000,500", "", 1000.5),
        ("\u{2212}3\u{2009}dB", "dB", -3.0),
        ("–3 dB", "dB", -3.0),
        ("+.5", "V", 0.5),
        ("5.", "V", 5.0),
        ("1e-3", "s", 1e-3),
        ("1E3", "", 1000.0),
        ("1.2×10⁻⁵ m", "µm", 12.0),
        ("1.2·10^-5", "m", 1.2e-5),
        ("3/4", "", 0.75),
        ("17 / 3", "×", 17.0 / 3.0),
        ("25 Hz", "rpm", 1500.0),
        ("2 g", "m/s²", 19.6133),
        ("20 mm/s2", "m/s²", 0.02),
        ("1 in/s", "mm/s", 25.4),
        ("1 h 30 min", "s", 5400.0),
        ("2\u{202f}h 5\u{202f}min", "min", 125.0),
        ("1 turn", "°", 360.0),
        ("500 MB", "GB", 0.5),
        ("50 %", "", 0.5),
        ("64 takes", "takes", 64.0),
        ("1 take", "takes", 1.0),
        ("10.2 mV/(m/s²)", "mV/(m/s²)", 10.2),
        (" \u{feff}12\tV\r\n", "V", 12.0),
    ] {
        let read = asked(unit).number(text);
        assert!(read.as_ref().is_ok_and(|v| (v - value).abs() <= 1e-14 * value.abs()), "{text} in {unit}: {read:?}");
    }
}

#[test]
fn what_can_be_read_in_two_ways_or_not_at_all_is_refused_with_the_reason() {
    for (text, unit, word) in [
        ("", "s", "empty"),
        ("   ", "s", "empty"),
        ("abc", "s", "a number in s, not “abc”"),
        ("18,000", "Hz", "may be 18 or 18000"),
        ("1,234", "", "may be 1.234 or 1234"),
        ("1 2", "s", "groups of three"),
        ("1,23,456", "", "groups of three"),
        ("1.2.3", "", "groups of three"),
        ("1e999", "s", "beyond"),
        ("1e-999", "s", "beyond"),
        ("1/0", "", "divides by zero"),
        ("2 kHz", "s", "is a frequency, the hold-off is a time; use s, ms, µs, min, h or d"),
        ("5 m", "s", "is a length"),
        ("5 s", "", "is a time, the hold-off is a plain number"),
        ("12abc", "s", "“abc” is no unit of the hold-off"),
        ("5 mhz", "Hz", "“mhz” is no unit"),
        ("5 V", "mV/g", "the hold-off is not in V; use mV/g"),
        ("1 h 30", "s", "must be"),
        ("NaN", "s", "must be"),
        ("inf", "s", "must be"),
        ("−", "s", "must be"),
    ] {
        let says = asked(unit).number(text).unwrap_err().says;
        assert!(says.contains(word), "{text:?}: {says}");
    }
    let long = asked("s").number(&"9".repeat(1000)).unwrap_err().says;
    assert!(long.starts_with("1000 characters are no entry") && long.len() < 120, "{long}");
}

#[test]
fn bounds_are_told_in_the_unit_that_is_asked_for() {
    let says = |a: &Asked, text: &str| a.number(text).unwrap_err().says;
    let pre = Asked::between("the pre-trigger", "s", 0.0, 60.0);
    assert_eq!(says(&pre, "200 s"), "the pre-trigger must be 0 to 60 s, not “200 s”");
    assert_eq!(says(&pre, "-5"), "the pre-trigger must be 0 to 60 s, not “-5”");
    let above = Asked::positive("the edge", "Hz");
    assert_eq!(says(&above, "0 kHz"), "the edge must be above 0 Hz, not “0 kHz”");
    let whole = Asked { whole: true, ..Asked::between("the order", "", 1.0, 12.0) };
    assert_eq!(says(&whole, "2.5"), "the order must be a whole number, 1 to 12, not “2.5”");
    assert_eq!(whole.number("12"), Ok(12.0));
    let signed = Asked { low: Some(-40.0), ..asked("dB") };
    assert_eq!(says(&signed, "-50 dB"), "the hold-off must be −40 dB or more, not “-50 dB”");
}

#[test]
fn only_the_word_itself_stands_for_none() {
    let none = Asked { words: vec!["none".into(), "all".into()], ..asked("s") };
    for text in ["none", " None ", "NONE"] {
        assert_eq!(read(text, &none).unwrap().word.as_deref(), Some("none"));
    }
    assert_eq!(read("all", &none).unwrap().word.as_deref(), Some("all"));
    for text in ["0.5 seconds", "nothing", "non", ""] {
        let read = read(text, &none);
        assert!(read.as_ref().is_ok_and(|e| e.values == [0.5]) == (text == "0.5 seconds"), "{text}: {read:?}");
    }
    assert!(read("nothing", &none).unwrap_err().says.ends_with("a number in s, or “none”, or “all”, not “nothing”"));
}

#[test]
fn ranges_and_lists_share_a_unit_told_once() {
    let range = Asked { shape: Shape::Range, ..asked("Hz") };
    for (text, values) in [
        ("2 kHz to 4 kHz", [2000.0, 4000.0]),
        ("2 to 4 kHz", [2000.0, 4000.0]),
        ("2 kHz to 4", [2000.0, 4000.0]),
        ("10–1000", [10.0, 1000.0]),
        ("10 Hz - 1 kHz", [10.0, 1000.0]),
        ("1 400 … 2 600 Hz", [1400.0, 2600.0]),
        ("-3 to -1", [-3.0, -1.0]),
        ("1,5 to 2,5", [1.5, 2.5]),
        ("1000 1250", [1000.0, 1250.0]),
    ] {
        assert_eq!(read(text, &range).map(|e| e.values), Ok(values.to_vec()), "{text}");
    }
    for text in ["10", "1000 to 10", "5 to 5", "10 to", "to 10", "a to b", "1 s to 2 s", "10 to 18,000", "1 000 2 000"]
    {
        assert!(read(text, &range).is_err(), "{text}");
    }
    let list = Asked { shape: Shape::List, ..Asked::positive("the orders", "") };
    for (text, values) in [
        ("1, 2, 3.5", vec![1.0, 2.0, 3.5]),
        ("1,5; 2", vec![1.5, 2.0]),
        ("1,2,3", vec![1.0, 2.0, 3.0]),
        ("0.5,1", vec![0.5, 1.0]),
        ("1 2 17/3", vec![1.0, 2.0, 17.0 / 3.0]),
        ("7", vec![7.0]),
    ] {
        assert_eq!(read(text, &list).map(|e| e.values), Ok(values), "{text}");
    }
    assert!(read("1,2", &list).unwrap_err().says.contains("type 1.2 or 1; 2"));
    for text in ["1, , -2", "1, x", ";", "1; 2 s"] {
        assert!(read(text, &list).is_err(), "{text}");
    }
    let edges = Asked { shape: Shape::List, ..asked("Hz") };
    assert_eq!(read("1, 2, 5 kHz", &edges).unwrap().values, [1000.0, 2000.0, 5000.0]);
    assert_eq!(read("500 Hz; 2 kHz", &edges).unwrap().values, [500.0, 2000.0]);
}

#[test]
fn a_unit_of_the_channel_table_means_the_same_in_an_entry() {
    for u in unit::UNITS {
        let found = units::find(u.symbol).unwrap_or_else(|| panic!("{} is not known", u.symbol));
        let si = unit::UNITS.iter().find(|o| o.quantity == u.quantity && units::find(o.symbol).is_some());
        let (si, base) = (si.unwrap().to_si, units::find(si.unwrap().symbol).unwrap().base);
        assert!((found.base / base - u.to_si / si).abs() < 1e-12 * u.to_si / si, "{}", u.symbol);
    }
}

/// A number as the page writes it: four digits, thin groups, real minus, powers of ten.
fn as_the_page(x: f64) -> String {
    let text = plain(x).replace('-', "\u{2212}");
    let (whole, part) = text.split_once('.').map_or((text.as_str(), None), |(w, p)| (w, Some(p)));
    let digits = whole.trim_start_matches('\u{2212}').len();
    let grouped: String = whole
        .chars()
        .enumerate()
        .flat_map(|(i, c)| {
            let left = whole.chars().count() - i;
            let gap = digits > 4 && left % 3 == 0 && i > 0 && whole.chars().nth(i - 1).is_none_or(|c| c != '\u{2212}');
            gap.then_some('\u{202f}').into_iter().chain([c])
        })
        .collect();
    part.map_or(grouped.clone(), |p| format!("{grouped}.{p}"))
}

proptest! {
    #[test]
    fn what_is_shown_is_read_back_as_the_same(x in prop_oneof![1e-4f64..1e9, -1e6f64..1e6], unit in prop::sample::select(vec!["", "s", "ms", "Hz", "kHz", "rpm", "V", "g", "mm/s", "dB", "°", "%"])) {
        let x = rounded(x, 9);
        prop_assert_eq!(asked(unit).number(&format!("{} {unit}", plain(x))), Ok(x));
        prop_assert_eq!(asked(unit).number(&format!("{}\u{202f}{unit}", as_the_page(x))), Ok(x));
    }

    #[test]
    fn a_conversion_there_and_back_changes_nothing(x in 1e-6f64..1e6, pair in prop::sample::select(vec![("s", "ms"), ("Hz", "rpm"), ("g", "mm/s²"), ("m", "in"), ("°", "rad"), ("MB", "GB"), ("bar", "psi")])) {
        let there = asked(pair.1).number(&format!("{x} {}", pair.0)).unwrap();
        let back = asked(pair.0).number(&format!("{there} {}", pair.1)).unwrap();
        prop_assert!((back - x).abs() <= 1e-13 * x, "{x} {there} {back}");
    }

    #[test]
    fn any_text_gets_a_value_within_bounds_or_a_sentence(text in "\\PC{0,40}", wild in "[-+0-9., eE/×⁻²a-zµ%;]{0,14}", shape in prop::sample::select(vec![Shape::One, Shape::Range, Shape::List])) {
        let wanted = Asked { shape, ..Asked::between("the value", "s", -5.0, 60.0) };
        for text in [text, wild] {
            match read(&text, &wanted) {
                Ok(e) => prop_assert!(!e.values.is_empty() && e.values.iter().all(|v| (-5.0..=60.0).contains(v)), "{}", text),
                Err(e) => prop_assert!(!e.says.is_empty() && e.says.len() < 400, "{}", e.says),
            }
        }
    }

    #[test]
    fn digits_alone_are_never_changed(n in 0u64..9_007_199_254_740_992) {
        prop_assert_eq!(asked("").number(&n.to_string()), Ok(n as f64));
    }
}
