//! How much the modes of a tap series scatter over halves of its hits.

use super::functions::{Lettered, chosen};
use super::made::{made, of_analysis};
use super::modes::{Looked, ModesWish, looked};
use crate::runs::going::{Following, Hangup, Watched};
use crate::{App, Error, Result};
use echo_job::Refusal;
use echo_job::analysis::modal::halves::{HalfScatter, SPLITS, halved, of_half, scatter};
use echo_job::impact::Hit;
use echo_store::function::FunctionHead;
use serde::Serialize;
use std::collections::BTreeMap;
use std::sync::Arc;
use utoipa::ToSchema;

/// How much each mode scatters.
#[derive(Serialize, ToSchema)]
pub struct HalvesBody {
    /// How many halves were looked at.
    pub halves: usize,
    /// Each mode.
    pub modes: Vec<HalfScatter>,
}

fn refuse(says: String) -> Error {
    Refusal::new("set", says).into()
}

/// Makes the responses of a series anew of halves of its hits, and finds the picked modes in each. Going away stops it.
///
/// # Errors
/// The set is no tap series, a point has fewer than two hits that count, as [`super::modes::modes`].
pub async fn halves(app: &App, campaign: i64, wish: &ModesWish, by: &Following) -> Result<HalvesBody> {
    let no_hits = || refuse("halves are of hits; allowed: a tap series".into());
    let series = app.store.series(wish.set.series.ok_or_else(no_hits)?).await?;
    let watched = Arc::new(Watched::default());
    let _held = app.desk.going.followed(by.watch.as_deref(), &watched);
    let hangup = Hangup::of(&watched);
    let Looked { seen, recipe, .. } =
        looked(&app.desk, campaign, &wish.set, &wish.recipe, &Following::default()).await?;
    let lettered = Lettered::of(&app.desk, campaign).await?;
    // Which of a point's responses the set is made of.
    let mut points: BTreeMap<usize, Vec<FunctionHead>> = BTreeMap::new();
    for head in chosen(&app.desk, campaign, &wish.set).await? {
        points.entry(head.point.max(0) as usize).or_default().push(head);
    }
    let now = &series.session;
    for point in points.keys() {
        let hits = now.counting(*point).count();
        if hits < 2 {
            let at = &now.plan().points[*point];
            return Err(refuse(format!("{at} has {hits} hit that counts; halves need two or more at every point")));
        }
    }
    let (steps, mut done) = ((SPLITS * points.len()) as f64, 0.0);
    let mut found = Vec::new();
    for split in 0..SPLITS {
        let mut both = [Vec::new(), Vec::new()];
        let mut hz = Vec::new();
        for (point, heads) in &points {
            let hits: Vec<&Hit> = now.counting(*point).collect();
            for (half, places) in both.iter_mut().zip(halved(hits.len(), split, *point)) {
                let own: Vec<&Hit> = places.into_iter().map(|k| hits[k]).collect();
                let Some((analysis, rig, used)) = made(app, (&series, now), *point, &own).await? else {
                    return Err(Error::missing("the samples of a hit"));
                };
                hz.clone_from(&analysis.axes[0].values);
                let functions = of_analysis((&series, now), *point, used, (&analysis, &rig));
                let of_set = |f: &FunctionHead| {
                    heads.iter().any(|h| (&h.response, &h.reference, h.stays) == (&f.response, &f.reference, f.stays))
                };
                half.extend(
                    functions.into_iter().filter(|f| of_set(&f.head)).map(|f| lettered.trace(&f.head, &f.parts)),
                );
            }
            done += 1.0;
            if !watched.tell(done / steps) {
                return Err(Error::from(echo_job::analysis::AnalysisError::Stopped));
            }
        }
        for half in both {
            let (seen, recipe, hz) = (seen.clone(), recipe.clone(), hz.clone());
            let made = tokio::task::spawn_blocking(move || of_half(&seen, &recipe, (&hz, &half)));
            found.push(made.await??);
        }
    }
    hangup.served();
    Ok(HalvesBody { halves: found.len(), modes: scatter(&found) })
}
