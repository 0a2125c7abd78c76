//! What makes a picture what it is: a description that people can read, and its fingerprint.
//!
//! The fingerprint is the SHA-256 (FIPS 180-4) of the description's text, so whoever holds the text can tell the
//! fingerprint, and two pictures with different fingerprints can say in what they differ.

use crate::error::{FileError, Result};
use sha2::{Digest, Sha256};
use std::fmt;
use std::io::Read;
use std::path::Path;
use std::str::FromStr;

/// A SHA-256: of a file's bytes, of a scene, of a picture's description.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Fingerprint(pub [u8; 32]);

impl Fingerprint {
    /// Of some bytes.
    pub fn of(bytes: &[u8]) -> Self {
        Self(Sha256::digest(bytes).into())
    }

    /// Of a file's bytes, read in parts.
    pub fn of_file(path: &Path) -> Result<Self> {
        let failed = || FileError::io("Reading", path);
        let mut file = std::fs::File::open(path).map_err(failed())?;
        let mut sum = Summing::default();
        let mut buffer = vec![0; 1 << 20];
        loop {
            match file.read(&mut buffer) {
                Ok(0) => return Ok(sum.finish()),
                Ok(n) => sum.add(&buffer[..n]),
                Err(e) if e.kind() == std::io::ErrorKind::Interrupted => {}
                Err(e) => return Err(failed()(e)),
            }
        }
    }

    /// The first 12 digits, enough to tell a handful apart by eye.
    pub fn short(&self) -> String {
        self.to_string()[..12].to_owned()
    }
}

impl fmt::Display for Fingerprint {
    fn fmt(&self, f: &mut fmt::Formatter) -> fmt::Result {
        self.0.iter().try_for_each(|byte| write!(f, "{byte:02x}"))
    }
}

impl fmt::Debug for Fingerprint {
    fn fmt(&self, f: &mut fmt::Formatter) -> fmt::Result {
        write!(f, "{self}")
    }
}

impl FromStr for Fingerprint {
    type Err = FileError;

    fn from_str(text: &str) -> Result<Self> {
        let bad = || {
            FileError::Request(format!(
                "\"{text}\" is no fingerprint, which has 64 hexadecimal digits."
            ))
        };
        let digits = text.as_bytes();
        if digits.len() != 64 {
            return Err(bad());
        }
        let digit = |d: u8| char::from(d).to_digit(16);
        let mut bytes = [0; 32];
        for (byte, pair) in bytes.iter_mut().zip(digits.chunks_exact(2)) {
            let (high, low) = (digit(pair[0]), digit(pair[1]));
            *byte = (high.zip(low)).map_or(Err(bad()), |(h, l)| Ok((h * 16 + l) as u8))?;
        }
        Ok(Self(bytes))
    }
}

/// A fingerprint that is made part by part.
#[derive(Clone, Default)]
pub struct Summing(Sha256);

impl Summing {
    /// Adds bytes.
    pub fn add(&mut self, bytes: &[u8]) {
        self.0.update(bytes);
    }

    /// Adds a text with its length, so that neighbours cannot flow into each other.
    pub fn text(&mut self, text: &str) {
        self.add(&(text.len() as u64).to_le_bytes());
        self.add(text.as_bytes());
    }

    /// Adds single-precision numbers by their bits, and how many they were.
    pub fn numbers(&mut self, values: impl IntoIterator<Item = f32>) {
        self.words(values.into_iter().map(f32::to_bits));
    }

    /// Adds whole numbers, and how many they were.
    pub fn words(&mut self, values: impl IntoIterator<Item = u32>) {
        const FULL: usize = 1 << 16;
        let mut count = 0u64;
        let mut buffer = Vec::with_capacity(FULL);
        for value in values {
            count += 1;
            buffer.extend(value.to_le_bytes());
            if buffer.len() == FULL {
                self.add(&buffer);
                buffer.clear();
            }
        }
        self.add(&buffer);
        self.add(&count.to_le_bytes());
    }

    /// The fingerprint of all that was added.
    pub fn finish(self) -> Fingerprint {
        Fingerprint(self.0.finalize().into())
    }
}

/// What determines a picture's pixels, in lines of a name and a value.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Description {
    lines: Vec<(String, String)>,
}

impl Description {
    /// Adds a line. Names are words without colons.
    pub fn line(&mut self, name: &str, value: impl fmt::Display) {
        let one_line = |text: String| text.replace(['\n', '\r'], " ");
        self.lines.push((
            one_line(name.replace(':', " ")),
            one_line(value.to_string()),
        ));
    }

    /// The lines, in order.
    pub fn lines(&self) -> &[(String, String)] {
        &self.lines
    }

    /// The fingerprint of the picture.
    pub fn fingerprint(&self) -> Fingerprint {
        Fingerprint::of(self.to_string().as_bytes())
    }

