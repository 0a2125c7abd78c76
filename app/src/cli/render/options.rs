//! What the options of `owl-dome render` mean.

use super::super::pair_options::PairOptions;
use crate::cli::{number, numbers, shape};
use crate::work::WorkError;
use crate::work::distributions::misplaced;
use crate::work::scenes::surroundings_picture;
use clap::Args;
use dome_files::lm63;
use dome_imaging::Picture;
use dome_optics::projection::{Cell, CubeLayout};
use dome_optics::{PanoramaSize, PictureSize, Shape, ShapeError};
use dome_trace::light::{lamp_key, object_key};
use dome_trace::photometry::white_at;
use dome_trace::scene::Document;
use dome_trace::stand;
use dome_trace::{
    ImportOptions, IntensityTable, IntensityTables, LightDistribution, LightScale, LightSetting,
    LightSettings, LightStart, PassSet, Quality, Scene, Sky, SunSky, Surroundings, Unit, Up,
};
use glam::DVec3;
use std::path::PathBuf;
use std::sync::Arc;

/// Everything that says how a render is made, whatever scene and file it is for.
#[derive(Args)]
pub(in crate::cli) struct RenderOptions {
    /// Where the eye stands in the file's coordinates, metres with Y up; without it the middle of the scene, 1.6 m above the floor there
    #[arg(long, value_name = "X,Y,Z", value_parser = numbers::<3>, allow_hyphen_values = true)]
    pub(in crate::cli) at: Option<[f64; 3]>,
    /// Heading of the picture's middle, degrees clockwise from -Z
    #[arg(long, value_name = "DEG", default_value = "0", value_parser = number, allow_hyphen_values = true)]
    pub(in crate::cli) heading: f64,
    /// Pitch, degrees upwards; anything but 0 makes the horizon wavy
    #[arg(long, value_name = "DEG", default_value = "0", value_parser = number, allow_hyphen_values = true)]
    pub(in crate::cli) pitch: f64,
    /// Roll, degrees clockwise; anything but 0 makes the horizon wavy
    #[arg(long, value_name = "DEG", default_value = "0", value_parser = number, allow_hyphen_values = true)]
    pub(in crate::cli) roll: f64,
    /// The shape of the picture; `owl-dome shapes` lists them all
    #[arg(long, value_name = "SHAPE", default_value = "equirect", value_parser = shape)]
    pub(in crate::cli) shape: Shape,
    /// Face order of a cube, for example right,left,up,down:90,front,back (clockwise turns in degrees)
    #[arg(long, value_name = "FACES", value_parser = CubeLayout::parse_order)]
    pub(in crate::cli) order: Option<[Cell; 6]>,
    /// Width in pixels; the height follows from the shape (2048 for a full sphere, and as much detail for
    /// other shapes, if neither is given)
    #[arg(long, value_name = "N")]
    pub(in crate::cli) width: Option<u32>,
    /// Height in pixels, if it is easier to give
    #[arg(long, value_name = "N")]
    pub(in crate::cli) height: Option<u32>,
    /// Samples per pixel, 64 if not given; with --noise the most a pixel may take, 4096 if not given
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=1_048_576))]
    pub(in crate::cli) samples: Option<u32>,
    /// Noise at which a pixel is finished, percent of the displayed value; 12 is a draft, 4 is clean
    #[arg(long, value_name = "PCT", value_parser = number)]
    pub(in crate::cli) noise: Option<f64>,
    /// Another seed gives other noise
    #[arg(long, value_name = "N", default_value_t = 0)]
    pub(in crate::cli) seed: u32,
    /// Threads; without it all cores
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u16).range(1..=1024))]
    pub(in crate::cli) threads: Option<u16>,
    /// Passes beside the picture, e.g. depth,normal,object-mask, or all; layers of an .exr, files of their
    /// own (OUT.pass.exr) beside other formats
    #[arg(long, value_name = "A,B,C", value_parser = pass_list, default_value = "")]
    pub(in crate::cli) passes: PassSet,
    /// Write passes as files of their own beside an .exr too
    #[arg(long)]
    pub(in crate::cli) separate: bool,
    /// Radius of the pass ambient-occlusion, metres
    #[arg(long, value_name = "METRES", default_value = "1", value_parser = number)]
    pub(in crate::cli) occlusion_radius: f64,
    /// What surrounds the scene: sun:ELEVATION,HEADING[,TURBIDITY] (degrees), plain:R,G,B (scene-linear),
    /// or a picture (.exr, .hdr, .jpg, .png)
    #[arg(long, value_name = "SKY", value_parser = sky, allow_hyphen_values = true)]
    pub(in crate::cli) sky: Option<SkyChoice>,
    /// Luminance that is 1 in the picture, cd/m²; 30735 is white in the sun at noon. What the file speaks for if not given
    #[arg(long, value_name = "CD_M2", value_parser = luminance)]
    pub(in crate::cli) white: Option<f32>,
    /// What 1 in the scene file is, cd/m² of a glowing surface, candela or lux of a lamp
    #[arg(long, value_name = "CD_M2", value_parser = luminance)]
    pub(in crate::cli) file_light: Option<f32>,
    /// What 1 of the surroundings' colours or picture is, cd/m²; sun and sky have true values
    #[arg(long, value_name = "CD_M2", value_parser = luminance)]
    pub(in crate::cli) sky_light: Option<f32>,
    /// Lets a light shine by a measured distribution (.ies), as often as wanted: its name or key (`owl-dome scene` lists them), the
    /// file, and by choice the heading of its plane of 0 degrees and its tilt, degrees. Planes are counted against the clock as seen from
    /// above, as we remember CIE 121; no uneven published example confirmed it, so look at an uneven lamp before you trust its sides
    #[arg(long, value_name = "LIGHT=FILE[@HEADING,TILT]", value_parser = measured)]
    pub(in crate::cli) ies: Vec<MeasuredLight>,
    /// Bend light of lamps and sky in bodies of glass too, with caustics; without, it goes straight through them
    #[arg(long)]
    pub(in crate::cli) bend_light: bool,
    /// Turns the surroundings clockwise, degrees
    #[arg(long, value_name = "DEG", default_value = "0", value_parser = number, allow_hyphen_values = true)]
    pub(in crate::cli) sky_turn: f64,
    /// Leave out the backdrop: nothing where the sky would be, and an alpha channel
    #[arg(long)]
    pub(in crate::cli) transparent: bool,
    /// One neutral grey over everything but what is see-through
    #[arg(long)]
    pub(in crate::cli) clay: bool,
    /// The moment of the scene's animation, seconds
    #[arg(long, value_name = "SECONDS", default_value = "0", value_parser = number, allow_hyphen_values = true)]
    pub(in crate::cli) time: f64,
    /// Only these rows, both included, counted from 0; put the parts together with `owl-dome join`
    #[arg(long, value_name = "A-B", value_parser = rows)]
    pub(in crate::cli) rows: Option<(u32, u32)>,
    /// The unit that the scene was made in: m, cm, mm, in or ft
    #[arg(long, value_name = "UNIT", default_value = "m", value_parser = unit)]
    pub(in crate::cli) unit: Unit,
    /// The axis that points up in the file: y or z; by default what the format says or the triangles tell
    #[arg(long, value_name = "AXIS", value_parser = up)]
    pub(in crate::cli) up: Option<Up>,
    /// Which scene of a .zip that holds several
    #[arg(long, value_name = "NAME")]
    pub(in crate::cli) inside: Option<String>,
    /// f-number of a 50 mm lens; with --focus
    #[arg(long, value_name = "N", value_parser = number, requires = "focus")]
    pub(in crate::cli) fstop: Option<f64>,
    /// Distance at which the lens is sharp, metres; with --fstop
    #[arg(long, value_name = "METRES", value_parser = number, requires = "fstop")]
    pub(in crate::cli) focus: Option<f64>,
    /// Denoise the finished picture, guided by its colours and normals
    #[arg(long)]
    pub(in crate::cli) denoise: bool,
    #[command(flatten)]
    pub(in crate::cli) pair: PairOptions,
    /// Brightest light that one sample may add; hides fireflies and makes the picture a little darker
    #[arg(long, value_name = "LIGHT", value_parser = number)]
    pub(in crate::cli) clamp: Option<f64>,
}

