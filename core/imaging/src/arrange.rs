//! Six square pictures as the faces of a cube, found by their edges: every way to lay them is tried, and the one whose
//! neighbours go on into each other best is taken.

use crate::convert::Pixel;
use crate::transfer::srgb_from_linear;
use dome_optics::projection::{Cell, Face};
use glam::DVec3;

/// Places along an edge that are compared.
const PLACES: usize = 48;

/// The four edges of a picture, clockwise from the top, each in clockwise order, as they are displayed.
#[derive(Clone, Debug, PartialEq)]
pub struct Edges([[[f32; 3]; PLACES]; 4]);

impl Edges {
    /// From the light of a square picture, row by row.
    pub fn of(pixels: &[Pixel], side: usize) -> Self {
        let at = |x: usize, y: usize| pixels[y.min(side - 1) * side + x.min(side - 1)];
        // A part of an edge is the mean over its length, as deep as half a percent of the picture.
        let deep = (side / 200).max(1);
        let part = |edge: usize, place: usize| {
            let from = place * side / PLACES;
            let to = ((place + 1) * side / PLACES).max(from + 1);
            let (mut sum, mut count) = (Pixel::ZERO, 0.0);
            for along in from..to {
                for depth in 0..deep {
                    let back = side.saturating_sub(1 + along);
                    sum += match edge {
                        0 => at(along, depth),
                        1 => at(side - 1 - depth, along),
                        2 => at(back, side - 1 - depth),
                        _ => at(depth, back),
                    };
                    count += 1.0;
                }
            }
            let mean = sum / count;
            [mean.x, mean.y, mean.z].map(|v| srgb_from_linear(v.clamp(0.0, 1.0)))
        };
        Self(std::array::from_fn(|e| std::array::from_fn(|p| part(e, p))))
    }

    /// How much an edge differs from one of another picture that it would lie against.
    fn against(&self, edge: usize, other: &Self, other_edge: usize) -> f64 {
        let (a, b) = (&self.0[edge], other.0[other_edge].iter().rev());
        distance(a.iter().zip(b))
    }

    /// Whether the picture looks the same on all sides, so that a turn of it says nothing.
    fn even(&self) -> bool {
        (1..4).all(|e| distance(self.0[0].iter().zip(&self.0[e])) < EVEN)
    }
}

/// Edges that differ by less are alike.
const EVEN: f64 = 0.02;

fn distance<'a>(pairs: impl Iterator<Item = (&'a [f32; 3], &'a [f32; 3])>) -> f64 {
    let squares: f64 = pairs
        .flat_map(|(a, b)| (0..3).map(move |c| f64::from(a[c] - b[c]).powi(2)))
        .sum();
    (squares / (3 * PLACES) as f64).sqrt()
}

/// How six pictures lie as a cube.
#[derive(Clone, Debug, PartialEq)]
pub struct Arrangement {
    /// The picture of each face in our order (left, front, right, back, up, down), and how many quarter turns clockwise
    /// it is turned.
    pub faces: [(usize, u8); 6],
    /// Mean step across the twelve edges, percent of white as displayed.
    pub step_percent: f64,
    /// The same of the next best way.
    pub second_percent: f64,
}

impl Arrangement {
    /// How sure it is, 0 to 1: how much worse the next best way is.
    pub fn confidence(&self) -> f64 {
        (1.0 - self.step_percent / self.second_percent.max(1e-9)).clamp(0.0, 1.0)
    }

    /// The same as cells of a cube, in the order of the pictures.
    pub fn cells(&self) -> [Cell; 6] {
        let mut cells = Face::ALL.map(Cell::upright);
        for (face, (picture, turns)) in Face::ALL.into_iter().zip(self.faces) {
            cells[picture] = Cell { face, turns };
        }
        cells
    }
}

/// Outward, right and down of a picture in the world.
type Axes = [DVec3; 3];

/// The axes of a picture that shows a face turned clockwise.
fn turned(face: Face, turns: u8) -> Axes {
    let [out, right, down] = face.axes();
    match turns % 4 {
        0 => [out, right, down],
        1 => [out, -down, right],
        2 => [out, -right, -down],
        _ => [out, down, -right],
    }
}

fn face_of(axes: &Axes) -> (usize, u8) {
    for (i, face) in Face::ALL.into_iter().enumerate() {
        for turns in 0..4 {
            let t = turned(face, turns);
            if t.iter().zip(axes).all(|(a, b)| a.distance(*b) < 0.5) {
                return (i, turns);
            }
        }
    }
    (0, 0)
}

