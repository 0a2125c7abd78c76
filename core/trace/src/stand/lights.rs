//! The lights of a scene as a list: what, where, how strong, and whether they are seen.

use super::walk;
use crate::lamp::LampKind;
use crate::light::{
    Environment, Illumination, LightSettings, SKY_KEY, SUN_KEY, lamp_key, object_key,
};
use crate::photometry::{self, Measure};
use crate::scene::Scene;
use dome_imaging::transfer::luminance;
use glam::{DVec3, Vec3};

/// One light of a scene.
#[derive(Clone, Debug, PartialEq)]
pub struct LightEntry {
    /// Key of its setting.
    pub key: String,
    /// Name.
    pub name: String,
    /// What kind of light.
    pub kind: &'static str,
    /// Its middle, metres; nothing for light from one direction.
    pub position: Option<Vec3>,
    /// How strong it is, as the file or the model of the sky says, in every measure that its kind has; the most usual one first.
    pub measures: Vec<Measure>,
    /// Whether the eye would see it, if its body is not hidden by choice.
    pub seen: bool,
}

/// Most triangles of a light whose middles are looked at.
const LOOKS: usize = 64;

/// All lights, glowing objects first, and whether they are seen from `eye`; 1 in the scene's file is `file_cd_m2`. Those that shine
/// as measured in `light` have the strength of what was measured.
pub fn list(scene: &Scene, light: &Illumination, file_cd_m2: f32, eye: DVec3) -> Vec<LightEntry> {
    let eye = eye.as_vec3();
    let mut triangles: Vec<Vec<u32>> = vec![Vec::new(); scene.objects().len()];
    for t in scene.emitting() {
        triangles[scene.object_of(t) as usize].push(t);
    }
    let mut lights = Vec::new();
    for (i, object) in scene.objects().iter().enumerate() {
        let glowing = &triangles[i];
        if glowing.is_empty() {
            continue;
        }
        let mut area = 0.0;
        let mut power = Vec3::ZERO;
        for &t in glowing {
            let [a, b, c] = scene.corners(t);
            let size = 0.5 * (b - a).cross(c - a).length();
            let spot = scene.spot(t, 1.0 / 3.0, 1.0 / 3.0);
            area += size;
            power += spot.emission(scene.material_of(t)) * size;
        }
        let step = glowing.len().div_ceil(LOOKS);
        let seen = glowing.iter().step_by(step).any(|&t| {
            let [a, b, c] = scene.corners(t);
            is_seen(scene, eye, (a + b + c) / 3.0)
        });
        lights.push(LightEntry {
            key: object_key(i),
            name: object.name.clone(),
            kind: "glowing surface",
            position: Some((object.min + object.max) / 2.0),
            measures: photometry::of_surface(
                luminance(power.to_array()) / area.max(1e-12) * file_cd_m2,
                area,
            ),
            seen,
        });
    }
    for (i, lamp) in scene.lamps().iter().enumerate() {
        let directional = lamp.kind == LampKind::Directional;
        let strength = luminance(lamp.intensity) * file_cd_m2;
        lights.push(LightEntry {
            key: lamp_key(i),
            name: lamp.name.clone(),
            kind: lamp.kind_name(),
            position: (!directional).then_some(lamp.position),
            measures: if directional {
                vec![photometry::illuminance(strength)]
            } else {
                photometry::of_lamp(strength, lamp.steradians())
            },
            // A lamp without a body is never in the picture itself.
            seen: false,
        });
    }
    for entry in &mut lights {
        if let Some(table) = light.table_of(&entry.key) {
            entry.measures = photometry::of_table(table);
        }
    }
    lights
}

/// The lights of the surroundings, and whether they are seen from `eye`.
pub fn surroundings(scene: &Scene, environment: &Environment, eye: DVec3) -> Vec<LightEntry> {
    let eye = eye.as_vec3();
    let free = |d: Vec3| is_seen(scene, eye, eye + d * FAR);
    let mut lights = vec![LightEntry {
        key: SKY_KEY.into(),
        name: "Sky".into(),
        kind: "surroundings",
        position: None,
        measures: vec![photometry::luminance_of(luminance(
            environment.mean_sky().to_array(),
        ))],
        seen: !environment.transparent
            && (0..LOOKS).any(|i| {
                let up = 1.0 - 2.0 * (i as f32 + 0.5) / LOOKS as f32;
                let (sin, cos) = (2.4 * i as f32).sin_cos();
                free(Vec3::new(cos, 0.0, sin) * (1.0 - up * up).sqrt() + Vec3::Y * up)
            }),
    }];
    if let Some((towards, irradiance)) = environment.sun_as_lamp() {
        lights.push(LightEntry {
            key: SUN_KEY.into(),
            name: "Sun".into(),
            kind: "surroundings",
            position: None,
            measures: vec![photometry::illuminance(luminance(irradiance.to_array()))],
            seen: !environment.transparent && free(towards),
        });
    }
    lights
}

/// Farther than any scene, metres.
const FAR: f32 = 1e7;

fn is_seen(scene: &Scene, eye: Vec3, target: Vec3) -> bool {
    let offset = target - eye;
    let distance = offset.length();
    walk(scene, eye, offset / distance)
        .take_while(|hit| hit.distance < distance * (1.0 - 1e-3))
        .all(|hit| scene.material_of(hit.triangle).lets_straight_through())
}

/// Keys of settings that no light of the scene has.
pub fn unknown_keys(scene: &Scene, settings: &LightSettings) -> Vec<String> {
    let known = |key: &String| {
        let number = |kind: &str| key.strip_prefix(kind).and_then(|n| n.parse::<usize>().ok());
        // Any object may be hidden from view, whether it gives light or not.
        number("object:").is_some_and(|i| i < scene.objects().len())
            || [SKY_KEY, SUN_KEY].contains(&key.as_str())
            || number("lamp:").is_some_and(|i| i < scene.lamps().len())
    };
    settings.keys().filter(|k| !known(k)).cloned().collect()
}

/// The first light that is set to shine as measured and cannot: only glowing objects, point and spot lamps can.
pub fn not_measurable(scene: &Scene, settings: &LightSettings) -> Option<String> {
    let can = |key: &str| {
        let number = |kind: &str| key.strip_prefix(kind).and_then(|n| n.parse::<usize>().ok());
        number("object:")
            .and_then(|i| scene.objects().get(i))
            .is_some_and(|o| o.emits)
            || number("lamp:")
                .and_then(|i| scene.lamps().get(i))
                .is_some_and(|l| l.kind != LampKind::Directional)
    };
    let measured = settings.iter().filter(|(_, s)| s.distribution.is_some());
    measured.map(|(key, _)| key).find(|key| !can(key)).cloned()
}
