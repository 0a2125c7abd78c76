//! Every shape: its laws, and its mapping against values worked elsewhere (`check_values.json` names each
//! source).

mod common;

use common::checks;
use dome_optics::projection::{
    CubeLayout, Disc, Face, FisheyeKind, MirrorBall, OrderError, SHAPES,
};
use dome_optics::{LonLat, Orientation, PicturePoint, Projection, Shape, ShapeError};
use glam::DVec3;
use proptest::prelude::*;
use std::f64::consts::PI;

/// One shape of each kind.
const NAMES: [&str; 19] = [
    "equirect",
    "equirect:180x180",
    "equirect:270x60@40,-20",
    "cylinder:360x100",
    "cylinder:200x60",
    "cube-faces",
    "cube-6x1",
    "cube-1x6",
    "cube-3x2",
    "cube-cross",
    "cube-cross-vertical",
    "eac-3x2",
    "fisheye:180",
    "fisheye-equisolid:360",
    "fisheye-stereographic:240",
    "fisheye-orthographic:180",
    "mirror-ball",
    "octahedral",
    "perspective:75x50@0.1,-0.2",
];

fn shape(name: &str) -> Shape {
    name.parse().unwrap_or_else(|e| panic!("{e}"))
}

proptest! {
    /// Where both ways exist they undo each other.
    #[test]
    fn there_and_back(which in 0..NAMES.len(), x in -1.0..1.0_f64, y in -1.0..1.0_f64, z in -1.0..1.0_f64) {
        let d = DVec3::new(x, y, z);
        prop_assume!(d.length() > 1e-3);
        let (d, shape) = (d.normalize(), shape(NAMES[which]));
        if let Some(p) = shape.to_picture(d) {
            prop_assert!(p.is_inside());
            let back = shape.to_direction(p).expect("a place of a direction has a direction");
            // An orthographic rim is flat in the angle: there half the digits are left.
            let tolerance = if NAMES[which].contains("orthographic") { 1e-7 } else { 1e-9 };
            prop_assert!((d - back).length() < tolerance, "{} {d} {back}", NAMES[which]);
            let (chart, cx, cy) = shape.to_chart(d).expect("the same in its chart");
            let beyond = shape.beyond(chart, cx, cy).expect("inside");
            prop_assert!((d - beyond).length() < tolerance, "{} {d} {beyond}", NAMES[which]);
        } else {
            prop_assert!(!shape.is_whole_sphere(), "{} does not show {d}", NAMES[which]);
        }
    }

    #[test]
    fn back_and_there(which in 0..NAMES.len(), u in 0.001..0.999_f64, v in 0.001..0.999_f64) {
        let shape = shape(NAMES[which]);
        let p = PicturePoint { u, v };
        if let Some(d) = shape.to_direction(p) {
            prop_assert!((d.length() - 1.0).abs() < 1e-12);
            let back = shape.to_picture(d).expect("a direction of the picture is in it");
            prop_assert!((back.u - u).abs() < 1e-9 && (back.v - v).abs() < 1e-9, "{} {p:?} {back:?}", NAMES[which]);
        }
    }
}

