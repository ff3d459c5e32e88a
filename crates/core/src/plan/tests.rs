use super::*;
use crate::pixels::Orientation;
use crate::source::{Delivery, Kind};

pub(super) fn original(name: &str, width: u32, height: u32) -> Original {
    let probe = Probe {
        kind: Kind::Jpeg,
        stored: Size::new(width, height).expect("a size"),
        orientation: Orientation::Upright,
        alpha: false,
        frames: 1,
        delivery: Delivery::Whole,
        fineness: 0,
    };
    Original::new(name.to_owned(), name.to_owned(), 1_000_000, probe)
}

pub(super) fn wish(widths: &[u32], formats: &[Format], name: &str) -> Wish {
    Wish {
        extent: Extent::Widths(widths.to_vec()),
        formats: formats.iter().map(|&format| format.into()).collect(),
        name: name.parse().expect("a pattern"),
        ..Wish::default()
    }
}

fn place(name: &str, of: &[&str], wish: Wish) -> Place {
    let globs = of.iter().map(|glob| Glob::new(glob).expect("a glob"));
    Place {
        name: name.to_owned(),
        of: globs.collect(),
        wish,
    }
}

fn only(every: Wish) -> Site {
    Site {
        places: Vec::new(),
        every: Some(every),
        totals: Vec::new(),
    }
}

fn lines(plan: &Plan) -> String {
    let mut lines = Vec::new();
    for job in &plan.jobs {
        lines.push(job.original.name.clone());
        for (placement, size, piece) in job.pieces() {
            lines.push(format!(
                "  {}: {} {}",
                placement.label(),
                piece.key(),
                size.size
            ));
        }
    }
    lines.join("\n")
}

