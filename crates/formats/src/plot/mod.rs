//! A plot as lines in SVG and labels beside it: ink on paper, curves told apart by hue and dash.
//!
//! | file | what it holds |
//! | --- | --- |
//! | [`mod@draw`] | panes, curves, notes and limits as lines and labels |
//! | `map` | a map as a picture, its bar of shades |
//! | [`scale`] | even steps, decades, their texts |
//! | [`mod@spark`] | a waveform in a row of a table |
//! | [`out`] | the drawing as SVG of its own or PNG, its values as a table |
//!
//! Labels are not part of the lines, so that whoever sets them uses its own fonts and they stay text.

pub mod draw;
mod map;
pub mod out;
pub mod scale;
pub mod spark;

pub use draw::{Drawing, Label, draw};
pub use map::Shades;
pub use spark::spark;

use echo_job::Refusal;
use serde::{Deserialize, Deserializer};
use utoipa::ToSchema;

/// What is drawn: panes one under the other over one horizontal axis.
#[derive(Debug, Clone, Default, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Plot {
    /// Above it; nothing where empty.
    #[serde(default)]
    pub title: String,
    /// The horizontal axis.
    pub x: Axis,
    /// Panes from top to bottom.
    pub panes: Vec<Pane>,
    /// Words at places of the horizontal axis, set by the engineer.
    #[serde(default)]
    pub notes: Vec<Note>,
    /// Width and height, px; as in the report when left out.
    #[serde(default)]
    pub size: Option<[f64; 2]>,
    /// Whether both axes have the same scale, as an orbit needs.
    #[serde(default)]
    pub round: bool,
}

/// The horizontal axis.
#[derive(Debug, Clone, Default, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
#[schema(as = PlotAxis)]
pub struct Axis {
    /// Name and unit.
    pub label: String,
    /// Values, ascending; none where each curve brings its own.
    #[serde(default)]
    pub values: Vec<f64>,
    /// Decades instead of even steps.
    #[serde(default)]
    pub log: bool,
    /// Where it begins; with its first value when left out.
    #[serde(default)]
    pub from: Option<f64>,
    /// Where it ends; with its last value when left out.
    #[serde(default)]
    pub to: Option<f64>,
}

/// Curves, or a map, over one vertical axis.
#[derive(Debug, Clone, Default, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
#[schema(as = PlotPane)]
pub struct Pane {
    /// Name and unit of the vertical axis.
    pub label: String,
    /// Decades instead of even steps.
    #[serde(default)]
    pub log: bool,
    /// Where it begins; below the lowest value when left out.
    #[serde(default)]
    pub from: Option<f64>,
    /// Where it ends; above the highest value when left out.
    #[serde(default)]
    pub to: Option<f64>,
    /// The curves.
    #[serde(default)]
    pub curves: Vec<Curve>,
    /// Levels drawn across.
    #[serde(default)]
    pub levels: Vec<Level>,
    /// A map instead of curves.
    #[serde(default)]
    pub map: Option<Map>,
    /// Its share of the height beside the other panes'; 1 when left out.
    #[serde(default)]
    pub share: Option<f64>,
}

/// One curve; values that are not finite break the line.
#[derive(Debug, Clone, Default, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
#[schema(as = PlotCurve)]
pub struct Curve {
    /// Name in the legend.
    pub name: String,
    /// Its own places on the horizontal axis, for curves that turn back.
    #[serde(default, deserialize_with = "holed")]
    #[schema(value_type = Vec<Option<f64>>)]
    pub x: Vec<f64>,
    /// Values over the axis; for an envelope the upper ones.
    #[serde(deserialize_with = "holed")]
    #[schema(value_type = Vec<Option<f64>>)]
    pub values: Vec<f64>,
    /// Lower values of an envelope.
    #[serde(default, deserialize_with = "holed_if_any")]
    #[schema(value_type = Option<Vec<Option<f64>>>)]
    pub low: Option<Vec<f64>>,
    /// Whether a value holds until the next, as in a distribution.
    #[serde(default)]
    pub steps: bool,
    /// Whether the line goes on over places without a value.
    #[serde(default)]
    pub spans: bool,
    /// Whether its points are drawn instead of a line through them.
    #[serde(default)]
    pub points: bool,
}

