//! The memory of smart sensors (IEEE 1451.4, transducer electronic data sheet).
//!
//! The memory is divided into pages of 32 bytes; the first byte of a page makes the sum of the page
//! zero modulo 256. The remaining bytes of all pages, each with its lowest bit first, are one row
//! of bits: the basic block (maker 14, model 15, version letter 5, version number 6, serial 24),
//! then a selector (2; 0: a standard template follows) with the template's number (8) and its
//! entries. Template 25, accelerometer or force transducer with built-in electronics, is read and
//! written; others are told by their number and never guessed.

use chrono::{Days, NaiveDate};
use echo_job::rig::Coupling;
use echo_job::sensitivity::{Output, Sensitivity};
use echo_job::sensor::Sensor;
use echo_job::unit::Quantity;
use serde::Serialize;
use utoipa::ToSchema;

const PAGE: usize = 32;
/// Template of accelerometers and force transducers with built-in electronics.
const ACCELEROMETER: u64 = 25;

/// Makers by their number, with the first letters of their type designations. A number that is not
/// here is shown as such.
const MAKERS: [(u64, &str, &str); 2] = [(301, "Oakum & Pell", "QA-"), (302, "Brindle Instruments", "BI-")];

/// What a memory says.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(tag = "memory", rename_all = "snake_case")]
pub enum Told {
    /// A sensor, entry for entry.
    Sensor {
        /// The sensor.
        sensor: Box<Sensor>,
    },
    /// Nothing is written yet.
    Blank,
    /// It cannot be trusted.
    Damaged {
        /// Why, in a sentence.
        says: String,
    },
    /// Who it is is known, but its settings are in a template that is not read here.
    Unknown {
        /// Type, serial.
        label: String,
        /// Why, in a sentence.
        says: String,
    },
}

struct Bits<'a> {
    bytes: &'a [u8],
    at: usize,
}

impl Bits<'_> {
    fn take(&mut self, bits: usize) -> Option<u64> {
        let mut value = 0;
        for i in 0..bits {
            let at = self.at + i;
            let bit = self.bytes.get(at / 8)? >> (at % 8) & 1;
            value |= u64::from(bit) << i;
        }
        self.at += bits;
        Some(value)
    }

    /// A value on a scale of equal ratios; all ones mean that it is not given.
    fn ratio(&mut self, bits: usize, start: f64, tolerance: f64) -> Option<Option<f64>> {
        let n = self.take(bits)?;
        Some((n != (1 << bits) - 1).then(|| start * (1.0 + 2.0 * tolerance).powf(n as f64)))
    }
}

fn epoch() -> NaiveDate {
    NaiveDate::from_ymd_opt(1998, 1, 1).unwrap_or_default()
}

/// Reads a memory.
pub fn read(memory: &[u8]) -> Told {
    let damaged = |says: &str| Told::Damaged { says: says.into() };
    if memory.is_empty() || !memory.len().is_multiple_of(PAGE) {
        return damaged("its length is no whole number of pages");
    }
    if memory.iter().all(|b| *b == 0xff) || memory.iter().all(|b| *b == 0) {
        return Told::Blank;
    }
    let mut contents = Vec::with_capacity(memory.len());
    for (k, page) in memory.chunks(PAGE).enumerate() {
        if page.iter().fold(0u8, |s, b| s.wrapping_add(*b)) != 0 {
            return damaged(&format!("the checksum of page {} does not fit", k + 1));
        }
        contents.extend(&page[1..]);
    }
    let mut bits = Bits { bytes: &contents, at: 0 };
    entries(&mut bits).unwrap_or_else(|| damaged("it ends in the middle of an entry"))
}

