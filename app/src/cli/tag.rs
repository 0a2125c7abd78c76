//! `owl-dome tag`.

use super::{Outcome, number, numbers};
use clap::Args;
use dome_files::film::{self, FilmProjection, FilmRequest, FilmStereo, Sphere, cube_layout};
use dome_files::pano::{Part, TagRequest};
use dome_optics::projection::CubeLayout;
use std::path::PathBuf;

#[derive(Args)]
pub(super) struct TagArgs {
    /// The JPEG, PNG or film (.mp4, .mov, .mkv, .webm) to read
    input: PathBuf,
    /// The picture or film to write; may be the same file
    #[arg(short, long, value_name = "OUT")]
    output: PathBuf,
    /// Compass heading of the picture's middle, degrees
    #[arg(long, value_name = "DEG", value_parser = number, allow_hyphen_values = true)]
    heading: Option<f64>,
    /// Pitch and roll of the picture's middle, degrees, of a sphere that is not level
    #[arg(long, value_name = "PITCH,ROLL", value_parser = numbers::<2>, allow_hyphen_values = true)]
    tilt: Option<[f64; 2]>,
    /// Heading and pitch of the opening view, degrees; the heading is counted like --heading
    #[arg(long, value_name = "HEADING,PITCH", value_parser = numbers::<2>, allow_hyphen_values = true)]
    opening: Option<[f64; 2]>,
    /// Horizontal field of view at opening, degrees
    #[arg(long, value_name = "DEG", value_parser = number)]
    fov: Option<f64>,
    /// Camera make (EXIF)
    #[arg(long, value_name = "TEXT")]
    make: Option<String>,
    /// Camera model (EXIF)
    #[arg(long, value_name = "TEXT")]
    model: Option<String>,
    /// Where a picture that is not the whole sphere sits in it, pixels
    #[arg(long, value_name = "LEFT,TOP,FULLWIDTH,FULLHEIGHT", value_parser = part)]
    part: Option<Part>,
    /// Drop what metadata was there first; the colour profile stays. Of a film: take off what it says about a sphere
    #[arg(long)]
    clear: bool,
    /// Of a film: how two eyes lie in it: mono, top-bottom or side-by-side
    #[arg(long, value_name = "HOW", value_parser = stereo)]
    stereo: Option<FilmStereo>,
    /// Of a film: how it is wrapped: equirect (as a start), equirect:180 (the half in front), or two rows of three faces of a cube in the
    /// only order that players know: cube:right,left,up:180,down:180,front,back
    #[arg(long, value_name = "HOW", value_parser = projection)]
    projection: Option<FilmProjection>,
    /// Of a film: yaw, pitch and roll of its middle as players read them, degrees
    #[arg(long, value_name = "YAW,PITCH,ROLL", value_parser = numbers::<3>, allow_hyphen_values = true)]
    pose: Option<[f64; 3]>,
    /// Of a film: its four channels of sound are first-order ambisonics (ACN, SN3D)
    #[arg(long)]
    ambisonic: bool,
    /// Of a film: read its media bytes before and after, compare them, and tell their SHA-256
    #[arg(long)]
    verify: bool,
}

pub(super) fn stereo(text: &str) -> Result<FilmStereo, String> {
    FilmStereo::from_name(text)
        .ok_or_else(|| format!("\"{text}\" is none of mono, top-bottom and side-by-side"))
}

pub(super) fn projection(text: &str) -> Result<FilmProjection, String> {
    match text {
        "equirect" => Ok(FilmProjection::FULL),
        "equirect:180" => Ok(FilmProjection::FRONT_HALF),
        _ => {
            let known = cube_layout().order();
            let order = known.map(|cell| cell.to_string()).join(",");
            let Some(told) = text.strip_prefix("cube") else {
                return Err(format!(
                    "\"{text}\" is none of equirect, equirect:180 and cube:{order}"
                ));
            };
            // A film does not say how its faces lie, and a wrong word turns the world inside out.
            match told.strip_prefix(':').map(CubeLayout::parse_order) {
                Some(Ok(told)) if told == known => Ok(FilmProjection::Cube {
                    layout: 0,
                    padding: 0,
                }),
                _ => Err(format!(
                    "players know one order of faces, cube:{order}; say that if the film's faces lie so, else lay them so first: owl-dome convert IN -o OUT --to cube-3x2 --order {order}"
                )),
            }
        }
    }
}

