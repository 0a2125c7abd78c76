//! OBJ scenes with MTL materials.

use super::{ImportOptions, Imported, Read, corner_colour, near, read_beside};
use crate::error::TraceError;
use crate::material::{Alpha, Coat, Material, Sheen, Volume};
use crate::scene::{MAX_TRIANGLES, MeshPart, SceneBuilder};
use crate::texture::Texture;
use dome_files::FileError;
use dome_files::budget;
use dome_files::contain::contain;
use dome_files::decode::{Raster, Texels, decode_texture, read_light};
use dome_files::error::display_name;
use std::collections::HashMap;
use std::io::Cursor;
use std::path::Path;

pub(super) fn load(path: &Path, import: &ImportOptions) -> Result<Imported, TraceError> {
    let name = display_name(path);
    let length = std::fs::metadata(path)
        .map_err(FileError::io("Reading", path))?
        .len();
    // The text, and what the library makes of it: about six times as much.
    let _memory = budget::claim(7 * length, &name)?;
    contain(&name, || read(path, &name, import))?
}

fn read(path: &Path, name: &str, import: &ImportOptions) -> Result<Imported, TraceError> {
    let bytes = std::fs::read(path).map_err(FileError::io("Reading", path))?;
    let folder = path.parent().unwrap_or(Path::new("."));
    if bytes.is_empty() {
        return Err(TraceError::damaged(name, "the file is empty"));
    }
    let text = named_materials(text_of(bytes));
    let mut notices = Vec::new();
    // The library calls for materials through a shared reference.
    let missing = std::cell::RefCell::new(Vec::new());
    let options = tobj::LoadOptions {
        triangulate: true,
        single_index: true,
        ignore_points: true,
        ignore_lines: true,
    };
    let (models, materials) = tobj::load_obj_buf(&mut Cursor::new(&text), &options, |library| {
        let file = library.to_string_lossy().replace('\\', "/");
        let grey = |e: String| {
            missing
                .borrow_mut()
                .push(format!("{e} Its materials are grey."));
            Ok((Vec::new(), Default::default()))
        };
        match read_beside(folder, &file, name) {
            Ok((mtl, _memory)) => {
                let text = with_all_numbers(&text_of(mtl));
                let read = contain(&file, || tobj::load_mtl_buf(&mut Cursor::new(text)));
                match read {
                    Ok(Ok(read)) => Ok(read),
                    Ok(Err(e)) => grey(format!(
                        "The materials {file} of {name} make no sense: {e}."
                    )),
                    Err(e) => grey(e.to_string()),
                }
            }
            Err(e) => grey(e.to_string()),
        }
    })
    .map_err(|e| {
        let place = wrong_line(&text).map_or_else(String::new, |n| format!(" in line {n}"));
        TraceError::damaged(name, format!("it makes no sense as OBJ{place}: {e}"))
    })?;
    drop(text);
    notices.append(&mut missing.into_inner());
    let materials = materials.unwrap_or_else(|e| {
        notices.push(format!(
            "Its materials could not be read ({e}); they are grey."
        ));
        Vec::new()
    });

    let mut builder = SceneBuilder::default();
    let mut converter = Converter {
        folder,
        name,
        builder: &mut builder,
        pictures: HashMap::new(),
        notices: &mut notices,
    };
    for m in &materials {
        let material = converter.material(m);
        converter.builder.materials.push(material);
    }
    // Colours of corners are the surface's own where nothing else is told: matt white lets them through, as in PLY.
    let coloured = builder.materials.len();
    if models.iter().any(|m| !m.mesh.vertex_color.is_empty()) {
        builder.materials.push(Material {
            name: "corner colours".into(),
            base_colour: [1.0; 3],
            ..Material::default()
        });
    }
    let default = builder.materials.len();
    builder.materials.push(Material::default());

    for model in &models {
        let mesh = &model.mesh;
        if mesh.indices.is_empty() {
            continue;
        }
        if builder.triangle_count() + mesh.indices.len() / 3 > MAX_TRIANGLES {
            return Err(TraceError::unsupported(
                name,
                format!("it has more than {MAX_TRIANGLES} triangles; simplify it"),
            ));
        }
        let count = mesh.positions.len() / 3;
        if mesh.indices.iter().any(|&i| i as usize >= count) {
            return Err(TraceError::damaged(
                name,
                format!("\"{}\" uses a corner that is not there", model.name),
            ));
        }
        builder.start_object(if model.name.is_empty() {
            "object"
        } else {
            &model.name
        });
        let (positions, place) = near(mesh.positions.as_chunks().0);
        let part = MeshPart {
            positions,
            normals: single(&mesh.normals),
            // OBJ counts texture rows from the bottom.
            uvs: mesh
                .texcoords
                .as_chunks()
                .0
                .iter()
                .map(|&[u, v]| [u as f32, (1.0 - v) as f32])
                .collect(),
            colours: mesh
                .vertex_color
                .as_chunks()
                .0
                .iter()
                .map(|&[r, g, b]| corner_colour([r as f32, g as f32, b as f32, 1.0]))
                .collect(),
            triangles: mesh.indices.as_chunks().0.to_vec(),
            material: match mesh.material_id.filter(|&i| i < coloured) {
                Some(told) => told,
                None if mesh.vertex_color.is_empty() => default,
                None => coloured,
            } as u32,
            ..MeshPart::default()
        };
        builder.add_own(part, place);
    }
    drop(models);
    let read = Read {
        builder,
        format: "OBJ with MTL",
        notices,
        ..Read::default()
    };
    read.finish(import, name)
}

