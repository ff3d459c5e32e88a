//! Files from coefficients: segments, tables and scans.

use super::code::{Codes, Counting, Planes, Scan, Writing, codes};
use super::tables;
use crate::decode::Coefficients;
use crate::huffman::Table;

/// How a file is laid out.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Layout {
    /// In one scan, from the top down.
    Sequential,
    /// In passes: the whole picture at once, first coarse, then finer; by a script that usually serves
    /// well.
    Progressive,
    /// In passes, by the script that takes the fewest bytes of those that are tried.
    Searched,
    /// Searched, or sequential where that is smaller.
    Smallest,
}

/// What a file is written with.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Options<'a> {
    /// How it is laid out.
    pub layout: Layout,
    /// Units between restart markers; 0 for none.
    pub restart: u16,
    /// Whole segments that follow the beginning.
    pub segments: &'a [u8],
}

impl Coefficients {
    /// The file that holds these coefficients, with Huffman tables that fit them.
    pub fn write(&self, options: Options<'_>) -> Vec<u8> {
        let blocks = self.planes.iter().map(|plane| plane.blocks.as_slice());
        let planes = Planes::new(&self.frame, blocks.collect());
        let writer = Writer {
            coefficients: self,
            planes,
            slots: self.slots(),
            options,
        };
        match options.layout {
            Layout::Sequential => writer.sequential(),
            Layout::Progressive => writer.progressive(&writer.usual()),
            Layout::Searched => writer.progressive(&writer.searched()),
            Layout::Smallest => {
                let (one, two) = (writer.progressive(&writer.searched()), writer.sequential());
                if two.len() <= one.len() { two } else { one }
            }
        }
    }

    /// For each component the tables that it is coded by: the first for luma, the second for chroma.
    fn slots(&self) -> Vec<usize> {
        let components = 0..self.frame.components.len();
        // Of four inks the last, black, is like luma.
        components
            .map(|index| usize::from(index == 1 || index == 2))
            .collect()
    }
}

struct Writer<'a> {
    coefficients: &'a Coefficients,
    planes: Planes<'a>,
    slots: Vec<usize>,
    options: Options<'a>,
}

/// Bytes of a scan beside its data: its header, and the frame of its tables.
const SCAN_BYTES: u64 = 10;
const TABLE_BYTES: u64 = 21;

/// About so many blocks are enough to tell scripts apart.
const LOOKED_AT: usize = 4000;

