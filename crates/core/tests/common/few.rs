//! Files of formats whose writers are a few lines: BMP, ICO, PNM, QOI, and items of an AVIF file.

use super::{HEIGHT, WIDTH, each_pixel, rgb, rgba};

/// A bitmap's header of forty bytes, and what follows it.
fn bitmap(height: i32, bits: u16, compression: u32, table: &[u8], pixels: &[u8]) -> Vec<u8> {
    let colours = if bits <= 8 { table.len() as u32 / 4 } else { 0 };
    let head = [40, WIDTH, height as u32].map(u32::to_le_bytes).concat();
    let kind = [1u16.to_le_bytes(), bits.to_le_bytes()].concat();
    let rest = [compression, pixels.len() as u32, 2835, 2835, colours, 0];
    [
        &head,
        &kind,
        &rest.map(u32::to_le_bytes).concat(),
        table,
        pixels,
    ]
    .concat()
}

/// The same as a file.
fn file(body: Vec<u8>, table: usize) -> Vec<u8> {
    let at = (14 + u32::from_le_bytes([body[0], body[1], body[2], body[3]]) + table as u32)
        .to_le_bytes();
    let length = (body.len() as u32 + 14).to_le_bytes();
    [b"BM".as_slice(), &length, &[0; 4], &at, &body].concat()
}

/// Rows filled up to whole groups of four bytes, the last first.
fn rows(row: impl Fn(u32) -> Vec<u8>, from_top: bool) -> Vec<u8> {
    let mut order: Vec<u32> = (0..HEIGHT).collect();
    if !from_top {
        order.reverse();
    }
    let filled = order.into_iter().flat_map(|y| {
        let mut row = row(y);
        row.resize(row.len().next_multiple_of(4), 0);
        row
    });
    filled.collect()
}

/// The level of a pixel in a picture of so many colours.
pub fn level(x: u32, y: u32, colours: u32) -> u32 {
    (x / 5 + y / 3) % colours
}

/// Its colour.
pub fn entry(level: u32) -> [u8; 3] {
    [level * 9, 250 - level * 7, level * 5 + 20].map(|v| v as u8)
}

fn pixel(x: u32, y: u32) -> [u8; 3] {
    super::colour(x, y)
}

/// Bitmaps, each with its name and the samples that it shows.
pub fn bitmaps() -> Vec<(&'static str, Vec<u8>, Vec<u8>)> {
    let mut all = Vec::new();
    for (name, bits) in [("1 bit", 1), ("4 bits", 4), ("8 bits", 8)] {
        let colours = 1u32 << bits.min(4);
        let table: Vec<u8> = (0..colours)
            .flat_map(|i| {
                let [r, g, b] = entry(i);
                [b, g, r, 0]
            })
            .collect();
        let packed = |y: u32| {
            let levels: Vec<u32> = (0..WIDTH).map(|x| level(x, y, colours)).collect();
            let byte = |group: &[u32]| {
                let shifts = group.iter().enumerate();
                shifts.fold(0, |byte, (i, level)| {
                    byte | level << (8 - bits * (i as u32 + 1))
                }) as u8
            };
            levels
                .chunks(8 / bits as usize)
                .map(byte)
                .collect::<Vec<u8>>()
        };
        let shown = each_pixel(|x, y| entry(level(x, y, colours))).concat();
        let body = bitmap(HEIGHT as i32, bits as u16, 0, &table, &rows(packed, false));
        all.push((name, file(body, table.len()), shown.clone()));
        if bits == 8 {
            // Runs, an end after each row, and one of all.
            let runs = |y: u32| {
                let line: Vec<u8> = (0..WIDTH)
                    .flat_map(|x| [1, level(x, y, colours) as u8])
                    .collect();
                [line, vec![0, 0]].concat()
            };
            let runs = [(0..HEIGHT).rev().flat_map(runs).collect(), vec![0, 1]].concat();
            let body = bitmap(HEIGHT as i32, 8, 1, &table, &runs);
            all.push(("runs", file(body, table.len()), shown));
        }
    }
    let blue_first = |y: u32| {
        (0..WIDTH)
            .flat_map(|x| {
                let [r, g, b] = pixel(x, y);
                [b, g, r]
            })
            .collect::<Vec<u8>>()
    };
    for (name, from_top) in [("24 bits", false), ("from the top", true)] {
        let height = if from_top {
            -(HEIGHT as i32)
        } else {
            HEIGHT as i32
        };
        let body = bitmap(height, 24, 0, &[], &rows(blue_first, from_top));
        all.push((name, file(body, 0), rgb()));
    }
    let unused = |y: u32| {
        (0..WIDTH)
            .flat_map(|x| {
                let [r, g, b] = pixel(x, y);
                [b, g, r, 0]
            })
            .collect::<Vec<u8>>()
    };
    let body = bitmap(HEIGHT as i32, 32, 0, &[], &rows(unused, false));
    all.push(("32 bits", file(body, 0), rgb()));
    let five = |v: u8| u16::from(v) >> 3;
    let masks = [0xF800u32, 0x07E0, 0x001F].map(u32::to_le_bytes).concat();
    let fields = |y: u32| {
        let packed = |x: u32| {
            let [r, g, b] = pixel(x, y);
            five(r) << 11 | (u16::from(g) >> 2) << 5 | five(b)
        };
        (0..WIDTH)
            .flat_map(|x| packed(x).to_le_bytes())
            .collect::<Vec<u8>>()
    };
    let body = bitmap(HEIGHT as i32, 16, 3, &masks, &rows(fields, false));
    all.push(("16 bits", file(body, masks.len()), rgb()));
    all
}

