//! `owl-dome render`.

pub(super) mod options;

use super::Outcome;
use crate::work::aim;
use crate::work::denoise::{self, Remaining, Way, denoised, still_noisy, written};
use crate::work::eyes::{self, Eyes};
use crate::work::meanwhile::meanwhile;
use crate::work::packing::{self, Laying};
use crate::work::recipe::{Recipe, only};
use clap::Args;
use dome_files::picture_file::{self, PictureSpec};
use dome_files::{FileError, Fingerprint, Mark, PictureFormat, join, strip_file, views};
use dome_imaging::{LayeredStrip, NoiseSum};
use dome_optics::rig::{Arrangement, Packing, Rig, Side};
use dome_optics::{Orientation, PictureSize, Shape};
use dome_trace::{
    Control, Forecast, GlassLight, Illumination, ImportOptions, Pass, PassSet, Render, stand,
};
use glam::DVec3;
use options::RenderOptions;
use std::collections::BTreeSet;
use std::io::{IsTerminal, Write};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

#[derive(Args)]
pub(super) struct RenderArgs {
    /// The scene: .glb, .gltf, .obj or .zip
    scene: PathBuf,
    /// The picture to write; its ending chooses .exr, .jpg, .png or .hdr
    #[arg(short, long, value_name = "OUT")]
    output: PathBuf,
    #[command(flatten)]
    options: RenderOptions,
}

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
            .laying(format)
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
            if pair.packing.is_none() && pair.eye.is_none() && format != PictureFormat::Exr {
                return refuse(
                    "Only .exr holds both eyes as views; say how they lie with --packing, e.g. top-bottom.",
                );
            }
            let passes = self.options.passes.iter().next().is_some();
            if passes && (format != PictureFormat::Exr || self.options.separate) {
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
        if let Some(folder) = self.output.parent().filter(|p| !p.as_os_str().is_empty())
            && !folder.is_dir()
        {
            return Err(format!(
                "The folder {} is not there; make it first.",
                folder.display()
            )
            .into());
        }
        Ok((format, size, rig))
    }

    /// How the eyes lie in the file: without a word both are views of an .exr, each of its own size.
    fn laying(&self, format: PictureFormat) -> Laying {
        let views = if format == PictureFormat::Exr {
            Packing::MONO
        } else {
            Packing::TOP_BOTTOM
        };
        Laying {
            packing: self.options.pair.packing.unwrap_or(views),
            crop: 0,
            window: [[0.0; 2]; 2],
        }
    }
}

