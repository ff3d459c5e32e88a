//! What is written is read: coefficients exactly, pixels as another decoder has them.

use kiln_jpeg::{Decoder, Error, Layout, Limits, Oddity, Options, Scale, Wanted};

use crate::support::{Dice, apart, by_another, coefficients, decoded};

pub const SAMPLINGS: [&[(u32, u32)]; 11] = [
    &[(1, 1)],
    &[(1, 1), (1, 1), (1, 1)],
    &[(2, 1), (1, 1), (1, 1)],
    &[(1, 2), (1, 1), (1, 1)],
    &[(2, 2), (1, 1), (1, 1)],
    &[(4, 1), (1, 1), (1, 1)],
    &[(2, 2), (2, 1), (1, 2)],
    &[(3, 1), (1, 1), (2, 1)],
    &[(1, 1), (2, 2), (1, 1)],
    &[(2, 2), (1, 1), (1, 1), (2, 2)],
    // Too many blocks for one scan.
    &[(2, 2), (2, 2), (2, 2)],
];

const LAYOUTS: [Layout; 3] = [Layout::Sequential, Layout::Progressive, Layout::Searched];

fn options(layout: Layout, restart: u16) -> Options<'static> {
    Options {
        layout,
        restart,
        segments: &[],
    }
}

#[test]
fn coefficients_come_back_exactly() {
    for (seed, samplings) in (1..).zip(SAMPLINGS) {
        for (layout, restart) in LAYOUTS.into_iter().flat_map(|one| [(one, 0), (one, 3)]) {
            let size = (17 + seed * 9, 70 - seed * 5);
            let made = coefficients(size, samplings, layout != Layout::Sequential, seed);
            let file = made.write(options(layout, restart));
            let decoder = Decoder::new(&file[..], Limits::default()).expect("a header");
            let (read, odd) = decoder.coefficients().expect("coefficients");
            assert!(odd.is_empty(), "{odd:?}");
            assert!(
                made.shows_the_same(&read),
                "{samplings:?} {layout:?} {restart}"
            );
            let mut other = made.clone();
            other.planes[0] = coefficients(size, samplings, false, seed + 1).planes[0].clone();
            assert!(!other.shows_the_same(&read));
        }
    }
}

#[test]
fn pixels_are_those_of_another_decoder() {
    let mut compared = 0;
    for (seed, samplings) in (1..).zip(SAMPLINGS) {
        for size in (1..=33).map(|side| (side, 34 - side)).chain([(200, 90)]) {
            let layout = LAYOUTS[size.0 as usize % 3];
            let restart = (size.0 % 4) as u16;
            let made = coefficients(size, samplings, layout != Layout::Sequential, seed);
            let file = made.write(options(layout, restart));
            let (found, samples) = decoded(&file, Scale::Full);
            assert_eq!(found, size);
            let Some(other) = by_another(&file) else {
                continue;
            };
            compared += 1;
            // Inverse transforms may differ by one, and that by what colours make of it. Odd
            // proportions are enlarged by other filters.
            let common = samplings.len() < 4
                && samplings
                    .iter()
                    .all(|sampling| *sampling == samplings[0] || *sampling == (1, 1))
                && samplings[0].0 < 3
                && samplings[0] != (1, 2);
            let (most, mean) = apart(&samples, &other);
            if common {
                assert!(
                    most <= 5 && mean < 0.4,
                    "{samplings:?} {size:?} {layout:?}: {most} {mean}"
                );
            }
        }
    }
    assert!(compared > 200, "{compared}");
}

#[test]
fn smaller_scales_show_the_same_picture() {
    for samplings in [SAMPLINGS[0], SAMPLINGS[1], SAMPLINGS[2], SAMPLINGS[4]] {
        for layout in LAYOUTS {
            let size = (157, 93);
            let made = coefficients(size, samplings, layout != Layout::Sequential, 9);
            let file = made.write(options(layout, 0));
            let (_, full) = decoded(&file, Scale::Full);
            let channels = full.len() / (size.0 * size.1) as usize;
            for scale in [Scale::Half, Scale::Quarter, Scale::Eighth] {
                let by = scale.divisor();
                let (found, samples) = decoded(&file, scale);
                assert_eq!(found, (size.0.div_ceil(by), size.1.div_ceil(by)));
                // Beside the mean of the pixels that a pixel stands for.
                let mut sum = 0.0;
                let mut count = 0;
                for y in 0..size.1 / by {
                    for x in 0..size.0 / by {
                        for channel in 0..channels {
                            let at =
                                |x: u32, y: u32| ((y * size.0 + x) as usize) * channels + channel;
                            let all = (0..by * by)
                                .map(|n| f64::from(full[at(x * by + n % by, y * by + n / by)]));
                            let mean = all.sum::<f64>() / f64::from(by * by);
                            let own = ((y * found.0 + x) as usize) * channels + channel;
                            sum += (f64::from(samples[own]) - mean).abs();
                            count += 1;
                        }
                    }
                }
                let mean = sum / f64::from(count);
                assert!(mean < 9.0, "{samplings:?} {layout:?} {scale:?}: {mean}");
            }
        }
    }
}

