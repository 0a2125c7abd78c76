//! Surroundings in the shapes that artists bring them in, made into equirectangular pictures.
//!
//! The middle of the result is straight ahead of the shape: the middle of a latitude-longitude picture or
//! of an angular map, the front face of a cube.

use crate::strip::Picture;
use glam::DVec3;
use std::f64::consts::PI;

/// The shape of a picture of everything around.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Shape {
    /// Longitude across, latitude down, 2:1.
    LatLong,
    /// A disc: the angle from straight ahead grows with the distance from the middle, 180 degrees at its
    /// edge; 1:1.
    Angular,
    /// Six faces as a cross lying down, 4:3: left, front, right, back in the middle row, up above the
    /// front, down below it.
    CrossLying,
    /// Six faces as a cross standing up, 3:4: left, front, right in the second row, up above the front,
    /// down below it, back upside down below that.
    CrossStanding,
    /// Six faces side by side, 6:1: +X -X +Y -Y +Z -Z with the orientation of OpenGL 4.6, table 8.19.
    Row,
    /// The same, stacked, 1:6.
    Column,
    /// Six faces stacked, 1:6, with the orientation of OpenEXR (header ImfEnvmap.h).
    OpenExrCube,
}

impl Shape {
    /// The shape that a picture's ratio tells, or `None` for one that no shape has.
    pub fn of_size(width: u32, height: u32) -> Option<Self> {
        let (w, h) = (u64::from(width), u64::from(height));
        let is = |a: u64, b: u64| w * b == h * a && w % a == 0;
        if is(2, 1) {
            Some(Self::LatLong)
        } else if is(1, 1) {
            Some(Self::Angular)
        } else if is(4, 3) {
            Some(Self::CrossLying)
        } else if is(3, 4) {
            Some(Self::CrossStanding)
        } else if is(6, 1) {
            Some(Self::Row)
        } else if is(1, 6) {
            Some(Self::Column)
        } else {
            None
        }
    }

    /// What it is called.
    pub fn name(self) -> &'static str {
        match self {
            Self::LatLong => "latitude-longitude",
            Self::Angular => "angular map",
            Self::CrossLying | Self::CrossStanding => "cube cross",
            Self::Row | Self::Column => "cube strip",
            Self::OpenExrCube => "OpenEXR cube",
        }
    }

    /// Where a direction (-Z ahead, +X right, +Y up) lies in a picture of this shape, in pixels.
    pub fn place(self, d: DVec3, width: u32, height: u32) -> (f64, f64, Limits) {
        let (w, h) = (f64::from(width), f64::from(height));
        let whole = (0, 0, width, height);
        match self {
            Self::LatLong => {
                let lon = d.x.atan2(-d.z);
                let lat = d.y.atan2(d.x.hypot(d.z));
                ((0.5 + lon / (2.0 * PI)) * w, (0.5 - lat / PI) * h, whole)
            }
            Self::Angular => {
                let angle = (-d.z).clamp(-1.0, 1.0).acos();
                let across = d.x.hypot(d.y);
                let r = if across > 0.0 {
                    angle / PI / across
                } else {
                    0.0
                };
                ((0.5 + 0.5 * d.x * r) * w, (0.5 - 0.5 * d.y * r) * h, whole)
            }
            Self::CrossLying | Self::CrossStanding => {
                let side = width / if self == Self::CrossLying { 4 } else { 3 };
                let (face, s, t) = seen_from_inside(d);
                let lying = self == Self::CrossLying;
                let (column, row, turned) = match face {
                    Face::Left => (0, 1, false),
                    Face::Front => (1, 1, false),
                    Face::Right => (2, 1, false),
                    Face::Up => (1, 0, false),
                    Face::Down => (1, 2, false),
                    Face::Back if lying => (3, 1, false),
                    Face::Back => (1, 3, true),
                };
                let (s, t) = if turned { (1.0 - s, 1.0 - t) } else { (s, t) };
                in_cell(column * side, row * side, side, s, t)
            }
            Self::Row | Self::Column => {
                let side = width.min(height);
                // GL looks at the faces from outside with -Z ahead of +Z's mirror: table 8.19.
                let (index, s, t) = gl_face(DVec3::new(d.x, d.y, -d.z));
                if self == Self::Row {
                    in_cell(index * side, 0, side, s, t)
                } else {
                    in_cell(0, index * side, side, s, t)
                }
            }
            Self::OpenExrCube => {
                let side = width;
                // The standard's world is ours turned half a turn about Y, as for its latitude-longitude.
                let (index, s, t) = openexr_face(DVec3::new(-d.x, d.y, -d.z));
                in_cell(0, index * side, side, s, t)
            }
        }
    }
}

/// The pixels that belong together: left, top, right, bottom. Filters do not reach beyond them.
pub type Limits = (u32, u32, u32, u32);

fn in_cell(left: u32, top: u32, side: u32, s: f64, t: f64) -> (f64, f64, Limits) {
    (
        f64::from(left) + s * f64::from(side),
        f64::from(top) + t * f64::from(side),
        (left, top, left + side, top + side),
    )
}

