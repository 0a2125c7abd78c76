//! Walking the tree with AVX2: eight boxes or four triangles at a time.
//!
//! Beside [`super::pages`] the only place of this crate with `unsafe` code: vector loads from arrays of exactly their size, an uninitialised
//! stack that is read only where it was written, and the calls after the machine was asked for AVX2.
//! No fused multiplication is used, so that every number equals that of the portable code.
#![allow(unsafe_code)]

use super::tree::{Child, LANES, Packet, Place, Tree, WIDTH};
use super::{Hit, WIDEN, Walk};
use std::arch::x86_64::*;
use std::mem::MaybeUninit;

/// Deepest tree for which the stack suffices: every level leaves at most seven children behind.
pub(super) const MAX_DEPTH: usize = (STACK - WIDTH) / (WIDTH - 1);
const STACK: usize = 256;

/// [`closest`], for callers that have made sure of AVX2 and of the tree's depth.
pub(super) fn closest_checked(tree: &Tree, walk: &Walk) -> Option<Hit> {
    // SAFETY: `Accel` takes this way only if the machine has AVX2.
    unsafe { closest(tree, walk) }
}

/// [`blocked`], likewise.
pub(super) fn blocked_checked(tree: &Tree, walk: &Walk) -> bool {
    // SAFETY: as above.
    unsafe { blocked(tree, walk) }
}

/// The ray, spread over the lanes.
struct Spread {
    origin: [__m256; 3],
    inverse: [__m256; 3],
    widened: [__m256; 3],
    near: [usize; 3],
    distant: [usize; 3],
}

#[target_feature(enable = "avx2")]
#[inline]
fn spread(walk: &Walk) -> Spread {
    Spread {
        origin: walk.origin.map(|v| _mm256_set1_ps(v)),
        inverse: walk.inverse.map(|v| _mm256_set1_ps(v)),
        widened: [_mm256_set1_ps(WIDEN); 3],
        near: walk.near,
        distant: walk.distant,
    }
}

/// Which children the ray enters before `far`, and where.
#[target_feature(enable = "avx2")]
#[inline]
fn boxes(planes: &[[f32; WIDTH]; 6], s: &Spread, far: f32) -> (u32, [f32; WIDTH]) {
    let mut enter = _mm256_setzero_ps();
    let mut leave = _mm256_set1_ps(far);
    for axis in 0..3 {
        // SAFETY: each plane is eight floats, which is what is read.
        let (near, distant) = unsafe {
            (
                _mm256_loadu_ps(planes[s.near[axis]].as_ptr()),
                _mm256_loadu_ps(planes[s.distant[axis]].as_ptr()),
            )
        };
        let near = _mm256_mul_ps(_mm256_sub_ps(near, s.origin[axis]), s.inverse[axis]);
        let distant = _mm256_mul_ps(_mm256_sub_ps(distant, s.origin[axis]), s.inverse[axis]);
        let distant = _mm256_mul_ps(distant, s.widened[axis]);
        // These give their second operand where the first is no number.
        enter = _mm256_max_ps(near, enter);
        leave = _mm256_min_ps(distant, leave);
    }
    let mask = _mm256_movemask_ps(_mm256_cmp_ps::<_CMP_LE_OQ>(enter, leave)) as u32;
    let mut distances = [0.0; WIDTH];
    // SAFETY: eight floats are written into eight.
    unsafe { _mm256_storeu_ps(distances.as_mut_ptr(), enter) };
    (mask, distances)
}

