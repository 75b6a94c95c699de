//! A campaign handed over as a file and taken in again; files of other programs brought in as runs.

use anyhow::{Context, Result};
use echo_browser_tests::{Rigged, says};
use serde_json::{Value, json};
use std::io::{Cursor, Read, Write};
use zip::write::{SimpleFileOptions, ZipWriter};

/// Waits until the only part of a job is over.
pub(crate) async fn over(r: &Rigged, job: &Value) -> Result<Value> {
    let done = |parts: &Value| !matches!(parts[0]["state"].as_str(), Some("waiting" | "going"));
    Ok(r.got(&format!("/api/jobs/{job}"), done).await?[0].clone())
}

/// Sends a file; gives its key.
async fn sent(r: &Rigged, name: &str, bytes: &[u8]) -> Result<Value> {
    let (status, body) = r.send_bytes(&format!("/api/files?name={name}"), bytes.to_vec()).await?;
    anyhow::ensure!(status == 200, "{body}");
    assert_eq!(body["bytes"].as_u64(), Some(bytes.len() as u64));
    Ok(body["id"].clone())
}

/// What comes of a file that is taken in as a campaign.
pub(crate) async fn taken_in(r: &Rigged, bytes: &[u8]) -> Result<Value> {
    let file = sent(r, "merrow.echo.zip", bytes).await?;
    let (status, job) = r.call("POST", &format!("/api/files/{file}/jobs/take-in"), None).await?;
    anyhow::ensure!(status == 200, "{job}");
    over(r, &job["id"]).await
}

/// What comes of a file that is brought in as a run of the first campaign.
pub(crate) async fn brought_in(r: &Rigged, name: &str, bytes: &[u8], reading: Value) -> Result<Value> {
    let file = sent(r, name, bytes).await?;
    let wish = json!({ "file": file, "reading": reading });
    let (status, job) = r.call("POST", "/api/campaigns/1/jobs/bring-in", Some(wish)).await?;
    anyhow::ensure!(status == 200, "{job}");
    over(r, &job["id"]).await
}

/// A ZIP with the entries of another one, each as `change` makes it; those it makes nothing of are left out.
fn changed(zip: &[u8], change: impl Fn(&str, Vec<u8>) -> Option<(String, Vec<u8>)>) -> Result<Vec<u8>> {
    let mut from = zip::ZipArchive::new(Cursor::new(zip))?;
    let mut to = ZipWriter::new(Cursor::new(Vec::new()));
    for i in 0..from.len() {
        let mut entry = from.by_index(i)?;
        let (name, mut bytes) = (entry.name()?.to_string(), Vec::new());
        entry.read_to_end(&mut bytes)?;
        if let Some((name, bytes)) = change(&name, bytes) {
            to.start_file(name, SimpleFileOptions::default())?;
            to.write_all(&bytes)?;
        }
    }
    Ok(to.finish()?.into_inner())
}

/// Everything of a run but keys and times of this database.
fn plain(mut run: Value) -> Value {
    for key in ["id", "campaign_id", "bytes", "math"] {
        run[key] = Value::Null;
    }
    for list in ["marks", "notes"] {
        run[list].as_array_mut().into_iter().flatten().for_each(|m| m["id"] = Value::Null);
    }
    run
}

