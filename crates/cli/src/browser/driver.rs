//! Sessions of a driver (W3C WebDriver): one that runs already, or one that is found and started.

use std::io::Cursor;
use std::net::TcpListener;
use std::process::{Child, Command, Stdio};
use std::thread;
use std::time::{Duration, Instant};

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use kiln_core::decode::Allowance;
use kiln_core::pixels::Raster;
use kiln_core::plan::Original;
use kiln_core::{proof, source};
use kiln_site::Viewport;
use serde_json::{Value, json};
use ureq::Agent;
use url::Url;

use super::{no_browser, told_error};
use crate::failure::Failure;
use crate::mishap::Mishap;

/// Programs that drive a browser, looked for in this order.
const DRIVERS: [&str; 4] = [
    "chromedriver",
    "geckodriver",
    "msedgedriver",
    "safaridriver",
];

/// Seconds until a driver that was started has to answer.
const START: Duration = Duration::from_secs(20);

/// Seconds that a page may take to load, and to be measured.
const LOAD: u64 = 60;

/// The largest answer of a driver: a picture of a large screen.
const ANSWER: u64 = 256 << 20;

/// A browser that can be asked.
pub struct Browser {
    agent: Agent,
    address: Url,
    /// The driver, where it was started here.
    driver: Option<Child>,
}

/// A window of it.
pub struct Session<'a> {
    browser: &'a Browser,
    id: String,
}

impl Browser {
    /// The driver at an address, else one that is found and started.
    pub fn find(address: Option<&str>) -> Result<Browser, Failure> {
        let config = Agent::config_builder()
            .http_status_as_error(false)
            .timeout_global(Some(Duration::from_secs(LOAD * 2)))
            .proxy(None)
            .build();
        let agent = Agent::new_with_config(config);
        if let Some(given) = address {
            let is_web = |url: &Url| matches!(url.scheme(), "http" | "https");
            let address = Url::parse(given).ok().filter(is_web).ok_or_else(|| {
                no_browser(format!(
                    "{given}: is no address of a driver, such as http://127.0.0.1:9515"
                ))
            })?;
            let browser = Browser {
                agent,
                address,
                driver: None,
            };
            let answers = browser.is_ready();
            return answers.then_some(browser).ok_or_else(|| {
                no_browser(format!(
                    "{given}: no driver answers there; start one, such as chromedriver --port=9515"
                ))
            });
        }
        let found = DRIVERS.iter().find_map(|name| started(name));
        let (driver, address) = found.ok_or_else(|| {
            no_browser(format!(
                "no driver of a browser is on the PATH ({}); install one, or start one elsewhere and \
                 say --browser=http://HOST:PORT",
                DRIVERS.join(", ")
            ))
        })?;
        let browser = Browser {
            agent,
            address,
            driver: Some(driver),
        };
        let begun = Instant::now();
        while !browser.is_ready() {
            if begun.elapsed() > START {
                return Err(no_browser(
                    "the driver was started and does not answer; try it by hand",
                ));
            }
            thread::sleep(Duration::from_millis(50));
        }
        Ok(browser)
    }

    fn is_ready(&self) -> bool {
        let status = self.ask("GET", "status", None);
        status.is_ok_and(|status| status["value"].is_object())
    }

    /// A window as large as a screen.
    pub(super) fn session(&self, screen: &Viewport) -> Result<Session<'_>, Mishap> {
        let answer = self.ask("POST", "session", Some(&capabilities(screen)))?;
        let id = answer["value"]["sessionId"].as_str();
        let id = id.filter(|id| id.chars().all(|c| c.is_ascii_alphanumeric() || c == '-'));
        let id = id.ok_or_else(|| Mishap::new("the driver opens no window; try it by hand"))?;
        let session = Session {
            browser: self,
            id: id.to_owned(),
        };
        let timeouts = json!({"pageLoad": LOAD * 1000, "script": LOAD * 1000});
        session.call("timeouts", timeouts)?;
        session.fit(screen)?;
        Ok(session)
    }

    fn ask(&self, method: &str, path: &str, body: Option<&Value>) -> Result<Value, Mishap> {
        let base = self.address.as_str().trim_end_matches('/');
        let address = format!("{base}/{path}");
        let silent = |error: ureq::Error| Mishap::of(error, "the driver does not answer");
        let mut response = match (method, body) {
            ("POST", body) => {
                let text = body.map_or("{}".to_owned(), Value::to_string);
                let request = self.agent.post(&address);
                request
                    .header("content-type", "application/json")
                    .send(text)
            }
            ("DELETE", _) => self.agent.delete(&address).call(),
            _ => self.agent.get(&address).call(),
        }
        .map_err(silent)?;
        let body = response.body_mut().with_config().limit(ANSWER);
        let text = body.read_to_string().map_err(silent)?;
        let answer: Value = serde_json::from_str(&text)
            .map_err(|error| Mishap::of(error, "what answers is no driver"))?;
        match told_error(&answer) {
            Some(says) => Err(Mishap::new(format!("the browser says {says}"))),
            None => Ok(answer),
        }
    }
}

