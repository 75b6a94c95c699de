//! Pages that somebody looks at: each by what it shows, so that only what changed is sent again.

use crate::{Desk, Error, Result};
use sha2::{Digest, Sha256};
use std::collections::{HashMap, VecDeque};
use std::sync::{Arc, Mutex, PoisonError};

/// Letters of pages that are kept at hand at most: some hundred pages.
const MOST: usize = 96 << 20;
/// Digits of a page's name.
const DIGITS: usize = 32;

#[derive(Default)]
struct Held {
    pages: HashMap<String, Arc<str>>,
    /// Names, the one that was set longest ago first.
    order: VecDeque<String>,
    letters: usize,
}

/// Pages that were set lately; cheap to clone.
#[derive(Clone, Default)]
pub(crate) struct PagesAtHand(Arc<Mutex<Held>>);

impl PagesAtHand {
    /// Keeps the pages of a report; gives where each of them is.
    pub(crate) fn hold(&self, pages: Vec<String>) -> Vec<String> {
        let named: Vec<(String, String)> =
            pages.into_iter().map(|page| (hex::encode(Sha256::digest(&page))[..DIGITS].to_string(), page)).collect();
        let mut held = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        for (name, page) in &named {
            held.order.retain(|n| n != name);
            held.order.push_back(name.clone());
            if !held.pages.contains_key(name) {
                held.letters += page.len();
                held.pages.insert(name.clone(), page.as_str().into());
            }
        }
        // A report is shown whole, however long it is.
        while held.letters > MOST && held.order.len() > named.len() {
            let Some(page) = held.order.pop_front().and_then(|name| held.pages.remove(&name)) else { break };
            held.letters -= page.len();
        }
        named.into_iter().map(|(name, _)| format!("/api/report-pages/{name}.svg")).collect()
    }
}

/// A page that was set lately, as SVG.
///
/// # Errors
/// It is not at hand any more: the report has to be set again.
pub fn page(desk: &Desk, name: &str) -> Result<Arc<str>> {
    let held = desk.pages.0.lock().unwrap_or_else(PoisonError::into_inner);
    held.pages
        .get(name.trim_end_matches(".svg"))
        .cloned()
        .ok_or_else(|| Error::missing("this page; set the report again"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_page_is_where_it_was_until_it_changes_and_old_ones_make_room() {
        let at_hand = PagesAtHand::default();
        let first = at_hand.hold(vec!["<svg>1</svg>".into(), "<svg>2</svg>".into()]);
        let then = at_hand.hold(vec!["<svg>1</svg>".into(), "<svg>3</svg>".into()]);
        assert_eq!(first[0], then[0]);
        assert_ne!(first[1], then[1]);
        let large = |c: char| c.to_string().repeat(MOST / 3);
        at_hand.hold(vec![large('a'), large('b')]);
        let now = at_hand.hold(vec![large('c'), large('d')]);
        let held = at_hand.0.lock().unwrap();
        let there = |address: &String| held.pages.keys().any(|name| address.contains(name.as_str()));
        assert!(now.iter().all(there) && !then.iter().any(there));
        assert_eq!(held.letters, held.pages.values().map(|p| p.len()).sum::<usize>());
        assert_eq!(held.order.len(), held.pages.len());
    }
}
