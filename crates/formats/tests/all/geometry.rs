//! Geometries and surfaces: what is written comes back, what others write is read, what is wrong is told.

use echo_formats::geometry::{read, sheet, surface, universal};
use echo_job::geometry::generate::Body;
use echo_job::geometry::{Geometry, Point};

fn tower() -> Geometry {
    let body = Body::Cylinder { radius_m: 0.75, height_m: 3.0, around: 8, along: 4 };
    let mut g = body.geometry("", 101).unwrap();
    g.called = ["", "athwart", "=up"].map(String::from);
    g
}

fn near(a: &Geometry, b: &Geometry) -> bool {
    let flat = |p: &Point| [p.x, p.y, p.z].into_iter().chain(p.axes().into_iter().flatten()).collect::<Vec<f64>>();
    let same = |(a, b): (&Point, &Point)| flat(a).iter().zip(flat(b)).all(|(a, b)| (a - b).abs() < 1e-9);
    a.points.len() == b.points.len() && a.points.iter().zip(&b.points).all(same)
}

#[test]
fn csv_gives_back_all_of_it() {
    let g = tower();
    let text = sheet::write(&g).unwrap();
    let found = read("tower.csv", &text).unwrap();
    assert_eq!((found.geometry, found.notes), (g, vec![]));
}

#[test]
fn a_name_that_a_spreadsheet_would_run_is_guarded() {
    let points = vec![Point::new("=1+1", 0.0, 0.0, 0.0), Point::new("a, \"b\"", -1.0, 0.0, 0.0)];
    let g = Geometry { points, lines: vec![vec!["=1+1".into(), "a, \"b\"".into()]], ..Geometry::default() };
    let text = String::from_utf8(sheet::write(&g).unwrap()).unwrap();
    assert!(text.contains("'=1+1") && text.contains("point,\"a, \"\"b\"\"\",-1"), "{text}");
    assert_eq!(read("a.csv", text.as_bytes()).unwrap().geometry, g);
}

#[test]
fn a_universal_file_gives_back_places_directions_lines_and_faces() {
    let g = tower();
    let found = read("tower.uff", &universal::write(&g)).unwrap();
    assert!(near(&found.geometry, &g));
    assert_eq!((found.geometry.lines, found.geometry.faces), (g.lines, g.faces));
    assert!(found.notes.is_empty(), "{:?}", found.notes);
}

#[test]
fn names_that_are_no_numbers_get_free_ones() {
    let points = ["deck", "7", "007", "0"].map(|n| Point::new(n, 0.0, 0.0, 0.0)).to_vec();
    let g = Geometry { points, lines: vec![vec!["deck".into(), "7".into()]], ..Geometry::default() };
    let found = read("a.uff", &universal::write(&g)).unwrap().geometry;
    assert_eq!(found.points.iter().map(|p| p.name.as_str()).collect::<Vec<_>>(), ["8", "7", "9", "10"]);
    assert_eq!(found.lines, [["8", "7"]]);
}

#[test]
fn what_a_universal_file_has_beside_is_told() {
    let text = "    -1\n   15\n         5         0         3        11  1.00000E+00  0.00000E+00  0.00000E+00\n         6         0         3        11  2.00000E+00  0.00000E+00  0.00000E+00\n    -1\n    -1\n   151\nmodel\n    -1\n    -1\n   82\n         1         5         7\nNONE\n         5         6         0         5         5\n    -1\n";
    let found = read("a.uff", text.as_bytes()).unwrap();
    assert_eq!(found.geometry.lines, [["5", "6"], ["5", "5"]]);
    assert_eq!(found.notes.len(), 2, "{:?}", found.notes);
    assert!(found.notes[0].contains("system 3 are not in the file"), "{:?}", found.notes);
    assert_eq!(found.notes[1], "not read: dataset 151");
}

