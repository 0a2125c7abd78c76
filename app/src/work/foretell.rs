//! How long an order will take, told before it is given: by a short look at a small picture of the same view in the same light, which
//! tells how long a sample takes and how noisy it is all over the sphere. One look serves all widths and qualities.

use super::eyes::{self, Eyes};
use super::ordering::Asked;
use super::recipe::{Recipe, picture_size};
use super::told::TimeTold;
use super::{App, Result, WorkError};
use crate::model::orders::OrderSpec;
use dome_trace::{Control, Learned, Quality, Render, Survey};
use std::sync::{Arc, Mutex, PoisonError};

/// Width of the small picture, pixels, at most; and how much narrower it may be for its shape to have that width.
const WIDTH: u32 = 512;
const STEPS: u32 = 64;
/// Quality of the small picture: as orders begin with.
const QUALITY: Quality = Quality::Noise {
    percent: 4.0,
    most: 2048,
};
/// Paths of the look at its light.
const PATHS: u64 = 1 << 16;
/// How much noisier a picture may be rendered that is denoised: by experience, 5.2 under the observatory's dome.
const DENOISED: f32 = 4.5;
/// Looks that are remembered.
const KEPT: usize = 32;

/// What is looked at, as text, and what was found.
type Looks = Vec<(String, Arc<Survey>)>;

/// Looks at small pictures, the latest last. One is made at a time.
#[derive(Default)]
pub struct Foretold(Mutex<Looks>);

/// How long what is asked will take on this machine, alone.
pub fn time(app: &App, project: i64, asked: &Asked) -> Result<TimeTold> {
    let spec = &asked.spec;
    let mut small = OrderSpec {
        samples: 0,
        noise_percent: None,
        denoise: false,
        passes: Vec::new(),
        frames: None,
        out: None,
        ..spec.clone()
    };
    let size = (WIDTH - STEPS..=WIDTH.min(spec.width).max(WIDTH - STEPS))
        .rev()
        .find_map(|width| picture_size(Some(&spec.shape), width).ok());
    let size = size.ok_or_else(|| {
        WorkError::Request(format!("How long {} takes cannot be told.", spec.shape))
    })?;
    small.width = size.width();
    small.height = size.height();
    let recipe = Recipe {
        quality: QUALITY,
        ..Recipe::of_order(&small)?
    };
    let survey = survey(app, project, &small, &recipe)?;
    let full = Recipe::of_order(spec)?;
    let quality = match full.quality {
        Quality::Noise { percent, most } if full.denoise => Quality::Noise {
            percent: percent * DENOISED,
            most,
        },
        other => other,
    };
    let eyes = full.sides().len() as f64;
    let frames = asked.frames.as_ref().map_or(1, |f| f.count.max(1));
    let pixels = f64::from(full.size.width()) * f64::from(full.size.height());
    let (samples, seconds) = survey.foretell(quality);
    let threads = rayon::current_num_threads().max(1) as f64;
    Ok(TimeTold {
        seconds: seconds * pixels * eyes * f64::from(frames) / threads,
        samples,
    })
}

fn survey(app: &App, project: i64, small: &OrderSpec, recipe: &Recipe) -> Result<Arc<Survey>> {
    let settings = &small.settings;
    let scene = app.scenes.get_as(app, project, settings)?;
    let light = (app.scenes).light(app, project, settings, small.draft, recipe.white_cd_m2)?;
    let sky = app.scenes.sky_picture(app, project, settings)?;
    let key = recipe.describe(&scene, sky).fingerprint().to_string();
    // Whoever asks meanwhile waits: two looks at once would only be slower.
    let mut looks = app
        .foretold
        .0
        .lock()
        .unwrap_or_else(PoisonError::into_inner);
    if let Some(at) = looks.iter().position(|(known, _)| *known == key) {
        let known = looks.remove(at);
        let survey = Arc::clone(&known.1);
        looks.push(known);
        return Ok(survey);
    }
    let stopped = |_| WorkError::Conflict("The look was stopped; ask once more.".into());
    let control = Control::default();
    let both = eyes::of(recipe);
    let alone: Vec<Option<Learned>> = both.iter().map(|_| None).collect();
    let plain = Eyes::new(recipe, &scene, &light, &both, &alone);
    let render = plain.deciding();
    let learned = Learned::look_by(render, PATHS, &control).map_err(stopped)?;
    let learned = Some(learned).filter(Learned::pays);
    let render = Render {
        learned: learned.as_ref(),
        passes: render.passes.clone(),
        ..*render
    };
    let survey = Arc::new(Survey::look(&render, &control).map_err(stopped)?);
    looks.push((key, Arc::clone(&survey)));
    if looks.len() > KEPT {
        looks.remove(0);
    }
    Ok(survey)
}
