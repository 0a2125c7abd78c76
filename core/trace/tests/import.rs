//! Imports: every kind of thing that a scene may hold, from files made elsewhere and from small ones made
//! for one case each.

use dome_files::linear_picture;
use dome_imaging::surroundings::{shape_of_size, to_equirect};
use dome_optics::Shape;
use dome_optics::rig::Frame;
use dome_trace::lamp::LampKind;
use dome_trace::material::Alpha;
use dome_trace::{ImportOptions, Imported, Scene, Unit, load};
use glam::Vec3;
use serde_json::json;
use std::path::{Path, PathBuf};

#[path = "common/made.rs"]
mod made;

use made::Made;

fn sample(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR"))
        .join("tests/samples")
        .join(name)
}

fn read(path: &Path, time_s: f64) -> Imported {
    let options = ImportOptions {
        time_s,
        ..ImportOptions::default()
    };
    load(path, &options).unwrap()
}

/// Middle of an object's box.
fn middle(scene: &Scene, name: &str) -> Vec3 {
    let o = scene.objects().iter().find(|o| o.name == name).unwrap();
    (o.min + o.max) / 2.0
}

/// Facts of the sample as its makers tell them: point 1000 cd, directional 542 lx, spot 42 cd with cones of
/// 0.334 and 0.393 rad.
#[test]
fn lamps_come_in_with_their_kind_strength_and_cone() {
    let Imported { scene, report, .. } = read(&sample("lights/cube.glb"), 0.0);
    let mut kinds = Vec::new();
    for lamp in scene.lamps() {
        let strongest = lamp.intensity.iter().copied().fold(0.0, f32::max);
        match lamp.kind {
            LampKind::Point => assert!((strongest - 1000.0).abs() < 1.0),
            LampKind::Directional => assert!((strongest - 542.0).abs() < 1.0),
            LampKind::Spot {
                inner_cos,
                outer_cos,
            } => {
                assert!((strongest - 42.0).abs() < 1.0);
                assert!((inner_cos.acos() - 0.334).abs() < 1e-3);
                assert!((outer_cos.acos() - 0.393).abs() < 1e-3);
            }
        }
        assert!((lamp.direction.length() - 1.0).abs() < 1e-5);
        kinds.push(lamp.kind_name());
    }
    assert_eq!(kinds.len(), 3);
    assert_eq!((scene.cameras().len(), report.lights.len()), (1, 3));
    assert!(report.understood.contains(&"3 lamps without a body".into()));
}

/// The lens of the sample's camera as its file has it (glTF 2.0, section 3.10.3: vertical angle and aspect ratio): 0.3996 rad
/// high at 16:9 is a lens of 50 mm on a sensor 36 mm wide.
#[test]
fn cameras_come_in_with_their_lens() {
    let scene = read(&sample("lights/cube.glb"), 0.0).scene;
    let lens = scene.cameras()[0].lens.unwrap();
    assert!((lens.vfov - 0.399_596_5).abs() < 1e-6);
    let frame = Frame::of_vfov(lens.vfov, lens.ratio.unwrap());
    assert!((frame.ratio - 16.0 / 9.0).abs() < 1e-6);
    assert!((frame.focal_length(36.0) - 50.0).abs() < 0.01);
    assert!((frame.vfov() - lens.vfov).abs() < 1e-9);
}

/// The clips' keys stand in the file: at 10 and 6 m, 0.4167 and 0.8333 s. Half-way a straight line and a
/// cubic with level tangents are at 8 m, a step is still at its key; after a quarter the cubic has gone
/// 3/16 - 2/64 = 0.15625 of the way (Hermite's polynomial 3 t^2 - 2 t^3).
#[test]
fn animation_is_read_at_its_moment() {
    let path = sample("interpolation/InterpolationTest.gltf");
    let start = read(&path, 0.0);
    assert_eq!(start.report.motion.clips, 9);
    assert!((start.report.motion.length_s - 1.7083).abs() < 1e-3);
    let (first, second) = (0.416_666_7, 0.833_333_3);
    let half = read(&path, (first + second) / 2.0).scene;
    let quarter = read(&path, first + (second - first) / 4.0).scene;
    assert!((middle(&half, "Cube.009").y - 8.0).abs() < 1e-3);
    assert!((middle(&half, "Cube.008").y - 8.0).abs() < 1e-3);
    let gone = 10.0 - 4.0 * 0.15625;
    assert!((middle(&quarter, "Cube.008").y - gone).abs() < 1e-3);
    assert!((middle(&quarter, "Cube.009").y - 9.0).abs() < 1e-3);
    // The step's keys lie at 0.4583 s (10 m) and 0.8333 s (6 m).
    assert!((middle(&half, "Cube.006").y - 10.0).abs() < 1e-3);
    assert!((middle(&read(&path, 0.84).scene, "Cube.006").y - 6.0).abs() < 1e-3);
    // Scales: half-way from 1 to 0.5 a straight line is at 0.75, a step at 1.
    let mid = read(&path, (0.041_666_7 + 0.416_666_7) / 2.0).scene;
    let height = |s: &Scene, name: &str| {
        let o = s.objects().iter().find(|o| o.name == name).unwrap();
        o.max.y - o.min.y
    };
    let whole = height(&start.scene, "Cube.001");
    assert!((height(&mid, "Cube.001") / whole - 0.75).abs() < 1e-3);
    assert!((height(&mid, "Cube") / height(&start.scene, "Cube") - 1.0).abs() < 1e-3);
    // After the last key everything holds still.
    let (end, later) = (read(&path, 2.0).scene, read(&path, 99.0).scene);
    assert_eq!(end.bounds(), later.bounds());
}

