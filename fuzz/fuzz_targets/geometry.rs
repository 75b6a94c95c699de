//! A geometry as universal file or CSV, a surface as STL or OBJ; what is read is written and read again.
#![no_main]
use echo_formats::geometry::{read, sheet, surface, universal};

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    if let Ok(found) = read("a", bytes) {
        let _ = sheet::write(&found.geometry).map(|again| read("again", &again));
        let _ = read("again", &universal::write(&found.geometry));
    }
    let _ = surface::read("a", bytes, 1e-3);
});
