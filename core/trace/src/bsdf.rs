//! How a surface answers light: a diffuse base under a microfacet mirror (glTF 2.0, appendix B), GGX
//! distribution with Smith's height-correlated shadowing, sampled by visible normals (Heitz 2018).
//!
//! Directions point away from the surface, in a frame whose z is the shading normal.

use crate::directional_albedo::{compensation, rough_glass, sheen_albedo, split_sum};
use crate::microfacet::{
    alpha, cosine_hemisphere, ggx_d, sheen_alpha, sheen_value, smith_g1, smith_g2, visible_normal,
};
use glam::{Mat3, Vec3};
use std::f32::consts::PI;

/// The material at one point, as glTF tells it. Normals are in the frame of the shading normal.
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
    /// Tint of that mirror at normal incidence (KHR_materials_specular).
    pub specular_colour: Vec3,
    /// Index of refraction of the dielectric part (KHR_materials_ior).
    pub ior: f32,
    /// Share that goes through instead of being scattered (KHR_materials_transmission).
    pub transmission: f32,
    /// Whether what goes through is not bent: a thin wall without a body behind it.
    pub thin: bool,
    /// Whether the viewer is inside the body.
    pub inside: bool,
    /// Index of refraction of what is round the body.
    pub around: f32,
    /// Weight of the lacquer, 0 to 1 (KHR_materials_clearcoat).
    pub coat: f32,
    /// Roughness of the lacquer.
    pub coat_roughness: f32,
    /// Normal of the lacquer if it has its own.
    pub coat_normal: Option<Vec3>,
    /// Colour of the cloth's shine (KHR_materials_sheen).
    pub sheen: Vec3,
    /// Width of that shine.
    pub sheen_roughness: f32,
}

impl Gloss {
    /// A matt surface of one colour.
    pub fn matt(base: Vec3) -> Self {
        Self {
            base,
            metallic: 0.0,
            roughness: 1.0,
            specular: 0.0,
            specular_colour: Vec3::ONE,
            ior: 1.5,
            transmission: 0.0,
            thin: true,
            inside: false,
            around: 1.0,
            coat: 0.0,
            coat_roughness: 0.0,
            coat_normal: None,
            sheen: Vec3::ZERO,
            sheen_roughness: 0.0,
        }
    }

    /// Whether what it lets through goes on in the same direction.
    fn passes_straight(&self) -> bool {
        self.thin && self.is_smooth()
    }

    /// Whether it is so smooth that what goes through keeps its direction, but for bending.
    pub fn is_smooth(&self) -> bool {
        self.roughness < STRAIGHT_ROUGHNESS
    }

    /// The part of the colour that scatters light evenly; what the albedo pass shows.
    pub fn albedo(&self) -> Vec3 {
        self.base * (1.0 - self.metallic) * (1.0 - self.transmission)
    }
}

/// Thin walls smoother than this let light straight through.
const STRAIGHT_ROUGHNESS: f32 = 0.05;
/// A lobe wider than that (GGX alpha) is about as even as even scattering.
const ROUGH: f32 = 0.3;
/// Reflectance of lacquer at normal incidence: index 1.5.
const COAT_F0: f32 = 0.04;

/// Reflectance of a dielectric at normal incidence (Fresnel): ((n - 1) / (n + 1))^2.
pub fn dielectric_f0(ior: f32) -> f32 {
    ((ior - 1.0) / (ior + 1.0)).powi(2)
}

/// Fresnel's reflectance of unpolarised light that meets a dielectric at a cosine; `eta` is the index
/// beyond the surface divided by the one before it. 1 where nothing goes through.
pub fn fresnel(cosine: f32, eta: f32) -> f32 {
    let c = cosine.clamp(0.0, 1.0);
    let sin2 = (1.0 - c * c) / (eta * eta);
    if sin2 >= 1.0 {
        return 1.0;
    }
    let t = (1.0 - sin2).sqrt();
    let parallel = (eta * c - t) / (eta * c + t);
    let across = (c - eta * t) / (c + eta * t);
    (parallel * parallel + across * across) / 2.0
}

