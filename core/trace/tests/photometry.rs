//! One photometric scale: cd/m², lux, candela and lumen, as a meter reads them in scenes.

mod common;

use common::{GROUND, NO_SKY, lamp, matt, places, quad, scene, scene_at, with_lamp};
use dome_imaging::Picture;
use dome_optics::Ray;
use dome_trace::lamp::{Lamp, LampKind};
use dome_trace::light::sun_sky;
use dome_trace::meter::{self, Reading};
use dome_trace::photometry::{self, DAYLIGHT_WHITE_CD_M2, LightScale, exposure_for_grey, white_at};
use dome_trace::{
    Illumination, ImportOptions, LightSettings, Scene, Sky, SunSky, Surroundings, load,
};
use glam::{DVec3, Vec3};
use std::convert::Infallible;
use std::f64::consts::PI;
use std::sync::Arc;

/// Numbers of the file are cd/m² and candela; white is as told.
fn lit(scene: &Scene, sky: impl Into<Surroundings>, white_cd_m2: f32) -> Illumination {
    let scale = LightScale {
        white_cd_m2,
        file_cd_m2: 1.0,
        gain: 1.0,
    };
    Illumination::new(scene, &sky.into(), None, &LightSettings::new(), scale)
}

fn down(x: f64, y: f64, z: f64) -> Ray {
    Ray {
        origin: DVec3::new(x, y, z),
        direction: DVec3::NEG_Y,
    }
}

fn lux(reading: &Reading) -> f64 {
    reading.illuminance_lx.unwrap()
}

fn near(found: f64, wanted: f64, share: f64) {
    assert!(
        (found / wanted - 1.0).abs() < share,
        "{found} is not {wanted} within {} %",
        share * 100.0
    );
}

/// Level ground of one square metre.
fn ground() -> Scene {
    scene(&[quad(GROUND, 0)], vec![matt(0.5)], NO_SKY)
}

fn sun(elevation_deg: f32) -> Sky {
    Sky::Sun(SunSky {
        elevation_deg,
        ..SunSky::default()
    })
}

/// A noon sun on a horizontal white plate reads 100 klx within 15 % (common practice, no source: 80 to 120), whatever white is.
/// Clear sky and sun apart lie near the daylight model of the IES (RP-21; Gillette, Pierpoint, Treado 1984, "A General Illuminance
/// Model for Daylight Availability", constants from memory): 127.5 klx e^(-0.21 / sin h) of what faces the sun, 0.8 + 15.5
/// sqrt(sin h) klx from the sky on level ground.
#[test]
fn sun_and_sky_read_as_published() {
    let ground = ground();
    let read = |sky: Sky, white: f32| {
        let light = lit(&ground, sky, white);
        lux(&meter::read(&ground, &light, &down(0.5, 1.0, 0.5), 8192))
    };
    for white in [100.0, DAYLIGHT_WHITE_CD_M2] {
        near(read(sun(65.0), white), 100_000.0, 0.15);
    }
    for height in [20f32, 40.0, 60.0, 80.0] {
        let sin = f64::from(height).to_radians().sin();
        // Clear air, as the daylight model has it.
        let clear = SunSky {
            elevation_deg: height,
            turbidity: 2.2,
            ..SunSky::default()
        };
        let (whole, sky) = (
            read(Sky::Sun(clear), 30_000.0),
            read(
                Sky::Sun(SunSky {
                    disc: false,
                    ..clear
                }),
                30_000.0,
            ),
        );
        let of_sun = (whole - sky) / sin;
        println!("{height} degrees: sun {of_sun:.0} lx, sky {sky:.0} lx");
        near(of_sun, 127_500.0 * (-0.21 / sin).exp(), 0.03);
        near(sky, 800.0 + 15_500.0 * sin.sqrt(), 0.25);
        // The list of lights says the same of the sun.
        let light = lit(&ground, Sky::Sun(clear), 500.0);
        let eye = DVec3::new(0.5, 1.0, 0.5);
        let told = dome_trace::stand::lights::surroundings(&ground, &light.environment, eye);
        near(f64::from(told[1].measures[0].value), of_sun, 0.01);
    }
}

