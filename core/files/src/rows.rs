//! Reading pictures of any kind row by row, as linear light with alpha.

mod colours;

pub(crate) use colours::colours_of;

use crate::budget::{self, Claim};
use crate::colour::{Conversion, Told, of_chromaticities, of_icc};
use crate::error::{FileError, Result, display_name};
use crate::exr_picture::{ExrStrips, HALF_MAX};
use crate::format::PictureFormat;
use crate::limits::MAX_SIDE;
use crate::tag::read_limited;
use crate::{jpeg, png as own_png};
use colours::{Colours, convert, png_colours};
use dome_imaging::convert::{Pixel, Row};
use dome_imaging::transfer::linear_from_srgb16;
use dome_optics::Shape;
use dome_optics::rig::Side;
use std::borrow::Cow;
use std::fs::File;
use std::io::{BufReader, Cursor, Read};
use std::path::Path;

/// Files from this on are not taken into memory for their metadata, bytes.
const LARGE_FILE: u64 = 128 << 20;

/// How finely a picture's values are told.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Depth {
    /// 8 bits, sRGB.
    Eight,
    /// 16 bits, sRGB.
    Sixteen,
    /// Half floats or shared exponents, linear.
    Half,
    /// Single precision, linear.
    Float,
}

type Rows = Box<dyn Iterator<Item = Result<Row<'static>>> + Send>;

/// A picture on disk and its rows.
pub struct PictureRows {
    /// Its format.
    pub format: PictureFormat,
    /// Width in pixels.
    pub width: u32,
    /// Height in pixels.
    pub height: u32,
    /// How finely its values are told.
    pub depth: Depth,
    /// Whether it has alpha.
    pub alpha: bool,
    /// Shape that the file itself tells, if it does.
    pub told_shape: Option<Shape>,
    /// Compass heading of the middle that it tells, degrees.
    pub heading_deg: Option<f64>,
    /// Luminance of the value 1 that it tells, cd/m^2.
    pub white_cd_m2: Option<f32>,
    /// Colours other than ours that it was converted from when it is read.
    pub colours: Option<String>,
    /// What is to be said about it, one sentence each.
    pub notices: Vec<String>,
    rows: Rows,
}

impl Iterator for PictureRows {
    type Item = Result<Row<'static>>;

    /// The next row from the top; every value is finite.
    fn next(&mut self) -> Option<Self::Item> {
        self.rows.next()
    }
}

/// What no light has is dark. Infinite is what half floats become that were too bright for one: it is as bright as one can be. Else
/// only what sums of would be infinite is held back.
fn sane(v: f32) -> f32 {
    if v.is_nan() {
        0.0
    } else if v.is_infinite() {
        HALF_MAX.copysign(v)
    } else {
        v.clamp(-1e30, 1e30)
    }
}

fn check_side(width: u32, height: u32, name: &str) -> Result<()> {
    if width == 0 || height == 0 || width > MAX_SIDE || height > MAX_SIDE {
        return Err(FileError::TooLarge {
            what: name.to_owned(),
            detail: format!("it tells {width} x {height} px, and {MAX_SIDE} px a side are read"),
        });
    }
    Ok(())
}

impl PictureRows {
    /// The rows as linear light multiplied by alpha.
    pub fn light(self) -> impl Iterator<Item = Result<Vec<Pixel>>> + Send {
        self.rows.map(|row| row.map(Row::into_light))
    }

    /// Opens an OpenEXR, Radiance HDR, JPEG or PNG.
    pub fn open(path: &Path) -> Result<Self> {
        let name = display_name(path);
        let mut head = [0; 16];
        let n = File::open(path)
            .and_then(|mut f| f.read(&mut head))
            .map_err(FileError::io("Reading", path))?;
        let opened = match PictureFormat::sniff(&head[..n]) {
            Some(PictureFormat::Exr) => Self::open_exr(path, None)?,
            Some(PictureFormat::Png) => Self::open_png(path, &name)?,
            Some(PictureFormat::Jpeg) => Self::open_jpeg(path, &name)?,
            Some(PictureFormat::Hdr) => Self::open_hdr(path, &name)?,
            None => {
                return Err(FileError::unsupported(
                    name,
                    "it is none of OpenEXR, Radiance HDR, JPEG and PNG; save it as one of these",
                ));
            }
        };
        check_side(opened.width, opened.height, &name)?;
        Ok(opened)
    }

