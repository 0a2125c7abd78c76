//! A scene ready to be traced: world-space triangles, objects, materials, textures, lamps.

mod builder;
mod content;

pub use builder::{MeshPart, SceneBuilder};

use crate::accel::{Accel, Hit, TraceRay};
use crate::departure::Departure;
use crate::lamp::Lamp;
use crate::material::Material;
use crate::sky::Sky;
use crate::texture::{Meaning, Texture};
use dome_files::Fingerprint;
use dome_files::budget::Claim;
use dome_files::decode::Rgba8;
use glam::{DVec3, Mat3, Vec2, Vec3, Vec4};
use std::sync::OnceLock;

/// One thing of the scene, as the artist named it.
#[derive(Clone, Debug)]
pub struct Object {
    /// Name.
    pub name: String,
    /// Number of triangles.
    pub triangles: u32,
    /// Lowest corner of its box, metres.
    pub min: Vec3,
    /// Highest corner of its box, metres.
    pub max: Vec3,
    /// The material of its first triangle.
    pub material: u32,
    /// Whether any of its materials gives light.
    pub emits: bool,
    /// The group of objects that it belongs to, if it does.
    pub group: Option<u32>,
}

/// Objects that belong together in the artist's file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Group {
    /// Name.
    pub name: String,
}

/// Something that moves during the scene's animation, and its way.
#[derive(Clone, Debug, PartialEq)]
pub struct Mover {
    /// Name.
    pub name: String,
    /// Number of the node in its file.
    pub node: u32,
    /// Whether it is a camera.
    pub camera: bool,
    /// Moments of the way, seconds, growing.
    pub times: Vec<f64>,
    /// Where it is then, metres.
    pub points: Vec<[f64; 3]>,
    /// Where it is at the moment that the scene was read for, metres.
    pub now: [f64; 3],
}

/// A camera that came with the scene, to be offered as a viewpoint.
#[derive(Clone, Debug, PartialEq)]
pub struct SceneCamera {
    /// Name.
    pub name: String,
    /// Where it stands, metres.
    pub position: [f64; 3],
    /// How it is turned.
    pub orientation: dome_optics::Orientation,
    /// Number of its node in its file.
    pub node: u32,
}

/// What a triangle belongs to.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Owner {
    pub(crate) material: u32,
    pub(crate) object: u32,
}
/// What some meshes carry at their corners and others do not; empty until the first one does.
#[derive(Default)]
struct Optional<T> {
    values: Vec<T>,
}

impl<T: Copy> Optional<T> {
    /// Takes the values of `count` more corners after `before` others, or `missing` for each.
    fn extend(&mut self, before: usize, count: usize, values: &[T], missing: T) {
        if values.is_empty() && self.values.is_empty() {
            return;
        }
        self.values.resize(before, missing);
        self.values.extend(values.iter().take(count));
        self.values.resize(before + count, missing);
    }

    fn corners(&self, triangle: [u32; 3]) -> Option<[T; 3]> {
        (!self.values.is_empty()).then(|| triangle.map(|i| self.values[i as usize]))
    }
}

/// What corners carry beside their position.
#[derive(Default)]
struct Corners {
    normals: Vec<Vec3>,
    uvs: Vec<Vec2>,
    second_uvs: Optional<Vec2>,
    colours: Optional<Vec4>,
    /// Direction of growing u in the world, and whether v grows with its cross product.
    tangents: Optional<Vec4>,
}

impl Corners {
    /// Turns what a corner carries along with it.
    fn turn(&mut self, corner: usize, turn: &Mat3) {
        self.normals[corner] = *turn * self.normals[corner];
        if let Some(t) = self.tangents.values.get_mut(corner) {
            *t = (*turn * t.truncate()).extend(t.w);
        }
    }
}
/// Lowest and highest corner of the objects that have triangles.
fn bounds(objects: &[Object]) -> (Vec3, Vec3) {
    objects
        .iter()
        .filter(|o| o.triangles > 0)
        .fold((Vec3::INFINITY, Vec3::NEG_INFINITY), |(low, high), o| {
            (low.min(o.min), high.max(o.max))
        })
}

/// A scene that can be traced.
pub struct Scene {
    pub(crate) positions: Vec<Vec3>,
    corners: Corners,
    pub(crate) triangles: Vec<[u32; 3]>,
    pub(crate) owners: Vec<Owner>,
    objects: Vec<Object>,
    materials: Vec<Material>,
    pub(crate) pictures: Vec<Rgba8>,
    lamps: Vec<Lamp>,
    cameras: Vec<SceneCamera>,
    movers: Vec<Mover>,
    groups: Vec<Group>,
    pub(crate) accel: Accel,
    /// Whether anything lets light straight through, so that shadows must look closer.
    pub(crate) see_through: bool,
    /// Which objects are closed round others; found when first asked for.
    shells: OnceLock<Vec<bool>>,
    /// What it holds; found when first asked for.
    content: OnceLock<Fingerprint>,
    /// What the file says surrounds it; renders are told their own.
    pub sky: Sky,
    memory: Claim,
}

impl Scene {
    /// Memory that its corners, triangles and textures take, bytes.
    pub fn memory_bytes(&self) -> u64 {
        let pictures: u64 = self.pictures.iter().map(|p| p.memory.bytes()).sum();
        self.memory.bytes() + pictures
    }

