//! glTF 2.0 scenes: nodes, instances, lamps, cameras, at one moment of their motion.

use super::gltf_buffers::{self, ANY_NUMBER, check_accessors, is_kind, vectors};
use super::gltf_clean::clean;
use super::gltf_groups::Groups;
use super::gltf_material::{load_materials, load_pictures};
use super::gltf_mesh::load_meshes;
use super::gltf_meshopt;
use super::gltf_motion;
use super::gltf_paths;
use super::report::{Tally, counted};
use super::{ImportOptions, Imported, Read, Up};
use crate::error::TraceError;
use crate::lamp::{Lamp, LampKind};
use crate::photometry::ToldLight;
use crate::scene::{CameraLens, Mesh, SceneBuilder, SceneCamera, Stands};
use crate::sky::Sky;
use dome_files::FileError;
use dome_files::budget;
use dome_files::contain::contain;
use dome_files::error::display_name;
use dome_optics::Orientation;
use glam::{DMat4, DQuat, DVec3, Vec3};
use gltf::accessor::Dimensions;
use serde_json::Value;
use std::path::Path;
use std::sync::Arc;

/// Extensions that are understood, required or not.
const UNDERSTOOD: [&str; 15] = [
    "EXT_meshopt_compression",
    "KHR_meshopt_compression",
    "EXT_texture_webp",
    "KHR_materials_emissive_strength",
    "KHR_materials_ior",
    "KHR_materials_specular",
    "KHR_materials_transmission",
    "KHR_materials_volume",
    "KHR_materials_clearcoat",
    "KHR_materials_sheen",
    "KHR_materials_unlit",
    "KHR_texture_transform",
    "KHR_lights_punctual",
    "KHR_mesh_quantization",
    "EXT_mesh_gpu_instancing",
];
/// Most nodes that are placed; a document whose nodes share children could name many more.
const MAX_PLACED: usize = 5_000_000;
/// Most placed nodes that are put into groups and followed on their way.
const MOST_FOLLOWED: usize = 200_000;

pub(super) fn load(path: &Path, options: &ImportOptions) -> Result<Imported, TraceError> {
    let name = display_name(path);
    let length = std::fs::metadata(path)
        .map_err(FileError::io("Reading", path))?
        .len();
    // The file's bytes, their binary part once more, and the JSON as values.
    let _memory = budget::claim(3 * length, &name)?;
    contain(&name, || read(path, &name, options))?
}

