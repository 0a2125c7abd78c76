//! All shapes that a picture of everything around can have; their names are in `shape_name.rs`.

use super::{
    Cell, CubeLayout, Cylinder, Disc, Equirect, EquirectPart, FisheyeKind, MirrorBall, Octahedral,
    OrderError, Perspective, PicturePoint, Projection,
};
use crate::neighbourhood;
use glam::DVec3;
use thiserror::Error;

/// The shape of a picture. Angles are degrees, as in its name.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Shape {
    /// The full sphere, 2:1.
    Equirect,
    /// A part of it: extent across and down, heading and pitch of the middle.
    EquirectPart {
        /// Extent in longitude.
        hfov_deg: f64,
        /// Extent in latitude.
        vfov_deg: f64,
        /// Longitude of the middle.
        heading_deg: f64,
        /// Latitude of the middle.
        pitch_deg: f64,
    },
    /// A cylinder: extent across and down.
    Cylinder {
        /// Extent in longitude.
        hfov_deg: f64,
        /// Extent in latitude.
        vfov_deg: f64,
    },
    /// Six faces in files of their own; in memory they are stacked like [`Shape::Cube`] 1x6.
    CubeFaces(CubeLayout),
    /// Six faces in one picture.
    Cube(CubeLayout),
    /// A fisheye.
    Fisheye {
        /// How the distance grows with the angle.
        kind: FisheyeKind,
        /// Angle of view across the disc.
        fov_deg: f64,
    },
    /// The picture of a mirror ball.
    MirrorBall,
    /// The light probe's angular map.
    AngularMap,
    /// The octahedral map.
    Octahedral,
    /// The picture of an ordinary camera.
    Perspective {
        /// Horizontal field of view.
        hfov_deg: f64,
        /// Vertical field of view; without it the picture's ratio decides.
        vfov_deg: Option<f64>,
        /// Shift to the right and up, in shares of width and height.
        shift: [f64; 2],
    },
}

/// Why a shape or a size was refused.
#[derive(Debug, Error, PartialEq)]
pub enum ShapeError {
    /// No such name.
    #[error("There is no shape \"{0}\"; owl-dome shapes lists them all.")]
    Unknown(String),
    /// The name needs numbers that are not there or make no sense.
    #[error("The shape \"{text}\" is not written as {wanted}.")]
    Written {
        /// What was written.
        text: String,
        /// How it is written.
        wanted: &'static str,
    },
    /// An angle outside its limits.
    #[error(
        "The {what} of {shape} must be above {low} and at most {high} degrees, and {value} is not."
    )]
    Angle {
        /// Which angle.
        what: &'static str,
        /// Of which shape.
        shape: &'static str,
        /// What was asked.
        value: f64,
        /// Lower limit.
        low: f64,
        /// Upper limit.
        high: f64,
    },
    /// A part that reaches over a pole.
    #[error(
        "A part {vfov_deg} degrees high about pitch {pitch_deg} reaches over a pole; keep it between -90 and 90."
    )]
    OverPole {
        /// Height of the part.
        vfov_deg: f64,
        /// Its middle.
        pitch_deg: f64,
    },
    /// A ratio that the shape does not have.
    #[error(
        "{width} x {height} px is not the ratio of {shape}; {width} px wide it is {right} px high."
    )]
    Ratio {
        /// Width asked for.
        width: u32,
        /// Height asked for.
        height: u32,
        /// Name of the shape.
        shape: String,
        /// The height that belongs to the width.
        right: u32,
    },
    /// A side that the cells do not divide.
    #[error(
        "{width} px cannot be shared by the {cells} faces across {shape}; take {lower} or {upper} px."
    )]
    Cells {
        /// Width asked for.
        width: u32,
        /// Faces across.
        cells: u32,
        /// Name of the shape.
        shape: String,
        /// The width below.
        lower: u32,
        /// The width above.
        upper: u32,
    },
    /// Outside the limits.
    #[error(
        "A picture of {width} x {height} px is outside {low} to {high} px a side (of each face, if it has faces); choose one inside."
    )]
    OutOfRange {
        /// Width.
        width: u64,
        /// Height.
        height: u64,
        /// Least pixels a side.
        low: u32,
        /// Most pixels a side.
        high: u32,
    },
    /// A face order for a shape without faces.
    #[error("{0} has no faces to put in order; leave the order out.")]
    NoFaces(String),
    /// A wrong face order.
    #[error(transparent)]
    Order(#[from] OrderError),
}

/// Largest and smallest side of any picture, pixels. Six stacked faces may be higher.
const MAX_SIDE: u32 = 65_536;
const MIN_SIDE: u32 = 4;

