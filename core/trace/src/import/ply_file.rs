//! PLY: scanned and simulated surfaces, with the colours of their corners.

use super::report::{LeftOut, Tally};
use super::{ImportOptions, Imported, Read, corner_colour, near};
use crate::error::TraceError;
use crate::material::Material;
use crate::scene::{MAX_TRIANGLES, MeshPart, SceneBuilder};
use dome_files::FileError;
use dome_files::budget;
use dome_files::contain::contain;
use dome_files::error::display_name;
use ply_rs_bw::parser::{Parser, Reader};
use ply_rs_bw::ply::{Property, PropertyAccess, PropertyAccessResult, PropertyType};
use std::io::Cursor;
use std::path::Path;

/// A corner as the file has it.
struct Corner {
    position: [f64; 3],
    normal: [f32; 3],
    uv: [f32; 2],
    colour: [u8; 4],
}

impl PropertyAccess for Corner {
    fn new() -> Self {
        Self {
            position: [0.0; 3],
            normal: [0.0; 3],
            uv: [0.0; 2],
            colour: [255; 4],
        }
    }

    fn set_property(&mut self, name: &str, property: Property) -> PropertyAccessResult {
        let number = property.to_f32_lossy();
        if let Some(axis) = ["x", "y", "z"].iter().position(|a| *a == name) {
            // Surveys are kept in double precision.
            let place = match property {
                Property::Double(v) => Some(v),
                _ => number.map(f64::from),
            };
            return match place {
                Some(v) => {
                    self.position[axis] = v;
                    PropertyAccessResult::Set
                }
                None => PropertyAccessResult::UnsupportedType,
            };
        }
        let slot = match name {
            "nx" => &mut self.normal[0],
            "ny" => &mut self.normal[1],
            "nz" => &mut self.normal[2],
            "u" | "s" | "texture_u" => &mut self.uv[0],
            "v" | "t" | "texture_v" => &mut self.uv[1],
            _ => {
                let channel = match name {
                    "red" | "diffuse_red" | "r" => 0,
                    "green" | "diffuse_green" | "g" => 1,
                    "blue" | "diffuse_blue" | "b" => 2,
                    "alpha" | "a" => 3,
                    _ => return PropertyAccessResult::Ignored,
                };
                return match property.to_u8_color_lossy() {
                    Some(v) => {
                        self.colour[channel] = v;
                        PropertyAccessResult::Set
                    }
                    None => PropertyAccessResult::UnsupportedType,
                };
            }
        };
        match number {
            Some(v) => {
                *slot = v;
                PropertyAccessResult::Set
            }
            None => PropertyAccessResult::UnsupportedType,
        }
    }
}

/// A face as the file has it.
struct Face(Vec<u32>);

impl PropertyAccess for Face {
    fn new() -> Self {
        Self(Vec::new())
    }

    fn set_property(&mut self, name: &str, property: Property) -> PropertyAccessResult {
        if !matches!(name, "vertex_index" | "vertex_indices") {
            return PropertyAccessResult::Ignored;
        }
        match property.to_u32_list() {
            Some(list) => {
                self.0 = list;
                PropertyAccessResult::Set
            }
            None => PropertyAccessResult::UnsupportedType,
        }
    }
}

/// Anything else, which is passed over.
struct Other;

impl PropertyAccess for Other {
    fn new() -> Self {
        Self
    }
}

pub(super) fn load(path: &Path, options: &ImportOptions) -> Result<Imported, TraceError> {
    let name = display_name(path);
    let length = std::fs::metadata(path)
        .map_err(FileError::io("Reading", path))?
        .len();
    let _memory = budget::claim(length, &name)?;
    let bytes = std::fs::read(path).map_err(FileError::io("Reading", path))?;
    if bytes.is_empty() {
        return Err(TraceError::damaged(&name, "the file is empty"));
    }
    let bytes = known_lines(bytes);
    contain(&name, || read(&bytes, &name, options))?
}

/// The file without header lines that the format does not know: comments that were broken into lines.
fn known_lines(bytes: Vec<u8>) -> Vec<u8> {
    const KNOWN: [&[u8]; 7] = [
        b"ply",
        b"format",
        b"comment",
        b"obj_info",
        b"element",
        b"property",
        b"end_header",
    ];
    let mut header = Vec::new();
    let mut at = 0;
    let mut dropped = false;
    while at < bytes.len() {
        let end = bytes[at..]
            .iter()
            .position(|b| *b == b'\n')
            .map_or(bytes.len(), |n| at + n + 1);
        let line = &bytes[at..end];
        let word = line
            .split(|b| b.is_ascii_whitespace())
            .next()
            .unwrap_or_default();
        if KNOWN.contains(&word) {
            header.extend_from_slice(line);
        } else {
            dropped = true;
        }
        at = end;
        if word == b"end_header" {
            break;
        }
    }
    if !dropped {
        return bytes;
    }
    header.extend_from_slice(&bytes[at..]);
    header
}