fn read(path: &Path, name: &str, options: &ImportOptions) -> Result<Imported, TraceError> {
    let bytes = std::fs::read(path).map_err(FileError::io("Reading", path))?;
    let folder = path.parent().unwrap_or(Path::new("."));
    let binary = bytes.starts_with(b"glTF");
    let (mut json, blob) = check_header(&bytes, name)?;
    let blob = blob.map(<[u8]>::to_vec);
    drop(bytes);
    let mut tally = Tally::default();
    clean(&mut json, &mut tally);
    let root = gltf::json::deserialize::from_value(json.clone())
        .map_err(|e| TraceError::damaged(name, e))?;
    let document = gltf::Document::from_json(root).map_err(|e| TraceError::damaged(name, e))?;
    let (mut buffers, _memory) = gltf_buffers::load(&document, &json, blob, folder, name)?;
    gltf_meshopt::decode(&json, &mut buffers, name)?;
    check_accessors(&document, &buffers, name)?;

    let mut notices = Vec::new();
    for used in json["extensionsUsed"].as_array().into_iter().flatten() {
        if let Some(extension) = used.as_str().filter(|e| !UNDERSTOOD.contains(e)) {
            tally.add_named(
                format!("extension {extension}"),
                "it is not understood; the scene is shown without it",
            );
        }
    }
    let mut builder = SceneBuilder::default();
    builder.pictures = load_pictures(&document, &buffers, folder, name, &mut notices);
    load_materials(&json, &mut builder, &mut tally);
    let (meshes, mesh_memory) = load_meshes(&document, &buffers, name, &mut tally)?;
    let meshes: Vec<Arc<Mesh>> = meshes.into_iter().map(Arc::new).collect();
    builder.mesh_memory = mesh_memory;
    let (rig, motion) = gltf_motion::rig(&document, &json, &buffers, name, &mut tally)?;
    builder.rig = rig;

    let scene = document
        .default_scene()
        .or_else(|| document.scenes().next())
        .ok_or_else(|| TraceError::damaged(name, "it has no scene to show"))?;
    let mut placer = Placer {
        document: &document,
        json: &json,
        buffers: &buffers,
        meshes: &meshes,
        groups: Groups::default(),
        builder: &mut builder,
        name,
    };
    for node in scene.nodes() {
        placer.stand(node)?;
    }
    // Nodes that share children over and over are placed, but neither grouped nor followed.
    let sane = placer.builder.rig.placed() <= MOST_FOLLOWED;
    if sane {
        placer.groups = Groups::of(&scene);
    }
    placer.place_all(&mut tally)?;
    let groups = placer.groups.found;
    builder.groups = groups;
    if sane {
        builder.movers = gltf_paths::movers(&document, &scene, &builder.rig, motion.length_s);
    }
    let sky = scene_sky(&json["scenes"][scene.index()], &mut notices);
    let told_light = told_light(&json["scenes"][scene.index()], &mut notices);
    let skins = document.skins().len();
    let read = Read {
        builder,
        format: if binary {
            "glTF 2.0 (binary)"
        } else {
            "glTF 2.0"
        },
        tally,
        notices,
        motion,
        understood: (skins > 0)
            .then(|| counted(skins, "skin", ""))
            .into_iter()
            .collect(),
        sky,
        told_light,
        // glTF 2.0, section 3.4: Y is up, always.
        says_up: Some(Up::Y),
        ..Read::default()
    };
    drop((document, buffers, json, meshes));
    read.finish(options, name)
}

/// Places nodes: first all are found with what they stand on, since skins need joints that come later.
struct Placer<'a> {
    document: &'a gltf::Document,
    json: &'a Value,
    buffers: &'a [Vec<u8>],
    meshes: &'a [Arc<Mesh>],
    groups: Groups,
    builder: &'a mut SceneBuilder,
    name: &'a str,
}

