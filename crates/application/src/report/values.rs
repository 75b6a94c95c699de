//! Values of curves at places that are named, with what is known of their uncertainty.

use super::tables::{DIGITS, Rows, as_number};
use super::words::headed;
use echo_job::analysis::result::{Axis, Trace};
use echo_job::analysis::words::Shown;
use echo_job::report::language::Term;
use echo_report::document::Table;

impl Rows<'_> {
    /// A row for each curve at each place: the axis' own place next to the one that was named. Nothing where the result has
    /// no curves over one axis.
    pub(super) fn values(&self, at: &[f64]) -> Option<Table> {
        let (a, l) = (self.a, self.l);
        let [axis] = &a.axes[..] else { return None };
        let places: Vec<usize> = at.iter().filter_map(|x| next_to(axis, *x)).collect();
        let curves: Vec<&Trace> =
            a.traces.iter().filter(|t| t.quantity != Shown::Coherence && t.len() == axis.values.len()).collect();
        if places.is_empty() || curves.is_empty() {
            return None;
        }
        let complex = curves.iter().any(|t| t.complex().is_some());
        let coherent = complex && a.traces.iter().any(|t| t.quantity == Shown::Coherence);
        let along = headed(&l.word(axis.name.word()), &axis.unit);
        let value = l.says(Term::Value).to_string();
        let mut heads = vec![l.says(Term::Channels).to_string(), along.clone(), value.clone()];
        let mut plain_heads = vec![heads[0].clone(), along, value.clone(), format!("± {value}")];
        plain_heads.push(l.says(Term::Unit).into());
        if complex {
            heads.push(l.says(Term::PhaseDeg).into());
            plain_heads.push(l.says(Term::PhaseDeg).into());
        }
        if coherent {
            heads.push(l.word("coherence"));
            plain_heads.push(l.word("coherence"));
        }
        let (mut rows, mut plain) = (Vec::new(), Vec::new());
        for t in &curves {
            // Of pairs both ends are told by the curve's own name.
            let name = if t.reference.is_some() { t.name.clone() } else { (self.named)(t.channel) };
            for k in &places {
                let (z, size) = (t.complex().map(|z| z[*k]), size_at(t, *k));
                let u = self.uncertainty_at(t, *k, size);
                let told = u.map_or_else(|| l.quantity(size, DIGITS, &t.unit), |u| l.uncertain(size, u, &t.unit));
                let mut row = vec![name.clone(), l.short(axis.values[*k], 6), told];
                let half = u.map_or_else(String::new, as_number);
                let mut numbers = vec![name.clone(), as_number(axis.values[*k]), as_number(size), half, t.unit.clone()];
                let angle = z.map_or(f64::NAN, |z| z.arg().to_degrees());
                let mut more = |x: f64, digits: usize| {
                    row.push(if x.is_finite() { l.number(x, digits) } else { String::new() });
                    numbers.push(as_number(x));
                };
                if complex {
                    more(angle, 4);
                }
                if coherent {
                    more(self.coherence(t, *k).unwrap_or(f64::NAN), 4);
                }
                rows.push(row);
                plain.push(numbers);
            }
        }
        let digits = std::iter::once(false).chain(heads[1..].iter().map(|_| true)).collect();
        Some(Table { heads, rows, digits, plain: Some((plain_heads, plain)), ..Table::default() })
    }

    fn coherence(&self, t: &Trace, k: usize) -> Option<f64> {
        let same = |c: &&Trace| {
            c.quantity == Shown::Coherence && (c.channel, c.reference) == (t.channel, t.reference) && c.name != t.name
        };
        self.a.traces.iter().find(same)?.real().get(k).copied().filter(|g| g.is_finite())
    }

    /// Expanded uncertainty, coverage factor 2, of a curve's value at a place: what the sensors' certificates say and what
    /// averaging leaves, as the root of the sum of squares (JCGM 100). None where a part of it is not known.
    fn uncertainty_at(&self, t: &Trace, k: usize, size: f64) -> Option<f64> {
        let sensor = (self.uncertain)(t.channel)?;
        let together = |parts: &[f64]| parts.iter().map(|p| p * p).sum::<f64>().sqrt();
        match (t.quantity, t.reference) {
            // Bendat & Piersol, Random Data, 4th edition, table 9.6: of the gain, by what of both is coherent and how many
            // averages count.
            (Shown::Response | Shown::Receptance | Shown::Mobility | Shown::Accelerance, Some(reference)) => {
                let other = (self.uncertain)(reference)?;
                let (coherence, averaged) = (self.coherence(t, k)?, self.a.random_error?);
                let random = averaged * ((1.0 - coherence) / (2.0 * coherence)).max(0.0).sqrt();
                Some(size * together(&[sensor, other, 2.0 * random]))
            }
            // Of a density twice the sensor's share, as it is squared, and what scatters with the averages.
            (Shown::Psd, None) => Some(size * together(&[2.0 * sensor, 2.0 * self.a.random_error?])),
            (_, None) => match &t.within {
                // Already expanded, in the curve's unit.
                Some(within) => Some(together(&[sensor * size, *within.get(k)?])),
                None => Some(sensor * size),
            },
            _ => None,
        }
    }
}

fn size_at(t: &Trace, k: usize) -> f64 {
    t.complex().map_or_else(|| t.real()[k], |z| z[k].norm())
}

