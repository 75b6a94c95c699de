//! Many cells changed at once: what is good is taken, what is refused says why and stays as it was.

use super::{Channel, Column, Rig, nameless, used_twice};
use crate::Refusal;
use crate::entry::typed_number;
use crate::front_end::FrontEnd;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, HashMap, HashSet};
use utoipa::ToSchema;

/// A text for one cell.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Cell {
    /// The row, by its input.
    pub input: u16,
    /// The column.
    pub column: Column,
    /// What was typed.
    pub text: String,
}

impl Cell {
    /// A text for a cell.
    pub fn new(input: u16, column: Column, text: impl Into<String>) -> Cell {
        Cell { input, column, text: text.into() }
    }
}

/// A cell that shows something else than before.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct CellChanged {
    /// The row.
    pub input: u16,
    /// The column.
    pub column: Column,
    /// What it showed.
    pub from: String,
    /// What it shows now.
    pub to: String,
}

/// A cell whose text was refused.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct CellRefused {
    /// The row.
    pub input: u16,
    /// The column.
    pub column: Column,
    /// What was typed.
    pub text: String,
    /// The key the sentence is about.
    pub field: String,
    /// Why, and what is allowed.
    pub says: String,
}

/// What becomes of a set of cells.
#[derive(Debug, Clone, PartialEq)]
pub struct Edit {
    /// The rig with the good ones in it.
    pub rig: Rig,
    /// Every cell that changes, with those that follow from others.
    pub changed: Vec<CellChanged>,
    /// Cells that were refused.
    pub refused: Vec<CellRefused>,
}

/// A change of one row: column and text. Numbers and truth values are taken as their texts.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[schema(value_type = Object)]
#[serde(transparent)]
pub struct RowChange(BTreeMap<Column, Typed>);

#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(untagged)]
enum Typed {
    Text(String),
    Number(f64),
    Truth(bool),
}

impl RowChange {
    /// The change as cells of a row.
    pub fn cells(&self, input: u16) -> Vec<Cell> {
        let text = |t: &Typed| match t {
            Typed::Text(t) => t.clone(),
            Typed::Number(x) => x.to_string(),
            Typed::Truth(b) => if *b { "on" } else { "off" }.into(),
        };
        self.0.iter().map(|(column, t)| Cell::new(input, *column, text(t))).collect()
    }

    /// A change of one column.
    pub fn of(column: Column, text: impl Into<String>) -> RowChange {
        RowChange([(column, Typed::Text(text.into()))].into())
    }
}

impl Channel {
    /// The cells that bring this row, with its sensor and place, to another input.
    pub fn carried_to(&self, input: u16) -> Vec<Cell> {
        Column::ALL.into_iter().map(|column| Cell::new(input, column, column.text(self))).collect()
    }
}

/// Cells that differ between two rigs; a row that one of them lacks counts as a free one.
pub fn differences(old: &Rig, new: &Rig) -> Vec<CellChanged> {
    let before: HashMap<u16, &Channel> = old.channels.iter().map(|c| (c.input, c)).collect();
    let after: HashMap<u16, &Channel> = new.channels.iter().map(|c| (c.input, c)).collect();
    let mut inputs: Vec<u16> = before.keys().chain(after.keys()).copied().collect();
    inputs.sort_unstable();
    inputs.dedup();
    let mut all = Vec::new();
    for input in inputs {
        let free = Channel::free(input);
        let (a, b) = (before.get(&input).copied().unwrap_or(&free), after.get(&input).copied().unwrap_or(&free));
        if a == b {
            continue;
        }
        for column in Column::SHEET {
            let (from, to) = (column.text(a), column.text(b));
            if from != to {
                all.push(CellChanged { input, column, from, to });
            }
        }
    }
    all
}

impl Rig {
    /// Sets cells: row by row, in the order of [`Column`], then what concerns several rows.
    pub fn edited(&self, cells: &[Cell], front_end: Option<&FrontEnd>) -> Edit {
        let mut rig = self.clone();
        let mut refused = Vec::new();
        let at: HashMap<u16, usize> = self.channels.iter().enumerate().map(|(i, c)| (c.input, i)).collect();
        let refuse = |cell: &Cell, r: Refusal| CellRefused {
            input: cell.input,
            column: cell.column,
            text: cell.text.clone(),
            field: r.field,
            says: r.says,
        };
        let mut ordered: Vec<&Cell> = cells.iter().collect();
        ordered.sort_by_key(|c| (c.input, c.column));
        let mut units: HashMap<u16, &str> = HashMap::new();
        for cell in &ordered {
            let Some(&row) = at.get(&cell.input) else {
                let says = format!("the rig has no input {}; it has {} inputs", cell.input, self.channels.len());
                refused.push(refuse(cell, Refusal::new("input", says)));
                continue;
            };
            if cell.column == Column::SensitivityUnit {
                units.insert(cell.input, &cell.text);
            }
            let clash = (cell.column == Column::Sensitivity)
                .then(|| units.get(&cell.input).and_then(|u| two_units(&cell.text, u)))
                .flatten();
            let result = match clash {
                Some(r) => Err(r),
                None => cell.column.set(&mut rig.channels[row], &cell.text, front_end),
            };
            if let Err(r) = result {
                refused.push(refuse(cell, r));
            }
        }
        self.settle_names(&mut rig, &ordered, &mut |cell, r| refused.push(refuse(cell, r)));
        refused.sort_by_key(|r| (r.input, r.column));
        Edit { changed: differences(self, &rig), rig, refused }
    }

