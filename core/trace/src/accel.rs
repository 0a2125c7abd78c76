//! Finding what a ray meets. The tree is built by `obvhs`; nothing outside this module knows it.
//!
//! Triangles are tested watertight (Woop, Benthin, Wald 2013, JCGT 2(1)): no ray slips between two
//! triangles that share an edge.

use glam::{Vec3, Vec3A};
use obvhs::BvhBuildParams;
use obvhs::bvh2::{Bvh2, builder::build_bvh2_from_tris};
use obvhs::ray::{Ray, RayHit};
use obvhs::triangle::Triangle;
use std::time::Duration;

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

/// The acceleration structure over a scene's triangles.
pub struct Accel {
    bvh: Bvh2,
    /// Corners in the order of the tree's leaves.
    corners: Vec<[Vec3; 3]>,
    /// Which triangle each of them is.
    ids: Vec<u32>,
}

impl Accel {
    /// Builds the structure. Corner indices must be in range and coordinates finite.
    pub fn build(positions: &[Vec3], triangles: &[[u32; 3]]) -> Self {
        let corner = |i: u32| Vec3A::from(positions[i as usize]);
        let input: Vec<Triangle> = triangles
            .iter()
            .map(|&[a, b, c]| Triangle {
                v0: corner(a),
                v1: corner(b),
                v2: corner(c),
            })
            .collect();
        let bvh = build_bvh2_from_tris(&input, BvhBuildParams::medium_build(), &mut Duration::default());
        let ids = bvh.primitive_indices.clone();
        let corners = ids
            .iter()
            .map(|&i| {
                let t = &input[i as usize];
                [t.v0.into(), t.v1.into(), t.v2.into()]
            })
            .collect();
        Self { bvh, corners, ids }
    }

    /// The nearest triangle that the ray meets.
    pub fn closest(&self, ray: &TraceRay) -> Option<Hit> {
        let shear = Shear::new(ray.direction);
        let inner = Ray::new(ray.origin.into(), ray.direction.into(), 0.0, ray.far);
        let mut found = RayHit::none();
        let mut best = None;
        self.bvh.ray_traverse(inner, &mut found, |r, id| {
            match shear.intersect(ray.origin, &self.corners[id], r.tmax) {
                Some((t, u, v)) => {
                    best = Some((id, t, u, v));
                    t
                }
                None => f32::INFINITY,
            }
        });
        best.map(|(id, distance, u, v)| Hit {
            triangle: self.ids[id],
            distance,
            u,
            v,
        })
    }

    /// Whether anything stands between the ray's start and its far end.
    pub fn blocked(&self, ray: &TraceRay) -> bool {
        let shear = Shear::new(ray.direction);
        let inner = Ray::new(ray.origin.into(), ray.direction.into(), 0.0, ray.far);
        !self.bvh.ray_traverse_miss(inner, |r, id| {
            shear
                .intersect(ray.origin, &self.corners[id], r.tmax)
                .map_or(f32::INFINITY, |(t, _, _)| t)
        })

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

    /// Distance and weights of the second and third corner.
    fn intersect(&self, origin: Vec3, corners: &[Vec3; 3], far: f32) -> Option<(f32, f32, f32)> {
        let [kx, ky, kz] = self.axes;
        let sheared = corners.map(|c| {
            let p = (c - origin).to_array();
            (p[kx] - self.x * p[kz], p[ky] - self.y * p[kz], self.z * p[kz])
        });
        let [(ax, ay, az), (bx, by, bz), (cx, cy, cz)] = sheared;
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
        let t = (u * az + v * bz + w * cz) * inverse;
        (t > 0.0 && t < far).then(|| (t, v * inverse, w * inverse))
    }
}
