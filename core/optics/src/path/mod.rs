//! Paths of a viewpoint: keys over time, and where it is, how it looks and how fast it goes at every moment between them.
//!
//! Metres, seconds and degrees. A path is a line through space ([`curve`]), how far along it one is at a moment, and values that
//! change as one goes: heading, opening view, separation, convergence. Before its first key and after its last it stands still.

mod cubic;
mod curve;
mod ease;
mod frames;
mod track;

pub use cubic::Monotone;
pub use curve::Between;
pub use ease::Ease;
pub use frames::{Frames, FramesError, MOST_FRAMES, Rate};

use crate::angle::wrap_signed_deg;
use curve::{Measured, Segment};
use glam::DVec3;
use thiserror::Error;
use track::Track;

/// Most keys of a path.
pub const MOST_KEYS: usize = 10_000;
/// Farthest that a key may be from the origin, metres: beyond it single precision is coarser than a step.
const FARTHEST_M: f64 = 1e7;
/// Latest moment, seconds: a day.
const LATEST_S: f64 = 86_400.0;
/// Half the time over which speeds are taken, seconds: an eightieth of a frame at 60 a second.
const STEP_S: f64 = 1e-4;
/// Share of the way to the neighbouring keys over which it is told where a path leads at a key.
const NEARBY: f64 = 1e-3;
/// Below this length of it nobody can tell, metres.
const STANDING_M: f64 = 1e-7;
/// Below this speed nobody can tell where to, metres a second.
const STANDING_M_S: f64 = 1e-3;

/// What a viewer sees first.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Opening {
    /// Where to, degrees clockwise from -Z.
    pub heading_deg: f64,
    /// Upwards, degrees.
    pub pitch_deg: f64,
    /// How wide, degrees.
    pub hfov_deg: f64,
}

/// Where a viewpoint is at a moment, and what else is set there.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PathKey {
    /// The moment, seconds.
    pub time_s: f64,
    /// Where the eye is, metres.
    pub position: DVec3,
    /// How it goes on to the next key, for all that is set.
    pub on: Between,
    /// Heading, degrees clockwise from -Z.
    pub heading_deg: Option<f64>,
    /// Whole turns more than the short way from the last heading to this one; below 0 counter-clockwise.
    pub turns: i32,
    /// The opening view.
    pub opening: Option<Opening>,
    /// Distance of the eyes, metres.
    pub separation_m: Option<f64>,
    /// Distance at which they meet, metres.
    pub convergence_m: Option<f64>,
}

impl PathKey {
    /// A key that sets the place alone.
    pub fn at(time_s: f64, position: DVec3) -> Self {
        Self {
            time_s,
            position,
            on: Between::Smooth,
            heading_deg: None,
            turns: 0,
            opening: None,
            separation_m: None,
            convergence_m: None,
        }
    }
}

/// Keys that make no path.
#[derive(Clone, Debug, PartialEq, Error)]
pub enum PathError {
    /// No key at all.
    #[error("A path needs at least one key.")]
    NoKeys,
    /// Too many.
    #[error("The path has {0} keys; give at most 10,000.")]
    TooMany(usize),
    /// A key is not after the one before.
    #[error(
        "Key {key} of the path is at {time_s} s, not after the key before it; move it to a later moment."
    )]
    NotAfter {
        /// Its number, counted from 1.
        key: usize,
        /// Its moment.
        time_s: f64,
    },
    /// A number is not one, or too large.
    #[error("{what} of key {key} of the path is out of range; give {range}.")]
    Range {
        /// Its number, counted from 1.
        key: usize,
        /// What it is of the key.
        what: &'static str,
        /// What it may be.
        range: &'static str,
    },
}

/// Where a viewpoint is at a moment. What no key sets is nothing: the viewpoint's own counts.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Moment {
    /// Where the eye is, metres.
    pub position: DVec3,
    /// Heading, degrees clockwise from -Z, 0 to 360.
    pub heading_deg: Option<f64>,
    /// The opening view.
    pub opening: Option<Opening>,
    /// Distance of the eyes, metres.
    pub separation_m: Option<f64>,
    /// Distance at which they meet, metres.
    pub convergence_m: Option<f64>,
}

