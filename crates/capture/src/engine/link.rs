//! Connecting, setting up, and looking after the front ends.

use super::Engine;
use super::handle::{CaptureError, DeviceSetup, Setup, refuse};
use crate::link_client::{ClientError, settings};
use crate::state::{LinkState, OutputStatus, UnitStatus};
use crate::system::{Heard, System};
use echo_link::{AnswerBody, RequestBody, UnitState};
use std::collections::BTreeMap;
use std::sync::PoisonError;
use std::time::Duration;
use tokio::sync::oneshot;
use tokio::time::Instant;

/// How often front ends are asked how they do.
const CARE: Duration = Duration::from_secs(2);
/// How long a front end that sent what cannot be is left alone.
const AFTER_A_FAULT: Duration = Duration::from_secs(5);

/// Takes over what a front end told; whether anything changed that is shown.
fn told(u: &mut UnitStatus, state: &UnitState) -> bool {
    let before = u.clone();
    u.temperature_c = Some((state.temperature_c * 10.0).round() / 10.0);
    u.clock_locked = Some(state.clock_locked);
    u.dark_modules = state.modules.iter().filter(|m| !m.powered).map(|m| m.module.clone()).collect();
    u.switched = state.switched;
    u.output = state.output.map(|o| OutputStatus { hz: o.hz, peak_v: o.peak_v });
    *u != before
}

impl Engine {
    pub(super) async fn connect(&mut self) {
        let Some(address) = self.address.clone() else { return };
        let found = async {
            let mut system = System::connect(&address).await?;
            let setup = system.setup().await?;
            let memories = system.memories().await?;
            Ok::<_, ClientError>((system, setup, memories))
        };
        match found.await {
            Ok((system, setup, memories)) => {
                let front_end = system.front_end().clone();
                tracing::info!(address, model = front_end.model, serial = front_end.serial, "front end connected");
                let units = system.units().map(|(f, first)| UnitStatus {
                    model: f.model.clone(),
                    serial: f.serial.clone(),
                    firmware: f.firmware.clone(),
                    first_input: first + 1,
                    inputs: f.inputs.len() as u16,
                    temperature_c: None,
                    clock_locked: None,
                    dark_modules: Vec::new(),
                    output: None,
                    switched: None,
                });
                let units = units.collect();
                self.link = Some(system);
                self.applied = None;
                self.found = Some(setup);
                *self.memories() = memories.into_iter().map(|m| (m.input, m.memory)).collect();
                self.next_care = Instant::now();
                let link = LinkState::Connected {
                    address,
                    front_end: Box::new(front_end),
                    units,
                    clock_locked: true,
                    sample_rate_hz: 0.0,
                    refused: None,
                };
                self.status.send_modify(|s| {
                    s.link = link;
                    s.plugs += 1;
                });
                if !self.resumed().await {
                    let _ = self.apply().await;
                    Box::pin(self.armed_again()).await;
                }
            }
            Err(e) => {
                self.still_away();
                self.next_try = Instant::now() + Duration::from_secs(1);
                let says = e.to_string();
                self.status.send_modify(|s| s.link = LinkState::Connecting { address, says });
            }
        }
    }

