//! Words, numbers and texts of reports.

use chrono::{TimeZone, Utc};
use echo_job::report::language::{Language, Term};
use echo_job::report::text::{Kind, MOST_CHARACTERS, Paragraph, Place, Span, read};
use proptest::prelude::*;

use Language::{English, German};

#[test]
fn numbers_have_the_digits_they_are_asked_for() {
    for (x, digits, english, german) in [
        (0.0, 4, "0", "0"),
        (58.290_4, 4, "58.29", "58,29"),
        (-0.012_345, 3, "\u{2212}0.0123", "\u{2212}0,0123"),
        (999.96, 4, "1000", "1000"),
        (51_200.0, 5, "51\u{202f}200", "51\u{202f}200"),
        (123_456.7, 7, "123\u{202f}456.7", "123\u{202f}456,7"),
        (1234.0, 2, "1234", "1234"),
        (2.5e9, 2, "2.5·10⁹", "2,5·10⁹"),
        (-1.25e-7, 3, "\u{2212}1.25·10⁻⁷", "\u{2212}1,25·10⁻⁷"),
        (f64::NAN, 3, "–", "–"),
        (f64::INFINITY, 3, "–", "–"),
    ] {
        assert_eq!(English.number(x, digits), english, "{x} in {digits}");
        assert_eq!(German.number(x, digits), german, "{x} in {digits}");
    }
    for (x, wanted) in
        [(582.8, "582.8"), (582.833_333, "582.833"), (-12.5, "\u{2212}12.5"), (5.0, "5"), (1200.0, "1200")]
    {
        assert_eq!(English.short(x, 6), wanted);
    }
    assert_eq!((German.short(0.5, 6), German.short(2.5e9, 4)), ("0,5".into(), "2,500·10⁹".into()));
    assert_eq!(German.quantity(10.2, 3, "mV/(m/s²)"), "10,2\u{202f}mV/(m/s²)");
    assert_eq!(English.quantity(0.98, 2, ""), "0.98");
}

#[test]
fn a_value_stands_in_the_digits_of_its_uncertainty() {
    for (x, u, wanted) in [
        (58.290_43, 0.015_2, "(58.290 ± 0.015)"),
        (0.018_02, 0.000_86, "(0.01802 ± 0.00086)"),
        (12_345.0, 1234.0, "(12\u{202f}300 ± 1200)"),
        (12_345.0, 12.4, "(12\u{202f}345 ± 12)"),
        (5.0, 0.996, "(5.0 ± 1.0)"),
        (-3.0, 0.25, "(\u{2212}3.00 ± 0.25)"),
    ] {
        assert_eq!(English.uncertain(x, u, ""), wanted);
    }
    assert_eq!(German.uncertain(9.81, 0.02, "m/s²"), "(9,810 ± 0,020)\u{202f}m/s²");
    // Where it is not known, nothing is invented.
    for unknown in [f64::NAN, 0.0, -1.0, f64::INFINITY] {
        assert_eq!(English.uncertain(9.81, unknown, "m/s²"), "9.810\u{202f}m/s²");
    }
}

#[test]
fn days_and_words_are_of_the_language() {
    let at = Utc.with_ymd_and_hms(2026, 3, 5, 9, 0, 0).unwrap();
    assert_eq!((English.day(at), German.day(at)), ("5 March 2026".into(), "5. März 2026".into()));
    assert_eq!((English.code(), German.code()), ("en", "de"));
    let terms = [
        Term::Figure,
        Term::Table,
        Term::Page,
        Term::Of,
        Term::MadeOf,
        Term::Specimen,
        Term::Run,
        Term::Recorded,
        Term::Length,
        Term::Rate,
        Term::Channels,
        Term::FrontEnd,
        Term::Ended,
        Term::Sensor,
        Term::Sensitivity,
        Term::SetTo,
        Term::Mode,
        Term::Frequency,
        Term::Value,
        Term::Averages,
        Term::LinesApart,
    ];
    for language in [English, German] {
        let mut said: Vec<&str> = terms.iter().map(|t| language.says(*t)).collect();
        said.sort_unstable();
        said.dedup();
        assert_eq!(said.len(), terms.len(), "each has a word of its own");
    }
    assert!(terms.iter().all(|t| English.says(*t) != German.says(*t)));
    assert_eq!(serde_json::from_str::<Language>("\"german\"").unwrap(), German);
    assert_eq!(
        (English.word("crest_factor"), German.word("crest_factor")),
        ("crest factor".into(), "Scheitelfaktor".into())
    );
    assert_eq!(German.word("H1 2/1"), "H1 2/1", "what is no word of the trade stays as it is");
}

