//! Picture formats, by file ending and by first bytes.

use crate::error::{FileError, Result, display_name};
use std::path::Path;

/// The picture formats that are written and inspected.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PictureFormat {
    /// OpenEXR, linear, half float.
    Exr,
    /// JPEG, 8-bit sRGB.
    Jpeg,
    /// PNG, 8-bit sRGB.
    Png,
    /// Radiance HDR, linear RGBE.
    Hdr,
}

impl PictureFormat {
    /// The format a file ending stands for.
    pub fn from_path(path: &Path) -> Result<Self> {
        let ending = path
            .extension()
            .map(|e| e.to_string_lossy().to_ascii_lowercase())
            .unwrap_or_default();
        match ending.as_str() {
            "exr" => Ok(Self::Exr),
            "jpg" | "jpeg" => Ok(Self::Jpeg),
            "png" => Ok(Self::Png),
            "hdr" => Ok(Self::Hdr),
            "" => Err(FileError::Request(format!(
                "The output {} has no ending; name it .exr, .jpg, .png or .hdr.",
                display_name(path)
            ))),
            other => Err(FileError::Request(format!(
                "The output ending .{other} of {} is not one of .exr, .jpg, .png and .hdr; take one of these.",
                display_name(path)
            ))),
        }
    }

    /// The format that a file's first bytes show.
    pub fn sniff(head: &[u8]) -> Option<Self> {
        if head.starts_with(&[0x76, 0x2f, 0x31, 0x01]) {
            Some(Self::Exr)
        } else if head.starts_with(&[0xff, 0xd8]) {
            Some(Self::Jpeg)
        } else if head.starts_with(b"\x89PNG\r\n\x1a\n") {
            Some(Self::Png)
        } else if head.starts_with(b"#?") {
            Some(Self::Hdr)
        } else {
            None
        }
    }

    /// Its usual file ending.
    pub fn ending(self) -> &'static str {
        match self {
            Self::Exr => "exr",
            Self::Jpeg => "jpg",
            Self::Png => "png",
            Self::Hdr => "hdr",
        }
    }

    /// The name used in messages and in `inspect --json`.
    pub fn name(self) -> &'static str {
        match self {
            Self::Exr => "OpenEXR",
            Self::Jpeg => "JPEG",
            Self::Png => "PNG",
            Self::Hdr => "Radiance HDR",
        }
    }

    /// Whether the format keeps scene-linear light beyond 1.
    pub fn is_linear(self) -> bool {
        matches!(self, Self::Exr | Self::Hdr)
    }
}
