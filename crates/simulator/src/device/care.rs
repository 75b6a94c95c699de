//! What is done to a front end beside measuring: its state, tests, smart sensors, and the hands
//! that plug, unplug, swap and break.

use super::plug::{Motion, Plug};
use super::tapping::Tapped;
use super::{Lantern, Machine, OUTPUT_V};
use crate::electronics::{BIAS_V, Fault, RAIL_V, Sensor};
use crate::memory::{hex, unhex};
use crate::physics::berth::Bump;
use echo_link::{InputTest, Memory, ModuleState, Notice, OutputState, UnitState, Wave};
use serde::Serialize;

/// Noise of a sound input with the sensor's own, V rms.
const SOUND_NOISE_V: f64 = 4e-6;

/// What lies or hangs where, for the control page.
#[derive(Debug, Serialize)]
pub struct Bench {
    /// Model of the front end.
    pub model: &'static str,
    /// Its serial.
    pub serial: String,
    /// Every input with what hangs on it.
    pub inputs: Vec<Hanging>,
    /// Sensors that lie ready.
    pub drawer: Vec<String>,
    /// Modules without power.
    pub dark: Vec<String>,
    /// Whether the clock is locked.
    pub clock_locked: bool,
    /// What the output drives.
    pub output: OutputState,
    /// Whether the digital output is on.
    pub switched: bool,
    /// Speed of the machine's input shaft, rpm, where it has one.
    pub rpm: Option<f64>,
    /// Bumps that were made, where there are any.
    pub bumps: Vec<Bump>,
    /// The bracket, where it is one.
    pub bracket: Option<Tapped>,
}

/// One input and what hangs on it.
#[derive(Debug, Serialize)]
pub struct Hanging {
    /// Its number.
    pub number: u16,
    /// The sensor, if one is plugged in.
    pub sensor: Option<String>,
    /// Whether that has a memory.
    pub smart: bool,
    /// What is broken.
    pub fault: Fault,
    /// What moves it.
    #[serde(flatten)]
    pub motion: Motion,
}

impl Lantern {
    /// How it does.
    pub fn state(&self) -> UnitState {
        let mut modules: Vec<ModuleState> = Vec::new();
        for number in 1..=self.sockets.len() as u16 {
            let module = self.module(number);
            if modules.last().is_none_or(|m| m.module != module) {
                modules.push(ModuleState { powered: !self.dark.contains(&module), module });
            }
        }
        let warm = 31.0 + self.serial.bytes().map(f64::from).sum::<f64>() % 7.0;
        UnitState {
            temperature_c: warm + 0.2 * ((self.sample % 977) as f64 / 977.0),
            clock_locked: self.clock_locked,
            modules,
            output: Some(self.output),
            switched: Some(self.switched),
        }
    }

    /// Switches the digital output.
    pub fn switch(&mut self, on: bool) {
        self.switched = on;
    }

    /// Tests one input.
    pub fn tested(&self, number: u16) -> InputTest {
        let fault = |says: &str, bias_v: Option<f64>, offset_v: f64, noise_v: f64| InputTest {
            number,
            passed: false,
            says: says.into(),
            bias_v,
            offset_v,
            noise_v,
        };
        let spread = f64::from(number % 7) * 0.01;
        let offset = 20e-6 * (f64::from(number % 5) - 2.0);
        if self.dark.contains(&self.module(number)) {
            return fault(&format!("module {} has no power", self.module(number)), None, 0.0, 0.0);
        }
        let Some(p) = self.sockets.get(usize::from(number) - 1).and_then(|s| s.plug.as_ref()) else {
            return fault("nothing is plugged in: the supply finds an open cable", Some(RAIL_V), offset, SOUND_NOISE_V);
        };
        let bias = matches!(p.sensor, Sensor::Iepe(_)).then_some(BIAS_V + spread);
        match p.fault {
            Fault::Open => fault("the IEPE circuit is open: cable or plug", Some(RAIL_V), offset, SOUND_NOISE_V),
            Fault::Short => fault("the cable is shorted", Some(0.02), offset, SOUND_NOISE_V),
            Fault::Offset => {
                fault("the rest voltage is off: the sensor's electronics ail", Some(3.1), offset, SOUND_NOISE_V)
            }
            Fault::Noisy => fault("noise is far above what is expected", bias, offset, 0.02),
            // A dead crystal draws its current as a sound one does: the supply cannot tell.
            Fault::None | Fault::Dead | Fault::Loud => InputTest {
                number,
                passed: true,
                says: match p.sensor {
                    Sensor::Iepe(_) => "in order".into(),
                    Sensor::Charge(_) => "in order; a crystal, no supply to test".into(),
                    Sensor::Bridge(..) => "in order; the bridge is balanced".into(),
                    _ => "in order; a voltage source, no supply to test".into(),
                },
                bias_v: bias,
                offset_v: offset,
                noise_v: SOUND_NOISE_V,
            },
        }
    }

