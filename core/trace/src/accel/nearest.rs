//! The point of all triangles that is nearest to a place: boxes in the order of their distance, each triangle by its own nearest point.

use super::tree::{Child, Place, Tree};
use super::{Accel, WIDTH};
use glam::{DVec3, Vec3};
use std::cmp::{Ordering, Reverse};
use std::collections::BinaryHeap;

/// What waits to be looked into, the nearest first.
struct Waiting {
    distance: f32,
    child: Option<Child>,
}

impl PartialEq for Waiting {
    fn eq(&self, other: &Self) -> bool {
        self.cmp(other) == Ordering::Equal
    }
}

impl Eq for Waiting {}

impl PartialOrd for Waiting {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Waiting {
    fn cmp(&self, other: &Self) -> Ordering {
        self.distance.total_cmp(&other.distance)
    }
}

/// Boxes are rounded, and so are distances to them: they count as this much nearer.
const NEARER: f32 = 1.0 - 16.0 * f32::EPSILON;

/// How far a place is from a box, metres; infinite for one that is inside out.
pub(super) fn box_distance(at: Vec3, low: Vec3, high: Vec3) -> f32 {
    if low.cmpgt(high).any() {
        return f32::INFINITY;
    }
    (low - at).max(at - high).max(Vec3::ZERO).length() * NEARER
}

impl Accel {
    /// Looks at triangles in about the order of their distance from a place. `visit` is told the number of one, and tells how near the
    /// nearest point is by now that counts; those whose boxes are farther are passed over. `stretch` is how much longer distances are in
    /// this space than where that is told.
    pub(crate) fn towards(
        &self,
        at: Vec3,
        stretch: f32,
        mut near: f32,
        visit: &mut dyn FnMut(u32) -> f32,
    ) {
        let mut waiting = BinaryHeap::new();
        waiting.push(Reverse(Waiting {
            distance: 0.0,
            child: None,
        }));
        while let Some(Reverse(next)) = waiting.pop() {
            if next.distance >= near * stretch {
                return;
            }
            match next.child.map_or(Place::Node(0), Child::place) {
                Place::Node(node) => {
                    push_children(&self.tree, node, at, near * stretch, &mut waiting)
                }
                Place::Packets(range) => {
                    for packet in &self.tree.packets[range] {
                        for (lane, &triangle) in packet.ids.iter().enumerate() {
                            // Lanes that are not used repeat the last one.
                            if lane == 0 || packet.ids[lane - 1] != triangle {
                                near = near.min(visit(triangle));
                            }
                        }
                    }
                }
            }
        }
    }
}

fn push_children(
    tree: &Tree,
    node: usize,
    at: Vec3,
    near: f32,
    waiting: &mut BinaryHeap<Reverse<Waiting>>,
) {
    let node = &tree.nodes[node];
    for slot in 0..WIDTH {
        let plane = |first: usize| {
            Vec3::from_array(std::array::from_fn(|axis| node.planes[first + axis][slot]))
        };
        let distance = box_distance(at, plane(0), plane(3));
        if distance < near {
            waiting.push(Reverse(Waiting {
                distance,
                child: Some(node.children[slot]),
            }));
        }
    }
}

/// The point of a triangle that is nearest to a place (Ericson 2005, "Real-Time Collision Detection", 5.1.5).
pub(crate) fn nearest_on(p: DVec3, [a, b, c]: [DVec3; 3]) -> DVec3 {
    let (ab, ac, ap) = (b - a, c - a, p - a);
    let (d1, d2) = (ab.dot(ap), ac.dot(ap));
    if d1 <= 0.0 && d2 <= 0.0 {
        return a;
    }
    let bp = p - b;
    let (d3, d4) = (ab.dot(bp), ac.dot(bp));
    if d3 >= 0.0 && d4 <= d3 {
        return b;
    }
    let vc = d1 * d4 - d3 * d2;
    if vc <= 0.0 && d1 >= 0.0 && d3 <= 0.0 {
        return a + ab * (d1 / (d1 - d3));
    }
    let cp = p - c;
    let (d5, d6) = (ab.dot(cp), ac.dot(cp));
    if d6 >= 0.0 && d5 <= d6 {
        return c;
    }
    let vb = d5 * d2 - d1 * d6;
    if vb <= 0.0 && d2 >= 0.0 && d6 <= 0.0 {
        return a + ac * (d2 / (d2 - d6));
    }
    let va = d3 * d6 - d5 * d4;
    if va <= 0.0 && d4 - d3 >= 0.0 && d5 - d6 >= 0.0 {
        return b + (c - b) * ((d4 - d3) / ((d4 - d3) + (d5 - d6)));
    }
    let whole = va + vb + vc;
    if whole > 0.0 {
        a + ab * (vb / whole) + ac * (vc / whole)
    } else {
        a
    }
}
