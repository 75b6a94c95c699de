//! Which samples are looked at: a stretch of time, and takes inside it.

use crate::Refusal;
use crate::analysis::source::SourceInfo;
use crate::recipe::Stretch;

/// First sample of a stretch, and the one after its last.
///
/// # Errors
/// It lies outside of the input.
pub(super) fn stretch(asked: Option<Stretch>, info: &SourceInfo) -> Result<(u64, u64), Refusal> {
    let length_s = info.samples as f64 / info.sample_rate_hz;
    let Some(s) = asked else {
        return Ok((0, info.samples));
    };
    let from = (s.from_s * info.sample_rate_hz).round() as u64;
    let to = ((s.to_s * info.sample_rate_hz).round() as u64).min(info.samples);
    if from >= to {
        return Err(Refusal::new(
            "stretch",
            format!("stretch is {} to {} s; the input reaches from 0 to {length_s} s", s.from_s, s.to_s),
        ));
    }
    Ok((from, to))
}

/// What lies between takes inside a stretch: from one sample to another. Nothing where no takes are named.
pub(super) fn between(
    wanted: Option<&[u32]>,
    info: &SourceInfo,
    (from, to): (u64, u64),
) -> Result<Vec<(u64, u64)>, Refusal> {
    let Some(wanted) = wanted else { return Ok(Vec::new()) };
    let known = |n: &&u32| !info.takes.iter().any(|t| t.number == **n);
    if let Some(n) = wanted.iter().find(known) {
        let there = info.takes.last().map_or("no takes".to_string(), |t| format!("takes up to {}", t.number));
        return Err(Refusal::new("takes", format!("takes names {n}; the input has {there}")));
    }
    let taken = info.takes.iter().filter(|t| wanted.contains(&t.number));
    let mut inside: Vec<(u64, u64)> =
        taken.map(|t| (t.from.max(from), (t.from + t.samples).min(to))).filter(|(a, b)| a < b).collect();
    if inside.is_empty() {
        return Err(Refusal::new("takes", "none of the named takes lies in the stretch; allowed: takes that do"));
    }
    inside.sort_unstable();
    let (mut at, mut out) = (from, Vec::new());
    for (a, b) in inside {
        if a > at {
            out.push((at, a));
        }
        at = at.max(b);
    }
    if at < to {
        out.push((at, to));
    }
    Ok(out)
}
