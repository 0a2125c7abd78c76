//! Scenes brought in, what rays meet in them, and that strips do not depend on how they are cut.

use dome_optics::{Equirect, MonoEye, Orientation, PanoramaSize};
use dome_trace::accel::{Accel, TraceRay};
use dome_trace::{
    Control, Illumination, ImportOptions, Imported, Quality, Render, Stopped, TraceError, plan,
    stand,
};
use glam::{DVec3, Vec3};
use proptest::prelude::*;
use serde_json::{Value, json};
use std::path::{Path, PathBuf};

#[path = "../../../tests/support/scene.rs"]
mod scene;

fn file(folder: &Path, name: &str, bytes: &[u8]) -> PathBuf {
    let path = folder.join(name);
    std::fs::write(&path, bytes).unwrap();
    path
}

fn load(path: &Path) -> Result<Imported, TraceError> {
    dome_trace::load(path, &ImportOptions::default())
}

fn room() -> Imported {
    let folder = tempfile::tempdir().unwrap();
    load(&file(folder.path(), "room.glb", &scene::room_glb())).unwrap()
}

#[test]
fn the_room_comes_in_as_it_is() {
    let Imported { scene, report, .. } = room();
    assert_eq!(
        (
            scene.triangle_count(),
            scene.objects().len(),
            scene.emitting_triangles()
        ),
        (24, 2, 12)
    );
    assert_eq!(
        scene.bounds(),
        (Vec3::new(-3.0, 0.0, -3.0), Vec3::new(3.0, 3.0, 3.0))
    );
    assert_eq!(
        (report.format.as_str(), report.lights),
        ("glTF 2.0 (binary)", vec!["Lamp".to_owned()])
    );
    // The room's meshes bring no normals, which is told; nothing else is odd.
    assert!(report.left_out.len() == 1 && report.left_out[0].what.contains("normals"));
    assert!(report.notices.is_empty());
    assert_eq!(stand::middle(&scene), DVec3::new(0.0, 1.6, 0.0));
    let floor = stand::floor_below(&scene, DVec3::new(1.0, 2.0, 1.0)).unwrap();
    assert!(floor.y.abs() < 1e-6 && scene.objects()[floor.object as usize].name == "Room");
    // The room is one box, turned outwards and with a lamp in it: its walls are a line, not a solid.
    let cut = plan::cut(&scene, &plan::CutPlane::Level { y: 1.0 }, None, 0.0);
    assert_eq!((cut.solids.len(), cut.lines.len()), (0, 1));
    assert!(cut.lines[0].closed && cut.lines[0].points.len() == 8);
}

#[test]
fn the_observatory_is_complete() {
    let folder = tempfile::tempdir().unwrap();
    let path = file(folder.path(), "merlow.glb", &merlow::build());
    let Imported { scene, report, .. } = load(&path).unwrap();
    assert!(scene.objects().len() >= 60, "{}", scene.objects().len());
    assert!(scene.pictures().len() >= 8 && report.lights.len() >= 9);
    assert!(
        report.left_out.is_empty() && report.notices.is_empty(),
        "{report:?}"
    );
    assert_eq!(merlow::build(), merlow::build(), "two builds differ");
    // Every place of the demo stands on a floor at a person's height, with nothing near the eye.
    for place in merlow::PLACES {
        let eye = DVec3::from(place.position);
        let floor = stand::floor_below(&scene, eye).unwrap();
        let height = eye.y - floor.y;
        assert!(
            (1.0..1.7).contains(&height),
            "{}: {height} m above {}",
            place.name,
            scene.objects()[floor.object as usize].name
        );
        for i in 0..72 {
            let a = i as f32 * std::f32::consts::TAU / 72.0;
            let near = scene.hit(&TraceRay::new(
                eye.as_vec3(),
                Vec3::new(a.sin(), 0.0, -a.cos()),
            ));
            assert!(
                near.is_none_or(|h| h.distance > 0.3),
                "{} is too near to something",
                place.name
            );
        }
    }
}

