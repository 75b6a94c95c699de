//! The tables of a geometry changed as a spreadsheet is: typed, pasted, filled down, counted on, removed.
//!
//! A change is taken as a whole or not at all. Lines and faces follow the points they go through when those get other
//! names, and lose what is removed.

use super::generate::Body;
use super::{Geometry, Point};
use crate::Refusal;
use crate::entry::Asked;
use crate::rig::edit::{counted_on, last_number};
use crate::rig::paste;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use utoipa::ToSchema;

/// One of the tables.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum GeometryTable {
    /// Points with their coordinates.
    Points,
    /// Lines through points.
    Lines,
    /// Faces between points.
    Faces,
}

/// A column of one of the tables.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum GeometryColumn {
    /// Name of a point.
    Name,
    /// Along x.
    X,
    /// Along y.
    Y,
    /// Along z.
    Z,
    /// Turned about x.
    TurnedX,
    /// Turned about y.
    TurnedY,
    /// Turned about z.
    TurnedZ,
    /// Points of a line or a face, with semicolons or commas between.
    Through,
}

/// A text for a cell.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct GeometryCell {
    /// The row, from 0; the row after the last one is a new one.
    pub row: usize,
    /// The column.
    pub column: GeometryColumn,
    /// What was typed.
    pub text: String,
}

/// What is to be changed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "change", rename_all = "snake_case", deny_unknown_fields)]
pub enum GeometryChange {
    /// Texts typed into cells.
    Cells {
        /// The table.
        table: GeometryTable,
        /// The cells.
        cells: Vec<GeometryCell>,
    },
    /// A block from a spreadsheet, laid down from a cell on.
    Paste {
        /// The table.
        table: GeometryTable,
        /// Row of the cell.
        row: usize,
        /// Its column.
        column: GeometryColumn,
        /// The block, tabs between its cells.
        text: String,
    },
    /// The first of some rows carried down over the others.
    Fill {
        /// The table.
        table: GeometryTable,
        /// The rows.
        rows: Vec<usize>,
        /// The columns.
        columns: Vec<GeometryColumn>,
        /// Counted on by the step from the first row to the second instead of repeated.
        counting: bool,
    },
    /// Rows removed; with points go the faces at them, and lines that have fewer than two left.
    Remove {
        /// The table.
        table: GeometryTable,
        /// The rows.
        rows: Vec<usize>,
    },
    /// A body added, its first corner at a place.
    Body {
        /// The body.
        body: Body,
        /// What stands before the numbers of its points.
        #[serde(default)]
        prefix: String,
        /// Number of its first point; the one after the largest there is where left out.
        #[serde(default)]
        first: Option<usize>,
        /// Where it begins, m.
        #[serde(default)]
        at: [f64; 3],
    },
    /// Another geometry added to this one.
    Add {
        /// Its points, lines and faces.
        geometry: Geometry,
    },
}

/// What cells show lengths in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
pub enum LengthUnit {
    /// Metres.
    #[default]
    #[serde(rename = "m")]
    Metre,
    /// Millimetres.
    #[serde(rename = "mm")]
    Millimetre,
}

impl LengthUnit {
    /// Its sign.
    pub fn symbol(self) -> &'static str {
        match self {
            LengthUnit::Metre => "m",
            LengthUnit::Millimetre => "mm",
        }
    }

    /// How many m it is.
    pub fn in_m(self) -> f64 {
        match self {
            LengthUnit::Metre => 1.0,
            LengthUnit::Millimetre => 1e-3,
        }
    }
}

impl GeometryColumn {
    const POINTS: [GeometryColumn; 7] = [
        GeometryColumn::Name,
        GeometryColumn::X,
        GeometryColumn::Y,
        GeometryColumn::Z,
        GeometryColumn::TurnedX,
        GeometryColumn::TurnedY,
        GeometryColumn::TurnedZ,
    ];

