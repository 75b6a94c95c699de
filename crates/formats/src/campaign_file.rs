//! The campaign file: a ZIP of JSON and raw counts, with the size and SHA-256 of every entry in `contents.json`.
//! What the entries mean stands in `docs/campaign-file.md`; here they are bytes under names.

use crate::FormatError;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use std::collections::BTreeMap;
use std::io::{Read, Seek, Write};
use zip::read::ZipArchive;
use zip::write::{SimpleFileOptions, ZipWriter};

/// What `contents.json` says the file is.
pub const FORMAT: &str = "fleet-echo campaign";
/// Version that is written; files of it and of earlier ones are read.
pub const VERSION: u32 = 1;
/// The entry that lists the others.
pub const CONTENTS: &str = "contents.json";

/// Most entries.
const MOST_ENTRIES: usize = 200_000;
/// Largest JSON entry, bytes.
const LARGEST_JSON: u64 = 256 << 20;
/// An archive may unpack to so many times its size, and to so much more.
const MOST_EXPANSION: u64 = 300;
const FREE_BYTES: u64 = 256 << 20;
/// Bytes that are read at once.
const PIECE: usize = 1 << 18;

/// Size and checksum of an entry.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
struct Sum {
    bytes: u64,
    sha256: String,
}

#[derive(Debug, Serialize, Deserialize)]
struct Contents {
    format: String,
    version: u32,
    written_by: String,
    entries: BTreeMap<String, Sum>,
}

fn wrong(says: impl Into<String>) -> FormatError {
    FormatError::not_that("the campaign file", says)
}

fn broken(e: impl std::fmt::Display) -> FormatError {
    wrong(format!("cannot be read: {e}"))
}

fn unwritten(e: impl std::fmt::Display) -> FormatError {
    wrong(format!("cannot be written: {e}"))
}

/// Writes a campaign file, entry after entry.
pub struct CampaignOut<W: Write + Seek> {
    zip: ZipWriter<W>,
    entries: BTreeMap<String, Sum>,
    open: Option<(String, Sha256, u64)>,
}

impl<W: Write + Seek> CampaignOut<W> {
    /// Begins a file.
    pub fn new(to: W) -> Self {
        CampaignOut { zip: ZipWriter::new(to), entries: BTreeMap::new(), open: None }
    }

    fn close(&mut self) {
        if let Some((name, hash, bytes)) = self.open.take() {
            self.entries.insert(name, Sum { bytes, sha256: hex::encode(hash.finalize()) });
        }
    }

    /// Begins an entry; what is written from now on belongs to it.
    ///
    /// # Errors
    /// There is no room.
    pub fn begin(&mut self, name: &str) -> Result<(), FormatError> {
        self.close();
        // Counts of vibration hardly pack better with more effort.
        let options = SimpleFileOptions::default()
            .compression_method(zip::CompressionMethod::Deflated)
            .compression_level(Some(1))
            .large_file(true);
        self.zip.start_file(name, options).map_err(unwritten)?;
        self.open = Some((name.to_string(), Sha256::new(), 0));
        Ok(())
    }

    /// Writes bytes of the entry that was begun last.
    ///
    /// # Errors
    /// There is no room.
    pub fn write(&mut self, bytes: &[u8]) -> Result<(), FormatError> {
        if let Some((_, hash, n)) = &mut self.open {
            hash.update(bytes);
            *n += bytes.len() as u64;
        }
        self.zip.write_all(bytes).map_err(unwritten)
    }

    /// Writes counts of the entry that was begun last, as 32-bit integers, little-endian.
    ///
    /// # Errors
    /// There is no room.
    pub fn counts(&mut self, counts: &[i32]) -> Result<(), FormatError> {
        let bytes: Vec<u8> = counts.iter().flat_map(|x| x.to_le_bytes()).collect();
        self.write(&bytes)
    }

    /// Writes a whole entry as JSON.
    ///
    /// # Errors
    /// There is no room.
    pub fn json(&mut self, name: &str, value: &impl Serialize) -> Result<(), FormatError> {
        self.begin(name)?;
        let text = serde_json::to_vec_pretty(value).map_err(unwritten)?;
        self.write(&text)
    }

    /// Writes the list of entries and ends the file.
    ///
    /// # Errors
    /// There is no room.
    pub fn finish(mut self) -> Result<W, FormatError> {
        self.close();
        let contents = Contents {
            format: FORMAT.into(),
            version: VERSION,
            written_by: concat!("Fleet Echo ", env!("CARGO_PKG_VERSION")).into(),
            entries: std::mem::take(&mut self.entries),
        };
        self.json(CONTENTS, &contents)?;
        self.zip.finish().map_err(unwritten)
    }
}

/// Reads a campaign file; every entry is held against its size and checksum.
pub struct CampaignIn<R: Read + Seek> {
    zip: ZipArchive<R>,
    contents: Contents,
}

