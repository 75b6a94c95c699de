//! Units that an entry may carry, and what each measures.

/// Powers of m, kg, s and A.
pub type Powers = [i8; 4];

/// What a unit measures, as far as entries are concerned.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// Of the base units; shares and counts have none.
    Powers(Powers),
    /// Angles.
    Angle,
    /// Levels.
    Level,
    /// Sizes of files.
    Size,
}

/// A unit, how it is spelled, and its value in the base unit of its kind.
struct Unit {
    /// As it is shown, then other spellings.
    spellings: &'static [&'static str],
    kind: Kind,
    base: f64,
}

const fn unit(spellings: &'static [&'static str], kind: Kind, base: f64) -> Unit {
    Unit { spellings, kind, base }
}

const SHARE: Kind = Kind::Powers([0; 4]);
/// Times.
pub const TIME: Kind = Kind::Powers([0, 0, 1, 0]);
const RATE: Kind = Kind::Powers([0, 0, -1, 0]);
const CURRENT: Kind = Kind::Powers([0, 0, 0, 1]);
const CHARGE: Kind = Kind::Powers([0, 0, 1, 1]);
const VOLTAGE: Kind = Kind::Powers([2, 1, -3, -1]);
const LENGTH: Kind = Kind::Powers([1, 0, 0, 0]);
const VELOCITY: Kind = Kind::Powers([1, 0, -1, 0]);
const ACCELERATION: Kind = Kind::Powers([1, 0, -2, 0]);
const FORCE: Kind = Kind::Powers([1, 1, -2, 0]);
const PRESSURE: Kind = Kind::Powers([-1, 1, -2, 0]);

const INCH: f64 = 0.0254;
const POUND_FORCE: f64 = 4.448_221_615_260_5;
const G: f64 = crate::unit::STANDARD_GRAVITY;

/// Units of entries besides those of channels, the usual one of each kind first.
const UNITS: &[Unit] = &[
    unit(&["s", "sec", "second", "seconds"], TIME, 1.0),
    unit(&["ms", "msec", "millisecond", "milliseconds"], TIME, 1e-3),
    unit(&["µs", "us", "microsecond", "microseconds"], TIME, 1e-6),
    unit(&["min", "minute", "minutes"], TIME, 60.0),
    unit(&["h", "hr", "hour", "hours"], TIME, 3600.0),
    unit(&["d", "day", "days"], TIME, 86_400.0),
    unit(&["Hz", "1/s"], RATE, 1.0),
    unit(&["kHz"], RATE, 1e3),
    unit(&["MHz"], RATE, 1e6),
    unit(&["mHz"], RATE, 1e-3),
    unit(&["rpm", "1/min", "r/min", "rev/min"], RATE, 1.0 / 60.0),
    unit(&["V"], VOLTAGE, 1.0),
    unit(&["mV"], VOLTAGE, 1e-3),
    unit(&["µV", "uV"], VOLTAGE, 1e-6),
    unit(&["kV"], VOLTAGE, 1e3),
    unit(&["A"], CURRENT, 1.0),
    unit(&["mA"], CURRENT, 1e-3),
    unit(&["C"], CHARGE, 1.0),
    unit(&["pC"], CHARGE, 1e-12),
    unit(&["nC"], CHARGE, 1e-9),
    unit(&["m/s²", "m/s2", "m/s^2"], ACCELERATION, 1.0),
    unit(&["mm/s²", "mm/s2", "mm/s^2"], ACCELERATION, 1e-3),
    unit(&["g", "gn"], ACCELERATION, G),
    unit(&["mg"], ACCELERATION, 1e-3 * G),
    unit(&["m/s"], VELOCITY, 1.0),
    unit(&["mm/s"], VELOCITY, 1e-3),
    unit(&["µm/s", "um/s"], VELOCITY, 1e-6),
    unit(&["in/s", "ips"], VELOCITY, INCH),
    unit(&["m"], LENGTH, 1.0),
    unit(&["cm"], LENGTH, 1e-2),
    unit(&["mm"], LENGTH, 1e-3),
    unit(&["µm", "um"], LENGTH, 1e-6),
    unit(&["in", "inch"], LENGTH, INCH),
    unit(&["mil", "mils"], LENGTH, 1e-3 * INCH),
    unit(&["N"], FORCE, 1.0),
    unit(&["mN"], FORCE, 1e-3),
    unit(&["kN"], FORCE, 1e3),
    unit(&["lbf"], FORCE, POUND_FORCE),
    unit(&["Pa"], PRESSURE, 1.0),
    unit(&["kPa"], PRESSURE, 1e3),
    unit(&["MPa"], PRESSURE, 1e6),
    unit(&["mbar", "hPa"], PRESSURE, 1e2),
    unit(&["bar"], PRESSURE, 1e5),
    unit(&["psi"], PRESSURE, POUND_FORCE / (INCH * INCH)),
    unit(&["", "×", "times"], SHARE, 1.0),
    unit(&["%", "percent"], SHARE, 1e-2),
    unit(&["‰"], SHARE, 1e-3),
    unit(&["µm/m", "um/m", "µε", "ue", "ppm"], SHARE, 1e-6),
    unit(&["mm/m"], SHARE, 1e-3),
    unit(&["dB"], Kind::Level, 1.0),
    unit(&["°", "deg", "degree", "degrees"], Kind::Angle, 1.0),
    unit(&["rad"], Kind::Angle, 180.0 / std::f64::consts::PI),
    unit(&["mrad"], Kind::Angle, 0.18 / std::f64::consts::PI),
    unit(&["rev", "turn", "turns"], Kind::Angle, 360.0),
    unit(&["B"], Kind::Size, 1.0),
    unit(&["kB"], Kind::Size, 1e3),
    unit(&["MB"], Kind::Size, 1e6),
    unit(&["GB"], Kind::Size, 1e9),
    unit(&["TB"], Kind::Size, 1e12),
];

/// A unit that was found.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Found {
    /// What it measures.
    pub kind: Kind,
    /// One of it in the base unit of its kind.
    pub base: f64,
}

/// Finds a unit by any of its spellings. Capitals matter only where they tell two units apart.
pub fn find(text: &str) -> Option<Found> {
    let wanted = text.trim().replace('\u{3bc}', "µ");
    let exact = UNITS.iter().find(|u| u.spellings.contains(&wanted.as_str()));
    if let Some(u) = exact {
        return Some(Found { kind: u.kind, base: u.base });
    }
    let like = |u: &&Unit| u.spellings.iter().any(|s| s.to_lowercase() == wanted.to_lowercase());
    let alike: Vec<&Unit> = UNITS.iter().filter(like).collect();
    match alike[..] {
        [one] => Some(Found { kind: one.kind, base: one.base }),
        _ => None,
    }
}

impl Kind {
    /// The word for it, with its article.
    pub fn name(self) -> &'static str {
        match self {
            SHARE => "a plain number",
            TIME => "a time",
            RATE => "a frequency",
            CURRENT => "a current",
            CHARGE => "a charge",
            VOLTAGE => "a voltage",
            LENGTH => "a length",
            VELOCITY => "a velocity",
            ACCELERATION => "an acceleration",
            FORCE => "a force",
            PRESSURE => "a pressure",
            Kind::Powers(_) => "another quantity",
            Kind::Angle => "an angle",
            Kind::Level => "a level",
            Kind::Size => "a size",
        }
    }

    /// Units it is typed in.
    pub fn units(self) -> Vec<&'static str> {
        UNITS.iter().filter(|u| u.kind == self).map(|u| u.spellings[0]).filter(|s| !s.is_empty()).collect()
    }
}
