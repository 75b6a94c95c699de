//! A recipe in words: how a number was made, for who has no program at hand that reads JSON.

use super::language::Language;
use serde_json::{Map, Value};

/// Keys whose numbers are channels.
const CHANNELS: [&str; 6] = ["channel", "channels", "reference", "references", "with", "pulses"];
/// What a key ends with where its numbers have a unit, and the unit.
const UNITS: [(&str, &str); 8] = [
    ("_hz", "Hz"),
    ("_s", "s"),
    ("_percent", "%"),
    ("_db", "dB"),
    ("_rpm", "rpm"),
    ("_deg", "°"),
    ("_m", "m"),
    ("_v", "V"),
];

/// Every setting of a recipe, channels as `named` calls them: “spectrum; channels 7 gearbox top; block 8192;
/// overlap 0.5; stretch from 2 s, to 6 s”.
pub fn in_words(recipe: &Value, l: Language, named: &dyn Fn(u32) -> Option<String>) -> String {
    let Value::Object(all) = recipe else { return String::new() };
    let lens = all.get("lens").and_then(Value::as_str).map(|w| l.word(w));
    lens.into_iter().chain(Words { l, named }.settings(all)).collect::<Vec<_>>().join("; ")
}

struct Words<'a> {
    l: Language,
    named: &'a dyn Fn(u32) -> Option<String>,
}

impl Words<'_> {
    fn settings(&self, all: &Map<String, Value>) -> Vec<String> {
        // A step of preparation is called by what it does.
        let does = all.get("do").and_then(Value::as_str).map(|w| self.l.word(w));
        let rest = all.iter().filter(|(key, _)| !matches!(key.as_str(), "lens" | "do"));
        does.into_iter().chain(rest.filter_map(|(key, value)| self.setting(key, value))).collect()
    }

    /// A setting; nothing for what is not set.
    fn setting(&self, key: &str, value: &Value) -> Option<String> {
        let unit = UNITS.iter().find(|(end, _)| key.ends_with(end));
        let name = self.l.word(unit.map_or(key, |(end, _)| key.strip_suffix(end).unwrap_or(key)));
        let with = |says: String| match unit {
            Some((_, unit)) => format!("{name} {says}\u{202f}{unit}"),
            None => format!("{name} {says}"),
        };
        match value {
            Value::Null => None,
            Value::Bool(true) => Some(name),
            Value::Bool(false) => Some(format!("{} {name}", self.l.word("not"))),
            Value::Array(all) if all.is_empty() => None,
            // Two numbers with a unit are a range.
            Value::Array(all) if all.len() == 2 && unit.is_some() && all.iter().all(Value::is_number) => {
                Some(with(format!("{} {} {}", self.value(key, &all[0]), self.l.word("to"), self.value(key, &all[1]))))
            }
            Value::Object(all) if all.is_empty() => None,
            other => Some(with(self.value(key, other))),
        }
    }

    fn value(&self, key: &str, value: &Value) -> String {
        match value {
            Value::Number(n) => {
                let channel = n.as_u64().filter(|_| CHANNELS.contains(&key)).and_then(|n| u32::try_from(n).ok());
                channel.and_then(self.named).unwrap_or_else(|| self.l.short(n.as_f64().unwrap_or(f64::NAN), 9))
            }
            Value::String(word) => self.l.word(word),
            Value::Array(all) => all.iter().map(|v| self.value(key, v)).collect::<Vec<_>>().join(", "),
            Value::Object(all) => self.settings(all).join(", "),
            Value::Bool(yes) => self.l.word(if *yes { "yes" } else { "no" }),
            Value::Null => "–".into(),
        }
    }
}
