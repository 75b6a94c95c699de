//! Files that are handed over, opened by other people's libraries: what they read is what was measured.

use anyhow::{Context, Result, ensure};
use echo_browser_tests::Rigged;
use serde_json::{Value, json};
use std::path::Path;
use std::process::Command;

/// Runs a script with the libraries that `./test` lays into `var/python`, on files in a folder; gives what it prints.
fn python(folder: &Path, script: &str) -> Result<Value> {
    let workspace = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let out = Command::new(workspace.join("var/python/bin/python"))
        .args(["-c", script])
        .current_dir(folder)
        .output()
        .context("var/python is missing; ./test lays it")?;
    ensure!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    Ok(serde_json::from_slice(&out.stdout)?)
}

async fn written(r: &Rigged, folder: &Path, name: &str, wish: Value) -> Result<()> {
    let run = r.newest_run().await?["id"].clone();
    let (status, job) = r.call("POST", &format!("/api/runs/{run}/jobs/export"), Some(wish)).await?;
    ensure!(status == 200, "{job}");
    let done = |parts: &Value| !matches!(parts[0]["state"].as_str(), Some("waiting" | "going"));
    let part = r.got(&format!("/api/jobs/{}", job["id"]), done).await?[0].clone();
    ensure!(part["state"] == "done", "{part}");
    std::fs::write(folder.join(name), r.bytes(&format!("/api/jobs/{}/file", job["id"])).await?)?;
    Ok(())
}

/// Samples of two channels over 0.2 s as each library reads them: rate, rows, first and last value, and the names.
const RUN: &str = r#"
import json, numpy, openpyxl, pyarrow.parquet, pyuff, soundfile
out = {}
x, rate = soundfile.read("run.wav", always_2d=True)
out["wav"] = [rate, len(x), x[:, 0].tolist(), soundfile.info("run.wav").subtype]
t = pyarrow.parquet.read_table("run.parquet")
meta = {k.decode(): v.decode() for k, v in t.schema.metadata.items()} if t.schema.metadata else {}
meta.update({k.decode(): v.decode() for k, v in pyarrow.parquet.ParquetFile("run.parquet").metadata.metadata.items()})
out["parquet"] = [float(meta["sample_rate_hz"]), t.num_rows, t.column(1).to_numpy().astype(float).tolist(), t.column_names]
rows = list(openpyxl.load_workbook("run.xlsx", read_only=True).active.iter_rows(values_only=True))
out["xlsx"] = [1 / (rows[2][0] - rows[1][0]), len(rows) - 1, [r[1] for r in rows[1:]], list(rows[0])]
u = pyuff.UFF("run.uff")
sets = [u.read_sets(i) for i in range(len(u.get_set_types())) if int(u.get_set_types()[i]) == 58]
s = sets[0]
out["uff"] = [1 / s["abscissa_inc"], len(s["data"]), numpy.real(s["data"]).tolist(), [d["ordinate_axis_units_lab"] for d in sets]]
print(json.dumps(out))
"#;

#[tokio::test]
async fn a_run_is_the_same_whoever_reads_its_file() -> Result<()> {
    let r = Rigged::start().await?;
    let folder = tempfile::tempdir()?;
    for (name, format) in
        [("run.wav", "wav"), ("run.parquet", "parquet"), ("run.xlsx", "xlsx"), ("run.uff", "universal")]
    {
        let wish = json!({ "format": format, "channels": [7, 8], "from_s": 0.5, "to_s": 0.7 });
        written(&r, folder.path(), name, wish).await?;
    }
    let read = python(folder.path(), RUN)?;
    let list = |v: &Value| v.as_array().into_iter().flatten().filter_map(Value::as_f64).collect::<Vec<f64>>();
    let truth = list(&read["xlsx"][2]);
    assert_eq!(truth.len(), 10_240);
    let largest = truth.iter().fold(0.0, |m: f64, x| m.max(x.abs()));
    assert!(largest > 0.1, "the gearbox moves");
    for (name, within) in [("wav", 1e-6), ("parquet", 1e-6), ("uff", 1e-6)] {
        let of = &read[name];
        assert!((of[0].as_f64().context("a rate")? - 51_200.0).abs() < 0.5, "{name}: {}", of[0]);
        let x = list(&of[2]);
        assert_eq!((of[1].as_u64(), x.len()), (Some(10_240), truth.len()), "{name}");
        let far = x.iter().zip(&truth).map(|(a, b)| (a - b).abs()).fold(0.0, f64::max);
        assert!(far <= within * largest, "{name} is {far} away");
    }
    assert_eq!(read["parquet"][3][0], "time [s]");
    assert!(
        read["xlsx"][3][1].as_str().is_some_and(|h| h.starts_with("gearbox top") && h.contains("[m/s²]")),
        "{}",
        read["xlsx"][3]
    );
    assert_eq!(read["wav"][3], "FLOAT");
    Ok(())
}

