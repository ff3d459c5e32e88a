//! The markup of a picture, as a careful author writes it: HTML, CSS and Markdown.

use crate::escape::{attribute, comment, css_string, markdown, text};
use crate::offer::{Form, Layout, Offer, Piece, Spot, hundredths};
use crate::srcset::Descriptor;

/// What is said of a picture in words.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Words {
    /// The alternative text; empty where the picture only adorns, `None` where nobody wrote one.
    pub alt: Option<String>,
    /// The caption.
    pub caption: Option<String>,
    /// Who is to be named.
    pub credit: Option<String>,
    /// The licence: a text, or its address.
    pub licence: Option<String>,
}

impl Words {
    /// Whether they need a figure around the picture.
    fn want_figure(&self) -> bool {
        self.caption.is_some() || self.licence.is_some()
    }
}

/// An attribute, unescaped.
pub type Attribute = (&'static str, String);

/// A picture in all its offers: the first that no media query binds, and those that stand for it where
/// theirs hold.
#[derive(Clone, Copy, Debug)]
pub struct Offers<'a> {
    /// Those with a media query.
    pub others: &'a [Offer],
    /// The one for all other screens.
    pub main: &'a Offer,
}

/// A `srcset`.
pub fn srcset(candidates: &[(&Piece, Descriptor)]) -> String {
    let described = candidates.iter().map(|(piece, descriptor)| {
        let described = format!("{} {descriptor}", piece.address);
        described.trim_end().to_owned()
    });
    described.collect::<Vec<_>>().join(", ")
}

/// Attributes as they stand in a tag, each with a blank before it.
pub fn attributes(list: &[Attribute]) -> String {
    let written = list.iter().map(|(name, value)| {
        let value = attribute(value);
        format!(" {name}=\"{value}\"")
    });
    written.collect()
}

/// The `source` elements before an `img`: those of other shapes first, with all their formats, then those
/// of formats that not every browser shows.
pub fn sources(offers: Offers<'_>, spot: &Spot) -> Vec<Vec<Attribute>> {
    let mut sources = Vec::new();
    for other in offers.others {
        // Where it is shown instead, the spot is another one.
        if let Some(layout) = other.layout(&Spot::default()) {
            for form in &layout.forms {
                sources.push(source(form, &layout, other.media.as_deref(), true));
            }
        }
    }
    if let Some(layout) = offers.main.layout(spot) {
        let before = layout.forms.len().saturating_sub(1);
        for form in &layout.forms[..before] {
            sources.push(source(form, &layout, None, false));
        }
    }
    sources
}

fn source(
    form: &Form<'_>,
    layout: &Layout<'_>,
    media: Option<&str>,
    sized: bool,
) -> Vec<Attribute> {
    let mut source = Vec::new();
    if let Some(media) = media {
        source.push(("media", media.to_owned()));
    }
    if let Some(kind) = form.kind {
        source.push(("type", kind.to_owned()));
    }
    source.push(("srcset", srcset(&form.candidates)));
    let has_widths = |(_, descriptor): &(_, Descriptor)| matches!(descriptor, Descriptor::Width(_));
    if let Some(sizes) = layout
        .sizes
        .as_ref()
        .filter(|_| form.candidates.iter().any(has_widths))
    {
        source.push(("sizes", sizes.clone()));
    }
    if sized {
        source.push(("width", layout.width.to_string()));
        source.push(("height", layout.height.to_string()));
    }
    source
}

/// What an `img` element says of its files.
pub fn files(layout: &Layout<'_>) -> Vec<Attribute> {
    let mut list = vec![("src", layout.plain.address.clone())];
    if let Some(last) = layout.forms.last().filter(|form| form.candidates.len() > 1) {
        list.push(("srcset", srcset(&last.candidates)));
        list.extend(layout.sizes.clone().map(|sizes| ("sizes", sizes)));
    }
    list
}

/// An `img` element. Without an alternative text it has no such attribute: that is a mistake to be seen.
pub fn img(layout: &Layout<'_>, words: &Words, lead: bool, style: Option<&str>) -> String {
    let mut list = files(layout);
    list.push(("width", layout.width.to_string()));
    list.push(("height", layout.height.to_string()));
    list.extend(words.alt.clone().map(|alt| ("alt", alt)));
    if lead {
        list.push(("fetchpriority", "high".to_owned()));
    } else {
        list.push(("loading", "lazy".to_owned()));
        list.push(("decoding", "async".to_owned()));
    }
    list.extend(style.map(|style| ("style", style.to_owned())));
    format!("<img{}>", attributes(&list))
}

