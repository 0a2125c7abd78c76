//! What a scene holds, as a fingerprint: scenes that are traced to the same pixels have the same one.

use super::Scene;
use dome_files::Fingerprint;
use dome_files::fingerprint::Summing;

impl Scene {
    /// The fingerprint of everything that a render can show: shapes where they stand now, names, materials, textures and
    /// lamps. What surrounds the scene is told apart.
    pub fn content(&self) -> Fingerprint {
        *self.content.get_or_init(|| self.sum().finish())
    }

    fn sum(&self) -> Summing {
        let mut sum = Summing::default();
        let corners = &self.corners;
        sum.numbers(self.positions.iter().flat_map(|v| v.to_array()));
        sum.words(self.triangles.iter().copied().flatten());
        sum.words((self.owners.iter()).flat_map(|o| [o.material, o.object]));
        sum.numbers(corners.normals.iter().flat_map(|v| v.to_array()));
        sum.numbers(corners.uvs.iter().flat_map(|v| v.to_array()));
        sum.numbers((corners.second_uvs.values.iter()).flat_map(|v| v.to_array()));
        sum.numbers((corners.colours.values.iter()).flat_map(|v| v.to_array()));
        sum.numbers((corners.tangents.values.iter()).flat_map(|v| v.to_array()));
        // Masks show the objects' names.
        for object in &self.objects {
            sum.text(&object.name);
        }
        // Few and small: every field, whatever they will have one day.
        for material in &self.materials {
            sum.text(&format!("{material:?}"));
        }
        for lamp in &self.lamps {
            sum.text(&format!("{lamp:?}"));
        }
        for picture in &self.pictures {
            sum.words([picture.width, picture.height]);
            sum.add(&picture.bytes);
        }
        sum
    }
}
