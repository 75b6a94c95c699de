//! Spreadsheets and smart sensors' memories, written and read back.

use echo_formats::sheet::{Sheet, read, write_csv, write_xlsx};
use echo_formats::smart::{self, Told};
use echo_job::sensor::Sensor;
use std::io::{Cursor, Write};

fn sheet() -> Sheet {
    let rows = [
        ["1", "frame 01, line 1", "10.25", "mV/(m/s²)", ""],
        ["2", "a \"quoted\"; name", "0.1", "µm", "007"],
        ["3", "", "1e-7", "√", "−3"],
    ];
    Sheet {
        name: "Channels".into(),
        heads: ["Input", "Channel", "Sensitivity", "per", "Serial"].map(String::from).to_vec(),
        rows: rows.map(|r| r.map(String::from).to_vec()).to_vec(),
    }
}

#[test]
fn a_table_comes_back_cell_for_cell() {
    let s = sheet();
    let mut wanted = vec![s.heads.clone()];
    wanted.extend(s.rows.clone());
    assert_eq!(read(&write_csv(&s).unwrap()).unwrap(), wanted);
    assert_eq!(read(&write_xlsx(std::slice::from_ref(&s)).unwrap()).unwrap(), wanted);
}

#[test]
fn other_delimiters_are_understood_and_other_files_refused() {
    let wanted = vec![vec!["Input".to_string(), "Channel".into()], vec!["1".into(), "bow, port".into()]];
    for text in
        ["Input;Channel\n1;bow, port\n", "Input\tChannel\r\n1\tbow, port\r\n", "Input,Channel\n1,\"bow, port\"\n"]
    {
        assert_eq!(read(text.as_bytes()).unwrap(), wanted, "{text}");
    }
    assert!(read(&[0xff, 0xfe, 0, 1]).unwrap_err().to_string().contains("neither a spreadsheet"));
    assert!(read(b"PK\x03\x04 broken").unwrap_err().to_string().contains("no spreadsheet that can be read"));
    let long = "x\n".repeat(100_001);
    assert!(read(long.as_bytes()).unwrap_err().to_string().contains("100001 rows"));
}

fn sensor() -> Sensor {
    serde_json::from_str(
        r#"{"model": "QA-31", "serial": "20461", "maker": "Oakum & Pell", "quantity": "acceleration", "coupling": "IEPE",
            "sensitivity": {"value": 10.31, "unit": "mV/(m/s²)"}, "reference_hz": 159.155, "resonance_hz": 32000,
            "calibrated_on": "2026-02-12", "due_on": "2027-02-12"}"#,
    )
    .unwrap()
}

#[test]
fn a_memory_comes_back_within_a_step_of_its_scales() {
    let memory = smart::write(&sensor(), 128).unwrap();
    assert_eq!(memory.len(), 128);
    assert!(memory.chunks(32).all(|p| p.iter().fold(0u8, |s, b| s.wrapping_add(*b)) == 0), "every page's checksum");
    let Told::Sensor { sensor: back } = smart::read(&memory) else { panic!("{:?}", smart::read(&memory)) };
    let s = sensor();
    assert_eq!((back.label(), &back.maker, back.quantity), (s.label(), &s.maker, s.quantity));
    assert_eq!((back.calibrated_on, back.due_on), (s.calibrated_on, s.due_on));
    assert!((back.sensitivity.value / 10.31 - 1.0).abs() < 2e-4, "{}", back.sensitivity.value);
    assert!((back.reference_hz.unwrap() / 159.155 - 1.0).abs() < 0.02);
    assert!((back.resonance_hz.unwrap() / 32_000.0 - 1.0).abs() < 0.011);
    assert_eq!(smart::unhex(&smart::hex(&memory)), Some(memory));
    assert_eq!((smart::unhex("0g"), smart::unhex("abc")), (None, None));
}

#[test]
fn a_memory_that_cannot_be_trusted_is_told_as_such() {
    let memory = smart::write(&sensor(), 128).unwrap();
    for at in [0, 7, 31, 40, 127] {
        let mut broken = memory.clone();
        broken[at] ^= 4;
        let Told::Damaged { says } = smart::read(&broken) else { panic!("byte {at}") };
        assert!(says.contains(&format!("page {}", at / 32 + 1)), "{says}");
    }
    assert_eq!(smart::read(&[0xff; 128]), Told::Blank);
    assert_eq!(smart::read(&[0; 32]), Told::Blank);
    assert!(matches!(smart::read(&memory[..20]), Told::Damaged { .. }));
    // Two pages whose checksums fit but whose entries break off.
    assert!(matches!(smart::read(&[]), Told::Damaged { .. }));
}