#[derive(Clone, Copy)]
enum Face {
    Left,
    Front,
    Right,
    Back,
    Up,
    Down,
}

/// The face that a direction meets and where on it, seen from inside: s to the right, t downwards; up
/// and down hang on the front.
fn seen_from_inside(d: DVec3) -> (Face, f64, f64) {
    let a = d.abs();
    let (face, right, down, depth) = if a.z >= a.x && a.z >= a.y {
        if d.z < 0.0 {
            (Face::Front, d.x, -d.y, a.z)
        } else {
            (Face::Back, -d.x, -d.y, a.z)
        }
    } else if a.x >= a.y {
        if d.x > 0.0 {
            (Face::Right, d.z, -d.y, a.x)
        } else {
            (Face::Left, -d.z, -d.y, a.x)
        }
    } else if d.y > 0.0 {
        (Face::Up, d.x, -d.z, a.y)
    } else {
        (Face::Down, d.x, d.z, a.y)
    };
    let at = |v: f64| (v / depth + 1.0) / 2.0;
    (face, at(right), at(down))
}

/// OpenGL 4.6 core profile, table 8.19: face index, s and t.
fn gl_face(d: DVec3) -> (u32, f64, f64) {
    let a = d.abs();
    let (index, sc, tc, ma) = if a.x >= a.y && a.x >= a.z {
        if d.x > 0.0 {
            (0, -d.z, -d.y, a.x)
        } else {
            (1, d.z, -d.y, a.x)
        }
    } else if a.y >= a.z {
        if d.y > 0.0 {
            (2, d.x, d.z, a.y)
        } else {
            (3, d.x, -d.z, a.y)
        }
    } else if d.z > 0.0 {
        (4, d.x, -d.y, a.z)
    } else {
        (5, -d.x, -d.y, a.z)
    };
    (index, (sc / ma + 1.0) / 2.0, (tc / ma + 1.0) / 2.0)
}

/// OpenEXR's cube (header ImfEnvmap.h): face index, across, down, each face seen upright from inside.
fn openexr_face(d: DVec3) -> (u32, f64, f64) {
    let a = d.abs();
    let (index, x, y, ma) = if a.x >= a.y && a.x >= a.z {
        let side = d.x.signum();
        (u32::from(d.x < 0.0), side * d.z, -d.y, a.x)
    } else if a.y >= a.z {
        let side = d.y.signum();
        (2 + u32::from(d.y < 0.0), d.x, -side * d.z, a.y)
    } else {
        let side = d.z.signum();
        (4 + u32::from(d.z < 0.0), -side * d.x, -d.y, a.z)
    };
    (index, (x / ma + 1.0) / 2.0, (y / ma + 1.0) / 2.0)
}

/// The surroundings as an equirectangular picture. One that is already is given back as it is.
pub fn to_equirect(picture: Picture, shape: Shape) -> Picture {
    if shape == Shape::LatLong {
        return picture;
    }
    // As many pixels round the horizon as the shape has.
    let width = match shape {
        Shape::LatLong | Shape::CrossLying => picture.width,
        Shape::Angular => 2 * picture.width,
        Shape::CrossStanding => picture.width / 3 * 4,
        Shape::Row => picture.height * 4,
        Shape::Column | Shape::OpenExrCube => picture.width * 4,
    }
    .clamp(4, 16_384)
        & !1;
    let height = width / 2;
    let mut out = Picture::black(width, height);
    for row in 0..height {
        let lat = PI * (0.5 - (f64::from(row) + 0.5) / f64::from(height));
        for column in 0..width {
            let lon = 2.0 * PI * ((f64::from(column) + 0.5) / f64::from(width) - 0.5);
            let d = DVec3::new(lat.cos() * lon.sin(), lat.sin(), -lat.cos() * lon.cos());
            let (x, y, limits) = shape.place(d, picture.width, picture.height);
            let value = bilinear(&picture, x, y, limits);
            let at = (row as usize * width as usize + column as usize) * 3;
            out.samples[at..at + 3].copy_from_slice(&value);
        }
    }
    out
}

fn bilinear(p: &Picture, x: f64, y: f64, (left, top, right, bottom): Limits) -> [f32; 3] {
    let (x, y) = (x - 0.5, y - 0.5);
    let (fx, fy) = ((x - x.floor()) as f32, (y - y.floor()) as f32);
    let pixel = |dx: f64, dy: f64| {
        let column = (x.floor() + dx).clamp(f64::from(left), f64::from(right) - 1.0);
        let row = (y.floor() + dy).clamp(f64::from(top), f64::from(bottom) - 1.0);
        p.pixel(column as u32, row as u32)
    };
    let (a, b, c, d) = (
        pixel(0.0, 0.0),
        pixel(1.0, 0.0),
        pixel(0.0, 1.0),
        pixel(1.0, 1.0),
    );
    std::array::from_fn(|i| {
        let upper = a[i] + (b[i] - a[i]) * fx;
        let lower = c[i] + (d[i] - c[i]) * fx;
        upper + (lower - upper) * fy
    })
}
