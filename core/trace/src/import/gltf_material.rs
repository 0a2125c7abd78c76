//! Materials and textures of a glTF scene, extensions included.
//!
//! They are read from the document's JSON: the extensions' texture slots have the same shape as the
//! core's, so one function reads them all.

use super::gltf_buffers;
use super::report::Tally;
use crate::error::TraceError;
use crate::material::{Alpha, Coat, Material, Sheen, Volume};
use crate::scene::SceneBuilder;
use crate::texture::{Texture, Wrap};
use dome_files::decode::{Raster, decode_texture};
use rayon::prelude::*;
use serde_json::Value;
use std::path::Path;

/// All pictures of a document, decoded; one that cannot be read becomes plain white and is told.
pub(super) fn load_pictures(
    document: &gltf::Document,
    buffers: &[Vec<u8>],
    folder: &Path,
    name: &str,
    notices: &mut Vec<String>,
) -> Vec<Raster> {
    let images: Vec<_> = document.images().collect();
    let decoded: Vec<Result<Raster, TraceError>> = images
        .par_iter()
        .map(|image| {
            let label = format!(
                "Picture {} of {name}",
                image
                    .name()
                    .map_or_else(|| image.index().to_string(), |n| format!("\"{n}\""))
            );
            match image.source() {
                gltf::image::Source::View { view, .. } => {
                    let bytes = &buffers[view.buffer().index()]
                        [view.offset()..view.offset() + view.length()];
                    Ok(decode_texture(bytes, &label)?)
                }
                gltf::image::Source::Uri { uri, .. } => Ok(decode_texture(
                    &gltf_buffers::resolve(uri, folder, name)?.0,
                    &label,
                )?),
            }
        })
        .collect();
    decoded
        .into_iter()
        .map(|picture| {
            picture.unwrap_or_else(|e| {
                notices.push(format!("{e} White is used instead."));
                Raster::white()
            })
        })
        .collect()
}

/// Reads the parts of one material.
struct Reader<'a> {
    json: &'a Value,
    pictures: usize,
    tally: &'a mut Tally,
}

fn number(v: &Value, usual: f32) -> f32 {
    v.as_f64()
        .map(|x| x as f32)
        .filter(|x| x.is_finite())
        .unwrap_or(usual)
}

fn colour(v: &Value, usual: [f32; 3]) -> [f32; 3] {
    std::array::from_fn(|i| number(&v[i], usual[i]).max(0.0))
}

