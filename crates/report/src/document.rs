//! What a report says, part by part, before it is set on pages.

use crate::letterhead::{Letterhead, Paper};
use chrono::{DateTime, Utc};
use echo_formats::plot::out::escaped;
use echo_formats::plot::{Drawing, Label};
use echo_formats::sheet::Sheet;
use echo_job::report::language::{Language, Term};
use echo_job::report::text::{Kind, Paragraph, Place, Span};
use serde::{Serialize, Serializer};

/// A report, ready to be set.
#[derive(Debug, Clone, Serialize)]
pub struct Document {
    /// Title.
    pub title: String,
    /// Its language.
    #[serde(skip)]
    pub language: Language,
    /// What stands over it; nothing where the house has said nothing.
    pub letterhead: Option<Letterhead>,
    /// What it is set on.
    #[serde(skip)]
    pub paper: Paper,
    /// Line at the foot of each page.
    pub foot: String,
    /// From top to bottom.
    pub parts: Vec<Part>,
    /// When it was made.
    #[serde(skip)]
    pub made_at: DateTime<Utc>,
    /// What it was made of, as JSON; it goes with the PDF as an attachment.
    #[serde(skip)]
    pub source: String,
}

/// A part of a report.
#[derive(Debug, Clone, Serialize)]
pub struct Part {
    /// Above it; nothing where empty.
    pub title: String,
    /// What it shows.
    #[serde(flatten)]
    pub body: Body,
}

/// What a part shows.
#[derive(Debug, Clone, Serialize)]
#[serde(tag = "what", rename_all = "snake_case")]
pub enum Body {
    /// The report's head.
    Head {
        /// Small line above the title.
        heading: String,
        /// Line under the title.
        subtitle: String,
    },
    /// Paragraphs.
    Text {
        /// One after the other.
        paragraphs: Vec<Set>,
    },
    /// Names and values in two columns.
    Facts {
        /// Name and value.
        rows: Vec<(String, String)>,
    },
    /// A figure.
    Figure(Box<Figure>),
    /// Figures beside each other.
    Figures {
        /// How many in a row.
        beside: u8,
        /// The figures.
        figures: Vec<Figure>,
    },
    /// A table.
    Table(Table),
    /// Headings with what stands under them in letters of equal width.
    Listing {
        /// Heading and text.
        entries: Vec<(String, String)>,
    },
    /// Lines to sign on.
    Signature {
        /// Under each line.
        names: Vec<String>,
    },
    /// The next part begins a page.
    NextPage,
    /// In place of what cannot be made: why not.
    Refused {
        /// What is wrong and what is allowed.
        says: String,
    },
}

/// A figure.
#[derive(Debug, Clone, Serialize)]
pub struct Figure {
    /// Under it.
    pub caption: Vec<Set>,
    /// What it shows in words, for who cannot see it.
    pub alt: String,
    /// Its lines.
    #[serde(skip)]
    pub svg: String,
    /// Its labels.
    pub labels: Vec<Label>,
    /// Its height over its width.
    pub aspect: f64,
    /// Width and height, in the units of its lines.
    #[serde(skip)]
    pub size: [f64; 2],
    /// What it shows as a table; none of what is drawn from no plot.
    #[serde(skip)]
    pub values: Option<Sheet>,
    /// Notes on its curves: where, and the words.
    pub notes: Vec<(String, String)>,
}

impl Figure {
    /// A drawing with what stands under it.
    pub fn of(drawing: Drawing, alt: String, caption: Vec<Set>) -> Figure {
        let (aspect, size) = (drawing.aspect(), drawing.size);
        let (svg, labels) = (drawing.svg, drawing.labels);
        Figure { caption, alt, svg, labels, aspect, size, values: None, notes: Vec::new() }
    }

    /// Its lines and labels.
    pub fn drawing(&self) -> Drawing {
        Drawing { svg: self.svg.clone(), labels: self.labels.clone(), size: self.size }
    }
}

