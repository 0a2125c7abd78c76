//! Scenes that lie, that are odd but valid, and that are packed: one sentence or the scene, never a panic, never more
//! memory than the budget.

#[path = "../../../tests/support/scene.rs"]
mod scene;

use dome_files::budget;
use dome_trace::import::Imported;
use dome_trace::{ImportOptions, TraceError, load};
use glam::Vec3;
use serde_json::{Value, json};
use std::path::{Path, PathBuf};

fn file(folder: &Path, name: &str, bytes: &[u8]) -> PathBuf {
    let path = folder.join(name);
    std::fs::write(&path, bytes).unwrap();
    path
}

fn bring(path: &Path) -> Result<Imported, TraceError> {
    load(path, &ImportOptions::default())
}

/// The small room with something changed in its document.
fn changed(change: impl FnOnce(&mut Value)) -> Result<Imported, TraceError> {
    let folder = tempfile::tempdir().unwrap();
    let (mut document, binary) = scene::room();
    change(&mut document);
    bring(&file(
        folder.path(),
        "odd.glb",
        &scene::pack(&document, &binary),
    ))
}

fn animated(target: Value) -> impl FnOnce(&mut Value) {
    move |d| {
        d["animations"] = json!([{
            "samplers": [{"input": 0, "output": 0}],
            "channels": [{"sampler": 0, "target": target}],
        }]);
    }
}

#[test]
fn odd_animations_and_pictures_never_panic() {
    for (target, told) in [
        (json!({"node": 0, "path": "colour"}), "not known"),
        (json!({"node": 99, "path": "translation"}), "not there"),
        (json!({"node": -1, "path": "translation"}), "not there"),
        // KHR_animation_pointer: the standard allows a target without a node.
        (
            json!({"path": "pointer", "extensions": {"KHR_animation_pointer": {"pointer": "/materials/0/emissiveFactor"}}}),
            "no node",
        ),
    ] {
        let read = changed(animated(target.clone())).unwrap_or_else(|e| panic!("{target}: {e}"));
        assert!(
            read.report
                .left_out
                .iter()
                .any(|l| l.what.contains("animation channel") && l.why.contains(told)),
            "{target}: {:?}",
            read.report.left_out
        );
    }
    for image in [
        json!({}),
        json!({"bufferView": 0}),
        json!({"bufferView": 99}),
        json!({"uri": "data:image/png;base64,AAAA"}),
    ] {
        let read =
            changed(|d| d["images"] = json!([image])).unwrap_or_else(|e| panic!("{image}: {e}"));
        assert!(
            read.report
                .notices
                .iter()
                .any(|n| n.contains("White is used")),
            "{image}: {:?}",
            read.report.notices
        );
    }
}

#[test]
fn material_libraries_without_numbers_never_panic() {
    let folder = tempfile::tempdir().unwrap();
    let obj = file(
        folder.path(),
        "a.obj",
        b"mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl red\nf 1 2 3\n",
    );
    for line in [
        "Kd", "Kd 1", "Kd a b c", "Ks", "Ka 1 2", "Ns", "d", "Tr x", "Ni", "illum", "illum x",
        "map_Kd", "newmtl", "Ke",
    ] {
        file(
            folder.path(),
            "a.mtl",
            format!("newmtl red\nKd 0.8 0.1 0.1\n{line}\n").as_bytes(),
        );
        let read = bring(&obj).unwrap_or_else(|e| panic!("{line}: {e}"));
        assert_eq!(read.scene.triangle_count(), 1, "{line}");
    }
}

/// A kilobyte that tells of half a billion corners is refused before memory is made for them.
#[test]
fn corners_that_are_not_there_take_no_memory() {
    let error = changed(|d| {
        d["accessors"][0]["count"] = json!(500_000_000);
        d["accessors"][0]["sparse"] = json!({
            "count": 1,
            "indices": {"bufferView": 0, "componentType": 5125},
            "values": {"bufferView": 0},
        });
        d["accessors"][0]
            .as_object_mut()
            .unwrap()
            .remove("bufferView");
    })
    .err()
    .unwrap()
    .to_string();
    assert!(error.contains("500000000 elements without data"), "{error}");
}

