//! Measured distributions of lamps (.ies): brought into a project and read for its light.

use super::settings::is_plain_name;
use super::told::light::DistributionFile;
use super::{App, Result, WorkError};
use crate::folder::remove;
use dome_files::lm63::{self, Distribution};
use dome_files::{FileError, Fingerprint, atomic};
use dome_trace::{IntensityTable, IntensityTables, LightSettings, Scene};
use std::path::Path;
use std::sync::Arc;

/// What a distribution is, for whoever chose the file.
fn told(file: String, name: String, read: &Distribution) -> DistributionFile {
    let table = IntensityTable::new(read);
    DistributionFile {
        file,
        name,
        told: read.told.join(", "),
        lumen: f64::from(table.flux()),
        candela: f64::from(table.most()),
        lamp_lumen: read.lamp_lumen.map(f64::from),
        input_watts: f64::from(read.input_watts),
    }
}

/// Takes a file as one of a project's distributions; the upload is moved or removed. It is kept by what it holds, so that an order
/// that waits keeps the one it was given.
pub fn bring(app: &App, id: i64, upload: &Path, file: &str) -> Result<DistributionFile> {
    let outcome = (|| {
        app.store.project_name(id)?;
        let ending = Path::new(file).extension();
        if !ending.is_some_and(|e| e.eq_ignore_ascii_case("ies")) {
            return Err(WorkError::Request(format!(
                "{file} is no measured distribution of a lamp; add an .ies file of its maker."
            )));
        }
        // No more was received than such a file may have.
        let bytes = std::fs::read(upload).map_err(FileError::io("Reading", upload))?;
        let read = lm63::parse(&bytes, file)?;
        let kept = app.folder.surroundings(id);
        std::fs::create_dir_all(&kept).map_err(FileError::io("Making", &kept))?;
        let name = format!("{}.ies", Fingerprint::of(&bytes));
        atomic::keep(upload, &kept.join(&name))?;
        let stem = Path::new(file).file_stem().unwrap_or_default();
        Ok(told(name, stem.to_string_lossy().into_owned(), &read))
    })();
    remove(upload);
    outcome
}

/// The tables that settings name, from a project's files.
pub fn tables(app: &App, id: i64, settings: &LightSettings) -> Result<IntensityTables> {
    let mut tables = IntensityTables::new();
    for how in settings.values().filter_map(|s| s.distribution.as_ref()) {
        if !tables.contains_key(&how.file) {
            let (read, _) = lm63::read(&app.folder.surroundings(id).join(&how.file))?;
            tables.insert(how.file.clone(), Arc::new(IntensityTable::new(&read)));
        }
    }
    Ok(tables)
}

/// Whether all files that settings name are there; whether lights can shine so is asked of the scene.
pub fn check_files(app: &App, id: i64, settings: &LightSettings) -> Result<()> {
    for how in settings.values().filter_map(|s| s.distribution.as_ref()) {
        let there = is_plain_name(&how.file)
            && how.file.ends_with(".ies")
            && app.folder.surroundings(id).join(&how.file).is_file();
        if !there {
            return Err(WorkError::Request(format!(
                "There is no distribution {} among the project's files; add it first.",
                how.file
            )));
        }
        let fits = (-360.0..=360.0).contains(&how.heading_deg)
            && (-180.0..=180.0).contains(&how.tilt_deg)
            && how.name.chars().count() <= 200;
        if !fits {
            return Err(WorkError::Request(
                "A lamp is turned by -360 to 360 degrees and tilted by -180 to 180; correct them."
                    .into(),
            ));
        }
    }
    Ok(())
}

/// The first light that is set to shine by a distribution and cannot, and why.
pub fn misplaced(scene: &Scene, settings: &LightSettings) -> Option<String> {
    let key = dome_trace::stand::lights::not_measurable(scene, settings)?;
    Some(format!(
        "\u{201c}{key}\u{201d} cannot shine by an .ies file: that is for glowing objects, point and spot lamps; choose one of them."
    ))
}
