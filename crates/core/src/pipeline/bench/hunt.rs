//! The search for the dial that keeps the budgets, along one way of a coder.

use std::cell::RefCell;
use std::collections::HashMap;

use super::Bench;
use crate::budget::{self, Aim, Curve, Outcome, Trial};
use crate::encode::{Coding, Manner, Pace, Way};
use crate::pipeline::account::{Attempt, Piece, PieceError};
use crate::pipeline::sampled;
use crate::plan::LookWish;

impl Bench<'_> {
    /// The file along a way that serves a wish best.
    pub(super) fn search(
        &self,
        way: Way,
        wish: LookWish,
        (rival, known): (Option<u64>, &[Attempt]),
    ) -> Result<Piece, PieceError> {
        let abilities = self.format.coder().abilities();
        let mut curve = way.prior.curve(&self.canvas.subject().features);
        let light = budget::Goal {
            look: wish.look,
            least: wish.least,
            max_weight: None,
            aim: Aim::Lightest,
            trials: self.terms.trials,
            rival,
        };
        let manner = |dial: u8, pace: Pace| Manner {
            coding: Coding::Dial(dial),
            chroma: way.chroma,
            pace,
        };
        let already = known;
        let known: Vec<Trial> = already
            .iter()
            .filter(|known| (known.format, known.width) == (self.format, self.canvas.width()))
            .filter_map(|known| known.trial(|dial| manner(dial, self.terms.pace)))
            .collect();
        if known.is_empty() {
            let terms = (wish.look, self.terms);
            let told = sampled::curve(self.canvas, self.format, &way, terms, &curve)?;
            curve = told.unwrap_or(curve);
        }
        let (trail, files) = (RefCell::new(Vec::new()), RefCell::new(HashMap::new()));
        let run = |wish: budget::Goal, curve: &Curve, pace: Pace, known: Vec<Trial>| {
            files.borrow_mut().clear();
            budget::search(
                wish,
                way.dials(self.format),
                curve,
                known,
                |dial| -> Result<Trial, PieceError> {
                    let (proof, score) = self.trial(manner(dial, pace))?;
                    let weight = proof.file.len() as u64;
                    trail
                        .borrow_mut()
                        .push(self.tried(manner(dial, pace), weight, score));
                    files.borrow_mut().insert(dial, proof);
                    Ok(Trial {
                        dial,
                        weight,
                        score,
                    })
                },
            )
        };
        if self.packs_loosely(wish.aim, already) {
            // Found among loosely packed files, which show the same, and packed tightly once.
            let Outcome { kept, verdict } = run(light, &curve, Pace::Quick, Vec::new())?;
            let manner = manner(kept.dial, self.terms.pace);
            let (file, score) = self.attempt(manner)?;
            trail
                .borrow_mut()
                .push(self.tried(manner, file.len() as u64, score));
            if self.fits(file.len() as u64) {
                return Ok(self.piece(file, (manner, score), Some(verdict), trail.take()));
            }
        }
        if abilities.slow && self.terms.pace == Pace::Patient && known.is_empty() {
            // The dial is found at a quick setting, and only confirmed at the slow one.
            let Outcome { kept, .. } = run(light, &curve, Pace::Quick, Vec::new())?;
            curve = curve.seen(kept.dial, kept.score);
        }
        let budgets = budget::Goal {
            max_weight: self.terms.max_weight,
            aim: wish.aim,
            ..light
        };
        let mut outcome = run(budgets, &curve, self.terms.pace, known)?;
        if !files.borrow().contains_key(&outcome.kept.dial) {
            // Known, but made elsewhere: it has to be made here before it counts.
            let manner = manner(outcome.kept.dial, self.terms.pace);
            let (file, score) = self.attempt(manner)?;
            let remade = (file.len() as u64, score);
            if remade == (outcome.kept.weight, outcome.kept.score) {
                return Ok(self.piece(file, (manner, score), Some(outcome.verdict), trail.take()));
            }
            // What was known is not so: nothing of it is believed.
            outcome = run(budgets, &curve, self.terms.pace, Vec::new())?;
        }
        let Outcome { kept, verdict } = outcome;
        let proof = files.take().remove(&kept.dial).unwrap_or_default();
        let file = self.proven(proof)?;
        let manner = manner(kept.dial, self.terms.pace);
        Ok(self.piece(file, (manner, kept.score), Some(verdict), trail.take()))
    }
}
