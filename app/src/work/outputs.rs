//! The folder for outputs: names by pattern that lead nowhere else, and finished pictures that are put there.

use super::pattern::NamePattern;
use super::{App, Result, WorkError};
use crate::model::orders::{OrderSpec, StillOut};
use crate::store::OrderRow;
use dome_files::fingerprint::Description;
use dome_files::frame::{Found, look};
use dome_files::{FileError, atomic};
use std::path::{Component, Path, PathBuf};

/// Words that a name may have, beside the frame's number.
const WORDS: [&str; 9] = [
    "project",
    "viewpoint",
    "setup",
    "order",
    "eye",
    "face",
    "pass",
    "width",
    "shape",
];
/// Those that only frames have.
const OF_FRAMES: [&str; 3] = ["eye", "face", "pass"];
/// Largest number that a second file of a name gets.
const MOST_COPIES: u32 = 10_000;

fn refuse<T>(sentence: String) -> Result<T> {
    Err(WorkError::Request(sentence))
}

/// A name that leads nowhere but into the folder for outputs.
pub(super) fn pattern(name: &str, ending: &str) -> Result<NamePattern> {
    let file = format!("{}.{ending}", name.trim());
    let pattern = NamePattern::parse(&file, &WORDS).map_err(WorkError::Request)?;
    // Words are cleaned where they are filled in; what stands between them is not.
    let sane = |part: Component| matches!(part, Component::Normal(n) if n.to_str().is_some_and(|n| !n.starts_with('.')));
    if name.contains(['\\', '\0']) || !Path::new(&file).components().all(sane) {
        return refuse(format!(
            "{name} leads out of the folder for outputs, or into a hidden one; begin with a plain name like {{project}}/{{viewpoint}}."
        ));
    }
    Ok(pattern)
}

/// What the words of an order's names stand for.
pub(super) fn words(
    project: String,
    number: i64,
    spec: &OrderSpec,
    shape: String,
) -> Vec<(&'static str, String)> {
    vec![
        ("project", project),
        ("viewpoint", spec.viewpoint.clone()),
        ("setup", spec.settings.setup.name.clone()),
        ("order", number.to_string()),
        ("width", spec.width.to_string()),
        ("shape", shape),
    ]
}

/// Where the picture of an order goes, within the folder for outputs; nothing of one that stays in the data folder.
pub fn still_file(number: i64, spec: &OrderSpec) -> Result<Option<PathBuf>> {
    let Some(StillOut { name, project }) = &spec.out else {
        return Ok(None);
    };
    let pattern = pattern(name, "exr")?;
    if pattern.has_frame() || OF_FRAMES.iter().any(|w| pattern.has(w)) {
        return refuse(format!(
            "{name} has a word in it that only frames over time have; leave {{frame}}, {{eye}}, {{face}} and {{pass}} out."
        ));
    }
    let words = words(project.clone(), number, spec, spec.shape.clone());
    let words: Vec<(&str, &str)> = words.iter().map(|(w, v)| (*w, v.as_str())).collect();
    Ok(Some(PathBuf::from(pattern.fill(0, &words))))
}

/// Puts the finished master of an order where it was asked to go, as a file of its own that may be worked on. Nothing that is there is
/// overwritten: another picture of that name leaves it and gets a number. Tells a name that differs from the one that was asked for.
pub(super) fn deliver(
    app: &App,
    row: &OrderRow,
    master: &Path,
    description: &Description,
) -> Result<Option<String>> {
    let Some(asked) = still_file(row.id, &row.spec)? else {
        return Ok(None);
    };
    let wanted = app.folder.out().join(&asked);
    let folder = wanted
        .parent()
        .map_or_else(|| app.folder.out(), Path::to_owned);
    std::fs::create_dir_all(&folder).map_err(FileError::io("Making", &folder))?;
    let stem = wanted.file_stem().unwrap_or_default().to_string_lossy();
    for i in 1..MOST_COPIES {
        let to = match i {
            1 => wanted.clone(),
            _ => folder.join(format!("{stem} {i}.exr")),
        };
        // Copied beside for seconds: what came to this name meanwhile stays too.
        let copy = |out: &mut std::fs::File| {
            let mut from = std::fs::File::open(master).map_err(FileError::io("Reading", master))?;
            std::io::copy(&mut from, out).map_err(FileError::io("Writing", &to))?;
            Ok(())
        };
        let written = !to.exists() && atomic::write_new(&to, copy)?;
        if !written && look(std::slice::from_ref(&to), description) != Found::Whole {
            continue;
        }
        return Ok((i > 1).then(|| {
            format!(
                "{} was there already and stays; this picture is {}.",
                asked.display(),
                to.display()
            )
        }));
    }
    refuse(format!(
        "{} and thousands of its kind are there already; clear the folder for outputs, and Resume.",
        wanted.display()
    ))
}
