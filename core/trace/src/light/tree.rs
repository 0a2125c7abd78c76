//! Glowing triangles and lamps, chosen by what they can give to the place that is lit.
//!
//! A binary tree over the triangles is walked from the root; at each fork the side is chosen in
//! proportion to power over squared distance, bounded by the receiver's cosine (after Conty Estevez and
//! Kulla 2018, "Importance sampling of many lights with adaptive tree splitting"). So a lamp near by is
//! not drowned by a sun far away.

use crate::departure::Departure;
use crate::lamp::{Lamp, LampKind};
use crate::sampler::Sampler;
use crate::scene::Scene;
use glam::Vec3;
use std::collections::HashMap;

/// The lights of a scene that have a place.
#[derive(Default)]
pub(crate) struct LightTree {
    /// The tree; node 0 is the root, children lie side by side.
    nodes: Vec<Node>,
    /// Leaf node by triangle of the scene's base, `NONE` for those that give no light.
    leaves: Vec<u32>,
    /// Leaf node by triangle of its instances, of which there may be very many.
    far_leaves: HashMap<u32, u32>,
}

const NONE: u32 = u32::MAX;
/// Candidates of which one is taken.
const CANDIDATES: u32 = 4;
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
    Triangle(u32, f32),
    /// Lamp and its brightness.
    Lamp(u32, f32),
}

struct Emitter {
    kind: Kind,
    /// Orders what lies at one place, so that the tree is the same in every run.
    number: u32,
    power: f32,
    centre: Vec3,
    radius: f32,
}

/// A place to be lit.
#[derive(Clone, Copy)]
pub(crate) struct Receiver {
    pub(crate) position: Vec3,
    /// The side it takes light from, or `None` for both.
    pub(crate) normal: Option<Vec3>,
}

/// A chosen piece of a light.
pub(crate) enum LightSample<'a> {
    /// A point on a glowing triangle; its emission is not dimmed yet.
    Area {
        place: Departure,
        normal: Vec3,
        emission: Vec3,
        /// Probability per square metre.
        density: f32,
    },
    /// A lamp, its brightness, and the probability of its choice.
    Lamp(&'a Lamp, f32, f32),
}

impl LightSample<'_> {
    /// What the sample would give to a white surface if nothing stood between, by its density.
    fn promise(&self, to: &Receiver) -> f32 {
        match self {
            Self::Area {
                place,
                normal,
                emission,
                density,
            } => {
                let offset = place.position - to.position;
                let d2 = offset.length_squared().max(1e-12);
                let direction = offset / d2.sqrt();
                let cosine = normal.dot(direction).abs();
                let facing = to.normal.map_or(1.0, |n| n.dot(direction).max(0.0));
                emission.element_sum() * cosine * facing / (d2 * density)
            }
            Self::Lamp(lamp, scale, chance) => {
                let offset = lamp.position - to.position;
                let distance = offset.length().max(1e-6);
                let direction = offset / distance;
                let facing = to.normal.map_or(1.0, |n| n.dot(direction).max(0.0));
                lamp.irradiance(-direction, distance).element_sum() * facing * scale / chance
            }
        }
    }
}

impl Node {
    /// How much the node may give to the receiver, up to a common factor; 0 only if it can give nothing.
    fn importance(&self, to: &Receiver) -> f32 {
        let offset = self.centre - to.position;
        let d2 = offset.length_squared();
        let r2 = self.radius * self.radius;
        // Inside the ball nothing is known of direction.
        let cosine = if let Some(normal) = to.normal.filter(|_| d2 > r2) {
            let d = d2.sqrt();
            let cos_i = offset.dot(normal) / d;
            let sin_u2 = r2 / d2;
            let cos_u = (1.0 - sin_u2).sqrt();
            if cos_i >= cos_u {
                1.0
            } else {
                // cos(i - u): the best that any point of the ball can have.
                let sin_i = (1.0 - cos_i * cos_i).max(0.0).sqrt();
                (cos_i * cos_u + sin_i * sin_u2.sqrt()).max(0.0)
            }
        } else {
            1.0
        };
        self.power * cosine / d2.max(0.25 * r2).max(1e-12)
    }
}

impl LightTree {
    pub(crate) fn gather(scene: &Scene, object_scale: &[f32], lamp_scale: &[f32]) -> Self {
        let brightness = |t: u32| {
            let object = scene.object_of(t) as usize;
            object_scale.get(object).copied().unwrap_or(1.0)
        };
        let mut emitters: Vec<Emitter> = scene
            .emitting()
            .filter_map(|t| triangle(scene, t, brightness(t)))
            .collect();
        for (i, (lamp, &scale)) in scene.lamps().iter().zip(lamp_scale).enumerate() {
            let power = Vec3::from(lamp.intensity).element_sum() * scale;
            if lamp.kind != LampKind::Directional && power > 0.0 {
                emitters.push(Emitter {
                    kind: Kind::Lamp(i as u32, scale),
                    number: i as u32,
                    power,
                    centre: lamp.position,
                    radius: 0.0,
                });
            }
        }
        if emitters.is_empty() {
            return Self::default();
        }
        let mut lights = Self {
            nodes: vec![bound(&emitters, NONE)],
            leaves: vec![NONE; scene.own_triangles()],
            far_leaves: HashMap::new(),
        };
        lights.split(0, &mut emitters, 0);
        lights
    }

