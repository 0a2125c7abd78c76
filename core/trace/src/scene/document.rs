//! A scene as it was read, to be placed at any moment.
//!
//! What stands still is one body with one tree, built once. What moves stiffly is a body for each node that leads it, and
//! meshes that repeat are a body each: placing them is a matter of matrices. Only what skins and weights bend is made anew
//! for a moment. Things that the artist moved are parted from the bodies that they lie in, once for each choice of things.

use super::body::{Body, BodyMaker, bytes_needed};
use super::builder::{Piece, SceneBuilder, Stands};
use super::instance::Instance;
use super::mesh::Mesh;
use super::rig::{Poses, Rig};
use super::{Mover, Object, Scene, SceneCamera, Stock};
use crate::accel::instances::Instances;
use crate::error::TraceError;
use crate::lamp::Lamp;
use crate::moves::ObjectMove;
use crate::sky::Sky;
use dome_files::budget::Claim;
use dome_optics::Orientation;
use glam::{DMat3, DMat4, DVec3, Vec3};
use rayon::prelude::*;
use std::collections::{BTreeMap, HashMap};
use std::sync::{Arc, Mutex, OnceLock, PoisonError};

/// Most triangles a scene may hold: indices and the tree are 32-bit, and memory has an end. Copies count once.
pub const MAX_TRIANGLES: usize = 50_000_000;
/// A mesh of fewer triangles is cheaper merged than copied.
const LEAST_COPIED: usize = 64;
/// A mesh that would add fewer triangles than this by its copies is merged: instancing costs rays time.
const MERGED: usize = 250_000;
/// Boxes of turned copies are exact up to so many corners of all copies together; those of others are never too small.
const EXACT_BOXES: usize = 10_000_000;

/// How a file's coordinates become those of the scene: moved to a near origin, turned, scaled to metres.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Frame {
    /// Place in the file that becomes the origin, in the file's axes and unit.
    pub(crate) origin: DVec3,
    /// Whether the file's Z points up.
    pub(crate) z_up: bool,
    /// Metres of the file's unit.
    pub(crate) metres: f64,
}

impl Default for Frame {
    fn default() -> Self {
        Self {
            origin: DVec3::ZERO,
            z_up: false,
            metres: 1.0,
        }
    }
}

impl Frame {
    /// From the file's frame to the scene's.
    pub(crate) fn matrix(&self) -> DMat4 {
        // (x, y, z) becomes (x, z, -y), which rounds nothing.
        let turn = if self.z_up {
            DMat3::from_cols(DVec3::X, DVec3::NEG_Z, DVec3::Y)
        } else {
            DMat3::IDENTITY
        };
        DMat4::from_scale(DVec3::splat(self.metres))
            * DMat4::from_mat3(turn)
            * DMat4::from_translation(-self.origin)
    }
}

/// Things that one node leads, in its space.
struct Rider {
    entry: u32,
    body: Arc<Body>,
    centre: DVec3,
}

/// A copy of a mesh that repeats.
struct Copied {
    object: u32,
    body: Arc<Body>,
    /// The body's place within what it stands on.
    within: DMat4,
    stands: Stands,
}

/// What skins or weights bend.
struct Bent {
    object: u32,
    mesh: Arc<Mesh>,
    weights: Vec<f32>,
    skin: Option<usize>,
    stands: Stands,
}

/// The bodies parted by what the artist moved.
struct Parted {
    /// The objects of each set that moves together.
    sets: Vec<Vec<u32>>,
    base: Arc<Body>,
    /// Of the base, by the number of the set.
    moved: Vec<(usize, Arc<Body>)>,
    /// Of the riders: rider, set, body.
    riders: Vec<(usize, Option<usize>, Arc<Body>)>,
}

/// A scene as it was read.
pub struct Document {
    name: String,
    stock: Arc<Stock>,
    matrix: DMat4,
    metres: f64,
    rig: Rig,
    base: Arc<Body>,
    riders: Vec<Rider>,
    copied: Vec<Copied>,
    bent: Vec<Bent>,
    /// With their numbers, without their boxes.
    objects: Vec<Object>,
    lamps: Vec<Lamp>,
    lamps_on: Vec<Option<u32>>,
    paths: Arc<Paths>,
    cameras: Vec<SceneCamera>,
    movers: Vec<Mover>,
    sky: Sky,
    parted: Mutex<Option<Arc<Parted>>>,
    /// Triangles without area or with a coordinate that is no number, which were left out.
    pub(crate) dropped: usize,
    pub(crate) without_normals: usize,
    see_through: bool,
    _bent_memory: Claim,
}