impl RenderOptions {
    /// Where the eye stands in a scene: as it is told in the file's coordinates, or in the middle.
    pub(in crate::cli) fn eye(&self, document: &Document, scene: &Scene) -> DVec3 {
        (self.at).map_or_else(
            || stand::middle(scene),
            |at| DVec3::from(at) - document.offset(),
        )
    }

    /// How the scene is read.
    pub(in crate::cli) fn import(&self) -> ImportOptions {
        ImportOptions {
            unit: self.unit,
            up: self.up,
            inside: self.inside.clone(),
            time_s: self.time,
            ..ImportOptions::default()
        }
    }

    /// The shape with its order of faces.
    pub(in crate::cli) fn shape(&self) -> Result<Shape, ShapeError> {
        match self.order {
            Some(order) => self.shape.with_order(order),
            None => Ok(self.shape),
        }
    }

    /// The size of an eye's picture in a shape; 2048 px for a full sphere if none is given. Where both eyes lie in one file,
    /// width and height are the file's.
    pub(in crate::cli) fn size(&self, shape: Shape) -> crate::work::Result<PictureSize> {
        let (width, height) = self.pair.of_an_eye(shape, self.width, self.height)?;
        Ok(match (shape, width, height) {
            (Shape::Equirect, width, None) => {
                PanoramaSize::from_width(width.unwrap_or(2048))?.into()
            }
            (_, width, height) => PictureSize::new(shape, width, height)?,
        })
    }

