//! Every plot goes to files that open again: as picture, as drawing, as values.

use anyhow::{Context, Result};
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use echo_browser_tests::browser::{Browser, plain};
use echo_browser_tests::{Rigged, again_until};
use echo_formats::sheet;
use fantoccini::key::Key;
use serde_json::{Value, json};

/// Keeps what the page saves where a script can read it, instead of on the disk.
const CAUGHT: &str = "window.saved = [];
URL.createObjectURL = (blob) => {
  const reader = new FileReader();
  // As a text: bytes as a list of numbers take the driver a minute for a map.
  reader.onload = () => window.saved.push(reader.result.split(',')[1]);
  reader.readAsDataURL(blob);
  return 'about:blank';
};
HTMLAnchorElement.prototype.click = function () { window.savedAs = this.download; };";

/// Saves a plot through its menu and gives what would be in the file.
async fn saved(b: &Browser, label: &str, kind: &str) -> Result<Vec<u8>> {
    b.page.execute("window.saved = []", Vec::new()).await?;
    b.press_found(&format!("button[aria-label=\"Save or copy: {label}\"]")).await?;
    b.press_path(&format!("//*[@role='menu']//button[. = 'Save as {kind}']")).await?;
    let bytes = again_until(async || {
        let found = b.page.execute("return window.saved[0] ?? null", Vec::new()).await?;
        Ok(found.as_str().map(|text| STANDARD.decode(text)).transpose()?)
    });
    let failed = async || b.text_until("main", |_| true).await.unwrap_or_default();
    match bytes.await? {
        Some(bytes) => Ok(bytes),
        None => anyhow::bail!("{label} as {kind} is not saved: {}", failed().await),
    }
}

/// Labels of all plots of the page that can be saved.
async fn plots(b: &Browser) -> Result<Vec<String>> {
    let script = "return [...document.querySelectorAll('button[aria-label^=\"Save or copy: \"]')]
        .map((e) => e.getAttribute('aria-label').slice('Save or copy: '.length))";
    Ok(serde_json::from_value(b.page.execute(script, Vec::new()).await?)?)
}

/// Width and height a PNG tells of itself.
fn size(png: &[u8]) -> Result<(u32, u32)> {
    anyhow::ensure!(png.starts_with(b"\x89PNG\r\n\x1a\n") && png.ends_with(b"IEND\xaeB`\x82"), "no whole PNG");
    let at = |i: usize| Ok::<_, anyhow::Error>(u32::from_be_bytes(png[i..i + 4].try_into()?));
    Ok((at(16)?, at(20)?))
}

/// Saves each plot of the page in every way and opens it; gives the tables by their labels.
async fn all(b: &Browser, wanted: &[&str]) -> Result<Vec<(String, Vec<Vec<String>>)>> {
    b.page.execute(CAUGHT, Vec::new()).await?;
    let found = again_until(async || {
        let found = plots(b).await?;
        Ok(wanted.iter().all(|w| found.iter().any(|f| f == w)).then_some(found))
    });
    let found = match found.await? {
        Some(found) => found,
        None => anyhow::bail!("{wanted:?} are not all on the page, but {:?}", plots(b).await?),
    };
    let mut tables = Vec::new();
    for label in found {
        let (w, h) = size(&saved(b, &label, "PNG").await?).with_context(|| label.clone())?;
        assert!(w >= 600 && h >= 400, "{label} is {w} × {h}");
        let svg = String::from_utf8(saved(b, &label, "SVG").await?)?;
        assert!(svg.starts_with("<svg") && svg.trim_end().ends_with("</svg>"), "{label}: {}", &svg[..80]);
        let labels: Vec<&str> = svg.split("<text").skip(1).collect();
        // Labels alone: the packed pixels of a map may hold any three letters.
        assert!(labels.len() > 4 && labels.iter().all(|l| !l.contains("NaN")), "{label} is labelled {labels:?}");
        let rows = sheet::read(&saved(b, &label, "CSV").await?).with_context(|| label.clone())?;
        assert!(rows.len() > 2 && rows.iter().all(|r| r.len() == rows[0].len()), "{label} has {} rows", rows.len());
        tables.push((label, rows));
    }
    Ok(tables)
}