fn word(name: &str) -> Option<String> {
    match name {
        "run" => Some("run 3".into()),
        "odd" => Some("*a_b*".into()),
        _ => None,
    }
}

fn text(t: &str) -> Vec<Paragraph> {
    read(t, &["run", "odd"], &word).unwrap()
}

/// Letters with their look: s strong, e slanted, ^ raised, ~ lowered.
fn looks(t: &str) -> Vec<(String, String)> {
    let look = |s: &Span| {
        let place = match s.place {
            Place::Line => "",
            Place::Raised => "^",
            Place::Lowered => "~",
        };
        format!("{}{}{place}", if s.strong { "s" } else { "" }, if s.slanted { "e" } else { "" })
    };
    text(t).remove(0).spans.iter().map(|s| (s.text.clone(), look(s))).collect()
}

fn plain(parts: &[(&str, &str)]) -> Vec<(String, String)> {
    parts.iter().map(|(t, l)| (t.to_string(), l.to_string())).collect()
}

#[test]
fn paragraphs_headings_and_lists_are_told_by_their_beginnings() {
    let all = text(
        "# Results\nAll good\nat 58 Hz.\n\n## By point\n- hammer\n- tip,\nscrewed\n1. first\n12. later\n2026. year",
    );
    let told: Vec<(Kind, String)> = all.iter().map(|p| (p.kind, p.to_string())).collect();
    let wanted = [
        (Kind::Heading(1), "Results"),
        (Kind::Plain, "All good at 58 Hz."),
        (Kind::Heading(2), "By point"),
        (Kind::Item, "hammer"),
        (Kind::Item, "tip, screwed"),
        (Kind::Numbered(1), "first"),
        (Kind::Numbered(12), "later 2026. year"),
    ];
    assert_eq!(told, wanted.map(|(k, t)| (k, t.to_string())));
    assert!(text("").is_empty() && text(" \n\t\n").is_empty());
}

