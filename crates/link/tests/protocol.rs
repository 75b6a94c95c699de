//! What goes over the wire, held to docs/front-end-link.md: another maker's front end must be able
//! to rely on these bytes.

use bytes::{Bytes, BytesMut};
use echo_link::{
    Answer, AnswerBody, Block, BlockHead, Circuit, Coupling, FULL_SCALE, Frame, FrameCodec, Identity, InputOffer,
    InputSetting, LinkError, Notice, Request, RequestBody, Settings, Wave,
};
use proptest::prelude::*;
use serde_json::json;
use tokio_util::codec::{Decoder, Encoder};

fn wire(frame: Frame) -> BytesMut {
    let mut bytes = BytesMut::new();
    FrameCodec.encode(frame, &mut bytes).unwrap();
    bytes
}

fn settings() -> Settings {
    Settings {
        rate_hz: 51_200.0,
        inputs: vec![
            InputSetting { number: 7, range_v: 5.0, coupling: Coupling::Iepe, high_pass_hz: 0.0, supply_v: 0.0 },
            InputSetting { number: 22, range_v: 10.0, coupling: Coupling::Dc, high_pass_hz: 10.0, supply_v: 0.0 },
        ],
    }
}

#[test]
fn messages_have_the_form_the_description_gives() {
    for (body, wanted) in [
        (RequestBody::Identify, json!({ "id": 3, "ask": "identify" })),
        (RequestBody::Settings, json!({ "id": 3, "ask": "settings" })),
        (RequestBody::Start { at_ns: None }, json!({ "id": 3, "ask": "start" })),
        (RequestBody::Start { at_ns: Some(7) }, json!({ "id": 3, "ask": "start", "at_ns": 7 })),
        (RequestBody::State, json!({ "id": 3, "ask": "state" })),
        (RequestBody::SelfTest { inputs: vec![2] }, json!({ "id": 3, "ask": "self_test", "inputs": [2] })),
        (RequestBody::Restart, json!({ "id": 3, "ask": "restart" })),
        (RequestBody::Memories, json!({ "id": 3, "ask": "memories" })),
        (
            RequestBody::WriteMemory { input: 4, memory: "00ff".into() },
            json!({ "id": 3, "ask": "write_memory", "input": 4, "memory": "00ff" }),
        ),
        (
            RequestBody::Output { hz: 80.0, peak_v: 0.5, wave: Wave::Sine },
            json!({ "id": 3, "ask": "output", "hz": 80.0, "peak_v": 0.5 }),
        ),
        (RequestBody::Stop, json!({ "id": 3, "ask": "stop" })),
        (
            RequestBody::Apply { settings: settings() },
            json!({ "id": 3, "ask": "apply", "settings": { "rate_hz": 51200.0, "inputs": [
                { "number": 7, "range_v": 5.0, "coupling": "IEPE" }, { "number": 22, "range_v": 10.0, "coupling": "DC", "high_pass_hz": 10.0 } ] } }),
        ),
    ] {
        let request = Request { id: 3, body };
        assert_eq!(serde_json::to_value(&request).unwrap(), wanted);
        assert_eq!(serde_json::from_value::<Request>(wanted).unwrap(), request);
    }
    let refused = Answer { id: 9, body: AnswerBody::Refused("too hot".into()) };
    assert_eq!(serde_json::to_value(&refused).unwrap(), json!({ "id": 9, "refused": "too hot" }));
    let plain: Answer = serde_json::from_value(json!({ "id": 9 })).unwrap();
    assert_eq!(plain, Answer { id: 9, body: AnswerBody::Done });
    let two = serde_json::from_value::<Answer>(json!({ "id": 9, "refused": "too hot", "memories": [] }));
    assert!(two.unwrap_err().to_string().contains("says two things"));
    for (notice, wanted) in [
        (Notice::Stopping { says: "battery empty".into() }, json!({ "notice": "stopping", "says": "battery empty" })),
        (Notice::Dropped { blocks: 4 }, json!({ "notice": "dropped", "blocks": 4 })),
        (
            Notice::Plugged(echo_link::Memory { input: 3, memory: "ff".into() }),
            json!({ "notice": "plugged", "input": 3, "memory": "ff" }),
        ),
        (Notice::Unplugged { input: 3 }, json!({ "notice": "unplugged", "input": 3 })),
    ] {
        assert_eq!(serde_json::to_value(&notice).unwrap(), wanted);
    }
    let identity = Identity {
        model: "Lantern 24".into(),
        serial: "L24-0117".into(),
        firmware: "1.2".into(),
        rates_hz: vec![1024.0, 51_200.0],
        clean_share: 0.4,
        converter_bits: 24,
        keeps_bytes: 0,
        inputs: vec![InputOffer {
            number: 1,
            module: "A".into(),
            ranges_v: vec![0.1, 10.0],
            couplings: vec![Coupling::Dc, Coupling::Ac, Coupling::Iepe],
            high_pass_hz: vec![],
            supplies_v: vec![],
        }],
    };
    let text = serde_json::to_string(&identity).unwrap();
    assert!(text.contains(r#""couplings":["DC","AC","IEPE"]"#), "{text}");
    assert_eq!(serde_json::from_str::<Identity>(&text).unwrap(), identity);
}

#[test]
fn a_block_has_the_bytes_the_description_gives() {
    let head = BlockHead {
        sequence: 0x0102,
        first_sample: 4096,
        clock_ns: 80_000_000,
        clock_locked: true,
        samples: 2,
        inputs: vec![7, 260],
        over: vec![false, true],
        circuits: vec![Circuit::Short, Circuit::Open],
    };
    let block = Block::new(head.clone(), &[vec![1, -1], vec![FULL_SCALE, -FULL_SCALE - 1]]).unwrap();
    let bytes = wire(Frame::Block(block.clone()));
    // After the frame's head of 12 bytes: counters, then inputs, then three bytes a count.
    let payload = &bytes[12..];
    assert_eq!(&payload[..10], [2, 1, 0, 0, 0, 0, 0, 0, 0, 16]);
    assert_eq!(&payload[24..32], [2, 0, 0, 0, 2, 0, 1, 0]);
    assert_eq!(&payload[32..40], [7, 0, 0, 2, 4, 1, 1, 1]);
    assert_eq!(&payload[40..], [1, 0, 0, 255, 255, 255, 255, 255, 127, 0, 0, 128]);
    let mut bytes = bytes;
    let Some(Frame::Block(back)) = FrameCodec.decode(&mut bytes).unwrap() else { panic!("no block") };
    assert_eq!(back.head(), &head);
    let mut counts = Vec::new();
    back.counts_into(1, &mut counts);
    assert_eq!(counts, [FULL_SCALE, -FULL_SCALE - 1]);
}

#[test]
fn blocks_that_do_not_fit_their_head_are_refused() {
    let head = |inputs: Vec<u16>, over: Vec<bool>, samples| BlockHead {
        sequence: 0,
        first_sample: 0,
        clock_ns: 0,
        clock_locked: false,
        samples,
        circuits: vec![Circuit::InOrder; over.len()],
        inputs,
        over,
    };
    assert!(Block::new(head(vec![1, 2], vec![false, false], 2), &[vec![0, 0]]).is_err());
    assert!(Block::new(head(vec![1], vec![false], 3), &[vec![0, 0]]).is_err());
    assert!(Block::new(head(vec![1], vec![], 2), &[vec![0, 0]]).is_err());
    let untold = BlockHead { circuits: vec![], ..head(vec![1], vec![false], 2) };
    assert!(Block::new(untold, &[vec![0, 0]]).is_err());
    let whole = wire(Frame::Block(Block::new(head(vec![1], vec![false], 2), &[vec![5, 6]]).unwrap()));
    let payload = Bytes::copy_from_slice(&whole[12..]);
    assert!(Block::from_payload(payload.clone()).is_ok());
    for length in 0..payload.len() {
        assert!(matches!(Block::from_payload(payload.slice(..length)), Err(LinkError::Unreadable(_))), "{length}");
    }
    // A head that promises more than any memory holds is refused before anything is taken for it.
    let mut huge = payload.to_vec();
    huge[24..28].copy_from_slice(&u32::MAX.to_le_bytes());
    huge[28..30].copy_from_slice(&u16::MAX.to_le_bytes());
    assert!(Block::from_payload(Bytes::from(huge)).is_err());
}

proptest! {
    #[test]
    fn counts_come_back(
        counts in prop::collection::vec(prop::collection::vec(-FULL_SCALE - 1..=FULL_SCALE, 17), 1..9),
        sequence in any::<u64>(), first_sample in any::<u64>(), clock_ns in any::<u64>(), clock_locked in any::<bool>(),
        cut in 0usize..200,
    ) {
        let n = counts.len();
        let head = BlockHead {
            sequence, first_sample, clock_ns, clock_locked, samples: 17,
            inputs: (1..=n as u16).collect(), over: (0..n).map(|i| i % 2 == 0).collect(),
            circuits: (0..n).map(|i| [Circuit::InOrder, Circuit::Open, Circuit::Short][i % 3]).collect(),
        };
        let mut bytes = wire(Frame::Block(Block::new(head.clone(), &counts).unwrap()));
        // However the wire cuts it, and whatever follows.
        let rest = bytes.split_off(cut.min(bytes.len()));
        let early = FrameCodec.decode(&mut bytes).unwrap();
        bytes.extend_from_slice(&rest);
        bytes.extend_from_slice(&wire(Frame::Request(Request { id: 1, body: RequestBody::Stop })));
        let block = match early {
            Some(Frame::Block(b)) => b,
            _ => match FrameCodec.decode(&mut bytes).unwrap() {
                Some(Frame::Block(b)) => b,
                other => panic!("{other:?}"),
            },
        };
        prop_assert_eq!(block.head(), &head);
        for (i, wanted) in counts.iter().enumerate() {
            let mut got = Vec::new();
            block.counts_into(i, &mut got);
            prop_assert_eq!(&got, wanted);
        }
        let stop = Frame::Request(Request { id: 1, body: RequestBody::Stop });
        prop_assert_eq!(FrameCodec.decode(&mut bytes).unwrap(), Some(stop));
    }

    #[test]
    fn no_bytes_make_the_reader_panic(noise in prop::collection::vec(any::<u8>(), 0..200)) {
        let mut bytes = BytesMut::from(&noise[..]);
        while let Ok(Some(_)) = FrameCodec.decode(&mut bytes) {}
        let _ = Block::from_payload(Bytes::from(noise));
    }
}

#[test]
fn answers_about_its_care_have_the_form_the_description_gives() {
    use echo_link::{InputTest, Memory, ModuleState, OutputState, UnitState};
    let module = |module: &str, powered| ModuleState { module: module.into(), powered };
    let state = UnitState {
        temperature_c: 36.5,
        clock_locked: true,
        modules: vec![module("M1", true), module("M2", false)],
        output: Some(OutputState { hz: 80.0, peak_v: 0.5, wave: Wave::Pulse }),
        switched: Some(true),
    };
    let test = InputTest {
        number: 4,
        passed: false,
        says: "the IEPE circuit is open".into(),
        bias_v: Some(24.0),
        offset_v: -2e-5,
        noise_v: 4e-6,
    };
    for (answer, wanted) in [
        (
            Answer { id: 1, body: AnswerBody::State(state) },
            json!({ "id": 1, "state": { "temperature_c": 36.5, "clock_locked": true,
                "output": { "hz": 80.0, "peak_v": 0.5, "wave": "pulse" }, "switched": true,
                "modules": [{ "module": "M1", "powered": true }, { "module": "M2", "powered": false }] } }),
        ),
        (
            Answer { id: 2, body: AnswerBody::Tests(vec![test]) },
            json!({ "id": 2, "tests": [{ "number": 4, "passed": false, "says": "the IEPE circuit is open",
                "bias_v": 24.0, "offset_v": -2e-5, "noise_v": 4e-6 }] }),
        ),
        (
            Answer { id: 3, body: AnswerBody::Memories(vec![Memory { input: 19, memory: "00ff".into() }]) },
            json!({ "id": 3, "memories": [{ "input": 19, "memory": "00ff" }] }),
        ),
    ] {
        assert_eq!(serde_json::to_value(&answer).unwrap(), wanted);
        assert_eq!(serde_json::from_value::<Answer>(wanted).unwrap(), answer);
    }
    // A front end without output, and one of an older kind that knows nothing of filters.
    let plain: UnitState =
        serde_json::from_value(json!({ "temperature_c": 30, "clock_locked": false, "modules": [] })).unwrap();
    assert_eq!(plain.output, None);
    let old: Settings =
        serde_json::from_value(json!({ "rate_hz": 1024, "inputs": [{ "number": 1, "range_v": 1, "coupling": "DC" }] }))
            .unwrap();
    assert_eq!(old.inputs[0].high_pass_hz, 0.0);
    let without = serde_json::to_value(&old).unwrap();
    assert_eq!(without["inputs"][0].get("high_pass_hz"), None, "a filter that is off is not sent");
}

#[test]
fn whatever_comes_over_the_link_gets_an_answer() {
    // The corpus of the fuzz target for the link: whole, and cut at every byte.
    let folder = std::path::PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("../../fuzz/corpus/link");
    let mut frames = 0;
    for file in std::fs::read_dir(folder).unwrap() {
        let bytes = std::fs::read(file.unwrap().path()).unwrap();
        for cut in 0..=bytes.len() {
            let mut buffer = BytesMut::from(&bytes[..cut]);
            while let Ok(Some(_)) = FrameCodec.decode(&mut buffer) {
                frames += 1;
            }
        }
    }
    assert!(frames > 0, "some of them are good");
}