/// Lambert's law: candela times the cosine over the distance squared. A lamp of 1000 cd at 2 m gives 250 lx (1000 / 2²); in the
/// noon sun it adds just that. Far from the origin too.
#[test]
fn a_lamp_in_candela_gives_lux_by_lamberts_law() {
    for far in [0.0f32, 5_000.0] {
        let mut part = quad(GROUND, 0);
        part.positions.iter_mut().for_each(|p| p[0] += far);
        let above = Vec3::new(far + 0.5, 2.0, 0.5);
        let scene = with_lamp(
            &[part.clone()],
            vec![matt(0.5)],
            (LampKind::Point, above, 1000.0),
        );
        // A thousandth of a candela: without any lamp paths would part, at other sample points.
        let unlit = with_lamp(&[part], vec![matt(0.5)], (LampKind::Point, above, 1e-3));
        let read = |scene: &Scene, sky: Sky, white: f32, x: f64| {
            let light = lit(scene, sky, white);
            let ray = down(f64::from(far) + x, 1.0, 0.5);
            lux(&meter::read(scene, &light, &ray, 4096))
        };
        near(read(&scene, NO_SKY, 80.0, 0.5), 250.0, 1e-3);
        let aside = 1000.0 * 2.0 / (4.0f64 + 0.16).powf(1.5);
        near(read(&scene, NO_SKY, 80.0, 0.9), aside, 1e-3);
        // Both in one picture; the sample points are the same, so the difference has no noise of the sun's.
        let day = |scene| read(scene, sun(65.0), DAYLIGHT_WHITE_CD_M2, 0.5);
        near(day(&scene) - day(&unlit), 250.0, 0.05);
    }
}

/// A square of luminance L seen from a point below its corner: pi L times the view factor of a parallel square (Howell, A Catalog
/// of Radiation Heat Transfer Configuration Factors, B-4: an element and a rectangle in parallel planes, above its corner). The
/// glowing square itself reads L. In scenes moved, turned and scaled.
#[test]
fn glowing_surfaces_are_in_candela_per_square_metre() {
    const L: f32 = 3000.0;
    let lid = quad(
        [
            [0.0, 1.0, 0.0],
            [1.0, 1.0, 0.0],
            [1.0, 1.0, 1.0],
            [0.0, 1.0, 1.0],
        ],
        1,
    );
    let side = 1.0 / 2f64.sqrt();
    let factor = (2.0 * side * (side).atan()) / (2.0 * PI);
    for (name, place) in places() {
        let s = scene_at(
            &[quad(GROUND, 0), lid.clone()],
            vec![matt(0.5), lamp(L)],
            NO_SKY,
            place,
        );
        let light = lit(&s, NO_SKY, 100.0);
        let ray = |origin: DVec3, direction: DVec3| Ray {
            origin: place.transform_point3(origin),
            direction: place.transform_vector3(direction).normalize(),
        };
        let below = meter::read(
            &s,
            &light,
            &ray(DVec3::new(1e-3, 0.5, 1e-3), DVec3::NEG_Y),
            16_384,
        );
        println!("{name}: {} lx", lux(&below));
        near(lux(&below), PI * f64::from(L) * factor, 0.02);
        let itself = meter::read(&s, &light, &ray(DVec3::new(0.4, 0.5, 0.4), DVec3::Y), 64);
        near(itself.luminance_cd_m2, f64::from(L), 1e-3);
    }
}

