//! Telling how far some work is while it is done.

use std::sync::atomic::{AtomicBool, Ordering};
use std::thread::Thread;
use std::time::Duration;

/// Ends the telling whatever becomes of the work: a panic that left it going would wait for it without end.
struct Ends<'a>(&'a AtomicBool, Thread);

impl Drop for Ends<'_> {
    fn drop(&mut self) {
        self.0.store(true, Ordering::Relaxed);
        self.1.unpark();
    }
}

/// Does some work, and tells again and again meanwhile, with a pause before each time.
pub fn meanwhile<T>(pause: Duration, tell: impl Fn() + Sync, work: impl FnOnce() -> T) -> T {
    let ended = AtomicBool::new(false);
    std::thread::scope(|scope| {
        let teller = scope.spawn(|| {
            while !ended.load(Ordering::Relaxed) {
                std::thread::park_timeout(pause);
                if !ended.load(Ordering::Relaxed) {
                    tell();
                }
            }
        });
        let _ends = Ends(&ended, teller.thread().clone());
        work()
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::panic::{AssertUnwindSafe, catch_unwind};
    use std::sync::mpsc;

    #[test]
    fn it_tells_until_the_work_is_done_and_gives_its_answer() {
        let (send, heard) = mpsc::channel();
        let send = std::sync::Mutex::new(send);
        let tell = || send.lock().unwrap().send(()).unwrap();
        let answer = meanwhile(Duration::from_millis(1), tell, || {
            for _ in 0..3 {
                heard.recv().unwrap();
            }
            7
        });
        assert_eq!(answer, 7);
    }

    /// The panic goes on to whoever waits for it, at once and not after the next pause.
    #[test]
    fn a_panic_of_the_work_does_not_hang() {
        let an_hour = Duration::from_secs(3600);
        let outcome = catch_unwind(AssertUnwindSafe(|| {
            meanwhile(an_hour, || (), || panic!("broken"))
        }));
        assert!(outcome.is_err());
    }
}
