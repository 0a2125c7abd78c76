//! The round room: floor, wall with door and windows, gallery with rail, spiral stair.

use crate::gltf_write::Stage;
use crate::paints::Paints;
use crate::shape::*;
use glam::{Mat4, Vec3};

/// Inside of the wall, metres from the axis.
pub(crate) const WALL: f32 = 5.6;
/// Thickness of the wall, metres.
const THICK: f32 = 0.45;
/// Top of the wall, where the dome turns, metres.
pub(crate) const WALL_TOP: f32 = 4.7;
/// Walking surface of the gallery, metres.
pub(crate) const GALLERY: f32 = 2.65;
/// Inner edge of the gallery, metres from the axis.
const GALLERY_INNER: f32 = 4.35;
/// Headings between which the gallery is open for the stair.
const STAIR_GAP: (f32, f32) = (176.0, 214.0);
/// Heading at which the landing between gallery and stair ends.
const LANDING: f32 = 183.5;
/// Heading of the door, degrees.
pub(crate) const DOOR: f32 = 85.0;

/// A hole in the wall: from and to heading, sill and lintel height.
const HOLES: [(f32, f32, f32, f32); 5] = [
    (DOOR - 7.5, DOOR + 7.5, 0.0, 2.25),
    (20.0, 34.0, 0.95, 2.25),
    (246.0, 258.0, 0.95, 2.25),
    (292.0, 308.0, 0.85, 2.3),
    (342.0, 354.0, 0.95, 2.25),
];

pub(crate) fn build(s: &mut Stage, p: &Paints) {
    floor(s, p);
    wall(s, p);
    gallery(s, p);
    stair(s, p);
    lamps(s, p);
}

fn floor(s: &mut Stage, p: &Paints) {
    let mut boards = disc(0.0, WALL + THICK, 0.0, 96);
    for (uv, at) in boards.uvs.iter_mut().zip(&boards.positions) {
        *uv = glam::Vec2::new(at.x, at.z);
    }
    s.add("Floor boards", &boards, p.boards);
    s.add(
        "Rug edge",
        &lathe(&[(2.15, 0.0), (2.15, 0.018), (2.13, 0.022)], 96, true),
        p.leather,
    );
    s.add("Compass rug", &disc(0.0, 2.13, 0.022, 96), p.rug);
    s.add(
        "Foundation",
        &ring_part(0.5, WALL + THICK + 0.25, -0.6, -0.02, 0.0, 360.0),
        p.stone,
    );
}

fn wall(s: &mut Stage, p: &Paints) {
    let mut plaster = Mesh::default();
    let mut outside = Mesh::default();
    let mut panel = Mesh::default();
    let mut rail = Mesh::default();
    let mut trim = Mesh::default();
    let mut holes = HOLES;
    holes.sort_by(|a, b| a.0.total_cmp(&b.0));
    let shell =
        |from: f32, to: f32, low: f32, high: f32, plaster: &mut Mesh, outside: &mut Mesh| {
            plaster.join(ring_part(WALL, WALL + THICK * 0.5, low, high, from, to));
            outside.join(ring_part(
                WALL + THICK * 0.5,
                WALL + THICK,
                low,
                high,
                from,
                to,
            ));
        };
    let mut from = holes[holes.len() - 1].1 - 360.0;
    for (start, end, sill, lintel) in holes {
        shell(from, start, 0.0, WALL_TOP, &mut plaster, &mut outside);
        panel.join(ring_part(WALL - 0.03, WALL, 0.14, 0.95, from, start));
        trim.join(ring_part(WALL - 0.05, WALL, 0.0, 0.14, from, start));
        rail.join(ring_part(WALL - 0.06, WALL, 0.95, 1.0, from, start));
        // Above and below the hole.
        shell(start, end, lintel, WALL_TOP, &mut plaster, &mut outside);
        if sill > 0.0 {
            shell(start, end, 0.0, sill, &mut plaster, &mut outside);
            panel.join(ring_part(
                WALL - 0.03,
                WALL,
                0.14,
                sill.min(0.95),
                start,
                end,
            ));
            trim.join(ring_part(WALL - 0.05, WALL, 0.0, 0.14, start, end));
        }
        from = end;
    }
    s.add("Wall inside", &plaster, p.plaster);
    s.add("Wall outside", &outside, p.stone);
    s.add("Wainscot", &panel, p.walnut);
    s.add("Skirting", &trim, p.walnut);
    s.add("Dado rail", &rail, p.walnut);
    for (i, (start, end, sill, lintel)) in HOLES.into_iter().enumerate() {
        let middle = (start + end) / 2.0;
        let width = (end - start).to_radians() * WALL;
        let at = at_heading(middle, WALL + 0.18, 0.0);
        let height = lintel - sill;
        let mut frame = Mesh::default();
        for x in [-width / 2.0 + 0.03, width / 2.0 - 0.03] {
            frame.join(block(0.07, height, 0.1).at(x, sill + height / 2.0, 0.0));
        }
        frame.join(block(width, 0.07, 0.1).at(0.0, lintel - 0.035, 0.0));
        if i == 0 {
            s.add("Door frame", &frame.transformed(at), p.walnut);
            continue;
        }
        frame.join(block(width, 0.06, 0.1).at(0.0, sill + 0.03, 0.0));
        for k in 1..3 {
            frame.join(block(0.03, height, 0.05).at(
                -width / 2.0 + width * k as f32 / 3.0,
                sill + height / 2.0,
                0.0,
            ));
            frame.join(block(width, 0.03, 0.05).at(0.0, sill + height * k as f32 / 3.0, 0.0));
        }
        s.add(
            &format!("Window {i} frame"),
            &frame.transformed(at),
            p.walnut,
        );
        let board = block(width + 0.16, 0.05, 0.42).at(0.0, sill - 0.01, 0.12);
        s.add(&format!("Window {i} sill"), &board.transformed(at), p.oak);
    }
    // The door stands open, folded back into the room.
    let leaf = Mesh::joined([
        block(1.36, 2.14, 0.05).at(0.68, 1.09, 0.0),
        block(1.0, 0.8, 0.07).at(0.68, 0.62, 0.0),
        block(1.0, 0.8, 0.07).at(0.68, 1.58, 0.0),
    ]);
    let hinge = Mat4::from_translation(polar(DOOR + 7.2, WALL - 0.02, 0.0)) * facing(DOOR + 118.0);
    s.add("Door", &leaf.transformed(hinge), p.walnut);
    s.add(
        "Door knob",
        &ball(0.04, 12).transformed(hinge * Mat4::from_translation(Vec3::new(1.26, 1.05, 0.07))),
        p.brass,
    );
}

