//! A block of spreadsheet text turned into cells of the channel table.
//!
//! With a line of headings the columns find their places by name, and rows by an “Input” column if
//! there is one; without, the block is laid down at the place it was pasted on.

use super::edit::Cell;
use super::{Column, Rig};
use crate::Refusal;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Where a block goes: the rows and columns from the pasted-on cell on, as they are shown.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Place {
    /// Inputs of the rows, in the order shown.
    pub inputs: Vec<u16>,
    /// Columns, in the order shown.
    pub columns: Vec<Column>,
}

/// Most rows a block may have: far more than any system has inputs, and still no trouble.
pub const MOST_ROWS: usize = 4096;

/// Splits tab-separated text into cells; double quotes hold a cell together, as spreadsheets do it.
pub fn grid(text: &str) -> Vec<Vec<String>> {
    let mut rows = vec![vec![String::new()]];
    let mut quoted = false;
    let mut chars = text.trim_end_matches(['\r', '\n']).chars().peekable();
    while let Some(c) = chars.next() {
        let row = rows.last_mut().expect("there is always a row");
        let cell = row.last_mut().expect("there is always a cell");
        match c {
            '"' if quoted && chars.peek() == Some(&'"') => {
                chars.next();
                cell.push('"');
            }
            '"' if quoted => quoted = false,
            '"' if cell.is_empty() => quoted = true,
            '\t' if !quoted => row.push(String::new()),
            '\n' if !quoted => rows.push(vec![String::new()]),
            '\r' if !quoted => {}
            c => cell.push(c),
        }
    }
    rows
}

/// The cells a block means.
///
/// # Errors
/// Empty or too large a block, headings that mean nothing, more columns or rows than there are
/// places: nothing is guessed and nothing is cut off silently.
pub fn cells(block: &[Vec<String>], place: &Place, rig: &Rig) -> Result<Vec<Cell>, Refusal> {
    let refuse = |says: String| Err(Refusal::new("paste", says));
    if block.iter().all(|r| r.iter().all(|c| c.trim().is_empty())) {
        return refuse("there is nothing in it; allowed: a block of cells from a spreadsheet".into());
    }
    if block.len() > MOST_ROWS {
        return refuse(format!(
            "the block has {} rows; the rig has {} inputs, and up to {MOST_ROWS} rows can be looked at at once",
            block.len(),
            rig.channels.len()
        ));
    }
    if let Some(i) = block.iter().position(|r| r.len() != block[0].len()) {
        return refuse(format!(
            "row {} has {} cells and row 1 has {}; allowed: a block whose rows are all as long",
            i + 1,
            block[i].len(),
            block[0].len()
        ));
    }
    match headings(&block[0])? {
        Some(heads) => by_heading(&block[1..], &heads, place, rig),
        None => by_place(block, place),
    }
}

#[derive(Clone, Copy, PartialEq)]
enum Head {
    Input,
    Column(Column),
    /// Values that follow from others and cannot be set: full scale, level.
    Passed,
}

/// What the first row means, if it is one of headings: at least two, or most of them, are known.
fn headings(first: &[String]) -> Result<Option<Vec<Head>>, Refusal> {
    let read = |t: &String| match t.trim().to_lowercase().as_str() {
        "input" => Some(Head::Input),
        "" | "level" | "rms" | "full scale" | "front end" => Some(Head::Passed),
        _ => Column::from_head(t).map(Head::Column),
    };
    let known: Vec<Option<Head>> = first.iter().map(read).collect();
    let meant = known.iter().flatten().filter(|h| **h != Head::Passed).count();
    if meant < 2 && (meant == 0 || first.len() > 1) {
        return Ok(None);
    }
    if let Some(i) = known.iter().position(Option::is_none) {
        let heads: Vec<&str> = Column::SHEET.iter().map(|c| c.head()).collect();
        return Err(Refusal::new(
            "paste",
            format!("the heading “{}” means no column; allowed: Input, {}", first[i].trim(), heads.join(", ")),
        ));
    }
    let heads: Vec<Head> = known.into_iter().flatten().collect();
    if let Some(twice) = heads.iter().enumerate().find(|(i, h)| **h != Head::Passed && heads[..*i].contains(h)) {
        return Err(Refusal::new("paste", format!("the heading “{}” is there twice", first[twice.0].trim())));
    }
    Ok(Some(heads))
}

fn by_heading(rows: &[Vec<String>], heads: &[Head], place: &Place, rig: &Rig) -> Result<Vec<Cell>, Refusal> {
    let by_input = heads.iter().position(|h| *h == Head::Input);
    if by_input.is_none() && rows.len() > place.inputs.len() {
        return Err(too_long(rows.len(), place.inputs.len()));
    }
    let mut cells = Vec::new();
    let mut seen = std::collections::HashSet::new();
    for (k, row) in rows.iter().enumerate() {
        let input = match by_input {
            Some(at) => {
                let t = row[at].trim();
                let found = t.parse::<u16>().ok().filter(|i| rig.channel(*i).is_some()).ok_or_else(|| {
                    Refusal::new(
                        "paste",
                        format!("row {} is for input “{t}”; the rig has inputs 1 to {}", k + 2, rig.channels.len()),
                    )
                })?;
                if !seen.insert(found) {
                    return Err(Refusal::new("paste", format!("input {found} is there twice, again in row {}", k + 2)));
                }
                found
            }
            None => place.inputs[k],
        };
        for (head, text) in heads.iter().zip(row) {
            if let Head::Column(column) = head {
                cells.push(Cell::new(input, *column, text.trim()));
            }
        }
    }
    Ok(cells)
}

fn by_place(block: &[Vec<String>], place: &Place) -> Result<Vec<Cell>, Refusal> {
    let (rows, columns) = (block.len(), block[0].len());
    if columns > place.columns.len() {
        return Err(Refusal::new(
            "paste",
            format!(
                "the block has {columns} columns and there are {} from here on; paste further left, or with a line of headings",
                place.columns.len()
            ),
        ));
    }
    if rows == 1 && columns == 1 {
        // One cell fills everything that is selected.
        let text = block[0][0].trim();
        let all = place.inputs.iter().flat_map(|i| place.columns.iter().map(move |c| Cell::new(*i, *c, text)));
        return Ok(all.collect());
    }
    if rows > place.inputs.len() {
        return Err(too_long(rows, place.inputs.len()));
    }
    let rows = block.iter().zip(&place.inputs);
    Ok(rows
        .flat_map(|(row, i)| row.iter().zip(&place.columns).map(move |(t, c)| Cell::new(*i, *c, t.trim())))
        .collect())
}

fn too_long(rows: usize, places: usize) -> Refusal {
    Refusal::new(
        "paste",
        format!("the block has {rows} rows and there are {places} from here on; paste further up, or a shorter block"),
    )
}
