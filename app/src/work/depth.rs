//! How deep it is at a viewpoint: what the Depth stage and `owl-dome depth` tell.

use super::preview::orientation;
use super::told::depth::{
    BeyondInfo, BudgetInfo, CoveredInfo, DepthFrame, DepthInfo, FitInfo, OffenderInfo,
    OnScreenInfo, ParallaxInfo, PickedDepth, PlanesInfo, RecordingInfo, TitleInfo, ViolationInfo,
};
use super::{App, titles};
use crate::model::places::Pose;
use crate::model::rigs::{Rig, RigKind, RigMethod};
use crate::model::titles::Title;
use dome_imaging::title::Stand;
use dome_optics::projection::Perspective;
use dome_optics::rig::parallax::{Seen, roundness, roundness_at};
use dome_optics::rig::screen::ADULT_EYES;
use dome_optics::rig::{Frame, PanoramicPair, scale};
use dome_optics::{Equirect, Eye, MonoEye, PanoramaSize, PicturePoint};
use dome_rules::comfort::{ASIDE, Beyond, FlatPlan, Offender, Violation, comfortable, too_near};
use dome_rules::preflight::{PairFacts, TitleFacts};
use dome_rules::titles::{Covered, covered};
use dome_trace::Scene;
use dome_trace::stand::depth::{AROUND, Depths, FRAMED, around, framed};
use dome_trace::stand::sight;
use glam::DVec3;
use rayon::prelude::*;
use std::f64::consts::PI;

/// Steps of the chart.
const STEPS: usize = 200;

/// What the flat pair of a rig may do.
pub(super) fn flat_plan(rig: &Rig) -> FlatPlan {
    let budget = &rig.flat.budget;
    FlatPlan {
        pair: rig.flat_pair(),
        frame: rig.frame(),
        width: f64::from(budget.final_width),
        budget: budget.of_shot(),
        screen: budget.screen(),
    }
}

/// What two eyes see from a place, looked at once.
pub struct Deep<'a> {
    pub(super) scene: &'a Scene,
    pub(super) pose: Pose,
    pub(super) rig: &'a Rig,
    depths: Depths,
    titles: Vec<Option<Stand>>,
    /// Titles whose picture is gone.
    missing: Vec<bool>,
}

impl<'a> Deep<'a> {
    /// Looks: all round, or through the frame of a flat pair.
    pub fn look(scene: &'a Scene, pose: &Pose, rig: &'a Rig) -> Self {
        let mut pose = *pose;
        let eye = DVec3::from(pose.position);
        let depths = if rig.kind == RigKind::Flat {
            pose.pitch_deg = rig.flat.pitch_deg;
            let frame = rig.frame();
            let projection = Perspective::from_fov(frame.hfov, frame.vfov());
            framed(
                scene,
                &MonoEye::new(eye, orientation(&pose), projection),
                FRAMED,
            )
        } else {
            around(scene, eye, AROUND)
        };
        Self {
            scene,
            pose,
            rig,
            depths,
            titles: Vec::new(),
            missing: Vec::new(),
        }
    }

    /// The same without looking at everything: for what lies at one place.
    pub fn at_one_place(scene: &'a Scene, pose: &Pose, rig: &'a Rig) -> Self {
        let mut pose = *pose;
        if rig.kind == RigKind::Flat {
            pose.pitch_deg = rig.flat.pitch_deg;
        }
        Self {
            scene,
            pose,
            rig,
            depths: Depths::default(),
            titles: Vec::new(),
            missing: Vec::new(),
        }
    }

    /// The same with the rig's titles where they stand.
    pub fn with_titles(mut self, app: &App) -> Self {
        self.titles = titles::stands(app, &self.pose, self.rig);
        self.missing = (self.rig.titles.iter())
            .map(|t| !titles::is_there(app, t))
            .collect();
        self
    }

    /// The titles with where they stand and what they cover although it is nearer.
    fn covered(&self) -> impl Iterator<Item = (&Title, Option<Stand>, Option<Covered>)> {
        let eye = DVec3::from(self.pose.position);
        (self.rig.titles.iter().zip(&self.titles)).map(move |(title, stand)| {
            let covers = stand.and_then(|stand| covered(self.scene, eye, &stand));
            (title, *stand, covers)
        })
    }

    /// What a flat pair may do.
    pub(super) fn plan(&self) -> Option<FlatPlan> {
        (self.rig.kind == RigKind::Flat).then(|| flat_plan(self.rig))
    }

