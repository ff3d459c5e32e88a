use kiln_site::html::references;
use kiln_site::srcset::Descriptor;
use kiln_site::{Found, Role, Viewport};

/// Role, address, line and whether it is inert, of every candidate.
fn told(found: &Found) -> Vec<String> {
    let told = found.showings.iter().flat_map(|showing| {
        showing.candidates().map(move |candidate| {
            let inert = if showing.inert { " (inert)" } else { "" };
            format!(
                "{}: {} {}{inert}",
                candidate.line,
                showing.role.as_str(),
                candidate.address
            )
        })
    });
    told.collect()
}

#[test]
fn every_way_of_showing_a_picture_is_found() {
    let html = r##"<!doctype html><title>Tern &amp; Point</title><base href="/site/">
<link rel="shortcut ICON" href=favicon.ico><link rel=stylesheet href=a.css media=print>
<link rel="preload" as="image" imagesrcset="hero-1.webp 800w, hero-2.webp 1600w" href=hero.jpg>
<link rel=manifest href=app.webmanifest><link rel="alternate stylesheet" href=no.css>
<meta property="og:image" content="preview.png"><meta name="description" content="no.png">
<style>
  .hero { background: url("bg.jpg") }
</style>
<body background=old.gif>
<picture><source srcset="a.avif, a2.avif 2x" type="image/avif">
<img src="a.jpg" alt="A &quot;lamp&quot;" width=300px height="200"></picture>
<input type=image src=go.png><video poster=p.jpg><source src=film.mp4></video>
<p style="background-image: url(&quot;quoted.png&quot;)">
<noscript><img src=plain.jpg></noscript><template><img src=later.jpg></template>
<svg><image xlink:href="in.png"/><style>.b{mask:url(m.svg)}</style></svg>
<img class=lazy src="data:image/gif;base64,R0lGODlhAQABAAAAACw=" data-src="lazy.jpg">
<div data-bg="url('deferred.jpg')"></div><iframe data-src="film.html"></iframe>
<object data="o.svg"></object><a href="big.jpg">b</a><a href="page.html">p</a>
<iframe srcdoc="<img src='inner.png'>"></iframe><script>var x = "<img src=none.png>";</script>
<textarea><img src=none.png></textarea><!-- <img src=none.png> --><img src="#"><img src>"##;
    let found = references(html);
    assert_eq!(found.title.as_deref(), Some("Tern & Point"));
    assert_eq!(found.base.as_deref(), Some("/site/"));
    let linked: Vec<_> = found.linked.iter().map(|one| &*one.address).collect();
    assert_eq!(linked, ["a.css", "app.webmanifest"]);
    assert_eq!(found.linked[0].conditions, ["print"]);
    insta::assert_snapshot!(told(&found).join("\n"), @r"
    2: icon favicon.ico
    3: preload hero-1.webp
    3: preload hero-2.webp
    3: preload hero.jpg
    5: preview preview.png
    7: style bg.jpg
    9: style old.gif
    10: image a.avif
    10: image a2.avif
    11: image a.jpg
    12: button go.png
    12: poster p.jpg
    13: style quoted.png
    14: image plain.jpg (inert)
    14: image later.jpg (inert)
    15: in a drawing in.png
    15: style m.svg
    16: image data:image/gif;base64,R0lGODlhAQABAAAAACw=
    16: deferred lazy.jpg
    17: deferred deferred.jpg
    18: embedded o.svg
    18: link big.jpg
    19: image inner.png
    ");
    let picture = found.showings.iter().find(|s| s.alt.is_some());
    let picture = picture.expect("the picture");
    assert_eq!(picture.alt.as_deref(), Some("A \"lamp\""));
    assert_eq!((picture.width, picture.height), (Some(300.0), Some(200.0)));
}

#[test]
fn spans_are_those_of_the_file() {
    let html = "<p>\u{e4}<img srcset='b 1.jpg 1x, b.jpg 2x,\n c.jpg 3x' src=a.jpg>\
                <style>i{list-style:url( d.png )}</style>\
                <b style='border-image:url(\"e.png\") 3'></b><img src='x.php?a=1&amp;b=2'>";
    let found = references(html);
    let candidates: Vec<_> = found.showings.iter().flat_map(|s| s.candidates()).collect();
    let written: Vec<_> = candidates.iter().map(|c| &html[c.span.clone()]).collect();
    // A blank ends an address, so the first of them is wrong, and is left out.
    let wanted = [
        "b.jpg",
        "c.jpg",
        "a.jpg",
        "d.png",
        "e.png",
        "x.php?a=1&amp;b=2",
    ];
    assert_eq!(written, wanted);
    assert!(candidates.iter().any(|c| c.address == "x.php?a=1&b=2"));
}

#[test]
fn the_candidate_is_chosen_as_browsers_do() {
    let html = r#"<picture>
<source media="(min-width: 1000px)" srcset="wide-1.jpg 1000w, wide-2.jpg 2000w" sizes="50vw">
<source type="image/jxl" srcset="new.jxl">
<source srcset="n-1.webp 400w, n-2.webp 800w, n-3.webp 1600w" type="image/webp"
  sizes="(max-width: 500px) calc(100vw - 2rem), 400px">
<img src="old.jpg" width=640></picture><img srcset="x2.png 2x" src="x1.png">"#;
    let found = references(html);
    let chosen = |index: usize, screen: &str| {
        let viewport: Viewport = screen.parse().expect("a screen");
        let showing = &found.showings[index];
        let (_, candidate) = showing.chosen(&viewport).expect("a candidate");
        (candidate.address.clone(), showing.width(&viewport))
    };
    let is = |address: &str, width| (address.to_owned(), width);
    assert_eq!(chosen(0, "1440x900"), is("wide-1.jpg", Some(720.0)));
    assert_eq!(chosen(0, "1440x900@2"), is("wide-2.jpg", Some(720.0)));
    assert_eq!(chosen(0, "390x844@3"), is("n-3.webp", Some(358.0)));
    assert_eq!(chosen(0, "800x600"), is("n-1.webp", Some(400.0)));
    assert_eq!(chosen(1, "800x600"), is("x1.png", None));
    assert_eq!(chosen(1, "800x600@1.5"), is("x2.png", None));
}

#[test]
fn wrong_candidates_are_left_out_and_commas_belong_to_addresses() {
    let parsed = |text: &str| {
        let parts = kiln_site::srcset::parse(text).into_iter();
        let parts = parts.map(|(span, descriptor)| (text[span].to_owned(), descriptor));
        parts.collect::<Vec<_>>()
    };
    let url = "data:,a";
    assert_eq!(
        parsed("data:,a 1x,b 100w 50h, c 0w, d 1x 2x, e 5q,,f, g 2.5x"),
        [
            (url.to_owned(), Descriptor::Density(1.0)),
            ("b".to_owned(), Descriptor::Width(100)),
            ("f".to_owned(), Descriptor::None),
            ("g".to_owned(), Descriptor::Density(2.5)),
        ]
    );
    assert_eq!(parsed(" , "), []);
    assert_eq!(parsed("a (b, c) 1x, d").len(), 1);
}

#[test]
fn roles_say_what_a_page_loads() {
    let html = "<link rel=icon href=a.png><img src=b.png><meta name=twitter:image content=c.png>";
    let loaded: Vec<bool> = references(html)
        .showings
        .iter()
        .map(|showing| showing.role.is_loaded())
        .collect();
    assert_eq!(loaded, [false, true, false]);
    assert_eq!(
        references("<image src=d.png>").showings[0].role,
        Role::Image
    );
}
