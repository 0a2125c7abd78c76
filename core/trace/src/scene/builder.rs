//! What every importer fills: meshes placed in the world, turned, scaled and moved before the tree is built.

use super::{Corners, Group, Mover, Object, Owner, Scene, SceneCamera, bounds};
use crate::accel::Accel;
use crate::error::TraceError;
use crate::lamp::Lamp;
use crate::material::Material;
use crate::moves::ObjectMove;
use crate::sky::Sky;
use dome_files::budget::Claim;
use dome_files::decode::Rgba8;
use dome_imaging::pages::on_large_pages;
use glam::{Mat3, Mat4, Vec2, Vec3, Vec4};
use std::sync::OnceLock;

/// World-space triangles with their owners.
#[derive(Default)]
pub struct SceneBuilder {
    positions: Vec<Vec3>,
    corners: Corners,
    triangles: Vec<[u32; 3]>,
    owners: Vec<Owner>,
    objects: Vec<Object>,
    /// Materials; index 0 need not exist until an object uses it.
    pub materials: Vec<Material>,
    /// Pictures of the textures.
    pub pictures: Vec<Rgba8>,
    /// Lamps without a body.
    pub lamps: Vec<Lamp>,
    /// Cameras.
    pub cameras: Vec<SceneCamera>,
    /// What moves.
    pub movers: Vec<Mover>,
    /// Groups that objects belong to.
    pub groups: Vec<Group>,
    /// Triangles without area or with a coordinate that is no number, which were left out.
    pub dropped: usize,
    /// Meshes that came without normals; they are shown flat.
    pub without_normals: usize,
    memory: Claim,
}

/// Memory of a corner and of a triangle: what is kept, and the tree at most while it is built (docs/benchmarks.md), bytes.
const CORNER_BYTES: u64 = 64;
const TRIANGLE_BYTES: u64 = 20 + 170;

/// A mesh in its own space.
#[derive(Clone, Default)]
pub struct MeshPart {
    /// Corner positions.
    pub positions: Vec<[f32; 3]>,
    /// Corner normals, or empty.
    pub normals: Vec<[f32; 3]>,
    /// Texture coordinates, or empty.
    pub uvs: Vec<[f32; 2]>,
    /// Second set of texture coordinates, or empty.
    pub second_uvs: Vec<[f32; 2]>,
    /// Corner colours, scene-linear with alpha, or empty.
    pub colours: Vec<[f32; 4]>,
    /// Corner tangents with the sign of the bitangent, or empty.
    pub tangents: Vec<[f32; 4]>,
    /// Corners of the triangles.
    pub triangles: Vec<[u32; 3]>,
    /// Index of the material.
    pub material: u32,
}

impl SceneBuilder {
    /// Starts an object; parts added next belong to it.
    pub fn start_object(&mut self, name: impl Into<String>) {
        self.objects.push(Object {
            name: name.into(),
            triangles: 0,
            min: Vec3::INFINITY,
            max: Vec3::NEG_INFINITY,
            material: 0,
            emits: false,
            group: None,
        });
    }

    /// Claims memory for corners and triangles that are about to be added; `name` is for the message.
    pub fn make_room(
        &mut self,
        corners: usize,
        triangles: usize,
        name: &str,
    ) -> Result<(), TraceError> {
        let bytes = (corners as u64)
            .saturating_mul(CORNER_BYTES)
            .saturating_add((triangles as u64).saturating_mul(TRIANGLE_BYTES));
        Ok(self.memory.grow(bytes, &format!("The scene {name}"))?)
    }

    /// Puts the object started last into a group.
    pub fn in_group(&mut self, group: u32) {
        if let Some(object) = self.objects.last_mut() {
            object.group = Some(group);
        }
    }

