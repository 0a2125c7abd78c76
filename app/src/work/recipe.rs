//! How a picture is rendered: one way for commands and server. A recipe holds all that decides its pixels, and says so in
//! the picture's description.

use crate::model::orders::OrderSpec;
use dome_files::picture_file::PictureSpec;
use dome_files::{Description, Fingerprint, PictureFormat, views};
use dome_imaging::LayeredStrip;
use dome_optics::rig::{Rig, Side};
use dome_optics::{Eye, LensEye, MonoEye, Orientation, PanoramaSize, PictureSize, Shape};
use dome_trace::passes::mask_table;
use dome_trace::photometry::DAYLIGHT_WHITE_CD_M2;
use dome_trace::{
    ENGINE, GlassLight, Illumination, LightSettings, Pass, PassSet, Quality, Render, Scene, Sky,
    Surroundings,
};
use glam::DVec3;

/// Everything that decides a picture's pixels beside the scene as it is placed.
#[derive(Clone, Debug)]
pub struct Recipe {
    /// Where the eye is, metres.
    pub at: DVec3,
    /// How it is turned.
    pub orientation: Orientation,
    /// The pair of eyes, if there are two.
    pub rig: Option<Rig>,
    /// f-number of a 50 mm lens and distance at which it is sharp, metres; without it everything is sharp.
    pub lens: Option<(f64, f64)>,
    /// Shape and size.
    pub size: PictureSize,
    /// How good it is to be.
    pub quality: Quality,
    /// Seed of the noise.
    pub seed: u32,
    /// The moment of the scene's motion, seconds. The scene was placed for it.
    pub time_s: f64,
    /// What surrounds the scene.
    pub surroundings: Surroundings,
    /// Lights that are set otherwise than the scene says.
    pub lights: LightSettings,
    /// How light comes through bodies of glass.
    pub glass: GlassLight,
    /// What 1 in the scene's file is, cd/m².
    pub file_cd_m2: f32,
    /// Luminance of the picture's 1, cd/m²: noise is told relative to what is shown at it.
    pub white_cd_m2: f32,
    /// Brightness of all light, stops; 0 for all but drafts.
    pub stops: f32,
    /// Passes that the file holds.
    pub passes: PassSet,
    /// One grey over everything but glass.
    pub clay: bool,
    /// Whether noise is taken out of the finished picture.
    pub denoise: bool,
    /// Brightest light that one sample may add.
    pub clamp: Option<f32>,
    /// Radius of the ambient occlusion, metres.
    pub occlusion_m: f32,
}

/// What tells the seed of a pair's second eye from that of the first.
const OTHER_EYE: u32 = 0x5eed_0e1e;

/// The passes that strips hold: those that are wanted but for what denoising itself tells, and what guides denoising.
pub fn strip_passes(wanted: &PassSet, denoise: bool) -> PassSet {
    let guides = [Pass::Albedo, Pass::Normal, Pass::Halves].into_iter();
    let rendered = wanted.iter().filter(|p| *p != Pass::TakenOut);
    PassSet::new(rendered.chain(guides.filter(|_| denoise)))
}

impl Recipe {
    /// What an order asks for.
    pub fn of_order(spec: &OrderSpec) -> super::Result<Self> {
        let settings = &spec.settings;
        Ok(Self {
            at: spec.pose.position.into(),
            orientation: super::preview::orientation(&spec.pose),
            rig: spec.rig.as_ref().and_then(|rig| rig.pair()),
            lens: spec.lens.map(|l| (l.fstop, l.focus_m)),
            size: picture_size(Some(&spec.shape), spec.width)?,
            quality: match spec.noise_percent {
                Some(percent) => Quality::Noise {
                    percent,
                    most: spec.samples,
                },
                None => Quality::Samples(spec.samples),
            },
            seed: spec.seed,
            time_s: settings.time_s,
            surroundings: settings.surroundings.clone(),
            lights: settings.lights.clone(),
            glass: settings.glass,
            file_cd_m2: settings.file_cd_m2,
            white_cd_m2: spec.white_cd_m2.unwrap_or(DAYLIGHT_WHITE_CD_M2),
            stops: if spec.draft {
                settings.draft_stops
            } else {
                0.0
            },
            passes: {
                // Without denoising nothing is taken.
                let made = |p: &Pass| spec.denoise || *p != Pass::TakenOut;
                PassSet::new(spec.passes.iter().copied().filter(made))
            },
            clay: spec.clay,
            denoise: spec.denoise,
            clamp: spec.clamp,
            occlusion_m: spec.occlusion_m.unwrap_or(1.0),
        })
    }

