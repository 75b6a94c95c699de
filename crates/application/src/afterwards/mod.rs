//! What is done by itself when a recording, a round, all rounds or a tap series ends, as the plan says.
//!
//! What ended stands in the database, and so does what is to be done: a server that was stopped goes on with it. The
//! work is done by jobs, on this machine or another one; the files are laid into the folder by this server.
//!
//! | file | what it holds |
//! | --- | --- |
//! | `ended` | what ended, and what is to be done then |
//! | `doing` | one thing after the other, each by a job |
//! | `placed` | a file in its folder, under a name that is free |
//! | [`list`] | where all of it stands; again, and stopped |

mod doing;
mod ended;
pub mod list;
mod placed;

use crate::App;
use std::time::Duration;

/// How often what ended, and what is being done, is looked at.
const LOOK: Duration = Duration::from_millis(500);
/// How long a database that is away is left alone.
const BREATH: Duration = Duration::from_secs(2);
/// In whose name it is done.
const WHO: &str = "Fleet Echo";

/// Does what is to be done by itself for as long as the server lives.
pub async fn tend(app: App) {
    let mut seen = ended::Seen::default();
    loop {
        let looked = async {
            ended::noticed(&app, &mut seen).await?;
            doing::step(&app).await
        };
        match looked.await {
            Ok(()) => tokio::time::sleep(LOOK).await,
            Err(e) => {
                tracing::warn!("what is done by itself: {e:?}");
                tokio::time::sleep(BREATH).await;
            }
        }
    }
}
