//! Numbers, colours and lists of transformations in as few letters as say the same.

use svgtypes::{Color, TransformListParser, TransformListToken};

/// A number with so many decimals at most, and no letter too many.
pub(super) fn number(value: f64, decimals: i32) -> String {
    let decimals = decimals.clamp(0, 9) as usize;
    let text = format!("{value:.decimals$}");
    let text = match text.contains('.') {
        true => text.trim_end_matches('0').trim_end_matches('.'),
        false => &text,
    };
    let (sign, digits) = match text.strip_prefix('-') {
        Some(digits) => ("-", digits),
        None => ("", text),
    };
    match digits.strip_prefix("0.") {
        Some(part) => format!("{sign}.{part}"),
        None if digits == "0" => "0".to_owned(),
        None => format!("{sign}{digits}"),
    }
}

/// What a number comes to once it is read again.
pub(super) fn rounded(value: f64, decimals: i32) -> f64 {
    number(value, decimals).parse().unwrap_or(value)
}

/// Adds a number to a list, behind a separator where it needs one.
pub(super) fn append(list: &mut String, number: &str) {
    let joins = match (number.as_bytes().first(), list.as_bytes().last()) {
        (Some(b'-'), _) => true,
        (Some(b'.'), Some(b'0'..=b'9')) => {
            // A second point begins a new number, where the first one was of the same.
            let last = list.rfind(|c: char| !c.is_ascii_digit());
            last.is_some_and(|at| list.as_bytes()[at] == b'.')
        }
        (_, Some(b'0'..=b'9' | b'.')) => false,
        _ => true,
    };
    if !joins {
        list.push(' ');
    }
    list.push_str(number);
}

/// A list of numbers, told in the same way.
pub(super) fn list(values: impl IntoIterator<Item = f64>, decimals: i32) -> String {
    let mut list = String::new();
    for value in values {
        append(&mut list, &number(value, decimals));
    }
    list
}

/// A length: a number, and a unit behind it that stays.
pub(super) fn length(text: &str, decimals: i32) -> Option<String> {
    let text = text.trim();
    let unit = text
        .rfind(|c: char| c.is_ascii_digit() || c == '.')
        .map_or(0, |at| at + 1);
    let (value, unit) = text.split_at(unit);
    let value: f64 = value.parse().ok()?;
    let decimals = if unit == "%" {
        decimals.max(2)
    } else {
        decimals
    };
    let number = number(value, decimals);
    Some(match unit {
        "px" => number,
        _ => format!("{number}{unit}"),
    })
}

/// Colours whose names are shorter than their numbers.
const NAMES: [(&str, [u8; 3]); 22] = [
    ("red", [255, 0, 0]),
    ("tan", [210, 180, 140]),
    ("aqua", [0, 255, 255]),
    ("blue", [0, 0, 255]),
    ("gold", [255, 215, 0]),
    ("gray", [128, 128, 128]),
    ("lime", [0, 255, 0]),
    ("navy", [0, 0, 128]),
    ("peru", [205, 133, 63]),
    ("pink", [255, 192, 203]),
    ("plum", [221, 160, 221]),
    ("snow", [255, 250, 250]),
    ("teal", [0, 128, 128]),
    ("azure", [240, 255, 255]),
    ("beige", [245, 245, 220]),
    ("brown", [165, 42, 42]),
    ("coral", [255, 127, 80]),
    ("green", [0, 128, 0]),
    ("ivory", [255, 255, 240]),
    ("olive", [128, 128, 0]),
    ("orange", [255, 165, 0]),
    ("purple", [128, 0, 128]),
];

/// A colour in as few letters as can be; `None` for what is no plain colour.
pub(super) fn colour(text: &str) -> Option<String> {
    let colour: Color = text.trim().parse().ok()?;
    (colour.alpha == 255).then(|| of_colour([colour.red, colour.green, colour.blue]))
}

/// The same of red, green and blue.
pub(super) fn of_colour(rgb: [u8; 3]) -> String {
    let hex: String = rgb.iter().map(|sample| format!("{sample:02x}")).collect();
    let digits = hex.as_bytes();
    let halves = [(0, 1), (2, 3), (4, 5)];
    let short = halves.iter().all(|&(a, b)| digits[a] == digits[b]);
    let code = match short {
        true => format!("#{}{}{}", &hex[0..1], &hex[2..3], &hex[4..5]),
        false => format!("#{hex}"),
    };
    let named = NAMES.iter().find(|(_, known)| *known == rgb);
    match named {
        Some((name, _)) if name.len() < code.len() => (*name).to_owned(),
        _ => code,
    }
}

/// A matrix a, b, c, d, e, f (SVG 2, section 8.5).
pub(super) type Matrix = [f64; 6];

