//! Functions and shapes of a universal file becoming kept results.

use crate::taps::functions::of_curves;
use crate::{Desk, Error, Result};
use chrono::Utc;
use echo_formats::file::{Kind, kind};
use echo_formats::uff::{self, Curves, Kept};
use echo_job::Refusal;
use echo_job::analysis::result::{Axis, Made, Number, ResultCaution, Trace};
use echo_job::analysis::words::CautionRule;
use echo_store::result::NewResult;
use echo_store::upload::Upload;
use serde::Serialize;
use serde_json::{Value, json};
use std::path::Path;
use utoipa::ToSchema;

/// The lens that the recipe of a result from a file names: nothing can make it again but the file.
pub(crate) const LENS: &str = "brought";
/// What is said of responses that are too many for a result.
const TABLE: &str = "goes into the table of responses alone (Study, Modes): too large for a result";
/// Letters of a name at most.
const LETTERS: usize = 80;
/// Values of responses up to which they are a result too, beside the table of responses.
const MOST_KEPT: usize = 2_000_000;

/// Whether curves are kept as a result: what is large is in the table of responses alone.
fn kept_whole(c: &Curves) -> bool {
    let values = |t: &Trace| t.complex().map_or(t.real().len(), |z| 2 * z.len());
    c.traces.iter().map(values).sum::<usize>() <= MOST_KEPT
}

/// A result that a file holds.
#[derive(Debug, Serialize, ToSchema)]
pub struct LookResult {
    /// What it is kept as.
    pub name: String,
    /// How many curves it has.
    pub curves: usize,
    /// Their unit, where they have one in common.
    pub unit: String,
    /// What they run along.
    pub along: String,
    /// From where to where.
    pub from: f64,
    /// See `from`.
    pub to: f64,
    /// Values of each.
    pub values: usize,
    /// What was assumed.
    pub notes: Vec<String>,
}

/// What a file holds beside samples; nothing for one that is no universal file.
pub(super) fn found(path: &Path) -> std::result::Result<Kept, echo_formats::FormatError> {
    if kind(path)? != Kind::Uff {
        return Ok(Kept { time_responses: 1, ..Kept::default() });
    }
    uff::curves(path)
}

/// What each result of a file is called: after what it shows and the file, each name once.
fn names(results: &[Curves], file: &str) -> Vec<String> {
    let stem = file.rsplit_once('.').map_or(file, |(stem, _)| stem);
    let mut names: Vec<String> = Vec::new();
    for c in results {
        let name: String = format!("{} of {stem}", c.name).chars().take(LETTERS - 4).collect();
        let same = names.iter().filter(|n| n.starts_with(&name)).count();
        names.push(if same == 0 { name } else { format!("{name} {}", same + 1) });
    }
    names
}

/// The results of a file as they are shown before they are brought in.
pub(super) fn told(kept: &Kept, file: &str) -> Vec<LookResult> {
    let one = |(c, name): (&Curves, String)| {
        let first = c.traces.first().map_or("", |t| t.unit.as_str());
        let values = &c.axis.values;
        LookResult {
            name,
            curves: c.traces.len(),
            unit: if c.traces.iter().all(|t| t.unit == first) { first.into() } else { String::new() },
            along: c.axis.name.word().into(),
            from: values.first().copied().unwrap_or(0.0),
            to: values.last().copied().unwrap_or(0.0),
            values: values.len(),
            notes: c.notes.iter().cloned().chain((!kept_whole(c)).then(|| TABLE.into())).collect(),
        }
    };
    kept.results.iter().zip(names(&kept.results, file)).map(one).collect()
}

/// A result in the form that analyses have.
#[derive(Serialize)]
struct Body<'a> {
    recipe: &'a Value,
    made: Made,
    cautions: Vec<ResultCaution>,
    axes: [&'a Axis; 1],
    traces: &'a [Trace],
    numbers: &'a [Number],
}

/// Keeps the results of a file; gives the key of the first.
///
/// # Errors
/// The database is away; those that were kept before that are deleted again.
pub(super) async fn keep(desk: &Desk, campaign: i64, (sent, kept): (&Upload, &Kept), who: &str) -> Result<Option<i64>> {
    let recipe = json!({ "lens": LENS, "file": sent.name, "sha256": sent.sha256 });
    let mut keys = Vec::new();
    let mut responses = Vec::new();
    for c in &kept.results {
        let own = of_curves((&c.axis, &c.traces), &sent.name, who);
        if own.is_empty() && !kept_whole(c) {
            let says = format!(
                "{} of {} has more than {MOST_KEPT} values and cannot go into the table of responses; allowed there: complex responses over evenly spaced frequencies, with points at both ends",
                c.name, sent.name
            );
            return Err(Refusal::new("file", says).into());
        }
        responses.extend(own);
    }
    if !responses.is_empty() {
        desk.store.keep_brought_functions(campaign, &sent.name, &responses).await?;
    }
    let small = kept.results.iter().zip(names(&kept.results, &sent.name)).filter(|(c, _)| kept_whole(c));
    for (c, name) in small {
        let caution = |says: &String| ResultCaution {
            rule: CautionRule::InputAssumed,
            channel: None,
            says: says.clone(),
            places_s: Vec::new(),
        };
        let body = serde_json::to_value(Body {
            recipe: &recipe,
            made: Made {
                by: "brought in".into(),
                at: Utc::now().to_rfc3339(),
                input: sent.name.clone(),
                fingerprint: Some(format!("sha256:{}", sent.sha256)),
                channels: Vec::new(),
            },
            cautions: c.notes.iter().chain(&kept.left).map(caution).collect(),
            axes: [&c.axis],
            traces: &c.traces,
            numbers: &c.numbers,
        })?;
        let new = NewResult { campaign, name: &name, recipe: &recipe, body: &body, inputs: &[], who };
        match desk.store.keep_result(&new).await {
            Ok(key) => keys.push(key),
            Err(e) => {
                for key in keys {
                    let _ = desk.store.delete_result(key).await;
                }
                return Err(Error::from(e));
            }
        }
    }
    Ok(keys.first().copied())
}

#[cfg(test)]
mod tests {
    use super::*;
    use echo_job::analysis::words::Along;

    #[test]
    fn each_result_of_a_file_has_a_name_of_its_own() {
        let axis = Axis { name: Along::Frequency, unit: "Hz".into(), values: Vec::new(), dofs: Vec::new() };
        let one = |name: &str| Curves {
            name: name.into(),
            axis: axis.clone(),
            traces: Vec::new(),
            numbers: Vec::new(),
            notes: Vec::new(),
        };
        let all = [one("response"), one("PSD"), one("response")];
        assert_eq!(names(&all, "mast.uff"), ["response of mast", "PSD of mast", "response of mast 2"]);
        let long = names(&all, &"é".repeat(300));
        assert!(long.iter().all(|n| n.chars().count() <= LETTERS) && long[0] != long[2], "{long:?}");
    }
}
