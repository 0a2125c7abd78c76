//! Materials and textures of a glTF scene.

use super::gltf_buffers;
use super::report::Tally;
use crate::error::TraceError;
use crate::scene::{Material, SceneBuilder, Texture, Wrap};
use dome_files::decode::{Rgba8, decode_rgba8};
use gltf::texture::WrappingMode;
use rayon::prelude::*;
use std::path::Path;

const LATER: &str = "this version does not render it yet";

/// All pictures of a document, decoded; one that cannot be read becomes plain white and is told.
pub(super) fn load_pictures(
    document: &gltf::Document,
    buffers: &[Vec<u8>],
    folder: &Path,
    name: &str,
    notices: &mut Vec<String>,
) -> Result<Vec<Rgba8>, TraceError> {
    let images: Vec<_> = document.images().collect();
    let decoded: Vec<Result<Rgba8, TraceError>> = images
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
                    Ok(decode_rgba8(bytes, &label)?)
                }
                gltf::image::Source::Uri { uri, .. } => Ok(decode_rgba8(
                    &gltf_buffers::resolve(uri, folder, name)?,
                    &label,
                )?),
            }
        })
        .collect();
    Ok(decoded
        .into_iter()
        .map(|picture| {
            picture.unwrap_or_else(|e| {
                notices.push(format!("{e} White is used instead."));
                Rgba8 {
                    width: 1,
                    height: 1,
                    bytes: vec![255; 4],
                }
            })
        })
        .collect())
}

fn wrap(mode: WrappingMode) -> Wrap {
    match mode {
        WrappingMode::ClampToEdge => Wrap::Clamp,
        WrappingMode::MirroredRepeat => Wrap::Mirror,
        WrappingMode::Repeat => Wrap::Repeat,
    }
}

fn texture(info: &gltf::texture::Info, tally: &mut Tally) -> Option<Texture> {
    let sampler = info.texture().sampler();
    let mut set = info.tex_coord();
    let mut out = Texture {
        wrap: (wrap(sampler.wrap_s()), wrap(sampler.wrap_t())),
        ..Texture::plain(info.texture().source().index() as u32)
    };
    if let Some(t) = info.texture_transform() {
        // KHR_texture_transform: scaled, then turned counter-clockwise (v is down), then moved.
        let (sin, cos) = t.rotation().sin_cos();
        let [sx, sy] = t.scale();
        out.scale_turn = [cos * sx, sin * sy, -sin * sx, cos * sy];
        out.offset = t.offset();
        set = t.tex_coord().unwrap_or(set);
    }
    if set != 0 {
        tally.add(
            "texture on a second set of coordinates",
            "only the first set is used yet; the plain colour is shown",
        );
        return None;
    }
    Some(out)
}

/// All materials of a document, with a plain default one at the end.
pub(super) fn load_materials(
    document: &gltf::Document,
    builder: &mut SceneBuilder,
    tally: &mut Tally,
) {
    for m in document.materials() {
        let pbr = m.pbr_metallic_roughness();
        let [r, g, b, alpha] = pbr.base_color_factor();
        if m.alpha_mode() != gltf::material::AlphaMode::Opaque {
            tally.add(
                "see-through material",
                "alpha is not rendered yet; it is shown solid",
            );
        } else if alpha < 1.0 {
            tally.add(
                "alpha below 1 on a solid material",
                "the standard wants it ignored",
            );
        }
        if m.normal_texture().is_some() {
            tally.add("normal picture", LATER);
        }
        if m.occlusion_texture().is_some() {
            tally.add(
                "occlusion picture",
                "a path tracer finds the real occlusion itself",
            );
        }
        let strength = m.emissive_strength().unwrap_or(1.0);
        builder.materials.push(Material {
            name: m.name().map_or_else(
                || format!("material {}", m.index().unwrap_or(0)),
                str::to_owned,
            ),
            base_colour: [r, g, b],
            base_texture: pbr.base_color_texture().and_then(|t| texture(&t, tally)),
            metallic: pbr.metallic_factor(),
            roughness: pbr.roughness_factor(),
            metallic_roughness_texture: pbr
                .metallic_roughness_texture()
                .and_then(|t| texture(&t, tally)),
            specular: m.specular().map_or(1.0, |s| s.specular_factor()),
            ior: m.ior().unwrap_or(1.5),
            emission: m.emissive_factor().map(|e| e * strength),
            emission_texture: m.emissive_texture().and_then(|t| texture(&t, tally)),
        });
    }
    builder.materials.push(Material::default());
}
