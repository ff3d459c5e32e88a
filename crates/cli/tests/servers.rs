//! Real servers, delivered to. Needs apache2, sshd and openssl, and a Python with pyftpdlib, pyOpenSSL and moto named
//! by `KILN_TEST_PYTHON`; `.ci/run` gets them all.

use serde_json::json;

use crate::deliver::fired;
use crate::support::python;

const SERVERS: &str = include_str!("scripts/servers.py");

#[test]
#[ignore = "needs servers"]
fn real_servers_get_all_and_keep_nothing_half() {
    let (scratch, home) = (fired(), tempfile::tempdir().expect("a folder"));
    let wanted = json!({
        "kiln": env!("CARGO_BIN_EXE_kiln"),
        "site": scratch.path(""),
        "home": home.path(),
    });
    let found = python(SERVERS, &wanted);
    println!("{found:#}");
    for server in ["webdav", "sftp", "ftps", "bucket"] {
        assert!(found[server]["the rest after it"].is_object(), "{server}");
    }
}
