//! What no single key can say: rules between keys, and ranges.

use super::{Lens, Recipe, StatisticsSettings};
use crate::Refusal;

fn refuse(key: &str, got: impl std::fmt::Display, allowed: &str) -> Result<(), Refusal> {
    Err(Refusal::new(key, format!("{key} is {got}; allowed is {allowed}")))
}

/// A band with both edges above 0 and ascending.
fn band(key: &str, edges: [f64; 2]) -> Result<(), Refusal> {
    let [lo, hi] = edges;
    if lo > 0.0 && hi > lo && hi.is_finite() {
        Ok(())
    } else {
        refuse(key, format!("{lo} to {hi} Hz"), "a lower edge above 0 and an upper edge above it")
    }
}

fn positive(key: &str, x: f64) -> Result<(), Refusal> {
    if x.is_finite() && x > 0.0 { Ok(()) } else { refuse(key, x, "a number above 0") }
}

fn channel(key: &str, c: u32) -> Result<(), Refusal> {
    if c > 0 { Ok(()) } else { refuse(key, c, "a channel from 1") }
}

impl Recipe {
    /// Checks what reading the keys one by one could not.
    ///
    /// # Errors
    /// One sentence naming the key and what is allowed.
    pub(super) fn check(&self) -> Result<(), Refusal> {
        if let Some(c) = &self.channels {
            if c.is_empty() || c.contains(&0) {
                return Err(Refusal::new("channels", "channels: allowed are one or more numbers from 1"));
            }
            let mut seen = c.clone();
            seen.sort_unstable();
            if seen.windows(2).any(|w| w[0] == w[1]) {
                return Err(Refusal::new("channels", "channels: a channel is named twice; allowed is each once"));
            }
        }
        if let Some(s) = self.stretch
            && !(s.from_s >= 0.0 && s.to_s > s.from_s && s.to_s.is_finite())
        {
            return Err(Refusal::new(
                "stretch",
                format!("stretch is {} to {} s; allowed is 0 or more, and an end after the start", s.from_s, s.to_s),
            ));
        }
        for s in &self.sensitivities {
            if !(s.value.is_finite() && s.value > 0.0) {
                return Err(Refusal::new(
                    "sensitivities",
                    format!("sensitivities: {} for channel {}; allowed is a number above 0", s.value, s.channel),
                ));
            }
        }
        if !(self.integrate_above_hz.is_finite() && self.integrate_above_hz >= 0.0) {
            return refuse("integrate_above_hz", self.integrate_above_hz, "0 or more");
        }
        self.lens.check()
    }
}

impl Lens {
    fn check(&self) -> Result<(), Refusal> {
        match self {
            Lens::Waveform(w) if w.points == 0 || w.points > 1_000_000 => refuse("points", w.points, "1 to 1000000"),
            Lens::Statistics(StatisticsSettings { interval_s: Some(i) }) => positive("interval_s", *i),
            Lens::Spectrogram(s) => s.interval_s.map_or(Ok(()), |i| positive("interval_s", i)),
            Lens::Cross(c) => references(&c.reference.channels()),
            Lens::Response(r) => references(&r.reference.channels()),
            Lens::Envelope(e) => match e.band_hz {
                None => Err(Refusal::new("band_hz", "band_hz is missing; allowed are a lower and an upper edge in Hz")),
                Some(edges) => band("band_hz", edges),
            },
            Lens::Level(l) => band("band_hz", l.band_hz).and_then(|()| positive("interval_s", l.interval_s)),
            Lens::Distribution(d) if d.classes.is_some() && d.edges.is_some() => {
                refuse("classes", "given beside edges", "one of both")
            }
            Lens::Rainflow(r) if r.classes.is_some() && r.edges.is_some() => {
                refuse("classes", "given beside edges", "one of both")
            }
            Lens::Rainflow(r) => positive("exponent", r.exponent),
            Lens::Speed(s) => {
                channel("tacho.channel", s.tacho.channel).and_then(|()| positive("interval_s", s.interval_s))
            }
            Lens::OrderMap(o) => {
                channel("tacho.channel", o.tacho.channel)?;
                positive("resolution", o.resolution)?;
                positive("max_order", o.max_order)
            }
            Lens::OrderTrack(o) => {
                channel("tacho.channel", o.tacho.channel)?;
                if o.orders.is_empty() || o.orders.len() > 1000 {
                    return refuse("orders", format!("{} numbers", o.orders.len()), "1 to 1000 numbers above 0");
                }
                o.orders.iter().try_for_each(|x| positive("orders", *x))?;
                positive("resolution", o.resolution)
            }
            Lens::Arrivals(a) => a.band_hz.map_or(Ok(()), |edges| band("band_hz", edges)),
            _ => Ok(()),
        }
    }
}

fn references(all: &[u32]) -> Result<(), Refusal> {
    if all.is_empty() {
        return Err(Refusal::new("reference", "reference names no channel; allowed are one or more numbers from 1"));
    }
    all.iter().try_for_each(|c| channel("reference", *c))?;
    let mut sorted = all.to_vec();
    sorted.sort_unstable();
    if sorted.windows(2).any(|w| w[0] == w[1]) {
        return Err(Refusal::new("reference", "reference names a channel twice; allowed is each once"));
    }
    Ok(())
}
