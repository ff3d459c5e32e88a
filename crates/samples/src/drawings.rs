//! Logo, poster, chart and beacon: drawn as SVG, most of them stored as pixels.

use resvg::tiny_skia::{Pixmap, Transform};
use resvg::usvg::{Options, Tree};

use crate::camera::fail;
use crate::noise::cell;

/// The mark alone, in a square of 240.
const MARK: &str = r##"<circle cx="120" cy="120" r="112" fill="#12324A"/>
<path d="M8 150 a112 112 0 0 0 224 0 q-28 14 -56 0 t-56 0 t-56 0 t-56 0z" fill="#2F7C8C"/>
<path d="M20 168 q25 12 50 0 t50 0 t50 0 t50 0" fill="none" stroke="#BFE3DF" stroke-width="5"/>
<path d="M112 74 L14 46 L20 92z" fill="#F4C95D" fill-opacity=".9"/>
<path d="M128 74 L226 46 L220 92z" fill="#F4C95D" fill-opacity=".55"/>
<path d="M104 96 h32 l12 76 h-56z" fill="#FFF8EA"/>
<path d="M101.500 112 h37 l3 19 h-43z M96 147 h48 l3.200 20 h-54.400z" fill="#C4412F"/>
<path d="M98 88 h44 v8 h-44z M108 60 h24 v28 h-24z" fill="#FFF8EA"/>
<circle cx="120" cy="74" r="9" fill="#F4C95D"/>
<path d="M104 60 q16 -30 32 0z" fill="#C4412F"/>"##;

/// The mark as a file of its own.
pub fn mark() -> String {
    format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 240 240\">\n\
         <title>Tern Point Light</title>\n{MARK}\n</svg>\n"
    )
}

/// Mark and name, drawn into the middle of a canvas.
pub fn logo(width: u32, height: u32, scale: f32, backdrop: Option<&str>) -> Pixmap {
    let (w, h) = (940.0 * scale, 240.0 * scale);
    let (x, y) = ((width as f32 - w) / 2.0, (height as f32 - h) / 2.0);
    let behind = backdrop.map_or(String::new(), |colour| {
        format!("<rect width='{width}' height='{height}' fill='{colour}'/>")
    });
    draw(
        width,
        height,
        &format!(
            "{behind}<g transform='translate({x} {y}) scale({scale})'>{MARK}\
         <g fill='#12324A'><text x='270' y='128' font-size='98'>Tern Point Light</text>\
         <text x='274' y='186' font-size='38' fill='#2F7C8C' letter-spacing='6'>GUEST HOUSE · MUSEUM</text></g></g>"
        ),
    )
}

/// The poster beside the door, with small print.
pub fn opening_hours() -> Pixmap {
    let rows = [
        ("Lantern tours", "daily", "10:00 · 12:00 · 14:00 · 16:00"),
        ("Museum of signals", "Tue – Sun", "10:00 – 17:30"),
        ("Fog horn demonstration", "Sat", "15:00 (bring ear plugs)"),
        ("Tea room", "daily", "09:00 – 18:00"),
        ("Guest house desk", "daily", "08:00 – 11:00, 16:00 – 21:00"),
        (
            "Night watch with the keeper",
            "Fri, new moon",
            "21:30, book ahead",
        ),
    ];
    let mut body = String::from(
        "<rect width='1654' height='2339' fill='#FBF6EA'/><rect x='60' y='60' width='1534' height='2219' fill='none' stroke='#12324A' stroke-width='6'/>\
         <g transform='translate(707 120)'><g>",
    );
    body += MARK;
    body += "</g></g><g fill='#12324A'><text x='827' y='500' font-size='128' text-anchor='middle'>Opening hours</text>\
         <text x='827' y='570' font-size='44' text-anchor='middle' fill='#2F7C8C'>1 April to 31 October · closed in storms of force 10 and above</text>";
    for (index, (what, when, hours)) in rows.iter().enumerate() {
        let y = 720 + index * 118;
        body += &format!(
            "<text x='150' y='{y}' font-size='50'>{what}</text><text x='860' y='{y}' font-size='40' fill='#C4412F'>{when}</text>\
             <text x='1500' y='{y}' font-size='40' text-anchor='end'>{hours}</text>\
             <path d='M150 {l} H1500' stroke='#C9BFA5' stroke-width='2'/>",
            l = y + 36
        );
    }
    let small = [
        "The tower has 127 steps and no lift. Children under eight climb with a grown-up; the gallery is closed in winds above 17 m/s.",
        "Tickets: adults 9.50, children 4.00, families (2 + 3) 22.00. Members of the Trust and residents of the parish enter free.",
        "The ground floor, the tea room and the tactile model of the lens are step-free. Guide dogs are welcome everywhere but the lantern.",
        "The last tour starts forty minutes before sunset. The causeway floods at spring tides: mind the table at the gate, the sea keeps to it.",
        "Photographs for private use are welcome. Please no flash in the lamp room: the lens was ground in 1871 and is older than any of us.",
    ];
    for (index, line) in small.iter().enumerate() {
        body += &format!(
            "<text x='150' y='{}' font-size='24'>{line}</text>",
            1500 + index * 44
        );
    }
    for index in 0..38 {
        let (x, y) = (150 + index % 2 * 700, 1790 + index / 2 * 21);
        let (high, low) = (cell(index, 0, 5) * 12.0, 6.0 + cell(index, 1, 5) * 6.0);
        body += &format!(
            "<text x='{x}' y='{y}' font-size='15' fill='#4A5A66'>{:02} June   high water {:02}:{:02}  {:.1} m   low water {:02}:{:02}  {:.1} m   sunset 21:{:02}</text>",
            index + 1,
            high as u32,
            (high.fract() * 60.0) as u32,
            4.0 + cell(index, 2, 5) * 2.2,
            low as u32 + 6,
            (low.fract() * 60.0) as u32,
            0.4 + cell(index, 3, 5),
            20 + index / 2
        );
    }
    body += "<text x='827' y='2245' font-size='26' text-anchor='middle' fill='#2F7C8C'>Tern Point Light Trust · The Causeway · telephone the bell</text></g>";
    draw(1654, 2339, &body)
}

