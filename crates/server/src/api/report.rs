//! The report: its text and choices, and the PDF made of them.

use super::ApiError;
use crate::App;
use crate::going::Watched;
use crate::run_source::calibrated;
use crate::work::results::make;
use axum::Json;
use axum::extract::{Path, State};
use axum::http::{StatusCode, header};
use axum::response::IntoResponse;
use echo_formats::plot::{ASPECT, Curve, Plot, draw};
use echo_formats::report::{Figure, Report};
use echo_job::Refusal;
use echo_job::analysis::Analysis;
use echo_job::recipe::{Lens, Recipe, Reduce, WaveformSettings};
use echo_store::study::Note;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use utoipa::ToSchema;

/// Text and choices of a report.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ReportBody {
    /// Title; not empty.
    pub title: String,
    /// Findings in the engineer's words.
    #[serde(default)]
    pub findings: String,
    /// The run it is about.
    pub run_id: Option<i64>,
    /// The spectrum shown; its channels and stretch also choose the waveform.
    #[schema(value_type = Option<Object>)]
    pub recipe: Option<serde_json::Value>,
    /// Lowest and highest frequency drawn, Hz.
    #[serde(default)]
    pub shown_hz: Option<[f64; 2]>,
}

/// Most characters of a title, and characters and lines of findings: some dozen pages.
const LONGEST_TITLE: usize = 300;
const LONGEST_FINDINGS: usize = 50_000;
const MOST_LINES: usize = 1_500;

impl ReportBody {
    fn check(&self) -> Result<(), Refusal> {
        if self.title.trim().is_empty() {
            return Err(Refusal::new("title", "the title is empty; allowed is any text"));
        }
        let (title, length) = (self.title.chars().count(), self.findings.chars().count());
        if title > LONGEST_TITLE {
            let says = format!("the title has {title} characters; allowed are up to {LONGEST_TITLE}");
            return Err(Refusal::new("title", says));
        }
        let lines = self.findings.lines().count();
        if length > LONGEST_FINDINGS || lines > MOST_LINES {
            let says = format!(
                "the findings have {length} characters in {lines} lines; allowed are up to {LONGEST_FINDINGS} in {MOST_LINES}"
            );
            return Err(Refusal::new("findings", says));
        }
        Ok(())
    }
}

async fn stored(app: &App, id: i64) -> Result<ReportBody, ApiError> {
    if let Some(v) = app.store.report(id).await? {
        return serde_json::from_value(v).map_err(|e| ApiError::fault(e.to_string()));
    }
    let campaign = app.store.campaign(id).await?;
    Ok(ReportBody { title: campaign.name, findings: String::new(), run_id: None, recipe: None, shown_hz: None })
}

/// The report as it stands.
#[utoipa::path(get, operation_id = "read_report", path = "/api/campaigns/{id}/report", params(("id" = i64, Path)), responses((status = 200, body = ReportBody)))]
pub async fn read(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<ReportBody>, ApiError> {
    Ok(Json(stored(&app, id).await?))
}

/// Replaces text and choices.
#[utoipa::path(put, operation_id = "save_report", path = "/api/campaigns/{id}/report", params(("id" = i64, Path)), request_body = ReportBody,
    responses((status = 204), (status = 422, body = super::ErrorBody)))]
pub async fn save(
    State(app): State<App>,
    Path(id): Path<i64>,
    Json(body): Json<ReportBody>,
) -> Result<StatusCode, ApiError> {
    body.check()?;
    if let Some(r) = &body.recipe {
        Recipe::from_value(r.clone())?;
    }
    let value = serde_json::to_value(&body).map_err(|e| ApiError::fault(e.to_string()))?;
    app.store.save_report(id, &value).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// How a figure is drawn.
struct Look<'a> {
    log_y: bool,
    shown: Option<[f64; 2]>,
    notes: &'a [Note],
}

