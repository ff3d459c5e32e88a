use super::*;

const KNOTS: [Knot; 5] = [
    knot(0.0, -10.0, 20.0, 0.0),
    knot(20.0, 40.0, 9.0, 1.0),
    knot(50.0, 65.0, 5.5, 1.6),
    knot(80.0, 78.0, 4.4, 2.2),
    knot(100.0, 92.0, 1.0, 3.4),
];

const CURVE: Curve = Curve {
    knots: &KNOTS,
    easier: 0.0,
};

const WISH: Goal = Goal {
    look: 75.0,
    least: 50.0,
    max_weight: None,
    aim: Aim::Lightest,
    trials: 99,
    rival: None,
};

/// An invented coder: score and bytes at each dial.
struct Coder {
    score: Box<dyn Fn(u8) -> f32>,
    bytes: Box<dyn Fn(u8) -> usize>,
}

impl Coder {
    /// One that is `off` from the usual curve, with a step at every `step`th dial and a ripple.
    fn new(off: f32, step: u8, ripple: f32) -> Coder {
        let usual = move |dial: u8| {
            let knot = KNOTS
                .windows(2)
                .find(|k| f64::from(dial) <= k[1].dial)
                .expect("a knot");
            let part = (f64::from(dial) - knot[0].dial) / (knot[1].dial - knot[0].dial);
            let mix = |a: f64, b: f64| a + (b - a) * part;
            (
                mix(knot[0].score, knot[1].score),
                mix(knot[0].weight, knot[1].weight).exp(),
            )
        };
        let wave = move |dial: u8| (f32::from(dial) * 2.4).sin() * ripple;
        Coder {
            score: Box::new(move |dial| {
                let dial = dial - dial % step;
                (usual(dial).0 as f32 + off * (1.2 - f32::from(dial) / 100.0) + wave(dial))
                    .min(99.0)
            }),
            bytes: Box::new(move |dial| {
                let dial = dial - dial % step;
                (usual(dial).1 * 1e4) as usize + (wave(dial) * 300.0) as usize
            }),
        }
    }

    fn search(&self, goal: Goal) -> Found {
        let mut trail: Vec<(u8, u64, f32)> = Vec::new();
        let trial = |dial| {
            assert!(
                trail.iter().all(|t| t.0 != dial),
                "{dial} again after {trail:?}"
            );
            let (weight, score) = ((self.bytes)(dial) as u64, (self.score)(dial));
            trail.push((dial, weight, score));
            Ok::<_, ()>(Trial {
                dial,
                weight,
                score,
            })
        };
        let outcome =
            search(goal, 5..=98, &CURVE, Vec::new(), trial).expect("an attempt never fails here");
        let Outcome { kept, verdict } = outcome;
        Found {
            kept,
            verdict,
            trail,
        }
    }
}

/// An outcome, and all that was tried for it, in order.
#[derive(Debug)]
struct Found {
    kept: Trial,
    verdict: Verdict,
    trail: Vec<(u8, u64, f32)>,
}

/// Coders from harmless to nasty.
fn coders() -> impl Iterator<Item = Coder> {
    let offs = (-12..=12).map(|off| off as f32);
    offs.flat_map(|off| {
        [(1, 0.0), (1, 0.4), (3, 0.0), (7, 0.2)].map(|(step, ripple)| Coder::new(off, step, ripple))
    })
}

#[test]
fn a_look_is_reached_at_the_lowest_dial_or_close_to_it_in_few_trials() {
    let (mut trials, mut count) = (0, 0);
    for look in [60.0, 70.0, 75.0, 80.0, 85.0] {
        for coder in coders() {
            let outcome = coder.search(Goal { look, ..WISH });
            let kept = &outcome.kept;
            assert_eq!(outcome.verdict, Verdict::Met, "{:?}", outcome.trail);
            assert!(kept.score >= look);
            let lightest = (5..=98)
                .find(|&dial| (coder.score)(dial) >= look)
                .expect("a dial");
            let excess = kept.weight as f64 / (coder.bytes)(lightest) as f64;
            assert!(
                kept.score < look + CLOSE || excess < 1.09,
                "{excess} {:?}",
                outcome.trail
            );
            assert!(outcome.trail.len() <= 8, "{:?}", outcome.trail);
            trials += outcome.trail.len();
            count += 1;
        }
    }
    assert!(
        10 * trials <= 33 * count,
        "{trials} trials in {count} searches"
    );
}

