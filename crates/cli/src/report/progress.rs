//! Progress on standard error, while that is a terminal.

use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Duration;

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};

use super::Channels;
use crate::settings::{Settings, Telling};
use crate::wording;

/// A bar with the count of pieces and the names of the pictures in work.
pub struct Progress {
    bar: ProgressBar,
    in_work: Vec<String>,
}

impl Progress {
    /// A bar for so many pieces; hidden where nobody would see it or nobody wants it.
    pub fn start(pieces: usize, settings: &Settings, channels: &Channels) -> Self {
        let shown = channels.progress && settings.telling != Telling::Quiet;
        let target = drawn(shown);

        Progress {
            bar: bar(pieces, "pieces", target),
            in_work: Vec::new(),
        }
    }

    /// A picture is taken in hand.
    pub fn began(&mut self, name: &str) {
        self.in_work.push(wording::safe(name));
        self.bar.set_message(self.in_work.join(", "));
    }

    /// A piece is done.
    pub fn piece(&mut self) {
        self.bar.inc(1);
    }

    /// So many pieces more are to be made.
    pub fn more(&mut self, pieces: usize) {
        self.bar.inc_length(pieces as u64);
    }

    /// A picture is done; so many of its pieces were given up.
    pub fn ended(&mut self, name: &str, given_up: usize) {
        self.bar.inc(given_up as u64);
        let name = wording::safe(name);
        if let Some(at) = self.in_work.iter().position(|n| *n == name) {
            self.in_work.remove(at);
        }
        self.bar.set_message(self.in_work.join(", "));
    }

    /// All is done; the bar goes away.
    pub fn end(self) {
        self.bar.finish_and_clear();
    }
}

/// A bar that only counts.
pub struct Counting {
    bar: ProgressBar,
}

impl Counting {
    /// A bar for so many things; hidden where nobody would see it.
    pub fn start(count: usize, things: &'static str, channels: &Channels) -> Self {
        Counting {
            bar: bar(count, things, drawn(channels.progress)),
        }
    }

    /// One more is done.
    pub fn one(&self) {
        self.bar.inc(1);
    }

    /// All is done; the bar goes away.
    pub fn end(self) {
        self.bar.finish_and_clear();
    }
}

/// A bar of bytes on their way, with their rate and the time that is left.
pub struct Sending<'a> {
    bar: ProgressBar,
    meter: &'a AtomicU64,
}

impl<'a> Sending<'a> {
    /// A bar for so many bytes, of which `meter` counts those that went; hidden where nobody would see it or
    /// nobody wants it.
    pub fn start(bytes: u64, meter: &'a AtomicU64, channels: &Channels, quiet: bool) -> Self {
        let target = drawn(channels.progress && !quiet);
        let template = "{prefix} {bar:24.yellow} {msg}";
        Sending {
            bar: styled(bytes, template, target),
            meter,
        }
    }

    /// Shows what went until now.
    pub fn tick(&self) {
        let (went, all) = (self.meter.load(Ordering::Relaxed), self.bar.length());
        self.bar.set_position(went);
        let all = wording::weight(all.unwrap_or(0));
        self.bar
            .set_prefix(format!("{} of {all}", wording::weight(went)));
        let rate = self.bar.per_sec();
        if rate >= 1.0 {
            let rate = wording::weight(rate as u64);
            let left = wording::time(self.bar.eta().as_secs_f64());
            self.bar
                .set_message(format!("{rate} a second, {left} left"));
        }
    }

    /// All is done; the bar goes away.
    pub fn end(self) {
        self.bar.finish_and_clear();
    }
}

fn bar(count: usize, things: &str, target: ProgressDrawTarget) -> ProgressBar {
    let template = format!("{{pos}}/{{len}} {things} {{bar:24.yellow}} {{wide_msg}}");
    styled(count as u64, &template, target)
}

fn styled(length: u64, template: &str, target: ProgressDrawTarget) -> ProgressBar {
    let bar = ProgressBar::with_draw_target(Some(length), target);
    // Templates are constants; if one were wrong, the plain bar would do.
    if let Ok(style) = ProgressStyle::with_template(template) {
        bar.set_style(style.progress_chars("━━╌"));
    }
    bar.enable_steady_tick(Duration::from_millis(200));
    bar
}

/// Where a bar goes: nowhere where nobody wants it.
fn drawn(shown: bool) -> ProgressDrawTarget {
    if shown {
        ProgressDrawTarget::stderr()
    } else {
        ProgressDrawTarget::hidden()
    }
}
