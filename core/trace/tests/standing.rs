//! Standing in small scenes: plan and section, clearance, being square, bringing, starts.

use dome_trace::plan::{self, Area, CutPlane, Outline};
use dome_trace::scene::MeshPart;
use dome_trace::stand::clearance::{COMFORT, EYE_SEPARATION, Limits, scan};
use dome_trace::stand::move_here::{self, Wanted};
use dome_trace::stand::{dark, remedy, sight, solid_around, square, starts};
use dome_trace::{
    Illumination, ImportOptions, Material, ObjectMove, Scene, SceneBuilder, Sky, load,
};
use glam::{DVec3, Mat4, Vec2, Vec3};
use proptest::prelude::*;
use std::path::Path;

#[path = "../../../tests/support/scene.rs"]
mod scene;

/// A box of a size round the origin of the ground, turned outwards.
fn block(size: [f32; 3]) -> MeshPart {
    let [w, h, d] = [size[0] / 2.0, size[1], size[2] / 2.0];
    let corner = |i: usize| {
        [
            if i & 1 == 1 { w } else { -w },
            if i & 2 == 2 { h } else { 0.0 },
            if i & 4 == 4 { d } else { -d },
        ]
    };
    let quads = [
        [0, 4, 6, 2],
        [1, 3, 7, 5],
        [0, 1, 5, 4],
        [2, 6, 7, 3],
        [0, 2, 3, 1],
        [4, 5, 7, 6],
    ];
    MeshPart {
        positions: (0..8).map(corner).collect(),
        triangles: quads
            .iter()
            .flat_map(|q: &[u32; 4]| [[q[0], q[1], q[2]], [q[0], q[2], q[3]]])
            .collect(),
        ..MeshPart::default()
    }
}

/// A standing tube or, from 0 to 360 degrees, a pillar without ends; the surface looks outwards.
fn shell(radius: f32, height: f32, from: f32, to: f32) -> MeshPart {
    let steps = 180;
    let mut part = MeshPart::default();
    for i in 0..=steps {
        let a = (from + (to - from) * i as f32 / steps as f32).to_radians();
        for y in [0.0, height] {
            part.positions
                .push([radius * a.sin(), y, -radius * a.cos()]);
        }
    }
    for i in 0..steps {
        let k = 2 * i;
        part.triangles
            .extend([[k, k + 1, k + 3], [k, k + 3, k + 2]]);
    }
    part
}

fn build(things: &[(&str, MeshPart, Mat4)]) -> Scene {
    let mut builder = SceneBuilder::default();
    builder.materials = vec![Material::default()];
    for (name, part, place) in things {
        builder.start_object(*name);
        builder.add_part(part, place);
    }
    builder.build(Sky::default(), "test").unwrap()
}

fn at(x: f32, y: f32, z: f32) -> Mat4 {
    Mat4::from_translation(Vec3::new(x, y, z))
}

/// A room of 8 x 3 x 6 m of four walls, floor and ceiling, with a table and a shelf.
fn furnished() -> Scene {
    build(&[
        ("Floor", block([9.0, 0.2, 7.0]), at(0.0, -0.2, 0.0)),
        ("Ceiling", block([9.0, 0.2, 7.0]), at(0.0, 3.0, 0.0)),
        ("North", block([9.0, 3.0, 0.5]), at(0.0, 0.0, -3.25)),
        ("South", block([9.0, 3.0, 0.5]), at(0.0, 0.0, 3.25)),
        ("East", block([0.5, 3.0, 6.0]), at(4.25, 0.0, 0.0)),
        ("West", block([0.5, 3.0, 6.0]), at(-4.25, 0.0, 0.0)),
        ("Table top", block([1.6, 0.05, 0.8]), at(2.5, 0.7, 1.5)),
        ("Paper", block([0.6, 0.002, 0.4]), at(2.5, 0.75, 1.5)),
        ("Shelf", block([1.0, 0.04, 0.5]), at(-3.4, 1.75, -2.0)),
    ])
}

fn name(scene: &Scene, object: u32) -> &str {
    &scene.objects()[object as usize].name
}

fn area(outline: &Outline) -> f32 {
    // Relative to a point of its own: far from the origin the products would drown the area.
    let first = outline.points[0].as_dvec2();
    let p: Vec<_> = outline
        .points
        .iter()
        .map(|q| q.as_dvec2() - first)
        .collect();
    let twice: f64 = (0..p.len())
        .map(|i| p[i].perp_dot(p[(i + 1) % p.len()]))
        .sum();
    (twice / 2.0) as f32
}

