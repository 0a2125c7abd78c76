//! Numbers in words, for messages.

/// Bytes in words, for messages.
pub fn told(bytes: u64) -> String {
    const MB: f64 = 1e6;
    match bytes as f64 {
        b if b >= 1e12 => format!("{:.0} GB", b / 1e9),
        b if b >= 1e9 => format!("{:.1} GB", b / 1e9),
        b if b >= MB => format!("{:.0} MB", b / MB),
        b => format!("{:.0} kB", (b / 1e3).max(1.0)),
    }
}
