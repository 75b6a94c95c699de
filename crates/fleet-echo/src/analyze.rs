//! `fleet-echo analyze`: a recipe on a file, without database or server.

use crate::Failure;
use chrono::Utc;
use clap::Args;
use echo_formats::{FormatError, csv, file, functions, uff};
use echo_job::analysis::modal::modes;
use echo_job::analysis::result::Trace;
use echo_job::analysis::{AnalysisError, Provenance, Source, analyze};
use echo_job::recipe::{Lens, Recipe};
use std::io::{BufWriter, IsTerminal, Write};
use std::path::PathBuf;

/// Arguments of `analyze`.
#[derive(Args)]
#[command(after_help = help())]
pub struct Analyze {
    /// WAV, CSV or universal file.
    input: PathBuf,
    /// File with the recipe.
    #[arg(long)]
    recipe: PathBuf,
    /// Where the result goes: a .json, .csv or .uff file; JSON to standard output when left out.
    #[arg(long)]
    out: Option<PathBuf>,
}

/// What a recipe is carried out on.
enum Input {
    /// Samples, read as they are asked for.
    Samples(Box<dyn Source>),
    /// Responses over frequencies in Hz.
    Responses(Vec<f64>, Vec<Trace>),
}

/// Every lens with what it gives; examples/recipes has a file of each.
const LENSES: [(&str, &str); 21] = [
    ("waveform", "value against time; reduce, points"),
    ("statistics", "rms, mean, peak, … ; interval_s"),
    ("level", "overall level in a band against time; band_hz, detector, interval_s"),
    ("spectrum", "averaged spectrum; block, window, overlap, averaging, scaling, zoom"),
    ("spectrogram", "spectra against time or speed; as spectrum, interval_s, along, tacho, step_rpm"),
    ("cross", "complex cross PSD and coherence; as spectrum, reference"),
    ("response", "frequency response and coherence; reference, estimator, form, force_window, exponential_window"),
    ("envelope", "envelope of a band, or its spectrum; band_hz, order, output"),
    ("cepstrum", "families of lines as single peaks; as spectrum, from_s"),
    ("octave", "fractional-octave bands; fraction, averaging, from_hz, to_hz"),
    ("distribution", "time at level, histogram, level crossing; kind, classes or edges, open_ends, as"),
    ("rainflow", "cycles by range and mean; classes or edges, mean_edges, hysteresis, residue, exponent"),
    ("shock", "shock response spectrum; q, per_octave, from_hz, to_hz, take"),
    ("speed", "rpm against time; tacho, interval_s"),
    (
        "order_map",
        "amplitude against speed or time, and order; tacho, max_order, resolution, along, step_rpm, interval_s",
    ),
    (
        "order_track",
        "amplitude and phase of orders; tacho, orders, resolution, along, step_rpm, interval_s, slow_roll_rpm",
    ),
    ("orbit", "mean turn of two probes; tacho, orders"),
    ("arrivals", "first arrival of a burst; pick, threshold, band_hz"),
    (
        "modes",
        "modes from responses (.uff, or .csv with columns H<response>_<reference>_re, _im); band_hz, max_order, references, pick, lasts, real",
    ),
    ("deflection", "how points move together; reference, frequency_hz or band_hz, or order with tacho; block"),
    ("operational_modes", "modes from samples in operation; longest_lag_s, references as channels; else as modes"),
];

fn help() -> String {
    let mut text = String::from(
        "A recipe is one JSON object, such as\n  {\"lens\": \"spectrum\", \"block\": 4096, \"scaling\": \"psd\"}\n\nLenses and their settings; examples/recipes has one of each, docs/methods.md how each is computed:\n",
    );
    for (name, says) in LENSES {
        text.push_str(&format!("  {name:<17} {says}\n"));
    }
    text.push_str(
        "\nFor every lens: channels [1, 2], math [{\"name\": \"twist\", \"is\": \"c1 - c2\"}], stretch {\"from_s\": 0, \"to_s\": 12}, unit, input_unit, integrate_above_hz, and\nprepare [{\"do\": detrend | zero | highpass | lowpass | bandpass | bandstop | integrate | differentiate |\ntrim | resample, …}].\nExit status: 0 done, 2 the recipe or the input is wrong, 1 anything else.",
    );
    text
}

