//! What a page may ask for.

use serde::Deserialize;
use std::hash::{Hash, Hasher};

/// What a page shows.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(default)]
pub struct Shown {
    /// Levels of all inputs.
    pub levels: bool,
    /// The campaign that is on the page; none on the shelf.
    #[serde(default)]
    pub campaign: Option<i64>,
    /// Panes with their own pictures.
    pub panes: Vec<PaneShown>,
}

/// Most panes of a page, and inputs of a pane.
const MOST_PANES: usize = 64;
const MOST_INPUTS: usize = 512;

impl Shown {
    /// Reads a wish.
    ///
    /// # Errors
    /// One that cannot be read, or is too large to be drawn in time.
    pub fn read(text: &str) -> Result<Shown, String> {
        let shown: Shown = serde_json::from_str(text).map_err(|e| e.to_string())?;
        if shown.panes.len() > MOST_PANES {
            return Err(format!("{} displays are wished for; allowed: up to {MOST_PANES}", shown.panes.len()));
        }
        let inputs = shown.panes.iter().map(|p| p.of.inputs().len()).max().unwrap_or(0);
        if inputs > MOST_INPUTS {
            return Err(format!("a display of {inputs} inputs; allowed: up to {MOST_INPUTS}"));
        }
        Ok(shown)
    }
}

/// A pane under the number the page gave it.
#[derive(Debug, Clone, PartialEq, Deserialize)]
pub struct PaneShown {
    /// The page's number for it; comes back with its pictures.
    pub pane: u32,
    /// What it shows.
    #[serde(flatten)]
    pub of: Picture,
}

/// What a pane shows.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(tag = "show", rename_all = "snake_case")]
pub enum Picture {
    /// The newest stretch.
    Waveform {
        /// Inputs.
        inputs: Vec<u16>,
        /// Length, s, up to 10.
        seconds: f64,
        /// Points, up to 4 000.
        points: usize,
    },
    /// The recording so far, or a long window that moves.
    Strip {
        /// Inputs.
        inputs: Vec<u16>,
        /// Length of the window, s; since the recording began when left out.
        seconds: Option<f64>,
        /// Points, up to 4 000.
        points: usize,
    },
    /// A spectrum.
    Spectrum {
        /// Inputs.
        inputs: Vec<u16>,
        /// Block, samples.
        block: usize,
        /// Highest frequency, Hz.
        to_hz: Option<f64>,
        /// Blocks averaged, half overlapping; 4 when left out.
        averages: Option<usize>,
        /// Unit it is told in, another motion too; the channel's when left out.
        unit: Option<String>,
        /// Band whose envelope is taken first, Hz.
        envelope_hz: Option<(f64, f64)>,
        /// Whose largest values are sent too: a number of the page's, another one begins anew.
        #[serde(default)]
        hold: Option<u64>,
    },
    /// Values of the last seconds: rms, peak, mean, smallest, largest.
    Numbers {
        /// Inputs.
        inputs: Vec<u16>,
        /// Stretch, s, up to 10.
        seconds: f64,
    },
    /// Two directions against each other, with the places of the tachometer's pulses.
    Orbit {
        /// Input along x.
        x: u16,
        /// Input along y.
        y: u16,
        /// Stretch, s, up to 2.
        seconds: f64,
    },
    /// The first tachometer of the plan: its speed and its pulse train.
    Speed {
        /// Points of the pulse train, up to 2 000.
        points: usize,
    },
}

impl Eq for PaneShown {}

/// Wishes are the same where their words are.
impl Hash for PaneShown {
    fn hash<H: Hasher>(&self, state: &mut H) {
        self.pane.hash(state);
        std::mem::discriminant(&self.of).hash(state);
        self.of.inputs().hash(state);
    }
}

impl Picture {
    /// Whether it is drawn less often than the others.
    pub fn slow(&self) -> bool {
        matches!(self, Picture::Spectrum { .. } | Picture::Numbers { .. } | Picture::Speed { .. })
    }

