//! `owl-dome render`.

mod options;

use super::{Outcome, number, numbers, shape};
use crate::work::denoise::denoised;
use clap::Args;
use dome_files::picture_file::{self, PictureSpec};
use dome_files::{FileError, PictureFormat, join};
use dome_imaging::{LayeredStrip, NoiseSum};
use dome_optics::projection::{Cell, CubeLayout};
use dome_optics::{Eye, LensEye, MonoEye, Orientation, PanoramaSize, PictureSize, Shape};
use dome_trace::passes::mask_table;
use dome_trace::{
    Control, Forecast, Illumination, ImportOptions, LightSettings, Pass, PassSet, Quality, Render,
    Unit, stand,
};
use glam::DVec3;
use options::{SkyChoice, pass_list, rows, sky, unit};
use std::collections::BTreeSet;
use std::io::{IsTerminal, Write};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

#[derive(Args)]
pub(super) struct RenderArgs {
    /// The scene: .glb, .gltf, .obj or .zip
    scene: PathBuf,
    /// The picture to write; its ending chooses .exr, .jpg, .png or .hdr
    #[arg(short, long, value_name = "OUT")]
    output: PathBuf,
    /// Where the eye stands, metres; without it the middle of the scene, 1.6 m above the floor there
    #[arg(long, value_name = "X,Y,Z", value_parser = numbers::<3>, allow_hyphen_values = true)]
    at: Option<[f64; 3]>,
    /// Heading of the picture's middle, degrees clockwise from -Z
    #[arg(long, value_name = "DEG", default_value = "0", value_parser = number, allow_hyphen_values = true)]
    heading: f64,
    /// Pitch, degrees upwards; anything but 0 makes the horizon wavy
    #[arg(long, value_name = "DEG", default_value = "0", value_parser = number, allow_hyphen_values = true)]
    pitch: f64,
    /// Roll, degrees clockwise; anything but 0 makes the horizon wavy
    #[arg(long, value_name = "DEG", default_value = "0", value_parser = number, allow_hyphen_values = true)]
    roll: f64,
    /// The shape of the picture; `owl-dome shapes` lists them all
    #[arg(long, value_name = "SHAPE", default_value = "equirect", value_parser = shape)]
    shape: Shape,
    /// Face order of a cube, for example right,left,up,down:90,front,back (clockwise turns in degrees)
    #[arg(long, value_name = "FACES", value_parser = CubeLayout::parse_order)]
    order: Option<[Cell; 6]>,
    /// Width in pixels; the height follows from the shape (2048 for a full sphere, and as much detail for
    /// other shapes, if neither is given)
    #[arg(long, value_name = "N")]
    width: Option<u32>,
    /// Height in pixels, if it is easier to give
    #[arg(long, value_name = "N")]
    height: Option<u32>,
    /// Samples per pixel, 64 if not given; with --noise the most a pixel may take, 4096 if not given
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=1_048_576))]
    samples: Option<u32>,
    /// Noise at which a pixel is finished, percent of the displayed value; 12 is a draft, 4 is clean
    #[arg(long, value_name = "PCT", value_parser = number)]
    noise: Option<f64>,
    /// Another seed gives other noise
    #[arg(long, value_name = "N", default_value_t = 0)]
    seed: u32,
    /// Threads; without it all cores
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u16).range(1..=1024))]
    threads: Option<u16>,
    /// Passes beside the picture, e.g. depth,normal,object-mask, or all; layers of an .exr, files of their
    /// own (OUT.pass.exr) beside other formats
    #[arg(long, value_name = "A,B,C", value_parser = pass_list, default_value = "")]
    passes: PassSet,
    /// Write passes as files of their own beside an .exr too
    #[arg(long)]
    separate: bool,
    /// Radius of the pass ambient-occlusion, metres
    #[arg(long, value_name = "METRES", default_value = "1", value_parser = number)]
    occlusion_radius: f64,
    /// What surrounds the scene: sun:ELEVATION,HEADING[,TURBIDITY] (degrees), plain:R,G,B (scene-linear),
    /// or a picture (.exr, .hdr, .jpg, .png)
    #[arg(long, value_name = "SKY", value_parser = sky, allow_hyphen_values = true)]
    sky: Option<SkyChoice>,
    /// Turns the surroundings clockwise, degrees
    #[arg(long, value_name = "DEG", default_value = "0", value_parser = number, allow_hyphen_values = true)]
    sky_turn: f64,
    /// Leave out the backdrop: nothing where the sky would be, and an alpha channel
    #[arg(long)]
    transparent: bool,
    /// One neutral grey over everything but what is see-through
    #[arg(long)]
    clay: bool,
    /// The moment of the scene's animation, seconds
    #[arg(long, value_name = "SECONDS", default_value = "0", value_parser = number)]
    time: f64,
    /// Only these rows, both included, counted from 0; put the parts together with `owl-dome join`
    #[arg(long, value_name = "A-B", value_parser = rows)]
    rows: Option<(u32, u32)>,
    /// The unit that the scene was made in: m, cm, mm, in or ft
    #[arg(long, value_name = "UNIT", default_value = "m", value_parser = unit)]
    unit: Unit,
    /// f-number of a 50 mm lens; with --focus
    #[arg(long, value_name = "N", value_parser = number, requires = "focus")]
    fstop: Option<f64>,
    /// Distance at which the lens is sharp, metres; with --fstop
    #[arg(long, value_name = "METRES", value_parser = number, requires = "fstop")]
    focus: Option<f64>,
    /// Take the noise out of the finished picture, guided by its colours and normals
    #[arg(long)]
    denoise: bool,
    /// Brightest light that one sample may add; hides fireflies and makes the picture a little darker
    #[arg(long, value_name = "LIGHT", value_parser = number)]
    clamp: Option<f64>,
}

