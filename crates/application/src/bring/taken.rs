//! The channels that are brought in, with their rows.

use super::reading::{FileReading, ReadChannel, unit_of};
use echo_job::Refusal;
use echo_job::analysis::SourceInfo;
use echo_job::coupling::Coupling;
use echo_job::dof::{Dof, Sign};
use echo_job::rig::Channel;
use echo_job::sensitivity::Sensitivity;
use echo_job::unit::Unit;

/// A channel that is brought in: which one of the file, its row, and its unit a number of the file.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Taken {
    pub source: usize,
    pub row: Channel,
    pub scale: f64,
}

/// The channels that are brought in, with their rows.
///
/// # Errors
/// A channel that the file does not have, one twice, or a unit that is not known.
pub(super) fn taken(info: &SourceInfo, reading: &FileReading) -> std::result::Result<Vec<Taken>, Refusal> {
    let all = (1..=info.channels.len()).map(|source| {
        let c = &info.channels[source - 1];
        ReadChannel { source, name: c.name.clone(), unit: c.unit.clone(), ..ReadChannel::default() }
    });
    let wanted: Vec<ReadChannel> = if reading.channels.is_empty() { all.collect() } else { reading.channels.clone() };
    let mut out: Vec<Taken> = Vec::new();
    for c in wanted {
        let Some(of_file) = c.source.checked_sub(1).and_then(|k| info.channels.get(k)) else {
            let says = format!("the file has no channel {}; it has {}", c.source, info.channels.len());
            return Err(Refusal::new("channels", says));
        };
        if out.iter().any(|t| t.source + 1 == c.source) {
            return Err(Refusal::new("channels", format!("channel {} is named twice", c.source)));
        }
        let unit = unit_of(&c.unit)?;
        let dof = of_file.dof.as_ref();
        let told = |text: String, of: Option<String>| if text.is_empty() { of.unwrap_or_default() } else { text };
        let sign = |d: &Dof| d.sign == Sign::Minus;
        let direction = dof.map(|d| format!("{}{}", if sign(d) { "-" } else { "" }, d.direction));
        let input = out.len() as u16 + 1;
        let named = if c.name.trim().is_empty() { of_file.name.clone() } else { c.name.trim().to_string() };
        out.push(Taken {
            source: c.source - 1,
            scale: if info.full_scale { c.full_scale.unwrap_or(1.0) } else { 1.0 },
            row: Channel {
                on: true,
                name: named,
                quantity: unit.quantity,
                unit: unit.symbol.into(),
                // A volt stands for one of the unit: what is shown is what the file holds.
                sensitivity: Sensitivity::new(1.0, &per(unit), unit.quantity)?,
                coupling: Coupling::Dc,
                range_v: 10.0,
                point: told(c.point.trim().into(), dof.map(|d| d.point.clone())),
                direction: told(c.direction.trim().into(), direction),
                ..Channel::free(input)
            },
        });
    }
    if out.is_empty() {
        return Err(Refusal::new("channels", "no channel is to be brought in; choose one or more"));
    }
    distinct(&mut out);
    Ok(out)
}

/// V over a unit.
fn per(unit: &Unit) -> String {
    let all = echo_job::sensitivity::allowed(unit.quantity);
    let fits = |s: &&String| {
        Sensitivity::new(1.0, s, unit.quantity).and_then(|s| s.output_per_si()).is_ok_and(|x| x == 1.0 / unit.to_si)
    };
    all.iter().filter(|s| s.starts_with("V/")).find(fits).cloned().unwrap_or_else(|| format!("V/{}", unit.symbol))
}

/// Gives channels of one name numbers, since a name is used once in a rig.
fn distinct(all: &mut [Taken]) {
    for i in 0..all.len() {
        let (before, rest) = all.split_at_mut(i);
        let used = |name: &str| before.iter().any(|b| b.row.name == name);
        let Some(this) = rest.first_mut() else { continue };
        let name = this.row.name.clone();
        let mut n = 2;
        while used(&this.row.name) {
            this.row.name = format!("{name} {n}");
            n += 1;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use echo_job::analysis::{Memory, Source};

    fn info() -> SourceInfo {
        let channel = |name: &str, unit: &str| (name.to_string(), unit.to_string(), vec![0.0; 4]);
        Memory::new(1000.0, vec![channel("ramp", "m/s2"), channel("ramp", ""), channel("", "mm")]).info().clone()
    }

    fn read(source: usize, unit: &str) -> ReadChannel {
        ReadChannel { source, unit: unit.into(), ..ReadChannel::default() }
    }

    #[test]
    fn every_unit_has_a_sensitivity_of_one_volt() {
        for unit in echo_job::unit::UNITS {
            let s = Sensitivity::new(1.0, &per(unit), unit.quantity).unwrap();
            assert_eq!(s.output_per_si().unwrap() * unit.to_si, 1.0, "{}", unit.symbol);
        }
    }

    #[test]
    fn channels_are_taken_as_the_file_names_them() {
        let all = taken(&info(), &FileReading::default()).unwrap();
        let told: Vec<_> = all.iter().map(|t| (t.row.name.as_str(), t.row.unit.as_str(), t.row.input)).collect();
        assert_eq!(told, [("ramp", "m/s²", 1), ("ramp 2", "V", 2), ("", "mm", 3)]);
    }

    #[test]
    fn what_is_not_there_or_not_known_is_refused() {
        let says = |channels: Vec<ReadChannel>| {
            let reading = FileReading { channels, ..FileReading::default() };
            reading.check().and_then(|()| taken(&info(), &reading)).unwrap_err().says
        };
        assert!(says(vec![read(4, "V")]).contains("no channel 4; it has 3"));
        assert!(says(vec![read(0, "V")]).contains("no channel 0"));
        assert!(says(vec![read(1, "V"), read(1, "V")]).contains("named twice"));
        assert!(says(vec![read(1, "furlong")]).contains("furlong"));
        let rate = FileReading { sample_rate_hz: Some(f64::NAN), ..FileReading::default() };
        assert!(rate.check().unwrap_err().says.contains("above 0"));
    }
}
