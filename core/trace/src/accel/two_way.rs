//! The two-way tree that the wide one is made from: built by `obvhs` step by step, so that each step's memory
//! is given back before the next one needs its own.
//!
//! Large triangles are not split: measured on rooms, a yard and machines it gained nothing that the better
//! places found by reinsertion had not gained already.

use dome_imaging::pages::with_large_pages;
use obvhs::aabb::Aabb;
use obvhs::bvh2::node::Bvh2Node;
use obvhs::bvh2::{Bvh2, reinsertion::ReinsertionOptimizer};
use obvhs::ploc::{PlocBuilder, SortPrecision};
use obvhs::triangle::Triangle;

/// Neighbours in the sorted order that a cluster looks at to each side for its partner.
const SEARCH: usize = 14;
/// Rounds that look at one neighbour only: there are most clusters then, and it matters least.
const QUICK_ROUNDS: usize = 3;
/// Share of the nodes that are tried at better places in the first round of improvement. Half of it makes
/// some scenes 10 % slower, twice as much doubles the time for 2 %.
const REINSERTED: f32 = 0.1;
/// Rounds of improvement, each trying fewer nodes nearer the root.
const ROUNDS: usize = 6;

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
    let total = boxes
        .iter()
        .fold(Aabb::INVALID, |total, b| total.union(b.aabb()));
    let mut tree = Bvh2::default();
    let mut builder = PlocBuilder::new();
    builder.current_nodes = boxes;
    builder.build_ploc_from_leaves::<SEARCH, false>(
        &mut tree,
        total,
        SortPrecision::U64,
        QUICK_ROUNDS,
    );
    drop(builder);
    let shares = (0..ROUNDS).map(|n| 1.0 / (2 * n + 1) as f32).collect();
    ReinsertionOptimizer::default().run(&mut tree, REINSERTED, Some(shares));
    tree.parents = Vec::new();
    tree
}
