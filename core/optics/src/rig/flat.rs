//! The flat pair: two framed cameras beside each other.

use super::{Anchor, Side};
use crate::eye::MonoEye;
use crate::orientation::Orientation;
use crate::projection::{Perspective, PicturePoint, Projection, Shape};
use glam::{DMat3, DVec3};

/// What a framed camera sees.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Frame {
    /// Horizontal field of view, radians.
    pub hfov: f64,
    /// Width divided by height.
    pub ratio: f64,
    /// How far a shift lens moves it to the right and up, in shares of its width and height.
    pub shift: [f64; 2],
}

impl Frame {
    /// The frame of a framed picture's shape, if its ratio is fixed; nothing of other shapes.
    pub fn of_shape(shape: &Shape) -> Option<Self> {
        let Shape::Perspective {
            hfov_deg,
            vfov_deg: Some(vfov_deg),
            shift,
        } = *shape
        else {
            return None;
        };
        let (across, down) = (hfov_deg.to_radians(), vfov_deg.to_radians());
        Some(Self {
            hfov: across,
            ratio: (across / 2.0).tan() / (down / 2.0).tan(),
            shift,
        })
    }

    /// The shape of a picture of this frame.
    pub fn shape(&self) -> Shape {
        Shape::Perspective {
            hfov_deg: self.hfov.to_degrees(),
            vfov_deg: Some(self.vfov().to_degrees()),
            shift: self.shift,
        }
    }

    /// The frame of a lens: focal length and the sensor's width in the same unit.
    pub fn of_lens(focal_length: f64, sensor_width: f64, ratio: f64) -> Self {
        Self {
            hfov: 2.0 * (sensor_width / (2.0 * focal_length)).atan(),
            ratio,
            shift: [0.0; 2],
        }
    }

    /// The frame of a camera whose vertical field of view is told, radians.
    pub fn of_vfov(vfov: f64, ratio: f64) -> Self {
        Self {
            hfov: 2.0 * ((vfov / 2.0).tan() * ratio).atan(),
            ratio,
            shift: [0.0; 2],
        }
    }

    /// Focal length for a sensor's width, in the same unit.
    pub fn focal_length(&self, sensor_width: f64) -> f64 {
        sensor_width / (2.0 * (self.hfov / 2.0).tan())
    }

    /// Vertical field of view, radians.
    pub fn vfov(&self) -> f64 {
        2.0 * ((self.hfov / 2.0).tan() / self.ratio).atan()
    }

    /// What an eye draws whose frame is moved by `aside` of its width beside the lens's own shift.
    fn projection(&self, aside: f64) -> Perspective {
        Perspective {
            shift_x: self.shift[0] + aside,
            shift_y: self.shift[1],
            ..Perspective::from_fov(self.hfov, self.vfov())
        }
    }
}

/// How the two pictures are brought together at the distance of zero parallax.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Method {
    /// Both look straight ahead, their frames are shifted: no vertical parallax anywhere.
    #[default]
    OffAxis,
    /// Both look straight ahead and record a wider frame, which is cropped later.
    Parallel,
    /// Both are turned inwards: simple, with vertical parallax in the corners.
    Converged,
}

impl Method {
    /// All of them.
    pub const ALL: [Self; 3] = [Self::OffAxis, Self::Parallel, Self::Converged];

    /// Its name.
    pub fn name(self) -> &'static str {
        match self {
            Self::OffAxis => "off-axis",
            Self::Parallel => "parallel",
            Self::Converged => "converged",
        }
    }

    /// The method of a name.
    pub fn from_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|m| m.name() == name)
    }
}

/// What one eye has otherwise than the other, to match footage whose cameras were not alike.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Unlinked {
    /// Which eye.
    pub side: Side,
    /// Its horizontal field of view, radians, if another.
    pub hfov: Option<f64>,
    /// How it is turned besides.
    pub turn: Orientation,
}

/// Two framed cameras beside each other.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct FlatPair {
    /// Distance between the eyes, metres.
    pub separation: f64,
    /// What stands on the viewpoint.
    pub anchor: Anchor,
    /// Distance of zero parallax along the direction of view, metres.
    pub converge: f64,
    /// How it is brought about.
    pub method: Method,
    /// Whether the eye on the viewpoint looks as one camera alone would, so that the other takes the whole shift or turn:
    /// a change of separation or convergence leaves its picture as it is.
    pub keep_anchor: bool,
    /// What one eye has otherwise.
    pub unlinked: Option<Unlinked>,
}

/// What parallel cameras record for a later crop.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Recording {
    /// Width to record, pixels: W + K b / C.
    pub width: u32,
    /// Field of view to record, radians.
    pub hfov: f64,
    /// What is cropped from the outer side of each eye, pixels.
    pub crop: u32,
}

