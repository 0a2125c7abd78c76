//! Which file is which face of a cube, by its name.

use crate::error::{FileError, Result, display_name};
use dome_optics::projection::Face;
use std::path::{Path, PathBuf};

/// Which face each of some files is taken for.
#[derive(Clone, Debug, PartialEq)]
pub struct FaceGuess {
    /// The file of each face in our order: left, front, right, back, up, down.
    pub files: [Option<PathBuf>; 6],
    /// Whether the names say it, or only their order does, which must be confirmed.
    pub certain: bool,
    /// What the names were read as, for people: `words`, `short words`, `letters`, `axes` or `numbers`.
    pub by: &'static str,
}

/// Names of the faces in one convention, in our order.
type Names = [&'static [&'static str]; 6];

const WORDS: Names = [
    &["left"],
    &["front", "ahead", "forward"],
    &["right"],
    &["back", "behind", "rear"],
    &["up", "top", "above", "ceiling"],
    &["down", "bottom", "below", "floor"],
];
/// Two letters, as older engines and their tools write them.
const SHORT: Names = [
    &["lf", "lt"],
    &["ft", "fr"],
    &["rt", "rg"],
    &["bk", "ba"],
    &["up", "tp"],
    &["dn", "dw", "bt"],
];
/// The axes of a left-handed cube with +Z ahead, as in KTX 2.
const AXES: Names = [
    &["nx", "negx", "xneg", "xn", "-x", "minusx"],
    &["pz", "posz", "zpos", "zp", "+z", "plusz"],
    &["px", "posx", "xpos", "xp", "+x", "plusx"],
    &["nz", "negz", "zneg", "zn", "-z", "minusz"],
    &["py", "posy", "ypos", "yp", "+y", "plusy"],
    &["ny", "negy", "yneg", "yn", "-y", "minusy"],
];
const LETTERS: Names = [&["l"], &["f"], &["r"], &["b"], &["u", "t"], &["d"]];

/// The pieces that a file's name is made of, small letters.
fn pieces(path: &Path) -> Vec<String> {
    let stem = path.file_stem().unwrap_or_default().to_string_lossy();
    let mut found = vec![String::new()];
    let mut before = ' ';
    for c in stem.chars() {
        // A sign before an axis belongs to it; a new piece starts at a capital and between letters and digits.
        let sign = matches!(c, '+' | '-');
        let ends = !c.is_alphanumeric()
            || (c.is_uppercase() && before.is_lowercase())
            || (c.is_ascii_digit() != before.is_ascii_digit() && before.is_alphanumeric());
        if ends {
            found.push(String::new());
        }
        if let (true, Some(last)) = (c.is_alphanumeric() || sign, found.last_mut()) {
            last.extend(c.to_lowercase());
        }
        before = c;
    }
    found.retain(|p| !p.is_empty());
    found
}

fn by_names(paths: &[PathBuf], names: &Names) -> Option<[Option<PathBuf>; 6]> {
    let mut files: [Option<PathBuf>; 6] = Default::default();
    for path in paths {
        let pieces = pieces(path);
        let is = |piece: &String, name: &&str| {
            // `-front` is the word front; `-x` is an axis.
            piece == name
                || (name.len() > 2 && piece.trim_start_matches(['-', '+']) == *name)
                || (name.len() <= 2
                    && !name.starts_with(['-', '+'])
                    && piece.trim_start_matches(['-', '+']) == *name)
        };
        // The last piece that says something counts: names often start with the project's.
        let face = pieces
            .iter()
            .rev()
            .find_map(|p| names.iter().position(|n| n.iter().any(|name| is(p, name))))?;
        if files[face].is_some() {
            return None;
        }
        files[face] = Some(path.clone());
    }
    Some(files)
}

