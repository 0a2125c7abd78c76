//! Meshes as files bring them: in their own space, with what deforms them.

use super::body::cofactor;
use glam::{Mat3, Mat4, Vec3};

/// A mesh in its own space.
#[derive(Clone, Default)]
pub struct MeshPart {
    /// Corner positions.
    pub positions: Vec<[f32; 3]>,
    /// Corner normals, or empty.
    pub normals: Vec<[f32; 3]>,
    /// Texture coordinates, or empty.
    pub uvs: Vec<[f32; 2]>,
    /// Second set of texture coordinates, or empty.
    pub second_uvs: Vec<[f32; 2]>,
    /// Corner colours, scene-linear with alpha, or empty.
    pub colours: Vec<[f32; 4]>,
    /// Corner tangents with the sign of the bitangent, or empty.
    pub tangents: Vec<[f32; 4]>,
    /// Corners of the triangles.
    pub triangles: Vec<[u32; 3]>,
    /// Index of the material.
    pub material: u32,
}

/// Movements of positions, normals and tangents; those that do not move are empty.
#[derive(Clone, Default)]
pub(crate) struct Morph {
    pub(crate) positions: Vec<[f32; 3]>,
    pub(crate) normals: Vec<[f32; 3]>,
    pub(crate) tangents: Vec<[f32; 3]>,
}

/// A piece of a mesh with what deforms it.
#[derive(Clone, Default)]
pub(crate) struct Part {
    pub(crate) plain: MeshPart,
    /// What each morph target moves.
    pub(crate) morphs: Vec<Morph>,
    /// Joints and their weights by corner, four at a time.
    pub(crate) joints: Vec<([u32; 4], [f32; 4])>,
}

/// A mesh.
#[derive(Clone, Default)]
pub(crate) struct Mesh {
    pub(crate) parts: Vec<Part>,
    /// Weights of the morph targets at rest.
    pub(crate) weights: Vec<f32>,
}

impl Mesh {
    /// Number of triangles.
    pub(crate) fn triangles(&self) -> usize {
        self.parts.iter().map(|p| p.plain.triangles.len()).sum()
    }

    /// Number of corners.
    pub(crate) fn corners(&self) -> usize {
        self.parts.iter().map(|p| p.plain.positions.len()).sum()
    }

    /// Whether weights or joints change its shape.
    pub(crate) fn is_pliable(&self, skinned: bool) -> bool {
        (self.parts.iter()).any(|p| !p.morphs.is_empty() || (skinned && !p.joints.is_empty()))
    }
}

impl Part {
    /// Memory that it takes.
    pub(crate) fn bytes(&self) -> u64 {
        let p = &self.plain;
        let corner = 12
            + 12 * usize::from(!p.normals.is_empty())
            + 8 * (usize::from(!p.uvs.is_empty()) + usize::from(!p.second_uvs.is_empty()))
            + 16 * (usize::from(!p.colours.is_empty()) + usize::from(!p.tangents.is_empty()))
            + 36 * self.morphs.len();
        (p.positions.len() * corner + self.joints.len() * 32 + p.triangles.len() * 12) as u64
    }

    /// Whether the part keeps its shape whatever the weights and joints.
    pub(crate) fn is_stiff(&self, weights: &[f32], skinned: bool) -> bool {
        (self.morphs.is_empty() || weights.iter().all(|&w| w == 0.0))
            && (!skinned || self.joints.is_empty())
    }

