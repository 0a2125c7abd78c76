//! OBJ scenes with MTL materials.

use super::report::{self, Tally};
use super::{Imported, MAX_TRIANGLES, read_beside};
use crate::error::TraceError;
use crate::scene::{Material, MeshPart, SceneBuilder, Texture};
use crate::sky::Sky;
use dome_files::FileError;
use dome_files::decode::decode_rgba8;
use dome_files::error::display_name;
use glam::Mat4;
use std::collections::HashMap;
use std::io::Cursor;
use std::path::Path;

pub(super) fn load(path: &Path) -> Result<Imported, TraceError> {
    let name = display_name(path);
    let bytes = std::fs::read(path).map_err(FileError::io("Reading", path))?;
    let folder = path.parent().unwrap_or(Path::new("."));
    if bytes.is_empty() {
        return Err(TraceError::damaged(&name, "the file is empty"));
    }
    let mut notices = Vec::new();
    // The library calls for materials through a shared reference.
    let missing = std::cell::RefCell::new(Vec::new());
    let options = tobj::LoadOptions {
        triangulate: true,
        single_index: true,
        ignore_points: true,
        ignore_lines: true,
    };
    let (models, materials) =
        tobj::load_obj_buf(
            &mut Cursor::new(&bytes),
            &options,
            |library| match read_beside(
                folder,
                &library.to_string_lossy().replace('\\', "/"),
                &name,
            ) {
                Ok(mtl) => tobj::load_mtl_buf(&mut Cursor::new(mtl)),
                Err(e) => {
                    missing
                        .borrow_mut()
                        .push(format!("{e} Its materials are grey."));
                    Ok((Vec::new(), Default::default()))
                }
            },
        )
        .map_err(|e| TraceError::damaged(&name, format!("its lines make no sense as OBJ: {e}")))?;
    notices.append(&mut missing.into_inner());
    let materials = materials.unwrap_or_else(|e| {
        notices.push(format!(
            "Its materials could not be read ({e}); they are grey."
        ));
        Vec::new()
    });

    let mut builder = SceneBuilder::default();
    let mut tally = Tally::default();
    let mut textures = HashMap::new();
    for m in &materials {
        let material = convert(
            m,
            folder,
            &name,
            &mut builder,
            &mut textures,
            &mut notices,
            &mut tally,
        );
        builder.materials.push(material);
    }
    builder.materials.push(Material::default());
    let default = materials.len();

    for model in &models {
        let mesh = &model.mesh;
        if mesh.indices.is_empty() {
            continue;
        }
        if builder.triangle_count() + mesh.indices.len() / 3 > MAX_TRIANGLES {
            return Err(TraceError::unsupported(
                &name,
                format!("it has more than {MAX_TRIANGLES} triangles; simplify it"),
            ));
        }
        let count = mesh.positions.len() / 3;
        if mesh.indices.iter().any(|&i| i as usize >= count) {
            return Err(TraceError::damaged(
                &name,
                format!("\"{}\" uses a corner that is not there", model.name),
            ));
        }
        builder.start_object(if model.name.is_empty() {
            "object"
        } else {
            &model.name
        });
        let part = MeshPart {
            positions: mesh.positions.as_chunks().0.to_vec(),
            normals: mesh.normals.as_chunks().0.to_vec(),
            // OBJ counts texture rows from the bottom.
            uvs: mesh
                .texcoords
                .as_chunks()
                .0
                .iter()
                .map(|&[u, v]| [u, 1.0 - v])
                .collect(),
            triangles: mesh.indices.as_chunks().0.to_vec(),
            material: mesh.material_id.filter(|&i| i < default).unwrap_or(default) as u32,
        };
        builder.add_part(&part, &Mat4::IDENTITY);
    }
    let mut report = report::finish("OBJ with MTL", tally, &builder);
    report.notices = notices;
    let scene = builder.build(Sky::default(), &name)?;
    report.judge(&scene);
    Ok(Imported { scene, report })
}

fn convert(
    m: &tobj::Material,
    folder: &Path,
    name: &str,
    builder: &mut SceneBuilder,
    textures: &mut HashMap<String, Option<u32>>,
    notices: &mut Vec<String>,
    tally: &mut Tally,
) -> Material {
    let number = |key: &str| {
        m.unknown_param
            .get(key)
            .and_then(|v| v.trim().parse::<f32>().ok())
            .filter(|v| v.is_finite())
    };
    let emission = m.unknown_param.get("Ke").and_then(|v| {
        let values: Vec<f32> = v
            .split_whitespace()
            .filter_map(|w| w.parse().ok())
            .collect();
        <[f32; 3]>::try_from(values)
            .ok()
            .filter(|e| e.iter().all(|x| x.is_finite() && *x >= 0.0))
    });
    if m.dissolve.is_some_and(|d| d < 1.0) {
        tally.add(
            "see-through material",
            "alpha is not rendered yet; it is shown solid",
        );
    }
    let base_texture = m.diffuse_texture.as_ref().and_then(|reference| {
        let file = reference.trim().replace('\\', "/");
        *textures.entry(file.clone()).or_insert_with(|| {
            let decoded = read_beside(folder, &file, name).and_then(|bytes| {
                Ok(decode_rgba8(
                    &bytes,
                    &format!("Picture \"{file}\" of {name}"),
                )?)
            });
            match decoded {
                Ok(picture) => {
                    builder.pictures.push(picture);
                    Some(builder.pictures.len() as u32 - 1)
                }
                Err(e) => {
                    notices.push(format!("{e} The plain colour is used instead."));
                    None
                }
            }
        })
    });
    // Phong's exponent as roughness: alpha^2 = 2 / (n + 2) (Walter et al. 2007), alpha = roughness^2.
    let from_shininess = m.shininess.map(|n| (2.0 / (n.max(0.0) + 2.0)).powf(0.25));
    let base = m.diffuse.unwrap_or([0.5; 3]);
    Material {
        name: m.name.clone(),
        // Exporters write Kd 0 or 1 beside a picture; the standard multiplies, and black would hide it.
        base_colour: if base_texture.is_some() && base == [0.0; 3] {
            [1.0; 3]
        } else {
            base
        },
        base_texture: base_texture.map(Texture::plain),
        metallic: number("Pm").unwrap_or(0.0),
        roughness: number("Pr").or(from_shininess).unwrap_or(1.0),
        emission: emission.unwrap_or([0.0; 3]),
        ..Material::default()
    }
}
