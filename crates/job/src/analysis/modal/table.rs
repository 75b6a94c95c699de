//! Responses gathered into the FRF matrix: which point answers to which, in SI units and along their directions.

use crate::Refusal;
use crate::analysis::result::Trace;
use crate::dof::Dof;
use crate::unit::{Quantity, find};
use echo_signal::modal::frf::FrfMatrix;
use echo_signal::response::Motion;
use echo_signal::spectrum::Complex64;

/// Responses with the degrees of freedom that they are between.
#[derive(Debug, Clone, PartialEq)]
pub struct Table {
    /// All of them, line by line.
    pub functions: FrfMatrix,
    /// Where something answers, along the direction.
    pub responses: Vec<Dof>,
    /// Where something is hit or shaken, along the direction.
    pub references: Vec<Dof>,
    /// Whether places that are hit and places that answer changed sides: the hammer went from point to point.
    pub turned: bool,
}

impl Table {
    /// From the complex traces over one axis; `wanted` are the references that are used, by point or by point and
    /// direction.
    ///
    /// # Errors
    /// No response; one without its points, twice, missing, or in another unit than the others; a reference that is
    /// not there; frequencies that do not rise, values that are not finite.
    pub fn new(frequencies_hz: &[f64], traces: &[Trace], wanted: Option<&[String]>) -> Result<Table, Refusal> {
        let refuse = |says: String| Err(Refusal::new("input", says));
        let all: Vec<&Trace> = traces.iter().filter(|t| t.complex().is_some()).collect();
        if all.is_empty() {
            return refuse("the input holds no complex response; allowed: responses to one or more references".into());
        }
        let (mut responses, mut references) = (Vec::new(), Vec::new());
        for t in &all {
            let (Some(to), Some(of)) = (&t.dof, &t.reference_dof) else {
                return refuse(format!("“{}” tells no points; allowed: responses with both their points", t.name));
            };
            for (all, dof) in [(&mut responses, to), (&mut references, of)] {
                if !all.contains(&dof.along()) {
                    all.push(dof.along());
                }
            }
        }
        if let Some(wanted) = wanted {
            references = chosen(&references, wanted)?;
        }
        let lines = frequencies_hz.len();
        let mut values = vec![None; responses.len() * references.len()];
        let mut motion = None;
        for t in &all {
            let (Some(to), Some(of), Some(z)) = (&t.dof, &t.reference_dof, t.complex()) else { continue };
            let Some(reference) = references.iter().position(|r| *r == of.along()) else { continue };
            let Some(output) = responses.iter().position(|r| *r == to.along()) else { continue };
            if z.len() != lines {
                return refuse(format!("“{}” has {} values on {lines} lines", t.name, z.len()));
            }
            let (own, factor) = motion_of(&t.unit).ok_or_else(|| {
                Refusal::new(
                    "input",
                    format!(
                        "“{}” is in {}; allowed: m/N, (m/s)/N and (m/s²)/N and what is like them",
                        t.name,
                        told(&t.unit)
                    ),
                )
            })?;
            if motion.replace(own).is_some_and(|m| m != own) {
                return refuse(format!(
                    "“{}” is in {}, others are not; allowed: one kind of motion over force",
                    t.name,
                    told(&t.unit)
                ));
            }
            let sign = to.factor() * of.factor() * factor;
            let place = &mut values[output * references.len() + reference];
            if place.is_some() {
                return refuse(format!("{to} over {of} is there twice; allowed: each once"));
            }
            *place = Some(z.iter().map(|z| z * sign).collect::<Vec<Complex64>>());
        }
        let mut columns = Vec::with_capacity(values.len());
        for (k, v) in values.into_iter().enumerate() {
            let (to, of) = (&responses[k / references.len()], &references[k % references.len()]);
            let missing = || {
                Refusal::new(
                    "input",
                    format!(
                        "{to} over {of} is missing; allowed: every response to every reference, or fewer references"
                    ),
                )
            };
            columns.push(v.ok_or_else(missing)?);
        }
        let motion = motion.unwrap_or(Motion::Accelerance);
        // Where the hammer went from point to point its places are what a shape has values at: H is symmetric.
        let turned = wanted.is_none() && references.len() > responses.len();
        if turned {
            let (rows, across) = (responses.len(), references.len());
            columns =
                (0..rows * across).map(|k| std::mem::take(&mut columns[(k % rows) * across + k / rows])).collect();
            std::mem::swap(&mut responses, &mut references);
        }
        let lined = (0..lines).flat_map(|line| columns.iter().map(move |c| c[line])).collect();
        let functions = FrfMatrix::new(frequencies_hz.to_vec(), responses.len(), references.len(), motion, lined)
            .map_err(|e| Refusal::new("input", e.to_string()))?;
        Ok(Table { functions, responses, references, turned })
    }

    /// Outputs that sit at references, both from 0: driving points.
    pub fn driving(&self) -> Vec<(usize, usize)> {
        let at = |(r, of): (usize, &Dof)| self.responses.iter().position(|to| to == of).map(|o| (o, r));
        self.references.iter().enumerate().filter_map(at).collect()
    }
}

