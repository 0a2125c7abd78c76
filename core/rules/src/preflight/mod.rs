//! What is looked at before a render. Each rule reads the facts and adds what it finds; a rule whose facts
//! are not there finds nothing.

mod clay;
mod dark_side;
mod disk;
mod divergence;
mod draft;
mod furniture;
mod height;
mod inside;
mod keystone;
mod lamps;
mod level;
mod low;
mod name_clash;
mod near;
mod no_floor;
mod old_separation;
mod over_budget;
mod packing_ratio;
mod poles;
mod ratio;
mod separation;
mod size;
mod squeezed;
mod surroundings;
mod title_behind;
mod travel;
mod uneven;
mod unit_slip;
mod unlinked;
mod window;

use crate::comfort::{FlatPlan, Violation};
use crate::titles::Covered;
use dome_optics::rig::{Packing, Rig};
use dome_optics::{Orientation, Shape};
use dome_trace::Scene;
use dome_trace::stand::clearance::{Clearance, Limits};
use dome_trace::stand::dark::Dark;
use dome_trace::stand::depth::Depths;
use dome_trace::stand::starts::Start;
use glam::DVec3;
use serde::{Deserialize, Serialize};

/// How bad a finding is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Level {
    /// Worth knowing.
    Note,
    /// Likely a mistake.
    Warn,
    /// The result would be useless, or would not come at all.
    Stop,
}

/// What one click can do about a finding.
#[derive(Clone, Debug, PartialEq)]
pub enum Fix {
    /// Pitch and roll to 0.
    LevelOut,
    /// The eye to a place, metres.
    MoveTo(DVec3),
    /// The heading to a value, degrees.
    Turn(f64),
    /// Lights out of sight, by the keys of their settings; they still shine.
    Hide(Vec<String>),
}

/// Something found, as `owl-dome check --json` gives it too.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Finding {
    /// The rule's name.
    pub rule: &'static str,
    /// How bad it is.
    pub level: Level,
    /// What is wrong, with numbers.
    pub what: String,
    /// Where: a viewpoint, an object, an order, a file.
    #[serde(rename = "where")]
    pub place: String,
    /// What to do.
    pub remedy: String,
    /// Heading and pitch at which it is seen, degrees.
    #[serde(skip)]
    pub direction: Option<(f64, f64)>,
    /// What one click can do.
    #[serde(skip)]
    pub fix: Option<Fix>,
}

/// A lamp that is seen.
#[derive(Clone, Debug, PartialEq)]
pub struct LampInSight {
    /// Key of its setting.
    pub key: String,
    /// Name.
    pub name: String,
    /// Share of the sphere, 0 to 1.
    pub share: f64,
    /// Heading, degrees.
    pub heading_deg: f64,
    /// Pitch, degrees.
    pub pitch_deg: f64,
}

/// Facts about a place to stand in a scene.
pub struct StandFacts<'a> {
    /// What the place is called in findings.
    pub name: String,
    /// The scene.
    pub scene: &'a Scene,
    /// The eye, metres.
    pub eye: DVec3,
    /// How it is turned.
    pub orientation: Orientation,
    /// What a scan found.
    pub clearance: &'a Clearance,
    /// Limits that the artist set.
    pub limits: Limits,
    /// The middles of the scene's spaces, for remedies.
    pub starts: &'a [Start],
    /// Whether two eyes are wanted.
    pub stereo: bool,
    /// Lamps that are seen and not hidden.
    pub lamps: Vec<LampInSight>,
    /// Share of the sphere where nothing of the scene is seen.
    pub open: f64,
    /// Mean light of the sky; 0 if it is black or switched off.
    pub sky: f64,
    /// Whether anything else gives light.
    pub lit: bool,
    /// Whether the backdrop is left out on purpose.
    pub transparent: bool,
    /// A quarter of the sphere that is dark.
    pub dark: Option<Dark>,
    /// Whether remedies are looked for: that takes longer than the findings themselves.
    pub remedies: bool,
    /// Heading of the way that the eye takes at this moment, degrees, if it rides on something.
    pub travel_deg: Option<f64>,
}

/// What a picture is for.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Purpose {
    /// Looking round on a screen.
    #[default]
    Look,
    /// A headset.
    Headset,
    /// A dome.
    Dome,
    /// Lighting another scene.
    Light,
}

impl Purpose {
    /// All of them.
    pub const ALL: [Self; 4] = [Self::Look, Self::Headset, Self::Dome, Self::Light];

    /// Its name on the command line.
    pub fn name(self) -> &'static str {
        match self {
            Self::Look => "look",
            Self::Headset => "headset",
            Self::Dome => "dome",
            Self::Light => "light",
        }
    }
}

/// Facts about something to be rendered.
#[derive(Clone, Debug)]
pub struct OrderFacts {
    /// What it is called in findings.
    pub name: String,
    /// Shape of the picture.
    pub shape: Shape,
    /// Width that is asked for, pixels.
    pub width: Option<u32>,
    /// Height that is asked for, pixels.
    pub height: Option<u32>,
    /// What it is for.
    pub purpose: Purpose,
    /// Samples a pixel; with a noise target the most.
    pub samples: u32,
    /// Noise target, percent.
    pub noise_percent: Option<f64>,
    /// Whether noise is taken out afterwards.
    pub denoise: bool,
    /// Whether it is meant to be a draft.
    pub draft: bool,
    /// Of a pair: the separation that it holds, and that of its viewpoint now, metres.
    pub separation: Option<(f64, f64)>,
    /// A picture of the same place with exactly twice this width, pixels.
    pub double: Option<u32>,
    /// One grey over everything.
    pub clay: bool,
    /// Another output with the same name.
    pub clash: Option<String>,
    /// Space needed, bytes.
    pub need_bytes: u64,
    /// Space free, bytes.
    pub free_bytes: Option<u64>,
}

