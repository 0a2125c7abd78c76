//! Rigs: how two eyes stand at a viewpoint, as it is kept. Orders hold a copy.

use super::titles::Title;
use dome_optics::rig::{self, Anchor, FlatPair, Frame, Method, PanoramicPair, Side, scale, screen};
use dome_optics::{Orientation, PictureSize, ShapeError};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Whether there are two eyes, and of which kind.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[ts(export)]
#[serde(rename_all = "kebab-case")]
pub enum RigKind {
    /// One eye.
    #[default]
    Off,
    /// A pair that turns with the direction of view, for headsets.
    Panoramic,
    /// Two framed cameras, for screens.
    Flat,
}

/// What stands on the viewpoint.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[ts(export)]
#[serde(rename_all = "kebab-case")]
pub enum RigAnchor {
    /// The left eye.
    Left,
    /// The point between both.
    #[default]
    Middle,
    /// The right eye.
    Right,
}

impl From<RigAnchor> for Anchor {
    fn from(anchor: RigAnchor) -> Self {
        match anchor {
            RigAnchor::Left => Self::Left,
            RigAnchor::Middle => Self::Middle,
            RigAnchor::Right => Self::Right,
        }
    }
}

/// How the pictures of a flat pair are brought together.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[ts(export)]
#[serde(rename_all = "kebab-case")]
pub enum RigMethod {
    /// Shifted frames.
    #[default]
    OffAxis,
    /// A wider record, cropped later.
    Parallel,
    /// Turned cameras.
    Converged,
}

impl From<RigMethod> for Method {
    fn from(method: RigMethod) -> Self {
        match method {
            RigMethod::OffAxis => Self::OffAxis,
            RigMethod::Parallel => Self::Parallel,
            RigMethod::Converged => Self::Converged,
        }
    }
}

/// Which of two eyes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[ts(export)]
#[serde(rename_all = "kebab-case")]
pub enum RigSide {
    /// The left.
    Left,
    /// The right.
    Right,
}

impl From<RigSide> for Side {
    fn from(side: RigSide) -> Self {
        match side {
            RigSide::Left => Self::Left,
            RigSide::Right => Self::Right,
        }
    }
}

/// What one eye has otherwise than the other.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct UnlinkedEye {
    /// Which eye.
    pub side: RigSide,
    /// Its horizontal field of view, degrees, if another.
    pub hfov_deg: Option<f64>,
    /// Turned to the right, degrees.
    pub heading_deg: f64,
    /// Turned upwards, degrees.
    pub pitch_deg: f64,
    /// Rolled clockwise, degrees.
    pub roll_deg: f64,
}

/// By which rule a screen's parallax is limited.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[ts(export)]
#[serde(rename_all = "kebab-case")]
pub enum BudgetRule {
    /// A thirtieth of the width.
    #[default]
    Cautious,
    /// A twenty-third of it.
    Bold,
    /// By the screen's size and the viewers' distance.
    Screen,
    /// So many pixels.
    Own,
}

/// How much parallax a flat pair may have, and how much of it this shot uses.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(default)]
#[ts(export)]
pub struct ParallaxBudget {
    /// Width of the final picture, pixels; previews and orders of other sizes do not change the plan.
    pub final_width: u32,
    /// The rule.
    pub rule: BudgetRule,
    /// Pixels by the own rule.
    pub own_px: f64,
    /// Percent of it that this shot uses.
    pub percent: f64,
    /// Share of it that lies in front of the screen, percent; the rest lies behind.
    pub front_percent: f64,
    /// Width of the screen, metres, if it is known.
    pub screen_width_m: Option<f64>,
    /// Distance of the viewers, metres, if it is known.
    pub screen_distance_m: Option<f64>,
}

impl Default for ParallaxBudget {
    fn default() -> Self {
        Self {
            final_width: 1920,
            rule: BudgetRule::Cautious,
            own_px: 64.0,
            percent: 70.0,
            // Front 20 of 70 pixels at 1920 (common practice, no source).
            front_percent: 30.0,
            screen_width_m: None,
            screen_distance_m: None,
        }
    }
}

impl ParallaxBudget {
    /// The screen, if both of its lengths are known.
    pub fn screen(&self) -> Option<screen::Screen> {
        Some(screen::Screen {
            width: self.screen_width_m?,
            distance: self.screen_distance_m?,
        })
    }

