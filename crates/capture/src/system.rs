//! Several front ends that sample together, as one.
//!
//! Inputs are counted through, front end after front end. All are told to begin at one moment of
//! the clock they share; their blocks of one sequence number make one block. A front end that lost
//! one makes a gap for all: samples that belong together stay together.

use crate::credible::{MOST_UNITS, Stream};
use crate::link_client::{ClientError, Incoming, LinkClient, from_link};
use crate::unit::Unit;
use echo_job::front_end::FrontEnd;
use echo_job::rig::columns::filter_text;
use echo_job::rig::{Cell, Column};
use echo_link::{AnswerBody, Block, Circuit, InputSetting, Memory, RequestBody, Settings, UnitState};
use futures::future::{join_all, select_all};
use std::time::{Duration, SystemTime};

/// Time given to all front ends to hear of a common start.
const LEAD: Duration = Duration::from_millis(150);
/// Blocks one front end may be ahead of another before the other counts as stuck.
const AHEAD: usize = 60;

/// The connected front ends.
pub struct System {
    units: Vec<Unit>,
    whole: FrontEnd,
}

/// Blocks of all front ends that belong together.
#[derive(Debug)]
pub struct Together {
    /// As in a block's head.
    pub sequence: u64,
    /// As in a block's head.
    pub first_sample: u64,
    /// Whether all clocks are locked.
    pub clock_locked: bool,
    /// How far the front ends' own clocks are apart at this block, ns.
    pub apart_ns: u64,
    /// Inputs, counted through.
    pub inputs: Vec<u16>,
    /// Over range, input by input.
    pub over: Vec<bool>,
    /// What the supply says, input by input.
    pub circuits: Vec<Circuit>,
    blocks: Vec<Block>,
}

impl Together {
    /// Puts the counts of every input into `counts`, one list an input.
    pub fn counts_into(&self, counts: &mut Vec<Vec<i32>>) {
        counts.resize_with(self.inputs.len(), Vec::new);
        let mut at = 0;
        for b in &self.blocks {
            for i in 0..b.head().inputs.len() {
                counts[at].clear();
                b.counts_into(i, &mut counts[at]);
                at += 1;
            }
        }
    }
}

/// What comes from the front ends.
#[derive(Debug)]
pub enum Heard {
    /// A block of all.
    Block(Together),
    /// A smart sensor plugged in or out, by the input counted through.
    Plug(u16, Option<String>),
    /// How one of them does.
    State(usize, UnitState),
    /// Something that does not concern anybody yet.
    Nothing,
}

impl System {
    /// Connects to all addresses, separated by commas or spaces.
    ///
    /// # Errors
    /// The first that does not answer, named.
    pub async fn connect(addresses: &str) -> Result<System, ClientError> {
        let list: Vec<&str> = addresses.split([',', ' ']).filter(|a| !a.is_empty()).collect();
        if list.len() > MOST_UNITS {
            let says = format!("{} addresses; allowed: up to {MOST_UNITS} front ends", list.len());
            return Err(ClientError::Refused(says));
        }
        let mut units = Vec::new();
        let mut offset = 0;
        for (result, address) in join_all(list.iter().map(|a| LinkClient::connect(a))).await.into_iter().zip(&list) {
            let (client, front_end) = result.map_err(|e| match list.len() {
                1 => e,
                _ => ClientError::Refused(format!("{address}: {e}")),
            })?;
            let inputs = front_end.inputs.len() as u16;
            units.push(Unit::new(client, front_end, offset));
            offset += inputs;
        }
        let all: Vec<FrontEnd> = units.iter().map(|u| u.front_end.clone()).collect();
        let whole = FrontEnd::system(&all).ok_or_else(|| ClientError::Refused("no address is given".into()))?;
        Ok(System { units, whole })
    }

    /// All of them as one.
    pub fn front_end(&self) -> &FrontEnd {
        &self.whole
    }

    /// Each of them, with the number of inputs before its own.
    pub fn units(&self) -> impl Iterator<Item = (&FrontEnd, u16)> {
        self.units.iter().map(|u| (&u.front_end, u.offset))
    }

    /// Asks one of them.
    ///
    /// # Errors
    /// As [`LinkClient::ask`].
    pub async fn ask(&mut self, unit: usize, body: RequestBody) -> Result<AnswerBody, ClientError> {
        let most = self.units.len();
        let unit = self
            .units
            .get_mut(unit)
            .ok_or_else(|| ClientError::Refused(format!("there is no front end {}; there are {most}", unit + 1)))?;
        unit.client.ask(body).await
    }

