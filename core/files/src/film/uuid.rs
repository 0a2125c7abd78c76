//! The `uuid` box with an XML packet: the older form, in the video's track (Spherical Video V1).

use super::boxes::Node;
use super::{FilmProjection, FilmStereo, Sphere};
use quick_xml::NsReader;
use quick_xml::events::Event;
use quick_xml::name::{Namespace, ResolveResult};
use std::fmt::Write;

pub(super) const KIND: &[u8; 4] = b"uuid";
/// ffcc8263-f855-4a93-8814-587a02521fdd.
const ID: [u8; 16] = [
    0xff, 0xcc, 0x82, 0x63, 0xf8, 0x55, 0x4a, 0x93, 0x88, 0x14, 0x58, 0x7a, 0x02, 0x52, 0x1f, 0xdd,
];
const NS: &str = "http://ns.google.com/videos/1.0/spherical/";
/// Longest packet that is read, bytes.
const LONGEST: usize = 1 << 20;

/// Whether a box is one of these.
pub(super) fn is_ours(node: &Node) -> bool {
    node.kind == *KIND && node.body.starts_with(&ID)
}

/// The box for a film; nothing for what this form cannot say. `size` is that of the file's picture, pixels.
pub(super) fn write(sphere: &Sphere, size: (u32, u32)) -> Option<Node> {
    let FilmProjection::Equirect { bounds } = sphere.projection else {
        return None;
    };
    let mut fields = String::new();
    let mut field = |name: &str, value: &dyn std::fmt::Display| {
        let _ = write!(fields, "<GSpherical:{name}>{value}</GSpherical:{name}>");
    };
    field("Spherical", &true);
    field("Stitched", &true);
    field("StitchingSoftware", &crate::SOFTWARE);
    field("ProjectionType", &"equirectangular");
    if sphere.stereo != FilmStereo::Mono {
        let mode = match sphere.stereo {
            FilmStereo::TopBottom => "top-bottom",
            _ => "left-right",
        };
        field("StereoMode", &mode);
    }
    // Whole degrees are all that this form has.
    if let Some([heading, pitch, roll]) = sphere.opening_deg {
        field("InitialViewHeadingDegrees", &(heading.round() as i64));
        field("InitialViewPitchDegrees", &(pitch.round() as i64));
        field("InitialViewRollDegrees", &(roll.round() as i64));
    }
    if bounds != [0.0; 4] {
        let (w, h) = FilmStereo::eye(size, sphere.stereo);
        let [top, bottom, left, right] = bounds;
        let full = |side: u32, missing: f64| (f64::from(side) / (1.0 - missing)).round();
        let (full_w, full_h) = (full(w, left + right), full(h, top + bottom));
        field("CroppedAreaImageWidthPixels", &w);
        field("CroppedAreaImageHeightPixels", &h);
        field("FullPanoWidthPixels", &full_w);
        field("FullPanoHeightPixels", &full_h);
        field("CroppedAreaLeftPixels", &(full_w * left).round());
        field("CroppedAreaTopPixels", &(full_h * top).round());
    }
    let packet = format!(
        "<?xml version=\"1.0\"?><rdf:SphericalVideo xmlns:rdf=\"http://www.w3.org/1999/02/22-rdf-syntax-ns#\" xmlns:GSpherical=\"{NS}\">{fields}</rdf:SphericalVideo>"
    );
    Some(Node::new(*KIND, [&ID[..], packet.as_bytes()].concat()))
}

/// What it says, as far as it is understood; or a sentence about what is wrong.
pub(super) fn read(node: &Node) -> Result<Sphere, String> {
    let wrong =
        |what: &str| format!("Its older 360-degree note {what}; players may refuse the film.");
    let packet = node.body.get(16..).unwrap_or_default();
    if packet.len() > LONGEST {
        return Err(wrong("is longer than any can be"));
    }
    let text = std::str::from_utf8(packet).map_err(|_| wrong("is no text"))?;
    let fields = fields_of(text.trim_end_matches('\0')).map_err(|e| wrong(&e))?;
    let value = |name: &str| {
        let found = fields.iter().find(|(n, _)| n == name);
        found.map(|(_, v)| v.as_str())
    };
    let number = |name: &str| value(name).and_then(|v| v.parse::<f64>().ok());
    if value("Spherical").is_none_or(|v| !v.eq_ignore_ascii_case("true")) {
        return Err(wrong("does not say that it is spherical"));
    }
    if value("ProjectionType").is_some_and(|v| v != "equirectangular") {
        return Err(wrong("tells a projection that is not equirectangular"));
    }
    let stereo = match value("StereoMode") {
        None | Some("mono") => FilmStereo::Mono,
        Some("top-bottom") => FilmStereo::TopBottom,
        Some("left-right") => FilmStereo::SideBySide,
        Some(other) => return Err(wrong(&format!("tells the stereo mode \"{other}\""))),
    };
    let sides = (
        number("CroppedAreaImageWidthPixels").zip(number("CroppedAreaImageHeightPixels")),
        number("FullPanoWidthPixels").zip(number("FullPanoHeightPixels")),
        number("CroppedAreaLeftPixels").zip(number("CroppedAreaTopPixels")),
    );
    let mut bounds = [0.0; 4];
    if let (Some((w, h)), Some((full_w, full_h)), Some((left, top))) = sides {
        let fits = w > 0.0 && h > 0.0 && left >= 0.0 && top >= 0.0;
        if !fits || left + w > full_w || top + h > full_h {
            return Err(wrong("tells a part that does not lie in the whole"));
        }
        bounds = [
            top / full_h,
            1.0 - (top + h) / full_h,
            left / full_w,
            1.0 - (left + w) / full_w,
        ];
    }
    let opening = number("InitialViewHeadingDegrees").map(|heading| {
        let other = |name: &str| number(name).unwrap_or(0.0);
        [
            heading,
            other("InitialViewPitchDegrees"),
            other("InitialViewRollDegrees"),
        ]
    });
    Ok(Sphere {
        projection: FilmProjection::Equirect { bounds },
        stereo,
        pose_deg: [0.0; 3],
        opening_deg: opening,
    })
}

/// Names and values of the packet's fields.
fn fields_of(text: &str) -> Result<Vec<(String, String)>, String> {
    let mut reader = NsReader::from_str(text);
    let mut fields = Vec::new();
    let mut inside: Option<(String, String)> = None;
    let mut depth = 0usize;
    loop {
        let (namespace, event) =
            (reader.read_resolved_event()).map_err(|e| format!("is no XML ({e})"))?;
        let ours = matches!(namespace, ResolveResult::Bound(Namespace(ns)) if *ns == *NS);
        match event {
            Event::DocType(_) => return Err("defines entities".into()),
            Event::Start(e) => {
                depth += 1;
                if depth > 16 {
                    return Err("is nested too deep".into());
                }
                if ours {
                    inside = Some((e.local_name().as_ref().to_owned(), String::new()));
                }
            }
            Event::Text(t) => {
                if let Some((_, value)) = &mut inside {
                    value.push_str(&t.xml10_content());
                }
            }
            Event::End(_) => {
                depth = depth.saturating_sub(1);
                if ours && let Some((name, value)) = inside.take() {
                    fields.push((name, value.trim().to_owned()));
                }
            }
            Event::Eof if depth > 0 => return Err("ends inside an element".into()),
            Event::Eof => return Ok(fields),
            _ => {}
        }
    }
}
