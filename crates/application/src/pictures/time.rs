//! Pictures over time: the newest stretch, a long strip, values, the pulse train.

use super::head::{Head, packed};
use super::stage::{Seen, Stage};
use echo_job::unit::find;
use echo_signal::extremes::min_max;
use echo_signal::statistics::statistics;

/// Most inputs of one pane.
pub(super) const MOST_INPUTS: usize = 16;
/// Most inputs of a table.
const MOST_ROWS: usize = 256;
/// Stretch a speed is read from, s.
const SPEED_S: f64 = 1.0;

/// Numbers and units of what is shown.
fn told(chosen: &[Seen<'_>]) -> (Vec<u16>, Vec<String>) {
    chosen.iter().map(|c| (c.input(), c.unit().to_string())).unzip()
}

/// The newest stretch.
pub(super) fn waveform(stage: &Stage<'_>, pane: u32, inputs: &[u16], seconds: f64, points: usize) -> Vec<u8> {
    let most = ((seconds.clamp(1e-4, 10.0) * stage.rate) as usize).max(2);
    let points = points.clamp(10, 4000).min(most);
    let chosen = stage.chosen(inputs, MOST_INPUTS);
    let mut values = Vec::new();
    for c in &chosen {
        let pairs = min_max(&stage.last(c, most), points);
        fill(&mut values, &pairs, points);
    }
    let (inputs, units) = told(&chosen);
    packed(&Head::Waveform { pane, inputs, points, seconds: most as f64 / stage.rate, units }, values)
}

/// The recording so far, or a long window that moves.
pub(super) fn strip(stage: &Stage<'_>, pane: u32, inputs: &[u16], seconds: Option<f64>, points: usize) -> Vec<u8> {
    // What is older than the ring is kept as extremes, of which no formula can be made.
    let mut chosen = stage.chosen(inputs, MOST_INPUTS);
    chosen.retain(|c| matches!(c, Seen::Row(..)));
    let mut values = Vec::new();
    let mut shape = (0, 0.0);
    for c in &chosen {
        let Seen::Row(r, f) = c else { continue };
        let (pairs, each_s) = stage.live.strip(r.input, seconds, points.clamp(10, 4000));
        shape = (pairs.len(), pairs.len() as f64 * each_s);
        values.extend(pairs.iter().map(|p| f64::from(p.0) * f));
        values.extend(pairs.iter().map(|p| f64::from(p.1) * f));
    }
    let (inputs, units) = told(&chosen);
    packed(&Head::Strip { pane, inputs, points: shape.0, seconds: shape.1, units }, values)
}

/// Values of the last seconds.
pub(super) fn numbers(stage: &Stage<'_>, pane: u32, inputs: &[u16], seconds: f64) -> Vec<u8> {
    let most = ((seconds.clamp(0.01, 10.0) * stage.rate) as usize).max(2);
    let chosen = stage.chosen(inputs, MOST_ROWS);
    let values = chosen.iter().flat_map(|c| {
        statistics(&stage.last(c, most)).map_or([f64::NAN; 5], |s| [s.rms, s.peak, s.mean, s.min, s.max])
    });
    let values: Vec<f64> = values.collect();
    let (inputs, units) = told(&chosen);
    packed(&Head::Numbers { pane, inputs, units }, values)
}

/// The first tachometer: its speed and its pulse train.
pub(super) fn speed(stage: &Stage<'_>, pane: u32, points: usize) -> Option<Vec<u8>> {
    let tacho = stage.tacho?;
    let row = stage.rows.iter().find(|r| r.input == tacho.input && r.on)?;
    let si = row.full_scale_si() / f64::from(echo_link::FULL_SCALE);
    let samples = stage.heard(row, si, (SPEED_S * stage.rate) as usize);
    let to_si = find(&tacho.unit).ok()?.to_si;
    let reading = tacho.read(&samples, stage.rate);
    let pairs = min_max(&samples, points.clamp(10, 2000));
    let seconds = samples.len() as f64 / stage.rate;
    let head = Head::Speed { pane, input: row.input, points: pairs.len(), seconds, tacho, reading };
    let values = pairs.iter().map(|p| p.0 / to_si).chain(pairs.iter().map(|p| p.1 / to_si));
    Some(packed(&head, values.collect::<Vec<f64>>()))
}

/// Appends all smallest, then all largest values; until the ring is full the picture grows from the
/// right.
fn fill(values: &mut Vec<f64>, pairs: &[(f64, f64)], points: usize) {
    let missing = points - pairs.len().min(points);
    values.extend(std::iter::repeat_n(f64::NAN, missing).chain(pairs.iter().map(|p| p.0)));
    values.extend(std::iter::repeat_n(f64::NAN, missing).chain(pairs.iter().map(|p| p.1)));
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_picture_grows_from_the_right() {
        let mut values = Vec::new();
        fill(&mut values, &[(1.0, 2.0)], 3);
        assert!(values[0].is_nan() && values[1].is_nan() && values[3].is_nan());
        assert_eq!((values[2], values[5]), (1.0, 2.0));
    }
}
