//! Sequences of cube faces: a folder for each face, in them the same frame numbers.

use crate::error::{FileError, Result, display_name};
use crate::faces::{FaceGuess, guess};
use crate::format::PictureFormat;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

/// The pictures of each frame, by its number.
pub type Frames = BTreeMap<u64, FaceGuess>;

/// The last number in a file's name, and how many digits it has.
fn number(path: &Path) -> Option<(u64, usize)> {
    let stem = path.file_stem()?.to_string_lossy().into_owned();
    let end = stem.rfind(|c: char| c.is_ascii_digit())? + 1;
    let start = stem[..end]
        .rfind(|c: char| !c.is_ascii_digit())
        .map_or(0, |i| {
            i + stem[i..].chars().next().map_or(1, char::len_utf8)
        });
    Some((stem[start..end].parse().ok()?, end - start))
}

/// The pictures in a folder by their frame numbers.
fn pictures(folder: &Path) -> Result<BTreeMap<u64, PathBuf>> {
    let mut found: BTreeMap<u64, PathBuf> = BTreeMap::new();
    for entry in std::fs::read_dir(folder).map_err(FileError::io("Reading", folder))? {
        let path = entry.map_err(FileError::io("Reading", folder))?.path();
        if !path.is_file() || PictureFormat::from_path(&path).is_err() {
            continue;
        }
        let Some((frame, _)) = number(&path) else {
            continue;
        };
        if let Some(other) = found.insert(frame, path.clone()) {
            return Err(FileError::Request(format!(
                "{} and {} in {} are both frame {frame}; leave one of them.",
                display_name(&other),
                display_name(&path),
                display_name(folder)
            )));
        }
    }
    if found.is_empty() {
        return Err(FileError::Request(format!(
            "{} holds no numbered pictures; name them like 0001.png.",
            folder.display()
        )));
    }
    Ok(found)
}

/// The frames of five or six folders, and the digits that their numbers are written with. Every frame must be in
/// every folder.
pub fn frames(folders: &[PathBuf]) -> Result<(Frames, usize)> {
    let by_folder = guess(folders)?;
    let mut frames = Frames::new();
    let mut digits = 1;
    let mut counted: Vec<(PathBuf, BTreeMap<u64, PathBuf>)> = Vec::new();
    for (face, folder) in by_folder.files.iter().enumerate() {
        let Some(folder) = folder else { continue };
        let pictures = pictures(folder)?;
        for (frame, path) in &pictures {
            let files = frames.entry(*frame).or_insert_with(|| FaceGuess {
                files: Default::default(),
                ..by_folder.clone()
            });
            files.files[face] = Some(path.clone());
            digits = digits.max(number(path).map_or(1, |n| n.1));
        }
        counted.push((folder.clone(), pictures));
    }
    for frame in frames.keys() {
        if let Some((folder, _)) = counted.iter().find(|(_, p)| !p.contains_key(frame)) {
            return Err(FileError::Request(format!(
                "Frame {frame} is missing in {}; make it, or take it out of the other folders.",
                folder.display()
            )));
        }
    }
    Ok((frames, digits))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_are_the_last_in_a_name() {
        for (name, wanted) in [
            ("left.0012.exr", Some((12, 4))),
            ("room2-7.png", Some((7, 1))),
            ("0100.jpg", Some((100, 4))),
            ("größe-03ä.png", Some((3, 2))),
            ("none.png", None),
        ] {
            assert_eq!(number(Path::new(name)), wanted, "{name}");
        }
    }

    #[test]
    fn all_folders_need_the_same_frames() {
        let root = tempfile::tempdir().unwrap();
        let folders: Vec<PathBuf> = ["left", "front", "right", "back", "up", "down"]
            .iter()
            .map(|f| root.path().join(f))
            .collect();
        for folder in &folders {
            std::fs::create_dir(folder).unwrap();
            for frame in [8, 9, 10] {
                std::fs::write(folder.join(format!("f.{frame:04}.png")), "x").unwrap();
            }
            std::fs::write(folder.join("notes.txt"), "x").unwrap();
        }
        let (found, digits) = frames(&folders).unwrap();
        assert_eq!(found.keys().copied().collect::<Vec<_>>(), [8, 9, 10]);
        assert_eq!(digits, 4);
        assert!(found[&9].certain);
        assert_eq!(
            found[&10].files[4].as_deref(),
            Some(&*folders[4].join("f.0010.png"))
        );
        std::fs::remove_file(folders[2].join("f.0009.png")).unwrap();
        let told = frames(&folders).unwrap_err().to_string();
        assert!(told.contains("Frame 9") && told.contains("right"), "{told}");
        std::fs::write(folders[2].join("f.0009.png"), "x").unwrap();
        std::fs::write(folders[2].join("g.9.png"), "x").unwrap();
        let told = frames(&folders).unwrap_err().to_string();
        assert!(told.contains("both frame 9"), "{told}");
    }
}
