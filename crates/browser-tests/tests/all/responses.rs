//! Responses that another program measured: brought in, compared, taken out, and the modes in them over the API; what
//! is not allowed is said.

use anyhow::{Context, Result};
use echo_browser_tests::{Rigged, again_until, says};
use echo_formats::uff::{
    Abscissa, Axis, AxisKind, Dataset, Direction, Function, FunctionKind, NodeDof, Ordinates, Style, write,
};
use serde_json::{Value, json};
use std::path::Path;

/// Where responses with known modes lie.
fn reference(name: &str) -> std::path::PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../signal/tests/reference").join(name)
}

/// The responses of the reference as a universal file, every `skip`th line of them.
fn universal(skip: usize) -> Result<Vec<u8>> {
    let (hz, traces) = echo_formats::functions::read(&reference("modal_frf.csv"))?;
    let axis = |kind, unit: &str| Axis { kind, label: String::new(), unit: unit.into() };
    let at = |node: Option<u32>| {
        let node = node.context("a numbered point")?;
        anyhow::Ok(NodeDof { entity: String::new(), node, direction: Direction::new(3).context("z")? })
    };
    let mut all = Vec::new();
    for t in &traces {
        let values = t.complex().context("complex values")?.iter().step_by(skip).copied().collect();
        all.push(Dataset::Function(Box::new(Function {
            kind: FunctionKind::FrequencyResponse,
            lines: std::array::from_fn(|_| "frame".to_string()),
            response: at(t.dof.as_ref().and_then(|d| d.number()))?,
            reference: at(t.reference_dof.as_ref().and_then(|d| d.number()))?,
            abscissa_axis: axis(AxisKind::Frequency, "Hz"),
            ordinate: axis(AxisKind::Acceleration, "m/s²"),
            denominator: axis(AxisKind::ExcitationForce, "N"),
            abscissa: Abscissa::Even { from: hz[0], step: (hz[1] - hz[0]) * skip as f64 },
            values: Ordinates::Complex(values),
        })));
    }
    Ok(write(&all, Style::Binary))
}

/// Brings a file in and waits until its responses are in the table.
async fn brought(r: &Rigged, campaign: i64, name: &str, bytes: Vec<u8>) -> Result<()> {
    let (status, sent) = r.send_bytes(&format!("/api/files?name={name}"), bytes).await?;
    anyhow::ensure!(status < 300, "{sent}");
    let wish = json!({ "file": sent["id"], "reading": {} });
    let path = format!("/api/campaigns/{campaign}/jobs/bring-in");
    let (status, body) = r.call("POST", &path, Some(wish)).await?;
    anyhow::ensure!(status < 300, "{body}");
    let there = again_until(async || {
        let all = r.get(&format!("/api/campaigns/{campaign}/functions")).await?;
        Ok(all["sets"].as_array().is_some_and(|s| s.iter().any(|s| s["source"] == name)).then_some(()))
    });
    there.await?.with_context(|| format!("{name} is not in the table"))
}

#[tokio::test]
async fn modes_of_responses_from_a_file_are_those_that_are_built_in() -> Result<()> {
    let r = Rigged::start().await?;
    let new = json!({ "specimen": "frame", "purpose": "modes", "with": { "from": "empty" } });
    let campaign = r.call("POST", "/api/campaigns", Some(new)).await?.1.as_i64().context("a key")?;
    let at = |rest: &str| format!("/api/campaigns/{campaign}/{rest}");
    brought(&r, campaign, "frame.uff", universal(1)?).await?;
    brought(&r, campaign, "coarse.uff", universal(2)?).await?;
    let table = r.get(&at("functions")).await?;
    let of = |source: &str| -> Vec<Value> {
        let all = table["functions"].as_array().into_iter().flatten();
        all.filter(|f| f["source"] == source).cloned().collect()
    };
    assert_eq!((of("frame.uff").len(), of("coarse.uff").len()), (18, 18), "{}", table["sets"]);
    let truth: Value = serde_json::from_str(&std::fs::read_to_string(reference("modal.json"))?)?;
    let wish = |recipe: Value| json!({ "set": { "source": "frame.uff" }, "recipe": recipe });
    let recipe = json!({ "lens": "modes", "band_hz": [20, 800] });
    let (status, body) = r.call("POST", &at("modes"), Some(wish(recipe.clone()))).await?;
    assert_eq!(status, 200, "{body}");
    let numbers = |name: &str| -> Vec<f64> {
        let all = body["analysis"]["numbers"].as_array().into_iter().flatten();
        all.filter(|n| n["name"] == name).filter_map(|n| n["value"].as_f64()).collect()
    };
    let built_in = |name: &str| -> Vec<f64> { serde_json::from_value(truth[name].clone()).unwrap_or_default() };
    let off = |found: Vec<f64>, built_in: Vec<f64>| {
        assert_eq!(found.len(), built_in.len());
        found.iter().zip(&built_in).map(|(a, b)| (a / b - 1.0).abs()).fold(0.0, f64::max)
    };
    assert!(off(numbers("frequency"), built_in("frequency_hz")) < 1e-4);
    assert!(off(numbers("damping_ratio"), built_in("damping_ratio")) < 0.01);
    // The specimen has no geometry, so that nothing can move; which points lack is told.
    assert_eq!(body["strange"].as_array().map(Vec::len), Some(9), "{}", body["strange"]);

    // What cannot be is said, each in its own words.
    let refused = async |body: Value| -> Result<String> {
        let (status, answer) = r.call("POST", &at("modes"), Some(body)).await?;
        assert_eq!(status, 422, "{answer}");
        Ok(says(&answer).to_string())
    };
    let empty = json!({ "lens": "modes", "band_hz": [330, 400], "max_order": 8, "lasts": 7 });
    assert!(refused(wish(empty)).await?.contains("no pole holds"));
    let far = json!({ "lens": "modes", "band_hz": [20, 800], "pick": [62.4, 333.0] });
    assert!(refused(wish(far)).await?.contains("no pole holds near 333 Hz"));
    let nobody = json!({ "lens": "modes", "band_hz": [20, 800], "references": ["7"] });
    assert!(refused(wish(nobody)).await?.contains("allowed: 1 z, 5 z"));
    assert!(refused(json!({ "set": { "source": "gone.uff" }, "recipe": recipe })).await?.contains("no responses"));
    assert!(refused(wish(json!({ "lens": "spectrum" }))).await?.contains("made of samples"));

    // One response is compared, taken out and missed by name; with its reference gone it fits again.
    let first = of("frame.uff")[0]["id"].clone();
    let curves = r.call("POST", &at("functions/curves"), Some(json!([first]))).await?.1;
    assert_eq!(curves["traces"].as_array().map(Vec::len), Some(1), "{}", curves["traces"][0]["name"]);
    assert_eq!(r.call("PUT", &at("functions"), Some(json!({ "functions": [first], "out": true }))).await?.0, 204);
    assert!(refused(wish(recipe.clone())).await?.contains("is missing"));
    let one = json!({ "lens": "modes", "band_hz": [20, 800], "references": ["5"] });
    let (status, body) = r.call("POST", &at("modes"), Some(wish(one))).await?;
    assert!(status == 200, "{body}");
    assert_eq!(r.call("PUT", &at("functions"), Some(json!({ "functions": [first], "out": false }))).await?.0, 204);
    // Deleted for good: these came with a file.
    let keys: Vec<Value> = of("coarse.uff").iter().map(|f| f["id"].clone()).collect();
    assert_eq!(r.call("POST", &at("functions/delete"), Some(json!(keys))).await?.0, 204);
    assert_eq!(r.get(&at("functions")).await?["sets"].as_array().map(Vec::len), Some(1));
    Ok(())
}

