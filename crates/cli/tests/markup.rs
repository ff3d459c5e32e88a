//! `kiln markup`: what a page says to show each picture.

use crate::support::{Scratch, common, photo};

const KILN: &str = "originals = 'in'\nout = 'img'\n\
    [every]\ndensities = [1, 2]\nformats = ['webp', 'jpeg']\nquality = 60\n\
    [place.room]\nof = ['rooms/**']\nwidth = 60\n\
    [place.lead]\nof = ['lead.jpg']\nwidth = [80, 160]\ndensities = [1]\nlead = true\nshown-as = 'background'\n\
    [place.phone]\nof = ['lead.jpg']\nwidth = 50\nshape = '1:1'\nmedia = '(max-width: 600px)'\ninstead-of = 'lead'\n\
    [place.card]\nof = ['lead.jpg']\nwidth = 120\nformats = ['jpeg']\ndensities = [1]\nshown-as = 'preview'\n\
    [place.badge]\nof = ['*.svg']\nwidth = 24\nformats = ['svg']\nquality = 50\n";

const LABELS: &str = "file,title,alternative text,caption,creator,licence,decorative\n\
    rooms/lamp room ü.jpg,Lamp room,\"The \"\"great\"\" lens & its lamp\",Lit since 1898,Ines Varga,CC BY 4.0,no\n\
    lead.jpg,Evening,\"Dusk, the sea calm\",,,,no\n\
    mark.svg,,,,,,yes\n";

/// A site that was fired.
fn fired() -> Scratch {
    let scratch = Scratch::new();
    scratch.put("kiln.toml", KILN.as_bytes());
    scratch.put("labels.csv", LABELS.as_bytes());
    scratch.put("in/rooms/lamp room ü.jpg", &photo(300, 200, 1));
    scratch.put("in/rooms/small.png", &common::png());
    scratch.put("in/lead.jpg", &photo(300, 200, 3));
    let mark = "<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 24 24'><path id='p' d='M2 2h20v20z' fill='#246'/></svg>";
    scratch.put("in/mark.svg", mark.as_bytes());
    scratch.fires(&["fire", "--quiet"]);
    scratch
}

