use super::*;

fn size(width: u32, height: u32) -> Size {
    Size::new(width, height).expect("a size")
}

fn refused(text: &str) -> String {
    Drawing::read(text)
        .err()
        .map_or_else(String::new, |error| error.to_string())
}

/// A square of four pixels on a transparent ground, at twice its size.
#[test]
fn a_drawing_is_drawn_at_the_size_that_is_asked_for() {
    let text = "<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 4 4'><rect x='1' y='1' width='2' height='2' fill='#ff8000' fill-opacity='.5'/></svg>";
    let drawing = Drawing::read(text).expect("sound");
    let pixels = drawing.pixels(size(8, 8)).expect("small");
    let at = |x: usize, y: usize| &pixels[(y * 8 + x) * 4..][..4];
    assert_eq!((at(1, 1), at(6, 5)), (&[0; 4][..], &[0; 4][..]));
    for (x, y) in [(2, 2), (5, 5)] {
        assert_eq!(at(x, y), [255, 128, 0, 128]);
    }
    assert_eq!(drawing.remarks(), []);
}

/// Each would take for ever, all memory, or all of the stack.
#[test]
fn what_would_never_end_is_refused() {
    let svg = |body: &str| {
        format!("<svg xmlns='http://www.w3.org/2000/svg' width='9' height='9'>{body}</svg>")
    };
    let mut laughs = "<g id='a0'><rect width='1' height='1'/></g>".to_owned();
    let mut stripes =
        "<pattern id='a0' width='1' height='1'><rect width='1' height='1'/></pattern>".to_owned();
    let mut chain = "<g id='a0'/>".to_owned();
    for i in 1..200 {
        let used = format!("<use href='#a{}'/>", i - 1);
        chain += &format!("<g id='a{i}'>{used}</g>");
        if i < 12 {
            laughs += &format!("<g id='a{i}'>{}</g>", used.repeat(10));
            let painted = format!("<rect fill='url(#a{})' width='1' height='1'/>", i - 1);
            stripes += &format!(
                "<pattern id='a{i}' width='1' height='1'>{}</pattern>",
                painted.repeat(10)
            );
        }
    }
    let deep = |open: &str, close: &str, times: usize| open.repeat(times) + &close.repeat(times);
    for (body, why) in [
        (laughs, "more than 1000000 shapes"),
        (stripes, "more than 1000000 shapes"),
        (chain, "96 deep"),
        (deep("<g>", "</g>", 200), "96 deep"),
        (deep("<g>", "</g>", 9000), "beyond all bounds"),
        (
            "<filter id='f'><feMorphology radius='9 4000'/></filter>".to_owned(),
            "morphology",
        ),
    ] {
        let said = refused(&svg(&body));
        assert!(said.contains(why), "{why}: {said}");
    }
    let entities = "<!DOCTYPE svg [<!ENTITY a 'lololol'><!ENTITY b '&a;&a;&a;&a;&a;&a;&a;&a;&a;'><!ENTITY c '&b;&b;&b;&b;&b;&b;&b;&b;'><!ENTITY d '&c;&c;&c;&c;&c;&c;&c;'><!ENTITY e '&d;&d;&d;&d;&d;&d;'>]><svg xmlns='http://www.w3.org/2000/svg' width='9' height='9'><text>&e;&e;&e;&e;</text></svg>";
    assert!(refused(entities).contains("well-formed"));
    // What leads back to itself ends, one way or another.
    let circle = svg("<g id='a'><use href='#b'/></g><g id='b'><use href='#a'/></g>");
    assert!(refused(&circle).contains("limit"));
    // As deep as is allowed, on a small stack.
    let layers = deep("<g opacity='.9'>", "</g>", 90);
    let body = format!(
        "{}<rect width='9' height='9'/>{}",
        "<g opacity='.9'>".repeat(90),
        "</g>".repeat(90)
    );
    for text in [svg(&layers), svg(&body)] {
        let drawn = std::thread::Builder::new().stack_size(2 << 20);
        let drawn = drawn.spawn(move || {
            let drawing = Drawing::read(&text).expect("deep, but sound");
            assert!(drawing.pixels(size(3000, 3000)).is_err());
            drawing.pixels(size(9, 9)).expect("small").len()
        });
        assert_eq!(
            drawn.expect("a thread").join().expect("no overflow"),
            9 * 9 * 4
        );
    }
}

#[test]
fn what_does_nothing_in_a_picture_is_told() {
    let text = "<svg xmlns='http://www.w3.org/2000/svg' xmlns:x='http://www.w3.org/1999/xlink' width='9' height='9' onload='go()'><script>go()</script><a x:href='https://example.org/'><rect width='3' height='3' onclick='go()'/></a><image href='file:///etc/passwd' width='3' height='3'/><image href='data:image/png;base64,AAAA' width='3' height='3'/><foreignObject/></svg>";
    let drawing = Drawing::read(text).expect("sound");
    let wanted = [
        Remark::Scripts(3),
        Remark::Links(2, "https://example.org/".to_owned()),
        Remark::Foreign,
    ];
    assert_eq!(drawing.remarks(), wanted);
    // Nobody provided fonts here.
    let letters = "<svg xmlns='http://www.w3.org/2000/svg' width='9' height='9'><text>Tern Point</text></svg>";
    assert!(refused(letters).contains("no font is installed"));
}