/// What two libraries read in a report saved as a workbook and as a text document.
const REPORT: &str = r#"
import docx, json, openpyxl
book = openpyxl.load_workbook("report.xlsx")
sheets = {s.title: [list(r) for r in s.iter_rows(values_only=True)] for s in book}
d = docx.Document("report.docx")
tables = [[[c.text for c in row.cells] for row in t.rows] for t in d.tables]
print(json.dumps({"sheets": sheets, "heads": [p.text for p in d.paragraphs if p.style.name.lower().startswith(("heading", "title"))],
    "words": [p.text for p in d.paragraphs], "tables": tables, "pictures": len(d.inline_shapes)}))
"#;

#[tokio::test]
async fn a_report_is_edited_and_counted_with_elsewhere() -> Result<()> {
    let r = Rigged::start().await?;
    let folder = tempfile::tempdir()?;
    let statistics = json!({ "lens": "statistics", "channels": [7, 8] });
    let blocks = json!([
        { "id": 1, "show": { "what": "head" } },
        { "id": 2, "title": "Findings", "show": { "what": "text", "text": "As *quiet* as before: 0.3 m/s^2^." } },
        { "id": 3, "title": "Levels", "show": { "what": "table", "recipe": statistics } },
        { "id": 4, "title": "Spectrum", "show": { "what": "figure", "recipe": { "lens": "spectrum", "channels": [7] } } },
        { "id": 5, "title": "Who changed what", "show": { "what": "records", "of": "changes" } },
        { "id": 6, "title": "Plan", "show": { "what": "records", "of": "plan" } },
        { "id": 7, "title": "Specimen", "show": { "what": "specimen" } },
    ]);
    let report = json!({ "title": "After overhaul", "blocks": blocks, "paper": "letter" });
    let (status, answer) = r.call("PUT", "/api/campaigns/1/report", Some(report)).await?;
    ensure!(status == 200, "{answer}");
    for form in ["xlsx", "docx"] {
        let bytes = r.bytes(&format!("/api/campaigns/1/report-as/{form}")).await?;
        std::fs::write(folder.path().join(format!("report.{form}")), bytes)?;
    }
    let read = python(folder.path(), REPORT)?;
    let levels = &read["sheets"]["Levels"];
    assert!(levels[1][1].as_f64().is_some_and(|x| x > 0.0), "a number is a number: {levels}");
    assert!(read["sheets"]["Who changed what"].as_array().is_some_and(|rows| rows.len() > 1), "{read}");
    let text = read["words"].to_string();
    assert!(text.contains("As quiet as before: 0.3 m/s2."), "{text}");
    let heads = read["heads"].to_string();
    for head in ["After overhaul", "Findings", "Levels", "Specimen"] {
        assert!(heads.contains(head), "{heads}");
    }
    assert!(read["pictures"].as_u64() >= Some(1));
    let tables = read["tables"].to_string();
    assert!(tables.contains("gearbox top, vert") && tables.contains("51\u{202f}200"), "levels and the plan: {tables}");
    Ok(())
}

/// A kept result by columns and as a workbook.
const RESULT: &str = r#"
import json, openpyxl, pyarrow.parquet
t = pyarrow.parquet.read_table("result.parquet")
words = {k.decode(): v.decode() for k, v in pyarrow.parquet.ParquetFile("result.parquet").metadata.metadata.items()}
book = openpyxl.load_workbook("result.xlsx", read_only=True)
print(json.dumps({"names": t.column_names, "values": t.column(1).to_pylist(), "lens": json.loads(words["recipe"])["lens"],
    "sheets": book.sheetnames, "cells": [r[1] for r in book.worksheets[0].iter_rows(min_row=2, values_only=True)]}))
"#;

#[tokio::test]
async fn a_result_is_the_same_whoever_reads_its_file() -> Result<()> {
    let r = Rigged::start().await?;
    let run = r.newest_run().await?["id"].clone();
    let recipe = json!({ "lens": "spectrum", "channels": [7, 8], "block": 2048 });
    let list = json!({ "name": "mesh", "recipe": recipe, "numbered_as": run, "runs": [run] });
    let (status, _) = r.call("POST", "/api/campaigns/1/jobs/results", Some(list)).await?;
    ensure!(status == 200);
    let there = |v: &Value| v.as_array().is_some_and(|a| a.len() == 1);
    let key = r.got("/api/campaigns/1/kept-results", there).await?[0]["id"].clone();
    let folder = tempfile::tempdir()?;
    for form in ["parquet", "xlsx"] {
        let bytes = r.bytes(&format!("/api/kept-results/{key}/file?form={form}")).await?;
        std::fs::write(folder.path().join(format!("result.{form}")), bytes)?;
    }
    let truth = r.get(&format!("/api/kept-results/{key}")).await?["traces"][0]["values"].clone();
    let read = python(folder.path(), RESULT)?;
    assert_eq!(read["values"], truth, "to the last bit");
    assert_eq!(read["cells"], truth);
    assert_eq!(read["names"][1], "gearbox top, vert peak [m/s²]");
    assert_eq!((&read["lens"], &read["sheets"]), (&json!("spectrum"), &json!(["curves", "peaks"])));
    Ok(())
}