impl Placer<'_> {
    /// Places a node and all below it, parents before children. A chain that is longer than the file has nodes is a circle.
    fn stand(&mut self, node: gltf::Node<'_>) -> Result<(), TraceError> {
        let most = self.document.nodes().len();
        let mut open = vec![(node, None, 1)];
        while let Some((node, parent, depth)) = open.pop() {
            let refuse = |what: String| Err(TraceError::damaged(self.name, what));
            if depth > most {
                return refuse(format!("its node {} stands below itself", node.index()));
            }
            if self.builder.rig.placed() > MAX_PLACED {
                return refuse(format!("its nodes stand in more than {MAX_PLACED} places"));
            }
            let entry = self.builder.rig.stand(node.index() as u32, parent);
            let children: Vec<_> = node.children().collect();
            open.extend((children.into_iter().rev()).map(|child| (child, Some(entry), depth + 1)));
        }
        Ok(())
    }

    fn place_all(&mut self, tally: &mut Tally) -> Result<(), TraceError> {
        let nodes: Vec<gltf::Node> = self.document.nodes().collect();
        for entry in 0..self.builder.rig.placed() as u32 {
            let index = self.builder.rig.node(entry) as usize;
            let node = &nodes[index];
            if let Some(mesh) = node.mesh() {
                self.place_mesh(node, &mesh, entry, tally)?;
            }
            let label = |kind: &str| {
                node.name()
                    .map_or_else(|| format!("{kind} {index}"), str::to_owned)
            };
            if let Some(camera) = node.camera() {
                self.builder.cameras.push(SceneCamera {
                    name: node
                        .name()
                        .or(camera.name())
                        .map_or_else(|| format!("camera {index}"), str::to_owned),
                    // Where the node stands is found when the scene is placed.
                    position: [0.0; 3],
                    orientation: Orientation::default(),
                    node: index as u32,
                    lens: match camera.projection() {
                        gltf::camera::Projection::Perspective(p) => lens(&p),
                        gltf::camera::Projection::Orthographic(_) => None,
                    },
                });
            }
            let lamp = &self.json["nodes"][index]["extensions"]["KHR_lights_punctual"]["light"];
            if let Some(i) = lamp.as_u64() {
                let light = &self.json["extensions"]["KHR_lights_punctual"]["lights"][i as usize];
                let name = node
                    .name()
                    .or(light["name"].as_str())
                    .map_or_else(|| label("lamp"), str::to_owned);
                match lamp_of(light, name) {
                    Some(lamp) => {
                        let path = self.path(entry, &lamp.name);
                        self.builder.lamp_paths.push(path);
                        self.builder.lamps.push(lamp);
                        self.builder.lamps_on.push(Some(entry));
                    }
                    None => tally.add("lamp of an unknown kind", "it gives no light"),
                }
            }
        }
        Ok(())
    }

    /// Names from the top down to something that is called `last` and stands on an entry.
    fn path(&self, entry: u32, last: &str) -> String {
        let mut names = vec![last];
        let mut at = self.builder.rig.parent(entry);
        while let Some(above) = at {
            let node = self.builder.rig.node(above) as usize;
            names.push(self.json["nodes"][node]["name"].as_str().unwrap_or("?"));
            at = self.builder.rig.parent(above);
        }
        names.reverse();
        names.join("/")
    }

    fn place_mesh(
        &mut self,
        node: &gltf::Node,
        mesh: &gltf::Mesh,
        entry: u32,
        tally: &mut Tally,
    ) -> Result<(), TraceError> {
        let label = node.name().or(mesh.name());
        let label = label.map_or_else(|| format!("object {}", node.index()), str::to_owned);
        let instances = self.instances(node)?;
        let mesh = &self.meshes[mesh.index()];
        let copies = instances.as_ref().map_or(1, Vec::len);
        let more = mesh.triangles().saturating_mul(copies);
        if self.builder.triangle_count().saturating_add(more) >= u32::MAX as usize {
            return Err(TraceError::unsupported(
                self.name,
                format!(
                    "it has more than {} triangles with all its copies; make fewer of them",
                    u32::MAX
                ),
            ));
        }
        let path = self.path(entry, &label);
        self.builder.start_object_at(label, path);
        if let Some(group) = self.groups.of_node.get(&node.index()) {
            self.builder.in_group(*group);
        }
        let weights = node.weights().unwrap_or(&mesh.weights).to_vec();
        let skin = node.skin().map(|s| s.index());
        let within = instances.unwrap_or_else(|| vec![DMat4::IDENTITY]);
        if within.len() > 1 && skin.is_some() {
            tally.add(
                "instanced mesh with a skin",
                "its copies may stand elsewhere",
            );
        }
        for within in within {
            let stands = Stands::On { entry, within };
            let mesh = Arc::clone(mesh);
            self.builder.add_mesh(mesh, stands, weights.clone(), skin);
        }
        Ok(())
    }

    /// Where the copies of an instanced node stand within it (EXT_mesh_gpu_instancing).
    fn instances(&self, node: &gltf::Node) -> Result<Option<Vec<DMat4>>, TraceError> {
        let attributes = &self.json["nodes"][node.index()]["extensions"]["EXT_mesh_gpu_instancing"]
            ["attributes"];
        if !attributes.is_object() {
            return Ok(None);
        }
        let read = |key: &str, kind: Dimensions| -> Result<Option<Vec<[f32; 4]>>, TraceError> {
            let Some(index) = attributes[key].as_u64() else {
                return Ok(None);
            };
            let accessor = self
                .document
                .accessors()
                .nth(index as usize)
                .filter(|a| is_kind(a, &[kind], &ANY_NUMBER));
            let Some(accessor) = accessor else {
                return Err(TraceError::damaged(
                    self.name,
                    format!("the copies of node {} have a wrong {key}", node.index()),
                ));
            };
            Ok(Some(vectors::<4>(&accessor, self.buffers, 0.0)))
        };
        let translations = read("TRANSLATION", Dimensions::Vec3)?;
        let rotations = read("ROTATION", Dimensions::Vec4)?;
        let scales = read("SCALE", Dimensions::Vec3)?;
        let count = [&translations, &rotations, &scales]
            .into_iter()
            .flatten()
            .map(Vec::len)
            .min()
            .unwrap_or(0);
        let three = |v: &Option<Vec<[f32; 4]>>, i: usize, usual: DVec3| {
            v.as_ref().map_or(usual, |v| {
                let [x, y, z, _] = v[i].map(f64::from);
                DVec3::new(x, y, z)
            })
        };
        Ok(Some(
            (0..count)
                .map(|i| {
                    let turn = rotations.as_ref().map_or(DQuat::IDENTITY, |r| {
                        DQuat::from_array(r[i].map(f64::from)).normalize()
                    });
                    DMat4::from_scale_rotation_translation(
                        three(&scales, i, DVec3::ONE),
                        turn,
                        three(&translations, i, DVec3::ZERO),
                    )
                })
                .collect(),
        ))
    }
}

