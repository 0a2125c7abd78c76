//! The study corner: desk with lamp and charts, chair, globe, shelves, clock, pictures, steps.

use crate::gltf_write::Stage;
use crate::paints::Paints;
use crate::room::WALL;
use crate::shape::*;
use glam::{Mat4, Vec2, Vec3};
use std::f32::consts::{FRAC_PI_2, TAU};

/// Heading and distance of the middle of the desk.
const DESK: (f32, f32) = (138.0, 4.35);
const TOP: f32 = 0.76;

/// Middle of the desk lamp's bulb, metres: the desk's place turned to heading 138.
pub(crate) const LAMP_BULB: [f32; 3] = [3.386_36, 1.18, 2.938_97];

/// The desk's own place: -Z towards the wall.
fn desk() -> Mat4 {
    at_heading(DESK.0, DESK.1, 0.0)
}

pub(crate) fn build(s: &mut Stage, p: &Paints) {
    s.group("Desk with its lamp and charts", |s| {
        desk_and_lamp(s, p);
        papers(s, p);
    });
    s.group("Chair", |s| chair(s, p));
    s.group("Globe", |s| globe(s, p));
    s.group("Shelves", |s| shelves(s, p));
    wall_things(s, p);
    s.group("Observing steps", |s| steps(s, p));
}

fn desk_and_lamp(s: &mut Stage, p: &Paints) {
    let d = desk();
    s.add(
        "Desk top",
        &block(1.7, 0.045, 0.85)
            .at(0.0, TOP - 0.022, 0.0)
            .transformed(d),
        p.walnut,
    );
    s.add(
        "Desk leather",
        &block(1.1, 0.006, 0.6)
            .at(0.0, TOP + 0.003, 0.06)
            .transformed(d),
        p.leather,
    );
    for (name, x) in [("Desk drawers left", -0.6), ("Desk drawers right", 0.6)] {
        let mut body = block(0.46, 0.68, 0.76).at(x, 0.375, 0.0);
        for y in [0.16, 0.39, 0.61] {
            body.join(block(0.4, 0.19, 0.03).at(x, y, 0.385));
        }
        s.add(name, &body.transformed(d), p.walnut);
    }
    let knob = s.mesh("Drawer knob", &ball(0.018, 10), p.brass);
    for (i, (x, y)) in [
        (-0.6, 0.16),
        (-0.6, 0.39),
        (-0.6, 0.61),
        (0.6, 0.16),
        (0.6, 0.39),
        (0.6, 0.61),
    ]
    .into_iter()
    .enumerate()
    {
        s.place(
            &format!("Drawer knob {}", i + 1),
            knob,
            d * Mat4::from_translation(Vec3::new(x, y, 0.415)),
        );
    }
    // The lamp stands on the left; its shade is open below.
    let bulb = d.inverse().transform_point3(Vec3::from(LAMP_BULB));
    let foot = Vec3::new(bulb.x - 0.2, TOP, bulb.z - 0.12);
    let neck: Vec<Vec3> = (0..=14)
        .map(|i| {
            let t = i as f32 / 14.0;
            foot + Vec3::new(
                0.2 * t * t,
                0.02 + 0.62 * (t * FRAC_PI_2 * 1.12).sin() * 0.93,
                0.12 * t * t,
            )
        })
        .collect();
    s.add(
        "Desk lamp foot",
        &lathe(
            &[
                (0.0, 0.0),
                (0.11, 0.0),
                (0.11, 0.012),
                (0.03, 0.035),
                (0.012, 0.05),
                (0.0, 0.05),
            ],
            40,
            false,
        )
        .transformed(d * Mat4::from_translation(foot)),
        p.brass,
    );
    s.add(
        "Desk lamp neck",
        &tube(&neck, 0.011, 12, false).transformed(d),
        p.brass,
    );
    let shade = lathe(
        &[
            (0.15, -0.06),
            (0.135, 0.0),
            (0.07, 0.075),
            (0.03, 0.095),
            (0.0, 0.1),
        ],
        48,
        false,
    );
    s.add(
        "Desk lamp shade",
        &shade.transformed(d * Mat4::from_translation(bulb + Vec3::Y * 0.03)),
        p.shade,
    );
    s.add(
        "Desk lamp",
        &ball(0.035, 20).transformed(d * Mat4::from_translation(bulb)),
        p.bulb,
    );
}

