//! What a picture file is and what it says of itself, read back from disk.

use crate::error::{FileError, Result, display_name};
use crate::exr_picture::ExrStrips;
use crate::fingerprint::Description;
use crate::format::PictureFormat;
use crate::jpeg::JpegParts;
use crate::pano::PanoProperties;
use crate::png::PngParts;
use crate::radiance;
use crate::rows::colours_of;
use crate::tag::read_limited;
use std::io::Read;
use std::path::Path;

/// The findings about one file.
#[derive(Clone, Debug, PartialEq)]
pub struct Findings {
    /// The format's name.
    pub format: PictureFormat,
    /// Width in pixels.
    pub width: u32,
    /// Height in pixels.
    pub height: u32,
    /// The projection the file tells, or `None`.
    pub projection: Option<String>,
    /// The panorama properties.
    pub properties: PanoProperties,
    /// Whether a viewer will take it as a sphere.
    pub sphere: bool,
    /// Why, or why not.
    pub reason: String,
    /// Colours other than those of Rec. 709 that the file tells; they are converted when it is read.
    pub colours: Option<String>,
    /// Odd things, one sentence each.
    pub notices: Vec<String>,
    /// What determined the picture, if the file tells.
    pub description: Option<Description>,
}

/// Inspects a file; a damaged one gives a sentence, not a guess.
pub fn inspect(path: &Path) -> Result<Findings> {
    let name = display_name(path);
    let meta = std::fs::metadata(path).map_err(FileError::io("Reading", path))?;
    if !meta.is_file() {
        return Err(FileError::Request(format!(
            "{} is not a file; name a picture file.",
            path.display()
        )));
    }
    let mut head = Vec::new();
    std::fs::File::open(path)
        .and_then(|f| f.take(16).read_to_end(&mut head))
        .map_err(FileError::io("Reading", path))?;
    if head.is_empty() {
        return Err(FileError::damaged(name, "the file is empty"));
    }
    let format = PictureFormat::sniff(&head).ok_or_else(|| {
        FileError::unsupported(&name, "its first bytes are not those of a JPEG, PNG, OpenEXR or Radiance HDR picture; give one of these")
    })?;
    let mut found = of_format(path, format, &name)?;
    (found.colours, found.notices) = colours_of(path, format)?;
    Ok(found)
}

fn of_format(path: &Path, format: PictureFormat, name: &str) -> Result<Findings> {
    match format {
        PictureFormat::Jpeg => {
            let (bytes, _memory) = read_limited(path, 2)?;
            let parts = JpegParts::read(bytes, name)?;
            Ok(with_properties(
                format,
                parts.width,
                parts.height,
                parts.properties()?,
            ))
        }
        PictureFormat::Png => {
            let (bytes, _memory) = read_limited(path, 2)?;
            let parts = PngParts::read(bytes, name)?;
            let mut found = with_properties(format, parts.width, parts.height, parts.properties()?);
            if found.sphere {
                found
                    .reason
                    .push_str(" Many hosts ignore the properties of a PNG; hand over a JPEG.");
            }
            Ok(found)
        }
        PictureFormat::Exr => inspect_exr(path),
        PictureFormat::Hdr => {
            let (width, height) = radiance::read_size(path)?;
            Ok(Findings {
                format,
                width,
                height,
                projection: None,
                properties: PanoProperties::default(),
                sphere: false,
                reason: "Radiance HDR has no place for a projection; programs that take it as a sphere do so on your word.".into(),
                colours: None,
                notices: Vec::new(),
                description: None,
            })
        }
    }
}

fn with_properties(
    format: PictureFormat,
    width: u32,
    height: u32,
    properties: PanoProperties,
) -> Findings {
    let (sphere, reason) = properties.verdict(width, height);
    Findings {
        format,
        width,
        height,
        projection: properties.projection.clone(),
        properties,
        sphere,
        reason,
        colours: None,
        notices: Vec::new(),
        description: None,
    }
}

fn inspect_exr(path: &Path) -> Result<Findings> {
    let header = ExrStrips::open(path)?.check_whole()?;
    let (width, height) = (header.width, header.height);
    let mut properties = PanoProperties {
        pose_heading_deg: header.pose_heading_deg,
        ..PanoProperties::default()
    };
    let (projection, sphere, reason) = match header.envmap {
        Some("latlong") if width == 2 * height => {
            properties.full_width = Some(width);
            properties.full_height = Some(height);
            properties.cropped_left = Some(0);
            properties.cropped_top = Some(0);
            (
                Some("equirectangular".to_owned()),
                true,
                format!(
                    "Full sphere, {width} x {height} px: the standard envmap attribute says latitude-longitude."
                ),
            )
        }
        Some("latlong") => (
            Some("equirectangular".to_owned()),
            false,
            format!(
                "The envmap attribute says latitude-longitude, but {width} x {height} px is not 2:1."
            ),
        ),
        Some(other) => (
            Some(other.to_owned()),
            false,
            "The envmap attribute says cube; viewers want it unrolled 2:1.".to_owned(),
        ),
        None => (
            None,
            false,
            "The file has no envmap attribute, so nothing says that it is a sphere.".to_owned(),
        ),
    };
    Ok(Findings {
        format: PictureFormat::Exr,
        width,
        height,
        projection,
        properties,
        sphere,
        reason,
        colours: None,
        notices: Vec::new(),
        description: header.description,
    })
}
