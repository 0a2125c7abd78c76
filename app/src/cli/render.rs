//! `owl-dome render`.

pub(super) mod options;

pub(super) mod progress;
mod sequence;

use super::Outcome;

use crate::work::denoise;
use crate::work::filing::{Filing, PASS_WORD, folder_of, told_in};
use crate::work::look;
use crate::work::recipe::Recipe;
use crate::work::studio::Studio;
use clap::Args;
use dome_files::picture_file::EYE_WORD;
use dome_files::{Fingerprint, PictureFormat};
use dome_optics::rig::Rig;
use dome_optics::{Orientation, PictureSize, Shape, ShapeError};
use dome_trace::{GlassLight, Illumination, Pass, PassSet, Scene, stand};
use options::RenderOptions;
use progress::{Progress, progress_line};
use sequence::SequenceOptions;
use std::path::PathBuf;

#[derive(Args)]
pub(super) struct RenderArgs {
    /// The scene: .glb, .gltf, .obj or .zip
    scene: PathBuf,
    /// The picture to write; its ending chooses .exr, .jpg, .png or .hdr. With --frames a pattern like out/{frame:05}.exr; {eye}, {face}
    /// and {pass} in it give each eye, face and pass a file of its own
    #[arg(short, long, value_name = "OUT")]
    output: PathBuf,
    /// 16 bits a channel in a .png
    #[arg(long)]
    deep: bool,
    /// Keep in this file what is looked at before the picture, or take it from there: parts of one picture look only once
    #[arg(long, value_name = "FILE")]
    look: Option<PathBuf>,
    #[command(flatten)]
    options: RenderOptions,
    #[command(flatten)]
    sequence: SequenceOptions,
}

/// Words that a name may have, beside the frame's number.
const WORDS: [&str; 5] = ["eye", "face", "pass", "width", "shape"];

impl RenderArgs {
    /// Refuses what cannot be done, before anything is loaded.
    fn check(
        &self,
    ) -> Result<(PictureFormat, PictureSize, Option<Rig>), Box<dyn std::error::Error>> {
        let format = PictureFormat::from_path(&self.output)?;
        let shape = self.options.shape()?;
        let size = self.options.size(shape)?;
        let rig = self.options.pair.rig(&size.shape)?;
        let refuse = |sentence: &str| Err(sentence.into());
        let (wide, _) = self
            .filing()
            .laying(&self.output, format)
            .packing
            .file_size((size.width(), size.height()));
        if rig.is_some() {
            let eyes_apart = matches!(shape, Shape::CubeFaces(_));
            if eyes_apart {
                return refuse(
                    "Six files of two eyes would be twelve; render cube-1x6, whose faces are the same.",
                );
            }
            let pair = &self.options.pair;
            let apart = told_in(&self.output, EYE_WORD);
            if pair.packing.is_none()
                && pair.eye.is_none()
                && !apart
                && format != PictureFormat::Exr
            {
                return refuse(
                    "Only .exr holds both eyes as views; say how they lie with --packing, e.g. top-bottom.",
                );
            }
            let passes = self.options.passes.iter().next().is_some();
            let separate = self.options.separate || told_in(&self.output, PASS_WORD);
            if passes && (format != PictureFormat::Exr || separate) {
                return refuse(
                    "The passes of two eyes are layers of an .exr; name the output .exr and leave --separate out.",
                );
            }
            if self.options.rows.is_some() && pair.packing.is_some() {
                return refuse(
                    "--rows makes parts of a file with both eyes as views; leave --packing out, join, and pack with `owl-dome pair`.",
                );
            }
        }
        if format == PictureFormat::Jpeg && wide > 65_535 {
            return refuse("JPEG ends at 65535 px a side; take .exr or .png.");
        }
        if self.options.denoise
            && let Some(why) = denoise::refused(&size.shape)
        {
            return Err(why.into());
        }
        if self.options.passes.has(Pass::TakenOut) && !self.options.denoise {
            return refuse("The pass taken-out is what denoising took; give --denoise too.");
        }
        if matches!(shape, Shape::CubeFaces(_))
            && (self.options.rows.is_some() || self.options.passes.iter().next().is_some())
        {
            return refuse(
                "Six files take neither --rows nor --passes; render cube-1x6, whose faces are the same.",
            );
        }
        if self.options.transparent && matches!(format, PictureFormat::Jpeg | PictureFormat::Hdr) {
            return refuse("This format holds no transparency; name the output .png or .exr.");
        }
        if let Some((from, to)) = self.options.rows {
            if format != PictureFormat::Exr {
                return refuse("Only .exr can hold some rows of a picture; name the output .exr.");
            }
            if to >= size.height() {
                return Err(format!(
                    "Rows {from}-{to} are not all in the picture, which has rows 0 to {}.",
                    size.height() - 1
                )
                .into());
            }
            if self.options.separate {
                return refuse(
                    "--rows does not go with --separate, which needs the whole picture; join the parts first.",
                );
            }
            if self.options.denoise && self.options.pair.eye.is_none() && rig.is_some() {
                return refuse(
                    "--rows with --denoise makes parts of one eye; render each with --eye left and --eye right.",
                );
            }
        }
        if self
            .options
            .noise
            .is_some_and(|n| !(0.1..=100.0).contains(&n))
        {
            return refuse("The noise must lie between 0.1 and 100 %; correct --noise.");
        }
        if !(0.0..=86_400.0).contains(&self.options.time) {
            return refuse("The time must lie between 0 and 86400 s; correct --time.");
        }
        if self.options.fstop.is_some_and(|n| n < 0.5)
            || self.options.focus.is_some_and(|f| f < 0.01)
        {
            return refuse(
                "The f-number must be 0.5 or more and the focus 0.01 m or more; correct them.",
            );
        }
        if self.options.clamp.is_some_and(|c| c <= 0.0) {
            return refuse("The brightest light must be above 0; correct --clamp.");
        }
        if self.deep && format != PictureFormat::Png {
            return refuse(
                "Only a .png has 8 or 16 bits by choice; an .exr holds half floats and .jpg 8 bits. Leave --deep out.",
            );
        }
        if self.look.is_some() && self.sequence.frames.is_some() {
            return refuse(
                "Each frame is looked at by itself; leave --look out, or render one picture.",
            );
        }
        if let Some(file) = &self.look {
            look::check(file)?;
        }
        match self.sequence.frames {
            Some(frames) => self.check_sequence(frames, format, rig.is_some())?,
            None if told_in(&self.output, "{frame") => {
                return refuse(
                    "The name has {frame} in it; say which frames with --frames, for example 0-100.",
                );
            }
            None => {
                let folder = folder_of(&self.output);
                if !folder.is_dir() {
                    return Err(format!(
                        "The folder {} is not there; make it first.",
                        folder.display()
                    )
                    .into());
                }
            }
        }
        Ok((format, size, rig))
    }