#[test]
fn a_weight_that_binds_gives_the_best_dial_that_fits() {
    for coder in coders() {
        for max in [15_000, 40_000, 60_000] {
            let most = Some(max);
            let outcome = coder.search(Goal {
                look: 90.0,
                least: -100.0,
                max_weight: most,
                ..WISH
            });
            let fits = |dial: &u8| (coder.bytes)(*dial) as u64 <= max;
            let best = (5..=98)
                .filter(fits)
                .map(|dial| (coder.score)(dial))
                .fold(-99.0, f32::max);
            assert!(outcome.kept.weight <= max, "{:?}", outcome.trail);
            assert!(
                outcome.kept.score >= best.min(90.0) - 0.9,
                "{best}: {:?}",
                outcome.trail
            );
            assert!(outcome.trail.len() <= 12, "{:?}", outcome.trail);
        }
    }
}

/// How each verdict comes about, with the trail that leads to it.
#[test]
fn every_verdict_is_told() {
    let coder = Coder::new(0.0, 1, 0.0);
    let told = |goal: Goal| {
        let Found {
            kept,
            verdict,
            trail,
        } = coder.search(goal);
        let trail: Vec<u8> = trail.into_iter().map(|(dial, ..)| dial).collect();
        format!(
            "{verdict:?} at {} ({:.1}, {} bytes) by {trail:?}",
            kept.dial, kept.score, kept.weight
        )
    };
    let all = [
        told(WISH),
        told(Goal {
            max_weight: Some(90_000),
            ..WISH
        }),
        told(Goal {
            look: -40.0,
            ..WISH
        }),
        told(Goal {
            max_weight: Some(45_000),
            ..WISH
        }),
        told(Goal {
            max_weight: Some(20_000),
            ..WISH
        }),
        told(Goal { look: 99.0, ..WISH }),
        told(Goal {
            max_weight: Some(45_000),
            aim: Aim::Sharpest,
            ..WISH
        }),
        told(Goal {
            max_weight: Some(999_000),
            aim: Aim::Sharpest,
            ..WISH
        }),
    ];
    insta::assert_snapshot!(all.join("\n"), @r"
    Met at 74 (75.4, 80044 bytes) by [74]
    Met at 74 (75.4, 80044 bytes) by [74]
    Lightest at 5 (2.5, 12840 bytes) by [5]
    Bounded at 45 (60.8, 44816 bytes) by [74, 45, 46]
    Over at 32 (50.0, 34556 bytes) by [74, 13, 14, 15, 33, 32]
    Short at 98 (90.6, 265757 bytes) by [98]
    Bounded at 45 (60.8, 44816 bytes) by [73, 45, 46]
    Met at 98 (90.6, 265757 bytes) by [73, 98]
    ");
}

#[test]
fn the_trial_returned_is_always_one_that_was_made_even_where_nothing_makes_sense() {
    for seed in 0..400u32 {
        let noise = move |dial: u8, salt: u32| {
            (u32::from(dial) * 2_654_435 + seed * 40_503 + salt).wrapping_mul(2_246_822_519) >> 16
        };
        let coder = Coder {
            score: Box::new(move |dial| (noise(dial, 1) % 140) as f32 - 30.0),
            bytes: Box::new(move |dial| 1000 + (noise(dial, 2) % 9000) as usize),
        };
        for max_weight in [None, Some(500), Some(4000), Some(20_000)] {
            for aim in [Aim::Lightest, Aim::Sharpest] {
                let outcome = coder.search(Goal {
                    max_weight,
                    aim,
                    ..WISH
                });
                let kept = (outcome.kept.dial, outcome.kept.weight, outcome.kept.score);
                assert!(outcome.trail.contains(&kept));
                let any = outcome
                    .trail
                    .iter()
                    .any(|t| max_weight.is_none_or(|most| t.1 <= most) && t.2 >= WISH.look);
                let good = matches!(outcome.verdict, Verdict::Met | Verdict::Lightest);
                assert!(!any || good, "{outcome:?}");
            }
        }
    }
}

#[test]
fn what_is_known_is_not_tried_again_and_may_be_kept() {
    let coder = Coder::new(3.0, 1, 0.2);
    let trial = |dial: u8| Trial {
        dial,
        weight: (coder.bytes)(dial) as u64,
        score: (coder.score)(dial),
    };
    let alone = coder.search(WISH);
    for look in [55.0, 68.0, 75.0] {
        let goal = Goal { look, ..WISH };
        // Given in any order, and some of them twice.
        let known: Vec<Trial> = [80, 40, 20, 40, alone.kept.dial].map(trial).to_vec();
        let mut tried = Vec::new();
        let attempt = |dial: u8| {
            tried.push(dial);
            Ok::<_, ()>(trial(dial))
        };
        let Outcome { kept, verdict } =
            search(goal, 5..=98, &CURVE, known.clone(), attempt).expect("it never fails");
        assert_eq!((verdict, kept), (Verdict::Met, trial(kept.dial)));
        assert!(kept.score >= look, "{look}: {kept:?}");
        assert!(
            known.iter().all(|known| !tried.contains(&known.dial)),
            "{tried:?}"
        );
        assert!(tried.len() <= 3, "{look}: {tried:?}");
        // Where what is known will do, hardly anything is tried.
        if look == 75.0 {
            assert!(
                tried.len() <= 1 && kept.score <= alone.kept.score,
                "{tried:?}"
            );
        }
    }
}

#[test]
fn a_curve_goes_through_what_was_seen_and_bends_towards_it() {
    let trial = |dial: u8, weight: u64, score: f32| Trial {
        dial,
        weight,
        score,
    };
    let usual = |dial: u8| CURVE.score(&[], dial);
    assert_eq!((usual(50), CURVE.weight(&[], 50)), (65.0, None));
    // One trial: the whole curve moves, more where pictures spread more.
    let one = [trial(50, 10_000, 70.5)];
    assert!((CURVE.score(&one, 50) - 70.5).abs() < 1e-4);
    let moved = |dial: u8| CURVE.score(&one, dial) - usual(dial);
    assert!(moved(20) > moved(50) && moved(50) > moved(80) && moved(80) > 0.0);
    let weight = |trials: &[Trial], dial| CURVE.weight(trials, dial).expect("a weight");
    assert!((weight(&one, 50) - 10_000.0).abs() < 1.0);
    assert!((weight(&one, 80) / 10_000.0).ln() - 0.6 < 1e-6);
    // Two: between them, neither is contradicted; beyond, the curve is tilted, not thrown over.
    let two = [one[0], trial(80, 30_000, 80.0)];
    for seen in &two {
        assert!((CURVE.score(&two, seen.dial) - f64::from(seen.score)).abs() < 1e-4);
        assert!((weight(&two, seen.dial) / seen.weight as f64 - 1.0).abs() < 1e-6);
    }
    let dials: Vec<u8> = (5..=98).collect();
    assert!(
        dials
            .windows(2)
            .all(|d| CURVE.score(&two, d[0]) < CURVE.score(&two, d[1]))
    );
    assert!(
        dials
            .windows(2)
            .all(|d| weight(&two, d[0]) < weight(&two, d[1]))
    );
    // What one coder showed tells how easy the picture is for another.
    let seen = CURVE.seen(50, 70.5);
    assert!((seen.easier - 1.0).abs() < 1e-6, "{seen:?}");
    assert!((seen.score(&[], 80) - 82.4).abs() < 1e-4);
}

#[test]
fn too_few_trials_give_up_weight_and_never_the_look() {
    for coder in coders() {
        for trials in [1, 2, 3] {
            let found = coder.search(Goal { trials, ..WISH });
            assert!(found.kept.score >= WISH.look, "{trials}: {:?}", found.trail);
            // As many more as it takes to reach it, and then no others.
            let reached = found.trail.iter().position(|t| t.2 >= WISH.look);
            let reached = reached.expect("one reaches it") + 1;
            assert!(
                found.trail.len() <= trials.max(reached),
                "{trials}: {:?}",
                found.trail
            );
        }
    }
}

/// What is said to be known may come from a file that anybody can write: a dial that there is none
/// of, a score that is none.
#[test]
fn what_cannot_be_known_is_not_believed() {
    let trial = |dial, weight, score| Trial {
        dial,
        weight,
        score,
    };
    let known = vec![
        trial(250, 1, 99.0),
        trial(7, 5, 99.0),
        trial(90, 7, f32::INFINITY),
        trial(91, 7, f32::NAN),
        trial(92, 0, 99.0),
    ];
    let coder = Coder::new(0.0, 1, 0.0);
    let mut tried = Vec::new();
    let outcome = search(WISH, 8..=98, &CURVE, known, |dial| -> Result<Trial, ()> {
        tried.push(dial);
        let score = (coder.score)(dial);
        Ok(trial(dial, (coder.bytes)(dial) as u64, score))
    });
    let outcome = outcome.expect("an outcome");
    assert!(tried.contains(&outcome.kept.dial), "{outcome:?}");
    assert_eq!(outcome.verdict, Verdict::Met);
}

#[test]
fn a_lighter_rival_ends_a_search_at_once_and_a_heavier_one_changes_nothing() {
    for coder in coders() {
        let alone = coder.search(WISH);
        let rival = |weight| {
            coder.search(Goal {
                rival: Some(weight),
                ..WISH
            })
        };
        let light = rival(alone.kept.weight / 3);
        assert!(light.trail.len() <= 2, "{:?}", light.trail);
        let heavy = rival(alone.kept.weight * 2);
        assert_eq!((heavy.kept, heavy.verdict), (alone.kept, alone.verdict));
        // One that is too heavy itself is none.
        let most = alone.kept.weight / 2;
        let bound = |rival| {
            coder.search(Goal {
                rival,
                max_weight: Some(most),
                ..WISH
            })
        };
        assert_eq!(bound(Some(most + 1)).kept, bound(None).kept);
    }
}
