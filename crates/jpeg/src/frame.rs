//! Frames: what a picture is made of, and how its blocks lie.

/// A component: one of the planes of a picture.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Component {
    /// Its name in scans.
    pub id: u8,
    /// How often it is sampled across and down, against the others: 1 to 4.
    pub sampling: (u32, u32),
    /// The destination of its quantisation table.
    pub table: usize,
    /// Blocks across and down that show anything.
    pub blocks: (usize, usize),
    /// Blocks across and down with those that fill up the last minimum coded units.
    pub padded: (usize, usize),
}

/// A frame (ITU-T T.81, B.2.2).
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Frame {
    /// Pixels across.
    pub width: u32,
    /// Pixels down.
    pub height: u32,
    /// Whether it comes in passes.
    pub progressive: bool,
    /// Its components: 1, 3 or 4.
    pub components: Vec<Component>,
    /// The highest sampling factors.
    pub most: (u32, u32),
    /// Minimum coded units across and down, where all components are interleaved.
    pub units: (usize, usize),
}

impl Frame {
    /// A frame; `planes` are name, sampling factors and quantisation table of each component.
    pub fn new(
        (width, height): (u32, u32),
        progressive: bool,
        planes: &[(u8, (u32, u32), usize)],
    ) -> Frame {
        let most = planes.iter().fold((1, 1), |most, (_, sampling, _)| {
            (most.0.max(sampling.0), most.1.max(sampling.1))
        });
        let unit = |side: u32, most: u32| side.div_ceil(8 * most) as usize;
        let units = (unit(width, most.0), unit(height, most.1));
        let component = |&(id, sampling, table): &(u8, (u32, u32), usize)| {
            let blocks = |side: u32, own: u32, most: u32| {
                (u64::from(side) * u64::from(own)).div_ceil(8 * u64::from(most)) as usize
            };
            let (across, down) = (sampling.0 as usize, sampling.1 as usize);
            Component {
                id,
                sampling,
                table,
                blocks: (
                    blocks(width, sampling.0, most.0),
                    blocks(height, sampling.1, most.1),
                ),
                padded: (units.0 * across, units.1 * down),
            }
        };
        Frame {
            width,
            height,
            progressive,
            components: planes.iter().map(component).collect(),
            most,
            units,
        }
    }

    /// Width and height of a minimum coded unit, in pixels.
    pub fn unit(&self) -> (u32, u32) {
        (8 * self.most.0, 8 * self.most.1)
    }

    /// A frame of another size with the same components, whose sampling may be changed.
    pub(crate) fn like(
        &self,
        size: (u32, u32),
        sampling: impl Fn((u32, u32)) -> (u32, u32),
    ) -> Frame {
        let planes = self.components.iter();
        let planes = planes.map(|one| (one.id, sampling(one.sampling), one.table));
        Frame::new(size, self.progressive, &planes.collect::<Vec<_>>())
    }

    /// Whether all components can be interleaved in one scan (ITU-T T.81, B.2.3).
    pub fn interleaves(&self) -> bool {
        let components = self.components.iter();
        let blocks = components.map(|one| one.sampling.0 * one.sampling.1);
        self.components.len() == 1 || blocks.sum::<u32>() <= 10
    }

    /// Blocks of all components together.
    pub fn blocks(&self) -> u64 {
        let components = self.components.iter();
        components
            .map(|one| one.padded.0 as u64 * one.padded.1 as u64)
            .sum()
    }
}
