//! Functions and shapes of a universal file become kept results, on the page and over the API.

use anyhow::{Context, Result};
use echo_browser_tests::browser::Browser;
use echo_browser_tests::{Rigged, says};
use echo_formats::uff::{
    Abscissa, Axis, AxisKind, Dataset, Direction, Function, FunctionKind, NodeDof, Ordinates, Shape, ShapeOf, Style,
    write,
};
use echo_signal::spectrum::Complex64;
use serde_json::{Value, json};

/// Responses of two points of a plate to one, their coherences, and two of its shapes as somebody else found them.
pub(crate) fn of_another_test() -> Vec<u8> {
    let dof = |node, direction| NodeDof {
        entity: String::new(),
        node,
        direction: Direction::new(direction).expect("a direction"),
    };
    let axis = |kind, unit: &str| Axis { kind, label: String::new(), unit: unit.into() };
    let function = |kind, node: u32, values| {
        let response = kind == FunctionKind::FrequencyResponse;
        let (above, below) = if response { (AxisKind::Acceleration, "N") } else { (AxisKind::Unknown, "") };
        Dataset::Function(Box::new(Function {
            kind,
            lines: std::array::from_fn(|_| "plate".to_string()),
            response: dof(node, 3),
            reference: dof(1, 3),
            abscissa_axis: axis(AxisKind::Frequency, "Hz"),
            ordinate: axis(above, if response { "m/s²" } else { "" }),
            denominator: axis(AxisKind::ExcitationForce, below),
            abscissa: Abscissa::Even { from: 10.0, step: 0.5 },
            values,
        }))
    };
    let response = |node: u32| {
        let one = |k: u32| Complex64::new(1.0 / (1.0 + f64::from(k)), f64::from(node));
        Ordinates::Complex((0..200).map(one).collect())
    };
    let coherence = || Ordinates::Real(vec![0.98; 200]);
    let shape = |number: u32, frequency_hz: f64, z: [f64; 2]| {
        let along = |z: f64| [Complex64::new(0.0, 0.0), Complex64::new(0.0, 0.0), Complex64::new(z, 0.0)];
        Dataset::Shape(Shape {
            lines: std::array::from_fn(|_| "plate, calculated".to_string()),
            of: ShapeOf::NormalMode { number, frequency_hz, mass: 1.0, damping_ratio: 0.012 },
            points: vec![(1, along(z[0])), (2, along(z[1]))],
        })
    };
    let all = [
        function(FunctionKind::FrequencyResponse, 1, response(1)),
        function(FunctionKind::FrequencyResponse, 2, response(2)),
        function(FunctionKind::Coherence, 2, coherence()),
        shape(1, 48.25, [1.0, -0.5]),
        shape(2, 131.5, [0.25, 1.0]),
    ];
    write(&all, Style::Binary)
}

#[tokio::test]
async fn functions_and_shapes_of_a_universal_file_become_kept_results() -> Result<()> {
    let r = Rigged::start().await?;
    let new = json!({ "specimen": "plate", "purpose": "modes", "with": { "from": "empty" } });
    let (_, made) = r.call("POST", "/api/campaigns", Some(new)).await?;
    let campaign = made.as_i64().with_context(|| format!("{made}"))?;
    let folder = tempfile::tempdir()?;
    let file = folder.path().join("plate.uff");
    std::fs::write(&file, of_another_test())?;

    // On the page, in a campaign without a single run.
    let b = Browser::open().await?;
    b.page.goto(&format!("{}/c/{campaign}/runs", r.url)).await?;
    b.press("Bring in recordings").await?;
    b.send("input[aria-label='Files to bring in']", file.to_str().context("a path")?).await?;
    let told = b.text_until("ul[aria-label='Results of plate.uff']", |t| t.contains("shapes of plate")).await?;
    assert!(told.contains("response of plate") && told.contains("3 curves"), "{told}");
    assert!(told.contains("2 curves over 2 degrees of freedom") && told.contains("stand still"), "{told}");
    b.press("Bring in").await?;
    b.text_until("section[aria-label='plate.uff']", |t| t.contains("its results")).await?;
    b.press_path("//section[@aria-label='plate.uff']//a[contains(., 'its results')]").await?;
    b.text_until("table[aria-label='Kept results']", |t| t.contains("from plate.uff")).await?;
    b.press_found("button[aria-label='Show response of plate of plate.uff']").await?;
    b.find("[aria-label='Kept results over each other'] .u-over").await?;
    b.press_found("button[aria-label='Show response of plate of plate.uff']").await?;
    b.press_found("button[aria-label='Show shapes of plate of plate.uff']").await?;
    let shapes = b.text_until("table[aria-label^='Shapes, shapes of plate']", |t| t.contains("2 Z")).await?;
    assert!(shapes.contains("48.25") && shapes.contains("131.5") && shapes.contains("1.2"), "{shapes}");
    b.page.clone().close().await?;

    // What is kept is what the file held, to the last bit of its binary values.
    let kept = r.get(&format!("/api/campaigns/{campaign}/kept-results")).await?;
    let all = kept.as_array().context("a list")?;
    let of = |name: &str| all.iter().find(|k| k["name"] == name).with_context(|| format!("{name} in {kept}"));
    let response = of("response of plate")?;
    assert!(response["stale"] == false && response["runs"] == json!([]), "{response}");
    let body = r.get(&format!("/api/kept-results/{}", response["id"])).await?;
    assert_eq!(body["traces"][1]["re"][3], json!(1.0 / 4.0));
    assert_eq!((&body["traces"][1]["unit"], &body["traces"][1]["name"]), (&json!("(m/s²)/N"), &json!("2 Z / 1 Z")));
    assert_eq!(body["made"]["input"], "plate.uff");
    // Nothing but the file can make it again.
    let again = json!({ "again": [response["id"]] });
    let path = format!("/api/campaigns/{campaign}/jobs/results");
    let (status, answer) = r.call("POST", &path, Some(again)).await?;
    assert!(status == 422 && says(&answer).contains("bring that file in again"), "{answer}");
    let found = r.get("/api/find?text=shapes%20plate.uff").await?;
    assert!(found[0]["run_id"] == Value::Null && found[0]["campaign_id"] == campaign, "{found}");
    Ok(())
}
