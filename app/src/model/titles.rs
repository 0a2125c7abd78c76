//! Titles of a pair, as they are kept with its rig.

use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Most titles at a viewpoint.
pub const MOST: usize = 24;

/// A picture or text that stands at a place before the eyes.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(default)]
#[ts(export)]
pub struct Title {
    /// Its text, in lines; where there is a picture it is the name it goes by.
    pub text: String,
    /// Number of one of the brought pictures, which is shown instead of the text.
    pub picture: Option<i64>,
    /// Whether its letters are black; they are white else.
    pub dark: bool,
    /// Heading of its middle, degrees.
    pub heading_deg: f64,
    /// Pitch of it, degrees.
    pub pitch_deg: f64,
    /// Height of a line of text or of the picture as it is seen from the viewpoint, degrees.
    pub height_deg: f64,
    /// Distance, metres: of its middle, in a flat pair along the direction of view.
    pub distance_m: f64,
}

impl Default for Title {
    fn default() -> Self {
        Self {
            text: "Title".into(),
            picture: None,
            dark: false,
            heading_deg: 0.0,
            pitch_deg: 0.0,
            height_deg: 4.0,
            distance_m: 3.0,
        }
    }
}

impl Title {
    /// What it is called.
    pub fn name(&self) -> &str {
        match self.text.lines().map(str::trim).find(|l| !l.is_empty()) {
            Some(line) => line,
            None => "without a text",
        }
    }

    /// Lines of its text.
    pub fn lines(&self) -> usize {
        self.text.lines().count().max(1)
    }

    /// Height of all of it, degrees: that of a picture or of all lines.
    pub fn whole_height_deg(&self) -> f64 {
        match self.picture {
            Some(_) => self.height_deg,
            None => (self.height_deg * self.lines() as f64).min(MOST_HEIGHT),
        }
    }

    /// Refuses numbers that no title has; the sentence says which.
    pub fn check(&self) -> Result<(), String> {
        let within = super::rigs::within;
        within("heading of a title", self.heading_deg, -1e6, 1e6, "degrees")?;
        within("pitch of a title", self.pitch_deg, -90.0, 90.0, "degrees")?;
        within(
            "height of a title",
            self.height_deg,
            0.05,
            MOST_HEIGHT,
            "degrees",
        )?;
        within("distance of a title", self.distance_m, 0.01, 1e5, "m")?;
        if self.text.chars().count() > 400 {
            return Err("A title has more than 400 letters; shorten it.".into());
        }
        Ok(())
    }
}

/// Highest, degrees.
const MOST_HEIGHT: f64 = 120.0;

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn titles_are_kept_and_wrong_ones_refused() {
        let title: Title = serde_json::from_str(r#"{"text": "\n  Dome\nat dusk"}"#).unwrap();
        assert_eq!((title.name(), title.lines()), ("Dome", 3));
        assert_eq!(title.whole_height_deg(), 12.0);
        assert!(title.check().is_ok());
        let wrong = [
            (
                Title {
                    distance_m: 0.0,
                    ..title.clone()
                },
                "distance of a title",
            ),
            (
                Title {
                    height_deg: f64::NAN,
                    ..title.clone()
                },
                "height of a title",
            ),
            (
                Title {
                    pitch_deg: 91.0,
                    ..title.clone()
                },
                "pitch of a title",
            ),
            (
                Title {
                    text: "x".repeat(401),
                    ..title
                },
                "letters",
            ),
        ];
        for (title, word) in wrong {
            assert!(title.check().unwrap_err().contains(word));
        }
    }
}
