//! glTF 2.0 scenes: nodes, meshes, instances.

use super::gltf_buffers::{self, check_accessors, is_kind};
use super::gltf_material::{load_materials, load_pictures};
use super::report::{self, Tally};
use super::{Imported, MAX_TRIANGLES};
use crate::error::TraceError;
use crate::scene::{MeshPart, SceneBuilder};
use crate::sky::Sky;
use dome_files::FileError;
use dome_files::error::display_name;
use glam::Mat4;
use gltf::accessor::{DataType, Dimensions};
use gltf::mesh::Mode;
use serde_json::Value;
use std::path::Path;

/// Required extensions that are understood.
const UNDERSTOOD: [&str; 4] = [
    "KHR_materials_emissive_strength",
    "KHR_materials_ior",
    "KHR_materials_specular",
    "KHR_texture_transform",
];
/// Deepest chain of nodes that is followed.
const MAX_DEPTH: usize = 256;

pub(super) fn load(path: &Path) -> Result<Imported, TraceError> {
    let name = display_name(path);
    let bytes = std::fs::read(path).map_err(FileError::io("Reading", path))?;
    let folder = path.parent().unwrap_or(Path::new("."));
    let binary = bytes.starts_with(b"glTF");
    check_header(&bytes, &name)?;
    let gltf = gltf::Gltf::from_slice(&bytes).map_err(|e| TraceError::damaged(&name, e))?;
    drop(bytes);
    let (document, blob) = (gltf.document, gltf.blob);
    let buffers = gltf_buffers::load(&document, blob, folder, &name)?;
    check_accessors(&document, &buffers, &name)?;

    let mut tally = Tally::default();
    let mut notices = Vec::new();
    let mut builder = SceneBuilder::default();
    builder.pictures = load_pictures(&document, &buffers, folder, &name, &mut notices)?;
    load_materials(&document, &mut builder, &mut tally);
    let parts = load_meshes(&document, &buffers, &name, &mut tally)?;

    let scene = document
        .default_scene()
        .or_else(|| document.scenes().next())
        .ok_or_else(|| TraceError::damaged(&name, "it has no scene to show"))?;
    for node in scene.nodes() {
        place(
            &node,
            Mat4::IDENTITY,
            0,
            &parts,
            &mut builder,
            &mut tally,
            &name,
        )?;
    }
    for animation in document.animations() {
        let _ = animation;
        tally.add(
            "animation",
            "the scene is rendered at rest; motion is not rendered yet",
        );
    }
    let sky = scene_sky(&scene, &mut notices);
    let kind = if binary {
        "glTF 2.0 (binary)"
    } else {
        "glTF 2.0"
    };
    let mut report = report::finish(kind, tally, &builder);
    report.notices = notices;
    let scene = builder.build(sky, &name)?;
    report.judge(&scene);
    Ok(Imported { scene, report })
}

/// What can be told before the file is read: versions and demands that are not met.
fn check_header(bytes: &[u8], name: &str) -> Result<(), TraceError> {
    if bytes.is_empty() {
        return Err(TraceError::damaged(name, "the file is empty"));
    }
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
        bytes
            .get(20..20usize.saturating_add(json.unwrap_or(0) as usize))
            .ok_or_else(|| TraceError::damaged(name, "its JSON part is cut short"))?
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
        return Err(TraceError::unsupported(
            name,
            format!(
                "it requires the extension {missing}, which is not understood; export it without that extension"
            ),
        ));
    }
    Ok(())
}

/// The mesh parts by mesh.
fn load_meshes(
    document: &gltf::Document,
    buffers: &[Vec<u8>],
    name: &str,
    tally: &mut Tally,
) -> Result<Vec<Vec<MeshPart>>, TraceError> {
    document
        .meshes()
        .map(|mesh| {
            let label = format!(
                "mesh {}",
                mesh.name()
                    .map_or_else(|| mesh.index().to_string(), |n| format!("\"{n}\""))
            );
            mesh.primitives()
                .filter_map(|p| {
                    load_primitive(&p, buffers, document, &label, name, tally).transpose()
                })
                .collect()
        })
        .collect()
}

