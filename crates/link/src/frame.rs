//! Frames: length, kind, checksum, payload.

use crate::{Answer, Block, LinkError, Notice, Request};
use bytes::{Buf, BufMut, Bytes, BytesMut};
use serde::Serialize;
use serde::de::DeserializeOwned;
use tokio_util::codec::{Decoder, Encoder};

/// Bytes before each payload: length (u32), kind (u8), three zero bytes, CRC-32 of the payload
/// (u32), all little-endian.
pub const FRAME_HEAD: usize = 12;
/// Longest payload, bytes.
pub const LARGEST_PAYLOAD: usize = 8 << 20;

const REQUEST: u8 = 1;
const ANSWER: u8 = 2;
const NOTICE: u8 = 3;
const BLOCK: u8 = 16;

/// One frame of the link.
#[derive(Debug, Clone, PartialEq)]
pub enum Frame {
    /// From Fleet Echo.
    Request(Request),
    /// From the front end, to a request.
    Answer(Answer),
    /// From the front end, unasked.
    Notice(Notice),
    /// Samples from the front end.
    Block(Block),
}

/// Reads and writes frames on a byte stream.
#[derive(Debug, Default, Clone, Copy)]
pub struct FrameCodec;

fn read<T: DeserializeOwned>(payload: &[u8]) -> Result<T, LinkError> {
    serde_json::from_slice(payload).map_err(|e| LinkError::Unreadable(e.to_string()))
}

fn write<T: Serialize>(value: &T) -> Result<Bytes, LinkError> {
    serde_json::to_vec(value).map(Bytes::from).map_err(|e| LinkError::Unreadable(e.to_string()))
}

impl Decoder for FrameCodec {
    type Item = Frame;
    type Error = LinkError;

    fn decode(&mut self, buffer: &mut BytesMut) -> Result<Option<Frame>, LinkError> {
        if buffer.len() < FRAME_HEAD {
            return Ok(None);
        }
        let mut head = &buffer[..FRAME_HEAD];
        let length = head.get_u32_le() as usize;
        let kind = head.get_u8();
        let zero = [head.get_u8(), head.get_u8(), head.get_u8()];
        let sum = head.get_u32_le();
        if length > LARGEST_PAYLOAD {
            return Err(LinkError::TooLong(length));
        }
        if zero != [0; 3] {
            return Err(LinkError::Unreadable("reserved bytes are not zero".into()));
        }
        if buffer.len() < FRAME_HEAD + length {
            buffer.reserve(FRAME_HEAD + length - buffer.len());
            return Ok(None);
        }
        buffer.advance(FRAME_HEAD);
        let payload = buffer.split_to(length).freeze();
        if crc32fast::hash(&payload) != sum {
            return Err(LinkError::Damaged);
        }
        Ok(Some(match kind {
            REQUEST => Frame::Request(read(&payload)?),
            ANSWER => Frame::Answer(read(&payload)?),
            NOTICE => Frame::Notice(read(&payload)?),
            BLOCK => Frame::Block(Block::from_payload(payload)?),
            other => return Err(LinkError::Unreadable(format!("kind {other} is not known"))),
        }))
    }
}

impl Encoder<Frame> for FrameCodec {
    type Error = LinkError;

    fn encode(&mut self, frame: Frame, buffer: &mut BytesMut) -> Result<(), LinkError> {
        let (kind, payload) = match frame {
            Frame::Request(r) => (REQUEST, write(&r)?),
            Frame::Answer(a) => (ANSWER, write(&a)?),
            Frame::Notice(n) => (NOTICE, write(&n)?),
            Frame::Block(b) => (BLOCK, b.into_payload()),
        };
        if payload.len() > LARGEST_PAYLOAD {
            return Err(LinkError::TooLong(payload.len()));
        }
        buffer.reserve(FRAME_HEAD + payload.len());
        buffer.put_u32_le(payload.len() as u32);
        buffer.put_u8(kind);
        buffer.put_slice(&[0; 3]);
        buffer.put_u32_le(crc32fast::hash(&payload));
        buffer.put_slice(&payload);
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{BlockHead, Circuit, RequestBody};
    use proptest::prelude::*;

    fn encoded(frame: Frame) -> BytesMut {
        let mut bytes = BytesMut::new();
        FrameCodec.encode(frame, &mut bytes).unwrap();
        bytes
    }

    fn request() -> Frame {
        Frame::Request(Request { id: 7, body: RequestBody::Identify })
    }

    #[test]
    fn a_frame_arrives_whole_however_it_is_cut() {
        let bytes = encoded(request());
        for cut in 0..bytes.len() {
            let mut first = BytesMut::from(&bytes[..cut]);
            assert_eq!(FrameCodec.decode(&mut first).unwrap(), None);
            first.extend_from_slice(&bytes[cut..]);
            assert_eq!(FrameCodec.decode(&mut first).unwrap(), Some(request()));
        }
    }

    #[test]
    fn damage_and_strangers_are_refused() {
        let mut bytes = encoded(request());
        let last = bytes.len() - 1;
        bytes[last] ^= 1;
        assert!(matches!(FrameCodec.decode(&mut bytes), Err(LinkError::Damaged)));
        let mut http = BytesMut::from(&b"GET / HTTP/1.1\r\n\r\n"[..]);
        assert!(FrameCodec.decode(&mut http).is_err());
        let mut long = BytesMut::from(&[255u8; 12][..]);
        assert!(matches!(FrameCodec.decode(&mut long), Err(LinkError::TooLong(_))));
    }

    proptest! {
        #[test]
        fn counts_survive_the_wire(
            counts in prop::collection::vec(prop::collection::vec(-8_388_608i32..=8_388_607, 17), 1..5),
            sequence: u64, first: u64, over: bool,
        ) {
            let inputs: Vec<u16> = (1..=counts.len() as u16).collect();
            let head = BlockHead {
                sequence, first_sample: first, clock_ns: 5, clock_locked: true,
                samples: 17, over: vec![over; inputs.len()], circuits: vec![Circuit::Open; inputs.len()], inputs,
            };
            let block = Block::new(head.clone(), &counts).unwrap();
            let mut bytes = encoded(Frame::Block(block));
            let Some(Frame::Block(back)) = FrameCodec.decode(&mut bytes).unwrap() else { panic!("no block") };
            prop_assert_eq!(back.head(), &head);
            for (i, c) in counts.iter().enumerate() {
                let mut to = Vec::new();
                back.counts_into(i, &mut to);
                prop_assert_eq!(&to, c);
            }
        }

        #[test]
        fn noise_never_panics(noise in prop::collection::vec(any::<u8>(), 0..200)) {
            let _ = FrameCodec.decode(&mut BytesMut::from(&noise[..]));
            let _ = Block::from_payload(Bytes::from(noise));
        }
    }
}