    fn panoramic(&self) -> PanoramicPair {
        PanoramicPair {
            separation: self.rig.separation(),
            anchor: self.rig.anchor.into(),
            converge: self.rig.converge_m,
            close: self.rig.close_deg.map(|c| c.map(f64::to_radians)),
        }
    }

    fn offenders(&self) -> Vec<Offender> {
        match (self.plan(), self.rig.kind) {
            (Some(plan), _) => plan.offenders(&self.depths),
            (None, RigKind::Panoramic) => {
                let to_view = orientation(&self.pose).matrix().transpose();
                too_near(&self.panoramic(), &self.depths, |d| to_view * d)
            }
            (None, _) => Vec::new(),
        }
    }

    fn window(&self) -> (Vec<Violation>, [f64; 4]) {
        self.plan().map_or_else(Default::default, |plan| {
            plan.window(
                self.scene,
                self.pose.position.into(),
                orientation(&self.pose),
            )
        })
    }

    /// What is cut off beyond the floating window that is set.
    fn uncovered(&self) -> Vec<Violation> {
        let (violations, needed) = self.window();
        let set = &self.rig.flat.window;
        let set = [
            set.left_top,
            set.left_bottom,
            set.right_top,
            set.right_bottom,
        ];
        let covered = |i: usize| set[i] + 0.5 >= needed[i] && set[i + 1] + 0.5 >= needed[i + 1];
        (violations.into_iter())
            .filter(|v| !covered(if v.left { 0 } else { 2 }))
            .collect()
    }