/// How a scene's objects and lamps are called: names from the top of the file down to them, each only once. By these a
/// later export of the same scene is recognised.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Paths {
    /// Of the objects, by number.
    pub objects: Vec<String>,
    /// Of the lamps without a body, by number.
    pub lamps: Vec<String>,
}

/// Names of which later ones that were there already get a number: "Chair", "Chair #2".
fn unique(names: impl Iterator<Item = String>) -> Vec<String> {
    let mut seen: HashMap<String, usize> = HashMap::new();
    names
        .map(|name| {
            let count = seen.entry(name.clone()).or_default();
            *count += 1;
            match *count {
                1 => name,
                n => format!("{name} #{n}"),
            }
        })
        .collect()
}

/// How a piece is kept.
enum Kept {
    Base,
    Rider(u32),
    Copy,
    Bent,
}

impl Document {
    /// Sorts what a file tells into what stands, what moves and what repeats, and builds the trees.
    pub(crate) fn new(
        mut builder: SceneBuilder,
        frame: Frame,
        sky: Sky,
        name: &str,
    ) -> Result<Self, TraceError> {
        let matrix = frame.matrix();
        let rig = std::mem::take(&mut builder.rig);
        let pieces = std::mem::take(&mut builder.pieces);
        if frame.metres != 1.0 {
            for volume in builder
                .materials
                .iter_mut()
                .filter_map(|m| m.volume.as_mut())
            {
                volume.distance *= frame.metres as f32;
            }
        }
        let ways = ways(&pieces, &rig);
        let merged: usize = (pieces.iter().zip(&ways))
            .filter(|(_, way)| matches!(way, Kept::Base | Kept::Rider(_)))
            .fold(0, |sum, (p, _)| sum.saturating_add(p.mesh.triangles()));
        let all = builder.triangle_count();
        if merged > MAX_TRIANGLES || all >= u32::MAX as usize {
            return Err(TraceError::unsupported(
                name,
                format!(
                    "it has more than {MAX_TRIANGLES} triangles with all its instances; simplify it"
                ),
            ));
        }
        let mut made = Making {
            materials: &builder.materials,
            rest: rig.poses_at_rest(),
            rig: &rig,
            name,
            dropped: 0,
        };
        let base = (pieces.iter().zip(&ways)).filter(|(_, way)| matches!(way, Kept::Base));
        let base = base.map(|(p, _)| (p, matrix * p.stands.at_rest(&rig)));
        let base = made.body(base, &matrix)?;
        let mut led: BTreeMap<u32, Vec<&Piece>> = BTreeMap::new();
        for (piece, way) in pieces.iter().zip(&ways) {
            if let Kept::Rider(entry) = way {
                led.entry(*entry).or_default().push(piece);
            }
        }
        let mut riders = Vec::with_capacity(led.len());
        for (entry, pieces) in led {
            let within = |p: &Piece| match p.stands {
                Stands::On { entry: e, within } => rig.within(e, entry) * within,
                Stands::Still(place) => place,
            };
            let centre = centre(pieces.iter().map(|p| (&*p.mesh, within(p))));
            let back = DMat4::from_translation(-centre);
            let body = made.body(pieces.iter().map(|p| (*p, back * within(p))), &back)?;
            riders.push(Rider {
                entry,
                body: Arc::new(body),
                centre,
            });
        }
        let mut copies: HashMap<(*const Mesh, bool), (Arc<Body>, DMat4)> = HashMap::new();
        let mut copied = Vec::new();
        for (piece, _) in (pieces.iter().zip(&ways)).filter(|(_, way)| matches!(way, Kept::Copy)) {
            let mirrored = (matrix * piece.stands.at_rest(&rig)).determinant() < 0.0;
            let key = (Arc::as_ptr(&piece.mesh), mirrored);
            let (body, within) = match copies.get(&key) {
                Some((body, within)) => (Arc::clone(body), *within),
                None => {
                    // A mirrored copy is an upright copy of the mirrored mesh.
                    let mirror = if mirrored {
                        DMat4::from_scale(DVec3::new(-1.0, 1.0, 1.0))
                    } else {
                        DMat4::IDENTITY
                    };
                    let centre = centre([(&*piece.mesh, mirror)].into_iter());
                    let back = DMat4::from_translation(-centre) * mirror;
                    let body = Arc::new(made.body([(piece, back)].into_iter(), &back)?);
                    copies.insert(key, (Arc::clone(&body), back.inverse()));
                    (body, back.inverse())
                }
            };
            copied.push(Copied {
                object: piece.object,
                body,
                within,
                stands: piece.stands,
            });
        }
        let bent: Vec<Bent> = (pieces.iter().zip(&ways))
            .filter(|(_, way)| matches!(way, Kept::Bent))
            .map(|(p, _)| Bent {
                object: p.object,
                mesh: Arc::clone(&p.mesh),
                weights: p.weights.clone(),
                skin: p.skin,
                stands: p.stands,
            })
            .collect();
        let mut bent_memory = Claim::default();
        let bent_bytes = (bent.iter().flat_map(|b| &b.mesh.parts))
            .map(|p| p.bytes())
            .sum();
        bent_memory.grow(bent_bytes, name)?;
        let dropped = made.dropped;
        drop(pieces);
        let mut document = Self {
            name: name.to_owned(),
            matrix,
            metres: frame.metres,
            base: Arc::new(base),
            riders,
            copied,
            bent,
            objects: Vec::new(),
            paths: Arc::new(Paths {
                objects: unique(builder.named.iter().map(|n| n.path.clone())),
                lamps: {
                    let plain = builder.lamps.iter().map(|l| l.name.clone());
                    let told = builder.lamp_paths.len();
                    unique(builder.lamp_paths.into_iter().chain(plain.skip(told)))
                },
            }),
            lamps: builder.lamps,
            lamps_on: builder.lamps_on,
            cameras: builder.cameras,
            movers: builder.movers,
            sky,
            parted: Mutex::new(None),
            dropped,
            without_normals: builder.without_normals,
            see_through: false,
            _bent_memory: bent_memory,
            rig,
            stock: Arc::new(Stock {
                materials: builder.materials,
                pictures: builder.pictures,
                groups: builder.groups,
                content: OnceLock::new(),
            }),
        };
        document.count_objects(builder.named);
        if document.objects.iter().all(|o| o.triangles == 0) {
            return Err(TraceError::Empty { name: name.into() });
        }
        for mover in &mut document.movers {
            for p in &mut mover.points {
                *p = matrix.transform_point3(DVec3::from(*p)).to_array();
            }
        }
        Ok(document)
    }

