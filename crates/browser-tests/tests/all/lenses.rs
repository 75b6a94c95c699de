//! Every lens on the bench through the page: drawn, changed by its words, refused in words.

use anyhow::{Context, Result};
use echo_browser_tests::Rigged;
use echo_browser_tests::browser::{Browser, plain};
use fantoccini::Locator;
use fantoccini::key::Key;
use serde_json::{Value, json};

/// Lens by its name on the page, and what is on it once it is drawn.
const LENSES: [(&str, &str); 17] = [
    ("Spectrum", "[aria-label='Spectrum of the bracket'] .u-over"),
    ("Envelope", "[aria-label='Envelope of the bracket'] .u-over"),
    ("Cepstrum", "[aria-label='Cepstrum of the bracket'] .u-over"),
    ("Octave bands", "[aria-label='Octave bands of the bracket'] .u-over"),
    ("Spectrogram", "canvas[aria-label^='Spectrogram of']"),
    ("Statistics", "table"),
    ("Level", "[aria-label='Level of the bracket'] .u-over"),
    ("Cross spectrum", "[aria-label='Cross spectrum, phase in degrees'] .u-over"),
    ("Response", "[aria-label='Response, coherence'] .u-over"),
    ("Distribution", "[aria-label='Distribution of the bracket'] .u-over"),
    ("Rainflow", "[aria-label='Ranges'] .u-over"),
    ("Shock response", "[aria-label='Shock response of the bracket'] .u-over"),
    ("Speed", "[aria-label='Speed of the bracket'] .u-over"),
    ("Order map", "canvas[aria-label^='Order map of']"),
    ("Order cuts", "[aria-label='Order cuts, phase in degrees'] .u-over"),
    ("Orbit", "canvas[aria-label='Orbit of the bracket']"),
    ("Arrivals", "table"),
];

