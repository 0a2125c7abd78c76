//! Two eyes: against the handbook's formulas and worked values, and against plain geometry that knows nothing of the code.

use dome_optics::rig::parallax::{self, Budget, Seen, focal_px, roundness, roundness_at};
use dome_optics::rig::screen::{BOLD, CAUTIOUS, Screen};
use dome_optics::rig::{
    Anchor, FlatPair, Frame, Method, PanoramicEye, PanoramicPair, Rig, Side, Unlinked,
    shape_takes_pairs,
};
use dome_optics::{Eye, MonoEye, Orientation, PicturePoint, Shape};
use glam::DVec3;
use std::f64::consts::{PI, TAU};

fn near(a: f64, b: f64, within: f64, what: &str) {
    assert!((a - b).abs() <= within, "{what}: {a} is not {b}");
}

fn pair(anchor: Anchor) -> PanoramicPair {
    PanoramicPair {
        separation: 0.063,
        anchor,
        converge: None,
        close: None,
    }
}

const TILTED: Orientation = Orientation {
    heading_deg: 37.0,
    pitch_deg: -21.0,
    roll_deg: 14.0,
};

/// Worked values of the trade's own tables for W 1920, 60 degrees (computed by hand from the formulas).
#[test]
fn flat_parallax_meets_the_worked_values() {
    let k = focal_px(1920.0, 60f64.to_radians());
    near(k, 1662.7688, 5e-5, "K");
    let (b, c) = (0.065, 5.0);
    near(
        parallax::parallax(k, b, c, f64::INFINITY),
        21.616,
        5e-4,
        "P(inf)",
    );
    let budget = Budget {
        front: 20.0,
        back: 50.0,
    };
    near(budget.nearest(k, b, c), 2.5971, 5e-5, "Zn");
    assert_eq!(budget.farthest(k, b, c), f64::INFINITY);
    let fitted = Budget {
        front: 20.0,
        back: 40.0,
    };
    let (b, c) = fitted.fit(k, 2.0, 40.0).unwrap();
    near(b, 0.0759671, 5e-8, "fitted b");
    near(c, 2.9268293, 5e-8, "fitted C");
    // What is fitted fills its budget to the last pixel, and the planes come back.
    near(parallax::parallax(k, b, c, 2.0), -20.0, 1e-9, "front");
    near(parallax::parallax(k, b, c, 40.0), 40.0, 1e-9, "back");
    near(fitted.nearest(k, b, c), 2.0, 1e-9, "nearest plane");
    near(fitted.farthest(k, b, c), 40.0, 1e-9, "farthest plane");
    let (b, c) = fitted.fit(k, 2.0, f64::INFINITY).unwrap();
    near(
        parallax::parallax(k, b, c, f64::INFINITY),
        40.0,
        1e-9,
        "far",
    );
    near(parallax::parallax(k, b, c, 2.0), -20.0, 1e-9, "near");
    assert!(
        fitted.fit(k, 3.0, 3.000001).is_none()
            && fitted.fit(k, 3.0, 3.0).is_none()
            && fitted.fit(k, 0.0, 3.0).is_none()
    );
}

