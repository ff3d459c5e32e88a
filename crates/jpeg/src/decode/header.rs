//! The segments of a file (ITU-T T.81, annex B), as browsers read them: what does not matter may be
//! wrong.

use crate::error::Error;
use crate::frame::Frame;
use crate::huffman::{Table, standard};

/// The most that a file may ask for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Limits {
    /// Pixels.
    pub pixels: u64,
    /// Scans: a picture needs about ten, and each costs a pass over all blocks.
    pub scans: u32,
}

impl Default for Limits {
    /// 300 megapixels and 200 scans.
    fn default() -> Self {
        Limits {
            pixels: 300_000_000,
            scans: 200,
        }
    }
}

/// What the components of a picture stand for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Colours {
    /// Grey.
    Grey,
    /// Luma and two chromas (ITU-T T.871).
    YCbCr,
    /// Red, green and blue.
    Rgb,
    /// Four inks as stored.
    Cmyk,
    /// Luma and chromas of three inks, and black as stored.
    Ycck,
}

/// What is odd in a file that is read all the same.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Oddity {
    /// Bytes between two segments.
    Junk,
    /// The end marker is missing.
    NoEnd,
    /// A restart marker has another number than it should.
    Restart,
    /// A Huffman table is missing, and the standard's example was taken.
    NoTable,
    /// The coded data is damaged: parts of the picture may look wrong.
    Damaged {
        /// The byte where that was found, from the beginning of the file; it may have begun before.
        position: usize,
    },
}

/// The tables that hold for the next scan.
#[derive(Clone, Default)]
pub(crate) struct Tables {
    pub quantisation: [Option<[u16; 64]>; 4],
    pub huffman: [[Option<Table>; 4]; 2],
    /// Units between restart markers; 0 for none.
    pub restart: u32,
}

impl Tables {
    /// A Huffman table, or the standard's where none was given; `true` then.
    pub fn huffman(&self, class: usize, destination: usize) -> Option<(Table, bool)> {
        match &self.huffman[class][destination] {
            Some(table) => Some((table.clone(), false)),
            None => standard::table(class, destination).map(|table| (table, true)),
        }
    }
}

/// A component's part in a scan.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Part {
    /// The component, by its index in the frame.
    pub component: usize,
    pub dc: usize,
    pub ac: usize,
}

/// A scan header (T.81, B.2.3).
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Scan {
    pub parts: Vec<Part>,
    /// The first and the last coefficient, by the zigzag sequence.
    pub band: (usize, usize),
    /// The bit positions of the scan before, if there was one, and of this one.
    pub bits: (u32, u32),
}

/// Tells an oddity, once.
pub(crate) fn odd(oddities: &mut Vec<Oddity>, oddity: Oddity) {
    if !oddities.contains(&oddity) {
        oddities.push(oddity);
    }
}

/// What stands before the first scan.
#[derive(Clone, Debug)]
pub struct Header {
    /// The picture's frame.
    pub frame: Frame,
    /// What its components stand for.
    pub colours: Colours,
    /// Whether an Adobe segment stands in it: inks are inverted then.
    pub adobe: bool,
    /// Whether a JFIF segment does.
    pub jfif: bool,
    /// The ICC profile, as its bytes.
    pub icc: Option<Vec<u8>>,
}

/// What comes next in a file.
pub(crate) enum Next {
    Scan(Scan),
    End,
}

const ICC: &[u8] = b"ICC_PROFILE\0";

/// Reads segments one after the other.
#[derive(Clone)]
pub(crate) struct Reader {
    pub position: usize,
    pub tables: Tables,
    pub oddities: Vec<Oddity>,
    frame: Option<Frame>,
    /// The transform that an Adobe segment names.
    transform: Option<u8>,
    jfif: bool,
    profile: Vec<(u8, Vec<u8>)>,
}

impl Reader {
    pub fn new(data: &[u8]) -> Result<Reader, Error> {
        if !data.starts_with(&[0xFF, 0xD8]) {
            return Err(Error::NotJpeg);
        }
        Ok(Reader {
            position: 2,
            tables: Tables::default(),
            oddities: Vec::new(),
            frame: None,
            transform: None,
            jfif: false,
            profile: Vec::new(),
        })
    }