/// What a list of transformations comes to.
pub(super) fn matrix(text: &str) -> Option<Matrix> {
    let mut whole = [1.0, 0.0, 0.0, 1.0, 0.0, 0.0];
    for token in TransformListParser::from(text) {
        let turn = |angle: f64| {
            let (sin, cos) = libm::sincos(angle.to_radians());
            [cos, sin, -sin, cos, 0.0, 0.0]
        };
        let next = match token.ok()? {
            TransformListToken::Matrix { a, b, c, d, e, f } => [a, b, c, d, e, f],
            TransformListToken::Translate { tx, ty } => [1.0, 0.0, 0.0, 1.0, tx, ty],
            TransformListToken::Scale { sx, sy } => [sx, 0.0, 0.0, sy, 0.0, 0.0],
            TransformListToken::Rotate { angle } => turn(angle),
            TransformListToken::SkewX { angle } => {
                [1.0, 0.0, libm::tan(angle.to_radians()), 1.0, 0.0, 0.0]
            }
            TransformListToken::SkewY { angle } => {
                [1.0, libm::tan(angle.to_radians()), 0.0, 1.0, 0.0, 0.0]
            }
        };
        whole = times(whole, next);
    }
    whole.iter().all(|value| value.is_finite()).then_some(whole)
}

pub(super) fn times([a, b, c, d, e, f]: Matrix, [g, h, i, j, k, l]: Matrix) -> Matrix {
    [
        a * g + c * h,
        b * g + d * h,
        a * i + c * j,
        b * i + d * j,
        a * k + c * l + e,
        b * k + d * l + f,
    ]
}

/// How much larger a matrix makes things.
pub(super) fn scale([a, b, c, d, ..]: Matrix) -> f64 {
    libm::sqrt((a * d - b * c).abs())
}

/// A list of transformations as one: nothing where it changes nothing. `fine` are the decimals of what is
/// multiplied with coordinates, `decimals` those of coordinates.
pub(super) fn transform(matrix: Matrix, fine: i32, decimals: i32) -> String {
    let [a, b, c, d, e, f] = matrix;
    let plain = |value: f64, wanted: f64| number(value, fine) == number(wanted, fine);
    let still = number(e, decimals) == "0" && number(f, decimals) == "0";
    let upright = plain(b, 0.0) && plain(c, 0.0);
    let moved = |name: &str, x: f64, y: f64, decimals: i32, both: bool| {
        let mut values = number(x, decimals);
        if both {
            append(&mut values, &number(y, decimals));
        }
        format!("{name}({values})")
    };
    match (upright, plain(a, 1.0) && plain(d, 1.0), still) {
        (true, true, true) => String::new(),
        (true, true, false) => moved("translate", e, f, decimals, number(f, decimals) != "0"),
        (true, false, true) => moved("scale", a, d, fine, !plain(a, d)),
        _ => {
            let mut values = list([a, b, c, d], fine);
            for value in [e, f] {
                append(&mut values, &number(value, decimals));
            }
            format!("matrix({values})")
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_and_colours_take_as_few_letters_as_say_the_same() {
        let cases = [
            (0.5, 3, ".5"),
            (-0.25, 3, "-.25"),
            (10.0, 2, "10"),
            (100.0, 0, "100"),
            (-0.0004, 3, "0"),
            (1.9999, 3, "2"),
        ];
        for (value, decimals, wanted) in cases {
            assert_eq!(number(value, decimals), wanted);
        }
        assert_eq!(list([1.5, 0.25, -3.0, 0.5, 7.0, 0.0], 2), "1.5.25-3 .5 7 0");
        assert_eq!(length(" 12.30px", 2).as_deref(), Some("12.3"));
        assert_eq!(length("1.50em", 1).as_deref(), Some("1.5em"));
        for (text, wanted) in [
            ("#FF0000", "red"),
            ("rgb(17, 34, 51)", "#123"),
            ("white", "#fff"),
            ("#123457", "#123457"),
            ("Navy", "navy"),
        ] {
            assert_eq!(colour(text).as_deref(), Some(wanted));
        }
        assert_eq!(colour("none"), None);
        assert_eq!(colour("rgba(0,0,0,.5)"), None);
    }

    #[test]
    fn transformations_are_joined() {
        let joined = |text: &str| transform(matrix(text).expect("a list"), 4, 2);
        assert_eq!(joined("translate(1 2) translate(-1,-2)"), "");
        assert_eq!(joined("translate(3) translate(0.5 0)"), "translate(3.5)");
        assert_eq!(joined("scale(2) scale(.5 2)"), "scale(1 4)");
        assert_eq!(joined("rotate(90 5 5)"), "matrix(0 1-1 0 10 0)");
    }
}
