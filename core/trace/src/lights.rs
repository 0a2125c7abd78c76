//! Emissive triangles, chosen by what they can give to the place that is lit.
//!
//! A binary tree over the triangles is walked from the root; at each fork the side is chosen in
//! proportion to power over squared distance, bounded by the receiver's cosine (after Conty Estevez and
//! Kulla 2018, "Importance sampling of many lights with adaptive tree splitting"). So a lamp near by is
//! not drowned by a sun far away.

use crate::sampler::Sampler;
use crate::scene::Scene;
use glam::Vec3;

/// The emissive triangles of a scene.
#[derive(Default)]
pub struct Lights {
    /// The tree; node 0 is the root, children lie side by side.
    nodes: Vec<Node>,
    /// Leaf node by triangle, `NONE` for those that give no light.
    leaves: Vec<u32>,
}

const NONE: u32 = u32::MAX;
/// Deepest tree: half of it by space, then halving, which 32 bits of triangles cannot exhaust.
const MAX_DEPTH: usize = 80;

struct Node {
    centre: Vec3,
    radius: f32,
    power: f32,
    parent: u32,
    kind: Kind,
}

#[derive(Clone, Copy)]
enum Kind {
    /// Index of the first of two children.
    Fork(u32),
    /// Triangle and its area in square metres.
    Leaf(u32, f32),
}

struct Emitter {
    triangle: u32,
    area: f32,
    power: f32,
    centre: Vec3,
    radius: f32,
}

/// A place to be lit.
#[derive(Clone, Copy)]
pub(crate) struct Receiver {
    pub(crate) position: Vec3,
    pub(crate) normal: Vec3,
}

/// A point on a light.
pub(crate) struct LightPoint {
    pub(crate) position: Vec3,
    pub(crate) normal: Vec3,
    pub(crate) emission: Vec3,
    /// Probability per square metre.
    pub(crate) density: f32,
}

impl Node {
    /// How much the node may give to the receiver, up to a common factor; 0 only if it can give nothing.
    fn importance(&self, to: &Receiver) -> f32 {
        let offset = self.centre - to.position;
        let d2 = offset.length_squared();
        let r2 = self.radius * self.radius;
        // Inside the ball nothing is known of direction.
        let cosine = if d2 <= r2 {
            1.0
        } else {
            let d = d2.sqrt();
            let cos_i = offset.dot(to.normal) / d;
            let sin_u2 = r2 / d2;
            let cos_u = (1.0 - sin_u2).sqrt();
            if cos_i >= cos_u {
                1.0
            } else {
                // cos(i - u): the best that any point of the ball can have.
                let sin_i = (1.0 - cos_i * cos_i).max(0.0).sqrt();
                (cos_i * cos_u + sin_i * sin_u2.sqrt()).max(0.0)
            }
        };
        self.power * cosine / d2.max(r2).max(1e-12)
    }
}

impl Lights {
    /// Number of emissive triangles.
    pub fn len(&self) -> usize {
        self.nodes.len().div_ceil(2)
    }

    /// Whether nothing gives light.
    pub fn is_empty(&self) -> bool {
        self.nodes.is_empty()
    }

    pub(crate) fn gather(scene: &Scene) -> Self {
        let mut emitters: Vec<Emitter> = (0..scene.triangle_count() as u32)
            .filter_map(|t| emitter(scene, t))
            .collect();
        if emitters.is_empty() {
            return Self::default();
        }
        let mut lights = Self {
            nodes: vec![bound(&emitters, NONE)],
            leaves: vec![NONE; scene.triangle_count()],
        };
        lights.split(0, &mut emitters, 0);
        lights
    }

