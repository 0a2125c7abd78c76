//! What an order will take: size, disk and memory.

use super::App;
use super::recipe::strip_passes;
use super::screen::DISPLAY_WIDTH;
use super::told::Estimate;
use dome_files::{budget, strip_file};
use dome_imaging::denoise::library;
use dome_optics::PictureSize;
use dome_trace::render::STRIP_ROWS;
use dome_trace::{Learned, PassSet};

/// Largest size that a master can have, bytes: compression only makes it smaller; tables and header are
/// counted generously.
pub fn master_bytes(size: &PictureSize, passes: &PassSet) -> u64 {
    let pixels = u64::from(size.width()) * u64::from(size.height());
    pixels * strip_file::pixel_bytes(&passes.layers()) + 16 * u64::from(size.height()) + 4096
}

/// Space needed while rendering, bytes: strips and master are both there at the end, and the pictures for
/// the screen. Strips that are denoised hold what guides that too.
pub fn working_bytes(size: &PictureSize, passes: &PassSet, denoise: bool) -> u64 {
    master_bytes(size, &strip_passes(passes, denoise)) + master_bytes(size, passes) + (8 << 20)
}

/// Memory that a render takes beside its scene, bytes.
fn memory_bytes(size: &PictureSize, passes: &PassSet, denoise: bool) -> u64 {
    let (width, height) = (u64::from(size.width()), u64::from(size.height()));
    let made = strip_passes(passes, denoise);
    let channels: u64 = made.layers().iter().map(|l| l.channels.len() as u64).sum();
    // A strip with its sums and layers, some blocks being compressed, and the table of lines.
    let strip = width * u64::from(STRIP_ROWS) * (128 + 8 * channels) + 16 * height;
    // A band with its margins, as single floats: the strips, and once more colour, albedo, normal and halves, half of the samples
    // and the result; then the filtered strips of the band, as they were and the two halves'.
    let (inner, all) = library::most_rows(size.width());
    let rows = |n: u32| u64::from(n).min(height) * width * 4;
    let band = rows(all) * (3 + channels + 6 * 3) + rows(inner) * (3 + channels + 3 * 3);
    // The picture for the screen twice: as light and as it is encoded.
    let screen = u64::from(DISPLAY_WIDTH).min(width).pow(2) / 2 * 3 * 4 * 2;
    let learned = Learned::bytes_for(width * height);
    strip + if denoise { band } else { 0 } + screen + learned + (24 << 20)
}

/// Everything that an order of one eye or two will take, but for the free space; of a project whose scene is in memory that counts too.
pub fn estimated(
    app: &App,
    size: &PictureSize,
    passes: &PassSet,
    denoise: bool,
    eyes: u32,
    project: Option<i64>,
) -> Estimate {
    let eyes = u64::from(eyes);
    let scene_bytes = project.and_then(|p| app.scenes.bytes(p));
    Estimate {
        height: size.height(),
        master_bytes: eyes * master_bytes(size, passes),
        working_bytes: eyes * working_bytes(size, passes, denoise),
        free_bytes: None,
        elsewhere: None,
        pixels_per_degree: size.shape.sphere_width(size.width()) / 360.0,
        memory_bytes: eyes * memory_bytes(size, passes, denoise) + scene_bytes.unwrap_or(0),
        scene_bytes,
        memory_limit: budget::limit(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use dome_trace::Pass;

    /// What is counted grows with what is asked, and the guides of denoising count in strips only.
    #[test]
    fn everything_is_counted() {
        let size = |width| crate::work::recipe::picture_size(None, width).unwrap();
        let none = PassSet::new([]);
        let plain = memory_bytes(&size(16384), &none, false);
        let denoised = memory_bytes(&size(16384), &none, true);
        // A band of 464 rows of 16384 px with picture, guides and halves, six more images of three floats, and its 256 inner rows
        // with three more.
        let band = 16384 * 4 * (464 * (3 + 9 + 18) + 256 * (3 + 9 + 9));
        assert_eq!(denoised - plain, band + 16384 * 16 * 8 * 9);
        let working = |denoise| working_bytes(&size(4096), &none, denoise);
        // Three guides of three values each, of two bytes at least and four at most, and no second time in the master.
        let values = 4096 * 2048 * 9;
        let guides = working(true) - working(false);
        assert!((2 * values..=4 * values).contains(&guides), "{guides}");
        assert_eq!(
            working_bytes(
                &size(4096),
                &PassSet::new([Pass::Albedo, Pass::Normal, Pass::Halves]),
                true
            ),
            working_bytes(
                &size(4096),
                &PassSet::new([Pass::Albedo, Pass::Normal, Pass::Halves]),
                false
            )
        );
    }
}
