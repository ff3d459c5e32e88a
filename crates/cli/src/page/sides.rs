//! Two pages side by side: before and after, picture by picture.

use std::collections::BTreeMap;
use std::io::{self, Write};

use anstyle::Style;

use super::Told;
use super::names::last_part;
use super::sums::{self, Sum};
use super::visit::Picture;
use crate::grid::{self, FAINT, GOOD, STRONG, WASTE};
use crate::wording;

/// A picture of both pages, or of one.
struct Pair<'a> {
    before: Option<&'a Picture>,
    after: Option<&'a Picture>,
}

pub(super) fn write(
    out: &mut dyn Write,
    told: &Told<'_>,
    columns: Option<usize>,
) -> io::Result<()> {
    let [before, after] = &told.visit.pages[..] else {
        return Ok(());
    };
    writeln!(
        out,
        "before {STRONG}{}{STRONG:#}\nafter  {STRONG}{}{STRONG:#}\n",
        wording::safe(&before.start.given),
        wording::safe(&after.start.given)
    )?;
    let mut rows = vec![row_of(
        ["picture", "before", "after", "change", "shown as"],
        FAINT,
    )];
    for pair in pairs(told) {
        rows.push(row(&pair));
    }
    let (from, to) = (sums::heaviest(&told.sums[0]), sums::heaviest(&told.sums[1]));
    rows.push(change(
        "pictures in all".to_owned(),
        Some(from),
        Some(to),
        String::new(),
    ));
    writeln!(out, "{}\n", grid::set(rows, columns, &[1, 2, 3]))?;
    loads(out, told, columns)
}

/// Pictures that stand for each other: those of one name without width and extension; of several, in
/// the order met.
fn pairs<'a>(told: &Told<'a>) -> Vec<Pair<'a>> {
    let mut by_name: BTreeMap<String, (Vec<&Picture>, Vec<&Picture>)> = BTreeMap::new();
    let visit = told.visit;
    for picture in visit
        .pictures
        .iter()
        .filter(|p| p.got.is_ok() && p.is_loaded())
    {
        let of = |page: usize| picture.uses.iter().any(|(used, _)| *used == page);
        let (before, after) = by_name.entry(stem(picture)).or_default();
        if of(0) {
            before.push(picture);
        }
        if of(1) {
            after.push(picture);
        }
    }
    let mut pairs = Vec::new();
    for (before, after) in by_name.into_values() {
        for index in 0..before.len().max(after.len()) {
            pairs.push(Pair {
                before: before.get(index).copied(),
                after: after.get(index).copied(),
            });
        }
    }
    let weight = |picture: Option<&Picture>| picture.and_then(Picture::weight).unwrap_or(0);
    pairs.sort_by_key(|pair| std::cmp::Reverse(weight(pair.before).max(weight(pair.after))));
    pairs
}

/// The name of a picture without its extension and what tells its size: `fog-800` and `fog@2x` are
/// `fog`.
fn stem(picture: &Picture) -> String {
    let name = last_part(&picture.address).to_lowercase();
    let stem = name
        .rsplit_once('.')
        .map_or(name.as_str(), |(stem, _)| stem);
    let bare = stem.split('@').next().unwrap_or(stem);
    let without = bare.trim_end_matches(|c: char| c.is_ascii_digit() || c == 'x' || c == 'w');
    match without.strip_suffix(['-', '_']) {
        Some(short) if !short.is_empty() => short.to_owned(),
        _ => bare.to_owned(),
    }
}

fn row_of(texts: [&str; 5], style: Style) -> Vec<(String, Style)> {
    texts.map(|text| (text.to_owned(), style)).to_vec()
}

fn row(pair: &Pair<'_>) -> Vec<(String, Style)> {
    let weight = |picture: Option<&Picture>| picture.and_then(Picture::weight);
    let kind = |picture: Option<&Picture>| {
        let record = picture.and_then(|picture| picture.record.as_ref());
        let headers = record.and_then(|record| record.headers.as_ref());
        headers.map(|headers| match headers.own_size() {
            Some(size) => format!("{} {size}", headers.kind),
            None => headers.kind.to_string(),
        })
    };
    let kinds = match (kind(pair.before), kind(pair.after)) {
        (Some(before), Some(after)) if before != after => format!("{before} → {after}"),
        (before, after) => after.or(before).unwrap_or_default(),
    };
    let name = pair
        .after
        .or(pair.before)
        .map_or("", |picture| &picture.called);
    change(
        name.to_owned(),
        weight(pair.before),
        weight(pair.after),
        kinds,
    )
}

fn change(
    name: String,
    before: Option<u64>,
    after: Option<u64>,
    kinds: String,
) -> Vec<(String, Style)> {
    let told = |bytes: Option<u64>| bytes.map_or("–".to_owned(), wording::weight);
    let (text, style) = match (before, after) {
        (Some(before), Some(after)) => {
            let style = if after <= before { GOOD } else { WASTE };
            (wording::change(before, after), style)
        }
        (None, Some(_)) => ("new".to_owned(), WASTE),
        (Some(_), None) => ("gone".to_owned(), GOOD),
        (None, None) => (String::new(), FAINT),
    };
    vec![
        (name, STRONG),
        (told(before), Style::new()),
        (told(after), Style::new()),
        (text, style),
        (kinds, FAINT),
    ]
}

fn loads(out: &mut dyn Write, told: &Told<'_>, columns: Option<usize>) -> io::Result<()> {
    let head = ["screen", "requests", "slow phone", "fast phone", "cable"];
    let mut rows = vec![row_of(head, FAINT)];
    for (before, after) in told.sums[0].iter().zip(&told.sums[1]) {
        let time = |link: usize| {
            let seconds = |sum: &Sum| wording::time(sum.loads[link].with_pictures);
            format!("{} → {}", seconds(before), seconds(after))
        };
        rows.push(vec![
            (before.screen.clone(), STRONG),
            (
                format!("{} → {}", before.requests, after.requests),
                Style::new(),
            ),
            (time(0), Style::new()),
            (time(1), Style::new()),
            (time(2), Style::new()),
        ]);
    }
    writeln!(out, "{}", grid::set(rows, columns, &[1, 2, 3, 4]))
}
