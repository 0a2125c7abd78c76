//! Walking the tree with plain code: for machines without AVX2, and the measure for the vector code.

use super::tree::{Child, Place, Tree};
use super::{Hit, Shear, TraceRay, WIDTH, Walk};

/// The children of a node whose boxes the ray enters before `far`, with the distances of entry.
fn entered(tree: &Tree, walk: &Walk, node: usize, far: f32, mut found: impl FnMut(f32, Child)) {
    let node = &tree.nodes[node];
    for slot in 0..WIDTH {
        let (mut enter, mut leave) = (0.0f32, far);
        for axis in 0..3 {
            let o = walk.origin[axis];
            let near = (node.planes[walk.near[axis]][slot] - o) * walk.inverse[axis];
            let distant = (node.planes[walk.distant[axis]][slot] - o) * walk.widened[axis];
            // Written so that what is no number leaves the range as it is.
            enter = if near > enter { near } else { enter };
            leave = if distant < leave { distant } else { leave };
        }
        if enter <= leave {
            found(enter, node.children[slot]);
        }
    }
}

pub(super) fn closest(tree: &Tree, ray: &TraceRay) -> Option<Hit> {
    let (walk, shear) = (Walk::new(ray), Shear::new(ray));
    let mut best: Option<Hit> = None;
    let mut stack = vec![(0.0f32, None)];
    while let Some((enter, child)) = stack.pop() {
        let far = best.map_or(walk.far, |b| b.distance);
        if enter > far {
            continue;
        }
        // The root is no one's child.
        match child.map_or(Place::Node(0), Child::place) {
            Place::Node(node) => {
                let first = stack.len();
                entered(tree, &walk, node, far, |t, c| stack.push((t, Some(c))));
                stack[first..].sort_by(|a, b| b.0.total_cmp(&a.0));
            }
            Place::Packets(range) => {
                for packet in &tree.packets[range] {
                    for (lane, &triangle) in packet.ids.iter().enumerate() {
                        if !ray.passes.contains(&triangle)
                            && let Some((t, u, v)) =
                                shear.intersect(&walk.origin, packet.triangle(lane))
                            && Hit::before(t, triangle, best.as_ref(), walk.far)
                        {
                            best = Some(Hit {
                                triangle,
                                distance: t,
                                u,
                                v,
                            });
                        }
                    }
                }
            }
        }
    }
    best
}

pub(super) fn blocked(tree: &Tree, ray: &TraceRay) -> bool {
    let (walk, shear) = (Walk::new(ray), Shear::new(ray));
    let mut stack = vec![None::<Child>];
    while let Some(child) = stack.pop() {
        match child.map_or(Place::Node(0), Child::place) {
            Place::Node(node) => entered(tree, &walk, node, walk.far, |_, c| stack.push(Some(c))),
            Place::Packets(range) => {
                for packet in &tree.packets[range] {
                    for (lane, triangle) in packet.ids.iter().enumerate() {
                        if !ray.passes.contains(triangle)
                            && let Some((t, _, _)) =
                                shear.intersect(&walk.origin, packet.triangle(lane))
                            && t < walk.far
                        {
                            return true;
                        }
                    }
                }
            }
        }
    }
    false
}