/// A camera's lens, if its numbers are those of one.
fn lens(perspective: &gltf::camera::Perspective) -> Option<CameraLens> {
    let vfov = f64::from(perspective.yfov());
    let ratio = (perspective.aspect_ratio().map(f64::from)).filter(|r| r.is_finite() && *r > 0.0);
    (vfov > 0.0 && vfov < std::f64::consts::PI).then_some(CameraLens { vfov, ratio })
}

/// A lamp of KHR_lights_punctual, shining along its node's -Z.
fn lamp_of(light: &Value, name: String) -> Option<Lamp> {
    let number = |v: &Value, usual: f64| v.as_f64().filter(|x| x.is_finite()).unwrap_or(usual);
    let kind = match light["type"].as_str()? {
        "point" => LampKind::Point,
        "directional" => LampKind::Directional,
        "spot" => {
            let spot = &light["spot"];
            let cosine =
                |v: &Value, usual: f64| number(v, usual).clamp(0.0, std::f64::consts::PI).cos();
            LampKind::Spot {
                inner_cos: cosine(&spot["innerConeAngle"], 0.0) as f32,
                outer_cos: cosine(&spot["outerConeAngle"], std::f64::consts::FRAC_PI_4) as f32,
            }
        }
        _ => return None,
    };
    let intensity = number(&light["intensity"], 1.0).max(0.0) as f32;
    Some(Lamp {
        name,
        kind,
        position: Vec3::ZERO,
        direction: Vec3::NEG_Z,
        intensity: std::array::from_fn(|i| {
            number(&light["color"][i], 1.0).max(0.0) as f32 * intensity
        }),
        range: light["range"]
            .as_f64()
            .filter(|r| *r > 0.0)
            .map(|r| r as f32),
        beam: None,
    })
}