    fn words(self) -> &'static str {
        match self {
            GeometryColumn::Name => "the name",
            GeometryColumn::X => "x",
            GeometryColumn::Y => "y",
            GeometryColumn::Z => "z",
            GeometryColumn::TurnedX => "the turn about x",
            GeometryColumn::TurnedY => "the turn about y",
            GeometryColumn::TurnedZ => "the turn about z",
            GeometryColumn::Through => "the points",
        }
    }

    /// A point's number in this column: a length in m, or degrees.
    fn number(self, p: &mut Point) -> Option<&mut f64> {
        match self {
            GeometryColumn::X => Some(&mut p.x),
            GeometryColumn::Y => Some(&mut p.y),
            GeometryColumn::Z => Some(&mut p.z),
            GeometryColumn::TurnedX => Some(&mut p.turned[0]),
            GeometryColumn::TurnedY => Some(&mut p.turned[1]),
            GeometryColumn::TurnedZ => Some(&mut p.turned[2]),
            GeometryColumn::Name | GeometryColumn::Through => None,
        }
    }

    fn is_length(self) -> bool {
        matches!(self, GeometryColumn::X | GeometryColumn::Y | GeometryColumn::Z)
    }
}

/// Names of points as they are typed: with semicolons between, or commas where there are none, or else spaces.
fn names(text: &str) -> Vec<String> {
    let parts: Vec<&str> = match [';', ','].into_iter().find(|c| text.contains(*c)) {
        Some(between) => text.split(between).collect(),
        None => text.split_whitespace().collect(),
    };
    parts.into_iter().map(|n| n.trim().to_string()).filter(|n| !n.is_empty()).collect()
}

/// A geometry that is being changed: its lines and faces know their points by their rows, so that names can change.
struct Editing {
    called: [String; 3],
    points: Vec<Point>,
    lines: Vec<Vec<usize>>,
    faces: Vec<Vec<usize>>,
    /// Rows of the points by their names, once they are asked for.
    at: Option<HashMap<String, usize>>,
}

impl Editing {
    fn of(g: &Geometry) -> Editing {
        let at: HashMap<&str, usize> = g.points.iter().enumerate().map(|(i, p)| (p.name.as_str(), i)).collect();
        let rows = |parts: &[Vec<String>]| -> Vec<Vec<usize>> {
            parts.iter().map(|part| part.iter().filter_map(|n| at.get(n.as_str()).copied()).collect()).collect()
        };
        let (lines, faces) = (rows(&g.lines), rows(&g.faces));
        Editing { called: g.called.clone(), points: g.points.clone(), lines, faces, at: None }
    }

    fn done(self) -> Result<Geometry, Refusal> {
        let named = |parts: Vec<Vec<usize>>| -> Vec<Vec<String>> {
            parts.into_iter().map(|part| part.into_iter().map(|i| self.points[i].name.clone()).collect()).collect()
        };
        let (lines, faces) = (named(self.lines), named(self.faces));
        let g = Geometry { called: self.called, points: self.points, lines, faces };
        g.check()?;
        Ok(g)
    }

    fn rows(&self, table: GeometryTable) -> usize {
        match table {
            GeometryTable::Points => self.points.len(),
            GeometryTable::Lines => self.lines.len(),
            GeometryTable::Faces => self.faces.len(),
        }
    }

    /// A name for a new point: the last one's counted on, as long as it is used.
    fn next_name(&self) -> String {
        let mut name = self.points.last().map_or_else(|| "1".to_string(), |p| counted_on(&p.name, 1));
        while self.points.iter().any(|p| p.name == name) {
            name = counted_on(&name, 1);
        }
        name
    }

    fn point(&mut self, row: usize, column: GeometryColumn, text: &str, unit: LengthUnit) -> Result<(), Refusal> {
        if row == self.points.len() {
            let name = if column == GeometryColumn::Name { String::new() } else { self.next_name() };
            self.points.push(Point::new(name, 0.0, 0.0, 0.0));
        }
        self.at = None;
        let p = &mut self.points[row];
        if column == GeometryColumn::Name {
            p.name = text.trim().to_string();
            return Ok(());
        }
        let what = format!("{} of point {}", column.words(), p.name);
        let is_length = column.is_length();
        let asked = Asked { what, unit: if is_length { unit.symbol() } else { "°" }.into(), ..Asked::default() };
        // An emptied cell is nought.
        let value = if text.trim().is_empty() { 0.0 } else { asked.number(text)? };
        match column.number(p) {
            Some(cell) => *cell = if is_length { value * unit.in_m() } else { value },
            None => {
                return Err(Refusal::new(
                    "column",
                    "a point has no such column; allowed: its name, coordinates, turns",
                ));
            }
        }
        Ok(())
    }

