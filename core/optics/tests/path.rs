//! Paths of a viewpoint: frames and their moments, values between keys against SciPy's, lines against their closed form, even speed, and
//! that nothing depends on where a scene stands, how it is turned and how large it is.

use dome_optics::path::{
    Between, Ease, EyePath, Frames, FramesError, Monotone, Opening, PathError, PathKey, Rate,
};
use glam::{DMat3, DVec3};
use proptest::prelude::*;

fn close(a: f64, b: f64, within: f64) {
    assert!((a - b).abs() <= within, "{a} instead of {b}");
}

fn even(keys: Vec<PathKey>) -> EyePath {
    EyePath::new(keys, Ease::default(), true).unwrap()
}

fn plain(keys: Vec<PathKey>) -> EyePath {
    EyePath::new(keys, Ease::default(), false).unwrap()
}

/// Frames are counted with both ends (common practice, no source), and last until the next would be shown.
#[test]
fn frames_count_both_ends() {
    let all = Frames::parse("0-100").unwrap();
    assert_eq!(all.count(), 101);
    close(all.lasts_s(Rate::parse("30").unwrap()), 101.0 / 30.0, 1e-12);
    let tens = Frames::parse("0-100/10").unwrap();
    assert_eq!(
        tens.numbers().collect::<Vec<_>>(),
        (0..=10).map(|i| i * 10).collect::<Vec<_>>()
    );
    assert_eq!(Frames::parse("7-20/5").unwrap().numbers().last(), Some(17));
    assert_eq!(Frames::parse("12").unwrap().count(), 1);
    let mut coarse: Vec<u64> = Frames::parse("3-30").unwrap().coarse_first(10).collect();
    assert_eq!(coarse[..4], [3, 13, 23, 4]);
    coarse.sort_unstable();
    assert_eq!(coarse, (3..=30).collect::<Vec<_>>());
    for text in ["0-100", "0-100/10", "12"] {
        assert_eq!(Frames::parse(text).unwrap().to_string(), text);
    }
    let backwards = Frames::parse("9-3").unwrap_err();
    assert_eq!(backwards, FramesError::Backwards { first: 9, last: 3 });
    assert!(Frames::parse("0-99999999999").is_err());
    for text in ["", "a-b", "1-", "-5", "1-9/0", "1-9/x"] {
        let said = Frames::parse(text).unwrap_err().to_string();
        assert!(said.contains("no range"), "{text}: {said}");
    }
}

/// Fractional rates are n x 1000/1001 (SMPTE ST 12-1, from memory): after 24000 frames exactly 1001 s are gone, and an hour has as many
/// frames as the fraction says, not one more or less by summed errors.
#[test]
fn an_hour_at_a_fractional_rate_does_not_drift() {
    for (name, whole) in [
        ("23.976", 24u64),
        ("29.97", 30),
        ("59.94", 60),
        ("47.952", 48),
    ] {
        let rate = Rate::parse(name).unwrap();
        close(rate.per_second(), whole as f64 / 1.001, 1e-12);
        for k in [1u64, 2, 3, 100] {
            assert_eq!(rate.moment_s(k * whole * 1000), 1001.0 * k as f64);
        }
        let frames_of_an_hour = (3600 * whole * 1000).div_ceil(1001);
        let shown = (0u64..).find(|k| rate.moment_s(*k) >= 3600.0);
        assert_eq!(shown, Some(frames_of_an_hour), "{name}");
    }
    assert_eq!(Rate::parse("30").unwrap().moment_s(101), 101.0 / 30.0);
    assert_eq!(Rate::parse("60000/2000").unwrap().to_string(), "30");
    assert_eq!(Rate::parse("25.00").unwrap(), Rate::new(25, 1).unwrap());
    assert_eq!(Rate::parse("29.97").unwrap().to_string(), "30000/1001");
    for text in ["", "fast", "29.9", "0", "1/2", "1000", "30/0", "-30"] {
        assert!(Rate::parse(text).is_err(), "{text}");
    }
}