/// A thousand meshes that each use a few corners of one large accessor keep those corners only.
#[test]
fn a_shared_accessor_is_not_copied_for_every_mesh() {
    let corners = 30_000;
    let mut binary = Vec::new();
    for i in 0..corners {
        for v in [i as f32 * 0.01, (i % 7) as f32, (i * i % 11) as f32] {
            binary.extend(f32::to_le_bytes(v));
        }
    }
    let positions = binary.len();
    let meshes = 1000;
    let mut views = vec![json!({"buffer": 0, "byteOffset": 0, "byteLength": positions})];
    let mut accessors =
        vec![json!({"bufferView": 0, "componentType": 5126, "count": corners, "type": "VEC3"})];
    for m in 0..meshes {
        let at = binary.len();
        for i in [m * 29, m * 29 + 1, m * 29 + 3] {
            binary.extend(u32::to_le_bytes(i as u32));
        }
        views.push(json!({"buffer": 0, "byteOffset": at, "byteLength": 12}));
        accessors.push(
            json!({"bufferView": m + 1, "componentType": 5125, "count": 3, "type": "SCALAR"}),
        );
    }
    let document = json!({
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": (0..meshes).collect::<Vec<_>>()}],
        "nodes": (0..meshes).map(|m| json!({"mesh": m})).collect::<Vec<_>>(),
        "meshes": (0..meshes).map(|m| json!({"primitives": [{"attributes": {"POSITION": 0}, "indices": m + 1}]})).collect::<Vec<_>>(),
        "buffers": [{"byteLength": binary.len()}],
        "bufferViews": views,
        "accessors": accessors,
    });
    let folder = tempfile::tempdir().unwrap();
    let read = bring(&file(
        folder.path(),
        "many.glb",
        &scene::pack(&document, &binary),
    ))
    .unwrap();
    assert_eq!(read.scene.triangle_count(), meshes);
    let corners = 3 * meshes as u64;
    let most = corners * 80 + meshes as u64 * 190;
    assert!(read.scene.memory_bytes() <= most, "only the corners in use");
    // The right ones.
    let [a, b, c] = read.scene.corners(10);
    assert_eq!(
        [a.x, b.x, c.x],
        [2.9, 2.91, 2.93].map(|v: f32| (v * 100.0).round() * 0.01)
    );
}

