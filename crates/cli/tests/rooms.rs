//! The map in docs/rooms.md is true.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::{Path, PathBuf};

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

fn map() -> String {
    fs::read_to_string(root().join("docs/rooms.md")).expect("the map")
}

/// The words between backticks.
fn quoted(cell: &str) -> BTreeSet<String> {
    cell.split('`')
        .skip(1)
        .step_by(2)
        .map(str::to_owned)
        .collect()
}

/// Room → rooms that it may import, from the table below a heading.
fn allowed(heading: &str) -> BTreeMap<String, BTreeSet<String>> {
    let map = map();
    let (_, section) = map.split_once(heading).expect("the heading");
    let section = section.split("\n## ").next().expect("a section");
    let rows = section.lines().filter(|line| line.starts_with("| `"));
    rows.map(|row| {
        let cells: Vec<&str> = row.split('|').collect();
        let room = quoted(cells[1]).pop_first().expect("a room's name");
        (room, quoted(cells[3]))
    })
    .collect()
}

fn rust_files(folder: &Path) -> Vec<PathBuf> {
    let mut found = Vec::new();
    for entry in fs::read_dir(folder).expect("a folder") {
        let path = entry.expect("an entry").path();
        if path.is_dir() {
            found.extend(rust_files(&path));
        } else if path.extension().is_some_and(|e| e == "rs") {
            found.push(path);
        }
    }
    found
}

/// Every `crate::room` in the code above a file's tests.
fn imports(file: &Path) -> BTreeSet<String> {
    let text = fs::read_to_string(file).expect("a source file");
    let code = text.split("#[cfg(test)]").next().unwrap_or_default();
    let lines = code
        .lines()
        .filter(|line| !line.trim_start().starts_with("//"));
    let mentions = lines.flat_map(|line| line.split("crate::").skip(1));
    mentions
        .flat_map(|rest| {
            let group = rest.strip_prefix('{').and_then(|g| g.split_once('}'));
            let names = group
                .map_or(rest, |(names, _)| names)
                .split(if group.is_some() { ',' } else { '\0' });
            names.map(|name| {
                name.trim()
                    .chars()
                    .take_while(|c| c.is_alphanumeric() || *c == '_')
                    .collect::<String>()
            })
        })
        .collect()
}

fn check(source: &str, heading: &str) {
    let allowed = allowed(heading);
    let source = root().join(source);
    let mut seen = BTreeSet::new();
    for file in rust_files(&source) {
        let below = file.strip_prefix(&source).expect("below");
        let first = below.components().next().expect("a part").as_os_str();
        let room = first.to_string_lossy().trim_end_matches(".rs").to_owned();
        if room == "lib" {
            continue;
        }
        let may = allowed
            .get(&room)
            .unwrap_or_else(|| panic!("{room} is not on the map"));
        // Tests may know of everything.
        if file.ends_with("tests.rs") || below.iter().any(|part| part == "tests") {
            continue;
        }
        for import in imports(&file) {
            assert!(
                import == room || may.contains(&import),
                "{} imports {import}",
                file.display()
            );
        }
        // `main` names the other rooms without `crate::`.
        seen.insert(room);
    }
    let listed: BTreeSet<String> = allowed.into_keys().collect();
    assert_eq!(listed, seen, "the map and the code have the same rooms");
}

#[test]
fn rooms_import_only_what_the_map_allows() {
    check("crates/sight/src", "## crates/sight");
    check("crates/jpeg/src", "## crates/jpeg");
    check("crates/av1/src", "## crates/av1");
    check("crates/core/src", "## crates/core");
    check("crates/site/src", "## crates/site");
    check("crates/cli/src", "## crates/cli");
}

#[test]
fn the_map_has_no_circles() {
    let crates = ["sight", "jpeg", "av1", "core", "site", "cli"];
    for heading in crates.map(|name| format!("## crates/{name}")) {
        let heading = heading.as_str();
        let mut left = allowed(heading);
        while !left.is_empty() {
            let free = |(room, needs): (&String, &BTreeSet<String>)| {
                needs
                    .iter()
                    .all(|need| !left.contains_key(need))
                    .then(|| room.clone())
            };
            let free: Vec<String> = left.iter().filter_map(free).collect();
            assert!(!free.is_empty(), "a circle among {:?}", left.keys());
            left.retain(|room, _| !free.contains(room));
        }
    }
}

#[test]
fn long_files_are_listed_with_a_reason() {
    let map = map();
    let (_, listed) = map
        .split_once("## Files over 500 lines")
        .expect("the heading");
    for file in rust_files(&root().join("crates")) {
        let lines = fs::read_to_string(&file)
            .expect("a source file")
            .lines()
            .count();
        let file = file
            .strip_prefix(root())
            .expect("below")
            .to_string_lossy()
            .into_owned();
        assert!(
            lines <= 500 || listed.contains(&format!("`{file}`")),
            "{file} has {lines} lines"
        );
    }
}

/// Bytes are the same on every machine: what the platform's library computes is left alone.
#[test]
fn no_result_hangs_on_the_platforms_mathematics() {
    let named = [
        "powf", "powi", "exp", "exp2", "ln", "log2", "log10", "sin", "cos", "tan", "cbrt", "hypot",
    ];
    for crate_ in [
        "crates/core/src",
        "crates/jpeg/src",
        "crates/av1/src",
        "crates/sight/src",
    ] {
        for file in rust_files(&root().join(crate_)) {
            if file.ends_with("tests.rs") {
                continue;
            }
            let text = fs::read_to_string(&file).expect("a source file");
            let code = text.split("#[cfg(test)]").next().unwrap_or_default();
            for name in named {
                let call = format!(".{name}(");
                assert!(!code.contains(&call), "{} calls {name}", file.display());
            }
        }
    }
}

/// A key that nobody can read about is no key.
#[test]
fn every_setting_is_documented() {
    let table = root().join("crates/cli/src/layer/table.rs");
    let table = fs::read_to_string(table).expect("the table");
    let documented = fs::read_to_string(root().join("docs/kiln-file.md")).expect("the document");
    let (mut keys, mut opened) = (0, false);
    for line in table.lines().map(str::trim) {
        let key = line.strip_prefix("key: ").or(opened.then_some(line));
        opened = ["single!(", "switch!(", "measure!("].contains(&line);
        let key = key.and_then(|key| key.strip_prefix('"')?.strip_suffix("\","));
        if let Some(key) = key {
            keys += 1;
            assert!(
                documented.contains(&format!("`{key}`")),
                "{key} is not documented"
            );
        }
    }
    assert!(keys == 30, "{keys} keys");
}