/// The whole element of a picture: a `picture` where there is a choice, with a `figure` around it where
/// there is a caption or a licence.
pub fn picture(offers: Offers<'_>, words: &Words, style: Option<&str>) -> Option<String> {
    let spot = Spot::default();
    let layout = offers.main.layout(&spot)?;
    let img = img(&layout, words, offers.main.lead, style);
    let sources = sources(offers, &spot);
    let mut lines = vec![img];
    if !sources.is_empty() {
        let tags = sources
            .iter()
            .map(|list| format!("<source{}>", attributes(list)));
        lines = within("picture", tags.chain(lines).collect());
    }
    if words.want_figure() {
        lines.extend(caption(words));
        lines = within("figure", lines);
    }
    Some(lines.join("\n"))
}

/// Lines within an element.
fn within(name: &str, lines: Vec<String>) -> Vec<String> {
    let inner = lines.into_iter().map(|line| format!("  {line}"));
    let inner = std::iter::once(format!("<{name}>")).chain(inner);
    inner.chain([format!("</{name}>")]).collect()
}

fn caption(words: &Words) -> Option<String> {
    let credit = words.credit.as_deref().map(text);
    let licence = words.licence.as_deref().map(|licence| {
        let is_address = licence.starts_with("https://") || licence.starts_with("http://");
        if is_address {
            format!(
                "<a rel=\"license\" href=\"{}\">licence</a>",
                attribute(licence)
            )
        } else {
            text(licence)
        }
    });
    let small: Vec<String> = credit.into_iter().chain(licence).collect();
    let small = (!small.is_empty()).then(|| format!("<small>{}</small>", small.join(", ")));
    let parts: Vec<String> = words
        .caption
        .as_deref()
        .map(text)
        .into_iter()
        .chain(small)
        .collect();
    (!parts.is_empty()).then(|| format!("<figcaption>{}</figcaption>", parts.join(" ")))
}

/// The lines for the head of a page that ask for a leading picture ahead.
pub fn preloads(offers: Offers<'_>) -> Vec<String> {
    // One query can be turned round, a list of them cannot.
    let queries: Option<Vec<String>> = offers
        .others
        .iter()
        .map(|other| {
            let media = other.media.as_deref()?.trim();
            let is_one = media.starts_with('(') && !media.contains(',');
            is_one.then(|| format!("not all and {media}"))
        })
        .collect();
    let others = offers
        .others
        .iter()
        .map(|other| (other, other.media.clone()));
    let main = match queries.as_deref() {
        Some([]) => Some((offers.main, None)),
        Some([one]) => Some((offers.main, Some(one.clone()))),
        _ => None,
    };
    let spot = Spot::default();
    let lines = others.chain(main).filter_map(|(offer, media)| {
        let layout = offer.layout(&spot)?;
        // Browsers that do not show the first format pass the line over by its type.
        let form = layout.forms.first()?;
        let (piece, _) = form.candidates.first()?;
        let mut list = vec![("rel", "preload".to_owned()), ("as", "image".to_owned())];
        list.push(("href", piece.address.clone()));
        list.extend(form.kind.map(|kind| ("type", kind.to_owned())));
        if form.candidates.len() > 1 {
            list.push(("imagesrcset", srcset(&form.candidates)));
            list.extend(layout.sizes.clone().map(|sizes| ("imagesizes", sizes)));
        }
        list.extend(media.map(|media| ("media", media)));
        list.push(("fetchpriority", "high".to_owned()));
        Some(format!("<link{}>", attributes(&list)))
    });
    lines.collect()
}

