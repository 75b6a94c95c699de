//! The spectrum of the last blocks.

use super::head::{Head, packed};
use super::held::Held;
use super::stage::{Seen, Stage};
use super::time::MOST_INPUTS;
use super::wish::PaneShown;
use echo_job::recipe::INTEGRATE_ABOVE_HZ;
use echo_job::retold::Retold;
use echo_signal::envelope::envelope;
use echo_signal::spectrum::{Averaging, Scaling, SpectrumSettings, spectrum as averaged};
use echo_signal::window::Window;

/// Blocks averaged where nobody said how many.
const USUAL_AVERAGES: usize = 4;
/// Order of the band-pass before an envelope.
const ENVELOPE_ORDER: usize = 4;

/// What a spectrum is wished as.
pub(super) struct SpectrumWish<'a> {
    pub(super) inputs: &'a [u16],
    pub(super) block: usize,
    pub(super) to_hz: Option<f64>,
    pub(super) averages: Option<usize>,
    pub(super) unit: Option<&'a str>,
    pub(super) envelope_hz: Option<(f64, f64)>,
}

/// The averaged spectrum, told in the wished unit where that can be; behind it the largest values, where they are held.
pub(super) fn spectrum(
    stage: &Stage<'_>,
    pane: u32,
    wish: &SpectrumWish<'_>,
    held: Option<(&Held, &PaneShown)>,
) -> Vec<u8> {
    let block = wish.block.clamp(64, 1 << 17);
    let samples = block * (wish.averages.unwrap_or(USUAL_AVERAGES).clamp(1, 64) + 1) / 2;
    let settings = SpectrumSettings {
        sample_rate_hz: stage.rate,
        block,
        overlap: 0.5,
        window: Window::Hann,
        averaging: Averaging::Linear,
    };
    let all = block / 2 + 1;
    let lines = wish.to_hz.map_or(all, |hz| ((hz / stage.rate * block as f64).ceil() as usize + 1).min(all));
    let mut kept = Vec::new();
    let mut values = Vec::new();
    let mut averages = 0;
    for c in stage.chosen(wish.inputs, MOST_INPUTS) {
        let mut heard = stage.last(&c, samples.max(block));
        if let Some(band) = wish.envelope_hz {
            let Ok(mut found) = envelope(&heard, stage.rate, band, ENVELOPE_ORDER) else { continue };
            let mean = found.iter().sum::<f64>() / found.len().max(1) as f64;
            found.iter_mut().for_each(|x| *x -= mean);
            heard = found;
        }
        let Ok(found) = averaged(&heard, settings) else { continue };
        let told = wish.unit.and_then(|u| Retold::named(c.unit(), u));
        averages = found.averages();
        let peaks = found.values(Scaling::Peak).into_iter().take(lines).enumerate();
        values.extend(peaks.map(|(i, v)| match &told {
            Some((r, _)) => v * r.factor(i as f64 * stage.rate / block as f64, INTEGRATE_ABOVE_HZ),
            None => v,
        }));
        kept.push((c, told));
    }
    let told = |(c, t): &(Seen<'_>, Option<(Retold, &str)>)| {
        (c.input(), t.as_ref().map_or_else(|| c.unit().to_string(), |(_, unit)| (*unit).to_string()))
    };
    if let Some((held, of)) = held {
        let largest = held.largest(of, &values);
        values.extend(largest);
    }
    let (inputs, units) = kept.iter().map(told).unzip();
    let line_hz = stage.rate / block as f64;
    packed(&Head::Spectrum { pane, inputs, lines, line_hz, averages, units }, values)
}
