//! The channel table with what follows from it, and its findings.

use super::smart::{SmartSensor, label_of, smart_sensors};
use crate::sensors::register;
use crate::specimens::sheet;
use crate::{App, Error, Result};
use echo_job::caution::{Caution, Facts, LevelSeen, check};
use echo_job::front_end::FrontEnd;
use echo_job::rig::ranging::{Ranged, ranged};
use echo_job::rig::{Channel, Rig};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};

/// A rig with its version, findings and what the front end offers.
#[derive(Serialize, ToSchema)]
pub struct RigBody {
    /// Counts up with every change.
    pub version: i64,
    /// The rig.
    pub rig: RigView,
    /// Findings of the rule check; those let pass come last.
    pub cautions: Vec<Caution>,
    /// The connected front end.
    pub front_end: Option<FrontEnd>,
    /// Smart sensors that are plugged in.
    pub smart: Vec<SmartSensor>,
    /// Units a channel may be shown in, and the units of its sensitivity, a quantity.
    pub units: Vec<QuantityUnits>,
}

/// A rig with what follows from each row.
#[derive(Serialize, ToSchema)]
pub struct RigView {
    /// What the set-up is called.
    pub name: String,
    /// Rows in the order of their inputs.
    pub channels: Vec<ChannelRow>,
}

/// A row of the channel table with what follows from it.
#[derive(Serialize, ToSchema)]
pub struct ChannelRow {
    /// The row.
    #[serde(flatten)]
    pub channel: Channel,
    /// How the input is called: its number, or the front end's letter and the connector.
    pub label: String,
    /// Full scale in the shown unit, peak.
    pub full_scale: f64,
    /// One step of the converter in the shown unit.
    pub converter_step: f64,
}

/// Units of a quantity.
#[derive(Serialize, ToSchema)]
pub struct QuantityUnits {
    /// The quantity.
    pub quantity: echo_job::unit::Quantity,
    /// Units it is shown in.
    pub units: Vec<String>,
    /// Units of a sensitivity to it.
    pub sensitivity_units: Vec<String>,
}

fn units() -> Vec<QuantityUnits> {
    echo_job::unit::Quantity::ALL
        .into_iter()
        .map(|quantity| QuantityUnits {
            quantity,
            units: quantity.units().map(|u| u.symbol.to_string()).collect(),
            sensitivity_units: echo_job::sensitivity::allowed(quantity),
        })
        .collect()
}

/// The rig as the page gets it.
pub(super) async fn body(app: &App, campaign: i64, version: i64, rig: Rig) -> Result<RigBody> {
    let live = app.setup().is_some_and(|s| s.campaign == campaign);
    let front_end = app.capture.front_end();
    let rig = rig.covering(front_end.as_ref());
    let register = register(app).await?;
    let waivers = app.store.waivers(campaign).await?;
    let smart = if live { smart_sensors(app) } else { Vec::new() };
    let levels = if live { app.capture.live().levels() } else { Vec::new() };
    let seen =
        levels.iter().map(|l| (l.input, LevelSeen { peak_share: l.peak, held_share: l.held, over: l.over_held }));
    let specimen = sheet::read(&app.desk, campaign).await?.specimen;
    let mut facts = Facts::of(&rig)
        .upon(&specimen.geometry)
        .heard(seen)
        .registered(&register, chrono::Utc::now().date_naive())
        .plugged(smart.iter().filter_map(|s| Some((s.input, label_of(&s.told)?))));
    let plan = app.store.plan(campaign).await?;
    facts = facts.planned(&plan, app.free_bytes().await);
    if live {
        let heard =
            plan.tachos.iter().filter_map(|t| Some((t.input, crate::tachos::now(app, t, 1.0).ok()?.0.frequency_hz?)));
        facts = facts.on(front_end.as_ref()).turning(heard);
    }
    let cautions = check(&facts, &waivers);
    let steps = 2f64.powi(front_end.as_ref().map_or(24, |f| f.converter_bits) as i32 - 1);
    let channels = rig
        .channels
        .into_iter()
        .map(|channel| {
            let full_scale = channel.full_scale();
            let label = front_end.as_ref().map_or_else(|| channel.input.to_string(), |f| f.label(channel.input));
            ChannelRow { label, channel, full_scale, converter_step: full_scale / steps }
        })
        .collect();
    Ok(RigBody { version, rig: RigView { name: rig.name, channels }, cautions, front_end, smart, units: units() })
}

/// The rig of a campaign.
///
/// # Errors
/// The database is away.
pub async fn read(app: &App, id: i64) -> Result<RigBody> {
    let v = app.store.rig(id).await?;
    body(app, id, v.version, v.rig).await
}

/// How much room the loudest moment is to have.
#[derive(Deserialize, IntoParams)]
pub struct Headroom {
    /// How many times the held peak must fit into the range, 1 to 100.
    pub headroom: f64,
}

/// Ranges that fit what was heard since the held levels were reset.
///
/// # Errors
/// What is asked is not allowed, or the database is away.
pub async fn ranges(app: &App, id: i64, q: Headroom) -> Result<Vec<Ranged>> {
    let rig = app.store.rig(id).await?.rig;
    if app.setup().is_none_or(|s| s.campaign != id) {
        return Err(Error::conflict("another campaign is being measured; choose this one first"));
    }
    let front_end = app.capture.front_end().ok_or_else(|| Error::conflict("no front end is connected"))?;
    let heard: Vec<(u16, f64, bool)> =
        app.capture.live().levels().iter().map(|l| (l.input, l.held, l.over_held)).collect();
    Ok(ranged(&rig, &front_end, &heard, q.headroom)?)
}