pub(super) fn run(args: &RenderArgs) -> Outcome {
    let (format, size, rig) = args.check()?;
    if let Some(n) = args.options.threads {
        rayon::ThreadPoolBuilder::new()
            .num_threads(n.into())
            .build_global()?;
    }
    let imported = dome_trace::load(
        &args.scene,
        &ImportOptions {
            unit: args.options.unit,
            up: args.options.up,
            inside: args.options.inside.clone(),
            time_s: args.options.time,
            ..ImportOptions::default()
        },
    )?;
    for left_out in &imported.report.left_out {
        eprintln!("Left out: {} - {}.", left_out.what, left_out.why);
    }
    for notice in &imported.report.notices {
        eprintln!("Note: {notice}");
    }
    let start = imported.report.light;
    let scene = imported.scene;
    let (surroundings, picture) = options::surroundings(&args.options, start.sky_cd_m2, &scene)?;
    let scale = args.options.light_scale(&start);
    let (lights, tables) = options::lights(&args.options, &scene)?;
    let light = Illumination::measured(
        &scene,
        &surroundings,
        picture.as_ref(),
        (&lights, &tables),
        scale,
    );
    let at = args
        .options
        .at
        .map_or_else(|| stand::middle(&scene), DVec3::from);
    let orientation = Orientation {
        heading_deg: args.options.heading,
        pitch_deg: args.options.pitch,
        roll_deg: args.options.roll,
    };
    if !orientation.is_level() {
        eprintln!("Note: pitch and roll are not 0, so the horizon will be wavy.");
    }
    let mut wanted: Vec<Pass> = args.options.passes.iter().collect();
    if args.options.transparent {
        wanted.push(Pass::Alpha);
    }
    let recipe = Recipe {
        at,
        orientation,
        rig,
        lens: args.options.fstop.zip(args.options.focus),
        size,
        quality: args.options.quality(),
        seed: args.options.seed,
        time_s: args.options.time,
        surroundings,
        lights,
        glass: if args.options.bend_light {
            GlassLight::Bent
        } else {
            GlassLight::Straight
        },
        file_cd_m2: scale.file_cd_m2,
        white_cd_m2: scale.white_cd_m2,
        stops: 0.0,
        passes: PassSet::new(wanted),
        clay: args.options.clay,
        denoise: args.options.denoise,
        clamp: args.options.clamp.map(|c| c as f32),
        occlusion_m: args.options.occlusion_radius.max(1e-3) as f32,
    };
    let sky_picture = match &args.options.sky {
        Some(options::SkyChoice::Picture(path)) => Some(Fingerprint::of_file(path)?),
        _ => None,
    };
    let description = recipe.describe(&scene, sky_picture);
    let mark = |side: Side| Mark {
        eye: side as u32,
        ..Mark::still(description.fingerprint())
    };
    // Parts keep what denoising looks at: it needs the rows of other parts, and is done when they are joined.
    let in_parts = args.options.rows.is_some() && args.options.denoise;
    let wanted = &match in_parts {
        true => recipe.strip_passes(),
        false => recipe.passes.clone(),
    };
    let both = eyes::of(&recipe);
    let looking = Control::default();
    // Nothing stops a command from within.
    let learned = looked(&looking, || {
        eyes::learn(&recipe, &scene, &light, &both, &looking)
    });
    let learned = learned.unwrap_or_default();
    let mut eyes = Eyes::new(&recipe, &scene, &light, &both, &learned);
    let way = denoise::way();
    let raw = looked(&looking, || aim::raw_noise(&recipe, &eyes, &way, &looking));
    let raw = raw.unwrap_or_default();
    if let Some(percent) = raw {
        eprintln!("Rendering to a noise of {percent:.1} %; denoising takes the rest.");
        eyes.aim_at(percent);
    }
    let render = eyes.first();
    let mut spec = recipe.file(format, &scene);
    spec.check()?;
    spec.description = Some(description.clone());
    let mut files = vec![args.output.clone()];
    let (from, to) = args
        .options
        .rows
        .map_or((0, size.height()), |(a, b)| (a, b + 1));
    spec.rows = args.options.rows.map(|_| from..to);
    if in_parts {
        let line = still_noisy(raw);
        spec.comments = Some(match spec.comments.take() {
            Some(told) => format!("{line}\n{told}"),
            None => line,
        });
    }

    let progress = Progress::new(render, from, to);
    let places: Vec<_> = Render::part_places(from, to).collect();
    let rendered = |(top, rows): (u32, u32)| {
        progress.begin(top);
        let strips = match args.options.pair.eye {
            Some(side) => eyes
                .only(side, (top, rows), &progress.control)
                .map(|s| vec![s]),
            None => eyes.strips((top, rows), &progress.control),
        };
        let strips = strips.map_err(|e| FileError::Request(e.to_string()))?;
        strips.iter().for_each(|s| progress.add(s));
        progress.end(top);
        Ok::<_, FileError>(strips)
    };
    // What strips hold when they are saved: denoising gives what is wanted.
    let made = match args.options.denoise && !in_parts {
        true => wanted.clone(),
        false => render.passes.clone(),
    };
    // Passes of their own are taken out of a whole file, which need not stay.
    let own_files: Vec<Pass> = if format == PictureFormat::Exr && !args.options.separate {
        Vec::new()
    } else {
        let inside = |p: &Pass| *p == Pass::Alpha && format != PictureFormat::Jpeg;
        wanted.iter().filter(|p| !inside(p)).collect()
    };
    let in_file = PassSet::new(wanted.iter().filter(|p| !own_files.contains(p)));
    let folder = match args.output.parent() {
        Some(p) if !p.as_os_str().is_empty() => p,
        _ => Path::new("."),
    };
    let beside = || {
        tempfile::Builder::new()
            .prefix(".unfinished-")
            .tempdir_in(folder)
            .map_err(FileError::io("Writing", folder))
    };
    let packed =
        rig.is_some() && args.options.pair.eye.is_none() && args.options.pair.packing.is_some();
    if args.options.pair.eye.is_some() {
        spec.both_eyes = false;
    }
    // Strips hold what the passes want, of one eye or of both.
    let joined = |strips: Vec<LayeredStrip>, passes: &PassSet| {
        let mut eyes = strips.into_iter().map(|s| only(s, &made, passes));
        match (eyes.next(), eyes.next()) {
            (Some(left), Some(right)) => Ok(views::both(left, right)),
            (Some(one), None) => Ok(one),
            _ => Err(FileError::Request("There is no eye to see with.".into())),
        }
    };
    let mut save = |strips: &mut dyn Iterator<Item = Result<Vec<LayeredStrip>, FileError>>| {
        if rig.is_some() {
            let master = |path: &Path,
                          strips: &mut dyn Iterator<
                Item = Result<Vec<LayeredStrip>, FileError>,
            >| {
                let whole = PictureSpec {
                    format: PictureFormat::Exr,
                    both_eyes: true,
                    layers: views::layers_of_both(&wanted.layers(), spec.deep),
                    ..spec.clone()
                };
                picture_file::write(path, &whole, strips.map(|s| joined(s?, wanted)))
            };
            if args.options.pair.eye.is_some() {
                spec.layers = in_file.layers();
                let strips = strips.map(|s| joined(s?, &in_file));
                files = picture_file::write_all(&args.output, &spec, strips)?;
            } else if packed {
                let beside = beside()?;
                let whole = beside.path().join("whole.exr");
                master(&whole, strips)?;
                let laying = args.laying(format);
                spec.layers = in_file.layers();
                if laying.packing.arrangement == Arrangement::Mono {
                    spec.both_eyes = false;
                }
                files = packing::write(&whole, &args.output, &spec, laying, None, &|_| true)?;
            } else {
                master(&args.output, strips)?;
            }
            return Ok(());
        }
        if own_files.is_empty() {
            spec.layers = in_file.layers();
            let strips = strips.map(|s| joined(s?, &in_file));
            files = picture_file::write_all(&args.output, &spec, strips)?;
            return Ok(());
        }
        let beside = beside()?;
        let whole = beside.path().join("whole.exr");
        let everything = PictureSpec {
            format: PictureFormat::Exr,
            layers: wanted.layers(),
            ..spec.clone()
        };
        picture_file::write(&whole, &everything, strips.map(|s| joined(s?, wanted)))?;
        for pass in &own_files {
            join::extract(&whole, &pass.layer(), &pass_path(&args.output, *pass))?;
        }
        spec.layers = in_file.layers();
        picture_file::write(
            &args.output,
            &spec,
            join::with_layers(&whole, &spec.layers)?,
        )
    };
    let mut left = Remaining::default();
    let note = progress.watch(|| {
        if !args.options.denoise || in_parts {
            save(&mut places.iter().copied().map(rendered))?;
            return Ok(None);
        }
        // The strips are kept until the noise is out of all of them: a library that fails must not cost the render.
        let beside = beside()?;
        let rendered_passes = render.passes.clone();
        let layers = rendered_passes.layers();
        let sides: &[Side] = match args.options.pair.eye {
            Some(_) => &[Side::Left],
            None => recipe.sides(),
        };
        let path = |side: Side, top: u32| {
            beside
                .path()
                .join(format!("{}-{top:06}.strip", side.name()))
        };
        for place in &places {
            for (side, strip) in sides.iter().zip(rendered(*place)?) {
                strip_file::write(&path(*side, place.0), &mark(*side), &strip, &layers)?;
            }
        }
        let write = |way: &Way| {
            let sum = Mutex::new(Remaining::default());
            let mut eyes: Vec<_> = (sides.iter())
                .map(|side| {
                    let strips = places.iter().map(|(top, _)| {
                        strip_file::read(&path(*side, *top), &mark(*side), &layers)
                    });
                    let what = denoise::Job {
                        made: &rendered_passes,
                        wanted,
                        size,
                    };
                    denoised(strips, what, way, &sum, || true)
                })
                .collect();
            let mut together = std::iter::from_fn(|| {
                let strips: Option<Vec<_>> = eyes.iter_mut().map(Iterator::next).collect();
                Some(strips?.into_iter().collect::<Result<Vec<_>, _>>())
            });
            save(&mut together)?;
            drop(eyes);
            left = sum.into_inner().unwrap_or_else(PoisonError::into_inner);
            Ok(())
        };
        Ok::<_, FileError>(written(true, write)?.1)
    })?;
    if let Some(note) = note {
        eprintln!("Note: {note}");
    }
    if let Some(percent) = progress.noise().percent() {
        let eyes = match args.options.pair.eye {
            Some(_) => 1,
            None => recipe.sides().len() as u64,
        };
        let pixels = u64::from(size.width()) * u64::from(to - from) * eyes;
        let mean = progress.noise().samples as f64 / pixels as f64;
        let left = (left.percent()).map_or_else(String::new, |left| {
            format!(", {left:.1} % left after denoising")
        });
        eprintln!(
            "Noise {percent:.1} % of the displayed value{left}, {mean:.0} samples a pixel on average."
        );
    }
    for pass in &own_files {
        println!("{}", pass_path(&args.output, *pass).display());
    }
    for file in &files {
        println!("{}", file.display());
    }
    Ok(())
}

