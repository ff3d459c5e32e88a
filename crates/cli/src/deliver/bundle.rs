//! ZIP files to be handed on: the pieces, their texts, a page that shows them, and their digests. The same pieces
//! give the same bytes.

use std::collections::HashSet;
use std::ffi::OsString;
use std::fs::{self, File};
use std::io::{self, BufWriter, Seek, Write};
use std::path::{Path, PathBuf};
use std::sync::atomic::AtomicU64;

use kiln_core::label::Label;
use kiln_core::plan;
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, DateTime, ZipWriter};

use super::goods::{Good, Goods};
use super::report::{Outcome, Report};
use crate::carry::{Body, PART};
use crate::failure::Failure;
use crate::find;
use crate::interrupt;
use crate::ledger::{Delivered, Ledger};
use crate::markup;
use crate::report::{Channels, Sending};
use crate::settings::DeliverSettings;
use crate::sheet::Sheet;
use crate::stock::{Held, Stock};
use crate::write;

/// The texts of the pieces, in the form of a label sheet.
const LABELS: &str = "labels.csv";

/// The page that shows every picture with its markup.
const PAGE: &str = "pictures.html";

/// The digests of the pieces (XXH3, 128 bits), a line each: digest, two spaces, name.
const DIGESTS: &str = "digests.txt";

/// What a ZIP file has beside the bytes of a file and twice its name: two headers (4.3.7 and 4.3.12 of its
/// APPNOTE).
const HEADERS: u64 = 30 + 46;

/// The end of a ZIP file (4.3.16).
const END: u64 = 22;

/// From so many bytes on, or so many files, the longer forms are used (4.3.9.2).
const LONG: u64 = u32::MAX as u64;

/// What the longer forms add for a file, and at the end.
const LONGER: u64 = 20 + 28 + 76;

/// A file of a bundle.
enum Entry<'a> {
    /// One made here.
    Text(&'static str, Vec<u8>),
    /// A piece.
    Piece(&'a Good),
}

impl Entry<'_> {
    fn name(&self) -> &str {
        match self {
            Entry::Text(name, _) => name,
            Entry::Piece(good) => &good.name,
        }
    }

    /// Its bytes, at most.
    fn weight(&self) -> u64 {
        match self {
            Entry::Text(_, bytes) => bytes.len() as u64,
            Entry::Piece(good) => good.weight,
        }
    }

    /// Its line among the digests.
    fn line(&self) -> String {
        match self {
            Entry::Text(..) => String::new(),
            Entry::Piece(good) => format!("{}  {}\n", good.digest, good.name),
        }
    }
}

/// One ZIP file.
struct Bundle<'a> {
    path: PathBuf,
    entries: Vec<Entry<'a>>,
}

impl<'a> Bundle<'a> {
    fn pieces(&self) -> impl Iterator<Item = &'a Good> {
        self.entries.iter().filter_map(|entry| match entry {
            Entry::Piece(good) => Some(*good),
            Entry::Text(..) => None,
        })
    }
}