/// The surface's answer at one point for one outgoing direction.
pub struct Bsdf {
    wo: Vec3,
    alpha: f32,
    f0: Vec3,
    /// Reflectance at grazing incidence.
    f90: f32,
    /// Exact Fresnel for bodies of glass: the relative index, and the share of glass against metal.
    glass: Option<(f32, f32)>,
    compensation: Vec3,
    /// What lies below lacquer and cloth keeps this share.
    below: f32,
    /// Albedo of the base, lowered by what the mirror reflects.
    diffuse: Vec3,
    /// Colour of what goes through, before Fresnel.
    through: Vec3,
    coat: Option<CoatLobe>,
    sheen: Vec3,
    sheen_alpha: f32,
    /// What goes straight on.
    straight: Vec3,
    /// Probability of sampling each lobe: lacquer, mirror, through, diffuse.
    choices: [f32; 4],
}

struct CoatLobe {
    weight: f32,
    alpha: f32,
    /// Turns the frame so that the lacquer's normal is its z.
    frame: Option<Mat3>,
    wo: Vec3,
}

impl CoatLobe {
    fn local(&self, w: Vec3) -> Vec3 {
        self.frame.map_or(w, |m| m.transpose() * w)
    }
}

/// A surface's answer in one direction.
#[derive(Clone, Copy, Debug)]
pub struct Answer {
    /// Value times cosine of the evenly scattered part.
    pub diffuse: Vec3,
    /// Value times cosine of all else.
    pub specular: Vec3,
    /// Density with which [`Bsdf::sample`] finds the direction, per steradian.
    pub pdf: f32,
}

impl Answer {
    /// Less of it, with the same density: of what is scattered evenly a share, of a mirror's light as much of that share as it is
    /// rough. What a smooth mirror shows is there or not.
    pub fn dim(&mut self, share: f32, roughness: f32) {
        self.diffuse *= share;
        self.specular *= 1.0 - roughness * (1.0 - share);
    }
}

/// A sampled direction.
pub struct Sampled {
    /// Where the light comes from.
    pub wi: Vec3,
    /// The answer there.
    pub answer: Answer,
}

fn schlick(f0: Vec3, f90: f32, cosine: f32) -> Vec3 {
    f0 + (Vec3::splat(f90) - f0) * (1.0 - cosine.clamp(0.0, 1.0)).powi(5)
}

impl Bsdf {
    /// The answer for light leaving along `wo`, which must lie above the surface.
    pub fn new(gloss: &Gloss, wo: Vec3) -> Self {
        let g = gloss;
        let split = split_sum(wo.z, g.roughness);
        let normal_f0 = dielectric_f0(g.ior / g.around);
        let plain = (g.specular_colour * normal_f0).min(Vec3::ONE) * g.specular;
        let f0 = plain.lerp(g.base, g.metallic);
        let f90 = g.specular + (1.0 - g.specular) * g.metallic;
        let albedo = |f0: Vec3, f90: f32| compensation(f0, split) * (f0 * split.0 + f90 * split.1);
        let glass = (g.transmission > 0.0 && !g.thin).then(|| {
            let relative = g.ior / g.around;
            let eta = if g.inside { 1.0 / relative } else { relative };
            (eta.max(1e-3), 1.0 - g.metallic)
        });
        // What the dielectric's mirror takes from the base.
        let taken = match glass {
            Some((eta, _)) => Vec3::splat(fresnel(wo.z, eta)),
            None => albedo(plain, g.specular).min(Vec3::ONE),
        };
        let base = g.base * (1.0 - g.metallic) * (1.0 - taken.max_element());
        let diffuse = base * (1.0 - g.transmission);
        let goes = base * g.transmission;
        // Of rough glass some facets let through what a smooth face would reflect wholly.
        let rough = glass.map(|(eta, _)| rough_glass(wo.z, g.roughness, eta));
        let (straight, through_share) = match rough {
            _ if g.passes_straight() => (goes, Vec3::ZERO),
            Some(rough) => (
                Vec3::ZERO,
                g.base * ((1.0 - g.metallic) * g.transmission * rough.through()),
            ),
            None => (Vec3::ZERO, goes),
        };
        let through = if through_share == Vec3::ZERO && glass.is_none() {
            Vec3::ZERO
        } else {
            g.base * (1.0 - g.metallic) * g.transmission
        };
        // What a rough thin wall loses between its facets is put back, as for the mirror.
        let through = if glass.is_none() {
            through / (split.0 + split.1).max(1e-3)
        } else {
            through
        };

        let coat = (g.coat > 0.0).then(|| {
            let frame = g.coat_normal.map(|n| {
                let (x, y) = n.any_orthonormal_pair();
                Mat3::from_cols(x, y, n)
            });
            let mut lobe = CoatLobe {
                weight: g.coat,
                alpha: alpha(g.coat_roughness),
                frame,
                wo,
            };
            lobe.wo = lobe.local(wo);
            lobe
        });
        let coat = coat.filter(|c| c.wo.z > 1e-3);
        let coat_share = coat.as_ref().map_or(0.0, |c| {
            let (a, b) = split_sum(c.wo.z, g.coat_roughness);
            c.weight * (COAT_F0 * a + b).min(1.0)
        });
        let sheen_share = g.sheen * sheen_albedo(wo.z, g.sheen_roughness);
        let below = (1.0 - coat_share) * (1.0 - sheen_share.max_element()).max(0.0);

        let mirror_share = match glass {
            Some((_, share)) => {
                let f = rough.map_or(0.0, |r| r.reflected);
                (Vec3::splat(f * share) + albedo(g.base, 1.0) * (1.0 - share)).element_sum()
            }
            None => albedo(f0, f90).element_sum(),
        };
        let shares = [
            coat_share * 3.0,
            mirror_share * below,
            through_share.element_sum() * below,
            (diffuse.element_sum()) * below + sheen_share.element_sum() * (1.0 - coat_share),
        ];
        Self {
            wo,
            alpha: alpha(g.roughness),
            f0,
            f90,
            glass,
            compensation: match rough {
                Some(rough) => Vec3::splat(1.0 / rough.whole),
                None => compensation(f0, split),
            },
            below,
            diffuse: diffuse * below,
            through: through * below,
            coat,
            sheen: g.sheen * (1.0 - coat_share),
            sheen_alpha: sheen_alpha(g.sheen_roughness),
            straight: straight * below,
            choices: chances(
                shares,
                [
                    coat_share > 0.0,
                    mirror_share > 0.0,
                    through_share != Vec3::ZERO,
                    diffuse != Vec3::ZERO || sheen_share != Vec3::ZERO,
                ],
            ),
        }
    }