    /// Counts what each object has.
    fn count_objects(&mut self, named: Vec<super::builder::Named>) {
        let stock = Arc::clone(&self.stock);
        let materials = &stock.materials;
        let mut objects: Vec<Object> = (named.into_iter())
            .map(|n| Object {
                name: n.name,
                triangles: 0,
                min: Vec3::INFINITY,
                max: Vec3::NEG_INFINITY,
                material: 0,
                emits: false,
                group: n.group,
            })
            .collect();
        let mut see_through = false;
        let mut see = |object: u32, material: u32, triangles: u32| {
            let o = &mut objects[object as usize];
            if o.triangles == 0 {
                o.material = material;
            }
            o.triangles = o.triangles.saturating_add(triangles);
            if let Some(m) = materials.get(material as usize) {
                o.emits |= m.emits();
                see_through |= m.lets_straight_through();
            }
        };
        let bodies = self.riders.iter().map(|r| &r.body).chain([&self.base]);
        for body in bodies {
            for m in &body.members {
                see(m.object, m.material, m.triangles);
            }
            // All materials, not only each object's first.
            let mut last = (u32::MAX, u32::MAX);
            for o in &body.owners {
                if last != (o.object, o.material) {
                    last = (o.object, o.material);
                    see(o.object, o.material, 0);
                }
            }
        }
        for copy in &self.copied {
            let owners = &copy.body.owners;
            see(
                copy.object,
                owners.first().map_or(0, |o| o.material),
                owners.len() as u32,
            );
            let mut last = u32::MAX;
            for o in owners
                .iter()
                .filter(|o| std::mem::replace(&mut last, o.material) != o.material)
            {
                see(copy.object, o.material, 0);
            }
        }
        for bent in &self.bent {
            for p in &bent.mesh.parts {
                see(
                    bent.object,
                    p.plain.material,
                    p.plain.triangles.len() as u32,
                );
            }
        }
        self.objects = objects;
        self.see_through = see_through;
    }

