//! `owl-dome join`.

use super::Outcome;
use crate::work::denoise::{Job, Remaining, denoised, noisy_line, written};
use crate::work::recipe::strip_passes;
use clap::Args;
use dome_files::error::{FileError, display_name};
use dome_files::exr_picture::{ExrSpec, ExrStrips, write_file};
use dome_files::join;
use dome_optics::PictureSize;
use dome_trace::PassSet;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};

#[derive(Args)]
pub(super) struct JoinArgs {
    /// The parts, in any order
    #[arg(required = true)]
    parts: Vec<PathBuf>,
    /// The whole picture to write
    #[arg(short, long, value_name = "OUT")]
    output: PathBuf,
}

pub(super) fn run(args: &JoinArgs) -> Outcome {
    let exr = args
        .output
        .extension()
        .is_some_and(|e| e.eq_ignore_ascii_case("exr"));
    if !exr {
        return Err("The whole picture is an OpenEXR like its parts; name the output .exr.".into());
    }
    let noisy = |path: &PathBuf| -> Result<Option<String>, FileError> {
        let comments = ExrStrips::open(path)?.header.comments;
        Ok(comments.and_then(|c| Some(noisy_line(&c)?.0.to_owned())))
    };
    let mut lines = Vec::new();
    for part in &args.parts {
        lines.push(noisy(part)?);
    }
    if let (Some(first), Some((other, _))) = (
        args.parts.first(),
        (args.parts.iter().zip(&lines)).find(|(_, line)| **line != lines[0]),
    ) {
        return Err(format!(
            "{} and {} were not made for denoising alike; render both with the same version, and both with the denoising library or both without.",
            display_name(first),
            display_name(other)
        )
        .into());
    }
    if lines.iter().any(Option::is_some) {
        let folder = match args.output.parent() {
            Some(p) if !p.as_os_str().is_empty() => p,
            _ => Path::new("."),
        };
        let beside = tempfile::Builder::new()
            .prefix(".unfinished-")
            .tempdir_in(folder)
            .map_err(FileError::io("Writing", folder))?;
        let whole = beside.path().join("whole.exr");
        join::join(&args.parts, &whole)?;
        take_noise_out(&whole, &args.output)?;
    } else {
        join::join(&args.parts, &args.output)?;
    }
    println!("{}", args.output.display());
    Ok(())
}

/// Denoises a joined picture that holds what that needs, as a render of the whole would have been.
fn take_noise_out(whole: &Path, to: &Path) -> Outcome {
    let header = ExrStrips::open(whole)?.header;
    let (width, height) = header.full;
    let told = (header.description.as_ref())
        .and_then(|d| d.lines().iter().find(|(name, _)| name == "passes"))
        .map(|(_, passes)| passes.replace(' ', ","))
        .ok_or("The parts do not say which passes were wanted; render them anew.")?;
    let wanted = PassSet::parse(&told)?;
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
    let left = Mutex::new(Remaining::default());
    let (_, note) = written(true, |way| {
        *left.lock().unwrap_or_else(PoisonError::into_inner) = Remaining::default();
        let what = Job {
            made: &made,
            wanted: &wanted,
            size,
        };
        let strips = join::with_layers(whole, &made.layers())?;
        let strips = denoised(strips, what, way, &left, || true);
        write_file(to, &spec, strips)
    })?;
    if let Some(note) = note {
        eprintln!("Note: {note}");
    }
    let left = left.into_inner().unwrap_or_else(PoisonError::into_inner);
    if let Some(percent) = left.percent() {
        eprintln!("Noise {percent:.1} % of the displayed value left after denoising.");
    }
    Ok(())
}