/// The axis' own place next to one; none where that is more than a step beyond its ends.
fn next_to(axis: &Axis, x: f64) -> Option<usize> {
    let off = |k: &usize| (axis.values[*k] - x).abs();
    let k = (0..axis.values.len()).min_by(|a, b| off(a).total_cmp(&off(b)))?;
    let step = match axis.values.len() {
        0 | 1 => 0.0,
        n => (axis.values[n - 1] - axis.values[0]).abs() / (n - 1) as f64,
    };
    // Of steps that grow, as of octaves, the next one may be far: what lies between the ends is taken.
    let inside = axis.values.first()? - step <= x && x <= axis.values.last()? + step;
    inside.then_some(k)
}

#[cfg(test)]
mod tests {
    use super::*;
    use echo_job::analysis::Analysis;
    use echo_job::report::language::Language;
    use serde_json::{Value, json};

    fn table(body: Value, at: &[f64]) -> Option<Table> {
        let base = json!({ "made": { "by": "", "at": "", "input": "" }, "numbers": [] });
        let mut all = base;
        all.as_object_mut().unwrap().extend(body.as_object().unwrap().clone());
        let a = Analysis::kept(all).unwrap();
        let (named, uncertain) = (|n: u32| format!("place {n}"), |n: u32| (n != 9).then_some(0.03));
        Rows { a: &a, named: &named, uncertain: &uncertain, over: &|_| false, l: Language::English }.values(at)
    }

    fn axes(unit: &str, values: &[f64]) -> Value {
        json!([{ "name": "frequency", "unit": unit, "values": values }])
    }

    #[test]
    fn a_response_is_known_as_far_as_sensors_and_averages_say() {
        let pair = |quantity: &str, name: &str| json!({ "name": name, "channel": 2, "reference": 1, "quantity": quantity, "unit": "g/N" });
        let mut response = pair("response", "top 2/1");
        response["re"] = json!([3.0, 0.0, 1.0]);
        response["im"] = json!([4.0, 2.0, 0.0]);
        let mut coherence = pair("coherence", "coherence 2/1");
        coherence["values"] = json!([0.8, 1.0, 0.5]);
        let body = json!({ "recipe": { "lens": "response", "reference": 1 }, "random_error": 0.2,
            "axes": axes("Hz", &[10.0, 12.0, 14.0]), "traces": [response, coherence] });
        let t = table(body.clone(), &[9.4, 12.9, 40.0]).unwrap();
        assert_eq!(t.heads, ["Channels", "frequency, Hz", "Value", "Phase, °", "coherence"]);
        // √(0.03² + 0.03² + (2·0.2·√(0.2/1.6))²) = 0.1477 of 5.
        assert_eq!(t.rows[0], ["top 2/1", "10", "(5.00 ± 0.74)\u{202f}g/N", "53.13", "0.8000"]);
        assert_eq!(t.rows[1], ["top 2/1", "12", "(2.000 ± 0.085)\u{202f}g/N", "90.00", "1.000"], "the sensors' alone");
        assert_eq!(t.rows.len(), 2, "what lies beyond the axis is left out");
        // What is not known of one end is not guessed.
        let mut unknown = body;
        unknown["traces"][0]["reference"] = json!(9);
        unknown["traces"][1]["reference"] = json!(9);
        assert_eq!(table(unknown, &[10.0]).unwrap().rows[0][2], "5.000\u{202f}g/N");
    }

    #[test]
    fn a_density_scatters_and_an_order_knows_its_own() {
        let trace = |quantity: &str, channel: u32| json!({ "name": "t", "channel": channel, "quantity": quantity, "unit": "g²/Hz", "values": [2.0, 4.0] });
        let of = |trace: Value| {
            json!({ "recipe": { "lens": "spectrum" }, "random_error": 0.1,
            "axes": axes("Hz", &[1.0, 2.0]), "traces": [trace] })
        };
        let cell = |body: Value| table(body, &[2.0]).unwrap().rows[0][2].clone();
        // √((2·0.03)² + (2·0.1)²) = 0.2088 of 4.
        assert_eq!(cell(of(trace("PSD", 3))), "(4.00 ± 0.84)\u{202f}g²/Hz");
        assert_eq!(cell(of(trace("rms", 3))), "(4.00 ± 0.12)\u{202f}g²/Hz", "of a tone averages take nothing away");
        assert_eq!(cell(of(trace("rms", 9))), "4.000\u{202f}g²/Hz");
        let mut order = trace("peak", 3);
        order["within"] = json!([0.1, 0.16]);
        assert_eq!(cell(of(order)), "(4.00 ± 0.20)\u{202f}g²/Hz");
        let t = table(of(trace("rms", 3)), &[1.0]).unwrap();
        assert_eq!(t.sheet().heads, ["Channels", "frequency, Hz", "Value", "± Value", "Unit"]);
        assert_eq!(t.sheet().rows[0], ["place 3", "1", "2", "0.06", "g²/Hz"]);
        let map = json!({ "recipe": { "lens": "spectrum" }, "axes": [axes("s", &[1.0])[0], axes("Hz", &[1.0])[0]], "traces": [] });
        assert!(table(map, &[1.0]).is_none(), "a map has no such values");
    }
}