    fn part(&mut self, table: GeometryTable, row: usize, text: &str) -> Result<(), Refusal> {
        let what = if table == GeometryTable::Lines { "line" } else { "face" };
        let named = self.points.iter().enumerate().map(|(i, p)| (p.name.clone(), i));
        let at = self.at.get_or_insert_with(|| named.collect());
        let find = |name: &String| {
            let says =
                || Refusal::new("through", format!("{what} {} goes through “{name}”, which is no point", row + 1));
            at.get(name).copied().ok_or_else(says)
        };
        let through = names(text).iter().map(find).collect::<Result<Vec<usize>, Refusal>>()?;
        let parts = if table == GeometryTable::Lines { &mut self.lines } else { &mut self.faces };
        if row == parts.len() {
            parts.push(through);
        } else {
            parts[row] = through;
        }
        Ok(())
    }

    fn cell(&mut self, table: GeometryTable, cell: &GeometryCell, unit: LengthUnit) -> Result<(), Refusal> {
        if cell.row > self.rows(table) {
            let says =
                format!("there is no row {}; the table has {} and can be continued", cell.row + 1, self.rows(table));
            return Err(Refusal::new("row", says));
        }
        match (table, cell.column) {
            (GeometryTable::Points, column) => self.point(cell.row, column, &cell.text, unit),
            (_, GeometryColumn::Through) => self.part(table, cell.row, &cell.text),
            _ => Err(Refusal::new("column", "lines and faces have one column: the points they go through")),
        }
    }

    fn fill(&mut self, rows: &[usize], columns: &[GeometryColumn], counting: bool) -> Result<(), Refusal> {
        let [first, rest @ ..] = rows else { return Err(Refusal::new("rows", "there is no row to be filled from")) };
        let last = rows.iter().max().copied().unwrap_or(0);
        if last >= self.points.len() {
            return Err(Refusal::new("rows", format!("there is no row {} to be filled", last + 1)));
        }
        for column in columns {
            if *column == GeometryColumn::Name {
                if !counting {
                    return Err(Refusal::new("name", "a name is used once; count it on instead"));
                }
                let from = self.points[*first].name.clone();
                let step = rest.first().map_or(1, |second| step_of(&from, &self.points[*second].name));
                for (k, row) in rest.iter().enumerate() {
                    self.points[*row].name = counted_on(&from, step * (k as u64 + 1));
                }
                continue;
            }
            let mut value = |row: usize| column.number(&mut self.points[row]).map(|x| *x);
            let Some(from) = value(*first) else { continue };
            // With two rows the step is the one that led to the first.
            let step = match (counting, rest) {
                (false, _) | (true, []) => 0.0,
                (true, [_]) => first.checked_sub(1).and_then(&mut value).map_or(0.0, |before| from - before),
                (true, [second, ..]) => value(*second).unwrap_or(from) - from,
            };
            for (k, row) in rest.iter().enumerate() {
                if let Some(cell) = column.number(&mut self.points[*row]) {
                    *cell = from + step * (k as f64 + 1.0);
                }
            }
        }
        Ok(())
    }

    fn remove(&mut self, table: GeometryTable, rows: &[usize]) {
        let gone: std::collections::HashSet<usize> = rows.iter().copied().collect();
        let mut row = 0..;
        let mut stays = || !gone.contains(&row.next().unwrap_or(0));
        match table {
            GeometryTable::Lines => self.lines.retain(|_| stays()),
            GeometryTable::Faces => self.faces.retain(|_| stays()),
            GeometryTable::Points => {
                let mut to = HashMap::new();
                for i in (0..self.points.len()).filter(|i| !gone.contains(i)) {
                    to.insert(i, to.len());
                }
                self.points.retain(|_| stays());
                self.faces.retain(|f| f.iter().all(|i| to.contains_key(i)));
                self.lines.iter_mut().for_each(|l| l.retain(|i| to.contains_key(i)));
                self.lines.retain(|l| l.len() > 1);
                self.lines.iter_mut().chain(&mut self.faces).flatten().for_each(|i| *i = to[i]);
            }
        }
    }
}