#[test]
fn screens_and_eyes_meet_the_worked_values() {
    let at = |distance: f64| Screen {
        width: 1.0,
        distance,
    };
    // W/30 is 70 minutes at 1.637 screen widths and 114.6 at one (the handbook's table).
    near(at(1.637).minutes(CAUTIOUS), 70.0, 0.01, "70'");
    near(at(1.0).minutes(CAUTIOUS), 114.6, 0.05, "114.6'");
    near(CAUTIOUS * 1920.0, 64.0, 0.5, "cautious");
    near(BOLD * 1920.0, 83.0, 0.5, "bold");
    near(at(2.0).share(), 2.0 / 30.0, 1e-12, "scaled by the distance");
    // 100 mm behind a screen for eyes of 63.4 mm, 3 m away.
    let screen = Screen {
        width: 2.0,
        distance: 3.0,
    };
    near(
        screen.divergence_deg(0.05, 0.0634),
        2.0 * (0.0366f64 / 6.0).atan().to_degrees(),
        1e-12,
        "divergence",
    );
    assert_eq!(screen.divergence_deg(0.03, 0.0634), 0.0);
    // A screen 7 m wide seen from 7 m, eyes 63.4 mm apart: 50 of 1920 px behind it are 0.973 degrees beyond parallel, 64 px 1.391 (worked
    // by hand: 2 atan((p - e) / 2V)).
    let hall = Screen {
        width: 7.0,
        distance: 7.0,
    };
    near(
        hall.divergence_deg(50.0 / 1920.0, 0.0634),
        0.973,
        5e-4,
        "50 px",
    );
    near(
        hall.divergence_deg(64.0 / 1920.0, 0.0634),
        1.391,
        5e-4,
        "64 px",
    );
    // Roundness 1 at C 5 m, 3 m away, eyes of 65 mm: b = 0.1083 m.
    near(roundness(0.10833333, 5.0, 0.065, 3.0), 1.0, 1e-6, "round");
    // At the distance of zero parallax both say the same; and it is the ratio of depth to width that a viewer sees.
    let (k, b, c) = (1662.7688, 0.08, 4.0);
    let seen = Seen {
        screen: 1.5,
        distance: 3.0,
        eyes: 0.065,
        width: 1920.0,
    };
    near(
        roundness_at(c, k, b, c, seen),
        roundness(b, c, 0.065, 3.0),
        1e-12,
        "at C",
    );
    for z in [1.5, 4.0, 30.0] {
        let metres = seen.screen / seen.width;
        let depth = |z: f64| {
            let p = metres * parallax::parallax(k, b, c, z);
            seen.distance * seen.eyes / (seen.eyes - p)
        };
        let d = 1e-5;
        let deep = (depth(z + d) - depth(z - d)) / (2.0 * d);
        let wide = metres * k / z * depth(z) / seen.distance;
        near(
            roundness_at(z, k, b, c, seen),
            deep / wide,
            1e-5,
            "by depth",
        );
    }
}

/// The angles between the eyes' rays for 63 mm (the handbook's table, computed from 2 asin(b / 2Z)), told and measured.
#[test]
fn panoramic_angles_meet_the_worked_values() {
    for (z, degrees) in [
        (0.5, 7.224),
        (1.0, 3.610),
        (1.89, 1.910),
        (2.0, 1.805),
        (5.0, 0.722),
    ] {
        let told = pair(Anchor::Middle).angle_at(z).to_degrees();
        near(told, degrees, 5.1e-4, "told");
        // Measured: how far apart the two eyes show the point, along the horizon.
        let target = DVec3::new(z * 0.6, 0.0, -z * 0.8);
        let seen = Side::BOTH.map(|side| {
            let eye = PanoramicEye::new(
                DVec3::ZERO,
                Orientation::default(),
                Shape::Equirect,
                pair(Anchor::Middle),
                side,
            );
            eye.locate(target).unwrap().u * 360.0
        });
        near(seen[0] - seen[1], degrees, 5.1e-4, "measured");
    }
}

/// Every ray, in every shape, starts on the eye's own circle, across its direction; the pair is turned as the viewpoint is.
#[test]
fn each_ray_starts_beside_its_own_direction() {
    let shapes = [
        "equirect",
        "equirect:180x180",
        "cylinder:300x60",
        "cube-3x2",
        "eac-3x2",
        "fisheye:180",
    ];
    let at = DVec3::new(500.0, -3.0, 7000.0);
    for shape in shapes {
        let shape: Shape = shape.parse().unwrap();
        assert!(shape_takes_pairs(&shape), "{shape}");
        for (anchor, side) in [
            (Anchor::Middle, Side::Left),
            (Anchor::Middle, Side::Right),
            (Anchor::Left, Side::Right),
            (Anchor::Right, Side::Left),
        ] {
            let eye = PanoramicEye::new(at, TILTED, shape, pair(anchor), side);
            let mono = MonoEye::new(at, TILTED, shape);
            let mut seen = 0;
            for i in 0..400 {
                let point = PicturePoint {
                    u: (f64::from(i) * 0.618_034).fract(),
                    v: (f64::from(i) + 0.5) / 400.0,
                };
                let (Some(ray), Some(plain)) = (eye.ray(point), mono.ray(point)) else {
                    assert!(mono.ray(point).is_none());
                    continue;
                };
                seen += 1;
                let up = TILTED.matrix().y_axis;
                let across = plain.direction.cross(up).normalize();
                let wanted = anchor.offset(side) * 0.063;
                let offset = ray.origin - at;
                near(offset.dot(across), wanted, 1e-9, "across");
                near(offset.length(), wanted.abs(), 1e-9, "nowhere else");
                assert!(ray.direction.distance(plain.direction) < 1e-12, "parallel");
            }
            assert!(seen > 100, "{shape}");
        }
    }
    for shape in ["mirror-ball", "angular-map", "octahedral", "perspective:60"] {
        assert!(!shape_takes_pairs(&shape.parse().unwrap()), "{shape}");
    }
}

