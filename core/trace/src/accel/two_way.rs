//! The two-way tree that the wide one is made from: built by `obvhs` step by step, so that each step's memory
//! is given back before the next one needs its own.
//!
//! Large triangles are not split: measured on rooms, a yard and machines it gained nothing that the better
//! places found by reinsertion had not gained already.

use dome_imaging::pages::with_large_pages;
use glam::DVec3;
use obvhs::aabb::Aabb;
use obvhs::bvh2::node::Bvh2Node;
use obvhs::bvh2::{Bvh2, reinsertion::ReinsertionOptimizer};
use obvhs::ploc::morton::morton_encode_u64_unorm;
use obvhs::ploc::{PlocBuilder, SortPrecision};
use obvhs::triangle::Triangle;
use rayon::prelude::*;

/// Neighbours in the sorted order that a cluster looks at to each side for its partner.
const SEARCH: usize = 14;
/// Rounds that look at one neighbour only: there are most clusters then, and it matters least.
const QUICK_ROUNDS: usize = 3;
/// Share of the nodes that are tried at better places in the first round of improvement. Half of it makes
/// some scenes 10 % slower, twice as much doubles the time for 2 %.
const REINSERTED: f32 = 0.1;
/// Rounds of improvement, each trying fewer nodes nearer the root.
const ROUNDS: usize = 6;

/// Boxes up to which clustering ends soon whatever they are.
const FEW: usize = 4096;
/// Boxes of a group, where they are clustered group by group.
const GROUP: usize = 512;
/// Neighbours that are clustered by themselves to see how that goes: so many, and again after so many.
const TRIED: usize = 256;
const TRIED_EVERY: usize = 8192;
/// Depth of their tree from which clustering goes one by one: usual trees of so many have about 12 levels.
const TOO_DEEP: usize = 48;

/// A tree over triangles `0..count` with one triangle in each leaf: a leaf's `first_index` is the triangle
/// itself. Without triangles there are no nodes.
pub(super) fn build(count: usize, triangle: impl Fn(u32) -> Triangle) -> Bvh2 {
    let mut boxes: Vec<Bvh2Node> = with_large_pages(count);
    boxes.extend((0..count as u32).map(|i| Bvh2Node::new(triangle(i).aabb(), 1, i)));
    over(boxes)
}

/// A tree over boxes with one box in each leaf, whose `first_index` is the box's number.
pub(super) fn over_boxes(boxes: impl ExactSizeIterator<Item = Aabb>) -> Bvh2 {
    let leaves = boxes
        .enumerate()
        .map(|(i, b)| Bvh2Node::new(b, 1, i as u32));
    over(leaves.collect())
}

fn over(boxes: Vec<Bvh2Node>) -> Bvh2 {
    let (mut tree, grouped) = clustered_within_bounds(boxes);
    if grouped {
        // Chains of boxes only grow by it, beyond what the library has room for.
        return tree;
    }
    let shares = (0..ROUNDS).map(|n| 1.0 / (2 * n + 1) as f32).collect();
    ReinsertionOptimizer::default().run(&mut tree, REINSERTED, Some(shares));
    tree.parents = Vec::new();
    tree
}

/// Boxes joined with their nearest neighbours until there is one, by the library.
fn clustered(boxes: Vec<Bvh2Node>) -> Bvh2 {
    let total = all_of(&boxes);
    let mut tree = Bvh2::default();
    let mut builder = PlocBuilder::new();
    builder.current_nodes = boxes;
    builder.build_ploc_from_leaves::<SEARCH, false>(
        &mut tree,
        total,
        SortPrecision::U64,
        QUICK_ROUNDS,
    );
    tree
}

fn all_of(boxes: &[Bvh2Node]) -> Aabb {
    (boxes.iter()).fold(Aabb::INVALID, |total, b| total.union(b.aabb()))
}

