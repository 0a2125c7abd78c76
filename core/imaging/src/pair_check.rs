//! What is wrong with a pair of pictures made anywhere, how sure that is, and how it is mended.

use crate::disparity::{Match, matches};
use crate::strip::{CHANNELS, Picture};
use crate::transfer::luminance;

/// What may be wrong.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum PairFault {
    /// Both are the same picture: there is no depth.
    SameTwice,
    /// The left eye's picture is the right one's.
    Swapped,
    /// One lies above the other: so many pixels that the right eye's picture must be moved down (below 0: up).
    Shifted(f32),
    /// One is brighter: stops by which the left is brighter than the right.
    Brightness(f32),
    /// They were finished otherwise: colours or contrast differ. Stops of each channel.
    Finish([f32; CHANNELS]),
    /// Things lie farther apart than is comfortable: the largest distance, pixels.
    OverBudget(f32),
}

impl PairFault {
    /// A name for programs.
    pub fn name(self) -> &'static str {
        match self {
            Self::SameTwice => "same-twice",
            Self::Swapped => "swapped",
            Self::Shifted(_) => "shifted",
            Self::Brightness(_) => "brightness",
            Self::Finish(_) => "finish",
            Self::OverBudget(_) => "over-budget",
        }
    }

    /// One sentence for people.
    pub fn told(self) -> String {
        match self {
            Self::SameTwice => "Both eyes have the same picture: there is no depth.".into(),
            Self::Swapped => "The eyes are swapped: what is near looks far.".into(),
            Self::Shifted(px) => format!(
                "The right eye's picture lies {:.1} px too {}.",
                px.abs(),
                if px > 0.0 { "high" } else { "low" }
            ),
            Self::Brightness(stops) => format!(
                "The left eye's picture is {:.2} stops {} than the right one's.",
                stops.abs(),
                if stops > 0.0 { "brighter" } else { "darker" }
            ),
            Self::Finish([r, g, b]) => format!(
                "The eyes were finished otherwise: red differs by {r:.2}, green by {g:.2}, blue by {b:.2} stops."
            ),
            Self::OverBudget(px) => {
                format!("Things lie up to {px:.0} px apart, which strains the eyes.")
            }
        }
    }

    /// Whether pictures can be mended without a new render.
    pub fn can_mend(self) -> bool {
        matches!(
            self,
            Self::Swapped | Self::Shifted(_) | Self::Brightness(_) | Self::Finish(_)
        )
    }
}

/// Something that was found.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PairFinding {
    /// What.
    pub fault: PairFault,
    /// How sure, 0 to 1.
    pub confidence: f32,
}

/// What was found about a pair.
#[derive(Clone, Debug, PartialEq)]
pub struct PairReport {
    /// What is wrong.
    pub findings: Vec<PairFinding>,
    /// Places that were matched.
    pub matched: usize,
    /// Parallax of the nearest and the farthest fiftieth of the places, pixels: below 0 in front of zero parallax.
    pub parallax: Option<[f32; 2]>,
    /// Parallax of every place, pixels, from the nearest to the farthest.
    pub places: Vec<f32>,
    /// The largest that is comfortable, pixels.
    pub most: f32,
}

/// Fewer places say nothing.
const FEW: usize = 24;
/// Mean difference of signals below which two pictures are one.
const SAME: f32 = 0.0003;
/// And where all but a few places lie within this, they are one picture saved twice, pixels at a width of 1024.
const STILL: f32 = 0.08;
/// A vertical shift below this is none, pixels at a width of 1024.
const SHIFT: f32 = 0.35;
/// Differences of light below this are none, stops.
const STOPS: f32 = 0.06;
/// Parallax below this says nothing about which eye is which, pixels at a width of 1024.
const DEPTH: f32 = 0.25;
/// Largest parallax on a screen, share of the width (the bold rule; common practice, no source).
const MOST_FLAT: f32 = 1.0 / 23.0;
/// And all round: twice what 30 separations make, 1.91 degrees (common practice, no source).
const MOST_ROUND: f32 = 3.8 / 360.0;

