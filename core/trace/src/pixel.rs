//! One pixel: its samples, what they add up to, and how far they can be trusted.

use crate::accel::TraceRay;
use crate::integrator::Tracer;
use crate::passes::{NO_DEPTH, NO_NOISE, Pass, PassSet, mask_colour};
use crate::path::{FirstSight, PathLight};
use crate::sampler::{SETS, Sampler};
use crate::sketch::Sight;
use crate::surface::Frame;
use dome_imaging::layers::DARKEST;
use dome_imaging::transfer::{luminance, srgb_from_linear};
use dome_optics::{Eye, PicturePoint, Ray};
use glam::Vec3;
use std::ops::Range;

/// Everything a pixel depends on, beside its own place.
pub(crate) struct Shooter<'a> {
    pub(crate) tracer: Tracer<'a>,
    pub(crate) eye: &'a dyn Eye,
    pub(crate) size: (u32, u32),
    pub(crate) seed: u32,
    /// Brightest light that one sample may add, by choice.
    pub(crate) clamp: Option<f32>,
    /// Radius of the ambient occlusion, metres, if it is wanted.
    pub(crate) occlusion: Option<f32>,
}

/// Sums over the samples of a pixel.
#[derive(Clone, Copy, Default)]
pub(crate) struct PixelSums {
    pub(crate) samples: u32,
    beauty: Vec3,
    emission: Vec3,
    diffuse: Vec3,
    direct: Vec3,
    normal: Vec3,
    albedo: Vec3,
    roughness: f32,
    alpha: f32,
    open: f32,
    /// Light of every second sample.
    even: Vec3,
    sets: [f32; SETS as usize],
}

/// Sets that decide when a pixel has had enough.
const DECIDING: u32 = SETS / 2;

