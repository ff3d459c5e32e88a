//! Which places a folder of originals seems to need, from names, sizes and a look.

use std::collections::BTreeMap;

use super::Motif;
use crate::pixels::Size;
use crate::plan::slug;

/// An original, as far as it is known.
#[derive(Clone, Debug, PartialEq)]
pub struct Seen {
    /// Its path below the originals, with `/` between the parts.
    pub name: String,
    /// Width and height, upright.
    pub size: Size,
    /// What it shows, where it could be looked at.
    pub motif: Option<Motif>,
    /// Whether any pixel is transparent.
    pub clear: bool,
}

/// What a place is for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Role {
    /// Behind a whole page or a part of it.
    Background,
    /// Within the text of a page.
    Article,
    /// One of several beside each other.
    Card,
    /// A person.
    Portrait,
    /// A logo in a header or a footer.
    Mark,
}

/// A place that is proposed.
#[derive(Clone, Debug, PartialEq)]
pub struct Proposal {
    /// Its name.
    pub name: String,
    /// The originals that it shows, as patterns.
    pub of: Vec<String>,
    /// What it is for.
    pub role: Role,
    /// How that was told.
    pub because: String,
    /// The width as displayed, in CSS pixels.
    pub width: u32,
    /// The most that a piece may weigh, in bytes.
    pub max_weight: u64,
    /// How many originals it shows.
    pub pictures: usize,
    /// The width of the largest piece, in pixels: dense screens want twice the width.
    pub widest: u32,
    /// How many originals are narrower than that.
    pub small: usize,
}

/// Words in the name of a folder or a file that tell a role, the most telling role first.
const WORDS: [(Role, &[&str]); 5] = [
    (
        Role::Mark,
        &[
            "logo", "logos", "mark", "marks", "icon", "icons", "badge", "badges", "brand",
            "sponsors", "partners", "signet",
        ],
    ),
    (
        Role::Portrait,
        &[
            "people",
            "person",
            "crew",
            "team",
            "staff",
            "portrait",
            "portraits",
            "author",
            "authors",
            "members",
            "faces",
        ],
    ),
    (
        Role::Background,
        &[
            "banner",
            "banners",
            "hero",
            "heroes",
            "header",
            "headers",
            "background",
            "backgrounds",
            "cover",
            "covers",
            "stage",
        ],
    ),
    (
        Role::Card,
        &[
            "card",
            "cards",
            "thumb",
            "thumbs",
            "thumbnails",
            "teaser",
            "teasers",
            "tile",
            "tiles",
            "previews",
            "products",
        ],
    ),
    (
        Role::Article,
        &[
            "article", "articles", "blog", "news", "posts", "gallery", "rooms", "stories",
        ],
    ),
];

/// Pictures whose longer side is below this are no article's.
const SMALL_SIDE: u32 = 900;

/// Of a mixed folder, at most so many files are named one by one.
const NAMED: usize = 12;

impl Role {
    /// As people say it.
    pub fn name(self) -> &'static str {
        match self {
            Role::Background => "full-width background",
            Role::Article => "article picture",
            Role::Card => "card",
            Role::Portrait => "portrait",
            Role::Mark => "mark",
        }
    }

    /// A usual width as displayed, in CSS pixels.
    fn width(self) -> u32 {
        match self {
            Role::Background => 1920,
            Role::Article => 800,
            Role::Card => 400,
            Role::Portrait => 300,
            Role::Mark => 160,
        }
    }

    /// A budget for one piece: together they keep a page below one megabyte.
    fn max_weight(self) -> u64 {
        match self {
            Role::Background => 250_000,
            Role::Article => 150_000,
            Role::Card => 60_000,
            Role::Portrait => 65_000,
            Role::Mark => 20_000,
        }
    }

    /// The densities that it is made for: a background is wide enough as it is.
    pub fn densities(self) -> &'static [u32] {
        match self {
            Role::Background => &[1],
            _ => &[1, 2],
        }
    }

    /// A name for a place of this role that stands in no folder of its own.
    fn place(self) -> &'static str {
        match self {
            Role::Background => "background",
            Role::Article => "article",
            Role::Card => "card",
            Role::Portrait => "portrait",
            Role::Mark => "mark",
        }
    }
}