/// A lamp of 2 cm is the nearest thing of a room, wherever the room stands and however it is turned and scaled: exactly as far as it is,
/// which rays a degree or two apart pass by. What the floor covers is not near.
#[test]
fn the_very_nearest_thing_is_found_however_small() {
    for (far, turn, scale) in [
        (Vec3::ZERO, 0.0f32, 1.0f32),
        (Vec3::new(-900.0, 40.0, 2000.0), 33.0, 1.0),
        (Vec3::new(5.0, 0.0, -7.0), 200.0, 4.0),
        (Vec3::ZERO, 91.0, 0.25),
    ] {
        let place = Mat4::from_translation(far)
            * Mat4::from_rotation_y(turn.to_radians())
            * Mat4::from_scale(Vec3::splat(scale));
        let lamp = Vec3::new(0.83, 1.9, 0.71);
        let scene = build(&[
            (
                "Floor",
                block([14.0, 0.2, 14.0]),
                place * at(0.0, -0.2, 0.0),
            ),
            (
                "Pipe below",
                block([14.0, 0.1, 0.1]),
                place * at(0.0, -0.5, 0.0),
            ),
            ("North", block([14.0, 6.0, 0.5]), place * at(0.0, 0.0, -6.5)),
            (
                "Lamp",
                block([0.02; 3]),
                place * Mat4::from_translation(lamp),
            ),
        ]);
        let eye = place.transform_point3(Vec3::new(0.0, 1.6, 0.0)).as_dvec3();
        let found = scan(&scene, eye, &Limits::default()).nearest.unwrap();
        // The box's nearest point: its corner towards the eye, at its own height 0.3 above it.
        let corner = place
            .transform_point3(lamp - Vec3::new(0.01, 0.0, 0.01))
            .as_dvec3();
        let wanted = corner.distance(eye);
        assert_eq!(name(&scene, found.object), "Lamp", "{far} {turn} {scale}");
        assert!(
            (found.distance - wanted).abs() < 3e-4 * f64::from(scale).max(1.0),
            "{far} {turn} {scale}: {} and not {wanted}",
            found.distance
        );
        let depths = dome_trace::stand::depth::around(&scene, eye, 4096);
        let very = depths.sights[0];
        assert!((very.distance - wanted).abs() < 3e-4 * f64::from(scale).max(1.0));
        assert_eq!(name(&scene, very.object), "Lamp");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]
    /// The nearest point of many triangles by the tree is the nearest by asking each of many points of each, and no farther than any.
    #[test]
    fn the_nearest_point_is_the_nearest(
        corners in prop::collection::vec(prop::array::uniform3(prop::array::uniform3(-3.0f32..3.0)), 1..60),
        eye in prop::array::uniform3(-4.0f64..4.0),
    ) {
        let part = MeshPart {
            positions: corners.iter().flatten().copied().collect(),
            triangles: (0..corners.len() as u32).map(|i| [3 * i, 3 * i + 1, 3 * i + 2]).collect(),
            ..MeshPart::default()
        };
        let scene = build(&[("all", part, Mat4::IDENTITY)]);
        let eye = DVec3::from(eye);
        let (triangle, point) = scene.nearest_point(eye, |_, _| true).unwrap();
        let distance = point.distance(eye);
        let steps = 40;
        let mut least = f64::INFINITY;
        for t in 0..scene.triangle_count() as u32 {
            let [a, b, c] = scene.corners(t).map(|c| c.as_dvec3());
            for i in 0..=steps {
                for k in 0..=steps - i {
                    let (u, v) = (f64::from(i) / f64::from(steps), f64::from(k) / f64::from(steps));
                    least = least.min((a + (b - a) * u + (c - a) * v).distance(eye));
                }
            }
            prop_assert!(distance <= least + 1e-9);
        }
        // Between the points that were asked lies at most a step.
        prop_assert!(least - distance < 6.0 * 3f64.sqrt() / f64::from(steps), "{least} {distance}");
        let [a, b, c] = scene.corners(triangle).map(|c| c.as_dvec3());
        let normal = (b - a).cross(c - a);
        if normal.length() > 1e-6 {
            prop_assert!((point - a).dot(normal.normalize()).abs() < 1e-9, "it lies on its triangle");
        }
    }
}

