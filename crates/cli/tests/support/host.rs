//! A host on this machine that answers as a test says, also as no server should.

use std::collections::HashMap;
use std::io::{Read, Write};
use std::net::{TcpListener, TcpStream};
use std::sync::{Arc, Mutex};
use std::thread;
use std::time::Duration;

use flate2::Compression;
use flate2::write::GzEncoder;

/// An answer to be given.
#[derive(Clone)]
pub enum Answer {
    /// A media type and a body.
    File(&'static str, Vec<u8>),
    /// The same, packed by gzip.
    Packed(&'static str, Vec<u8>),
    /// A status.
    Status(u16),
    /// Sent on to another address.
    Onward(String),
    /// A body that is shorter than its header says.
    Short,
    /// Headers, then nothing for long.
    Silent,
    /// A body that is no gzip though its header says so.
    Lying,
    /// A body that never ends.
    Endless,
}

/// A host, and what it was asked for.
pub struct Host {
    pub address: String,
    asked: Arc<Mutex<Vec<String>>>,
}

impl Host {
    /// Answers paths; all others with 404.
    pub fn of(answers: Vec<(&str, Answer)>) -> Host {
        let listener = TcpListener::bind("127.0.0.1:0").expect("a port");
        let address = format!("http://{}", listener.local_addr().expect("an address"));
        let asked = Arc::new(Mutex::new(Vec::new()));
        let host = Host {
            address,
            asked: asked.clone(),
        };
        let answers: HashMap<String, Answer> = answers
            .into_iter()
            .map(|(path, answer)| (path.to_owned(), answer))
            .collect();
        let answers = Arc::new(answers);
        // It ends with the test program.
        thread::spawn(move || {
            for stream in listener.incoming().flatten() {
                let (answers, asked) = (answers.clone(), asked.clone());
                thread::spawn(move || serve(stream, &answers, &asked));
            }
        });
        host
    }

    /// The heads of all requests so far.
    pub fn asked(&self) -> Vec<String> {
        self.asked.lock().expect("no panic").clone()
    }
}

fn serve(mut stream: TcpStream, answers: &HashMap<String, Answer>, asked: &Mutex<Vec<String>>) {
    let mut head = Vec::new();
    let mut byte = [0];
    while !head.ends_with(b"\r\n\r\n") {
        match stream.read(&mut byte) {
            Ok(1) => head.push(byte[0]),
            _ => return,
        }
    }
    let head = String::from_utf8_lossy(&head).into_owned();
    let path = head.split(' ').nth(1).unwrap_or("/").to_owned();
    asked.lock().expect("no panic").push(head);
    let ok = |kind: &str, length: usize, more: &str| {
        format!(
            "HTTP/1.1 200 OK\r\nContent-Type: {kind}\r\nContent-Length: {length}\r\n\
             Connection: close\r\n{more}\r\n"
        )
    };
    let bare = |status: u16, more: &str| {
        format!("HTTP/1.1 {status} Said\r\nContent-Length: 0\r\nConnection: close\r\n{more}\r\n")
    };
    let (head, body) = match answers.get(&path) {
        Some(Answer::File(kind, body)) => (ok(kind, body.len(), ""), body.clone()),
        Some(Answer::Packed(kind, body)) => {
            let mut packed = GzEncoder::new(Vec::new(), Compression::best());
            packed.write_all(body).expect("memory");
            let packed = packed.finish().expect("memory");
            (ok(kind, packed.len(), "Content-Encoding: gzip\r\n"), packed)
        }
        Some(Answer::Onward(to)) => (bare(302, &format!("Location: {to}\r\n")), Vec::new()),
        Some(Answer::Status(status)) => (bare(*status, ""), Vec::new()),
        Some(Answer::Short) => (ok("image/png", 5000, ""), vec![0; 100]),
        Some(Answer::Silent) => {
            let _ = stream.write_all(ok("image/png", 100, "").as_bytes());
            thread::sleep(Duration::from_secs(60));
            return;
        }
        Some(Answer::Endless) => {
            let head = "HTTP/1.1 200 OK\r\nContent-Type: text/css\r\nConnection: close\r\n\r\n";
            let _ = stream.write_all(head.as_bytes());
            while stream.write_all(&[b' '; 1 << 16]).is_ok() {}
            return;
        }
        Some(Answer::Lying) => {
            let head = ok("text/css", 9, "Content-Encoding: gzip\r\n");
            (head, b"not gzip!".to_vec())
        }
        None => (bare(404, ""), Vec::new()),
    };
    // Who has heard enough hangs up.
    let _ = stream.write_all(head.as_bytes());
    let _ = stream.write_all(&body);
}
