//! A result as a file: tables of its curves and numbers as workbook, CSV or Parquet, its curves as a universal file.

use crate::csv::{headed, titled};
use crate::parquet::{Column, columns};
use crate::sheet::{Sheet, write_csv, write_xlsx};
use crate::{FormatError, uff};
use echo_job::analysis::Analysis;
use echo_job::analysis::result::{Axis, Trace};
use echo_job::export::ResultForm;

/// Most rows and columns of a sheet, without the line of headings.
const MOST_ROWS: usize = (1 << 20) - 1;
const MOST_COLUMNS: usize = 1 << 14;

fn cell(column: &Column, row: usize) -> String {
    match column {
        Column::Numbers(all) => all.get(row).filter(|x| x.is_finite()).map_or_else(String::new, f64::to_string),
        Column::Words(all) => all.get(row).cloned().unwrap_or_default(),
    }
}

/// A table: its name, and its columns with their heads.
type Table = (String, Vec<(String, Column)>);

fn refused(says: impl Into<String>) -> FormatError {
    FormatError::not_that("the result", says)
}

/// Curves and maps of a result, those over the same axes in one table: a row for each place, the last axis fastest. Then
/// its numbers and its peaks, where it has any.
fn tables(a: &Analysis) -> Vec<Table> {
    let mut groups: Vec<(Vec<usize>, Vec<&Trace>)> = Vec::new();
    for t in &a.traces {
        let over = t.axes.clone().unwrap_or_else(|| (0..a.axes.len()).collect());
        // What fits the first axis alone runs over it, though the result has more.
        let whole: usize = over.iter().filter_map(|k| a.axes.get(*k)).map(|x| x.values.len()).product();
        let over = match over.iter().find(|k| t.len() != whole && a.axes[**k].values.len() == t.len()) {
            Some(k) => vec![*k],
            None => over,
        };
        match groups.iter_mut().find(|g| g.0 == over) {
            Some(g) => g.1.push(t),
            None => groups.push((over, vec![t])),
        }
    }
    let many = groups.len() > 1;
    let mut all: Vec<Table> = groups.into_iter().map(|(over, traces)| curves(a, &over, &traces, many)).collect();
    if !a.numbers.is_empty() {
        let of = |get: &dyn Fn(&echo_job::analysis::result::Number) -> f64| {
            Column::Numbers(a.numbers.iter().map(get).collect())
        };
        let mut columns = vec![
            ("name".to_string(), Column::Words(a.numbers.iter().map(|n| n.name.clone()).collect())),
            ("channel".to_string(), of(&|n| f64::from(n.channel))),
            ("value".to_string(), of(&|n| n.value)),
            ("unit".to_string(), Column::Words(a.numbers.iter().map(|n| n.unit.clone()).collect())),
        ];
        if a.numbers.iter().any(|n| n.mode.is_some()) {
            columns.insert(2, ("mode".into(), of(&|n| n.mode.map_or(f64::NAN, f64::from))));
        }
        all.push(("numbers".into(), columns));
    }
    if !a.peaks.is_empty() {
        let of = |get: &dyn Fn(&echo_job::analysis::result::PeakFound) -> f64| {
            Column::Numbers(a.peaks.iter().map(get).collect())
        };
        let columns = vec![
            ("channel".to_string(), of(&|p| f64::from(p.channel))),
            ("frequency [Hz]".to_string(), of(&|p| p.frequency_hz)),
            ("value".to_string(), of(&|p| p.value)),
        ];
        all.push(("peaks".into(), columns));
    }
    all
}