/// A sheet lying on the desk, slightly turned, its picture laid over it once.
fn sheet(w: f32, h: f32, at: Vec3, turn_deg: f32) -> Mesh {
    let mut m = Mesh::default();
    let (x, z) = (w / 2.0, h / 2.0);
    m.quad([
        Vec3::new(-x, 0.0, z),
        Vec3::new(x, 0.0, z),
        Vec3::new(x, 0.0, -z),
        Vec3::new(-x, 0.0, -z),
    ]);
    m.uv_scaled(1.0 / w, 1.0 / h)
        .transformed(Mat4::from_translation(at) * Mat4::from_rotation_y(turn_deg.to_radians()))
}

fn papers(s: &mut Stage, p: &Paints) {
    let d = desk();
    s.add(
        "Star chart on desk",
        &sheet(0.62, 0.62, Vec3::new(0.08, TOP + 0.009, 0.06), 8.0).transformed(d),
        p.charts[0],
    );
    s.add(
        "Star chart beside",
        &sheet(0.4, 0.4, Vec3::new(0.55, TOP + 0.004, -0.12), -20.0).transformed(d),
        p.charts[2],
    );
    s.add(
        "Notebook",
        &block(0.2, 0.02, 0.27)
            .at(-0.32, TOP + 0.016, 0.2)
            .transformed(d * Mat4::IDENTITY),
        p.leather,
    );
    s.add(
        "Notebook page",
        &sheet(0.17, 0.24, Vec3::new(-0.32, TOP + 0.027, 0.2), 0.0).transformed(d),
        p.paper,
    );
    for (i, (x, z, a)) in [(0.62, 0.24, 15.0f32), (0.70, 0.18, 40.0), (0.5, 0.3, 75.0)]
        .into_iter()
        .enumerate()
    {
        let roll = cylinder(0.022, 0.022, 0.42, 20)
            .at(0.0, -0.21, 0.0)
            .transformed(
                d * Mat4::from_translation(Vec3::new(x, TOP + 0.024, z))
                    * Mat4::from_rotation_y(a.to_radians())
                    * Mat4::from_rotation_x(FRAC_PI_2),
            );
        s.add(&format!("Chart roll {}", i + 1), &roll, p.paper);
    }
    s.add(
        "Ink well",
        &lathe(
            &[
                (0.0, 0.0),
                (0.035, 0.0),
                (0.035, 0.03),
                (0.016, 0.04),
                (0.016, 0.055),
                (0.0, 0.055),
            ],
            24,
            true,
        )
        .at(0.3, TOP + 0.005, -0.28)
        .transformed(d),
        p.glass_dark,
    );
    s.add(
        "Quill",
        &tube(
            &[
                Vec3::new(0.3, TOP + 0.04, -0.28),
                Vec3::new(0.34, TOP + 0.14, -0.3),
                Vec3::new(0.42, TOP + 0.24, -0.31),
            ],
            0.004,
            8,
            false,
        )
        .transformed(d),
        p.white,
    );
    s.add(
        "Dividers",
        &Mesh::joined([
            bar(
                Vec3::new(-0.05, TOP + 0.014, 0.3),
                Vec3::new(0.08, TOP + 0.02, 0.36),
                0.005,
            ),
            bar(
                Vec3::new(-0.01, TOP + 0.014, 0.4),
                Vec3::new(0.08, TOP + 0.02, 0.36),
                0.005,
            ),
        ])
        .transformed(d),
        p.brass,
    );
    for (i, (w, h, y)) in [(0.24, 0.05, 0.0), (0.21, 0.04, 0.05), (0.23, 0.035, 0.09)]
        .into_iter()
        .enumerate()
    {
        let turn = Mat4::from_rotation_y(0.2 * i as f32 - 0.15);
        s.add(
            &format!("Desk book {}", i + 1),
            &block(w, h, 0.17).transformed(
                d * Mat4::from_translation(Vec3::new(0.68, TOP + y + h / 2.0, -0.3)) * turn,
            ),
            [p.leather, p.clay, p.dome][i],
        );
    }
}

