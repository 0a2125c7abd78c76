//! What every importer fills: meshes, lamps and cameras, each standing in the file's frame or on a node of its rig.

use super::mesh::{Mesh, MeshPart, Part};
use super::rig::Rig;
use super::{Document, Frame, Group, Mover, Scene, SceneCamera};
use crate::error::TraceError;
use crate::lamp::Lamp;
use crate::material::Material;
use crate::sky::Sky;
use dome_files::budget::Claim;
use dome_files::decode::Raster;
use glam::{DMat4, DVec3, Mat4};
use std::sync::Arc;

/// Most triangles that are looked at to tell a scene's extent and its up.
const MOST_SEEN: usize = 1_000_000;

/// Where something of a file stands.
#[derive(Clone, Copy)]
pub(crate) enum Stands {
    /// In the file's frame.
    Still(DMat4),
    /// On an entry of the rig, placed within it.
    On { entry: u32, within: DMat4 },
}

impl Stands {
    /// Its place in the file's frame at rest.
    pub(crate) fn at_rest(&self, rig: &Rig) -> DMat4 {
        match self {
            Self::Still(place) => *place,
            Self::On { entry, within } => rig.at_rest(*entry) * *within,
        }
    }
}

/// A mesh of an object where it stands.
pub(crate) struct Piece {
    pub(crate) object: u32,
    pub(crate) mesh: Arc<Mesh>,
    pub(crate) stands: Stands,
    /// Weights of its morph targets while no track tells others.
    pub(crate) weights: Vec<f32>,
    /// Number of the skin that carries it.
    pub(crate) skin: Option<usize>,
}

/// An object by name.
pub(crate) struct Named {
    pub(crate) name: String,
    /// Names from the top of the file down to it.
    pub(crate) path: String,
    pub(crate) group: Option<u32>,
}

/// A scene as a file tells it.
#[derive(Default)]
pub struct SceneBuilder {
    pub(crate) pieces: Vec<Piece>,
    pub(crate) named: Vec<Named>,
    /// Materials; index 0 need not exist until an object uses it.
    pub materials: Vec<Material>,
    /// Pictures of the textures.
    pub pictures: Vec<Raster>,
    /// Lamps without a body.
    pub lamps: Vec<Lamp>,
    /// The rig's entries that lamps stand on; those beyond the end stand still.
    pub(crate) lamps_on: Vec<Option<u32>>,
    /// Paths of the lamps' names; those beyond the end are their names alone.
    pub(crate) lamp_paths: Vec<String>,
    /// Cameras.
    pub cameras: Vec<SceneCamera>,
    /// What moves.
    pub movers: Vec<Mover>,
    /// Groups that objects belong to.
    pub groups: Vec<Group>,
    /// Meshes that came without normals; they are shown flat.
    pub without_normals: usize,
    pub(crate) rig: Rig,
    /// Memory of the meshes while they are placed.
    pub(crate) mesh_memory: Claim,
    triangles: usize,
}

impl SceneBuilder {
    /// Starts an object; what is added next belongs to it.
    pub fn start_object(&mut self, name: impl Into<String>) {
        let name = name.into();
        self.start_object_at(name.clone(), name);
    }

    /// The same with its path of names, from the top of the file down to it.
    pub(crate) fn start_object_at(&mut self, name: String, path: String) {
        self.named.push(Named {
            name,
            path,
            group: None,
        });
    }

    /// Puts the object started last into a group.
    pub fn in_group(&mut self, group: u32) {
        if let Some(object) = self.named.last_mut() {
            object.group = Some(group);
        }
    }

    /// Adds a mesh to the object started last. Corner indices must be in range.
    pub(crate) fn add_mesh(
        &mut self,
        mesh: Arc<Mesh>,
        stands: Stands,
        weights: Vec<f32>,
        skin: Option<usize>,
    ) {
        let bare = mesh.parts.iter().filter(|p| p.plain.normals.is_empty());
        self.without_normals += bare.count();
        self.triangles = self.triangles.saturating_add(mesh.triangles());
        self.pieces.push(Piece {
            object: self.named.len() as u32 - 1,
            mesh,
            stands,
            weights,
            skin,
        });
    }

    /// Adds one part of its own, placed by `transform`, likewise.
    pub fn add_part(&mut self, part: &MeshPart, transform: &Mat4) {
        self.add_own(part.clone(), transform.as_dmat4());
    }

    /// The same without copying the part.
    pub(crate) fn add_own(&mut self, part: MeshPart, place: DMat4) {
        let part = Part {
            plain: part,
            ..Part::default()
        };
        let mesh = Mesh {
            parts: vec![part],
            weights: Vec::new(),
        };
        self.add_mesh(Arc::new(mesh), Stands::Still(place), Vec::new(), None);
    }

    /// Number of triangles so far, each copy counted.
    pub fn triangle_count(&self) -> usize {
        self.triangles
    }

    /// Shows the corners of the triangles at rest, in the file's frame: of every one up to a few million, then of every
    /// so-manieth.
    pub(crate) fn each_triangle(&self, mut see: impl FnMut([DVec3; 3])) {
        let step = self.triangles.div_ceil(MOST_SEEN).max(1);
        let mut skip = 0;
        for piece in &self.pieces {
            let place = piece.stands.at_rest(&self.rig);
            for part in &piece.mesh.parts {
                let triangles = &part.plain.triangles;
                for t in triangles.iter().skip(skip).step_by(step) {
                    see(t.map(|i| {
                        let p = part.plain.positions[i as usize];
                        place.transform_point3(DVec3::from(p.map(f64::from)))
                    }));
                }
                // The next part goes on where this one's last step leads.
                let left = triangles.len().saturating_sub(skip);
                skip = skip.saturating_sub(triangles.len());
                if left > 0 {
                    skip = (step - left % step) % step;
                }
            }
        }
    }

    /// Lowest and highest coordinates of the corners of [`Self::each_triangle`] where they have an area.
    pub(crate) fn corner_bounds(&self) -> (DVec3, DVec3) {
        let mut bounds = (DVec3::INFINITY, DVec3::NEG_INFINITY);
        self.each_triangle(|[a, b, c]| {
            let area = (b - a).cross(c - a).length();
            if area.is_finite() && area > 0.0 {
                bounds = (bounds.0.min(a).min(b).min(c), bounds.1.max(a).max(b).max(c));
            }
        });
        bounds
    }

    /// Builds what tracing needs, with everything at rest in the file's own frame. `name` is for the message if there is
    /// nothing to trace.
    pub fn build(self, sky: Sky, name: &str) -> Result<Scene, TraceError> {
        Document::new(self, Frame::default(), sky, name)?.place(0.0, &[])
    }
}