fn read(bytes: &[u8], name: &str, options: &ImportOptions) -> Result<Imported, TraceError> {
    let bad = |e: &dyn std::fmt::Display| {
        TraceError::damaged(name, format!("it makes no sense as PLY: {e}"))
    };
    let mut reader = Reader::new(Cursor::new(bytes));
    let header = Parser::<Other>::new()
        .read_header(&mut reader)
        .map_err(|e| bad(&e))?;
    let (mut corners, mut faces) = (Vec::new(), Vec::new());
    let mut tally = Tally::default();
    let (mut coloured, mut shaded, mut mapped) = (false, false, false);
    let mut memory = budget::Claim::default();
    for (_, element) in &header.elements {
        // Every element takes a byte at least: what tells more lies.
        if element.count > bytes.len() {
            return Err(bad(&format!(
                "it tells {} of \"{}\" and has {} bytes",
                element.count,
                element.name,
                bytes.len()
            )));
        }
        let has = |p: &str| {
            element
                .properties
                .iter()
                .any(|(name, _)| name.as_str() == p)
        };
        match element.name.as_str() {
            "vertex" => {
                coloured = has("red") || has("diffuse_red") || has("r");
                shaded = has("nx");
                mapped = ["u", "s", "texture_u"].iter().any(|p| has(p));
                memory.grow(2 * (element.count * size_of::<Corner>()) as u64, name)?;
                corners = Parser::<Corner>::new()
                    .read_payload_for_element(&mut reader, element, &header)
                    .map_err(|e| bad(&e))?;
            }
            "face" => {
                let listed = element
                    .properties
                    .iter()
                    .any(|(_, p)| matches!(p.data_type, PropertyType::List(..)));
                if listed && element.count > MAX_TRIANGLES {
                    return Err(TraceError::unsupported(
                        name,
                        format!("it has more than {MAX_TRIANGLES} triangles; simplify it"),
                    ));
                }
                memory.grow(4 * (element.count * size_of::<Face>()) as u64, name)?;
                faces = Parser::<Face>::new()
                    .read_payload_for_element(&mut reader, element, &header)
                    .map_err(|e| bad(&e))?;
            }
            other => {
                tally.add_named(
                    format!("element \"{other}\""),
                    "only corners and faces are shown",
                );
                Parser::<Other>::new()
                    .read_payload_for_element(&mut reader, element, &header)
                    .map_err(|e| bad(&e))?;
            }
        }
    }
    let count = corners.len();
    let mut triangles = Vec::new();
    for Face(list) in &faces {
        if let Some(i) = list.iter().find(|i| **i as usize >= count) {
            return Err(TraceError::damaged(
                name,
                format!("a face uses corner {i} of {count}"),
            ));
        }
        // Faces of more corners are fans, as their writers mean them: convex and flat.
        for pair in list.windows(2).skip(1) {
            triangles.push([list[0], pair[0], pair[1]]);
        }
    }
    if triangles.is_empty() && count > 0 {
        return Err(TraceError::unsupported(
            name,
            "it is a cloud of points without faces; make a surface of it first",
        ));
    }
    let places: Vec<[f64; 3]> = corners.iter().map(|c| c.position).collect();
    let (positions, place) = near(&places);
    drop(places);
    let take = |on: bool| if on { &corners[..] } else { &[] };
    let part = MeshPart {
        positions,
        normals: take(shaded).iter().map(|c| c.normal).collect(),
        // Rows of a texture are counted from the bottom, as in OBJ.
        uvs: take(mapped)
            .iter()
            .map(|c| [c.uv[0], 1.0 - c.uv[1]])
            .collect(),
        colours: take(coloured)
            .iter()
            .map(|c| corner_colour(c.colour.map(|v| f32::from(v) / 255.0)))
            .collect(),
        triangles,
        material: 0,
        ..MeshPart::default()
    };
    let mut builder = SceneBuilder::default();
    // Colours are the surface's own: matt white lets them through.
    builder.materials.push(Material {
        name: if coloured { "corner colours" } else { "plain" }.into(),
        base_colour: if coloured { [1.0; 3] } else { [0.5; 3] },
        ..Material::default()
    });
    builder.materials.push(Material::default());
    let stem = Path::new(name).file_stem().unwrap_or_default();
    builder.start_object(stem.to_string_lossy());
    builder.add_own(part, place);
    let mut read = Read {
        builder,
        format: "PLY",
        tally,
        ..Read::default()
    };
    if coloured {
        read.understood
            .push("colours at the corners, taken as sRGB".into());
    }
    if mapped {
        read.left_out.push(LeftOut {
            what: "texture coordinates".into(),
            why: "PLY tells no picture for them".into(),
        });
    }
    read.finish(options, name)
}