impl<R: Read + Seek> CampaignIn<R> {
    /// Opens a file of `bytes` bytes.
    ///
    /// # Errors
    /// It is no ZIP, no campaign file, of a newer version, names entries that are not there or would leave their
    /// folder, or unpacks to more than a campaign can.
    pub fn open(from: R, bytes: u64) -> Result<Self, FormatError> {
        let mut zip = ZipArchive::new(from).map_err(|_| wrong("is no ZIP file, or is cut off"))?;
        if zip.len() > MOST_ENTRIES {
            return Err(wrong(format!("has {} entries; allowed: up to {MOST_ENTRIES}", zip.len())));
        }
        let text = limited(&mut zip, CONTENTS, LARGEST_JSON)
            .map_err(|_| wrong(format!("has no {CONTENTS}; it is a ZIP of something else")))?;
        let contents: Contents =
            serde_json::from_slice(&text).map_err(|e| wrong(format!("has a {CONTENTS} that cannot be read: {e}")))?;
        if contents.format != FORMAT {
            return Err(wrong(format!("says that it is “{}”; allowed: {FORMAT}", contents.format)));
        }
        if contents.version > VERSION {
            let says = format!("is of version {}; this program reads up to version {VERSION}", contents.version);
            return Err(wrong(says));
        }
        let mut total = 0u64;
        for (name, sum) in &contents.entries {
            let plain = name.split('/').all(|part| !part.is_empty() && part != "." && part != "..");
            if !plain || name.contains('\\') || name.chars().any(char::is_control) {
                return Err(wrong(format!("names an entry “{name}”, which would lie outside its folder")));
            }
            if zip.index_for_name(name).is_none() {
                return Err(wrong(format!("lacks the entry {name}")));
            }
            total = total.saturating_add(sum.bytes);
        }
        if total > bytes.saturating_mul(MOST_EXPANSION).saturating_add(FREE_BYTES) {
            let says = format!("would unpack {bytes} bytes to {total}; no campaign packs as well as that");
            return Err(wrong(says));
        }
        Ok(CampaignIn { zip, contents })
    }

    /// Names of the entries, in their order.
    pub fn names(&self) -> Vec<String> {
        self.contents.entries.keys().cloned().collect()
    }

    /// Bytes of all entries, unpacked.
    pub fn bytes(&self) -> u64 {
        self.contents.entries.values().map(|s| s.bytes).sum()
    }

    /// Reads an entry as JSON.
    ///
    /// # Errors
    /// It is not there, too large, damaged, or not what is expected.
    pub fn json<T: DeserializeOwned>(&mut self, name: &str) -> Result<T, FormatError> {
        let text = self.bytes_of(name, LARGEST_JSON)?;
        serde_json::from_slice(&text).map_err(|e| wrong(format!("has {name} that cannot be read: {e}")))
    }

    /// Reads a whole entry of up to `most` bytes.
    ///
    /// # Errors
    /// It is not there, too large, or damaged.
    pub fn bytes_of(&mut self, name: &str, most: u64) -> Result<Vec<u8>, FormatError> {
        if self.contents.entries.get(name).is_some_and(|s| s.bytes > most) {
            return Err(wrong(format!("has {name} with more than {most} bytes")));
        }
        let mut bytes = Vec::new();
        self.each(name, |piece| {
            bytes.extend_from_slice(piece);
            Ok::<(), FormatError>(())
        })?;
        Ok(bytes)
    }

    /// Gives the bytes of an entry piece by piece; all but the last are whole multiples of four bytes.
    ///
    /// # Errors
    /// It is not there, its size or checksum is not what the list says, or what the sink says.
    pub fn each<E: From<FormatError>>(
        &mut self,
        name: &str,
        mut sink: impl FnMut(&[u8]) -> Result<(), E>,
    ) -> Result<(), E> {
        let sum = self.contents.entries.get(name).cloned();
        let sum = sum.ok_or_else(|| wrong(format!("lacks the entry {name}")))?;
        let mut entry = self.zip.by_name(name).map_err(broken)?;
        let (mut hash, mut read, mut piece) = (Sha256::new(), 0u64, vec![0u8; PIECE]);
        loop {
            let n = filled(&mut entry, &mut piece).map_err(|e| wrong(format!("has a damaged {name}: {e}")))?;
            read += n as u64;
            if read > sum.bytes {
                return Err(wrong(format!("has {name} with more than the {} bytes it should have", sum.bytes)).into());
            }
            if n == 0 {
                break;
            }
            hash.update(&piece[..n]);
            sink(&piece[..n])?;
        }
        if read != sum.bytes || hex::encode(hash.finalize()) != sum.sha256 {
            return Err(wrong(format!("has a damaged {name}: its checksum is not the one that was written")).into());
        }
        Ok(())
    }
}

/// Reads until the buffer is full or the end is there.
fn filled(from: &mut impl Read, to: &mut [u8]) -> std::io::Result<usize> {
    let mut n = 0;
    while n < to.len() {
        match from.read(&mut to[n..])? {
            0 => break,
            more => n += more,
        }
    }
    Ok(n)
}

/// A whole entry, up to so many bytes.
fn limited<R: Read + Seek>(zip: &mut ZipArchive<R>, name: &str, most: u64) -> Result<Vec<u8>, FormatError> {
    let entry = zip.by_name(name).map_err(broken)?;
    let mut out = Vec::new();
    entry.take(most + 1).read_to_end(&mut out).map_err(broken)?;
    if out.len() as u64 > most {
        return Err(wrong(format!("has {name} with more than {most} bytes")));
    }
    Ok(out)
}