impl Shooter<'_> {
    /// Adds samples of a pixel to its sums.
    pub(crate) fn shoot(&self, pixel: (u32, u32), samples: Range<u32>, sums: &mut PixelSums) {
        let centre = PicturePoint::pixel_centre(pixel.0, pixel.1, self.size.0, self.size.1);
        if self.eye.ray(centre).is_none() {
            sums.samples += samples.len() as u32;
            return; // outside the outline
        }
        let spread = self.spread(pixel);
        for index in samples {
            sums.samples += 1;
            let Some(mut light) = self.sample(pixel, centre, spread, index) else {
                continue;
            };
            // One broken sample must not blacken its pixel.
            if !light.beauty.is_finite() {
                light = PathLight {
                    first: light.first,
                    alpha: light.alpha,
                    ..PathLight::default()
                };
            }
            if let Some(limit) = self.clamp {
                let excess = light.beauty.max_element() / limit;
                if excess > 1.0 {
                    for part in [
                        &mut light.beauty,
                        &mut light.emission,
                        &mut light.diffuse,
                        &mut light.direct,
                    ] {
                        *part /= excess;
                    }
                }
            }
            sums.add(&light, index);
            if let Some(radius) = self.occlusion {
                let open = light.first.map_or(1.0, |first| {
                    // Numbers of its own: the pass must not change the picture.
                    let mut sampler = Sampler::new(pixel.0, pixel.1, index, !self.seed);
                    self.open(&first, radius, sampler.next_2d())
                });
                sums.open += open;
            }
        }
    }

    /// The light of one sample of a pixel.
    fn sample(
        &self,
        pixel: (u32, u32),
        centre: PicturePoint,
        spread: f32,
        index: u32,
    ) -> Option<PathLight> {
        let mut sampler = Sampler::new(pixel.0, pixel.1, index, self.seed);
        let (x, y) = sampler.next_2d();
        let point = PicturePoint::in_pixel(
            pixel.0,
            pixel.1,
            (f64::from(x), f64::from(y)),
            self.size.0,
            self.size.1,
        );
        let through = |point, lens: Option<(f32, f32)>| match lens {
            Some((a, b)) => self.eye.ray_through(point, (f64::from(a), f64::from(b))),
            None => self.eye.ray(point),
        };
        let lens = self.eye.has_lens().then(|| sampler.next_2d());
        // A pixel that the outline cuts is whole or not there, by its centre.
        let ray = through(point, lens).or_else(|| through(centre, lens))?;
        let light = self.tracer.radiance(trace_ray(&ray), spread, &mut sampler);
        Some(light)
    }

    /// The light of each sample of a pixel, one after the other.
    pub(crate) fn each(&self, pixel: (u32, u32), samples: Range<u32>, mut found: impl FnMut(Vec3)) {
        let centre = PicturePoint::pixel_centre(pixel.0, pixel.1, self.size.0, self.size.1);
        if self.eye.ray(centre).is_none() {
            return;
        }
        let spread = self.spread(pixel);
        for light in samples.filter_map(|index| self.sample(pixel, centre, spread, index)) {
            found(light.beauty);
        }
    }

    /// What the middle of a pixel sees, without its light; nothing outside the outline. Its ray grows wider by `spread`.
    pub(crate) fn sight(&self, pixel: (u32, u32), spread: f32) -> Sight {
        let centre = PicturePoint::pixel_centre(pixel.0, pixel.1, self.size.0, self.size.1);
        (self.eye.ray(centre)).map_or(Sight::NOTHING, |ray| {
            Sight::of(&self.tracer, trace_ray(&ray), spread)
        })
    }

    /// How much wider a pixel's ray grows, radians: half the smaller of the angles to the next pixels, for samples lie all over the
    /// pixel and blur it by as much again.
    pub(crate) fn spread(&self, (column, row): (u32, u32)) -> f32 {
        let (w, h) = self.size;
        let ray = |offset| {
            self.eye
                .ray(PicturePoint::in_pixel(column, row, offset, w, h))
        };
        let angle = |a: (f64, f64), b: (f64, f64)| {
            let (a, b) = (ray(a)?, ray(b)?);
            Some(a.direction.cross(b.direction).length().asin() as f32)
        };
        let across = angle((0.0, 0.5), (1.0, 0.5));
        let down = angle((0.5, 0.0), (0.5, 1.0));
        0.5 * match (across, down) {
            (Some(a), Some(b)) => a.min(b),
            // At an outline: nothing is known of what is beyond.
            _ => 0.0,
        }
    }

    fn open(&self, first: &FirstSight, radius: f32, place: (f32, f32)) -> f32 {
        let frame = Frame::new(first.normal);
        let direction = frame.world(crate::microfacet::cosine_hemisphere(place));
        let ray = first.place.ray(first.geometric, direction).until(radius);
        if direction.dot(first.geometric) <= 0.0 || self.tracer.scene.blocked(&ray) {
            0.0
        } else {
            1.0
        }
    }

    /// What the ray through the pixel's centre meets: distance and mask colour. Like normal and albedo they go
    /// through what is more clear than not: holes, veils and clear thin panes.
    fn centre(&self, pixel: (u32, u32)) -> (f32, [f32; 3]) {
        let point = PicturePoint::pixel_centre(pixel.0, pixel.1, self.size.0, self.size.1);
        let nothing = (NO_DEPTH, [0.0; 3]);
        let Some(ray) = self.eye.ray(point) else {
            return nothing;
        };
        let mut ray = trace_ray(&ray);
        let start = ray.origin;
        let scene = self.tracer.scene;
        for _ in 0..64 {
            let Some(hit) = scene.hit(&ray) else {
                return nothing;
            };
            let object = scene.object_of(hit.triangle);
            let surface = scene.surface(&hit, &ray, self.tracer.clay);
            let clear = surface.straight_through(ray.direction).max_element() > 0.5;
            if !clear && !self.tracer.light.is_unseen(object) {
                let colour = mask_colour(object).map(|c| f32::from(c) / 255.0);
                return (surface.place.position.distance(start), colour);
            }
            ray = surface.place.ray(-surface.geometric, ray.direction);
        }
        nothing
    }
}

fn trace_ray(ray: &Ray) -> TraceRay {
    TraceRay::new(ray.origin.as_vec3(), ray.direction.as_vec3())
}

impl PixelSums {
    fn add(&mut self, light: &PathLight, index: u32) {
        self.beauty += light.beauty;
        self.emission += light.emission;
        self.diffuse += light.diffuse;
        self.direct += light.direct;
        self.alpha += light.alpha;
        if let Some(first) = &light.first {
            self.normal += first.normal;
            self.albedo += first.albedo;
            self.roughness += first.roughness;
        }
        if index.is_multiple_of(2) {
            self.even += light.beauty;
        }
        self.sets[(index % SETS) as usize] += luminance(light.beauty.to_array());
    }

