//! Two eyes in one picture: packed strip by strip, cropped, and unpacked again.
//!
//! Squeezing is the mean of two neighbours in linear light, so that light is neither lost nor made.

use crate::layers::LayeredStrip;
use crate::strip::{CHANNELS, Strip};
use dome_optics::rig::{Arrangement, Packing, Side};

/// A plane's values and its number of channels.
type Plane = (Vec<f32>, usize);

/// Every plane of a strip, the beauty's first; with its first row, width and rows.
fn planes(strip: LayeredStrip) -> (Vec<Plane>, (u32, u32, u32)) {
    let (top, width, rows) = (strip.beauty.top, strip.beauty.width, strip.beauty.rows());
    let pixels = (width as usize * rows as usize).max(1);
    let mut planes = vec![(strip.beauty.samples, CHANNELS)];
    planes.extend(strip.layers.into_iter().map(|l| {
        let channels = l.len() / pixels;
        (l, channels)
    }));
    (planes, (top, width, rows))
}

fn strip_of(planes: Vec<Vec<f32>>, top: u32, width: u32) -> LayeredStrip {
    let mut planes = planes.into_iter();
    let samples = planes.next().unwrap_or_default();
    LayeredStrip {
        layers: planes.collect(),
        ..LayeredStrip::from(Strip {
            top,
            width,
            samples,
        })
    }
}

impl LayeredStrip {
    /// Only the columns from `left`, `width` of them; what the picture has.
    pub fn columns(self, left: u32, width: u32) -> Self {
        let (planes, (top, all, _)) = planes(self);
        let left = left.min(all);
        let width = width.min(all - left);
        let cut = planes
            .into_iter()
            .map(|(values, n)| {
                let line = (all as usize * n).max(1);
                (values.chunks(line))
                    .flat_map(|row| row[left as usize * n..][..width as usize * n].to_vec())
                    .collect()
            })
            .collect();
        strip_of(cut, top, width)
    }

    /// The same rows further down or up.
    pub fn at(mut self, top: u32) -> Self {
        self.beauty.top = top;
        self
    }
}

/// A strip with the edge of its eye's frame masked: `top` pixels at the top of a picture of `height` rows and `bottom` at its
/// bottom, in between by a straight line; the left eye's left edge, the right eye's right one. A pixel that the line cuts is
/// as dark as it is covered.
pub fn windowed(
    mut strip: LayeredStrip,
    height: u32,
    side: Side,
    [top, bottom]: [f64; 2],
) -> LayeredStrip {
    let width = strip.beauty.width as usize;
    let first = strip.beauty.top;
    let lines = strip.beauty.samples.chunks_mut((width * CHANNELS).max(1));
    for (row, line) in (first..).zip(lines) {
        let share = (f64::from(row) + 0.5) / f64::from(height.max(1));
        let edge = top + (bottom - top) * share;
        for i in 0..width.min(edge.ceil().max(0.0) as usize) {
            let left = (1.0 - (edge - i as f64)).clamp(0.0, 1.0) as f32;
            let column = match side {
                Side::Left => i,
                Side::Right => width - 1 - i,
            };
            line[column * CHANNELS..][..CHANNELS]
                .iter_mut()
                .for_each(|v| *v *= left);
        }
    }
    strip
}

/// Two strips of the same rows, one beside the other.
fn beside(a: LayeredStrip, b: LayeredStrip) -> LayeredStrip {
    let (a, (top, width, _)) = planes(a);
    let (b, (_, other, _)) = planes(b);
    let joined = a
        .into_iter()
        .zip(b)
        .map(|((a, n), (b, _))| {
            let (first, second) = ((width as usize * n).max(1), (other as usize * n).max(1));
            a.chunks(first)
                .zip(b.chunks(second))
                .flat_map(|(a, b)| a.iter().chain(b).copied())
                .collect()
        })
        .collect();
    strip_of(joined, top, width + other)
}

/// Half as wide: the mean of two columns.
fn narrowed(strip: LayeredStrip) -> LayeredStrip {
    let (planes, (top, width, _)) = planes(strip);
    let half = planes
        .into_iter()
        .map(|(values, n)| {
            (values.chunks_exact(2 * n.max(1)))
                .flat_map(|two| (0..n).map(move |c| (two[c] + two[n + c]) / 2.0))
                .collect()
        })
        .collect();
    strip_of(half, top, width / 2)
}

/// Half as high: the mean of two rows. The strip begins at an even row and has an even number of them.
fn lowered(strip: LayeredStrip) -> LayeredStrip {
    let (planes, (top, width, _)) = planes(strip);
    let half = planes
        .into_iter()
        .map(|(values, n)| {
            let line = (width as usize * n).max(1);
            (values.chunks_exact(2 * line))
                .flat_map(|two| (0..line).map(move |i| (two[i] + two[line + i]) / 2.0))
                .collect()
        })
        .collect();
    strip_of(half, top / 2, width)
}

/// A picture's rows from the top.
pub type Strips<'a, E> = Box<dyn Iterator<Item = Result<LayeredStrip, E>> + 'a>;

/// The strips of a packed picture from those of its eyes, in the order in which they lie ([`Packing::sides`]). Both eyes are
/// `height` rows high, cut in strips at the same rows, for squeezing at even ones. Mono and two files give the first alone.
pub fn packed<'a, E: 'a>(
    packing: Packing,
    height: u32,
    first: Strips<'a, E>,
    second: Strips<'a, E>,
) -> Strips<'a, E> {
    match (packing.arrangement, packing.squeezed) {
        (Arrangement::Mono | Arrangement::TwoFiles, _) => first,
        (Arrangement::SideBySide, squeezed) => {
            let one = move |s: LayeredStrip| if squeezed { narrowed(s) } else { s };
            Box::new(
                first
                    .zip(second)
                    .map(move |(a, b)| Ok(beside(one(a?), one(b?)))),
            )
        }
        (Arrangement::TopBottom, false) => Box::new(first.chain(second.map(move |s| {
            let s = s?;
            let top = s.beauty.top + height;
            Ok(s.at(top))
        }))),
        (Arrangement::TopBottom, true) => {
            Box::new(first.map(|s| s.map(lowered)).chain(second.map(move |s| {
                let s = lowered(s?);
                let top = s.beauty.top + height / 2;
                Ok(s.at(top))
            })))
        }
    }
}
