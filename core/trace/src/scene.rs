//! A scene ready to be traced: world-space triangles, objects, materials, textures, surroundings.

use crate::accel::{Accel, Hit, TraceRay};
use crate::bsdf::Gloss;
use crate::error::TraceError;
use crate::lights::Lights;
use crate::sky::Sky;
use dome_files::decode::Rgba8;
use dome_imaging::transfer::linear_from_srgb8;
use glam::{Mat3, Mat4, Vec2, Vec3, Vec4};
use std::sync::LazyLock;

/// How a texture goes on beyond its edge.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Default)]
pub enum Wrap {
    /// Starts again.
    #[default]
    Repeat,
    /// Turns back.
    Mirror,
    /// Keeps its last colour.
    Clamp,
}

impl Wrap {
    fn index(self, i: i64, size: i64) -> usize {
        let wrapped = match self {
            Self::Repeat => i.rem_euclid(size),
            Self::Clamp => i.clamp(0, size - 1),
            Self::Mirror => {
                let j = i.rem_euclid(2 * size);
                j.min(2 * size - 1 - j)
            }
        };
        wrapped as usize
    }
}

/// A use of a picture by a material: which, how wrapped, how placed.
#[derive(Clone, Copy, Debug)]
pub struct Texture {
    /// Index into the scene's pictures.
    pub picture: u32,
    /// Going on to the right and downwards.
    pub wrap: (Wrap, Wrap),
    /// Texture coordinates are multiplied by this matrix's linear part ...
    pub scale_turn: [f32; 4],
    /// ... and moved by this.
    pub offset: [f32; 2],
}

static LINEAR: LazyLock<[f32; 256]> =
    LazyLock::new(|| std::array::from_fn(|i| linear_from_srgb8(i as u8)));

impl Texture {
    /// A picture laid as its coordinates say, repeating.
    pub fn plain(picture: u32) -> Self {
        Self {
            picture,
            wrap: (Wrap::Repeat, Wrap::Repeat),
            scale_turn: [1.0, 0.0, 0.0, 1.0],
            offset: [0.0, 0.0],
        }
    }

    /// Bilinear value; colour channels are made linear if `colour`.
    fn sample(&self, pictures: &[Rgba8], uv: Vec2, colour: bool) -> Vec4 {
        let picture = &pictures[self.picture as usize];
        let [a, b, c, d] = self.scale_turn;
        let uv = Vec2::new(a * uv.x + b * uv.y, c * uv.x + d * uv.y) + Vec2::from(self.offset);
        let (w, h) = (i64::from(picture.width), i64::from(picture.height));
        let x = uv.x * w as f32 - 0.5;
        let y = uv.y * h as f32 - 0.5;
        let (fx, fy) = (x - x.floor(), y - y.floor());
        let (x, y) = (x.floor() as i64, y.floor() as i64);
        let texel = |dx: i64, dy: i64| {
            let column = self.wrap.0.index(x + dx, w);
            let row = self.wrap.1.index(y + dy, h);
            let at = (row * w as usize + column) * 4;
            let p = &picture.bytes[at..at + 4];
            let value = |v: u8| {
                if colour {
                    LINEAR[v as usize]
                } else {
                    f32::from(v) / 255.0
                }
            };
            Vec4::new(
                value(p[0]),
                value(p[1]),
                value(p[2]),
                f32::from(p[3]) / 255.0,
            )
        };
        let top = texel(0, 0).lerp(texel(1, 0), fx);
        let bottom = texel(0, 1).lerp(texel(1, 1), fx);
        top.lerp(bottom, fy)
    }
}