/// Cornell box (published measurements, metres x 1000): 36 triangles, 5 materials, 556 wide.
#[test]
fn an_obj_with_negative_indices_in_its_unit() {
    let options = ImportOptions {
        unit: Unit::Millimetre,
        ..ImportOptions::default()
    };
    let Imported { scene, report, .. } =
        load(&sample("cornell/cornell_box.obj"), &options).unwrap();
    assert_eq!(scene.triangle_count(), 36);
    let (low, high) = scene.bounds();
    assert!(((high - low).x - 0.556).abs() < 1e-4);
    assert!(report.left_out.iter().any(|l| l.what.contains("normals")));
    for (unit, metres) in [
        (Unit::Metre, 1.0),
        (Unit::Centimetre, 0.01),
        (Unit::Inch, 0.0254),
        (Unit::Foot, 0.3048),
    ] {
        assert_eq!(unit.metres(), metres);
    }
}

/// Facts of the sample as its makers tell them: the brightest pixel, luminance 3482, is at (118, 67) of 512 x 256; it
/// holds negative values, which no light has.
#[test]
fn an_environment_map_is_read_whole_and_made_sound() {
    let read = linear_picture::read(&sample("env/studio.exr")).unwrap();
    let p = read.picture;
    assert_eq!((p.width, p.height), (512, 256));
    let brightness = |i: usize| {
        p.samples[3 * i..3 * i + 3]
            .iter()
            .copied()
            .fold(0.0, f32::max)
    };
    let brightest = (0..512 * 256)
        .max_by(|a, b| brightness(*a).total_cmp(&brightness(*b)))
        .unwrap();
    assert_eq!((brightest % 512, brightest / 512), (118, 67));
    let rgb = &p.samples[3 * brightest..3 * brightest + 3];
    let luminance = 0.2126 * rgb[0] + 0.7152 * rgb[1] + 0.0722 * rgb[2];
    assert!((luminance - 3482.0).abs() < 20.0, "{rgb:?}");
    assert!(p.samples.iter().all(|v| v.is_finite() && *v >= 0.0));
    assert_eq!(shape_of_size(512, 256), Some(Shape::Equirect));
    assert_eq!(to_equirect(p.clone(), Shape::Equirect), p);
}

fn corners(made: &Made) -> [Vec3; 3] {
    made.load()
        .unwrap_or_else(|e| panic!("{e}"))
        .scene
        .corners(0)
}

