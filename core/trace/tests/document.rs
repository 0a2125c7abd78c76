//! A scene read once: placed at any moment it is what a fresh reading gives; copies are what merged meshes are; far places
//! keep their fractions.

mod common;
#[path = "common/made.rs"]
mod made;

use dome_optics::projection::Equirect;
use dome_optics::{MonoEye, Orientation, PanoramaSize};
use dome_trace::accel::TraceRay;
use dome_trace::scene::MeshPart;
use dome_trace::{Illumination, ImportOptions, ObjectMove, Scene, Sky, load};
use glam::{DMat4, DVec3, Quat, Vec3};
use made::Made;
use serde_json::{Value, json};
use std::path::{Path, PathBuf};

fn random(n: &mut u64) -> f32 {
    *n = n
        .wrapping_mul(6_364_136_223_846_793_005)
        .wrapping_add(1_442_695_040_888_963_407);
    (*n >> 40) as f32 / 16_777_216.0
}

fn direction(n: &mut u64) -> Vec3 {
    let (z, phi) = (1.0 - 2.0 * random(n), std::f32::consts::TAU * random(n));
    let r = (1.0 - z * z).max(0.0).sqrt();
    Vec3::new(r * phi.cos(), r * phi.sin(), z).normalize()
}

/// A document with a mesh of these parts' corners and normals, every node placed by its matrix.
fn with_nodes(part: &MeshPart, nodes: Vec<Value>) -> Made {
    let mut made = Made::new();
    let position = made.floats("VEC3", part.positions.as_flattened());
    let normal = made.floats("VEC3", part.normals.as_flattened());
    let numbers: Vec<u8> = (part.triangles.as_flattened().iter())
        .flat_map(|i| i.to_le_bytes())
        .collect();
    let view = made.bytes(&numbers);
    let count = 3 * part.triangles.len();
    let indices = made.accessor(
        json!({"bufferView": view, "componentType": 5125, "type": "SCALAR", "count": count}),
    );
    made.document["meshes"][0]["primitives"][0] =
        json!({"attributes": {"POSITION": position, "NORMAL": normal}, "indices": indices});
    made.document["scenes"][0]["nodes"] = json!((0..nodes.len()).collect::<Vec<_>>());
    made.document["nodes"] = Value::Array(nodes);
    made
}

/// A ball without the triangles at its poles that have no area.
fn ball(material: u32) -> MeshPart {
    let mut part = common::ball(material);
    let at = |i: u32| Vec3::from(part.positions[i as usize]);
    let wide = |t: &[u32; 3]| (at(t[1]) - at(t[0])).cross(at(t[2]) - at(t[0])).length() > 1e-5;
    part.triangles = part.triangles.iter().copied().filter(wide).collect();
    part
}

/// A ball of radius 1 in so many rings from pole to pole: four times the square of that in triangles, less a ring.
fn globe(rings: u32) -> MeshPart {
    let mut part = MeshPart::default();
    for r in 0..=rings {
        for s in 0..=2 * rings {
            let (lat, lon) = (r as f32 / rings as f32 - 0.5, s as f32 / rings as f32);
            let (lat, lon) = (lat * std::f32::consts::PI, lon * std::f32::consts::PI);
            let p = [lat.cos() * lon.sin(), lat.sin(), -lat.cos() * lon.cos()];
            part.positions.push(p);
            part.normals.push(p);
        }
    }
    for r in 0..rings {
        for s in 0..2 * rings {
            let a = r * (2 * rings + 1) + s;
            let b = a + 2 * rings + 1;
            // At the poles one of the two has no area.
            let upper = (r > 0).then_some([a, b + 1, a + 1]);
            let lower = (r + 1 < rings).then_some([a, b, b + 1]);
            part.triangles.extend(upper.into_iter().chain(lower));
        }
    }
    part
}

/// Places all over a block of 40 m, turned, stretched, every third of them mirrored.
fn places(count: usize) -> Vec<DMat4> {
    let mut n = 11;
    (0..count)
        .map(|i| {
            let mut at = || f64::from(random(&mut n)) * 40.0 - 20.0;
            let translation = DVec3::new(at(), at(), at());
            let turn = Quat::from_axis_angle(direction(&mut n), random(&mut n) * 6.0);
            let mut size = || 0.3 + 0.7 * f64::from(random(&mut n));
            let mut scale = DVec3::new(size(), size(), size());
            if i % 3 == 0 {
                scale.y = -scale.y;
            }
            DMat4::from_scale_rotation_translation(scale, turn.as_dquat(), translation)
        })
        .collect()
}

