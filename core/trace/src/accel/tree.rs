//! The tree itself: eight children a node, leaves of four triangles side by side.

use super::pages::on_large_pages;
use glam::{Vec3, Vec3A};
use obvhs::BvhBuildParams;
use obvhs::bvh2::{Bvh2, builder::build_bvh2_from_tris};
use obvhs::triangle::Triangle;

/// Children of a node.
pub(super) const WIDTH: usize = 8;
/// Triangles of a packet.
pub(super) const LANES: usize = 4;
/// Scenes up to this size get spatial splits, which speed up rooms and cost memory.
const SPLIT_LIMIT: usize = 1_000_000;

/// A child that is a packet range: packets start in the low bits, their number less one above.
const LEAF: u32 = 1 << 31;
const COUNT_SHIFT: u32 = 28;
const START_MASK: u32 = (1 << COUNT_SHIFT) - 1;
/// Packets a leaf may have with three bits of count.
const MAX_PACKETS: usize = 8;

/// A node: the boxes of its children plane by plane, and where they are.
#[derive(Clone, Copy)]
#[repr(C, align(32))]
pub(super) struct Node {
    /// Low x, y, z and high x, y, z of every child; an empty child's box is inside out.
    pub(super) planes: [[f32; WIDTH]; 6],
    pub(super) children: [Child; WIDTH],
}

/// Where a child is.
#[derive(Clone, Copy)]
#[repr(transparent)]
pub(super) struct Child(u32);

/// What a child is.
pub(super) enum Place {
    Node(usize),
    Packets(std::ops::Range<usize>),
}

impl Child {
    pub(super) const EMPTY: Self = Self(LEAF);

    fn leaf(start: usize, packets: usize) -> Self {
        Self(LEAF | ((packets as u32 - 1) << COUNT_SHIFT) | start as u32)
    }

    #[inline(always)]
    pub(super) fn place(self) -> Place {
        if self.0 & LEAF == 0 {
            Place::Node(self.0 as usize)
        } else {
            let start = (self.0 & START_MASK) as usize;
            Place::Packets(start..start + ((self.0 & !LEAF) >> COUNT_SHIFT) as usize + 1)
        }
    }
}

/// Four triangles side by side; lanes that are not used repeat the last triangle.
#[derive(Clone, Copy)]
#[repr(C, align(16))]
pub(super) struct Packet {
    /// Corner, axis, lane.
    pub(super) corners: [[[f32; LANES]; 3]; 3],
    pub(super) ids: [u32; LANES],
}

impl Packet {
    /// The corners of one lane.
    pub(super) fn triangle(&self, lane: usize) -> [[f32; 3]; 3] {
        self.corners.map(|corner| corner.map(|axis| axis[lane]))
    }
}

/// The whole structure; node 0 is the root.
pub(super) struct Tree {
    pub(super) nodes: Vec<Node>,
    pub(super) packets: Vec<Packet>,
    /// Nodes on the longest way down.
    pub(super) depth: usize,
}

impl Tree {
    pub(super) fn build(positions: &[Vec3], triangles: &[[u32; 3]]) -> Self {
        let corner = |i: u32| Vec3A::from(positions[i as usize]);
        let input: Vec<Triangle> = triangles
            .iter()
            .map(|&[a, b, c]| Triangle {
                v0: corner(a),
                v1: corner(b),
                v2: corner(c),
            })
            .collect();
        let params = BvhBuildParams {
            pre_split: input.len() <= SPLIT_LIMIT,
            max_prims_per_leaf: LANES as u32,
            collapse_traversal_cost: 3.0,
            ..BvhBuildParams::medium_build()
        };
        let bvh = build_bvh2_from_tris(&input, params, &mut Default::default());
        let mut tree = Self {
            nodes: Vec::with_capacity(bvh.nodes.len() / 6 + 1),
            packets: Vec::with_capacity(triangles.len() / 3 + 1),
            depth: 0,
        };
        tree.collapse(&bvh, &input, 0, 1);
        tree.nodes.shrink_to_fit();
        tree.packets.shrink_to_fit();
        tree.nodes = on_large_pages(tree.nodes);
        tree.packets = on_large_pages(tree.packets);
        tree
    }

    /// Makes the wide node for the two-way node `from` and everything below it; gives its index.
    fn collapse(&mut self, bvh: &Bvh2, input: &[Triangle], from: usize, depth: usize) -> u32 {
        self.depth = self.depth.max(depth);
        let index = self.nodes.len();
        self.nodes.push(Node {
            planes: [
                [f32::INFINITY; WIDTH],
                [f32::INFINITY; WIDTH],
                [f32::INFINITY; WIDTH],
                [f32::NEG_INFINITY; WIDTH],
                [f32::NEG_INFINITY; WIDTH],
                [f32::NEG_INFINITY; WIDTH],
            ],
            children: [Child::EMPTY; WIDTH],
        });
        // The child with the largest surface is opened until eight are found.
        let mut members = vec![from];
        while members.len() < WIDTH {
            let largest = members
                .iter()
                .enumerate()
                .filter(|&(_, &n)| bvh.nodes[n].prim_count == 0)
                .max_by(|a, b| {
                    let area = |n: usize| bvh.nodes[n].aabb.half_area();
                    area(*a.1).total_cmp(&area(*b.1))
                })
                .map(|(i, _)| i);
            let Some(i) = largest else { break };
            let first = bvh.nodes[members[i]].first_index as usize;
            members[i] = first;
            members.push(first + 1);
        }
        for (slot, &member) in members.iter().enumerate() {
            let node = &bvh.nodes[member];
            for axis in 0..3 {
                self.nodes[index].planes[axis][slot] = node.aabb.min[axis];
                self.nodes[index].planes[axis + 3][slot] = node.aabb.max[axis];
            }
            let child = if node.prim_count == 0 {
                Child(self.collapse(bvh, input, member, depth + 1))
            } else {
                let first = node.first_index as usize;
                self.pack(
                    &bvh.primitive_indices[first..first + node.prim_count as usize],
                    input,
                )
            };
            self.nodes[index].children[slot] = child;
        }
        index as u32
    }

    fn pack(&mut self, ids: &[u32], input: &[Triangle]) -> Child {
        let start = self.packets.len();
        for group in ids.chunks(LANES) {
            let lanes: [u32; LANES] = std::array::from_fn(|l| group[l.min(group.len() - 1)]);
            let corner = |c: usize, axis: usize| {
                lanes.map(|id| {
                    let t = &input[id as usize];
                    [t.v0, t.v1, t.v2][c][axis]
                })
            };
            self.packets.push(Packet {
                corners: std::array::from_fn(|c| std::array::from_fn(|a| corner(c, a))),
                ids: lanes,
            });
        }
        // The builder keeps to its limit of triangles a leaf, far below this one.
        Child::leaf(start, (self.packets.len() - start).min(MAX_PACKETS))
    }

    pub(super) fn bytes(&self) -> usize {
        std::mem::size_of_val(&self.nodes[..]) + std::mem::size_of_val(&self.packets[..])
    }
}
