//! One reader for all pictures: rows in any order, several parts, other colours, sizes that do not fit.

use dome_files::inspect::inspect;
use dome_files::linear_picture;
use dome_files::rows::{Depth, PictureRows};
use dome_imaging::convert::Row;
use exr::prelude::*;
use moxcms::ColorProfile;
use std::path::{Path, PathBuf};

fn light(path: &Path) -> std::vec::Vec<[f32; 4]> {
    let rows = PictureRows::open(path).unwrap();
    let rows: std::vec::Vec<Row> = rows.map(|r| r.unwrap()).collect();
    rows.into_iter()
        .flat_map(Row::into_light)
        .map(|p| p.to_array())
        .collect()
}

fn near(found: &[f32], wanted: &[f32], within: f32) {
    for (f, w) in found.iter().zip(wanted) {
        assert!((f - w).abs() < within, "{found:?} for {wanted:?}");
    }
}

/// Every pixel tells its own place.
fn value(x: usize, y: usize) -> (f32, f32, f32) {
    (x as f32, y as f32, 7.0)
}

fn exr_in(folder: &Path, order: LineOrder, compression: Compression) -> PathBuf {
    let path = folder.join("rows.exr");
    let channels = SpecificChannels::rgb(|at: Vec2<usize>| value(at.x(), at.y()));
    let encoding = Encoding {
        compression,
        blocks: Blocks::ScanLines,
        line_order: order,
    };
    let layer = Layer::new((50, 45), LayerAttributes::named("main"), encoding, channels);
    Image::from_layer(layer).write().to_file(&path).unwrap();
    path
}

/// Files may keep their rows from the bottom up; the picture is the same.
#[test]
fn rows_in_any_order_give_the_same_picture() {
    let folder = tempfile::tempdir().unwrap();
    for order in [LineOrder::Increasing, LineOrder::Decreasing] {
        for compression in [Compression::ZIP16, Compression::ZIP1, Compression::PIZ] {
            let path = exr_in(folder.path(), order, compression);
            for (i, p) in light(&path).iter().enumerate() {
                let (r, g, b) = value(i % 50, i / 50);
                assert_eq!(p[..3], [r, g, b], "{order:?} {compression:?} pixel {i}");
            }
        }
    }
}

/// The library's own bytes of a falling file, cut short: told, not scrambled.
#[test]
fn a_falling_file_cut_short_is_told() {
    let folder = tempfile::tempdir().unwrap();
    let path = exr_in(folder.path(), LineOrder::Decreasing, Compression::ZIP16);
    let bytes = std::fs::read(&path).unwrap();
    std::fs::write(&path, &bytes[..bytes.len() - 200]).unwrap();
    let failed = match PictureRows::open(&path) {
        Err(e) => Some(e),
        Ok(rows) => rows.filter_map(|r| r.err()).next(),
    };
    assert!(failed.unwrap().to_string().contains("rows.exr"));
}

/// Of several parts the first one with colour is read, and said; each part's size is looked at.
#[test]
fn of_several_parts_the_one_with_colour_is_read() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("parts.exr");
    let size = (32, 16);
    let depth = AnyChannel::new("Z", FlatSamples::F32(vec![1.0; 512]));
    let depth = Layer::new(
        size,
        LayerAttributes::named("depth"),
        Encoding::FAST_LOSSLESS,
        AnyChannels::sort(smallvec_of(depth)),
    );
    let colour = |name: &str, v: f32| AnyChannel::new(name, FlatSamples::F32(vec![v; 512]));
    let colour = Layer::new(
        size,
        LayerAttributes::named("colour"),
        Encoding::FAST_LOSSLESS,
        AnyChannels::sort(
            [colour("R", 0.25), colour("G", 0.5), colour("B", 2.0)]
                .into_iter()
                .collect(),
        ),
    );
    let image = Image::from_layers(
        ImageAttributes::new(IntegerBounds::from_dimensions(size)),
        [depth, colour]
            .into_iter()
            .collect::<SmallVec<[Layer<AnyChannels<FlatSamples>>; 2]>>(),
    );
    image.write().to_file(&path).unwrap();
    let rows = PictureRows::open(&path).unwrap();
    assert!(rows.notices[0].contains("2 parts"), "{:?}", rows.notices);
    assert_eq!((rows.width, rows.height), (32, 16));
    near(&light(&path)[100], &[0.25, 0.5, 2.0, 1.0], 1e-6);
    // The second part's data window made vast: four bytes of its header.
    let bytes = std::fs::read(&path).unwrap();
    let needle = b"dataWindow\0box2i\0";
    let places: std::vec::Vec<usize> = (0..bytes.len() - needle.len())
        .filter(|&i| &bytes[i..i + needle.len()] == needle)
        .collect();
    assert_eq!(places.len(), 2);
    for at in places {
        let mut wrong = bytes.clone();
        let x_max = at + needle.len() + 4 + 8;
        wrong[x_max..x_max + 4].copy_from_slice(&(1i32 << 28).to_le_bytes());
        std::fs::write(&path, &wrong).unwrap();
        assert!(PictureRows::open(&path).is_err());
    }
}

fn smallvec_of(channel: AnyChannel<FlatSamples>) -> SmallVec<[AnyChannel<FlatSamples>; 4]> {
    [channel].into_iter().collect()
}

