//! What changes in the database, for all who show it.

use crate::App;
use echo_store::news::Changed;
use std::collections::BTreeSet;
use std::time::Duration;
use tokio::sync::broadcast;

/// How many changes wait for a listener that is slow; beyond, it is told that anything may have changed.
const WAITING: usize = 256;
/// How long a database that is away is left alone.
const BREATH: Duration = Duration::from_secs(1);

/// Passes changes on to whoever listens.
#[derive(Debug, Clone)]
pub struct News(broadcast::Sender<Changed>);

impl Default for News {
    fn default() -> News {
        News(broadcast::channel(WAITING).0)
    }
}

/// What changed since it was read last.
#[derive(Debug)]
pub struct Heard(broadcast::Receiver<Changed>);

/// Name in place of a table's where anything may have changed.
pub const ANYTHING: &str = "*";

impl News {
    /// Listens from now on.
    pub fn listen(&self) -> Heard {
        Heard(self.0.subscribe())
    }
}

impl Heard {
    /// Names of all tables that changed since the last time, or [`ANYTHING`].
    pub fn read(&mut self) -> BTreeSet<String> {
        use broadcast::error::TryRecvError;
        let mut all = BTreeSet::new();
        loop {
            match self.0.try_recv() {
                Ok(Changed::Table(name)) => all.insert(name),
                Ok(Changed::Anything) | Err(TryRecvError::Lagged(_)) => all.insert(ANYTHING.to_string()),
                Err(TryRecvError::Empty | TryRecvError::Closed) => return all,
            };
        }
    }
}

/// Listens to the database for as long as the server runs.
pub async fn pass_on(app: App) {
    loop {
        if let Ok(mut news) = app.store.news().await {
            // What changed while nobody listened is not known.
            let mut told = Ok(Changed::Anything);
            while let Ok(changed) = told {
                // Nobody may listen.
                let _ = app.news.0.send(changed);
                told = news.next().await;
            }
        }
        tokio::time::sleep(BREATH).await;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn changes_are_gathered_and_too_many_are_anything() {
        let news = News::default();
        let mut heard = news.listen();
        assert!(heard.read().is_empty());
        for table in ["run", "take", "run"] {
            let _ = news.0.send(Changed::Table(table.into()));
        }
        assert_eq!(heard.read().into_iter().collect::<Vec<_>>(), ["run", "take"]);
        for _ in 0..2 * WAITING {
            let _ = news.0.send(Changed::Table("take".into()));
        }
        assert!(heard.read().contains(ANYTHING), "what was missed");
        assert!(heard.read().is_empty());
    }
}
