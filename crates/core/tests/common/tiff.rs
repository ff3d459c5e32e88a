//! TIFF files, written by hand: all that the format leaves open.

use super::{HEIGHT, WIDTH};

/// A TIFF to be written, uncompressed: all that the format leaves open.
#[derive(Clone)]
pub struct Tiff {
    pub big: bool,
    /// Photometric interpretation (tag 262).
    pub meaning: u16,
    pub bits: u8,
    /// Samples of a pixel.
    pub count: usize,
    /// Width and height of a strip or tile; strips are as wide as the picture.
    pub chunk: (u32, u32),
    pub planar: bool,
    /// What a sample beyond the colours is (tag 338).
    pub extra: Option<u16>,
    pub palette: Vec<u16>,
}

impl Default for Tiff {
    /// RGB in strips of ten rows.
    fn default() -> Self {
        Tiff {
            big: false,
            meaning: 2,
            bits: 8,
            count: 3,
            chunk: (WIDTH, 10),
            planar: false,
            extra: None,
            palette: Vec::new(),
        }
    }
}

impl Tiff {
    /// The file, of samples in rows, each from 0 to the greatest of its bits.
    pub fn file(&self, samples: &[u16]) -> Vec<u8> {
        let planes: Vec<Vec<usize>> = if self.planar {
            (0..self.count).map(|plane| vec![plane]).collect()
        } else {
            vec![(0..self.count).collect()]
        };
        let tiled = self.chunk.0 != WIDTH;
        let mut chunks = Vec::new();
        for plane in &planes {
            for top in (0..HEIGHT).step_by(self.chunk.1 as usize) {
                for left in (0..WIDTH).step_by(self.chunk.0 as usize) {
                    chunks.push(self.chunk(samples, plane, (left, top), tiled));
                }
            }
        }
        let mut entries = vec![
            (256, 4, vec![WIDTH]),
            (257, 4, vec![HEIGHT]),
            (258, 3, vec![self.bits.into(); self.count]),
            (259, 3, vec![1]),
            (262, 3, vec![self.meaning.into()]),
            (277, 3, vec![self.count as u32]),
            (284, 3, vec![if self.planar { 2 } else { 1 }]),
        ];
        let lengths: Vec<u32> = chunks.iter().map(|chunk| chunk.len() as u32).collect();
        let mut at = 8;
        let offsets = lengths.iter().map(|length| {
            at += length;
            at - length
        });
        let offsets: Vec<u32> = offsets.collect();
        match tiled {
            true => entries.extend([
                (322, 4, vec![self.chunk.0]),
                (323, 4, vec![self.chunk.1]),
                (324, 4, offsets),
                (325, 4, lengths),
            ]),
            false => entries.extend([
                (273, 4, offsets),
                (278, 4, vec![self.chunk.1]),
                (279, 4, lengths),
            ]),
        }
        if !self.palette.is_empty() {
            let palette = self.palette.iter().map(|&sample| sample.into());
            entries.push((320, 3, palette.collect()));
        }
        if self.meaning == 6 {
            entries.push((530, 3, vec![1, 1]));
        }
        entries.extend(self.extra.map(|extra| (338, 3, vec![extra.into()])));
        entries.sort_by_key(|(tag, ..)| *tag);
        let mut file = if self.big {
            b"MM".to_vec()
        } else {
            b"II".to_vec()
        };
        file.extend(self.number(42, 2));
        let directory = 8 + chunks.iter().map(Vec::len).sum::<usize>();
        file.extend(self.number(directory as u32, 4));
        file.extend(chunks.concat());
        file.extend(self.number(entries.len() as u32, 2));
        let mut beyond = Vec::new();
        let after = directory + 2 + entries.len() * 12 + 4;
        for (tag, kind, values) in entries {
            let width = if kind == 3 { 2 } else { 4 };
            let mut body: Vec<u8> = values.iter().flat_map(|&v| self.number(v, width)).collect();
            if body.len() > 4 {
                let at = self.number((after + beyond.len()) as u32, 4);
                beyond.extend(std::mem::replace(&mut body, at));
            }
            body.resize(4, 0);
            file.extend(self.number(tag, 2));
            file.extend(self.number(kind, 2));
            file.extend(self.number(values.len() as u32, 4));
            file.extend(body);
        }
        file.extend([0; 4]);
        file.extend(beyond);
        file
    }

    /// Some of the samples of one strip or tile; tiles are filled up beyond the border.
    fn chunk(
        &self,
        samples: &[u16],
        plane: &[usize],
        (left, top): (u32, u32),
        tiled: bool,
    ) -> Vec<u8> {
        let bottom = if tiled {
            top + self.chunk.1
        } else {
            (top + self.chunk.1).min(HEIGHT)
        };
        let row = |y: u32| {
            let pixels = (left..left + self.chunk.0).map(|x| (x.min(WIDTH - 1), y.min(HEIGHT - 1)));
            let found = pixels.flat_map(|(x, y)| {
                let pixel = (y * WIDTH + x) as usize * self.count;
                plane.iter().map(move |sample| samples[pixel + sample])
            });
            self.packed(&found.collect::<Vec<u16>>())
        };
        (top..bottom).flat_map(row).collect()
    }

    fn packed(&self, row: &[u16]) -> Vec<u8> {
        match self.bits {
            8 => row.iter().map(|&sample| sample as u8).collect(),
            16 => row
                .iter()
                .flat_map(|&sample| self.number(sample.into(), 2))
                .collect(),
            bits => {
                // The highest bit first, over the borders of bytes.
                let all = row
                    .iter()
                    .flat_map(|v| (0..bits).rev().map(move |bit| v >> bit & 1));
                let all: Vec<u16> = all.collect();
                let byte = |group: &[u16]| {
                    let shifted = group.iter().enumerate();
                    shifted.fold(0, |byte, (i, bit)| byte | (bit << (7 - i)) as u8)
                };
                all.chunks(8).map(byte).collect()
            }
        }
    }

    fn number(&self, value: u32, width: usize) -> Vec<u8> {
        if self.big {
            value.to_be_bytes()[4 - width..].to_vec()
        } else {
            value.to_le_bytes()[..width].to_vec()
        }
    }
}
