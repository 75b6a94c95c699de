//! Recipes as text: every key of every lens, its default, and what is said of a wrong one.

use echo_job::recipe::{LENSES, Lens, Recipe};
use serde_json::{Value, json};

/// The least each lens needs.
fn least(lens: &str) -> Value {
    let mut r = json!({ "lens": lens });
    match lens {
        "envelope" => r["band_hz"] = json!([100, 200]),
        "speed" | "order_map" | "order_track" | "orbit" => r["tacho"] = json!({ "channel": 2 }),
        "deflection" => {
            r["reference"] = json!(1);
            r["frequency_hz"] = json!(50);
        }
        _ => {}
    }
    r
}

fn refused(r: Value) -> (String, String) {
    let e = Recipe::from_value(r.clone()).expect_err(&r.to_string());
    (e.field, e.says)
}

#[test]
fn every_lens_reads_its_least_and_writes_all_its_settings() {
    for lens in LENSES {
        let recipe = Recipe::from_value(least(lens)).unwrap();
        assert_eq!(&recipe.lens.name(), lens);
        let full = serde_json::to_value(&recipe).unwrap();
        assert_eq!(full["lens"], *lens);
        assert_eq!((&full["prepare"], &full["integrate_above_hz"]), (&json!([]), &json!(2.0)));
        assert_eq!(Recipe::from_value(full.clone()).unwrap(), recipe, "{lens} read back");
        // Each key it writes is one it reads, and none beside.
        let mut more = full;
        more["colour"] = json!("red");
        let (field, says) = refused(more);
        assert!(field.contains("colour") || says.contains("colour"), "{lens}: {says}");
    }
}

#[test]
fn every_key_of_every_lens_refuses_what_it_cannot_be() {
    for lens in LENSES {
        let full = serde_json::to_value(Recipe::from_value(least(lens)).unwrap()).unwrap();
        for (key, value) in full.as_object().unwrap() {
            let wrong = match value {
                Value::Number(_) | Value::Bool(_) => json!("much"),
                Value::String(_) => json!(["none such"]),
                Value::Array(_) => json!("all"),
                _ => json!(7),
            };
            let mut r = full.clone();
            // A reference may be a number or a list; words it cannot be.
            r[key] = wrong;
            let (field, says) = refused(r);
            assert!(field.starts_with(key.as_str()), "{lens}, {key}: field {field}, {says}");
            assert!(says.len() > 10 && !says.contains('\n'), "{says}");
        }
    }
}

#[test]
fn wrong_words_are_told_with_the_right_ones() {
    for (r, field, wanted) in [
        (json!({ "lens": "spectrum", "window": "hat" }), "window", "flat_top"),
        (json!({ "lens": "spectrum", "scaling": "loud" }), "scaling", "psd"),
        (json!({ "lens": "octave", "averaging": "brisk" }), "averaging", "slow"),
        (json!({ "lens": "response", "estimator": "h3" }), "estimator", "hv"),
        (json!({ "lens": "rainflow", "residue": "eat" }), "residue", "repeat"),
        (json!({ "lens": "shock", "take": "all" }), "take", "maximax"),
        (json!({ "lens": "arrivals", "pick": "guess" }), "pick", "aic"),
        (json!({ "lens": "level", "detector": "ear" }), "detector", "peak"),
        (json!({ "lens": "distribution", "as": "words" }), "as", "relative"),
        (json!({ "lens": "distribution", "kind": "mood" }), "kind", "level_crossing"),
        (json!({ "lens": "speed", "tacho": { "channel": 1, "slope": "up" } }), "tacho.slope", "falling"),
        (json!({ "lens": "waveform", "prepare": [{ "do": "wash" }] }), "prepare", "bandstop"),
        (
            json!({ "lens": "waveform", "prepare": [{ "do": "lowpass", "edge_hz": 3, "design": "sharp" }] }),
            "prepare",
            "bessel",
        ),
        (json!({ "lens": "spectrogram", "interval_s": 0 }), "interval_s", "above 0"),
        (json!({ "lens": "speed", "tacho": { "channel": 0 } }), "tacho.channel", "from 1"),
        (json!({ "lens": "order_track", "tacho": { "channel": 1 }, "orders": [0] }), "orders", "above 0"),
        (json!({ "lens": "envelope", "band_hz": [0, 5] }), "band_hz", "lower edge above 0"),
        (json!({ "lens": "waveform", "channels": [] }), "channels", "numbers from 1"),
        (json!({ "lens": "waveform", "channels": [1, 1] }), "channels", "each once"),
        (json!({ "lens": "waveform", "stretch": { "from_s": -1, "to_s": 2 } }), "stretch", "0 or more"),
        (json!([1]), "recipe", "one object"),
        (json!({ "lens": 5 }), "lens", "order_track"),
    ] {
        let (got, says) = refused(r.clone());
        assert!(got.starts_with(field) && says.contains(wanted), "{r}: {got}: {says}");
    }
}

#[test]
fn hits_are_neither_weighted_nor_overlapped_unless_told() {
    let read = |r: Value| match Recipe::from_value(r).unwrap().lens {
        Lens::Response(s) => (serde_json::to_value(s.window).unwrap(), s.overlap),
        other => panic!("{other:?}"),
    };
    assert_eq!(read(json!({ "lens": "response" })), (json!("hann"), 0.5));
    assert_eq!(read(json!({ "lens": "response", "force_window": { "length_s": 0.01 } })), (json!("rectangular"), 0.0));
    assert_eq!(
        read(
            json!({ "lens": "response", "exponential_window": { "decay_s": 0.5 }, "window": "hamming", "overlap": 0.25 })
        ),
        (json!("hamming"), 0.25)
    );
}

proptest::proptest! {
    #[test]
    fn no_json_makes_the_reader_panic(
        lens in proptest::sample::select(LENSES.to_vec()),
        key in "[a-z_]{1,12}",
        number in proptest::num::f64::ANY,
        text in "\\PC{0,20}",
    ) {
        for value in [json!(number), json!(text), json!([number, text]), json!({ "channel": number, "do": text }), Value::Null] {
            let mut r = least(lens);
            r[&key] = value.clone();
            let _ = Recipe::from_value(r);
            for known in ["tacho", "prepare", "stretch", "edges", "reference", "zoom", "force_window", "orders", "sensitivities", "math"] {
                let mut r = least(lens);
                r[known] = value.clone();
                if let Err(e) = Recipe::from_value(r) {
                    proptest::prop_assert!(!e.says.is_empty() && !e.field.is_empty());
                }
            }
        }
    }
}
