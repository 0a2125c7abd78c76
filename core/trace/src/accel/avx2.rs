//! Walking the tree with AVX2: eight boxes or four triangles at a time.
//!
//! The only place of this crate with `unsafe` code: vector loads from arrays of exactly their size, an uninitialised
//! stack that is read only where it was written, and the calls after the machine was asked for AVX2 and FMA.
//! Products are fused only where the portable code fuses them too, so that every number equals its.
#![allow(unsafe_code)]

use super::tree::{Child, Packet, Place, Tree};
use super::{GAMMA_2, GAMMA_3, GAMMA_5, Hit, LANES, Shear, TraceRay, WIDTH, Walk};
use glam::Vec3;
use std::arch::x86_64::*;
use std::mem::MaybeUninit;

/// Deepest tree for which the stack suffices: every level leaves at most seven children behind.
pub(super) const MAX_DEPTH: usize = (STACK - WIDTH) / (WIDTH - 1);
const STACK: usize = 256;

/// [`closest`], for callers that have made sure of AVX2 and of the tree's depth.
#[inline]
pub(super) fn closest_checked(tree: &Tree, ray: &TraceRay) -> Option<Hit> {
    // SAFETY: `Accel` takes this way only if the machine has AVX2 and FMA.
    unsafe {
        if ray.nudge == Vec3::ZERO {
            closest::<false>(tree, ray)
        } else {
            closest::<true>(tree, ray)
        }
    }
}

/// [`blocked`], likewise.
#[inline]
pub(super) fn blocked_checked(tree: &Tree, ray: &TraceRay) -> bool {
    // SAFETY: as above.
    unsafe {
        if ray.nudge == Vec3::ZERO {
            blocked::<false>(tree, ray)
        } else {
            blocked::<true>(tree, ray)
        }
    }
}

/// The ray, spread over the lanes for boxes.
struct Spread {
    origin: [__m256; 3],
    inverse: [__m256; 3],
    widened: [__m256; 3],
    /// Which of a node's planes is near and which is far along each axis.
    near: [usize; 3],
    distant: [usize; 3],
}

#[target_feature(enable = "avx2,fma")]
#[inline]
fn spread(walk: &Walk) -> Spread {
    // Written out: closures given to `map` would not be compiled for AVX2.
    let wide = |v: [f32; 3]| {
        [
            _mm256_set1_ps(v[0]),
            _mm256_set1_ps(v[1]),
            _mm256_set1_ps(v[2]),
        ]
    };
    Spread {
        origin: wide(walk.origin),
        inverse: wide(walk.inverse),
        widened: wide(walk.widened),
        near: walk.near,
        distant: walk.distant,
    }
}

/// The ray laid along its longest axis, spread over the lanes for triangles.
#[derive(Clone, Copy)]
struct Sheared {
    /// Origin along the shear's axes, and the shear.
    start: [__m128; 3],
    shear: [__m128; 3],
    axes: [usize; 3],
    /// How far the start may be off.
    slack: __m128,
    /// The triangles that the ray passes.
    passes: [__m128i; 2],
}

#[target_feature(enable = "avx2,fma")]
#[inline]
fn sheared(ray: &TraceRay) -> Sheared {
    let shear = Shear::new(ray);
    let origin = ray.origin.to_array();
    let narrow = |v: [f32; 3]| [_mm_set1_ps(v[0]), _mm_set1_ps(v[1]), _mm_set1_ps(v[2])];
    let along = |k: usize| origin[shear.axes[k]];
    Sheared {
        start: narrow([along(0), along(1), along(2)]),
        shear: narrow([shear.x, shear.y, shear.z]),
        axes: shear.axes,
        slack: _mm_set1_ps(shear.slack()),
        passes: [
            _mm_set1_epi32(ray.passes[0] as i32),
            _mm_set1_epi32(ray.passes[1] as i32),
        ],
    }
}

