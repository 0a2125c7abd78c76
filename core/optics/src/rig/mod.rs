//! Two eyes: where they stand and how they look.
//!
//! Two kinds of pairs. A panoramic pair ([`PanoramicPair`]) turns with the direction of view and suits headsets; a flat
//! pair ([`FlatPair`]) is two framed cameras side by side and suits screens. Lengths are metres, angles radians unless a
//! name says degrees.

mod flat;
mod packing;
mod panoramic;
pub mod parallax;
pub mod scale;
pub mod screen;

pub use flat::{FlatPair, Frame, Method, Recording, Unlinked};
pub use packing::{Arrangement, Packing, PackingError};
pub use panoramic::{PanoramicEye, PanoramicPair, shape_takes_pairs};

/// One of two eyes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Side {
    /// The left eye.
    Left,
    /// The right eye.
    Right,
}

impl Side {
    /// Both, left first.
    pub const BOTH: [Self; 2] = [Self::Left, Self::Right];

    /// `left` or `right`, as views of a file are named.
    pub fn name(self) -> &'static str {
        match self {
            Self::Left => "left",
            Self::Right => "right",
        }
    }

    /// The side of a name.
    pub fn from_name(name: &str) -> Option<Self> {
        Self::BOTH.into_iter().find(|s| s.name() == name)
    }

    /// The other one.
    pub fn other(self) -> Self {
        match self {
            Self::Left => Self::Right,
            Self::Right => Self::Left,
        }
    }
}

/// Which point of the pair stands on the viewpoint.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Anchor {
    /// The left eye: its picture is that of one eye alone.
    Left,
    /// The point between both.
    #[default]
    Middle,
    /// The right eye.
    Right,
}

impl Anchor {
    /// All of them.
    pub const ALL: [Self; 3] = [Self::Left, Self::Middle, Self::Right];

    /// `left`, `middle` or `right`.
    pub fn name(self) -> &'static str {
        match self {
            Self::Left => "left",
            Self::Middle => "middle",
            Self::Right => "right",
        }
    }

    /// The anchor of a name.
    pub fn from_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|a| a.name() == name)
    }

    /// How far to the right of the viewpoint an eye stands, in separations.
    pub fn offset(self, side: Side) -> f64 {
        match (self, side) {
            (Self::Left, Side::Left) | (Self::Right, Side::Right) => 0.0,
            (Self::Left, Side::Right) => 1.0,
            (Self::Right, Side::Left) => -1.0,
            (Self::Middle, Side::Left) => -0.5,
            (Self::Middle, Side::Right) => 0.5,
        }
    }
}
