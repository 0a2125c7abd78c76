//! A cut through the tree of lights: clusters among which a place learns which it sees.

use super::tree::{Kind, LightSample, LightTree, Lit, MAX_DEPTH, NONE, Receiver, turned};
use crate::sampler::Sampler;

/// Most clusters.
pub(crate) const CLUSTERS: usize = 64;
/// Nodes that look smaller than this from the eye stay whole, radius by distance.
const SMALL: f32 = 0.01;
/// Candidates where the clusters' chances were learned: more of them promise no more then, and cost time.
const LEARNED_CANDIDATES: u32 = 2;

/// The sum of all chances.
const WHOLE: f32 = u16::MAX as f32;

/// Some nodes of the tree, under one of which every light is.
#[derive(Debug, Default)]
pub(crate) struct Cut {
    nodes: Vec<u32>,
    /// The cluster of each leaf, by its node.
    of: Vec<u8>,
}

impl Cut {
    /// How many clusters there are.
    pub(crate) fn len(&self) -> usize {
        self.nodes.len()
    }
}

/// The chances of the clusters for a place, summed up.
#[derive(Debug, serde::Serialize, serde::Deserialize)]
pub(crate) struct Chances {
    /// In 1/65535: small, since cells are looked up at random.
    #[serde(with = "crate::learned::bytes::shares")]
    sums: [u16; CLUSTERS],
}

impl Chances {
    /// From weights; nothing if all are 0.
    pub(crate) fn new(weights: &[f32]) -> Option<Self> {
        let mut sums = [0.0; CLUSTERS];
        let mut whole = 0.0;
        for (i, sum) in sums.iter_mut().enumerate() {
            whole += weights.get(i).copied().unwrap_or(0.0);
            *sum = whole;
        }
        if !(whole > 0.0 && whole.is_finite()) {
            return None;
        }
        Some(Self {
            sums: sums.map(|sum: f32| (sum / whole * WHOLE).round() as u16),
        })
    }

    /// Whether they could have been learned where there are so many clusters.
    pub(crate) fn are_sound(&self, clusters: usize) -> bool {
        crate::learned::bytes::summed_up(&self.sums) && self.below(clusters) == WHOLE
    }

    fn below(&self, cluster: usize) -> f32 {
        if cluster > 0 {
            f32::from(self.sums[cluster - 1])
        } else {
            0.0
        }
    }

    pub(crate) fn share(&self, cluster: usize) -> f32 {
        (f32::from(self.sums[cluster]) - self.below(cluster)) / WHOLE
    }

    /// A cluster, its chance, and what is left of the number.
    fn choose(&self, x: f32) -> (usize, f32, f32) {
        let wanted = x * WHOLE;
        let cluster = (self.sums)
            .partition_point(|v| f32::from(*v) <= wanted)
            .min(CLUSTERS - 1);
        let share = self.share(cluster);
        let left = (wanted - self.below(cluster)) / (share * WHOLE).max(1e-30);
        (cluster, share, left.clamp(0.0, 1.0 - f32::EPSILON))
    }
}

impl LightTree {
    /// The clusters for what an eye at a place sees: what gives it most and looks largest is divided first.
    pub(crate) fn cut(&self, eye: glam::Vec3) -> Cut {
        if self.nodes.is_empty() {
            return Cut::default();
        }
        let to = Receiver {
            position: eye,
            normal: None,
        };
        let worth = |node: u32| {
            let n = &self.nodes[node as usize];
            let size = n.radius / (n.centre.distance(eye) + n.radius).max(1e-12);
            match n.kind {
                Kind::Fork(_) if size > SMALL => n.importance(&to) * size,
                _ => 0.0,
            }
        };
        let mut nodes = vec![(0u32, worth(0))];
        while nodes.len() < CLUSTERS {
            let widest = nodes
                .iter()
                .enumerate()
                .max_by(|a, b| a.1.1.total_cmp(&b.1.1).then(b.0.cmp(&a.0)));
            let Some((i, &(node, best))) = widest else {
                break;
            };
            let Kind::Fork(first) = self.nodes[node as usize].kind else {
                break;
            };
            if best <= 0.0 {
                break;
            }
            nodes[i] = (first, worth(first));
            nodes.push((first + 1, worth(first + 1)));
        }
        let mut of = vec![0; self.nodes.len()];
        for (cluster, (node, _)) in nodes.iter().enumerate() {
            let [start, end] = self.nodes[*node as usize].range;
            for leaf in &self.in_order[start as usize..end as usize] {
                of[*leaf as usize] = cluster as u8;
            }
        }
        Cut {
            nodes: nodes.into_iter().map(|(node, _)| node).collect(),
            of,
        }
    }

