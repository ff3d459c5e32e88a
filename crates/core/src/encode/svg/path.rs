//! The data of paths (SVG 2, section 9.3), written again: each step from where the last one really ended,
//! absolute or relative, whichever takes fewer letters.

use svgtypes::{PathParser, PathSegment};

use super::numbers::{append, number, rounded};

type Point = (f64, f64);

/// A step of a path, in absolute coordinates.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Step {
    Move(Point),
    Line(Point),
    Cubic(Point, Point, Point),
    Quadratic(Point, Point),
    Arc {
        radii: Point,
        turn: f64,
        large: bool,
        sweep: bool,
        to: Point,
    },
    Close,
}

/// Reads the data of a path up to its first mistake, as it is drawn.
pub(super) fn read(data: &str) -> Vec<Step> {
    let (mut steps, mut pen, mut start) = (Vec::new(), (0.0, 0.0), (0.0, 0.0));
    // The last control point, as a smooth curve mirrors it.
    let (mut cubic, mut quadratic) = (None, None);
    for segment in PathParser::from(data) {
        let Ok(segment) = segment else {
            break;
        };
        let from: Point = pen;
        let base = |abs: bool| if abs { (0.0, 0.0) } else { from };
        let at = |abs: bool, x: f64, y: f64| (base(abs).0 + x, base(abs).1 + y);
        let mirrored = |control: Option<Point>| {
            control.map_or(from, |(x, y)| (2.0 * from.0 - x, 2.0 * from.1 - y))
        };
        let step = match segment {
            PathSegment::MoveTo { abs, x, y } => Step::Move(at(abs, x, y)),
            PathSegment::LineTo { abs, x, y } => Step::Line(at(abs, x, y)),
            PathSegment::HorizontalLineTo { abs, x } => Step::Line((base(abs).0 + x, from.1)),
            PathSegment::VerticalLineTo { abs, y } => Step::Line((from.0, base(abs).1 + y)),
            PathSegment::CurveTo {
                abs,
                x1,
                y1,
                x2,
                y2,
                x,
                y,
            } => Step::Cubic(at(abs, x1, y1), at(abs, x2, y2), at(abs, x, y)),
            PathSegment::SmoothCurveTo { abs, x2, y2, x, y } => {
                Step::Cubic(mirrored(cubic), at(abs, x2, y2), at(abs, x, y))
            }
            PathSegment::Quadratic { abs, x1, y1, x, y } => {
                Step::Quadratic(at(abs, x1, y1), at(abs, x, y))
            }
            PathSegment::SmoothQuadratic { abs, x, y } => {
                Step::Quadratic(mirrored(quadratic), at(abs, x, y))
            }
            PathSegment::EllipticalArc {
                abs,
                rx,
                ry,
                x_axis_rotation,
                large_arc,
                sweep,
                x,
                y,
            } => Step::Arc {
                radii: (rx, ry),
                turn: x_axis_rotation,
                large: large_arc,
                sweep,
                to: at(abs, x, y),
            },
            PathSegment::ClosePath { .. } => Step::Close,
        };
        (cubic, quadratic) = match step {
            Step::Cubic(_, second, _) => (Some(second), None),
            Step::Quadratic(control, _) => (None, Some(control)),
            _ => (None, None),
        };
        pen = match step {
            Step::Move(to) => {
                start = to;
                to
            }
            Step::Line(to)
            | Step::Cubic(_, _, to)
            | Step::Quadratic(_, to)
            | Step::Arc { to, .. } => to,
            Step::Close => start,
        };
        steps.push(step);
    }
    steps
}

/// Writes a path with so many decimals.
pub(super) fn write(steps: &[Step], decimals: i32) -> String {
    let mut pen = Pen {
        text: String::new(),
        last: None,
        at: (0.0, 0.0),
        start: (0.0, 0.0),
        cubic: None,
        quadratic: None,
        decimals,
    };
    for (index, step) in steps.iter().enumerate() {
        // The first of two moves draws nothing.
        let again = matches!(steps.get(index + 1), Some(Step::Move(_)));
        if !(matches!(step, Step::Move(_)) && again) {
            pen.step(*step);
        }
    }
    // Nor does one at the end.
    match pen.text.rfind(['M', 'm']) {
        Some(at) if matches!(steps.last(), Some(Step::Move(_))) && at > 0 => {
            pen.text[..at].to_owned()
        }
        _ => pen.text,
    }
}