    /// What goes straight on through the surface.
    pub fn straight(&self) -> Vec3 {
        self.straight
    }

    /// The share of its bounces that are spread about evenly: by even scattering, and by a rough mirror.
    pub fn even_share(&self) -> f32 {
        let [_, mirror, _, diffuse] = self.choices;
        if self.alpha > ROUGH {
            diffuse + mirror
        } else {
            diffuse
        }
    }

    /// Whether light from below the surface counts.
    pub fn takes_from_below(&self) -> bool {
        self.choices[2] > 0.0
    }

    /// Reflectance of the mirror by the cosine to its facet.
    fn fresnel(&self, cosine: f32) -> Vec3 {
        let plain = schlick(self.f0, self.f90, cosine);
        match self.glass {
            Some((eta, share)) => plain.lerp(Vec3::splat(fresnel(cosine, eta)), share),
            None => plain,
        }
    }

    /// The answer for light from `wi`.
    pub fn evaluate(&self, wi: Vec3) -> Answer {
        let mut answer = Answer {
            diffuse: Vec3::ZERO,
            specular: Vec3::ZERO,
            pdf: 0.0,
        };
        let no = self.wo.z;
        if no <= 0.0 || wi.z == 0.0 {
            return answer;
        }
        let [p_coat, p_mirror, p_through, p_diffuse] = self.choices;
        if wi.z < 0.0 {
            if p_through > 0.0 {
                let (value, pdf) = self.coming_through(wi);
                answer.specular = value;
                answer.pdf = p_through * pdf;
            }
            return answer;
        }
        let h = (self.wo + wi).normalize_or_zero();
        let d = ggx_d(h, self.alpha);
        let g2 = smith_g2(self.wo, wi, self.alpha);
        answer.specular =
            self.fresnel(self.wo.dot(h)) * self.compensation * (self.below * d * g2 / (4.0 * no));
        answer.diffuse = self.diffuse * (wi.z / PI);
        answer.pdf =
            p_mirror * smith_g1(self.wo, self.alpha) * d / (4.0 * no) + p_diffuse * wi.z / PI;
        if self.sheen != Vec3::ZERO {
            answer.specular += self.sheen * (sheen_value(self.wo, wi, h, self.sheen_alpha) * wi.z);
        }
        if let Some(coat) = &self.coat {
            let wi = coat.local(wi);
            if wi.z > 0.0 {
                let h = (coat.wo + wi).normalize_or_zero();
                let d = ggx_d(h, coat.alpha);
                let f = schlick(Vec3::splat(COAT_F0), 1.0, coat.wo.dot(h)).x;
                let value = coat.weight * f * d * smith_g2(coat.wo, wi, coat.alpha);
                answer.specular += value / (4.0 * coat.wo.z);
                answer.pdf += p_coat * smith_g1(coat.wo, coat.alpha) * d / (4.0 * coat.wo.z);
            }
        }
        answer
    }

