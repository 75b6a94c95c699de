//! A small, fast and repeatable source of noise.

/// Xorshift generator.
#[derive(Debug, Clone)]
pub struct Noise(u64);

impl Noise {
    /// Starts from any seed.
    pub fn new(seed: u64) -> Self {
        Noise(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1)
    }

    fn next(&mut self) -> u64 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        self.0
    }

    /// A nearly Gaussian number, mean 0, variance 1: the sum of four uniform ones.
    pub fn gaussian(&mut self) -> f64 {
        let bits = self.next();
        let sum = (bits & 0xffff) + ((bits >> 16) & 0xffff) + ((bits >> 32) & 0xffff) + (bits >> 48);
        (sum as f64 - 2.0 * 65535.0) * (3.0f64.sqrt() / 65536.0)
    }
}
