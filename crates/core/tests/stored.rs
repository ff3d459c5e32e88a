//! Originals that are read from a store as they are needed.

use std::ops::ControlFlow;

use kiln_core::decode::{Allowance, Input, Stored, Stream};
use kiln_core::encode::Format;
use kiln_core::pipeline;
use kiln_core::plan::{self, CodingWish, Extent, Job, Original, Wish};

use crate::common;

/// A picture in a store: as it is read, or as it fails to be.
struct Shelf(Option<Vec<u8>>);

impl Stored for Shelf {
    fn bytes(&self) -> std::io::Result<Vec<u8>> {
        self.0
            .clone()
            .ok_or_else(|| std::io::ErrorKind::PermissionDenied.into())
    }

    fn stream(&self) -> std::io::Result<Box<dyn Stream>> {
        Ok(Box::new(std::io::Cursor::new(self.bytes()?)))
    }
}

#[test]
fn a_stored_picture_gives_the_pieces_of_its_bytes() {
    let wish = Wish {
        extent: Extent::Widths(vec![20]),
        formats: vec![Format::Png.into()],
        coding: CodingWish::Exact,
        ..Wish::default()
    };
    for (name, file) in common::one_of_each() {
        let mut pieces = Vec::new();
        let original = Original::new("x".into(), "x".into(), 9, common::probe(&file));
        let job = Job::new(original, &wish);
        for input in [
            Input::Bytes(&file),
            Input::Stored(&Shelf(Some(file.clone()))),
        ] {
            pipeline::fire(input, &job, Allowance::default(), |_, piece| {
                pieces.push(piece.expect("a piece").file);
                ControlFlow::Continue(())
            })
            .expect(name);
        }
        assert_eq!(pieces[0], pieces[1], "{name}");
        let lost = Input::Stored(&Shelf(None));
        let fired = pipeline::fire(lost, &job, Allowance::default(), |_, _| {
            ControlFlow::Continue(())
        });
        let error = fired.expect_err(name).to_string();
        assert_eq!(error, "it could not be read (permission denied)", "{name}");
    }
    let digest = plan::digest_of(&b"tern point"[..]).expect("bytes");
    assert_eq!(digest, plan::digest(b"tern point"));
}
