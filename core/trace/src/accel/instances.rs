//! Many placed copies of a few structures: a two-way tree over their boxes, and each walked in its own space.
//!
//! A ray is carried into the space of a copy in double precision; its direction keeps its length there, so that
//! distances stay what they are. What rounding its start takes away goes along as [`TraceRay`]'s `nudge`, and hits no
//! farther than that are decided in double precision.

use super::nearest::box_distance;
use super::two_way;
use super::{Accel, Hit, NONE, TraceRay, WIDEN, Walk};
use glam::{DAffine3, DVec3, Vec3};
use obvhs::aabb::Aabb;
use smallvec::{SmallVec, smallvec};
use std::sync::Arc;

/// A structure where it stands.
#[derive(Clone)]
pub struct Placed {
    /// The structure.
    pub accel: Arc<Accel>,
    /// From the world into its own space.
    pub to_own: DAffine3,
    /// Number of its first triangle among all.
    pub first: u32,
    /// How many triangles it has.
    pub count: u32,
    /// Lowest and highest corner in the world, metres.
    pub bounds: (Vec3, Vec3),
}

impl Placed {
    /// The ray in its space, up to `far`.
    fn ray(&self, ray: &TraceRay, far: f32) -> TraceRay {
        let exact = self.to_own.transform_point3(ray.origin.as_dvec3());
        let origin = exact.as_vec3();
        let own = |t: u32| {
            let own = t.wrapping_sub(self.first);
            if own < self.count { own } else { NONE }
        };
        TraceRay {
            origin,
            direction: (self.to_own)
                .transform_vector3(ray.direction.as_dvec3())
                .as_vec3(),
            far,
            passes: ray.passes.map(own),
            nudge: (exact - origin.as_dvec3()).as_vec3(),
        }
    }
}

/// A node of the tree over the copies: a box, and a copy or two nodes that follow each other.
struct Node {
    low: [f32; 3],
    high: [f32; 3],
    first: u32,
    is_copy: bool,
}

/// Placed copies, found by their boxes.
pub struct Instances {
    placed: Vec<Placed>,
    nodes: Vec<Node>,
}

/// Nodes that wait at most while a ray goes through a tree of usual depth; deeper ones take memory of the heap.
const DEPTH: usize = 64;
/// A box is made wider by this share of its corners: they are rounded.
const ROUNDED: f32 = 2.0 * f32::EPSILON;

impl Instances {
    /// Copies of which each has triangles; `None` if there are none.
    pub fn new(placed: Vec<Placed>) -> Option<Self> {
        if placed.is_empty() {
            return None;
        }
        let around = |p: &Placed| {
            let (low, high) = p.bounds;
            let more = low.abs().max(high.abs()) * ROUNDED;
            Aabb::new((low - more).into(), (high + more).into())
        };
        let tree = two_way::over_boxes(placed.iter().map(around));
        let nodes = (tree.nodes.iter())
            .map(|n| Node {
                low: n.aabb().min.to_array(),
                high: n.aabb().max.to_array(),
                first: n.first_index,
                is_copy: n.prim_count > 0,
            })
            .collect();
        Some(Self { placed, nodes })
    }

    /// Memory of the copies themselves, without what they are copies of, bytes.
    pub fn bytes(&self) -> usize {
        size_of_val(&self.placed[..]) + size_of_val(&self.nodes[..])
    }

    /// The nearest triangle of all copies, if it comes before `best`.
    pub fn closest(&self, ray: &TraceRay, mut best: Option<Hit>) -> Option<Hit> {
        let walk = Walk::new(ray);
        let mut stack = SmallVec::<[_; DEPTH]>::new();
        let far = |best: &Option<Hit>| best.map_or(ray.far, |b| b.distance);
        if let Some(t) = self.nodes[0].entered(&walk, far(&best)) {
            stack.push((t, 0));
        }
        while let Some((enter, index)) = stack.pop() {
            if enter > far(&best) {
                continue;
            }
            let node = &self.nodes[index as usize];
            if node.is_copy {
                let placed = &self.placed[node.first as usize];
                if let Some(hit) = placed.accel.closest(&placed.ray(ray, far(&best))) {
                    best = Some(Hit {
                        triangle: hit.triangle + placed.first,
                        ..hit
                    });
                }
                continue;
            }
            let ends = [node.first, node.first + 1]
                .map(|n| (self.nodes[n as usize].entered(&walk, far(&best)), n));
            match ends {
                [(Some(a), l), (Some(b), r)] if a <= b => stack.extend([(b, r), (a, l)]),
                [(Some(a), l), (Some(b), r)] => stack.extend([(a, l), (b, r)]),
                [(Some(a), n), _] | [_, (Some(a), n)] => stack.push((a, n)),
                _ => {}
            }
        }
        best
    }

    /// Looks at triangles in about the order of their distance from a place, as one copy after the other has them. `visit` is told the number
    /// of one, and tells how near the nearest point is by now that counts, metres.
    pub(crate) fn towards(&self, at: Vec3, mut near: f32, visit: &mut dyn FnMut(u32) -> f32) {
        let mut copies: Vec<(f32, &Placed)> = (self.placed.iter())
            .map(|p| (box_distance(at, p.bounds.0, p.bounds.1), p))
            .collect();
        copies.sort_by(|a, b| a.0.total_cmp(&b.0));
        for (distance, copy) in copies {
            if distance >= near {
                return;
            }
            let own = copy.to_own.transform_point3(at.as_dvec3()).as_vec3();
            // Not less than any way is stretched: the root of the sum of all squares.
            let m = copy.to_own.matrix3;
            let squares = [m.x_axis, m.y_axis, m.z_axis].map(DVec3::length_squared);
            let stretch = squares.iter().sum::<f64>().sqrt() as f32;
            copy.accel.towards(own, stretch, near, &mut |triangle| {
                near = near.min(visit(triangle + copy.first));
                near
            });
        }
    }

    /// Whether any copy stands between the ray's start and its far end.
    pub fn blocked(&self, ray: &TraceRay) -> bool {
        let walk = Walk::new(ray);
        let mut stack: SmallVec<[u32; DEPTH]> = smallvec![0];
        while let Some(index) = stack.pop() {
            let node = &self.nodes[index as usize];
            if node.entered(&walk, ray.far).is_none() {
                continue;
            }
            if !node.is_copy {
                stack.extend([node.first + 1, node.first]);
                continue;
            }
            let placed = &self.placed[node.first as usize];
            if placed.accel.blocked(&placed.ray(ray, ray.far)) {
                return true;
            }
        }
        false
    }
}

impl Node {
    /// Where the ray enters the box, if it does before `far`.
    fn entered(&self, walk: &Walk, far: f32) -> Option<f32> {
        let (mut enter, mut leave) = (0.0f32, far);
        for axis in 0..3 {
            let forward = walk.near[axis] < 3;
            let (near, distant) = if forward {
                (self.low[axis], self.high[axis])
            } else {
                (self.high[axis], self.low[axis])
            };
            let near = (near - walk.origin[axis]) * walk.inverse[axis];
            let distant = (distant - walk.origin[axis]) * walk.inverse[axis] * WIDEN;
            // Written so that what is no number leaves the range as it is.
            enter = if near > enter { near } else { enter };
            leave = if distant < leave { distant } else { leave };
        }
        (enter <= leave).then_some(enter)
    }
}