fn gallery(s: &mut Stage, p: &Paints) {
    let (from, to) = (STAIR_GAP.1, STAIR_GAP.0 + 360.0);
    s.add(
        "Gallery floor",
        &ring_part(GALLERY_INNER, WALL, GALLERY - 0.06, GALLERY, from, to),
        p.oak,
    );
    s.add(
        "Stair landing",
        &ring_part(
            GALLERY_INNER,
            WALL,
            GALLERY - 0.06,
            GALLERY,
            STAIR_GAP.0,
            LANDING,
        ),
        p.oak,
    );
    s.add(
        "Gallery edge",
        &ring_part(
            GALLERY_INNER - 0.05,
            GALLERY_INNER,
            GALLERY - 0.22,
            GALLERY + 0.03,
            from,
            to,
        ),
        p.walnut,
    );
    let beam = s.mesh(
        "Gallery beam",
        &block(0.14, 0.2, WALL - GALLERY_INNER),
        p.walnut,
    );
    let bracket = Mesh::joined([tube(
        &(0..=8)
            .map(|i| {
                let a = std::f32::consts::FRAC_PI_2 * i as f32 / 8.0;
                Vec3::new(0.0, -0.75 + 0.7 * a.sin(), 0.62 - 0.75 * (1.0 - a.cos()))
            })
            .collect::<Vec<_>>(),
        0.028,
        8,
        false,
    )]);
    let bracket = s.mesh("Gallery bracket", &bracket, p.iron);
    let mut i = 0;
    let mut heading = from + 7.0;
    while heading < to {
        i += 1;
        let middle = (WALL + GALLERY_INNER) / 2.0;
        s.place(
            &format!("Gallery beam {i}"),
            beam,
            at_heading(heading, middle, GALLERY - 0.16),
        );
        s.place(
            &format!("Gallery bracket {i}"),
            bracket,
            at_heading(heading, middle, GALLERY - 0.26),
        );
        heading += 24.0;
    }
    // The rail: turned balusters, brass on top.
    let profile = [
        (0.0, 0.0),
        (0.032, 0.0),
        (0.032, 0.05),
        (0.016, 0.12),
        (0.028, 0.3),
        (0.014, 0.5),
        (0.014, 0.78),
        (0.024, 0.84),
        (0.012, 0.92),
        (0.0, 0.92),
    ];
    let baluster = s.mesh("Baluster", &lathe(&profile, 12, false), p.dark_brass);
    let mut n = 0;
    let mut heading = from + 1.0;
    while heading <= to - 0.5 {
        n += 1;
        s.place(
            &format!("Baluster {n}"),
            baluster,
            at_heading(heading, GALLERY_INNER + 0.03, GALLERY + 0.02),
        );
        heading += 3.2;
    }
    let rail: Vec<Vec3> = (0..=120)
        .map(|k| {
            polar(
                from + (to - from) * k as f32 / 120.0,
                GALLERY_INNER + 0.03,
                GALLERY + 0.97,
            )
        })
        .collect();
    s.add("Gallery rail", &tube(&rail, 0.035, 12, false), p.brass);
    let foot: Vec<Vec3> = rail
        .iter()
        .map(|q| Vec3::new(q.x, GALLERY + 0.5, q.z))
        .collect();
    s.add(
        "Gallery middle rail",
        &tube(&foot, 0.014, 8, false),
        p.dark_brass,
    );
}

