//! What numbers the settings of lenses may be, in one table: recipes are checked against it, and the page's words ask
//! for what it says.

use super::{LENSES, Lens, Recipe};
use crate::Refusal;
use crate::entry::number::plain;
use echo_signal::distribution::MOST_CLASSES;
use echo_signal::spectrum::LARGEST_BLOCK;
use serde::Serialize;
use serde_json::{Map, Value, json};
use utoipa::ToSchema;

/// What a number may be.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, ToSchema)]
pub struct Limits {
    /// Its key; a key inside an object after a dot.
    pub key: &'static str,
    /// Its unit; empty where it has none, or the channel's.
    pub unit: &'static str,
    /// Smallest it may be.
    pub low: Option<f64>,
    /// What it must be above.
    pub above: Option<f64>,
    /// Largest it may be.
    pub high: Option<f64>,
    /// Whether it is a whole number.
    pub whole: bool,
}

const fn at(key: &'static str, unit: &'static str) -> Limits {
    Limits { key, unit, low: None, above: None, high: None, whole: false }
}

impl Limits {
    const fn above(self, above: f64) -> Limits {
        Limits { above: Some(above), ..self }
    }

    const fn from(self, low: f64) -> Limits {
        Limits { low: Some(low), ..self }
    }

    const fn to(self, high: f64) -> Limits {
        Limits { high: Some(high), ..self }
    }

    const fn whole(self) -> Limits {
        Limits { whole: true, ..self }
    }

    /// What is allowed, in words.
    fn allowed(&self) -> String {
        let number = |x: f64| format!("{}{}{}", plain(x), if self.unit.is_empty() { "" } else { " " }, self.unit);
        match (self.low, self.above, self.high) {
            (Some(low), _, Some(high)) => format!("{} to {}", plain(low), number(high)),
            (Some(low), _, None) => format!("{} or more", number(low)),
            (None, Some(above), Some(high)) => format!("above {} and up to {}", plain(above), number(high)),
            (None, Some(above), None) => format!("above {}", number(above)),
            (None, None, Some(high)) => format!("up to {}", number(high)),
            (None, None, None) => "a number".into(),
        }
    }

    /// Whether a number is allowed.
    pub fn takes(&self, x: f64) -> bool {
        x.is_finite()
            && self.low.is_none_or(|low| x >= low)
            && self.above.is_none_or(|above| x > above)
            && self.high.is_none_or(|high| x <= high)
            && (!self.whole || x.fract() == 0.0)
    }
}

/// Lenses that are made of blocks.
const OF_BLOCKS: &[&str] = &["spectrum", "cross", "response", "envelope", "cepstrum", "spectrogram"];
/// Lenses that step along speed or time.
const STEPPED: &[&str] = &["spectrogram", "order_map", "order_track"];

/// Lenses that find poles.
const OF_POLES: &[&str] = &["modes", "operational_modes"];

/// Which lenses, and what a setting of theirs may be.
const TABLE: &[(&[&str], Limits)] = &[
    (OF_BLOCKS, at("block", "samples").from(2.0).to(LARGEST_BLOCK as f64).whole()),
    (OF_BLOCKS, at("averaging_constant", "").from(1.0)),
    (OF_BLOCKS, at("confidence", "").from(0.5).to(0.999)),
    (&["waveform"], at("points", "").from(1.0).to(1e6).whole()),
    (&["statistics", "level", "speed"], at("interval_s", "s").above(0.0)),
    (STEPPED, at("interval_s", "s").above(0.0)),
    (STEPPED, at("step_rpm", "rpm").above(0.0)),
    (&["cepstrum"], at("from_s", "s").from(0.0)),
    (&["octave", "shock"], at("from_hz", "Hz").above(0.0)),
    (&["octave", "shock"], at("to_hz", "Hz").above(0.0)),
    (&["distribution", "rainflow"], at("classes", "").from(1.0).to(MOST_CLASSES as f64).whole()),
    (&["rainflow"], at("hysteresis", "").from(0.0)),
    (&["rainflow"], at("exponent", "").above(0.0)),
    (&["shock"], at("q", "").above(0.5)),
    (&["shock"], at("per_octave", "").from(1.0).to(96.0).whole()),
    (&["order_map"], at("max_order", "").above(0.0)),
    (&["order_map", "order_track"], at("resolution", "").above(0.0)),
    (&["order_track"], at("bandwidth_hz", "Hz").above(0.0)),
    (&["order_track"], at("poles", "").from(1.0).to(2.0).whole()),
    (&["response"], at("force_window.length_s", "s").above(0.0)),
    (&["response"], at("exponential_window.decay_s", "s").above(0.0)),
    (&["arrivals"], at("threshold", "").above(0.0).to(1.0)),
    (OF_POLES, at("max_order", "").from(2.0).to(200.0).whole()),
    (OF_POLES, at("lasts", "").from(1.0).to(200.0).whole()),
    (OF_POLES, at("frequency_change", "").above(0.0).to(1.0)),
    (OF_POLES, at("damping_change", "").above(0.0).to(1.0)),
    (OF_POLES, at("mac", "").above(0.0).to(1.0)),
    (&["operational_modes"], at("longest_lag_s", "s").above(0.0).to(60.0)),
    (&["deflection"], at("block", "samples").from(2.0).to(LARGEST_BLOCK as f64).whole()),
    (&["deflection"], at("resolution", "").above(0.0)),
];

