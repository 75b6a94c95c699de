//! Every main view can be used without eyes or hands on a mouse: no serious finding of axe-core on any of them.

use anyhow::{Context, Result};
use echo_browser_tests::browser::Browser;
use echo_browser_tests::{Rigged, again_until};
use serde_json::Value;

const RULES: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../web/node_modules/axe-core/axe.min.js");

/// Serious and critical findings of the page as it is now, in words.
async fn findings(b: &Browser, axe: &str) -> Result<Vec<String>> {
    b.page.execute(&format!("if (!window.axe) {{ {axe}; window.axe = axe; }}"), Vec::new()).await?;
    let run = "const done = arguments[arguments.length - 1];
        window.axe.run(document, { resultTypes: ['violations'] }).then(
          (r) => done(r.violations.filter((v) => ['serious', 'critical'].includes(v.impact))
            .map((v) => `${v.id}: ${v.nodes.slice(0, 3).map((n) => n.html.slice(0, 160)).join(' | ')}`)),
          (e) => done([String(e)]));";
    let found: Value = b.page.execute_async(run, Vec::new()).await?;
    serde_json::from_value(found).context("what axe-core says")
}

async fn looked_at(views: &[(&str, &str)], night: bool) -> Result<()> {
    let r = Rigged::start().await?;
    let b = Browser::open().await?;
    let axe = std::fs::read_to_string(RULES).context("axe-core comes with the page's packages: npm ci in web")?;
    if night {
        b.page.goto(&r.url).await?;
        b.page.execute("localStorage.setItem('colours', 'night')", Vec::new()).await?;
    }
    for (path, there) in views {
        b.page.goto(&format!("{}{path}", r.url)).await?;
        b.text_until("main", |t| t.contains(there)).await.with_context(|| (*path).to_string())?;
        let mut last = Vec::new();
        // What is still being loaded may not have its names yet.
        let clean = again_until(async || {
            last = findings(&b, &axe).await?;
            Ok(last.is_empty().then_some(()))
        });
        clean.await?.with_context(|| format!("{path}: {last:#?}"))?;
    }
    b.page.clone().close().await?;
    Ok(())
}

#[tokio::test]
async fn rig_and_plan_have_no_serious_finding() -> Result<()> {
    let views = [
        ("/rig", "gearbox top, vert"),
        ("/rig/sensors", "QA-31"),
        ("/rig/specimen", "motor, drive end"),
        ("/rig/front-ends", "Lantern"),
        ("/rig/levels", "Level"),
        ("/rig/check", "How it is checked"),
        ("/plan", "What follows"),
        ("/plan/rounds", "Rounds"),
        ("/plan/limits", "Watched quantities"),
        ("/plan/speed", "pulse"),
        ("/plan/dry-run", "Try the plan"),
    ];
    looked_at(&views, false).await
}

#[tokio::test]
async fn run_study_and_report_have_no_serious_finding() -> Result<()> {
    let views = [
        ("/run", "Waveform"),
        ("/study/1?ch=7,8", "averages"),
        ("/study/1/events", "no takes"),
        ("/study/1/results", "Results"),
        ("/study/1/computed", "Computed channels"),
        ("/study/1/machine", "Elements of the machine"),
        ("/report", "What it says"),
        ("/c/1/runs", "51.2"),
        ("/c/1/changes", "Changes"),
        ("/campaigns", "Begin a campaign"),
        ("/people", "Tokens"),
        ("/help/coast-down", "Let it coast down"),
        ("/help/keys", "Everywhere"),
    ];
    looked_at(&views, false).await
}

#[tokio::test]
async fn night_has_no_serious_finding_either() -> Result<()> {
    looked_at(&[("/rig", "gearbox top, vert"), ("/run", "Waveform"), ("/study/1?ch=7,8", "averages")], true).await
}