#[test]
fn a_plan_shows_walls_as_solids_and_a_section_the_heights() {
    let scene = furnished();
    let cut = plan::cut(&scene, &CutPlane::Level { y: 1.0 }, None, 0.001);
    // Four walls; the table ends below and the shelf hangs above.
    assert_eq!((cut.solids.len(), cut.lines.len()), (4, 0));
    let mut areas: Vec<f32> = cut.solids.iter().map(|s| area(&s[0])).collect();
    areas.sort_by(f32::total_cmp);
    for (found, wanted) in areas.iter().zip([3.0, 3.0, 4.5, 4.5]) {
        assert!((found - wanted).abs() < 1e-4, "{areas:?}");
    }
    // A box needs its four corners and no more once details are left out.
    assert!(
        cut.solids
            .iter()
            .all(|s| s.len() == 1 && s[0].points.len() == 4)
    );
    // The section along x through the table: floor, ceiling, two walls, table, paper.
    let along = CutPlane::through(Vec2::new(0.0, 1.5), Vec2::new(1.0, 1.5));
    let section = plan::cut(&scene, &along, None, 0.001);
    assert_eq!((section.solids.len(), section.lines.len()), (6, 0));
    let table = section
        .solids
        .iter()
        .find(|s| (area(&s[0]) - 1.6 * 0.05).abs() < 1e-4)
        .expect("the table top is cut");
    let xs = table[0].points.iter().map(|p| p.x);
    let low = xs.clone().fold(f32::INFINITY, f32::min);
    assert!((low - 1.7).abs() < 1e-5 && (xs.fold(-9.0, f32::max) - 3.3).abs() < 1e-5);
    // Only what an area shows is given, and less of it than there is.
    let window = Area {
        low: Vec2::new(3.5, -1.0),
        high: Vec2::new(5.0, 1.0),
    };
    let part = plan::cut(&scene, &CutPlane::Level { y: 1.0 }, Some(window), 0.0);
    assert_eq!(part.solids.len(), 1);
}

#[test]
fn round_and_hollow_things_close_and_odd_pieces_are_turned_over() {
    // A tube with a wall of 0.5 m: the inner surface looks inwards, the other way round.
    let outer = shell(2.0, 3.0, 0.0, 360.0);
    let mut inner = shell(1.5, 3.0, 0.0, 360.0);
    for t in &mut inner.triangles {
        t.swap(1, 2);
    }
    let mut tube = outer.clone();
    let first = tube.positions.len() as u32;
    tube.positions.extend(inner.positions);
    tube.triangles
        .extend(inner.triangles.iter().map(|t| t.map(|i| i + first)));
    let scene = build(&[("Tube", tube, Mat4::IDENTITY)]);
    let cut = plan::cut(&scene, &CutPlane::Level { y: 1.5 }, None, 0.0);
    assert_eq!((cut.solids.len(), cut.lines.len()), (1, 0));
    let solid: f32 = cut.solids[0].iter().map(area).sum();
    let exact = std::f32::consts::PI * (4.0 - 2.25);
    assert!((solid / exact - 1.0).abs() < 1e-3, "{solid} for {exact}");
    // A pillar in two halves, one of which is turned inside out, as two objects.
    let half = shell(1.0, 3.0, 0.0, 180.0);
    let mut other = shell(1.0, 3.0, 180.0, 360.0);
    for t in &mut other.triangles[..40] {
        t.swap(1, 2);
    }
    let scene = build(&[
        ("One half", half, Mat4::IDENTITY),
        ("Other half", other, Mat4::IDENTITY),
    ]);
    let cut = plan::cut(&scene, &CutPlane::Level { y: 1.0 }, None, 0.0);
    assert_eq!((cut.solids.len(), cut.lines.len()), (1, 0), "{cut:?}");
    assert!((area(&cut.solids[0][0]) / std::f32::consts::PI - 1.0).abs() < 1e-3);
}

