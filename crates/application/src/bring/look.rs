//! What is in a file, before it is brought in: guessed, shown, to be put right.

use super::curves::{LookResult, found, told};
use super::known_unit;
use super::reading::FileReading;
use crate::uploads::{Sent, local};
use crate::{Desk, Result};
use echo_formats::FormatError;
use echo_formats::file::{Kind, open_with};
use serde::Serialize;
use std::fs::File;
use std::io::{Read, Write};
use std::path::Path;
use utoipa::ToSchema;

/// Bytes of a text that are looked at.
const LOOKED_AT: u64 = 4 << 20;
/// Lines of a text, and samples of each channel, that are shown.
const SHOWN: usize = 6;
/// Letters of a line that are shown.
const LETTERS: usize = 300;

/// A file that was looked at.
#[derive(Debug, Serialize, ToSchema)]
pub struct Look {
    /// The file.
    pub sent: Sent,
    /// What it was read as; none where it could not be.
    pub kind: Option<String>,
    /// Samples a second, Hz.
    pub sample_rate_hz: f64,
    /// Samples a channel; none where only the beginning was looked at.
    pub samples: Option<u64>,
    /// Whether samples are shares of full scale.
    pub full_scale: bool,
    /// Its channels.
    pub channels: Vec<LookChannel>,
    /// Functions and shapes that become kept results.
    pub results: Vec<LookResult>,
    /// What was assumed.
    pub notes: Vec<String>,
    /// The first lines, where it is a text.
    pub lines: Vec<String>,
    /// Why it cannot be read as it is.
    pub refused: Option<String>,
}

/// A channel of a file.
#[derive(Debug, Serialize, ToSchema)]
pub struct LookChannel {
    /// Which of the file's channels, from 1.
    pub source: usize,
    /// Its name.
    pub name: String,
    /// Its unit as it stands in the file.
    pub unit: String,
    /// The unit it is taken for; none where it is not known.
    pub taken_as: Option<String>,
    /// Place on the specimen.
    pub point: String,
    /// Direction at that place.
    pub direction: String,
    /// Its first values.
    pub first: Vec<Option<f64>>,
}

/// The first lines of a text; none where it is not one.
fn lines(path: &Path) -> Vec<String> {
    let mut head = Vec::new();
    let read = File::open(path).and_then(|f| f.take(16 << 10).read_to_end(&mut head));
    let text = String::from_utf8_lossy(&head);
    if read.is_err() || text.chars().any(|c| c.is_control() && !matches!(c, '\n' | '\r' | '\t')) {
        return Vec::new();
    }
    text.lines().take(SHOWN).map(|l| l.chars().take(LETTERS).collect()).collect()
}

/// The beginning of a large text as a file of its own, ending with a whole line.
fn beginning(path: &Path) -> std::io::Result<tempfile::NamedTempFile> {
    let mut head = Vec::new();
    File::open(path)?.take(LOOKED_AT).read_to_end(&mut head)?;
    let whole = head.iter().rposition(|b| *b == b'\n').map_or(head.len(), |at| at + 1);
    let ending = path.extension().and_then(|e| e.to_str()).unwrap_or("csv");
    let mut out = tempfile::Builder::new().suffix(&format!(".{ending}")).tempfile()?;
    out.write_all(&head[..whole])?;
    Ok(out)
}

fn looked(sent: Sent, path: &Path, reading: &FileReading) -> Look {
    let lines = lines(path);
    let part = (!lines.is_empty() && sent.bytes as u64 > LOOKED_AT).then(|| beginning(path).ok()).flatten();
    let mut look = Look {
        sent,
        kind: None,
        sample_rate_hz: 0.0,
        samples: None,
        full_scale: false,
        channels: Vec::new(),
        results: Vec::new(),
        notes: Vec::new(),
        lines,
        refused: None,
    };
    let file = look.sent.file.clone();
    let said = |e: &FormatError, path: &Path| e.to_string().replace(&path.display().to_string(), &file);
    match found(path) {
        Ok(kept) => {
            look.results = told(&kept, &file);
            look.notes.extend(kept.left.iter().map(|l| format!("{l}; left aside")));
            if kept.time_responses == 0 && !kept.results.is_empty() {
                look.kind = Some(Kind::Uff.name().into());
                return look;
            }
        }
        Err(e) => {
            look.refused = Some(said(&e, path));
            return look;
        }
    }
    let (kind, mut source) = match open_with(part.as_ref().map_or(path, |p| p.path()), &reading.columns()) {
        Ok(opened) => opened,
        Err(e) => {
            look.refused = Some(said(&e, part.as_ref().map_or(path, |p| p.path())));
            return look;
        }
    };
    let info = source.info().clone();
    look.kind = Some(kind.name().into());
    look.sample_rate_hz = info.sample_rate_hz;
    look.samples = part.is_none().then_some(info.samples);
    look.full_scale = info.full_scale;
    look.notes.extend(info.notes.iter().cloned());
    if part.is_some() && kind == Kind::Csv {
        look.notes.push("only the beginning was looked at; the rest is read when it is brought in".into());
    }
    let all: Vec<usize> = (0..info.channels.len()).collect();
    let (mut first, n) = (vec![Vec::new(); all.len()], (info.samples as usize).min(SHOWN));
    if source.read(&all, 0, n, &mut first).is_err() {
        first.iter_mut().for_each(Vec::clear);
    }
    look.channels = info
        .channels
        .into_iter()
        .zip(first)
        .enumerate()
        .map(|(k, (c, first))| {
            let dof = c.dof.unwrap_or(echo_job::dof::Dof {
                point: String::new(),
                direction: String::new(),
                sign: Default::default(),
            });
            LookChannel {
                source: k + 1,
                taken_as: if c.unit.trim().is_empty() { None } else { known_unit(&c.unit).map(|u| u.0) },
                name: c.name,
                unit: c.unit,
                direction: if dof.sign == echo_job::dof::Sign::Minus {
                    format!("-{}", dof.direction)
                } else {
                    dof.direction
                },
                point: dof.point,
                first: first.into_iter().map(|x| x.is_finite().then_some(x)).collect(),
            }
        })
        .collect();
    look
}

/// Looks at a file that was sent, read as is said.
///
/// # Errors
/// What is said of it is not allowed, there is no such file, or the database is away. A file that cannot be read is a
/// look that says so.
pub async fn look(desk: &Desk, upload: i64, reading: FileReading) -> Result<Look> {
    reading.check()?;
    let (sent, file) = local(desk, upload).await?;
    Ok(tokio::task::spawn_blocking(move || looked(sent.into(), file.path(), &reading)).await?)
}