    /// The whole budget by its rule, pixels of the final width. The rule of the screen is the cautious one until the screen is
    /// known.
    pub fn whole_px(&self) -> f64 {
        let width = f64::from(self.final_width);
        match self.rule {
            BudgetRule::Cautious => width * screen::CAUTIOUS,
            BudgetRule::Bold => width * screen::BOLD,
            BudgetRule::Screen => width * self.screen().map_or(screen::CAUTIOUS, |s| s.share()),
            BudgetRule::Own => self.own_px,
        }
    }

    /// What this shot may use in front and behind, pixels of the final width.
    pub fn of_shot(&self) -> rig::parallax::Budget {
        let px = self.whole_px() * self.percent / 100.0;
        let front = px * self.front_percent / 100.0;
        rig::parallax::Budget {
            front,
            back: px - front,
        }
    }
}

/// A floating window: how far the frame's edges are masked, pixels of the final width. Top and bottom apart lean it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
#[serde(default)]
#[ts(export)]
pub struct FloatingWindow {
    /// Left edge of the left eye, at the top.
    pub left_top: f64,
    /// And at the bottom.
    pub left_bottom: f64,
    /// Right edge of the right eye, at the top.
    pub right_top: f64,
    /// And at the bottom.
    pub right_bottom: f64,
}

impl FloatingWindow {
    /// What is masked of an eye's outer edge, at the top and at the bottom.
    pub fn of(&self, side: Side) -> [f64; 2] {
        match side {
            Side::Left => [self.left_top, self.left_bottom],
            Side::Right => [self.right_top, self.right_bottom],
        }
    }
}

/// Two framed cameras.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(default)]
#[ts(export)]
pub struct FlatRig {
    /// Horizontal field of view, degrees.
    pub hfov_deg: f64,
    /// Width of the sensor by which a focal length is told, millimetres.
    pub sensor_mm: f64,
    /// Width divided by height.
    pub ratio: f64,
    /// How far the cameras look up, degrees.
    pub pitch_deg: f64,
    /// How they are brought together.
    pub method: RigMethod,
    /// Distance of zero parallax, metres.
    pub converge_m: f64,
    /// Whether the eye on the viewpoint stays as it is when separation or convergence change.
    pub keep_anchor: bool,
    /// What one eye has otherwise.
    pub unlinked: Option<UnlinkedEye>,
    /// How much parallax is allowed.
    pub budget: ParallaxBudget,
    /// The floating window.
    pub window: FloatingWindow,
}

impl Default for FlatRig {
    fn default() -> Self {
        Self {
            hfov_deg: 60.0,
            sensor_mm: 36.0,
            ratio: 16.0 / 9.0,
            pitch_deg: 0.0,
            method: RigMethod::OffAxis,
            converge_m: 3.0,
            keep_anchor: false,
            unlinked: None,
            budget: ParallaxBudget::default(),
            window: FloatingWindow::default(),
        }
    }
}

/// Refuses a number outside of its range; the sentence says which.
pub(super) fn within(
    what: &str,
    value: f64,
    low: f64,
    high: f64,
    unit: &str,
) -> Result<(), String> {
    if value.is_finite() && (low..=high).contains(&value) {
        return Ok(());
    }
    Err(format!(
        "The {what} must lie between {low} and {high} {unit}; {value} does not. Correct it."
    ))
}

/// How two eyes stand at a viewpoint. What belongs to the other kind is kept too.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(default)]
#[ts(export)]
pub struct Rig {
    /// Which kind.
    pub kind: RigKind,
    /// Distance between the eyes, metres, before the factor.
    pub separation_m: f64,
    /// Factor on it, for giants and mice.
    pub scale: f64,
    /// What stands on the viewpoint.
    pub anchor: RigAnchor,
    /// Of a panoramic pair: distance of zero parallax, metres; parallel without.
    pub converge_m: Option<f64>,
    /// Of a panoramic pair: latitudes between which it closes, degrees; never without.
    pub close_deg: Option<[f64; 2]>,
    /// Of a flat pair.
    pub flat: FlatRig,
    /// Whether the lens is sharp at the distance of zero parallax.
    pub focus_follows: bool,
    /// Titles before the eyes: in what is shown and handed over, never in the master.
    pub titles: Vec<Title>,
    /// What people say to each other about the depth here.
    pub note: String,
}

impl Default for Rig {
    fn default() -> Self {
        Self {
            kind: RigKind::Off,
            separation_m: scale::EYE_SEPARATION,
            scale: 1.0,
            anchor: RigAnchor::Middle,
            converge_m: None,
            close_deg: Some([60.0, 80.0]),
            flat: FlatRig::default(),
            focus_follows: false,
            titles: Vec::new(),
            note: String::new(),
        }
    }
}

