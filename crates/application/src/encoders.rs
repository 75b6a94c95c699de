//! Encoders as they are heard now.

use crate::tachos::last;
use crate::{App, Result};
use echo_job::Refusal;
use echo_job::tacho::{Encoder, EncoderBody};
use serde::Deserialize;
use utoipa::ToSchema;

/// An encoder that is to be read.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct EncoderRead {
    /// Its settings.
    pub encoder: Encoder,
    /// How much of the last samples, s, 0.05 to 8.
    pub seconds: f64,
}

/// Reads an encoder.
///
/// # Errors
/// What is asked is not allowed, it cannot be done now, or the database is away.
pub fn encoder(app: &App, r: EncoderRead) -> Result<EncoderBody> {
    r.encoder.check()?;
    if !(0.05..=8.0).contains(&r.seconds) {
        return Err(Refusal::new("seconds", format!("{} s are read; allowed: 0.05 to 8 s", r.seconds)).into());
    }
    let (a, rate) = last(app, r.encoder.a, r.seconds)?;
    let (b, _) = last(app, r.encoder.b, r.seconds)?;
    let index = r.encoder.index.map(|i| last(app, i, r.seconds)).transpose()?.map(|i| i.0);
    Ok(r.encoder.read(&a, &b, index.as_deref(), rate)?)
}
