//! The six faces of a cube in one picture: strips, grids and crosses, gnomonic or equi-angular.

use super::{FlatCells, PicturePoint, Projection, triangle_solid_angle};
use glam::DVec3;
use std::f64::consts::{FRAC_PI_4, PI};
use std::fmt;
use thiserror::Error;

/// A face of the cube, by where it lies from the viewer.
///
/// Every face is drawn as seen from inside. The four at the horizon stand upright; the lower edge of the upper
/// face and the upper edge of the lower face touch the front.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Face {
    /// Around -X.
    Left,
    /// Around -Z.
    Front,
    /// Around +X.
    Right,
    /// Around +Z.
    Back,
    /// Around +Y.
    Up,
    /// Around -Y.
    Down,
}

impl Face {
    /// All faces in our order: once round the horizon from the left, then up and down.
    pub const ALL: [Self; 6] = [
        Self::Left,
        Self::Front,
        Self::Right,
        Self::Back,
        Self::Up,
        Self::Down,
    ];

    /// Its name in orders and file names.
    pub fn name(self) -> &'static str {
        match self {
            Self::Left => "left",
            Self::Front => "front",
            Self::Right => "right",
            Self::Back => "back",
            Self::Up => "up",
            Self::Down => "down",
        }
    }

    /// Outward, to the right of the face, and down it.
    pub fn axes(self) -> [DVec3; 3] {
        match self {
            Self::Left => [DVec3::NEG_X, DVec3::NEG_Z, DVec3::NEG_Y],
            Self::Front => [DVec3::NEG_Z, DVec3::X, DVec3::NEG_Y],
            Self::Right => [DVec3::X, DVec3::Z, DVec3::NEG_Y],
            Self::Back => [DVec3::Z, DVec3::NEG_X, DVec3::NEG_Y],
            Self::Up => [DVec3::Y, DVec3::X, DVec3::NEG_Z],
            Self::Down => [DVec3::NEG_Y, DVec3::X, DVec3::Z],
        }
    }

    /// The face that a direction meets, and where on it: gnomonic, -1 to 1 to the right and down.
    pub fn met(d: DVec3) -> (Self, f64, f64) {
        let a = d.abs();
        let face = if a.z >= a.x && a.z >= a.y {
            if d.z < 0.0 { Self::Front } else { Self::Back }
        } else if a.x >= a.y {
            if d.x > 0.0 { Self::Right } else { Self::Left }
        } else if d.y > 0.0 {
            Self::Up
        } else {
            Self::Down
        };
        let [out, right, down] = face.axes();
        let depth = d.dot(out);
        (face, d.dot(right) / depth, d.dot(down) / depth)
    }
}

/// A face in its place: turned clockwise by so many quarter turns.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Cell {
    /// The face.
    pub face: Face,
    /// Quarter turns clockwise, 0 to 3.
    pub turns: u8,
}

impl Cell {
    /// A face that is not turned.
    pub const fn upright(face: Face) -> Self {
        Self { face, turns: 0 }
    }

    /// From the face to its place; both -1 to 1.
    fn turned(self, s: f64, t: f64) -> (f64, f64) {
        match self.turns % 4 {
            0 => (s, t),
            1 => (-t, s),
            2 => (-s, -t),
            _ => (t, -s),
        }
    }

    /// From the place to the face.
    fn unturned(self, s: f64, t: f64) -> (f64, f64) {
        let back = Self {
            turns: (4 - self.turns % 4) % 4,
            ..self
        };
        back.turned(s, t)
    }
}

impl fmt::Display for Cell {
    fn fmt(&self, f: &mut fmt::Formatter) -> fmt::Result {
        f.write_str(self.face.name())?;
        if self.turns > 0 {
            write!(f, ":{}", u32::from(self.turns) * 90)?;
        }
        Ok(())
    }
}

/// Why a face order was refused.
#[derive(Debug, Error, PartialEq, Eq)]
pub enum OrderError {
    /// Not six entries.
    #[error(
        "A face order names six faces, and \"{0}\" names {1}; write for example left,front,right,back,up,down."
    )]
    Count(String, usize),
    /// An entry that is no face.
    #[error(
        "\"{0}\" in the face order is no face; take left, front, right, back, up or down (or their first letters), with a clockwise turn if it is turned: up:90."
    )]
    Entry(String),
    /// A face twice.
    #[error("The face order names {0} twice; name each face once.")]
    Twice(&'static str),
}

/// Where the six faces lie in a grid of square cells, row by row.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct CubeLayout {
    /// Cells across.
    pub columns: u8,
    /// Cells down.
    pub rows: u8,
    /// What is in the cells; those beyond `columns * rows` are not used.
    cells: [Option<Cell>; 12],
    /// Whether equal angles are equal distances on a face (equi-angular cube) instead of equal distances on
    /// the plane.
    pub equiangular: bool,
}

