//! Small scenes and even views of them, for the checks of light.
#![allow(dead_code)] // every test takes what it needs

use dome_optics::{Eye, PanoramaSize, PicturePoint, Ray};
use dome_trace::lamp::{Lamp, LampKind};
use dome_trace::scene::MeshPart;
use dome_trace::{Control, Illumination, Material, Quality, Render, Scene, SceneBuilder, Sky};
use glam::{DMat3, DMat4, DVec3, Mat4, Vec3};

pub const WHITE_SKY: Sky = Sky::Plain { colour: [1.0; 3] };
pub const NO_SKY: Sky = Sky::Plain { colour: [0.0; 3] };

pub fn quad(corners: [[f32; 3]; 4], material: u32) -> MeshPart {
    MeshPart {
        positions: corners.to_vec(),
        triangles: vec![[0, 1, 2], [0, 2, 3]],
        material,
        ..MeshPart::default()
    }
}

/// A finely divided ball of radius 1 with smooth normals.
pub fn ball(material: u32) -> MeshPart {
    ball_of(material, 96, 192)
}

/// A ball of radius 1 with smooth normals, of rings from pole to pole and sectors round.
pub fn ball_of(material: u32, rings: u32, sectors: u32) -> MeshPart {
    let mut part = MeshPart {
        material,
        ..MeshPart::default()
    };
    for r in 0..=rings {
        for s in 0..=sectors {
            let lat = std::f32::consts::PI * (r as f32 / rings as f32 - 0.5);
            let lon = std::f32::consts::TAU * s as f32 / sectors as f32;
            let p = [lat.cos() * lon.sin(), lat.sin(), -lat.cos() * lon.cos()];
            part.positions.push(p);
            part.normals.push(p);
        }
    }
    for r in 0..rings {
        for s in 0..sectors {
            let a = r * (sectors + 1) + s;
            let b = a + sectors + 1;
            part.triangles.extend([[a, b + 1, a + 1], [a, b, b + 1]]);
        }
    }
    part
}

pub fn scene(parts: &[MeshPart], materials: Vec<Material>, sky: Sky) -> Scene {
    let mut builder = SceneBuilder::default();
    builder.materials = materials;
    for part in parts {
        builder.start_object("part");
        builder.add_part(part, &Mat4::IDENTITY);
    }
    builder.build(sky, "test").unwrap()
}

pub fn matt(albedo: f32) -> Material {
    Material {
        base_colour: [albedo; 3],
        specular: 0.0,
        ..Material::default()
    }
}

pub fn lamp(radiance: f32) -> Material {
    Material {
        base_colour: [0.0; 3],
        emission: [radiance; 3],
        specular: 0.0,
        ..Material::default()
    }
}

/// Looks straight down on the unit square of the ground, evenly.
pub struct FromAbove {
    pub height: f64,
}

impl Eye for FromAbove {
    fn ray(&self, p: PicturePoint) -> Option<Ray> {
        Some(Ray {
            origin: DVec3::new(p.u, self.height, p.v),
            direction: DVec3::NEG_Y,
        })
    }
}

pub fn mean(scene: &Scene, eye: &dyn Eye, width: u32, samples: u32, seed: u32) -> f64 {
    let size = PanoramaSize::from_width(width).unwrap();
    let light = Illumination::plain(scene, scene.sky.clone());
    let samples = render(scene, &light, eye, size, samples, seed);
    samples.iter().map(|&s| f64::from(s)).sum::<f64>() / samples.len() as f64
}

/// The samples of a whole picture.
pub fn render(
    scene: &Scene,
    light: &Illumination,
    eye: &dyn Eye,
    size: PanoramaSize,
    samples: u32,
    seed: u32,
) -> Vec<f32> {
    let render = Render::new(scene, light, eye, size, Quality::Samples(samples), seed);
    let strip = render.strip(0, size.height(), &Control::default()).unwrap();
    strip.beauty.samples
}

