//! Functions of one or two degrees of freedom: dataset 58, as text and with binary values.

use super::cells::{Lines, columns, exponent, meant, place, words};
use super::kinds::{AxisKind, Direction, FunctionKind};
use crate::FormatError;
use echo_job::dof::Dof;
use echo_signal::spectrum::Complex64;

/// A degree of freedom: a point and a direction.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NodeDof {
    /// What the point belongs to; empty for nothing.
    pub entity: String,
    /// Number of the point.
    pub node: u32,
    /// Direction.
    pub direction: Direction,
}

impl NodeDof {
    /// The point by its number, with its direction; none without a point.
    pub fn dof(&self) -> Option<Dof> {
        let told = if self.direction == Direction::SCALAR { String::new() } else { self.direction.to_string() };
        Dof::read(&self.node.to_string(), &told).filter(|_| self.node > 0)
    }
}

/// An axis with its words.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Axis {
    /// What it is of.
    pub kind: AxisKind,
    /// What it is called, up to 20 letters.
    pub label: String,
    /// Its unit, up to 20 letters.
    pub unit: String,
}

impl Axis {
    /// An axis that is not used.
    pub fn none() -> Axis {
        Axis { kind: AxisKind::Unknown, label: String::new(), unit: String::new() }
    }
}

/// Places of values.
#[derive(Debug, Clone, PartialEq)]
pub enum Abscissa {
    /// Evenly spaced.
    Even {
        /// The first.
        from: f64,
        /// From one to the next.
        step: f64,
    },
    /// As told, one for each value.
    Uneven(Vec<f64>),
}

/// Values of a function.
#[derive(Debug, Clone, PartialEq)]
pub enum Ordinates {
    /// Real values.
    Real(Vec<f64>),
    /// Complex values.
    Complex(Vec<Complex64>),
}

impl Ordinates {
    fn len(&self) -> usize {
        match self {
            Ordinates::Real(v) => v.len(),
            Ordinates::Complex(v) => v.len(),
        }
    }

    /// Each number on its own, real and imaginary parts in turn.
    fn flat(&self) -> Vec<f64> {
        match self {
            Ordinates::Real(v) => v.clone(),
            Ordinates::Complex(v) => v.iter().flat_map(|z| [z.re, z.im]).collect(),
        }
    }
}

/// A function.
#[derive(Debug, Clone, PartialEq)]
pub struct Function {
    /// What it is.
    pub kind: FunctionKind,
    /// Five lines of words; the third is its date where it has one.
    pub lines: [String; 5],
    /// Where the answer is.
    pub response: NodeDof,
    /// What it answers to.
    pub reference: NodeDof,
    /// Axis of the places.
    pub abscissa_axis: Axis,
    /// Axis of the values; with a denominator of both.
    pub ordinate: Axis,
    /// What the values are divided by.
    pub denominator: Axis,
    /// Places.
    pub abscissa: Abscissa,
    /// Values.
    pub values: Ordinates,
}

/// How values are laid down.
struct Form {
    complex: bool,
    double: bool,
    even: bool,
    count: usize,
    from: f64,
    step: f64,
}

fn dof(lines: &Lines<'_>, cells: &[char]) -> Result<NodeDof, FormatError> {
    let text = |a: usize, b: usize| cells.iter().skip(a).take(b - a).collect::<String>();
    let node = text(11, 21)
        .trim()
        .parse()
        .map_err(|_| lines.wrong(format!("“{}” is no number of a point", text(11, 21).trim())))?;
    let told = text(21, 25);
    let direction = told.trim().parse().ok().and_then(Direction::new);
    let direction =
        direction.ok_or_else(|| lines.wrong(format!("“{}” is no direction; allowed: -6 to 6", told.trim())))?;
    Ok(NodeDof { entity: meant(&text(1, 11)), node, direction })
}

fn axis(lines: &mut Lines<'_>, what: &str) -> Result<Axis, FormatError> {
    let line = lines.need(what)?;
    let cells: Vec<char> = line.chars().collect();
    let text = |a: usize, b: usize| cells.iter().skip(a).take(b - a).collect::<String>();
    let number: i64 = text(0, 10).trim().parse().unwrap_or(0);
    let kind = AxisKind::of(number).unwrap_or(AxisKind::Unknown);
    Ok(Axis { kind, label: meant(&text(26, 46)), unit: meant(&text(47, 67)) })
}