fn node(name: &str, place: &DMat4) -> Value {
    json!({"name": name, "mesh": 0, "matrix": place.to_cols_array()})
}

/// Copies as instances, and the same triangles merged.
fn both(count: usize) -> (Scene, Scene) {
    let part = globe(10);
    let places = places(count);
    let nodes = places
        .iter()
        .enumerate()
        .map(|(i, p)| node(&format!("Copy {i}"), p));
    let copied = with_nodes(&part, nodes.collect()).load().unwrap().scene;
    let mut builder = dome_trace::SceneBuilder::default();
    builder.materials = copied.materials().to_vec();
    for (i, place) in places.iter().enumerate() {
        builder.start_object(format!("Copy {i}"));
        // Each a mesh of its own. The file keeps its matrices in double precision; rounding them costs a micrometre here.
        builder.add_part(&part, &place.as_mat4());
    }
    let merged = builder.build(Sky::default(), "merged").unwrap();
    (copied, merged)
}

/// Instances answer rays as merged meshes do, mirrored and stretched ones too.
#[test]
fn copies_are_what_merged_meshes_are() {
    let (copied, merged) = both(1500);
    assert_eq!(copied.triangle_count(), merged.triangle_count());
    assert_eq!(merged.kept_triangles(), merged.triangle_count());
    // One mesh, and one for the mirrored copies.
    assert_eq!(copied.kept_triangles(), 2 * copied.triangle_count() / 1500);
    assert!(copied.memory_bytes() < merged.memory_bytes() / 20);
    for (a, b) in copied.objects().iter().zip(merged.objects()) {
        assert_eq!((&a.name, a.triangles), (&b.name, b.triangles));
        assert!(
            (a.min - b.min).length() + (a.max - b.max).length() < 1e-4,
            "{}",
            a.name
        );
    }
    let (mut n, mut hits, mut odd) = (5, 0, 0);
    for _ in 0..20_000 {
        let from = Vec3::new(random(&mut n), random(&mut n), random(&mut n)) * 50.0 - 25.0;
        let ray = TraceRay::new(from, direction(&mut n));
        match (copied.hit(&ray), merged.hit(&ray)) {
            (Some(a), Some(b)) if (a.distance / b.distance - 1.0).abs() < 1e-4 => {
                hits += 1;
                assert_eq!(copied.object_of(a.triangle), merged.object_of(b.triangle));
                let normal = |s: &Scene, t| {
                    let [a, b, c] = s.corners(t);
                    (b - a).cross(c - a).normalize()
                };
                let (u, v) = (normal(&copied, a.triangle), normal(&merged, b.triangle));
                // Neighbours in the ball's surface differ by two degrees.
                assert!(u.dot(v) > 0.99, "{u} and {v}");
                for (end, is) in [(0.999, false), (1.001, true)] {
                    let short = ray.until(a.distance * end);
                    assert_eq!((copied.blocked(&short), merged.blocked(&short)), (is, is));
                }
            }
            (None, None) => {}
            // On the very edge of a triangle the two may differ.
            _ => odd += 1,
        }
    }
    assert!(hits > 5_000 && odd < 20, "{hits} hits, {odd} differ");
    assert_eq!(
        copied.triangles_of(7).len(),
        copied.objects()[7].triangles as usize
    );
    assert_ne!(copied.content(), merged.content());
}

/// The picture of instances is that of merged meshes: light, normals, texture places, shadows.
#[test]
fn copies_look_as_merged_meshes_do() {
    let (copied, merged) = both(1500);
    let size = PanoramaSize::from_width(96).unwrap();
    let eye = MonoEye::new(DVec3::new(1.0, 2.0, 3.0), Orientation::default(), Equirect);
    let picture = |scene: &Scene| {
        let light = Illumination::plain(scene, Sky::default());
        common::render(scene, &light, &eye, size, 16, 3)
    };
    let (a, b) = (picture(&copied), picture(&merged));
    let mean = |v: &[f32]| v.iter().map(|x| f64::from(*x)).sum::<f64>() / v.len() as f64;
    assert!(
        (mean(&a) / mean(&b) - 1.0).abs() < 2e-3,
        "{} for {}",
        mean(&a),
        mean(&b)
    );
    // The same random numbers: only where a ray just meets or misses an edge a pixel may differ.
    let off = a
        .iter()
        .zip(&b)
        .filter(|(a, b)| (**a - **b).abs() > 0.02 * b.abs().max(0.05))
        .count();
    assert!(off < a.len() / 50, "{off} of {} values differ", a.len());
}

