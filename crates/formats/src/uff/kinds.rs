//! What functions, axes and directions can be, with the numbers a universal file tells them by.

/// Names with their numbers: the kinds, and the way from a number to its kind.
macro_rules! numbered {
    ($(#[$about:meta])* $name:ident { $($kind:ident = $number:literal,)+ }) => {
        $(#[$about])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq)]
        #[expect(missing_docs, reason = "the names of the description say it")]
        pub enum $name {
            $($kind = $number,)+
        }

        impl $name {
            /// The kind of a number, where there is one.
            pub(super) fn of(number: i64) -> Option<$name> {
                match number {
                    $($number => Some($name::$kind),)+
                    _ => None,
                }
            }
        }
    };
}

numbered! {
/// What a function is.
FunctionKind {
    General = 0,
    TimeResponse = 1,
    AutoSpectrum = 2,
    CrossSpectrum = 3,
    FrequencyResponse = 4,
    Transmissibility = 5,
    Coherence = 6,
    AutoCorrelation = 7,
    CrossCorrelation = 8,
    PowerSpectralDensity = 9,
    EnergySpectralDensity = 10,
    ProbabilityDensity = 11,
    Spectrum = 12,
    CumulativeFrequency = 13,
    PeaksValley = 14,
    StressCycles = 15,
    StrainCycles = 16,
    Orbit = 17,
    ModeIndicator = 18,
    ForcePattern = 19,
    PartialPower = 20,
    PartialCoherence = 21,
    Eigenvalue = 22,
    Eigenvector = 23,
    ShockResponse = 24,
    FiniteImpulseResponse = 25,
    MultipleCoherence = 26,
    OrderFunction = 27,
}
}

numbered! {
/// What an axis is of.
AxisKind {
    Unknown = 0,
    General = 1,
    Stress = 2,
    Strain = 3,
    Temperature = 5,
    HeatFlux = 6,
    Displacement = 8,
    ReactionForce = 9,
    Velocity = 11,
    Acceleration = 12,
    ExcitationForce = 13,
    Pressure = 15,
    Mass = 16,
    Time = 17,
    Frequency = 18,
    Rpm = 19,
    Order = 20,
}
}

/// A direction: ±1 to ±3 along X, Y, Z, ±4 to ±6 about them, 0 for a scalar.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Direction(i8);

impl Direction {
    /// No direction.
    pub const SCALAR: Direction = Direction(0);

    /// From its number, where it is one.
    pub fn new(number: i64) -> Option<Direction> {
        i8::try_from(number).ok().filter(|n| (-6..=6).contains(n)).map(Direction)
    }

    /// Its number.
    pub fn number(self) -> i8 {
        self.0
    }
}

impl std::fmt::Display for Direction {
    /// `+X`, `-Z`, `+RY`; `S` for a scalar.
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let sign = if self.0 < 0 { '-' } else { '+' };
        match self.0.unsigned_abs() {
            0 => write!(f, "S"),
            n @ 1..=3 => write!(f, "{sign}{}", ['X', 'Y', 'Z'][usize::from(n) - 1]),
            n => write!(f, "{sign}R{}", ['X', 'Y', 'Z'][usize::from(n) - 4]),
        }
    }
}
