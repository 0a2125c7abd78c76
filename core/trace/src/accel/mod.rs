//! Finding what a ray meets. Nothing outside this module knows how.
//!
//! The tree is built by `obvhs` and collapsed to eight children a node, with leaves of four triangles
//! side by side ([`tree`]). It is walked by AVX2 instructions where the machine has them ([`avx2`]), else
//! by plain code ([`portable`]); both give the same bits. Triangles are tested watertight (Woop,
//! Benthin, Wald 2013, JCGT 2(1)): no ray slips between two triangles that share an edge.

#[cfg(target_arch = "x86_64")]
mod avx2;
mod collapse;
pub mod instances;
mod nearest;
mod portable;
mod tree;
mod two_way;

use glam::{DVec3, Vec3};
pub(crate) use nearest::nearest_on;
use tree::Tree;

/// Children of a node.
const WIDTH: usize = 8;
/// Triangles of a packet.
const LANES: usize = 4;

/// A ray in single precision with the range of distances that count.
#[derive(Clone, Copy, Debug)]
pub struct TraceRay {
    /// Start, metres.
    pub origin: Vec3,
    /// Unit direction.
    pub direction: Vec3,
    /// Farthest distance that counts, metres.
    pub far: f32,
    /// Triangles that it passes: the one it starts on and the one it goes to.
    passes: [u32; 2],
    /// How much farther the start really lies than its rounded coordinates say.
    nudge: Vec3,
}

/// No triangle.
const NONE: u32 = u32::MAX;

impl TraceRay {
    /// A ray without end.
    pub fn new(origin: Vec3, direction: Vec3) -> Self {
        Self {
            origin,
            direction,
            far: f32::INFINITY,
            passes: [NONE; 2],
            nudge: Vec3::ZERO,
        }
    }

    /// The same up to a distance, metres.
    #[must_use]
    pub fn until(self, far: f32) -> Self {
        Self { far, ..self }
    }

    /// The same without the triangle that it starts on.
    #[must_use]
    pub fn leaving(mut self, triangle: u32) -> Self {
        self.passes[0] = triangle;
        self
    }

    /// The same without the triangle that it goes to.
    #[must_use]
    pub fn arriving(mut self, triangle: u32) -> Self {
        self.passes[1] = triangle;
        self
    }
}

/// What a ray met: triangle, distance, and the weights of its second and third corner.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Hit {
    /// Index of the triangle.
    pub triangle: u32,
    /// Distance along the ray, metres.
    pub distance: f32,
    /// Weight of the second corner.
    pub u: f32,
    /// Weight of the third corner.
    pub v: f32,
}

impl Hit {
    /// Whether a hit comes before another; of two at one place the lower triangle wins, so that the
    /// answer does not depend on the way through the tree.
    #[inline(always)]
    fn before(distance: f32, triangle: u32, best: Option<&Self>, far: f32) -> bool {
        match best {
            Some(b) => distance < b.distance || (distance == b.distance && triangle < b.triangle),
            None => distance < far,
        }
    }
}

/// The acceleration structure over a scene's triangles.
pub struct Accel {
    tree: Tree,
    wide: bool,
}

impl Accel {
    /// Builds the structure. Corner indices must be in range and coordinates finite.
    pub fn build(positions: &[Vec3], triangles: &[[u32; 3]]) -> Self {
        let tree = Tree::build(positions, triangles);
        #[cfg(target_arch = "x86_64")]
        let wide = is_x86_feature_detected!("avx2")
            && is_x86_feature_detected!("fma")
            && tree.depth <= avx2::MAX_DEPTH;
        #[cfg(not(target_arch = "x86_64"))]
        let wide = false;
        Self { tree, wide }
    }

    /// The same structure walked by plain code only, for tests and comparison.
    #[must_use]
    pub fn without_vectors(mut self) -> Self {
        self.wide = false;
        self
    }

    /// Memory of the finished structure, bytes.
    pub fn bytes(&self) -> usize {
        self.tree.bytes()
    }

    /// The nearest triangle that the ray meets.
    pub fn closest(&self, ray: &TraceRay) -> Option<Hit> {
        #[cfg(target_arch = "x86_64")]
        if self.wide {
            return avx2::closest_checked(&self.tree, ray);
        }
        portable::closest(&self.tree, ray)
    }

    /// Whether anything stands between the ray's start and its far end.
    pub fn blocked(&self, ray: &TraceRay) -> bool {
        #[cfg(target_arch = "x86_64")]
        if self.wide {
            return avx2::blocked_checked(&self.tree, ray);
        }
        portable::blocked(&self.tree, ray)
    }
}

/// What is computed once for a ray.
struct Walk {
    origin: [f32; 3],
    far: f32,
    inverse: [f32; 3],
    /// The same, made a little longer for the far planes.
    widened: [f32; 3],
    /// Which of the node's six planes is near and far along each axis.
    near: [usize; 3],
    distant: [usize; 3],
}

/// Far planes are moved away by more than all roundings on both sides (three on the near side, four on the
/// far one, half an epsilon each), so that no box is missed by one (Ize 2013, JCGT 2(2)).
const WIDEN: f32 = 1.0 + 4.0 * f32::EPSILON;

impl Walk {
    #[inline(always)]
    fn new(ray: &TraceRay) -> Self {
        // An axis that the ray does not move along gets a tiny speed: its planes are then far away.
        let inverse = ray.direction.to_array().map(|d| {
            if d.abs() < 1e-30 {
                1e30f32.copysign(d)
            } else {
                1.0 / d
            }
        });
        let near = std::array::from_fn(|a| if inverse[a] >= 0.0 { a } else { a + 3 });
        let distant = std::array::from_fn(|a| if inverse[a] >= 0.0 { a + 3 } else { a });
        Self {
            origin: ray.origin.to_array(),
            far: ray.far,
            inverse,
            widened: inverse.map(|i| i * WIDEN),
            near,
            distant,
        }
    }
}

