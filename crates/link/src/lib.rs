//! The open front-end link: messages and framing between Fleet Echo and acquisition hardware.
//!
//! `docs/front-end-link.md` describes the same for people who build a front end. Both sides open
//! with [`PREAMBLE`]; after that everything is a frame with a length, a kind and a checksum, so a
//! peer that speaks something else is refused instead of believed.

mod block;
mod frame;
mod message;

pub use block::{Block, BlockHead, Circuit, FULL_SCALE};
pub use frame::{FRAME_HEAD, Frame, FrameCodec, LARGEST_PAYLOAD};
pub use message::{
    Answer, AnswerBody, Coupling, Identity, InputOffer, InputSetting, InputTest, Memory, ModuleState, Notice,
    OutputState, Request, RequestBody, Settings, Stored, UnitState, Wave,
};

/// First bytes of each side: name and version of the link.
pub const PREAMBLE: [u8; 8] = *b"ECHOLNK\x01";

/// Service type under which front ends announce themselves by DNS-SD.
pub const SERVICE_TYPE: &str = "_echo-link._tcp.local.";

/// Port a front end listens on unless told otherwise.
pub const USUAL_PORT: u16 = 7460;

/// What is wrong with what a peer sent.
#[derive(Debug, thiserror::Error)]
pub enum LinkError {
    /// The peer opened with something else.
    #[error("the peer does not speak the front-end link, version 1")]
    NotALink,
    /// A frame's payload is longer than allowed.
    #[error("a frame of {0} bytes was announced; allowed: up to {LARGEST_PAYLOAD}")]
    TooLong(usize),
    /// The checksum does not fit.
    #[error("a frame arrived damaged (checksum)")]
    Damaged,
    /// The frame's kind or contents are not of this link.
    #[error("a frame could not be read: {0}")]
    Unreadable(String),
    /// The connection broke.
    #[error("the connection broke: {0}")]
    Io(#[from] std::io::Error),
}

/// Sends this side's preamble and checks the peer's.
///
/// # Errors
/// [`LinkError::NotALink`] when the peer opens differently, or the connection's own error.
pub async fn greet<S>(stream: &mut S) -> Result<(), LinkError>
where
    S: tokio::io::AsyncRead + tokio::io::AsyncWrite + Unpin,
{
    use tokio::io::{AsyncReadExt, AsyncWriteExt};
    stream.write_all(&PREAMBLE).await?;
    stream.flush().await?;
    let mut theirs = [0u8; 8];
    stream.read_exact(&mut theirs).await?;
    if theirs == PREAMBLE { Ok(()) } else { Err(LinkError::NotALink) }
}
