//! The job files in docs/many-machines.md: their commands are understood, and they are of the form that Kubernetes
//! publishes.

use std::fs;
use std::path::Path;

use serde_json::json;

use crate::support::{Scratch, photo, python};

/// Says of each document what does not fit the strict schema of its kind, and which commands it runs.
const SCHEMA: &str = r#"
import json, sys, yaml, kubernetes_validate
found = []
for text in json.load(sys.stdin)["documents"]:
    document = yaml.safe_load(text)
    try:
        kubernetes_validate.validate(document, kubernetes_validate.latest_version(), strict=True)
        found.append("")
    except kubernetes_validate.ValidationError as error:
        found.append(f"{error.path}: {error.message}")
# One that is wrong, to see that it would be found.
try:
    kubernetes_validate.validate({**document, "sepc": {}}, kubernetes_validate.latest_version(), strict=True)
    found.append("a key that is none passes")
except kubernetes_validate.ValidationError:
    pass
print(json.dumps(found))
"#;

/// The blocks of a kind in the documentation.
fn blocks(kind: &str) -> Vec<String> {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/many-machines.md");
    let text = fs::read_to_string(path).expect("the documentation");
    let start = format!("```{kind}\n");
    let blocks = text.split(start.as_str()).skip(1);
    let blocks = blocks.map(|rest| rest.split("```").next().unwrap_or_default().to_owned());
    blocks.collect()
}

#[test]
fn their_commands_are_understood() {
    let scratch = Scratch::new();
    scratch.put("kiln.toml", b"originals = 'in'\n[every]\nwidth = 60\n");
    scratch.put("in/sea.jpg", &photo(80, 60, 1));
    let mut seen = 0;
    for document in blocks("yaml") {
        let line = document
            .lines()
            .find_map(|line| line.trim().strip_prefix("command: "));
        let command: Vec<String> = serde_json::from_str(line.expect("a command")).expect("a list");
        let mut arguments: Vec<&str> = command.iter().map(String::as_str).collect();
        assert_eq!(arguments.remove(0), "kiln");
        let engine = [("JOB_COMPLETION_INDEX", "0"), ("KILN_PARTS", "200")];
        let done = scratch.kiln_with(&engine, &arguments);
        assert_eq!(done.code, 0, "{arguments:?}: {}", done.stderr);
        seen += 1;
    }
    assert_eq!(seen, 3);
}

#[test]
#[ignore = "needs the schemas of Kubernetes"]
fn they_are_of_the_published_form() {
    let documents = blocks("yaml");
    let found = python(SCHEMA, &json!({ "documents": documents }));
    assert_eq!(found, json!(["", "", ""]));
}
