//! How a surface answers light: a diffuse base under a microfacet mirror (glTF 2.0, appendix B), GGX
//! distribution with Smith's height-correlated shadowing, sampled by visible normals (Heitz 2018).
//!
//! Directions point away from the surface, in a frame whose z is the shading normal.

use crate::directional_albedo::{compensation, split_sum};
use glam::Vec3;
use std::f32::consts::PI;

/// The material at one point, as glTF tells it.
#[derive(Clone, Copy, Debug)]
pub struct Gloss {
    /// Base colour, linear, 0 to 1.
    pub base: Vec3,
    /// 0 dielectric to 1 metal.
    pub metallic: f32,
    /// 0 smooth to 1 rough.
    pub roughness: f32,
    /// How strongly the dielectric part mirrors, 0 to 1 (KHR_materials_specular).
    pub specular: f32,
    /// Index of refraction of the dielectric part (KHR_materials_ior).
    pub ior: f32,
}

/// Reflectance of a dielectric at normal incidence (Fresnel): ((n - 1) / (n + 1))^2.
pub fn dielectric_f0(ior: f32) -> f32 {
    ((ior - 1.0) / (ior + 1.0)).powi(2)
}

/// GGX width from glTF's roughness; not quite zero, so that a mirror still has a density.
pub fn alpha(roughness: f32) -> f32 {
    (roughness * roughness).max(1e-3)
}

/// The surface's answer at one point for one outgoing direction.
pub struct Bsdf {
    wo: Vec3,
    alpha: f32,
    f0: Vec3,
    /// Reflectance at grazing incidence.
    f90: f32,
    /// Albedo of the base, lowered by what the coat reflects.
    diffuse: Vec3,
    compensation: Vec3,
    /// Probability of sampling the mirror.
    mirror: f32,
}

/// A sampled direction.
pub struct Sampled {
    /// Where the light comes from.
    pub wi: Vec3,
    /// Value times cosine, divided by the density.
    pub weight: Vec3,
    /// Density per steradian.
    pub pdf: f32,
}

fn schlick(f0: Vec3, f90: f32, cosine: f32) -> Vec3 {
    f0 + (Vec3::splat(f90) - f0) * (1.0 - cosine.clamp(0.0, 1.0)).powi(5)
}

impl Bsdf {
    /// The answer for light leaving along `wo`, which must lie above the surface.
    pub fn new(gloss: &Gloss, wo: Vec3) -> Self {
        let Gloss {
            base,
            metallic,
            roughness,
            specular,
            ior,
        } = *gloss;
        let split = split_sum(wo.z, roughness);
        let plain = Vec3::splat(dielectric_f0(ior) * specular);
        let f0 = plain.lerp(base, metallic);
        let f90 = specular + (1.0 - specular) * metallic;
        let albedo = |f0: Vec3, f90: f32| compensation(f0, split) * (f0 * split.0 + f90 * split.1);
        let coat = albedo(plain, specular).x.min(1.0);
        let diffuse = base * (1.0 - metallic) * (1.0 - coat);
        let mirror_share = albedo(f0, f90).element_sum();
        let whole = mirror_share + diffuse.element_sum();
        Self {
            wo,
            alpha: alpha(roughness),
            f0,
            f90,
            diffuse,
            compensation: compensation(f0, split),
            // Both lobes keep a chance, so that neither can be missed by the other's density.
            mirror: if whole > 0.0 {
                (mirror_share / whole).clamp(0.05, 0.95)
            } else {
                0.5
            },
        }
    }

    /// Value times cosine for light from `wi`, and the density with which [`Bsdf::sample`] finds it.
    pub fn evaluate(&self, wi: Vec3) -> (Vec3, f32) {
        let (no, ni) = (self.wo.z, wi.z);
        if no <= 0.0 || ni <= 0.0 {
            return (Vec3::ZERO, 0.0);
        }
        let h = (self.wo + wi).normalize_or_zero();
        let d = ggx_d(h, self.alpha);
        let g2 = smith_g2(self.wo, wi, self.alpha);
        let fresnel = schlick(self.f0, self.f90, self.wo.dot(h));
        let mirror = fresnel * self.compensation * (d * g2 / (4.0 * no));
        let diffuse = self.diffuse * (ni / PI);
        let mirror_pdf = smith_g1(self.wo, self.alpha) * d / (4.0 * no);
        let pdf = self.mirror * mirror_pdf + (1.0 - self.mirror) * ni / PI;
        (mirror + diffuse, pdf)
    }

    /// A direction in proportion to the answer.
    pub fn sample(&self, choose: f32, point: (f32, f32)) -> Option<Sampled> {
        let wi = if choose < self.mirror {
            let h = visible_normal(self.wo, self.alpha, point);
            2.0 * self.wo.dot(h) * h - self.wo
        } else {
            cosine_hemisphere(point)
        };
        let (value, pdf) = self.evaluate(wi);
        (pdf > 0.0 && wi.z > 0.0).then(|| Sampled {
            wi,
            weight: value / pdf,
            pdf,
        })
    }
}

/// GGX density of facet normals.
fn ggx_d(h: Vec3, alpha: f32) -> f32 {
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
