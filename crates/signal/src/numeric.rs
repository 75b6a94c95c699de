//! Small numeric helpers shared by several methods.

/// Sum of products, in eight interleaved sums so that it runs at the speed of the memory.
///
/// Takes the shorter length of both.
#[inline]
pub fn dot(a: &[f64], b: &[f64]) -> f64 {
    const LANES: usize = 8;
    let n = a.len().min(b.len());
    let (a, b) = (&a[..n], &b[..n]);
    let mut sums = [0.0; LANES];
    let (a_parts, b_parts) = (a.chunks_exact(LANES), b.chunks_exact(LANES));
    let rest: f64 = a_parts.remainder().iter().zip(b_parts.remainder()).map(|(x, y)| x * y).sum();
    for (x, y) in a_parts.zip(b_parts) {
        for k in 0..LANES {
            sums[k] += x[k] * y[k];
        }
    }
    sums.iter().sum::<f64>() + rest
}
