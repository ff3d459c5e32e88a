//! What `kiln rewire` refuses to touch.

use std::fs;
use std::process::Command;

use crate::rewire::{fired, text};

#[test]
fn what_cannot_be_rewired_is_said_and_left_alone() {
    let scratch = fired();
    let says = |arguments: &[&str]| {
        let done = scratch.kiln(arguments);
        format!("{} {}", done.code, done.stderr)
    };
    scratch.put("other/page.html", b"<img src=../site/in/lead.jpg>");
    scratch.put("site/img/pages/page.html", b"<img src=../../in/lead.jpg>");
    let mut all = vec![
        says(&["rewire", "nowhere"]),
        says(&["rewire", "kiln.toml"]),
        says(&["rewire", "other"]),
        says(&["rewire", "site/img/pages"]),
        says(&["rewire", "site", "--out", "other"]),
    ];
    scratch.put(
        "site/odd.html",
        b"<meta charset=utf-8><img src=in/lead.jpg alt='\xFF'>",
    );
    scratch.put("site/page.html", b"<img src=in/lead.jpg alt=x>");
    let page = scratch.path("site/page.html");
    let mut locked = fs::metadata(&page).expect("a file").permissions();
    locked.set_readonly(true);
    fs::set_permissions(&page, locked).expect("a file");
    all.push(says(&["rewire", "site"]));
    insta::assert_snapshot!(all.join("\n"), @r#"
    2 kiln: nowhere: no such file or folder; check the path

    2 kiln: kiln.toml: is no folder; name the folder of the site

    2 kiln: other: does not hold the pieces, which are in site/img; say at which address they will be with --base

    2 kiln: site/img/pages: is inside the out folder, which belongs to firings; name another folder

    1 kiln: other: no pieces are recorded there; make them with kiln fire, or name the folder with --out

    2 kiln: [here]/site/page.html: is write-protected, so nothing was changed in any file; allow it, or move it out of the site
    "#);
    assert_eq!(
        text(&scratch, "site/page.html"),
        "<img src=in/lead.jpg alt=x>"
    );
    let report = scratch.json(&["rewire", "site", "--except", "page.html", "--json"]);
    assert_eq!(report["notes"][0]["file"], "odd.html");
    assert!(
        report["notes"][0]["says"]
            .as_str()
            .expect("a text")
            .contains("encoding that it declares")
    );
}

/// Changes that are not committed are not mixed with others.
#[test]
fn a_work_tree_is_asked_first() {
    let scratch = fired();
    let git = |arguments: &[&str]| {
        let mut git = Command::new("git");
        let run = git
            .args(["-c", "user.name=a", "-c", "user.email=a@tern-point.example"])
            .args(arguments);
        let run = run.current_dir(scratch.path("")).output().expect("git");
        assert!(
            run.status.success(),
            "{}",
            String::from_utf8_lossy(&run.stderr)
        );
    };
    scratch.put("site/page.html", b"<img src=in/lead.jpg alt=x>");
    scratch.put("site/other.html", b"<p>");
    git(&["init", "--quiet"]);
    git(&["add", "-A"]);
    git(&["commit", "--quiet", "-m", "site"]);
    scratch.put("site/page.html", b"<p><img src=in/lead.jpg alt=x>");
    scratch.put("site/other.html", b"<p>changed, and nothing to rewire");
    let done = scratch.kiln(&["rewire", "site"]);
    assert_eq!(done.code, 2);
    assert!(
        done.stderr
            .contains("site: page.html would change and have changes that are not committed"),
        "{}",
        done.stderr
    );
    assert!(text(&scratch, "site/page.html").contains("in/lead.jpg"));
    scratch.fires(&["rewire", "site", "--uncommitted"]);
    assert!(text(&scratch, "site/page.html").contains("img/lead-120.webp"));
}
