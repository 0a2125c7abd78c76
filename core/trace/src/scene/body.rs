//! Bodies: triangles with what their corners carry and the tree over them, in a space of their own.

use super::mesh::MeshPart;
use crate::accel::Accel;
use crate::material::Material;
use dome_files::Fingerprint;
use dome_files::budget::Claim;
use dome_files::fingerprint::Summing;
use dome_imaging::pages::with_large_pages;
use glam::{DMat3, DMat4, DVec3, Mat3, Vec2, Vec3, Vec4};
use std::collections::HashMap;
use std::sync::{Arc, OnceLock};

/// What a triangle belongs to.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Owner {
    pub(crate) material: u32,
    pub(crate) object: u32,
}

/// What some meshes carry at their corners and others do not; empty until the first one does.
#[derive(Clone, Default)]
pub(crate) struct Optional<T> {
    values: Vec<T>,
}

impl<T: Copy> Optional<T> {
    /// Takes the values of `count` more corners after `before` others, or `missing` for each.
    fn extend(
        &mut self,
        before: usize,
        count: usize,
        values: impl ExactSizeIterator<Item = T>,
        missing: T,
    ) {
        if values.len() == 0 && self.values.is_empty() {
            return;
        }
        self.values.resize(before, missing);
        self.values.extend(values.take(count));
        self.values.resize(before + count, missing);
    }

    /// The values at the corners of a triangle, if there are any.
    pub(crate) fn corners(&self, triangle: [u32; 3]) -> Option<[T; 3]> {
        (!self.values.is_empty()).then(|| triangle.map(|i| self.values[i as usize]))
    }

    fn only(&self, kept: &[u32]) -> Self {
        let values = if self.values.is_empty() {
            Vec::new()
        } else {
            kept.iter().map(|i| self.values[*i as usize]).collect()
        };
        Self { values }
    }
}

/// A triangle: its corners, and what it belongs to. Side by side, since whatever meets it asks for both.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Face {
    pub(crate) corners: [u32; 3],
    pub(crate) owner: Owner,
}

/// What every corner has, in half a line of the processor's cache: paths meet triangles in no order, and what is asked for together is
/// fetched together.
#[derive(Clone, Copy, Debug)]
#[repr(align(32))]
pub(crate) struct Corner {
    pub(crate) position: Vec3,
    pub(crate) normal: Vec3,
    pub(crate) uv: Vec2,
}

/// What corners carry that not every mesh has.
#[derive(Clone, Default)]
pub(crate) struct Extras {
    pub(crate) second_uvs: Optional<Vec2>,
    pub(crate) colours: Optional<Vec4>,
    /// Direction of growing u, and whether v grows with its cross product.
    pub(crate) tangents: Optional<Vec4>,
}

/// What an object has in a body.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Member {
    pub(crate) object: u32,
    pub(crate) triangles: u32,
    /// The material of its first triangle.
    pub(crate) material: u32,
    /// Its box.
    pub(crate) low: Vec3,
    pub(crate) high: Vec3,
}

/// Memory of a corner and of a triangle: what is kept, and the tree at most while it is built (docs/benchmarks.md), bytes. Corners are
/// there twice for a moment, when the tree is done.
const CORNER_BYTES: u64 = 80;
const TRIANGLE_BYTES: u64 = 20 + 170;

/// Memory that a body needs while it is made, bytes.
pub(crate) fn bytes_needed(corners: usize, triangles: usize) -> u64 {
    (corners as u64)
        .saturating_mul(CORNER_BYTES)
        .saturating_add((triangles as u64).saturating_mul(TRIANGLE_BYTES))
}

/// A body that is being made.
#[derive(Default)]
pub(crate) struct BodyMaker {
    positions: Vec<Vec3>,
    normals: Vec<Vec3>,
    uvs: Vec<Vec2>,
    extras: Extras,
    triangles: Vec<[u32; 3]>,
    owners: Vec<Owner>,
    /// Triangles without area or with a coordinate that is no number, which were left out.
    pub(crate) dropped: usize,
}

