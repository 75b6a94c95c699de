//! How alike two shapes are, and how close to a standing wave one is.
//!
//! Source: Allemang, "The modal assurance criterion – twenty years of use and abuse", Sound and
//! Vibration 2003; Juang & Pappa, "An eigensystem realization algorithm for modal parameter
//! identification", J. Guidance 1985 (phase collinearity).

use realfft::num_complex::Complex64;

/// Modal assurance criterion, 0 to 1: the squared cosine between two shapes of one length,
/// whatever their scales. NaN where one of them is all zero.
pub fn mac(a: &[Complex64], b: &[Complex64]) -> f64 {
    let square = |v: &[Complex64]| v.iter().map(Complex64::norm_sqr).sum::<f64>();
    let both: Complex64 = a.iter().zip(b).map(|(x, y)| x.conj() * y).sum();
    both.norm_sqr() / (square(a) * square(b))
}

/// Modal phase collinearity, 0 to 1: 1 where all points move in phase or against it, as in a
/// structure whose damping is spread like its stiffness. NaN for a shape that is all zero.
pub fn mpc(shape: &[Complex64]) -> f64 {
    let (xx, yy, xy) =
        shape.iter().fold((0.0, 0.0, 0.0), |(xx, yy, xy), z| (xx + z.re * z.re, yy + z.im * z.im, xy + z.re * z.im));
    ((xx - yy).powi(2) + 4.0 * xy * xy) / (xx + yy).powi(2)
}

/// The shape turned so that its points lie as near to the real axis as they can.
pub fn turned_real(shape: &[Complex64]) -> Vec<Complex64> {
    let squares: Complex64 = shape.iter().map(|z| z * z).sum();
    let turn = Complex64::from_polar(1.0, -0.5 * squares.arg());
    shape.iter().map(|z| z * turn).collect()
}