/// An icon of two pictures, the larger one of 32 or 24 bits, or a PNG; what it shows as well.
pub fn icon(kind: &str) -> (Vec<u8>, Vec<u8>) {
    let clear = rgba();
    let at = |x: u32, y: u32| &clear[((y * WIDTH + x) * 4) as usize..][..4];
    let deep = |y: u32| {
        (0..WIDTH)
            .flat_map(|x| {
                let p = at(x, y);
                [p[2], p[1], p[0], p[3]]
            })
            .collect::<Vec<u8>>()
    };
    let plain = |y: u32| {
        (0..WIDTH)
            .flat_map(|x| {
                let p = at(x, y);
                [p[2], p[1], p[0]]
            })
            .collect::<Vec<u8>>()
    };
    let hidden = |x: u32, y: u32| (x + y).is_multiple_of(3);
    let mask = |y: u32| {
        let mut bits = vec![0u8; WIDTH.div_ceil(8) as usize];
        for x in (0..WIDTH).filter(|&x| hidden(x, y)) {
            bits[(x / 8) as usize] |= 128 >> (x % 8);
        }
        bits
    };
    let mask = rows(mask, false);
    let (larger, shown) = match kind {
        "PNG" => (super::png(), clear.clone()),
        "32 bits" => {
            let pixels = [rows(deep, false), mask].concat();
            (
                bitmap(HEIGHT as i32 * 2, 32, 0, &[], &pixels),
                clear.clone(),
            )
        }
        _ => {
            let pixels = [rows(plain, false), mask].concat();
            let shown = each_pixel(|x, y| {
                let p = at(x, y);
                [p[0], p[1], p[2], if hidden(x, y) { 0 } else { 255 }]
            });
            (
                bitmap(HEIGHT as i32 * 2, 24, 0, &[], &pixels),
                shown.concat(),
            )
        }
    };
    let small = bitmap(2, 32, 0, &[], &[0; 4]);
    let entry = |width: u32, height: u32, length: usize, at: usize| {
        [
            &[width as u8, height as u8, 0, 0, 1, 0, 32, 0][..],
            &(length as u32).to_le_bytes(),
            &(at as u32).to_le_bytes(),
        ]
        .concat()
    };
    let entries = [
        entry(1, 1, small.len(), 38),
        entry(WIDTH, HEIGHT, larger.len(), 38 + small.len()),
    ]
    .concat();
    (
        [&[0, 0, 1, 0, 2, 0][..], &entries, &small, &larger].concat(),
        shown,
    )
}

/// Any-maps, each with its name and the samples that it shows.
pub fn any_maps() -> Vec<(&'static str, Vec<u8>, Vec<u8>)> {
    let size = format!("{WIDTH} # wide\n{HEIGHT}\n");
    let text = |kind: &str, most: &str, samples: &[u8]| {
        let samples: Vec<String> = samples.iter().map(u8::to_string).collect();
        format!("{kind}\n{size}{most}{}", samples.join(" ")).into_bytes()
    };
    let raw = |head: String, samples: &[u8]| [head.into_bytes(), samples.to_vec()].concat();
    let greys = each_pixel(super::grey);
    let bits = each_pixel(|x, y| u8::from((x + y).is_multiple_of(3)));
    let of_bits: Vec<u8> = bits.iter().map(|bit| (1 - bit) * 255).collect();
    let packed = bits.chunks(WIDTH as usize).flat_map(|row| {
        let byte = |group: &[u8]| {
            group
                .iter()
                .enumerate()
                .fold(0, |byte, (i, bit)| byte | bit << (7 - i))
        };
        row.chunks(8).map(byte).collect::<Vec<u8>>()
    });
    let packed: Vec<u8> = packed.collect();
    let deep: Vec<u8> = rgb().iter().flat_map(|&v| [v, v]).collect();
    let few: Vec<u8> = greys.iter().map(|v| v / 16).collect();
    let of_few: Vec<u8> = few.iter().map(|v| v * 17).collect();
    let pam = format!(
        "P7\n# by hand\nWIDTH {WIDTH}\nHEIGHT {HEIGHT}\nDEPTH 4\nMAXVAL 255\nTUPLTYPE RGB_ALPHA\nENDHDR\n"
    );
    vec![
        ("plain bits", text("P1", "", &bits), of_bits.clone()),
        ("plain grey", text("P2", "255\n", &greys), greys.clone()),
        ("plain colours", text("P3", "255\n", &rgb()), rgb()),
        ("bits", raw(format!("P4\n{size}"), &packed), of_bits),
        ("few greys", raw(format!("P5\n{size}15\n"), &few), of_few),
        ("colours", raw(format!("P6\n{size}255\n"), &rgb()), rgb()),
        (
            "deep colours",
            raw(format!("P6\n{size}65535\n"), &deep),
            rgb(),
        ),
        ("with alpha", raw(pam, &rgba()), rgba()),
    ]
}

