//! `owl-dome check`.

use super::number;
use super::render::options::{self, RenderOptions};
use crate::folder::DataFolder;
use crate::model::places::Pose;
use crate::model::settings::SceneSettings;
use crate::work::App;
use crate::work::depth::Deep;
use crate::work::estimate::working_bytes;
use crate::work::preflight::{Place, limits, of_project, travel};
use clap::Args;
use dome_optics::{Orientation, PictureSize, Shape};
use dome_rules::preflight::{Facts, Level, OrderFacts, PackingFacts, Purpose, StandFacts, check};
use dome_trace::stand::{clearance, starts};
use dome_trace::{Illumination, Quality};
use glam::DVec3;
use serde::Serialize;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

#[derive(Args)]
pub(super) struct CheckArgs {
    /// The scene: .glb, .gltf, .obj or .zip
    #[arg(required_unless_present = "project", conflicts_with_all = ["project", "data"])]
    scene: Option<PathBuf>,
    /// The data folder that holds the project
    #[arg(long, value_name = "DIR", requires = "project")]
    data: Option<PathBuf>,
    /// A project by its name or number: all its viewpoints and waiting orders are checked
    #[arg(long, value_name = "NAME")]
    project: Option<String>,
    /// The picture that would be written
    #[arg(short, long, value_name = "OUT")]
    output: Option<PathBuf>,
    /// What the picture is for: look, headset, dome or light
    #[arg(long = "for", value_name = "USE", default_value = "look", value_parser = purpose)]
    purpose: Purpose,
    /// Distance between the eyes, millimetres
    #[arg(long, value_name = "MM", default_value = "63", value_parser = number)]
    eye_separation: f64,
    /// Free space wanted beside the viewer, metres
    #[arg(long, value_name = "METRES", default_value = "0.4", value_parser = number)]
    beside: f64,
    /// Findings as JSON: a list of rule, level, what, where and remedy
    #[arg(long)]
    json: bool,
    #[command(flatten)]
    options: RenderOptions,
}

fn purpose(text: &str) -> Result<Purpose, String> {
    let all = Purpose::ALL;
    all.into_iter().find(|p| p.name() == text).ok_or_else(|| {
        let names: Vec<&str> = all.iter().map(|p| p.name()).collect();
        format!("\"{text}\" is none of {}", names.join(", "))
    })
}

/// A finding as it is told, its parts in this order.
#[derive(Serialize)]
struct Told {
    rule: String,
    level: Level,
    what: String,
    #[serde(rename = "where")]
    place: String,
    remedy: String,
}

/// Status of a check that found something that stops.
const STOPPED: u8 = 3;

pub(super) fn run(args: &CheckArgs) -> Result<ExitCode, Box<dyn std::error::Error>> {
    let found: Vec<Told> = match (&args.scene, &args.project) {
        (Some(scene), _) => of_scene(args, scene)?,
        (None, Some(name)) => of_data(args.data.as_deref().unwrap_or(Path::new("data")), name)?,
        (None, None) => return Err("Name a scene, or a project with --project.".into()),
    };
    if args.json {
        println!("{}", serde_json::to_string_pretty(&found)?);
    } else if found.is_empty() {
        println!("Nothing was found that would spoil the result.");
    } else {
        for f in &found {
            let level = match f.level {
                Level::Note => "note",
                Level::Warn => "warn",
                Level::Stop => "stop",
            };
            println!(
                "{level}  {}: {}\n      {} [{}]",
                f.place, f.what, f.remedy, f.rule
            );
        }
    }
    let stops = found.iter().any(|f| f.level == Level::Stop);
    Ok(if stops {
        ExitCode::from(STOPPED)
    } else {
        ExitCode::SUCCESS
    })
}

/// The findings of a project in a data folder.
fn of_data(data: &Path, name: &str) -> Result<Vec<Told>, Box<dyn std::error::Error>> {
    let app = App::look(DataFolder::look(data)?)?;
    let cards = app.store.project_cards()?;
    let project = cards
        .iter()
        .find(|c| c.name == name)
        .or_else(|| cards.iter().find(|c| c.id.to_string() == name));
    let Some(project) = project else {
        let names: Vec<String> = cards.iter().map(|c| format!("\"{}\"", c.name)).collect();
        return Err(format!(
            "{} has no project \"{name}\"; it has {}.",
            data.display(),
            if names.is_empty() {
                "none".into()
            } else {
                names.join(", ")
            }
        )
        .into());
    };
    Ok(of_project(&app, project.id)?
        .into_iter()
        .map(|f| Told {
            rule: f.rule,
            level: f.level,
            what: f.what,
            place: f.place,
            remedy: f.remedy,
        })
        .collect())
}

