//! A block of samples: all inputs, one after the other, in 24-bit counts.

use crate::LinkError;
use bytes::{Buf, BufMut, Bytes, BytesMut};

/// Counts at full scale: ±(2²³ − 1) is ± the input's range.
pub const FULL_SCALE: i32 = (1 << 23) - 1;

const HEAD: usize = 8 + 8 + 8 + 4 + 2 + 2;
const PER_INPUT: usize = 4;
const LOCKED: u16 = 1;

/// What the supply of an input says of its sensor.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Circuit {
    /// In order, or nobody can tell.
    #[default]
    InOrder,
    /// Open: nothing is plugged in, or the cable is broken.
    Open,
    /// Shorted.
    Short,
}

impl Circuit {
    fn byte(self) -> u8 {
        match self {
            Circuit::InOrder => 0,
            Circuit::Open => 1,
            Circuit::Short => 2,
        }
    }

    fn of(byte: u8) -> Circuit {
        match byte {
            1 => Circuit::Open,
            2 => Circuit::Short,
            _ => Circuit::InOrder,
        }
    }
}

/// What a block says about itself.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BlockHead {
    /// Counts up by one a block from the start of sending; a jump is a lost block.
    pub sequence: u64,
    /// Number of the first sample since the start of sending.
    pub first_sample: u64,
    /// Time of the first sample by the front end's sample clock, ns since its start.
    pub clock_ns: u64,
    /// Whether the sample clock was locked to its reference.
    pub clock_locked: bool,
    /// Samples an input.
    pub samples: u32,
    /// Numbers of the inputs, in the order of their samples.
    pub inputs: Vec<u16>,
    /// Whether each of these inputs was over its range in this block.
    pub over: Vec<bool>,
    /// What the supply of each of these inputs says.
    pub circuits: Vec<Circuit>,
}

/// A block as it travels.
#[derive(Debug, Clone, PartialEq)]
pub struct Block {
    head: BlockHead,
    payload: Bytes,
}

impl Block {
    /// Packs counts, one slice an input, each `head.samples` long, within ±[`FULL_SCALE`] (one more
    /// below).
    ///
    /// # Errors
    /// [`LinkError::Unreadable`] when lengths do not fit the head.
    pub fn new(head: BlockHead, counts: &[Vec<i32>]) -> Result<Block, LinkError> {
        let n = head.samples as usize;
        let told = [head.inputs.len(), head.over.len(), head.circuits.len()];
        if told.iter().any(|t| *t != counts.len()) || counts.iter().any(|c| c.len() != n) {
            return Err(LinkError::Unreadable("block lengths do not fit".into()));
        }
        let mut b = BytesMut::with_capacity(HEAD + counts.len() * (PER_INPUT + 3 * n));
        b.put_u64_le(head.sequence);
        b.put_u64_le(head.first_sample);
        b.put_u64_le(head.clock_ns);
        b.put_u32_le(head.samples);
        b.put_u16_le(head.inputs.len() as u16);
        b.put_u16_le(if head.clock_locked { LOCKED } else { 0 });
        for ((input, over), circuit) in head.inputs.iter().zip(&head.over).zip(&head.circuits) {
            b.put_u16_le(*input);
            b.put_u8(u8::from(*over));
            b.put_u8(circuit.byte());
        }
        for c in counts {
            for x in c {
                b.put_slice(&x.to_le_bytes()[..3]);
            }
        }
        Ok(Block { head, payload: b.freeze() })
    }

    /// Reads a block's payload.
    ///
    /// # Errors
    /// [`LinkError::Unreadable`] when its length does not fit what it says.
    pub fn from_payload(payload: Bytes) -> Result<Block, LinkError> {
        let short = || LinkError::Unreadable("a block's length does not fit its head".into());
        if payload.len() < HEAD {
            return Err(short());
        }
        let mut b = &payload[..];
        let sequence = b.get_u64_le();
        let first_sample = b.get_u64_le();
        let clock_ns = b.get_u64_le();
        let samples = b.get_u32_le();
        let inputs = b.get_u16_le() as usize;
        let flags = b.get_u16_le();
        let whole = (samples as usize)
            .checked_mul(3)
            .and_then(|s| s.checked_add(PER_INPUT))
            .and_then(|s| s.checked_mul(inputs))
            .and_then(|s| s.checked_add(HEAD));
        if whole != Some(payload.len()) {
            return Err(short());
        }
        let mut head = BlockHead {
            sequence,
            first_sample,
            clock_ns,
            clock_locked: flags & LOCKED != 0,
            samples,
            inputs: Vec::with_capacity(inputs),
            over: Vec::with_capacity(inputs),
            circuits: Vec::with_capacity(inputs),
        };
        for _ in 0..inputs {
            head.inputs.push(b.get_u16_le());
            head.over.push(b.get_u8() != 0);
            head.circuits.push(Circuit::of(b.get_u8()));
        }
        Ok(Block { head, payload })
    }

    /// What the block says about itself.
    pub fn head(&self) -> &BlockHead {
        &self.head
    }

    /// Appends the counts of the input at `index` in the block to `to`.
    pub fn counts_into(&self, index: usize, to: &mut Vec<i32>) {
        let n = self.head.samples as usize;
        let at = HEAD + self.head.inputs.len() * PER_INPUT + index * 3 * n;
        to.extend(self.payload[at..at + 3 * n].chunks_exact(3).map(|b| {
            // The three bytes go to the top so that the shift back carries the sign.
            i32::from_le_bytes([0, b[0], b[1], b[2]]) >> 8
        }));
    }

    pub(crate) fn into_payload(self) -> Bytes {
        self.payload
    }
}
