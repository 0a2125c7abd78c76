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

/// Two works in turns, so that what else the machine does hits both: the middle of the times of each, milliseconds, and the
/// middle of what the second took as a share of the first.
#[allow(dead_code)]
pub fn in_turns<A, B>(
    rounds: usize,
    mut first: impl FnMut() -> A,
    mut second: impl FnMut() -> B,
) -> [f64; 3] {
    let each: Vec<[f64; 3]> = (0..rounds)
        .map(|_| {
            let (a, b) = (time(1, &mut first), time(1, &mut second));
            [a, b, b / a]
        })
        .collect();
    [0, 1, 2].map(|i| {
        let mut values: Vec<f64> = each.iter().map(|e| e[i]).collect();
        values.sort_by(f64::total_cmp);
        values[rounds / 2]
    })
}
