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

use crate::eye::{Eye, MonoEye};
use crate::orientation::Orientation;
use crate::projection::Shape;
use glam::DVec3;
use std::fmt;
use thiserror::Error;

/// A pair of eyes of either kind.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Rig {
    /// Turns with the direction of view.
    Panoramic(PanoramicPair),
    /// Two framed cameras; the frame is the picture's shape.
    Flat(FlatPair),
}

/// Why a pair was refused.
#[derive(Debug, Error, PartialEq)]
pub enum RigError {
    /// The shape is not for panoramic pairs.
    #[error(
        "{0} is not a shape for two eyes: light probes are for one eye, and a framed picture is a flat pair. Take the sphere, a part of it, a cylinder, a cube in one picture or a fisheye."
    )]
    Shape(String),
    /// The shape is not a frame.
    #[error(
        "A flat pair is made of framed pictures, and {0} is not one; take perspective, or a panoramic pair."
    )]
    NotFramed(String),
    /// A length that is none.
    #[error(
        "The {what} must be above 0 m and at most {most} m, and {value} m is not; check its unit."
    )]
    Length {
        /// Which.
        what: &'static str,
        /// Most, metres.
        most: f64,
        /// What was asked, metres.
        value: f64,
    },
    /// Latitudes that are in no order.
    #[error(
        "The pair closes from a lower latitude to a higher one, both from 0 to 90 degrees; {0} and {1} are not."
    )]
    Close(f64, f64),
}

/// Farthest that anything is set to, metres.
const FAR: f64 = 100_000.0;
/// Largest separation: giants over whole countries, metres.
const WIDEST: f64 = 10_000.0;

impl Rig {
    /// Distance between the eyes, metres.
    pub fn separation(&self) -> f64 {
        match self {
            Self::Panoramic(p) => p.separation,
            Self::Flat(p) => p.separation,
        }
    }

    /// Distance of zero parallax, metres; nothing where both look parallel.
    pub fn converge(&self) -> Option<f64> {
        match self {
            Self::Panoramic(p) => p.converge,
            Self::Flat(p) => Some(p.converge),
        }
    }

    /// The eye that sees exactly what one eye alone at the viewpoint sees, if one does: its picture is the mono picture.
    pub fn alone(&self) -> Option<Side> {
        let (anchor, own) = match self {
            Self::Panoramic(p) => (p.anchor, true),
            Self::Flat(p) => (p.anchor, p.keep_anchor || p.method == Method::Parallel),
        };
        let side = match anchor {
            Anchor::Left => Side::Left,
            Anchor::Right => Side::Right,
            Anchor::Middle => return None,
        };
        let linked = match self {
            Self::Panoramic(_) => true,
            Self::Flat(p) => p.unlinked.is_none_or(|u| u.side != side),
        };
        (own && linked).then_some(side)
    }

    /// Refuses a pair that cannot be, and a shape that is not for it.
    pub fn check(&self, shape: &Shape) -> Result<(), RigError> {
        let length = |what, value: f64, most: f64| {
            if value > 0.0 && value <= most {
                return Ok(());
            }
            Err(RigError::Length { what, most, value })
        };
        length("separation", self.separation(), WIDEST)?;
        if let Some(distance) = self.converge() {
            length("distance of zero parallax", distance, FAR)?;
        }
        match self {
            Self::Panoramic(p) => {
                if let Some([from, to]) = p.close
                    && !(from >= 0.0 && to > from && to <= std::f64::consts::FRAC_PI_2 + 1e-12)
                {
                    return Err(RigError::Close(from.to_degrees(), to.to_degrees()));
                }
                if !shape_takes_pairs(shape) {
                    return Err(RigError::Shape(shape.to_string()));
                }
            }
            Self::Flat(_) if !matches!(shape, Shape::Perspective { .. }) => {
                return Err(RigError::NotFramed(shape.to_string()));
            }
            Self::Flat(_) => {}
        }
        Ok(())
    }

    /// One of the eyes at a viewpoint (metres), drawing a shape whose ratio is fitted to its size.
    pub fn eye(
        &self,
        side: Side,
        at: DVec3,
        orientation: Orientation,
        shape: Shape,
    ) -> Box<dyn Eye> {
        if self.alone() == Some(side) {
            return Box::new(MonoEye::new(at, orientation, shape));
        }
        match (self, shape) {
            (Self::Panoramic(p), _) => {
                Box::new(PanoramicEye::new(at, orientation, shape, *p, side))
            }
            (Self::Flat(p), shape) => match Frame::of_shape(&shape) {
                Some(frame) => Box::new(p.eye(side, at, orientation, frame)),
                None => Box::new(MonoEye::new(at, orientation, shape)),
            },
        }
    }
}

impl fmt::Display for Rig {
    /// In full, so that equal words are equal pairs.
    fn fmt(&self, f: &mut fmt::Formatter) -> fmt::Result {
        let on = |anchor: Anchor| match anchor {
            Anchor::Left => "left eye on the viewpoint",
            Anchor::Middle => "middle on the viewpoint",
            Anchor::Right => "right eye on the viewpoint",
        };
        match self {
            Self::Panoramic(p) => {
                write!(f, "panoramic, {} m apart, {}", p.separation, on(p.anchor))?;
                match p.converge {
                    Some(c) => write!(f, ", converged at {c} m")?,
                    None => f.write_str(", parallel")?,
                }
                if let Some([from, to]) = p.close {
                    let (from, to) = (from.to_degrees(), to.to_degrees());
                    write!(f, ", closing from {from} to {to} degrees")?;
                }
                Ok(())
            }
            Self::Flat(p) => {
                let method = p.method.name();
                write!(
                    f,
                    "flat, {method}, {} m apart, {}",
                    p.separation,
                    on(p.anchor)
                )?;
                // Parallel cameras are brought together later: their pictures know nothing of it.
                if p.method != Method::Parallel {
                    write!(f, ", zero parallax at {} m", p.converge)?;
                    if p.keep_anchor {
                        f.write_str(", the eye on the viewpoint unshifted")?;
                    }
                }
                if let Some(own) = p.unlinked {
                    let Orientation {
                        heading_deg,
                        pitch_deg,
                        roll_deg,
                    } = own.turn;
                    write!(
                        f,
                        ", {} eye turned {heading_deg}, {pitch_deg}, {roll_deg} degrees",
                        own.side.name()
                    )?;
                    if let Some(hfov) = own.hfov {
                        write!(f, " with {} degrees", hfov.to_degrees())?;
                    }
                }
                Ok(())
            }
        }
    }
}

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
