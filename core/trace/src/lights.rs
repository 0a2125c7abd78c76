//! Emissive triangles, chosen in proportion to the power they give.

use crate::scene::Scene;
use glam::{Vec2, Vec3};

/// The emissive triangles of a scene.
#[derive(Default)]
pub struct Lights {
    /// Triangle and the sum of the probabilities up to and including it.
    entries: Vec<(u32, f32)>,
    /// Probability per square metre by triangle, 0 for those that give no light.
    density: Vec<f32>,
}

/// A point on a light.
pub(crate) struct LightPoint {
    pub(crate) position: Vec3,
    pub(crate) normal: Vec3,
    pub(crate) emission: Vec3,
    /// Probability per square metre.
    pub(crate) density: f32,
}

impl Lights {
    /// Number of emissive triangles.
    pub fn len(&self) -> usize {
        self.entries.len()
    }

    /// Whether nothing gives light.
    pub fn is_empty(&self) -> bool {
        self.entries.is_empty()
    }

    pub(crate) fn gather(scene: &Scene) -> Self {
        let mut powers = Vec::new();
        for triangle in 0..scene.triangle_count() as u32 {
            let material = scene.material_of(triangle);
            if !material.emits() {
                continue;
            }
            // A textured light is weighed by a few places of it.
            let places = [(0.33, 0.33), (0.66, 0.17), (0.17, 0.66), (0.17, 0.17)];
            let mean = places
                .iter()
                .map(|&(u, v)| scene.emission(material, scene.uv(triangle, u, v)).element_sum())
                .sum::<f32>()
                / places.len() as f32;
            // A dark texel must not make the whole triangle impossible to choose.
            let strength = mean.max(0.01 * Vec3::from(material.emission).element_sum());
            let [a, b, c] = scene.corners(triangle);
            let area = 0.5 * (b - a).cross(c - a).length();
            if area > 0.0 && strength > 0.0 {
                powers.push((triangle, area, f64::from(area) * f64::from(strength)));
            }
        }
        let total: f64 = powers.iter().map(|p| p.2).sum();
        if total <= 0.0 {
            return Self::default();
        }
        let mut density = vec![0.0; scene.triangle_count()];
        let mut sum = 0.0;
        let entries = powers
            .iter()
            .map(|&(triangle, area, power)| {
                sum += power / total;
                density[triangle as usize] = (power / total / f64::from(area)) as f32;
                (triangle, sum as f32)
            })
            .collect();
        Self { entries, density }
    }

    /// Probability per square metre with which a point of `triangle` is chosen.
    pub(crate) fn density(&self, triangle: u32) -> f32 {
        self.density.get(triangle as usize).copied().unwrap_or(0.0)
    }

    /// A point on a light.
    pub(crate) fn sample(&self, scene: &Scene, choose: f32, (x, y): (f32, f32)) -> Option<LightPoint> {
        let last = self.entries.len().checked_sub(1)?;
        let i = self.entries.partition_point(|e| e.1 <= choose).min(last);
        let triangle = self.entries[i].0;
        let root = x.sqrt();
        let weights = Vec2::new(1.0 - root, root * y);
        let [a, b, c] = scene.corners(triangle);
        Some(LightPoint {
            position: a * (1.0 - weights.x - weights.y) + b * weights.x + c * weights.y,
            normal: (b - a).cross(c - a).normalize_or_zero(),
            emission: scene.emission(
                scene.material_of(triangle),
                scene.uv(triangle, weights.x, weights.y),
            ),
            density: self.density(triangle),
        })
    }
}
