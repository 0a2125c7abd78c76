//! Finding what a ray meets. Nothing outside this module knows how.
//!
//! The tree is built by `obvhs` and collapsed to eight children a node, with leaves of four triangles
//! side by side ([`tree`]). It is walked by AVX2 instructions where the machine has them ([`avx2`]), else
//! by plain code ([`portable`]); both give the same bits. Triangles are tested watertight (Woop,
//! Benthin, Wald 2013, JCGT 2(1)): no ray slips between two triangles that share an edge.

#[cfg(target_arch = "x86_64")]
mod avx2;
mod collapse;
mod portable;
mod tree;
mod two_way;

use glam::Vec3;
use tree::Tree;

/// A ray in single precision with the range of distances that count.
#[derive(Clone, Copy, Debug)]
pub struct TraceRay {
    /// Start, metres.
    pub origin: Vec3,
    /// Unit direction.
    pub direction: Vec3,
    /// Farthest distance that counts, metres.
    pub far: f32,
}

impl TraceRay {
    /// A ray without end.
    pub fn new(origin: Vec3, direction: Vec3) -> Self {
        Self {
            origin,
            direction,
            far: f32::INFINITY,
        }
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

/// The shear that lays a ray along its longest axis.
struct Shear {
    axes: [usize; 3],
    x: f32,
    y: f32,
    z: f32,
}

impl Shear {
    #[inline(always)]
    fn new(direction: Vec3) -> Self {
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
            axes: [kx, ky, kz],
            x: d[kx] / d[kz],
            y: d[ky] / d[kz],
            z: 1.0 / d[kz],
        }
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
        (t > 0.0).then_some((t, v * inverse, w * inverse))
    }
}
