//! Study through the page: what is built into the thruster is found with cursors, markers and order cuts.

use anyhow::{Context, Result};
use echo_browser_tests::browser::{Browser, number, plain};
use echo_browser_tests::{Rigged, again_until};
use fantoccini::key::Key;
use serde_json::{Value, json};

/// Chooses a cursor by its name.
async fn cursor(b: &Browser, says: &str) -> Result<()> {
    let path = format!("//*[@role='radiogroup']//label[contains(., '{says}')]");
    b.press_path(&path).await
}

/// Ticks an element of the machine.
async fn element(b: &Browser, name: &str) -> Result<()> {
    let path = format!("//section[@aria-label='Markers']//label[contains(., '{name}')]");
    b.press_path(&path).await
}

#[tokio::test]
async fn mesh_sidebands_and_a_damaged_race_are_found_by_their_lines() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/study/1?ch=7,8&z.frequency=0_1400", r.url)).await?;
    b.choose("Bench", "bearing and gear").await?;
    b.text_until("section[aria-label=Spectrum]", |t| t.contains("averages")).await?;
    let input_hz = 2690.0 / 60.0;

    // The speed is the tachometer's, and the marker of the pinion stands on the mesh.
    let rpm = number(&b.text_until("[data-reading=rpm]", |t| !t.is_empty()).await?);
    assert!((rpm - 2690.0).abs() < 1.0, "{rpm} rpm");
    element(&b, "pinion").await?;
    let mesh = number(&b.text_until("[data-marker=mesh]", |t| !t.is_empty() && t != "none").await?);
    assert!(mesh > 0.5, "{mesh} m/s²");

    // A click on it, then the distance of its sidebands as somebody guesses it.
    cursor(&b, "Sidebands").await?;
    let over = "[aria-label='Spectrum of the bracket'] .u-over";
    let (x, y, w, h) = b.find(over).await?.rectangle().await?;
    b.click_at(x + w * 13.0 * input_hz / 1400.0, y + h * 0.7).await?;
    b.word("Spacing", "14.2 Hz").await?;
    let near = |t: &str| (number(t) - input_hz / 3.08).abs() < 0.05;
    b.text_until("section[aria-label=Sidebands] [data-reading=spacing]", near).await?;
    let member = async |n: i32| -> Result<f64> {
        let css = format!("section[aria-label=Sidebands] [data-member='{n}']");
        Ok(number(&b.text_until(&css, |t| number(t).is_finite()).await?))
    };
    let (low, middle, high) = (member(-1).await?, member(0).await?, member(1).await?);
    // The click chose the curve that is higher there: the marker is read of that one, too.
    b.text_until("[data-marker=mesh]", |t| (number(t) / middle - 1.0).abs() < 0.02).await?;
    // Modulated by 0.42: each side line has half of that share of the mesh.
    assert!((0.5 * (low + high) / middle - 0.21).abs() < 0.05, "{low} {middle} {high}");

    // A band by hand: the mesh with its sidebands holds nearly all of it.
    cursor(&b, "Harmonics").await?;
    b.click_at(x + w * input_hz / 1400.0, y + h * 0.7).await?;
    b.word("Count", "5").await?;
    let spacing = "section[aria-label=Harmonics] [data-reading=spacing]";
    b.text_until(spacing, |t| (number(t) - input_hz).abs() < 0.1).await?;

    // In the envelope the bearing's outer race stands out, and its inner race does not.
    b.send("section[aria-label=Spectrum] [role=toolbar]", &Key::Delete.to_string()).await?;
    b.word("Band", "3000 to 5500 Hz").await?;
    element(&b, "pinion bearing").await?;
    let outer = number(&b.text_until("[data-marker='outer race']", |t| !t.is_empty() && t != "none").await?);
    let inner = b.text_until("[data-marker='inner race']", |t| !t.is_empty()).await?;
    assert!(outer > 0.0 && (inner == "none" || number(&inner) < 0.3 * outer), "{outer} and {inner}");
    for multiple in ["2× outer race", "3× outer race"] {
        b.text_until(&format!("[data-marker='{multiple}']"), |t| number(t) > 0.0).await?;
    }
    // The bench is kept under a name, and comes again after a reload.
    b.word("Name of the bench", "input bearing").await?;
    b.text_until("[aria-label=Bench]", |t| t.contains("input bearing")).await?;
    let kept = r.get("/api/campaigns/1/study-benches").await?;
    assert_eq!(
        (&kept[0]["name"], &kept[0]["bench"]["panels"][0]["recipe"]["lens"]),
        (&json!("input bearing"), &json!("envelope"))
    );
    b.page.refresh().await?;
    b.text_until("[data-marker='outer race']", |t| !t.is_empty() && t != "none").await?;
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn a_coast_downs_resonances_are_read_from_its_order_cuts() -> Result<()> {
    let mut r = Rigged::start().await?;
    r.with_quick_thruster("4").await?;
    let rpm =
        async |r: &Rigged| -> Result<f64> { r.bench().await?["front_ends"][0]["rpm"].as_f64().context("a speed") };
    let bring = async |r: &Rigged, to: f64, by: f64| -> Result<()> {
        r.at_front_end(0, json!({ "do": "bring_to", "rpm": to, "rpm_per_s": by })).await?;
        let there = again_until(async || Ok(((rpm(r).await? - to).abs() < 1.0).then_some(())));
        there.await?.with_context(|| format!("{to} rpm is not reached"))
    };
    let length = json!({ "ends": "when_stopped" });
    let change = json!({ "sample_rate_hz": 5120.0, "length": length, "run_kind": "coast-down" });
    let (status, body) = r.plan_with(1, change).await?;
    assert_eq!(status, 200, "{body}");
    bring(&r, 2700.0, 2000.0).await?;
    r.until("it sends at the new rate", |s| s["link"]["sample_rate_hz"] == 5120.0).await?;
    assert_eq!(r.order("record").await?.0, 204);
    // Slowly past both resonances, quickly between them.
    for (to, by) in [(2300.0, 15.0), (1300.0, 300.0), (920.0, 8.0)] {
        bring(&r, to, by).await?;
    }
    assert_eq!(r.order("stop").await?.0, 204);
    r.idle().await?;
    let run = r.newest_run().await?;
    assert!(run["kind"] == "coast-down" && run["state"] == "whole", "{run}");

    let b = Browser::open().await?;
    b.page.goto(&format!("{}/study/{}?ch=7,8&z.frequency=0_1400", r.url, run["id"])).await?;
    b.choose("Bench", "run-up or coast-down").await?;
    b.find("canvas[aria-label^='Order map of']").await?;
    b.find("canvas[aria-label='Order cuts, polar']").await?;
    // The first panel of cuts is the one with amplitude and phase.
    b.word("Range of a resonance", "slow").await?;
    b.text_until("[role=alert]", |t| t.contains("two numbers, the lower first")).await?;
    for (range, hz, damping, direction) in [("1000 1250", 18.4, 2.1, "athw"), ("2350 2620", 41.3, 1.6, "vert")] {
        b.word("Range of a resonance", range).await?;
        let text = b
            .text_until("table[aria-label=Resonances]", |t| {
                plain(t).lines().any(|l| l.contains(direction)) && t.contains("damping")
            })
            .await?;
        // A direction's name, then what the fit tells of it.
        let text = plain(&text);
        let own = text.lines().skip_while(|l| !l.contains(direction)).collect::<Vec<_>>().join(" ");
        let after = |words: &str| {
            let rest = own.split(words).nth(1).unwrap_or_default().trim();
            number(rest.split([' ', ',']).next().unwrap_or_default())
        };
        let frequency = own.split(" ± ").next().and_then(|t| t.rsplit(' ').next()).map_or(f64::NAN, number);
        assert!((frequency / hz - 1.0).abs() < 0.003, "{frequency} for {hz} Hz: {own}");
        assert!((after(" damping ") / damping - 1.0).abs() < 0.08, "{} for {damping} %: {own}", after(" damping "));
        assert!(own.contains(" Q ") && own.contains("peak"), "every number has its name: {own}");
        b.press("Half power too").await?;
        b.text_until("[data-resonance='half power']", |t| t.contains("by half power") && t.contains("highest")).await?;
        b.press("Without half power").await?;
        // The reading follows the order's width.
        let (fit, width) = ("[data-resonance=fit]", "section[aria-label='Order cuts'] input[aria-label=Resolution]");
        let before = b.text_until(fit, |t| t.contains("damping")).await?;
        b.type_over(width, "0.4").await?;
        b.keys(&Key::Enter.to_string()).await?;
        b.text_until(fit, |t| t.contains("damping") && *t != before).await?;
        b.type_over(width, "0.25").await?;
        b.keys(&Key::Enter.to_string()).await?;
        b.text_until(fit, |t| *t == before).await?;
        b.press("Clear readings").await?;
    }
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn what_a_lens_cannot_do_is_said_with_what_can() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/study/1?ch=7,8&z.frequency=0_1400", r.url)).await?;
    b.text_until("section[aria-label=Spectrum]", |t| t.contains("averages")).await?;
    // A bracket shorter than the block.
    b.choose("Block", "131").await?;
    let narrow = char::from(Key::Left).to_string().repeat(15);
    b.send("[role=slider]", &format!("{}{narrow}{}", char::from(Key::Shift), char::from(Key::Null))).await?;
    b.text_until("section[aria-label=Spectrum]", |t| t.contains("does not fit into it")).await?;
    b.press("Take a shorter block").await?;
    b.text_until("section[aria-label=Spectrum]", |t| t.contains("averages")).await?;
    // Orders by a channel without pulses.
    b.choose("Add a lens", "Order map").await?;
    b.text_until("section[aria-label='Order map']", |t| t.contains("The speed hardly changes")).await?;
    b.choose("Tachometer", "gearbox top, vert").await?;
    b.text_until("section[aria-label='Order map']", |t| t.contains("allowed") || t.contains("pulses")).await?;
    // An element that cannot be.
    b.page.goto(&format!("{}/study/1/machine", r.url)).await?;
    b.word("Diameter of pinion bearing", "50 mm").await?;
    b.text_until("[role=alert]", |t| t.contains("smaller than their pitch circle")).await?;
    b.word("Diameter of pinion bearing", "7.5 mm").await?;
    b.word("Ratio of propeller", "1/3.1").await?;
    // What was typed last may still be on its way.
    let of = |machine: &Value, name: &str, key: &str| {
        let mut elements = machine["elements"].as_array().into_iter().flatten();
        elements.find(|e| e["name"] == name).and_then(|e| e[key].as_f64()).unwrap_or(f64::NAN)
    };
    let typed = |m: &Value| (of(m, "propeller", "ratio") - 1.0 / 3.1).abs() < 1e-9;
    let machine = r.got("/api/campaigns/1/machine", typed).await?;
    assert_eq!(of(&machine, "pinion bearing", "roller_mm"), 7.5);
    // A run without takes has no events, and says where they come from.
    b.page.goto(&format!("{}/study/1/events", r.url)).await?;
    b.text_until("main", |t| t.contains("Record with a trigger")).await?;
    b.page.clone().close().await?;
    Ok(())
}
