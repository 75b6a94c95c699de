//! One front end of a system: its blocks in their turn, those that were lost asked for again.

use crate::credible::Stream;
use crate::link_client::{ClientError, LinkClient};
use echo_job::front_end::FrontEnd;
use echo_link::{Block, RequestBody};
use std::collections::VecDeque;
use std::time::Instant;

/// One front end of a system.
pub(crate) struct Unit {
    /// The talk with it.
    pub(crate) client: LinkClient,
    pub(crate) front_end: FrontEnd,
    /// Inputs of the front ends before it.
    pub(crate) offset: u16,
    /// Whether any of its inputs is measured.
    pub(crate) sends: bool,
    pub(crate) waiting: VecDeque<Block>,
    /// A block of the newest start has come. Until then those that count on from an earlier one,
    /// still on their way when it was begun, are let go.
    pub(crate) begun: bool,
    /// Number of the start, of a front end that keeps blocks itself.
    pub(crate) start: Option<u64>,
    /// The block that comes next, once one has come.
    pub(crate) next: Option<u64>,
    /// How lost blocks were asked for again: until that is answered, later ones are let go.
    pub(crate) again: Option<Again>,
    /// What its blocks are held against.
    pub(crate) stream: Stream,
}

/// Blocks that were asked for again.
#[derive(Clone, Copy)]
pub(crate) struct Again {
    /// The request.
    pub(crate) id: u64,
    /// It was answered: they come now or not at all.
    pub(crate) answered: bool,
}

impl Unit {
    /// One whose inputs are counted on from `offset`.
    pub(crate) fn new(client: LinkClient, front_end: FrontEnd, offset: u16) -> Unit {
        Unit {
            client,
            front_end,
            offset,
            sends: false,
            waiting: VecDeque::new(),
            begun: false,
            start: None,
            next: None,
            again: None,
            stream: Stream::new(Vec::new(), 0.0),
        }
    }

    /// Whether it has an input of this number.
    pub(crate) fn offers(&self, input: u16) -> bool {
        (1..=self.front_end.inputs.len()).contains(&usize::from(input))
    }

    /// Takes a block in its turn. Asks again for blocks that were lost, if the front end keeps them.
    pub(crate) async fn take(&mut self, block: Block) -> Result<(), ClientError> {
        let sequence = block.head().sequence;
        self.begun |= sequence < FIRST_BLOCKS;
        if !self.sends || !self.begun {
            return Ok(());
        }
        self.stream.check(block.head(), Instant::now()).map_err(ClientError::Fault)?;
        let next = self.next.unwrap_or(sequence);
        if let (Some(start), true) = (self.start, sequence > next) {
            match self.again {
                None => {
                    tracing::warn!("{} blocks lost on the link are asked for again", sequence - next);
                    let id = self.client.ask_on(RequestBody::Resume { start, from: next }).await?;
                    self.again = Some(Again { id, answered: false });
                    return Ok(());
                }
                Some(Again { answered: false, .. }) => return Ok(()),
                // A recording is worth more than a front end's word.
                Some(_) => tracing::warn!("{} blocks that were to come again did not", sequence - next),
            }
        }
        // What was on its way when blocks were asked for again comes twice.
        if sequence < next {
            return Ok(());
        }
        self.again = None;
        self.next = Some(sequence + 1);
        self.waiting.push_back(block);
        Ok(())
    }
}

/// No front end loses as many blocks right after a start; a higher number is from an earlier one.
const FIRST_BLOCKS: u64 = 40;