proptest! {
    #[test]
    fn boxes_anywhere_are_cut_to_their_own_area(
        size in prop::array::uniform3(0.2f32..8.0),
        turn in 0f32..std::f32::consts::TAU,
        place in prop::array::uniform3(-50f32..50.0),
        share in 0.02f32..0.98,
    ) {
        let position = at(place[0], place[1], place[2]) * Mat4::from_rotation_y(turn);
        let scene = build(&[("Box", block(size), position)]);
        let y = place[1] + size[1] * share;
        let cut = plan::cut(&scene, &CutPlane::Level { y }, None, 0.0);
        prop_assert_eq!((cut.solids.len(), cut.lines.len()), (1, 0));
        let (found, wanted) = (area(&cut.solids[0][0]), size[0] * size[2]);
        prop_assert!((found / wanted - 1.0).abs() < 2e-3, "{} for {}", found, wanted);
    }

    #[test]
    fn whatever_is_brought_is_seen_where_it_was_wanted(
        heading in 0f64..360.0,
        pitch in -60f64..60.0,
        distance in 0.5f64..30.0,
        floats: bool,
        face: bool,
    ) {
        let scene = build(&[
            ("Ground", block([200.0, 0.1, 200.0]), at(0.0, -0.1, 0.0)),
            ("Post", block([0.6, 1.1, 0.4]), at(3.0, 0.0, -4.0) * Mat4::from_rotation_y(0.7)),
        ]);
        let eye = DVec3::new(-1.0, 1.6, 2.0);
        let wanted = Wanted {
            eye,
            heading_deg: heading,
            pitch_deg: floats.then_some(pitch),
            distance,
            face,
        };
        let change = move_here::move_here(&scene, "Post", &[1], &wanted).unwrap();
        let moved = rebuilt(&change);
        let (h, p, d) = move_here::seen_at(&moved, &[1], eye).unwrap();
        let off = dome_optics::angle::wrap_signed_deg(h - heading).abs();
        // A turn changes the box round a thing, so its middle may move by a little of its size.
        prop_assert!(off < 0.02, "{} instead of {}", h, heading);
        if floats {
            prop_assert!((p - pitch).abs() < 0.02 && (d / distance - 1.0).abs() < 1e-3);
        } else {
            let low = f64::from(moved.objects()[1].min.y);
            prop_assert!(low.abs() < 1e-4, "it stands at {}", low);
            let ground = d * p.to_radians().cos();
            prop_assert!((ground / distance - 1.0).abs() < 1e-3, "{} for {}", ground, distance);
        }
    }
}

/// The scene of the property above with a change on top, as an import applies it.
fn rebuilt(change: &ObjectMove) -> Scene {
    let place = change.transform().as_mat4();
    build(&[
        ("Ground", block([200.0, 0.1, 200.0]), at(0.0, -0.1, 0.0)),
        (
            "Post",
            block([0.6, 1.1, 0.4]),
            place * at(3.0, 0.0, -4.0) * Mat4::from_rotation_y(0.7),
        ),
    ])
}

#[test]
fn moves_are_a_layer_that_the_file_knows_nothing_of() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("room.glb");
    std::fs::write(&path, scene::room_glb()).unwrap();
    let before = std::fs::read(&path).unwrap();
    let lamp = ObjectMove {
        name: "Lamp".into(),
        objects: vec![1],
        about: [1.5, -1.0],
        turn_deg: 90.0,
        by: [-1.0, -0.4, 2.0],
        on: true,
    };
    let with = |moves: Vec<ObjectMove>| {
        let options = ImportOptions {
            moves,
            ..ImportOptions::default()
        };
        load(&path, &options).unwrap().scene
    };
    let moved = with(vec![lamp.clone()]);
    let middle = (moved.objects()[1].min + moved.objects()[1].max) / 2.0;
    assert!(middle.distance(Vec3::new(0.5, 1.0, 1.0)) < 1e-5, "{middle}");
    assert_eq!(moved.objects()[0].min, Vec3::new(-3.0, 0.0, -3.0));
    let off = with(vec![ObjectMove {
        on: false,
        ..lamp.clone()
    }]);
    let still = (off.objects()[1].min + off.objects()[1].max) / 2.0;
    assert!(still.distance(Vec3::new(1.5, 1.4, -1.0)) < 1e-5);
    // There and back again.
    let back = ObjectMove {
        about: [0.5, 1.0],
        turn_deg: -90.0,
        by: [1.0, 0.4, -2.0],
        ..lamp.clone()
    };
    let home = with(vec![lamp, back]);
    let middle = (home.objects()[1].min + home.objects()[1].max) / 2.0;
    assert!(middle.distance(Vec3::new(1.5, 1.4, -1.0)) < 1e-5);
    assert_eq!(std::fs::read(&path).unwrap(), before);
}

