//! What this machine's processors and memory are used for.

use procfs::process::{Process, Stat, all_processes};
use std::collections::BTreeMap;

/// Processor time of a process, s.
fn seconds(s: &Stat) -> f64 {
    (s.utime + s.stime) as f64 / procfs::ticks_per_second() as f64
}

fn own() -> Option<Stat> {
    Process::myself().and_then(|p| p.stat()).ok()
}

/// Processor time of this process, s; 0 where it cannot be told.
pub fn own_s() -> f64 {
    own().map_or(0.0, |s| seconds(&s))
}

/// Resident memory of this process, MB; not a number where it cannot be told.
pub fn resident_mb() -> f64 {
    own().map_or(f64::NAN, |s| s.rss as f64 * procfs::page_size() as f64 / 1_048_576.0)
}

/// Processor time of programs of these names, s; what cannot be told is left out.
pub fn seconds_of(programs: &[&str]) -> BTreeMap<String, f64> {
    let mut all = BTreeMap::new();
    for stat in all_processes().into_iter().flatten().filter_map(|p| p.and_then(|p| p.stat()).ok()) {
        if programs.contains(&stat.comm.as_str()) {
            *all.entry(stat.comm.clone()).or_insert(0.0) += seconds(&stat);
        }
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn work_is_seen_as_processor_time_and_memory() {
        let before = own_s();
        let mut work = vec![1.0f64; 4 << 20];
        while own_s() < before + 0.05 {
            work.iter_mut().for_each(|w| *w = w.sqrt() + 1.0);
        }
        assert!(resident_mb() > 32.0, "{} MB with 32 MB in use ({})", resident_mb(), work[7]);
        let name = own().map(|s| s.comm).unwrap_or_default();
        assert!(seconds_of(&[&name])[&name] >= before);
        assert!(seconds_of(&["no such program"]).is_empty());
    }
}
