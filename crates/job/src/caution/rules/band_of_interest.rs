//! A frequency that matters above what the rate keeps clean.

use super::Rule;
use crate::caution::{Caution, Facts, found_in_plan};
use crate::entry::number::{plain, rounded};
use crate::plan::Plan;

pub(super) const RULE: Rule =
    Rule { name: "band_of_interest", looks_for: "a rate too low for the frequency that matters", look };

fn look(facts: &Facts) -> Vec<Caution> {
    let Some((plan, rig)) = facts.plan() else { return Vec::new() };
    let Some(hz) = plan.named_hz else { return Vec::new() };
    let clean_to = |p: &Plan| {
        let recorders = p.sums(rig, facts.clean_share(), None).recorders;
        recorders.iter().map(|r| r.clean_to_hz).fold(0.0, f64::max)
    };
    let most = clean_to(plan);
    if most >= hz {
        return Vec::new();
    }
    let text = |x: f64| plain(rounded(x, 5));
    let found = found_in_plan(
        RULE.name,
        None,
        format!("{} Hz lies above what is recorded clean, which ends at {} Hz", text(hz), text(most)),
        "Above it amplitudes are too small, and what lies higher still folds onto them.",
    );
    // A rate for all recorders, which keep every which sample as before; else one that keeps every sample.
    let at = |rate: &f64| Plan { sample_rate_hz: *rate, ..plan.clone() };
    let rate = facts.rates_hz().into_iter().find(|rate| clean_to(&at(rate)) >= hz);
    let mut whole = Plan { recorders: plan.recorders(), ..plan.clone() };
    whole.recorders[0].divide = 1;
    vec![if rate.is_none() && clean_to(&whole) >= hz {
        found.with_plan(format!("Let recorder {} keep every sample", whole.recorders[0].name), whole)
    } else {
        found.with_rate(rate, plan)
    }]
}

#[cfg(test)]
mod tests {
    use super::super::bench::{front_end, rig};
    use super::*;
    use crate::plan::RecorderPlan;

    #[test]
    fn the_slowest_rate_that_will_do_is_offered() {
        let (r, f) = (rig(2), front_end(2));
        let of =
            |sample_rate_hz: f64, named_hz: f64| Plan { sample_rate_hz, named_hz: Some(named_hz), ..Plan::default() };
        let seen = |p: &Plan| look(&Facts::of(&r).on(Some(&f)).planned(p, None));
        assert!(seen(&of(5120.0, 2048.0)).is_empty() && seen(&Plan::default()).is_empty());
        let found = seen(&of(5120.0, 3000.0));
        assert_eq!(found[0].says, "3000 Hz lies above what is recorded clean, which ends at 2048 Hz");
        assert_eq!(found[0].fix_plan.as_ref().unwrap().sample_rate_hz, 12_800.0);
        let beyond = seen(&of(51_200.0, 24_000.0));
        assert!(beyond.len() == 1 && beyond[0].fix_plan.is_none(), "no rate of this front end will do");
        // One recorder that keeps it is enough; of a slow one the rate cannot be the fix.
        let slow = RecorderPlan { divide: 8, ..RecorderPlan::whole() };
        let two = Plan {
            recorders: vec![slow.clone(), RecorderPlan { name: "B".into(), ..RecorderPlan::whole() }],
            ..of(51_200.0, 9000.0)
        };
        assert!(seen(&two).is_empty());
        let found = seen(&Plan { recorders: vec![slow], ..two });
        assert_eq!(found[0].fix_plan.as_ref().unwrap().recorders[0].divide, 1, "{found:?}");
        let slow = Plan { recorders: found[0].fix_plan.clone().unwrap().recorders, ..of(51_200.0, 24_000.0) };
        assert!(seen(&slow)[0].fix_plan.is_none(), "what would not be enough is not offered");
    }
}