#[test]
fn a_clear_place_is_clear_and_crowded_ones_are_told() {
    let scene = furnished();
    let limits = Limits::default();
    let middle = scan(&scene, DVec3::new(0.0, 1.6, 0.0), &limits);
    assert!(middle.inside.is_none() && middle.over.is_none() && middle.beside.is_none());
    assert!(middle.low.is_none() && middle.floor.unwrap().y.abs() < 1e-6);
    assert!((middle.ceiling.unwrap().y - 3.0).abs() < 1e-6);
    // The ceiling is nearer than any wall; the floor itself does not count.
    let nearest = middle.nearest.unwrap();
    assert_eq!(name(&scene, nearest.object), "Ceiling");
    assert!((nearest.distance - 1.4).abs() < 1e-4 && nearest.pitch_deg > 89.0);
    // The ring: 3 m to the north, 4 m to the east.
    let ring = |heading: usize| middle.ring[heading / 3];
    assert!((ring(0) - 3.0).abs() < 1e-4 && (ring(90) - 4.0).abs() < 1e-4);
    assert!((ring(180) - 3.0).abs() < 1e-4 && (ring(270) - 4.0).abs() < 1e-4);

    // Above the table, 0.3 m beside it, and under the shelf.
    let over = scan(&scene, DVec3::new(2.5, 1.6, 1.5), &limits);
    let (thing, height) = over.over.unwrap();
    // What lies on a table does not make it a floor.
    assert_eq!(name(&scene, thing.object), "Paper");
    assert!((height - 0.752).abs() < 1e-5 && over.floor.unwrap().y.abs() < 1e-6);
    let beside = scan(&scene, DVec3::new(1.4, 1.6, 1.5), &limits);
    let thing = beside.beside.unwrap();
    assert!(beside.over.is_none() && name(&scene, thing.object) == "Table top");
    assert!((thing.distance - 0.3).abs() < 0.03 && (thing.heading_deg - 90.0).abs() < 12.0);
    let wide = Limits {
        beside: 0.2,
        ..limits
    };
    assert!(
        scan(&scene, DVec3::new(1.4, 1.6, 1.5), &wide)
            .beside
            .is_none()
    );
    let under = scan(&scene, DVec3::new(-3.4, 1.6, -2.0), &limits);
    assert_eq!(name(&scene, under.low.unwrap().object), "Shelf");
    assert!((under.low.unwrap().distance - 0.15).abs() < 1e-4);
    // A wall near by is no furniture.
    let wall = scan(&scene, DVec3::new(0.0, 1.6, -2.8), &limits);
    assert!(wall.beside.is_none() && (wall.nearest.unwrap().distance - 0.2).abs() < 1e-4);
    assert!(wall.nearest.unwrap().distance < EYE_SEPARATION * COMFORT);
    // In a wall, and outside over the void.
    let inside = scan(&scene, DVec3::new(4.3, 1.6, 0.5), &limits);
    assert_eq!(name(&scene, inside.inside.unwrap()), "East");
    let void = scan(&scene, DVec3::new(30.0, 1.6, 0.0), &limits);
    assert!(void.floor.is_none() && void.inside.is_none());
}

#[test]
fn remedies_lead_to_places_without_the_fault() {
    let scene = furnished();
    let limits = Limits::default();
    let away = remedy::step_away(&scene, DVec3::new(2.5, 1.6, 1.5), 0.4, 0.0).unwrap();
    let clear = scan(&scene, away, &limits);
    assert!(clear.over.is_none() && clear.beside.is_none(), "{away}");
    assert!((away.y - 1.6).abs() < 1e-6 && away.distance(DVec3::new(2.5, 1.6, 1.5)) < 2.0);
    let wall = DVec3::new(0.0, 1.6, -2.8);
    let away = remedy::step_away(&scene, wall, 1.0, 0.0).unwrap();
    assert!(away.z > -2.05, "{away}");
    let low = scan(&scene, DVec3::new(-3.4, 1.6, -2.0), &limits);
    let lower = remedy::raise(&low, DVec3::new(-3.4, 1.6, -2.0), 1.2).unwrap();
    // Half-way between the floor and the shelf is lower than a seated eye.
    assert!((lower.y - 0.875).abs() < 1e-3, "{lower}");
}

