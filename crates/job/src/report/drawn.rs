//! A figure of a report: what of a result is drawn, and how.

use serde::{Deserialize, Serialize};
use serde_json::Value;
use utoipa::ToSchema;

/// A figure.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
#[schema(as = ReportFigure)]
pub struct Drawn {
    /// The run; the report's where left out.
    #[serde(default)]
    pub run_id: Option<i64>,
    /// What it is made by; needed where no kept result is shown.
    #[serde(default, skip_serializing_if = "Value::is_null")]
    #[schema(value_type = Option<Object>)]
    pub recipe: Value,
    /// Key of a kept result that is shown instead.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub kept: Option<i64>,
    /// What of a result with modes is drawn.
    #[serde(default)]
    pub part: Part,
    /// What is drawn of the horizontal axis, in its unit; all of it where left out.
    #[serde(default)]
    pub shown: Option<[f64; 2]>,
    /// Whether the vertical axis has decades; by the lens where left out.
    #[serde(default)]
    pub decades: Option<bool>,
    /// How high it is.
    #[serde(default)]
    pub height: Height,
    /// How many stand beside each other where it is repeated, 1 to 4.
    #[serde(default = "one")]
    pub beside: u8,
    /// Whether the engineer's notes stand in it.
    #[serde(default = "yes")]
    pub notes: bool,
    /// Under it, with words in braces; what it was made of where empty.
    #[serde(default)]
    pub caption: String,
}

fn one() -> u8 {
    1
}

fn yes() -> bool {
    true
}

/// What of a result is drawn, where it has more than curves.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
#[schema(as = ReportPart)]
pub enum Part {
    /// Its curves or maps; of modes what tells them.
    #[default]
    Curves,
    /// Complex curves as the way of their ends.
    Polar,
    /// Poles of every order over frequency.
    Poles,
    /// How alike the shapes are.
    Mac,
    /// Each shape on the specimen.
    Shapes,
}

/// How high a figure is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
#[schema(as = ReportHeight)]
pub enum Height {
    /// Two thirds of the usual.
    Low,
    /// Three or four on a page.
    #[default]
    Usual,
    /// Two on a page.
    Half,
    /// One on a page.
    Page,
}