/// A level across a pane.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
#[schema(as = PlotLevel)]
pub struct Level {
    /// Where.
    pub at: f64,
    /// What it is.
    pub says: String,
}

/// A place of the horizontal axis with words.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
#[schema(as = PlotNote)]
pub struct Note {
    /// Where.
    pub at: f64,
    /// The words.
    pub says: String,
}

/// Values over two axes.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
#[schema(as = PlotMap)]
pub struct Map {
    /// Places of the rows on the vertical axis, ascending.
    pub rows: Vec<f64>,
    /// Values, row by row; as many a row as the horizontal axis has.
    #[serde(deserialize_with = "holed")]
    #[schema(value_type = Vec<Option<f64>>)]
    pub values: Vec<f64>,
    /// What they are, with unit.
    pub label: String,
    /// Decades from lightest to darkest; even steps from zero when left out.
    #[serde(default)]
    pub decades: Option<f64>,
    /// Its colours.
    #[serde(default)]
    pub shades: Shades,
}

/// Most values of a plot.
const MOST: usize = 20_000_000;
/// Most panes, and curves of one.
const MOST_PANES: usize = 24;
const MOST_CURVES: usize = 300;

impl Plot {
    /// Checks what lengths and sizes allow.
    ///
    /// # Errors
    /// A sentence naming what is wrong.
    pub fn check(&self) -> Result<(), Refusal> {
        let fault = |field: &str, says: String| Err(Refusal::new(field, says));
        if self.panes.is_empty() || self.panes.len() > MOST_PANES {
            let says = format!("a plot has 1 to {MOST_PANES} panes, not {}", self.panes.len());
            return fault("panes", says);
        }
        let n = self.x.values.len();
        let mut all = n;
        for pane in &self.panes {
            if pane.curves.len() > MOST_CURVES {
                return fault("curves", format!("a pane has up to {MOST_CURVES} curves, not {}", pane.curves.len()));
            }
            for c in &pane.curves {
                let wanted = if c.x.is_empty() { n } else { c.x.len() };
                let lengths = [Some(c.values.len()), c.low.as_ref().map(Vec::len)];
                if let Some(found) = lengths.into_iter().flatten().find(|l| *l != wanted) {
                    return fault("values", format!("“{}” has {found} values over {wanted} places", c.name));
                }
                all += c.values.len() * if c.low.is_some() { 2 } else { 1 };
            }
            if let Some(m) = &pane.map {
                let rising = |v: &[f64]| v.windows(2).all(|p| p[0] < p[1]);
                if !rising(&m.rows) || !rising(&self.x.values) {
                    return fault("rows", "places of a map must ascend".into());
                }
                if m.values.len() != m.rows.len() * n || m.rows.len() < 2 || n < 2 {
                    let says =
                        format!("a map of {} rows and {n} columns cannot have {} values", m.rows.len(), m.values.len());
                    return fault("values", says);
                }
                all += m.values.len();
            }
        }
        if all > MOST {
            return fault("values", format!("the plot has {all} values; allowed: up to {MOST}"));
        }
        if let Some([w, h]) = self.size
            && !((200.0..=4000.0).contains(&w) && (100.0..=4000.0).contains(&h))
        {
            return fault("size", format!("a picture of {w} × {h}; allowed: 200 × 100 to 4000 × 4000"));
        }
        Ok(())
    }
}

/// Numbers of which some are missing.
fn holed<'de, D: Deserializer<'de>>(d: D) -> Result<Vec<f64>, D::Error> {
    let all = Vec::<Option<f64>>::deserialize(d)?;
    Ok(all.into_iter().map(|v| v.unwrap_or(f64::NAN)).collect())
}

fn holed_if_any<'de, D: Deserializer<'de>>(d: D) -> Result<Option<Vec<f64>>, D::Error> {
    let all = Option::<Vec<Option<f64>>>::deserialize(d)?;
    Ok(all.map(|all| all.into_iter().map(|v| v.unwrap_or(f64::NAN)).collect()))
}