/// The value of a background that is displayed at a width: a plain `url()` for one file, else an
/// `image-set()` of all that serve. Its texts stand in these quotes.
pub fn image_set(offer: &Offer, displayed: f64, quote: char) -> Option<String> {
    let layout = offer.layout(&Spot::default())?;
    let mut options = Vec::new();
    for form in &layout.forms {
        let serves = |piece: &Piece| f64::from(piece.width) >= displayed * 0.96;
        let widest = form.candidates.last().map(|(piece, _)| piece.width);
        for (piece, _) in &form.candidates {
            if serves(piece) || Some(piece.width) == widest {
                options.push((*piece, f64::from(piece.width) / displayed.max(1.0)));
            }
        }
    }
    // What has fewer pixels than the spot is for it all the same.
    let density = |density: f64, piece: &Piece| match piece.is_scalable() {
        true => 1.0,
        false => hundredths(density.max(1.0)),
    };
    match options[..] {
        [] => None,
        [(piece, _)] => Some(format!("url({})", css_string(&piece.address, quote))),
        _ => {
            let options = options.iter().map(|(piece, ratio)| {
                format!(
                    "url({}) {}x type({})",
                    css_string(&piece.address, quote),
                    density(*ratio, piece),
                    css_string(&piece.kind, quote)
                )
            });
            Some(format!(
                "image-set({})",
                options.collect::<Vec<_>>().join(", ")
            ))
        }
    }
}

/// The rules of a background: for the widest window first, then for narrower ones. What stands there until it
/// comes is a value of the property `background`.
pub fn background(selector: &str, offers: Offers<'_>, meanwhile: Option<&str>) -> Option<String> {
    let displayed = offers.main.displayed();
    let widest = displayed.last().copied().unwrap_or(offers.main.widest());
    let layout = offers.main.layout(&Spot::default())?;
    let plain = css_string(&layout.plain.address, '"');
    let set = image_set(offers.main, widest, '"')?;
    let mut rules = format!("{selector} {{\n");
    if let Some(meanwhile) = meanwhile {
        rules.push_str(&format!("  background: {meanwhile};\n"));
    }
    if set.starts_with("image-set") {
        // For browsers that know no `image-set()`.
        rules.push_str(&format!("  background-image: url({plain});\n"));
    }
    rules.push_str(&format!("  background-image: {set};\n}}\n"));
    let narrower = displayed.iter().rev().skip(1);
    let narrower = narrower.map(|width| {
        (
            format!("(max-width: {}px)", width.round()),
            offers.main,
            *width,
        )
    });
    let others = offers.others.iter();
    let others = others.filter_map(|other| Some((other.media.clone()?, other, other.widest())));
    for (media, offer, width) in narrower.chain(others) {
        if let Some(set) = image_set(offer, width, '"') {
            rules.push_str(&format!(
                "@media {media} {{\n  {selector} {{ background-image: {set}; }}\n}}\n"
            ));
        }
    }
    Some(rules)
}

/// The lines of an icon, what is sharp at every size first.
pub fn icons(offer: &Offer) -> Vec<String> {
    let mut pieces: Vec<&Piece> = offer.pieces.iter().collect();
    pieces.sort_by_key(|piece| (!piece.is_scalable(), piece.width));
    let line = |piece: &&Piece| {
        let is_touched = piece.kind == "image/png" && (152..=192).contains(&piece.width);
        let rel = if is_touched {
            "apple-touch-icon"
        } else {
            "icon"
        };
        let sizes = if piece.is_scalable() {
            "any".to_owned()
        } else {
            format!("{}x{}", piece.width, piece.height)
        };
        let list = [
            ("rel", rel.to_owned()),
            ("href", piece.address.clone()),
            ("type", piece.kind.clone()),
            ("sizes", sizes),
        ];
        format!("<link{}>", attributes(&list))
    };
    pieces.iter().map(line).collect()
}

/// The lines of a preview (Open Graph), in the format that most readers show.
pub fn previews(offer: &Offer, words: &Words) -> Vec<String> {
    let spot = Spot::default();
    let Some(layout) = offer.layout(&spot) else {
        return Vec::new();
    };
    let piece = layout.largest();
    let mut list = vec![
        ("og:image", piece.address.clone()),
        ("og:image:type", piece.kind.clone()),
        ("og:image:width", piece.width.to_string()),
        ("og:image:height", piece.height.to_string()),
    ];
    let alt = words.alt.clone().filter(|alt| !alt.is_empty());
    list.extend(alt.map(|alt| ("og:image:alt", alt)));
    let line = |(property, content): Attribute| {
        let list = [("property", property.to_owned()), ("content", content)];
        format!("<meta{}>", attributes(&list))
    };
    list.into_iter().map(line).collect()
}

/// A picture in Markdown.
pub fn in_markdown(layout: &Layout<'_>, words: &Words) -> String {
    let alt = markdown(words.alt.as_deref().unwrap_or_default());
    format!("![{alt}]({})", layout.plain.address)
}

/// A line that says what follows.
pub fn heading(words: &str) -> String {
    format!("<!-- {} -->", comment(words))
}