/// Where a pass of its own goes: `OUT.pass.exr` beside `OUT.ending`.
fn pass_path(output: &Path, pass: Pass) -> PathBuf {
    output.with_extension(format!("{}.exr", pass.name()))
}

/// How far a render is, told on stderr.
struct Progress {
    control: Control,
    forecast: Forecast,
    state: Mutex<State>,
    start: Instant,
}

#[derive(Default)]
struct State {
    finished: BTreeSet<u32>,
    current: Option<(u32, u64)>,
    noise: NoiseSum,
}

impl Progress {
    fn new(render: &Render, from: u32, to: u32) -> Self {
        let start = Instant::now();
        let places: Vec<_> = Render::part_places(from, to).collect();
        let control = Control::default();
        Self {
            forecast: Forecast::look(render, &places, &control),
            control,
            state: Mutex::default(),
            start,
        }
    }

    fn state<T>(&self, change: impl FnOnce(&mut State) -> T) -> T {
        change(&mut self.state.lock().unwrap_or_else(PoisonError::into_inner))
    }

    fn begin(&self, top: u32) {
        let samples = self.control.samples_done();
        self.state(|s| s.current = Some((top, samples)));
    }

    fn add(&self, strip: &LayeredStrip) {
        self.state(|s| s.noise.add(strip.noise));
    }

