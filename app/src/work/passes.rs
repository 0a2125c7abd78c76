//! Passes of a finished master, made fit for the screen: distances as bands, normals as colour.

use super::package::file_name;
use super::preview::SCREEN_TONE;
use super::screen::DISPLAY_WIDTH;
use super::told::MaskEntry;
use super::{App, Result, WorkError};
use crate::folder::RenderFolder;
use crate::store::OrderRow;
use dome_files::atomic::Over;
use dome_files::exr_picture::{ExrStrips, value_at as value_in};
use dome_files::{join, jpeg};
use dome_imaging::Picture;
use dome_imaging::scale::Shrink;
use dome_trace::Pass;
use dome_trace::passes::{NO_DEPTH, NO_NOISE};
use std::path::PathBuf;

/// The order whose finished master has a pass.
fn order_with(app: &App, id: i64, pass: Pass) -> Result<OrderRow> {
    let row = app.store.order(id)?;
    if !row.files(&app.folder).master().exists() {
        return Err(WorkError::Conflict(format!(
            "Order {id} has no master yet; look at its passes when it is finished."
        )));
    }
    if !row.spec.passes.contains(&pass) {
        return Err(WorkError::Conflict(format!(
            "Order {id} was made without the pass {}; order it again with that pass.",
            pass.name()
        )));
    }
    Ok(row)
}

/// The channels of a pass; one with fewer than three repeats its last.
fn channels(pass: Pass) -> [String; 3] {
    let layer = pass.layer();
    std::array::from_fn(|i| layer.channel_name(i.min(layer.channels.len() - 1)))
}

fn strips(files: &RenderFolder, pass: Pass) -> Result<ExrStrips> {
    let names = channels(pass);
    Ok(ExrStrips::open_channels(
        &files.master(),
        names.each_ref().map(String::as_str),
    )?)
}

/// The picture of a pass for the screen, made when it is first asked for.
pub fn display(app: &App, id: i64, pass: Pass) -> Result<PathBuf> {
    let row = order_with(app, id, pass)?;
    let files = row.files(&app.folder);
    let path = files.pass_display(pass.name());
    if path.exists() {
        return Ok(path);
    }
    let (width, height) = (row.spec.width, row.spec.height);
    let across = width.min(DISPLAY_WIDTH);
    let down = u64::from(across) * u64::from(height) / u64::from(width.max(1));
    let shown = (across, (down as u32).max(1));
    let picture = if matches!(pass, Pass::Depth | Pass::ObjectMask) {
        // Means of distances or of mask colours would show what is not there.
        nearest(strips(&files, pass)?, (width, height), shown)?
    } else {
        let mut shrink = Shrink::new((width, height), shown);
        for strip in strips(&files, pass)? {
            shrink
                .add(&strip?)
                .map_err(|e| WorkError::Request(e.to_string()))?;
        }
        shrink.finish()
    };
    let rgb = on_screen(pass, &picture);
    let bytes = jpeg::encode_small(picture.width, picture.height, &rgb, 90)?;
    dome_files::atomic::write_bytes(&path, &bytes)?;
    Ok(path)
}

fn nearest(strips: ExrStrips, from: (u32, u32), to: (u32, u32)) -> Result<Picture> {
    let mut picture = Picture::black(to.0, to.1);
    let source = |i: u32, from: u32, to: u32| {
        (u64::from(2 * i + 1) * u64::from(from) / u64::from(2 * to)) as u32
    };
    let mut next = 0;
    for strip in strips {
        let strip = strip?;
        while next < to.1 && source(next, from.1, to.1) < strip.end() {
            let row = strip.row(source(next, from.1, to.1) - strip.top);
            let out = &mut picture.samples[(next * to.0) as usize * 3..][..to.0 as usize * 3];
            for (column, pixel) in out.chunks_exact_mut(3).enumerate() {
                let at = source(column as u32, from.0, to.0) as usize * 3;
                pixel.copy_from_slice(&row[at..at + 3]);
            }
            next += 1;
        }
    }
    Ok(picture)
}

/// Colours of the bands of distance, from near to far: warm to cool, told apart also by their lightness.
const BANDS: [[u8; 3]; 8] = [
    [122, 44, 30],
    [176, 96, 44],
    [212, 156, 84],
    [238, 214, 158],
    [196, 208, 190],
    [138, 170, 176],
    [86, 122, 148],
    [48, 72, 104],
];
/// Where the bands begin, metres; each is about twice as far as the one before.
pub const BAND_STARTS: [f32; 8] = [0.0, 0.5, 1.0, 2.0, 4.0, 8.0, 16.0, 32.0];