fn figure(result: &Analysis, title: &str, caption: String, look: &Look<'_>) -> Option<Figure> {
    // Curves of real values over one axis can be drawn; maps and complex traces are not, yet.
    let [axis] = &result.axes[..] else { return None };
    if result.traces.iter().any(|t| t.values.len() != axis.values.len()) {
        return None;
    }
    let (a, b) = match look.shown {
        Some([lo, hi]) => (axis.values.partition_point(|x| *x < lo), axis.values.partition_point(|x| *x <= hi)),
        None => (0, axis.values.len()),
    };
    if b <= a + 1 {
        return None;
    }
    let envelope = result.traces.iter().any(|t| t.quantity == "min");
    let curves = if envelope {
        result
            .traces
            .chunks(2)
            .filter_map(|pair| match pair {
                [lo, hi] => Some(Curve { name: &hi.name, values: &hi.values[a..b], low: Some(&lo.values[a..b]) }),
                _ => None,
            })
            .collect()
    } else {
        result.traces.iter().map(|t| Curve { name: &t.name, values: &t.values[a..b], low: None }).collect()
    };
    let t = result.traces.first()?;
    let quantity = if envelope { "value" } else { &t.quantity };
    let lens = result.recipe.lens.name();
    let notes: Vec<&Note> = look.notes.iter().filter(|n| n.axis == axis.name && n.lens == lens).collect();
    let plot = Plot {
        x: &axis.values[a..b],
        x_label: &format!("{}, {}", axis.name, axis.unit),
        y_label: &format!("{quantity}, {}", t.unit),
        log_y: look.log_y,
        curves,
        notes: notes.iter().map(|n| (n.place, n.says.as_str())).collect(),
    };
    let drawing = draw(&plot);
    Some(Figure { title: title.into(), caption, svg: drawing.svg, labels: drawing.labels, aspect: ASPECT })
}

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

/// The report as PDF.
#[utoipa::path(get, operation_id = "report_pdf", path = "/api/campaigns/{id}/report.pdf", params(("id" = i64, Path)),
    responses((status = 200, content_type = "application/pdf", body = Vec<u8>), (status = 409, body = super::ErrorBody)))]
pub async fn pdf(State(app): State<App>, Path(id): Path<i64>) -> Result<impl IntoResponse, ApiError> {
    let report = collect(&app, id).await?;
    let bytes = tokio::task::spawn_blocking(move || echo_formats::report::pdf(&report))
        .await
        .map_err(|e| ApiError::fault(e.to_string()))??;
    Ok((
        [(header::CONTENT_TYPE, "application/pdf"), (header::CONTENT_DISPOSITION, "inline; filename=\"report.pdf\"")],
        bytes,
    ))
}

/// The report as pictures: one SVG a page.
#[utoipa::path(get, operation_id = "report_pages", path = "/api/campaigns/{id}/report/pages", params(("id" = i64, Path)),
    responses((status = 200, body = Vec<String>), (status = 409, body = super::ErrorBody)))]
pub async fn pages(State(app): State<App>, Path(id): Path<i64>) -> Result<Json<Vec<String>>, ApiError> {
    let report = collect(&app, id).await?;
    let pages = tokio::task::spawn_blocking(move || echo_formats::report::pages(&report))
        .await
        .map_err(|e| ApiError::fault(e.to_string()))??;
    Ok(Json(pages))
}

/// Everything the report says, from the run and the recipes.
async fn collect(app: &App, id: i64) -> Result<Report, ApiError> {
    let body = stored(app, id).await?;
    body.check()?;
    let campaign = app.store.campaign(id).await?;
    let runs = app.store.runs(id).await?;
    let run = match body.run_id {
        Some(wanted) => runs.into_iter().find(|r| r.id == wanted),
        None => runs.into_iter().rfind(|r| r.samples > 0),
    }
    .filter(|r| r.samples > 0)
    .ok_or_else(|| ApiError::conflict("there is no recorded run to report on; record one, or choose another"))?;
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
    let watched = Arc::new(Watched::default());
    let wave = make(app, &run, waveform, &watched).await?;
    let spec = make(app, &run, spectrum, &Arc::new(Watched::default())).await?;
    let channels = calibrated(&app.store, run.id).await?;
    let history = app.store.calibrations(run.id).await?;
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
    let notes = app.store.notes(run.id).await?;
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
    for h in history.iter().filter(|h| h.reason != "as recorded") {
        made.push((
            format!("* Sensitivity of channel {} put right {}", h.channel, h.at.format("%-d %B %Y, %H:%M UTC")),
            format!("{} {}, by {}: {}", h.sensitivity.value, h.sensitivity.unit, h.who, h.reason),
        ));
    }
    for c in app.store.corrections(run.id).await? {
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
