use std::collections::HashMap;

use kiln_site::load::{File, LINKS, Link, seconds};
use kiln_site::walk::resolved;
use kiln_site::{Answer, Page, Viewport, Walk};
use url::Url;

/// Walks a site of files by their paths.
fn walk(files: &[(&str, &str)]) -> Page {
    let files: HashMap<&str, &str> = files.iter().copied().collect();
    let start = Url::parse("https://tern.example/index.html").expect("an address");
    let mut walk = Walk::new(start, None);
    loop {
        let wanted = walk.wanted();
        if wanted.is_empty() {
            return walk.end();
        }
        for request in wanted {
            if let Some(text) = files.get(request.address.path()) {
                let answer = Answer {
                    address: request.address.clone(),
                    weight: text.len() as u64,
                    kind: String::new(),
                    text: (*text).to_owned(),
                };
                walk.take(&request, answer);
            }
        }
    }
}

fn loads(page: &Page, screen: &str) -> Vec<String> {
    let viewport: Viewport = screen.parse().expect("a screen");
    let loads = page.loads(&viewport).into_iter();
    let told = loads.map(|load| {
        let path = page.pictures[load.picture].address.path().to_owned();
        format!("{path} {:?}", load.width)
    });
    told.collect()
}

#[test]
fn a_page_is_followed_to_all_that_it_is_made_of() {
    let page = walk(&[
        (
            "/index.html",
            "<link rel=stylesheet href=css/a.css><link rel=stylesheet href=/css/missing.css>\
             <iframe src='index.html'></iframe><iframe src=frame.html></iframe>\
             <link rel=manifest href=app.webmanifest><script src=s.js></script>\
             <div class=hero></div><img src=a.jpg#x width=300><img src=a.jpg>\
             <img src='javascript:1'><img src='http://[bad'><img src=file:///etc/x.png>",
        ),
        (
            "/css/a.css",
            "@import 'b.css'; @import 'a.css'; .hero{background:url(../bg.jpg)} .no{background:url(no.jpg)}\
             @media (min-width:800px){.hero{background:url(wide.jpg)}} .hero:hover{background:url(h.jpg)}",
        ),
        (
            "/css/b.css",
            "body{background:url(data:image/gif;base64,R0)}",
        ),
        ("/frame.html", "<base href=/deep/><img src=f.png>"),
        ("/app.webmanifest", "{\"icons\":[{\"src\":\"i.png\"}]}"),
        ("/s.js", "let img = 'x.png';"),
    ]);
    let files = page
        .files
        .iter()
        .map(|file| (file.address.path(), file.weight.is_some()));
    let files: Vec<_> = files.collect();
    assert_eq!(
        files,
        [
            ("/index.html", true),
            ("/css/a.css", true),
            ("/css/missing.css", false),
            ("/frame.html", true),
            ("/app.webmanifest", true),
            ("/s.js", true),
            ("/css/b.css", true),
        ]
    );
    assert_eq!(page.wrong.len(), 1);
    assert_eq!(
        loads(&page, "390x844"),
        [
            "/a.jpg Some(300.0)",
            "/a.jpg None",
            "/bg.jpg None",
            "/deep/f.png None",
            "image/gif;base64,R0 None",
        ]
    );
    let wide = loads(&page, "1200x800");
    assert!(
        wide.contains(&"/css/wide.jpg None".to_owned())
            && !wide.contains(&"/bg.jpg None".to_owned())
    );
    let all: Vec<_> = page
        .pictures
        .iter()
        .map(|picture| picture.address.path())
        .collect();
    assert!(all.contains(&"/css/no.jpg") && all.contains(&"/i.png"));
}

#[test]
fn addresses_of_files_are_those_of_their_site() {
    let root = Url::parse("file:///srv/site/").expect("an address");
    let page = root.join("rooms/index.html").expect("an address");
    let is = |address: &str| resolved(address, &page, Some(&root)).map(String::from);
    assert_eq!(
        is("/img/a.png?v=2#x").as_deref(),
        Some("file:///srv/site/img/a.png?v=2")
    );
    assert_eq!(
        is(" a b.png ").as_deref(),
        Some("file:///srv/site/rooms/a%20b.png")
    );
    assert_eq!(
        is("//cdn.example/c.png").as_deref(),
        Some("https://cdn.example/c.png")
    );
    assert_eq!(is("mailto:a@b.example"), None);
}

#[test]
fn the_time_on_a_link_follows_the_model() {
    let link = Link {
        name: "even",
        rate: 8e6,
        delay: 0.1,
    };
    let file = |bytes, after| File {
        host: 0,
        is_secure: false,
        bytes,
        after,
    };
    let near = |files: &[File], wanted: f64| {
        let found = seconds(files, &link);
        assert!(
            (found - wanted).abs() < 0.002,
            "{found} instead of {wanted}"
        );
    };
    near(&[], 0.0);
    // Name, connection, request, a million bytes at a million a second, and the browser.
    near(&[file(1_000_000, None)], 1.4);
    // A second file waits for the first and takes its connection.
    near(&[file(1_000_000, None), file(500_000, Some(0))], 2.0);
    // Twelve at six a time: two requests one after the other on each connection.
    near(&vec![file(10_000, None); 12], 0.4 + 0.06 + 0.1 + 0.06);
    let secure = vec![
        File {
            is_secure: true,
            ..file(10_000, None)
        };
        12
    ];
    near(&secure, 0.5 + 0.12);
    // Circles wait for nothing for ever.
    assert!(seconds(&[file(1, Some(1)), file(1, Some(0))], &LINKS[0]) < 0.2);
    assert_eq!(LINKS.len(), 3);
}
