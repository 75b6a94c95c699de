//! A kept result as a file.

use crate::jobs::files::file_name;
use crate::specimens::exchange::with_geometry;
use crate::{Desk, Result};
use echo_formats::result_file::write;
use echo_formats::uff::{Style, of_shapes};
use echo_job::Refusal;
use echo_job::analysis::Analysis;
use echo_job::export::ResultForm;

/// A kept result in a form, with the name of its file.
///
/// # Errors
/// There is none of that key, it does not fit the form, or the database is away.
pub async fn saved_as(desk: &Desk, id: i64, form: ResultForm) -> Result<(String, Vec<u8>)> {
    let (campaign, name, body) = desk.store.named_result(id).await?;
    let result = Analysis::kept(body)?;
    let bytes = if form == ResultForm::Universal && result.recipe.lens.gives_shapes() {
        let shapes = of_shapes(&result).map_err(|e| Refusal::new("form", e.to_string()))?;
        with_geometry(desk, campaign, &shapes, Style::Text).await?
    } else {
        let written = tokio::task::spawn_blocking(move || write(&result, form)).await?;
        written.map_err(|e| Refusal::new("form", e.to_string()))?
    };
    Ok((format!("{}.{}", file_name(&name), form.told().0), bytes))
}