/// A piece of the picture that filters treat as one: in shares of the picture's width and height.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Chart {
    /// Left edge.
    pub left: f64,
    /// Upper edge.
    pub top: f64,
    /// Width.
    pub width: f64,
    /// Height.
    pub height: f64,
}

/// A picture of flat cells in a grid: directions move evenly along their rows and columns.
#[derive(Clone, Debug, PartialEq)]
pub struct FlatCells {
    /// Cells across.
    pub columns: u32,
    /// Cells down.
    pub rows: u32,
    /// Row by row, `None` where there is no picture: `a + b x + c y` is a direction, of any length, at `x` and
    /// `y` of the cell, 0 to 1.
    pub cells: Vec<Option<[DVec3; 3]>>,
}

impl Shape {
    /// The shape's flat cells, if it is made of such.
    pub fn flat_cells(&self) -> Option<FlatCells> {
        match *self {
            Self::CubeFaces(layout) | Self::Cube(layout) => layout.flat_cells(),
            Self::Perspective {
                hfov_deg,
                vfov_deg: Some(vfov_deg),
                shift,
            } => {
                let (w, h) = (
                    (hfov_deg.to_radians() / 2.0).tan(),
                    (vfov_deg.to_radians() / 2.0).tan(),
                );
                let corner =
                    DVec3::new((2.0 * shift[0] - 1.0) * w, (2.0 * shift[1] + 1.0) * h, -1.0);
                let cell = [corner, DVec3::X * 2.0 * w, DVec3::NEG_Y * 2.0 * h];
                Some(FlatCells {
                    columns: 1,
                    rows: 1,
                    cells: vec![Some(cell)],
                })
            }
            _ => None,
        }
    }

    /// The shape that a picture's size suggests when nothing else is known, or `None`.
    pub fn of_size(width: u32, height: u32) -> Option<Self> {
        let (w, h) = (u64::from(width), u64::from(height));
        let is = |a: u64, b: u64| w * b == h * a && w % a == 0;
        if is(2, 1) {
            Some(Self::Equirect)
        } else if is(1, 1) {
            Some(Self::AngularMap)
        } else if is(4, 3) {
            Some(Self::Cube(CubeLayout::cross()))
        } else if is(3, 4) {
            Some(Self::Cube(CubeLayout::cross_vertical()))
        } else if is(6, 1) {
            Some(Self::Cube(CubeLayout::in_our_order(6, 1)))
        } else if is(1, 6) {
            Some(Self::Cube(CubeLayout::in_our_order(1, 6)))
        } else if is(3, 2) {
            Some(Self::Cube(CubeLayout::in_our_order(3, 2)))
        } else {
            None
        }
    }

    /// The faces' layout, if it has faces.
    pub fn cube(&self) -> Option<&CubeLayout> {
        match self {
            Self::Cube(layout) | Self::CubeFaces(layout) => Some(layout),
            _ => None,
        }
    }

    /// The same shape with its faces in another order.
    pub fn with_order(self, order: [Cell; 6]) -> Result<Self, ShapeError> {
        match self {
            Self::Cube(layout) => Ok(Self::Cube(layout.with_order(order))),
            Self::CubeFaces(layout) => Ok(Self::CubeFaces(layout.with_order(order))),
            other => Err(ShapeError::NoFaces(other.to_string())),
        }
    }

    /// Whether every direction is somewhere in the picture.
    pub fn is_whole_sphere(&self) -> bool {
        match *self {
            Self::Equirect
            | Self::CubeFaces(_)
            | Self::Cube(_)
            | Self::MirrorBall
            | Self::AngularMap
            | Self::Octahedral => true,
            Self::Fisheye { fov_deg, .. } => fov_deg >= 360.0,
            Self::EquirectPart {
                hfov_deg, vfov_deg, ..
            } => hfov_deg >= 360.0 && vfov_deg >= 180.0,
            Self::Cylinder { .. } | Self::Perspective { .. } => false,
        }
    }

    /// Whether the left edge continues on the right edge.
    pub fn wraps(&self) -> bool {
        match *self {
            Self::Equirect => true,
            Self::EquirectPart { hfov_deg, .. } | Self::Cylinder { hfov_deg, .. } => {
                hfov_deg >= 360.0
            }
            _ => false,
        }
    }

    /// Whether the picture is a disc in a square.
    pub fn is_disc(&self) -> bool {
        matches!(
            self,
            Self::Fisheye { .. } | Self::MirrorBall | Self::AngularMap
        )
    }

    fn free_ratio(&self) -> bool {
        matches!(self, Self::Perspective { vfov_deg: None, .. })
    }