#[tokio::test]
async fn a_series_that_does_not_fit_is_refused_in_words() -> Result<()> {
    let r = Rigged::start().await?;
    let plan = |change: &dyn Fn(&mut Value)| {
        let mut plan = json!({ "roving": "response", "force": 1, "moving": [2, 3, 4],
            "points": [{ "point": "1", "direction": "" }], "hits": 3, "level_n": 20.0, "pre_s": 0.005, "length_s": 0.8,
            "band_hz": [40.0, 700.0], "least_coherence": 0.9 });
        change(&mut plan);
        plan
    };
    let refused = async |campaign: u32, plan: Value| -> Result<String> {
        let (status, answer) = r.call("POST", &format!("/api/campaigns/{campaign}/taps"), Some(plan)).await?;
        assert_eq!(status, 422, "{answer}");
        Ok(says(&answer).to_string())
    };
    assert!(
        refused(4, plan(&|p| (p["force"], p["moving"]) = (json!(2), json!([3, 4]))))
            .await?
            .contains("a hammer measures force")
    );
    assert!(refused(4, plan(&|p| p["moving"] = json!([9]))).await?.contains("input 9 is not on"));
    assert!(refused(4, plan(&|p| p["hits"] = json!(0))).await?.contains("1 to 100"));
    assert!(refused(4, plan(&|p| p["band_hz"] = json!([40.0, 9000.0]))).await?.contains("nothing above 6400 Hz"));
    assert!(refused(4, plan(&|p| p["length_s"] = json!(0.001))).await?.contains("cannot keep 0.005 s"));
    assert!(refused(4, plan(&|p| p["points"] = json!([]))).await?.contains("0 points"));
    assert!(refused(1, plan(&|_| ())).await?.contains("a hammer measures force"));
    let (status, body) = r.call("POST", "/api/campaigns/4/taps", Some(plan(&|_| ()))).await?;
    assert_eq!(status, 201, "{body}");
    // Another campaign is measured: its hits would belong to nobody.
    let (status, answer) = r.call("POST", &format!("/api/taps/{}/go", body["id"]), None).await?;
    assert!(status == 409 && says(&answer).contains("choose it first"), "{answer}");
    // A page that shows another campaign changes nothing of this one.
    let act = format!("/api/taps/{}/act", body["id"]);
    let (status, answer) = r.call_for("POST", &act, json!({ "act": "skip" }), "1").await?;
    assert!(status == 409 && says(&answer).contains("open it to change it"), "{answer}");
    let list = json!({ "first": { "point": "mast 08", "direction": "y" }, "count": 3, "step": 2 });
    let (_, points) = r.call("POST", "/api/taps/points", Some(list)).await?;
    assert_eq!(points[2], json!({ "point": "mast 12", "direction": "y" }));
    let (status, answer) = r
        .call(
            "POST",
            "/api/taps/points",
            Some(json!({ "first": { "point": "1", "direction": "" }, "count": 0, "step": 1 })),
        )
        .await?;
    assert!(status == 422 && says(&answer).contains("1 to 2000"), "{answer}");
    assert_eq!(r.call("DELETE", &format!("/api/taps/{}", body["id"]), None).await?.0, 204);
    Ok(())
}
