//! Waveforms in a real database: whatever is asked for at whatever zoom, no peak is lost and
//! nothing is made up.
//!
//! Needs `DATABASE_URL` (./test sets it).

use crate::common::open_run;
use echo_store::chunk::pack;
use echo_store::run::Gap;
use echo_store::{Store, StoreError};

const CHUNK: usize = 65_536;

fn noise(seed: u64, n: usize) -> Vec<i32> {
    let mut state = seed | 1;
    (0..n)
        .map(|i| {
            state ^= state << 13;
            state ^= state >> 7;
            state ^= state << 17;
            // A slow swell under the noise, and a lone spike now and then.
            let swell = (4e5 * (i as f64 / 3e4).sin()) as i32;
            let spike = if state.is_multiple_of(40_000) { 3_000_000 } else { 0 };
            (state % 20_001) as i32 - 10_000 + swell + spike
        })
        .collect()
}

async fn recorded(name: &str, chunks: &[(i64, Vec<i32>)], gaps: &[Gap]) -> (Store, i64) {
    let (store, _, run) = open_run(name).await;
    let packed: Vec<_> = chunks.iter().map(|(at, counts)| pack(1, *at, counts, false).unwrap()).collect();
    store.append(run, &packed, gaps, false).await.unwrap();
    let end = chunks.last().map_or(0, |(at, c)| at + c.len() as i64);
    store.close_run(run, end, true, "test").await.unwrap();
    (store, run)
}

#[tokio::test]
async fn an_overview_at_any_zoom_holds_every_peak() {
    let all = noise(5, 20 * CHUNK + 777);
    let chunks: Vec<(i64, Vec<i32>)> =
        all.chunks(CHUNK).enumerate().map(|(k, c)| ((k * CHUNK) as i64, c.to_vec())).collect();
    let (store, run) = recorded("overview", &chunks, &[]).await;
    let n = all.len();
    for (from, to, points) in [
        (0, n, 1),
        (0, n, 7),
        (0, n, 900),
        (12_345, n - 54_321, 640),
        (100_000, 400_000, 1100),
        (65_000, 66_000, 1000),
        (65_530, 65_540, 10),
        (n - 3, n, 3),
    ] {
        let row = &store.overview(run, &[1], from as i64, to as i64, points).await.unwrap()[0];
        assert_eq!(row.len(), points);
        let each = (to - from) as f64 / points as f64;
        for (p, pair) in row.iter().enumerate() {
            let (lo, hi) = pair.expect("recorded throughout");
            let (a, b) = (from + (p as f64 * each).ceil() as usize, from + ((p + 1) as f64 * each).floor() as usize);
            if a >= b {
                continue;
            }
            let inside = &all[a..b];
            // Nothing inside is lost; a pair across a border may add from a pyramid step beside.
            assert!(lo <= *inside.iter().min().unwrap() && hi >= *inside.iter().max().unwrap(), "{from}..{to} at {p}");
            let step = if each >= 65_536.0 {
                CHUNK
            } else if each >= 4096.0 {
                4096
            } else if each >= 256.0 {
                256
            } else {
                1
            };
            let wide = &all[a.saturating_sub(step)..(b + step).min(n)];
            assert!(lo >= *wide.iter().min().unwrap() && hi <= *wide.iter().max().unwrap(), "{from}..{to} at {p}");
        }
    }
    let single = store.counts(run, 1, 65_000, 2000).await.unwrap();
    assert!(single.iter().zip(&all[65_000..67_000]).all(|(got, wanted)| *got == Some(*wanted)));
}

#[tokio::test]
async fn a_gap_is_empty_at_every_zoom() {
    let (a, b) = (noise(1, CHUNK), noise(2, CHUNK));
    let hole = 40_000i64;
    let gap = Gap { first_sample: CHUNK as i64, samples: hole, why: "blocks lost".into() };
    let second = CHUNK as i64 + hole;
    let (store, run) = recorded("gap", &[(0, a), (second, b)], std::slice::from_ref(&gap)).await;
    assert_eq!(store.gaps(run).await.unwrap().len(), 1);
    for points in [10, 100, 2000] {
        let row = &store.overview(run, &[1], 0, second + CHUNK as i64, points).await.unwrap()[0];
        let each = (second as usize + CHUNK) as f64 / points as f64;
        for (p, pair) in row.iter().enumerate() {
            let (from, to) = (p as f64 * each, (p + 1) as f64 * each);
            if from >= CHUNK as f64 + 4096.0 && to <= second as f64 - 4096.0 {
                assert_eq!(*pair, None, "{points} points: nothing is made up at {p}");
            } else if to <= CHUNK as f64 || from >= second as f64 {
                assert!(pair.is_some(), "{points} points: {p}");
            }
        }
    }
    let across = store.counts(run, 1, CHUNK as i64 - 5, hole as usize + 10).await.unwrap();
    assert!(across[..5].iter().all(Option::is_some) && across[hole as usize + 5..].iter().all(Option::is_some));
    assert!(across[5..hole as usize + 5].iter().all(Option::is_none));
}

#[tokio::test]
async fn stretches_that_cannot_be_are_refused_and_empty_ones_stay_empty() {
    let (store, run) = recorded("stretch", &[(0, noise(3, 5000))], &[]).await;
    for (from, to, points) in [(10, 10, 5), (20, 10, 5), (0, 100, 0)] {
        let refused = store.overview(run, &[1], from, to, points).await;
        assert!(matches!(&refused, Err(StoreError::Refused(says)) if says.contains("allowed")), "{refused:?}");
    }
    assert!(store.overview(run, &[2], 0, 5000, 10).await.unwrap()[0].iter().all(Option::is_none), "no such channel");
    assert!(store.overview(run, &[1], 6000, 7000, 10).await.unwrap()[0].iter().all(Option::is_none));
    assert!(store.counts(run, 1, 4990, 20).await.unwrap()[10..].iter().all(Option::is_none));
}
