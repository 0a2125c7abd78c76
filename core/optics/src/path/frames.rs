//! Frames: how many there are from one to another, and the moment that each shows.
//!
//! Moments are computed from whole numbers and never summed, so that an hour at 24000/1001 a second does not drift.

use std::fmt;
use thiserror::Error;

/// Most frames of a sequence: a day at 60 a second is 5 million.
pub const MOST_FRAMES: u64 = 10_000_000;

/// Frames a second, as a fraction.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Rate {
    frames: u32,
    seconds: u32,
}

/// A rate or a range of frames that makes no sense.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
pub enum FramesError {
    /// The text is no rate.
    #[error("\"{0}\" is no frame rate; give frames a second like 30, 29.97 or 30000/1001")]
    NoRate(String),
    /// The rate is out of range.
    #[error("{0} frames a second is out of range; give 1 to 240")]
    RateRange(String),
    /// The text is no range.
    #[error(
        "\"{0}\" is no range of frames; give the first and the last like 0-100, and a step like 0-100/10"
    )]
    NoRange(String),
    /// The last frame comes before the first.
    #[error("The frames end at {last}, before they begin at {first}; give the first one first")]
    Backwards {
        /// First frame.
        first: u64,
        /// Last frame.
        last: u64,
    },
    /// There are too many.
    #[error("{0} frames are too many; give at most 10 million")]
    TooMany(u64),
}

/// Rates whose usual name is a rounded number of 1000/1001 of a whole rate (SMPTE ST 12-1 and common practice, from memory).
const FRACTIONAL: [(&str, u32); 5] = [
    ("23.976", 24),
    ("23.98", 24),
    ("29.97", 30),
    ("47.952", 48),
    ("59.94", 60),
];

impl Rate {
    /// So many frames in so many seconds, at least 1 and at most 240 a second; the fraction is kept in lowest terms.
    pub fn new(frames: u32, seconds: u32) -> Result<Self, FramesError> {
        if seconds == 0 || frames < seconds || u64::from(frames) > 240 * u64::from(seconds) {
            return Err(FramesError::RateRange(format!("{frames}/{seconds}")));
        }
        let mut divisor = (frames, seconds);
        while divisor.1 > 0 {
            divisor = (divisor.1, divisor.0 % divisor.1);
        }
        Ok(Self {
            frames: frames / divisor.0,
            seconds: seconds / divisor.0,
        })
    }

    /// Reads a rate: a whole number, a fraction like 30000/1001, or one of the rounded names 23.976, 29.97, 47.952 and 59.94.
    pub fn parse(text: &str) -> Result<Self, FramesError> {
        let text = text.trim();
        if let Some((_, whole)) = FRACTIONAL.iter().find(|(name, _)| *name == text) {
            return Self::new(whole * 1000, 1001);
        }
        let none = || FramesError::NoRate(text.to_owned());
        let (frames, seconds) = text.split_once('/').unwrap_or((text, "1"));
        let number = |part: &str| part.parse::<u32>().map_err(|_| none());
        match text.split_once('.') {
            // A whole number may be written with zeros behind the point.
            Some((whole, rest)) if !rest.is_empty() && rest.bytes().all(|b| b == b'0') => {
                Self::new(number(whole)?, 1)
            }
            _ => Self::new(number(frames)?, number(seconds)?),
        }
    }

    /// Frames a second.
    pub fn per_second(self) -> f64 {
        f64::from(self.frames) / f64::from(self.seconds)
    }

    /// Numerator and denominator in lowest terms.
    pub fn fraction(self) -> (u32, u32) {
        (self.frames, self.seconds)
    }

    /// When frame `k` is shown, seconds after frame 0.
    pub fn moment_s(self, k: u64) -> f64 {
        // Exact in whole numbers; the one division rounds once.
        (u128::from(k) * u128::from(self.seconds)) as f64 / f64::from(self.frames)
    }
}

impl fmt::Display for Rate {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match (self.frames, self.seconds) {
            (frames, 1) => write!(f, "{frames}"),
            (frames, seconds) => write!(f, "{frames}/{seconds}"),
        }
    }
}

/// Frames of a sequence, the first and the last included.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Frames {
    first: u64,
    last: u64,
    step: u64,
}

impl Frames {
    /// Every `step`-th frame from the first up to the last.
    pub fn new(first: u64, last: u64, step: u64) -> Result<Self, FramesError> {
        if last < first {
            return Err(FramesError::Backwards { first, last });
        }
        let frames = Self {
            first,
            last,
            step: step.max(1),
        };
        match frames.count() {
            n if n > MOST_FRAMES => Err(FramesError::TooMany(n)),
            _ => Ok(frames),
        }
    }

    /// Reads a range: `0-100`, `0-100/10`, or one frame alone.
    pub fn parse(text: &str) -> Result<Self, FramesError> {
        let none = || FramesError::NoRange(text.to_owned());
        let number = |part: &str| part.trim().parse::<u64>().map_err(|_| none());
        let (range, step) = match text.split_once('/') {
            Some((range, step)) => (range, number(step)?),
            None => (text, 1),
        };
        if step == 0 {
            return Err(none());
        }
        let (first, last) = range.split_once('-').unwrap_or((range, range));
        Self::new(number(first)?, number(last)?, step)
    }

    /// How many there are.
    pub fn count(self) -> u64 {
        ((self.last - self.first) / self.step).saturating_add(1)
    }

    /// Their numbers, in order.
    pub fn numbers(self) -> impl Iterator<Item = u64> {
        (0..self.count()).map(move |i| self.first + i * self.step)
    }

    /// Their numbers, every `each`-th first, and what is left after that: mistakes show early.
    pub fn coarse_first(self, each: u64) -> impl Iterator<Item = u64> {
        let each = each.max(1);
        let number = move |i: u64| self.first + i * self.step;
        let coarse = (0..self.count()).step_by(each as usize).map(number);
        let rest = (0..self.count()).filter(move |i| i % each != 0).map(number);
        coarse.chain(rest)
    }

    /// How long they last: each is shown until the next would be, the last one too.
    pub fn lasts_s(self, rate: Rate) -> f64 {
        rate.moment_s(self.last + 1) - rate.moment_s(self.first)
    }
}

impl fmt::Display for Frames {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match (self.first == self.last, self.step) {
            (true, _) => write!(f, "{}", self.first),
            (false, 1) => write!(f, "{}-{}", self.first, self.last),
            (false, step) => write!(f, "{}-{}/{step}", self.first, self.last),
        }
    }
}
