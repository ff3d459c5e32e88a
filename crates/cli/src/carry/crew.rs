//! Several connections at work on one list, with patience for what may pass.

use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::mpsc::{self, RecvTimeoutError};
use std::sync::{Mutex, PoisonError};
use std::thread;
use std::time::{Duration, Instant};

use super::{Carrier, Fault, FaultKind, Session};
use crate::interrupt;

/// The first pause before something is tried again; each is twice the one before.
const PAUSE: Duration = Duration::from_millis(500);

/// The longest of them.
const LONGEST: Duration = Duration::from_secs(30);

/// After so many files that failed in a row whatever was tried, the others would too.
const IN_A_ROW: usize = 3;

/// How often who waits looks around.
const GLANCE: Duration = Duration::from_millis(100);

/// Connections to a target.
pub struct Crew {
    carrier: Box<dyn Carrier>,
    sessions: usize,
    tries: usize,
    /// Connections that nobody uses.
    idle: Mutex<Vec<Box<dyn Session>>>,
    /// Whether there ever was one.
    connected: AtomicBool,
}

impl Crew {
    /// So many connections at most, and so many tries.
    pub fn new(carrier: Box<dyn Carrier>, at_once: usize, tries: usize) -> Crew {
        Crew {
            carrier,
            sessions: at_once,
            tries,
            idle: Mutex::default(),
            connected: AtomicBool::new(false),
        }
    }

    /// Does something over one connection.
    pub fn alone<R>(&self, act: impl Fn(&mut dyn Session) -> Result<R, Fault>) -> Result<R, Fault> {
        self.tried(self.tries, act)
    }

    /// The same without patience.
    pub fn once<R>(&self, act: impl Fn(&mut dyn Session) -> Result<R, Fault>) -> Result<R, Fault> {
        self.tried(1, act)
    }

    fn tried<R>(
        &self,
        tries: usize,
        act: impl Fn(&mut dyn Session) -> Result<R, Fault>,
    ) -> Result<R, Fault> {
        let mut session = None;
        let done = self.patiently(&mut session, tries, &act);
        self.put_back(session);
        done
    }

    /// Does each task, several at once, and hands over what came of it; `tick` is called now and then. Where
    /// nothing more can be done the fault is given back, and the rest is not begun.
    pub fn work<T: Sync, R: Send>(
        &self,
        tasks: &[T],
        act: impl Fn(&mut dyn Session, &T) -> Result<R, Fault> + Sync,
        mut done: impl FnMut(&T, Result<R, Fault>),
        mut tick: impl FnMut(),
    ) -> Option<Fault> {
        let next = AtomicUsize::new(0);
        let failed = AtomicUsize::new(0);
        let end = Mutex::new(None::<Fault>);
        let is_over = || interrupt::came() || lock(&end).is_some();
        let (sender, receiver) = mpsc::channel();
        thread::scope(|scope| {
            for _ in 0..self.sessions.min(tasks.len()) {
                let sender = sender.clone();
                let (next, failed, end, act, is_over) = (&next, &failed, &end, &act, &is_over);
                scope.spawn(move || {
                    let mut session = None;
                    while !is_over() {
                        let number = next.fetch_add(1, Ordering::Relaxed);
                        let Some(task) = tasks.get(number) else {
                            break;
                        };
                        let came =
                            self.patiently(&mut session, self.tries, |session| act(session, task));
                        // What was only waited for is left for the next time.
                        if came.is_err() && interrupt::came() {
                            break;
                        }
                        match &came {
                            Ok(_) => failed.store(0, Ordering::Relaxed),
                            Err(fault) => self.judge(fault, failed, end),
                        }
                        if sender.send((number, came)).is_err() {
                            break;
                        }
                    }
                    self.put_back(session);
                });
            }
            drop(sender);
            loop {
                match receiver.recv_timeout(GLANCE) {
                    Ok((number, came)) => done(&tasks[number], came),
                    Err(RecvTimeoutError::Timeout) => {}
                    Err(RecvTimeoutError::Disconnected) => break,
                }
                tick();
            }
        });
        end.into_inner().unwrap_or_else(PoisonError::into_inner)
    }

    /// What a fault of one task means for the others.
    fn judge(&self, fault: &Fault, failed: &AtomicUsize, end: &Mutex<Option<Fault>>) {
        let over = match fault.kind {
            FaultKind::Target => Some(fault.says.clone()),
            FaultKind::Passing(_) => {
                let row = failed.fetch_add(1, Ordering::Relaxed) + 1;
                (row >= IN_A_ROW)
                    .then(|| format!("{row} files failed in a row, the last since {}", fault.says))
            }
            FaultKind::File | FaultKind::Taken => None,
        };
        if let Some(says) = over {
            lock(end).get_or_insert(Fault::target(says));
        }
    }

    /// Does something, and again where that may help: over a new connection, after a pause.
    fn patiently<R>(
        &self,
        session: &mut Option<Box<dyn Session>>,
        mut tries: usize,
        act: impl Fn(&mut dyn Session) -> Result<R, Fault>,
    ) -> Result<R, Fault> {
        let mut pause = PAUSE;
        loop {
            tries -= 1;
            let done = self.session(session).and_then(&act);
            let Err(fault) = done else {
                return done;
            };
            let FaultKind::Passing(after) = fault.kind else {
                return Err(fault);
            };
            // Something broke on it.
            *session = None;
            if tries == 0 || !wait(after.unwrap_or(pause)) {
                return Err(fault);
            }
            pause = (pause * 2).min(LONGEST);
        }
    }

    fn session<'s>(
        &self,
        session: &'s mut Option<Box<dyn Session>>,
    ) -> Result<&'s mut dyn Session, Fault> {
        let open = match session.take() {
            Some(open) => open,
            None => {
                let idle = lock(&self.idle).pop();
                match idle {
                    Some(open) => open,
                    None => self.connect()?,
                }
            }
        };
        Ok(&mut **session.insert(open))
    }

    fn connect(&self) -> Result<Box<dyn Session>, Fault> {
        let opened = self.carrier.open();
        match opened {
            Ok(open) => {
                self.connected.store(true, Ordering::Relaxed);
                Ok(open)
            }
            // It let us in before.
            Err(fault) if self.connected.load(Ordering::Relaxed) => Err(Fault {
                kind: FaultKind::Passing(None),
                ..fault
            }),
            Err(fault) => Err(fault),
        }
    }

    fn put_back(&self, session: Option<Box<dyn Session>>) {
        lock(&self.idle).extend(session);
    }
}

fn lock<T>(mutex: &Mutex<T>) -> std::sync::MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Waits; whether nobody wanted it to end meanwhile.
fn wait(pause: Duration) -> bool {
    let end = Instant::now() + pause;
    while Instant::now() < end {
        if interrupt::came() {
            return false;
        }
        thread::sleep(GLANCE.min(end.saturating_duration_since(Instant::now())));
    }
    !interrupt::came()
}
