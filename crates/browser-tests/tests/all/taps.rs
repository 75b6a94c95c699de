//! A tap series from the first hit to modes that can be believed, with a hammer that is played by a script.

use anyhow::{Context, Result, bail};
use echo_browser_tests::browser::Browser;
use echo_browser_tests::{Rigged, again_until, program, says};
use echo_signal::modal::mac::mac;
use echo_signal::spectrum::Complex64;
use serde_json::{Value, json};

/// Replaces the page's audio by one that writes down what is asked of it.
const LISTENING: &str = "window.asked = [];
    window.AudioContext = class { currentTime = 0; destination = {}; resume() { return Promise.resolve(); }
      createOscillator() { const note = { hz: 0 };
        return { frequency: { setValueAtTime: (hz) => { note.hz = hz; } }, connect: (x) => x,
                 start: () => { window.asked.push(note.hz); }, stop() {} }; }
      createGain() { return { gain: { setValueAtTime() {}, exponentialRampToValueAtTime() {} }, connect: (x) => x }; } };";

pub fn plan(points: std::ops::RangeInclusive<u8>, hits: u32) -> Value {
    let points: Vec<Value> = points.map(|k| json!({ "point": k.to_string(), "direction": "" })).collect();
    json!({ "roving": "response", "force": 1, "moving": [2, 3, 4], "points": points, "hits": hits,
        "limits": { "least_n": 120.0, "most_n": 430.0, "double_share": 0.1, "apart_s": 0.002, "over_share": 0.98 },
        "accept": "next_hit", "level_n": 20.0, "pre_s": 0.005, "length_s": 0.8, "band_hz": [40.0, 700.0],
        "least_coherence": 0.9 })
}

pub fn hit(newtons: f64, manner: &str, tip: &str) -> Value {
    json!({ "after_s": 0.9, "do": "hit", "point": 14, "direction": "-z", "newtons": newtons, "manner": manner, "tip": tip })
}

pub fn hang(point: usize) -> Value {
    // Not before the ringing of the last hit is recorded.
    json!({ "after_s": 1.0, "do": "hang", "input": 2, "point": point, "direction": "x" })
}

pub async fn play(r: &Rigged, steps: Vec<Value>) -> Result<()> {
    r.at_front_end(0, json!({ "do": "script", "steps": steps })).await
}

/// The series as it stands once that is so.
pub async fn until(r: &Rigged, series: i64, what: &str, good: impl Fn(&Value) -> bool) -> Result<Value> {
    let path = format!("/api/taps/{series}");
    let found = again_until(async || {
        let body = r.get(&path).await?;
        Ok(good(&body).then_some(body))
    });
    match found.await? {
        Some(body) => Ok(body),
        None => bail!("{what}: {}", r.get(&path).await?),
    }
}

fn hits(body: &Value) -> u64 {
    body["tally"].as_array().map_or(0, |all| all.iter().filter_map(|t| t["count"].as_u64()).sum())
}

/// A mode as the stand-in prints it: frequency, damping ratio, and how each point moves along x, y and z.
pub struct Mode {
    pub hz: f64,
    pub damping: f64,
    shape: Vec<[f64; 3]>,
}

pub fn truth() -> Result<Vec<Mode>> {
    let out = std::process::Command::new(program("lantern")).args(["--plays", "bracket", "--truth"]).output()?;
    let told: Value = serde_json::from_slice(&out.stdout)?;
    let one = |m: &Value| {
        let shape = serde_json::from_value(m["shape"].clone()).ok()?;
        Some(Mode { hz: m["frequency_hz"].as_f64()?, damping: m["damping_ratio"].as_f64()?, shape })
    };
    let all: Vec<Mode> = told.as_array().context("modes")?.iter().filter_map(one).filter(|m| m.hz < 700.0).collect();
    anyhow::ensure!(all.len() == 6, "{told}");
    Ok(all)
}