#[test]
fn a_picture_is_the_same_however_it_is_laid_out() {
    for (seed, samplings) in (20..).zip(SAMPLINGS) {
        let made = coefficients((83, 61), samplings, true, seed);
        let layouts = LAYOUTS.map(|layout| made.write(options(layout, 0)));
        for scale in [Scale::Full, Scale::Half, Scale::Quarter, Scale::Eighth] {
            let shown = layouts.each_ref().map(|file| decoded(file, scale));
            assert_eq!(shown[0], shown[1], "{samplings:?} {scale:?}");
            assert_eq!(shown[0], shown[2], "{samplings:?} {scale:?}");
        }
    }
}

#[test]
fn deep_rows_are_the_same_with_fractions() {
    for (seed, samplings) in (40..).zip(SAMPLINGS) {
        for scale in [Scale::Full, Scale::Half, Scale::Quarter, Scale::Eighth] {
            let made = coefficients((53, 47), samplings, false, seed);
            let file = made.write(options(Layout::Sequential, 0));
            let (size, whole) = decoded(&file, scale);
            let wanted = Wanted {
                scale,
                ..Wanted::default()
            };
            let decoder = Decoder::new(&file[..], Limits::default()).expect("a header");
            let mut rows = decoder.deep_rows(wanted).expect("a scan");
            assert_eq!(rows.size(), size);
            let mut deep = Vec::new();
            for _ in 0..size.1 {
                deep.extend_from_slice(rows.next_row().expect("a row"));
            }
            assert_eq!(deep.len(), whole.len());
            let apart = deep.iter().zip(&whole);
            let apart: Vec<f64> = apart
                .map(|(deep, whole)| (f64::from(*deep) / 257.0 - f64::from(*whole)).abs())
                .collect();
            let most = apart.iter().fold(0.0f64, |most, one| most.max(*one));
            let mean = apart.iter().sum::<f64>() / apart.len() as f64;
            // Each rounding takes half a level, and colours add up to two of them.
            assert!(
                most < 2.6 && mean < 0.7,
                "{samplings:?} {scale:?}: {most} {mean}"
            );
            assert!(deep.iter().any(|sample| sample % 257 != 0));
        }
    }
}

#[test]
fn rows_that_matter_are_the_same_as_in_the_whole() {
    for layout in [Layout::Sequential, Layout::Progressive] {
        let made = coefficients((60, 130), SAMPLINGS[4], layout != Layout::Sequential, 4);
        let file = made.write(options(layout, 0));
        let (_, whole) = decoded(&file, Scale::Full);
        let decoder = Decoder::new(&file[..], Limits::default()).expect("a header");
        let wanted = Wanted {
            rows: Some((47, 83)),
            ..Wanted::default()
        };
        let mut rows = decoder.rows(wanted).expect("coefficients");
        for y in 0..130 {
            let row = rows.next_row().expect("a row");
            if (47..83).contains(&y) {
                assert_eq!(row, &whole[y * 180..][..180], "{y}");
            }
        }
    }
}