/// The places that originals seem to need: one for each folder at the top and each role in it.
pub fn propose(seen: &[Seen]) -> Vec<Proposal> {
    let mut folders: BTreeMap<&str, Vec<&Seen>> = BTreeMap::new();
    for picture in seen {
        let folder = picture.name.split_once('/');
        let folder = folder.map_or("", |(folder, _)| folder);
        folders.entry(folder).or_default().push(picture);
    }
    let mut proposals: Vec<Proposal> = Vec::new();
    for (folder, pictures) in folders {
        let roles = roles(folder, pictures);
        let alone = roles.len() == 1;
        for (role, (because, pictures)) in roles {
            let mut proposal = proposal(folder, role, because, &pictures, alone);
            proposal.name = free_name(proposal.name, &proposals);
            proposals.push(proposal);
        }
    }
    proposals
}

/// Why a role was told, and the pictures that have it.
type Players<'a> = (&'static str, Vec<&'a Seen>);

/// The pictures of a folder by their roles.
fn roles<'a>(folder: &str, pictures: Vec<&'a Seen>) -> BTreeMap<Role, Players<'a>> {
    let mut roles: BTreeMap<Role, Players<'a>> = BTreeMap::new();
    for picture in &pictures {
        let (role, because) = role(folder, picture);
        let players = roles.entry(role).or_insert((because, Vec::new()));
        players.1.push(picture);
    }
    let main = roles.iter().max_by_key(|(_, (_, pictures))| pictures.len());
    let main = main.map(|(role, (because, players))| (*role, *because, players.len()));
    match main {
        // A few exceptions in a large folder are not worth a list of all the others.
        Some((role, because, count)) if count > NAMED && pictures.len() - count < count / 4 => {
            BTreeMap::from([(role, (because, pictures))])
        }
        _ => roles,
    }
}

/// A name that no earlier proposal has.
fn free_name(name: String, taken: &[Proposal]) -> String {
    let is_free = |name: &String| taken.iter().all(|other| other.name != *name);
    let numbered = (2..=taken.len() + 1).map(|number| format!("{name}-{number}"));
    let mut names = std::iter::once(name.clone()).chain(numbered);
    names.find(is_free).unwrap_or(name)
}

/// What a picture is for, and how that is told.
fn role(folder: &str, picture: &Seen) -> (Role, &'static str) {
    let file = picture.name.rsplit('/').next().unwrap_or(&picture.name);
    let told = |text: &str, roles: &[Role]| {
        let slug = slug(text);
        let words: Vec<&str> = slug.split('-').collect();
        let known = WORDS.iter().filter(|(role, _)| roles.contains(role));
        let mut found = known.filter(|(_, known)| words.iter().any(|word| known.contains(word)));
        found.next().map(|(role, _)| *role)
    };
    let all = WORDS.map(|(role, _)| role);
    // A logo is a logo in whatever folder; other words in file names tell what is to be seen.
    if let Some(role) = told(file, &[Role::Mark]) {
        return (role, "by their names");
    }
    if let Some(role) = told(folder, &all) {
        return (role, "by the folder's name");
    }
    let flat = matches!(picture.motif, Some(Motif::Flat));
    match picture.size.long_side() {
        _ if flat && picture.clear => (Role::Mark, "flat and transparent"),
        side if side < SMALL_SIDE => (Role::Card, "small"),
        _ => (Role::Article, "by their size"),
    }
}