/// A table.
#[derive(Debug, Clone, Default, Serialize)]
pub struct Table {
    /// Under it.
    pub caption: Vec<Set>,
    /// Over its columns.
    pub heads: Vec<String>,
    /// Row by row.
    pub rows: Vec<Vec<String>>,
    /// Columns whose digits stand under each other.
    pub digits: Vec<bool>,
    /// The same as numbers without units, with their own heads; the rows above where left out.
    #[serde(skip)]
    pub plain: Option<(Vec<String>, Vec<Vec<String>>)>,
    /// Rows that stand out; none where left out.
    pub loud: Vec<bool>,
    /// Of each row its share of what is allowed, drawn as a bar beside it; none where left out.
    pub shares: Vec<f64>,
    /// Whether it is long and narrow, so that two halves stand beside each other.
    pub twin: bool,
}

impl Table {
    /// As a sheet of a workbook, numbers as numbers.
    pub fn sheet(&self) -> Sheet {
        let (heads, rows) = self.plain.clone().unwrap_or_else(|| (self.heads.clone(), self.rows.clone()));
        Sheet { name: String::new(), heads, rows }
    }
}

/// A paragraph as it is set.
#[derive(Debug, Clone, Serialize)]
pub struct Set {
    pub(crate) kind: &'static str,
    pub(crate) number: u32,
    pub(crate) spans: Vec<SetSpan>,
}

#[derive(Debug, Clone, Serialize)]
pub(crate) struct SetSpan {
    pub(crate) text: String,
    pub(crate) strong: bool,
    pub(crate) slanted: bool,
    #[serde(serialize_with = "place")]
    pub(crate) place: Place,
}

fn place<S: Serializer>(place: &Place, s: S) -> Result<S::Ok, S::Error> {
    s.serialize_str(match place {
        Place::Line => "line",
        Place::Raised => "raised",
        Place::Lowered => "lowered",
    })
}

impl Set {
    /// Paragraphs as HTML.
    pub fn html(all: &[Set]) -> String {
        let mut out = String::new();
        let mut list = "";
        for p in all {
            let own = match p.kind {
                "item" => "ul",
                "numbered" => "ol",
                _ => "",
            };
            if own != list {
                for (tag, slash) in [(list, "/"), (own, "")] {
                    if !tag.is_empty() {
                        out += &format!("<{slash}{tag}>");
                    }
                }
                list = own;
            }
            let spans = p.spans();
            out += &match (p.kind, own) {
                (_, "ol") => format!("<li value='{}'>{spans}</li>", p.number),
                (_, "ul") => format!("<li>{spans}</li>"),
                ("heading", _) => format!("<h3>{spans}</h3>"),
                _ => format!("<p>{spans}</p>"),
            };
        }
        if !list.is_empty() {
            out += &format!("</{list}>");
        }
        out
    }

    /// Paragraphs within a line, as HTML.
    pub fn inline(all: &[Set]) -> String {
        all.iter().map(Set::spans).collect::<Vec<_>>().join("<br>")
    }

    fn spans(&self) -> String {
        let one = |s: &SetSpan| {
            let mut text = escaped(&s.text);
            let tags = [
                (s.strong, "b"),
                (s.slanted, "i"),
                (s.place == Place::Raised, "sup"),
                (s.place == Place::Lowered, "sub"),
            ];
            for (_, tag) in tags.iter().filter(|t| t.0) {
                text = format!("<{tag}>{text}</{tag}>");
            }
            text
        };
        self.spans.iter().map(one).collect()
    }
}

impl From<&Paragraph> for Set {
    fn from(p: &Paragraph) -> Set {
        let (kind, number) = match p.kind {
            Kind::Plain => ("plain", 0),
            Kind::Heading(level) => ("heading", u32::from(level)),
            Kind::Item => ("item", 0),
            Kind::Numbered(n) => ("numbered", n),
        };
        let span = |s: &Span| SetSpan { text: s.text.clone(), strong: s.strong, slanted: s.slanted, place: s.place };
        Set { kind, number, spans: p.spans.iter().map(span).collect() }
    }
}

/// Words that the pages say themselves.
#[derive(Debug, Serialize)]
pub(crate) struct Words {
    pub(crate) figure: &'static str,
    pub(crate) table: &'static str,
    pub(crate) page: &'static str,
    of: &'static str,
    pub(crate) code: &'static str,
}

impl From<Language> for Words {
    fn from(language: Language) -> Words {
        Words {
            figure: language.says(Term::Figure),
            table: language.says(Term::Table),
            page: language.says(Term::Page),
            of: language.says(Term::Of),
            code: language.code(),
        }
    }
}
