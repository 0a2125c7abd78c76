//! `owl-dome convert` and `owl-dome shapes`.

use super::{Outcome, numbers, shape};
use crate::work::convert::{self, Held, Loaded, Wanted};
use clap::{Args, ValueEnum};
use dome_files::face_frames;
use dome_files::picture_file::face_path;
use dome_imaging::convert::Kernel;
use dome_optics::projection::{Cell, CubeLayout, Face, SHAPES};
use dome_optics::{Orientation, PictureSize, Shape};
use std::io::IsTerminal;
use std::path::{Path, PathBuf};
use std::time::Instant;

#[derive(Args)]
pub(super) struct ConvertArgs {
    /// The picture: .exr, .hdr, .jpg or .png; or the six faces of a cube, named in any usual way; or six folders
    /// with numbered faces, one folder for each face
    #[arg(required = true, num_args = 1..=6, value_name = "IN")]
    inputs: Vec<PathBuf>,
    /// The picture to write; its ending chooses .exr, .jpg, .png or .hdr. For cube-faces six files are
    /// written: OUT-left, OUT-front and so on; for sequences OUT-0001 and so on
    #[arg(short, long, value_name = "OUT")]
    output: PathBuf,
    /// The shape of the picture; without it what the file tells, or its size suggests
    #[arg(long, value_name = "SHAPE", value_parser = shape)]
    from: Option<Shape>,
    /// The shape to make; `owl-dome shapes` lists them all
    #[arg(long, value_name = "SHAPE", value_parser = shape)]
    to: Shape,
    /// Looks heading H to the right, pitch P up and roll R clockwise in the input's sphere, degrees
    #[arg(long, value_name = "H,P,R", value_parser = numbers::<3>, allow_hyphen_values = true, default_value = "0,0,0")]
    turn: [f64; 3],
    /// Width and height in pixels, or the width alone; without it as much detail as the input has
    #[arg(long, value_name = "WxH", value_parser = size)]
    size: Option<(u32, Option<u32>)>,
    /// How values between pixels are found
    #[arg(long, value_enum, default_value_t = KernelName::Bicubic)]
    kernel: KernelName,
    /// Face order of a cube that is read, for example right,left,up,down:90,front,back
    #[arg(long, value_name = "FACES", value_parser = CubeLayout::parse_order)]
    from_order: Option<[Cell; 6]>,
    /// Face order of a cube that is written
    #[arg(long, value_name = "FACES", value_parser = CubeLayout::parse_order)]
    order: Option<[Cell; 6]>,
    /// Leaves frames of a sequence alone that are there already
    #[arg(long = "continue")]
    go_on: bool,
}

#[derive(Clone, Copy, ValueEnum)]
enum KernelName {
    /// Straight lines between 2 x 2 pixels
    Bilinear,
    /// Cubic convolution over 4 x 4 pixels
    Bicubic,
    /// Lanczos' window over 6 x 6 pixels, the sharpest
    Lanczos,
}

fn size(text: &str) -> Result<(u32, Option<u32>), String> {
    let side = |s: &str| {
        s.trim().parse::<u32>().map_err(|_| {
            format!("\"{text}\" is not a width and height in pixels such as 4096x2048")
        })
    };
    match text.split_once('x') {
        Some((w, h)) => Ok((side(w)?, Some(side(h)?))),
        None => Ok((side(text)?, None)),
    }
}

fn ordered(shape: Shape, order: Option<[Cell; 6]>) -> Result<Shape, dome_optics::ShapeError> {
    match order {
        Some(order) => shape.with_order(order),
        None => Ok(shape),
    }
}

