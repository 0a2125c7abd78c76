//! The dome: plates and ribs with an open slit, turning on a ring of rollers.

use crate::SLIT_HEADING_DEG;
use crate::gltf_write::Stage;
use crate::paints::Paints;
use crate::room::{WALL, WALL_TOP};
use crate::shape::*;
use glam::{Vec2, Vec3};

/// Half the width of the slit, metres.
const SLIT_HALF: f32 = 0.85;
/// How far the slit runs beyond the zenith, metres.
const SLIT_BEYOND: f32 = 0.9;
const RADIUS: f32 = WALL + 0.1;

fn point(heading_deg: f32, elevation_deg: f32, radius: f32) -> Vec3 {
    let (sin, cos) = elevation_deg.to_radians().sin_cos();
    polar(heading_deg, radius * cos, WALL_TOP + 0.25 + radius * sin)
}

/// Whether a place of the shell lies in the slit.
fn in_slit(p: Vec3) -> bool {
    let forward = polar(SLIT_HEADING_DEG, 1.0, 0.0);
    let right = polar(SLIT_HEADING_DEG + 90.0, 1.0, 0.0);
    p.dot(right).abs() < SLIT_HALF && p.dot(forward) > -SLIT_BEYOND
}

/// What turns: the shell with its slit and the ring that it stands on.
pub(crate) fn shell(s: &mut Stage, p: &Paints) {
    // Plates: 24 gores, each a grid with the cells of the slit left out.
    let gores = 24;
    let (across, up) = (12, 72);
    for g in 0..gores {
        let mut plate = Mesh::default();
        for i in 0..across {
            for j in 0..up {
                let cell = |di: u32, dj: u32| {
                    let heading =
                        360.0 * (g as f32 + (i + di) as f32 / across as f32) / gores as f32;
                    (heading, 90.0 * (j + dj) as f32 / up as f32)
                };
                let (h0, e0) = cell(0, 0);
                let (h1, e1) = cell(1, 1);
                if in_slit(point((h0 + h1) / 2.0, (e0 + e1) / 2.0, RADIUS)) {
                    continue;
                }
                for (radius, inner) in [(RADIUS, true), (RADIUS + 0.06, false)] {
                    let corners = [
                        point(h0, e0, radius),
                        point(h1, e0, radius),
                        point(h1, e1, radius),
                        point(h0, e1, radius),
                    ];
                    let base = plate.positions.len() as u32;
                    let centre = Vec3::Y * (WALL_TOP + 0.25);
                    for c in corners {
                        let n = (c - centre).normalize();
                        plate.positions.push(c);
                        plate.normals.push(if inner { -n } else { n });
                        plate.uvs.push(Vec2::ZERO);
                    }
                    // Headings run clockwise seen from above: from inside that is counter-clockwise.
                    plate.indices.extend(if inner {
                        [base, base + 1, base + 2, base, base + 2, base + 3]
                    } else {
                        [base, base + 2, base + 1, base, base + 3, base + 2]
                    });
                }
            }
        }
        if !plate.indices.is_empty() {
            s.add(&format!("Dome plate {}", g + 1), &plate, p.dome);
        }
    }
    for g in 0..gores {
        let heading = 360.0 * g as f32 / gores as f32;
        let path: Vec<Vec3> = (0..=40)
            .map(|k| point(heading, 86.0 * k as f32 / 40.0, RADIUS - 0.05))
            .take_while(|&q| !in_slit(q))
            .collect();
        if path.len() > 2 {
            s.add(
                &format!("Dome rib {}", g + 1),
                &tube(&path, 0.04, 8, false),
                p.rib,
            );
        }
    }
    for (i, elevation) in [22.0f32, 44.0, 66.0].into_iter().enumerate() {
        // Hoops run from one side of the slit round to the other.
        let points: Vec<Vec3> = (0..=240)
            .map(|k| point(SLIT_HEADING_DEG + 1.5 * k as f32, elevation, RADIUS - 0.05))
            .filter(|&q| !in_slit(q))
            .collect();
        s.add(
            &format!("Dome hoop {}", i + 1),
            &tube(&points, 0.03, 8, false),
            p.rib,
        );
    }
    // Edges of the slit.
    let forward = polar(SLIT_HEADING_DEG, 1.0, 0.0);
    let right = polar(SLIT_HEADING_DEG + 90.0, 1.0, 0.0);
    for (name, side) in [("Slit edge left", -1.0), ("Slit edge right", 1.0)] {
        let r = (RADIUS * RADIUS - SLIT_HALF * SLIT_HALF).sqrt();
        let start = (-SLIT_BEYOND / r).acos();
        let path: Vec<Vec3> = (0..=60)
            .map(|k| {
                let a = start * k as f32 / 60.0;
                forward * (r * a.cos())
                    + right * (side * SLIT_HALF)
                    + Vec3::Y * (WALL_TOP + 0.25 + r * a.sin())
            })
            .collect();
        s.add(name, &tube(&path, 0.07, 8, false), p.rib);
    }
    let ends = [-SLIT_HALF, SLIT_HALF].map(|x| {
        let y = (RADIUS * RADIUS - SLIT_BEYOND * SLIT_BEYOND - x * x).sqrt();
        forward * -SLIT_BEYOND + right * x + Vec3::Y * (WALL_TOP + 0.25 + y)
    });
    s.add("Slit head", &bar(ends[0], ends[1], 0.07), p.rib);

    s.add(
        "Dome ring",
        &ring_part(
            WALL - 0.12,
            WALL + 0.3,
            WALL_TOP + 0.14,
            WALL_TOP + 0.3,
            0.0,
            360.0,
        ),
        p.iron,
    );
}

/// What it turns on.
pub(crate) fn rollers(s: &mut Stage, p: &Paints) {
    s.add(
        "Roller track",
        &ring_part(
            WALL - 0.02,
            WALL + 0.42,
            WALL_TOP - 0.06,
            WALL_TOP,
            0.0,
            360.0,
        ),
        p.stone,
    );
    let roller = cylinder(0.07, 0.07, 0.12, 20)
        .at(0.0, -0.06, 0.0)
        .transformed(glam::Mat4::from_rotation_x(std::f32::consts::FRAC_PI_2));
    let roller = s.mesh("Dome roller", &roller, p.dark_brass);
    for i in 0..20 {
        s.place(
            &format!("Dome roller {}", i + 1),
            roller,
            at_heading(18.0 * i as f32, WALL + 0.06, WALL_TOP + 0.07),
        );
    }
    let gear: Vec<Vec3> = (0..40)
        .map(|k| {
            polar(150.0, WALL - 0.2, WALL_TOP) + {
                let (sin, cos) = (k as f32 * 0.157).sin_cos();
                Vec3::new(0.16 * sin, 0.16 * cos - 0.2, 0.0)
            }
        })
        .collect();
    s.add("Dome hand wheel", &tube(&gear, 0.02, 8, true), p.brass);
}
