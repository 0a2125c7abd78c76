//! Conversion of pictures between shapes: files in, files out.

use super::{Result, WorkError};
use dome_files::error::display_name;
use dome_files::faces::{self, FaceGuess};
use dome_files::picture_file::{self, PictureSpec};
use dome_files::rows::{Depth, PictureRows};
use dome_files::{FileError, PictureFormat};
use dome_imaging::convert::{Conversion, Kernel, Pixel, Source, SourceBuilder};
use dome_imaging::{LayerSpec, LayeredStrip, NoiseSum, Picture, Strip};
use dome_optics::projection::{Cell, CubeLayout, Face};
use dome_optics::{Orientation, PictureSize, Shape};
use std::path::{Path, PathBuf};

/// Rows that are converted at a time.
const ROWS: u32 = 64;
/// Most memory that a picture may take while it is converted, bytes.
const MOST_MEMORY: u64 = 12 << 30;

/// A picture in memory, and what its file told.
pub struct Loaded {
    /// The picture.
    pub source: Source,
    /// How finely its values were told.
    pub depth: Depth,
    /// Whether it has alpha.
    pub alpha: bool,
    /// Compass heading of its middle, degrees.
    pub heading_deg: Option<f64>,
    /// What is to be said about it.
    pub notices: Vec<String>,
}

/// The shape of a picture: as asked, as its file tells, or as its size suggests.
pub fn shape_of(rows: &PictureRows, asked: Option<Shape>, name: &str) -> Result<Shape> {
    let (w, h) = (rows.width, rows.height);
    let shape = asked
        .or(rows.told_shape)
        .or_else(|| Shape::of_size(w, h))
        .ok_or_else(|| {
            WorkError::Request(format!(
                "{name} is {w} x {h} px, which no shape suggests; say with --from what it is."
            ))
        })?;
    shape.size(Some(w), Some(h))?;
    Ok(shape)
}

/// Refuses what does not fit into memory.
pub fn room_for(shape: Shape, width: u32, height: u32, name: &str) -> Result<()> {
    let bytes = Source::bytes(shape, width, height);
    if bytes > MOST_MEMORY {
        return Err(WorkError::Request(format!(
            "{name} takes {} GB in memory, and {} are taken at most; make it smaller first.",
            bytes >> 30,
            MOST_MEMORY >> 30
        )));
    }
    Ok(())
}

/// Reads one picture.
pub fn load(path: &Path, asked: Option<Shape>) -> Result<Loaded> {
    let rows = PictureRows::open(path)?;
    let name = display_name(path);
    let shape = shape_of(&rows, asked, &name)?;
    room_for(shape, rows.width, rows.height, &name)?;
    let (depth, alpha, heading_deg) = (rows.depth, rows.alpha, rows.heading_deg);
    let mut notices = Vec::new();
    if asked.is_none() && rows.told_shape.is_none() {
        notices.push(format!(
            "{name} is taken for {shape} by its size; --from says otherwise."
        ));
    }
    let mut builder = SourceBuilder::new(shape, rows.width, rows.height);
    for row in rows {
        builder.row(&row?);
    }
    Ok(Loaded {
        source: builder.finish(),
        depth,
        alpha,
        heading_deg,
        notices,
    })
}

/// Reads six square pictures as the faces of a cube; one may be missing and is then see-through. The layout
/// tells how each face is turned and, if the names do not, which file is which.
pub fn load_faces(guess: &FaceGuess, layout: CubeLayout) -> Result<Loaded> {
    let order = if guess.certain {
        let told = layout.order();
        let turns = |face| told.iter().find(|c| c.face == face).map_or(0, |c| c.turns);
        Face::ALL.map(|face| Cell {
            face,
            turns: turns(face),
        })
    } else {
        layout.order()
    };
    let mut opened = Vec::new();
    for file in guess.files.iter() {
        opened.push(file.as_deref().map(PictureRows::open).transpose()?);
    }
    let named = |i: usize| (guess.files[i].as_deref()).map_or_else(String::new, display_name);
    let mut side = None;
    for (i, rows) in opened.iter().enumerate() {
        let Some(rows) = rows else { continue };
        if rows.width != rows.height {
            return Err(WorkError::Request(format!(
                "{} is {} x {} px, and a face of a cube is square; render it with a field of view of 90 degrees and equal sides.",
                named(i),
                rows.width,
                rows.height
            )));
        }
        match side {
            None => side = Some((rows.width, i)),
            Some((width, first)) if width != rows.width => {
                return Err(WorkError::Request(format!(
                    "{} is {} px wide and {} is {width} px; all faces need the same size.",
                    named(i),
                    rows.width,
                    named(first)
                )));
            }
            Some(_) => {}
        }
    }
    let (side, _) = side.ok_or_else(|| {
        WorkError::Request("There are no faces; name six square pictures.".into())
    })?;
    let shape = Shape::CubeFaces(CubeLayout::grid(1, 6, order));
    room_for(shape, side, side * 6, "The cube")?;
    let mut notices = Vec::new();
    for face in guess.missing() {
        notices.push(format!(
            "The face {} is missing; it stays empty.",
            face.name()
        ));
    }
    if !guess.certain {
        let taken: Vec<String> = (order.iter().enumerate())
            .map(|(i, cell)| format!("{} as {cell}", named(i)))
            .collect();
        notices.push(format!(
            "The names do not say which face is which; taken {}. If that is wrong, say the order with --from cube-faces --from-order.",
            taken.join(", ")
        ));
    }
    let present = || opened.iter().flatten();
    let depth = if present().any(|r| r.depth == Depth::Float) {
        Depth::Float
    } else if present().any(|r| r.depth == Depth::Half) {
        Depth::Half
    } else if present().any(|r| r.depth == Depth::Sixteen) {
        Depth::Sixteen
    } else {
        Depth::Eight
    };
    let alpha = present().any(|r| r.alpha) || present().count() < 6;
    let mut builder = SourceBuilder::new(shape, side, side * 6);
    let empty = vec![Pixel::ZERO; side as usize];
    for rows in opened {
        match rows {
            Some(rows) => {
                for row in rows {
                    builder.row(&row?);
                }
            }
            None => (0..side).for_each(|_| builder.row(&empty)),
        }
    }
    Ok(Loaded {
        source: builder.finish(),
        depth,
        alpha,
        heading_deg: None,
        notices,
    })
}

