//! One memory budget for the whole process. Every reader of outside bytes claims what it will need before it
//! allocates; what does not fit is refused with a sentence, so that no file can take the program down.

pub use crate::words::told;

use crate::error::{FileError, Result};
use std::fs::File;
use std::io::Read;
use std::path::Path;
use std::sync::Mutex;
use std::sync::PoisonError;

/// What is claimed and what may be.
struct State {
    limit: Option<u64>,
    used: u64,
}

static STATE: Mutex<State> = Mutex::new(State {
    limit: None,
    used: 0,
});

fn with<T>(f: impl FnOnce(&mut State) -> T) -> T {
    f(&mut STATE.lock().unwrap_or_else(PoisonError::into_inner))
}

impl State {
    fn limit(&mut self) -> u64 {
        *self.limit.get_or_insert_with(default_limit)
    }
}

/// Two thirds of the machine's memory, or of what its container may use.
fn default_limit() -> u64 {
    machine_memory().map_or(8 << 30, |bytes| bytes / 3 * 2)
}

/// Memory of the machine or of the container that this runs in, bytes.
fn machine_memory() -> Option<u64> {
    let told = std::fs::read_to_string("/proc/meminfo").ok()?;
    let line = told.lines().find(|l| l.starts_with("MemTotal:"))?;
    let kib: u64 = line.split_whitespace().nth(1)?.parse().ok()?;
    // Where there is no such limit the file says "max" or is missing.
    let group = [
        "/sys/fs/cgroup/memory.max",
        "/sys/fs/cgroup/memory/memory.limit_in_bytes",
    ]
    .iter()
    .find_map(|path| {
        std::fs::read_to_string(path)
            .ok()?
            .trim()
            .parse::<u64>()
            .ok()
    });
    Some((kib << 10).min(group.unwrap_or(u64::MAX)))
}

/// Sets the budget, bytes.
pub fn set_limit(bytes: u64) {
    with(|s| s.limit = Some(bytes));
}

/// The budget, bytes.
pub fn limit() -> u64 {
    with(State::limit)
}

/// What is claimed at present, bytes.
pub fn used() -> u64 {
    with(|s| s.used)
}

/// Memory that is spoken for until this is dropped.
#[derive(Debug, Default)]
pub struct Claim(u64);

impl Drop for Claim {
    fn drop(&mut self) {
        with(|s| s.used = s.used.saturating_sub(self.0));
    }
}

impl Claim {
    /// Claims more for the same thing; `what` names it in the message.
    pub fn grow(&mut self, bytes: u64, what: &str) -> Result<()> {
        self.0 += claim(bytes, what)?.release();
        Ok(())
    }

    /// What is claimed, bytes.
    pub fn bytes(&self) -> u64 {
        self.0
    }

    /// Gives back what is claimed beyond `bytes`.
    pub fn shrink_to(&mut self, bytes: u64) {
        let back = self.0.saturating_sub(bytes);
        self.0 -= back;
        with(|s| s.used = s.used.saturating_sub(back));
    }

    /// Takes over what another claim holds.
    pub fn join(&mut self, other: Self) {
        self.0 += other.release();
    }

    /// Its bytes, which somebody else answers for from now on.
    fn release(mut self) -> u64 {
        std::mem::take(&mut self.0)
    }
}

/// Claims memory for something; `what` names it in the message. Refused if the budget does not reach.
pub fn claim(bytes: u64, what: &str) -> Result<Claim> {
    with(|s| {
        let limit = s.limit();
        match s.used.checked_add(bytes) {
            Some(sum) if sum <= limit => {
                s.used = sum;
                Ok(Claim(bytes))
            }
            _ => Err(FileError::OutOfMemory {
                what: what.to_owned(),
                needed: bytes,
                free: limit.saturating_sub(s.used),
                limit,
            }),
        }
    })
}

/// Reads a file whole, after memory for so many copies of it was claimed; `what` names it in messages. A file that grows meanwhile is read
/// as long as it was.
pub fn read(path: &Path, copies: u64, what: &str) -> Result<(Vec<u8>, Claim)> {
    let io = || FileError::io("Reading", path);
    let mut file = File::open(path).map_err(io())?;
    let length = file.metadata().map_err(io())?.len();
    let memory = claim(length.saturating_mul(copies), what)?;
    let mut bytes = Vec::with_capacity(length as usize);
    Read::by_ref(&mut file)
        .take(length)
        .read_to_end(&mut bytes)
        .map_err(io())?;
    Ok((bytes, memory))
}

/// Reads an amount such as `6G`, `500M` or `2.5GB`; K, M and G are powers of 1000.
pub fn parse(text: &str) -> Option<u64> {
    let plain = text.trim().to_ascii_uppercase();
    let plain = plain.strip_suffix('B').unwrap_or(&plain);
    let (number, unit) = match plain.chars().last()? {
        'K' => (&plain[..plain.len() - 1], 1e3),
        'M' => (&plain[..plain.len() - 1], 1e6),
        'G' => (&plain[..plain.len() - 1], 1e9),
        'T' => (&plain[..plain.len() - 1], 1e12),
        _ => (plain, 1.0),
    };
    let value = number.trim().parse::<f64>().ok()? * unit;
    (1.0..1e15).contains(&value).then_some(value as u64)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn amounts_are_read_and_told() {
        assert_eq!(parse("6G"), Some(6_000_000_000));
        assert_eq!(parse(" 2.5 gb"), Some(2_500_000_000));
        assert_eq!(parse("500M"), Some(500_000_000));
        for wrong in ["", "G", "-1G", "much", "NaN", "1e30", "0"] {
            assert_eq!(parse(wrong), None, "{wrong}");
        }
        assert_eq!(told(8_600_000_000), "8.6 GB");
        assert_eq!(told(3), "1 kB");
    }

    /// Claims add up, are refused beyond the budget, and come back when they are dropped.
    #[test]
    fn claims_add_up_and_come_back() {
        // Far above what other tests of this process claim meanwhile.
        let half = limit() / 2;
        let first = claim(half, "The first").unwrap();
        assert!(used() >= half);
        let message = claim(limit(), "The second").unwrap_err().to_string();
        assert!(
            message.starts_with("The second needs") && message.contains("--memory"),
            "{message}"
        );
        assert!(claim(u64::MAX, "Nonsense").is_err());
        drop(first);
        let mut again = claim(half, "It").unwrap();
        again.shrink_to(10);
        assert_eq!(again.bytes(), 10);
        again.grow(5, "It").unwrap();
        assert_eq!(again.bytes(), 15);
    }
}