/// How alike the shapes of a result are to those that are built in, mode by mode.
pub fn alike(analysis: &Value, truth: &[Mode]) -> Result<Vec<f64>> {
    let dofs = analysis["axes"][1]["dofs"].as_array().context("places")?;
    let shapes = analysis["traces"].as_array().context("traces")?.iter().filter(|t| t["quantity"] == "shape");
    shapes
        .zip(truth)
        .map(|(t, mode)| {
            let at = |part: &str, k: usize| t[part][k].as_f64().unwrap_or(0.0);
            let found: Vec<Complex64> = (0..dofs.len()).map(|k| Complex64::new(at("re", k), at("im", k))).collect();
            let built_in = dofs.iter().map(|d| {
                let point: usize = d["point"].as_str()?.parse().ok()?;
                let axis = ["x", "y", "z"].iter().position(|a| d["direction"] == **a)?;
                Some(Complex64::from(mode.shape[point - 1][axis]))
            });
            let built_in = built_in.collect::<Option<Vec<_>>>().context("a place")?;
            Ok(mac(&found, &built_in))
        })
        .collect()
}

#[tokio::test]
async fn a_series_by_the_next_hit_finds_the_loose_sensor_and_the_modes() -> Result<()> {
    let mut r = Rigged::start().await?;
    r.with_bracket("2").await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/c/4/run/taps", r.url)).await?;
    // What is usual with this rig: all points of the specimen, the block with three axes goes along.
    b.find("section[aria-label='New series']").await?;
    b.text_until("section[aria-label='The series']", |t| t.contains("18 points") && t.contains("block x, block y"))
        .await?;
    b.word("Hits a point", "3").await?;
    b.word("Least force", "120").await?;
    b.word("Most force", "430").await?;
    b.refused("input[aria-label='Length of a take']", "2 fortnights", "the length of a take").await?;
    b.word("Length of a take", "0.8 s").await?;
    b.press("Begin the series").await?;
    b.text_until("table[aria-label='Points of the series']", |t| t.contains("18")).await?;
    b.page.execute(LISTENING, vec![]).await?;
    let series = r.get("/api/campaigns/4/taps").await?[0]["id"].as_i64().context("a series")?;
    b.press("Wait for hits").await?;
    b.text_until("main", |t| t.contains("Armed, waits for a hit")).await?;

    // The first point is told step by step: two low notes for a double hit and a soft one, one for a good one.
    let told = async |word: &str| b.text_until("[data-verdict]", |t| t.contains(word)).await.map(drop);
    let heard = async |notes: Value| b.script_until("return window.asked", move |v| *v == notes).await;
    play(&r, vec![hit(260.0, "double", "nylon")]).await?;
    told("Double hit").await?;
    heard(json!([196, 196])).await?;
    play(&r, vec![hit(60.0, "clean", "nylon")]).await?;
    told("Too soft").await?;
    play(&r, vec![hit(280.0, "clean", "nylon")]).await?;
    told("Good").await?;
    heard(json!([196, 196, 196, 196, 880])).await?;
    b.text_until("section[aria-label='Now']", |t| t.contains("1 of 3") && t.contains("1 double hit")).await?;
    // Taken back by its key; nothing of it counts.
    b.keys("\u{e003}").await?;
    until(&r, series, "taken back", |s| s["points"][0]["standing"] == 0).await?;

    // The hammer's cable is out: that is told at once, though no hit tells it. A hit without a sensor does not count.
    let says = "ul[aria-label='What a colleague would say']";
    r.by_hand(1, json!({ "do": "unplug" })).await?;
    b.text_until(says, |t| t.contains("circuit is open, so no hit is heard")).await?;
    b.script_until("return window.asked.slice(-4)", |v| *v == json!([784, 587, 440, 330])).await?;
    r.by_hand(1, json!({ "do": "plug", "sensor": "hammer HM-2, 118" })).await?;
    b.gone(fantoccini::Locator::Css(says)).await?;
    r.by_hand(3, json!({ "do": "break", "fault": "short" })).await?;
    b.text_until(says, |t| t.contains("block y: its circuit is shorted, so hits do not count")).await?;
    play(&r, vec![hit(280.0, "clean", "nylon")]).await?;
    told("Cable").await?;
    r.by_hand(3, json!({ "do": "break", "fault": "none" })).await?;
    b.gone(fantoccini::Locator::Css(says)).await?;
    let spoiled = hits(&until(&r, series, "the point is open", |s| s["points"][0]["standing"] == 0).await?);

    // All points, the seventh with a loose stud; the hammer's script goes on by itself.
    let mut steps = vec![json!({ "after_s": 0.0, "do": "screw", "point": 7, "tight": false })];
    for k in 1..=18 {
        steps.push(hang(k));
        steps.extend([250.0, 310.0, 280.0].map(|n| hit(n, "clean", "nylon")));
    }
    play(&r, steps).await?;
    let made = |s: &Value| s["done"] == 18 && s["points"][17]["coherence"].is_f64();
    let all = until(&r, series, "all points are done", made).await?;
    assert_eq!(hits(&all), spoiled + 54);
    b.text_until("main", |t| t.contains("18 of 18 done")).await?;
    heard_all_done(&b).await?;
    // A colleague says which point is bad, and that it is the only one.
    let advice = b.text_until("ul[aria-label='What a colleague would say']", |t| t.contains("7")).await?;
    assert!(advice.contains("at this point only") && advice.contains("sits tight"), "{advice}");
    let doubtful: Vec<&Value> =
        all["points"].as_array().context("points")?.iter().filter(|p| p["doubtful"] == true).collect();
    assert!(doubtful.len() == 1 && doubtful[0]["says"] == "7", "{doubtful:?}");

    // Its modes with the loose sensor are not what they are without; the point is measured again.
    let wish = json!({ "set": { "series": series }, "recipe": { "lens": "modes", "band_hz": [40, 700] } });
    let spoiled = r.call("POST", "/api/campaigns/4/modes", Some(wish.clone())).await?.1;
    b.press_path("//ul[@aria-label='What a colleague would say']//button[text()='Measure again']").await?;
    until(&r, series, "the point is open", |s| s["points"][6]["counting"] == 0 && s["upcoming"] == 6).await?;
    let mut again = vec![json!({ "after_s": 0.0, "do": "screw", "point": 7, "tight": true }), hang(7)];
    again.extend([240.0, 300.0, 270.0].map(|n| hit(n, "clean", "nylon")));
    play(&r, again).await?;
    // Its responses are made when the hits are there.
    let made = |s: &Value| s["done"] == 18 && s["points"][6]["coherence"].is_f64();
    let mended = until(&r, series, "the point is done again", made).await?;
    b.gone(fantoccini::Locator::Css("ul[aria-label='What a colleague would say']")).await?;
    assert!(mended["points"][6]["coherence"].as_f64() > Some(0.95), "{}", mended["points"][6]);
    assert_eq!(mended["points"][5]["counting"], 3, "no other point was touched");
    b.press("Stop").await?;
    r.idle().await?;

    // Modes against what the stand-in prints of itself.
    b.page.goto(&format!("{}/c/4/study/newest/modes", r.url)).await?;
    b.text_until("table[aria-label='Modes']", |t| t.contains("641")).await?;
    let read = "return [...document.querySelectorAll('table[aria-label=Modes] tbody tr')].map(tr =>
        [+tr.querySelector('[data-hz]').dataset.hz, +tr.querySelector('[data-damping]').dataset.damping])";
    b.script_until(read, |v| v.as_array().map(Vec::len) == Some(6)).await?;
    let found = b.page.execute(read, vec![]).await?;
    let truth = truth()?;
    for (k, Mode { hz, damping, .. }) in truth.iter().enumerate() {
        let (f, d) = (found[k][0].as_f64().context("Hz")?, found[k][1].as_f64().context("damping")?);
        assert!((f / hz - 1.0).abs() < 3e-3 && (d / damping - 1.0).abs() < 0.08, "mode {}: {f} {d}", k + 1);
    }
    // Halves of the hits tell how much that scatters: not at all where nothing is measured, far less than modes are apart.
    b.press("Halves of the hits").await?;
    let scatter = "return [...document.querySelectorAll('[data-half-hz]')].map(e => +e.dataset.halfHz)";
    b.script_until(scatter, |v| v.as_array().map(Vec::len) == Some(6)).await?;
    let scatter: Vec<f64> = serde_json::from_value(b.page.execute(scatter, vec![]).await?)?;
    assert!(scatter.iter().all(|s| *s > 1e-6 && *s < 0.3), "{scatter:?}");
    let clean = r.call("POST", "/api/campaigns/4/modes", Some(wish.clone())).await?.1;
    let alike = alike(&clean["analysis"], &truth)?;
    assert!(alike.len() == 6 && alike.iter().all(|m| *m > 0.97), "{alike:?}");
    assert_eq!(clean["strange"], json!([]));
    assert_eq!(clean["motions"].as_array().map(Vec::len), Some(6));
    let missed = |body: &Value| {
        body["analysis"]["numbers"].as_array().and_then(|n| n.iter().find(|n| n["name"] == "missed")?["value"].as_f64())
    };
    assert!(missed(&spoiled) > missed(&clean).map(|m| 3.0 * m), "{:?} {:?}", missed(&spoiled), missed(&clean));
    // The shape moves.
    let drawn = "return document.querySelector('[data-drawing]')?.dataset.drawn ?? ''";
    b.script_until(drawn, |v| v.as_str().is_some_and(|s| s.contains("18 points"))).await?;
    // Kept, written and brought in again: the shapes are the same to a MAC above 0.97.
    b.press_path("//button[text()='Save']").await?;
    b.press_path("//div[@role='dialog']//button[text()='Save']").await?;
    let kept = again_until(async || {
        let all = r.get("/api/campaigns/4/kept-results").await?;
        Ok(all.as_array().and_then(|k| k.iter().find(|k| k["name"] == "modes").cloned()))
    });
    let kept = kept.await?.context("the modes are kept")?;
    let (_, compared) = r
        .call(
            "POST",
            "/api/campaigns/4/modes/compare",
            Some(json!({ "set": wish["set"], "recipe": wish["recipe"], "with": kept["id"] })),
        )
        .await?;
    assert_eq!(compared["pairs"].as_array().map(Vec::len), Some(6), "{compared}");
    assert!(compared["pairs"].as_array().context("pairs")?.iter().all(|p| p["mac"].as_f64() > Some(0.97)));
    let file = r.bytes(&format!("/api/campaigns/4/functions.uff?series={series}&binary=true")).await?;
    let folder = tempfile::tempdir()?;
    let path = folder.path().join("responses.uff");
    std::fs::write(&path, &file)?;
    let (hz, traces) = echo_formats::functions::read(&path)?;
    assert!(hz.len() > 5000 && traces.len() == 54, "{} lines, {} responses", hz.len(), traces.len());
    let text = r.bytes(&format!("/api/campaigns/4/functions.uff?series={series}")).await?;
    assert!(text.windows(6).filter(|w| *w == b"    -1").count() > 100);
    Ok(())
}

