//! Writing a scene as binary glTF 2.0.

use crate::shape::Mesh;
use glam::{Mat4, Quat, Vec3};
use image::{ImageEncoder, RgbImage};
use serde_json::{Value, json};
use std::ops::Range;

/// A material to be named by nodes.
#[derive(Clone, Debug)]
pub struct Paint {
    /// Name.
    pub name: &'static str,
    /// Linear base colour.
    pub colour: [f32; 3],
    /// 0 or 1.
    pub metallic: f32,
    /// 0 smooth to 1 rough.
    pub roughness: f32,
    /// Emitted radiance: colour (0 to 1) and strength.
    pub glow: Option<([f32; 3], f32)>,
    /// Texture of the base colour, and how many metres (or turns) it spans.
    pub texture: Option<(usize, [f32; 2])>,
}

impl Paint {
    /// A plain paint.
    pub fn new(name: &'static str, colour: [f32; 3], metallic: f32, roughness: f32) -> Self {
        Self {
            name,
            colour,
            metallic,
            roughness,
            glow: None,
            texture: None,
        }
    }

    /// The paint with a picture that spans `metres`.
    pub fn textured(mut self, texture: usize, metres: [f32; 2]) -> Self {
        self.texture = Some((texture, metres));
        self
    }

    /// The paint with a glow.
    pub fn glowing(mut self, colour: [f32; 3], strength: f32) -> Self {
        self.glow = Some((colour, strength));
        self
    }
}

/// Handle of a material.
#[derive(Clone, Copy, Debug)]
pub struct PaintId(usize);

/// Handle of a mesh that may be placed many times.
#[derive(Clone, Copy, Debug)]
pub struct MeshId(usize);

/// A scene being put together.
#[derive(Default)]
pub struct Stage {
    binary: Vec<u8>,
    views: Vec<Value>,
    accessors: Vec<Value>,
    meshes: Vec<Value>,
    nodes: Vec<Value>,
    materials: Vec<Value>,
    images: Vec<Value>,
    /// Names of groups and the nodes that each holds.
    groups: Vec<(String, Range<usize>)>,
    cameras: Vec<Value>,
    animations: Vec<Value>,
    /// Names of groups that turn, with what tells how.
    turning: Vec<(String, Value)>,
}

impl Stage {
    /// Adds a picture (sRGB) for textures.
    pub fn picture(&mut self, name: &str, picture: &RgbImage) -> usize {
        let mut png = Vec::new();
        image::codecs::png::PngEncoder::new(&mut png)
            .write_image(
                picture.as_raw(),
                picture.width(),
                picture.height(),
                image::ExtendedColorType::Rgb8,
            )
            .expect("a picture in memory can be written to memory");
        let view = self.view(&png, None);
        self.images
            .push(json!({"name": name, "bufferView": view, "mimeType": "image/png"}));
        self.images.len() - 1
    }

    /// Adds a material.
    pub fn paint(&mut self, p: Paint) -> PaintId {
        let [r, g, b] = p.colour;
        let mut pbr = json!({
            "baseColorFactor": [r, g, b, 1.0],
            "metallicFactor": p.metallic,
            "roughnessFactor": p.roughness,
        });
        if let Some((texture, [w, h])) = p.texture {
            pbr["baseColorTexture"] = json!({
                "index": texture,
                "extensions": {"KHR_texture_transform": {"scale": [1.0 / w, 1.0 / h]}},
            });
        }
        let mut material = json!({"name": p.name, "pbrMetallicRoughness": pbr});
        if let Some((colour, strength)) = p.glow {
            material["emissiveFactor"] = json!(colour);
            material["extensions"] =
                json!({"KHR_materials_emissive_strength": {"emissiveStrength": strength}});
        }
        self.materials.push(material);
        PaintId(self.materials.len() - 1)
    }

    fn view(&mut self, bytes: &[u8], target: Option<u32>) -> usize {
        self.binary.resize(self.binary.len().next_multiple_of(4), 0);
        let mut view =
            json!({"buffer": 0, "byteOffset": self.binary.len(), "byteLength": bytes.len()});
        if let Some(t) = target {
            view["target"] = json!(t);
        }
        self.binary.extend(bytes);
        self.views.push(view);
        self.views.len() - 1
    }