    /// Smart sensors that are plugged in.
    pub fn memories(&self) -> Vec<Memory> {
        let told = self.sockets.iter().enumerate().filter_map(|(i, s)| {
            let memory = s.plug.as_ref()?.memory.as_ref()?;
            Some(Memory { input: i as u16 + 1, memory: hex(memory) })
        });
        told.collect()
    }

    /// Writes a smart sensor's memory.
    ///
    /// # Errors
    /// No smart sensor there, or another size than its memory has.
    pub fn write_memory(&mut self, input: u16, memory: &str) -> Result<Memory, String> {
        let none = || format!("no smart sensor is plugged into input {input}");
        let held = self
            .sockets
            .get_mut(usize::from(input.saturating_sub(1)))
            .and_then(|s| s.plug.as_mut())
            .and_then(|p| p.memory.as_mut())
            .ok_or_else(none)?;
        let bytes = unhex(memory).ok_or("the memory is not in hexadecimal digits")?;
        if bytes.len() != held.len() {
            return Err(format!("the memory has {} bytes; {} were sent", held.len(), bytes.len()));
        }
        *held = bytes;
        Ok(Memory { input, memory: hex(held) })
    }

    /// Drives the output.
    ///
    /// # Errors
    /// A frequency or a voltage it does not have.
    pub fn drive(&mut self, hz: f64, peak_v: f64, wave: Wave) -> Result<OutputState, String> {
        if !(hz > 0.0 && hz <= 20_000.0) {
            return Err(format!("the output has no {hz} Hz; it has up to 20000 Hz"));
        }
        if !(0.0..=OUTPUT_V).contains(&peak_v) {
            return Err(format!("the output has no {peak_v} V; it has 0 to {OUTPUT_V} V"));
        }
        self.output = OutputState { hz, peak_v, wave };
        Ok(self.output)
    }

    /// What hangs and lies where.
    pub fn bench(&self) -> Bench {
        let hanging = |(i, s): (usize, &super::Socket)| Hanging {
            number: i as u16 + 1,
            sensor: s.plug.as_ref().map(|p| p.label.clone()),
            smart: s.plug.as_ref().is_some_and(|p| p.memory.is_some()),
            fault: s.plug.as_ref().map_or(Fault::None, |p| p.fault),
            motion: s.motion,
        };
        Bench {
            model: self.model(),
            serial: self.serial.clone(),
            inputs: self.sockets.iter().enumerate().map(hanging).collect(),
            drawer: self.drawer.iter().map(|p| p.label.clone()).collect(),
            dark: self.dark.clone(),
            clock_locked: self.clock_locked,
            output: self.output,
            switched: self.switched,
            rpm: match &self.machine {
                Machine::Thruster(t) => Some(t.rpm()),
                _ => None,
            },
            bumps: match &self.machine {
                Machine::Berth(b) => b.made().copied().collect(),
                _ => Vec::new(),
            },
            bracket: self.tapped(),
        }
    }

    /// So many bumps against the quay from now on, and then none.
    ///
    /// # Errors
    /// A machine that lies at no quay.
    pub fn bump(&mut self, times: u32) -> Result<(), String> {
        match &mut self.machine {
            Machine::Berth(hull) => {
                hull.bump(times);
                Ok(())
            }
            _ => Err("this one lies at no quay".into()),
        }
    }

    /// Brings the machine's input shaft to a speed.
    ///
    /// # Errors
    /// A machine without a shaft, a speed or a change it does not have.
    pub fn bring_to(&mut self, rpm: f64, rpm_per_s: f64) -> Result<(), String> {
        let Machine::Thruster(t) = &mut self.machine else { return Err("this machine has no shaft".into()) };
        if !((300.0..=3600.0).contains(&rpm) && (1.0..=2000.0).contains(&rpm_per_s)) {
            return Err("the input shaft turns at 300 to 3600 rpm and changes by 1 to 2000 rpm a second".into());
        }
        t.bring_to(rpm, rpm_per_s);
        Ok(())
    }

    /// Holds the machine at the speed it has.
    ///
    /// # Errors
    /// A machine without a shaft.
    pub fn hold(&mut self) -> Result<(), String> {
        let Machine::Thruster(t) = &mut self.machine else { return Err("this machine has no shaft".into()) };
        let rpm = t.rpm();
        t.bring_to(rpm, 1.0);
        Ok(())
    }

