//! `kiln deliver` to media libraries: files with their texts, addresses that come back into pages, and what is done
//! when texts or pictures change.

use std::fs;

use serde_json::{Value, json};

use crate::deliver::{counts, fired};
use crate::support::library::Library;
use crate::support::{Done, Scratch, photo};

/// A site that was fired, whose kiln file has a target `library`.
fn site(library: &Library, target: &str) -> Scratch {
    let scratch = fired();
    let kiln = fs::read_to_string(scratch.path("kiln.toml")).expect("a kiln file");
    let target = target.replace("HERE", &library.address);
    let kiln =
        format!("{kiln}[target.library]\nunencrypted = true\nsecret = 'env LAMP'\n{target}\n");
    scratch.put("kiln.toml", kiln.as_bytes());
    scratch
}

fn deliver(scratch: &Scratch, more: &[&str]) -> (Done, Value) {
    let mut arguments = vec!["deliver", "library", "--json"];
    arguments.extend(more);
    let done = scratch.kiln_with(&[("LAMP", "lamp")], &arguments);
    let report = serde_json::from_str(&done.stdout).unwrap_or(Value::Null);
    (done, report)
}

/// An original goes, and what was delivered of it.
fn without_fog(scratch: &Scratch) -> (Done, Value) {
    fs::remove_file(scratch.path("in/fog.jpg")).expect("an original");
    scratch.fires(&["fire", "--quiet", "--remove-strays"]);
    deliver(scratch, &["--prune"])
}

/// All pieces are there, once each, and nothing was asked that may not be.
fn holds(scratch: &Scratch, library: &Library, files: usize) {
    let state = library.state();
    assert_eq!(state.wrong, Vec::<String>::new());
    let pieces = scratch.files("img");
    assert!(
        state
            .files
            .values()
            .all(|bytes| pieces.values().any(|piece| piece == bytes))
    );
    assert_eq!(state.files.len(), files);
}

/// The way of every library: sent once, found in pages, texts sent anew, a picture replaced.
fn all_the_way(target: &str, texts: impl Fn(&Value) -> Option<String>) -> (Scratch, Library) {
    let library = Library::new();
    let scratch = site(&library, target);
    let (done, report) = deliver(&scratch, &[]);
    assert_eq!(
        (done.code, counts(&report)),
        (0, json!({ "sent": 6 })),
        "{}",
        done.stderr
    );
    holds(&scratch, &library, 6);
    let told = |library: &Library| {
        library
            .state()
            .said
            .values()
            .filter_map(&texts)
            .collect::<Vec<_>>()
    };
    let before = told(&library);
    let lens = "The \"great\" lens, lit".to_owned();
    assert!(before.is_empty() || before.contains(&lens), "{before:?}");

    library.state().asked.clear();
    let (done, report) = deliver(&scratch, &[]);
    assert_eq!(
        (done.code, counts(&report)),
        (0, json!({ "there": 6 })),
        "{}",
        done.stderr
    );
    let asked = library.state().asked.clone();
    assert!(
        asked.iter().all(|asked| asked.starts_with("GET")),
        "{asked:?}"
    );

    // Pages lead to where the library has them.
    let address = format!("{}/files/", library.address);
    let markup = scratch.kiln(&["markup", "in/rooms"]).stdout;
    assert!(
        markup.contains(&address) && !markup.contains("img/rooms"),
        "{markup}"
    );
    scratch.put("public/index.html", b"<p><img src='../in/sea.jpg' alt=''>");
    scratch.fires(&["rewire", "public"]);
    let page = fs::read_to_string(scratch.path("public/index.html")).expect("a page");
    assert!(page.contains(&address), "{page}");

    let sheet = fs::read_to_string(scratch.path("labels.csv")).expect("a sheet");
    scratch.put(
        "labels.csv",
        sheet.replace("lens, lit", "lens & its lamp").as_bytes(),
    );
    let (done, report) = deliver(&scratch, &[]);
    assert_eq!(
        (done.code, counts(&report)),
        (0, json!({ "told": 2, "there": 4 })),
        "{}",
        done.stderr
    );
    let after = told(&library);
    assert!(
        after.is_empty() == before.is_empty() && !after.contains(&lens),
        "{after:?}"
    );
    holds(&scratch, &library, 6);
    (scratch, library)
}

