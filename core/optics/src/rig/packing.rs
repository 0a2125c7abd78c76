//! How two eyes lie in pictures. It is a thing of its own beside the shape: each eye has the shape.

use super::Side;
use std::fmt;
use std::str::FromStr;
use thiserror::Error;

/// Where the eyes lie.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Arrangement {
    /// One eye alone.
    #[default]
    Mono,
    /// One above the other in one picture.
    TopBottom,
    /// One beside the other in one picture.
    SideBySide,
    /// Each in a picture of its own.
    TwoFiles,
}

/// How two eyes lie in pictures.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Packing {
    /// Where they lie.
    pub arrangement: Arrangement,
    /// Whether both are squeezed into the size of one.
    pub squeezed: bool,
    /// Whether the right eye comes first: on top, or on the left.
    pub right_first: bool,
}

/// Why a packing or a size was refused.
#[derive(Debug, Error, PartialEq, Eq)]
pub enum PackingError {
    /// No such packing.
    #[error(
        "There is no packing \"{0}\"; take mono, top-bottom, side-by-side or two-files, the middle two by choice with :squeezed and :right-first."
    )]
    Unknown(String),
    /// A size that is not of this packing.
    #[error(
        "{width} x {height} px is not the ratio of {packing} here; {width} px wide it is {right} px high."
    )]
    Ratio {
        /// Width asked for.
        width: u32,
        /// Height asked for.
        height: u32,
        /// The packing.
        packing: Packing,
        /// The height that belongs to the width.
        right: u32,
    },
    /// A side that two eyes cannot share.
    #[error("{side} px cannot be shared by two eyes; take {lower} or {upper} px.")]
    Odd {
        /// The side.
        side: u32,
        /// The even one below.
        lower: u32,
        /// The even one above.
        upper: u32,
    },
}

impl Packing {
    /// One eye.
    pub const MONO: Self = Self {
        arrangement: Arrangement::Mono,
        squeezed: false,
        right_first: false,
    };
    /// Left above right, both whole.
    pub const TOP_BOTTOM: Self = Self {
        arrangement: Arrangement::TopBottom,
        squeezed: false,
        right_first: false,
    };
    /// Left beside right, both whole.
    pub const SIDE_BY_SIDE: Self = Self {
        arrangement: Arrangement::SideBySide,
        squeezed: false,
        right_first: false,
    };
    /// Two pictures.
    pub const TWO_FILES: Self = Self {
        arrangement: Arrangement::TwoFiles,
        squeezed: false,
        right_first: false,
    };

    /// Whether both eyes lie in one picture.
    pub fn is_packed(&self) -> bool {
        matches!(
            self.arrangement,
            Arrangement::TopBottom | Arrangement::SideBySide
        )
    }

    /// The eyes in the order in which they lie; one for mono.
    pub fn sides(&self) -> &'static [Side] {
        match (self.arrangement, self.right_first) {
            (Arrangement::Mono, _) => &[Side::Left],
            (_, false) => &[Side::Left, Side::Right],
            (_, true) => &[Side::Right, Side::Left],
        }
    }

    /// Columns and rows of eyes in one picture.
    pub fn cells(&self) -> (u32, u32) {
        match self.arrangement {
            Arrangement::TopBottom => (1, 2),
            Arrangement::SideBySide => (2, 1),
            Arrangement::Mono | Arrangement::TwoFiles => (1, 1),
        }
    }

    /// Width and height of a file for eyes of a width and height, pixels.
    pub fn file_size(&self, (width, height): (u32, u32)) -> (u32, u32) {
        if self.squeezed {
            return (width, height);
        }
        let (across, down) = self.cells();
        (width.saturating_mul(across), height.saturating_mul(down))
    }

    /// Width and height that each eye has within a file, pixels: less than it was made with where it is squeezed.
    pub fn cell_size(&self, (width, height): (u32, u32)) -> (u32, u32) {
        let (across, down) = self.cells();
        let (w, h) = self.file_size((width, height));
        (w / across, h / down)
    }

    /// Width and height of each eye as it is made, for a file of a width and height in pixels.
    pub fn eye_size(&self, (width, height): (u32, u32)) -> Result<(u32, u32), PackingError> {
        let (across, down) = self.cells();
        for (side, cells) in [(width, across), (height, down)] {
            if side % cells != 0 {
                return Err(PackingError::Odd {
                    side,
                    lower: side - 1,
                    upper: side + 1,
                });
            }
        }
        if self.squeezed {
            return Ok((width, height));
        }
        Ok((width / across, height / down))
    }
}

impl fmt::Display for Packing {
    fn fmt(&self, f: &mut fmt::Formatter) -> fmt::Result {
        f.write_str(match self.arrangement {
            Arrangement::Mono => "mono",
            Arrangement::TopBottom => "top-bottom",
            Arrangement::SideBySide => "side-by-side",
            Arrangement::TwoFiles => "two-files",
        })?;
        if self.squeezed {
            f.write_str(":squeezed")?;
        }
        if self.right_first {
            f.write_str(":right-first")?;
        }
        Ok(())
    }
}

impl FromStr for Packing {
    type Err = PackingError;

    fn from_str(text: &str) -> Result<Self, PackingError> {
        let unknown = || PackingError::Unknown(text.to_owned());
        let mut words = text.trim().split(':');
        let mut packing = match words.next().unwrap_or_default() {
            "mono" => Self::MONO,
            "top-bottom" => Self::TOP_BOTTOM,
            "side-by-side" => Self::SIDE_BY_SIDE,
            "two-files" => Self::TWO_FILES,
            _ => return Err(unknown()),
        };
        for word in words {
            let already = match word {
                "squeezed" => std::mem::replace(&mut packing.squeezed, true),
                "right-first" => std::mem::replace(&mut packing.right_first, true),
                _ => return Err(unknown()),
            };
            if already || !packing.is_packed() {
                return Err(unknown());
            }
        }
        Ok(packing)
    }
}
