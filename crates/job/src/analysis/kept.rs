//! A result read back from its JSON, as it was kept or sent.

use super::result::{
    Analysis, Axis, HeldPole, Made, Number, PeakFound, Points, PowerInterval, ResultCaution, Trace, holed,
};
use super::words::Shown;
use crate::dof::Dof;
use crate::recipe::Recipe;
use echo_signal::spectrum::Complex64;
use serde::{Deserialize, Deserializer};
use serde_json::{Value, json};

#[derive(Deserialize)]
struct Stored {
    recipe: Value,
    made: Made,
    #[serde(default)]
    cautions: Vec<ResultCaution>,
    averages: Option<usize>,
    random_error: Option<f64>,
    interval: Option<PowerInterval>,
    axes: Vec<Axis>,
    #[serde(default)]
    reached_s: Vec<f64>,
    traces: Vec<Trace>,
    #[serde(default)]
    numbers: Vec<Number>,
    #[serde(default)]
    peaks: Vec<PeakFound>,
    #[serde(default)]
    stabilisation: Vec<HeldPole>,
}

impl Analysis {
    /// A result from its JSON. One that came with a file was made by no recipe of ours: it is read as one that looks at
    /// everything as it is.
    ///
    /// # Errors
    /// It is no result.
    pub fn kept(value: Value) -> Result<Analysis, serde_json::Error> {
        let s: Stored = serde_json::from_value(value)?;
        let recipe = match Recipe::from_value(s.recipe) {
            Ok(recipe) => recipe,
            Err(_) => Recipe::from_value(json!({ "lens": "waveform" })).map_err(serde::de::Error::custom)?,
        };
        Ok(Analysis {
            recipe,
            made: s.made,
            cautions: s.cautions,
            averages: s.averages,
            random_error: s.random_error,
            interval: s.interval,
            axes: s.axes,
            reached_s: s.reached_s,
            traces: s.traces,
            numbers: s.numbers,
            peaks: s.peaks,
            stabilisation: s.stabilisation,
        })
    }
}

/// A value that JSON has as null where there is none.
#[derive(Deserialize)]
#[serde(transparent)]
struct Holed(#[serde(deserialize_with = "holed")] f64);

#[derive(Deserialize)]
struct StoredTrace {
    name: String,
    channel: u32,
    reference: Option<u32>,
    mode: Option<u32>,
    axes: Option<Vec<usize>>,
    dof: Option<Dof>,
    reference_dof: Option<Dof>,
    quantity: Shown,
    unit: String,
    #[serde(default)]
    values: Vec<Holed>,
    re: Option<Vec<Holed>>,
    im: Option<Vec<Holed>>,
    within: Option<Vec<Holed>>,
}

impl<'de> Deserialize<'de> for Trace {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Trace, D::Error> {
        let s = StoredTrace::deserialize(from)?;
        let plain = |all: Vec<Holed>| all.into_iter().map(|x| x.0).collect::<Vec<f64>>();
        let points = match (s.re, s.im) {
            (Some(re), Some(im)) if re.len() == im.len() => {
                Points::Complex(re.iter().zip(&im).map(|(re, im)| Complex64::new(re.0, im.0)).collect())
            }
            (None, None) => Points::Real(plain(s.values)),
            _ => return Err(serde::de::Error::custom(format!("“{}” has another number of re than of im", s.name))),
        };
        Ok(Trace {
            name: s.name,
            channel: s.channel,
            reference: s.reference,
            mode: s.mode,
            axes: s.axes,
            dof: s.dof,
            reference_dof: s.reference_dof,
            quantity: s.quantity,
            unit: s.unit,
            points,
            within: s.within.map(plain),
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_result_is_read_as_it_was_written() {
        let value = json!({
            "recipe": { "lens": "brought", "file": "plate.uff", "sha256": "ab" },
            "made": { "by": "brought in", "at": "2026-11-23T09:00:00Z", "input": "plate.uff" },
            "cautions": [{ "rule": "input assumed", "says": "the unit" }],
            "axes": [{ "name": "frequency", "unit": "Hz", "values": [1.0, 2.0] }],
            "traces": [
                { "name": "3 z over 14 z", "channel": 0, "quantity": "response", "unit": "m/s²/N", "re": [1.0, null],
                  "im": [0.5, 2.0], "dof": { "point": "3", "direction": "z", "sign": "-" } },
                { "name": "level", "channel": 2, "quantity": "rms", "unit": "g", "values": [null, 0.25] },
            ],
            "numbers": [{ "name": "damping", "channel": 0, "mode": 1, "unit": "%", "value": null }],
        });
        let a = Analysis::kept(value).unwrap();
        assert_eq!(a.traces[0].complex().unwrap()[0], Complex64::new(1.0, 0.5));
        assert!(a.traces[0].complex().unwrap()[1].re.is_nan() && a.traces[1].real()[0].is_nan());
        assert_eq!(a.traces[1].real()[1], 0.25);
        assert!(a.numbers[0].value.is_nan() && a.numbers[0].mode == Some(1));
        assert_eq!(a.traces[0].dof.as_ref().unwrap().factor(), -1.0);
        // Written and read once more it is the same.
        let once = serde_json::to_value(&a).unwrap();
        assert_eq!(serde_json::to_value(Analysis::kept(once.clone()).unwrap()).unwrap(), once);
    }

    #[test]
    fn what_is_no_result_is_refused() {
        let odd = json!({ "recipe": {}, "made": { "by": "", "at": "", "input": "" }, "axes": [],
            "traces": [{ "name": "a", "channel": 1, "quantity": "response", "unit": "", "re": [1.0], "im": [] }] });
        assert!(Analysis::kept(odd).unwrap_err().to_string().contains("“a” has another number"));
        assert!(Analysis::kept(json!({ "traces": [] })).is_err());
    }
}