fn chair(s: &mut Stage, p: &Paints) {
    let c = at_heading(DESK.0 + 3.0, DESK.1 - 1.0, 0.0) * Mat4::from_rotation_y(0.35);
    s.add(
        "Chair seat",
        &Mesh::joined([cylinder(0.23, 0.23, 0.07, 40).at(0.0, 0.43, 0.0)]).transformed(c),
        p.leather,
    );
    let mut frame = Mesh::joined([cylinder(0.235, 0.235, 0.03, 40).at(0.0, 0.4, 0.0)]);
    for k in 0..4 {
        let a = TAU * (k as f32 + 0.5) / 4.0;
        let (sin, cos) = a.sin_cos();
        frame.join(bar(
            Vec3::new(0.17 * sin, 0.4, 0.17 * cos),
            Vec3::new(0.23 * sin, 0.0, 0.23 * cos),
            0.018,
        ));
    }
    let back: Vec<Vec3> = (0..=16)
        .map(|k| {
            let a = -1.15 + 2.3 * k as f32 / 16.0;
            Vec3::new(0.25 * a.sin(), 0.82, 0.25 * a.cos())
        })
        .collect();
    frame.join(tube(&back, 0.022, 10, false));
    for k in 0..5 {
        let a = -1.0 + 2.0 * k as f32 / 4.0;
        frame.join(bar(
            Vec3::new(0.21 * a.sin(), 0.43, 0.21 * a.cos()),
            Vec3::new(0.25 * a.sin(), 0.82, 0.25 * a.cos()),
            0.01,
        ));
    }
    s.add("Chair frame", &frame.transformed(c), p.walnut);
}

fn globe(s: &mut Stage, p: &Paints) {
    let g = Mat4::from_translation(polar(104.0, 4.55, 0.0));
    s.add(
        "Celestial globe",
        &ball(0.3, 40)
            .uv_scaled(2.0, 1.0)
            .transformed(g * Mat4::from_translation(Vec3::Y * 0.92) * Mat4::from_rotation_z(0.41)),
        p.globe,
    );
    s.add(
        "Globe meridian",
        &ring(0.325, 0.0, 0.013, 64).transformed(
            g * Mat4::from_translation(Vec3::Y * 0.92) * Mat4::from_rotation_z(FRAC_PI_2 + 0.41),
        ),
        p.brass,
    );
    let mut stand = ring_part(0.33, 0.43, 0.9, 0.94, 0.0, 360.0);
    for k in 0..4 {
        let foot = polar(45.0 + 90.0 * k as f32, 0.30, 0.0);
        let top = polar(45.0 + 90.0 * k as f32, 0.38, 0.9);
        stand.join(bar(foot, top, 0.02));
    }
    stand.join(ring(0.32, 0.2, 0.014, 40));
    s.add("Globe stand", &stand.transformed(g), p.walnut);
}

fn shelves(s: &mut Stage, p: &Paints) {
    for (i, heading) in [46.0f32, 168.0].into_iter().enumerate() {
        let at = at_heading(heading, WALL - 0.26, 0.0);
        let mut case = Mesh::joined([
            block(0.04, 2.1, 0.34).at(-0.6, 1.05, 0.0),
            block(0.04, 2.1, 0.34).at(0.6, 1.05, 0.0),
            block(1.2, 2.1, 0.02).at(0.0, 1.05, -0.16),
            block(1.3, 0.05, 0.4).at(0.0, 2.12, 0.0),
        ]);
        for row in 0..6 {
            case.join(block(1.2, 0.03, 0.33).at(0.0, 0.08 + 0.4 * row as f32, 0.0));
        }
        s.add(
            &format!("Bookcase {}", i + 1),
            &case.transformed(at),
            p.walnut,
        );
        for row in 0..5 {
            let height = 0.27 + 0.03 * ((row * 7 + i) % 3) as f32;
            let width = 1.12 - 0.16 * ((row + i) % 3) as f32;
            let mut books = block(width, height, 0.22);
            // Only the backs show the spines; each row starts at another book.
            for (uv, n) in books.uvs.iter_mut().zip(&books.normals) {
                *uv = if n.z > 0.5 {
                    Vec2::new(uv.x / 0.9 + 0.25 * row as f32, uv.y / height)
                } else {
                    Vec2::new(0.0, 0.5)
                };
            }
            let x = (1.12 - width) / 2.0 * if row % 2 == 0 { -1.0 } else { 1.0 };
            s.add(
                &format!("Books {}-{}", i + 1, row + 1),
                &books
                    .at(x, 0.095 + 0.4 * row as f32 + height / 2.0, 0.02)
                    .transformed(at),
                p.books,
            );
        }
    }
}