/// The eye that stands on the viewpoint sees what one eye alone sees, bit for bit, whatever the pair does.
#[test]
fn the_anchored_eye_is_one_eye_alone() {
    let at = DVec3::new(0.3, 1.6, -20.7);
    for (anchor, side) in [(Anchor::Left, Side::Left), (Anchor::Right, Side::Right)] {
        let pair = PanoramicPair {
            converge: Some(3.0),
            close: Some([0.9, 1.4]),
            ..pair(anchor)
        };
        for shape in [Shape::Equirect, "cube-3x2".parse().unwrap()] {
            let eye = PanoramicEye::new(at, TILTED, shape, pair, side);
            let mono = MonoEye::new(at, TILTED, shape);
            for i in 0..500 {
                let point = PicturePoint::pixel_centre(i % 25, i / 25, 25, 20);
                assert_eq!(eye.ray(point), mono.ray(point));
            }
        }
    }
}

/// Where a ray of a picture point leads, the point is seen: within 0.1 px at a width of 8192, for all kinds of pairs.
#[test]
fn points_are_located_where_their_rays_come_from() {
    let at = DVec3::new(-12.0, 4.0, 900.0);
    for anchor in Anchor::ALL {
        for converge in [None, Some(0.9), Some(4.0)] {
            for close in [None, Some([50f64.to_radians(), 80f64.to_radians()])] {
                let pair = PanoramicPair {
                    converge,
                    close,
                    ..pair(anchor)
                };
                for side in Side::BOTH {
                    for shape in [
                        Shape::Equirect,
                        "equirect:180x180".parse().unwrap(),
                        "eac-3x2".parse().unwrap(),
                    ] {
                        let eye = PanoramicEye::new(at, TILTED, shape, pair, side);
                        for i in 0..300 {
                            let point = PicturePoint {
                                u: 0.01 + 0.98 * (f64::from(i) * 0.618_034).fract(),
                                v: (f64::from(i) + 0.5) / 300.0,
                            };
                            let Some(ray) = eye.ray(point) else { continue };
                            for z in [0.3, 1.0, 40.0] {
                                // Straight above an open pair several directions lead to the same point.
                                let up = TILTED.matrix().y_axis.dot(ray.direction);
                                let level = z * (1.0 - up * up).sqrt();
                                if close.is_none() && level < 4.0 * pair.separation {
                                    continue;
                                }
                                let seen = eye.locate(ray.origin + ray.direction * z).unwrap();
                                let width = 8192.0;
                                // Round the sphere, and less of a column counts near the poles.
                                let across = (seen.u - point.u + 0.5).rem_euclid(1.0) - 0.5;
                                let lat = match shape {
                                    Shape::Equirect => PI * (0.5 - point.v),
                                    _ => 0.0,
                                };
                                let off = (across * lat.cos()).abs().max((seen.v - point.v).abs());
                                assert!(
                                    off * width < 0.1,
                                    "{pair:?} {side:?} {shape} {point:?} {z}: {off}"
                                );
                            }
                        }
                    }
                }
            }
        }
    }
}

/// Converged, both eyes see a point at that distance in the same place, in every direction.
#[test]
fn converged_eyes_agree_at_their_distance() {
    let pair = PanoramicPair {
        converge: Some(2.5),
        close: Some([60f64.to_radians(), 85f64.to_radians()]),
        ..pair(Anchor::Middle)
    };
    let [left, right] =
        Side::BOTH.map(|s| PanoramicEye::new(DVec3::ZERO, TILTED, Shape::Equirect, pair, s));
    for i in 0..60 {
        let lat = (f64::from(i) / 59.0 - 0.5) * 3.0;
        let lon = f64::from(i) * 0.7;
        let d = DVec3::new(lat.cos() * lon.sin(), lat.sin(), -lat.cos() * lon.cos());
        let at = |z: f64| (left.locate(d * z).unwrap(), right.locate(d * z).unwrap());
        let (l, r) = at(2.5);
        let gap = ((l.u - r.u + 0.5).rem_euclid(1.0) - 0.5).abs() * lat.cos();
        assert!(gap < 1e-9 && (l.v - r.v).abs() < 1e-9, "{lat} {gap}");
    }
}

