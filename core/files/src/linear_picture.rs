//! Reading a whole picture as linear light, whatever its format: surroundings that artists bring.

use crate::budget::{self, Claim};
use crate::error::{Result, display_name};
use crate::rows::{Depth, PictureRows};
use dome_imaging::Picture;
use dome_imaging::convert::Row;
use dome_optics::rig::Side;
use std::path::Path;

/// A picture in linear light and what is to be said about it.
#[derive(Debug)]
pub struct LinearPicture {
    /// The picture; every value is finite and not negative.
    pub picture: Picture,
    /// How finely its values were told.
    pub depth: Depth,
    /// Luminance of the value 1 that it tells, cd/m^2.
    pub white_cd_m2: Option<f32>,
    /// Odd things, one sentence each.
    pub notices: Vec<String>,
    /// Its memory.
    pub memory: Claim,
}

/// Reads an OpenEXR, Radiance HDR, JPEG or PNG.
pub fn read(path: &Path) -> Result<LinearPicture> {
    of_rows(PictureRows::open(path)?, path)
}

/// Reads one eye's view of an OpenEXR that holds both.
pub fn read_eye(path: &Path, side: Side) -> Result<LinearPicture> {
    of_rows(PictureRows::open_eye(path, side)?, path)
}

fn of_rows(mut rows: PictureRows, path: &Path) -> Result<LinearPicture> {
    let name = display_name(path);
    let (width, height) = (rows.width, rows.height);
    let memory = budget::claim(u64::from(width) * u64::from(height) * 12, &name)?;
    let mut notices = std::mem::take(&mut rows.notices);
    let (depth, white_cd_m2) = (rows.depth, rows.white_cd_m2);
    if matches!(depth, Depth::Eight | Depth::Sixteen) {
        notices.push(format!(
            "{name} ends at white: its lamps and its sun are cut off there, so it lights weakly; an .hdr or .exr lights truly."
        ));
    }
    let mut samples = Vec::with_capacity(width as usize * height as usize * 3);
    let mut lowest = 0.0f32;
    let mut wrong = 0u64;
    for row in rows {
        for p in row.map(Row::into_light)? {
            for v in [p.x, p.y, p.z] {
                if v < 0.0 {
                    wrong += 1;
                    lowest = lowest.min(v);
                }
                samples.push(v.max(0.0));
            }
        }
    }
    if wrong > 0 {
        notices.push(format!(
            "{name} holds {wrong} values that no light has (down to {lowest}); they are taken as black."
        ));
    }
    Ok(LinearPicture {
        picture: Picture {
            width,
            height,
            samples,
        },
        depth,
        white_cd_m2,
        notices,
        memory,
    })
}