fn entries(bits: &mut Bits) -> Option<Told> {
    let (maker, model) = (bits.take(14)?, bits.take(15)?);
    let _version = (bits.take(5)?, bits.take(6)?);
    let serial = bits.take(24)?.to_string();
    let (maker, model) = match MAKERS.iter().find(|m| m.0 == maker) {
        Some((_, name, letters)) => (name.to_string(), format!("{letters}{model}")),
        None => (format!("maker {maker}"), format!("type {maker}/{model}")),
    };
    let label = format!("{model}, {serial}");
    let selector = bits.take(2)?;
    let template = bits.take(8)?;
    if selector != 0 || template != ACCELEROMETER {
        let says = if selector == 0 {
            format!("its settings are in template {template}, which is not known here; enter them by hand")
        } else {
            "its settings are not in a standard template; enter them by hand".into()
        };
        return Some(Told::Unknown { label, says });
    }
    let quantity = if bits.take(1)? == 0 { Quantity::Acceleration } else { Quantity::Force };
    if bits.take(1)? != 0 {
        let says = "its electronics have switchable functions, which are not known here; enter it by hand".into();
        return Some(Told::Unknown { label, says });
    }
    let volts = bits.ratio(16, 5e-7, 0.00015)?;
    let _high_pass = bits.ratio(8, 0.005, 0.03)?;
    let _direction = bits.take(2)?;
    let _weight = bits.take(6)?;
    let _polarity = bits.take(1)?;
    let mut resonance_hz = None;
    if bits.take(1)? == 1 {
        let _low_pass = bits.take(7)?;
        resonance_hz = bits.ratio(9, 100.0, 0.01)?;
        let _quality = bits.take(9)?;
        let _slope = bits.take(7)?;
        let _drift = bits.take(6)?;
    }
    let reference_hz = bits.ratio(8, 0.35, 0.0175)?;
    let _temperature = bits.take(5)?;
    let day = bits.take(16)?;
    let _initials = bits.take(15)?;
    let period = bits.take(12)?;
    let Some(volts) = volts else {
        return Some(Told::Unknown { label, says: "its sensitivity is not given; enter it by hand".into() });
    };
    let calibrated_on = (day != 0xffff).then(|| epoch() + Days::new(day));
    let unit = echo_job::sensitivity::allowed(quantity).swap_remove(0);
    // Five digits: finer than one step of the scale, 0.03 %.
    let value = echo_job::entry::number::rounded(volts * 1e3, 5);
    let sensor = Sensor {
        model,
        serial,
        maker,
        quantity,
        sensitivity: Sensitivity { value, unit },
        reference_hz: reference_hz.map(|hz| echo_job::entry::number::rounded(hz, 3)),
        coupling: Coupling::Iepe,
        measures_to: None,
        resonance_hz: resonance_hz.map(|hz| echo_job::entry::number::rounded(hz, 3)),
        bias_v: None,
        calibrated_on,
        due_on: calibrated_on.filter(|_| period != 0xfff && period > 0).map(|d| d + Days::new(period)),
        uncertainty_percent: None,
    };
    Some(Told::Sensor { sensor: Box::new(sensor) })
}

#[derive(Default)]
struct Writer(Vec<u8>, usize);

impl Writer {
    fn put(&mut self, value: u64, bits: usize) {
        for i in 0..bits {
            if self.1.is_multiple_of(8) {
                self.0.push(0);
            }
            if value >> i & 1 == 1
                && let Some(b) = self.0.last_mut()
            {
                *b |= 1 << (self.1 % 8);
            }
            self.1 += 1;
        }
    }

    /// A value on a scale of equal ratios; one beyond its ends is refused rather than bent.
    fn ratio(&mut self, what: &str, value: Option<f64>, bits: usize, start: f64, tolerance: f64) -> Result<(), String> {
        let none = (1u64 << bits) - 1;
        let step = 1.0 + 2.0 * tolerance;
        let n = match value {
            None => none as f64,
            Some(v) => ((v / start).ln() / step.ln()).round(),
        };
        let most = (none - 1) as f64;
        if value.is_some() && !(0.0..=most).contains(&n) {
            let end = start * step.powf(most);
            return Err(format!("{what} has no place on the memory's scale, which goes from {start} to {end:.4}"));
        }
        self.put(n as u64, bits);
        Ok(())
    }
}