    /// The passes that its strips need: denoising looks at colours and normals too.
    pub fn strip_passes(&self) -> PassSet {
        strip_passes(&self.passes, self.denoise)
    }

    /// The eyes that its picture has: the only one counts as left.
    pub fn sides(&self) -> &'static [Side] {
        match self.rig {
            Some(_) => &Side::BOTH,
            None => &[Side::Left],
        }
    }

    /// An eye of it.
    pub fn eye(&self, side: Side) -> Box<dyn Eye> {
        let shape = self.size.shape;
        let plain = match &self.rig {
            Some(rig) => rig.eye(side, self.at, self.orientation, shape),
            None => Box::new(MonoEye::new(self.at, self.orientation, shape)),
        };
        match self.lens {
            Some((fstop, focus_m)) => Box::new(LensEye::new(plain, fstop, focus_m)),
            None => plain,
        }
    }

    /// The eye whose picture is what one eye alone sees: of a pair the one on the viewpoint, if one stands there.
    fn is_alone(&self, side: Side) -> bool {
        (self.rig.as_ref()).is_none_or(|rig| rig.alone() == Some(side))
    }

    /// The seed of an eye: noise that is the same in both would look like a pattern on the screen.
    fn seed_of(&self, side: Side) -> u32 {
        let second = match self.rig.as_ref().and_then(Rig::alone) {
            Some(alone) => side != alone,
            None => side == Side::Right,
        };
        if self.rig.is_some() && second {
            self.seed ^ OTHER_EYE
        } else {
            self.seed
        }
    }

    /// The render of a placed scene in some light, seen by one of the recipe's own eyes.
    pub fn render<'a>(
        &self,
        scene: &'a Scene,
        light: &'a Illumination,
        eye: &'a dyn Eye,
        side: Side,
    ) -> Render<'a> {
        let seed = self.seed_of(side);
        Render {
            passes: self.strip_passes(),
            clay: self.clay,
            clamp: self.clamp,
            glass: self.glass,
            occlusion_radius: self.occlusion_m,
            ..Render::new(scene, light, eye, self.size, self.quality, seed)
        }
    }

    /// What determines the picture's pixels, line by line. `sky_picture` is the fingerprint of the picture that surrounds the
    /// scene, if one does.
    pub fn describe(&self, scene: &Scene, sky_picture: Option<Fingerprint>) -> Description {
        let mut d = self.describe_one(scene, sky_picture, self.seed);
        if let Some(rig) = &self.rig {
            d.line("pair", rig);
        }
        d
    }

    /// The same of one eye's own picture. The eye of a pair that sees what one eye alone sees has the picture of that one,
    /// and is not made twice.
    pub fn describe_eye(
        &self,
        side: Side,
        scene: &Scene,
        sky_picture: Option<Fingerprint>,
    ) -> Description {
        let mut d = self.describe_one(scene, sky_picture, self.seed_of(side));
        if let Some(rig) = &self.rig
            && !self.is_alone(side)
        {
            d.line("pair", rig);
            d.line("side", format!("{} eye of the pair", side.name()));
        }
        d
    }

    fn describe_one(
        &self,
        scene: &Scene,
        sky_picture: Option<Fingerprint>,
        seed: u32,
    ) -> Description {
        let mut d = Description::default();
        d.line("engine", ENGINE);
        d.line("scene", scene.content());
        d.line("moment", format!("{} s", self.time_s));
        d.line(
            "surroundings",
            told_surroundings(&self.surroundings, sky_picture),
        );
        d.line("lights", told_json(&self.lights));
        d.line(
            "glass",
            match self.glass {
                GlassLight::Straight => "light goes straight through",
                GlassLight::Bent => "light is bent",
            },
        );
        d.line("file", format!("1 is {} cd/m2, cd or lx", self.file_cd_m2));
        d.line("white", format!("{} cd/m2", self.white_cd_m2));
        d.line("brightness", format!("{} stops", self.stops));
        let DVec3 { x, y, z } = self.at;
        let o = &self.orientation;
        d.line("eye", format!("{x}, {y}, {z} m"));
        d.line(
            "turned",
            format!(
                "heading {}, pitch {}, roll {} degrees",
                o.heading_deg, o.pitch_deg, o.roll_deg
            ),
        );
        d.line(
            "lens",
            self.lens.map_or_else(
                || "sharp everywhere".to_owned(),
                |(fstop, focus)| format!("f/{fstop}, sharp at {focus} m"),
            ),
        );
        d.line("shape", self.size.shape);
        d.line(
            "size",
            format!("{} x {} px", self.size.width(), self.size.height()),
        );
        d.line(
            "quality",
            match self.quality {
                Quality::Samples(n) => format!("{n} samples"),
                Quality::Noise { percent, most } => {
                    let after = if self.denoise { " after denoising" } else { "" };
                    format!("noise to {percent} %{after}, at most {most} samples")
                }
            },
        );
        d.line("seed", seed);
        let names: Vec<_> = self.passes.iter().map(Pass::name).collect();
        d.line("passes", format!("beauty {}", names.join(" ")).trim_end());
        if self.passes.has(Pass::AmbientOcclusion) {
            d.line("occlusion", format!("within {} m", self.occlusion_m));
        }
        d.line(
            "material",
            if self.clay { "clay" } else { "as in the scene" },
        );
        d.line(
            "fireflies",
            self.clamp.map_or_else(
                || "as they are".to_owned(),
                |most| format!("at most {most} a sample"),
            ),
        );
        d.line("noise", if self.denoise { "taken out" } else { "left in" });
        d
    }

    /// How its file is written: shape, turning, the names of a mask's colours.
    pub fn file(&self, format: PictureFormat, scene: &Scene) -> PictureSpec {
        let (width, height) = (self.size.width(), self.size.height());
        let mut spec = PictureSpec::panorama(format, width, height, self.orientation.heading_deg);
        spec.shape = self.size.shape;
        spec.tilted(&self.orientation);
        spec.layers = self.passes.layers();
        spec.white_cd_m2 = Some(self.white_cd_m2);
        if self.rig.is_some() && format == PictureFormat::Exr {
            spec.both_eyes = true;
            spec.layers = views::layers_of_both(&spec.layers, spec.deep);
        }
        spec.comments = (self.passes.has(Pass::ObjectMask)).then(|| mask_table(scene));
        spec
    }
}