/// A closed ball of instances' own triangles, of copies that stand far from the origin or come from a mesh that lies far
/// from its own: nothing shades itself. Under a white sky matt white stays white (a furnace, by Lambert's law).
#[test]
fn copies_do_not_shade_themselves_anywhere() {
    for (mesh_at, far) in [
        (Vec3::ZERO, DVec3::ZERO),
        (Vec3::new(900.0, 5.0, -700.0), DVec3::ZERO),
        (Vec3::ZERO, DVec3::new(3000.0, 100.0, -3000.0)),
        (Vec3::splat(500.0), DVec3::new(20.0, 30.0, 20.0)),
    ] {
        let mut part = ball(0);
        for p in &mut part.positions {
            *p = (Vec3::from(*p) + mesh_at).to_array();
        }
        let back = DMat4::from_translation(-mesh_at.as_dvec3());
        let place = |i: usize| {
            let at = far + DVec3::new(10.0 * i as f64, 0.0, 0.0);
            let turn = DMat4::from_axis_angle(DVec3::new(0.3, 1.0, -0.2).normalize(), i as f64);
            DMat4::from_translation(at) * turn * back
        };
        let nodes = (0..9)
            .map(|i| node(&format!("Ball {i}"), &place(i)))
            .collect();
        let mut made = with_nodes(&part, nodes);
        made.primitive()["material"] = json!(0);
        made.document["materials"] = json!([{"extensions": {"KHR_materials_specular": {"specularFactor": 0.0}},
            "pbrMetallicRoughness": {"metallicFactor": 0.0, "roughnessFactor": 1.0}}]);
        let options = ImportOptions {
            origin: Some([0.0; 3]),
            ..ImportOptions::default()
        };
        let scene = made.load_with(&options).unwrap().scene;
        assert_eq!(scene.kept_triangles() * 9, scene.triangle_count());
        struct At(DVec3);
        impl dome_optics::Eye for At {
            fn ray(&self, p: dome_optics::PicturePoint) -> Option<dome_optics::Ray> {
                // The middle of the ball's disc, from two radii above.
                let aside = DVec3::new(p.u - 0.5, 0.0, p.v - 0.5) * 1.2;
                Some(dome_optics::Ray {
                    origin: self.0 + aside + DVec3::Y * 2.0,
                    direction: DVec3::NEG_Y,
                })
            }
        }
        let light = Illumination::plain(&scene, common::WHITE_SKY);
        let size = PanoramaSize::from_width(64).unwrap();
        let eye = At(far + DVec3::new(40.0, 0.0, 0.0));
        let found = common::render(&scene, &light, &eye, size, 16, 1);
        let mean = found.iter().map(|v| f64::from(*v)).sum::<f64>() / found.len() as f64;
        // The neighbours, eight metres off, take and give the same.
        assert!((mean - 1.0).abs() < 0.005, "{mesh_at} {far}: {mean}");
    }
}

fn sample(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR"))
        .join("tests/samples")
        .join(name)
}

/// Placed at a moment, a document is what a fresh reading for that moment gives: rigid, skinned and morphed motion.
#[test]
fn a_moment_is_what_a_fresh_reading_gives() {
    let folder = tempfile::tempdir().unwrap();
    let observatory = folder.path().join("merlow.glb");
    std::fs::write(&observatory, merlow::build()).unwrap();
    let mut files = vec![observatory];
    for entry in walk(&sample("")) {
        if ["glb", "gltf"]
            .iter()
            .any(|e| entry.extension().is_some_and(|x| x == *e))
        {
            files.push(entry);
        }
    }
    let mut moving = 0;
    for path in files {
        let Ok(read) = load(&path, &ImportOptions::default()) else {
            continue;
        };
        let length = read.report.motion.length_s;
        if length == 0.0 {
            continue;
        }
        for share in [0.3, 1.5] {
            let time_s = length * share;
            let placed = read.document.place(time_s, &[]).unwrap();
            let options = ImportOptions {
                time_s,
                ..ImportOptions::default()
            };
            let fresh = load(&path, &options).unwrap().scene;
            assert_eq!(
                placed.content(),
                fresh.content(),
                "{} at {time_s} s",
                path.display()
            );
            moving += usize::from(share == 0.3 && placed.content() != read.scene.content());
        }
    }
    assert!(moving >= 1, "nothing moved at all");
}

