//! Forms → the bytes of a file: filters and orders of a palette are chosen by deflating what they
//! come to, first quickly, and then the best of them as tightly as the pace allows.

use libdeflater::{CompressionLvl, Compressor};
use rayon::prelude::*;

use super::filter::{Choice, Filter, filtered, tried};
use super::form::{Colour, Form};
use crate::container::png;
use crate::encode::Pace;

/// What files of a pace are packed by: levels of the deflater, 1 to 12.
struct Means {
    /// At this level all choices are compared, as far as they are worth it.
    glance: i32,
    /// At this one those that did best then.
    look: i32,
    /// The level of what is kept: from 10 on the shortest way to say the bytes is looked for.
    last: i32,
    /// The same for rows of so many bytes that it would take long.
    last_of_large: i32,
    /// So many bytes of the best choices are deflated at the last level.
    finals: usize,
    /// Whether filters are also found by trying every row.
    tries: bool,
}

impl Means {
    fn of(pace: Pace) -> Means {
        match pace {
            Pace::Quick => Means {
                glance: 1,
                look: 4,
                last: 8,
                last_of_large: 8,
                finals: 0,
                tries: false,
            },
            Pace::Steady => Means {
                glance: 1,
                look: 6,
                last: 12,
                last_of_large: 10,
                finals: 4 << 20,
                tries: false,
            },
            Pace::Patient => Means {
                glance: 6,
                look: 10,
                last: 12,
                last_of_large: 12,
                finals: 20 << 20,
                tries: true,
            },
        }
    }
}

/// So many of the choices that did best at a glance are looked at.
const LOOKED_AT: usize = 6;

/// And so many of those may be the one that is kept.
const MOST_FINALISTS: usize = 4;

/// Choices are compared on so many bytes at most, in bands from all over a large picture.
const GLANCED: usize = 4 << 20;

/// Rows of a band.
const BAND: usize = 32;

/// Rows of more bytes than this are large.
const LARGE: usize = 12 << 20;

/// A picture's form and its deflated rows.
pub(super) struct Packed<'f> {
    pub form: &'f Form,
    pub rows: Vec<u8>,
}

/// The lightest of some forms; `None` without any.
pub(super) fn lightest(forms: &[Form], pace: Pace) -> Option<Packed<'_>> {
    let means = Means::of(pace);
    let mut choices: Vec<(&Form, Choice)> = Vec::new();
    for form in forms {
        let worth = |choice: &Choice| worth(form, *choice, pace);
        let all = Choice::ALL.into_iter().filter(worth);
        choices.extend(all.map(|choice| (form, choice)));
    }
    let choices = best(choices, means.glance, LOOKED_AT);
    let choices = best(choices, means.look, MOST_FINALISTS);
    let mut bytes = 0;
    let within = |(form, _): &&(&Form, Choice)| {
        let first = bytes == 0;
        bytes += form.bytes();
        first || bytes <= means.finals
    };
    let finalists = choices.iter().take_while(within);
    let chosen = finalists.map(|&(form, choice)| (form, Some(choice)));
    let by_trying = choices.first().filter(|_| means.tries);
    let all: Vec<_> = chosen
        .chain(by_trying.map(|&(form, _)| (form, None)))
        .collect();
    let packed = all.into_par_iter().filter_map(|(form, choice)| {
        let rows = match choice {
            Some(choice) => filtered(form, 0..form.height(), choice),
            None => tried(form, trier(form)),
        };
        let last = if form.bytes() > LARGE {
            means.last_of_large
        } else {
            means.last
        };
        let rows = deflated(&rows, last)?;
        Some(Packed { form, rows })
    });
    let packed: Vec<Packed<'_>> = packed.collect();
    packed
        .into_iter()
        .min_by_key(|packed| packed.rows.len() + frame(packed.form))
}

/// Whether a choice of filters may turn out to be the best for a form.
fn worth(form: &Form, choice: Choice, pace: Pace) -> bool {
    match choice {
        Choice::All(Filter::None | Filter::Up) | Choice::FewestPairs => true,
        // Several pixels share a byte: what lies left of it in bits is no neighbour.
        _ if form.is_coarse() => false,
        Choice::All(Filter::Sub) | Choice::LeastSum | Choice::LeastEntropy => true,
        _ => pace != Pace::Quick,
    }
}

