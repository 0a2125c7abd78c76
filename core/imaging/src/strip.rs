//! Strips: rows of a picture with where they belong. Whole pictures are the convenience.

use thiserror::Error;

/// Samples per pixel: red, green, blue.
pub const CHANNELS: usize = 3;

/// Why strips do not make a picture.
#[derive(Debug, Error, PartialEq, Eq)]
pub enum StripError {
    /// A strip does not start where the one before ended.
    #[error(
        "The strip that starts at row {found} does not follow on row {expected}; render it again."
    )]
    OutOfOrder {
        /// The row that was due.
        expected: u32,
        /// The row that came.
        found: u32,
    },
    /// The strip's data do not fill its rows.
    #[error(
        "The strip at row {top} holds {samples} samples where {wanted} belong; render it again."
    )]
    WrongLength {
        /// First row of the strip.
        top: u32,
        /// Number of samples found.
        samples: usize,
        /// Number of samples its size demands.
        wanted: usize,
    },
    /// The strips ended before the picture did.
    #[error("The picture ends at row {rows} of {height}; render the missing rows.")]
    Incomplete {
        /// Rows that are there.
        rows: u32,
        /// Rows that the picture has.
        height: u32,
    },
}

/// Some full-width rows of a picture.
#[derive(Clone, Debug, PartialEq)]
pub struct Strip {
    /// Row of the picture at which the strip starts.
    pub top: u32,
    /// Width in pixels: the picture's.
    pub width: u32,
    /// RGB samples, row by row.
    pub samples: Vec<f32>,
}

impl Strip {
    /// A black strip of `rows` rows.
    pub fn black(top: u32, width: u32, rows: u32) -> Self {
        Self {
            top,
            width,
            samples: vec![0.0; width as usize * rows as usize * CHANNELS],
        }
    }

    /// Number of rows.
    pub fn rows(&self) -> u32 {
        let row = self.width as usize * CHANNELS;
        self.samples.len().checked_div(row).unwrap_or(0) as u32
    }

    /// The row below the last one.
    pub fn end(&self) -> u32 {
        self.top + self.rows()
    }

    /// The samples of row `row`, counted within the strip.
    pub fn row(&self, row: u32) -> &[f32] {
        let length = self.width as usize * CHANNELS;
        &self.samples[row as usize * length..][..length]
    }

    /// Checks that the strip is whole and starts at row `expected`.
    pub fn check_follows(&self, expected: u32) -> Result<(), StripError> {
        let row = self.width as usize * CHANNELS;
        if row == 0 || self.samples.is_empty() || !self.samples.len().is_multiple_of(row) {
            return Err(StripError::WrongLength {
                top: self.top,
                samples: self.samples.len(),
                wanted: row.max(1) * (self.rows() as usize + 1),
            });
        }
        if self.top != expected {
            return Err(StripError::OutOfOrder {
                expected,
                found: self.top,
            });
        }
        Ok(())
    }
}

/// A whole picture in memory.
#[derive(Clone, Debug, PartialEq)]
pub struct Picture {
    /// Width in pixels.
    pub width: u32,
    /// Height in pixels.
    pub height: u32,
    /// RGB samples, row by row from the top.
    pub samples: Vec<f32>,
}

impl Picture {
    /// A black picture.
    pub fn black(width: u32, height: u32) -> Self {
        Self {
            width,
            height,
            samples: vec![0.0; width as usize * height as usize * CHANNELS],
        }
    }

    /// The colour of a pixel.
    pub fn pixel(&self, column: u32, row: u32) -> [f32; CHANNELS] {
        let at = (row as usize * self.width as usize + column as usize) * CHANNELS;
        [self.samples[at], self.samples[at + 1], self.samples[at + 2]]
    }

    /// Lays a strip into its rows.
    pub fn place(&mut self, strip: &Strip) -> Result<(), StripError> {
        let start = strip.top as usize * self.width as usize * CHANNELS;
        let end = start + strip.samples.len();
        if strip.width != self.width || end > self.samples.len() {
            return Err(StripError::WrongLength {
                top: strip.top,
                samples: strip.samples.len(),
                wanted: self.samples.len().saturating_sub(start),
            });
        }
        self.samples[start..end].copy_from_slice(&strip.samples);
        Ok(())
    }

    /// The picture cut into strips of `rows` rows.
    pub fn strips(&self, rows: u32) -> impl Iterator<Item = Strip> + '_ {
        let length = self.width as usize * CHANNELS * rows.max(1) as usize;
        self.samples
            .chunks(length.max(1))
            .enumerate()
            .map(move |(i, chunk)| Strip {
                top: i as u32 * rows.max(1),
                width: self.width,
                samples: chunk.to_vec(),
            })
    }
}
