//! The loop: densities measured at the control points against the reference, and the next drive from both.

use super::profile::Profile;
use crate::error::{Result, argument};

/// How several control points count as one.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Strategy {
    /// The mean of their densities.
    Average,
    /// The largest on each line: no point gets more than the reference.
    Largest,
    /// The smallest on each line: no point gets less.
    Smallest,
}

/// Densities of several control points, `[point][line]`, as one.
///
/// # Errors
/// No point; points of different numbers of lines.
pub fn together(points: &[&[f64]], strategy: Strategy) -> Result<Vec<f64>> {
    let Some(lines) = points.first().map(|p| p.len()) else {
        return Err(argument("points", "empty", "one or more"));
    };
    if points.iter().any(|p| p.len() != lines) {
        return Err(argument("points", "of different lengths", "as many lines each"));
    }
    let of = |k: usize| points.iter().map(move |p| p[k]);
    Ok((0..lines)
        .map(|k| match strategy {
            Strategy::Average => of(k).sum::<f64>() / points.len() as f64,
            Strategy::Largest => of(k).fold(0.0, f64::max),
            Strategy::Smallest => of(k).fold(f64::INFINITY, f64::min),
        })
        .collect())
}

/// What the loop may do.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ControlSettings {
    /// Distance between lines, Hz.
    pub spacing_hz: f64,
    /// Lines, from 0 Hz.
    pub lines: usize,
    /// Share of a deviation in dB that one step takes away, above 0 to 1.
    pub gain: f64,
    /// Most that a line changes in one step, dB.
    pub step_db: f64,
    /// Most that the drive may have, V rms.
    pub drive_rms_v: f64,
}

/// What a density is multiplied by for so many dB.
fn times(db: f64) -> f64 {
    10f64.powf(db / 10.0)
}

/// The loop's state: the density of the drive, V²/Hz on every line.
#[derive(Debug, Clone, PartialEq)]
pub struct Control {
    settings: ControlSettings,
    reference: Vec<f64>,
    drive: Vec<f64>,
    level_db: f64,
    limited: bool,
}

impl Control {
    /// From the squared magnitude of what the pre-test found between drive and control, on every line.
    ///
    /// # Errors
    /// Settings outside what they allow; a profile beyond the last line; a plant of other lines, or
    /// one that does not answer within the profile's band.
    pub fn new(profile: &Profile, plant_squared: &[f64], settings: ControlSettings, level_db: f64) -> Result<Control> {
        let s = settings;
        for (name, value, allowed, good) in [
            ("spacing_hz", s.spacing_hz, "above 0 Hz", s.spacing_hz > 0.0),
            ("gain", s.gain, "above 0, up to 1", s.gain > 0.0 && s.gain <= 1.0),
            ("step_db", s.step_db, "above 0, up to 20 dB", s.step_db > 0.0 && s.step_db <= 20.0),
            ("drive_rms_v", s.drive_rms_v, "above 0 V", s.drive_rms_v > 0.0),
            ("level_db", level_db, "-60 to 0 dB", (-60.0..=0.0).contains(&level_db)),
        ] {
            if !(good && value.is_finite()) {
                return Err(argument(name, value, allowed));
            }
        }
        let last = (s.lines.max(1) - 1) as f64 * s.spacing_hz;
        if profile.band_hz().1 > last {
            return Err(argument("profile", format!("up to {} Hz", profile.band_hz().1), format!("up to {last} Hz")));
        }
        if plant_squared.len() != s.lines {
            let got = format!("{} lines", plant_squared.len());
            return Err(argument("plant_squared", got, format!("{} lines", s.lines)));
        }
        let reference = profile.lines(s.spacing_hz, s.lines);
        let inside = |k: &usize| reference[*k] > 0.0;
        if let Some(dead) =
            (0..s.lines).filter(inside).find(|k| !(plant_squared[*k].is_finite() && plant_squared[*k] > 0.0))
        {
            let hz = dead as f64 * s.spacing_hz;
            return Err(argument(
                "plant_squared",
                format!("{} at {hz} Hz", plant_squared[dead]),
                "above 0 in the profile's band",
            ));
        }
        let level = times(level_db);
        let drive =
            reference.iter().zip(plant_squared).map(|(r, h)| if *r > 0.0 { level * r / h } else { 0.0 }).collect();
        let mut control = Control { settings, reference, drive, level_db, limited: false };
        control.hold();
        Ok(control)
    }

    /// Density of the drive, V²/Hz on every line.
    pub fn drive(&self) -> &[f64] {
        &self.drive
    }

    /// Root mean square of the drive, V.
    pub fn drive_rms_v(&self) -> f64 {
        (self.drive.iter().sum::<f64>() * self.settings.spacing_hz).sqrt()
    }

    /// Whether the drive would have been more than it may be.
    pub fn limited(&self) -> bool {
        self.limited
    }

    /// What is wanted now on every line: the reference at the level.
    pub fn wanted(&self) -> Vec<f64> {
        let level = times(self.level_db);
        self.reference.iter().map(|r| level * r).collect()
    }

    /// Level below the reference, dB.
    pub fn level_db(&self) -> f64 {
        self.level_db
    }

    /// Goes to another level; the drive changes by as much at once.
    ///
    /// # Errors
    /// A level above 0 or below −60 dB.
    pub fn go_to(&mut self, level_db: f64) -> Result<()> {
        if !(-60.0..=0.0).contains(&level_db) {
            return Err(argument("level_db", level_db, "-60 to 0 dB"));
        }
        let by = times(level_db - self.level_db);
        self.drive.iter_mut().for_each(|d| *d *= by);
        self.level_db = level_db;
        self.hold();
        Ok(())
    }

    /// Takes a measured density and makes the next drive from it: each line moves towards what is
    /// wanted by the gain, and by no more than a step. A line on which nothing is heard stays.
    ///
    /// # Errors
    /// Another number of lines.
    pub fn step(&mut self, measured: &[f64]) -> Result<()> {
        if measured.len() != self.drive.len() {
            let allowed = format!("{} lines", self.drive.len());
            return Err(argument("measured", format!("{} lines", measured.len()), allowed));
        }
        let most = times(self.settings.step_db);
        let level = times(self.level_db);
        for ((drive, heard), reference) in self.drive.iter_mut().zip(measured).zip(&self.reference) {
            if *reference > 0.0 && *heard > 0.0 && heard.is_finite() {
                *drive *= (level * reference / heard).powf(self.settings.gain).clamp(1.0 / most, most);
            }
        }
        self.hold();
        Ok(())
    }

    /// Keeps the drive within what it may have, its shape unchanged.
    fn hold(&mut self) {
        let share = self.drive_rms_v() / self.settings.drive_rms_v;
        self.limited = share > 1.0;
        if self.limited {
            self.drive.iter_mut().for_each(|d| *d /= share * share);
        }
    }
}

/// Time constant of an exponential mean, in averages of blocks that do not overlap, that has so many
/// degrees of freedom: 2(2K − 1).
///
/// # Errors
/// Fewer than two degrees of freedom.
pub fn averages_for(degrees_of_freedom: f64) -> Result<f64> {
    if !(degrees_of_freedom.is_finite() && degrees_of_freedom >= 2.0) {
        return Err(argument("degrees_of_freedom", degrees_of_freedom, "2 or more"));
    }
    Ok((degrees_of_freedom / 2.0 + 1.0) / 2.0)
}
