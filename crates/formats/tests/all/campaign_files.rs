//! Campaign files written and read back; what is damaged, foreign or too much is refused.

use echo_formats::FormatError;
use echo_formats::campaign_file::{CONTENTS, CampaignIn, CampaignOut};
use proptest::prelude::*;
use serde_json::{Value, json};
use std::io::{Cursor, Read, Write};
use zip::write::{SimpleFileOptions, ZipWriter};

fn written(counts: &[i32]) -> Vec<u8> {
    let mut out = CampaignOut::new(Cursor::new(Vec::new()));
    out.json("campaign.json", &json!({ "name": "Fähre “quay”" })).unwrap();
    out.begin("runs/0001/channel-001.i32").unwrap();
    // In pieces that do not fit those of the reader.
    counts.chunks(77).for_each(|c| out.counts(c).unwrap());
    out.json("runs/0001/run.json", &json!({ "number": 1 })).unwrap();
    out.finish().unwrap().into_inner()
}

fn opened(bytes: &[u8]) -> Result<CampaignIn<Cursor<Vec<u8>>>, String> {
    CampaignIn::open(Cursor::new(bytes.to_vec()), bytes.len() as u64).map_err(|e| e.to_string())
}

fn counts(file: &mut CampaignIn<Cursor<Vec<u8>>>) -> Result<Vec<i32>, FormatError> {
    let mut out = Vec::new();
    file.each("runs/0001/channel-001.i32", |piece| {
        let (whole, rest) = piece.as_chunks::<4>();
        assert!(rest.is_empty(), "pieces end with whole counts");
        out.extend(whole.iter().map(|b| i32::from_le_bytes(*b)));
        Ok::<_, FormatError>(())
    })?;
    Ok(out)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]
    #[test]
    fn counts_come_back(data in prop::collection::vec(any::<i32>(), 0..5000)) {
        let mut file = opened(&written(&data)).unwrap();
        prop_assert_eq!(counts(&mut file).unwrap(), data);
    }

    #[test]
    fn no_change_of_a_byte_goes_unnoticed_or_breaks_the_reader(at in 0usize..100_000, by in 1u8..=255) {
        let data: Vec<i32> = (0..300).map(|k| k * 7919).collect();
        let mut bytes = written(&data);
        let at = at % bytes.len();
        bytes[at] ^= by;
        let Ok(mut file) = opened(&bytes) else { return Ok(()) };
        // Bytes that neither the counts nor their sums hang on may change: dates, attributes, words of a head.
        if let Ok(read) = counts(&mut file) {
            prop_assert_eq!(read, data);
        }
    }
}

#[test]
fn a_large_entry_comes_back_in_pieces() {
    let data: Vec<i32> = (0..400_000i64).map(|k| ((k * k) % 8_388_607) as i32).collect();
    let mut file = opened(&written(&data)).unwrap();
    assert_eq!(counts(&mut file).unwrap(), data);
    assert_eq!(file.names(), ["campaign.json", "runs/0001/channel-001.i32", "runs/0001/run.json"]);
    assert!(file.bytes() > 1_600_000);
    let campaign: Value = file.json("campaign.json").unwrap();
    assert_eq!(campaign["name"], "Fähre “quay”");
}

/// The same file with entries as `change` makes them.
fn changed(bytes: &[u8], change: impl Fn(&str, Vec<u8>) -> Vec<(String, Vec<u8>)>) -> Vec<u8> {
    let mut from = zip::ZipArchive::new(Cursor::new(bytes)).unwrap();
    let mut to = ZipWriter::new(Cursor::new(Vec::new()));
    for i in 0..from.len() {
        let mut entry = from.by_index(i).unwrap();
        let (name, mut body) = (entry.name().unwrap().to_string(), Vec::new());
        entry.read_to_end(&mut body).unwrap();
        for (name, body) in change(&name, body) {
            to.start_file(name, SimpleFileOptions::default()).unwrap();
            to.write_all(&body).unwrap();
        }
    }
    to.finish().unwrap().into_inner()
}

/// The same file with another list of its contents.
fn told(bytes: &[u8], change: impl Fn(&mut Value)) -> Vec<u8> {
    changed(bytes, |name, body| {
        let body = if name == CONTENTS {
            let mut list: Value = serde_json::from_slice(&body).unwrap();
            change(&mut list);
            serde_json::to_vec(&list).unwrap()
        } else {
            body
        };
        vec![(name.to_string(), body)]
    })
}

#[test]
fn what_is_no_campaign_file_is_told() {
    let good = written(&[1, 2, 3]);
    let refused = |bytes: &[u8]| opened(bytes).err().unwrap_or_default();
    assert!(refused(b"").contains("no ZIP file"));
    assert!(refused(&good[..good.len() - 30]).contains("no ZIP file, or is cut off"));
    let pictures = changed(&good, |name, body| if name == CONTENTS { Vec::new() } else { vec![(name.into(), body)] });
    assert!(refused(&pictures).contains("has no contents.json"));
    assert!(refused(&told(&good, |c| c["format"] = json!("else"))).contains("says that it is “else”"));
    assert!(
        refused(&told(&good, |c| c["version"] = json!(2)))
            .contains("is of version 2; this program reads up to version 1")
    );
    assert!(refused(&told(&good, |c| c["entries"] = json!("none"))).contains("cannot be read"));
    for name in ["../out", "/etc/passwd", "a//b", "a\\b", "a/../b", "."] {
        let named = told(&good, |c| c["entries"][name] = json!({ "bytes": 1, "sha256": "" }));
        assert!(refused(&named).contains("outside its folder"), "{name}");
    }
    let more = told(&good, |c| c["entries"]["runs/0002/run.json"] = json!({ "bytes": 1, "sha256": "" }));
    assert!(refused(&more).contains("lacks the entry runs/0002/run.json"));
    let bomb = told(&good, |c| c["entries"]["campaign.json"]["bytes"] = json!(1u64 << 40));
    assert!(refused(&bomb).contains("no campaign packs as well as that"));
}

#[test]
fn what_an_entry_holds_is_held_against_its_sum_and_size() {
    let good = written(&[1, 2, 3]);
    let says = |bytes: &[u8]| counts(&mut opened(bytes).unwrap()).unwrap_err().to_string();
    let channel = |name: &str| name.ends_with(".i32");
    let with = |body: fn(Vec<u8>) -> Vec<u8>| {
        changed(&good, move |name, old| vec![(name.to_string(), if channel(name) { body(old) } else { old })])
    };
    let other = with(|mut b| {
        b[0] = 9;
        b
    });
    assert!(says(&other).contains("its checksum is not the one that was written"));
    assert!(says(&with(|b| b[..8].to_vec())).contains("checksum"));
    assert!(says(&with(|b| [&b[..], &[0; 8][..]].concat())).contains("more than the 12 bytes it should have"));
    let mut file = opened(&good).unwrap();
    assert!(file.json::<Value>("runs/0001/channel-001.i32").is_err(), "counts are no JSON");
    assert!(file.json::<Value>("nothing").unwrap_err().to_string().contains("lacks the entry nothing"));
}

#[test]
fn what_a_sink_says_is_passed_on() {
    let mut file = opened(&written(&[1, 2, 3])).unwrap();
    #[derive(Debug)]
    enum Mine {
        Enough,
        File,
    }
    impl From<FormatError> for Mine {
        fn from(_: FormatError) -> Mine {
            Mine::File
        }
    }
    assert!(matches!(file.each("campaign.json", |_| Err(Mine::Enough)), Err(Mine::Enough)));
    assert!(matches!(file.each("none", |_| Err(Mine::Enough)), Err(Mine::File)));
}
