//! What a visit of pages goes by.

use std::path::PathBuf;

use kiln_site::Viewport;

use super::Judging;
use crate::args::PageArgs;

/// The screens where none are named: a phone, a tablet, a desk.
pub const VIEWPORTS: [Viewport; 3] = [
    Viewport {
        width: 390.0,
        height: 844.0,
        density: 3.0,
    },
    Viewport {
        width: 820.0,
        height: 1180.0,
        density: 2.0,
    },
    Viewport {
        width: 1440.0,
        height: 900.0,
        density: 1.0,
    },
];

/// All that a visit of pages goes by.
#[derive(Clone, Debug)]
pub struct PageSettings {
    /// Pages as typed: addresses, files, folders, `-`.
    pub pages: Vec<String>,
    /// A list of more.
    pub from: Option<PathBuf>,
    /// Whether two pages are reported one after the other.
    pub each: bool,
    /// The folder that addresses with a leading slash are looked for in.
    pub root: Option<PathBuf>,
    /// The screens.
    pub viewports: Vec<Viewport>,
    /// Whether a browser measures; the address of its driver, empty where one is to be found.
    pub browser: Option<String>,
    /// The most that all pictures of a page may weigh.
    pub max_total: Option<u64>,
    /// What counts as too much, and the estimates.
    pub judging: Judging,
    /// Only pictures above this weight are shown.
    pub over: u64,
    /// Only so many pictures are shown.
    pub top: usize,
    /// The folder that pictures are brought home into.
    pub save: Option<PathBuf>,
    /// How files are fetched.
    pub manners: Manners,
    /// Who logs in; the password is not known yet.
    pub user: Option<String>,
    /// Where a page is written.
    pub page: Option<PathBuf>,
    /// Whether the report is a JSON document.
    pub json: bool,
}

/// How files are fetched.
#[derive(Clone, Debug)]
pub struct Manners {
    /// Headers for the host of the page, such as a token.
    pub headers: Vec<(String, String)>,
    /// Name and password for the host of the page.
    pub user: Option<(String, String)>,
    /// Seconds that one file may take.
    pub timeout: u64,
    /// Whether addresses of private networks may be asked, whoever refers to them.
    pub local: bool,
}

impl PageSettings {
    /// What the options mean together.
    pub fn resolve(typed: &PageArgs) -> PageSettings {
        PageSettings {
            pages: typed.pages.clone(),
            from: typed.from.clone(),
            each: typed.each,
            root: typed.root.clone(),
            viewports: if typed.viewport.is_empty() {
                VIEWPORTS.to_vec()
            } else {
                typed.viewport.clone()
            },
            browser: typed.browser.clone(),
            max_total: typed.max_total,
            judging: Judging::resolve(&typed.judging, typed.html.is_some()),
            over: typed.judging.over.unwrap_or(0),
            top: typed.judging.top.unwrap_or(usize::MAX),
            save: typed.save.clone(),
            manners: Manners {
                headers: typed.header.clone(),
                user: None,
                timeout: typed.timeout,
                local: typed.local,
            },
            user: typed.user.clone(),
            page: typed.html.clone(),
            json: typed.json,
        }
    }
}
