//! What is computed when it is first needed.

use std::sync::OnceLock;

/// What a place holds, made where it is empty. Who makes it holds nobody up: two may do so at once, and a thread that
/// works for others in between may come here again.
pub(crate) fn once<T>(place: &OnceLock<T>, make: impl FnOnce() -> T) -> &T {
    match place.get() {
        Some(held) => held,
        None => {
            let made = make();
            place.get_or_init(|| made)
        }
    }
}
