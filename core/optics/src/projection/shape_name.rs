//! The names of shapes on the command line and in files: reading and writing them, and a line of help for each.

use super::{Cell, CubeLayout, FisheyeKind, Shape, ShapeError};
use crate::angle::wrap_signed_deg;
use std::fmt;
use std::str::FromStr;

/// A line of help for a shape's name.
#[derive(Clone, Copy, Debug)]
pub struct ShapeHelp {
    /// How it is written.
    pub name: &'static str,
    /// What it is.
    pub about: &'static str,
}

/// The list of all shapes.
pub const SHAPES: [ShapeHelp; 18] = [
    ShapeHelp {
        name: "equirect",
        about: "the full sphere unrolled, 2:1",
    },
    ShapeHelp {
        name: "equirect:HxV[@HEADING,PITCH]",
        about: "a part of it, H x V degrees about a heading and pitch",
    },
    ShapeHelp {
        name: "cylinder:HxV",
        about: "a cylinder, H x V degrees; upright lines stay straight",
    },
    ShapeHelp {
        name: "cube-faces",
        about: "six square files: -left -front -right -back -up -down",
    },
    ShapeHelp {
        name: "cube-6x1",
        about: "six faces side by side: left front right back up down",
    },
    ShapeHelp {
        name: "cube-1x6",
        about: "the same, stacked",
    },
    ShapeHelp {
        name: "cube-3x2",
        about: "left front right over back up down",
    },
    ShapeHelp {
        name: "cube-cross",
        about: "a cross lying down: left front right back, up and down on the front",
    },
    ShapeHelp {
        name: "cube-cross-vertical",
        about: "a cross standing up: back hangs upside down below down",
    },
    ShapeHelp {
        name: "eac-3x2",
        about: "equi-angular cube, left front right over back up down",
    },
    ShapeHelp {
        name: "fisheye:DEG",
        about: "equidistant fisheye (domes), up to 360 degrees across",
    },
    ShapeHelp {
        name: "fisheye-equisolid:DEG",
        about: "equal-area fisheye, up to 360",
    },
    ShapeHelp {
        name: "fisheye-stereographic:DEG",
        about: "stereographic fisheye (little planets), up to 350",
    },
    ShapeHelp {
        name: "fisheye-orthographic:DEG",
        about: "orthographic fisheye, up to 180",
    },
    ShapeHelp {
        name: "mirror-ball",
        about: "a mirror ball seen from far; its middle mirrors what is behind",
    },
    ShapeHelp {
        name: "angular-map",
        about: "light probe: the angle from ahead grows evenly to 180 degrees at the edge",
    },
    ShapeHelp {
        name: "octahedral",
        about: "the sphere folded into a square, zenith in the middle",
    },
    ShapeHelp {
        name: "perspective:HFOV[xVFOV][@RIGHT,UP]",
        about: "an ordinary camera, shifted by shares of its frame if wanted",
    },
];

/// An angle as people write it.
fn plain(value: f64) -> String {
    // Rounding of degrees to radians and back must not show.
    let rounded = (value * 1e6).round() / 1e6;
    format!("{rounded}")
}

impl fmt::Display for Shape {
    fn fmt(&self, f: &mut fmt::Formatter) -> fmt::Result {
        self.write_name(f)?;
        // An order of faces that is not the shape's own is a part of the name.
        if let Some(layout) = self.cube()
            && Self::usual_order(layout) != layout.order()
        {
            let order = layout.order().map(|cell| cell.to_string());
            write!(f, " {}", order.join(","))?;
        }
        Ok(())
    }
}

impl Shape {
    /// The order of faces that a layout has if none is told.
    fn usual_order(layout: &CubeLayout) -> [Cell; 6] {
        match (layout.columns, layout.rows) {
            (4, 3) => CubeLayout::cross().order(),
            (3, 4) => CubeLayout::cross_vertical().order(),
            (columns, rows) => CubeLayout::in_our_order(columns, rows).order(),
        }
    }