/// A QOI file of nothing but whole pixels.
pub fn quite_ok() -> Vec<u8> {
    let head = [
        b"qoif".as_slice(),
        &WIDTH.to_be_bytes(),
        &HEIGHT.to_be_bytes(),
        &[4, 0],
    ]
    .concat();
    let pixels = rgba()
        .chunks(4)
        .flat_map(|p| [0xFF, p[0], p[1], p[2], p[3]])
        .collect::<Vec<u8>>();
    [head, pixels, vec![0, 0, 0, 0, 0, 0, 0, 1]].concat()
}

/// An item of an AVIF file.
pub struct Item {
    pub kind: &'static [u8; 4],
    /// Whole property boxes.
    pub properties: Vec<Vec<u8>>,
    pub body: Vec<u8>,
}

pub fn boxed(name: &[u8; 4], body: &[&[u8]]) -> Vec<u8> {
    let body = body.concat();
    [&(body.len() as u32 + 8).to_be_bytes()[..], name, &body].concat()
}

pub fn extent(width: u32, height: u32) -> Vec<u8> {
    boxed(
        b"ispe",
        &[&[0; 4], &width.to_be_bytes(), &height.to_be_bytes()],
    )
}

/// The file of items, numbered from 1, the first of which is shown; references by kind, from and to.
pub fn avif(items: &[Item], references: &[(&[u8; 4], u16, &[u16])]) -> Vec<u8> {
    let kinds: Vec<u8> = (1u16..)
        .zip(items)
        .flat_map(|(id, item)| {
            boxed(
                b"infe",
                &[&[2, 0, 0, 0], &id.to_be_bytes(), &[0, 0], item.kind, &[0]],
            )
        })
        .collect();
    let mut properties = Vec::new();
    let mut belong = (items.len() as u32).to_be_bytes().to_vec();
    let mut count = 0u8;
    for (id, item) in (1u16..).zip(items) {
        belong.extend(id.to_be_bytes());
        belong.push(item.properties.len() as u8);
        for property in &item.properties {
            count += 1;
            belong.push(count);
            properties.extend_from_slice(property);
        }
    }
    let related: Vec<u8> = references
        .iter()
        .flat_map(|(kind, from, to)| {
            let to: Vec<u8> = to.iter().flat_map(|id| id.to_be_bytes()).collect();
            boxed(
                kind,
                &[
                    &from.to_be_bytes(),
                    &(to.len() as u16 / 2).to_be_bytes(),
                    &to,
                ],
            )
        })
        .collect();
    let meta = |from: usize| {
        let mut at = from;
        let mut places = [
            &[0u8, 0, 0, 0, 0x44, 0][..],
            &(items.len() as u16).to_be_bytes(),
        ]
        .concat();
        for (id, item) in (1u16..).zip(items) {
            places.extend([id.to_be_bytes(), [0, 0], [0, 1]].concat());
            places.extend(
                [
                    (at as u32).to_be_bytes(),
                    (item.body.len() as u32).to_be_bytes(),
                ]
                .concat(),
            );
            at += item.body.len();
        }
        boxed(
            b"meta",
            &[
                &[0; 4],
                &boxed(b"hdlr", &[&[0; 8], b"pict", &[0; 13]]),
                &boxed(b"pitm", &[&[0; 4], &[0, 1]]),
                &boxed(
                    b"iinf",
                    &[&[0; 4], &(items.len() as u16).to_be_bytes(), &kinds],
                ),
                &boxed(b"iref", &[&[0; 4], &related]),
                &boxed(
                    b"iprp",
                    &[
                        &boxed(b"ipco", &[&properties]),
                        &boxed(b"ipma", &[&[0; 4], &belong]),
                    ],
                ),
                &boxed(b"iloc", &[&places]),
            ],
        )
    };
    let head = boxed(b"ftyp", &[b"avif", &[0; 4], b"avifmif1miaf"]);
    let from = head.len() + meta(0).len() + 8;
    let bodies: Vec<u8> = items.iter().flat_map(|item| item.body.clone()).collect();
    [head, meta(from), boxed(b"mdat", &[&bodies])].concat()
}

/// Ten bits, chroma halved from left to right, the matrix of ITU-R BT.709, limited range: the picture of
/// these tests by a general-purpose encoder.
pub const TEN_BITS: &[u8] = include_bytes!("ten-bits.obu");