    async fn ask_all(&mut self, body: impl Fn(&Unit) -> RequestBody) -> Result<Vec<AnswerBody>, ClientError> {
        let asked = self.units.iter_mut().map(|u| {
            let body = body(u);
            u.client.ask(body)
        });
        join_all(asked).await.into_iter().collect()
    }

    /// Brings all of them to settings whose inputs are counted through; `anew` stops and begins
    /// together again.
    ///
    /// # Errors
    /// The first that refuses or does not answer.
    pub async fn apply(&mut self, wanted: &Settings, anew: bool) -> Result<(), ClientError> {
        if anew {
            self.ask_all(|_| RequestBody::Stop).await?;
        }
        for u in &mut self.units {
            u.sends = !own(u, wanted).is_empty();
        }
        self.ask_all(|u| RequestBody::Apply { settings: Settings { rate_hz: wanted.rate_hz, inputs: own(u, wanted) } })
            .await?;
        if anew {
            let many = self.units.len() > 1;
            let at_ns = SystemTime::now().duration_since(SystemTime::UNIX_EPOCH).unwrap_or_default() + LEAD;
            let at_ns = many.then_some(at_ns.as_nanos() as u64);
            for u in &mut self.units {
                u.client.forget_early();
                u.waiting.clear();
                u.stream = stream(u, wanted);
                (u.begun, u.start, u.next, u.again) = (false, None, None, None);
            }
            for u in self.units.iter_mut().filter(|u| u.sends) {
                u.start = u.client.ask(RequestBody::Start { at_ns }).await?.stored().map(|s| s.start);
            }
        }
        Ok(())
    }

    /// The starts that go on, by which blocks can be had again after the link was away; nothing unless
    /// all that send keep blocks themselves.
    pub fn starts(&self) -> Option<Vec<u64>> {
        self.units.iter().filter(|u| u.sends).map(|u| u.start).collect()
    }

    /// Goes on, over new links, with starts that went on by themselves, from block `from` on. Gives the
    /// sequence that the front ends have come to.
    ///
    /// # Errors
    /// The first that has not kept what is wanted, or does not answer.
    pub async fn resume(&mut self, wanted: &Settings, starts: &[u64], from: u64) -> Result<u64, ClientError> {
        for u in &mut self.units {
            u.sends = !own(u, wanted).is_empty();
        }
        let mut come_to = from;
        for (u, start) in self.units.iter_mut().filter(|u| u.sends).zip(starts) {
            (u.begun, u.start, u.next) = (true, Some(*start), Some(from));
            u.stream = stream(u, wanted);
            let answer = u.client.ask(RequestBody::Resume { start: *start, from }).await?;
            come_to = come_to.max(answer.stored().map_or(0, |s| s.next));
        }
        Ok(come_to)
    }

    /// What is set on the front ends, as cells of the channel table.
    ///
    /// # Errors
    /// One that does not answer.
    pub async fn setup(&mut self) -> Result<Vec<Cell>, ClientError> {
        let answers = self.ask_all(|_| RequestBody::Settings).await?;
        let mut cells = Vec::new();
        for (u, a) in self.units.iter().zip(answers) {
            for s in a.settings().into_iter().flat_map(|s| s.inputs).filter(|s| u.offers(s.number)) {
                let input = s.number + u.offset;
                cells.push(Cell::new(input, Column::Coupling, from_link(s.coupling).name()));
                cells.push(Cell::new(input, Column::RangeV, format!("{} V", s.range_v)));
                cells.push(Cell::new(input, Column::HighPassHz, filter_text(s.high_pass_hz)));
            }
        }
        Ok(cells)
    }

    /// Asks all of them how they do; the answers are heard.
    ///
    /// # Errors
    /// One that is gone.
    pub async fn ask_states(&mut self) -> Result<(), ClientError> {
        for u in &mut self.units {
            u.client.ask_on(RequestBody::State).await?;
        }
        Ok(())
    }

    /// Memories of all smart sensors that are plugged in.
    ///
    /// # Errors
    /// One that does not answer.
    pub async fn memories(&mut self) -> Result<Vec<Memory>, ClientError> {
        let answers = self.ask_all(|_| RequestBody::Memories).await?;
        let mut all = Vec::new();
        for (u, a) in self.units.iter().zip(answers) {
            let there = a.memories().unwrap_or_default().into_iter().filter(|m| u.offers(m.input));
            all.extend(there.map(|m| Memory { input: m.input + u.offset, ..m }));
        }
        Ok(all)
    }