/// The six files of `cube-faces` that were named by one: `room-left.png` and so on for `room.png`.
pub fn face_files(base: &Path) -> Vec<PathBuf> {
    (Face::ALL.iter())
        .map(|face| picture_file::face_path(base, face.name()))
        .filter(|p| p.is_file())
        .collect()
}

/// Reads whatever was named: one picture, or the faces of a cube.
pub fn load_any(inputs: &[PathBuf], from: Option<Shape>) -> Result<Loaded> {
    let wants_faces = matches!(from, Some(Shape::CubeFaces(_))) || inputs.len() > 1;
    let layout = match from {
        Some(Shape::CubeFaces(layout)) => layout,
        _ => CubeLayout::in_our_order(1, 6),
    };
    match inputs {
        [one] if !wants_faces => load(one, from),
        [base] => load_faces(&faces::guess(&face_files(base))?, layout),
        several => {
            if from.is_some_and(|f| !matches!(f, Shape::CubeFaces(_))) {
                return Err(WorkError::Request(
                    "Several pictures are the faces of a cube; leave --from out or say cube-faces."
                        .into(),
                ));
            }
            load_faces(&faces::guess(several)?, layout)
        }
    }
}

/// How a picture is to be converted.
pub struct Wanted {
    /// Shape and size of the result.
    pub size: PictureSize,
    /// Where the result looks in the source's sphere.
    pub turn: Orientation,
    /// How values between pixels are found.
    pub kernel: Kernel,
}

/// The size of a result that keeps the detail of its source.
pub fn natural_size(source: &Source, to: Shape) -> Result<PictureSize> {
    let sphere = source.shape().sphere_width(source.size().0);
    Ok(PictureSize::new(to, Some(to.width_for(sphere)), None)?)
}

/// A picture of another shape in memory.
pub fn pixels(source: &Source, to: Shape, size: (u32, u32), turn: Orientation) -> Vec<Pixel> {
    Conversion::new(source, to, size, turn, Kernel::Bicubic).rows(0, size.1)
}

/// The whole sphere of a picture, unrolled, `width` pixels wide.
pub fn sphere(loaded: &Loaded, width: u32) -> Picture {
    let size = (width, width / 2);
    let rows = pixels(
        &loaded.source,
        Shape::Equirect,
        size,
        Orientation::default(),
    );
    Picture {
        width: size.0,
        height: size.1,
        samples: rows.iter().flat_map(|p| [p.x, p.y, p.z]).collect(),
    }
}

/// The result as strips; `each` is told how many rows are done and may stop it.
pub fn strips<'a>(
    loaded: &'a Loaded,
    wanted: &'a Wanted,
    alpha: bool,
    mut each: impl FnMut(u32) -> bool + 'a,
) -> impl Iterator<Item = std::result::Result<LayeredStrip, FileError>> + 'a {
    let size = wanted.size;
    let conversion = Conversion::new(
        &loaded.source,
        size.shape,
        (size.width(), size.height()),
        wanted.turn,
        wanted.kernel,
    );
    (0..size.height()).step_by(ROWS as usize).map(move |top| {
        if !each(top) {
            return Err(FileError::Request("The conversion was stopped.".into()));
        }
        let rows = ROWS.min(size.height() - top);
        let pixels = conversion.rows(top, rows);
        let samples = pixels.iter().flat_map(|p| [p.x, p.y, p.z]).collect();
        Ok(LayeredStrip {
            beauty: Strip {
                top,
                width: size.width(),
                samples,
            },
            layers: if alpha {
                vec![pixels.iter().map(|p| p.w).collect()]
            } else {
                Vec::new()
            },
            noise: NoiseSum::default(),
        })
    })
}

/// Converts and writes; gives the files that were written.
pub fn write(
    loaded: &Loaded,
    wanted: &Wanted,
    output: &Path,
    each: impl FnMut(u32) -> bool,
) -> Result<Vec<PathBuf>> {
    let format = PictureFormat::from_path(output)?;
    let size = wanted.size;
    // What the source does not show is told where the format can tell it.
    let holes = !loaded.source.shape().is_whole_sphere() && size.shape.is_whole_sphere();
    let alpha =
        (loaded.alpha || holes) && matches!(format, PictureFormat::Exr | PictureFormat::Png);
    let mut spec = PictureSpec::panorama(format, size.width(), size.height(), 0.0);
    spec.shape = size.shape;
    spec.deep = match format {
        PictureFormat::Exr => loaded.depth == Depth::Float,
        _ => loaded.depth != Depth::Eight,
    };
    // A heading survives a level turn; after a tilt it means nothing.
    spec.tags.heading_deg = (loaded.heading_deg)
        .filter(|_| wanted.turn.is_level())
        .map(|h| dome_optics::angle::wrap_heading_deg(h + wanted.turn.heading_deg));
    if alpha {
        spec.layers = vec![LayerSpec::new("", "A", false)];
    }
    Ok(picture_file::write_all(
        output,
        &spec,
        strips(loaded, wanted, alpha, each),
    )?)
}