#[test]
fn odd_scenes_say_what_is_odd() {
    let folder = tempfile::tempdir().unwrap();
    let bring = |change: &dyn Fn(&mut Value)| {
        let (mut document, binary) = scene::room();
        change(&mut document);
        load(&file(
            folder.path(),
            "odd.glb",
            &scene::pack(&document, &binary),
        ))
    };
    let points = bring(&|d| d["meshes"][1]["primitives"][0]["mode"] = json!(0)).unwrap();
    assert!(
        points.report.left_out[0].what.contains("points"),
        "{:?}",
        points.report
    );
    assert!(points.report.notices[0].contains("light"));
    let tiny = bring(&|d| {
        for n in [0, 1] {
            d["nodes"][n]["scale"] = json!([0.003, 0.003, 0.003]);
            d["nodes"][n]["translation"] = json!([0.0, 0.0, 0.0]);
        }
    });
    assert!(
        tiny.unwrap()
            .report
            .notices
            .iter()
            .any(|n| n.contains("mm across"))
    );
    let flat = bring(&|d| d["nodes"][1]["scale"] = json!([0.0, 0.0, 0.1])).unwrap();
    assert!(
        flat.report
            .left_out
            .iter()
            .any(|l| l.what.contains("triangle")),
        "{:?}",
        flat.report
    );
    let faded = bring(&|d| d["materials"][0]["alphaMode"] = json!("BLEND")).unwrap();
    let understood = &faded.report.understood;
    assert!(
        understood
            .iter()
            .any(|u| u == "1 material with holes or veils"),
        "{understood:?}"
    );
    // Errors name what is wrong.
    for (change, word) in [
        (
            json!({"path": "/accessors/1/count", "to": 999_999}),
            "accessor 1",
        ),
        (
            json!({"path": "/bufferViews/0/byteLength", "to": 99_999}),
            "view 0",
        ),
        (
            json!({"path": "/buffers/0/byteLength", "to": 99_999}),
            "buffer 0",
        ),
        (
            json!({"path": "/accessors/0/type", "to": "VEC2"}),
            "POSITION",
        ),
        (json!({"path": "/asset/version", "to": "1.0"}), "1.0"),
        (json!({"path": "/nodes/0/mesh", "to": 7}), "odd.glb"),
    ] {
        let result = bring(&|d| {
            *d.pointer_mut(change["path"].as_str().unwrap()).unwrap() = change["to"].clone()
        });
        let message = result
            .err()
            .unwrap_or_else(|| panic!("{change}"))
            .to_string();
        assert!(message.contains(word), "{message}");
    }
    // An index beyond the corners, in the binary part itself.
    let (document, mut binary) = scene::room();
    let last = binary.len() - 2;
    binary[last] = 200;
    let message = load(&file(
        folder.path(),
        "index.glb",
        &scene::pack(&document, &binary),
    ))
    .err()
    .unwrap()
    .to_string();
    assert!(message.contains("corner 200 of 8"), "{message}");
}

/// The nearest triangle by trying every one in double precision (Moeller and Trumbore 1997).
fn nearest_of_all(positions: &[Vec3], triangles: &[[u32; 3]], ray: &TraceRay) -> Option<f64> {
    let (o, d) = (ray.origin.as_dvec3(), ray.direction.as_dvec3());
    triangles
        .iter()
        .filter_map(|t| {
            let [a, b, c] = t.map(|i| positions[i as usize].as_dvec3());
            let (e1, e2) = (b - a, c - a);
            let p = d.cross(e2);
            let det = e1.dot(p);
            let s = o - a;
            let u = s.dot(p) / det;
            let q = s.cross(e1);
            let v = d.dot(q) / det;
            let t = e2.dot(q) / det;
            (u >= 0.0 && v >= 0.0 && u + v <= 1.0 && t > 0.0).then_some(t)
        })
        .min_by(f64::total_cmp)
}

fn soup(n: usize) -> (Vec<Vec3>, Vec<[u32; 3]>) {
    let mut state = 5u64;
    let mut random = || {
        state = state
            .wrapping_mul(6_364_136_223_846_793_005)
            .wrapping_add(1_442_695_040_888_963_407);
        (state >> 40) as f32 / 16_777_216.0
    };
    let mut positions = Vec::new();
    for _ in 0..n {
        let centre = Vec3::new(random(), random(), random()) * 10.0;
        for _ in 0..3 {
            positions.push(centre + Vec3::new(random(), random(), random()) - 0.5);
        }
    }
    (
        positions,
        (0..n as u32)
            .map(|i| [3 * i, 3 * i + 1, 3 * i + 2])
            .collect(),
    )
}

#[test]
fn the_tree_finds_what_trying_everything_finds() {
    let (positions, triangles) = soup(2000);
    let accel = Accel::build(&positions, &triangles);
    let plain = Accel::build(&positions, &triangles).without_vectors();
    let mut hits = 0;
    for i in 0..3000 {
        let a = i as f32 * 2.399_963; // golden angle
        let z = 1.0 - 2.0 * (i as f32 + 0.5) / 3000.0;
        let r = (1.0 - z * z).sqrt();
        // Some rays run exactly along the axes.
        let direction = match i % 50 {
            0 => Vec3::X,
            1 => Vec3::NEG_Y,
            _ => Vec3::new(r * a.cos(), z, r * a.sin()),
        };
        let ray = TraceRay::new(Vec3::new(5.0, 5.0, (i % 100) as f32 * 0.1), direction);
        let found = accel.closest(&ray);
        assert_eq!(found, plain.closest(&ray), "vector and plain code differ");
        let truth = nearest_of_all(&positions, &triangles, &ray);
        match (found, truth) {
            (Some(h), Some(t)) => assert!((f64::from(h.distance) - t).abs() < 1e-4, "{h:?} {t}"),
            (None, None) => {}
            // On the very edge of a triangle the two may differ; nowhere else.
            other => panic!("{other:?}"),
        }
        hits += usize::from(found.is_some());
        let far = found.map_or(20.0, |h| h.distance);
        for (end, blocked) in [(far * 0.999, false), (far * 1.001, found.is_some())] {
            let short = ray.until(end);
            assert_eq!(
                (accel.blocked(&short), plain.blocked(&short)),
                (blocked, blocked)
            );
        }
    }
    assert!((500..2999).contains(&hits), "{hits}");
}

