//! The directions of a row of points of the result: asked exactly at a few of them, by a cubic between them where
//! that is as good.

use super::Layout;
use super::sphere::Directions;
use dome_optics::{PicturePoint, Projection, Shape};
use glam::{DMat3, DVec3};

/// Spans below this are asked point by point.
const SHORTEST: usize = 8;

/// A row of points: the first one, the way to the next, and their height.
#[derive(Clone, Copy)]
pub(super) struct Row {
    pub(super) x: f64,
    pub(super) step: f64,
    pub(super) y: f64,
}

/// A result of flat cells: directions are straight lines of pixels.
#[derive(Clone, Debug)]
pub(super) struct Flat {
    columns: usize,
    /// Size of a cell, pixels.
    cell: (f64, f64),
    /// Row by row: `a + b x + c y` at pixels of the whole picture, turned into the source's sphere.
    cells: Vec<Option<[DVec3; 3]>>,
}

impl Flat {
    pub(super) fn of(shape: Shape, size: (u32, u32), turn: DMat3) -> Option<Self> {
        let flat = shape.flat_cells()?;
        let cell = (
            f64::from(size.0) / f64::from(flat.columns),
            f64::from(size.1) / f64::from(flat.rows),
        );
        let columns = flat.columns as usize;
        let by_pixel = |(i, c): (usize, Option<[DVec3; 3]>)| {
            c.map(|[a, b, c]| {
                let (left, top) = ((i % columns) as f64, (i / columns) as f64);
                let (right, down) = (turn * b / cell.0, turn * c / cell.1);
                let corner = turn * a - right * (left * cell.0) - down * (top * cell.1);
                [corner, right, down]
            })
        };
        Some(Self {
            columns,
            cell,
            cells: flat.cells.into_iter().enumerate().map(by_pixel).collect(),
        })
    }

    /// The column of cells at a point, and the cell.
    #[inline(always)]
    fn at(&self, x: f64, y: f64) -> (usize, Option<&[DVec3; 3]>) {
        let column = ((x / self.cell.0) as usize).min(self.columns - 1);
        let row = (y / self.cell.1) as usize;
        let cell = self.cells.get(row * self.columns + column);
        (column, cell.and_then(Option::as_ref))
    }

    #[inline(always)]
    fn row(&self, row: Row, count: usize, out: &mut Directions) {
        let mut first = 0;
        while first < count {
            let x = row.x + first as f64 * row.step;
            let (column, cell) = self.at(x, row.y);
            // Points up to the next cell.
            let rest = ((column + 1) as f64 * self.cell.0 - x) / row.step;
            let end = (first + (rest.ceil() as usize).max(1)).min(count);
            match cell {
                Some([a, b, c]) => {
                    let (d, step) = (*a + *b * row.x + *c * row.y, *b * row.step);
                    for i in first..end {
                        let t = f64::from(i as u32);
                        out.x[i] = (d.x + step.x * t) as f32;
                        out.y[i] = (d.y + step.y * t) as f32;
                        out.z[i] = (d.z + step.z * t) as f32;
                    }
                }
                None => {
                    for i in first..end {
                        (out.x[i], out.y[i], out.z[i]) = (f32::NAN, f32::NAN, f32::NAN);
                    }
                }
            }
            first = end;
        }
    }
}

impl Layout {
    /// The direction in the source's sphere at a point in pixels of the result; of any length.
    #[inline]
    pub(super) fn direction(&self, x: f64, y: f64) -> Option<DVec3> {
        let point = PicturePoint {
            u: x / f64::from(self.size.0),
            v: y / f64::from(self.size.1),
        };
        if let Some(flat) = &self.flat {
            if !point.is_inside() {
                return None;
            }
            let inside = y.min(f64::from(self.size.1) - 0.25);
            let [a, b, c] = flat.at(x, inside).1?;
            return Some(*a + *b * x + *c * y);
        }
        self.to.to_direction(point).map(|d| self.turn * d)
    }

    /// Directions of the first `count` points of a row, no farther off than `tolerance` radians.
    #[inline(always)]
    pub(super) fn directions(&self, row: Row, count: usize, tolerance: f64, out: &mut Directions) {
        if let Some(flat) = &self.flat {
            flat.row(row, count, out);
            return;
        }
        // Spans that are still to be done: at most one of each length.
        let mut waiting = [(0usize, 0usize); 16];
        waiting[0] = (0, count);
        let mut left = 1;
        while left > 0 {
            left -= 1;
            let (first, count) = waiting[left];
            if count < SHORTEST {
                for i in first..first + count {
                    let d = self.direction(row.x + i as f64 * row.step, row.y);
                    let d = d.unwrap_or(DVec3::NAN);
                    (out.x[i], out.y[i], out.z[i]) = (d.x as f32, d.y as f32, d.z as f32);
                }
            } else if let Some(curves) = self.curve(row, first, count, tolerance) {
                let within = first..first + count;
                let lines = [&mut out.x, &mut out.y, &mut out.z];
                for (line, c) in lines.into_iter().zip(curves) {
                    for (i, v) in line[within.clone()].iter_mut().enumerate() {
                        let t = i as u32 as f64;
                        *v = (c[0] + t * (c[1] + t * (c[2] + t * c[3]))) as f32;
                    }
                }
            } else {
                let half = count / 2;
                waiting[left] = (first + half, count - half);
                waiting[left + 1] = (first, half);
                left += 2;
            }
        }
    }

    /// The cubic through four directions, if a fifth lies on it.
    #[inline(never)]
    fn curve(&self, row: Row, first: usize, count: usize, tolerance: f64) -> Option<[[f64; 4]; 3]> {
        let ask = |i: usize| self.direction(row.x + (first + i) as f64 * row.step, row.y);
        let (third, check) = (count / 3, count / 6);
        let at = [0, third, 2 * third, count - 1];
        let mut d = [DVec3::ZERO; 4];
        for (d, i) in d.iter_mut().zip(at) {
            *d = ask(i)?;
        }
        let t = at.map(|i| i as f64);
        let curves = [d.map(|d| d.x), d.map(|d| d.y), d.map(|d| d.z)].map(|v| cubic(t, v));
        let t = check as f64;
        let guess = curves.map(|c| c[0] + t * (c[1] + t * (c[2] + t * c[3])));
        let off = (DVec3::from_array(guess) - ask(check)?).abs().max_element();
        (off < tolerance).then_some(curves)
    }
}

/// Coefficients of the cubic through four points, the first at 0 (Newton's divided differences).
pub(super) fn cubic(t: [f64; 4], v: [f64; 4]) -> [f64; 4] {
    let slope = |a: f64, b: f64, from: usize, to: usize| (b - a) / (t[to] - t[from]);
    let (a, b, c) = (
        slope(v[0], v[1], 0, 1),
        slope(v[1], v[2], 1, 2),
        slope(v[2], v[3], 2, 3),
    );
    let (ab, bc) = (slope(a, b, 0, 2), slope(b, c, 1, 3));
    let abc = slope(ab, bc, 0, 3);
    // v0 + t (a + (t - t1) (ab + (t - t2) abc)), multiplied out.
    [
        v[0],
        a - ab * t[1] + abc * t[1] * t[2],
        ab - abc * (t[1] + t[2]),
        abc,
    ]
}