    /// Value times cosine and density of light that comes through the surface (Walter et al. 2007,
    /// "Microfacet models for refraction through rough surfaces"). It is the light divided by the square
    /// of the index that is carried, which is the same before and after a body of glass.
    fn coming_through(&self, wi: Vec3) -> (Vec3, f32) {
        let (no, alpha) = (self.wo.z, self.alpha);
        let Some((eta, _)) = self.glass else {
            // A thin wall: the mirror's lobe, seen from the other side.
            let mirrored = Vec3::new(wi.x, wi.y, -wi.z);
            let h = (self.wo + mirrored).normalize_or_zero();
            let d = ggx_d(h, alpha);
            let through = Vec3::ONE - self.fresnel(self.wo.dot(h)).min(Vec3::ONE);
            let value =
                self.through * through * (d * smith_g2(self.wo, mirrored, alpha) / (4.0 * no));
            return (value, smith_g1(self.wo, alpha) * d / (4.0 * no));
        };
        let mut h = (wi * eta + self.wo).normalize_or_zero();
        if h.z < 0.0 {
            h = -h;
        }
        let (oh, ih) = (self.wo.dot(h), wi.dot(h));
        if oh <= 0.0 || ih >= 0.0 {
            return (Vec3::ZERO, 0.0);
        }
        let d = ggx_d(h, alpha);
        let mirrored = Vec3::new(wi.x, wi.y, -wi.z);
        let bend = (ih + oh / eta).powi(2).max(1e-12);
        let turned = d * ih.abs() * oh / (no * bend);
        let value = self.through
            * self.compensation
            * ((1.0 - fresnel(oh, eta)) * turned * smith_g2(self.wo, mirrored, alpha));
        (value, smith_g1(self.wo, alpha) * turned)
    }

    /// A direction in proportion to the answer.
    pub fn sample(&self, mut choose: f32, point: (f32, f32)) -> Option<Sampled> {
        let [p_coat, p_mirror, p_through, _] = self.choices;
        let mut below = false;
        let wi = if choose < p_coat {
            let coat = self.coat.as_ref()?;
            let h = visible_normal(coat.wo, coat.alpha, point);
            let wi = 2.0 * coat.wo.dot(h) * h - coat.wo;
            coat.frame.map_or(wi, |m| m * wi)
        } else {
            choose -= p_coat;
            if choose < p_mirror {
                let h = visible_normal(self.wo, self.alpha, point);
                2.0 * self.wo.dot(h) * h - self.wo
            } else if choose < p_mirror + p_through {
                below = true;
                let h = visible_normal(self.wo, self.alpha, point);
                match self.glass {
                    Some((eta, _)) => refract(self.wo, h, eta)?,
                    None => {
                        let wi = 2.0 * self.wo.dot(h) * h - self.wo;
                        Vec3::new(wi.x, wi.y, -wi.z)
                    }
                }
            } else {
                cosine_hemisphere(point)
            }
        };
        // A facet that sends light to the wrong side takes it; the densities know nothing of such light.
        if (wi.z < 0.0) != below {
            return None;
        }
        let answer = self.evaluate(wi);
        (answer.pdf > 0.0).then_some(Sampled { wi, answer })
    }
}

/// Chances in proportion to shares; every lobe that is there keeps one, so that none is missed by the
/// densities of the others.
fn chances(shares: [f32; 4], there: [bool; 4]) -> [f32; 4] {
    let whole: f32 = shares.iter().sum();
    let mut chances = [0.0; 4];
    for i in 0..4 {
        if there[i] {
            let share = if whole > 0.0 { shares[i] / whole } else { 0.0 };
            chances[i] = share.max(0.05);
        }
    }
    let sum: f32 = chances.iter().sum();
    if sum > 0.0 {
        chances.map(|c| c / sum)
    } else {
        [0.0, 0.0, 0.0, 1.0]
    }
}

/// Snell's law at a facet; `None` where all is reflected.
pub(crate) fn refract(wo: Vec3, h: Vec3, eta: f32) -> Option<Vec3> {
    let c = wo.dot(h);
    let sin2 = (1.0 - c * c).max(0.0) / (eta * eta);
    if sin2 >= 1.0 || c <= 0.0 {
        return None;
    }
    let wi = -wo / eta + (c / eta - (1.0 - sin2).sqrt()) * h;
    (wi.z < 0.0).then(|| wi.normalize())
}
