//! Values and their statistics against time, and overall levels.

use super::{Progress, axis, blank, number, refuse, trace};
use crate::Refusal;
use crate::analysis::AnalysisError;
use crate::analysis::prepare::{Chosen, View};
use crate::analysis::result::{Analysis, Number};
use crate::analysis::words::{Along, Shown};
use crate::recipe::{DetectorName, LevelSettings, Reduce, StatisticsSettings, WaveformSettings};
use echo_signal::level::{LevelProcessor, Reading};
use echo_signal::statistics::{Moments, Statistics};

/// Largest number of values a waveform result holds unreduced.
const MOST_VALUES: usize = 50_000_000;

pub fn waveform(s: &WaveformSettings, view: &mut View<'_>, progress: Progress<'_>) -> Result<Analysis, AnalysisError> {
    let (n, rate, from_s) = (view.len(), view.rate(), view.start_s());
    let channels = view.channels.clone();
    let mut out = blank(view);
    if s.reduce == Reduce::None {
        if n * channels.len() > MOST_VALUES {
            return Err(Refusal::new(
                "reduce",
                format!("the stretch has {} values; without reduction up to {MOST_VALUES} are allowed; or set reduce to minmax", n * channels.len()),
            ).into());
        }
        let mut values = vec![vec![f64::NAN; n]; channels.len()];
        view.feed(progress, &mut values, &|values, at, x, _| {
            values[at..at + x.len()].copy_from_slice(x);
            Ok(())
        })?;
        let times = (0..n).map(|k| from_s + k as f64 / rate).collect();
        out.axes.push(axis(Along::Time, "s", times));
        out.traces = channels.iter().zip(values).map(|(c, v)| trace(c, Shown::Value, c.unit.clone(), v)).collect();
        return Ok(out);
    }
    let points = s.points.min(n);
    let mut ends = vec![(vec![f64::INFINITY; points], vec![f64::NEG_INFINITY; points]); channels.len()];
    view.feed(progress, &mut ends, &|(low, high), at, x, _| {
        for (k, v) in x.iter().enumerate() {
            let p = (at + k) * points / n;
            low[p] = low[p].min(*v);
            high[p] = high[p].max(*v);
        }
        Ok(())
    })?;
    let times = (0..points).map(|p| from_s + (p as f64 + 0.5) * n as f64 / points as f64 / rate).collect();
    out.axes.push(axis(Along::Time, "s", times));
    let clean = |v: Vec<f64>| v.into_iter().map(|x| if x.is_finite() { x } else { f64::NAN }).collect();
    for (c, (lo, hi)) in channels.iter().zip(ends) {
        out.traces.push(trace(c, Shown::Min, c.unit.clone(), clean(lo)));
        out.traces.push(trace(c, Shown::Max, c.unit.clone(), clean(hi)));
    }
    Ok(out)
}

/// A statistic by name: whether it carries the channel's unit, and how it is read.
type Named = (Shown, bool, fn(&Statistics) -> f64);

/// The numbers of the statistics lens in their order.
const NAMED: [Named; 8] = [
    (Shown::Rms, true, |s| s.rms),
    (Shown::Mean, true, |s| s.mean),
    (Shown::Peak, true, |s| s.peak),
    (Shown::PeakToPeakOf, true, |s| s.peak_to_peak),
    (Shown::CrestFactor, false, |s| s.crest_factor),
    (Shown::Skewness, false, |s| s.skewness),
    (Shown::Kurtosis, false, |s| s.kurtosis),
    (Shown::Std, true, |s| s.std),
];

