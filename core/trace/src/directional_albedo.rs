//! How much a rough mirror gives back, by angle and roughness, computed once.
//!
//! A microfacet surface with Schlick's Fresnel returns `f0 * a + b` of the light (the split sum of
//! Karis 2013); what it loses to scattering between facets is put back by a factor (Turquin 2019,
//! "Practical multiple scattering compensation for microfacet models"). Without this a white rough
//! metal would fail the white furnace.

use crate::bsdf::{fresnel, refract};
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

/// Cosines, roughnesses and indices of the table of rough glass.
const GLASS: [usize; 3] = [16, 12, 10];
const GLASS_SAMPLES: u32 = 192;
/// Indices that the table knows; others are taken for the nearest.
const INDICES: (f32, f32) = (1.0, 2.5);

/// What rough glass gives back and lets through together without what is scattered between its facets: by index, roughness and
/// cosine, seen from outside and from within.
static ROUGH_GLASS: LazyLock<[Vec<RoughGlass>; 2]> = LazyLock::new(|| {
    let [cosines, roughnesses, indices] = GLASS;
    [false, true].map(|inside| {
        (0..cosines * roughnesses * indices)
            .map(|i| {
                let part = |i: usize, n: usize| i as f32 / (n - 1) as f32;
                let cosine = part(i % cosines, cosines).powi(2).max(1e-3);
                let roughness = part(i / cosines % roughnesses, roughnesses);
                let index =
                    INDICES.0 + (INDICES.1 - INDICES.0) * part(i / cosines / roughnesses, indices);
                let eta = if inside { 1.0 / index } else { index };
                glass_integral(cosine, roughness, eta)
            })
            .collect()
    })
});

/// Shares of the light that rough glass scatters once.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct RoughGlass {
    /// Given back.
    pub(crate) reflected: f32,
    /// Given back and let through together; what is missing is scattered between the facets.
    pub(crate) whole: f32,
}

impl RoughGlass {
    /// Let through.
    pub(crate) fn through(&self) -> f32 {
        (self.whole - self.reflected).max(0.0)
    }
}

fn glass_integral(cosine: f32, roughness: f32, eta: f32) -> RoughGlass {
    let alpha = crate::microfacet::alpha(roughness);
    let wo = Vec3::new((1.0 - cosine * cosine).max(0.0).sqrt(), 0.0, cosine);
    let (mut back, mut through) = (0.0f64, 0.0f64);
    for i in 0..GLASS_SAMPLES {
        let x = (i as f32 + 0.5) / GLASS_SAMPLES as f32;
        let y = i.reverse_bits() as f32 / 4_294_967_296.0;
        let h = visible_normal(wo, alpha, (x, y));
        let reflected = fresnel(wo.dot(h), eta);
        let kept = |wi: Vec3| smith_g2(wo, wi, alpha) / smith_g1(wo, alpha);
        let mirrored = 2.0 * wo.dot(h) * h - wo;
        if mirrored.z > 0.0 {
            back += f64::from(reflected * kept(mirrored));
        }
        if let Some(wi) = refract(wo, h, eta) {
            through += f64::from((1.0 - reflected) * kept(Vec3::new(wi.x, wi.y, -wi.z)));
        }
    }
    let mean = |sum: f64| (sum / f64::from(GLASS_SAMPLES)) as f32;
    RoughGlass {
        reflected: mean(back),
        whole: mean(back + through),
    }
}

/// What rough glass does with light that it scatters once, for an index beyond the surface relative to the one before it. The inverse
/// of the whole is the factor that puts lost light back.
pub(crate) fn rough_glass(cosine: f32, roughness: f32, eta: f32) -> RoughGlass {
    let [cosines, roughnesses, indices] = GLASS;
    let inside = eta < 1.0;
    let index = if inside { 1.0 / eta } else { eta };
    let along = |v: f32, n: usize| {
        let v = v.clamp(0.0, 1.0) * (n - 1) as f32;
        let i = (v as usize).min(n - 2);
        (i, v - i as f32)
    };
    let (i, fi) = along(cosine.max(0.0).sqrt(), cosines);
    let (j, fj) = along(roughness, roughnesses);
    let (k, fk) = along((index - INDICES.0) / (INDICES.1 - INDICES.0), indices);
    let table = &ROUGH_GLASS[usize::from(inside)];
    let mut mixed = RoughGlass::default();
    for corner in 0..8usize {
        let (a, b, c) = (corner & 1, corner >> 1 & 1, corner >> 2);
        let weight = |bit: usize, f: f32| if bit == 1 { f } else { 1.0 - f };
        let at = ((k + c) * roughnesses + j + b) * cosines + i + a;
        let share = weight(a, fi) * weight(b, fj) * weight(c, fk);
        mixed.reflected += table[at].reflected * share;
        mixed.whole += table[at].whole * share;
    }
    mixed.whole = mixed.whole.max(0.1);
    mixed
}

/// Makes the tables now, so that the first picture need not wait for it.
pub(crate) fn prepare() {
    LazyLock::force(&MIRROR);
    LazyLock::force(&SHEEN);
    LazyLock::force(&ROUGH_GLASS);
}
