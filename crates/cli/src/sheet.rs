//! The label sheet as a file: CSV in whatever way a spreadsheet has saved it.
//!
//! What a person wrote is never changed: new rows are put behind the text that is there, in its
//! own dialect.

use std::collections::HashMap;
use std::fs;
use std::io;
use std::ops::Range;
use std::path::{Path, PathBuf};

use encoding_rs::{Encoding, UTF_8, WINDOWS_1252};
use kiln_core::credits::{Credits, Field};
use kiln_core::label::Label;
use kiln_core::plan::plain_name;

use crate::failure::Failure;
use crate::write;

/// The columns of a new sheet; the last tells whether a picture only adorns.
const COLUMNS: [&str; 9] = [
    "file",
    "title",
    "alternative text",
    "caption",
    "keywords",
    "creator",
    "credit",
    "licence",
    DECORATIVE,
];

const FILE: &str = "file";
const DECORATIVE: &str = "decorative";

/// What begins a text file so that spreadsheets take it for UTF-8.
const MARK: &str = "\u{FEFF}";

/// A line with which some spreadsheets say what stands between cells.
const SEPARATOR: &str = "sep=";

/// A label sheet.
#[derive(Debug)]
pub struct Sheet {
    path: PathBuf,
    /// All of its text, without a byte order mark.
    text: String,
    marked: bool,
    dialect: Dialect,
    headings: Vec<String>,
    /// Its rows, in order.
    pub labels: Vec<Label>,
    /// What is wrong with its form: a file and a sentence.
    pub odd: Vec<(String, String)>,
}

/// A row as it stands in the text.
struct Row {
    span: Range<usize>,
    cells: Vec<String>,
}

#[derive(Clone, Copy, Debug)]
struct Dialect {
    between: u8,
    carriage_returns: bool,
}

