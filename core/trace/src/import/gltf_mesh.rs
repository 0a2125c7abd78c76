//! Meshes of a glTF scene: corners, colours, morph targets and skins.

use super::MAX_TRIANGLES;
use super::gltf_buffers::{ANY_NUMBER, is_kind, vectors_of, whole};
use super::report::Tally;
use crate::error::TraceError;
use crate::scene::{Mesh, MeshPart, Morph, Part};
use dome_files::budget::{self, Claim};
use gltf::accessor::{DataType, Dimensions};
use gltf::mesh::Mode;
use gltf::{Accessor, Semantic};

/// All meshes of a document.
pub(super) fn load_meshes(
    document: &gltf::Document,
    buffers: &[Vec<u8>],
    name: &str,
    tally: &mut Tally,
) -> Result<(Vec<Mesh>, Claim), TraceError> {
    let mut memory = Claim::default();
    let mut count = 0;
    let meshes: Result<Vec<Mesh>, TraceError> = document
        .meshes()
        .map(|mesh| {
            let label = format!(
                "mesh {}",
                mesh.name()
                    .map_or_else(|| mesh.index().to_string(), |n| format!("\"{n}\""))
            );
            let mut reader = Reader {
                document,
                buffers,
                label,
                name,
                tally,
            };
            let mut parts = Vec::new();
            for primitive in mesh.primitives() {
                // What it may take while it is read, and then what it does.
                let mut own = budget::claim(most_bytes(&primitive), name)?;
                let Some(part) = reader.part(&primitive)? else {
                    continue;
                };
                own.shrink_to(part.bytes());
                memory.join(own);
                count += part.plain.triangles.len();
                if count > MAX_TRIANGLES {
                    return Err(TraceError::unsupported(
                        name,
                        format!("its meshes have more than {MAX_TRIANGLES} triangles; simplify it"),
                    ));
                }
                parts.push(part);
            }
            Ok(Mesh {
                parts,
                weights: mesh.weights().unwrap_or_default().to_vec(),
            })
        })
        .collect();
    Ok((meshes?, memory))
}

/// What reading a primitive takes at most, bytes: its corners with all that they have, twice for what is being read, and its triangles,
/// with the corners that they use looked up.
fn most_bytes(primitive: &gltf::Primitive) -> u64 {
    let count = |a: Option<Accessor>| a.map_or(0, |a| a.count() as u64);
    let corners = count(primitive.get(&Semantic::Positions));
    let indices = primitive.indices().map_or(corners, |a| a.count() as u64);
    // Those that no triangle uses are left out.
    let corners = corners.min(indices);
    let each = 12
        + primitive.attributes().count() as u64 * 16
        + primitive.morph_targets().count() as u64 * 36;
    let triangles = match primitive.mode() {
        Mode::TriangleStrip | Mode::TriangleFan => indices,
        _ => indices / 3,
    };
    (2 * each)
        .saturating_mul(corners)
        .saturating_add(8 * indices + 12 * triangles)
}

/// Which corners of a mesh its triangles use, where that is fewer than there are; `indices` are made to count those. One
/// accessor may hold the corners of a thousand meshes.
fn used_corners(indices: &mut [u32], count: usize) -> Option<Vec<u32>> {
    if indices.len() >= count {
        return None;
    }
    let mut used = indices.to_vec();
    used.sort_unstable();
    used.dedup();
    for i in indices {
        *i = used.binary_search(i).unwrap_or_default() as u32;
    }
    Some(used)
}

struct Reader<'a> {
    document: &'a gltf::Document,
    buffers: &'a [Vec<u8>],
    label: String,
    name: &'a str,
    tally: &'a mut Tally,
}

