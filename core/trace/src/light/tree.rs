//! Glowing triangles and lamps, chosen by what they can give to the place that is lit.
//!
//! A binary tree over the triangles is walked from the root; at each fork the side is chosen in
//! proportion to power over squared distance, bounded by the receiver's cosine (after Conty Estevez and
//! Kulla 2018, "Importance sampling of many lights with adaptive tree splitting"). So a lamp near by is
//! not drowned by a sun far away.

use super::Illumination;
use super::aim::Aim;
use super::closed::closed_objects;
use super::piece::{AreaSample, Piece};
use crate::lamp::{Lamp, LampKind};
use crate::sampler::Sampler;
use crate::scene::Scene;
use glam::Vec3;
use std::collections::HashMap;
use std::f32::consts::PI;

/// The lights of a scene that have a place.
#[derive(Default)]
pub(crate) struct LightTree {
    /// The tree; node 0 is the root, children lie side by side.
    pub(super) nodes: Vec<Node>,
    /// Leaf node by triangle of the scene's base, `NONE` for those that give no light.
    pub(super) leaves: Vec<u32>,
    /// Leaf node by triangle of its instances, of which there may be very many.
    pub(super) far_leaves: HashMap<u32, u32>,
    /// Leaf nodes in order, and the power of all before each and of all together: in double precision, or small lights would be lost
    /// behind a sun.
    pub(super) in_order: Vec<u32>,
    pub(super) sums: Vec<f64>,
    /// The glowing triangles in the same order, none where a lamp stands.
    pub(super) pieces: Vec<Option<Piece>>,
}

pub(super) const NONE: u32 = u32::MAX;
/// Nodes of a radius below this share of their distance are as good as points: a light of theirs is chosen by its power.
const POINT: f32 = 0.15;
/// What the inside of a closed lamp promises to what is outside of it. Not nothing: it may be cut open by another thing.
const HIDDEN: f32 = 0.02;
/// Candidates of which one is taken.
const CANDIDATES: u32 = 4;
/// Deepest tree: half of it by space, then halving, which 32 bits of triangles cannot exhaust.
pub(super) const MAX_DEPTH: usize = 80;

pub(super) struct Node {
    pub(super) centre: Vec3,
    pub(super) radius: f32,
    pub(super) power: f32,
    pub(super) aim: Aim,
    pub(super) parent: u32,
    pub(super) kind: Kind,
    /// Its emitters in the tree's order.
    pub(super) range: [u32; 2],
}

#[derive(Clone, Copy)]
pub(super) enum Kind {
    /// Index of the first of two children.
    Fork(u32),
    /// A glowing triangle; it is found by its place in the order.
    Triangle,
    /// Lamp and its brightness.
    Lamp(u32, f32),
}

struct Emitter {
    kind: Kind,
    /// Its triangle or lamp; orders what lies at one place, so that the tree is the same in every run.
    number: u32,
    /// Square metres of a triangle.
    area: f32,
    power: f32,
    aim: Aim,
    centre: Vec3,
    radius: f32,
}

/// Whose lights are chosen.
#[derive(Clone, Copy)]
pub(crate) struct Lit<'a> {
    pub(crate) scene: &'a Scene,
    pub(crate) light: &'a Illumination,
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
    /// A point on a glowing triangle.
    Area {
        /// The point and what it sends.
        area: AreaSample,
        /// Its leaf.
        leaf: u32,
    },
    /// A lamp.
    Lamp {
        lamp: &'a Lamp,
        /// Its brightness.
        scale: f32,
        /// The probability of its choice.
        chance: f32,
        /// Its leaf.
        leaf: u32,
    },
}

