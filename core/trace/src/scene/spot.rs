//! Places on triangles: textures and what corners carry are looked up there.

use super::Scene;
use super::body::{Body, Optional};
use super::instance::Instance;
use crate::departure::Departure;
use crate::material::Material;
use crate::texture::{Meaning, Texture};
use glam::{DVec3, Vec2, Vec3, Vec4};

/// Cosines between the normals of a triangle and of its corners: above the first it is flat, at the second and above it is believed to be
/// round, below the last it is not.
const FLAT: f32 = 0.999_998;
const BENT_MOST: f32 = 0.8;
const BENT_LEAST: f32 = 0.7;

/// A place on a triangle: textures and corner values are looked up there.
pub(crate) struct Spot<'a> {
    scene: &'a Scene,
    body: &'a Body,
    /// Where the body stands, unless it is the world itself.
    instance: Option<&'a Instance>,
    triangle: u32,
    corners: [u32; 3],
    weights: [f32; 3],
    /// Width of what is looked at here, metres; 0 for a point.
    width: f32,
}

impl Scene {
    /// A place on a triangle for looking things up.
    pub(crate) fn spot(&self, triangle: u32, u: f32, v: f32) -> Spot<'_> {
        let (body, instance, own) = self.locate(triangle);
        Spot {
            scene: self,
            body,
            instance,
            triangle,
            corners: body.faces[own as usize].corners,
            weights: [1.0 - u - v, u, v],
            width: 0.0,
        }
    }

    /// The same, for looking at as much as a ray is wide there, metres.
    pub(crate) fn spot_within(&self, triangle: u32, u: f32, v: f32, width: f32) -> Spot<'_> {
        Spot {
            width,
            ..self.spot(triangle, u, v)
        }
    }
}

