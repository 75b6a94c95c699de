//! Pictures of this moment that were drawn for a page, so that others that wish the same get them too.

use super::held::Held;
use super::wish::PaneShown;
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};

/// A picture of this moment; none where there is nothing to draw.
type Made = Option<Vec<u8>>;

/// Pictures by their wish, of one number of blocks.
#[derive(Clone, Default)]
pub(crate) struct Drawn {
    pictures: Arc<Mutex<(u64, HashMap<PaneShown, Made>)>>,
    /// Largest values of what is held.
    pub(super) held: Held,
}

impl Drawn {
    /// The picture of a wish after so many blocks: drawn before, or now.
    pub(super) fn or_draw(&self, blocks: u64, wish: &PaneShown, draw: impl FnOnce() -> Made) -> Made {
        let known = || self.pictures.lock().unwrap_or_else(PoisonError::into_inner);
        {
            let mut held = known();
            if held.0 != blocks {
                *held = (blocks, HashMap::new());
            }
            if let Some(made) = held.1.get(wish) {
                return made.clone();
            }
        }
        // Two pages may draw the same at once; neither waits for the other's longest picture.
        let made = draw();
        let mut held = known();
        if held.0 == blocks {
            held.1.insert(wish.clone(), made.clone());
        }
        made
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pictures::wish::Picture;
    use std::cell::Cell;

    #[test]
    fn what_two_pages_wish_is_drawn_once_a_block() {
        let (drawn, times) = (Drawn::default(), Cell::new(0));
        let wish = |seconds| PaneShown { pane: 1, of: Picture::Numbers { inputs: vec![7], seconds } };
        let ask = |blocks, seconds| {
            drawn.or_draw(blocks, &wish(seconds), || {
                times.set(times.get() + 1);
                Some(vec![times.get()])
            })
        };
        assert_eq!((ask(5, 1.0), ask(5, 1.0)), (Some(vec![1]), Some(vec![1])));
        assert_eq!(ask(5, 2.0), Some(vec![2]), "another wish");
        assert_eq!(ask(6, 1.0), Some(vec![3]), "the next block");
    }
}