    fn split(&mut self, node: u32, emitters: &mut [Emitter], depth: usize) {
        if let [only] = emitters {
            self.nodes[node as usize].kind = Kind::Leaf(only.triangle, only.area);
            self.leaves[only.triangle as usize] = node;
            return;
        }
        let (low, high) = emitters
            .iter()
            .fold((Vec3::INFINITY, Vec3::NEG_INFINITY), |(l, h), e| {
                (l.min(e.centre), h.max(e.centre))
            });
        let axis = (high - low).max_position();
        // In the middle of the space they fill, so that what stands apart gets a branch of its own.
        let border = (low[axis] + high[axis]) / 2.0;
        emitters.sort_unstable_by(|a, b| {
            a.centre[axis]
                .total_cmp(&b.centre[axis])
                .then(a.triangle.cmp(&b.triangle))
        });
        let middle = match emitters.partition_point(|e| e.centre[axis] <= border) {
            0 => emitters.len() / 2,
            n if n == emitters.len() => n / 2,
            // Deep down halving the number keeps the tree within its limit.
            _ if depth > MAX_DEPTH / 2 => emitters.len() / 2,
            n => n,
        };
        let (left, right) = emitters.split_at_mut(middle);
        let first = self.nodes.len() as u32;
        self.nodes.push(bound(left, node));
        self.nodes.push(bound(right, node));
        self.nodes[node as usize].kind = Kind::Fork(first);
        self.split(first, left, depth + 1);
        self.split(first + 1, right, depth + 1);
    }

    /// Probability of going to child `first` rather than `first + 1`, or `None` if neither can light the place.
    fn chance_of_first(&self, first: u32, to: &Receiver) -> Option<f32> {
        let a = self.nodes[first as usize].importance(to);
        let b = self.nodes[first as usize + 1].importance(to);
        let sum = a + b;
        if !(sum > 0.0 && sum.is_finite()) {
            return None;
        }
        let around = self.surround(self.nodes[first as usize].parent, to);
        // Among lights all round, the strongest may well be hidden: the weaker side keeps a fair chance.
        Some(if around && a > 0.0 && b > 0.0 {
            0.25 + 0.5 * a / sum
        } else {
            a / sum
        })
    }

    /// Whether the lights below `node` lie all round the receiver, so that choosing one side is a gamble.
    fn surround(&self, node: u32, to: &Receiver) -> bool {
        let n = &self.nodes[node as usize];
        n.centre.distance_squared(to.position) <= n.radius * n.radius
    }

    /// How a budget of points is divided at a fork: both sides get some where the lights lie all round and
    /// there is more than one point to give, else one point goes to one side by chance (`None`).
    fn divide(&self, node: u32, first: u32, to: &Receiver, budget: u32) -> Option<(u32, u32)> {
        if budget < 2 || !self.surround(node, to) {
            return None;
        }
        let p = self.chance_of_first(first, to)?;
        if p <= 0.0 || p >= 1.0 {
            return None;
        }
        let left = ((budget as f32 * p).round() as u32).clamp(1, budget - 1);
        Some((left, budget - left))
    }

    /// Probability per square metre with which a point of `triangle` is chosen for a receiver that spends
    /// `budget` points.
    pub(crate) fn density(&self, triangle: u32, to: &Receiver, mut budget: u32) -> f32 {
        let mut node = self.leaves.get(triangle as usize).copied().unwrap_or(NONE);
        if node == NONE {
            return 0.0;
        }
        let Kind::Leaf(_, area) = self.nodes[node as usize].kind else {
            return 0.0;
        };
        // The way from the leaf to the root, then down it with the budget.
        let mut way = [0; MAX_DEPTH];
        let mut length = 0;
        while self.nodes[node as usize].parent != NONE {
            way[length] = node;
            length += 1;
            node = self.nodes[node as usize].parent;
        }
        let mut probability = 1.0;
        for &child in way[..length].iter().rev() {
            if let Kind::Fork(first) = self.nodes[node as usize].kind {
                if let Some((left, right)) = self.divide(node, first, to, budget) {
                    budget = if child == first { left } else { right };
                } else {
                    budget = 1;
                    let Some(p) = self.chance_of_first(first, to) else {
                        return 0.0;
                    };
                    probability *= if child == first { p } else { 1.0 - p };
                }
            }
            node = child;
        }
        probability / area
    }

