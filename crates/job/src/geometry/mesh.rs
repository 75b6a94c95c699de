//! A surface of triangles: a drawing of the specimen that its points are put onto.

use rayon::prelude::*;

/// A surface.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Mesh {
    /// Its triangles by their corners, m.
    pub triangles: Vec<[[f32; 3]; 3]>,
}

/// Triangles of a block that is passed over as a whole where it is too far away.
const BLOCK: usize = 256;

fn minus(a: [f64; 3], b: [f64; 3]) -> [f64; 3] {
    [a[0] - b[0], a[1] - b[1], a[2] - b[2]]
}

fn dot(a: [f64; 3], b: [f64; 3]) -> f64 {
    a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
}

fn along(a: [f64; 3], ab: [f64; 3], s: f64) -> [f64; 3] {
    std::array::from_fn(|i| a[i] + s * ab[i])
}

/// The place of a triangle that is nearest to a point.
///
/// Source: C. Ericson, "Real-Time Collision Detection", section 5.1.5: the regions of a triangle's corners, edges and
/// inside.
fn nearest_of(triangle: &[[f32; 3]; 3], p: [f64; 3]) -> [f64; 3] {
    let [a, b, c] = triangle.map(|corner| corner.map(f64::from));
    let (ab, ac, ap) = (minus(b, a), minus(c, a), minus(p, a));
    let (d1, d2) = (dot(ab, ap), dot(ac, ap));
    if d1 <= 0.0 && d2 <= 0.0 {
        return a;
    }
    let bp = minus(p, b);
    let (d3, d4) = (dot(ab, bp), dot(ac, bp));
    if d3 >= 0.0 && d4 <= d3 {
        return b;
    }
    let vc = d1 * d4 - d3 * d2;
    if vc <= 0.0 && d1 >= 0.0 && d3 <= 0.0 {
        return along(a, ab, if d1 > d3 { d1 / (d1 - d3) } else { 0.0 });
    }
    let cp = minus(p, c);
    let (d5, d6) = (dot(ab, cp), dot(ac, cp));
    if d6 >= 0.0 && d5 <= d6 {
        return c;
    }
    let vb = d5 * d2 - d1 * d6;
    if vb <= 0.0 && d2 >= 0.0 && d6 <= 0.0 {
        return along(a, ac, if d2 > d6 { d2 / (d2 - d6) } else { 0.0 });
    }
    let va = d3 * d6 - d5 * d4;
    if va <= 0.0 && d4 - d3 >= 0.0 && d5 - d6 >= 0.0 {
        let of = (d4 - d3) + (d5 - d6);
        return along(b, minus(c, b), if of > 0.0 { (d4 - d3) / of } else { 0.0 });
    }
    let of = va + vb + vc;
    if of <= 0.0 {
        return a;
    }
    along(along(a, ab, vb / of), ac, vc / of)
}

/// A box around triangles.
struct Around {
    low: [f64; 3],
    high: [f64; 3],
}

impl Around {
    fn of(triangles: &[[[f32; 3]; 3]]) -> Around {
        let mut around = Around { low: [f64::INFINITY; 3], high: [f64::NEG_INFINITY; 3] };
        for corner in triangles.iter().flatten() {
            for i in 0..3 {
                around.low[i] = around.low[i].min(f64::from(corner[i]));
                around.high[i] = around.high[i].max(f64::from(corner[i]));
            }
        }
        around
    }

    /// Square of the distance to a point, 0 inside.
    fn away(&self, p: [f64; 3]) -> f64 {
        (0..3).map(|i| (self.low[i] - p[i]).max(p[i] - self.high[i]).max(0.0).powi(2)).sum()
    }
}

