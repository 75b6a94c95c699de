//! A report as it is stored: a usual one, one of an earlier version, one whose campaign is handed over or goes on.

use super::block::{Block, Drawn, Height, Only, Paper, Part, Report, Show};
use super::language::Language;
use serde_json::{Value, json};

impl Report {
    /// A report that nobody wrote yet, of a campaign of that name.
    pub fn usual(title: &str) -> Report {
        let spectrum = json!({ "lens": "spectrum", "channels": [1] });
        Report::with(title, "", None, &spectrum, None)
    }

    fn with(title: &str, findings: &str, run_id: Option<i64>, spectrum: &Value, shown: Option<[f64; 2]>) -> Report {
        let figure = |recipe: Value, shown, decades| {
            Show::Figure(Drawn {
                run_id: None,
                recipe,
                kept: None,
                part: Part::Curves,
                shown,
                decades,
                height: Height::Usual,
                beside: 1,
                notes: true,
                caption: String::new(),
            })
        };
        let mut waveform = json!({ "lens": "waveform", "reduce": "minmax", "points": 1200 });
        if let Some(first) = spectrum["channels"].get(0) {
            waveform["channels"] = json!([first]);
        }
        for key in ["stretch", "takes", "math"] {
            if let Some(own) = spectrum.get(key).filter(|v| !v.is_null()) {
                waveform[key] = own.clone();
            }
        }
        let parts = [
            ("", Show::Head),
            ("Findings", Show::Text { text: findings.into() }),
            ("What was measured", Show::Facts { run_id: None }),
            ("Waveform", figure(waveform, None, None)),
            ("Spectrum", figure(spectrum.clone(), shown, None)),
            ("Rig", Show::Rig { run_id: None }),
            ("Cautions", Show::Cautions),
            ("Put right afterwards", Show::Corrections { run_id: None }),
            ("How each number was made", Show::Made),
        ];
        let block = |(k, (title, show)): (usize, (&str, Show))| Block {
            id: k as u32 + 1,
            title: title.into(),
            show,
            each: None,
            only: Only::All,
            folded: false,
        };
        Report {
            title: title.into(),
            language: Language::English,
            paper: Paper::A4,
            run_id,
            blocks: parts.into_iter().enumerate().map(block).collect(),
        }
    }

    /// A report as it was stored, also by a version that knew one spectrum and findings only.
    ///
    /// # Errors
    /// Neither of both.
    pub fn stored(value: Value) -> Result<Report, serde_json::Error> {
        if value.get("blocks").is_some() {
            return serde_json::from_value(value);
        }
        let text = |key: &str| value[key].as_str().unwrap_or_default().to_string();
        let spectrum = match &value["recipe"] {
            Value::Null => json!({ "lens": "spectrum", "channels": [1] }),
            told => told.clone(),
        };
        let shown = serde_json::from_value(value["shown_hz"].clone())?;
        Ok(Report::with(&text("title"), &text("findings"), value["run_id"].as_i64(), &spectrum, shown))
    }

    /// The same with its runs and kept results called otherwise, as where a campaign is handed over. One that `run` or
    /// `result` does not know becomes 0, which none is called: the block says that it is gone instead of showing another.
    #[must_use]
    pub fn called(mut self, run: &dyn Fn(i64) -> Option<i64>, result: &dyn Fn(i64) -> Option<i64>) -> Report {
        let told = |key: &mut Option<i64>, of: &dyn Fn(i64) -> Option<i64>| *key = key.map(|k| of(k).unwrap_or(0));
        told(&mut self.run_id, run);
        for b in &mut self.blocks {
            if let Some(key) = b.show.run_id_mut() {
                told(key, run);
            }
            if let Some(key) = b.show.kept_mut() {
                told(key, result);
            }
        }
        self
    }

    /// What showed a kept result shows another one; tells whether there was any.
    pub fn show_instead(&mut self, old: i64, new: i64) -> bool {
        let mut any = false;
        for kept in self.blocks.iter_mut().filter_map(|b| b.show.kept_mut()).filter(|k| **k == Some(old)) {
            *kept = Some(new);
            any = true;
        }
        any
    }

    /// The same for a campaign that goes on from another one: no runs yet, and nothing found yet.
    #[must_use]
    pub fn begun_again(mut self) -> Report {
        self.run_id = None;
        for b in &mut self.blocks {
            if let Some(run) = b.show.run_id_mut() {
                *run = None;
            }
            if let Some(Some(kept)) = b.show.kept_mut() {
                *kept = 0;
            }
            if let Show::Text { text } = &mut b.show {
                text.clear();
            }
        }
        self
    }
}