fn proposal(folder: &str, role: Role, because: &str, pictures: &[&Seen], alone: bool) -> Proposal {
    let mut widths: Vec<u32> = pictures
        .iter()
        .map(|picture| picture.size.width())
        .collect();
    widths.sort_unstable();
    // A width that half of them can fill.
    let width = role.width().min(widths[widths.len() / 2]);
    let widest = width * role.densities().iter().max().copied().unwrap_or(1);
    let mut of: Vec<String> = match (alone, folder) {
        (true, "") => vec!["*".to_owned()],
        (true, folder) => vec![format!("{}/**", escaped(folder))],
        (false, _) => pictures
            .iter()
            .map(|picture| escaped(&picture.name))
            .collect(),
    };
    of.sort();
    Proposal {
        name: match (alone, folder) {
            (true, folder) if !folder.is_empty() => slug(folder),
            (false, folder) if !folder.is_empty() && role == Role::Article => slug(folder),
            _ => role.place().to_owned(),
        },
        of,
        role,
        because: because.to_owned(),
        width,
        max_weight: role.max_weight(),
        pictures: pictures.len(),
        small: widths.iter().filter(|own| **own < widest).count(),
        widest,
    }
}

/// A path as a pattern that matches it alone.
fn escaped(path: &str) -> String {
    let special = |c: char| matches!(c, '*' | '?' | '[' | ']' | '{' | '}' | '\\');
    path.chars()
        .flat_map(|c| {
            if special(c) {
                vec!['[', c, ']']
            } else {
                vec![c]
            }
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::plan::Glob;

    fn seen(name: &str, width: u32, height: u32, motif: Motif, clear: bool) -> Seen {
        let size = Size::new(width, height).expect("a size");
        Seen {
            name: name.to_owned(),
            size,
            motif: Some(motif),
            clear,
        }
    }

    #[test]
    fn folders_and_looks_become_places_that_show_every_picture() {
        let originals = [
            seen("banners/IMG_2041.JPG", 6000, 4000, Motif::Photo, false),
            seen("people/a.jpg", 3000, 2000, Motif::Photo, false),
            seen("graphics/chart.png", 2400, 1600, Motif::Flat, false),
            seen("graphics/logo-white.png", 1200, 400, Motif::Flat, true),
            seen("graphics/hours [new].png", 1600, 2000, Motif::Text, false),
            seen("rooms/lamp.jpg", 4000, 3000, Motif::Photo, false),
            seen("loose.jpg", 640, 480, Motif::Photo, false),
            seen("Team/b.jpg", 500, 700, Motif::Photo, false),
        ];
        let proposals = propose(&originals);
        let lines = proposals.iter().map(|p| {
            format!(
                "{}: {} {} for {:?}, {} px, {} B, {} small",
                p.name,
                p.role.name(),
                p.because,
                p.of,
                p.width,
                p.max_weight,
                p.small
            )
        });
        insta::assert_snapshot!(lines.collect::<Vec<_>>().join("\n"), @r#"
        card: card small for ["*"], 400 px, 60000 B, 1 small
        team: portrait by the folder's name for ["Team/**"], 300 px, 65000 B, 1 small
        banners: full-width background by the folder's name for ["banners/**"], 1920 px, 250000 B, 0 small
        graphics: article picture by their size for ["graphics/chart.png", "graphics/hours [[]new[]].png"], 800 px, 150000 B, 0 small
        mark: mark by their names for ["graphics/logo-white.png"], 160 px, 20000 B, 0 small
        people: portrait by the folder's name for ["people/**"], 300 px, 65000 B, 0 small
        rooms: article picture by the folder's name for ["rooms/**"], 800 px, 150000 B, 0 small
        "#);
        for picture in &originals {
            let shows = |p: &&Proposal| {
                p.of.iter()
                    .any(|of| Glob::new(of).expect("a glob").matches(&picture.name))
            };
            assert_eq!(
                proposals.iter().filter(shows).count(),
                1,
                "{}",
                picture.name
            );
        }
        assert!(propose(&[]).is_empty());
    }
}
