//! Files that once broke something, and what a few flipped bits make of them: each gets an answer.
//!
//! They are the corpus of the fuzz targets (`fuzz/`); what those find goes there.

use echo_formats::uff::{Dataset, Style, read as read_uff, waveforms, write as write_uff};
use echo_formats::wav::WavSource;
use echo_formats::{csv, geometry, sheet, smart};
use echo_job::analysis::Source;
use std::io::Write;
use std::path::PathBuf;

/// Each file of a target, and thirty others a file: cut off, or with some bytes changed.
fn each(target: &str, mut take: impl FnMut(&[u8])) {
    let folder = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("../../fuzz/corpus").join(target);
    let mut files: Vec<PathBuf> = std::fs::read_dir(&folder).unwrap().map(|f| f.unwrap().path()).collect();
    files.sort();
    assert!(files.len() > 5, "{}", folder.display());
    let mut dice = 14u64;
    let mut below = |n: usize| {
        dice = dice.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (dice >> 33) as usize % n
    };
    for file in files {
        let bytes = std::fs::read(&file).unwrap();
        take(&bytes);
        for k in 0..if bytes.is_empty() { 0 } else { 30 } {
            let mut other = bytes.clone();
            if k % 5 == 0 {
                other.truncate(below(bytes.len()));
            } else {
                for _ in 0..1 + below(4) {
                    other[below(bytes.len())] = [0, 1, 0x7f, 0x80, 0xff, b'9', b'-', b'e'][below(8)];
                }
            }
            take(&other);
        }
    }
}

#[test]
fn sounds_get_an_answer() {
    each("wav", |bytes| {
        let mut file = tempfile::NamedTempFile::new().unwrap();
        file.write_all(bytes).unwrap();
        if let Ok(mut source) = WavSource::open(file.path()) {
            let n = source.info().samples.min(4096) as usize;
            let mut out = [Vec::new()];
            if source.read(&[0], 0, n, &mut out).is_ok() {
                assert_eq!(out[0].len(), n);
            }
        }
    });
}

#[test]
fn tables_get_an_answer() {
    each("csv", |bytes| {
        if let Ok(memory) = csv::read("a", bytes) {
            assert!(memory.info().sample_rate_hz > 0.0 && memory.info().sample_rate_hz.is_finite());
        }
    });
    each("sheet", |bytes| {
        if let Ok(rows) = sheet::read(bytes) {
            assert!(rows.len() <= 100_000 && rows.iter().all(|r| r.len() <= 1000));
        }
    });
}

#[test]
fn universal_files_get_an_answer() {
    each("uff", |bytes| {
        let Ok(datasets) = read_uff("a", bytes) else { return };
        let _ = waveforms("a", &datasets);
        // What was read can be written, and is read again.
        let known = datasets.iter().filter(|d| !matches!(d, Dataset::Other(_))).count();
        let again = read_uff("again", &write_uff(&datasets, Style::Binary));
        let text = String::from_utf8_lossy(bytes);
        assert_eq!(again.as_ref().map_or(0, Vec::len), known, "{:?} of {text}", again.as_ref().err());
    });
}

#[test]
fn memories_of_sensors_get_an_answer() {
    each("smart", |bytes| drop(smart::read(bytes)));
}

#[test]
fn geometries_and_surfaces_get_an_answer() {
    each("geometry", |bytes| {
        if let Ok(found) = geometry::read("a", bytes) {
            let g = found.geometry;
            assert_eq!(g.check(), Ok(()));
            let again = geometry::read("again", &geometry::sheet::write(&g).unwrap()).unwrap().geometry;
            assert_eq!(again.points.len(), g.points.len());
            assert!(geometry::read("again", &geometry::universal::write(&g)).is_ok());
        }
        if let Ok(mesh) = geometry::surface::read("a", bytes, 1e-3) {
            assert!(mesh.nearest(&[[0.0; 3]]).is_some());
        }
    });
}
