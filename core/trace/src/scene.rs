//! A scene ready to be traced: triangles where they stand, objects, materials, textures, lamps.

mod body;
mod builder;
mod content;
mod document;
mod frame;
mod instance;
mod mesh;
mod paths;
mod placing;
mod rig;
mod spot;

pub use builder::SceneBuilder;
pub(crate) use builder::Stands;
pub use document::{Document, MAX_TRIANGLES};
pub(crate) use frame::Frame;
pub use mesh::MeshPart;
pub(crate) use mesh::{Mesh, Morph, Part};
pub use paths::Paths;
pub use rig::Motion;
pub(crate) use rig::{Between, Property, Rest, Rig, Skin, Track};
pub(crate) use spot::Spot;

use crate::accel::instances::Instances;
use crate::accel::{Hit, TraceRay, nearest_on};
use crate::lamp::Lamp;
use crate::material::Material;
use crate::pyramid::Pyramid;
use crate::sky::Sky;
use body::Body;
use dome_files::Fingerprint;
use glam::{DVec3, Vec3};
use instance::Instance;
use std::ops::Range;
use std::sync::{Arc, OnceLock};

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
    /// How it is turned then, if it looked as cameras look: along its own -Z with its own Y upwards.
    pub turned: dome_optics::Orientation,
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
    /// Its lens; nothing of one that sees without perspective.
    pub lens: Option<CameraLens>,
}

/// The lens of a camera that came with the scene.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct CameraLens {
    /// Vertical field of view, radians.
    pub vfov: f64,
    /// Width divided by height, if the file says it.
    pub ratio: Option<f64>,
}

/// What a scene has at every moment.
struct Stock {
    materials: Vec<Material>,
    pictures: Vec<Pyramid>,
    groups: Vec<Group>,
    /// The fingerprint of materials and textures; found when first asked for.
    content: OnceLock<Fingerprint>,
}

/// A scene that can be traced, as it is at one moment.
///
/// Triangles are numbered: first those of the base, which stand in the world's own frame, then those of each instance.
pub struct Scene {
    base: Arc<Body>,
    instances: Vec<Instance>,
    /// The tree over the instances, if there are any.
    over: Option<Instances>,
    objects: Vec<Object>,
    triangles: u32,
    lamps: Vec<Lamp>,
    cameras: Vec<SceneCamera>,
    movers: Vec<Mover>,
    stock: Arc<Stock>,
    /// Whether anything lets light straight through, so that shadows must look closer.
    pub(crate) see_through: bool,
    /// Whether there are bodies that light goes through.
    pub(crate) has_bodies: bool,
    /// Which objects are closed round others; found when first asked for.
    shells: OnceLock<Vec<bool>>,
    /// What it holds; found when first asked for.
    content: OnceLock<Fingerprint>,
    /// What the file says surrounds it; renders are told their own.
    pub sky: Sky,
}

impl Scene {
    /// Memory that its corners, triangles and textures take, bytes; what several instances share counts once.
    pub fn memory_bytes(&self) -> u64 {
        let pictures: u64 = (self.stock.pictures.iter().flat_map(|p| &p.levels))
            .map(|level| level.memory.bytes())
            .sum();
        let mut bodies: Vec<&Arc<Body>> = self.instances.iter().map(|i| &i.body).collect();
        bodies.push(&self.base);
        bodies.sort_by_key(|b| Arc::as_ptr(b));
        bodies.dedup_by_key(|b| Arc::as_ptr(b));
        let instances = size_of_val(&self.instances[..]) as u64;
        let over = self.over.as_ref().map_or(0, Instances::bytes) as u64;
        let bodies: u64 = bodies.iter().map(|b| b.memory_bytes()).sum();
        pictures + bodies + instances + over
    }

    /// The objects.
    pub fn objects(&self) -> &[Object] {
        &self.objects
    }

    /// The materials.
    pub fn materials(&self) -> &[Material] {
        &self.stock.materials
    }

    /// The pictures of its textures.
    pub fn pictures(&self) -> &[Pyramid] {
        &self.stock.pictures
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
        &self.stock.groups
    }

    /// Number of triangles, those of each instance counted.
    pub fn triangle_count(&self) -> usize {
        self.triangles as usize
    }

    /// Number of triangles that are kept in memory.
    pub fn kept_triangles(&self) -> usize {
        let mut bodies: Vec<&Arc<Body>> = self.instances.iter().map(|i| &i.body).collect();
        bodies.push(&self.base);
        bodies.sort_by_key(|b| Arc::as_ptr(b));
        bodies.dedup_by_key(|b| Arc::as_ptr(b));
        bodies.iter().map(|b| b.faces.len()).sum()
    }

    /// All triangles that give light, in their order.
    pub fn emitting(&self) -> impl Iterator<Item = u32> {
        let instances =
            (self.instances.iter()).flat_map(|i| i.body.emitting.iter().map(move |t| t + i.first));
        self.base.emitting.iter().copied().chain(instances)
    }

    /// Number of triangles that give light.
    pub fn emitting_triangles(&self) -> usize {
        self.emitting().count()
    }