/// Everything before the values.
fn head(lines: &mut Lines<'_>) -> Result<(Function, Form), FormatError> {
    let mut words = [const { String::new() }; 5];
    for line in &mut words {
        *line = meant(&lines.need("words about a function")?);
    }
    let identity: Vec<char> = lines.need("the degrees of freedom of a function")?.chars().collect();
    let number: String = identity.iter().take(5).collect();
    let kind = number.trim().parse().ok().and_then(FunctionKind::of);
    let kind =
        kind.ok_or_else(|| lines.wrong(format!("“{}” is no kind of function; allowed: 0 to 27", number.trim())))?;
    let (response, reference) =
        (dof(lines, &identity[identity.len().min(30)..])?, dof(lines, &identity[identity.len().min(55)..])?);
    let form = lines.need("the form of the values")?;
    let (first, rest) =
        form.split_at_checked(30).ok_or_else(|| lines.wrong("the form of the values needs six numbers"))?;
    let [data, count, spacing] = lines.whole(first, 10)?[..] else {
        return Err(lines.wrong("the form of the values needs six numbers"));
    };
    let [from, step, ..] = lines.numbers(rest, 13)?[..] else {
        return Err(lines.wrong("the form of the values needs six numbers"));
    };
    let (complex, double) = match data {
        2 => (false, false),
        4 => (false, true),
        5 => (true, false),
        6 => (true, true),
        other => return Err(lines.wrong(format!("{other} is no type of values; allowed: 2, 4, 5 and 6"))),
    };
    let count = usize::try_from(count).map_err(|_| lines.wrong(format!("{count} is no number of values")))?;
    let form = Form { complex, double, even: spacing != 0, count, from, step };
    let abscissa_axis = axis(lines, "the axis of the places")?;
    let ordinate = axis(lines, "the axis of the values")?;
    let denominator = axis(lines, "the axis of the denominator")?;
    axis(lines, "the third axis")?;
    let values = Ordinates::Real(Vec::new());
    let abscissa = Abscissa::Even { from, step };
    Ok((
        Function { kind, lines: words, response, reference, abscissa_axis, ordinate, denominator, abscissa, values },
        form,
    ))
}

impl Form {
    /// Numbers that belong to one value.
    fn width(&self) -> usize {
        1 + usize::from(self.complex) + usize::from(!self.even)
    }

    /// Puts numbers in their places.
    fn fill(&self, function: &mut Function, numbers: &[f64]) {
        let parts = numbers.chunks_exact(self.width());
        let first = usize::from(!self.even);
        function.values = if self.complex {
            Ordinates::Complex(parts.clone().map(|p| Complex64::new(p[first], p[first + 1])).collect())
        } else {
            Ordinates::Real(parts.clone().map(|p| p[first]).collect())
        };
        function.abscissa = if self.even {
            Abscissa::Even { from: self.from, step: self.step }
        } else {
            Abscissa::Uneven(parts.map(|p| p[0]).collect())
        };
    }

    fn of(function: &Function) -> Form {
        let (from, step, even) = match function.abscissa {
            Abscissa::Even { from, step } => (from, step, true),
            Abscissa::Uneven(_) => (0.0, 0.0, false),
        };
        let complex = matches!(function.values, Ordinates::Complex(_));
        Form { complex, double: true, even, count: function.values.len(), from, step }
    }
}

/// A function written as text.
pub(super) fn text(lines: &mut Lines<'_>) -> Result<Function, FormatError> {
    let (mut function, form) = head(lines)?;
    let mut numbers = Vec::new();
    while let Some(line) = lines.next() {
        numbers.extend(row(lines, &line, &form)?);
    }
    let wanted = form.count.saturating_mul(form.width());
    if numbers.len() != wanted {
        return Err(lines.wrong(format!("{wanted} numbers are announced and {} given", numbers.len())));
    }
    form.fill(&mut function, &numbers);
    Ok(function)
}

/// Numbers of a line of values: places have 13 columns, double values 20.
fn row(lines: &Lines<'_>, line: &str, form: &Form) -> Result<Vec<f64>, FormatError> {
    if form.even || !form.double {
        return lines.numbers(line, if form.double { 20 } else { 13 });
    }
    let mut found = Vec::new();
    let mut rest = line.trim_end();
    while !rest.is_empty() {
        let widths = std::iter::once(13).chain(std::iter::repeat_n(20, form.width() - 1));
        for width in widths {
            let cut = rest.char_indices().nth(width).map_or(rest.len(), |(at, _)| at);
            let (cell, after) = rest.split_at(cut);
            if !cell.is_empty() {
                found.extend(lines.numbers(cell, width)?);
            }
            rest = after;
        }
    }
    Ok(found)
}

