//! A seal: an Ed25519 signature over a PDF that stands in the PDF itself, so that any later change shows.
//!
//! Among the document's keywords stands `fleet-echo-seal-ed25519 KEY SIGNATURE`, both in hex. What is signed are all bytes
//! of the file with zeros in place of the signature's digits, so that nothing lies outside the seal.

use crate::ReportError;
use ed25519_dalek::{Signature, Signer, SigningKey, VerifyingKey};

/// What a seal begins with.
const MARK: &str = "fleet-echo-seal-ed25519 ";
/// Hex digits of a key and of a signature.
const KEY: usize = 64;
const SIGNATURE: usize = 128;

/// The laboratory's key.
pub struct SealKey(SigningKey);

/// Whether a PDF is as it was sealed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Sealed {
    /// It has no seal.
    Not,
    /// It was changed since, or the seal is another's.
    Broken {
        /// The key it names, in hex.
        key: String,
    },
    /// It is as it was sealed.
    Whole {
        /// The key it was sealed with, in hex.
        key: String,
    },
}

impl SealKey {
    /// From its 32 secret bytes.
    pub fn new(secret: &[u8; 32]) -> SealKey {
        SealKey(SigningKey::from_bytes(secret))
    }

    /// The key that everybody may know, in hex: seals are checked with it.
    pub fn public(&self) -> String {
        hex::encode(self.0.verifying_key().as_bytes())
    }

    /// What stands among the keywords until the file is signed.
    pub(crate) fn place(&self) -> String {
        format!("{MARK}{} {}", self.public(), "0".repeat(SIGNATURE))
    }

    /// Signs a file that has this key's place among its keywords.
    ///
    /// # Errors
    /// It has none.
    pub(crate) fn seal(&self, mut pdf: Vec<u8>) -> Result<Vec<u8>, ReportError> {
        let place = self.place();
        let all = places(&pdf, place.as_bytes());
        if all.is_empty() {
            return Err(ReportError("the file has no place for its seal".into()));
        }
        let signature = hex::encode(self.0.sign(&pdf).to_bytes());
        for at in all {
            let from = at + place.len() - SIGNATURE;
            pdf[from..from + SIGNATURE].copy_from_slice(signature.as_bytes());
        }
        Ok(pdf)
    }
}

/// Where some bytes stand in others.
fn places(all: &[u8], wanted: &[u8]) -> Vec<usize> {
    let first = |from: usize| all[from..].windows(wanted.len()).position(|w| w == wanted).map(|k| from + k);
    std::iter::successors(first(0), |at| first(at + wanted.len())).collect()
}

/// Whether a PDF is as it was sealed.
pub fn sealed(pdf: &[u8]) -> Sealed {
    let Some(at) = places(pdf, MARK.as_bytes()).first().copied() else { return Sealed::Not };
    let whole = MARK.len() + KEY + 1 + SIGNATURE;
    let Some(own) = pdf.get(at..at + whole) else { return Sealed::Not };
    let (key, signature) = (&own[MARK.len()..MARK.len() + KEY], &own[MARK.len() + KEY + 1..]);
    let told = String::from_utf8_lossy(key).into_owned();
    let mut plain = pdf.to_vec();
    for at in places(pdf, own) {
        plain[at + whole - SIGNATURE..at + whole].fill(b'0');
    }
    let holds = || {
        let mut key_bytes = [0; KEY / 2];
        let mut signature_bytes = [0; SIGNATURE / 2];
        hex::decode_to_slice(key, &mut key_bytes).ok()?;
        hex::decode_to_slice(signature, &mut signature_bytes).ok()?;
        let key = VerifyingKey::from_bytes(&key_bytes).ok()?;
        key.verify_strict(&plain, &Signature::from_bytes(&signature_bytes)).ok()
    };
    if holds().is_some() { Sealed::Whole { key: told } } else { Sealed::Broken { key: told } }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn file(key: &SealKey) -> Vec<u8> {
        format!("%PDF-1.7 /Keywords ({0}) <pdf:Keywords>{0}</pdf:Keywords> level 4.2 m/s²", key.place()).into_bytes()
    }

    #[test]
    fn any_byte_that_changes_breaks_the_seal() {
        let key = SealKey::new(&[7; 32]);
        let sealed_file = key.seal(file(&key)).unwrap();
        assert_eq!(sealed(&sealed_file), Sealed::Whole { key: key.public() });
        for at in 0..sealed_file.len() {
            let mut other = sealed_file.clone();
            other[at] ^= 1;
            assert!(!matches!(sealed(&other), Sealed::Whole { .. }), "byte {at} of {}", sealed_file.len());
        }
        let mut longer = sealed_file.clone();
        longer.extend(b"more");
        assert_eq!(sealed(&longer), Sealed::Broken { key: key.public() });
        assert_eq!(sealed(b"%PDF-1.7"), Sealed::Not);
        assert_eq!(sealed(&sealed_file[..60]), Sealed::Not, "cut off within the seal");
    }

    #[test]
    fn another_key_makes_another_seal() {
        let (own, other) = (SealKey::new(&[7; 32]), SealKey::new(&[8; 32]));
        assert_ne!(own.public(), other.public());
        assert!(own.seal(file(&other)).is_err(), "no place for this key");
        // Somebody else's signature under the laboratory's name does not hold.
        let theirs = String::from_utf8(other.seal(file(&other)).unwrap()).unwrap();
        let forged = theirs.replace(&other.public(), &own.public());
        assert_eq!(sealed(forged.as_bytes()), Sealed::Broken { key: own.public() });
    }
}