    /// Opens one eye's view of an OpenEXR that holds both.
    pub fn open_eye(path: &Path, side: Side) -> Result<Self> {
        Self::open_exr(path, Some(side))
    }

    fn open_exr(path: &Path, side: Option<Side>) -> Result<Self> {
        let name = display_name(path);
        if side.is_none() && is_tiled_or_several(path)? {
            return Self::open_exr_whole(path, &name);
        }
        let mut strips = ExrStrips::open(path)?;
        let mut prefix = String::new();
        if let Some(side) = side {
            let Some([left, right]) = strips.header.eyes.clone() else {
                return Err(FileError::unsupported(
                    name,
                    "it holds no views of two eyes",
                ));
            };
            let place = match side {
                Side::Left => left,
                Side::Right => right,
            };
            strips = ExrStrips::open_part(path, Some(place.part), ["R", "G", "B"])?;
            prefix = place.prefix;
        }
        let header = strips.header.clone();
        let channel = |wanted: &str| {
            let wanted = format!("{prefix}{wanted}");
            header.channels.iter().position(|c| c.0 == wanted)
        };
        let colour = match (channel("R"), channel("G"), channel("B")) {
            (Some(r), Some(g), Some(b)) => [r, g, b],
            _ => match channel("Y") {
                Some(y) => [y; 3],
                None => {
                    return Err(FileError::unsupported(
                        name,
                        "it has no channels R, G, B; save a colour picture",
                    ));
                }
            },
        };
        let alpha = channel("A");
        let float = colour.iter().any(|&c| header.channels[c].1);
        let told = header.envmap.is_some()
            || header
                .comments
                .as_deref()
                .is_some_and(|c| c.lines().any(|l| l.starts_with("Shape ")));
        let width = header.width as usize;
        let colours = Colours::of(
            header.chromaticities.map_or(Told::Ours, of_chromaticities),
            &name,
        );
        let conversion = colours.conversion;
        let rows = ExrRows { strips }.flat_map(move |planes| match planes {
            Err(e) => vec![Err(e)],
            Ok(planes) => {
                let rows = planes[colour[0]].len() / width.max(1);
                (0..rows)
                    .map(|row| {
                        let value = |plane: usize, x: usize| sane(planes[plane][row * width + x]);
                        let mut light: Vec<Pixel> = (0..width)
                            .map(|x| {
                                let a = alpha.map_or(1.0, |a| value(a, x).clamp(0.0, 1.0));
                                let [r, g, b] = colour.map(|c| value(c, x));
                                Pixel::new(r, g, b, a)
                            })
                            .collect();
                        convert(conversion.as_deref(), &mut light);
                        Ok(Row::Light(light.into()))
                    })
                    .collect()
            }
        });
        Ok(Self {
            format: PictureFormat::Exr,
            width: header.width,
            height: header.height,
            depth: if float { Depth::Float } else { Depth::Half },
            alpha: alpha.is_some(),
            told_shape: told.then(|| header.shape()),
            heading_deg: header.pose_heading_deg,
            white_cd_m2: header.white_cd_m2,
            colours: colours.name,
            notices: colours.notices,
            rows: Box::new(rows),
        })
    }