fn refused(e: FormatError) -> Failure {
    Failure::Refused(e.to_string())
}

impl Analyze {
    /// Carries it out.
    pub fn run(&self) -> Result<(), Failure> {
        let form = self.out.as_ref().map_or("json", |o| o.extension().and_then(|e| e.to_str()).unwrap_or(""));
        if !["json", "csv", "uff"].contains(&form) {
            return Err(Failure::Refused(format!("--out ends in “.{form}”; allowed: .json, .csv and .uff")));
        }
        let text = std::fs::read_to_string(&self.recipe)
            .map_err(|e| Failure::Refused(format!("--recipe {}: {e}", self.recipe.display())))?;
        let recipe = Recipe::from_json(&text).map_err(|e| Failure::Refused(e.says))?;
        let provenance =
            Provenance { at: Utc::now().to_rfc3339(), input: self.input.display().to_string(), fingerprint: None };
        let of_responses = matches!(recipe.lens, Lens::Modes(_));
        let of_shapes = recipe.lens.gives_shapes();
        if of_shapes && form == "csv" {
            return Err(Failure::Refused("shapes are written as .json or .uff".into()));
        }
        // What cannot be read is refused before all of it is hashed.
        let mut input = if of_responses {
            let (hz, traces) = functions::read(&self.input).map_err(refused)?;
            Input::Responses(hz, traces)
        } else {
            Input::Samples(file::open(&self.input).map_err(refused)?)
        };
        let mut percent = u32::MAX;
        let terminal = std::io::stderr().is_terminal();
        let mut progress = |share: f64| {
            let now = (share * 100.0) as u32;
            if terminal && now != percent {
                percent = now;
                eprint!("\r{now} %");
            }
            true
        };
        // Beside the work: what is read by one is in memory for the other.
        let (result, fingerprint) = std::thread::scope(|scope| {
            let hashing = scope.spawn(|| file::fingerprint(&self.input));
            let result = match &mut input {
                Input::Responses(hz, traces) => modes(&recipe, (hz, traces), provenance, &mut progress),
                Input::Samples(source) => analyze(&recipe, source.as_mut(), provenance, &mut progress),
            };
            (result, hashing.join().expect("hashing does not panic"))
        });
        if terminal {
            eprint!("\r      \r");
        }
        let mut result = result.map_err(|e| match e {
            AnalysisError::Refused(r) => Failure::Refused(r.says),
            AnalysisError::Input(says) => Failure::Refused(says),
            AnalysisError::Stopped => Failure::Other(anyhow::anyhow!("stopped")),
        })?;
        result.made.fingerprint = Some(fingerprint.map_err(refused)?);
        match &self.out {
            None => {
                let mut out = BufWriter::new(std::io::stdout().lock());
                serde_json::to_writer_pretty(&mut out, &result)?;
                writeln!(out)?;
                out.flush()?;
            }
            Some(path) => {
                // What does not fit is refused before there is a file.
                let datasets = match form {
                    "uff" if of_shapes => uff::of_shapes(&result).map_err(refused)?,
                    "uff" => uff::of_result(&result).map_err(refused)?,
                    _ => Vec::new(),
                };
                let mut out = BufWriter::new(std::fs::File::create(path)?);
                match form {
                    "csv" => csv::write_result(&result, &mut out)?,
                    "uff" => out.write_all(&uff::write(&datasets, uff::Style::Text))?,
                    _ => serde_json::to_writer_pretty(&mut out, &result)?,
                }
                out.flush()?;
            }
        }
        Ok(())
    }
}