/// The same, in a time that does not grow with the square of the boxes: where many are equal, or each lies in the next (a fan of
/// triangles), all of them have the same nearest neighbour, and only two are joined in a round. There they are clustered in groups of
/// neighbours first, and then the groups.
/// Tells whether it was done so.
fn clustered_within_bounds(mut boxes: Vec<Bvh2Node>) -> (Bvh2, bool) {
    if boxes.len() <= FEW {
        return (clustered(boxes), false);
    }
    let total = all_of(&boxes);
    let (low, scale) = (total.min.as_dvec3(), total.diagonal().as_dvec3());
    let key = |b: &Bvh2Node| {
        let at = (b.aabb().center().as_dvec3() - low) / scale.max(DVec3::splat(f64::MIN_POSITIVE));
        // What is no number is anywhere.
        morton_encode_u64_unorm(at.clamp(DVec3::ZERO, DVec3::splat(1.0 - f64::EPSILON)))
    };
    let mut order: Vec<(u64, u32)> = (boxes.par_iter().zip(0..boxes.len() as u32))
        .map(|(b, i)| (key(b), i))
        .collect();
    order.par_sort_unstable();
    let some = |places: &[(u64, u32)]| -> Vec<Bvh2Node> {
        places.iter().map(|(_, i)| boxes[*i as usize]).collect()
    };
    let usual = (0..order.len())
        .step_by(TRIED_EVERY)
        .filter_map(|start| order.get(start..start + TRIED))
        .all(|few| depth_of(&clustered(some(few))) <= TOO_DEEP);
    if usual {
        drop(order);
        return (clustered(boxes), false);
    }
    let groups: Vec<Bvh2> = (order.par_chunks(GROUP))
        .map(|group| clustered(some(group)))
        .collect();
    boxes.clear();
    boxes.extend((groups.iter().zip(0..)).map(|(g, i)| Bvh2Node::new(*g.nodes[0].aabb(), 1, i)));
    let (mut tree, _) = clustered_within_bounds(boxes);
    // Each group's root stands where its leaf stood, what is below it at the end.
    for at in 0..tree.nodes.len() {
        let node = tree.nodes[at];
        if node.prim_count == 0 {
            continue;
        }
        let group = &groups[node.first_index as usize].nodes;
        let base = tree.nodes.len() as u32;
        let moved = |mut node: Bvh2Node| {
            if node.prim_count == 0 {
                node.first_index = base + node.first_index - 1;
            }
            node
        };
        tree.nodes[at] = moved(group[0]);
        tree.nodes.extend(group[1..].iter().map(|n| moved(*n)));
    }
    tree.max_depth += groups.iter().map(|g| g.max_depth).max().unwrap_or(0);
    (tree, true)
}

/// Nodes on the longest way down.
fn depth_of(tree: &Bvh2) -> usize {
    let mut open = vec![(0, 1)];
    let mut deepest = 0;
    while let Some((at, depth)) = open.pop() {
        deepest = deepest.max(depth);
        let node = &tree.nodes[at as usize];
        if node.prim_count == 0 {
            open.extend([
                (node.first_index, depth + 1),
                (node.first_index + 1, depth + 1),
            ]);
        }
    }
    deepest
}

#[cfg(test)]
mod tests {
    use super::*;
    use glam::Vec3A;

    /// Boxes that are joined one by one: equal ones, a chain of which each lies in the next, and both among usual ones. The tree
    /// holds each of them once, within all boxes above it, in a time that does not grow with their square: by rounds it would be as
    /// deep as they are many.
    #[test]
    fn boxes_that_have_one_nearest_neighbour_are_clustered_in_groups() {
        let size = |i: u32| 1.0 + i as f32 * 1e-3;
        let cases: [Box<dyn Fn(u32) -> Aabb>; 3] = [
            Box::new(|_| Aabb::new(Vec3A::ZERO, Vec3A::ONE)),
            Box::new(move |i| Aabb::new(Vec3A::ZERO, Vec3A::splat(size(i)))),
            Box::new(move |i| match i % 2 {
                0 => Aabb::new(Vec3A::splat(i as f32), Vec3A::splat(i as f32 + 0.5)),
                _ => Aabb::new(Vec3A::splat(-size(i)), Vec3A::splat(size(i))),
            }),
        ];
        for count in [4097, 40_001] {
            for (case, make) in cases.iter().enumerate() {
                let tree = over_boxes((0..count).map(make));
                let mut seen = vec![0; count as usize];
                let mut open = vec![(0u32, 1)];
                let mut deepest = 0;
                while let Some((at, depth)) = open.pop() {
                    deepest = deepest.max(depth);
                    let node = &tree.nodes[at as usize];
                    if node.prim_count > 0 {
                        seen[node.first_index as usize] += 1;
                        continue;
                    }
                    for child in [node.first_index, node.first_index + 1] {
                        let below = tree.nodes[child as usize].aabb();
                        let inside = node.aabb().union(below);
                        assert_eq!((inside.min, inside.max), (node.aabb().min, node.aabb().max));
                        open.push((child, depth + 1));
                    }
                }
                assert!(seen.iter().all(|n| *n == 1), "case {case}, {count} boxes");
                assert!(
                    deepest < 1000,
                    "case {case}: {deepest} levels of {count} boxes"
                );
            }
        }
    }
}