#[test]
fn what_browsers_pass_over_is_passed_over_and_told() {
    let made = coefficients((40, 40), SAMPLINGS[4], false, 2);
    let file = made.write(options(Layout::Sequential, 2));
    let (_, sound) = decoded(&file, Scale::Full);
    let with = |change: &dyn Fn(&mut Vec<u8>)| {
        let mut file = file.clone();
        change(&mut file);
        let decoder = Decoder::new(file.clone(), Limits::default()).expect("a header");
        let (_, odd) = decoder.coefficients().expect("coefficients");
        (decoded(&file, Scale::Full).1, odd)
    };
    let restart = file
        .windows(2)
        .position(|two| two == [0xFF, 0xD1])
        .expect("a marker");
    type Change<'a> = &'a dyn Fn(&mut Vec<u8>);
    let cases: [(Change<'_>, Option<Oddity>); 7] = [
        (&|file| file.truncate(file.len() - 2), Some(Oddity::NoEnd)),
        (&|file| file.extend(b"trailing \xFF\xD8 garbage"), None),
        (&|file| file[restart + 1] = 0xD6, Some(Oddity::Restart)),
        (
            &|file| drop(file.splice(2..2, *b"junk")),
            Some(Oddity::Junk),
        ),
        (&|file| drop(file.splice(2..2, [0xFF; 5])), None),
        // An application segment that says it is longer than it is, and one that is shorter.
        (
            &|file| drop(file.splice(2..2, *b"\xFF\xE1\x00\x20Exif")),
            Some(Oddity::Junk),
        ),
        (
            &|file| drop(file.splice(2..2, *b"\xFF\xE1\x00\x04Exif\0\0 and more")),
            Some(Oddity::Junk),
        ),
    ];
    for (number, (change, oddity)) in cases.into_iter().enumerate() {
        let (samples, odd) = with(change);
        assert_eq!(samples, sound, "{number}");
        assert_eq!(odd, Vec::from_iter(oddity), "{number}");
    }
}

/// The rows of a file that is read whatever is damaged in it, and what is odd.
fn read_on(file: &[u8]) -> (Vec<u8>, Vec<Oddity>) {
    let decoder = Decoder::new(file, Limits::default()).expect("a header");
    let mut rows = decoder.rows(Wanted::default()).expect("scans");
    let mut all = Vec::new();
    for _ in 0..rows.size().1 {
        all.extend_from_slice(rows.next_row().expect("a row"));
    }
    let oddities = rows.oddities().to_vec();
    (all, oddities)
}

#[test]
fn damaged_data_costs_what_is_damaged_and_is_told() {
    // A restart marker behind each row of units.
    let made = coefficients((64, 96), SAMPLINGS[1], false, 5);
    let file = made.write(options(Layout::Sequential, 8));
    let (sound, told) = read_on(&file);
    assert_eq!(told, []);
    let marker = |number: u8| {
        let found = file.windows(2).position(|two| two == [0xFF, 0xD0 + number]);
        found.expect("a marker")
    };
    let row = 64 * 3 * 8;
    let same = |all: &[u8], rows: std::ops::Range<usize>| {
        all[rows.start * row..rows.end * row] == sound[rows.start * row..rows.end * row]
    };
    // The third interval is zeros; then its marker goes with it; then all of two intervals.
    let (third, fourth, fifth) = (marker(1) + 2, marker(2), marker(3));
    let blanked = |range: std::ops::Range<usize>| {
        let mut file = file.clone();
        file[range].fill(0x15);
        read_on(&file)
    };
    for (range, lost) in [
        (third..fourth, 2..3),
        (third..fourth + 2, 2..4),
        (third..fifth, 2..4),
    ] {
        let (all, told) = blanked(range.clone());
        assert!(same(&all, 0..lost.start), "{range:?}");
        assert!(!same(&all, lost.clone()), "{range:?}");
        assert!(same(&all, lost.end..12), "{range:?}");
        let [Oddity::Damaged { position }] = told[..] else {
            panic!("{told:?}");
        };
        assert!(
            (range.start..range.end + 40).contains(&position),
            "{position} {range:?}"
        );
    }
    // Without markers the rows before the damage stay what they are.
    for layout in [Layout::Sequential, Layout::Progressive] {
        let made = coefficients((64, 96), SAMPLINGS[1], layout != Layout::Sequential, 6);
        let file = made.write(options(layout, 0));
        let (sound, _) = read_on(&file);
        let mut damaged = file.clone();
        let at = file.len() * 2 / 3;
        damaged[at..at + 9].fill(0x55);
        let (all, told) = read_on(&damaged);
        assert_eq!(all[..row], sound[..row], "{layout:?}");
        assert!(all != sound && !told.is_empty(), "{layout:?} {told:?}");
    }
    // A progressive file that ends between two scans lacks what the others would have told.
    let made = coefficients((64, 96), SAMPLINGS[1], true, 6);
    let file = made.write(options(Layout::Progressive, 0));
    let last = file.windows(2).rposition(|two| two == [0xFF, 0xDA]);
    let cut = &file[..last.expect("a scan")];
    let decoder = Decoder::new(cut, Limits::default()).expect("a header");
    assert!(matches!(decoder.coefficients(), Err(Error::CutOff { .. })));
}

#[test]
fn restart_intervals_are_read_alike_by_one_thread_and_by_many() {
    let pool = |threads| {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build();
        pool.expect("threads")
    };
    let (one, many) = (pool(1), pool(5));
    let mut dice = Dice(9);
    for round in 0..200u32 {
        let samplings = SAMPLINGS[1 + round as usize % 4];
        let made = coefficients((128, 150), samplings, false, round % 5);
        let across = 128 / made.frame.unit().0;
        let restart = [across, across / 2, across * 2, 3][round as usize / 4 % 4];
        let mut file = made.write(options(Layout::Sequential, restart as u16));
        let sound = round % 5 == 0;
        for _ in 0..if sound { 0 } else { 1 + dice.roll(3) } {
            let at = file.len() as u32 / 4 + dice.roll(file.len() as u32 / 2);
            file[at as usize] = [0xFF, 0xD3, 0, 0x5A][dice.roll(4) as usize];
        }
        let run = || -> Result<(Vec<u8>, Vec<Oddity>), Error> {
            let decoder = Decoder::new(&file[..], Limits::default())?;
            let mut rows = decoder.rows(Wanted::default())?;
            let mut all = Vec::new();
            for _ in 0..rows.size().1 {
                all.extend_from_slice(rows.next_row()?);
            }
            Ok((all, rows.oddities().to_vec()))
        };
        let alone = one.install(run);
        assert!(!sound || alone.as_ref().is_ok_and(|(_, odd)| odd.is_empty()));
        assert_eq!(alone, many.install(run), "{round}");
    }
}

#[test]
fn broken_files_are_refused_by_name() {
    let made = coefficients((64, 64), SAMPLINGS[1], false, 3);
    let file = made.write(options(Layout::Sequential, 0));
    let told = |file: &[u8]| -> Result<(), Error> {
        let decoder = Decoder::new(
            file,
            Limits {
                pixels: 5000,
                scans: 30,
            },
        )?;
        let mut rows = decoder.rows(Wanted::default())?;
        for _ in 0..rows.size().1 {
            rows.next_row()?;
        }
        Ok(())
    };
    assert_eq!(told(&file), Ok(()));
    for end in [file.len() / 2, file.len() - 12] {
        assert!(
            matches!(told(&file[..end]), Err(Error::CutOff { .. })),
            "{end}"
        );
    }
    assert_eq!(told(b"GIF89a"), Err(Error::NotJpeg));
    let frame = file
        .windows(2)
        .position(|two| two == [0xFF, 0xC0])
        .expect("a frame");
    let with = |offset: usize, value: u8| {
        let mut file = file.clone();
        file[frame + offset] = value;
        told(&file).expect_err("it is wrong").to_string()
    };
    assert_eq!(
        with(1, 0xC9),
        "it is coded arithmetically, which no browser shows"
    );
    assert_eq!(
        with(4, 12),
        "it is coded with more than 8 bits a sample, which no browser shows"
    );
    assert!(with(5, 1).contains("more than the 5000"));
    assert!(with(11, 0x51).contains("the frame header is wrong"));
    // A scan again and again, each of which costs a pass.
    let made = coefficients((64, 64), SAMPLINGS[0], true, 3);
    let file = made.write(options(Layout::Progressive, 0));
    let find = |marker: u8, from: usize| {
        let pairs = file[from..].windows(2);
        let found = pairs.into_iter().position(|two| two == [0xFF, marker]);
        from + found.expect("a marker")
    };
    let scan = find(0xDA, 0);
    let again = file[scan..find(0xC4, scan)].repeat(40);
    let bomb = [&file[..file.len() - 2], &again].concat();
    assert_eq!(told(&bomb), Err(Error::TooManyScans(30)));
}

#[test]
fn no_damage_makes_it_panic_or_differ_from_run_to_run() {
    let mut dice = Dice(77);
    for round in 0..1500u32 {
        let layout = LAYOUTS[round as usize % 2];
        let samplings = SAMPLINGS[round as usize % SAMPLINGS.len()];
        let made = coefficients((50, 30), samplings, layout != Layout::Sequential, round % 7);
        let mut file = made.write(options(layout, (round % 3) as u16));
        for _ in 0..=dice.roll(4) {
            let at = dice.roll(file.len() as u32) as usize;
            match dice.roll(3) {
                0 => file[at] = dice.roll(256) as u8,
                1 => drop(file.remove(at)),
                _ => file.insert(at, 0xFF),
            }
        }
        let limits = Limits {
            pixels: 1 << 20,
            scans: 50,
        };
        let run = || -> Result<Vec<u8>, Error> {
            let scale =
                [Scale::Full, Scale::Half, Scale::Quarter, Scale::Eighth][round as usize % 4];
            let decoder = Decoder::new(&file[..], limits)?;
            let mut rows = decoder.rows(Wanted {
                scale,
                ..Wanted::default()
            })?;
            let mut all = Vec::new();
            for _ in 0..rows.size().1 {
                all.extend_from_slice(rows.next_row()?);
            }
            Ok(all)
        };
        assert_eq!(run(), run(), "{round}");
    }
}
