//! The words of drawings that slimming has to know: which properties there are, what they begin with, and
//! what is measured in lengths (SVG 2, appendices F and G).

/// Presentation attributes, and the value that each begins with where nothing is said; empty where that
/// depends on other things.
pub(super) const PROPERTIES: [(&str, &str); 55] = [
    ("alignment-baseline", "auto"),
    ("baseline-shift", ""),
    ("clip-path", "none"),
    ("clip-rule", "nonzero"),
    ("color", ""),
    ("color-interpolation", "sRGB"),
    ("color-interpolation-filters", "linearRGB"),
    ("color-rendering", "auto"),
    ("direction", "ltr"),
    ("display", "inline"),
    ("dominant-baseline", "auto"),
    ("fill", "#000"),
    ("fill-opacity", "1"),
    ("fill-rule", "nonzero"),
    ("filter", "none"),
    ("flood-color", "#000"),
    ("flood-opacity", "1"),
    ("font-family", ""),
    ("font-size", ""),
    ("font-size-adjust", "none"),
    ("font-stretch", "normal"),
    ("font-style", "normal"),
    ("font-variant", "normal"),
    ("font-weight", "normal"),
    ("image-rendering", "auto"),
    ("letter-spacing", "normal"),
    ("lighting-color", "#fff"),
    ("marker-end", "none"),
    ("marker-mid", "none"),
    ("marker-start", "none"),
    ("mask", "none"),
    ("opacity", "1"),
    ("overflow", ""),
    ("paint-order", "normal"),
    ("pointer-events", "auto"),
    ("shape-rendering", "auto"),
    ("stop-color", "#000"),
    ("stop-opacity", "1"),
    ("stroke", "none"),
    ("stroke-dasharray", "none"),
    ("stroke-dashoffset", "0"),
    ("stroke-linecap", "butt"),
    ("stroke-linejoin", "miter"),
    ("stroke-miterlimit", "4"),
    ("stroke-opacity", "1"),
    ("stroke-width", "1"),
    ("text-anchor", "start"),
    ("text-decoration", "none"),
    ("text-rendering", "auto"),
    ("unicode-bidi", "normal"),
    ("vector-effect", "none"),
    ("visibility", "visible"),
    ("word-spacing", "normal"),
    ("writing-mode", ""),
    ("transform-origin", ""),
];

/// Properties that concern letters alone.
pub(super) fn is_of_letters(name: &str) -> bool {
    let starts = [
        "font",
        "text-",
        "letter-",
        "word-",
        "line-height",
        "writing-",
        "white-space",
    ];
    starts.iter().any(|start| name.starts_with(start))
        || matches!(
            name,
            "direction"
                | "unicode-bidi"
                | "dominant-baseline"
                | "alignment-baseline"
                | "baseline-shift"
        )
}

/// Properties that an element has from what it lies in.
pub(super) fn is_inherited(name: &str) -> bool {
    let starts = ["fill", "stroke", "font", "letter-", "word-", "marker-"];
    starts.iter().any(|start| name.starts_with(start))
        || matches!(
            name,
            "clip-rule"
                | "color"
                | "color-interpolation"
                | "direction"
                | "paint-order"
                | "shape-rendering"
                | "text-anchor"
                | "text-rendering"
                | "visibility"
        )
}

/// Attributes that are one length or number in the units of the drawing.
pub(super) fn is_length(name: &str) -> bool {
    matches!(
        name,
        "x" | "y"
            | "width"
            | "height"
            | "cx"
            | "cy"
            | "r"
            | "rx"
            | "ry"
            | "x1"
            | "y1"
            | "x2"
            | "y2"
            | "fx"
            | "fy"
            | "fr"
            | "dx"
            | "dy"
            | "stroke-width"
            | "stroke-dashoffset"
            | "stdDeviation"
            | "radius"
            | "font-size"
            | "letter-spacing"
            | "word-spacing"
            | "refX"
            | "refY"
            | "markerWidth"
            | "markerHeight"
            | "surfaceScale"
            | "scale"
    )
}

/// Those that are parts of a whole.
pub(super) fn is_part(name: &str) -> bool {
    name.ends_with("opacity")
        || matches!(
            name,
            "offset" | "stroke-miterlimit" | "k1" | "k2" | "k3" | "k4"
        )
}

/// Those that are a colour.
pub(super) fn is_colour(name: &str) -> bool {
    matches!(name, "fill" | "stroke" | "color") || name.ends_with("-color")
}

/// What draws nothing itself, and is there to be referred to.
pub(super) fn is_definition(name: &str) -> bool {
    matches!(
        name,
        "linearGradient"
            | "radialGradient"
            | "pattern"
            | "clipPath"
            | "mask"
            | "filter"
            | "marker"
            | "symbol"
    )
}

/// What moves a drawing.
pub(super) fn is_animation(name: &str) -> bool {
    matches!(
        name,
        "animate" | "animateTransform" | "animateMotion" | "set" | "mpath"
    )
}

/// What draws a shape, and holds none.
pub(super) fn is_leaf(name: &str) -> bool {
    matches!(
        name,
        "path" | "rect" | "circle" | "ellipse" | "line" | "polyline" | "polygon" | "image" | "stop"
    )
}