fn wall_things(s: &mut Stage, p: &Paints) {
    for (i, (heading, size, y)) in [(126.0f32, 0.85, 1.75), (148.0, 0.7, 1.7), (224.0, 0.8, 1.7)]
        .into_iter()
        .enumerate()
    {
        let at = at_heading(heading, WALL - 0.05, y);
        let mut picture = Mesh::default();
        let h = size / 2.0;
        picture.quad([
            Vec3::new(-h, -h, 0.012),
            Vec3::new(h, -h, 0.012),
            Vec3::new(h, h, 0.012),
            Vec3::new(-h, h, 0.012),
        ]);
        s.add(
            &format!("Framed chart {}", i + 1),
            &picture.uv_scaled(1.0 / size, 1.0 / size).transformed(at),
            p.charts[i],
        );
        let mut frame = Mesh::default();
        for k in [-1.0, 1.0] {
            frame.join(block(size + 0.09, 0.045, 0.035).at(0.0, k * (h + 0.022), 0.0));
            frame.join(block(0.045, size, 0.035).at(k * (h + 0.022), 0.0, 0.0));
        }
        s.add(
            &format!("Chart frame {}", i + 1),
            &frame.transformed(at),
            p.dark_brass,
        );
    }
    let clock = at_heading(68.0, WALL - 0.07, 1.9);
    let tip = Mat4::from_rotation_x(FRAC_PI_2);
    s.add(
        "Clock case",
        &lathe(
            &[
                (0.0, -0.03),
                (0.2, -0.03),
                (0.22, 0.03),
                (0.19, 0.05),
                (0.18, 0.035),
            ],
            56,
            true,
        )
        .transformed(clock * tip),
        p.walnut,
    );
    s.add(
        "Clock face",
        &disc(0.0, 0.18, 0.03, 48).transformed(clock * tip),
        p.white,
    );
    let mut marks = Mesh::default();
    for k in 0..12 {
        let a = TAU * k as f32 / 12.0;
        marks.join(block(0.012, 0.03, 0.004).transformed(
            Mat4::from_rotation_z(a) * Mat4::from_translation(Vec3::new(0.0, 0.15, 0.034)),
        ));
    }
    marks.join(block(0.012, 0.1, 0.004).transformed(
        Mat4::from_rotation_z(0.7) * Mat4::from_translation(Vec3::new(0.0, 0.045, 0.036)),
    ));
    marks.join(block(0.008, 0.14, 0.004).transformed(
        Mat4::from_rotation_z(-1.9) * Mat4::from_translation(Vec3::new(0.0, 0.06, 0.038)),
    ));
    s.add("Clock hands", &marks.transformed(clock), p.iron);
}

fn steps(s: &mut Stage, p: &Paints) {
    let at = Mat4::from_translation(polar(118.0, 1.75, 0.0)) * facing(300.0);
    let mut ladder = Mesh::default();
    for k in 0..4 {
        let (y, z) = (0.22 * (k + 1) as f32, 0.3 - 0.22 * k as f32);
        ladder.join(block(0.62, 0.035, 0.24).at(0.0, y, z));
    }
    for x in [-0.31, 0.31] {
        ladder.join(bar(
            Vec3::new(x, 0.02, 0.5),
            Vec3::new(x, 0.92, -0.4),
            0.026,
        ));
        ladder.join(bar(
            Vec3::new(x, 0.02, -0.45),
            Vec3::new(x, 0.92, -0.4),
            0.024,
        ));
        ladder.join(bar(
            Vec3::new(x, 0.9, -0.4),
            Vec3::new(x, 1.5, -0.44),
            0.018,
        ));
    }
    ladder.join(bar(
        Vec3::new(-0.31, 1.5, -0.44),
        Vec3::new(0.31, 1.5, -0.44),
        0.018,
    ));
    s.add("Observing steps", &ladder.transformed(at), p.oak);
}