/// Values of a pass as 8-bit colours.
fn on_screen(pass: Pass, picture: &Picture) -> Vec<u8> {
    let byte = dome_imaging::transfer::quantise8;
    match pass {
        Pass::Depth => (picture.samples.chunks_exact(3))
            .flat_map(|p| {
                let band = BAND_STARTS.partition_point(|&s| s <= p[0]).max(1) - 1;
                if p[0] >= NO_DEPTH {
                    [119; 3]
                } else {
                    // Within a band it gets darker with the distance, so that shapes are seen.
                    let end = BAND_STARTS.get(band + 1).copied().unwrap_or(64.0);
                    let along = (p[0] - BAND_STARTS[band]) / (end - BAND_STARTS[band]);
                    let shade = 1.0 - 0.16 * along.clamp(0.0, 1.0);
                    BANDS[band].map(|c| (f32::from(c) * shade) as u8)
                }
            })
            .collect(),
        Pass::Normal => (picture.samples.iter())
            .map(|v| byte(v * 0.5 + 0.5))
            .collect(),
        // Data, not light: shown as it is.
        Pass::ObjectMask | Pass::Alpha | Pass::Roughness | Pass::AmbientOcclusion => {
            picture.samples.iter().map(|&v| byte(v)).collect()
        }
        // White at 20 percent.
        Pass::Noise => picture.samples.iter().map(|v| byte(v / 20.0)).collect(),
        // Middle grey is nothing, by the square root so that little is seen as well.
        Pass::TakenOut | Pass::Halves => (picture.samples.iter())
            .map(|v| byte(0.5 + 0.5 * v.signum() * v.abs().sqrt()))
            .collect(),
        _ => SCREEN_TONE.to_srgb8(&picture.samples),
    }
}

/// A pass as a file of its own, made when it is first asked for, and the name to save it under.
pub fn own_file(app: &App, id: i64, pass: Pass) -> Result<(PathBuf, String)> {
    let row = order_with(app, id, pass)?;
    let files = row.files(&app.folder);
    let path = files.pass_file(pass.name());
    if !path.exists() {
        join::extract(&files.master(), &pass.layer(), &path, Over::Anything)?;
    }
    let name = format!(
        "{} - {} px - {}",
        row.spec.viewpoint,
        row.spec.width,
        pass.name()
    );
    Ok((path, format!("{}.exr", file_name(&name))))
}

/// The colours of an order's mask.
pub fn mask(app: &App, id: i64) -> Result<Vec<MaskEntry>> {
    let row = order_with(app, id, Pass::ObjectMask)?;
    let header = ExrStrips::open(&row.files(&app.folder).master())?.header;
    Ok(header
        .comments
        .unwrap_or_default()
        .lines()
        // Other lines tell other things, such as the shape.
        .filter(|line| line.starts_with('#'))
        .filter_map(|line| line.split_once(' '))
        .map(|(colour, object)| MaskEntry {
            colour: colour.into(),
            object: object.into(),
        })
        .collect())
}

/// The value of a pass at a place, in words with its unit.
pub fn value_at(app: &App, id: i64, pass: Pass, u: f64, v: f64) -> Result<String> {
    let row = order_with(app, id, pass)?;
    let pixel = |x: f64, n: u32| ((x * f64::from(n)) as u32).min(n.saturating_sub(1));
    let (column, line) = (pixel(u, row.spec.width), pixel(v, row.spec.height));
    let names = channels(pass);
    let names = names.each_ref().map(String::as_str);
    let found = value_in(&row.files(&app.folder).master(), &names, (column, line))?;
    let value: [f32; 3] = std::array::from_fn(|i| found[i]);
    let [x, y, z] = value;
    Ok(match pass {
        Pass::Depth if x >= NO_DEPTH => "nothing there".into(),
        Pass::Depth => format!("{x:.2} m"),
        Pass::ObjectMask => {
            let [r, g, b] = value.map(dome_imaging::transfer::quantise8);
            let colour = format!("#{r:02x}{g:02x}{b:02x}");
            let found = mask(app, id)?.into_iter().find(|m| m.colour == colour);
            found.map_or_else(|| "nothing there".into(), |m| m.object)
        }
        Pass::Noise if x <= NO_NOISE => "not told: fewer than 16 samples".into(),
        Pass::Noise => format!("{x:.1} %"),
        Pass::Alpha | Pass::Roughness | Pass::AmbientOcclusion => format!("{x:.2}"),
        _ => format!("{x:.3}, {y:.3}, {z:.3}"),
    })
}
