//! The integrals whose values are kept, and that they are those.

use super::{GLASS, INDICES, KEPT, RoughGlass, SIZE};
use crate::bsdf::{fresnel, refract};
use crate::microfacet::{
    alpha, cosine_hemisphere, sheen_alpha, sheen_value, smith_g1, smith_g2, visible_normal,
};
use glam::Vec3;
use std::f32::consts::PI;

const SAMPLES: u32 = 1024;
const GLASS_SAMPLES: u32 = 192;

/// Grid cosines lie closer towards grazing angles, where the albedo bends.
fn cosine_at(i: usize) -> f32 {
    let s = i as f32 / (SIZE - 1) as f32;
    (s * s).max(1e-3)
}

fn integrate(cosine: f32, roughness: f32) -> (f32, f32) {
    let width = alpha(roughness);
    let wo = Vec3::new((1.0 - cosine * cosine).max(0.0).sqrt(), 0.0, cosine);
    let (mut a, mut b) = (0.0f64, 0.0f64);
    for i in 0..SAMPLES {
        let x = (i as f32 + 0.5) / SAMPLES as f32;
        let y = i.reverse_bits() as f32 / 4_294_967_296.0;
        let h = visible_normal(wo, width, (x, y));
        let wi = 2.0 * wo.dot(h) * h - wo;
        if wi.z <= 0.0 {
            continue;
        }
        // Sampling visible normals leaves the weight G2 / G1.
        let weight = f64::from(smith_g2(wo, wi, width) / smith_g1(wo, width));
        let fresnel = f64::from((1.0 - wo.dot(h).clamp(0.0, 1.0)).powi(5));
        a += weight * (1.0 - fresnel);
        b += weight * fresnel;
    }
    let n = f64::from(SAMPLES);
    ((a / n) as f32, (b / n) as f32)
}

/// Share of the light that white cloth gives back evenly lit.
fn sheen_integral(cosine: f32, roughness: f32) -> f32 {
    let wo = Vec3::new((1.0 - cosine * cosine).max(0.0).sqrt(), 0.0, cosine);
    let alpha = sheen_alpha(roughness);
    let mut sum = 0.0f64;
    for i in 0..SAMPLES {
        let x = (i as f32 + 0.5) / SAMPLES as f32;
        let y = i.reverse_bits() as f32 / 4_294_967_296.0;
        let wi = cosine_hemisphere((x, y));
        let h = (wo + wi).normalize_or_zero();
        sum += f64::from(sheen_value(wo, wi, h, alpha) * PI);
    }
    ((sum / f64::from(SAMPLES)) as f32).clamp(0.0, 1.0)
}

fn glass_integral(cosine: f32, roughness: f32, eta: f32) -> RoughGlass {
    let width = alpha(roughness);
    let wo = Vec3::new((1.0 - cosine * cosine).max(0.0).sqrt(), 0.0, cosine);
    let (mut back, mut through) = (0.0f64, 0.0f64);
    for i in 0..GLASS_SAMPLES {
        let x = (i as f32 + 0.5) / GLASS_SAMPLES as f32;
        let y = i.reverse_bits() as f32 / 4_294_967_296.0;
        let h = visible_normal(wo, width, (x, y));
        let reflected = fresnel(wo.dot(h), eta);
        let kept = |wi: Vec3| smith_g2(wo, wi, width) / smith_g1(wo, width);
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

/// All of them in the order in which they are kept.
fn computed() -> Vec<f32> {
    let squares =
        || (0..SIZE * SIZE).map(|i| (cosine_at(i % SIZE), (i / SIZE) as f32 / (SIZE - 1) as f32));
    let mirrors = squares().flat_map(|(c, r)| <[f32; 2]>::from(integrate(c, r)));
    let cloth = squares().map(|(c, r)| sheen_integral(c, r));
    let [cosines, roughnesses, indices] = GLASS;
    let part = |i: usize, n: usize| i as f32 / (n - 1) as f32;
    let glass = [false, true].into_iter().flat_map(|inside| {
        (0..cosines * roughnesses * indices).flat_map(move |i| {
            let cosine = part(i % cosines, cosines).powi(2).max(1e-3);
            let roughness = part(i / cosines % roughnesses, roughnesses);
            let (least, most) = INDICES;
            let index = least + (most - least) * part(i / cosines / roughnesses, indices);
            let eta = if inside { 1.0 / index } else { index };
            let RoughGlass { reflected, whole } = glass_integral(cosine, roughness, eta);
            [reflected, whole]
        })
    });
    mirrors.chain(cloth).chain(glass).collect()
}

/// What is kept is what the integrals give. Where they change, this writes them anew if `OWL_DOME_WRITE_TABLES` is set.
#[test]
fn kept_tables_are_the_integrals() {
    let computed = computed();
    if std::env::var_os("OWL_DOME_WRITE_TABLES").is_some() {
        let path = concat!(
            env!("CARGO_MANIFEST_DIR"),
            "/src/directional_albedo/tables.bin"
        );
        let bytes: Vec<u8> = computed.iter().flat_map(|v| v.to_le_bytes()).collect();
        std::fs::write(path, bytes).unwrap();
        return;
    }
    assert_eq!(KEPT.len(), 4 * computed.len());
    for (i, (bytes, wanted)) in KEPT.as_chunks().0.iter().zip(&computed).enumerate() {
        let kept = f32::from_le_bytes(*bytes);
        assert!(
            (kept - wanted).abs() < 1e-5,
            "{i}: {kept} is kept, {wanted} computed"
        );
    }
}