pub fn statistics(
    s: &StatisticsSettings,
    view: &mut View<'_>,
    progress: Progress<'_>,
) -> Result<Analysis, AnalysisError> {
    let channels = view.channels.clone();
    let (n, rate, from_s) = (view.len(), view.rate(), view.start_s());
    let each = match s.interval_s {
        None => n.max(1),
        Some(t) => {
            let each = (t * rate).round() as usize;
            if each == 0 || each > n {
                return Err(Refusal::new(
                    "interval_s",
                    format!(
                        "interval_s must be {} (one sample) to {} (the stretch), not {t}",
                        1.0 / rate,
                        n as f64 / rate
                    ),
                )
                .into());
            }
            each
        }
    };
    let intervals = if s.interval_s.is_some() { n / each } else { 0 };
    let mut seen = vec![(Moments::default(), vec![Moments::default(); intervals]); channels.len()];
    view.feed(progress, &mut seen, &|(whole, parts), at, x, _| {
        whole.push(x)?;
        let mut k = 0;
        while intervals > 0 && k < x.len() {
            let p = (at + k) / each;
            let end = ((p + 1) * each - at).min(x.len());
            if p < intervals {
                parts[p].push(&x[k..end])?;
            }
            k = end;
        }
        Ok(())
    })?;
    let mut out = blank(view);
    let unit_of = |c: &Chosen, with_unit: bool| if with_unit { c.unit.clone() } else { String::new() };
    for (c, (m, _)) in channels.iter().zip(&seen) {
        let found = m.finish()?;
        for (name, with_unit, of) in NAMED {
            out.numbers.push(Number {
                name: name.word().into(),
                channel: c.number,
                mode: None,
                unit: unit_of(c, with_unit),
                value: of(&found),
            });
        }
    }
    if intervals > 0 {
        let middles = (0..intervals).map(|p| from_s + (p as f64 + 0.5) * each as f64 / rate).collect();
        out.axes.push(axis(Along::Time, "s", middles));
        for (c, (_, parts)) in channels.iter().zip(&seen) {
            let found: Vec<Option<Statistics>> = parts.iter().map(|m| m.finish().ok()).collect();
            for (name, with_unit, of) in NAMED {
                let values = found.iter().map(|s| s.as_ref().map_or(f64::NAN, of)).collect();
                out.traces.push(trace(c, name, unit_of(c, with_unit), values));
            }
        }
    }
    Ok(out)
}

/// Overall level in a band against time.
pub fn level(s: &LevelSettings, view: &mut View<'_>, progress: Progress<'_>) -> Result<Analysis, AnalysisError> {
    let (rate, from_s) = (view.rate(), view.start_s());
    let channels = view.channels.clone();
    let reading = match s.detector {
        DetectorName::Rms => Reading::Rms,
        DetectorName::Peak => Reading::Peak,
    };
    let [lo, hi] = s.band_hz;
    let make = || LevelProcessor::new(rate, Some((lo, hi)), reading, s.interval_s);
    let interval = make()?.interval();
    let count = view.len() / interval;
    if count == 0 {
        return refuse(
            "interval_s",
            s.interval_s,
            &format!("up to the length of the stretch, {} s", view.len() as f64 / rate),
        );
    }
    let mut states =
        channels.iter().map(|_| Ok((make()?, Vec::new(), 0))).collect::<Result<Vec<_>, AnalysisError>>()?;
    // Long enough for the filter to have forgotten that it was at rest.
    let settling = (3.0 * rate / lo).min(1e7) as usize;
    view.feed(progress, &mut states, &|(processor, levels, seen), at, x, fresh| {
        if fresh {
            // Intervals begin anew after a gap; what the gap cuts has no level.
            *processor = make()?;
            let begun = at.div_ceil(interval);
            levels.resize(begun, f64::NAN);
            *seen = begun * interval - at;
            // The beginning turned round leads up to it without a step.
            let start: Vec<f64> = x[1..x.len().min(settling + 1)].iter().rev().copied().collect();
            processor.settle(&start)?;
        }
        let skip = (*seen).min(x.len());
        processor.settle(&x[..skip])?;
        *seen -= skip;
        processor.push(&x[skip..], levels)?;
        Ok(())
    })?;
    let mut out = blank(view);
    let middles = (0..count).map(|p| from_s + (p as f64 + 0.5) * interval as f64 / rate).collect();
    out.axes.push(axis(Along::Time, "s", middles));
    let quantity = if reading == Reading::Rms { Shown::Rms } else { Shown::Peak };
    for (c, (_, mut levels, _)) in channels.iter().zip(states) {
        levels.resize(count, f64::NAN);
        let highest = levels.iter().copied().fold(f64::NAN, f64::max);
        out.numbers.push(number("highest", c.number, &c.unit, highest));
        out.traces.push(trace(c, quantity, c.unit.clone(), levels));
    }
    Ok(out)
}
