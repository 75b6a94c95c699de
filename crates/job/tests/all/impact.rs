//! Impact testing: lists that count on, what a hit was worth, a test from the first point to the last.

use echo_job::analysis::Provenance;
use echo_job::analysis::words::Shown;
use echo_job::dof::Dof;
use echo_job::impact::{
    Accepting, Act, AdviceRule, Flaw, HitHeard, HitLimits, HitSamples, HitState, HitVerdict, ImpactPlan, ImpactSession,
    Kept, PointDirection, PointState, Quality, Roving, advice, functions, hit_picture, judge, point_list, quality,
    unheard,
};
use echo_job::plan::Plan;
use echo_job::rig::{Channel, Rig};
use echo_job::sensitivity::Sensitivity;
use echo_job::unit::Quantity;
use proptest::prelude::*;
use std::collections::BTreeSet;
use std::f64::consts::PI;

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
    assert!(missing.flaws == [Flaw::Missing]);
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

fn plan(points: usize, hits: u32, accept: Accepting) -> ImpactPlan {
    ImpactPlan {
        roving: Roving::Hammer,
        force: 1,
        moving: Vec::new(),
        points: point_list(&point("1"), points, 1).unwrap(),
        hits,
        limits: HitLimits::default(),
        accept,
        level_n: 20.0,
        pre_s: 0.01,
        length_s: 0.4,
        band_hz: [10.0, 200.0],
        least_coherence: 0.9,
        estimator: Default::default(),
        force_window: None,
        exponential_window: None,
    }
}

fn verdict(good: bool) -> HitVerdict {
    let flaws = if good { Vec::new() } else { vec![Flaw::DoubleHit { after_s: 0.02, share: 0.3 }] };
    HitVerdict { peak_n: 150.0, peak_s: 0.02, excited_to_hz: 900.0, answer: 1.0, flaws, ..HitVerdict::default() }
}

fn takes(s: &ImpactSession, point: usize) -> Vec<u32> {
    s.counting(point).map(|h| h.take).collect()
}

#[test]
fn a_series_goes_from_the_first_point_to_the_last_by_keys() {
    let mut s = ImpactSession::new(plan(3, 2, Accepting::Key)).unwrap();
    assert_eq!(s.hit(7, 1, verdict(true)).unwrap(), HitHeard::Good);
    assert_eq!(s.state_of(0), PointState::Open, "nobody has accepted it yet");
    assert_eq!(s.act(Act::Accept).unwrap(), HitHeard::Good);
    assert_eq!(s.state_of(0), PointState::Begun);
    // A bad one is heard as such, and is rejected by the next hit.
    assert_eq!(s.hit(7, 2, verdict(false)).unwrap(), HitHeard::Bad);
    assert_eq!(s.hit(7, 3, verdict(true)).unwrap(), HitHeard::Good);
    assert_eq!(s.hits()[1].state, HitState::Rejected);
    assert_eq!(s.act(Act::Accept).unwrap(), HitHeard::PointDone);
    assert_eq!((s.at(), takes(&s, 0)), (1, vec![1, 3]));
    // A good one that nobody spoke of is accepted by the next.
    s.hit(7, 4, verdict(true)).unwrap();
    s.hit(7, 5, verdict(true)).unwrap();
    assert_eq!((takes(&s, 1), s.act(Act::Accept).unwrap(), s.at()), (vec![4], HitHeard::PointDone, 2));
    // The engineer looks again at the last one and takes it back: its point is hit once more.
    assert_eq!(s.act(Act::TakeBack).unwrap(), HitHeard::Bad);
    assert_eq!((s.at(), s.state_of(1), s.done()), (1, PointState::Begun, 1));
    s.hit(7, 6, verdict(true)).unwrap();
    assert_eq!((s.act(Act::Accept).unwrap(), s.at()), (HitHeard::PointDone, 2));
    // The server was started again: the next run counts its takes from 1.
    let (at, skipped, hits) = (s.at(), s.skipped().clone(), s.hits().to_vec());
    let mut s = ImpactSession::resumed(s.plan().clone(), at, skipped, hits).unwrap();
    s.hit(8, 1, verdict(true)).unwrap();
    s.hit(8, 2, verdict(true)).unwrap();
    assert_eq!((s.act(Act::Accept).unwrap(), s.done()), (HitHeard::AllDone, 3));
    // One point made anew leaves the others as they are, and the series ends with it again.
    s.act(Act::Repeat { point: 0 }).unwrap();
    assert_eq!((s.at(), s.state_of(0), s.done()), (0, PointState::Open, 2));
    assert_eq!(s.hits()[0].state, HitState::Replaced);
    s.hit(8, 3, verdict(true)).unwrap();
    s.hit(8, 4, verdict(true)).unwrap();
    assert_eq!((s.act(Act::Accept).unwrap(), takes(&s, 0), takes(&s, 1)), (HitHeard::AllDone, vec![3, 4], vec![4, 6]));
}