    pub fn odd(&mut self, oddity: Oddity) {
        odd(&mut self.oddities, oddity);
    }

    /// Reads up to the next scan, whose data begins at the position then, or to the end.
    pub fn next(&mut self, data: &[u8], limits: Limits) -> Result<Next, Error> {
        loop {
            let Some(marker) = self.marker(data) else {
                self.odd(Oddity::NoEnd);
                return Ok(Next::End);
            };
            let at = self.position;
            match marker {
                0xD9 => return Ok(Next::End),
                // Markers without a segment; a second beginning is a thumbnail gone astray.
                0x01 | 0xD0..=0xD8 => continue,
                _ => {}
            }
            let cut_off = Error::CutOff {
                position: data.len(),
            };
            let Some(&[high, low]) = data.get(at..at + 2).and_then(|two| two.first_chunk()) else {
                return Err(cut_off);
            };
            let length = usize::from(u16::from_be_bytes([high, low]));
            let matters = matches!(marker, 0xC0..=0xCF | 0xDA..=0xDD);
            let body = match data.get(at + 2..at + length.max(2)) {
                Some(body) if length >= 2 => body,
                _ if matters && length < 2 => {
                    return Err(Error::damaged("a segment has no length", at));
                }
                _ if matters => return Err(cut_off),
                // What does not matter may lie about its length: the next marker is looked for.
                _ => {
                    self.odd(Oddity::Junk);
                    continue;
                }
            };
            self.position = at + length;
            match marker {
                0xC4 => self.huffman(body, at)?,
                0xDB => self.quantisation(body, at)?,
                0xDD => {
                    let &[high, low] = body.first_chunk().ok_or(cut_off)?;
                    self.tables.restart = u16::from_be_bytes([high, low]).into();
                }
                0xC0..=0xCF if marker != 0xC8 && marker != 0xCC => {
                    self.frame(marker, body, (data, at), limits)?;
                }
                0xDA => return self.scan(body, at).map(Next::Scan),
                0xE0 if body.starts_with(b"JFIF\0") => self.jfif = true,
                0xEE if body.starts_with(b"Adobe") => self.transform = body.get(11).copied(),
                0xE2 => {
                    if let Some([number, _, part @ ..]) = body.strip_prefix(ICC) {
                        self.profile.push((*number, part.to_vec()));
                    }
                }
                // An application segment that ends within another was measured wrong.
                0xE0..=0xEF | 0xFE if !self.stands_at_marker(data) => self.find_again(data, at),
                _ => {}
            }
        }
    }

    fn stands_at_marker(&self, data: &[u8]) -> bool {
        let next = data.get(self.position..self.position + 2);
        next.is_none_or(|next| next[0] == 0xFF && next[1] != 0)
    }

    /// Goes to the next segment that matters, from a beginning that was wrong.
    fn find_again(&mut self, data: &[u8], from: usize) {
        let matters = |pair: &[u8]| pair[0] == 0xFF && matches!(pair[1], 0xC0..=0xCF | 0xDA..=0xDD);
        let rest = data.get(from..).unwrap_or_default();
        if let Some(found) = rest.windows(2).position(matters) {
            self.odd(Oddity::Junk);
            self.position = from + found;
        }
    }

    /// Passes over the next marker and tells its code.
    fn marker(&mut self, data: &[u8]) -> Option<u8> {
        let rest = data.get(self.position..)?;
        let mut pairs = rest.windows(2);
        let found = pairs.position(|pair| pair[0] == 0xFF && !matches!(pair[1], 0 | 0xFF))?;
        let fill = rest[..found].iter().all(|&byte| byte == 0xFF);
        self.position += found + 2;
        if !fill {
            self.odd(Oddity::Junk);
        }
        Some(rest[found + 1])
    }

