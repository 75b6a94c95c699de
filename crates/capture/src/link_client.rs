//! Fleet Echo's side of the front-end link.

use crate::credible;
use echo_job::front_end::{FrontEnd, InputOffer};
use echo_job::plan::Plan;
use echo_job::rig::{Coupling, Rig};
use echo_link::{
    Answer, AnswerBody, Block, Frame, FrameCodec, InputSetting, LinkError, Memory, Notice, Request, RequestBody,
    Settings, UnitState, greet,
};
use futures::{SinkExt, StreamExt};
use std::collections::VecDeque;
use std::time::Duration;
use tokio::net::TcpStream;
use tokio_util::codec::Framed;

/// Longest wait for a connection or an answer.
const PATIENCE: Duration = Duration::from_secs(4);

/// An open connection.
pub struct LinkClient {
    framed: Framed<TcpStream, FrameCodec>,
    next_id: u64,
    /// What came while an answer was awaited.
    early: VecDeque<Incoming>,
}

/// What a front end sends unasked.
#[derive(Debug)]
pub enum Incoming {
    /// Samples.
    Block(Block),
    /// A smart sensor was plugged in (with its memory) or unplugged.
    Plug(u16, Option<String>),
    /// How it does, in answer to [`LinkClient::ask_state`].
    State(UnitState),
    /// It refuses what was asked without waiting: the number of the request, and why.
    Refused(u64, String),
    /// It sends blocks again, as the request of that number asked: none of them comes behind a later one.
    Resumed(u64),
}

/// What stops a conversation.
#[derive(Debug, thiserror::Error)]
pub enum ClientError {
    /// The link itself failed.
    #[error(transparent)]
    Link(#[from] LinkError),
    /// No answer in time.
    #[error("the front end does not answer")]
    Silent,
    /// The front end closed the connection.
    #[error("the front end closed the connection")]
    Closed,
    /// The front end refuses.
    #[error("{0}")]
    Refused(String),
    /// It says or sends what cannot be.
    #[error("the front end is at fault: it sent {0}")]
    Fault(String),
}

impl LinkClient {
    /// Connects and checks that a front end answers there.
    pub async fn connect(address: &str) -> Result<(LinkClient, FrontEnd), ClientError> {
        let attempt = async {
            let mut stream = TcpStream::connect(address).await.map_err(LinkError::Io)?;
            stream.set_nodelay(true).map_err(LinkError::Io)?;
            greet(&mut stream).await?;
            Ok::<_, ClientError>(stream)
        };
        let stream = tokio::time::timeout(PATIENCE, attempt).await.map_err(|_| ClientError::Silent)??;
        let mut framed = Framed::new(stream, FrameCodec);
        framed.read_buffer_mut().reserve(1 << 20);
        let mut client = LinkClient { framed, next_id: 1, early: VecDeque::new() };
        let identity = client
            .ask(RequestBody::Identify)
            .await?
            .identity()
            .ok_or_else(|| ClientError::Refused("the front end does not say who it is".into()))?;
        credible::identity(&identity).map_err(ClientError::Fault)?;
        let offer = |i: echo_link::InputOffer| InputOffer {
            number: i.number,
            unit: 0,
            connector: i.number,
            module: i.module,
            ranges_v: i.ranges_v,
            couplings: i.couplings.into_iter().map(from_link).collect(),
            high_pass_hz: i.high_pass_hz,
            supplies_v: i.supplies_v,
        };
        let front_end = FrontEnd {
            model: identity.model,
            serial: identity.serial,
            firmware: identity.firmware,
            rates_hz: identity.rates_hz,
            clean_share: identity.clean_share,
            converter_bits: identity.converter_bits,
            keeps_bytes: identity.keeps_bytes,
            inputs: identity.inputs.into_iter().map(offer).collect(),
        };
        Ok((client, front_end))
    }