impl BodyMaker {
    /// Adds a mesh part of an object, placed by `place` within the body. Corner indices must be in range. Coordinates
    /// are mixed in double precision and rounded once.
    pub(crate) fn add(&mut self, part: &MeshPart, place: &DMat4, object: u32) {
        let before = self.positions.len();
        let count = part.positions.len();
        let base = before as u32;
        let linear = Mat3::from_mat4(place.as_mat4());
        let cofactor = cofactor(&linear);
        // A mirror image turns the winding, which is put right.
        let mirrored = linear.determinant() < 0.0;
        let sign = if mirrored { -1.0 } else { 1.0 };
        for (i, &p) in part.positions.iter().enumerate() {
            let p = place.transform_point3(DVec3::from(p.map(f64::from)));
            self.positions.push(p.as_vec3());
            let normal = part.normals.get(i).map_or(Vec3::ZERO, |&n| {
                (cofactor * Vec3::from(n) * sign).normalize_or_zero()
            });
            self.normals.push(normal);
            let uv = part.uvs.get(i).map_or(Vec2::ZERO, |&uv| uv.into());
            self.uvs.push(uv);
        }
        let extras = &mut self.extras;
        let second = part.second_uvs.iter().map(|&uv| Vec2::from(uv));
        extras.second_uvs.extend(before, count, second, Vec2::ZERO);
        let colours = part.colours.iter().map(|&c| Vec4::from(c));
        extras.colours.extend(before, count, colours, Vec4::ONE);
        let tangents = part.tangents.iter().map(|&[x, y, z, w]| {
            let t = (linear * Vec3::new(x, y, z)).normalize_or_zero();
            t.extend(w * sign)
        });
        extras.tangents.extend(before, count, tangents, Vec4::ZERO);
        for &[a, b, c] in &part.triangles {
            let corners = if mirrored { [a, c, b] } else { [a, b, c] }.map(|i| i + base);
            let [p, q, r] = corners.map(|i| self.positions[i as usize]);
            let area = (q - p).cross(r - p).length();
            if !(area.is_finite() && area > 0.0) {
                self.dropped += 1;
                continue;
            }
            self.triangles.push(corners);
            self.owners.push(Owner {
                material: part.material,
                object,
            });
        }
    }

    /// The finished body, with the memory that was claimed for it.
    pub(crate) fn finish(self, materials: &[Material], memory: Claim) -> Body {
        let accel = Arc::new(Accel::build(&self.positions, &self.triangles));
        let emits = |o: &Owner| {
            materials
                .get(o.material as usize)
                .is_some_and(Material::emits)
        };
        let emitting = (0u32..).zip(&self.owners);
        let emitting = emitting.filter(|(_, o)| emits(o)).map(|(t, _)| t).collect();
        let members = members(&self.positions, &self.triangles, &self.owners);
        let mut corners = with_large_pages(self.positions.len());
        corners.extend(
            (self.positions.into_iter().zip(self.normals).zip(self.uvs)).map(
                |((position, normal), uv)| Corner {
                    position,
                    normal,
                    uv,
                },
            ),
        );
        let mut faces = with_large_pages(self.triangles.len());
        faces.extend(
            (self.triangles.into_iter().zip(self.owners))
                .map(|(corners, owner)| Face { corners, owner }),
        );
        Body {
            corners,
            extras: self.extras,
            faces,
            accel,
            emitting,
            members,
            content: OnceLock::new(),
            radius: OnceLock::new(),
            memory,
        }
    }
}

/// Normals go with the inverse transpose, of which this is a multiple.
pub(crate) fn cofactor(linear: &Mat3) -> Mat3 {
    Mat3::from_cols(
        linear.y_axis.cross(linear.z_axis),
        linear.z_axis.cross(linear.x_axis),
        linear.x_axis.cross(linear.y_axis),
    )
}

fn members(positions: &[Vec3], triangles: &[[u32; 3]], owners: &[Owner]) -> Vec<Member> {
    // Triangles of one object mostly follow each other.
    let mut found: Vec<Member> = Vec::new();
    let mut places = HashMap::new();
    for (corners, owner) in triangles.iter().zip(owners) {
        let at = *places.entry(owner.object).or_insert_with(|| {
            found.push(Member {
                object: owner.object,
                triangles: 0,
                material: owner.material,
                low: Vec3::INFINITY,
                high: Vec3::NEG_INFINITY,
            });
            found.len() - 1
        });
        let member = &mut found[at];
        member.triangles += 1;
        for p in corners.map(|i| positions[i as usize]) {
            member.low = member.low.min(p);
            member.high = member.high.max(p);
        }
    }
    found
}

