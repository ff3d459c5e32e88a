//! Of all that the tokeniser says, what is of use here: most of a page is text, and that is left out.

use std::cell::Cell;
use std::rc::Rc;

use html5gum::emitters::default::{DefaultEmitter, Token};
use html5gum::{Emitter, Error, ForwardingEmitter};

/// Leaves out mistakes, and text that nobody reads.
pub(super) struct Needed {
    inner: DefaultEmitter<usize>,
    keeps_text: Rc<Cell<bool>>,
}

impl Needed {
    /// Text is kept while that is set.
    pub fn of(keeps_text: &Rc<Cell<bool>>) -> Needed {
        Needed {
            inner: DefaultEmitter::new_with_span(),
            keeps_text: keeps_text.clone(),
        }
    }
}

impl ForwardingEmitter for Needed {
    type Token = Token<usize>;

    fn inner(&mut self) -> &mut impl Emitter<Token = Token<usize>> {
        &mut self.inner
    }

    fn should_emit_errors(&mut self) -> bool {
        false
    }

    fn emit_error(&mut self, _: Error) {}

    fn emit_string(&mut self, text: &[u8]) {
        if self.keeps_text.get() {
            Emitter::emit_string(&mut self.inner, text);
        }
    }
}
