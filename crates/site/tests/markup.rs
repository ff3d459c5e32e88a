use kiln_site::offer::{Offer, Part, Piece, Spot};
use kiln_site::tags::{self, Offers, Words};
use kiln_site::{drawing, kinds};

/// Pieces by their names, widths and the widths that they are displayed at, all twice as wide as high.
pub fn offer(place: &str, pieces: &[(&str, u32, f64)]) -> Offer {
    let piece = |(name, width, displayed): &(&str, u32, f64)| Piece {
        name: (*name).to_owned(),
        address: format!("up/{name}"),
        kind: kinds::by_name(name).to_owned(),
        width: *width,
        height: width / 2,
        displayed: Some(*displayed),
        weight: u64::from(*width),
    };
    Offer {
        place: Some(place.to_owned()),
        pieces: pieces.iter().map(piece).collect(),
        ..Offer::default()
    }
}

fn words() -> Words {
    Words {
        alt: Some("A \"quiet\" <lamp> & a sea".to_owned()),
        caption: Some("Lit < 1898 & since".to_owned()),
        credit: Some("Ines Varga".to_owned()),
        licence: Some("https://tern-point.example/licence?a=1&b=2".to_owned()),
    }
}

fn alone(offer: &Offer) -> Offers<'_> {
    Offers {
        others: &[],
        main: offer,
    }
}

