//! A surface from STL or OBJ, to put points onto.

use crate::FormatError;
use echo_job::geometry::mesh::Mesh;
use std::io::Cursor;

/// Most triangles.
pub const MOST_TRIANGLES: usize = 1_000_000;

/// Head of a binary STL, its count of triangles, and the bytes of one.
const STL_HEAD: usize = 80;
const STL_COUNT: usize = 4;
const STL_TRIANGLE: usize = 50;

/// How many triangles a binary STL announces, if it is as long as that takes.
fn announced(bytes: &[u8]) -> Option<usize> {
    let count = bytes.get(STL_HEAD..STL_HEAD + STL_COUNT)?;
    let n = u32::from_le_bytes(count.try_into().ok()?) as usize;
    (n.checked_mul(STL_TRIANGLE)?.checked_add(STL_HEAD + STL_COUNT)? == bytes.len()).then_some(n)
}

/// Reads STL (text or binary) or OBJ; lengths are multiplied by `to_m`. Which of them, the content tells.
///
/// # Errors
/// It is neither, has no triangle or too many, or coordinates that are no numbers.
pub fn read(name: &str, bytes: &[u8], to_m: f64) -> Result<Mesh, FormatError> {
    let wrong = |says: String| FormatError::not_that(name, says);
    let is_text_stl = bytes.trim_ascii_start().starts_with(b"solid") && bytes.windows(6).any(|w| w == b"vertex");
    let triangles = if announced(bytes).is_some() || is_text_stl { stl(bytes) } else { obj(bytes) }.map_err(wrong)?;
    if triangles.is_empty() {
        return Err(wrong("holds no triangle; allowed: STL or OBJ with a surface".into()));
    }
    if triangles.len() > MOST_TRIANGLES {
        return Err(wrong(format!("has {} triangles; allowed: up to {MOST_TRIANGLES}", triangles.len())));
    }
    let to_m = to_m as f32;
    let triangles: Vec<[[f32; 3]; 3]> = triangles.into_iter().map(|t| t.map(|c| c.map(|x| x * to_m))).collect();
    if triangles.iter().flatten().flatten().any(|x| !x.is_finite()) {
        return Err(wrong("has a coordinate that is no number".into()));
    }
    Ok(Mesh { triangles })
}

type Triangles = Vec<[[f32; 3]; 3]>;

fn stl(bytes: &[u8]) -> Result<Triangles, String> {
    let broken = |e: std::io::Error| format!("is no STL that can be read: {e}");
    let mut from = Cursor::new(bytes);
    let reader = stl_io::create_stl_reader(&mut from).map_err(broken)?;
    let corner = |v: stl_io::Vertex| [v[0], v[1], v[2]];
    reader.map(|t| t.map(|t| t.vertices.map(corner)).map_err(broken)).collect()
}

fn obj(bytes: &[u8]) -> Result<Triangles, String> {
    let options = tobj::LoadOptions { triangulate: true, ..tobj::LoadOptions::default() };
    let no_colours = |_: &std::path::Path| Err(tobj::LoadError::OpenFileFailed);
    let (models, _) = tobj::load_obj_buf(&mut Cursor::new(bytes), &options, no_colours)
        .map_err(|e| format!("is neither STL nor an OBJ that can be read: {e}"))?;
    let mut all = Vec::new();
    for mesh in models.into_iter().map(|m| m.mesh) {
        let places: &[[f32; 3]] = mesh.positions.as_chunks().0;
        for t in mesh.indices.as_chunks::<3>().0 {
            let corner = |k: usize| places.get(t[k] as usize).copied().ok_or("has a face at a point that is not there");
            all.push([corner(0)?, corner(1)?, corner(2)?]);
        }
    }
    Ok(all)
}