    fn write_name(&self, f: &mut fmt::Formatter) -> fmt::Result {
        match *self {
            Self::Equirect => f.write_str("equirect"),
            Self::EquirectPart {
                hfov_deg,
                vfov_deg,
                heading_deg,
                pitch_deg,
            } => {
                write!(f, "equirect:{}x{}", plain(hfov_deg), plain(vfov_deg))?;
                if heading_deg != 0.0 || pitch_deg != 0.0 {
                    write!(f, "@{},{}", plain(heading_deg), plain(pitch_deg))?;
                }
                Ok(())
            }
            Self::Cylinder { hfov_deg, vfov_deg } => {
                write!(f, "cylinder:{}x{}", plain(hfov_deg), plain(vfov_deg))
            }
            Self::CubeFaces(_) => f.write_str("cube-faces"),
            Self::Cube(c) => match (c.columns, c.rows, c.equiangular) {
                (4, 3, _) => f.write_str("cube-cross"),
                (3, 4, _) => f.write_str("cube-cross-vertical"),
                (w, h, equiangular) => {
                    write!(f, "{}-{w}x{h}", if equiangular { "eac" } else { "cube" })
                }
            },
            Self::Fisheye { kind, fov_deg } => {
                let kind = match kind {
                    FisheyeKind::Equidistant => "",
                    FisheyeKind::Equisolid => "-equisolid",
                    FisheyeKind::Stereographic => "-stereographic",
                    FisheyeKind::Orthographic => "-orthographic",
                };
                write!(f, "fisheye{kind}:{}", plain(fov_deg))
            }
            Self::MirrorBall => f.write_str("mirror-ball"),
            Self::AngularMap => f.write_str("angular-map"),
            Self::Octahedral => f.write_str("octahedral"),
            Self::Perspective {
                hfov_deg,
                vfov_deg,
                shift,
            } => {
                write!(f, "perspective:{}", plain(hfov_deg))?;
                if let Some(v) = vfov_deg {
                    write!(f, "x{}", plain(v))?;
                }
                if shift != [0.0, 0.0] {
                    write!(f, "@{},{}", plain(shift[0]), plain(shift[1]))?;
                }
                Ok(())
            }
        }
    }
}

fn number(text: &str) -> Option<f64> {
    text.trim().parse::<f64>().ok().filter(|v| v.is_finite())
}

fn pair(text: &str, between: char) -> Option<[f64; 2]> {
    let (a, b) = text.split_once(between)?;
    Some([number(a)?, number(b)?])
}

fn angle(
    what: &'static str,
    shape: &'static str,
    value: f64,
    low: f64,
    high: f64,
) -> Result<f64, ShapeError> {
    if value > low && value <= high {
        Ok(value)
    } else {
        Err(ShapeError::Angle {
            what,
            shape,
            value,
            low,
            high,
        })
    }
}

impl FromStr for Shape {
    type Err = ShapeError;

