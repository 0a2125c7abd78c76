//! Rendering the rows of one eye or of two, for commands and server alike.

use super::recipe::Recipe;
use dome_imaging::LayeredStrip;
use dome_optics::Eye;
use dome_optics::rig::{Rig, Side};
use dome_trace::{
    Control, Forecast, Illumination, Learned, Quality, Render, Scene, Stopped, Survey,
};

/// The eyes of a recipe, left first.
pub fn of(recipe: &Recipe) -> Vec<Box<dyn Eye>> {
    recipe.sides().iter().map(|s| recipe.eye(*s)).collect()
}

/// How many looks come before the render of a recipe: at the light, by each eye, and at the noise where one is asked for.
pub fn looks(recipe: &Recipe) -> u32 {
    let noise = matches!(recipe.quality, Quality::Noise { .. });
    recipe.sides().len() as u32 + u32::from(noise)
}

/// What a look at the light teaches each of a recipe's eyes, where that pays. The same for every part of a picture.
pub fn learn(
    recipe: &Recipe,
    scene: &Scene,
    light: &Illumination,
    eyes: &[Box<dyn Eye>],
    control: &Control,
) -> Result<Vec<Option<Learned>>, Stopped> {
    (recipe.sides().iter().zip(eyes))
        .map(|(side, eye)| {
            let render = recipe.render(scene, light, &**eye, *side);
            Learned::look(&render, recipe.denoise, control)
        })
        .collect()
}

/// The renders of a recipe's eyes, one for each.
pub struct Eyes<'a> {
    renders: Vec<Render<'a>>,
    /// The eye whose picture is that of one eye alone; it decides for itself how many samples it takes.
    alone: Option<Side>,
    /// What a look at the picture told, once there was one.
    survey: Option<Survey>,
}

impl<'a> Eyes<'a> {
    /// For a placed scene in some light; `eyes` are those of [`of`], `learned` what [`learn`] found.
    pub fn new(
        recipe: &Recipe,
        scene: &'a Scene,
        light: &'a Illumination,
        eyes: &'a [Box<dyn Eye>],
        learned: &'a [Option<Learned>],
    ) -> Self {
        let renders = (recipe.sides().iter().zip(eyes).zip(learned))
            .map(|((side, eye), learned)| Render {
                learned: learned.as_ref(),
                ..recipe.render(scene, light, &**eye, *side)
            })
            .collect();
        Self {
            renders,
            alone: recipe.rig.as_ref().and_then(Rig::alone),
            survey: None,
        }
    }

    /// One of the renders.
    pub fn first(&self) -> &Render<'a> {
        &self.renders[0]
    }

    /// How long all of them will take, strip by strip; if it is stopped meanwhile little is known.
    pub fn forecast(&self, places: &[(u32, u32)], control: &Control) -> Forecast {
        let width = self.first().size.width();
        let looked = match &self.survey {
            Some(survey) => Ok(Forecast::of(survey, width, places)),
            None => Survey::look_for_time(self.deciding(), control)
                .map(|survey| Forecast::of(&survey, width, places)),
        };
        looked
            .unwrap_or_else(|_| Forecast::even(width, places))
            .for_eyes(self.renders.len())
    }

    /// The noise at which blocks are to end so that the whole picture has the noise that its quality asks for; nothing if it asks for none.
    pub fn limit(&mut self, control: &Control) -> Result<Option<f32>, Stopped> {
        let Quality::Noise { percent, .. } = self.deciding().quality else {
            return Ok(None);
        };
        let survey = Survey::look(self.deciding(), control)?;
        let limit = survey.limit(percent);
        self.survey = Some(survey);
        Ok(limit)
    }

    /// Forgets a look at the picture that was for another noise.
    pub fn forget_survey(&mut self) {
        self.survey = None;
    }

    /// The render whose picture others are judged by: of a pair that of the eye that one alone would be.
    pub fn deciding(&self) -> &Render<'a> {
        match self.alone {
            Some(Side::Right) => self.renders.last().unwrap_or(&self.renders[0]),
            _ => &self.renders[0],
        }
    }

    /// Renders until blocks have this noise, percent.
    pub fn aim_at(&mut self, percent: f32) {
        self.survey = self.survey.take().map(|survey| survey.with_limit(percent));
        for render in &mut self.renders {
            if let Quality::Noise { most, .. } = render.quality {
                render.quality = Quality::Noise { percent, most };
            }
        }
    }

    /// The rows of each eye, left first. How many samples a block takes is decided for both together; where one eye's picture
    /// is that of one eye alone it decides, and the other takes at least as many.
    pub fn strips(
        &self,
        (top, rows): (u32, u32),
        control: &Control,
    ) -> Result<Vec<LayeredStrip>, Stopped> {
        match (&self.renders[..], self.alone) {
            ([one], _) => Ok(vec![one.strip(top, rows, control)?]),
            ([left, right], None) => {
                Ok(Render::pair_strips([left, right], top, rows, control)?.into())
            }
            (_, Some(alone)) => {
                let first = self.strip_of(alone, (top, rows), &[], control)?;
                let second = self.strip_of(alone.other(), (top, rows), &first.counts, control)?;
                Ok(match alone {
                    Side::Left => vec![first, second],
                    Side::Right => vec![second, first],
                })
            }
            _ => Err(Stopped),
        }
    }

    /// The rows of one eye only. Where the samples are decided together the other one is looked through as well, so that the
    /// picture is the same as in a pair.
    pub fn only(
        &self,
        side: Side,
        place: (u32, u32),
        control: &Control,
    ) -> Result<LayeredStrip, Stopped> {
        let by_itself = match self.first().quality {
            Quality::Samples(_) => true,
            Quality::Noise { .. } => self.alone == Some(side),
        };
        if by_itself {
            return self.strip_of(side, place, &[], control);
        }
        let mut strips = self.strips(place, control)?.into_iter();
        match side {
            Side::Left => strips.next(),
            Side::Right => strips.next_back(),
        }
        .ok_or(Stopped)
    }

    /// The rows of one eye, with at least so many samples for each block.
    pub fn strip_of(
        &self,
        side: Side,
        (top, rows): (u32, u32),
        least: &[u32],
        control: &Control,
    ) -> Result<LayeredStrip, Stopped> {
        let render = match side {
            Side::Left => self.renders.first(),
            Side::Right => self.renders.last(),
        };
        render
            .ok_or(Stopped)?
            .strip_at_least(top, rows, least, control)
    }
}
