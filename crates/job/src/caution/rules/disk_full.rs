//! A plan the disk does not hold.

use super::Rule;
use crate::caution::{Caution, Facts, found_in_plan};
use crate::plan::{Length, Plan, Rounds};

pub(super) const RULE: Rule = Rule { name: "disk_full", looks_for: "a plan the disk does not hold", look };

/// Share of the free space a shortened take fills.
const SAFE: f64 = 0.9;

fn gigabytes(bytes: f64) -> String {
    format!("{:.1} GB", bytes / 1e9)
}

fn look(facts: &Facts) -> Vec<Caution> {
    let (Some((plan, rig)), Some(free)) = (facts.plan(), facts.free_bytes()) else { return Vec::new() };
    let sums = plan.sums(rig, facts.clean_share(), Some(free));
    let free = free as f64;
    let over = |bytes: Option<f64>| bytes.filter(|b| *b > free);
    let grave = |c: Caution| Caution { grave: true, ..c };
    let mut all = Vec::new();
    if let Some(bytes) = over(sums.size_bytes) {
        let why = format!("It takes about {}, and {} are free.", gigabytes(bytes), gigabytes(free));
        let found = grave(found_in_plan(RULE.name, None, "The disk is full before the last take ends".into(), why));
        all.push(match plan.length {
            Length::After { duration_s } => {
                let short = (duration_s * SAFE * free / bytes).floor();
                let plan = Plan { length: Length::After { duration_s: short }, ..plan.clone() };
                if short >= 1.0 { found.with_plan(format!("Shorten a take to {short} s"), plan) } else { found }
            }
            Length::WhenStopped => found,
        });
    }
    if let Some(bytes) = over(sums.rounds_bytes) {
        let why = format!("They take about {}, and {} are free.", gigabytes(bytes), gigabytes(free));
        let found = grave(found_in_plan(RULE.name, None, "The disk is full before the last round".into(), why));
        let fits = plan.rounds.as_ref().map(|r| {
            let each = bytes / f64::from(r.keep_newest.unwrap_or(r.count).min(r.count));
            (r, (SAFE * free / each) as u32)
        });
        all.push(match fits {
            Some((r, n)) if n >= 1 => {
                let rounds = Some(Rounds { keep_newest: Some(n), ..r.clone() });
                found.with_plan(format!("Keep the newest {n} waveforms"), Plan { rounds, ..plan.clone() })
            }
            _ => found,
        });
    }
    all
}

#[cfg(test)]
mod tests {
    use super::super::bench::rig;
    use super::*;

    #[test]
    fn what_is_planned_must_fit() {
        let r = rig(4);
        let length = |duration_s| Plan { length: Length::After { duration_s }, ..Plan::default() };
        // 4 channels at 51.2 kHz are 0.43 MB a second.
        let seen = |p: &Plan, free: u64| look(&Facts::of(&r).planned(p, Some(free)));
        assert!(seen(&length(1000.0), 1_000_000_000).is_empty());
        let found = seen(&length(10_000.0), 1_000_000_000);
        assert!(found[0].grave && found[0].why.contains("4.3 GB, and 1.0 GB are free"), "{}", found[0].why);
        let mended = found[0].fix_plan.clone().unwrap();
        assert!(seen(&mended, 1_000_000_000).is_empty(), "{mended:?}");
        assert!(seen(&length(10_000.0), 100_000)[0].fix_plan.is_none(), "not even a second fits");
        let mut plan = Plan::default();
        let rounds = r#"{"every_s": 600, "length_s": 60, "count": 100}"#;
        plan.rounds = Some(serde_json::from_str(rounds).unwrap());
        let found = seen(&plan, 1_000_000_000);
        assert!(found[0].says.contains("last round"), "{found:?}");
        assert!(seen(found[0].fix_plan.as_ref().unwrap(), 1_000_000_000).is_empty());
        assert!(look(&Facts::of(&r).planned(&plan, None)).is_empty(), "unknown room is no finding");
    }
}
