//! Drawings (SVG) as elements of a page.

use roxmltree::{Document, Node};

use crate::edit::{Edits, applied};
use crate::tags::{self, Words};

/// A drawing as an element of a page, of this width and height in CSS pixels. Names in it begin with the
/// prefix then, so that two drawings do not mix them up. `None` where it is no drawing that can stand in
/// HTML: one with scripts, styles of its own, or prefixes of name spaces.
pub fn inline(svg: &str, words: &Words, size: (u32, u32), prefix: &str) -> Option<String> {
    let document = Document::parse(svg).ok()?;
    let root = document.root_element();
    let is_plain = root.tag_name().name() == "svg"
        && !document.descendants().any(|node| {
            matches!(
                node.tag_name().name(),
                "script" | "style" | "foreignObject" | "a"
            )
        });
    let starts = svg.get(root.range())?;
    // A prefix would be part of the name in HTML.
    if !is_plain
        || !starts.starts_with("<svg")
        || root.namespaces().any(|space| !known(space.name()))
    {
        return None;
    }
    let mut edits = Edits::new();
    for node in document.descendants().filter(Node::is_element) {
        for attribute in node.attributes() {
            let span = attribute.range_value();
            let written = svg.get(span.clone())?;
            match attribute.name() {
                "id" => edits.replace(svg, span, format!("{prefix}{written}")),
                "href" if written.starts_with('#') => {
                    edits.replace(svg, span, format!("#{prefix}{}", &written[1..]));
                }
                _ if written.contains("url(#") => {
                    edits.replace(
                        svg,
                        span,
                        written.replace("url(#", &format!("url(#{prefix}")),
                    );
                }
                name if name.starts_with("on") => return None,
                _ => {}
            }
        }
    }
    for name in ["width", "height", "role"] {
        if let Some(attribute) = root.attribute_node(name) {
            edits.remove(svg, attribute.range());
        }
    }
    edits.insert(root.range().start + "<svg".len(), said(words, size));
    // Before the element there may be a declaration, behind it comments.
    let whole = applied(svg, &edits.ordered());
    let begins = whole.find("<svg")?;
    let ends = whole
        .rfind("</svg>")
        .map(|at| at + "</svg>".len())
        .or_else(|| whole.rfind("/>").map(|at| at + 2))?;
    whole.get(begins..ends).map(str::to_owned)
}

fn known(name: Option<&str>) -> bool {
    matches!(name, None | Some("xlink" | "xml"))
}

fn said(words: &Words, (width, height): (u32, u32)) -> String {
    let mut list = vec![("width", width.to_string()), ("height", height.to_string())];
    match words.alt.as_deref() {
        Some("") => list.push(("aria-hidden", "true".to_owned())),
        alt => {
            list.push(("role", "img".to_owned()));
            list.extend(alt.map(|alt| ("aria-label", alt.to_owned())));
        }
    }
    tags::attributes(&list)
}
