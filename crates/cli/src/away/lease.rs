//! Who works in a folder on another machine: a file there that says so, and that its owner writes anew again and again.
//! One that stays as it is belongs to nobody any more. No two clocks are compared.

use std::io;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Condvar, Mutex, PoisonError};
use std::thread::{self, JoinHandle};
use std::time::{Duration, Instant};

use super::{Away, token};
use crate::failure::Failure;
use crate::interrupt;

/// How often a lease is renewed.
const BEAT: Duration = paced(10_000);

/// One that was not renewed for so long is nobody's any more.
const PATIENCE: Duration = paced(35_000);

/// How often who waits looks.
const GLANCE: Duration = paced(5_000);

/// How often who waits looks for an interruption.
const BLINK: Duration = paced(100);

/// So many milliseconds; the tests of this crate are in a hurry.
const fn paced(milliseconds: u64) -> Duration {
    Duration::from_micros(milliseconds * if cfg!(test) { 60 } else { 1000 })
}

/// A lease that this run holds, until it is dropped.
#[derive(Debug)]
pub struct Lease {
    held: Arc<Held>,
    beating: Option<JoinHandle<()>>,
}

#[derive(Debug)]
struct Held {
    away: Arc<Away>,
    name: String,
    /// What no other has.
    token: String,
    is_over: Mutex<bool>,
    over: Condvar,
    is_lost: AtomicBool,
}

impl Lease {
    /// Takes the lease of a name; `None` where another run holds it.
    pub fn take(
        away: &Arc<Away>,
        name: &str,
        note: &dyn Fn(&str),
    ) -> Result<Option<Lease>, Failure> {
        let token = token();
        for _ in 0..2 {
            let said = says(&token, 0);
            let taken = away.put_new(name, said.as_bytes());
            if taken.map_err(|fault| away.failure(fault))? {
                return Ok(Some(Lease::beating(away, name, token)));
            }
            let Some(stale) = stale(away, name, note) else {
                return Ok(None);
            };
            // Another one may have come to the same end.
            if away.bytes(name).is_ok_and(|now| now == stale) {
                away.remove(name).map_err(|fault| away.failure(fault))?;
            }
        }
        Ok(None)
    }

    fn beating(away: &Arc<Away>, name: &str, token: String) -> Lease {
        let held = Arc::new(Held {
            away: Arc::clone(away),
            name: name.to_owned(),
            token,
            is_over: Mutex::new(false),
            over: Condvar::new(),
            is_lost: AtomicBool::new(false),
        });
        let beat = Arc::clone(&held);
        Lease {
            held,
            beating: Some(thread::spawn(move || beat.beat())),
        }
    }

    /// An error where another run took it over.
    pub fn held(&self) -> io::Result<()> {
        match self.held.is_lost.load(Ordering::Relaxed) {
            true => Err(io::Error::other(
                "another firing took the out folder over, since this one was away too long",
            )),
            false => Ok(()),
        }
    }
}

impl Held {
    fn beat(&self) {
        for beat in 1_u64.. {
            let over = self.is_over.lock().unwrap_or_else(PoisonError::into_inner);
            let waited = self
                .over
                .wait_timeout_while(over, BEAT, |is_over| !*is_over);
            let is_over = *waited.unwrap_or_else(PoisonError::into_inner).0;
            match self.is_own() {
                // A connection that breaks may be there again for the next beat.
                None => {}
                Some(true) if is_over => _ = self.away.remove(&self.name),
                Some(true) => {
                    let said = says(&self.token, beat);
                    let _ = self.away.put(&self.name, said.as_bytes(), true);
                }
                Some(false) => {
                    self.is_lost.store(true, Ordering::Relaxed);
                    return;
                }
            }
            if is_over {
                return;
            }
        }
    }

    /// Whether what stands there is ours; `None` where that cannot be told.
    fn is_own(&self) -> Option<bool> {
        let there = self.away.bytes(&self.name).ok()?;
        Some(there.starts_with(self.token.as_bytes()))
    }
}

impl Drop for Lease {
    fn drop(&mut self) {
        let is_over = &self.held.is_over;
        *is_over.lock().unwrap_or_else(PoisonError::into_inner) = true;
        self.held.over.notify_all();
        if let Some(beating) = self.beating.take() {
            let _ = beating.join();
        }
    }
}

/// Whether any of these leases is held by a run that still works.
pub fn is_any_alive(away: &Arc<Away>, names: &[&String], note: &dyn Fn(&str)) -> bool {
    if names.is_empty() {
        return false;
    }
    let mut before: Vec<_> = names.iter().map(|name| away.bytes(name).ok()).collect();
    told(away, note);
    waited(|| {
        let now: Vec<_> = names.iter().map(|name| away.bytes(name).ok()).collect();
        // One that is gone was given back.
        let renewed = before.iter().zip(&now).any(|(before, now)| match now {
            Some(now) => before.as_ref().is_some_and(|before| before != now),
            None => false,
        });
        before = now;
        renewed || before.iter().all(Option::is_none)
    }) && before.iter().any(Option::is_some)
}

/// What stands there of a lease that nobody renews; `None` where somebody does.
fn stale(away: &Away, name: &str, note: &dyn Fn(&str)) -> Option<Vec<u8>> {
    let before = away.bytes(name).ok()?;
    told(away, note);
    let renewed = waited(|| away.bytes(name).is_ok_and(|now| now != before));
    (!renewed && !interrupt::came()).then_some(before)
}

/// Waits for something, as long as a lease may go without being renewed; whether it came.
fn waited(mut came: impl FnMut() -> bool) -> bool {
    let end = Instant::now() + PATIENCE;
    while Instant::now() < end && !interrupt::came() {
        let next = Instant::now() + GLANCE;
        while Instant::now() < next && !interrupt::came() {
            thread::sleep(BLINK);
        }
        if came() {
            return true;
        }
    }
    false
}

fn told(away: &Away, note: &dyn Fn(&str)) {
    let (address, seconds) = (away.address(), PATIENCE.as_secs());
    note(&format!(
        "{address}: another firing is at work there, or was killed; in {seconds} s it is clear which"
    ));
}

fn says(token: &str, beat: u64) -> String {
    format!("{token} {beat}\na firing of kiln works here; it writes this anew every few seconds\n")
}