fn told(unit: &str) -> &str {
    if unit.is_empty() { "no unit" } else { unit }
}

/// References by their words, in the order of the words.
fn chosen(all: &[Dof], wanted: &[String]) -> Result<Vec<Dof>, Refusal> {
    let mut taken: Vec<Dof> = Vec::new();
    for word in wanted {
        let is = |d: &&Dof| d.point == word.trim() || d.to_string().eq_ignore_ascii_case(word.trim());
        let found: Vec<&Dof> = all.iter().filter(is).collect();
        if found.is_empty() {
            let there: Vec<String> = all.iter().map(Dof::to_string).collect();
            let says = format!("references: {word} is none; allowed: {}", there.join(", "));
            return Err(Refusal::new("references", says));
        }
        taken.extend(found.into_iter().cloned());
    }
    if let Some(twice) = (1..taken.len()).find(|i| taken[..*i].contains(&taken[*i])) {
        return Err(Refusal::new("references", format!("references: {} is named twice", taken[twice])));
    }
    Ok(taken)
}

/// Which motion over force a unit is, and what one of it is in SI units.
fn motion_of(unit: &str) -> Option<(Motion, f64)> {
    let mut depth = 0;
    let slash = unit.char_indices().find(|(_, c)| {
        depth += i32::from(*c == '(') - i32::from(*c == ')');
        *c == '/' && depth == 0
    })?;
    let bare = |u: &str| find(u.trim().trim_start_matches('(').trim_end_matches(')')).ok();
    // Without brackets m/s²/N is told apart at its last slash.
    let at = if unit.contains('(') { slash.0 } else { unit.rfind('/')? };
    let (above, below) = (bare(&unit[..at])?, bare(&unit[at + 1..])?);
    let motion = match above.quantity {
        Quantity::Displacement => Motion::Receptance,
        Quantity::Velocity => Motion::Mobility,
        Quantity::Acceleration => Motion::Accelerance,
        _ => return None,
    };
    (below.quantity == Quantity::Force).then_some((motion, above.to_si / below.to_si))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::analysis::result::Points;
    use crate::analysis::words::Shown;

    fn response(to: (&str, &str), of: (&str, &str), unit: &str, value: f64) -> Trace {
        Trace {
            name: format!("{} over {}", to.0, of.0),
            channel: 1,
            reference: Some(2),
            mode: None,
            axes: None,
            dof: Dof::read(to.0, to.1),
            reference_dof: Dof::read(of.0, of.1),
            quantity: Shown::Response,
            unit: unit.into(),
            points: Points::Complex(vec![Complex64::new(value, 0.0); 2]),
            within: None,
        }
    }

    const HZ: [f64; 2] = [1.0, 2.0];

    #[test]
    fn responses_stand_along_their_directions_in_si_units() {
        let all = [response(("3", "z"), ("14", "-z"), "g/kN", 1.0), response(("14", "z"), ("14", "-z"), "g/kN", 2.0)];
        let t = Table::new(&HZ, &all, None).unwrap();
        assert_eq!(t.responses.iter().map(Dof::to_string).collect::<Vec<_>>(), ["3 z", "14 z"]);
        assert_eq!((t.driving(), t.functions.motion()), (vec![(1, 0)], Motion::Accelerance));
        // The hammer hit downwards, so what is up for the sensor is down for the force.
        assert!((t.functions.at(0, 0, 0).re + 9.806_65e-3).abs() < 1e-12, "{}", t.functions.at(0, 0, 0));
    }

    #[test]
    fn what_does_not_fit_together_is_told() {
        let says = |all: &[Trace], wanted: Option<&[String]>| Table::new(&HZ, all, wanted).unwrap_err().says;
        let one = || response(("3", "z"), ("14", "z"), "m/s²/N", 1.0);
        assert!(says(&[], None).contains("no complex response"));
        assert!(says(&[Trace { dof: None, ..one() }], None).contains("tells no points"));
        assert!(says(&[one(), one()], None).contains("3 z over 14 z is there twice"));
        assert!(
            says(&[one(), response(("4", "z"), ("15", "z"), "m/s²/N", 1.0)], None).contains("3 z over 15 z is missing")
        );
        assert!(says(&[one(), response(("4", "z"), ("14", "z"), "m/N", 1.0)], None).contains("one kind of motion"));
        assert!(says(&[response(("4", "z"), ("14", "z"), "V/N", 1.0)], None).contains("is in V/N"));
        assert!(says(&[one()], Some(&["15".into()])).contains("allowed: 14 z"));
        assert!(Table::new(&[2.0, 1.0], &[one()], None).is_err(), "frequencies fall");
        let both = [one(), response(("3", "z"), ("15", "z"), "m/s²/N", 1.0)];
        let t = Table::new(&HZ, &both, Some(&["15 Z".into()])).unwrap();
        assert_eq!((t.references.len(), t.functions.references()), (1, 1));
    }
}