/// A function with binary values; `first` is the dataset's first line.
pub(super) fn binary(lines: &mut Lines<'_>, first: &str) -> Result<Function, FormatError> {
    let cells: Vec<i64> =
        first.split('b').nth(1).unwrap_or("").split_whitespace().map_while(|t| t.parse().ok()).collect();
    let [order, kind, _, bytes, ..] = cells[..] else {
        return Err(lines.wrong("binary values need their byte order, kind, lines and bytes behind 58b"));
    };
    if kind != 2 || ![1, 2].contains(&order) {
        return Err(
            lines.wrong("binary values of this kind are not read; allowed: IEEE 754, the last or the first byte first")
        );
    }
    let (mut function, form) = head(lines)?;
    if !form.even && form.double {
        return Err(lines.wrong("binary double values at uneven places are written in two ways; write them as text"));
    }
    let bytes = usize::try_from(bytes).map_err(|_| lines.wrong(format!("{bytes} is no number of bytes")))?;
    let size = if form.double { 8 } else { 4 };
    if form.count.checked_mul(form.width() * size) != Some(bytes) {
        return Err(lines.wrong(format!("{} values do not make {bytes} bytes", form.count)));
    }
    let little = order == 1;
    let one = |b: &[u8]| -> f64 {
        let mut eight = [0; 8];
        eight[..size].copy_from_slice(b);
        if !little {
            eight[..size].reverse();
        }
        if form.double {
            f64::from_le_bytes(eight)
        } else {
            f64::from(f32::from_le_bytes([eight[0], eight[1], eight[2], eight[3]]))
        }
    };
    let numbers: Vec<f64> = lines.take(bytes)?.chunks_exact(size).map(one).collect();
    if numbers.iter().any(|x| !x.is_finite()) {
        return Err(lines.wrong("a value is not finite"));
    }
    form.fill(&mut function, &numbers);
    Ok(function)
}

fn head_text(f: &Function, form: &Form) -> String {
    let number = f.kind as i64;
    let dof = |d: &NodeDof| {
        let entity: String = words(&d.entity).trim_end().chars().take(10).collect();
        format!(" {entity:<10}{:>10}{:>4}", d.node, d.direction.number())
    };
    let axis = |a: &Axis| {
        let number = a.kind as i64;
        let cell = |t: &str| words(t).trim_end().chars().take(20).collect::<String>();
        format!("{number:>10}{:>5}{:>5}{:>5} {:<20} {:<20}\n", 0, 0, 0, cell(&a.label), cell(&a.unit))
    };
    let mut out: String = f.lines.iter().map(|l| words(l)).collect();
    out += &format!("{number:>5}{:>10}{:>5}{:>10}{}{}\n", 0, 0, 0, dof(&f.response), dof(&f.reference));
    let data = if form.complex { 6 } else { 4 };
    let places = [form.from, form.step, 0.0].map(place).concat();
    out += &format!("{data:>10}{:>10}{:>10}{places}\n", form.count, i32::from(form.even));
    out + &[&f.abscissa_axis, &f.ordinate, &f.denominator, &Axis::none()].map(axis).concat()
}

/// A function as text, values as double.
pub(super) fn write_text(f: &Function) -> String {
    let form = Form::of(f);
    let values = f.values.flat();
    let rows = match &f.abscissa {
        Abscissa::Even { .. } => columns(values.iter().map(|x| exponent(*x, 20, 12)), 4),
        Abscissa::Uneven(places) => {
            let a_value = form.width() - 1;
            let cells = places
                .iter()
                .zip(values.chunks(a_value))
                .map(|(at, own)| own.iter().fold(place(*at), |text, x| text + &exponent(*x, 20, 12)));
            columns(cells, if form.complex { 1 } else { 2 })
        }
    };
    head_text(f, &form) + &rows
}

/// A function with binary values: the dataset's first line and its body. Uneven places stay text.
pub(super) fn write_binary(f: &Function) -> (String, Vec<u8>) {
    let form = Form::of(f);
    if !form.even {
        return ("58".into(), write_text(f).into_bytes());
    }
    let values = f.values.flat();
    let bytes = 8 * values.len();
    let first = format!("{:>6}b{:>6}{:>6}{:>12}{bytes:>12}{:>6}{:>6}{:>12}{:>12}", 58, 1, 2, 11, 0, 0, 0, 0);
    let mut body = head_text(f, &form).into_bytes();
    values.iter().for_each(|x| body.extend(x.to_le_bytes()));
    body.push(b'\n');
    (first, body)
}
