//! The lights of a scene as a list: what, where, how strong, and whether they are seen.

use super::walk;
use crate::lamp::LampKind;
use crate::light::{Environment, LightSettings, SKY_KEY, SUN_KEY, lamp_key, object_key};
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
    /// How strong it is.
    pub strength: f32,
    /// Unit of the strength.
    pub unit: &'static str,
    /// Whether the eye would see it, if its body is not hidden by choice.
    pub seen: bool,
}

/// Most triangles of a light whose middles are looked at.
const LOOKS: usize = 64;

/// All lights, glowing objects first, and whether they are seen from `eye`.
pub fn list(scene: &Scene, eye: DVec3) -> Vec<LightEntry> {
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
            strength: luminance(power.to_array()) / area.max(1e-12),
            unit: "cd/m²",
            seen,
        });
    }
    for (i, lamp) in scene.lamps().iter().enumerate() {
        let directional = lamp.kind == LampKind::Directional;
        lights.push(LightEntry {
            key: lamp_key(i),
            name: lamp.name.clone(),
            kind: lamp.kind_name(),
            position: (!directional).then_some(lamp.position),
            strength: luminance(lamp.intensity),
            unit: if directional { "lx" } else { "cd" },
            // A lamp without a body is never in the picture itself.
            seen: false,
        });
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
        strength: luminance(environment.mean_sky().to_array()),
        unit: "cd/m²",
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
            strength: luminance(irradiance.to_array()),
            unit: "lx",
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
