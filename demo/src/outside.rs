//! The terrace, the hill, the valley with its lake and village, and the low sun.

use crate::gltf_write::Stage;
use crate::paints::Paints;
use crate::pattern::{chance, noise};
use crate::room::DOOR;
use crate::shape::*;
use crate::{SLIT_HEADING_DEG, SUN_ELEVATION_DEG};
use glam::{Mat4, Vec3};

/// Level of the lake, metres.
const LAKE: f32 = -30.0;

/// Height of the land: a flat hill top, slopes into a valley, hills beyond.
fn height(x: f32, z: f32) -> f32 {
    let r = x.hypot(z);
    let n = |scale: f32, seed: u32| noise(x / scale + 500.0, z / scale + 500.0, 4096, seed) - 0.5;
    let hill = -34.0 * ((r - 13.0) / 70.0).clamp(0.0, 1.0).powf(1.3);
    let far = ((r - 110.0) / 190.0).clamp(0.0, 1.0);
    let ridge = far * far * (48.0 + 70.0 * n(95.0, 3)) + far * 26.0 * n(40.0, 5);
    let rough = ((r - 11.0) / 14.0).clamp(0.0, 1.0);
    hill + ridge + rough * (2.4 * n(18.0, 1) + 0.7 * n(5.0, 2)) - 0.42
}

pub(crate) fn build(s: &mut Stage, p: &Paints) {
    s.add("Hill and valley", &terrain(640.0, 220, height), p.land);
    s.add("Lake", &disc(0.0, 170.0, LAKE, 64), p.water);
    terrace(s, p);
    trees(s, p);
    village(s, p);
    // The real sun is half a degree wide; seen through evening haze it glows over several.
    let direction = polar(SLIT_HEADING_DEG, 1.0, SUN_ELEVATION_DEG.to_radians().tan()).normalize();
    let mut sun = disc(0.0, 10.0, 0.0, 24);
    let tip = glam::Quat::from_rotation_arc(Vec3::Y, -direction);
    sun = sun.transformed(Mat4::from_rotation_translation(tip, direction * 300.0));
    s.add("Evening sun", &sun, p.sun);
}

fn terrace(s: &mut Stage, p: &Paints) {
    let (from, to) = (DOOR - 62.0, DOOR + 62.0);
    let (inner, outer) = (6.05, 10.6);
    s.add(
        "Terrace",
        &ring_part(inner, outer, -0.5, -0.15, from, to),
        p.paving,
    );
    s.add(
        "Door step",
        &block(1.7, 0.15, 0.7)
            .at(0.0, -0.075, 0.0)
            .transformed(at_heading(DOOR, 6.3, 0.0)),
        p.stone,
    );
    s.add(
        "Parapet coping",
        &ring_part(outer - 0.42, outer + 0.04, 0.68, 0.78, from, to),
        p.stone,
    );
    s.add(
        "Parapet foot",
        &ring_part(outer - 0.38, outer, -0.15, 0.0, from, to),
        p.stone,
    );
    let profile = [
        (0.0, 0.0),
        (0.1, 0.0),
        (0.1, 0.06),
        (0.055, 0.12),
        (0.1, 0.3),
        (0.05, 0.52),
        (0.09, 0.62),
        (0.09, 0.68),
        (0.0, 0.68),
    ];
    let post = s.mesh("Terrace baluster", &lathe(&profile, 16, false), p.stone);
    let mut heading = from + 2.0;
    let mut i = 0;
    while heading < to {
        i += 1;
        s.place(
            &format!("Terrace baluster {i}"),
            post,
            at_heading(heading, outer - 0.19, 0.0),
        );
        heading += 2.4;
    }
    let pot = s.mesh(
        "Flower pot",
        &lathe(
            &[
                (0.0, 0.0),
                (0.16, 0.0),
                (0.24, 0.38),
                (0.27, 0.38),
                (0.27, 0.44),
                (0.22, 0.44),
                (0.2, 0.38),
                (0.0, 0.38),
            ],
            32,
            true,
        ),
        p.clay,
    );
    let bush = s.mesh("Box bush", &bushy(0.34, 11), p.leaf);
    for (i, h) in [DOOR - 16.0, DOOR + 16.0, DOOR - 45.0, DOOR + 45.0]
        .into_iter()
        .enumerate()
    {
        let r = if i < 2 { 6.7 } else { 9.7 };
        let at = at_heading(h, r, -0.15);
        s.place(&format!("Flower pot {}", i + 1), pot, at);
        s.place(
            &format!("Box bush {}", i + 1),
            bush,
            at * Mat4::from_translation(Vec3::Y * 0.68),
        );
    }
    let bench = Mesh::joined([
        block(1.7, 0.06, 0.42).at(0.0, 0.45, 0.0),
        block(1.7, 0.28, 0.05).at(0.0, 0.72, 0.22),
        block(0.08, 0.45, 0.4).at(-0.7, 0.22, 0.0),
        block(0.08, 0.45, 0.4).at(0.7, 0.22, 0.0),
        block(0.06, 0.45, 0.05).at(-0.7, 0.66, 0.22),
        block(0.06, 0.45, 0.05).at(0.7, 0.66, 0.22),
    ]);
    s.add(
        "Bench",
        &bench.transformed(at_heading(DOOR + 30.0, 7.0, -0.15)),
        p.oak,
    );
    let stand = at_heading(DOOR - 22.0, 9.3, -0.15);
    s.add(
        "Sundial",
        &lathe(
            &[
                (0.0, 0.0),
                (0.24, 0.0),
                (0.24, 0.1),
                (0.12, 0.2),
                (0.11, 0.85),
                (0.22, 0.95),
                (0.22, 1.0),
                (0.0, 1.0),
            ],
            32,
            true,
        )
        .transformed(stand),
        p.stone,
    );
    s.add(
        "Sundial plate",
        &cylinder(0.2, 0.2, 0.012, 40)
            .at(0.0, 1.0, 0.0)
            .transformed(stand),
        p.dark_brass,
    );
    s.add(
        "Sundial gnomon",
        &bar(Vec3::new(0.0, 1.01, 0.1), Vec3::new(0.0, 1.2, -0.1), 0.012).transformed(stand),
        p.brass,
    );
}

