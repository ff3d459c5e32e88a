//! The page that shows every picture as its markup does.

use serde::Serialize;

use super::written::Written;
use crate::{pages, wording};

#[derive(Serialize)]
struct Context<'a> {
    kiln: &'static str,
    today: String,
    pictures: Vec<Card<'a>>,
    rules: String,
}

#[derive(Serialize)]
struct Card<'a> {
    heading: String,
    title: Option<&'a str>,
    about: String,
    alternative_text: Option<&'a str>,
    /// As it is shown; made here, and escaped in the making.
    shown: Option<&'a str>,
    class: Option<String>,
    icon: Option<&'a str>,
    text: String,
}

/// The page.
pub(super) fn render(all: &[Written]) -> String {
    let rules = all.iter().filter_map(|one| one.css.as_deref());
    let context = Context {
        kiln: env!("CARGO_PKG_VERSION"),
        today: wording::today(),
        pictures: all.iter().map(card).collect(),
        rules: rules.collect(),
    };
    pages::render("markup.html", context)
}

fn card(one: &Written) -> Card<'_> {
    let files: usize = one.forms.iter().map(|form| form.files.len()).sum();
    let files = wording::count(files, "file", "files");
    let class = |css: &str| css.strip_prefix('.')?.split(' ').next().map(str::to_owned);
    let class = one.css.as_deref().and_then(class);
    let is_file = one.html.is_none() && class.is_none();
    Card {
        heading: wording::safe(&one.heading()),
        title: one.title.as_deref(),
        about: format!("{} × {} CSS pixels, {files}", one.width, one.height),
        alternative_text: one.alternative_text.as_deref(),
        shown: one.html.as_deref(),
        class,
        icon: is_file.then_some(one.plain.address.as_str()),
        text: one.text(),
    }
}
