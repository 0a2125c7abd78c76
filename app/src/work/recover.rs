//! A data folder whose database is lost or damaged: a copy of the database is put in its place, or what lies in the folder is read in again.

use super::{App, Result, WorkError, bring, pictures};
use crate::folder::DataFolder;
use crate::store::{Store, rescue};
use dome_files::{FileError, PictureFormat};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// What was done, for people.
pub enum Recovered {
    /// A copy of the database was put in its place.
    Copy {
        /// The copy.
        copy: PathBuf,
        /// Where the damaged one was put, where there was one.
        damaged: Option<PathBuf>,
        /// How many newer records of the damaged one were taken into it.
        newer: usize,
        /// What can still be read of the damaged one and is not in the database now.
        lacking: Vec<String>,
    },
    /// There was no copy, so everything was put aside into a folder and read in from there.
    ReadIn {
        /// The folder with what was put aside.
        aside: PathBuf,
        /// What could not be read in, each with its reason.
        left: Vec<String>,
    },
}

/// Refuses a database that is damaged, with the copies that there are. Nothing is changed by asking.
pub fn refuse_damaged_database(folder: &DataFolder) -> Result<()> {
    let database = folder.database();
    let there = std::fs::metadata(&database).is_ok_and(|m| m.len() > 0);
    let Some(damage) = there.then(|| Store::damage(&database)).flatten() else {
        return Ok(());
    };
    let next = match newest_copy(folder) {
        Some(copy) => format!(
            "Start with --recover to put it aside and the newest whole copy, {}, in its place",
            copy.display()
        ),
        None => "There is no whole copy. Start with --recover to put it aside and to read in again what lies beside it".into(),
    };
    Err(WorkError::Conflict(format!(
        "The database {} is damaged ({}). Nothing was changed. {next}; or choose another folder with --data.",
        database.display(),
        damage.trim_end_matches('.')
    )))
}

/// Brings a data folder with a lost or damaged database back and opens it.
pub fn recover(folder: DataFolder) -> Result<(Arc<App>, Recovered)> {
    let lost = folder.refuse_lost_database().is_err();
    if !lost && Store::damage(&folder.database()).is_none() {
        return Err(WorkError::Conflict(format!(
            "The database {} is there, or nothing lies beside it; start without --recover.",
            folder.database().display()
        )));
    }
    let copy = newest_copy(&folder);
    // Asked before anything is moved: its log belongs to it.
    let could_be_read = match (lost, &copy) {
        (false, Some(_)) => Store::readable(&folder.database()),
        _ => Vec::new(),
    };
    let damaged = match lost {
        true => None,
        false => Some(folder.put_database_aside().map_err(WorkError::Conflict)?),
    };
    if let Some(copy) = copy {
        put_in_place(&copy, &folder.database())?;
        // A copy of an earlier version is brought up to date first.
        drop(Store::open(&folder.database())?);
        let newer = match &damaged {
            Some(aside) => rescue::take(&aside.join("owl-dome.db"), &folder.database())?,
            None => 0,
        };
        let here = Store::readable(&folder.database());
        let lacking = (could_be_read.into_iter())
            .filter(|name| !here.contains(name))
            .collect();
        let app = App::open(folder)?;
        return Ok((
            app,
            Recovered::Copy {
                copy,
                damaged,
                newer,
                lacking,
            },
        ));
    }
    let aside = folder.put_aside().map_err(WorkError::Conflict)?;
    let app = App::open(folder)?;
    let mut left = Vec::new();
    let mut tried = |what: &Path, outcome: Result<()>| {
        if let Err(e) = outcome {
            left.push(format!("{}: {e}", what.display()));
        }
    };
    for project in folders_in(&aside.join("projects")) {
        let read = bring::bring_folder(&app, &project.join("scene"), &project.join("surroundings"));
        tried(&project, read.map(|_| ()));
    }
    for picture in folders_in(&aside.join("pictures")) {
        for file in files_in(&picture) {
            tried(&file, taken(&app, &file, None));
        }
    }
    // Masters have lost their orders; as pictures they can still be looked at, converted and saved.
    for render in folders_in(&aside.join("renders")) {
        let master = render.join("master.exr");
        if master.exists() {
            let name = render.file_name().unwrap_or_default().to_string_lossy();
            let short: String = name.chars().take(12).collect();
            tried(
                &master,
                taken(&app, &master, Some(format!("Master {short}.exr"))),
            );
        }
    }
    Ok((app, Recovered::ReadIn { aside, left }))
}

/// Takes a copy of a picture file; what was put aside stays whole.
fn taken(app: &App, file: &Path, name: Option<String>) -> Result<()> {
    if PictureFormat::from_path(file).is_err() {
        return Ok(());
    }
    let name = name.unwrap_or_else(|| dome_files::error::display_name(file));
    let ending = file.extension().unwrap_or_default().to_string_lossy();
    let upload = app.folder.incoming().join(format!("recovered.{ending}"));
    std::fs::copy(file, &upload).map_err(FileError::io("Copying", file))?;
    pictures::bring(app, &upload, &name).map(|_| ())
}

fn entries(folder: &Path) -> Vec<PathBuf> {
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
    let mut paths: Vec<PathBuf> = entries.map(|e| e.path()).collect();
    // By their numbers, as they once came.
    paths.sort_by_key(|p| {
        let name = p.file_name().unwrap_or_default().to_string_lossy();
        (name.parse::<u64>().unwrap_or(u64::MAX), p.clone())
    });
    paths
}

fn folders_in(folder: &Path) -> Vec<PathBuf> {
    entries(folder).into_iter().filter(|p| p.is_dir()).collect()
}

fn files_in(folder: &Path) -> Vec<PathBuf> {
    entries(folder)
        .into_iter()
        .filter(|p| p.is_file())
        .collect()
}

/// The newest copy of the database that is whole.
fn newest_copy(folder: &DataFolder) -> Option<PathBuf> {
    let mut copies: Vec<_> = (files_in(&folder.backups()).into_iter())
        .filter(|p| p.extension().is_some_and(|e| e == "db"))
        .filter_map(|p| Some((std::fs::metadata(&p).ok()?.modified().ok()?, p)))
        .collect();
    copies.sort();
    let newest_first = copies.into_iter().rev().map(|(_, path)| path);
    newest_first.into_iter().find(|path| Store::is_whole(path))
}

/// Copies a copy to where the database belongs: written beside, synced, renamed.
fn put_in_place(copy: &Path, database: &Path) -> Result<()> {
    for ending in ["-wal", "-shm"] {
        let mut name = database.as_os_str().to_owned();
        name.push(ending);
        crate::folder::remove(Path::new(&name));
    }
    let bytes = std::fs::read(copy).map_err(FileError::io("Reading", copy))?;
    Ok(dome_files::atomic::write_bytes(database, &bytes)?)
}