#[test]
fn rooms_made_of_one_box_are_no_solids_and_solids_are() {
    let room = build(&[
        ("Room", block([6.0, 3.0, 6.0]), Mat4::IDENTITY),
        ("Crate", block([1.0, 1.0, 1.0]), at(1.5, 0.0, 1.5)),
        ("Hill", block([100.0, 1.0, 100.0]), at(0.0, -1.0, 0.0)),
    ]);
    // A box with a crate in it and a hill outside is a room; the crate and the hill are solid.
    assert_eq!(solid_around(&room, Vec3::new(0.0, 1.5, 0.0)), None);
    let solid = |p: [f32; 3]| solid_around(&room, p.into()).map(|o| name(&room, o));
    assert_eq!(solid([1.5, 0.5, 1.5]), Some("Crate"));
    assert_eq!(solid([20.0, -0.5, 3.0]), Some("Hill"));
    assert_eq!(solid([20.0, 2.0, 3.0]), None);
    // An empty box with nothing outside is a room too; with a ground it is a block of a model.
    let empty = build(&[("Box", block([6.0, 3.0, 6.0]), Mat4::IDENTITY)]);
    assert_eq!(solid_around(&empty, Vec3::new(0.5, 1.5, 0.2)), None);
    let town = build(&[
        ("House", block([8.0, 6.0, 8.0]), Mat4::IDENTITY),
        ("Ground", block([90.0, 1.0, 90.0]), at(0.0, -1.0, 0.0)),
    ]);
    assert_eq!(solid_around(&town, Vec3::new(0.5, 1.5, 0.2)), Some(0));
    let cut = plan::cut(&room, &CutPlane::Level { y: 0.5 }, None, 0.0);
    assert_eq!(
        (cut.solids.len(), cut.lines.len()),
        (1, 1),
        "crate and walls"
    );
}

#[test]
fn being_square_means_along_the_normal() {
    // A wall that stands at 30 degrees, seen from its front.
    let wall = at(0.0, 0.0, -5.0) * Mat4::from_rotation_y((-30f32).to_radians());
    let scene = build(&[("Wall", block([6.0, 4.0, 0.2]), wall)]);
    let eye = DVec3::new(1.0, 1.6, 0.0);
    let seen = sight::look_at(&scene, eye, 350.0, 3.0).unwrap();
    let front = square::of_triangle(&seen).unwrap();
    assert!((front.heading_deg - 30.0).abs() < 1e-4, "{front:?}");
    assert!(front.normal_pitch_deg.abs() < 1e-4 && !front.curved);
    // Moved to 2 m before the picked point, it is seen straight ahead at 2 m.
    let place = square::stand_off(&front, eye, 2.0);
    let ahead = sight::look_at(&scene, place, front.heading_deg, 0.0).unwrap();
    assert!((ahead.distance - 2.0).abs() < 1e-4 && place.y == 1.6);
    assert!(ahead.normal.distance(seen.normal) < 1e-6);
    // A level surface has no upright front.
    let floor = build(&[("Floor", block([9.0, 0.1, 9.0]), at(0.0, -0.1, 0.0))]);
    let down = sight::look_at(&floor, eye, 0.0, -40.0).unwrap();
    assert!(square::of_triangle(&down).is_none());
}

#[test]
fn a_curved_front_is_squared_to_by_its_axis() {
    // A bowed front from 160 to 220 degrees of a cylinder: its middle looks to 190.
    let bow = shell(10.0, 6.0, 160.0, 220.0);
    let scene = build(&[("Bow", bow, at(0.0, 0.0, -20.0))]);
    let eye = DVec3::new(-1.0, 1.6, 2.0);
    // Picked well aside of its middle, where its own normal looks elsewhere.
    let aside = sight::look_at(&scene, eye, 16.0, 2.0).unwrap();
    let picked = square::of_triangle(&aside).unwrap().heading_deg;
    let front = square::of_object(&scene, eye, &aside).unwrap();
    assert!(
        front.curved && (front.heading_deg - 10.0).abs() < 0.5,
        "{front:?}"
    );
    let off = dome_optics::angle::wrap_signed_deg(picked - 10.0).abs();
    assert!(off > 8.0, "the picked triangle alone says {picked}");
    // A flat wall has the same front as any of its triangles.
    let wall = at(0.0, 0.0, -5.0) * Mat4::from_rotation_y((-30f32).to_radians());
    let flat = build(&[("Wall", block([6.0, 4.0, 0.2]), wall)]);
    let seen = sight::look_at(&flat, DVec3::new(1.0, 1.6, 0.0), 350.0, 3.0).unwrap();
    let front = square::of_object(&flat, DVec3::new(1.0, 1.6, 0.0), &seen).unwrap();
    assert!(
        (front.heading_deg - 30.0).abs() < 0.1 && !front.curved,
        "{front:?}"
    );
}