#[test]
fn the_next_hit_accepts_the_one_before_and_opens_the_next_point() {
    let mut s = ImpactSession::new(plan(2, 2, Accepting::NextHit)).unwrap();
    assert_eq!((s.hit(1, 1, verdict(true)).unwrap(), s.upcoming()), (HitHeard::Good, 0));
    assert_eq!((s.hit(1, 2, verdict(true)).unwrap(), s.at(), s.upcoming()), (HitHeard::PointDone, 0, 1));
    // Taken back before the next hit: the point is still short of one.
    assert_eq!((s.act(Act::TakeBack).unwrap(), s.upcoming()), (HitHeard::Bad, 0));
    assert_eq!(s.hit(1, 3, verdict(true)).unwrap(), HitHeard::PointDone);
    // The hammer has gone on.
    assert_eq!((s.hit(1, 4, verdict(true)).unwrap(), s.at()), (HitHeard::Good, 1));
    assert_eq!((takes(&s, 0), s.state_of(0)), (vec![1, 3], PointState::Done));
    // There is no hit after the last one that could accept it.
    assert_eq!((s.hit(1, 5, verdict(true)).unwrap(), s.done()), (HitHeard::AllDone, 2));
}

#[test]
fn a_point_is_left_out_and_taken_up_again() {
    let mut s = ImpactSession::new(plan(3, 1, Accepting::Itself)).unwrap();
    s.act(Act::Skip).unwrap();
    assert_eq!((s.at(), s.state_of(0)), (1, PointState::Skipped));
    s.hit(1, 1, verdict(true)).unwrap();
    assert_eq!(s.hit(1, 2, verdict(true)).unwrap(), HitHeard::AllDone, "nothing else is open");
    s.act(Act::GoTo { point: 0 }).unwrap();
    s.hit(1, 3, verdict(true)).unwrap();
    assert_eq!((s.state_of(0), s.done()), (PointState::Done, 3));
}

#[test]
fn a_bad_hit_can_be_taken_after_all() {
    let mut s = ImpactSession::new(plan(2, 1, Accepting::Itself)).unwrap();
    assert_eq!(s.hit(1, 1, verdict(false)).unwrap(), HitHeard::Bad);
    assert_eq!((s.at(), s.state_of(0)), (0, PointState::Open));
    assert_eq!((s.act(Act::Accept).unwrap(), s.at(), takes(&s, 0)), (HitHeard::PointDone, 1, vec![1]));
    assert_eq!((s.hit(1, 2, verdict(true)).unwrap(), s.done()), (HitHeard::AllDone, 2), "by itself");
    // Days later somebody looks at the first hit again.
    s.act(Act::Decide { hit: 0, counts: false }).unwrap();
    assert_eq!((s.state_of(0), s.done(), takes(&s, 1)), (PointState::Open, 1, vec![2]));
    s.act(Act::Decide { hit: 0, counts: true }).unwrap();
    assert_eq!(s.done(), 2);
    assert!(s.act(Act::Decide { hit: 2, counts: true }).unwrap_err().says.contains("no hit 3"));
}

#[test]
fn a_hit_at_a_slant_is_told_by_the_answer_to_it() {
    let mut s = ImpactSession::new(plan(1, 5, Accepting::Itself)).unwrap();
    let answers = |answer| HitVerdict { answer, ..verdict(true) };
    for (take, answer) in [(1, 1.0), (2, 1.04)] {
        assert_eq!(s.hit(1, take, answers(answer)).unwrap(), HitHeard::Good);
    }
    assert_eq!(s.hit(1, 3, answers(0.79)).unwrap(), HitHeard::Bad);
    let [Flaw::Unlike { share }] = s.hits()[2].verdict.flaws[..] else { panic!("{:?}", s.hits()[2]) };
    assert!((share - 0.79 / 1.02).abs() < 1e-9);
    assert_eq!(s.hit(1, 4, answers(1.09)).unwrap(), HitHeard::Good, "it was not counted among what is usual");
}

