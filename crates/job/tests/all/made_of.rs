//! Whether a report comes out the same again, and recipes in words.

use echo_job::analysis::{Analysis, Memory, Provenance, analyze};
use echo_job::recipe::Recipe;
use echo_job::report::language::Language;
use echo_job::report::made_of::{CameOut, CountsDigest, Holds, OfChannel, OfCounts, OfRun};
use echo_job::report::recipe::in_words;
use serde_json::json;

fn result(scale: f64) -> Analysis {
    let tone = |k: usize| scale * (k as f64 * 0.2).sin() + if k == 700 { 0.5 } else { 0.0 };
    let mut source = Memory::new(1000.0, vec![("top".into(), "g".into(), (0..4096).map(tone).collect())]);
    let provenance = Provenance { at: String::new(), input: String::new(), fingerprint: None };
    let recipe = Recipe::from_json(r#"{"lens": "spectrum", "block": 512}"#).unwrap();
    analyze(&recipe, &mut source, provenance, &mut |_| true).unwrap()
}

#[test]
fn the_same_recipe_on_the_same_samples_comes_out_the_same_to_the_last_bit() {
    let then = CameOut::of(&result(1.0));
    assert_eq!(then.against(&CameOut::of(&result(1.0))), (Holds::Same, Vec::new()));
    // Written into a file and read again it is still the same.
    let read: CameOut = serde_json::from_str(&serde_json::to_string(&then).unwrap()).unwrap();
    assert_eq!(read, then);
    let (holds, says) = then.against(&CameOut::of(&result(1.0 + 1e-13)));
    assert_eq!((holds, says.len()), (Holds::Near, 0), "another processor's rounding");
    let (holds, says) = then.against(&CameOut::of(&result(1.001)));
    assert_eq!(holds, Holds::Differs);
    assert!(says[0].contains(" of top: rms ") && says.len() <= 5, "{says:?}");
}

#[test]
fn what_is_more_less_or_no_number_is_told() {
    let then = CameOut::of(&result(1.0));
    let mut now = then.clone();
    now.traces.clear();
    assert_eq!(then.against(&now).1[0], "0 curves and axes instead of 1");
    let number = |value| json!({ "name": "rms", "channel": 2, "unit": "g", "value": value });
    let with = |value| CameOut { numbers: vec![serde_json::from_value(number(value)).unwrap()], ..then.clone() };
    assert_eq!(with(json!(null)).against(&with(json!(null))).0, Holds::Same, "none is none again");
    let (holds, says) = with(json!(1.5)).against(&with(json!(null)));
    assert_eq!((holds, says[0].as_str()), (Holds::Differs, "rms of channel 2: NaN g instead of 1.5 g"));
    assert_eq!(with(json!(0.0)).against(&with(json!(1e-300))).0, Holds::Differs, "nothing is not nearly something");
}

#[test]
fn counts_are_told_by_the_bytes_that_a_campaign_file_holds() {
    let mut digest = CountsDigest::default();
    digest.push(0, &[1, -1]);
    digest.push(2, &[256]);
    digest.push(10, &[7]);
    let told = digest.finish();
    assert_eq!(told.stretches, [(0, 3), (10, 1)]);
    // sha256sum of 01000000 ffffffff 00010000 07000000.
    assert_eq!(told.sha256, "4d330cf011c52c0c1fb44ab08cd33d5455e00964726c333bf8404c4f76a20dd6");
}

fn run(sha256: &str, unit_per_count: f64) -> OfRun {
    let channel = OfChannel {
        channel: 7,
        row: json!({ "name": "top" }),
        sensitivity: json!({ "value": 100.0 * unit_per_count, "unit": "mV/g" }),
        unit_per_count,
        counts: Some(OfCounts { sha256: sha256.into(), stretches: vec![(0, 100)] }),
    };
    OfRun {
        number: 3,
        kind: "ramp".into(),
        started_at: chrono::DateTime::UNIX_EPOCH,
        samples: 100,
        sample_rate_hz: 1000.0,
        channels: vec![channel],
        corrections: Vec::new(),
    }
}

#[test]
fn why_a_result_differs_is_told_by_samples_and_sensitivities() {
    let then = run("aa", 1.0);
    assert!(then.against(&run("aa", 1.0), &[7]).is_empty());
    assert_eq!(
        then.against(&run("bb", 1.0), &[7]),
        ["the samples of channel 7 of run 3 are others: SHA-256 bb instead of aa"]
    );
    assert!(then.against(&run("bb", 1.0), &[8]).is_empty(), "nothing was made of that channel");
    let says = then.against(&run("aa", 0.5), &[7]);
    assert_eq!(says, ["the sensitivity of channel 7 of run 3 was put right since: 50.0 mV/g instead of 100.0 mV/g"]);
    let mut unread = run("aa", 1.0);
    unread.channels[0].counts = None;
    assert_eq!(then.against(&unread, &[7]), ["the samples of channel 7 of run 3 cannot be read"]);
    unread.channels.clear();
    unread.samples = 90;
    let says = then.against(&unread, &[7]);
    assert!(says[0].contains("90 samples at 1000 Hz instead of 100") && says[1].ends_with("is not there"), "{says:?}");
    let mut moved = run("aa", 1.0);
    moved.channels[0].counts.as_mut().unwrap().stretches[0].0 = 5;
    assert!(then.against(&moved, &[7])[0].contains("lie at other times"));
}

#[test]
fn a_recipe_is_told_in_words_with_channels_as_the_rig_calls_them() {
    let recipe = json!({ "lens": "order_track", "orders": [1.0, 2.5], "channels": [7, 9], "peaks": true, "zero_phase": false,
        "tacho": { "channel": 21, "pulses_per_turn": 60 }, "band_hz": [20.0, 1400.5], "stretch": { "from_s": 2.0, "to_s": 6.25 },
        "takes": null, "prepare": [{ "do": "highpass", "edge_hz": 10.0, "one_pass": false }], "window": "flat_top" });
    let named = |n: u32| (n != 9).then(|| format!("{} place {n}", n + 1));
    let says = in_words(&recipe, Language::English, &named).replace('\u{202f}', " ");
    let mut parts: Vec<&str> = says.split("; ").collect();
    assert_eq!(parts.remove(0), "order track");
    parts.sort_unstable();
    assert_eq!(
        parts,
        [
            "band 20 to 1400.5 Hz",
            "channels 8 place 7, 9",
            "not zero phase",
            "orders 1, 2.5",
            "peaks",
            "prepare highpass, edge 10 Hz, not one pass",
            "stretch from 2 s, to 6.25 s",
            "tacho channel 22 place 21, pulses per turn 60",
            "window flat top",
        ]
    );
    assert!(in_words(&recipe, Language::German, &named).contains("1400,5"));
    assert_eq!(in_words(&json!(null), Language::English, &named), "");
}