/// A chart of the coast in flat colours.
pub fn coast_chart() -> Pixmap {
    let mut coast = String::from("M0 0 H2400 V420 ");
    let mut shoals = [coast.clone(), coast.clone()];
    for step in 0..=48 {
        let x = 2400.0 - step as f32 * 50.0;
        let bay = 200.0 * (step as f32 * 0.27).sin() + 90.0 * (step as f32 * 0.71 + 1.0).sin();
        let y = 640.0 + bay + 60.0 * cell(step, 0, 9);
        coast += &format!("L{x} {y:.0} ");
        for (line, reach) in shoals.iter_mut().zip([130.0, 330.0]) {
            *line += &format!("L{x} {:.0} ", y + reach + 40.0 * cell(step, 1, 9));
        }
    }
    let [shallow, shelf] = shoals;
    let mut body = format!(
        "<rect width='2400' height='1600' fill='#8FC1D4'/><path d='{shelf}Z' fill='#B5D9E4'/><path d='{shallow}Z' fill='#D8ECEF'/>\
         <path d='{coast}Z' fill='#EBD9A8' stroke='#7A6A3A' stroke-width='5'/>"
    );
    for index in 0..90 {
        let (x, y) = (
            80.0 + cell(index, 3, 9) * 2240.0,
            1000.0 + cell(index, 4, 9) * 540.0,
        );
        body += &format!(
            "<text x='{x:.0}' y='{y:.0}' font-size='26' fill='#1F4E68'>{:.0}</text>",
            (y - 850.0) / 14.0
        );
    }
    for ring in [90, 180, 270] {
        body += &format!(
            "<circle cx='980' cy='760' r='{ring}' fill='none' stroke='#B23A8E' stroke-width='3' stroke-dasharray='14 10'/>"
        );
    }
    body += "<path d='M980 730 l14 40 h-28z M968 706 h24 v16 h-24z' fill='#C4412F'/>\
        <g fill='#3A3320'><text x='1010' y='720' font-size='40'>Tern Point Lt Fl(2) 10s 41m 19M</text>\
        <text x='300' y='230' font-size='64'>THE SALTINGS</text><text x='1620' y='250' font-size='64'>LOW MOOR</text>\
        <text x='1560' y='1480' font-size='46' fill='#1F4E68'>Soundings in metres · not for navigation</text></g>\
        <g transform='translate(240 1320)' stroke='#1F4E68' stroke-width='5' fill='none'><circle r='130'/><path d='M0 -160 L28 0 L0 160 L-28 0z M-160 0 L0 28 L160 0 L0 -28z' fill='#F5F1E0'/></g>";
    draw(2400, 1600, &body)
}

/// One frame of the turning beacon.
pub fn beacon(frame: u32, frames: u32) -> Pixmap {
    let angle = frame as f32 * 360.0 / frames as f32;
    draw(
        480,
        320,
        &format!(
            "<rect width='480' height='320' fill='#12324A'/><g transform='rotate({angle} 240 130)'>\
         <path d='M240 130 L-60 60 L-60 200z' fill='#F4C95D'/><path d='M240 130 L540 95 L540 165z' fill='#7E7A58'/></g>\
         <path d='M0 250 h480 v70 h-480z' fill='#2F7C8C'/><path d='M222 150 h36 l16 130 h-68z' fill='#FFF8EA'/>\
         <path d='M219 176 h42 l4 30 h-50z' fill='#C4412F'/><circle cx='240' cy='130' r='20' fill='#FFF8EA'/>"
        ),
    )
}

fn draw(width: u32, height: u32, body: &str) -> Pixmap {
    let svg = format!(
        "<svg xmlns='http://www.w3.org/2000/svg' width='{width}' height='{height}' font-family='Ubuntu'>{body}</svg>"
    );
    let mut options = Options::default();
    options
        .fontdb_mut()
        .load_font_data(epaint_default_fonts::UBUNTU_LIGHT.to_vec());
    options.font_family = "Ubuntu".to_owned();
    let tree = Tree::from_str(&svg, &options).unwrap_or_else(|e| fail("drawing", e));
    let mut pixels = Pixmap::new(width, height).unwrap_or_else(|| fail("drawing", "no size"));
    resvg::render(&tree, Transform::default(), &mut pixels.as_mut());
    pixels
}
