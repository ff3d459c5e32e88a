//! `kiln proof --serve`: new versions on the spot, for this machine alone.

use std::fs::{self, File};
use std::io::{Read, Write};
use std::net::TcpStream;
use std::process::Child;

use crate::support::{Scratch, interrupt, measured, photo, until};

/// A sheet that is served.
pub struct Served {
    run: Child,
    pub port: u16,
}

impl Served {
    pub fn begin(scratch: &Scratch, arguments: &[&str]) -> Served {
        let output = File::create(scratch.path("told.txt")).expect("a file");
        let mut run = scratch
            .command(&[&["proof"], arguments, &["--serve"]].concat())
            .stdout(output.try_clone().expect("a handle"))
            .stderr(output)
            .spawn()
            .expect("the program");
        let told = || fs::read_to_string(scratch.path("told.txt")).expect("a report");
        let is_up = || told().contains("Ctrl-C ends it");
        until("the address", || {
            is_up() || run.try_wait().expect("a process").is_some()
        });
        let told = told();
        let port = told
            .split_once("http://127.0.0.1:")
            .and_then(|(_, rest)| rest.split_once('/'));
        let port = port.and_then(|(port, _)| port.parse().ok());
        let port = port.unwrap_or_else(|| panic!("{told}"));
        Served { run, port }
    }

    /// Status and body of an answer.
    fn ask(&self, request: &str, host: &str) -> (u16, Vec<u8>) {
        let mut stream = TcpStream::connect(("127.0.0.1", self.port)).expect("a server");
        let host = host.replace("PORT", &self.port.to_string());
        write!(
            stream,
            "{request} HTTP/1.1\r\nHost: {host}\r\nConnection: close\r\n\r\n"
        )
        .expect("room");
        let mut answer = Vec::new();
        stream.read_to_end(&mut answer).expect("an answer");
        let text = String::from_utf8_lossy(&answer);
        let status = text
            .split(' ')
            .nth(1)
            .and_then(|status| status.parse().ok());
        let status = status.unwrap_or_else(|| panic!("{text}"));
        let body = text.find("\r\n\r\n").expect("a body") + 4;
        // Before the body all is plain text.
        (status, answer[body..].to_vec())
    }

    fn get(&self, path: &str) -> (u16, String) {
        let (status, body) = self.ask(&format!("GET {path}"), "127.0.0.1:PORT");
        (status, String::from_utf8_lossy(&body).into_owned())
    }

    /// Ctrl-C ends it.
    pub fn end(mut self) {
        interrupt(&self.run);
        assert_eq!(self.run.wait().expect("a process").code(), Some(130));
    }
}

#[test]
fn a_turn_of_the_dial_makes_a_new_version_and_writes_nothing() {
    let scratch = Scratch::new();
    scratch.put("sea <1>.jpg", &photo(300, 200, 3));
    scratch.put("told.txt", b"");
    let before: Vec<String> = scratch.names(".");
    let served = Served::begin(&scratch, &["sea <1>.jpg", "--width", "240", "-f", "jpeg"]);
    let (status, page) = served.get("/");
    assert_eq!(status, 200);
    assert!(page.contains("sea &lt;1&gt;.jpg") && page.contains("class=\"dial order\""));

    let version = |asked: &str| served.get(&format!("/0/version?{asked}"));
    let (status, answer) = version("format=webp&by=dial&quality=40");
    assert_eq!(status, 200, "{answer}");
    for part in [
        "WebP, dial 40: ",
        "240×160 pixels",
        "data-same",
        "url(data:image/webp;base64,",
    ] {
        assert!(answer.contains(part), "{part}: {answer}");
    }
    // The version is the one that a firing makes.
    scratch.fires(&[
        "fire",
        "sea <1>.jpg",
        "--width",
        "200",
        "--shape",
        "1:1",
        "-q",
        "40",
        "-f",
        "jpeg",
        "--density",
        "1",
    ]);
    let fired = scratch.files("upload");
    let (name, fired) = fired
        .iter()
        .find(|(name, _)| name.ends_with("jpg"))
        .expect("a piece");
    assert_eq!(
        measured(&scratch.path(&format!("upload/{name}"))),
        (200, 200)
    );
    let asked = "format=jpeg&by=dial&quality=40&width=200&shape=1%3A1&focus=&densities=1";
    let (_, answer) = version(asked);
    let weight = format!("dial 40: {} B", fired.len());
    let weight = if fired.len() < 1000 {
        weight
    } else {
        format!("dial 40: {:.2} KB", fired.len() as f64 / 1000.0)
    };
    assert!(
        answer.contains(&weight) && !answer.contains("data-same"),
        "{weight}: {answer}"
    );
    let (status, original) = served.ask(&format!("GET /0/original?{asked}"), "localhost:PORT");
    assert_eq!((status, &original[1..4]), (200, &b"PNG"[..]));
    assert_eq!(&original[16..24], [0, 0, 0, 200, 0, 0, 0, 200]);
    let (_, answer) = version("format=png&by=look&look=crisp");
    assert!(
        answer.contains("PNG: ") && answer.contains("score 100.0"),
        "{answer}"
    );

    for (asked, says) in [
        ("format=webp&by=dial&quality=140", "0 to 100"),
        ("format=gif&by=dial&quality=40", "jpeg, png, webp"),
        ("format=jpeg&by=look&look=exact", "nothing is exact in JPEG"),
        (
            "format=webp&by=dial&quality=40&width=<b>",
            "a width is a whole number",
        ),
        ("format=webp&by=dial&quality=40&shape=round", "shape: "),
    ] {
        let (status, answer) = version(asked);
        assert!(
            status == 422 && answer.contains(says),
            "{asked}: {status} {answer}"
        );
    }
    for (request, host, expected) in [
        ("GET /", "tern-point.example", 403),
        ("GET /", "tern-point.example:PORT", 403),
        ("GET /", "127.0.0.1:1", 403),
        ("GET /0/original", "127.0.0.1.example:PORT", 403),
        ("POST /", "127.0.0.1:PORT", 405),
        (
            "GET /7/version?format=webp&by=dial&quality=4",
            "127.0.0.1:PORT",
            404,
        ),
        ("GET /../../etc/passwd", "127.0.0.1:PORT", 404),
        ("HEAD /", "LOCALHOST:PORT", 200),
    ] {
        assert_eq!(served.ask(request, host).0, expected, "{request} {host}");
    }
    fs::remove_dir_all(scratch.path("upload")).expect("pieces");
    served.end();
    assert_eq!(scratch.names("."), before);
}