/// The findings of a scene file rendered with some options.
fn of_scene(args: &CheckArgs, path: &Path) -> Result<Vec<Told>, Box<dyn std::error::Error>> {
    let options = &args.options;
    let imported = dome_trace::load(path, &options.import())?;
    let start = imported.report.light;
    let (scene, document) = (imported.scene, imported.document);
    let (surroundings, picture) = options::surroundings(options, start.sky_cd_m2, &scene)?;
    let scale = options.light_scale(&start);
    let (lights, tables) = options::lights(options, &scene)?;
    let light = Illumination::measured(
        &scene,
        &surroundings,
        picture.as_ref(),
        (&lights, &tables),
        scale,
    );
    let mut settings = SceneSettings {
        surroundings,
        unit: options.unit,
        up: options.up,
        time_s: options.time,
        ..SceneSettings::default()
    };
    settings.stand.beside_m = args.beside;
    settings.stand.eye_separation_mm = args.eye_separation;
    let at = options.eye(&document, &scene);
    let shown = at + document.offset();
    let pose = Pose {
        position: at.to_array(),
        heading_deg: options.heading,
        pitch_deg: options.pitch,
        roll_deg: options.roll,
    };
    let found = clearance::scan(&scene, at, &limits(&settings));
    let starts = starts::suggest(&scene);
    let place = Place {
        name: format!(
            "Eye at {:.2}, {:.2}, {:.2} m",
            shown.x + 0.0,
            shown.y,
            shown.z + 0.0
        ),
        pose,
        scene: &scene,
        settings: &settings,
        starts: &starts,
    };
    // A camera of the scene at this very place goes where it goes.
    let rides = scene
        .movers()
        .iter()
        .find(|m| m.camera && DVec3::from(m.now).distance(at) < 0.01);
    let (low, high) = scene.bounds();
    let pair = &options.pair;
    let mut rig = pair.kept();
    if let Shape::Perspective { hfov_deg, .. } = options.shape()? {
        rig.flat.hfov_deg = hfov_deg;
    }
    let deep = pair
        .stereo
        .is_some()
        .then(|| Deep::look(&scene, &pose, &rig));
    let shape = options.shape()?;
    let sides = options.pair.of_an_eye(shape, options.width, options.height);
    // Where only the ratio is wrong, the rest is looked at with the width alone.
    let size = options.size(shape).ok().or_else(|| {
        let (width, _) = (options.pair).of_an_eye(shape, options.width, None).ok()?;
        PictureSize::new(shape, width, None).ok()
    });
    let facts = Facts {
        pair: deep.as_ref().and_then(|d| d.facts(&place.name)),
        packing: pair.packing.zip(size).map(|(packing, size)| PackingFacts {
            name: "The picture".into(),
            packing,
            eye: (size.width(), size.height()),
            wrong: sides.as_ref().err().map(ToString::to_string),
            turn: f64::from(size.width()) / size.shape.sphere_width(size.width()).max(1.0),
        }),
        extent: Some(f64::from((high - low).max_element())),
        eye_separation: Some(args.eye_separation / 1000.0),
        stand: Some(StandFacts {
            orientation: Orientation {
                heading_deg: options.heading,
                pitch_deg: options.pitch,
                roll_deg: options.roll,
            },
            stereo: options.pair.stereo.is_some(),
            travel_deg: rides.and_then(|m| travel(m, options.time)),
            ..place.whole(&found, &light)
        }),
        order: Some(order(args)?),
    };
    Ok(check(&facts)
        .into_iter()
        .map(|f| Told {
            rule: f.rule.into(),
            level: f.level,
            what: f.what,
            place: f.place,
            remedy: f.remedy,
        })
        .collect())
}

fn order(args: &CheckArgs) -> Result<OrderFacts, Box<dyn std::error::Error>> {
    let options = &args.options;
    let shape = options.shape()?;
    let size = options.size(shape).ok();
    let (samples, noise) = match options.quality() {
        Quality::Noise { percent, most } => (most, Some(f64::from(percent))),
        Quality::Samples(n) => (n, None),
    };
    let output = args.output.as_deref();
    let folder = match output.and_then(Path::parent) {
        Some(p) if !p.as_os_str().is_empty() => p,
        _ => Path::new("."),
    };
    Ok(OrderFacts {
        name: output.map_or_else(|| "The picture".into(), |o| o.display().to_string()),
        shape,
        // Of a packed file the width is both eyes'; what counts is one.
        width: size.map(|s| s.width()).or(options.width),
        // Of a packed file the rule of its packing asks.
        height: options.height.filter(|_| options.pair.packing.is_none()),
        purpose: args.purpose,
        samples,
        noise_percent: noise,
        denoise: options.denoise,
        draft: false,
        separation: None,
        double: None,
        clay: options.clay,
        clash: output
            .filter(|o| o.exists())
            .map(|o| format!("{}, which is there already", o.display())),
        need_bytes: size.map_or(0, |s| working_bytes(&s, &options.passes, options.denoise)),
        free_bytes: rustix::fs::statvfs(folder)
            .ok()
            .map(|s| s.f_bavail.saturating_mul(s.f_frsize)),
    })
}