fn middle(mut values: Vec<f32>) -> f32 {
    values.sort_by(f32::total_cmp);
    values.get(values.len() / 2).copied().unwrap_or(0.0)
}

/// Looks at a pair; `round` says that both are whole spheres.
pub fn check(left: &Picture, right: &Picture, round: bool) -> PairReport {
    let mut found = matches(left, right, round);
    let mut report = PairReport {
        findings: Vec::new(),
        matched: found.len(),
        parallax: None,
        places: Vec::new(),
        most: left.width as f32 * if round { MOST_ROUND } else { MOST_FLAT },
    };
    let most = report.most;
    let mut tell = |fault, confidence: f32| {
        report.findings.push(PairFinding {
            fault,
            confidence: confidence.clamp(0.0, 1.0),
        });
    };
    let difference = difference(left, right);
    if difference < SAME {
        tell(PairFault::SameTwice, 1.0 - difference / SAME / 2.0);
        return report;
    }
    if found.len() < FEW {
        return report;
    }
    let still = share(&found, |m| {
        m.across.abs() < STILL * (left.width as f32 / 1024.0)
    });
    if still > 0.98 {
        tell(PairFault::SameTwice, still);
        return report;
    }
    let unit = left.width as f32 / 1024.0;
    let mut down = middle(found.iter().map(|m| m.down).collect());
    if down.abs() > SHIFT * unit.max(1.0) {
        let agree = share(&found, |m| (m.down - down).abs() < 0.6 * unit.max(1.0));
        if agree > 0.3 {
            tell(PairFault::Shifted(down), 0.4 + agree);
            // At the same height they are found more surely.
            found = matches(left, &moved_down(right, down), round);
            down = 0.0;
        }
    }
    // What lies at another height than the rest was mistaken for something else.
    let found: Vec<Match> = (found.into_iter())
        .filter(|m| (m.down - down).abs() < 1.2 * unit.max(1.0))
        .collect();
    if found.len() < FEW {
        report.matched = found.len();
        return report;
    }
    if let Some(confidence) = swapped(&found, round, unit) {
        tell(PairFault::Swapped, confidence);
    }
    light(&found, &mut tell);
    let mut across: Vec<f32> = found.iter().map(|m| m.across).collect();
    across.sort_by(f32::total_cmp);
    let at = |share: f32| across[((across.len() - 1) as f32 * share) as usize];
    let (farthest, nearest) = (at(0.02), at(0.98));
    let largest = nearest.abs().max(farthest.abs());
    if largest > most {
        tell(PairFault::OverBudget(largest), (largest / most - 1.0) * 2.0);
    }
    // Positive in the match is in front; parallax is told the other way round.
    report.parallax = Some([-nearest, -farthest]);
    report.places = across.into_iter().rev().map(|a| -a).collect();
    report
}

fn share(found: &[Match], is: impl Fn(&Match) -> bool) -> f32 {
    found.iter().filter(|m| is(m)).count() as f32 / found.len().max(1) as f32
}

/// Mean difference of the signals.
fn difference(left: &Picture, right: &Picture) -> f32 {
    let signal = |p: &[f32]| luminance([p[0], p[1], p[2]]).clamp(0.0, 4.0).sqrt();
    let sum: f64 = (left.samples.chunks_exact(CHANNELS))
        .zip(right.samples.chunks_exact(CHANNELS))
        .map(|(a, b)| f64::from((signal(a) - signal(b)).abs()))
        .sum();
    (sum / (left.samples.len() / CHANNELS).max(1) as f64) as f32
}

