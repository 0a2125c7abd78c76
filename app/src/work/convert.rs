//! Conversion of pictures between shapes: files in, files out.

use super::{Result, WorkError, large};
use dome_files::budget::{self, Claim};
use dome_files::error::display_name;
use dome_files::faces::{self, FaceGuess};
use dome_files::picture_file::{self, PictureSpec};
use dome_files::rows::{Depth, PictureRows};
use dome_files::scratch::Scratch;
use dome_files::{FileError, PictureFormat};
use dome_imaging::arrange::{Arrangement, Edges, arrange};
use dome_imaging::convert::{Block, Conversion, Kernel, Layout, Pixel, Source, SourceBuilder};
use dome_imaging::{LayerSpec, LayeredStrip, NoiseSum, Picture, Strip};
use dome_optics::projection::{Cell, CubeLayout, Face};
use dome_optics::{Orientation, PictureSize, Shape};
use std::path::{Path, PathBuf};

/// Rows that are converted at a time.
const ROWS: u32 = 64;
/// Rows that are taken up at a time.
const TAKEN: usize = 64;
/// An unrolled sphere that takes more is converted part by part, bytes.
const PART_BY_PART: u64 = 1 << 30;

/// A picture in memory, and what its file told.
pub struct Loaded<P = Source> {
    /// The picture.
    pub source: P,
    /// How finely its values were told.
    pub depth: Depth,
    /// Whether it has alpha.
    pub alpha: bool,
    /// Compass heading of its middle, degrees.
    pub heading_deg: Option<f64>,
    /// Luminance of the value 1 that it tells, cd/m².
    pub white_cd_m2: Option<f32>,
    /// What is to be said about it.
    pub notices: Vec<String>,
    /// Its memory.
    memory: Claim,
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

/// Claims the memory of a picture that is to be converted.
pub fn room_for(
    shape: Shape,
    (width, height): (u32, u32),
    depth: Depth,
    name: &str,
) -> Result<Claim> {
    let bytes = Source::bytes(shape, width, height, depth == Depth::Eight);
    Ok(budget::claim(bytes, name)?)
}

/// Room for a picture, in half the memory where its depth allows it.
fn builder(shape: Shape, (width, height): (u32, u32), depth: Depth) -> SourceBuilder {
    let builder = SourceBuilder::new(shape, width, height);
    if depth == Depth::Eight {
        builder.compact()
    } else {
        builder
    }
}

/// Told which share of what is read has been read, 0 to 1; false stops the reading.
pub type Each<'a> = dyn FnMut(f64) -> bool + 'a;

/// What is said where reading or converting was stopped.
fn stopped() -> WorkError {
    WorkError::Request("The conversion was stopped.".into())
}

/// Gives the rows to a builder, a good number at a time. They are the share of the whole that begins and ends so.
fn take_up(
    builder: &mut SourceBuilder,
    rows: PictureRows,
    (from, to): (f64, f64),
    each: &mut Each,
) -> Result<()> {
    let height = f64::from(rows.height.max(1));
    let mut waiting = Vec::with_capacity(TAKEN);
    for (i, row) in rows.enumerate() {
        waiting.push(row?);
        if waiting.len() == TAKEN {
            builder.rows(&waiting);
            waiting.clear();
            if !each(from + (to - from) * (i as f64 / height)) {
                return Err(stopped());
            }
        }
    }
    builder.rows(&waiting);
    Ok(())
}

/// What a picture's file tells beside the picture.
fn told(rows: &PictureRows, shape: Shape, asked: Option<Shape>, name: &str) -> Loaded<()> {
    let mut notices = rows.notices.clone();
    if asked.is_none() && rows.told_shape.is_none() {
        notices.push(format!(
            "{name} is taken for {shape} by its size; --from says otherwise."
        ));
    }
    Loaded {
        source: (),
        depth: rows.depth,
        alpha: rows.alpha,
        heading_deg: rows.heading_deg,
        white_cd_m2: rows.white_cd_m2,
        notices,
        memory: Claim::default(),
    }
}

/// Reads one picture.
pub fn load(path: &Path, asked: Option<Shape>, each: &mut Each) -> Result<Loaded> {
    let rows = PictureRows::open(path)?;
    let name = display_name(path);
    let shape = shape_of(&rows, asked, &name)?;
    load_rows(rows, shape, asked, &name, each)
}

fn load_rows(
    rows: PictureRows,
    shape: Shape,
    asked: Option<Shape>,
    name: &str,
    each: &mut Each,
) -> Result<Loaded> {
    let size = (rows.width, rows.height);
    let memory = room_for(shape, size, rows.depth, name)?;
    let mut builder = builder(shape, size, rows.depth);
    let loaded = Loaded {
        memory,
        ..told(&rows, shape, asked, name)
    };
    take_up(&mut builder, rows, (0.0, 1.0), each)?;
    Ok(loaded.with(builder.finish()))
}

impl Loaded {
    /// Ready to be converted.
    pub fn held(self) -> Loaded<Held> {
        Loaded {
            source: Held::Memory(self.source),
            depth: self.depth,
            alpha: self.alpha,
            heading_deg: self.heading_deg,
            white_cd_m2: self.white_cd_m2,
            notices: self.notices,
            memory: self.memory,
        }
    }
}

impl Loaded<()> {
    /// The same with the picture.
    fn with<P>(self, source: P) -> Loaded<P> {
        Loaded {
            source,
            depth: self.depth,
            alpha: self.alpha,
            heading_deg: self.heading_deg,
            white_cd_m2: self.white_cd_m2,
            notices: self.notices,
            memory: self.memory,
        }
    }
}

/// Opens six square pictures of one size, of which one may be missing; gives the side too, pixels.
pub fn open_faces(guess: &FaceGuess) -> Result<(Vec<Option<PictureRows>>, u32)> {
    let mut opened = Vec::new();
    for file in guess.files.iter() {
        opened.push(file.as_deref().map(PictureRows::open).transpose()?);
    }
    let named = |i: usize| name_of_face(guess, i);
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
    Ok((opened, side))
}

fn name_of_face(guess: &FaceGuess, i: usize) -> String {
    guess.files[i]
        .as_deref()
        .map_or_else(String::new, display_name)
}

/// Reads six square pictures as the faces of a cube; one may be missing and is then see-through. The layout
/// tells how each face is turned and, if the names do not, which file is which.
pub fn load_faces(guess: &FaceGuess, layout: CubeLayout, each: &mut Each) -> Result<Loaded> {
    let found = if guess.certain || layout != CubeLayout::in_our_order(1, 6) {
        None
    } else {
        faces_by_edges(guess)?.filter(|a| a.confidence() >= SURE_ENOUGH)
    };
    let order = if let Some(found) = &found {
        found.cells()
    } else if guess.certain {
        let told = layout.order();
        let turns = |face| told.iter().find(|c| c.face == face).map_or(0, |c| c.turns);
        Face::ALL.map(|face| Cell {
            face,
            turns: turns(face),
        })
    } else {
        layout.order()
    };
    let (opened, side) = open_faces(guess)?;
    let named = |i: usize| name_of_face(guess, i);
    let shape = Shape::CubeFaces(CubeLayout::grid(1, 6, order));
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
        let how = found.as_ref().map_or_else(
            || "their edges do not tell it either, so they are taken in their order".to_owned(),
            |found| {
                format!(
                    "their edges do, {:.0} % sure (steps of {:.1} % of white, of the next best way {:.1} %)",
                    found.confidence() * 100.0,
                    found.step_percent,
                    found.second_percent
                )
            },
        );
        notices.push(format!(
            "The names do not say which face is which; {how}: {}. If that is wrong, say the order with --from cube-faces --from-order.",
            taken.join(", ")
        ));
    }
    notices.extend(opened.iter().flatten().flat_map(|r| r.notices.clone()));
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
    let memory = room_for(shape, (side, side * 6), depth, "The cube")?;
    let mut builder = builder(shape, (side, side * 6), depth);
    let empty = vec![Pixel::ZERO; side as usize];
    // What all faces tell alike is told of the whole.
    let mut whites = opened.iter().flatten().map(|rows| rows.white_cd_m2);
    let first = whites.next().flatten();
    let white_cd_m2 = first.filter(|w| whites.all(|other| other == Some(*w)));
    for (i, rows) in opened.into_iter().enumerate() {
        let part = (i as f64 / 6.0, (i + 1) as f64 / 6.0);
        match rows {
            Some(rows) => take_up(&mut builder, rows, part, each)?,
            None => (0..side).for_each(|_| builder.row(&empty)),
        }
    }
    Ok(Loaded {
        source: builder.finish(),
        depth,
        alpha,
        heading_deg: None,
        white_cd_m2,
        notices,
        memory,
    })
}