/// The whole sphere is 4 pi steradians (definition), also where the outline cuts pixels; and a part has the
/// solid angle that its definition gives.
#[test]
fn solid_angles_add_up() {
    let sum = |name: &str, width: u32| {
        let s = shape(name);
        let (w, h) = s.size(Some(width), None).unwrap();
        (0..h)
            .flat_map(|y| (0..w).map(move |x| (x, y)))
            .map(|(x, y)| s.solid_angle(x, y, w, h))
            .sum::<f64>()
    };
    for (name, width) in [
        ("equirect", 64),
        ("cube-faces", 16),
        ("cube-6x1", 96),
        ("cube-cross", 64),
        ("cube-cross-vertical", 48),
        ("eac-3x2", 48),
        ("fisheye:360", 64),
        ("fisheye-equisolid:360", 64),
        ("mirror-ball", 63),
        ("angular-map", 65),
        ("octahedral", 32),
        ("octahedral", 33),
    ] {
        let got = sum(name, width);
        assert!((got - 4.0 * PI).abs() < 1e-6, "{name} {width}: {got}");
    }
    let cap = |half_deg: f64| 2.0 * PI * (1.0 - half_deg.to_radians().cos());
    let half = |deg: f64| (deg / 2.0).to_radians();
    for (name, width, wanted) in [
        ("fisheye:180", 64, cap(90.0)),
        ("fisheye-stereographic:240", 64, cap(120.0)),
        ("equirect:180x180", 32, 2.0 * PI),
        (
            "equirect:90x60@10,30",
            30,
            half(180.0) * (60f64.to_radians().sin()),
        ),
        ("cylinder:360x90", 64, 4.0 * PI * half(90.0).sin()),
        // A rectangle seen from its axis (definition, by the spherical excess).
        (
            "perspective:90x60",
            60,
            4.0 * (half(90.0).sin() * half(60.0).sin()).asin(),
        ),
    ] {
        let got = sum(name, width);
        assert!(
            (got / wanted - 1.0).abs() < 1e-5,
            "{name}: {got}, not {wanted}"
        );
    }
}

/// ffmpeg's cube of 3 x 2 faces in the order right left up / down front back, faces of 1024 px.
#[test]
fn a_cube_grid_agrees_with_ffmpeg() {
    let order = CubeLayout::parse_order("right,left,up,down,front,back").unwrap();
    let cube = CubeLayout::in_our_order(3, 2).with_order(order);
    for c in checks("ffmpeg c3x2 rludfb", 8) {
        let ([lon, lat], [x, y]) = (c.lonlat.unwrap(), c.px.unwrap());
        let p = cube
            .to_picture(LonLat::from_deg(lon, lat).to_vector())
            .unwrap();
        let (px, py) = p.to_pixels(3072, 2048);
        assert!(
            (px - x).abs() < 1e-3 && (py - y).abs() < 1e-3,
            "{lon} {lat}: {px} {py}, not {x} {y}"
        );
    }
}

/// OpenEXR's cube (header ImfEnvmap.h): its samples lie on the ends, scale N - 1, where ours go by area,
/// scale N. Its world is ours turned half a turn about Y.
#[test]
fn the_openexr_cube_is_as_its_library_has_it() {
    for c in checks("OpenEXR ImfEnvmap cube 1024x6144", 12) {
        let ([x, y, z], [px, py]) = (c.dir.unwrap(), c.px.unwrap());
        if f64::abs(x) == f64::abs(y) && f64::abs(y) == f64::abs(z) {
            continue; // a corner belongs to three faces
        }
        let (face, s, t) = CubeLayout::openexr()
            .to_cell(DVec3::new(-x, y, -z))
            .unwrap();
        assert_eq!(face as f64, (py / 1024.0).floor(), "{x} {y} {z}");
        let (ours_x, ours_y) = (s * 1023.0, t * 1023.0 + face as f64 * 1024.0);
        assert!(
            (ours_x - px).abs() < 1e-4 && (ours_y - py).abs() < 1e-4,
            "{x} {y} {z}: {ours_x} {ours_y}, not {px} {py}"
        );
    }
}

/// OpenGL 4.6, table 8.19, read by hand: the face +Z is ahead, its s runs to the right and t downwards; on +X
/// s runs along -z of the map's world, which is behind the viewer; +Y's t runs along +z, ahead to behind.
#[test]
fn the_gl_cube_follows_table_8_19() {
    let place = |d: [f64; 3]| {
        let p = CubeLayout::opengl(6, 1).to_picture(DVec3::from(d)).unwrap();
        let (x, y) = p.to_pixels(600, 100);
        ((x * 1e6).round() / 1e6, (y * 1e6).round() / 1e6)
    };
    assert_eq!(place([0.0, 0.0, -1.0]), (450.0, 50.0));
    assert_eq!(place([0.5, 0.0, -1.0]), (475.0, 50.0));
    assert_eq!(place([0.0, 0.5, -1.0]), (450.0, 25.0));
    assert_eq!(place([1.0, 0.0, 0.0]), (50.0, 50.0));
    assert_eq!(place([1.0, 0.0, 0.5]), (75.0, 50.0));
    assert_eq!(place([-1.0, 0.0, 0.5]), (125.0, 50.0));
    // tc = rz on +Y and rz is ours negated: what is ahead lies at its lower edge.
    assert_eq!(place([0.0, 1.0, -0.5]), (250.0, 75.0));
    assert_eq!(place([0.0, -1.0, -0.5]), (350.0, 25.0));
    assert_eq!(place([0.0, 0.0, 1.0]), (550.0, 50.0));
}

