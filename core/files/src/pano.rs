//! The panorama properties of a picture: what a viewer needs to wrap it round the eye.
//!
//! The schema is the published XMP one with namespace `http://ns.google.com/photos/1.0/panorama/`.

use crate::error::{FileError, Result};
use crate::fingerprint::Fingerprint;
use dome_optics::Shape;

/// Panorama properties; `None` is "not said".
#[derive(Clone, Debug, Default, PartialEq)]
pub struct PanoProperties {
    /// `equirectangular` or `cylindrical`.
    pub projection: Option<String>,
    /// Whether a viewer should be used at all (`UsePanoramaViewer`).
    pub use_viewer: Option<bool>,
    /// Width of the full sphere in pixels.
    pub full_width: Option<u32>,
    /// Height of the full sphere in pixels.
    pub full_height: Option<u32>,
    /// Width of the part that the picture holds, pixels.
    pub cropped_width: Option<u32>,
    /// Height of the part that the picture holds, pixels.
    pub cropped_height: Option<u32>,
    /// Left edge of the part within the full sphere, pixels.
    pub cropped_left: Option<u32>,
    /// Top edge of the part within the full sphere, pixels.
    pub cropped_top: Option<u32>,
    /// Compass heading of the middle of the picture, degrees.
    pub pose_heading_deg: Option<f64>,
    /// Degrees that the middle of the picture lies above the horizon.
    pub pose_pitch_deg: Option<f64>,
    /// Degrees that the picture is rolled clockwise.
    pub pose_roll_deg: Option<f64>,
    /// Heading of the opening view, degrees, counted like the pose heading.
    pub opening_heading_deg: Option<f64>,
    /// Pitch of the opening view, degrees.
    pub opening_pitch_deg: Option<f64>,
    /// Horizontal field of view at opening, degrees.
    pub opening_hfov_deg: Option<f64>,
    /// What the picture is in words (`dc:description`); only read.
    pub words: Option<String>,
    /// Which picture it is: the fingerprint of what determined it (`dc:identifier`); only read.
    pub picture: Option<Fingerprint>,
    /// Values that were there but could not be understood, as sentences.
    pub problems: Vec<String>,
}

/// Where a picture lies in the full sphere, in pixels of the full sphere.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Part {
    /// Left edge.
    pub left: u32,
    /// Top edge.
    pub top: u32,
    /// Width of the full sphere.
    pub full_width: u32,
    /// Height of the full sphere.
    pub full_height: u32,
}

impl Part {
    /// The place of a picture of `width` x `height` pixels that is the whole sphere, or of one that
    /// is a stated part; refuses what does not fit.
    pub fn place(width: u32, height: u32, part: Option<Self>) -> Result<Self> {
        let Some(part) = part else {
            if u64::from(width) != 2 * u64::from(height) {
                return Err(FileError::Request(format!(
                    "The picture is {width} x {height} px; a full sphere is twice as wide as high ({width} x {} px). \
                     Give a 2:1 picture, or say with --part LEFT,TOP,FULLWIDTH,FULLHEIGHT where it sits in the full sphere.",
                    width / 2
                )));
            }
            return Ok(Self {
                left: 0,
                top: 0,
                full_width: width,
                full_height: height,
            });
        };
        if u64::from(part.full_width) != 2 * u64::from(part.full_height) {
            return Err(FileError::Request(format!(
                "The full sphere {} x {} px is not twice as wide as high; correct FULLWIDTH,FULLHEIGHT.",
                part.full_width, part.full_height
            )));
        }
        let fits = u64::from(part.left) + u64::from(width) <= u64::from(part.full_width)
            && u64::from(part.top) + u64::from(height) <= u64::from(part.full_height);
        if !fits {
            return Err(FileError::Request(format!(
                "The picture of {width} x {height} px at {},{} reaches beyond the full sphere of {} x {} px; correct --part.",
                part.left, part.top, part.full_width, part.full_height
            )));
        }
        Ok(part)
    }
}

/// What a writer asks to be told about a picture.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct TagRequest {
    /// Compass heading of the middle, degrees.
    pub heading_deg: Option<f64>,
    /// Pitch and roll of the middle, degrees; a level sphere says nothing of them.
    pub tilt_deg: Option<(f64, f64)>,
    /// Heading and pitch of the opening view, degrees.
    pub opening_deg: Option<(f64, f64)>,
    /// Horizontal field of view at opening, degrees.
    pub hfov_deg: Option<f64>,
    /// Where the picture sits, if it is not the whole sphere.
    pub part: Option<Part>,
    /// Camera make (EXIF).
    pub make: Option<String>,
    /// Camera model (EXIF).
    pub model: Option<String>,
    /// Drop other metadata first.
    pub clear: bool,
}