impl LightSample<'_> {
    /// What the sample would give to a white surface if nothing stood between, by its density.
    pub(super) fn promise(&self, to: &Receiver) -> f32 {
        match self {
            Self::Area { area, .. } => {
                let offset = area.position - to.position;
                let d2 = offset.length_squared().max(1e-12);
                let direction = offset / d2.sqrt();
                let facing = to.normal.map_or(1.0, |n| n.dot(direction).max(0.0));
                let outward = area.normal.dot(direction);
                if outward == 0.0 {
                    return 0.0;
                }
                let hidden = if area.closed && outward > 0.0 {
                    HIDDEN
                } else {
                    1.0
                };
                area.emission.element_sum() * facing * hidden / area.pdf
            }
            Self::Lamp {
                lamp,
                scale,
                chance,
                ..
            } => {
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
    pub(super) fn importance(&self, to: &Receiver) -> f32 {
        let offset = self.centre - to.position;
        let d2 = offset.length_squared();
        let r2 = self.radius * self.radius;
        // Inside the ball nothing is known of direction.
        let cosine = if d2 > r2 {
            let one = d2.sqrt().recip();
            let sin_u = self.radius * one;
            // cos(i - u) would be the best that any point of the ball can have; this is about that, 0 for the same, and has one
            // root instead of three.
            let received = to.normal.map_or(1.0, |normal| {
                (offset.dot(normal) * one + sin_u).clamp(0.0, 1.0)
            });
            match &self.aim {
                Aim::All => received,
                _ if received == 0.0 => 0.0,
                aim => received * aim.share(offset * -one, sin_u),
            }
        } else {
            1.0
        };
        self.power * cosine / d2.max(0.25 * r2).max(1e-12)
    }
}

impl LightTree {
    /// Whether nothing shines but what surrounds the scene.
    pub(crate) fn is_empty(&self) -> bool {
        self.nodes.is_empty()
    }

    /// The tree of a scene's glowing triangles, brighter by object as told, and of its lamps, with their brightness. `even_scale` is
    /// what an object's emission is multiplied with where that is the same to all sides.
    pub(crate) fn gather(
        scene: &Scene,
        object_scale: impl Fn(usize) -> f32,
        even_scale: impl Fn(usize) -> Option<f32>,
        lamps: &[Lamp],
        lamp_scale: &[f32],
    ) -> Self {
        let brightness = |t: u32| object_scale(scene.object_of(t) as usize);
        let mut emitters: Vec<Emitter> = scene
            .emitting()
            .filter_map(|t| triangle(scene, t, brightness(t)))
            .collect();
        for (i, (lamp, &scale)) in lamps.iter().zip(lamp_scale).enumerate() {
            let mean = lamp
                .beam
                .as_ref()
                .map_or(1.0, |b| b.table().flux() / (4.0 * PI));
            let power = Vec3::from(lamp.intensity).element_sum() * scale * mean;
            if lamp.kind != LampKind::Directional && power > 0.0 {
                emitters.push(Emitter {
                    kind: Kind::Lamp(i as u32, scale),
                    number: i as u32,
                    area: 0.0,
                    power,
                    aim: Aim::of_lamp(lamp),
                    centre: lamp.position,
                    radius: 0.0,
                });
            }
        }
        if emitters.is_empty() {
            return Self::default();
        }
        let mut lights = Self {
            nodes: vec![bound(&emitters, NONE, 0)],
            leaves: vec![NONE; scene.own_triangles()],
            far_leaves: HashMap::new(),
            in_order: Vec::with_capacity(emitters.len()),
            sums: vec![0.0],
            pieces: Vec::new(),
        };
        lights.split(0, &mut emitters, 0);
        let closed = closed_objects(scene);
        // Sorted as the leaves are.
        lights.pieces = (emitters.iter())
            .map(|e| match e.kind {
                Kind::Triangle => {
                    let object = scene.object_of(e.number) as usize;
                    let closed = closed.get(object).is_some_and(|c| *c);
                    let area = e.area;
                    Some(Piece::new(
                        scene,
                        e.number,
                        area,
                        even_scale(object),
                        closed,
                    ))
                }
                _ => None,
            })
            .collect();
        lights
    }

    fn split(&mut self, node: u32, emitters: &mut [Emitter], depth: usize) {
        if let [only] = emitters {
            let before = self.sums.last().copied().unwrap_or(0.0);
            self.sums.push(before + f64::from(only.power));
            self.in_order.push(node);
            self.nodes[node as usize].kind = only.kind;
            if let Kind::Triangle = only.kind {
                match self.leaves.get_mut(only.number as usize) {
                    Some(leaf) => *leaf = node,
                    None => {
                        self.far_leaves.insert(only.number, node);
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
        let start = self.nodes[node as usize].range[0];
        let border = start + left.len() as u32;
        self.nodes.push(bound(left, node, start));
        self.nodes.push(bound(right, node, border));
        self.nodes[node as usize].kind = Kind::Fork(first);
        self.split(first, left, depth + 1);
        self.split(first + 1, right, depth + 1);
    }

    /// Probability of going to child `first` rather than `first + 1`, or `None` if neither can light the place.
    pub(super) fn chance_of_first(&self, first: u32, to: &Receiver) -> Option<f32> {
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

    /// Whether a node is so small from a place that its lights are as good as one.
    pub(super) fn is_point(&self, node: &Node, to: &Receiver) -> bool {
        let d2 = node.centre.distance_squared(to.position);
        node.radius * node.radius < POINT * POINT * d2
    }

    /// Power of the emitters of a range.
    pub(super) fn power(&self, [start, end]: [u32; 2]) -> f64 {
        self.sums[end as usize] - self.sums[start as usize]
    }

    /// A leaf below a node by its power, and its share.
    fn by_power(&self, node: &Node, choose: f32) -> (u32, f32) {
        let [start, end] = node.range;
        let whole = self.power(node.range);
        let wanted = self.sums[start as usize] + f64::from(choose) * whole;
        let inner = &self.sums[start as usize + 1..end as usize];
        let at = start + inner.partition_point(|sum| *sum <= wanted) as u32;
        (
            self.in_order[at as usize],
            (self.power([at, at + 1]) / whole) as f32,
        )
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

    /// The leaf of a glowing triangle.
    pub(super) fn leaf_of(&self, triangle: u32) -> Option<u32> {
        let leaf = match self.leaves.get(triangle as usize) {
            Some(leaf) => *leaf,
            None => self.far_leaves.get(&triangle).copied().unwrap_or(NONE),
        };
        (leaf != NONE).then_some(leaf)
    }

    /// The glowing triangle of a leaf.
    pub(super) fn piece(&self, leaf: u32) -> Option<&Piece> {
        let at = self.nodes[leaf as usize].range[0];
        self.pieces.get(at as usize)?.as_ref()
    }

    /// Probability per steradian with which a point of `triangle`, seen at a distance and a cosine to its normal, is chosen for a
    /// receiver that spends `budget` points.
    pub(crate) fn density(
        &self,
        triangle: u32,
        to: &Receiver,
        seen: (f32, f32),
        mut budget: u32,
    ) -> f32 {
        let Some(mut node) = self.leaf_of(triangle) else {
            return 0.0;
        };
        let Some(piece) = self.piece(node) else {
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
                let here = &self.nodes[node as usize];
                if self.is_point(here, to) {
                    let leaf = self.nodes[way[0] as usize].range;
                    probability *= (self.power(leaf) / self.power(here.range)) as f32;
                    break;
                }
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
        piece.density(to.position, seen, probability)
    }

    /// Points on the lights for a receiver that spends up to `budget` of them, each with its own random
    /// numbers.
    pub(crate) fn sample_many(
        &self,
        lit: Lit,
        to: &Receiver,
        budget: u32,
        sampler: &mut Sampler,
        found: &mut impl FnMut(LightSample, f32),
    ) {
        if !self.nodes.is_empty() {
            self.sample_below(0, lit, to, budget, sampler, found);
        }
    }

    fn sample_below(
        &self,
        node: u32,
        lit: Lit,
        to: &Receiver,
        budget: u32,
        sampler: &mut Sampler,
        found: &mut impl FnMut(LightSample, f32),
    ) {
        if let Kind::Fork(first) = self.nodes[node as usize].kind
            && let Some((left, right)) = self.divide(node, first, to, budget)
        {
            self.sample_below(first, lit, to, left, sampler, found);
            self.sample_below(first + 1, lit, to, right, sampler, found);
            return;
        }
        let choose = sampler.next_1d();
        let place = sampler.next_2d();
        if let Kind::Fork(_) = self.nodes[node as usize].kind {
            let pick = sampler.next_1d();
            let candidate = |x: f32, place: (f32, f32)| self.sample(node, lit, to, x, place);
            self.best_of((CANDIDATES, candidate), to, choose, place, pick, found);
        } else if let Some(sample) = self.sample(node, lit, to, choose, place) {
            found(sample, 1.0);
        }
    }

    /// A piece of one of the lights below `start` that may light the receiver.
    pub(super) fn sample<'a>(
        &self,
        start: u32,
        lit: Lit<'a>,
        to: &Receiver,
        mut choose: f32,
        place: (f32, f32),
    ) -> Option<LightSample<'a>> {
        let mut at = start;
        let mut probability = 1.0;
        loop {
            let node = &self.nodes[at as usize];
            match node.kind {
                Kind::Triangle => {
                    let area = (self.piece(at)?).sample(lit, to, place, probability)?;
                    return Some(LightSample::Area { area, leaf: at });
                }
                Kind::Lamp(lamp, scale) => {
                    return Some(LightSample::Lamp {
                        lamp: &lit.light.lamps[lamp as usize],
                        scale,
                        chance: probability,
                        leaf: at,
                    });
                }
                Kind::Fork(_) if self.is_point(node, to) => {
                    let (leaf, share) = self.by_power(node, choose);
                    probability *= share;
                    at = leaf;
                }
                Kind::Fork(first) => {
                    let p = self.chance_of_first(first, to)?;
                    // What is left of the number after the choice is as random as before.
                    if choose < p {
                        choose /= p;
                        probability *= p;
                        at = first;
                    } else {
                        choose = (choose - p) / (1.0 - p);
                        probability *= 1.0 - p;
                        at = first + 1;
                    }
                    choose = choose.min(1.0 - f32::EPSILON);
                }
            }
        }
    }
}

/// A number of the unit interval turned on by a part of it: as random as before.
pub(super) fn turned(v: f32, by: f32) -> f32 {
    (v + by).fract().min(1.0 - f32::EPSILON)
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
        kind: Kind::Triangle,
        number: triangle,
        area,
        power: area * strength,
        aim: Aim::of_surface((b - a).cross(c - a).normalize_or_zero()),
        centre,
        radius: corners
            .iter()
            .map(|p| p.distance(centre))
            .fold(0.0, f32::max),
    })
}

/// A ball round some emitters, with their power.
fn bound(emitters: &[Emitter], parent: u32, start: u32) -> Node {
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
        // In double precision: small lights are not lost beside a sun.
        power: emitters.iter().map(|e| f64::from(e.power)).sum::<f64>() as f32,
        aim: (emitters.iter().map(|e| e.aim))
            .reduce(|a, b| a.with(&b))
            .unwrap_or(Aim::All),
        parent,
        range: [start, start + emitters.len() as u32],
        kind: Kind::Fork(NONE),
    }
}