    /// The picture's value.
    pub(crate) fn beauty(&self) -> Vec3 {
        self.beauty / self.samples.max(1) as f32
    }

    /// The part of it that is not seen at its source.
    pub(crate) fn scattered(&self) -> Vec3 {
        (self.beauty - self.emission) / self.samples.max(1) as f32
    }

    /// Half the difference between the mean of every second sample and that of the others, made smaller where one of them has a
    /// sample more, so that its noise is the picture's for any number: a half of e samples less one of o has the variance
    /// s (1/e + 1/o), the picture s / (e + o). Their sets have nothing in common, and each half has as many that decide when to stop
    /// as others.
    fn halves(&self) -> Vec3 {
        let (even, odd) = (self.samples.div_ceil(2), self.samples / 2);
        if odd == 0 {
            return Vec3::ZERO;
        }
        let (even, odd) = (even as f32, odd as f32);
        let share = (even * odd).sqrt() / (even + odd);
        (self.even / even - (self.beauty - self.even) / odd) * share
    }

    /// Colour of what is seen first.
    pub(crate) fn albedo(&self) -> Vec3 {
        self.albedo / self.samples.max(1) as f32
    }

    /// Normal of what is seen first.
    pub(crate) fn normal(&self) -> Vec3 {
        self.normal.normalize_or_zero()
    }

    /// Noise in percent of the displayed value: the standard error of the value on the screen at
    /// exposure 0 with the sRGB curve, from how far the independent sets lie apart that had no say in
    /// when to stop. Nothing with fewer than two samples a set, which say nothing about their own noise.
    pub(crate) fn noise_percent(&self) -> Option<f32> {
        (self.samples >= 2 * SETS).then(|| self.noise_of(DECIDING..SETS))
    }

    /// The same from all sets, for looks that decide nothing about their own end.
    pub(crate) fn all_noise(&self) -> f32 {
        self.noise_of(0..SETS)
    }

    /// The same from the sets that decide when to stop.
    pub(crate) fn deciding_noise(&self) -> f32 {
        self.noise_of(0..DECIDING)
    }

    /// By the jackknife (Efron 1982, "The Jackknife, the Bootstrap and Other Resampling Plans"): how far the shown value moves when
    /// one set is left out. Sets differ by a sample where the number of samples is no multiple of theirs, so each counts by what it
    /// holds (Busing, Meijer and van der Leeden 1999, "Delete-m jackknife for unequal m"). The curve is asked at values that the
    /// picture nearly has, so a lucky path that the screen cuts off at white counts as what it does there; the picture is the mean of
    /// all sets, of which these are a part.
    fn noise_of(&self, sets: Range<u32>) -> f32 {
        let samples = self.samples as f32;
        let whole = self.sets.iter().sum::<f32>();
        let shown = |sum: f32, count: f32| srgb_from_linear((sum / count).clamp(0.0, 1.0));
        let value = shown(whole, samples.max(1.0));
        let (mut square, mut least, mut count) = (0.0f32, value, 0.0f32);
        for set in sets {
            let (held, left) = (self.in_set(set) as f32, samples - self.in_set(set) as f32);
            if held == 0.0 || left == 0.0 {
                continue;
            }
            let without = shown(whole - self.sets[set as usize], left);
            square += (without - value).powi(2) * (left / held);
            least = least.min(without);
            count += 1.0;
        }
        let error = (square / count.max(1.0)).sqrt();
        // Half way to what is there without its luckiest set: by the lucky one alone a pixel would look bright and therefore calm.
        error / ((least + value) / 2.0).max(DARKEST) * 100.0
    }

    /// How many of the samples belong to a set: they are dealt out in turn.
    fn in_set(&self, set: u32) -> u32 {
        self.samples / SETS + u32::from(set < self.samples % SETS)
    }