/// Distances and weights of four triangles, and which of them are met before `far` (inclusive).
#[target_feature(enable = "avx2")]
#[inline]
fn triangles(
    packet: &Packet,
    walk: &Walk,
    far: f32,
) -> (u32, [f32; LANES], [f32; LANES], [f32; LANES]) {
    let [kx, ky, kz] = walk.shear.axes;
    let (sx, sy, sz) = (
        _mm_set1_ps(walk.shear.x),
        _mm_set1_ps(walk.shear.y),
        _mm_set1_ps(walk.shear.z),
    );
    let load = |c: usize, axis: usize| {
        // SAFETY: each axis of a corner is four floats, which is what is read.
        let values = unsafe { _mm_loadu_ps(packet.corners[c][axis].as_ptr()) };
        _mm_sub_ps(values, _mm_set1_ps(walk.origin[axis]))
    };
    let sheared = |c: usize| {
        let (x, y, z) = (load(c, kx), load(c, ky), load(c, kz));
        (
            _mm_sub_ps(x, _mm_mul_ps(sx, z)),
            _mm_sub_ps(y, _mm_mul_ps(sy, z)),
            _mm_mul_ps(sz, z),
        )
    };
    let (ax, ay, az) = sheared(0);
    let (bx, by, bz) = sheared(1);
    let (cx, cy, cz) = sheared(2);
    let cross = |px, qy, py, qx| _mm_sub_ps(_mm_mul_ps(px, qy), _mm_mul_ps(py, qx));
    let u = cross(cx, by, cy, bx);
    let v = cross(ax, cy, ay, cx);
    let w = cross(bx, ay, by, ax);
    let zero = _mm_setzero_ps();
    let on_edge = _mm_or_ps(
        _mm_or_ps(_mm_cmpeq_ps(u, zero), _mm_cmpeq_ps(v, zero)),
        _mm_cmpeq_ps(w, zero),
    );
    let negative = _mm_or_ps(
        _mm_or_ps(_mm_cmplt_ps(u, zero), _mm_cmplt_ps(v, zero)),
        _mm_cmplt_ps(w, zero),
    );
    let positive = _mm_or_ps(
        _mm_or_ps(_mm_cmpgt_ps(u, zero), _mm_cmpgt_ps(v, zero)),
        _mm_cmpgt_ps(w, zero),
    );
    let outside = _mm_movemask_ps(_mm_and_ps(negative, positive)) as u32;
    let edges = _mm_movemask_ps(on_edge) as u32;
    let mut inside = !outside & 0xf;
    let (mut t, mut second, mut third) = ([0.0; LANES], [0.0; LANES], [0.0; LANES]);
    if inside | edges == 0 {
        return (0, t, second, third);
    }
    let det = _mm_add_ps(_mm_add_ps(u, v), w);
    let inverse = _mm_div_ps(_mm_set1_ps(1.0), det);
    let sum = _mm_add_ps(
        _mm_add_ps(_mm_mul_ps(u, az), _mm_mul_ps(v, bz)),
        _mm_mul_ps(w, cz),
    );
    let distance = _mm_mul_ps(sum, inverse);
    let ahead = _mm_and_ps(
        _mm_cmpgt_ps(distance, zero),
        _mm_cmple_ps(distance, _mm_set1_ps(far)),
    );
    inside &= _mm_movemask_ps(_mm_and_ps(ahead, _mm_cmpneq_ps(det, zero))) as u32;
    // SAFETY: four floats are written into four, three times.
    unsafe {
        _mm_storeu_ps(t.as_mut_ptr(), distance);
        _mm_storeu_ps(second.as_mut_ptr(), _mm_mul_ps(v, inverse));
        _mm_storeu_ps(third.as_mut_ptr(), _mm_mul_ps(w, inverse));
    }
    // Rays through an edge are rare; they are decided in double precision, one by one.
    let mut rest = edges;
    while rest != 0 {
        let lane = rest.trailing_zeros() as usize;
        rest &= rest - 1;
        inside &= !(1 << lane);
        if let Some((d, b, c)) = walk.shear.intersect(&walk.origin, packet.triangle(lane))
            && d <= far
        {
            inside |= 1 << lane;
            (t[lane], second[lane], third[lane]) = (d, b, c);
        }
    }
    (inside, t, second, third)
}

