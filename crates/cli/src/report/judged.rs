//! What a report notes of pieces once all are there: those that gain nothing, and what a visitor
//! loads in each format.

use kiln_core::plan::Choice;

use super::{Fired, FiringReport, OriginalReport, PieceReport, Written};
use crate::wording;

/// What a visitor loads who sees each picture once, in its largest size and in one choice of formats.
#[derive(Debug, PartialEq, Eq)]
pub struct Load {
    /// The formats that the pieces may have.
    pub choice: Choice,
    /// How many originals come in it.
    pub originals: usize,
    /// The weight of those originals.
    pub before: u64,
    /// The weight of their heaviest pieces.
    pub after: u64,
}

impl FiringReport {
    /// What a visitor loads in each choice of formats, in the order in which those come first.
    pub fn loads(&self) -> Vec<Load> {
        let mut loads: Vec<Load> = Vec::new();
        for original in self.originals.fired() {
            let mut heaviest: Vec<(Choice, u64)> = Vec::new();
            for piece in &original.pieces {
                let Some((choice, weight)) = original.loaded(piece) else {
                    continue;
                };
                match heaviest.iter_mut().find(|(known, _)| *known == choice) {
                    Some((_, most)) => *most = weight.max(*most),
                    None => heaviest.push((choice, weight)),
                }
            }
            for (choice, after) in heaviest {
                let known = loads.iter().position(|load| load.choice == choice);
                let index = known.unwrap_or_else(|| {
                    loads.push(Load {
                        choice,
                        originals: 0,
                        before: 0,
                        after: 0,
                    });
                    loads.len() - 1
                });
                let load = &mut loads[index];
                load.originals += 1;
                load.before += original.weight;
                load.after += after;
            }
        }
        loads
    }

    /// Notes pieces of originals that are held, where they gain nothing.
    pub fn note_what_gains_nothing(&mut self) {
        for original in self.originals.held_mut().into_iter().flatten() {
            original.note_what_gains_nothing();
        }
    }
}

impl OriginalReport {
    /// Notes pieces that gain nothing: heavier than it at the same pixels.
    pub fn note_what_gains_nothing(&mut self) {
        let notes: Vec<String> = self.heavier().collect();
        self.notes.extend(notes);
    }

    /// What is loaded by who would see a piece: another one, where it was left out for that.
    fn loaded(&self, piece: &PieceReport) -> Option<(Choice, u64)> {
        // What is sharp at every size is a choice for the largest alone.
        let of_pixels = piece
            .planned
            .formats()
            .filter(|format| !format.is_scalable());
        let choice = Choice::between(of_pixels).or(Choice::between(piece.planned.formats()))?;
        let written = match &piece.fired {
            Fired::Outdone(_, by) => {
                let spot = |one: &PieceReport| (one.place.clone(), one.size);
                let mut others = self.written();
                let same = |(other, written): &(&PieceReport, &Written)| {
                    let serves = by.is_scalable() && other.place == piece.place;
                    (serves || spot(other) == spot(piece)) && written.format == *by
                };
                others.find(same)?.1
            }
            _ => piece.written()?,
        };
        Some((choice, written.account.weight))
    }

    /// The pieces that stand.
    fn written(&self) -> impl Iterator<Item = (&PieceReport, &Written)> {
        let pieces = self.pieces.iter();
        pieces.filter_map(|piece| Some((piece, piece.written()?)))
    }

    fn heavier(&self) -> impl Iterator<Item = String> {
        let heavier = self.written().filter(|(piece, written)| {
            let same = piece.size == self.size && written.account.shrunk.is_none();
            same && written.account.weight > self.weight
        });
        heavier.map(|(_, written)| {
            format!(
                "{} is heavier than its original at the same pixels ({}); the original may serve as it is, or a lower look",
                written.name,
                wording::change(self.weight, written.account.weight)
            )
        })
    }
}
