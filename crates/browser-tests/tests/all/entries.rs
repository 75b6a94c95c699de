//! Every word that is typed, in every view, with what people type by mistake: each is either taken and shown so that
//! it can be typed again, or refused beside it in words that nothing covers, and stays as it was typed.

use anyhow::{Context, Result};
use echo_browser_tests::browser::Browser;
use echo_browser_tests::{Rigged, says};
use serde_json::json;

/// What is typed: nothing, no number, too much, a number of the wrong sign or unit, grouped in other countries' ways,
/// far too long, with the spaces and marks that copied text carries.
fn strange() -> Vec<String> {
    let few = ["", "abc", "1e999", "-5", "200 ms", "2 kHz", "18,000", "1.000,5", "\u{a0}7\u{202f}\u{200b}"];
    few.map(String::from).into_iter().chain(["x".repeat(1000)]).collect()
}

/// Types each into each word of the page, one after the other, in the page itself; gives how many words there were and
/// what was wrong.
const EVERY: &str = r#"
const [strange, done] = arguments;
const words = () => [...document.querySelectorAll("main input.word:not([role=combobox])")]
    .filter((e) => e.checkVisibility() && !e.disabled && !e.readOnly);
const rest = (ms) => new Promise((go) => setTimeout(go, ms));
// A word that is named by what is typed elsewhere stays at its place.
let place = 0;
const found = (label, nth) => {
    const all = words();
    return all.filter((e) => e.getAttribute("aria-label") === label)[nth] ?? all[place];
};
const native = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set;
// Types a text and waits until it is taken or refused.
async function type(label, nth, text) {
    const at = found(label, nth);
    if (!at) return undefined;
    at.scrollIntoView({ block: "center" });
    at.focus();
    native.call(at, text);
    at.dispatchEvent(new Event("input", { bubbles: true }));
    at.blur();
    for (let k = 0; k < 1500; k++) {
        const now = found(label, nth);
        if (!now || !now.dataset.editing) break;
        await rest(10);
    }
    return settled(label, nth);
}
// What was set comes back and is drawn, on a busy page late: the text has settled once it stays as it is.
async function settled(label, nth) {
    let [last, same] = ["", 0];
    for (let k = 0; k < 100 && same < 4; k++) {
        const now = found(label, nth)?.value;
        same = now === last ? same + 1 : 0;
        last = now;
        await rest(30);
    }
    return found(label, nth);
}
// Waits for a text to be shown.
async function shows(label, nth, text) {
    for (let k = 0; k < 200 && found(label, nth)?.value.trim() !== text; k++) await rest(50);
    return found(label, nth)?.value.trim() === text;
}
async function give_up(label, nth) {
    const at = found(label, nth);
    if (!at) return;
    at.focus();
    at.dispatchEvent(new KeyboardEvent("keydown", { key: "Escape", bubbles: true, cancelable: true }));
    await rest(20);
    at.blur();
    await rest(20);
}
const covered = (says) => {
    const box = says.getBoundingClientRect();
    const over = document.elementFromPoint(box.left + box.width / 2, box.top + box.height / 2);
    return box.width < 50 || box.top < 0 || box.bottom > innerHeight || !says.contains(over);
};
(async () => {
    const wrong = [];
    const seen = {};
    const all = words().map((e) => e.getAttribute("aria-label")).map((label) => [label, (seen[label] = (seen[label] ?? -1) + 1)]);
    for (const [label, nth] of all) {
        place = all.findIndex(([l, n]) => l === label && n === nth);
        const was = found(label, nth)?.value;
        for (const text of strange) {
            const short = text.length > 30 ? `${text.length} characters` : text;
            const at = await type(label, nth, text);
            if (!at) { wrong.push(`${label}: gone after ${short}`); break; }
            if (at.getAttribute("aria-invalid") === "true") {
                const says = document.getElementById(at.getAttribute("aria-describedby"));
                if (!says || says.textContent.trim().length < 8) wrong.push(`${label}: ${short} refused without a word`);
                else if (covered(says)) wrong.push(`${label}: what is said of ${short} is covered: ${says.textContent}`);
                if (at.value !== text) wrong.push(`${label}: ${short} was refused and is gone`);
                await give_up(label, nth);
                continue;
            }
            const shown = at.value;
            if (/NaN|undefined|Infinity|∞|null|\[object/.test(shown)) wrong.push(`${label}: ${short} is shown as ${shown}`);
            if (shown.trim() === "") continue;
            const again = await type(label, nth, shown + " ");
            if (again?.getAttribute("aria-invalid") === "true") {
                wrong.push(`${label}: ${short} was taken as ${shown}, which is refused`);
                await give_up(label, nth);
            } else if (again && !(await shows(label, nth, shown.trim()))) {
                wrong.push(`${label}: ${short} was taken as ${shown}, and that as ${again.value}`);
            }
        }
        if (found(label, nth) && found(label, nth).value !== was) await type(label, nth, was);
    }
    const fault = document.body.textContent.match(/stopped working|is broken/);
    if (fault) wrong.push(`the page says: ${fault[0]}`);
    done({ words: all.length, wrong });
})();
"#;

/// Tries every word of the page that is open, of which there are at least so many.
async fn every_word(b: &Browser, view: &str, least: usize) -> Result<()> {
    each_word(b, view, least, &strange()).await
}

/// Tries every word with some of what is typed.
async fn each_word(b: &Browser, view: &str, least: usize, texts: &[String]) -> Result<()> {
    b.script_until("return document.querySelectorAll('main input.word:not([role=combobox])').length", |n| {
        n.as_u64() >= Some(least as u64)
    })
    .await
    .with_context(|| format!("{view} has fewer than {least} words"))?;
    let found = b.page.execute_async(EVERY, vec![json!(texts)]).await.with_context(|| view.to_string())?;
    assert!(found["words"].as_u64() >= Some(least as u64) && found["wrong"] == json!([]), "{view}: {found:#}");
    Ok(())
}

#[tokio::test]
async fn words_of_rig_plan_and_run_are_taken_as_meant_or_refused_beside_them() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    let measure = json!({ "input": 7, "of": { "what": "rms" } });
    let rounds = json!({ "every_s": 600.0, "length_s": 5.0, "count": 3, "keep_newest": 2, "measures": [measure] });
    let (status, body) = r.plan_with(1, json!({ "rounds": rounds })).await?;
    assert_eq!(status, 200, "{body}");
    for (path, least) in [
        ("rig/check", 3),
        ("plan", 6),
        ("plan/speed", 5),
        ("plan/limits", 1),
        ("plan/rounds", 1),
        ("plan/dry-run", 1),
        ("run", 1),
    ] {
        b.page.goto(&format!("{}/{path}", r.url)).await?;
        every_word(&b, path, least).await?;
    }
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn words_of_every_lens_are_taken_as_meant_or_refused_beside_them() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/study/1?ch=7&b=0_2&z.frequency=0_1400", r.url)).await?;
    b.text_until("section[aria-label=Spectrum]", |t| t.contains("averages")).await?;
    for lens in
        ["Envelope", "Cepstrum", "Octave bands", "Level", "Response", "Distribution", "Rainflow", "Shock response"]
    {
        b.choose("Add a lens", lens).await?;
    }
    // Words of lenses are of few kinds, and each entry computes anew.
    let few: Vec<String> =
        strange().into_iter().filter(|t| ["abc", "-5", "2 kHz", "1.000,5"].contains(&t.as_str())).collect();
    each_word(&b, "lenses", 18, &few).await?;
    b.page.goto(&format!("{}/study/1?ch=7&b=0_2&bench=run-up+or+coast-down", r.url)).await?;
    b.choose("Add a lens", "Arrivals").await?;
    each_word(&b, "lenses that turn", 15, &few).await?;
    for (path, least) in [("study/1/computed", 2), ("study/1/machine", 5), ("report", 1)] {
        b.page.goto(&format!("{}/{path}", r.url)).await?;
        every_word(&b, path, least).await?;
    }
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn cells_of_the_rig_are_taken_as_meant_or_refused_with_their_reason() -> Result<()> {
    let r = Rigged::start().await?;
    let columns = [
        "on",
        "name",
        "point",
        "direction",
        "quantity",
        "sensor",
        "sensitivity",
        "sensitivity_unit",
        "coupling",
        "range_v",
        "high_pass_hz",
        "unit",
    ];
    let rig = r.get("/api/campaigns/1/rig").await?;
    for text in strange() {
        for column in columns {
            let cell = |text: &str| {
                json!({ "cells": [{ "input": 7, "column": column, "text": text }],
                "made_on": rig["version"], "try_only": true })
            };
            let (status, body) = r.call("POST", "/api/campaigns/1/rig/cells", Some(cell(&text))).await?;
            assert_eq!(status, 200, "{column} {text}: {body}");
            if let Some(refused) = body["refused"].get(0) {
                assert!(says(refused).len() > 8 && body["changed"] == json!([]), "{column} {text}: {body}");
            } else if let Some(changed) = body["changed"].get(0) {
                // As it is written in the table it can be typed again.
                let to = changed["to"].as_str().context("what it became")?;
                let (_, again) = r.call("POST", "/api/campaigns/1/rig/cells", Some(cell(to))).await?;
                assert!(again["refused"] == json!([]) && again["changed"][0]["to"] == to, "{column} {text}: {again}");
                assert!(!to.contains("NaN") && !to.contains("inf"), "{column} {text} became {to}");
            }
        }
    }
    Ok(())
}
