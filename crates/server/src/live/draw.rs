//! The pictures of one moment, made away from the threads that answer requests.

use super::wish::{PaneShown, Picture, Shown};
use crate::App;
use crate::work::computed::computed;
use echo_capture::Live;
use echo_job::math::{Formula, Known, MathChannel, formulas};
use echo_job::rig::Channel;
use echo_job::tacho::{PulseReading, Tachometer};
use echo_job::unit::find;
use echo_signal::envelope::envelope;
use echo_signal::extremes::min_max;
use echo_signal::spectrum::{Averaging, Scaling, SpectrumSettings, spectrum};
use echo_signal::statistics::statistics;
use echo_signal::window::Window;
use serde::Serialize;
use std::f64::consts::TAU;

/// Most inputs of one pane.
const MOST_INPUTS: usize = 16;
/// Most inputs of a table.
const MOST_ROWS: usize = 256;
/// Blocks averaged where nobody said how many.
const USUAL_AVERAGES: usize = 4;
/// Order of the band-pass before an envelope.
const ENVELOPE_ORDER: usize = 4;
/// Lines below are not integrated, Hz: what is slow there is drift.
const INTEGRATED_ABOVE_HZ: f64 = 2.0;
/// Stretch a speed is read from, s.
const SPEED_S: f64 = 1.0;

#[derive(Serialize)]
#[serde(tag = "kind", rename_all = "snake_case")]
enum Head<'a> {
    /// Five numbers an input: peak, rms, mean and held peak as shares of range, flags (1 over now,
    /// 2 over since the reset).
    Levels { inputs: Vec<u16> },
    /// For each input all smallest, then all largest values.
    Waveform { pane: u32, inputs: Vec<u16>, points: usize, seconds: f64, units: Vec<String> },
    /// As a waveform; `from_s` is the time of the first point, before now.
    Strip { pane: u32, inputs: Vec<u16>, points: usize, seconds: f64, units: Vec<String> },
    /// For each input the amplitude on each line.
    Spectrum { pane: u32, inputs: Vec<u16>, lines: usize, line_hz: f64, averages: usize, units: Vec<String> },
    /// For each input rms, peak, mean, smallest, largest.
    Numbers { pane: u32, inputs: Vec<u16>, units: Vec<String> },
    /// All x, then all y values; `marks` are places of pulses among them.
    Orbit { pane: u32, points: usize, marks: Vec<usize>, unit: String },
    /// Smallest, then largest values of the pulse train.
    Speed { pane: u32, input: u16, points: usize, seconds: f64, tacho: &'a Tachometer, reading: PulseReading },
}

fn packed(head: &Head, values: impl IntoIterator<Item = f64>) -> Vec<u8> {
    let json = serde_json::to_vec(head).unwrap_or_default();
    let mut bytes = (json.len() as u32).to_le_bytes().to_vec();
    bytes.extend(&json);
    bytes.resize(bytes.len().next_multiple_of(4), 0);
    for v in values {
        bytes.extend((v as f32).to_le_bytes());
    }
    bytes
}

/// Makes the pictures of one moment; `slow` ones too when it is their turn.
pub(super) async fn draw(app: &App, shown: &Shown, slow: bool) -> Vec<Vec<u8>> {
    let (live, shown) = (app.capture.live().clone(), shown.clone());
    let setup = app.setup();
    let math = app.live_math(setup.as_ref().map(|s| s.campaign)).await;
    let rows: Vec<Channel> = setup.as_ref().map(|s| s.rig.channels.clone()).unwrap_or_default();
    let tacho = setup.and_then(|s| s.plan.tachos.into_iter().next());
    let drawn = tokio::task::spawn_blocking(move || {
        let on: Vec<&Channel> = rows.iter().filter(|r| r.on).collect();
        let known = on.iter().map(|r| Known { name: r.name.clone(), unit: r.unit.clone() }).collect::<Vec<_>>();
        let taken: Vec<MathChannel> =
            computed(&known, math).into_iter().filter(|m| m.channel.is_some()).map(|m| m.math).collect();
        let formulas = formulas(&known, &taken).unwrap_or_default();
        let stage =
            Stage { rate: live.rate_hz(), live: &live, rows: &rows, on, formulas: &formulas, tacho: tacho.as_ref() };
        let mut out = Vec::new();
        if shown.levels {
            out.push(stage.levels());
        }
        if stage.rate > 0.0 {
            out.extend(shown.panes.iter().filter_map(|p| stage.pane(p, slow)));
        }
        out
    });
    drawn.await.unwrap_or_default()
}

