//! A document placed at a moment: matrices for what moves or repeats, new triangles only for what skins and weights bend.

use super::body::{Body, BodyMaker, bytes_needed};
use super::builder::Stands;
use super::document::{Bent, Document, Parted, bend_part};
use super::instance::Instance;
use super::rig::Poses;
use super::{Mover, Scene, SceneCamera};
use crate::accel::instances::Instances;
use crate::error::TraceError;
use crate::lamp::Lamp;
use crate::moves::ObjectMove;
use dome_files::budget::Claim;
use dome_optics::Orientation;
use glam::{DMat3, DMat4, DVec3, Vec3};
use rayon::prelude::*;
use std::collections::BTreeMap;
use std::sync::{Arc, OnceLock, PoisonError};

/// Boxes of turned copies are exact up to so many corners of all copies together; those of others are never too small.
const EXACT_BOXES: usize = 10_000_000;

/// A part of a body, and the set of moved objects that it is of.
type PartOf = (Option<usize>, Arc<Body>);

impl Document {
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

    /// Where a node of the file is at a moment, metres, and how it is turned, without placing anything else; nothing if it does not move.
    pub fn node_at(&self, node: u32, time_s: f64) -> Option<([f64; 3], Orientation)> {
        let entry = self.rig.entry(node)?;
        Some(self.stands_at(entry, &self.rig.poses(time_s)))
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
        let part = |body: &Arc<Body>| -> Result<Vec<PartOf>, TraceError> {
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
            if body.faces.is_empty() {
                continue;
            }
            if Instance::can_be(&place) {
                upright.push((body, place, object));
            } else if let Some(baked) = self.bake(&body, &place, object)? {
                upright.push((Arc::new(baked), DMat4::IDENTITY, object));
            }
        }
        let corners: usize = upright.iter().map(|(b, _, _)| b.corners.len()).sum();
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
        let mut first = base.faces.len() as u32;
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
        // What has no size just now has a box without size, and not one inside out.
        for object in &mut objects {
            if !(object.min.cmple(object.max).all()
                && object.min.is_finite()
                && object.max.is_finite())
            {
                (object.min, object.max) = (Vec3::ZERO, Vec3::ZERO);
            }
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
                .map(|m| match self.rig.entry(m.node) {
                    None => m.clone(),
                    Some(entry) => {
                        let (now, turned) = self.stands_at(entry, poses);
                        let m = m.clone();
                        Mover { now, turned, ..m }
                    }
                })
                .collect(),
            stock: Arc::clone(&self.stock),
            see_through: self.see_through,
            has_bodies: self.has_bodies,
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
            bytes_needed(body.corners.len(), body.faces.len()),
            &self.name,
        )?;
        let baked = body.placed(place, object, &self.stock.materials, memory);
        Ok((!baked.faces.is_empty()).then_some(baked))
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
        let (position, orientation) = self.stands_at(entry, poses);
        SceneCamera {
            position,
            orientation,
            ..camera.clone()
        }
    }

    /// Where a node is, metres, and how it is turned.
    fn stands_at(&self, entry: u32, poses: &Poses) -> ([f64; 3], Orientation) {
        let place = self.matrix * self.rig.world(entry, poses);
        let axes = DMat3::from_cols(
            place.x_axis.truncate().normalize_or_zero(),
            place.y_axis.truncate().normalize_or_zero(),
            place.z_axis.truncate().normalize_or_zero(),
        );
        let position = place.w_axis.truncate().to_array();
        (position, Orientation::from_matrix(&axes))
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
