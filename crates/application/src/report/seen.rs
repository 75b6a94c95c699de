//! Pages that somebody looks at: each by what it shows, so that only what changed is sent again.

use crate::{Desk, Error, Result};
use echo_report::set::SetPage;
use std::collections::{HashMap, VecDeque};
use std::sync::{Arc, Mutex, PoisonError};

/// Letters of pages that are kept at hand at most: some hundred pages.
const MOST: usize = 96 << 20;

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
    pub(crate) fn hold(&self, pages: Vec<SetPage>) -> Vec<String> {
        let mut held = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        for SetPage { name, svg } in &pages {
            held.order.retain(|n| n != name);
            held.order.push_back(name.clone());
            if !held.pages.contains_key(name) {
                held.letters += svg.len();
                held.pages.insert(name.clone(), svg.clone());
            }
        }
        // A report is shown whole, however long it is.
        while held.letters > MOST && held.order.len() > pages.len() {
            let Some(page) = held.order.pop_front().and_then(|name| held.pages.remove(&name)) else { break };
            held.letters -= page.len();
        }
        pages.into_iter().map(|page| format!("/api/report-pages/{}.svg", page.name)).collect()
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
        let page = |name: &str, svg: &str| SetPage { name: name.into(), svg: svg.into() };
        let first = at_hand.hold(vec![page("a1", "<svg>1</svg>"), page("a2", "<svg>2</svg>")]);
        let then = at_hand.hold(vec![page("a1", "<svg>1</svg>"), page("a3", "<svg>3</svg>")]);
        assert_eq!(first[0], then[0]);
        assert_ne!(first[1], then[1]);
        let large = |name: &str| page(name, &"x".repeat(MOST / 3));
        at_hand.hold(vec![large("b1"), large("b2")]);
        let now = at_hand.hold(vec![large("c1"), large("c2")]);
        let held = at_hand.0.lock().unwrap();
        let there = |address: &String| held.pages.keys().any(|name| address.contains(name.as_str()));
        assert!(now.iter().all(there) && !then.iter().any(there));
        assert_eq!(held.letters, held.pages.values().map(|p| p.len()).sum::<usize>());
        assert_eq!(held.order.len(), held.pages.len());
    }
}
