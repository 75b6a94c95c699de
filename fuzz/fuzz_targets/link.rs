//! Bytes from a front end: frames, blocks, answers.
#![no_main]
use bytes::BytesMut;
use echo_link::FrameCodec;
use tokio_util::codec::Decoder;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    let mut buffer = BytesMut::from(bytes);
    while let Ok(Some(_)) = FrameCodec.decode(&mut buffer) {}
});
