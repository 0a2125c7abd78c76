//! `owl-dome depth`: what the Depth stage tells, for a scene file.

use super::Outcome;
use super::numbers;
use super::pair_options::{self, PairOptions};
use crate::model::places::Pose;
use crate::model::rigs::{BudgetRule, Rig, RigKind};
use crate::work::depth::Deep;
use clap::Args;
use dome_trace::{ImportOptions, Unit, Up, stand};
use glam::DVec3;
use std::path::PathBuf;

#[derive(Args)]
pub(super) struct DepthArgs {
    /// The scene: .glb, .gltf, .obj or .zip
    scene: PathBuf,
    /// Where the viewpoint is in the file's coordinates, metres with Y up; without it the middle of the scene
    #[arg(long, value_name = "X,Y,Z", value_parser = numbers::<3>, allow_hyphen_values = true)]
    at: Option<[f64; 3]>,
    /// Heading, degrees clockwise from -Z
    #[arg(long, value_name = "DEG", default_value = "0", value_parser = super::number, allow_hyphen_values = true)]
    heading: f64,
    /// Pitch of a flat pair's frame, degrees upwards
    #[arg(long, value_name = "DEG", default_value = "0", value_parser = super::number, allow_hyphen_values = true)]
    pitch: f64,
    /// Field of view of a flat pair, degrees
    #[arg(long, value_name = "DEG", default_value = "60", value_parser = super::number)]
    fov: f64,
    /// Width of a flat pair's final picture divided by its height
    #[arg(long, value_name = "RATIO", default_value = "1.7777777777777777", value_parser = super::number)]
    ratio: f64,
    /// Width of the final picture, pixels
    #[arg(long, value_name = "PX", default_value_t = 1920)]
    width: u32,
    #[command(flatten)]
    pair: PairOptions,
    /// The screen's width and the viewers' distance with their units, for example 2m,3m
    #[arg(long, value_name = "WIDTH,DISTANCE", value_parser = screen)]
    screen: Option<(f64, f64)>,
    /// How much parallax a shot may have: cautious, bold, screen, or pixels in FRONT,BACK
    #[arg(long, value_name = "RULE", default_value = "cautious", value_parser = budget)]
    budget: Budget,
    /// Percent of the budget that this shot uses
    #[arg(long, value_name = "PCT", default_value = "70", value_parser = super::number)]
    percent: f64,
    /// Take the separation and convergence that fit what is seen
    #[arg(long)]
    fit: bool,
    /// The unit that the scene was made in: m, cm, mm, in or ft
    #[arg(long, value_name = "UNIT", default_value = "m", value_parser = super::render::options::unit)]
    unit: Unit,
    /// The axis that points up in the file: y or z
    #[arg(long, value_name = "AXIS", value_parser = super::render::options::up)]
    up: Option<Up>,
    /// The moment of the scene's animation, seconds
    #[arg(long, value_name = "SECONDS", default_value = "0", value_parser = super::number, allow_hyphen_values = true)]
    time: f64,
    /// As JSON
    #[arg(long)]
    json: bool,
}

/// How much parallax is allowed.
#[derive(Clone, Copy, Debug)]
enum Budget {
    Rule(BudgetRule),
    Px([f64; 2]),
}

fn budget(text: &str) -> Result<Budget, String> {
    Ok(match text {
        "cautious" => Budget::Rule(BudgetRule::Cautious),
        "bold" => Budget::Rule(BudgetRule::Bold),
        "screen" => Budget::Rule(BudgetRule::Screen),
        other => {
            let px = numbers::<2>(other).map_err(|_| {
                format!("\"{other}\" is none of cautious, bold, screen and FRONT,BACK in pixels")
            })?;
            if px.iter().any(|v| *v <= 0.0) {
                return Err("pixels in front and behind must be above 0".into());
            }
            Budget::Px(px)
        }
    })
}

fn screen(text: &str) -> Result<(f64, f64), String> {
    let (width, distance) = text
        .split_once(',')
        .ok_or_else(|| format!("\"{text}\" is not WIDTH,DISTANCE, for example 2m,3m"))?;
    Ok((
        pair_options::length(width)?,
        pair_options::length(distance)?,
    ))
}

