//! Impact testing: lists that count on, what a hit was worth, a test from the first point to the last.

use echo_job::impact::{
    Flaw, HitHeard, HitLimits, HitState, HitVerdict, ImpactPlan, ImpactSession, PointDirection, PointState, Roving,
    judge, point_list,
};
use proptest::prelude::*;

const RATE: f64 = 10_240.0;

fn point(name: &str) -> PointDirection {
    PointDirection { point: name.into(), direction: "+Z".into() }
}

/// Half sines of 2 ms: when each begins in s, how high it is in N.
fn force(hits: &[(f64, f64)]) -> Vec<f64> {
    let mut out = vec![0.0; 2048];
    for (from_s, peak) in hits {
        for k in 0..21 {
            let at = (from_s * RATE).round() as usize + k;
            out[at] += peak * (std::f64::consts::PI * k as f64 / 20.0).sin();
        }
    }
    out
}

#[test]
fn a_hit_is_judged_by_force_repeats_and_range() {
    let calm = vec![0.5; 2048];
    let limits = HitLimits { least_n: Some(50.0), most_n: Some(400.0), ..HitLimits::default() };
    let of = |f: &[f64], a: &[f64]| judge((f, 500.0), &[(a, 10.0)], RATE, &limits).unwrap();
    let good = of(&force(&[(0.02, 200.0)]), &calm);
    assert!(good.is_good() && (good.peak_n - 200.0).abs() < 1e-9, "{good:?}");
    assert!((good.peak_s - 0.021).abs() < 1e-3, "half a pulse after its beginning: {}", good.peak_s);
    let pulled = of(&force(&[(0.02, -200.0)]), &calm);
    assert!(pulled.is_good() && pulled.peak_n < 0.0, "a hammer that is wired the other way round hits as well");
    let twice = of(&force(&[(0.02, 200.0), (0.04, 30.0)]), &calm);
    let [Flaw::DoubleHit { after_s, share }] = twice.flaws[..] else { panic!("{twice:?}") };
    assert!((after_s - 0.02).abs() < 2e-4 && (share - 0.15).abs() < 1e-6, "{after_s} {share}");
    assert!(of(&force(&[(0.02, 200.0), (0.04, 15.0)]), &calm).is_good(), "a twelfth is no second hit");
    assert_eq!(of(&force(&[(0.02, 30.0)]), &calm).flaws, [Flaw::Weak { least_n: 50.0 }]);
    assert_eq!(of(&force(&[(0.02, 450.0)]), &calm).flaws, [Flaw::Strong { most_n: 400.0 }]);
    let hard = of(&force(&[(0.02, 600.0)]), &calm);
    assert!(matches!(hard.flaws[..], [Flaw::Overload { channel: 0, samples: 1.. }, Flaw::Strong { .. }]), "{hard:?}");
    let mut loud = calm.clone();
    loud[700..703].fill(-9.9);
    assert_eq!(of(&force(&[(0.02, 200.0)]), &loud).flaws, [Flaw::Overload { channel: 1, samples: 3 }]);
    loud[9] = f64::NAN;
    let missing = of(&force(&[(0.02, 200.0)]), &loud);
    assert!(missing.flaws == [Flaw::Missing] && missing.peak_n.is_nan());
    assert!(of(&vec![0.0; 2048], &calm).flaws == [Flaw::Weak { least_n: 50.0 }], "silence is a weak hit");
}

#[test]
fn limits_that_cannot_be_are_refused_by_name() {
    let refused = |change: &dyn Fn(&mut HitLimits)| {
        let mut limits = HitLimits::default();
        change(&mut limits);
        let refusal = limits.check().unwrap_err();
        (refusal.field, refusal.says)
    };
    let field = |change: &dyn Fn(&mut HitLimits)| refused(change).0;
    assert_eq!(field(&|l| l.least_n = Some(0.0)), "least_n");
    assert_eq!(field(&|l| l.most_n = Some(f64::INFINITY)), "most_n");
    assert!(refused(&|l| (l.least_n, l.most_n) = (Some(9.0), Some(8.0))).1.contains("more than the least force"));
    assert_eq!(field(&|l| l.double_share = 1.5), "double_share");
    assert_eq!(field(&|l| l.over_share = f64::NAN), "over_share");
    assert_eq!(field(&|l| l.apart_s = -1.0), "apart_s");
    assert!(judge((&[], 1.0), &[], RATE, &HitLimits::default()).unwrap_err().says.contains("no samples"));
    assert!(judge((&[1.0], 0.0), &[], RATE, &HitLimits::default()).is_err(), "a range of nothing");
}

