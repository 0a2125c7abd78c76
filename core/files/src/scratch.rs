//! The rows of a picture on disk as they come, so that any part of one that is larger than memory can be had.

use crate::error::{FileError, Result};
use crate::rows::{Depth, PictureRows};
use dome_imaging::convert::{Pixel, Row};
use dome_optics::neighbourhood::around;
use half::f16;
use std::borrow::Cow;
use std::fs::File;
use std::io::{BufWriter, Write};
use std::ops::Range;
use std::os::unix::fs::FileExt;
use std::path::{Path, PathBuf};

/// How a pixel is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Kind {
    /// sRGB bytes, so many samples.
    Bytes(usize),
    /// Four half floats.
    Half,
    /// Four single floats.
    Float,
}

impl Kind {
    fn bytes(self) -> usize {
        match self {
            Self::Bytes(samples) => samples,
            Self::Half => 8,
            Self::Float => 16,
        }
    }
}

/// The rows of a picture in a file without a name, which is gone with the program.
pub struct Scratch {
    file: File,
    folder: PathBuf,
    kind: Kind,
    /// Width in pixels.
    pub width: u32,
    /// Height in pixels.
    pub height: u32,
}

impl Scratch {
    /// Takes all rows into a file in a folder. `each` is told how many are done and may stop it.
    pub fn of(rows: PictureRows, folder: &Path, mut each: impl FnMut(u32) -> bool) -> Result<Self> {
        let (width, height, depth) = (rows.width, rows.height, rows.depth);
        let io = || FileError::io("Keeping rows of a large picture in", folder);
        let file = tempfile::tempfile_in(folder).map_err(io())?;
        let mut writer = BufWriter::with_capacity(8 << 20, file);
        let mut kind = None;
        for (i, row) in rows.enumerate() {
            if !each(i as u32) {
                return Err(FileError::Request("The conversion was stopped.".into()));
            }
            let row = row?;
            let row_kind = match &row {
                Row::Bytes { samples, .. } => Kind::Bytes(*samples),
                Row::Light(_) if depth == Depth::Half => Kind::Half,
                Row::Light(_) => Kind::Float,
            };
            kind = Some(row_kind);
            match row {
                Row::Bytes { bytes, .. } => writer.write_all(&bytes),
                Row::Light(pixels) => writer.write_all(&light_bytes(&pixels, row_kind)),
            }
            .map_err(io())?;
        }
        let file = (writer.into_inner()).map_err(|e| io()(e.into_error()))?;
        Ok(Self {
            file,
            folder: folder.to_owned(),
            kind: kind.unwrap_or(Kind::Float),
            width,
            height,
        })
    }

    /// Whether it holds bytes, so that half the memory is enough for it.
    pub fn is_bytes(&self) -> bool {
        matches!(self.kind, Kind::Bytes(_))
    }

    /// Some columns of some rows. Columns may begin left of the picture or end right of it: there it begins
    /// anew.
    pub fn rows(&self, rows: Range<u32>, left: i64, columns: u32) -> Result<Vec<Row<'static>>> {
        let size = self.kind.bytes();
        let start = around(left, self.width);
        rows.map(|y| {
            let mut bytes = vec![0; columns as usize * size];
            let mut done = 0;
            let mut column = start;
            while done < columns {
                let count = (columns - done).min(self.width - column);
                let at = (u64::from(y) * u64::from(self.width) + u64::from(column)) * size as u64;
                let to = &mut bytes[done as usize * size..][..count as usize * size];
                (self.file.read_exact_at(to, at))
                    .map_err(FileError::io("Reading rows back from", &self.folder))?;
                done += count;
                column = 0;
            }
            Ok(match self.kind {
                Kind::Bytes(samples) => Row::Bytes {
                    samples,
                    bytes: Cow::Owned(bytes),
                },
                kind => Row::Light(Cow::Owned(light_of(&bytes, kind))),
            })
        })
        .collect()
    }
}

fn light_bytes(pixels: &[Pixel], kind: Kind) -> Vec<u8> {
    let values = pixels.iter().flat_map(|p| p.to_array());
    if kind == Kind::Half {
        values
            .flat_map(|v| f16::from_f32(v).to_le_bytes())
            .collect()
    } else {
        values.flat_map(f32::to_le_bytes).collect()
    }
}

fn light_of(bytes: &[u8], kind: Kind) -> Vec<Pixel> {
    let value = |b: &[u8]| match *b {
        [a, b] => f16::from_le_bytes([a, b]).to_f32(),
        [a, b, c, d] => f32::from_le_bytes([a, b, c, d]),
        _ => 0.0,
    };
    let size = kind.bytes() / 4;
    (bytes.chunks_exact(4 * size))
        .map(|p| {
            let v = |i: usize| value(&p[i * size..][..size]);
            Pixel::new(v(0), v(1), v(2), v(3))
        })
        .collect()
}