impl Reader<'_> {
    /// A texture slot, if it is there and whole.
    fn texture(&mut self, slot: &Value) -> Option<Texture> {
        let texture = &self.json["textures"][slot["index"].as_u64()? as usize];
        // The format's own picture stands in where WebP is not understood.
        let source = match &texture["extensions"]["EXT_texture_webp"]["source"] {
            Value::Null => &texture["source"],
            webp => webp,
        };
        let Some(picture) = source.as_u64().filter(|&i| (i as usize) < self.pictures) else {
            self.tally.add(
                "texture without a PNG, JPEG or WebP picture",
                "the plain colour is shown; export textures as one of these",
            );
            return None;
        };
        let sampler = texture["sampler"]
            .as_u64()
            .map_or(&Value::Null, |i| &self.json["samplers"][i as usize]);
        // Numbers of the format: 33071 clamp to edge, 33648 mirrored repeat; 9728 nearest.
        let wrap = |v: &Value| match v.as_u64() {
            Some(33071) => Wrap::Clamp,
            Some(33648) => Wrap::Mirror,
            _ => Wrap::Repeat,
        };
        let mut set = slot["texCoord"].as_u64().unwrap_or(0);
        let mut out = Texture {
            wrap: (wrap(&sampler["wrapS"]), wrap(&sampler["wrapT"])),
            hard: sampler["magFilter"].as_u64() == Some(9728),
            ..Texture::plain(picture as u32)
        };
        let t = &slot["extensions"]["KHR_texture_transform"];
        if t.is_object() {
            // Scaled, then turned counter-clockwise (v is down), then moved.
            let (sin, cos) = number(&t["rotation"], 0.0).sin_cos();
            let [sx, sy] = [0, 1].map(|i| number(&t["scale"][i], 1.0));
            out.scale_turn = [cos * sx, sin * sy, -sin * sx, cos * sy];
            out.offset = [0, 1].map(|i| number(&t["offset"][i], 0.0));
            set = t["texCoord"].as_u64().unwrap_or(set);
        }
        if set > 1 {
            self.tally.add(
                "texture on a third set of coordinates",
                "two sets are read; the plain colour is shown",
            );
            return None;
        }
        out.set = set as u8;
        Some(out)
    }

    fn normal(&mut self, slot: &Value) -> Option<(Texture, f32)> {
        let texture = self.texture(slot)?;
        Some((texture, number(&slot["scale"], 1.0)))
    }

    fn material(&mut self, m: &Value, index: usize) -> Material {
        let pbr = &m["pbrMetallicRoughness"];
        let ext = &m["extensions"];
        let base = &pbr["baseColorFactor"];
        let [specular, transmission, volume, coat, sheen] =
            ["specular", "transmission", "volume", "clearcoat", "sheen"]
                .map(|n| &ext[format!("KHR_materials_{n}")]);
        let alpha = match m["alphaMode"].as_str() {
            Some("MASK") => Alpha::Mask(number(&m["alphaCutoff"], 0.5)),
            Some("BLEND") => Alpha::Blend,
            _ => Alpha::Opaque,
        };
        let opacity = number(&base[3], 1.0);
        if alpha == Alpha::Opaque && opacity < 1.0 {
            self.tally.add(
                "alpha below 1 on a solid material",
                "the standard wants it ignored",
            );
        }
        if m["occlusionTexture"].is_object() {
            self.tally.add(
                "occlusion picture",
                "a path tracer finds the real occlusion itself",
            );
        }
        if volume["thicknessTexture"].is_object() {
            self.tally.add(
                "thickness picture",
                "light is followed through the real body instead",
            );
        }
        let strength = number(
            &ext["KHR_materials_emissive_strength"]["emissiveStrength"],
            1.0,
        )
        .max(0.0);
        // 0 is the format's word for an index so large that everything is mirrored.
        let ior = match number(&ext["KHR_materials_ior"]["ior"], 1.5) {
            0.0 => 1e4,
            n => n.max(1.0),
        };
        let distance = volume["attenuationDistance"].as_f64();
        Material {
            name: m["name"]
                .as_str()
                .map_or_else(|| format!("material {index}"), str::to_owned),
            base_colour: colour(base, [1.0; 3]),
            base_texture: self.texture(&pbr["baseColorTexture"]),
            opacity,
            opacity_texture: None,
            alpha,
            metallic: number(&pbr["metallicFactor"], 1.0),
            roughness: number(&pbr["roughnessFactor"], 1.0),
            metallic_roughness_texture: self.texture(&pbr["metallicRoughnessTexture"]),
            normal_texture: self.normal(&m["normalTexture"]),
            specular: number(&specular["specularFactor"], 1.0),
            specular_texture: self.texture(&specular["specularTexture"]),
            specular_colour: colour(&specular["specularColorFactor"], [1.0; 3]),
            specular_colour_texture: self.texture(&specular["specularColorTexture"]),
            ior,
            transmission: number(&transmission["transmissionFactor"], 0.0),
            transmission_texture: self.texture(&transmission["transmissionTexture"]),
            volume: (number(&volume["thicknessFactor"], 0.0) > 0.0).then(|| Volume {
                colour: colour(&volume["attenuationColor"], [1.0; 3]),
                distance: distance.map_or(f32::INFINITY, |d| d as f32),
            }),
            coat: (number(&coat["clearcoatFactor"], 0.0) > 0.0).then(|| Coat {
                weight: number(&coat["clearcoatFactor"], 0.0),
                weight_texture: self.texture(&coat["clearcoatTexture"]),
                roughness: number(&coat["clearcoatRoughnessFactor"], 0.0),
                roughness_texture: self.texture(&coat["clearcoatRoughnessTexture"]),
                normal_texture: self.normal(&coat["clearcoatNormalTexture"]),
            }),
            sheen: sheen.is_object().then(|| Sheen {
                colour: colour(&sheen["sheenColorFactor"], [0.0; 3]),
                colour_texture: self.texture(&sheen["sheenColorTexture"]),
                roughness: number(&sheen["sheenRoughnessFactor"], 0.0),
                roughness_texture: self.texture(&sheen["sheenRoughnessTexture"]),
            }),
            unlit: ext["KHR_materials_unlit"].is_object(),
            emission: colour(&m["emissiveFactor"], [0.0; 3]).map(|e| e * strength),
            emission_texture: self.texture(&m["emissiveTexture"]),
        }
    }
}

/// All materials of a document, with a plain default one at the end.
pub(super) fn load_materials(json: &Value, builder: &mut SceneBuilder, tally: &mut Tally) {
    let mut reader = Reader {
        json,
        pictures: builder.pictures.len(),
        tally,
    };
    let materials = json["materials"].as_array().into_iter().flatten();
    for (i, m) in materials.enumerate() {
        let material = reader.material(m, i);
        builder.materials.push(material);
    }
    // The format's own default is white metal; who gave no material means a plain surface.
    builder.materials.push(Material::default());
}
