use super::*;
use crate::pixels::{Gamut, Size};

const AUTO: KnockOut = KnockOut {
    colour: None,
    holes: false,
};

/// How much of a pixel a ring covers, by 8 × 8 samples.
fn ring(x: u32, y: u32) -> f32 {
    let inside = (0..64).filter(|sample| {
        let at = |pixel: u32, step: u32| (pixel * 8 + step) as f32 / 8.0 + 1.0 / 16.0 - 20.0;
        let radius = at(x, sample % 8).hypot(at(y, sample / 8));
        (7.0..15.0).contains(&radius)
    });
    inside.count() as f32 / 64.0
}

fn drawn(ground: [u8; 3], ink: [u8; 3], noise: i32) -> Raster {
    let size = Size::new(40, 40).expect("a size");
    let mut state = 7u32;
    let samples = (0..1600).flat_map(|at| {
        let share = ring(at % 40, at / 40);
        [0, 1, 2].map(|channel| {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            let mixed =
                f32::from(ink[channel]) * share + f32::from(ground[channel]) * (1.0 - share);
            let noise = (state >> 24) as i32 % (2 * noise + 1) - noise;
            (mixed.round() as i32 + noise).clamp(0, 255) as u8
        })
    });
    Raster::new(size, Channels::Rgb, samples.collect()).expect("whole rows")
}

/// The greatest and the mean difference from the ring drawn on another ground.
fn differences(cut_out: &Raster, ground: [u8; 3], ink: [u8; 3], holes: bool) -> (u8, f32) {
    let wanted = drawn(ground, ink, 0);
    let found = cut_out.over(ground);
    let pairs = wanted
        .samples()
        .chunks_exact(3)
        .zip(found.samples().chunks_exact(3));
    // Without holes the middle of the ring keeps the old ground.
    let inner = |at: usize| (at as f32 % 40.0 - 19.5).hypot((at / 40) as f32 - 19.5) < 10.0;
    let counted = pairs.enumerate().filter(|(at, _)| holes || !inner(*at));
    let differences: Vec<u8> = counted
        .flat_map(|(_, (a, b))| a.iter().zip(b).map(|(a, b)| a.abs_diff(*b)))
        .collect();
    let sum: f32 = differences.iter().map(|d| f32::from(*d)).sum();
    let worst = differences.iter().copied().max().unwrap_or(0);
    (worst, sum / differences.len() as f32)
}

#[test]
fn a_cut_out_looks_as_if_drawn_on_any_ground() {
    for (ground, ink) in [
        ([255; 3], [20, 40, 90]),
        ([30, 30, 34], [240, 180, 20]),
        ([250, 250, 245], [200, 30, 30]),
    ] {
        for holes in [false, true] {
            let cut_out =
                knock_out(drawn(ground, ink, 0), KnockOut { holes, ..AUTO }).expect("plain");
            for other in [[0; 3], [255; 3], [60, 140, 80]] {
                let (worst, mean) = differences(&cut_out, other, ink, holes);
                assert!(
                    worst <= 16 && mean < 0.6,
                    "{ground:?} on {other:?}: {worst} {mean}"
                );
            }
            let middle = cut_out.samples()[(20 * 40 + 20) * 4 + 3];
            assert_eq!(middle, if holes { 0 } else { 255 });
        }
    }
}

#[test]
fn noise_is_no_border_and_leaves_no_speckles() {
    let ink = [20, 40, 90];
    let cut_out = knock_out(drawn([255; 3], ink, 5), AUTO).expect("plain");
    let corner: Vec<u8> = (0..5)
        .flat_map(|y| (0..40).map(move |x| (y * 40 + x) * 4 + 3))
        .map(|at| cut_out.samples()[at])
        .collect();
    assert!(corner.iter().all(|alpha| *alpha == 0), "{corner:?}");
    let (worst, mean) = differences(&cut_out, [0; 3], ink, false);
    assert!(worst <= 45 && mean < 2.5, "{worst} {mean}");
}

