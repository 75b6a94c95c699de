//! Responses between points from a file: a universal file's functions, or a CSV with the frequency first and two columns
//! a response, `H<response>_<reference>_re` and `…_im`.

use crate::FormatError;
use crate::file::{Kind, kind};
use crate::uff;
use echo_job::analysis::result::{Points, Trace};
use echo_job::analysis::words::Shown;
use echo_job::dof::Dof;
use echo_signal::spectrum::Complex64;
use std::path::Path;

/// Unit of responses whose head names none.
const USUAL_UNIT: &str = "(m/s²)/N";

/// Frequencies in Hz, and the responses over them.
///
/// # Errors
/// The file cannot be read, or holds no responses.
pub fn read(path: &Path) -> Result<(Vec<f64>, Vec<Trace>), FormatError> {
    match kind(path)? {
        Kind::Uff => of_universal(path),
        Kind::Csv => of_csv(path),
        other => {
            let says =
                format!("is a file of samples, {}; allowed: responses as a universal file or as CSV", other.name());
            Err(FormatError::not_that(&path.display().to_string(), says))
        }
    }
}

fn of_universal(path: &Path) -> Result<(Vec<f64>, Vec<Trace>), FormatError> {
    let wrong = |says: &str| FormatError::not_that(&path.display().to_string(), says);
    let kept = uff::curves(path)?;
    let mut found = kept
        .results
        .into_iter()
        .filter(|c| c.traces.iter().any(|t| t.quantity == Shown::Response && t.complex().is_some()));
    let first = found.next().ok_or_else(|| wrong("holds no frequency responses (dataset 58, function type 4)"))?;
    if found.next().is_some() {
        return Err(wrong("holds responses over different frequencies; allowed: all over the same lines"));
    }
    let responses = first.traces.into_iter().filter(|t| t.complex().is_some()).collect();
    Ok((first.axis.values, responses))
}

/// Response and reference of a head, and its unit: `H3_14_re [m/s²/N]`, points also with a direction, `H3z_14-z_re`.
fn head(text: &str) -> Option<(Dof, Dof, bool, String)> {
    let (name, unit) = match text.split_once('[') {
        Some((name, rest)) => (name.trim(), rest.trim().trim_end_matches(']').to_string()),
        None => (text.trim(), USUAL_UNIT.to_string()),
    };
    let (pair, part) = name.strip_prefix('H')?.rsplit_once('_')?;
    let imaginary = match part {
        "re" => false,
        "im" => true,
        _ => return None,
    };
    let (response, reference) = pair.split_once('_')?;
    let dof = |t: &str| {
        let at = t.find(|c: char| !c.is_ascii_digit()).unwrap_or(t.len());
        Dof::read(&t[..at], &t[at..])
    };
    Some((dof(response)?, dof(reference)?, imaginary, unit))
}

fn of_csv(path: &Path) -> Result<(Vec<f64>, Vec<Trace>), FormatError> {
    let name = path.display().to_string();
    let wrong = |says: String| FormatError::not_that(&name, says);
    let mut lines = ::csv::ReaderBuilder::new()
        .from_path(path)
        .map_err(|e| FormatError::Io { name: name.clone(), source: std::io::Error::other(e) })?;
    let heads = lines.headers().map_err(|e| wrong(e.to_string()))?.clone();
    let allowed = "allowed: the frequency first, then H<response>_<reference>_re and …_im for each response";
    let mut traces: Vec<Trace> = Vec::new();
    // Which trace and which part of it a column holds.
    let mut columns = Vec::new();
    for text in heads.iter().skip(1) {
        let (to, of, imaginary, unit) =
            head(text).ok_or_else(|| wrong(format!("has a column “{}”; {allowed}", text.trim())))?;
        let own = |t: &Trace| t.dof.as_ref() == Some(&to) && t.reference_dof.as_ref() == Some(&of);
        let at = traces.iter().position(own).unwrap_or_else(|| {
            traces.push(Trace {
                name: format!("{to} / {of}"),
                channel: 0,
                reference: None,
                mode: None,
                axes: None,
                dof: Some(to.clone()),
                reference_dof: Some(of.clone()),
                quantity: Shown::Response,
                unit,
                points: Points::Complex(Vec::new()),
                within: None,
            });
            traces.len() - 1
        });
        if columns.contains(&(at, imaginary)) {
            return Err(wrong(format!("has the column “{}” twice", text.trim())));
        }
        columns.push((at, imaginary));
    }
    let halves = |k: usize| columns.iter().filter(|c| c.0 == k).count();
    if let Some(half) = (0..traces.len()).find(|k| halves(*k) != 2) {
        return Err(wrong(format!("has only one part of {}; {allowed}", traces[half].name)));
    }
    if traces.is_empty() {
        return Err(wrong(format!("has no responses; {allowed}")));
    }
    let mut frequencies = Vec::new();
    for (row, line) in lines.records().enumerate() {
        let line = line.map_err(|e| wrong(e.to_string()))?;
        let mut values = line.iter().map(|c| (c, c.trim().parse::<f64>().ok().filter(|x| x.is_finite())));
        let mut next = || match values.next() {
            Some((_, Some(x))) => Ok(x),
            Some((cell, None)) => Err(wrong(format!("line {}: “{}” is not a finite number", row + 2, cell.trim()))),
            None => Err(wrong(format!("line {}: a value is missing", row + 2))),
        };
        frequencies.push(next()?);
        for t in &mut traces {
            if let Points::Complex(z) = &mut t.points {
                z.push(Complex64::new(0.0, 0.0));
            }
        }
        for (at, imaginary) in &columns {
            let x = next()?;
            if let Points::Complex(z) = &mut traces[*at].points
                && let Some(last) = z.last_mut()
            {
                if *imaginary { last.im = x } else { last.re = x }
            }
        }
    }
    Ok((frequencies, traces))
}