    fn from_str(text: &str) -> Result<Self, ShapeError> {
        let text = text.trim();
        if let Some((name, order)) = text.split_once(' ') {
            return name
                .parse::<Self>()?
                .with_order(CubeLayout::parse_order(order)?);
        }
        let (name, rest) = match text.split_once(':') {
            Some((name, rest)) => (name, Some(rest)),
            None => (text, None),
        };
        let written = |wanted| ShapeError::Written {
            text: text.to_owned(),
            wanted,
        };
        let bare = |shape: Self, wanted: &'static str| match rest {
            None => Ok(shape),
            Some(_) => Err(written(wanted)),
        };
        let grid = |columns, rows| Self::Cube(CubeLayout::in_our_order(columns, rows));
        match name {
            "equirect" => match rest {
                None => Ok(Self::Equirect),
                Some(rest) => {
                    let wanted =
                        "equirect:HxV or equirect:HxV@HEADING,PITCH, for example equirect:180x180";
                    let (size, middle) = rest.split_once('@').unwrap_or((rest, "0,0"));
                    let [h, v] = pair(size, 'x').ok_or_else(|| written(wanted))?;
                    let [heading, pitch] = pair(middle, ',').ok_or_else(|| written(wanted))?;
                    part(h, v, heading, pitch)
                }
            },
            "cylinder" => {
                let [h, v] = rest
                    .and_then(|r| pair(r, 'x'))
                    .ok_or_else(|| written("cylinder:HxV, for example cylinder:360x90"))?;
                Ok(Self::Cylinder {
                    hfov_deg: angle("width", "a cylinder", h, 0.0, 360.0)?,
                    vfov_deg: angle("height", "a cylinder", v, 0.0, 175.0)?,
                })
            }
            "cube-faces" => bare(
                Self::CubeFaces(CubeLayout::in_our_order(1, 6)),
                "cube-faces",
            ),
            "cube-6x1" => bare(grid(6, 1), "cube-6x1"),
            "cube-1x6" => bare(grid(1, 6), "cube-1x6"),
            "cube-3x2" => bare(grid(3, 2), "cube-3x2"),
            "cube-cross" => bare(Self::Cube(CubeLayout::cross()), "cube-cross"),
            "cube-cross-vertical" => bare(
                Self::Cube(CubeLayout::cross_vertical()),
                "cube-cross-vertical",
            ),
            "eac-3x2" => bare(
                Self::Cube(CubeLayout::in_our_order(3, 2).equiangular()),
                "eac-3x2",
            ),
            "mirror-ball" => bare(Self::MirrorBall, "mirror-ball"),
            "angular-map" => bare(Self::AngularMap, "angular-map"),
            "octahedral" => bare(Self::Octahedral, "octahedral"),
            "perspective" => {
                let wanted = "perspective:HFOV, perspective:HFOVxVFOV or with @RIGHT,UP, for example perspective:90x60@0,0.2";
                let rest = rest.ok_or_else(|| written(wanted))?;
                let (size, shift) = rest.split_once('@').unwrap_or((rest, "0,0"));
                let shift = pair(shift, ',').ok_or_else(|| written(wanted))?;
                let (h, v) = match size.split_once('x') {
                    Some((h, v)) => (number(h), Some(number(v).ok_or_else(|| written(wanted))?)),
                    None => (number(size), None),
                };
                let h = h.ok_or_else(|| written(wanted))?;
                let fov =
                    |value| angle("field of view", "a perspective picture", value, 0.0, 179.0);
                if shift.iter().any(|s| s.abs() > 10.0) {
                    return Err(written(wanted));
                }
                Ok(Self::Perspective {
                    hfov_deg: fov(h)?,
                    vfov_deg: v.map(fov).transpose()?,
                    shift,
                })
            }
            _ => {
                let kind = match name {
                    "fisheye" => FisheyeKind::Equidistant,
                    "fisheye-equisolid" => FisheyeKind::Equisolid,
                    "fisheye-stereographic" => FisheyeKind::Stereographic,
                    "fisheye-orthographic" => FisheyeKind::Orthographic,
                    _ => return Err(ShapeError::Unknown(text.to_owned())),
                };
                let fov = rest
                    .and_then(number)
                    .ok_or_else(|| written("fisheye:DEGREES, for example fisheye:180"))?;
                Ok(Self::Fisheye {
                    kind,
                    fov_deg: angle("angle of view", "this fisheye", fov, 0.0, kind.widest_deg())?,
                })
            }
        }
    }
}

/// A part of the sphere whose edges make sense; all of it is the full sphere.
fn part(h: f64, v: f64, heading: f64, pitch: f64) -> Result<Shape, ShapeError> {
    let hfov_deg = angle("width", "a part of a sphere", h, 0.0, 360.0)?;
    let vfov_deg = angle("height", "a part of a sphere", v, 0.0, 180.0)?;
    if pitch.abs() + vfov_deg / 2.0 > 90.0 + 1e-9 {
        return Err(ShapeError::OverPole {
            vfov_deg,
            pitch_deg: pitch,
        });
    }
    let heading = wrap_signed_deg(heading);
    if hfov_deg == 360.0 && vfov_deg == 180.0 && heading == 0.0 {
        return Ok(Shape::Equirect);
    }
    Ok(Shape::EquirectPart {
        hfov_deg,
        vfov_deg,
        heading_deg: heading,
        pitch_deg: pitch,
    })
}