fn walk(folder: &Path) -> Vec<PathBuf> {
    let mut found = Vec::new();
    for entry in std::fs::read_dir(folder).unwrap().flatten() {
        match entry.path() {
            p if p.is_dir() => found.extend(walk(&p)),
            p => found.push(p),
        }
    }
    found.sort();
    found
}

/// A node that turns a quarter in a second, with a child half a metre out on its x axis and one on a mirrored arm; a third
/// that shrinks to nothing.
fn turning() -> Made {
    let part = globe(5);
    let mut made = with_nodes(
        &part,
        vec![
            json!({"name": "Hub", "children": [1, 2], "translation": [5, 1, 0]}),
            json!({"name": "Arm", "mesh": 0, "translation": [2, 0, 0], "scale": [0.1, 0.1, 0.1]}),
            json!({"name": "Mirrored arm", "mesh": 0, "translation": [-2, 0, 0], "scale": [0.1, -0.1, 0.1]}),
            json!({"name": "Spark", "mesh": 0, "translation": [0, 5, 0]}),
            json!({"name": "Still", "mesh": 0}),
        ],
    );
    made.document["scenes"][0]["nodes"] = json!([0, 3, 4]);
    let times = made.floats("SCALAR", &[0.0, 1.0]);
    let (s, c) = std::f32::consts::FRAC_PI_4.sin_cos();
    let turns = made.floats("VEC4", &[0.0, 0.0, 0.0, 1.0, 0.0, s, 0.0, c]);
    let sizes = made.floats("VEC3", &[1.0, 1.0, 1.0, 0.0, 0.0, 0.0]);
    made.document["animations"] = json!([{"channels": [
        {"sampler": 0, "target": {"node": 0, "path": "rotation"}},
        {"sampler": 1, "target": {"node": 3, "path": "scale"}}],
        "samplers": [{"input": times, "output": turns}, {"input": times, "output": sizes}]}]);
    made
}

#[test]
fn what_a_node_carries_goes_along() {
    let read = turning().load().unwrap();
    let middle = |s: &Scene, name: &str| {
        let o = s.objects().iter().find(|o| o.name == name).unwrap();
        (o.min + o.max) / 2.0
    };
    for (time, arm, other) in [
        (0.0, Vec3::new(7.0, 1.0, 0.0), Vec3::new(3.0, 1.0, 0.0)),
        // A quarter about +Y takes +x to -z.
        (1.0, Vec3::new(5.0, 1.0, -2.0), Vec3::new(5.0, 1.0, 2.0)),
    ] {
        let scene = read.document.place(time, &[]).unwrap();
        for (name, at) in [("Arm", arm), ("Mirrored arm", other)] {
            let found = middle(&scene, name);
            assert!((found - at).length() < 5e-3, "{name} at {found}");
            // It is met where it is, from outside, and its surface faces out.
            let hit = scene.hit(&TraceRay::new(at + Vec3::Y * 3.0, Vec3::NEG_Y));
            let hit = hit.unwrap_or_else(|| panic!("{name} is not met"));
            assert!((hit.distance - 2.9).abs() < 0.02, "{name}: {hit:?}");
            let [a, b, c] = scene.corners(hit.triangle);
            assert!((b - a).cross(c - a).y > 0.0, "{name} faces in");
        }
        let spark = scene
            .hit(&TraceRay::new(Vec3::new(0.0, 8.0, 0.0), Vec3::NEG_Y))
            .unwrap();
        let seen = &scene.objects()[scene.object_of(spark.triangle) as usize].name;
        assert_eq!(seen, if time == 0.0 { "Spark" } else { "Still" });
    }
}