/// A finished body.
pub(crate) struct Body {
    pub(crate) corners: Vec<Corner>,
    pub(crate) extras: Extras,
    pub(crate) faces: Vec<Face>,
    pub(crate) accel: Arc<Accel>,
    /// Triangles whose material gives light.
    pub(crate) emitting: Vec<u32>,
    pub(crate) members: Vec<Member>,
    /// What it holds, and how far its corners lie from the middle of its box; found when first asked for.
    content: OnceLock<Fingerprint>,
    radius: OnceLock<f32>,
    memory: Claim,
}

impl Body {
    /// Memory that it takes, bytes.
    pub(crate) fn memory_bytes(&self) -> u64 {
        self.memory.bytes()
    }

    /// Its box.
    pub(crate) fn bounds(&self) -> (Vec3, Vec3) {
        let start = (Vec3::INFINITY, Vec3::NEG_INFINITY);
        (self.members.iter()).fold(start, |(l, h), m| (l.min(m.low), h.max(m.high)))
    }

    /// Its box where it is placed by `place`.
    pub(crate) fn exact_box(&self, place: &DMat4) -> (Vec3, Vec3) {
        let start = (Vec3::INFINITY, Vec3::NEG_INFINITY);
        self.corners.iter().fold(start, |(l, h), c| {
            let p = place.transform_point3(c.position.as_dvec3()).as_vec3();
            (l.min(p), h.max(p))
        })
    }

    /// A box round it, told from its own box and the ball round that: exact where boxes stay boxes, never too small.
    pub(crate) fn rough_box(&self, place: &DMat4) -> (Vec3, Vec3) {
        let (low, high) = self.bounds();
        let (low, high) = (low.as_dvec3(), high.as_dvec3());
        let middle = place.transform_point3((low + high) / 2.0);
        let half = (high - low) / 2.0;
        let linear = DMat3::from_mat4(*place);
        let boxed = linear.x_axis.abs() * half.x
            + linear.y_axis.abs() * half.y
            + linear.z_axis.abs() * half.z;
        // A ball becomes an ellipsoid, whose extent along an axis is the length of the matrix's row.
        let radius = f64::from(*self.radius.get_or_init(|| self.measured_radius()));
        let ball = linear.transpose();
        let balled = DVec3::new(
            ball.x_axis.length(),
            ball.y_axis.length(),
            ball.z_axis.length(),
        ) * radius;
        let extent = boxed.min(balled);
        ((middle - extent).as_vec3(), (middle + extent).as_vec3())
    }

    /// Radius of the ball round the middle of its box that holds all its corners.
    fn measured_radius(&self) -> f32 {
        let (low, high) = self.bounds();
        let middle = (low + high) / 2.0;
        let far = (self.corners.iter()).map(|c| c.position.distance_squared(middle));
        far.fold(0.0, f32::max).sqrt() * (1.0 + 4.0 * f32::EPSILON)
    }

    /// The box of each object's part where the body is placed by `place`.
    pub(crate) fn boxes(&self, place: &DMat4) -> Vec<(u32, Vec3, Vec3)> {
        if let [only] = &self.members[..] {
            let (low, high) = self.exact_box(place);
            return vec![(only.object, low, high)];
        }
        let mut boxes: Vec<_> = (self.members.iter())
            .map(|m| (m.object, Vec3::INFINITY, Vec3::NEG_INFINITY))
            .collect();
        let places: HashMap<u32, usize> = (self.members.iter().enumerate())
            .map(|(i, m)| (m.object, i))
            .collect();
        for Face { corners, owner } in &self.faces {
            let Some((_, low, high)) = places.get(&owner.object).map(|i| &mut boxes[*i]) else {
                continue;
            };
            for corner in corners.map(|i| self.corners[i as usize].position) {
                let p = place.transform_point3(corner.as_dvec3()).as_vec3();
                (*low, *high) = (low.min(p), high.max(p));
            }
        }
        boxes
    }

