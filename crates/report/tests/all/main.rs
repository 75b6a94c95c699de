//! Reports set on pages, read back by another program.

use calamine::{Data, Reader, Xlsx, open_workbook_from_rs};
use chrono::{TimeZone, Utc};
use echo_formats::sheet::Sheet;
use echo_job::report::language::Language;
use echo_job::report::text::read;
use echo_report::document::{Body, Document, Figure, Part, Set, Table};
use echo_report::set::ATTACHMENT;
use echo_report::{
    Letterhead, Logo, Paper, SealKey, Sealed, attached, docx, folder, html, pages, pdf, sealed, workbook,
};
use std::process::Command;

fn set(text: &str) -> Vec<Set> {
    read(text, &[], &|_| None).unwrap().iter().map(Set::from).collect()
}

fn of(parts: Vec<(&str, Body)>) -> Document {
    Document {
        title: "*Stars* and [brackets] \\ `ticks`".into(),
        language: Language::English,
        letterhead: None,
        paper: Paper::default(),
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
        size: [640.0, 190.0],
        values: None,
        notes: vec![("582.8 Hz".into(), "the mesh stands out".into())],
    }))
}

#[test]
fn figures_beside_each_other_are_counted_on() {
    let one = |says: &str| match figure() {
        Body::Figure(f) => Figure { caption: set(says), ..*f },
        _ => unreachable!(),
    };
    let figures = (0..5).map(|k| one(&format!("place {k}"))).collect();
    let all = of(vec![("Spectra", Body::Figures { beside: 2, figures }), ("", figure())]);
    let text = told("pdftotext", &["-layout"], &pdf(&all, None).unwrap(), &["-"]);
    let beside = text.lines().find(|l| l.contains("Figure 1. place 0"));
    assert!(beside.is_some_and(|l| l.contains("Figure 2. place 1")), "{text}");
    assert!(text.contains("Figure 5. place 4") && text.contains("Figure 6. Levels"), "{text}");
}