/// The artist's moves come on top of a node's own motion, for some of what it carries.
#[test]
fn moves_come_on_top_of_motion() {
    let read = turning().load().unwrap();
    let number = |name: &str| {
        let at = read.scene.objects().iter().position(|o| o.name == name);
        at.unwrap() as u32
    };
    let change = ObjectMove {
        name: "Arm".into(),
        objects: vec![number("Arm"), number("Still")],
        about: [0.0, 0.0],
        turn_deg: 90.0,
        by: [0.0, 10.0, 0.0],
        on: true,
    };
    for time in [0.0, 0.4, 1.0] {
        let (plain, moved) = (
            read.document.place(time, &[]).unwrap(),
            read.document
                .place(time, std::slice::from_ref(&change))
                .unwrap(),
        );
        for object in 0..plain.objects().len() as u32 {
            let shifted = change.objects.contains(&object);
            let expected = |p: Vec3| {
                if shifted {
                    change.transform().transform_point3(p.as_dvec3()).as_vec3()
                } else {
                    p
                }
            };
            let corners = |s: &Scene| -> Vec<Vec3> {
                s.triangles_of(object)
                    .iter()
                    .flat_map(|t| s.corners(*t))
                    .collect()
            };
            let (a, b) = (corners(&plain), corners(&moved));
            assert_eq!(a.len(), b.len());
            let off = (a.iter().zip(&b))
                .map(|(a, b)| expected(*a).distance(*b))
                .fold(0.0, f32::max);
            assert!(off < 1e-4, "object {object} at {time} s is {off} m off");
        }
        assert_eq!(plain.triangle_count(), moved.triangle_count());
        assert_ne!(plain.content(), moved.content());
    }
    // A move that is switched off is none.
    let off = ObjectMove {
        on: false,
        ..change
    };
    assert_eq!(
        read.document.place(0.4, &[off]).unwrap().content(),
        read.document.place(0.4, &[]).unwrap().content()
    );
}

/// Handbook 7 and the trade's own case of a wood: ten thousand copies of a tree of 5,000 triangles take memory for one.
#[test]
fn a_wood_takes_memory_for_one_tree() {
    let part = globe(36);
    let wood = |count: usize| {
        let mut made = with_nodes(&part, vec![node("Tree", &DMat4::IDENTITY)]);
        let places: Vec<f32> = (0..count)
            .flat_map(|i| [3.0 * (i % 100) as f32, 0.0, 3.0 * (i / 100) as f32])
            .collect();
        let at = made.floats("VEC3", &places);
        made.document["nodes"][0]["extensions"] =
            json!({"EXT_mesh_gpu_instancing": {"attributes": {"TRANSLATION": at}}});
        made.load().unwrap().scene
    };
    let (one, many) = (wood(1), wood(10_000));
    let each = one.triangle_count();
    assert!(each == 4 * 36 * 36 - 4 * 36);
    assert_eq!(
        (many.triangle_count(), many.kept_triangles()),
        (10_000 * each, each)
    );
    // What is left for a copy is where it stands.
    let more = (many.memory_bytes() - one.memory_bytes()) / 10_000;
    assert!(more < 1_000, "{more} bytes a copy");
    let hit = many
        .hit(&TraceRay::new(Vec3::new(150.0, 9.0, 120.0), Vec3::NEG_Y))
        .unwrap();
    assert!((hit.distance - 8.0).abs() < 0.05, "{hit:?}");
    assert!((many.bounds().1.x - 298.0).abs() < 1e-3);
}

