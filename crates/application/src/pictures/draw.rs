//! The pictures of one moment, made away from the threads that answer requests, and once for all pages.

use super::drawn::Drawn;
use super::head::{Head, packed};
use super::held::Held;
use super::orbit::orbit;
use super::spectrum::{SpectrumWish, spectrum};
use super::stage::Stage;
use super::time::{numbers, speed, strip, waveform};
use super::wish::{PaneShown, Picture, Shown};
use crate::App;
use crate::runs::computed::computed;
use echo_capture::Live;
use echo_job::math::{Known, MathChannel, formulas};
use echo_job::rig::Channel;
use echo_link::Circuit;

/// Makes the pictures of one moment; `slow` ones too when it is their turn.
pub async fn draw(app: &App, shown: &Shown, slow: bool) -> Vec<Vec<u8>> {
    let (live, shown) = (app.capture.live().clone(), shown.clone());
    let setup = app.setup();
    let math = app.live_math(setup.as_ref().map(|s| s.campaign)).await;
    let rows: Vec<Channel> = setup.as_ref().map(|s| s.rig.channels.clone()).unwrap_or_default();
    let tacho = setup.and_then(|s| s.plan.tachos.into_iter().next());
    let known = app.drawn.clone();
    let pictures = tokio::task::spawn_blocking(move || {
        let on: Vec<&Channel> = rows.iter().filter(|r| r.on).collect();
        let names = on.iter().map(|r| Known { name: r.name.clone(), unit: r.unit.clone() }).collect::<Vec<_>>();
        let taken: Vec<MathChannel> =
            computed(&names, math).into_iter().filter(|m| m.channel.is_some()).map(|m| m.math).collect();
        let formulas = formulas(&names, &taken).unwrap_or_default();
        let stage =
            Stage { rate: live.rate_hz(), live: &live, rows: &rows, on, formulas: &formulas, tacho: tacho.as_ref() };
        let mut out = Vec::new();
        if shown.levels {
            out.push(levels(&live));
        }
        if stage.rate > 0.0 {
            out.extend(shown.panes.iter().filter_map(|p| once(&known, &stage, p, slow)));
        }
        out
    });
    pictures.await.unwrap_or_default()
}

/// Levels of all inputs.
fn levels(live: &Live) -> Vec<u8> {
    let levels = live.levels();
    let head = Head::Levels { inputs: levels.iter().map(|l| l.input).collect() };
    let values = levels.iter().flat_map(|l| {
        let circuit = match l.circuit {
            Circuit::InOrder => 0,
            Circuit::Open => 4,
            Circuit::Short => 8,
        };
        let flags = f64::from(u8::from(l.over) + 2 * u8::from(l.over_held) + circuit);
        [l.peak, l.rms, l.mean, l.held, flags]
    });
    packed(&head, values)
}

/// A picture that another page had drawn of the same blocks, or a new one.
fn once(known: &Drawn, stage: &Stage<'_>, p: &PaneShown, slow: bool) -> Option<Vec<u8>> {
    if p.of.slow() && !slow {
        return None;
    }
    known.or_draw(stage.live.blocks(), p, || pane(stage, p, &known.held))
}

fn pane(stage: &Stage<'_>, p: &PaneShown, held: &Held) -> Option<Vec<u8>> {
    let pane = p.pane;
    match &p.of {
        Picture::Waveform { inputs, seconds, points } => Some(waveform(stage, pane, inputs, *seconds, *points)),
        Picture::Strip { inputs, seconds, points } => Some(strip(stage, pane, inputs, *seconds, *points)),
        Picture::Spectrum { inputs, block, to_hz, averages, unit, envelope_hz, hold } => {
            let (to_hz, averages, unit, envelope_hz) = (*to_hz, *averages, unit.as_deref(), *envelope_hz);
            let wish = SpectrumWish { inputs, block: *block, to_hz, averages, unit, envelope_hz };
            let held = hold.map(|_| (held, p));
            Some(spectrum(stage, pane, &wish, held))
        }
        Picture::Numbers { inputs, seconds } => Some(numbers(stage, pane, inputs, *seconds)),
        Picture::Orbit { x, y, seconds } => orbit(stage, pane, (*x, *y), *seconds),
        Picture::Speed { points } => speed(stage, pane, *points),
    }
}