impl Rig {
    /// Distance between the eyes with its factor, metres.
    pub fn separation(&self) -> f64 {
        self.separation_m * self.scale
    }

    /// Distance of zero parallax, metres.
    pub fn converge(&self) -> Option<f64> {
        match self.kind {
            RigKind::Off => None,
            RigKind::Panoramic => self.converge_m,
            RigKind::Flat => Some(self.flat.converge_m),
        }
    }

    /// The frame of a flat pair.
    pub fn frame(&self) -> Frame {
        Frame {
            hfov: self.flat.hfov_deg.to_radians(),
            ratio: self.flat.ratio,
            shift: [0.0; 2],
        }
    }

    /// The pair, if there are two eyes.
    pub fn pair(&self) -> Option<rig::Rig> {
        match self.kind {
            RigKind::Off => None,
            RigKind::Panoramic => Some(rig::Rig::Panoramic(PanoramicPair {
                separation: self.separation(),
                anchor: self.anchor.into(),
                converge: self.converge_m,
                close: self.close_deg.map(|c| c.map(f64::to_radians)),
            })),
            RigKind::Flat => Some(rig::Rig::Flat(self.flat_pair())),
        }
    }

    /// The flat pair of it, whichever kind is chosen.
    pub fn flat_pair(&self) -> FlatPair {
        FlatPair {
            separation: self.separation(),
            anchor: self.anchor.into(),
            converge: self.flat.converge_m,
            method: self.flat.method.into(),
            keep_anchor: self.flat.keep_anchor,
            unlinked: self.flat.unlinked.map(|u| rig::Unlinked {
                side: u.side.into(),
                hfov: u.hfov_deg.map(f64::to_radians),
                turn: Orientation {
                    heading_deg: u.heading_deg,
                    pitch_deg: u.pitch_deg,
                    roll_deg: u.roll_deg,
                },
            }),
        }
    }

    /// The size that an order of a flat pair is rendered in, for a final width in pixels: parallel cameras record more.
    pub fn recorded(&self, width: u32) -> Result<PictureSize, ShapeError> {
        let frame = self.frame();
        let height = (f64::from(width) / frame.ratio).round() as u32;
        let recorded = match self.flat.method {
            RigMethod::Parallel => {
                let recording = self.flat_pair().recording(frame, width);
                let ratio = f64::from(recording.width) / f64::from(height.max(1));
                let frame = Frame {
                    hfov: recording.hfov,
                    ratio,
                    shift: [0.0; 2],
                };
                (frame, recording.width)
            }
            RigMethod::OffAxis | RigMethod::Converged => (frame, width),
        };
        PictureSize::new(recorded.0.shape(), Some(recorded.1), Some(height))
    }

    /// What is cropped later from the outer side of each eye of a picture that was recorded for a final width, pixels.
    pub fn crop(&self, recorded_width: u32) -> u32 {
        if self.kind != RigKind::Flat || self.flat.method != RigMethod::Parallel {
            return 0;
        }
        // The crop follows from the final width, which is what is left.
        let frame = self.frame();
        let pair = self.flat_pair();
        let k_share = 1.0 / (2.0 * (frame.hfov / 2.0).tan());
        let guess = f64::from(recorded_width) / (1.0 + k_share * pair.separation / pair.converge);
        let start = (guess as u32).saturating_sub(3);
        (start..start + 7)
            .find(|w| pair.recording(frame, *w).width == recorded_width)
            .map_or(0, |w| recorded_width - w)
    }

