//! How long a render will take: first by a look at places all over it ([`Survey`]), then more and more by its own pace.

use crate::survey::Survey;
use std::time::Duration;

/// Share of the work for which the look counts as much as what was measured since: it tells how long it takes before any of it is done,
/// and less and less later on.
const LOOKED: f64 = 0.02;

/// The work that each strip is expected to take.
pub struct Forecast {
    /// First row and number of rows, expected time on one core in seconds, expected samples.
    strips: Vec<(u32, f64, f64)>,
    /// Cores that work on them.
    threads: usize,
}

impl Forecast {
    /// For strips, given as first row and number of rows, of a picture `width` pixels wide.
    pub fn of(survey: &Survey, width: u32, places: &[(u32, u32)]) -> Self {
        let strips = (places.iter())
            .map(|&(top, rows)| {
                let (seconds, samples) = survey.at_row(top + rows / 2);
                let pixels = f64::from(rows) * f64::from(width);
                (top, (seconds * pixels).max(1e-9), samples * pixels)
            })
            .collect();
        Self {
            strips,
            threads: rayon::current_num_threads(),
        }
    }

    /// Where nothing was looked at: every pixel takes alike.
    pub fn even(width: u32, places: &[(u32, u32)]) -> Self {
        let strips = (places.iter())
            .map(|&(top, rows)| (top, f64::from(rows), f64::from(rows) * f64::from(width)))
            .collect();
        Self {
            strips,
            threads: rayon::current_num_threads(),
        }
    }

    /// The same for so many eyes, each of which takes as long as the one that was looked through.
    #[must_use]
    pub fn for_eyes(mut self, eyes: usize) -> Self {
        for (_, seconds, samples) in &mut self.strips {
            *seconds *= eyes as f64;
            *samples *= eyes as f64;
        }
        self
    }

    /// Samples that all of it is expected to take.
    pub fn samples(&self) -> f64 {
        self.strips.iter().map(|s| s.2).sum()
    }

    /// Seconds by the clock that all of it is expected to take.
    fn seconds(&self) -> f64 {
        self.strips.iter().map(|s| s.1).sum::<f64>() / self.threads.max(1) as f64
    }

    /// Seconds that are left with a share done, of which this run did `here` in the time `spent`: at the pace since it began, and as
    /// long as little was done, at the pace of the look.
    pub fn left(&self, share: f64, here: f64, spent: Duration) -> f64 {
        let whole = self.seconds();
        let pace = (spent.as_secs_f64() + LOOKED * whole) / (here.max(0.0) + LOOKED);
        (1.0 - share).max(0.0) * pace
    }

    /// Share of the expected work that is done, 0 to 1: whole strips, and `samples` of the one at `current`.
    pub fn share(&self, is_done: impl Fn(u32) -> bool, current: Option<(u32, u64)>) -> f64 {
        let whole: f64 = self.strips.iter().map(|s| s.1).sum();
        let done: f64 = self
            .strips
            .iter()
            .map(|&(top, work, expected)| match current {
                _ if is_done(top) => work,
                Some((at, samples)) if at == top => {
                    // A strip that takes more than was expected does not count as done before it is.
                    work * (samples as f64 / expected.max(1.0)).min(0.95)
                }
                _ => 0.0,
            })
            .sum();
        if whole > 0.0 {
            (done / whole).min(1.0)
        } else {
            1.0
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Before anything is done the look alone tells; later on what was measured, whatever the look said; and nothing is left at the end.
    #[test]
    fn what_is_left_follows_the_look_and_then_the_pace() {
        let forecast = Forecast {
            strips: vec![(0, 100.0, 1.0), (16, 300.0, 1.0)],
            threads: 2,
        };
        let left =
            |share, here, seconds| forecast.left(share, here, Duration::from_secs_f64(seconds));
        assert!((left(0.0, 0.0, 0.0) - 200.0).abs() < 1e-9);
        // As fast as the look said.
        assert!((left(0.25, 0.25, 50.0) - 150.0).abs() < 1e-9);
        // A machine half as fast; the quarter that an earlier run did took none of this one's time.
        let half = left(0.75, 0.5, 200.0);
        assert!((half / 100.0 - 1.0).abs() < 0.03, "{half}");
        // A first step that seems to take no time at all, or minutes, is not believed alone.
        for seconds in [0.0, 2.0, 10.0] {
            let early = left(0.001, 0.001, seconds);
            assert!((150.0..800.0).contains(&early), "{seconds}: {early}");
        }
        assert_eq!(left(1.0, 1.0, 300.0), 0.0);
    }
}