/// By how much the last number of a name grows to the next one; 1 where it does not.
fn step_of(from: &str, to: &str) -> u64 {
    let number = |text: &str| last_number(text).and_then(|r| text[r].parse::<u64>().ok());
    number(from).zip(number(to)).and_then(|(a, b)| b.checked_sub(a)).filter(|s| *s > 0).unwrap_or(1)
}

impl Geometry {
    /// The geometry after a change; lengths are read in `unit` where none is typed.
    ///
    /// # Errors
    /// The first thing that is not allowed, with what is; nothing is changed then.
    pub fn changed(&self, change: &GeometryChange, unit: LengthUnit) -> Result<Geometry, Refusal> {
        let mut editing = Editing::of(self);
        match change {
            GeometryChange::Cells { table, cells } => {
                for cell in cells {
                    editing.cell(*table, cell, unit)?;
                }
            }
            GeometryChange::Paste { table, row, column, text } => {
                for cell in pasted(*table, *row, *column, text)? {
                    editing.cell(*table, &cell, unit)?;
                }
            }
            GeometryChange::Fill { table: GeometryTable::Points, rows, columns, counting } => {
                editing.fill(rows, columns, *counting)?;
            }
            GeometryChange::Fill { .. } => {
                return Err(Refusal::new("table", "only points are filled down; a line or a face is typed"));
            }
            GeometryChange::Remove { table, rows } => editing.remove(*table, rows),
            GeometryChange::Body { body, prefix, first, at } => {
                let number = |p: &Point| p.name.strip_prefix(prefix.trim())?.trim().parse::<usize>().ok();
                let next = || self.points.iter().filter_map(number).max().map_or(1, |n| n.saturating_add(1));
                let mut made = body.geometry(prefix, first.unwrap_or_else(next))?;
                for p in &mut made.points {
                    (p.x, p.y, p.z) = (p.x + at[0], p.y + at[1], p.z + at[2]);
                }
                return self.with(made);
            }
            GeometryChange::Add { geometry } => return self.with(geometry.clone()),
        }
        editing.done()
    }

    /// Both of them.
    fn with(&self, other: Geometry) -> Result<Geometry, Refusal> {
        let mut both = self.clone();
        both.points.extend(other.points);
        both.lines.extend(other.lines);
        both.faces.extend(other.faces);
        for (own, new) in both.called.iter_mut().zip(other.called) {
            if own.is_empty() {
                *own = new;
            }
        }
        both.check()?;
        Ok(both)
    }
}