/// Times, values, and what there is at sevenths of the way: values and slopes.
type Asked = (&'static [f64], &'static [f64], [f64; 8], [f64; 6]);

/// Values and slopes of SciPy 1.17's `PchipInterpolator` at sevenths of the way.
#[test]
fn single_values_are_scipys() {
    let sets: [Asked; 4] = [
        (
            &[0.0, 1.0, 3.0, 4.5, 7.0],
            &[2.0, 2.5, 2.4, 6.0, 6.0],
            [2.0, 2.5, 2.45, 2.4, 5.066666666666666, 6.0, 6.0, 6.0],
            [0.0, -0.075, 0.0, 3.2, 0.0, 0.0],
        ),
        (
            &[0.0, 0.5, 2.0],
            &[0.0, 3.0, 4.0],
            [
                0.0,
                2.107198923525454,
                3.0962929738439944,
                3.430132981153389,
                3.684234133213725,
                3.861785984234964,
                3.9659780884270672,
                4.0,
            ],
            [
                6.34536891679749,
                1.311704168847026,
                1.0270364556078841,
                0.7535321821036106,
                0.4911913483342053,
                0.2400139542996686,
            ],
        ),
        (
            &[0.0, 2.0, 3.0, 5.0, 9.0, 10.0],
            &[10.0, 8.0, 8.0, 1.0, -5.0, -5.5],
            [
                10.0,
                8.202137998056365,
                8.0,
                3.689546748932132,
                -0.49340440646207145,
                -2.9726287298368455,
                -4.665282006792447,
                -5.5,
            ],
            [
                -0.6802721088435373,
                0.0,
                -4.720514950166113,
                -1.9800152090434482,
                -1.4755280018984336,
                -0.8788157440566082,
            ],
        ),
        (
            &[1.0, 4.0],
            &[3.0, -2.0],
            [
                3.0,
                2.2857142857142856,
                1.5714285714285712,
                0.8571428571428572,
                0.14285714285714235,
                -0.5714285714285716,
                -1.2857142857142865,
                -2.0,
            ],
            [-5.0 / 3.0; 6],
        ),
    ];
    for (times, values, wanted, slopes) in sets {
        let found = Monotone::new(times.iter().copied().zip(values.iter().copied())).unwrap();
        let (first, last) = (times[0], times[times.len() - 1]);
        for (k, wanted) in wanted.iter().enumerate() {
            let t = first + (last - first) * k as f64 / 7.0;
            close(found.at(t), *wanted, 1e-12);
            if (1..7).contains(&k) {
                close(found.slope_at(t), slopes[k - 1], 1e-11);
            }
        }
        assert_eq!(found.at(first - 5.0), values[0]);
        assert_eq!(found.at(last + 5.0), values[values.len() - 1]);
    }
}

/// Centripetal Catmull-Rom as a Bézier curve (Yuksel, Schaefer and Keyser 2011, "Parameterization and applications of Catmull-Rom
/// curves", from memory): the inner control points follow from the distances to the power of a half.
#[test]
fn lines_are_centripetal() {
    let points = [
        DVec3::new(0.0, 0.0, 0.0),
        DVec3::new(1.0, 0.5, 0.0),
        DVec3::new(1.5, 0.5, 4.0),
        DVec3::new(-3.0, 1.0, 5.0),
    ];
    let keys = (points.iter().enumerate()).map(|(i, p)| PathKey::at(i as f64, *p));
    let path = plain(keys.collect());
    let [p0, p1, p2, p3] = points;
    let d = |a: DVec3, b: DVec3| a.distance(b).sqrt();
    let (d1, d2, d3) = (d(p0, p1), d(p1, p2), d(p2, p3));
    let b1 = (d1 * d1 * p2 - d2 * d2 * p0 + (2.0 * d1 * d1 + 3.0 * d1 * d2 + d2 * d2) * p1)
        / (3.0 * d1 * (d1 + d2));
    let b2 = (d3 * d3 * p1 - d2 * d2 * p3 + (2.0 * d3 * d3 + 3.0 * d3 * d2 + d2 * d2) * p2)
        / (3.0 * d3 * (d3 + d2));
    let bezier = |t: f64| {
        let s = 1.0 - t;
        s.powi(3) * p1 + 3.0 * s * s * t * b1 + 3.0 * s * t * t * b2 + t.powi(3) * p2
    };
    // Every place of the path between the two keys is on that curve.
    for i in 0..=100 {
        let found = path.at(1.0 + f64::from(i) / 100.0).position;
        let nearest = (0..=20_000)
            .map(|k| bezier(f64::from(k) / 20_000.0).distance(found))
            .fold(f64::MAX, f64::min);
        assert!(nearest < 2e-4, "{nearest} m off at {i} %");
    }
}