/// Conversions by their definitions: a point lamp's lumen are 4 pi times its candela, a Lambertian surface's pi times luminance
/// and area, and 683 lm are a watt at 555 nm (SI). A spot's flux is what a meter finds over a plane below it.
#[test]
fn measures_follow_from_each_other() {
    let of = |all: &[photometry::Measure], unit: &str| {
        f64::from(all.iter().find(|m| m.unit == unit).unwrap().value)
    };
    let point = photometry::of_lamp(100.0, (4.0 * PI) as f32);
    near(of(&point, "lm"), 1256.637, 1e-5);
    near(of(&point, "W"), 1.839_878, 1e-5);
    near(of(&point, "lx"), 100.0, 1e-6);
    let surface = photometry::of_surface(1000.0, 0.5);
    near(of(&surface, "lm"), 1570.796, 1e-5);
    let spot = Lamp {
        name: "Spot".into(),
        kind: LampKind::Spot {
            inner_cos: 0.95,
            outer_cos: 0.8,
        },
        position: Vec3::new(0.0, 1.0, 0.0),
        direction: Vec3::NEG_Y,
        intensity: [200.0; 3],
        range: None,
        beam: None,
    };
    // Rings of the plane: illuminance times area.
    let flux: f64 = (0..20_000)
        .map(|i| {
            let r = (f64::from(i) + 0.5) * 1e-4;
            let d = (1.0 + r * r).sqrt();
            let away = Vec3::new((r / d) as f32, (-1.0 / d) as f32, 0.0);
            let lux = f64::from(spot.irradiance(away, d as f32).x) / d;
            lux * 2.0 * PI * r * 1e-4
        })
        .sum();
    near(f64::from(200.0 * spot.steradians()), flux, 1e-3);
}

/// The same light whatever the white: pictures differ by a factor only, and old numbers are what they were.
#[test]
fn another_white_is_another_factor() {
    let s = scene(
        &[quad(GROUND, 0)],
        vec![matt(0.5)],
        Sky::Plain { colour: [0.8; 3] },
    );
    let read = |white: f32, unit: f32| {
        let surroundings = Surroundings {
            unit_cd_m2: unit,
            ..s.sky.clone().into()
        };
        let light = lit(&s, surroundings, white);
        meter::read(&s, &light, &down(0.5, 1.0, 0.5), 64)
    };
    let (a, b) = (read(100.0, 500.0), read(25_000.0, 500.0));
    near(a.luminance_cd_m2, 200.0, 1e-4);
    near(b.luminance_cd_m2, 200.0, 1e-4);
    near(lux(&a), PI * 400.0, 1e-4);
    // A scene of before: 1 is white by day, and shows as 1.
    let old = Illumination::plain(&s, s.sky.clone());
    assert_eq!(old.environment.backdrop(Vec3::Y), Vec3::splat(0.8));
    assert_eq!(old.white_cd_m2, DAYLIGHT_WHITE_CD_M2);
    let sky = meter::read(
        &s,
        &old,
        &Ray {
            origin: DVec3::Y,
            direction: DVec3::Y,
        },
        4,
    );
    assert_eq!((sky.illuminance_lx, sky.object), (None, None));
    near(
        sky.luminance_cd_m2,
        0.8 * f64::from(DAYLIGHT_WHITE_CD_M2),
        1e-5,
    );
}

/// What is even all round is its own middle grey, from a thousandth to a million cd/m²; a few lamps hardly move it, and where
/// nothing gives light nothing is proposed.
#[test]
fn an_exposure_is_proposed_by_the_geometric_mean() {
    let s = ground();
    let grey = |sky: f32| {
        let surroundings = Surroundings {
            unit_cd_m2: sky.max(1e-3),
            ..Sky::Plain {
                colour: [if sky > 0.0 { 1.0 } else { 0.0 }; 3],
            }
            .into()
        };
        // High above the ground, which is a speck.
        let eye = DVec3::new(0.0, 500.0, 0.0);
        let lit = |white: f32| Ok::<_, Infallible>(Arc::new(lit(&s, surroundings.clone(), white)));
        meter::middle_grey(&s, eye, lit).unwrap()
    };
    for level in [1e-2f32, 3.0, 250.0, 8_000.0, 1e6] {
        let found = grey(level).unwrap();
        near(found, f64::from(level), 0.01);
        let stops = exposure_for_grey(found) as f32;
        near(f64::from(white_at(stops) * 0.18), found, 1e-4);
    }
    assert_eq!(grey(0.0), None);
}