/// The cells of a block that is laid down from one cell on.
fn pasted(table: GeometryTable, row: usize, column: GeometryColumn, text: &str) -> Result<Vec<GeometryCell>, Refusal> {
    let block = paste::grid(text);
    if block.iter().flatten().all(|c| c.trim().is_empty()) {
        return Err(Refusal::new("paste", "there is nothing in it; allowed: a block of cells from a spreadsheet"));
    }
    let cell = |row, column, text: &str| GeometryCell { row, column, text: text.to_string() };
    if table != GeometryTable::Points {
        // The points of a line stand in one cell or in several.
        let through = |cells: &Vec<String>| {
            cells.iter().map(|c| c.trim()).filter(|c| !c.is_empty()).collect::<Vec<_>>().join(";")
        };
        return Ok(block
            .iter()
            .enumerate()
            .map(|(i, c)| cell(row + i, GeometryColumn::Through, &through(c)))
            .collect());
    }
    let at = GeometryColumn::POINTS.iter().position(|c| *c == column).unwrap_or(0);
    let columns = &GeometryColumn::POINTS[at..];
    if let Some(wide) = block.iter().find(|r| r.len() > columns.len()) {
        let says = format!("the block has {} columns and there are {} from here on", wide.len(), columns.len());
        return Err(Refusal::new("paste", says));
    }
    let row_of = |(i, cells): (usize, &Vec<String>)| {
        cells.iter().zip(columns).map(|(text, column)| cell(row + i, *column, text)).collect::<Vec<_>>()
    };
    Ok(block.iter().enumerate().flat_map(row_of).collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    const M: LengthUnit = LengthUnit::Metre;

    fn plate() -> Geometry {
        Body::Plate { length_m: 2.0, width_m: 1.0, along: 3, across: 2 }.geometry("", 1).unwrap()
    }

    fn typed(row: usize, column: GeometryColumn, text: &str) -> GeometryChange {
        let cells = vec![GeometryCell { row, column, text: text.into() }];
        let table = if column == GeometryColumn::Through { GeometryTable::Lines } else { GeometryTable::Points };
        GeometryChange::Cells { table, cells }
    }

    #[test]
    fn lengths_are_read_in_the_tables_unit_or_their_own() {
        let x = |text: &str, unit| plate().changed(&typed(1, GeometryColumn::X, text), unit).map(|g| g.points[1].x);
        assert_eq!(x("250", LengthUnit::Millimetre), Ok(0.25));
        assert_eq!(x("1,5 m", LengthUnit::Millimetre), Ok(1.5));
        assert_eq!(x("", M), Ok(0.0));
        assert!(x("wide", M).unwrap_err().says.contains("x of point 2"));
        assert!(x("3 kg", M).is_err());
        let turned = plate().changed(&typed(0, GeometryColumn::TurnedZ, "-90"), M).unwrap();
        assert_eq!(turned.points[0].turned, [0.0, 0.0, -90.0]);
    }

    #[test]
    fn lines_and_faces_follow_a_points_name() {
        let g = plate().changed(&typed(1, GeometryColumn::Name, "middle"), M).unwrap();
        assert_eq!(g.lines[0], ["1", "middle", "3"]);
        assert!(g.faces.iter().flatten().any(|n| n == "middle"));
        let swapped = GeometryChange::Paste {
            table: GeometryTable::Points,
            row: 0,
            column: GeometryColumn::Name,
            text: "2\n1".into(),
        };
        let g = plate().changed(&swapped, M).unwrap();
        assert_eq!((g.lines[0].join(" "), g.points[0].name.as_str()), ("2 1 3".into(), "2"));
        assert!(plate().changed(&typed(1, GeometryColumn::Name, "3"), M).unwrap_err().says.contains("rows 2 and 3"));
    }

    #[test]
    fn the_row_after_the_last_is_a_new_point_and_no_other() {
        let g = plate().changed(&typed(6, GeometryColumn::Y, "0.5"), M).unwrap();
        let new = g.points.last().unwrap();
        assert_eq!((new.name.as_str(), new.x, new.y), ("7", 0.0, 0.5));
        assert!(plate().changed(&typed(7, GeometryColumn::Y, "1"), M).unwrap_err().says.contains("no row 8"));
    }

    #[test]
    fn a_block_from_a_spreadsheet_continues_the_table() {
        let text = "deck 1\t0\t0\t0\ndeck 2\t500 mm\t0,25\t\n";
        let paste = GeometryChange::Paste {
            table: GeometryTable::Points,
            row: 0,
            column: GeometryColumn::Name,
            text: text.into(),
        };
        let g = Geometry::default().changed(&paste, M).unwrap();
        assert_eq!((g.points[1].name.as_str(), g.points[1].x, g.points[1].y), ("deck 2", 0.5, 0.25));
        let lines = GeometryChange::Paste {
            table: GeometryTable::Lines,
            row: 0,
            column: GeometryColumn::Through,
            text: "deck 1\tdeck 2\ndeck 2, deck 1".into(),
        };
        let g = g.changed(&lines, M).unwrap();
        assert_eq!(g.lines, [["deck 1", "deck 2"], ["deck 2", "deck 1"]]);
        let wide = GeometryChange::Paste {
            table: GeometryTable::Points,
            row: 0,
            column: GeometryColumn::TurnedY,
            text: "1\t2\t3".into(),
        };
        assert!(g.changed(&wide, M).unwrap_err().says.contains("3 columns and there are 2"));
    }

    #[test]
    fn filling_repeats_or_counts_on_by_the_first_step() {
        let fill = |rows: Vec<usize>, columns: Vec<GeometryColumn>, counting| {
            plate().changed(&GeometryChange::Fill { table: GeometryTable::Points, rows, columns, counting }, M)
        };
        let g = fill(vec![0, 1, 2, 3], vec![GeometryColumn::X], true).unwrap();
        assert_eq!(g.points.iter().map(|p| p.x).collect::<Vec<_>>(), [0.0, 1.0, 2.0, 3.0, 1.0, 2.0]);
        let g = fill(vec![1, 2, 3], vec![GeometryColumn::X], false).unwrap();
        assert_eq!(g.points[3].x, 1.0);
        // Of two rows the step is the one before.
        let g = fill(vec![1, 2], vec![GeometryColumn::X], true).unwrap();
        assert_eq!(g.points[2].x, 2.0);
        let g = fill(vec![4, 5], vec![GeometryColumn::Name], true).unwrap();
        assert_eq!(g.points[5].name, "6");
        assert!(fill(vec![0, 1], vec![GeometryColumn::Name], false).unwrap_err().says.contains("count it on"));
        assert!(fill(vec![5, 6], vec![GeometryColumn::X], false).is_err());
    }

    #[test]
    fn names_are_counted_on_by_the_step_of_the_first_two() {
        assert_eq!(
            (step_of("10", "20"), step_of("frame 4", "frame 6"), step_of("9", "3"), step_of("a", "b")),
            (10, 2, 1, 1)
        );
    }

    #[test]
    fn with_a_point_go_its_faces_and_lines_that_are_none_any_more() {
        let remove = GeometryChange::Remove { table: GeometryTable::Points, rows: vec![1] };
        let g = plate().changed(&remove, M).unwrap();
        assert_eq!(g.points.iter().map(|p| p.name.as_str()).collect::<Vec<_>>(), ["1", "3", "4", "5", "6"]);
        assert!(g.faces.is_empty());
        assert_eq!(g.lines[0], ["1", "3"]);
        assert!(!g.lines.contains(&vec!["5".to_string()]), "{:?}", g.lines);
        let lines = g.lines.len();
        let g = g.changed(&GeometryChange::Remove { table: GeometryTable::Lines, rows: vec![0] }, M).unwrap();
        assert_eq!((g.lines.len(), g.points.len()), (lines - 1, 5));
    }

    #[test]
    fn a_body_is_counted_on_and_put_in_its_place() {
        let beam = |first| GeometryChange::Body {
            body: Body::Beam { length_m: 1.0, points: 3 },
            prefix: String::new(),
            first,
            at: [0.0, 5.0, 0.0],
        };
        let g = plate().changed(&beam(None), M).unwrap();
        assert_eq!((g.points[6].name.as_str(), g.points[8].x, g.points[8].y), ("7", 1.0, 5.0));
        assert!(plate().changed(&beam(Some(6)), M).unwrap_err().says.contains("“6”"));
    }

    #[test]
    fn a_line_through_a_point_that_is_not_there_is_refused() {
        let says = plate().changed(&typed(0, GeometryColumn::Through, "1, 9"), M).unwrap_err().says;
        assert!(says.contains("“9”, which is no point"), "{says}");
        assert!(plate().changed(&typed(0, GeometryColumn::Through, "1"), M).unwrap_err().says.contains("two or more"));
        let g = plate().changed(&typed(0, GeometryColumn::Through, "1 2 6"), M).unwrap();
        assert_eq!(g.lines[0], ["1", "2", "6"]);
        let g = g.changed(&typed(0, GeometryColumn::Name, "motor, free end"), M).unwrap();
        let g = g.changed(&typed(0, GeometryColumn::Through, "motor, free end; 2"), M).unwrap();
        assert_eq!(g.lines[0], ["motor, free end", "2"]);
        let says = g.changed(&typed(0, GeometryColumn::Name, "a;b"), M).unwrap_err().says;
        assert!(says.contains("no semicolon"), "{says}");
    }
}
