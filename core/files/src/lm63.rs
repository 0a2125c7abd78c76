//! Luminous intensity distributions of lamps as measured by laboratories: ANSI/IES LM-63, editions of 1986 to 2019 (`.ies`).
//!
//! Read are type C tables (vertical angles from the nadir, planes round the vertical), which all lamps of buildings have.

use crate::error::{FileError, Result, display_name};
use crate::fingerprint::Fingerprint;
use crate::limits::MAX_DISTRIBUTION;
use std::path::Path;

/// What a lamp sends where.
#[derive(Clone, Debug, PartialEq)]
pub struct Distribution {
    /// What the file says it is: its words for luminaire, lamp and maker, as far as they are there.
    pub told: Vec<String>,
    /// Angles from straight down, degrees, rising, within 0 to 180.
    pub vertical_deg: Vec<f32>,
    /// Planes round the vertical, degrees, rising; 0 alone if it is the same all round.
    pub horizontal_deg: Vec<f32>,
    /// Candela, all vertical angles of one plane after another.
    pub candela: Vec<f32>,
    /// Light of the bare lamps as the file says, lumen; nothing if it was measured without ("absolute photometry").
    pub lamp_lumen: Option<f32>,
    /// Electric power as the file says, W.
    pub input_watts: f32,
}

/// Most angles each way: a tenth of a degree.
const MOST_ANGLES: usize = 3_601;

/// Reads a file, and tells what it holds by its fingerprint.
pub fn read(path: &Path) -> Result<(Distribution, Fingerprint)> {
    let size = std::fs::metadata(path)
        .map_err(FileError::io("Reading", path))?
        .len();
    if size > MAX_DISTRIBUTION {
        return Err(FileError::TooLarge {
            what: display_name(path),
            detail: format!(
                "it has {}, an .ies file may have {}",
                crate::words::told(size),
                crate::words::told(MAX_DISTRIBUTION)
            ),
        });
    }
    let bytes = std::fs::read(path).map_err(FileError::io("Reading", path))?;
    let read = parse(&bytes, &display_name(path))?;
    Ok((read, Fingerprint::of(&bytes)))
}

/// Reads a file's bytes; `name` is what messages call it. Text of any 8-bit encoding is taken, as the numbers are plain.
pub fn parse(bytes: &[u8], name: &str) -> Result<Distribution> {
    let text = String::from_utf8_lossy(bytes);
    let damaged = |detail: String| FileError::Damaged {
        what: name.to_owned(),
        detail,
    };
    let mut told = Vec::new();
    let mut rest = None;
    let mut at = 0;
    for line in text.split_inclusive('\n') {
        at += line.len();
        let line = line.trim();
        if let Some(tilt) = line.strip_prefix("TILT=") {
            rest = Some((tilt.trim().to_ascii_uppercase(), &text[at..]));
            break;
        }
        for key in ["[MANUFAC]", "[LUMCAT]", "[LUMINAIRE]", "[LAMP]"] {
            if let Some(words) = line.strip_prefix(key).map(str::trim)
                && !words.is_empty()
            {
                told.push(words.chars().filter(|c| !c.is_control()).take(80).collect());
            }
        }
    }
    let Some((tilt, rest)) = rest else {
        return Err(damaged(
            "it has no line TILT=, with which the numbers of an .ies file begin".into(),
        ));
    };
    let mut numbers = Numbers {
        words: rest
            .split(|c: char| c.is_whitespace() || c == ',')
            .filter(|w| !w.is_empty()),
        name,
        count: 0,
    };
    match tilt.as_str() {
        "NONE" => {}
        "INCLUDE" => {
            // How the lamp's light changes as it is tilted: it is given as measured, so this is read over.
            numbers.next("the lamp's position")?;
            let pairs = numbers.count("angles of tilt")?;
            for _ in 0..2 * pairs {
                numbers.next("the table of tilt")?;
            }
        }
        _ => {
            return Err(FileError::Unsupported {
                what: name.to_owned(),
                detail: format!(
                    "its table of tilt is in another file, {tilt}; write TILT=NONE there to use it as measured"
                ),
            });
        }
    }
    let lamps = numbers.next("the number of lamps")?;
    let lumens = numbers.next("the lumens of a lamp")?;
    let multiplier = numbers.next("the multiplier")?;
    let verticals = numbers.count("vertical angles")?;
    let horizontals = numbers.count("horizontal angles")?;
    let kind = numbers.next("the type of photometry")?;
    for what in ["the units", "the width", "the length", "the height"] {
        numbers.next(what)?;
    }
    let ballast = numbers.next("the ballast factor")?;
    // Up to 1995 a second factor, later kept free and written as 1.
    let second = numbers.next("the ballast's photometric factor")?;
    let input_watts = numbers.next("the input watts")?;
    if kind != 1.0 {
        return Err(FileError::Unsupported {
            what: name.to_owned(),
            detail: format!(
                "it is of photometric type {}, only type C is read; ask its maker for a type C file",
                match kind {
                    2.0 => "B (floodlights)",
                    3.0 => "A (vehicles)",
                    _ => "unknown",
                }
            ),
        });
    }
    let vertical_deg = numbers.rising(verticals, "vertical angles", 180.0)?;
    let horizontal_deg = numbers.rising(horizontals, "horizontal angles", 360.0)?;
    let factor = multiplier * ballast * second;
    if !(factor > 0.0 && factor.is_finite()) {
        return Err(damaged(format!(
            "its multiplier is {multiplier} and its ballast factors {ballast} and {second}, which makes no light"
        )));
    }
    let candela = (0..verticals * horizontals)
        .map(|_| {
            let value = numbers.next("the candela")? * factor;
            if (0.0..1e9).contains(&value) {
                Ok(value)
            } else {
                Err(damaged(format!("{value} candela are no strength of light")))
            }
        })
        .collect::<Result<Vec<f32>>>()?;
    if candela.iter().all(|c| *c == 0.0) {
        return Err(damaged("all its candela are 0".into()));
    }
    let (first, last) = (horizontal_deg[0], horizontal_deg[horizontals - 1]);
    let fits = horizontals == 1
        || (first == 0.0 && [90.0, 180.0, 360.0].contains(&last))
        || (first == 90.0 && last == 270.0)
        // A step short of the full turn, as some write it.
        || (first == 0.0 && last > 180.0);
    if !fits {
        return Err(damaged(format!(
            "its planes go from {first} to {last} degrees, not to 90, 180 or 360"
        )));
    }
    Ok(Distribution {
        told,
        vertical_deg,
        horizontal_deg,
        candela,
        lamp_lumen: (lumens > 0.0).then_some(lumens * lamps),
        input_watts,
    })
}