/// Makes the memory of a sensor, `bytes` long.
///
/// # Errors
/// A sentence when its type, serial or quantity has no place in template 25.
pub fn write(sensor: &Sensor, bytes: usize) -> Result<Vec<u8>, String> {
    let known = MAKERS.iter().find_map(|(number, _, letters)| {
        let model: u64 = sensor.model.strip_prefix(letters)?.parse().ok().filter(|m| *m < 1 << 15)?;
        Some((*number, model))
    });
    let (maker, model) = known.ok_or_else(|| {
        format!("the type “{}” has no number to write; known are QA- and BI- with digits", sensor.model)
    })?;
    let serial: u64 =
        sensor.serial.parse().ok().filter(|s| *s < 1 << 24).ok_or_else(|| {
            format!("the serial “{}” cannot be written; allowed: digits up to 16777215", sensor.serial)
        })?;
    let force = match sensor.quantity {
        Quantity::Acceleration => 0,
        Quantity::Force => 1,
        q => return Err(format!("a sensor for {} has no place in template 25", q.name())),
    };
    if sensor.sensitivity.output().map_err(|e| e.says)? != Output::Voltage {
        return Err(format!("template 25 is for sensors with electronics; {} gives no voltage", sensor.label()));
    }
    let volts = sensor.sensitivity.output_per_si().map_err(|e| e.says)?;
    let mut w = Writer::default();
    for (value, bits) in
        [(maker, 14), (model, 15), (1, 5), (1, 6), (serial, 24), (0, 2), (ACCELEROMETER, 8), (force, 1), (0, 1)]
    {
        w.put(value, bits);
    }
    w.ratio("the sensitivity (V per SI unit)", Some(volts), 16, 5e-7, 0.00015)?;
    w.ratio("the high-pass", None, 8, 0.005, 0.03)?;
    w.put(3, 2);
    w.put(0x3f, 6);
    w.put(0, 1);
    match sensor.resonance_hz {
        Some(hz) => {
            w.put(1, 1);
            w.put(0x7f, 7);
            w.ratio("the resonance (Hz)", Some(hz), 9, 100.0, 0.01)?;
            w.put(0x1ff, 9);
            w.put(0x7f, 7);
            w.put(0x3f, 6);
        }
        None => w.put(0, 1),
    }
    w.ratio("the reference frequency (Hz)", sensor.reference_hz, 8, 0.35, 0.0175)?;
    w.put(0x1f, 5);
    let day = sensor.calibrated_on.map_or(0xffff, |d| (d - epoch()).num_days().clamp(0, 0xfffe) as u64);
    w.put(day, 16);
    w.put(0, 15);
    let period =
        sensor.due_on.zip(sensor.calibrated_on).map_or(0xfff, |(due, d)| (due - d).num_days().clamp(1, 0xffe) as u64);
    w.put(period, 12);
    w.put(0x7ff, 11);
    w.put(3, 2);
    let room = bytes / PAGE * (PAGE - 1);
    if w.0.len() > room {
        return Err(format!("the memory has room for {room} bytes; {} are needed", w.0.len()));
    }
    w.0.resize(room, 0);
    let mut all = Vec::with_capacity(bytes);
    for page in w.0.chunks(PAGE - 1) {
        all.push(0u8.wrapping_sub(page.iter().fold(0, |s: u8, b| s.wrapping_add(*b))));
        all.extend(page);
    }
    Ok(all)
}

/// Two hexadecimal digits a byte.
pub fn hex(bytes: &[u8]) -> String {
    hex::encode(bytes)
}

/// The bytes of hexadecimal digits; none if they are not.
pub fn unhex(text: &str) -> Option<Vec<u8>> {
    hex::decode(text).ok()
}