#[test]
fn signs_turn_letters_where_they_hold_them_and_stay_otherwise() {
    assert_eq!(looks("a *loud* word"), plain(&[("a ", ""), ("loud", "s"), (" word", "")]));
    assert_eq!(looks("*loud _and quiet_*"), plain(&[("loud ", "s"), ("and quiet", "se")]));
    assert_eq!(looks("10 m/s^2^, x~rms~"), plain(&[("10 m/s", ""), ("2", "^"), (", x", ""), ("rms", "~")]));
    // Formulas, names of files and lone signs are no looks.
    for same in ["2 * 3 * 4", "a_b_c.wav", "5 * 3", "~ 30 Hz", "x^", "*open", "100 %"] {
        assert_eq!(looks(same), plain(&[(same, "")]), "{same}");
    }
    assert_eq!(looks(r"\*kept\* \{run\} \\"), plain(&[(r"*kept* {run} \", "")]));
    assert_eq!(text(r"\# no heading")[0].kind, Kind::Plain);
}

#[test]
fn words_in_braces_are_filled_in_and_what_is_filled_in_is_letters() {
    assert_eq!(looks("in *{run}*, {{run}}, { RUN }"), plain(&[("in ", ""), ("run 3", "s"), (", {run}, run 3", "")]));
    assert_eq!(looks("{odd}"), plain(&[("*a_b*", "")]));
    let says = |t: &str| read(t, &["run", "odd"], &word).unwrap_err().says;
    assert_eq!(says("{rum}"), "“{rum}” is not known; allowed: {run}, {odd}");
    assert!(says("in {run").contains("not closed"));
}

#[test]
fn what_no_printer_knows_is_left_out_and_length_is_bounded() {
    assert_eq!(text("a\u{0}b\u{7}\tc\u{1b}[31m 😀 #let x <b>")[0].to_string(), "ab c[31m 😀 #let x <b>");
    let long = "x".repeat(MOST_CHARACTERS);
    assert_eq!(text(&long)[0].to_string().len(), MOST_CHARACTERS);
    let says = read(&(long + "y"), &[], &word).unwrap_err().says;
    assert!(says.contains("100001 characters; allowed: up to 100000"), "{says}");
}

proptest! {
    /// No text panics, and no letter that is not a sign is lost.
    #[test]
    fn no_letter_is_lost(t in "[a-z *_^~{}#\\-\n\\\\0-9.]{0,200}") {
        if let Ok(all) = read(&t, &["run"], &|_| Some("W".into())) {
            let told: String = all.iter().map(ToString::to_string).collect();
            let outside = |t: &str| -> usize { t.chars().filter(|c| c.is_ascii_lowercase()).count() };
            prop_assert!(outside(&told) <= outside(&t));
            if !t.contains(['{', '}', '\\']) {
                prop_assert_eq!(outside(&told), outside(&t));
            }
            for p in &all {
                prop_assert!(p.spans.windows(2).all(|w| (w[0].strong, w[0].slanted, w[0].place) != (w[1].strong, w[1].slanted, w[1].place)));
            }
        }
    }

    /// Whatever the language, a number is read back to the digits it was written in.
    #[test]
    fn numbers_read_back(x in -1e12..1e12f64, digits in 1usize..12) {
        for language in [English, German] {
            let told = language.number(x, digits);
            let (mantissa, power) = told.split_once("·10").unwrap_or((&told, ""));
            let plain: String =
                mantissa.chars().filter(|c| *c != '\u{202f}').map(|c| match c { ',' => '.', '\u{2212}' => '-', c => c }).collect();
            let power: String = power.chars().map(|c| match c {
                '⁻' => '-',
                c => char::from_digit("⁰¹²³⁴⁵⁶⁷⁸⁹".chars().position(|r| r == c).unwrap() as u32, 10).unwrap(),
            }).collect();
            let back: f64 = format!("{plain}e{}", if power.is_empty() { "0" } else { &power }).parse().unwrap();
            prop_assert!((back - x).abs() <= 0.51 * 10f64.powi(1 - digits as i32) * x.abs() * 1.0001 + 1e-300, "{x} in {digits}: {told}");
        }
    }
}

mod blocks {
    use echo_job::report::Report;
    use echo_job::report::block::{Block, Drawn, Each, MOST_BLOCKS, Only, Show};
    use serde_json::{Value, json};

    fn with(show: Value) -> Result<Report, serde_json::Error> {
        Report::stored(json!({ "title": "Thruster", "blocks": [{ "id": 1, "show": show }] }))
    }

    #[test]
    fn a_report_of_one_spectrum_and_findings_becomes_blocks() {
        let stored = json!({
            "title": "Thruster", "findings": "the mesh", "run_id": 3, "shown_hz": [0.0, 1400.0],
            "recipe": { "lens": "spectrum", "channels": [7, 8], "stretch": { "from_s": 1.0, "to_s": 2.0 } },
        });
        let report = Report::stored(stored).unwrap();
        report.check().unwrap();
        assert_eq!((report.title.as_str(), report.run_id), ("Thruster", Some(3)));
        let text = report.blocks.iter().find_map(|b| if let Show::Text { text } = &b.show { Some(text) } else { None });
        assert_eq!(text.map(String::as_str), Some("the mesh"));
        let figures: Vec<&Drawn> =
            report.blocks.iter().filter_map(|b| if let Show::Figure(f) = &b.show { Some(f) } else { None }).collect();
        assert_eq!(figures[0].recipe["lens"], "waveform");
        assert_eq!((&figures[0].recipe["channels"], &figures[0].recipe["stretch"]["to_s"]), (&json!([7]), &json!(2.0)));
        assert_eq!((figures[1].shown, &figures[1].recipe["channels"]), (Some([0.0, 1400.0]), &json!([7, 8])));
        // What was stored as blocks is read as it is, and written the same.
        let again = serde_json::to_value(&report).unwrap();
        assert_eq!(Report::stored(again).unwrap(), report);
    }

    #[test]
    fn nobody_wrote_one_yet() {
        let usual = Report::usual("Merrow");
        usual.check().unwrap();
        assert!(matches!(usual.blocks[0].show, Show::Head) && usual.blocks.len() > 5);
    }

    fn limits(limits: Value) -> Value {
        json!({ "what": "limits", "recipe": { "lens": "statistics" }, "number": "rms", "limits": limits })
    }

    #[test]
    fn what_cannot_be_kept_is_refused_with_its_block() {
        let says = |r: Report| r.check().unwrap_err();
        let good = with(json!({ "what": "head" })).unwrap();
        assert!(says(Report { title: " ".into(), ..good.clone() }).says.contains("title is empty"));
        assert!(says(Report { blocks: Vec::new(), ..good.clone() }).says.contains("0 blocks; allowed: 1 to"));
        let many = |id: &dyn Fn(u32) -> u32, n: usize| Report {
            blocks: (1..=n as u32)
                .map(|k| Block {
                    id: id(k),
                    title: String::new(),
                    show: Show::Head,
                    each: None,
                    only: Only::All,
                    folded: false,
                })
                .collect(),
            ..good.clone()
        };
        assert!(many(&|k| k, MOST_BLOCKS).check().is_ok());
        assert!(says(many(&|k| k, MOST_BLOCKS + 1)).says.contains("201 blocks"));
        assert!(says(many(&|_| 1, 2)).says.starts_with("block 2: the key 1 is 0 or that of another block"));
        assert!(says(many(&|k| k - 1, 2)).says.starts_with("block 1: the key 0"));
        for (show, word) in [
            (json!({ "what": "text", "text": "x".repeat(100_001) }), "100001 characters; allowed: up to 100000"),
            (json!({ "what": "text", "text": "\n".repeat(50_000) }), "50000 lines"),
            (json!({ "what": "signature", "names": [] }), "0 names sign; allowed: 1 to 12"),
            (json!({ "what": "figure", "recipe": { "lens": "spektrum" } }), "lens must be"),
            (json!({ "what": "figure", "recipe": { "lens": "spectrum" }, "shown": [5.0, 5.0] }), "5 to 5 is no range"),
            (json!({ "what": "table", "recipe": { "lens": "spectrum", "windo": "hann" } }), "windo"),
            (json!({ "what": "table", "kept": 3, "of": "values" }), "0 places; allowed: 1 to 50"),
            (json!({ "what": "table", "kept": 3, "of": "resonances" }), "0 ranges; allowed: 1 to 20"),
            (json!({ "what": "table", "kept": 3, "of": "resonances", "ranges": [[9.0, 2.0]] }), "the lower first"),
            (json!({ "what": "table" }), "nothing is said to be shown; allowed: a recipe, or the key of a kept result"),
            (json!({ "what": "figure", "kept": 3, "beside": 5 }), "5 figures beside each other; allowed: 1 to 4"),
            (limits(json!([])), "0 limits; allowed: 1 to 600"),
            (limits(json!([{ "at_most": 0.0 }])), "0 is no limit; allowed: a number above 0"),
            (limits(json!([{ "at_most": 2.0 }, { "at_most": -1.0 }])), "-1 is no limit"),
            (
                json!({ "what": "limits", "recipe": { "lens": "statistics" }, "number": " ", "limits": [{ "at_most": 1 }] }),
                "no number is named",
            ),
        ] {
            let Err(e) = with(show.clone()).unwrap().check() else { panic!("{show} was taken") };
            assert!(e.says.contains(word), "{show}: {}", e.says);
        }
        let only = |show: Value, each: Option<Each>| {
            let mut report = with(show).unwrap();
            (report.blocks[0].each, report.blocks[0].only) = (each, Only::Exceeded);
            report.check().map_err(|e| e.says)
        };
        assert!(only(json!({ "what": "table", "kept": 3 }), Some(Each::Point)).is_ok());
        assert!(
            only(json!({ "what": "table", "kept": 3 }), None).unwrap_err().contains("repeated over channels or points")
        );
        let itself = only(limits(json!([{ "at_most": 4.5 }])), Some(Each::Channel)).unwrap_err();
        assert!(itself.contains("limits do not go by other limits"), "{itself}");
        let each = |show: Value, each: Each| {
            let mut report = with(show).unwrap();
            report.blocks[0].each = Some(each);
            report.check().map_err(|e| e.says)
        };
        assert!(
            each(json!({ "what": "rig" }), Each::Run).unwrap_err().contains("only what shows a result can be repeated")
        );
        assert!(each(json!({ "what": "table", "kept": 3 }), Each::Run).unwrap_err().contains("is of its own runs"));
        assert!(each(json!({ "what": "table", "kept": 3 }), Each::Channel).is_ok());
        assert!(each(limits(json!([{ "at_most": 4.5 }])), Each::Run).is_ok());
        let e = says(with(json!({ "what": "figure", "recipe": {} })).unwrap());
        assert_eq!(e.field, "blocks.1");
        for wrong in [json!({ "what": "poem" }), json!({ "what": "text", "words": "x" }), json!({})] {
            assert!(with(wrong.clone()).is_err(), "{wrong}");
        }
    }

    #[test]
    fn runs_are_called_otherwise_where_it_is_handed_over_and_one_that_is_gone_stays_gone() {
        let blocks = json!([
            { "id": 1, "show": { "what": "rig", "run_id": 31 } }, { "id": 2, "show": { "what": "facts", "run_id": 32 } },
            { "id": 3, "show": { "what": "figure", "recipe": { "lens": "spectrum" } } },
            { "id": 4, "title": "Findings", "show": { "what": "text", "text": "the mesh" } },
            { "id": 5, "show": { "what": "figure", "kept": 8, "part": "shapes" } },
            { "id": 6, "show": { "what": "table", "kept": 9 } },
        ]);
        let report = Report::stored(json!({ "title": "x", "run_id": 31, "blocks": blocks })).unwrap();
        let there = report.clone().called(&|id| (id == 31).then_some(4), &|id| (id == 8).then_some(2));
        let runs = |r: &Report| r.blocks.iter().map(|b| b.show.run_id()).collect::<Vec<_>>();
        assert_eq!((there.run_id, runs(&there)), (Some(4), vec![Some(4), Some(0), None, None, None, None]));
        let kept = |r: &Report| r.blocks.iter().filter_map(|b| b.show.kept()).collect::<Vec<_>>();
        assert_eq!(kept(&there), [2, 0], "kept results too");
        assert!(there.check().is_ok());
        let mut made_again = there.clone();
        assert!(made_again.show_instead(2, 7) && !made_again.show_instead(2, 7), "once, and then it is not there");
        assert_eq!(kept(&made_again), [7, 0]);
        let next = report.begun_again();
        assert_eq!((next.run_id, runs(&next)), (None, vec![None; 6]));
        assert_eq!(kept(&next), [0, 0], "another campaign has no results yet");
        assert_eq!(next.blocks[3].show, Show::Text { text: String::new() });
        assert_eq!(next.blocks[3].title, "Findings");
    }
}