fn part(text: &str) -> Result<Part, String> {
    let values: Result<Vec<u32>, _> = text.split(',').map(|t| t.trim().parse()).collect();
    match values.as_deref() {
        Ok(&[left, top, full_width, full_height]) => Ok(Part {
            left,
            top,
            full_width,
            full_height,
        }),
        _ => Err(format!(
            "\"{text}\" is not four whole numbers of pixels separated by commas"
        )),
    }
}

/// Marks a film, or takes off its marks.
fn run_film(args: &TagArgs) -> Outcome {
    if args.heading.is_some() || args.tilt.is_some() || args.part.is_some() {
        return Err("A film has its middle turned by --pose and its part told by --projection; leave --heading, --tilt and --part out.".into());
    }
    if args.fov.is_some() || args.make.is_some() || args.model.is_some() {
        return Err("A film has no place for --fov, --make and --model; leave them out.".into());
    }
    let angle = |v: &f64| (-180.0..=180.0).contains(v);
    if args.pose.is_some_and(|p| !p.iter().all(angle))
        || args
            .opening
            .is_some_and(|o| !angle(&o[0]) || o[1].abs() > 90.0)
    {
        return Err(
            "Angles of a film lie between -180 and 180 degrees, the opening pitch between -90 and 90; correct them."
                .into(),
        );
    }
    let asked = args.stereo.is_some() || args.projection.is_some() || args.pose.is_some();
    if args.clear && (asked || args.opening.is_some() || args.ambisonic) {
        return Err(
            "--clear takes off what a film says about a sphere, whatever else is asked; give one or the other."
                .into(),
        );
    }
    if !args.clear && args.stereo.is_none() {
        return Err("Say how the eyes lie in the film: --stereo mono, top-bottom or side-by-side; or take its marks off by --clear.".into());
    }
    let sphere = args.stereo.filter(|_| !args.clear).map(|stereo| Sphere {
        projection: args.projection.unwrap_or(FilmProjection::FULL),
        stereo,
        pose_deg: args.pose.unwrap_or_default(),
        opening_deg: args.opening.map(|[heading, pitch]| [heading, pitch, 0.0]),
    });
    let request = FilmRequest {
        sphere,
        ambisonic: args.ambisonic,
        verify: args.verify,
    };
    let tagged = film::tag(&args.input, &args.output, &request)?;
    for note in tagged.notes {
        eprintln!("Note: {note}");
    }
    let media = tagged.media.map_or_else(
        || "media bytes copied unchanged".to_owned(),
        |hash| format!("media bytes unchanged, SHA-256 {hash}"),
    );
    println!(
        "{}: {} bytes {}, {media}",
        args.output.display(),
        tagged.growth.unsigned_abs(),
        if tagged.growth < 0 { "less" } else { "more" },
    );
    Ok(())
}

pub(super) fn run(args: &TagArgs) -> Outcome {
    if film::is_film(&args.input) {
        return run_film(args);
    }
    if args.stereo.is_some()
        || args.projection.is_some()
        || args.pose.is_some()
        || args.verify
        || args.ambisonic
    {
        return Err(format!(
            "{} is no film (.mp4, .mov, .mkv, .webm), and --stereo, --projection, --pose, --ambisonic and --verify are for films; leave them out.",
            args.input.display()
        )
        .into());
    }
    let request = TagRequest {
        heading_deg: args.heading,
        tilt_deg: args.tilt.map(|[p, r]| (p, r)),
        opening_deg: args.opening.map(|[h, p]| (h, p)),
        hfov_deg: args.fov,
        part: args.part,
        make: args.make.clone(),
        model: args.model.clone(),
        clear: args.clear,
    };
    dome_files::tag::tag(&args.input, &args.output, &request)?;
    let found = dome_files::inspect::inspect(&args.output)?;
    println!("{}: {}", args.output.display(), found.reason);
    Ok(())
}