impl RenderArgs {
    /// Refuses what cannot be done, before anything is loaded.
    fn check(&self) -> Result<(PictureFormat, PictureSize), Box<dyn std::error::Error>> {
        let format = PictureFormat::from_path(&self.output)?;
        let shape = match self.order {
            Some(order) => self.shape.with_order(order)?,
            None => self.shape,
        };
        let size = match (shape, self.width, self.height) {
            (Shape::Equirect, width, None) => {
                PanoramaSize::from_width(width.unwrap_or(2048))?.into()
            }
            (_, width, height) => PictureSize::new(shape, width, height)?,
        };
        let refuse = |sentence: &str| Err(sentence.into());
        if format == PictureFormat::Jpeg && size.width() > 65_535 {
            return refuse("JPEG ends at 65535 px a side; take .exr or .png.");
        }
        if self.denoise && shape != Shape::Equirect {
            return refuse(
                "Denoising needs the full sphere; render equirect with --denoise and convert it.",
            );
        }
        if matches!(shape, Shape::CubeFaces(_))
            && (self.rows.is_some() || self.passes.iter().next().is_some())
        {
            return refuse(
                "Six files take neither --rows nor --passes; render cube-1x6, whose faces are the same.",
            );
        }
        if self.transparent && matches!(format, PictureFormat::Jpeg | PictureFormat::Hdr) {
            return refuse("This format holds no transparency; name the output .png or .exr.");
        }
        if let Some((from, to)) = self.rows {
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
            if self.denoise || self.separate {
                return refuse(
                    "--rows goes with neither --denoise nor --separate: both need the whole picture; join the parts first.",
                );
            }
        }
        if self.noise.is_some_and(|n| !(0.1..=100.0).contains(&n)) {
            return refuse("The noise must lie between 0.1 and 100 %; correct --noise.");
        }
        if !(0.0..=86_400.0).contains(&self.time) {
            return refuse("The moment must lie between 0 and 86400 s; correct --time.");
        }
        if self.fstop.is_some_and(|n| n < 0.5) || self.focus.is_some_and(|f| f < 0.01) {
            return refuse(
                "The f-number must be 0.5 or more and the focus 0.01 m or more; correct them.",
            );
        }
        if self.clamp.is_some_and(|c| c <= 0.0) {
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
        Ok((format, size))
    }

    fn quality(&self) -> Quality {
        match self.noise {
            Some(percent) => Quality::Noise {
                percent: percent as f32,
                most: self.samples.unwrap_or(4096),
            },
            None => Quality::Samples(self.samples.unwrap_or(64)),
        }
    }
}

pub(super) fn run(args: &RenderArgs) -> Outcome {
    let (format, size) = args.check()?;
    if let Some(n) = args.threads {
        rayon::ThreadPoolBuilder::new()
            .num_threads(n.into())
            .build_global()?;
    }
    let imported = dome_trace::load(
        &args.scene,
        &ImportOptions {
            unit: args.unit,
            time_s: args.time,
        },
    )?;
    for left_out in &imported.report.left_out {
        eprintln!("Left out: {} - {}.", left_out.what, left_out.why);
    }
    for notice in &imported.report.notices {
        eprintln!("Note: {notice}");
    }
    let scene = imported.scene;
    let (mut surroundings, picture) = options::surroundings(args.sky.as_ref(), &scene)?;
    surroundings.turn_deg = args.sky_turn as f32;
    surroundings.transparent = args.transparent;
    let light = Illumination::new(
        &scene,
        &surroundings,
        picture.as_ref(),
        &LightSettings::new(),
        1.0,
    );
    let at = args.at.map_or_else(|| stand::middle(&scene), DVec3::from);
    let orientation = Orientation {
        heading_deg: args.heading,
        pitch_deg: args.pitch,
        roll_deg: args.roll,
    };
    if !orientation.is_level() {
        eprintln!("Note: pitch and roll are not 0, so the horizon will be wavy.");
    }
    let plain = MonoEye::new(at, orientation, size.shape);
    let eye: Box<dyn Eye> = match (args.fstop, args.focus) {
        (Some(fstop), Some(focus)) => Box::new(LensEye::new(plain, fstop, focus)),
        _ => Box::new(plain),
    };
    let mut wanted: Vec<Pass> = args.passes.iter().collect();
    if args.transparent {
        wanted.push(Pass::Alpha);
    }
    let wanted = PassSet::new(wanted);
    let guides = [Pass::Albedo, Pass::Normal].into_iter();
    let render = Render {
        passes: PassSet::new(wanted.iter().chain(guides.filter(|_| args.denoise))),
        clay: args.clay,
        clamp: args.clamp.map(|c| c as f32),
        occlusion_radius: args.occlusion_radius.max(1e-3) as f32,
        ..Render::new(&scene, &light, &*eye, size, args.quality(), args.seed)
    };
    let mut spec =
        PictureSpec::panorama(format, size.width(), size.height(), orientation.heading_deg);
    spec.shape = size.shape;
    let mut files = vec![args.output.clone()];
    if wanted.has(Pass::ObjectMask) {
        spec.comments = Some(mask_table(&scene));
    }
    let (from, to) = args.rows.map_or((0, size.height()), |(a, b)| (a, b + 1));
    spec.rows = args.rows.map(|_| from..to);

    let progress = Progress::new(&render, from, to);
    let strips = Render::part_places(from, to).map(|(top, rows)| {
        progress.begin(top);
        let strip = render
            .strip(top, rows, &progress.control)
            .map_err(|e| FileError::Request(e.to_string()))?;
        progress.end(&strip);
        Ok(strip)
    });
    let made = render.passes.clone();
    let keep = |strip: LayeredStrip, of: &PassSet| {
        let layers = made.iter().zip(strip.layers);
        LayeredStrip {
            layers: layers
                .filter(|(pass, _)| of.has(*pass))
                .map(|(_, values)| values)
                .collect(),
            ..strip
        }
    };
    // Passes of their own are taken out of a whole file, which need not stay.
    let own_files: Vec<Pass> = if format == PictureFormat::Exr && !args.separate {
        Vec::new()
    } else {
        let inside = |p: &Pass| *p == Pass::Alpha && format != PictureFormat::Jpeg;
        wanted.iter().filter(|p| !inside(p)).collect()
    };
    let in_file = PassSet::new(wanted.iter().filter(|p| !own_files.contains(p)));
    let written = progress.watch(|| {
        let strips = denoised(strips, &made, size.height(), args.denoise);
        if own_files.is_empty() {
            spec.layers = in_file.layers();
            let strips = strips.map(|s| Ok(keep(s?, &in_file)));
            files = picture_file::write_all(&args.output, &spec, strips)?;
            return Ok(());
        }
        let folder = match args.output.parent() {
            Some(p) if !p.as_os_str().is_empty() => p,
            _ => Path::new("."),
        };
        let beside = tempfile::Builder::new()
            .prefix(".unfinished-")
            .tempdir_in(folder)
            .map_err(FileError::io("Writing", folder))?;
        let whole = beside.path().join("whole.exr");
        let everything = PictureSpec {
            format: PictureFormat::Exr,
            layers: wanted.layers(),
            ..spec.clone()
        };
        picture_file::write(&whole, &everything, strips.map(|s| Ok(keep(s?, &wanted))))?;
        for pass in &own_files {
            join::extract(&whole, &pass.layer(), &pass_path(&args.output, *pass))?;
        }
        spec.layers = in_file.layers();
        picture_file::write(
            &args.output,
            &spec,
            join::with_layers(&whole, &spec.layers)?,
        )
    });
    written?;
    if let Some(percent) = progress.noise().percent() {
        let pixels = u64::from(size.width()) * u64::from(to - from);
        let mean = progress.noise().samples as f64 / pixels as f64;
        eprintln!(
            "Noise {percent:.1} % of the displayed value, {mean:.0} samples a pixel on average."
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
        Self {
            control: Control::default(),
            forecast: Forecast::look(render, &places),
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

    fn end(&self, strip: &LayeredStrip) {
        self.state(|s| {
            s.current = None;
            s.finished.insert(strip.beauty.top);
            s.noise.add(strip.noise);
        });
    }

    fn noise(&self) -> NoiseSum {
        self.state(|s| s.noise)
    }

    /// Does the work and tells meanwhile how far it is; 100 % only when the file is there.
    fn watch(&self, work: impl FnOnce() -> Result<(), FileError>) -> Result<(), FileError> {
        let ended = AtomicBool::new(false);
        std::thread::scope(|scope| {
            let watcher = scope.spawn(|| self.tell(&ended));
            let done = work();
            ended.store(true, Ordering::Relaxed);
            watcher.thread().unpark();
            let _ = watcher.join();
            if done.is_ok() {
                progress_line("Rendered 100 % ", true);
            }
            eprintln!();
            done
        })
    }

    fn tell(&self, ended: &AtomicBool) {
        let terminal = std::io::stderr().is_terminal();
        let pause = Duration::from_millis(if terminal { 250 } else { 2000 });
        while !ended.load(Ordering::Relaxed) {
            std::thread::park_timeout(pause);
            let samples = self.control.samples_done();
            let share = self.state(|s| {
                let current = s.current.map(|(top, before)| (top, samples - before));
                self.forecast
                    .share(|top| s.finished.contains(&top), current)
            });
            if share > 0.0 && !ended.load(Ordering::Relaxed) {
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
