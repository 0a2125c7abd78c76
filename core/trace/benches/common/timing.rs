//! Times of several runs.

use std::time::Instant;

/// The middle of so many times, milliseconds.
pub fn time<T>(rounds: usize, mut work: impl FnMut() -> T) -> f64 {
    let mut times: Vec<f64> = (0..rounds)
        .map(|_| {
            let start = Instant::now();
            std::hint::black_box(work());
            start.elapsed().as_secs_f64() * 1000.0
        })
        .collect();
    times.sort_by(f64::total_cmp);
    times[rounds / 2]
}