/// Keys all round a circle: the way is as long as its circumference, the speed is even, and the heading of travel goes round evenly.
#[test]
fn a_walk_round_a_circle() {
    let (radius, seconds) = (3.0, 12.0);
    let keys: Vec<PathKey> = (0..=36)
        .map(|i| {
            let angle = f64::from(i) * 10f64.to_radians();
            // Clockwise seen from above, beginning in the north; times quite uneven.
            let place = DVec3::new(angle.sin() * radius, 1.6, -angle.cos() * radius);
            let time = seconds * (f64::from(i) / 36.0).powf(1.7);
            PathKey {
                heading_deg: Some(f64::from(i) * 10.0 + 90.0),
                ..PathKey::at(time, place)
            }
        })
        .collect();
    let path = even(keys);
    let round = 2.0 * std::f64::consts::PI * radius;
    close(path.length_m(), round, 0.002 * round);
    for i in 1..120 {
        let time = f64::from(i) * 0.1;
        let motion = path.motion(time);
        close(motion.speed_m_s, round / seconds, 0.01 * round / seconds);
        let wanted = 90.0 + 360.0 * time / seconds;
        let off = (motion.travel_deg.unwrap() - wanted + 180.0).rem_euclid(360.0) - 180.0;
        // Nothing says how the line would go on beyond its ends: it goes out straight there, half a key's turn off.
        let within = if (5..115).contains(&i) { 1.0 } else { 5.5 };
        assert!(off.abs() < within, "{off}° off at {time} s");
        if (5..115).contains(&i) {
            close(motion.turning_deg_s, 30.0, 0.6);
        }
    }
    // It looks where it goes at every key.
    let ways = path.travel_at_keys().unwrap();
    for (i, way) in ways.iter().enumerate() {
        let off = (way - (i as f64 * 10.0 + 90.0) + 180.0).rem_euclid(360.0) - 180.0;
        let within = if (1..36).contains(&i) { 1.0 } else { 5.5 };
        assert!(off.abs() < within, "key {i}: {off}° off");
    }
}

#[test]
fn held_straight_and_eased() {
    let key = |t: f64, x: f64, on| PathKey {
        on,
        ..PathKey::at(t, DVec3::new(x, 0.0, 0.0))
    };
    let path = plain(vec![
        key(1.0, 0.0, Between::Straight),
        key(3.0, 4.0, Between::Held),
        key(5.0, 10.0, Between::Straight),
        key(6.0, 11.0, Between::Straight),
    ]);
    for (time, x) in [
        (0.0, 0.0),
        (1.5, 1.0),
        (3.0, 4.0),
        (4.99, 4.0),
        (5.0, 10.0),
        (5.25, 10.25),
        (9.0, 11.0),
    ] {
        close(path.at(time).position.x, x, 1e-9);
    }
    close(path.length_m(), 5.0, 1e-9);
    assert_eq!(path.motion(9.0).speed_m_s, 0.0);
    // At an even speed a jump takes no time: 5 m in 5 s.
    let path = even(path.keys().to_vec());
    for (time, x) in [(2.0, 1.0), (4.9, 3.9), (5.1, 10.1), (6.0, 11.0)] {
        close(path.at(time).position.x, x, 1e-6);
    }
    // Eased, all of the way is gone, from rest to rest, and half of it at half the time.
    let line = vec![
        key(0.0, 0.0, Between::Straight),
        key(10.0, 8.0, Between::Straight),
    ];
    let ease = Ease {
        in_s: 2.0,
        out_s: 2.0,
    };
    let path = EyePath::new(line.clone(), ease, true).unwrap();
    close(path.at(5.0).position.x, 4.0, 1e-9);
    close(path.at(10.0).position.x, 8.0, 1e-9);
    // 10 s less half of the 4 s of easing, at full speed.
    close(path.motion(5.0).speed_m_s, 8.0 / 8.0, 1e-6);
    assert!(path.motion(0.0).speed_m_s < 1e-6 && path.motion(10.0).speed_m_s < 1e-6);
    close(path.motion(1.0).speed_m_s, 0.5, 1e-6);
    // Longer ease than there is time is shared.
    let long = Ease {
        in_s: 30.0,
        out_s: 10.0,
    };
    let path = EyePath::new(line, long, true).unwrap();
    close(path.at(10.0).position.x, 8.0, 1e-9);
    close(path.motion(7.5).speed_m_s, 8.0 / 5.0, 1e-4);
}

