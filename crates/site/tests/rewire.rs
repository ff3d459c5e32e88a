//! References rewritten, by a guide that knows four originals.

use kiln_site::edit::applied;
use kiln_site::offer::{Offer, Spot};
use kiln_site::rewire::{self, Aim, Extent, Guide, Rewired, Styles};
use kiln_site::tags::Words;
use kiln_site::{Candidate, Role, Showing, coded, css, html, manifest, markdown, templates, xml};

use crate::markup::offer;

/// Knows the originals in `in/`, and their pieces in `up/`.
struct Shop;

impl Guide for Shop {
    fn aim(&mut self, showing: &Showing, candidate: &Candidate) -> Option<Aim> {
        let address = candidate.address.split(['?', '#']).next()?;
        let name = address
            .strip_prefix("in/")
            .or(address.strip_prefix("up/"))?;
        let (original, main) = match name.split(['.', '-']).next()? {
            "room" => (
                0,
                offer(
                    "room",
                    &[
                        ("room-400.jpg", 400, 400.0),
                        ("room-400.webp", 400, 400.0),
                        ("room-800.jpg", 800, 400.0),
                        ("room-800.webp", 800, 400.0),
                    ],
                ),
            ),
            "chart" => (1, offer("chart", &[("chart-640.webp", 640, 640.0)])),
            "mark" => (
                2,
                offer(
                    "badge",
                    &[("mark.svg", 48, 48.0), ("mark-32.png", 32, 32.0)],
                ),
            ),
            "lead" => (
                3,
                Offer {
                    lead: true,
                    ..offer(
                        "banner",
                        &[
                            ("lead-960.webp", 960, 960.0),
                            ("lead-1920.webp", 1920, 1920.0),
                        ],
                    )
                },
            ),
            _ => return None,
        };
        let sizes = showing
            .choices
            .iter()
            .rev()
            .find_map(|choice| choice.sizes.clone());
        Some(Aim {
            original,
            main,
            others: Vec::new(),
            words: Words {
                alt: (original != 3).then(|| "What \"it\" shows".to_owned()),
                ..Words::default()
            },
            spot: Spot {
                width: showing.width.filter(|_| showing.role == Role::Image),
                sizes,
            },
            is_below: false,
            is_piece: address.starts_with("up/"),
        })
    }
}

/// Knows nothing.
struct Nobody;