#[test]
fn each_picture_gets_what_a_careful_author_writes() {
    let scratch = fired();
    let done = scratch.kiln(&["markup", "--base", "https://tern-point.example/img"]);
    insta::assert_snapshot!(done.stdout, @r#"
    <!-- lead.jpg in lead -->
    <link rel="preload" as="image" href="https://tern-point.example/img/evening-50.webp" type="image/webp" imagesrcset="https://tern-point.example/img/evening-50.webp 1x, https://tern-point.example/img/evening-100.webp 2x" media="(max-width: 600px)" fetchpriority="high">
    <link rel="preload" as="image" href="https://tern-point.example/img/evening-80.webp" type="image/webp" imagesrcset="https://tern-point.example/img/evening-80.webp 80w, https://tern-point.example/img/evening-160.webp 160w" imagesizes="(min-width: 160px) 160px, 100vw" media="not all and (max-width: 600px)" fetchpriority="high">
    <style>
    .evening {
      background-image: url("https://tern-point.example/img/evening-160.jpg");
      background-image: image-set(url("https://tern-point.example/img/evening-160.webp") 1x type("image/webp"), url("https://tern-point.example/img/evening-160.jpg") 1x type("image/jpeg"));
    }
    @media (max-width: 80px) {
      .evening { background-image: image-set(url("https://tern-point.example/img/evening-80.webp") 1x type("image/webp"), url("https://tern-point.example/img/evening-160.webp") 2x type("image/webp"), url("https://tern-point.example/img/evening-80.jpg") 1x type("image/jpeg"), url("https://tern-point.example/img/evening-160.jpg") 2x type("image/jpeg")); }
    }
    @media (max-width: 600px) {
      .evening { background-image: image-set(url("https://tern-point.example/img/evening-50.webp") 1x type("image/webp"), url("https://tern-point.example/img/evening-100.webp") 2x type("image/webp"), url("https://tern-point.example/img/evening-50.jpg") 1x type("image/jpeg"), url("https://tern-point.example/img/evening-100.jpg") 2x type("image/jpeg")); }
    }
    </style>

    <!-- lead.jpg in card -->
    <meta property="og:image" content="https://tern-point.example/img/evening-120.jpg">
    <meta property="og:image:type" content="image/jpeg">
    <meta property="og:image:width" content="120">
    <meta property="og:image:height" content="80">
    <meta property="og:image:alt" content="Dusk, the sea calm">

    <!-- mark.svg in badge -->
    <img src="https://tern-point.example/img/mark.svg" width="24" height="24" alt="" loading="lazy" decoding="async">

    <!-- rooms/lamp room ü.jpg in room -->
    <figure>
      <picture>
        <source type="image/webp" srcset="https://tern-point.example/img/rooms/lamp-room-60.webp 1x, https://tern-point.example/img/rooms/lamp-room-120.webp 2x">
        <img src="https://tern-point.example/img/rooms/lamp-room-60.jpg" srcset="https://tern-point.example/img/rooms/lamp-room-60.jpg 1x, https://tern-point.example/img/rooms/lamp-room-120.jpg 2x" width="60" height="40" alt="The &quot;great&quot; lens &amp; its lamp" loading="lazy" decoding="async">
      </picture>
      <figcaption>Lit since 1898 <small>Ines Varga, CC BY 4.0</small></figcaption>
    </figure>

    <!-- rooms/small.png in room -->
    <picture>
      <source type="image/webp" srcset="https://tern-point.example/img/rooms/small-53.webp">
      <img src="https://tern-point.example/img/rooms/small-53.jpg" width="53" height="38" loading="lazy" decoding="async">
    </picture>
    "#);
    insta::assert_snapshot!(done.stderr, @"kiln: rooms/small.png: has no alternative text; write one into the label sheet, or mark it as decorative");
    assert_eq!(done.code, 1, "a text is missing");
    scratch.fires(&[
        "markup",
        "in/lead.jpg",
        "--place",
        "phone,lead",
        "--base",
        "/img",
    ]);
}

#[test]
fn addresses_lead_from_the_page_to_the_pieces() {
    let scratch = fired();
    let html = |arguments: &[&str]| {
        let done = scratch.kiln(&[&["markup", "in/rooms/lamp room ü.jpg"], arguments].concat());
        let src = done.stdout.split("src=\"").nth(1).expect("a picture");
        src.split('"').next().expect("an end").to_owned()
    };
    assert_eq!(html(&[]), "img/rooms/lamp-room-60.jpg");
    assert_eq!(
        html(&["--page", "docs/deep/er.html"]),
        "../../img/rooms/lamp-room-60.jpg"
    );
    assert_eq!(html(&["--base", "/x"]), "/x/rooms/lamp-room-60.jpg");
    // A piece names its original as well.
    let by_piece = scratch.kiln(&["markup", "img/rooms/lamp-room-60.webp"]);
    assert_eq!(by_piece.stdout.matches("<picture>").count(), 1);
    let pieces = [
        "markup",
        "img/rooms/small-53.jpg",
        "img/rooms/lamp-room-60.webp",
    ];
    let by_pieces = scratch.kiln(&pieces);
    assert_eq!(by_pieces.stdout.matches("<picture>").count(), 2);
}

#[test]
fn it_comes_as_a_page_as_files_as_a_document_and_by_a_template() {
    let scratch = fired();
    scratch.put("rooms.txt", b"{{ original }}: {{ alternative_text | markdown }} | {% for form in forms %}{{ form.srcset }}{% endfor %}\n");
    let arguments = ["markup", "in/rooms/lamp room ü.jpg"];
    let templated = scratch.fires(&[&arguments[..], &["--template", "rooms.txt"]].concat());
    assert_eq!(
        templated.trim(),
        "rooms/lamp room ü.jpg: The \"great\" lens \\& its lamp | img/rooms/lamp-room-60.webp 1x, \
         img/rooms/lamp-room-120.webp 2ximg/rooms/lamp-room-60.jpg 1x, img/rooms/lamp-room-120.jpg 2x"
    );
    let examples = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/templates");
    let examples = ["picture.html", "shortcode.txt", "markdown.md"].map(|name| {
        let example = format!("{examples}/{name}");
        scratch.fires(&[&arguments[..], &["--template", &example]].concat())
    });
    insta::assert_snapshot!(examples.concat(), @r#"
    <picture class="photo">
      <source type="image/webp" srcset="img/rooms/lamp-room-60.webp 1x, img/rooms/lamp-room-120.webp 2x">
      <img src="img/rooms/lamp-room-60.jpg" srcset="img/rooms/lamp-room-60.jpg 1x, img/rooms/lamp-room-120.jpg 2x" width="60" height="40" alt="The &quot;great&quot; lens &amp; its lamp" loading="lazy">
    </picture>
    {{< photo src="img/rooms/lamp-room-60.jpg" srcset="img/rooms/lamp-room-60.webp 1x, img/rooms/lamp-room-120.webp 2x" width=60 height=40 alt="The &quot;great&quot; lens &amp; its lamp" caption="Lit since 1898" >}}
    ![The "great" lens \& its lamp](img/rooms/lamp-room-60.jpg)
    *Lit since 1898* (Ines Varga)
    "#);
    scratch.kiln(&["markup", "--into", "snippets", "--meanwhile", "tiny"]);
    assert_eq!(
        scratch.names("snippets"),
        [
            "evening-card.html",
            "evening-lead.html",
            "lamp-room-room.html",
            "mark-badge.html",
            "small-room.html"
        ]
    );
    let snippet =
        String::from_utf8(scratch.files("snippets")["lamp-room-room.html"].clone()).expect("text");
    let address = snippet
        .split("url(")
        .nth(1)
        .and_then(|rest| rest.split(')').next())
        .expect("an address");
    assert!(
        address.starts_with("data:image/webp;base64,") && address.len() < 200,
        "{address}"
    );
    let document = scratch.json(&["markup", "--json", "--inline", "2KB"]);
    assert_eq!(document["kind"], "markup");
    let pictures = document["pictures"].as_array().expect("a list");
    let told: Vec<String> = pictures
        .iter()
        .map(|one| {
            format!(
                "{} {} {} {}",
                one["original"],
                one["shown_as"],
                one["width"],
                one["html"].is_string()
            )
        })
        .collect();
    insta::assert_snapshot!(told.join("\n"), @r#"
    "lead.jpg" "background" 160 false
    "lead.jpg" "preview" 120 false
    "mark.svg" "picture" 24 true
    "rooms/lamp room ü.jpg" "picture" 60 true
    "rooms/small.png" "picture" 53 true
    "#);
    let mark = pictures
        .iter()
        .find(|one| one["original"] == "mark.svg")
        .expect("the mark");
    let html = mark["html"].as_str().expect("HTML");
    assert!(
        html.starts_with("<svg") && html.contains("aria-hidden=\"true\""),
        "{html}"
    );
    scratch.kiln(&["markup", "--html", "all.html"]);
    let page = String::from_utf8(scratch.files("")["all.html"].clone()).expect("text");
    assert!(page.contains("&lt;picture&gt;") && page.contains("<picture>"));
    // What is written is as rewiring leaves it.
    let rules = scratch
        .kiln(&["markup", "in/lead.jpg", "--place", "lead"])
        .stdout;
    scratch.put("site.html", rules.as_bytes());
    let rewired = scratch.json(&["rewire", ".", "--except", "all.html", "--json"]);
    assert!(rewired["references"].as_u64() > Some(4), "{rewired}");
    let files = rewired["files"].as_array().expect("a list").iter();
    let names: Vec<_> = files.map(|file| &file["name"]).collect();
    assert!(!names.iter().any(|name| *name == "site.html"), "{names:?}");
}

#[test]
fn what_cannot_be_is_said() {
    let scratch = Scratch::new();
    scratch.put("in/a.jpg", &photo(60, 40, 1));
    let says = |arguments: &[&str]| {
        let done = scratch.kiln(arguments);
        format!("{} {}", done.code, done.stderr)
    };
    let mut all = vec![
        says(&["markup"]),
        says(&["markup", "nowhere.jpg"]),
        says(&["markup", "--base", "img"]),
    ];
    scratch.fires(&[
        "fire",
        "in",
        "--out",
        "upload",
        "--quality",
        "60",
        "--quiet",
    ]);
    scratch.put("other.jpg", &photo(60, 40, 1));
    scratch.put("wrong.txt", b"{{ original }\n");
    scratch.put("unknown.html", b"a\n{{ origin }}\n");
    scratch.put(
        "endless.html",
        b"{% for i in range(100000) %}{% for i in range(100000) %}x{% endfor %}{% endfor %}",
    );
    all.extend([
        says(&["markup", "other.jpg"]),
        says(&["markup", "--template", "wrong.txt"]),
        says(&["markup", "--template", "unknown.html"]),
        says(&["markup", "--template", "endless.html"]),
        says(&["markup", "--html", "other.jpg"]),
        says(&["markup", "--place", "rom"]),
    ]);
    std::fs::remove_file(scratch.path("upload/a-60.webp")).expect("a piece");
    all.push(says(&["markup"]));
    scratch.put("upload/kiln-ledger.json", b"{ no ledger");
    all.push(says(&["markup"]));
    let kiln = "originals='in'\n[every]\nlead = true\n[place.a]\nof=['*']\nmedia='print'\n[place.b]\nof=['*']\nmedia='print'\ninstead-of='x'\n\
                [place.c]\nof=['*']\nshown-as='poster'\nsizes=''\n[markup]\nbase='img'\nmeanwhile='grey'\n";
    scratch.put("kiln.toml", kiln.as_bytes());
    all.push(says(&["markup"]));
    insta::assert_snapshot!(all.join("\n"), @r#"
    1 kiln: upload: no pieces are recorded there; make them with kiln fire, or name the folder with --out

    2 kiln: nowhere.jpg: no such file or folder; check the path

    2 error: invalid value 'img' for '--base <ADDRESS>': it is an address, such as https://tern-point.example/img or /img

    For more information, try '--help'.

    2 kiln: other.jpg: no pieces of it are recorded; make them with kiln fire

    2 kiln: a.jpg: has no alternative text; write one into the label sheet, or mark it as decorative
    kiln: wrong.txt: line 1: unexpected `}`, expected end of variable block; docs/formats.md says what a template is given

    2 kiln: a.jpg: has no alternative text; write one into the label sheet, or mark it as decorative
    kiln: unknown.html: line 2: undefined value; docs/formats.md says what a template is given

    2 kiln: a.jpg: has no alternative text; write one into the label sheet, or mark it as decorative
    kiln: endless.html: line 1: engine ran out of fuel; docs/formats.md says what a template is given

    1 kiln: other.jpg: is there already and is not a page; choose another name for --html

    2 kiln: there is no place "rom"; there is no kiln file; make one with kiln init

    1 kiln: a-60.webp: is not there any more; make it again with kiln fire

    1 kiln: upload/kiln-ledger.json: cannot be read as a ledger; run kiln fire, which begins a new one

    2 kiln: kiln.toml:3: "lead" cannot stand like this
      |
    3 | lead = true
      | ^^^^ it is said of one place: put it into [place.NAME]

    kiln: kiln.toml:4: "a" cannot stand like this
      |
    4 | [place.a]
      |        ^ media goes with instead-of: say which place it stands for on these screens

    kiln: kiln.toml:7: "b" cannot stand like this
      |
    7 | [place.b]
      |        ^ there is no place "x" that it could stand for

    kiln: kiln.toml:13: "shown-as" cannot be "poster"
       |
    13 | shown-as='poster'
       |          ^^^^^^^^ it is "picture", "background", "icon" or "preview"

    kiln: kiln.toml:14: "sizes" cannot be ""
       |
    14 | sizes=''
       |       ^^ it is a text, and not empty

    kiln: kiln.toml:16: "base" cannot be "img"
       |
    16 | base='img'
       |      ^^^^^ it is an address, such as https://tern-point.example/img or /img

    kiln: kiln.toml:17: "meanwhile" cannot be "grey"
       |
    17 | meanwhile='grey'
       |           ^^^^^^ it is colour or tiny
    "#);
}
