//! Lights that shine as a laboratory measured them (LM-63).

mod common;

use common::{GROUND, NO_SKY, ball, lamp, matt, places, quad, scene_at, with_lamp};
use dome_files::lm63;
use dome_optics::Ray;
use dome_trace::lamp::LampKind;
use dome_trace::light::{lamp_key, object_key};
use dome_trace::photometry::LightScale;
use dome_trace::stand::lights;
use dome_trace::{
    Illumination, IntensityTable, IntensityTables, LightDistribution, LightSetting, LightSettings,
    Scene, meter,
};
use glam::{DVec3, Vec3};
use std::sync::Arc;

/// Four planes that differ; from straight down to the horizontal.
const FOUR: &str = "IESNA:LM-63-2002\n[LUMCAT] Stair lamp\nTILT=NONE\n1 -1 1 3 5 1 2 0 0 0\n1 1 20\n0 45 90\n0 90 180 270 360\n1000 400 50\n1000 800 50\n1000 1600 50\n1000 200 50\n1000 400 50\n";

fn tables(text: &str) -> IntensityTables {
    let read = lm63::parse(text.as_bytes(), "lamp.ies").unwrap();
    IntensityTables::from([("lamp.ies".into(), Arc::new(IntensityTable::new(&read)))])
}

fn settings(key: String, heading_deg: f32, tilt_deg: f32, stops: f32) -> LightSettings {
    let setting = LightSetting {
        stops,
        distribution: Some(LightDistribution {
            file: "lamp.ies".into(),
            name: "Stair lamp".into(),
            heading_deg,
            tilt_deg,
        }),
        ..LightSetting::default()
    };
    LightSettings::from([(key, setting)])
}

fn lit(scene: &Scene, settings: &LightSettings, text: &str, white_cd_m2: f32) -> Illumination {
    // What the scene's own numbers mean has no part in what was measured.
    let scale = LightScale {
        white_cd_m2,
        file_cd_m2: 77.0,
        gain: 1.0,
    };
    let sky = scene.sky.clone().into();
    Illumination::measured(scene, &sky, None, (settings, &tables(text)), scale)
}

fn near(found: f64, wanted: f64, share: f64) {
    assert!(
        (found / wanted - 1.0).abs() < share,
        "{found} is not {wanted} within {} %",
        share * 100.0
    );
}

/// What a meter on level ground reads, lux.
fn lux(scene: &Scene, light: &Illumination, x: f64, z: f64) -> f64 {
    let ray = Ray {
        origin: DVec3::new(x, 0.1, z),
        direction: DVec3::NEG_Y,
    };
    let reading = meter::read(scene, light, &ray, 256);
    reading.illuminance_lx.unwrap()
}

const WIDE: [[f32; 3]; 4] = [
    [-20.0, 0.0, -20.0],
    [-20.0, 0.0, 20.0],
    [20.0, 0.0, 20.0],
    [20.0, 0.0, -20.0],
];

/// By the inverse square and the cosine: 1000 cd straight down from 2 m are 250 lx, and at 45 degrees on each side that plane's
/// candela times cos³ 45° by 4 m². Planes count against the clock from the heading.
#[test]
fn a_lamp_shines_as_measured() {
    for kind in [
        LampKind::Point,
        LampKind::Spot {
            inner_cos: 0.99,
            outer_cos: 0.95,
        },
    ] {
        let at = Vec3::new(0.0, 2.0, 0.0);
        let s = with_lamp(&[quad(WIDE, 0)], vec![matt(0.5)], (kind, at, 3.0));
        let read = |heading: f32, tilt: f32, stops: f32, x: f64, z: f64| {
            let set = settings(lamp_key(0), heading, tilt, stops);
            lux(&s, &lit(&s, &set, FOUR, 120.0), x, z)
        };
        near(read(0.0, 0.0, 0.0, 0.0, 0.0), 250.0, 2e-3);
        near(read(0.0, 0.0, 1.0, 0.0, 0.0), 500.0, 2e-3);
        let aside = |candela: f64| candela * 0.5_f64.powf(1.5) / 4.0;
        if kind == LampKind::Point {
            for (x, z, candela) in [
                (0.0, -2.0, 400.0),
                (-2.0, 0.0, 800.0),
                (0.0, 2.0, 1600.0),
                (2.0, 0.0, 200.0),
            ] {
                near(read(0.0, 0.0, 0.0, x, z), aside(candela), 5e-3);
            }
            // Its 0 degrees to the east.
            near(read(90.0, 0.0, 0.0, 2.0, 0.0), aside(400.0), 5e-3);
            near(read(90.0, 0.0, 0.0, 0.0, -2.0), aside(800.0), 5e-3);
            // Tilted by 45 degrees to the north its strongest lies there.
            near(read(0.0, 45.0, 0.0, 0.0, -2.0), aside(1000.0), 5e-3);
        }
    }
}

