//! The pier and the brass refractor that looks out of the slit.

use crate::SLIT_HEADING_DEG;
use crate::gltf_write::Stage;
use crate::paints::Paints;
use crate::shape::*;
use glam::{Mat4, Vec3};

/// How high the telescope points, degrees.
const ELEVATION: f32 = 38.0;
/// Height of the axis it turns on, metres.
const AXIS: f32 = 2.05;

/// What it stands on.
pub(crate) fn pier(s: &mut Stage, p: &Paints) {
    s.add(
        "Pier",
        &lathe(
            &[
                (0.0, 0.0),
                (0.62, 0.0),
                (0.62, 0.16),
                (0.56, 0.2),
                (0.40, 0.34),
                (0.33, 1.2),
                (0.38, 1.28),
                (0.46, 1.32),
                (0.46, 1.4),
                (0.0, 1.4),
            ],
            48,
            true,
        ),
        p.stone,
    );
    s.add(
        "Pier plate",
        &cylinder(0.34, 0.34, 0.05, 48).at(0.0, 1.4, 0.0),
        p.dark_brass,
    );
}

/// What turns towards the sky.
pub(crate) fn build(s: &mut Stage, p: &Paints) {
    let turn = facing(SLIT_HEADING_DEG);
    let mut fork = Mesh::joined([
        cylinder(0.2, 0.17, 0.14, 40).at(0.0, 1.45, 0.0),
        block(0.66, 0.09, 0.2).at(0.0, 1.62, 0.0),
    ]);
    for x in [-0.29, 0.29] {
        fork.join(block(0.08, 0.52, 0.2).at(x, 1.84, 0.0));
        fork.join(cylinder(0.1, 0.1, 0.1, 32).transformed(
            Mat4::from_translation(Vec3::new(x - 0.05, AXIS, 0.0))
                * Mat4::from_rotation_z(-std::f32::consts::FRAC_PI_2),
        ));
    }
    s.add("Fork mount", &fork.transformed(turn), p.iron);
    let wheel: Vec<Vec3> = (0..48)
        .map(|k| {
            let (sin, cos) = (k as f32 * std::f32::consts::TAU / 48.0).sin_cos();
            Vec3::new(0.42, AXIS + 0.17 * sin, 0.17 * cos)
        })
        .collect();
    let spokes = (0..3).map(|k| {
        let (sin, cos) = (k as f32 * std::f32::consts::PI / 3.0).sin_cos();
        let d = Vec3::new(0.0, 0.17 * sin, 0.17 * cos);
        let c = Vec3::new(0.42, AXIS, 0.0);
        bar(c - d, c + d, 0.008)
    });
    s.add(
        "Setting circle",
        &Mesh::joined(std::iter::once(tube(&wheel, 0.016, 10, true)).chain(spokes))
            .transformed(turn),
        p.brass,
    );

    // The tube is built along +Y and tipped to its elevation towards -Z.
    let aim = turn
        * Mat4::from_translation(Vec3::Y * AXIS)
        * Mat4::from_rotation_x((ELEVATION - 90.0).to_radians());
    let mut part = |name: &str, mesh: Mesh, paint| s.add(name, &mesh.transformed(aim), paint);
    part(
        "Telescope tube",
        lathe(
            &[(0.0, -1.15), (0.15, -1.15), (0.17, 1.35), (0.165, 1.35)],
            64,
            true,
        ),
        p.brass,
    );
    part(
        "Dew shield",
        lathe(
            &[
                (0.17, 1.25),
                (0.205, 1.27),
                (0.21, 1.8),
                (0.195, 1.8),
                (0.19, 1.4),
            ],
            64,
            true,
        ),
        p.dark_brass,
    );
    part(
        "Objective lens",
        lathe(&[(0.19, 1.42), (0.1, 1.47), (0.0, 1.485)], 48, false),
        p.glass_dark,
    );
    for (i, y) in [-1.1, -0.55, 0.25, 0.75, 1.22].into_iter().enumerate() {
        let r = 0.155 + (y + 1.15) * 0.008;
        part(
            &format!("Tube band {}", i + 1),
            lathe(
                &[
                    (r, y - 0.03),
                    (r + 0.022, y - 0.025),
                    (r + 0.022, y + 0.025),
                    (r, y + 0.03),
                ],
                64,
                true,
            ),
            p.dark_brass,
        );
    }
    part(
        "Cradle",
        lathe(
            &[(0.16, -0.12), (0.235, -0.11), (0.235, 0.11), (0.165, 0.12)],
            48,
            true,
        ),
        p.iron,
    );
    part(
        "Tail piece",
        lathe(
            &[
                (0.15, -1.15),
                (0.12, -1.2),
                (0.065, -1.24),
                (0.065, -1.45),
                (0.05, -1.46),
                (0.05, -1.62),
                (0.034, -1.63),
                (0.034, -1.72),
                (0.042, -1.73),
                (0.042, -1.76),
                (0.02, -1.76),
            ],
            40,
            true,
        ),
        p.brass,
    );
    part(
        "Finder scope",
        Mesh::joined([
            lathe(
                &[
                    (0.0, -1.1),
                    (0.022, -1.1),
                    (0.028, -0.9),
                    (0.028, -0.3),
                    (0.04, -0.28),
                    (0.042, -0.1),
                    (0.0, -0.1),
                ],
                32,
                true,
            )
            .at(0.0, 0.0, 0.235),
            bar(
                Vec3::new(0.0, -0.9, 0.15),
                Vec3::new(0.0, -0.9, 0.23),
                0.012,
            ),
            bar(
                Vec3::new(0.0, -0.4, 0.15),
                Vec3::new(0.0, -0.4, 0.23),
                0.012,
            ),
        ]),
        p.brass,
    );
    part(
        "Focus wheel",
        Mesh::joined([
            bar(
                Vec3::new(-0.13, -1.34, 0.0),
                Vec3::new(0.13, -1.34, 0.0),
                0.01,
            ),
            cylinder(0.035, 0.035, 0.03, 24).transformed(
                Mat4::from_translation(Vec3::new(0.1, -1.34, 0.0))
                    * Mat4::from_rotation_z(-std::f32::consts::FRAC_PI_2),
            ),
            cylinder(0.035, 0.035, 0.03, 24).transformed(
                Mat4::from_translation(Vec3::new(-0.13, -1.34, 0.0))
                    * Mat4::from_rotation_z(-std::f32::consts::FRAC_PI_2),
            ),
        ]),
        p.dark_brass,
    );
    part(
        "Counterweight",
        Mesh::joined([
            cylinder(0.075, 0.075, 0.16, 32).at(0.0, -0.62, -0.24),
            bar(
                Vec3::new(0.0, -0.9, -0.24),
                Vec3::new(0.0, -0.3, -0.24),
                0.012,
            ),
        ]),
        p.iron,
    );
    let lamp = polar(SLIT_HEADING_DEG + 150.0, 0.38, 1.0);
    s.add(
        "Night lamp",
        &ball(0.045, 16).transformed(Mat4::from_translation(lamp)),
        p.night_lamp,
    );
    s.add(
        "Night lamp cage",
        &ring(0.05, 0.0, 0.006, 24).transformed(Mat4::from_translation(lamp)),
        p.iron,
    );
}