/// Limits of a lens's numbers.
pub fn of(lens: &str) -> impl Iterator<Item = Limits> {
    TABLE.iter().filter(move |(lenses, _)| lenses.contains(&lens)).map(|(_, l)| *l)
}

/// What stands at a key, which may lead into an object.
fn found<'a>(settings: &'a Map<String, Value>, key: &str) -> Option<&'a Value> {
    let (first, rest) = key.split_once('.').map_or((key, None), |(first, rest)| (first, Some(rest)));
    let value = settings.get(first)?;
    rest.map_or(Some(value), |rest| found(value.as_object()?, rest))
}

/// Holds the settings of a lens as they were written against its limits; what is no number is left to who reads it.
pub(super) fn check(lens: &str, settings: &Map<String, Value>) -> Result<(), Refusal> {
    for l in of(lens) {
        let x = found(settings, l.key).and_then(Value::as_f64);
        if let Some(x) = x.filter(|x| !l.takes(*x)) {
            return Err(Refusal::new(l.key, format!("{} must be {}, not {}", l.key, l.allowed(), plain(x))));
        }
    }
    Ok(())
}

/// A lens with what its numbers may be and what they are where nothing else is said.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct LensBody {
    /// Its name.
    pub lens: &'static str,
    /// What its numbers may be.
    pub limits: Vec<Limits>,
    /// Its settings where nothing is said.
    #[schema(value_type = Object)]
    pub usual: Value,
}

/// All lenses.
pub fn lenses() -> Vec<LensBody> {
    LENSES.iter().map(|lens| LensBody { lens, limits: of(lens).collect(), usual: usual(lens) }).collect()
}

/// A lens with nothing said but what must be.
fn usual(lens: &str) -> Value {
    let mut least = json!({ "lens": lens });
    match lens {
        "envelope" => least["band_hz"] = json!([1000.0, 2000.0]),
        "deflection" => {
            least["reference"] = json!(1);
            least["frequency_hz"] = json!(100.0);
        }
        "speed" | "order_map" | "order_track" | "orbit" => least["tacho"] = json!({ "channel": 1 }),
        _ => {}
    }
    let recipe: Option<Lens> = Recipe::from_value(least).ok().map(|r| r.lens);
    serde_json::to_value(recipe).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn with(lens: &str, key: &str, x: f64) -> Result<Recipe, Refusal> {
        let mut recipe = usual(lens);
        let to = if x.fract() == 0.0 { json!(x as i64) } else { json!(x) };
        match key.split_once('.') {
            Some((first, rest)) => recipe[first] = json!({ rest: to }),
            None => recipe[key] = to,
        }
        if key == "bandwidth_hz" {
            recipe["method"] = json!("vold_kalman");
        }
        Recipe::from_value(recipe)
    }

    #[test]
    fn numbers_are_taken_up_to_their_limits_and_refused_beyond_in_words() {
        for lens in lenses() {
            assert_eq!(lens.usual["lens"], lens.lens, "a lens has settings of its own");
            for l in lens.limits {
                let (inside, outside) = match (l.low, l.above, l.high) {
                    (Some(low), _, high) => {
                        (vec![low, high.unwrap_or(low)], vec![low - 1.0, high.unwrap_or(low - 1.0) + 1.0])
                    }
                    (None, Some(above), high) => {
                        (vec![above + 1e-3], vec![above, high.map_or(above - 1.0, |h| h + 0.1)])
                    }
                    _ => panic!("{} of {} has no limit below", l.key, lens.lens),
                };
                for x in inside {
                    with(lens.lens, l.key, x).unwrap_or_else(|e| panic!("{} {} {x}: {}", lens.lens, l.key, e.says));
                }
                for x in outside.into_iter().filter(|x| !l.takes(*x)) {
                    let refused = with(lens.lens, l.key, x).unwrap_err();
                    assert_eq!(refused.field, l.key, "{}", refused.says);
                    assert!(refused.says.contains("must be") && refused.says.contains(&plain(x)), "{}", refused.says);
                }
            }
        }
    }

    #[test]
    fn what_is_allowed_is_said_with_its_unit() {
        let says = |lens: &str, key: &str, x: f64| with(lens, key, x).unwrap_err().says;
        assert_eq!(says("level", "interval_s", 0.0), "interval_s must be above 0 s, not 0");
        assert_eq!(says("cepstrum", "from_s", -1.0), "from_s must be 0 s or more, not -1");
        assert_eq!(says("spectrum", "block", 1.0), "block must be 2 to 16777216 samples, not 1");
        assert_eq!(says("response", "force_window.length_s", -2.0), "force_window.length_s must be above 0 s, not -2");
    }
}
