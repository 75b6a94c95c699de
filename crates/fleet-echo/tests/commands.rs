//! The commands besides `analyze`: what they refuse, and what the API says of itself.

use serde_json::Value;
use std::process::{Command, Output};

fn run(words: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_fleet-echo")).args(words).env_remove("DATABASE_URL").output().unwrap()
}

fn says(out: &Output) -> String {
    String::from_utf8_lossy(&out.stderr).into_owned()
}

#[test]
fn help_names_every_command() {
    let out = run(&["--help"]);
    let text = String::from_utf8(out.stdout).unwrap();
    assert!(out.status.success());
    for command in ["serve", "demo", "analyze", "soak", "openapi"] {
        assert!(text.contains(&format!("\n  {command} ")), "{command} in {text}");
    }
    let version = String::from_utf8(run(&["--version"]).stdout).unwrap();
    assert!(version.starts_with("fleet-echo "), "{version}");
}

#[test]
fn a_database_that_is_none_is_refused_before_anything_starts() {
    for command in [&["serve"][..], &["demo", "--front-end", "127.0.0.1:1"], &["soak", "--front-end", "127.0.0.1:1"]] {
        let missing = run(command);
        assert!(!missing.status.success(), "{command:?} without a database");
        assert!(says(&missing).to_lowercase().contains("database"), "{command:?}: {}", says(&missing));
        let wrong = run(&[command, &["--database-url", "mysql://somewhere/else"]].concat());
        assert!(!wrong.status.success() && !says(&wrong).contains("panicked"), "{command:?}: {}", says(&wrong));
    }
    let unknown = run(&["record"]);
    assert_eq!(unknown.status.code(), Some(2));
}

#[test]
fn the_api_describes_every_path_and_every_lens() {
    let out = run(&["openapi"]);
    assert!(out.status.success());
    let api: Value = serde_json::from_slice(&out.stdout).unwrap();
    let paths = api["paths"].as_object().unwrap();
    for path in [
        "/api/status",
        "/api/campaigns/{id}/rig/{input}",
        "/api/campaigns/{id}/plan",
        "/api/campaigns/{id}/recipes/{name}",
        "/api/campaigns/{id}/report.pdf",
        "/api/runs/{id}/overview",
        "/api/runs/{id}/results",
        "/api/runs/{id}/channels/{channel}/sensitivity",
        "/api/runs/{id}/export.wav",
        "/api/capture/record",
    ] {
        assert!(paths.contains_key(path), "{path}");
    }
    // Every operation has its own name, and every name it refers to is there.
    let mut names: Vec<&str> = paths
        .values()
        .flat_map(|p| p.as_object().into_iter().flatten())
        .filter_map(|(_, operation)| operation["operationId"].as_str())
        .collect();
    let count = names.len();
    names.sort_unstable();
    names.dedup();
    assert_eq!(names.len(), count, "two operations share a name");
    let text = api.to_string();
    for part in text.split("\"#/components/schemas/").skip(1) {
        let name = part.split('"').next().unwrap_or("");
        assert!(!api["components"]["schemas"][name].is_null(), "{name} is referred to and not described");
    }
    for lens in echo_job::recipe::LENSES {
        assert!(text.contains(&format!("\"{lens}\"")), "{lens} is not described");
    }
}

#[test]
fn analyze_wants_its_words() {
    for (words, wanted) in [
        (&["analyze"][..], "<INPUT>"),
        (&["analyze", "a.wav"], "--recipe"),
        (&["analyze", "a.wav", "--recipe", "none.json"], "none.json"),
        (&["analyze", "a.wav", "--recipe", "none.json", "--out", "a.docx"], ".docx"),
        (&["analyze", "a.wav", "--recipes", "none.json"], "--recipe"),
    ] {
        let out = run(words);
        assert_eq!(out.status.code(), Some(2), "{words:?}: {}", says(&out));
        assert!(says(&out).contains(wanted), "{words:?}: {}", says(&out));
        assert!(out.stdout.is_empty());
    }
}

#[test]
fn a_report_is_named_by_its_ending_and_what_is_checked_must_be_there() {
    // Refused before anybody is asked.
    let out = run(&["report", "1", "--out", "report.docm", "--server", "http://127.0.0.1:9"]);
    assert_eq!(out.status.code(), Some(2));
    assert!(
        says(&out).contains("“.docm”; a report is a .pdf, .html, .docx or .xlsx file, its figures a .zip"),
        "{}",
        says(&out)
    );
    let out = run(&["verify", "/nowhere/report.pdf", "--server", "http://127.0.0.1:9"]);
    assert!(out.status.code() == Some(2) && says(&out).contains("/nowhere/report.pdf"), "{}", says(&out));
    let file = std::env::temp_dir().join("nobody-is-there.pdf");
    std::fs::write(&file, b"%PDF").unwrap();
    let out = run(&["verify", &file.display().to_string(), "--server", "http://127.0.0.1:9"]);
    assert!(
        out.status.code() == Some(1) && says(&out).contains("http://127.0.0.1:9 does not answer"),
        "{}",
        says(&out)
    );
    std::fs::remove_file(file).unwrap();
    for command in ["verify", "report"] {
        let help = String::from_utf8(run(&[command, "--help"]).stdout).unwrap();
        assert!(help.contains("Example") && help.contains("Exit status"), "{help}");
    }
}
