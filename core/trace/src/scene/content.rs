//! What a scene holds, as a fingerprint: scenes that are traced to the same pixels have the same one.

use super::{Scene, Stock};
use dome_files::Fingerprint;
use dome_files::decode::Texels;
use dome_files::fingerprint::Summing;

impl Scene {
    /// The fingerprint of everything that a render can show: shapes where they stand now, names, materials, textures and
    /// lamps. What surrounds the scene is told apart.
    pub fn content(&self) -> Fingerprint {
        *self.content.get_or_init(|| {
            let mut sum = Summing::default();
            sum.text(&self.base.content().to_string());
            for instance in &self.instances {
                sum.text(&instance.body.content().to_string());
                for v in instance.place.to_cols_array() {
                    sum.add(&v.to_le_bytes());
                }
                sum.words(instance.object);
            }
            // Masks show the objects' names.
            for object in &self.objects {
                sum.text(&object.name);
            }
            for lamp in &self.lamps {
                sum.text(&format!("{lamp:?}"));
            }
            sum.text(&self.stock.content().to_string());
            sum.finish()
        })
    }
}

impl Stock {
    fn content(&self) -> Fingerprint {
        *self.content.get_or_init(|| {
            let mut sum = Summing::default();
            // Few and small: every field, whatever they will have one day.
            for material in &self.materials {
                sum.text(&format!("{material:?}"));
            }
            for picture in &self.pictures {
                let picture = picture.picture();
                sum.words([picture.width, picture.height]);
                match &picture.texels {
                    Texels::Byte(v) => sum.add(v),
                    Texels::Word(v) => sum.words(v.iter().map(|v| u32::from(*v))),
                    Texels::Float(v) => sum.words(v.iter().map(|v| v.to_bits())),
                }
            }
            sum.finish()
        })
    }
}