/// Where each edge of each upright face lies against another: face, edge, other face, other edge; twelve of them.
fn joints() -> Vec<(usize, usize, usize, usize)> {
    let ends = |face: Face| {
        let [out, right, down] = face.axes();
        let corner = |s: f64, t: f64| out + right * s + down * t;
        let c = [
            corner(-1.0, -1.0),
            corner(1.0, -1.0),
            corner(1.0, 1.0),
            corner(-1.0, 1.0),
        ];
        [0, 1, 2, 3].map(|e| (c[e], c[(e + 1) % 4]))
    };
    let all = Face::ALL.map(ends);
    let mut joints = Vec::new();
    for a in 0..6 {
        for b in a + 1..6 {
            for (i, (from, to)) in all[a].iter().enumerate() {
                for (j, (start, end)) in all[b].iter().enumerate() {
                    // Clockwise both: they run against each other.
                    if from.distance(*end) < 0.5 && to.distance(*start) < 0.5 {
                        joints.push((a, i, b, j));
                    }
                }
            }
        }
    }
    joints
}

/// The 24 ways to turn a cube.
fn rotations() -> Vec<[DVec3; 3]> {
    let axes = [
        DVec3::X,
        DVec3::Y,
        DVec3::Z,
        DVec3::NEG_X,
        DVec3::NEG_Y,
        DVec3::NEG_Z,
    ];
    let mut all = Vec::new();
    for x in axes {
        for y in axes {
            if x.dot(y) == 0.0 {
                all.push([x, y, x.cross(y)]);
            }
        }
    }
    all
}

fn permutations(rest: &mut Vec<usize>, at: usize, found: &mut impl FnMut(&[usize])) {
    if at == rest.len() {
        found(rest);
        return;
    }
    for i in at..rest.len() {
        rest.swap(at, i);
        permutations(rest, at + 1, found);
        rest.swap(at, i);
    }
}

/// The best way to lay six pictures as a cube. Edges tell it but for how the cube as a whole is turned: of those ways the
/// one with most upright pictures at the horizon is taken, and then the one that agrees best with `hint`, the face that
/// each picture is taken for by its name or order (an index of [`Face::ALL`]).
pub fn arrange(edges: &[Edges; 6], hint: &[usize; 6]) -> Arrangement {
    let joints = joints();
    // Of picture and edge against picture and edge.
    let cost: Vec<f64> = (0..6 * 4 * 6 * 4)
        .map(|i| {
            let (p, e, q, f) = (i / 96, i / 24 % 4, i / 4 % 6, i % 4);
            if p == q {
                f64::INFINITY
            } else {
                edges[p].against(e, &edges[q], f)
            }
        })
        .collect();
    let even = [0, 1, 2, 3, 4, 5].map(|p: usize| edges[p].even());
    // The first picture stays in front, upright: how the whole is turned is decided afterwards.
    let mut best = (f64::INFINITY, [(0, 0u8); 6]);
    let mut second = f64::INFINITY;
    let mut others = vec![1, 2, 3, 4, 5];
    permutations(&mut others, 0, &mut |order| {
        let mut pictures = [0; 6];
        let slots = [0, 2, 3, 4, 5];
        for (slot, p) in slots.iter().zip(order) {
            pictures[*slot] = *p;
        }
        for code in 0..1024u32 {
            let mut faces = [(0, 0u8); 6];
            let mut bits = code;
            for (slot, p) in pictures.iter().enumerate() {
                faces[slot].0 = *p;
                if slot != 1 {
                    faces[slot].1 = (bits & 3) as u8;
                    bits >>= 2;
                }
            }
            // A turn of a picture that is even all round is no other way.
            if faces.iter().any(|(p, turns)| even[*p] && *turns != 0) {
                continue;
            }
            let mut sum = 0.0;
            for (a, i, b, j) in &joints {
                let ((p, t), (q, u)) = (faces[*a], faces[*b]);
                let (e, f) = ((i + usize::from(t)) % 4, (j + usize::from(u)) % 4);
                sum += cost[p * 96 + e * 24 + q * 4 + f];
                if sum >= second {
                    break;
                }
            }
            if sum < second {
                if sum < best.0 {
                    second = best.0;
                    best = (sum, faces);
                } else {
                    second = sum;
                }
            }
        }
    });
    // Turned as a whole: which faces its pictures become.
    let seen = |rotation: &[DVec3; 3]| {
        let turn = |v: DVec3| rotation[0] * v.x + rotation[1] * v.y + rotation[2] * v.z;
        let mut faces = [(0, 0u8); 6];
        for (face, (picture, turns)) in Face::ALL.into_iter().zip(best.1) {
            let (slot, turns) = face_of(&turned(face, turns).map(turn));
            faces[slot] = (picture, turns);
        }
        faces
    };
    let agreement = |faces: &[(usize, u8); 6]| {
        (faces.iter().enumerate())
            .map(|(slot, (picture, turns))| {
                let upright = u32::from(*turns == 0);
                let side = if slot < 4 { 8 } else { 1 };
                upright * side + u32::from(hint[*picture] == slot)
            })
            .sum::<u32>()
    };
    let faces = rotations()
        .iter()
        .map(seen)
        .max_by_key(agreement)
        .unwrap_or(best.1);
    // A turn of an even picture means nothing: it lies as it came.
    let faces = faces.map(|(p, turns)| (p, if even[p] { 0 } else { turns }));
    let percent = |sum: f64| sum / 12.0 * 100.0;
    Arrangement {
        faces,
        step_percent: percent(best.0),
        second_percent: percent(second),
    }
}
