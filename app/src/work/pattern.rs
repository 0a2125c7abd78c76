//! Names by a pattern: `{frame:05}` is a number with at least five digits, `{viewpoint}` a name.

/// A pattern for the names of many files.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NamePattern {
    parts: Vec<Part>,
}

#[derive(Clone, Debug, PartialEq, Eq)]
enum Part {
    Text(String),
    /// The frame's number, with at least so many digits.
    Frame(usize),
    Word(String),
}

/// Most digits of a number.
const MOST_DIGITS: usize = 12;

impl NamePattern {
    /// Reads a pattern that may have the words of `known`, and `frame`.
    pub fn parse(text: &str, known: &[&str]) -> Result<Self, String> {
        let mut parts = Vec::new();
        let mut rest = text;
        while let Some(open) = rest.find('{') {
            let close = rest[open..].find('}').ok_or_else(|| {
                format!(
                    "The name {text} has a {{ without its }}; close it, for example {{frame:05}}."
                )
            })? + open;
            if open > 0 {
                parts.push(Part::Text(rest[..open].to_owned()));
            }
            parts.push(Self::part(&rest[open + 1..close], known)?);
            rest = &rest[close + 1..];
        }
        if !rest.is_empty() {
            parts.push(Part::Text(rest.to_owned()));
        }
        Ok(Self { parts })
    }

    fn part(word: &str, known: &[&str]) -> Result<Part, String> {
        let (name, digits) = word.split_once(':').unwrap_or((word, ""));
        if name == "frame" {
            let digits = match digits {
                "" => Some(1),
                _ => digits
                    .parse()
                    .ok()
                    .filter(|d| (1..=MOST_DIGITS).contains(d)),
            };
            return digits.map(Part::Frame).ok_or_else(|| {
                format!("{{{word}}} is no number of digits; write {{frame:05}} for five.")
            });
        }
        if known.contains(&word) {
            return Ok(Part::Word(word.to_owned()));
        }
        let all: Vec<String> = (["frame:05"].iter().chain(known))
            .map(|w| format!("{{{w}}}"))
            .collect();
        Err(format!(
            "{{{word}}} is no word for a name; there are {}.",
            all.join(", ")
        ))
    }

    /// Whether each frame gets a name of its own.
    pub fn has_frame(&self) -> bool {
        self.parts.iter().any(|p| matches!(p, Part::Frame(_)))
    }

    /// Whether it has a word.
    pub fn has(&self, word: &str) -> bool {
        self.parts.contains(&Part::Word(word.to_owned()))
    }

    /// The name of a frame; words that are not told stay as they are. Where a name would be longer than disks keep, its longest words
    /// are cut at their ends.
    pub fn fill(&self, frame: u64, words: &[(&str, &str)]) -> String {
        let told = |part: &Part| match part {
            Part::Text(text) => (false, text.clone()),
            Part::Frame(digits) => (false, format!("{frame:0digits$}")),
            Part::Word(word) => match words.iter().find(|(w, _)| w == word) {
                Some((_, value)) => (true, plain(value)),
                None => (false, format!("{{{word}}}")),
            },
        };
        // Folder by folder: only what is written in the pattern itself parts them.
        let mut folders: Vec<Vec<(bool, String)>> = vec![Vec::new()];
        for (may_be_cut, text) in self.parts.iter().map(told) {
            for (i, piece) in text.split('/').enumerate() {
                if i > 0 {
                    folders.push(Vec::new());
                }
                if let Some(last) = folders.last_mut() {
                    last.push((may_be_cut, piece.to_owned()));
                }
            }
        }
        let names: Vec<String> = folders.into_iter().map(shortened).collect();
        names.join("/")
    }
}

/// Longest name that is made, bytes: disks keep 255, and a number or the mark of what is not whole yet may come to it.
const LONGEST: usize = 220;

/// The pieces of one name, put together.
fn shortened(mut pieces: Vec<(bool, String)>) -> String {
    loop {
        let length: usize = pieces.iter().map(|(_, text)| text.len()).sum();
        let words = pieces
            .iter_mut()
            .filter(|(cut, text)| *cut && text.chars().count() > 1);
        let longest = words.max_by_key(|(_, text)| text.len());
        match longest {
            Some((_, text)) if length > LONGEST => {
                text.pop();
                text.truncate(text.trim_end().len());
            }
            _ => return pieces.into_iter().map(|(_, text)| text).collect(),
        }
    }
}

/// A name that leads into no other folder and that every system can keep.
fn plain(name: &str) -> String {
    let clean: String = (name.chars())
        .map(|c| match c {
            '/' | '\\' | ':' | '*' | '?' | '"' | '<' | '>' | '|' | '{' | '}' => '-',
            c if c.is_control() => '-',
            c => c,
        })
        .collect();
    match clean.trim_matches(|c: char| c == '.' || c.is_whitespace()) {
        "" => "unnamed".to_owned(),
        trimmed => trimmed.to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_filled_and_lead_nowhere_else() {
        let known = ["viewpoint", "eye"];
        let pattern = NamePattern::parse("out/{viewpoint}/{eye}/a-{frame:05}.exr", &known).unwrap();
        assert!(pattern.has_frame() && pattern.has("eye") && !pattern.has("pass"));
        let words = [("viewpoint", "../Under: the dome ")];
        assert_eq!(
            pattern.fill(42, &words),
            "out/-Under- the dome/{eye}/a-00042.exr"
        );
        assert_eq!(
            pattern.fill(1_234_567, &words[..0]).split('-').next_back(),
            Some("1234567.exr")
        );
        assert_eq!(
            NamePattern::parse("f{frame}.png", &[])
                .unwrap()
                .fill(7, &[]),
            "f7.png"
        );
        let plainly = NamePattern::parse("whole.exr", &known).unwrap();
        assert!(!plainly.has_frame());
        for (wrong, said) in [
            ("{frame:x}.png", "no number of digits"),
            ("{frame:99}.png", "no number of digits"),
            ("{frame.png", "without its }"),
            ("{fraem}.png", "there are {frame:05}, {viewpoint}, {eye}"),
        ] {
            let why = NamePattern::parse(wrong, &known).unwrap_err();
            assert!(why.contains(said), "{why}");
        }
        assert_eq!(plain(".."), "unnamed");
        // Letters of three bytes: cut by bytes between letters, folder by folder, and only what is a word.
        let long = "天".repeat(60);
        let pattern =
            NamePattern::parse("{viewpoint} {eye}/{viewpoint} {eye} {frame:05}.exr", &known);
        let name = pattern
            .unwrap()
            .fill(3, &[("viewpoint", &long), ("eye", &long)]);
        let parts: Vec<&str> = name.split('/').collect();
        assert_eq!(parts.len(), 2);
        assert!(
            parts.iter().all(|p| (200..=LONGEST).contains(&p.len())),
            "{name}"
        );
        assert!(parts[1].ends_with(" 00003.exr"), "{name}");
    }
}
