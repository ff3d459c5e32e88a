//! Drawings (W3C SVG) → pixels, at whatever size is wanted: the adapter to the drawing library.
//!
//! Nothing outside a drawing is touched: no file and no address that it names. Pictures within it are
//! drawn where they stand in it as data. Letters are drawn in the fonts that whoever runs the core
//! provides ([`fonts_from`]).

mod cost;
mod fonts;

use std::collections::BTreeSet;
use std::io::Cursor;
use std::sync::{Arc, Mutex, PoisonError};

use resvg::tiny_skia::{Pixmap, Transform};
use resvg::usvg::{ImageHrefResolver, ImageKind, Options, Tree};
use roxmltree::{Document, Node};
use thiserror::Error;

use fonts::Fonts;
pub use fonts::fonts_from;
/// The fonts of a machine, found and described.
pub use resvg::usvg::fontdb;

use crate::container::xml::{self, Entities};
use crate::pixels::Size;
use crate::source;

/// Pictures within a drawing have at most so many pixels each.
const PICTURE: u64 = 50_000_000;

/// Bytes that nested layers may take while one is drawn.
const LAYERS: u64 = 512 << 20;

/// What is odd in a drawing, and what is left out of what is made of it.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Remark {
    /// Letters whose font is not there, and what they are drawn in; `None` where they are not drawn.
    Letters {
        /// The first font that was asked for.
        asked: String,
        /// What came instead.
        drawn: Option<String>,
    },
    /// So many scripts and handlers of events.
    Scripts(usize),
    /// So many links that lead out of it, the first of them among them.
    Links(usize, String),
    /// Content of another language, which is not drawn.
    Foreign,
}

/// Why a drawing cannot be drawn.
#[derive(Debug, Error)]
pub enum NoDrawing {
    /// It is no sound XML, or beyond all bounds.
    #[error("it is not well-formed, or nested beyond all bounds")]
    NotSound,
    /// What it refers to again and again comes to too much.
    #[error("it comes to more than {most} shapes, each time that one is used counted")]
    TooMuch {
        /// The most that are drawn.
        most: u64,
    },
    /// What it refers to lies too deep.
    #[error("its shapes lie more than {0} deep in one another")]
    TooDeep(u32),
    /// A filter that would never end.
    #[error("its {0} reaches over more pixels than any picture needs")]
    Filter(&'static str),
    /// Layers within layers, at a size.
    #[error("its {layers} layers in one another take too much memory at {size}")]
    Layers {
        /// How deep they lie.
        layers: u32,
        /// The size that it was to be drawn at.
        size: Size,
    },
    /// It has letters, and there is no font at all.
    #[error("it has letters, and no font is installed: turn them into outlines")]
    NoFont,
    /// The library gave up.
    #[error("{0}")]
    Failed(String),
}

/// A drawing that was read.
pub struct Drawing {
    tree: Tree,
    layers: u32,
    remarks: Vec<Remark>,
}

impl Drawing {
    /// Reads a drawing from its text.
    pub fn read(text: &str) -> Result<Drawing, NoDrawing> {
        let text = text.trim_start_matches('\u{FEFF}');
        let document = xml::parse(text, Entities::Declared).ok_or(NoDrawing::NotSound)?;
        let cost = cost::of(&document)?;
        let mut remarks: BTreeSet<Remark> = inert(&document).into_iter().collect();
        let missing = Arc::new(Mutex::new(BTreeSet::new()));
        let fonts = Fonts::for_letters(&document);
        let options = Options {
            resources_dir: None,
            image_href_resolver: ImageHrefResolver {
                resolve_data: Box::new(picture),
                resolve_string: Box::new(|_, _| None),
            },
            font_resolver: fonts.resolver(missing.clone()),
            fontdb: fonts.database(),
            ..Options::default()
        };
        let read = Tree::from_xmltree(&document, &options);
        let tree = read.map_err(|error| NoDrawing::Failed(error.to_string()))?;
        if fonts.are_wanting() {
            return Err(NoDrawing::NoFont);
        }
        let missing = std::mem::take(&mut *missing.lock().unwrap_or_else(PoisonError::into_inner));
        remarks.extend(missing);
        Ok(Drawing {
            tree,
            layers: cost.layers,
            remarks: remarks.into_iter().collect(),
        })
    }

    /// What its owner should hear of it.
    pub fn remarks(&self) -> &[Remark] {
        &self.remarks
    }

    /// The longer side of its own size, in pixels.
    pub fn long_side(&self) -> f32 {
        self.tree.size().width().max(self.tree.size().height())
    }

    /// The size at which its longer side has a length.
    pub fn size_at(&self, long: f32) -> Option<Size> {
        let own = self.tree.size();
        let scale = f64::from(long) / f64::from(self.long_side());
        let side = |side: f32| ((f64::from(side) * scale).round() as u32).max(1);
        Size::new(side(own.width()), side(own.height()))
    }

    /// Its pixels at a size: red, green, blue and straight alpha.
    pub fn pixels(&self, size: Size) -> Result<Vec<u8>, NoDrawing> {
        self.moved(size, 0.0)
    }