    /// An OpenEXR in tiles or of several parts is read whole: the largest level of the first part with colour.
    fn open_exr_whole(path: &Path, name: &str) -> Result<Self> {
        use exr::prelude::*;
        let bad = |e: exr::error::Error| FileError::damaged(name, e);
        let (bytes, mut memory) = read_limited(path, 1)?;
        let meta = MetaData::read_from_buffered(Cursor::new(&bytes), false).map_err(bad)?;
        for header in &meta.headers {
            crate::exr_picture::check_size(header, name)?;
        }
        // The same part that the library will choose.
        let has =
            |h: &exr::meta::header::Header, c: &str| h.channels.list.iter().any(|l| l.name.eq(c));
        let Some(header) =
            (meta.headers.iter()).find(|h| !h.deep && ["R", "G", "B"].iter().all(|c| has(h, c)))
        else {
            return Err(FileError::unsupported(
                name,
                "none of its parts has the channels R, G, B; save a colour picture",
            ));
        };
        let size = header.layer_size;
        let (width, height) = (size.width() as u32, size.height() as u32);
        check_side(width, height, name)?;
        memory.grow(
            u64::from(width) * u64::from(height) * size_of::<Pixel>() as u64,
            name,
        )?;
        let envmap = header.own_attributes.environment_map;
        let has_alpha = has(header, "A");
        let float = (header.channels.list.iter()).any(|c| c.sample_type == SampleType::F32);
        let told = crate::exr_picture::chromaticities(header).map_or(Told::Ours, of_chromaticities);
        let mut colours = Colours::of(told, name);
        if meta.headers.len() > 1 {
            colours.notices.push(format!(
                "{name} has {} parts; the first one with colour is read.",
                meta.headers.len()
            ));
        }
        let conversion = colours.conversion;
        let reader = || {
            read()
                .no_deep_data()
                .largest_resolution_level()
                .rgba_channels(
                    |size, _| vec![Pixel::ZERO; size.width() * size.height()],
                    move |pixels: &mut Vec<Pixel>, at, (r, g, b, a): (f32, f32, f32, f32)| {
                        let to = at.y() * width as usize + at.x();
                        pixels[to] = Pixel::new(sane(r), sane(g), sane(b), sane(a).clamp(0.0, 1.0));
                    },
                )
                .first_valid_layer()
                .all_attributes()
        };
        // Utilities that copy headers leave the chunk count of the picture they read. The library (1.74)
        // forgives that only where it is strict with everything else.
        let image = (reader().from_buffered(Cursor::new(&bytes)))
            .or_else(|_| reader().pedantic().from_buffered(Cursor::new(&bytes)))
            .map_err(bad)?;
        let pixels = image.layer_data.channel_data.pixels;
        let rows = (0..height as usize).map(move |y| {
            let _held = &memory;
            let mut row = pixels[y * width as usize..][..width as usize].to_vec();
            convert(conversion.as_deref(), &mut row);
            Ok(Row::Light(Cow::Owned(row)))
        });
        Ok(Self {
            format: PictureFormat::Exr,
            width,
            height,
            depth: if float { Depth::Float } else { Depth::Half },
            alpha: has_alpha,
            told_shape: envmap.map(|e| match e {
                attribute::EnvironmentMap::LatitudeLongitude => Shape::Equirect,
                attribute::EnvironmentMap::Cube => {
                    Shape::Cube(dome_optics::projection::CubeLayout::openexr())
                }
            }),
            heading_deg: None,
            white_cd_m2: None,
            colours: colours.name,
            notices: colours.notices,
            rows: Box::new(rows),
        })
    }

