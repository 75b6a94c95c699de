//! `fleet-echo analyze`: a recipe on a file, without database or server.

use crate::Failure;
use chrono::Utc;
use clap::Args;
use echo_formats::{FormatError, csv, file};
use echo_job::analysis::{AnalysisError, Provenance, analyze};
use echo_job::recipe::Recipe;
use std::io::{BufWriter, IsTerminal, Write};
use std::path::PathBuf;

/// Arguments of `analyze`.
#[derive(Args)]
#[command(
    after_help = "A recipe is one JSON object, such as\n  {\"lens\": \"spectrum\", \"block\": 4096, \"scaling\": \"psd\"}\nThe lenses are waveform, statistics and spectrum; examples/recipes has one of each."
)]
pub struct Analyze {
    /// WAV or CSV file.
    input: PathBuf,
    /// File with the recipe.
    #[arg(long)]
    recipe: PathBuf,
    /// Where the result goes: a .json or .csv file; JSON to standard output when left out.
    #[arg(long)]
    out: Option<PathBuf>,
}

fn refused(e: FormatError) -> Failure {
    Failure::Refused(e.to_string())
}

impl Analyze {
    /// Carries it out.
    pub fn run(&self) -> Result<(), Failure> {
        let as_csv = match self.out.as_ref().map(|o| o.extension().and_then(|e| e.to_str()).unwrap_or("")) {
            None | Some("json") => false,
            Some("csv") => true,
            Some(other) => {
                return Err(Failure::Refused(format!("--out ends in “.{other}”; allowed are .json and .csv")));
            }
        };
        let text = std::fs::read_to_string(&self.recipe)
            .map_err(|e| Failure::Refused(format!("--recipe {}: {e}", self.recipe.display())))?;
        let recipe = Recipe::from_json(&text).map_err(|e| Failure::Refused(e.says))?;
        let mut source = file::open(&self.input).map_err(refused)?;
        let provenance = Provenance {
            at: Utc::now().to_rfc3339(),
            input: self.input.display().to_string(),
            sha256: Some(file::sha256(&self.input).map_err(refused)?),
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
        let result = analyze(&recipe, source.as_mut(), provenance, &mut progress);
        if terminal {
            eprint!("\r      \r");
        }
        let result = result.map_err(|e| match e {
            AnalysisError::Refused(r) => Failure::Refused(r.says),
            AnalysisError::Input(says) => Failure::Refused(says),
            AnalysisError::Stopped => Failure::Other(anyhow::anyhow!("stopped")),
        })?;
        match &self.out {
            None => {
                let mut out = BufWriter::new(std::io::stdout().lock());
                serde_json::to_writer_pretty(&mut out, &result)?;
                writeln!(out)?;
                out.flush()?;
            }
            Some(path) => {
                let mut out = BufWriter::new(std::fs::File::create(path)?);
                if as_csv {
                    csv::write_result(&result, &mut out)?;
                } else {
                    serde_json::to_writer_pretty(&mut out, &result)?;
                }
                out.flush()?;
            }
        }
        Ok(())
    }
}
