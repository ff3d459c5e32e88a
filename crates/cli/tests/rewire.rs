//! `kiln rewire`: the files of a site pointed at the pieces.

use std::fs;
use std::process::Command;

use serde_json::Value;

use crate::support::{Done, Scratch, photo};

const KILN: &str = "originals = 'site/in'\nout = 'site/img'\n\
    [every]\ndensities = [1, 2]\nformats = ['webp', 'jpeg']\nquality = 60\n\
    [place.room]\nof = ['room.jpg', 'Über fahrt.jpg']\nwidth = 60\n\
    [place.card]\nof = ['room.jpg']\nwidth = 20\n\
    [place.lead]\nof = ['lead.jpg']\nwidth = 120\ndensities = [1]\nformats = ['webp']\nlead = true\n";

const LABELS: &str =
    "file,alternative text,decorative\nroom.jpg,\"The \"\"lamp\"\" room\",no\r\nlead.jpg,,no\n";

/// A site that was fired.
pub fn fired() -> Scratch {
    let scratch = Scratch::new();
    scratch.put("kiln.toml", KILN.as_bytes());
    scratch.put("labels.csv", LABELS.as_bytes());
    for (seed, name) in ["room.jpg", "Über fahrt.jpg", "lead.jpg"]
        .iter()
        .enumerate()
    {
        scratch.put(&format!("site/in/{name}"), &photo(240, 160, seed as u64));
    }
    scratch.fires(&["fire", "--quiet"]);
    scratch
}

pub fn text(scratch: &Scratch, name: &str) -> String {
    let bytes = fs::read(scratch.path(name)).expect("a file");
    String::from_utf8(bytes).expect("text")
}

/// What it says of references, a line each.
fn notes(done: &Done) -> String {
    let report: Value =
        serde_json::from_str(&done.stdout).unwrap_or_else(|_| panic!("{}", done.stderr));
    let notes = report["notes"].as_array().expect("a list").iter();
    let told = notes.map(|note| {
        let text = |key: &str| note[key].as_str().unwrap_or_default().to_owned();
        let line = note["line"].as_u64().unwrap_or(0);
        format!(
            "{} {}:{line} {} {}",
            text("matter"),
            text("file"),
            text("address"),
            text("says")
        )
    });
    told.collect::<Vec<_>>().join("\n")
}

fn whole_site(scratch: &Scratch) {
    scratch.put("site/index.html", b"<!doctype html>\r\n<link rel=stylesheet href=css/site.css>\r\n<img src=in/room.jpg width=60>\r\n<img src=in/lead.jpg alt='Dusk'>\r\n");
    scratch.put("site/css/site.css", b".a{background:url(../in/lead.jpg)}");
    scratch.put(
        "site/notes/a b.md",
        "---\ncover: ../in/room.jpg\n---\n![](<../in/Über fahrt.jpg>)\n".as_bytes(),
    );
    scratch.put("site/feed.xml", b"<rss><channel><item><enclosure url='https://tern-point.example/in/lead.jpg' type='image/jpeg' length='1'/></item></channel></rss>");
    scratch.put(
        "site/app.webmanifest",
        b"{\"icons\": [{\"src\": \"/in/room.jpg\"}]}",
    );
    scratch.put(
        "site/plan.svg",
        b"<svg xmlns='http://www.w3.org/2000/svg'><image href='in/room.jpg'/></svg>",
    );
    scratch.put("site/about.html", b"<p>Nothing to do here</p>");
    scratch.put(
        "site/node_modules/x/page.html",
        b"<img src=../../in/room.jpg>",
    );
    scratch.put("site/.hidden/page.html", b"<img src=../in/room.jpg>");
}