/// Makes them.
pub fn make(
    path: &Path,
    most: Option<u64>,
    goods: Goods,
    stock: &Stock,
    settings: &DeliverSettings,
    ledger: &mut Ledger,
    channels: &Channels,
) -> Result<Report, Failure> {
    let folder = path
        .parent()
        .filter(|folder| !folder.as_os_str().is_empty());
    let folder = folder.unwrap_or(Path::new("."));
    let target = find::real(path).to_string_lossy().into_owned();
    let mut report = Report::to(&target);
    report.refuse(goods.refused);
    let page = markup::page_of(&goods.held, &stock.out, &settings.sources);
    let texts = [
        Entry::Text(LABELS, labels(&goods.held, &goods.all)?),
        Entry::Text(PAGE, page.into_bytes()),
    ];
    let entries = texts.into_iter().chain(goods.all.iter().map(Entry::Piece));
    let (bundles, too_heavy) = packed(path, most, entries);
    let says = "is heavier than a bundle may be; raise --split, or deliver it otherwise";
    let names = too_heavy
        .iter()
        .map(|entry| (entry.name().to_owned(), says.to_owned()));
    report.refuse(names.collect());
    let record = ledger.delivered(&target);
    for bundle in &bundles {
        let name = name_of(&bundle.path);
        let named = settings.replace.iter().any(|glob| glob.matches(&name));
        if !named && !is_ours(&bundle.path, record.get(&name))? {
            let says = "is there already, and no delivery made it; name another, or say --replace with its name";
            return Err(Failure::Refused {
                path: bundle.path.clone(),
                says: says.to_owned(),
            });
        }
    }
    if settings.dry_run {
        let planned = bundles.iter().flat_map(Bundle::pieces);
        planned.for_each(|good| report.add(good, Outcome::Planned));
        return Ok(report);
    }
    fs::create_dir_all(folder).map_err(Failure::unwritable(folder))?;
    let meter = AtomicU64::new(0);
    let pieces = bundles.iter().flat_map(Bundle::pieces);
    let weight = pieces.map(|good| good.weight).sum();
    let sending = Sending::start(weight, &meter, channels, settings.quiet);
    for bundle in &bundles {
        let name = name_of(&bundle.path);
        let Some(file) = bundle.write(folder, most, &meter, &sending)? else {
            report.interrupted = true;
            break;
        };
        ledger.arrived(&target, &name, file);
        bundle
            .pieces()
            .for_each(|good| report.add(good, Outcome::Sent));
        report.bundles.push(bundle.path.clone());
    }
    sending.end();
    let made: HashSet<String> = bundles.iter().map(|bundle| name_of(&bundle.path)).collect();
    for name in record.keys().filter(|name| !made.contains(*name)) {
        let stale = folder.join(name);
        if !stale.is_file() {
            ledger.withdrawn(&target, name);
        } else if settings.prune && is_ours(&stale, record.get(name))? {
            fs::remove_file(&stale).map_err(Failure::unwritable(&stale))?;
            ledger.withdrawn(&target, name);
            report.remove(name);
        } else {
            report.old.push(name.clone());
        }
    }
    ledger
        .settle()
        .map_err(Failure::unwritable(ledger.path()))?;
    Ok(report)
}

/// Whether a bundle may be replaced: none stands there, or one that a delivery made.
fn is_ours(path: &Path, earlier: Option<&Delivered>) -> Result<bool, Failure> {
    match File::open(path) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(true),
        Err(error) => Err(Failure::unwritable(path)(error)),
        Ok(file) => {
            let Some(earlier) = earlier else {
                return Ok(false);
            };
            let digest = plan::digest_of(file).map_err(Failure::unreadable(path))?;
            Ok(digest == earlier.digest)
        }
    }
}

/// What goes into which: in the order of the entries, as much as fits. What fits nowhere is given back.
fn packed<'a>(
    path: &Path,
    most: Option<u64>,
    entries: impl Iterator<Item = Entry<'a>>,
) -> (Vec<Bundle<'a>>, Vec<Entry<'a>>) {
    let room = most.unwrap_or(u64::MAX);
    let headers = if room < LONG {
        HEADERS
    } else {
        HEADERS + LONGER
    };
    let cost = |name: &str, weight: u64| weight + 2 * name.len() as u64 + headers;
    let empty = END + cost(DIGESTS, 0);
    let (mut parts, mut taken) = (vec![Vec::new()], empty);
    let mut too_heavy = Vec::new();
    for entry in entries {
        let share = cost(entry.name(), entry.weight()) + entry.line().len() as u64;
        if empty + share > room {
            too_heavy.push(entry);
            continue;
        }
        if taken + share > room {
            parts.push(Vec::new());
            taken = empty;
        }
        taken += share;
        if let Some(part) = parts.last_mut() {
            part.push(entry);
        }
    }
    let several = parts.len() > 1;
    let numbered = |number: usize| {
        let stem = path.file_stem().unwrap_or_default().to_string_lossy();
        path.with_file_name(format!("{stem}-{}.zip", number + 1))
    };
    let bundle = |(number, entries): (usize, Vec<Entry<'a>>)| Bundle {
        path: if several {
            numbered(number)
        } else {
            path.to_owned()
        },
        entries,
    };
    (
        parts.into_iter().enumerate().map(bundle).collect(),
        too_heavy,
    )
}