    pub(in crate::cli) fn quality(&self) -> Quality {
        match self.noise {
            Some(percent) => Quality::Noise {
                percent: percent as f32,
                most: self.samples.unwrap_or(4096),
            },
            None => Quality::Samples(self.samples.unwrap_or(64)),
        }
    }
}

/// Surroundings by choice.
#[derive(Clone, Debug)]
pub(in crate::cli) enum SkyChoice {
    /// Told in numbers.
    Told(Sky),
    /// A picture.
    Picture(PathBuf),
}

/// Parses `sun:...`, `plain:...` or a file.
pub(in crate::cli) fn sky(text: &str) -> Result<SkyChoice, String> {
    let sky = if let Some(rest) = text.strip_prefix("sun:") {
        let usual = SunSky::default();
        let (elevation, heading, turbidity) = match numbers::<3>(rest) {
            Ok([e, h, t]) => (e, h, t as f32),
            Err(_) => {
                let [e, h] = numbers::<2>(rest).map_err(|_| {
                    format!("\"{rest}\" is not ELEVATION,HEADING or ELEVATION,HEADING,TURBIDITY")
                })?;
                (e, h, usual.turbidity)
            }
        };
        Sky::Sun(SunSky {
            elevation_deg: elevation as f32,
            heading_deg: heading as f32,
            turbidity,
            ..usual
        })
    } else if let Some(rest) = text.strip_prefix("plain:") {
        Sky::Plain {
            colour: numbers::<3>(rest)?.map(|v| v as f32),
        }
    } else {
        return Ok(SkyChoice::Picture(text.into()));
    };
    if sky.is_valid() {
        Ok(SkyChoice::Told(sky))
    } else {
        Err("the sun's height goes from -5 to 90 degrees, the turbidity from 1 to 10, colours from 0 up".into())
    }
}

/// The surroundings chosen, or the scene's own, with their picture if they have one; `usual_cd_m2` is what 1 of them is if neither
/// the options nor the picture say so.
pub(in crate::cli) fn surroundings(
    options: &RenderOptions,
    usual_cd_m2: f32,
    scene: &Scene,
) -> crate::work::Result<(Surroundings, Option<Picture>)> {
    let mut unit = None;
    let (mut surroundings, picture): (Surroundings, _) = match &options.sky {
        None => (scene.sky.clone().into(), None),
        Some(SkyChoice::Told(sky)) => (sky.clone().into(), None),
        Some(SkyChoice::Picture(path)) => {
            let read = surroundings_picture(path)?;
            for notice in read.notices {
                eprintln!("Note: {notice}");
            }
            unit = read.unit_cd_m2;
            let file = path.display().to_string();
            (Sky::Picture { file }.into(), Some(read.picture))
        }
    };
    surroundings.unit_cd_m2 = options.sky_light.or(unit).unwrap_or(usual_cd_m2);
    surroundings.turn_deg = options.sky_turn as f32;
    surroundings.transparent = options.transparent;
    Ok((surroundings, picture))
}

