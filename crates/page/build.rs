//! The page may not be built yet: a program without one says so when it is asked to serve it.

use std::path::Path;

fn main() -> std::io::Result<()> {
    let page = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../web/dist");
    std::fs::create_dir_all(&page)?;
    println!("cargo::rerun-if-changed={}", page.display());
    Ok(())
}
