//! Recipes and formulas that are none, or ask for what cannot be: each gets a sentence, and none takes long.
//!
//! They are the corpus of the fuzz targets (`fuzz/`); what those find goes there.

use crate::common::provenance;
use echo_job::analysis::{Memory, analyze};
use echo_job::math::{Known, MathChannel, formulas};
use echo_job::recipe::Recipe;
use std::path::PathBuf;

fn texts(target: &str) -> Vec<String> {
    let folder = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("../../fuzz/corpus").join(target);
    let all = std::fs::read_dir(folder).unwrap().map(|f| std::fs::read(f.unwrap().path()).unwrap());
    all.map(|bytes| String::from_utf8_lossy(&bytes).into_owned()).collect()
}

#[test]
fn recipes_get_a_sentence_or_a_result() {
    let samples: Vec<f64> = (0..20_000).map(|i| f64::from(i % 97)).collect();
    let mut made = 0;
    for text in texts("recipe") {
        let Ok(recipe) = Recipe::from_json(&text) else { continue };
        let mut source = Memory::new(1000.0, vec![("a".into(), "V".into(), samples.clone())]);
        match analyze(&recipe, &mut source, provenance(), &mut |_| true) {
            Ok(_) => made += 1,
            Err(e) => assert!(e.to_string().len() > 10, "{text}: {e}"),
        }
    }
    assert!(made > 1, "some of them are good");
}

#[test]
fn formulas_get_a_sentence_or_values() {
    let known = ["a", "gearbox top"].map(|n| Known { name: n.into(), unit: "m/s²".into() });
    let samples = [0.5; 64];
    for text in texts("formula") {
        if let Ok(all) = formulas(&known, &[MathChannel { name: "f".into(), is: text.clone() }]) {
            let parts: Vec<&[f64]> = all[0].inputs().iter().map(|_| &samples[..]).collect();
            if let Ok(values) = all[0].values(&parts, 1000.0) {
                assert_eq!(values.len(), if parts.is_empty() { 0 } else { 64 }, "{text}");
            }
        }
    }
}
