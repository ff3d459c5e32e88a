//! What pages come to on each screen: requests, weights, load times.

use std::collections::HashMap;

use kiln_site::Viewport;
use kiln_site::load::{self, LINKS, Link};
use kiln_site::walk::Ask;
use serde::Serialize;

use super::visit::{Visit, Visited};

/// What a page comes to on a screen.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Sum {
    /// The screen, such as `390x844@3`.
    pub screen: String,
    /// Files asked for, with the page itself.
    pub requests: usize,
    /// Pictures among them.
    pub pictures: usize,
    /// Bytes of the pictures, on the way.
    pub picture_weight: u64,
    /// Bytes of all, on the way.
    pub weight: u64,
    /// The bytes of the pictures that would remain.
    pub remains: u64,
    /// Load times on the links.
    pub loads: Vec<Seconds>,
}

/// Seconds that a page takes on a link.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Seconds {
    /// The link.
    pub link: &'static str,
    /// With its pictures.
    pub with_pictures: f64,
    /// Without any.
    pub without_pictures: f64,
    /// With lighter ones.
    pub remaining: f64,
}

/// The sums of a page, in the order of the screens.
pub fn sums(visit: &Visit, page: &Visited) -> Vec<Sum> {
    let screens = visit.viewports.iter().enumerate();
    screens
        .map(|(index, screen)| sum(visit, page, index, screen))
        .collect()
}

/// The most that the pictures of a page weigh on any screen.
pub fn heaviest(sums: &[Sum]) -> u64 {
    let weights = sums.iter().map(|sum| sum.picture_weight);
    weights.max().unwrap_or(0)
}

fn sum(visit: &Visit, page: &Visited, screen: usize, viewport: &Viewport) -> Sum {
    let mut hosts = HashMap::new();
    let mut host = |address: &url::Url| {
        let next = hosts.len();
        *hosts
            .entry(address.origin().ascii_serialization())
            .or_insert(next)
    };
    // From disk, it is as if a site of today served it.
    let is_secure = |address: &url::Url| address.scheme() != "http";
    let mut files = Vec::new();
    let mut places = HashMap::new();
    for (index, file) in page.page.files.iter().enumerate() {
        let counts = file.ask != Ask::Manifest && file.weight.is_some_and(|weight| weight > 0);
        if counts {
            places.insert(index, files.len());
            files.push(load::File {
                host: host(&file.address),
                is_secure: is_secure(&file.address),
                bytes: file.weight.unwrap_or(0),
                after: file.by.and_then(|(by, _)| places.get(&by).copied()),
            });
        }
    }
    for (address, weight) in &page.others[screen] {
        files.push(load::File {
            host: host(address),
            is_secure: is_secure(address),
            bytes: *weight,
            after: (!files.is_empty()).then_some(0),
        });
    }
    let bare = files.clone();
    let mut lighter = files.clone();
    let (mut weight, mut remains, mut pictures) = (0, 0, 0);
    for one in &page.loads[screen] {
        let picture = &visit.pictures[one.number];
        let Some(bytes) = picture.weight().filter(|bytes| *bytes > 0) else {
            continue;
        };
        pictures += 1;
        weight += bytes;
        remains += bytes - picture.waste();
        let file = load::File {
            host: host(&picture.address),
            is_secure: is_secure(&picture.address),
            bytes,
            after: one.file.and_then(|file| places.get(&file).copied()),
        };
        lighter.push(load::File {
            bytes: bytes - picture.waste(),
            ..file
        });
        files.push(file);
    }
    let rounded =
        |files: &[load::File], link: &Link| (load::seconds(files, link) * 100.0).round() / 100.0;
    let loads = LINKS.iter().map(|link| Seconds {
        link: link.name,
        with_pictures: rounded(&files, link),
        without_pictures: rounded(&bare, link),
        remaining: rounded(&lighter, link),
    });
    Sum {
        screen: viewport.to_string(),
        requests: files.len(),
        pictures,
        picture_weight: weight,
        weight: files.iter().map(|file| file.bytes).sum(),
        remains,
        loads: loads.collect(),
    }
}
