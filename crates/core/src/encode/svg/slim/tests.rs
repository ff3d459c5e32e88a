use super::super::rounding::{Decimals, rounded};
use super::*;
use crate::container::xml::{self, Entities};

fn slim(text: &str, decimals: i32) -> String {
    let document = xml::parse(text, Entities::Declared).expect("sound");
    let (shapes, rest) = (decimals, decimals);
    rounded(&slimmed(Element::of(&document)), Decimals { shapes, rest }).written()
}

#[test]
fn what_is_never_seen_is_left_out() {
    let text = r##"<?xml version="1.0"?><!-- by hand --><svg xmlns="http://www.w3.org/2000/svg" xmlns:e="urn:editor" xmlns:xlink="http://www.w3.org/1999/xlink" version="1.1" id="layer" width="40.000px" height="20" viewBox="0 0 40 20" e:zoom="2" onload="go()">
      <metadata><e:x/></metadata><script>go()</script><e:page/>
      <title>Tern Point Light</title>
      <defs><linearGradient id="long-name"><stop offset="0.00" style="stop-color:#ff0000;stop-opacity:1"/><stop offset="1" stop-color="#0000FF"/></linearGradient><linearGradient id="idle"/><g id="used"><rect width="3" height="3"/></g></defs>
      <g><g id="group" style="fill:#112233;fill-opacity:1;-e-role:x"><path d="M 0,0 L 10.0001,0 L 10.0001,10 z" class="a" data-name="b"/><path d="M20 0L30 0z"/></g></g>
      <g display="none"><rect width="9" height="9"/></g>
      <a xlink:href="https://example.org/"><rect fill="url(#long-name)" stroke="none" stroke-width="4" width="5" height="5" onclick="go()"/></a>
      <use xlink:href="#used" transform="translate(1 2) translate(0 0)"/><image xlink:href="https://example.org/x.png" width="4" height="4"/>
    </svg>"##;
    let wanted = r##"<svg xmlns="http://www.w3.org/2000/svg" width="40" height="20" viewBox="0 0 40 20"><title>Tern Point Light</title><defs><linearGradient id="a"><stop offset="0" stop-color="red"/><stop offset="1" stop-color="#00f"/></linearGradient><g id="b"><rect width="3" height="3"/></g></defs><g fill="#123"><path d="m0 0h10v10z"/><path d="m20 0h10z"/></g><a><rect fill="url(#a)" width="5" height="5"/></a><use href="#b" transform="translate(1 2)"/></svg>"##;
    assert_eq!(slim(text, 2), wanted);
}

#[test]
fn style_sheets_keep_what_they_may_mean() {
    let text = r##"<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><style type="text/css"> /* x */ @import url(x.css); .a , #b > path { fill : url( "#c" ) ; }
    .z { background: url(https://example.org/x.png) }</style><linearGradient id="c"><stop/></linearGradient><g id="b" class="a" style="fill:red"><path d="M0 0h9v9"/></g></svg>"##;
    let wanted = r##"<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><style>.a,#b > path{fill :url(#c)}.z{background:none}</style><linearGradient id="c"><stop/></linearGradient><g id="b" class="a" style="fill:red"><path d="m0 0h9v9"/></g></svg>"##;
    assert_eq!(slim(text, 1), wanted);
}

#[test]
fn what_holds_others_keeps_its_defaults_where_they_matter() {
    let text = r##"<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9" fill="red"><g fill="#000"><path d="M0 0h9v9" stroke="none"/><path fill="#000000" d="M1 0h9v9"/></g><path fill-rule="nonzero" d="M2 0h9v9"/></svg>"##;
    let slim = slim(text, 1);
    assert_eq!(slim.matches("#000").count(), 2, "{slim}");
    assert!(
        !slim.contains("stroke") && !slim.contains("nonzero"),
        "{slim}"
    );
}
