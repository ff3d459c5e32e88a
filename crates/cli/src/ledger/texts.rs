//! Texts that very many entries have in common, such as the names of places: each is held once.

use std::collections::HashSet;
use std::sync::Arc;

use super::{Entry, Made, PieceEntry};

/// The texts.
#[derive(Debug, Default)]
pub struct Texts(HashSet<Arc<str>>);

impl Texts {
    /// Lets an entry have those that are held, and no more room than it needs.
    pub fn share(&mut self, entry: &mut Entry) {
        for piece in entry.pieces.values_mut() {
            self.share_piece(piece);
            if let Some(made) = piece.made.as_mut().and_then(Arc::get_mut) {
                self.share_made(made);
            }
        }
    }

    /// The same of what is known of a piece.
    pub fn share_piece(&mut self, piece: &mut PieceEntry) {
        for text in [&mut piece.place, &mut piece.by].into_iter().flatten() {
            self.share_text(text);
        }
    }

    /// The same of what was made.
    pub fn share_made(&mut self, made: &mut Made) {
        self.share_text(&mut made.kiln);
        made.account.trail.shrink_to_fit();
    }

    fn share_text(&mut self, text: &mut Arc<str>) {
        match self.0.get(&**text) {
            Some(held) => *text = Arc::clone(held),
            None => {
                self.0.insert(Arc::clone(text));
            }
        }
    }
}
