//! Inputs that fuzzing has kept, since they once broke something or nearly did; and pages mutilated in
//! every way that a small loop can think of.

#[path = "../../../fuzz/src/pages.rs"]
#[allow(missing_docs)]
mod pages;

#[path = "../../../fuzz/src/rewired.rs"]
#[allow(missing_docs)]
mod rewired;

use std::fs;
use std::path::Path;

const PAGES: [&str; 4] = [
    "<title>a</title><picture><source srcset=\"a.avif 2x, b\u{e4}.avif\" media='(min-width: 5px)'>\
     <img src='c.jpg?x=1&amp;y=2' sizes=\"auto, calc(1px + 2vw)\" alt=\"&quot;\"></picture>\
     <style>a{background:image-set('d.png' 1x, url( e.png ) 2x)}</style><svg><style><![CDATA[b{mask:url(f.svg)}]]>\
     </style><image href=g.png /></svg><iframe srcdoc=\"<img src='h.png'>\"></iframe><div style=\"cursor:url(i.cur)\" data-bg=\"url(j.png)\">",
    "@import 'a.css' layer(x) screen;@media (min-width:calc(1px*2)){.a:hover,#b>c{background:url(\"d.png\") , url(e\\.png)}}\
     @font-face{src:url(f.woff)}\u{e4}{--x:image-set(url(g) 2dppx type('image/avif'),'h' 96dpi)}",
    "---\na: b\n---\n![x *y*](<a b.png> \"t\") ![r][1]\n\n<img src=c.png>\n\n- [![s](s.png)](l.jpg)\n\n[1]: d\u{e4}.png\n",
    "{\"icons\":[{\"src\":\"a\\u00e4.png\"},{\"src\":1}],\"shortcuts\":[{\"icons\":[{\"src\":\"b\"}]}]}",
];

#[test]
fn inputs_that_were_kept_do_no_harm() {
    let kept = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../fuzz/kept");
    for (target, exercise) in pages::ALL.into_iter().chain(rewired::ALL) {
        exercise(b"");
        for entry in fs::read_dir(kept.join(target)).into_iter().flatten() {
            let path = entry.expect("an entry").path();
            exercise(&fs::read(path).expect("an input"));
        }
    }
}

#[test]
fn mutilated_files_do_no_harm() {
    for page in PAGES {
        let bytes = page.as_bytes();
        for (_, exercise) in pages::ALL.into_iter().chain(rewired::ALL) {
            for at in 0..bytes.len() {
                exercise(&bytes[..at]);
                exercise(&bytes[at..]);
                for other in [
                    b'"', b'\'', b'<', b'>', b'(', b')', b'{', b';', b'\n', b'\r', 0, 0xFF,
                ] {
                    let mut changed = bytes.to_vec();
                    changed[at] = other;
                    exercise(&changed);
                }
            }
        }
    }
}
