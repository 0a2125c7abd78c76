//! Outside code that reads outside bytes may panic: here that becomes an error with a sentence.

use crate::error::{FileError, Result};
use std::cell::Cell;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::Once;

thread_local! {
    static CONTAINED: Cell<u32> = const { Cell::new(0) };
}

/// Lets panics of contained code pass without a word on stderr; all others are told as ever.
fn quiet_hook() {
    static ONCE: Once = Once::new();
    ONCE.call_once(|| {
        let before = std::panic::take_hook();
        std::panic::set_hook(Box::new(move |info| {
            if CONTAINED.with(Cell::get) == 0 {
                before(info);
            }
        }));
    });
}

/// Runs a library's reader of outside bytes; a panic in it is told as damage of `what`.
pub fn contain<T>(what: &str, read: impl FnOnce() -> T) -> Result<T> {
    quiet_hook();
    CONTAINED.with(|c| c.set(c.get() + 1));
    let outcome = catch_unwind(AssertUnwindSafe(read));
    CONTAINED.with(|c| c.set(c.get() - 1));
    outcome.map_err(|panic| {
        let said = panic
            .downcast_ref::<String>()
            .map(String::as_str)
            .or_else(|| panic.downcast_ref::<&str>().copied())
            .unwrap_or("no reason is known");
        let said: String = said
            .lines()
            .next()
            .unwrap_or_default()
            .chars()
            .take(160)
            .collect();
        FileError::damaged(what, format!("it cannot be read ({said})"))
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_panic_becomes_a_sentence() {
        assert_eq!(contain("x.mtl", || 3).unwrap(), 3);
        let wrong: Result<i32> = contain("x.mtl", || panic!("index out of range\nmore"));
        let message = wrong.unwrap_err().to_string();
        assert!(
            message.starts_with("x.mtl is damaged") && message.contains("(index out of range)"),
            "{message}"
        );
        // The next one is contained as well.
        assert!(contain::<()>("y", || panic!("again")).is_err());
    }
}