fn curves(a: &Analysis, over: &[usize], traces: &[&Trace], many: bool) -> Table {
    let axes: Vec<&Axis> = over.iter().filter_map(|k| a.axes.get(*k)).collect();
    let rows: usize = axes.iter().map(|x| x.values.len()).product();
    let mut columns = Vec::new();
    let mut slower = rows;
    for x in &axes {
        let n = x.values.len().max(1);
        slower /= n;
        let at = |row: usize| (row / slower.max(1)) % n;
        let column = match x.dofs.len() == x.values.len() {
            true => Column::Words((0..rows).map(|r| x.dofs[at(r)].to_string()).collect()),
            false => Column::Numbers((0..rows).map(|r| x.values[at(r)]).collect()),
        };
        columns.push((headed(x.name.word(), &x.unit), column));
    }
    for t in traces {
        let title = titled(t);
        match t.complex() {
            Some(z) => {
                let part =
                    |of: fn(&echo_signal::spectrum::Complex64) -> f64| Column::Numbers(z.iter().map(of).collect());
                columns.push((headed(&format!("{title}_re"), &t.unit), part(|z| z.re)));
                columns.push((headed(&format!("{title}_im"), &t.unit), part(|z| z.im)));
            }
            None => columns.push((headed(&title, &t.unit), Column::Numbers(t.real().to_vec()))),
        }
        if let Some(within) = &t.within {
            columns.push((headed(&format!("{title}_within"), &t.unit), Column::Numbers(within.clone())));
        }
    }
    // Heads that are the same are told apart, so that each can be asked for.
    for k in 1..columns.len() {
        let same = columns[..k].iter().filter(|c| c.0 == columns[k].0).count();
        if same > 0 {
            columns[k].0 = format!("{} ({})", columns[k].0, same + 1);
        }
    }
    let name = if many { axes.iter().map(|x| x.name.word()).collect::<Vec<_>>().join(" ") } else { "curves".into() };
    (name, columns)
}

fn sheet((name, columns): &Table) -> Result<Sheet, FormatError> {
    let rows = columns.iter().map(|c| c.1.len()).max().unwrap_or(0);
    if rows > MOST_ROWS || columns.len() > MOST_COLUMNS {
        let says = format!(
            "has a table of {rows} rows and {} columns; a sheet has {MOST_ROWS} and {MOST_COLUMNS}; choose Parquet or CSV",
            columns.len()
        );
        return Err(refused(says));
    }
    Ok(Sheet {
        name: name.chars().take(31).collect(),
        heads: columns.iter().map(|c| c.0.clone()).collect(),
        rows: (0..rows).map(|r| columns.iter().map(|c| cell(&c.1, r)).collect()).collect(),
    })
}

/// The only table of a result's curves; its numbers where it has none.
fn only(a: &Analysis, form: &str) -> Result<Table, FormatError> {
    let mut all = tables(a);
    let curves = all.iter().filter(|t| t.0 != "numbers" && t.0 != "peaks").count();
    if all.is_empty() {
        return Err(refused("holds nothing that could be written"));
    }
    if curves > 1 {
        let says = format!("has curves over different axes, and {form} is one table; allowed: XLSX or JSON");
        return Err(refused(says));
    }
    Ok(all.swap_remove(0))
}

/// Writes a result in a form. Texts of the tables are guarded against spreadsheets that would compute them.
///
/// # Errors
/// What does not fit the form, with what does.
pub fn write(a: &Analysis, form: ResultForm) -> Result<Vec<u8>, FormatError> {
    match form {
        ResultForm::Json => serde_json::to_vec_pretty(a).map_err(|e| refused(e.to_string())),
        ResultForm::Universal if a.recipe.lens.gives_shapes() => Ok(uff::write(&uff::of_shapes(a)?, uff::Style::Text)),
        ResultForm::Universal => Ok(uff::write(&uff::of_result(a)?, uff::Style::Text)),
        ResultForm::Csv => write_csv(&sheet(&only(a, "CSV")?)?),
        ResultForm::Xlsx => {
            let all = tables(a).iter().map(sheet).collect::<Result<Vec<_>, _>>()?;
            if all.is_empty() {
                return Err(refused("holds nothing that could be written"));
            }
            write_xlsx(&all)
        }
        ResultForm::Parquet => {
            let (_, table) = only(a, "Parquet")?;
            let recipe = serde_json::to_string(&a.recipe).map_err(|e| refused(e.to_string()))?;
            let told = [
                ("recipe", recipe),
                ("made_by", a.made.by.clone()),
                ("made_at", a.made.at.clone()),
                ("made_of", a.made.input.clone()),
            ];
            columns(&table, &told)
        }
    }
}