    /// Inputs it is drawn of.
    fn inputs(&self) -> &[u16] {
        match self {
            Picture::Waveform { inputs, .. }
            | Picture::Strip { inputs, .. }
            | Picture::Spectrum { inputs, .. }
            | Picture::Numbers { inputs, .. } => inputs,
            Picture::Orbit { .. } | Picture::Speed { .. } => &[],
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::{Value, json};

    fn read(wish: Value) -> Result<Shown, serde_json::Error> {
        serde_json::from_value(wish)
    }

    #[test]
    fn every_display_is_asked_for_by_its_name() {
        let panes = json!([
            { "pane": 1, "show": "waveform", "inputs": [7, 1001], "seconds": 0.2, "points": 700 },
            { "pane": 2, "show": "strip", "inputs": [7], "points": 700 },
            { "pane": 3, "show": "spectrum", "inputs": [7], "block": 4096, "unit": "mm/s", "envelope_hz": [2000.0, 5000.0] },
            { "pane": 4, "show": "numbers", "inputs": [], "seconds": 1.0 },
            { "pane": 5, "show": "orbit", "x": 22, "y": 23, "seconds": 0.1 },
            { "pane": 6, "show": "speed", "points": 500 },
        ]);
        let shown = read(json!({ "levels": true, "panes": panes })).unwrap();
        assert!(shown.levels);
        assert_eq!(shown.panes.iter().map(|p| p.pane).collect::<Vec<_>>(), [1, 2, 3, 4, 5, 6]);
        assert!(matches!(&shown.panes[0].of, Picture::Waveform { inputs, .. } if inputs == &[7, 1001]));
        assert!(matches!(&shown.panes[1].of, Picture::Strip { seconds: None, .. }));
        assert!(matches!(
            &shown.panes[2].of,
            Picture::Spectrum { averages: None, unit: Some(u), envelope_hz: Some((2000.0, 5000.0)), .. } if u == "mm/s"
        ));
        assert!(matches!(&shown.panes[4].of, Picture::Orbit { x: 22, y: 23, .. }));
    }

    #[test]
    fn what_is_left_out_is_not_shown_and_what_is_wrong_is_refused() {
        let nothing = read(json!({})).unwrap();
        assert!(!nothing.levels && nothing.panes.is_empty());
        for wrong in [
            json!({ "panes": [{ "pane": 1, "show": "hologram" }] }),
            json!({ "panes": [{ "show": "speed", "points": 5 }] }),
            json!({ "panes": [{ "pane": 1, "show": "waveform", "inputs": [-1], "seconds": 1, "points": 1 }] }),
            json!({ "panes": [{ "pane": 1, "show": "waveform", "inputs": [70000], "seconds": 1, "points": 1 }] }),
            json!({ "panes": [{ "pane": 1, "show": "orbit", "x": 1, "seconds": 1 }] }),
            json!({ "panes": {} }),
            json!(7),
        ] {
            assert!(read(wrong.clone()).is_err(), "{wrong}");
        }
    }

    #[test]
    fn a_wish_has_a_bound() {
        let of = |count: usize| {
            let pane = |k: usize| json!({ "pane": k, "show": "numbers", "inputs": [1], "seconds": 1.0 });
            json!({ "panes": (0..count).map(pane).collect::<Vec<_>>() }).to_string()
        };
        assert_eq!(Shown::read(&of(64)).unwrap().panes.len(), 64);
        assert_eq!(Shown::read(&of(10_000)).unwrap_err(), "10000 displays are wished for; allowed: up to 64");
        let wide = json!({ "panes": [{ "pane": 1, "show": "numbers", "inputs": vec![1; 600], "seconds": 1.0 }] });
        assert!(Shown::read(&wide.to_string()).unwrap_err().contains("600 inputs; allowed: up to 512"));
    }
}
