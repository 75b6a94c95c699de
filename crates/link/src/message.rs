//! What the two sides say to each other, as JSON in request, answer and notice frames.

use serde::{Deserialize, Serialize};

/// A question or order, numbered so that its answer can be told from others.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Request {
    /// Number chosen by the asker; the answer repeats it.
    pub id: u64,
    /// What is asked.
    #[serde(flatten)]
    pub body: RequestBody,
}

/// Questions and orders.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "ask", rename_all = "snake_case")]
pub enum RequestBody {
    /// Who are you and what do you offer.
    Identify,
    /// What are you set to.
    Settings,
    /// Set these; the rate only while stopped.
    Apply {
        /// The settings.
        settings: Settings,
    },
    /// Begin to send blocks.
    Start {
        /// When sample 0 is to be taken: nanoseconds since 1970 by the shared clock, for several
        /// front ends that begin together; at once when left out.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        at_ns: Option<u64>,
    },
    /// Stop sending blocks.
    Stop,
    /// What the front end keeps itself of the blocks of the start that goes on.
    Stored,
    /// Send on from this block, which was sent or made before: those kept first, as fast as the link
    /// takes them, then those that are made.
    Resume {
        /// Which start, as told by `stored`.
        start: u64,
        /// Sequence of the first block wanted.
        from: u64,
    },
    /// How are you.
    State,
    /// Test these inputs; the answer comes when all are done.
    SelfTest {
        /// Numbers on the connector.
        inputs: Vec<u16>,
    },
    /// Start yourself anew: the connection ends.
    Restart,
    /// What smart sensors are plugged in, with their memories.
    Memories,
    /// Write a smart sensor's memory.
    WriteMemory {
        /// Number on the connector.
        input: u16,
        /// The whole memory, two hexadecimal digits a byte.
        memory: String,
    },
    /// Drive the output with a sine, or with nothing.
    Output {
        /// Frequency, Hz.
        hz: f64,
        /// Amplitude, V peak; 0 is off.
        peak_v: f64,
        /// Shape of the voltage.
        #[serde(default, skip_serializing_if = "is_sine")]
        wave: Wave,
    },
    /// Switch the digital output.
    Switch {
        /// Whether it is to be on.
        on: bool,
    },
}

/// The answer to a request.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(try_from = "Wire", into = "Wire")]
pub struct Answer {
    /// Number of the request.
    pub id: u64,
    /// What it says.
    pub body: AnswerBody,
}

/// What an answer says: one thing, under the name of its kind.
#[derive(Debug, Clone, PartialEq)]
pub enum AnswerBody {
    /// It is done, and there is nothing to say.
    Done,
    /// Why it was refused, in a sentence; nothing was changed then.
    Refused(String),
    /// Answer to `identify`.
    Identity(Box<Identity>),
    /// Answer to `settings` and `apply`: what is set now.
    Settings(Settings),
    /// Answer to `start`, `stored` and `resume`, of a front end that keeps blocks itself.
    Stored(Stored),
    /// Answer to `state`, `output` and `switch`.
    State(UnitState),
    /// Answer to `self_test`.
    Tests(Vec<InputTest>),
    /// Answer to `memories`, and to `write_memory` with the one memory read back.
    Memories(Vec<Memory>),
}

impl AnswerBody {
    /// Why it was refused.
    pub fn refused(&self) -> Option<&str> {
        if let AnswerBody::Refused(says) = self { Some(says) } else { None }
    }

    /// Who it is, where that is what it says.
    pub fn identity(self) -> Option<Identity> {
        if let AnswerBody::Identity(i) = self { Some(*i) } else { None }
    }

    /// What is set, where that is what it says.
    pub fn settings(self) -> Option<Settings> {
        if let AnswerBody::Settings(s) = self { Some(s) } else { None }
    }

    /// Which blocks are kept, where that is what it says.
    pub fn stored(&self) -> Option<Stored> {
        if let AnswerBody::Stored(s) = self { Some(*s) } else { None }
    }

    /// How it does, where that is what it says.
    pub fn state(self) -> Option<UnitState> {
        if let AnswerBody::State(s) = self { Some(s) } else { None }
    }

