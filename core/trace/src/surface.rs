//! What a ray met, ready to be lit.

use crate::accel::{Hit, TraceRay};
use crate::bsdf::Gloss;
use crate::departure::{Departure, Way, facing};
use crate::material::Material;
use crate::scene::{Scene, Spot};
use crate::shading::{seen_normal, terminator};
use crate::texture::Meaning;
use glam::Vec3;

/// Reflectance of everything in a clay render.
pub const CLAY: f32 = 0.5;

/// A point of a surface.
pub(crate) struct Surface<'a> {
    pub(crate) place: Departure,
    /// Geometric normal, on the side of the viewer.
    pub(crate) geometric: Vec3,
    /// Where scattered light comes and goes: the place, or where it would lie if a coarse mesh were as round as its corners say.
    pub(crate) scatters_at: Departure,
    /// The side from which light reaches it there: the geometric normal, or the rounded one.
    pub(crate) side: Vec3,
    /// Shading normal, on the side of the viewer.
    pub(crate) shading: Vec3,
    /// The same without bumps.
    pub(crate) smooth: Vec3,
    pub(crate) material: &'a Material,
    pub(crate) gloss: Gloss,
    /// 0 a hole, 1 solid.
    pub(crate) opacity: f32,
    /// Light that it gives, before it is dimmed.
    pub(crate) emission: Vec3,
    /// Shown in its own colour whatever lights it.
    pub(crate) unlit: bool,
}

/// Where a ray arrived, before it is asked what is there.
pub(crate) struct Arrival<'a> {
    pub(crate) place: Departure,
    /// Geometric normal, on the side of the viewer.
    pub(crate) geometric: Vec3,
    pub(crate) material: &'a Material,
    spot: Spot<'a>,
    /// 1 outside, -1 inside.
    side: f32,
    inside: bool,
    /// The ray's.
    direction: Vec3,
}

/// A frame whose z is the normal (Duff et al. 2017, JCGT 6(1)).
pub(crate) struct Frame {
    x: Vec3,
    y: Vec3,
    z: Vec3,
}

impl Frame {
    pub(crate) fn new(z: Vec3) -> Self {
        let (x, y) = z.any_orthonormal_pair();
        Self { x, y, z }
    }

    pub(crate) fn local(&self, w: Vec3) -> Vec3 {
        Vec3::new(w.dot(self.x), w.dot(self.y), w.dot(self.z))
    }

    pub(crate) fn world(&self, w: Vec3) -> Vec3 {
        self.x * w.x + self.y * w.y + self.z * w.z
    }
}

impl Surface<'_> {
    /// How much of the light from a direction above the surface reaches a bump for all that its normal promises. The corners of a
    /// mesh say how it is rounded, and are believed.
    pub(crate) fn lit_share(&self, direction: Vec3, cosine: f32) -> f32 {
        if self.shading == self.smooth {
            return 1.0;
        }
        terminator(direction, cosine, self.shading, self.smooth)
    }

    /// A ray without end into a direction, for light that is scattered.
    pub(crate) fn leave(&self, direction: Vec3) -> TraceRay {
        self.scatters_at
            .ray(facing(self.side, direction), direction)
    }

    /// Becomes a white plate that scatters evenly and gives no light of its own.
    pub(crate) fn become_plate(&mut self) {
        self.shading = self.geometric;
        self.smooth = self.geometric;
        self.scatters_at = self.place;
        self.side = self.geometric;
        self.gloss = Gloss::matt(Vec3::ONE);
        self.opacity = 1.0;
        self.emission = Vec3::ZERO;
        self.unlit = false;
    }
}

impl Scene {
    /// The surface at a hit; `clay` makes everything but glass one grey.
    pub(crate) fn surface(&self, hit: &Hit, ray: &TraceRay, clay: bool) -> Surface<'_> {
        self.surface_within(hit, ray, 0.0, clay)
    }

    /// The same as a ray sees it that is so wide there, metres: textures show their mean over as much.
    pub(crate) fn surface_within(
        &self,
        hit: &Hit,
        ray: &TraceRay,
        width: f32,
        clay: bool,
    ) -> Surface<'_> {
        self.arrival(hit, ray, width).surface(clay)
    }

    /// Where a ray arrives that is so wide there, metres.
    pub(crate) fn arrival(&self, hit: &Hit, ray: &TraceRay, width: f32) -> Arrival<'_> {
        let spot = self.spot_within(hit.triangle, hit.u, hit.v, width);
        let [p0, p1, p2] = spot.corner_places();
        let outward = (p1 - p0).cross(p2 - p0).normalize_or_zero();
        let inside = outward.dot(ray.direction) > 0.0;
        let side = if inside { -1.0 } else { 1.0 };
        Arrival {
            place: spot.departure(),
            geometric: outward * side,
            material: self.material_of(hit.triangle),
            spot,
            side,
            inside,
            direction: ray.direction,
        }
    }
}