/// Which children the ray enters before `far`, and where.
#[target_feature(enable = "avx2,fma")]
#[inline]
fn boxes(planes: &[[f32; WIDTH]; 6], s: &Spread, far: f32) -> (u32, __m256) {
    let mut enter = _mm256_setzero_ps();
    let mut leave = _mm256_set1_ps(far);
    for axis in 0..3 {
        // SAFETY: the plane numbers are below six by how `Walk` makes them, and each plane is eight
        // floats, which is what is read.
        let (near, distant) = unsafe {
            (
                _mm256_loadu_ps(planes.get_unchecked(s.near[axis]).as_ptr()),
                _mm256_loadu_ps(planes.get_unchecked(s.distant[axis]).as_ptr()),
            )
        };
        let near = _mm256_mul_ps(_mm256_sub_ps(near, s.origin[axis]), s.inverse[axis]);
        let distant = _mm256_mul_ps(_mm256_sub_ps(distant, s.origin[axis]), s.widened[axis]);
        // These give their second operand where the first is no number.
        enter = _mm256_max_ps(near, enter);
        leave = _mm256_min_ps(distant, leave);
    }
    let mask = _mm256_movemask_ps(_mm256_cmp_ps::<_CMP_LE_OQ>(enter, leave)) as u32;
    (mask, enter)
}