#[test]
fn a_busy_border_is_refused_unless_the_colour_is_named() {
    let size = Size::new(20, 20).expect("a size");
    let busy = (0..400u32).flat_map(|at| [(at * 97) as u8, (at * 31) as u8, (at * 57) as u8]);
    let busy = Raster::new(size, Channels::Rgb, busy.collect()).expect("whole rows");
    let refused = knock_out(busy.clone(), AUTO).expect_err("not plain");
    assert!(
        matches!(refused, NotPlain::Border(share) if share < 50),
        "{refused}"
    );
    let named = |colour| {
        knock_out(
            busy.clone(),
            KnockOut {
                colour: Some(colour),
                ..AUTO
            },
        )
    };
    assert!(named([0, 0, 0]).is_ok());
    let plain = drawn([255; 3], [9; 3], 0);
    let elsewhere = KnockOut {
        colour: Some([0, 90, 0]),
        ..AUTO
    };
    assert_eq!(knock_out(plain, elsewhere), Err(NotPlain::Elsewhere));
}

/// A disc with a soft shadow to its right, on white, and what it must look like on another
/// ground.
fn shadowed(ground: [f32; 3]) -> Raster {
    let size = Size::new(80, 60).expect("a size");
    let ink = [20.0, 90.0, 160.0];
    let samples = (0..80 * 60).flat_map(|at| {
        let (x, y) = ((at % 80) as f32, (at / 80) as f32);
        let disc = (15.5 - (x - 30.0).hypot(y - 30.0)).clamp(0.0, 1.0);
        let shade = 0.5 / (1.0 + (((x - 36.0).hypot(y - 33.0) - 16.0) / 2.5).exp());
        [0, 1, 2].map(|channel| {
            let under = ground[channel] * (1.0 - shade);
            (ink[channel] * disc + under * (1.0 - disc)).round() as u8
        })
    });
    Raster::new(size, Channels::Rgb, samples.collect()).expect("whole rows")
}

#[test]
fn soft_shadows_fall_on_any_ground() {
    let cut_out = knock_out(shadowed([255.0; 3]), AUTO).expect("plain");
    for ground in [[255.0; 3], [120.0, 160.0, 60.0], [0.0; 3]] {
        let wanted = shadowed(ground);
        let found = cut_out.over(ground.map(|sample| sample as u8));
        let pairs = wanted.samples().iter().zip(found.samples());
        let differences: Vec<u8> = pairs.map(|(a, b)| a.abs_diff(*b)).collect();
        let worst = differences.iter().max().expect("some");
        assert!(*worst <= 24, "{ground:?}: {worst}");
        let mean =
            differences.iter().map(|d| f32::from(*d)).sum::<f32>() / differences.len() as f32;
        assert!(mean < 1.0, "{ground:?}: {mean}");
    }
}

/// Lossy coding leaves traces around what stands on the background, none of which may stay.
#[test]
fn traces_of_coding_go_with_the_background() {
    let size = Size::new(96, 64).expect("a size");
    let samples = (0..96 * 64u32).flat_map(|at| {
        let (x, y) = (at % 96, at / 96);
        let bar = (40..56).contains(&x) && (20..44).contains(&y);
        let near = (32..64).contains(&x) && (12..52).contains(&y);
        let trace = if near { (at * 7919 % 13) as u8 } else { 0 };
        if bar {
            [30, 60, 90]
        } else {
            [255 - trace, 255 - trace / 2, 255 - trace]
        }
    });
    let raster = Raster::new(size, Channels::Rgb, samples.collect()).expect("whole rows");
    let cut_out = knock_out(raster, AUTO).expect("plain");
    let opaque = cut_out
        .samples()
        .chunks_exact(4)
        .filter(|pixel| pixel[3] > 0);
    assert_eq!(opaque.count(), 16 * 24);
}