/// A spectrum told in another unit, of another motion if need be.
struct Told {
    unit: String,
    scale: f64,
    /// How many times it is integrated.
    times: i32,
}

impl Told {
    /// Nothing for units that do not go into each other.
    fn new(from: &str, to: &str) -> Option<Told> {
        let (from, to) = (find(from).ok()?, find(to).ok()?);
        let times = match (from.quantity == to.quantity, from.quantity.motion_order(), to.quantity.motion_order()) {
            (true, ..) => 0,
            (false, Some(a), Some(b)) => a - b,
            _ => return None,
        };
        Some(Told { unit: to.symbol.into(), scale: from.to_si / to.to_si, times })
    }

    /// What a line at a frequency is multiplied by; integrated lines below 2 Hz are not told.
    fn factor(&self, hz: f64) -> f64 {
        match self.times {
            0 => self.scale,
            n if n > 0 && hz < INTEGRATED_ABOVE_HZ => 0.0,
            n => self.scale * (TAU * hz).powi(-n),
        }
    }
}

/// Computed channels are shown under numbers from here on, beyond those of any front end.
pub const COMPUTED_FROM: u16 = 1001;

/// A channel that is shown: a row with its unit a count, or a formula over rows.
enum Seen<'a> {
    Row(&'a Channel, f64),
    Computed(u16, &'a Formula),
}

impl Seen<'_> {
    fn input(&self) -> u16 {
        match self {
            Seen::Row(r, _) => r.input,
            Seen::Computed(input, _) => *input,
        }
    }

    fn unit(&self) -> &str {
        match self {
            Seen::Row(r, _) => &r.unit,
            Seen::Computed(_, f) => f.unit(),
        }
    }
}

struct Stage<'a> {
    live: &'a Live,
    rows: &'a [Channel],
    /// Rows that are measured: formulas name them by their places here.
    on: Vec<&'a Channel>,
    formulas: &'a [Formula],
    tacho: Option<&'a Tachometer>,
    rate: f64,
}