impl Bundle<'_> {
    /// Writes it, whole or not at all; nothing where somebody wanted it to end.
    fn write(
        &self,
        folder: &Path,
        most: Option<u64>,
        meter: &AtomicU64,
        sending: &Sending<'_>,
    ) -> Result<Option<Delivered>, Failure> {
        let unwritable = |error| Failure::unwritable(&self.path)(error);
        let mut name = OsString::from(PART);
        name.push(self.path.file_name().unwrap_or_default());
        let part = write::begun_as(&folder.join(name)).map_err(unwritable)?;
        let mut zip = ZipWriter::new(BufWriter::with_capacity(1 << 20, part.as_file()));
        let digests: String = self.entries.iter().map(Entry::line).collect();
        let digests = Entry::Text(DIGESTS, digests.into_bytes());
        for entry in [&digests].into_iter().chain(&self.entries) {
            let method = match entry {
                Entry::Text(..) => CompressionMethod::Deflated,
                Entry::Piece(_) => CompressionMethod::Stored,
            };
            zip.start_file(entry.name(), options(method, entry.weight()))
                .map_err(unzipped(&self.path))?;
            match entry {
                Entry::Text(_, bytes) => zip.write_all(bytes).map_err(unwritable)?,
                Entry::Piece(_) if interrupt::came() => return Ok(None),
                Entry::Piece(good) => {
                    let body = Body::of(&good.path, good.weight, meter);
                    let mut body = body.map_err(|fault| Failure::Refused {
                        path: good.path.clone(),
                        says: fault.says,
                    })?;
                    io::copy(&mut body, &mut zip).map_err(unwritable)?;
                    body.went();
                    sending.tick();
                }
            }
        }
        let mut inner = zip.finish().map_err(unzipped(&self.path))?;
        inner.flush().map_err(unwritable)?;
        drop(inner);
        let weight = part.as_file().metadata().map_err(unwritable)?.len();
        if most.is_some_and(|most| weight > most) {
            return Err(Failure::Refused {
                path: self.path.clone(),
                says: format!("would weigh {weight} bytes; raise --split"),
            });
        }
        let mut file = part.as_file();
        file.sync_all().map_err(unwritable)?;
        file.rewind().map_err(unwritable)?;
        let digest = plan::digest_of(file).map_err(unwritable)?;
        part.persist(&self.path)
            .map_err(|error| unwritable(error.error))?;
        Ok(Some(Delivered::of(digest, weight)))
    }
}

/// Nothing of a file depends on when or by whom it is packed.
fn options(method: CompressionMethod, weight: u64) -> SimpleFileOptions {
    SimpleFileOptions::default()
        .compression_method(method)
        .last_modified_time(DateTime::default())
        .unix_permissions(0o644)
        .large_file(weight >= LONG)
}

fn unzipped(path: &Path) -> impl FnOnce(zip::result::ZipError) -> Failure {
    let path = path.to_owned();
    move |error| match error {
        zip::result::ZipError::Io(error) => Failure::unwritable(&path)(error),
        error => Failure::Refused {
            path,
            says: format!("cannot be packed ({error})"),
        },
    }
}

/// The label sheet of the pieces: a row for each, with the texts of its original.
fn labels(held: &[Held], goods: &[Good]) -> Result<Vec<u8>, Failure> {
    let mut sheet = Sheet::read(Path::new(LABELS), b"")?;
    let labels = super::goods::labels(held);
    for good in goods {
        if let Some(label) = labels.get(good.name.as_str()).copied() {
            sheet.enter(Label {
                file: good.name.clone(),
                ..label.clone()
            })?;
        }
    }
    Ok(sheet.bytes())
}

fn name_of(path: &Path) -> String {
    path.file_name()
        .unwrap_or_default()
        .to_string_lossy()
        .into_owned()
}
