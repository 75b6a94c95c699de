//! What functions, axes and directions can be, with the numbers a universal file tells them by.

/// What a function is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[expect(missing_docs, reason = "the names of the description say it")]
pub enum FunctionKind {
    General,
    TimeResponse,
    AutoSpectrum,
    CrossSpectrum,
    FrequencyResponse,
    Transmissibility,
    Coherence,
    AutoCorrelation,
    CrossCorrelation,
    PowerSpectralDensity,
    EnergySpectralDensity,
    ProbabilityDensity,
    Spectrum,
    CumulativeFrequency,
    PeaksValley,
    StressCycles,
    StrainCycles,
    Orbit,
    ModeIndicator,
    ForcePattern,
    PartialPower,
    PartialCoherence,
    Eigenvalue,
    Eigenvector,
    ShockResponse,
    FiniteImpulseResponse,
    MultipleCoherence,
    OrderFunction,
}

/// Kinds in the order of their numbers, from 0.
pub(super) const KINDS: [FunctionKind; 28] = {
    use FunctionKind::*;
    [
        General,
        TimeResponse,
        AutoSpectrum,
        CrossSpectrum,
        FrequencyResponse,
        Transmissibility,
        Coherence,
        AutoCorrelation,
        CrossCorrelation,
        PowerSpectralDensity,
        EnergySpectralDensity,
        ProbabilityDensity,
        Spectrum,
        CumulativeFrequency,
        PeaksValley,
        StressCycles,
        StrainCycles,
        Orbit,
        ModeIndicator,
        ForcePattern,
        PartialPower,
        PartialCoherence,
        Eigenvalue,
        Eigenvector,
        ShockResponse,
        FiniteImpulseResponse,
        MultipleCoherence,
        OrderFunction,
    ]
};

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

/// What an axis is of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[expect(missing_docs, reason = "the names of the description say it")]
pub enum AxisKind {
    Unknown,
    General,
    Stress,
    Strain,
    Temperature,
    HeatFlux,
    Displacement,
    ReactionForce,
    Velocity,
    Acceleration,
    ExcitationForce,
    Pressure,
    Mass,
    Time,
    Frequency,
    Rpm,
    Order,
}

/// Kinds of axes with their numbers.
pub(super) const AXES: [(AxisKind, i64); 17] = {
    use AxisKind::*;
    [
        (Unknown, 0),
        (General, 1),
        (Stress, 2),
        (Strain, 3),
        (Temperature, 5),
        (HeatFlux, 6),
        (Displacement, 8),
        (ReactionForce, 9),
        (Velocity, 11),
        (Acceleration, 12),
        (ExcitationForce, 13),
        (Pressure, 15),
        (Mass, 16),
        (Time, 17),
        (Frequency, 18),
        (Rpm, 19),
        (Order, 20),
    ]
};
