//! Requests generated from the API's own description: right in shape, strange in every value. Each gets an answer,
//! and none is a fault of the server.

use anyhow::{Context, Result};
use echo_browser_tests::Rigged;
use serde_json::{Map, Value, json};

/// Requests an operation.
const EACH: usize = 12;

/// Not these: they end what the test needs, or wait for a front end for long.
const LEFT_OUT: [&str; 5] = ["/capture/", "/front-ends/test", "/restart", "/reference/read", "/choose"];

/// A small generator of numbers: what it makes is the same each time.
struct Dice(u64);

impl Dice {
    fn below(&mut self, n: usize) -> usize {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) as usize % n.max(1)
    }

    fn one<T: Clone>(&mut self, of: &[T]) -> T {
        of[self.below(of.len())].clone()
    }
}

/// Values that have broken something somewhere.
fn number(dice: &mut Dice, whole: bool) -> Value {
    let small = [0, 1, 2, 7, 22, 1001];
    match dice.below(8) {
        0..=4 => json!(dice.one(&small)),
        5 => json!(dice.one(&[-1i64, 65_535, 65_536, i64::MAX, i64::MIN])),
        6 if !whole => json!(dice.one(&[0.5, 159.155, 1e-300, 1e300, -0.0])),
        _ => json!(dice.one(&[3, 64, 4096, 1_000_000])),
    }
}

fn text(dice: &mut Dice) -> Value {
    let long = "ü".repeat(5000);
    let all =
        ["", " ", "a", "gearbox top, vert", "m/s²", "\u{0}", "=1+1", "<b>&'\"", "../../etc", "1; DROP", long.as_str()];
    json!(dice.one(&all))
}

/// A value of a schema; deep ones are cut off.
fn of_schema(schema: &Value, api: &Value, dice: &mut Dice, deep: usize) -> Value {
    if deep > 7 || dice.below(40) == 0 {
        return dice.one(&[json!(null), json!([]), json!("words"), json!(-1)]);
    }
    if let Some(name) = schema["$ref"].as_str().and_then(|r| r.rsplit('/').next()) {
        return of_schema(&api["components"]["schemas"][name], api, dice, deep + 1);
    }
    for key in ["oneOf", "anyOf"] {
        if let Some(all) = schema[key].as_array() {
            let one = dice.one(all);
            return of_schema(&one, api, dice, deep + 1);
        }
    }
    if let Some(all) = schema["allOf"].as_array() {
        let parts = all.iter().map(|s| of_schema(s, api, dice, deep + 1));
        let objects = parts.filter_map(|v| v.as_object().cloned()).collect::<Vec<_>>();
        return Value::Object(objects.into_iter().flatten().collect::<Map<_, _>>());
    }
    if let Some(all) = schema["enum"].as_array().filter(|_| dice.below(12) > 0) {
        return dice.one(all);
    }
    let kind = match &schema["type"] {
        Value::Array(all) => dice.one(all),
        one => one.clone(),
    };
    match kind.as_str() {
        Some("string") => text(dice),
        Some("integer") => number(dice, true),
        Some("number") => number(dice, false),
        Some("boolean") => json!(dice.below(2) == 0),
        Some("array") => {
            let n = dice.one(&[0, 1, 1, 2, 3]);
            (0..n).map(|_| of_schema(&schema["items"], api, dice, deep + 1)).collect()
        }
        Some("null") => json!(null),
        _ => {
            let required = schema["required"].as_array().cloned().unwrap_or_default();
            let fields = schema["properties"].as_object().into_iter().flatten();
            let mut object: Map<String, Value> = Map::new();
            for (key, field) in fields {
                let needed = required.iter().any(|r| r == key);
                if dice.below(if needed { 30 } else { 2 }) > 0 {
                    object.insert(key.clone(), of_schema(field, api, dice, deep + 1));
                }
            }
            Value::Object(object)
        }
    }
}

/// The address of an operation with what it asks for filled in.
fn address(path: &str, operation: &Value, api: &Value, dice: &mut Dice) -> String {
    let mut filled = path.to_string();
    let mut query = Vec::new();
    for p in operation["parameters"].as_array().into_iter().flatten() {
        let name = p["name"].as_str().unwrap_or("");
        if p["in"] == "path" {
            let value =
                if dice.below(6) > 0 { "1".into() } else { dice.one(&["0", "-1", "99", "x", "%00"]).to_string() };
            filled = filled.replace(&format!("{{{name}}}"), &value);
        } else if p["required"] == true || dice.below(2) == 0 {
            let value = of_schema(&p["schema"], api, dice, 5);
            let value = value.as_str().map_or_else(|| value.to_string(), |s| s.chars().take(300).collect());
            let plain = |c: char| if c.is_ascii_alphanumeric() { c.to_string() } else { String::new() };
            query.push(format!("{name}={}", value.chars().map(plain).collect::<String>()));
        }
    }
    if query.is_empty() { filled } else { format!("{filled}?{}", query.join("&")) }
}

#[tokio::test]
async fn requests_of_the_right_shape_are_answered_whatever_they_hold() -> Result<()> {
    let r = Rigged::start().await?;
    let api = r.get("/api/openapi.json").await?;
    let mut dice = Dice(14);
    let (mut sent, mut good) = (0, 0);
    for (path, operations) in api["paths"].as_object().context("paths")? {
        if LEFT_OUT.iter().any(|p| path.contains(p)) {
            continue;
        }
        for (method, operation) in operations.as_object().context("operations")? {
            for _ in 0..EACH {
                let to = address(path, operation, &api, &mut dice);
                let schema = &operation["requestBody"]["content"]["application/json"]["schema"];
                let body = (!schema.is_null()).then(|| of_schema(schema, &api, &mut dice, 0));
                let asked = format!("{method} {to} with {}", body.as_ref().map_or(String::new(), Value::to_string));
                let (status, answer) = r.call(&method.to_uppercase(), &to, body).await.context(asked.clone())?;
                assert!(status < 500, "{asked}: {status} {answer}");
                // What is refused says what is allowed.
                let said = answer["says"].as_str().or(answer.as_str()).unwrap_or("");
                assert!(status < 400 || !said.is_empty(), "{asked}: {status} without a word");
                sent += 1;
                good += usize::from(status < 300);
            }
        }
    }
    // Enough of them get past the door to the rules behind it.
    assert!(sent > 1000 && good > 150, "{good} of {sent} were carried out");
    assert_eq!(r.get("/api/status").await?["store"], true, "the server is as it was");
    Ok(())
}