    /// How objects and lamps are called, by their paths of names.
    pub fn paths(&self) -> &Arc<Paths> {
        &self.paths
    }

    /// The name of its file.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// Memory that it takes with its textures, bytes.
    pub fn memory_bytes(&self) -> u64 {
        let pictures: u64 = self.stock.pictures.iter().map(|p| p.memory.bytes()).sum();
        let riders: u64 = self.riders.iter().map(|r| r.body.memory_bytes()).sum();
        let mut copied: Vec<&Arc<Body>> = self.copied.iter().map(|c| &c.body).collect();
        copied.dedup_by_key(|b| Arc::as_ptr(b));
        let copied: u64 = copied.iter().map(|b| b.memory_bytes()).sum();
        pictures + self.base.memory_bytes() + riders + copied
    }

    /// The scene at a moment, seconds, with objects moved as the artist asked. Objects that it does not have are left out.
    pub fn place(&self, time_s: f64, moves: &[ObjectMove]) -> Result<Scene, TraceError> {
        let poses = self.rig.poses(time_s);
        let (sets, shifts) = self.sets(moves);
        let parted = self.parted(sets)?;
        let shift_of = |object: u32| {
            (parted
                .sets
                .iter()
                .position(|s| s.binary_search(&object).is_ok()))
            .map_or(DMat4::IDENTITY, |i| shifts[i])
        };
        // What is to stand where, and the object that it all belongs to, if it does not tell by itself.
        let mut standing: Vec<(Arc<Body>, DMat4, Option<u32>)> = Vec::new();
        for (set, body) in &parted.moved {
            standing.push((Arc::clone(body), shifts[*set], None));
        }
        for (rider, set, body) in &parted.riders {
            let rider = &self.riders[*rider];
            let place = self.matrix
                * self.rig.world(rider.entry, &poses)
                * DMat4::from_translation(rider.centre);
            let shift = set.map_or(DMat4::IDENTITY, |s| shifts[s]);
            standing.push((Arc::clone(body), shift * place, None));
        }
        for copy in &self.copied {
            let place = shift_of(copy.object) * self.stood(&copy.stands, &poses) * copy.within;
            standing.push((Arc::clone(&copy.body), place, Some(copy.object)));
        }
        for bent in &self.bent {
            let body = self.bend(bent, &poses, &shift_of(bent.object))?;
            standing.push((Arc::new(body), DMat4::IDENTITY, None));
        }
        self.assemble(&parted.base, standing, &poses)
    }

    fn stood(&self, stands: &Stands, poses: &Poses) -> DMat4 {
        self.matrix
            * match stands {
                Stands::Still(place) => *place,
                Stands::On { entry, within } => self.rig.world(*entry, poses) * *within,
            }
    }

    /// The sets of objects that move together, and how each set moves.
    fn sets(&self, moves: &[ObjectMove]) -> (Vec<Vec<u32>>, Vec<DMat4>) {
        let mut of: BTreeMap<u32, Vec<usize>> = BTreeMap::new();
        for (i, change) in moves.iter().enumerate().filter(|(_, m)| m.on) {
            for object in &change.objects {
                let list = of.entry(*object).or_default();
                if (*object as usize) < self.objects.len() && list.last() != Some(&i) {
                    list.push(i);
                }
            }
        }
        let mut by: BTreeMap<Vec<usize>, Vec<u32>> = BTreeMap::new();
        for (object, list) in of.into_iter().filter(|(_, list)| !list.is_empty()) {
            by.entry(list).or_default().push(object);
        }
        let shift = |list: &Vec<usize>| {
            let each = list.iter().map(|i| moves[*i].transform());
            each.fold(DMat4::IDENTITY, |before, m| m * before)
        };
        let shifts = by.keys().map(shift).collect();
        (by.into_values().collect(), shifts)
    }