/// Directions in single precision.
fn single(values: &[f64]) -> Vec<[f32; 3]> {
    let triples = values.as_chunks::<3>().0.iter();
    triples.map(|v| v.map(|x| x as f32)).collect()
}

/// Reads materials with the pictures they share.
struct Converter<'a> {
    folder: &'a Path,
    name: &'a str,
    builder: &'a mut SceneBuilder,
    pictures: HashMap<String, Option<u32>>,
    notices: &'a mut Vec<String>,
}

impl Converter<'_> {
    /// The texture of a map line; options before the file's name are passed over.
    fn texture(&mut self, line: Option<&str>) -> Option<Texture> {
        let file = map_file(line?).replace('\\', "/");
        if file.is_empty() {
            return None;
        }
        if let Some(known) = self.pictures.get(&file) {
            return known.map(Texture::plain);
        }
        let light = [".exr", ".hdr"]
            .iter()
            .any(|e| file.to_ascii_lowercase().ends_with(e));
        let decoded = read_beside(self.folder, &file, self.name).and_then(|(bytes, _memory)| {
            let label = format!("Picture \"{file}\" of {}", self.name);
            // It is there and within the folder.
            Ok(match light {
                true => read_light(&self.folder.join(&file))?,
                false => decode_texture(&bytes, &label)?,
            })
        });
        let picture = match decoded {
            Ok(picture) => {
                self.builder.pictures.push(picture);
                Some(self.builder.pictures.len() as u32 - 1)
            }
            Err(e) => {
                self.notices
                    .push(format!("{e} The plain colour is used instead."));
                None
            }
        };
        self.pictures.insert(file, picture);
        picture.map(Texture::plain)
    }

    /// Roughness and metal, which MTL keeps in pictures of their own, as one picture in glTF's way:
    /// roughness in green, metal in blue. A missing one is white, so that its number alone counts.
    fn together(
        &mut self,
        roughness: Option<Texture>,
        metallic: Option<Texture>,
    ) -> Option<Texture> {
        let first = roughness.or(metallic)?;
        let pictures = &self.builder.pictures;
        let (width, height) = {
            let p = &pictures[first.picture as usize];
            (p.width, p.height)
        };
        let value = |t: &Option<Texture>, x: u32, y: u32| {
            t.map_or(u16::MAX, |t| {
                let p = &pictures[t.picture as usize];
                // Of two sizes the first counts; the other is taken at its nearest texels.
                let column = u64::from(x) * u64::from(p.width) / u64::from(width);
                let row = u64::from(y) * u64::from(p.height) / u64::from(height);
                let at = ((row * u64::from(p.width) + column) * 4) as usize;
                match &p.texels {
                    Texels::Byte(v) => u16::from(v[at]) * 257,
                    Texels::Word(v) => v[at],
                    Texels::Float(v) => (v[at].clamp(0.0, 1.0) * 65535.0 + 0.5) as u16,
                }
            })
        };
        let bytes = (0..height)
            .flat_map(|y| (0..width).map(move |x| (x, y)))
            .flat_map(|(x, y)| [0, value(&roughness, x, y), value(&metallic, x, y), u16::MAX])
            .collect();
        let label = format!("Roughness and metal of {}", self.name);
        match Raster::new(width, height, Texels::Word(bytes), &label) {
            Ok(picture) => self.builder.pictures.push(picture),
            Err(e) => {
                self.notices
                    .push(format!("{e} The plain numbers are used instead."));
                return None;
            }
        }
        Some(Texture::plain(self.builder.pictures.len() as u32 - 1))
    }

    fn material(&mut self, m: &tobj::Material) -> Material {
        let other = |key: &str| m.unknown_param.get(key).map(String::as_str);
        let numbers = |key: &str| -> Vec<f32> {
            other(key)
                .into_iter()
                .flat_map(str::split_whitespace)
                .filter_map(|w| w.parse().ok())
                .filter(|v: &f32| v.is_finite())
                .collect()
        };
        let number = |key: &str| numbers(key).first().copied();
        let colour = |key: &str| <[f32; 3]>::try_from(numbers(key)).ok();
        let sound = |c: [f32; 3]| c.iter().all(|x| x.is_finite() && *x >= 0.0).then_some(c);

        let base_texture = self.texture(m.diffuse_texture.as_deref());
        let opacity_texture = self.texture(m.dissolve_texture.as_deref().or(other("map_d")));
        // The library reads all numbers in double precision, which places far from the origin need.
        let single = |c: [f64; 3]| c.map(|v| v as f32);
        let opacity = (m.dissolve.map(|d| d as f32))
            .or(number("Tr").map(|t| 1.0 - t))
            .map_or(1.0, |d| d.clamp(0.0, 1.0));
        // Models 4, 6, 7 and 9 of the format are glass; 4 and 9 without bending the light.
        let glass =
            matches!(m.illumination_model, Some(4 | 6 | 7 | 9)) && opacity_texture.is_none();
        let bends = matches!(m.illumination_model, Some(6 | 7));
        let filter = colour("Tf").filter(|_| glass).and_then(sound);
        // Phong's exponent as roughness: alpha^2 = 2 / (n + 2) (Walter et al. 2007), alpha = roughness^2.
        let from_shininess = (m.shininess).map(|n| (2.0 / (n.max(0.0) + 2.0)).powf(0.25) as f32);
        let roughness_texture = self.texture(other("map_Pr"));
        let metallic_texture = self.texture(other("map_Pm"));
        let metallic_roughness_texture = self.together(roughness_texture, metallic_texture);
        let roughness = number("Pr").or(from_shininess);
        let emission = (m.emissive.map(single)).or(colour("Ke")).and_then(sound);
        let emission_texture = self.texture(other("map_Ke"));
        let base = (m.diffuse.map(single)).and_then(sound).unwrap_or([0.5; 3]);
        let normal = other("norm").or(other("map_Kn")).map(str::to_owned);
        let coat = number("Pc").filter(|&v| v > 0.0);
        let sheen = number("Ps").filter(|&v| v > 0.0);
        Material {
            name: m.name.clone(),
            // Exporters write Kd 0 or 1 beside a picture; the standard multiplies, and black would hide it.
            base_colour: match filter {
                Some(filter) => filter,
                None if glass => [1.0; 3],
                None if base_texture.is_some() && base == [0.0; 3] => [1.0; 3],
                None => base,
            },
            base_texture,
            opacity: if glass { 1.0 } else { opacity },
            alpha: if (opacity < 1.0 && !glass) || opacity_texture.is_some() {
                Alpha::Blend
            } else {
                Alpha::Opaque
            },
            opacity_texture,
            // A picture without a number beside it is meant as it is.
            metallic: number("Pm").unwrap_or(if metallic_texture.is_some() { 1.0 } else { 0.0 }),
            roughness: match roughness {
                _ if glass => 0.0,
                _ if roughness_texture.is_some() => number("Pr").unwrap_or(1.0),
                Some(r) => r,
                None => 1.0,
            },
            metallic_roughness_texture,
            specular: if m.specular == Some([0.0; 3]) {
                0.0
            } else {
                1.0
            },
            ior: (m.optical_density.filter(|n| *n >= 1.0)).map_or(1.5, |n| n as f32),
            transmission: if glass { 1.0 } else { 0.0 },
            volume: bends.then_some(Volume {
                colour: [1.0; 3],
                distance: f32::INFINITY,
            }),
            normal_texture: self.texture(normal.as_deref()).map(|t| (t, 1.0)),
            coat: coat.map(|weight| Coat {
                weight: weight.min(1.0),
                weight_texture: None,
                roughness: number("Pcr").unwrap_or(0.0),
                roughness_texture: None,
                normal_texture: None,
            }),
            sheen: sheen.map(|v| Sheen {
                colour: [v.min(1.0); 3],
                colour_texture: None,
                roughness: 0.5,
                roughness_texture: None,
            }),
            // A picture of light without a colour is meant as it is.
            emission: match emission {
                Some(e) if e != [0.0; 3] => e,
                _ if emission_texture.is_some() => [1.0; 3],
                _ => [0.0; 3],
            },
            emission_texture,
            ..Material::default()
        }
    }
}

