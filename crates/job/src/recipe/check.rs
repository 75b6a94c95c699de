//! What no single key can say: rules between keys, and ranges.

use super::{AlongName, Lens, OrderTrackRecipe, Recipe, Step, TrackMethod};
use crate::Refusal;
use echo_signal::rotation::vold_kalman::MOST_TOGETHER;

pub(super) fn refuse(key: &str, got: impl std::fmt::Display, allowed: &str) -> Result<(), Refusal> {
    Err(Refusal::new(key, format!("{key} must be {allowed}, not {got}")))
}

/// A band with both edges above 0 and ascending.
pub(super) fn band(key: &str, edges: [f64; 2]) -> Result<(), Refusal> {
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

pub(super) fn channel(key: &str, c: u32) -> Result<(), Refusal> {
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
                return Err(Refusal::new("channels", "channels must be one or more numbers from 1"));
            }
            let mut seen = c.clone();
            seen.sort_unstable();
            if seen.windows(2).any(|w| w[0] == w[1]) {
                return Err(Refusal::new("channels", "channels: a channel is named twice; allowed: each once"));
            }
        }
        if let Some(s) = self.stretch
            && !(s.from_s >= 0.0 && s.to_s > s.from_s && s.to_s.is_finite())
        {
            return Err(Refusal::new(
                "stretch",
                format!("stretch must be 0 or more, and an end after the start, not {} to {} s", s.from_s, s.to_s),
            ));
        }
        for s in &self.sensitivities {
            if !(s.value.is_finite() && s.value > 0.0) {
                return Err(Refusal::new(
                    "sensitivities",
                    format!("sensitivities: {} for channel {}; allowed: a number above 0", s.value, s.channel),
                ));
            }
        }
        if !(self.integrate_above_hz.is_finite() && self.integrate_above_hz >= 0.0) {
            return refuse("integrate_above_hz", self.integrate_above_hz, "0 or more");
        }
        if self.math.len() > 64 {
            return refuse("math", format!("{} channels", self.math.len()), "up to 64");
        }
        self.prepare.iter().try_for_each(Step::check)?;
        if self.lens.follows_shaft() && self.prepare.iter().any(|s| matches!(s, Step::Resample { .. })) {
            return refuse("prepare", "resample", "other steps: what follows the shaft is resampled by its angle");
        }
        self.lens.check()
    }
}

impl Step {
    fn check(&self) -> Result<(), Refusal> {
        match self {
            Step::Trim { start_s, end_s } if !(*start_s >= 0.0 && *end_s >= 0.0 && (start_s + end_s).is_finite()) => {
                refuse("prepare", format!("trim of {start_s} and {end_s} s"), "0 s or more at either end")
            }
            Step::Resample { rate_hz } => positive("prepare.rate_hz", *rate_hz),
            _ => Ok(()),
        }
    }
}

impl Lens {
    /// Whether it reads the shaft's angle, sample by sample.
    pub(crate) fn follows_shaft(&self) -> bool {
        match self {
            Lens::Speed(_) | Lens::OrderMap(_) | Lens::OrderTrack(_) | Lens::Orbit(_) => true,
            Lens::Spectrogram(s) => s.along == AlongName::Speed,
            Lens::Deflection(d) => d.order.is_some(),
            _ => false,
        }
    }

    fn check(&self) -> Result<(), Refusal> {
        match self {
            Lens::Spectrogram(s) => {
                if s.along == AlongName::Speed && s.tacho.is_none() {
                    let says = "tacho is missing; spectra along the speed need the channel with its pulses";
                    return Err(Refusal::new("tacho", says));
                }
                s.tacho.iter().try_for_each(|t| channel("tacho.channel", t.channel))
            }
            Lens::Cross(c) => references("reference", &c.reference.channels()),
            Lens::Response(r) => references("reference", &r.reference.channels()),
            Lens::Envelope(e) => match e.band_hz {
                None => Err(Refusal::new("band_hz", "band_hz is missing; allowed: a lower and an upper edge in Hz")),
                Some(edges) => band("band_hz", edges),
            },
            Lens::Level(l) => band("band_hz", l.band_hz),
            Lens::Distribution(d) if d.classes.is_some() && d.edges.is_some() => {
                refuse("classes", "given beside edges", "one of both")
            }
            Lens::Rainflow(r) if r.classes.is_some() && r.edges.is_some() => {
                refuse("classes", "given beside edges", "one of both")
            }
            Lens::Speed(s) => channel("tacho.channel", s.tacho.channel),
            Lens::OrderMap(o) => channel("tacho.channel", o.tacho.channel),
            Lens::OrderTrack(o) => {
                channel("tacho.channel", o.tacho.channel)?;
                if o.orders.is_empty() || o.orders.len() > 1000 {
                    return refuse("orders", format!("{} numbers", o.orders.len()), "1 to 1000 numbers above 0");
                }
                o.orders.iter().try_for_each(|x| positive("orders", *x))?;
                follows(o)
            }
            Lens::Orbit(o) => {
                channel("tacho.channel", o.tacho.channel)?;
                if o.orders.len() > 20 || o.orders.iter().any(|x| !(*x > 0.0 && *x <= 100.0)) {
                    return refuse("orders", format!("{:?}", o.orders), "up to 20 numbers above 0 up to 100");
                }
                Ok(())
            }
            Lens::Modes(m) => m.check(),
            Lens::Deflection(d) => d.check(),
            Lens::OperationalModes(m) => m.check(),
            Lens::Arrivals(a) => a.band_hz.map_or(Ok(()), |edges| band("band_hz", edges)),
            _ => Ok(()),
        }
    }
}

/// What belongs to orders that are followed sample by sample.
fn follows(o: &OrderTrackRecipe) -> Result<(), Refusal> {
    let follows = o.method == TrackMethod::VoldKalman;
    if follows && o.orders.len() > MOST_TOGETHER {
        let allowed = format!("1 to {MOST_TOGETHER} numbers where orders are followed together");
        return refuse("orders", format!("{} numbers", o.orders.len()), &allowed);
    }
    let mut sorted = o.orders.clone();
    sorted.sort_by(f64::total_cmp);
    if let Some(twice) = sorted.windows(2).find(|w| follows && w[0] == w[1]) {
        return refuse("orders", format!("{} twice", twice[0]), "each order once where orders are followed together");
    }
    match o.bandwidth_hz {
        Some(_) if !follows => refuse("bandwidth_hz", "given", "left out where the method is not vold_kalman"),
        _ => Ok(()),
    }
}

/// Channels that are named once each, and one at least.
pub(super) fn references(key: &'static str, all: &[u32]) -> Result<(), Refusal> {
    if all.is_empty() {
        return Err(Refusal::new(key, format!("{key} names no channel; allowed: one or more numbers from 1")));
    }
    all.iter().try_for_each(|c| channel(key, *c))?;
    let mut sorted = all.to_vec();
    sorted.sort_unstable();
    if sorted.windows(2).any(|w| w[0] == w[1]) {
        return Err(Refusal::new(key, format!("{key} names a channel twice; allowed: each once")));
    }
    Ok(())
}
