//! A check as a table.

use super::{FitRequest, row};
use crate::{App, Result};
use echo_formats::sheet::Sheet;
use echo_job::reference::fit;

/// Pairs, and what follows from them, as a table.
///
/// # Errors
/// The input is not measured, or the pairs make no line.
pub fn table(app: &App, r: &FitRequest) -> Result<Sheet> {
    let c = row(app, r.input)?;
    let f = fit(&r.pairs, &c.sensitivity)?;
    let unit = c.quantity.units().find(|u| u.to_si == 1.0).map_or("", |u| u.symbol);
    let line = |k: &str, v: String| vec![k.to_string(), v, String::new()];
    let mut rows: Vec<Vec<String>> = r
        .pairs
        .iter()
        .zip(&f.deviations)
        .map(|(p, d)| vec![p.reference.to_string(), p.reading.to_string(), (d * 100.0).to_string()])
        .collect();
    rows.push(vec![String::new(); 3]);
    rows.push(line("Sensor", c.sensor.clone()));
    rows.push(line("Gain", f.gain.to_string()));
    rows.push(line(&format!("Offset, {unit}"), f.offset.to_string()));
    rows.push(line(
        "Linearity, %",
        f.linearity.map_or("three levels or more needed".into(), |l| (l * 100.0).to_string()),
    ));
    rows.push(line("Worst deviation, %", (f.worst * 100.0).to_string()));
    rows.push(line(&format!("Sensitivity as found, {}", c.sensitivity.unit), c.sensitivity.value.to_string()));
    rows.push(line(&format!("Sensitivity by this check, {}", f.sensitivity.unit), f.sensitivity.value.to_string()));
    let heads = vec![format!("Reference, {unit} rms"), format!("Reading, {unit} rms"), "Deviation, %".into()];
    Ok(Sheet { name: "Reference check".into(), heads, rows })
}
