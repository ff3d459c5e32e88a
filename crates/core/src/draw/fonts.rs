//! The fonts that letters in drawings are drawn in.

use std::collections::BTreeSet;
use std::sync::{Arc, Mutex, OnceLock, PoisonError};

use resvg::usvg::fontdb::{Database, ID};
use resvg::usvg::{FontFamily, FontResolver};
use roxmltree::Document;

use super::{Remark, is_shape};

static LOAD: OnceLock<fn() -> Database> = OnceLock::new();
static LOADED: OnceLock<Arc<Database>> = OnceLock::new();

/// Says where fonts come from. They are loaded once, when the first drawing with letters is read; what is
/// said later than that, or again, counts for nothing. Where nothing was said there are no fonts.
pub fn fonts_from(load: fn() -> Database) {
    // Said twice, it was the same.
    let _ = LOAD.set(load);
}

/// The fonts for one drawing.
pub(super) struct Fonts {
    /// None where it has no letters.
    database: Option<Arc<Database>>,
}

impl Fonts {
    pub(super) fn for_letters(document: &Document<'_>) -> Fonts {
        let has_letters = document
            .descendants()
            .any(|node| is_shape(&node) && node.tag_name().name() == "text");
        let load = || Arc::new(LOAD.get().map_or_else(Database::new, |load| load()));
        Fonts {
            database: has_letters.then(|| LOADED.get_or_init(load).clone()),
        }
    }

    pub(super) fn database(&self) -> Arc<Database> {
        self.database.clone().unwrap_or_default()
    }

    /// Whether there are letters, and no font at all.
    pub(super) fn are_wanting(&self) -> bool {
        self.database.as_ref().is_some_and(|fonts| fonts.is_empty())
    }

    /// Finds fonts by name, and tells which are missing. A family of a kind, such as `sans-serif`, is what
    /// the machine has for it.
    pub(super) fn resolver(&self, missing: Arc<Mutex<BTreeSet<Remark>>>) -> FontResolver<'static> {
        let select = FontResolver::default_font_selector();
        FontResolver {
            select_font: Box::new(move |font, fonts| {
                let found = select(font, fonts).or_else(|| any(fonts));
                let named = font.families().iter().find_map(|family| match family {
                    FontFamily::Named(name) => Some(name.as_str()),
                    _ => None,
                });
                let name = |id| Some(fonts.face(id)?.families.first()?.0.clone());
                let drawn = found.and_then(name);
                if let Some(asked) = named.filter(|asked| !is_there(fonts, found, asked)) {
                    let asked = asked.to_owned();
                    let mut missing = missing.lock().unwrap_or_else(PoisonError::into_inner);
                    missing.insert(Remark::Letters { asked, drawn });
                }
                found
            }),
            select_fallback: FontResolver::default_fallback_selector(),
        }
    }
}

/// Whether the font that was found is one of the name.
fn is_there(fonts: &Database, found: Option<ID>, asked: &str) -> bool {
    let face = found.and_then(|id| fonts.face(id));
    face.is_some_and(|face| {
        face.families
            .iter()
            .any(|(name, _)| name.eq_ignore_ascii_case(asked))
    })
}

/// The first of all fonts by name, whatever order they were found in.
fn any(fonts: &Database) -> Option<ID> {
    let upright = fonts
        .faces()
        .filter(|face| face.style == Default::default());
    let first = upright.min_by(|a, b| a.post_script_name.cmp(&b.post_script_name));
    first.map(|face| face.id)
}