    /// Waits for the next thing. Safe to abandon while waiting.
    ///
    /// # Errors
    /// One of them is gone, or so far behind that it must be stuck.
    pub async fn heard(&mut self) -> Result<Heard, ClientError> {
        if let Some(t) = self.together() {
            return Ok(Heard::Block(t));
        }
        let (result, at, _) = select_all(self.units.iter_mut().map(|u| Box::pin(u.client.incoming()))).await;
        let many = self.units.len() > 1;
        let unit = &mut self.units[at];
        let incoming = result.map_err(|e| match many {
            true if !matches!(e, ClientError::Fault(_)) => {
                ClientError::Refused(format!("{}, serial {}: {e}", unit.front_end.model, unit.front_end.serial))
            }
            _ => e,
        })?;
        match incoming {
            Incoming::Plug(input, _) if !unit.offers(input) => {
                let most = unit.front_end.inputs.len();
                Err(ClientError::Fault(format!("a sensor's memory at input {input}; it has inputs 1 to {most}")))
            }
            Incoming::Plug(input, memory) => Ok(Heard::Plug(input + unit.offset, memory)),
            Incoming::State(state) => Ok(Heard::State(at, state)),
            Incoming::Resumed(id) => {
                if let Some(again) = unit.again.as_mut().filter(|again| again.id == id) {
                    again.answered = true;
                }
                Ok(Heard::Nothing)
            }
            Incoming::Refused(id, says) => {
                if unit.again.is_some_and(|again| again.id == id) {
                    tracing::warn!("blocks lost on the link are gone: {says}");
                    (unit.again, unit.next) = (None, None);
                }
                Ok(Heard::Nothing)
            }
            Incoming::Block(b) => {
                unit.take(b).await?;
                if unit.waiting.len() > AHEAD {
                    let behind = self.units.iter().find(|u| u.sends && u.waiting.is_empty());
                    let who = behind
                        .map_or(String::new(), |u| format!("{}, serial {}", u.front_end.model, u.front_end.serial));
                    return Err(ClientError::Refused(format!("{who} sends nothing while the others do")));
                }
                Ok(self.together().map_or(Heard::Nothing, Heard::Block))
            }
        }
    }

    /// Blocks of one sequence number from all that send, if they are there.
    fn together(&mut self) -> Option<Together> {
        loop {
            let fronts: Vec<u64> = self
                .units
                .iter()
                .filter(|u| u.sends)
                .map(|u| u.waiting.front().map(|b| b.head().sequence))
                .collect::<Option<_>>()?;
            let newest = *fronts.iter().max()?;
            if fronts.iter().all(|s| *s == newest) {
                break;
            }
            // What one of them lost is dropped from the others too.
            for u in self.units.iter_mut().filter(|u| u.sends) {
                while u.waiting.front().is_some_and(|b| b.head().sequence < newest) {
                    u.waiting.pop_front();
                }
            }
        }
        let mut all = Together {
            sequence: 0,
            first_sample: 0,
            clock_locked: true,
            apart_ns: 0,
            inputs: Vec::new(),
            over: Vec::new(),
            circuits: Vec::new(),
            blocks: Vec::new(),
        };
        let (mut earliest, mut latest) = (u64::MAX, 0);
        for u in self.units.iter_mut().filter(|u| u.sends) {
            let b = u.waiting.pop_front()?;
            let head = b.head();
            (all.sequence, all.first_sample) = (head.sequence, head.first_sample);
            (earliest, latest) = (earliest.min(head.clock_ns), latest.max(head.clock_ns));
            all.clock_locked &= head.clock_locked;
            all.inputs.extend(head.inputs.iter().map(|i| i + u.offset));
            all.over.extend(&head.over);
            all.circuits.extend(&head.circuits);
            all.blocks.push(b);
        }
        all.apart_ns = latest.saturating_sub(earliest);
        Some(all)
    }
}

/// The stream that settings make of a front end.
fn stream(u: &Unit, wanted: &Settings) -> Stream {
    Stream::new(own(u, wanted).iter().map(|i| i.number).collect(), wanted.rate_hz)
}

/// The settings of one front end's inputs, with the numbers it has itself.
fn own(u: &Unit, wanted: &Settings) -> Vec<InputSetting> {
    let last = u.offset + u.front_end.inputs.len() as u16;
    let mine = wanted.inputs.iter().filter(|i| i.number > u.offset && i.number <= last);
    mine.map(|i| InputSetting { number: i.number - u.offset, ..i.clone() }).collect()
}