/// Guesses the faces of five or six files.
///
/// Five are taken if their names say which is missing. Fewer, more, or one face twice give a sentence.
pub fn guess(paths: &[PathBuf]) -> Result<FaceGuess> {
    if !(5..=6).contains(&paths.len()) {
        return Err(FileError::Request(format!(
            "A cube has six faces, and {} {} given; name six square pictures, or five if one face was never made.",
            paths.len(),
            if paths.len() == 1 { "was" } else { "were" }
        )));
    }
    for (by, names) in [
        ("words", &WORDS),
        ("short words", &SHORT),
        ("axes", &AXES),
        ("letters", &LETTERS),
    ] {
        if let Some(files) = by_names(paths, names) {
            return Ok(FaceGuess {
                files,
                certain: true,
                by,
            });
        }
    }
    if paths.len() == 5 {
        return Err(FileError::Request(
            "The names of the five files do not say which faces they are; name them left, front, right, back, up, down."
                .into(),
        ));
    }
    let mut sorted = paths.to_vec();
    sorted.sort_by_key(|p| {
        // By the last number, so that 10 comes after 9.
        let number = pieces(p).iter().rev().find_map(|p| p.parse::<u64>().ok());
        (number, display_name(p))
    });
    let mut files: [Option<PathBuf>; 6] = Default::default();
    for (place, path) in files.iter_mut().zip(sorted) {
        *place = Some(path);
    }
    Ok(FaceGuess {
        files,
        certain: false,
        by: "numbers",
    })
}

impl FaceGuess {
    /// The faces that have no file.
    pub fn missing(&self) -> impl Iterator<Item = Face> + '_ {
        (Face::ALL.into_iter().zip(&self.files))
            .filter(|(_, file)| file.is_none())
            .map(|(face, _)| face)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn guessed(names: &[&str]) -> Result<FaceGuess> {
        guess(&names.iter().map(PathBuf::from).collect::<Vec<_>>())
    }

    fn in_order(g: &FaceGuess) -> Vec<String> {
        (g.files.iter().flatten())
            .map(|p| display_name(p))
            .collect()
    }

    #[test]
    fn usual_names_are_understood() {
        for (names, by) in [
            (
                [
                    "a_left.png",
                    "a_front.png",
                    "a_right.png",
                    "a_back.png",
                    "a_top.png",
                    "a_bottom.png",
                ],
                "words",
            ),
            (
                [
                    "room-left.exr",
                    "room-front.exr",
                    "room-right.exr",
                    "room-back.exr",
                    "room-up.exr",
                    "room-down.exr",
                ],
                "words",
            ),
            (
                [
                    "SkyLeft.png",
                    "SkyFront.png",
                    "SkyRight.png",
                    "SkyBack.png",
                    "SkyUp.png",
                    "SkyDown.png",
                ],
                "words",
            ),
            (
                [
                    "s_lf.tga", "s_ft.tga", "s_rt.tga", "s_bk.tga", "s_up.tga", "s_dn.tga",
                ],
                "short words",
            ),
            (
                ["nx.hdr", "pz.hdr", "px.hdr", "nz.hdr", "py.hdr", "ny.hdr"],
                "axes",
            ),
            (
                [
                    "m_negx.png",
                    "m_posz.png",
                    "m_posx.png",
                    "m_negz.png",
                    "m_posy.png",
                    "m_negy.png",
                ],
                "axes",
            ),
            (
                [
                    "c-x.png", "c+z.png", "c+x.png", "c-z.png", "c+y.png", "c-y.png",
                ],
                "axes",
            ),
            (
                [
                    "p_l.jpg", "p_f.jpg", "p_r.jpg", "p_b.jpg", "p_u.jpg", "p_d.jpg",
                ],
                "letters",
            ),
        ] {
            // In any order.
            let mut mixed = names;
            mixed.reverse();
            let g = guessed(&mixed).unwrap();
            assert_eq!(
                (in_order(&g), g.by, g.certain),
                (names.map(String::from).to_vec(), by, true)
            );
        }
    }

    #[test]
    fn numbers_are_only_a_guess() {
        let g = guessed(&["f10.png", "f6.png", "f7.png", "f9.png", "f8.png", "f5.png"]).unwrap();
        assert!(!g.certain && g.by == "numbers");
        assert_eq!(
            in_order(&g),
            ["f5.png", "f6.png", "f7.png", "f8.png", "f9.png", "f10.png"]
        );
    }

    #[test]
    fn five_are_allowed_and_the_missing_one_told() {
        let g = guessed(&["left.png", "right.png", "back.png", "up.png", "front.png"]).unwrap();
        assert_eq!(g.missing().collect::<Vec<_>>(), [Face::Down]);
        assert!(guessed(&["1.png", "2.png", "3.png", "4.png", "5.png"]).is_err());
        assert!(guessed(&["left.png"]).is_err());
        // One face twice is no reading; then only their order is left.
        let twice = guessed(&[
            "left1.png",
            "left2.png",
            "right.png",
            "back.png",
            "up.png",
            "front.png",
        ]);
        assert!(!twice.unwrap().certain);
    }
}
