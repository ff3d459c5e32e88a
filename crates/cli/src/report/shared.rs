//! Totals that pictures share, as they are told.

use kiln_core::plan::Choice;

use crate::wording;

/// What became of a total that pictures share in one choice of formats.
#[derive(Debug, PartialEq)]
pub struct TotalReport {
    /// The page; `None` for the whole firing.
    pub page: Option<String>,
    /// The formats that the pieces may have.
    pub choice: Choice,
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
        // Bytes grow a little slower than pixels; and somewhat less shall fit for sure.
        let width = (self.max_total as f64 / self.weight as f64 * 0.95).powf(1.0 / 1.7);
        let narrower = ((1.0 - width) * 20.0).ceil() * 5.0;
        let (why, advice) = if interrupted {
            (
                "as the run was interrupted before it was shared",
                "run it again".to_owned(),
            )
        } else {
            (
                "though all are as light as they may be",
                format!(
                    "make all of them {narrower:.0}% narrower, allow {}, or lower the least-look",
                    wording::weight(self.weight)
                ),
            )
        };
        let what = format!(
            "over its total: {} of {} is {} above {}, {why}; the heaviest are {}; {advice}",
            wording::weight(self.weight),
            self.choice,
            wording::weight(excess),
            wording::weight(self.max_total),
            heaviest.join(", "),
        );
        Some((self.label(), what))
    }
}

#[cfg(test)]
mod tests {
    use kiln_core::encode::Format;

    use super::*;

    fn total(weight: u64, page: Option<&str>) -> TotalReport {
        let heaviest = [
            ("fog.jpg", 900_000),
            ("a\u{1b}.jpg", 80_000),
            ("c.jpg", 9),
            ("d.jpg", 8),
        ];
        TotalReport {
            page: page.map(str::to_owned),
            choice: Format::Jpeg.into(),
            max_total: 900_000,
            weight,
            pictures: 4,
            worst: Some(("fog.jpg".to_owned(), 50.4)),
            heaviest: heaviest
                .map(|(name, weight)| (name.to_owned(), weight))
                .to_vec(),
        }
    }

    #[test]
    fn a_total_that_is_exceeded_is_told_with_what_weighs_most_and_what_to_do() {
        let told = |total: TotalReport, interrupted| {
            let problem = total.problem(interrupted);
            problem.map_or("kept".to_owned(), |(whose, what)| {
                format!("{whose}: {what}")
            })
        };
        let all = [
            told(total(980_017, Some("home")), false),
            told(total(980_017, None), true),
            told(total(900_001, None), false),
            told(total(900_000, None), false),
        ];
        insta::assert_snapshot!(all.join("\n").replace('\u{1b}', "ESC"), @r"
        page home: over its total: 980 KB of JPEG is 80.0 KB above 900 KB, though all are as light as they may be; the heaviest are fog.jpg 900 KB, aESC.jpg 80.0 KB, c.jpg 9 B; make all of them 10% narrower, allow 980 KB, or lower the least-look
        all together: over its total: 980 KB of JPEG is 80.0 KB above 900 KB, as the run was interrupted before it was shared; the heaviest are fog.jpg 900 KB, aESC.jpg 80.0 KB, c.jpg 9 B; run it again
        all together: over its total: 900 KB of JPEG is 1 B above 900 KB, though all are as light as they may be; the heaviest are fog.jpg 900 KB, aESC.jpg 80.0 KB, c.jpg 9 B; make all of them 5% narrower, allow 900 KB, or lower the least-look
        kept
        ");
    }
}
