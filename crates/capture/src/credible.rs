//! What a front end may say and send. All else is a fault of it, told in a sentence: no peer brings the
//! capture down, and none fills a recording with a gap that cannot be.

use echo_link::{BlockHead, Identity};
use std::collections::BTreeSet;
use std::time::{Duration, Instant};

/// Highest number of an input, most units together, longest name, highest rate.
const MOST_INPUTS: u16 = 1024;
/// Front ends that are counted through as one.
pub const MOST_UNITS: usize = 32;
const LONGEST_TEXT: usize = 200;
const FASTEST_HZ: f64 = 1e7;
/// Samples that may be missing at most between two blocks: those of this time, and of the time since the
/// last block at this pace (a stand-in may be faster than the clock).
const LAG: Duration = Duration::from_secs(60);
const PACE: f64 = 16.0;
/// Counts beyond these are none of a front end's.
const MOST_COUNTED: u64 = 1 << 60;
/// Blocks in a row with one number, and how long blocks may come that were there already.
const MOST_SAME: u32 = 200;
const MOST_AGAIN: Duration = Duration::from_secs(30);

/// Whether what a front end says of itself can be.
///
/// # Errors
/// The first that cannot, with what is allowed.
pub fn identity(told: &Identity) -> Result<(), String> {
    for (what, text) in [("model", &told.model), ("serial number", &told.serial), ("firmware", &told.firmware)] {
        if text.chars().count() > LONGEST_TEXT || text.chars().any(char::is_control) {
            return Err(format!("a {what} of {} characters; allowed: {LONGEST_TEXT} in a line", text.len()));
        }
    }
    let rate = |r: &f64| *r > 0.0 && *r <= FASTEST_HZ;
    if told.rates_hz.is_empty() || told.rates_hz.len() > 100 || !told.rates_hz.iter().all(rate) {
        return Err(format!("the sample rates {:?}; allowed: 1 to 100 above 0 up to {FASTEST_HZ} Hz", told.rates_hz));
    }
    if !(told.clean_share > 0.0 && told.clean_share <= 0.5) {
        return Err(format!("a clean share of {}; allowed: above 0 up to 0.5", told.clean_share));
    }
    if !(1..=32).contains(&told.converter_bits) {
        return Err(format!("converters of {} bits; allowed: 1 to 32", told.converter_bits));
    }
    if told.inputs.is_empty() || told.inputs.len() > usize::from(MOST_INPUTS) {
        return Err(format!("{} inputs; allowed: 1 to {MOST_INPUTS}", told.inputs.len()));
    }
    let mut numbers = BTreeSet::new();
    for i in &told.inputs {
        if !(1..=MOST_INPUTS).contains(&i.number) || !numbers.insert(i.number) {
            return Err(format!("an input {}; allowed: numbers from 1 to {MOST_INPUTS}, each once", i.number));
        }
        let some = |all: &[f64]| all.len() <= 100 && all.iter().all(|v| v.is_finite() && *v >= 0.0);
        if i.ranges_v.is_empty() || !some(&i.ranges_v) || i.ranges_v.contains(&0.0) {
            return Err(format!("ranges {:?} V of input {}; allowed: some above 0", i.ranges_v, i.number));
        }
        if !some(&i.high_pass_hz) || !some(&i.supplies_v) || i.couplings.is_empty() {
            return Err(format!("couplings, filters or supplies of input {} that cannot be", i.number));
        }
    }
    Ok(())
}

/// What is known of a stream of blocks.
#[derive(Debug)]
pub struct Stream {
    /// Inputs it was set to, in their order, and the rate.
    inputs: Vec<u16>,
    rate_hz: f64,
    /// The sample after the last block's, its sequence, and when it came.
    last: Option<(u64, u64, Instant)>,
    /// The sequence that came last, and how often in a row.
    same: (u64, u32),
}

impl Stream {
    /// A stream of these inputs.
    pub fn new(inputs: Vec<u16>, rate_hz: f64) -> Stream {
        Stream { inputs, rate_hz, last: None, same: (0, 0) }
    }

