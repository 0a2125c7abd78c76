//! The commands. Errors go to stderr with exit status 1; wrong usage ends with 2, a check that stops with 3.

mod check;
mod convert;
mod depth;
mod diagnose;
mod farm;
mod film;
mod inspect;
mod join;
mod light_maps;
mod pair_options;
mod pairs;
mod render;
mod scene;
mod seams;
mod serve;
mod tag;
mod work;

use clap::{Parser, Subcommand};
use std::path::PathBuf;
use std::process::ExitCode;

/// What a command ends with.
pub type Outcome = Result<(), Box<dyn std::error::Error>>;

#[derive(Parser)]
#[command(
    name = "owl-dome",
    version,
    about = "360-degree panoramas from 3D scenes: stand, render, tag, look.",
    subcommand_required = true,
    arg_required_else_help = true
)]
struct Cli {
    /// Memory that may be used, for example 6G; by default two thirds of the machine's
    #[arg(long, value_name = "SIZE", global = true, value_parser = memory)]
    memory: Option<u64>,
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Start the server for the browser on 127.0.0.1
    #[command(after_help = "Example:\n  owl-dome serve --data ~/panoramas --port 8360")]
    Serve(serve::ServeArgs),
    /// Work on the queue of a data folder beside its server, in as many processes as you like
    #[command(
        after_help = "Examples:\n  owl-dome work --data ~/panoramas\n  owl-dome work --data ~/panoramas --until-empty"
    )]
    Work(work::WorkArgs),
    /// Put an order with everything that it needs into one folder, for many machines
    #[command(
        after_help = "Example:\n  owl-dome bundle --data ~/panoramas --order 12 -o /shared/walk --frames 4"
    )]
    Bundle(farm::BundleArgs),
    /// Have a bundle made by Slurm: submit, status, cancel, collect
    #[command(
        after_help = "Examples:\n  owl-dome farm submit /shared/walk\n  owl-dome farm status /shared/walk\n  owl-dome farm collect /shared/walk --data ~/panoramas"
    )]
    Farm(farm::FarmArgs),
    /// Render a sphere in any shape from a scene file; no server is needed
    #[command(
        after_help = "Examples:\n  owl-dome render room.glb -o room.exr --at 0,1.6,2 --heading 30 --width 4096 --noise 4\n  owl-dome render room.glb -o room.exr --sky sun:30,135 --passes depth,normal,object-mask\n  owl-dome render room.glb -o top.exr --rows 0-1023 --width 4096\n  owl-dome render room.glb -o dome.png --shape fisheye:180 --pitch 90 --width 4096\n  owl-dome render room.glb -o pair.jpg --stereo panoramic --separation 63mm --close 60,80 --packing top-bottom --width 4096"
    )]
    Render(Box<render::RenderArgs>),
    /// Tell what would spoil a render before it is made; ends with status 3 if something stops it
    #[command(
        after_help = "Examples:\n  owl-dome check room.glb --at 0,1.6,2 --width 8192 --noise 4 --for headset\n  owl-dome check room.glb --width 3840 --height 2160 --json\n  owl-dome check --data ~/panoramas --project \"Merlow Observatory\""
    )]
    Check(Box<check::CheckArgs>),
    /// Turn a picture of everything around into another shape: sphere, cube, fisheye, light probe ...
    #[command(
        after_help = "Examples:\n  owl-dome convert pano.exr -o cube.exr --to cube-cross\n  owl-dome convert left.png front.png right.png back.png up.png down.png -o pano.png --to equirect\n  owl-dome convert pano.jpg -o view.jpg --to perspective:90x60 --turn 30,-10,0 --size 1920\n  owl-dome convert ball.hdr -o sphere.exr --from mirror-ball --to equirect\n\nowl-dome shapes lists all shapes."
    )]
    Convert(Box<convert::ConvertArgs>),
    /// Make maps for lighting other scenes: sphere, cube, rough mirrors, matt surfaces, harmonics
    #[command(
        after_help = "Examples:\n  owl-dome light-maps pano.exr -o maps\n  owl-dome light-maps probe.hdr --from angular-map -o maps --turn 90 --make mirror,harmonics --side 256"
    )]
    LightMaps(light_maps::LightMapsArgs),
    /// Measure the seams of a picture: left-right edge, poles, face edges
    #[command(
        after_help = "Examples:\n  owl-dome seams pano.jpg\n  owl-dome seams cross.png --shape cube-cross --json"
    )]
    Seams(seams::SeamsArgs),
    /// Tell what is wrong with a sphere: squeezed, sinusoidal, turned, mirrored; and mend it
    #[command(
        after_help = "Examples:\n  owl-dome diagnose odd.jpg -o mended.jpg\n  owl-dome diagnose map.exr --against original.exr --json"
    )]
    Diagnose(diagnose::DiagnoseArgs),
    /// List the shapes that a picture can have, with a line each
    Shapes,
    /// Put parts rendered with --rows together, to the same bytes as a whole render
    #[command(after_help = "Example:\n  owl-dome join top.exr bottom.exr -o whole.exr")]
    Join(join::JoinArgs),
    /// Tell how deep it is for two eyes: nearest and farthest, parallax, budget, what is beyond
    #[command(
        after_help = "Examples:\n  owl-dome depth room.glb --at 0,1.6,2 --stereo panoramic --separation 63mm\n  owl-dome depth room.glb --at 0,1.6,2 --heading 30 --stereo flat --converge 3m --screen 2m,3m --budget 20,40 --fit --json"
    )]
    Depth(Box<depth::DepthArgs>),
    /// Lay two eyes into one picture, or into views of an .exr
    #[command(
        after_help = "Examples:\n  owl-dome pair left.png right.png -o pair.jpg --packing top-bottom\n  owl-dome pair pair.exr -o wide.png --packing side-by-side:squeezed\n  owl-dome pair left.exr right.exr -o both.exr"
    )]
    Pair(pairs::PairArgs),
    /// Take a picture with both eyes apart
    #[command(
        after_help = "Example:\n  owl-dome split pair.jpg -o left.png right.png --packing top-bottom"
    )]
    Split(pairs::SplitArgs),
    /// Tell what spoils a pair: the same picture twice, eyes swapped, one too high, brighter or finished otherwise, too much parallax
    #[command(
        name = "check-pair",
        after_help = "Examples:\n  owl-dome check-pair pair.jpg --json\n  owl-dome check-pair left.png right.png -o mended.png"
    )]
    CheckPair(pairs::CheckPairArgs),
    /// Make an anaglyph for red-cyan glasses of two eyes
    #[command(
        after_help = "Example:\n  owl-dome anaglyph pair.exr -o glasses.jpg --kind least-squares"
    )]
    Anaglyph(pairs::AnaglyphArgs),
    /// Tell what an import of a scene understands, what it leaves out, and what is odd
    #[command(after_help = "Example:\n  owl-dome scene room.glb --json")]
    Scene(scene::SceneArgs),
    /// Make a film of finished frames that players take for a sphere; ffmpeg does the encoding
    #[command(
        after_help = "Examples:\n  owl-dome film out -o walk.mp4 --rate 30\n  owl-dome film out/left/{frame:05}.png -o left.mov --codec prores --rate 24\n  owl-dome film pano.jpg -o still.mp4 --hold 20 --sound wind.wav"
    )]
    Film(film::FilmArgs),
    /// Put panorama properties into a JPEG, PNG or film made anywhere; its pixels and media are not touched
    #[command(
        after_help = "Examples:\n  owl-dome tag film.mp4 -o film-360.mp4 --stereo top-bottom\n  owl-dome tag pano.jpg -o pano-360.jpg --heading 90 --opening 120,-5 --fov 80\n  owl-dome tag front.jpg -o front-360.jpg --part 2048,0,8192,4096"
    )]
    Tag(tag::TagArgs),
    /// Tell what a picture file is, and whether a viewer will take it as a sphere
    #[command(after_help = "Example:\n  owl-dome inspect pano-360.jpg --json")]
    Inspect(inspect::InspectArgs),
    /// Write the demo scene, the Merlow Observatory, as a .glb file
    #[command(after_help = "Example:\n  owl-dome demo-scene -o merlow.glb")]
    DemoScene {
        /// The file to write
        #[arg(short, long, value_name = "OUT")]
        output: PathBuf,
    },
}

