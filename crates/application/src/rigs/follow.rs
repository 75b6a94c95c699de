//! Settings follow smart sensors: when one is plugged into another, free input, its row moves there.
//!
//! A row that belongs to somebody else is never touched; the cautions tell of such a plug.

use super::edit::write;
use super::smart::{label_of, smart_sensors};
use crate::{App, Result};
use echo_formats::smart::Told;
use echo_job::rig::{Cell, Channel, Rig};
use std::collections::HashMap;

/// Watches plugs for as long as the engine lives.
pub async fn follow(app: App) {
    let mut status = app.capture.status();
    let mut seen = status.borrow().plugs;
    while status.wait_for(|s| s.plugs != seen).await.is_ok() {
        seen = status.borrow().plugs;
        if let Err(e) = once(&app).await {
            tracing::warn!("settings could not follow a sensor: {e:?}");
        }
    }
}

async fn once(app: &App) -> Result<()> {
    let Some(setup) = app.setup() else { return Ok(()) };
    let smart = smart_sensors(app);
    let known = app.store.sensors().await?;
    // A smart sensor nobody registered yet is registered by its own word.
    for s in &smart {
        if let Told::Sensor { sensor } = &s.told
            && !known.iter().any(|k| k.sensor.label() == sensor.label())
        {
            let detail = serde_json::json!({ "input": s.input });
            app.store.keep_sensor(sensor, "smart sensor", "registered by its own memory", detail).await?;
        }
    }
    let told: HashMap<u16, String> = smart.iter().filter_map(|s| Some((s.input, label_of(&s.told)?))).collect();
    let front_end = app.capture.front_end();
    let moves = moves(&setup.rig.clone().covering(front_end.as_ref()), &told);
    if moves.is_empty() {
        return Ok(());
    }
    let words: Vec<String> = moves.iter().map(|(from, to)| format!("{from} to {to}")).collect();
    let what = format!("a smart sensor moved from input {}", words.join(", "));
    let turn = app.turn().await;
    write(app, turn, setup.campaign, "smart sensor", &what, |rig, front_end, _| {
        Ok(rig.edited(&moved(rig, &moves), front_end))
    })
    .await?;
    Ok(())
}

/// Rows whose sensor now hangs on a free input: from, to.
fn moves(rig: &Rig, told: &HashMap<u16, String>) -> Vec<(u16, u16)> {
    let free = |c: &&Channel| !c.on && c.name.is_empty();
    let mut all = Vec::new();
    for to in rig.channels.iter().filter(free) {
        let Some(label) = told.get(&to.input) else { continue };
        let from = rig.active().find(|c| c.sensor == *label && !told.contains_key(&c.input));
        all.extend(from.map(|f| (f.input, to.input)));
    }
    all
}

fn moved(rig: &Rig, moves: &[(u16, u16)]) -> Vec<Cell> {
    let mut cells = Vec::new();
    for (from, to) in moves {
        if let Some(row) = rig.channel(*from) {
            cells.extend(row.carried_to(*to));
            cells.extend(Channel::free(*from).carried_to(*from));
        }
    }
    cells
}

#[cfg(test)]
mod tests {
    use super::*;

    fn rig() -> Rig {
        let named = |input: u16| Channel {
            on: true,
            name: format!("channel {input}"),
            sensor: format!("QA-31, {input}"),
            point: format!("point {input}"),
            ..Channel::free(input)
        };
        Rig { name: "test".into(), channels: vec![named(1), named(2), Channel::free(3)] }
    }

    fn told(all: &[(u16, &str)]) -> HashMap<u16, String> {
        all.iter().map(|(i, l)| (*i, l.to_string())).collect()
    }

    #[test]
    fn a_row_follows_its_sensor_to_a_free_input() {
        let rig = rig();
        let moves = moves(&rig, &told(&[(1, "QA-31, 1"), (3, "QA-31, 2")]));
        assert_eq!(moves, [(2, 3)]);
        let edit = rig.edited(&moved(&rig, &moves), None);
        assert!(edit.refused.is_empty(), "{:?}", edit.refused);
        let after = edit.rig;
        assert_eq!((after.channels[2].name.as_str(), after.channels[2].point.as_str()), ("channel 2", "point 2"));
        assert!(!after.channels[1].on && after.channels[1].name.is_empty());
    }

    #[test]
    fn nothing_moves_onto_a_used_input_or_from_one_that_is_still_plugged() {
        let rig = rig();
        assert!(moves(&rig, &told(&[(1, "QA-31, 2")])).is_empty(), "input 1 belongs to another sensor");
        assert!(moves(&rig, &told(&[(2, "QA-31, 9"), (3, "QA-31, 2")])).is_empty(), "another one hangs there now");
        assert!(moves(&rig, &told(&[(3, "QA-31, 77")])).is_empty(), "a stranger");
    }
}