impl Stage<'_> {
    fn levels(&self) -> Vec<u8> {
        let levels = self.live.levels();
        let head = Head::Levels { inputs: levels.iter().map(|l| l.input).collect() };
        let values = levels.iter().flat_map(|l| {
            let flags = f64::from(u8::from(l.over) + 2 * u8::from(l.over_held));
            [l.peak, l.rms, l.mean, l.held, flags]
        });
        packed(&head, values)
    }

    /// Channels by their numbers, as far as they are measured or can be computed.
    fn chosen(&self, inputs: &[u16], most: usize) -> Vec<Seen<'_>> {
        let one = |i: &u16| match i.checked_sub(COMPUTED_FROM) {
            Some(k) => self.formulas.get(usize::from(k)).map(|f| Seen::Computed(*i, f)),
            None => self.on.iter().find(|r| r.input == *i).map(|r| Seen::Row(r, scaled(r))),
        };
        inputs.iter().take(most).filter_map(one).collect()
    }

    fn heard(&self, row: &Channel, factor: f64, most: usize) -> Vec<f64> {
        self.live.last(row.input, most).into_iter().map(|c| f64::from(c) * factor).collect()
    }

    fn last(&self, seen: &Seen<'_>, most: usize) -> Vec<f64> {
        let formula = match seen {
            Seen::Row(row, factor) => return self.heard(row, *factor, most),
            Seen::Computed(_, formula) => formula,
        };
        let (before, _) = formula.reach(self.rate);
        let parts: Vec<Vec<f64>> =
            formula.inputs().iter().map(|i| self.heard(self.on[*i], scaled(self.on[*i]), most + before)).collect();
        // All end now; what began later is shorter.
        let n = parts.iter().map(Vec::len).min().unwrap_or(0);
        let ends: Vec<&[f64]> = parts.iter().map(|p| &p[p.len() - n..]).collect();
        let mut values = formula.values(&ends, self.rate).unwrap_or_default();
        let extra = values.len().saturating_sub(most);
        values.drain(..extra);
        values
    }

    fn pane(&self, p: &PaneShown, slow: bool) -> Option<Vec<u8>> {
        let pane = p.pane;
        let numbers = |chosen: &[Seen<'_>]| -> (Vec<u16>, Vec<String>) {
            chosen.iter().map(|c| (c.input(), c.unit().to_string())).unzip()
        };
        match &p.of {
            Picture::Waveform { inputs, seconds, points } => {
                let most = ((seconds.clamp(1e-4, 10.0) * self.rate) as usize).max(2);
                let points = (*points).clamp(10, 4000).min(most);
                let chosen = self.chosen(inputs, MOST_INPUTS);
                let mut values = Vec::new();
                for c in &chosen {
                    let pairs = min_max(&self.last(c, most), points);
                    fill(&mut values, &pairs, points);
                }
                let (inputs, units) = numbers(&chosen);
                Some(packed(&Head::Waveform { pane, inputs, points, seconds: most as f64 / self.rate, units }, values))
            }
            Picture::Strip { inputs, seconds, points } => {
                // What is older than the ring is kept as extremes, of which no formula can be made.
                let mut chosen = self.chosen(inputs, MOST_INPUTS);
                chosen.retain(|c| matches!(c, Seen::Row(..)));
                let mut values = Vec::new();
                let mut shape = (0, 0.0);
                for c in &chosen {
                    let Seen::Row(r, f) = c else { continue };
                    let (pairs, each_s) = self.live.strip(r.input, *seconds, (*points).clamp(10, 4000));
                    shape = (pairs.len(), pairs.len() as f64 * each_s);
                    values.extend(pairs.iter().map(|p| f64::from(p.0) * f));
                    values.extend(pairs.iter().map(|p| f64::from(p.1) * f));
                }
                let (inputs, units) = numbers(&chosen);
                Some(packed(&Head::Strip { pane, inputs, points: shape.0, seconds: shape.1, units }, values))
            }
            Picture::Spectrum { inputs, block, to_hz, averages, unit, envelope_hz } if slow => {
                let block = (*block).clamp(64, 1 << 17);
                let samples = block * (averages.unwrap_or(USUAL_AVERAGES).clamp(1, 64) + 1) / 2;
                let settings = SpectrumSettings {
                    sample_rate_hz: self.rate,
                    block,
                    overlap: 0.5,
                    window: Window::Hann,
                    averaging: Averaging::Linear,
                };
                let all = block / 2 + 1;
                let lines = to_hz.map_or(all, |hz| ((hz / self.rate * block as f64).ceil() as usize + 1).min(all));
                let mut kept = Vec::new();
                let mut values = Vec::new();
                let mut averages = 0;
                for c in self.chosen(inputs, MOST_INPUTS) {
                    let mut heard = self.last(&c, samples.max(block));
                    if let Some(band) = envelope_hz {
                        let Ok(mut found) = envelope(&heard, self.rate, *band, ENVELOPE_ORDER) else { continue };
                        let mean = found.iter().sum::<f64>() / found.len().max(1) as f64;
                        found.iter_mut().for_each(|x| *x -= mean);
                        heard = found;
                    }
                    let Ok(found) = spectrum(&heard, settings) else { continue };
                    let told = unit.as_deref().and_then(|u| Told::new(c.unit(), u));
                    averages = found.averages();
                    let peaks = found.values(Scaling::Peak).into_iter().take(lines).enumerate();
                    values.extend(peaks.map(|(i, v)| match &told {
                        Some(t) => v * t.factor(i as f64 * self.rate / block as f64),
                        None => v,
                    }));
                    kept.push((c, told));
                }
                let told = |(c, t): &(Seen<'_>, Option<Told>)| {
                    (c.input(), t.as_ref().map_or_else(|| c.unit().to_string(), |t| t.unit.clone()))
                };
                let (inputs, units) = kept.iter().map(told).unzip();
                let line_hz = self.rate / block as f64;
                Some(packed(&Head::Spectrum { pane, inputs, lines, line_hz, averages, units }, values))
            }
            Picture::Numbers { inputs, seconds } if slow => {
                let most = ((seconds.clamp(0.01, 10.0) * self.rate) as usize).max(2);
                let chosen = self.chosen(inputs, MOST_ROWS);
                let values = chosen.iter().flat_map(|c| {
                    statistics(&self.last(c, most)).map_or([f64::NAN; 5], |s| [s.rms, s.peak, s.mean, s.min, s.max])
                });
                let values: Vec<f64> = values.collect();
                let (inputs, units) = numbers(&chosen);
                Some(packed(&Head::Numbers { pane, inputs, units }, values))
            }
            Picture::Orbit { x, y, seconds } => {
                let most = ((seconds.clamp(0.01, 2.0) * self.rate) as usize).max(2);
                let chosen = self.chosen(&[*x, *y], 2);
                let [cx, cy] = chosen.as_slice() else { return None };
                let (a, b) = (self.last(cx, most), self.last(cy, most));
                // As many points as a page can draw; marks fall on the next of them.
                let step = a.len().div_ceil(3000).max(1);
                let marks = self.marks(most).into_iter().map(|m| m / step).collect();
                let thin = |v: &[f64]| v.iter().step_by(step).copied().collect::<Vec<f64>>();
                let (a, b) = (thin(&a), thin(&b));
                let head = Head::Orbit { pane, points: a.len(), marks, unit: cx.unit().to_string() };
                Some(packed(&head, a.into_iter().chain(b)))
            }
            Picture::Speed { points } if slow => {
                let tacho = self.tacho?;
                let row = self.rows.iter().find(|r| r.input == tacho.input && r.on)?;
                let si = row.full_scale_si() / f64::from(echo_link::FULL_SCALE);
                let samples = self.heard(row, si, (SPEED_S * self.rate) as usize);
                let to_si = find(&tacho.unit).ok()?.to_si;
                let reading = tacho.read(&samples, self.rate);
                let pairs = min_max(&samples, (*points).clamp(10, 2000));
                let seconds = samples.len() as f64 / self.rate;
                let head = Head::Speed { pane, input: row.input, points: pairs.len(), seconds, tacho, reading };
                let values = pairs.iter().map(|p| p.0 / to_si).chain(pairs.iter().map(|p| p.1 / to_si));
                Some(packed(&head, values.collect::<Vec<f64>>()))
            }
            Picture::Spectrum { .. } | Picture::Numbers { .. } | Picture::Speed { .. } => None,
        }
    }

    /// Places of the tachometer's pulses among the last samples.
    fn marks(&self, most: usize) -> Vec<usize> {
        let Some(tacho) = self.tacho else { return Vec::new() };
        let Some(row) = self.rows.iter().find(|r| r.input == tacho.input && r.on) else { return Vec::new() };
        let si = row.full_scale_si() / f64::from(echo_link::FULL_SCALE);
        let Ok(mut turning) = tacho.turning(0, self.rate) else { return Vec::new() };
        let samples = self.heard(row, si, most);
        samples.iter().enumerate().filter(|(_, x)| turning.step(**x)).map(|(i, _)| i).collect()
    }
}

/// The unit a count of a row.
fn scaled(row: &Channel) -> f64 {
    row.full_scale() / f64::from(echo_link::FULL_SCALE)
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
    fn lines_are_told_in_another_motion() {
        let velocity = Told::new("m/s²", "mm/s").unwrap();
        assert!((velocity.factor(50.0) - 1e3 / (TAU * 50.0)).abs() < 1e-12 && velocity.factor(1.0) == 0.0);
        let back = Told::new("µm", "m/s²").unwrap();
        assert!((back.factor(10.0) - 1e-6 * (TAU * 10.0).powi(2)).abs() < 1e-12);
        assert!((Told::new("g", "m/s²").unwrap().factor(0.0) - 9.80665).abs() < 1e-12);
        assert!(Told::new("V", "mm/s").is_none() && Told::new("m/s²", "furlong").is_none());
    }

    #[test]
    fn a_picture_grows_from_the_right() {
        let mut values = Vec::new();
        fill(&mut values, &[(1.0, 2.0)], 3);
        assert!(values[0].is_nan() && values[1].is_nan() && values[3].is_nan());
        assert_eq!((values[2], values[5]), (1.0, 2.0));
    }
}
