//! Reports set on pages, read back by another program.

use chrono::{TimeZone, Utc};
use echo_job::report::language::Language;
use echo_job::report::text::read;
use echo_report::document::{Body, Document, Figure, Part, Set, Table};
use echo_report::set::ATTACHMENT;
use echo_report::{pages, pdf};
use std::process::Command;

fn set(text: &str) -> Vec<Set> {
    read(text, &[], &|_| None).unwrap().iter().map(Set::from).collect()
}

fn of(parts: Vec<(&str, Body)>) -> Document {
    Document {
        title: "*Stars* and [brackets] \\ `ticks`".into(),
        language: Language::English,
        foot: "foot #panic()".into(),
        parts: parts.into_iter().map(|(title, body)| Part { title: title.into(), body }).collect(),
        made_at: Utc.with_ymd_and_hms(2026, 11, 23, 9, 30, 0).unwrap(),
        source: r#"{"runs": {}}"#.into(),
    }
}

/// What another program reads in a PDF.
fn told(by: &str, before: &[&str], bytes: &[u8], after: &[&str]) -> String {
    let file = tempfile::NamedTempFile::new().unwrap();
    std::fs::write(file.path(), bytes).unwrap();
    let out = Command::new(by).args(before).arg(file.path()).args(after).output().unwrap();
    assert!(out.status.success(), "{by}: {}", String::from_utf8_lossy(&out.stderr));
    String::from_utf8_lossy(&out.stdout).into_owned()
}

fn figure() -> Body {
    let svg =
        "<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 640 190'><path d='M0 0L640 190' stroke='#10263b'/></svg>";
    Body::Figure(Box::new(Figure {
        caption: set("Levels in m/s^2^, *twice*."),
        alt: "a line".into(),
        svg: svg.into(),
        labels: Vec::new(),
        aspect: 190.0 / 640.0,
        notes: vec![("582.8 Hz".into(), "the mesh stands out".into())],
    }))
}

fn everything() -> Document {
    let table = |rows: usize, twin| {
        Body::Table(Table {
            caption: set("Under it."),
            heads: ["", "Channel", "Value"].map(String::from).to_vec(),
            rows: (0..rows).map(|i| (0..3).map(|k| format!("{i}-{k}")).collect()).collect(),
            digits: vec![false, false, true],
            twin,
        })
    };
    of(vec![
        ("", Body::Head { heading: "#panic() $x$".into(), subtitle: "@at <label>".into() }),
        (
            "Findings",
            Body::Text {
                paragraphs: set(
                    "# On *it*\nfirst // no comment\n\n- one\n- two\n\n3. third\n\nslanted _x_, H~2~O, 2.5·10⁻⁷",
                ),
            },
        ),
        ("Facts", Body::Facts { rows: vec![("Rate".into(), "51\u{202f}200\u{202f}Hz".into())] }),
        ("Spectrum", figure()),
        ("Short", table(3, false)),
        ("Long", table(300, true)),
        ("Not there", Body::Refused { says: "the run was deleted".into() }),
        ("", Body::NextPage),
        ("Made", Body::Listing { entries: vec![("Spectrum".into(), "{\"lens\":\"spectrum\"}".into())] }),
        ("", Body::Signature { names: vec!["test engineer".into(), "customer".into()] }),
    ])
}

#[test]
fn a_report_says_what_it_was_given_and_goes_on_over_pages() {
    let all = everything();
    let bytes = pdf(&all).unwrap();
    let text = told("pdftotext", &["-layout"], &bytes, &["-"]);
    for part in [
        "*Stars* and [brackets] \\ `ticks`",
        "#panic() $x$",
        "@at <label>",
        "first // no comment",
        "3. third",
        "51 200 Hz",
        "Figure 1",
        "Table 2",
        "the mesh stands out",
        "299-2",
        "the run was deleted",
        "customer",
        "foot #panic()",
        "Page 1 of 4",
    ] {
        assert!(text.contains(part), "the PDF lacks “{part}”:\n{text}");
    }
    let info = told("pdfinfo", &[], &bytes, &[]);
    assert!(info.contains("Tagged:          yes") && info.contains("Pages:           4"), "{info}");
    assert!(info.contains("Title:           *Stars*") && info.contains("2026"), "{info}");
    let pictures = pages(&all).unwrap();
    assert_eq!(pictures.len(), 4);
    assert!(pictures.iter().all(|p| p.starts_with("<svg")));
}

#[test]
fn it_is_made_for_archives_and_carries_what_it_was_made_of() {
    let bytes = pdf(&everything()).unwrap();
    let meta = told("pdfinfo", &["-meta"], &bytes, &[]);
    assert!(meta.contains("<pdfaid:part>3</pdfaid:part>") && meta.contains("<pdfaid:conformance>A<"), "{meta}");
    let fonts = told("pdffonts", &[], &bytes, &[]);
    assert!(fonts.lines().skip(2).all(|l| l.contains(" yes yes yes ")), "all are embedded: {fonts}");
    let list = told("pdfdetach", &["-list"], &bytes, &[]);
    assert!(list.contains(ATTACHMENT), "{list}");
    let out = tempfile::NamedTempFile::new().unwrap();
    told("pdfdetach", &["-save", "1", "-o", out.path().to_str().unwrap()], &bytes, &[]);
    assert_eq!(std::fs::read_to_string(out.path()).unwrap(), r#"{"runs": {}}"#);
    // The same report is the same file.
    assert_eq!(pdf(&everything()).unwrap(), bytes);
}

#[test]
fn letters_that_no_font_has_are_told_as_such() {
    let odd = "a\u{0}b 😀 c\u{fe0f}\u{200d} ≤ 漢 ﷽ µ Ω é ž";
    let text = told("pdftotext", &[], &pdf(&of(vec![("Odd 😀", Body::Refused { says: odd.into() })])).unwrap(), &["-"]);
    assert!(text.contains("ab ? c <= ? ? µ Ω é ž") && text.contains("Odd ?"), "{text}");
    let german = Document { language: Language::German, ..everything() };
    let text = told("pdftotext", &["-layout"], &pdf(&german).unwrap(), &["-"]);
    assert!(text.contains("Bild 1") && text.contains("Tabelle 1") && text.contains("Seite 1 von 4"), "{text}");
}
