//! Score against weight, in characters.

use kiln_core::plan::LOOKS;

use super::Subject;
use crate::wording;

/// Rows of the plot, and the fewest and the most columns.
const HEIGHT: usize = 12;
const COLUMNS: (usize, usize) = (24, 64);

/// What stands before each row: the names of looks.
const MARGIN: usize = 12;

/// A plot of all versions, a letter for each format: weights by their logarithms to the right, scores
/// upwards, the looks as lines, the budget as a column.
pub fn plot(subject: &Subject, terminal: Option<usize>) -> Vec<String> {
    let made = subject.proof.formats.iter().flat_map(|proven| {
        let versions = proven.versions.iter();
        versions.map(|one| {
            (
                proven.format,
                one.version.attempt.weight,
                one.version.attempt.score,
            )
        })
    });
    let made: Vec<_> = made.filter(|(_, weight, _)| *weight > 0).collect();
    if made.len() < 2 {
        return Vec::new();
    }
    let width = terminal.unwrap_or(80).saturating_sub(MARGIN + 1);
    let width = width.clamp(COLUMNS.0, COLUMNS.1);
    let logs = || made.iter().map(|(_, weight, _)| (*weight as f64).ln());
    let budget = subject.max_weight.map(|most| (most.max(1) as f64).ln());
    let (left, right) = (
        logs().fold(f64::MAX, f64::min),
        logs().fold(f64::MIN, f64::max),
    );
    let least = made
        .iter()
        .map(|(.., score)| *score)
        .fold(85.0, f32::min)
        .max(30.0);
    let place = |log: f64| {
        let part = (log - left) / (right - left).max(1e-9);
        (part * (width - 1) as f64).round() as usize
    };
    let row_of = |score: f32| {
        let part = (100.0 - score.clamp(least, 100.0)) / (100.0 - least).max(1e-3);
        (part * (HEIGHT - 1) as f32).round() as usize
    };
    let mut grid = vec![vec![' '; width]; HEIGHT];
    let mut names = vec![String::new(); HEIGHT];
    for (name, look) in LOOKS.iter().filter(|(_, look)| *look >= least) {
        let row = row_of(*look);
        names[row] = format!("{name} {look}");
        grid[row].fill('·');
    }
    if let Some(budget) = budget.filter(|budget| (left..=right).contains(budget)) {
        for row in &mut grid {
            row[place(budget)] = '┊';
        }
    }
    for (format, weight, score) in &made {
        let letter = format.to_string().chars().next().unwrap_or('x');
        grid[row_of(*score)][place((*weight as f64).ln())] = letter;
    }
    let mut lines: Vec<String> = grid
        .into_iter()
        .zip(names)
        .map(|(row, name)| {
            let row: String = row.into_iter().collect();
            format!("{name:>MARGIN$} {row}").trim_end().to_owned()
        })
        .collect();
    let weight = |log: f64| wording::weight(log.exp().round() as u64);
    let (light, heavy) = (weight(left), weight(right));
    let gap = width.saturating_sub(light.len() + heavy.len());
    lines.push(format!("{:>MARGIN$} {light}{}{heavy}", "", " ".repeat(gap)));
    lines
}
