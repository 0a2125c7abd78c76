//! Rendering frames of the small room in which a lamp and a camera move.

#![allow(dead_code)] // each test file uses its part

use crate::support::moving::moving_room;
use crate::support::{run_fails, run_ok, text};
use dome_optics::path::{EyePath, PathKey};
use glam::{DMat4, DVec3};
use serde_json::json;
use std::path::PathBuf;

/// A folder with the room in which a lamp and a camera move.
pub struct Stage {
    pub folder: tempfile::TempDir,
    /// From the room as it was made to the scene file.
    place: DMat4,
}

impl Stage {
    pub fn new(root: DMat4) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let scene = folder.path().join("room.glb");
        std::fs::write(&scene, moving_room(root.to_cols_array())).unwrap();
        // Coordinates are the file's, wherever it is kept.
        Self {
            folder,
            place: root,
        }
    }

    pub fn at(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    pub fn args(&self, name: &str, options: &str) -> Vec<String> {
        let fixed = [
            "render".to_owned(),
            text(&self.at("room.glb")).to_owned(),
            "-o".to_owned(),
            text(&self.at(name)).to_owned(),
        ];
        let more = options.split_whitespace().map(String::from);
        fixed.into_iter().chain(more).collect()
    }

    pub fn render(&self, name: &str, options: &str) -> Vec<PathBuf> {
        let args = self.args(name, options);
        let args: Vec<&str> = args.iter().map(String::as_str).collect();
        run_ok(&args).lines().map(PathBuf::from).collect()
    }

    pub fn refused(&self, name: &str, options: &str) -> String {
        let args = self.args(name, options);
        let args: Vec<&str> = args.iter().map(String::as_str).collect();
        run_fails(&args, 1)
    }

    pub fn point(&self, p: [f64; 3]) -> DVec3 {
        self.place.transform_point3(p.into())
    }

    /// Writes a path file, its keys given in the room as it was made.
    pub fn path(&self, name: &str, keys: &[(f64, [f64; 3])]) -> (PathBuf, EyePath) {
        let keys: Vec<_> = keys.iter().map(|(t, p)| (*t, self.point(*p))).collect();
        let json: Vec<_> = (keys.iter())
            .map(|(t, p)| json!({"time_s": t, "position": p.to_array()}))
            .collect();
        let file = self.at(name);
        std::fs::write(&file, json!({"keys": json}).to_string()).unwrap();
        let keys = keys.iter().map(|(t, p)| PathKey::at(*t, *p)).collect();
        (file, EyePath::new(keys, Default::default(), false).unwrap())
    }
}