/// The file's name in a map line: what is left after options such as `-s 1 1 1`.
fn map_file(line: &str) -> String {
    let mut words = line.split_whitespace().peekable();
    while let Some(option) = words.next_if(|w| w.starts_with('-') && w.len() > 1) {
        let most = match option {
            "-o" | "-s" | "-t" => 3,
            "-mm" => 2,
            _ => 1,
        };
        for i in 0..most {
            // Options of up to three numbers may have fewer.
            let number = |w: &&str| w.parse::<f32>().is_ok();
            if most == 3 && i > 0 && !words.peek().is_some_and(number) {
                break;
            }
            words.next();
        }
    }
    words.collect::<Vec<_>>().join(" ")
}

/// A library of materials without the lines that lack their numbers, which the reading library takes amiss.
fn with_all_numbers(text: &str) -> String {
    let whole = |line: &&str| {
        let mut words = line.split_whitespace();
        let least = match words.next() {
            Some("Kd" | "Ka" | "Ks" | "Ke") => 3,
            Some("Ns" | "Ni" | "d" | "Tr" | "illum") => 1,
            _ => return true,
        };
        words.filter(|w| w.parse::<f32>().is_ok()).count() >= least
    };
    let lines: Vec<&str> = text.lines().filter(whole).collect();
    lines.join("\n")
}

