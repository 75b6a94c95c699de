//! Both palettes can be read: the contrast of text and of lines on every ground they stand on.

use anyhow::{Context, Result};
use std::collections::HashMap;

/// The colours of a block of the style sheet, by their names.
fn palette(css: &str, of: &str) -> Result<HashMap<String, [f64; 3]>> {
    let block = css.split(of).nth(1).and_then(|b| b.split('}').next()).context("no such palette")?;
    let colour = |line: &str| -> Option<(String, [f64; 3])> {
        let (name, value) = line.trim().strip_prefix("--")?.split_once(": #")?;
        let rgb = u32::from_str_radix(value.trim_end_matches(';'), 16).ok()?;
        let part = |shift: u32| f64::from((rgb >> shift) & 255) / 255.0;
        Some((name.into(), [part(16), part(8), part(0)]))
    };
    Ok(block.lines().filter_map(colour).collect())
}

/// Relative luminance (WCAG 2.2).
fn luminance(rgb: [f64; 3]) -> f64 {
    let linear = rgb.map(|c| if c <= 0.04045 { c / 12.92 } else { ((c + 0.055) / 1.055).powf(2.4) });
    0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]
}

/// Contrast ratio of two colours (WCAG 2.2).
fn contrast(a: [f64; 3], b: [f64; 3]) -> f64 {
    let (a, b) = (luminance(a), luminance(b));
    (a.max(b) + 0.05) / (a.min(b) + 0.05)
}

#[test]
fn text_and_lines_stand_out_by_day_and_by_night() -> Result<()> {
    assert!((contrast([0.0; 3], [1.0; 3]) - 21.0).abs() < 1e-9);
    let css = std::fs::read_to_string(concat!(env!("CARGO_MANIFEST_DIR"), "/../../web/src/style.css"))?;
    let text = ["ink", "ink-soft", "harbour", "lamp", "reef", "lee", "magenta"];
    let lines = ["t1", "t2", "t3", "t4", "t5", "t6", "t7", "t8", "buoy"];
    let mut poor = Vec::new();
    for (name, of) in [("day", ":root {"), ("night", ":root[data-theme=\"night\"] {")] {
        let p = palette(&css, of)?;
        let colour = |c: &str| p.get(c).copied().with_context(|| format!("{name} has no {c}"));
        for ground in ["paper", "sheet", "shoal"] {
            for (all, least) in [(&text[..], 4.5), (&lines[..], 3.0)] {
                for c in all {
                    let ratio = contrast(colour(c)?, colour(ground)?);
                    if ratio < least {
                        poor.push(format!("{name}: {c} on {ground} has {ratio:.2}, less than {least}"));
                    }
                }
            }
        }
    }
    assert!(poor.is_empty(), "{}", poor.join("\n"));
    Ok(())
}