#[test]
fn a_list_of_points_counts_on() {
    let names = |first: &str, count, step| -> Vec<String> {
        point_list(&point(first), count, step).unwrap().into_iter().map(|p| p.point).collect()
    };
    assert_eq!(names("mast 08, port", 4, 2), ["mast 08, port", "mast 10, port", "mast 12, port", "mast 14, port"]);
    assert_eq!(names("A3", 3, -1), ["A3", "A2", "A1"]);
    assert_eq!(names("bracket", 3, 1), ["bracket", "bracket 2", "bracket 3"]);
    assert_eq!(names("β9é", 2, 1), ["β9é", "β10é"]);
    assert_eq!(names("7", 2, 100), ["7", "107"]);
    assert!(point_list(&point("A3"), 5, -1).unwrap_err().says.contains("leaves whole numbers from 0 at point 5"));
    for (count, step, word) in [(0, 1, "1 to 2000"), (2001, 1, "1 to 2000"), (2, 0, "other than 0")] {
        assert!(point_list(&point("A3"), count, step).unwrap_err().says.contains(word));
    }
    assert!(point_list(&point("A99999999999999999999"), 2, 1).is_err(), "a number beyond all numbers");
}

fn plan(points: usize, hits: u32, by_itself: bool) -> ImpactPlan {
    let points = point_list(&point("1"), points, 1).unwrap();
    ImpactPlan { roving: Roving::Hammer, points, hits, limits: HitLimits::default(), by_itself }
}

fn verdict(good: bool) -> HitVerdict {
    let flaws = if good { Vec::new() } else { vec![Flaw::DoubleHit { after_s: 0.02, share: 0.3 }] };
    HitVerdict { peak_n: 150.0, peak_s: 0.02, flaws }
}

#[test]
fn a_test_goes_from_the_first_point_to_the_last() {
    let mut s = ImpactSession::new(plan(3, 2, false)).unwrap();
    assert_eq!(s.hit(1, verdict(true)).unwrap(), HitHeard::Good);
    assert_eq!(s.state_of(0), PointState::Open, "nobody has accepted it yet");
    assert_eq!(s.accept().unwrap(), HitHeard::Good);
    assert_eq!(s.state_of(0), PointState::Begun);
    // A bad one is heard as such, and is rejected by the next hit.
    assert_eq!(s.hit(2, verdict(false)).unwrap(), HitHeard::Bad);
    assert_eq!(s.hit(3, verdict(true)).unwrap(), HitHeard::Good);
    assert_eq!(s.hits()[1].state, HitState::Rejected);
    assert_eq!(s.accept().unwrap(), HitHeard::PointDone);
    assert_eq!((s.at(), s.takes_of(0)), (1, vec![1, 3]));
    // A good one that nobody spoke of is accepted by the next.
    s.hit(4, verdict(true)).unwrap();
    s.hit(5, verdict(true)).unwrap();
    assert_eq!((s.takes_of(1), s.accept().unwrap(), s.at()), (vec![4], HitHeard::PointDone, 2));
    // The engineer looks again at the last one and takes it back: its point is hit once more.
    assert_eq!(s.reject().unwrap(), HitHeard::Bad);
    assert_eq!((s.at(), s.state_of(1), s.done()), (1, PointState::Begun, 1));
    s.hit(6, verdict(true)).unwrap();
    assert_eq!((s.accept().unwrap(), s.at()), (HitHeard::PointDone, 2));
    s.hit(7, verdict(true)).unwrap();
    s.hit(8, verdict(true)).unwrap();
    assert_eq!((s.accept().unwrap(), s.done()), (HitHeard::AllDone, 3));
    // One point made anew leaves the others as they are, and the test ends with it again.
    s.repeat(0).unwrap();
    assert_eq!((s.at(), s.state_of(0), s.done()), (0, PointState::Open, 2));
    assert_eq!(s.hits()[0].state, HitState::Replaced);
    s.hit(9, verdict(true)).unwrap();
    s.hit(10, verdict(true)).unwrap();
    assert_eq!((s.accept().unwrap(), s.takes_of(0), s.takes_of(1)), (HitHeard::AllDone, vec![9, 10], vec![4, 6]));
}