#[test]
fn quantized_sparse_and_instanced_meshes() {
    // Whole numbers of 16 bits, scaled to -1..1, and half that size by the node.
    let mut made = Made::new();
    let numbers: Vec<u8> = [0i16, 0, 0, 0, 32767, 0, 0, 0, 0, -32767, 0, 0]
        .iter()
        .flat_map(|v| v.to_le_bytes())
        .collect();
    let view = made.bytes(&numbers);
    made.document["bufferViews"][view]["byteStride"] = json!(8);
    let position = made.accessor(
        json!({"bufferView": view, "componentType": 5122, "type": "VEC3",
        "count": 3, "normalized": true, "min": [0, -1, 0], "max": [1, 0, 0]}),
    );
    made.primitive()["attributes"]["POSITION"] = json!(position);
    made.document["nodes"][0]["scale"] = json!([0.5, 0.5, 0.5]);
    made.document["extensionsRequired"] = json!(["KHR_mesh_quantization"]);
    made.document["extensionsUsed"] = json!(["KHR_mesh_quantization"]);
    assert_eq!(corners(&made)[1], Vec3::new(0.5, 0.0, 0.0));
    assert_eq!(corners(&made)[2], Vec3::new(0.0, -0.5, 0.0));

    // The second corner is laid over by a sparse one.
    let mut made = Made::new();
    let (index, value) = (made.bytes(&[1, 0, 0, 0]), made.bytes(&[]));
    let moved: Vec<u8> = [7.0f32, 0.0, 2.0]
        .iter()
        .flat_map(|v| v.to_le_bytes())
        .collect();
    made.binary.extend(&moved);
    made.document["bufferViews"][value]["byteLength"] = json!(12);
    made.document["accessors"][0]["sparse"] = json!({"count": 1,
        "indices": {"bufferView": index, "componentType": 5121}, "values": {"bufferView": value}});
    assert_eq!(corners(&made)[1], Vec3::new(7.0, 0.0, 2.0));

    // Three copies, one turned a quarter about Y.
    let mut made = Made::new();
    let places = made.floats("VEC3", &[0.0, 0.0, 0.0, 10.0, 0.0, 0.0, 0.0, 5.0, 0.0]);
    let h = 0.5f32.sqrt();
    let turns = made.floats(
        "VEC4",
        &[0.0, 0.0, 0.0, 1.0, 0.0, h, 0.0, h, 0.0, 0.0, 0.0, 1.0],
    );
    made.document["nodes"][0]["extensions"] = json!({"EXT_mesh_gpu_instancing":
        {"attributes": {"TRANSLATION": places, "ROTATION": turns}}});
    let scene = made.load().unwrap().scene;
    assert_eq!((scene.triangle_count(), scene.objects().len()), (3, 1));
    assert!((scene.corners(1)[1] - Vec3::new(10.0, 0.0, -1.0)).length() < 1e-5);
    assert_eq!(scene.corners(2)[2], Vec3::new(0.0, 6.0, 0.0));
}

#[test]
fn morph_targets_and_skins_move_corners() {
    let mut made = Made::new();
    let moves = made.floats("VEC3", &[0.0, 0.0, 0.0, 0.0, 0.0, 4.0, 0.0, 0.0, 0.0]);
    made.primitive()["targets"] = json!([{"POSITION": moves}]);
    assert_eq!(corners(&made)[1], Vec3::X);
    made.document["meshes"][0]["weights"] = json!([0.5]);
    assert_eq!(corners(&made)[1], Vec3::new(1.0, 0.0, 2.0));
    // The node's own weights come before the mesh's.
    made.document["nodes"][0]["weights"] = json!([0.25]);
    assert_eq!(corners(&made)[1], Vec3::new(1.0, 0.0, 1.0));

    // Two joints: one stays, one is 3 m up; the corner between them is carried half-way. Where the mesh's
    // own node stands does not count (glTF 2.0, 3.7.3.3).
    let mut made = Made::new();
    let joints = made.bytes(&[0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0]);
    let joints = made
        .accessor(json!({"bufferView": joints, "componentType": 5121, "type": "VEC4", "count": 3}));
    let weights = made.floats(
        "VEC4",
        &[1.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 0.5, 0.5, 0.0, 0.0],
    );
    made.primitive()["attributes"]["JOINTS_0"] = json!(joints);
    made.primitive()["attributes"]["WEIGHTS_0"] = json!(weights);
    made.document["nodes"] = json!([
        {"name": "Thing", "mesh": 0, "skin": 0, "translation": [50.0, 0.0, 0.0]},
        {"name": "Still"}, {"name": "Up", "translation": [0.0, 3.0, 0.0]},
    ]);
    made.document["scenes"][0]["nodes"] = json!([0, 1, 2]);
    made.document["skins"] = json!([{"joints": [1, 2]}]);
    let [a, b, c] = corners(&made);
    assert_eq!((a, b), (Vec3::ZERO, Vec3::new(1.0, 3.0, 0.0)));
    assert_eq!(c, Vec3::new(0.0, 2.5, 0.0));
}