pub(super) fn run(args: &ConvertArgs) -> Outcome {
    dome_files::PictureFormat::from_path(&args.output)?;
    let to = ordered(args.to, args.order)?;
    let from = match (args.from, args.from_order) {
        (Some(from), order) => Some(ordered(from, order)?),
        (None, Some(_)) => {
            return Err("--from-order needs --from with a cube; say which.".into());
        }
        (None, None) => None,
    };
    // A wrong size is refused before a large picture is read.
    if let Some((w, h)) = args.size {
        PictureSize::new(to, Some(w), h)?;
    }
    if args.inputs.iter().all(|p| p.is_dir()) {
        return sequence(args, from, to);
    }
    let terminal = std::io::stderr().is_terminal();
    let folder = match args.output.parent() {
        Some(p) if !p.as_os_str().is_empty() => p,
        _ => Path::new("."),
    };
    let loaded = convert::open_any(&args.inputs, from, folder, &mut |share| {
        if terminal {
            eprint!("\rRead {:.0} % ", share * 100.0);
        }
        true
    })?;
    for notice in &loaded.notices {
        eprintln!("Note: {notice}");
    }
    let wanted = wanted(args, &loaded, to)?;
    let height = wanted.size.height();
    let files = convert::write(&loaded, &wanted, &args.output, |row| {
        if terminal {
            eprint!(
                "\rConverted {} % ",
                u64::from(row) * 100 / u64::from(height)
            );
        }
        true
    })?;
    if terminal {
        eprintln!("\rConverted 100 %");
    }
    for file in files {
        println!("{}", file.display());
    }
    Ok(())
}

fn wanted(
    args: &ConvertArgs,
    loaded: &Loaded<Held>,
    to: Shape,
) -> Result<Wanted, Box<dyn std::error::Error>> {
    let size = match args.size {
        Some((w, h)) => PictureSize::new(to, Some(w), h)?,
        None => convert::natural_size(loaded.source.shape(), loaded.source.size().0, to)?,
    };
    let [heading_deg, pitch_deg, roll_deg] = args.turn;
    Ok(Wanted {
        size,
        turn: Orientation {
            heading_deg,
            pitch_deg,
            roll_deg,
        },
        kernel: match args.kernel {
            KernelName::Bilinear => Kernel::Bilinear,
            KernelName::Bicubic => Kernel::Bicubic,
            KernelName::Lanczos => Kernel::Lanczos,
        },
    })
}

/// Faces of the same number in five or six folders, one after the other; each frame is whole or not there.
fn sequence(args: &ConvertArgs, from: Option<Shape>, to: Shape) -> Outcome {
    let layout = match from {
        None => CubeLayout::in_our_order(1, 6),
        Some(Shape::CubeFaces(layout)) => layout,
        Some(_) => {
            return Err(
                "Folders hold the faces of a cube; leave --from out or say cube-faces.".into(),
            );
        }
    };
    let (frames, digits) = face_frames::frames(&args.inputs)?;
    let terminal = std::io::stderr().is_terminal();
    let start = Instant::now();
    let (mut made, all) = (0u32, frames.len());
    for (i, (frame, faces)) in frames.iter().enumerate() {
        let output = face_path(&args.output, &format!("{frame:0digits$}"));
        let there = match to {
            Shape::CubeFaces(_) => Face::ALL
                .iter()
                .all(|f| face_path(&output, f.name()).exists()),
            _ => output.exists(),
        };
        if args.go_on && there {
            continue;
        }
        let loaded = convert::load_faces(faces, layout, &mut |_| true)?.held();
        if made == 0 {
            for notice in &loaded.notices {
                eprintln!("Note: {notice}");
            }
        }
        let wanted = wanted(args, &loaded, to)?;
        for file in convert::write(&loaded, &wanted, &output, |_| true)? {
            println!("{}", file.display());
        }
        made += 1;
        if terminal {
            let left = start.elapsed().as_secs_f64() / f64::from(made) * (all - i - 1) as f64;
            eprint!("\rFrame {} of {all}, {left:.0} s left ", i + 1);
        }
    }
    if terminal {
        eprintln!("\rAll {all} frames are there.");
    }
    Ok(())
}

/// Lists all shapes.
pub(super) fn shapes() -> Outcome {
    for help in SHAPES {
        println!("{:<38} {}", help.name, help.about);
    }
    println!(
        "\nFaces in our order, seen from inside; --order takes another:\n\n  cube-6x1   left front right back up down\n  cube-1x6   the same, downwards\n  cube-3x2   left front right\n             back up    down\n  cube-cross      up\n             left front right back\n                  down\n  cube-cross-vertical\n                  up\n             left front right\n                  down\n                  back (upside down)\n\nThe lower edge of up and the upper edge of down touch front."
    );
    Ok(())
}
