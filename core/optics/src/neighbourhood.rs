//! What lies beside what on a picture of the whole sphere: at the seam a row begins anew, and beyond a pole the other
//! side of the sphere comes, half a turn away, in the opposite order of rows.

use std::f64::consts::{PI, TAU};

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

    #[test]
    fn the_short_way_is_never_longer_than_half_a_turn() {
        for (angle, short) in [(3.5 * PI, -0.5 * PI), (PI, -PI), (-PI, -PI), (0.25, 0.25)] {
            assert!((short_way(angle) - short).abs() < 1e-12, "{angle}");
        }
    }
}
