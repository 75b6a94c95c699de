//! Files that are sent to be brought in: taken piece by piece, kept in the database for any worker, and at hand here.

use crate::{Desk, Error, Result};
use echo_job::Refusal;
use echo_store::job::PIECE;
use echo_store::upload::Upload;
use serde::Serialize;
use sha2::{Digest, Sha256};
use std::collections::BTreeMap;
use std::io::Write;
use std::sync::{Arc, Mutex, PoisonError};
use tempfile::NamedTempFile;
use utoipa::ToSchema;

/// Files that are at hand at most.
const AT_HAND: usize = 8;
/// Bytes on the disk that are left free.
const KEPT_FREE: u64 = 1 << 30;

/// Files that were sent lately, as temporary files of this machine.
#[derive(Clone, Default)]
pub(crate) struct AtHand(Arc<Mutex<BTreeMap<i64, Arc<NamedTempFile>>>>);

impl AtHand {
    fn get(&self, id: i64) -> Option<Arc<NamedTempFile>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).get(&id).cloned()
    }

    fn keep(&self, id: i64, file: NamedTempFile) -> Arc<NamedTempFile> {
        let file = Arc::new(file);
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        all.insert(id, file.clone());
        while all.len() > AT_HAND {
            all.pop_first();
        }
        file
    }

    fn drop(&self, id: i64) {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).remove(&id);
    }
}

/// A file that was sent.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Sent {
    /// Its key.
    pub id: i64,
    /// Its name.
    pub file: String,
    /// Its bytes.
    pub bytes: i64,
    /// SHA-256 of them, hexadecimal.
    pub sha256: String,
}

impl From<Upload> for Sent {
    fn from(u: Upload) -> Sent {
        Sent { id: u.id, file: u.name, bytes: u.bytes, sha256: u.sha256 }
    }
}

/// The name of a file without its folders, and with nothing that a line cannot hold.
pub fn plain_name(name: &str) -> String {
    let last = name.rsplit(['/', '\\']).next().unwrap_or("");
    let plain: String = last.chars().filter(|c| !c.is_control()).take(200).collect();
    if plain.trim().is_empty() { "file".into() } else { plain.trim().into() }
}

/// A temporary file that ends as the sent one does, so that it is read as that.
fn temporary(name: &str) -> std::io::Result<NamedTempFile> {
    let ending: String =
        name.rsplit_once('.').map_or("", |(_, e)| e).chars().filter(char::is_ascii_alphanumeric).take(8).collect();
    tempfile::Builder::new().prefix("fleet-echo-").suffix(&format!(".{ending}")).tempfile()
}

/// Takes a file that is being sent; if it is not sent to its end, nothing of it stays.
pub struct Receiving {
    desk: Desk,
    id: i64,
    name: String,
    file: NamedTempFile,
    hash: Sha256,
    piece: Vec<u8>,
    pieces: i32,
    bytes: i64,
    whole: bool,
}

impl Receiving {
    /// Begins to take a file.
    ///
    /// # Errors
    /// The database is away.
    pub async fn begin(desk: &Desk, name: &str, who: &str) -> Result<Receiving> {
        let name = plain_name(name);
        let file = temporary(&name)?;
        let id = desk.store.begin_upload(&name, who).await?;
        let piece = Vec::with_capacity(PIECE);
        Ok(Receiving {
            desk: desk.clone(),
            id,
            name,
            file,
            hash: Sha256::new(),
            piece,
            pieces: 0,
            bytes: 0,
            whole: false,
        })
    }

    /// Takes bytes.
    ///
    /// # Errors
    /// There is no room, or the database is away.
    pub async fn push(&mut self, mut bytes: &[u8]) -> Result<()> {
        self.file.write_all(bytes)?;
        self.hash.update(bytes);
        self.bytes += bytes.len() as i64;
        while !bytes.is_empty() {
            let n = bytes.len().min(PIECE - self.piece.len());
            self.piece.extend_from_slice(&bytes[..n]);
            bytes = &bytes[n..];
            if self.piece.len() == PIECE {
                self.flush().await?;
            }
        }
        Ok(())
    }

    async fn flush(&mut self) -> Result<()> {
        if self.pieces % 64 == 0 && crate::free_space(self.file.path()).is_some_and(|free| free < KEPT_FREE) {
            return Err(Error::conflict("the disk is nearly full; make room before bringing this in"));
        }
        self.desk.store.write_upload(self.id, self.pieces, &self.piece).await?;
        self.pieces += 1;
        self.piece.clear();
        Ok(())
    }

    /// Ends the file.
    ///
    /// # Errors
    /// It is empty, or the database is away.
    pub async fn end(mut self) -> Result<Sent> {
        if self.bytes == 0 {
            return Err(Refusal::new("file", format!("{} is empty", self.name)).into());
        }
        if !self.piece.is_empty() {
            self.flush().await?;
        }
        self.file.flush()?;
        let sha256 = hex::encode(std::mem::take(&mut self.hash).finalize());
        self.desk.store.end_upload(self.id, self.bytes, &sha256).await?;
        self.whole = true;
        let (id, bytes, file) = (self.id, self.bytes, self.name.clone());
        let kept = std::mem::replace(&mut self.file, temporary("")?);
        self.desk.at_hand.keep(id, kept);
        Ok(Sent { id, file, bytes, sha256 })
    }
}

impl Drop for Receiving {
    fn drop(&mut self) {
        if !self.whole {
            let (store, id) = (self.desk.store.clone(), self.id);
            tokio::spawn(async move { store.drop_upload(id).await });
        }
    }
}

/// A file that was sent, on this machine: at hand, or fetched from the database.
///
/// # Errors
/// There is none of that key, there is no room, or the database is away.
pub(crate) async fn local(desk: &Desk, id: i64) -> Result<(Upload, Arc<NamedTempFile>)> {
    let upload = desk.store.upload(id).await?;
    if let Some(file) = desk.at_hand.get(id) {
        return Ok((upload, file));
    }
    let mut file = temporary(&upload.name)?;
    let mut piece = 0;
    while let Some(bytes) = desk.store.upload_piece(id, piece).await? {
        file.write_all(&bytes)?;
        piece += 1;
    }
    file.flush()?;
    Ok((upload, desk.at_hand.keep(id, file)))
}

/// Lets a file that was sent go.
///
/// # Errors
/// The database is away.
pub async fn forget(desk: &Desk, id: i64) -> Result<()> {
    desk.at_hand.drop(id);
    Ok(desk.store.drop_upload(id).await?)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_lose_their_folders_and_what_no_line_holds() {
        assert_eq!(plain_name("../../etc/run 3.wav"), "run 3.wav");
        assert_eq!(plain_name("C:\\data\\ramp\".csv"), "ramp\".csv");
        assert_eq!(plain_name("a\nb\u{7}.csv"), "ab.csv");
        assert_eq!(plain_name("/"), "file");
        assert_eq!(plain_name(&"x".repeat(500)).len(), 200);
    }

    #[test]
    fn a_temporary_file_ends_as_the_sent_one() {
        assert!(temporary("a.b.CSV").unwrap().path().to_string_lossy().ends_with(".CSV"));
        let odd = temporary("x.c/s;v").unwrap();
        assert!(odd.path().to_string_lossy().ends_with(".csv"), "{odd:?}");
    }
}