    fn accessor(
        &mut self,
        bytes: Vec<u8>,
        count: usize,
        kind: &str,
        component: u32,
        target: u32,
    ) -> usize {
        let view = self.view(&bytes, Some(target));
        self.accessors.push(
            json!({"bufferView": view, "componentType": component, "count": count, "type": kind}),
        );
        self.accessors.len() - 1
    }

    /// Adds a mesh of one material.
    pub fn mesh(&mut self, name: &str, mesh: &Mesh, paint: PaintId) -> MeshId {
        const FLOAT: u32 = 5126;
        const UINT: u32 = 5125;
        let floats =
            |v: &mut dyn Iterator<Item = f32>| v.flat_map(f32::to_le_bytes).collect::<Vec<u8>>();
        let n = mesh.positions.len();
        let positions = floats(&mut mesh.positions.iter().flat_map(|p| p.to_array()));
        let normals = floats(&mut mesh.normals.iter().flat_map(|p| p.to_array()));
        let uvs = floats(&mut mesh.uvs.iter().flat_map(|p| p.to_array()));
        // Where a profile touches its axis, half of the triangles have no area.
        let kept: Vec<u32> = mesh
            .indices
            .as_chunks::<3>()
            .0
            .iter()
            .filter(|t| {
                let [a, b, c] = t.map(|i| mesh.positions[i as usize]);
                (b - a).cross(c - a).length() > 1e-12
            })
            .flatten()
            .copied()
            .collect();
        let indices: Vec<u8> = kept.iter().flat_map(|i| i.to_le_bytes()).collect();
        let position = self.accessor(positions, n, "VEC3", FLOAT, 34962);
        let low = mesh
            .positions
            .iter()
            .copied()
            .reduce(|a, b| a.min(b))
            .unwrap_or_default();
        let high = mesh
            .positions
            .iter()
            .copied()
            .reduce(|a, b| a.max(b))
            .unwrap_or_default();
        self.accessors[position]["min"] = json!(low.to_array());
        self.accessors[position]["max"] = json!(high.to_array());
        let normal = self.accessor(normals, n, "VEC3", FLOAT, 34962);
        let uv = self.accessor(uvs, n, "VEC2", FLOAT, 34962);
        let index = self.accessor(indices, kept.len(), "SCALAR", UINT, 34963);
        self.meshes.push(json!({
            "name": name,
            "primitives": [{
                "attributes": {"POSITION": position, "NORMAL": normal, "TEXCOORD_0": uv},
                "indices": index,
                "material": paint.0,
            }],
        }));
        MeshId(self.meshes.len() - 1)
    }

    /// Places a mesh as an object.
    pub fn place(&mut self, name: &str, mesh: MeshId, at: Mat4) {
        let mut node = json!({"name": name, "mesh": mesh.0});
        if at != Mat4::IDENTITY {
            node["matrix"] = json!(at.to_cols_array());
        }
        self.nodes.push(node);
    }

    /// Adds a mesh and places it where it is.
    pub fn add(&mut self, name: &str, mesh: &Mesh, paint: PaintId) {
        let id = self.mesh(name, mesh, paint);
        self.place(name, id, Mat4::IDENTITY);
    }

    /// Everything that `build` places belongs together under a name.
    pub fn group(&mut self, name: &str, build: impl FnOnce(&mut Self)) {
        let first = self.nodes.len();
        build(self);
        self.groups.push((name.into(), first..self.nodes.len()));
    }

    /// A camera that goes through points (metres) at given times (seconds) in straight lines and never turns.
    pub fn walking_camera(&mut self, name: &str, times: &[f32], points: &[Vec3], heading_deg: f32) {
        let samplers = self.samplers(times, "VEC3", points.iter().flat_map(|p| p.to_array()));
        self.cameras.push(json!({
            "name": name,
            "type": "perspective",
            "perspective": {"yfov": 0.9, "znear": 0.05},
        }));
        let turn = Quat::from_rotation_y(-heading_deg.to_radians());
        self.nodes.push(json!({
            "name": name,
            "camera": self.cameras.len() - 1,
            "translation": points[0].to_array(),
            "rotation": turn.to_array(),
        }));
        self.animations.push(json!({
            "name": name,
            "samplers": samplers,
            "channels": [{"sampler": 0, "target": {"node": self.nodes.len() - 1, "path": "translation"}}],
        }));
    }