    /// The pixel's values in the layers of `passes`, one after the other into `put`.
    pub(crate) fn layers(
        &self,
        shooter: &Shooter,
        pixel: (u32, u32),
        passes: &PassSet,
        mut put: impl FnMut(usize, &[f32]),
    ) {
        let n = self.samples.max(1) as f32;
        let centre = (passes.has(Pass::Depth) || passes.has(Pass::ObjectMask))
            .then(|| shooter.centre(pixel));
        for (i, pass) in passes.iter().enumerate() {
            match pass {
                Pass::Alpha => put(i, &[self.alpha / n]),
                Pass::Depth => put(i, &[centre.map_or(NO_DEPTH, |c| c.0)]),
                Pass::ObjectMask => put(i, &centre.map_or([0.0; 3], |c| c.1)),
                Pass::Normal => put(i, &self.normal().to_array()),
                Pass::Albedo => put(i, &self.albedo().to_array()),
                Pass::Direct => put(i, &(self.direct / n).to_array()),
                Pass::Indirect => put(i, &((self.beauty - self.direct) / n).to_array()),
                Pass::Emission => put(i, &(self.emission / n).to_array()),
                Pass::Specular => {
                    let rest = self.beauty - self.emission - self.diffuse;
                    put(i, &(rest / n).to_array());
                }
                Pass::RawLight => {
                    let light = Vec3::select(
                        self.albedo.cmpgt(Vec3::splat(1e-6 * n)),
                        self.diffuse / self.albedo,
                        Vec3::ZERO,
                    );
                    put(i, &light.to_array());
                }
                Pass::AmbientOcclusion => put(i, &[self.open / n]),
                Pass::Roughness => put(i, &[self.roughness / n]),
                Pass::Noise => put(i, &[self.noise_percent().unwrap_or(NO_NOISE)]),
                Pass::Halves => put(i, &self.halves().to_array()),
                // Made where noise is taken out.
                Pass::TakenOut => put(i, &[0.0; 3]),
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn pixel(values: impl IntoIterator<Item = f32>) -> PixelSums {
        let mut sums = PixelSums::default();
        for (index, value) in (0..).zip(values) {
            let light = PathLight {
                beauty: Vec3::splat(value),
                ..PathLight::default()
            };
            sums.add(&light, index);
            sums.samples += 1;
        }
        sums
    }

    /// Samples that are all alike have no noise, however many there are; of too few nothing is told.
    #[test]
    fn even_light_has_no_noise_whatever_the_number_of_samples() {
        for count in 1..=200 {
            let sums = pixel((0..count).map(|_| 0.3));
            let told = sums.noise_percent();
            assert_eq!(told.is_some(), count >= 16, "{count}");
            assert!(told.unwrap_or_default() < 1e-3, "{count}: {told:?}");
            assert!(sums.deciding_noise() < 1e-3, "{count}");
            assert!(sums.halves().length() < 1e-6, "{count}");
        }
    }

    /// Against what statistics say: the standard error of a mean of n even numbers between 0.4 and 0.6 is 0.2 / sqrt(12 n), and what
    /// the halves differ by has as much.
    #[test]
    fn noise_of_any_number_of_samples_is_the_standard_error() {
        let mut state = 7u64;
        let mut draw = || {
            state = state
                .wrapping_mul(6364136223846793005)
                .wrapping_add(1442695040888963407);
            0.4 + 0.2 * (state >> 40) as f32 / (1u64 << 24) as f32
        };
        for count in [16u32, 17, 20, 23, 100] {
            let runs = 4000;
            let (mut told, mut decided, mut halves) = (0.0f64, 0.0f64, 0.0f64);
            for _ in 0..runs {
                let sums = pixel((0..count).map(|_| draw()));
                told += f64::from(sums.noise_percent().unwrap()).powi(2);
                decided += f64::from(sums.deciding_noise()).powi(2);
                halves += f64::from(sums.halves().x).powi(2);
            }
            let error = 0.2 / (12.0 * f64::from(count)).sqrt();
            // The curve of the screen at 0.5: 0.735357 (IEC 61966-2-1), its slope by a difference.
            let slope = f64::from(srgb_from_linear(0.501) - srgb_from_linear(0.499)) / 0.002;
            let wanted = error * slope / 0.735357 * 100.0;
            for (name, found) in [("told", told), ("deciding", decided)] {
                let found = (found / f64::from(runs)).sqrt();
                let off = found / wanted - 1.0;
                assert!(
                    off.abs() < 0.05,
                    "{count}, {name}: {found} and not {wanted} %"
                );
            }
            let found = (halves / f64::from(runs)).sqrt();
            assert!(
                (found / error - 1.0).abs() < 0.05,
                "{count}: {found} and not {error}"
            );
        }
    }
}
