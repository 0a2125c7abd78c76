//! Which nodes of a two-way tree become the children of a wide node, and which become leaves: chosen so that
//! the expected cost of a ray is least.
//!
//! Dynamic programming from the leaves up, after Ylitie, Karras, Laine: "Efficient incoherent ray traversal
//! on GPUs through compressed wide BVHs" (HPG 2017), section 3.1. For every node and for every number of
//! roots up to seven it finds the cheapest set of so many wide nodes and leaves that cover the node.

use super::{LANES, WIDTH};
use dome_imaging::pages::{with_large_pages, zeros};
use obvhs::bvh2::Bvh2;

/// Most triangles of a leaf.
pub(super) const MAX_LEAF: usize = 2 * LANES;
/// Cost of testing eight boxes and of testing a packet of triangles, measured in any one unit.
const NODE_COST: f32 = 1.0;
const PACKET_COST: f32 = 1.0;

/// Roots to choose for: one to seven; eight only ever stand directly below a wide node.
const ROOTS: usize = WIDTH - 1;
/// Decision for one root: this node is a leaf.
const LEAF: u8 = 0xff;

/// The decisions for every node.
pub(super) struct Plan {
    /// For each node: how many of the eight children of a wide node go to the left child ([`LEAF`]: the node
    /// is a leaf), then for two to seven roots how many go left (0: one root fewer is as good).
    left: Vec<[u8; WIDTH - 1]>,
    /// Wide nodes and packets that will be needed.
    pub(super) nodes: usize,
    pub(super) packets: usize,
    /// For each node, how good it is to look into it early when any hit will do: the chance that a ray
    /// through its box meets a triangle, by their areas, for the cost of finding out.
    promise: Vec<f32>,
}

impl Plan {
    /// Plans the wide tree over a two-way tree with at least one node, given the area of each triangle.
    pub(super) fn new(tree: &Bvh2, triangle_area: impl Fn(u32) -> f32) -> Self {
        let count = tree.nodes.len();
        // Parents before children.
        let mut order: Vec<u32> = with_large_pages(count);
        order.push(0);
        let mut next = 0;
        while let Some(&n) = order.get(next) {
            let node = &tree.nodes[n as usize];
            if node.prim_count == 0 {
                order.extend([node.first_index, node.first_index + 1]);
            }
            next += 1;
        }
        let mut left = zeros::<[u8; WIDTH - 1]>(count);
        let mut cost = zeros::<[f32; ROOTS]>(count);
        let mut triangles = zeros::<u32>(count);
        let mut promise = zeros::<f32>(count);
        for &n in order.iter().rev() {
            let n = n as usize;
            let node = &tree.nodes[n];
            let area = node.aabb().half_area();
            let first = node.first_index as usize;
            if node.prim_count > 0 {
                triangles[n] = node.prim_count;
                promise[n] = triangle_area(node.first_index);
                cost[n] = [leaf_cost(area, node.prim_count); ROOTS];
                left[n][0] = LEAF;
                continue;
            }
            triangles[n] = triangles[first].saturating_add(triangles[first + 1]);
            promise[n] = promise[first] + promise[first + 1];
            let (a, b) = (cost[first], cost[first + 1]);
            // The cheapest way to share `roots` between the two children.
            let share = |roots: usize| {
                (1..roots)
                    .map(|k| (a[k - 1] + b[roots - k - 1], k as u8))
                    .min_by(|x, y| x.0.total_cmp(&y.0))
                    .unwrap_or((f32::INFINITY, 0))
            };
            let (below, k) = share(WIDTH);
            cost[n][0] = area * NODE_COST + below;
            left[n][0] = k;
            if triangles[n] as usize <= MAX_LEAF {
                let leaf = leaf_cost(area, triangles[n]);
                if leaf <= cost[n][0] {
                    cost[n][0] = leaf;
                    left[n][0] = LEAF;
                }
            }
            for roots in 2..=ROOTS {
                let (shared, k) = share(roots);
                let fewer = cost[n][roots - 2];
                (cost[n][roots - 1], left[n][roots - 1]) = if shared < fewer {
                    (shared, k)
                } else {
                    (fewer, 0)
                };
            }
        }
        // So far these are the areas of all triangles below.
        for ((promise, node), &below) in promise.iter_mut().zip(&tree.nodes).zip(&triangles) {
            let chance = *promise / node.aabb().half_area().max(f32::MIN_POSITIVE);
            *promise = chance.min(1.0) / search_cost(below);
        }
        let mut plan = Self {
            left,
            nodes: 0,
            packets: 0,
            promise,
        };
        drop((order, cost));
        plan.count(tree, &triangles);
        plan
    }

    /// Counts what will be needed, so that it is asked for once.
    fn count(&mut self, tree: &Bvh2, triangles: &[u32]) {
        let mut open = vec![0];
        let mut members = Vec::with_capacity(WIDTH);
        while let Some(n) = open.pop() {
            self.nodes += 1;
            members.clear();
            self.members(tree, n, &mut members);
            for &member in &members {
                if self.is_leaf(member) {
                    self.packets += (triangles[member] as usize).div_ceil(LANES);
                } else {
                    open.push(member);
                }
            }
        }
    }

    /// Whether a chosen node is a leaf.
    pub(super) fn is_leaf(&self, node: usize) -> bool {
        self.left[node][0] == LEAF
    }

    /// The children of the wide node that stands for `node`; for a root that is a leaf, itself.
    pub(super) fn members(&self, tree: &Bvh2, node: usize, members: &mut Vec<usize>) {
        if self.is_leaf(node) {
            members.push(node);
            return;
        }
        let first = tree.nodes[node].first_index as usize;
        let k = self.left[node][0] as usize;
        self.roots(tree, first, k, members);
        self.roots(tree, first + 1, WIDTH - k, members);
    }

    /// How good it is to look into a node before others when any hit will do.
    pub(super) fn promise(&self, node: usize) -> f32 {
        self.promise[node]
    }

    fn roots(&self, tree: &Bvh2, node: usize, mut roots: usize, members: &mut Vec<usize>) {
        while roots > 1 && self.left[node][roots - 1] == 0 {
            roots -= 1;
        }
        if roots == 1 {
            members.push(node);
            return;
        }
        let first = tree.nodes[node].first_index as usize;
        let k = self.left[node][roots - 1] as usize;
        self.roots(tree, first, k, members);
        self.roots(tree, first + 1, roots - k, members);
    }
}

fn leaf_cost(area: f32, triangles: u32) -> f32 {
    area * PACKET_COST * triangles.div_ceil(LANES as u32) as f32
}

/// Nodes on the way from one with so many triangles below it to one of them.
fn search_cost(triangles: u32) -> f32 {
    1.0 + (triangles as f32 / LANES as f32).max(1.0).log(WIDTH as f32)
}
