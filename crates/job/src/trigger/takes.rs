//! Which samples a trigger keeps: from before it to its end, as often as it comes.

use super::detector::Fired;

/// One take: the samples kept for one trigger.
#[derive(Debug, Clone, PartialEq)]
pub struct Take {
    /// Number, from 1.
    pub number: u32,
    /// Sample of the trigger.
    pub trigger: u64,
    /// First sample kept.
    pub from: u64,
    /// Sample after the last; none while nobody has stopped it.
    pub to: Option<u64>,
    /// What brought it about.
    pub says: String,
}

/// Turns triggers into takes. Every trigger gets its whole length: takes may overlap.
#[derive(Debug, Clone)]
pub struct Takes {
    pre: u64,
    length: Option<u64>,
    hold_off: u64,
    most: Option<u32>,
    made: u32,
    last: Option<u64>,
    /// Triggers that came in another's hold-off.
    pub held_off: u64,
}

impl Takes {
    /// `pre` samples before and `length` after each trigger, none closer than `hold_off`.
    pub fn new(pre: u64, length: Option<u64>, hold_off: u64, most: Option<u32>) -> Takes {
        Takes { pre, length, hold_off, most, made: 0, last: None, held_off: 0 }
    }

    /// The take of a trigger, unless it is held off or there are enough. Samples before `oldest`
    /// are no longer there.
    pub fn fired(&mut self, fired: &Fired, oldest: u64) -> Option<Take> {
        if self.full() {
            return None;
        }
        if self.last.is_some_and(|l| fired.sample < l.saturating_add(self.hold_off)) {
            self.held_off += 1;
            return None;
        }
        self.last = Some(fired.sample);
        self.made += 1;
        Some(Take {
            number: self.made,
            trigger: fired.sample,
            from: fired.sample.saturating_sub(self.pre).max(oldest),
            to: self.length.map(|n| fired.sample.saturating_add(n)),
            says: fired.says.clone(),
        })
    }

    /// Takes made so far.
    pub fn made(&self) -> u32 {
        self.made
    }

    /// Whether all takes are made.
    pub fn full(&self) -> bool {
        self.most.is_some_and(|m| self.made >= m) || (self.length.is_none() && self.made > 0)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn at(sample: u64) -> Fired {
        Fired { sample, condition: 0, says: String::new() }
    }

    #[test]
    fn every_edge_gets_its_whole_take() {
        let mut takes = Takes::new(10, Some(100), 0, Some(3));
        let got: Vec<Take> = [5, 50, 60, 70].iter().filter_map(|s| takes.fired(&at(*s), 0)).collect();
        let spans: Vec<_> = got.iter().map(|t| (t.number, t.from, t.to)).collect();
        assert_eq!(spans, [(1, 0, Some(105)), (2, 40, Some(150)), (3, 50, Some(160))], "the fourth is too many");
        assert!(takes.full());
    }

    #[test]
    fn hold_off_counts_what_it_passes_over() {
        let mut takes = Takes::new(0, Some(10), 20, None);
        let made: Vec<u64> =
            [0, 5, 19, 20, 39, 41].iter().filter_map(|s| takes.fired(&at(*s), 0)).map(|t| t.trigger).collect();
        assert_eq!((made, takes.held_off), (vec![0, 20, 41], 3));
        let mut open = Takes::new(5, None, 0, None);
        assert!(open.fired(&at(7), 4).is_some_and(|t| t.from == 4 && t.to.is_none()));
        assert!(open.fired(&at(9), 0).is_none(), "an open take takes all that comes");
    }
}