fn table<'a>(tables: &'a [(String, Vec<Vec<String>>)], label: &str) -> Result<&'a [Vec<String>]> {
    let found = tables.iter().find(|(l, _)| l == label).with_context(|| format!("no {label}"))?;
    Ok(&found.1)
}

#[tokio::test]
async fn plots_of_the_study_are_saved_and_open_again() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/study/1?ch=7,8&z.frequency=0_1400", r.url)).await?;
    b.text_until("section[aria-label=Spectrum]", |t| t.contains("averages")).await?;
    let of_all = all(&b, &["Waveform of the bracket", "Spectrum of the bracket"]).await?;
    // Every line of what is shown, and the mesh where it is built in: 13 teeth at 2690 rpm.
    let rows = table(&of_all, "Spectrum of the bracket")?;
    assert_eq!(rows[0], ["frequency, Hz", "gearbox top, vert: peak, m/s²", "gearbox top, athw: peak, m/s²"]);
    let read = |row: &Vec<String>| -> Result<(f64, f64)> { Ok((row[0].parse()?, row[1].parse()?)) };
    let lines = rows[1..].iter().map(read).collect::<Result<Vec<_>>>()?;
    assert!(lines.iter().all(|(hz, _)| (0.0..=1400.0).contains(hz)), "only what is shown");
    let mesh = lines.iter().filter(|(hz, _)| (500.0..700.0).contains(hz)).max_by(|a, b| a.1.total_cmp(&b.1));
    assert!(mesh.is_some_and(|(hz, v)| (hz - 13.0 * 2690.0 / 60.0).abs() < 4.0 && *v > 0.5), "{mesh:?}");
    let wave = table(&of_all, "Waveform of the bracket")?;
    assert_eq!(
        wave[0][1..3],
        ["gearbox top, vert: acceleration, m/s², smallest", "gearbox top, vert: acceleration, m/s², largest"]
    );

    b.choose("Bench", "run-up or coast-down").await?;
    let turning = all(&b, &["Speed of the bracket"]).await?;
    let speed = table(&turning, "Speed of the bracket")?;
    assert!(speed[1..].iter().all(|row| (row[1].parse::<f64>().unwrap_or(0.0) - 2690.0).abs() < 30.0), "{speed:?}");
    b.choose("Bench", "shaft").await?;
    let orbit = all(&b, &["Orbit"]).await?;
    assert!(table(&orbit, "Orbit")?.len() > 300);
    b.choose("Bench", "durability").await?;
    let durable = all(&b, &["Distribution of the bracket", "Ranges", "Shock response of the bracket"]).await?;
    let shares: f64 =
        table(&durable, "Distribution of the bracket")?[1..].iter().filter_map(|row| row[1].parse::<f64>().ok()).sum();
    assert!((shares - 1.0).abs() < 1e-6, "shares of time are all of it: {shares}");
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn maps_and_live_plots_are_saved_and_open_again() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/study/1?ch=7&z.frequency=0_1400", r.url)).await?;
    b.choose("Add a lens", "Spectrogram").await?;
    let maps = all(&b, &["Spectrogram of gearbox top, vert"]).await?;
    let rows = table(&maps, "Spectrogram of gearbox top, vert")?;
    assert!(rows[0][0].starts_with("time, s by frequency, Hz") && rows[0].len() > 100, "{:?}", rows[0][0]);
    // The line of the mesh is the largest of every moment between its neighbours.
    let column = |hz: f64| {
        let near = |c: &String| (c.parse::<f64>().unwrap_or(f64::NAN) - hz).abs();
        (1..rows[0].len()).min_by(|a, b| near(&rows[0][*a]).total_cmp(&near(&rows[0][*b]))).unwrap_or(1)
    };
    let (mesh, beside) = (column(582.8), column(700.0));
    let at = |row: &Vec<String>, c: usize| row[c].parse::<f64>().unwrap_or(f64::NAN);
    assert!(rows[1..].iter().all(|row| at(row, mesh) > 10.0 * at(row, beside)));

    b.page.goto(&format!("{}/run", r.url)).await?;
    b.choose("Add a display", "Waterfall").await?;
    b.choose("Add a display", "Orbit").await?;
    b.script_until(
        "return document.querySelectorAll('canvas[aria-label=Waterfall], canvas[aria-label=Orbit]').length",
        |n| *n == 2,
    )
    .await?;
    let live = all(&b, &["Live waveform", "Live spectrum", "Waterfall"]).await?;
    assert_eq!(table(&live, "Live spectrum")?[0][0], "frequency, Hz");
    b.page.goto(&format!("{}/rig/levels", r.url)).await?;
    b.text_until("main", |t| t.contains("Meter bridge")).await?;
    // Once levels are heard there is something to save.
    let levels = all(&b, &["Levels"]).await?;
    let levels = table(&levels, "Levels")?;
    assert!(levels.len() == 24 && levels[0][0] == "input", "a row for each of 23 channels: {levels:?}");
    r.by_hand(20, json!({ "do": "move", "motion": "calibrator", "hz": 159.155, "rms": 10.0 })).await?;
    b.page.goto(&format!("{}/rig/check?input=20", r.url)).await?;
    b.press_path("//button[. = 'Read a pair']").await?;
    b.find("[data-pair='1']").await?;
    all(&b, &["Readings against the reference"]).await?;
    let level = json!({ "when": "level", "input": 7, "level": 5.0, "unit": "m/s²" });
    let (status, body) = r.plan_with(1, json!({ "start": { "conditions": [level] } })).await?;
    assert_eq!(status, 200, "{body}");
    b.page.goto(&format!("{}/plan", r.url)).await?;
    b.press_path("//button[. = 'Try']").await?;
    all(&b, &["Where it would have fired"]).await?;
    b.page.goto(&format!("{}/plan/limits", r.url)).await?;
    all(&b, &["Trend"]).await?;
    b.page.clone().close().await?;
    Ok(())
}