/// A light and the file by which it is to shine.
#[derive(Clone)]
pub(in crate::cli) struct MeasuredLight {
    light: String,
    file: PathBuf,
    heading_deg: f32,
    tilt_deg: f32,
}

/// Parses `LIGHT=FILE[@HEADING,TILT]`.
pub(in crate::cli) fn measured(text: &str) -> Result<MeasuredLight, String> {
    let wrong = || format!("\"{text}\" is not LIGHT=FILE or LIGHT=FILE@HEADING,TILT");
    let (light, file) = text.split_once('=').ok_or_else(wrong)?;
    let (file, turned) = match file.rsplit_once('@') {
        Some((file, turned)) => (file, numbers::<2>(turned)?),
        None => (file, [0.0; 2]),
    };
    if light.is_empty() || file.is_empty() {
        return Err(wrong());
    }
    Ok(MeasuredLight {
        light: light.into(),
        file: file.into(),
        heading_deg: turned[0] as f32,
        tilt_deg: turned[1] as f32,
    })
}

/// What the options set of a scene's lights, and the tables that they name.
pub(in crate::cli) fn lights(
    options: &RenderOptions,
    scene: &Scene,
) -> crate::work::Result<(LightSettings, IntensityTables)> {
    let mut settings = LightSettings::new();
    let mut tables = IntensityTables::new();
    for measured in &options.ies {
        let name = &measured.light;
        let object = scene
            .objects()
            .iter()
            .position(|o| o.emits && o.name == *name);
        let lamp = scene.lamps().iter().position(|l| l.name == *name);
        let key = match (object, lamp) {
            (Some(i), _) => object_key(i),
            (None, Some(i)) => lamp_key(i),
            (None, None) => name.clone(),
        };
        let (read, content) = lm63::read(&measured.file)?;
        // By what it holds, so that the same file is the same picture wherever it lies.
        let file = format!("{content}.ies");
        tables.insert(file.clone(), Arc::new(IntensityTable::new(&read)));
        let setting = LightSetting {
            distribution: Some(LightDistribution {
                file,
                name: dome_files::error::display_name(&measured.file),
                heading_deg: measured.heading_deg,
                tilt_deg: measured.tilt_deg,
            }),
            ..LightSetting::default()
        };
        settings.insert(key, setting);
    }
    if let Some(problem) = misplaced(scene, &settings) {
        return Err(WorkError::Request(problem));
    }
    Ok((settings, tables))
}

/// Parses a luminance, cd/m².
pub(in crate::cli) fn luminance(text: &str) -> Result<f32, String> {
    let value = number(text)? as f32;
    if (1e-3..=1e9).contains(&value) {
        Ok(value)
    } else {
        Err(format!(
            "\"{text}\" is not between 0.001 and 1000000000 cd/m²"
        ))
    }
}

impl RenderOptions {
    /// What the numbers of the scene and of the picture are as light: as told, else as the file speaks for.
    pub(in crate::cli) fn light_scale(&self, start: &LightStart) -> LightScale {
        LightScale {
            white_cd_m2: (self.white).unwrap_or_else(|| white_at(start.exposure_stops)),
            file_cd_m2: self.file_light.unwrap_or(start.file_cd_m2),
            gain: 1.0,
        }
    }
}

/// Parses a list of passes.
pub(in crate::cli) fn pass_list(text: &str) -> Result<PassSet, String> {
    PassSet::parse(text)
}

/// Parses `A-B`.
pub(in crate::cli) fn rows(text: &str) -> Result<(u32, u32), String> {
    text.split_once('-')
        .and_then(|(a, b)| Some((a.trim().parse().ok()?, b.trim().parse().ok()?)))
        .filter(|(a, b)| a <= b)
        .ok_or_else(|| format!("\"{text}\" is not two rows FIRST-LAST"))
}

/// Parses an axis that points up.
pub(in crate::cli) fn up(text: &str) -> Result<Up, String> {
    Up::from_sign(text).ok_or_else(|| format!("\"{text}\" is no axis that points up; give y or z"))
}

/// Parses a unit's sign.
pub(in crate::cli) fn unit(text: &str) -> Result<Unit, String> {
    Unit::from_sign(text).ok_or_else(|| format!("\"{text}\" is none of m, cm, mm, in and ft"))
}