    /// Passes over the data of a scan, restart markers included.
    pub fn pass_data(&mut self, data: &[u8]) {
        let rest = data.get(self.position..).unwrap_or_default();
        let ends = |&at: &usize| !matches!(rest.get(at + 1), Some(0 | 0xD0..=0xD7 | 0xFF) | None);
        self.position += memchr::memchr_iter(0xFF, rest)
            .find(ends)
            .unwrap_or(rest.len());
    }

    fn huffman(&mut self, mut body: &[u8], at: usize) -> Result<(), Error> {
        let wrong = Error::damaged("a Huffman table is wrong", at);
        while let Some((&about, rest)) = body.split_first() {
            let (class, destination) = (usize::from(about >> 4), usize::from(about & 15));
            let &counts = rest.first_chunk::<16>().ok_or(wrong)?;
            let all: usize = counts.iter().map(|&count| usize::from(count)).sum();
            let symbols = rest.get(16..16 + all).ok_or(wrong)?;
            let slot = self.tables.huffman.get_mut(class);
            let slot = slot.and_then(|slots| slots.get_mut(destination));
            *slot.ok_or(wrong)? = Some(Table::new(counts, symbols.to_vec()).ok_or(wrong)?);
            body = &rest[16 + all..];
        }
        Ok(())
    }

    fn quantisation(&mut self, mut body: &[u8], at: usize) -> Result<(), Error> {
        let wrong = Error::damaged("a quantisation table is wrong", at);
        while let Some((&about, rest)) = body.split_first() {
            let wide = match about >> 4 {
                0 => false,
                1 => true,
                _ => return Err(wrong),
            };
            let length = if wide { 128 } else { 64 };
            let entries = rest.get(..length).ok_or(wrong)?;
            let table: [u16; 64] = std::array::from_fn(|index| {
                if wide {
                    u16::from_be_bytes([entries[index * 2], entries[index * 2 + 1]])
                } else {
                    entries[index].into()
                }
            });
            let slot = self.tables.quantisation.get_mut(usize::from(about & 15));
            *slot.ok_or(wrong)? = Some(table);
            body = &rest[length..];
        }
        Ok(())
    }

    fn frame(
        &mut self,
        marker: u8,
        body: &[u8],
        (data, at): (&[u8], usize),
        limits: Limits,
    ) -> Result<(), Error> {
        match marker {
            0xC0..=0xC2 => {}
            0xC3 | 0xC7 => return Err(Error::Unsupported("without loss, as JPEG once could")),
            0xC5 | 0xC6 | 0xCD..=0xCF => return Err(Error::Unsupported("hierarchically")),
            _ => return Err(Error::Unsupported("arithmetically")),
        }
        if self.frame.is_some() {
            return Err(Error::damaged("there is a second frame", at));
        }
        let wrong = Error::damaged("the frame header is wrong", at);
        let &[depth, h1, h0, w1, w0, count] = body.first_chunk().ok_or(wrong)?;
        if depth != 8 {
            return Err(Error::Unsupported("with more than 8 bits a sample"));
        }
        let width = u32::from(u16::from_be_bytes([w1, w0]));
        let mut height = u32::from(u16::from_be_bytes([h1, h0]));
        if height == 0 {
            height = lines(data, self.position).ok_or(wrong)?;
        }
        let entries = body.get(6..6 + usize::from(count) * 3).ok_or(wrong)?;
        let planes = entries.chunks_exact(3).map(|entry| {
            let sampling = (u32::from(entry[1] >> 4), u32::from(entry[1] & 15));
            (entry[0], sampling, usize::from(entry[2]))
        });
        let planes: Vec<(u8, (u32, u32), usize)> = planes.collect();
        let sound = |&(_, (h, v), table): &(u8, (u32, u32), usize)| {
            (1..=4).contains(&h) && (1..=4).contains(&v) && table < 4
        };
        if width == 0 || height == 0 || !planes.iter().all(sound) {
            return Err(wrong);
        }
        if !matches!(planes.len(), 1 | 3 | 4) {
            return Err(Error::damaged(
                "it has a number of components that no picture has",
                at,
            ));
        }
        if u64::from(width) * u64::from(height) > limits.pixels {
            return Err(Error::TooLarge {
                width,
                height,
                allowed: limits.pixels,
            });
        }
        // A single component is its own measure (T.81, A.2.2).
        let planes: Vec<_> = match planes[..] {
            [(id, _, table)] => vec![(id, (1, 1), table)],
            _ => planes,
        };
        self.frame = Some(Frame::new((width, height), marker == 0xC2, &planes));
        Ok(())
    }

