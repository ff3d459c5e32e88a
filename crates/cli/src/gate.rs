//! Pictures worked on by many threads, under a bound on how many bytes are in work at once.

mod memory;

use std::collections::HashMap;
use std::sync::{Condvar, Mutex, MutexGuard, PoisonError};
use std::thread;

use rayon::{ThreadPool, ThreadPoolBuilder};

use crate::mishap::Mishap;

/// The bytes that the pictures in work may hold together, unless one alone needs more.
const ROOM: u64 = 600 << 20;

/// Lets all that is done side by side outside of a pool keep to so many threads, as headers that are read and plans that are
/// made: a batch engine may have lent us few of many cores.
pub fn keep_to(threads: usize) {
    // Whoever was first has said it already.
    let _ = ThreadPoolBuilder::new().num_threads(threads).build_global();
}

/// Works on things on the threads of a pool, one a thread and no more than have room together;
/// `bytes` tells what each holds. What needs more than this process may have is refused instead. Nothing new is begun
/// once `go_on` says no.
pub fn each<T: Send>(
    pool: &ThreadPool,
    things: impl Iterator<Item = T>,
    bytes: impl Fn(&T) -> u64,
    go_on: impl Fn() -> bool,
    work: impl Fn(T) + Sync,
    refuse: impl Fn(T, Mishap),
) {
    let threads = pool.current_num_threads();
    let left = memory::left(threads).unwrap_or(u64::MAX);
    let gate = Gate::new(threads, ROOM.min(left));
    let (gate, work) = (&gate, &work);
    pool.in_place_scope(|scope| {
        for thing in things {
            let needed = bytes(&thing);
            if needed > left {
                refuse(thing, Mishap::too_much(needed, left));
                continue;
            }
            // Waiting here, outside the pool, keeps its threads free for work.
            let pass = gate.enter(needed);
            if !go_on() {
                break;
            }
            scope.spawn(move |_| {
                work(thing);
                drop(pass);
            });
        }
    });
}

/// The bytes that may be fetched before anybody works on them, unless one alone needs more.
const FETCHED: u64 = 128 << 20;

/// Things fetched at a time.
const AT_ONCE: usize = 8;

/// Hands out things in their order, each with what was fetched for it before its turn; nothing was for those that
/// need no bytes.
pub fn ahead<T: Sync + Copy, F: Send>(
    things: Vec<T>,
    bytes: impl Fn(&T) -> u64 + Sync,
    fetch: impl Fn(&T) -> F + Sync,
    then: impl FnOnce(&mut dyn Iterator<Item = (T, Option<F>)>),
) {
    let wanted: Vec<usize> = (0..things.len())
        .filter(|&index| bytes(&things[index]) > 0)
        .collect();
    let gate = Gate::new(wanted.len().max(1), FETCHED);
    let fetched = Fetched {
        next: Mutex::new(wanted.iter()),
        ready: Mutex::default(),
        came: Condvar::new(),
    };
    thread::scope(|scope| {
        for _ in 0..AT_ONCE.min(wanted.len()) {
            scope.spawn(|| {
                loop {
                    let (index, pass) = {
                        // Who is next has room first: others would wait for it.
                        let mut next = lock(&fetched.next);
                        let Some(&index) = next.next() else { break };
                        (index, gate.enter(bytes(&things[index])))
                    };
                    if lock(&fetched.ready).is_over {
                        break;
                    }
                    let found = fetch(&things[index]);
                    let mut ready = lock(&fetched.ready);
                    if ready.is_over {
                        break;
                    }
                    ready.found.insert(index, (found, pass));
                    fetched.came.notify_all();
                }
            });
        }
        let mut wanted = wanted.iter().peekable();
        let mut handed = things.iter().enumerate().map(|(index, &thing)| {
            let found = wanted.next_if_eq(&&index).map(|_| fetched.take(index));
            (thing, found)
        });
        then(&mut handed);
        // Whatever was not taken is wanted no more.
        lock(&fetched.ready).is_over = true;
        lock(&fetched.ready).found.clear();
    });
}

/// What was fetched and not taken yet.
struct Fetched<'g, N, F> {
    next: Mutex<N>,
    ready: Mutex<Ready<'g, F>>,
    came: Condvar,
}

struct Ready<'g, F> {
    found: HashMap<usize, (F, Pass<'g>)>,
    is_over: bool,
}

impl<F> Default for Ready<'_, F> {
    fn default() -> Self {
        Ready {
            found: HashMap::new(),
            is_over: false,
        }
    }
}

impl<N, F> Fetched<'_, N, F> {
    /// Waits for what is fetched for a thing.
    fn take(&self, index: usize) -> F {
        let mut ready = lock(&self.ready);
        loop {
            if let Some((found, _)) = ready.found.remove(&index) {
                return found;
            }
            ready = self
                .came
                .wait(ready)
                .unwrap_or_else(PoisonError::into_inner);
        }
    }
}

fn lock<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Room for pictures in work.
struct Gate {
    room: Mutex<Room>,
    freed: Condvar,
    bytes: u64,
}

struct Room {
    slots: usize,
    bytes: u64,
}

/// A place inside the gate, given back when dropped.
struct Pass<'a> {
    gate: &'a Gate,
    bytes: u64,
}

impl Gate {
    /// Room for so many pictures of so many bytes together.
    fn new(slots: usize, bytes: u64) -> Gate {
        Gate {
            room: Mutex::new(Room { slots, bytes }),
            freed: Condvar::new(),
            bytes,
        }
    }

    /// Waits until a picture of so many bytes has room. One that is larger than all the room
    /// waits until it is alone.
    fn enter(&self, bytes: u64) -> Pass<'_> {
        let bytes = bytes.min(self.bytes);
        let full = |room: &mut Room| room.slots == 0 || room.bytes < bytes;
        let waited = self.freed.wait_while(self.lock(), full);
        let mut room = waited.unwrap_or_else(PoisonError::into_inner);
        room.slots -= 1;
        room.bytes -= bytes;
        Pass { gate: self, bytes }
    }

    fn lock(&self) -> MutexGuard<'_, Room> {
        // Two numbers are never left half-changed, so a panic elsewhere does not spoil them.
        lock(&self.room)
    }
}

impl Drop for Pass<'_> {
    fn drop(&mut self) {
        let mut room = self.gate.lock();
        room.slots += 1;
        room.bytes += self.bytes;
        drop(room);
        self.gate.freed.notify_all();
    }
}

#[cfg(test)]
mod tests {
    use std::sync::atomic::{AtomicU64, Ordering};
    use std::thread;

    use super::*;

    #[test]
    fn what_is_inside_never_exceeds_the_room() {
        let gate = Gate::new(3, 100);
        let (inside, most) = (AtomicU64::new(0), AtomicU64::new(0));
        thread::scope(|scope| {
            for bytes in [60, 30, 50, 100, 10, 250, 45, 45, 5, 70] {
                let (gate, inside, most) = (&gate, &inside, &most);
                scope.spawn(move || {
                    let pass = gate.enter(bytes);
                    let now = inside.fetch_add(pass.bytes, Ordering::SeqCst) + pass.bytes;
                    most.fetch_max(now, Ordering::SeqCst);
                    thread::yield_now();
                    inside.fetch_sub(pass.bytes, Ordering::SeqCst);
                });
            }
        });
        assert!(most.load(Ordering::SeqCst) <= 100);
        let room = gate.lock();
        assert_eq!((room.slots, room.bytes), (3, 100));
    }
}
