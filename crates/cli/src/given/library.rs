//! What is said of a media library: which interface it has, and where nothing describes that, how it is used.

use std::str::FromStr;

use kiln_core::credits::Field;

/// The interface of a media library.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum LibraryKind {
    /// Micropub (W3C).
    Micropub,
    /// The Atom Publishing Protocol (RFC 5023).
    Atompub,
    /// One that the kiln file describes.
    Rest,
}

/// How a library is used.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Media {
    /// How a file is sent. Default: as the body of the request.
    pub send: SendAs,
    /// By which method. Default: `POST`.
    pub method: String,
    /// The field of a form that the file stands in. Default: `file`.
    pub field: String,
    /// Which texts are sent, and by which names. Default: none.
    pub texts: Vec<(Field, String)>,
    /// Where texts go by themselves, with `{id}` in it. Default: into the form of the file.
    pub texts_to: Option<String>,
    /// How they go there. Default: as JSON.
    pub texts_as: TextsAs,
    /// By which method. Default: `POST`.
    pub texts_method: String,
    /// What of the answer is the id. Default: `id`.
    pub id: String,
    /// What of the answer is the address. Default: `url`.
    pub address: String,
    /// Where a file is removed, with `{id}` in it. Default: nowhere.
    pub remove_at: Option<String>,
    /// The header that the secret stands in. Default: `Authorization`.
    pub secret_header: Option<String>,
    /// Whether each file becomes a post too (Micropub). Default: none does.
    pub posts: Option<Posts>,
}

impl Default for Media {
    fn default() -> Media {
        Media {
            send: SendAs::Body,
            method: "POST".to_owned(),
            field: "file".to_owned(),
            texts: Vec::new(),
            texts_to: None,
            texts_as: TextsAs::Json,
            texts_method: "POST".to_owned(),
            id: "id".to_owned(),
            address: "url".to_owned(),
            remove_at: None,
            secret_header: None,
            posts: None,
        }
    }
}

/// How a file is sent.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SendAs {
    /// As the body of the request.
    Body,
    /// In a form.
    Form,
}

/// How texts are sent.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum TextsAs {
    /// As a JSON object.
    Json,
    /// As the fields of a form.
    Form,
}

/// What posts are when they are made.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Posts {
    /// Seen by their author alone.
    Draft,
    /// Seen by all.
    Published,
}

macro_rules! named {
    ($type:ty, $says:literal, $($name:literal => $value:expr),+) => {
        impl FromStr for $type {
            type Err = String;

            fn from_str(text: &str) -> Result<$type, String> {
                match text {
                    $($name => Ok($value),)+
                    _ => Err($says.to_owned()),
                }
            }
        }
    };
}

named!(SendAs, "it is body or form", "body" => SendAs::Body, "form" => SendAs::Form);
named!(TextsAs, "it is json or form", "json" => TextsAs::Json, "form" => TextsAs::Form);
named!(Posts, "it is draft or published", "draft" => Posts::Draft, "published" => Posts::Published);

/// A method of HTTP, as it may be said.
pub fn parse_method(text: &str) -> Result<String, String> {
    match text {
        "POST" | "PUT" | "PATCH" => Ok(text.to_owned()),
        _ => Err("it is POST, PUT or PATCH".to_owned()),
    }
}

/// The name of a header.
pub fn parse_header(text: &str) -> Result<String, String> {
    let sound = |c: char| c.is_ascii_alphanumeric() || c == '-';
    match !text.is_empty() && text.chars().all(sound) {
        true => Ok(text.to_ascii_lowercase()),
        false => Err("it is the name of a header, such as \"X-Api-Key\"".to_owned()),
    }
}

/// An address with the id in it.
pub fn parse_template(text: &str) -> Result<String, String> {
    match text.contains("{id}") && !text.contains(char::is_whitespace) {
        true => Ok(text.to_owned()),
        false => Err("it is an address with {id} in it, such as \"/media/{id}\"".to_owned()),
    }
}