    /// The size for a width, a height or both. One side alone gives the other; both must fit the shape.
    ///
    /// For `cube-faces` it is the size of all six stacked; the width is the side of a face.
    pub fn size(&self, width: Option<u32>, height: Option<u32>) -> Result<(u32, u32), ShapeError> {
        let ratio = self.ratio();
        let (width, height) = match (width, height) {
            (Some(w), Some(h)) if self.free_ratio() => (w, h),
            (Some(w), Some(h)) => {
                let right = (f64::from(w) / ratio).round().max(1.0) as u32;
                // The other way round may round to another pair that is just as right.
                let also = (f64::from(h) * ratio).round() as u32 == w && self.cube().is_none();
                if right != h && !also {
                    return Err(ShapeError::Ratio {
                        width: w,
                        height: h,
                        shape: self.to_string(),
                        right,
                    });
                }
                (w, h)
            }
            (Some(w), None) => (w, (f64::from(w) / ratio).round().max(1.0) as u32),
            (None, Some(h)) => ((f64::from(h) * ratio).round().max(1.0) as u32, h),
            (None, None) => return self.size(Some(self.width_for(2048.0)), None),
        };
        let (columns, rows) = self
            .cube()
            .map_or((1, 1), |c| (u32::from(c.columns), u32::from(c.rows)));
        // The limits hold for each face by itself.
        let sides = MIN_SIDE..=MAX_SIDE;
        if !sides.contains(&(width / columns)) || !sides.contains(&(height / rows)) {
            return Err(ShapeError::OutOfRange {
                width: width.into(),
                height: height.into(),
                low: MIN_SIDE,
                high: MAX_SIDE,
            });
        }
        let cells = if *self == Self::Equirect { 2 } else { columns };
        if !width.is_multiple_of(cells) {
            let lower = width / cells * cells;
            return Err(ShapeError::Cells {
                width,
                cells,
                shape: self.to_string(),
                lower,
                upper: lower + cells,
            });
        }
        Ok((width, height))
    }

    /// The width that shows as much detail as a full equirectangular picture `sphere` pixels wide, whole
    /// cells.
    pub fn width_for(&self, sphere: f64) -> u32 {
        let per_degree = sphere / 360.0;
        let width = match *self {
            Self::Equirect => 360.0 * per_degree,
            Self::EquirectPart { hfov_deg, .. }
            | Self::Cylinder { hfov_deg, .. }
            | Self::Perspective { hfov_deg, .. } => hfov_deg * per_degree,
            Self::CubeFaces(c) | Self::Cube(c) => {
                let columns = f64::from(c.columns);
                return ((90.0 * per_degree).round().max(f64::from(MIN_SIDE)) * columns) as u32;
            }
            Self::Fisheye { fov_deg, .. } => fov_deg * per_degree,
            Self::MirrorBall | Self::AngularMap => 360.0 * per_degree,
            Self::Octahedral => 180.0 * per_degree,
        };
        let even = if *self == Self::Equirect { 2.0 } else { 1.0 };
        ((width / even).round() * even).clamp(f64::from(MIN_SIDE), f64::from(MAX_SIDE)) as u32
    }

    /// The width of the full equirectangular picture that shows as much detail as this one `width` wide.
    pub fn sphere_width(&self, width: u32) -> f64 {
        let unit = 36_000.0;
        f64::from(width) * unit / f64::from(self.width_for(unit))
    }

    /// The pieces that filters treat each as one.
    pub fn charts(&self) -> Vec<Chart> {
        match self.cube() {
            None => vec![Chart {
                left: 0.0,
                top: 0.0,
                width: 1.0,
                height: 1.0,
            }],
            Some(layout) => {
                let (width, height) = (
                    1.0 / f64::from(layout.columns),
                    1.0 / f64::from(layout.rows),
                );
                layout
                    .places()
                    .map(|(_, column, row)| Chart {
                        left: f64::from(column) * width,
                        top: f64::from(row) * height,
                        width,
                        height,
                    })
                    .collect()
            }
        }
    }

    /// The piece a direction falls on and where in it, 0 to 1; `None` out of view.
    pub fn to_chart(&self, direction: DVec3) -> Option<(usize, f64, f64)> {
        match self.cube() {
            Some(layout) => layout.to_cell(direction),
            None => self.to_picture(direction).map(|p| (0, p.u, p.v)),
        }
    }

