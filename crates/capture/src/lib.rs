//! From the link to the store: connection, live view, recording.
//!
//! ```text
//! front end ──link──▶ engine ──▶ live ring and levels ──▶ displays
//!                        └─────▶ recorder ──▶ packer ──▶ writer ──▶ PostgreSQL
//! ```
//!
//! The engine is one task that owns the connection and the state; everybody else holds a
//! [`Capture`] handle. Samples that the database cannot take at once are held in memory up to a
//! stated bound and written when it returns.

mod credible;
pub mod discover;
mod engine;
mod lane;
mod link_client;
mod live;
mod recorder;
mod session;
mod state;
mod system;
mod unit;
mod whole_takes;

pub use engine::handle::{Capture, CaptureError, DeviceSetup, Lent, Options, OrderTo, Room, Setup};
pub use live::{InputLevel, Live};
pub use state::{CaptureState, Ended, LinkState, OutputStatus, Progress, RecorderProgress, Status, UnitStatus};
pub use whole_takes::WholeTake;