#[test]
fn tables_of_points_are_read_as_they_come() {
    let points = |text: &str| {
        let all = read("t.csv", text.as_bytes()).unwrap().geometry.points;
        all.into_iter().map(|p| (p.name, [p.x, p.y, p.z])).collect::<Vec<_>>()
    };
    let wanted = vec![("1".to_string(), [0.5, 0.0, -0.25]), ("2".to_string(), [1.0, 2.0, 3.0])];
    assert_eq!(points("Node;X [mm];Y [mm];Z [mm]\n1;500,0;0;-250\n2;1000;2000,0;3000\n"), wanted);
    assert_eq!(points("x (cm)\ty (cm)\tz (cm)\tremark\n50\t0\t-25\tcorner\n100\t200\t300\t\n"), wanted);
    assert_eq!(points("0.5,0,-0.25\n1,2,3\n"), wanted);
    assert_eq!(points("1,0.5,0,-0.25\n2,1,2,3\n"), wanted);
}

#[test]
fn tables_that_are_none_of_points_are_refused_with_what_is_allowed() {
    let says = |text: &str| read("t.csv", text.as_bytes()).unwrap_err().to_string();
    assert!(says("name,x,y\n1,2,3\n").contains("no column z"));
    assert!(says("name,x [furlong],y,z\n1,2,3,4\n").contains("allowed: m, cm, mm"));
    assert!(says("name,x,y,z\n1,2,three,4\n").contains("row 2: “three” is no number"));
    assert!(says("name,x,y,z\n1,0,0,0\n1,1,0,0\n").contains("rows 1 and 2"));
    assert!(says("name,x,y,z\n1,0,0,0\nline,1,2\n").contains("“2”, which is no point"));
    assert!(says("1,2\n3,4\n").contains("allowed: name, x, y and z"));
    assert!(says("").contains("no point"));
    assert!(says("\0\u{1}\u{2}").contains("t.csv"));
}

/// A square of two triangles, 20 by 10 in the file's unit.
const OBJ: &str = "v 0 0 1\nv 20 0 1\nv 20 10 1\nv 0 10 1\nf 1 2 3 4\n";

#[test]
fn surfaces_are_read_in_their_unit() {
    let mesh = surface::read("plate.obj", OBJ.as_bytes(), 1e-3).unwrap();
    assert_eq!(mesh.triangles.len(), 2);
    let onto = mesh.nearest(&[[0.005, 0.005, 1.0], [1.0, 1.0, 0.0]]).unwrap();
    let near = |a: [f64; 3], b: [f64; 3]| a.iter().zip(b).all(|(a, b)| (a - b).abs() < 1e-7);
    assert!(near(onto[0], [0.005, 0.005, 0.001]) && near(onto[1], [0.02, 0.01, 0.001]), "{onto:?}");
    let text = "solid a\nfacet normal 0 0 1\n outer loop\n  vertex 0 0 0\n  vertex 1 0 0\n  vertex 0 1 0\n endloop\nendfacet\nendsolid a\n";
    let mesh = surface::read("a.stl", text.as_bytes(), 1.0).unwrap();
    assert_eq!(mesh.triangles, [[[0.0, 0.0, 0.0], [1.0, 0.0, 0.0], [0.0, 1.0, 0.0]]]);
    let mut binary = vec![b' '; 80];
    binary.extend(1u32.to_le_bytes());
    for x in [0.0f32, 0.0, 1.0, 0.0, 0.0, 0.0, 2.0, 0.0, 0.0, 0.0, 2.0, 0.0] {
        binary.extend(x.to_le_bytes());
    }
    binary.extend([0, 0]);
    let mesh = surface::read("a.stl", &binary, 0.5).unwrap();
    assert_eq!(mesh.triangles, [[[0.0, 0.0, 0.0], [1.0, 0.0, 0.0], [0.0, 1.0, 0.0]]]);
    binary.truncate(120);
    assert!(surface::read("a.stl", &binary, 1.0).is_err());
}

#[test]
fn surfaces_that_are_none_are_refused() {
    let says = |bytes: &[u8]| surface::read("a.obj", bytes, 1.0).unwrap_err().to_string();
    assert!(says(b"v 0 0 0\n").contains("no triangle"));
    assert!(says(b"v 0 0 0\nf 1 2 9\n").contains("a.obj"));
    assert!(says(b"v 0 0 nan\nv 1 0 0\nv 0 1 0\nf 1 2 3\n").contains("a.obj"));
    assert!(says(b"\x89PNG\r\n").contains("a.obj"));
}