/// A ball with an uneven skin.
fn bushy(radius: f32, seed: u32) -> Mesh {
    let mut m = ball(radius, 18);
    for q in &mut m.positions {
        let k = noise(q.x * 14.0 + 40.0, q.y * 14.0 + q.z * 9.0 + 40.0, 4096, seed);
        *q *= 0.86 + 0.28 * k;
    }
    m
}

fn trees(s: &mut Stage, p: &Paints) {
    let mut crown = lathe(
        &[
            (0.0, 0.0),
            (0.55, 0.5),
            (0.78, 1.7),
            (0.62, 3.6),
            (0.34, 5.4),
            (0.0, 6.6),
        ],
        22,
        false,
    )
    .at(0.0, 0.7, 0.0);
    for q in &mut crown.positions {
        let k = 0.80 + 0.4 * noise(q.x * 5.0 + 60.0, q.y * 3.0 + q.z * 5.0 + 60.0, 4096, 6);
        q.x *= k;
        q.z *= k;
    }
    let crown = s.mesh("Cypress", &crown, p.leaf);
    let trunk = s.mesh("Cypress trunk", &cylinder(0.14, 0.1, 1.2, 12), p.bark);
    let mut placed = 0;
    for i in 0..400 {
        if placed == 70 {
            break;
        }
        let heading = 360.0 * chance(i * 3 + 1);
        let r = 13.0 + 95.0 * chance(i * 3 + 2).powf(1.2);
        let at = polar(heading, r, 0.0);
        // The view from the terrace over the valley stays open near by.
        let open = (heading - DOOR).abs() < 50.0 && r < 34.0;
        let west = (heading - SLIT_HEADING_DEG).abs() < 14.0 && r < 40.0;
        let y = height(at.x, at.z);
        if open || west || y < LAKE + 1.0 {
            continue;
        }
        placed += 1;
        let scale = 0.65 + 0.6 * chance(i * 3 + 3);
        let place = Mat4::from_translation(Vec3::new(at.x, y - 0.1, at.z))
            * Mat4::from_scale(Vec3::new(scale, scale * 1.05, scale))
            * Mat4::from_rotation_y(heading);
        s.place(&format!("Cypress {placed}"), crown, place);
        s.place(&format!("Cypress trunk {placed}"), trunk, place);
    }
}

fn village(s: &mut Stage, p: &Paints) {
    let body = s.mesh("House", &block(4.0, 3.0, 6.0).at(0.0, 1.0, 0.0), p.house);
    let mut gable = Mesh::default();
    let (w, h, d) = (2.3, 1.9, 3.3);
    for k in [-1.0f32, 1.0] {
        let a = [
            Vec3::new(k * w, 2.4, -d),
            Vec3::new(k * w, 2.4, d),
            Vec3::new(0.0, 2.4 + h, d),
            Vec3::new(0.0, 2.4 + h, -d),
        ];
        gable.quad(if k < 0.0 { a } else { [a[1], a[0], a[3], a[2]] });
    }
    let roof = s.mesh("House roof", &gable, p.roof);
    let panes = Mesh::joined((0..3).flat_map(|k| {
        [-2.02f32, 2.02].map(|x| block(0.05, 0.9, 0.7).at(x, 1.3, -2.0 + 2.0 * k as f32))
    }));
    let glow = s.mesh("House windows", &panes, p.window_glow);
    for i in 0..16u32 {
        let heading = 58.0 + 44.0 * chance(i * 5 + 900);
        let r = 58.0 + 30.0 * chance(i * 5 + 901);
        let at = polar(heading, r, 0.0);
        let y = height(at.x, at.z).max(LAKE + 0.2);
        let place = Mat4::from_translation(Vec3::new(at.x, y, at.z))
            * Mat4::from_rotation_y(6.3 * chance(i * 5 + 902));
        s.place(&format!("House {}", i + 1), body, place);
        s.place(&format!("House roof {}", i + 1), roof, place);
        s.place(&format!("House windows {}", i + 1), glow, place);
    }
}
