//! What the report says of a run.

use super::figure::{Look, figure};
use super::stored;
use crate::runs::going::Watched;
use crate::runs::results::make;
use crate::runs::source::calibrated;
use crate::{Desk, Error, Result};
use echo_formats::report::Report;
use echo_job::analysis::Analysis;
use echo_job::recipe::{Lens, Recipe, Reduce, WaveformSettings};
use echo_store::note::Note;
use std::sync::Arc;

/// A place in at most six digits.
fn shortened(x: f64) -> String {
    let digits = (5 - x.abs().max(1e-9).log10().floor() as i32).clamp(0, 9) as usize;
    let text = format!("{x:.digits$}");
    if text.contains('.') { text.trim_end_matches('0').trim_end_matches('.').into() } else { text }
}

fn recipe_text(result: &Analysis) -> String {
    // A space after each comma lets the line break there.
    serde_json::to_string(&result.recipe).unwrap_or_default().replace(",\"", ", \"")
}

/// Everything the report says, from the run and the recipes.
///
/// # Errors
/// There is no run to report on, a recipe does not fit it, or the database is away.
pub(crate) async fn collected(desk: &Desk, id: i64, watched: &Arc<Watched>) -> Result<Report> {
    let (body, _) = stored(&desk.store, id).await?;
    body.check()?;
    let campaign = desk.store.campaign(id).await?;
    let runs = desk.store.runs(id).await?;
    let run = match body.run_id {
        Some(wanted) => runs.into_iter().find(|r| r.id == wanted),
        None => runs.into_iter().rfind(|r| r.samples > 0),
    }
    .filter(|r| r.samples > 0)
    .ok_or_else(|| Error::conflict("there is no recorded run to report on; record one, or choose another"))?;
    let spectrum = match body.recipe {
        Some(r) => Recipe::from_value(r)?,
        None => Recipe { channels: Some(vec![1]), ..Recipe::of(Lens::Spectrum(Default::default())) },
    };
    let waveform = Recipe {
        lens: Lens::Waveform(WaveformSettings { reduce: Reduce::Minmax, points: 1200 }),
        unit: None,
        prepare: Vec::new(),
        channels: spectrum.channels.as_ref().map(|c| c.iter().take(1).copied().collect()),
        ..spectrum.clone()
    };
    let wave = make(desk, &run, waveform, watched).await?;
    let spec = make(desk, &run, spectrum, watched).await?;
    let channels = calibrated(&desk.store, run.id).await?;
    let history = desk.store.calibrations(run.id).await?;
    let mut rows = Vec::new();
    for c in &channels {
        let corrected = history.iter().filter(|h| h.channel == c.channel).count() > 1;
        rows.push(vec![
            c.recorded.row.input.to_string(),
            c.recorded.row.name.clone(),
            c.recorded.row.sensor.clone(),
            format!("{} {}{}", c.sensitivity.value, c.sensitivity.unit, if corrected { " *" } else { "" }),
            format!("{} {} V", c.recorded.row.coupling.name(), c.recorded.row.range_v),
        ]);
    }
    let duration = run.samples as f64 / run.sample_rate_hz;
    let mut facts = vec![
        ("Specimen".into(), campaign.specimen.clone()),
        ("Run".into(), format!("{} {}", run.number, run.kind)),
        ("Recorded".into(), run.started_at.format("%-d %B %Y, %H:%M:%S UTC").to_string()),
        ("Length".into(), format!("{duration:.3} s")),
        ("Rate".into(), format!("{} Hz", run.sample_rate_hz)),
        ("Channels".into(), channels.len().to_string()),
        ("Front end".into(), run.front_end.clone()),
        ("Ended".into(), run.ended_because.clone().unwrap_or_default()),
    ];
    for c in spec.cautions.iter().chain(&wave.cautions) {
        facts.push(("Caution".into(), c.says.clone()));
    }
    let spacing = spec.axes.first().and_then(|a| Some(a.values.get(1)? - a.values.first()?)).unwrap_or(f64::NAN);
    let stretch = spec.recipe.stretch.map(|s| format!("{:.3} to {:.3} s", s.from_s, s.to_s)).unwrap_or_default();
    let names = spec.traces.iter().map(|t| t.name.as_str()).collect::<Vec<_>>().join("; ");
    let notes = desk.store.notes(run.id).await?;
    let mut figures = Vec::new();
    let wave_caption = format!(
        "{}, {stretch}; smallest and largest of 1200 stretches.",
        wave.traces.first().map_or("", |t| t.name.as_str())
    );
    let plain = Look { log_y: false, shown: None, notes: &notes };
    figures.extend(figure(&wave, "Waveform", wave_caption, &plain));
    let spec_caption =
        format!("{names}; {stretch}, {} averages, lines {spacing:.4} Hz apart.", spec.averages.unwrap_or(0));
    let look = Look { log_y: true, shown: body.shown_hz, notes: &notes };
    figures.extend(figure(&spec, "Spectrum", spec_caption, &look));
    let mut made = vec![("Spectrum".to_string(), recipe_text(&spec)), ("Waveform".to_string(), recipe_text(&wave))];
    for h in history.iter().filter(|h| !h.recorded) {
        made.push((
            format!("* Sensitivity of channel {} put right {}", h.channel, h.at.format("%-d %B %Y, %H:%M UTC")),
            format!("{} {}, by {}: {}", h.sensitivity.value, h.sensitivity.unit, h.who, h.reason),
        ));
    }
    for c in desk.store.corrections(run.id).await? {
        let what = c.channel.map_or_else(|| c.field.clone(), |n| format!("{} of channel {n}", c.field));
        made.push((
            format!("{what} put right {}", c.at.format("%-d %B %Y, %H:%M UTC")),
            format!("{} instead of {}, by {}: {}", c.after, c.before, c.who, c.reason),
        ));
    }
    let name = |n: &Note| {
        let found = channels.iter().find(|c| Some(c.channel) == n.channel);
        found.map_or_else(String::new, |c| format!(", {}", c.recorded.row.name))
    };
    let notes =
        notes.iter().map(|n| (format!("{} {}{}, {}", shortened(n.place), n.unit, name(n), n.lens), n.says.clone()));
    Ok(Report {
        notes: notes.collect(),
        heading: campaign.purpose,
        title: body.title,
        subtitle: format!("Run {}, {}", run.number, run.started_at.format("%-d %B %Y")),
        findings: body.findings,
        facts,
        rig_heads: ["", "Channel", "Sensor", "Sensitivity", "Set to"].map(String::from).to_vec(),
        rig_rows: rows,
        figures,
        made,
        foot: format!("{} · {}", spec.made.by, campaign.name),
    })
}

#[cfg(test)]
mod tests {
    use super::shortened;

    #[test]
    fn places_have_at_most_six_digits() {
        for (place, wanted) in [
            (582.8, "582.8"),
            (582.833_333, "582.833"),
            (0.0, "0"),
            (-12.5, "-12.5"),
            (51_200.4, "51200.4"),
            (1_234_567.8, "1234568"),
            (0.001_234_567, "0.00123457"),
        ] {
            assert_eq!(shortened(place), wanted, "{place}");
        }
    }
}