    fn memories(&self) -> std::sync::MutexGuard<'_, BTreeMap<u16, String>> {
        self.memories.lock().unwrap_or_else(PoisonError::into_inner)
    }

    pub(super) fn forget_link(&mut self) {
        self.link = None;
        self.applied = None;
        self.found = None;
        self.memories().clear();
        self.live.clear();
    }

    /// Takes what the front ends sent.
    pub(super) fn hear(&mut self, heard: Heard) {
        match heard {
            Heard::Block(block) => self.take(&block),
            Heard::Plug(input, memory) => {
                match memory {
                    Some(m) => self.memories().insert(input, m),
                    None => self.memories().remove(&input),
                };
                self.live.forget(input);
                self.status.send_modify(|s| s.plugs += 1);
            }
            Heard::State(unit, state) => {
                self.status.send_if_modified(|s| match &mut s.link {
                    LinkState::Connected { units, .. } => units.get_mut(unit).is_some_and(|u| told(u, &state)),
                    _ => false,
                });
            }
            Heard::Nothing => {}
        }
    }

    /// Asks every few seconds how the front ends do.
    pub(super) async fn care(&mut self) {
        self.next_care = Instant::now() + CARE;
        if let Some(system) = &mut self.link
            && let Err(e) = system.ask_states().await
        {
            self.link_lost(&e.to_string());
        }
    }

    pub(super) async fn ask(&mut self, unit: usize, body: RequestBody) -> Result<AnswerBody, CaptureError> {
        let harmless = matches!(body, RequestBody::Output { .. } | RequestBody::Switch { .. } | RequestBody::State);
        if self.recording.is_some() && !harmless {
            return refuse("a run is being recorded; stop it before touching the front end");
        }
        let Some(system) = &mut self.link else { return refuse("no front end is connected") };
        if body == RequestBody::Restart {
            // The front end ends the connection instead of answering.
            let _ = system.ask(unit, body).await;
            self.link_lost("it starts itself anew");
            return Ok(AnswerBody::Done);
        }
        let answer = system.ask(unit, body).await;
        self.next_care = Instant::now();
        answer.map_err(|e| CaptureError(e.to_string()))
    }

    pub(super) async fn write_setup(&mut self) -> Result<(), CaptureError> {
        if self.recording.is_some() {
            return refuse("a run is being recorded; stop it before touching the front end");
        }
        if self.link.is_none() {
            return refuse("no front end is connected");
        }
        self.applied = None;
        self.found = None;
        self.apply().await
    }

    pub(super) async fn read_setup(&mut self) -> Result<DeviceSetup, CaptureError> {
        let Some(system) = &mut self.link else { return refuse("no front end is connected") };
        let now = system.setup().await.map_err(|e| CaptureError(e.to_string()))?;
        Ok(DeviceSetup { found: self.found.clone().unwrap_or_default(), now })
    }

    pub(super) fn link_lost(&mut self, says: &str) {
        tracing::warn!("front end lost: {says}");
        if !self.goes_on_away(says) {
            self.broken_off(&format!("the link to the front end broke: {says}"));
        }
        self.connect_anew(says, Duration::from_millis(500));
    }

    fn connect_anew(&mut self, says: &str, after: Duration) {
        self.forget_link();
        self.next_try = Instant::now() + after;
        let address = self.address.clone().unwrap_or_default();
        self.status.send_modify(|s| s.link = LinkState::Connecting { address, says: says.into() });
    }

    /// Ends what goes on for a fault, and connects anew after a while.
    pub(super) fn faulted(&mut self, says: &str) {
        tracing::warn!("{says}");
        self.arm_again = false;
        self.end_recording(false, says);
        self.connect_anew(says, AFTER_A_FAULT);
    }

    /// Ends a recording that cannot go on; where triggers were waited for they will be again.
    pub(super) fn broken_off(&mut self, because: &str) {
        let triggers = self.setup.as_ref().is_some_and(|s| !s.plan.start.by_hand());
        self.arm_again |= triggers && self.recording.is_some();
        self.end_recording(false, because);
    }

    /// Arms again after a broken link, as soon as the front end sends and the last run is written.
    pub(super) async fn armed_again(&mut self) {
        let ready = self.link.is_some() && self.applied.is_some() && self.writing.is_none();
        if self.arm_again && ready {
            self.arm_again = false;
            if let Err(e) = self.arm().await {
                tracing::warn!("not armed again: {e}");
            }
        }
    }

    pub(super) fn consider(&self, setup: &Setup) -> Result<(), CaptureError> {
        let hardware = self.setup.as_ref().map(|s| settings(&s.rig, &s.plan));
        let changes = hardware != Some(settings(&setup.rig, &setup.plan));
        if changes && self.recording.is_some() {
            return refuse("a run is armed or recording; stop it before changing what is measured");
        }
        Ok(())
    }

    pub(super) async fn set_up(&mut self, setup: Setup) -> Result<(), CaptureError> {
        self.consider(&setup)?;
        self.own.send_replace(Some(setup.clone()));
        // What is lent stays as it is; the own set-up follows when it is given back.
        if self.lent.is_none() {
            self.setup = Some(setup);
            self.apply().await?;
        }
        Ok(())
    }

    pub(super) fn measure_nothing(&mut self) -> Result<(), CaptureError> {
        if self.recording.is_some() || self.lent.is_some() {
            return refuse("a run is armed or recording; stop it first");
        }
        (self.setup, self.arm_again) = (None, false);
        self.own.send_replace(None);
        Ok(())
    }

    /// Records with a set-up that is in force until what was lent is given back.
    pub(super) async fn lend(&mut self, setup: Setup, back: oneshot::Receiver<()>) -> Result<(), CaptureError> {
        self.consider(&setup)?;
        if self.recording.is_some() {
            return refuse("a run is armed or recording; stop it first");
        }
        let own = self.setup.replace(setup);
        let result = match self.apply().await {
            // Takes that begin by themselves are waited for.
            Ok(()) if self.setup.as_ref().is_some_and(|s| !s.plan.start.by_hand()) => self.arm().await,
            Ok(()) => self.record().await,
            Err(e) => Err(e),
        };
        match result {
            Ok(()) => self.lent = Some(back),
            Err(_) => {
                self.setup = own;
                let _ = self.apply().await;
            }
        }
        result
    }

    /// The own set-up is in force again; a recording that was begun with another one ends.
    pub(super) async fn given_back(&mut self) {
        self.lent = None;
        self.arm_again = false;
        self.end_recording(false, "what it was recorded for has ended");
        self.setup = self.own.borrow().clone();
        if let Err(e) = self.apply().await {
            tracing::warn!("the set-up that was in force before is not taken: {e}");
        }
    }

    /// Brings the front end to the set-up, and lets it send.
    pub(super) async fn apply(&mut self) -> Result<(), CaptureError> {
        let (Some(link), Some(setup)) = (&mut self.link, &self.setup) else { return Ok(()) };
        let wanted = settings(&setup.rig, &setup.plan);
        if self.applied.as_ref() == Some(&wanted) {
            return Ok(());
        }
        let numbers: Vec<u16> = wanted.inputs.iter().map(|i| i.number).collect();
        let same_stream = self.applied.as_ref().is_some_and(|a| {
            a.rate_hz == wanted.rate_hz && a.inputs.iter().map(|i| i.number).eq(numbers.iter().copied())
        });
        let result = link.apply(&wanted, !same_stream).await;
        match result {
            Ok(()) => {
                if same_stream {
                    let before = self.applied.iter().flat_map(|a| &a.inputs);
                    for (old, new) in before.zip(&wanted.inputs) {
                        if old != new {
                            self.live.forget(new.number);
                        }
                    }
                } else {
                    self.live.restart(wanted.rate_hz, &numbers);
                    self.next_block = None;
                }
                let rate = wanted.rate_hz;
                self.applied = Some(wanted);
                self.status.send_modify(|s| {
                    if let LinkState::Connected { sample_rate_hz, refused, .. } = &mut s.link {
                        *sample_rate_hz = rate;
                        *refused = None;
                    }
                });
                Ok(())
            }
            Err(ClientError::Refused(says)) => {
                let text = says.clone();
                self.status.send_modify(|s| {
                    if let LinkState::Connected { refused, .. } = &mut s.link {
                        *refused = Some(text);
                    }
                });
                refuse(format!("the front end refuses: {says}"))
            }
            Err(e) => {
                self.link_lost(&e.to_string());
                refuse(e.to_string())
            }
        }
    }
}