/// How a viewpoint moves at a moment.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Motion {
    /// Metres a second.
    pub speed_m_s: f64,
    /// Where to, degrees clockwise from -Z; nothing where it stands or only rises or sinks.
    pub travel_deg: Option<f64>,
    /// Degrees a second, to the right.
    pub turning_deg_s: f64,
}

/// A path, ready to be asked.
#[derive(Clone, Debug)]
pub struct EyePath {
    keys: Vec<PathKey>,
    segments: Vec<Measured>,
    /// How far along the line each key is, metres.
    along: Vec<f64>,
    /// How far along the line one is at a moment, for each run of smooth segments; its first key.
    runs: Vec<(usize, Monotone)>,
    /// The run of each segment that is smooth.
    run_of: Vec<Option<usize>>,
    ease: Ease,
    constant_speed: bool,
    heading: Option<Track>,
    opening: Option<[Track; 3]>,
    separation: Option<Track>,
    convergence: Option<Track>,
}

impl EyePath {
    /// A path through keys at rising times. With `constant_speed` the keys' places count and not their times: the whole way from the
    /// first moment to the last is gone at one speed, eased in and out.
    pub fn new(keys: Vec<PathKey>, ease: Ease, constant_speed: bool) -> Result<Self, PathError> {
        check(&keys)?;
        let segments: Vec<Measured> = (0..keys.len() - 1)
            .map(|i| Measured::new(segment(&keys, i)))
            .collect();
        let mut along = vec![0.0];
        for s in &segments {
            along.push(along[along.len() - 1] + s.length());
        }
        let mut runs: Vec<(usize, Monotone)> = Vec::new();
        let mut run_of = vec![None; segments.len()];
        let mut i = 0;
        while i < segments.len() {
            let first = i;
            while i < segments.len() && keys[i].on == Between::Smooth {
                run_of[i] = Some(runs.len());
                i += 1;
            }
            if i > first {
                let pairs = (first..=i).map(|k| (keys[k].time_s, along[k]));
                runs.extend(Monotone::new(pairs).map(|m| (first, m)));
            } else {
                i += 1;
            }
        }
        let values = |value: &dyn Fn(&PathKey) -> Option<f64>| {
            Track::new(
                keys.iter()
                    .filter_map(|k| Some((k.time_s, value(k)?, k.on))),
            )
        };
        let angles = |value: &dyn Fn(&PathKey) -> Option<f64>| {
            let mut last: Option<f64> = None;
            let unrolled = keys.iter().filter_map(|k| {
                let wanted = value(k)?;
                let next = match last {
                    None => wanted,
                    Some(from) => {
                        from + wrap_signed_deg(wanted - from) + 360.0 * f64::from(k.turns)
                    }
                };
                last = Some(next);
                Some((k.time_s, next, k.on))
            });
            Track::new(unrolled)
        };
        let opening = || {
            Some([
                angles(&|k| k.opening.map(|o| o.heading_deg))?,
                values(&|k| k.opening.map(|o| o.pitch_deg))?,
                values(&|k| k.opening.map(|o| o.hfov_deg))?,
            ])
        };
        Ok(Self {
            heading: angles(&|k| k.heading_deg),
            opening: opening(),
            separation: values(&|k| k.separation_m),
            convergence: values(&|k| k.convergence_m),
            keys,
            segments,
            along,
            runs,
            run_of,
            ease,
            constant_speed,
        })
    }

    /// Its keys.
    pub fn keys(&self) -> &[PathKey] {
        &self.keys
    }

    /// From its first moment to its last, seconds.
    pub fn span_s(&self) -> (f64, f64) {
        let last = self.keys.len() - 1;
        (self.keys[0].time_s, self.keys[last].time_s)
    }

    /// How long the line is, metres.
    pub fn length_m(&self) -> f64 {
        self.along[self.along.len() - 1]
    }