#[test]
fn every_material_extension_is_read() {
    let mut made = Made::new();
    made.primitive()["material"] = json!(0);
    made.document["materials"] = json!([{
        "name": "All", "alphaMode": "MASK", "alphaCutoff": 0.3, "doubleSided": true,
        "pbrMetallicRoughness": {"baseColorFactor": [0.1, 0.2, 0.3, 0.4], "metallicFactor": 0.0},
        "emissiveFactor": [1.0, 0.5, 0.0],
        "extensions": {
            "KHR_materials_emissive_strength": {"emissiveStrength": 3.0},
            "KHR_materials_ior": {"ior": 1.33},
            "KHR_materials_specular": {"specularFactor": 0.5, "specularColorFactor": [1.0, 0.0, 0.0]},
            "KHR_materials_transmission": {"transmissionFactor": 0.9},
            "KHR_materials_volume": {"thicknessFactor": 0.1, "attenuationDistance": 0.5, "attenuationColor": [0.5, 1.0, 1.0]},
            "KHR_materials_clearcoat": {"clearcoatFactor": 0.8, "clearcoatRoughnessFactor": 0.2},
            "KHR_materials_sheen": {"sheenColorFactor": [0.2, 0.2, 0.2], "sheenRoughnessFactor": 0.4},
        },
    }, {"extensions": {"KHR_materials_unlit": {}}}]);
    let Imported { scene, report, .. } = made.load().unwrap();
    let m = &scene.materials()[0];
    assert_eq!((m.alpha, m.opacity), (Alpha::Mask(0.3), 0.4));
    assert_eq!((m.ior, m.specular, m.transmission), (1.33, 0.5, 0.9));
    assert_eq!(m.emission, [3.0, 1.5, 0.0]);
    assert_eq!(m.volume.unwrap().distance, 0.5);
    let (coat, sheen) = (m.coat.as_ref().unwrap(), m.sheen.as_ref().unwrap());
    assert_eq!((coat.weight, coat.roughness), (0.8, 0.2));
    assert_eq!((sheen.colour, sheen.roughness), ([0.2; 3], 0.4));
    assert!(scene.materials()[1].unlit);
    for told in [
        "1 material of glass",
        "1 lacquered material",
        "1 unlit material",
    ] {
        assert!(
            report.understood.iter().any(|u| u == told),
            "{told}: {report:?}"
        );
    }
}

#[test]
fn unknown_demands_get_one_sentence_with_a_remedy() {
    for (extension, remedy) in [
        ("KHR_draco_mesh_compression", "compression switched off"),
        ("KHR_texture_basisu", "PNG, JPEG or WebP"),
        ("EXT_something_else", "without that extension"),
    ] {
        let mut made = Made::new();
        made.document["extensionsUsed"] = json!([extension]);
        // Only used, it is told and the scene comes in.
        let report = made.load().unwrap().report;
        assert!(
            report.left_out.iter().any(|l| l.what.contains(extension)),
            "{report:?}"
        );
        made.document["extensionsRequired"] = json!([extension]);
        let sentence = made.load().err().unwrap().to_string();
        assert!(
            sentence.contains(extension) && sentence.contains(remedy),
            "{sentence}"
        );
    }
    // A node that stands below itself is none; chains of any depth are in many.rs.
    let mut round = Made::new();
    round.document["nodes"] = json!([{"children": [1]}, {"children": [2]}, {"children": [1]}]);
    let sentence = round.load().err().unwrap().to_string();
    assert!(sentence.contains("made.glb"), "{sentence}");
}

/// MTL's keys, the physically based ones included, as their extension of the format tells them.
#[test]
fn mtl_keys_make_materials() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    std::fs::write(
        at("a.obj"),
        "mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl glass\nf 1 2 3\nusemtl\nf 3 2 1\n",
    )
    .unwrap();
    std::fs::write(
        at("a.mtl"),
        "newmtl glass\nillum 7\nNi 1.33\nKd 0 0 0\nnewmtl lamp\nKe 4 5 6\nnewmtl metal\nPm 1\nPr 0.25\nPc 0.5\nPs 0.3\nnewmtl veil\nd 0.5\nKd 1 0 0\nmap_Kd gone.png\n",
    )
    .unwrap();
    let Imported { scene, report, .. } = read(&at("a.obj"), 0.0);
    let named = |name: &str| scene.materials().iter().find(|m| m.name == name).unwrap();
    let glass = named("glass");
    assert_eq!(
        (glass.transmission, glass.ior, glass.base_colour),
        (1.0, 1.33, [1.0; 3])
    );
    assert!(glass.volume.is_some());
    assert_eq!(named("lamp").emission, [4.0, 5.0, 6.0]);
    let metal = named("metal");
    assert_eq!((metal.metallic, metal.roughness), (1.0, 0.25));
    assert!(metal.coat.is_some() && metal.sheen.is_some());
    assert_eq!(
        (named("veil").alpha, named("veil").opacity),
        (Alpha::Blend, 0.5)
    );
    assert!(
        report.notices.iter().any(|n| n.contains("gone.png")),
        "{report:?}"
    );
    std::fs::write(at("b.obj"), "v 1 2 3\nv 1 x 3\nf 1 2 2\n").unwrap();
    let sentence = load(&at("b.obj"), &ImportOptions::default())
        .err()
        .unwrap()
        .to_string();
    assert!(sentence.contains("line 2"), "{sentence}");
}
