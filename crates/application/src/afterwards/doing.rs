//! One thing after the other, each by a job.

use super::{WHO, placed};
use crate::jobs::{self, Stands, Wish};
use crate::taps::functions::OfSet;
use crate::{App, Error, Result};
use echo_job::plan::afterwards::Deed;
use echo_job::recipe::Recipe;
use echo_store::deed::StoredDeed;
use echo_store::state::PartState;
use std::collections::BTreeSet;

/// Takes each that is at its turn one step on: of one ending they are done in their order, so that a report finds the
/// results that were kept before it.
pub(super) async fn step(app: &App) -> Result<()> {
    let mut busy = BTreeSet::new();
    for deed in app.store.open_deeds().await? {
        if busy.insert((deed.campaign_id, deed.ending.clone(), deed.number)) {
            match one(app, &deed).await {
                // What may pass is tried again with the next look.
                Err(e) if e.passes() => return Err(e),
                Err(e) => app.store.end_deed(deed.id, PartState::Refused, &e.says()).await?,
                Ok(()) => {}
            }
        }
    }
    Ok(())
}

async fn one(app: &App, deed: &StoredDeed) -> Result<()> {
    let then: Deed = serde_json::from_value(deed.deed.clone())?;
    let Some(job) = deed.job_id.filter(|_| deed.state == PartState::Going) else {
        placed::possible(app, &then).await?;
        let wish = wish(app, deed, &then).await?;
        return Ok(app.store.begin_deed(deed, (serde_json::to_value(&wish)?, wish.turn()), WHO).await?);
    };
    let part = jobs::read(&app.store, job).await?.swap_remove(0);
    match part.stands {
        Stands::Waiting | Stands::Going { .. } => Ok(()),
        Stands::Refused { says } => Ok(app.store.end_deed(deed.id, PartState::Refused, &says).await?),
        Stands::Stopped { .. } => Ok(app.store.end_deed(deed.id, PartState::Stopped, "").await?),
        Stands::Done { .. } => {
            placed::laid(app, deed, &then, job).await?;
            Ok(app.store.end_deed(deed.id, PartState::Done, "").await?)
        }
    }
}

/// The tap series it follows.
async fn series(app: &App, deed: &StoredDeed) -> Result<i64> {
    let all = app.store.all_series(deed.campaign_id).await?;
    let own = all.iter().find(|s| s.number == deed.number);
    own.map(|s| s.id).ok_or_else(|| Error::conflict("the tap series was deleted before this was done"))
}

/// What a job is to make for it.
async fn wish(app: &App, deed: &StoredDeed, then: &Deed) -> Result<Wish> {
    let run = || deed.run_id.ok_or_else(|| Error::conflict("the run was deleted before this was done"));
    Ok(match then {
        Deed::Keep { name, recipe, channels } => {
            let recipe: Recipe =
                recipe.for_channels(channels, &crate::runs::results::names_of(&app.desk, run()?).await?)?;
            Wish::Result { run_id: run()?, name: name.clone(), recipe: Box::new(recipe), numbered_as: None }
        }
        Deed::Modes { name, recipe } => Wish::Modes {
            set: OfSet { series: Some(series(app, deed).await?), ..OfSet::default() },
            name: name.clone(),
            recipe: serde_json::to_value(recipe)?,
            instead: None,
        },
        Deed::Responses { binary, .. } => Wish::Responses { series_id: series(app, deed).await?, binary: *binary },
        Deed::File { export, .. } => Wish::Export { run_id: run()?, export: export.clone() },
        Deed::Report { form, template, .. } => {
            // Of all rounds and of a tap series there is no single run.
            let of_one = matches!(deed.ending.as_str(), "run" | "round");
            let run_id = if of_one { Some(run()?) } else { None };
            Wish::Report { form: *form, template: template.clone(), run_id }
        }
    })
}