#[test]
fn shares_are_solid_angles_and_sight_lines_are_free_lines() {
    // A square of 2 x 2 m at 1 m, seen from above its middle, takes a sixth of the sphere: a cube's face.
    let plate = build(&[("Plate", block([2.0, 0.001, 2.0]), Mat4::IDENTITY)]);
    let shares = sight::shares(&plate, None, DVec3::new(0.0, 1.001, 0.0));
    assert_eq!(shares.len(), 1);
    assert!((shares[0].share - 1.0 / 6.0).abs() < 1e-3, "{shares:?}");
    assert!((shares[0].pitch_deg + 90.0).abs() < 0.5 && (shares[0].distance - 1.0).abs() < 1e-2);
    let scene = furnished();
    let (a, b) = (DVec3::new(-3.0, 1.6, 0.0), DVec3::new(3.0, 1.6, 2.0));
    assert!(sight::sees(&scene, a, b) && sight::sees(&scene, b, a));
    let outside = DVec3::new(9.0, 1.6, 0.0);
    let between = sight::between(&scene, a, outside).unwrap();
    assert_eq!(name(&scene, between), "East");
    assert!(!sight::sees(&scene, outside, a));
}

#[test]
fn starts_are_the_middles_of_rooms_the_larger_first() {
    // Two rooms of 5 x 4 m and 3 x 4 m with a door of 0.9 m between them.
    let scene = build(&[
        ("Floor", block([9.0, 0.2, 5.0]), at(0.0, -0.2, 0.0)),
        ("Ceiling", block([9.0, 0.2, 5.0]), at(0.0, 2.8, 0.0)),
        ("North", block([9.0, 2.8, 0.3]), at(0.0, 0.0, -2.15)),
        ("South", block([9.0, 2.8, 0.3]), at(0.0, 0.0, 2.15)),
        ("West", block([0.3, 2.8, 4.6]), at(-4.15, 0.0, 0.0)),
        ("East", block([0.3, 2.8, 4.6]), at(4.35, 0.0, 0.0)),
        ("Wall a", block([0.2, 2.8, 1.55]), at(1.1, 0.0, -1.225)),
        ("Wall b", block([0.2, 2.8, 1.55]), at(1.1, 0.0, 1.225)),
        ("Meadow", block([60.0, 0.2, 60.0]), at(0.0, -0.5, 0.0)),
    ]);
    let found = starts::suggest(&scene);
    assert_eq!(found.len(), 2, "{found:#?}");
    let [large, small] = [&found[0], &found[1]];
    assert!(
        (large.position.x + 1.5).abs() < 0.6 && large.position.z.abs() < 0.15,
        "{large:?}"
    );
    assert!(
        (small.position.x - 2.7).abs() < 0.2 && small.position.z.abs() < 0.6,
        "{small:?}"
    );
    assert!((large.position.y - 1.6).abs() < 1e-4 && name(&scene, large.floor) == "Floor");
    // 2 m to the long walls, 1.5 m to the short ones.
    assert!((large.free - 2.0).abs() < 0.05, "{large:?}");
    // The door lets the middle of the small room move towards it a little.
    assert!((small.free - 1.5).abs() < 0.1, "{small:?}");
    assert!(large.enclosed > 0.99 && large.area > small.area);
    assert_eq!(
        remedy::nearest_middle(&found, DVec3::new(3.9, 1.6, 1.0)),
        Some(small)
    );
    // In a low room one sits.
    let low = build(&[
        ("Floor", block([6.0, 0.2, 6.0]), at(0.0, -0.2, 0.0)),
        ("Ceiling", block([6.0, 0.2, 6.0]), at(0.0, 1.8, 0.0)),
        ("North", block([6.0, 1.8, 0.2]), at(0.0, 0.0, -2.9)),
        ("South", block([6.0, 1.8, 0.2]), at(0.0, 0.0, 2.9)),
        ("West", block([0.2, 1.8, 5.6]), at(-2.9, 0.0, 0.0)),
        ("East", block([0.2, 1.8, 5.6]), at(2.9, 0.0, 0.0)),
    ]);
    let found = starts::suggest(&low);
    assert!((found[0].position.y - 0.9).abs() < 1e-3, "{found:?}");
}

