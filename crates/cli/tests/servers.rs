//! Real servers, delivered to. Needs apache2, sshd and openssl, and a Python with pyftpdlib, pyOpenSSL and moto named
//! by `KILN_TEST_PYTHON`; `.ci/run` gets them all.

use std::process::{Command, Stdio};

use serde_json::{Value, json};

use crate::deliver::fired;

const SERVERS: &str = include_str!("scripts/servers.py");

#[test]
#[ignore = "needs servers"]
fn real_servers_get_all_and_keep_nothing_half() {
    let scratch = fired();
    let wanted = json!({
        "kiln": env!("CARGO_BIN_EXE_kiln"),
        "site": scratch.path(""),
        "home": tempfile::tempdir().expect("a folder").keep(),
    });
    let wanted_file = tempfile::NamedTempFile::new().expect("a file");
    std::fs::write(wanted_file.path(), wanted.to_string()).expect("a file");
    let python =
        std::env::var("KILN_TEST_PYTHON").expect("KILN_TEST_PYTHON names what this test needs");
    let output = Command::new(python)
        .args(["-c", SERVERS])
        .stdin(std::fs::File::open(wanted_file.path()).expect("a file"))
        .stderr(Stdio::inherit())
        .output()
        .expect("Python");
    assert!(output.status.success());
    let found: Value = serde_json::from_slice(&output.stdout).expect("JSON");
    println!("{found:#}");
    for server in ["webdav", "sftp", "ftps", "bucket"] {
        assert!(found[server]["the rest after it"].is_object(), "{server}");
    }
}