    /// Takes note of a block that came at a time.
    ///
    /// # Errors
    /// What of it cannot be.
    pub fn check(&mut self, head: &BlockHead, now: Instant) -> Result<(), String> {
        if head.inputs != self.inputs {
            let stranger = head.inputs.iter().find(|i| !self.inputs.contains(i));
            return Err(match stranger {
                Some(i) => format!("a block of input {i}, which it was not set to"),
                None => format!("a block of {} inputs; it was set to {}", head.inputs.len(), self.inputs.len()),
            });
        }
        let samples = u64::from(head.samples);
        if samples == 0 || samples as f64 > 10.0 * self.rate_hz.max(1.0) {
            return Err(format!("a block of {samples} samples; allowed: 1 to those of ten seconds"));
        }
        if head.sequence > MOST_COUNTED || head.first_sample > MOST_COUNTED || head.clock_ns > u64::MAX / 2 {
            return Err(format!(
                "block {} from sample {} on, which no clock has counted",
                head.sequence, head.first_sample
            ));
        }
        if let Some((next, sequence, at)) = self.last {
            let since = now.saturating_duration_since(at);
            if head.sequence <= sequence {
                let count = if self.same.0 == head.sequence { self.same.1 + 1 } else { 1 };
                self.same = (head.sequence, count);
                if count > MOST_SAME || since > MOST_AGAIN {
                    return Err(format!("block {} again and again: its sequence stands still", head.sequence));
                }
                // What is sent again after a loss counts from where it was.
                return Ok(());
            }
            let most = (LAG.as_secs_f64() + PACE * since.as_secs_f64()) * self.rate_hz;
            let missing = head.first_sample.saturating_sub(next);
            if head.first_sample < next {
                return Err(format!("sample {} after sample {next}: its count ran backwards", head.first_sample));
            }
            if missing as f64 > most || (head.sequence - sequence) as f64 > most {
                return Err(format!(
                    "a jump over {missing} samples and {} blocks in {:.1} s, more than it can have taken",
                    head.sequence - sequence - 1,
                    since.as_secs_f64()
                ));
            }
        }
        self.last = Some((head.first_sample + samples, head.sequence, now));
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use echo_link::{Circuit, Coupling, InputOffer};
    use proptest::prelude::*;

    fn offer(number: u16) -> InputOffer {
        InputOffer {
            number,
            module: "M1".into(),
            ranges_v: vec![1.0],
            couplings: vec![Coupling::Dc],
            high_pass_hz: vec![],
            supplies_v: vec![],
        }
    }

    fn told() -> Identity {
        Identity {
            model: "LT-24".into(),
            serial: "LT-0417".into(),
            firmware: "2.4".into(),
            rates_hz: vec![2048.0],
            clean_share: 0.4,
            converter_bits: 24,
            inputs: vec![offer(1), offer(2)],
            keeps_bytes: 0,
        }
    }

    fn head(sequence: u64, first_sample: u64) -> BlockHead {
        BlockHead {
            sequence,
            first_sample,
            clock_ns: 0,
            clock_locked: true,
            samples: 100,
            inputs: vec![1, 2],
            over: vec![false; 2],
            circuits: vec![Circuit::InOrder; 2],
        }
    }

    #[test]
    fn what_cannot_be_is_refused_in_a_sentence() {
        assert_eq!(identity(&told()), Ok(()));
        type Change = fn(&mut Identity);
        let changes: [(Change, &str); 8] = [
            (|i| i.inputs = (0..=u16::MAX).map(offer).collect(), "65536 inputs; allowed: 1 to 1024"),
            (|i| i.inputs[0].number = 0, "an input 0"),
            (|i| i.inputs[1].number = 1, "an input 1; allowed: numbers from 1 to 1024, each once"),
            (|i| i.inputs[0].ranges_v = vec![f64::NAN], "ranges"),
            (|i| i.rates_hz = vec![], "sample rates"),
            (|i| i.rates_hz = vec![0.0], "sample rates"),
            (|i| i.clean_share = f64::INFINITY, "clean share"),
            (|i| i.serial = "x".repeat(300), "serial number of 300"),
        ];
        for (change, says) in changes {
            let mut t = told();
            change(&mut t);
            assert!(identity(&t).unwrap_err().contains(says), "{says}: {:?}", identity(&t));
        }
    }

    #[test]
    fn a_stream_may_lose_blocks_but_not_leap() {
        let now = Instant::now();
        let stream = || {
            let mut s = Stream::new(vec![1, 2], 2048.0);
            s.check(&head(7, 700), now).unwrap();
            s
        };
        assert_eq!(stream().check(&head(8, 800), now), Ok(()));
        assert_eq!(stream().check(&head(40, 4000), now), Ok(()), "some are lost");
        let far = |s: u64, f: u64| stream().check(&head(s, f), now + Duration::from_secs(1)).unwrap_err();
        assert!(far(7 + (1 << 62), u64::MAX - 5).contains("no clock has counted"));
        assert!(far(8, 1 << 40).contains("a jump over"));
        assert!(far(1 << 40, 800).contains("a jump over"));
        assert!(far(8, 799).contains("ran backwards"));
        assert!(stream().check(&BlockHead { inputs: vec![], over: vec![], ..head(8, 800) }, now).is_err());
        let strange = BlockHead { inputs: vec![1, 9], ..head(8, 800) };
        assert!(stream().check(&strange, now).unwrap_err().contains("input 9, which it was not set to"));
        assert!(stream().check(&BlockHead { samples: 0, ..head(8, 800) }, now).is_err());
        let mut s = stream();
        let still = (0..600).find_map(|_| s.check(&head(7, 700), now).err()).unwrap();
        assert!(still.contains("stands still"), "{still}");
    }

    proptest! {
        #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::default() })]
        #[test]
        fn whatever_is_sent_nothing_overflows_and_what_is_believed_goes_on_in_order(
            heads in prop::collection::vec(
                (any::<u64>(), any::<u64>(), any::<u64>(), any::<u32>(), prop::collection::vec(any::<u16>(), 0..3), any::<bool>()), 1..20),
        ) {
            let now = Instant::now();
            let mut s = Stream::new(vec![1, 2], 51_200.0);
            let mut end = 0;
            for (sequence, first, clock_ns, samples, inputs, ours) in heads {
                let inputs = if ours { vec![1, 2] } else { inputs };
                // Some of them near to what is due, so that not all are refused.
                let (sequence, first) = if ours { (sequence % 64, end + first % 4096) } else { (sequence, first) };
                let over = vec![false; inputs.len()];
                let h = BlockHead { sequence, first_sample: first, clock_ns, clock_locked: true, samples: samples % 9000, circuits: vec![Circuit::InOrder; over.len()], inputs, over };
                let again = s.last.is_some_and(|l| sequence <= l.1);
                if s.check(&h, now).is_ok() && !again {
                    prop_assert!(first >= end && h.inputs == [1, 2] && h.samples > 0);
                    end = first + u64::from(h.samples);
                }
            }
        }
    }
}
