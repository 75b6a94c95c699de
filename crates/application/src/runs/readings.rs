//! Cursors on results.

use super::going::Watched;
use super::results::analysed;
use crate::{Desk, Result};
use echo_job::Refusal;
use echo_job::reading::{Ask, CursorReading, read_all};
use echo_job::recipe::Recipe;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use utoipa::ToSchema;

/// Something asked of a curve.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct AskOf {
    /// The curve, from 0.
    pub trace: usize,
    /// What is asked.
    pub ask: Ask,
}

/// Cursors on a result.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ReadingsRequest {
    /// The recipe of the result.
    #[schema(value_type = Recipe)]
    pub recipe: serde_json::Value,
    /// What is asked, up to 50.
    pub asks: Vec<AskOf>,
}

/// What a cursor reads, or why it cannot.
#[derive(Serialize, ToSchema)]
pub struct ReadingBody {
    /// What was read.
    #[serde(flatten)]
    pub reading: CursorReading,
    /// Why nothing was.
    pub refused: Option<String>,
}

/// Reads cursors on a result; the result itself is made, or kept from a moment ago.
///
/// # Errors
/// What is asked is not allowed, or the database is away.
pub async fn readings(desk: &Desk, id: i64, request: ReadingsRequest) -> Result<Vec<ReadingBody>> {
    if request.asks.len() > 50 {
        let says = format!("{} are asked; allowed: up to 50 at once", request.asks.len());
        return Err(Refusal::new("asks", says).into());
    }
    let result = analysed(desk, id, Recipe::from_value(request.recipe)?, &Arc::new(Watched::default())).await?;
    let asks: Vec<(usize, Ask)> = request.asks.into_iter().map(|a| (a.trace, a.ask)).collect();
    // A fit takes a while, which the other requests are not to wait for.
    let read = tokio::task::spawn_blocking(move || read_all(&result, &asks));
    let read = read.await?;
    let one = |read: std::result::Result<CursorReading, Refusal>| match read {
        Ok(reading) => ReadingBody { reading, refused: None },
        Err(e) => ReadingBody { reading: CursorReading::default(), refused: Some(e.says) },
    };
    Ok(read.into_iter().map(one).collect())
}
