//! Films in Matroska and WebM (RFC 9559): what they say about spheres and eyes, and saying it.
//!
//! One form tells it here: `StereoMode` and `Projection` of a track's `Video`, whose private data are those of the boxes in MP4. When the
//! tracks grow, everything behind them moves: what points at it by its place in the segment (`SeekHead`, `Cues`, `Position`) is written
//! anew, and so are check sums. Clusters, which hold the media, are copied.

pub(super) mod ebml;
mod layout;

use super::read::wrong_ratio;
use super::{FilmFindings, FilmProjection, FilmRequest, FilmSound, FilmStereo, Sphere};
use crate::error::{FileError, Result, display_name};
use ebml::Element;
use std::fs::File;
use std::path::Path;

pub(super) use layout::tag;

pub(super) const EBML: u32 = 0x1a45_dfa3;
const DOC_TYPE_VERSION: u32 = 0x4287;
const SEGMENT: u32 = 0x1853_8067;
const SEEK_HEAD: u32 = 0x114d_9b74;
const SEEK: u32 = 0x4dbb;
const SEEK_POSITION: u32 = 0x53ac;
const INFO: u32 = 0x1549_a966;
const TIMESTAMP_SCALE: u32 = 0x2a_d7b1;
const DURATION: u32 = 0x4489;
const TRACKS: u32 = 0x1654_ae6b;
const TRACK_ENTRY: u32 = 0xae;
const TRACK_TYPE: u32 = 0x83;
const CODEC_ID: u32 = 0x86;
const CODEC_PRIVATE: u32 = 0x63a2;
const VIDEO: u32 = 0xe0;
const PIXEL_WIDTH: u32 = 0xb0;
const PIXEL_HEIGHT: u32 = 0xba;
const STEREO_MODE: u32 = 0x53b8;
const PROJECTION: u32 = 0x7670;
const PROJECTION_TYPE: u32 = 0x7671;
const PROJECTION_PRIVATE: u32 = 0x7672;
/// Yaw, pitch and roll.
const PROJECTION_POSE: [u32; 3] = [0x7673, 0x7674, 0x7675];
const AUDIO: u32 = 0xe1;
const CHANNELS: u32 = 0x9f;
const CLUSTER: u32 = 0x1f43_b675;
const CLUSTER_POSITION: u32 = 0xa7;
const CUES: u32 = 0x1c53_bb6b;
const CUE_POINT: u32 = 0xbb;
const CUE_TRACK_POSITIONS: u32 = 0xb7;
const CUE_CLUSTER_POSITION: u32 = 0xf1;
const CUE_CODEC_STATE: u32 = 0xea;
const CHAPTERS: u32 = 0x1043_a770;
const TAGS: u32 = 0x1254_c367;
const ATTACHMENTS: u32 = 0x1941_a469;

/// What holds others that matter here.
fn follow(id: u32) -> bool {
    [
        EBML,
        SEEK_HEAD,
        SEEK,
        INFO,
        TRACKS,
        TRACK_ENTRY,
        VIDEO,
        PROJECTION,
        AUDIO,
        CUES,
        CUE_POINT,
        CUE_TRACK_POSITIONS,
    ]
    .contains(&id)
}

/// Whether a track is a moving picture.
fn is_video(track: &Element) -> bool {
    track.child(TRACK_TYPE).and_then(Element::as_number) == Some(1)
}

fn size_of(track: &Element) -> Option<(u32, u32)> {
    let video = track.child(VIDEO)?;
    let side = |id| u32::try_from(video.child(id)?.as_number()?).ok();
    Some((side(PIXEL_WIDTH)?, side(PIXEL_HEIGHT)?))
}

/// The number of the track whose picture is the largest.
fn main_track(tracks: &Element) -> Option<usize> {
    (tracks.elements().iter().enumerate())
        .filter(|(_, t)| t.id == TRACK_ENTRY && is_video(t))
        .filter_map(|(i, t)| size_of(t).map(|(w, h)| (i, u64::from(w) * u64::from(h))))
        .max_by_key(|(i, area)| (*area, std::cmp::Reverse(*i)))
        .map(|(i, _)| i)
}

/// The mode of eyes that lie so, the left one first.
fn mode(stereo: FilmStereo) -> u64 {
    match stereo {
        FilmStereo::Mono => 0,
        FilmStereo::SideBySide => 1,
        FilmStereo::TopBottom => 3,
    }
}

/// Puts a sphere on a track's picture, or takes off what is there.
fn mark(video: &mut Vec<Element>, sphere: Option<&Sphere>) {
    video.retain(|e| e.id != STEREO_MODE && e.id != PROJECTION);
    let Some(sphere) = sphere else { return };
    if sphere.stereo != FilmStereo::Mono {
        video.push(Element::number(STEREO_MODE, mode(sphere.stereo)));
    }
    // What the boxes of MP4 hold: version and flags, then their numbers.
    let (kind, private) = match sphere.projection {
        FilmProjection::Equirect { bounds } => {
            let shares = bounds.into_iter().flat_map(super::sv3d::share);
            (1, [0; 4].into_iter().chain(shares).collect())
        }
        FilmProjection::Cube { layout, padding } => {
            let numbers = [0, layout, padding].map(u32::to_be_bytes);
            (2, numbers.concat())
        }
    };
    let mut projection = vec![
        Element::number(PROJECTION_TYPE, kind),
        Element::bytes(PROJECTION_PRIVATE, private),
    ];
    for (id, deg) in PROJECTION_POSE.into_iter().zip(sphere.pose_deg) {
        projection.push(Element::bytes(id, deg.to_be_bytes().to_vec()));
    }
    video.push(Element::with(PROJECTION, projection));
}

