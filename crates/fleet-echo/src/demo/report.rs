//! The report of the thruster's campaign.

use echo_job::report::Report;
use serde_json::{Value, json};

/// Words, figures and tables of what is recorded last.
pub(super) fn thruster_report() -> anyhow::Result<Value> {
    let spectrum = json!({ "lens": "spectrum", "channels": [7], "block": 32768 });
    let waveform = json!({ "lens": "waveform", "channels": [7], "reduce": "minmax", "points": 1200 });
    let levels = json!({ "lens": "statistics", "channels": [1, 3, 5, 7, 8] });
    let findings = "The gear mesh at *13 times* the input shaft stands out, with side lines at the output shaft's speed.\n\n\
                    Passes over the outer race of the input bearing repeat *3.57 times a turn*; {run} was recorded {day}.";
    let shows = [
        ("", json!({ "what": "head" })),
        ("Findings", json!({ "what": "text", "text": findings })),
        ("What was measured", json!({ "what": "facts" })),
        ("Spectrum, gearbox top", json!({ "what": "figure", "recipe": spectrum, "shown": [0.0, 1400.0] })),
        ("Waveform, gearbox top", json!({ "what": "figure", "recipe": waveform, "height": "low" })),
        ("Levels", json!({ "what": "table", "recipe": levels })),
        ("Cautions", json!({ "what": "cautions" })),
        ("Rig", json!({ "what": "rig" })),
        ("Put right afterwards", json!({ "what": "corrections" })),
        ("How each number was made", json!({ "what": "made" })),
        ("", json!({ "what": "signature", "names": ["Test engineer", "For the owner"] })),
    ];
    let block = |(k, (title, show)): (usize, (&str, Value))| json!({ "id": k + 1, "title": title, "show": show });
    let blocks: Vec<Value> = shows.into_iter().enumerate().map(block).collect();
    let report = Report::stored(json!({ "title": "Port thruster after overhaul", "blocks": blocks }))?;
    report.check().map_err(|e| anyhow::anyhow!("{}", e.says))?;
    Ok(serde_json::to_value(report)?)
}
