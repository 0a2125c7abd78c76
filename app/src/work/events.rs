//! What changes, in the order in which it changed. Each event has a number, the last ones are kept, so that whoever was away
//! for a moment hears what was missed, and whoever was away for longer is told to catch up.

use super::told::Event;
use rocket::tokio::sync::broadcast::{self, Receiver};
use std::collections::VecDeque;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::{SystemTime, UNIX_EPOCH};

/// Events that are kept.
const KEPT: usize = 256;

/// An event as it goes out.
#[derive(Clone, Debug)]
pub struct Told {
    /// Its number: one more than that of the event before it.
    pub number: u64,
    /// The event as JSON.
    pub text: Arc<str>,
}

/// What changed, and who listens.
pub struct Events {
    listeners: broadcast::Sender<Told>,
    kept: Mutex<Kept>,
}

struct Kept {
    next: u64,
    last: VecDeque<Told>,
}

/// What a listener is to hear first.
pub enum Missed {
    /// These events.
    These(Vec<Told>),
    /// More than is kept: it has to ask for everything anew. The number is that of the last event.
    All(u64),
}

impl Default for Events {
    fn default() -> Self {
        let (listeners, _) = broadcast::channel(KEPT);
        // Numbers of the clock: those of an earlier start are always smaller.
        let since = SystemTime::now().duration_since(UNIX_EPOCH);
        let next = since.map_or(1, |d| u64::try_from(d.as_millis()).unwrap_or(1));
        Self {
            listeners,
            kept: Mutex::new(Kept {
                next,
                last: VecDeque::new(),
            }),
        }
    }
}

impl Events {
    fn kept(&self) -> MutexGuard<'_, Kept> {
        self.kept.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Tells whoever listens; nobody may.
    pub fn tell(&self, event: &Event) {
        let Ok(text) = serde_json::to_string(event) else {
            return;
        };
        let mut kept = self.kept();
        let told = Told {
            number: kept.next,
            text: text.into(),
        };
        kept.next += 1;
        if kept.last.len() == KEPT {
            kept.last.pop_front();
        }
        kept.last.push_back(told.clone());
        // Under the lock, so that they go out in the order of their numbers.
        let _ = self.listeners.send(told);
    }

    /// Listens from now on. `heard` is the number of the last event that was heard before, if any was.
    pub fn listen(&self, heard: Option<u64>) -> (Missed, Receiver<Told>) {
        let kept = self.kept();
        let listener = self.listeners.subscribe();
        let last = kept.next - 1;
        let first = kept.last.front().map_or(kept.next, |t| t.number);
        let missed = match heard {
            Some(heard) if heard <= last && heard + 1 >= first => Missed::These(
                (kept.last.iter())
                    .filter(|t| t.number > heard)
                    .cloned()
                    .collect(),
            ),
            _ => Missed::All(last),
        };
        (missed, listener)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn numbers(missed: Missed) -> Result<Vec<u64>, u64> {
        match missed {
            Missed::These(told) => Ok(told.iter().map(|t| t.number).collect()),
            Missed::All(last) => Err(last),
        }
    }

    #[test]
    fn what_was_missed_is_told_or_all_is_to_be_asked_for() {
        let events = Events::default();
        let (start, mut listener) = events.listen(None);
        let start = numbers(start).unwrap_err();
        for project in 0..5 {
            events.tell(&Event::Project { project });
        }
        // Every number once and in order.
        for i in 1..=5 {
            assert_eq!(listener.try_recv().unwrap().number, start + i);
        }
        assert!(listener.try_recv().is_err());
        let since = |heard| numbers(events.listen(Some(heard)).0);
        assert_eq!(since(start + 3), Ok(vec![start + 4, start + 5]));
        assert_eq!(since(start + 5), Ok(vec![]));
        // Of another start of the server, or from the future: everything.
        assert_eq!(since(12), Err(start + 5));
        assert_eq!(since(start + 6), Err(start + 5));
        for project in 0..KEPT as i64 {
            events.tell(&Event::Project { project });
        }
        let last = start + 5 + KEPT as u64;
        assert_eq!(since(start + 4), Err(last), "fell out of what is kept");
        assert_eq!(since(start + 5).unwrap().len(), KEPT);
    }
}
