use kiln_site::Viewport;
use kiln_site::media::{holds, is_auto, length, sizes};

const PHONE: Viewport = Viewport {
    width: 400.0,
    height: 800.0,
    density: 3.0,
};

#[test]
fn queries_hold_as_the_standard_says() {
    let holding = [
        "",
        "all",
        "screen and (max-width: 400px)",
        "(min-width:20em) and (orientation: portrait)",
        "print, (width: 400px)",
        "not print",
        "not all and (min-width: 500px)",
        "(300px <= width < 401px)",
        "(width >= 25rem)",
        "(not (hover: none)) or (unheard-of)",
        "(-webkit-min-device-pixel-ratio: 2), (min-resolution: 192dpi)",
        "(max-aspect-ratio: 1/2)",
        "only screen and (prefers-color-scheme: light)",
        "((min-width: 1px) and (hover))",
        "(min-width: calc(100px * 2 + 10vw))",
    ];
    for query in holding {
        assert!(holds(query, &PHONE), "{query}");
    }
    let failing = [
        "print",
        "(min-width: 401px)",
        "(unheard-of)",
        "not (unheard-of)",
        "(min-width: 10 px)",
        "screen and (min-width: 900px), speech",
        "(orientation: landscape)",
        "(prefers-color-scheme: dark)",
        "(width > 400px)",
        "and",
        "((((",
    ];
    for query in failing {
        assert!(!holds(query, &PHONE), "{query}");
    }
    let deep = format!("{}(width){}", "(".repeat(5000), ")".repeat(5000));
    assert!(!holds(&deep, &PHONE));
}

#[test]
fn sizes_and_lengths_come_to_pixels() {
    let all = [
        ("(max-width: 500px) 90vw, 300px", 360.0),
        ("(min-width: 500px) 90vw, 300px", 300.0),
        ("calc(100vw - 2rem)", 368.0),
        ("min(250px, 100vw)", 250.0),
        ("clamp(10px, 50vw, 150px)", 150.0),
        ("(min-width: 900px) 100px", 400.0),
        ("50", 50.0),
        ("nonsense, 12.5em", 200.0),
        ("auto, 30vw", 120.0),
        ("-5px, 10px", 10.0),
    ];
    for (text, wanted) in all {
        let found = sizes(text, &PHONE);
        assert!((found - wanted).abs() < 0.01, "{text}: {found}");
    }
    assert!(is_auto("auto, 30vw") && !is_auto("30vw"));
    assert_eq!(length("50%", &PHONE), Some(200.0));
    assert_eq!(length("2in", &PHONE), Some(192.0));
    for none in ["", "auto", "10", "1px 2px", "calc(1px / 0)", "-3px"] {
        assert_eq!(length(none, &PHONE), None, "{none}");
    }
}

#[test]
fn screens_are_read_and_written() {
    let screen: Viewport = "390x844@3".parse().expect("a screen");
    assert_eq!(screen.to_string(), "390x844@3");
    for wrong in [
        "",
        "390",
        "0x5",
        "390x844@",
        "390x844@99",
        "1e3x5",
        "390x20000",
    ] {
        assert!(wrong.parse::<Viewport>().is_err(), "{wrong}");
    }
}