/// A metallic-roughness material (glTF 2.0).
#[derive(Clone, Debug)]
pub struct Material {
    /// Name.
    pub name: String,
    /// Base colour, scene-linear.
    pub base_colour: [f32; 3],
    /// Base colour picture (sRGB).
    pub base_texture: Option<Texture>,
    /// 0 dielectric to 1 metal.
    pub metallic: f32,
    /// 0 smooth to 1 rough.
    pub roughness: f32,
    /// Picture with roughness in green and metallic in blue (linear).
    pub metallic_roughness_texture: Option<Texture>,
    /// How strongly the dielectric part mirrors, 0 (none: a perfectly matt surface) to 1.
    pub specular: f32,
    /// Index of refraction of the dielectric part.
    pub ior: f32,
    /// Emitted radiance, scene-linear; both sides of a surface emit.
    pub emission: [f32; 3],
    /// Emission picture (sRGB).
    pub emission_texture: Option<Texture>,
}

impl Default for Material {
    /// A plain grey, rough surface.
    fn default() -> Self {
        Self {
            name: "grey".into(),
            base_colour: [0.5; 3],
            base_texture: None,
            metallic: 0.0,
            roughness: 1.0,
            metallic_roughness_texture: None,
            specular: 1.0,
            ior: 1.5,
            emission: [0.0; 3],
            emission_texture: None,
        }
    }
}

impl Material {
    /// Whether it gives light.
    pub fn emits(&self) -> bool {
        self.emission.iter().any(|&e| e > 0.0)
    }
}

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
}

/// What a triangle belongs to.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Owner {
    pub(crate) material: u32,
    pub(crate) object: u32,
}

/// World-space triangles with their owners.
#[derive(Default)]
pub struct SceneBuilder {
    positions: Vec<Vec3>,
    normals: Vec<Vec3>,
    uvs: Vec<Vec2>,
    triangles: Vec<[u32; 3]>,
    owners: Vec<Owner>,
    objects: Vec<Object>,
    /// Materials; index 0 need not exist until an object uses it.
    pub materials: Vec<Material>,
    /// Pictures of the textures.
    pub pictures: Vec<Rgba8>,
    /// Triangles without area or with a coordinate that is no number, which were left out.
    pub dropped: usize,
}

/// A mesh in its own space.
#[derive(Default)]
pub struct MeshPart {
    /// Corner positions.
    pub positions: Vec<[f32; 3]>,
    /// Corner normals, or empty.
    pub normals: Vec<[f32; 3]>,
    /// Texture coordinates, or empty.
    pub uvs: Vec<[f32; 2]>,
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
        });
    }

    /// Adds a mesh part, placed by `transform`, to the object started last. Corner indices must be in range.
    pub fn add_part(&mut self, part: &MeshPart, transform: &Mat4) {
        let base = self.positions.len() as u32;
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
        for (i, &p) in part.positions.iter().enumerate() {
            self.positions.push(transform.transform_point3(p.into()));
            let normal = part.normals.get(i).map_or(Vec3::ZERO, |&n| {
                (cofactor * Vec3::from(n) * sign).normalize_or_zero()
            });
            self.normals.push(normal);
            self.uvs
                .push(part.uvs.get(i).map_or(Vec2::ZERO, |&uv| uv.into()));
        }
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

    /// Builds what tracing needs. `name` is for the message if there is nothing to trace.
    pub fn build(mut self, sky: Sky, name: &str) -> Result<Scene, TraceError> {
        if self.triangles.is_empty() {
            return Err(TraceError::Empty { name: name.into() });
        }
        self.objects.shrink_to_fit();
        let accel = Accel::build(&self.positions, &self.triangles);
        let mut scene = Scene {
            positions: self.positions,
            normals: self.normals,
            uvs: self.uvs,
            triangles: self.triangles,
            owners: self.owners,
            objects: self.objects,
            materials: self.materials,
            pictures: self.pictures,
            accel,
            lights: Lights::default(),
            sky,
        };
        scene.lights = Lights::gather(&scene);
        Ok(scene)
    }
}

/// A scene that can be traced.
pub struct Scene {
    pub(crate) positions: Vec<Vec3>,
    normals: Vec<Vec3>,
    uvs: Vec<Vec2>,
    pub(crate) triangles: Vec<[u32; 3]>,
    pub(crate) owners: Vec<Owner>,
    objects: Vec<Object>,
    materials: Vec<Material>,
    pictures: Vec<Rgba8>,
    pub(crate) accel: Accel,
    pub(crate) lights: Lights,
    /// What the file says surrounds it; renders are told their own.
    pub sky: Sky,
}

