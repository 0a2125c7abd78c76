//! What lies beside what on a picture of the whole sphere: at the seam a row begins anew, and beyond a pole the other
//! side of the sphere comes, half a turn away, in the opposite order of rows.

use crate::Shape;
use std::f64::consts::{PI, TAU};

/// What lies beyond the edges of a picture, for whatever looks at a pixel's neighbours.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Edges {
    /// The other end of the row, and the far side beyond the poles: the whole sphere.
    Sphere,
    /// The other end of the row; nothing above and below: what goes once round and ends short of the poles.
    Turn,
    /// Nothing that the picture knows of.
    Ends,
}

impl Edges {
    /// Those of pictures of a shape; none of shapes whose edges meet elsewhere in the same picture, such as a cube's faces.
    pub fn of(shape: &Shape) -> Option<Self> {
        match shape {
            Shape::CubeFaces(_) | Shape::Cube(_) | Shape::Octahedral => None,
            Shape::Equirect => Some(Self::Sphere),
            Shape::EquirectPart { vfov_deg, .. } if shape.wraps() && *vfov_deg >= 180.0 => {
                Some(Self::Sphere)
            }
            _ if shape.wraps() => Some(Self::Turn),
            _ => Some(Self::Ends),
        }
    }

    /// The row of a picture of `height` rows that stands for row `y`, and whether it is turned by half a width. Where there is
    /// nothing beyond an edge the picture is mirrored there.
    pub fn row(self, y: i64, height: u32) -> (u32, bool) {
        match self {
            Self::Sphere => over_the_pole(y, height),
            Self::Turn | Self::Ends => (mirrored(y, height), false),
        }
    }

    /// The column of a picture of `width` columns that stands for column `x`.
    pub fn column(self, x: i64, width: u32) -> u32 {
        match self {
            Self::Sphere | Self::Turn => around(x, width),
            Self::Ends => mirrored(x, width),
        }
    }
}

/// The place within 0 to `length` that `x` is in a picture mirrored at its edges as often as needed.
fn mirrored(x: i64, length: u32) -> u32 {
    let length = i64::from(length.max(1));
    let x = x.rem_euclid(2 * length);
    x.min(2 * length - 1 - x) as u32
}

/// The column of a picture of `width` columns that column `x` is, going round the sphere.
///
/// ```
/// assert_eq!(dome_optics::neighbourhood::around(-1, 8), 7);
/// ```
pub fn around(x: i64, width: u32) -> u32 {
    x.rem_euclid(i64::from(width.max(1))) as u32
}

/// The row of a picture of `height` rows that row `y` is, and whether it is turned by half a width because it lies
/// beyond a pole. Further than the other pole nothing is told: the last row stands for it.
pub fn over_the_pole(y: i64, height: u32) -> (u32, bool) {
    let height = i64::from(height);
    let (row, turned) = if y < 0 {
        (-1 - y, true)
    } else if y >= height {
        (2 * height - 1 - y, true)
    } else {
        (y, false)
    };
    (row.clamp(0, (height - 1).max(0)) as u32, turned)
}

/// The pixel of a picture of the whole sphere that (`x`, `y`) is, also beyond its edges.
pub fn pixel(x: i64, y: i64, width: u32, height: u32) -> (u32, u32) {
    let (row, turned) = over_the_pole(y, height);
    let half = if turned { i64::from(width / 2) } else { 0 };
    (around(x + half, width), row)
}

/// The same for a point: (`u`, `v`) within 0 to 1, where `v` is at most one height beyond the edges.
pub fn point(u: f64, v: f64) -> (f64, f64) {
    if (0.0..=1.0).contains(&v) {
        (u.rem_euclid(1.0), v)
    } else {
        let v = if v < 0.0 { -v } else { 2.0 - v };
        ((u + 0.5).rem_euclid(1.0), v)
    }
}

/// An angle the short way round, radians: from -pi up to, not including, pi.
pub fn short_way(angle: f64) -> f64 {
    (angle + PI).rem_euclid(TAU) - PI
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Equirect, PicturePoint, Projection};

    /// A pixel beyond an edge is the one whose middle lies in the direction that the edge is crossed in: checked with
    /// directions, which know nothing of rows and columns.
    #[test]
    fn what_lies_beyond_an_edge_is_what_lies_there_on_the_sphere() {
        let (width, height) = (16u32, 8u32);
        let step = std::f64::consts::PI / f64::from(height);
        for x in -20..36i64 {
            for y in -4..12i64 {
                // Along the meridian of column x from the middle of row 0, however far it goes.
                let lon = (x as f64 + 0.5) / f64::from(width) * TAU - PI;
                let lat = PI / 2.0 - (y as f64 + 0.5) * step;
                let direction =
                    glam::DVec3::new(lat.cos() * lon.sin(), lat.sin(), -lat.cos() * lon.cos());
                let seen = Equirect.to_picture(direction).unwrap();
                let (column, row) = pixel(x, y, width, height);
                assert_eq!((seen.v * f64::from(height)) as u32, row, "{x} {y}");
                assert_eq!(
                    (seen.u * f64::from(width)) as u32 % width,
                    column,
                    "{x} {y}"
                );
                let (u, v) = point((x as f64 + 0.5) / 16.0, (y as f64 + 0.5) / 8.0);
                let there = Equirect.to_direction(PicturePoint { u, v }).unwrap();
                assert!(there.distance(direction) < 1e-12, "{x} {y}");
            }
        }
    }

    /// What goes round goes on at the sides only where it goes all the way round, and over the poles only where it has them.
    #[test]
    fn edges_follow_the_shape() {
        let edges = |name: &str| Edges::of(&name.parse().unwrap());
        for (name, expected) in [
            ("equirect", Some(Edges::Sphere)),
            ("equirect:360x180", Some(Edges::Sphere)),
            ("equirect:360x90", Some(Edges::Turn)),
            ("equirect:180x180", Some(Edges::Ends)),
            ("cylinder:360x60", Some(Edges::Turn)),
            ("cylinder:120x60", Some(Edges::Ends)),
            ("fisheye:180", Some(Edges::Ends)),
            ("perspective:60", Some(Edges::Ends)),
            ("cube-1x6", None),
            ("octahedral", None),
        ] {
            assert_eq!(edges(name), expected, "{name}");
        }
        // Mirrored at an edge, the first row beyond is the last one before it.
        assert_eq!(
            [-1, 0, 7, 8, 9, 16].map(|y| Edges::Ends.row(y, 8).0),
            [0, 0, 7, 7, 6, 0]
        );
        assert_eq!([-1, 8].map(|x| Edges::Turn.column(x, 8)), [7, 0]);
        assert_eq!([-1, 8].map(|x| Edges::Ends.column(x, 8)), [0, 7]);
        assert_eq!(Edges::Sphere.row(-1, 8), (0, true));
        assert_eq!(mirrored(-1, 1), 0);
    }

    #[test]
    fn the_short_way_is_never_longer_than_half_a_turn() {
        for (angle, short) in [(3.5 * PI, -0.5 * PI), (PI, -PI), (-PI, -PI), (0.25, 0.25)] {
            assert!((short_way(angle) - short).abs() < 1e-12, "{angle}");
        }
    }
}