    /// The bodies parted by sets of moved objects; the last choice is kept.
    fn parted(&self, sets: Vec<Vec<u32>>) -> Result<Arc<Parted>, TraceError> {
        let mut kept = self.parted.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(parted) = kept.as_ref().filter(|p| p.sets == sets) {
            return Ok(Arc::clone(parted));
        }
        // Its memory is given back before the new one needs its own.
        *kept = None;
        let materials = &self.stock.materials;
        let has = |body: &Body, set: &[u32]| {
            (body.members.iter()).any(|m| set.binary_search(&m.object).is_ok())
        };
        let anywhere = |object: &u32| sets.iter().any(|s| s.binary_search(object).is_ok());
        let part = |body: &Arc<Body>| -> Result<Vec<(Option<usize>, Arc<Body>)>, TraceError> {
            let mut parts = Vec::new();
            if !sets.iter().any(|s| has(body, s)) {
                return Ok(vec![(None, Arc::clone(body))]);
            }
            if let Some(rest) = body.only(|o| !anywhere(&o), materials, &self.name)? {
                parts.push((None, Arc::new(rest)));
            }
            for (i, set) in sets.iter().enumerate().filter(|(_, s)| has(body, s)) {
                let mine = |o| set.binary_search(&o).is_ok();
                if let Some(body) = body.only(mine, materials, &self.name)? {
                    parts.push((Some(i), Arc::new(body)));
                }
            }
            Ok(parts)
        };
        let mut base = None;
        let mut moved = Vec::new();
        for (set, body) in part(&self.base)? {
            match set {
                None => base = Some(body),
                Some(set) => moved.push((set, body)),
            }
        }
        let mut riders = Vec::new();
        for (i, rider) in self.riders.iter().enumerate() {
            for (set, body) in part(&rider.body)? {
                riders.push((i, set, body));
            }
        }
        let nothing = || Arc::new(BodyMaker::default().finish(materials, Claim::default()));
        let parted = Arc::new(Parted {
            base: base.unwrap_or_else(nothing),
            moved,
            riders,
            sets,
        });
        *kept = Some(Arc::clone(&parted));
        Ok(parted)
    }

    /// What skins and weights make of a mesh, in the scene's frame.
    fn bend(&self, bent: &Bent, poses: &Poses, shift: &DMat4) -> Result<Body, TraceError> {
        let mut memory = Claim::default();
        memory.grow(
            bytes_needed(bent.mesh.corners(), bent.mesh.triangles()),
            &self.name,
        )?;
        let frame = *shift * self.matrix;
        let joints = bent.skin.map(|s| self.rig.joints(s, poses, &frame));
        let node = match bent.stands {
            Stands::On { entry, .. } => Some(self.rig.node(entry)),
            Stands::Still(_) => None,
        };
        let weights = node.and_then(|n| poses.weights(n)).unwrap_or(&bent.weights);
        let place = *shift * self.stood(&bent.stands, poses);
        let mut maker = BodyMaker::default();
        for part in &bent.mesh.parts {
            bend_part(
                &mut maker,
                part,
                weights,
                joints.as_deref(),
                &place,
                bent.object,
            );
        }
        Ok(maker.finish(&self.stock.materials, memory))
    }