fn load_primitive(
    primitive: &gltf::Primitive,
    buffers: &[Vec<u8>],
    document: &gltf::Document,
    label: &str,
    name: &str,
    tally: &mut Tally,
) -> Result<Option<MeshPart>, TraceError> {
    if matches!(
        primitive.mode(),
        Mode::Points | Mode::Lines | Mode::LineLoop | Mode::LineStrip
    ) {
        tally.add("mesh of points or lines", "they have no surface to render");
        return Ok(None);
    }
    if primitive.morph_targets().next().is_some() {
        tally.add(
            "mesh with morph targets",
            "it is rendered in its plain shape",
        );
    }
    let bad = |what: &str| TraceError::damaged(name, format!("{label} {what}"));
    let float = [DataType::F32];
    let uv_types = [DataType::F32, DataType::U8, DataType::U16];
    let index_types = [DataType::U8, DataType::U16, DataType::U32];
    let Some(positions) = primitive.get(&gltf::Semantic::Positions) else {
        return Err(bad("has no positions"));
    };
    let normals = primitive.get(&gltf::Semantic::Normals);
    let uvs = primitive.get(&gltf::Semantic::TexCoords(0));
    if !is_kind(&positions, Dimensions::Vec3, &float)
        || normals
            .as_ref()
            .is_some_and(|a| !is_kind(a, Dimensions::Vec3, &float))
        || uvs
            .as_ref()
            .is_some_and(|a| !is_kind(a, Dimensions::Vec2, &uv_types))
        || primitive
            .indices()
            .is_some_and(|a| !is_kind(&a, Dimensions::Scalar, &index_types))
    {
        return Err(bad(
            "has coordinates or indices of a type that is not understood",
        ));
    }
    if primitive.get(&gltf::Semantic::Colors(0)).is_some() {
        tally.add(
            "mesh with vertex colours",
            "the material's own colour is shown",
        );
    }
    let reader = primitive.reader(|b| buffers.get(b.index()).map(Vec::as_slice));
    let positions: Vec<[f32; 3]> = reader
        .read_positions()
        .ok_or_else(|| bad("has no positions"))?
        .collect();
    let count = positions.len() as u32;
    let indices: Vec<u32> = match reader.read_indices() {
        Some(indices) => indices.into_u32().collect(),
        None => (0..count).collect(),
    };
    if let Some(&i) = indices.iter().find(|&&i| i >= count) {
        return Err(bad(&format!("uses corner {i} of {count}")));
    }
    let triangles: Vec<[u32; 3]> = match primitive.mode() {
        Mode::TriangleStrip => indices
            .windows(3)
            .enumerate()
            .map(|(i, w)| {
                if i % 2 == 0 {
                    [w[0], w[1], w[2]]
                } else {
                    [w[1], w[0], w[2]]
                }
            })
            .collect(),
        Mode::TriangleFan => indices
            .windows(2)
            .skip(1)
            .map(|w| [indices[0], w[0], w[1]])
            .collect(),
        _ => indices
            .chunks_exact(3)
            .map(|c| [c[0], c[1], c[2]])
            .collect(),
    };
    // The last material is the plain one for parts that name none.
    let default = document.materials().len();
    Ok(Some(MeshPart {
        positions,
        normals: reader
            .read_normals()
            .map(Iterator::collect)
            .unwrap_or_default(),
        uvs: reader
            .read_tex_coords(0)
            .map(|t| t.into_f32().collect())
            .unwrap_or_default(),
        triangles,
        material: primitive.material().index().unwrap_or(default) as u32,
    }))
}

fn place(
    node: &gltf::Node,
    parent: Mat4,
    depth: usize,
    parts: &[Vec<MeshPart>],
    builder: &mut SceneBuilder,
    tally: &mut Tally,
    name: &str,
) -> Result<(), TraceError> {
    if depth > MAX_DEPTH {
        return Err(TraceError::damaged(
            name,
            format!("its nodes are nested deeper than {MAX_DEPTH} levels"),
        ));
    }
    let world = parent * Mat4::from_cols_array_2d(&node.transform().matrix());
    if let Some(mesh) = node.mesh() {
        let label = node.name().or(mesh.name());
        builder
            .start_object(label.map_or_else(|| format!("object {}", node.index()), str::to_owned));
        let parts = &parts[mesh.index()];
        let more: usize = parts.iter().map(|p| p.triangles.len()).sum();
        if builder.triangle_count() + more > MAX_TRIANGLES {
            return Err(TraceError::unsupported(
                name,
                format!(
                    "it has more than {MAX_TRIANGLES} triangles with all its instances; simplify it"
                ),
            ));
        }
        for part in parts {
            builder.add_part(part, &world);
        }
        if node.skin().is_some() {
            tally.add("skinned mesh", "it is rendered in its rest pose");
        }
    }
    if node.camera().is_some() {
        tally.add(
            "camera",
            "set viewpoints at Stand; cameras are not offered as viewpoints yet",
        );
    }
    if node.light().is_some() {
        tally.add(
            "point, spot or directional light",
            "only glowing surfaces and the sky give light yet",
        );
    }
    for child in node.children() {
        place(&child, world, depth + 1, parts, builder, tally, name)?;
    }
    Ok(())
}

/// The sky that a scene brings in its extras, as `{"sky": {"kind": "two-colour", "zenith": [..], "horizon": [..]}}`.
fn scene_sky(scene: &gltf::Scene, notices: &mut Vec<String>) -> Sky {
    let Some(extras) = scene.extras() else {
        return Sky::default();
    };
    let Ok(value) = serde_json::from_str::<serde_json::Value>(extras.get()) else {
        return Sky::default();
    };
    let Some(sky) = value.get("sky") else {
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