    /// Moves objects as the artist asked. Those that the scene does not have are left out.
    pub(crate) fn apply_moves(&mut self, moves: &[ObjectMove]) {
        for change in moves.iter().filter(|m| m.on) {
            let place = change.transform();
            let turn = Mat3::from_mat4(place);
            let mut moved = vec![false; self.positions.len()];
            for object in change.objects.iter().map(|o| *o as usize) {
                let Some(o) = self.objects.get_mut(object) else {
                    continue;
                };
                (o.min, o.max) = (Vec3::INFINITY, Vec3::NEG_INFINITY);
                for (triangle, owner) in self.triangles.iter().zip(&self.owners) {
                    if owner.object as usize != object {
                        continue;
                    }
                    for i in triangle.map(|i| i as usize) {
                        if !std::mem::replace(&mut moved[i], true) {
                            self.positions[i] = place.transform_point3(self.positions[i]);
                            self.corners.turn(i, &turn);
                        }
                        o.min = o.min.min(self.positions[i]);
                        o.max = o.max.max(self.positions[i]);
                    }
                }
            }
        }
    }

    /// Adds a mesh part, placed by `transform`, to the object started last. Corner indices must be in range.
    pub fn add_part(&mut self, part: &MeshPart, transform: &Mat4) {
        let before = self.positions.len();
        let count = part.positions.len();
        let base = before as u32;
        let object = self.objects.len() as u32 - 1;
        let linear = Mat3::from_mat4(*transform);
        // Normals go with the inverse transpose; a mirror image turns the winding, which is put right.
        let cofactor = Mat3::from_cols(
            linear.y_axis.cross(linear.z_axis),
            linear.z_axis.cross(linear.x_axis),
            linear.x_axis.cross(linear.y_axis),
        );
        let mirrored = linear.determinant() < 0.0;
        let sign = if mirrored { -1.0 } else { 1.0 };
        if part.normals.is_empty() {
            self.without_normals += 1;
        }
        for (i, &p) in part.positions.iter().enumerate() {
            self.positions.push(transform.transform_point3(p.into()));
            let normal = part.normals.get(i).map_or(Vec3::ZERO, |&n| {
                (cofactor * Vec3::from(n) * sign).normalize_or_zero()
            });
            self.corners.normals.push(normal);
            self.corners
                .uvs
                .push(part.uvs.get(i).map_or(Vec2::ZERO, |&uv| uv.into()));
        }
        let pairs = |v: &[[f32; 2]]| v.iter().map(|&uv| Vec2::from(uv)).collect::<Vec<_>>();
        self.corners
            .second_uvs
            .extend(before, count, &pairs(&part.second_uvs), Vec2::ZERO);
        let colours: Vec<Vec4> = part.colours.iter().map(|&c| c.into()).collect();
        self.corners
            .colours
            .extend(before, count, &colours, Vec4::ONE);
        let tangents: Vec<Vec4> = part
            .tangents
            .iter()
            .map(|&[x, y, z, w]| {
                let t = (linear * Vec3::new(x, y, z)).normalize_or_zero();
                t.extend(w * sign)
            })
            .collect();
        self.corners
            .tangents
            .extend(before, count, &tangents, Vec4::ZERO);
        let emits = self
            .materials
            .get(part.material as usize)
            .is_some_and(Material::emits);
        for &[a, b, c] in &part.triangles {
            let corners = if mirrored { [a, c, b] } else { [a, b, c] }.map(|i| i + base);
            let p = corners.map(|i| self.positions[i as usize]);
            let area = (p[1] - p[0]).cross(p[2] - p[0]).length();
            if !(area.is_finite() && area > 0.0) {
                self.dropped += 1;
                continue;
            }
            let o = &mut self.objects[object as usize];
            if o.triangles == 0 {
                o.material = part.material;
            }
            o.emits |= emits;
            o.triangles += 1;
            for q in p {
                o.min = o.min.min(q);
                o.max = o.max.max(q);
            }
            self.triangles.push(corners);
            self.owners.push(Owner {
                material: part.material,
                object,
            });
        }
    }

    /// Number of triangles so far.
    pub fn triangle_count(&self) -> usize {
        self.triangles.len()
    }