impl Writer<'_> {
    /// What stands before the scans.
    fn beginning(&self, marker: u8) -> Vec<u8> {
        let mut out = vec![0xFF, 0xD8];
        out.extend_from_slice(self.options.segments);
        let frame = &self.coefficients.frame;
        let mut tables: Vec<&[u16; 64]> = Vec::new();
        let mut destinations = Vec::new();
        for plane in &self.coefficients.planes {
            let known = tables.iter().position(|table| **table == plane.table);
            destinations.push(known.unwrap_or_else(|| {
                tables.push(&plane.table);
                tables.len() - 1
            }));
        }
        let mut extended = false;
        let mut body = Vec::new();
        for (destination, table) in tables.iter().enumerate() {
            let wide = table.iter().any(|&step| step > 255);
            extended |= wide;
            body.push(u8::from(wide) << 4 | destination as u8);
            for &step in *table {
                let [high, low] = step.to_be_bytes();
                let bytes = [high, low];
                body.extend_from_slice(&bytes[usize::from(!wide)..]);
            }
        }
        segment(&mut out, 0xDB, &body);
        let mut body = vec![8];
        body.extend((frame.height as u16).to_be_bytes());
        body.extend((frame.width as u16).to_be_bytes());
        body.push(frame.components.len() as u8);
        for (component, destination) in frame.components.iter().zip(destinations) {
            let sampling = (component.sampling.0 << 4 | component.sampling.1) as u8;
            body.extend([component.id, sampling, destination as u8]);
        }
        let marker = if marker == 0xC0 && extended {
            0xC1
        } else {
            marker
        };
        segment(&mut out, marker, &body);
        if self.options.restart > 0 {
            segment(&mut out, 0xDD, &self.options.restart.to_be_bytes());
        }
        out
    }

    fn all(&self) -> Vec<usize> {
        (0..self.coefficients.frame.components.len()).collect()
    }

    fn sequential(&self) -> Vec<u8> {
        let mut out = self.beginning(0xC0);
        let scans: Vec<Scan> = self.together((0, 63)).collect();
        let slots = self.slots.iter().max().map_or(0, |slot| slot + 1);
        let restart = self.options.restart.into();
        let mut counting = Counting::new(slots * 2);
        for scan in &scans {
            self.planes
                .sequential(scan, &self.slots, slots, restart, &mut counting);
        }
        let best: Vec<Table> = counting.tables.iter().map(tables::best).collect();
        let mut body = Vec::new();
        for (index, table) in best.iter().enumerate() {
            let (class, destination) = (index / slots, index % slots);
            define(&mut body, (class << 4 | destination) as u8, table);
        }
        segment(&mut out, 0xC4, &body);
        let destinations = |component: usize| {
            let slot = self.slots[component] as u8;
            slot << 4 | slot
        };
        let codes: Vec<Codes> = best.iter().map(codes).collect();
        for scan in &scans {
            self.scan_header(&mut out, scan, destinations);
            let mut writing = Writing::new(codes.clone(), out);
            self.planes
                .sequential(scan, &self.slots, slots, restart, &mut writing);
            out = writing.finish();
        }
        end(out)
    }

    fn progressive(&self, script: &[Scan]) -> Vec<u8> {
        let mut out = self.beginning(0xC2);
        let restart = self.options.restart.into();
        for scan in script {
            let counting = self.counted(scan, 1);
            let best: Vec<Table> = counting.tables.iter().map(tables::best).collect();
            let is_dc = scan.band.0 == 0;
            if !best.is_empty() {
                let mut body = Vec::new();
                for (index, table) in best.iter().enumerate() {
                    let about = if is_dc { index } else { 0x10 };
                    define(&mut body, about as u8, table);
                }
                segment(&mut out, 0xC4, &body);
            }
            self.scan_header(&mut out, scan, |component| {
                if is_dc {
                    (self.slots[component] << 4) as u8
                } else {
                    0
                }
            });
            let all: Vec<Codes> = best.iter().map(codes).collect();
            let mut writing = Writing::new(all, out);
            self.planes
                .progressive(scan, &self.slots, restart, &mut writing);
            out = writing.finish();
        }
        end(out)
    }

    /// A scan of a progressive file, counted, by every so manieth row of blocks.
    fn counted(&self, scan: &Scan, every: usize) -> Counting {
        let tables = match (scan.band.0, scan.bits.0) {
            (0, 0) => {
                let slots = scan
                    .components
                    .iter()
                    .map(|&component| self.slots[component]);
                slots.max().map_or(0, |slot| slot + 1)
            }
            // These are bits alone.
            (0, _) => 0,
            _ => 1,
        };
        let mut counting = Counting::new(tables);
        let restart = self.options.restart.into();
        self.planes
            .some(scan, &self.slots, (restart, every), &mut counting);
        counting
    }

    /// About how many bits a scan takes with all that goes with it.
    fn cost(&self, scan: &Scan) -> u64 {
        let blocks = self.coefficients.frame.components[scan.components[0]].blocks;
        let every = (blocks.0 * blocks.1).div_ceil(LOOKED_AT).min(blocks.1);
        let counting = self.counted(scan, every);
        let part = every as u64;
        let tables = counting.tables.iter().map(|counts| {
            let lengths = tables::lengths(counts);
            let pairs = counts.iter().zip(lengths);
            let bits: u64 = pairs.map(|(&n, l)| u64::from(n) * u64::from(l)).sum();
            let symbols = counts.iter().filter(|&&count| count > 0).count() as u64;
            bits * part + (TABLE_BYTES + symbols) * 8
        });
        tables.sum::<u64>() + counting.plain * part + SCAN_BYTES * 8
    }

    fn scan_header(&self, out: &mut Vec<u8>, scan: &Scan, tables: impl Fn(usize) -> u8) {
        let mut body = vec![scan.components.len() as u8];
        for &component in &scan.components {
            let id = self.coefficients.frame.components[component].id;
            body.extend([id, tables(component)]);
        }
        let (first, last) = scan.band;
        body.extend([
            first as u8,
            last as u8,
            (scan.bits.0 << 4 | scan.bits.1) as u8,
        ]);
        segment(out, 0xDA, &body);
    }

    /// The scans of a band of all components: one, or where their blocks are too many for that, one
    /// each.
    fn together(&self, band: (usize, usize)) -> impl Iterator<Item = Scan> {
        let groups = if self.coefficients.frame.interleaves() {
            vec![self.all()]
        } else {
            self.all().into_iter().map(|one| vec![one]).collect()
        };
        groups.into_iter().map(move |components| Scan {
            components,
            band,
            bits: (0, 0),
        })
    }

    fn ac(component: usize, band: (usize, usize), bits: (u32, u32)) -> Scan {
        Scan {
            components: vec![component],
            band,
            bits,
        }
    }

    /// The passes over the AC coefficients of a component: its bands without their lowest bits, then
    /// those.
    fn passes(component: usize, split: Option<usize>, low: u32) -> Vec<Scan> {
        let bands = match split {
            Some(split) => vec![(1, split), (split + 1, 63)],
            None => vec![(1, 63)],
        };
        let mut scans: Vec<Scan> = bands
            .into_iter()
            .map(|band| Writer::ac(component, band, (0, low)))
            .collect();
        for bit in (0..low).rev() {
            scans.push(Writer::ac(component, (1, 63), (bit + 1, bit)));
        }
        scans
    }

    /// In the order in which a picture comes out best: coarse passes of all components first.
    fn ordered(&self, mut passes: Vec<Vec<Scan>>) -> Vec<Scan> {
        let mut script: Vec<Scan> = self.together((0, 0)).collect();
        for step in 0.. {
            let mut any = false;
            for scans in &mut passes {
                if let Some(scan) = scans.get(step) {
                    script.push(scan.clone());
                    any = true;
                }
            }
            if !any {
                break;
            }
        }
        script
    }

    /// A script that usually serves well.
    fn usual(&self) -> Vec<Scan> {
        let passes = self.all().into_iter().map(|component| {
            let luma = self.slots[component] == 0;
            Writer::passes(component, luma.then_some(5), u32::from(luma))
        });
        self.ordered(passes.collect())
    }

    /// For each component the passes that take the fewest bits of those that are tried.
    fn searched(&self) -> Vec<Scan> {
        let passes = self.all().into_iter().map(|component| {
            let mut best: Option<(u64, Vec<Scan>)> = None;
            let mut refinements = 0;
            for low in 0..=2 {
                if let Some(bit) = u32::checked_sub(low, 1) {
                    refinements += self.cost(&Writer::ac(component, (1, 63), (low, bit)));
                }
                for split in [None, Some(2), Some(5), Some(9), Some(14)] {
                    let scans = Writer::passes(component, split, low);
                    let first = if split.is_some() { 2 } else { 1 };
                    let cost: u64 = scans[..first].iter().map(|scan| self.cost(scan)).sum();
                    let cost = cost + refinements;
                    if best.as_ref().is_none_or(|(known, _)| cost < *known) {
                        best = Some((cost, scans));
                    }
                }
            }
            best.map_or(Vec::new(), |(_, scans)| scans)
        });
        self.ordered(passes.collect())
    }
}

/// A table within a segment of such.
fn define(body: &mut Vec<u8>, about: u8, table: &Table) {
    body.push(about);
    body.extend(table.counts);
    body.extend_from_slice(&table.symbols);
}

/// A segment; its body is never too long.
fn segment(out: &mut Vec<u8>, marker: u8, body: &[u8]) {
    out.extend([0xFF, marker]);
    out.extend((body.len() as u16 + 2).to_be_bytes());
    out.extend_from_slice(body);
}

fn end(mut out: Vec<u8>) -> Vec<u8> {
    out.extend([0xFF, 0xD9]);
    out
}