#[test]
fn a_micropub_server_gets_files_and_where_wanted_posts() {
    let plain = "kind = 'micropub'\nto = 'HERE/micropub'\n";
    let (_, library) = all_the_way(plain, |_| None);
    assert!(library.state().said.is_empty(), "nobody asked for posts");
    let posts = format!("{plain}[target.library.media]\nposts = 'draft'\n");
    let (scratch, library) = all_the_way(&posts, |post| {
        Some(post["photo"][0]["alt"].as_str()?.to_owned())
    });
    let post = library
        .state()
        .said
        .values()
        .find(|post| post["content"] == json!(["Lit since 1898"]))
        .cloned();
    assert_eq!(post.expect("a post")["post-status"], json!(["draft"]));
    // Without an original its pieces go nowhere any more.
    let (done, report) = without_fog(&scratch);
    assert_eq!(
        (done.code, counts(&report)),
        (0, json!({ "removed": 2, "there": 4 })),
        "{}",
        done.stderr
    );
    assert_eq!(library.state().said.len(), 4);
}

#[test]
fn an_atom_collection_gets_files_entries_and_changes() {
    let target = "kind = 'atompub'\nto = 'HERE/collection'\n";
    let (scratch, library) =
        all_the_way(target, |entry| Some(entry["summary"].as_str()?.to_owned()));
    assert!(
        library
            .state()
            .said
            .values()
            .any(|entry| entry["title"] == "sea-90"),
        "{:?}",
        library.state().said
    );
    scratch.put("in/fog.jpg", &photo(200, 150, 9));
    scratch.fires(&["fire", "--quiet"]);
    let (done, report) = deliver(&scratch, &[]);
    assert_eq!(
        (done.code, counts(&report)),
        (0, json!({ "replaced": 2, "there": 4 })),
        "{}",
        done.stderr
    );
    holds(&scratch, &library, 6);
    let (done, _) = without_fog(&scratch);
    assert_eq!(done.code, 0, "{}", done.stderr);
    holds(&scratch, &library, 4);
}

const BODY: &str = "kind = 'rest'\nto = 'HERE/api/media'\n[target.library.media]\n\
    texts = { alternative-text = 'alt', caption = 'caption', title = 'name' }\n\
    texts-to = '/api/media/{id}'\ntexts-method = 'PATCH'\nid = 'data.0.key'\naddress = 'data.0.links.full'\n\
    remove-at = '/api/media/{id}'\nsecret-header = 'X-Keeper'\n";

#[test]
fn a_described_library_gets_what_is_described() {
    let (_, library) = all_the_way(BODY, |said| Some(said["alt"].as_str()?.to_owned()));
    let said = library.state().said.clone();
    assert!(
        said.values()
            .any(|said| said["name"] == "sea-90" && said["alt"] == ""),
        "decorative: {said:?}"
    );
    let form = "kind = 'rest'\nto = 'HERE/api/media?v=2'\n[target.library.media]\nsend = 'form'\nfield = 'picture'\n\
        texts = { alternative-text = 'alt' }\nid = 'data.0.key'\naddress = 'data.0.links.full'\n";
    let library = Library::new();
    let scratch = site(&library, &form.replace("?v=2", ""));
    let (done, report) = deliver(&scratch, &[]);
    assert_eq!(
        (done.code, counts(&report)),
        (0, json!({ "sent": 6 })),
        "{}",
        done.stderr
    );
    holds(&scratch, &library, 6);
    assert!(
        library
            .state()
            .said
            .values()
            .any(|said| said["alt"] == "The \"great\" lens, lit")
    );
}

#[test]
fn a_library_that_fails_gets_the_rest_the_next_time() {
    let (library, one) = (Library::new(), ["--at-once", "1", "--tries", "3"]);
    let scratch = site(&library, BODY);
    let arguments = ["deliver", "library"];
    let wrong = scratch.kiln_with(&[("LAMP", "beam")], &arguments).stderr;
    assert!(
        wrong.contains("does not know this user and password") && !wrong.contains("beam"),
        "{wrong}"
    );
    library.state().answers = vec![429, 503];
    library.state().room = Some(2);
    let (done, report) = deliver(&scratch, &one);
    assert_eq!(
        (done.code, counts(&report)),
        (1, json!({ "sent": 2, "failed": 1 }))
    );
    assert!(
        done.stderr.contains("there is no room left"),
        "{}",
        done.stderr
    );
    library.state().room = None;
    let (done, report) = deliver(&scratch, &one);
    assert_eq!(
        (done.code, counts(&report)),
        (0, json!({ "sent": 4, "there": 2 })),
        "{}",
        done.stderr
    );
    holds(&scratch, &library, 6);

    let library = Library::new();
    let scratch = site(&library, "kind = 'micropub'\nto = 'HERE/micropub'\n");
    library.state().refuses = Some("sea");
    let (done, report) = deliver(&scratch, &one);
    assert_eq!(
        (done.code, counts(&report)),
        (1, json!({ "sent": 4, "failed": 2 }))
    );
    assert!(
        done.stderr
            .contains("sea-90.webp: the server refuses it (400 Bad Request): no such names here"),
        "{}",
        done.stderr
    );
}
