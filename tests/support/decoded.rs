//! What films show, decoded by ffmpeg.

use super::{outside, text};
use serde_json::Value;
use std::path::Path;

/// Frames of a film as 8-bit RGB, brought back by BT.709.
pub fn pictures(film: &Path, size: (u32, u32)) -> Vec<Vec<u8>> {
    let raw = film.with_extension("raw");
    outside(
        "ffmpeg",
        &[
            "-v",
            "error",
            "-y",
            "-i",
            text(film),
            "-vf",
            "scale=in_color_matrix=bt709:in_range=tv:out_range=pc:flags=bicubic+accurate_rnd+full_chroma_int,format=rgb24",
            "-f",
            "rawvideo",
            text(&raw),
        ],
    );
    let bytes = std::fs::read(&raw).unwrap();
    bytes
        .chunks((size.0 * size.1 * 3) as usize)
        .map(<[u8]>::to_vec)
        .collect()
}

/// How far 8-bit values lie apart on average.
pub fn mean_error(a: &[u8], b: &[u8]) -> f64 {
    assert_eq!(a.len(), b.len());
    let sum: u64 = a
        .iter()
        .zip(b)
        .map(|(a, b)| u64::from(a.abs_diff(*b)))
        .sum();
    sum as f64 / a.len() as f64
}

/// Pictures and sound of a film as ffmpeg decodes them: a hash of each, without what is told of all of them.
pub fn hash(film: &Path) -> String {
    let args = [
        "-v",
        "error",
        "-i",
        text(film),
        "-map",
        "0",
        "-f",
        "framemd5",
        "-",
    ];
    let told = outside("ffmpeg", &args);
    let each: Vec<&str> = told.lines().filter(|l| !l.starts_with('#')).collect();
    assert!(!each.is_empty(), "{told}");
    each.join("\n")
}

/// What ffprobe (Debian ffmpeg) tells of a film's first video, its frames counted.
pub fn video(film: &Path) -> Value {
    let told = outside(
        "ffprobe",
        &[
            "-v",
            "error",
            "-count_frames",
            "-select_streams",
            "v:0",
            "-show_streams",
            "-of",
            "json",
            text(film),
        ],
    );
    serde_json::from_str::<Value>(&told).unwrap()["streams"][0].clone()
}

/// What it finds beside the pictures.
pub fn side_data(film: &Path) -> Vec<Value> {
    let list = &video(film)["side_data_list"];
    list.as_array().cloned().unwrap_or_default()
}
