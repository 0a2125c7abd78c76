//! Parts of one picture put together, their noise taken out if they were made for that.

use super::denoise::{Job, Remaining, STAYS_NOISY, denoised, noisy_line, written_better};
use super::recipe::strip_passes;
use super::{Result, WorkError};
use dome_files::beside::Beside;
use dome_files::error::{FileError, display_name};
use dome_files::exr_picture::{ExrSpec, ExrStrips, write_file};
use dome_files::join;
use dome_optics::PictureSize;
use dome_trace::PassSet;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};

/// Joins parts to a whole OpenEXR; gives what is to be said, one sentence each.
pub fn joined(parts: &[PathBuf], output: &Path) -> Result<Vec<String>> {
    let noisy = |path: &PathBuf| -> std::result::Result<Option<String>, FileError> {
        let comments = ExrStrips::open(path)?.header.comments;
        Ok(comments.and_then(|c| Some(noisy_line(&c)?.0.to_owned())))
    };
    let mut lines = Vec::new();
    for part in parts {
        lines.push(noisy(part)?);
    }
    if let (Some(first), Some((other, _))) = (
        parts.first(),
        (parts.iter().zip(&lines)).find(|(_, line)| **line != lines[0]),
    ) {
        return Err(WorkError::Request(format!(
            "{} and {} were not made for denoising alike; render both with the same version, and both with the denoising library or both without.",
            display_name(first),
            display_name(other)
        )));
    }
    if lines.iter().all(Option::is_none) {
        join::join(parts, output)?;
        return Ok(Vec::new());
    }
    let folder = match output.parent() {
        Some(p) if !p.as_os_str().is_empty() => p,
        _ => Path::new("."),
    };
    let beside = Beside::new(folder)?;
    let whole = beside.join("whole.exr");
    join::join(parts, &whole)?;
    take_noise_out(&whole, output)
}

/// Denoises a joined picture that holds what that needs, as a render of the whole would have been.
fn take_noise_out(whole: &Path, to: &Path) -> Result<Vec<String>> {
    let header = ExrStrips::open(whole)?.header;
    let (width, height) = header.full;
    let told = (header.description.as_ref())
        .and_then(|d| d.lines().iter().find(|(name, _)| name == "passes"))
        .map(|(_, passes)| passes.replace(' ', ","))
        .ok_or_else(|| {
            WorkError::Request(
                "The parts do not say which passes were wanted; render them anew.".into(),
            )
        })?;
    let wanted = PassSet::parse(&told).map_err(|e| WorkError::Request(format!("{e}.")))?;
    let made = strip_passes(&wanted, true);
    let size = PictureSize::new(header.shape(), Some(width), Some(height))?;
    let mut spec = ExrSpec {
        layers: wanted.layers(),
        ..join::told_by(&header)
    };
    spec.meta.comments = (header.comments.as_deref())
        .and_then(noisy_line)
        .map(|(_, rest)| rest.to_owned())
        .filter(|rest| !rest.is_empty());
    let stays = (header.comments.as_deref())
        .and_then(noisy_line)
        .is_some_and(|(line, _)| line == STAYS_NOISY);
    let left = Mutex::new(Remaining::default());
    let (_, note) = written_better(!stays, &left, |way| {
        let what = Job {
            made: &made,
            wanted: &wanted,
            size,
        };
        let strips = join::with_layers(whole, &made.layers())?;
        let strips = denoised(strips, what, way, &left, || true);
        write_file(to, &spec, strips)
    })?;
    let left = left.into_inner().unwrap_or_else(PoisonError::into_inner);
    let percent = left.percent().map(|percent| {
        format!("Noise {percent:.1} % of the displayed value left after denoising.")
    });
    Ok(note
        .map(|note| format!("Note: {note}"))
        .into_iter()
        .chain(percent)
        .collect())
}