    /// What a cluster may give to a receiver if nothing stands between, up to a common factor.
    pub(crate) fn promise_of(&self, cut: &Cut, cluster: usize, to: &Receiver) -> f32 {
        self.nodes[cut.nodes[cluster] as usize].importance(to)
    }

    /// The cluster of a chosen light.
    pub(crate) fn cluster_of(&self, cut: &Cut, sample: &LightSample) -> usize {
        let leaf = match sample {
            LightSample::Area { leaf, .. } | LightSample::Lamp { leaf, .. } => *leaf,
        };
        usize::from(cut.of[leaf as usize])
    }

    /// Points on the lights as [`LightTree::sample_many`] gives them, by chances that a place learned.
    pub(crate) fn sample_by(
        &self,
        (cut, chances): (&Cut, &Chances),
        lit: Lit,
        to: &Receiver,
        budget: u32,
        sampler: &mut Sampler,
        found: &mut impl FnMut(LightSample, f32),
    ) {
        for _ in 0..budget {
            let choose = sampler.next_1d();
            let place = sampler.next_2d();
            let pick = sampler.next_1d();
            let candidate = |x: f32, place: (f32, f32)| {
                let (cluster, share, left) = chances.choose(x);
                let start = *cut.nodes.get(cluster)?;
                let mut sample = self.sample(start, lit, to, left, place)?;
                match &mut sample {
                    LightSample::Area { area, .. } => area.pdf *= share,
                    LightSample::Lamp { chance, .. } => *chance *= share,
                }
                Some(sample)
            };
            self.best_of(
                (LEARNED_CANDIDATES, candidate),
                to,
                choose,
                place,
                pick,
                &mut |sample, factor| {
                    found(sample, factor / budget as f32);
                },
            );
        }
    }

    /// Probability per steradian, as [`LightTree::density`] gives it, by chances that a place learned.
    pub(crate) fn density_by(
        &self,
        (cut, chances): (&Cut, &Chances),
        triangle: u32,
        to: &Receiver,
        seen: (f32, f32),
    ) -> f32 {
        let Some(leaf) = self.leaf_of(triangle) else {
            return 0.0;
        };
        let Some(piece) = self.piece(leaf) else {
            return 0.0;
        };
        let cluster = usize::from(cut.of[leaf as usize]);
        let top = cut.nodes[cluster];
        let mut way = [0; MAX_DEPTH];
        let mut length = 0;
        let mut node = leaf;
        while node != top && self.nodes[node as usize].parent != NONE {
            way[length] = node;
            length += 1;
            node = self.nodes[node as usize].parent;
        }
        let Some(below) = self.chance_below(&way[..length], node, to) else {
            return 0.0;
        };
        let probability = below * chances.share(cluster);
        piece.density(to.position, seen, probability)
    }

    /// The chance with which [`LightTree::sample`] goes from a node down a way (from its end up) to a leaf.
    fn chance_below(&self, way: &[u32], mut node: u32, to: &Receiver) -> Option<f32> {
        let mut probability = 1.0;
        for &child in way.iter().rev() {
            let here = &self.nodes[node as usize];
            if let Kind::Fork(first) = here.kind {
                if self.is_point(here, to) {
                    let leaf = self.nodes[way[0] as usize].range;
                    return Some(probability * (self.power(leaf) / self.power(here.range)) as f32);
                }
                let p = self.chance_of_first(first, to)?;
                probability *= if child == first { p } else { 1.0 - p };
            }
            node = child;
        }
        Some(probability)
    }
}

impl LightTree {
    /// Of `most` candidates one is taken in proportion to what it would give if nothing stood between
    /// (resampled importance sampling, Talbot 2005); the factor that makes up for the choice goes with it.
    /// The candidates may be spread evenly: each alone is still distributed as it says.
    pub(super) fn best_of<'a>(
        &self,
        (most, candidate): (u32, impl Fn(f32, (f32, f32)) -> Option<LightSample<'a>>),
        to: &Receiver,
        choose: f32,
        place: (f32, f32),
        mut pick: f32,
        found: &mut impl FnMut(LightSample, f32),
    ) {
        let mut whole = 0.0;
        let mut taken: Option<(LightSample, f32)> = None;
        for k in 0..most {
            let step = k as f32 / most as f32;
            let place = (turned(place.0, step), turned(place.1, step * 0.618_034));
            let Some(sample) = candidate(turned(choose, step), place) else {
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
            found(sample, whole / most as f32 / promise);
        }
    }
}