/// Facts about a pair of eyes at a place.
pub struct PairFacts<'a> {
    /// What the place is called in findings.
    pub name: String,
    /// The pair.
    pub rig: Rig,
    /// How the viewpoint is turned.
    pub orientation: Orientation,
    /// The scene.
    pub scene: &'a Scene,
    /// What is seen: all round, or through the frame of a flat pair.
    pub depths: &'a Depths,
    /// What a flat pair may do on its screen.
    pub plan: Option<FlatPlan>,
    /// Things that the frame's edges cut off, beyond the floating window that is set.
    pub violations: Vec<Violation>,
    /// Factor on the separation, for giants and mice.
    pub scale: f64,
    /// Titles that stand before it.
    pub titles: Vec<TitleFacts>,
}

/// A title at a place.
#[derive(Clone, Debug)]
pub struct TitleFacts {
    /// What it is called in findings.
    pub name: String,
    /// Distance of its middle, metres.
    pub distance: f64,
    /// Heading of it, degrees.
    pub heading_deg: f64,
    /// Pitch of it, degrees.
    pub pitch_deg: f64,
    /// What it covers although it is nearer.
    pub covered: Option<Covered>,
}

/// How two eyes are to lie in a file.
#[derive(Clone, Debug)]
pub struct PackingFacts {
    /// What it is called in findings.
    pub name: String,
    /// The packing.
    pub packing: Packing,
    /// Width and height of each eye as it is made, pixels.
    pub eye: (u32, u32),
    /// How much of a full turn each eye shows across, 0 to 1.
    pub turn: f64,
    /// In which way the file's sides do not fit, if they do not: a sentence with those that would.
    pub wrong: Option<String>,
}

/// All facts that are known.
#[derive(Default)]
pub struct Facts<'a> {
    /// Largest side of the scene, metres, and what to say if it was made in another unit.
    pub extent: Option<f64>,
    /// Distance between the eyes, metres.
    pub eye_separation: Option<f64>,
    /// The place.
    pub stand: Option<StandFacts<'a>>,
    /// The order.
    pub order: Option<OrderFacts>,
    /// The pair of eyes.
    pub pair: Option<PairFacts<'a>>,
    /// How two eyes lie in a file.
    pub packing: Option<PackingFacts>,
}

/// The one list of rules, in the order in which findings of one level are told.
const RULES: [fn(&Facts, &mut Vec<Finding>); 30] = [
    inside::check,
    no_floor::check,
    furniture::check,
    low::check,
    height::check,
    near::check,
    level::check,
    travel::check,
    dark_side::check,
    surroundings::check,
    lamps::check,
    unit_slip::check,
    separation::check,
    uneven::check,
    over_budget::check,
    divergence::check,
    window::check,
    keystone::check,
    unlinked::check,
    poles::check,
    title_behind::check,
    packing_ratio::check,
    squeezed::check,
    ratio::check,
    size::check,
    draft::check,
    old_separation::check,
    clay::check,
    name_clash::check,
    disk::check,
];

/// Everything that is found, the worst first.
pub fn check(facts: &Facts) -> Vec<Finding> {
    let mut findings = Vec::new();
    for rule in RULES {
        rule(facts, &mut findings);
    }
    findings.sort_by_key(|f| std::cmp::Reverse(f.level));
    findings
}

impl StandFacts<'_> {
    fn object(&self, object: u32) -> &str {
        self.scene
            .objects()
            .get(object as usize)
            .map_or("something", |o| o.name.as_str())
    }

    fn finding(&self, rule: &'static str, level: Level, what: String, remedy: String) -> Finding {
        Finding::at(&self.name, rule, level, what, remedy)
    }

    /// A remedy, if they are looked for.
    fn remedy(&self, find: impl FnOnce() -> Option<DVec3>) -> Option<Fix> {
        self.remedies.then(find).flatten().map(Fix::MoveTo)
    }

    /// The middle of the nearest space, told as a remedy.
    fn to_the_middle(&self) -> Option<DVec3> {
        dome_trace::stand::remedy::nearest_middle(self.starts, self.eye).map(|s| s.position)
    }
}

impl PairFacts<'_> {
    fn object(&self, object: u32) -> &str {
        (self.scene.objects().get(object as usize)).map_or("something", |o| o.name.as_str())
    }

    fn finding(&self, rule: &'static str, level: Level, what: String, remedy: &str) -> Finding {
        Finding::at(&self.name, rule, level, what, remedy)
    }
}

impl OrderFacts {
    fn finding(&self, rule: &'static str, level: Level, what: String, remedy: &str) -> Finding {
        Finding::at(&self.name, rule, level, what, remedy)
    }
}

impl Finding {
    fn at(
        place: &str,
        rule: &'static str,
        level: Level,
        what: String,
        remedy: impl Into<String>,
    ) -> Self {
        Self {
            rule,
            level,
            what,
            place: place.to_owned(),
            remedy: remedy.into(),
            direction: None,
            fix: None,
        }
    }

    fn towards(mut self, heading_deg: f64, pitch_deg: f64) -> Self {
        self.direction = Some((heading_deg, pitch_deg));
        self
    }

    fn fixed_by(mut self, fix: Option<Fix>) -> Self {
        self.fix = fix;
        self
    }
}

/// A length in words: small ones in millimetres.
fn length(metres: f64) -> String {
    if metres.abs() < 0.095 {
        format!("{:.0} mm", metres * 1000.0)
    } else {
        format!("{metres:.2} m")
    }
}
