//! What a picture is drawn of: the channels of this moment, measured and computed.

use super::COMPUTED_FROM;
use echo_capture::Live;
use echo_job::math::Formula;
use echo_job::rig::Channel;
use echo_job::tacho::Tachometer;

/// A channel that is shown: a row with its unit a count, or a formula over rows.
pub(super) enum Seen<'a> {
    Row(&'a Channel, f64),
    Computed(u16, &'a Formula),
}

impl Seen<'_> {
    /// Number it is shown under.
    pub(super) fn input(&self) -> u16 {
        match self {
            Seen::Row(r, _) => r.input,
            Seen::Computed(input, _) => *input,
        }
    }

    /// Its unit.
    pub(super) fn unit(&self) -> &str {
        match self {
            Seen::Row(r, _) => &r.unit,
            Seen::Computed(_, f) => f.unit(),
        }
    }
}

/// The channels of this moment.
pub(super) struct Stage<'a> {
    pub(super) live: &'a Live,
    pub(super) rows: &'a [Channel],
    /// Rows that are measured: formulas name them by their places here.
    pub(super) on: Vec<&'a Channel>,
    pub(super) formulas: &'a [Formula],
    pub(super) tacho: Option<&'a Tachometer>,
    pub(super) rate: f64,
}

impl Stage<'_> {
    /// Channels by their numbers, as far as they are measured or can be computed.
    pub(super) fn chosen(&self, inputs: &[u16], most: usize) -> Vec<Seen<'_>> {
        let one = |i: &u16| match i.checked_sub(COMPUTED_FROM) {
            Some(k) => self.formulas.get(usize::from(k)).map(|f| Seen::Computed(*i, f)),
            None => self.on.iter().find(|r| r.input == *i).map(|r| Seen::Row(r, scaled(r))),
        };
        inputs.iter().take(most).filter_map(one).collect()
    }

    /// The last samples of a row, each multiplied by a factor.
    pub(super) fn heard(&self, row: &Channel, factor: f64, most: usize) -> Vec<f64> {
        self.live.last(row.input, most).into_iter().map(|c| f64::from(c) * factor).collect()
    }

    /// The last values of what is shown.
    pub(super) fn last(&self, seen: &Seen<'_>, most: usize) -> Vec<f64> {
        let formula = match seen {
            Seen::Row(row, factor) => return self.heard(row, *factor, most),
            Seen::Computed(_, formula) => formula,
        };
        let (before, _) = formula.reach(self.rate);
        let parts: Vec<Vec<f64>> =
            formula.inputs().iter().map(|i| self.heard(self.on[*i], scaled(self.on[*i]), most + before)).collect();
        // All end now; what began later is shorter.
        let n = parts.iter().map(Vec::len).min().unwrap_or(0);
        let ends: Vec<&[f64]> = parts.iter().map(|p| &p[p.len() - n..]).collect();
        let mut values = formula.values(&ends, self.rate).unwrap_or_default();
        let extra = values.len().saturating_sub(most);
        values.drain(..extra);
        values
    }

    /// Places of the tachometer's pulses among the last samples.
    pub(super) fn marks(&self, most: usize) -> Vec<usize> {
        let Some(tacho) = self.tacho else { return Vec::new() };
        let Some(row) = self.rows.iter().find(|r| r.input == tacho.input && r.on) else { return Vec::new() };
        let si = row.full_scale_si() / f64::from(echo_link::FULL_SCALE);
        let Ok(mut turning) = tacho.turning(0, self.rate) else { return Vec::new() };
        let samples = self.heard(row, si, most);
        samples.iter().enumerate().filter(|(_, x)| turning.step(**x)).map(|(i, _)| i).collect()
    }
}

/// The unit a count of a row.
fn scaled(row: &Channel) -> f64 {
    row.full_scale() / f64::from(echo_link::FULL_SCALE)
}