#[test]
fn a_side_without_light_is_found() {
    let lamp = Material {
        emission: [30.0; 3],
        ..Material::default()
    };
    let mut builder = SceneBuilder::default();
    builder.materials = vec![Material::default(), lamp];
    // A black night with one lit wall to the north and the lamp before it, hidden by a screen.
    for (name, part, place, material) in [
        ("Wall", block([8.0, 8.0, 0.2]), at(0.0, -4.0, -6.0), 0),
        ("Lamp", block([1.0, 1.0, 0.1]), at(0.0, 0.0, -3.2), 1),
        ("Screen", block([1.4, 1.4, 0.1]), at(0.0, -0.2, -3.0), 0),
    ] {
        builder.start_object(name);
        builder.add_part(&MeshPart { material, ..part }, &place);
    }
    let black = Sky::Plain { colour: [0.0; 3] };
    let scene = builder.build(black.clone(), "night").unwrap();
    let night = Illumination::plain(&scene, black);
    let dark = dark::dark_side(&scene, &night, DVec3::ZERO).expect("the south is dark");
    assert!(dark.mean < 0.01 && dark.whole > 0.01, "{dark:?}");
    let off = dome_optics::angle::wrap_signed_deg(dark.heading_deg).abs();
    assert!(off > 60.0 || dark.pitch_deg.abs() > 45.0, "{dark:?}");
    let day = Illumination::plain(&scene, Sky::Plain { colour: [0.5; 3] });
    assert_eq!(dark::dark_side(&scene, &day, DVec3::ZERO), None);
}

#[test]
fn what_moves_is_followed_and_cameras_go_along() {
    let samples = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/samples");
    let at_time = |time_s: f64| {
        let options = ImportOptions {
            time_s,
            ..ImportOptions::default()
        };
        let path = samples.join("interpolation/InterpolationTest.gltf");
        load(&path, &options).unwrap().scene
    };
    let scene = at_time(0.5);
    // Three of the nine clips move a cube; the others turn or stretch one that stays.
    assert_eq!(scene.movers().len(), 3);
    for mover in scene.movers() {
        assert!(!mover.camera && mover.times.len() == mover.points.len());
        assert!(mover.times.windows(2).all(|w| w[0] < w[1]));
        // Between two moments of the way, what it is now lies between them.
        let k = mover.times.partition_point(|t| *t <= 0.5);
        let (a, b) = (mover.points[k - 1], mover.points[k]);
        for i in 0..3 {
            let (low, high) = (a[i].min(b[i]) - 1e-4, a[i].max(b[i]) + 1e-4);
            assert!((low..=high).contains(&mover.now[i]), "{}", mover.name);
        }
    }
    // The truck's wheels turn without going anywhere.
    let truck = load(
        &samples.join("milktruck/CesiumMilkTruck.gltf"),
        &ImportOptions::default(),
    );
    assert!(truck.unwrap().scene.movers().is_empty());
    // The demo's camera walks round the telescope, clear of everything.
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("merlow.glb");
    std::fs::write(&path, merlow::build()).unwrap();
    let observatory = load(&path, &ImportOptions::default()).unwrap().scene;
    let walk = observatory.movers().iter().find(|m| m.camera).unwrap();
    assert_eq!(walk.name, "Visitor's walk");
    for p in walk.points.iter().step_by(8) {
        let clear = scan(&observatory, DVec3::from(*p), &Limits::default());
        assert!(clear.inside.is_none() && clear.over.is_none() && clear.beside.is_none());
        assert!((clear.floor.unwrap().y).abs() < 1e-3);
    }
    let groups: Vec<&str> = observatory
        .groups()
        .iter()
        .map(|g| g.name.as_str())
        .collect();
    assert!(
        groups.contains(&"Telescope") && groups.contains(&"Chair"),
        "{groups:?}"
    );
}