    /// Refuses numbers that no rig has; the sentence says which.
    pub fn check(&self) -> Result<(), String> {
        let b = &self.flat.budget;
        within("eye separation", self.separation_m, 1e-6, 10_000.0, "m")?;
        within("scale factor", self.scale, 1e-3, 1e5, "times")?;
        if let Some(distance) = self.converge_m {
            within("distance of zero parallax", distance, 0.01, 1e5, "m")?;
        }
        within(
            "distance of zero parallax",
            self.flat.converge_m,
            0.01,
            1e5,
            "m",
        )?;
        if let Some([from, to]) = self.close_deg {
            within(
                "latitude where the pair begins to close",
                from,
                0.0,
                89.0,
                "degrees",
            )?;
            within(
                "latitude where the pair is closed",
                to,
                from + 0.5,
                90.0,
                "degrees",
            )?;
        }
        within("field of view", self.flat.hfov_deg, 1.0, 170.0, "degrees")?;
        within("sensor's width", self.flat.sensor_mm, 1.0, 1000.0, "mm")?;
        within("ratio", self.flat.ratio, 0.1, 10.0, "times as wide as high")?;
        within(
            "pitch of the frame",
            self.flat.pitch_deg,
            -90.0,
            90.0,
            "degrees",
        )?;
        within(
            "final width",
            f64::from(b.final_width),
            16.0,
            65_536.0,
            "px",
        )?;
        within("own budget", b.own_px, 0.1, 10_000.0, "px")?;
        within("share of the budget", b.percent, 0.1, 200.0, "%")?;
        within("share in front", b.front_percent, 0.0, 100.0, "%")?;
        for (what, length) in [
            ("screen's width", b.screen_width_m),
            ("distance from the screen", b.screen_distance_m),
        ] {
            if let Some(length) = length {
                within(what, length, 0.05, 1000.0, "m")?;
            }
        }
        let w = &self.flat.window;
        for edge in [w.left_top, w.left_bottom, w.right_top, w.right_bottom] {
            within(
                "floating window",
                edge,
                0.0,
                f64::from(b.final_width) / 4.0,
                "px",
            )?;
        }
        if let Some(own) = &self.flat.unlinked {
            if let Some(hfov) = own.hfov_deg {
                within("eye's own field of view", hfov, 1.0, 170.0, "degrees")?;
            }
            for turn in [own.heading_deg, own.pitch_deg, own.roll_deg] {
                within("eye's own turn", turn, -20.0, 20.0, "degrees")?;
            }
        }
        if self.titles.len() > super::titles::MOST {
            return Err(format!(
                "A viewpoint has at most {} titles; take some out.",
                super::titles::MOST
            ));
        }
        self.titles.iter().try_for_each(Title::check)?;
        if self.note.chars().count() > 2000 {
            return Err("The note has more than 2000 letters; shorten it.".into());
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Budgets by the usual rules at 1920 (common practice, no source): 64 and 83 px, of which a shot uses a part.
    #[test]
    fn budgets_follow_their_rules() {
        let of = |rule| ParallaxBudget {
            rule,
            percent: 100.0,
            ..ParallaxBudget::default()
        };
        assert!((of(BudgetRule::Cautious).whole_px() - 64.0).abs() < 0.01);
        assert!((of(BudgetRule::Bold).whole_px() - 83.48).abs() < 0.01);
        // Twice as far from the screen as it is wide allows twice the cautious share.
        let screen = ParallaxBudget {
            screen_width_m: Some(1.5),
            screen_distance_m: Some(3.0),
            ..of(BudgetRule::Screen)
        };
        assert!((screen.whole_px() - 128.0).abs() < 0.01);
        assert!((of(BudgetRule::Screen).whole_px() - 64.0).abs() < 0.01);
        let shot = ParallaxBudget {
            percent: 50.0,
            front_percent: 25.0,
            ..of(BudgetRule::Own)
        };
        let of_shot = shot.of_shot();
        assert_eq!((of_shot.front, of_shot.back), (8.0, 24.0));
    }

    /// Parallel cameras record more, and what is left after the crop is the final width.
    #[test]
    fn a_recording_is_cropped_to_its_final_width() {
        let mut rig = Rig {
            kind: RigKind::Flat,
            separation_m: 0.065,
            ..Rig::default()
        };
        rig.flat.converge_m = 5.0;
        assert_eq!(rig.recorded(1920).unwrap().width(), 1920);
        assert_eq!(rig.crop(1920), 0);
        rig.flat.method = RigMethod::Parallel;
        for (width, crop) in [(1920, 22), (960, 11), (3840, 43), (101, 1)] {
            let size = rig.recorded(width).unwrap();
            assert_eq!((size.width(), rig.crop(size.width())), (width + crop, crop));
        }
    }

    /// What was kept before there were rigs is one eye with usual values, and they are all sound.
    #[test]
    fn one_eye_is_the_start() {
        let rig: Rig = serde_json::from_str("{}").unwrap();
        assert_eq!(rig, Rig::default());
        assert!(rig.pair().is_none() && rig.check().is_ok());
        for kind in [RigKind::Panoramic, RigKind::Flat] {
            let rig = Rig {
                kind,
                ..Rig::default()
            };
            assert_eq!(rig.pair().unwrap().separation(), 0.063);
        }
        let wrong = Rig {
            separation_m: f64::NAN,
            ..Rig::default()
        };
        assert!(wrong.check().unwrap_err().contains("eye separation"));
    }
}