/// Numbers beside the vertical axis of a saved drawing.
fn beside(svg: &str) -> Vec<f64> {
    let texts = svg.split("<text").skip(1).filter(|t| t.contains("text-anchor='end'"));
    texts.filter_map(|t| t.split('>').nth(1)?.split('<').next()?.replace('\u{2212}', "-").parse().ok()).collect()
}

#[tokio::test]
async fn an_axis_is_set_at_its_name() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/study/1?ch=7&z.frequency=0_1400", r.url)).await?;
    b.text_until("section[aria-label=Spectrum]", |t| t.contains("averages")).await?;
    b.page.execute(CAUGHT, Vec::new()).await?;
    b.press("Axis peak, m/s²: scale and limits").await?;
    let field = "input[aria-label='Limits of peak, m/s²']";
    b.refused(field, "5 to 1", "the range of peak must be two numbers, the lower first").await?;
    b.refused(field, "-3 to 1", "two numbers, the lower first").await?;
    b.refused(field, "1 to 20 kHz", "is a frequency, the range of peak is an acceleration").await?;
    b.word("Limits of peak, m/s²", "0.01 to 20").await?;
    b.choose_in("[aria-label='Settings of peak, m/s²']", "Scale", "linear").await?;
    b.keys(&Key::Escape.to_string()).await?;
    let svg = String::from_utf8(saved(&b, "Spectrum of the bracket", "SVG").await?)?;
    let numbers = beside(&svg);
    assert!(numbers.contains(&20.0) && numbers.contains(&10.0) && numbers.iter().all(|n| *n <= 20.0), "{numbers:?}");
    // It is the lens's own: there after a reload, and gone with its word.
    b.page.refresh().await?;
    b.press("Axis peak, m/s²: scale and limits").await?;
    b.value_until(field, |t| plain(t).contains("0.01000 to 20.00")).await?;
    b.word("Limits of peak, m/s²", "lowest to highest").await?;
    b.value_until(field, |t| t == "lowest to highest").await?;
    // Across: what is shown is the address, one step that goes back.
    b.press("Axis frequency, Hz: scale and limits").await?;
    b.word("Limits of frequency, Hz", "0.5 kHz to 0.7 kHz").await?;
    b.address_until(|a| a.contains("z.frequency=500_700")).await?;
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn a_plot_is_read_as_a_sentence_and_zoomed_by_keys_and_fingers() -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/study/1?ch=7&z.frequency=0_1400", r.url)).await?;
    let says = "return document.querySelector('[aria-label=\"Spectrum of the bracket\"]')?.ariaDescription";
    b.script_until(says, |s| {
        let s = plain(s.as_str().unwrap_or_default());
        s.contains("peak over frequency from 0 to 140") && s.contains("gearbox top, vert: highest")
    })
    .await?;
    b.send("[aria-label='Spectrum of the bracket']", "+").await?;
    b.address_until(|a| a.contains("z.frequency=") && !a.contains("z.frequency=0_1400")).await?;
    b.send("[aria-label='Spectrum of the bracket']", "-").await?;
    b.address_until(|a| a.contains("z.frequency=0_1400")).await?;
    // Two fingers that part: what they took hold of stays under them.
    let fingers = "const over = document.querySelector('[aria-label=\"Spectrum of the bracket\"] .u-over');
        const box = over.getBoundingClientRect();
        over.setPointerCapture = () => {};
        const at = (type, id, share) => over.dispatchEvent(new PointerEvent(type, { pointerId: id, pointerType: 'touch',
            clientX: box.left + box.width * share, clientY: box.top + 20, button: 0, bubbles: true }));
        at('pointerdown', 11, 0.4); at('pointerdown', 12, 0.6);
        at('pointermove', 11, 0.2); at('pointermove', 12, 0.8);
        at('pointerup', 11, 0.2); at('pointerup', 12, 0.8);";
    b.page.execute(fingers, Vec::new()).await?;
    let shown = |a: &str| -> Option<(f64, f64)> {
        let (low, high) = a.split("z.frequency=").nth(1)?.split('&').next()?.split_once('_')?;
        Some((low.parse().ok()?, high.parse().ok()?))
    };
    // 560 to 840 Hz over three fifths of the width: 467 Hz wide, about the same middle.
    b.address_until(|a| shown(a).is_some_and(|(l, h)| (l - 466.7).abs() < 15.0 && (h - 933.3).abs() < 15.0)).await?;
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn what_no_plot_can_be_is_refused_over_the_api() -> Result<()> {
    let r = Rigged::start().await?;
    let plot = |text: &str| -> Result<Value> { Ok(serde_json::from_str(text)?) };
    let good =
        r#"{"x":{"label":"t, s","values":[0,1]},"panes":[{"label":"a","curves":[{"name":"a","values":[1,null]}]}]}"#;
    for kind in ["svg", "csv", "tsv"] {
        let (status, body) = r.call("POST", &format!("/api/plots/{kind}"), Some(plot(good)?)).await?;
        assert_eq!(status, 200, "{kind}: {body}");
    }
    for (wrong, word) in [
        (good.replace("[1,null]", "[1]"), "1 values over 2 places"),
        (good.replace("\"panes\":[", "\"size\":[1,1],\"panes\":["), "200 × 100"),
    ] {
        let (status, body) = r.call("POST", "/api/plots/png", Some(plot(&wrong)?)).await?;
        assert!(status == 422 && body["says"].as_str().is_some_and(|s| s.contains(word)), "{body}");
    }
    Ok(())
}