#[test]
fn values_on_the_way() {
    let mut keys: Vec<PathKey> = [0.0, 2.0, 4.0, 6.0]
        .iter()
        .map(|t| PathKey::at(*t, DVec3::new(*t, 0.0, 0.0)))
        .collect();
    keys[0].heading_deg = Some(350.0);
    keys[1].heading_deg = Some(20.0);
    keys[3].heading_deg = Some(10.0);
    keys[3].turns = -1;
    keys[1].separation_m = Some(0.063);
    keys[3].separation_m = Some(0.03);
    keys[0].opening = Some(Opening {
        heading_deg: 0.0,
        pitch_deg: -10.0,
        hfov_deg: 90.0,
    });
    let path = plain(keys);
    let heading = |t: f64| path.at(t).heading_deg.unwrap();
    close(heading(0.0), 350.0, 1e-9);
    // The short way over north, and a whole turn back more than the short way by 10 degrees.
    let first = heading(1.0);
    assert!(!(20.0..350.0).contains(&first), "{first}");
    close(heading(2.0), 20.0, 1e-9);
    let mut turned = 0.0;
    for i in 0..400 {
        let (a, b) = (2.0 + f64::from(i) * 0.01, 2.01 + f64::from(i) * 0.01);
        turned += (heading(b) - heading(a) + 180.0).rem_euclid(360.0) - 180.0;
    }
    close(turned, -370.0, 1e-6);
    // Before the first key that sets it its value holds; what no key sets is nothing.
    assert_eq!(path.at(0.5).separation_m, Some(0.063));
    let middle = path.at(4.0).separation_m.unwrap();
    assert!((0.03..0.063).contains(&middle), "{middle}");
    assert_eq!(path.at(3.0).convergence_m, None);
    assert_eq!(path.at(5.0).opening.unwrap().pitch_deg, -10.0);
    // A path of one key, and one that never moves.
    let still = plain(vec![PathKey::at(3.0, DVec3::ONE)]);
    assert_eq!(still.at(7.0).position, DVec3::ONE);
    assert_eq!(still.travel_at_keys(), None);
    let same = even(vec![
        PathKey::at(0.0, DVec3::ONE),
        PathKey::at(2.0, DVec3::ONE),
    ]);
    assert_eq!(same.at(1.0).position, DVec3::ONE);
    assert_eq!(same.motion(1.0).speed_m_s, 0.0);
}

