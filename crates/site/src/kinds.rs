//! Media types: as servers say them, and as they go by names.

/// Extensions that pictures have on the web and in the folders behind it.
const EXTENSIONS: [&str; 20] = [
    "jpg", "jpeg", "jpe", "jfif", "png", "apng", "gif", "webp", "avif", "svg", "ico", "bmp", "tif",
    "tiff", "heic", "heif", "jxl", "jp2", "psd", "cur",
];

/// Whether the path of an address ends as names of pictures do.
pub fn is_named_like_a_picture(address: &str) -> bool {
    let path = address.split(['?', '#']).next().unwrap_or("").trim();
    let name = path.rsplit('/').next().unwrap_or("");
    let extension = name.rsplit_once('.').map(|(_, extension)| extension);
    extension.is_some_and(|e| EXTENSIONS.contains(&e.to_ascii_lowercase().as_str()))
}

/// A media type without its parameters, in lower case.
pub fn bare(kind: &str) -> String {
    let bare = kind.split(';').next().unwrap_or("");
    bare.trim().to_ascii_lowercase()
}

/// Whether a media type is that of a picture.
pub fn is_picture(kind: &str) -> bool {
    bare(kind).starts_with("image/")
}

/// What a file is, as servers go by its name; empty where that tells nothing.
pub fn by_name(path: &str) -> &'static str {
    let extension = path.rsplit_once('.').map_or("", |(_, extension)| extension);
    match extension.to_ascii_lowercase().as_str() {
        "htm" | "html" | "xhtml" => "text/html",
        "css" => "text/css",
        "md" | "markdown" => "text/markdown",
        "webmanifest" => "application/manifest+json",
        "svg" => "image/svg+xml",
        "jpg" | "jpeg" => "image/jpeg",
        "png" => "image/png",
        "gif" => "image/gif",
        "webp" => "image/webp",
        "avif" => "image/avif",
        "ico" => "image/x-icon",
        "xml" | "rss" | "atom" => "application/xml",
        _ if is_named_like_a_picture(path) => "image/*",
        _ => "",
    }
}

/// The width in the `sizes` of an icon, such as `32x32`; of several the first. `None` for `any`.
pub fn side(sizes: &str) -> Option<f64> {
    let first = sizes.split_ascii_whitespace().next()?;
    let (width, _) = first.split_once(['x', 'X'])?;
    width.parse::<u32>().ok().map(f64::from)
}

/// Whether a file is a page by its name, or a text that becomes one.
pub fn is_page(path: &str) -> bool {
    matches!(by_name(path), "text/html" | "text/markdown")
}