    /// Where the viewpoint is at a moment.
    pub fn at(&self, time_s: f64) -> Moment {
        let time = self.key_time_s(time_s);
        let value = |track: &Option<Track>| track.as_ref().map(|t| t.at(time));
        Moment {
            position: self.place(time),
            heading_deg: value(&self.heading).map(|h| h.rem_euclid(360.0)),
            opening: self.opening.as_ref().map(|[heading, pitch, hfov]| Opening {
                heading_deg: heading.at(time).rem_euclid(360.0),
                pitch_deg: pitch.at(time),
                hfov_deg: hfov.at(time),
            }),
            separation_m: value(&self.separation),
            convergence_m: value(&self.convergence),
        }
    }

    /// How it moves at a moment.
    pub fn motion(&self, time_s: f64) -> Motion {
        let (first, last) = self.span_s();
        // Within the path on both sides, so that its ends have the speed that they begin and end with.
        let a = (time_s - STEP_S).clamp(first, last);
        let b = (time_s + STEP_S).clamp(first, last);
        if b <= a || time_s < first || time_s > last {
            return Motion {
                speed_m_s: 0.0,
                travel_deg: None,
                turning_deg_s: 0.0,
            };
        }
        let (from, to) = (self.at(a), self.at(b));
        let velocity = (to.position - from.position) / (b - a);
        let level = velocity.x.hypot(velocity.z);
        let turning = match (from.heading_deg, to.heading_deg) {
            (Some(a), Some(b)) => wrap_signed_deg(b - a),
            _ => 0.0,
        };
        Motion {
            speed_m_s: velocity.length(),
            travel_deg: (level > STANDING_M_S)
                .then(|| velocity.x.atan2(-velocity.z).to_degrees().rem_euclid(360.0)),
            turning_deg_s: turning / (b - a),
        }
    }

    /// Where it goes at each key, degrees: what it looks at when it looks where it travels. Keys at which it stands look as the next
    /// one that moves, or else as the last one; nothing if it never moves.
    pub fn travel_at_keys(&self) -> Option<Vec<f64>> {
        // Along the line and not over time: at a gentle start it stands, and leads somewhere all the same.
        let mut found: Vec<Option<f64>> = (0..self.keys.len())
            .map(|i| {
                let time = self.keys[i].time_s;
                let beside = |k: usize| time + NEARBY * (self.keys[k].time_s - time);
                let before = self.place(beside(i.saturating_sub(1)));
                let way = self.place(beside((i + 1).min(self.keys.len() - 1))) - before;
                let level = way.x.hypot(way.z);
                (level > STANDING_M).then(|| way.x.atan2(-way.z).to_degrees().rem_euclid(360.0))
            })
            .collect();
        let mut next = None;
        for way in found.iter_mut().rev() {
            next = way.or(next);
            *way = next;
        }
        let mut last = None;
        for way in &mut found {
            last = way.or(last);
            *way = last;
        }
        found.into_iter().collect()
    }

    /// The moment at which a time of the keys is come to, seconds: with an ease or at constant speed not the same.
    pub fn moment_of(&self, key_time_s: f64) -> f64 {
        let (first, last) = self.span_s();
        // At a gentle end many moments are as good as the last.
        if key_time_s <= first || key_time_s >= last {
            return key_time_s.clamp(first, last);
        }
        let (mut low, mut high) = (first, last);
        for _ in 0..64 {
            let middle = 0.5 * (low + high);
            if self.key_time_s(middle) < key_time_s {
                low = middle;
            } else {
                high = middle;
            }
        }
        high
    }

    /// The time among the keys' that one has come to at a moment, seconds.
    pub fn key_time_s(&self, time_s: f64) -> f64 {
        let (first, last) = self.span_s();
        let whole = last - first;
        if whole <= 0.0 || time_s <= first {
            return first;
        }
        if time_s >= last {
            return last;
        }
        let share = self.ease.share(time_s - first, whole);
        if self.constant_speed && self.length_m() > 0.0 {
            self.time_of_length(share * self.length_m())
        } else {
            first + share * whole
        }
    }