    /// In what another picture differs: name, value here, value there. Empty if it is the same picture.
    pub fn differences(&self, other: &Self) -> Vec<(String, String, String)> {
        const NONE: &str = "nothing";
        let value = |of: &Self, name: &str| {
            of.lines
                .iter()
                .find(|(n, _)| n == name)
                .map_or_else(|| NONE.to_owned(), |(_, v)| v.clone())
        };
        let mut names: Vec<&String> = self.lines.iter().map(|(n, _)| n).collect();
        for (name, _) in &other.lines {
            if !names.contains(&name) {
                names.push(name);
            }
        }
        names
            .into_iter()
            .map(|n| (n.clone(), value(self, n), value(other, n)))
            .filter(|(_, a, b)| a != b)
            .collect()
    }

    /// The differences as a few words: names, and values where they are short.
    pub fn told_differences(&self, other: &Self) -> String {
        const SHORT: usize = 40;
        const MOST: usize = 6;
        let all = self.differences(other);
        let mut told: Vec<String> = all
            .iter()
            .take(MOST)
            .map(|(name, a, b)| {
                if a.len() <= SHORT && b.len() <= SHORT {
                    format!("{name} ({a}, not {b})")
                } else {
                    name.clone()
                }
            })
            .collect();
        if all.len() > MOST {
            told.push(format!("{} more", all.len() - MOST));
        }
        told.join(", ")
    }
}

impl fmt::Display for Description {
    fn fmt(&self, f: &mut fmt::Formatter) -> fmt::Result {
        self.lines
            .iter()
            .try_for_each(|(name, value)| writeln!(f, "{name}: {value}"))
    }
}

impl FromStr for Description {
    type Err = FileError;

    fn from_str(text: &str) -> Result<Self> {
        let lines = text.lines().map(|line| {
            let (name, value) = line.split_once(": ").ok_or_else(|| {
                FileError::Request(format!(
                    "\"{line}\" is no line of a picture's description, which is a name, a colon and a value."
                ))
            })?;
            Ok((name.to_owned(), value.to_owned()))
        });
        Ok(Self {
            lines: lines.collect::<Result<_>>()?,
        })
    }
}

/// Which picture a strip belongs to.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Mark {
    /// The picture, or the sequence if it has frames.
    pub picture: Fingerprint,
    /// Which eye; 0 is the only one, or the left.
    pub eye: u32,
    /// Which frame; 0 is the only one.
    pub frame: i32,
}

impl Mark {
    /// Of a still picture of one eye.
    pub fn still(picture: Fingerprint) -> Self {
        Self {
            picture,
            eye: 0,
            frame: 0,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// FIPS 180-4's own examples (the messages "abc" and the empty one), as published with the standard.
    #[test]
    fn fingerprints_are_sha_256() {
        assert_eq!(
            Fingerprint::of(b"abc").to_string(),
            "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad"
        );
        assert_eq!(
            Summing::default().finish().to_string(),
            "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855"
        );
        let one = Fingerprint::of(b"abc");
        assert_eq!(one.to_string().parse::<Fingerprint>().unwrap(), one);
        for wrong in ["", "ba78", &"g".repeat(64), &"\u{e9}".repeat(32)] {
            assert!(wrong.parse::<Fingerprint>().is_err(), "{wrong}");
        }
    }

    #[test]
    fn parts_make_the_same_as_the_whole_and_do_not_flow_together() {
        let numbers: Vec<f32> = (0..70_000).map(|i| i as f32).collect();
        let mut parts = Summing::default();
        parts.numbers(numbers.iter().copied());
        let mut whole = Summing::default();
        let bytes: Vec<u8> = numbers.iter().flat_map(|v| v.to_le_bytes()).collect();
        whole.add(&bytes);
        whole.add(&70_000u64.to_le_bytes());
        assert_eq!(parts.finish(), whole.finish());
        let of = |texts: [&str; 2]| {
            let mut sum = Summing::default();
            texts.iter().for_each(|t| sum.text(t));
            sum.finish()
        };
        assert_ne!(of(["ab", "c"]), of(["a", "bc"]));
    }

    #[test]
    fn descriptions_are_read_back_and_tell_differences() {
        let of = |samples: u32, sky: &str| {
            let mut d = Description::default();
            d.line("size", "64 x 32 px");
            d.line("samples", samples);
            d.line("sky", sky);
            d
        };
        let long = "a sky that takes more than one short line to tell of, really";
        let (a, b) = (of(4, "plain\nblue"), of(8, long));
        assert_eq!(a.to_string().parse::<Description>().unwrap(), a);
        assert_eq!(
            a.to_string(),
            "size: 64 x 32 px\nsamples: 4\nsky: plain blue\n"
        );
        assert_ne!(a.fingerprint(), b.fingerprint());
        assert_eq!(a.fingerprint(), of(4, "plain blue").fingerprint());
        assert_eq!(a.told_differences(&b), "samples (4, not 8), sky");
        assert!(a.differences(&a).is_empty());
        let mut more = a.clone();
        more.line("eye", "left");
        assert_eq!(a.told_differences(&more), "eye (nothing, not left)");
        assert_eq!(more.told_differences(&a), "eye (left, not nothing)");
    }
}
