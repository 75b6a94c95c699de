//! Results and rigs as tables of the report.

use super::words::with;
use crate::runs::source::Calibrated;
use echo_job::analysis::Analysis;
use echo_job::report::block::Rows;
use echo_job::report::language::{Language, Term};
use echo_report::document::Table;

/// Peaks told at most.
const MOST_PEAKS: usize = 12;
/// Digits of a number in a table.
const DIGITS: usize = 4;

/// Rows of a result; nothing where it has none of that kind.
pub(super) fn of_result(a: &Analysis, of: Rows, named: &dyn Fn(u32) -> String, l: Language) -> Option<Table> {
    match of {
        Rows::Numbers => numbers(a, named, l),
        Rows::Peaks => peaks(a, named, l),
    }
}

/// A row a channel or mode, a column a number.
fn numbers(a: &Analysis, named: &dyn Fn(u32) -> String, l: Language) -> Option<Table> {
    let mut columns: Vec<(&str, &str)> = Vec::new();
    let mut rows: Vec<(u32, Option<u32>)> = Vec::new();
    for n in &a.numbers {
        let (column, row) = ((n.name.as_str(), n.unit.as_str()), (n.channel, n.mode));
        if !columns.contains(&column) {
            columns.push(column);
        }
        if !rows.contains(&row) {
            rows.push(row);
        }
    }
    if rows.is_empty() {
        return None;
    }
    let modes = rows.iter().any(|r| r.1.is_some());
    let head = |(name, unit): &(&str, &str)| {
        let plain = name.replace('_', " ");
        if unit.is_empty() { plain } else { format!("{plain}, {unit}") }
    };
    let first = l.says(if modes { Term::Mode } else { Term::Channels }).to_string();
    let row = |r: &(u32, Option<u32>)| {
        let name = match r {
            (_, Some(mode)) => mode.to_string(),
            (channel, None) => named(*channel),
        };
        let cell = |c: &(&str, &str)| {
            let found =
                a.numbers.iter().find(|n| (n.channel, n.mode) == *r && (n.name.as_str(), n.unit.as_str()) == *c);
            found.map_or_else(String::new, |n| l.number(n.value, DIGITS))
        };
        std::iter::once(name).chain(columns.iter().map(cell)).collect()
    };
    Some(Table {
        heads: std::iter::once(first).chain(columns.iter().map(head)).collect(),
        rows: rows.iter().map(row).collect(),
        digits: std::iter::once(false).chain(columns.iter().map(|_| true)).collect(),
        ..Table::default()
    })
}

fn peaks(a: &Analysis, named: &dyn Fn(u32) -> String, l: Language) -> Option<Table> {
    if a.peaks.is_empty() {
        return None;
    }
    let unit = |channel: u32| a.traces.iter().find(|t| t.channel == channel).map_or("", |t| t.unit.as_str());
    let row = |p: &echo_job::analysis::result::PeakFound| {
        vec![named(p.channel), l.number(p.frequency_hz, 5), l.quantity(p.value, DIGITS, unit(p.channel))]
    };
    Some(Table {
        heads: [Term::Channels, Term::Frequency, Term::Value].map(|t| l.says(t).to_string()).to_vec(),
        rows: a.peaks.iter().take(MOST_PEAKS).map(row).collect(),
        digits: vec![false, true, true],
        ..Table::default()
    })
}

/// Channels with sensors and calibrations; those of `corrected` have a mark.
pub(super) fn of_rig(channels: &[Calibrated], corrected: &dyn Fn(i16) -> bool, l: Language) -> Table {
    let row = |c: &Calibrated| {
        let row = &c.recorded.row;
        vec![
            row.input.to_string(),
            row.name.clone(),
            row.sensor.clone(),
            format!(
                "{}{}",
                with(l.short(c.sensitivity.value, 7), &c.sensitivity.unit),
                if corrected(c.channel) { " *" } else { "" }
            ),
            format!("{} {}", row.coupling.name(), with(l.short(row.range_v, 5), "V")),
        ]
    };
    let heads = [Term::Channels, Term::Sensor, Term::Sensitivity, Term::SetTo].map(|t| l.says(t).to_string());
    Table {
        heads: std::iter::once(String::new()).chain(heads).collect(),
        rows: channels.iter().map(row).collect(),
        digits: vec![true, false, false, true, true],
        twin: channels.len() > 8,
        ..Table::default()
    }
}