#[tokio::test]
async fn a_campaign_goes_out_as_a_file_and_comes_in_again_as_it_was() -> Result<()> {
    let r = Rigged::start().await?;
    let run = r.newest_run().await?["id"].clone();
    // Something of everything: a correction, a mark, a note, a kept result, a bench, a report.
    let put = async |method: &str, path: String, body: Value| {
        let (status, answer) = r.call(method, &path, Some(body)).await?;
        anyhow::ensure!(status < 300, "{method} {path}: {answer}");
        anyhow::Ok(answer)
    };
    put(
        "POST",
        format!("/api/runs/{run}/channels/7/sensitivity"),
        json!({ "sensitivity": "10.4 mV/(m/s²)", "reason": "certificate \"read\" wrongly" }),
    )
    .await?;
    put("POST", format!("/api/runs/{run}/marks"), json!({ "at_s": 1.5, "says": "door slammed" })).await?;
    put(
        "PUT",
        format!("/api/runs/{run}/description"),
        json!({ "kind": "first check", "remark": "cable moved; “twice”\nthen fixed", "tags": ["loud"] }),
    )
    .await?;
    let picture = [b"\x89PNG\r\n\x1a\n".as_slice(), b"...", b"IEND\xaeB`\x82"].concat();
    let (status, answer) =
        r.send_bytes("/api/campaigns/1/specimen/pictures?name=top%20%22left%22.png", picture.clone()).await?;
    anyhow::ensure!(status == 200, "{answer}");
    let specimen = r.get("/api/campaigns/1/specimen").await?["specimen"].clone();
    let recipe = json!({ "lens": "spectrum", "channels": [7], "block": 4096 });
    let job =
        put("POST", "/api/campaigns/1/jobs/results".into(), json!({ "name": "mesh", "recipe": recipe, "runs": [run] }))
            .await?;
    assert_eq!(over(&r, &job["id"]).await?["state"], "done");
    let spectrum = put("POST", format!("/api/runs/{run}/results"), recipe.clone()).await?;
    let detail = r.get(&format!("/api/runs/{run}")).await?;
    let mut report = r.get("/api/campaigns/1/report").await?;
    let blocks = report["blocks"].as_array_mut().context("blocks")?;
    blocks.push(json!({ "id": 90, "title": "Of one run", "show": { "what": "facts", "run_id": run } }));
    blocks.push(json!({ "id": 91, "title": "Of none", "show": { "what": "facts", "run_id": 999 } }));
    put("PUT", "/api/campaigns/1/report".into(), report).await?;
    let pages = r.get("/api/campaigns/1/report/pages").await?;
    assert_eq!(pages["refused"].as_array().map(Vec::len), Some(1), "the run that is not there");

    let tested = put("POST", "/api/front-ends/test".into(), json!({ "inputs": [7] })).await?;
    assert_eq!(tested.as_array().map(Vec::len), Some(1));
    let job = put("POST", "/api/campaigns/1/jobs/hand-over".into(), Value::Null).await?;
    assert_eq!(over(&r, &job["id"]).await?["state"], "done");
    let file = r.bytes(&format!("/api/jobs/{}/file", job["id"])).await?;

    // It is gone, and comes back under its name.
    put("POST", "/api/campaigns/2/choose".into(), Value::Null).await?;
    put("DELETE", "/api/campaigns/1".into(), Value::Null).await?;
    let made = taken_in(&r, &file).await?;
    assert_eq!(made["state"], "done", "{made}");
    let id = made["campaign"].clone();
    let name = r
        .get("/api/campaigns")
        .await?
        .as_array()
        .context("campaigns")?
        .iter()
        .find(|c| c["id"] == id)
        .map(|c| c["name"].clone());
    assert_eq!(name, Some(json!("Merrow: port thruster gearbox")));
    let back = r.get(&format!("/api/campaigns/{id}/runs")).await?[0].clone();
    assert_eq!((&back["number"], &back["tags"], &back["takes"]), (&json!(1), &json!(["loud"]), &json!(0)));
    let again = back["id"].clone();
    assert_eq!(plain(r.get(&format!("/api/runs/{again}")).await?), plain(detail));
    let same = put("POST", format!("/api/runs/{again}/results"), recipe).await?;
    assert_eq!(same["traces"], spectrum["traces"], "the same counts give the same spectrum to the last bit");
    let kept = r.get(&format!("/api/campaigns/{id}/kept-results")).await?;
    assert_eq!((&kept[0]["name"], &kept[0]["run_id"], &kept[0]["stale"]), (&json!("mesh"), &again, &json!(false)));
    assert_eq!(r.get(&format!("/api/campaigns/{id}/report/pages")).await?, pages, "the report says the same");
    let own = r.get(&format!("/api/campaigns/{id}/self-tests")).await?;
    assert_eq!((&own[0]["input"], &own[0]["passed"]), (&json!(7), &json!(true)), "and what its front end found");
    let taken = r.get(&format!("/api/campaigns/{id}/report")).await?;
    let of = |id: u32| taken["blocks"].as_array()?.iter().find(|b| b["id"] == id).map(|b| b["show"]["run_id"].clone());
    assert_eq!((of(90), of(91)), (Some(again.clone()), Some(json!(0))), "by its number; what was gone stays gone");
    let machine = r.get(&format!("/api/campaigns/{id}/machine")).await?;
    assert!(machine["elements"].as_array().is_some_and(|e| e.len() > 3), "{machine}");

    let came = r.get(&format!("/api/campaigns/{id}/specimen")).await?["specimen"].clone();
    assert!(came == specimen && came["geometry"]["points"].as_array().is_some_and(|p| p.len() > 50));
    let files = r.get(&format!("/api/campaigns/{id}/specimen/files")).await?;
    assert_eq!(files[0]["name"], "top \"left\".png");
    assert_eq!(r.bytes(&format!("/api/specimen-files/{}", files[0]["id"])).await?, picture);

    // Beside itself it gets a number.
    assert_eq!(taken_in(&r, &file).await?["state"], "done");
    let names = r.get("/api/campaigns").await?.to_string();
    assert!(names.contains("Merrow: port thruster gearbox (2)"), "{names}");

    // What is damaged is told, and leaves nothing behind.
    let before = r.get("/api/shelf").await?.as_array().map(Vec::len);
    let counts = |name: &str| name.ends_with("channel-007.i32");
    let flipped = changed(&file, |name, mut bytes| {
        if counts(name) {
            bytes[4000] ^= 1;
        }
        Some((name.into(), bytes))
    })?;
    let with = |part: &'static str, text: &'static str| {
        changed(&file, move |name, bytes| {
            let text_of = |b: Vec<u8>| String::from_utf8(b).unwrap_or_default().replace(part, text).into_bytes();
            Some((name.into(), if name == "contents.json" { text_of(bytes) } else { bytes }))
        })
    };
    for (bytes, word) in [
        (flipped, "its checksum is not the one that was written"),
        (file[..file.len() / 2].to_vec(), "is no ZIP file, or is cut off"),
        (changed(&file, |name, b| (!counts(name)).then(|| (name.into(), b)))?, "lacks the entry"),
        (
            changed(&file, |name, b| (name != "specimen/0001").then(|| (name.into(), b)))?,
            "lacks the entry specimen/0001",
        ),
        (with("\"version\": 1", "\"version\": 9")?, "is of version 9"),
        (with("campaign.json", "../campaign.json")?, "outside its folder"),
        (with("fleet-echo campaign", "holiday pictures")?, "says that it is “holiday pictures”"),
        (b"PK and nothing else".to_vec(), "is no ZIP file"),
    ] {
        let came = taken_in(&r, &bytes).await?;
        assert!(came["state"] == "refused" && says(&came).contains(word), "{word}: {came}");
    }
    assert_eq!(r.get("/api/shelf").await?.as_array().map(Vec::len), before, "nothing is left");
    Ok(())
}