    /// The part morphed by weights and carried by joints, given as where each joint moves a corner. A
    /// skinned part comes out in the world's own place.
    pub(crate) fn deformed(&self, weights: &[f32], joints: Option<&[Mat4]>) -> MeshPart {
        let mut part = self.plain.clone();
        for (morph, &weight) in self.morphs.iter().zip(weights) {
            let moved =
                |v: [f32; 3], by: &[f32; 3]| (Vec3::from(v) + Vec3::from(*by) * weight).to_array();
            for (values, moves) in [
                (&mut part.positions, &morph.positions),
                (&mut part.normals, &morph.normals),
            ] {
                values
                    .iter_mut()
                    .zip(moves)
                    .for_each(|(v, m)| *v = moved(*v, m));
            }
            // The hand of the bitangent stays.
            for ([x, y, z, _], by) in part.tangents.iter_mut().zip(&morph.tangents) {
                [*x, *y, *z] = moved([*x, *y, *z], by);
            }
        }
        if let Some(matrices) = joints.filter(|_| !self.joints.is_empty()) {
            let count = part.positions.len();
            for i in 0..count {
                let mut sum = Mat4::ZERO;
                let mut whole = 0.0;
                for (joints, weights) in self.joints[i..].iter().step_by(count) {
                    for (&joint, &weight) in joints.iter().zip(weights) {
                        if let Some(m) = matrices.get(joint as usize).filter(|_| weight != 0.0) {
                            sum += *m * weight;
                            whole += weight;
                        }
                    }
                }
                let matrix = if whole > 0.0 {
                    sum * (1.0 / whole)
                } else {
                    Mat4::IDENTITY
                };
                let linear = Mat3::from_mat4(matrix);
                // Where it is uneven, normals do not go with the surface.
                let across = cofactor(&linear) * linear.determinant().signum();
                let turn =
                    |m: &Mat3, v: [f32; 3]| (*m * Vec3::from(v)).normalize_or_zero().to_array();
                part.positions[i] = matrix.transform_point3(part.positions[i].into()).to_array();
                if let Some(n) = part.normals.get_mut(i) {
                    *n = turn(&across, *n);
                }
                if let Some(t) = part.tangents.get_mut(i) {
                    let [x, y, z] = turn(&linear, [t[0], t[1], t[2]]);
                    *t = [x, y, z, t[3]];
                }
            }
        }
        part
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use glam::Quat;

    /// A normal stays across its surface whatever joints do to it, on the side that it was on: by two directions within the surface,
    /// which go as points do, scaled unevenly, turned and mirrored, between two joints too. Tangents are such directions.
    #[test]
    fn normals_of_skins_stay_across_the_surface() {
        let turned = Mat4::from_quat(Quat::from_axis_angle(
            Vec3::new(0.3, -0.5, 0.8).normalize(),
            1.1,
        ));
        let uneven = |x, y, z| Mat4::from_scale(Vec3::new(x, y, z)) * turned;
        for (joints, weights) in [
            ([uneven(3.0, 1.0, 0.2), Mat4::IDENTITY], [1.0, 0.0]),
            (
                [turned * uneven(0.5, 4.0, 1.0), uneven(1.0, 1.0, 2.0)],
                [0.25, 0.75],
            ),
            ([uneven(-2.0, 1.0, 0.5), Mat4::IDENTITY], [1.0, 0.0]),
        ] {
            let (along, aside) = (Vec3::new(1.0, 0.5, 0.0), Vec3::new(0.0, 1.0, 2.0));
            let normal = along.cross(aside).normalize();
            let along = along.normalize();
            let part = Part {
                plain: MeshPart {
                    positions: vec![[0.0; 3], along.to_array(), aside.to_array()],
                    normals: vec![normal.to_array(); 3],
                    tangents: vec![along.extend(1.0).to_array(); 3],
                    ..MeshPart::default()
                },
                joints: vec![([0, 1, 0, 0], [weights[0], weights[1], 0.0, 0.0]); 3],
                ..Part::default()
            };
            let made = part.deformed(&[], Some(&joints));
            let [o, a, b] = [0, 1, 2].map(|i| Vec3::from(made.positions[i]));
            let got = Vec3::from(made.normals[0]);
            assert!((got.length() - 1.0).abs() < 1e-5);
            assert!(
                got.dot((a - o).normalize()).abs() < 1e-5
                    && got.dot((b - o).normalize()).abs() < 1e-5
            );
            let mixed = joints[0] * weights[0] + joints[1] * weights[1];
            assert!(
                got.dot(mixed.transform_vector3(normal)) > 0.0,
                "on its side"
            );
            let tangent = Vec3::from_slice(&made.tangents[0]);
            assert!((tangent - (a - o).normalize()).length() < 1e-5);
        }
    }

    /// Tangents are moved by morphs as glTF 2.0 says (3.7.2.2): by the weighted sum of the targets, their last number kept.
    #[test]
    fn tangents_of_morphs_are_moved() {
        let part = Part {
            plain: MeshPart {
                positions: vec![[0.0; 3]],
                normals: vec![[0.0, 1.0, 0.0]],
                tangents: vec![[1.0, 0.0, 0.0, -1.0]],
                ..MeshPart::default()
            },
            morphs: [[0.0, 0.0, 2.0], [0.5, 0.0, 0.0]]
                .map(|by| Morph {
                    tangents: vec![by],
                    ..Morph::default()
                })
                .into(),
            ..Part::default()
        };
        let made = part.deformed(&[0.5, 0.25], None);
        assert_eq!(made.tangents, [[1.125, 0.0, 1.0, -1.0]]);
        assert_eq!(made.normals, part.plain.normals);
    }
}