impl Guide for Nobody {
    fn aim(&mut self, _: &Showing, _: &Candidate) -> Option<Aim> {
        None
    }
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum Kind {
    Html,
    Css,
    Markdown,
    Xml,
    Json,
}

const KINDS: [Kind; 5] = [Kind::Html, Kind::Css, Kind::Markdown, Kind::Xml, Kind::Json];

fn worked(kind: Kind, text: &str, extent: Extent, guide: &mut dyn Guide) -> Rewired {
    let parts = templates::parts(text, kind == Kind::Xml);
    let text = &templates::blotted(text, &parts);
    let found = match kind {
        Kind::Html => html::references(text),
        Kind::Css => css::references(text),
        Kind::Markdown => markdown::references(text),
        Kind::Xml => xml::references(text),
        Kind::Json => manifest::references(text),
    };
    let file = rewire::File {
        text,
        found: &found,
        parts: &parts,
        extent,
    };
    match kind {
        Kind::Html => rewire::page(&file, Styles::default(), guide),
        Kind::Css => rewire::sheet(&file, guide),
        Kind::Markdown => rewire::markdown(&file, &Styles::default(), guide),
        Kind::Xml => rewire::of_xml(&file, guide),
        Kind::Json => rewire::of_json(&file, guide),
    }
}

/// A text afterwards, which a second run leaves as it is.
fn after(kind: Kind, text: &str, extent: Extent) -> String {
    let edits = worked(kind, text, extent, &mut Shop).edits.ordered();
    let after = applied(text, &edits);
    let again = worked(kind, &after, extent, &mut Shop).edits.ordered();
    assert!(again.is_empty(), "a second run changes {after}: {again:?}");
    after
}

fn full(kind: Kind, text: &str) -> String {
    after(kind, text, Extent::default())
}

#[test]
fn an_img_becomes_a_picture_and_keeps_all_that_it_has() {
    insta::assert_snapshot!(full(
        Kind::Html,
        "<p><IMG class=big  data-x='1' aria-hidden=true src=in/room.jpg id=\"i\"></p>\n<img alt=\"\" src='in/chart.png' \
         width=320><img src=\"in/lead.jpg\" srcset='in/lead.jpg 2x' alt=old>"
    ), @r#"
    <p><picture style="display:contents"><source type="image/webp" srcset="up/room-400.webp 1x, up/room-800.webp 2x"><IMG class=big  data-x='1' aria-hidden=true src="up/room-400.jpg" id="i" srcset="up/room-400.jpg 1x, up/room-800.jpg 2x" width="400" height="200" alt="What &quot;it&quot; shows" decoding="async"></picture></p>
    <img alt="" src='up/chart-640.webp' width=320 height="160" decoding="async"><img src="up/lead-1920.webp" srcset='up/lead-960.webp 960w, up/lead-1920.webp 1920w' alt=old sizes="(min-width: 1920px) 1920px, 100vw" width="1920" height="960" fetchpriority="high">
    "#);
}

#[test]
fn elements_close_themselves_where_others_do() {
    let text = "<p><img src=\"in/room.jpg\" alt=\"x\" /></p>";
    let after = full(Kind::Html, text);
    assert!(
        after.contains("2x\" /><img src=\"up/room-400.jpg\""),
        "{after}"
    );
    assert!(
        after.ends_with("decoding=\"async\" /></picture></p>"),
        "{after}"
    );
}

#[test]
fn sources_of_a_picture_are_replaced_and_other_shapes_keep_their_screens() {
    insta::assert_snapshot!(full(
        Kind::Html,
        "<picture>\n  <source media='(max-width: 9em)' srcset='in/chart.png'>\n  <source srcset='in/room.jpg 2x'>\n  \
         <img src=in/room.jpg alt=x>\n</picture>\n<picture>\n <source srcset=in/chart.png>\n <img src=in/chart.png alt=y></picture>\n\
         <picture><source srcset='https://other.example/a.avif'><img src=in/room.jpg alt=z></picture>"
    ), @r#"
    <picture>
      <source media="(max-width: 9em)" type="image/webp" srcset="up/chart-640.webp" width="640" height="320">
      <source type="image/webp" srcset="up/room-400.webp 1x, up/room-800.webp 2x">
      <img src="up/room-400.jpg" alt=x srcset="up/room-400.jpg 1x, up/room-800.jpg 2x" width="400" height="200" decoding="async">
    </picture>
    <picture>
     <img src="up/chart-640.webp" alt=y width="640" height="320" decoding="async"></picture>
    <picture><source srcset='https://other.example/a.avif'><img src=up/room-400.jpg alt=z></picture>
    "#);
}

#[test]
fn all_other_references_of_a_page_follow() {
    insta::assert_snapshot!(full(
        Kind::Html,
        "<link rel=preload as=image href=in/room.jpg><link rel=icon href=in/mark.svg><link rel=icon sizes=32x32 href=in/mark.svg>\
         <meta property=og:image content='in/room.jpg'><style>a{background:url(in/chart.png)}</style>\
         <div style=\"background: url(&quot;in/room.jpg&quot;)\"></div><div style='background:url(in/room.jpg)'></div>\
         <video poster=in/room.jpg></video><a href='in/room.jpg#x'>large</a><img data-src=in/room.jpg data-srcset='in/room.jpg 2x' alt=q>\
         <iframe srcdoc=\"<img src='in/chart.png'>\"></iframe><svg><image href=\"in/chart.png\"/></svg>"
    ), @r#"<link rel=preload as=image href="up/room-400.webp" type="image/webp" imagesrcset="up/room-400.webp 1x, up/room-800.webp 2x"><link rel=icon href=up/mark.svg><link rel=icon sizes=32x32 href=up/mark-32.png><meta property=og:image content='up/room-800.jpg'><style>a{background:url("up/chart-640.webp")}</style><div style="background: url(&quot;up/room-400.jpg&quot;)"></div><div style='background:image-set(url("up/room-400.webp") 1x type("image/webp"), url("up/room-800.webp") 2x type("image/webp"), url("up/room-400.jpg") 1x type("image/jpeg"), url("up/room-800.jpg") 2x type("image/jpeg"))'></div><video poster=up/room-400.jpg></video><a href='up/room-800.jpg'>large</a><img data-src=up/room-400.jpg data-srcset='up/room-400.jpg 1x, up/room-800.jpg 2x' alt=q><iframe srcdoc="<img src='up/chart-640.webp'>"></iframe><svg><image href="up/chart-640.webp"/></svg>"#);
}

#[test]
fn plainly_only_addresses_change() {
    let plain = Extent {
        plain: true,
        ..Extent::default()
    };
    let html = "<img src=in/room.jpg><div style=\"background:url('in/room.jpg')\">";
    insta::assert_snapshot!(after(Kind::Html, html, plain), @r#"<img src="up/room-400.jpg"><div style="background:url('up/room-400.jpg')">"#);
}

#[test]
fn sheets_texts_feeds_and_manifests_follow() {
    let as_html = Extent {
        markdown_as_html: true,
        ..Extent::default()
    };
    let text = "---\ncover: in/room.jpg\nmore: [\"in/chart.png\"]\n---\n![](in/room.jpg) ![Old](<in/chart.png> \"t\") ![r][1]\n\n[1]: in/room.jpg\n";
    let all = [
        full(
            Kind::Css,
            "a{background:#fff url(in/room.jpg) no-repeat}\nb{cursor:url('in/mark.svg'),auto;border-image:url(in/room.jpg) 9}",
        ),
        full(
            Kind::Css,
            "a{background:image-set('in/room.jpg' 1x, \"in/room.jpg\" 2x)}",
        ),
        full(Kind::Markdown, text),
        after(Kind::Markdown, "![Old](in/room.jpg)\n", as_html),
        full(
            Kind::Xml,
            "<rss xmlns:m='http://search.yahoo.com/mrss/'><item><enclosure url=\"in/room.jpg\" length='9' type='image/png'/>\
                         <description>&lt;img src=\"in/room.jpg\"&gt;</description><x:encoded xmlns:x='u'><![CDATA[<img src='in/room.jpg'>]]></x:encoded></item></rss>",
        ),
        full(
            Kind::Json,
            "{\"icons\":[{\"src\":\"in\\/mark.svg\",\"sizes\":\"32x32\"},{\"src\":\"in/mark.svg\",\"sizes\":\"512x512\"}]}",
        ),
    ];
    insta::assert_snapshot!(all.join("\n"), @r#"
    a{background:#fff image-set(url("up/room-400.webp") 1x type("image/webp"), url("up/room-800.webp") 2x type("image/webp"), url("up/room-400.jpg") 1x type("image/jpeg"), url("up/room-800.jpg") 2x type("image/jpeg")) no-repeat}
    b{cursor:url('up/mark-32.png'),auto;border-image:url(in/room.jpg) 9}
    a{background:image-set(url("up/room-400.webp") 1x type("image/webp"), url("up/room-800.webp") 2x type("image/webp"), url("up/room-400.jpg") 1x type("image/jpeg"), url("up/room-800.jpg") 2x type("image/jpeg"))}
    ---
    cover: in/room.jpg
    more: ["in/chart.png"]
    ---
    ![What "it" shows](up/room-400.jpg) ![Old](<up/chart-640.webp> "t") ![r][1]

    [1]: up/room-400.jpg

    <picture>  <source type="image/webp" srcset="up/room-400.webp 1x, up/room-800.webp 2x">  <img src="up/room-400.jpg" srcset="up/room-400.jpg 1x, up/room-800.jpg 2x" width="400" height="200" alt="Old" loading="lazy" decoding="async"></picture>

    <rss xmlns:m='http://search.yahoo.com/mrss/'><item><enclosure url="up/room-800.jpg" length='800' type='image/jpeg'/><description>&lt;img src="up/room-800.jpg"&gt;</description><x:encoded xmlns:x='u'><![CDATA[<img src='up/room-800.jpg'>]]></x:encoded></item></rss>
    {"icons":[{"src":"up/mark-32.png","sizes":"32x32"},{"src":"up/mark.svg","sizes":"512x512"}]}
    "#);
    let found = markdown::front_matter(text);
    let addresses: Vec<&str> = found
        .showings
        .iter()
        .flat_map(|s| s.candidates())
        .map(|c| c.address.as_str())
        .collect();
    assert_eq!(addresses, ["in/room.jpg", "in/chart.png"]);
    let json = markdown::front_matter("{\"cover\": \"in/room.jpg\", \"n\": 1}\n\ntext \"a.png\"\n");
    assert_eq!(json.showings.len(), 1, "what follows is text");
}

/// What belongs to a template stays byte for byte, and what it holds is told.
#[test]
fn templates_are_never_touched() {
    let text = "{% if x %}<img class=\"{{ 'a' | c }}\" src=in/room.jpg>{% endif %}<img src=\"{{ '/in/room.jpg' }}\">\
                <?php echo \"<img src=in/room.jpg>\" ?><img src=in/{{ x }}.jpg><a style=\"{{ s }};background:url(in/room.jpg)\">";
    let done = worked(Kind::Html, text, Extent::default(), &mut Shop);
    let after = applied(text, &done.edits.ordered());
    insta::assert_snapshot!(after, @r#"{% if x %}<picture style="display:contents"><source type="image/webp" srcset="up/room-400.webp 1x, up/room-800.webp 2x"><img class="{{ 'a' | c }}" src="up/room-400.jpg" srcset="up/room-400.jpg 1x, up/room-800.jpg 2x" width="400" height="200" alt="What &quot;it&quot; shows" decoding="async"></picture>{% endif %}<img src="{{ '/in/room.jpg' }}"><?php echo "<img src=in/room.jpg>" ?><img src=in/{{ x }}.jpg><a style="{{ s }};background:image-set(url('up/room-400.webp') 1x type('image/webp'), url('up/room-800.webp') 2x type('image/webp'), url('up/room-400.jpg') 1x type('image/jpeg'), url('up/room-800.jpg') 2x type('image/jpeg'))">"#);
    let parts = templates::parts(text, false);
    let held: Vec<&str> = parts
        .iter()
        .flat_map(|part| templates::addresses(text, part))
        .map(|(_, address)| address)
        .collect();
    assert_eq!(held, ["/in/room.jpg", "in/room.jpg"]);
    let unclosed = "{{ <img src=a.jpg> {{".repeat(2_000);
    assert_eq!(templates::parts(&unclosed, false), []);
}

/// Width and height are added only where the size stays as it is.
#[test]
fn sides_are_added_where_styles_let_them() {
    let with = |style: &str| {
        let page = format!(
            "<style>{style}</style><main><ul class=cards><img class=c src=in/chart.png alt=x></ul></main>"
        );
        let done = worked(Kind::Html, &page, Extent::default(), &mut Shop);
        let says = done
            .remarks
            .iter()
            .map(|remark| format!("{:?}", remark.says));
        let says: Vec<String> = says.collect();
        let after = applied(&page, &done.edits.ordered());
        (after.contains("height=\"320\""), says.join(" "))
    };
    let added = (true, String::new());
    let harm = (false, "SizedByStyle".to_owned());
    for (style, wanted) in [
        ("", &added),
        ("img{max-width:100%}", &harm),
        ("img{max-width:100%;height:auto}", &added),
        (".c{width:50%}", &harm),
        (".cards img{width:50%}", &harm),
        (".cards .other img{width:50%}", &added),
        ("ol img{width:50%}", &added),
        ("p + img{width:50%}", &harm),
        ("@media print{img{height:9px}}", &harm),
        ("img.c{width:50%;height:9px}", &added),
        (
            ".cards img{width:100%;aspect-ratio:4/3}",
            &(false, String::new()),
        ),
    ] {
        assert_eq!(&with(style), wanted, "{style}");
    }
    let (_, close) = with("ul > img{color:red}");
    assert_eq!(close, "", "one format needs no element around it");
    let page = "<style>p > img{color:red}</style><p><img src=in/room.jpg alt=x>";
    assert!(!full(Kind::Html, page).contains("<picture"));
}

const ODD: [&str; 6] = [
    "<img src=in/room.jpg",
    "<picture><source srcset=in/room.jpg><picture><img src=in/room.jpg></picture></picture>",
    "<img src=in/room.jpg src=in/chart.png srcset=, sizes><img\nsrc\n=\n'in/room.jpg'/>",
    "<noscript><img src=in/room.jpg></noscript><textarea><img src=in/room.jpg></textarea><!--<img src=in/room.jpg>-->",
    "a{background:url(in/room.jpg",
    "[a](in/room.jpg) ![in/room.jpg](in/room.jpg) <img src='in/room.jpg'\n\n>",
];

#[test]
fn what_nobody_knows_keeps_every_byte_and_a_second_run_changes_nothing() {
    for text in ODD {
        for kind in KINDS {
            for at in (0..text.len()).filter(|at| text.is_char_boundary(*at)) {
                for part in [&text[..at], &text[at..]] {
                    let nothing = worked(kind, part, Extent::default(), &mut Nobody);
                    assert!(nothing.edits.is_empty(), "{part}");
                    full(kind, part);
                }
            }
        }
    }
}

/// Every encoding that browsers know reads and writes the same bytes, or is left alone.
#[test]
fn files_keep_their_encodings() {
    let page = "<meta charset=LABEL>\r\n<p>Überfahrt – naïve</p>\r\n<img src=in/room.jpg>\r\n";
    let labels = [
        "utf-8",
        "windows-1252",
        "iso-8859-1",
        "iso-8859-2",
        "iso-8859-15",
        "koi8-r",
        "macintosh",
        "windows-1251",
        "shift_jis",
        "euc-jp",
        "gbk",
        "gb18030",
        "big5",
        "euc-kr",
        "iso-2022-jp",
        "x-user-defined",
        "utf-16le",
    ];
    for label in labels {
        let text = page.replace("LABEL", label);
        let encoding = encoding_rs::Encoding::for_label(label.as_bytes()).expect("a label");
        let (bytes, ..) = encoding.encode(&text);
        let Some((read, coding)) = coded::read(&bytes) else {
            continue;
        };
        assert_eq!(coding.write(&read), *bytes, "{label}");
        let after = coding.write(&full(Kind::Html, &read));
        let tag = bytes
            .windows(4)
            .position(|part| part == b"<img")
            .expect("a tag");
        let behind = &bytes[bytes.len() - 3..];
        assert!(
            after.starts_with(&bytes[..tag]) && after.ends_with(behind),
            "{label}"
        );
        assert!(after.windows(8).any(|part| part == b"up/room-"), "{label}");
    }
    for (bytes, is_read) in [
        (b"\xEF\xBB\xBFa\xC3\xBC".to_vec(), true),
        (b"\xFF\xFEa\0\xFC\0".to_vec(), true),
        (b"\xFE\xFF\0a\0\xFC".to_vec(), true),
        (b"\xFF\xFEa\0\x00\xD8".to_vec(), false),
        (b"caf\xE9 \x81".to_vec(), true),
        (b"<meta charset=utf-8>caf\xE9".to_vec(), false),
        (
            b"<?xml version='1.0' encoding='ISO-8859-2'?><a>\xB1</a>".to_vec(),
            true,
        ),
        (b"@charset \"koi8-r\";a{content:'\xC1'}".to_vec(), true),
    ] {
        let read = coded::read(&bytes);
        assert_eq!(read.is_some(), is_read, "{bytes:?}");
        if let Some((text, coding)) = read {
            assert_eq!(coding.write(&text), bytes);
        }
    }
}
