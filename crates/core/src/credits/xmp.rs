//! Credits as an XMP packet (ISO 16684-1): Dublin Core, Photoshop, XMP Rights, IPTC Core.

use roxmltree::Node;
use xmp_writer::{CustomNamespace, Namespace, XmpWriter};

use super::{Credits, Field};
use crate::container::xml::{self, Entities};

const RDF: &str = "http://www.w3.org/1999/02/22-rdf-syntax-ns#";
const DC: &str = "http://purl.org/dc/elements/1.1/";
const PHOTOSHOP: &str = "http://ns.adobe.com/photoshop/1.0/";
const RIGHTS: &str = "http://ns.adobe.com/xap/1.0/rights/";
const IPTC_CORE: &str = "http://iptc.org/std/Iptc4xmpCore/1.0/xmlns/";
const EXIF: &str = "http://ns.adobe.com/exif/1.0/";

/// What the library writes of itself: nobody needs it.
const TOOLKIT: &str = " x:xmptk=\"xmp-writer\"";

/// The packet, where there is something to put into it.
pub(super) fn packet(credits: &Credits) -> Option<String> {
    // The camera has its place in EXIF only.
    if credits.0.keys().all(|field| *field == Field::Camera) {
        return None;
    }
    let text = |field| credits.get(field);
    let mut xmp = XmpWriter::new();
    let mut custom = |name: &str, (prefix, url), field: Field| {
        let text = text(field)?;
        let element = xmp.element(name, namespace(prefix, url));
        match field {
            Field::AlternativeText => element.language_alternative([(None, text)]),
            _ => element.value(text),
        }
        Some(())
    };
    custom("Credit", ("photoshop", PHOTOSHOP), Field::Credit);
    custom("DateCreated", ("photoshop", PHOTOSHOP), Field::Date);
    custom(
        "AltTextAccessibility",
        ("Iptc4xmpCore", IPTC_CORE),
        Field::AlternativeText,
    );
    if let Some(title) = text(Field::Title) {
        xmp.title([(None, title)]);
    }
    if let Some(caption) = text(Field::Caption) {
        xmp.description([(None, caption)]);
    }
    if let Some(keywords) = text(Field::Keywords) {
        xmp.subject(parts(keywords, ','));
    }
    if let Some(creator) = text(Field::Creator) {
        xmp.creator(parts(creator, ';'));
    }
    if let Some(copyright) = text(Field::Copyright) {
        xmp.rights([(None, copyright)]).marked(true);
    }
    match text(Field::Licence) {
        Some(address) if is_address(address) => {
            xmp.web_statement(address);
        }
        Some(terms) => {
            xmp.usage_terms([(None, terms)]);
        }
        None => {}
    }
    if let Some((latitude, longitude)) = credits.position() {
        for (name, degrees, sides) in [
            ("GPSLatitude", latitude, ['N', 'S']),
            ("GPSLongitude", longitude, ['E', 'W']),
        ] {
            let side = sides[usize::from(degrees < 0.0)];
            let (whole, rest) = (degrees.abs().trunc(), degrees.abs().fract());
            let value = format!("{whole},{:.6}{side}", rest * 60.0);
            xmp.element(name, namespace("exif", EXIF))
                .value(value.as_str());
        }
    }
    Some(xmp.finish(None).replace(TOOLKIT, ""))
}

fn namespace(prefix: &'static str, url: &'static str) -> Namespace<'static> {
    Namespace::Custom(Box::new(CustomNamespace::new(prefix, prefix, url)))
}

fn parts(text: &str, between: char) -> impl Iterator<Item = &str> {
    let parts = text.split(between).map(str::trim);
    parts.filter(|part| !part.is_empty())
}

fn is_address(licence: &str) -> bool {
    let scheme = ["https://", "http://"]
        .iter()
        .any(|scheme| licence.starts_with(scheme));
    scheme && !licence.contains(char::is_whitespace)
}

/// Reads a packet; one that is no sound XML says nothing.
pub(crate) fn read(packet: &[u8]) -> Credits {
    let mut credits = Credits::default();
    let text = String::from_utf8_lossy(packet);
    // Around the XML stand processing instructions, padding and, in PNG, the chunk's own header.
    let starts = ["<x:xmpmeta", "<rdf:RDF"];
    let ends = ["</x:xmpmeta>", "</rdf:RDF>"];
    let start = starts.iter().find_map(|tag| text.find(tag));
    let end = ends
        .iter()
        .find_map(|tag| Some(text.rfind(tag)? + tag.len()));
    let xml = start.zip(end).and_then(|(start, end)| text.get(start..end));
    let Some(document) = xml::parse(xml.unwrap_or_default(), Entities::None) else {
        return credits;
    };
    let (mut latitude, mut longitude) = (None, None);
    let descriptions = document
        .descendants()
        .filter(|node| node.has_tag_name((RDF, "Description")));
    for description in descriptions {
        let attributes = description.attributes();
        let attributes = attributes.map(|a| (a.namespace(), a.name(), a.value().to_owned()));
        let elements = description.children().filter(Node::is_element);
        let elements = elements.map(|node| {
            let name = node.tag_name();
            (name.namespace(), name.name(), value(&node))
        });
        for (namespace, name, value) in attributes.chain(elements) {
            match (namespace.unwrap_or_default(), name) {
                (EXIF, "GPSLatitude") => latitude = degrees(&value),
                (EXIF, "GPSLongitude") => longitude = degrees(&value),
                (namespace, name) => {
                    if let Some(field) = field(namespace, name) {
                        credits.set(field, &value);
                    }
                }
            }
        }
    }
    if let (Some(latitude), Some(longitude)) = (latitude, longitude) {
        credits.set(Field::Position, &format!("{latitude:.6}, {longitude:.6}"));
    }
    credits
}

fn field(namespace: &str, name: &str) -> Option<Field> {
    Some(match (namespace, name) {
        (DC, "title") => Field::Title,
        (DC, "description") => Field::Caption,
        (DC, "subject") => Field::Keywords,
        (DC, "creator") => Field::Creator,
        (DC, "rights") => Field::Copyright,
        (PHOTOSHOP, "Credit") => Field::Credit,
        (PHOTOSHOP, "DateCreated") => Field::Date,
        (RIGHTS, "WebStatement" | "UsageTerms") => Field::Licence,
        (IPTC_CORE, "AltTextAccessibility") => Field::AlternativeText,
        _ => return None,
    })
}

/// The text of a property: its own, its first alternative, or all of its list.
fn value(property: &Node<'_, '_>) -> String {
    let text = |node: Node<'_, '_>| node.text().unwrap_or_default().to_owned();
    let Some(list) = property.children().find(Node::is_element) else {
        return text(*property);
    };
    let mut items = list
        .children()
        .filter(|node| node.has_tag_name((RDF, "li")));
    let between = match list.tag_name().name() {
        "Alt" => return items.next().map(text).unwrap_or_default(),
        "Seq" => "; ",
        _ => ", ",
    };
    items.map(text).collect::<Vec<_>>().join(between)
}

/// `58,26.502000N` or `58,26,30N`, as XMP writes a coordinate.
fn degrees(text: &str) -> Option<f64> {
    let side = text.chars().last()?;
    let negative = match side {
        'N' | 'E' => false,
        'S' | 'W' => true,
        _ => return None,
    };
    let mut degrees = 0.0;
    for (part, unit) in text
        .trim_end_matches(side)
        .split(',')
        .zip([1.0, 60.0, 3600.0])
    {
        degrees += part.trim().parse::<f64>().ok()? / unit;
    }
    Some(if negative { -degrees } else { degrees })
}