/// EXT_meshopt_compression, packed by the reference library: the same triangles, to the quantisation of its filters.
#[test]
fn compressed_buffers_give_the_same_scene() {
    let (document, binary) = scene::room();
    let folder = tempfile::tempdir().unwrap();
    let plain = bring(&file(
        folder.path(),
        "plain.glb",
        &scene::pack(&document, &binary),
    ))
    .unwrap();
    // Every view is packed by its use: indices as triangles, all else as 12 or 8 byte elements.
    let mut packed_document = document.clone();
    let mut packed = Vec::new();
    let mut at_index = std::collections::BTreeMap::new();
    for mesh in document["meshes"].as_array().unwrap() {
        for p in mesh["primitives"].as_array().unwrap() {
            if let Some(i) = p["indices"].as_u64() {
                at_index.insert(
                    document["accessors"][i as usize]["bufferView"]
                        .as_u64()
                        .unwrap(),
                    i,
                );
            }
        }
    }
    let mut count_packed = 0;
    for (i, accessor) in document["accessors"].as_array().unwrap().iter().enumerate() {
        let v = accessor["bufferView"].as_u64().unwrap();
        let view = &document["bufferViews"][v as usize];
        let at = view["byteOffset"].as_u64().unwrap_or(0) as usize;
        let bytes = &binary[at..at + view["byteLength"].as_u64().unwrap() as usize];
        let count = accessor["count"].as_u64().unwrap() as usize;
        let start = packed.len();
        let (mode, stride, data) = if at_index.get(&v) == Some(&(i as u64)) {
            assert_eq!(
                accessor["componentType"], 5123,
                "the room has 16-bit indices"
            );
            let indices: Vec<u32> = bytes
                .as_chunks::<2>()
                .0
                .iter()
                .map(|b| u16::from_le_bytes(*b).into())
                .collect();
            let corners = *indices.iter().max().unwrap() as usize + 1;
            (
                "TRIANGLES",
                2,
                meshopt::encode_index_buffer(&indices, corners).unwrap(),
            )
        } else {
            let elements: Vec<[u8; 12]> = bytes.as_chunks::<12>().0.to_vec();
            assert_eq!(elements.len(), count);
            (
                "ATTRIBUTES",
                12,
                meshopt::encode_vertex_buffer(&elements).unwrap(),
            )
        };
        packed.extend(&data);
        count_packed += 1;
        packed_document["bufferViews"][v as usize]["extensions"] = json!({"EXT_meshopt_compression": {
            "buffer": 1, "byteOffset": start, "byteLength": data.len(), "byteStride": stride, "count": count, "mode": mode,
        }});
    }
    assert_eq!(count_packed, 2);
    packed_document["buffers"] = json!([
        {"byteLength": binary.len(), "extensions": {"EXT_meshopt_compression": {"fallback": true}}},
        {"byteLength": packed.len(), "uri": "packed.bin"},
    ]);
    packed_document["extensionsUsed"] = json!(["EXT_meshopt_compression"]);
    packed_document["extensionsRequired"] = json!(["EXT_meshopt_compression"]);
    file(folder.path(), "packed.bin", &packed);
    let path = file(
        folder.path(),
        "packed.gltf",
        packed_document.to_string().as_bytes(),
    );
    let read = bring(&path).unwrap();
    let sorted = |s: &dome_trace::Scene| {
        let mut all: Vec<[[u32; 3]; 3]> = (0..s.triangle_count() as u32)
            .map(|t| {
                let mut c = s.corners(t).map(|p| p.to_array().map(f32::to_bits));
                c.sort_unstable();
                c
            })
            .collect();
        all.sort_unstable();
        all
    };
    assert_eq!(sorted(&read.scene), sorted(&plain.scene));
    // Data cut short, and lies about sizes, are told.
    for (key, value) in [
        ("byteLength", json!(3)),
        ("count", json!(1_000_000)),
        ("mode", json!("ODD")),
        ("byteStride", json!(7)),
        ("byteOffset", json!(u32::MAX)),
    ] {
        let mut wrong = packed_document.clone();
        wrong["bufferViews"][0]["extensions"]["EXT_meshopt_compression"][key] = value;
        let message = bring(&file(
            folder.path(),
            "wrong.gltf",
            wrong.to_string().as_bytes(),
        ))
        .err()
        .unwrap_or_else(|| panic!("{key}"))
        .to_string();
        assert!(
            message.contains("compressed buffer view 0"),
            "{key}: {message}"
        );
    }
}

/// A picture in WebP, as EXT_texture_webp names it.
#[test]
fn a_webp_texture_is_shown() {
    let picture = image::RgbaImage::from_fn(8, 8, |x, _| {
        image::Rgba([if x < 4 { 255 } else { 0 }, 64, 0, 255])
    });
    let mut webp = Vec::new();
    image::codecs::webp::WebPEncoder::new_lossless(&mut webp)
        .encode(picture.as_raw(), 8, 8, image::ExtendedColorType::Rgba8)
        .unwrap();
    let folder = tempfile::tempdir().unwrap();
    file(folder.path(), "a.webp", &webp);
    let (mut document, binary) = scene::room();
    document["images"] = json!([{"uri": "a.webp"}]);
    document["textures"] = json!([{"extensions": {"EXT_texture_webp": {"source": 0}}}]);
    document["materials"][0]["pbrMetallicRoughness"]["baseColorTexture"] = json!({"index": 0});
    document["extensionsRequired"] = json!(["EXT_texture_webp"]);
    let read = bring(&file(
        folder.path(),
        "a.glb",
        &scene::pack(&document, &binary),
    ))
    .unwrap();
    let shown = &read.scene.pictures()[0];
    let shown = shown.picture();
    assert_eq!((shown.width, shown.height), (8, 8));
    assert_eq!(shown.bytes(), picture.into_raw());
    assert!(read.scene.materials()[0].base_texture.is_some());
}