impl CubeLayout {
    /// A full grid of six cells in the given order.
    pub fn grid(columns: u8, rows: u8, order: [Cell; 6]) -> Self {
        let mut cells = [None; 12];
        for (cell, face) in cells.iter_mut().zip(order) {
            *cell = Some(face);
        }
        Self {
            columns,
            rows,
            cells,
            equiangular: false,
        }
    }

    /// A full grid in our order: left, front, right, back, up, down.
    pub fn in_our_order(columns: u8, rows: u8) -> Self {
        Self::grid(columns, rows, Face::ALL.map(Cell::upright))
    }

    /// A cross lying down: up; left, front, right, back; down.
    pub fn cross() -> Self {
        let mut layout = Self::in_our_order(4, 3);
        let at = |f| Some(Cell::upright(f));
        layout.cells = [
            None,
            at(Face::Up),
            None,
            None,
            at(Face::Left),
            at(Face::Front),
            at(Face::Right),
            at(Face::Back),
            None,
            at(Face::Down),
            None,
            None,
        ];
        layout
    }

    /// A cross standing up: up; left, front, right; down; back upside down, so that it hangs on down.
    pub fn cross_vertical() -> Self {
        let mut layout = Self::in_our_order(3, 4);
        let at = |f| Some(Cell::upright(f));
        layout.cells = [
            None,
            at(Face::Up),
            None,
            at(Face::Left),
            at(Face::Front),
            at(Face::Right),
            None,
            at(Face::Down),
            None,
            None,
            Some(Cell {
                face: Face::Back,
                turns: 2,
            }),
            None,
        ];
        layout
    }

    /// OpenEXR's stack of faces, +X -X +Y -Y +Z -Z (header ImfEnvmap.h), its world being ours turned half a
    /// turn about Y as for its latitude-longitude picture: +Z is our front, +X our left.
    pub fn openexr() -> Self {
        let half = |face| Cell { face, turns: 2 };
        Self::grid(
            1,
            6,
            [
                Cell::upright(Face::Left),
                Cell::upright(Face::Right),
                half(Face::Up),
                half(Face::Down),
                Cell::upright(Face::Front),
                Cell::upright(Face::Back),
            ],
        )
    }

    /// The order of OpenGL and KTX 2, +X -X +Y -Y +Z -Z (OpenGL 4.6, table 8.19). Their cube is left-handed
    /// with +Z ahead, so that faces seen from inside are not mirrored.
    pub fn opengl(columns: u8, rows: u8) -> Self {
        Self::grid(
            columns,
            rows,
            [
                Cell::upright(Face::Right),
                Cell::upright(Face::Left),
                Cell::upright(Face::Up),
                Cell::upright(Face::Down),
                Cell::upright(Face::Front),
                Cell::upright(Face::Back),
            ],
        )
    }

    /// The same grid with other faces, for layouts that have no empty cells.
    pub fn with_order(mut self, order: [Cell; 6]) -> Self {
        let places = self.cells.iter_mut().flatten();
        for (place, cell) in places.zip(order) {
            *place = cell;
        }
        self
    }

    /// The same layout with equi-angular faces.
    pub fn equiangular(mut self) -> Self {
        self.equiangular = true;
        self
    }