    /// The shape that is rendered.
    fn shape(&self) -> Result<Shape, ShapeError> {
        self.options.shape()
    }

    /// How the picture is laid into files.
    fn filing(&self) -> Filing {
        Filing {
            deep: self.deep,
            separate: self.options.separate,
            rows: self.options.rows,
            eye: self.options.pair.eye,
            packing: self.options.pair.packing,
            // Commands write what is recorded.
            crop: 0,
        }
    }
}

pub(super) fn run(args: &RenderArgs) -> Outcome {
    let checked = args.check()?;
    if let Some(n) = args.options.threads {
        rayon::ThreadPoolBuilder::new()
            .num_threads(n.into())
            .build_global()?;
    }
    let studio = open(args, checked)?;
    match args.sequence.frames {
        Some(frames) => sequence::run(args, studio, frames),
        None => still(args, &studio),
    }
}

fn still(args: &RenderArgs, studio: &Studio) -> Outcome {
    let output = args.output.clone();
    let mut shot = studio.shot(studio.recipe.clone(), output)?;
    if let Some(file) = &args.look {
        shot.looks_once(file.clone());
    }
    let made = shot.render(studio.seen(), &Progress::new(None), None);
    if made.is_ok() {
        progress_line("Rendered 100 % ", true);
    }
    eprintln!();
    let made = made?;
    for note in made.notes {
        eprintln!("Note: {note}");
    }
    if let Some(noise) = made.noise {
        eprintln!("{noise}");
    }
    for file in made.files {
        println!("{}", file.display());
    }
    Ok(())
}

/// Reads the scene.
fn open(
    args: &RenderArgs,
    (format, size, rig): (PictureFormat, PictureSize, Option<Rig>),
) -> Result<Studio, Box<dyn std::error::Error>> {
    let options = &args.options;
    let imported = dome_trace::load(&args.scene, &options.import())?;
    for left_out in &imported.report.left_out {
        eprintln!("Left out: {} - {}.", left_out.what, left_out.why);
    }
    for notice in &imported.report.notices {
        eprintln!("Note: {notice}");
    }
    let start = imported.report.light;
    let scene = imported.scene;
    let at = options.eye(&imported.document, &scene);
    if let Some(note) = stand::far_off(&scene, at) {
        eprintln!("Note: {note}");
    }
    let (surroundings, picture) = options::surroundings(options, start.sky_cd_m2, &scene)?;
    let (lights, tables) = options::lights(options, &scene)?;
    let scale = options.light_scale(&start);
    let orientation = Orientation {
        heading_deg: options.heading,
        pitch_deg: options.pitch,
        roll_deg: options.roll,
    };
    if !orientation.is_level() {
        eprintln!("Note: pitch and roll are not 0, so the horizon will be wavy.");
    }
    let mut wanted: Vec<Pass> = options.passes.iter().collect();
    if options.transparent {
        wanted.push(Pass::Alpha);
    }
    let recipe = Recipe {
        at,
        orientation,
        rig,
        lens: options.fstop.zip(options.focus),
        size,
        quality: options.quality(),
        seed: options.seed,
        time_s: options.time,
        surroundings: surroundings.clone(),
        lights: lights.clone(),
        glass: if options.bend_light {
            GlassLight::Bent
        } else {
            GlassLight::Straight
        },
        file_cd_m2: scale.file_cd_m2,
        white_cd_m2: scale.white_cd_m2,
        stops: 0.0,
        passes: PassSet::new(wanted),
        clay: options.clay,
        denoise: options.denoise,
        clamp: options.clamp.map(|c| c as f32),
        occlusion_m: options.occlusion_radius.max(1e-3) as f32,
    };
    let sky_picture = match &options.sky {
        Some(options::SkyChoice::Picture(path)) => Some(Fingerprint::of_file(path)?),
        _ => None,
    };
    let lit_by = move |scene: &Scene| {
        Illumination::measured(
            scene,
            &surroundings,
            picture.as_ref(),
            (&lights, &tables),
            scale,
        )
    };
    Ok(Studio::new(
        (imported.document, Vec::new(), scene),
        Box::new(lit_by),
        (recipe, sky_picture),
        (args.filing(), format),
    ))
}
