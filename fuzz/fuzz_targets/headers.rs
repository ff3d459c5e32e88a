//! Any bytes: headers or an error, never a panic, a hang or a flood.
#![no_main]

use std::io::Cursor;

use kiln_core::source::{self, Kind};
use kiln_core::{colour, pixels::Size};
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    if let Ok(headers) = source::headers(Cursor::new(bytes)) {
        let sides = headers.stored.map(|size| (size.width(), size.height()));
        assert!(sides.is_none_or(|(w, h)| Size::new(w, h).is_some()));
        assert!(headers.frames >= 1);
        assert!(headers.kind == Kind::of(bytes).unwrap_or(headers.kind));
        assert!(headers.ballast.bytes() <= bytes.len() as u64);
        if let Some(profile) = &headers.icc {
            let _ = colour::describe(profile);
        }
    }
});