impl FlatPair {
    /// How far to the right of the viewpoint an eye stands, metres.
    pub fn offset(&self, side: Side) -> f64 {
        self.anchor.offset(side) * self.separation
    }

    /// How far to the right of the point that both look at an eye stands, metres: it is shifted or turned by that.
    fn aside(&self, side: Side) -> f64 {
        if self.keep_anchor {
            self.offset(side)
        } else {
            Anchor::Middle.offset(side) * self.separation
        }
    }

    /// An eye's own frame.
    fn frame_of(&self, side: Side, frame: Frame) -> Frame {
        let own = self.unlinked.filter(|u| u.side == side);
        Frame {
            hfov: own.and_then(|u| u.hfov).unwrap_or(frame.hfov),
            ..frame
        }
    }

    /// How far an eye's frame is shifted beside its lens's own shift, pixels of a picture of `width`; positive to the right.
    /// K b / 2C where both share it.
    pub fn shift(&self, side: Side, frame: Frame, width: f64) -> f64 {
        match self.method {
            Method::OffAxis => {
                let half_width = (self.frame_of(side, frame).hfov / 2.0).tan();
                -self.aside(side) / (2.0 * half_width * self.converge) * width
            }
            Method::Parallel | Method::Converged => 0.0,
        }
    }

    /// An eye at a viewpoint (metres), which records `frame`.
    pub fn eye(
        &self,
        side: Side,
        position: DVec3,
        orientation: Orientation,
        frame: Frame,
    ) -> MonoEye<Perspective> {
        let mut to_world = orientation.matrix();
        let offset = self.offset(side);
        let position = if offset == 0.0 {
            position
        } else {
            position + to_world.x_axis * offset
        };
        let aside = self.aside(side);
        if self.method == Method::Converged && aside != 0.0 {
            // About the rig's own upward axis, to the left for whoever stands on the right.
            to_world *= DMat3::from_rotation_y((aside / self.converge).atan());
        }
        if let Some(own) = self.unlinked.filter(|u| u.side == side) {
            to_world *= own.turn.matrix();
        }
        let projection = self
            .frame_of(side, frame)
            .projection(self.shift(side, frame, 1.0));
        MonoEye::turned(position, to_world, projection)
    }

    /// What parallel cameras record so that a picture of `width` pixels with `frame` is left. The crop is whole pixels, so
    /// zero parallax may lie a little beside the distance that was asked for: at K b / crop.
    pub fn recording(&self, frame: Frame, width: u32) -> Recording {
        let k = super::parallax::focal_px(f64::from(width), frame.hfov);
        let crop = (k * self.separation / self.converge).round().max(0.0) as u32;
        let recorded = width.saturating_add(crop);
        Recording {
            width: recorded,
            hfov: 2.0 * (f64::from(recorded) / (2.0 * k)).atan(),
            crop,
        }
    }

    /// Largest vertical parallax of the picture's corners in pixels of a picture of `height`, for points at the distance of
    /// zero parallax. Off-axis and parallel pairs have none.
    pub fn vertical_parallax(&self, frame: Frame, height: f64) -> f64 {
        let level = Orientation::default();
        let [left, right] = Side::BOTH.map(|s| self.eye(s, DVec3::ZERO, level, frame));
        let half = (frame.hfov / 2.0).tan() * self.converge;
        let [right_by, up_by] = frame.shift.map(|s| 2.0 * s);
        let corners = [(-1.0, -1.0), (1.0, -1.0), (-1.0, 1.0), (1.0, 1.0)];
        let of = |eye: &MonoEye<Perspective>, point: DVec3| -> Option<PicturePoint> {
            eye.project(point)
        };
        corners
            .into_iter()
            .filter_map(|(x, y)| {
                let (x, y) = (x + right_by, y + up_by);
                let point = DVec3::new(x * half, y * half / frame.ratio, -self.converge);
                let (a, b) = (of(&left, point)?, of(&right, point)?);
                Some((a.v - b.v).abs() * height)
            })
            .fold(0.0, f64::max)
    }
}

impl MonoEye<Perspective> {
    /// Where a point of the world (metres) would appear on the plane of the picture, also beyond its edges; `None` behind
    /// the camera.
    pub fn project(&self, target: DVec3) -> Option<PicturePoint> {
        let d = self.to_view(target);
        let p = self.projection();
        (d.z < 0.0).then(|| PicturePoint {
            u: 0.5 - p.shift_x + d.x / -d.z / (2.0 * p.half_width),
            v: 0.5 + p.shift_y - d.y / -d.z / (2.0 * p.half_height),
        })
    }

    /// Whether a point of the world (metres) is within the frame.
    pub fn frames(&self, target: DVec3) -> bool {
        self.projection().to_picture(self.to_view(target)).is_some()
    }
}
