//! Microfacets: how rough surfaces spread directions (Trowbridge and Reitz's distribution, Smith's masking).

use glam::Vec3;
use std::f32::consts::PI;

/// GGX density of facet normals.
pub(crate) fn ggx_d(h: Vec3, alpha: f32) -> f32 {
    let a2 = alpha * alpha;
    // 1 - z^2 from x and y: exact where a mirror's normals crowd round the pole.
    let t = (h.x * h.x + h.y * h.y) + a2 * h.z * h.z;
    a2 / (PI * t * t).max(1e-30)
}

fn lambda(w: Vec3, alpha: f32) -> f32 {
    let tan2 = (w.x * w.x + w.y * w.y) / (w.z * w.z).max(1e-12);
    ((1.0 + alpha * alpha * tan2).sqrt() - 1.0) / 2.0
}

/// Smith's masking of one direction.
pub(crate) fn smith_g1(w: Vec3, alpha: f32) -> f32 {
    1.0 / (1.0 + lambda(w, alpha))
}

/// Smith's height-correlated masking and shadowing.
pub(crate) fn smith_g2(wo: Vec3, wi: Vec3, alpha: f32) -> f32 {
    1.0 / (1.0 + lambda(wo, alpha) + lambda(wi, alpha))
}

/// A facet normal in proportion to how much `wo` sees of it (Heitz 2018, JCGT 7(4)).
pub(crate) fn visible_normal(wo: Vec3, alpha: f32, (x, y): (f32, f32)) -> Vec3 {
    let v = Vec3::new(alpha * wo.x, alpha * wo.y, wo.z).normalize();
    let t1 = if v.z < 0.9999 {
        Vec3::Z.cross(v).normalize()
    } else {
        Vec3::X
    };
    let t2 = v.cross(t1);
    let r = x.sqrt();
    let (sin, cos) = (2.0 * PI * y).sin_cos();
    let p1 = r * cos;
    let s = 0.5 * (1.0 + v.z);
    let p2 = (1.0 - s) * (1.0 - p1 * p1).max(0.0).sqrt() + s * r * sin;
    let n = p1 * t1 + p2 * t2 + (1.0 - p1 * p1 - p2 * p2).max(0.0).sqrt() * v;
    Vec3::new(alpha * n.x, alpha * n.y, n.z.max(1e-6)).normalize()
}

/// A direction above the surface with density cosine / pi (Malley's method, concentric disc).
pub(crate) fn cosine_hemisphere((x, y): (f32, f32)) -> Vec3 {
    let (a, b) = (2.0 * x - 1.0, 2.0 * y - 1.0);
    let (r, phi) = if a == 0.0 && b == 0.0 {
        (0.0, 0.0)
    } else if a.abs() > b.abs() {
        (a, PI / 4.0 * (b / a))
    } else {
        (b, PI / 2.0 - PI / 4.0 * (a / b))
    };
    let (sin, cos) = phi.sin_cos();
    Vec3::new(r * cos, r * sin, (1.0 - r * r).max(0.0).sqrt())
}

/// GGX width from glTF's roughness; not quite zero, so that a mirror still has a density.
pub(crate) fn alpha(roughness: f32) -> f32 {
    (roughness * roughness).max(1e-3)
}

/// Width of the cloth's lobe from its roughness; below this the lobe is too narrow to be summed.
pub(crate) fn sheen_alpha(roughness: f32) -> f32 {
    (roughness * roughness).max(1e-2)
}

/// The cloth's answer (Estevez and Kulla 2017, "Production friendly microfacet sheen BRDF", with the
/// visibility of Neubelt and Pettineo 2013, as KHR_materials_sheen allows).
pub(crate) fn sheen_value(wo: Vec3, wi: Vec3, h: Vec3, alpha: f32) -> f32 {
    let sin2 = (1.0 - h.z * h.z).max(0.0);
    let d = (2.0 + 1.0 / alpha) * sin2.powf(0.5 / alpha) / (2.0 * PI);
    let v = 1.0 / (4.0 * (wo.z + wi.z - wo.z * wi.z)).max(1e-4);
    d * v
}
