//! Flat cells: what they promise of a shape's directions, for every layout, order and turn.

use dome_optics::projection::{Cell, CubeLayout, Face};
use dome_optics::{PicturePoint, Projection, Shape};
use proptest::prelude::*;

fn orders() -> impl Strategy<Value = [Cell; 6]> {
    (
        Just(Face::ALL.to_vec()).prop_shuffle(),
        prop::array::uniform6(0u8..4),
    )
        .prop_map(|(faces, turns)| {
            std::array::from_fn(|i| Cell {
                face: faces[i],
                turns: turns[i],
            })
        })
}

proptest! {
    /// `a + b x + c y` points where the projection points, all over every cell.
    #[test]
    fn cells_point_where_the_projection_points(
        name in prop::sample::select(vec![
            "cube-6x1", "cube-1x6", "cube-3x2", "cube-cross", "cube-cross-vertical", "cube-faces",
        ]),
        order in orders(),
        (u, v) in (0.001f64..0.999, 0.001f64..0.999),
    ) {
        let shape = name.parse::<Shape>().unwrap().with_order(order).unwrap();
        let flat = shape.flat_cells().unwrap();
        prop_assert_eq!(flat.cells.len(), (flat.columns * flat.rows) as usize);
        let (x, y) = (u * f64::from(flat.columns), v * f64::from(flat.rows));
        let cell = flat.cells[y as usize * flat.columns as usize + x as usize];
        let exact = shape.to_direction(PicturePoint { u, v });
        prop_assert_eq!(cell.is_some(), exact.is_some());
        if let (Some([a, b, c]), Some(exact)) = (cell, exact) {
            let d = (a + b * x.fract() + c * y.fract()).normalize();
            prop_assert!((d - exact).length() < 1e-12, "{} {}", d, exact);
        }
    }

    /// The same for the picture of a camera with any fields of view.
    #[test]
    fn a_frame_is_one_flat_cell(
        hfov in 10.0f64..150.0,
        vfov in 10.0f64..150.0,
        shift in (-0.4f64..0.4, -0.4f64..0.4),
        (u, v) in (0.0f64..1.0, 0.0f64..1.0),
    ) {
        let shape = Shape::Perspective {
            hfov_deg: hfov,
            vfov_deg: Some(vfov),
            shift: [shift.0, shift.1],
        };
        let flat = shape.flat_cells().unwrap();
        let [a, b, c] = flat.cells[0].unwrap();
        let exact = shape.to_direction(PicturePoint { u, v }).unwrap();
        let d = (a + b * u + c * v).normalize();
        prop_assert!((d - exact).length() < 1e-12, "{} {}", d, exact);
    }

    /// A cell's axes are square to each other, of length 1, and not mirrored.
    #[test]
    fn axes_are_a_turned_face(order in orders()) {
        for cell in order {
            let [out, right, down] = CubeLayout::cell_axes(cell);
            prop_assert!((right.cross(down) - out).length() < 1e-12 || (down.cross(right) + out).length() < 1e-12);
            prop_assert_eq!(out.length(), 1.0);
        }
    }
}

/// Shapes whose directions bend have no flat cells.
#[test]
fn bent_shapes_have_none() {
    for name in [
        "equirect",
        "eac-3x2",
        "fisheye:180",
        "cylinder:360x90",
        "octahedral",
        "angular-map",
    ] {
        assert_eq!(name.parse::<Shape>().unwrap().flat_cells(), None, "{name}");
    }
}