#[test]
fn what_is_no_path_is_said() {
    let key = |t: f64| PathKey::at(t, DVec3::ZERO);
    let said = |keys: Vec<PathKey>| EyePath::new(keys, Ease::default(), false).unwrap_err();
    assert_eq!(said(Vec::new()), PathError::NoKeys);
    let sentence = said(vec![key(0.0), key(2.0), key(2.0)]).to_string();
    assert!(
        sentence.contains("Key 3 of the path is at 2 s"),
        "{sentence}"
    );
    let far = PathKey {
        position: DVec3::new(f64::NAN, 0.0, 0.0),
        ..key(1.0)
    };
    assert!(
        said(vec![key(0.0), far])
            .to_string()
            .contains("position of key 2")
    );
    for bad in [
        PathKey {
            time_s: -1.0,
            ..key(0.0)
        },
        PathKey {
            heading_deg: Some(f64::INFINITY),
            ..key(0.0)
        },
        PathKey {
            separation_m: Some(-0.1),
            ..key(0.0)
        },
        PathKey {
            convergence_m: Some(0.0),
            ..key(0.0)
        },
        PathKey {
            turns: 5000,
            ..key(0.0)
        },
        PathKey {
            opening: Some(Opening {
                heading_deg: 0.0,
                pitch_deg: 0.0,
                hfov_deg: 200.0,
            }),
            ..key(0.0)
        },
    ] {
        assert!(said(vec![bad]).to_string().contains("out of range; give"));
    }
}

fn keys_of(points: &[(f64, f64, f64, f64)]) -> Vec<PathKey> {
    let mut time = 0.0;
    (points.iter())
        .map(|(x, y, z, wait)| {
            let key = PathKey::at(time, DVec3::new(*x, *y, *z));
            time += wait;
            key
        })
        .collect()
}

fn walks() -> impl Strategy<Value = Vec<(f64, f64, f64, f64)>> {
    let step = (-20.0..20.0f64, 0.0..6.0f64, -20.0..20.0f64, 0.2..9.0f64);
    prop::collection::vec(step, 2..9)
}

proptest! {
    /// Any keys: the path is at each of them at its time, never runs back along its line, and at an even speed the speed is even within
    /// 1 %, whatever the times are.
    #[test]
    fn paths_keep_their_keys_and_their_speed(points in walks()) {
        let keys = keys_of(&points);
        let path = plain(keys.clone());
        for k in &keys {
            prop_assert!(path.at(k.time_s).position.distance(k.position) < 1e-6);
        }
        let path = even(keys);
        let (first, last) = path.span_s();
        let speed = path.length_m() / (last - first);
        let mut gone = 0.0;
        let mut place = path.at(first).position;
        for i in 1..=4000 {
            let next = path.at(first + (last - first) * f64::from(i) / 4000.0).position;
            gone += next.distance(place);
            place = next;
        }
        // Chords are a little shorter than the line.
        prop_assert!((gone / path.length_m() - 1.0).abs() < 2e-3, "{gone} of {}", path.length_m());
        for i in 1..97 {
            let found = path.motion(first + (last - first) * f64::from(i) / 97.0).speed_m_s;
            prop_assert!((found / speed - 1.0).abs() < 0.01, "{found} of {speed} m/s");
        }
    }

    /// A path in a scene that stands far from the origin, turned and of another size, is the same path there.
    #[test]
    fn paths_go_with_their_scene(
        points in walks(), turn in -180.0..180.0f64, size in 0.01..100.0f64, far in -1e4..1e4f64,
    ) {
        let keys = keys_of(&points);
        let turned = DMat3::from_rotation_y(turn.to_radians());
        let there = |p: DVec3| turned * p * size + DVec3::new(far, -0.3 * far, 2.0 * far);
        let moved: Vec<PathKey> =
            keys.iter().map(|k| PathKey { position: there(k.position), ..*k }).collect();
        for constant in [false, true] {
            let make = |keys: &[PathKey]| {
                EyePath::new(keys.to_vec(), Ease { in_s: 0.4, out_s: 0.0 }, constant).unwrap()
            };
            let (here, away) = (make(&keys), make(&moved));
            prop_assert!((away.length_m() / size / here.length_m() - 1.0).abs() < 1e-6);
            let (first, last) = here.span_s();
            for i in 0..=20 {
                let time = first + (last - first) * f64::from(i) / 20.0;
                let off = there(here.at(time).position).distance(away.at(time).position);
                prop_assert!(off < 1e-5 * size.max(1.0), "{off} m at {time} s");
            }
        }
    }
}