#[test]
fn every_reference_leads_to_pieces_and_the_diff_says_the_same() {
    let scratch = fired();
    whole_site(&scratch);
    let before = scratch.files("site");
    let arguments = ["rewire", "site", "--home", "https://tern-point.example"];
    let dry = scratch.kiln(&[&arguments[..], &["--dry-run"]].concat());
    assert_eq!(scratch.files("site"), before, "nothing is written");
    insta::assert_snapshot!(dry.stdout, @r#"
    diff --git a/app.webmanifest b/app.webmanifest
    --- a/app.webmanifest
    +++ b/app.webmanifest
    @@ -1,1 +1,1 @@
    -{"icons": [{"src": "/in/room.jpg"}]}
    \ No newline at end of file
    +{"icons": [{"src": "/img/room-60.jpg"}]}
    \ No newline at end of file
    diff --git a/css/site.css b/css/site.css
    --- a/css/site.css
    +++ b/css/site.css
    @@ -1,1 +1,1 @@
    -.a{background:url(../in/lead.jpg)}
    \ No newline at end of file
    +.a{background:url("../img/lead-120.webp")}
    \ No newline at end of file
    diff --git a/feed.xml b/feed.xml
    --- a/feed.xml
    +++ b/feed.xml
    @@ -1,1 +1,1 @@
    -<rss><channel><item><enclosure url='https://tern-point.example/in/lead.jpg' type='image/jpeg' length='1'/></item></channel></rss>
    \ No newline at end of file
    +<rss><channel><item><enclosure url='https://tern-point.example/img/lead-120.webp' type='image/webp' length='302'/></item></channel></rss>
    \ No newline at end of file
    diff --git a/index.html b/index.html
    --- a/index.html
    +++ b/index.html
    @@ -1,4 +1,4 @@
     <!doctype html>
     <link rel=stylesheet href=css/site.css>
    -<img src=in/room.jpg width=60>
    +<picture style="display:contents"><source type="image/webp" srcset="img/room-60.webp 1x, img/room-120.webp 2x"><img src="img/room-60.jpg" width=60 srcset="img/room-60.jpg 1x, img/room-120.jpg 2x" height="40" alt="The &quot;lamp&quot; room" decoding="async"></picture>
    -<img src=in/lead.jpg alt='Dusk'>
    +<img src="img/lead-120.webp" alt='Dusk' width="120" height="80" fetchpriority="high">
    diff --git "a/notes/a b.md" "b/notes/a b.md"
    --- "a/notes/a b.md"
    +++ "b/notes/a b.md"
    @@ -1,4 +1,4 @@
     ---
    -cover: ../in/room.jpg
    +cover: ../img/room-60.jpg
     ---
    -![](<../in/Über fahrt.jpg>)
    +![](<../img/uber-fahrt-60.jpg>)
    diff --git a/plan.svg b/plan.svg
    --- a/plan.svg
    +++ b/plan.svg
    @@ -1,1 +1,1 @@
    -<svg xmlns='http://www.w3.org/2000/svg'><image href='in/room.jpg'/></svg>
    \ No newline at end of file
    +<svg xmlns='http://www.w3.org/2000/svg'><image href='img/room-60.jpg'/></svg>
    \ No newline at end of file
    "#);
    let done = scratch.kiln(&arguments);
    insta::assert_snapshot!(done.stdout, @r#"
    file             references
    app.webmanifest           1
    css/site.css              1
    feed.xml                  1
    index.html                2
    notes/a b.md              2
    plan.svg                  1

    To look at
      app.webmanifest:1: /in/room.jpg may stand for card or room; taken for room
      notes/a b.md:2: ../in/room.jpg may stand for card or room; taken for room
      plan.svg:1: in/room.jpg may stand for card or room; taken for room

    8 references lead to pieces, in 7 files that were read
    6 files changed; kiln rewire site --undo puts them back (.kiln-rewire/)
    "#);
    let after = scratch.files("site");
    let again = scratch.kiln(&arguments);
    assert!(
        again.stdout.ends_with("nothing had to change\n"),
        "{}",
        again.stdout
    );
    assert_eq!(scratch.files("site"), after);

    // The diff makes the same of the same.
    for (name, bytes) in &before {
        scratch.put(&format!("patched/{name}"), bytes);
    }
    let diff = scratch.put("site.diff", dry.stdout.as_bytes());
    let mut git = Command::new("git");
    let applied = git
        .args(["apply", "-p1"])
        .arg(&diff)
        .current_dir(scratch.path("patched"));
    assert!(applied.status().expect("git").success());
    let mut rest = after.clone();
    rest.retain(|name, _| !name.starts_with(".kiln-rewire"));
    assert_eq!(scratch.files("patched"), rest);

    scratch.fires(&["rewire", "site", "--undo"]);
    assert_eq!(scratch.files("site"), before);
}

/// Bytes that no terminal should see, in an encoding of old, are what they are in a diff.
#[test]
fn a_diff_holds_every_byte_and_texts_come_in_the_encoding_of_their_page() {
    let scratch = fired();
    let sheet = LABELS.replace("lead.jpg,,", "lead.jpg,Dämmerung,");
    scratch.put("labels.csv", sheet.as_bytes());
    // All of it is ASCII, but it says how more would be read.
    scratch.put(
        "site/old.html",
        b"<meta charset=iso-8859-1><img src=in/lead.jpg>\n",
    );
    let odd = b"<meta charset=iso-8859-1>\x9b31m\xe9 \x1b[31m<img src=in/lead.jpg>\xff\n";
    scratch.put("site/odd.html", odd);
    let dry = scratch
        .command(&["rewire", "site", "--dry-run"])
        .output()
        .expect("the program");
    let diff = scratch.put("site.diff", &dry.stdout);
    scratch.put("patched/odd.html", odd);
    scratch.put("patched/old.html", &scratch.files("site")["old.html"]);
    let mut git = Command::new("git");
    let applied = git
        .args(["apply", "-p1"])
        .arg(&diff)
        .current_dir(scratch.path("patched"));
    assert!(applied.status().expect("git").success());
    scratch.fires(&["rewire", "site"]);
    for (name, bytes) in scratch.files("patched") {
        assert_eq!(scratch.files("site")[&name], bytes, "{name}");
        assert!(bytes.windows(4).any(|part| part == b"D\xe4mm"), "{name}");
    }
}

#[test]
fn an_undoing_keeps_later_edits_and_undoes_all_or_nothing() {
    let scratch = fired();
    whole_site(&scratch);
    let page = text(&scratch, "site/index.html");
    scratch.kiln(&["rewire", "site"]);
    let rewired = text(&scratch, "site/index.html");
    scratch.put(
        "site/index.html",
        format!("<!-- new -->\r\n\r\n\r\n\r\n\r\n{rewired}").as_bytes(),
    );
    scratch.fires(&["rewire", "site", "--undo"]);
    assert_eq!(
        text(&scratch, "site/index.html"),
        format!("<!-- new -->\r\n\r\n\r\n\r\n\r\n{page}")
    );

    scratch.kiln(&["rewire", "site"]);
    let sheet = text(&scratch, "site/css/site.css");
    scratch.put("site/css/site.css", sheet.replace(".a", ".b").as_bytes());
    let all = scratch.files("site");
    let done = scratch.kiln(&["rewire", "site", "--undo"]);
    assert!(
        done.stderr
            .contains("site.css: it was changed since, in the same lines; nothing was undone"),
        "{}",
        done.stderr
    );
    assert_eq!(scratch.files("site"), all);
    // A diff that somebody else has laid there leads nowhere else.
    for name in ["../kiln.toml", "/etc/hosts", "a/../../kiln.toml"] {
        let patch = format!("--- a/{name}\n+++ b/{name}\n@@ -1,1 +1,1 @@\n-x\n+y\n");
        scratch.put("site/.kiln-rewire/0009.patch", patch.as_bytes());
        let done = scratch.kiln(&["rewire", "site", "--undo"]);
        assert!(
            done.stderr.contains("which is not in the site"),
            "{}",
            done.stderr
        );
    }
    fs::remove_dir_all(scratch.path("site/.kiln-rewire")).expect("a folder");
    let done = scratch.kiln(&["rewire", "site", "--undo"]);
    assert!(
        done.stderr
            .contains("nothing that was rewired is recorded there"),
        "{}",
        done.stderr
    );
}

/// Addresses in all the ways in which they are written.
#[test]
fn addresses_are_followed_however_they_are_written() {
    let scratch = fired();
    let decomposed = "U\u{308}ber fahrt.jpg";
    scratch.put(
        "site/deep/page.html",
        format!(
            "<img alt=1 src='../in/%C3%9Cber%20fahrt.jpg'>\n<img alt=2 src='../in/{decomposed}'>\n<img alt=3 src='/in/room.jpg?v=2#top' width=60>\n\
             <img alt=4 src='../IN/ROOM.JPG' width=60>\n<img alt=5 src='https://tern-point.example/in/lead.jpg'>\n<img alt=6 src='//tern-point.example/in/lead.jpg'>\n\
             <img alt=7 src='../../../../site/in/lead.jpg'>\n<img alt=8 src='../gone.png'>\n<img alt=9 src='../in/lead.jpg&quot;'>\n<img alt=10 src='{{{{ in/lead.jpg }}}}'>\n\
             <img alt=11 src='../img/lead-120.webp'>\n<img alt=12 src='../in/other.jpg'>\n<img alt=13 src='data:image/png;base64,AA'>\n"
        )
        .as_bytes(),
    );
    scratch.put("site/in/other.jpg", b"not fired");
    scratch.put(
        "site/based.html",
        b"<base href='/deep/'><img alt=1 src=../in/lead.jpg><base href=x>",
    );
    scratch.put(
        "site/far.html",
        b"<base href='https://other.example/'><img alt=1 src=in/lead.jpg>",
    );
    let done = scratch.kiln(&[
        "rewire",
        "site",
        "--plain",
        "--home",
        "https://tern-point.example",
        "--json",
    ]);
    assert_eq!(done.code, 1, "a template and an original without pieces");
    insta::assert_snapshot!(text(&scratch, "site/deep/page.html"), @r#"
    <img alt=1 src='../img/uber-fahrt-60.jpg'>
    <img alt=2 src='../img/uber-fahrt-60.jpg'>
    <img alt=3 src='/img/room-60.jpg' width=60>
    <img alt=4 src='../img/room-60.jpg' width=60>
    <img alt=5 src='https://tern-point.example/img/lead-120.webp'>
    <img alt=6 src='https://tern-point.example/img/lead-120.webp'>
    <img alt=7 src='../../../../site/in/lead.jpg'>
    <img alt=8 src='../gone.png'>
    <img alt=9 src='../in/lead.jpg&quot;'>
    <img alt=10 src='{{ in/lead.jpg }}'>
    <img alt=11 src='../img/lead-120.webp'>
    <img alt=12 src='../in/other.jpg'>
    <img alt=13 src='data:image/png;base64,AA'>
    "#);
    insta::assert_snapshot!(notes(&done), @r#"
    not-done deep/page.html:12 ../in/other.jpg no pieces of it are there; fire it, or see why that failed
    leads-nowhere deep/page.html:7 ../../../../site/in/lead.jpg leads out of the site, and to nothing
    leads-nowhere deep/page.html:8 ../gone.png leads nowhere
    leads-nowhere deep/page.html:9 ../in/lead.jpg" leads nowhere
    to-look-at deep/page.html:3 /in/room.jpg?v=2#top had a query behind it, which is left out
    to-look-at deep/page.html:4 ../IN/ROOM.JPG has letters of another case than the file; on most servers it led nowhere
    "#);
    assert_eq!(
        text(&scratch, "site/based.html"),
        "<base href='/deep/'><img alt=1 src=\"../img/lead-120.webp\"><base href=x>"
    );
    assert!(
        text(&scratch, "site/far.html").contains("src=in/lead.jpg"),
        "that is another host's"
    );
    let with_base = scratch.kiln(&[
        "rewire",
        "site",
        "--plain",
        "--base",
        "https://cdn.tern-point.example/i",
    ]);
    assert_eq!(with_base.code, 1);
    assert!(
        text(&scratch, "site/based.html")
            .contains("src=\"https://cdn.tern-point.example/i/lead-120.webp\"")
    );
}

/// Which place a reference stands for, by the piece, the width, and what a browser measured.
#[test]
fn the_place_is_told_by_what_is_known_of_the_spot() {
    let scratch = fired();
    scratch.put("site/index.html", b"<img alt=1 src=in/room.jpg>\n<img alt=2 src=in/room.jpg width=20>\n<img alt=3 src=in/room.jpg width=55>\n<img alt=4 src=img/room-20.jpg>\n");
    let page = scratch
        .path("site/index.html")
        .canonicalize()
        .expect("a path");
    let uses = |line: u32| {
        format!(
            "{{\"file\": \"file://{}\", \"line\": {line}}}",
            page.display()
        )
    };
    let screen = |screen: &str, width: f64, below: bool| {
        format!(
            "{{\"screen\": \"{screen}\", \"whole_width\": {width}, \"below_first_screen\": {below}}}"
        )
    };
    let done = scratch.kiln(&["rewire", "site", "--dry-run"]);
    assert!(
        done.stderr
            .contains("index.html:1: in/room.jpg may stand for card or room; taken for room"),
        "{}",
        done.stderr
    );
    let shown = format!(
        "{{\"schema\": 1, \"kind\": \"page\", \"pictures\": [{{\"uses\": [{}], \"shown\": [{}, {}]}}]}}",
        uses(1),
        screen("390x844@3", 18.0, true),
        screen("1440x900@1", 9.2, true)
    );
    scratch.put("shown.json", shown.as_bytes());
    scratch.fires(&["rewire", "site", "--shown", "shown.json"]);
    insta::assert_snapshot!(text(&scratch, "site/index.html"), @r#"
    <picture style="display:contents"><source type="image/webp" srcset="img/room-20.webp 20w, img/room-40.webp 40w" sizes="(max-width: 390px) 18px, 10px"><img alt=1 src="img/room-20.jpg" srcset="img/room-20.jpg 20w, img/room-40.jpg 40w" sizes="(max-width: 390px) 18px, 10px" width="18" height="12" loading="lazy" decoding="async"></picture>
    <picture style="display:contents"><source type="image/webp" srcset="img/room-20.webp 1x, img/room-40.webp 2x"><img alt=2 src="img/room-20.jpg" width=20 srcset="img/room-20.jpg 1x, img/room-40.jpg 2x" height="14" decoding="async"></picture>
    <picture style="display:contents"><source type="image/webp" srcset="img/room-60.webp 1.09x, img/room-120.webp 2.18x"><img alt=3 src="img/room-60.jpg" width=55 srcset="img/room-60.jpg 1.09x, img/room-120.jpg 2.18x" height="37" decoding="async"></picture>
    <picture style="display:contents"><source type="image/webp" srcset="img/room-20.webp 1x, img/room-40.webp 2x"><img alt=4 src=img/room-20.jpg srcset="img/room-20.jpg 1x, img/room-40.jpg 2x" width="20" height="14" decoding="async"></picture>
    "#);
    scratch.put("shown.json", b"{\"kind\": \"survey\"}");
    let done = scratch.kiln(&["rewire", "site", "--shown", "shown.json"]);
    assert!(
        done.stderr
            .contains("shown.json: is no report of kiln page --json"),
        "{}",
        done.stderr
    );
}

#[test]
fn texts_are_learnt_where_the_sheet_lacks_them() {
    let scratch = fired();
    scratch.put("site/index.html", "<img src=in/lead.jpg alt='Dusk, \"calm\"'>\n<img src='in/Über fahrt.jpg' alt='The ferry'>\n<img src=in/room.jpg alt='Another text' width=60>".as_bytes());
    let report = scratch.fires(&["rewire", "site", "--learn"]);
    assert!(report.contains("Über fahrt.jpg: “The ferry”"), "{report}");
    assert_eq!(
        text(&scratch, "labels.csv"),
        "file,alternative text,decorative\nroom.jpg,\"The \"\"lamp\"\" room\",no\r\nlead.jpg,\"Dusk, \"\"calm\"\"\",no\r\nÜber fahrt.jpg,The ferry,no\r\n"
    );
}

/// Names with a digest change with their pictures; pages follow.
#[test]
fn pieces_with_new_names_are_followed() {
    let scratch = fired();
    let kiln = KILN.replace(
        "quality = 60",
        "quality = 60\nname = '{stem}-{width}.{digest}'",
    );
    scratch.put("kiln.toml", kiln.as_bytes());
    scratch.put(
        "site/index.html",
        b"<img alt=1 src=in/lead.jpg><img alt=2 src=img/lead-120.webp>",
    );
    scratch.fires(&["fire", "--quiet", "--remove-strays"]);
    scratch.fires(&["rewire", "site"]);
    let first = text(&scratch, "site/index.html");
    assert_eq!(
        first.matches("img/lead-120.").count(),
        2,
        "the piece of before led there too: {first}"
    );
    scratch.put("site/in/lead.jpg", &photo(240, 160, 9));
    scratch.fires(&["fire", "--quiet", "--remove-strays"]);
    scratch.fires(&["rewire", "site"]);
    let second = text(&scratch, "site/index.html");
    assert_ne!(first, second);
    let names: Vec<&str> = second
        .split("src=\"")
        .skip(1)
        .map(|rest| rest.split('"').next().expect("an end"))
        .collect();
    for name in names {
        assert!(scratch.path(&format!("site/{name}")).is_file(), "{name}");
    }
}