#[tokio::test]
async fn every_lens_is_drawn_and_taken_away_by_key() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/study/1?ch=7,8&z.frequency=0_1400", r.url)).await?;
    b.word("Bracket", "1 to 3").await?;
    // Away with what stands there; the bench is then empty, and says nothing wrong.
    for lens in ["Waveform", "Spectrum"] {
        b.send(&format!("section[aria-label={lens}] [role=toolbar]"), &Key::Delete.to_string()).await?;
    }
    for (lens, drawn) in LENSES {
        let section = format!("section[aria-label='{lens}']");
        b.choose("Add a lens", lens).await?;
        // The shaft turns steadily: along speed there is nothing to see, and the way out is offered.
        if lens.starts_with("Order") {
            b.text_until(&section, |t| t.contains("The speed hardly changes in the bracket")).await?;
            b.press("Take it along time").await?;
        }
        b.find(&format!("{section} {drawn}")).await.with_context(|| format!("{lens} is not drawn"))?;
        let wrong = b.page.find_all(Locator::Css(&format!("{section} [role=alert]"))).await?;
        assert!(wrong.is_empty(), "{lens}: {}", wrong[0].text().await?);
        b.send(&format!("{section} [role=toolbar]"), &Key::Delete.to_string()).await?;
        b.gone(Locator::Css(&section)).await?;
    }
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn words_of_a_lens_change_what_it_shows() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/study/1?ch=7,8&z.frequency=0_1400", r.url)).await?;
    let spectrum = "section[aria-label=Spectrum]";
    b.text_until(spectrum, |t| t.contains("peak, m/s²")).await?;
    // Scalings and units, each said behind the sentence.
    for (label, says, shown) in [
        ("Scaling", "peak to peak", "peak to peak, m/s²"),
        ("Scaling", "PSD", "PSD, (m/s²)²/Hz"),
        ("Scaling", "rms", "rms, m/s²"),
        ("Unit", "mm/s", "rms, mm/s"),
        ("Unit", "g", "rms, g"),
        ("Averaging", "peak hold", "rms, g"),
        ("Scale", "dB", "re"),
    ] {
        b.choose_in(spectrum, label, says).await?;
        b.text_until(spectrum, |t| t.contains(shown)).await.with_context(|| format!("{label} {says}"))?;
    }
    b.word("Reference of dB", "-1").await?;
    b.text_until("[role=alert]", |t| t.contains("the reference of dB must be a number above 0")).await?;
    b.keys(&Key::Escape.to_string()).await?;
    // As a table, in the unit it is shown in.
    b.choose_in(spectrum, "View", "a table").await?;
    b.text_until(&format!("{spectrum} table[aria-label=Values]"), |t| t.contains("frequency, Hz") && t.contains(", g"))
        .await?;
    // A response with coherence, in other arrangements.
    b.choose("Add a lens", "Response").await?;
    let response = "section[aria-label=Response]";
    b.find(&format!("{response} [aria-label='Response, coherence'] .u-over")).await?;
    b.choose_in(response, "Estimator", "H2").await?;
    b.text_until(response, |t| t.contains("response")).await?;
    b.choose_in(response, "Arrangement", "stacked").await?;
    b.text_until(response, |t| t.contains("H2 7/1") && t.contains("H2 8/1")).await?;
    b.choose_in(response, "View", "polar").await?;
    b.find(&format!("{response} canvas[aria-label='Response, polar']")).await?;
    // A reference against itself says nothing, and that is said.
    b.choose_in(response, "Reference", "gearbox top, vert").await?;
    b.text_until(response, |t| t.contains("H2 8/7")).await?;
    // Maps in colours that stay readable in grey.
    b.choose("Add a lens", "Spectrogram").await?;
    let map = "section[aria-label=Spectrogram]";
    b.find(&format!("{map} canvas")).await?;
    for colours in ["red-brown", "grey", "blue-green"] {
        b.choose_in(map, "Colours", colours).await?;
    }
    // A recipe kept by name stands in the list of lenses, for every run of the campaign.
    b.press("Save Response").await?;
    b.type_over("input[aria-label='Name of the result']", "top to motor").await?;
    b.press("Save the recipe only").await?;
    b.choose("Add a lens", "top to motor, a kept recipe").await?;
    let recipes = r.get("/api/campaigns/1/recipes").await?;
    assert_eq!((&recipes[0]["name"], &recipes[0]["recipe"]["lens"]), (&json!("top to motor"), &json!("response")));
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn a_run_that_is_being_recorded_says_when_it_can_be_studied() -> Result<()> {
    let r = Rigged::start().await?;
    // Slow, so that the first chunk takes its time.
    let change = json!({ "length": { "ends": "when_stopped" }, "sample_rate_hz": 5120.0 });
    assert_eq!(r.plan_with(1, change).await?.0, 200);
    r.until("it sends at that rate", |s| s["link"]["sample_rate_hz"] == 5120.0).await?;
    assert_eq!(r.order("record").await?.0, 204);
    let status = r.until("it records", |s| s["capture"]["state"] == "recording").await?;
    let run = r.newest_run().await?;
    assert_eq!(run["state"], "recording", "{status}");
    let path = format!("/api/runs/{}/results", run["id"]);
    let (code, answer) = r.call("POST", &path, Some(json!({ "lens": "statistics" }))).await?;
    assert!(code == 409 && answer["says"].as_str().is_some_and(|s| s.contains("holds no samples yet")), "{answer}");
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/study/{}?ch=7,8&z.frequency=0_1400", r.url, run["id"])).await?;
    b.text_until("main", |t| t.contains("is being recorded. It can be studied as soon as it has ended")).await?;
    assert_eq!(r.order("stop").await?.0, 204);
    r.idle().await?;
    b.text_until("section[aria-label=Waveform]", |t| t.contains("m/s²")).await?;
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn a_second_hit_in_a_take_is_marked() -> Result<()> {
    let mut r = Rigged::start().await?;
    r.with_hull("4").await?;
    // Long enough for several bumps in one take.
    let length = json!({ "ends": "after", "duration_s": 12.0 });
    let bump = json!({ "when": "level", "input": 1, "level": 10.0, "hysteresis": 5.0, "unit": "m/s²" });
    let start = json!({ "conditions": [bump], "pre_s": 0.1, "takes": 1 });
    assert_eq!(r.plan_with(3, json!({ "recorders": [], "length": length, "start": start })).await?.0, 200);
    assert_eq!(r.order("arm").await?.0, 204);
    let ended = r.until("the take is made", |s| s["capture"]["state"] == "idle" && s["ended"]["takes"] == 1).await?;
    let run = format!("/api/runs/{}", ended["ended"]["run_id"]);
    let none = r.get(&format!("{run}/quality")).await?;
    assert_eq!(none["marks"], json!([]), "bumps of an accelerometer are no hits");
    // Read as a force, the bumps after the first are second hits.
    let force =
        json!({ "column": "quantity", "text": "force", "sensitivity": "10 mV/N", "reason": "a hammer in truth" });
    assert_eq!(r.call("POST", &format!("{run}/channels/1/cell"), Some(force)).await?.0, 204);
    let marks = r.get(&format!("{run}/quality")).await?["marks"].clone();
    let hit: &Value = marks.get(0).context("a mark")?;
    assert_eq!((&hit["kind"], &hit["channel"]), (&json!("double hit"), &json!(1)), "{marks}");
    assert!(hit["says"].as_str().is_some_and(|s| s.starts_with("take 1: a second hit of")), "{hit}");
    // The page tells it and leads there.
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/study/{}?ch=7,8&z.frequency=0_1400", r.url, ended["ended"]["run_id"])).await?;
    b.press("Quality of the run").await?;
    b.text_until("[aria-label='Quality of the run']", |t| t.contains("1 double hit")).await?;
    let at = hit["from_s"].as_f64().context("a place")?;
    b.press_found("[data-headlessui-state] ol button").await?;
    let within = |t: &str| {
        let n: Vec<f64> = t.split(' ').filter_map(|x| x.parse().ok()).collect();
        n.len() == 2 && n[0] <= at && n[1] >= at && n[1] - n[0] < 1.0
    };
    b.bracket_until(within).await.with_context(|| format!("around {at} s"))?;
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn a_map_runs_along_speed_or_time_and_the_crosshair_is_shared() -> Result<()> {
    let mut r = Rigged::start().await?;
    r.with_quick_thruster("free").await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/study/1?ch=7,8&z.frequency=0_1400", r.url)).await?;
    b.choose("Add a lens", "Spectrogram").await?;
    let gram = "section[aria-label=Spectrogram]";
    b.find(&format!("{gram} canvas[aria-label^='Spectrogram of']")).await?;
    b.text_until(gram, |t| t.contains("darkest") && t.contains("time, s")).await?;
    // Along speed it takes the tachometer by itself; along time again it lets go of it.
    b.choose_in(gram, "Along", "speed").await?;
    b.text_until(gram, |t| t.contains("The speed hardly changes") && t.contains("shaft mark")).await?;
    b.press("Take it along time").await?;
    b.text_until(gram, |t| t.contains("darkest") && t.contains("time, s") && !t.contains("shaft mark")).await?;
    b.choose("Add a lens", "Order cuts").await?;
    let cuts = "section[aria-label='Order cuts']";
    b.choose_in(cuts, "Along", "time").await?;
    b.text_until(cuts, |t| t.contains("along time every") && t.contains("time, s")).await?;
    b.refused(&format!("{cuts} input[aria-label=Interval]"), "-1 s", "the interval must be").await?;
    // Arrows move the crosshair; every picture of time shows it, with the values under it.
    let wave = "[aria-label='Waveform of the bracket']";
    b.send(wave, &format!("{}{}", Key::End, Key::Left)).await?;
    let at = b.text_until("section[aria-label=Waveform]", |t| plain(t).contains("s") && t.contains('…')).await?;
    assert!(!at.contains("from the pin"), "{at}");
    b.text_until(cuts, |t| t.lines().filter(|l| plain(l).ends_with('s')).count() > 0).await?;
    // Pinned at one place, another says how far it is.
    b.send(wave, &format!(" {}", Key::Home)).await?;
    b.text_until("section[aria-label=Waveform]", |t| t.contains("from the pin") && t.contains("= 1/")).await?;
    b.text_until(cuts, |t| t.contains("from the pin")).await?;
    b.send(wave, &Key::Escape.to_string()).await?;
    b.text_until("section[aria-label=Waveform]", |t| !t.contains("from the pin")).await?;
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn responses_and_distributions_take_every_setting() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/study/1?ch=7,8&z.frequency=0_1400", r.url)).await?;
    b.word("Bracket", "1 to 3").await?;
    b.choose("Add a lens", "Response").await?;
    let response = "section[aria-label=Response]";
    b.find(&format!("{response} [aria-label='Response, coherence'] .u-over")).await?;
    b.choose_in(response, "View", "real and imaginary part").await?;
    b.find("[aria-label='Response, real part'] .u-over").await?;
    b.find("[aria-label='Response, imaginary part'] .u-over").await?;
    b.choose_in(response, "Form", "mobility").await?;
    b.text_until(response, |t| t.contains("mobility, ")).await?;
    let window = format!("{response} input[aria-label='Exponential window']");
    b.type_over(&window, "0.1 s").await?;
    b.keys(&Key::Enter.to_string()).await?;
    b.text_until(response, |t| t.contains("the exponential window adds 10.0")).await?;
    b.type_over(&window, "nothing").await?;
    b.keys(&Key::Enter.to_string()).await?;
    b.text_until(response, |t| !t.contains("the exponential window adds")).await?;

    b.choose("Add a lens", "Distribution").await?;
    let counts = "section[aria-label=Distribution]";
    b.find(&format!("{counts} .u-over")).await?;
    let edges = format!("{counts} input[aria-label=Edges]");
    b.refused(&edges, "wide", "numbers with commas between").await?;
    b.type_over(&edges, "-5, 0, 5").await?;
    b.keys(&Key::Enter.to_string()).await?;
    b.choose_in(counts, "View", "a table").await?;
    b.choose_in(counts, "Ends", "open ends").await?;
    b.text_until(counts, |t| t.contains("-5, 0, 5") || plain(t).contains("2.5")).await?;
    // A number of classes takes the place of the edges.
    b.type_over(&format!("{counts} input[aria-label=Classes]"), "8").await?;
    b.keys(&Key::Enter.to_string()).await?;
    b.value_until(&edges, |v| v == "automatic").await?;
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn a_run_is_found_by_its_day_and_a_result_by_its_name() -> Result<()> {
    let r = Rigged::start().await?;
    let recipe = json!({ "lens": "statistics" });
    let body = json!({ "name": "quiet berth", "recipe": recipe, "runs": [1] });
    let (status, says) = r.call("POST", "/api/campaigns/1/jobs/results", Some(body)).await?;
    assert!(status < 300, "{status} {says}");
    r.got("/api/find?text=quiet%20berth", |f| f[0]["what"] == "result" && f[0]["run_id"] == 1).await?;
    let day = r.get("/api/runs/1").await?["started_at"].as_str().context("day")?[..10].to_string();
    let found = r.get(&format!("/api/find?text={day}")).await?;
    assert!(found.as_array().context("list")?.iter().any(|f| f["what"] == "run"), "{found}");
    let (status, says) = r.call("GET", &format!("/api/find?text={}", "x".repeat(201)), None).await?;
    assert!(status == 422 && says["says"].as_str().is_some_and(|s| s.contains("up to 200")), "{says}");
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/run", r.url)).await?;
    b.find("main").await?;
    b.keys(&format!("{}k{}", char::from(Key::Control), char::from(Key::Null))).await?;
    b.type_over("input[aria-label=Find]", "berth quiet").await?;
    b.text_until("[role=listbox]", |t| t.contains("Result quiet berth, run 1")).await?;
    b.keys(&Key::Enter.to_string()).await?;
    b.text_until("table[aria-label='Kept results']", |t| t.contains("quiet berth")).await?;
    b.page.clone().close().await?;
    Ok(())
}
