//! Carries out a recipe on a source of samples.
//!
//! | file | what it holds |
//! | --- | --- |
//! | [`source`] | where samples come from |
//! | [`result`] | what comes out |
//! | `kept` | a result read back from its JSON |
//! | [`words`] | words of it that programs go by |
//! | [`thin`] | fewer points for a picture |
//! | `places` | where channels measure, for lenses that look at several together |
//! | `prepare` | stretch, preparation and units before the lens |
//! | `lenses` | one function a lens |
//! | [`modal`] | the lens whose input are responses |

mod kept;
mod lenses;
pub mod modal;
mod places;
mod prepare;
pub mod result;
pub mod source;
pub mod thin;
pub mod words;

pub use prepare::held_bytes;
pub use result::Analysis;
pub use source::{Memory, Source, SourceChannel, SourceInfo};

use crate::Refusal;
use crate::math::MathSource;
use crate::recipe::{Blocks, Recipe};
use echo_signal::SignalError;
use result::{Made, ResultCaution};
use words::CautionRule;

/// The window of block spectra.
pub fn window_of(blocks: &Blocks) -> echo_signal::window::Window {
    lenses::window(blocks.window, blocks.window_shape)
}

/// What stops an analysis.
#[derive(Debug, thiserror::Error)]
pub enum AnalysisError {
    /// The recipe does not fit the data.
    #[error("{0}")]
    Refused(#[from] Refusal),
    /// The data could not be read.
    #[error("{0}")]
    Input(String),
    /// Somebody stopped it.
    #[error("the analysis was stopped")]
    Stopped,
}

impl From<SignalError> for AnalysisError {
    fn from(e: SignalError) -> Self {
        let field = match &e {
            SignalError::Argument { name, .. } => (*name).to_string(),
            SignalError::TooShort { .. } => "stretch".into(),
            SignalError::NotFinite { .. } => "input".into(),
        };
        AnalysisError::Refused(Refusal::new(field, e.to_string()))
    }
}

/// Who made a result of what.
#[derive(Debug, Clone)]
pub struct Provenance {
    /// Time of making, RFC 3339.
    pub at: String,
    /// Name of the input.
    pub input: String,
    /// Fingerprint of the input, where it is a file: `blake3:` and the hash in hex.
    pub fingerprint: Option<String>,
}

/// Carries out `recipe` on `source`. `progress` gets the share done, 0 to 1, and returns false to
/// stop.
///
/// # Errors
/// A recipe that does not fit, data that cannot be read, or a stop.
pub fn analyze(
    recipe: &Recipe,
    source: &mut dyn Source,
    provenance: Provenance,
    progress: &mut dyn FnMut(f64) -> bool,
) -> Result<Analysis, AnalysisError> {
    with_math(recipe, source, |source| {
        let mut view = prepare::View::new(recipe, source)?;
        let mut out = lenses::look(recipe, &mut view, progress)?;
        out.recipe = view.filled_in(&out.recipe);
        out.made = Made {
            by: format!("fleet-echo {}", env!("CARGO_PKG_VERSION")),
            at: provenance.at,
            input: provenance.input,
            fingerprint: provenance.fingerprint,
            channels: Vec::new(),
        };
        let start_s = view.start_s();
        out.cautions.iter_mut().flat_map(|c| &mut c.places_s).for_each(|t| *t += start_s);
        out.cautions.extend(cautions_of(&view));
        Ok(out)
    })
}

/// Carries something out on a source with a recipe's computed channels behind its own.
fn with_math<T>(
    recipe: &Recipe,
    source: &mut dyn Source,
    then: impl FnOnce(&mut dyn Source) -> Result<T, AnalysisError>,
) -> Result<T, AnalysisError> {
    if recipe.math.is_empty() { then(source) } else { then(&mut MathSource::new(source, &recipe.math)?) }
}

/// What to keep in mind of the samples, whatever lens looks at them.
fn cautions_of(view: &prepare::View<'_>) -> Vec<ResultCaution> {
    let assumed = |says| ResultCaution { rule: CautionRule::InputAssumed, channel: None, says, places_s: Vec::new() };
    let mut all: Vec<ResultCaution> = view.notes().iter().cloned().map(assumed).collect();
    let [before, after] = view.untrusted_s();
    if before.max(after) > 0.0 {
        let (start, end) = (view.start_s(), view.len() as f64 / view.rate());
        let says = format!(
            "integrated: the first {before:.3} and the last {after:.3} s depend on what came before and after and are not to be trusted; what lies between is within 2 % of its rms",
        );
        let places_s = vec![start, start + (end - after).max(0.0)];
        all.push(ResultCaution { rule: CautionRule::EndsOfIntegral, channel: None, says, places_s });
    }
    all.extend(view.gaps().into_iter().map(|(from_s, length_s)| ResultCaution {
        rule: CautionRule::Gap,
        channel: None,
        says: format!("{length_s:.6} s are missing at {from_s:.6} s; nothing reaches over the gap"),
        places_s: vec![from_s],
    }));
    all
}