    /// The direction at a point of a piece, also somewhat beyond its edges: over the seam, over the poles, on
    /// the neighbouring face. `None` where nothing goes on.
    pub fn beyond(&self, chart: usize, x: f64, y: f64) -> Option<DVec3> {
        if let Some(layout) = self.cube() {
            let (cell, ..) = layout.places().nth(chart)?;
            return Some(layout.beyond(cell, x, y));
        }
        let (mut u, mut v) = (x, y);
        match *self {
            Self::Equirect => (u, v) = neighbourhood::point(x, y),
            Self::EquirectPart { .. } if self.is_whole_sphere() => {
                (u, v) = neighbourhood::point(x, y);
            }
            Self::EquirectPart { .. } | Self::Cylinder { .. } if self.wraps() => {
                u = u.rem_euclid(1.0);
            }
            Self::Octahedral => {
                // Over an edge the same edge comes back the other way round.
                if !(0.0..=1.0).contains(&u) {
                    u = if u < 0.0 { -u } else { 2.0 - u };
                    v = 1.0 - v;
                }
                if !(0.0..=1.0).contains(&v) {
                    v = if v < 0.0 { -v } else { 2.0 - v };
                    u = 1.0 - u;
                }
            }
            Self::MirrorBall => return Some(MirrorBall.beyond(2.0 * u - 1.0, 2.0 * v - 1.0)),
            Self::AngularMap => {
                return Some(Disc::angular_map().beyond(2.0 * u - 1.0, 2.0 * v - 1.0));
            }
            Self::Fisheye { kind, fov_deg } => {
                let disc = Disc {
                    kind,
                    fov: fov_deg.to_radians(),
                };
                let (x, y) = (2.0 * u - 1.0, 2.0 * v - 1.0);
                let r = x.hypot(y);
                // Only the whole sphere goes on beyond its rim.
                let on_rim = if self.is_whole_sphere() {
                    1.0
                } else {
                    r.max(1.0)
                };
                return Some(disc.beyond(x / on_rim, y / on_rim));
            }
            _ => {}
        }
        self.to_direction(PicturePoint { u, v })
    }

    fn with<T>(&self, use_it: impl FnOnce(&dyn Projection) -> T) -> T {
        let rad = f64::to_radians;
        match *self {
            Self::Equirect => use_it(&Equirect),
            Self::EquirectPart {
                hfov_deg,
                vfov_deg,
                heading_deg,
                pitch_deg,
            } => use_it(&EquirectPart {
                hfov: rad(hfov_deg),
                vfov: rad(vfov_deg),
                lon: rad(heading_deg),
                lat: rad(pitch_deg),
            }),
            Self::Cylinder { hfov_deg, vfov_deg } => use_it(&Cylinder {
                hfov: rad(hfov_deg),
                vfov: rad(vfov_deg),
            }),
            Self::CubeFaces(layout) | Self::Cube(layout) => use_it(&layout),
            Self::Fisheye { kind, fov_deg } => use_it(&Disc {
                kind,
                fov: rad(fov_deg),
            }),
            Self::MirrorBall => use_it(&MirrorBall),
            Self::AngularMap => use_it(&Disc::angular_map()),
            Self::Octahedral => use_it(&Octahedral),
            Self::Perspective {
                hfov_deg,
                vfov_deg,
                shift,
            } => use_it(&Perspective {
                shift_x: shift[0],
                shift_y: shift[1],
                ..Perspective::from_fov(
                    rad(hfov_deg),
                    vfov_deg.map_or_else(|| usual_vfov(rad(hfov_deg)), rad),
                )
            }),
        }
    }

    /// For a shape whose ratio is free, the one that a picture of this size has.
    pub fn fitted(self, width: u32, height: u32) -> Self {
        match self {
            Self::Perspective {
                hfov_deg,
                vfov_deg: None,
                shift,
            } => {
                let half =
                    (hfov_deg.to_radians() / 2.0).tan() * f64::from(height) / f64::from(width);
                Self::Perspective {
                    hfov_deg,
                    vfov_deg: Some(2.0 * half.atan().to_degrees()),
                    shift,
                }
            }
            other => other,
        }
    }
}

/// A frame whose height nobody tells is 3:2.
fn usual_vfov(hfov: f64) -> f64 {
    2.0 * ((hfov / 2.0).tan() / 1.5).atan()
}

impl Projection for Shape {
    fn to_direction(&self, point: PicturePoint) -> Option<DVec3> {
        self.with(|p| p.to_direction(point))
    }

    fn to_picture(&self, direction: DVec3) -> Option<PicturePoint> {
        self.with(|p| p.to_picture(direction))
    }

    fn ratio(&self) -> f64 {
        self.with(|p| p.ratio())
    }

    fn solid_angle(&self, column: u32, row: u32, width: u32, height: u32) -> f64 {
        self.with(|p| p.solid_angle(column, row, width, height))
    }
}