    /// Points on the lights for a receiver that spends up to `budget` of them, each with its own random
    /// numbers.
    pub(crate) fn sample_many(
        &self,
        scene: &Scene,
        to: &Receiver,
        budget: u32,
        sampler: &mut Sampler,
        found: &mut impl FnMut(LightPoint),
    ) {
        if !self.nodes.is_empty() {
            self.sample_below(0, scene, to, budget, sampler, found);
        }
    }

    fn sample_below(
        &self,
        node: u32,
        scene: &Scene,
        to: &Receiver,
        budget: u32,
        sampler: &mut Sampler,
        found: &mut impl FnMut(LightPoint),
    ) {
        if let Kind::Fork(first) = self.nodes[node as usize].kind
            && let Some((left, right)) = self.divide(node, first, to, budget)
        {
            self.sample_below(first, scene, to, left, sampler, found);
            self.sample_below(first + 1, scene, to, right, sampler, found);
            return;
        }
        let choose = sampler.next_1d();
        let place = sampler.next_2d();
        if let Some(point) = self.sample(node, scene, to, choose, place) {
            found(point);
        }
    }

    /// A point on one of the lights below `start` that may light the receiver.
    fn sample(
        &self,
        start: u32,
        scene: &Scene,
        to: &Receiver,
        mut choose: f32,
        (x, y): (f32, f32),
    ) -> Option<LightPoint> {
        let mut node = &self.nodes[start as usize];
        let mut probability = 1.0;
        let (triangle, area) = loop {
            match node.kind {
                Kind::Leaf(triangle, area) => break (triangle, area),
                Kind::Fork(first) => {
                    let p = self.chance_of_first(first, to)?;
                    // What is left of the number after the choice is as random as before.
                    if choose < p {
                        choose /= p;
                        probability *= p;
                        node = &self.nodes[first as usize];
                    } else {
                        choose = (choose - p) / (1.0 - p);
                        probability *= 1.0 - p;
                        node = &self.nodes[first as usize + 1];
                    }
                    choose = choose.min(1.0 - f32::EPSILON);
                }
            }
        };
        let root = x.sqrt();
        let (u, v) = (1.0 - root, root * y);
        let [a, b, c] = scene.corners(triangle);
        Some(LightPoint {
            position: a * (1.0 - u - v) + b * u + c * v,
            normal: (b - a).cross(c - a).normalize_or_zero(),
            emission: scene.emission(scene.material_of(triangle), scene.uv(triangle, u, v)),
            density: probability / area,
        })
    }
}

fn emitter(scene: &Scene, triangle: u32) -> Option<Emitter> {
    let material = scene.material_of(triangle);
    if !material.emits() {
        return None;
    }
    // A textured light is weighed by a few places of it; a dark texel must not make it impossible.
    let places = [(0.33, 0.33), (0.66, 0.17), (0.17, 0.66), (0.17, 0.17)];
    let mean = places
        .iter()
        .map(|&(u, v)| {
            scene
                .emission(material, scene.uv(triangle, u, v))
                .element_sum()
        })
        .sum::<f32>()
        / places.len() as f32;
    let strength = mean.max(0.01 * Vec3::from(material.emission).element_sum());
    let corners = scene.corners(triangle);
    let [a, b, c] = corners;
    let area = 0.5 * (b - a).cross(c - a).length();
    let centre = (a + b + c) / 3.0;
    (area > 0.0).then(|| Emitter {
        triangle,
        area,
        power: area * strength,
        centre,
        radius: corners
            .iter()
            .map(|p| p.distance(centre))
            .fold(0.0, f32::max),
    })
}

/// A ball round some emitters, with their power.
fn bound(emitters: &[Emitter], parent: u32) -> Node {
    let (low, high) = emitters
        .iter()
        .fold((Vec3::INFINITY, Vec3::NEG_INFINITY), |(l, h), e| {
            (l.min(e.centre - e.radius), h.max(e.centre + e.radius))
        });
    let centre = (low + high) / 2.0;
    let radius = emitters
        .iter()
        .map(|e| e.centre.distance(centre) + e.radius)
        .fold(0.0, f32::max);
    Node {
        centre,
        radius,
        power: emitters.iter().map(|e| e.power).sum(),
        parent,
        kind: Kind::Fork(NONE),
    }
}