/// Nothing leaks between triangles that share an edge or a corner (Woop, Benthin, Wald 2013).
#[test]
fn no_ray_escapes_a_closed_mesh() {
    let scene = room().scene;
    let corners = scene.all_corners();
    let positions = corners.as_flattened();
    let numbers: Vec<u32> = (0..positions.len() as u32).collect();
    let triangles = numbers.as_chunks::<3>().0;
    let accel = Accel::build(positions, triangles);
    let eye = Vec3::new(0.3, 1.1, -0.2);
    let mut escaped = 0;
    for i in 0..=400 {
        for [a, b, _] in triangles
            .iter()
            .flat_map(|&[a, b, c]| [[a, b, c], [b, c, a], [c, a, b]])
        {
            let target = positions[a as usize].lerp(positions[b as usize], i as f32 / 400.0);
            let direction = (target - eye).normalize();
            escaped += usize::from(accel.closest(&TraceRay::new(eye, direction)).is_none());
        }
    }
    assert_eq!(escaped, 0);
}

#[test]
fn strips_do_not_depend_on_how_they_are_cut_or_on_threads() {
    let scene = room().scene;
    let eye = MonoEye::new(
        DVec3::new(0.0, 1.6, 0.0),
        Orientation::heading(33.0),
        Equirect,
    );
    let size = PanoramaSize::from_width(64).unwrap();
    let light = Illumination::plain(&scene, scene.sky.clone());
    let render = Render::new(&scene, &light, &eye, size, Quality::Samples(4), 9);
    let control = Control::default();
    let whole = render.strip(0, 32, &control).unwrap();
    assert_eq!(control.samples_done(), 4 * size.pixels());
    let parts: Vec<f32> = [(0, 5), (5, 20), (25, 7)]
        .iter()
        .flat_map(|&(top, rows)| {
            render
                .strip(top, rows, &Control::default())
                .unwrap()
                .beauty
                .samples
        })
        .collect();
    assert_eq!(whole.beauty.samples, parts);
    let one = rayon::ThreadPoolBuilder::new()
        .num_threads(1)
        .build()
        .unwrap();
    assert_eq!(
        one.install(|| render.strip(0, 32, &Control::default()).unwrap()),
        whole
    );
    let stopped = Control::default();
    stopped.stop();
    assert_eq!(render.strip(0, 32, &stopped), Err(Stopped));
    let places: Vec<_> = Render::strip_places(40).collect();
    assert_eq!(places, [(0, 16), (16, 16), (32, 8)]);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    /// Whatever happens to a scene's bytes, bringing it in ends with a scene or one sentence.
    #[test]
    fn no_bytes_make_the_import_panic(at in 0usize..3000, to in 0u8..=255, cut in 20usize..6000) {
        let mut bytes = scene::room_glb();
        let n = bytes.len();
        bytes[at % n] = to;
        bytes.truncate(cut);
        let folder = tempfile::tempdir().unwrap();
        if let Err(e) = load(&file(folder.path(), "x.glb", &bytes)) {
            prop_assert!(e.to_string().ends_with('.'));
        }
    }
}

/// A tree without a triangle, as of one thing at scale 0, is met by no ray, with and without vectors.
#[test]
fn a_tree_without_triangles_is_met_by_nothing() {
    let made: [(&[Vec3], &[[u32; 3]]); 2] =
        [(&[], &[]), (&[Vec3::NAN, Vec3::X, Vec3::Y], &[[0, 1, 2]])];
    for (positions, triangles) in made {
        let build = || Accel::build(positions, triangles);
        for accel in [build(), build().without_vectors()] {
            for direction in [Vec3::X, Vec3::NEG_Y, Vec3::new(0.6, 0.0, -0.8)] {
                let ray = TraceRay::new(Vec3::splat(0.25), direction);
                assert!(accel.closest(&ray).is_none() && !accel.blocked(&ray));
            }
        }
    }
}
