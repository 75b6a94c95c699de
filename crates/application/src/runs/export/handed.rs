//! What is written of a file is handed on in pieces, with marks from where it can be gone on with.

use crate::{Error, Result};
use echo_formats::csv::CsvOut;
use echo_formats::parquet::ParquetOut;
use echo_store::job::{Mark, PIECE};
use std::io::Write;
use tokio::sync::mpsc::Sender;

/// Bytes after which a file is marked again: what a worker that dies has lost at most.
const MARKED: u64 = 128 << 20;

/// Part of a file.
pub(crate) enum Handed {
    /// The next piece.
    Piece(Vec<u8>),
    /// How far it is with the pieces before.
    Mark(Mark),
}

/// Hands what is written on in pieces, and waits where they are not taken.
pub(super) struct Pieces {
    to: Sender<Handed>,
    piece: Vec<u8>,
    bytes: u64,
    marked: u64,
}

impl Pieces {
    /// From the beginning, or from where a mark was set.
    pub(super) fn new(to: Sender<Handed>, from: Option<&Mark>) -> Pieces {
        let mut piece = Vec::with_capacity(PIECE);
        piece.extend(from.iter().flat_map(|m| &m.tail));
        let bytes = from.map_or(0, |m| m.bytes);
        Pieces { to, piece, bytes, marked: bytes }
    }

    fn hand(&mut self) -> std::io::Result<()> {
        let piece = std::mem::replace(&mut self.piece, Vec::with_capacity(PIECE));
        self.send(Handed::Piece(piece))
    }

    fn send(&self, part: Handed) -> std::io::Result<()> {
        self.to.blocking_send(part).map_err(|_| std::io::ErrorKind::BrokenPipe.into())
    }

    /// Whether it is long since it was marked.
    pub(super) fn due(&self) -> bool {
        self.bytes - self.marked >= MARKED
    }

    /// Marks that so much of the run is done with what was written.
    pub(super) fn mark(&mut self, done: u64, foot: Vec<u8>) -> std::io::Result<()> {
        self.marked = self.bytes;
        self.send(Handed::Mark(Mark { done, bytes: self.bytes, tail: self.piece.clone(), foot }))
    }
}

impl Write for Pieces {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        let n = bytes.len().min(PIECE - self.piece.len());
        self.piece.extend_from_slice(&bytes[..n]);
        self.bytes += n as u64;
        if self.piece.len() == PIECE {
            self.hand()?;
        }
        Ok(n)
    }

    fn flush(&mut self) -> std::io::Result<()> {
        Ok(())
    }
}

impl Drop for Pieces {
    fn drop(&mut self) {
        if !self.piece.is_empty() {
            let _ = self.hand();
        }
    }
}

/// A file that can be gone on with after every block.
pub(super) trait Grows {
    /// Adds samples, one vector a channel.
    fn add(&mut self, channels: &[Vec<f64>]) -> Result<()>;
    /// Where its bytes go.
    fn pieces(&mut self) -> &mut Pieces;
    /// Marks how far it is.
    fn mark(&mut self) -> Result<()>;
}

impl Grows for CsvOut<Pieces> {
    fn add(&mut self, channels: &[Vec<f64>]) -> Result<()> {
        Ok(self.push(channels)?)
    }

    fn pieces(&mut self) -> &mut Pieces {
        self.to()
    }

    fn mark(&mut self) -> Result<()> {
        let rows = self.rows();
        Ok(self.to().mark(rows, Vec::new())?)
    }
}

impl Grows for ParquetOut<Pieces> {
    fn add(&mut self, channels: &[Vec<f64>]) -> Result<()> {
        Ok(self.push(channels)?)
    }

    fn pieces(&mut self) -> &mut Pieces {
        self.to()
    }

    fn mark(&mut self) -> Result<()> {
        let (rows, foot) = (self.rows(), self.foot()?);
        Ok(self.to().mark(rows, foot)?)
    }
}

/// Writes block by block, and marks how far it is now and then, and where it is stopped.
pub(super) fn grown(
    out: &mut impl Grows,
    blocks: impl FnOnce(&mut dyn FnMut(&[Vec<f64>]) -> Result<()>) -> Result<()>,
) -> Result<()> {
    let ended = blocks(&mut |x| {
        out.add(x)?;
        if out.pieces().due() { out.mark() } else { Ok(()) }
    });
    if matches!(ended, Err(Error::Stopped)) {
        out.mark()?;
    }
    ended
}

#[cfg(test)]
mod tests {
    use super::*;
    use tokio::sync::mpsc::{Receiver, channel};

    fn taken(from: &mut Receiver<Handed>) -> (Vec<usize>, Vec<u8>, Option<Mark>) {
        let (mut sizes, mut read, mut last) = (Vec::new(), Vec::new(), None);
        while let Some(part) = from.blocking_recv() {
            match part {
                Handed::Piece(piece) => {
                    sizes.push(piece.len());
                    read.extend(piece);
                }
                Handed::Mark(mark) => last = Some(mark),
            }
        }
        (sizes, read, last)
    }

    #[test]
    fn what_is_written_is_handed_on_whole_and_ends_where_nobody_takes_it() {
        let (to, mut pieces) = channel(8);
        let mut out = Pieces::new(to, None);
        let all: Vec<u8> = (0..2 * PIECE + 17).map(|k| (k % 251) as u8).collect();
        all.chunks(1000).for_each(|some| out.write_all(some).unwrap());
        drop(out);
        let (sizes, read, mark) = taken(&mut pieces);
        assert_eq!((sizes, mark), (vec![PIECE, PIECE, 17], None));
        assert!(read == all);
        let (to, pieces) = channel(8);
        drop(pieces);
        let mut out = Pieces::new(to, None);
        assert_eq!(out.write_all(&all).unwrap_err().kind(), std::io::ErrorKind::BrokenPipe);
    }

    #[test]
    fn a_file_goes_on_behind_its_mark_to_the_same_bytes() {
        let heads = [("gearbox".to_string(), "g".to_string())];
        let style = (echo_job::export::Separator::Comma, false);
        let begun = || CsvOut::new(std::io::sink(), 1000.0, &heads, false, style).unwrap();
        let block = vec![vec![0.25; 50_000]];
        let (to, mut whole) = channel(16);
        let mut out = CsvOut::new(Pieces::new(to, None), 1000.0, &heads, false, style).unwrap();
        grown(&mut out, |sink| (0..2).try_for_each(|_| sink(&block))).unwrap();
        drop(out);
        let (_, whole, _) = taken(&mut whole);
        let (to, mut first) = channel(16);
        let mut out = CsvOut::new(Pieces::new(to, None), 1000.0, &heads, false, style).unwrap();
        let stopped = grown(&mut out, |sink| sink(&block).and(Err(Error::Stopped)));
        assert!(matches!(stopped, Err(Error::Stopped)));
        drop(out);
        let (_, mut bytes, mark) = taken(&mut first);
        let mark = mark.unwrap();
        assert_eq!((mark.done, mark.bytes), (50_000, bytes.len() as u64));
        // Whole pieces stay; what filled none comes again with the mark.
        bytes.truncate(mark.bytes as usize / PIECE * PIECE);
        let (to, mut rest) = channel(16);
        let mut out = begun().on(Pieces::new(to, Some(&mark)), mark.done);
        grown(&mut out, |sink| sink(&block)).unwrap();
        drop(out);
        bytes.extend(taken(&mut rest).1);
        assert!(bytes == whole);
    }
}