/// PROJ's azimuthal projections of the unit sphere are fisheyes that look at the map's centre.
#[test]
fn fisheyes_agree_with_proj() {
    for (source, kind) in [
        ("PROJ aeqd", FisheyeKind::Equidistant),
        ("PROJ laea", FisheyeKind::Equisolid),
        ("PROJ stere", FisheyeKind::Stereographic),
    ] {
        for c in checks(source, 7) {
            let ([lon0, lat0], [lon, lat], [x, y]) =
                (c.lon0lat0.unwrap(), c.lonlat.unwrap(), c.xy.unwrap());
            let (got_x, got_y) = on_map(kind, (lon0, lat0), (lon, lat), 1.0);
            assert!(
                (got_x - x).abs() < 1e-5 && (got_y - y).abs() < 1e-5,
                "{source} {lon} {lat}: {got_x} {got_y}, not {x} {y}"
            );
        }
    }
    // The gnomonic projection is our perspective, the central cylindrical one our cylinder.
    let frame = shape("perspective:170x170");
    let edge = 85f64.to_radians().tan();
    let mut seen = 0;
    for c in checks("PROJ gnom", 7) {
        let ([lon0, lat0], [lon, lat], [x, y]) =
            (c.lon0lat0.unwrap(), c.lonlat.unwrap(), c.xy.unwrap());
        let d = seen_from((lon0, lat0), (lon, lat));
        if let Some(p) = frame.to_picture(d) {
            let (got_x, got_y) = ((2.0 * p.u - 1.0) * edge, (1.0 - 2.0 * p.v) * edge);
            assert!(
                (got_x - x).abs() < 1e-5 && (got_y - y).abs() < 1e-5,
                "{lon} {lat}: {got_x} {got_y}, not {x} {y}"
            );
            seen += 1;
        }
    }
    assert!(seen >= 4, "{seen}");
    let cylinder = shape("cylinder:360x170");
    for c in checks("PROJ cc", 3) {
        let ([lon, lat], [x, y]) = (c.lonlat.unwrap(), c.xy.unwrap());
        let p = cylinder
            .to_picture(LonLat::from_deg(lon, lat).to_vector())
            .unwrap();
        let (got_x, got_y) = (
            (p.u - 0.5) * 2.0 * PI,
            (1.0 - 2.0 * p.v) * 85f64.to_radians().tan(),
        );
        assert!(
            (got_x - x).abs() < 1e-4 && (got_y - y).abs() < 1e-4,
            "{lon} {lat}"
        );
    }
}

/// A direction as a viewer has it who looks at longitude and latitude `centre` (degrees).
fn seen_from(centre: (f64, f64), point: (f64, f64)) -> DVec3 {
    let o = Orientation {
        heading_deg: centre.0,
        pitch_deg: centre.1,
        roll_deg: 0.0,
    };
    o.matrix().transpose() * LonLat::from_deg(point.0, point.1).to_vector()
}

/// Map coordinates on a sphere of the given radius: x to the right, y up.
fn on_map(kind: FisheyeKind, centre: (f64, f64), point: (f64, f64), radius: f64) -> (f64, f64) {
    let fov = if kind == FisheyeKind::Stereographic {
        350f64
    } else {
        360.0
    };
    let disc = Disc {
        kind,
        fov: fov.to_radians(),
    };
    let edge = kind.radius(fov.to_radians() / 2.0);
    let p = disc.to_picture(seen_from(centre, point)).unwrap();
    (
        (2.0 * p.u - 1.0) * edge * radius,
        (1.0 - 2.0 * p.v) * edge * radius,
    )
}