/// What can be told before the file is read: versions and demands that are not met.
fn check_header<'a>(bytes: &'a [u8], name: &str) -> Result<(Value, Option<&'a [u8]>), TraceError> {
    if bytes.is_empty() {
        return Err(TraceError::damaged(name, "the file is empty"));
    }
    let mut blob = None;
    let json = if bytes.starts_with(b"glTF") {
        let word = |at: usize| {
            bytes
                .get(at..at + 4)
                .map(|b| u32::from_le_bytes([b[0], b[1], b[2], b[3]]))
        };
        let (version, length, json) = (word(4), word(8), word(12));
        if version != Some(2) {
            return Err(TraceError::unsupported(
                name,
                format!(
                    "it is binary glTF version {}; export it as glTF 2.0",
                    version.unwrap_or(0)
                ),
            ));
        }
        if length.is_none_or(|l| l as usize > bytes.len()) {
            return Err(TraceError::damaged(
                name,
                format!(
                    "its header tells {} bytes and {} are there",
                    length.unwrap_or(0),
                    bytes.len()
                ),
            ));
        }
        let end = 20usize.saturating_add(json.unwrap_or(0) as usize);
        let text = bytes
            .get(20..end)
            .ok_or_else(|| TraceError::damaged(name, "its JSON part is cut short"))?;
        // The second part, if there is one, is the binary one; a part that is cut short ends early and
        // is found out by the buffers' lengths.
        let end = end.next_multiple_of(4);
        if let Some(length) = word(end) {
            let rest = bytes.get(end + 8..).unwrap_or_default();
            blob = Some(&rest[..rest.len().min(length as usize)]);
        }
        text
    } else {
        bytes
    };
    let value: Value = serde_json::from_slice(json)
        .map_err(|e| TraceError::damaged(name, format!("its JSON is wrong: {e}")))?;
    let version = value["asset"]["version"].as_str().unwrap_or("unknown");
    if !version.starts_with("2.") {
        return Err(TraceError::unsupported(
            name,
            format!("it is glTF version {version}; export it as glTF 2.0"),
        ));
    }
    // The library looks at these accessors before it has checked that they are there.
    let accessors = value["accessors"].as_array().map_or(0, Vec::len) as u64;
    let meshes = value["meshes"].as_array().into_iter().flatten();
    for primitive in meshes.flat_map(|m| m["primitives"].as_array().into_iter().flatten()) {
        let attributes = primitive["attributes"]
            .as_object()
            .into_iter()
            .flat_map(|a| a.values());
        if let Some(missing) = attributes
            .filter_map(Value::as_u64)
            .find(|&i| i >= accessors)
        {
            return Err(TraceError::damaged(
                name,
                format!("a mesh uses accessor {missing} of {accessors}"),
            ));
        }
    }
    let required = value["extensionsRequired"].as_array().into_iter().flatten();
    if let Some(missing) = required
        .filter_map(|v| v.as_str())
        .find(|e| !UNDERSTOOD.contains(e))
    {
        let remedy = match missing {
            "KHR_draco_mesh_compression" => {
                "its meshes are compressed; export it with mesh compression switched off"
            }
            "KHR_texture_basisu" | "EXT_texture_avif" => "export its textures as PNG, JPEG or WebP",
            _ => "export it without that extension",
        };
        return Err(TraceError::unsupported(
            name,
            format!("it requires the extension {missing}, which is not understood; {remedy}"),
        ));
    }
    Ok((value, blob))
}

/// What a scene says of its light in its extras, as `{"light": {"file_cd_m2": 1, "sky_cd_m2": 80, "white_cd_m2": 80}}`.
fn told_light(scene: &Value, notices: &mut Vec<String>) -> Option<ToldLight> {
    let light = scene["extras"].get("light")?;
    let told = serde_json::from_value::<ToldLight>(light.clone());
    let told = told.ok().filter(ToldLight::is_valid);
    if told.is_none() {
        notices
            .push("What the scene says of its own light is not understood; it is guessed.".into());
    }
    told
}

/// The sky that a scene brings in its extras, as `{"sky": {"kind": "two-colour", "zenith": [..], "horizon": [..]}}`.
fn scene_sky(scene: &Value, notices: &mut Vec<String>) -> Sky {
    let Some(sky) = scene["extras"].get("sky") else {
        return Sky::default();
    };
    match serde_json::from_value::<Sky>(sky.clone()) {
        Ok(sky) if sky.is_valid() => sky,
        _ => {
            notices
                .push("The scene brings a sky that is not understood; a plain day is used.".into());
            Sky::default()
        }
    }
}