    /// The objects.
    pub fn objects(&self) -> &[Object] {
        &self.objects
    }

    /// The materials.
    pub fn materials(&self) -> &[Material] {
        &self.materials
    }

    /// The pictures of its textures.
    pub fn pictures(&self) -> &[Rgba8] {
        &self.pictures
    }

    /// The lamps without a body.
    pub fn lamps(&self) -> &[Lamp] {
        &self.lamps
    }

    /// The cameras.
    pub fn cameras(&self) -> &[SceneCamera] {
        &self.cameras
    }

    /// What moves during the animation.
    pub fn movers(&self) -> &[Mover] {
        &self.movers
    }

    /// Groups that objects belong to.
    pub fn groups(&self) -> &[Group] {
        &self.groups
    }

    /// Number of triangles.
    pub fn triangle_count(&self) -> usize {
        self.triangles.len()
    }

    /// Number of triangles that give light.
    pub fn emitting_triangles(&self) -> usize {
        self.owners
            .iter()
            .filter(|o| self.materials[o.material as usize].emits())
            .count()
    }

    /// Lowest and highest corner of everything, metres.
    pub fn bounds(&self) -> (Vec3, Vec3) {
        bounds(&self.objects)
    }

    /// The first thing a ray meets.
    pub fn hit(&self, ray: &TraceRay) -> Option<Hit> {
        self.accel.closest(ray)
    }

    /// The object that a hit triangle belongs to.
    pub fn object_of(&self, triangle: u32) -> u32 {
        self.owners[triangle as usize].object
    }

    /// All corner positions, and the corners of the triangles.
    pub fn geometry(&self) -> (&[Vec3], &[[u32; 3]]) {
        (&self.positions, &self.triangles)
    }

    /// The corners of a triangle, metres.
    pub fn corners(&self, triangle: u32) -> [Vec3; 3] {
        self.triangles[triangle as usize].map(|i| self.positions[i as usize])
    }

    /// Whether an object is a closed shape with other objects in it, such as a room that is one box turned
    /// outwards: standing in it is no mistake.
    pub fn is_shell(&self, object: u32) -> bool {
        let shells = self
            .shells
            .get_or_init(|| crate::stand::solids::shells(self));
        shells.get(object as usize).copied().unwrap_or(false)
    }

    /// The material of a triangle.
    pub fn material_of(&self, triangle: u32) -> &Material {
        &self.materials[self.owners[triangle as usize].material as usize]
    }

    /// A place on a triangle for looking things up.
    pub(crate) fn spot(&self, triangle: u32, u: f32, v: f32) -> Spot<'_> {
        Spot {
            scene: self,
            triangle,
            corners: self.triangles[triangle as usize],
            weights: [1.0 - u - v, u, v],
        }
    }
}

/// A place on a triangle: textures and corner values are looked up there.
pub(crate) struct Spot<'a> {
    scene: &'a Scene,
    triangle: u32,
    corners: [u32; 3],
    weights: [f32; 3],
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
            .map(|i| self.scene.positions[i as usize].as_dvec3());
        let [_, u, v] = self.weights.map(f64::from);
        let mixed: DVec3 = a * (1.0 - u - v) + b * u + c * v;
        mixed.as_vec3()
    }

    /// The place as one that rays leave from.
    pub(crate) fn departure(&self) -> Departure {
        Departure {
            position: self.position(),
            triangle: self.triangle,
            reach: self
                .corners
                .map(|i| self.scene.positions[i as usize].abs().max_element())
                .into_iter()
                .fold(0.0, f32::max),
        }
    }

    pub(crate) fn normal(&self) -> Vec3 {
        self.mix(self.corners.map(|i| self.scene.corners.normals[i as usize]))
            .normalize_or_zero()
    }

    fn corner_uvs(&self, set: u8) -> [Vec2; 3] {
        if set == 0 {
            return self.corners.map(|i| self.scene.corners.uvs[i as usize]);
        }
        let second = &self.scene.corners.second_uvs;
        second.corners(self.corners).unwrap_or_default()
    }

    /// The texture's value here.
    pub(crate) fn texture(&self, texture: &Texture, meaning: Meaning) -> Vec4 {
        let uv = self.mix(self.corner_uvs(texture.set));
        texture.sample(&self.scene.pictures, uv, meaning)
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
        let colours = &self.scene.corners.colours;
        colours
            .corners(self.corners)
            .map_or(Vec4::ONE, |c| self.mix(c))
    }

    /// How much is there: 0 a hole, 1 solid.
    pub(crate) fn opacity(&self, material: &Material) -> f32 {
        use crate::material::Alpha;
        let alpha = || {
            let mut alpha = material.opacity * self.colour().w;
            if let Some(t) = &material.base_texture {
                alpha *= self.texture(t, Meaning::Data).w;
            }
            self.scaled(alpha, &material.opacity_texture, 0)
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
        let given = self.scene.corners.tangents.corners(self.corners);
        let mixed = given.map(|t| self.mix(t)).unwrap_or(Vec4::ZERO);
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
        let [a, b, c] = self.corners.map(|i| self.scene.positions[i as usize]);
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