/// Snyder, Map Projections - A Working Manual, USGS Professional Paper 1395 (1987), numerical examples for
/// the sphere: Lambert azimuthal equal-area, azimuthal equidistant, stereographic.
#[test]
fn fisheyes_agree_with_snyders_examples() {
    for (kind, radius, point, x, y) in [
        (
            FisheyeKind::Equisolid,
            3.0,
            (100.0, -20.0),
            -4.233_930_3,
            4.025_777_5,
        ),
        (
            FisheyeKind::Equidistant,
            3.0,
            (100.0, -20.0),
            -5.831_139_8,
            5.544_463_4,
        ),
        (
            FisheyeKind::Stereographic,
            1.0,
            (-75.0, 30.0),
            0.380_722_4,
            -0.126_380_2,
        ),
    ] {
        let (got_x, got_y) = on_map(kind, (-100.0, 40.0), point, radius);
        assert!(
            (got_x - x).abs() < 1e-7 && (got_y - y).abs() < 1e-7,
            "{kind:?}: {got_x} {got_y}"
        );
    }
}

/// ffmpeg turns by yaw, pitch, roll = Ry Rx Rz with x right, y down, z ahead; ours is the same turn in our axes.
#[test]
fn turns_agree_with_ffmpeg() {
    for c in checks("ffmpeg yaw/pitch/roll", 12) {
        let ([yaw, pitch, roll], [x, y, z], [lon, lat]) =
            (c.ypr.unwrap(), c.cam.unwrap(), c.lonlat.unwrap());
        let o = Orientation {
            heading_deg: yaw,
            pitch_deg: pitch,
            roll_deg: roll,
        };
        let got = o.matrix() * DVec3::new(x, -y, -z);
        let wanted = LonLat::from_deg(lon, lat).to_vector();
        assert!(
            (got.normalize() - wanted).length() < 1e-5,
            "{yaw} {pitch} {roll}: {x} {y} {z}"
        );
    }
}

/// A mirror ball by the law of reflection: the normal on the ball is half-way between the way to the camera
/// and the mirrored direction.
#[test]
fn the_mirror_ball_reflects() {
    for (u, v) in [(0.5, 0.5), (0.7, 0.4), (0.2, 0.35), (0.93, 0.55)] {
        let d = MirrorBall.to_direction(PicturePoint { u, v }).unwrap();
        let (x, y) = (2.0 * u - 1.0, 1.0 - 2.0 * v);
        // The camera looks ahead (-Z), so the side of the ball that it sees faces back (+Z).
        let normal = DVec3::new(x, y, (1.0_f64 - x * x - y * y).sqrt());
        let half_way = (d + DVec3::Z).normalize_or_zero();
        assert!(
            (half_way - normal).length() < 1e-9,
            "{u} {v}: {half_way} {normal}"
        );
    }
    let rim = MirrorBall
        .to_direction(PicturePoint { u: 1.0, v: 0.5 })
        .unwrap();
    assert!((rim - DVec3::NEG_Z).length() < 1e-9, "{rim}");
}

/// Neighbours on a cross touch: what lies on the edge between two cells is one direction.
#[test]
fn crosses_hang_together() {
    let near = |name: &str, a: (f64, f64), b: (f64, f64)| {
        let s = shape(name);
        let at = |(u, v): (f64, f64)| s.to_direction(PicturePoint { u, v }).unwrap();
        assert!((at(a) - at(b)).length() < 1e-3, "{name} {a:?} {b:?}");
    };
    let e = 1e-4;
    for along in [0.3, 0.4] {
        near("cube-cross", (along, 1.0 / 3.0 - e), (along, 1.0 / 3.0 + e));
        near("cube-cross", (along, 2.0 / 3.0 - e), (along, 2.0 / 3.0 + e));
    }
    for along in [0.4, 0.6] {
        near("cube-cross", (0.25 - e, along), (0.25 + e, along));
        near("cube-cross", (0.0, along), (1.0, along));
        for edge in [0.25, 0.5, 0.75] {
            near("cube-cross-vertical", (along, edge - e), (along, edge + e));
        }
        near("cube-cross-vertical", (along, 0.0), (along, 1.0));
    }
}