    /// What became of the tests, where that is what it says.
    pub fn tests(self) -> Option<Vec<InputTest>> {
        if let AnswerBody::Tests(t) = self { Some(t) } else { None }
    }

    /// Memories of smart sensors, where that is what it says.
    pub fn memories(self) -> Option<Vec<Memory>> {
        if let AnswerBody::Memories(m) = self { Some(m) } else { None }
    }
}

/// An answer as it is written: a key for each kind, of which at most one is there.
#[derive(Clone, Default, Serialize, Deserialize)]
#[serde(default)]
struct Wire {
    id: u64,
    #[serde(skip_serializing_if = "Option::is_none")]
    refused: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    identity: Option<Box<Identity>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    settings: Option<Settings>,
    #[serde(skip_serializing_if = "Option::is_none")]
    stored: Option<Stored>,
    #[serde(skip_serializing_if = "Option::is_none")]
    state: Option<UnitState>,
    #[serde(skip_serializing_if = "Option::is_none")]
    tests: Option<Vec<InputTest>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    memories: Option<Vec<Memory>>,
}

impl TryFrom<Wire> for Answer {
    type Error = String;

    fn try_from(w: Wire) -> Result<Answer, String> {
        let said = [
            w.refused.map(AnswerBody::Refused),
            w.identity.map(AnswerBody::Identity),
            w.settings.map(AnswerBody::Settings),
            w.stored.map(AnswerBody::Stored),
            w.state.map(AnswerBody::State),
            w.tests.map(AnswerBody::Tests),
            w.memories.map(AnswerBody::Memories),
        ];
        let mut said = said.into_iter().flatten();
        match (said.next(), said.next()) {
            (_, Some(_)) => Err(format!("the answer to request {} says two things; allowed: one", w.id)),
            (body, None) => Ok(Answer { id: w.id, body: body.unwrap_or(AnswerBody::Done) }),
        }
    }
}

impl From<Answer> for Wire {
    fn from(a: Answer) -> Wire {
        let mut w = Wire { id: a.id, ..Wire::default() };
        match a.body {
            AnswerBody::Done => {}
            AnswerBody::Refused(says) => w.refused = Some(says),
            AnswerBody::Identity(i) => w.identity = Some(i),
            AnswerBody::Settings(s) => w.settings = Some(s),
            AnswerBody::Stored(s) => w.stored = Some(s),
            AnswerBody::State(s) => w.state = Some(s),
            AnswerBody::Tests(t) => w.tests = Some(t),
            AnswerBody::Memories(m) => w.memories = Some(m),
        }
        w
    }
}

/// Blocks a front end keeps itself, the newest ones of the start that goes on.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Stored {
    /// Which start: no two of a front end have the same number, not even before and after a restart.
    pub start: u64,
    /// Sequence of the oldest block that is kept.
    pub first: u64,
    /// Sequence of the next block that will be made.
    pub next: u64,
}

/// How a front end does.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct UnitState {
    /// Inside temperature, °C.
    pub temperature_c: f64,
    /// Whether its sample clock follows the shared one.
    pub clock_locked: bool,
    /// Modules in the order of their inputs.
    pub modules: Vec<ModuleState>,
    /// The output: frequency and amplitude; none for a front end without output.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub output: Option<OutputState>,
    /// Whether the digital output is on; none for a front end without one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub switched: Option<bool>,
}

/// How a module does.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct ModuleState {
    /// Its name.
    pub module: String,
    /// Whether it has power.
    pub powered: bool,
}

/// What the output drives.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct OutputState {
    /// Shape of the voltage.
    #[serde(default, skip_serializing_if = "is_sine")]
    pub wave: Wave,
    /// Frequency, Hz.
    pub hz: f64,
    /// Amplitude, V peak.
    pub peak_v: f64,
}

/// What a test of an input found.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct InputTest {
    /// Number on the connector.
    pub number: u16,
    /// Whether it is in order.
    pub passed: bool,
    /// What was found, in a sentence.
    pub says: String,
    /// Rest voltage of the sensor's supply, V, where there is one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub bias_v: Option<f64>,
    /// Mean with the input shorted, V.
    pub offset_v: f64,
    /// Noise with the input shorted, V rms.
    pub noise_v: f64,
}