#[test]
fn what_cannot_be_is_said() {
    let mut s = ImpactSession::new(plan(2, 1, Accepting::Key)).unwrap();
    for act in [Act::Accept, Act::TakeBack] {
        assert!(s.act(act).unwrap_err().says.contains("hit first"));
    }
    s.hit(1, 1, verdict(true)).unwrap();
    assert!(s.hit(1, 1, verdict(true)).unwrap_err().says.contains("take 1 was told already"));
    assert_eq!(s.hits().len(), 1);
    assert!(s.act(Act::GoTo { point: 2 }).unwrap_err().says.contains("allowed: 1 to 2"));
    assert!(s.act(Act::Repeat { point: 9 }).is_err());
    // Who goes to another point was content with a good hit.
    s.act(Act::GoTo { point: 1 }).unwrap();
    assert_eq!((takes(&s, 0), takes(&s, 1), s.at()), (vec![1], vec![], 1));
    let refused = |change: &dyn Fn(&mut ImpactPlan)| {
        let mut p = plan(3, 2, Accepting::Key);
        change(&mut p);
        ImpactSession::new(p).unwrap_err().says
    };
    assert!(refused(&|p| p.points.clear()).contains("0 points"));
    assert!(refused(&|p| p.points[1].point = " ".into()).contains("point 2 has no name"));
    assert!(refused(&|p| p.points[2] = p.points[0].clone()).contains("“1 +Z” stands in the list twice"));
    assert!(refused(&|p| p.hits = 0).contains("1 to 100"));
    assert!(refused(&|p| p.limits.apart_s = 9.0).contains("0 to 1 s"));
    assert!(refused(&|p| p.length_s = 0.0).contains("length of a take"));
    assert!(refused(&|p| p.pre_s = 0.5).contains("cannot keep 0.5 s"));
    assert!(refused(&|p| p.band_hz = [200.0, 10.0]).contains("the lower first"));
    assert!(refused(&|p| p.moving = vec![2]).contains("the hammer goes from point to point"));
    assert!(refused(&|p| p.roving = Roving::Response).contains("choose the sensor"));
    assert!(refused(&|p| (p.roving, p.moving) = (Roving::Response, vec![1])).contains("is the hammer's"));
    // A list that grows shorter keeps what was hit.
    let mut short = plan(2, 1, Accepting::Key);
    short.points.truncate(1);
    let mut hit = ImpactSession::new(plan(2, 1, Accepting::Itself)).unwrap();
    hit.act(Act::GoTo { point: 1 }).unwrap();
    hit.hit(1, 1, verdict(true)).unwrap();
    let says = ImpactSession::resumed(short, 0, BTreeSet::new(), hit.hits().to_vec()).unwrap_err().says;
    assert!(says.contains("point 2 has hits"), "{says}");
    let kept: ImpactPlan = serde_json::from_value(serde_json::to_value(plan(2, 3, Accepting::Key)).unwrap()).unwrap();
    assert_eq!(kept, plan(2, 3, Accepting::Key));
}

/// A hammer on input 1 at 14 −z, a sensor that goes on 2, one that stays at 14 z on 5.
fn rig() -> Rig {
    let channel = |input, name: &str, force: bool, at: (&str, &str)| Channel {
        on: true,
        name: name.into(),
        quantity: if force { Quantity::Force } else { Quantity::Acceleration },
        unit: if force { "N" } else { "m/s²" }.into(),
        sensitivity: if force {
            Sensitivity::new(2.0, "mV/N", Quantity::Force).unwrap()
        } else {
            Sensitivity::new(10.0, "mV/(m/s²)", Quantity::Acceleration).unwrap()
        },
        point: at.0.into(),
        direction: at.1.into(),
        ..Channel::free(input)
    };
    let channels = vec![
        channel(1, "hammer", true, ("14", "-z")),
        channel(2, "moving", false, ("1", "z")),
        channel(5, "stays", false, ("14", "z")),
    ];
    Rig { name: "bracket".into(), channels }
}