    /// Takes back new names that are used twice, and the switching on of rows without a name.
    fn settle_names(&self, rig: &mut Rig, cells: &[&Cell], refuse: &mut impl FnMut(&Cell, Refusal)) {
        let asked = |input: u16, column: Column| cells.iter().rfind(|c| c.input == input && c.column == column);
        // Each pass takes back at least one name, so this ends.
        loop {
            let mut owner: HashMap<&str, u16> = HashMap::new();
            let touched: HashSet<u16> = cells.iter().filter(|c| c.column == Column::Name).map(|c| c.input).collect();
            // Rows whose name stays own it before those that ask for it anew.
            let (new, old): (Vec<&Channel>, Vec<&Channel>) =
                rig.channels.iter().filter(|c| !c.name.is_empty()).partition(|c| {
                    touched.contains(&c.input) && self.channel(c.input).is_none_or(|o| o.name != c.name)
                });
            let taken = old
                .into_iter()
                .chain(new)
                .find_map(|c| owner.insert(&c.name, c.input).map(|other| (c.input, c.name.clone(), other)));
            let Some((input, name, by)) = taken else { break };
            let Some(cell) = asked(input, Column::Name) else { break };
            refuse(cell, used_twice(&name, by));
            let old = self.channel(input).map(|c| c.name.clone()).unwrap_or_default();
            let Some(c) = rig.channels.iter_mut().find(|c| c.input == input) else { break };
            if c.name == old {
                break;
            }
            c.name = old;
        }
        let nameless_now: Vec<u16> = rig.active().filter(|c| c.name.is_empty()).map(|c| c.input).collect();
        for input in nameless_now {
            let Some(cell) = asked(input, Column::On).or_else(|| asked(input, Column::Name)) else { continue };
            refuse(cell, nameless(input));
            if let (Some(c), Some(old)) = (rig.channels.iter_mut().find(|c| c.input == input), self.channel(input)) {
                c.on = old.on;
                c.name.clone_from(&old.name);
            }
        }
    }
}

/// A sensitivity typed with a unit beside a column that says another one.
fn two_units(text: &str, column: &str) -> Option<Refusal> {
    let (_, unit) = typed_number("sensitivity", text).ok()?;
    let spelled = |u: &str| u.replace(['(', ')', ' '], "").replace("^2", "²").replace("s2", "s²");
    (!unit.is_empty() && !column.trim().is_empty() && spelled(&unit) != spelled(column)).then(|| {
        Refusal::new(
            "sensitivity",
            format!("sensitivity says “{}” and the column beside it {}; allowed: one unit", text.trim(), column.trim()),
        )
    })
}

/// Where the last number in a text stands, by which series are counted on.
pub(crate) fn last_number(text: &str) -> Option<std::ops::Range<usize>> {
    let digit = |c: char| c.is_ascii_digit();
    let end = text.rfind(digit)? + 1;
    let begin = text[..end].rfind(|c| !digit(c)).map_or(0, |i| i + text[i..].chars().next().map_or(1, char::len_utf8));
    Some(begin..end)
}

/// The text `step` places on in a series: the last number in it counts up, zeros in front are kept.
pub fn counted_on(text: &str, step: u64) -> String {
    if step == 0 {
        return text.into();
    }
    let Some(place) = last_number(text) else {
        return format!("{text} {}", step + 1);
    };
    let number: u64 = text[place.clone()].parse().unwrap_or(0);
    let (head, tail) = (&text[..place.start], &text[place.end..]);
    format!("{head}{:0width$}{tail}", number.saturating_add(step), width = place.len())
}

/// Cells that carry the first row's text down: the same, or counted on.
pub fn filled_down(rig: &Rig, inputs: &[u16], columns: &[Column], counting: bool) -> Vec<Cell> {
    let Some((first, rest)) = inputs.split_first() else { return Vec::new() };
    let Some(from) = rig.channel(*first) else { return Vec::new() };
    let mut cells = Vec::new();
    for &column in columns {
        let text = column.text(from);
        for (k, &input) in rest.iter().enumerate() {
            let text = if counting { counted_on(&text, k as u64 + 1) } else { text.clone() };
            cells.push(Cell { input, column, text });
        }
    }
    cells
}
