//! Which way is up: most formats do not say, and scenes from many programs come with Z up.
//!
//! Told from the triangles alone: level surfaces face up and down, a ground lies under everything, and most
//! scenes are wider than high.

use crate::scene::SceneBuilder;
use serde::{Deserialize, Serialize};

/// The axis of a file that points up.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Up {
    /// Y, as glTF wants it and as all is kept here.
    #[default]
    Y,
    /// Z: the scene is turned by a quarter about X when it is read.
    Z,
}

impl Up {
    /// Both.
    pub const ALL: [Self; 2] = [Self::Y, Self::Z];

    /// The axis of a sign such as `z`.
    pub fn from_sign(sign: &str) -> Option<Self> {
        match sign.to_ascii_lowercase().as_str() {
            "y" => Some(Self::Y),
            "z" => Some(Self::Z),
            _ => None,
        }
    }

    /// Its letter.
    pub fn name(self) -> &'static str {
        match self {
            Self::Y => "Y",
            Self::Z => "Z",
        }
    }

    /// The other one.
    pub fn other(self) -> Self {
        match self {
            Self::Y => Self::Z,
            Self::Z => Self::Y,
        }
    }

    fn axis(self) -> usize {
        match self {
            Self::Y => 1,
            Self::Z => 2,
        }
    }
}

/// What the triangles say about up.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct UpGuess {
    /// The likelier axis of the file.
    pub up: Up,
    /// Whether the signs are plain; a rough guess is to be looked at.
    pub sure: bool,
    /// What speaks for it.
    pub why: String,
}

/// Which axis a scene was read with.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct UpReading {
    /// The axis of the file that points up.
    pub used: Up,
    /// Whether the format or the artist said so; else it was guessed.
    pub told: bool,
    /// What the triangles say.
    pub guess: UpGuess,
}

/// What speaks for one axis.
struct Signs {
    /// Extent along it, in the file's unit.
    extent: f64,
    /// Area that faces along it.
    level: f64,
    /// How much of the outline a ground at its low end covers, 0 to 1.
    ground: f64,
}

/// Cosine beyond which a triangle faces along an axis: 18 degrees.
const ALONG: f64 = 0.95;
/// Share of the extent that counts as the low end.
const LOW: f64 = 0.12;
/// Scores beyond this are plain.
const PLAIN: f64 = 0.9;
/// Y is what most formats and programs write: Z must have more to say for itself.
const USUAL: f64 = 0.45;

impl SceneBuilder {
    /// Which axis points up, from the triangles that came in; before anything was turned.
    pub(super) fn guess_up(&self) -> UpGuess {
        let (low, high) = self.corner_bounds();
        let extent = (high - low).to_array();
        let signs = |up: Up| {
            let axis = up.axis();
            let (mut level, mut ground) = (0.0f64, 0.0f64);
            let floor = low[axis] + LOW * extent[axis];
            self.each_triangle(|[a, b, c]| {
                let normal = (b - a).cross(c - a);
                let twice = normal.length();
                if twice > 0.0 && normal[axis].abs() > ALONG * twice {
                    level += twice / 2.0;
                    // Grounds face up or down, whichever way they were modelled, and may slope a little.
                    if a[axis].max(b[axis]).max(c[axis]) <= floor {
                        ground += twice / 2.0;
                    }
                }
            });
            let outline: f64 = (0..3).filter(|i| *i != axis).map(|i| extent[i]).product();
            Signs {
                extent: extent[axis],
                level,
                ground: if outline > 0.0 {
                    (ground / outline).min(1.0)
                } else {
                    0.0
                },
            }
        };
        let (y, z) = (signs(Up::Y), signs(Up::Z));
        let ratio = |a: f64, b: f64| ((a + 1e-9) / (b + 1e-9)).ln().clamp(-2.5, 2.5);
        let score =
            ratio(y.extent, z.extent) + 0.6 * ratio(z.level, y.level) + 0.8 * (z.ground - y.ground)
                - USUAL;
        let up = if score > 0.0 { Up::Z } else { Up::Y };
        let (this, other) = match up {
            Up::Y => (&y, &z),
            Up::Z => (&z, &y),
        };
        let share = 100.0 * this.level / (this.level + other.level).max(1e-30);
        let name = up.name().to_lowercase();
        let mut why = vec![format!(
            "{share:.0} % of the area that faces along y or z faces along {name}"
        )];
        if this.extent < other.extent {
            why.push(format!(
                "the scene is {:.0} % as high along {name} as along {}",
                100.0 * this.extent / other.extent,
                up.other().name().to_lowercase()
            ));
        }
        if this.ground > 0.3 && this.ground > other.ground {
            why.push(format!(
                "a ground at its low end covers {:.0} % of it",
                100.0 * this.ground
            ));
        }
        UpGuess {
            up,
            sure: score.abs() > PLAIN,
            why: why.join(", "),
        }
    }
}
