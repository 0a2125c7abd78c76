//! How much a rough mirror gives back, by angle and roughness.
//!
//! A microfacet surface with Schlick's Fresnel returns `f0 * a + b` of the light (the split sum of
//! Karis 2013); what it loses to scattering between facets is put back by a factor (Turquin 2019,
//! "Practical multiple scattering compensation for microfacet models"). Without this a white rough
//! metal would fail the white furnace.
//!
//! The integrals lie in a file: computing them takes a quarter of a second of a core (2026-12-01), in every program that draws a
//! picture. A test computes them anew.

#[cfg(test)]
mod integrals;

use glam::Vec3;
use std::sync::LazyLock;

/// The tables, one after another: of mirrors, of cloth, of rough glass from outside and from within. Little-endian `f32`.
const KEPT: &[u8] = include_bytes!("directional_albedo/tables.bin");
/// Cosines, and roughnesses, of the first two.
const SIZE: usize = 32;
/// Where the numbers of each table begin.
const SHEEN_AT: usize = 2 * SIZE * SIZE;
const GLASS_AT: usize = SHEEN_AT + SIZE * SIZE;

/// So many of the kept numbers from one on.
fn kept(from: usize, count: usize) -> Vec<f32> {
    let numbers = KEPT.as_chunks::<4>().0;
    (numbers[from..from + count].iter())
        .map(|bytes| f32::from_le_bytes(*bytes))
        .collect()
}

/// Values by cosine (fast) and roughness (slow).
struct Table<T> {
    cells: Vec<T>,
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
static MIRROR: LazyLock<Table<(f32, f32)>> = LazyLock::new(|| Table {
    cells: kept(0, SHEEN_AT)
        .as_chunks()
        .0
        .iter()
        .map(|&[a, b]| (a, b))
        .collect(),
});
/// What white cloth gives back.
static SHEEN: LazyLock<Table<f32>> = LazyLock::new(|| Table {
    cells: kept(SHEEN_AT, SIZE * SIZE),
});

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
/// Indices that the table knows; others are taken for the nearest.
const INDICES: (f32, f32) = (1.0, 2.5);

/// What rough glass gives back and lets through together without what is scattered between its facets: by index, roughness and
/// cosine, seen from outside and from within.
static ROUGH_GLASS: LazyLock<[Vec<RoughGlass>; 2]> = LazyLock::new(|| {
    let count = 2 * GLASS.iter().product::<usize>();
    [0, 1].map(|inside| {
        let numbers = kept(GLASS_AT + inside * count, count);
        (numbers.as_chunks().0.iter())
            .map(|&[reflected, whole]| RoughGlass { reflected, whole })
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