struct Pen {
    text: String,
    /// The letter of the last step.
    last: Option<char>,
    /// Where a reader's pen is, rounding included.
    at: Point,
    start: Point,
    cubic: Option<Point>,
    quadratic: Option<Point>,
    decimals: i32,
}

/// A way to write a step: its letter, what is written behind it, and where that leads.
struct Writing {
    letter: char,
    values: Vec<String>,
}

impl Pen {
    fn step(&mut self, step: Step) {
        let decimals = self.decimals;
        let from = self.at;
        let (cubic, quadratic) = (self.cubic.take(), self.quadratic.take());
        let mirrored = |control: Option<Point>| {
            control.map_or(from, |(x, y)| (2.0 * from.0 - x, 2.0 * from.1 - y))
        };
        let same = |a: Point, b: Point| {
            let near = |a: f64, b: f64| number(a - b, decimals) == "0";
            near(a.0, b.0) && near(a.1, b.1)
        };
        let near = |a: f64, b: f64| number(a - b, decimals) == "0";
        match step {
            Step::Close => {
                if self.last != Some('z') {
                    self.text.push('z');
                }
                self.last = Some('z');
                self.at = self.start;
            }
            Step::Move(to) => {
                self.points(('M', 'm'), &[to]);
                self.start = self.at;
            }
            Step::Line(to) if near(to.1, from.1) && !near(to.0, from.0) => {
                let to = self.single(('H', 'h'), to.0, from.0);
                self.at = (to, from.1);
            }
            Step::Line(to) if near(to.0, from.0) && !near(to.1, from.1) => {
                let to = self.single(('V', 'v'), to.1, from.1);
                self.at = (from.0, to);
            }
            Step::Line(to) => {
                self.points(('L', 'l'), &[to]);
            }
            Step::Cubic(first, second, to) => {
                let control = if same(first, mirrored(cubic)) {
                    self.points(('S', 's'), &[second, to])
                } else {
                    self.points(('C', 'c'), &[first, second, to])
                };
                // As a reader has it.
                self.cubic = Some(control_of(second, from, decimals, control));
            }
            Step::Quadratic(control, to) => {
                let mirror = mirrored(quadratic);
                if quadratic.is_some() && same(control, mirror) {
                    self.points(('T', 't'), &[to]);
                    self.quadratic = Some(mirror);
                } else {
                    let relative = self.points(('Q', 'q'), &[control, to]);
                    self.quadratic = Some(control_of(control, from, decimals, relative));
                }
            }
            Step::Arc {
                radii,
                turn,
                large,
                sweep,
                to,
            } => {
                let flag = |set: bool| if set { "1" } else { "0" };
                let before = [
                    number(radii.0, decimals),
                    number(radii.1, decimals),
                    number(turn, 2),
                ];
                let flags = format!("{}{}", flag(large), flag(sweep));
                let relative = [(to.0 - from.0), (to.1 - from.1)].map(|v| number(v, decimals));
                let absolute = [to.0, to.1].map(|v| number(v, decimals));
                let writing = |letter: char, end: &[String; 2]| {
                    // Flags need no space behind them.
                    let mut last = flags.clone();
                    last.push_str(&end[0]);
                    let mut values = before.to_vec();
                    values.extend([last, end[1].clone()]);
                    Writing { letter, values }
                };
                let parsed = |text: &String| text.parse::<f64>().unwrap_or(0.0);
                let is_relative = self.shorter(writing('A', &absolute), writing('a', &relative));
                self.at = match is_relative {
                    true => (from.0 + parsed(&relative[0]), from.1 + parsed(&relative[1])),
                    false => (parsed(&absolute[0]), parsed(&absolute[1])),
                };
            }
        }
    }

    /// Writes points; tells whether as seen from the pen.
    fn points(&mut self, (absolute, relative): (char, char), points: &[Point]) -> bool {
        let (from, decimals) = (self.at, self.decimals);
        let writing = |letter: char, base: Point| {
            let values = points
                .iter()
                .flat_map(|point| [point.0 - base.0, point.1 - base.1]);
            Writing {
                letter,
                values: values.map(|value| number(value, decimals)).collect(),
            }
        };
        let is_relative = self.shorter(writing(absolute, (0.0, 0.0)), writing(relative, from));
        if let Some(&to) = points.last() {
            self.at = control_of(to, from, decimals, is_relative);
        }
        is_relative
    }