    fn assemble(
        &self,
        base: &Arc<Body>,
        standing: Vec<(Arc<Body>, DMat4, Option<u32>)>,
        poses: &Poses,
    ) -> Result<Scene, TraceError> {
        let mut objects = self.objects.clone();
        let mut widen = |object: u32, low: Vec3, high: Vec3| {
            let o = &mut objects[object as usize];
            (o.min, o.max) = (o.min.min(low), o.max.max(high));
        };
        for m in &base.members {
            widen(m.object, m.low, m.high);
        }
        // A mirrored body cannot be walked as it is; it is made anew where it stands. A flat one shows nothing.
        let mut upright = Vec::with_capacity(standing.len());
        for (body, place, object) in standing {
            if body.triangles.is_empty() {
                continue;
            }
            if Instance::can_be(&place) {
                upright.push((body, place, object));
            } else if let Some(baked) = self.bake(&body, &place, object)? {
                upright.push((Arc::new(baked), DMat4::IDENTITY, object));
            }
        }
        let corners: usize = upright.iter().map(|(b, _, _)| b.positions.len()).sum();
        let boxes: Vec<Vec<(u32, Vec3, Vec3)>> = (upright.par_iter())
            .map(|(body, place, object)| {
                let Some(object) = object else {
                    return body.boxes(place);
                };
                let (low, high) = if corners > EXACT_BOXES || along_axes(place) {
                    body.rough_box(place)
                } else {
                    body.exact_box(place)
                };
                vec![(*object, low, high)]
            })
            .collect();
        let mut first = base.triangles.len() as u32;
        let mut instances = Vec::with_capacity(upright.len());
        for ((body, place, object), boxes) in upright.into_iter().zip(boxes) {
            let mut bounds = (Vec3::INFINITY, Vec3::NEG_INFINITY);
            for (object, low, high) in boxes {
                widen(object, low, high);
                bounds = (bounds.0.min(low), bounds.1.max(high));
            }
            let instance = Instance::new(body, &place, first, object, bounds);
            first += instance.count();
            instances.push(instance);
        }
        let over = Instances::new(instances.iter().map(Instance::placed).collect());
        Ok(Scene {
            base: Arc::clone(base),
            instances,
            over,
            objects,
            triangles: first,
            lamps: self.placed_lamps(poses),
            cameras: (self.cameras.iter())
                .map(|c| self.placed_camera(c, poses))
                .collect(),
            movers: (self.movers.iter())
                .map(|m| Mover {
                    now: (self.rig.entry(m.node)).map_or(m.now, |e| {
                        let place = self.matrix * self.rig.world(e, poses);
                        place.w_axis.truncate().to_array()
                    }),
                    ..m.clone()
                })
                .collect(),
            stock: Arc::clone(&self.stock),
            see_through: self.see_through,
            content: OnceLock::new(),
            shells: OnceLock::new(),
            sky: self.sky.clone(),
        })
    }

    fn bake(
        &self,
        body: &Body,
        place: &DMat4,
        object: Option<u32>,
    ) -> Result<Option<Body>, TraceError> {
        if !place.is_finite() {
            return Ok(None);
        }
        let mut memory = Claim::default();
        memory.grow(
            bytes_needed(body.positions.len(), body.triangles.len()),
            &self.name,
        )?;
        let baked = body.placed(place, object, &self.stock.materials, memory);
        Ok((!baked.triangles.is_empty()).then_some(baked))
    }

    fn placed_lamps(&self, poses: &Poses) -> Vec<Lamp> {
        let on = self.lamps_on.iter().copied().chain(std::iter::repeat(None));
        (self.lamps.iter().zip(on))
            .map(|(lamp, on)| {
                let place = on.map_or(self.matrix, |e| self.matrix * self.rig.world(e, poses));
                let mut placed = lamp.clone();
                placed.scale(self.metres as f32);
                placed.position = place.transform_point3(lamp.position.as_dvec3()).as_vec3();
                placed.direction = (place.transform_vector3(lamp.direction.as_dvec3()))
                    .normalize_or(DVec3::NEG_Z)
                    .as_vec3();
                placed
            })
            .collect()
    }

    fn placed_camera(&self, camera: &SceneCamera, poses: &Poses) -> SceneCamera {
        let Some(entry) = self.rig.entry(camera.node) else {
            return camera.clone();
        };
        let place = self.matrix * self.rig.world(entry, poses);
        let axes = DMat3::from_cols(
            place.x_axis.truncate().normalize_or_zero(),
            place.y_axis.truncate().normalize_or_zero(),
            place.z_axis.truncate().normalize_or_zero(),
        );
        SceneCamera {
            position: place.w_axis.truncate().to_array(),
            orientation: Orientation::from_matrix(&axes),
            ..camera.clone()
        }
    }
}

/// Adds a part to a body as weights and joints bend it; where they do not, where it stands.
fn bend_part(
    maker: &mut BodyMaker,
    part: &super::mesh::Part,
    weights: &[f32],
    joints: Option<&[glam::Mat4]>,
    place: &DMat4,
    object: u32,
) {
    if part.is_stiff(weights, joints.is_some()) {
        maker.add(&part.plain, place, object);
        return;
    }
    let bent = part.deformed(weights, joints);
    // A skinned mesh stands where its joints are; its own node's place does not count.
    let place = if joints.is_some() && !part.joints.is_empty() {
        &DMat4::IDENTITY
    } else {
        place
    };
    maker.add(&bent, place, object);
}