    /// Turns a group about the upright axis: clockwise angles in degrees at given times (seconds), evenly between them.
    pub fn turning(&mut self, group: &str, times: &[f32], degrees: &[f32]) {
        let turns =
            (degrees.iter()).flat_map(|d| Quat::from_rotation_y(-d.to_radians()).to_array());
        let samplers = self.samplers(times, "VEC4", turns);
        self.turning.push((group.into(), samplers));
    }

    /// Values of a kind at given times (seconds), with straight lines between them.
    fn samplers(&mut self, times: &[f32], kind: &str, values: impl Iterator<Item = f32>) -> Value {
        const FLOAT: u32 = 5126;
        let mut plain = |values: &[u8], kind: &str| {
            let view = self.view(values, None);
            self.accessors.push(
                json!({"bufferView": view, "componentType": FLOAT, "count": times.len(), "type": kind}),
            );
            self.accessors.len() - 1
        };
        let bytes: Vec<u8> = times.iter().flat_map(|t| t.to_le_bytes()).collect();
        let input = plain(&bytes, "SCALAR");
        let bytes: Vec<u8> = values.flat_map(f32::to_le_bytes).collect();
        let output = plain(&bytes, kind);
        self.accessors[input]["min"] = json!([times[0]]);
        self.accessors[input]["max"] = json!([times[times.len() - 1]]);
        json!([{"input": input, "output": output, "interpolation": "LINEAR"}])
    }

    /// The scene as `.glb` bytes; `extras` are the scene's own.
    pub fn finish(mut self, name: &str, extras: Value) -> Vec<u8> {
        self.binary.resize(self.binary.len().next_multiple_of(4), 0);
        // A group's node comes after all others, and stands in the scene where its first child was.
        let mut roots: Vec<Option<usize>> = (0..self.nodes.len()).map(Some).collect();
        for (name, held) in std::mem::take(&mut self.groups) {
            let children: Vec<usize> = held.clone().collect();
            roots[held.clone()].fill(None);
            roots[held.start] = Some(self.nodes.len());
            if let Some((_, samplers)) = self.turning.iter().find(|(group, _)| *group == name) {
                self.animations.push(json!({
                    "name": format!("{name} turns"),
                    "samplers": samplers,
                    "channels": [{"sampler": 0, "target": {"node": self.nodes.len(), "path": "rotation"}}],
                }));
            }
            self.nodes.push(json!({"name": name, "children": children}));
        }
        let nodes: Vec<usize> = roots.into_iter().flatten().collect();
        let textures: Vec<Value> = (0..self.images.len())
            .map(|i| json!({"source": i}))
            .collect();
        let document = json!({
            "asset": {"version": "2.0", "generator": "Owl Dome, Merlow Observatory"},
            "extensionsUsed": ["KHR_materials_emissive_strength", "KHR_texture_transform"],
            "scene": 0,
            "scenes": [{"name": name, "nodes": nodes, "extras": extras}],
            "nodes": self.nodes,
            "meshes": self.meshes,
            "materials": self.materials,
            "textures": textures,
            "images": self.images,
            "cameras": self.cameras,
            "animations": self.animations,
            "accessors": self.accessors,
            "bufferViews": self.views,
            "buffers": [{"byteLength": self.binary.len()}],
        });
        let mut text = document.to_string().into_bytes();
        text.resize(text.len().next_multiple_of(4), b' ');
        let total = 12 + 8 + text.len() + 8 + self.binary.len();
        let mut out = Vec::with_capacity(total);
        out.extend(b"glTF");
        out.extend(2u32.to_le_bytes());
        out.extend((total as u32).to_le_bytes());
        out.extend((text.len() as u32).to_le_bytes());
        out.extend(b"JSON");
        out.extend(text);
        out.extend((self.binary.len() as u32).to_le_bytes());
        out.extend(b"BIN\0");
        out.extend(self.binary);
        out
    }
}