    /// Asks and waits for the answer; what comes first is kept for [`Self::incoming`].
    pub async fn ask(&mut self, body: RequestBody) -> Result<AnswerBody, ClientError> {
        let id = self.next_id;
        self.next_id += 1;
        self.framed.send(Frame::Request(Request { id, body })).await?;
        let wait = async {
            loop {
                match self.framed.next().await {
                    None => return Err(ClientError::Closed),
                    Some(frame) => match frame? {
                        Frame::Answer(a) if a.id == id => return Ok(a.body),
                        other => {
                            if let Some(i) = unasked(other)? {
                                self.early.push_back(i);
                            }
                        }
                    },
                }
            }
        };
        let answer = tokio::time::timeout(PATIENCE, wait).await.map_err(|_| ClientError::Silent)??;
        match answer {
            AnswerBody::Refused(says) => Err(ClientError::Refused(says)),
            answer => Ok(answer),
        }
    }

    /// Asks without waiting, for what is heard by [`Self::incoming`]: how it does, or blocks again.
    /// Gives the number of the request.
    pub async fn ask_on(&mut self, body: RequestBody) -> Result<u64, ClientError> {
        let id = self.next_id;
        self.next_id += 1;
        self.framed.send(Frame::Request(Request { id, body })).await?;
        Ok(id)
    }

    /// The next thing it sends unasked. Safe to abandon while waiting.
    pub async fn incoming(&mut self) -> Result<Incoming, ClientError> {
        if let Some(i) = self.early.pop_front() {
            return Ok(i);
        }
        loop {
            let frame = self.framed.next().await.ok_or(ClientError::Closed)??;
            if let Some(i) = unasked(frame)? {
                return Ok(i);
            }
        }
    }

    /// Forgets blocks of an earlier start.
    pub fn forget_early(&mut self) {
        self.early.retain(|i| !matches!(i, Incoming::Block(_)));
    }
}

fn unasked(frame: Frame) -> Result<Option<Incoming>, ClientError> {
    Ok(match frame {
        Frame::Block(b) => Some(Incoming::Block(b)),
        Frame::Notice(Notice::Plugged(Memory { input, memory })) => Some(Incoming::Plug(input, Some(memory))),
        Frame::Notice(Notice::Unplugged { input }) => Some(Incoming::Plug(input, None)),
        Frame::Answer(Answer { body: AnswerBody::State(state), .. }) => Some(Incoming::State(state)),
        Frame::Answer(Answer { id, body: AnswerBody::Refused(says) }) => Some(Incoming::Refused(id, says)),
        Frame::Answer(Answer { id, body: AnswerBody::Stored(_) }) => Some(Incoming::Resumed(id)),
        Frame::Notice(Notice::Stopping { says }) => return Err(ClientError::Refused(says)),
        _ => None,
    })
}

/// A coupling as the link spells it.
pub(crate) fn from_link(c: echo_link::Coupling) -> Coupling {
    match c {
        echo_link::Coupling::Dc => Coupling::Dc,
        echo_link::Coupling::Ac => Coupling::Ac,
        echo_link::Coupling::Iepe => Coupling::Iepe,
        echo_link::Coupling::Charge => Coupling::Charge,
        echo_link::Coupling::BridgeFull => Coupling::BridgeFull,
        echo_link::Coupling::BridgeHalf => Coupling::BridgeHalf,
        echo_link::Coupling::BridgeQuarter => Coupling::BridgeQuarter,
    }
}

fn to_link(c: Coupling) -> echo_link::Coupling {
    match c {
        Coupling::Dc => echo_link::Coupling::Dc,
        Coupling::Ac => echo_link::Coupling::Ac,
        Coupling::Iepe => echo_link::Coupling::Iepe,
        Coupling::Charge => echo_link::Coupling::Charge,
        Coupling::BridgeFull => echo_link::Coupling::BridgeFull,
        Coupling::BridgeHalf => echo_link::Coupling::BridgeHalf,
        Coupling::BridgeQuarter => echo_link::Coupling::BridgeQuarter,
    }
}

/// The settings a rig and a plan ask of the front end: its active rows, in their order; tachometers
/// are fed as the plan says.
pub fn settings(rig: &Rig, plan: &Plan) -> Settings {
    Settings {
        rate_hz: plan.sample_rate_hz,
        inputs: rig
            .active()
            .map(|c| InputSetting {
                number: c.input,
                range_v: c.range_v,
                coupling: to_link(c.coupling),
                high_pass_hz: c.high_pass_hz,
                supply_v: plan.tachos.iter().find(|t| t.input == c.input).map_or(0.0, |t| t.supply_v),
            })
            .collect(),
    }
}
