//! Changes of files as unified diffs (POSIX `diff -u`), which `patch` and `git apply` take.

use std::ops::Range;

/// Lines around a change that are shown.
const CONTEXT: usize = 3;

/// A part of a file that differs.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Part {
    /// Bytes of the file before.
    pub before: Range<usize>,
    /// Bytes of the file afterwards.
    pub after: Range<usize>,
}

/// The change of a file, of which the bytes before and after are known to differ in these parts only. Empty
/// where nothing differs.
pub fn unified(name: &str, before: &[u8], after: &[u8], parts: &[Part]) -> Vec<u8> {
    let (old, new) = (Rows::of(before), Rows::of(after));
    let mut hunks: Vec<Part> = Vec::new();
    for part in parts {
        let rows = Part {
            before: old.touched(&part.before),
            after: new.touched(&part.after),
        };
        // What lies in the lines of the change before belongs to it.
        match hunks.last_mut() {
            Some(last)
                if rows.before.start < last.before.end || rows.after.start < last.after.end =>
            {
                last.before.end = last.before.end.max(rows.before.end);
                last.after.end = last.after.end.max(rows.after.end);
            }
            _ => hunks.push(rows),
        }
    }
    let mut written = Vec::new();
    let mut at = 0;
    while at < hunks.len() {
        // Changes whose surroundings meet are told together.
        let mut last = at;
        while last + 1 < hunks.len()
            && hunks[last + 1].before.start <= hunks[last].before.end + 2 * CONTEXT
        {
            last += 1;
        }
        hunk(&mut written, &old, &new, &hunks[at..=last]);
        at = last + 1;
    }
    if written.is_empty() {
        return written;
    }
    let mut head = Vec::new();
    for (mark, side) in [("---", "a/"), ("+++", "b/")] {
        head.extend(format!("{mark} {}\n", quoted(&format!("{side}{name}"))).bytes());
    }
    let both = [quoted(&format!("a/{name}")), quoted(&format!("b/{name}"))];
    let first = format!("diff --git {} {}\n", both[0], both[1]);
    [first.as_bytes(), &head, &written].concat()
}

fn hunk(out: &mut Vec<u8>, old: &Rows<'_>, new: &Rows<'_>, changes: &[Part]) {
    let (Some(first), Some(last)) = (changes.first(), changes.last()) else {
        return;
    };
    let lead = first.before.start.min(CONTEXT);
    let behind = (old.count() - last.before.end).min(CONTEXT);
    let from = first.before.start - lead..last.before.end + behind;
    let to = first.after.start - lead..last.after.end + behind;
    let span = |rows: &Range<usize>| {
        let begins = rows.start + usize::from(!rows.is_empty());
        format!("{begins},{}", rows.len())
    };
    out.extend(format!("@@ -{} +{} @@\n", span(&from), span(&to)).bytes());
    let mut at = from.start;
    for Part { before, after } in changes {
        (at..before.start).for_each(|row| line(out, b' ', old.row(row)));
        before.clone().for_each(|row| line(out, b'-', old.row(row)));
        after.clone().for_each(|row| line(out, b'+', new.row(row)));
        at = before.end;
    }
    (at..from.end).for_each(|row| line(out, b' ', old.row(row)));
}

fn line(out: &mut Vec<u8>, mark: u8, row: &[u8]) {
    out.push(mark);
    out.extend(row);
    if !row.ends_with(b"\n") {
        out.extend(b"\n\\ No newline at end of file\n");
    }
}

/// A name as it stands in a diff: with quotes and octal digits where it has letters that need them.
fn quoted(name: &str) -> String {
    let plain = |byte: u8| (b'!'..=b'~').contains(&byte) && byte != b'"' && byte != b'\\';
    if name.bytes().all(plain) {
        return name.to_owned();
    }
    let mut quoted = String::from("\"");
    for byte in name.bytes() {
        match byte {
            b'"' | b'\\' => quoted.extend(['\\', char::from(byte)]),
            b' ' => quoted.push(' '),
            byte if plain(byte) => quoted.push(char::from(byte)),
            byte => quoted.push_str(&format!("\\{byte:03o}")),
        }
    }
    quoted.push('"');
    quoted
}

/// The lines of a file, each with its end.
struct Rows<'a> {
    bytes: &'a [u8],
    /// Where each begins; the last is the end of the file.
    starts: Vec<usize>,
}

impl<'a> Rows<'a> {
    fn of(bytes: &'a [u8]) -> Rows<'a> {
        let mut starts = vec![0];
        starts.extend(memchr::memchr_iter(b'\n', bytes).map(|at| at + 1));
        if starts.last() != Some(&bytes.len()) {
            starts.push(bytes.len());
        }
        Rows { bytes, starts }
    }

    fn count(&self) -> usize {
        self.starts.len() - 1
    }

    fn row(&self, index: usize) -> &'a [u8] {
        &self.bytes[self.starts[index]..self.starts[index + 1]]
    }

    /// The lines that a part has to do with, down to the one that goes on behind it.
    fn touched(&self, part: &Range<usize>) -> Range<usize> {
        let line = |byte: usize| self.starts.partition_point(|start| *start <= byte) - 1;
        let is_ended = self.bytes.last().is_none_or(|byte| *byte == b'\n');
        let last = self.count().saturating_sub(usize::from(!is_ended));
        let first = line(part.start).min(last);
        first..(line(part.end) + 1).clamp(first, self.count())
    }
}

/// A diff that cannot be read, or does not fit: why.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Unfit(pub String);