/// How sure edges must be to be believed.
pub const SURE_ENOUGH: f64 = 0.2;

/// How six pictures, whose names do not say it, lie as a cube by their edges; `None` if they are not six squares.
pub fn faces_by_edges(guess: &FaceGuess) -> Result<Option<Arrangement>> {
    let mut edges = Vec::new();
    for file in guess.files.iter().flatten() {
        let rows = PictureRows::open(file)?;
        let (width, height) = (rows.width, rows.height);
        if width != height {
            return Ok(None);
        }
        let bytes = u64::from(width) * u64::from(height) * size_of::<Pixel>() as u64;
        let _memory = budget::claim(bytes, &display_name(file))?;
        let mut pixels = Vec::with_capacity(width as usize * height as usize);
        for row in rows.light() {
            pixels.extend(row?);
        }
        edges.push(Edges::of(&pixels, width as usize));
    }
    let edges = <[Edges; 6]>::try_from(edges).ok();
    // By their order they are taken for our faces.
    Ok(edges.map(|edges| arrange(&edges, &[0, 1, 2, 3, 4, 5])))
}

/// The six files of `cube-faces` that were named by one: `room-left.png` and so on for `room.png`.
pub fn face_files(base: &Path) -> Vec<PathBuf> {
    (Face::ALL.iter())
        .map(|face| picture_file::face_path(base, face.name()))
        .filter(|p| p.is_file())
        .collect()
}