    /// The same, moved by parts of a pixel, to the right and down.
    pub fn moved(&self, size: Size, by: f32) -> Result<Vec<u8>, NoDrawing> {
        let layers = self.layers;
        let held = |means: u32| {
            let drawn = size.pixels() * u64::from(means * means);
            drawn.saturating_mul(4 * u64::from(layers + 1))
        };
        if held(1) > LAYERS.max(size.pixels() * 16) {
            return Err(NoDrawing::Layers { layers, size });
        }
        let finest = means(size);
        let means = (1..=finest)
            .rev()
            .find(|&means| held(means) <= LAYERS)
            .unwrap_or(1);
        let (width, height) = (size.width() * means, size.height() * means);
        let failed = || NoDrawing::Failed("there is no memory for it".to_owned());
        let mut pixmap = Pixmap::new(width, height).ok_or_else(failed)?;
        let own = self.tree.size();
        let scale = Transform::from_scale(width as f32 / own.width(), height as f32 / own.height());
        let by = by * means as f32;
        resvg::render(
            &self.tree,
            scale.post_translate(by, by),
            &mut pixmap.as_mut(),
        );
        Ok(straight(&pixmap.take(), size, means as usize))
    }
}

/// The means of squares of so many drawn pixels a side, with straight alpha.
fn straight(drawn: &[u8], size: Size, means: usize) -> Vec<u8> {
    let pitch = size.width() as usize * means * 4;
    let count = (means * means) as u32;
    let mut samples = Vec::with_capacity(size.pixels() as usize * 4);
    for band in drawn.chunks_exact(pitch * means) {
        for x in 0..size.width() as usize {
            let mut sums = [0u32; 4];
            for row in band.chunks_exact(pitch) {
                for pixel in row[x * means * 4..][..means * 4].as_chunks::<4>().0 {
                    for (sum, &sample) in sums.iter_mut().zip(pixel) {
                        *sum += u32::from(sample);
                    }
                }
            }
            let [r, g, b, alpha] = sums;
            let half = alpha / 2;
            let sample = |sum: u32| ((sum * 255 + half) / alpha.max(1)).min(255) as u8;
            samples.extend([r, g, b].map(sample));
            samples.push(((alpha + count / 2) / count) as u8);
        }
    }
    samples
}

/// Pixels are the means of so many drawn ones a side: the drawing library tells how much of a pixel is
/// covered in few steps, which small pictures show and large ones hide.
fn means(size: Size) -> u32 {
    match size.long_side() {
        0..=640 => 4,
        641..=2000 => 2,
        _ => 1,
    }
}

/// About how many bytes drawing at a size holds at its peak, beside its pixels: those that are drawn, and a
/// layer or two.
pub(crate) fn memory(size: Size) -> u64 {
    size.pixels() * u64::from(means(size) * means(size)) * 12
}

/// A picture that stands in a drawing as data.
fn picture(kind: &str, bytes: Arc<Vec<u8>>, _: &Options<'_>) -> Option<ImageKind> {
    if kind.starts_with("image/svg") {
        // Drawings within drawings would need bounds of their own.
        return None;
    }
    let probe = source::probe(Cursor::new(bytes.as_slice())).ok()?;
    let fits = probe.stored.pixels() <= PICTURE;
    match probe.kind {
        source::Kind::Jpeg if fits => Some(ImageKind::JPEG(bytes)),
        source::Kind::Png if fits => Some(ImageKind::PNG(bytes)),
        source::Kind::Gif if fits => Some(ImageKind::GIF(bytes)),
        source::Kind::WebP if fits => Some(ImageKind::WEBP(bytes)),
        _ => None,
    }
}

/// Whether an attribute is a handler of events.
pub(crate) fn is_handler(name: &str) -> bool {
    let bytes = name.as_bytes();
    bytes.len() > 2 && bytes[..2].eq_ignore_ascii_case(b"on") && bytes[2].is_ascii_alphabetic()
}

/// Whether an address leads out of a drawing: neither to a part of it nor to what it holds itself.
pub(crate) fn leads_out(address: &str) -> bool {
    let address = address.trim();
    let held = address
        .get(..5)
        .is_some_and(|start| start.eq_ignore_ascii_case("data:"));
    !address.is_empty() && !address.starts_with('#') && !held
}

/// The parts of a drawing that a value refers to: `url(#name)`, the last of which may lack its end.
pub(crate) fn references(value: &str) -> impl Iterator<Item = &str> {
    value.split("url(").skip(1).filter_map(|rest| {
        let address = rest.split(')').next()?.trim();
        address.trim_matches(['"', '\'']).strip_prefix('#')
    })
}

/// Whether a node is an element of a drawing.
pub(crate) fn is_shape(node: &Node<'_, '_>) -> bool {
    let space = node.tag_name().namespace();
    // Drawings that forget to say so are drawn as well, if not by browsers.
    node.is_element() && matches!(space, None | Some("http://www.w3.org/2000/svg"))
}

/// What does nothing in a picture: what runs, and what leads elsewhere.
fn inert(document: &Document<'_>) -> Vec<Remark> {
    let (mut scripts, mut links, mut foreign) = (0, Vec::new(), false);
    for node in document.descendants().filter(is_shape) {
        scripts += usize::from(node.tag_name().name() == "script");
        foreign |= node.tag_name().name() == "foreignObject";
        for attribute in node.attributes() {
            scripts += usize::from(is_handler(attribute.name()));
            if attribute.name() == "href" {
                let address = attribute.value();
                let runs = address.trim_start().to_ascii_lowercase();
                if runs.starts_with("javascript:") {
                    scripts += 1;
                } else if leads_out(address) {
                    links.push(address.to_owned());
                }
            }
        }
    }
    let first = links.first().cloned().unwrap_or_default();
    let mut remarks = Vec::new();
    remarks.extend((scripts > 0).then_some(Remark::Scripts(scripts)));
    remarks.extend((!links.is_empty()).then_some(Remark::Links(links.len(), first)));
    remarks.extend(foreign.then_some(Remark::Foreign));
    remarks
}

#[cfg(test)]
mod tests;