impl TagRequest {
    /// The properties for a picture of this size; refuses wrong ratios and angles.
    pub fn properties(&self, width: u32, height: u32) -> Result<PanoProperties> {
        let place = Part::place(width, height, self.part)?;
        let angle = |name: &str, value: f64, low: f64, high: f64| {
            if value.is_finite() && (low..=high).contains(&value) {
                Ok(value)
            } else {
                Err(FileError::Request(format!(
                    "The {name} {value} is outside {low} to {high} degrees; correct it."
                )))
            }
        };
        let heading = |name, value: f64| {
            angle(name, value, -360.0, 360.0).map(dome_optics::angle::wrap_heading_deg)
        };
        Ok(PanoProperties {
            projection: Some("equirectangular".into()),
            use_viewer: Some(true),
            full_width: Some(place.full_width),
            full_height: Some(place.full_height),
            cropped_width: Some(width),
            cropped_height: Some(height),
            cropped_left: Some(place.left),
            cropped_top: Some(place.top),
            pose_heading_deg: self
                .heading_deg
                .map(|h| heading("heading", h))
                .transpose()?,
            pose_pitch_deg: self
                .tilt_deg
                .map(|(p, _)| angle("pitch", p, -90.0, 90.0))
                .transpose()?,
            pose_roll_deg: self
                .tilt_deg
                .map(|(_, r)| angle("roll", r, -180.0, 180.0))
                .transpose()?,
            opening_heading_deg: self
                .opening_deg
                .map(|(h, _)| heading("opening heading", h))
                .transpose()?,
            opening_pitch_deg: self
                .opening_deg
                .map(|(_, p)| angle("opening pitch", p, -90.0, 90.0))
                .transpose()?,
            opening_hfov_deg: self
                .hfov_deg
                .map(|f| angle("field of view", f, 10.0, 170.0))
                .transpose()?,
            words: None,
            picture: None,
            problems: Vec::new(),
        })
    }
}

impl PanoProperties {
    /// The shape that the properties tell for a picture of this size; nothing if they make no sense.
    pub fn shape(&self, width: u32, height: u32) -> Option<Shape> {
        if !self.verdict(width, height).0 {
            return None;
        }
        let full = f64::from(self.full_width.unwrap_or(width));
        let (left, top) = (
            f64::from(self.cropped_left.unwrap_or(0)),
            f64::from(self.cropped_top.unwrap_or(0)),
        );
        let (w, h) = (f64::from(width), f64::from(height));
        if w == full && 2.0 * h == full {
            return Some(Shape::Equirect);
        }
        let degrees = 360.0 / full;
        Some(Shape::EquirectPart {
            hfov_deg: w * degrees,
            vfov_deg: h * degrees,
            heading_deg: (left + w / 2.0) * degrees - 180.0,
            pitch_deg: 90.0 - (top + h / 2.0) * degrees,
        })
    }

    /// Whether a viewer will take a picture of this size as a sphere, and the reason in a sentence.
    pub fn verdict(&self, width: u32, height: u32) -> (bool, String) {
        if let Some(problem) = self.problems.first() {
            return (false, problem.clone());
        }
        let Some(projection) = &self.projection else {
            return (false, "It has no panorama properties, so viewers and hosts show it flat; add them with tag.".into());
        };
        if !projection.eq_ignore_ascii_case("equirectangular") {
            return (
                false,
                format!(
                    "Its projection is \"{projection}\", which is not a sphere; only \"equirectangular\" is."
                ),
            );
        }
        if self.use_viewer == Some(false) {
            return (
                false,
                "UsePanoramaViewer is False, so viewers show it flat.".into(),
            );
        }
        let full = (
            self.full_width.unwrap_or(width),
            self.full_height.unwrap_or(height),
        );
        let cropped = (
            self.cropped_width.unwrap_or(width),
            self.cropped_height.unwrap_or(height),
        );
        let corner = (
            self.cropped_left.unwrap_or(0),
            self.cropped_top.unwrap_or(0),
        );
        if cropped != (width, height) {
            return (
                false,
                format!(
                    "The properties say the picture is {} x {} px, but it is {width} x {height} px; tag it again.",
                    cropped.0, cropped.1
                ),
            );
        }
        if u64::from(full.0) != 2 * u64::from(full.1) {
            return (
                false,
                format!(
                    "The full sphere is told as {} x {} px, which is not twice as wide as high.",
                    full.0, full.1
                ),
            );
        }
        if u64::from(corner.0) + u64::from(width) > u64::from(full.0)
            || u64::from(corner.1) + u64::from(height) > u64::from(full.1)
        {
            return (
                false,
                "The part that the picture is said to hold reaches beyond the full sphere.".into(),
            );
        }
        if full == (width, height) {
            (
                true,
                format!(
                    "Full equirectangular sphere, {width} x {height} px, with panorama properties."
                ),
            )
        } else {
            (
                true,
                format!(
                    "Part of an equirectangular sphere: {width} x {height} px at {},{} of {} x {} px.",
                    corner.0, corner.1, full.0, full.1
                ),
            )
        }
    }
}
