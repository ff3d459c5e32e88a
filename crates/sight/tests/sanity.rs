//! Scores that everyone would expect.
#![allow(missing_docs, clippy::expect_used, clippy::panic)]

use kiln_sight::{Picture, Primaries, Reference};

fn score(width: usize, height: usize, reference: &[u8], candidate: &[u8]) -> f32 {
    let of = |samples: &'_ [u8]| -> Reference {
        Reference::new(Picture::rgb(width, height, samples).expect("a picture"))
    };
    let candidate = Picture::rgb(width, height, candidate).expect("a picture");
    of(reference).score(candidate).expect("the same size")
}

fn slope(width: usize, height: usize) -> Vec<u8> {
    (0..width * height)
        .flat_map(|i| [(i % width) as u8, (i / width) as u8, 90])
        .collect()
}

#[test]
fn a_picture_is_like_itself_whatever_its_size() {
    for (width, height) in [
        (1, 1),
        (2, 1),
        (1, 40),
        (7, 7),
        (8, 8),
        (9, 300),
        (33, 17),
        (64, 64),
    ] {
        let samples = slope(width, height);
        assert_eq!(
            score(width, height, &samples, &samples),
            100.0,
            "{width}×{height}"
        );
        let lighter: Vec<u8> = samples.iter().map(|s| s.saturating_add(6)).collect();
        let darkness = vec![0; samples.len()];
        let (near, far) = (
            score(width, height, &samples, &lighter),
            score(width, height, &samples, &darkness),
        );
        assert!(near > far && near < 100.0, "{width}×{height}: {near} {far}");
    }
}

#[test]
fn flat_and_grey_pictures_get_lower_scores_the_more_they_are_off() {
    let grey = vec![128; 60 * 40 * 3];
    let mut before = 100.0;
    for off in [1, 4, 16, 64] {
        let now = score(60, 40, &grey, &vec![128 + off; 60 * 40 * 3]);
        assert!(now < before && now.is_finite(), "{off}: {now}");
        before = now;
    }
}

#[test]
fn other_sizes_and_missing_samples_are_refused() {
    let samples = slope(20, 20);
    let reference = Reference::new(Picture::rgb(20, 20, &samples).expect("a picture"));
    let turned = slope(25, 16);
    assert_eq!(
        reference.score(Picture::rgb(25, 16, &turned).expect("a picture")),
        None
    );
    assert!(Picture::rgb(20, 21, &samples).is_none());
    assert!(Picture::rgb(0, 0, &[]).is_none());
    assert!(Picture::rgb(usize::MAX, 2, &samples).is_none());
}

#[test]
fn what_shows_through_counts_on_black_and_on_white_and_the_worse_is_told() {
    let (width, height) = (48, 48);
    let disc = |soft: bool, ink: u8| -> Vec<u8> {
        let pixel = |i: usize| {
            let far = (i % width).abs_diff(24).pow(2) + (i / width).abs_diff(24).pow(2);
            let alpha = match far {
                0..300 => 255,
                300..420 if soft => 255 - ((far - 300) * 2) as u8,
                _ => 0,
            };
            [ink, ink, ink, alpha]
        };
        (0..width * height).flat_map(pixel).collect()
    };
    let of = |samples: &'_ [u8]| -> Reference {
        Reference::new(Picture::rgba(width, height, samples).expect("a picture"))
    };
    let with = |reference: &Reference, samples: &[u8]| {
        reference
            .score(Picture::rgba(width, height, samples).expect("a picture"))
            .expect("the same size")
    };
    // A black disc is not seen on black: only white tells that its edge was hardened.
    let black = disc(true, 0);
    assert_eq!(with(&of(&black), &black), 100.0);
    let hardened = with(&of(&black), &disc(false, 0));
    assert!(hardened < 80.0, "{hardened}");
    // What lies under full transparency is not seen at all.
    let mut hidden = black.clone();
    hidden
        .as_chunks_mut::<4>()
        .0
        .iter_mut()
        .filter(|pixel| pixel[3] == 0)
        .for_each(|pixel| pixel[0] = 200);
    assert_eq!(with(&of(&black), &hidden), 100.0);
    // An opaque reference tells that a candidate has become transparent.
    let opaque = vec![40; width * height * 3];
    let reference = Reference::new(Picture::rgb(width, height, &opaque).expect("a picture"));
    assert!(with(&reference, &disc(true, 40)) < 50.0);
}

#[test]
fn the_same_samples_differ_more_in_wider_primaries() {
    let (red, other) = ([220, 30, 30].repeat(900), [200, 40, 30].repeat(900));
    let in_primaries = |primaries| {
        let of = |samples| {
            Picture::rgb(30, 30, samples)
                .expect("a picture")
                .with_primaries(primaries)
        };
        Reference::new(of(&red))
            .score(of(&other))
            .expect("the same size")
    };
    let (srgb, p3) = (
        in_primaries(Primaries::Srgb),
        in_primaries(Primaries::DisplayP3),
    );
    assert!(p3 < srgb, "{p3} {srgb}");
}

#[test]
fn the_map_shows_where_the_harm_is() {
    let (width, height) = (160, 90);
    let samples = slope(width, height);
    let mut harmed = samples.clone();
    // A checkerboard in the third column of cells, second row.
    for y in 16..32 {
        for x in 32..48 {
            harmed[(y * width + x) * 3] ^= if (x + y) % 2 == 0 { 64 } else { 0 };
        }
    }
    let reference = Reference::new(Picture::rgb(width, height, &samples).expect("a picture"));
    let picture = Picture::rgb(width, height, &harmed).expect("a picture");
    let map = reference.map(picture).expect("the same size");
    assert_eq!((map.cell, map.columns, map.rows), (16, 10, 6));
    assert_eq!(map.scores.len(), 60);
    let worst = map
        .scores
        .iter()
        .enumerate()
        .min_by(|a, b| a.1.total_cmp(b.1));
    assert_eq!(worst.map(|(cell, _)| cell), Some(12));
    assert!(
        map.scores[12] < 30.0 && map.scores[59] > 95.0,
        "{:?}",
        map.scores
    );
    let whole = reference.score(picture).expect("the same size");
    assert!(map.scores[12] < whole && whole < map.scores[59]);
    let same = reference.map(Picture::rgb(width, height, &samples).expect("a picture"));
    assert!(same.is_some_and(|map| map.scores.iter().all(|&score| score == 100.0)));
    // A single pixel is one cell.
    let one = Reference::new(Picture::rgb(1, 1, &[3, 4, 5]).expect("a picture"));
    let map = one
        .map(Picture::rgb(1, 1, &[3, 4, 9]).expect("a picture"))
        .expect("the same size");
    assert_eq!((map.columns, map.rows), (1, 1));
    assert!(map.scores[0] < 100.0);
}