fn moving() -> ImpactPlan {
    ImpactPlan { roving: Roving::Response, moving: vec![2], ..plan(3, 2, Accepting::Itself) }
}

#[test]
fn sensors_without_a_sound_circuit_are_told_the_hammer_first() {
    let told = |circuits: &[(u16, &str)]| -> Vec<String> {
        unheard(&moving(), &rig(), circuits).into_iter().map(|a| a.says).collect()
    };
    assert!(told(&[]).is_empty() && told(&[(9, "open")]).is_empty(), "an input that has no part in it");
    let both = told(&[(2, "shorted"), (1, "open")]);
    assert!(both[0].starts_with("hammer: its circuit is open, so no hit is heard"), "{both:?}");
    assert!(both[1].starts_with("moving: its circuit is shorted, so hits do not count"), "{both:?}");
    let flaw = Flaw::Unheard { channel: 1 };
    assert_eq!(flaw.says(&["hammer", "moving"]), "the circuit of moving was open or shorted");
}

#[test]
fn a_series_is_held_against_the_rig() {
    let campaign = Plan { sample_rate_hz: 1024.0, ..Plan::default() };
    let says = |plan: ImpactPlan, change: &dyn Fn(&mut Rig)| {
        let mut rig = rig();
        change(&mut rig);
        plan.check_with(&rig, &campaign).map_or_else(|e| e.says, |()| "good".into())
    };
    assert_eq!(says(moving(), &|_| ()), "good");
    assert_eq!(says(plan(3, 2, Accepting::Key), &|_| ()), "good");
    assert!(says(ImpactPlan { force: 2, moving: vec![5], ..moving() }, &|_| ()).contains("a hammer measures force"));
    assert!(says(moving(), &|r| r.channels[0].on = false).contains("input 1 is not on"));
    assert!(says(moving(), &|r| r.channels[0].point.clear()).contains("where the hammer hits"));
    assert!(says(moving(), &|r| r.channels[2].point.clear()).contains("stays has no point"));
    assert!(says(ImpactPlan { moving: vec![9], ..moving() }, &|_| ()).contains("input 9 is not on"));
    assert!(says(ImpactPlan { band_hz: [10.0, 600.0], ..moving() }, &|_| ()).contains("nothing above 512 Hz"));
    let of = |p: &ImpactPlan, input: usize| p.dof(&rig().channels[input], &p.points[1]).unwrap().to_string();
    assert_eq!((of(&moving(), 0), of(&moving(), 1), of(&moving(), 2)), ("14 −z".into(), "2 Z".into(), "14 z".into()));
    assert_eq!(of(&plan(3, 2, Accepting::Key), 0), "2 Z", "the hammer goes");
    let capture = moving().capture(&rig(), &campaign);
    assert_eq!((capture.samples(), moving().block(1024.0)), (Some(399), 409));
    assert!((capture.start.hold_off_s - 0.39).abs() < 1e-12 && capture.start.takes.is_none());
}

/// A body of 2 kg on a spring, 60 Hz and 2 %, hit with some N; noise on its answer.
fn ringing(newtons: f64, noise: f64, seed: u32) -> HitSamples {
    let (rate, n) = (1024.0, 409);
    let (omega, zeta): (f64, f64) = (2.0 * PI * 60.0, 0.02);
    let mut force = vec![0.0; n];
    (0..4).for_each(|k| force[10 + k] = newtons * (PI * (k as f64 + 1.0) / 5.0).sin());
    let mut state = seed;
    let mut random = || {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        f64::from(state) / f64::from(u32::MAX) - 0.5
    };
    // Its answer is the sum of what each sample of force left ringing, as velocity.
    let damped = omega * (1.0 - zeta * zeta).sqrt();
    let velocity: Vec<f64> = (0..n)
        .map(|t| {
            (0..=t)
                .map(|k| {
                    let s = (t - k) as f64 / rate;
                    force[k] / rate / 2.0 * (-zeta * omega * s).exp() * (damped * s).cos()
                })
                .sum::<f64>()
                + noise * random()
        })
        .collect();
    HitSamples { responses: vec![velocity.clone(), velocity], force }
}

fn provenance() -> Provenance {
    Provenance { at: "2031-03-04T10:00:00Z".into(), input: "series 1".into(), fingerprint: None }
}