impl Spot<'_> {
    fn mix<T: std::ops::Mul<f32, Output = T> + std::ops::Add<Output = T>>(&self, c: [T; 3]) -> T {
        let [a, b, c] = c;
        let [wa, wb, wc] = self.weights;
        a * wa + b * wb + c * wc
    }

    /// From the corners, not along the ray, and in double precision: rounded once.
    pub(crate) fn position(&self) -> Vec3 {
        let [a, b, c] = self
            .corners
            .map(|i| self.body.corners[i as usize].position.as_dvec3());
        let [_, u, v] = self.weights.map(f64::from);
        let mixed: DVec3 = a * (1.0 - u - v) + b * u + c * v;
        self.instance.map_or(mixed, |i| i.at(mixed)).as_vec3()
    }

    /// The place as one that rays leave from.
    pub(crate) fn departure(&self) -> Departure {
        let largest = || {
            self.corners
                .map(|i| self.body.corners[i as usize].position.abs().max_element())
                .into_iter()
                .fold(0.0, f32::max)
        };
        Departure {
            position: self.position(),
            triangle: self.triangle,
            reach: self.instance.map_or_else(largest, |i| i.reach),
        }
    }

    /// The corners of its triangle in the world, metres.
    pub(crate) fn corner_places(&self) -> [Vec3; 3] {
        let corners = (self.corners).map(|i| self.body.corners[i as usize].position);
        match self.instance {
            None => corners,
            Some(i) => corners.map(|p| i.at(p.as_dvec3()).as_vec3()),
        }
    }

    /// Each corner's is turned and made one long before they are mixed: a stretched copy is shaded as a stretched mesh.
    fn corner_normals(&self) -> [Vec3; 3] {
        let own = (self.corners).map(|i| self.body.corners[i as usize].normal);
        match self.instance {
            None => own,
            Some(i) => own.map(|n| (i.normals * n).normalize_or_zero()),
        }
    }

    pub(crate) fn normal(&self) -> Vec3 {
        self.mix(self.corner_normals()).normalize_or_zero()
    }

    /// Where the place `position` would lie on the rounded surface that the corners' normals tell of, if that bulges to the side of
    /// `geometric`: the mean of its distances to the planes at the corners (Hanika 2021, "Hacking the Shadow Terminator", Ray
    /// Tracing Gems II, chapter 4). From there the facets of a coarse mesh do not stand in the light that its shading promises.
    /// Corners whose normals lean far from the triangle's were not meant to round it.
    pub(crate) fn rounded(&self, position: Vec3, geometric: Vec3) -> Option<Vec3> {
        let normals = self.corner_normals();
        let side = self.mix(normals).dot(geometric).signum();
        let normals = normals.map(|n| n * side);
        let upright = normals.map(|n| n.dot(geometric));
        let least = upright.into_iter().fold(1.0, f32::min);
        if !(BENT_LEAST..FLAT).contains(&least) {
            return None;
        }
        let corners = self.corner_places();
        let below = [0, 1, 2].map(|i| {
            let n = normals[i];
            n * (-(position - corners[i]).dot(n)).max(0.0)
        });
        let believed = ((least - BENT_LEAST) / (BENT_MOST - BENT_LEAST)).min(1.0);
        let lift = self.mix(below) * believed;
        (lift != Vec3::ZERO).then_some(position + lift)
    }

    fn corner_uvs(&self, set: u8) -> [Vec2; 3] {
        if set == 0 {
            return self.corners.map(|i| self.body.corners[i as usize].uv);
        }
        let second = &self.body.extras.second_uvs;
        second.corners(self.corners).unwrap_or_default()
    }

    /// The texture's value here.
    pub(crate) fn texture(&self, texture: &Texture, meaning: Meaning) -> Vec4 {
        self.texture_within(texture, meaning, self.width)
    }

    fn texture_within(&self, texture: &Texture, meaning: Meaning, width: f32) -> Vec4 {
        let uvs = self.corner_uvs(texture.set);
        let pictures = self.scene.pictures();
        let level = if width > 0.0 && pictures[texture.picture as usize].levels.len() > 1 {
            self.level(texture, uvs, width)
        } else {
            0.0
        };
        texture.sample(pictures, self.mix(uvs), level, meaning)
    }

    /// The level of a texture's picture whose texels are about as wide as what is looked at: by the texels that lie on the triangle
    /// and its area. Aslant a surface shows more of itself along one way; the narrow way counts, and many samples do the rest.
    fn level(&self, texture: &Texture, [ua, ub, uc]: [Vec2; 3], width: f32) -> f32 {
        let picture = self.scene.pictures()[texture.picture as usize].picture();
        let [a, b, c] = self.corner_places();
        let area = (b - a).cross(c - a).length();
        let texels = (ub - ua).perp_dot(uc - ua).abs()
            * texture.stretch()
            * (picture.width as f32 * picture.height as f32);
        0.5 * (texels / area * width * width).log2()
    }

    /// A factor times one channel of an optional picture of data.
    pub(crate) fn scaled(&self, factor: f32, texture: &Option<Texture>, channel: usize) -> f32 {
        match texture {
            Some(t) if factor > 0.0 => factor * self.texture(t, Meaning::Data)[channel],
            _ => factor,
        }
    }

    /// A colour times an optional picture of colour.
    pub(crate) fn tinted(&self, colour: [f32; 3], texture: &Option<Texture>) -> Vec3 {
        let colour = Vec3::from(colour);
        match texture {
            Some(t) if colour != Vec3::ZERO => colour * self.texture(t, Meaning::Colour).truncate(),
            _ => colour,
        }
    }

    /// The corner colours' mix.
    pub(crate) fn colour(&self) -> Vec4 {
        let colours: &Optional<Vec4> = &self.body.extras.colours;
        colours
            .corners(self.corners)
            .map_or(Vec4::ONE, |c| self.mix(c))
    }

    /// How much is there: 0 a hole, 1 solid.
    pub(crate) fn opacity(&self, material: &Material) -> f32 {
        use crate::material::Alpha;
        let alpha = || {
            // A limit asks each texel by itself: means of leaves and gaps would be all leaf or all gap.
            let width = match material.alpha {
                Alpha::Mask(_) => 0.0,
                Alpha::Opaque | Alpha::Blend => self.width,
            };
            let mut alpha = material.opacity * self.colour().w;
            if let Some(t) = &material.base_texture {
                alpha *= self.texture_within(t, Meaning::Data, width).w;
            }
            if let Some(t) = &material.opacity_texture {
                alpha *= self.texture_within(t, Meaning::Data, width).x;
            }
            alpha
        };
        match material.alpha {
            Alpha::Opaque => 1.0,
            Alpha::Mask(limit) => {
                if alpha() >= limit {
                    1.0
                } else {
                    0.0
                }
            }
            Alpha::Blend => alpha().clamp(0.0, 1.0),
        }
    }

    /// Light that the surface gives, before it is dimmed.
    pub(crate) fn emission(&self, material: &Material) -> Vec3 {
        self.tinted(material.emission, &material.emission_texture)
    }

    /// The normal that a normal picture gives to a surface of normal `n`, or `None` where the texture
    /// coordinates give no direction.
    pub(crate) fn bent_normal(&self, n: Vec3, (texture, scale): &(Texture, f32)) -> Option<Vec3> {
        let given = self.body.extras.tangents.corners(self.corners);
        let turned = |t: Vec4| match self.instance {
            None => t,
            Some(i) => (i.turn * t.truncate()).normalize_or_zero().extend(t.w),
        };
        let mixed = given.map_or(Vec4::ZERO, |t| self.mix(t.map(turned)));
        let (tangent, hand) = if mixed.truncate().length_squared() > 0.0 {
            (mixed.truncate(), mixed.w)
        } else {
            self.uv_tangent(n, texture.set)?
        };
        let tangent = (tangent - n * n.dot(tangent)).try_normalize()?;
        let bitangent = n.cross(tangent) * hand.signum();
        let t = self.texture(texture, Meaning::Data).truncate() * 2.0 - 1.0;
        (tangent * (t.x * scale) + bitangent * (t.y * scale) + n * t.z).try_normalize()
    }

    /// The direction of growing u from positions and texture coordinates, and the hand of the frame.
    fn uv_tangent(&self, n: Vec3, set: u8) -> Option<(Vec3, f32)> {
        let [a, b, c] = self.corner_places();
        let [ua, ub, uc] = self.corner_uvs(set);
        let (e1, e2, d1, d2) = (b - a, c - a, ub - ua, uc - ua);
        let det = d1.x * d2.y - d2.x * d1.y;
        if det == 0.0 || !det.is_finite() {
            return None;
        }
        let tangent = (e1 * d2.y - e2 * d1.y) / det;
        let bitangent = (e2 * d1.x - e1 * d2.x) / det;
        // v runs downwards in glTF; its tangent space takes the green channel upwards, against it.
        let up = -bitangent;
        Some((tangent, n.cross(tangent).dot(up)))
    }
}
