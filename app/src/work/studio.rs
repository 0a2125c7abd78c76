//! A scene with its light, ready for pictures of any moment.

use super::Result;
use super::filing::Filing;
use super::recipe::Recipe;
use super::shot::Shot;
use dome_files::{Fingerprint, PictureFormat};
use dome_trace::scene::Document;
use dome_trace::{Illumination, ObjectMove, Scene};
use glam::DVec3;
use std::cell::OnceCell;
use std::path::PathBuf;
use std::sync::Arc;

/// Makes the light of a scene as it stands.
pub type LitBy = Box<dyn Fn(&Scene) -> Illumination + Send>;

/// What a studio is made of.
pub struct Studio {
    /// How pictures are laid into files.
    pub filing: Filing,
    /// Their format.
    pub format: PictureFormat,
    /// The picture that is made if nothing moves.
    pub recipe: Recipe,
    /// Fingerprint of the picture that surrounds the scene, if one does.
    pub sky_picture: Option<Fingerprint>,
    document: Arc<Document>,
    moves: Vec<ObjectMove>,
    scene: Scene,
    lit_by: LitBy,
    /// The light of the scene as it stands, once it was needed.
    light: OnceCell<Illumination>,
}

impl Studio {
    /// What the file's own coordinates have more than the scene's, metres.
    pub fn offset(&self) -> DVec3 {
        self.document.offset()
    }

    /// Of a scene file with `moves`, of which `scene` was placed already.
    pub fn new(
        (document, moves, scene): (Arc<Document>, Vec<ObjectMove>, Scene),
        lit_by: LitBy,
        (recipe, sky_picture): (Recipe, Option<Fingerprint>),
        (filing, format): (Filing, PictureFormat),
    ) -> Self {
        Self {
            filing,
            format,
            recipe,
            sky_picture,
            document,
            moves,
            scene,
            lit_by,
            light: OnceCell::new(),
        }
    }

    /// The scene as it stands.
    pub fn scene(&self) -> &Scene {
        &self.scene
    }

    /// Places the scene at a moment. Where nothing is other then, its light stays too.
    pub fn go_to(&mut self, time_s: f64) -> Result<()> {
        let scene = self.document.place(time_s, &self.moves)?;
        if scene.content() != self.scene.content() {
            self.light = OnceCell::new();
        }
        self.scene = scene;
        Ok(())
    }

    /// The scene as it stands, and its light.
    pub fn seen(&self) -> (&Scene, &Illumination) {
        let light = self.light.get_or_init(|| (self.lit_by)(&self.scene));
        (&self.scene, light)
    }

    /// A picture of the scene as it stands.
    pub fn shot(&self, recipe: Recipe, output: PathBuf) -> Result<Shot> {
        let scene = (&self.scene, self.sky_picture);
        Shot::new(self.filing.clone(), self.format, recipe, scene, output)
    }
}
