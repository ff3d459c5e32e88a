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
    tiles: OnceLock<Option<Box<Canvas<'static>>>>,
}

impl<'a> Canvas<'a> {
    pub fn new(raster: Cow<'a, Raster>, nature: Nature) -> Canvas<'a> {
        Canvas {
            raster,
            nature,
            eye: OnceLock::new(),
            subject: OnceLock::new(),
            tiles: OnceLock::new(),
        }
    }

    /// Tiles that stand for it, where it is large.
    pub fn tiles(&self) -> Option<&Canvas<'static>> {
        let tiles = self.tiles.get_or_init(|| {
            let tiles = sampled::tiles(&self.raster, self.nature)?;
            Some(Box::new(Canvas::new(Cow::Owned(tiles), self.nature)))
        });
        tiles.as_deref()
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
