//! A sized raster, and what is prepared of it once.

use std::borrow::Cow;
use std::sync::OnceLock;

use super::eye::Eye;
use super::sampled;
use crate::encode::Subject;
use crate::pixels::{Channels, Raster};
use crate::source::{self, Nature};

/// A raster, and what is prepared of it once it is needed.
pub(super) struct Canvas<'a> {
    pub raster: Cow<'a, Raster>,
    pub nature: Nature,
    eye: OnceLock<Eye>,
    subject: OnceLock<Subject>,
    parts: OnceLock<Option<Box<Canvas<'static>>>>,
}

impl<'a> Canvas<'a> {
    pub fn new(raster: Cow<'a, Raster>, nature: Nature) -> Canvas<'a> {
        Canvas {
            raster,
            nature,
            eye: OnceLock::new(),
            subject: OnceLock::new(),
            parts: OnceLock::new(),
        }
    }

    /// Parts that stand for it, where it is large.
    pub fn parts(&self) -> Option<&Canvas<'static>> {
        let parts = self.parts.get_or_init(|| {
            let parts = sampled::parts(&self.raster, self.nature)?;
            Some(Box::new(Canvas::new(Cow::Owned(parts), self.nature)))
        });
        parts.as_deref()
    }

    /// What is known of it before it is coded.
    pub fn subject(&self) -> &Subject {
        self.subject.get_or_init(|| Subject {
            nature: self.nature,
            transparent: self.raster.channels() == Channels::Rgba,
            features: source::features(&self.raster),
        })
    }

    pub fn width(&self) -> u32 {
        self.raster.size().width()
    }

    /// The eye that files made of it are seen with, at a device pixel ratio.
    pub fn eye(&self, density: f64) -> &Eye {
        self.eye.get_or_init(|| Eye::new(&self.raster, density))
    }
}