#[test]
fn pairs_close_smoothly_between_their_latitudes() {
    let pair = PanoramicPair {
        close: Some([1.0, 1.4]),
        ..pair(Anchor::Middle)
    };
    assert_eq!(pair.openness(0.99), 1.0);
    assert_eq!(pair.openness(-1.0), 1.0);
    assert_eq!(pair.openness(1.41), 0.0);
    near(pair.openness(-1.2), 0.5, 1e-12, "half way");
    // No jump of the slope: it is near 0 at both ends.
    let slope = |lat: f64| (pair.openness(lat + 1e-6) - pair.openness(lat - 1e-6)) / 2e-6;
    for lat in [1.0, 1.4, -1.0, -1.4] {
        assert!(slope(lat).abs() < 1e-4, "{lat}");
    }
    let above = DVec3::new(0.0, 1.0, -1e-9);
    assert_eq!(pair.offset(Side::Left, above), DVec3::ZERO);
    // Without closing the two stay apart as near to the zenith as one looks, and meet only there.
    let open = PanoramicPair {
        close: None,
        ..pair
    };
    near(
        open.offset(Side::Left, above).length(),
        0.0315,
        1e-9,
        "apart",
    );
    assert_eq!(open.offset(Side::Left, DVec3::Y), DVec3::ZERO);
}

fn flat(method: Method, keep_anchor: bool, anchor: Anchor) -> FlatPair {
    FlatPair {
        separation: 0.07,
        anchor,
        converge: 4.0,
        method,
        keep_anchor,
        unlinked: None,
    }
}

/// Lamps at known places in front of all three kinds of flat pairs, turned and far away: their parallax is that of the
/// formula within 0.1 px, and off-axis and parallel pairs have no vertical parallax at all.
#[test]
fn lamps_stand_where_geometry_demands_in_flat_pairs() {
    let frame = Frame {
        hfov: 60f64.to_radians(),
        ratio: 16.0 / 9.0,
        shift: [0.0; 2],
    };
    let (w, h) = (1920.0, 1080.0);
    let k = focal_px(w, frame.hfov);
    let at = DVec3::new(30.0, 2.0, -4000.0);
    let m = TILTED.matrix();
    for anchor in Anchor::ALL {
        for keep in [false, true] {
            for method in [Method::OffAxis, Method::Parallel] {
                let pair = flat(method, keep, anchor);
                let [left, right] = Side::BOTH.map(|s| pair.eye(s, at, TILTED, frame));
                for (x, y, z) in [
                    (0.0, 0.0, 4.0),
                    (0.7, -0.4, 2.0),
                    (-3.0, 1.5, 12.0),
                    (0.0, 0.0, 1e7),
                ] {
                    let target = at + m * DVec3::new(x, y, -z);
                    let (l, r) = (
                        left.project(target).unwrap(),
                        right.project(target).unwrap(),
                    );
                    // Parallel pictures are brought together by the crop, here still to come.
                    let crop = match method {
                        Method::Parallel => k * pair.separation / pair.converge,
                        _ => 0.0,
                    };
                    let told = parallax::parallax(k, pair.separation, pair.converge, z);
                    near((r.u - l.u) * w + crop, told, 0.1, "parallax");
                    near((r.v - l.v) * h, 0.0, 1e-6, "vertical");
                }
            }
            let pair = flat(Method::Converged, keep, anchor);
            let [left, right] = Side::BOTH.map(|s| pair.eye(s, at, TILTED, frame));
            // In the middle of the picture the formula holds for turned cameras too, for small turns.
            for z in [2.0, 4.0, 9.0] {
                let middle = if keep {
                    0.0
                } else {
                    (pair.offset(Side::Left) + pair.offset(Side::Right)) / 2.0
                };
                let target = at + m * DVec3::new(middle, 0.0, -z);
                let (l, r) = (
                    left.project(target).unwrap(),
                    right.project(target).unwrap(),
                );
                let told = parallax::parallax(k, pair.separation, pair.converge, z);
                near((r.u - l.u) * w, told, 0.1, "converged");
            }
        }
    }
    assert_eq!(
        flat(Method::OffAxis, false, Anchor::Middle).vertical_parallax(frame, h),
        0.0
    );
    // By hand: a corner at C seen from b/2 aside, turned by atan(b / 2C): y K / depth differs between the eyes.
    let pair = flat(Method::Converged, false, Anchor::Middle);
    let turn = (0.035f64 / 4.0).atan();
    let (x, y) = (4.0 * (PI / 6.0).tan(), 4.0 * (PI / 6.0).tan() / frame.ratio);
    let depth = |eye: f64, turn: f64| (x - eye) * turn.sin() + 4.0 * turn.cos();
    let by_hand = k * y * (1.0 / depth(0.035, -turn) - 1.0 / depth(-0.035, turn)).abs();
    near(pair.vertical_parallax(frame, h), by_hand, 0.1, "keystone");
    assert!(by_hand > 1.0, "the check sees something");
}

