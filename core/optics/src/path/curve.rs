//! The line that a path draws through space, and how long it is.

use glam::DVec3;

/// Parts of a segment whose lengths are kept.
const PARTS: usize = 32;
/// Nodes and weights of Gauss and Legendre with five points on -1 to 1 (Abramowitz and Stegun 1964, table 25.4).
const GAUSS: [(f64, f64); 5] = [
    (0.0, 0.568_888_888_888_889),
    (-0.538_469_310_105_683, 0.478_628_670_499_366),
    (0.538_469_310_105_683, 0.478_628_670_499_366),
    (-0.906_179_845_938_664, 0.236_926_885_056_189),
    (0.906_179_845_938_664, 0.236_926_885_056_189),
];

/// How a path goes on from a key to the next.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Between {
    /// It stays, and is at the next key from its moment on.
    Held,
    /// Straight on.
    Straight,
    /// On a smooth line through the keys.
    #[default]
    Smooth,
}

/// From one key to the next.
#[derive(Clone, Copy, Debug)]
pub(super) struct Segment {
    kind: Between,
    /// The keys before, at both ends, and after.
    points: [DVec3; 4],
    /// The knots of the spline at them: distances to the power of a half.
    knots: [f64; 4],
}

impl Segment {
    /// `before` and `after` are the keys beyond, as far as the line goes on smoothly there.
    pub(super) fn new(
        kind: Between,
        (from, to): (DVec3, DVec3),
        (before, after): (Option<DVec3>, Option<DVec3>),
    ) -> Self {
        // Where nothing is beyond, or the next key is the same place, the line ends as if mirrored there.
        let beyond = |there: Option<DVec3>, end: DVec3, other: DVec3| {
            there.filter(|p| *p != end).unwrap_or(2.0 * end - other)
        };
        let points = [beyond(before, from, to), from, to, beyond(after, to, from)];
        let mut knots = [0.0; 4];
        for i in 0..3 {
            knots[i + 1] = knots[i] + points[i].distance(points[i + 1]).sqrt();
        }
        Self {
            kind,
            points,
            knots,
        }
    }

    /// The place at a share of the way, 0 to 1.
    pub(super) fn at(&self, share: f64) -> DVec3 {
        let [_, from, to, _] = self.points;
        match self.kind {
            Between::Held => from,
            Between::Straight => from.lerp(to, share),
            Between::Smooth if from == to => from,
            Between::Smooth => self.spline(share),
        }
    }

    /// Centripetal Catmull-Rom by the pyramid of Barry and Goldman (1988); centripetal knots make no cusps or loops within a segment
    /// (Yuksel, Schaefer and Keyser 2011).
    fn spline(&self, share: f64) -> DVec3 {
        let [p0, p1, p2, p3] = self.points;
        let [t0, t1, t2, t3] = self.knots;
        let t = t1 + (t2 - t1) * share;
        let mix = |a: DVec3, b: DVec3, ta: f64, tb: f64| a + (b - a) * ((t - ta) / (tb - ta));
        let (a1, a2, a3) = (
            mix(p0, p1, t0, t1),
            mix(p1, p2, t1, t2),
            mix(p2, p3, t2, t3),
        );
        let (b1, b2) = (mix(a1, a2, t0, t2), mix(a2, a3, t1, t3));
        mix(b1, b2, t1, t2)
    }

    /// How far the place moves for a share.
    fn speed(&self, share: f64) -> f64 {
        match self.kind {
            Between::Held => 0.0,
            Between::Straight => self.points[1].distance(self.points[2]),
            Between::Smooth => {
                // The pyramid's derivative by central differences: its curvature is bounded within a segment.
                const STEP: f64 = 1e-5;
                (self.at(share + STEP) - self.at(share - STEP)).length() / (2.0 * STEP)
            }
        }
    }

    /// Length from one share to another, by five points.
    fn length_between(&self, from: f64, to: f64) -> f64 {
        let (middle, half) = (0.5 * (from + to), 0.5 * (to - from));
        let points = GAUSS.iter();
        half * points
            .map(|(x, w)| w * self.speed(middle + half * x))
            .sum::<f64>()
    }
}

/// A segment with the lengths of its parts.
#[derive(Clone, Debug)]
pub(super) struct Measured {
    segment: Segment,
    /// Length up to the end of each part.
    lengths: [f64; PARTS],
}

impl Measured {
    pub(super) fn new(segment: Segment) -> Self {
        let mut lengths = [0.0; PARTS];
        let mut all = 0.0;
        for (i, length) in lengths.iter_mut().enumerate() {
            let share = |i: usize| i as f64 / PARTS as f64;
            all += segment.length_between(share(i), share(i + 1));
            *length = all;
        }
        Self { segment, lengths }
    }

    /// How long it is, metres.
    pub(super) fn length(&self) -> f64 {
        self.lengths[PARTS - 1]
    }

    /// The place after so many metres of it.
    pub(super) fn at_length(&self, length: f64) -> DVec3 {
        self.segment.at(self.share_of(length))
    }

    fn share_of(&self, length: f64) -> f64 {
        let whole = self.length();
        if whole <= 0.0 || length <= 0.0 {
            return 0.0;
        }
        if length >= whole {
            return 1.0;
        }
        let part = self.lengths.partition_point(|l| *l < length).min(PARTS - 1);
        let before = if part > 0 {
            self.lengths[part - 1]
        } else {
            0.0
        };
        let start = part as f64 / PARTS as f64;
        let within = self.lengths[part] - before;
        let mut share = start + (length - before) / within.max(1e-300) / PARTS as f64;
        // Newton's steps from there: speeds within a part hardly differ.
        for _ in 0..3 {
            let off = before + self.segment.length_between(start, share) - length;
            let speed = self.segment.speed(share);
            if speed > 0.0 {
                share = (share - off / speed).clamp(start, (part + 1) as f64 / PARTS as f64);
            }
        }
        share
    }
}