    /// Which triangles stand in the world's own frame; the others are parts of instances.
    pub(crate) fn own_triangles(&self) -> usize {
        self.base.faces.len()
    }

    /// The triangles by where they are: ranges of them and the box round each range, metres.
    pub(crate) fn ranges(&self) -> impl Iterator<Item = (Range<u32>, (Vec3, Vec3))> {
        let base = 0..self.own_triangles() as u32;
        let base = (!base.is_empty()).then(|| (base, self.base.bounds()));
        let instances = (self.instances.iter()).map(|i| (i.first..i.first + i.count(), i.bounds));
        base.into_iter().chain(instances)
    }

    /// All triangles of some objects.
    pub fn triangles_of(&self, object: u32) -> Vec<u32> {
        let mut found = Vec::new();
        for (range, _) in self.ranges() {
            let (body, instance, _) = self.locate(range.start);
            match instance.and_then(|i| i.object) {
                Some(all) if all == object => found.extend(range),
                Some(_) => {}
                None => found.extend(
                    (range.zip(&body.faces))
                        .filter(|(_, f)| f.owner.object == object)
                        .map(|(t, _)| t),
                ),
            }
        }
        found
    }

    /// Lowest and highest corner of everything that has a size at this moment, metres; the origin if nothing has.
    pub fn bounds(&self) -> (Vec3, Vec3) {
        (self.objects.iter())
            .filter(|o| o.triangles > 0 && o.min != o.max)
            .map(|o| (o.min, o.max))
            .reduce(|(low, high), (min, max)| (low.min(min), high.max(max)))
            .unwrap_or_default()
    }

    /// The first thing a ray meets.
    #[inline]
    pub fn hit(&self, ray: &TraceRay) -> Option<Hit> {
        let hit = self.base.accel.closest(ray);
        match &self.over {
            None => hit,
            Some(over) => over.closest(ray, hit),
        }
    }

    /// Whether anything stands between the ray's start and its far end.
    #[inline]
    pub fn blocked(&self, ray: &TraceRay) -> bool {
        self.base.accel.blocked(ray) || self.over.as_ref().is_some_and(|o| o.blocked(ray))
    }

    /// The nearest point of all triangles to a place, with its triangle, of those that `counts` accepts (triangle, nearest point of it).
    /// Exact but for the rounding of corners.
    pub fn nearest_point(
        &self,
        at: DVec3,
        mut counts: impl FnMut(u32, DVec3) -> bool,
    ) -> Option<(u32, DVec3)> {
        let mut best: Option<(f64, u32, DVec3)> = None;
        let mut visit = |triangle: u32| {
            let corners = self.corners(triangle).map(|c| c.as_dvec3());
            let point = nearest_on(at, corners);
            let distance = point.distance(at);
            // Of two that meet there the lower number wins, whatever the way through the tree.
            let nearer =
                best.is_none_or(|(d, t, _)| distance < d || (distance == d && triangle < t));
            if distance.is_finite() && nearer && counts(triangle, point) {
                best = Some((distance, triangle, point));
            }
            best.map_or(f32::INFINITY, |(d, ..)| (d as f32).next_up())
        };
        let single = at.as_vec3();
        let mut near = f32::INFINITY;
        self.base.accel.towards(single, 1.0, near, &mut |triangle| {
            near = visit(triangle);
            near
        });
        if let Some(over) = &self.over {
            over.towards(single, near, &mut visit);
        }
        best.map(|(_, triangle, point)| (triangle, point))
    }

    /// The body that a triangle is part of, where it stands unless it is the base, and the triangle's number in it.
    #[inline]
    fn locate(&self, triangle: u32) -> (&Body, Option<&Instance>, u32) {
        if (triangle as usize) < self.base.faces.len() {
            return (&self.base, None, triangle);
        }
        let at = self.instances.partition_point(|i| i.first <= triangle) - 1;
        let instance = &self.instances[at];
        (&instance.body, Some(instance), triangle - instance.first)
    }

    /// The object that a triangle belongs to.
    pub fn object_of(&self, triangle: u32) -> u32 {
        let (body, instance, own) = self.locate(triangle);
        let all = instance.and_then(|i| i.object);
        all.unwrap_or_else(|| body.faces[own as usize].owner.object)
    }

    /// The corners of a triangle, metres.
    pub fn corners(&self, triangle: u32) -> [Vec3; 3] {
        self.spot(triangle, 0.0, 0.0).corner_places()
    }

    /// All triangles by their corners, metres.
    pub fn all_corners(&self) -> Vec<[Vec3; 3]> {
        (0..self.triangles).map(|t| self.corners(t)).collect()
    }

    /// Which objects are closed round others, as it was found once by `find`.
    pub(crate) fn shells(&self, find: impl FnOnce(&Self) -> Vec<bool>) -> &[bool] {
        self.shells.get_or_init(|| find(self))
    }

    /// The material of a triangle.
    pub fn material_of(&self, triangle: u32) -> &Material {
        let (body, _, own) = self.locate(triangle);
        &self.stock.materials[body.faces[own as usize].owner.material as usize]
    }
}