#[test]
fn what_has_no_place_in_the_memory_is_refused() {
    let with = |change: &dyn Fn(&mut Sensor)| {
        let mut s = sensor();
        change(&mut s);
        smart::write(&s, 128).unwrap_err()
    };
    assert!(with(&|s| s.model = "XY-1".into()).contains("no number"));
    assert!(with(&|s| s.serial = "A77".into()).contains("digits"));
    assert!(with(&|s| s.serial = "16777216".into()).contains("16777215"));
    assert!(with(&|s| s.quantity = echo_job::unit::Quantity::Pressure).contains("pressure"));
    // Beyond the ends of a scale nothing is bent to fit.
    assert!(with(&|s| s.reference_hz = Some(5000.0)).contains("reference frequency"));
    assert!(with(&|s| s.resonance_hz = Some(50.0)).contains("from 100 to"));
    assert!(with(&|s| s.sensitivity.value = 1e-7).contains("sensitivity"));
    assert!(smart::write(&sensor(), 0).unwrap_err().contains("room for 0"));
}

/// A spreadsheet of one sheet with this XML as its rows.
fn spreadsheet(rows: &str) -> Vec<u8> {
    let mut zip = zip::ZipWriter::new(Cursor::new(Vec::new()));
    let mut part = |name: &str, text: &str| {
        zip.start_file(name, zip::write::SimpleFileOptions::default()).unwrap();
        zip.write_all(format!("<?xml version=\"1.0\"?>{text}").as_bytes()).unwrap();
    };
    part("[Content_Types].xml", r#"<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"/>"#);
    part(
        "_rels/.rels",
        r#"<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="xl/workbook.xml"/></Relationships>"#,
    );
    part(
        "xl/workbook.xml",
        r#"<workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets><sheet name="S" sheetId="1" r:id="rId1"/></sheets></workbook>"#,
    );
    part(
        "xl/_rels/workbook.xml.rels",
        r#"<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet" Target="worksheets/sheet1.xml"/></Relationships>"#,
    );
    let sheet = format!(
        r#"<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>{rows}</sheetData></worksheet>"#
    );
    part("xl/worksheets/sheet1.xml", &sheet);
    zip.finish().unwrap().into_inner()
}

fn cell(place: &str, text: &str) -> String {
    format!(r#"<c r="{place}" t="inlineStr"><is><t>{text}</t></is></c>"#)
}

#[test]
fn a_small_file_that_names_a_far_cell_or_unpacks_to_gigabytes_is_refused() {
    let near = spreadsheet(&format!("<row r=\"2\">{}</row><row r=\"4\">{}</row>", cell("B2", "a"), cell("C4", "b")));
    let rows = read(&near).unwrap();
    assert_eq!(rows, [["", "a", ""], ["", "", ""], ["", "", "b"]]);
    for (place, row) in [("XFD1048576", 1_048_576), ("A1048576", 1_048_576), ("XFD1", 1)] {
        let far = format!("<row r=\"1\">{}</row><row r=\"{row}\">{}</row>", cell("A1", "a"), cell(place, "b"));
        let says = read(&spreadsheet(&far)).unwrap_err().to_string();
        assert!(says.contains("allowed: 100000 rows, 1000 columns"), "{place}: {says}");
    }
    // Many cells beside each other are each counted once.
    let dense: String = (1..=300)
        .map(|r| {
            let row: String = (0..26u8).map(|c| cell(&format!("{}{r}", char::from(b'A' + c)), "x")).collect();
            format!("<row r=\"{r}\">{}{}</row>", row, cell(&format!("KN{r}"), "last"))
        })
        .collect();
    assert_eq!(read(&spreadsheet(&dense)).unwrap()[299].len(), 300);
    // Each row within bounds, all of them beside each other not.
    let wide: String = (1..=2_100).map(|r| format!("<row r=\"{r}\">{}</row>", cell(&format!("ALL{r}"), "x"))).collect();
    assert!(read(&spreadsheet(&wide)).unwrap_err().to_string().contains("2000000 cells"));
    // Blanks pack to a thousandth.
    let bomb = spreadsheet(&" ".repeat(300 << 20));
    assert!(bomb.len() < 1 << 20, "{}", bomb.len());
    assert!(read(&bomb).unwrap_err().to_string().contains("unpacks to more than 256 MB"));
}

#[test]
fn texts_that_would_be_formulas_are_kept_from_running_and_come_back() {
    let mut s = sheet();
    s.rows[0][1] = "=HYPERLINK(\"x\")".into();
    s.rows[1][1] = "+1+1".into();
    s.rows[2][1] = "@SUM(A1)".into();
    let csv = write_csv(&s).unwrap();
    let text = String::from_utf8(csv.clone()).unwrap();
    assert!(text.contains("\"'=HYPERLINK") && text.contains(",'+1+1,") && text.contains(",'@SUM(A1),"), "{text}");
    let mut wanted = vec![s.heads.clone()];
    wanted.extend(s.rows.clone());
    assert_eq!(read(&csv).unwrap(), wanted);
    assert_eq!(read(&write_xlsx(std::slice::from_ref(&s)).unwrap()).unwrap(), wanted);
}
