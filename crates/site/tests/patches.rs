use kiln_site::patch::{self, Part};

/// The diff of a change of parts of a text, each by its bytes and what comes.
fn diff(name: &str, before: &str, changes: &[(usize, usize, &str)]) -> (Vec<u8>, Vec<u8>) {
    let (mut after, mut parts, mut at) = (String::new(), Vec::new(), 0);
    for (start, end, new) in changes {
        after.push_str(&before[at..*start]);
        parts.push(Part {
            before: *start..*end,
            after: after.len()..after.len() + new.len(),
        });
        after.push_str(new);
        at = *end;
    }
    after.push_str(&before[at..]);
    let diff = patch::unified(name, before.as_bytes(), after.as_bytes(), &parts);
    (after.into_bytes(), diff)
}

#[test]
fn a_diff_is_that_of_the_standard() {
    let text = "one\ntwo\nthree\nfour\nfive\nsix\nseven\neight\nnine\nten\neleven\ntwelve";
    let (_, diff) = diff(
        "a b/\u{fc}\".html",
        text,
        &[(4, 7, "2\n2"), (text.len() - 6, text.len(), "end")],
    );
    insta::assert_snapshot!(String::from_utf8_lossy(&diff), @r#"
    diff --git "a/a b/\303\274\".html" "b/a b/\303\274\".html"
    --- "a/a b/\303\274\".html"
    +++ "b/a b/\303\274\".html"
    @@ -1,5 +1,6 @@
     one
    -two
    +2
    +2
     three
     four
     five
    @@ -9,4 +10,4 @@
     nine
     ten
     eleven
    -twelve
    \ No newline at end of file
    +end
    \ No newline at end of file
    "#);
}

#[test]
fn what_a_diff_changed_it_undoes() {
    // A small generator, so that every run tries the same.
    let mut state = 7u32;
    let mut random = |below: usize| {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (state >> 8) as usize % below.max(1)
    };
    for round in 0..600 {
        let lines = random(30);
        let mut text: String = (0..lines).map(|line| format!("{}\r\n", line % 4)).collect();
        if round % 2 == 0 {
            text.push_str("no end");
        }
        let mut changes: Vec<(usize, usize, &str)> = Vec::new();
        let mut at = 0;
        while at < text.len() && changes.len() < 6 {
            let start = at + random(text.len() - at + 1);
            let end = (start + random(9)).min(text.len());
            changes.push((start, end, ["", "x", "y\nz", "\n", "q\n"][random(5)]));
            at = end + 1;
        }
        let (after, diff) = diff("f", &text, &changes);
        let files = patch::files(&diff).expect("a diff");
        let hunks = files.first().map_or(&[][..], |(_, hunks)| hunks);
        assert_eq!(
            patch::undone(&after, hunks).expect("it fits"),
            text.as_bytes(),
            "{round}"
        );
        assert!(hunks.is_empty() || patch::is_undone(text.as_bytes(), hunks));
        // Lines that came before it since do no harm.
        let moved = [b"new\nlines\n", &after[..]].concat();
        let wanted = [b"new\nlines\n", text.as_bytes()].concat();
        if !text.is_empty()
            && hunks.len() == 1
            && lines > 12
            && patch::undone(&moved, hunks).as_ref() != Ok(&wanted)
        {
            // Only where the same lines stand elsewhere too, nearer by.
            assert!(patch::undone(&moved, hunks).is_ok(), "{round}");
        }
    }
}

#[test]
fn a_diff_that_does_not_fit_is_told() {
    let (after, diff) = diff("f", "a\nb\nc\n", &[(2, 3, "B")]);
    let files = patch::files(&diff).expect("a diff");
    let changed = String::from_utf8_lossy(&after).replace('B', "other");
    assert!(patch::undone(changed.as_bytes(), &files[0].1).is_err());
    for end in 0..diff.len() {
        for broken in [&diff[..end], &diff[end..]] {
            if let Ok(files) = patch::files(broken) {
                for (_, hunks) in files {
                    let _ = patch::undone(&after, &hunks);
                }
            }
        }
    }
    let absurd = b"+++ b/f\n@@ -1,99999999999 +1,18446744073709551615 @@\n x\n";
    assert!(patch::files(absurd).is_err());
}