#[test]
fn a_picture_is_offered_in_all_its_formats_with_its_words() {
    let offer = offer(
        "room",
        &[
            ("a-400.jpg", 400, 400.0),
            ("a-400.webp", 400, 400.0),
            ("a-400.avif", 400, 400.0),
            ("a-800.jpg", 800, 400.0),
            ("a-800.webp", 800, 400.0),
            ("a-800.avif", 800, 400.0),
        ],
    );
    let html = tags::picture(alone(&offer), &words(), Some("background:#123456"));
    insta::assert_snapshot!(html.expect("pieces"), @r#"
    <figure>
      <picture>
        <source type="image/avif" srcset="up/a-400.avif 1x, up/a-800.avif 2x">
        <source type="image/webp" srcset="up/a-400.webp 1x, up/a-800.webp 2x">
        <img src="up/a-400.jpg" srcset="up/a-400.jpg 1x, up/a-800.jpg 2x" width="400" height="200" alt="A &quot;quiet&quot; &lt;lamp&gt; &amp; a sea" loading="lazy" decoding="async" style="background:#123456">
      </picture>
      <figcaption>Lit &lt; 1898 &amp; since <small>Ines Varga, <a rel="license" href="https://tern-point.example/licence?a=1&amp;b=2">licence</a></small></figcaption>
    </figure>
    "#);
    let layout = offer.layout(&Spot::default()).expect("pieces");
    let markdown = tags::in_markdown(&layout, &words());
    assert_eq!(
        markdown,
        "![A \"quiet\" \\<lamp\\> \\& a sea](up/a-400.jpg)"
    );
}

#[test]
fn several_widths_come_with_sizes_and_other_shapes_with_their_screens() {
    let wide = Offer {
        lead: true,
        ..offer(
            "banner",
            &[("b-960.jpg", 960, 960.0), ("b-1920.jpg", 1920, 1920.0)],
        )
    };
    let tall = Offer {
        media: Some("(max-width: 600px)".to_owned()),
        sizes: Some("90vw".to_owned()),
        ..offer(
            "phone",
            &[("t-300.webp", 300, 300.0), ("t-600.webp", 600, 600.0)],
        )
    };
    let offers = Offers {
        others: std::slice::from_ref(&tall),
        main: &wide,
    };
    let mut lines = tags::preloads(offers);
    lines.extend(tags::picture(offers, &Words::default(), None));
    lines.extend(tags::background(".lead", offers, None));
    insta::assert_snapshot!(lines.join("\n"), @r#"
    <link rel="preload" as="image" href="up/t-300.webp" type="image/webp" imagesrcset="up/t-300.webp 300w, up/t-600.webp 600w" imagesizes="90vw" media="(max-width: 600px)" fetchpriority="high">
    <link rel="preload" as="image" href="up/b-960.jpg" type="image/jpeg" imagesrcset="up/b-960.jpg 960w, up/b-1920.jpg 1920w" imagesizes="(min-width: 1920px) 1920px, 100vw" media="not all and (max-width: 600px)" fetchpriority="high">
    <picture>
      <source media="(max-width: 600px)" type="image/webp" srcset="up/t-300.webp 300w, up/t-600.webp 600w" sizes="90vw" width="600" height="300">
      <img src="up/b-1920.jpg" srcset="up/b-960.jpg 960w, up/b-1920.jpg 1920w" sizes="(min-width: 1920px) 1920px, 100vw" width="1920" height="960" fetchpriority="high">
    </picture>
    .lead {
      background-image: url("up/b-1920.jpg");
    }
    @media (max-width: 960px) {
      .lead { background-image: image-set(url("up/b-960.jpg") 1x type("image/jpeg"), url("up/b-1920.jpg") 2x type("image/jpeg")); }
    }
    @media (max-width: 600px) {
      .lead { background-image: url("up/t-600.webp"); }
    }
    "#);
}

/// What a layout says: its forms, the plain file, sizes and sides.
fn told(offer: &Offer, spot: &Spot) -> String {
    let layout = offer.layout(spot).expect("pieces");
    let forms = layout.forms.iter().map(|form| {
        let kind = form.kind.unwrap_or("any");
        format!("{kind}: {}", tags::srcset(&form.candidates))
    });
    let forms: Vec<String> = forms.collect();
    let sizes = layout.sizes.as_deref().unwrap_or("-");
    let sides = format!("{}x{}", layout.width, layout.height);
    format!(
        "{} | {} | {sizes} | {sides}",
        forms.join("; "),
        layout.plain.name
    )
}

#[test]
fn a_layout_fits_what_there_is_and_where_it_is_shown() {
    let at = |width: f64| Spot {
        width: Some(width),
        sizes: None,
    };
    // Each size in the format that served it best, all of which every browser shows.
    let mixed = offer("x", &[("m-4.webp", 400, 400.0), ("m-8.png", 800, 400.0)]);
    // One that is smaller than its place.
    let short = offer("x", &[("s-4.webp", 400, 400.0), ("s-5.webp", 500, 400.0)]);
    let tiny = offer("x", &[("t-9.webp", 90, 400.0)]);
    let logo = offer(
        "x",
        &[
            ("l-60.png", 60, 60.0),
            ("l-120.png", 120, 60.0),
            ("l-240.png", 240, 240.0),
            ("l-480.png", 480, 240.0),
        ],
    );
    let drawing = offer(
        "x",
        &[
            ("d.svg", 96, 48.0),
            ("d-48.png", 48, 48.0),
            ("d-96.png", 96, 48.0),
        ],
    );
    let all = [
        told(&mixed, &Spot::default()),
        told(&short, &Spot::default()),
        told(&tiny, &Spot::default()),
        told(&logo, &Spot::default()),
        told(&logo, &at(60.0)),
        told(&logo, &at(300.0)),
        told(&drawing, &Spot::default()),
        told(&drawing, &at(24.0)),
    ];
    insta::assert_snapshot!(all.join("\n"), @r"
    any: up/m-4.webp 1x, up/m-8.png 2x | m-4.webp | - | 400x200
    image/webp: up/s-4.webp 1x, up/s-5.webp 1.25x | s-4.webp | - | 400x200
    image/webp: up/t-9.webp | t-9.webp | - | 90x45
    image/png: up/l-60.png 60w, up/l-120.png 120w, up/l-240.png 240w, up/l-480.png 480w | l-240.png | (min-width: 240px) 240px, 100vw | 240x120
    image/png: up/l-60.png 1x, up/l-120.png 2x, up/l-240.png 4x | l-60.png | - | 60x30
    image/png: up/l-480.png | l-480.png | - | 240x120
    image/svg+xml: up/d.svg; image/png: up/d-48.png 1x, up/d-96.png 2x | d-48.png | - | 48x24
    image/svg+xml: up/d.svg; image/png: up/d-48.png 2x, up/d-96.png 4x | d-48.png | - | 24x12
    ");
    assert!(offer("x", &[]).layout(&Spot::default()).is_none());
}

#[test]
fn icons_and_previews_are_lines_of_the_head() {
    let icons = Offer {
        part: Part::Icon,
        ..offer(
            "icon",
            &[
                ("i-32.png", 32, 32.0),
                ("i-180.png", 180, 180.0),
                ("i.svg", 180, 180.0),
            ],
        )
    };
    let preview = offer(
        "card",
        &[("c-1200.jpg", 1200, 1200.0), ("c-1200.webp", 1200, 1200.0)],
    );
    let mut lines = tags::icons(&icons);
    lines.extend(tags::previews(&preview, &words()));
    lines.push(tags::heading("a --> b"));
    insta::assert_snapshot!(lines.join("\n"), @r#"
    <link rel="icon" href="up/i.svg" type="image/svg+xml" sizes="any">
    <link rel="icon" href="up/i-32.png" type="image/png" sizes="32x16">
    <link rel="apple-touch-icon" href="up/i-180.png" type="image/png" sizes="180x90">
    <meta property="og:image" content="up/c-1200.jpg">
    <meta property="og:image:type" content="image/jpeg">
    <meta property="og:image:width" content="1200">
    <meta property="og:image:height" content="600">
    <meta property="og:image:alt" content="A &quot;quiet&quot; &lt;lamp&gt; &amp; a sea">
    <!-- a - -  b -->
    "#);
}

#[test]
fn a_drawing_stands_in_a_page_with_names_of_its_own() {
    let svg = "<?xml version=\"1.0\"?><svg xmlns=\"http://www.w3.org/2000/svg\" width=\"9\" viewBox=\"0 0 9 9\">\
               <defs><linearGradient id=\"g\"/></defs><path fill=\"url(#g)\" d=\"M0 0h9\"/><use href=\"#g\"/></svg>";
    let inline = drawing::inline(svg, &words(), (48, 24), "p-");
    insta::assert_snapshot!(inline.expect("a drawing"), @r##"<svg width="48" height="24" role="img" aria-label="A &quot;quiet&quot; &lt;lamp&gt; &amp; a sea" xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><defs><linearGradient id="p-g"/></defs><path fill="url(#p-g)" d="M0 0h9"/><use href="#p-g"/></svg>"##);
    let adorns = Words {
        alt: Some(String::new()),
        ..Words::default()
    };
    let inline = drawing::inline(svg, &adorns, (48, 24), "p-").expect("a drawing");
    assert!(inline.contains("aria-hidden=\"true\"") && !inline.contains("role"));
    for unfit in [
        "<svg xmlns=\"http://www.w3.org/2000/svg\"><script>1</script></svg>",
        "<svg xmlns=\"http://www.w3.org/2000/svg\" onload=\"x()\"/>",
        "<s:svg xmlns:s=\"http://www.w3.org/2000/svg\"/>",
        "<html/>",
        "no drawing",
    ] {
        assert_eq!(
            drawing::inline(unfit, &adorns, (1, 1), "p-"),
            None,
            "{unfit}"
        );
    }
}
