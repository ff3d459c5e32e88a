//! `kiln deliver` over WebDAV, to a server that fails in every way: nothing half, nothing lost, and the next run
//! sends the rest and only that.

use serde_json::{Value, json};

use crate::deliver::{counts, fired};
use crate::support::dav::{Dav, Failing};
use crate::support::{Done, Scratch, interrupt, until};

/// One with the password in the environment.
fn deliver(scratch: &Scratch, dav: &Dav, more: &[&str]) -> (Done, Value) {
    let address = format!("{}/img", dav.address);
    let mut arguments = vec![
        "deliver",
        &address,
        "--user",
        "keeper",
        "--unencrypted",
        "--json",
        "--secret",
        "env LAMP",
    ];
    arguments.extend(more);
    let done = scratch.kiln_with(&[("LAMP", "lamp")], &arguments);
    let report = serde_json::from_str(&done.stdout).unwrap_or(Value::Null);
    (done, report)
}

/// What stands there is whole, and is what was fired; how many files that are.
fn sound(scratch: &Scratch, dav: &Dav) -> usize {
    let pieces = scratch.files("img");
    let state = dav.state();
    assert_eq!(state.wrong, Vec::<String>::new());
    let shown = state
        .files
        .iter()
        .filter(|(name, _)| !name.contains("kiln-part-"));
    for (name, bytes) in shown.clone() {
        let name = name.strip_prefix("img/").expect("in its folder");
        assert!(pieces[name] == *bytes, "{name} is whole");
    }
    shown.count()
}

#[test]
fn what_is_new_goes_once_and_is_checked() {
    let (scratch, dav) = (fired(), Dav::new());
    let (done, report) = deliver(&scratch, &dav, &[]);
    assert_eq!(done.code, 0, "{}", done.stderr);
    assert_eq!(counts(&report), json!({ "sent": 6 }));
    assert_eq!(sound(&scratch, &dav), 6);
    dav.fails(Failing::Not);
    let (_, again) = deliver(&scratch, &dav, &[]);
    assert_eq!(counts(&again), json!({ "there": 6 }));
    let asked = dav.state().asked.clone();
    assert!(
        asked.iter().all(|asked| asked.starts_with("PROPFIND")),
        "{asked:?}"
    );
    // What reads back as something else is found, though its length is the same.
    let name = "img/fog-90.jpg".to_owned();
    dav.state().files.get_mut(&name).expect("a file").reverse();
    let (done, _) = deliver(&scratch, &dav, &[]);
    assert!(
        done.stderr.contains("fog-90.jpg: was changed there"),
        "{}",
        done.stderr
    );
    // A lost ledger costs reading, not sending.
    dav.state().files.get_mut(&name).expect("a file").reverse();
    std::fs::remove_file(scratch.path("img/kiln-ledger.json")).expect("a ledger");
    scratch.fires(&["fire", "--adopt", "--quiet"]);
}

#[test]
fn whatever_fails_the_next_run_sends_the_rest_and_only_that() {
    // How it fails; how many files go at first; what is said; how many the next run sends.
    let cases = [
        (Failing::Full(2), 1, 2, "there is no room left"),
        (
            Failing::Unknown,
            1,
            0,
            "does not know this user and password",
        ),
        (
            Failing::Refusing("sea"),
            1,
            4,
            "sea-90.webp: the server refuses it (403",
        ),
        (Failing::Losing, 1, 0, "bytes stand there of"),
        (Failing::Busy(2), 0, 6, ""),
        (Failing::Cut(3), 0, 6, ""),
        (Failing::Slow(1), 0, 6, ""),
        (Failing::Lying(1), 0, 6, ""),
        (Failing::Fixed, 0, 6, ""),
    ];
    for (failing, code, sent, says) in cases {
        let (scratch, dav) = (fired(), Dav::new());
        dav.fails(failing.clone());
        let (done, _) = deliver(
            &scratch,
            &dav,
            &["--at-once", "1", "--tries", "3", "--timeout", "1"],
        );
        assert_eq!(done.code, code, "{failing:?}: {}", done.stderr);
        assert!(done.stderr.contains(says), "{failing:?}: {}", done.stderr);
        assert_eq!(sound(&scratch, &dav), sent, "{failing:?}");
        dav.fails(Failing::Not);
        let (done, rest) = deliver(&scratch, &dav, &[]);
        assert_eq!(done.code, 0, "{failing:?}: {}", done.stderr);
        let expected = match (sent, 6 - sent) {
            (0, rest) => json!({ "sent": rest }),
            (there, 0) => json!({ "there": there }),
            (there, rest) => json!({ "sent": rest, "there": there }),
        };
        assert_eq!(counts(&rest), expected, "{failing:?}");
        assert_eq!(sound(&scratch, &dav), 6, "{failing:?}");
        let parts = dav
            .state()
            .files
            .keys()
            .filter(|name| name.contains("kiln-part-"))
            .count();
        assert_eq!(parts, 0, "{failing:?}: nothing is left lying");
    }
}

#[test]
fn a_cut_off_connection_without_another_try_leaves_the_file_out() {
    let (scratch, dav) = (fired(), Dav::new());
    dav.fails(Failing::Cut(3));
    let (done, report) = deliver(&scratch, &dav, &["--at-once", "1", "--tries", "1"]);
    assert_eq!(done.code, 1);
    assert_eq!(counts(&report), json!({ "sent": 5, "failed": 1 }));
    assert_eq!(sound(&scratch, &dav), 5);
    let (done, rest) = deliver(&scratch, &dav, &[]);
    assert_eq!(
        (done.code, counts(&rest)),
        (0, json!({ "sent": 1, "there": 5 }))
    );
}

#[test]
fn ctrl_c_leaves_a_true_record() {
    let (scratch, dav) = (fired(), Dav::new());
    dav.fails(Failing::Busy(1000));
    let address = format!("{}/img", dav.address);
    let arguments = [
        "deliver",
        &address,
        "--user",
        "keeper",
        "--unencrypted",
        "--tries",
        "100",
    ];
    let mut run = scratch
        .command(&arguments)
        .env("KILN_PASSWORD", "lamp")
        .spawn()
        .expect("the program");
    until("files are sent", || {
        dav.state()
            .asked
            .iter()
            .any(|asked| asked.starts_with("PUT"))
    });
    interrupt(&run);
    assert_eq!(run.wait().expect("an end").code(), Some(130));
    dav.fails(Failing::Not);
    let (done, report) = deliver(&scratch, &dav, &[]);
    assert_eq!((done.code, counts(&report)), (0, json!({ "sent": 6 })));
}

#[test]
fn a_server_without_encryption_is_told_from_one_with_it() {
    let (scratch, dav) = (fired(), Dav::new());
    let secure = format!("{}/img", dav.address.replace("dav://", "davs://"));
    let arguments = ["deliver", &secure, "--user", "keeper", "--tries", "1"];
    let done = scratch.kiln_with(&[("KILN_PASSWORD", "lamp")], &arguments);
    let said = done.stderr;
    assert!(
        said.contains("does not speak TLS") || said.contains("ended the connection"),
        "{said}"
    );
    assert_eq!(done.code, 1);
}