/// The same survey near its origin and at easting 500 km, northing 5,400 km: every ray meets the same within 1e-4 px of a
/// picture 4096 px wide, in text and in nodes.
#[test]
fn far_from_the_origin_all_is_as_near_it() {
    let folder = tempfile::tempdir().unwrap();
    let text = |far: [f64; 3]| {
        let mut text = String::new();
        for p in &ball(0).positions {
            let [x, y, z] = [0, 1, 2].map(|i| f64::from(p[i]) * 3.0 + far[i]);
            text += &format!("v {x:.7} {y:.7} {z:.7}\n");
        }
        for t in &ball(0).triangles {
            let [a, b, c] = t.map(|i| i + 1);
            text += &format!("f {a} {b} {c}\n");
        }
        let path = folder.path().join(format!("{}.obj", far[0]));
        std::fs::write(&path, text).unwrap();
        load(
            &path,
            &ImportOptions {
                up: Some(dome_trace::Up::Z),
                ..ImportOptions::default()
            },
        )
        .unwrap()
    };
    let nodes = |far: [f64; 3]| {
        let turned = DMat4::from_translation(DVec3::from(far)) * DMat4::from_rotation_y(0.3);
        let moved = DMat4::from_translation(DVec3::from(far) + DVec3::new(4.03, 0.21, -1.7));
        with_nodes(&ball(0), vec![node("One", &turned), node("Other", &moved)])
            .load()
            .unwrap()
    };
    let pixel = std::f64::consts::TAU / 4096.0;
    for (near, far, at) in [
        (
            text([0.0; 3]),
            text([500_000.25, 5_400_000.3, 412.0]),
            DVec3::new(0.25, 3.0, -0.3),
        ),
        (
            nodes([0.0; 3]),
            nodes([500_000.25, 412.0, -5_400_000.5]),
            DVec3::new(-1.75, 1.0, 0.5),
        ),
    ] {
        assert_eq!(near.report.origin, [0.0; 3]);
        assert!(
            far.report
                .notices
                .iter()
                .any(|n| n.contains("far from its file's origin"))
        );
        assert!(
            !near
                .report
                .notices
                .iter()
                .any(|n| n.contains("far from its file's origin"))
        );
        // The nearest metre in the middle and at the foot became the origin.
        assert_eq!(near.scene.triangle_count(), far.scene.triangle_count());
        let (mut n, mut hits, mut odd, mut worst) = (3, 0, 0, 0.0f64);
        for t in (0..near.scene.triangle_count() as u32).step_by(7) {
            // From five metres off: how far a corner lies from where it should, as an angle.
            for (a, b) in near.scene.corners(t).into_iter().zip(far.scene.corners(t)) {
                worst = worst.max((b.as_dvec3() - at - a.as_dvec3()).length() / 5.0 / pixel);
            }
            let from = direction(&mut n) * 8.0;
            let to = near.scene.corners(t)[0] * 0.9;
            let meets = |s: &Scene, from: Vec3, to: Vec3| {
                let hit = s.hit(&TraceRay::new(from, (to - from).normalize()));
                hit.map(|h| h.distance)
            };
            let shift = at.as_vec3();
            let ends = (
                meets(&near.scene, from, to),
                meets(&far.scene, from + shift, to + shift),
            );
            match ends {
                (Some(a), Some(b)) if (a - b).abs() < 1e-5 => hits += 1,
                (None, None) => {}
                // Past an edge by less than the rounding of the ray itself.
                _ => odd += 1,
            }
        }
        assert!(
            hits > 1_000 && odd < 10,
            "{hits} meet the same, {odd} do not"
        );
        assert!(worst < 1e-4, "{worst} px");
    }
}

/// A furnace law that does not depend on where a scene stands holds for one that was read far away, too.
#[test]
fn a_scene_read_far_away_renders_as_at_the_origin() {
    let part = ball(0);
    let picture = |far: f64| {
        let place = DMat4::from_translation(DVec3::new(far, 0.0, -far * 10.8));
        let read = with_nodes(&part, vec![node("Ball", &place)])
            .load()
            .unwrap();
        let scene = read.scene;
        let middle = (scene.bounds().0 + scene.bounds().1).as_dvec3() / 2.0;
        let eye = MonoEye::new(
            middle + DVec3::new(0.0, 0.2, 4.0),
            Orientation::default(),
            Equirect,
        );
        let light = Illumination::plain(&scene, Sky::default());
        let size = PanoramaSize::from_width(128).unwrap();
        common::render(&scene, &light, &eye, size, 16, 9)
    };
    let (near, far) = (picture(0.0), picture(500_000.0));
    let mean = |v: &[f32]| v.iter().map(|x| f64::from(*x)).sum::<f64>() / v.len() as f64;
    assert!(
        (mean(&near) / mean(&far) - 1.0).abs() < 1e-3,
        "{} for {}",
        mean(&near),
        mean(&far)
    );
    let off = near
        .iter()
        .zip(&far)
        .filter(|(a, b)| (**a - **b).abs() > 1e-3)
        .count();
    assert!(off < near.len() / 500, "{off} values differ");
}
