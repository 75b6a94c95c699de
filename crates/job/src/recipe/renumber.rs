//! A recipe for one run carried out on another: channels are found again by their names.

use super::{Lens, Recipe, References};
use crate::Refusal;

impl Recipe {
    /// The recipe with every channel number replaced; computed channels move along behind the
    /// others.
    ///
    /// # Errors
    /// The first number `to` refuses.
    pub fn renumbered(&self, to: &impl Fn(u32) -> Result<u32, Refusal>) -> Result<Recipe, Refusal> {
        let mut out = self.clone();
        let all = |numbers: &mut [u32]| numbers.iter_mut().try_for_each(|n| to(*n).map(|m| *n = m));
        if let Some(channels) = &mut out.channels {
            all(channels)?;
        }
        for s in &mut out.sensitivities {
            s.channel = to(s.channel)?;
        }
        match &mut out.lens {
            Lens::Cross(c) => references(&mut c.reference, to)?,
            Lens::Response(r) => references(&mut r.reference, to)?,
            Lens::Speed(s) => s.tacho.channel = to(s.tacho.channel)?,
            Lens::OrderMap(o) => o.tacho.channel = to(o.tacho.channel)?,
            Lens::OrderTrack(o) => o.tacho.channel = to(o.tacho.channel)?,
            Lens::Spectrogram(s) => s.tacho.iter_mut().try_for_each(|t| to(t.channel).map(|n| t.channel = n))?,
            Lens::Orbit(o) => o.tacho.channel = to(o.tacho.channel)?,
            Lens::Deflection(d) => {
                d.reference.iter_mut().try_for_each(|n| to(*n).map(|m| *n = m))?;
                d.tacho.iter_mut().try_for_each(|t| to(t.channel).map(|n| t.channel = n))?;
            }
            Lens::OperationalModes(m) => m.references.iter_mut().try_for_each(|named| all(named))?,
            _ => {}
        }
        Ok(out)
    }

    /// The recipe for a run whose channels have other numbers, by their names. Numbers beyond those
    /// of the first run are its computed channels.
    ///
    /// # Errors
    /// A channel the other run does not have, by its name.
    pub fn for_channels(&self, from: &[String], to: &[String]) -> Result<Recipe, Refusal> {
        self.renumbered(&|n| {
            let at = n as usize;
            let Some(name) = from.get(at.wrapping_sub(1)) else {
                return Ok((at - from.len() + to.len()) as u32);
            };
            let found = to.iter().position(|t| t == name).map(|i| i as u32 + 1);
            found.ok_or_else(|| Refusal::new("channels", format!("that run has no channel “{name}”")))
        })
    }
}

fn references(of: &mut References, to: &impl Fn(u32) -> Result<u32, Refusal>) -> Result<(), Refusal> {
    match of {
        References::One(n) => *n = to(*n)?,
        References::Several(all) => all.iter_mut().try_for_each(|n| to(*n).map(|m| *n = m))?,
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn names(all: &[&str]) -> Vec<String> {
        all.iter().map(|s| (*s).to_string()).collect()
    }

    #[test]
    fn channels_are_found_again_by_name() {
        let (from, to) = (names(&["vert", "athw", "tacho"]), names(&["tacho", "spare", "athw", "vert"]));
        let read = |text: &str| Recipe::from_json(text).unwrap();
        let track = read(
            r#"{"lens": "order_track", "channels": [2, 1, 4], "tacho": {"channel": 3}, "math": [{"name": "a", "is": "vert - athw"}]}"#,
        );
        let moved = track.for_channels(&from, &to).unwrap();
        assert_eq!(moved.channels, Some(vec![3, 4, 5]), "the computed one follows the others");
        assert!(matches!(&moved.lens, Lens::OrderTrack(o) if o.tacho.channel == 1));
        let response = read(r#"{"lens": "response", "reference": [1, 3], "channels": [2]}"#);
        let moved = response.for_channels(&from, &to).unwrap();
        assert!(matches!(&moved.lens, Lens::Response(r) if r.reference.channels() == [4, 1]));
        let says = track.for_channels(&from, &names(&["vert", "tacho"])).unwrap_err().says;
        assert!(says.contains("no channel “athw”"), "{says}");
        let all = read(r#"{"lens": "statistics"}"#);
        assert_eq!(all.for_channels(&from, &to).unwrap(), all);
    }
}
