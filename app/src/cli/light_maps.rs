//! `owl-dome light-maps`.

use super::{Outcome, number, shape};
use crate::work::convert::{self, load_any};
use clap::{Args, ValueEnum};
use dome_files::picture_file::{self, PictureSpec};
use dome_files::rows::Depth;
use dome_files::{PictureFormat, atomic, ktx2};
use dome_imaging::convert::{Pixel, Source};
use dome_imaging::light_maps::{AXES, COSINE, diffuse, harmonics, specular_chain};
use dome_imaging::{LayeredStrip, Strip};
use dome_optics::projection::CubeLayout;
use dome_optics::{Orientation, Shape};
use serde_json::json;
use std::path::{Path, PathBuf};

#[derive(Args)]
pub(super) struct LightMapsArgs {
    /// The picture of everything around, or the six faces of a cube
    #[arg(required = true, num_args = 1..=6, value_name = "IN")]
    inputs: Vec<PathBuf>,
    /// The folder to write into, made if it is not there
    #[arg(short, long, value_name = "FOLDER")]
    output: PathBuf,
    /// The shape of the picture; without it what the file tells, or its size suggests
    #[arg(long, value_name = "SHAPE", value_parser = shape)]
    from: Option<Shape>,
    /// Turns the middle of the maps to this heading of the picture, degrees to the right: programs differ by
    /// quarter and half turns
    #[arg(long, value_name = "DEG", default_value = "0", value_parser = number, allow_hyphen_values = true)]
    turn: f64,
    /// The axis that the other program has in the middle of its maps, with y up and the scene's axes as in glTF
    /// (x right, -z ahead): a quarter turn in words, which --turn adds to
    #[arg(long, value_enum, default_value_t = Axis::NegZ, allow_hyphen_values = true)]
    middle: Axis,
    /// Left-handed programs want the mirror image
    #[arg(long, value_enum, default_value_t = Hand::Right)]
    hand: Hand,
    /// Swaps left and right once more, for programs that see the sphere from outside
    #[arg(long)]
    mirror: bool,
    /// Side of the cube's faces in pixels, a power of two; without it as much detail as the picture has, at
    /// most 1024
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(8..=4096))]
    side: Option<u32>,
    /// What to make; without it everything
    #[arg(long, value_enum, value_delimiter = ',')]
    make: Vec<Map>,
}

#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
enum Axis {
    /// Ahead in glTF
    #[value(name = "-z")]
    NegZ,
    /// To the right in glTF
    #[value(name = "x", alias = "+x")]
    X,
    /// Behind in glTF
    #[value(name = "z", alias = "+z")]
    Z,
    /// To the left in glTF
    #[value(name = "-x")]
    NegX,
}

#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
enum Hand {
    /// Right-handed, as glTF and OpenEXR
    Right,
    /// Left-handed
    Left,
}

#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
enum Map {
    /// sphere.exr: latitude-longitude, with the standard attribute
    Sphere,
    /// sphere.hdr: the same as Radiance HDR
    Hdr,
    /// cube.exr: six faces in OpenEXR's order, with the standard attribute
    Cube,
    /// mirror.ktx2: a cube with its chain of rougher levels (GGX)
    Mirror,
    /// diffuse.exr: what a matt white surface shows by the direction it faces
    Diffuse,
    /// harmonics.json: nine spherical harmonics of the light
    Harmonics,
}