/// Going on beyond an edge meets the neighbour: over the seam, over the poles, over the square's folds.
#[test]
fn edges_continue() {
    let e = 1e-3;
    for (name, x, y) in [
        ("equirect", -e, 0.3),
        ("equirect", 0.2, -e),
        ("equirect", 0.7, 1.0 + e),
        ("octahedral", -e, 0.3),
        ("octahedral", 0.4, 1.0 + e),
        ("cylinder:360x90", 1.0 + e, 0.5),
        ("cube-3x2", 1.0 + e, 0.2),
        ("eac-3x2", 0.3, -e),
    ] {
        let s = shape(name);
        let outside = s.beyond(0, x, y).unwrap();
        let inside = s.beyond(0, x.clamp(0.0, 1.0), y.clamp(0.0, 1.0)).unwrap();
        let step = (outside - inside).length();
        assert!(step > 1e-5 && step < 0.02, "{name}: {step}");
    }
}

#[test]
fn names_are_read_back() {
    for name in
        NAMES
            .into_iter()
            .chain(["angular-map", "perspective:90", "equirect:90x45@-30,10.5"])
    {
        assert_eq!(shape(name).to_string(), name);
    }
    // An order of faces that is not the shape's own is told with the name, turns included.
    for name in [
        "cube-3x2 right,left,up,down,front,back",
        "eac-3x2 left,front,right,down:270,back:90,up:270",
        "cube-faces front,right,back,left,up,down",
    ] {
        assert_eq!(shape(name).to_string(), name);
    }
    assert_eq!(
        shape("cube-6x1 left,front,right,back,up,down").to_string(),
        "cube-6x1"
    );
    assert_eq!(
        Shape::Cube(CubeLayout::openexr()).to_string(),
        "cube-1x6 left,right,up:180,down:180,front,back"
    );
    // A heading is told the short way round.
    assert_eq!(
        shape("equirect:90x90@270,0").to_string(),
        "equirect:90x90@-90,0"
    );
    // Every line of the help is a shape that can be written.
    for help in SHAPES {
        let example = help
            .name
            .replace("[@HEADING,PITCH]", "@10,5")
            .replace("[xVFOV][@RIGHT,UP]", "x50@0.1,0")
            .replace("HxV", "90x60")
            .replace("HFOV", "70")
            .replace("DEG", "120");
        shape(&example);
    }
    assert_eq!(shape("equirect:360x180"), Shape::Equirect);
    for (wrong, says) in [
        ("equirectangular", "no shape"),
        ("equirect:180", "HxV"),
        ("equirect:90x90@0,60", "over a pole"),
        ("fisheye-orthographic:200", "at most 180"),
        ("fisheye", "DEGREES"),
        ("cube-6x1:3", "cube-6x1"),
        ("perspective:180", "at most 179"),
        ("cylinder:360x180", "at most 175"),
        ("perspective:nan", "HFOV"),
    ] {
        let said = wrong.parse::<Shape>().unwrap_err().to_string();
        assert!(said.contains(says), "{wrong}: {said}");
    }
}

