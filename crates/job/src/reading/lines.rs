//! Lines, families and bands of a spectrum.

use super::{CursorReading, Line, refuse};
use crate::Refusal;
use crate::analysis::result::{Analysis, Trace};
use crate::analysis::window_of;
use crate::recipe::{Blocks, EnvelopeOutput, Lens, ScalingName};
use echo_signal::peak::interpolate;
use echo_signal::window::{Window, corrections};

/// A spectrum with what its values mean.
pub(super) struct Spectrum<'a> {
    values: &'a [f64],
    first_hz: f64,
    pub(super) spacing_hz: f64,
    pub(super) scaling: ScalingName,
    window: Window,
    block: usize,
}

impl<'a> Spectrum<'a> {
    pub(super) fn of(result: &Analysis, trace: &'a Trace) -> Result<Spectrum<'a>, Refusal> {
        let (blocks, scaling): (Blocks, ScalingName) = match &result.recipe.lens {
            Lens::Spectrum(s) => (s.blocks(), s.scaling),
            Lens::Envelope(s) if s.output == EnvelopeOutput::Spectrum => (s.blocks(), s.scaling),
            other => return refuse("read", format!("lines are read of a spectrum, not of {}", other.name())),
        };
        let hz = &result.axes[0].values;
        if hz.len() < 3 || trace.real().len() != hz.len() {
            return refuse("read", "the spectrum has too few lines");
        }
        Ok(Spectrum {
            values: trace.real(),
            first_hz: hz[0],
            spacing_hz: (hz[hz.len() - 1] - hz[0]) / (hz.len() - 1) as f64,
            scaling,
            window: window_of(&blocks),
            block: blocks.block,
        })
    }

    fn squared(&self) -> bool {
        self.scaling.squared()
    }

    /// The line at a frequency, or the highest that stands out within a distance.
    pub(super) fn line(&self, number: i32, wanted_hz: f64, within_hz: f64) -> Line {
        let nothing = Line::wanted(number, wanted_hz);
        let at = (wanted_hz - self.first_hz) / self.spacing_hz;
        let last = self.values.len() - 1;
        if !(at >= 0.0 && at <= last as f64) {
            return nothing;
        }
        let reach = (within_hz / self.spacing_hz).max(1.0);
        let (from, to) = ((at - reach).ceil().max(1.0) as usize, ((at + reach).floor() as usize).min(last - 1));
        let v = self.values;
        // What stands out is twice the median of what is around it, so that noise is not taken for a line
        // and a strong neighbour does not hide it.
        let (a, b) = (from.saturating_sub(20), (to + 20).min(last));
        let mut near = v[a..=b].to_vec();
        let middle = near.len() / 2;
        let around = *near.select_nth_unstable_by(middle, f64::total_cmp).1;
        let stands = |i: &usize| v[*i] > v[i - 1] && v[*i] >= v[i + 1] && v[*i] > 2.0 * around;
        let Some(top) = (from..=to).filter(stands).max_by(|i, j| v[*i].total_cmp(&v[*j])) else {
            return Line { value: v.get(at.round() as usize).copied().filter(|v| v.is_finite()), ..nothing };
        };
        // The lobe is one of amplitude; of a power it is read by its root.
        let near: Vec<f64> = v[top - 1..=top + 1].iter().map(|x| if self.squared() { x.sqrt() } else { *x }).collect();
        let peak = interpolate(&near, 1, self.window, self.block);
        let found = self.first_hz + (top as f64 - 1.0 + peak.line) * self.spacing_hz;
        let value = if self.squared() { v[top] } else { peak.amplitude };
        Line { found_hz: Some(found), value: Some(value), ..nothing }
    }

    /// The highest local maxima, the highest first.
    pub(super) fn highest(&self, count: usize) -> Vec<Line> {
        let amplitudes: Vec<f64> = self.values.iter().map(|v| if self.squared() { v.sqrt() } else { *v }).collect();
        let apart = self.window.main_lobe_lines().ceil() as usize;
        let found = echo_signal::peak::highest(&amplitudes, apart, count);
        let one = |(k, number): (usize, i32)| {
            let peak = interpolate(&amplitudes, k, self.window, self.block);
            let hz = self.first_hz + peak.line * self.spacing_hz;
            let value = if self.squared() { self.values[k] } else { peak.amplitude };
            Line { found_hz: Some(hz), value: Some(value), ..Line::wanted(number, hz) }
        };
        found.into_iter().zip(1..).map(one).collect()
    }

    /// Level of a band, rms.
    pub(super) fn band(&self, from_hz: f64, to_hz: f64) -> Result<f64, Refusal> {
        let end = self.first_hz + (self.values.len() - 1) as f64 * self.spacing_hz;
        if !(from_hz >= 0.0 && from_hz < to_hz && to_hz <= end * (1.0 + 1e-9)) {
            return refuse("band", format!("{from_hz} to {to_hz} Hz; allowed: a band within 0 to {end:.6} Hz"));
        }
        let weights = self.window.weights(self.block).map_err(|e| Refusal::new("window", e.to_string()))?;
        let noise_lines = corrections(&weights).noise_bandwidth;
        let block_s = 1.0 / self.spacing_hz;
        let mean_square = |v: f64| match self.scaling {
            ScalingName::Peak => 0.5 * v * v / noise_lines,
            ScalingName::PeakToPeak => 0.125 * v * v / noise_lines,
            ScalingName::Rms => v * v / noise_lines,
            ScalingName::Power => v / noise_lines,
            ScalingName::Psd => v * self.spacing_hz,
            ScalingName::Esd => v * self.spacing_hz / block_s,
        };
        let hz = |i: usize| self.first_hz + i as f64 * self.spacing_hz;
        let inside = (0..self.values.len()).filter(|i| hz(*i) >= from_hz && hz(*i) <= to_hz);
        Ok(inside.map(|i| mean_square(self.values[i])).sum::<f64>().sqrt())
    }
}

/// The unit of the amplitudes behind a spectrum's unit: “m/s²” for “(m/s²)²/Hz”.
pub(super) fn amplitude_unit(unit: &str, scaling: ScalingName) -> &str {
    if !scaling.squared() {
        return unit;
    }
    let square = unit.trim_end_matches("/Hz").trim_end_matches("·s");
    let one = square.strip_suffix('²').unwrap_or(square);
    one.strip_prefix('(').and_then(|u| u.strip_suffix(')')).unwrap_or(one)
}

/// Lines at a start and multiples of a distance from it. The distance is fitted to those found, the
/// nearest first, so that a line that happens to be near a far member is not taken for it.
pub(super) fn family(s: &Spectrum<'_>, start_hz: f64, spacing_hz: f64, numbers: Vec<i32>) -> CursorReading {
    let mut spacing = spacing_hz;
    // How far the distance may be off, Hz: at first as much as somebody who points at a line may be.
    let mut doubt = (1.5 * s.spacing_hz).min(0.3 * spacing_hz);
    let (mut top, mut sum, mut furthest) = (0.0, 0.0, 0);
    let mut lines: Vec<Option<Line>> = vec![None; numbers.len()];
    let mut order: Vec<usize> = (0..numbers.len()).collect();
    order.sort_by_key(|i| numbers[*i].abs());
    for group in order.chunk_by(|i, j| numbers[*i].abs() == numbers[*j].abs()) {
        for &i in group {
            let k = numbers[i];
            let wanted = start_hz + f64::from(k) * spacing;
            let within =
                (f64::from(k.abs().max(1)) * doubt).clamp(0.6 * s.spacing_hz, 0.3 * spacing_hz.max(2.0 * s.spacing_hz));
            let mut line = s.line(k, wanted, within);
            if line.found_hz.is_some_and(|f| (f - wanted).abs() > within) {
                line.found_hz = None;
            }
            if let (Some(hz), false) = (line.found_hz, k == 0) {
                top += f64::from(k) * (hz - start_hz);
                sum += f64::from(k).powi(2);
                furthest = furthest.max(k.abs());
            }
            lines[i] = Some(line);
        }
        if sum > 0.0 {
            // Read between the lines a place is known to some tenths of one.
            spacing = top / sum;
            doubt = 0.3 * s.spacing_hz / f64::from(furthest);
        }
    }
    CursorReading {
        lines: lines.into_iter().flatten().collect(),
        // A distance that fits no line is none.
        spacing_hz: (sum > 0.0).then_some(spacing),
        ..CursorReading::default()
    }
}