/// A strip with only some of the passes that were made.
pub fn only(strip: LayeredStrip, made: &PassSet, wanted: &PassSet) -> LayeredStrip {
    let layers = made.iter().zip(strip.layers);
    LayeredStrip {
        layers: layers
            .filter(|(pass, _)| wanted.has(*pass))
            .map(|(_, values)| values)
            .collect(),
        ..strip
    }
}

/// The shape and size that an order asks for. Six files are one stack of faces here.
pub fn picture_size(shape: Option<&str>, width: u32) -> super::Result<PictureSize> {
    let shape: Shape = shape.unwrap_or("equirect").parse()?;
    Ok(match shape {
        Shape::Equirect => PanoramaSize::from_width(width)?.into(),
        Shape::CubeFaces(layout) => PictureSize::new(Shape::Cube(layout), Some(width), None)?,
        other => PictureSize::new(other, Some(width), None)?,
    })
}

/// Settings in JSON: numbers there are the shortest that are read back as the same.
fn told_json(value: &impl serde::Serialize) -> String {
    serde_json::to_string(value).unwrap_or_else(|e| e.to_string())
}

/// What surrounds a scene; a picture is told by what it holds, not by its name.
fn told_surroundings(surroundings: &Surroundings, picture: Option<Fingerprint>) -> String {
    let mut told = surroundings.clone();
    if let (Sky::Picture { file }, Some(picture)) = (&mut told.sky, picture) {
        *file = picture.to_string();
    }
    told_json(&told)
}

#[cfg(test)]
mod tests {
    use super::*;
    use dome_trace::scene::MeshPart;
    use dome_trace::{LightSetting, Material, SceneBuilder};

    fn spec() -> OrderSpec {
        serde_json::from_value(serde_json::json!({
            "viewpoint": "Desk", "width": 64, "height": 32, "samples": 4, "seed": 0,
            "pose": {"position": [0.1, 1.6, 0.3], "heading_deg": 10.0, "pitch_deg": 0.0, "roll_deg": 0.0},
        }))
        .unwrap()
    }