#[tokio::test]
async fn files_of_other_programs_become_runs() -> Result<()> {
    let r = Rigged::start().await?;
    let run = r.newest_run().await?["id"].clone();
    let spectrum = async |run: &Value, channel: u32| -> Result<Vec<f64>> {
        let recipe = json!({ "lens": "spectrum", "channels": [channel], "block": 4096 });
        let (status, s) = r.call("POST", &format!("/api/runs/{run}/results"), Some(recipe)).await?;
        anyhow::ensure!(status == 200, "{s}");
        Ok(s["traces"][0]["values"].as_array().context("values")?.iter().filter_map(Value::as_f64).collect())
    };
    // Its own WAV and CSV come back as what they were, as fine as those files tell it.
    let truth = spectrum(&run, 7).await?;
    assert!(truth.len() > 1000, "{}", truth.len());
    let wav = r.bytes(&format!("/api/runs/{run}/export.wav")).await?;
    let came =
        brought_in(&r, "thruster.wav", &wav, json!({ "started_at": "2025-11-03T09:00:00Z", "kind": "last year" }))
            .await?;
    assert_eq!(came["state"], "done", "{came}");
    let detail = r.get(&format!("/api/runs/{}", came["run"])).await?;
    assert_eq!((&detail["kind"], &detail["started_at"]), (&json!("last year"), &json!("2025-11-03T09:00:00Z")));
    assert_eq!(detail["brought"]["file"], "thruster.wav");
    assert_eq!(detail["brought"]["sha256"].as_str().map(str::len), Some(64));
    let near = spectrum(&came["run"], 7).await?;
    let worst = truth.iter().zip(&near).map(|(a, b)| (a / b - 1.0).abs()).fold(0.0, f64::max);
    assert!(near.len() == truth.len() && worst < 1e-3, "{worst}");
    // Counts of a 16-bit file are kept as they are: brought in twice, once from its own export.
    let csv = "Zeit;Rampe;Scharnier\n[s];[m/s2];[mm]\n0,000;1,5;-2\n0,001;2,5;-3\n0,002;-0,5;-4\n0,003;0,25;\n"
        .replace(";\n", ";-5\n");
    let came = brought_in(&r, "Rampe%20%22laut%22.csv", csv.as_bytes(), json!({})).await?;
    assert_eq!(came["state"], "done", "{came}");
    let d = r.get(&format!("/api/runs/{}", came["run"])).await?;
    assert_eq!(
        (&d["sample_rate_hz"], &d["samples"], &d["kind"]),
        (&json!(1000.0), &json!(4), &json!("Rampe \"laut\".csv"))
    );
    assert_eq!(d["channels"][0]["recorded"]["unit"], "m/s²");
    let (_, wave) =
        r.call("POST", &format!("/api/runs/{}/results", came["run"]), Some(json!({ "lens": "waveform" }))).await?;
    assert_eq!(wave["traces"][0]["values"], json!([1.5, 2.5, -0.5, 0.25]), "{wave}");
    assert_eq!(wave["traces"][1]["values"], json!([-2.0, -3.0, -4.0, -5.0]));

    // What is not what it says is looked at, or refused in words; nothing is left of it.
    let file = sent(&r, "list.csv", b"a,b\n1,2\n1,3\n0,4\n").await?;
    let (_, look) = r.call("POST", &format!("/api/files/{file}/look"), Some(json!({}))).await?;
    assert!(look["refused"].as_str().is_some_and(|s| s.contains("list.csv") && s.contains("do not ascend")), "{look}");
    let (_, look) = r
        .call("POST", &format!("/api/files/{file}/look"), Some(json!({ "time_column": 0, "sample_rate_hz": 50.0 })))
        .await?;
    assert_eq!((&look["refused"], look["channels"].as_array().map(Vec::len)), (&Value::Null, Some(2)), "{look}");
    let wide: String = (0..5000).map(|k| format!("c{k},")).collect::<String>()
        + "\n"
        + &"1,".repeat(5000)
        + "\n"
        + &"2,".repeat(5000)
        + "\n";
    let nan = "t,a\n0,1\n0.1,NaN\n0.2,3\n";
    for (name, bytes, reading, word) in [
        ("cut.wav", &wav[..60], json!({}), "cut.wav"),
        ("picture.csv", &b"\x89PNG\r\n\x1a\n\0\0\0"[..], json!({}), "picture.csv"),
        ("wide.csv", wide.as_bytes(), json!({}), "allowed: up to 4096"),
        ("nan.csv", nan.as_bytes(), json!({}), "“NaN” is not a finite number"),
        ("notes.docx", &b"hello"[..], json!({}), "allowed: these, ending in"),
        ("list.csv", &b"t,a\n0,1\n1,2\n"[..], json!({ "channels": [{ "source": 3, "unit": "V" }] }), "no channel 3"),
        ("furlong.csv", &b"t,a [furlong]\n0,1\n1,2\n"[..], json!({}), "furlong"),
    ] {
        let came = brought_in(&r, name, bytes, reading).await?;
        assert!(came["state"] == "refused" && says(&came).contains(word), "{name}: {came}");
    }
    let (status, empty) = r.send_bytes("/api/files?name=empty.csv", Vec::new()).await?;
    assert!(status == 422 && says(&empty).contains("is empty"), "{empty}");
    assert_eq!(r.get("/api/campaigns/1/runs").await?.as_array().map(Vec::len), Some(3));
    assert_eq!(r.get("/api/campaigns/1/deleted-runs").await?, json!([]));
    Ok(())
}
