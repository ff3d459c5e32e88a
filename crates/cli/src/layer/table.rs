//! The settings of a place, each declared once, in the order in which they are told.

use kiln_core::budget::Aim;
use kiln_core::encode::Format;
use kiln_core::pixels::{Fit, KnockOut, Rendering, Size};
use kiln_core::plan::{Choice, CodingWish, Extent, Wish, look_name};

use super::setting::{
    Opt, Refusal, Setting, Typed, all, alone, given, listed, look_of, looked, named, one, option,
    origin, put, unusual,
};
use super::{Bound, Layer};
use crate::wording;

/// The setting of a key.
pub fn find(key: &str) -> Option<&'static Setting> {
    SETTINGS.iter().find(|setting| setting.key == key)
}

/// The keys of all settings.
pub fn names() -> impl Iterator<Item = &'static str> {
    SETTINGS.iter().map(|setting| setting.key)
}

/// All settings.
pub(super) static SETTINGS: [Setting; 30] = [
    measure!(
        "width",
        |texts| Ok(Extent::Widths(all(texts, "a width", wording::parse_width)?)),
        option(
            "width",
            "PX,…",
            "Widths as displayed, in CSS pixels. Without any, every picture keeps its own."
        )
        .short('w'),
        |extent| match extent {
            Extent::Own => Some("each picture's own".to_owned()),
            Extent::Widths(widths) => Some(listed(widths)),
            _ => None,
        }
    ),
    measure!(
        "height",
        |texts| Ok(Extent::Heights(all(
            texts,
            "a height",
            wording::parse_width
        )?)),
        option(
            "height",
            "PX,…",
            "Heights as displayed, in CSS pixels, instead of widths."
        )
        .excludes(&["width"]),
        |extent| match extent {
            Extent::Heights(heights) => Some(listed(heights)),
            _ => None,
        }
    ),
    measure!(
        "long-side",
        |texts| Ok(Extent::LongSide(all(
            texts,
            "a long side",
            wording::parse_width
        )?)),
        option(
            "long-side",
            "PX,…",
            "Lengths of the longer side as displayed, in CSS pixels, instead of widths."
        )
        .excludes(&["width", "height"]),
        |extent| match extent {
            Extent::LongSide(sides) => Some(listed(sides)),
            _ => None,
        }
    ),
    measure!(
        "scale",
        |texts| Ok(Extent::Scale(one(texts, wording::parse_scale)?)),
        option(
            "scale",
            "PART",
            "A part of each picture's own size, such as 33%, instead of widths."
        )
        .excludes(&["width", "height", "long-side"]),
        |extent| match extent {
            Extent::Scale(part) => Some(format!("{}%", part * 100.0)),
            _ => None,
        }
    ),
    Setting {
        key: "densities",
        option: Some(
            option(
                "density",
                "RATIO,…",
                "Device pixel ratios to make each size for. [default: 1]",
            )
            .short('d'),
        ),
        take: |layer, texts, origin| {
            let densities = all(texts, "a density", wording::parse_density)?;
            put(&mut layer.densities, densities, origin)
        },
        apply: |layer, wish| wish.densities = given(&layer.densities, Wish::default().densities),
        tell: |layer, wish| Some((listed(&wish.densities), origin(&layer.densities))),
    },
    Setting {
        key: "formats",
        option: Some(
            option(
                "format",
                "FORMAT,…",
                "Formats to make: jpeg, png, webp, avif, svg (drawings stay drawings, marks of few flat \
                 colours are traced); or auto for the lightest of webp, jpeg and png, and of others \
                 named with it. [default: auto, or webp where a quality is set]",
            )
            .short('f'),
        ),
        take: |layer, texts, origin| {
            let formats = all(texts, "a format", wording::parse_choice)?;
            put(&mut layer.formats, wording::choices(&formats), origin)
        },
        apply: |layer, wish| {
            let searched = !matches!(&layer.bound, Some(bound) if matches!(bound.value, Bound::Dial(_)));
            let usual = if searched {
                Choice::everywhere([])
            } else {
                Format::WebP.into()
            };
            wish.formats = given(&layer.formats, vec![usual]);
        },
        tell: |layer, wish| Some((listed(&wish.formats), origin(&layer.formats))),
    },
    switch!(
        "keep-all",
        keep_all,
        "Keep pieces in every format of the list, also where one that more browsers show is lighter at \
         the same look.",
        |wish, keep| wish.keep_all = keep
    ),
    single!(
        "name",
        name,
        wording::parse_name,
        Some(
            option(
                "name",
                "PATTERN",
                "How pieces are named, below the out folder: a pattern with the fields {title}, \
                 {stem}, {verbatim}, {path}, {suffix}, {folders}, {place}, {width}, {height}, \
                 {density}, {number}, {digest} and \
                 {extension}. [default: {folders}/{title}-{width}]"
            )
            .short('n')
        ),
        |wish, name| wish.name = name,
        |_, wish| Some(wish.name.to_string())
    ),
    Setting {
        key: "look",
        option: Some(
            option(
                "look",
                "LOOK",
                "How good pieces shall look, as a visual score (SSIMULACRA2) by name or from 0 to \
                 100: plain 60, fine 75, crisp 85, faithful 90, exact without loss. Each piece is \
                 made as light as it allows. [default: fine]",
            )
            .short('l'),
        ),
        take: |layer, texts, origin| {
            let look = one(texts, wording::parse_look)?;
            if matches!(&layer.bound, Some(bound) if matches!(bound.value, Bound::Dial(_))) {
                return Err(Refusal::Twice(DIAL_AND_LOOK.to_owned()));
            }
            put(&mut layer.look, look, origin)
        },
        apply: |layer, wish| {
            let look = layer.look.as_ref().map(|given| given.value);
            wish.coding = look.map_or(CodingWish::default(), CodingWish::from);
        },
        tell: |layer, wish| {
            let value = match wish.coding {
                CodingWish::Look(wish) => look_name(wish.look),
                CodingWish::Exact => "exact".to_owned(),
                CodingWish::Dial(_) => return None,
            };
            Some((value, origin(&layer.look)))
        },
    },
    single!(
        "aim",
        aim,
        wording::parse_aim,
        Some(option(
            "aim",
            "AIM",
            "What to make of --max-weight: the lightest that reaches the look, or the sharpest that \
             fits. [default: lightest]"
        )),
        |wish, aim| looked(wish, |look| look.aim = aim),
        |_, wish| look_of(wish)
            .filter(|look| look.aim == Aim::Sharpest)
            .map(|_| "sharpest".to_owned())
    ),
    Setting {
        key: "max-weight",
        option: Some(
            option(
                "max-weight",
                "SIZE",
                "The most that a piece may weigh, such as 120KB or 0.1MiB. Bare numbers are bytes, \
                 KB is 1000 bytes, KiB 1024.",
            )
            .short('m'),
        ),
        take: |layer, texts, origin| {
            let most = Bound::Weight(one(texts, wording::parse_weight)?);
            alone(&mut layer.bound, most, origin, DIAL_AND_WEIGHT)
        },
        apply: |layer, wish| {
            wish.max_weight = match layer.bound.as_ref().map(|given| given.value) {
                Some(Bound::Weight(most)) => Some(most),
                Some(Bound::Dial(_)) | None => None,
            }
        },
        tell: |layer, wish| Some((wording::weight(wish.max_weight?), origin(&layer.bound))),
    },
    single!(
        "least-look",
        least_look,
        wording::parse_least_look,
        Some(option(
            "least-look",
            "LOOK",
            "How far a look may be lowered to keep --max-weight; below it, the piece is made over \
             its weight and named. [default: 50]"
        )),
        // Only one that is asked for may lie above the look, and is refused then.
        |wish, least| looked(wish, |look| look.least = least),
        |_, wish| look_of(wish)
            .filter(|_| wish.max_weight.is_some())
            .map(|look| look_name(look.least))
    ),
    switch!(
        "shrink-to-fit",
        shrink_to_fit,
        "Make a piece smaller, step by step, where even the least look weighs too much.",
        |wish, on| looked(wish, |look| look.shrink_to_fit = on)
    ),
    Setting {
        key: "quality",
        option: Some(
            option(
                "quality",
                "N",
                "The codec's own dial, 0 to 100, without a search.",
            )
            .short('q')
            .excludes(&["max-weight", "look", "least-look", "aim", "shrink-to-fit"]),
        ),
        take: |layer, texts, origin| {
            let dial = one(texts, wording::parse_quality)?;
            if layer.look.is_some() {
                return Err(Refusal::Twice(DIAL_AND_LOOK.to_owned()));
            }
            alone(&mut layer.bound, Bound::Dial(dial), origin, DIAL_AND_WEIGHT)
        },
        apply: |layer, wish| {
            if let Some(Bound::Dial(dial)) = layer.bound.as_ref().map(|given| given.value) {
                wish.coding = CodingWish::Dial(dial);
            }
        },
        tell: |layer, wish| match wish.coding {
            CodingWish::Dial(dial) => Some((dial.to_string(), origin(&layer.bound))),
            _ => None,
        },
    },
    single!(
        "pace",
        pace,
        wording::parse_pace,
        Some(option(
            "pace",
            "PACE",
            "How much time a piece may cost: quick, steady or patient. Slower is lighter at the \
             same look. [default: steady]"
        )),
        |wish, pace| wish.pace = pace,
        |_, wish| (wish.pace != Wish::default().pace).then(|| wording::pace(wish.pace).to_owned())
    ),
    single!(
        "progressive",
        progressive,
        wording::parse_passes,
        Some(option(
            "progressive",
            "YES|NO",
            "Whether a JPEG comes in several passes, coarse ones first: yes or no. [default: \
             whichever is lighter, mostly yes]"
        )),
        |wish, passes| wish.passes = passes,
        |_, wish| wording::passes(wish.passes).map(str::to_owned)
    ),
    Setting {
        key: "min-size",
        option: Some(option(
            "min-size",
            "WIDTHxHEIGHT",
            "The size that an original should have, such as 1200x675; smaller ones are told.",
        )),
        take: |layer, texts, origin| {
            let form = "it is a width and a height in pixels, such as 1200x675";
            let texts = match texts {
                Typed::One(text) => Typed::List(text.split(['x', '×', ',']).map(str::to_owned).collect()),
                texts => texts.clone(),
            };
            let sides = all(&texts, "a side", wording::parse_width).map_err(|_| form.to_owned())?;
            let size = match sides[..] {
                [width, height] => Size::new(width, height),
                _ => None,
            };
            put(
                &mut layer.min_size,
                size.ok_or_else(|| form.to_owned())?,
                origin,
            )
        },
        apply: |layer, wish| wish.min_size = layer.min_size.as_ref().map(|given| given.value),
        tell: |layer, wish| Some((wish.min_size?.to_string(), origin(&layer.min_size))),
    },
    switch!(
        "enlarge",
        enlarge,
        "Make pictures larger than they are where a size asks for it.",
        |wish, on| wish.enlarge = on
    ),
    switch!(
        "trim",
        trim,
        "Take uniform borders off first: all that is like the pixel in the left upper corner.",
        |wish, on| wish.framing.trim = on
    ),
    single!(
        "shape",
        shape,
        wording::parse_named,
        Some(
            option(
                "shape",
                "W:H",
                "Proportions that each picture is cropped to, such as 16:9. [default: its own]"
            )
            .short('s')
        ),
        |wish, shape| wish.framing.shape = Some(shape),
        |_, wish| wish.framing.shape.map(|shape| shape.to_string())
    ),
    single!(
        "focus",
        focus,
        wording::parse_named,
        Some(option(
            "focus",
            "FOCUS",
            "What a crop is laid around: centre, auto (what draws the eye), or a point such as \
             0.5,0.3 as parts of width and height. [default: centre]"
        )),
        |wish, focus| wish.framing.focus = focus,
        |_, wish| (wish.framing.shape.is_some() && wish.framing.fit == Fit::Crop)
            .then(|| wish.framing.focus.to_string())
    ),
    single!(
        "fit",
        fit,
        wording::parse_fit,
        Some(option(
            "fit",
            "FIT",
            "How a picture comes to its shape: crop, or pad with the backdrop. [default: crop]"
        )),
        |wish, fit| wish.framing.fit = fit,
        |_, wish| (wish.framing.shape.is_some() && wish.framing.fit == Fit::Pad)
            .then(|| "pad".to_owned())
    ),
    single!(
        "turn",
        turn,
        wording::parse_turn,
        Some(option(
            "turn",
            "DEGREES",
            "Turn pictures clockwise, once they stand upright: 90, 180, 270."
        )),
        |wish, turn| wish.framing.turn = turn,
        |layer, _| named(&layer.turn, &wording::TURNS)
    ),
    single!(
        "mirror",
        mirror,
        wording::parse_mirror,
        Some(option(
            "mirror",
            "SIDES",
            "Mirror pictures: horizontal (left and right change places) or vertical."
        )),
        |wish, mirror| wish.framing.turn = wish.framing.turn.then(mirror),
        |layer, _| named(&layer.mirror, &wording::MIRRORS)
    ),
    single!(
        "knock-out",
        knock_out,
        wording::parse_knock_out,
        Some(option(
            "knock-out",
            "COLOUR",
            "Make a plain background transparent, from the border inwards: auto (what the border \
             shows), white, black or #RRGGBB."
        )),
        |wish, colour| wish.rendering.knock_out = Some(KnockOut {
            colour,
            holes: false,
        }),
        |_, wish| wish.rendering.knock_out.map(|wish| wish.to_string())
    ),
    switch!(
        "knock-out-holes",
        knock_out_holes,
        "With --knock-out: also where that colour does not touch the border, as in an O.",
        |wish, holes| if let Some(knock_out) = &mut wish.rendering.knock_out {
            knock_out.holes = holes;
        }
    ),
    single!(
        "sizing",
        sizing,
        wording::parse_named,
        Some(option(
            "sizing",
            "SIZING",
            "How pixels are computed: clear (sharp, without halos), gentle (calms grain), even \
             (plain means), hard (pixels stay pixels, for pixel art and codes). [default: clear]"
        )),
        |wish, kernel| wish.rendering.kernel = kernel,
        |_, wish| unusual(wish.rendering.kernel, Rendering::default().kernel)
    ),
    single!(
        "sharpen",
        sharpen,
        wording::parse_named,
        Some(option(
            "sharpen",
            "HOW",
            "Make sized pictures crisper: none, soft, crisp. [default: none]"
        )),
        |wish, sharpen| wish.rendering.sharpen = sharpen,
        |_, wish| unusual(wish.rendering.sharpen, Rendering::default().sharpen)
    ),
    single!(
        "colour",
        colour,
        wording::parse_named,
        Some(option(
            "colour",
            "COLOURS",
            "Colours: srgb, or keep (as Display P3 where the picture holds more). [default: srgb]"
        )),
        |wish, colour| wish.rendering.colour = colour,
        |_, wish| unusual(wish.rendering.colour, Rendering::default().colour)
    ),
    Setting {
        key: "backdrop",
        option: Some(option(
            "backdrop",
            "COLOUR",
            "What stands around a padded picture, and behind transparent pixels in JPEG: white, \
             black, transparent or #RRGGBB. [default: white]",
        )),
        take: |layer, texts, origin| {
            let backdrop = one(texts, wording::parse_backdrop)?;
            put(&mut layer.backdrop, backdrop, origin)
        },
        apply: |layer, wish| wish.backdrop = given(&layer.backdrop, wish.backdrop),
        tell: |layer, wish| {
            let pads = wish.framing.fit == Fit::Pad;
            let flattens = wish.all_formats().any(|format| !format.holds_alpha());
            (pads || flattens).then(|| (wish.backdrop.to_string(), origin(&layer.backdrop)))
        },
    },
];

const DIAL_AND_LOOK: &str = "quality sets a dial and look searches for one; take one out";

const DIAL_AND_WEIGHT: &str = "quality sets a dial and max-weight searches for one; take one out";