    /// Lowest and highest coordinates of all corners that triangles use.
    pub(crate) fn corner_bounds(&self) -> (Vec3, Vec3) {
        bounds(&self.objects)
    }

    /// Shows the corners of every triangle.
    pub(crate) fn each_triangle(&self, mut see: impl FnMut([Vec3; 3])) {
        for t in &self.triangles {
            see(t.map(|i| self.positions[i as usize]));
        }
    }

    /// Turns everything; `turn` must be a turn by quarters about the origin, so that boxes stay boxes.
    pub(crate) fn turn(&mut self, turn: impl Fn(Vec3) -> Vec3) {
        let wide = |p: [f64; 3]| {
            // Quarters only swap coordinates and signs: single precision tells which.
            let turned = turn(Vec3::new(1.0, 2.0, 3.0));
            turned
                .to_array()
                .map(|v| p[v.abs() as usize - 1] * f64::from(v.signum()))
        };
        for p in self.positions.iter_mut().chain(&mut self.corners.normals) {
            *p = turn(*p);
        }
        for t in &mut self.corners.tangents.values {
            *t = turn(t.truncate()).extend(t.w);
        }
        for o in &mut self.objects {
            let (a, b) = (turn(o.min), turn(o.max));
            (o.min, o.max) = (a.min(b), a.max(b));
        }
        for lamp in &mut self.lamps {
            lamp.position = turn(lamp.position);
            lamp.direction = turn(lamp.direction);
        }
        for camera in &mut self.cameras {
            camera.position = wide(camera.position);
            let m = camera.orientation.matrix();
            let turned = glam::DMat3::from_cols_array_2d(&m.to_cols_array_2d().map(wide));
            camera.orientation = dome_optics::Orientation::from_matrix(&turned);
        }
        for mover in &mut self.movers {
            mover.now = wide(mover.now);
            mover.points.iter_mut().for_each(|p| *p = wide(*p));
        }
    }

    /// Makes everything larger by `factor`, for scenes that were made in another unit than metres.
    pub fn scale(&mut self, factor: f32) {
        for p in &mut self.positions {
            *p *= factor;
        }
        for o in &mut self.objects {
            o.min *= factor;
            o.max *= factor;
        }
        for lamp in &mut self.lamps {
            lamp.scale(factor);
        }
        let scaled = |p: [f64; 3]| p.map(|v| v * f64::from(factor));
        for camera in &mut self.cameras {
            camera.position = scaled(camera.position);
        }
        for mover in &mut self.movers {
            mover.now = scaled(mover.now);
            mover.points.iter_mut().for_each(|p| *p = scaled(*p));
        }
        for material in &mut self.materials {
            if let Some(volume) = &mut material.volume {
                volume.distance *= factor;
            }
        }
    }

    /// Builds what tracing needs. `name` is for the message if there is nothing to trace.
    pub fn build(mut self, sky: Sky, name: &str) -> Result<Scene, TraceError> {
        if self.triangles.is_empty() {
            return Err(TraceError::Empty { name: name.into() });
        }
        self.objects.shrink_to_fit();
        let accel = Accel::build(&self.positions, &self.triangles);
        self.positions = on_large_pages(self.positions);
        self.triangles = on_large_pages(self.triangles);
        self.owners = on_large_pages(self.owners);
        self.corners.normals = on_large_pages(self.corners.normals);
        self.corners.uvs = on_large_pages(self.corners.uvs);
        let see_through = self
            .owners
            .iter()
            .any(|o| self.materials[o.material as usize].lets_straight_through());
        Ok(Scene {
            positions: self.positions,
            corners: self.corners,
            triangles: self.triangles,
            owners: self.owners,
            objects: self.objects,
            materials: self.materials,
            pictures: self.pictures,
            lamps: self.lamps,
            cameras: self.cameras,
            movers: self.movers,
            groups: self.groups,
            accel,
            see_through,
            shells: OnceLock::new(),
            content: OnceLock::new(),
            sky,
            memory: self.memory,
        })
    }
}
