use kiln_site::css::references;
use kiln_site::selectors::Meetings;
use kiln_site::srcset::Descriptor;

#[test]
fn every_address_is_found_with_its_rule() {
    let css = r#"@charset "utf-8"; @import "first.css"; @import url(second.css) screen and (min-width: 1px);
/* url(comment.png) */
.hero, #top { color: red; background: #fff url( hero.jpg ) no-repeat, url('two.png') }
@media (min-width: 700px) { .hero { background-image: image-set("h.avif" type("image/avif"),
  "h1.jpg" 1x, url(h2.jpg) 2x) } @supports (display: grid) { li { list-style: url(li.svg) } } }
@font-face { font-family: x; src: url(x.woff2) }
a { cursor: url("c.cur"), auto; filter: url(#own); content: "text.png"; --pic: url(var.png);
  &:hover { background: url(hover.png) } background: url(bad.png }"#;
    let found = references(css);
    let linked = found
        .linked
        .iter()
        .map(|one| (&*one.address, one.conditions.join(" / ")));
    let linked: Vec<_> = linked.collect();
    assert_eq!(
        linked,
        [
            ("first.css", String::new()),
            ("second.css", "screen and (min-width: 1px)".to_owned())
        ]
    );
    let told = found.showings.iter().flat_map(|showing| {
        showing.candidates().map(move |candidate| {
            format!(
                "{} {} {{ {}: {} {:?} }} ({})",
                candidate.line,
                showing.selector.as_deref().unwrap_or("-"),
                showing.property.as_deref().unwrap_or("-"),
                &css[candidate.span.clone()],
                candidate.descriptor,
                showing.conditions.join(" and ")
            )
        })
    });
    insta::assert_snapshot!(told.collect::<Vec<_>>().join("\n"), @r"
    3 .hero, #top { background: hero.jpg None } ()
    3 .hero, #top { background: two.png None } ()
    4 .hero { background-image: h.avif None } ((min-width: 700px))
    5 .hero { background-image: h1.jpg Density(1.0) } ((min-width: 700px))
    5 .hero { background-image: h2.jpg Density(2.0) } ((min-width: 700px))
    5 li { list-style: li.svg None } ((min-width: 700px))
    7 a { cursor: c.cur None } ()
    7 a { --pic: var.png None } ()
    8 a &:hover { background: hover.png None } ()
    ");
}

#[test]
fn sets_keep_their_options_together() {
    let css = "i{background:image-set('a.png' 1x,'b.png' 192dpi),-webkit-image-set(url(c.png) 1x)}";
    let showings = references(css).showings;
    assert_eq!(showings.len(), 2);
    let densities: Vec<_> = showings[0].candidates().map(|c| c.descriptor).collect();
    assert_eq!(
        densities,
        [Descriptor::Density(1.0), Descriptor::Density(2.0)]
    );
}

#[test]
fn selectors_meet_what_is_there() {
    let html = "<div class='hero Card' id=top></div><body class=home>";
    let named = kiln_site::html::references(html).named;
    let elements = Meetings::of(&named);
    for meets in [
        ".hero",
        "DIV.hero > *",
        "#top .Card::before",
        "p, body",
        "[data-x]",
        ":root",
        "&",
    ] {
        assert!(elements.may_be(meets), "{meets}");
    }
    for not in [
        ".card",
        "p",
        "div #bottom",
        ".hero:hover",
        ".hero p",
        "div.home",
        "body.hero",
        "#top.home",
    ] {
        assert!(!elements.may_be(not), "{not}");
    }
}

#[test]
fn hostile_sheets_cost_neither_stack_nor_time() {
    for open in [
        "a{",
        "@media x{",
        "(",
        "[",
        "url(",
        "calc(",
        "a{b:image-set(",
    ] {
        references(&open.repeat(20_000));
    }
    references(&"}".repeat(20_000));
    assert_eq!(references("a{b:url(x.png").showings.len(), 1);
}