/// The parts of a diff of several files: name of the file, and its hunks.
pub fn files(patch: &[u8]) -> Result<Vec<(String, Vec<Hunk>)>, Unfit> {
    let mut files: Vec<(String, Vec<Hunk>)> = Vec::new();
    let mut rows = patch.split_inclusive(|byte| *byte == b'\n').peekable();
    while let Some(row) = rows.next() {
        if let Some(name) = row.strip_prefix(b"+++ ") {
            let name =
                unquoted(name).ok_or_else(|| Unfit("a name in it cannot be read".to_owned()))?;
            files.push((name, Vec::new()));
        } else if row.starts_with(b"@@ ") {
            let hunk = Hunk::read(row, &mut rows)?;
            let file = files
                .last_mut()
                .ok_or_else(|| Unfit("it names no file".to_owned()))?;
            file.1.push(hunk);
        }
    }
    Ok(files)
}

fn unquoted(name: &[u8]) -> Option<String> {
    let name = name.trim_ascii_end();
    let name = match name {
        [b'"', inner @ .., b'"'] => {
            let mut bytes = Vec::new();
            let mut rest = inner.iter().copied();
            while let Some(byte) = rest.next() {
                if byte != b'\\' {
                    bytes.push(byte);
                    continue;
                }
                match rest.next()? {
                    digit @ b'0'..=b'3' => {
                        let (second, third) = (rest.next()?, rest.next()?);
                        let digits = [digit, second, third];
                        bytes.push(u8::from_str_radix(str::from_utf8(&digits).ok()?, 8).ok()?);
                    }
                    other => bytes.push(other),
                }
            }
            String::from_utf8(bytes).ok()?
        }
        plain => String::from_utf8(plain.to_vec()).ok()?,
    };
    name.strip_prefix("b/").map(str::to_owned)
}

/// A part of a diff.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Hunk {
    /// Where it stands in the file afterwards, counted from 0.
    at: usize,
    /// The lines before.
    old: Vec<Vec<u8>>,
    /// The lines afterwards.
    new: Vec<Vec<u8>>,
}

impl Hunk {
    fn read<'a>(
        head: &[u8],
        rows: &mut std::iter::Peekable<impl Iterator<Item = &'a [u8]>>,
    ) -> Result<Hunk, Unfit> {
        let broken = || Unfit("a part of it cannot be read".to_owned());
        let head = str::from_utf8(head).map_err(|_| broken())?;
        let mut sides = head.split(' ').skip(1).map(|side| {
            let (start, count) = side.get(1..)?.split_once(',')?;
            Some((start.parse::<usize>().ok()?, count.parse::<usize>().ok()?))
        });
        let (_, old_count) = sides.next().flatten().ok_or_else(broken)?;
        let (start, new_count) = sides.next().flatten().ok_or_else(broken)?;
        let mut hunk = Hunk {
            at: start.saturating_sub(usize::from(new_count > 0)),
            old: Vec::new(),
            new: Vec::new(),
        };
        while hunk.old.len() < old_count || hunk.new.len() < new_count {
            let row = rows.next().ok_or_else(broken)?;
            let (mark, text) = row.split_first().ok_or_else(broken)?;
            let mut text = text.to_vec();
            if rows.peek().is_some_and(|next| next.starts_with(b"\\ ")) {
                text.truncate(text.len().saturating_sub(1));
                rows.next();
            }
            match mark {
                b' ' => {
                    hunk.old.push(text.clone());
                    hunk.new.push(text);
                }
                b'-' => hunk.old.push(text),
                b'+' => hunk.new.push(text),
                _ => return Err(broken()),
            }
        }
        Ok(hunk)
    }
}

/// Whether a file is as it was before its hunks.
pub fn is_undone(bytes: &[u8], hunks: &[Hunk]) -> bool {
    let turned = |hunk: &Hunk| Hunk {
        at: hunk.at,
        old: hunk.new.clone(),
        new: hunk.old.clone(),
    };
    undone(bytes, &hunks.iter().map(turned).collect::<Vec<_>>()).is_ok()
}

/// A file as it was before its hunks. Lines elsewhere may have come and gone since; those of the hunks have
/// to be as they were left.
pub fn undone(bytes: &[u8], hunks: &[Hunk]) -> Result<Vec<u8>, Unfit> {
    let rows = Rows::of(bytes);
    let rows: Vec<&[u8]> = (0..rows.count()).map(|row| rows.row(row)).collect();
    let mut before = Vec::with_capacity(bytes.len());
    let (mut at, mut shift) = (0usize, 0isize);
    for hunk in hunks {
        let wanted = hunk.at.saturating_add_signed(shift);
        let fits = |place: &usize| {
            let there = rows.get(*place..place.saturating_add(hunk.new.len()));
            *place >= at
                && there.is_some_and(|there| {
                    there.iter().zip(&hunk.new).all(|(a, b)| *a == b.as_slice())
                })
        };
        let found = (0..=rows.len())
            .flat_map(|away| [wanted.checked_add(away), wanted.checked_sub(away)])
            .flatten()
            .find(fits);
        let Some(found) = found else {
            return Err(Unfit("it was changed since, in the same lines".to_owned()));
        };
        rows[at..found].iter().for_each(|row| before.extend(*row));
        hunk.old.iter().for_each(|row| before.extend(row));
        at = found + hunk.new.len();
        shift = found as isize - hunk.at as isize;
    }
    rows[at..].iter().for_each(|row| before.extend(*row));
    Ok(before)
}