pub(super) fn run(args: &LightMapsArgs) -> Outcome {
    if args.side.is_some_and(|s| !s.is_power_of_two()) {
        return Err(
            "The side of the faces must be a power of two, such as 256; correct --side.".into(),
        );
    }
    let loaded = load_any(&args.inputs, args.from, &mut |_| true)?;
    for notice in &loaded.notices {
        eprintln!("Note: {notice}");
    }
    std::fs::create_dir_all(&args.output)?;
    let wants = |map| args.make.is_empty() || args.make.contains(&map);
    // Turned and mirrored once; all maps are made of that.
    let sphere = convert::natural_size(
        loaded.source.shape(),
        loaded.source.size().0,
        Shape::Equirect,
    )?;
    let (width, height) = (sphere.width().min(16_384), sphere.width().min(16_384) / 2);
    let mut pixels = convert::pixels(
        &loaded.source,
        Shape::Equirect,
        (width, height),
        Orientation::heading(args.turn + 90.0 * f64::from(args.middle as u8)),
    );
    if args.mirror != (args.hand == Hand::Left) {
        for row in pixels.chunks_mut(width as usize) {
            row.reverse();
        }
    }
    let source = Source::from_rows(
        Shape::Equirect,
        width,
        height,
        pixels.chunks(width as usize),
    );
    let file = |name: &str| args.output.join(name);
    let mut written = Vec::new();
    for (map, name, format) in [
        (Map::Sphere, "sphere.exr", PictureFormat::Exr),
        (Map::Hdr, "sphere.hdr", PictureFormat::Hdr),
    ] {
        if wants(map) {
            save(
                &file(name),
                format,
                Shape::Equirect,
                (width, height),
                &pixels,
                loaded.depth,
            )?;
            written.push(file(name));
        }
    }
    let natural = Shape::Cube(CubeLayout::openexr()).width_for(f64::from(width));
    let side = args.side.unwrap_or(natural.next_power_of_two().min(1024));
    if wants(Map::Cube) {
        let cube = Shape::Cube(CubeLayout::openexr());
        let size = (side, side * 6);
        let faces = convert::pixels(&source, cube, size, Orientation::default());
        save(
            &file("cube.exr"),
            PictureFormat::Exr,
            cube,
            size,
            &faces,
            loaded.depth,
        )?;
        written.push(file("cube.exr"));
    }
    if wants(Map::Mirror) {
        let chain = specular_chain(&source, side);
        if let Some(note) = ktx2::write_cube(&file("mirror.ktx2"), side, &chain)?.note() {
            eprintln!("Note: mirror.ktx2: {note}");
        }
        written.push(file("mirror.ktx2"));
    }
    if wants(Map::Diffuse) {
        let size = (128, 64);
        let map = diffuse(&source, Shape::Equirect, size);
        save(
            &file("diffuse.exr"),
            PictureFormat::Exr,
            Shape::Equirect,
            size,
            &map,
            Depth::Float,
        )?;
        written.push(file("diffuse.exr"));
    }
    if wants(Map::Harmonics) {
        let radiance = harmonics(&source);
        let irradiance: Vec<_> = (radiance.iter().zip(COSINE))
            .map(|(rgb, keep)| rgb.map(|v| v * keep))
            .collect();
        let all = json!({
            "basis": "real spherical harmonics, orthonormal, order (l,m) = (0,0) (1,-1) (1,0) (1,1) (2,-2) (2,-1) (2,0) (2,1) (2,2)",
            "axes": "right-handed; x is to the right of the picture's middle, y is towards it (ahead), z is up",
            "axes_in_gltf": AXES.map(|axis| axis.to_array().map(|v| v as i32)),
            "colour": "scene-linear RGB, primaries of Rec. 709",
            "radiance": radiance,
            "irradiance": irradiance,
        });
        atomic::write_bytes(&file("harmonics.json"), format!("{all:#}\n").as_bytes())?;
        written.push(file("harmonics.json"));
    }
    for path in written {
        println!("{}", path.display());
    }
    Ok(())
}

fn save(
    path: &Path,
    format: PictureFormat,
    shape: Shape,
    (width, height): (u32, u32),
    pixels: &[Pixel],
    depth: Depth,
) -> Outcome {
    let mut spec = PictureSpec::panorama(format, width, height, 0.0);
    spec.shape = shape;
    spec.deep = depth == Depth::Float;
    spec.tags.heading_deg = None;
    let strip = Strip {
        top: 0,
        width,
        samples: pixels.iter().flat_map(|p| [p.x, p.y, p.z]).collect(),
    };
    Ok(picture_file::write(
        path,
        &spec,
        [Ok(LayeredStrip::from(strip))],
    )?)
}