#[test]
fn a_glow_on_a_dark_ground_becomes_white() {
    let glow = |ground: [f32; 3]| {
        let size = Size::new(60, 60).expect("a size");
        let samples = (0..3600).flat_map(|at| {
            let radius = ((at % 60) as f32 - 30.0).hypot((at / 60) as f32 - 30.0);
            let disc = (10.5 - radius).clamp(0.0, 1.0);
            let light = 0.6 / (1.0 + ((radius - 15.0) / 4.0).exp());
            [200.0, 170.0, 20.0]
                .into_iter()
                .zip(ground)
                .map(move |(ink, ground)| {
                    let under = ground + (255.0 - ground) * light;
                    (ink * disc + under * (1.0 - disc)).round() as u8
                })
        });
        Raster::new(size, Channels::Rgb, samples.collect()).expect("whole rows")
    };
    let cut_out = knock_out(glow([10.0, 14.0, 30.0]), AUTO).expect("plain");
    assert_eq!(cut_out.samples()[..4], [0; 4]);
    let found = cut_out.over([60, 90, 120]);
    let wanted = glow([60.0, 90.0, 120.0]);
    let pairs = wanted.samples().iter().zip(found.samples());
    let sum: f32 = pairs.map(|(a, b)| f32::from(a.abs_diff(*b))).sum();
    assert!(sum / 10_800.0 < 1.5, "{}", sum / 10_800.0);
}

#[test]
fn a_cut_out_stays_as_it_is_and_so_does_its_gamut() {
    let size = Size::new(2, 1).expect("a size");
    let samples = vec![255, 255, 255, 255, 9, 9, 9, 120];
    let clear = Raster::new(size, Channels::Rgba, samples).expect("a row");
    assert_eq!(knock_out(clear.clone(), AUTO), Ok(clear));
    let wide = drawn([255; 3], [20, 40, 90], 0).in_gamut(Gamut::DisplayP3);
    let cut_out = knock_out(wide, AUTO).expect("plain");
    assert_eq!(cut_out.gamut(), Gamut::DisplayP3);
}

/// A ring whose shadow darkens all of its hole, beside a plate of one grey; drawn on a ground.
fn ring_in_shadow(ground: [f32; 3]) -> Raster {
    const PLATE: [f32; 3] = [190.0; 3];
    let size = Size::new(60, 40).expect("a size");
    let samples = (0..2400u32).flat_map(|at| {
        let (x, y) = (at % 60, at / 60);
        let far = (x as f32 - 20.0).hypot(y as f32 - 20.0);
        let shade = (0.35 - far / 100.0).min((20.0 - far) / 25.0).max(0.0);
        let plate = (46..56).contains(&x) && (8..32).contains(&y);
        let ink = if x < 40 { ring(x, y) } else { 0.0 };
        [0, 1, 2].map(|channel| {
            let shaded = if plate {
                PLATE[channel]
            } else {
                ground[channel] * (1.0 - shade)
            };
            (shaded * (1.0 - ink) + [20.0, 40.0, 90.0][channel] * ink).round() as u8
        })
    });
    Raster::new(size, Channels::Rgb, samples.collect()).expect("whole rows")
}

#[test]
fn a_hole_in_full_shadow_is_seen_through_and_a_grey_plate_is_not() {
    let holes = KnockOut {
        holes: true,
        ..AUTO
    };
    let cut_out = knock_out(ring_in_shadow([255.0; 3]), holes).expect("plain");
    let orange = [240, 130, 10];
    let wanted = ring_in_shadow(orange.map(f32::from));
    let found = cut_out.over(orange);
    let pairs = wanted.samples().iter().zip(found.samples());
    let worst = pairs.map(|(a, b)| a.abs_diff(*b)).max();
    assert!(worst <= Some(16), "{worst:?}");
    // Without the wish the hole keeps what was there.
    let kept = knock_out(ring_in_shadow([255.0; 3]), AUTO).expect("plain");
    assert_eq!(kept.samples()[(20 * 60 + 20) * 4 + 3], 255);
}