/// The picture of a computed sky with its sun drawn into it gives the unit that it was made in; without a sun it is taken for
/// an overcast day, and a lamp or two are no sun.
#[test]
fn a_picture_of_the_sky_says_how_bright_it_was() {
    let sky = SunSky {
        elevation_deg: 42.0,
        ..SunSky::default()
    };
    let mut picture = sun_sky::panorama(&sky, 1024);
    let towards = sun_sky::direction(&sky);
    let irradiance = sun_sky::sun_irradiance(&sky);
    let place = |d: Vec3| {
        let u = 0.5 + d.x.atan2(-d.z) / (2.0 * PI as f32);
        let v = 0.5 - d.y.asin() / PI as f32;
        ((v * 512.0) as usize * 1024 + (u * 1024.0) as usize) * 3
    };
    let at = place(towards);
    // One pixel holds all of the sun.
    let solid = (PI / 512.0).powi(2) * f64::from((1.0 - towards.y * towards.y).sqrt());
    for c in 0..3 {
        picture.samples[at + c] += irradiance[c] / solid as f32;
    }
    let found = meter::picture_unit(&picture).unwrap();
    near(found.sun_deg.unwrap(), 42.0, 0.01);
    near(found.unit_cd_m2, f64::from(DAYLIGHT_WHITE_CD_M2), 0.02);
    // Darker by any factor, the unit is larger by it.
    picture.samples.iter_mut().for_each(|v| *v *= 0.01);
    let darker = meter::picture_unit(&picture).unwrap();
    near(darker.unit_cd_m2, 100.0 * found.unit_cd_m2, 1e-3);
    // A second one is no sun any more.
    let other = place(Vec3::new(-towards.x, towards.y, -towards.z));
    for c in 0..3 {
        picture.samples[other + c] = picture.samples[at + c];
    }
    assert_eq!(meter::picture_unit(&picture).unwrap().sun_deg, None);
    let mut even = Picture::black(64, 32);
    assert_eq!(meter::picture_unit(&even), None);
    even.samples.fill(2.0);
    let overcast = meter::picture_unit(&even).unwrap();
    assert_eq!(overcast.sun_deg, None);
    // Even light of luminance L gives pi L on level ground.
    near(
        overcast.unit_cd_m2 * 2.0 * PI,
        overcast.illuminance_lx,
        0.01,
    );
}

/// A file's numbers are taken for what real lamps have, or for shares of white; what a file says itself counts first.
#[test]
fn a_file_begins_in_its_own_light() {
    let folder = tempfile::tempdir().unwrap();
    let open = |name: &str, bytes: &[u8]| {
        let path = folder.path().join(name);
        std::fs::write(&path, bytes).unwrap();
        load(&path, &ImportOptions::default()).unwrap().report.light
    };
    // Facts of the sample as its makers tell them: a point lamp of 1000 cd.
    let sample = include_bytes!("samples/lights/cube.glb");
    let start = open("cube.glb", sample);
    assert_eq!(start.file_cd_m2, 1.0);
    assert!(
        start.why.contains("true light") && start.exposure_stops > 5.0,
        "{start:?}"
    );
    let demo = open("merlow.glb", &merlow::build());
    assert_eq!((demo.file_cd_m2, demo.sky_cd_m2), (1.0, 80.0));
    near(f64::from(demo.scale().white_cd_m2), 80.0, 1e-4);
    let plain = open("plain.obj", b"v 0 0 0\nv 1 0 0\nv 0 0 1\nf 1 2 3\n");
    assert_eq!(plain.file_cd_m2, DAYLIGHT_WHITE_CD_M2);
    assert_eq!(
        (plain.scale(), plain.exposure_stops),
        (LightScale::default(), 0.0)
    );
}