    /// Facts for the preflight.
    pub fn facts(&self, name: &str) -> Option<PairFacts<'_>> {
        Some(PairFacts {
            name: name.to_owned(),
            rig: self.rig.pair()?,
            orientation: orientation(&Pose {
                // The frame of a flat pair may look up; its eyes stay level.
                pitch_deg: match self.rig.kind {
                    RigKind::Flat => 0.0,
                    _ => self.pose.pitch_deg,
                },
                ..self.pose
            }),
            scene: self.scene,
            depths: &self.depths,
            plan: self.plan(),
            violations: self.uncovered(),
            scale: self.rig.scale,
            titles: self
                .covered()
                .map(|(title, _, covered)| TitleFacts {
                    name: title.name().to_owned(),
                    distance: title.distance_m,
                    heading_deg: title.heading_deg,
                    pitch_deg: title.pitch_deg,
                    covered,
                })
                .collect(),
        })
    }

    fn name(&self, object: u32) -> String {
        (self.scene.objects().get(object as usize)).map_or_else(String::new, |o| o.name.clone())
    }

    /// The planes that are allowed.
    fn planes_told(&self, plan: Option<&FlatPlan>) -> PlanesInfo {
        match plan {
            Some(plan) => {
                let [nearest, zero, far] = plan.planes();
                PlanesInfo {
                    nearest,
                    zero: Some(zero),
                    farthest: far.is_finite().then_some(far),
                }
            }
            None => PlanesInfo {
                nearest: comfortable(self.rig.separation()),
                zero: self.rig.converge(),
                farthest: None,
            },
        }
    }

    fn offenders_told(&self, plan: Option<&FlatPlan>) -> Vec<OffenderInfo> {
        let flat = plan.is_some();
        (self.offenders().into_iter())
            .map(|o| OffenderInfo {
                object: self.name(o.object),
                beyond: match o.beyond {
                    Beyond::Near => BeyondInfo::Near,
                    Beyond::Front => BeyondInfo::Front,
                    Beyond::Back => BeyondInfo::Back,
                },
                distance_m: o.distance,
                degrees: (!flat).then_some(o.amount),
                px: flat.then_some(o.amount),
                share: o.share,
                heading_deg: o.heading_deg,
                pitch_deg: o.pitch_deg,
                place: plan.and_then(|plan| self.in_frame(plan, o.heading_deg, o.pitch_deg)),
            })
            .collect()
    }

    fn violations_told(&self, violations: Vec<Violation>) -> Vec<ViolationInfo> {
        (violations.into_iter())
            .map(|v| ViolationInfo {
                object: self.name(v.object),
                edge: if v.left { "left" } else { "right" }.into(),
                distance_m: v.distance,
                px: v.parallax,
            })
            .collect()
    }

    /// What is told of one frame of many.
    pub fn told_of_frame(&self, (frame, time_s): (u64, f64)) -> DepthFrame {
        let plan = self.plan();
        let very_nearest = self.depths.sights.first();
        let farthest = self.depths.farthest(ASIDE);
        DepthFrame {
            frame: frame as u32,
            time_s,
            separation_m: self.rig.separation(),
            convergence_m: self.rig.converge(),
            nearest_m: self.depths.nearest(ASIDE),
            very_nearest_m: very_nearest.map(|s| s.distance),
            nearest: very_nearest.map(|s| self.name(s.object)),
            farthest_m: farthest.is_finite().then_some(farthest),
            planes_m: self.planes_told(plan.as_ref()),
            offenders: self.offenders_told(plan.as_ref()),
            violations: self.violations_told(self.uncovered()),
        }
    }

    /// Everything that is told.
    pub fn told(&self) -> DepthInfo {
        let depths = &self.depths;
        let separation = self.rig.separation();
        let plan = self.plan();
        let finite = |z: f64| z.is_finite().then_some(z);
        let very_nearest = depths.sights.first().map(|s| s.distance);
        let farthest = depths.farthest(ASIDE);
        let limit = comfortable(separation);
        let allowed = self.planes_told(plan.as_ref()).nearest;
        // Up to the nearest that is seen or allowed, with some air.
        let near = very_nearest.unwrap_or(limit).min(allowed).max(1e-3);
        let chart_end = 1.15 / near;
        let flat = plan.is_some();
        let (violations, window) = self.window();
        DepthInfo {
            nearest_m: depths.nearest(ASIDE),
            farthest_m: finite(farthest),
            very_nearest_m: very_nearest,
            open: depths.open,
            separation_m: separation,
            viewer: scale::viewer(separation),
            convergence_m: self.rig.converge(),
            chart_end,
            chart: depths.histogram(chart_end, STEPS),
            nearest_degrees: (self.rig.kind == RigKind::Panoramic)
                .then(|| very_nearest.map(|z| self.panoramic().angle_at(z).to_degrees()))
                .flatten(),
            parallax_px: plan.as_ref().map(|plan| ParallaxInfo {
                near: depths.nearest(ASIDE).map(|z| plan.parallax(z)),
                far: plan.parallax(farthest),
                infinity: plan.parallax(f64::INFINITY),
            }),
            budget_px: plan.as_ref().map(|plan| BudgetInfo {
                front: plan.budget.front,
                back: plan.budget.back,
                whole: self.rig.flat.budget.whole_px(),
            }),
            planes_m: self.planes_told(plan.as_ref()),
            lines: self.frame_lines(),
            offenders: self.offenders_told(plan.as_ref()),
            violations: self.violations_told(violations),
            window,
            fit: (plan.as_ref())
                .and_then(|plan| plan.fit(depths, ASIDE))
                .map(|(separation_m, convergence_m)| FitInfo {
                    separation_m,
                    convergence_m,
                }),
            planes_fit: None,
            picked: None,
            screen: plan
                .as_ref()
                .and_then(|plan| self.on_screen(plan, farthest)),
            vertical_px: plan.as_ref().map_or(0.0, |plan| {
                (plan.pair).vertical_parallax(plan.frame, plan.width / plan.frame.ratio)
            }),
            recording: (plan.as_ref())
                .filter(|_| self.rig.flat.method == RigMethod::Parallel)
                .map(|plan| {
                    let r = (plan.pair).recording(plan.frame, self.rig.flat.budget.final_width);
                    RecordingInfo {
                        width: r.width,
                        hfov_deg: r.hfov.to_degrees(),
                        crop: r.crop,
                    }
                }),
            focal_mm: flat.then(|| self.rig.frame().focal_length(self.rig.flat.sensor_mm)),
            hfov_of_focal_deg: None,
            titles: self
                .covered()
                .enumerate()
                .map(|(i, (title, stand, covered))| TitleInfo {
                    missing: self.missing.get(i).copied().unwrap_or(false),
                    px: plan.as_ref().map(|p| p.parallax(title.distance_m)),
                    degrees: (self.rig.kind == RigKind::Panoramic)
                        .then(|| self.panoramic().angle_at(title.distance_m).to_degrees()),
                    place: (plan.as_ref()).zip(stand).and_then(|(plan, stand)| {
                        let place = self.camera(plan).locate(stand.middle)?;
                        Some([place.u, place.v])
                    }),
                    covers: covered.map(|c| CoveredInfo {
                        object: self.name(c.object),
                        distance_m: c.distance,
                        nearer_m: title.distance_m * c.nearer,
                        share: c.share,
                    }),
                })
                .collect(),
        }
    }

    /// The camera between both eyes of a flat pair.
    pub(super) fn camera(&self, plan: &FlatPlan) -> MonoEye<Perspective> {
        let frame = Perspective::from_fov(plan.frame.hfov, plan.frame.vfov());
        MonoEye::new(self.pose.position.into(), orientation(&self.pose), frame)
    }

    /// Where a direction is in the frame, 0 to 1 to the right and down.
    fn in_frame(&self, plan: &FlatPlan, heading_deg: f64, pitch_deg: f64) -> Option<[f64; 2]> {
        let towards = dome_optics::direction::direction(heading_deg, pitch_deg);
        let camera = self.camera(plan);
        let place = camera.locate(camera.position() + towards)?;
        Some([place.u, place.v])
    }

    /// How much nearer than is comfortable things are in every direction of the unrolled picture: 0 where they are not, 255 at
    /// half the distance and nearer; row by row.
    pub fn strain(&self, size: PanoramaSize) -> Vec<u8> {
        let pair = self.panoramic();
        let eye = DVec3::from(self.pose.position);
        let mono = MonoEye::new(eye, orientation(&self.pose), Equirect);
        let (width, height) = (size.width(), size.height());
        (0..width * height)
            .into_par_iter()
            .map(|i| {
                let point = PicturePoint::pixel_centre(i % width, i / width, width, height);
                let lat = (0.5 - point.v) * PI;
                let limit = comfortable(pair.separation) * pair.openness(lat);
                let seen = mono
                    .ray(point)
                    .and_then(|ray| sight::look(self.scene, eye, ray.direction));
                let near = seen.map_or(0.0, |s| 2.0 * (1.0 - s.distance / limit.max(1e-9)));
                (near.clamp(0.0, 1.0) * 255.0) as u8
            })
            .collect()
    }

    /// What lies at a place of the picture (0 to 1 to the right and down).
    pub fn pick(&self, [u, v]: [f64; 2]) -> Option<PickedDepth> {
        let eye = DVec3::from(self.pose.position);
        let turned = orientation(&self.pose);
        let point = PicturePoint { u, v };
        let plan = self.plan();
        let ray = match &plan {
            Some(plan) => self.camera(plan).ray(point)?,
            None => MonoEye::new(eye, turned, Equirect).ray(point)?,
        };
        let seen = sight::look(self.scene, eye, ray.direction)?;
        let distance_m = match &plan {
            Some(_) => seen.distance * ray.direction.dot(-turned.matrix().z_axis),
            None => seen.distance,
        };
        Some(PickedDepth {
            object: (self.scene.objects().get(seen.object as usize))
                .map_or_else(String::new, |o| o.name.clone()),
            distance_m,
            px: plan.as_ref().map(|p| p.parallax(distance_m)),
            degrees: (self.rig.kind == RigKind::Panoramic)
                .then(|| self.panoramic().angle_at(distance_m).to_degrees()),
            roundness: plan.as_ref().and_then(|plan| {
                let screen = plan.screen?;
                let seen = Seen {
                    screen: screen.width,
                    distance: screen.distance,
                    eyes: ADULT_EYES,
                    width: plan.width,
                };
                let (b, c) = (plan.pair.separation, plan.pair.converge);
                Some(roundness_at(distance_m, plan.k(), b, c, seen))
            }),
        })
    }

    /// The field of view of a focal length, millimetres, by the rig's sensor; degrees.
    pub fn hfov_of_focal(&self, focal_mm: f64) -> f64 {
        let flat = &self.rig.flat;
        (Frame::of_lens(focal_mm, flat.sensor_mm, flat.ratio).hfov).to_degrees()
    }

    /// The pair that just fills the budget from one distance to another, metres.
    pub fn fitted(&self, [near, far]: [f64; 2]) -> Option<FitInfo> {
        let plan = self.plan()?;
        let (separation_m, convergence_m) = plan.budget.fit(plan.k(), near, far)?;
        Some(FitInfo {
            separation_m,
            convergence_m,
        })
    }

    fn on_screen(&self, plan: &FlatPlan, farthest: f64) -> Option<OnScreenInfo> {
        let screen = plan.screen?;
        let share = plan.parallax(farthest) / plan.width;
        let (adults, children) = plan.divergence_deg(farthest)?;
        let whole = self.rig.flat.budget.whole_px() / plan.width;
        Some(OnScreenInfo {
            budget_minutes: screen.minutes(whole),
            far_minutes: screen.minutes(share.abs()) * share.signum(),
            behind_mm: screen.metres(share) * 1000.0,
            adults_diverge_deg: adults,
            children_diverge_deg: children,
            roundness: roundness(
                plan.pair.separation,
                plan.pair.converge,
                ADULT_EYES,
                screen.distance,
            ),
        })
    }
}