/// A picture that is to be converted: in memory, or on disk if it is too large for that.
pub enum Held {
    /// In memory.
    Memory(Source),
    /// Row by row on disk.
    Disk(Scratch),
}

impl Held {
    /// Its shape.
    pub fn shape(&self) -> Shape {
        match self {
            Self::Memory(source) => source.shape(),
            Self::Disk(_) => Shape::Equirect,
        }
    }

    /// Width and height in pixels.
    pub fn size(&self) -> (u32, u32) {
        match self {
            Self::Memory(source) => source.size(),
            Self::Disk(scratch) => (scratch.width, scratch.height),
        }
    }
}

/// Reads whatever was named: one picture, or the faces of a cube.
pub fn load_any(inputs: &[PathBuf], from: Option<Shape>, each: &mut Each) -> Result<Loaded> {
    let layout = match from {
        Some(Shape::CubeFaces(layout)) => layout,
        _ => CubeLayout::in_our_order(1, 6),
    };
    match inputs {
        [one] if !is_faces(inputs, from) => load(one, from, each),
        [base] => load_faces(&faces::guess(&face_files(base))?, layout, each),
        several => {
            if from.is_some_and(|f| !matches!(f, Shape::CubeFaces(_))) {
                return Err(WorkError::Request(
                    "Several pictures are the faces of a cube; leave --from out or say cube-faces."
                        .into(),
                ));
            }
            load_faces(&faces::guess(several)?, layout, each)
        }
    }
}

fn is_faces(inputs: &[PathBuf], from: Option<Shape>) -> bool {
    matches!(from, Some(Shape::CubeFaces(_))) || inputs.len() > 1
}

/// The same, but the rows of a sphere too large for memory are kept on disk in a folder.
pub fn open_any(
    inputs: &[PathBuf],
    from: Option<Shape>,
    folder: &Path,
    each: &mut Each,
) -> Result<Loaded<Held>> {
    if let [one] = inputs
        && !is_faces(inputs, from)
    {
        let rows = PictureRows::open(one)?;
        let name = display_name(one);
        let shape = shape_of(&rows, from, &name)?;
        let compact = rows.depth == Depth::Eight;
        let bytes = Source::bytes(shape, rows.width, rows.height, compact);
        if shape == Shape::Equirect && bytes > PART_BY_PART {
            let loaded = told(&rows, shape, from, &name);
            let height = f64::from(rows.height.max(1));
            let scratch = Scratch::of(rows, folder, |row| each(f64::from(row) / height))?;
            return Ok(loaded.with(Held::Disk(scratch)));
        }
        return Ok(load_rows(rows, shape, from, &name, each)?.held());
    }
    Ok(load_any(inputs, from, each)?.held())
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

/// The size of a result that keeps the detail of a source so wide.
pub fn natural_size(from: Shape, width: u32, to: Shape) -> Result<PictureSize> {
    let sphere = from.sphere_width(width);
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
    loaded: &'a Loaded<Held>,
    wanted: &'a Wanted,
    alpha: bool,
    mut each: impl FnMut(u32) -> bool + 'a,
) -> impl Iterator<Item = std::result::Result<LayeredStrip, FileError>> + 'a {
    let size = wanted.size;
    let source = &loaded.source;
    let layout = Layout::new(
        source.shape(),
        source.size(),
        size.shape,
        (size.width(), size.height()),
        wanted.turn,
    );
    let step = match source {
        Held::Memory(_) => ROWS,
        Held::Disk(_) => large::rows_at_a_time(size.width()),
    };
    (0..size.height()).step_by(step as usize).map(move |top| {
        if !each(top) {
            return Err(FileError::Request("The conversion was stopped.".into()));
        }
        let rows = step.min(size.height() - top);
        let pixels = match source {
            Held::Memory(source) => {
                Conversion::of(source, layout.clone(), wanted.kernel).rows(top, rows)
            }
            Held::Disk(scratch) => {
                let block = Block {
                    left: 0,
                    top,
                    width: size.width(),
                    height: rows,
                };
                large::convert(scratch, &layout, wanted.kernel, block, &mut || each(top))?
            }
        };
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
            counts: Vec::new(),
        })
    })
}

/// Converts and writes; gives the files that were written.
pub fn write(
    loaded: &Loaded<Held>,
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
    spec.white_cd_m2 = loaded.white_cd_m2;
    if alpha {
        spec.layers = vec![LayerSpec::new("", "A", false)];
    }
    Ok(picture_file::write_all(
        output,
        &spec,
        strips(loaded, wanted, alpha, each),
    )?)
}
