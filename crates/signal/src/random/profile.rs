//! A reference density by its corners: straight lines on logarithmic axes between them.

use crate::error::{Result, argument};

/// Reference power spectral density, in the square of a unit over Hz.
#[derive(Debug, Clone, PartialEq)]
pub struct Profile {
    corners: Vec<(f64, f64)>,
}

impl Profile {
    /// From corners of frequency in Hz and density.
    ///
    /// # Errors
    /// Fewer than two corners; frequencies that do not rise from above 0 Hz; a density not above 0.
    pub fn new(corners: Vec<(f64, f64)>) -> Result<Profile> {
        if corners.len() < 2 {
            return Err(argument("corners", format!("{} long", corners.len()), "two or more"));
        }
        let mut before = 0.0;
        for (hz, density) in &corners {
            if !(hz.is_finite() && *hz > before) {
                return Err(argument("corners", format!("{hz} Hz after {before} Hz"), "rising frequencies above 0 Hz"));
            }
            if !(density.is_finite() && *density > 0.0) {
                return Err(argument("corners", format!("a density of {density} at {hz} Hz"), "densities above 0"));
            }
            before = *hz;
        }
        Ok(Profile { corners })
    }

    /// Lowest and highest frequency, Hz.
    pub fn band_hz(&self) -> (f64, f64) {
        (self.corners[0].0, self.corners[self.corners.len() - 1].0)
    }

    /// Density at a frequency; 0 outside of the band.
    pub fn at(&self, hz: f64) -> f64 {
        let (low, high) = self.band_hz();
        if !(low..=high).contains(&hz) {
            return 0.0;
        }
        let above = self.corners.partition_point(|c| c.0 < hz).clamp(1, self.corners.len() - 1);
        let ((f0, d0), (f1, d1)) = (self.corners[above - 1], self.corners[above]);
        d0 * (hz / f0).powf((d1 / d0).ln() / (f1 / f0).ln())
    }

    /// Root mean square over the band, exact between the corners.
    pub fn rms(&self) -> f64 {
        let piece = |w: &[(f64, f64)]| {
            let ((f0, d0), (f1, d1)) = (w[0], w[1]);
            let slope = (d1 / d0).ln() / (f1 / f0).ln();
            // The power of −1 has a logarithm for its integral.
            if (slope + 1.0).abs() < 1e-9 {
                d0 * f0 * (f1 / f0).ln()
            } else {
                d0 * f0 / (slope + 1.0) * ((f1 / f0).powf(slope + 1.0) - 1.0)
            }
        };
        self.corners.windows(2).map(piece).sum::<f64>().sqrt()
    }

    /// Densities on lines `k · spacing_hz`, k from 0.
    pub fn lines(&self, spacing_hz: f64, count: usize) -> Vec<f64> {
        (0..count).map(|k| self.at(k as f64 * spacing_hz)).collect()
    }
}
