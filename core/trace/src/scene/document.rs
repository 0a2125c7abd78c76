//! A scene as it was read, to be placed at any moment.
//!
//! What stands still is one body with one tree, built once. What moves stiffly is a body for each node that leads it, and
//! meshes that repeat are a body each: placing them is a matter of matrices. Only what skins and weights bend is made anew
//! for a moment. Things that the artist moved are parted from the bodies that they lie in, once for each choice of things.

use super::body::{Body, BodyMaker, bytes_needed};
use super::builder::{Piece, SceneBuilder, Stands};
use super::frame::Frame;
use super::mesh::Mesh;
use super::paths::{Paths, unique};
use super::rig::{Poses, Rig};
use super::{Mover, Object, SceneCamera, Stock};
use crate::error::TraceError;
use crate::lamp::Lamp;
use crate::sky::Sky;
use dome_files::budget::Claim;
use glam::{DMat4, DVec3, Vec3};
use std::collections::{BTreeMap, HashMap};
use std::sync::{Arc, Mutex, OnceLock};

/// Most triangles a scene may hold: indices and the tree are 32-bit, and memory has an end. Copies count once.
pub const MAX_TRIANGLES: usize = 50_000_000;
/// A mesh of fewer triangles is cheaper merged than copied.
const LEAST_COPIED: usize = 64;
/// A mesh that would add fewer triangles than this by its copies is merged: instancing costs rays time.
const MERGED: usize = 250_000;

/// Things that one node leads, in its space.
pub(super) struct Rider {
    pub(super) entry: u32,
    pub(super) body: Arc<Body>,
    pub(super) centre: DVec3,
}

/// A copy of a mesh that repeats.
pub(super) struct Copied {
    pub(super) object: u32,
    pub(super) body: Arc<Body>,
    /// The body's place within what it stands on.
    pub(super) within: DMat4,
    pub(super) stands: Stands,
}

/// What skins or weights bend.
pub(super) struct Bent {
    pub(super) object: u32,
    pub(super) mesh: Arc<Mesh>,
    pub(super) weights: Vec<f32>,
    pub(super) skin: Option<usize>,
    pub(super) stands: Stands,
}

/// The bodies parted by what the artist moved.
pub(super) struct Parted {
    /// The objects of each set that moves together.
    pub(super) sets: Vec<Vec<u32>>,
    pub(super) base: Arc<Body>,
    /// Of the base, by the number of the set.
    pub(super) moved: Vec<(usize, Arc<Body>)>,
    /// Of the riders: rider, set, body.
    pub(super) riders: Vec<(usize, Option<usize>, Arc<Body>)>,
}

/// A scene as it was read.
pub struct Document {
    pub(super) name: String,
    pub(super) stock: Arc<Stock>,
    pub(super) matrix: DMat4,
    pub(super) metres: f64,
    pub(super) rig: Rig,
    pub(super) base: Arc<Body>,
    pub(super) riders: Vec<Rider>,
    pub(super) copied: Vec<Copied>,
    pub(super) bent: Vec<Bent>,
    /// With their numbers, without their boxes.
    pub(super) objects: Vec<Object>,
    pub(super) lamps: Vec<Lamp>,
    pub(super) lamps_on: Vec<Option<u32>>,
    pub(super) paths: Arc<Paths>,
    pub(super) cameras: Vec<SceneCamera>,
    pub(super) movers: Vec<Mover>,
    pub(super) sky: Sky,
    pub(super) parted: Mutex<Option<Arc<Parted>>>,
    /// Triangles without area or with a coordinate that is no number, which were left out.
    pub(crate) dropped: usize,
    pub(crate) without_normals: usize,
    pub(super) see_through: bool,
    pub(super) has_bodies: bool,
    _bent_memory: Claim,
}

/// How a piece is kept.
enum Kept {
    Base,
    Rider(u32),
    Copy,
    Bent,
}

impl Document {
    /// What the file's own coordinates have more than the scene's, metres with Y up: 0 unless the scene lies far from its file's origin.
    pub fn offset(&self) -> DVec3 {
        // Adding 0 makes no -0, which people would see.
        -self.matrix.transform_point3(DVec3::ZERO) + DVec3::ZERO
    }

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
        if merged > MAX_TRIANGLES {
            return Err(TraceError::unsupported(
                name,
                format!("it has more than {MAX_TRIANGLES} triangles; simplify it"),
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
            has_bodies: false,
            _bent_memory: bent_memory,
            rig,
            stock: Arc::new(Stock {
                pictures: crate::pyramid::pyramids(builder.pictures, &builder.materials),
                materials: builder.materials,
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
        let mut has_bodies = false;
        let mut see = |object: u32, material: u32, triangles: u32| {
            let o = &mut objects[object as usize];
            if o.triangles == 0 {
                o.material = material;
            }
            o.triangles = o.triangles.saturating_add(triangles);
            if let Some(m) = materials.get(material as usize) {
                o.emits |= m.emits();
                see_through |= m.is_see_through();
                has_bodies |= m.is_body();
            }
        };
        let bodies = self.riders.iter().map(|r| &r.body).chain([&self.base]);
        for body in bodies {
            for m in &body.members {
                see(m.object, m.material, m.triangles);
            }
            // All materials, not only each object's first.
            let mut last = (u32::MAX, u32::MAX);
            for o in body.faces.iter().map(|f| &f.owner) {
                if last != (o.object, o.material) {
                    last = (o.object, o.material);
                    see(o.object, o.material, 0);
                }
            }
        }
        for copy in &self.copied {
            let owners = || copy.body.faces.iter().map(|f| &f.owner);
            see(
                copy.object,
                owners().next().map_or(0, |o| o.material),
                owners().len() as u32,
            );
            let mut last = u32::MAX;
            for o in owners().filter(|o| std::mem::replace(&mut last, o.material) != o.material) {
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
        self.has_bodies = has_bodies;
    }

    /// How objects and lamps are called, by their paths of names.
    pub fn paths(&self) -> &Arc<Paths> {
        &self.paths
    }
}

/// Adds a part to a body as weights and joints bend it; where they do not, where it stands.
pub(super) fn bend_part(
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
