//! Films in the ISO base media file format (ISO/IEC 14496-12: MP4, MOV) and in Matroska: what they say about spheres and eyes, and saying it.
//!
//! Two forms tell a player that a film is a sphere. The newer one is boxes in the video's sample entry (`st3d`, `sv3d`); the older one is
//! an XML packet in a `uuid` box of the track. `SA3D` says that a sound is one too. One box, one file: `st3d.rs`, `sv3d.rs`, `sa3d.rs`, `uuid.rs`; `offsets.rs` moves what points into the
//! file when the index grows; `tag.rs` writes, copying the media unchanged.

mod boxes;
mod matroska;
mod offsets;
mod read;
mod sa3d;
mod sound;
mod st3d;
mod sv3d;
mod tag;
mod uuid;

use dome_optics::projection::{Cell, CubeLayout, Face};

pub use read::{FilmFindings, FilmSound, inspect, is_film};
pub use tag::{FilmRequest, Tagged, tag};

/// How two eyes lie in a film's picture.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum FilmStereo {
    /// One eye.
    Mono,
    /// The left eye above the right one.
    TopBottom,
    /// The left eye to the left of the right one.
    SideBySide,
}

impl FilmStereo {
    /// Its name, as options and people say it.
    pub fn name(self) -> &'static str {
        match self {
            Self::Mono => "mono",
            Self::TopBottom => "top-bottom",
            Self::SideBySide => "side-by-side",
        }
    }

    /// By its name.
    pub fn from_name(name: &str) -> Option<Self> {
        [Self::Mono, Self::TopBottom, Self::SideBySide]
            .into_iter()
            .find(|s| s.name() == name)
    }

    /// An eye's width and height in a picture of the file.
    pub fn eye((width, height): (u32, u32), stereo: Self) -> (u32, u32) {
        match stereo {
            Self::Mono => (width, height),
            Self::TopBottom => (width, height / 2),
            Self::SideBySide => (width / 2, height),
        }
    }
}

/// How a film's picture is wrapped round a viewer.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum FilmProjection {
    /// Unrolled, as far as the bounds go: shares of the whole sphere that are missing at the top, bottom, left and right, 0 to 1.
    Equirect {
        /// Top, bottom, left, right.
        bounds: [f64; 4],
    },
    /// Six faces of a cube; the layout's number (0 is [`cube_layout`]) and the padding of the faces, pixels.
    Cube {
        /// 0 is the only layout that is described: two rows of three faces.
        layout: u32,
        /// Pixels around each face that continue it.
        padding: u32,
    },
}

/// How six faces lie in a film whose box tells layout 0, the only one that there is (Spherical Video V2 RFC, `cbmp`): right, left, up over
/// down, front, back, with up and down half a turn from ours.
pub fn cube_layout() -> CubeLayout {
    let half = |face| Cell { face, turns: 2 };
    CubeLayout::grid(
        3,
        2,
        [
            Cell::upright(Face::Right),
            Cell::upright(Face::Left),
            half(Face::Up),
            half(Face::Down),
            Cell::upright(Face::Front),
            Cell::upright(Face::Back),
        ],
    )
}

impl FilmProjection {
    /// The whole sphere.
    pub const FULL: Self = Self::Equirect { bounds: [0.0; 4] };
    /// The half of it that lies in front.
    pub const FRONT_HALF: Self = Self::Equirect {
        bounds: [0.0, 0.0, 0.25, 0.25],
    };
}

/// What a film says about its sphere.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Sphere {
    /// How it is wrapped.
    pub projection: FilmProjection,
    /// How two eyes lie in it.
    pub stereo: FilmStereo,
    /// Yaw, pitch and roll of the picture's middle, degrees.
    pub pose_deg: [f64; 3],
    /// Heading, pitch and roll of the opening view, degrees; only the older form has it.
    pub opening_deg: Option<[f64; 3]>,
}