    fn open_png(path: &Path, name: &str) -> Result<Self> {
        let bad = |e: png::DecodingError| FileError::damaged(name, e);
        let file = File::open(path).map_err(FileError::io("Reading", path))?;
        let mut decoder = png::Decoder::new(BufReader::with_capacity(1 << 20, file));
        decoder.set_transformations(png::Transformations::EXPAND);
        let mut reader = decoder.read_info().map_err(bad)?;
        let (width, height) = reader.info().size();
        check_side(width, height, name)?;
        let (colour, bits) = reader.output_color_type();
        let (deep, samples) = (bits == png::BitDepth::Sixteen, colour.samples());
        let interlaced = reader.info().interlaced;
        let length = std::fs::metadata(path).map_or(0, |m| m.len());
        let pano = if length < LARGE_FILE {
            let (bytes, _memory) = read_limited(path, 2)?;
            own_png::PngParts::read(bytes, name)
                .ok()
                .and_then(|p| p.properties().ok())
        } else {
            // Only what stands before the picture's data.
            (reader.info().utf8_text.iter())
                .find(|t| t.keyword == "XML:com.adobe.xmp")
                .and_then(|t| crate::xmp::read(&t.get_text().ok()?).ok())
        };
        let colours = Colours::of(png_colours(reader.info()), name);
        let conversion = colours.conversion;
        let owner = name.to_owned();
        let line_bytes = reader.output_line_size(width).unwrap_or(0);
        let rows: Rows = if interlaced {
            let memory = budget::claim(line_bytes as u64 * u64::from(height), name)?;
            let mut whole = vec![0; line_bytes * height as usize];
            reader.next_frame(&mut whole).map_err(bad)?;
            Box::new((0..height as usize).map(move |y| {
                let _held = &memory;
                Ok(png_row(
                    &whole[y * line_bytes..][..line_bytes],
                    samples,
                    deep,
                    conversion.as_deref(),
                ))
            }))
        } else {
            let mut left = height;
            Box::new(std::iter::from_fn(move || {
                left = left.checked_sub(1)?;
                Some(match reader.next_row() {
                    Ok(Some(row)) => Ok(png_row(row.data(), samples, deep, conversion.as_deref())),
                    Ok(None) => Err(FileError::damaged(&owner, "it ends before its last row")),
                    Err(e) => Err(FileError::damaged(&owner, e)),
                })
            }))
        };
        Ok(Self {
            format: PictureFormat::Png,
            width,
            height,
            // Converted colours may lie between 8-bit steps.
            depth: if deep || colours.name.is_some() {
                Depth::Sixteen
            } else {
                Depth::Eight
            },
            alpha: samples == 2 || samples == 4,
            told_shape: pano.as_ref().and_then(|p| p.shape(width, height)),
            heading_deg: pano.and_then(|p| p.pose_heading_deg),
            white_cd_m2: None,
            colours: colours.name,
            notices: colours.notices,
            rows,
        })
    }

    fn open_jpeg(path: &Path, name: &str) -> Result<Self> {
        // The file, and its parts twice while their properties are read.
        let (bytes, mut memory) = read_limited(path, 3)?;
        let pano = jpeg::JpegParts::read(bytes.clone(), name)
            .ok()
            .and_then(|p| p.properties().ok());
        let (picture, icc) = image_whole(&bytes, image::ImageFormat::Jpeg, name, &mut memory)?;
        let colours = Colours::of(icc.map_or(Told::Ours, |icc| of_icc(&icc)), name);
        let conversion = colours.conversion;
        let picture = picture.into_rgb8();
        let (width, height) = picture.dimensions();
        let rows = (0..height).map(move |y| {
            let _held = &memory;
            let start = y as usize * width as usize * 3;
            let row = &picture.as_raw()[start..][..width as usize * 3];
            Ok(png_row(row, 3, false, conversion.as_deref()))
        });
        Ok(Self {
            format: PictureFormat::Jpeg,
            width,
            height,
            depth: if colours.name.is_some() {
                Depth::Sixteen
            } else {
                Depth::Eight
            },
            alpha: false,
            told_shape: pano.as_ref().and_then(|p| p.shape(width, height)),
            heading_deg: pano.and_then(|p| p.pose_heading_deg),
            white_cd_m2: None,
            colours: colours.name,
            notices: colours.notices,
            rows: Box::new(rows),
        })
    }

    fn open_hdr(path: &Path, name: &str) -> Result<Self> {
        crate::radiance::read_size(path)?;
        let (bytes, mut memory) = read_limited(path, 1)?;
        let (picture, _) = image_whole(&bytes, image::ImageFormat::Hdr, name, &mut memory)?;
        let picture = picture.into_rgb32f();
        let (width, height) = picture.dimensions();
        // Shared exponents reach further than half floats.
        let bright = picture.as_raw().iter().any(|v| *v > HALF_MAX);
        let rows = (0..height).map(move |y| {
            let _held = &memory;
            let start = y as usize * width as usize * 3;
            let row = &picture.as_raw()[start..][..width as usize * 3];
            let light = (row.chunks_exact(3))
                .map(|p| Pixel::new(sane(p[0]), sane(p[1]), sane(p[2]), 1.0))
                .collect();
            Ok(Row::Light(light))
        });
        Ok(Self {
            format: PictureFormat::Hdr,
            width,
            height,
            depth: if bright { Depth::Float } else { Depth::Half },
            alpha: false,
            told_shape: None,
            heading_deg: None,
            white_cd_m2: None,
            colours: None,
            notices: Vec::new(),
            rows: Box::new(rows),
        })
    }
}