    fn end(&self, top: u32) {
        self.state(|s| {
            s.current = None;
            s.finished.insert(top);
        });
    }

    fn noise(&self) -> NoiseSum {
        self.state(|s| s.noise)
    }

    /// Does the work and tells meanwhile how far it is; 100 % only when the file is there.
    fn watch<T>(&self, work: impl FnOnce() -> Result<T, FileError>) -> Result<T, FileError> {
        let terminal = std::io::stderr().is_terminal();
        let pause = Duration::from_millis(if terminal { 250 } else { 2000 });
        let done = meanwhile(pause, || self.tell(terminal), work);
        if done.is_ok() {
            progress_line("Rendered 100 % ", true);
        }
        eprintln!();
        done
    }

    fn tell(&self, terminal: bool) {
        let samples = self.control.samples_done();
        let share = self.state(|s| {
            let current = s.current.map(|(top, before)| (top, samples - before));
            self.forecast
                .share(|top| s.finished.contains(&top), current)
        });
        if share > 0.0 {
            let left = self.start.elapsed().as_secs_f64() * (1.0 / share - 1.0);
            let noise = self.noise().percent();
            let noise = noise.map_or_else(String::new, |n| format!(", noise {n:.1} %"));
            // The last rows are still to be written.
            let percent = (share * 100.0).min(99.0);
            progress_line(
                &format!("Rendered {percent:.0} %, about {left:.0} s left{noise} "),
                terminal,
            );
        }
    }
}

/// Does a look before the render and tells meanwhile how far it is, if it takes long enough to be told.
fn looked<T>(control: &Control, look: impl FnOnce() -> T) -> T {
    let terminal = std::io::stderr().is_terminal();
    let pause = Duration::from_millis(if terminal { 250 } else { 2000 });
    let tell = || {
        if let Some(share) = control.look_share() {
            let percent = 100.0 * share;
            progress_line(
                &format!("Looking at the light and its noise first, {percent:.0} % "),
                terminal,
            );
        }
    };
    let found = meanwhile(pause, tell, look);
    if terminal {
        progress_line("", true);
        eprint!("\r");
    }
    found
}

fn progress_line(text: &str, same_line: bool) {
    let mut err = std::io::stderr();
    let _ = if same_line {
        write!(err, "\r{text:<56}")
    } else {
        writeln!(err, "{text}")
    };
    let _ = err.flush();
}