    /// The body as it is where `place` puts it, all of one object if that is told.
    pub(crate) fn placed(
        &self,
        place: &DMat4,
        object: Option<u32>,
        materials: &[Material],
        memory: Claim,
    ) -> Self {
        let linear = Mat3::from_mat4(place.as_mat4());
        let cofactor = cofactor(&linear);
        let sign = linear.determinant().signum();
        let normal = |c: &Corner| (cofactor * c.normal * sign).normalize_or_zero();
        let mut extras = self.extras.clone();
        for t in &mut extras.tangents.values {
            *t = (linear * t.truncate())
                .normalize_or_zero()
                .extend(t.w * sign);
        }
        let at = |c: &Corner| place.transform_point3(c.position.as_dvec3()).as_vec3();
        let positions: Vec<Vec3> = self.corners.iter().map(at).collect();
        let area = |t: &[u32; 3]| {
            let [a, b, c] = t.map(|i| positions[i as usize]);
            (b - a).cross(c - a).length()
        };
        let kept = |t: &[u32; 3]| area(t).is_finite() && area(t) > 0.0;
        let (triangles, owners) = (self.faces.iter())
            .filter(|f| kept(&f.corners))
            .map(|f| {
                let [a, b, c] = f.corners;
                let triangle = if sign < 0.0 { [a, c, b] } else { [a, b, c] };
                let object = object.unwrap_or(f.owner.object);
                (triangle, Owner { object, ..f.owner })
            })
            .unzip();
        let maker = BodyMaker {
            triangles,
            owners,
            positions,
            normals: self.corners.iter().map(normal).collect(),
            uvs: self.corners.iter().map(|c| c.uv).collect(),
            extras,
            dropped: 0,
        };
        maker.finish(materials, memory)
    }

    /// The body with some of its objects only; `None` if none of them has a triangle in it.
    pub(crate) fn only(
        &self,
        kept: impl Fn(u32) -> bool,
        materials: &[Material],
        name: &str,
    ) -> Result<Option<Self>, dome_files::FileError> {
        let kept: Vec<&Face> = (self.faces.iter())
            .filter(|f| kept(f.owner.object))
            .collect();
        if kept.is_empty() {
            return Ok(None);
        }
        let mut used: Vec<u32> = kept.iter().flat_map(|f| f.corners).collect();
        used.sort_unstable();
        used.dedup();
        let mut memory = Claim::default();
        memory.grow(bytes_needed(used.len(), kept.len()), name)?;
        let mut new = vec![0u32; self.corners.len()];
        for (i, old) in used.iter().enumerate() {
            new[*old as usize] = i as u32;
        }
        let corners = || used.iter().map(|i| &self.corners[*i as usize]);
        let maker = BodyMaker {
            positions: corners().map(|c| c.position).collect(),
            normals: corners().map(|c| c.normal).collect(),
            uvs: corners().map(|c| c.uv).collect(),
            extras: Extras {
                second_uvs: self.extras.second_uvs.only(&used),
                colours: self.extras.colours.only(&used),
                tangents: self.extras.tangents.only(&used),
            },
            triangles: (kept.iter())
                .map(|f| f.corners.map(|i| new[i as usize]))
                .collect(),
            owners: kept.iter().map(|f| f.owner).collect(),
            dropped: 0,
        };
        Ok(Some(maker.finish(materials, memory)))
    }

    /// The fingerprint of what it holds.
    pub(crate) fn content(&self) -> Fingerprint {
        *self.content.get_or_init(|| {
            let mut sum = Summing::default();
            let (corners, extras) = (&self.corners, &self.extras);
            sum.numbers(corners.iter().flat_map(|c| c.position.to_array()));
            sum.words(self.faces.iter().flat_map(|f| f.corners));
            sum.words((self.faces.iter()).flat_map(|f| [f.owner.material, f.owner.object]));
            sum.numbers(corners.iter().flat_map(|c| c.normal.to_array()));
            sum.numbers(corners.iter().flat_map(|c| c.uv.to_array()));
            sum.numbers((extras.second_uvs.values.iter()).flat_map(|v| v.to_array()));
            sum.numbers((extras.colours.values.iter()).flat_map(|v| v.to_array()));
            sum.numbers((extras.tangents.values.iter()).flat_map(|v| v.to_array()));
            sum.finish()
        })
    }
}