/// How sure it is that the eyes are swapped. In a good pair what is low in the picture (floor, ground, table) is nearer than what
/// is at eye height, and nothing of a parallel panorama lies beyond infinity.
fn swapped(found: &[Match], round: bool, unit: f32) -> Option<f32> {
    let (low, level) = match round {
        true => (0.6..0.8, 0.44..0.54),
        false => (0.72..1.0, 0.2..0.55),
    };
    let of = |range: &std::ops::Range<f32>| -> Vec<f32> {
        (found.iter().filter(|m| range.contains(&m.v)))
            .map(|m| m.across)
            .collect()
    };
    let (near, far) = (of(&low), of(&level));
    if near.len() < FEW / 3 || far.len() < FEW / 3 {
        return None;
    }
    let nearer = middle(near) - middle(far);
    let least = DEPTH * unit.max(0.25);
    if round {
        let deep: Vec<&Match> = found.iter().filter(|m| m.across.abs() > least).collect();
        if deep.len() >= FEW {
            let beyond = deep.iter().filter(|m| m.across < 0.0).count() as f32 / deep.len() as f32;
            // A pair that is parallel shows nothing beyond infinity; swapped it shows nothing else.
            if beyond > 0.8 && nearer < least {
                return Some(beyond);
            }
            if beyond < 0.2 {
                return None;
            }
        }
    }
    (nearer < -least).then(|| nearer.abs() / (nearer.abs() + least))
}

/// Differences of light between matched places.
fn light(found: &[Match], tell: &mut impl FnMut(PairFault, f32)) {
    let bright = |m: &&Match| m.light.iter().flatten().all(|v| *v > 0.004);
    let seen: Vec<&Match> = found.iter().filter(bright).collect();
    if seen.len() < FEW {
        return;
    }
    let stops: [f32; CHANNELS] = std::array::from_fn(|c| {
        middle(
            (seen.iter())
                .map(|m| (m.light[0][c] / m.light[1][c]).log2())
                .collect(),
        )
    });
    let mean = stops.iter().sum::<f32>() / CHANNELS as f32;
    let spread = stops.iter().map(|s| (s - mean).abs()).fold(0.0, f32::max);
    let agree = |wanted: f32| {
        let near = |m: &&&Match| {
            let own = luminance(m.light[0]) / luminance(m.light[1]);
            (own.log2() - wanted).abs() < 0.5 * wanted.abs().max(STOPS)
        };
        seen.iter().filter(near).count() as f32 / seen.len() as f32
    };
    if spread > STOPS {
        tell(PairFault::Finish(stops), 0.5 + spread);
    } else if mean.abs() > STOPS {
        tell(PairFault::Brightness(mean), agree(mean));
    }
}

/// The pair with what can be mended mended: eyes exchanged, the right one moved and made as bright as the left one.
pub fn mended(left: &Picture, right: &Picture, findings: &[PairFinding]) -> [Picture; 2] {
    let (left, mut right) = (left.clone(), right.clone());
    let mut swap = false;
    for finding in findings {
        match finding.fault {
            PairFault::Shifted(down) => right = moved_down(&right, down),
            PairFault::Brightness(stops) => brighten(&mut right, [stops; CHANNELS]),
            PairFault::Finish(stops) => brighten(&mut right, stops),
            PairFault::Swapped => swap = true,
            PairFault::SameTwice | PairFault::OverBudget(_) => {}
        }
    }
    if swap { [right, left] } else { [left, right] }
}

fn brighten(picture: &mut Picture, stops: [f32; CHANNELS]) {
    for pixel in picture.samples.chunks_exact_mut(CHANNELS) {
        for (value, stops) in pixel.iter_mut().zip(stops) {
            *value *= stops.exp2();
        }
    }
}

/// Every row by so many pixels further down, by the line between neighbouring rows; the edge goes on.
fn moved_down(picture: &Picture, down: f32) -> Picture {
    let (width, height) = (picture.width as usize * CHANNELS, picture.height);
    let row = |y: f32| {
        let y = y.clamp(0.0, height as f32 - 1.0) as usize;
        &picture.samples[y * width..][..width]
    };
    let samples = (0..height)
        .flat_map(|y| {
            let from = y as f32 - down;
            let share = from - from.floor();
            let (upper, lower) = (row(from.floor()), row(from.floor() + 1.0));
            (upper.iter().zip(lower)).map(move |(a, b)| a + (b - a) * share)
        })
        .collect();
    Picture {
        samples,
        ..*picture
    }
}