/// A point of a surface, ready to be lit.
pub(crate) struct Surface {
    pub(crate) position: Vec3,
    /// Geometric normal, on the side of the viewer.
    pub(crate) geometric: Vec3,
    /// Shading normal, on the side of the viewer.
    pub(crate) shading: Vec3,
    pub(crate) gloss: Gloss,
    pub(crate) emission: Vec3,
}

impl Scene {
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

    /// Number of triangles.
    pub fn triangle_count(&self) -> usize {
        self.triangles.len()
    }

    /// Number of triangles that give light.
    pub fn emitting_triangles(&self) -> usize {
        self.lights.len()
    }

    /// Lowest and highest corner of everything, metres.
    pub fn bounds(&self) -> (Vec3, Vec3) {
        self.objects
            .iter()
            .filter(|o| o.triangles > 0)
            .fold((Vec3::INFINITY, Vec3::NEG_INFINITY), |(low, high), o| {
                (low.min(o.min), high.max(o.max))
            })
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

    pub(crate) fn material_of(&self, triangle: u32) -> &Material {
        &self.materials[self.owners[triangle as usize].material as usize]
    }

    pub(crate) fn uv(&self, triangle: u32, u: f32, v: f32) -> Vec2 {
        let [a, b, c] = self.triangles[triangle as usize].map(|i| self.uvs[i as usize]);
        a * (1.0 - u - v) + b * u + c * v
    }

    pub(crate) fn emission(&self, material: &Material, uv: Vec2) -> Vec3 {
        let factor = Vec3::from(material.emission);
        match &material.emission_texture {
            Some(t) if material.emits() => factor * t.sample(&self.pictures, uv, true).truncate(),
            _ => factor,
        }
    }

    pub(crate) fn surface(&self, hit: &Hit, ray: &TraceRay) -> Surface {
        let triangle = hit.triangle as usize;
        let [p0, p1, p2] = self.corners(hit.triangle);
        let (u, v) = (hit.u, hit.v);
        let outward = (p1 - p0).cross(p2 - p0).normalize_or_zero();
        let side = if outward.dot(ray.direction) > 0.0 {
            -1.0
        } else {
            1.0
        };
        let geometric = outward * side;
        let [n0, n1, n2] = self.triangles[triangle].map(|i| self.normals[i as usize]);
        let smooth = (n0 * (1.0 - u - v) + n1 * u + n2 * v).normalize_or_zero() * side;
        // A missing normal, or one that turns away from the viewer, gives way to the true one.
        let faces = smooth.dot(ray.direction) < -1e-3 && smooth.dot(geometric) > 0.0;
        let shading = if faces { smooth } else { geometric };

        let material = self.material_of(hit.triangle);
        let uv = self.uv(hit.triangle, u, v);
        let mut base = Vec3::from(material.base_colour);
        if let Some(t) = &material.base_texture {
            base *= t.sample(&self.pictures, uv, true).truncate();
        }
        let (mut metallic, mut roughness) = (material.metallic, material.roughness);
        if let Some(t) = &material.metallic_roughness_texture {
            let mr = t.sample(&self.pictures, uv, false);
            roughness *= mr.y;
            metallic *= mr.z;
        }
        Surface {
            // From the corners, not along the ray: exact to the triangle's own rounding.
            position: p0 * (1.0 - u - v) + p1 * u + p2 * v,
            geometric,
            shading,
            gloss: Gloss {
                base: base.clamp(Vec3::ZERO, Vec3::ONE),
                metallic: metallic.clamp(0.0, 1.0),
                roughness: roughness.clamp(0.0, 1.0),
                specular: material.specular,
                ior: material.ior,
            },
            emission: self.emission(material, uv),
        }
    }
}
