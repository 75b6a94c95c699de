//! A map as a picture: darker is more, in grey too.

use super::scale::Scale;
use super::{Axis, Map};
use base64::Engine as _;
use serde::Deserialize;
use utoipa::ToSchema;

/// Colours of a map; every step is darker than the last.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Shades {
    /// From paper to ink by way of the harbour's green.
    #[default]
    Tide,
    /// Red and brown.
    Ember,
    /// Grey.
    Grey,
}

impl Shades {
    fn stops(self) -> &'static [[u8; 3]] {
        match self {
            Shades::Tide => &[[255, 253, 248], [221, 235, 240], [128, 178, 186], [11, 107, 107], [16, 38, 59]],
            Shades::Ember => &[[255, 253, 248], [247, 222, 178], [222, 150, 92], [158, 66, 46], [58, 18, 32]],
            Shades::Grey => &[[255, 255, 255], [20, 20, 20]],
        }
    }

    /// The colour of a share from 0 to 1.
    pub fn of(self, share: f64) -> [u8; 3] {
        let stops = self.stops();
        let at = share.clamp(0.0, 1.0) * (stops.len() - 1) as f64;
        let (a, b) = (stops[at.floor() as usize], stops[at.ceil() as usize]);
        let t = at.fract();
        std::array::from_fn(|k| (f64::from(a[k]) * (1.0 - t) + f64::from(b[k]) * t).round() as u8)
    }
}

/// Largest value of a map; the darkest shade stands for it.
pub(super) fn most(map: &Map) -> f64 {
    map.values.iter().copied().filter(|v| v.is_finite()).fold(f64::MIN_POSITIVE, f64::max)
}

/// Pixels across and down of a map's picture.
const SIZE: (usize, usize) = (900, 450);

/// The map behind the shown part of the axes, as PNG in a data address; the darkest shade stands for `top`.
pub(super) fn picture(map: &Map, top: f64, x: &Axis, across: Scale, up: Scale) -> String {
    let (w, h) = SIZE;
    let columns = x.values.len();
    // The largest value behind a pixel, so that no line is lost; the nearest where there is none.
    let behind = |values: &[f64], scale: Scale, n: usize| -> Vec<(usize, usize)> {
        let place = |share: f64| match scale.log {
            true => scale.lo * (scale.hi / scale.lo).powf(share),
            false => scale.lo + share * (scale.hi - scale.lo),
        };
        let nearest = |at: f64| {
            let i = values.partition_point(|v| *v < at).clamp(1, values.len() - 1);
            if at - values[i - 1] <= values[i] - at { i - 1 } else { i }
        };
        (0..n)
            .map(|p| {
                let (a, b) = (place(p as f64 / n as f64), place((p + 1) as f64 / n as f64));
                let (from, to) = (nearest(a), nearest(b));
                (from, to.max(from + 1))
            })
            .collect()
    };
    let (xs, ys) = (behind(&x.values, across, w), behind(&map.rows, up, h));
    let mut pixels = Vec::with_capacity(w * h * 3);
    for (r0, r1) in ys.iter().rev() {
        for (c0, c1) in &xs {
            let cells = (*r0..*r1).flat_map(|r| map.values[r * columns + c0..r * columns + c1].iter());
            let v = cells.copied().filter(|v| v.is_finite()).fold(0.0, f64::max);
            let share = match map.decades {
                Some(d) => 1.0 + (v.max(1e-300) / top).log10() / d,
                None => v / top,
            };
            pixels.extend(map.shades.of(share));
        }
    }
    format!("data:image/png;base64,{}", base64::engine::general_purpose::STANDARD.encode(png(&pixels, w, h)))
}

fn png(rgb: &[u8], w: usize, h: usize) -> Vec<u8> {
    let mut out = Vec::new();
    let mut encoder = png::Encoder::new(&mut out, w as u32, h as u32);
    encoder.set_color(png::ColorType::Rgb);
    encoder.set_depth(png::BitDepth::Eight);
    // Writing into memory does not fail.
    if let Ok(mut writer) = encoder.write_header() {
        let _ = writer.write_image_data(rgb);
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_step_is_darker() {
        for shades in [Shades::Tide, Shades::Ember, Shades::Grey] {
            let light = |share: f64| shades.of(share).iter().map(|c| u32::from(*c)).sum::<u32>();
            for k in 0..20 {
                assert!(light(f64::from(k + 1) / 20.0) < light(f64::from(k) / 20.0), "{shades:?} {k}");
            }
        }
    }
}