pub const GROUND: [[f32; 3]; 4] = [
    [0.0, 0.0, 0.0],
    [0.0, 0.0, 1.0],
    [1.0, 0.0, 1.0],
    [1.0, 0.0, 0.0],
];

/// A way to put a scene somewhere else, as `(name, matrix)`. The laws of light hold there too.
pub fn places() -> Vec<(&'static str, DMat4)> {
    let moved = |x, y, z| DMat4::from_translation(DVec3::new(x, y, z));
    let turned = DMat4::from_axis_angle(DVec3::new(0.3, 1.0, -0.2).normalize(), 0.7);
    vec![
        ("at the origin", DMat4::IDENTITY),
        ("moved (20, 30, 20)", moved(20.0, 30.0, 20.0)),
        ("moved (3000, 100, -3000)", moved(3000.0, 100.0, -3000.0)),
        ("turned", turned),
        ("turned and moved", moved(20.0, 30.0, 20.0) * turned),
        ("scaled by 0.01", DMat4::from_scale(DVec3::splat(0.01))),
        ("scaled by 100", DMat4::from_scale(DVec3::splat(100.0))),
    ]
}

/// The scene put somewhere else.
pub fn scene_at(parts: &[MeshPart], materials: Vec<Material>, sky: Sky, place: DMat4) -> Scene {
    let mut builder = SceneBuilder::default();
    builder.materials = materials;
    for part in parts {
        builder.start_object("part");
        builder.add_part(&part_at(part, place), &Mat4::IDENTITY);
    }
    builder.build(sky, "test").unwrap()
}

/// A part put somewhere else, in double precision: it is rounded once, as one that was made there.
pub fn part_at(part: &MeshPart, place: DMat4) -> MeshPart {
    let mut part = part.clone();
    for p in &mut part.positions {
        *p = place
            .transform_point3(DVec3::from(p.map(f64::from)))
            .as_vec3()
            .to_array();
    }
    let turn = DMat3::from_mat4(place);
    for n in &mut part.normals {
        *n = (turn * DVec3::from(n.map(f64::from)))
            .normalize_or_zero()
            .as_vec3()
            .to_array();
    }
    part
}

/// An eye put somewhere else.
pub struct EyeAt<'a>(pub &'a dyn Eye, pub DMat4);

impl Eye for EyeAt<'_> {
    fn ray(&self, p: PicturePoint) -> Option<Ray> {
        let ray = self.0.ray(p)?;
        Some(Ray {
            origin: self.1.transform_point3(ray.origin),
            direction: self.1.transform_vector3(ray.direction).normalize(),
        })
    }
}

/// A box between two corners, its faces looking out.
pub fn block(low: [f32; 3], high: [f32; 3], material: u32) -> MeshPart {
    let mut part = MeshPart {
        material,
        ..MeshPart::default()
    };
    for i in 0..8 {
        part.positions.push([0, 1, 2].map(|axis| {
            if i >> axis & 1 == 1 {
                high[axis]
            } else {
                low[axis]
            }
        }));
    }
    for [a, b, c, d] in [
        [0, 4, 6, 2],
        [1, 3, 7, 5],
        [0, 1, 5, 4],
        [2, 6, 7, 3],
        [0, 2, 3, 1],
        [4, 5, 7, 6],
    ] {
        part.triangles.extend([[a, b, c], [a, c, d]]);
    }
    part
}

/// A lamp without a body over a scene of parts, shining downwards if it has a direction.
pub fn with_lamp(
    parts: &[MeshPart],
    materials: Vec<Material>,
    (kind, at, intensity): (LampKind, Vec3, f32),
) -> Scene {
    let mut builder = SceneBuilder::default();
    builder.materials = materials;
    for part in parts {
        builder.start_object("part");
        builder.add_part(part, &Mat4::IDENTITY);
    }
    builder.lamps.push(Lamp {
        name: "Lamp".into(),
        kind,
        position: at,
        direction: Vec3::NEG_Y,
        intensity: [intensity; 3],
        range: None,
        beam: None,
    });
    builder.build(NO_SKY, "test").unwrap()
}
