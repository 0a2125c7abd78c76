//! Tells the engine's version: a sum over the sources and tables of everything that decides pixels. Nobody has to remember to raise
//! a number, and strips of two engines never meet in one picture.

use sha2::{Digest, Sha256};
use std::fs;
use std::io;
use std::path::{Path, PathBuf};

/// The crates whose sources decide what a pixel becomes.
const CRATES: [&str; 4] = ["optics", "imaging", "files", "trace"];

fn sources(folder: &Path, found: &mut Vec<PathBuf>) -> io::Result<()> {
    for entry in fs::read_dir(folder)? {
        let path = entry?.path();
        if path.is_dir() {
            sources(&path, found)?;
        } else {
            // Tables too, not programs alone.
            found.push(path);
        }
    }
    Ok(())
}

fn main() -> io::Result<()> {
    let mut found = Vec::new();
    for name in CRATES {
        let folder = Path::new("..").join(name).join("src");
        println!("cargo:rerun-if-changed={}", folder.display());
        sources(&folder, &mut found)?;
    }
    // Other versions of libraries may round otherwise.
    let lock = PathBuf::from("../../Cargo.lock");
    if lock.exists() {
        println!("cargo:rerun-if-changed={}", lock.display());
        found.push(lock);
    }
    found.sort();
    let mut sum = Sha256::new();
    for path in &found {
        let bytes = fs::read(path)?;
        sum.update(path.to_string_lossy().as_bytes());
        sum.update((bytes.len() as u64).to_le_bytes());
        sum.update(&bytes);
    }
    let digits: String = (sum.finalize().iter().take(6))
        .map(|byte| format!("{byte:02x}"))
        .collect();
    println!("cargo:rustc-env=DOME_ENGINE={digits}");
    Ok(())
}