#[test]
fn a_bad_hit_can_be_taken_after_all() {
    let mut s = ImpactSession::new(plan(2, 1, true)).unwrap();
    assert_eq!(s.hit(1, verdict(false)).unwrap(), HitHeard::Bad);
    assert_eq!((s.at(), s.state_of(0)), (0, PointState::Open));
    assert_eq!((s.accept().unwrap(), s.at(), s.takes_of(0)), (HitHeard::PointDone, 1, vec![1]));
    assert_eq!((s.hit(2, verdict(true)).unwrap(), s.done()), (HitHeard::AllDone, 2), "by itself");
}

#[test]
fn what_cannot_be_is_said() {
    let mut s = ImpactSession::new(plan(2, 1, false)).unwrap();
    assert!(s.accept().unwrap_err().says.contains("hit first") && s.reject().unwrap_err().says.contains("hit first"));
    s.hit(1, verdict(true)).unwrap();
    assert!(s.hit(1, verdict(true)).unwrap_err().says.contains("take 1 was told already"));
    assert_eq!(s.hits().len(), 1);
    assert!(s.go_to(2).unwrap_err().says.contains("allowed: 1 to 2") && s.repeat(9).is_err());
    s.go_to(1).unwrap();
    assert_eq!(s.accept().unwrap(), HitHeard::PointDone, "it was of the first point");
    assert_eq!((s.takes_of(0), s.takes_of(1)), (vec![1], vec![]));
    let refused = |change: &dyn Fn(&mut ImpactPlan)| {
        let mut p = plan(3, 2, false);
        change(&mut p);
        ImpactSession::new(p).unwrap_err().says
    };
    assert!(refused(&|p| p.points.clear()).contains("0 points"));
    assert!(refused(&|p| p.points[1].point = " ".into()).contains("point 2 has no name"));
    assert!(refused(&|p| p.points[2] = p.points[0].clone()).contains("“1 +Z” stands in the list twice"));
    assert!(refused(&|p| p.hits = 0).contains("1 to 100"));
    assert!(refused(&|p| p.limits.apart_s = 9.0).contains("0 to 1 s"));
    let kept: ImpactPlan = serde_json::from_value(serde_json::to_value(plan(2, 3, true)).unwrap()).unwrap();
    assert_eq!(kept, plan(2, 3, true));
}

proptest! {
    /// Whatever is pressed in whatever order: every take belongs to one point, counts at most once, and the
    /// test never says it is done while something is missing.
    #[test]
    fn no_order_of_keys_loses_a_hit(keys in proptest::collection::vec((0u8..6, any::<bool>()), 0..120), by_itself in any::<bool>()) {
        let mut s = ImpactSession::new(plan(4, 2, by_itself)).unwrap();
        let mut take = 0;
        for (key, good) in keys {
            let heard = match key {
                0..=2 => {
                    take += 1;
                    Some(s.hit(take, verdict(good)).unwrap())
                }
                3 => s.accept().ok(),
                4 => s.reject().ok(),
                _ => {
                    s.repeat(usize::from(take as u8 % 4)).unwrap();
                    None
                }
            };
            prop_assert_eq!(s.hits().len(), take as usize);
            let counted: usize = (0..4).map(|p| s.takes_of(p).len()).sum();
            let accepted = s.hits().iter().filter(|h| h.state == HitState::Accepted).count();
            prop_assert_eq!(counted, accepted);
            prop_assert!(s.at() < 4);
            if heard == Some(HitHeard::AllDone) {
                prop_assert_eq!(s.done(), 4);
            }
            prop_assert!(s.hits().iter().filter(|h| h.state == HitState::Waiting).count() <= 1);
        }
    }
}