/// Treads of the stair.
pub(crate) const STEPS: u32 = 14;

/// Foot of the stair's post, metres.
fn post() -> Vec3 {
    polar(195.0, 4.55, 0.0)
}

/// Heading of a tread from the post, counted from 1: it winds up clockwise and ends towards the gallery.
fn tread_heading(i: f32) -> f32 {
    105.0 - 25.5 * (STEPS as f32 - i)
}

/// A place on a tread, so far from the post, metres.
pub(crate) fn tread(i: f32, radius: f32) -> Vec3 {
    let y = GALLERY * i / STEPS as f32;
    post() + polar(tread_heading(i), radius, y)
}

fn stair(s: &mut Stage, p: &Paints) {
    let centre = post();
    let place = Mat4::from_translation(centre);
    s.add(
        "Stair post",
        &cylinder(0.07, 0.07, GALLERY + 1.0, 24).transformed(place),
        p.iron,
    );
    s.add(
        "Stair post knob",
        &ball(0.1, 16).transformed(place * Mat4::from_translation(Vec3::Y * (GALLERY + 1.05))),
        p.brass,
    );
    let tread = s.mesh(
        "Stair tread",
        &ring_part(0.06, 0.95, -0.05, 0.0, -14.5, 14.5),
        p.oak,
    );
    let post = s.mesh("Stair baluster", &cylinder(0.013, 0.013, 0.95, 8), p.iron);
    let mut rail = Vec::new();
    for i in 1..=STEPS {
        let y = GALLERY * i as f32 / STEPS as f32;
        let heading = tread_heading(i as f32);
        s.place(
            &format!("Stair tread {i}"),
            tread,
            place * Mat4::from_translation(Vec3::Y * y) * facing(heading),
        );
        s.place(
            &format!("Stair baluster {i}"),
            post,
            place * at_heading(heading, 0.9, y),
        );
        rail.push(centre + polar(heading, 0.9, y + 0.95));
    }
    s.add("Stair rail", &tube(&rail, 0.024, 10, false), p.brass);
}

/// Headings of the wall lamps.
pub(crate) const LAMP_HEADINGS: [f32; 7] = [8.0, 58.0, 112.0, 160.0, 230.0, 275.0, 325.0];

/// Middle of the wall lamp at a heading.
pub(crate) fn wall_lamp(heading_deg: f32) -> Vec3 {
    polar(heading_deg, WALL - 0.23, 2.07)
}

fn lamps(s: &mut Stage, p: &Paints) {
    // A strip of light behind a lip on the wall's top washes the dome.
    s.add(
        "Cove light",
        &lathe(
            &[(WALL - 0.14, WALL_TOP - 0.1), (WALL - 0.22, WALL_TOP - 0.1)],
            48,
            true,
        ),
        p.cove,
    );
    s.add(
        "Cove lip",
        &ring_part(
            WALL - 0.30,
            WALL - 0.26,
            WALL_TOP - 0.2,
            WALL_TOP - 0.06,
            0.0,
            360.0,
        ),
        p.walnut,
    );
    s.add(
        "Cove shelf",
        &ring_part(
            WALL - 0.26,
            WALL,
            WALL_TOP - 0.2,
            WALL_TOP - 0.16,
            0.0,
            360.0,
        ),
        p.walnut,
    );
    let arm = s.mesh(
        "Wall lamp arm",
        &Mesh::joined([
            cylinder(0.06, 0.06, 0.02, 20)
                .transformed(Mat4::from_rotation_x(std::f32::consts::FRAC_PI_2))
                .at(0.0, 0.0, -0.2),
            bar(
                Vec3::new(0.0, 0.0, -0.2),
                Vec3::new(0.0, 0.02, -0.02),
                0.012,
            ),
            cylinder(0.02, 0.055, 0.05, 20).at(0.0, 0.0, 0.0),
        ]),
        p.dark_brass,
    );
    let globe = s.mesh("Wall lamp globe", &ball(0.085, 8), p.wall_lamp);
    for (i, heading) in LAMP_HEADINGS.into_iter().enumerate() {
        s.place(
            &format!("Wall lamp {} arm", i + 1),
            arm,
            at_heading(heading, WALL - 0.23, 1.95),
        );
        let middle = Mat4::from_translation(wall_lamp(heading));
        s.place(&format!("Wall lamp {}", i + 1), globe, middle);
    }
}
