use kiln_site::{Found, manifest, markdown, xml};

/// Role and what stands at the span, of every candidate.
fn told(found: &Found, text: &str) -> Vec<String> {
    let candidates = found.showings.iter().flat_map(|showing| {
        showing
            .candidates()
            .map(move |candidate| (showing, candidate))
    });
    let told = candidates.map(|(showing, candidate)| {
        let written = &text[candidate.span.clone()];
        format!("{} {} {written}", candidate.line, showing.role.as_str())
    });
    told.collect()
}

#[test]
fn markdown_shows_pictures_in_all_its_ways() {
    let text = "---\nhero: a.jpg\n---\n# Rooms\n\n![The *lamp*\nroom](img/lamp.jpg \"t\") and\n\
                [![small](s.png)](big.jpg)\n\n![ref][one]\n\n<figure>\n<img src=\"b.jpg\" \
                alt=x>\n</figure>\n\n`![no](no.png)`\n\n[one]: <c d.png>\n";
    let found = markdown::references(text);
    assert_eq!(
        told(&found, text),
        [
            "7 Markdown img/lamp.jpg",
            "8 link big.jpg",
            "8 Markdown s.png",
            "18 Markdown c d.png",
            "13 image b.jpg",
        ]
    );
    assert_eq!(found.showings[0].alt.as_deref(), Some("The lamp room"));
}

#[test]
fn drawings_feeds_and_sitemaps_lead_to_pictures() {
    let svg = "<svg xmlns='http://www.w3.org/2000/svg' xmlns:xlink='http://www.w3.org/1999/xlink'>\
               <image xlink:href='a.png'/><use href='#b'/><rect style='fill:url(#c)'/>\n\
               <style>i{mask:url(d.svg)}</style></svg>";
    assert_eq!(
        told(&xml::references(svg), svg),
        ["1 in a drawing a.png", "2 style d.svg"]
    );
    let feed = "<rss xmlns:media='http://search.yahoo.com/mrss/'><channel><image><url> logo.png \
                </url></image><item><enclosure url='e.jpg' type='image/jpeg'/>\n\
                <enclosure url='talk.mp3' type='audio/mpeg'/><media:thumbnail url='t'/>\
                <description>&lt;img src=\"in.jpg\"&gt;</description></item></channel></rss>";
    let found = xml::references(feed);
    let addresses = found.showings.iter().flat_map(|s| s.candidates());
    let addresses: Vec<_> = addresses.map(|c| &*c.address).collect();
    assert_eq!(addresses, ["logo.png", "e.jpg", "t", "in.jpg"]);
    let map = "<urlset xmlns:image='x'><url><loc>https://t.example/</loc><image:image>\
               <image:loc>https://t.example/a.jpg</image:loc></image:image></url></urlset>";
    assert_eq!(
        told(&xml::references(map), map),
        ["1 feed https://t.example/a.jpg"]
    );
    assert_eq!(xml::references("<a><b>"), Found::default());
}

#[test]
fn manifests_name_their_icons() {
    let json = r#"{"name":"Tern Point","icons":[{"src":"i-192.png"},{"src":5},{"sizes":"x"},
"no"],"shortcuts":[{"icons":[{"src":"s\u002epng"}]}],"screenshots":{"src":"no.png"}}"#;
    let found = manifest::references(json);
    assert_eq!(
        told(&found, json),
        ["1 app icon i-192.png", "2 app icon s\\u002epng"]
    );
    assert_eq!(found.title.as_deref(), Some("Tern Point"));
    assert_eq!(manifest::references("{"), Found::default());
}