/// Runs the command line.
pub fn run() -> ExitCode {
    let cli = Cli::parse();
    if let Some(bytes) = cli.memory {
        dome_files::budget::set_limit(bytes);
    }
    let outcome = match cli.command {
        Command::Serve(args) => serve::run(&args),
        Command::Work(args) => work::run(&args),
        Command::Bundle(args) => farm::bundle(&args),
        Command::Farm(args) => farm::run(&args),
        Command::Render(args) => render::run(&args),
        Command::Check(args) => match check::run(&args) {
            Ok(status) => return status,
            Err(e) => Err(e),
        },
        Command::Convert(args) => convert::run(&args),
        Command::LightMaps(args) => light_maps::run(&args),
        Command::Diagnose(args) => diagnose::run(&args),
        Command::Seams(args) => seams::run(&args),
        Command::Shapes => convert::shapes(),
        Command::Join(args) => join::run(&args),
        Command::Depth(args) => depth::run(&args),
        Command::Pair(args) => pairs::pair(&args),
        Command::Split(args) => pairs::split(&args),
        Command::CheckPair(args) => pairs::check_pair(&args),
        Command::Anaglyph(args) => pairs::anaglyph(&args),
        Command::Scene(args) => scene::run(&args),
        Command::Film(args) => film::run(&args),
        Command::Tag(args) => tag::run(&args),
        Command::Inspect(args) => inspect::run(&args),
        Command::DemoScene { output } => {
            dome_files::atomic::write_bytes(&output, &merlow::build()).map_err(Into::into)
        }
    };
    match outcome {
        Ok(()) => ExitCode::SUCCESS,
        Err(e) => {
            eprintln!("owl-dome: {e}");
            ExitCode::FAILURE
        }
    }
}

/// Parses an amount of memory.
fn memory(text: &str) -> Result<u64, String> {
    dome_files::budget::parse(text)
        .ok_or_else(|| format!("\"{text}\" is no amount of memory; give for example 6G or 500M"))
}

/// Parses the name of a shape.
fn shape(text: &str) -> Result<dome_optics::Shape, String> {
    text.parse()
        .map_err(|e: dome_optics::ShapeError| e.to_string())
}

/// Parses `A,B` or `A,B,C` into finite numbers.
fn numbers<const N: usize>(text: &str) -> Result<[f64; N], String> {
    let values: Result<Vec<f64>, _> = text.split(',').map(|t| t.trim().parse::<f64>()).collect();
    values
        .ok()
        .filter(|v| v.iter().all(|x| x.is_finite()))
        .and_then(|v| <[f64; N]>::try_from(v).ok())
        .ok_or_else(|| format!("\"{text}\" is not {N} numbers separated by commas"))
}

/// Parses a finite number.
fn number(text: &str) -> Result<f64, String> {
    numbers::<1>(text)
        .map(|[v]| v)
        .map_err(|_| format!("\"{text}\" is not a number"))
}