impl DepthArgs {
    fn rig(&self) -> Rig {
        let mut rig = self.pair.kept();
        let flat = &mut rig.flat;
        flat.hfov_deg = self.fov;
        flat.ratio = self.ratio;
        flat.pitch_deg = self.pitch;
        flat.budget.final_width = self.width;
        flat.budget.percent = self.percent;
        if let Some((width, distance)) = self.screen {
            flat.budget.screen_width_m = Some(width);
            flat.budget.screen_distance_m = Some(distance);
        }
        match self.budget {
            Budget::Rule(rule) => flat.budget.rule = rule,
            Budget::Px([front, back]) => {
                flat.budget.rule = BudgetRule::Own;
                flat.budget.own_px = front + back;
                flat.budget.percent = 100.0;
                flat.budget.front_percent = front / (front + back) * 100.0;
            }
        }
        rig
    }
}

pub(super) fn run(args: &DepthArgs) -> Outcome {
    let mut rig = args.rig();
    rig.check()?;
    if !(0.0..=86_400.0).contains(&args.time) {
        return Err("The time must lie between 0 and 86400 s; correct --time.".into());
    }
    let imported = dome_trace::load(
        &args.scene,
        &ImportOptions {
            unit: args.unit,
            up: args.up,
            time_s: args.time,
            ..ImportOptions::default()
        },
    )?;
    let scene = imported.scene;
    let at = args.at.map_or_else(
        || stand::middle(&scene),
        |at| DVec3::from(at) - imported.document.offset(),
    );
    let pose = Pose {
        position: at.to_array(),
        heading_deg: args.heading,
        ..Pose::default()
    };
    let mut told = Deep::look(&scene, &pose, &rig).told();
    if args.fit {
        let Some(fit) = &told.fit else {
            return Err(match rig.kind {
                RigKind::Flat => {
                    "Nothing is seen that a pair could be fitted to; turn it, or move it."
                }
                _ => "Only a flat pair is fitted to a screen; give --stereo flat.",
            }
            .into());
        };
        rig.separation_m = fit.separation_m;
        rig.flat.converge_m = fit.convergence_m;
        told = Deep::look(&scene, &pose, &rig).told();
    }
    if args.json {
        println!("{}", serde_json::to_string_pretty(&told)?);
        return Ok(());
    }
    let metres = |v: Option<f64>| v.map_or("infinitely far".into(), |v| format!("{v:.2} m"));
    println!(
        "Seen from {} to {} (half a percent left aside), {:.0} % open.",
        metres(told.nearest_m),
        metres(told.farthest_m),
        told.open * 100.0
    );
    println!(
        "Separation {:.1} mm: {}. Zero parallax {}.",
        told.separation_m * 1000.0,
        told.viewer,
        told.convergence_m
            .map_or("nowhere, the eyes look parallel".into(), |c| format!(
                "at {c:.2} m"
            ))
    );
    if let (Some(px), Some(budget)) = (&told.parallax_px, &told.budget_px) {
        println!(
            "Parallax of {} px: near {:.1} px, far {:.1} px, infinity {:.1} px; the shot may use {:.1} px in front and {:.1} px behind.",
            args.width,
            px.near.unwrap_or(0.0),
            px.far,
            px.infinity,
            budget.front,
            budget.back
        );
        println!(
            "Allowed from {:.2} m to {}.",
            told.planes_m.nearest,
            metres(told.planes_m.farthest)
        );
    }
    if let Some(degrees) = told.nearest_degrees {
        println!(
            "The nearest takes {degrees:.2} degrees between the eyes; comfortable is from {:.2} m on.",
            told.planes_m.nearest
        );
    }
    if let Some(fit) = told.fit.as_ref().filter(|_| !args.fit) {
        println!(
            "A separation of {:.1} mm with zero parallax at {:.2} m fills the budget (--fit takes it).",
            fit.separation_m * 1000.0,
            fit.convergence_m
        );
    }
    for o in &told.offenders {
        let amount = match (o.degrees, o.px) {
            (Some(d), _) => format!("{d:.2} degrees"),
            (_, Some(px)) => format!("{px:.1} px"),
            _ => String::new(),
        };
        println!(
            "Beyond: \"{}\" at {:.2} m, {amount}, {:.1} % of the picture, heading {:.0}, pitch {:.0}.",
            o.object,
            o.distance_m,
            o.share * 100.0,
            o.heading_deg,
            o.pitch_deg
        );
    }
    for v in &told.violations {
        println!(
            "Cut off: \"{}\" at {:.2} m by the {} edge, {:.1} px.",
            v.object, v.distance_m, v.edge, v.px
        );
    }
    Ok(())
}
