//! What can be wrong with an argument, in a sentence that names it and says what is allowed.

/// A refused argument. The text is meant for the person who set it.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum SignalError {
    /// A setting lies outside what the method allows.
    #[error("{name} must be {allowed}, not {got}")]
    Argument {
        /// Name of the argument as the caller writes it.
        name: &'static str,
        /// The value that was given.
        got: String,
        /// What would have been accepted.
        allowed: String,
    },
    /// There are too few samples for the method.
    #[error("the stretch has {have} samples; {what} needs at least {need}")]
    TooShort {
        /// The part of the method that needs them.
        what: &'static str,
        /// Samples present.
        have: usize,
        /// Samples needed.
        need: usize,
    },
    /// A sample is NaN or infinite.
    #[error("sample {index} must be a finite number, not {value}")]
    NotFinite {
        /// Position of the first such sample, counted from 0.
        index: usize,
        /// Its value.
        value: f64,
    },
}

/// Shorthand for this crate's results.
pub type Result<T> = std::result::Result<T, SignalError>;

/// Builds an [`SignalError::Argument`].
pub(crate) fn argument(name: &'static str, got: impl ToString, allowed: impl Into<String>) -> SignalError {
    SignalError::Argument { name, got: got.to_string(), allowed: allowed.into() }
}

/// Checks that every sample is a finite number.
///
/// # Errors
/// [`SignalError::NotFinite`] with the position of the first one that is not.
pub fn check_finite(samples: &[f64]) -> Result<()> {
    // The sum of x·0 is 0 for finite input and NaN otherwise; the search runs only then.
    let mut probe = 0.0;
    for x in samples {
        probe += x * 0.0;
    }
    if probe == 0.0 {
        return Ok(());
    }
    match samples.iter().position(|x| !x.is_finite()) {
        Some(index) => Err(SignalError::NotFinite { index, value: samples[index] }),
        None => Ok(()),
    }
}

/// Checks a sample rate: finite and above zero, in Hz.
///
/// # Errors
/// [`SignalError::Argument`] naming `sample_rate_hz`.
pub fn check_rate(sample_rate_hz: f64) -> Result<()> {
    if sample_rate_hz.is_finite() && sample_rate_hz > 0.0 {
        Ok(())
    } else {
        Err(argument("sample_rate_hz", sample_rate_hz, "a finite number above 0"))
    }
}
