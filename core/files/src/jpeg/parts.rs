//! The segments of a JPEG: metadata in, metadata out, the picture's bytes untouched.

use crate::error::{FileError, Result};
use crate::pano::{PanoProperties, TagRequest};
use crate::{exif, xmp};
use img_parts::Bytes;
use img_parts::jpeg::{Jpeg, JpegSegment, markers};

const XMP_ID: &[u8] = b"http://ns.adobe.com/xap/1.0/\0";
const XMP_EXTENSION_ID: &[u8] = b"http://ns.adobe.com/xmp/extension/\0";
const EXIF_ID: &[u8] = b"Exif\0\0";

/// The APP1 segments (identifier and content) of a new picture: the camera that `request` tells, and an XMP packet.
pub fn metadata_segments(request: &TagRequest, packet: Option<&str>) -> Result<Vec<Vec<u8>>> {
    let mut segments = Vec::new();
    if request.make.is_some() || request.model.is_some() {
        let block = exif::set_make_model(&[], request.make.as_deref(), request.model.as_deref())?;
        segments.push([EXIF_ID, &block].concat());
    }
    segments.extend(packet.map(xmp_segment));
    Ok(segments)
}

/// The APP1 segment of an XMP packet.
fn xmp_segment(packet: &str) -> Vec<u8> {
    [XMP_ID, packet.as_bytes()].concat()
}

/// A JPEG taken apart.
pub struct JpegParts {
    jpeg: Jpeg,
    /// Width in pixels.
    pub width: u32,
    /// Height in pixels.
    pub height: u32,
}

impl JpegParts {
    /// Takes a JPEG apart; refuses what is cut short.
    pub fn read(bytes: Vec<u8>, name: &str) -> Result<Self> {
        let jpeg = Jpeg::from_bytes(Bytes::from(bytes)).map_err(|e| {
            FileError::damaged(name, format!("its JPEG segments do not add up ({e})"))
        })?;
        let (width, height) = jpeg
            .dimensions()
            .ok_or_else(|| FileError::damaged(name, "it has no frame header with a size"))?;
        let Some(coded) = jpeg.segments().last().filter(|s| s.has_entropy()) else {
            return Err(FileError::damaged(
                name,
                "it ends before the picture's data start",
            ));
        };
        let coded = coded.clone().encoder().bytes();
        // Within coded data a byte FF is always followed by 00, so this pair is the true end.
        if !coded.windows(2).any(|w| w == [0xff, markers::EOI]) {
            return Err(FileError::damaged(
                name,
                "the picture's data end before its end marker",
            ));
        }
        // Every block of 8 x 8 pixels takes a bit at least; half of that is allowed for.
        let blocks = u64::from(width) * u64::from(height) / 64;
        if (coded.len() as u64) < blocks / 16 {
            return Err(FileError::damaged(
                name,
                format!(
                    "{width} x {height} px cannot fit its {} bytes of picture data",
                    coded.len()
                ),
            ));
        }
        Ok(Self {
            jpeg,
            width: width.into(),
            height: height.into(),
        })
    }

    fn packet(&self) -> Option<Result<String>> {
        let segment = self
            .jpeg
            .segments_by_marker(markers::APP1)
            .find(|s| s.contents().starts_with(XMP_ID))?;
        let bytes = &segment.contents()[XMP_ID.len()..];
        Some(
            std::str::from_utf8(bytes).map(str::to_owned).map_err(|_| {
                FileError::damaged("The picture's XMP packet", "it is not UTF-8 text")
            }),
        )
    }

    /// The panorama properties told in the file.
    pub fn properties(&self) -> Result<PanoProperties> {
        self.packet()
            .map_or_else(|| Ok(PanoProperties::default()), |p| xmp::read(&p?))
    }

    /// The file with the metadata that `request` asks for. From the first scan on every byte is as it was.
    pub fn tagged(mut self, request: &TagRequest) -> Result<Vec<u8>> {
        let properties = request.properties(self.width, self.height)?;
        if request.clear {
            // Colour profile (APP2 ICC), JFIF and the colour transform stay: without them the picture changes.
            self.jpeg.segments_mut().retain(|s| {
                let m = s.marker();
                let icc = m == markers::APP2 && s.contents().starts_with(b"ICC_PROFILE\0");
                !(markers::APP1..=markers::APP15).contains(&m) && m != markers::COM
                    || icc
                    || m == markers::APP14
            });
        }
        let packet = match self.packet() {
            Some(old) => xmp::merge(&old?, &properties)?,
            None => xmp::make(&properties)?,
        };
        let old_exif = self
            .jpeg
            .segments_by_marker(markers::APP1)
            .find(|s| s.contents().starts_with(EXIF_ID))
            .map(|s| s.contents().slice(EXIF_ID.len()..));
        let new_exif = (request.make.is_some() || request.model.is_some())
            .then(|| {
                exif::set_make_model(
                    old_exif.as_deref().unwrap_or_default(),
                    request.make.as_deref(),
                    request.model.as_deref(),
                )
            })
            .transpose()?;

        let segments = self.jpeg.segments_mut();
        segments.retain(|s| {
            let c = s.contents();
            let app1 = s.marker() == markers::APP1;
            let is_xmp = c.starts_with(XMP_ID) && !c.starts_with(XMP_EXTENSION_ID);
            !(app1 && (is_xmp || (new_exif.is_some() && c.starts_with(EXIF_ID))))
        });
        // JFIF, if any, must come first; EXIF and XMP follow it.
        let mut at = segments
            .iter()
            .take_while(|s| s.marker() == markers::APP0)
            .count();
        if new_exif.is_none() {
            at += segments[at..]
                .iter()
                .take_while(|s| s.contents().starts_with(EXIF_ID))
                .count();
        }
        let mut put = |id: &[u8], body: &[u8]| {
            let contents = Bytes::from([id, body].concat());
            segments.insert(at, JpegSegment::new_with_contents(markers::APP1, contents));
            at += 1;
        };
        if let Some(block) = &new_exif {
            put(EXIF_ID, block);
        }
        put(XMP_ID, packet.as_bytes());
        Ok(self.jpeg.encoder().bytes().to_vec())
    }
}