/// A glowing body gives the measured candela far away in every direction, whatever its form, its own strength and where it stands:
/// a ball's seen area is the same from all sides, a plate's goes with the cosine.
#[test]
fn a_glowing_body_shines_as_measured() {
    let mut bulb = ball(1);
    for p in &mut bulb.positions {
        *p = (Vec3::from(*p) * 0.05 + Vec3::Y * 2.0).to_array();
    }
    let plate = quad(
        [
            [-0.05, 2.0, -0.05],
            [0.05, 2.0, -0.05],
            [0.05, 2.0, 0.05],
            [-0.05, 2.0, 0.05],
        ],
        1,
    );
    for (name, place) in places() {
        for body in [&bulb, &plate] {
            let s = scene_at(
                &[quad(WIDE, 0), body.clone()],
                vec![matt(0.5), lamp(7.0)],
                NO_SKY,
                place,
            );
            // How large the place makes things: candela stay.
            let scale = place.transform_vector3(DVec3::X).length();
            let down = place.transform_vector3(DVec3::NEG_Y).normalize();
            if down.dot(DVec3::NEG_Y) < 0.999 {
                continue; // A lamp hangs by the world's vertical; turned places have theirs elsewhere.
            }
            let light = lit(&s, &settings(object_key(1), 0.0, 0.0, 0.0), EVEN, 120.0);
            for x in [0.0, 1.0, 2.0, 4.0] {
                let ray = Ray {
                    origin: place.transform_point3(DVec3::new(x, 0.1, 0.013)),
                    direction: down,
                };
                let found = meter::read(&s, &light, &ray, 4096).illuminance_lx.unwrap();
                let d2 = x * x + 4.0;
                let cosine = 2.0 / d2.sqrt();
                println!("{name}, {x}: {found} lx");
                near(
                    found,
                    candela(cosine.acos()) * cosine / (d2 * scale * scale),
                    0.02,
                );
            }
        }
    }
}

/// Straight from 100 cd below to 20 cd at the horizontal, the same all round.
const EVEN: &str = "TILT=NONE\n1 2000 1 2 1 1 2 0 0 0 1 1 20\n0 90\n0\n100 20\n";

fn candela(angle: f64) -> f64 {
    100.0 - 80.0 * angle / std::f64::consts::FRAC_PI_2
}

/// The list tells what was measured, and what cannot shine so is named.
#[test]
fn the_list_tells_what_was_measured() {
    let s = with_lamp(
        &[quad(GROUND, 0)],
        vec![matt(0.5)],
        (LampKind::Point, Vec3::Y, 3.0),
    );
    let set = settings(lamp_key(0), 0.0, 0.0, 0.0);
    let list = lights::list(&s, &lit(&s, &set, FOUR, 120.0), 77.0, DVec3::Y);
    let of = |unit: &str| {
        let all = &list[0].measures;
        f64::from(all.iter().find(|m| m.unit == unit).unwrap().value)
    };
    near(of("cd"), 1600.0, 1e-5);
    // The flux by rings of one degree, each plane's share a quarter of a turn.
    let mean = |v: f64| {
        let to = |a: f64, b: f64, share: f64| a + (b - a) * share;
        [400.0, 800.0, 1600.0, 200.0]
            .map(|side| {
                if v < 45.0 {
                    to(1000.0, side, v / 45.0)
                } else {
                    to(side, 50.0, (v - 45.0) / 45.0)
                }
            })
            .iter()
            .sum::<f64>()
            / 4.0
    };
    let rings = (0..900).map(|i| {
        let v = (f64::from(i) + 0.5) / 10.0;
        mean(v) * v.to_radians().sin() * 0.1_f64.to_radians()
    });
    near(of("lm"), rings.sum::<f64>() * std::f64::consts::TAU, 1e-3);
    assert_eq!(lights::not_measurable(&s, &set), None);
    let sky = settings("sky".into(), 0.0, 0.0, 0.0);
    assert_eq!(lights::not_measurable(&s, &sky).as_deref(), Some("sky"));
    let ground = settings(object_key(0), 0.0, 0.0, 0.0);
    assert_eq!(
        lights::not_measurable(&s, &ground).as_deref(),
        Some("object:0")
    );
}