impl Sheet {
    /// The sheet at a path; one with headings only where there is none, or nothing in it.
    pub fn open(path: &Path) -> Result<Sheet, Failure> {
        let bytes = match fs::read(path) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => Vec::new(),
            read => read.map_err(|error| unfit(path, format!("cannot be read ({error})")))?,
        };
        Sheet::read(path, &bytes)
    }

    /// The sheet that bytes are.
    pub fn read(path: &Path, bytes: &[u8]) -> Result<Sheet, Failure> {
        let sheet = |text, marked| Sheet {
            path: path.to_owned(),
            dialect: Dialect::of(text),
            text: text.to_owned(),
            marked,
            headings: Vec::new(),
            labels: Vec::new(),
            odd: Vec::new(),
        };
        let (encoding, marked) = match Encoding::for_bom(bytes) {
            Some((encoding, _)) => (encoding, true),
            None if str::from_utf8(bytes).is_ok() => (UTF_8, false),
            // Old spreadsheets save like this, without a word.
            None => (WINDOWS_1252, false),
        };
        let (text, _, _) = encoding.decode(bytes);
        if text.trim().is_empty() {
            let mut fresh = sheet("", true);
            // RFC 4180.
            fresh.dialect.carriage_returns = true;
            fresh.headings = COLUMNS.map(str::to_owned).to_vec();
            fresh.text = fresh.line(&COLUMNS)?;
            return Ok(fresh);
        }
        // Another encoding could not hold every name; with the mark, UTF-8 is understood.
        let mut sheet = sheet(&text, marked || encoding != UTF_8);
        sheet.read_rows()?;
        Ok(sheet)
    }

    /// All of its text.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// What it says of each original, by [`plain_name`].
    pub fn by_name(&self) -> HashMap<String, &Label> {
        let mut labels = HashMap::new();
        for label in &self.labels {
            // Of two rows the first holds; the second is told as odd.
            labels.entry(plain_name(&label.file)).or_insert(label);
        }
        labels
    }

    /// Puts a row for a new original behind the others, with what it says of itself.
    pub fn add(&mut self, file: &str, said: &Credits) -> Result<(), Failure> {
        self.enter(Label {
            file: file.to_owned(),
            credits: said.clone(),
            decorative: false,
        })
    }

    /// Puts a row behind the others.
    pub fn enter(&mut self, label: Label) -> Result<(), Failure> {
        let cell = |heading: &String| match heading.as_str() {
            FILE => label.file.as_str(),
            DECORATIVE if label.decorative => "yes",
            DECORATIVE => "no",
            other => {
                let mut fields = Field::ALL.into_iter();
                let field = fields.find(|field| column(*field) == other);
                field
                    .and_then(|field| label.credits.get(field))
                    .unwrap_or_default()
            }
        };
        let line = self.line(&self.headings.iter().map(cell).collect::<Vec<_>>())?;
        if !self.text.is_empty() && !self.text.ends_with('\n') {
            self.text.push('\n');
        }
        self.text.push_str(&line);
        self.labels.push(label);
        Ok(())
    }

    /// Puts texts into the empty cells of a row, or into a new one; whether anything was put in. What
    /// stands in the row is written again as it was read.
    pub fn fill(&mut self, file: &str, said: &Credits) -> Result<bool, Failure> {
        let wanted = plain_name(file);
        let Some(Row { span, mut cells }) = self.row(&wanted)? else {
            self.add(file, said)?;
            return Ok(true);
        };
        let mut filled = false;
        for (index, heading) in self.headings.iter().enumerate() {
            let field = Field::ALL
                .into_iter()
                .find(|field| column(*field) == *heading);
            let Some(text) = field.and_then(|field| said.get(field)) else {
                continue;
            };
            if cells.len() <= index {
                cells.resize(index + 1, String::new());
            }
            if cells[index].trim().is_empty() {
                (cells[index], filled) = (text.to_owned(), true);
            }
        }
        if filled {
            let cells: Vec<&str> = cells.iter().map(String::as_str).collect();
            let line = self.line(&cells)?;
            // The last row of a file may lack its end.
            let written = self.text.get(span.clone()).unwrap_or_default();
            let line = if written.ends_with('\n') {
                line.as_str()
            } else {
                line.trim_end()
            };
            self.text.replace_range(span, line);
        }
        Ok(filled)
    }

    /// The row of a file: its bytes in the text, and its cells.
    fn row(&self, wanted: &str) -> Result<Option<Row>, Failure> {
        let body = self.body();
        let offset = self.text.len() - body.len();
        let mut reader = self.reader(body);
        let column = self.headings.iter().position(|heading| heading == FILE);
        let mut record = csv::StringRecord::new();
        loop {
            let start = reader.position().byte() as usize;
            let read = reader.read_record(&mut record);
            if !read.map_err(|error| self.trouble(format!("is no sound CSV ({error})")))? {
                return Ok(None);
            }
            let end = reader.position().byte() as usize;
            let name = column
                .and_then(|column| record.get(column))
                .unwrap_or_default();
            if plain_name(&as_named(name)) == wanted {
                // Line ends of blank lines before it are not its own.
                let blank = body[start..end].len()
                    - body[start..end].trim_start_matches(['\r', '\n']).len();
                let cells = record.iter().map(str::to_owned).collect();
                return Ok(Some(Row {
                    span: offset + start + blank..offset + end,
                    cells,
                }));
            }
        }
    }

    /// Its text without a line that says what stands between cells.
    fn body(&self) -> &str {
        if self.text.starts_with(SEPARATOR) {
            self.text.split_once('\n').map_or("", |(_, body)| body)
        } else {
            &self.text
        }
    }

    fn reader<'a>(&self, body: &'a str) -> csv::Reader<&'a [u8]> {
        csv::ReaderBuilder::new()
            .delimiter(self.dialect.between)
            .has_headers(false)
            .flexible(true)
            .from_reader(body.as_bytes())
    }

    /// As a file.
    pub fn bytes(&self) -> Vec<u8> {
        let mark = if self.marked { MARK } else { "" };
        [mark, &self.text].concat().into_bytes()
    }

    /// Saves it, whole or not at all.
    pub fn save(&self) -> Result<(), Failure> {
        write::whole(&self.path, &self.bytes()).map_err(Failure::unwritable(&self.path))
    }

    fn read_rows(&mut self) -> Result<(), Failure> {
        let mut reader = self.reader(self.body());
        let mut records = Vec::new();
        for record in reader.records() {
            let record =
                record.map_err(|error| self.trouble(format!("is no sound CSV ({error})")))?;
            records.push(record);
        }
        let mut records = records.into_iter();
        let headings = records.next().unwrap_or_default();
        self.headings = headings.iter().map(heading).collect();
        if !self.headings.iter().any(|heading| heading == FILE) {
            return Err(self.trouble(format!(
                "has no column {FILE:?} in its first line; its columns are {}",
                COLUMNS.join(", ")
            )));
        }
        let mut seen = HashMap::new();
        for record in records {
            let cell = |name: &str| {
                let column = self.headings.iter().position(|heading| heading == name)?;
                Some(record.get(column)?.trim()).filter(|cell| !cell.is_empty())
            };
            let Some(file) = cell(FILE) else {
                continue;
            };
            let file = as_named(file);
            if seen.insert(plain_name(&file), ()).is_some() {
                let says = "has two rows; the first one holds".to_owned();
                self.odd.push((file, says));
                continue;
            }
            if record.len() > self.headings.len() {
                let says = "has more cells than the first line; put quotes around its texts";
                self.odd.push((file.clone(), says.to_owned()));
            }
            let decorative = match cell(DECORATIVE).map(str::to_lowercase).as_deref() {
                None | Some("no" | "nein" | "non" | "false" | "0") => false,
                Some("yes" | "ja" | "oui" | "true" | "1" | "x") => true,
                Some(other) => {
                    let says = format!("decorative is {other:?}; write yes or no");
                    self.odd.push((file.clone(), says));
                    false
                }
            };
            let mut credits = Credits::default();
            for field in Field::ALL {
                if let Some(text) = cell(&column(field)) {
                    credits.set(field, text);
                }
            }
            self.labels.push(Label {
                file,
                credits,
                decorative,
            });
        }
        Ok(())
    }

    fn line(&self, cells: &[&str]) -> Result<String, Failure> {
        let terminator = if self.dialect.carriage_returns {
            csv::Terminator::CRLF
        } else {
            csv::Terminator::Any(b'\n')
        };
        let mut writer = csv::WriterBuilder::new()
            .delimiter(self.dialect.between)
            .terminator(terminator)
            .from_writer(Vec::new());
        let line = writer
            .write_record(cells)
            .map_err(|error| error.to_string());
        let line = line.and_then(|()| writer.into_inner().map_err(|error| error.to_string()));
        let line = line.map_err(|error| self.trouble(error))?;
        Ok(String::from_utf8_lossy(&line).into_owned())
    }

    fn trouble(&self, what: String) -> Failure {
        unfit(&self.path, what)
    }
}

fn unfit(path: &Path, what: String) -> Failure {
    Failure::Sheet {
        path: path.to_owned(),
        what,
    }
}

/// The path of an original, as a sheet may name it.
fn as_named(file: &str) -> String {
    file.trim()
        .replace('\\', "/")
        .trim_start_matches("./")
        .to_owned()
}

/// The heading of a field.
fn column(field: Field) -> String {
    field.name().replace('-', " ")
}

/// A heading as this program writes it.
fn heading(text: &str) -> String {
    text.trim().to_lowercase().replace(['-', '_'], " ")
}

impl Dialect {
    /// The dialect of a text, told by its first lines.
    fn of(text: &str) -> Dialect {
        let first = text.lines().next().unwrap_or_default();
        let count = |between: &u8| first.bytes().filter(|byte| byte == between).count();
        let said = first
            .strip_prefix(SEPARATOR)
            .and_then(|sep| sep.bytes().next());
        // Of equal counts the last wins: the comma.
        let counted = [b'\t', b';', b','].into_iter().max_by_key(count);
        Dialect {
            between: said.or(counted).unwrap_or(b','),
            carriage_returns: text.contains("\r\n"),
        }
    }
}