    fn scan(&self, body: &[u8], at: usize) -> Result<Scan, Error> {
        let wrong = Error::damaged("a scan header is wrong", at);
        let frame = self.frame.as_ref();
        let frame = frame.ok_or(Error::damaged("a scan comes before the frame", at))?;
        let (&count, rest) = body.split_first().ok_or(wrong)?;
        let count = usize::from(count);
        let entries = rest.get(..count * 2).ok_or(wrong)?;
        let &[first, last, bits] = rest[count * 2..].first_chunk().ok_or(wrong)?;
        let mut parts: Vec<Part> = Vec::new();
        for entry in entries.chunks_exact(2) {
            let mut components = frame.components.iter();
            let component = components.position(|one| one.id == entry[0]).ok_or(wrong)?;
            let (dc, ac) = (usize::from(entry[1] >> 4), usize::from(entry[1] & 15));
            if dc > 3 || ac > 3 || parts.iter().any(|part| part.component == component) {
                return Err(wrong);
            }
            parts.push(Part { component, dc, ac });
        }
        let (first, last) = (usize::from(first), usize::from(last));
        let (high, low) = (u32::from(bits >> 4), u32::from(bits & 15));
        let scan = if frame.progressive {
            let bands = first <= last && last < 64 && (first > 0 || last == 0);
            let steps = low <= 13 && (high == 0 || high == low + 1);
            if !bands || !steps || (first > 0 && count != 1) {
                return Err(wrong);
            }
            Scan {
                parts,
                band: (first, last),
                bits: (high, low),
            }
        } else {
            // Whatever stands there: a sequential scan has all coefficients.
            Scan {
                parts,
                band: (0, 63),
                bits: (0, 0),
            }
        };
        let units: u32 = scan
            .parts
            .iter()
            .map(|part| {
                let (h, v) = frame.components[part.component].sampling;
                h * v
            })
            .sum();
        if scan.parts.is_empty() || (scan.parts.len() > 1 && units > 64) {
            return Err(wrong);
        }
        Ok(scan)
    }

    /// What was told before the first scan.
    pub fn header(&self) -> Result<Header, Error> {
        let frame = self.frame.clone();
        let frame = frame.ok_or(Error::damaged("there is no frame header", self.position))?;
        let ids: Vec<u8> = frame.components.iter().map(|one| one.id).collect();
        let colours = match (ids.len(), self.transform) {
            (1, _) => Colours::Grey,
            (3, Some(0)) => Colours::Rgb,
            (3, None) if !self.jfif && ids == *b"RGB" => Colours::Rgb,
            (3, _) => Colours::YCbCr,
            (_, Some(2)) => Colours::Ycck,
            _ => Colours::Cmyk,
        };
        let mut parts = self.profile.clone();
        parts.sort_by_key(|(number, _)| *number);
        let profile: Vec<u8> = parts.into_iter().flat_map(|(_, part)| part).collect();
        Ok(Header {
            frame,
            colours,
            adobe: self.transform.is_some(),
            jfif: self.jfif,
            icc: (!profile.is_empty()).then_some(profile),
        })
    }
}

/// The number of lines that a segment behind the first scan defines (DNL; T.81, B.2.5).
fn lines(data: &[u8], from: usize) -> Option<u32> {
    let rest = data.get(from..)?;
    let found = rest.windows(2).position(|pair| pair == [0xFF, 0xDC])?;
    match rest.get(found + 2..)? {
        [0, 4, high, low, ..] => Some(u16::from_be_bytes([*high, *low]).into()),
        _ => None,
    }
}