#[test]
fn hits_become_responses_of_their_point() {
    let (all, rig) = ([ringing(100.0, 1e-4, 1), ringing(180.0, 1e-4, 2), ringing(140.0, 1e-4, 3)], rig());
    let hits: Vec<&HitSamples> = all.iter().collect();
    let made = functions(&moving(), &rig, (1, 1024.0), &hits, provenance()).unwrap();
    let names: Vec<(String, Shown)> =
        made.traces.iter().map(|t| (t.dof.as_ref().unwrap().to_string(), t.quantity)).collect();
    let [own, stays] = ["2 Z".to_string(), "14 z".into()];
    let kinds = [Shown::Response, Shown::Coherence];
    assert_eq!(names, [(own.clone(), kinds[0]), (own, kinds[1]), (stays.clone(), kinds[0]), (stays, kinds[1])]);
    assert_eq!((made.averages, made.traces[0].unit.as_str()), (Some(3), "(m/s²)/N"));
    assert!(made.traces.iter().all(|t| t.reference_dof.as_ref().unwrap().to_string() == "14 −z"));
    let hz = &made.axes[0].values;
    let q = quality((hz, &made.traces[0], Some(&made.traces[1])), [20.0, 200.0], 3);
    assert!((q.peak_hz - 60.0).abs() < 0.6, "{q:?}");
    assert!(q.coherence.unwrap() > 0.99 && q.random_error.unwrap() < 0.02, "{q:?}");
    let one = functions(&moving(), &rig, (1, 1024.0), &hits[..1], provenance()).unwrap();
    assert_eq!(quality((hz, &one.traces[0], Some(&one.traces[1])), [20.0, 200.0], 1).coherence, None);
    let noisy: Vec<HitSamples> = (0..3).map(|k| ringing(100.0, 0.05, k)).collect();
    let made = functions(&moving(), &rig, (1, 1024.0), &noisy.iter().collect::<Vec<_>>(), provenance()).unwrap();
    assert!(quality((hz, &made.traces[0], Some(&made.traces[1])), [20.0, 200.0], 3).coherence.unwrap() < 0.8);
    assert!(
        functions(&moving(), &rig, (1, 1024.0), &[], provenance()).unwrap_err().to_string().contains("no hit counts")
    );
    assert!(functions(&moving(), &rig, (3, 1024.0), &hits, provenance()).is_err());
    let picture = hit_picture(&all[1].force, 1024.0, 300.0).unwrap();
    assert!((picture.force_n.iter().fold(0.0_f64, |a, b| a.max(*b)) - 171.19).abs() < 0.01);
    assert!(picture.frequencies_hz.last().unwrap() - 300.0 < 2.6 && picture.excited_to_hz > 200.0);
}