    pub(super) fn socket(&mut self, number: u16) -> Result<&mut super::Socket, String> {
        let most = self.sockets.len();
        self.sockets
            .get_mut(usize::from(number).wrapping_sub(1))
            .ok_or_else(|| format!("there is no input {number}; there are 1 to {most}"))
    }

    fn told(&self, number: u16) {
        let smart = self.memories().into_iter().find(|m| m.input == number);
        let _ = self.news.send(smart.map_or(Notice::Unplugged { input: number }, Notice::Plugged));
    }

    /// Takes a sensor off its input and lays it into the drawer.
    ///
    /// # Errors
    /// No such input, or nothing on it.
    pub fn unplug(&mut self, number: u16) -> Result<(), String> {
        let plug = self.socket(number)?.plug.take().ok_or_else(|| format!("nothing is plugged into input {number}"))?;
        self.drawer.push(plug);
        let _ = self.news.send(Notice::Unplugged { input: number });
        Ok(())
    }

    /// Plugs a sensor in, from the drawer or from another input.
    ///
    /// # Errors
    /// No such sensor, or the input is taken.
    pub fn plug_in(&mut self, number: u16, label: &str) -> Result<(), String> {
        if let Some(there) = &self.socket(number)?.plug {
            return Err(format!("{} is plugged into input {number}; unplug it first", there.label));
        }
        let named = |p: &Plug| p.label == label;
        let (plug, from) = match self.drawer.iter().position(named) {
            Some(i) => (self.drawer.remove(i), None),
            None => {
                let at = self.sockets.iter().position(|s| s.plug.as_ref().is_some_and(named));
                let at = at.ok_or_else(|| format!("there is no sensor “{label}”"))?;
                let plug = self.sockets[at].plug.take().ok_or("it is gone")?;
                (plug, Some(at as u16 + 1))
            }
        };
        if let Some(from) = from {
            let _ = self.news.send(Notice::Unplugged { input: from });
        }
        self.socket(number)?.plug = Some(plug);
        self.told(number);
        Ok(())
    }

    /// Exchanges what hangs on two inputs.
    ///
    /// # Errors
    /// No such input.
    pub fn swap(&mut self, a: u16, b: u16) -> Result<(), String> {
        let of_a = self.socket(a)?.plug.take();
        let of_b = match self.socket(b) {
            Ok(s) => std::mem::replace(&mut s.plug, of_a),
            Err(e) => {
                self.socket(a)?.plug = of_a;
                return Err(e);
            }
        };
        self.socket(a)?.plug = of_b;
        self.told(a);
        self.told(b);
        Ok(())
    }

    /// Breaks a sensor, or mends it.
    ///
    /// # Errors
    /// Nothing on that input.
    pub fn break_sensor(&mut self, number: u16, fault: Fault) -> Result<(), String> {
        let none = format!("nothing is plugged into input {number}");
        self.socket(number)?.plug.as_mut().ok_or(none)?.fault = fault;
        Ok(())
    }

    /// Moves a sensor to something else that shakes it.
    ///
    /// # Errors
    /// No such input, or a level no calibrator has.
    pub fn move_to(&mut self, number: u16, motion: Motion) -> Result<(), String> {
        if let Motion::Calibrator { hz, rms } = motion
            && !((1.0..=20_000.0).contains(&hz) && (0.0..=1000.0).contains(&rms))
        {
            return Err("a calibrator gives 1 to 20000 Hz at 0 to 1000 m/s² rms".into());
        }
        self.socket(number)?.motion = motion;
        Ok(())
    }

    /// Gives a module power or takes it away.
    ///
    /// # Errors
    /// No such module.
    pub fn power(&mut self, module: &str, on: bool) -> Result<(), String> {
        if !self.state().modules.iter().any(|m| m.module == module) {
            return Err(format!("there is no module {module}"));
        }
        self.dark.retain(|m| m != module);
        if !on {
            self.dark.push(module.into());
        }
        Ok(())
    }

    /// Locks the clock to the shared one, or lets it go.
    pub fn lock_clock(&mut self, locked: bool) {
        self.clock_locked = locked;
    }

    /// Pulls the cable: the connection that stands ends at once.
    pub fn cut(&mut self) {
        self.cut = true;
    }

    /// Lets its clock run too fast or too slow by so many millionths.
    pub fn drift(&mut self, ppm: f64) {
        self.drift_ppm = ppm;
    }
}
