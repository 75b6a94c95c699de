//! A source of samples with formulas as further channels after its own.

use super::{Formula, Known, MathChannel, formulas};
use crate::Refusal;
use crate::analysis::AnalysisError;
use crate::analysis::source::{Source, SourceChannel, SourceInfo};

/// Formulas over a source: their channels follow the source's own.
pub struct MathSource<'a> {
    inner: &'a mut dyn Source,
    info: SourceInfo,
    own: usize,
    formulas: Vec<Formula>,
}

impl<'a> MathSource<'a> {
    /// Reads formulas over the channels of a source.
    ///
    /// # Errors
    /// A formula that is wrong, or a source in shares of full scale, whose units are not known yet.
    pub fn new(inner: &'a mut dyn Source, math: &[MathChannel]) -> Result<MathSource<'a>, Refusal> {
        let mut info = inner.info().clone();
        if info.full_scale {
            let says = "computed channels need an input in engineering units; this one has shares of full scale";
            return Err(Refusal::new("math", says));
        }
        let own = info.channels.len();
        let known: Vec<Known> =
            info.channels.iter().map(|c| Known { name: c.name.clone(), unit: c.unit.clone() }).collect();
        let formulas = formulas(&known, math)?;
        info.channels.extend(math.iter().zip(&formulas).map(|(m, f)| SourceChannel {
            name: m.name.trim().into(),
            unit: f.unit().into(),
            dof: None,
        }));
        Ok(MathSource { inner, info, own, formulas })
    }
}

impl Source for MathSource<'_> {
    fn info(&self) -> &SourceInfo {
        &self.info
    }

    fn read(&mut self, channels: &[usize], from: u64, count: usize, out: &mut [Vec<f64>]) -> Result<(), AnalysisError> {
        let plain: Vec<usize> = channels.iter().copied().filter(|c| *c < self.own).collect();
        if plain.len() == channels.len() {
            return self.inner.read(channels, from, count, out);
        }
        let mut read = vec![Vec::new(); plain.len()];
        if !plain.is_empty() {
            self.inner.read(&plain, from, count, &mut read)?;
        }
        let mut read = read.into_iter();
        let rate = self.info.sample_rate_hz;
        for (c, to) in channels.iter().zip(out) {
            let Some(f) = c.checked_sub(self.own).map(|k| &self.formulas[k]) else {
                *to = read.next().unwrap_or_default();
                continue;
            };
            let (before, after) = f.reach(rate);
            let a = from.saturating_sub(before as u64);
            let b = (from + (count + after) as u64).min(self.info.samples);
            let mut inputs = vec![Vec::new(); f.inputs().len()];
            self.inner.read(f.inputs(), a, (b - a) as usize, &mut inputs)?;
            let slices: Vec<&[f64]> = inputs.iter().map(Vec::as_slice).collect();
            let lead = (from - a) as usize;
            let values = f.values(&slices, rate)?;
            to.clear();
            to.extend_from_slice(&values[lead..lead + count]);
        }
        Ok(())
    }
}