/// What a track's picture says of a sphere; a sentence where it is wrong.
fn sphere_of(video: &Element) -> Option<std::result::Result<Sphere, String>> {
    let told = video.child(PROJECTION)?;
    let wrong = |what: &str| {
        Err(format!(
            "Its projection {what}; players may refuse the film."
        ))
    };
    let stereo = match video.child(STEREO_MODE).and_then(Element::as_number) {
        None | Some(0) => FilmStereo::Mono,
        Some(1) => FilmStereo::SideBySide,
        Some(3) => FilmStereo::TopBottom,
        Some(n) => {
            return Some(Err(format!(
                "Its eyes lie by mode {n} of Matroska, the right one first or mixed; lay the left one first, at the left or above."
            )));
        }
    };
    let private = told
        .child(PROJECTION_PRIVATE)
        .map_or(&[][..], Element::data);
    let word = |i: usize| {
        let four = private.get(4 * i..4 * i + 4)?;
        Some(u32::from_be_bytes(four.try_into().ok()?))
    };
    let projection = match told.child(PROJECTION_TYPE).and_then(Element::as_number) {
        // A flat picture is no sphere.
        None | Some(0) => return None,
        Some(1) if private.is_empty() => FilmProjection::FULL,
        Some(1) => match [word(1), word(2), word(3), word(4)] {
            [Some(t), Some(b), Some(l), Some(r)] => FilmProjection::Equirect {
                bounds: [t, b, l, r].map(|v| f64::from(v) / 4_294_967_296.0),
            },
            _ => return Some(wrong("has bounds that are cut short")),
        },
        Some(2) => match (word(1), word(2)) {
            (Some(layout), Some(padding)) => FilmProjection::Cube { layout, padding },
            _ => return Some(wrong("has a cube whose layout is cut short")),
        },
        Some(n) => {
            return Some(wrong(&format!(
                "is of kind {n}, which is no sphere or cube"
            )));
        }
    };
    if let FilmProjection::Equirect {
        bounds: [t, b, l, r],
    } = projection
        && (t + b >= 1.0 || l + r >= 1.0)
    {
        return Some(wrong("has bounds that leave nothing"));
    }
    let pose = PROJECTION_POSE.map(|id| told.child(id).and_then(Element::as_float).unwrap_or(0.0));
    Some(Ok(Sphere {
        projection,
        stereo,
        pose_deg: pose,
        opening_deg: None,
    }))
}

/// The first sound. Only Opus says whether it is ambisonics: by its mapping family 2 (RFC 8486).
fn sound_of(tracks: &Element) -> Option<FilmSound> {
    let heard = |t: &&Element| t.child(TRACK_TYPE).and_then(Element::as_number) == Some(2);
    let track = tracks.elements().iter().find(heard)?;
    let channels = track.child(AUDIO).and_then(|a| a.child(CHANNELS));
    let channels = channels.and_then(Element::as_number).unwrap_or(1) as u16;
    let opus = track.child(CODEC_ID).map(Element::data) == Some(b"A_OPUS");
    let family = track.child(CODEC_PRIVATE).and_then(|p| p.data().get(18));
    Some(FilmSound {
        channels,
        ambisonic: opus && family == Some(&2) && channels == 4,
        map: None,
    })
}

/// Says what a film's file tells.
pub(super) fn inspect(path: &Path) -> Result<FilmFindings> {
    let name = display_name(path);
    let mut file = File::open(path).map_err(FileError::io("Reading", path))?;
    let map = layout::Map::of(&mut file, path)?;
    let (tracks, _memory) = map.load(&mut file, TRACKS, path)?;
    let track = main_track(&tracks).map(|i| &tracks.elements()[i]);
    let track = track.ok_or_else(|| FileError::damaged(&name, "it has no moving picture"))?;
    let (width, height) = size_of(track).unwrap_or((0, 0));
    let mut problems = Vec::new();
    let newer = match track.child(VIDEO).and_then(sphere_of) {
        Some(Ok(sphere)) => {
            problems.extend(wrong_ratio((width, height), &sphere));
            Some(sphere)
        }
        Some(Err(problem)) => {
            problems.push(problem);
            None
        }
        None => None,
    };
    let lasts_s = map.load(&mut file, INFO, path).ok().and_then(|(info, _)| {
        let scale = info.child(TIMESTAMP_SCALE).and_then(Element::as_number);
        let ticks = info.child(DURATION)?.as_float()?;
        let lasts = ticks * scale.unwrap_or(1_000_000) as f64 / 1e9;
        (lasts.is_finite() && lasts > 0.0).then_some(lasts)
    });
    Ok(FilmFindings {
        width,
        height,
        codec: track.child(CODEC_ID).map_or_else(String::new, |c| {
            String::from_utf8_lossy(c.data())
                .trim_end_matches('\0')
                .into()
        }),
        lasts_s,
        newer,
        older: None,
        matroska: true,
        sound: sound_of(&tracks),
        problems,
    })
}

/// What cannot be said in such a film, one sentence each.
fn unsaid(request: &FilmRequest, sound: Option<FilmSound>) -> Vec<String> {
    let mut notes = Vec::new();
    if request.sphere.is_some_and(|s| s.opening_deg.is_some()) {
        notes.push(
            "Matroska has no place for an opening view; viewers begin in the middle.".to_owned(),
        );
    }
    if request.ambisonic && !sound.is_some_and(|s| s.ambisonic) {
        notes.push(
            "In Matroska only Opus can say that its channels are a sphere of sound, and this one does not; make an .mp4, or Opus of mapping family 2."
                .to_owned(),
        );
    }
    notes
}