    /// Writes one coordinate; tells where that leads.
    fn single(&mut self, (absolute, relative): (char, char), to: f64, from: f64) -> f64 {
        let decimals = self.decimals;
        let writing = |letter: char, value: f64| Writing {
            letter,
            values: vec![number(value, decimals)],
        };
        match self.shorter(writing(absolute, to), writing(relative, to - from)) {
            true => from + rounded(to - from, decimals),
            false => rounded(to, decimals),
        }
    }

    /// Writes the shorter of two, the second where both are as long; tells whether it was that.
    fn shorter(&mut self, one: Writing, two: Writing) -> bool {
        let texts = [one, two].map(|writing| {
            let mut text = String::new();
            // A line behind a move, and whatever is like the last, needs no letter.
            let implied = match self.last {
                Some('M') => 'L',
                Some('m') => 'l',
                Some(last) => last,
                None => ' ',
            };
            let repeats = writing.letter == implied && !matches!(writing.letter, 'M' | 'm');
            let mut whole = if repeats {
                self.text.clone_tail()
            } else {
                String::new()
            };
            let known = whole.len();
            if !repeats {
                whole.push(writing.letter);
            }
            for value in &writing.values {
                append(&mut whole, value);
            }
            text.push_str(&whole[known..]);
            (text, writing.letter)
        });
        let second = texts[1].0.len() <= texts[0].0.len();
        let (text, letter) = &texts[usize::from(second)];
        self.text.push_str(text);
        self.last = Some(*letter);
        second
    }
}

/// The end of a text, as far as it decides what may follow.
trait Tail {
    fn clone_tail(&self) -> String;
}

impl Tail for String {
    fn clone_tail(&self) -> String {
        let start = self.rfind(|c: char| !c.is_ascii_digit()).unwrap_or(0);
        self[start..].to_owned()
    }
}

/// A point once it is read again.
fn control_of(point: Point, from: Point, decimals: i32, relative: bool) -> Point {
    match relative {
        true => (
            from.0 + rounded(point.0 - from.0, decimals),
            from.1 + rounded(point.1 - from.1, decimals),
        ),
        false => (rounded(point.0, decimals), rounded(point.1, decimals)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn paths_say_the_same_in_fewer_letters() {
        let cases = [
            ("M 10,10 L 20,10 L 20,20 L 10,20 Z", "m10 10h10v10H10z"),
            (
                "M0 0 C 1 2 3 4 5 6 C 7 8 9 10 11 12",
                "m0 0c1 2 3 4 5 6s4 4 6 6",
            ),
            ("M.5.5l.25-.25.25.25", "m.5.5.25-.25L1 .5"),
            ("M0,0 A 5 5 0 0 1 10 0 z", "m0 0a5 5 0 0110 0z"),
            ("M0 0Q5 5 10 0T20 0", "m0 0q5 5 10 0t10 0"),
            ("M1 1M2 2L3 3M9 9", "m2 2 1 1"),
            ("M5 5 L x", "m5 5"),
        ];
        for (data, wanted) in cases {
            assert_eq!(write(&read(data), 2), wanted, "{data}");
        }
    }

    /// However many steps there are, roundings do not add up.
    #[test]
    fn a_long_path_ends_where_it_ended() {
        let steps = (1..1000).map(|i| Step::Line((f64::from(i) * 0.333, f64::from(i % 7) * 0.111)));
        let steps: Vec<Step> = [Step::Move((0.0, 0.0))].into_iter().chain(steps).collect();
        let again = read(&write(&steps, 2));
        assert_eq!(again.len(), steps.len());
        for (step, again) in steps.iter().zip(&again) {
            let (Step::Line(a) | Step::Move(a), Step::Line(b) | Step::Move(b)) = (step, again)
            else {
                panic!("{again:?}");
            };
            assert!(
                (a.0 - b.0).abs() <= 0.0051 && (a.1 - b.1).abs() <= 0.0051,
                "{a:?} {b:?}"
            );
        }
    }
}