/// Of choices so many that do best at a level, the best first.
fn best(choices: Vec<(&Form, Choice)>, level: i32, most: usize) -> Vec<(&Form, Choice)> {
    if choices.len() < 2 {
        return choices;
    }
    let weight = |&(form, choice): &(&Form, Choice)| {
        let rows = filtered(form, sampled(form), choice);
        let weight = deflated(&rows, level).map_or(usize::MAX, |rows| rows.len() + frame(form));
        match choice {
            // What repeats far away is found at high levels only, and only where it is unfiltered.
            Choice::All(Filter::None) => weight - weight / 8,
            _ => weight,
        }
    };
    let mut weighed: Vec<_> = choices
        .into_par_iter()
        .map(|choice| (weight(&choice), choice))
        .collect();
    weighed.sort_by_key(|(weight, _)| *weight);
    weighed.truncate(most);
    weighed.into_iter().map(|(_, choice)| choice).collect()
}

/// The rows on which choices are compared.
fn sampled(form: &Form) -> impl Iterator<Item = usize> + use<> {
    let (height, pitch) = (form.height(), form.pitch + 1);
    let whole = height * pitch;
    // Of so many bands one.
    let every = whole.div_ceil(GLANCED);
    (0..height).filter(move |y| (y / BAND).is_multiple_of(every))
}

/// A deflater that tells lengths alone.
fn trier(form: &Form) -> impl FnMut(&[u8]) -> usize + use<> {
    /// Quick: it runs five times a row.
    const LEVEL: i32 = 2;
    let mut compressor = Compressor::new(level(LEVEL));
    let mut into = vec![0; compressor.deflate_compress_bound((form.pitch + 1) * 8)];
    move |bytes| {
        let length = compressor.deflate_compress(bytes, &mut into);
        length.unwrap_or(usize::MAX)
    }
}

fn level(level: i32) -> CompressionLvl {
    CompressionLvl::new(level).unwrap_or_default()
}

/// Bytes deflated at a level, in the wrapping of zlib (RFC 1950).
pub(super) fn deflated(bytes: &[u8], at: i32) -> Option<Vec<u8>> {
    let mut compressor = Compressor::new(level(at));
    let mut into = vec![0; compressor.zlib_compress_bound(bytes.len())];
    let length = compressor.zlib_compress(bytes, &mut into).ok()?;
    into.truncate(length);
    Some(into)
}

/// What the palette of a form takes.
fn frame(form: &Form) -> usize {
    let chunk = |length: usize| if length == 0 { 0 } else { length + 12 };
    let key = form.key.map_or(0, |_| 6);
    chunk(form.palette.len() * 3) + chunk(alphas(form).len().max(key))
}

/// Alphas of a palette, up to the last that is not opaque.
fn alphas(form: &Form) -> Vec<u8> {
    let clear = form.palette.iter().rposition(|colour| colour[3] != 255);
    let clear = clear.map_or(0, |last| last + 1);
    form.palette[..clear]
        .iter()
        .map(|colour| colour[3])
        .collect()
}

/// The whole file (W3C PNG, third edition, section 5): the header, what tells the colours, which
/// has to stand before the palette, and the picture. `None` where a side or a chunk is too long.
pub(super) fn written(packed: &Packed<'_>, width: usize, colours: &[u8]) -> Option<Vec<u8>> {
    let form = packed.form;
    let sides = [width, form.height()].map(|side| u32::try_from(side).ok());
    let [width, height] = sides;
    let (width, height) = (width?.to_be_bytes(), height?.to_be_bytes());
    // Deflated, filtered by rows, not interlaced.
    let kind = [form.bits, form.colour as u8, 0, 0, 0];
    let mut file = png::MAGIC.to_vec();
    file.extend(png::chunk(b"IHDR", &[&width, &height, &kind])?);
    file.extend(colours);
    if form.colour == Colour::Palette {
        let palette: Vec<u8> = form
            .palette
            .iter()
            .flat_map(|c| [c[0], c[1], c[2]])
            .collect();
        file.extend(png::chunk(b"PLTE", &[&palette])?);
        let alphas = alphas(form);
        if !alphas.is_empty() {
            file.extend(png::chunk(b"tRNS", &[&alphas])?);
        }
    }
    if let Some(key) = form.key {
        let samples: Vec<u8> = key.iter().flat_map(|sample| [0, *sample]).collect();
        file.extend(png::chunk(b"tRNS", &[&samples])?);
    }
    file.extend(png::chunk(b"IDAT", &[&packed.rows])?);
    file.extend(png::chunk(b"IEND", &[])?);
    Some(file)
}