    fn described(spec: &OrderSpec, scene: &Scene) -> Description {
        Recipe::of_order(spec).unwrap().describe(scene, None)
    }

    /// Whatever changes a pixel changes the fingerprint, and what does not leaves it alone.
    #[test]
    fn all_that_decides_pixels_is_in_the_fingerprint() {
        let room = |width: f32| {
            let mut builder = SceneBuilder::default();
            builder.materials.push(Material::default());
            builder.start_object("Floor");
            let floor = MeshPart {
                positions: vec![[0.0; 3], [width, 0.0, 0.0], [0.0, 0.0, 1.0]],
                triangles: vec![[0, 1, 2]],
                ..MeshPart::default()
            };
            builder.add_part(&floor, &glam::Mat4::IDENTITY);
            builder.build(Sky::default(), "room").unwrap()
        };
        let (scene, wider) = (room(1.0), room(1.25));
        let first = described(&spec(), &scene);
        assert_eq!(
            first,
            described(&spec(), &room(1.0)),
            "the same scene made again"
        );
        let name_only = OrderSpec {
            viewpoint: "Other name".into(),
            ..spec()
        };
        assert_eq!(first, described(&name_only, &scene));
        let change = |name: &str, change: &dyn Fn(&mut OrderSpec)| {
            let mut spec = spec();
            change(&mut spec);
            let other = described(&spec, &scene);
            let differences = first.differences(&other);
            let names: Vec<_> = differences.iter().map(|d| d.0.as_str()).collect();
            assert_eq!(names, [name]);
            assert_ne!(first.fingerprint(), other.fingerprint(), "{name}");
        };
        change("moment", &|s| s.settings.time_s = 0.25);
        change("surroundings", &|s| s.settings.surroundings.turn_deg = 1.0);
        change("lights", &|s| {
            let off = LightSetting {
                on: false,
                ..Default::default()
            };
            s.settings.lights.insert("lamp 0".into(), off);
        });
        change("brightness", &|s| {
            s.draft = true;
            s.settings.draft_stops = 1.0;
        });
        change("glass", &|s| s.settings.glass = GlassLight::Bent);
        change("file", &|s| s.settings.file_cd_m2 = 1.0);
        change("white", &|s| s.white_cd_m2 = Some(120.0));
        change("eye", &|s| s.pose.position[2] += 1e-9);
        change("turned", &|s| s.pose.heading_deg = 10.001);
        change("lens", &|s| {
            s.lens = Some(crate::model::orders::Lens {
                fstop: 2.0,
                focus_m: 3.0,
            });
        });
        change("shape", &|s| s.shape = "equirect:180x90".into());
        change("quality", &|s| s.samples = 5);
        change("quality", &|s| s.noise_percent = Some(4.0));
        change("seed", &|s| s.seed = 1);
        change("passes", &|s| s.passes = vec![Pass::Depth]);
        change("material", &|s| s.clay = true);
        change("fireflies", &|s| s.clamp = Some(10.0));
        change("noise", &|s| s.denoise = true);
        let names: Vec<_> = (first.differences(&described(&spec(), &wider)).into_iter())
            .map(|d| d.0)
            .collect();
        assert_eq!(names, ["scene"]);
        // Only a pass that looks for it depends on the radius.
        let mut near = spec();
        near.occlusion_m = Some(0.2);
        assert_eq!(first, described(&near, &scene));
        near.passes = vec![Pass::AmbientOcclusion];
        let mut far = near.clone();
        far.occlusion_m = Some(0.3);
        let (near, far) = (described(&near, &scene), described(&far, &scene));
        assert_eq!(
            near.told_differences(&far),
            "occlusion (within 0.2 m, not within 0.3 m)"
        );
    }

    /// A picture of surroundings is known by what it holds.
    #[test]
    fn pictures_of_surroundings_are_told_by_their_content() {
        let mut surroundings = Surroundings::from(Sky::Picture {
            file: "evening.hdr".into(),
        });
        let one = told_surroundings(&surroundings, Some(Fingerprint::of(b"one")));
        let other = told_surroundings(&surroundings, Some(Fingerprint::of(b"other")));
        assert_ne!(one, other);
        surroundings.sky = Sky::Picture {
            file: "renamed.hdr".into(),
        };
        assert_eq!(
            one,
            told_surroundings(&surroundings, Some(Fingerprint::of(b"one")))
        );
    }
}