/// Error bounds of sums of `n` roundings in single precision (Higham 2002, section 3.1).
const fn gamma(n: f32) -> f32 {
    let e = n * f32::EPSILON / 2.0;
    e / (1.0 - e)
}
const GAMMA_2: f32 = gamma(2.0);
const GAMMA_3: f32 = gamma(3.0);
const GAMMA_5: f32 = gamma(5.0);

/// The shear that lays a ray along its longest axis.
struct Shear {
    direction: Vec3,
    nudge: Vec3,
    axes: [usize; 3],
    x: f32,
    y: f32,
    z: f32,
}

impl Shear {
    #[inline(always)]
    fn new(ray: &TraceRay) -> Self {
        let direction = ray.direction;
        let d = direction.to_array();
        let a = direction.abs();
        let kz = if a.x > a.y && a.x > a.z {
            0
        } else if a.y > a.z {
            1
        } else {
            2
        };
        let (mut kx, mut ky) = ((kz + 1) % 3, (kz + 2) % 3);
        if d[kz] < 0.0 {
            std::mem::swap(&mut kx, &mut ky); // keeps the winding
        }
        Self {
            direction,
            nudge: ray.nudge,
            axes: [kx, ky, kz],
            x: d[kx] / d[kz],
            y: d[ky] / d[kz],
            z: 1.0 / d[kz],
        }
    }

    /// How far sheared coordinates and distances may be off by the start's rounding: coordinates move by at most twice what
    /// the start moves, and distances grow with the ray's slowness.
    #[inline(always)]
    fn slack(&self) -> f32 {
        2.0 * self.nudge.abs().max_element() * self.z.abs().max(1.0)
    }

    /// Distance and weights of the second and third corner for one triangle.
    fn intersect(&self, origin: &[f32; 3], corners: [[f32; 3]; 3]) -> Option<(f32, f32, f32)> {
        let [kx, ky, kz] = self.axes;
        let sheared = |c: [f32; 3]| {
            let p = [c[0] - origin[0], c[1] - origin[1], c[2] - origin[2]];
            (
                (-self.x).mul_add(p[kz], p[kx]),
                (-self.y).mul_add(p[kz], p[ky]),
                self.z * p[kz],
            )
        };
        let (ax, ay, az) = sheared(corners[0]);
        let (bx, by, bz) = sheared(corners[1]);
        let (cx, cy, cz) = sheared(corners[2]);
        let mut u = cx * by - cy * bx;
        let mut v = ax * cy - ay * cx;
        let mut w = bx * ay - by * ax;
        if u == 0.0 || v == 0.0 || w == 0.0 {
            // On an edge single precision cannot say which side; double can.
            let cross = |px: f32, py: f32, qx: f32, qy: f32| {
                (f64::from(px) * f64::from(qy) - f64::from(py) * f64::from(qx)) as f32
            };
            u = cross(cx, cy, bx, by);
            v = cross(ax, ay, cx, cy);
            w = cross(bx, by, ax, ay);
        }
        if (u < 0.0 || v < 0.0 || w < 0.0) && (u > 0.0 || v > 0.0 || w > 0.0) {
            return None;
        }
        let det = u + v + w;
        if det == 0.0 {
            return None;
        }
        let inverse = 1.0 / det;
        let t = w.mul_add(cz, v.mul_add(bz, u * az)) * inverse;
        let largest = |a: f32, b: f32, c: f32| a.abs().max(b.abs()).max(c.abs());
        let bound = distance_error(
            largest(ax, bx, cx),
            largest(ay, by, cy),
            largest(az, bz, cz),
            largest(u, v, w),
            inverse,
            self.slack(),
        );
        if t.abs() <= bound {
            // So near that single precision cannot say on which side of the start; double can.
            let t = exact_distance(*origin, self.nudge, self.direction, corners)?;
            return Some((t, v * inverse, w * inverse));
        }
        (t > 0.0).then_some((t, v * inverse, w * inverse))
    }
}

/// How far the distance of a hit may be off: the bound of Pharr, Jakob and Humphreys (Physically Based
/// Rendering, 4th edition, section 6.8.7) from the largest sheared coordinates and edge functions. `slack` is how far the
/// coordinates are off already.
#[inline(always)]
fn distance_error(x: f32, y: f32, z: f32, edge: f32, inverse: f32, slack: f32) -> f32 {
    let (dx, dy) = (GAMMA_5 * (x + z) + slack, GAMMA_5 * (y + z) + slack);
    let dz = GAMMA_3 * z + slack;
    let de = 2.0 * ((GAMMA_2 * x) * y + (dy * x + dx * y));
    3.0 * (((GAMMA_3 * edge) * z + de * z) + dz * edge) * inverse.abs()
}

/// The distance to a triangle's plane in double precision, if it is surely ahead of the start.
#[cold]
fn exact_distance(
    origin: [f32; 3],
    nudge: Vec3,
    direction: Vec3,
    corners: [[f32; 3]; 3],
) -> Option<f32> {
    let at = |p: [f32; 3]| DVec3::from(p.map(f64::from));
    let [a, b, c] = corners.map(at);
    let (edge, other) = (b - a, c - a);
    let normal = edge.cross(other);
    let offset = a - (at(origin) + nudge.as_dvec3());
    let height = normal.dot(offset);
    let rounding = edge.length() * other.length() * offset.length() * (16.0 * f64::EPSILON);
    let distance = height / normal.dot(direction.as_dvec3());
    (height.abs() > rounding && distance > 0.0 && distance.is_finite())
        .then_some(distance as f32)
        .filter(|d| *d > 0.0)
}