#[test]
fn every_place_gets_its_pieces_and_the_rest_is_left_out() {
    let mut turned = original("people/Ines Varga.jpg", 3000, 2000);
    turned.probe.orientation = Orientation::QuarterClockwise;
    turned.label.set(Field::Title, "Ines Varga, keeper");
    let originals = vec![
        original("banners/IMG_2041.JPG", 6000, 4000),
        turned,
        original("people/10.jpg", 900, 900),
        original("people/2.JPG", 900, 900),
        original("notes/chart.png", 900, 900),
    ];
    let card = wish(&[400], &[Format::WebP], "cards/{place}-{number:2}");
    let mut crew = wish(
        &[300],
        &[Format::WebP, Format::Jpeg],
        "{folders}/{title}-{width}",
    );
    crew.densities = vec![1.0, 2.0];
    crew.min_size = Size::new(1000, 1000);
    let mut site = Site {
        places: vec![
            place("crew", &["people/**"], crew),
            place("card", &["people/*.jpg", "banners/*"], card),
            place("room", &["rooms/**"], Wish::default()),
        ],
        every: None,
        totals: Vec::new(),
    };
    let (plan, _) = Plan::new(&originals, &site);
    insta::assert_snapshot!(lines(&plan), @r"
    banners/IMG_2041.JPG
      card: cards/card-01.webp 400×267
    people/Ines Varga.jpg
      crew: people/ines-varga-keeper-300.webp 300×450
      crew: people/ines-varga-keeper-300.jpg 300×450
      crew: people/ines-varga-keeper-600.webp 600×900
      crew: people/ines-varga-keeper-600.jpg 600×900
      card: cards/card-04.webp 400×600
    people/10.jpg
      crew: people/10-300.webp 300×300
      crew: people/10-300.jpg 300×300
      crew: people/10-600.webp 600×600
      crew: people/10-600.jpg 600×600
      card: cards/card-03.webp 400×400
    people/2.JPG
      crew: people/2-300.webp 300×300
      crew: people/2-300.jpg 300×300
      crew: people/2-600.webp 600×600
      crew: people/2-600.jpg 600×600
      card: cards/card-02.webp 400×400
    ");
    assert_eq!(
        (plan.left_out.as_slice(), plan.idle.as_slice()),
        (&[4][..], &["room".to_owned()][..])
    );
    let small = |job: &Job| job.placements[0].too_small.is_some();
    assert_eq!(
        plan.jobs.iter().map(small).collect::<Vec<_>>(),
        [false, false, true, true]
    );

    site.every = Some(wish(&[200], &[Format::Png], "{title}"));
    let (plan, _) = Plan::new(&originals, &site);
    assert!(lines(&plan).ends_with("[every]: chart.png 200×200") && plan.left_out.is_empty());
}

#[test]
fn names_that_cannot_be_are_all_named() {
    let originals = [
        "a/logo.png",
        "a/Logo.jpg",
        "aux/x.jpg",
        "b/ä.jpg",
        "b/a.jpg",
    ];
    let mut originals: Vec<Original> = originals.map(|name| original(name, 500, 500)).to_vec();
    originals.push(original(
        &format!("{}/x.jpg", "deep".repeat(20) + &"/deeper".repeat(20)),
        500,
        500,
    ));
    let formats = [Format::WebP, Format::Jpeg];
    let sound = original("c/sound.jpg", 500, 500);
    let (plan, troubles) = Plan::new(
        &[&originals[..], &[sound]].concat(),
        &only(wish(&[300], &formats, "{folders}/{title}")),
    );
    // What is sound is done.
    assert_eq!(lines(&plan).lines().next(), Some("c/sound.jpg"));
    assert_eq!(plan.jobs.len(), 1);
    let indices: Vec<usize> = troubles.iter().map(|trouble| trouble.index).collect();
    assert_eq!(indices, [0, 1, 2, 3, 4, 5]);
    let told: Vec<String> = troubles.iter().map(Trouble::to_string).collect();
    insta::assert_snapshot!(told.join("\n").replace("/deeper", ""), @r#"
    a/logo.png: would become a/logo.webp, as would a/Logo.jpg; rename one of them, give it a title, or put {suffix} into the name
    a/Logo.jpg: would become a/logo.webp, as would a/logo.png; rename one of them, give it a title, or put {suffix} into the name
    aux/x.jpg: would become aux/x.webp, and "aux" cannot be a name on every system; rename it
    b/ä.jpg: would become b/a.webp, as would b/a.jpg; rename one of them, give it a title, or put {suffix} into the name
    b/a.jpg: would become b/a.webp, as would b/ä.jpg; rename one of them, give it a title, or put {suffix} into the name
    deepdeepdeepdeepdeepdeepdeepdeepdeepdeepdeepdeepdeepdeepdeepdeepdeepdeepdeepdeep/x.jpg: would become a path of 227 bytes, above 180; shorten the names of its folders
    "#);

    // Without a folder nothing stands before the dots.
    for pattern in [
        "{folders}../{title}",
        "{folders}.{title}",
        "a/{folders}./{title}",
    ] {
        let above = only(wish(&[300], &formats, pattern));
        let (_, troubles) = Plan::new(&[original("x.jpg", 901, 333)], &above);
        let trouble = troubles[0].to_string();
        assert!(
            trouble.contains("can begin with a dot"),
            "{pattern}: {trouble}"
        );
    }

    let site = Site {
        places: vec![
            place("card", &["b/a.jpg"], wish(&[300, 200], &formats, "{title}")),
            place("room", &["b/*"], wish(&[300], &formats, "Room/{number}")),
            place("hall", &["b/*"], wish(&[300], &formats, "room/{number}")),
        ],
        every: None,
        totals: Vec::new(),
    };
    let (_, troubles) = Plan::new(&originals, &site);
    let told: Vec<String> = troubles.iter().map(Trouble::to_string).collect();
    insta::assert_snapshot!(told.join("\n"), @r"
    b/ä.jpg: would become room/2.webp for room and for hall; put {place} into their names
    b/a.jpg: two sizes of it would both become a.webp; put {width} into the name
    ");
}

#[test]
fn recipes_tell_apart_what_decides_the_bytes_and_nothing_else() {
    let base = wish(&[300], &[Format::WebP], "{title}");
    let recipe = |wish: &Wish, change: &dyn Fn(&mut Original)| {
        let mut original = original("x.png", 901, 333);
        change(&mut original);
        let job = Job::new(original, wish);
        job.pieces().map(|(_, _, piece)| piece.recipe).next()
    };
    let plain = recipe(&base, &|_| {});
    let same = [
        recipe(
            &Wish {
                name: "{width}".parse().expect("a pattern"),
                ..base.clone()
            },
            &|_| {},
        ),
        recipe(
            &Wish {
                backdrop: Backdrop::Colour([0; 3]),
                ..base.clone()
            },
            &|_| {},
        ),
        recipe(&base, &|original| original.label.set(Field::Title, "Lamp")),
        recipe(&base, &|original| {
            original.credits.set(Field::Position, "1, 2")
        }),
    ];
    assert!(same.iter().all(|recipe| *recipe == plain));
    let other = [
        recipe(
            &Wish {
                max_weight: Some(9),
                ..base.clone()
            },
            &|_| {},
        ),
        recipe(
            &Wish {
                coding: CodingWish::Dial(9),
                ..base.clone()
            },
            &|_| {},
        ),
        recipe(
            &Wish {
                extent: Extent::Own,
                ..base.clone()
            },
            &|_| {},
        ),
        recipe(&base, &|original| {
            original.credits.set(Field::Copyright, "Trust")
        }),
        recipe(&base, &|original| {
            original.label.set(Field::Creator, "Ines")
        }),
    ];
    assert!(other.iter().all(|recipe| *recipe != plain));
}

#[test]
fn labels_go_before_what_holds_for_all_and_that_before_the_original() {
    let mut original = original("x.jpg", 900, 600);
    for (field, text) in [
        (Field::Creator, "camera"),
        (Field::Copyright, "camera"),
        (Field::Position, "1, 2"),
    ] {
        original.credits.set(field, text);
    }
    original.label.set(Field::Credit, "sheet");
    original.label.set(Field::Caption, "sheet");
    let mut wish = Wish::default();
    wish.credits.write.set(Field::Copyright, "all");
    wish.credits.write.set(Field::Credit, "all");
    let job = Job::new(original, &wish);
    let credits = &job.placements[0].inscription.credits;
    let found = Field::ALL.map(|field| credits.get(field).unwrap_or("-"));
    assert_eq!(
        found,
        [
            "-", "-", "-", "-", "camera", "all", "sheet", "-", "-", "-", "-"
        ]
    );
}

#[test]
fn a_plan_survives_serialisation() {
    let originals = vec![original("x.png", 901, 33)];
    let (plan, _) = Plan::new(
        &originals,
        &only(wish(&[300], &[Format::Avif], "{digest:6}")),
    );
    let text = serde_json::to_string(&plan).expect("a plan is plain data");
    assert_eq!(
        serde_json::from_str::<Plan>(&text).expect("its own text"),
        plan
    );
}

#[test]
fn names_that_differ_in_case_only_are_told_as_such() {
    let originals = vec![original("a.jpg", 500, 500), original("b.jpg", 500, 500)];
    let site = Site {
        places: vec![
            place(
                "one",
                &["a.jpg"],
                wish(&[300], &[Format::WebP], "Lamp/{width}"),
            ),
            place(
                "two",
                &["b.jpg"],
                wish(&[300], &[Format::WebP], "lamp/{width}"),
            ),
        ],
        every: None,
        totals: Vec::new(),
    };
    let (_, troubles) = Plan::new(&originals, &site);
    let told: Vec<String> = troubles.iter().map(Trouble::to_string).collect();
    assert_eq!(
        told,
        [
            "a.jpg: would become Lamp/300.webp, as would b.jpg but for the case; rename one of them, give it a title, or put {suffix} into the name",
            "b.jpg: would become lamp/300.webp, as would a.jpg but for the case; rename one of them, give it a title, or put {suffix} into the name",
        ]
    );
}

#[test]
fn patterns_for_originals_match_as_people_expect() {
    for (pattern, path, matches) in [
        ("rooms/**", "rooms/a.jpg", true),
        ("rooms/**", "rooms/north/a.jpg", true),
        ("rooms/*", "rooms/north/a.jpg", false),
        ("./rooms/*.jpg", "rooms/A.JPG", true),
        ("*.{png,gif}", "a.gif", true),
        ("*.png", "rooms/a.png", false),
        ("**/*.png", "a.png", true),
        ("Überfahrt.*", "U\u{308}berfahrt.jpg", true),
        ("a?.jpg", "a1.jpg", true),
    ] {
        let glob = Glob::new(pattern).expect("a glob");
        assert_eq!(glob.matches(path), matches, "{pattern} {path}");
    }
    assert!(Glob::new("rooms/[a").is_err() && Glob::new("{a,b").is_err());
}

#[test]
fn shapes_decide_sizes_before_widths_do() {
    let mut square = wish(&[400, 900], &[Format::WebP], "{width}x{height}");
    square.framing.shape = Some("1:1".parse().expect("a shape"));
    square.framing.turn = Orientation::QuarterClockwise;
    let (plan, _) = Plan::new(&[original("a.jpg", 1200, 800)], &only(square));
    insta::assert_snapshot!(lines(&plan), @r"
    a.jpg
      [every]: 400x400.webp 400×400
      [every]: 800x800.webp 800×800
    ");
    let mut wide = wish(&[600], &[Format::WebP], "{width}x{height}");
    wide.framing.shape = Some("16:9".parse().expect("a shape"));
    wide.framing.turn = Orientation::QuarterClockwise;
    let (plan, _) = Plan::new(&[original("a.jpg", 1200, 800)], &only(wide));
    assert!(
        lines(&plan).ends_with("600x338.webp 600×338"),
        "{}",
        lines(&plan)
    );
}

/// Who shares what: a line for each total and format, with its pictures' pieces.
fn shares(plan: &Plan) -> String {
    let total = |total: &SharedTotal| {
        let pictures = total.pictures.iter().map(|picture| {
            let smaller = picture.smaller.iter().map(|name| format!(" > {name}"));
            format!("\n  {}{}", picture.largest, smaller.collect::<String>())
        });
        let page = total.page.as_deref().unwrap_or("all");
        let pictures: String = pictures.collect();
        format!("{page} {} {}{pictures}", total.choice, total.max_total)
    };
    plan.totals.iter().map(total).collect::<Vec<_>>().join("\n")
}

#[test]
fn a_visitor_loads_each_picture_of_a_page_once() {
    let mut banner = wish(&[300], &[Format::WebP, Format::Jpeg], "{stem}-{width}");
    banner.densities = vec![1.0, 2.0];
    let mark = wish(&[60], &[Format::WebP, Format::Png], "mark-{stem}");
    let total = |page: Option<&str>, places: &[&str], of: &[&str], shared| Total {
        page: page.map(str::to_owned),
        places: places.iter().map(|&place| place.to_owned()).collect(),
        of: of
            .iter()
            .map(|glob| Glob::new(glob).expect("a glob"))
            .collect(),
        max_total: 9000,
        shared,
    };
    let mut site = Site {
        places: vec![
            place("banner", &["*.jpg"], banner),
            place("mark", &["*.png"], mark),
        ],
        every: None,
        totals: vec![
            total(None, &[], &[], true),
            total(Some("home"), &["banner"], &["a*"], true),
            total(Some("crew"), &["banner"], &[], false),
            total(Some("bare"), &["mark"], &["a*"], true),
        ],
    };
    let originals = ["a.jpg", "b.jpg", "logo.png"].map(|name| original(name, 600, 400));
    let (plan, _) = Plan::new(&originals, &site);
    // A mark has no JPEG: who loads JPEGs loads its PNG, and who loads PNGs the JPEGs, the same.
    insta::assert_snapshot!(shares(&plan), @r"
    all JPEG 9000
      a-600.jpg > a-300.jpg
      b-600.jpg > b-300.jpg
      mark-logo.png
    all WebP 9000
      a-600.webp > a-300.webp
      b-600.webp > b-300.webp
      mark-logo.webp
    home JPEG 9000
      a-600.jpg > a-300.jpg
    home WebP 9000
      a-600.webp > a-300.webp
    ");
    // A piece depends on the totals that it has part in, shared now or not, and on no others.
    let recipes = |plan: &Plan| -> Vec<Digest> {
        let pieces = plan.jobs.iter().flat_map(Job::pieces);
        pieces.map(|(_, _, piece)| piece.recipe).collect()
    };
    site.totals[2].shared = true;
    let (crew, _) = Plan::new(&originals, &site);
    assert_eq!(recipes(&crew), recipes(&plan));
    site.totals[1].max_total = 8000;
    let (tighter, _) = Plan::new(&originals, &site);
    let changed = recipes(&tighter)
        .iter()
        .zip(recipes(&plan))
        .filter(|(a, b)| *a != b)
        .count();
    assert_eq!(changed, 4, "the pieces of a.jpg");
}