fn everything() -> Document {
    let table = |rows: usize, twin| {
        Body::Table(Table {
            caption: set("Under it."),
            heads: ["", "Channel", "Value"].map(String::from).to_vec(),
            rows: (0..rows).map(|i| (0..3).map(|k| format!("{i}-{k}")).collect()).collect(),
            digits: vec![false, false, true],
            plain: None,
            loud: vec![false, true],
            shares: Vec::new(),
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
    let bytes = pdf(&all, None).unwrap();
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
    assert!(pictures.iter().all(|p| p.svg.starts_with("<svg")));
    // Drawn before or anew, a page that is the same has the same name; another one has another.
    let mut other = all.clone();
    other.title = "Another".into();
    let names = |of: &Document| -> Vec<String> { pages(of).unwrap().into_iter().map(|p| p.name).collect() };
    let (once, again, changed) = (names(&all), names(&all), names(&other));
    assert_eq!(once, again);
    assert!(once[0] != changed[0] && once[3] == changed[3], "its title stands on the first page alone");
}

#[test]
fn it_is_made_for_archives_and_carries_what_it_was_made_of() {
    let bytes = pdf(&everything(), None).unwrap();
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
    assert_eq!(pdf(&everything(), None).unwrap(), bytes);
}

#[test]
fn letters_that_no_font_has_are_told_as_such() {
    let odd = "a\u{0}b 😀 c\u{fe0f}\u{200d} ≤ 漢 ﷽ µ Ω é ž";
    let text =
        told("pdftotext", &[], &pdf(&of(vec![("Odd 😀", Body::Refused { says: odd.into() })]), None).unwrap(), &["-"]);
    assert!(text.contains("ab ? c <= ? ? µ Ω é ž") && text.contains("Odd ?"), "{text}");
    let german = Document { language: Language::German, ..everything() };
    let text = told("pdftotext", &["-layout"], &pdf(&german, None).unwrap(), &["-"]);
    assert!(text.contains("Bild 1") && text.contains("Tabelle 1") && text.contains("Seite 1 von 4"), "{text}");
}

#[test]
fn a_table_that_goes_on_says_its_heads_on_every_page() {
    let rows = (0..150).map(|i| vec![format!("point {i}"), format!("{i}.5")]).collect();
    let heads = ["Measured at", "Level"].map(String::from).to_vec();
    let table = Table { heads, rows, digits: vec![false, true], ..Table::default() };
    let bytes = pdf(&of(vec![("Levels", Body::Table(table))]), None).unwrap();
    let text = told("pdftotext", &["-layout"], &bytes, &["-"]);
    let pages: Vec<&str> = text.split('\u{c}').filter(|p| !p.trim().is_empty()).collect();
    assert!(pages.len() > 1, "{text}");
    for (k, page) in pages.iter().enumerate() {
        assert!(page.contains("Measured at") && page.contains("Level"), "page {} of {}: {page}", k + 1, pages.len());
    }
    // A word and its number stand in one line, however narrow the other columns are.
    assert!(text.lines().any(|l| l.contains("point 149") && l.contains("149.5")), "{text}");
}

#[test]
fn two_halves_of_a_long_table_stand_beside_each_other() {
    let rows = |n: usize| (0..n).map(|i| vec![i.to_string(), format!("motor, side {i}")]).collect();
    let of_rig = |n: usize| {
        let heads = ["", "Channel"].map(String::from).to_vec();
        of(vec![(
            "Rig",
            Body::Table(Table { heads, rows: rows(n), digits: vec![true, false], twin: true, ..Table::default() }),
        )])
    };
    let text = told("pdftotext", &["-layout"], &pdf(&of_rig(24), None).unwrap(), &["-"]);
    assert!(text.lines().any(|l| l.contains("motor, side 0") && l.contains("motor, side 12")), "{text}");
    // An odd number, one alone, and none.
    for n in [0, 1, 7] {
        let text = told("pdftotext", &["-layout"], &pdf(&of_rig(n), None).unwrap(), &["-"]);
        assert_eq!(text.matches("motor, side").count(), n, "{text}");
    }
}

#[test]
fn figures_are_counted_and_what_is_refused_is_not() {
    let refused = || Body::Refused { says: "gone".into() };
    let all = of(vec![("A", figure()), ("B", refused()), ("C", figure()), ("", figure())]);
    let text = told("pdftotext", &["-layout"], &pdf(&all, None).unwrap(), &["-"]);
    for n in 1..=3 {
        assert!(text.contains(&format!("Figure {n}. Levels in m/s2, twice.")), "{text}");
    }
    assert!(!text.contains("Figure 4"), "{text}");
    // Nothing at all is a page, too.
    assert_eq!(pages(&of(Vec::new())).unwrap().len(), 1);
}

#[test]
fn whatever_is_written_is_letters_and_nothing_is_carried_out() {
    for (written, wanted) in [
        ("#set page(fill: red)", "#set page(fill: red)"),
        ("$ integral x dif x $ @ref <label>", "$ integral x dif x $ @ref <label>"),
        ("<script>alert(1)</script> &amp;", "<script>alert(1)</script> &amp;"),
        ("#read(\"/etc/passwd\") #panic()", "#read(\"/etc/passwd\") #panic()"),
        ("`raw` ```block``` // gone? /* no */", "`raw` ```block``` // gone? /* no */"),
        ("= heading\\ \\u{41}", "= heading\\ \\u{41}"),
        ("bell\u{7} tab\tend", "bell tab end"),
    ] {
        let text = echo_job::report::text::read(written, &[], &|_| None);
        // Braces that are no words are told before anything is set.
        let Ok(paragraphs) = text else {
            assert!(written.contains('{'), "{written}");
            continue;
        };
        let body = Body::Text { paragraphs: paragraphs.iter().map(Set::from).collect() };
        let cells = Table {
            heads: vec![written.into()],
            rows: vec![vec![written.into()]],
            digits: vec![false],
            ..Table::default()
        };
        let all = of(vec![(written, body), ("", Body::Table(cells)), ("", Body::Refused { says: written.into() })]);
        let text = told("pdftotext", &["-layout"], &pdf(&all, None).unwrap(), &["-"]);
        let count = text.matches(wanted).count();
        assert!(count >= 4, "{wanted}: {count} times in\n{text}");
    }
}

#[test]
fn a_text_of_a_hundred_thousand_letters_goes_on_over_its_pages() {
    let long = "The mesh stands out at 582.8 Hz. ".repeat(3000);
    let bytes = pdf(&of(vec![("Findings", Body::Text { paragraphs: set(&long) })]), None).unwrap();
    let text = told("pdftotext", &[], &bytes, &["-"]);
    let plain: String = text.split_whitespace().collect::<Vec<_>>().join(" ");
    // Lines are broken between words, and a page's foot stands between some of them.
    let count = plain.matches("582.8").count();
    assert_eq!(count, 3000);
    assert!(told("pdfinfo", &[], &bytes, &[]).lines().any(|l| l.starts_with("Pages:") && !l.ends_with(" 1")));
}

#[test]
fn a_sealed_report_is_an_archive_too_and_gives_back_what_it_carries() {
    let key = SealKey::new(&[3; 32]);
    let bytes = pdf(&everything(), Some(&key)).unwrap();
    assert_eq!(sealed(&bytes), Sealed::Whole { key: key.public() });
    assert_eq!(attached(bytes.clone()).unwrap(), br#"{"runs": {}}"#);
    let meta = told("pdfinfo", &["-meta"], &bytes, &[]);
    assert!(meta.contains("<pdfaid:part>3</pdfaid:part>") && meta.contains(&key.public()), "{meta}");
    assert_eq!(pdf(&everything(), Some(&key)).unwrap(), bytes, "sealed again it is the same file");
    // One bit anywhere shows; looked at in many places of the file, what it carries among them.
    for at in (0..bytes.len()).step_by(bytes.len() / 60) {
        let mut other = bytes.clone();
        other[at] ^= 4;
        assert!(!matches!(sealed(&other), Sealed::Whole { .. }), "byte {at} of {}", bytes.len());
    }
    assert_eq!(sealed(&pdf(&everything(), None).unwrap()), Sealed::Not);
}

#[test]
fn what_is_no_report_is_told_as_such() {
    let says = |bytes: &[u8]| attached(bytes.to_vec()).unwrap_err().0;
    assert!(says(b"made of nothing").contains("no PDF"), "{}", says(b"made of nothing"));
    let bytes = pdf(&everything(), None).unwrap();
    assert!(attached(bytes[..bytes.len() / 3].to_vec()).is_err(), "cut off");
}

#[test]
fn as_html_it_says_the_same_and_nothing_in_it_is_a_tag_of_its_own() {
    let odd = Body::Text { paragraphs: set("<script>alert(1)</script> & *loud* m/s^2^\n\n- one\n- two\n\n3. third") };
    let mut all = everything();
    all.title = "<b>Odd</b>".into();
    all.parts.push(Part { title: "<i>".into(), body: odd });
    all.parts
        .push(Part { title: String::new(), body: Body::Figures { beside: 2, figures: vec![pictured(), pictured()] } });
    let page = html(&all);
    assert!(!page.contains("<script>") && !page.contains("<b>Odd") && !page.contains("<h2><i>"));
    for part in [
        "&lt;script&gt;alert(1)&lt;/script&gt; &amp; <b>loud</b> m/s<sup>2</sup>",
        "<ul><li>one</li><li>two</li></ul><ol><li value='3'>third</li></ol>",
        "Figure 3. ",
        "Table 2. ",
        "299-2",
        "class='refused'>the run was deleted",
        "repeat(2,1fr)",
        "aria-label='a line'",
        "the mesh stands out",
        "foot #panic()",
    ] {
        assert!(page.contains(part), "the page lacks “{part}”:\n{}", &page[..page.len().min(4000)]);
    }
    assert!(!page.contains("http://") || page.matches("http://").all(|_| page.contains("http://www.w3.org/2000/svg")));
}

/// A figure with its values.
fn pictured() -> Figure {
    let Body::Figure(f) = figure() else { unreachable!() };
    let heads = ["frequency, Hz", "level, g"].map(String::from).to_vec();
    let rows = vec![vec!["10".into(), "0.25".into()], vec!["20".into(), "1.5".into()]];
    Figure { values: Some(Sheet { name: String::new(), heads, rows }), size: [640.0, 190.0], ..*f }
}

#[test]
fn tables_and_curves_are_sheets_with_numbers_and_figures_are_files() {
    let numbers =
        (["Channel", "rms, g"].map(String::from).to_vec(), vec![vec!["top".to_string(), "0.125".to_string()]]);
    let levels = Table {
        heads: ["Channel", "rms, g"].map(String::from).to_vec(),
        rows: vec![vec!["top".into(), "(0.125 ± 0.002)".into()]],
        plain: Some(numbers),
        ..Table::default()
    };
    let all = of(vec![
        ("Levels: of/all [channels] that were measured", Body::Table(levels)),
        ("Spectra", Body::Figures { beside: 2, figures: vec![pictured(), pictured()] }),
        ("spectra", Body::Figure(Box::new(pictured()))),
    ]);
    // Read back by another library.
    let mut book: Xlsx<_> = open_workbook_from_rs(std::io::Cursor::new(workbook(&all).unwrap())).unwrap();
    let sheets = ["Levels of all channels that wer", "Spectra", "Spectra 2", "spectra 3"];
    assert_eq!(book.sheet_names(), sheets, "named after the titles, told apart");
    let levels = book.worksheet_range(sheets[0]).unwrap();
    assert_eq!(levels.get_value((1, 0)), Some(&Data::String("top".into())));
    assert_eq!(levels.get_value((1, 1)), Some(&Data::Float(0.125)), "a number, not “(0.125 ± 0.002)”");
    let curve = book.worksheet_range(sheets[3]).unwrap();
    assert_eq!((curve.get_value((2, 0)), curve.get_value((2, 1))), (Some(&Data::Float(20.0)), Some(&Data::Float(1.5))));

    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(folder(&all).unwrap())).unwrap();
    let names: Vec<String> = (0..zip.len()).map(|k| zip.by_index(k).unwrap().name().unwrap().to_string()).collect();
    assert_eq!(names.len(), 9, "three figures in three forms: {names:?}");
    assert!(names.contains(&"03 spectra 3.csv".to_string()), "{names:?}");
    let mut first = String::new();
    std::io::Read::read_to_string(&mut zip.by_name("01 Spectra.csv").unwrap(), &mut first).unwrap();
    assert_eq!(
        first.trim_start_matches('\u{feff}').replace('\r', ""),
        "\"frequency, Hz\",\"level, g\"\n10,0.25\n20,1.5\n"
    );
    let mut png = Vec::new();
    std::io::Read::read_to_end(&mut zip.by_name("01 Spectra.png").unwrap(), &mut png).unwrap();
    assert!(png.starts_with(b"\x89PNG"));

    // Nothing to show in that form is said.
    let plain = of(vec![("Findings", Body::Text { paragraphs: set("none") })]);
    assert!(workbook(&plain).unwrap_err().0.contains("no table and no figure"));
    assert!(folder(&plain).unwrap_err().0.contains("shows no figure"));
}

/// The text of a part of a text document.
fn part_of(bytes: &[u8], name: &str) -> String {
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(bytes)).unwrap();
    let mut text = String::new();
    std::io::Read::read_to_string(&mut zip.by_name(name).unwrap(), &mut text).unwrap();
    text
}

#[test]
fn a_text_document_has_what_the_pages_have() {
    let all = everything();
    let bytes = docx(&all).unwrap();
    let text = part_of(&bytes, "word/document.xml");
    let bare: String = text.split('<').filter_map(|t| t.split_once('>')).map(|t| t.1).collect();
    for part in ["*Stars* and [brackets]", "Figure 1. ", "Table 1. ", "Under it.", "582.8 Hz: the mesh stands out"] {
        assert!(bare.contains(part), "it lacks “{part}”: {bare}");
    }
    assert!(text.contains("<w:vertAlign w:val=\"superscript\""), "raised letters stay raised");
    assert!(text.contains("w:pStyle w:val=\"Heading1\""));
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(&bytes)).unwrap();
    let names: Vec<String> = (0..zip.len()).map(|i| zip.by_index(i).unwrap().name().unwrap().into_owned()).collect();
    let pictures = names.iter().filter(|n| n.starts_with("word/media/") && n.ends_with(".png")).count();
    let figures = all.parts.iter().filter(|p| matches!(p.body, Body::Figure(_))).count();
    assert_eq!(pictures, figures);
    assert!(part_of(&bytes, "word/footer1.xml").contains("foot #panic()"));
    // What XML cannot hold is left out, whatever somebody pastes.
    let odd = of(vec![("a\u{0}b", Body::Text { paragraphs: set("<&>\u{1}\u{ffff} 𝄞 \"quoted\"") })]);
    let text = part_of(&docx(&odd).unwrap(), "word/document.xml");
    assert!(text.contains("&lt;&amp;&gt; 𝄞") && text.contains(">ab<"), "{text}");
}

#[test]
fn the_house_stands_over_the_report_on_its_paper() {
    let svg =
        b"<svg xmlns='http://www.w3.org/2000/svg' width='40' height='20'><path d='M0 0H40V20z' fill='#0b6b6b'/></svg>";
    let lines = vec!["Harbour laboratory".to_string(), "Quay 4 <b>".into()];
    let letterhead = Some(Letterhead { lines, logo: Some(Logo::read(svg.to_vec()).unwrap()) });
    let head = Body::Head { heading: "Acceptance".into(), subtitle: "Run 1".into() };
    let report = Document { letterhead, paper: Paper { letter: true }, ..of(vec![("", head)]) };
    let bytes = pdf(&report, None).unwrap();
    let text = told("pdftotext", &["-layout"], &bytes, &["-"]);
    assert!(text.contains("Harbour laboratory") && text.contains("Quay 4 <b>"), "{text}");
    assert!(told("pdfinfo", &[], &bytes, &[]).contains("612 x 792 pts (letter)"));
    let page = html(&report);
    assert!(page.contains("data:image/svg+xml;base64,") && page.contains("Quay 4 &lt;b&gt;"), "{page}");
    let document = docx(&report).unwrap();
    assert!(part_of(&document, "word/document.xml").contains("Harbour laboratory"));
    for bad in [
        &b"hello"[..],
        b"<svg",
        b"\xff\xd8\xff\xd9",
        b"<svg xmlns='http://www.w3.org/2000/svg' width='1' height='900'/>",
    ] {
        let says = Logo::read(bad.to_vec()).unwrap_err().to_string();
        assert!(says.contains("the logo cannot be used") && says.contains("allowed: SVG or PNG"), "{says}");
    }
}