/// Decodes a picture whole; `memory` grows by what it takes. Its ICC profile comes along.
fn image_whole(
    bytes: &[u8],
    format: image::ImageFormat,
    name: &str,
    memory: &mut Claim,
) -> Result<(image::DynamicImage, Option<Vec<u8>>)> {
    use image::ImageDecoder;
    let wrong = |e: image::ImageError| match e {
        image::ImageError::Limits(_) => FileError::TooLarge {
            what: name.to_owned(),
            detail: format!("{MAX_SIDE} px a side are read"),
        },
        other => FileError::damaged(name, other),
    };
    let mut reader = image::ImageReader::with_format(Cursor::new(bytes), format);
    let mut limits = image::Limits::default();
    limits.max_image_width = Some(MAX_SIDE);
    limits.max_image_height = Some(MAX_SIDE);
    limits.max_alloc = Some(budget::limit());
    reader.limits(limits);
    let mut decoder = reader.into_decoder().map_err(wrong)?;
    // Decoders hold the picture once more while they work.
    memory.grow(2 * decoder.total_bytes(), name)?;
    let icc = decoder.icc_profile().ok().flatten();
    let picture = image::DynamicImage::from_decoder(decoder).map_err(wrong)?;
    Ok((picture, icc))
}

/// Whether an OpenEXR is in tiles or has several parts: bits of its version field (OpenEXR file layout, "version
/// field").
fn is_tiled_or_several(path: &Path) -> Result<bool> {
    let mut head = [0; 8];
    let n = File::open(path)
        .and_then(|mut f| f.read(&mut head))
        .map_err(FileError::io("Reading", path))?;
    Ok(n == 8 && head[5] & 0x12 != 0)
}

/// Planes of block after block.
struct ExrRows {
    strips: ExrStrips,
}

impl Iterator for ExrRows {
    type Item = Result<Vec<Vec<f32>>>;

    fn next(&mut self) -> Option<Self::Item> {
        Some(self.strips.next_planes()?.map(|(_, planes)| planes))
    }
}

fn bytes_row(bytes: Vec<u8>, samples: usize) -> Row<'static> {
    Row::Bytes {
        samples,
        bytes: Cow::Owned(bytes),
    }
}

/// A row of signals, grey or colour, with or without alpha.
fn png_row(
    bytes: &[u8],
    samples: usize,
    deep: bool,
    conversion: Option<&Conversion>,
) -> Row<'static> {
    if !deep && conversion.is_none() {
        return bytes_row(bytes.to_vec(), samples);
    }
    let width = bytes.len() / samples.max(1) / if deep { 2 } else { 1 };
    let signal = |i: usize| {
        if deep {
            f32::from(u16::from_be_bytes([bytes[2 * i], bytes[2 * i + 1]])) / 65535.0
        } else {
            f32::from(bytes[i]) / 255.0
        }
    };
    let colour = |x: usize| match samples {
        1 | 2 => [x * samples; 3],
        _ => [x * samples, x * samples + 1, x * samples + 2],
    };
    let mut rgb: Vec<f32> = match conversion {
        Some(_) => (0..width).flat_map(|x| colour(x).map(signal)).collect(),
        None => (0..width)
            .flat_map(colour)
            .map(|i| linear_from_srgb16(u16::from_be_bytes([bytes[2 * i], bytes[2 * i + 1]])))
            .collect(),
    };
    if let Some(conversion) = conversion {
        conversion.light(&mut rgb);
    }
    let light = (rgb.as_chunks::<3>().0.iter().enumerate())
        .map(|(x, p)| {
            let a = match samples {
                2 | 4 => signal((x + 1) * samples - 1),
                _ => 1.0,
            };
            Pixel::new(sane(p[0]) * a, sane(p[1]) * a, sane(p[2]) * a, a)
        })
        .collect();
    Row::Light(light)
}
