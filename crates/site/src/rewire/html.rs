//! HTML rewritten: elements are put around pictures, attributes are added and replaced, and all else stays.

use std::ops::Range;

use super::styles::{Effect, Styles, effect, height_is_styled};
use super::tag::Tag;
use super::{Aim, File, Guide, Rewired, Says, Work};
use crate::escape;
use crate::html::{self, Attribute};
use crate::offer::{Form, Layout, Offer};
use crate::showing::{Role, Showing};
use crate::srcset::Descriptor;
use crate::tags;

/// A page. Its styles are those of its sheets; its own are added.
pub fn page(file: &File<'_>, mut styles: Styles, guide: &mut dyn Guide) -> Rewired {
    let mut work = Work::of(file);
    styles.add(file.found);
    for showing in &file.found.showings {
        work.showing(showing, &styles, guide);
    }
    work.done
}

/// The tag around a picture. It has no box of its own: what lies around it sees the picture alone.
const PICTURE: &str = "<picture style=\"display:contents\">";

impl Work<'_> {
    /// A picture of a page.
    pub(super) fn showing(&mut self, showing: &Showing, styles: &Styles, guide: &mut dyn Guide) {
        match showing.role {
            _ if showing.is_nested => self.plainly(showing, guide),
            Role::Image => self.image(showing, styles, guide),
            Role::Style => self.style(showing, guide),
            Role::Preload => self.preload(showing, guide),
            Role::Deferred => self.deferred(showing, guide),
            _ => self.plainly(showing, guide),
        }
    }

    /// The tag of a showing, where it stands as it is written.
    fn tag(&self, showing: &Showing) -> Option<Tag> {
        let text = self.source.get(showing.span.clone())?;
        let is_tag = text.starts_with('<') && text.ends_with('>');
        is_tag.then(|| Tag {
            span: showing.span.clone(),
            attributes: html::attributes(self.source, &showing.span),
        })
    }

    fn image(&mut self, showing: &Showing, styles: &Styles, guide: &mut dyn Guide) {
        let Some(tag) = self.tag(showing) else {
            return self.plainly(showing, guide);
        };
        let own = showing
            .choices
            .iter()
            .filter(|choice| choice.source.is_none());
        let Some(main) = own.clone().flat_map(|choice| &choice.candidates).last() else {
            return self.plainly(showing, guide);
        };
        let Some(aim) = guide.aim(showing, main) else {
            return self.plainly(showing, guide);
        };
        let changed = ["src", "srcset", "sizes"].into_iter();
        let changed = changed.filter_map(|name| Some(tag.get(name)?.span.clone()));
        let sources = showing
            .choices
            .iter()
            .filter_map(|choice| choice.source.clone());
        for span in changed.chain(sources) {
            if !self.may_change(&span, main) {
                return;
            }
        }
        // Whatever else is offered has to be known too: nothing of it may be lost.
        let mut shapes: Vec<Offer> = Vec::new();
        for choice in showing
            .choices
            .iter()
            .filter(|choice| choice.source.is_some())
        {
            for candidate in &choice.candidates {
                let Some(of) = guide.aim(showing, candidate) else {
                    return self.plainly(showing, guide);
                };
                let media = choice.media.clone().filter(|_| !of.is_like(&aim));
                if media.is_some() && !shapes.iter().any(|shape| shape.media == media) {
                    shapes.push(Offer { media, ..of.main });
                }
            }
        }
        let mut aim = aim;
        if !shapes.is_empty() {
            aim.others = shapes;
        }
        self.offer(showing, &tag, &aim, styles, &main.address);
    }

    /// Offers all pieces of a picture in the place of an `img` element.
    fn offer(&mut self, showing: &Showing, tag: &Tag, aim: &Aim, styles: &Styles, address: &str) {
        let Some(layout) = aim.main.layout(&aim.spot) else {
            return;
        };
        self.done.references += 1;
        // Where elements without an end close themselves, as in XHTML, so do those that are put in.
        let text = self.source.get(tag.span.clone()).unwrap_or_default();
        let close = if text.ends_with("/>") { " />" } else { ">" };
        let wanted: Vec<String> = tags::sources(aim.offers(), &aim.spot)
            .iter()
            .map(|list| format!("<source{}{close}", tags::attributes(list)))
            .collect();
        let stays = self.extent.plain || styles.is_close;
        let mut layout = layout;
        match &showing.picture {
            Some(_) => self.sources(showing, &wanted),
            None if wanted.is_empty() => {}
            None if stays => {
                if !self.extent.plain {
                    self.done.say(showing.line, address, Says::LiesClose);
                    layout = alone(layout);
                }
            }
            None => {
                let opening = [PICTURE, &self.line_end(tag), &wanted.concat()].concat();
                self.done.edits.insert(tag.span.start, opening);
                self.done
                    .edits
                    .insert(tag.span.end, "</picture>".to_owned());
            }
        }
        self.files(tag, &layout);
        if !self.extent.plain {
            self.additions(showing, tag, aim, &layout, styles, address);
        }
    }

    /// What stands behind a tag that is put before another. In Markdown a tag that begins a line begins HTML
    /// only where it stands alone in it (CommonMark, "HTML blocks").
    fn line_end(&self, tag: &Tag) -> String {
        let before = self.source.get(..tag.span.start).unwrap_or_default();
        let line = before.rsplit('\n').next().unwrap_or_default();
        let behind = self.source.get(tag.span.end..).unwrap_or_default();
        let rest = behind.split('\n').next().unwrap_or_default();
        if self.is_markdown && line.trim().is_empty() && rest.trim().is_empty() {
            let end = if before.ends_with("\r\n") {
                "\r\n"
            } else {
                "\n"
            };
            format!("{end}{line}")
        } else {
            String::new()
        }
    }

    /// The sources of a `picture` element that is there.
    fn sources(&mut self, showing: &Showing, wanted: &[String]) {
        let there: Vec<Range<usize>> = showing
            .choices
            .iter()
            .filter_map(|choice| choice.source.clone())
            .collect();
        let written = there
            .iter()
            .map(|span| self.source.get(span.clone()).unwrap_or_default());
        if written.eq(wanted.iter().map(String::as_str)) {
            return;
        }
        if wanted.is_empty() {
            for span in there {
                self.done.edits.remove(self.source, span);
            }
            return;
        }
        let Some(first) = there.first() else {
            return self.done.edits.insert(showing.span.start, wanted.concat());
        };
        // What stands between the sources of before stands between those of now.
        let gap = there
            .get(1)
            .and_then(|second| self.source.get(first.end..second.start));
        let behind = self
            .source
            .get(there.last().map_or(0, |last| last.end)..showing.span.start);
        let gap = gap
            .or(behind)
            .filter(|gap| gap.trim().is_empty())
            .unwrap_or("");
        self.done
            .edits
            .replace(self.source, first.clone(), wanted.join(gap));
        for other in &there[1..] {
            self.done.edits.remove(self.source, other.clone());
        }
    }

    /// Which files an `img` element names.
    fn files(&mut self, tag: &Tag, layout: &Layout<'_>) {
        let wanted = tags::files(layout);
        for (name, value) in &wanted {
            match tag.get(name) {
                Some(there) => self.value(there, value),
                None if self.extent.plain && *name != "src" => {}
                None => self.add(tag, name, value),
            }
        }
        for name in ["srcset", "sizes"] {
            if let Some(there) = tag
                .get(name)
                .filter(|_| !wanted.iter().any(|(one, _)| *one == name))
            {
                self.done.edits.remove(self.source, there.span.clone());
            }
        }
    }

    /// Replaces the value of an attribute, unless it says that already.
    fn value(&mut self, there: &Attribute, value: &str) {
        if there.value == value {
            return;
        }
        let opening = there
            .written
            .start
            .checked_sub(1)
            .and_then(|at| self.source.as_bytes().get(at));
        let escaped = escape::attribute(value);
        match opening {
            Some(b'"') => self
                .done
                .edits
                .replace(self.source, there.written.clone(), escaped),
            Some(b'\'') => {
                let escaped = escaped.replace('\'', "&#39;");
                self.done
                    .edits
                    .replace(self.source, there.written.clone(), escaped);
            }
            _ => {
                let whole = format!("{}=\"{escaped}\"", there.name);
                self.done
                    .edits
                    .replace(self.source, there.span.clone(), whole);
            }
        }
    }

    fn add(&mut self, tag: &Tag, name: &str, value: &str) {
        let value = escape::attribute(value);
        self.done
            .edits
            .insert(tag.end(self.source), format!(" {name}=\"{value}\""));
    }

    /// What a careful author says beside the files.
    fn additions(
        &mut self,
        showing: &Showing,
        tag: &Tag,
        aim: &Aim,
        layout: &Layout<'_>,
        styles: &Styles,
        address: &str,
    ) {
        self.sides(showing, tag, layout, styles, address);
        if tag.get("alt").is_none() {
            match &aim.words.alt {
                Some(alt) => self.add(tag, "alt", alt),
                None => self.done.say(showing.line, address, Says::NoText),
            }
        }
        if aim.main.lead {
            if tag.get("fetchpriority").is_none() && tag.get("loading").is_none() {
                self.add(tag, "fetchpriority", "high");
            }
        } else {
            if aim.is_below && tag.get("loading").is_none() {
                self.add(tag, "loading", "lazy");
            }
            if tag.get("decoding").is_none() {
                self.add(tag, "decoding", "async");
            }
        }
    }

    /// Width and height, so that nothing shifts when the picture comes; only where they do not change how
    /// large it is shown.
    fn sides(
        &mut self,
        showing: &Showing,
        tag: &Tag,
        layout: &Layout<'_>,
        styles: &Styles,
        address: &str,
    ) {
        let own = f64::from(layout.height) / f64::from(layout.width);
        match (showing.width, showing.height) {
            (Some(width), Some(height)) => {
                let is_other = (height / width / own - 1.0).abs() > 0.02;
                if is_other && !height_is_styled(showing, tag, styles) {
                    self.done.say(showing.line, address, Says::OtherShape);
                }
            }
            // A height alone leaves the width to the picture.
            (None, Some(height))
                if tag.get("width").is_none() && effect(showing, tag, styles) == Effect::None =>
            {
                let width = (height / own).round().max(1.0);
                self.add(tag, "width", &width.to_string());
            }
            (width, None) if tag.get("height").is_none() => {
                match effect(showing, tag, styles) {
                    Effect::None => {}
                    Effect::Needless => return,
                    Effect::Harm => {
                        return self.done.say(showing.line, address, Says::SizedByStyle);
                    }
                }
                let shown = width.unwrap_or(f64::from(layout.width));
                if tag.get("width").is_none() {
                    self.add(tag, "width", &shown.to_string());
                }
                let height = (shown * own).round().max(1.0);
                self.add(tag, "height", &height.to_string());
            }
            _ => {}
        }
    }

    /// A picture that is asked for ahead: in the form that browsers will take.
    fn preload(&mut self, showing: &Showing, guide: &mut dyn Guide) {
        let first = showing.candidates().last();
        let aim = first.and_then(|candidate| guide.aim(showing, candidate));
        let (Some(tag), Some(first), Some(aim)) = (self.tag(showing), first, aim) else {
            return self.plainly(showing, guide);
        };
        if aim.is_piece {
            self.done.references += 1;
            return;
        }
        if !self.may_change(&tag.span, first) {
            return;
        }
        let Some(layout) = aim.main.layout(&aim.spot) else {
            return;
        };
        let Some(form) = layout.forms.first() else {
            return;
        };
        self.done.references += 1;
        let has_choice = form.candidates.len() > 1;
        let wanted = [
            (
                "href",
                form.candidates
                    .first()
                    .map(|(piece, _)| piece.address.clone()),
            ),
            ("type", form.kind.map(str::to_owned)),
            (
                "imagesrcset",
                has_choice.then(|| tags::srcset(&form.candidates)),
            ),
            ("imagesizes", layout.sizes.clone().filter(|_| has_choice)),
        ];
        for (name, value) in wanted {
            match (tag.get(name), value) {
                (Some(there), Some(value)) => self.value(there, &value),
                (None, Some(value)) => self.add(&tag, name, &value),
                (_, None) => {}
            }
        }
    }

    /// What scripts bring in: a list becomes a list, an address an address.
    fn deferred(&mut self, showing: &Showing, guide: &mut dyn Guide) {
        let mut rest = showing.clone();
        for choice in &showing.choices {
            let has_widths = choice
                .candidates
                .iter()
                .any(|c| c.descriptor != Descriptor::None);
            let first = choice.candidates.first().filter(|_| has_widths);
            let aim = first.and_then(|first| guide.aim(showing, first));
            let (Some(first), Some(aim), Some(tag)) = (first, aim, self.tag(showing)) else {
                continue;
            };
            let within = |one: &&Attribute| {
                one.written.start <= first.span.start && first.span.end <= one.written.end
            };
            let Some(there) = tag.attributes.iter().find(within) else {
                continue;
            };
            if let Some(layout) = aim.main.layout(&aim.spot) {
                let last = layout.forms.last().map_or(&[][..], |form| &form.candidates);
                if self.may_change(&there.span, first) {
                    self.done.references += 1;
                    self.value(there, &tags::srcset(last));
                }
            }
            rest.choices.retain(|other| other != choice);
        }
        self.plainly(&rest, guide);
    }
}

/// The layout with the one format that serves all browsers of today best.
fn alone(mut layout: Layout<'_>) -> Layout<'_> {
    let is_for_all = |form: &&Form<'_>| form.kind != Some("image/avif");
    if let Some(form) = layout.forms.iter().find(is_for_all).cloned() {
        let plain = form
            .candidates
            .iter()
            .find(|(piece, _)| piece.width >= layout.plain.width);
        if let Some((piece, _)) = plain.or(form.candidates.last()) {
            layout.plain = piece;
        }
        layout.forms = vec![form];
    }
    layout
}