impl<'a> Arrival<'a> {
    /// Whether nothing can come of it but scattered light: it gives none itself, and lets none through.
    pub(crate) fn only_scatters(&self) -> bool {
        !self.material.emits() && !self.material.is_see_through() && !self.material.unlit
    }

    /// The surface there; `clay` makes everything but glass one grey.
    pub(crate) fn surface(&self, clay: bool) -> Surface<'a> {
        let Self {
            ref spot,
            place,
            geometric,
            side,
            inside,
            direction,
            material,
        } = *self;
        let seen = |n: Vec3| seen_normal(n, geometric, -direction);
        let smooth = spot.normal() * side;
        // A missing normal gives way to the true one.
        let mut shading = if smooth == Vec3::ZERO {
            geometric
        } else {
            seen(smooth)
        };

        let mut surface = Surface {
            place,
            geometric,
            scatters_at: place,
            side: geometric,
            shading,
            smooth: shading,
            material,
            gloss: Gloss::matt(Vec3::splat(CLAY)),
            opacity: spot.opacity(material),
            emission: spot.emission(material),
            unlit: false,
        };
        if clay && !material.is_see_through() {
            return surface;
        }
        let smooth = shading;
        if let Some(bent) = &material.normal_texture
            && let Some(n) = spot.bent_normal(smooth * side, bent)
        {
            shading = seen(n * side);
            surface.shading = shading;
        }
        let base = spot.tinted(material.base_colour, &material.base_texture);
        let base = (base * spot.colour().truncate()).clamp(Vec3::ZERO, Vec3::ONE);
        if material.unlit {
            surface.gloss = Gloss::matt(Vec3::ZERO);
            surface.emission = base;
            surface.unlit = true;
            return surface;
        }
        let (mut metallic, mut roughness) = (material.metallic, material.roughness);
        if let Some(t) = &material.metallic_roughness_texture {
            let mr = spot.texture(t, Meaning::Data);
            roughness *= mr.y;
            metallic *= mr.z;
        }
        let unit = |v: f32| v.clamp(0.0, 1.0);
        surface.gloss = Gloss {
            base,
            metallic: unit(metallic),
            roughness: unit(roughness),
            specular: unit(spot.scaled(material.specular, &material.specular_texture, 3)),
            specular_colour: spot
                .tinted(material.specular_colour, &material.specular_colour_texture),
            ior: material.ior,
            transmission: unit(spot.scaled(
                material.transmission,
                &material.transmission_texture,
                0,
            )),
            thin: material.volume.is_none(),
            inside,
            ..surface.gloss
        };
        if let Some(coat) = &material.coat {
            surface.gloss.coat = unit(spot.scaled(coat.weight, &coat.weight_texture, 0));
            surface.gloss.coat_roughness =
                unit(spot.scaled(coat.roughness, &coat.roughness_texture, 1));
            // Lacquer lies over the bumps of the base: without its own normals it is smooth.
            let own = match &coat.normal_texture {
                Some(bent) => spot
                    .bent_normal(smooth * side, bent)
                    .map_or(smooth, |n| n * side),
                None => smooth,
            };
            if own != shading && own.dot(direction) < -1e-3 {
                surface.gloss.coat_normal = Some(Frame::new(shading).local(own));
            }
        }
        if let Some(sheen) = &material.sheen {
            surface.gloss.sheen = spot
                .tinted(sheen.colour, &sheen.colour_texture)
                .clamp(Vec3::ZERO, Vec3::ONE);
            surface.gloss.sheen_roughness =
                unit(spot.scaled(sheen.roughness, &sheen.roughness_texture, 3));
        }
        surface
    }

    /// Light is about to be scattered by the surface there: where it bulges as its corners say, light reaches it on the rounded form.
    pub(crate) fn round(&self, scene: &Scene, surface: &mut Surface) {
        // What lets light through has two sides, and both are where its triangles are.
        if surface.gloss.transmission > 0.0 {
            return;
        }
        let (place, geometric) = (self.place, self.geometric);
        let Some(position) = self.spot.rounded(place.position, geometric) else {
            return;
        };
        // Not through a wall that stands nearer. A little farther, for the place is rounded, and rays begin beyond it.
        let more = 8.0 * f32::EPSILON * place.reach;
        let free = |w: Way| !scene.blocked(&w.ray.until(w.distance + more));
        if place.way_to(geometric, position).is_some_and(free) {
            surface.scatters_at = Departure { position, ..place };
            surface.side = surface.smooth;
        }
    }
}
