//! Whatever is sent to any address of the API: an answer with a sentence, and never a fault of the server.

use anyhow::{Context, Result};
use echo_browser_tests::Rigged;
use serde_json::{Value, json};

/// Addresses with their methods, placeholders filled with something that is there (or is not).
fn addresses(api: &Value, id: &str) -> Vec<(String, String)> {
    let mut out = Vec::new();
    for (path, methods) in api["paths"].as_object().into_iter().flatten() {
        let mut filled = path.clone();
        while let (Some(a), Some(b)) = (filled.find('{'), filled.find('}')) {
            filled.replace_range(a..=b, id);
        }
        for method in methods.as_object().into_iter().flatten().map(|(m, _)| m.to_uppercase()) {
            out.push((method, filled.clone()));
        }
    }
    out
}

/// Not these: they end what the test needs, wait for a front end for long, or connect to the one that a campaign
/// remembers, which may be a demo's on the same machine.
const LEFT_OUT: [&str; 7] = [
    "/capture/front-end",
    "/front-ends/test",
    "/capture/dry-run",
    "/restart",
    "/reference/read",
    "/capture/record",
    "/choose",
];

fn left_out(path: &str) -> bool {
    LEFT_OUT.iter().any(|p| path.contains(p))
}

#[tokio::test]
async fn strange_bodies_get_a_sentence() -> Result<()> {
    let r = Rigged::start().await?;
    let api = r.get("/api/openapi.json").await?;
    let before = r.get("/api/campaigns/1/rig").await?["rig"].clone();
    let bodies = [
        json!(null),
        json!(7),
        json!("words"),
        json!([]),
        json!({}),
        json!({ "unknown": true }),
        json!({ "channels": [99_999], "recipe": { "lens": "spectrum", "block": -1 }, "runs": [0], "reason": "" }),
        json!({ "at_s": f64::MAX, "says": "\u{0}", "place": 1e308, "lens": "spectrum", "axis": "frequency" }),
        json!({ "lens": "spectrum", "block": 3, "stretch": { "from_s": 1e300, "to_s": 2e300 } }),
        json!({ "lens": "order_map", "tacho": { "channel": 21, "pulses_per_rev": 1e-9 }, "resolution": 1e-9 }),
        json!({ "lens": "waveform", "math": [{ "name": "a", "is": "derivative(derivative(c1)) ^ 8" }], "prepare": [{ "do": "resample", "rate_hz": 1e12 }] }),
    ];
    let mut sent = 0;
    for (method, path) in addresses(&api, "1") {
        if left_out(&path) || method == "GET" || method == "DELETE" {
            continue;
        }
        for body in &bodies {
            let (status, answer) = r.call(&method, &path, Some(body.clone())).await?;
            assert!(status < 500, "{method} {path} with {body}: {status} {answer}");
            sent += 1;
        }
    }
    assert!(sent > 300, "{sent} were sent");
    assert_eq!(r.get("/api/campaigns/1/rig").await?["rig"], before, "nothing strange came into the rig");
    // The server is as it was: it answers, and records.
    assert_eq!(r.get("/api/status").await?["store"], true);
    Ok(())
}

#[tokio::test]
async fn what_is_not_there_is_said_so() -> Result<()> {
    let r = Rigged::start().await?;
    let api = r.get("/api/openapi.json").await?;
    for id in ["999999", "-1", "0"] {
        for (method, path) in addresses(&api, id) {
            if left_out(&path) || (method != "GET" && method != "DELETE") || !path.contains(id) {
                continue;
            }
            let query = if path.contains("markers") {
                "?from_s=0&to_s=1"
            } else if path.contains("overview") {
                "?channels=1"
            } else if path.contains("alignment") {
                "?other=1&by=time&at_s=0"
            } else if path.contains("peaks") {
                "?channel=1"
            } else {
                ""
            };
            let (status, answer) = r.call(&method, &format!("{path}{query}"), None).await?;
            // Lists of what nobody made are empty; single things are missed.
            assert!(status < 500, "{method} {path}: {status} {answer}");
            if status >= 400 && status != 405 {
                let said = answer["says"].as_str().or(answer.as_str()).unwrap_or("");
                assert!(!said.is_empty(), "{method} {path}: {status} without a word");
            }
        }
    }
    Ok(())
}

#[tokio::test]
async fn two_people_at_one_run_lose_nothing_of_each_other() -> Result<()> {
    let r = Rigged::start().await?;
    let run = "/api/runs/1";
    // Both put something right at once, both keep a result under one name, both set notes.
    let right = |column: &str, text: &str| json!({ "column": column, "text": text, "reason": "seen on the drawing" });
    let cell = |body: Value| r.call("POST", "/api/runs/1/channels/7/cell", Some(body));
    let (a, b) = tokio::join!(cell(right("point", "top, port")), cell(right("direction", "+Z")));
    assert_eq!((a?.0, b?.0), (204, 204));
    let row = r.get(run).await?["channels"][6]["recorded"].clone();
    assert_eq!((&row["point"], &row["direction"]), (&json!("top, port"), &json!("+Z")));
    let note = |says: &str| {
        let body = json!({ "lens": "spectrum", "axis": "frequency", "place": 582.8, "unit": "Hz", "says": says });
        r.call("POST", "/api/runs/1/notes", Some(body))
    };
    let (a, b) = tokio::join!(note("mesh"), note("thirteen times the shaft"));
    assert_eq!((a?.0, b?.0), (204, 204));
    assert_eq!(r.get(run).await?["notes"].as_array().map(Vec::len), Some(2));
    let list = |channel: u32| {
        let recipe = json!({ "lens": "statistics", "channels": [channel] });
        r.call(
            "POST",
            "/api/campaigns/1/jobs/results",
            Some(json!({ "name": "levels", "recipe": recipe, "runs": [1] })),
        )
    };
    let (a, b) = tokio::join!(list(7), list(8));
    for (status, key) in [a?, b?] {
        assert_eq!(status, 200, "{key}");
        r.got(&format!("/api/jobs/{}", key["id"]), |v| v[0]["state"] == "done").await?;
    }
    let kept = r.get("/api/campaigns/1/kept-results").await?;
    let one = kept.as_array().context("results")?;
    assert_eq!(one.len(), 1, "one name of one run is one result: {kept}");
    let body = r.get(&format!("/api/kept-results/{}", one[0]["id"])).await?;
    assert_eq!(body["recipe"]["channels"], one[0]["recipe"]["channels"], "recipe and numbers are of one making");
    // The same result asked for many times at once is the same.
    let recipe = json!({ "lens": "spectrum", "channels": [7, 8], "block": 8192 });
    let asked = (0..8).map(|_| r.call("POST", "/api/runs/1/results", Some(recipe.clone())));
    let answers = futures::future::join_all(asked).await;
    let mut peaks = Vec::new();
    for answer in answers {
        let (status, body) = answer?;
        assert_eq!(status, 200);
        peaks.push(body["peaks"].clone());
    }
    assert!(peaks.windows(2).all(|w| w[0] == w[1]));
    Ok(())
}
