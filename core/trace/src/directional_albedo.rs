//! How much a rough mirror gives back, by angle and roughness, computed once.
//!
//! A microfacet surface with Schlick's Fresnel returns `f0 * a + b` of the light (the split sum of
//! Karis 2013); what it loses to scattering between facets is put back by a factor (Turquin 2019,
//! "Practical multiple scattering compensation for microfacet models"). Without this a white rough
//! metal would fail the white furnace.

use crate::microfacet::{smith_g1, smith_g2, visible_normal};
use glam::Vec3;
use std::sync::LazyLock;

const SIZE: usize = 32;
const SAMPLES: u32 = 1024;

/// Values by cosine (fast) and roughness (slow).
struct Table<T> {
    cells: Vec<T>,
}

impl<T> Table<T> {
    fn new(value: impl Fn(f32, f32) -> T) -> Self {
        Self {
            cells: (0..SIZE * SIZE)
                .map(|i| value(cosine_at(i % SIZE), (i / SIZE) as f32 / (SIZE - 1) as f32))
                .collect(),
        }
    }
}

impl<T: Copy> Table<T> {
    fn at(&self, cosine: f32, roughness: f32, mix: impl Fn(T, T, f32) -> T) -> T {
        let x = cosine.clamp(0.0, 1.0).sqrt() * (SIZE - 1) as f32;
        let y = roughness.clamp(0.0, 1.0) * (SIZE - 1) as f32;
        let (i, j) = ((x as usize).min(SIZE - 2), (y as usize).min(SIZE - 2));
        let (fx, fy) = (x - i as f32, y - j as f32);
        let cell = |i: usize, j: usize| self.cells[j * SIZE + i];
        mix(
            mix(cell(i, j), cell(i + 1, j), fx),
            mix(cell(i, j + 1), cell(i + 1, j + 1), fx),
            fy,
        )
    }
}

/// Scale and offset of the mirror's reflectance.
static MIRROR: LazyLock<Table<(f32, f32)>> = LazyLock::new(|| Table::new(integrate));
/// What white cloth gives back.
static SHEEN: LazyLock<Table<f32>> =
    LazyLock::new(|| Table::new(crate::microfacet::sheen_integral));

/// Grid cosines lie closer towards grazing angles, where the albedo bends.
fn cosine_at(i: usize) -> f32 {
    let s = i as f32 / (SIZE - 1) as f32;
    (s * s).max(1e-3)
}

fn integrate(cosine: f32, roughness: f32) -> (f32, f32) {
    let alpha = crate::microfacet::alpha(roughness);
    let wo = Vec3::new((1.0 - cosine * cosine).max(0.0).sqrt(), 0.0, cosine);
    let (mut a, mut b) = (0.0f64, 0.0f64);
    for i in 0..SAMPLES {
        let x = (i as f32 + 0.5) / SAMPLES as f32;
        let y = i.reverse_bits() as f32 / 4_294_967_296.0;
        let h = visible_normal(wo, alpha, (x, y));
        let wi = 2.0 * wo.dot(h) * h - wo;
        if wi.z <= 0.0 {
            continue;
        }
        // Sampling visible normals leaves the weight G2 / G1.
        let weight = f64::from(smith_g2(wo, wi, alpha) / smith_g1(wo, alpha));
        let fresnel = f64::from((1.0 - wo.dot(h).clamp(0.0, 1.0)).powi(5));
        a += weight * (1.0 - fresnel);
        b += weight * fresnel;
    }
    let n = f64::from(SAMPLES);
    ((a / n) as f32, (b / n) as f32)
}

/// Scale and offset of `f0` in the single-scattering albedo.
pub(crate) fn split_sum(cosine: f32, roughness: f32) -> (f32, f32) {
    MIRROR.at(cosine, roughness, |p, q, t| {
        (p.0 + (q.0 - p.0) * t, p.1 + (q.1 - p.1) * t)
    })
}

/// Share of the light that white cloth gives back.
pub(crate) fn sheen_albedo(cosine: f32, roughness: f32) -> f32 {
    SHEEN.at(cosine, roughness, |p, q, t| p + (q - p) * t)
}

/// The factor that puts lost light back, for reflectance `f0` at normal incidence.
pub(crate) fn compensation(f0: Vec3, (a, b): (f32, f32)) -> Vec3 {
    let whole = (a + b).max(1e-3);
    Vec3::ONE + f0 * (1.0 / whole - 1.0)
}

/// Makes the tables now, so that the first picture need not wait for it.
pub(crate) fn prepare() {
    LazyLock::force(&MIRROR);
    LazyLock::force(&SHEEN);
}