/// The memory of a smart sensor.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Memory {
    /// Number on the connector.
    pub input: u16,
    /// The whole memory, two hexadecimal digits a byte.
    pub memory: String,
}

/// Who a front end is and what it offers.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Identity {
    /// Model name.
    pub model: String,
    /// Serial number.
    pub serial: String,
    /// Version of its own software.
    pub firmware: String,
    /// Sample rates, Hz, ascending.
    pub rates_hz: Vec<f64>,
    /// Share of the rate up to which there are no aliases.
    pub clean_share: f64,
    /// Bits of the converter, at most 24.
    pub converter_bits: u32,
    /// Its inputs.
    pub inputs: Vec<InputOffer>,
    /// Bytes of blocks it keeps itself, so that they can be asked for again and nothing is lost while
    /// the link is away; 0 is none.
    #[serde(default, skip_serializing_if = "is_none")]
    pub keeps_bytes: u64,
}

/// What an input can be set to.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct InputOffer {
    /// Number on the connector, from 1.
    pub number: u16,
    /// Module that carries it.
    pub module: String,
    /// Ranges, V peak.
    pub ranges_v: Vec<f64>,
    /// Couplings.
    pub couplings: Vec<Coupling>,
    /// Corners of its high-pass filter, Hz.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub high_pass_hz: Vec<f64>,
    /// Voltages it can feed a sensor with, V.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub supplies_v: Vec<f64>,
}

/// How an input is connected to its converter.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub enum Coupling {
    /// Direct.
    #[serde(rename = "DC")]
    Dc,
    /// Mean removed.
    #[serde(rename = "AC")]
    Ac,
    /// Constant-current supply, bias removed.
    #[serde(rename = "IEPE")]
    Iepe,
    /// Charge amplifier, 1 mV/pC, mean removed.
    Charge,
    /// Bridge of four active arms, supplied with 5 V and sensed.
    #[serde(rename = "Bridge full")]
    BridgeFull,
    /// Two active arms, completed by the front end.
    #[serde(rename = "Bridge half")]
    BridgeHalf,
    /// One active arm, completed by the front end.
    #[serde(rename = "Bridge quarter")]
    BridgeQuarter,
}

/// How a front end is set.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Settings {
    /// Samples a second, Hz.
    pub rate_hz: f64,
    /// Inputs that are sent, in the order they appear in blocks.
    pub inputs: Vec<InputSetting>,
}

/// How an input is set.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct InputSetting {
    /// Number on the connector.
    pub number: u16,
    /// Full scale, V peak.
    pub range_v: f64,
    /// Coupling.
    pub coupling: Coupling,
    /// Corner of the high-pass filter, Hz; 0 is off.
    #[serde(default, skip_serializing_if = "is_off")]
    pub high_pass_hz: f64,
    /// Voltage the sensor is fed with, V; 0 is none.
    #[serde(default, skip_serializing_if = "is_off")]
    pub supply_v: f64,
}

/// What an output drives.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Wave {
    /// A sine.
    #[default]
    Sine,
    /// Pulses from 0 V to the amplitude, a tenth of the period long.
    Pulse,
}

fn is_sine(wave: &Wave) -> bool {
    *wave == Wave::Sine
}

fn is_none(bytes: &u64) -> bool {
    *bytes == 0
}

fn is_off(value: &f64) -> bool {
    *value == 0.0
}

/// Something the front end says unasked.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "notice", rename_all = "snake_case")]
pub enum Notice {
    /// It has to stop; the sentence says why.
    Stopping {
        /// Why.
        says: String,
    },
    /// Blocks were dropped on its side because the link was too slow.
    Dropped {
        /// How many since the start.
        blocks: u64,
    },
    /// A smart sensor was plugged in.
    Plugged(Memory),
    /// A smart sensor was unplugged.
    Unplugged {
        /// Number on the connector.
        input: u16,
    },
}
