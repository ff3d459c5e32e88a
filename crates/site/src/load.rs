//! How long a page takes to come over a link: a stated model, not a measurement.
//!
//! Each file is asked for once what refers to it has come. A host costs a round trip for its name, one
//! for the connection and, with TLS 1.3, one more; each request costs one. Without TLS six files at a
//! time come from a host, each over a connection of its own that is kept (HTTP/1.1); with TLS all at
//! once over one connection (HTTP/2). The files that are coming share the bandwidth equally. The browser
//! itself takes a tenth of a second; the slow beginning of connections is left out.
//!
//! Beside Chromium, on a server that behaves like the links below and without TLS (`benches/pages_beside_chromium.py`):
//! of 12 loads of pages of 120 KB to 7 MB nine are within 10%, two within 20%; one of 0.45 s is told as 0.31 s.

/// A link that visitors come over.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Link {
    /// Its name.
    pub name: &'static str,
    /// Bits a second.
    pub rate: f64,
    /// Seconds of a round trip.
    pub delay: f64,
}

/// The slowest of them.
pub const SLOW_PHONE: Link = Link {
    name: "slow phone",
    rate: 1.6e6,
    delay: 0.3,
};

/// The links that load times are told for.
pub const LINKS: [Link; 3] = [
    SLOW_PHONE,
    Link {
        name: "fast phone",
        rate: 12e6,
        delay: 0.07,
    },
    Link {
        name: "cable",
        rate: 50e6,
        delay: 0.02,
    },
];

/// Files that a browser asks a host for at a time, without TLS.
const AT_A_TIME: usize = 6;

/// Seconds that a browser takes to make sense of a page.
const BROWSER: f64 = 0.1;

/// Round trips before a host can be asked: its name and the connection.
const GREETING: f64 = 2.0;

impl Link {
    /// Seconds until so many files of so many bytes together have come from a host that is known.
    pub fn seconds(&self, files: usize, bytes: u64) -> f64 {
        bytes as f64 * 8.0 / self.rate + files.div_ceil(AT_A_TIME) as f64 * self.delay
    }
}

/// A file that a page loads.
#[derive(Clone, Debug, PartialEq)]
pub struct File {
    /// The host, as a number.
    pub host: usize,
    /// Whether it comes by TLS.
    pub is_secure: bool,
    /// Bytes on the way.
    pub bytes: u64,
    /// The file that refers to it, by its index; it has to come first.
    pub after: Option<usize>,
}

/// Where a file is on its way.
#[derive(Clone, Copy, PartialEq)]
enum Stage {
    /// Not known yet.
    Unknown,
    /// To be asked for once a connection is free.
    Waiting,
    /// Asked for: it begins to come at this second.
    Asked(f64),
    /// It comes; so many bytes are left.
    Coming(f64),
    Here,
}

/// The connections to a host.
#[derive(Clone, Copy, Default)]
struct Connections {
    /// Second at which its name is known; `None` before it was ever asked for.
    known: Option<f64>,
    /// Second at which the shared connection is ready.
    ready: f64,
    /// How many are open.
    open: usize,
    /// How many of these are idle.
    idle: usize,
}

/// Seconds until all files have come.
pub fn seconds(files: &[File], link: &Link) -> f64 {
    let hosts = files.iter().map(|file| file.host + 1).max().unwrap_or(0);
    let mut hosts = vec![Connections::default(); hosts];
    let mut stages = vec![Stage::Unknown; files.len()];
    let (mut now, rate) = (0.0f64, link.rate / 8.0);
    loop {
        for (index, file) in files.iter().enumerate() {
            let is_known = file.after.is_none_or(|after| {
                // What leads to itself, or forward in a circle, waits for nothing.
                after >= files.len() || after == index || stages[after] == Stage::Here
            });
            if stages[index] == Stage::Unknown && is_known {
                stages[index] = Stage::Waiting;
            }
            if stages[index] == Stage::Waiting
                && let Some(begins) = hosts[file.host].ask(now, file.is_secure, link)
            {
                stages[index] = Stage::Asked(begins);
            }
        }
        let coming = stages
            .iter()
            .filter(|stage| matches!(stage, Stage::Coming(_)));
        let share = rate / coming.count().max(1) as f64;
        let next = stages.iter().filter_map(|stage| match stage {
            Stage::Asked(begins) => Some(*begins),
            Stage::Coming(left) => Some(now + left / share),
            _ => None,
        });
        let Some(next) = next.reduce(f64::min) else {
            return if files.is_empty() { 0.0 } else { now + BROWSER };
        };
        let passed = (next - now).max(0.0);
        now = now.max(next);
        for (index, file) in files.iter().enumerate() {
            stages[index] = match stages[index] {
                Stage::Asked(begins) if begins <= now => Stage::Coming(file.bytes as f64),
                // A byte more or less is a matter of rounding.
                Stage::Coming(left) if left - passed * share < 0.5 => {
                    hosts[file.host].idle += 1;
                    Stage::Here
                }
                Stage::Coming(left) => Stage::Coming(left - passed * share),
                stage => stage,
            };
        }
    }
}

impl Connections {
    /// Asks for a file: the second at which it begins to come. `None` while all connections are in use.
    fn ask(&mut self, now: f64, is_secure: bool, link: &Link) -> Option<f64> {
        let first = self.known.is_none();
        let known = *self.known.get_or_insert(now + link.delay);
        if is_secure {
            if first {
                self.ready = now + (GREETING + 1.0) * link.delay;
            }
            return Some(self.ready.max(now) + link.delay);
        }
        if self.idle > 0 {
            self.idle -= 1;
            return Some(now + link.delay);
        }
        if self.open == AT_A_TIME {
            return None;
        }
        self.open += 1;
        Some(known.max(now) + (GREETING - 1.0) * link.delay + link.delay)
    }
}