async fn heard_all_done(b: &Browser) -> Result<()> {
    b.script_until("return window.asked.slice(-3)", |v| *v == json!([523, 659, 1047])).await
}

#[tokio::test]
async fn a_series_goes_on_where_it_was_when_the_server_is_killed() -> Result<()> {
    let mut r = Rigged::start().await?;
    let bracket = r.with_bracket("2").await?;
    let (status, begun) = r.call("POST", "/api/campaigns/4/taps", Some(plan(1..=3, 2))).await?;
    assert_eq!(status, 201, "{begun}");
    let series = begun["id"].as_i64().context("a key")?;
    let go = format!("/api/taps/{series}/go");
    // Nothing to decide yet; a point that is not there.
    let act = async |r: &Rigged, what: Value| r.call("POST", &format!("/api/taps/{series}/act"), Some(what)).await;
    assert!(says(&act(&r, json!({ "act": "accept" })).await?.1).contains("hit first"));
    assert!(says(&act(&r, json!({ "act": "go_to", "point": 9 })).await?.1).contains("allowed: 1 to 3"));
    let (status, refused) = r
        .call(
            "POST",
            "/api/campaigns/4/modes",
            Some(json!({ "set": { "series": series }, "recipe": { "lens": "modes" } })),
        )
        .await?;
    assert!(status == 422 && says(&refused).contains("no responses"), "{refused}");
    assert_eq!(r.call("POST", &go, None).await?.0, 200);
    assert_eq!(r.call("POST", &go, None).await?.0, 409, "it goes already");
    play(
        &r,
        vec![
            hang(1),
            hit(250.0, "clean", "nylon"),
            hit(300.0, "clean", "nylon"),
            hang(2),
            hit(280.0, "clean", "nylon"),
        ],
    )
    .await?;
    until(&r, series, "three hits", |s| hits(s) == 3).await?;
    let before = r.get(&format!("/api/taps/{series}")).await?;
    assert!(before["points"][0]["counting"] == 2 && before["at"] == 1, "{before}");

    // A hit is told before it is stored; what is stored is what a killed server leaves.
    r.until("all hits are stored", |s| s["capture"]["held_bytes"] == 0).await?;
    r.server.kill();
    r.serve_again()?;
    r.call("PUT", "/api/capture/front-end", Some(json!({ "address": bracket }))).await?;
    let after = until(&r, series, "the series is there", |s| hits(s) == 3).await?;
    assert_eq!((&after["points"][0]["counting"], &after["at"]), (&json!(2), &json!(1)));
    r.until("the bracket sends again", |s| s["link"]["sample_rate_hz"] == 12_800.0 && s["capture"]["state"] == "idle")
        .await?;
    assert_eq!(r.call("POST", &go, None).await?.0, 200);
    play(&r, vec![hit(260.0, "clean", "nylon"), hang(3), hit(300.0, "clean", "nylon"), hit(270.0, "clean", "nylon")])
        .await?;
    let done = until(&r, series, "all points are done", |s| s["done"] == 3).await?;
    assert_eq!(done["runs"].as_array().map(Vec::len), Some(2), "another run for what came after");
    assert_eq!(r.order("stop").await?.0, 204);
    r.idle().await?;

    // Windows and limits are changed afterwards, and what is made of the hits follows.
    let made =
        async |r: &Rigged| -> Result<Value> { Ok(r.get("/api/campaigns/4/functions").await?["functions"][0].clone()) };
    let first = made(&r).await?;
    assert_eq!(first["hits"].as_array().map(Vec::len), Some(2), "{first}");
    let mut changed = done["plan"].clone();
    changed["exponential_window"] = json!({ "decay_s": 0.2 });
    changed["limits"]["least_n"] = json!(290.0);
    let path = format!("/api/taps/{series}?made_on={}", done["version"]);
    let (status, body) = r.call("PUT", &path, Some(changed.clone())).await?;
    assert_eq!(status, 200, "{body}");
    assert!(made(&r).await?["added_decay"].as_f64() == Some(5.0));
    assert_eq!(
        body["tally"].as_array().context("a tally")?.iter().find(|t| t["word"] == "Too soft").context("soft ones")?["count"],
        4
    );
    assert_eq!(r.call("PUT", &path, Some(changed.clone())).await?.0, 409, "made on an older version");
    changed["points"] = json!([{ "point": "1", "direction": "" }]);
    let (status, refused) = r.call("PUT", &format!("/api/taps/{series}"), Some(changed)).await?;
    assert!(status == 422 && says(&refused).contains("has hits"), "{refused}");
    // One hit is left out afterwards.
    act(&r, json!({ "act": "decide", "hit": 0, "counts": false })).await?;
    assert_eq!(made(&r).await?["hits"].as_array().map(Vec::len), Some(1));
    Ok(())
}