    /// The time of the keys at which so many metres are gone.
    fn time_of_length(&self, length: f64) -> f64 {
        let key = self.along.partition_point(|l| *l < length);
        if key == 0 || key == self.along.len() {
            return self.keys[key.min(self.keys.len() - 1)].time_s;
        }
        let i = key - 1;
        match self.run_of[i] {
            Some(run) => self.runs[run].1.first_time_of(length),
            None => {
                let (a, b) = (self.along[i], self.along[key]);
                let share = (length - a) / (b - a);
                self.keys[i].time_s + share * (self.keys[key].time_s - self.keys[i].time_s)
            }
        }
    }

    /// The place at a time of the keys.
    fn place(&self, time: f64) -> DVec3 {
        let next = self.keys.partition_point(|k| k.time_s <= time);
        if next == 0 || next == self.keys.len() {
            return self.keys[next.saturating_sub(1)].position;
        }
        let i = next - 1;
        let length = match self.run_of[i] {
            Some(run) => self.runs[run].1.at(time) - self.along[i],
            None => {
                let (a, b) = (self.keys[i].time_s, self.keys[next].time_s);
                self.segments[i].length() * (time - a) / (b - a)
            }
        };
        self.segments[i].at_length(length)
    }
}

/// The segment after a key.
fn segment(keys: &[PathKey], i: usize) -> Segment {
    let smooth = |k: usize| keys[k].on == Between::Smooth;
    // A straight line or a jump beside it does not bend it.
    let before = (i > 0 && smooth(i - 1)).then(|| keys[i - 1].position);
    let after = (i + 2 < keys.len() && smooth(i + 1)).then(|| keys[i + 2].position);
    let ends = (keys[i].position, keys[i + 1].position);
    Segment::new(keys[i].on, ends, (before, after))
}

fn check(keys: &[PathKey]) -> Result<(), PathError> {
    if keys.is_empty() {
        return Err(PathError::NoKeys);
    }
    if keys.len() > MOST_KEYS {
        return Err(PathError::TooMany(keys.len()));
    }
    for (i, k) in keys.iter().enumerate() {
        let key = i + 1;
        let range = |what, range| PathError::Range { key, what, range };
        let within = |v: f64, low: f64, high: f64| v.is_finite() && (low..=high).contains(&v);
        if !within(k.time_s, 0.0, LATEST_S) {
            return Err(range("The moment", "0 to 86,400 s"));
        }
        if i > 0 && k.time_s <= keys[i - 1].time_s {
            return Err(PathError::NotAfter {
                key,
                time_s: k.time_s,
            });
        }
        let place = k.position.to_array();
        if !place.iter().all(|v| within(*v, -FARTHEST_M, FARTHEST_M)) {
            return Err(range("The position", "at most 10,000 km each way"));
        }
        let angle = |v: Option<f64>| v.is_none_or(|v| within(v, -3600.0, 3600.0));
        if !angle(k.heading_deg) || !angle(k.opening.map(|o| o.heading_deg)) {
            return Err(range("A heading", "-3600° to 3600°"));
        }
        if !within(f64::from(k.turns), -100.0, 100.0) {
            return Err(range("The number of turns", "-100 to 100"));
        }
        if let Some(o) = k.opening
            && !(within(o.pitch_deg, -90.0, 90.0) && within(o.hfov_deg, 1.0, 179.0))
        {
            return Err(range(
                "The opening view",
                "a pitch of -90° to 90° and a width of 1° to 179°",
            ));
        }
        if !k.separation_m.is_none_or(|v| within(v, 0.0, 10.0)) {
            return Err(range("The separation", "0 to 10 m"));
        }
        if !k.convergence_m.is_none_or(|v| within(v, 0.01, 1e6)) {
            return Err(range("The convergence", "1 cm to 1000 km"));
        }
    }
    Ok(())
}
