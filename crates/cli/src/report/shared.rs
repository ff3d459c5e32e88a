//! Totals that pictures share, as they are told.

use kiln_core::encode::Format;

use crate::wording;

/// What became of a total that pictures share in one format.
#[derive(Debug, PartialEq)]
pub struct TotalReport {
    /// The page; `None` for the whole firing.
    pub page: Option<String>,
    /// The format.
    pub format: Format,
    /// The most that they may weigh together.
    pub max_total: u64,
    /// What they weigh.
    pub weight: u64,
    /// How many pictures share it.
    pub pictures: usize,
    /// The largest piece that looks worst, and its score.
    pub worst: Option<(String, f32)>,
    /// The heaviest piece of each picture, the heaviest first.
    pub heaviest: Vec<(String, u64)>,
}

impl TotalReport {
    /// Whose it is.
    pub fn label(&self) -> String {
        match &self.page {
            Some(page) => format!("page {page}"),
            None => "all together".to_owned(),
        }
    }

    /// By how much it is exceeded, by what, and what to do.
    pub(super) fn problem(&self, interrupted: bool) -> Option<(String, String)> {
        let excess = self
            .weight
            .checked_sub(self.max_total)
            .filter(|&excess| excess > 0)?;
        let heaviest = self.heaviest.iter().take(3);
        let heaviest = heaviest.map(|(name, bytes)| format!("{name} {}", wording::weight(*bytes)));
        let heaviest: Vec<String> = heaviest.collect();
        let (why, advice) = match interrupted {
            true => (
                "as the run was interrupted before it was shared",
                "run it again",
            ),
            false => (
                "though all are as light as they may be",
                "make them narrower, allow more, or lower the least-look",
            ),
        };
        let what = format!(
            "over its total: {} of {} is {} above {}, {why}; the heaviest are {}; {advice}",
            wording::weight(self.weight),
            self.format,
            wording::weight(excess),
            wording::weight(self.max_total),
            heaviest.join(", "),
        );
        Some((self.label(), what))
    }
}