/// With the anchor kept, the eye on the viewpoint is an ordinary camera whatever separation and convergence are.
#[test]
fn a_kept_eye_stays_as_it_is() {
    let frame = Frame {
        hfov: 0.9,
        ratio: 1.5,
        shift: [0.0; 2],
    };
    for method in Method::ALL {
        let eye = |separation, converge, keep_anchor| {
            let pair = FlatPair {
                separation,
                converge,
                keep_anchor,
                ..flat(method, keep_anchor, Anchor::Left)
            };
            let eye = pair.eye(Side::Left, DVec3::X, TILTED, frame);
            eye.ray(PicturePoint { u: 0.3, v: 0.8 }).unwrap()
        };
        let plain = MonoEye::new(
            DVec3::X,
            TILTED,
            dome_optics::projection::Perspective::from_fov(frame.hfov, frame.vfov()),
        );
        let alone = plain.ray(PicturePoint { u: 0.3, v: 0.8 }).unwrap();
        assert_eq!(eye(0.07, 4.0, true), alone);
        assert_eq!(eye(0.2, 1.0, true), alone);
        if method != Method::Parallel {
            assert_ne!(eye(0.07, 4.0, false), alone);
        }
    }
}

/// What parallel cameras record and crop is what an off-axis pair sees.
#[test]
fn a_cropped_recording_is_the_off_axis_picture() {
    let frame = Frame {
        hfov: 60f64.to_radians(),
        ratio: 16.0 / 9.0,
        shift: [0.0; 2],
    };
    let (width, height) = (1920u32, 1080u32);
    let parallel = FlatPair {
        separation: 0.065,
        converge: 5.0,
        ..flat(Method::Parallel, false, Anchor::Middle)
    };
    let recording = parallel.recording(frame, width);
    // K b / C = 21.616 (worked value), in whole pixels 22.
    assert_eq!((recording.crop, recording.width), (22, 1942));
    near(
        recording.hfov,
        2.0 * (1942f64 / (2.0 * 1662.7688)).atan(),
        1e-7,
        "recorded field of view",
    );
    let k = focal_px(f64::from(width), frame.hfov);
    let off_axis = FlatPair {
        method: Method::OffAxis,
        converge: k * 0.065 / 22.0,
        ..parallel
    };
    let recorded = Frame {
        hfov: recording.hfov,
        ratio: f64::from(recording.width) / f64::from(height),
        shift: [0.0; 2],
    };
    for (side, from) in [(Side::Left, recording.crop), (Side::Right, 0)] {
        let wide = parallel.eye(side, DVec3::ZERO, TILTED, recorded);
        let narrow = off_axis.eye(side, DVec3::ZERO, TILTED, frame);
        for (x, y) in [(0, 0), (17, 900), (1919, 1079)] {
            let a = wide.ray(PicturePoint::pixel_centre(
                x + from,
                y,
                recording.width,
                height,
            ));
            let b = narrow.ray(PicturePoint::pixel_centre(x, y, width, height));
            let off = a.unwrap().direction.distance(b.unwrap().direction);
            assert!(off < 1e-9, "{side:?} {x} {y}: {off}");
        }
    }
}