/// The numbers of a file one after another.
struct Numbers<'a, I> {
    words: I,
    name: &'a str,
    count: usize,
}

impl<'a, I: Iterator<Item = &'a str>> Numbers<'a, I> {
    fn damaged(&self, detail: String) -> FileError {
        FileError::Damaged {
            what: self.name.to_owned(),
            detail,
        }
    }

    fn next(&mut self, what: &str) -> Result<f32> {
        let word = (self.words.next()).ok_or_else(|| {
            self.damaged(format!(
                "it ends after {} numbers, where {what} should be",
                self.count
            ))
        })?;
        self.count += 1;
        (word.parse::<f32>().ok().filter(|v| v.is_finite())).ok_or_else(|| {
            let word: String = word.chars().take(20).collect();
            self.damaged(format!(
                "\u{201c}{word}\u{201d} is no number, where {what} should be"
            ))
        })
    }

    fn count(&mut self, what: &str) -> Result<usize> {
        let value = self.next(&format!("the number of {what}"))?;
        if value >= 1.0 && value <= MOST_ANGLES as f32 && value.fract() == 0.0 {
            Ok(value as usize)
        } else {
            Err(self.damaged(format!("{value} is no number of {what}")))
        }
    }

    fn rising(&mut self, count: usize, what: &str, most: f32) -> Result<Vec<f32>> {
        let angles = (0..count)
            .map(|_| self.next(&format!("the {what}")))
            .collect::<Result<Vec<f32>>>()?;
        let rising = angles.is_sorted_by(|a, b| a < b);
        if rising && angles[0] >= 0.0 && angles[count - 1] <= most {
            Ok(angles)
        } else {
            Err(self.damaged(format!("its {what} do not rise within 0 to {most} degrees")))
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const DOWN: &str = "IESNA:LM-63-2002\r\n[TEST] none\r\n[MANUFAC] Merlow Observatory\r\n[LUMCAT] Desk lamp\r\nTILT=NONE\r\n1 1000 2 3 1 1 2 0.1 0.1 0\r\n1.0 1.0 12.5\r\n0 45, 90\r\n0\r\n500 350\r\n0\r\n";

    #[test]
    fn a_file_is_read_over_lines_and_commas() {
        let d = parse(DOWN.as_bytes(), "desk.ies").unwrap();
        assert_eq!(d.told, ["Merlow Observatory", "Desk lamp"]);
        assert_eq!(d.vertical_deg, [0.0, 45.0, 90.0]);
        assert_eq!(d.candela, [1000.0, 700.0, 0.0]);
        assert_eq!((d.lamp_lumen, d.input_watts), (Some(1000.0), 12.5));
        let absolute = parse(DOWN.replace("1 1000 2", "1 -1 2").as_bytes(), "a").unwrap();
        assert_eq!(absolute.lamp_lumen, None);
        // The editions of 1986 to 1995 have another first line or none, and a table of tilt may be within.
        let old = DOWN
            .replace("IESNA:LM-63-2002\r\n", "")
            .replace("TILT=NONE", "TILT=INCLUDE\r\n1\r\n2\r\n0 90\r\n1 0.9");
        assert_eq!(parse(old.as_bytes(), "old").unwrap().candela, d.candela);
    }

    #[test]
    fn what_is_wrong_is_told() {
        for (from, to, told) in [
            ("TILT=NONE", "TILT=lamp.tlt", "TILT=NONE"),
            ("TILT=NONE", "", "no line TILT="),
            ("3 1 1 2", "3 1 2 2", "type B"),
            ("3 1 1 2", "3 0 1 2", "0 is no number of horizontal angles"),
            ("0 45, 90", "0 95, 90", "do not rise"),
            ("500 350", "500 many", "\u{201c}many\u{201d} is no number"),
            ("500 350", "500", "it ends after 19 numbers"),
            ("500 350", "500 -350", "no strength of light"),
            ("1.0 1.0 12.5", "0 1.0 12.5", "no light"),
        ] {
            assert!(DOWN.contains(from));
            let error = parse(DOWN.replacen(from, to, 1).as_bytes(), "desk.ies").unwrap_err();
            let error = error.to_string();
            assert!(
                error.starts_with("desk.ies ") && error.contains(told),
                "{error}"
            );
        }
    }
}