impl Mesh {
    /// For each place, the nearest one of the surface, on all cores; none where there is no triangle.
    pub fn nearest(&self, places: &[[f64; 3]]) -> Option<Vec<[f64; 3]>> {
        if self.triangles.is_empty() {
            return None;
        }
        let blocks: Vec<(Around, &[[[f32; 3]; 3]])> =
            self.triangles.chunks(BLOCK).map(|t| (Around::of(t), t)).collect();
        let one = |p: &[f64; 3]| {
            // The nearest block first: most of the others are then too far away to be looked into.
            let mut order: Vec<(f64, &[[[f32; 3]; 3]])> = blocks.iter().map(|(a, t)| (a.away(*p), *t)).collect();
            order.sort_unstable_by(|a, b| a.0.total_cmp(&b.0));
            let mut best = (f64::INFINITY, *p);
            for (least, triangles) in order {
                if least >= best.0 {
                    break;
                }
                for t in triangles {
                    let q = nearest_of(t, *p);
                    let off = minus(q, *p);
                    if dot(off, off) < best.0 {
                        best = (dot(off, off), q);
                    }
                }
            }
            best.1
        };
        Some(places.par_iter().map(one).collect())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The nearest place by trying a fine grid of the triangle.
    fn tried(t: &[[f32; 3]; 3], p: [f64; 3]) -> f64 {
        let [a, b, c] = t.map(|corner| corner.map(f64::from));
        let n = 200;
        let all = (0..=n).flat_map(|i| (0..=n - i).map(move |j| (i as f64 / n as f64, j as f64 / n as f64)));
        let at = |(u, v): (f64, f64)| along(along(a, minus(b, a), u), minus(c, a), v);
        all.map(|uv| minus(at(uv), p)).map(|d| dot(d, d).sqrt()).fold(f64::INFINITY, f64::min)
    }

    #[test]
    fn the_nearest_place_is_found_at_corners_edges_and_inside() {
        let t = [[0.0f32, 0.0, 0.0], [2.0, 0.0, 0.5], [0.3, 1.5, -0.2]];
        let ring = (0..48).map(|k| f64::from(k) * 0.131);
        for p in ring.flat_map(|a| [[3.0 * a.cos(), 3.0 * a.sin(), 1.0], [0.7 + 0.3 * a.cos(), 0.4, a.sin()]]) {
            let off = minus(nearest_of(&t, p), p);
            let (found, tried) = (dot(off, off).sqrt(), tried(&t, p));
            assert!(found <= tried + 1e-9 && found > tried - 0.02, "{p:?}: {found} and {tried}");
        }
    }

    #[test]
    fn places_come_onto_the_surface_of_a_ball() {
        let (rings, around) = (60, 120);
        let at = |i: usize, k: usize| {
            let (a, b) =
                (i as f64 / rings as f64 * std::f64::consts::PI, k as f64 / around as f64 * std::f64::consts::TAU);
            [a.sin() * b.cos(), a.sin() * b.sin(), a.cos()].map(|x| x as f32)
        };
        let cells = (0..rings).flat_map(|i| (0..around).map(move |k| (i, k)));
        let triangles = cells
            .flat_map(|(i, k)| [[at(i, k), at(i + 1, k), at(i + 1, k + 1)], [at(i, k), at(i + 1, k + 1), at(i, k + 1)]])
            .collect();
        let mesh = Mesh { triangles };
        let places = [[3.0, 0.0, 0.0], [0.0, -2.0, 1.0], [0.2, 0.1, 0.3]];
        for (p, q) in places.iter().zip(mesh.nearest(&places).unwrap()) {
            let (length, from) = (dot(q, q).sqrt(), dot(*p, *p).sqrt());
            assert!((length - 1.0).abs() < 2e-3, "{q:?}");
            assert!((dot(*p, q) / (length * from) - 1.0).abs() < 1e-3, "{p:?} and {q:?}");
        }
        assert_eq!(Mesh::default().nearest(&places), None);
    }

    #[test]
    fn a_triangle_without_a_size_is_a_corner() {
        let t = [[1.0f32, 1.0, 1.0]; 3];
        assert_eq!(nearest_of(&t, [5.0, 0.0, 0.0]), [1.0, 1.0, 1.0]);
    }
}