/// Distances and weights of four triangles, and which of them are met before `far` (inclusive). Rays whose start is exact
/// need no slack, and it costs them some percent.
#[target_feature(enable = "avx2,fma")]
#[inline]
fn triangles<const NUDGED: bool>(
    packet: &Packet,
    ray: &TraceRay,
    s: &Sheared,
    far: f32,
) -> (u32, [f32; LANES], [f32; LANES], [f32; LANES]) {
    let [kx, ky, kz] = s.axes;
    let load = |c: usize, k: usize, axis: usize| {
        // SAFETY: axes are below three, and each axis of a corner is four floats, which is what is read.
        let values = unsafe { _mm_loadu_ps(packet.corners[c].get_unchecked(axis).as_ptr()) };
        _mm_sub_ps(values, s.start[k])
    };
    let sheared = |c: usize| {
        let (x, y, z) = (load(c, 0, kx), load(c, 1, ky), load(c, 2, kz));
        (
            _mm_fnmadd_ps(s.shear[0], z, x),
            _mm_fnmadd_ps(s.shear[1], z, y),
            _mm_mul_ps(s.shear[2], z),
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
    // SAFETY: the numbers are four of 32 bits, which is what is read.
    let ids = unsafe { _mm_loadu_si128(packet.ids.as_ptr().cast()) };
    let passed = _mm_movemask_ps(_mm_castsi128_ps(_mm_or_si128(
        _mm_cmpeq_epi32(ids, s.passes[0]),
        _mm_cmpeq_epi32(ids, s.passes[1]),
    ))) as u32;
    let edges = edges & !passed;
    let mut inside = !outside & !passed & 0xf;
    let (mut t, mut second, mut third) = ([0.0; LANES], [0.0; LANES], [0.0; LANES]);
    if inside | edges == 0 {
        return (0, t, second, third);
    }
    let det = _mm_add_ps(_mm_add_ps(u, v), w);
    let inverse = _mm_div_ps(_mm_set1_ps(1.0), det);
    let sum = _mm_fmadd_ps(w, cz, _mm_fmadd_ps(v, bz, _mm_mul_ps(u, az)));
    let distance = _mm_mul_ps(sum, inverse);
    // How far the distance may be off; the same steps as in `distance_error`.
    let sign = _mm_set1_ps(-0.0);
    let size = |v| _mm_andnot_ps(sign, v);
    let largest = |a, b, c| _mm_max_ps(_mm_max_ps(size(a), size(b)), size(c));
    let (x, y, z) = (
        largest(ax, bx, cx),
        largest(ay, by, cy),
        largest(az, bz, cz),
    );
    let edge = largest(u, v, w);
    let (two, three, five) = (
        _mm_set1_ps(GAMMA_2),
        _mm_set1_ps(GAMMA_3),
        _mm_set1_ps(GAMMA_5),
    );
    let (dx, dy, dz) = (
        _mm_mul_ps(five, _mm_add_ps(x, z)),
        _mm_mul_ps(five, _mm_add_ps(y, z)),
        _mm_mul_ps(three, z),
    );
    let (dx, dy, dz) = if NUDGED {
        (
            _mm_add_ps(dx, s.slack),
            _mm_add_ps(dy, s.slack),
            _mm_add_ps(dz, s.slack),
        )
    } else {
        (dx, dy, dz)
    };
    let de = _mm_mul_ps(
        _mm_set1_ps(2.0),
        _mm_add_ps(
            _mm_mul_ps(_mm_mul_ps(two, x), y),
            _mm_add_ps(_mm_mul_ps(dy, x), _mm_mul_ps(dx, y)),
        ),
    );
    let sum_of_errors = _mm_add_ps(
        _mm_add_ps(_mm_mul_ps(_mm_mul_ps(three, edge), z), _mm_mul_ps(de, z)),
        _mm_mul_ps(dz, edge),
    );
    let bound = _mm_mul_ps(_mm_mul_ps(_mm_set1_ps(3.0), sum_of_errors), size(inverse));
    let solid = _mm_cmpneq_ps(det, zero);
    let close = _mm_and_ps(_mm_cmple_ps(size(distance), bound), solid);
    // Both kinds are rare; they are decided in double precision, one by one.
    let mut rest = edges | (inside & _mm_movemask_ps(close) as u32);
    let ahead = _mm_and_ps(
        _mm_cmpgt_ps(distance, zero),
        _mm_cmple_ps(distance, _mm_set1_ps(far)),
    );
    inside &= _mm_movemask_ps(_mm_and_ps(ahead, solid)) as u32;
    // SAFETY: four floats are written into four, three times.
    unsafe {
        _mm_storeu_ps(t.as_mut_ptr(), distance);
        _mm_storeu_ps(second.as_mut_ptr(), _mm_mul_ps(v, inverse));
        _mm_storeu_ps(third.as_mut_ptr(), _mm_mul_ps(w, inverse));
    }
    while rest != 0 {
        let lane = rest.trailing_zeros() as usize;
        rest &= rest - 1;
        inside &= !(1 << lane);
        if let Some((d, b, c)) =
            Shear::new(ray).intersect(&ray.origin.to_array(), packet.triangle(lane))
            && d <= far
        {
            inside |= 1 << lane;
            (t[lane], second[lane], third[lane]) = (d, b, c);
        }
    }
    (inside, t, second, third)
}

/// A child still to be visited: the bits of the distance where the ray enters it, which order like the
/// distance itself because it is never negative, above the child.
#[derive(Clone, Copy)]
struct Waiting(u64);

impl Waiting {
    #[inline(always)]
    fn new(enter: f32, child: Child) -> Self {
        Self(u64::from(enter.to_bits()) << 32 | u64::from(child.bits()))
    }

    #[inline(always)]
    fn beyond(self, far: f32) -> bool {
        (self.0 >> 32) as u32 > far.to_bits()
    }

    #[inline(always)]
    fn child(self) -> Child {
        Child::from_bits(self.0 as u32)
    }

    /// The two with the farther one first.
    #[inline(always)]
    fn far_first(a: Self, b: Self) -> (Self, Self) {
        (Self(a.0.max(b.0)), Self(a.0.min(b.0)))
    }
}

/// The stack of children still to be visited.
struct Stack {
    items: [MaybeUninit<Waiting>; STACK],
    len: usize,
}

impl Stack {
    #[inline(always)]
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

    /// Pushes an item below those from `first` on that are nearer.
    #[inline(always)]
    fn push_sorted(&mut self, first: usize, item: Waiting) {
        self.push(item);
        let mut at = self.len - 1;
        while at > first {
            // SAFETY: everything below the length was written.
            let below = unsafe { self.items[at - 1].assume_init() };
            if below.0 >= item.0 {
                break;
            }
            self.items[at].write(below);
            self.items[at - 1].write(item);
            at -= 1;
        }
    }
}

/// Takes the lowest slot out of a mask.
#[inline(always)]
fn next_slot(mask: &mut u32) -> usize {
    let slot = mask.trailing_zeros() as usize;
    *mask &= *mask - 1;
    slot
}

#[target_feature(enable = "avx2,fma")]
fn closest<const NUDGED: bool>(tree: &Tree, ray: &TraceRay) -> Option<Hit> {
    let slabs = spread(&Walk::new(ray));
    let mut lines: Option<Sheared> = None;
    let mut best: Option<Hit> = None;
    let mut far = ray.far;
    let mut stack = Stack::new();
    let mut place = Place::Node(0);
    loop {
        match place {
            Place::Node(node) => {
                let node = &tree.nodes[node];
                let (mut mask, enter) = boxes(&node.planes, &slabs, far);
                if mask != 0 {
                    let first = next_slot(&mut mask);
                    if mask == 0 {
                        // The most frequent case needs no distance.
                        place = node.children[first].place();
                        continue;
                    }
                    let mut distances = [0.0; WIDTH];
                    // SAFETY: eight floats are written into eight.
                    unsafe { _mm256_storeu_ps(distances.as_mut_ptr(), enter) };
                    let waiting =
                        |slot: usize| Waiting::new(distances[slot & 7], node.children[slot & 7]);
                    let second = next_slot(&mut mask);
                    let (far_one, near_one) = Waiting::far_first(waiting(first), waiting(second));
                    if mask == 0 {
                        stack.push(far_one);
                        place = near_one.child().place();
                        continue;
                    }
                    let bottom = stack.len;
                    stack.push(far_one);
                    stack.push(near_one);
                    while mask != 0 {
                        let slot = next_slot(&mut mask);
                        stack.push_sorted(bottom, waiting(slot));
                    }
                }
            }
            Place::Packets(range) => {
                // Many rays meet no packet at all.
                let line = *lines.get_or_insert_with(|| sheared(ray));
                for packet in &tree.packets[range] {
                    let (mut mask, t, u, v) = triangles::<NUDGED>(packet, ray, &line, far);
                    while mask != 0 {
                        let lane = next_slot(&mut mask) & 3;
                        if Hit::before(t[lane], packet.ids[lane], best.as_ref(), ray.far) {
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
                Some(w) if w.beyond(far) => {}
                Some(w) => break w.child().place(),
            }
        };
    }
}

#[target_feature(enable = "avx2,fma")]
fn blocked<const NUDGED: bool>(tree: &Tree, ray: &TraceRay) -> bool {
    let slabs = spread(&Walk::new(ray));
    let mut lines: Option<Sheared> = None;
    let mut stack = Stack::new();
    let mut place = Place::Node(0);
    loop {
        match place {
            Place::Node(node) => {
                let node = &tree.nodes[node];
                let (mut mask, _) = boxes(&node.planes, &slabs, ray.far);
                if mask != 0 {
                    // The first slots first: they are the likeliest to end the search.
                    loop {
                        let slot = (31 - mask.leading_zeros()) as usize & 7;
                        mask ^= 1 << slot;
                        if mask == 0 {
                            place = node.children[slot].place();
                            break;
                        }
                        stack.push(Waiting::new(0.0, node.children[slot]));
                    }
                    continue;
                }
            }
            Place::Packets(range) => {
                // Many rays meet no packet at all.
                let line = *lines.get_or_insert_with(|| sheared(ray));
                for packet in &tree.packets[range] {
                    let (mask, t, _, _) = triangles::<NUDGED>(packet, ray, &line, ray.far);
                    if mask != 0 && (0..LANES).any(|l| mask >> l & 1 == 1 && t[l] < ray.far) {
                        return true;
                    }
                }
            }
        }
        match stack.pop() {
            None => return false,
            Some(w) => place = w.child().place(),
        }
    }
}
