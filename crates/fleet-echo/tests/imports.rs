//! No two files import each other, neither directly nor in a circle: modules of each crate, and the page's.
//! A child may use what its parent has; a parent names its children.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

type Edges = BTreeMap<PathBuf, BTreeSet<PathBuf>>;

fn files(folder: &Path, ends: &[&str], out: &mut Vec<PathBuf>) {
    for entry in std::fs::read_dir(folder).unwrap().map(|e| e.unwrap().path()) {
        if entry.is_dir() {
            files(&entry, ends, out);
        } else if ends.iter().any(|e| entry.extension().is_some_and(|x| x == *e)) {
            out.push(entry);
        }
    }
}

/// The text of a file without comments at the ends of lines, and without its tests.
fn code(file: &Path) -> String {
    let text = std::fs::read_to_string(file).unwrap();
    let text = text.split("#[cfg(test)]\nmod ").next().unwrap_or("");
    text.lines().map(|l| l.split("//").next().unwrap_or("")).collect::<Vec<_>>().join("\n")
}

/// Every path of a `use` declaration: `a::{b, c::{d}}` are `a::b` and `a::c::d`.
fn spread(head: &[String], body: &str, out: &mut Vec<Vec<String>>) {
    let (mut depth, mut part) = (0i32, String::new());
    for c in body.chars().chain([',']) {
        if c == ',' && depth == 0 {
            let one = part.trim().split(" as ").next().unwrap_or("").trim().to_string();
            let words = |s: &str| s.split("::").map(str::trim).filter(|w| !w.is_empty()).map(String::from).collect();
            if let (Some(a), true) = (one.find('{'), one.ends_with('}')) {
                let more: Vec<String> = words(&one[..a]);
                spread(&[head, &more].concat(), &one[a + 1..one.len() - 1], out);
            } else if !one.is_empty() {
                let more: Vec<String> = words(&one);
                out.push([head, &more].concat());
            }
            part.clear();
            continue;
        }
        depth += i32::from(c == '{') - i32::from(c == '}');
        part.push(c);
    }
}

/// Paths that a module's text names: in `use` (but not `pub use`), and in full from `crate` or `super`.
fn named(text: &str) -> Vec<Vec<String>> {
    let mut out = Vec::new();
    let mut rest = String::new();
    let mut statement: Option<String> = None;
    for line in text.lines() {
        match &mut statement {
            Some(s) => s.push_str(line),
            None if line.trim_start().starts_with("use ") => statement = Some(line.trim_start()[4..].into()),
            None => {
                rest.push_str(line);
                rest.push('\n');
            }
        }
        if let Some(s) = statement.take_if(|s| s.contains(';')) {
            spread(&[], s.split(';').next().unwrap_or(""), &mut out);
        }
    }
    let word = |c: char| c.is_alphanumeric() || c == '_' || c == ':';
    for path in rest.split(|c| !word(c)).filter(|p| p.starts_with("crate::") || p.starts_with("super::")) {
        out.push(path.split("::").filter(|w| !w.is_empty()).map(String::from).collect());
    }
    out
}

fn modules(source: &Path, edges: &mut Edges) {
    let mut all = Vec::new();
    files(source, &["rs"], &mut all);
    let name = |f: &Path| -> Vec<String> {
        let inside = f.strip_prefix(source).unwrap().with_extension("");
        let words = inside.components().map(|c| c.as_os_str().to_string_lossy().into_owned());
        words.filter(|w| !["mod", "lib", "main"].contains(&w.as_str())).collect()
    };
    let known: BTreeMap<Vec<String>, &PathBuf> = all.iter().map(|f| (name(f), f)).collect();
    for file in &all {
        let own = name(file);
        for path in named(&code(file)) {
            let mut here = own.clone();
            let mut words = path.as_slice();
            match words.first().map(String::as_str) {
                Some("crate") => (here, words) = (Vec::new(), &words[1..]),
                Some("super") => {
                    while words.first().is_some_and(|w| w == "super") {
                        here.pop();
                        words = &words[1..];
                    }
                }
                Some(first) if known.contains_key(&[&here[..], &[first.to_string()]].concat()) => {}
                _ => continue,
            }
            let mut full = [&here[..], words].concat();
            while !full.is_empty() && !known.contains_key(&full) {
                full.pop();
            }
            // A parent is there for its children.
            if let Some(to) = known.get(&full).filter(|_| !full.is_empty() && !own.starts_with(&full)) {
                edges.entry(file.clone()).or_default().insert((*to).clone());
            }
        }
    }
}

fn page(source: &Path, edges: &mut Edges) {
    let mut all = Vec::new();
    files(source, &["ts", "tsx"], &mut all);
    let known: BTreeSet<&PathBuf> = all.iter().collect();
    for file in &all {
        let text = std::fs::read_to_string(file).unwrap();
        for from in text.split("from \"").skip(1).filter_map(|t| t.split('"').next()).filter(|p| p.starts_with('.')) {
            let mut to = file.parent().unwrap().to_path_buf();
            for step in from.split('/') {
                match step {
                    "." => {}
                    ".." => drop(to.pop()),
                    name => to.push(name),
                }
            }
            let tries = ["ts", "tsx"].map(|e| PathBuf::from(format!("{}.{e}", to.display())));
            if let Some(found) = tries.into_iter().find(|t| known.contains(t) && t != file) {
                edges.entry(file.clone()).or_default().insert(found);
            }
        }
    }
}

/// What is left after everything that nothing imports, or that imports nothing, is taken away.
fn circles(mut edges: Edges) -> Edges {
    loop {
        let imported: BTreeSet<PathBuf> = edges.values().flatten().cloned().collect();
        let before = edges.values().map(BTreeSet::len).sum::<usize>();
        edges.retain(|file, _| imported.contains(file));
        let importing: BTreeSet<PathBuf> = edges.keys().cloned().collect();
        edges.values_mut().for_each(|to| to.retain(|f| importing.contains(f)));
        edges.retain(|_, to| !to.is_empty());
        if edges.values().map(BTreeSet::len).sum::<usize>() == before {
            return edges;
        }
    }
}

#[test]
fn nothing_is_imported_in_a_circle() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").canonicalize().unwrap();
    let mut edges = Edges::new();
    for entry in std::fs::read_dir(root.join("crates")).unwrap() {
        modules(&entry.unwrap().path().join("src"), &mut edges);
    }
    page(&root.join("web/src"), &mut edges);
    let count = edges.values().map(BTreeSet::len).sum::<usize>();
    assert!(count > 500, "{count} imports were found");
    // One circle put in is found.
    let (a, b) = (PathBuf::from("a.rs"), PathBuf::from("b.rs"));
    let mut with = edges.clone();
    with.insert(a.clone(), [b.clone()].into());
    with.insert(b, [a.clone()].into());
    assert_eq!(circles(with).len(), 2 + circles(edges.clone()).len());
    let found = circles(edges);
    assert!(found.is_empty(), "imported in a circle: {found:#?}");
}

#[test]
fn handlers_import_no_handlers_of_other_subjects() {
    let api = Path::new(env!("CARGO_MANIFEST_DIR")).join("../server/src/api").canonicalize().unwrap();
    let mut services = Vec::new();
    files(api.parent().unwrap(), &["rs"], &mut services);
    // Services that handlers call know nothing of handlers.
    for file in services.iter().filter(|f| f.strip_prefix(api.parent().unwrap()).unwrap().starts_with("work")) {
        let names = named(&code(file));
        assert!(!names.iter().any(|p| p.iter().any(|w| w == "api")), "{} imports a handler", file.display());
    }
}