/// How each piece is kept.
fn ways(pieces: &[Piece], rig: &Rig) -> Vec<Kept> {
    let mut uses: HashMap<*const Mesh, usize> = HashMap::new();
    for piece in pieces {
        *uses.entry(Arc::as_ptr(&piece.mesh)).or_default() += 1;
    }
    (pieces.iter())
        .map(|piece| {
            let entry = match piece.stands {
                Stands::On { entry, .. } => Some(entry),
                Stands::Still(_) => None,
            };
            let skinned = piece.skin.is_some();
            let node = entry.map(|e| rig.node(e));
            let moves = entry.is_some_and(|e| rig.moves(e));
            let pliable = piece.mesh.is_pliable(skinned);
            if pliable && node.is_some_and(|n| rig.is_weighed(n)) {
                return Kept::Bent;
            }
            if let Some(skin) = piece.skin.filter(|_| pliable) {
                // What has no joints stands on the node.
                let stiff = piece.mesh.parts.iter().any(|p| p.joints.is_empty());
                return if rig.skin_moves(skin) || (stiff && moves) {
                    Kept::Bent
                } else {
                    Kept::Base
                };
            }
            let copies = uses[&Arc::as_ptr(&piece.mesh)];
            let triangles = piece.mesh.triangles();
            let weighed = pliable && piece.weights.iter().any(|w| *w != 0.0);
            if !weighed
                && triangles >= LEAST_COPIED
                && (copies - 1).saturating_mul(triangles) >= MERGED
            {
                return Kept::Copy;
            }
            match entry {
                Some(e) if moves => Kept::Rider(rig.driver(e)),
                _ => Kept::Base,
            }
        })
        .collect()
}

/// The middle of the box of meshes where they are placed.
fn centre<'a>(placed: impl Iterator<Item = (&'a Mesh, DMat4)>) -> DVec3 {
    let (mut low, mut high) = (DVec3::INFINITY, DVec3::NEG_INFINITY);
    for (mesh, place) in placed {
        for p in mesh.parts.iter().flat_map(|p| &p.plain.positions) {
            let p = place.transform_point3(DVec3::from(p.map(f64::from)));
            (low, high) = (low.min(p), high.max(p));
        }
    }
    let middle = (low + high) / 2.0;
    if middle.is_finite() {
        middle
    } else {
        DVec3::ZERO
    }
}

/// Whether boxes stay boxes.
fn along_axes(place: &DMat4) -> bool {
    let axes = [place.x_axis, place.y_axis, place.z_axis];
    axes.iter().all(|a| {
        let parts = a.truncate().to_array();
        parts.iter().filter(|v| **v != 0.0).count() == 1
    })
}

/// Makes bodies from pieces.
struct Making<'a> {
    materials: &'a [crate::material::Material],
    rig: &'a Rig,
    rest: Poses,
    name: &'a str,
    dropped: usize,
}

impl Making<'_> {
    fn body<'p>(
        &mut self,
        pieces: impl Iterator<Item = (&'p Piece, DMat4)> + Clone,
        frame: &DMat4,
    ) -> Result<Body, TraceError> {
        let (corners, triangles) = pieces.clone().fold((0usize, 0usize), |(c, t), (p, _)| {
            (c + p.mesh.corners(), t + p.mesh.triangles())
        });
        let mut memory = Claim::default();
        memory.grow(
            bytes_needed(corners, triangles),
            &format!("The scene {}", self.name),
        )?;
        let mut maker = BodyMaker::default();
        for (piece, place) in pieces {
            let joints = (piece.skin).map(|s| self.rig.joints(s, &self.rest, frame));
            for part in &piece.mesh.parts {
                let joints = joints.as_deref();
                bend_part(
                    &mut maker,
                    part,
                    &piece.weights,
                    joints,
                    &place,
                    piece.object,
                );
            }
        }
        self.dropped += maker.dropped;
        Ok(maker.finish(self.materials, memory))
    }
}
