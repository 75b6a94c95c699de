//! The memory of a smart sensor, bit for bit after IEEE 1451.4: basic block, then template 25
//! (accelerometer with built-in electronics), in pages of 32 bytes that begin with a checksum.

/// What the stand-in's sensors have in their memories.
#[derive(Debug, Clone, Copy)]
pub struct Written {
    /// Number of the maker (14 bit).
    pub maker: u64,
    /// Number of the model (15 bit).
    pub model: u64,
    /// Serial (24 bit).
    pub serial: u64,
    /// Sensitivity, V/(m/s²).
    pub sensitivity: f64,
    /// Reference frequency, Hz.
    pub reference_hz: f64,
    /// Day of calibration, days since 1 January 1998.
    pub calibrated_day: u64,
    /// Days until the next.
    pub period_days: u64,
}

const PAGE: usize = 32;

#[derive(Default)]
struct Bits(Vec<bool>);

impl Bits {
    fn put(&mut self, value: u64, bits: usize) {
        self.0.extend((0..bits).map(|i| value >> i & 1 == 1));
    }

    /// A value on a scale of equal ratios: `start · (1 + 2 tolerance)ⁿ`.
    fn ratio(&mut self, value: f64, bits: usize, start: f64, tolerance: f64) {
        let n = ((value / start).ln() / (1.0 + 2.0 * tolerance).ln()).round();
        self.put(n.clamp(0.0, ((1u64 << bits) - 2) as f64) as u64, bits);
    }
}

/// Memory of four pages with these entries.
pub fn memory(w: &Written) -> Vec<u8> {
    let mut b = Bits::default();
    b.put(w.maker, 14);
    b.put(w.model, 15);
    b.put(1, 5); // version letter A
    b.put(1, 6);
    b.put(w.serial, 24);
    b.put(0, 2); // a standard template follows
    b.put(25, 8);
    b.put(0, 1); // accelerometer
    b.put(0, 1); // no further functions
    b.ratio(w.sensitivity, 16, 5e-7, 0.00015);
    b.ratio(0.5, 8, 0.005, 0.03);
    b.put(2, 2); // direction z
    b.ratio(8.0, 6, 0.1, 0.1);
    b.put(0, 1); // positive
    b.put(0, 1); // no transfer function
    b.ratio(w.reference_hz, 8, 0.35, 0.0175);
    b.put(16, 5); // 23 °C
    b.put(w.calibrated_day, 16);
    for c in "SFT".bytes() {
        b.put(u64::from(c - b'A' + 1), 5);
    }
    b.put(w.period_days, 12);
    b.put(0, 11);
    b.put(3, 2); // nothing follows but the user's own text
    pages(&b.0)
}

fn pages(bits: &[bool]) -> Vec<u8> {
    let mut bytes: Vec<u8> =
        bits.chunks(8).map(|c| c.iter().enumerate().fold(0, |b, (i, on)| b | (u8::from(*on) << i))).collect();
    bytes.resize(4 * (PAGE - 1), 0);
    let mut all = Vec::new();
    for page in bytes.chunks(PAGE - 1) {
        let sum = page.iter().fold(0u8, |s, b| s.wrapping_add(*b));
        all.push(0u8.wrapping_sub(sum));
        all.extend(page);
    }
    all
}

/// A memory as it leaves the factory of the chip.
pub fn blank() -> Vec<u8> {
    vec![0xff; 4 * PAGE]
}

/// Two hexadecimal digits a byte.
pub fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|b| format!("{b:02x}")).collect()
}

/// The bytes of hexadecimal digits; none if they are not.
pub fn unhex(text: &str) -> Option<Vec<u8>> {
    if !text.len().is_multiple_of(2) || !text.is_ascii() {
        return None;
    }
    (0..text.len()).step_by(2).map(|i| u8::from_str_radix(&text[i..i + 2], 16).ok()).collect()
}