/// Whatever a shape says goes through the rig: with a shift lens both eyes of any flat pair see a far thing where one eye alone sees
/// it, and one at the distance of zero parallax as well, shifted across and up.
#[test]
fn a_shift_of_the_lens_is_both_eyes() {
    let shape = Shape::Perspective {
        hfov_deg: 60.0,
        vfov_deg: Some(40.0),
        shift: [0.15, 0.2],
    };
    let frame = Frame::of_shape(&shape).unwrap();
    assert_eq!(frame.shape().to_string(), shape.to_string());
    let at = DVec3::new(3.0, -800.0, 12.0);
    let mono = MonoEye::new(at, TILTED, shape);
    for anchor in Anchor::ALL {
        for keep in [false, true] {
            for method in Method::ALL {
                let rig = Rig::Flat(flat(method, keep, anchor));
                for (x, y) in [(0.1, 0.3), (0.5, 0.5), (0.9, 0.8)] {
                    let point = PicturePoint { u: x, v: y };
                    let alone = mono.ray(point).unwrap().direction;
                    for side in Side::BOTH {
                        let eye = rig.eye(side, at, TILTED, shape);
                        let seen = eye.ray(point).unwrap().direction;
                        // Eyes stand 7 cm apart and meet at 4 m: a degree at most, where 0.2 of the height are 8.
                        let off = seen.angle_between(alone).to_degrees();
                        assert!(off < 1.1, "{method:?} {anchor:?} {side:?} {x} {y}: {off}");
                    }
                }
                if method != Method::Converged {
                    let [left, right] = Side::BOTH.map(|side| rig.eye(side, at, TILTED, shape));
                    let m = TILTED.matrix().transpose();
                    for v in [0.0, 0.4, 1.0] {
                        let [a, b] = [&left, &right].map(|eye| {
                            let d = m * eye.ray(PicturePoint { u: 0.5, v }).unwrap().direction;
                            d.y / -d.z
                        });
                        near(a, b, 1e-12, "rows of both eyes");
                    }
                }
            }
        }
    }
}

/// A value that one eye has of its own changes that eye alone.
#[test]
fn an_unlinked_value_is_one_eyes_own() {
    let frame = Frame {
        hfov: 1.0,
        ratio: 1.5,
        shift: [0.0; 2],
    };
    let linked = flat(Method::OffAxis, false, Anchor::Middle);
    let own = FlatPair {
        unlinked: Some(Unlinked {
            side: Side::Right,
            hfov: Some(1.05),
            turn: Orientation {
                roll_deg: 0.5,
                ..Orientation::default()
            },
        }),
        ..linked
    };
    let corner = PicturePoint { u: 0.0, v: 0.0 };
    let ray = |pair: &FlatPair, side| pair.eye(side, DVec3::ZERO, TILTED, frame).ray(corner);
    assert_eq!(ray(&linked, Side::Left), ray(&own, Side::Left));
    let (a, b) = (
        ray(&linked, Side::Right).unwrap(),
        ray(&own, Side::Right).unwrap(),
    );
    assert_eq!(a.origin, b.origin);
    assert!(a.direction.distance(b.direction) > 0.01);
}

#[test]
fn frames_follow_lens_and_sensor() {
    // A 50 mm lens before 36 mm (common practice: 39.6 degrees).
    let frame = Frame::of_lens(50.0, 36.0, 1.5);
    near(frame.hfov.to_degrees(), 39.598, 5e-4, "50 mm");
    near(frame.focal_length(36.0), 50.0, 1e-9, "back again");
    near(frame.vfov().to_degrees(), 26.991, 5e-4, "upright");
}

/// The whole circle of a pair, walked round: it is a circle of the separation, centred as the anchor says.
#[test]
fn the_eyes_stand_on_a_circle() {
    let eye = PanoramicEye::new(
        DVec3::ZERO,
        Orientation::default(),
        Shape::Equirect,
        pair(Anchor::Middle),
        Side::Right,
    );
    for i in 0..36 {
        let u = (f64::from(i) + 0.5) / 36.0;
        let ray = eye.ray(PicturePoint { u, v: 0.5 }).unwrap();
        let lon = (u - 0.5) * TAU;
        let wanted = DVec3::new(lon.cos(), 0.0, lon.sin()) * 0.0315;
        assert!(ray.origin.distance(wanted) < 1e-12);
    }
}