    fn split(&mut self, node: u32, emitters: &mut [Emitter], depth: usize) {
        if let [only] = emitters {
            self.nodes[node as usize].kind = only.kind;
            if let Kind::Triangle(triangle, _) = only.kind {
                match self.leaves.get_mut(triangle as usize) {
                    Some(leaf) => *leaf = node,
                    None => {
                        self.far_leaves.insert(triangle, node);
                    }
                }
            }
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
                .then(a.number.cmp(&b.number))
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
            0.1 + 0.8 * a / sum
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
        let mut node = match self.leaves.get(triangle as usize) {
            Some(leaf) => *leaf,
            None => self.far_leaves.get(&triangle).copied().unwrap_or(NONE),
        };
        if node == NONE {
            return 0.0;
        }
        let Kind::Triangle(_, area) = self.nodes[node as usize].kind else {
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
        found: &mut impl FnMut(LightSample, f32),
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
        found: &mut impl FnMut(LightSample, f32),
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
        if let Kind::Fork(_) = self.nodes[node as usize].kind {
            let pick = sampler.next_1d();
            self.sample_best(node, scene, to, choose, place, pick, found);
        } else if let Some(sample) = self.sample(node, scene, to, choose, place) {
            found(sample, 1.0);
        }
    }

    /// Of a few candidates one is taken in proportion to what it would give if nothing stood between
    /// (resampled importance sampling, Talbot 2005); the factor that makes up for the choice goes with it.
    /// The candidates may be spread evenly: each alone is still distributed as the tree says.
    #[allow(clippy::too_many_arguments)] // what a choice depends on
    fn sample_best(
        &self,
        node: u32,
        scene: &Scene,
        to: &Receiver,
        choose: f32,
        place: (f32, f32),
        pick: f32,
        found: &mut impl FnMut(LightSample, f32),
    ) {
        let mut whole = 0.0;
        let mut taken: Option<(LightSample, f32)> = None;
        let mut pick = pick;
        for k in 0..CANDIDATES {
            let step = k as f32 / CANDIDATES as f32;
            let turned = |v: f32, by: f32| (v + by).fract().min(1.0 - f32::EPSILON);
            let place = (turned(place.0, step), turned(place.1, step * 0.618_034));
            let Some(sample) = self.sample(node, scene, to, turned(choose, step), place) else {
                continue;
            };
            let promise = sample.promise(to);
            if promise <= 0.0 || !promise.is_finite() {
                continue;
            }
            whole += promise;
            let chance = promise / whole;
            // What is left of the number after each choice is as random as before.
            if pick < chance {
                pick /= chance;
                taken = Some((sample, promise));
            } else {
                pick = (pick - chance) / (1.0 - chance);
            }
            pick = pick.min(1.0 - f32::EPSILON);
        }
        if let Some((sample, promise)) = taken {
            found(sample, whole / CANDIDATES as f32 / promise);
        }
    }

    /// A piece of one of the lights below `start` that may light the receiver.
    fn sample<'a>(
        &self,
        start: u32,
        scene: &'a Scene,
        to: &Receiver,
        mut choose: f32,
        (x, y): (f32, f32),
    ) -> Option<LightSample<'a>> {
        let mut node = &self.nodes[start as usize];
        let mut probability = 1.0;
        let (triangle, area) = loop {
            match node.kind {
                Kind::Triangle(triangle, area) => break (triangle, area),
                Kind::Lamp(lamp, scale) => {
                    return Some(LightSample::Lamp(
                        &scene.lamps()[lamp as usize],
                        scale,
                        probability,
                    ));
                }
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
        let spot = scene.spot(triangle, u, v);
        Some(LightSample::Area {
            place: spot.departure(),
            normal: (b - a).cross(c - a).normalize_or_zero(),
            emission: spot.emission(scene.material_of(triangle)),
            density: probability / area,
        })
    }
}

fn triangle(scene: &Scene, triangle: u32, brightness: f32) -> Option<Emitter> {
    let material = scene.material_of(triangle);
    if !material.emits() || brightness <= 0.0 {
        return None;
    }
    // A textured light is weighed by a few places of it; a dark texel must not make it impossible.
    let places = [(0.33, 0.33), (0.66, 0.17), (0.17, 0.66), (0.17, 0.17)];
    let mean = places
        .iter()
        .map(|&(u, v)| scene.spot(triangle, u, v).emission(material).element_sum())
        .sum::<f32>()
        / places.len() as f32;
    let strength = mean.max(0.01 * Vec3::from(material.emission).element_sum()) * brightness;
    let corners = scene.corners(triangle);
    let [a, b, c] = corners;
    let area = 0.5 * (b - a).cross(c - a).length();
    let centre = (a + b + c) / 3.0;
    (area > 0.0).then(|| Emitter {
        kind: Kind::Triangle(triangle, area),
        number: triangle,
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