impl Drop for Browser {
    fn drop(&mut self) {
        if let Some(driver) = &mut self.driver {
            // It is ours alone; what it does with the signal is its business.
            let _ = driver.kill();
            let _ = driver.wait();
        }
    }
}

/// Starts a driver at a port that is free; `None` where there is none of that name.
fn started(name: &str) -> Option<(Child, Url)> {
    let port = TcpListener::bind("127.0.0.1:0")
        .ok()?
        .local_addr()
        .ok()?
        .port();
    let driver = Command::new(name)
        .arg(format!("--port={port}"))
        .stdin(Stdio::null())
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .ok()?;
    let address = Url::parse(&format!("http://127.0.0.1:{port}/")).ok()?;
    Some((driver, address))
}

/// What kind of window is wanted, as each browser understands it: no window to be seen, exactly as large
/// as the screen, with its density.
fn capabilities(screen: &Viewport) -> Value {
    let mut arguments = vec!["--headless", "--hide-scrollbars", "--disable-gpu"];
    if is_root() {
        // Its sandbox refuses to run for that user.
        arguments.push("--no-sandbox");
    }
    let options = json!({
        "args": arguments,
        "mobileEmulation": {"deviceMetrics": {
            // Whole numbers only.
            "width": screen.width.round() as u32,
            "height": screen.height.round() as u32,
            "pixelRatio": screen.density,
            // Phones and tablets lay pages out by what these say of their own width.
            "mobile": screen.width < 1000.0,
            "touch": screen.width < 1000.0,
        }},
    });
    let density = screen.density.to_string();
    json!({"capabilities": {"firstMatch": [
        {"browserName": "chrome", "goog:chromeOptions": options},
        {"browserName": "MicrosoftEdge", "ms:edgeOptions": options},
        {"browserName": "firefox", "moz:firefoxOptions": {
            "args": ["-headless"],
            "prefs": {"layout.css.devPixelsPerPx": density},
        }},
        {},
    ]}})
}

/// Whether this program runs for the one user whom browsers refuse.
fn is_root() -> bool {
    #[cfg(unix)]
    {
        use std::os::unix::fs::MetadataExt;
        // What this process owns is owned by its user.
        std::fs::metadata("/proc/self").is_ok_and(|about| about.uid() == 0)
    }
    #[cfg(not(unix))]
    {
        false
    }
}

impl Session<'_> {
    /// Calls a command of the session, by its path.
    pub(super) fn call(&self, command: &str, body: Value) -> Result<Value, Mishap> {
        let path = format!("session/{}/{command}", self.id);
        let mut answer = self.browser.ask("POST", &path, Some(&body))?;
        Ok(answer["value"].take())
    }

    /// Makes the window as large inside as the screen, where the browser did not already.
    fn fit(&self, screen: &Viewport) -> Result<(), Mishap> {
        let script = "return [innerWidth, innerHeight, outerWidth, outerHeight];";
        let sides = |session: &Self| -> Result<[f64; 4], Mishap> {
            let told = session.call("execute/sync", json!({"script": script, "args": []}))?;
            let side = |index: usize| told[index].as_f64().unwrap_or(0.0);
            Ok([side(0), side(1), side(2), side(3)])
        };
        let [width, height, outer_width, outer_height] = sides(self)?;
        if (width, height) == (screen.width, screen.height) {
            return Ok(());
        }
        let rect = json!({
            "width": (screen.width + outer_width - width).round(),
            "height": (screen.height + outer_height - height).round(),
        });
        // A browser that cannot is measured as it is: it tells its width with the rest.
        let _ = self.call("window/rect", rect);
        Ok(())
    }

    /// Opens a page.
    pub(super) fn go(&self, page: &Url) -> Result<(), Mishap> {
        self.call("url", json!({"url": page.as_str()})).map(|_| ())
    }

    /// Runs a script that tells its last argument what it found.
    pub(super) fn run(&self, script: &str) -> Result<Value, Mishap> {
        self.call("execute/async", json!({"script": script, "args": []}))
    }

    /// What the window shows, its longer side of at most so many pixels.
    pub(super) fn shot(&self, side: u32) -> Result<Raster, Mishap> {
        let path = format!("session/{}/screenshot", self.id);
        let answer = self.browser.ask("GET", &path, None)?;
        let packed = answer["value"].as_str().unwrap_or("");
        let broken = || Mishap::new("the browser gives no picture of the page");
        let file = STANDARD.decode(packed).map_err(|_| broken())?;
        picture(&file, side).ok_or_else(broken)
    }
}

/// The picture that a file is.
fn picture(file: &[u8], side: u32) -> Option<Raster> {
    let probe = source::probe(Cursor::new(file)).ok()?;
    let name = "screen.png".to_owned();
    let original = Original::new(name.clone(), name, file.len() as u64, probe);
    proof::within(file, &original, Allowance::default(), side).ok()?
}

impl Drop for Session<'_> {
    fn drop(&mut self) {
        let path = format!("session/{}", self.id);
        let _ = self.browser.ask("DELETE", &path, None);
    }
}