#[test]
fn one_side_gives_the_other() {
    for (name, width, height) in [
        ("equirect", 4096, 2048),
        ("equirect:180x180", 2048, 2048),
        ("equirect:360x90", 4096, 1024),
        ("cube-faces", 512, 3072),
        ("cube-6x1", 3072, 512),
        ("cube-cross", 4096, 3072),
        ("eac-3x2", 3072, 2048),
        ("fisheye:180", 1000, 1000),
        ("cylinder:360x90", 3000, 955),
        ("perspective:90", 1200, 800),
    ] {
        let s = shape(name);
        assert_eq!(
            s.size(Some(width), None).unwrap(),
            (width, height),
            "{name}"
        );
        assert_eq!(
            s.size(Some(width), Some(height)).unwrap(),
            (width, height),
            "{name}"
        );
        let (w, h) = s.size(None, Some(height)).unwrap();
        assert!(h == height && w.abs_diff(width) <= 2, "{name} {w}");
    }
    // A wrong ratio is refused with the right one; a 16:9 film frame is the usual mistake.
    let said = shape("equirect").size(Some(1920), Some(1080)).unwrap_err();
    assert_eq!(
        said.to_string(),
        "1920 x 1080 px is not the ratio of equirect; 1920 px wide it is 960 px high."
    );
    assert!(matches!(
        shape("cube-6x1").size(Some(1000), None),
        Err(ShapeError::Cells {
            lower: 996,
            upper: 1002,
            ..
        })
    ));
    assert!(shape("equirect").size(Some(70_000), None).is_err());
    assert!(shape("fisheye:180").size(Some(2), None).is_err());
    for absurd in [0, u32::MAX] {
        let refused = shape("cube-6x1").size(Some(absurd), None);
        assert!(matches!(refused, Err(ShapeError::OutOfRange { .. })));
    }
    // A frame without a told height takes any.
    assert_eq!(
        shape("perspective:60").size(Some(700), Some(300)).unwrap(),
        (700, 300)
    );
    // As much detail as a sphere of 4096 px (definition: pixels per degree).
    for (name, width) in [
        ("cube-6x1", 6144),
        ("fisheye:180", 2048),
        ("mirror-ball", 4096),
    ] {
        assert_eq!(shape(name).width_for(4096.0), width, "{name}");
        assert!(
            (shape(name).sphere_width(width) - 4096.0).abs() < 1.0,
            "{name}"
        );
    }
}

#[test]
fn orders_are_read_and_refused() {
    let order = CubeLayout::parse_order("F, b,left,right,up:90,d:270").unwrap();
    assert_eq!(order[0].face, Face::Front);
    assert_eq!((order[4].face, order[4].turns), (Face::Up, 1));
    // The upper face turned clockwise: its lower edge, which touches the front, now lies to the left.
    let cube = CubeLayout::in_our_order(6, 1).with_order(order);
    let p = cube.to_picture(DVec3::new(0.0, 1.0, -0.9)).unwrap();
    assert!(
        (p.u * 6.0 - 4.05).abs() < 1e-9 && (p.v - 0.5).abs() < 1e-9,
        "{p:?}"
    );
    assert!(matches!(
        CubeLayout::parse_order("left,right"),
        Err(OrderError::Count(_, 2))
    ));
    assert!(matches!(
        CubeLayout::parse_order("l,r,u,d,f,f"),
        Err(OrderError::Twice("front"))
    ));
    assert!(matches!(
        CubeLayout::parse_order("l,r,u,d,f,b:45"),
        Err(OrderError::Entry(_))
    ));
    assert!(shape("octahedral").with_order(order).is_err());
}

#[test]
fn sizes_suggest_shapes() {
    for (w, h, name) in [
        (2048, 1024, "equirect"),
        (512, 512, "angular-map"),
        (1024, 768, "cube-cross"),
        (768, 1024, "cube-cross-vertical"),
        (600, 100, "cube-6x1"),
        (100, 600, "cube-1x6"),
        (300, 200, "cube-3x2"),
    ] {
        assert_eq!(Shape::of_size(w, h).unwrap().to_string(), name);
    }
    assert_eq!(Shape::of_size(1000, 501), None);
}

/// A part that is the whole sphere, turned to any heading, goes on over the poles and the seam as the sphere does.
#[test]
fn a_whole_sphere_told_as_a_part_goes_on_over_its_poles() {
    let part: Shape = "equirect:360x180@70,0".parse().unwrap();
    for (x, y) in [
        (0.2, -0.1),
        (0.9, 1.05),
        (-0.3, 0.4),
        (1.2, -0.02),
        (0.5, 0.5),
    ] {
        let found = part.beyond(0, x, y).expect("a whole sphere ends nowhere");
        // Walked along the meridian, past the pole: by sines and cosines alone, which know no edge.
        let lon = (70.0f64 + (x - 0.5) * 360.0).to_radians();
        let lat = (90.0 - y * 180.0).to_radians();
        let walked = DVec3::new(lat.cos() * lon.sin(), lat.sin(), -lat.cos() * lon.cos());
        assert!(found.distance(walked) < 1e-12, "{x} {y}: {found} {walked}");
    }
    assert_eq!(
        "equirect:360x90"
            .parse::<Shape>()
            .unwrap()
            .beyond(0, 0.5, -0.1),
        None
    );
}