#[derive(Clone, Copy)]
struct Waiting {
    enter: f32,
    child: Child,
}

/// The stack of children still to be visited.
struct Stack {
    items: [MaybeUninit<Waiting>; STACK],
    len: usize,
}

impl Stack {
    fn new() -> Self {
        Self {
            items: [const { MaybeUninit::uninit() }; STACK],
            len: 0,
        }
    }

    #[inline(always)]
    fn push(&mut self, item: Waiting) {
        // Indexing is checked; by the depth limit it never fails.
        self.items[self.len].write(item);
        self.len += 1;
    }

    #[inline(always)]
    fn pop(&mut self) -> Option<Waiting> {
        self.len = self.len.checked_sub(1)?;
        // SAFETY: everything below the length was written.
        Some(unsafe { self.items[self.len].assume_init() })
    }

    /// Sorts the items from `first` on, nearest last; there are at most eight.
    #[inline(always)]
    fn sort_from(&mut self, first: usize) {
        for i in first + 1..self.len {
            let mut j = i;
            // SAFETY: indices below the length were written.
            while j > first
                && unsafe {
                    self.items[j - 1].assume_init_ref().enter
                        < self.items[j].assume_init_ref().enter
                }
            {
                self.items.swap(j - 1, j);
                j -= 1;
            }
        }
    }
}

#[target_feature(enable = "avx2")]
fn closest(tree: &Tree, walk: &Walk) -> Option<Hit> {
    let ray = spread(walk);
    let mut best: Option<Hit> = None;
    let mut far = walk.far;
    let mut stack = Stack::new();
    let mut place = Place::Node(0);
    loop {
        match place {
            Place::Node(node) => {
                let node = &tree.nodes[node];
                let (mut mask, distances) = boxes(&node.planes, &ray, far);
                let first = stack.len;
                while mask != 0 {
                    let slot = mask.trailing_zeros() as usize;
                    mask &= mask - 1;
                    stack.push(Waiting {
                        enter: distances[slot],
                        child: node.children[slot],
                    });
                }
                stack.sort_from(first);
            }
            Place::Packets(range) => {
                for packet in &tree.packets[range] {
                    let (mut mask, t, u, v) = triangles(packet, walk, far);
                    while mask != 0 {
                        let lane = mask.trailing_zeros() as usize;
                        mask &= mask - 1;
                        if Hit::before(t[lane], packet.ids[lane], best.as_ref(), walk.far) {
                            far = t[lane];
                            best = Some(Hit {
                                triangle: packet.ids[lane],
                                distance: t[lane],
                                u: u[lane],
                                v: v[lane],
                            });
                        }
                    }
                }
            }
        }
        place = loop {
            match stack.pop() {
                None => return best,
                Some(w) if w.enter > far => {}
                Some(w) => break w.child.place(),
            }
        };
    }
}

#[target_feature(enable = "avx2")]
fn blocked(tree: &Tree, walk: &Walk) -> bool {
    let ray = spread(walk);
    let mut stack = Stack::new();
    let mut place = Place::Node(0);
    loop {
        match place {
            Place::Node(node) => {
                let node = &tree.nodes[node];
                let (mut mask, _) = boxes(&node.planes, &ray, walk.far);
                while mask != 0 {
                    let slot = mask.trailing_zeros() as usize;
                    mask &= mask - 1;
                    stack.push(Waiting {
                        enter: 0.0,
                        child: node.children[slot],
                    });
                }
            }
            Place::Packets(range) => {
                for packet in &tree.packets[range] {
                    let (mask, t, _, _) = triangles(packet, walk, walk.far);
                    if mask != 0 && (0..LANES).any(|l| mask >> l & 1 == 1 && t[l] < walk.far) {
                        return true;
                    }
                }
            }
        }
        match stack.pop() {
            None => return false,
            Some(w) => place = w.child.place(),
        }
    }
}
