//! How a figure of the report is drawn.

use echo_job::analysis::Analysis;
use echo_job::analysis::result::Trace;
use echo_job::analysis::words::Shown;
use echo_job::geometry::Geometry;
use echo_job::report::block::Drawn;
use echo_job::report::language::Language;
use echo_store::note::Note;

/// How a figure is drawn.
pub(super) struct Look<'a> {
    pub(super) drawn: &'a Drawn,
    /// How many stand beside each other.
    pub(super) beside: u8,
    pub(super) notes: &'a [Note],
    pub(super) language: Language,
    /// The specimen, where shapes are drawn on it.
    pub(super) geometry: Option<&'a Geometry>,
}

impl Look<'_> {
    /// Whether the vertical axis has decades.
    pub(super) fn log_y(&self, result: &Analysis) -> bool {
        // Responses that came with a file have no lens of ours.
        let response = |t: &Trace| {
            use Shown::{Accelerance, Mobility, Receptance, Response};
            t.complex().is_some() && matches!(t.quantity, Response | Receptance | Mobility | Accelerance)
        };
        let usual = || {
            matches!(result.recipe.lens.name(), "spectrum" | "response" | "rainflow")
                || result.traces.first().is_some_and(response)
        };
        self.drawn.decades.unwrap_or_else(usual)
    }
}
