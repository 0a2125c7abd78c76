//! `owl-dome render`.

use super::{Outcome, number, numbers};
use clap::Args;
use dome_files::picture_file::{self, PictureSpec};
use dome_files::{FileError, PictureFormat};
use dome_optics::{Equirect, MonoEye, Orientation, PanoramaSize};
use dome_trace::{Control, Render, stand};
use glam::DVec3;
use std::io::{IsTerminal, Write};
use std::path::PathBuf;
use std::sync::atomic::{AtomicBool, Ordering};
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
    /// Width in pixels; the height is half of it
    #[arg(long, value_name = "N", default_value_t = 2048)]
    width: u32,
    /// Samples per pixel
    #[arg(long, value_name = "N", default_value_t = 64, value_parser = clap::value_parser!(u32).range(1..=1_048_576))]
    samples: u32,
    /// Another seed gives other noise
    #[arg(long, value_name = "N", default_value_t = 0)]
    seed: u32,
    /// Threads; without it all cores
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u16).range(1..=1024))]
    threads: Option<u16>,
}

pub(super) fn run(args: &RenderArgs) -> Outcome {
    let format = PictureFormat::from_path(&args.output)?;
    let size = PanoramaSize::from_width(args.width)?;
    if format == PictureFormat::Jpeg && size.width() > 65_535 {
        return Err("JPEG ends at 65535 px a side; take .exr or .png.".into());
    }
    if let Some(folder) = args.output.parent().filter(|p| !p.as_os_str().is_empty())
        && !folder.is_dir()
    {
        return Err(format!(
            "The folder {} is not there; make it first.",
            folder.display()
        )
        .into());
    }
    if let Some(n) = args.threads {
        rayon::ThreadPoolBuilder::new()
            .num_threads(n.into())
            .build_global()?;
    }
    let imported = dome_trace::load(&args.scene)?;
    for left_out in &imported.report.left_out {
        eprintln!("Left out: {} - {}.", left_out.what, left_out.why);
    }
    for notice in &imported.report.notices {
        eprintln!("Note: {notice}");
    }
    let scene = imported.scene;
    let at = args.at.map_or_else(|| stand::middle(&scene), DVec3::from);
    let orientation = Orientation {
        heading_deg: args.heading,
        pitch_deg: args.pitch,
        roll_deg: args.roll,
    };
    if !orientation.is_level() {
        eprintln!("Note: pitch and roll are not 0, so the horizon will be wavy.");
    }
    let eye = MonoEye::new(at, orientation, Equirect);
    let render = Render {
        scene: &scene,
        sky: scene.sky,
        eye: &eye,
        size,
        samples: args.samples,
        seed: args.seed,
    };
    let control = Control::default();
    let finished = AtomicBool::new(false);
    let spec = PictureSpec::panorama(format, size.width(), size.height(), orientation.heading_deg);
    std::thread::scope(|scope| {
        let watcher = scope.spawn(|| watch(&control, size.pixels(), &finished));
        let strips = Render::strip_places(size.height()).map(|(top, rows)| {
            render
                .strip(top, rows, &control)
                .map_err(|e| FileError::Request(e.to_string()))
        });
        let written = picture_file::write(&args.output, &spec, strips);
        let whole = written.is_ok();
        finished.store(true, Ordering::Relaxed);
        watcher.thread().unpark();
        // 100 % is said only when the file is there.
        let _ = watcher.join();
        if whole {
            progress_line("Rendered 100 % ", true);
            eprintln!();
        } else {
            eprintln!();
        }
        written
    })?;
    println!("{}", args.output.display());
    Ok(())
}

/// Tells progress on stderr until the render has ended.
fn watch(control: &Control, pixels: u64, finished: &AtomicBool) {
    let start = Instant::now();
    let terminal = std::io::stderr().is_terminal();
    let pause = Duration::from_millis(if terminal { 250 } else { 2000 });
    while !finished.load(Ordering::Relaxed) {
        std::thread::park_timeout(pause);
        let share = control.pixels_done() as f64 / pixels as f64;
        if share > 0.0 && !finished.load(Ordering::Relaxed) {
            let left = start.elapsed().as_secs_f64() * (1.0 / share - 1.0);
            // The last rows are still to be written.
            progress_line(
                &format!(
                    "Rendered {:.0} %, about {left:.0} s left ",
                    (share * 100.0).min(99.0)
                ),
                terminal,
            );
        }
    }
}

fn progress_line(text: &str, same_line: bool) {
    let mut err = std::io::stderr();
    let _ = if same_line {
        write!(err, "\r{text:<40}")
    } else {
        writeln!(err, "{text}")
    };
    let _ = err.flush();
}