impl Reader<'_> {
    fn bad(&self, what: &str) -> TraceError {
        TraceError::damaged(self.name, format!("{} {what}", self.label))
    }

    /// An attribute of the wanted shape with one element for each of `count` corners, or nothing.
    fn attribute<'a>(
        &self,
        primitive: &gltf::Primitive<'a>,
        semantic: &Semantic,
        dimensions: &[Dimensions],
        count: usize,
    ) -> Result<Option<Accessor<'a>>, TraceError> {
        let Some(accessor) = primitive.get(semantic) else {
            return Ok(None);
        };
        if !is_kind(&accessor, dimensions, &ANY_NUMBER) {
            return Err(self.bad(&format!(
                "has {} of a type that is not understood",
                semantic.to_string()
            )));
        }
        if accessor.count() != count {
            return Err(self.bad(&format!(
                "has {} {} for {count} corners",
                accessor.count(),
                semantic.to_string()
            )));
        }
        Ok(Some(accessor))
    }

    fn part(&mut self, primitive: &gltf::Primitive) -> Result<Option<Part>, TraceError> {
        if matches!(
            primitive.mode(),
            Mode::Points | Mode::Lines | Mode::LineLoop | Mode::LineStrip
        ) {
            self.tally
                .add("mesh of points or lines", "they have no surface to render");
            return Ok(None);
        }
        let buffers = self.buffers;
        let three = [Dimensions::Vec3];
        let Some(positions) = primitive.get(&Semantic::Positions) else {
            return Err(self.bad("has no positions"));
        };
        let count = positions.count();
        let Some(positions) = self.attribute(primitive, &Semantic::Positions, &three, count)?
        else {
            return Err(self.bad("has no positions"));
        };
        let normals = self.attribute(primitive, &Semantic::Normals, &three, count)?;
        let tangents =
            self.attribute(primitive, &Semantic::Tangents, &[Dimensions::Vec4], count)?;
        let uvs = |set| {
            self.attribute(
                primitive,
                &Semantic::TexCoords(set),
                &[Dimensions::Vec2],
                count,
            )
        };
        let (uvs, second_uvs) = (uvs(0)?, uvs(1)?);
        let colours = self.attribute(
            primitive,
            &Semantic::Colors(0),
            &[Dimensions::Vec3, Dimensions::Vec4],
            count,
        )?;
        let mut indices: Vec<u32> = match primitive.indices() {
            Some(a) => {
                let kinds = [DataType::U8, DataType::U16, DataType::U32];
                if !is_kind(&a, &[Dimensions::Scalar], &kinds) {
                    return Err(self.bad("has indices of a type that is not understood"));
                }
                whole(&a, buffers)
            }
            None => (0..count as u32).collect(),
        };
        if let Some(&i) = indices.iter().find(|&&i| i as usize >= count) {
            return Err(self.bad(&format!("uses corner {i} of {count}")));
        }
        let used = used_corners(&mut indices, count);
        let only = used.as_deref();
        let mut joints = vec![([0; 4], [0.0; 4]); 0];
        for set in 0..2 {
            let four = [Dimensions::Vec4];
            let j = self.attribute(primitive, &Semantic::Joints(set), &four, count)?;
            let w = self.attribute(primitive, &Semantic::Weights(set), &four, count)?;
            if let (Some(j), Some(w)) = (j, w) {
                let whole = vectors_of::<4>(&j, buffers, 0.0, only);
                let weights = vectors_of::<4>(&w, buffers, 0.0, only);
                joints.extend(whole.into_iter().map(|j| j.map(|v| v as u32)).zip(weights));
            }
        }
        let mut morphs = Vec::new();
        for target in primitive.morph_targets() {
            let moves = |accessor: Option<Accessor>| match accessor {
                Some(a) if is_kind(&a, &three, &ANY_NUMBER) && a.count() == count => {
                    Ok(vectors_of::<3>(&a, buffers, 0.0, only))
                }
                Some(_) => Err(self.bad("has a morph target that does not fit it")),
                None => Ok(Vec::new()),
            };
            morphs.push(Morph {
                positions: moves(target.positions())?,
                normals: moves(target.normals())?,
                tangents: moves(target.tangents())?,
            });
        }
        let read3 =
            |a: Option<Accessor>| a.map_or_else(Vec::new, |a| vectors_of(&a, buffers, 0.0, only));
        let read2 =
            |a: Option<Accessor>| a.map_or_else(Vec::new, |a| vectors_of(&a, buffers, 0.0, only));
        // The last material is the plain one for parts that name none.
        let default = self.document.materials().len();
        Ok(Some(Part {
            plain: MeshPart {
                positions: vectors_of(&positions, buffers, 0.0, only),
                normals: read3(normals),
                uvs: read2(uvs),
                second_uvs: read2(second_uvs),
                colours: colours.map_or_else(Vec::new, |a| vectors_of(&a, buffers, 1.0, only)),
                tangents: tangents.map_or_else(Vec::new, |a| vectors_of(&a, buffers, 1.0, only)),
                triangles: triangles(primitive.mode(), &indices),
                material: primitive.material().index().unwrap_or(default) as u32,
            },
            morphs,
            joints,
        }))
    }
}

/// Corners of the triangles that a list of corners stands for.
fn triangles(mode: Mode, indices: &[u32]) -> Vec<[u32; 3]> {
    match mode {
        Mode::TriangleStrip => indices
            .windows(3)
            .enumerate()
            .map(|(i, w)| {
                if i % 2 == 0 {
                    [w[0], w[1], w[2]]
                } else {
                    [w[1], w[0], w[2]]
                }
            })
            .collect(),
        Mode::TriangleFan => indices
            .windows(2)
            .skip(1)
            .map(|w| [indices[0], w[0], w[1]])
            .collect(),
        _ => indices
            .chunks_exact(3)
            .map(|c| [c[0], c[1], c[2]])
            .collect(),
    }
}