#[test]
fn a_colleague_says_what_is_worth_saying() {
    let mut s = ImpactSession::new(ImpactPlan { hits: 1, ..moving() }).unwrap();
    for (take, point) in [(1, 0), (2, 1), (3, 2)] {
        assert_eq!(s.at(), point);
        s.hit(1, take, verdict(true)).unwrap();
    }
    let dof = |point: &str| Dof::read(point, "z").unwrap();
    let good =
        Quality { coherence: Some(0.98), peak_hz: 60.0, peak: 0.0, turns: false, hits: 3, random_error: Some(0.01) };
    let of = |point: usize, quality: &Quality| Kept {
        point,
        response: dof(&(point + 1).to_string()),
        reference: dof("14"),
        stays: false,
        unit: "m/s²/N".into(),
        quality: quality.clone(),
    };
    let driving = |point: usize, peak_hz: f64, turns| Kept {
        response: dof("14"),
        stays: true,
        ..of(point, &Quality { peak_hz, turns, ..good.clone() })
    };
    let rules = |s: &ImpactSession, kept: &[Kept]| -> Vec<(AdviceRule, Option<usize>)> {
        advice(s, kept).into_iter().map(|a| (a.rule, a.point)).collect()
    };
    let all = [of(0, &good), of(1, &good), of(2, &good)];
    assert_eq!(rules(&s, &all), []);
    let bad = Quality { coherence: Some(0.61), ..good.clone() };
    assert_eq!(rules(&s, &[of(0, &good), of(1, &bad), of(2, &good)]), [(AdviceRule::PointUncertain, Some(1))]);
    assert!(advice(&s, &[of(0, &good), of(1, &bad), of(2, &good)])[0].says.starts_with("2 +Z: coherence 0.61"));
    assert_eq!(rules(&s, &[of(0, &bad), of(1, &bad), of(2, &good)]), [(AdviceRule::AllUncertain, None)]);
    let moved = [driving(0, 60.0, false), driving(1, 60.1, false), driving(2, 59.0, false)];
    assert_eq!(rules(&s, &moved), [(AdviceRule::StructureChanged, Some(2))]);
    assert_eq!(rules(&s, &[driving(0, 60.0, true)]), [(AdviceRule::NoDrivingPoint, Some(0))]);
    // Hit at 1 and measured at 14, it must be as hit at 14 and measured at 1.
    let sized = |peak: f64, peak_hz: f64| Quality { peak, peak_hz, ..good.clone() };
    let turned =
        |peak: f64, peak_hz: f64| Kept { response: dof("14"), reference: dof("1"), ..of(2, &sized(peak, peak_hz)) };
    let one = of(0, &sized(2.0, 60.0));
    assert_eq!(rules(&s, &[one.clone(), turned(2.1, 60.1)]), []);
    assert_eq!(rules(&s, &[one.clone(), turned(1.2, 60.0)]), [(AdviceRule::NotReciprocal, Some(2))]);
    assert_eq!(rules(&s, &[one.clone(), turned(2.0, 61.0)]), [(AdviceRule::NotReciprocal, Some(2))]);
    let says = advice(&s, &[one.clone(), turned(1.2, 60.0)])[0].says.clone();
    assert!(says.starts_with("1 z over 14 z and 14 z over 1 z should be the same"), "{says}");
    let in_g = Kept { unit: "g/N".into(), ..turned(0.2, 60.0) };
    assert_eq!(rules(&s, &[one, in_g]), [], "what is in other units is not held against it");
    let mut soft = ImpactSession::new(ImpactPlan { hits: 3, ..moving() }).unwrap();
    soft.hit(1, 1, HitVerdict { excited_to_hz: 150.0, ringing: 0.2, ..verdict(true) }).unwrap();
    assert_eq!(rules(&soft, &[]), [(AdviceRule::TipTooSoft, None), (AdviceRule::RingsOn, None)]);
    // The window that is offered leaves a hundredth of what rang, and its number is the one in the sentence.
    let rings = advice(&soft, &[]).pop().unwrap();
    let decay_s = rings.decay_s.unwrap();
    assert!(rings.says.contains(&format!("of {decay_s:.2} s")), "{} {decay_s}", rings.says);
    let left = 0.2 * (-soft.plan().length_s / decay_s).exp();
    assert!((0.003..=0.012).contains(&left), "{left}");
}

proptest! {
    /// Whatever is pressed in whatever order: every take belongs to one point, counts at most once, and the
    /// series never says it is done while something is missing.
    #[test]
    fn no_order_of_keys_loses_a_hit(keys in proptest::collection::vec((0u8..8, any::<bool>()), 0..120), accept in 0u8..3) {
        let accept = [Accepting::NextHit, Accepting::Key, Accepting::Itself][usize::from(accept)];
        let mut s = ImpactSession::new(plan(4, 2, accept)).unwrap();
        let mut take = 0;
        for (key, good) in keys {
            let point = usize::from(take as u8 % 4);
            let heard = match key {
                0..=2 => {
                    take += 1;
                    Some(s.hit(1, take, verdict(good)).unwrap())
                }
                3 => s.act(Act::Accept).ok(),
                4 => s.act(Act::TakeBack).ok(),
                5 => s.act(Act::Skip).ok().filter(|_| false),
                6 => s.act(Act::GoTo { point }).ok(),
                _ => s.act(Act::Repeat { point }).ok(),
            };
            prop_assert_eq!(s.hits().len(), take as usize);
            let counted: usize = (0..4).map(|p| takes(&s, p).len()).sum();
            let accepted = s.hits().iter().filter(|h| h.state == HitState::Accepted).count();
            prop_assert_eq!(counted, accepted);
            prop_assert!(s.at() < 4 && s.upcoming() < 4);
            if heard == Some(HitHeard::AllDone) {
                prop_assert!((0..4).all(|p| matches!(s.state_of(p), PointState::Done | PointState::Skipped)));
            }
            prop_assert!(s.hits().iter().filter(|h| h.state == HitState::Waiting).count() <= 1);
        }
    }
}