    /// The faces with the column and row of their cells, in reading order.
    pub fn places(&self) -> impl Iterator<Item = (Cell, u8, u8)> + '_ {
        let used = usize::from(self.columns) * usize::from(self.rows);
        self.cells[..used]
            .iter()
            .enumerate()
            .filter_map(move |(i, cell)| {
                let i = i as u8;
                cell.map(|c| (c, i % self.columns, i / self.columns))
            })
    }

    /// Of a cell: outward from the viewer, to the right in its place and down in its place.
    pub fn cell_axes(cell: Cell) -> [DVec3; 3] {
        let [out, right, down] = cell.face.axes();
        let along = |(s, t): (f64, f64)| right * s + down * t;
        [
            out,
            along(cell.unturned(1.0, 0.0)),
            along(cell.unturned(0.0, 1.0)),
        ]
    }

    /// The cells, unless their faces are equi-angular.
    pub(super) fn flat_cells(&self) -> Option<FlatCells> {
        if self.equiangular {
            return None;
        }
        let used = usize::from(self.columns) * usize::from(self.rows);
        let flat = |cell: Cell| {
            let [out, right, down] = Self::cell_axes(cell);
            [out - right - down, right * 2.0, down * 2.0]
        };
        Some(FlatCells {
            columns: u32::from(self.columns),
            rows: u32::from(self.rows),
            cells: self.cells[..used].iter().map(|c| c.map(flat)).collect(),
        })
    }

    /// The faces in reading order.
    pub fn order(&self) -> [Cell; 6] {
        let mut order = Face::ALL.map(Cell::upright);
        for (to, (cell, ..)) in order.iter_mut().zip(self.places()) {
            *to = cell;
        }
        order
    }

    /// Reads an order such as `left,front,right,back,up:90,down`.
    pub fn parse_order(text: &str) -> Result<[Cell; 6], OrderError> {
        let entries: Vec<&str> = text.split(',').map(str::trim).collect();
        let count = entries.len();
        let mut order = Vec::new();
        for entry in entries {
            let wrong = || OrderError::Entry(entry.to_owned());
            let (name, turn) = entry.split_once(':').unwrap_or((entry, "0"));
            let name = name.to_ascii_lowercase();
            let face = (Face::ALL.into_iter())
                .find(|f| f.name() == name || f.name()[..1] == name)
                .ok_or_else(wrong)?;
            let turns = match turn {
                "0" => 0,
                "90" => 1,
                "180" => 2,
                "270" => 3,
                _ => return Err(wrong()),
            };
            if order.iter().any(|c: &Cell| c.face == face) {
                return Err(OrderError::Twice(face.name()));
            }
            order.push(Cell { face, turns });
        }
        <[Cell; 6]>::try_from(order).map_err(|_| OrderError::Count(text.to_owned(), count))
    }

    /// Which place (counted as by [`CubeLayout::places`]) a direction falls on, and where in it, 0 to 1.
    pub fn to_cell(&self, d: DVec3) -> Option<(usize, f64, f64)> {
        let (face, s, t) = Face::met(d);
        let (index, (cell, ..)) = (self.places().enumerate()).find(|(_, p)| p.0.face == face)?;
        let (a, b) = cell.turned(self.spread(s), self.spread(t));
        Some((index, (a + 1.0) / 2.0, (b + 1.0) / 2.0))
    }

    /// The direction at a point of a cell, also somewhat beyond its edges, where the face's plane goes on.
    pub fn beyond(&self, cell: Cell, x: f64, y: f64) -> DVec3 {
        let (s, t) = cell.unturned(2.0 * x - 1.0, 2.0 * y - 1.0);
        let [out, right, down] = cell.face.axes();
        (out + right * self.unspread(s) + down * self.unspread(t)).normalize()
    }

    /// From the plane of a face to its place, both -1 to 1.
    fn spread(self, t: f64) -> f64 {
        if self.equiangular {
            t.atan() / FRAC_PI_4
        } else {
            t
        }
    }

    fn unspread(self, s: f64) -> f64 {
        if self.equiangular {
            // Beyond the edge, but never to where the plane ends.
            (s * FRAC_PI_4).clamp(-0.49 * PI, 0.49 * PI).tan()
        } else {
            s
        }
    }
}

impl Projection for CubeLayout {
    fn to_direction(&self, point: PicturePoint) -> Option<DVec3> {
        if !point.is_inside() {
            return None;
        }
        let (x, y) = (
            point.u * f64::from(self.columns),
            point.v * f64::from(self.rows),
        );
        let column = (x as u8).min(self.columns - 1);
        let row = (y as u8).min(self.rows - 1);
        let cell = self.cells[usize::from(row) * usize::from(self.columns) + usize::from(column)]?;
        Some(self.beyond(cell, x - f64::from(column), y - f64::from(row)))
    }

    fn to_picture(&self, direction: DVec3) -> Option<PicturePoint> {
        let (index, x, y) = self.to_cell(direction)?;
        let (_, column, row) = self.places().nth(index)?;
        Some(PicturePoint {
            u: (f64::from(column) + x) / f64::from(self.columns),
            v: (f64::from(row) + y) / f64::from(self.rows),
        })
    }

    fn ratio(&self) -> f64 {
        f64::from(self.columns) / f64::from(self.rows)
    }

    fn solid_angle(&self, column: u32, row: u32, width: u32, height: u32) -> f64 {
        let (n, m) = (
            (width / u32::from(self.columns)).max(1),
            (height / u32::from(self.rows)).max(1),
        );
        let at = |p: u32, side: u32| (p % side, p / side);
        let ((x, c), (y, r)) = (at(column, n), at(row, m));
        let place = (r * u32::from(self.columns) + c) as usize;
        let Some(cell) = self.cells.get(place).copied().flatten() else {
            return 0.0;
        };
        // Taken within one cell, so that a corner on the edge does not fall on the neighbour.
        let corner = |dx: u32, dy: u32| {
            let share = |v: u32, side: u32| f64::from(v) / f64::from(side);
            self.beyond(cell, share(x + dx, n), share(y + dy, m))
        };
        let (a, b, c, d) = (corner(0, 0), corner(1, 0), corner(1, 1), corner(0, 1));
        triangle_solid_angle(a, b, c) + triangle_solid_angle(a, c, d)
    }
}