/// The text without uses of a material that has no name, which the reading library refuses.
fn named_materials(text: String) -> String {
    let nameless = |l: &str| l.trim() == "usemtl";
    if text.lines().any(nameless) {
        let lines: Vec<&str> = text.lines().filter(|l| !nameless(l)).collect();
        lines.join("\n")
    } else {
        text
    }
}

/// The first line whose numbers are none, counted from 1.
fn wrong_line(text: &str) -> Option<usize> {
    let wrong = |line: &str| {
        let mut words = line.split_whitespace();
        matches!(words.next(), Some("v" | "vn" | "vt")) && words.any(|w| w.parse::<f32>().is_err())
    };
    text.lines().position(wrong).map(|i| i + 1)
}

/// The text of a file: UTF-8, or UTF-16 with its mark; what is neither is taken as Latin-1.
fn text_of(bytes: Vec<u8>) -> String {
    let wide = |of: fn([u8; 2]) -> u16| {
        let units: Vec<u16> = bytes[2..]
            .as_chunks::<2>()
            .0
            .iter()
            .map(|b| of(*b))
            .collect();
        String::from_utf16_lossy(&units)
    };
    if bytes.starts_with(&[0xff, 0xfe]) {
        wide(u16::from_le_bytes)
    } else if bytes.starts_with(&[0xfe, 0xff]) {
        wide(u16::from_be_bytes)
    } else {
        let body = bytes.strip_prefix(&[0xef, 0xbb, 0xbf]).unwrap_or(&bytes);
        match std::str::from_utf8(body) {
            Ok(text) => text.to_owned(),
            Err(_) => body.iter().map(|&b| char::from(b)).collect(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn map_lines_give_their_files() {
        assert_eq!(map_file("wood.png"), "wood.png");
        assert_eq!(
            map_file("-s 2 2 1 -clamp on oak floor.jpg"),
            "oak floor.jpg"
        );
        assert_eq!(map_file("-bm 0.5 bumps.png"), "bumps.png");
        assert_eq!(map_file("-o 0.5 a.png"), "a.png");
        assert_eq!(map_file("  "), "");
    }

    #[test]
    fn wrong_numbers_are_found() {
        assert_eq!(wrong_line("v 1 2 3\n# v x\nv 1 +2. 3.1+e2\n"), Some(3));
        assert_eq!(named_materials("usemtl\nf 1 2 3".into()), "f 1 2 3");
    }

    #[test]
    fn texts_of_any_coding_are_read() {
        let wide: Vec<u8> = [0xfffe_u16.swap_bytes(), u16::from(b'v')]
            .iter()
            .flat_map(|u| u.to_le_bytes())
            .collect();
        assert_eq!(text_of(wide), "v");
        assert_eq!(text_of(vec![0xef, 0xbb, 0xbf, b'v']), "v");
        assert_eq!(text_of(vec![b'K', 0xe4]), "K\u{e4}");
    }
}