/// Rec. 2020's red in Rec. 709: 1.6605, -0.1246, -0.0182 (ITU-R BT.2087-0).
#[test]
fn chromaticities_of_an_exr_are_converted() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("wide.exr");
    let channels = SpecificChannels::rgb(|_: Vec2<usize>| (1.0f32, 0.0f32, 0.0f32));
    let layer = Layer::new(
        (8, 4),
        LayerAttributes::named("main"),
        Encoding::FAST_LOSSLESS,
        channels,
    );
    let mut image = Image::from_layer(layer);
    image.attributes.chromaticities = Some(attribute::Chromaticities {
        red: Vec2(0.708, 0.292),
        green: Vec2(0.170, 0.797),
        blue: Vec2(0.131, 0.046),
        white: Vec2(0.3127, 0.3290),
    });
    image.write().to_file(&path).unwrap();
    near(&light(&path)[5], &[1.6605, -0.1246, -0.0182, 1.0], 1e-3);
    let told = inspect(&path).unwrap().colours.unwrap();
    assert!(told.contains("0.7080, 0.2920"), "{told}");
    // As surroundings: what no light has is black, and said.
    let read = linear_picture::read(&path).unwrap();
    near(&read.picture.samples[..3], &[1.6605, 0.0, 0.0], 1e-3);
    assert!(
        read.notices.iter().any(|n| n.contains("converted")),
        "{:?}",
        read.notices
    );
}

/// A PNG of one colour with something about its colours before its data.
fn png_with(folder: &Path, name: &str, rgb: [u8; 3], add: impl FnOnce(&mut png::Info)) -> PathBuf {
    let path = folder.join(name);
    let mut info = png::Info::with_size(8, 4);
    info.color_type = png::ColorType::Rgb;
    info.bit_depth = png::BitDepth::Eight;
    add(&mut info);
    let file = std::fs::File::create(&path).unwrap();
    let mut writer = png::Encoder::with_info(file, info)
        .unwrap()
        .write_header()
        .unwrap();
    writer.write_image_data(&rgb.repeat(32)).unwrap();
    writer.finish().unwrap();
    path
}

/// Display P3's red in linear Rec. 709: 1.2249, -0.0420, -0.0196 (CSS Color 4, sample code).
#[test]
fn profiles_and_gammas_of_png_and_jpeg_are_converted_and_told() {
    let folder = tempfile::tempdir().unwrap();
    let p3 = ColorProfile::new_display_p3().encode().unwrap();
    let srgb = ColorProfile::new_srgb().encode().unwrap();
    let red = [255, 0, 0];
    let wide = png_with(folder.path(), "p3.png", red, |i| {
        i.icc_profile = Some(p3.clone().into())
    });
    near(&light(&wide)[3], &[1.2249, -0.0420, -0.0196, 1.0], 3e-3);
    let found = inspect(&wide).unwrap();
    assert!(found.colours.unwrap().contains("P3"));
    assert_eq!(PictureRows::open(&wide).unwrap().depth, Depth::Sixteen);
    let same = png_with(folder.path(), "srgb.png", red, |i| {
        i.icc_profile = Some(srgb.into())
    });
    assert_eq!(inspect(&same).unwrap().colours, None);
    assert_eq!(PictureRows::open(&same).unwrap().depth, Depth::Eight);
    let linear = png_with(folder.path(), "linear.png", [128, 64, 255], |i| {
        i.source_gamma = Some(png::ScaledFloat::new(1.0));
    });
    near(
        &light(&linear)[3],
        &[128.0 / 255.0, 64.0 / 255.0, 1.0, 1.0],
        1e-4,
    );
    assert!(inspect(&linear).unwrap().colours.unwrap().contains("gAMA"));
    let broken = png_with(folder.path(), "broken.png", red, |i| {
        i.icc_profile = Some(
            b"this is no profile at all, but long enough to look at"
                .to_vec()
                .into(),
        );
    });
    let found = inspect(&broken).unwrap();
    assert!(
        found.colours.is_none() && found.notices[0].contains("taken as sRGB"),
        "{:?}",
        found.notices
    );
    near(&light(&broken)[3], &[1.0, 0.0, 0.0, 1.0], 1e-5);

    let jpeg = folder.path().join("p3.jpg");
    {
        use image::ImageEncoder;
        let file = std::fs::File::create(&jpeg).unwrap();
        let mut encoder = image::codecs::jpeg::JpegEncoder::new_with_quality(file, 100);
        encoder.set_icc_profile(p3).unwrap();
        encoder
            .write_image(
                &[0, 255, 0].repeat(64),
                8,
                8,
                image::ExtendedColorType::Rgb8,
            )
            .unwrap();
    }
    // Green of Display P3: -0.2249, 1.0420, -0.0786 (the same source).
    near(&light(&jpeg)[9], &[-0.2249, 1.0420, -0.0786, 1.0], 0.03);
    assert!(inspect(&jpeg).unwrap().colours.unwrap().contains("P3"));
}

/// A vast picture in a small file is refused by the budget before memory is made for it.
#[test]
fn a_vast_picture_in_a_small_file_is_refused() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("vast.png");
    let file = std::fs::File::create(&path).unwrap();
    let mut encoder = png::Encoder::new(file, 100_000, 100_000);
    encoder.set_color(png::ColorType::Grayscale);
    encoder.set_depth(png::BitDepth::One);
    // The header, the first bytes of its data, and no rows.
    let mut writer = encoder.write_header().unwrap();
    writer.write_chunk(png::chunk::IDAT, &[0x78, 0x9c]).unwrap();
    drop(writer);
    let message = match linear_picture::read(&path) {
        Ok(_) => panic!("it was read"),
        Err(e) => e.to_string(),
    };
    assert!(message.contains("vast.png"), "{message}");
    // 120 GB for its light.
    assert!(
        message.contains("needs 120.0 GB of memory") || message.contains("needs 120 GB"),
        "{message}"
    );
}
