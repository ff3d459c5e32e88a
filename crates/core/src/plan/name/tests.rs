use super::*;

#[test]
fn any_script_becomes_safe_in_an_address() {
    let cases = [
        ("Lamp Room — at dusk!", "lamp-room-at-dusk"),
        ("Überfahrt", "uberfahrt"),
        ("U\u{308}berfahrt", "uberfahrt"),
        ("The keeper's stairs", "the-keepers-stairs"),
        ("маяк", "maiak"),
        ("灯台", "deng-tai"),
        ("../../etc/passwd", "etc-passwd"),
        ("☃︎", "snowman"),
        ("\u{200B}…", "picture"),
    ];
    for (text, wanted) in cases {
        assert_eq!(slug(text), wanted, "{text}");
    }
    let long = slug(&"lighthouse ".repeat(20));
    assert!(
        long.len() <= LONGEST_SLUG && long.ends_with("lighthouse"),
        "{long}"
    );
}

#[test]
fn names_that_say_nothing_are_told_from_names() {
    for stem in [
        "IMG_2041",
        "DSC_0187",
        "DSCF1234",
        "P1010347",
        "_MG_0001",
        "PXL_20260620_211405",
        "IMG-20260620-WA0003",
        "DJI_0012",
        "lamp room (1)",
        "Screenshot 2026-06-20 at 21.14.05",
        "untitled-2",
        "image",
        "2041",
        "f3a9c1d2-77b0-4e1f-9a51-0c6de2b8aa10",
        "Bild 3",
    ] {
        assert!(says_nothing(stem), "{stem}");
    }
    for stem in [
        "lamp-room",
        "breakfast",
        "Überfahrt",
        "logo-white",
        "room12",
        "tern-point-1898",
        "coast-chart",
        "morning fog",
        "mark",
        "facade",
        "灯台",
    ] {
        assert!(!says_nothing(stem), "{stem}");
    }
}

#[test]
fn patterns_are_filled_and_finished() {
    let filling = Filling {
        title: "Lamp Room",
        original: "Räume/Nord/IMG_1.JPG",
        place: Some("card"),
        width: 800,
        height: 600,
        density: 2.0,
        number: (7, 2),
        digest: "0123456789abcdef0123456789abcdef"
            .parse()
            .expect("a digest"),
        extension: "webp",
        scalable: false,
    };
    let cases = [
        ("{folders}/{title}-{width}", "raume/nord/lamp-room-800.webp"),
        ("{place}/{number}@{density}x", "card/07@2x.webp"),
        ("{extension}/{stem}_{number:4}", "webp/img-1_0007.webp"),
        ("{title}-{height}.{extension}", "lamp-room-600.webp"),
        ("{digest}.{digest:4}", "01234567.0123.webp"),
        ("{verbatim}-{suffix}", "IMG_1-jpg.webp"),
        ("{path}-{width}", "Räume/Nord/IMG_1-800.webp"),
    ];
    for (pattern, name) in cases {
        let parsed: Pattern = pattern.parse().expect("a pattern");
        assert_eq!(parsed.fill(&filling), name);
        assert_eq!(parsed.to_string(), pattern);
    }
    for (pattern, name) in [
        ("{folders}/{title}-{width}", "raume/nord/lamp-room.svg"),
        ("{place}/{number}@{density}x", "card/07.svg"),
        ("{width}x{height}/{title}", "lamp-room.svg"),
        ("{place}/{width}", "card/lamp-room.svg"),
    ] {
        let drawing = Filling {
            extension: "svg",
            scalable: true,
            ..filling
        };
        let pattern: Pattern = pattern.parse().expect("a pattern");
        assert_eq!(pattern.fill(&drawing), name);
    }
    let root = Filling {
        original: "a.jpg",
        ..filling
    };
    assert_eq!(Pattern::default().fill(&root), "lamp-room-800.webp");
    for (pattern, error) in [
        (
            "{tilte}",
            "there is no field {tilte}; the fields are {title} ",
        ),
        ("{title", "a brace is open"),
        ("title}", "a brace is open"),
        ("{width:3}", "{width:3} cannot be"),
        ("{number:99}", "{number:99} cannot be"),
        ("a b", "' ' is not safe"),
        ("{title}?", "'?' is not safe"),
        ("", "a name cannot be empty"),
        ("/x", "a name cannot be empty"),
        ("a/../{title}", "a name cannot be empty"),
        (".{title}", "a name cannot be empty"),
    ] {
        let found = pattern.parse::<Pattern>().expect_err(pattern).to_string();
        assert!(found.starts_with(error), "{pattern}: {found}");
    }
}