const PLY: &str = "ply\nformat ascii 1.0\nelement vertex 4\nproperty float x\nproperty float y\nproperty float z\nproperty uchar red\nproperty uchar green\nproperty uchar blue\nelement face 2\nproperty list uchar int vertex_indices\nend_header\n0 0 0 255 0 0\n1 0 0 255 0 0\n1 0 1 255 0 0\n0 0 1 188 188 188\n3 0 1 2\n4 0 1 2 3\n";

/// Corners' colours become the surface's; faces of more corners become triangles; what is wrong is told.
#[test]
fn ply_comes_with_its_colours() {
    let folder = tempfile::tempdir().unwrap();
    let read = bring(&file(folder.path(), "scan.ply", PLY.as_bytes())).unwrap();
    assert_eq!(read.scene.triangle_count(), 3);
    assert_eq!(read.scene.objects()[0].name, "scan");
    assert!(read.report.understood.iter().any(|u| u.contains("colours")));
    // Its own colour is white, so that corners count alone.
    assert_eq!(read.scene.materials()[0].base_colour, [1.0; 3]);
    for (change, told) in [
        (PLY.replace("3 0 1 2", "3 0 1 9"), "corner 9 of 4"),
        (PLY.replace("vertex 4", "vertex 4000000"), "4000000"),
        (PLY.replace("0 0 1 188 188 188\n", ""), "PLY"),
        (
            PLY.replace("element face 2", "element face 0"),
            "cloud of points",
        ),
        ("ply\n".into(), "PLY"),
        (String::new(), "empty"),
    ] {
        let message = bring(&file(folder.path(), "wrong.ply", change.as_bytes()))
            .err()
            .unwrap_or_else(|| panic!("{told}"))
            .to_string();
        assert!(message.contains(told), "{message}");
    }
    // Scanned by others (a sample of an import library, BSD-3): cubes, one of them binary, one with texture coordinates.
    let fetched = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../.fetched/scenes/models/PLY");
    let cube = bring(&fetched.join("cube_binary.ply")).unwrap();
    assert_eq!(cube.scene.triangle_count(), 12);
    let (low, high) = cube.scene.bounds();
    assert!(
        (high - low).min_element() > 0.9 * (high - low).max_element(),
        "{low} {high}"
    );
    assert!(
        bring(&fetched.join("Wuson.ply"))
            .unwrap()
            .scene
            .triangle_count()
            > 1000
    );
}

/// Of several scenes in one archive the wanted one is read; without a word the choice is told.
#[test]
fn an_archive_of_several_scenes_asks_which() {
    use std::io::Write;
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("both.zip");
    let mut zip = zip::ZipWriter::new(std::fs::File::create(&path).unwrap());
    for (name, bytes) in [("room.glb", scene::room_glb()), ("scan.ply", PLY.into())] {
        zip.start_file(name, zip::write::SimpleFileOptions::default())
            .unwrap();
        zip.write_all(&bytes).unwrap();
    }
    zip.finish().unwrap();
    let message = bring(&path).err().unwrap().to_string();
    assert!(
        message.contains("room.glb, scan.ply") && message.contains("--inside"),
        "{message}"
    );
    let inside = |which: &str| {
        let options = ImportOptions {
            inside: Some(which.into()),
            ..ImportOptions::default()
        };
        load(&path, &options)
    };
    assert_eq!(inside("scan.ply").unwrap().scene.triangle_count(), 3);
    assert!(inside("room.glb").unwrap().scene.triangle_count() > 3);
    assert!(
        inside("none.obj")
            .err()
            .unwrap()
            .to_string()
            .contains("it holds room.glb")
    );
}

/// What a scene claims comes back when it is dropped; what does not fit is refused with both numbers.
#[test]
fn scenes_claim_their_memory() {
    let folder = tempfile::tempdir().unwrap();
    let read = bring(&file(folder.path(), "room.glb", &scene::room_glb())).unwrap();
    assert!(
        read.scene
            .hit(&dome_trace::accel::TraceRay::new(Vec3::Y, Vec3::NEG_Y))
            .is_some()
    );
    assert!(budget::used() > 0);
}
