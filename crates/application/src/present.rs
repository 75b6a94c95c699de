//! Who has a page open, and which campaign is on it.

use serde::Serialize;
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, PoisonError};
use utoipa::ToSchema;

/// Somebody who has a page open.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct PresentBody {
    /// The name.
    pub who: String,
    /// The campaign that is on the page; none on the shelf.
    pub campaign: Option<i64>,
}

#[derive(Debug, Default)]
struct Pages {
    next: u64,
    open: BTreeMap<u64, PresentBody>,
}

/// All open pages.
#[derive(Debug, Clone, Default)]
pub struct Present(Arc<Mutex<Pages>>);

/// An open page, until it is dropped.
#[derive(Debug)]
pub struct Page {
    all: Present,
    key: u64,
}

impl Present {
    fn with<T>(&self, what: impl FnOnce(&mut Pages) -> T) -> T {
        what(&mut self.0.lock().unwrap_or_else(PoisonError::into_inner))
    }

    /// Somebody opens a page.
    pub fn open(&self, who: &str) -> Page {
        let key = self.with(|p| {
            p.next += 1;
            p.open.insert(p.next, PresentBody { who: who.into(), campaign: None });
            p.next
        });
        Page { all: self.clone(), key }
    }

    /// Everybody who has a page open, each once a campaign, by name.
    pub fn list(&self) -> Vec<PresentBody> {
        let mut all: Vec<PresentBody> = self.with(|p| p.open.values().cloned().collect());
        all.sort_by(|a, b| (&a.who, a.campaign).cmp(&(&b.who, b.campaign)));
        all.dedup();
        all
    }
}

impl Page {
    /// Says which campaign is on the page.
    pub fn shows(&self, campaign: Option<i64>) {
        self.all.with(|p| {
            if let Some(page) = p.open.get_mut(&self.key) {
                page.campaign = campaign;
            }
        });
    }
}

impl Drop for Page {
    fn drop(&mut self) {
        self.all.with(|p| p.open.remove(&self.key));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pages_are_told_while_they_are_open() {
        let present = Present::default();
        let (ines, again, tam) = (present.open("Ines"), present.open("Ines"), present.open("Tam"));
        tam.shows(Some(3));
        let told = |p: &Present| p.list().into_iter().map(|b| (b.who, b.campaign)).collect::<Vec<_>>();
        assert_eq!(told(&present), [("Ines".into(), None), ("Tam".into(), Some(3))]);
        drop((ines, tam));
        assert_eq!(told(&present), [("Ines".into(), None)]);
        drop(again);
        assert!(present.list().is_empty());
    }
}
